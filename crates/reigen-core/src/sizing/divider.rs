//! `divider`: two resistors that bring a voltage down.

use super::series::Series;
use super::{SizingError, Worked, contradiction, needs};
use crate::units::{Ohms, Share, Volts};

/// What a divider is worked from.
#[derive(Debug, Clone, Copy)]
pub struct Divider {
    /// The voltage above it.
    pub supply: Volts,
    /// The upper resistor.
    pub top: Option<Ohms>,
    /// The lower resistor.
    pub bottom: Option<Ohms>,
    /// What loads the lower one.
    pub load: Option<Ohms>,
    /// The output that is wanted, where a resistor is looked for.
    pub output: Option<Volts>,
    /// Of both resistors.
    pub tolerance: Share,
    /// The series that a resistor is taken from.
    pub series: Series,
}

/// The output of a loaded divider: V·(B ∥ L) / (T + B ∥ L) (Ohm's law).
pub fn output(supply: Volts, top: Ohms, bottom: Ohms, load: Option<Ohms>) -> Volts {
    let lower = load.map_or(bottom, |load| bottom.parallel(load));
    supply * (lower.0 / (top.0 + lower.0))
}

impl Divider {
    /// Output, dissipation and worst case; or the missing resistor for a wanted output.
    ///
    /// # Errors
    /// Where it would have to raise a voltage, or the load alone draws the output too low.
    pub fn work(&self) -> Result<Worked, SizingError> {
        let mut worked = Worked::new("divider", &["output = V·(B∥L) / (T + B∥L)", "B∥L = B·L / (B + L)"])
            .given("supply_v", "supply", self.supply)
            .given_if("top_ohm", "upper resistor", self.top)
            .given_if("bottom_ohm", "lower resistor", self.bottom)
            .given_if("load_ohm", "load", self.load)
            .given_if("wanted_output_v", "wanted output", self.output)
            .given("tolerance_percent", "tolerance", self.tolerance);
        if self.supply.0 <= 0.0 {
            return contradiction(format!("there is nothing to divide in a supply of {}", self.supply));
        }
        let (top, bottom) = match (self.top, self.bottom, self.output) {
            (Some(top), Some(bottom), None) => (top, bottom),
            (top, bottom, Some(wanted)) => self.missing(top, bottom, wanted, &mut worked)?,
            _ => return needs("divider", "both resistors, or one of them and the output that is wanted"),
        };
        self.tell(top, bottom, &mut worked);
        Ok(worked)
    }

    fn missing(
        &self,
        top: Option<Ohms>,
        bottom: Option<Ohms>,
        wanted: Volts,
        worked: &mut Worked,
    ) -> Result<(Ohms, Ohms), SizingError> {
        if wanted >= self.supply || wanted.0 <= 0.0 {
            return contradiction(format!(
                "a divider lies between 0 V and its supply: it cannot make {wanted} of {}",
                self.supply
            ));
        }
        let ratio = wanted.0 / (self.supply.0 - wanted.0);
        match (top, bottom) {
            (Some(top), None) => {
                let bottom = unloaded(Ohms(top.0 * ratio), self.load, wanted)?;
                let chosen = Ohms(self.series.nearest(bottom.0));
                worked.find("exact_ohm", "exact lower resistor", bottom);
                worked.find("bottom_ohm", format!("nearest in {}", self.series), chosen);
                Ok((top, chosen))
            }
            (None, Some(bottom)) => {
                let lower = self.load.map_or(bottom, |load| bottom.parallel(load));
                let top = Ohms(lower.0 / ratio);
                let chosen = Ohms(self.series.nearest(top.0));
                worked.find("exact_ohm", "exact upper resistor", top);
                worked.find("top_ohm", format!("nearest in {}", self.series), chosen);
                Ok((chosen, bottom))
            }
            _ => needs("a wanted output", "one resistor, no more: the other is looked for"),
        }
    }

    fn tell(&self, top: Ohms, bottom: Ohms, worked: &mut Worked) {
        let Share(part) = self.tolerance;
        let at = |top: f64, bottom: f64| output(self.supply, Ohms(top), Ohms(bottom), self.load);
        let middle = at(top.0, bottom.0);
        let least = at(top.0 * (1.0 + part), bottom.0 * (1.0 - part));
        let most = at(top.0 * (1.0 - part), bottom.0 * (1.0 + part));
        worked.find("output_v", "output", middle);
        worked.find("least_output_v", "least by tolerance", least);
        worked.find("most_output_v", "most by tolerance", most);
        let above = self.supply - middle;
        worked.find("current_a", "current from the supply", above / top);
        worked.find("top_dissipation_w", "upper dissipates", above * (above / top));
        worked.find("bottom_dissipation_w", "lower dissipates", middle * (middle / bottom));
        if self.load.is_none() {
            worked.note("without load: an input that draws current pulls the output down");
        }
    }
}

/// The lower resistor that together with the load makes `lower`.
fn unloaded(lower: Ohms, load: Option<Ohms>, wanted: Volts) -> Result<Ohms, SizingError> {
    let Some(load) = load else { return Ok(lower) };
    if load <= lower {
        return contradiction(format!(
            "the load of {load} alone draws the output below {wanted}: take a smaller upper resistor"
        ));
    }
    Ok(Ohms(1.0 / (1.0 / lower.0 - 1.0 / load.0)))
}
