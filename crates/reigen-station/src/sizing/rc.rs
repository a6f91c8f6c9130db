//! `rc`: a resistor and a capacitor before a switching input.

use super::series::Series;
use super::{SizingError, SizingResult, clear_above, contradiction, needs};
pub use reigen_core::condition::schmitt::Levels;
use reigen_core::units::{Farads, Ohms, Seconds, Share};

/// What an RC filter is worked from.
#[derive(Debug, Clone, Copy)]
pub struct Rc {
    /// Through which it charges.
    pub resistance: Ohms,
    /// The capacitor; without it, one is looked for.
    pub capacitance: Option<Farads>,
    /// Through which it discharges, where that is another.
    pub discharge_resistance: Option<Ohms>,
    /// What it charges to, and the two levels at which the input switches.
    pub levels: Option<Levels>,
    /// The bounce that it is to swallow.
    pub bounce: Option<Seconds>,
    /// How far the resistors may be off.
    pub resistors: Share,
    /// How far the capacitor may be off.
    pub capacitors: Share,
}

/// First-order charging: v(t) = V·(1 − e^(−t/RC)), v(t) = V·e^(−t/RC) (any text on circuits).
const FORMULAS: [&str; 3] = ["τ = R·C", "delay up = R·C·ln(V / (V − V↑))", "delay down = Rd·C·ln(V / V↓)"];

impl Rc {
    /// Time constant and delays, or the capacitor for a bounce.
    ///
    /// # Errors
    /// Where neither a capacitor nor a bounce with its levels is given, or both.
    pub fn work(&self) -> Result<SizingResult, SizingError> {
        let mut worked = SizingResult::new("rc", &FORMULAS)
            .given("resistance_ohm", "resistance", self.resistance)
            .given_if("discharge_resistance_ohm", "discharge resistance", self.discharge_resistance)
            .given_if("capacitance_f", "capacitance", self.capacitance)
            .given_if("supply_v", "supply", self.levels.map(|levels| levels.supply))
            .given_if("rise_at_v", "rises at", self.levels.map(|levels| levels.rise_at))
            .given_if("fall_at_v", "falls at", self.levels.map(|levels| levels.fall_at))
            .given_if("bounce_s", "bounce", self.bounce)
            .given("tolerance_percent", "tolerance of R", self.resistors)
            .given("capacitor_tolerance_percent", "tolerance of C", self.capacitors);
        let capacitance = match (self.capacitance, self.bounce, self.levels) {
            (Some(capacitance), None, _) => capacitance,
            (None, Some(bounce), Some(levels)) => self.capacitor(bounce, &levels, &mut worked),
            (Some(_), Some(_), _) => {
                return contradiction("a capacitor and a bounce are both given: leave one out".to_owned());
            }
            (None, Some(_), None) => return needs("a bounce", "the supply and both thresholds too"),
            (None, None, _) => return needs("rc", "a capacitance, or a bounce with supply and both thresholds"),
        };
        let discharge = self.discharge_resistance.unwrap_or(self.resistance);
        worked.find("time_constant_s", "time constant", self.resistance * capacitance);
        if discharge != self.resistance {
            worked.find("discharge_time_constant_s", "time constant down", discharge * capacitance);
        }
        match self.levels {
            Some(levels) => {
                let up = Seconds((self.resistance * capacitance).0 * levels.rise_constants());
                let down = Seconds((discharge * capacitance).0 * levels.fall_constants());
                worked.find("delay_up_s", "delay up", up);
                worked.find("least_delay_up_s", "delay up at least", up * self.shortest());
                worked.find("most_delay_up_s", "delay up at most", up * self.longest());
                worked.find("delay_down_s", "delay down", down);
                worked.find("least_delay_down_s", "delay down at least", down * self.shortest());
                worked.find("most_delay_down_s", "delay down at most", down * self.longest());
                let lost = Seconds(up.0.min(down.0) * self.shortest());
                let seen = Seconds(up.0.max(down.0) * self.longest());
                worked.note(format!(
                    "a pulse shorter than {lost} is lost; one longer than {seen} comes through for certain"
                ));
            }
            None => worked.note("with the supply and both thresholds it tells the delays too"),
        }
        Ok(worked)
    }

    /// By how much a delay is shorter than its nominal value at the worst corner.
    fn shortest(&self) -> f64 {
        (1.0 - self.resistors.0) * (1.0 - self.capacitors.0)
    }

    fn longest(&self) -> f64 {
        (1.0 + self.resistors.0) * (1.0 + self.capacitors.0)
    }

    /// The capacitor whose larger delay outlasts the bounce: a contact that bounces must hold long enough in one
    /// direction only.
    fn capacitor(&self, bounce: Seconds, levels: &Levels, worked: &mut SizingResult) -> Farads {
        let discharge = self.discharge_resistance.unwrap_or(self.resistance);
        let slowest = (self.resistance.0 * levels.rise_constants()).max(discharge.0 * levels.fall_constants());
        let least = Farads(bounce.0 / slowest / self.shortest());
        let chosen = Farads(clear_above(Series::E6, least.0));
        worked.find("least_capacitance_f", "least capacitance", least);
        worked.find("capacitance_f", "next above in E6", chosen);
        chosen
    }
}
