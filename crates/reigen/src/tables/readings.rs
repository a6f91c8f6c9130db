//! Tables of rates, widths and analog points, each number with the digits that its resolution supports.

use super::table;
use comfy_table::Table;
use reigen_core::analog::meter::AnalogSummary;
use reigen_core::rate::meter::RateSummary;
use reigen_core::rate::width::WidthSummary;
use reigen_core::time::Nanos;
use reigen_core::units::{resolved, significant};

/// The three tables in the making.
pub(super) struct Tables {
    rates: Table,
    widths: Table,
    analogs: Table,
}

impl Tables {
    pub(super) fn new() -> Self {
        Self {
            rates: table(&["rate", "now", "resolution", "mean", "least", "most", "readings", "stopped", "delay up to"]),
            widths: table(&["width", "now", "mean", "least", "most", "readings", "out of range", "lost"]),
            analogs: table(&["analog", "now", "recorded", "measured", "mean", "least", "most", "in fault"]),
        }
    }

    pub(super) fn rate(&mut self, name: &str, rate: &RateSummary) {
        // What the worst reading resolves is what a mean may claim.
        let resolution = rate.judgement.as_ref().map(|told| told.slowest_resolution.max(told.fastest_resolution));
        let shown = |value: Option<f64>| number(value, rate.resolution.or(resolution));
        self.rates.add_row([
            name.to_owned(),
            with_unit(shown(rate.last), &rate.unit),
            rate.resolution.map_or(String::new(), |step| format!("±{}", significant(step))),
            shown(rate.mean),
            shown(rate.min),
            shown(rate.max),
            rate.readings.to_string(),
            if rate.stopped { "yes" } else { "no" }.to_owned(),
            super::cells::time(rate.judgement.as_ref().map(|told| told.delay)),
        ]);
    }

    pub(super) fn width(&mut self, name: &str, width: &WidthSummary) {
        let shown = |value: Option<f64>| number(value, None);
        self.widths.add_row([
            name.to_owned(),
            with_unit(shown(width.last), &width.unit),
            shown(width.mean),
            shown(width.min),
            shown(width.max),
            width.readings.to_string(),
            width.out_of_range.to_string(),
            width.lost.to_string(),
        ]);
    }

    pub(super) fn analog(&mut self, name: &str, analog: &AnalogSummary) {
        let shown = |value: Option<f64>| number(value, None);
        self.analogs.add_row([
            name.to_owned(),
            with_unit(shown(analog.last), &analog.unit),
            shown(analog.recorded),
            shown(analog.measured),
            shown(analog.mean),
            shown(analog.min),
            shown(analog.max),
            if analog.fault == Nanos(0) { String::new() } else { analog.fault.to_string() },
        ]);
    }

    pub(super) fn done(self) -> [Table; 3] {
        [self.rates, self.widths, self.analogs]
    }
}

/// A number with the digits that its resolution supports, or else five; empty where there is none.
fn number(value: Option<f64>, resolution: Option<f64>) -> String {
    value.map_or(String::new(), |value| resolved(value, resolution))
}

fn with_unit(number: String, unit: &str) -> String {
    if number.is_empty() { number } else { format!("{number} {unit}").trim_end().to_owned() }
}
