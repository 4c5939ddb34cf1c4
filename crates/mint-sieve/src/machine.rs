//! What the machine has.

use std::fs;
use std::time::Duration;

/// Memory that images may take together when nothing else was asked for, in MiB: a quarter of what this process
/// may use, at most 1024; that where the system does not tell.
pub fn image_memory_mib() -> u64 {
    const MOST_MIB: u64 = 1024;
    let machine = fs::read_to_string("/proc/meminfo").ok().and_then(|text| of_machine(&text));
    // Of control groups version 2, as containers have them.
    let group = fs::read_to_string("/sys/fs/cgroup/memory.max").ok();
    let group = group.and_then(|text| text.trim().parse::<u64>().ok()).map(|bytes| bytes >> 20);
    let least = [machine, group].into_iter().flatten().min();
    least.map_or(MOST_MIB, |mib| (mib / 4).clamp(16, MOST_MIB))
}

/// The line of /proc/meminfo is in KiB.
fn of_machine(text: &str) -> Option<u64> {
    let line = text.lines().find_map(|line| line.strip_prefix("MemTotal:"))?;
    Some(line.trim().strip_suffix(" kB")?.parse::<u64>().ok()? >> 10)
}

/// The processor time that this thread has taken; where the system does not tell, the time that has passed.
pub fn thread_time() -> Duration {
    #[cfg(unix)]
    {
        let time = rustix::time::clock_gettime(rustix::time::ClockId::ThreadCPUTime);
        Duration::new(time.tv_sec as u64, time.tv_nsec as u32)
    }
    #[cfg(not(unix))]
    {
        static BEGAN: std::sync::OnceLock<std::time::Instant> = std::sync::OnceLock::new();
        BEGAN.get_or_init(std::time::Instant::now).elapsed()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_memory_of_a_machine_is_read_in_mib() {
        assert_eq!(of_machine("MemTotal:       16384000 kB\nMemFree: 1 kB\n"), Some(16000));
        assert_eq!(of_machine("MemFree: 1 kB\n"), None);
        assert!((16..=1024).contains(&image_memory_mib()));
    }
}
