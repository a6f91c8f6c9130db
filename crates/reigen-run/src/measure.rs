//! Lines read through and measured, without a station.

use crate::error::RunError;
use crate::source::LineSource;
use reigen_core::lines::LineColumns;
use reigen_core::time::Nanos;
use std::ops::ControlFlow;

/// Reads the lines of these signals, and hands over window after window; gives the last time.
///
/// # Errors
/// Where the lines cannot be read on.
pub fn read_through(
    source: &mut dyn LineSource,
    bits: &[usize],
    numbers: &[usize],
    take: &mut (dyn FnMut(&LineColumns) + Send),
) -> Result<Nanos, RunError> {
    let mut lines = source.select(bits, numbers);
    source.drive(&mut lines, &mut |lines, advance| {
        let window = lines.cut(advance.known_until);
        take(lines);
        lines.advance(window);
        ControlFlow::Continue(())
    })?;
    Ok(source.last_time())
}
