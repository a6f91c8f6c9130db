//! `pull`: the range of a pull-up or pull-down.

use super::series::Series;
use super::{SizingError, SizingResult, clear_above, clear_below, contradiction, needs};
use reigen_core::units::{Amperes, Farads, Ohms, Seconds, Share, Volts};

/// Where a pull resistor goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PullTo {
    /// To the supply: a pull-up.
    Plus,
    /// To 0 V: a pull-down.
    Zero,
}

/// What a pull is worked from.
#[derive(Debug, Clone, Copy)]
pub struct Pull {
    /// Up or down.
    pub to: PullTo,
    /// The supply.
    pub supply: Volts,
    /// What flows through the resistor though nothing is switched: of the open output and of the input.
    pub leakage: Option<Amperes>,
    /// The input is certainly high above this.
    pub high_above: Option<Volts>,
    /// The input is certainly low below this.
    pub low_below: Option<Volts>,
    /// What the output that works against it can carry.
    pub most_current: Option<Amperes>,
    /// What is lost across that output.
    pub drop: Volts,
    /// Of the cable and the input.
    pub capacitance: Option<Farads>,
    /// How fast the level must return, from 10 % to 90 %.
    pub rise_time: Option<Seconds>,
    /// The resistor at hand; without it, one is looked for.
    pub resistance: Option<Ohms>,
    /// How far the resistor may be off.
    pub tolerance: Share,
}

/// 10 % to 90 % of an exponential takes ln 9 time constants.
const RISE_CONSTANTS: f64 = 2.197_224_577_336_219_6;

/// A value of E24 between two bounds and on neither, near their geometric middle.
fn between(least: f64, greatest: f64) -> Result<f64, SizingError> {
    let middle = Series::E24.nearest((least * greatest).sqrt());
    let inside = |value: f64| value > least * (1.0 + 1e-6) && value < greatest * (1.0 - 1e-6);
    let candidates = [middle, clear_above(Series::E24, least), clear_below(Series::E24, greatest)];
    match candidates.into_iter().find(|value| least < greatest && inside(*value)) {
        Some(value) => Ok(value),
        None => contradiction(format!(
            "no resistor does both: it must be above {} for the output and below {} for leakage and speed",
            Ohms(least),
            Ohms(greatest)
        )),
    }
}

impl Pull {
    /// The least and greatest resistor, and one between them.
    ///
    /// # Errors
    /// Where nothing bounds it, or the bounds exclude one another.
    pub fn work(&self) -> Result<SizingResult, SizingError> {
        let formulas = match self.to {
            PullTo::Plus => {
                ["R·(1+t) ≤ (V − V_high) / I_leak", "R·(1−t) ≥ V / I_most", "R·(1+t) ≤ t_rise / (ln 9 · C)"]
            }
            PullTo::Zero => ["R·(1+t) ≤ V_low / I_leak", "R·(1−t) ≥ V / I_most", "R·(1+t) ≤ t_fall / (ln 9 · C)"],
        };
        let mut worked = SizingResult::new("pull", &formulas)
            .given("supply_v", "supply", self.supply)
            .given_if("leakage_a", "leakage", self.leakage)
            .given_if("high_above_v", "high above", self.high_above)
            .given_if("low_below_v", "low below", self.low_below)
            .given_if("most_current_a", "output carries", self.most_current)
            .given("drop_v", "drop of the output", self.drop)
            .given_if("capacitance_f", "capacitance", self.capacitance)
            .given_if("rise_time_s", "rise time", self.rise_time)
            .given_if("at_hand_ohm", "resistor at hand", self.resistance)
            .given("tolerance_percent", "tolerance", self.tolerance);
        self.check_levels()?;
        let Share(tolerance) = self.tolerance;
        let greatest = [self.bound_by_leakage()?, self.bound_by_rise_time()?].into_iter().flatten().reduce(f64::min);
        let greatest = greatest.map(|ohms| ohms / (1.0 + tolerance));
        // The output may lose nothing, and then the whole supply is across the resistor.
        let least = self.most_current.map(|current| self.supply.0 / current.0 / (1.0 - tolerance));
        let chosen = match (self.resistance, least, greatest) {
            (Some(resistance), ..) => resistance.0,
            (None, None, None) => {
                return needs("pull", "what bounds it: leakage and threshold, current of the output, or rise time");
            }
            (None, Some(least), Some(greatest)) => between(least, greatest)?,
            (None, Some(least), None) => clear_above(Series::E24, least),
            (None, None, Some(greatest)) => clear_below(Series::E24, greatest),
        };
        if let Some(least) = least {
            worked.find("least_ohm", "at least", Ohms(least));
        }
        if let Some(greatest) = greatest {
            worked.find("greatest_ohm", "at most", Ohms(greatest));
        }
        if self.resistance.is_none() {
            worked.find("resistance_ohm", "E24 between", Ohms(chosen));
        }
        self.tell(Ohms(chosen), least, greatest, &mut worked);
        Ok(worked)
    }

    /// What flows through a resistor and what it dissipates, at its worst corner.
    fn tell(&self, chosen: Ohms, least: Option<f64>, greatest: Option<f64>, worked: &mut SizingResult) {
        let Share(tolerance) = self.tolerance;
        let lowest = chosen * (1.0 - tolerance);
        let most = self.supply / lowest;
        worked.find("current_a", "current when switched", (self.supply - self.drop) / chosen);
        worked.find("greatest_current_a", "current at most", most);
        worked.dissipates(["dissipation_w", "rating_w"], "resistor", self.supply * most);
        if let Some(leakage) = self.leakage.filter(|leakage| leakage.0 > 0.0) {
            let moved = leakage * (chosen * (1.0 + tolerance));
            let level = if self.to == PullTo::Plus { self.supply - moved } else { moved };
            worked.find("open_level_v", "level while open, worst", level);
        }
        if let Some(capacitance) = self.capacitance {
            let time = chosen.0 * (1.0 + tolerance) * capacitance.0 * RISE_CONSTANTS;
            worked.find("return_time_s", "level returns in", Seconds(time));
        }
        if let Some(least) = least.filter(|least| chosen.0 <= *least) {
            worked.note(format!("{chosen} is too small for the output: use more than {}", Ohms(least)));
        }
        if let Some(greatest) = greatest.filter(|greatest| chosen.0 >= *greatest) {
            worked.note(format!("{chosen} is too great for leakage and speed: use less than {}", Ohms(greatest)));
        }
    }

    fn check_levels(&self) -> Result<(), SizingError> {
        match (self.high_above, self.low_below) {
            (Some(high), Some(low)) if low >= high => {
                contradiction(format!("the thresholds are in the wrong order: low below {low} and high above {high}"))
            }
            (_, Some(low)) if self.to == PullTo::Plus && self.drop >= low => contradiction(format!(
                "the output leaves {} on the line, and the input is low only below {low}: no resistor helps",
                self.drop
            )),
            (Some(high), _) if high >= self.supply - self.drop && self.to == PullTo::Zero => contradiction(format!(
                "the output gives {} at most, and the input is high only above {high}: no resistor helps",
                self.supply - self.drop
            )),
            _ => Ok(()),
        }
    }

    /// The greatest resistor across which the leakage does not move the level over its threshold.
    fn bound_by_leakage(&self) -> Result<Option<f64>, SizingError> {
        let Some(leakage) = self.leakage.filter(|leakage| leakage.0 > 0.0) else { return Ok(None) };
        let room = match (self.to, self.high_above, self.low_below) {
            (PullTo::Plus, Some(high), _) => self.supply - high,
            (PullTo::Zero, _, Some(low)) => low,
            (PullTo::Plus, None, _) => return needs("a leakage", "the level above which the input is high"),
            (PullTo::Zero, _, None) => return needs("a leakage", "the level below which the input is low"),
        };
        match room.0 > 0.0 {
            true => Ok(Some((room / leakage).0)),
            false => contradiction(format!("the threshold leaves no room: {} of {}", room, self.supply)),
        }
    }

    fn bound_by_rise_time(&self) -> Result<Option<f64>, SizingError> {
        match (self.capacitance, self.rise_time) {
            (Some(capacitance), Some(time)) => Ok(Some(time.0 / (RISE_CONSTANTS * capacitance.0))),
            (None, None) => Ok(None),
            _ => needs("a speed", "both the capacitance and the rise time"),
        }
    }
}
