//! Values as structured text writes them.

use crate::model::{ChainId, Code, Fixed, Kind, Value, VariableId};
use reigen_core::logic::expression::{Function, Operator};
use reigen_core::time::Nanos;

/// How tightly what was written binds (IEC 61131-3, table 71).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Rank {
    Or,
    Xor,
    And,
    Equal,
    Compare,
    Sum,
    Product,
    Sign,
    Name,
}

/// The type of a kind; times are counted in scans.
pub(crate) fn type_of(kind: Kind) -> &'static str {
    match kind {
        Kind::Bit => "BOOL",
        Kind::Small | Kind::Whole | Kind::Time => "DINT",
        Kind::Wide | Kind::LongTime => "LINT",
        Kind::Real => "LREAL",
    }
}

/// A number with a fraction, so that it reads back as exactly the same.
pub(crate) fn real(value: f64) -> String {
    let text = format!("{value:?}");
    match text.split_once('e') {
        Some((digits, power)) if digits.contains('.') => format!("{digits}E{power}"),
        Some((digits, power)) => format!("{digits}.0E{power}"),
        None => text,
    }
}

/// A stretch of time as a literal: `T#1s500ms`.
pub(crate) fn time_literal(time: Nanos) -> String {
    let units =
        [("h", 3_600_000_000_000), ("m", 60_000_000_000), ("s", 1_000_000_000), ("ms", 1_000_000), ("us", 1_000)];
    let (mut rest, mut text) = (time.0.div_ceil(1000) * 1000, String::new());
    for (word, size) in units {
        let count: u64 = rest / size;
        rest %= size;
        if count > 0 {
            text += &format!("{count}{word}");
        }
    }
    if text.is_empty() { "T#0s".to_owned() } else { format!("T#{text}") }
}

/// How many scans a time is.
pub(crate) fn scans(time: Nanos, period: Nanos) -> u64 {
    time.0.div_ceil(period.0.max(1))
}

/// The name of a constant, with its unit.
pub(crate) fn constant_name(constant: &crate::model::Constant) -> String {
    match constant.value {
        Fixed::Time(_) => format!("{}_SCANS", constant.name),
        Fixed::Whole(_) | Fixed::Real(_) => constant.name.clone(),
    }
}

/// Writes values of a code.
pub(crate) struct Values<'a> {
    /// The code.
    pub(crate) code: &'a Code,
}

impl Values<'_> {
    /// The name of a variable.
    pub(crate) fn variable(&self, id: VariableId) -> &str {
        self.code.variable(id).map_or("", |variable| &variable.name)
    }

    fn chain(&self, id: ChainId) -> &str {
        self.code.chains.get(id.0).map_or("", |chain| &chain.name)
    }

    /// A value by itself.
    pub(crate) fn text(&self, value: &Value) -> String {
        self.ranked(value).1
    }

    /// A value where a block wants a time.
    pub(crate) fn time(&self, value: &Value) -> Option<String> {
        let Value::Constant(id) = value else { return None };
        match self.code.constants.get(id.0)?.value {
            Fixed::Time(time) => Some(time_literal(time)),
            Fixed::Whole(_) | Fixed::Real(_) => None,
        }
    }

    /// A value for a variable of a kind.
    pub(crate) fn as_kind(&self, kind: Kind, value: &Value) -> String {
        let is_literal = matches!(value, Value::Whole(_) | Value::Bit(_) | Value::Real(_));
        let (wanted, given) = (type_of(kind), type_of(self.code.kind(value)));
        match is_literal || wanted == given {
            true => self.text(value),
            false => format!("{given}_TO_{wanted}({})", self.text(value)),
        }
    }

    fn at_least(&self, value: &Value, least: Rank) -> String {
        let (rank, text) = self.ranked(value);
        if rank < least { format!("({text})") } else { text }
    }

    fn ranked(&self, value: &Value) -> (Rank, String) {
        let name = |text: String| (Rank::Name, text);
        match value {
            Value::Variable(id) => name(self.variable(*id).to_owned()),
            Value::Element(id, place) => name(format!("{}[{}]", self.variable(*id), self.text(place))),
            Value::Constant(id) => name(self.code.constants.get(id.0).map(constant_name).unwrap_or_default()),
            Value::Line(id) => name(self.code.lines.get(id.0).map(|line| line.name.clone()).unwrap_or_default()),
            Value::BitOf(of, bit) => {
                let of = self.text(of);
                name(format!("LWORD_TO_BOOL(SHR(LINT_TO_LWORD({of}), {bit}) AND LWORD#1)"))
            }
            Value::Bit(bit) => name(if *bit { "TRUE" } else { "FALSE" }.to_owned()),
            Value::Whole(value) if *value < 0 => (Rank::Sign, value.to_string()),
            Value::Whole(value) => name(value.to_string()),
            Value::Real(value) if *value < 0.0 => (Rank::Sign, real(*value)),
            Value::Real(value) => name(real(*value)),
            Value::FirstScan => name("first_scan".to_owned()),
            Value::Step => name("scans_passed".to_owned()),
            Value::Clock | Value::EdgeClock => name("scan_number".to_owned()),
            Value::Fresh(id) => name(format!("{}_new", self.code.lines.get(id.0).map_or("", |line| &line.name))),
            // Nothing is told between scans here.
            Value::EdgeLevel => name("FALSE".to_owned()),
            Value::ChainBit(id, place) => name(format!("{}[{place}]", self.chain(*id))),
            Value::ChainRead(id) => name(format!("{}_read", self.chain(*id))),
            Value::Not(of) => (Rank::Sign, format!("NOT {}", self.at_least(of, Rank::Name))),
            Value::Negated(of) => (Rank::Sign, format!("-{}", self.at_least(of, Rank::Name))),
            Value::Binary(Operator::Power, left, right) => {
                name(format!("EXPT({}, {})", self.text(left), self.text(right)))
            }
            Value::Binary(operator, left, right) => self.binary(*operator, left, right),
            Value::Call(function, arguments) => name(self.call(*function, arguments)),
            Value::Widened(of) => name(format!("{}_TO_LINT({})", type_of(self.code.kind(of)), self.text(of))),
            Value::AsReal(of) => name(format!("{}_TO_LREAL({})", type_of(self.code.kind(of)), self.text(of))),
            Value::Seconds(of) => {
                let us = self.code.period.0 / 1000;
                (Rank::Product, format!("LINT_TO_LREAL({} * {us}) / 1000000.0", self.at_least(of, Rank::Product)))
            }
            Value::IsNumber(of) => (Rank::Compare, format!("ABS({}) < 1.0E308", self.text(of))),
            Value::Digit(of) => name(format!("BOOL_TO_DINT({})", self.text(of))),
        }
    }

    fn binary(&self, operator: Operator, left: &Value, right: &Value) -> (Rank, String) {
        let is_bit = self.code.kind(left) == Kind::Bit;
        let (rank, word) = match operator {
            Operator::Or => (Rank::Or, "OR"),
            Operator::And => (Rank::And, "AND"),
            Operator::Xor => (Rank::Xor, "XOR"),
            Operator::NotEqual if is_bit => (Rank::Xor, "XOR"),
            Operator::NotEqual => (Rank::Equal, "<>"),
            Operator::Equal => (Rank::Equal, "="),
            Operator::Less => (Rank::Compare, "<"),
            Operator::Greater => (Rank::Compare, ">"),
            Operator::AtMost => (Rank::Compare, "<="),
            Operator::AtLeast => (Rank::Compare, ">="),
            Operator::Plus => (Rank::Sum, "+"),
            Operator::Minus => (Rank::Sum, "-"),
            Operator::Times => (Rank::Product, "*"),
            Operator::Over | Operator::Power => (Rank::Product, "/"),
            Operator::Mod => (Rank::Product, "MOD"),
        };
        // Bits that are joined in different ways stand in parentheses, though they need not.
        let (least_left, least_right) = match rank {
            Rank::Or | Rank::Xor | Rank::And | Rank::Equal => (Rank::Compare, Rank::Compare),
            Rank::Compare => (Rank::Sum, Rank::Sum),
            Rank::Sum => (Rank::Sum, Rank::Product),
            _ => (Rank::Product, Rank::Sign),
        };
        let same = |side: &Value| {
            matches!(
                (side, operator),
                (Value::Binary(Operator::And, ..), Operator::And) | (Value::Binary(Operator::Or, ..), Operator::Or)
            )
        };
        let side = |value: &Value, least| if same(value) { self.text(value) } else { self.at_least(value, least) };
        (rank, format!("{} {word} {}", side(left, least_left), side(right, least_right)))
    }

    fn call(&self, function: Function, arguments: &[Value]) -> String {
        let texts: Vec<String> = arguments.iter().map(|argument| self.text(argument)).collect();
        let first = arguments.first().map(|argument| self.at_least(argument, Rank::Product)).unwrap_or_default();
        match function {
            Function::Trunc => format!("LREAL_TRUNC_LINT({})", texts.join(", ")),
            // Halves away from 0, which the conversions of the standard do not promise.
            Function::Round => {
                let whole = format!("LREAL_TRUNC_LINT({})", texts.join(", "));
                let rest = format!("{first} - LINT_TO_LREAL({whole})");
                format!("({whole} + BOOL_TO_LINT({rest} >= 0.5) - BOOL_TO_LINT({rest} <= -0.5))")
            }
            other => format!("{}({})", other.word(), texts.join(", ")),
        }
    }
}
