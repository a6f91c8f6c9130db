//! `led`: the resistor before a light-emitting diode.

use super::series::Series;
use super::{SizingError, Worked, contradiction};
use crate::units::{Amperes, Ohms, Volts};

/// What an LED's resistor is worked from.
#[derive(Debug, Clone, Copy)]
pub struct Led {
    /// The supply.
    pub supply: Volts,
    /// The forward voltage of one LED.
    pub forward: Volts,
    /// How many are in a row.
    pub in_row: u32,
    /// The current that is wanted.
    pub current: Amperes,
    /// The series that the resistor is taken from.
    pub series: Series,
}

impl Led {
    /// The resistor, the current with it, and what each dissipates.
    ///
    /// # Errors
    /// Where the supply does not reach the forward voltage.
    pub fn work(&self) -> Result<Worked, SizingError> {
        let mut worked = Worked::new("led", &["R = (V − n·V_F) / I (Ohm's law)"])
            .given("supply_v", "supply", self.supply)
            .given("forward_v", "forward voltage", self.forward)
            .given("in_row", "LEDs in a row", u64::from(self.in_row))
            .given("current_a", "wanted current", self.current);
        let across = self.supply - self.forward * f64::from(self.in_row);
        if self.forward.0 <= 0.0 || self.current.0 <= 0.0 || self.in_row == 0 {
            return contradiction("an LED has a forward voltage and a current above zero".to_owned());
        }
        if across.0 <= 0.0 {
            return contradiction(format!(
                "{} is not more than the forward voltage of {}: nothing is left for a resistor",
                self.supply,
                self.forward * f64::from(self.in_row)
            ));
        }
        let exact = across / self.current;
        let chosen = Ohms(self.series.above(exact.0));
        let current = across / chosen;
        worked.find("exact_ohm", "exact resistor", exact);
        worked.find("resistance_ohm", format!("next above in {}", self.series), chosen);
        worked.find("actual_current_a", "current with it", current);
        worked.find("dissipation_w", "resistor dissipates", across * current);
        worked.find("led_dissipation_w", "each LED dissipates", self.forward * current);
        if (across * current).0 > 0.125 {
            worked.note("a resistor of 0.25 W would run above half of its rating: take a larger one");
        }
        Ok(worked)
    }
}
