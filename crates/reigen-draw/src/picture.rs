//! Pictures as bytes of SVG or PNG.

use crate::pen::{Canvas, Pen, PixelCanvas, register_font};
use crate::theme::Theme;
use plotters::coord::Shift;
use plotters::prelude::*;
use thiserror::Error;

/// A format of pictures.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Format {
    /// Lines and text that scale.
    Svg,
    /// Pixels.
    Png,
}

/// The least and greatest width and height that are drawn.
pub const SIZES: std::ops::RangeInclusive<u32> = 200..=10_000;

/// Why a picture could not be drawn.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum PictureError {
    /// A width or height that is none.
    #[error("a picture of {0} by {1} cannot be drawn")]
    Size(u32, u32),
    /// More rows than there is room for.
    #[error("{rows} rows need a height of {needed}")]
    Room {
        /// How many.
        rows: usize,
        /// The height that is needed.
        needed: u32,
    },
    /// The backend failed.
    #[error("the picture could not be drawn: {0}")]
    Backend(String),
}

impl Format {
    /// The format of a file's ending.
    pub fn of_ending(ending: &str) -> Option<Self> {
        match ending.to_ascii_lowercase().as_str() {
            "svg" => Some(Format::Svg),
            "png" => Some(Format::Png),
            _ => None,
        }
    }
}

/// What can be drawn.
pub trait Drawing {
    /// Draws it on a picture of a size.
    ///
    /// # Errors
    /// Where there is no room for it, or the backend fails.
    fn draw(&self, pen: &Pen<'_>, size: (u32, u32), theme: &Theme) -> Result<(), PictureError>;
}

/// Draws to bytes.
///
/// # Errors
/// Where the size is none, or the drawing fails.
pub fn render(
    drawing: &dyn Drawing,
    format: Format,
    (width, height): (u32, u32),
    theme: &Theme,
) -> Result<Vec<u8>, PictureError> {
    if !SIZES.contains(&width) || !SIZES.contains(&height) {
        return Err(PictureError::Size(width, height));
    }
    register_font();
    match format {
        Format::Svg => {
            let mut text = String::new();
            let area = SVGBackend::with_string(&mut text, (width, height)).into_drawing_area();
            paint(drawing, &area, &area, (width, height), theme)?;
            drop(area);
            Ok(text.into_bytes())
        }
        Format::Png => {
            let mut pixels = vec![0; width as usize * height as usize * 3];
            let area = BitMapBackend::with_buffer(&mut pixels, (width, height)).into_drawing_area();
            let canvas = PixelCanvas::new(&area)?;
            paint(drawing, &area, &canvas, (width, height), theme)?;
            drop(area);
            encode(&pixels, width, height).map_err(|error| PictureError::Backend(error.to_string()))
        }
    }
}

fn paint<DB: DrawingBackend>(
    drawing: &dyn Drawing,
    area: &DrawingArea<DB, Shift>,
    canvas: &dyn Canvas,
    size: (u32, u32),
    theme: &Theme,
) -> Result<(), PictureError> {
    area.fill(&theme.ground).map_err(|error| PictureError::Backend(error.to_string()))?;
    drawing.draw(&Pen::new(canvas), size, theme)?;
    area.present().map_err(|error| PictureError::Backend(error.to_string()))
}

fn encode(pixels: &[u8], width: u32, height: u32) -> Result<Vec<u8>, png::EncodingError> {
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, width, height);
    encoder.set_color(png::ColorType::Rgb);
    encoder.set_depth(png::BitDepth::Eight);
    let mut writer = encoder.write_header()?;
    writer.write_image_data(pixels)?;
    writer.finish()?;
    Ok(bytes)
}

impl From<String> for PictureError {
    fn from(words: String) -> Self {
        PictureError::Backend(words)
    }
}
