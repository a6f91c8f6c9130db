//! The few strokes that pictures are made of, on any of the backends.

use ab_glyph::{Font, FontRef, PxScale, ScaleFont, point};
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

fn words<T, E: std::fmt::Display>(result: Result<T, E>) -> Result<T, String> {
    result.map_err(|error| error.to_string())
}

/// How a text is set.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Letters {
    size: u32,
    align: Align,
    colour: RGBColor,
}

/// What a pen draws on: pixels, or lines that scale.
pub(crate) trait Canvas {
    fn rectangle(&self, corners: [(i32, i32); 2], colour: RGBAColor) -> Stroke;
    fn path(&self, points: Vec<(i32, i32)>, colour: RGBAColor, width: u32) -> Stroke;
    fn shape(&self, points: Vec<(i32, i32)>, colour: RGBAColor) -> Stroke;
    fn text(&self, text: &str, at: (i32, i32), letters: Letters) -> Stroke;
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

    fn text(&self, text: &str, at: (i32, i32), letters: Letters) -> Stroke {
        let side = match letters.align {
            Align::Left => HPos::Left,
            Align::Centre => HPos::Center,
            Align::Right => HPos::Right,
        };
        let style = TextStyle::from((FONT, cast::i32_from_u32(letters.size)).into_font())
            .color(&letters.colour)
            .pos(Pos::new(side, VPos::Center));
        words(self.draw(&Text::new(text.to_owned(), at, style)))
    }
}

/// Pixels, with letters of our own: the backend's stand on whole pixels, which sets them unevenly.
pub(crate) struct PixelCanvas<'a, DB: DrawingBackend> {
    area: &'a DrawingArea<DB, Shift>,
    font: FontRef<'static>,
}

impl<'a, DB: DrawingBackend> PixelCanvas<'a, DB> {
    /// A canvas on an area of pixels.
    ///
    /// # Errors
    /// Where the font cannot be read.
    pub(crate) fn new(area: &'a DrawingArea<DB, Shift>) -> Result<Self, String> {
        Ok(Self { area, font: words(FontRef::try_from_slice(notosans::REGULAR_TTF))? })
    }
}

/// Half of the height of small letters, as a share of the size: so far below its point a text's baseline lies.
const HALF_LETTER: f32 = 0.27;

impl<DB: DrawingBackend> Canvas for PixelCanvas<'_, DB> {
    fn rectangle(&self, corners: [(i32, i32); 2], colour: RGBAColor) -> Stroke {
        Canvas::rectangle(self.area, corners, colour)
    }

    fn path(&self, points: Vec<(i32, i32)>, colour: RGBAColor, width: u32) -> Stroke {
        Canvas::path(self.area, points, colour, width)
    }

    fn shape(&self, points: Vec<(i32, i32)>, colour: RGBAColor) -> Stroke {
        Canvas::shape(self.area, points, colour)
    }

    fn text(&self, text: &str, (x, y): (i32, i32), letters: Letters) -> Stroke {
        // Sizes are those of the em square, and the font's scale is that of its whole height.
        let em = self.font.units_per_em().map_or(1.0, |em| self.font.height_unscaled() / em);
        let size = letters.size as f32;
        let font = self.font.as_scaled(PxScale::from(size * em));
        let (mut caret, mut before, mut placed) = (0.0, None, Vec::new());
        for letter in text.chars() {
            let id = font.glyph_id(letter);
            caret += before.map_or(0.0, |before| font.kern(before, id));
            placed.push((id, caret));
            caret += font.h_advance(id);
            before = Some(id);
        }
        let left = match letters.align {
            Align::Left => 0.0,
            Align::Centre => caret / 2.0,
            Align::Right => caret,
        };
        let start = point(x as f32 - left, y as f32 + size * HALF_LETTER);
        for (id, along) in placed {
            let glyph = id.with_scale_and_position(font.scale(), point(start.x + along, start.y));
            let Some(outline) = font.outline_glyph(glyph) else { continue };
            let corner = outline.px_bounds().min;
            let (left, top) = (cast::i32_from_f64(f64::from(corner.x)), cast::i32_from_f64(f64::from(corner.y)));
            let mut drawn = Ok(());
            outline.draw(|column, row, cover| {
                let at = (left + cast::i32_from_u32(column), top + cast::i32_from_u32(row));
                let colour = letters.colour.mix(f64::from(cover.clamp(0.0, 1.0)));
                if drawn.is_ok() && cover > 0.0 {
                    drawn = words(self.area.draw_pixel(at, &colour));
                }
            });
            drawn?;
        }
        Ok(())
    }
}

/// A pen on a picture, whatever the backend. Strokes outside of it are cut off.
pub struct Pen<'a>(&'a dyn Canvas);

impl<'a> Pen<'a> {
    /// A pen on a canvas.
    pub(crate) fn new(canvas: &'a dyn Canvas) -> Self {
        Self(canvas)
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
        self.0.text(&on_one_line(text), at, Letters { size, align, colour })
    }
}
