//! When an image was taken, as a number.

use jiff::Timestamp;
use jiff::civil::DateTime;
use jiff::tz::TimeZone;

use super::Facts;

/// Letters of `YYYY-MM-DDThh:mm:ss`.
const TO_THE_SECOND: usize = 19;

impl Facts {
    /// When the image was taken, in seconds from any one moment; by the clock of the camera, whatever
    /// its offset from UTC.
    pub fn captured_seconds(&self) -> Option<i64> {
        seconds(self.captured.as_deref()?)
    }
}

fn seconds(captured: &str) -> Option<i64> {
    let time: DateTime = captured.get(..TO_THE_SECOND)?.parse().ok()?;
    Some(time.to_zoned(TimeZone::UTC).ok()?.timestamp().as_second())
}

/// A moment in the seconds of [`Facts::captured_seconds`] as `YYYY-MM-DD hh:mm`.
pub fn time_of_seconds(seconds: f64) -> String {
    let time = Timestamp::from_second(seconds as i64).unwrap_or_default();
    time.to_zoned(TimeZone::UTC).strftime("%Y-%m-%d %H:%M").to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_are_seconds_apart() {
        let apart = |a, b| seconds(b).unwrap() - seconds(a).unwrap();
        assert_eq!(apart("2026-02-28T23:59:59", "2026-03-01T00:00:01.5+02:00"), 2);
        assert_eq!(apart("2023-12-31T23:59:58", "2024-01-01T00:00:00"), 2);
        assert_eq!(apart("2024-02-28T12:00:00", "2024-03-01T12:00:00"), 2 * 86_400);
        assert_eq!((seconds("2024-02"), seconds("2024-13-01T00:00:00")), (None, None));
        let day = seconds("2024-02-29T23:59:59").unwrap();
        assert_eq!(time_of_seconds(day as f64), "2024-02-29 23:59");
    }
}
