//! Which pulses a slower scan or a chain would miss.

use crate::failure::Failure;
use crate::print::Out;
use crate::table_view::Table;
use indexmap::IndexMap;
use reigen_core::measure::polling::Missed;
use reigen_core::time::Nanos;
use reigen_core::units::significant;
use serde::Serialize;

/// The whole result.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct PollingReport {
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) period_ns: Option<Nanos>,
    /// How many equal readings in a row a pulse takes to be seen.
    pub(crate) readings: u32,
    /// By their names.
    pub(crate) inputs: IndexMap<String, PolledInput>,
}

/// What is told of one input.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct PolledInput {
    /// The times for which it is on, from beginning to end.
    pub(crate) pulses: usize,
    /// The slowest period that misses none, whatever the phase.
    pub(crate) slowest_period_ns: Option<Nanos>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) missed: Option<Missed>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(crate) sweep: Vec<Swept>,
}

/// What is missed at one period of a sweep.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct Swept {
    pub(crate) period_ns: Nanos,
    /// The mean number of pulses missed, over all phases.
    pub(crate) mean_missed: f64,
    /// The same as a share of all pulses.
    pub(crate) share: f64,
}

/// Prints it.
pub(crate) fn print(told: &PollingReport, periods: &[Nanos], out: &mut Out) -> Result<(), Failure> {
    let active: Vec<(&String, &PolledInput)> = told.inputs.iter().filter(|(_, input)| input.pulses > 0).collect();
    let time = |time: Option<Nanos>| time.map_or(String::new(), |time| time.to_string());
    if let Some(period) = told.period_ns {
        let readings = match told.readings {
            1 => String::new(),
            readings => format!(", {readings} equal readings in a row"),
        };
        out.line(format!("read every {period}{readings}, at any phase; a pulse is one time that the input is on:"))?;
        out.line("")?;
        let mut rows = Table::new(&[
            "input",
            "pulses",
            "missed: best",
            "mean",
            "worst",
            "phases that miss",
            "edges missed",
            "with catch",
            "slowest that misses none",
        ]);
        for (name, input) in &active {
            let Some(missed) = &input.missed else { continue };
            rows.add_row([
                (*name).clone(),
                input.pulses.to_string(),
                missed.best.to_string(),
                significant(missed.mean),
                missed.worst.to_string(),
                format!("{} %", significant(missed.phases_that_miss * 100.0)),
                format!("{} to {}", missed.edges_best, missed.edges_worst),
                match told.readings {
                    1 => format!("{} at worst", missed.worst_with_catch),
                    _ => String::new(),
                },
                time(input.slowest_period_ns),
            ]);
        }
        out.table(&rows)?;
        let still = told.inputs.len() - active.len();
        if still > 0 {
            out.line(format!("{still} more inputs have no pulse in this recording"))?;
        }
        out.line(format!("\nan edge is seen up to {period} late, half of that on average"))?;
    }
    if !periods.is_empty() {
        let names = active.iter().map(|(name, _)| name.as_str());
        let header: Vec<&str> = std::iter::once("read every").chain(names).collect();
        let mut rows = Table::new(&header);
        for (number, period) in periods.iter().enumerate() {
            let shares = active.iter().map(|(_, input)| {
                let share = input.sweep.get(number).map_or(0.0, |swept| swept.share);
                if share == 0.0 { "-".to_owned() } else { format!("{} %", significant(share * 100.0)) }
            });
            rows.add_row(std::iter::once(period.to_string()).chain(shares));
        }
        out.line("share of pulses missed, mean of all phases; a pulse is one time that the input is on:\n")?;
        out.table(&rows)?;
    }
    Ok(())
}
