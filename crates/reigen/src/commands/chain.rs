//! `reigen chain`: what a shift-register chain sends, before anything is known of it.

use crate::cli::ChainArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::reading;
use crate::reading::{read_through, refuse_line};
use crate::views::chain::{ChainReport, print};
use crate::views::survey;
use reigen_core::expand::chain::{Chain, ChainReader};
use reigen_core::expand::frames::ChainColumns;
use reigen_core::measure::kind::Kind;
use reigen_core::names::is_point_name;
use reigen_core::time::{Origin, place};
use reigen_io::recording::Recording;
use reigen_run::stretch::Stretch;
use reigen_station::station::line_names::find_line;

/// Runs the command.
pub(crate) fn run(arguments: &ChainArguments, out: &mut Out) -> Result<(), Failure> {
    check_names(&arguments.pressed)?;
    let sources = reading::reopenable(&arguments.recording)?;
    let names = match (&arguments.load, &arguments.clock, &arguments.data) {
        (Some(load), Some(clock), Some(data)) => [load.clone(), clock.clone(), data.clone()],
        _ => found(arguments, reading::open_sources(&sources, &arguments.recording)?)?,
    };
    let mut recording = reading::open_sources(&sources, &arguments.recording)?;
    let origin = recording.origin();
    let stretch = reading::stretch(&arguments.recording.span, &recording)?;
    let chain = read(&mut recording, stretch, &names)?;
    let registers = match arguments.pressed.is_empty() {
        true => None,
        false => Some(chain.registers(&arguments.pressed).map_err(|error| Failure::Usage {
            message: format!("--pressed: {error}"),
            help: pressed_help(&chain, origin),
        })?),
    };
    let [load, clock, data] = names.each_ref().map(String::as_str);
    let told = ChainReport { load, clock, data, chain: &chain, registers: registers.as_ref() };
    match arguments.json {
        true => out.json(&told),
        false => print(&told, origin, out),
    }
}

fn check_names(pressed: &[String]) -> Result<(), Failure> {
    let refuse = |message: String| Failure::Usage {
        message: format!("--pressed: {message}"),
        help: "point names, separated by commas, each once".to_owned(),
    };
    for (number, name) in pressed.iter().enumerate() {
        if !is_point_name(name) {
            return Err(refuse(format!("`{name}` is not a valid point name")));
        }
        if pressed.iter().take(number).any(|earlier| earlier == name) {
            return Err(refuse(format!("`{name}` is listed twice")));
        }
    }
    Ok(())
}

/// The lines of the chain, as a survey finds them.
fn found(arguments: &ChainArguments, recording: Recording) -> Result<[String; 3], Failure> {
    let stretch = reading::stretch(&arguments.recording.span, &recording)?;
    let name = recording.name().to_owned();
    let surveyed = survey::survey(recording, stretch, &[], None)?;
    let wires = ["load", "clock", "data"].map(|wanted| {
        let lines = surveyed
            .lines()
            .iter()
            .filter(|line| matches!(line.guess.kind, Kind::Chain { wire, .. } if wire == wanted));
        lines.map(|line| line.name.clone()).collect::<Vec<_>>()
    });
    match wires.each_ref().map(Vec::as_slice) {
        [[load], [clock], [data]] => Ok([load.clone(), clock.clone(), data.clone()]),
        _ => {
            let seen: Vec<String> = wires.concat();
            let message = match seen.is_empty() {
                true => format!("no line of {name} looks like that of a chain"),
                false if wires.iter().all(|lines| lines.len() <= 1) => {
                    let known = seen.join(" and ");
                    format!("of a chain there is only {known} in {name}: no data line changes with the clock")
                }
                false => format!("more than one chain may be there: {}", seen.join(", ")),
            };
            let help = "name its lines with --load, --clock and --data; `reigen survey` lists them".to_owned();
            Err(Failure::Usage { message, help })
        }
    }
}

/// Reads the chain's frames at both edges of the clock.
fn read(recording: &mut Recording, stretch: Stretch, names: &[String; 3]) -> Result<Chain, Failure> {
    let mut signals = Vec::new();
    for (option, name) in ["--load", "--clock", "--data"].iter().zip(names) {
        let signal = find_line(name, recording.lines()).map_err(|kind| refuse_line(option, &kind))?;
        if signals.contains(&signal) {
            return Err(Failure::Usage {
                message: format!("{option}: `{name}` stands for a line that is named already"),
                help: "load, clock and data are three lines".to_owned(),
            });
        }
        signals.push(signal);
    }
    let mut reader: Option<ChainReader> = None;
    let end = read_through(recording, (&signals, &[]), stretch, &mut |_, lines| {
        let [load, clock, data] = lines.bits() else { return };
        let columns = ChainColumns { load, clock, data, inhibit: None };
        // Edges before all lines have a level belong to no frame.
        let Some((start, levels)) = columns.start() else { return };
        let after = reader.is_none().then_some(start);
        reader.get_or_insert_with(|| ChainReader::new(levels)).work(columns.edges(after));
    })?;
    reader.and_then(|reader| reader.finish(end)).ok_or_else(|| Failure::Usage {
        message: format!(
            "no frame ends: {} never goes high and low again",
            names.first().map_or("load", String::as_str)
        ),
        help: "load is low while the registers take their inputs, and high while they are read".to_owned(),
    })
}

fn pressed_help(chain: &Chain, origin: Origin) -> String {
    let changed: Vec<String> = chain
        .changed
        .iter()
        .map(|bit| format!("register {} D{} at {}", bit.chip, bit.pin, place(origin.file_time_ns(bit.first_change))))
        .collect();
    match changed.is_empty() {
        true => "press the switches one after another while recording".to_owned(),
        false => format!("in the order of their first change: {}", changed.join(", ")),
    }
}
