//! The circuits of sensors: from the supply over the wire to the terminal, what is wrong in red.

use crate::pen::{Align, Pen, Stroke, fitted};
use crate::picture::{Drawing, PictureError};
use crate::theme::Theme;
use plotters::prelude::*;
use reigen_core::cast;
use reigen_core::finding::Severity;
use reigen_station::electrical::schematic::{PartPlace, Schematic, SchematicPart, SensorShape};

/// The circuits of some sensors, one below the other.
#[derive(Debug, Clone)]
pub struct WiringPicture {
    /// What stands above them.
    pub title: String,
    /// The circuits.
    pub circuits: Vec<Schematic>,
}

/// The height of the title, and of a circuit.
const TITLE: i32 = 50;
const ROW: i32 = 216;
/// Where the wire begins.
const START: i32 = 170;
/// Room for a part, where the picture is wide enough.
const STEP: i32 = 132;
/// Room for the terminal and the card.
const CARD: i32 = 360;
/// From the top of a circuit to its rails and its wire.
const PLUS: i32 = 62;
const WIRE: i32 = 116;
const ZERO: i32 = 170;

impl WiringPicture {
    /// The height that all circuits need.
    pub fn needed_height(&self) -> u32 {
        cast::u32_from_i32((TITLE + ROW * cast::i32_from_usize(self.circuits.len()) + 10).max(200))
    }
}

impl Drawing for WiringPicture {
    fn draw(&self, pen: &Pen<'_>, (width, height): (u32, u32), theme: &Theme) -> Result<(), PictureError> {
        if height < self.needed_height() {
            return Err(PictureError::Room { rows: self.circuits.len(), needed: self.needed_height() });
        }
        pen.text(
            &fitted(&self.title, 20, cast::i32_from_u32(width) - 24 - 8),
            (24, TITLE / 2),
            20,
            Align::Left,
            theme.ink,
        )?;
        for (number, circuit) in self.circuits.iter().enumerate() {
            let top = TITLE + ROW * cast::i32_from_usize(number);
            Row { pen, theme, circuit, top, width: cast::i32_from_u32(width) }.draw()?;
        }
        Ok(())
    }
}

/// One circuit on the picture.
struct Row<'a, 'b> {
    pen: &'a Pen<'b>,
    theme: &'a Theme,
    circuit: &'a Schematic,
    top: i32,
    width: i32,
}

impl Row<'_, '_> {
    fn colour(&self, wrong: bool) -> RGBColor {
        if wrong { self.theme.wrong } else { self.theme.ink }
    }

    fn wire(&self) -> i32 {
        self.top + WIRE
    }

    fn draw(&self) -> Stroke {
        let Self { pen, theme, circuit, top, width } = *self;
        pen.line((24, top), (width - 24, top), theme.grid)?;
        let heading = format!("{}  ({}: {})", circuit.point, circuit.sensor, circuit.output);
        pen.text(&heading, (24, top + 18), 16, Align::Left, theme.ink)?;
        self.draw_findings()?;
        self.draw_sensor()?;
        let parts = cast::i32_from_usize(circuit.parts.len());
        let step = STEP.min((width - START - CARD) / parts.max(1));
        let mut x = START;
        for part in &circuit.parts {
            self.draw_part(part, x, step)?;
            x += step;
        }
        let terminal = width - CARD;
        pen.line((x, self.wire()), (terminal, self.wire()), theme.ink)?;
        self.draw_terminal(terminal)
    }

    /// The codes and the message of the gravest, as far as there is room.
    fn draw_findings(&self) -> Stroke {
        let told: Vec<_> = self.circuit.findings.iter().filter(|(severity, ..)| *severity > Severity::Note).collect();
        let Some((_, _, message)) = told.first() else { return Ok(()) };
        let mut codes: Vec<&str> = told.iter().map(|(_, code, _)| *code).collect();
        codes.dedup();
        let room = cast::usize_from_i32(((self.width - 460) / 7).max(20));
        let text = format!("{}: {message}", codes.join(", "));
        let shown: String = text.chars().take(room).collect();
        let text = if shown.len() < text.len() { format!("{}…", shown.trim_end()) } else { text };
        self.pen.text(&text, (self.width - 24, self.top + 18), 14, Align::Right, self.theme.wrong)
    }

    fn draw_sensor(&self) -> Stroke {
        let Self { pen, theme, circuit, top, .. } = *self;
        let (plus, wire, zero) = (top + PLUS, self.wire(), top + ZERO);
        let feed = self.colour(circuit.feed.wrong);
        let is_contact = matches!(circuit.shape, SensorShape::NormallyOpen | SensorShape::NormallyClosed);
        // A contact to 0 V needs no plus, and one to plus no 0 V.
        if circuit.to_plus || !is_contact {
            pen.text(&circuit.feed.words, (24, plus - 14), 13, Align::Left, feed)?;
            pen.path(vec![(24, plus), (START - 10, plus)], feed, 2)?;
        }
        if circuit.to_plus && is_contact {
            return self.draw_contact(circuit.shape == SensorShape::NormallyClosed);
        }
        pen.text("0 V", (24, zero + 14), 13, Align::Left, theme.ink)?;
        pen.path(vec![(24, zero), (START - 10, zero)], theme.ink, 2)?;
        match circuit.shape {
            SensorShape::NormallyOpen => self.draw_contact(false),
            SensorShape::NormallyClosed => self.draw_contact(true),
            SensorShape::Box | SensorShape::Source => {
                let x = 90;
                pen.line((x, plus), (x, plus + 18), feed)?;
                pen.line((x, zero - 18), (x, zero), theme.ink)?;
                self.frame([34, plus + 18, 146, zero - 18], theme.ink)?;
                pen.text(&circuit.output, (x, wire), 13, Align::Centre, theme.ink)?;
                pen.line((146, wire), (START, wire), theme.ink)
            }
        }
    }

    /// A contact between a rail and the wire: open or closed at rest.
    fn draw_contact(&self, closed: bool) -> Stroke {
        let Self { pen, theme, circuit, top, .. } = *self;
        let (x, wire) = (90, self.wire());
        let rail = top + if circuit.to_plus { PLUS } else { ZERO };
        let side = if circuit.to_plus { -1 } else { 1 };
        let [near, far] = [wire + side * 12, wire + side * 34];
        pen.line((x, rail), (x, far), theme.ink)?;
        pen.line((x, near), (x, wire), theme.ink)?;
        // The blade turns on the wire's side; an NC contact touches the other pole, an NO contact does not.
        let blade = if closed { (x + 3, far) } else { (x + 14, far + side * -3) };
        pen.path(vec![(x, near), blade], theme.ink, 2)?;
        if closed {
            pen.line((x, far), (x + 8, far), theme.ink)?;
        }
        pen.text(if closed { "NC" } else { "NO" }, (x + 22, (near + far) / 2), 12, Align::Left, theme.faint)?;
        pen.line((x, wire), (START, wire), theme.ink)
    }

    fn draw_part(&self, part: &SchematicPart, x: i32, step: i32) -> Stroke {
        let Self { pen, theme, .. } = *self;
        let (wire, middle, colour) = (self.wire(), x + step / 2, self.colour(part.wrong));
        match &part.place {
            PartPlace::Series | PartPlace::Converter => {
                pen.line((x, wire), (middle - 26, wire), theme.ink)?;
                pen.line((middle + 26, wire), (x + step, wire), theme.ink)?;
                let half = if part.place == PartPlace::Series { 8 } else { 18 };
                self.frame([middle - 26, wire - half, middle + 26, wire + half], colour)?;
                if part.place == PartPlace::Converter {
                    pen.text("level", (middle, wire), 13, Align::Centre, colour)?;
                }
                pen.text(&part.label, (middle, wire - half - 12), 13, Align::Centre, colour)?;
            }
            PartPlace::Cable => {
                pen.line((x, wire), (x + step, wire), theme.ink)?;
                for off in [-4, 4] {
                    pen.path(vec![(middle - 34, wire + off), (middle + 34, wire + off)], theme.faint, 1)?;
                }
                pen.text(&part.label, (middle, wire + 18), 12, Align::Centre, theme.faint)?;
            }
            PartPlace::Up(_) | PartPlace::Down | PartPlace::Capacitor => {
                pen.line((x, wire), (x + step, wire), theme.ink)?;
                self.draw_across(part, middle)?;
            }
        }
        if let Some([on, off]) = &part.volts {
            pen.text(&format!("on {on}"), (x + step, wire + 14), 12, Align::Centre, theme.on)?;
            pen.text(&format!("off {off}"), (x + step, wire + 29), 12, Align::Centre, theme.faint)?;
        }
        Ok(())
    }

    /// A part between the wire and a rail.
    fn draw_across(&self, part: &SchematicPart, x: i32) -> Stroke {
        let Self { pen, theme, top, .. } = *self;
        let (wire, colour) = (self.wire(), self.colour(part.wrong));
        pen.shape(vec![(x - 3, wire - 3), (x + 3, wire - 3), (x + 3, wire + 3), (x - 3, wire + 3)], theme.ink)?;
        match &part.place {
            PartPlace::Up(rail) => {
                let plus = top + PLUS;
                pen.line((x, wire), (x, wire - 12), colour)?;
                self.frame([x - 7, plus + 10, x + 7, wire - 12], colour)?;
                pen.line((x, plus + 10), (x, plus), colour)?;
                pen.path(vec![(x - 12, plus), (x + 12, plus)], theme.ink, 2)?;
                pen.text(rail, (x, plus - 12), 12, Align::Centre, theme.ink)?;
                pen.text(&part.label, (x + 13, (plus + wire) / 2), 13, Align::Left, colour)
            }
            PartPlace::Capacitor => {
                let (zero, middle) = (top + ZERO, wire + 26);
                pen.line((x, wire), (x, middle - 4), colour)?;
                pen.path(vec![(x - 12, middle - 4), (x + 12, middle - 4)], colour, 2)?;
                pen.path(vec![(x - 12, middle + 4), (x + 12, middle + 4)], colour, 2)?;
                pen.line((x, middle + 4), (x, zero), colour)?;
                pen.path(vec![(x - 12, zero), (x + 12, zero)], theme.ink, 2)?;
                pen.text(&part.label, (x + 16, middle), 13, Align::Left, colour)
            }
            _ => {
                let zero = top + ZERO;
                pen.line((x, wire), (x, wire + 12), colour)?;
                self.frame([x - 7, wire + 12, x + 7, zero - 10], colour)?;
                pen.line((x, zero - 10), (x, zero), colour)?;
                pen.path(vec![(x - 12, zero), (x + 12, zero)], theme.ink, 2)?;
                pen.text(&part.label, (x + 13, (wire + zero) / 2), 13, Align::Left, colour)
            }
        }
    }

    /// The terminal with its levels, and what the card does behind it.
    fn draw_terminal(&self, x: i32) -> Stroke {
        let Self { pen, theme, circuit, top, width } = *self;
        let (wire, colour) = (self.wire(), self.colour(circuit.terminal.wrong));
        let right = width - 24;
        self.frame([x, top + PLUS - 30, right, top + ZERO + 26], theme.grid)?;
        pen.text(&circuit.terminal.words, (x - 10, wire - 16), 15, Align::Right, colour)?;
        let mut at = x + 40;
        for part in &circuit.inside {
            pen.line((x, wire), (at, wire), theme.ink)?;
            self.draw_across(part, at)?;
            at += 70;
        }
        pen.shape(vec![(x - 5, wire - 5), (x + 5, wire - 5), (x + 5, wire + 5), (x - 5, wire + 5)], colour)?;
        let words = right - 190;
        let named = if circuit.shape == SensorShape::Source { ["high end", "low end"] } else { ["on", "off"] };
        for (number, (word, volts)) in named.into_iter().zip(&circuit.volts).enumerate() {
            let shown = match (volts.is_empty(), circuit.shape) {
                // A current makes no voltage that a meter could be held to.
                (true, SensorShape::Source) => continue,
                (true, _) => format!("{word}: not defined"),
                (false, _) => format!("{word}: {volts}"),
            };
            pen.text(&shown, (words, wire - 26 + 18 * cast::i32_from_usize(number)), 14, Align::Left, colour)?;
        }
        let mut y = wire + 14;
        for line in circuit.reads.split("; ") {
            pen.text(line, (words, y), 12, Align::Left, theme.faint)?;
            y += 16;
        }
        if let Some(common) = &circuit.common {
            pen.text(&common.words, (words, y + 2), 13, Align::Left, self.colour(common.wrong))?;
        }
        Ok(())
    }

    fn frame(&self, [left, top, right, bottom]: [i32; 4], colour: RGBColor) -> Stroke {
        self.pen.path(vec![(left, top), (right, top), (right, bottom), (left, bottom), (left, top)], colour, 1)
    }
}
