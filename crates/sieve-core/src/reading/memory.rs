//! One budget of memory for all images that are being read, whatever the number of threads.

use std::fmt;
use std::sync::{Arc, Condvar, Mutex, MutexGuard};

use super::ReadError;

/// Memory that images may take together while they are read, in bytes. Clones share it.
///
/// A thread whose image does not fit waits until others have finished theirs. An image that takes more than
/// the whole budget is decoded alone: nothing is refused for want of budget, that is what limits are for.
#[derive(Clone)]
pub struct MemoryBudget(Arc<Shared>);

struct Shared {
    most_bytes: u64,
    state: Mutex<State>,
    freed: Condvar,
}

#[derive(Default)]
struct State {
    bytes: u64,
    /// Images being decoded. Who decodes never waits for more, so that one of them always goes on.
    decodes: u64,
}

/// What is taken from a budget until it is dropped.
#[derive(Debug, Default)]
pub struct MemoryPermit {
    _taken: Option<Share>,
}

#[derive(Debug)]
struct Share {
    memory: MemoryBudget,
    bytes: u64,
    is_decode: bool,
}

/// Bytes below which a decode asks nobody: what a thread needs anyway.
const SMALL_BYTES: u64 = 1 << 20;

impl MemoryBudget {
    /// A budget of `most_bytes`.
    pub fn new(most_bytes: u64) -> Self {
        let state = Mutex::default();
        MemoryBudget(Arc::new(Shared { most_bytes, state, freed: Condvar::new() }))
    }

    /// Takes memory for an image that is decoded; waits for it while others are.
    pub(super) fn decode(&self, bytes: u64) -> MemoryPermit {
        if bytes < SMALL_BYTES {
            return MemoryPermit::default();
        }
        self.take(bytes, true, |state| state.decodes == 0)
    }

    /// Takes memory for the bytes of a file; waits for it while others have any.
    pub(crate) fn file(&self, bytes: u64) -> MemoryPermit {
        self.take(bytes, false, |state| state.bytes == 0)
    }

    /// The same, if nobody need be waited for.
    pub(crate) fn try_file(&self, bytes: u64) -> Option<MemoryPermit> {
        let mut state = self.state();
        let fits = state.bytes.saturating_add(bytes) <= self.0.most_bytes;
        fits.then(|| self.taken(&mut state, bytes, false))
    }

    fn take(&self, bytes: u64, is_decode: bool, is_alone: impl Fn(&State) -> bool) -> MemoryPermit {
        let mut state = self.state();
        while state.bytes.saturating_add(bytes) > self.0.most_bytes && !is_alone(&state) {
            // A panic while it was held changed nothing halfway.
            state = self.0.freed.wait(state).unwrap_or_else(|poisoned| poisoned.into_inner());
        }
        self.taken(&mut state, bytes, is_decode)
    }

    fn taken(&self, state: &mut State, bytes: u64, is_decode: bool) -> MemoryPermit {
        state.bytes = state.bytes.saturating_add(bytes);
        state.decodes += u64::from(is_decode);
        MemoryPermit { _taken: Some(Share { memory: self.clone(), bytes, is_decode }) }
    }

    fn state(&self) -> MutexGuard<'_, State> {
        self.0.state.lock().unwrap_or_else(|poisoned| poisoned.into_inner())
    }
}

impl Drop for Share {
    fn drop(&mut self) {
        let mut state = self.memory.state();
        state.bytes = state.bytes.saturating_sub(self.bytes);
        state.decodes -= u64::from(self.is_decode);
        self.memory.0.freed.notify_all();
    }
}

impl fmt::Debug for MemoryBudget {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} of {} bytes", self.state().bytes, self.0.most_bytes)
    }
}

/// 1 GiB: what a laptop spares for one program.
impl Default for MemoryBudget {
    fn default() -> Self {
        MemoryBudget::new(1 << 30)
    }
}

/// Room for `size` values of an image.
///
/// # Errors
///
/// When the system has no memory left: the image is set aside, and the run goes on.
pub(super) fn reserve(size: usize) -> Result<Vec<u8>, ReadError> {
    let mut values = Vec::new();
    values.try_reserve_exact(size).map_err(|_| no_memory())?;
    Ok(values)
}

/// `size` zeros.
///
/// # Errors
///
/// As [`reserve`].
pub(super) fn zeros(size: usize) -> Result<Vec<u8>, ReadError> {
    let mut values = reserve(size)?;
    values.resize(size, 0);
    Ok(values)
}

/// Not for want of quality: the next run may have it.
pub(super) fn no_memory() -> ReadError {
    ReadError::Unreadable("there is not enough memory to decode it".to_owned())
}

#[cfg(test)]
mod tests {
    use std::sync::atomic::{AtomicU64, Ordering};

    use super::*;

    #[test]
    fn pictures_share_the_budget_and_one_too_large_goes_alone() {
        const MIB: u64 = 1 << 20;
        let memory = MemoryBudget::new(10 * MIB);
        let (now, most) = (AtomicU64::new(0), AtomicU64::new(0));
        std::thread::scope(|scope| {
            for thread in 0..8 {
                let (memory, now, most) = (&memory, &now, &most);
                scope.spawn(move || {
                    for step in 0..20 {
                        let file = memory.file(MIB / 8);
                        let bytes = if (thread + step) % 7 == 0 { 30 } else { 4 } * MIB;
                        let held = memory.decode(bytes);
                        let together = now.fetch_add(bytes, Ordering::SeqCst) + bytes;
                        most.fetch_max(together, Ordering::SeqCst);
                        std::thread::yield_now();
                        now.fetch_sub(bytes, Ordering::SeqCst);
                        drop((held, file));
                    }
                });
            }
        });
        // 30 alone, or 4 and 4; never 30 beside another.
        assert_eq!(most.into_inner(), 30 * MIB);
        assert_eq!(format!("{memory:?}"), "0 of 10485760 bytes");
        let first = memory.try_file(9 * MIB).unwrap();
        assert!(memory.try_file(2 * MIB).is_none());
        drop(first);
        assert!(memory.try_file(2 * MIB).is_some());
    }
}
