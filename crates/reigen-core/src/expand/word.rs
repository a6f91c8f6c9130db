//! `word`: bits to a number.

use crate::block::{BitSource, Block, Inputs, Instants, Outputs, Shape, keeps_state};
use crate::column::CountColumn;
use crate::event::{EventKind, Happening};
use crate::tally::Tally;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// The columns of a word: `.invalid`; the number.
pub const SHAPE: Shape = Shape { bits: 1, counts: 1, readings: 0 };
/// Most bits of a word: its number is never negative.
pub const MOST_BITS: usize = 63;

/// How the bits stand for a number.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Code {
    /// Powers of two.
    #[default]
    Binary,
    /// The reflected code, of which neighbours differ in one bit.
    Reflected,
    /// Four bits a decimal digit.
    Digits,
}

impl Code {
    /// The number of bits, the lowest in bit 0; `None` where a digit is above 9.
    pub fn number(self, bits: u64) -> Option<i64> {
        let number = match self {
            Code::Binary => bits,
            Code::Reflected => [1, 2, 4, 8, 16, 32].iter().fold(bits, |number, shift| number ^ (number >> shift)),
            Code::Digits => {
                let digit = |place: u32| bits >> (4 * place) & 15;
                let places = 0..16;
                if places.clone().any(|place| digit(place) > 9) {
                    return None;
                }
                places.rev().fold(0, |number, place| number * 10 + digit(place))
            }
        };
        i64::try_from(number).ok()
    }
}

/// What a word did.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct WordSummary {
    /// The last number; `None` before the first.
    pub value: Option<i64>,
    /// How often it became another.
    pub changes: u64,
    /// How long a digit was above 9.
    #[serde(rename = "invalid_ns")]
    pub invalid: Nanos,
    /// Its bits at the end, the lowest first; empty before all of them have a level.
    pub bits: Vec<bool>,
    /// What the bits are.
    #[serde(skip)]
    pub names: Vec<String>,
}

/// The running form of a word.
#[derive(Debug)]
pub struct Word {
    code: Code,
    sources: Vec<BitSource>,
    names: Vec<String>,
    state: State,
}

/// What a word must know of the past.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    /// The levels, once all are known.
    levels: Option<u64>,
    value: Option<i64>,
    changes: u64,
}

impl Word {
    /// A word of bits, the lowest first; `names` are what people call them.
    pub fn new(code: Code, sources: Vec<BitSource>, names: Vec<String>) -> Self {
        Self { code, sources, names, state: State::default() }
    }

    /// What it did; `tally` is that of `.invalid`.
    pub fn summary(&self, tally: Tally) -> WordSummary {
        let bit = |bit: usize| self.state.levels.map(|levels| levels >> bit & 1 == 1);
        WordSummary {
            value: self.state.value,
            changes: self.state.changes,
            invalid: tally.on,
            bits: (0..self.sources.len()).filter_map(bit).collect(),
            names: self.names.clone(),
        }
    }

    /// After an instant.
    fn show(&mut self, at: Nanos, levels: u64, first: bool, outputs: &mut Outputs<'_>) {
        let ([invalid], [column]) = (&mut *outputs.bits, &mut *outputs.counts) else { return };
        let number = self.code.number(levels);
        match first {
            true => invalid.start(at, number.is_none()),
            false if invalid.last_level() != Some(number.is_none()) => invalid.toggles.push(at),
            false => {}
        }
        if let Some(number) = number.filter(|number| self.state.value != Some(*number)) {
            self.state.changes += u64::from(self.state.value.is_some());
            self.state.value = Some(number);
            column.push(at, number);
        }
    }
}

impl Block for Word {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, mut outputs: Outputs<'_>) {
        let started = self.state.levels.is_some();
        let Some(mut instants) = Instants::new(&inputs, self.sources.iter().copied(), started) else { return };
        while let Some(time) = instants.advance() {
            let first = self.state.levels.replace(instants.word()).is_none();
            self.show(time, instants.word(), first, &mut outputs);
        }
    }

    fn start_counting(&mut self, _from: Nanos) {
        self.state.changes = 0;
    }

    fn happenings(&mut self, counts: &[CountColumn], sink: &mut Vec<Happening>) {
        let steps = counts.iter().flat_map(|column| column.times.iter().zip(&column.values));
        sink.extend(steps.map(|(&at, &value)| (at, EventKind::Value(value))));
    }
}

keeps_state!(Word, State);
