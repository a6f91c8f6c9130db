//! Tables of encoders, rates, widths and analog points, each number with the digits that its resolution supports.

use crate::table_view::Table;
use reigen_core::analog::meter::AnalogSummary;
use reigen_core::count::encoder::summary::EncoderSummary;
use reigen_core::rate::meter::RateSummary;
use reigen_core::rate::width::WidthSummary;
use reigen_core::time::Nanos;
use reigen_core::units::{resolved, significant, significant_to};

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

    pub(crate) fn encoder(&mut self, name: &str, encoder: &EncoderSummary) {
        let unknown = || "unknown".to_owned();
        let spread = encoder.zero_spread().map_or(String::new(), |spread| format!(", {spread} apart"));
        let homed = format!("{}×{spread}", encoder.homings.len());
        self.encoders.add_row([
            name.to_owned(),
            position_in_units(encoder),
            encoder.position.map_or_else(unknown, |position| position.to_string()),
            with_unit(number(encoder.speed, None), &per_second(&encoder.unit)),
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
            super::cells::time(encoder.slowest_scan),
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

    pub(crate) fn rate(&mut self, name: &str, rate: &RateSummary) {
        let [now, min, mean, max] = rate_cells(rate);
        self.rates.add_row([
            name.to_owned(),
            now,
            resolution_that_shows(rate),
            uneven(rate),
            mean,
            min,
            max,
            rate.readings.to_string(),
            if rate.stopped { "yes" } else { "no" }.to_owned(),
            super::cells::time(rate.judgement.as_ref().map(|told| told.delay)),
        ]);
    }

    pub(crate) fn width(&mut self, name: &str, width: &WidthSummary) {
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

    pub(crate) fn analog(&mut self, name: &str, analog: &AnalogSummary) {
        let shown = |value: Option<f64>| number(value, None);
        self.analogs.add_row([
            name.to_owned(),
            with_unit(shown(analog.last), &analog.unit),
            shown(analog.recorded),
            shown(analog.measured),
            shown(analog.mean),
            shown(analog.min),
            shown(analog.max),
            super::cells::time(Some(analog.fault).filter(|fault| *fault > Nanos(0))),
        ]);
    }

    pub(crate) fn done(self) -> [Table; 5] {
        [self.encoders, self.phases, self.rates, self.widths, self.analogs]
    }
}

/// A number with the digits that its resolution supports, and four at most; empty where there is none.
pub(crate) fn number(value: Option<f64>, resolution: Option<f64>) -> String {
    let of_four = |value: f64| 10f64.powf(value.abs().log10().floor() - 3.0);
    let step = |value: f64| resolution.filter(|step| *step > of_four(value));
    value.map_or(String::new(), |value| match step(value) {
        Some(step) => resolved(value, Some(step)),
        None => significant_to(value, 4),
    })
}

/// A rate's last reading with its unit, and its least, mean and greatest.
pub(crate) fn rate_cells(rate: &RateSummary) -> [String; 4] {
    // What the worst reading resolves is what a mean may claim.
    let worst = rate.judgement.as_ref().map(|told| told.slowest_resolution.max(told.fastest_resolution));
    let shown = |value: Option<f64>| number(value, rate.resolution.or(worst));
    let now = format!("{}{}", if rate.bound { "≤ " } else { "" }, with_unit(shown(rate.last), &rate.unit));
    [now, shown(rate.min), shown(rate.mean), shown(rate.max)]
}

/// What one step of a reading is worth, where that is more than a hundredth of it.
pub(crate) fn resolution_that_shows(rate: &RateSummary) -> String {
    const SHOWS: f64 = 0.01;
    let largest =
        [rate.last, rate.mean, rate.max].into_iter().flatten().fold(0.0, |most: f64, value| most.max(value.abs()));
    let step = rate.resolution.filter(|step| *step > largest * SHOWS);
    step.map_or(String::new(), |step| format!("±{}", significant(step)))
}

/// The unit of a speed.
fn per_second(unit: &str) -> String {
    if unit.is_empty() { "/s".to_owned() } else { format!("{unit}/s") }
}

/// An encoder's position in its unit, as finely as one count moves it.
pub(crate) fn position_in_units(encoder: &EncoderSummary) -> String {
    let count = encoder.value.zip(encoder.position).filter(|(_, position)| *position != 0);
    let step = count.map(|(value, position)| (value / position as f64).abs());
    with_unit(encoder.value.map_or_else(String::new, |value| resolved(value, step)), &encoder.unit)
}

pub(crate) fn with_unit(number: String, unit: &str) -> String {
    if number.is_empty() { number } else { format!("{number} {unit}").trim_end().to_owned() }
}

/// How much single periods differ since the wheel's marks are uneven, where that shows.
fn uneven(rate: &RateSummary) -> String {
    const SHOWS: f64 = 0.1;
    let percent = rate.wheel.as_ref().map(|wheel| wheel.unrest_percent * (wheel.from_wheel_percent / 100.0).sqrt());
    percent.filter(|percent| *percent >= SHOWS).map_or(String::new(), |percent| format!("{} %", significant(percent)))
}
