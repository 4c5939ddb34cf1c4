//! How long work tells of itself and is told to stop.

/// Follows long work. Called from many threads at once.
pub trait Progress: Sync {
    /// Work named `what` begins; `total` steps are ahead when that is known.
    fn begin(&self, what: &'static str, total: Option<u64>);
    /// The same where the steps are bytes.
    fn begin_bytes(&self, what: &'static str, total: u64) {
        self.begin(what, Some(total));
    }
    /// `steps` more steps are done.
    fn advance(&self, steps: u64);
    /// True once the work should stop at the next safe point.
    fn stopped(&self) -> bool;
}

/// Follows nothing and never stops the work.
pub struct NoProgress;

impl Progress for NoProgress {
    fn begin(&self, _what: &'static str, _total: Option<u64>) {}
    fn advance(&self, _steps: u64) {}
    fn stopped(&self) -> bool {
        false
    }
}
