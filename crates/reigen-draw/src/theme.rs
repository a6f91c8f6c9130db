//! Colours that colour-blind people can tell apart (after Okabe and Ito, 2008), on light and dark ground.

use plotters::style::RGBColor;
use reigen_core::account::Rule;

/// The colours of a picture.
#[derive(Debug, Clone, Copy)]
pub struct Theme {
    /// The ground.
    pub ground: RGBColor,
    /// Text and axes.
    pub ink: RGBColor,
    /// Text that matters less.
    pub faint: RGBColor,
    /// Grid lines.
    pub grid: RGBColor,
    /// Raw lines.
    pub raw: RGBColor,
    /// Points that are on.
    pub on: RGBColor,
    /// Counts and readings.
    pub number: RGBColor,
    /// A second curve, and what is recommended.
    pub second: RGBColor,
    /// What is wrong.
    pub wrong: RGBColor,
    rules: [RGBColor; 3],
}

impl Theme {
    /// On light ground.
    pub const LIGHT: Theme = Theme {
        ground: RGBColor(255, 255, 255),
        ink: RGBColor(30, 30, 30),
        faint: RGBColor(105, 105, 105),
        grid: RGBColor(224, 224, 224),
        raw: RGBColor(110, 110, 110),
        on: RGBColor(0, 114, 178),
        number: RGBColor(0, 158, 115),
        second: RGBColor(204, 121, 167),
        wrong: RGBColor(190, 30, 45),
        rules: [RGBColor(213, 94, 0), RGBColor(204, 121, 167), RGBColor(230, 159, 0)],
    };

    /// On dark ground.
    pub const DARK: Theme = Theme {
        ground: RGBColor(22, 24, 28),
        ink: RGBColor(230, 230, 230),
        faint: RGBColor(160, 160, 160),
        grid: RGBColor(52, 56, 62),
        raw: RGBColor(150, 150, 150),
        on: RGBColor(86, 180, 233),
        number: RGBColor(70, 200, 160),
        second: RGBColor(214, 140, 180),
        wrong: RGBColor(255, 105, 97),
        rules: [RGBColor(240, 120, 40), RGBColor(214, 140, 180), RGBColor(240, 190, 60)],
    };

    /// Colours of curves that share a picture, in turn.
    pub fn curves(&self) -> [RGBColor; 6] {
        let [first, _, third] = self.rules;
        [self.on, self.number, first, self.second, third, self.faint]
    }

    /// The colour of edges that a rule threw away.
    pub fn rule(&self, rule: Rule) -> RGBColor {
        let [bounce, glitch, missed] = self.rules;
        match rule {
            Rule::Bounce => bounce,
            Rule::Glitch => glitch,
            Rule::Missed => missed,
        }
    }
}
