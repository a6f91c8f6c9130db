//! The bits that a chain's clock reads, named above its data line.

use crate::pen::{Align, Pen, Stroke, width_of};
use crate::place::Place;
use crate::theme::Theme;
use plotters::style::RGBColor;
use reigen_core::time::Nanos;

/// A bit that a clock edge read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NamedBit {
    /// The clock edge.
    pub at: Nanos,
    /// The level that it read.
    pub high: bool,
    /// The register, from 1: the nearest to the controller.
    pub register: usize,
    /// The register's input, such as `D7`.
    pub pin: String,
    /// The point of that input.
    pub point: String,
}

/// The height of a pin's name, and of a point's.
const SIZES: (u32, u32) = (13, 11);
/// The height that both lines of names take.
const BOTH: i32 = 30;
/// The least height of the line below them.
const LINE: i32 = 16;

/// What stands below the pins' names.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Second {
    Nothing,
    Registers,
    Points,
}

/// Names that fit, and the height that they take.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Names {
    pub(crate) height: i32,
    second: Second,
}

impl Names {
    /// Which names fit above bits that are read at some places from left to right, in a row of a height.
    pub(crate) fn that_fit(bits: &[NamedBit], places: &[i32], height: i32) -> Option<Self> {
        let step = places.windows(2).filter_map(|pair| Some(pair.get(1)? - pair.first()?)).min().unwrap_or(i32::MAX);
        let widest = |size: u32, name: fn(&NamedBit) -> &str| bits.iter().map(|bit| width_of(name(bit), size)).max();
        let fits = |width: Option<i32>| width.is_some_and(|width| width + 6 <= step);
        let (pins, points) = (widest(SIZES.0, |bit| &bit.pin), widest(SIZES.1, |bit| &bit.point));
        let second = match fits(points) {
            _ if height < BOTH + LINE => Second::Nothing,
            true => Second::Points,
            false => Second::Registers,
        };
        let taken = if second == Second::Nothing { BOTH / 2 } else { BOTH };
        (fits(pins) && height >= taken + LINE).then_some(Self { height: taken, second })
    }

    /// Draws them in a row, each centred on its place; one that would reach out of the row is left out.
    pub(crate) fn draw(self, pen: &Pen<'_>, bits: &[NamedBit], places: &[i32], row: Place, theme: &Theme) -> Stroke {
        let left = |x: i32, text: &str, size: u32| x - width_of(text, size) / 2;
        let centred = |text: &str, (x, y): (i32, i32), size: u32, colour: RGBColor| {
            let left = left(x, text, size);
            let within = left >= row.left && left + width_of(text, size) <= row.right;
            if within { pen.text(text, (x, y), size, Align::Centre, colour) } else { Ok(()) }
        };
        let mut register = None;
        for (bit, &x) in bits.iter().zip(places) {
            let first = register.replace(bit.register) != Some(bit.register);
            let ink = if bit.high { theme.on } else { theme.ink };
            centred(&bit.pin, (x, row.top + 6), SIZES.0, ink)?;
            let below = row.top + 21;
            match self.second {
                Second::Points => centred(&bit.point, (x, below), SIZES.1, theme.faint)?,
                Second::Registers if first => {
                    let (register, start) = (format!("register {}", bit.register), left(x, &bit.pin, SIZES.0));
                    if start >= row.left && start + width_of(&register, SIZES.1) <= row.right {
                        pen.text(&register, (start, below), SIZES.1, Align::Left, theme.faint)?;
                    }
                }
                Second::Registers | Second::Nothing => {}
            }
        }
        Ok(())
    }
}

/// The pins' names in letters, each above its column; empty where they do not fit.
pub(crate) fn in_letters(bits: &[NamedBit], columns: &[usize], width: usize) -> String {
    let mut line = String::new();
    for (bit, &column) in bits.iter().zip(columns) {
        // One letter stays free between two names.
        let free = line.chars().count() + usize::from(!line.is_empty());
        if column < free || column + bit.pin.chars().count() > width {
            return String::new();
        }
        line.extend(std::iter::repeat_n(' ', column - line.chars().count()));
        line.push_str(&bit.pin);
    }
    line
}
