//! `loop`: 4–20 mA and its relatives, to units and back.

use super::{Amount, SizingError, SizingResult, contradiction, needs};
use reigen_core::analog::signal::Signal;
use reigen_core::cast;
use reigen_core::units::{Amperes, Ohms, Share, Volts, Watts};

fn amount(signal: Signal, value: f64) -> Amount {
    Amount::Exact(value, if signal.is_current { "A" } else { "V" })
}

/// What is known of the signal.
#[derive(Debug, Clone, Copy)]
pub enum KnownEnd {
    /// The current.
    Current(Amperes),
    /// The voltage.
    Voltage(Volts),
    /// The value in units.
    Units(f64),
    /// The counts of a converter.
    Counts(f64),
}

/// What a loop is worked from.
#[derive(Debug, Clone)]
pub struct Loop {
    /// The signal.
    pub signal: Signal,
    /// The units at its two ends.
    pub units: (f64, f64),
    /// What is known.
    pub known: KnownEnd,
    /// The resistor that makes a voltage of a current.
    pub shunt: Option<Ohms>,
    /// How far that resistor may be off.
    pub tolerance: Share,
    /// The counts of the converter at full scale, and the voltage there.
    pub converter: Option<(f64, Volts)>,
}

/// Fault and measuring limits of NAMUR recommendation NE 43, in milliamperes.
const NE43_FAULT: (f64, f64) = (3.6, 21.0);
const NE43_MEASURING: (f64, f64) = (3.8, 20.5);

/// A straight line through two points (IEC 60381); limits by NE 43.
const FORMULAS: [&str; 3] = [
    "units = low + (signal − start) / (end − start) · (high − low)",
    "shunt voltage = current · shunt",
    "counts = voltage · full / span",
];

impl Loop {
    /// The signal in every form that can be worked out.
    ///
    /// # Errors
    /// Where the units are both the same, a current is given for a voltage, or counts without a converter.
    pub fn work(&self) -> Result<SizingResult, SizingError> {
        let (low, high) = self.units;
        if low == high || !low.is_finite() || !high.is_finite() {
            return contradiction("the units at both ends are the same: they tell nothing".to_owned());
        }
        if self.converter.is_some_and(|(full, span)| full <= 0.0 || span.0 <= 0.0) {
            return contradiction("a converter has counts and a span above zero".to_owned());
        }
        let value = self.value()?;
        let mut worked = SizingResult::new("loop", &FORMULAS)
            .given("signal", "signal", self.signal.to_string())
            .given("units_low", "units at its start", Amount::Plain(low, String::new()))
            .given("units_high", "units at its end", Amount::Plain(high, String::new()))
            .given_if("shunt_ohm", "shunt", self.shunt)
            .given_if("full_counts", "counts at full scale", self.converter.map(|(full, _)| cast::u64_from_f64(full)))
            .given_if("span_v", "volts at full scale", self.converter.map(|(_, span)| span));
        let (start, end) = self.signal.ends();
        let share = (value - start) / (end - start);
        let key = if self.signal.is_current() { "current_a" } else { "voltage_v" };
        worked.find(key, "signal", amount(self.signal, value));
        worked.find("percent", "of the span", Amount::Plain(share * 100.0, "%".to_owned()));
        worked.find("units", "in units", Amount::Plain(low + share * (high - low), String::new()));
        let volts = self.volts(value);
        if let (Some(volts), true) = (volts, self.signal.is_current()) {
            worked.find("shunt_v", "across the shunt", Amount::Exact(volts.0, "V"));
            self.tell_shunt(value, &mut worked);
        }
        if let (Some((full, span)), Some(volts)) = (self.converter, volts) {
            worked.find("counts", "counts", Amount::Plain(volts / span * full, String::new()));
            worked.find(
                "count_worth",
                "one count in units",
                Amount::Plain(self.count_worth(full, span), String::new()),
            );
            if volts > span {
                worked.note(format!("{volts} is beyond the {span} that the converter takes"));
            }
        }
        self.tell_limits(value, &mut worked);
        Ok(worked)
    }

    /// The signal in amperes or volts.
    fn value(&self) -> Result<f64, SizingError> {
        let (start, end) = self.signal.ends();
        let (low, high) = self.units;
        match (self.known, self.signal.is_current()) {
            (KnownEnd::Current(Amperes(current)), true) => Ok(current),
            (KnownEnd::Voltage(Volts(voltage)), false) => Ok(voltage),
            (KnownEnd::Voltage(voltage), true) => match self.shunt {
                Some(shunt) => Ok((voltage / shunt).0),
                None => needs("a voltage at a current signal", "the shunt"),
            },
            (KnownEnd::Current(_), false) => contradiction(format!("{} is a voltage: give it in volts", self.signal)),
            (KnownEnd::Units(units), _) => Ok(start + (units - low) / (high - low) * (end - start)),
            (KnownEnd::Counts(counts), current) => match (self.converter, self.shunt) {
                (Some((full, span)), Some(shunt)) if current => Ok((span * (counts / full) / shunt).0),
                (Some((full, span)), _) if !current => Ok((span * (counts / full)).0),
                (Some(_), _) => needs("counts of a current", "the shunt"),
                (None, _) => needs("counts", "full scale of the converter: its counts, and its span in volts"),
            },
        }
    }

    /// What the shunt makes of the current with its tolerance, and what it dissipates.
    fn tell_shunt(&self, value: f64, worked: &mut SizingResult) {
        let Some(shunt) = self.shunt else { return };
        let Share(part) = self.tolerance;
        worked.find("least_shunt_v", "across it at least", Amperes(value) * (shunt * (1.0 - part)));
        worked.find("most_shunt_v", "across it at most", Amperes(value) * (shunt * (1.0 + part)));
        let most = value.abs().max(self.signal.high);
        worked.dissipates(["dissipation_w", "rating_w"], "shunt", Watts(most * most * shunt.0 * (1.0 + part)));
    }

    fn volts(&self, value: f64) -> Option<Volts> {
        match self.signal.is_current() {
            true => Some(Amperes(value) * self.shunt?),
            false => Some(Volts(value)),
        }
    }

    fn count_worth(&self, full: f64, span: Volts) -> f64 {
        let (start, end) = self.signal.ends();
        let signal = span.0 / full / self.shunt.filter(|_| self.signal.is_current()).map_or(1.0, |shunt| shunt.0);
        (signal / (end - start) * (self.units.1 - self.units.0)).abs()
    }

    fn tell_limits(&self, value: f64, worked: &mut SizingResult) {
        if !self.signal.is_same(Signal::FOUR_TO_TWENTY) {
            return;
        }
        // As decimal figures: a hair's breadth beside a limit is on it.
        let milliamperes = (value * 1e9).round() / 1e6;
        let words = match milliamperes {
            0.0 => "no current: a broken wire, or a sensor without supply",
            value if value <= NE43_FAULT.0 => "a fault signal by NE 43: 3.6 mA or less",
            value if value >= NE43_FAULT.1 => "a fault signal by NE 43: 21 mA or more",
            value if value < NE43_MEASURING.0 => "between fault signal and measuring range by NE 43 (3.6 to 3.8 mA)",
            value if value > NE43_MEASURING.1 => "between measuring range and fault signal by NE 43 (20.5 to 21 mA)",
            _ => "within the measuring range of NE 43 (3.8 to 20.5 mA)",
        };
        worked.note(words);
    }
}
