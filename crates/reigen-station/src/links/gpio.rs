//! A link to the pins of the computer itself, by the GPIO character device of Linux.

use super::output::Outputs;
use std::fmt;

/// The pins of a chip.
#[derive(Debug, Clone)]
pub struct GpioLink {
    /// The file of its device, such as `/dev/gpiochip0`.
    pub chip: String,
    /// Its lines, by name.
    pub lines: Vec<(String, GpioPin)>,
    /// The points that pins are given, by the numbers of the pins.
    pub outputs: Outputs<u32>,
}

/// A pin that is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct GpioPin {
    /// Its number on the chip.
    pub offset: u32,
    /// The resistor of the chip at the pin.
    pub bias: Option<Bias>,
}

/// What the chip's own resistor at a pin does.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Bias {
    /// It pulls the pin high.
    PullUp,
    /// It pulls the pin low.
    PullDown,
    /// It is off.
    Off,
}

impl fmt::Display for GpioPin {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(formatter, "{}", self.offset)?;
        match self.bias {
            None => Ok(()),
            Some(Bias::PullUp) => formatter.write_str(" pull_up"),
            Some(Bias::PullDown) => formatter.write_str(" pull_down"),
            Some(Bias::Off) => formatter.write_str(" bias off"),
        }
    }
}
