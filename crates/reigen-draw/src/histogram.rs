//! How often times were how long: bars over an axis of times.

use crate::axis::axis;
use crate::pen::{Align, Pen, Stroke, fitted};
use crate::picture::{Drawing, PictureError};
use crate::theme::Theme;
use reigen_core::cast;
use reigen_core::number::distribution::Bar;
use reigen_core::time::Nanos;

/// Bars of equal length, one beside the other.
#[derive(Debug, Clone)]
pub struct Histogram<'a> {
    /// What stands above it.
    pub title: String,
    /// The bars, in the order of their times.
    pub bars: &'a [Bar],
    /// A time to mark, and what it is called.
    pub mark: Option<(Nanos, String)>,
}

const LEFT: i32 = 70;
const RIGHT: i32 = 30;
const TOP: i32 = 60;
const BOTTOM: i32 = 56;

/// The scales of the picture.
struct Scale {
    from: Nanos,
    length: u64,
    right: i32,
    bottom: i32,
    most: u64,
}

impl Scale {
    fn x(&self, time: Nanos) -> i32 {
        let share = time.saturating_sub(self.from).0 as f64 / self.length as f64;
        LEFT + cast::i32_from_f64(share.clamp(0.0, 1.0) * f64::from(self.right - LEFT))
    }

    fn y(&self, count: u64) -> i32 {
        self.bottom - cast::i32_from_f64(count as f64 / self.most as f64 * f64::from(self.bottom - TOP))
    }
}

impl Drawing for Histogram<'_> {
    fn draw(&self, pen: &Pen<'_>, (width, height): (u32, u32), theme: &Theme) -> Result<(), PictureError> {
        let (right, bottom) = (cast::i32_from_u32(width) - RIGHT, cast::i32_from_u32(height) - BOTTOM);
        pen.text(&fitted(&self.title, 18, right - LEFT), (LEFT, TOP / 2), 18, Align::Left, theme.ink)?;
        let (Some(first), Some(last)) = (self.bars.first(), self.bars.last()) else { return Ok(()) };
        let most = self.bars.iter().map(|bar| bar.count).max().unwrap_or_default().max(1);
        let length = last.to.saturating_sub(first.from).0.max(1);
        let scale = Scale { from: first.from, length, right, bottom, most };
        draw_scales(pen, &scale, theme)?;
        for bar in self.bars.iter().filter(|bar| bar.count > 0) {
            // At least a stroke, so that a single long delay is seen beside thousands of short ones.
            let top = scale.y(bar.count).min(bottom - 2);
            let (left, right) = (scale.x(bar.from), scale.x(bar.to));
            pen.fill([left, top, (right - 1).max(left + 1), bottom], theme.on)?;
        }
        if let Some((time, words)) = &self.mark {
            let x = scale.x(*time);
            pen.line((x, TOP - 6), (x, bottom), theme.second)?;
            let (align, beside) = if x > (LEFT + right) / 2 { (Align::Right, -6) } else { (Align::Left, 6) };
            pen.text(words, (x + beside, TOP - 6), 14, align, theme.second)?;
        }
        Ok(())
    }
}

fn draw_scales(pen: &Pen<'_>, scale: &Scale, theme: &Theme) -> Stroke {
    let from = cast::i64_from_u64(scale.from.0);
    let times = axis(from, from.saturating_add(cast::i64_from_u64(scale.length)), 8);
    for (time, label) in &times.marks {
        let x = scale.x(Nanos(cast::u64_from_i64(*time)));
        pen.line((x, TOP), (x, scale.bottom), theme.grid)?;
        pen.text(label, (x, scale.bottom + 14), 14, Align::Centre, theme.ink)?;
    }
    pen.text(&times.title, ((LEFT + scale.right) / 2, scale.bottom + 36), 14, Align::Centre, theme.faint)?;
    for count in [0, scale.most / 2, scale.most] {
        let y = scale.y(count);
        pen.line((LEFT, y), (scale.right, y), theme.grid)?;
        pen.text(&count.to_string(), (LEFT - 8, y), 14, Align::Right, theme.ink)?;
    }
    Ok(())
}
