//! The timing diagram: raw line over clean point, thrown-away edges marked by rule, counts and numbers as curves.

use crate::axis::axis;
use crate::bits::{NamedBit, Names};
use crate::number::NumberRow;
use crate::pen::{Align, Pen, Stroke, fitted, width_of};
use crate::picture::{Drawing, PictureError};
use crate::place::Place;
use crate::theme::Theme;
use crate::trace::{Slice, Trace};
use plotters::prelude::*;
use reigen_core::account::Rule;
use reigen_core::cast;
use reigen_core::time::{Nanos, Origin};

/// A row of the diagram.
#[derive(Debug, Clone)]
pub struct Row {
    /// What stands before it.
    pub label: String,
    /// What stands below the label, fainter.
    pub under: String,
    /// What is drawn.
    pub content: Content,
}

/// What a row shows.
#[derive(Debug, Clone)]
pub enum Content {
    /// A point that is on or off, over its raw line where it has one.
    Bit {
        /// The raw line.
        raw: Option<Trace>,
        /// The point.
        clean: Trace,
        /// Edges that were thrown away.
        rejected: Vec<(Nanos, Rule)>,
        /// Of a timer its time, and whether it runs: drawn as ramps.
        ramp: Option<(Nanos, Trace)>,
    },
    /// A number.
    Number(NumberRow),
    /// A line of a chain.
    Wire {
        /// The line.
        line: Trace,
        /// On the data line, the bits that the clock reads.
        bits: Vec<NamedBit>,
    },
}

/// A whole diagram.
#[derive(Debug, Clone)]
pub struct Diagram {
    /// What stands above it.
    pub title: String,
    /// The first time that is shown.
    pub from: Nanos,
    /// The last time that is shown.
    pub until: Nanos,
    /// The file's own first time.
    pub origin: Origin,
    /// The rows, from the top.
    pub rows: Vec<Row>,
}

const LEFT: i32 = 170;
/// Room for the labels of levels.
const RIGHT: i32 = 60;
const TOP: i32 = 44;
const BOTTOM: i32 = 66;
/// A row needs this height at least, and takes this at most.
const ROW: (i32, i32) = (26, 220);
/// From so many changes in a column of pixels on, it is drawn as a density.
const DENSE: u64 = 3;

/// A row's place on the picture.
#[derive(Debug, Clone, Copy)]
struct Lane {
    top: i32,
    bottom: i32,
    right: i32,
}

impl Drawing for Diagram {
    fn draw(&self, pen: &Pen<'_>, (width, height): (u32, u32), theme: &Theme) -> Result<(), PictureError> {
        let (width, height) = (cast::i32_from_u32(width), cast::i32_from_u32(height));
        let room = height - TOP - BOTTOM;
        let rows = cast::i32_from_usize(self.rows.len().max(1));
        if room / rows < ROW.0 {
            return Err(PictureError::Room { rows: self.rows.len(), needed: self.least_height() });
        }
        let tall = (room / rows).min(ROW.1);
        let right = width - RIGHT;
        let bottom = TOP + tall * rows;
        pen.text(&fitted(&self.title, 18, width - LEFT - 8), (LEFT, TOP / 2), 18, Align::Left, theme.ink)?;
        self.draw_axis(pen, right, bottom, theme)?;
        for (row, top) in self.rows.iter().zip((0..).map(|number| TOP + number * tall)) {
            let gap = (tall / 8).max(2);
            let lane = Lane { top: top + gap, bottom: top + tall - gap, right };
            self.draw_row(pen, row, lane, theme)?;
        }
        self.draw_legend(pen, bottom + 48, theme)?;
        Ok(())
    }
}

impl Diagram {
    /// The least height, in pixels, at which its rows can be told apart.
    pub fn least_height(&self) -> u32 {
        cast::u32_from_i32(cast::i32_from_usize(self.rows.len().max(1)) * ROW.0 + TOP + BOTTOM)
    }

    /// The times of a column of pixels.
    fn column(&self, x: i32, right: i32) -> (Nanos, Nanos) {
        let columns = cast::u128_from_i32((right - LEFT).max(1));
        let length = u128::from((self.until - self.from).0.max(1));
        let at = |x: i32| self.from + Nanos(cast::u64_from_u128(length * cast::u128_from_i32(x - LEFT) / columns));
        let (from, until) = (at(x), at(x + 1));
        (from, until.max(from + Nanos(1)))
    }

    fn x_of(&self, time: Nanos, right: i32) -> i32 {
        let length = (self.until - self.from).0.max(1) as f64;
        LEFT + cast::i32_from_f64(time.saturating_sub(self.from).0 as f64 / length * f64::from(right - LEFT))
    }

    fn draw_axis(&self, pen: &Pen<'_>, right: i32, bottom: i32, theme: &Theme) -> Stroke {
        let [from, until] = [self.from, self.until].map(|time| self.origin.file_time_ns(time));
        let axis = axis(from, until, i64::from((right - LEFT) / 110).max(2));
        for (mark, label) in &axis.marks {
            let x = self.x_of(self.origin.since_start(*mark).unwrap_or_default(), right);
            pen.line((x, TOP - 4), (x, bottom), theme.grid)?;
            // A long label at the end stands within the picture all the same.
            let end = right + RIGHT - 2;
            let (at, align) = if x + width_of(label, 14) / 2 > end { (end, Align::Right) } else { (x, Align::Centre) };
            pen.text(label, (at, bottom + 12), 14, align, theme.ink)?;
        }
        pen.line((LEFT, bottom), (right, bottom), theme.ink)?;
        pen.text(&format!("time in {}", axis.title), ((LEFT + right) / 2, bottom + 32), 14, Align::Centre, theme.faint)
    }

    fn draw_row(&self, pen: &Pen<'_>, row: &Row, lane: Lane, theme: &Theme) -> Stroke {
        let middle = (lane.top + lane.bottom) / 2;
        let two = !row.under.is_empty() && lane.bottom - lane.top > 30;
        let shift = if two { 9 } else { 0 };
        let room = LEFT - 16;
        pen.text(&fitted(&row.label, 16, room), (LEFT - 12, middle - shift), 16, Align::Right, theme.ink)?;
        if two {
            let under = fitted(&row.under, 12, room);
            pen.text(&under, (LEFT - 12, middle + 9), 12, Align::Right, theme.faint)?;
        }
        match &row.content {
            Content::Bit { raw, clean, rejected, ramp } => {
                let parted = lane.top + (lane.bottom - lane.top) * 2 / 5;
                let below = if raw.is_some() { Lane { top: parted + 3, ..lane } } else { lane };
                if let Some(raw) = raw {
                    let above = Lane { bottom: parted - 3, ..lane };
                    self.draw_wave(pen, raw, above, theme.raw)?;
                    self.draw_rejected(pen, rejected, above, theme)?;
                }
                self.draw_bar(pen, clean, below, theme)?;
                ramp.iter().try_for_each(|(time, running)| self.draw_ramp(pen, *time, running, lane, theme))
            }
            Content::Number(number) => {
                let place = Place { left: LEFT, right: lane.right, top: lane.top, bottom: lane.bottom };
                let name = if two { (middle - 17, middle + 15) } else { (middle - 8, middle + 8) };
                number.draw(pen, place, name, &|x| self.column(x, lane.right), theme)
            }
            Content::Wire { line, bits } => self.draw_wire(pen, line, bits, lane, theme),
        }
    }

    /// A line of a chain; what each clock reads of it is marked and named.
    fn draw_wire(&self, pen: &Pen<'_>, line: &Trace, bits: &[NamedBit], lane: Lane, theme: &Theme) -> Stroke {
        let bits: Vec<NamedBit> =
            bits.iter().filter(|bit| (self.from..=self.until).contains(&bit.at)).cloned().collect();
        let places: Vec<i32> = bits.iter().map(|bit| self.x_of(bit.at, lane.right)).collect();
        let Some(names) = Names::that_fit(&bits, &places, lane.bottom - lane.top) else {
            return self.draw_wave(pen, line, lane, theme.raw);
        };
        let lane = Lane { top: lane.top + names.height, ..lane };
        self.draw_wave(pen, line, lane, theme.raw)?;
        for (bit, &x) in bits.iter().zip(&places) {
            let y = if bit.high { lane.top } else { lane.bottom };
            pen.fill([x - 2, y - 2, x + 3, y + 3], theme.on)?;
        }
        let row = Place { left: LEFT, right: lane.right, top: lane.top - names.height, bottom: lane.bottom };
        names.draw(pen, &bits, &places, row, theme)
    }

    /// What a trace did in each column of pixels, and whether that is too much to draw change by change.
    fn columns(&self, trace: &Trace, right: i32) -> Vec<Option<(Slice, bool)>> {
        let slices: Vec<Option<Slice>> = (LEFT..right)
            .map(|x| {
                let (from, until) = self.column(x, right);
                trace.slice(from, until)
            })
            .collect();
        let dense = |at: usize, slice: Slice| {
            // Changes in column after column are as unreadable as many in one.
            let around = slices.get(at.saturating_sub(2)..(at + 3).min(slices.len())).unwrap_or_default();
            let busy = around.iter().flatten().filter(|slice| slice.toggles > 0);
            let (columns, toggles) = busy.fold((0, 0), |(columns, sum), slice| (columns + 1, sum + slice.toggles));
            slice.toggles >= DENSE || (columns >= 3 && toggles >= 5)
        };
        slices.iter().enumerate().map(|(at, slice)| slice.map(|slice| (slice, dense(at, slice)))).collect()
    }

    /// A line: high above, low below; dense columns as a shade.
    fn draw_wave(&self, pen: &Pen<'_>, trace: &Trace, lane: Lane, colour: RGBColor) -> Stroke {
        let mut flat: Option<(i32, i32)> = None;
        let mut last: Option<i32> = None;
        for (x, column) in (LEFT..).zip(self.columns(trace, lane.right)) {
            let Some((slice, dense)) = column else { continue };
            let level = if slice.high >= 0.5 { lane.top } else { lane.bottom };
            if dense {
                end_flat(pen, flat.take(), x, colour)?;
                draw_dense(pen, x, slice, lane, colour)?;
                last = None;
                continue;
            }
            let jumps = last.is_some_and(|last| last != level);
            if slice.toggles > 0 || jumps {
                end_flat(pen, flat.take(), x, colour)?;
                pen.line((x, lane.top), (x, lane.bottom), colour)?;
            }
            flat = flat.or(Some((x, level)));
            last = Some(level);
        }
        end_flat(pen, flat, lane.right, colour)
    }

    /// A point: a bar while it is on.
    fn draw_bar(&self, pen: &Pen<'_>, trace: &Trace, lane: Lane, theme: &Theme) -> Stroke {
        pen.line((LEFT, lane.bottom), (lane.right, lane.bottom), theme.on.mix(0.5))?;
        let mut on_since: Option<i32> = None;
        for (x, column) in (LEFT..).zip(self.columns(trace, lane.right)) {
            let (slice, dense) = column.unwrap_or((Slice { toggles: 0, high: 0.0 }, false));
            // A pulse narrower than a column is drawn one column wide.
            let shows = !dense && (slice.high >= 0.5 || (slice.toggles >= 2 && slice.high > 0.0));
            match (shows, on_since) {
                (true, None) => on_since = Some(x),
                (false, Some(_)) => self.end_bar(pen, on_since.take(), x, lane, theme)?,
                _ => {}
            }
            if dense {
                draw_dense(pen, x, slice, lane, theme.on)?;
            }
        }
        self.end_bar(pen, on_since, lane.right, lane, theme)
    }

    fn end_bar(&self, pen: &Pen<'_>, since: Option<i32>, x: i32, lane: Lane, theme: &Theme) -> Stroke {
        let Some(since) = since else { return Ok(()) };
        let until = x.max(since + 1);
        pen.fill([since, lane.top, until, lane.bottom], theme.on.mix(0.35))?;
        pen.path(vec![(since, lane.bottom), (since, lane.top), (until, lane.top), (until, lane.bottom)], theme.on, 1)?;
        if until - since > 34 && lane.bottom - lane.top >= 14 {
            pen.text("on", ((since + until) / 2, (lane.top + lane.bottom) / 2), 13, Align::Centre, theme.ink)?;
        }
        Ok(())
    }

    /// Marks of edges that were thrown away, one shape for each rule.
    fn draw_rejected(&self, pen: &Pen<'_>, rejected: &[(Nanos, Rule)], lane: Lane, theme: &Theme) -> Stroke {
        let mut last = None;
        for &(time, rule) in rejected.iter().filter(|(time, _)| (self.from..=self.until).contains(time)) {
            let x = self.x_of(time, lane.right);
            // Marks that would lie on one another are one.
            if last == Some((x, rule)) {
                continue;
            }
            last = Some((x, rule));
            mark(pen, rule, (x, lane.top - 4), theme)?;
        }
        Ok(())
    }

    /// A timer's time as it runs.
    fn draw_ramp(&self, pen: &Pen<'_>, time: Nanos, running: &Trace, lane: Lane, theme: &Theme) -> Stroke {
        let height = f64::from(lane.bottom - lane.top);
        for x in LEFT..lane.right {
            let (from, _) = self.column(x, lane.right);
            if let Some(since) = running.high_since(from) {
                let share = (from - since).0 as f64 / time.0.max(1) as f64;
                let y = lane.bottom - cast::i32_from_f64(share.min(1.0) * height);
                pen.fill([x, y - 1, x + 1, y + 1], theme.number)?;
            }
        }
        Ok(())
    }

    /// What the marks mean, for the rules that occur.
    fn draw_legend(&self, pen: &Pen<'_>, y: i32, theme: &Theme) -> Stroke {
        let occurs = |wanted: Rule| {
            self.rows.iter().any(|row| match &row.content {
                Content::Bit { rejected, .. } => rejected.iter().any(|(_, rule)| *rule == wanted),
                Content::Number(_) | Content::Wire { .. } => false,
            })
        };
        let mut x = LEFT;
        for rule in [Rule::Bounce, Rule::Glitch, Rule::Missed].into_iter().filter(|rule| occurs(*rule)) {
            mark(pen, rule, (x + 5, y), theme)?;
            pen.text(rule.word(), (x + 16, y), 13, Align::Left, theme.ink)?;
            x += 90;
        }
        let turns = |row: &Row| matches!(&row.content, Content::Number(number) if number.turning.is_some());
        if self.rows.iter().any(turns) {
            for (word, colour) in [("forward", theme.number), ("back", theme.second)] {
                pen.fill([x, y - 1, x + 12, y + 2], colour)?;
                pen.text(word, (x + 18, y), 13, Align::Left, theme.ink)?;
                x += 90;
            }
            pen.line((x + 4, y - 5), (x + 4, y + 4), theme.ink)?;
            pen.text("index", (x + 14, y), 13, Align::Left, theme.ink)?;
            pen.shape(vec![(x + 76, y + 4), (x + 84, y + 4), (x + 80, y - 4)], theme.ink)?;
            pen.text("zero", (x + 92, y), 13, Align::Left, theme.ink)?;
        }
        Ok(())
    }
}

/// A column of many changes: a shade that is darker the more there are, up to the share of high.
fn draw_dense(pen: &Pen<'_>, x: i32, slice: Slice, lane: Lane, colour: RGBColor) -> Stroke {
    let dark = 0.16 + 0.08 * (slice.toggles.max(1) as f64).log10().min(4.0);
    pen.fill([x, lane.top, x + 1, lane.bottom], colour.mix(dark))?;
    let height = cast::i32_from_f64(f64::from(lane.bottom - lane.top) * slice.high);
    pen.fill([x, lane.bottom - height, x + 1, lane.bottom], colour.mix(dark + 0.1))
}

fn end_flat(pen: &Pen<'_>, flat: Option<(i32, i32)>, x: i32, colour: RGBColor) -> Stroke {
    match flat {
        Some((since, y)) => pen.line((since, y), (x, y), colour),
        None => Ok(()),
    }
}

/// The mark of a rule: a triangle for bounce, a diamond for glitch, a square for missed.
fn mark(pen: &Pen<'_>, rule: Rule, (x, y): (i32, i32), theme: &Theme) -> Stroke {
    let points = match rule {
        Rule::Bounce => vec![(x - 4, y - 4), (x + 4, y - 4), (x, y + 4)],
        Rule::Glitch => vec![(x - 4, y), (x, y - 5), (x + 4, y), (x, y + 5)],
        Rule::Missed => vec![(x - 3, y - 3), (x + 3, y - 3), (x + 3, y + 3), (x - 3, y + 3)],
    };
    pen.shape(points, theme.rule(rule))
}
