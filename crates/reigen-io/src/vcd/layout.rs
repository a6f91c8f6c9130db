//! What the declarations of a VCD say: its variables, its names, its timescale.

use super::codes::Codes;
use crate::pipeline::Head;
use reigen_core::cast;
use reigen_core::engine::Retained;
use reigen_core::lines::{LineKind, RecordedLine, VectorBits};
use reigen_core::names::counted;
use reigen_core::time::{MOST_FILE_TIME_NS, Nanos};
use std::collections::HashMap;
use std::fmt;

/// All that the value changes need to know.
#[derive(Debug)]
pub(super) struct Layout {
    pub(super) codes: Codes,
    /// What each code stands for.
    pub(super) targets: Vec<Target>,
    pub(super) scale: Scale,
    pub(super) head: Head,
    /// For each letter the two-level signal that it is the code of, or a number beyond all signals.
    pub(super) one_letter: [u32; 256],
    /// The targets as they were declared.
    declared: Vec<Target>,
    /// Where there are too many signals for a column each: of each vector, by its number, the places of the bits that are
    /// wanted and their columns.
    pub(super) parts: Option<HashMap<usize, Vec<(usize, usize)>>>,
}

/// With more signals than these only those that are wanted get columns.
const MOST_COLUMNS: usize = 4096;
/// The bits of a wider vector get no names, but can be asked for.
const MOST_NAMED: usize = 1024;

/// A number beyond all signals.
const NO_SIGNAL: u32 = u32::MAX;

/// What an identifier code stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Target {
    /// A two-level signal.
    Bit(usize),
    /// A vector: its bits, the leftmost first, and itself as a number.
    Vector { first: usize, width: usize, number: usize, signed: bool },
    /// A real number.
    Real { number: usize },
    /// Something that is no signal.
    Other,
}

impl Target {
    /// What it is, for a message.
    pub(super) fn size(self) -> String {
        match self {
            Target::Bit(_) => "one bit".to_owned(),
            Target::Vector { width, .. } => format!("{width} bits"),
            Target::Real { .. } => "a real number".to_owned(),
            Target::Other => "no signal".to_owned(),
        }
    }
}

impl Layout {
    /// Gives columns to these two-level signals only, in this order, where there are too many; all others share one more.
    pub(super) fn want_bits(&mut self, bits: &[usize]) -> bool {
        if self.head.bits <= MOST_COLUMNS {
            return false;
        }
        let column: HashMap<usize, usize> = bits.iter().enumerate().map(|(column, &signal)| (signal, column)).collect();
        let others = bits.len();
        let mut parts = HashMap::new();
        self.targets = self.declared.clone();
        for target in &mut self.targets {
            match target {
                Target::Bit(signal) => *signal = column.get(signal).copied().unwrap_or(others),
                Target::Vector { first, width, number, .. } => {
                    // What nobody wants is not looked for bit by bit.
                    let own: Vec<(usize, usize)> = match *width <= bits.len() {
                        true => {
                            (0..*width).filter_map(|place| Some((place, *column.get(&(*first + place))?))).collect()
                        }
                        false => bits
                            .iter()
                            .zip(0..)
                            .filter_map(|(&signal, column)| {
                                let place = signal.checked_sub(*first).filter(|place| *place < *width)?;
                                Some((place, column))
                            })
                            .collect(),
                    };
                    parts.insert(*number, own);
                }
                Target::Real { .. } | Target::Other => {}
            }
        }
        self.parts = Some(parts);
        self.head.columns = Some(others + 1);
        self.find_letters();
        true
    }

    fn find_letters(&mut self) {
        self.one_letter = [NO_SIGNAL; 256];
        for letter in b'!'..=b'~' {
            if let Some(signal) = self.bit_of(&[letter]) {
                self.one_letter[usize::from(letter)] = cast::u32_from_usize(signal);
            }
        }
    }

    /// The two-level signal of a code.
    #[inline]
    pub(super) fn bit_of(&self, code: &[u8]) -> Option<usize> {
        match self.targets.get(self.codes.get(code)? as usize)? {
            Target::Bit(signal) => Some(*signal),
            _ => None,
        }
    }

    /// The name of what a code stands for, with its size, for a message.
    pub(super) fn describe(&self, target: Target) -> String {
        let line = self.head.lines.iter().find(|line| match (target, &line.kind) {
            (Target::Bit(signal), LineKind::Level) => line.signal == signal,
            (Target::Vector { number, .. }, LineKind::Vector { .. }) => line.signal == number,
            (Target::Real { number }, LineKind::Real) => line.signal == number,
            _ => false,
        });
        let name = line.map_or("without a name", |line| line.name.as_str());
        format!("`{name}` of {}", target.size())
    }
}

/// Collects declarations into a layout.
#[derive(Debug, Default)]
pub(super) struct LayoutBuilder {
    codes: Codes,
    targets: Vec<Target>,
    lines: Vec<RecordedLine>,
    bits: usize,
    numbers: usize,
    /// How often lines of two levels, and those of numbers, were read, by their signals.
    bit_steps: HashMap<usize, Nanos>,
    number_steps: HashMap<usize, Nanos>,
    /// What points kept when it began.
    pub(super) resumed: Vec<(String, Retained)>,
}

/// The most bits that all vectors together may have.
const MOST_BITS: usize = 1 << 20;

impl LayoutBuilder {
    /// Adds a variable under its whole name; says why it cannot be.
    pub(super) fn add(&mut self, kind: &str, width: usize, code: &[u8], name: &str) -> Result<(), &'static str> {
        if width == 0 {
            return Err("a variable has at least one bit");
        }
        if self.bits.saturating_add(width) > MOST_BITS {
            return Err("more than a million bits in all");
        }
        let target = match self.codes.get(code).and_then(|number| self.targets.get(number as usize)) {
            Some(&known) if self.same(known, kind, width) => known,
            Some(_) => return Err("its identifier code stands for a variable of another size"),
            None => self.new_target(kind, width, code),
        };
        self.name(target, name);
        Ok(())
    }

    /// Says how often a variable was read.
    pub(super) fn step(&mut self, code: &[u8], step: Nanos) {
        match self.codes.get(code).and_then(|number| self.targets.get(number as usize)) {
            Some(Target::Bit(signal)) => drop(self.bit_steps.insert(*signal, step)),
            Some(Target::Real { number }) => drop(self.number_steps.insert(*number, step)),
            _ => {}
        }
    }

    fn same(&self, known: Target, kind: &str, width: usize) -> bool {
        match known {
            Target::Bit(_) => width == 1 && !is_real(kind),
            Target::Vector { width: known, .. } => width == known && !is_real(kind),
            Target::Real { .. } => is_real(kind),
            Target::Other => true,
        }
    }

    fn new_target(&mut self, kind: &str, width: usize, code: &[u8]) -> Target {
        let target = if is_real(kind) {
            self.numbers += 1;
            Target::Real { number: self.numbers - 1 }
        } else if kind == "string" {
            Target::Other
        } else if width == 1 {
            self.bits += 1;
            Target::Bit(self.bits - 1)
        } else {
            self.bits += width;
            self.numbers += 1;
            Target::Vector { first: self.bits - width, width, number: self.numbers - 1, signed: kind == "integer" }
        };
        self.codes.insert(code, cast::u32_from_usize(self.targets.len()));
        self.targets.push(target);
        target
    }

    /// Gives a target a name: `bus[7:0]` names eight lines and one vector.
    fn name(&mut self, target: Target, name: &str) {
        let line = |name: String, signal, kind| RecordedLine { name, signal, kind, step: None };
        match target {
            Target::Other => {}
            Target::Real { number } => self.lines.push(line(name.to_owned(), number, LineKind::Real)),
            Target::Bit(signal) => {
                let name = name.strip_suffix("[0:0]").unwrap_or(name);
                self.lines.push(line(name.to_owned(), signal, LineKind::Level));
            }
            Target::Vector { first, width, number, .. } => {
                let (base, range) = split_range(name);
                let (left, right) = range
                    .filter(|(left, right)| cast::usize_from_u64(left.abs_diff(*right)) + 1 == width)
                    .unwrap_or((cast::i64_from_usize(width) - 1, 0));
                let unnamed = (width > MOST_NAMED).then_some(VectorBits { first, left, right });
                let named = if unnamed.is_some() { 0 } else { width };
                self.lines.push(line(base.to_owned(), number, LineKind::Vector { width, unnamed }));
                for place in 0..named {
                    let index = if left >= right {
                        left - cast::i64_from_usize(place)
                    } else {
                        left + cast::i64_from_usize(place)
                    };
                    self.lines.push(line(format!("{base}[{index}]"), first + place, LineKind::Level));
                }
            }
        }
    }

    /// All declarations together.
    pub(super) fn build(self, scale: Scale) -> Layout {
        let Self { codes, targets, mut lines, bits, numbers, bit_steps, number_steps, resumed } = self;
        for line in &mut lines {
            let steps = if line.kind == LineKind::Level { &bit_steps } else { &number_steps };
            line.step = steps.get(&line.signal).copied();
        }
        let taken_for =
            format!("VCD in steps of {scale}; {} with levels, {numbers} with numbers", counted(bits as u64, "line"));
        let (tick, rounds) = (scale.tick(), scale.rounds());
        let head = Head { lines, bits, numbers, tick, rounds, taken_for, resumed, ..Head::default() };
        let declared = if bits > MOST_COLUMNS { targets.clone() } else { Vec::new() };
        let mut layout = Layout { codes, targets, scale, head, one_letter: [NO_SIGNAL; 256], declared, parts: None };
        layout.find_letters();
        layout.want_bits(&[]);
        layout
    }
}

fn is_real(kind: &str) -> bool {
    matches!(kind, "real" | "realtime" | "shortreal")
}

/// Parts `bus[7:0]` into its name and its range.
fn split_range(name: &str) -> (&str, Option<(i64, i64)>) {
    let parted = || {
        let (base, range) = name.strip_suffix(']')?.rsplit_once('[')?;
        let (left, right) = range.split_once(':')?;
        Some((base, (left.parse().ok()?, right.parse().ok()?)))
    };
    match parted() {
        Some((base, range)) => (base, Some(range)),
        None => (name, None),
    }
}

/// What one unit of the file's times is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Scale {
    /// So many nanoseconds.
    Times(u64),
    /// A nanosecond divided by this.
    Per(u64),
}

impl fmt::Display for Scale {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Scale::Times(nanos) => Nanos(*nanos).fmt(formatter),
            Scale::Per(parts) if *parts <= 1000 => write!(formatter, "{} ps", 1000 / parts),
            Scale::Per(parts) => write!(formatter, "{} fs", 1_000_000 / parts),
        }
    }
}

impl Scale {
    /// Reads `1ns`, `10 us` and so on.
    pub(super) fn parse(text: &str) -> Option<Scale> {
        let digits = text.find(|letter: char| !letter.is_ascii_digit())?;
        let (number, unit) = text.split_at(digits);
        let number: u64 = number.parse().ok().filter(|number| [1, 10, 100].contains(number))?;
        Some(match unit.trim() {
            "s" => Scale::Times(number * 1_000_000_000),
            "ms" => Scale::Times(number * 1_000_000),
            "us" => Scale::Times(number * 1_000),
            "ns" => Scale::Times(number),
            "ps" => Scale::Per(1_000 / number),
            "fs" => Scale::Per(1_000_000 / number),
            _ => return None,
        })
    }

    /// The file's own time in nanoseconds, rounded with halves up; `None` beyond all bounds.
    #[inline]
    pub(super) fn nanos(self, units: u64) -> Option<i64> {
        let nanos = match self {
            Scale::Times(1) => units,
            Scale::Times(factor) => units.checked_mul(factor)?,
            Scale::Per(parts) => units / parts + u64::from(units % parts * 2 >= parts),
        };
        i64::try_from(nanos).ok().filter(|&nanos| nanos <= MOST_FILE_TIME_NS)
    }

    /// One unit, where it is at least a nanosecond.
    fn tick(self) -> Nanos {
        match self {
            Scale::Times(factor) => Nanos(factor),
            Scale::Per(_) => Nanos(1),
        }
    }

    /// Whether times are rounded.
    pub(super) fn rounds(self) -> bool {
        matches!(self, Scale::Per(parts) if parts > 1)
    }
}
