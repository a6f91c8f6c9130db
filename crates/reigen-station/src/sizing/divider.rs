//! `divider`: two resistors that bring a voltage down.

use super::series::Series;
use super::{SizingError, SizingResult, clear_below, contradiction, needs};
use reigen_core::units::{Amperes, Ohms, Share, Volts, Watts};

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
    /// The output that must not be exceeded, where both resistors are looked for.
    pub at_most: Option<Volts>,
    /// The current that both together may draw, where both are looked for.
    pub current: Amperes,
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
    pub fn work(&self) -> Result<SizingResult, SizingError> {
        let mut worked = SizingResult::new("divider", &["output = V·(B∥L) / (T + B∥L)", "B∥L = B·L / (B + L)"])
            .given("supply_v", "supply", self.supply)
            .given_if("top_ohm", "upper resistor", self.top)
            .given_if("bottom_ohm", "lower resistor", self.bottom)
            .given_if("load_ohm", "load", self.load)
            .given_if("wanted_output_v", "wanted output", self.output)
            .given_if("at_most_v", "output at most", self.at_most)
            .given("tolerance_percent", "tolerance", self.tolerance);
        if self.supply.0 <= 0.0 {
            return contradiction(format!("there is nothing to divide in a supply of {}", self.supply));
        }
        if self.at_most.is_some() && (self.top.is_some() || self.bottom.is_some() || self.output.is_some()) {
            return contradiction(
                "with a greatest output both resistors are looked for: leave out the others".to_owned(),
            );
        }
        let (top, bottom) = match (self.top, self.bottom, self.output) {
            (None, None, None) if self.at_most.is_some() => self.both(&mut worked)?,
            (Some(top), Some(bottom), None) => (top, bottom),
            (top, bottom, Some(wanted)) => self.missing(top, bottom, wanted, &mut worked)?,
            _ => {
                return needs(
                    "divider",
                    "both resistors, or one of them and the output that is wanted, or the output at most",
                );
            }
        };
        self.tell(top, bottom, &mut worked);
        Ok(worked)
    }

    /// Both resistors whose output stays below a limit at every corner, as close to it as the series allows.
    fn both(&self, worked: &mut SizingResult) -> Result<(Ohms, Ohms), SizingError> {
        let limit = self.at_most.unwrap_or_default();
        if limit >= self.supply || limit.0 <= 0.0 || self.current.0 <= 0.0 {
            return contradiction(format!("{} needs no divider to stay below {limit}, or can have none", self.supply));
        }
        let Share(part) = self.tolerance;
        // Upper resistors within a factor of two of what the wanted current asks for.
        let middle = (self.supply.0 - limit.0) / self.current.0;
        let decade = |value: f64| self.series.decade().into_iter().map(move |hundredths| f64::from(hundredths) * value);
        let power = 10f64.powf(middle.log10().floor() - 2.0);
        let tops = decade(power).chain(decade(power * 10.0)).chain(decade(power / 10.0));
        let near = tops.filter(|top| (0.5..=2.0).contains(&(top / middle)));
        let pairs = near.filter_map(|top| {
            // At the worst corner the output is V·B(1+t) / (T(1−t) + B(1+t)).
            let exact = top * (1.0 - part) * limit.0 / ((self.supply.0 - limit.0) * (1.0 + part));
            let bottom = clear_below(self.series, exact);
            (bottom > 0.0).then_some((Ohms(top), Ohms(bottom)))
        });
        let reach = |pair: &(Ohms, Ohms)| output(self.supply, pair.0, pair.1, None).0;
        let best = pairs.max_by(|one, other| reach(one).total_cmp(&reach(other)));
        let Some((top, bottom)) = best else {
            return contradiction(format!("no two resistors of {} keep {} below {limit}", self.series, self.supply));
        };
        worked.find("top_ohm", format!("upper resistor in {}", self.series), top);
        worked.find("bottom_ohm", format!("lower resistor in {}", self.series), bottom);
        Ok((top, bottom))
    }

    fn missing(
        &self,
        top: Option<Ohms>,
        bottom: Option<Ohms>,
        wanted: Volts,
        worked: &mut SizingResult,
    ) -> Result<(Ohms, Ohms), SizingError> {
        if wanted >= self.supply || wanted.0 <= 0.0 {
            return contradiction(format!(
                "a divider gives less than its supply: it cannot make {wanted} from {}",
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

    fn tell(&self, top: Ohms, bottom: Ohms, worked: &mut SizingResult) {
        let Share(part) = self.tolerance;
        let at = |top: f64, bottom: f64| output(self.supply, Ohms(top), Ohms(bottom), self.load);
        let middle = at(top.0, bottom.0);
        let least = at(top.0 * (1.0 + part), bottom.0 * (1.0 - part));
        let most = at(top.0 * (1.0 - part), bottom.0 * (1.0 + part));
        worked.find("output_v", "output", middle);
        worked.find("least_output_v", "least by tolerance", least);
        worked.find("most_output_v", "most by tolerance", most);
        worked.find("current_a", "current from the supply", (self.supply - middle) / top);
        // The upper one is worst with the least of itself and of what is below, the lower one with the most voltage on it.
        let above = self.supply - at(top.0 * (1.0 - part), bottom.0 * (1.0 - part));
        worked.dissipates(
            ["top_dissipation_w", "top_rating_w"],
            "upper resistor",
            above * (above / (top * (1.0 - part))),
        );
        let below = [1.0 - part, 1.0 + part].map(|off| {
            let across = at(top.0 * (1.0 - part), bottom.0 * off);
            across.0 * across.0 / (bottom.0 * off)
        });
        let below = Watts(below[0].max(below[1]));
        worked.dissipates(["bottom_dissipation_w", "bottom_rating_w"], "lower resistor", below);
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
