//! What tells that a file is still the one that was read.

use std::fs::Metadata;
use std::time::{SystemTime, UNIX_EPOCH};

use serde::{Deserialize, Serialize};

/// Size and times of a file. A file is taken to be unchanged while all three hold.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Stamp {
    /// Size in bytes.
    pub size_bytes: u64,
    /// Time of the last change of the content, in nanoseconds since 1970.
    pub modified_ns: i64,
    /// Time of the last change of the inode, in nanoseconds since 1970: programs that set a file's
    /// times back cannot set this one. 0 where the system has none.
    pub changed_ns: i64,
}

impl Stamp {
    /// The stamp of the file that has these facts.
    pub fn from_metadata(facts: &Metadata) -> Self {
        Stamp {
            size_bytes: facts.len(),
            modified_ns: facts.modified().map_or(0, nanoseconds),
            changed_ns: changed(facts),
        }
    }

    /// True when the file changed so shortly before `now` that a further change might leave the
    /// stamp as it is: clocks of file systems tick every few milliseconds only. Where the inode has
    /// a time it decides: the other one may be set to anything, also in the future.
    pub(crate) fn is_fresh(&self, now: SystemTime) -> bool {
        const TICK_NS: i64 = 50_000_000;
        let changed = if self.changed_ns == 0 { self.modified_ns } else { self.changed_ns };
        (nanoseconds(now).saturating_sub(changed)).abs() < TICK_NS
    }
}

fn nanoseconds(time: SystemTime) -> i64 {
    match time.duration_since(UNIX_EPOCH) {
        Ok(after) => after.as_nanos().try_into().unwrap_or(i64::MAX),
        Err(before) => before.duration().as_nanos().try_into().map_or(i64::MIN, |ns: i64| -ns),
    }
}

#[cfg(unix)]
fn changed(facts: &Metadata) -> i64 {
    use std::os::unix::fs::MetadataExt;
    facts.ctime().saturating_mul(1_000_000_000).saturating_add(facts.ctime_nsec())
}

#[cfg(not(unix))]
fn changed(_facts: &Metadata) -> i64 {
    0
}

#[cfg(test)]
mod tests {
    use std::time::Duration;

    use super::*;

    #[test]
    fn only_what_changed_a_moment_ago_is_fresh() {
        let now = UNIX_EPOCH + Duration::from_secs(1_700_000_000);
        let at = |ms: i64| nanoseconds(now) + ms * 1_000_000;
        let stamp = |modified_ns, changed_ns| Stamp { size_bytes: 1, modified_ns, changed_ns };
        assert!(stamp(at(-5), at(-5)).is_fresh(now));
        assert!(stamp(at(-900), at(-5)).is_fresh(now), "renamed, or its times set back");
        assert!(stamp(at(-5), 0).is_fresh(now));
        assert!(!stamp(at(-900), at(-900)).is_fresh(now));
        assert!(!stamp(at(86_400_000), at(-900)).is_fresh(now), "from a clock that was wrong");
    }
}
