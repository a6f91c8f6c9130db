//! `speed`: what a count is worth, and which method measures a speed best.

use super::{SizingError, SizingResult, contradiction};
use reigen_core::rate::judgement::count_in_gate;
use reigen_core::rate::step;
use reigen_core::units::{Hertz, Seconds, Speed, engineering, significant};

/// What a speed measurement is worked from.
#[derive(Debug, Clone, Copy)]
pub struct SpeedGiven {
    /// Pulses in one revolution.
    pub pulses_per_rev: f64,
    /// The slowest speed.
    pub from: Speed,
    /// The fastest speed.
    pub to: Speed,
    /// A gate time.
    pub window: Option<Seconds>,
    /// What one step of the clock that times periods is worth.
    pub tick: Seconds,
    /// A resolution that is wanted, in revolutions a minute.
    pub resolution_rpm: Option<f64>,
    /// How often a reading is wanted.
    pub update: Option<Seconds>,
    /// The highest frequency that the input takes.
    pub limit: Option<Hertz>,
}

/// Counting gives one count in the window; timing gives one tick in the time that is timed (reciprocal counting).
const FORMULAS: [&str; 4] = [
    "f = rpm · pulses / 60",
    "one count in a gate: 60 / (pulses · window) rpm",
    "one tick in the time of reading: rpm · tick / time",
    "timing is finer below f = 1 / √(window · tick) where one period is timed",
];

impl SpeedGiven {
    /// What a count is worth, where timing takes over, and the method for a wanted resolution.
    ///
    /// # Errors
    /// Where there are no pulses, or the speeds are the wrong way round.
    pub fn work(&self) -> Result<SizingResult, SizingError> {
        let pulses = self.pulses_per_rev;
        if pulses <= 0.0 || !pulses.is_finite() {
            return contradiction("`pulses_per_rev` must be above zero".to_owned());
        }
        let (slow, fast) = (self.from.pulses(pulses), self.to.pulses(pulses));
        if slow > fast {
            return contradiction(format!("the speeds are in the wrong order: from {} to {}", self.from, self.to));
        }
        let rpm = |words: f64| super::Amount::Plain(words, "rpm".to_owned());
        let mut worked = SizingResult::new("speed", &FORMULAS)
            .given("pulses_per_rev", "pulses a revolution", super::Amount::Plain(pulses, String::new()))
            .given("from", "from", self.from.to_string())
            .given("to", "to", self.to.to_string())
            .given_if("window_s", "gate window", self.window)
            .given("tick_s", "tick", self.tick)
            .given_if("wanted_resolution_rpm", "wanted resolution", self.resolution_rpm.map(rpm))
            .given_if("update_s", "a reading every", self.update)
            .given_if("limit_hz", "input takes", self.limit);
        worked.find("slowest_hz", "pulses at the slowest", slow);
        worked.find("fastest_hz", "pulses at the fastest", fast);
        if let Some(window) = self.window {
            worked.find("count_worth_rpm", "one count in the gate", rpm(count_in_gate(window.0) * 60.0 / pulses));
            let crossing = Hertz(1.0 / (window.0 * self.tick.0).sqrt());
            worked.find("timing_better_below_hz", "one timed period is finer below", crossing);
            worked.find("timing_better_below_rpm", "which is", rpm(crossing.0 * 60.0 / pulses));
        }
        worked.find("period_resolution_slow_rpm", "one timed period at the slowest", rpm(self.one_period(slow)));
        worked.find("period_resolution_fast_rpm", "one timed period at the fastest", rpm(self.one_period(fast)));
        if let Some(wanted) = self.resolution_rpm {
            self.choose(wanted, slow, fast, &mut worked);
        }
        if let Some(limit) = self.limit {
            let share = fast / limit;
            match share > 1.0 {
                true => {
                    worked.note(format!("{fast} is more than the {limit} that the input takes: pulses will be lost"))
                }
                false => worked.note(format!("{fast} is {} % of what the input takes", significant(share * 100.0))),
            }
        }
        Ok(worked)
    }

    /// What one tick is worth where one period is timed: f²·tick / (1 − f·tick), in rpm.
    fn one_period(&self, frequency: Hertz) -> f64 {
        step::resolution(frequency.0, self.tick.0, 1.0 / frequency.0) * 60.0 / self.pulses_per_rev
    }

    /// The method and window for a wanted resolution and update time.
    fn choose(&self, wanted: f64, slow: Hertz, fast: Hertz, worked: &mut SizingResult) {
        let gate = Seconds(60.0 / (self.pulses_per_rev * wanted));
        // The time over which pulses are timed so that one tick is worth no more than wanted at the fastest.
        let timed = Seconds(fast.0 * 60.0 / self.pulses_per_rev * self.tick.0 / wanted);
        worked.find("gate_window_s", "gate that is fine enough", gate);
        worked.find("timing_window_s", "timing that is fine enough takes", Seconds(timed.0.max(1.0 / fast.0)));
        let enough = |time: Seconds| self.update.is_none_or(|update| time <= update);
        let method = match (enough(gate), enough(timed)) {
            (true, _) if gate <= timed => "gate",
            (_, true) => "auto",
            (true, false) => "gate",
            (false, false) => "none",
        };
        worked.find("method", "method", method.to_owned());
        match (method, self.update) {
            ("none", Some(update)) => worked.note(format!(
                "neither is fine enough within {update}: wait longer, take a finer tick or more pulses a revolution"
            )),
            ("gate", _) => worked.note(format!("count over a gate of {}", engineering(gate.0, "s"))),
            _ => worked.note("time the pulses within each reading (reciprocal counting)"),
        }
        if let Some(update) = self.update.filter(|update| update.0 * slow.0 < 1.0) {
            worked.note(format!(
                "at {} a pulse comes every {}, so not every reading of {update} has a new one",
                self.from,
                engineering(1.0 / slow.0, "s")
            ));
        }
    }
}
