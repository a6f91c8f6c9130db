//! What a device does, by a recording: each change of its lines, in the order of time.

use crate::failure::Failure;
use reigen_core::change::{Change, Value};
use reigen_core::lines::LineColumns;
use reigen_core::time::{Nanos, Window};
use reigen_io::recording::Recording;
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
    let (mut failure, mut begun) = (None, vec![false; bits.len()]);
    let end = read_through(&mut recording, (&bits, &numbers), Stretch::default(), &mut |_: Window, lines| {
        for Change { time, line, value } in changes(lines, &mut begun) {
            let name = names.get(line).map(|name| name.as_str()).unwrap_or_default();
            failure = failure.take().or_else(|| take(time, name, value).err());
        }
    })?;
    failure.map_or(Ok(end), Err)
}

/// What lines do in a window, in the order of time.
fn changes(lines: &LineColumns, begun: &mut [bool]) -> Vec<Change> {
    let mut changes = Vec::new();
    for (line, (column, begun)) in lines.bits().iter().zip(begun.iter_mut()).enumerate() {
        let Some(mut level) = column.level else { continue };
        if !std::mem::replace(begun, true) {
            changes.push(Change { time: column.since, line, value: Value::Level(level) });
        }
        for &time in &column.toggles {
            level = !level;
            changes.push(Change { time, line, value: Value::Level(level) });
        }
    }
    for (number, column) in lines.readings().iter().enumerate() {
        let line = lines.bits().len() + number;
        let values = column.times.iter().zip(&column.values);
        changes.extend(values.map(|(&time, &value)| Change { time, line, value: Value::Number(value) }));
    }
    changes.sort_by_key(|change| change.time);
    changes
}
