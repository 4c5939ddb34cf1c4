//! What a store does wrong, and how often.

/// One way to misbehave.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fault {
    /// Answers 503 and says that requests come too fast.
    Busy,
    /// Pauses in the middle of a body.
    Slow,
    /// Closes the connection in the middle of a body.
    Dropped,
    /// Announces and sends a body that lacks its last byte.
    Short,
    /// Names the last object of a page of a listing again on the next one.
    Repeated,
}

impl Fault {
    /// Every one.
    pub const ALL: [Fault; 5] =
        [Fault::Busy, Fault::Slow, Fault::Dropped, Fault::Short, Fault::Repeated];
}

/// Which requests are answered wrongly: every N-th one, by each kind of fault in turn.
#[derive(Clone, Debug, Default)]
pub struct Faults {
    /// The kinds that take turns.
    pub kinds: Vec<Fault>,
    /// The N: one request in this number fails; 0 for none.
    pub every: u64,
}

impl Faults {
    /// Every kind in turn, at every `every`-th request.
    pub fn of_every_kind(every: u64) -> Self {
        Faults { kinds: Fault::ALL.to_vec(), every }
    }

    /// What is done wrong with the request of this number, from 1.
    pub(crate) fn at(&self, request: u64) -> Option<Fault> {
        let turn =
            request.checked_div(self.every).filter(|_| request.is_multiple_of(self.every))?;
        let kinds = self.kinds.len() as u64;
        Some(self.kinds[(turn.checked_rem(kinds)?) as usize])
    }
}
