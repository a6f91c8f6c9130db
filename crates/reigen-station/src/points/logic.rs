//! The tables of logic points in the station file.

use crate::points::PointKind;
use crate::points::{PointTable, takes_description};
use crate::spanned::Spanned;
use crate::table::branch::{BranchBuilder, RUNNING};
use crate::table::builder::{Builder, TimeText};
use crate::table::{Field, FieldColumn, FieldExpression, StationErrorKind};
use crate::wiring::connection::{Load, ReadAs, Role, Wired};
use reigen_core::block::BitSource;
use reigen_core::logic::blink::Flashes;
use reigen_core::logic::timer::TimerKind;
use reigen_core::program::Operation;
use reigen_core::time::Nanos;
use reigen_core::units::Metres;
use serde::Deserialize;

/// The point itself, a bit.
const ITSELF: Field = Field { name: "", column: FieldColumn::Bit(0) };

/// A point of one block over expressions, as most of them are.
macro_rules! logic_point {
    ($point:ident, $what:literal, [$($key:ident),*], [$($optional:ident),*], $fields:expr, $edges:expr, |$self:ident, $branch:ident| $compile:expr $(, $more:item)*) => {
        impl PointKind for $point {
            $($more)*

            fn what(&self) -> &'static str {
                $what
            }

            fn fields(&self) -> &'static [Field] {
                $fields
            }

            fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
                let all = [$(Some((stringify!($key), &self.$key)),)* $(self.$optional.as_ref().map(|field| (stringify!($optional), field)),)*];
                all.into_iter().flatten().collect()
            }

            fn edge_keys(&self) -> &'static [&'static str] {
                $edges
            }

            fn compile(&self, $branch: &mut BranchBuilder<'_>) -> Operation {
                let $self = self;
                $compile
            }
        }
    };
}

/// `[logic.NAME]`: a bit from an expression.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LogicTable {
    /// Expression over points, such as "a AND NOT b".
    when: Spanned<String>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

/// A bit that follows from others.
#[derive(Debug)]
pub struct LogicPoint {
    when: FieldExpression,
}

impl PointTable for LogicTable {
    type Point = LogicPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        Some(LogicPoint { when: builder.expression(&self.when)? })
    }
}

logic_point!(LogicPoint, "a logic point", [when], [], &[ITSELF], &[], |point, branch| {
    Operation::Output { when: branch.settled(&point.when), invert: false }
});

/// `[oneshot.NAME]`: a pulse at each edge of a bit.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OneShotTable {
    /// Bit that starts it.
    of: Spanned<String>,
    /// "rising" (default) or "falling".
    #[serde(default)]
    edge: OneShotEdge,
    /// Length of the pulse [default: one instant].
    width: Option<Spanned<TimeText>>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum OneShotEdge {
    #[default]
    Rising,
    Falling,
}

/// A bit that is on for a while from each edge on.
#[derive(Debug)]
pub struct OneShotPoint {
    of: FieldExpression,
    rising: bool,
    width: Nanos,
}

/// The width of a one-shot where nothing is said and there is no scan.
const USUAL_WIDTH: Nanos = Nanos(1_000_000);

impl PointTable for OneShotTable {
    type Point = OneShotPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let usual = builder.scan.map_or(USUAL_WIDTH, |scan| scan.period);
        let width = match &self.width {
            Some(width) => builder.takes_above_zero(width),
            None => Some(usual),
        };
        let of = builder.expression(&self.of);
        Some(OneShotPoint { of: of?, rising: self.edge == OneShotEdge::Rising, width: width? })
    }
}

logic_point!(OneShotPoint, "a one-shot", [of], [], &[ITSELF], &["of"], |point, branch| {
    Operation::OneShot { of: branch.counted(&point.of), rising: point.rising, width: point.width }
});

/// `[latch.NAME]`: a state that is set and reset (SR, RS of IEC 61131-3).
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LatchTable {
    /// Sets it while on.
    set: Spanned<String>,
    /// Resets it while on.
    reset: Spanned<String>,
    /// What wins if both are on: "reset" (default) or "set".
    #[serde(default)]
    dominant: Dominant,
    /// "stop" or "run", for the check of safe wiring.
    role: Option<Role>,
    /// With a history, goes on from its last state when a live run starts again [default: false].
    #[serde(default)]
    retain: bool,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
enum Dominant {
    Set,
    #[default]
    Reset,
}

/// A state that is set and reset.
#[derive(Debug)]
pub struct LatchPoint {
    set: FieldExpression,
    reset: FieldExpression,
    dominant: Dominant,
    runs: bool,
}

impl PointTable for LatchTable {
    type Point = LatchPoint;

    takes_description!();

    fn retains(&self) -> bool {
        self.retain
    }

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let (set, reset) = (builder.expression(&self.set), builder.expression(&self.reset));
        let runs = self.role == Some(Role::Run);
        Some(LatchPoint { set: set?, reset: reset?, dominant: self.dominant, runs })
    }
}

logic_point!(
    LatchPoint,
    "a latch",
    [set, reset],
    [],
    &[ITSELF],
    &[],
    |point, branch| {
        let (set, reset) = (branch.settled(&point.set), branch.settled(&point.reset));
        Operation::Latch { set, reset, set_wins: point.dominant == Dominant::Set }
    },
    fn runs(&self) -> bool {
        self.runs
    }
);

/// `[toggle.NAME]`: changes at each rising edge of a bit.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ToggleTable {
    /// Bit whose rising edges change it.
    by: Spanned<String>,
    /// Holds it off while on.
    reset: Option<Spanned<String>>,
    /// With a history, goes on from its last state when a live run starts again [default: false].
    #[serde(default)]
    retain: bool,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

/// A state that flips.
#[derive(Debug)]
pub struct TogglePoint {
    by: FieldExpression,
    reset: Option<FieldExpression>,
}

impl PointTable for ToggleTable {
    type Point = TogglePoint;

    takes_description!();

    fn retains(&self) -> bool {
        self.retain
    }

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let (by, reset) = (builder.expression(&self.by), builder.optional(&self.reset));
        (self.reset.is_none() || reset.is_some()).then_some(())?;
        Some(TogglePoint { by: by?, reset })
    }
}

logic_point!(TogglePoint, "a toggle", [by], [reset], &[ITSELF], &["by"], |point, branch| {
    let (by, reset) = (branch.counted(&point.by), point.reset.as_ref().map(|reset| branch.settled(reset)));
    Operation::Toggle { by, reset }
});

/// `[timer.NAME]`: TON, TOF or TP of IEC 61131-3.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TimerTable {
    /// Bit that it times.
    of: Spanned<String>,
    /// "on_delay" (TON), "off_delay" (TOF) or "pulse" (TP).
    kind: TimerWord,
    /// Its time.
    time: Spanned<TimeText>,
    /// With a history, goes on from its last state when a live run starts again [default: false].
    #[serde(default)]
    retain: bool,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

#[derive(Debug, Clone, Copy, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "snake_case")]
enum TimerWord {
    OnDelay,
    OffDelay,
    Pulse,
}

/// A timer of the station.
#[derive(Debug)]
pub struct TimerPoint {
    of: FieldExpression,
    kind: TimerKind,
    time: Nanos,
    /// As it is set: under a scan it is over at the next.
    told: Nanos,
}

impl PointTable for TimerTable {
    type Point = TimerPoint;

    takes_description!();

    fn retains(&self) -> bool {
        self.retain
    }

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let (of, told) = (builder.expression(&self.of), builder.above_zero(&self.time));
        let time = told.map(|time| builder.takes(time));
        let kind = match self.kind {
            TimerWord::OnDelay => TimerKind::OnDelay,
            TimerWord::OffDelay => TimerKind::OffDelay,
            TimerWord::Pulse => TimerKind::Pulse,
        };
        Some(TimerPoint { of: of?, kind, time: time?, told: told? })
    }
}

const TIMER_FIELDS: &[Field] = &[ITSELF, Field { name: "elapsed", column: FieldColumn::Reading(0) }];

impl PointKind for TimerPoint {
    fn what(&self) -> &'static str {
        "a timer"
    }

    fn fields(&self) -> &'static [Field] {
        TIMER_FIELDS
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        vec![("of", &self.of)]
    }

    fn inner_fields(&self) -> Vec<(String, FieldColumn)> {
        vec![(RUNNING.to_owned(), FieldColumn::Bit(1))]
    }

    fn timer(&self) -> Option<Nanos> {
        Some(self.time)
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        Operation::Timer { kind: self.kind, time: self.time, told: self.told, of: branch.settled(&self.of) }
    }
}

/// `[pair.NAME]`: both contacts of a changeover contact as one state with a fault.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PairTable {
    /// Input of the normally open contact.
    no: Spanned<String>,
    /// Input of the normally closed contact, with contact = "NC".
    nc: Spanned<String>,
    /// How long they may disagree.
    within: Spanned<TimeText>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

/// The two sides of a changeover contact.
#[derive(Debug)]
pub struct PairPoint {
    no: FieldExpression,
    nc: FieldExpression,
    within: Nanos,
}

impl PointTable for PairTable {
    type Point = PairPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let (no, nc) = (builder.expression(&self.no), builder.expression(&self.nc));
        let within = builder.takes_above_zero(&self.within);
        Some(PairPoint { no: no?, nc: nc?, within: within? })
    }
}

const PAIR_FIELDS: &[Field] = &[ITSELF, Field { name: "fault", column: FieldColumn::Bit(1) }];

logic_point!(PairPoint, "a pair", [no, nc], [], PAIR_FIELDS, &[], |point, branch| {
    let (no, nc) = (branch.settled(&point.no), branch.settled(&point.nc));
    Operation::Pair { no, nc, within: point.within }
});

/// `[output.NAME]`: anything that is switched.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OutputTable {
    /// Expression over points.
    when: Spanned<String>,
    /// Switches the other way round.
    #[serde(default)]
    invert: bool,
    /// Delay of going on.
    on_delay: Option<Spanned<TimeText>>,
    /// Delay of going off.
    off_delay: Option<Spanned<TimeText>>,
    /// Flashes at each rising edge in place of being on.
    blink: Option<BlinkTable>,
    /// Terminal on a card, such as "I0" or "plc.I0".
    terminal: Option<Spanned<String>>,
    /// Length of its cable, such as "15 m".
    #[serde(default)]
    cable: Metres,
    /// What it switches, for the check of the wiring.
    load: Option<Load>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

/// `blink = { … }`: flashes.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
struct BlinkTable {
    /// Number of flashes.
    times: Option<Spanned<u32>>,
    /// Flashes for as long as it is on, in place of `times`.
    while_on: Option<Spanned<bool>>,
    /// Time on.
    on: Spanned<TimeText>,
    /// Time off.
    off: Spanned<TimeText>,
}

impl BlinkTable {
    fn build(&self, builder: &mut Builder<'_>) -> Option<Flashes> {
        let while_on = self.while_on.as_ref().is_some_and(|while_on| *while_on.get_ref());
        let times = match &self.times {
            Some(times) if *times.get_ref() == 0 => {
                builder.refuse(times.span(), StationErrorKind::File("the number of flashes must be 1 or more".into()));
                return None;
            }
            Some(times) if while_on => {
                let message = "it flashes so many times, or while it is on: remove `times` or `while_on`".to_owned();
                builder.refuse(times.span(), StationErrorKind::File(message));
                return None;
            }
            None if !while_on => {
                let message = "`blink` needs `times`, such as times = 3, or while_on = true".to_owned();
                builder.refuse(self.on.span(), StationErrorKind::File(message));
                return None;
            }
            times => times.as_ref().map_or(0, |times| u64::from(*times.get_ref())),
        };
        let (on, off) = (builder.takes_above_zero(&self.on), builder.takes_above_zero(&self.off));
        Some(Flashes { times, on: on?, off: off?, while_on })
    }
}

/// An output of the station.
#[derive(Debug)]
pub struct OutputPoint {
    when: FieldExpression,
    invert: bool,
    on_delay: Option<Nanos>,
    off_delay: Option<Nanos>,
    blink: Option<Flashes>,
    wired: Wired,
}

impl PointTable for OutputTable {
    type Point = OutputPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let errors = builder.errors.len();
        let wired = Wired {
            terminal: self.terminal,
            cable: self.cable,
            load: self.load,
            read_as: ReadAs::Output,
            ..Wired::default()
        };
        let on_delay = self.on_delay.as_ref().and_then(|delay| builder.takes_above_zero(delay));
        let off_delay = self.off_delay.as_ref().and_then(|delay| builder.takes_above_zero(delay));
        let blink = self.blink.as_ref().and_then(|blink| blink.build(builder));
        let when = builder.expression(&self.when);
        (builder.errors.len() == errors).then_some(())?;
        Some(OutputPoint { when: when?, invert: self.invert, on_delay, off_delay, blink, wired })
    }
}

impl OutputPoint {
    /// What the output shows before it is inverted: delayed first, then blinking.
    fn shown(&self, branch: &mut BranchBuilder<'_>) -> BitSource {
        let mut source = branch.settled(&self.when);
        for (kind, delay) in [(TimerKind::OnDelay, self.on_delay), (TimerKind::OffDelay, self.off_delay)] {
            if let Some(delay) = delay {
                source = branch.inner(Operation::Timer { kind, time: delay, told: delay, of: source });
            }
        }
        match self.blink {
            Some(flashes) => branch.inner(Operation::Blink { of: source, flashes }),
            None => source,
        }
    }
}

impl PointKind for OutputPoint {
    fn what(&self) -> &'static str {
        "an output"
    }

    fn fields(&self) -> &'static [Field] {
        &[ITSELF]
    }

    fn bounce_keys(&self) -> &'static [&'static str] {
        if self.blink.is_some() { &["when"] } else { &[] }
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        vec![("when", &self.when)]
    }

    fn is_settable(&self) -> bool {
        true
    }

    fn wired(&self) -> Option<&Wired> {
        Some(&self.wired)
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        let shown = self.shown(branch);
        Operation::Output { when: shown, invert: self.invert }
    }
}
