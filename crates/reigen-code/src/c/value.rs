//! Values as C writes them.

use crate::model::{ChainId, Code, Constant, Fixed, Kind, Value, VariableId};
use reigen_core::logic::expression::{Function, Operator};

/// How tightly what was written binds; what binds more loosely than it must goes in parentheses.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Rank {
    Choice,
    Or,
    And,
    Equal,
    Compare,
    Sum,
    Product,
    Sign,
    Name,
}

/// The type of a kind.
pub(crate) fn type_of(kind: Kind) -> &'static str {
    match kind {
        Kind::Bit => "bool",
        Kind::Small => "uint8_t",
        Kind::Whole => "int32_t",
        Kind::Wide => "int64_t",
        Kind::Time => "uint32_t",
        Kind::LongTime => "uint64_t",
        Kind::Real => "double",
    }
}

/// A number with a fraction, so that it reads back as exactly the same.
pub(crate) fn real(value: f64) -> String {
    format!("{value:?}")
}

/// A whole number: C takes the type that it fits in, also where `int` has 16 bits.
pub(crate) fn whole(value: i64) -> String {
    match value {
        i64::MIN => "INT64_MIN".to_owned(),
        _ if value == i64::from(i32::MIN) => "INT32_MIN".to_owned(),
        _ => value.to_string(),
    }
}

/// The name of a constant, with its unit.
pub(crate) fn constant_name(constant: &Constant) -> String {
    match constant.value {
        Fixed::Time(_) => format!("{}_US", constant.name),
        Fixed::Whole(_) | Fixed::Real(_) => constant.name.clone(),
    }
}

/// The value of a constant.
pub(crate) fn fixed(value: Fixed) -> String {
    match value {
        // What is shorter than a µs is rounded up to one.
        Fixed::Time(time) => format!("{}U", time.0.div_ceil(1000)),
        Fixed::Whole(value) if value < 0 => format!("({})", whole(value)),
        Fixed::Whole(value) => whole(value),
        Fixed::Real(value) if value < 0.0 => format!("({})", real(value)),
        Fixed::Real(value) => real(value),
    }
}

/// Writes values of a code.
pub(crate) struct Values<'a> {
    /// The code.
    pub(crate) code: &'a Code,
}

impl Values<'_> {
    /// A variable where it is read or set.
    pub(crate) fn variable(&self, id: VariableId) -> String {
        match self.code.variable(id) {
            Some(variable) if variable.is_state => format!("station->{}", variable.name),
            Some(variable) => variable.name.clone(),
            None => "0".to_owned(),
        }
    }

    fn chain(&self, id: ChainId) -> &str {
        self.code.chains.get(id.0).map_or("", |chain| &chain.name)
    }

    /// A value by itself.
    pub(crate) fn text(&self, value: &Value) -> String {
        self.ranked(value).1
    }

    /// A value for a variable of a kind: told where it becomes a smaller one.
    pub(crate) fn as_kind(&self, kind: Kind, value: &Value) -> String {
        let given = self.code.kind(value);
        let is_literal = matches!(value, Value::Whole(_) | Value::Bit(_) | Value::Real(_) | Value::Constant(_));
        let narrows = match (kind, given) {
            (Kind::Small, _) => !is_literal && given != Kind::Small || self.is_sum(value),
            (Kind::Whole, Kind::Wide) | (Kind::Time, Kind::LongTime) => true,
            (Kind::Whole | Kind::Wide, Kind::Real) => true,
            _ => false,
        };
        match narrows && !is_literal {
            true => format!("({}){}", type_of(kind), self.at_least(value, Rank::Sign)),
            false => self.text(value),
        }
    }

    fn is_sum(&self, value: &Value) -> bool {
        matches!(value, Value::Binary(..))
    }

    fn at_least(&self, value: &Value, least: Rank) -> String {
        let (rank, text) = self.ranked(value);
        if rank < least { format!("({text})") } else { text }
    }

    fn ranked(&self, value: &Value) -> (Rank, String) {
        let name = |text: String| (Rank::Name, text);
        match value {
            Value::Variable(id) => name(self.variable(*id)),
            Value::Element(id, place) => name(format!("{}[{}]", self.variable(*id), self.text(place))),
            Value::Constant(id) => match self.code.constants.get(id.0) {
                Some(constant) => name(constant_name(constant)),
                None => name("0".to_owned()),
            },
            Value::Line(id) => name(format!("inputs->{}", self.code.lines.get(id.0).map_or("", |line| &line.name))),
            Value::BitOf(of, bit) => {
                let of = self.at_least(of, Rank::Sign);
                (Rank::Equal, format!("((uint64_t){of} >> {bit} & 1) != 0"))
            }
            Value::Bit(bit) => name(bit.to_string()),
            Value::Whole(value) if *value < 0 => (Rank::Sign, whole(*value)),
            Value::Whole(value) => name(whole(*value)),
            Value::Real(value) if *value < 0.0 => (Rank::Sign, real(*value)),
            Value::Real(value) => name(real(*value)),
            Value::FirstScan => name("station->first_scan".to_owned()),
            Value::Step => name("step_us".to_owned()),
            Value::Clock => name("station->clock_us".to_owned()),
            Value::Fresh(id) => {
                name(format!("inputs->{}_new", self.code.lines.get(id.0).map_or("", |line| &line.name)))
            }
            Value::EdgeLevel => name("level".to_owned()),
            Value::EdgeClock => name("at_us".to_owned()),
            Value::ChainBit(id, place) => name(format!("inputs->{}_bit({place})", self.chain(*id))),
            Value::ChainRead(id) => name(format!("inputs->{}_read", self.chain(*id))),
            Value::Not(of) => self.not(of),
            Value::Negated(of) => (Rank::Sign, format!("-{}", self.at_least(of, Rank::Name))),
            Value::Binary(Operator::Power, left, right) => {
                name(format!("pow({}, {})", self.text(left), self.text(right)))
            }
            Value::Binary(operator, left, right) => self.binary(*operator, left, right),
            Value::Call(function, arguments) => self.call(*function, arguments),
            Value::Widened(of) => (Rank::Sign, format!("(int64_t){}", self.at_least(of, Rank::Sign))),
            Value::AsReal(of) => (Rank::Sign, format!("(double){}", self.at_least(of, Rank::Sign))),
            Value::Seconds(of) => (Rank::Product, format!("(double){} / 1e6", self.at_least(of, Rank::Sign))),
            Value::IsNumber(of) => name(format!("is_number({})", self.text(of))),
            Value::Digit(of) => (Rank::Choice, format!("{} ? 1 : 0", self.at_least(of, Rank::Or))),
        }
    }

    /// The other level: of a comparison that holds the other way round.
    fn not(&self, of: &Value) -> (Rank, String) {
        let turned = |operator| match operator {
            Operator::Equal => Some(Operator::NotEqual),
            Operator::NotEqual => Some(Operator::Equal),
            _ => None,
        };
        match of {
            Value::Binary(operator, left, right) if turned(*operator).is_some() => {
                self.binary(turned(*operator).unwrap_or(*operator), left, right)
            }
            _ => (Rank::Sign, format!("!{}", self.at_least(of, Rank::Sign))),
        }
    }

    fn binary(&self, operator: Operator, left: &Value, right: &Value) -> (Rank, String) {
        let (rank, word) = match operator {
            Operator::Or => (Rank::Or, "||"),
            Operator::And => (Rank::And, "&&"),
            Operator::Xor | Operator::NotEqual => (Rank::Equal, "!="),
            Operator::Equal => (Rank::Equal, "=="),
            Operator::Less => (Rank::Compare, "<"),
            Operator::Greater => (Rank::Compare, ">"),
            Operator::AtMost => (Rank::Compare, "<="),
            Operator::AtLeast => (Rank::Compare, ">="),
            Operator::Plus => (Rank::Sum, "+"),
            Operator::Minus => (Rank::Sum, "-"),
            Operator::Times => (Rank::Product, "*"),
            Operator::Over | Operator::Power => (Rank::Product, "/"),
            Operator::Mod => (Rank::Product, "%"),
        };
        // What the compiler would ask about stands in parentheses, though it need not: && within ||, comparisons in comparisons.
        let (least_left, least_right) = match rank {
            Rank::Or => (Rank::Equal, Rank::Equal),
            Rank::And => (Rank::Equal, Rank::Equal),
            Rank::Equal | Rank::Compare => (Rank::Sum, Rank::Sum),
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

    fn call(&self, function: Function, arguments: &[Value]) -> (Rank, String) {
        let kind = self.code.kind_of_call(function, arguments);
        // One after another by a function of its own, which takes 64 bits.
        let choose = |word: &str, arguments: &[String]| {
            let name = if kind == Kind::Real { format!("{word}_real") } else { word.to_owned() };
            let chosen = arguments.iter().cloned().reduce(|best, value| format!("{name}({best}, {value})"));
            let chosen = chosen.unwrap_or_default();
            if kind == Kind::Whole { (Rank::Sign, format!("(int32_t){chosen}")) } else { (Rank::Name, chosen) }
        };
        let texts: Vec<String> = arguments.iter().map(|argument| self.at_least(argument, Rank::Sum)).collect();
        let named = |name: &str| {
            (
                Rank::Name,
                format!("{name}({})", arguments.iter().map(|part| self.text(part)).collect::<Vec<_>>().join(", ")),
            )
        };
        let first = texts.first().cloned().unwrap_or_default();
        match function {
            Function::Max => choose("greatest", &texts),
            Function::Min => choose("least", &texts),
            Function::Limit => {
                let (_, raised) = choose("greatest", texts.get(..2).unwrap_or_default());
                let most = texts.get(2).cloned().unwrap_or_default();
                choose("least", &[raised, most])
            }
            Function::Sel => match arguments {
                [bit, off, on] => (
                    Rank::Choice,
                    format!(
                        "{} ? {} : {}",
                        self.at_least(bit, Rank::Or),
                        self.at_least(on, Rank::Or),
                        self.at_least(off, Rank::Or)
                    ),
                ),
                _ => (Rank::Name, "0".to_owned()),
            },
            Function::Mux => {
                let (choices, last) =
                    (texts.get(1..texts.len() - 1).unwrap_or_default(), texts.last().cloned().unwrap_or_default());
                let nested = choices
                    .iter()
                    .enumerate()
                    .rev()
                    .fold(last, |rest, (place, choice)| format!("({first} == {place} ? {choice} : {rest})"));
                (Rank::Name, nested)
            }
            Function::Trunc => (Rank::Sign, format!("(int64_t){}", self.at_least_of(arguments, Rank::Sign))),
            Function::Round => named("rounded"),
            Function::Abs => {
                (Rank::Name, format!("({first} < 0 ? -{} : {first})", self.at_least_of(arguments, Rank::Name)))
            }
            Function::Sqrt => named("sqrt"),
            Function::Ln => named("log"),
            Function::Log => named("log10"),
            Function::Exp => named("exp"),
            Function::Sin => named("sin"),
            Function::Cos => named("cos"),
            Function::Tan => named("tan"),
            Function::Asin => named("asin"),
            Function::Acos => named("acos"),
            Function::Atan => named("atan"),
        }
    }

    fn at_least_of(&self, arguments: &[Value], least: Rank) -> String {
        arguments.first().map(|argument| self.at_least(argument, least)).unwrap_or_default()
    }
}
