//! The count as a function of the debounce time, on a logarithmic scale, with the time that is recommended.

use crate::axis::LogAxis;
use crate::pen::{Align, Pen, Stroke, fitted};
use crate::picture::{Drawing, PictureError};
use crate::theme::Theme;
use plotters::prelude::*;
use reigen_core::cast;
use reigen_core::measure::debounce::Method;
use reigen_core::units::engineering;

/// The curves of some methods.
#[derive(Debug, Clone)]
pub struct CurvePicture<'a> {
    /// What stands above it.
    pub title: String,
    /// The methods, the recommended one first.
    pub methods: Vec<&'a Method>,
    /// How many actuations there really were, where that is known.
    pub true_count: Option<u64>,
}

const LEFT: i32 = 90;
const RIGHT: i32 = 30;
const TOP: i32 = 80;
const BOTTOM: i32 = 70;

/// The scales of the picture.
struct Scale {
    times: LogAxis,
    bottom: i32,
    most: f64,
}

impl Scale {
    /// Counts on a scale that keeps small ones apart: the square root.
    fn y(&self, count: u64) -> i32 {
        self.bottom - cast::i32_from_f64((count as f64).sqrt() / self.most.sqrt() * f64::from(self.bottom - TOP))
    }
}

impl Drawing for CurvePicture<'_> {
    fn draw(&self, pen: &Pen<'_>, (width, height): (u32, u32), theme: &Theme) -> Result<(), PictureError> {
        let scale = self.scale(cast::i32_from_u32(width) - RIGHT, cast::i32_from_u32(height) - BOTTOM);
        pen.text(
            &fitted(&self.title, 18, cast::i32_from_u32(width) - LEFT - 8),
            (LEFT, TOP / 2),
            18,
            Align::Left,
            theme.ink,
        )?;
        draw_grid(pen, &scale, theme)?;
        if let Some(plateau) = self.methods.first().and_then(|method| method.plateau) {
            let (from, until) = (scale.times.x(plateau.from.0 as f64), scale.times.x(plateau.until.0 as f64));
            pen.fill([from, TOP, until, scale.bottom], theme.on.mix(0.12))?;
        }
        if let Some(count) = self.true_count {
            let y = scale.y(count);
            pen.line((LEFT, y), (scale.times.right, y), theme.faint)?;
            pen.text(&format!("really {count}"), (scale.times.right, y - 9), 13, Align::Right, theme.faint)?;
        }
        if let Some(first) = self.methods.first().filter(|method| method.plateau.is_some()) {
            let x = scale.times.x(first.time.0 as f64);
            pen.line((x, TOP), (x, scale.bottom), theme.on)?;
            let words = engineering(first.time.seconds(), "s");
            pen.text(&words, (x + 6, scale.bottom - 12), 14, Align::Left, theme.on)?;
        }
        // The second curve below the first.
        for (method, colour) in self.methods.iter().zip([theme.on, theme.second]).rev() {
            draw_curve(pen, method, &scale, colour)?;
        }
        for (number, (method, colour)) in self.methods.iter().zip([theme.on, theme.second]).enumerate() {
            // Above the curves, so that it hides none.
            let y = TOP - 38 + 20 * cast::i32_from_usize(number);
            pen.fill([scale.times.right - 330, y - 2, scale.times.right - 306, y + 2], colour)?;
            let words = match method.plateau {
                Some(plateau) => format!("{}: {} with {}", method.name, plateau.count, method.time),
                None => format!("{}: none", method.name),
            };
            pen.text(&words, (scale.times.right - 298, y), 15, Align::Left, theme.ink)?;
        }
        Ok(())
    }
}

impl CurvePicture<'_> {
    fn scale(&self, right: i32, bottom: i32) -> Scale {
        let steps = || self.methods.iter().flat_map(|method| &method.curve.steps);
        // From a decade below the first step to the last one.
        let first = steps().map(|(time, _)| time.0).filter(|time| *time > 1).min().unwrap_or(1_000);
        let last = steps().map(|(time, _)| time.0).max().unwrap_or(1_000_000_000);
        let shortest = ((first as f64).log10().floor() - 1.0).max(0.0);
        let longest = (last.max(first + 1) as f64).log10().ceil().max(shortest + 1.0);
        let most = steps().map(|(_, count)| *count).max().unwrap_or(1).max(1) as f64;
        Scale { times: LogAxis { left: LEFT, right, ends: (shortest, longest) }, bottom, most }
    }
}

fn draw_grid(pen: &Pen<'_>, scale: &Scale, theme: &Theme) -> Stroke {
    let (shortest, longest) = (cast::i32_from_f64(scale.times.ends.0), cast::i32_from_f64(scale.times.ends.1));
    for decade in shortest..=longest {
        let nanos = 10f64.powi(decade);
        let x = scale.times.x(nanos);
        pen.line((x, TOP), (x, scale.bottom), theme.grid)?;
        pen.text(&engineering(nanos / 1e9, "s"), (x, scale.bottom + 14), 14, Align::Centre, theme.ink)?;
    }
    let mut last = i32::MAX;
    for count in marks(cast::u64_from_f64(scale.most)) {
        let y = scale.y(count);
        if last - y < 22 {
            continue;
        }
        last = y;
        pen.line((LEFT, y), (scale.times.right, y), theme.grid)?;
        pen.text(&count.to_string(), (LEFT - 10, y), 14, Align::Right, theme.ink)?;
    }
    pen.text("actuations", (LEFT - 70, TOP - 20), 14, Align::Left, theme.faint)?;
    pen.text("debounce time", ((LEFT + scale.times.right) / 2, scale.bottom + 40), 14, Align::Centre, theme.faint)
}

/// Round counts up to the most: 0, 1, 2, 5, 10, 20, 50, …
fn marks(most: u64) -> Vec<u64> {
    let powers = (0..19).map(|power| 10u64.pow(power));
    let all = powers.flat_map(|power| [1, 2, 5].map(|factor| power.saturating_mul(factor)));
    [0].into_iter().chain(all.take_while(|count| *count <= most)).collect()
}

fn draw_curve(pen: &Pen<'_>, method: &Method, scale: &Scale, colour: RGBColor) -> Stroke {
    let mut points = Vec::new();
    for plateau in method.curve.plateaus() {
        let y = scale.y(plateau.count);
        points.push((scale.times.x(plateau.from.0 as f64), y));
        points.push((scale.times.x(plateau.until.0 as f64), y));
    }
    // Neighbours on one pixel are one.
    points.dedup();
    pen.path(points, colour, 2)
}
