//! Tables of encoders, rates, widths and analog points, each number with the digits that its resolution supports.

use crate::table_view::Table;
use reigen_core::analog::meter::AnalogSummary;
use reigen_core::count::encoder::summary::EncoderSummary;
use reigen_core::rate::meter::RateSummary;
use reigen_core::rate::width::WidthSummary;
use reigen_core::time::Nanos;
use reigen_core::units::{resolved, significant};

/// The three tables in the making.
pub(super) struct Tables {
    encoders: Table,
    phases: Table,
    rates: Table,
    widths: Table,
    analogs: Table,
}

impl Tables {
    pub(super) fn new() -> Self {
        Self {
            encoders: Table::new(&[
                "encoder",
                "now",
                "position",
                "speed",
                "up",
                "down",
                "reversals",
                "marks",
                "illegal",
                "homed",
                "slowest scan",
            ]),
            phases: Table::new(&[
                "channels",
                "turning",
                "cycles",
                "phase",
                "from",
                "to",
                "A high",
                "B high",
                "closest edges",
            ]),
            rates: Table::new(&[
                "rate",
                "now",
                "resolution",
                "marks differ by",
                "mean",
                "min",
                "max",
                "readings",
                "stopped",
                "delay up to",
            ]),
            widths: Table::new(&["width", "now", "mean", "least", "most", "readings", "out of range", "lost"]),
            analogs: Table::new(&["analog", "now", "recorded", "measured", "mean", "least", "most", "in fault"]),
        }
    }

    pub(super) fn encoder(&mut self, name: &str, encoder: &EncoderSummary) {
        let unknown = || "unknown".to_owned();
        let spread = encoder.zero_spread().map_or(String::new(), |spread| format!(", {spread} apart"));
        let homed = format!("{}×{spread}", encoder.homings.len());
        self.encoders.add_row([
            name.to_owned(),
            encoder.value.map_or_else(String::new, |value| with_unit(resolved(value, None), &encoder.unit)),
            encoder.position.map_or_else(unknown, |position| position.to_string()),
            encoder
                .speed
                .map_or_else(String::new, |speed| with_unit(resolved(speed, None), &per_second(&encoder.unit))),
            encoder.forward.to_string(),
            encoder.backward.to_string(),
            encoder.reversals.to_string(),
            encoder.index_marks.to_string(),
            encoder.illegal.to_string(),
            match (encoder.wants_zero, encoder.homed) {
                (false, _) => "",
                (true, true) => homed.as_str(),
                (true, false) => "no",
            }
            .to_owned(),
            encoder.slowest_scan.map_or(String::new(), |time| time.to_string()),
        ]);
        for phase in encoder.phase.iter().filter(|phase| phase.from_hz.is_none()) {
            let degrees = |degrees: f64| format!("{degrees:.1}°");
            self.phases.add_row([
                name.to_owned(),
                if phase.forward { "forward" } else { "backward" }.to_owned(),
                phase.cycles.to_string(),
                degrees(phase.phase_degrees),
                degrees(phase.least_phase_degrees),
                degrees(phase.most_phase_degrees),
                format!("{:.1} %", phase.duty_a * 100.0),
                format!("{:.1} %", phase.duty_b * 100.0),
                degrees(phase.closest_degrees),
            ]);
        }
    }

    pub(super) fn rate(&mut self, name: &str, rate: &RateSummary) {
        // What the worst reading resolves is what a mean may claim.
        let resolution = rate.judgement.as_ref().map(|told| told.slowest_resolution.max(told.fastest_resolution));
        let shown = |value: Option<f64>| number(value, rate.resolution.or(resolution));
        self.rates.add_row([
            name.to_owned(),
            format!("{}{}", if rate.bound { "≤ " } else { "" }, with_unit(shown(rate.last), &rate.unit)),
            rate.resolution.map_or(String::new(), |step| format!("±{}", significant(step))),
            uneven(rate),
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

    pub(super) fn done(self) -> [Table; 5] {
        [self.encoders, self.phases, self.rates, self.widths, self.analogs]
    }
}

/// A number with the digits that its resolution supports, or else five; empty where there is none.
fn number(value: Option<f64>, resolution: Option<f64>) -> String {
    value.map_or(String::new(), |value| resolved(value, resolution))
}

/// The unit of a speed.
fn per_second(unit: &str) -> String {
    if unit.is_empty() { "/s".to_owned() } else { format!("{unit}/s") }
}

fn with_unit(number: String, unit: &str) -> String {
    if number.is_empty() { number } else { format!("{number} {unit}").trim_end().to_owned() }
}

/// How much single periods differ since the wheel's marks are uneven, where that shows.
fn uneven(rate: &RateSummary) -> String {
    const SHOWS: f64 = 0.1;
    let percent = rate.wheel.as_ref().map(|wheel| wheel.unrest_percent * (wheel.from_wheel_percent / 100.0).sqrt());
    percent.filter(|percent| *percent >= SHOWS).map_or(String::new(), |percent| format!("{} %", significant(percent)))
}
