//! The two levels at which a Schmitt input switches.

use crate::units::Volts;

/// A supply and the thresholds of a Schmitt input below it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Levels {
    /// The supply.
    pub supply: Volts,
    /// The input goes high above this.
    pub rise_at: Volts,
    /// The input goes low below this.
    pub fall_at: Volts,
}

impl Levels {
    /// How many time constants it takes from 0 to the upper threshold: ln(V / (V − V↑)).
    pub fn rise_constants(&self) -> f64 {
        libm::log(self.supply.0 / (self.supply.0 - self.rise_at.0))
    }

    /// How many time constants it takes from the supply to the lower threshold: ln(V / V↓).
    pub fn fall_constants(&self) -> f64 {
        libm::log(self.supply.0 / self.fall_at.0)
    }
}
