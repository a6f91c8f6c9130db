//! The few strokes that pictures are made of, on any of the backends.

use plotters::coord::Shift;
use plotters::prelude::*;
use plotters::style::FontStyle;
use plotters::style::text_anchor::{HPos, Pos, VPos};
use reigen_core::cast;
use reigen_core::outside_words::on_one_line;
use std::borrow::Cow;

/// Where a text stands to its point.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Align {
    /// To the right of it.
    Left,
    /// About it.
    Centre,
    /// To the left of it.
    Right,
}

/// The font's name within the pictures.
const FONT: &str = "sans-serif";

/// Makes the font known, once for all pictures.
pub(crate) fn register_font() {
    // It fails only for bytes that are no font, and these are.
    let _ = plotters::style::register_font(FONT, FontStyle::Normal, notosans::REGULAR_TTF);
}

/// About how wide a text is, in pixels: a letter of this font takes 0.58 of its height, as names of small letters have them.
pub(crate) fn width_of(text: &str, size: u32) -> i32 {
    cast::i32_from_f64(text.chars().count() as f64 * f64::from(size) * 0.58)
}

/// A text cut to so many pixels, with its end left out where it is too long.
pub(crate) fn fitted(text: &str, size: u32, room: i32) -> Cow<'_, str> {
    if width_of(text, size) <= room {
        return Cow::Borrowed(text);
    }
    let letters = cast::usize_from_f64(f64::from(room) / (f64::from(size) * 0.58)).saturating_sub(1);
    Cow::Owned(text.chars().take(letters).chain(['…']).collect())
}

/// A backend's error, in words.
pub type Stroke = Result<(), String>;

fn words<T, E: std::fmt::Display>(result: Result<T, E>) -> Stroke {
    result.map(drop).map_err(|error| error.to_string())
}

/// What a pen draws on: pixels, or lines that scale.
trait Canvas {
    fn rectangle(&self, corners: [(i32, i32); 2], colour: RGBAColor) -> Stroke;
    fn path(&self, points: Vec<(i32, i32)>, colour: RGBAColor, width: u32) -> Stroke;
    fn shape(&self, points: Vec<(i32, i32)>, colour: RGBAColor) -> Stroke;
    fn text(&self, text: &str, at: (i32, i32), style: &TextStyle<'_>) -> Stroke;
}

impl<DB: DrawingBackend> Canvas for DrawingArea<DB, Shift> {
    fn rectangle(&self, corners: [(i32, i32); 2], colour: RGBAColor) -> Stroke {
        words(self.draw(&Rectangle::new(corners, colour.filled())))
    }

    fn path(&self, points: Vec<(i32, i32)>, colour: RGBAColor, width: u32) -> Stroke {
        words(self.draw(&PathElement::new(points, colour.stroke_width(width))))
    }

    fn shape(&self, points: Vec<(i32, i32)>, colour: RGBAColor) -> Stroke {
        words(self.draw(&Polygon::new(points, colour)))
    }

    fn text(&self, text: &str, at: (i32, i32), style: &TextStyle<'_>) -> Stroke {
        words(self.draw(&Text::new(text.to_owned(), at, style.clone())))
    }
}

/// A pen on a picture, whatever the backend. Strokes outside of it are cut off.
pub struct Pen<'a>(&'a dyn Canvas);

impl<'a> Pen<'a> {
    /// A pen on an area of a backend.
    pub(crate) fn new<DB: DrawingBackend>(area: &'a DrawingArea<DB, Shift>) -> Self {
        Self(area)
    }

    /// A filled rectangle.
    pub fn fill(&self, [left, top, right, bottom]: [i32; 4], colour: impl Into<RGBAColor>) -> Stroke {
        self.0.rectangle([(left, top), (right, bottom)], colour.into())
    }

    /// A straight line.
    pub fn line(&self, from: (i32, i32), to: (i32, i32), colour: impl Into<RGBAColor>) -> Stroke {
        self.path(vec![from, to], colour, 1)
    }

    /// A line through points.
    pub fn path(&self, points: Vec<(i32, i32)>, colour: impl Into<RGBAColor>, width: u32) -> Stroke {
        self.0.path(points, colour.into(), width)
    }

    /// A filled shape.
    pub fn shape(&self, points: Vec<(i32, i32)>, colour: impl Into<RGBAColor>) -> Stroke {
        self.0.shape(points, colour.into())
    }

    /// A text whose middle is at the height of its point.
    pub fn text(&self, text: &str, at: (i32, i32), size: u32, align: Align, colour: RGBColor) -> Stroke {
        let side = match align {
            Align::Left => HPos::Left,
            Align::Centre => HPos::Center,
            Align::Right => HPos::Right,
        };
        let style = TextStyle::from((FONT, cast::i32_from_u32(size)).into_font())
            .color(&colour)
            .pos(Pos::new(side, VPos::Center));
        self.0.text(&on_one_line(text), at, &style)
    }
}
