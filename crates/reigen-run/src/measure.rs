//! Lines read through and measured, without a station.

use crate::error::RunError;
use crate::source::LineSource;
use crate::stretch::Stretch;
use reigen_core::lines::LineColumns;
use reigen_core::time::{Nanos, Window};
use std::ops::ControlFlow;

/// Reads a stretch of the lines of these signals, and hands over window after window; gives the last time of the stretch.
///
/// The levels that lines have where the stretch begins are known from there on.
///
/// # Errors
/// Where the lines cannot be read on, or the stretch begins after them.
pub fn read_through(
    source: &mut dyn LineSource,
    (bits, numbers): (&[usize], &[usize]),
    stretch: Stretch,
    take: &mut (dyn FnMut(Window, &LineColumns) + Send),
) -> Result<Nanos, RunError> {
    let mut lines = source.select(bits, numbers);
    let Stretch { from, to } = stretch;
    source.count_within(from, to);
    let mut worked_until = Nanos(0);
    source.drive(&mut lines, &mut |lines, advance| {
        let known_until = to.map_or(advance.known_until, |to| advance.known_until.min(to + Nanos(1)));
        while worked_until < known_until {
            let until = if worked_until < from { known_until.min(from) } else { known_until };
            let window = lines.cut(until);
            if worked_until >= from {
                take(window, lines);
            }
            lines.advance(window);
            worked_until = until;
            if until == from {
                lines.know_from(from);
            }
        }
        match to.is_some_and(|to| worked_until > to) {
            true => ControlFlow::Break(()),
            false => ControlFlow::Continue(()),
        }
    })?;
    stretch.end(source.origin(), source.last_time())
}
