//! The levels at which an input switches.

use crate::cli::LevelsArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::table_view::Table;
use reigen_core::measure::levels::{Threshold, Thresholds};
use reigen_core::names::counted;
use reigen_core::units::significant;
use serde::Serialize;

/// The thresholds as JSON.
#[derive(Serialize, schemars::JsonSchema)]
pub(crate) struct Json<'a> {
    #[serde(flatten)]
    pub(crate) thresholds: &'a Thresholds,
    pub(crate) reference: Option<f64>,
    /// The lines for a card's inputs.
    pub(crate) toml: Option<String>,
}

/// Prints them.
pub(crate) fn print(arguments: &LevelsArguments, thresholds: &Thresholds, out: &mut Out) -> Result<(), Failure> {
    let Thresholds { rising, falling, hysteresis, uncertainty, chattering_ramps, chatter_edges } = thresholds;
    out.line(format!("{} switches by {}:", arguments.digital, arguments.analog))?;
    let mut rows = Table::new(&["", "ramps", "mean", "min", "max", "spread"]);
    for (name, threshold) in [("goes high at", rising), ("goes low at", falling)] {
        let Some(Threshold { edges, mean, least, most, spread }) = threshold else {
            rows.add_row([name, "0"]);
            continue;
        };
        let [mean, least, most, spread] = [mean, least, most, spread].map(|value| significant(*value));
        rows.add_row([name.to_owned(), edges.to_string(), mean, least, most, spread]);
    }
    out.line("")?;
    out.table(&rows)?;
    match hysteresis {
        Some(hysteresis) => out.line(format!("\nhysteresis {}", significant(*hysteresis)))?,
        None => out.line("\nit does not switch both ways: ramp the voltage up and down while recording")?,
    }
    if let Some(uncertainty) = uncertainty {
        out.line(format!(
            "each threshold ±{}: the ramp moves that far between two readings of the input",
            significant(*uncertainty)
        ))?;
    }
    if thresholds.is_uncertain() {
        out.line("warning: that is more than a tenth of the hysteresis: use a slower ramp, or read the input faster")?;
    }
    if *chattering_ramps > 0 {
        out.line(format!(
            "it chattered on {}, with {} extra: noise on the ramp, or too little hysteresis",
            counted(*chattering_ramps, "ramp"),
            counted(*chatter_edges, "edge")
        ))?;
    }
    if hysteresis.is_some_and(|hysteresis| hysteresis < 0.0) {
        out.line("it goes high below where it goes low: the ramp is too fast for the input, or the line is inverted")?;
    }
    if let (Some(reference), Some(mean)) = (arguments.reference, mean(thresholds)) {
        let off = (mean / reference - 1.0) * 100.0;
        out.line(format!("middle {}, against {}: {} %", significant(mean), significant(reference), significant(off)))?;
    }
    match thresholds.toml() {
        Some(toml) => out.line(format!("\nto paste into the card's inputs:\n{toml}")),
        None => Ok(()),
    }
}

/// The middle between both thresholds.
fn mean(thresholds: &Thresholds) -> Option<f64> {
    Some((thresholds.rising.as_ref()?.mean + thresholds.falling.as_ref()?.mean) / 2.0)
}
