//! `reigen chain`: what a shift-register chain sends, before anything is known of it.

use crate::cli::ChainArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::reading;
use crate::reading::{read_through, refuse_line};
use crate::table_view::Table;
use crate::tables::cells;
use crate::views::survey;
use reigen_core::cast;
use reigen_core::expand::chain::{Chain, ChainReader, EdgeMargins};
use reigen_core::expand::frames::ChainColumns;
use reigen_core::measure::kind::Kind;
use reigen_core::names::{counted, is_point_name};
use reigen_core::time::{Nanos, Origin, place};
use reigen_io::recording::Recording;
use reigen_run::stretch::Stretch;
use reigen_station::station::line_names::find_line;
use serde::Serialize;

/// The whole result.
#[derive(Debug, Serialize)]
struct ChainReport<'a> {
    load: &'a str,
    clock: &'a str,
    data: &'a str,
    #[serde(flatten)]
    chain: &'a Chain,
    #[serde(skip_serializing_if = "Option::is_none")]
    registers: Option<&'a Vec<Vec<String>>>,
}

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
    let surveyed = survey::survey(recording, stretch, &[])?;
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
    let end = read_through(recording, (&signals, &[]), stretch, &mut |lines| {
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

fn margins(margins: EdgeMargins) -> String {
    let time = |time: Option<Nanos>| time.map_or("unknown".to_owned(), |time| time.to_string());
    format!("set-up {}, hold {}", time(margins.set_up), time(margins.hold))
}

fn print(told: &ChainReport<'_>, origin: Origin, out: &mut Out) -> Result<(), Failure> {
    let ChainReport { load, clock, data, chain, registers } = told;
    out.line(format!("load {load}, clock {clock}, data {data}"))?;
    out.line("")?;
    let mut facts = Table::new(&["found", ""]);
    let chips = match chain.bits % 8 {
        0 => format!(" = {} of 8", counted(chain.bits / 8, "register")),
        _ => ", which is not a multiple of 8".to_owned(),
    };
    let doubt = if chain.sure { "" } else { ": not certain from this data" };
    let rest = if chain.clock_rests_high { "high" } else { "low" };
    facts.add_row(["bits of a frame".to_owned(), format!("{}{chips}", chain.bits)]);
    facts.add_row(["frames".to_owned(), chain.frames.to_string()]);
    facts.add_row(["clock".to_owned(), format!("rests {rest}, an edge every {}", cells::time(chain.clock_step))]);
    facts.add_row(["read at".to_owned(), format!("{} clocks, SPI mode {}{doubt}", chain.sample, chain.spi_mode)]);
    facts.add_row(["at rising clocks".to_owned(), margins(chain.rising)]);
    facts.add_row(["at falling clocks".to_owned(), margins(chain.falling)]);
    if let Some([mean, min, max]) = chain.period_ns {
        let time = |nanos: f64| Nanos(cast::u64_from_f64(nanos)).to_string();
        facts.add_row(["polled every".to_owned(), format!("{}, from {} to {}", time(mean), time(min), time(max))]);
    }
    facts.add_row(["a frame takes".to_owned(), chain.frame.to_string()]);
    facts.add_row(["load low for".to_owned(), format!("{} at least", cells::time(chain.shortest_load))]);
    facts.left(1);
    out.table(&facts)?;
    if chain.odd_frames > 0 {
        let other = chain.lengths.iter().filter(|(clocks, _)| **clocks != chain.bits);
        let other: Vec<String> =
            other.map(|(clocks, frames)| format!("{} of {clocks}", counted(*frames, "frame"))).collect();
        out.line(format!(
            "\n{} had a different number of clocks: {}",
            counted(chain.odd_frames, "frame"),
            other.join(", ")
        ))?;
    }
    let mut bits = Table::new(&["bit that changed", "first at", "register", "input", "at rest", "changes"]);
    for bit in &chain.changed {
        bits.add_row([
            bit.place.to_string(),
            place(origin.file_time_ns(bit.first_change)),
            bit.chip.to_string(),
            format!("D{}", bit.pin),
            if bit.at_rest_high { "high" } else { "low" }.to_owned(),
            bit.changes.to_string(),
        ]);
    }
    out.line("")?;
    match chain.changed.is_empty() {
        true => out.line("no bit ever changed: press the switches one after another while recording")?,
        false => out.table(&bits)?,
    }
    let Some(registers) = registers else { return Ok(()) };
    out.line("\n[expander.chain]")?;
    out.line(format!(
        "load = \"{load}\"\nclock = \"{clock}\"\ndata = \"{data}\"\nsample = \"{}\"\nregisters = [",
        chain.sample
    ))?;
    for chip in *registers {
        let names: Vec<String> = chip.iter().map(|name| format!("\"{name}\"")).collect();
        out.line(format!("    [{}],", names.join(", ")))?;
    }
    let low = chain.changed.iter().filter(|bit| bit.at_rest_high).count() * 2 > chain.changed.len();
    out.line(format!("]\nasserted = \"{}\"", if low { "low" } else { "high" }))
}
