//! Dates and times as RFC 3339 writes them, with or without a zone.

use crate::error::{FaultKind, shown};
use jiff::civil::DateTime;
use jiff::fmt::temporal::DateTimeParser;
use jiff::tz::TimeZone;
use reigen_core::cast;
use reigen_core::time::is_file_time;

/// A moment as nanoseconds since 1970 began.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Moment {
    /// Nanoseconds since the first of January 1970, in its zone; without a zone by the clock that wrote it.
    pub(crate) nanos: i64,
    /// Whether it tells its zone.
    pub(crate) zoned: bool,
}

/// Reads a date and time: `2026-11-25T13:58:02.5Z`, `2026-11-25 13:58:02+01:00`, `2026-11-25 13:58:02`.
pub(crate) fn moment(cell: &[u8]) -> Option<Moment> {
    const PARSER: DateTimeParser = DateTimeParser::new();
    let separated = matches!(cell, [_, _, _, _, b'-', _, _, b'-', _, _, b'T' | b't' | b' ', _, _, b':', ..]);
    if !separated || cell.contains(&b'[') {
        return None;
    }
    let (timestamp, zoned) = match PARSER.parse_timestamp(cell) {
        Ok(timestamp) => (timestamp, true),
        Err(_) => {
            let clock: DateTime = PARSER.parse_datetime(cell).ok()?;
            (TimeZone::UTC.to_timestamp(clock).ok()?, false)
        }
    };
    let nanos = i64::try_from(timestamp.as_nanosecond()).ok()?;
    is_file_time(nanos).then_some(Moment { nanos, zoned })
}

/// The time of a date, which must tell its zone where the others do.
pub(crate) fn dated(moment: Option<Moment>, zoned: bool, cell: &[u8]) -> Result<i64, FaultKind> {
    match moment {
        Some(moment) if moment.zoned == zoned => Ok(moment.nanos),
        Some(_) => Err(FaultKind::MixedZones { found: shown(cell), zoned }),
        None => Err(FaultKind::NoDate(shown(cell))),
    }
}

/// A date and time as a recording's own time: nanoseconds since 1970 began; `None` where it is none.
pub fn date_ns(text: &str) -> Option<i64> {
    moment(text.as_bytes()).map(|moment| moment.nanos)
}

/// How many characters name the minute: `2026-11-25T13:58:`.
const MINUTE: usize = 17;

/// Reads moments of which most are in the minute of the one before: the fast form.
#[derive(Debug, Clone, Default)]
pub(crate) struct Moments {
    /// The last minute as it was written, and its zone.
    minute: Vec<u8>,
    zone: Vec<u8>,
    /// When it began.
    begins: i64,
    zoned: bool,
}

impl Moments {
    /// Reads as [`moment`] does.
    pub(crate) fn read(&mut self, cell: &[u8]) -> Option<Moment> {
        self.same_minute(cell).or_else(|| self.other_minute(cell))
    }

    fn same_minute(&self, cell: &[u8]) -> Option<Moment> {
        let (minute, rest) = cell.split_at_checked(MINUTE)?;
        let seconds = rest.strip_suffix(self.zone.as_slice())?;
        let nanos = self.begins + seconds_ns(seconds)?;
        (minute == self.minute).then_some(Moment { nanos, zoned: self.zoned })
    }

    fn other_minute(&mut self, cell: &[u8]) -> Option<Moment> {
        let moment = moment(cell)?;
        let (minute, rest) = cell.split_at_checked(MINUTE)?;
        let seconds = rest.iter().take_while(|byte| byte.is_ascii_digit() || **byte == b'.').count();
        let (seconds, zone) = rest.split_at(seconds);
        if let Some(nanos) = seconds_ns(seconds) {
            *self = Self {
                minute: minute.to_vec(),
                zone: zone.to_vec(),
                begins: moment.nanos - nanos,
                zoned: moment.zoned,
            };
        }
        Some(moment)
    }
}

/// `02` or `02.5` in nanoseconds.
fn seconds_ns(text: &[u8]) -> Option<i64> {
    let digit = |byte: u8| byte.is_ascii_digit().then(|| i64::from(byte - b'0'));
    let (&[tens, ones], fraction) = text.split_first_chunk::<2>()?;
    let seconds = digit(tens).filter(|tens| *tens < 6)? * 10 + digit(ones)?;
    let fraction = match fraction {
        [] => &[][..],
        [b'.', digits @ ..] if (1..=9).contains(&digits.len()) => digits,
        _ => return None,
    };
    let nanos = fraction.iter().try_fold(0, |sum, &byte| Some(sum * 10 + digit(byte)?))?;
    Some(seconds * 1_000_000_000 + nanos * 10i64.pow(9 - cast::u32_from_usize(fraction.len())))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn moments_by_hand() {
        let second = 1_000_000_000;
        for (text, nanos, zoned) in [
            ("1970-01-01T00:00:00Z", 0, true),
            ("1970-01-01T01:00:02.5+01:00", 2 * second + second / 2, true),
            ("1970-01-02 00:00:00", 86_400 * second, false),
            ("2026-11-25t13:58:02.000000001z", 1_795_615_082 * second + 1, true),
        ] {
            assert_eq!(moment(text.as_bytes()), Some(Moment { nanos, zoned }), "{text}");
        }
        for text in ["2026-11-25", "13:58:02", "25.11.2026 13:58:02", "2026-13-01T00:00:00Z", "5", ""] {
            assert_eq!(moment(text.as_bytes()), None, "{text}");
        }
    }

    proptest! {
        #[test]
        fn moments_one_after_another_read_as_each_alone(
            texts in prop::collection::vec(
                "(2026-11-25T13:5[89]:|2026-11-25 23:59:|1999-02-2[89]T00:00:)[0-6][0-9]([.][0-9]{0,10})?(Z|[+]01:00|)", 1..20),
        ) {
            let mut moments = Moments::default();
            for text in texts {
                prop_assert_eq!(moments.read(text.as_bytes()), moment(text.as_bytes()), "{}", text);
            }
        }
    }
}
