//! The share of pulses that are missed over the period of reading, on a logarithmic scale.

use crate::axis::LogAxis;
use crate::pen::{Align, Pen, Stroke, fitted};
use crate::picture::{Drawing, PictureError};
use crate::theme::Theme;
use plotters::prelude::*;
use reigen_core::cast;
use reigen_core::time::Nanos;
use reigen_core::units::engineering;

/// One input's curve.
#[derive(Debug, Clone)]
pub struct MissedCurve {
    /// The input.
    pub name: String,
    /// Periods, rising, and the share of pulses missed at each, from 0 to 1.
    pub points: Vec<(Nanos, f64)>,
}

/// Curves of some inputs.
#[derive(Debug, Clone)]
pub struct PollingPicture {
    /// What stands above it.
    pub title: String,
    /// A period that is asked for.
    pub period: Option<Nanos>,
    /// The curves.
    pub curves: Vec<MissedCurve>,
}

const LEFT: i32 = 80;
/// Room for the names.
const RIGHT: i32 = 190;
const TOP: i32 = 60;
const BOTTOM: i32 = 70;
/// The height of a name.
const NAME: i32 = 17;

struct Scale {
    periods: LogAxis,
    bottom: i32,
}

impl Scale {
    fn x(&self, period: Nanos) -> i32 {
        self.periods.x(period.0 as f64)
    }

    fn y(&self, share: f64) -> i32 {
        self.bottom - cast::i32_from_f64(share * f64::from(self.bottom - TOP))
    }
}

impl Drawing for PollingPicture {
    fn draw(&self, pen: &Pen<'_>, (width, height): (u32, u32), theme: &Theme) -> Result<(), PictureError> {
        let ends = self.curves.iter().flat_map(|curve| curve.points.first().into_iter().chain(curve.points.last()));
        let logarithms = || ends.clone().map(|(period, _)| (period.0.max(1) as f64).log10());
        let periods = (logarithms().fold(f64::INFINITY, f64::min), logarithms().fold(0.0, f64::max));
        let periods = if self.curves.is_empty() { (6.0, 9.0) } else { periods };
        let scale = Scale {
            periods: LogAxis { left: LEFT, right: cast::i32_from_u32(width) - RIGHT, ends: periods },
            bottom: cast::i32_from_u32(height) - BOTTOM,
        };
        pen.text(
            &fitted(&self.title, 18, cast::i32_from_u32(width) - LEFT - 8),
            (LEFT, TOP / 2 - 6),
            18,
            Align::Left,
            theme.ink,
        )?;
        draw_grid(pen, &scale, theme)?;
        if let Some(period) = self.period {
            let x = scale.x(period);
            pen.line((x, TOP), (x, scale.bottom), theme.ink)?;
            // On the side of its line that has more room: the curves' names stand beside the picture.
            let (beside, align) =
                if x > scale.periods.right / 2 { (x - 6, Align::Right) } else { (x + 6, Align::Left) };
            pen.text(&engineering(period.seconds(), "s"), (beside, TOP + 10), 14, align, theme.ink)?;
        }
        self.draw_curves(pen, &scale, theme)?;
        Ok(())
    }
}

impl PollingPicture {
    fn draw_curves(&self, pen: &Pen<'_>, scale: &Scale, theme: &Theme) -> Stroke {
        let colours = theme.curves();
        let (still, missed): (Vec<&MissedCurve>, Vec<&MissedCurve>) =
            self.curves.iter().partition(|curve| curve.points.iter().all(|(_, share)| *share == 0.0));
        if !still.is_empty() {
            let names: Vec<&str> = still.iter().map(|curve| curve.name.as_str()).collect();
            let text = format!("no pulse missed: {}", names.join(", "));
            let place = (LEFT, TOP - 12);
            pen.text(&fitted(&text, 13, scale.periods.right - LEFT), place, 13, Align::Left, theme.faint)?;
        }
        // Names stand at their curves' ends, pushed apart where they would meet.
        let mut names: Vec<(i32, &str, RGBColor)> = Vec::new();
        for (curve, colour) in missed.into_iter().zip(colours.iter().cycle()) {
            let points: Vec<(i32, i32)> =
                curve.points.iter().map(|(period, share)| (scale.x(*period), scale.y(*share))).collect();
            let end = points.last().map_or(scale.bottom, |(_, y)| *y);
            pen.path(points, *colour, 2)?;
            names.push((end, &curve.name, *colour));
        }
        names.sort_by_key(|(y, ..)| *y);
        names.truncate(cast::usize_from_u64(u64::from((scale.bottom - TOP).unsigned_abs() / NAME.unsigned_abs())));
        let ends: Vec<i32> = names.iter().map(|(y, ..)| *y).collect();
        for ((_, name, colour), y) in names.iter().zip(apart(&ends, scale.bottom)) {
            pen.text(name, (scale.periods.right + 8, y), 14, Align::Left, *colour)?;
        }
        Ok(())
    }
}

/// Heights of names that want to stand at some rising heights: apart from one another, and none below the last that there is.
fn apart(wanted: &[i32], last: i32) -> Vec<i32> {
    let mut free = i32::MIN;
    let pushed_down = wanted.iter().map(|&y| {
        let place = y.max(free);
        free = place + NAME;
        place
    });
    let mut heights: Vec<i32> = pushed_down.collect();
    let mut most = last;
    for height in heights.iter_mut().rev() {
        *height = (*height).min(most);
        most = *height - NAME;
    }
    heights
}

fn draw_grid(pen: &Pen<'_>, scale: &Scale, theme: &Theme) -> Stroke {
    for step in 0..=4 {
        let share = f64::from(step) / 4.0;
        pen.line((LEFT, scale.y(share)), (scale.periods.right, scale.y(share)), theme.grid)?;
        pen.text(&format!("{:.0} %", share * 100.0), (LEFT - 10, scale.y(share)), 14, Align::Right, theme.ink)?;
    }
    let (first, last) =
        (cast::i32_from_f64(scale.periods.ends.0.ceil()), cast::i32_from_f64(scale.periods.ends.1.floor()));
    for power in first..=last {
        let period = Nanos(10u64.saturating_pow(power.unsigned_abs()));
        let x = scale.x(period);
        pen.line((x, TOP), (x, scale.bottom), theme.grid)?;
        pen.text(&engineering(period.seconds(), "s"), (x, scale.bottom + 16), 14, Align::Centre, theme.ink)?;
    }
    pen.line((LEFT, scale.bottom), (scale.periods.right, scale.bottom), theme.ink)?;
    let middle = ((LEFT + scale.periods.right) / 2, scale.bottom + 42);
    pen.text("read every", middle, 14, Align::Centre, theme.faint)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::picture::{Format, render};

    proptest::proptest! {
        #[test]
        fn names_are_apart_and_none_is_below_the_last_place(wanted in proptest::collection::vec(60..400i32, 0..20)) {
            let mut wanted = wanted;
            wanted.sort_unstable();
            let heights = apart(&wanted, 400);
            proptest::prop_assert!(heights.windows(2).all(|pair| pair[1] - pair[0] >= NAME), "{heights:?}");
            proptest::prop_assert!(heights.iter().all(|height| *height <= 400 && *height >= 60 - NAME), "{heights:?}");
            let free = wanted.windows(2).all(|pair| pair[1] - pair[0] >= NAME);
            proptest::prop_assert!(!free || heights == wanted, "nothing moves without need");
        }
    }

    #[test]
    fn a_picture_names_each_curve_and_the_period_and_bears_having_none() {
        let curve = |name: &str, share: f64| MissedCurve {
            name: name.to_owned(),
            points: vec![(Nanos(1_000_000), 0.0), (Nanos(1_000_000_000), share)],
        };
        let picture = |curves| PollingPicture { title: "missed".to_owned(), period: Some(Nanos(50_000_000)), curves };
        let svg = |picture: &PollingPicture| {
            String::from_utf8(render(picture, Format::of_ending("svg").unwrap(), (800, 500), &Theme::LIGHT).unwrap())
                .unwrap()
        };
        let text = svg(&picture(vec![curve("runout_11", 0.9), curve("drum_hall", 0.9)]));
        assert!(["runout_11", "drum_hall", "50 ms", "100 ms"].iter().all(|word| text.contains(word)), "{text}");
        assert!(svg(&picture(Vec::new())).contains("missed"));
    }
}
