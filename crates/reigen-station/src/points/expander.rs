//! The tables of expanders and words in the station file.

use crate::points::PointKind;
use crate::points::{PointTable, takes_description};
use crate::spanned::Spanned;
use crate::table::branch::BranchBuilder;
use crate::table::builder::{Builder, Member};
use crate::table::signal::Signal;
use crate::table::{Field, FieldColumn, FieldExpression, LineName, StationErrorKind};
use crate::wiring::chain::{ChainTerminals, ChainWiring};
use crate::wiring::supply::Supply;
use reigen_core::expand::expander::{CHIP, Settings, Sources};
use reigen_core::expand::word::{Code, MOST_BITS};
use reigen_core::logic::expression::{Expression, Node, Reference, Span};
use reigen_core::names::is_point_name;
use reigen_core::program::Operation;
use reigen_core::units::Metres;
use serde::Deserialize;

/// A register's input that nothing is wired to.
const UNUSED: &str = "-";

/// `[expander.NAME]`: a chain of shift registers that reads many inputs over three lines.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ExpanderTable {
    /// Load line, active low.
    load: Spanned<String>,
    /// Clock line.
    clock: Spanned<String>,
    /// Data line.
    data: Spanned<String>,
    /// Clock inhibit line, if it is wired.
    inhibit: Option<Spanned<String>>,
    /// Clock edge at which data is read: "rising" (default) or "falling".
    #[serde(default)]
    sample: EdgeWord,
    /// Points of each register, D0 to D7, nearest register first; "-" for an unused input.
    registers: Spanned<Vec<Spanned<Vec<Spanned<String>>>>>,
    /// Level at which its contacts are closed: one for all registers, or one for each.
    asserted: Option<Spanned<AssertedWords>>,
    /// Terminals of its lines.
    terminals: Option<ChainTerminals>,
    /// Supply of the registers.
    supply: Option<Supply>,
    /// Length of its cable, such as "15 m".
    #[serde(default)]
    cable: Metres,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum EdgeWord {
    #[default]
    Rising,
    Falling,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum LevelWord {
    High,
    Low,
}

/// One level for all chips, or one for each.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(untagged)]
enum AssertedWords {
    All(LevelWord),
    Each(Vec<LevelWord>),
}

impl ExpanderTable {
    fn on_while_high(&self, builder: &mut Builder<'_>) -> Vec<bool> {
        let chips = self.registers.get_ref().len();
        let Some(asserted) = &self.asserted else { return vec![true; chips] };
        match asserted.get_ref() {
            AssertedWords::All(level) => vec![*level == LevelWord::High; chips],
            AssertedWords::Each(levels) => {
                if levels.len() != chips {
                    let message =
                        format!("{} levels for {chips} registers: one for each, or one for all", levels.len());
                    builder.refuse(asserted.span(), StationErrorKind::File(message));
                }
                levels.iter().map(|level| *level == LevelWord::High).collect()
            }
        }
    }

    /// The chips' points, each of which becomes one of the station.
    fn members(&self, builder: &mut Builder<'_>) {
        if self.registers.get_ref().is_empty() {
            let message = "a chain needs at least one register".to_owned();
            builder.refuse(self.registers.span(), StationErrorKind::File(message));
        }
        for (chip, points) in self.registers.get_ref().iter().enumerate() {
            let found = points.get_ref().len();
            if found != CHIP {
                let message = format!(
                    "a register needs {CHIP} points, D0 to D7, but there are {found}: write `{UNUSED}` for an unused one"
                );
                builder.refuse(points.span(), StationErrorKind::File(message));
            }
            for (pin, name) in points.get_ref().iter().enumerate().filter(|(_, name)| name.get_ref() != UNUSED) {
                self.member(chip * CHIP + pin, name, builder);
            }
        }
    }

    fn member(&self, bit: usize, name: &Spanned<String>, builder: &mut Builder<'_>) {
        if !is_point_name(name.get_ref()) {
            builder.refuse(name.span(), StationErrorKind::BadName(name.get_ref().clone()));
        }
        let reference = Reference { point: builder.name.clone(), field: pin_field(bit) };
        let length = name.get_ref().len();
        let of = FieldExpression {
            number: false,
            formula: false,
            expression: Expression { node: Node::Name(reference), span: 0..length },
            span: name.span(),
            verbatim: false,
        };
        builder.members.push(Member { name: name.get_ref().clone(), span: name.span(), of });
    }
}

/// The field of an expander that is one of its bits.
fn pin_field(bit: usize) -> String {
    format!("chip_{}_d{}", bit / CHIP + 1, bit % CHIP)
}

impl PointTable for ExpanderTable {
    type Point = ExpanderPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let errors = builder.errors.len();
        let on_while_high = self.on_while_high(builder);
        self.members(builder);
        let texts = [&self.load, &self.clock, &self.data];
        for (number, text) in texts.iter().enumerate() {
            if texts.iter().take(number).any(|earlier| earlier.get_ref() == text.get_ref()) {
                let message = format!("`{}` is used twice: load, clock and data must be three lines", text.get_ref());
                builder.refuse(text.span(), StationErrorKind::File(message));
            }
        }
        let [load, clock, data] = texts.map(|text| Signal::new(text, builder));
        let inhibit = self.inhibit.as_ref().map(|inhibit| Signal::new(inhibit, builder));
        if builder.errors.len() > errors {
            return None;
        }
        let settings = Settings { on_while_high, rising: self.sample == EdgeWord::Rising };
        let points = self.registers.get_ref().iter().flat_map(|points| points.get_ref());
        let names = points.map(|name| name.get_ref().clone()).collect();
        let registers = self.registers.get_ref().len();
        let (supply, cable) = (self.supply, self.cable);
        let chain = self.terminals.map(|terminals| ChainWiring { terminals, supply, cable, registers });
        Some(ExpanderPoint { settings, signals: vec![load?, clock?, data?], inhibit: inhibit.flatten(), names, chain })
    }
}

/// An expander of the station.
#[derive(Debug)]
pub struct ExpanderPoint {
    settings: Settings,
    /// Load, clock, data.
    signals: Vec<Signal>,
    inhibit: Option<Signal>,
    /// The points of all registers, the nearest first, each from D0 to D7.
    names: Vec<String>,
    chain: Option<ChainWiring>,
}

/// What a picture of a chain's lines needs to know.
#[derive(Debug)]
pub struct ChainLines<'a> {
    /// Load, clock and data.
    pub signals: &'a [Signal],
    /// The clock inhibit, where it is wired.
    pub inhibit: Option<&'a Signal>,
    /// Whether bits are read at rising clocks.
    pub rising: bool,
    names: &'a [String],
}

impl ChainLines<'_> {
    /// What stands at a place of the frame, from 0: the register, from 1, its input and its point; `None` beyond the last.
    pub fn bit(&self, place: usize) -> Option<(usize, String, &str)> {
        let (chip, pin) = (place / CHIP, CHIP - 1 - place % CHIP);
        Some((chip + 1, format!("D{pin}"), self.names.get(chip * CHIP + pin)?))
    }
}

const FRAMES: &[Field] = &[
    Field { name: "", column: FieldColumn::Count(0) },
    Field { name: "frames", column: FieldColumn::Count(0) },
    Field { name: "bad_frames", column: FieldColumn::Count(1) },
];

impl PointKind for ExpanderPoint {
    fn what(&self) -> &'static str {
        "an expander"
    }

    fn fields(&self) -> &'static [Field] {
        FRAMES
    }

    fn chain(&self) -> Option<&ChainWiring> {
        self.chain.as_ref()
    }

    fn chain_lines(&self) -> Option<ChainLines<'_>> {
        let Self { settings, signals, inhibit, names, .. } = self;
        Some(ChainLines { signals, inhibit: inhibit.as_ref(), rising: settings.rising, names })
    }

    fn inner_fields(&self) -> Vec<(String, FieldColumn)> {
        (0..self.settings.bits()).map(|bit| (pin_field(bit), FieldColumn::Bit(bit))).collect()
    }

    fn resolve(&mut self, is_point: &dyn Fn(&str) -> bool) {
        self.signals.iter_mut().chain(&mut self.inhibit).for_each(|signal| signal.resolve(is_point));
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        let keys = ["load", "clock", "data", "inhibit"];
        let signals = keys.into_iter().zip(self.signals.iter().chain(&self.inhibit));
        signals.filter_map(|(key, signal)| Some((key, signal.expression()?))).collect()
    }

    fn lines(&self) -> Vec<&LineName> {
        self.signals.iter().chain(&self.inhibit).filter_map(Signal::line).collect()
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        // A controller reads a chain by itself, whatever its scan.
        let mut sources =
            self.signals.iter().map(|signal| signal.compile(None, branch)).collect::<Vec<_>>().into_iter();
        let nowhere = || reigen_core::block::BitSource::Line(usize::MAX);
        let mut next = || sources.next().unwrap_or_else(nowhere);
        let (load, clock, data) = (next(), next(), next());
        let inhibit = self.inhibit.as_ref().map(|signal| signal.compile(None, branch));
        let sources = Sources { load, clock, data, inhibit };
        Operation::Expander { settings: self.settings.clone(), sources }
    }
}

/// One of an expander's points.
#[derive(Debug)]
pub struct MemberPoint {
    /// The bit of the chain that it is.
    pub(crate) of: FieldExpression,
}

impl PointKind for MemberPoint {
    fn what(&self) -> &'static str {
        "an expander's point"
    }

    fn fields(&self) -> &'static [Field] {
        &[Field { name: "", column: FieldColumn::Bit(0) }]
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        vec![("register", &self.of)]
    }

    fn is_polled(&self) -> bool {
        true
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        // The chain works past the scan; its points are seen at scans.
        let source = branch.counted(&self.of);
        let seen = branch.seen(self.of.expression.to_string(), source);
        Operation::Output { when: seen, invert: false }
    }
}

/// `[word.NAME]`: bits that make a number.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct WordTable {
    /// Bits, lowest first: points or expressions.
    bits: Option<Spanned<Vec<Spanned<String>>>>,
    /// Number line whose bits they are, in place of `bits`.
    of: Option<Spanned<String>>,
    /// With `of`: number of its bits, from the lowest [default: 16].
    width: Option<Spanned<usize>>,
    /// "binary" (default), "gray" or "bcd".
    #[serde(default)]
    code: CodeWord,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum CodeWord {
    #[default]
    Binary,
    Gray,
    Bcd,
}

impl PointTable for WordTable {
    type Point = WordPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let (bits, names, span) = self.bits(builder)?;
        let found = names.len();
        if self.code == CodeWord::Bcd && !found.is_multiple_of(4) {
            let message = format!("{found} bits are not a multiple of four, which one decimal digit needs");
            builder.refuse(span, StationErrorKind::File(message));
            return None;
        }
        let code = match self.code {
            CodeWord::Binary => Code::Binary,
            CodeWord::Gray => Code::Reflected,
            CodeWord::Bcd => Code::Digits,
        };
        Some(WordPoint { code, bits, names })
    }
}

impl WordTable {
    /// Its bits, their names, and where they stand; `None` where an error has been noted.
    fn bits(&self, builder: &mut Builder<'_>) -> Option<(WordBits, Vec<String>, Span)> {
        let refuse = |builder: &mut Builder<'_>, span, message: String| {
            builder.refuse(span, StationErrorKind::File(message));
        };
        match (&self.bits, &self.of, &self.width) {
            (Some(bits), None, None) => {
                let found = bits.get_ref().len();
                if !(1..=MOST_BITS).contains(&found) {
                    let message = format!("a word has {found} bits: it must have 1 to {MOST_BITS}");
                    refuse(builder, bits.span(), message);
                    return None;
                }
                let names = bits.get_ref().iter().map(|bit| bit.get_ref().clone()).collect();
                let bits_of = bits.get_ref().iter().map(|bit| builder.expression(bit)).collect::<Vec<_>>();
                let expressions = bits_of.into_iter().collect::<Option<Vec<_>>>()?;
                Some((WordBits::Points(expressions), names, bits.span()))
            }
            (None, Some(of), width) => {
                let number = builder.line(of)?;
                let found = width.as_ref().map_or(USUAL_WIDTH, |width| *width.get_ref());
                if !(1..=MOST_BITS).contains(&found) {
                    let span = width.as_ref().map_or(of.span(), Spanned::span);
                    refuse(builder, span, format!("a word has {found} bits: it must have 1 to {MOST_BITS}"));
                    return None;
                }
                let bit = |bit| LineName { name: format!("{}.{bit}", number.name), span: number.span.clone() };
                let lines: Vec<LineName> = (0..found).map(bit).collect();
                let names = lines.iter().map(|line| line.name.clone()).collect();
                Some((WordBits::Line(lines), names, of.span()))
            }
            _ => {
                let message = "a word has `bits`, or `of` with a number line and `width`".to_owned();
                refuse(builder, builder.place.clone(), message);
                None
            }
        }
    }
}

/// Bits of a number line where nothing is said.
const USUAL_WIDTH: usize = 16;

/// A word of the station.
#[derive(Debug)]
pub struct WordPoint {
    code: Code,
    bits: WordBits,
    names: Vec<String>,
}

/// The bits of a word, the lowest first.
#[derive(Debug)]
enum WordBits {
    /// Points or expressions.
    Points(Vec<FieldExpression>),
    /// Those of a number line.
    Line(Vec<LineName>),
}

impl PointKind for WordPoint {
    fn what(&self) -> &'static str {
        "a word"
    }

    fn fields(&self) -> &'static [Field] {
        &[Field { name: "", column: FieldColumn::Count(0) }, Field { name: "invalid", column: FieldColumn::Bit(0) }]
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        match &self.bits {
            WordBits::Points(bits) => bits.iter().map(|bit| ("bit", bit)).collect(),
            WordBits::Line(_) => Vec::new(),
        }
    }

    fn lines(&self) -> Vec<&LineName> {
        match &self.bits {
            WordBits::Points(_) => Vec::new(),
            WordBits::Line(lines) => lines.iter().collect(),
        }
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        let sources = match &self.bits {
            WordBits::Points(bits) => bits.iter().map(|bit| branch.settled(bit)).collect(),
            WordBits::Line(lines) => lines.iter().map(|line| branch.seen_line(line)).collect(),
        };
        Operation::Word { code: self.code, sources, names: self.names.clone() }
    }
}
