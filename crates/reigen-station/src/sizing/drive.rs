//! `drive`: what flows where a pin is driven by mistake against what is wired to it.

use super::series::Series;
use super::{SizingError, SizingResult, clear_above, contradiction, needs};
use reigen_core::units::{Amperes, Ohms, Share, Volts};

/// What a pin driven by mistake is worked from: an output of the controller at one rail, a closed switch to the other.
#[derive(Debug, Clone, Copy)]
pub struct Drive {
    /// The voltage between both rails.
    pub supply: Volts,
    /// The resistor in the wire.
    pub series: Option<Ohms>,
    /// The resistance of the pin's own output.
    pub output: Option<Ohms>,
    /// What pin rating.
    pub most_current: Option<Amperes>,
    /// How far the resistor in the wire may be off.
    pub tolerance: Share,
}

impl Drive {
    /// The current, what the resistor dissipates, and the resistor that pin rating.
    ///
    /// # Errors
    /// Where there is no resistance at all and no current that pin rating, or no voltage.
    pub fn work(&self) -> Result<SizingResult, SizingError> {
        let Share(part) = self.tolerance;
        let mut worked = SizingResult::new("drive", &["I = V / (R·(1−t) + R_pin) (Ohm's law)"])
            .given("supply_v", "supply", self.supply)
            .given_if("series_ohm", "resistor in the wire", self.series)
            .given_if("output_ohm", "the pin's own resistance", self.output)
            .given_if("most_current_a", "pin rating", self.most_current)
            .given("tolerance_percent", "tolerance", self.tolerance);
        if self.supply.0 <= 0.0 || self.most_current.is_some_and(|most| most.0 <= 0.0) {
            return contradiction("a supply and a current above zero are needed".to_owned());
        }
        let inside = self.output.map_or(0.0, |ohms| ohms.0);
        if self.series.is_none() && self.output.is_none() && self.most_current.is_none() {
            return needs(
                "drive",
                "the resistor in the wire, the pin's own resistance, or the current that pin rating",
            );
        }
        let lowest = self.series.map_or(0.0, |ohms| ohms.0 * (1.0 - part));
        if lowest + inside > 0.0 {
            let current = Amperes(self.supply.0 / (lowest + inside));
            worked.find("current_a", "current at most", current);
            if self.series.is_some() {
                worked.dissipates(
                    ["dissipation_w", "rating_w"],
                    "resistor",
                    (current * Ohms(lowest.max(1e-12))) * current,
                );
            }
            if let Some(most) = self.most_current {
                worked.note(match current <= most {
                    true => format!("within the rating of the pin: {current} of {most}"),
                    false => format!("too much for the pin: {current}, {most} allowed"),
                });
            }
        }
        if let Some(most) = self.most_current {
            let exact = ((self.supply / most).0 - inside).max(0.0) / (1.0 - part);
            if exact > 0.0 {
                worked.find("least_ohm", "resistor at least", Ohms(exact));
                worked.find("resistance_ohm", "next above in E24", Ohms(clear_above(Series::E24, exact)));
            }
        }
        Ok(worked)
    }
}
