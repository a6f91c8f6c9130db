//! `hysteresis`: a comparator with feedback.

use super::series::Series;
use super::{SizingError, SizingResult, contradiction, needs};
use reigen_core::units::{Ohms, Share, Volts};

/// What a comparator is worked from. The input resistor leads to its plus input, the feedback from the output to there.
#[derive(Debug, Clone, Copy)]
pub struct Hysteresis {
    /// Whether the signal goes to the minus input, and the reference through the input resistor to the plus input;
    /// else the signal goes through the input resistor and the reference to the minus input.
    pub inverting: bool,
    /// The output's high level.
    pub output_high: Volts,
    /// The output's low level.
    pub output_low: Volts,
    /// The feedback resistor.
    pub feedback: Ohms,
    /// The input resistor, where thresholds are looked for.
    pub input: Option<Ohms>,
    /// The reference, where thresholds are looked for.
    pub reference: Option<Volts>,
    /// The wanted thresholds, rising and falling, where resistor and reference are looked for.
    pub wanted: Option<(Volts, Volts)>,
    /// How far both resistors may be off.
    pub tolerance: Share,
}

/// From the currents into the plus input being zero in sum (Kirchhoff).
const STRAIGHT: [&str; 2] = ["V↑ = V_ref·(1 + R1/R2) − V_low·R1/R2", "V↓ = V_ref·(1 + R1/R2) − V_high·R1/R2"];
const INVERTING: [&str; 2] = ["V↑ = (V_ref·R2 + V_high·R1) / (R1 + R2)", "V↓ = (V_ref·R2 + V_low·R1) / (R1 + R2)"];

impl Hysteresis {
    /// Thresholds from resistors and reference, or the other way round.
    ///
    /// # Errors
    /// Where the thresholds are the wrong way round, or too much or too little is given.
    pub fn work(&self) -> Result<SizingResult, SizingError> {
        let mut worked = SizingResult::new("hysteresis", if self.inverting { &INVERTING } else { &STRAIGHT })
            .given("output_high_v", "output high", self.output_high)
            .given("output_low_v", "output low", self.output_low)
            .given("feedback_ohm", "feedback R2", self.feedback)
            .given_if("input_ohm", "input R1", self.input)
            .given_if("reference_v", "reference", self.reference)
            .given_if("wanted_rise_at_v", "wanted to rise at", self.wanted.map(|(rise, _)| rise))
            .given_if("wanted_fall_at_v", "wanted to fall at", self.wanted.map(|(_, fall)| fall));
        if self.output_low >= self.output_high {
            return contradiction(format!(
                "the levels of the output are in the wrong order: low {} and high {}",
                self.output_low, self.output_high
            ));
        }
        match (self.input, self.reference, self.wanted) {
            (Some(input), Some(reference), None) => self.tell(input, reference, &mut worked),
            (None, None, Some((rise, fall))) => self.find_parts(rise, fall, &mut worked)?,
            _ => return needs("hysteresis", "input resistor and reference, or both wanted thresholds, not a mixture"),
        }
        Ok(worked)
    }

    /// Rising and falling threshold.
    pub fn thresholds(&self, input: Ohms, reference: Volts) -> (Volts, Volts) {
        let ratio = input / self.feedback;
        if self.inverting {
            let at = |output: Volts| Volts((reference.0 + output.0 * ratio) / (1.0 + ratio));
            return (at(self.output_high), at(self.output_low));
        }
        let at = |output: Volts| Volts(reference.0 * (1.0 + ratio) - output.0 * ratio);
        (at(self.output_low), at(self.output_high))
    }

    fn tell(&self, input: Ohms, reference: Volts, worked: &mut SizingResult) {
        let (rise, fall) = self.thresholds(input, reference);
        worked.find("rise_at_v", "rises at", rise);
        worked.find("fall_at_v", "falls at", fall);
        worked.find("hysteresis_v", "hysteresis", rise - fall);
        // Only the ratio counts: worst with one resistor at its least and the other at its greatest.
        let Share(part) = self.tolerance;
        let corners = [(1.0 + part) / (1.0 - part), (1.0 - part) / (1.0 + part)]
            .map(|off| self.thresholds(input * off, reference));
        let [one, other] = corners;
        let range = |one: Volts, other: Volts| if one < other { (one, other) } else { (other, one) };
        let ((least_rise, most_rise), (least_fall, most_fall)) = (range(one.0, other.0), range(one.1, other.1));
        worked.find("least_rise_at_v", "rises at least at", least_rise);
        worked.find("most_rise_at_v", "rises at most at", most_rise);
        worked.find("least_fall_at_v", "falls at least at", least_fall);
        worked.find("most_fall_at_v", "falls at most at", most_fall);
        let width = [one, other].map(|(rise, fall)| (rise - fall).0);
        worked.find("least_hysteresis_v", "least hysteresis", Volts(width[0].min(width[1])));
    }

    fn find_parts(&self, rise: Volts, fall: Volts, worked: &mut SizingResult) -> Result<(), SizingError> {
        let (swing, width) = (self.output_high - self.output_low, rise - fall);
        if width.0 <= 0.0 {
            return contradiction(format!(
                "the thresholds are in the wrong order: it rises at {rise} and falls at {fall}"
            ));
        }
        if self.inverting && width >= swing {
            return contradiction(format!("{width} of hysteresis is more than the output's swing of {swing} gives"));
        }
        // The share of the swing that comes back is R1/R2, or R1/(R1 + R2) where the reference is divided too.
        let share = width / swing;
        let ratio = if self.inverting { share / (1.0 - share) } else { share };
        let exact = Ohms(self.feedback.0 * ratio);
        let chosen = Ohms(Series::E24.nearest(exact.0));
        let reference = match self.inverting {
            true => Volts((rise.0 - self.output_high.0 * share) / (1.0 - share)),
            false => Volts((rise.0 + self.output_low.0 * share) / (1.0 + share)),
        };
        worked.find("exact_ohm", "exact input resistor", exact);
        worked.find("input_ohm", "nearest in E24", chosen);
        worked.find("reference_v", "reference", reference);
        self.tell(chosen, reference, worked);
        Ok(())
    }
}
