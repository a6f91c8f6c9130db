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

/// Why two levels and a supply cannot be together.
#[derive(Debug, Clone, Copy, PartialEq, thiserror::Error)]
pub enum LevelsError {
    /// It falls where it has not risen yet.
    #[error(
        "the thresholds are in the wrong order: it falls at {fall_at} and rises at {rise_at}, and must rise above where it falls"
    )]
    WrongWayRound {
        /// Where it falls.
        fall_at: Volts,
        /// Where it rises.
        rise_at: Volts,
    },
    /// It never rises.
    #[error("the supply of {supply} never reaches the upper threshold of {rise_at}")]
    NeverRises {
        /// The supply.
        supply: Volts,
        /// Where it would rise.
        rise_at: Volts,
    },
    /// It never falls.
    #[error("a threshold of {0} is never passed on the way down to 0 V")]
    NeverFalls(Volts),
}

impl Levels {
    /// Levels that can be: 0 < fall < rise < supply.
    ///
    /// # Errors
    /// Says which two are the wrong way round.
    pub fn new(supply: Volts, rise_at: Volts, fall_at: Volts) -> Result<Self, LevelsError> {
        if fall_at >= rise_at {
            return Err(LevelsError::WrongWayRound { fall_at, rise_at });
        }
        if rise_at >= supply {
            return Err(LevelsError::NeverRises { supply, rise_at });
        }
        if fall_at.0 <= 0.0 {
            return Err(LevelsError::NeverFalls(fall_at));
        }
        Ok(Self { supply, rise_at, fall_at })
    }

    /// How many time constants it takes from 0 to the upper threshold: ln(V / (V − V↑)).
    pub fn rise_constants(&self) -> f64 {
        libm::log(self.supply.0 / (self.supply.0 - self.rise_at.0))
    }

    /// How many time constants it takes from the supply to the lower threshold: ln(V / V↓).
    pub fn fall_constants(&self) -> f64 {
        libm::log(self.supply.0 / self.fall_at.0)
    }
}
