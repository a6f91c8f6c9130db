//! The trigger of an echo sensor, and its echo.

use super::edges::Edges;
use crate::time::Nanos;
use crate::units::short_time;

/// A pulse of its own width that follows each pulse of a trigger: the evidence.
pub(super) fn echo(trigger: Edges<'_>, echo: Edges<'_>) -> Option<String> {
    let falls: Vec<Nanos> = trigger.falling().collect();
    let rises: Vec<Nanos> = echo.rising().collect();
    if falls.len() < 4 || rises.len() < 4 || rises.len() > falls.len() {
        return None;
    }
    let mut delays = Vec::new();
    for pair in falls.windows(2) {
        let (Some(&from), Some(&until)) = (pair.first(), pair.get(1)) else { continue };
        let first = rises.partition_point(|&time| time < from);
        match rises.get(first).filter(|time| **time < until) {
            Some(&rise) if (rise - from).0 * 4 < (until - from).0 => delays.push((rise - from).0),
            Some(_) => return None,
            None => {}
        }
    }
    delays.sort_unstable();
    let (least, most) = (*delays.first()?, *delays.last()?);
    let tight = most - least <= most / 4 + 2_000;
    (delays.len() * 10 >= falls.len() * 7 && tight)
        .then(|| format!("goes high {} after each of {} trigger pulses", short_time(Nanos(most)), delays.len()))
}
