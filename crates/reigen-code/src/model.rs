//! What a controller does in a scan, before it is written in a language: variables, values and statements.
//!
//! Everything here is made from the compiled program by [`lower`](crate::lower); [`c`](crate::c) and [`st`](crate::st) write it.

use reigen_core::logic::expression::{Function, Operator};
use reigen_core::time::Nanos;
use std::collections::BTreeSet;

/// What the code says of itself in its first line, by which it is known again.
pub const MARK: &str = "Written by reigen from a station file, version ";

/// The number of a variable among those of its code.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct VariableId(pub usize);

/// The number of a constant.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ConstantId(pub usize);

/// The number of a chain of registers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ChainId(pub usize);

/// The number of a line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct LineId(pub usize);

/// What a variable holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// On or off.
    Bit,
    /// A whole number from 0 to 255.
    Small,
    /// A whole number of 32 bits, with a sign.
    Whole,
    /// A whole number of 64 bits, with a sign.
    Wide,
    /// A stretch of time of no more than [`SHORT`].
    Time,
    /// A longer stretch of time, or a time since the start.
    LongTime,
    /// A number with a fraction.
    Real,
}

/// The longest time that 32 bits hold with room for the step of a scan: 2^31 µs.
pub const SHORT: Nanos = Nanos((1 << 31) * 1000);

impl Kind {
    /// The kind that holds a time.
    pub fn of_time(most: Nanos) -> Self {
        if most < SHORT { Self::Time } else { Self::LongTime }
    }

    /// The kind that holds whole numbers of a range.
    pub fn of_range((least, most): Range) -> Self {
        let fits = i128::from(i32::MIN) <= least && most <= i128::from(i32::MAX);
        if fits { Self::Whole } else { Self::Wide }
    }

    /// How many bytes it takes on a controller of 8 bits.
    pub fn bytes(self) -> u64 {
        match self {
            Self::Bit | Self::Small => 1,
            Self::Whole | Self::Time => 4,
            Self::Wide | Self::LongTime | Self::Real => 8,
        }
    }
}

/// The least and the greatest whole number that a value can be.
pub type Range = (i128, i128);

/// What can be 32 bits.
pub const WHOLE: Range = (i32::MIN as i128, i32::MAX as i128);

/// A variable.
#[derive(Debug, Clone, PartialEq)]
pub struct Variable {
    /// Its name, which no other variable, line or constant has.
    pub name: String,
    /// What it holds.
    pub kind: Kind,
    /// How many of them, where it is a row of values.
    pub count: Option<usize>,
    /// What it holds at the start.
    pub initial: Value,
    /// Whether it outlives the scan; else it belongs to its part alone.
    pub is_state: bool,
    /// What it is, in a few words; empty where its name says it.
    pub about: String,
}

/// A constant at the top of the code.
#[derive(Debug, Clone, PartialEq)]
pub struct Constant {
    /// Its name in upper case, without its unit.
    pub name: String,
    /// Its value.
    pub value: Fixed,
}

/// The value of a constant.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Fixed {
    /// A stretch of time.
    Time(Nanos),
    /// A whole number.
    Whole(i64),
    /// A number with a fraction.
    Real(f64),
}

/// A value.
#[derive(Debug, Clone, PartialEq)]
pub enum Value {
    /// What a variable holds.
    Variable(VariableId),
    /// What a row of values holds at a place.
    Element(VariableId, Box<Value>),
    /// A constant.
    Constant(ConstantId),
    /// The level or the number of a line, as this scan read it.
    Line(LineId),
    /// A bit of a whole number, the lowest being 0.
    BitOf(Box<Value>, u32),
    /// On or off.
    Bit(bool),
    /// A whole number.
    Whole(i64),
    /// A number with a fraction.
    Real(f64),
    /// Whether this is the first scan.
    FirstScan,
    /// The time since the scan before; 0 at the first.
    Step,
    /// The time since the first scan.
    Clock,
    /// The other level.
    Not(Box<Value>),
    /// The other sign.
    Negated(Box<Value>),
    /// An operation.
    Binary(Operator, Box<Value>, Box<Value>),
    /// A standard function.
    Call(Function, Vec<Value>),
    /// A whole number in 64 bits.
    Widened(Box<Value>),
    /// A whole number as one with a fraction.
    AsReal(Box<Value>),
    /// A stretch of time in seconds.
    Seconds(Box<Value>),
    /// Whether a number is one: neither infinite nor none at all.
    IsNumber(Box<Value>),
    /// A bit as 0 or 1.
    Digit(Box<Value>),
    /// Whether a line has a new sample in this scan.
    Fresh(LineId),
    /// The level that a line has just gone to, where its change is told.
    EdgeLevel,
    /// The time of that change, since the first scan.
    EdgeClock,
    /// A bit of a chain of registers, in the order in which they come out.
    ChainBit(ChainId, usize),
    /// Whether a chain has been read yet.
    ChainRead(ChainId),
}

/// What is done.
#[derive(Debug, Clone, PartialEq)]
pub enum Statement {
    /// A variable takes a value.
    Set(VariableId, Value),
    /// A place of a row takes a value.
    SetElement(VariableId, Value, Value),
    /// The first arm whose condition holds is done, or else the rest.
    If(Vec<(Value, Vec<Statement>)>, Vec<Statement>),
    /// Done so often, the variable going from 0 up.
    Repeat(VariableId, Value, Vec<Statement>),
    /// A standard block of IEC 61131-3 is called; where the language has none, what it does is written out.
    Block(Block, Vec<Statement>),
}

/// A call of a standard block.
#[derive(Debug, Clone, PartialEq)]
pub struct Block {
    /// Its type: `TON`, `CTU`.
    pub kind: &'static str,
    /// The name of its instance.
    pub instance: String,
    /// What goes into it, by its names.
    pub inputs: Vec<(&'static str, Value)>,
    /// What comes out of it, by its names.
    pub outputs: Vec<(&'static str, VariableId)>,
    /// Variables that only the written out form needs.
    pub instead: Vec<VariableId>,
}

/// A line that the code reads.
#[derive(Debug, Clone, PartialEq)]
pub struct Line {
    /// Its name in the code.
    pub name: String,
    /// Its name in the station.
    pub of: String,
    /// What it is: a bit, a whole number or one with a fraction.
    pub kind: Kind,
    /// Whether its changes are told as they come, beside its level at each scan.
    pub edges: bool,
    /// Whether its numbers come as samples, and each scan tells whether there is a new one.
    pub samples: bool,
    /// Its address in the controller, where a point tells it.
    pub address: Option<String>,
}

/// A chain of registers, of which the bits are read by what is around the code.
#[derive(Debug, Clone, PartialEq)]
pub struct Chain {
    /// The number of its point.
    pub point: usize,
    /// Its name in the code.
    pub name: String,
    /// Its name in the station.
    pub of: String,
    /// For each chip, whether its points are on while their bits are high.
    pub on_while_high: Vec<bool>,
}

/// What is done for one point.
#[derive(Debug, Clone, PartialEq)]
pub struct Part {
    /// The number of the point.
    pub point: usize,
    /// Its name in the station.
    pub of: String,
    /// Its name in the code.
    pub name: String,
    /// Its own lines of the station file.
    pub text: String,
    /// Its value, and whether it has one yet; `None` where it always has.
    pub shown: Shown,
    /// Its address in the controller.
    pub address: Option<String>,
    /// What is done in a scan.
    pub body: Vec<Statement>,
    /// What is done at changes of lines between scans.
    pub edges: Vec<(LineId, Vec<Statement>)>,
    /// The variables that are its own.
    pub variables: Vec<VariableId>,
}

/// What a point gives out.
#[derive(Debug, Clone, PartialEq)]
pub struct Shown {
    /// Its value.
    pub value: VariableId,
    /// Whether it has one; `None` where it always has.
    pub known: Option<Value>,
    /// The name of what tells that, where there is something to tell.
    pub known_name: Option<String>,
}

/// A point that is not written, and why.
#[derive(Debug, Clone, PartialEq)]
pub struct LeftOut {
    /// Its name.
    pub point: String,
    /// Why.
    pub why: String,
    /// The point for which it is so, where that is another.
    pub since: Option<String>,
}

/// All of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Code {
    /// What people call the station.
    pub title: Option<String>,
    /// Which station this is: its hash.
    pub version: String,
    /// The time between two scans.
    pub period: Nanos,
    /// What is read, in the order of the file.
    pub lines: Vec<Line>,
    /// The chains of registers.
    pub chains: Vec<Chain>,
    /// All variables.
    pub variables: Vec<Variable>,
    /// All constants.
    pub constants: Vec<Constant>,
    /// What is done, each after what it reads.
    pub parts: Vec<Part>,
    /// What is not written.
    pub left_out: Vec<LeftOut>,
    /// Names that were changed: of the station, and of the code.
    pub renamed: Vec<(String, String)>,
    /// Points that go on from their last state in a live run, and begin anew here.
    pub not_retained: Vec<String>,
    /// Lines that no part reads at its scan.
    pub unused_lines: BTreeSet<LineId>,
    /// Chains that no part reads.
    pub unused_chains: BTreeSet<ChainId>,
}

impl Code {
    /// A variable.
    pub fn variable(&self, id: VariableId) -> Option<&Variable> {
        self.variables.get(id.0)
    }

    /// What kind a value is of.
    pub fn kind(&self, value: &Value) -> Kind {
        match value {
            Value::Variable(id) | Value::Element(id, _) => self.variable(*id).map_or(Kind::Bit, |known| known.kind),
            Value::Constant(id) => match self.constants.get(id.0).map(|constant| constant.value) {
                Some(Fixed::Time(time)) => Kind::of_time(time),
                Some(Fixed::Real(_)) => Kind::Real,
                Some(Fixed::Whole(whole)) => Kind::of_range((whole.into(), whole.into())),
                None => Kind::Whole,
            },
            Value::Line(id) => self.lines.get(id.0).map_or(Kind::Bit, |line| line.kind),
            Value::Whole(whole) => Kind::of_range(((*whole).into(), (*whole).into())),
            Value::Real(_) | Value::AsReal(_) | Value::Seconds(_) => Kind::Real,
            Value::Step => Kind::Time,
            Value::Clock | Value::EdgeClock => Kind::LongTime,
            Value::Widened(_) => Kind::Wide,
            Value::Digit(_) => Kind::Whole,
            Value::Negated(of) => self.kind(of),
            Value::Binary(operator, left, right) if !(operator.is_logic() || operator.is_comparison()) => {
                wider(self.kind(left), self.kind(right))
            }
            Value::Call(function, arguments) => self.kind_of_call(*function, arguments),
            Value::Bit(_)
            | Value::BitOf(..)
            | Value::EdgeLevel
            | Value::Fresh(_)
            | Value::ChainBit(..)
            | Value::ChainRead(_)
            | Value::FirstScan
            | Value::Not(_)
            | Value::Binary(..)
            | Value::IsNumber(_) => Kind::Bit,
        }
    }

    /// What kind the result of a function is of.
    pub fn kind_of_call(&self, function: Function, arguments: &[Value]) -> Kind {
        match function {
            Function::Trunc | Function::Round => Kind::Wide,
            Function::Max | Function::Min | Function::Limit | Function::Abs => {
                arguments.iter().map(|value| self.kind(value)).reduce(wider).unwrap_or(Kind::Real)
            }
            Function::Sel | Function::Mux => {
                arguments.iter().skip(1).map(|value| self.kind(value)).reduce(wider).unwrap_or(Kind::Real)
            }
            _ => Kind::Real,
        }
    }
}

/// The kind in which both can be worked.
fn wider(one: Kind, other: Kind) -> Kind {
    match (one, other) {
        (Kind::Real, _) | (_, Kind::Real) => Kind::Real,
        (Kind::LongTime, _) | (_, Kind::LongTime) => Kind::LongTime,
        (Kind::Time, _) | (_, Kind::Time) => Kind::Time,
        (Kind::Wide, _) | (_, Kind::Wide) => Kind::Wide,
        (Kind::Whole, _) | (_, Kind::Whole) => Kind::Whole,
        (kind, _) => kind,
    }
}
