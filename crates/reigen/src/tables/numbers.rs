//! Tables of numbers that follow from numbers: registers, numbers, holds, figures while a bit is on, delays, analog outputs.

use super::cells;
use super::readings::{number, with_unit};
use crate::table_view::Table;
use reigen_core::analog::meter::NumberSummary;
use reigen_core::names::counted;
use reigen_core::number::analog_output::AnalogOutputSummary;
use reigen_core::number::delay::DelaySummary;
use reigen_core::number::hold::HoldSummary;
use reigen_core::number::register::RegisterSummary;
use reigen_core::number::sample_rate::SampleRateSummary;
use reigen_core::number::stats::StatsSummary;
use reigen_core::summary::PointSummary;
use reigen_core::time::Nanos;
use reigen_core::units::short_time;

/// The tables in the making.
pub(super) struct Tables {
    registers: Table,
    sample_rates: Table,
    numbers: Table,
    holds: Table,
    stats: Table,
    delays: Table,
    analog_outputs: Table,
}

fn shown(value: Option<f64>) -> String {
    number(value, None)
}

/// A time; empty where there is none of it.
fn if_any(time: Nanos) -> String {
    cells::time(Some(time).filter(|time| *time > Nanos(0)))
}

impl Tables {
    pub(super) fn new() -> Self {
        Self {
            registers: Table::new(&[
                "register",
                "count",
                "in units",
                "samples",
                "last step",
                "last raw",
                "wraps",
                "restarts",
                "left out",
            ]),
            sample_rates: Table::new(&["rate of samples", "now", "resolution", "mean", "min", "max", "readings"]),
            numbers: Table::new(&["number", "now", "mean", "least", "most", "in fault"]),
            holds: Table::new(&["hold", "held", "last", "least", "mean", "most", "spread", "without a value"]),
            stats: Table::new(&["figures", "stretches", "time on", "least", "mean", "most", "spread"]),
            delays: Table::new(&["delay", "answered", "shortest", "mean", "99 %", "longest", "unanswered", "pending"]),
            analog_outputs: Table::new(&[
                "analog output",
                "now",
                "state",
                "mean",
                "least",
                "most",
                "limited",
                "in fault",
            ]),
        }
    }

    pub(super) fn register(&mut self, name: &str, register: &RegisterSummary) {
        let whole = |number: Option<i64>| number.map_or(String::new(), |number| number.to_string());
        self.registers.add_row([
            name.to_owned(),
            whole(register.count),
            with_unit(shown(register.value), register.unit.as_deref().unwrap_or_default()),
            register.samples.to_string(),
            whole(register.delta),
            whole(register.raw),
            register.wraps.to_string(),
            register.resets.to_string(),
            register.ignored.to_string(),
        ]);
    }

    pub(super) fn sample_rate(&mut self, name: &str, rate: &SampleRateSummary) {
        let of = |value: Option<f64>| number(value, rate.resolution);
        self.sample_rates.add_row([
            name.to_owned(),
            with_unit(of(rate.last), &rate.unit),
            rate.resolution.map_or(String::new(), |step| format!("±{}", shown(Some(step)))),
            of(rate.mean),
            of(rate.min),
            of(rate.max),
            rate.readings.to_string(),
        ]);
    }

    pub(super) fn number(&mut self, name: &str, number: &NumberSummary) {
        let now = with_unit(shown(number.last), &number.unit);
        let range = [number.mean, number.min, number.max].map(shown);
        self.numbers.add_row([vec![name.to_owned(), now], range.to_vec(), vec![if_any(number.fault)]].concat());
    }

    pub(super) fn hold(&mut self, name: &str, hold: &HoldSummary) {
        self.holds.add_row([
            name.to_owned(),
            hold.count.to_string(),
            with_unit(shown(hold.last), &hold.unit),
            shown(hold.min),
            shown(hold.mean),
            shown(hold.max),
            shown(hold.spread),
            hold.without_value.to_string(),
        ]);
    }

    pub(super) fn stats(&mut self, name: &str, stats: &StatsSummary) {
        self.stats.add_row([
            name.to_owned(),
            stats.count.to_string(),
            short_time(stats.on),
            shown(stats.min),
            with_unit(shown(stats.mean), &stats.unit),
            shown(stats.max),
            shown(stats.spread),
        ]);
    }

    pub(super) fn delay(&mut self, name: &str, delay: &DelaySummary) {
        let times = [delay.min, delay.mean, delay.p99, delay.max].map(cells::time);
        let counts = [delay.missed, delay.pending].map(|number| number.to_string());
        let first = vec![name.to_owned(), delay.count.to_string()];
        self.delays.add_row([first, times.to_vec(), counts.to_vec()].concat());
    }

    pub(super) fn analog_output(&mut self, name: &str, output: &AnalogOutputSummary) {
        let first = vec![name.to_owned(), with_unit(shown(output.last), &output.unit), output.state.clone()];
        let range = [output.mean, output.min, output.max].map(shown);
        let times = [output.limited, output.fault].map(if_any);
        self.analog_outputs.add_row([first, range.to_vec(), times.to_vec()].concat());
    }

    pub(super) fn done(mut self) -> [Table; 7] {
        self.analog_outputs.left(2);
        [self.registers, self.sample_rates, self.numbers, self.holds, self.stats, self.delays, self.analog_outputs]
    }
}

/// What stands in one row of the overview: the value now, its least, mean and greatest, and what else there is to tell.
pub(crate) fn overview(summary: &PointSummary) -> Option<(String, [String; 3], String)> {
    let told = |parts: &[(u64, &str)]| {
        let parts = parts.iter().filter(|(number, _)| *number > 0);
        parts.map(|(number, word)| counted(*number, word)).collect::<Vec<_>>().join(", ")
    };
    let time = |time: Nanos, words: &str| match time {
        Nanos(0) => String::new(),
        time => format!("{} {words}", short_time(time)),
    };
    Some(match summary {
        PointSummary::Register(register) => {
            let count = register.count.map_or_else(|| "unknown".to_owned(), |count| count.to_string());
            let now = match register.value {
                Some(value) => with_unit(shown(Some(value)), register.unit.as_deref().unwrap_or_default()),
                None => count,
            };
            let rest = [
                (register.samples, "sample"),
                (register.wraps, "wrap"),
                (register.resets, "restart"),
                (register.ignored, "strange sample"),
            ];
            (now, [const { String::new() }; 3], told(&rest))
        }
        PointSummary::SampleRate(rate) => {
            let of = |value: Option<f64>| number(value, rate.resolution);
            (with_unit(of(rate.last), &rate.unit), [rate.min, rate.mean, rate.max].map(of), String::new())
        }
        PointSummary::Number(number) => {
            let now = with_unit(shown(number.last), &number.unit);
            (now, [number.min, number.mean, number.max].map(shown), time(number.fault, "in fault"))
        }
        PointSummary::Hold(hold) => {
            let rest = format!("{} held, {} apart", hold.count, shown(hold.spread));
            let rest = if hold.count == 0 { "nothing held".to_owned() } else { rest };
            (with_unit(shown(hold.last), &hold.unit), [hold.min, hold.mean, hold.max].map(shown), rest)
        }
        PointSummary::Stats(stats) => {
            let now = with_unit(shown(stats.mean), &stats.unit);
            let rest = format!("{}, {} in all", counted(stats.count, "time"), short_time(stats.on));
            (now, [stats.min, stats.mean, stats.max].map(shown), rest)
        }
        PointSummary::Delay(delay) => {
            let rest = [(delay.count, "answer"), (delay.missed, "missing answer"), (delay.pending, "pending answer")];
            (cells::time(delay.last), [delay.min, delay.mean, delay.max].map(cells::time), told(&rest))
        }
        PointSummary::AnalogOutput(output) => {
            let range = [output.min, output.mean, output.max].map(shown);
            let rest = [time(output.limited, "limited"), time(output.fault, "in fault")];
            let rest: Vec<String> = rest.into_iter().filter(|words| !words.is_empty()).collect();
            (with_unit(shown(output.last), &output.unit), range, rest.join(", "))
        }
        _ => return None,
    })
}
