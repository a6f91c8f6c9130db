//! A number's row: its steps as a curve, its resolution as a band, its valid range shaded, levels that matter.

use crate::pen::{Align, Pen, Stroke};
use crate::place::Place;
use crate::steps::Steps;
use crate::theme::Theme;
use crate::turning::Turning;
use plotters::prelude::*;
use reigen_core::cast;
use reigen_core::time::Nanos;
use reigen_core::units::{resolved, significant};

/// What a number's row shows.
#[derive(Debug, Clone)]
pub struct NumberRow {
    /// Its steps.
    pub steps: Steps,
    /// The scale, where it is fixed; else a margin is left above and below.
    pub fixed: Option<(f64, f64)>,
    /// Values that matter, such as presets, limits and thresholds.
    pub levels: Vec<f64>,
    /// The least and the most that is no fault.
    pub valid: Option<[f64; 2]>,
    /// What one step of its measurement is worth, in its unit.
    pub resolution: Option<Steps>,
    /// Of an encoder, how it turned.
    pub turning: Option<Box<Turning>>,
}

/// The share of the range that is left free above and below it.
const MARGIN: f64 = 0.06;

/// The height of a label.
const LABEL: u32 = 13;
/// How far a label may reach into the gap between two rows.
const GAP: i32 = 4;

/// A lower end of a scale: not below 0 where no value is.
fn not_below(least: f64, end: f64) -> f64 {
    if least >= 0.0 { end.max(0.0) } else { end }
}

impl NumberRow {
    /// A row of steps alone.
    pub fn new(steps: Steps) -> Self {
        Self { steps, fixed: None, levels: Vec::new(), valid: None, resolution: None, turning: None }
    }

    /// The least and the most of the scale.
    pub fn scale(&self) -> (f64, f64) {
        let (least, most) = self.steps.range.unwrap_or((0.0, 1.0));
        // The band is part of what is shown, as far as it is no wider than the curve.
        let band = self.resolution.as_ref().and_then(|steps| steps.range).map_or(0.0, |(_, most)| most);
        let band = band.min(most - least);
        self.fixed.unwrap_or((not_below(least, least - band), most + band))
    }

    /// The least and the most that is drawn: the scale with a margin, where it is not fixed.
    fn drawn(&self) -> (f64, f64) {
        let (least, most) = self.scale();
        match (self.fixed, least == most) {
            (Some(fixed), _) => fixed,
            (None, true) => (least - 0.5, most + 0.5),
            (None, false) => (not_below(least, least - MARGIN * (most - least)), most + MARGIN * (most - least)),
        }
    }

    /// Draws it; `column` gives the times of a column of pixels. Its name stands between two heights, to the left.
    pub(crate) fn draw(
        &self,
        pen: &Pen<'_>,
        place: Place,
        (name_top, name_bottom): (i32, i32),
        column: &dyn Fn(i32) -> (Nanos, Nanos),
        theme: &Theme,
    ) -> Stroke {
        if let Some(turning) = &self.turning {
            turning.draw(pen, place, column, theme)?;
        }
        let Place { left, right, top, bottom } = place;
        let (least, most) = self.drawn();
        let height = f64::from(bottom - top);
        let y = |value: f64| bottom - cast::i32_from_f64((value.clamp(least, most) - least) / (most - least) * height);
        if let Some([from, until]) = self.valid.filter(|[from, until]| *from < most && *until > least) {
            pen.fill([left, y(until), right, y(from)], theme.on.mix(0.07))?;
        }
        let mut levels: Vec<f64> = self.levels.iter().copied().filter(|level| (least..=most).contains(level)).collect();
        levels.sort_by(f64::total_cmp);
        let mut labelled: Option<i32> = None;
        for level in levels {
            for x in (left..right).step_by(8) {
                pen.line((x, y(level)), ((x + 3).min(right), y(level)), theme.faint)?;
            }
            // A label that would lie on the one below is left out.
            if labelled.is_none_or(|last| last - y(level) >= cast::i32_from_u32(LABEL)) {
                labelled = Some(y(level));
                pen.text(&significant(level), (right + 6, y(level)), LABEL, Align::Left, theme.faint)?;
            }
        }
        let mut last: Option<i32> = None;
        for x in left..right {
            let (from, until) = column(x);
            let Some(span) = self.steps.span(from, until) else { continue };
            if let Some(step) = self.resolution.as_ref().and_then(|resolution| resolution.span(from, until)) {
                let (high, low) = (y(span.most + step.most), y(span.least - step.most));
                pen.fill([x, high, x + 1, low + 1], theme.number.mix(0.25))?;
            }
            let (top, bottom, end) = (y(span.most), y(span.least), y(span.last));
            let (top, bottom) = last.map_or((top, bottom), |last| (top.min(last), bottom.max(last)));
            let colour = self.turning.as_ref().map_or(theme.number, |turning| turning.colour(from, until, theme));
            pen.fill([x, top, x + 1, bottom + 2], colour)?;
            last = Some(end);
        }
        let (low, high) = self.scale();
        // A narrow scale needs more digits to tell its ends apart.
        let narrow = significant(low) == significant(high) && low != high;
        let label = |value: f64| if narrow { resolved(value, Some((high - low) / 10.0)) } else { significant(value) };
        let half = cast::i32_from_u32(LABEL) / 2;
        // An end whose label would lie on the row's name, or on another row, has none.
        for (value, fits) in [
            (high, y(high) + half <= name_top && y(high) - half >= top - GAP),
            (low, y(low) - half >= name_bottom && y(low) + half <= bottom + GAP),
        ] {
            if fits {
                pen.text(&label(value), (left - 12, y(value)), LABEL, Align::Right, theme.faint)?;
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn row(values: &[f64]) -> NumberRow {
        let mut steps = Steps::new(Nanos(0));
        steps.take(None, values.iter().zip(0..).map(|(value, time)| (Nanos(time), *value)));
        NumberRow::new(steps)
    }

    #[test]
    fn a_scale_holds_the_curve_with_its_band_and_a_margin_unless_it_is_fixed() {
        let mut plain = row(&[10.0, 30.0]);
        assert_eq!((plain.scale(), plain.drawn()), ((10.0, 30.0), (10.0 - 1.2, 30.0 + 1.2)));
        let mut resolution = Steps::new(Nanos(0));
        resolution.take(None, [(Nanos(0), 5.0)].into_iter());
        plain.resolution = Some(resolution);
        assert_eq!(plain.scale(), (5.0, 35.0));
        plain.fixed = Some((0.0, 100.0));
        assert_eq!(plain.drawn(), (0.0, 100.0));
        assert_eq!(row(&[7.0]).drawn(), (6.5, 7.5), "a constant has room around it");
    }
}
