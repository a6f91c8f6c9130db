//! What was found of a shift-register chain.

use crate::failure::Failure;
use crate::print::Out;
use crate::table_view::Table;
use crate::tables::cells;
use reigen_core::cast;
use reigen_core::expand::chain::{Chain, EdgeMargins};
use reigen_core::names::counted;
use reigen_core::time::{Nanos, Origin, place};
use serde::Serialize;

/// The whole result.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct ChainReport<'a> {
    pub(crate) load: &'a str,
    pub(crate) clock: &'a str,
    pub(crate) data: &'a str,
    #[serde(flatten)]
    pub(crate) chain: &'a Chain,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) registers: Option<&'a Vec<Vec<String>>>,
}

fn margins(margins: EdgeMargins) -> String {
    let time = |time: Option<Nanos>| time.map_or("unknown".to_owned(), |time| time.to_string());
    format!("set-up {}, hold {}", time(margins.set_up), time(margins.hold))
}

/// Prints what was found.
pub(crate) fn print(told: &ChainReport<'_>, origin: Origin, out: &mut Out) -> Result<(), Failure> {
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
        let spread = match time(min) == time(max) {
            true => String::new(),
            false => format!(", from {} to {}", time(min), time(max)),
        };
        facts.add_row(["polled every".to_owned(), format!("{}{spread}", time(mean))]);
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
