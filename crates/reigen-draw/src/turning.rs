//! What an encoder's row shows beside its position: the direction, the phase of its channels, marks and zeros.

use crate::pen::Pen;
use crate::pen::Stroke;
use crate::place::Place;
use crate::theme::Theme;
use crate::trace::Trace;
use plotters::prelude::*;
use reigen_core::time::Nanos;

/// How an encoder turned.
#[derive(Debug, Clone)]
pub struct Turning {
    /// On while it last went forward.
    pub forward: Trace,
    /// Its channels.
    pub channels: Option<(Trace, Trace)>,
    /// When the index came.
    pub marks: Vec<Nanos>,
    /// When it was zeroed.
    pub zeros: Vec<Nanos>,
}

/// The height of the strip that shows the phase.
const STRIP: i32 = 8;

impl Turning {
    /// The colour of the position in a stretch of time.
    pub(crate) fn colour(&self, from: Nanos, until: Nanos, theme: &Theme) -> RGBColor {
        match self.forward.slice(from, until) {
            Some(slice) if slice.high < 0.5 => theme.second,
            _ => theme.number,
        }
    }

    /// Draws marks as ticks above, zeros as lines, and the four states of the channels as a strip below.
    pub(crate) fn draw(
        &self,
        pen: &Pen<'_>,
        place: Place,
        column: &dyn Fn(i32) -> (Nanos, Nanos),
        theme: &Theme,
    ) -> Stroke {
        let Place { left, right, top, bottom } = place;
        let (mut marks, mut zeros) = (self.marks.iter().peekable(), self.zeros.iter().peekable());
        for x in left..right {
            let (from, until) = column(x);
            let within = |times: &mut std::iter::Peekable<std::slice::Iter<'_, Nanos>>| {
                while times.next_if(|time| **time < from).is_some() {}
                times.next_if(|time| **time < until).is_some()
            };
            if within(&mut marks) {
                pen.line((x, top - 5), (x, top), theme.ink)?;
            }
            if within(&mut zeros) {
                pen.line((x, top), (x, bottom), theme.faint)?;
                pen.shape(vec![(x - 4, bottom + 8), (x + 4, bottom + 8), (x, bottom)], theme.ink)?;
            }
            self.draw_phase(pen, x, bottom, (from, until), theme)?;
        }
        Ok(())
    }

    /// The state of both channels: four shades, whose order tells the direction.
    fn draw_phase(&self, pen: &Pen<'_>, x: i32, bottom: i32, (from, until): (Nanos, Nanos), theme: &Theme) -> Stroke {
        let Some((a, b)) = &self.channels else { return Ok(()) };
        let (Some(a), Some(b)) = (a.slice(from, until), b.slice(from, until)) else { return Ok(()) };
        let cell = [x, bottom - STRIP, x + 1, bottom];
        // Where several states share a column of pixels, none of them shows.
        if a.toggles + b.toggles > 1 {
            return pen.fill(cell, theme.raw.mix(0.25));
        }
        match (a.high >= 0.5, b.high >= 0.5) {
            (false, false) => pen.fill(cell, theme.on.mix(0.06)),
            (true, false) => pen.fill(cell, theme.on.mix(0.3)),
            (true, true) => pen.fill(cell, theme.on.mix(0.9)),
            (false, true) => pen.fill(cell, theme.second.mix(0.6)),
        }
    }
}
