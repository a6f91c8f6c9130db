//! What a device does, by a recording: each change of its lines, in the order of time.

use crate::failure::Failure;
use reigen_core::change::{Change, Value};
use reigen_core::time::Nanos;
use reigen_io::recording::Recording;
use reigen_run::line_changes::LineChanges;
use reigen_run::source::{Advance, LineSource};
use reigen_station::station::line_names::{find_line, find_number};
use std::ops::ControlFlow;

/// What takes each change, and says whether more is wanted.
type TakeChange<'a> = dyn FnMut(Nanos, &str, Value) -> Result<ControlFlow<()>, Failure> + Send + 'a;

/// Hands over each change of the lines of these names, where the recording has them, while more is wanted; gives how long
/// the recording is, as far as it was read.
pub(crate) fn each_change(
    mut recording: Recording,
    wanted: &[String],
    take: &mut TakeChange<'_>,
) -> Result<Nanos, Failure> {
    let known = recording.lines();
    let (mut bits, mut numbers) = (Vec::new(), Vec::new());
    for name in wanted {
        match (find_line(name, known), find_number(name, known)) {
            (Ok(signal), _) => bits.push((signal, name)),
            (_, Ok(signal)) => numbers.push((signal, name)),
            _ => tracing::warn!("{name} is not in the recording: it stays as it is"),
        }
    }
    let signals = |lines: &[(usize, &String)]| lines.iter().map(|(signal, _)| *signal).collect::<Vec<_>>();
    let names: Vec<&String> = bits.iter().chain(&numbers).map(|(_, name)| *name).collect();
    let (bits, numbers) = (signals(&bits), signals(&numbers));
    let mut of_lines = LineChanges::new(bits.len());
    let (mut worked_until, mut ended) = (Nanos(0), Ok(ControlFlow::Continue(())));
    let mut columns = LineSource::select(&mut recording, &bits, &numbers);
    recording.drive(&mut columns, &mut |lines, Advance { known_until }| {
        if worked_until >= known_until {
            return ControlFlow::Continue(());
        }
        worked_until = known_until;
        let window = lines.cut(known_until);
        for Change { time, line, value } in of_lines.of_window(lines) {
            let name = names.get(line).map(|name| name.as_str()).unwrap_or_default();
            ended = take(time, name, value);
            if !matches!(ended, Ok(ControlFlow::Continue(()))) {
                return ControlFlow::Break(());
            }
        }
        lines.advance(window);
        ControlFlow::Continue(())
    })?;
    ended.map(|_| LineSource::last_time(&recording))
}
