//! Several requests at a time.

use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

/// Requests under way at the same time.
const REQUESTS: usize = 16;

/// Does `work` on every item, in any order; the results are in that of the items. After the first failure nothing more is
/// begun, and what was done until then is lost to the caller.
pub fn in_parallel<I: Sync, T: Send>(
    items: &[I],
    work: impl Fn(&I) -> Result<T, String> + Sync,
) -> Result<Vec<T>, String> {
    let (next, has_failed) = (AtomicUsize::new(0), AtomicBool::new(false));
    let results: Mutex<Vec<(usize, Result<T, String>)>> = Mutex::default();
    std::thread::scope(|scope| {
        for _ in 0..REQUESTS.min(items.len()) {
            scope.spawn(|| {
                while !has_failed.load(Ordering::Relaxed) {
                    let at = next.fetch_add(1, Ordering::Relaxed);
                    let Some(item) = items.get(at) else { break };
                    let result = work(item);
                    if result.is_err() {
                        has_failed.store(true, Ordering::Relaxed);
                    }
                    results.lock().unwrap_or_else(|lock| lock.into_inner()).push((at, result));
                }
            });
        }
    });
    let mut results = results.into_inner().unwrap_or_else(|lock| lock.into_inner());
    results.sort_by_key(|(at, _)| *at);
    results.into_iter().map(|(_, result)| result).collect()
}
