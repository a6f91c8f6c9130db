//! `led`: the resistor before a light-emitting diode.

use super::series::Series;
use super::{SizingError, SizingResult, clear_above, contradiction, needs};
use reigen_core::units::{Amperes, Ohms, Share, Volts};

/// What an LED's resistor is worked from.
#[derive(Debug, Clone, Copy)]
pub struct Led {
    /// The supply.
    pub supply: Volts,
    /// The forward voltage of one LED.
    pub forward: Volts,
    /// How many are in a row.
    pub in_row: u32,
    /// The greatest current that is wanted; not needed with a resistor at hand.
    pub current: Option<Amperes>,
    /// The resistor at hand; without it, one is looked for.
    pub resistance: Option<Ohms>,
    /// How far the resistor may be off.
    pub tolerance: Share,
    /// The series that the resistor is taken from.
    pub series: Series,
}

impl Led {
    /// The resistor, the current with it, and what each dissipates.
    ///
    /// # Errors
    /// Where the supply does not reach the forward voltage, or neither current nor resistor is given.
    pub fn work(&self) -> Result<SizingResult, SizingError> {
        let Share(tolerance) = self.tolerance;
        let mut worked = SizingResult::new("led", &["R·(1−t) ≥ (V − n·V_F) / I (Ohm's law)"])
            .given("supply_v", "supply", self.supply)
            .given("forward_v", "forward voltage", self.forward)
            .given("in_row", "LEDs in a row", u64::from(self.in_row))
            .given_if("current_a", "wanted current", self.current)
            .given_if("at_hand_ohm", "resistor at hand", self.resistance)
            .given("tolerance_percent", "tolerance", self.tolerance);
        let forward = self.forward * f64::from(self.in_row);
        let across = self.supply - forward;
        if self.forward.0 <= 0.0 || self.current.is_some_and(|current| current.0 <= 0.0) || self.in_row == 0 {
            return contradiction("an LED has a forward voltage and a current above zero".to_owned());
        }
        if across.0 <= 0.0 {
            return contradiction(format!(
                "{} is not more than the forward voltage of {forward}: nothing is left for a resistor",
                self.supply
            ));
        }
        let chosen = match (self.resistance, self.current) {
            (Some(resistance), _) => resistance,
            (None, Some(current)) => {
                let exact = across / current;
                let chosen = Ohms(clear_above(self.series, exact.0 / (1.0 - tolerance)));
                worked.find("exact_ohm", "exact resistor", exact);
                worked.find("resistance_ohm", format!("next above in {}", self.series), chosen);
                chosen
            }
            (None, None) => return needs("led", "the current that is wanted, or the resistor at hand"),
        };
        let at = |off: f64| across / (chosen * (1.0 + off));
        let [least, actual, most] = [tolerance, 0.0, -tolerance].map(at);
        worked.find("actual_current_a", "current with it", actual);
        worked.find("least_current_a", "current at least", least);
        worked.find("most_current_a", "current at most", most);
        worked.dissipates(["dissipation_w", "rating_w"], "resistor", across * most);
        worked.find("led_dissipation_w", "each LED dissipates up to", self.forward * most);
        if let (Some(wanted), Some(_)) = (self.current.filter(|wanted| most > *wanted), self.resistance) {
            worked.note(format!("up to {most} flow, more than {wanted}: use a greater resistor"));
        }
        Ok(worked)
    }
}
