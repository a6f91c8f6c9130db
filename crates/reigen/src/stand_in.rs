//! What a device does, by a recording: each change of its lines, in the order of time.

use crate::failure::Failure;
use reigen_core::change::{Change, Value};
use reigen_core::time::{Nanos, Window};
use reigen_io::recording::Recording;
use reigen_run::line_changes::LineChanges;
use reigen_run::measure::read_through;
use reigen_run::stretch::Stretch;
use reigen_station::station::line_names::{find_line, find_number};

/// What takes each change.
type TakeChange<'a> = dyn FnMut(Nanos, &str, Value) -> Result<(), Failure> + Send + 'a;

/// Hands over each change of the lines of these names, where the recording has them; gives how long that is.
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
    let (mut failure, mut of_lines) = (None, LineChanges::new(bits.len()));
    let end = read_through(&mut recording, (&bits, &numbers), Stretch::default(), &mut |_: Window, lines| {
        for Change { time, line, value } in of_lines.of_window(lines) {
            let name = names.get(line).map(|name| name.as_str()).unwrap_or_default();
            failure = failure.take().or_else(|| take(time, name, value).err());
        }
    })?;
    failure.map_or(Ok(end), Err)
}
