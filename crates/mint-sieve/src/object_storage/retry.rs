//! Trying again: stores refuse requests that come too fast, and connections break.

use std::time::Duration;

use crate::progress;

/// Why a request failed, as the end of a sentence.
#[derive(Debug)]
pub enum Trouble {
    /// It may succeed when it is made again.
    Passing(String),
    /// It will not.
    Lasting(String),
    /// The store does not know what was asked for.
    Unsupported(String),
}

/// Times that a request is made: with the pauses below, over some ten seconds.
const ATTEMPTS: u32 = 7;
/// The pause after the first attempt; each further one is twice as long.
const FIRST_PAUSE: Duration = Duration::from_millis(80);
/// No pause is longer.
const LONGEST_PAUSE: Duration = Duration::from_secs(4);

/// Does `attempt` until it succeeds, fails for good, or has failed too often; gives up at once when the run is stopped.
pub fn retried<T>(attempt: impl Fn() -> Result<T, Trouble>) -> Result<T, String> {
    let mut pause = FIRST_PAUSE;
    for number in 1.. {
        match attempt() {
            Ok(value) => return Ok(value),
            Err(Trouble::Lasting(why) | Trouble::Unsupported(why)) => return Err(why),
            Err(Trouble::Passing(why)) if number == ATTEMPTS || progress::is_stopped() => {
                return Err(format!("{why} (tried {number} times)"));
            }
            Err(Trouble::Passing(why)) => tracing::debug!(%why, number, "trying again"),
        }
        // Threads that failed together must not return together.
        let spread =
            std::time::SystemTime::UNIX_EPOCH.elapsed().map_or(0, |age| age.subsec_nanos());
        std::thread::sleep(pause.mul_f64(0.75 + f64::from(spread % 1000) / 2000.0));
        pause = (pause * 2).min(LONGEST_PAUSE);
    }
    unreachable!("the loop returns at the last attempt")
}

#[cfg(test)]
mod tests {
    use std::cell::Cell;

    use super::*;

    #[test]
    fn what_passes_is_tried_again_and_what_lasts_is_not() {
        let made = Cell::new(0);
        let count = || made.set(made.get() + 1);
        let third = || {
            count();
            if made.get() < 3 { Err(Trouble::Passing("busy".to_owned())) } else { Ok(made.get()) }
        };
        assert_eq!(retried(third), Ok(3));
        made.set(0);
        let lasting = || {
            count();
            Err::<(), _>(Trouble::Lasting("not there".to_owned()))
        };
        assert_eq!((retried(lasting), made.get()), (Err("not there".to_owned()), 1));
    }
}
