//! `encoder`: the block that follows two channels.

use super::decode::{Decode, Decoder, Step};
use super::edges::{Head, NEVER, Spacing, take_turns};
use super::health::Health;
use super::homing::{Homing, IndexDoes, Missing, RevolutionCounts};
use super::settings::{Settings, Sources, counts_per_rev, wants_zero};
use super::speed::SpeedSink;
use super::summary::EncoderSummary;
use crate::block::{Block, Inputs, Outputs, Stateful};
use crate::cast;
use crate::column::{BitColumn, CountColumn, ReadingColumn};
use crate::engine::MOST_SUM;
use crate::event::{EventKind, Happening};
use crate::rate::auto::{self, Auto};
use crate::rate::lone::LoneEdges;
use crate::time::{Nanos, Window};
use serde::{Deserialize, Serialize};

/// As many zeros and wrong revolutions are kept.
const MOST_KEPT: usize = 1000;
/// A reversal after no more than so many counts is a trembling.
const TREMBLE: u64 = 2;
/// After so many counts in one direction it is worth a look whether many edges take turns.
const STRAIGHT: u64 = 4;
/// An illegal step so few ticks after the edge before it is one of speed.
const AT_SPEED: u64 = 4;

/// Counts that go on whatever becomes of the position.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
struct Sums {
    illegal: u64,
    illegal_at_speed: u64,
    first_illegal: Option<Nanos>,
    reversals: u64,
    dither: u64,
    marks: u64,
    up: u64,
    down: u64,
    homings: Vec<Homing>,
    missing: Vec<Missing>,
    missing_counts: i64,
    /// Marks that did not come where a whole number of revolutions was made.
    missed_marks: u64,
    lone: LoneEdges,
    edges: [u64; 2],
    spacing: Spacing,
    /// Counts of the raw channels, less those that a scan saw.
    lost: i64,
}

/// The running form of an encoder.
#[derive(Debug)]
pub struct Encoder {
    settings: Settings,
    sources: Sources,
    tick: Nanos,
    auto: Auto,
    state: State,
}

/// What an encoder must know of the past.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct State {
    decoder: Option<Decoder>,
    raw: Option<Decoder>,
    index: bool,
    zero_on: bool,
    /// Counts since the start, zeros left aside.
    total: i64,
    position: i64,
    known: bool,
    /// Where `zero_on` armed the index.
    armed: Option<i64>,
    last_count: Option<(Nanos, bool)>,
    last_illegal: Option<Nanos>,
    /// Counts since the last reversal.
    run: u64,
    moving: bool,
    fault: bool,
    /// The last change of a channel, and which it was.
    last_edge: Option<(Nanos, bool)>,
    between: RevolutionCounts,
    health: Health,
    speed: f64,
    sums: Sums,
    /// Whether it was homed before it began.
    was_homed: bool,
    /// That of its speed; kept here only while it is saved.
    auto: Option<auto::State>,
}

/// What an encoder keeps while the program is not at work. What the shaft does meanwhile is not known.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Retained {
    /// Its position.
    pub position: i64,
    /// Counts since its first start, zeros left aside.
    pub total: i64,
    /// Whether it has a position: one that waits for a zero has none before it.
    pub known: bool,
    /// Whether that position is one from a zero.
    pub homed: bool,
}

/// The columns that are filled.
struct EncoderColumns<'a> {
    moving: &'a mut BitColumn,
    forward: &'a mut BitColumn,
    fault: &'a mut BitColumn,
    homed: &'a mut BitColumn,
    position: &'a mut CountColumn,
    speed: &'a mut ReadingColumn,
}

impl Encoder {
    /// An encoder over its sources; `tick` is the step of their times.
    pub fn new(settings: Settings, sources: Sources, tick: Nanos) -> Self {
        let state = State {
            decoder: None,
            raw: None,
            index: false,
            zero_on: false,
            total: 0,
            position: settings.zero_at,
            known: !wants_zero(&settings, &sources),
            armed: None,
            last_count: None,
            last_illegal: None,
            run: 0,
            moving: false,
            fault: false,
            last_edge: None,
            between: RevolutionCounts::default(),
            health: Health::default(),
            speed: 0.0,
            sums: Sums::default(),
            was_homed: false,
            auto: None,
        };
        let (every, from) = settings.speed;
        let auto = Auto::new(every, None, tick).counting_from(from);
        Self { settings, sources, tick, auto, state }
    }

    /// What it keeps while the program is not at work.
    pub fn retained(&self) -> Retained {
        let State { position, total, known, .. } = self.state;
        Retained { position, total, known, homed: self.is_homed() }
    }

    /// Begins from what was kept; false where no encoder comes so far.
    pub fn resume(&mut self, kept: Retained) -> bool {
        let Retained { position, total, known, homed } = kept;
        if [position, total].iter().any(|sum| !(-MOST_SUM..=MOST_SUM).contains(sum)) {
            return false;
        }
        (self.state.position, self.state.total, self.state.known) = (position, total, known);
        self.state.was_homed = homed;
        true
    }

    /// Whether its position is one from a zero.
    fn is_homed(&self) -> bool {
        let State { sums, was_homed, known, .. } = &self.state;
        *was_homed || !sums.homings.is_empty() || (*known && wants_zero(&self.settings, &self.sources))
    }

    /// What it did.
    pub fn summary(&self) -> EncoderSummary {
        let Self { settings, state: State { sums, .. }, .. } = self;
        let position = (self.state.known && self.state.decoder.is_some()).then_some(self.state.position);
        EncoderSummary {
            position,
            value: position.and_then(|position| settings.value(position)),
            unit: settings.unit.clone(),
            illegal: sums.illegal,
            reversals: sums.reversals,
            index_marks: sums.marks,
            dither: sums.dither,
            forward: sums.up,
            backward: sums.down,
            speed: self.state.decoder.is_some().then_some(self.state.speed),
            homed: self.is_homed(),
            homings: sums.homings.clone(),
            missing: sums.missing.clone(),
            missing_counts: sums.missing_counts,
            missed_marks: sums.missed_marks,
            lone_counts: sums.lone.most(),
            still_after: settings.still_after,
            counts_per_cycle: i64::from(settings.decode.counts()),
            first_illegal: sums.first_illegal,
            illegal_at_speed: sums.illegal_at_speed,
            slowest_scan: sums.spacing.closest,
            lost_by_scan: self.sources.raw.is_some().then_some(sums.lost),
            edges: sums.edges,
            phase: self.state.health.told(),
            worst_phase: self.state.health.worst(),
            has_index: self.sources.index.is_some(),
            wants_zero: wants_zero(settings, &self.sources),
            zero_at: settings.zero_at,
            counts_per_rev: counts_per_rev(settings),
            tick: self.tick,
            last_count: self.state.last_count,
            last_illegal: self.state.last_illegal,
        }
    }

    /// Starts at the first time at which all it reads has a level; passes what came up to then.
    fn start(&mut self, inputs: &Inputs<'_>, heads: &mut [Head<'_>; 4], shown: &mut EncoderColumns<'_>) -> Option<()> {
        let Sources { a, b, index, zero_on, raw } = self.sources;
        let all = [Some(a), Some(b), index, zero_on];
        let start = inputs.start(all.into_iter().flatten())?;
        let mut levels = [false; 4];
        for ((level, head), source) in levels.iter_mut().zip(heads).zip(all) {
            let first = source.and_then(|source| inputs.bit(source).level).unwrap_or_default();
            *level = first ^ head.pass_to(start);
        }
        let [a, b, index, zero_on] = levels;
        self.state.decoder = Some(Decoder::new(a, b));
        if let Some((raw_a, raw_b)) = raw {
            let level = |source| Some(inputs.bit(source).level? ^ Head(&inputs.bit(source).toggles).pass_to(start));
            self.state.raw = level(raw_a).zip(level(raw_b)).map(|(a, b)| Decoder::new(a, b));
        }
        (self.state.index, self.state.zero_on) = (index, zero_on);
        for bit in [&mut *shown.moving, shown.forward, shown.fault] {
            bit.start(start, false);
        }
        shown.homed.start(start, self.state.was_homed);
        if self.state.known {
            shown.position.push(start, self.state.position);
        }
        shown.speed.push(start, 0.0);
        // What the raw channels did up to here is no count.
        Some(())
    }

    /// The raw channels, of which a scan sees only a part.
    fn work_raw(&mut self, inputs: &Inputs<'_>, from: Nanos) {
        let Settings { decode, reverse, .. } = self.settings;
        let (Some(raw), Some((a, b))) = (&mut self.state.raw, self.sources.raw) else { return };
        let (mut a, mut b) = (Head::of(inputs, Some(a)), Head::of(inputs, Some(b)));
        a.pass_to(from);
        b.pass_to(from);
        loop {
            let time = a.next().min(b.next());
            if time == NEVER {
                return;
            }
            let (a_changed, b_changed) = (a.pass(time), b.pass(time));
            match (a_changed, b_changed) {
                (true, true) => self.state.sums.spacing.both(),
                (false, false) => {}
                (is_a, _) => self.state.sums.spacing.edge(time, is_a),
            }
            match raw.step(decode, reverse, a_changed, b_changed) {
                Step::Count(true) => self.state.sums.lost += 1,
                Step::Count(false) => self.state.sums.lost -= 1,
                Step::Nothing | Step::Illegal => {}
            }
        }
    }

    #[inline]
    fn per_count(&self) -> f64 {
        self.settings.per_count.unwrap_or(1.0)
    }

    /// It stands still once no count has come for long enough before `now`.
    #[inline(always)]
    fn pass_still(&mut self, now: Nanos, shown: &mut EncoderColumns<'_>) {
        let Some((last, _)) = self.state.last_count.filter(|_| self.state.moving) else { return };
        let due = last + self.settings.still_after;
        if due >= now {
            return;
        }
        self.state.moving = false;
        shown.moving.toggles.push(due);
        let per_count = self.per_count();
        let mut sink = SpeedSink { column: shown.speed, last: &mut self.state.speed, per_count };
        self.auto.pass(due, &mut sink);
        self.auto.stop(due, &mut sink);
    }

    /// One instant of the channels.
    #[inline(always)]
    fn step(&mut self, at: Nanos, a_changed: bool, b_changed: bool, shown: &mut EncoderColumns<'_>) {
        let Settings { decode, reverse, .. } = self.settings;
        let Some(decoder) = &mut self.state.decoder else { return };
        let step = decoder.step(decode, reverse, a_changed, b_changed);
        let (a, b) = decoder.levels();
        if a_changed != b_changed {
            self.state.health.edge(at, a_changed, if a_changed { a } else { b });
            if self.state.raw.is_none() {
                self.state.sums.spacing.edge(at, a_changed);
            }
            self.state.sums.edges =
                [self.state.sums.edges[0] + u64::from(a_changed), self.state.sums.edges[1] + u64::from(b_changed)];
        }
        match step {
            Step::Nothing => {}
            Step::Count(forward) => self.count(at, forward, shown),
            Step::Illegal => self.illegal(at, shown),
        }
        if a_changed != b_changed {
            self.state.last_edge = Some((at, a_changed));
        }
    }

    #[inline(always)]
    fn count(&mut self, at: Nanos, forward: bool, shown: &mut EncoderColumns<'_>) {
        self.pass_still(at, shown);
        let amount = if forward { 1 } else { -1 };
        match self.state.last_count {
            Some((_, before)) if before == forward => self.state.run += 1,
            Some(_) => {
                self.state.sums.reversals += 1;
                self.state.sums.dither += u64::from(self.state.run <= TREMBLE);
                self.state.run = 1;
            }
            None => self.state.run = 1,
        }
        self.state.last_count = Some((at, forward));
        // It is not still yet in the instant in which it would be, as in `pass_still` and `turns`.
        self.state.sums.lone.edge(at, Nanos(self.settings.still_after.0.saturating_add(1)));
        self.state.total += amount;
        self.state.position += amount;
        self.state.sums.lost -= amount;
        if forward {
            self.state.sums.up += 1
        } else {
            self.state.sums.down += 1
        }
        self.state.between.count(forward);
        if shown.forward.last_level() != Some(forward) {
            shown.forward.toggles.push(at);
        }
        if !self.state.moving {
            self.state.moving = true;
            shown.moving.toggles.push(at);
        }
        if self.state.known {
            shown.position.push(at, self.state.position);
        }
        let per_count = self.per_count();
        self.auto.edge(at, amount, &mut SpeedSink { column: shown.speed, last: &mut self.state.speed, per_count });
    }

    /// Takes many edges at once, where the channels take turns and it goes on as it went; false where they do not.
    ///
    /// The same as [`step`](Self::step) for each of them, which stays the form to read.
    fn turns(&mut self, a: &mut Head<'_>, b: &mut Head<'_>, limit: Nanos, shown: &mut EncoderColumns<'_>) -> bool {
        if self.state.run < STRAIGHT {
            return false;
        }
        let (Some(decoder), Some((last, direction))) = (self.state.decoder, self.state.last_count) else {
            return false;
        };
        let a_first = a.next() < b.next();
        let goes_on = self.settings.decode == Decode::X4
            && self.state.known
            && self.state.moving
            && (decoder.turns_forward(a_first) != self.settings.reverse) == direction
            && a.next().min(b.next()) <= last + self.settings.still_after;
        if !goes_on {
            return false;
        }
        let (first, second) = if a_first { (a.0, b.0) } else { (b.0, a.0) };
        let (pairs, closest) = take_turns(first, second, limit, self.settings.still_after);
        let (Some(first), Some(second)) = (first.get(..pairs), second.get(..pairs)) else { return false };
        let (Some(&start), Some(&end)) = (first.first(), second.last()) else { return false };
        let amount = if direction { 1 } else { -1 };
        let edges = 2 * cast::i64_from_usize(pairs);
        let shown_before = shown.position.times.len();
        shown.position.times.resize(shown_before + 2 * pairs, Nanos(0));
        let (room, _) = shown.position.times.get_mut(shown_before..).unwrap_or_default().as_chunks_mut::<2>();
        room.iter_mut().zip(first.iter().zip(second)).for_each(|(pair, (&one, &other))| *pair = [one, other]);
        shown.position.values.extend((1..=edges).map(|edge| self.state.position + amount * edge));
        let merged = shown.position.times.get(shown_before..).unwrap_or_default();
        let per_count = self.per_count();
        self.auto.edges(merged, amount, &mut SpeedSink { column: shown.speed, last: &mut self.state.speed, per_count });
        self.state.health.turns(
            a.0.get(..pairs).unwrap_or_default(),
            b.0.get(..pairs).unwrap_or_default(),
            a_first,
            decoder.levels(),
        );
        if self.state.raw.is_none() {
            self.state.sums.spacing.edge(start, a_first);
            self.state.sums.spacing.many(closest, (end, !a_first));
        }
        self.state.position += amount * edges;
        self.state.total += amount * edges;
        self.state.sums.lost -= amount * edges;
        self.state.run += cast::u64_from_i64(edges);
        if direction {
            self.state.sums.up += cast::u64_from_i64(edges)
        } else {
            self.state.sums.down += cast::u64_from_i64(edges)
        }
        self.state.between.counts(direction, edges);
        self.state.sums.edges = self.state.sums.edges.map(|edges| edges + pairs as u64);
        self.state.last_count = Some((end, direction));
        self.state.sums.lone.edges(end);
        self.state.last_edge = Some((end, !a_first));
        if let Some(decoder) = &mut self.state.decoder {
            decoder.pass(pairs);
        }
        *a = Head(a.0.get(pairs..).unwrap_or_default());
        *b = Head(b.0.get(pairs..).unwrap_or_default());
        true
    }

    #[cold]
    fn illegal(&mut self, at: Nanos, shown: &mut EncoderColumns<'_>) {
        self.state.sums.illegal += 1;
        self.state.sums.first_illegal.get_or_insert(at);
        self.state.last_illegal = Some(at);
        let near = |(last, _): (Nanos, bool)| at.saturating_sub(last).0 <= AT_SPEED * self.tick.0;
        self.state.sums.illegal_at_speed += u64::from(self.state.last_edge.is_some_and(near));
        if self.state.raw.is_none() {
            self.state.sums.spacing.both();
        }
        self.state.health.break_off();
        self.set_fault(at, true, shown);
    }

    /// Faults show as they stand after the instant.
    fn set_fault(&mut self, at: Nanos, fault: bool, shown: &mut EncoderColumns<'_>) {
        if self.state.fault == fault {
            return;
        }
        self.state.fault = fault;
        match shown.fault.toggles.last() == Some(&at) {
            true => drop(shown.fault.toggles.pop()),
            false => shown.fault.toggles.push(at),
        }
    }

    /// The index rises.
    fn mark(&mut self, at: Nanos, shown: &mut EncoderColumns<'_>) {
        self.state.sums.marks += 1;
        self.set_fault(at, false, shown);
        let last = self.state.last_count.map(|(_, forward)| forward);
        let checks = self.settings.index_does == IndexDoes::Check;
        let expected = counts_per_rev(&self.settings).filter(|_| checks);
        let wrong = self.state.between.mark(at, last, expected);
        let whole = wrong.filter(|wrong| wrong.expected > 0 && wrong.counts % wrong.expected == 0);
        self.state.sums.missed_marks += whole.map_or(0, |whole| (whole.counts / whole.expected - 1).unsigned_abs());
        if let Some(missing) = wrong.filter(|_| whole.is_none()) {
            self.state.sums.missing_counts += missing.expected - missing.counts;
            if self.state.sums.missing.len() < MOST_KEPT {
                self.state.sums.missing.push(missing);
            }
        }
        match (self.settings.index_does, self.state.armed) {
            (IndexDoes::Zero, _) => self.zero(at, None, shown),
            (IndexDoes::Home, Some(armed)) => {
                self.state.armed = None;
                self.zero(at, Some(self.state.total - armed), shown);
            }
            _ => {}
        }
    }

    /// `zero_on` rises.
    fn zero_switch(&mut self, at: Nanos, shown: &mut EncoderColumns<'_>) {
        self.set_fault(at, false, shown);
        match self.settings.index_does {
            IndexDoes::Home => self.state.armed = Some(self.state.total),
            IndexDoes::Check | IndexDoes::Zero => self.zero(at, None, shown),
        }
    }

    fn zero(&mut self, at: Nanos, from_switch: Option<i64>, shown: &mut EncoderColumns<'_>) {
        if self.state.sums.homings.len() < MOST_KEPT {
            let before = self.state.known.then_some(self.state.position);
            self.state.sums.homings.push(Homing { at, before, from_switch });
        }
        self.state.position = self.settings.zero_at;
        self.state.known = true;
        if shown.homed.last_level() == Some(false) {
            shown.homed.toggles.push(at);
        }
        if shown.position.last() != Some(self.state.position) {
            shown.position.set(at, self.state.position);
        }
    }

    /// What the index and the switch do at `at`, after the count.
    fn others(&mut self, at: Nanos, index: bool, zero_on: bool, shown: &mut EncoderColumns<'_>) {
        self.state.index ^= index;
        self.state.zero_on ^= zero_on;
        if index && self.state.index {
            self.mark(at, shown);
        }
        if zero_on && self.state.zero_on {
            self.zero_switch(at, shown);
        }
    }

    fn work_heads(&mut self, [mut a, mut b, mut index, mut zero_on]: [Head<'_>; 4], shown: &mut EncoderColumns<'_>) {
        loop {
            let other = index.next().min(zero_on.next());
            loop {
                if self.turns(&mut a, &mut b, other, shown) {
                    continue;
                }
                let time = a.next().min(b.next());
                if time >= other {
                    break;
                }
                self.step(time, a.pass(time), b.pass(time), shown);
            }
            if other == NEVER {
                return;
            }
            self.step(other, a.pass(other), b.pass(other), shown);
            self.others(other, index.pass(other), zero_on.pass(other), shown);
        }
    }
}

impl Block for Encoder {
    fn work(&mut self, window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let ([moving, forward, fault, homed], [position], [value, speed]) =
            (outputs.bits, outputs.counts, outputs.readings)
        else {
            return;
        };
        let mut shown = EncoderColumns { moving, forward, fault, homed, position, speed };
        let Sources { a, b, index, zero_on, .. } = self.sources;
        let mut heads = [Some(a), Some(b), index, zero_on].map(|source| Head::of(&inputs, source));
        let mut raw_from = Nanos(0);
        if self.state.decoder.is_none() {
            if self.start(&inputs, &mut heads, &mut shown).is_none() {
                return;
            }
            raw_from = shown.moving.since;
        }
        self.work_heads(heads, &mut shown);
        self.work_raw(&inputs, raw_from);
        self.pass_still(window.until, &mut shown);
        let per_count = self.per_count();
        self.auto.pass(window.until, &mut SpeedSink { column: shown.speed, last: &mut self.state.speed, per_count });
        if self.settings.per_count.is_some() {
            value.times.extend_from_slice(&position.times);
            value.values.extend(position.values.iter().filter_map(|&position| self.settings.value(position)));
        }
    }

    fn own_changes(&self, length: Nanos, quiet: bool) -> u64 {
        self.auto.own_changes(length, quiet)
    }

    fn start_counting(&mut self, _from: Nanos) {
        self.state.sums = Sums::default();
    }

    fn happenings(&mut self, counts: &[CountColumn], sink: &mut Vec<Happening>) {
        // In units it is a reading, which is told as such.
        let position = counts.first().filter(|_| self.settings.per_count.is_none());
        let steps = position.into_iter().flat_map(|column| column.times.iter().zip(&column.values));
        sink.extend(steps.map(|(&at, &value)| (at, EventKind::Value(value))));
    }

    fn next_due(&self) -> Option<Nanos> {
        let still =
            self.state.last_count.filter(|_| self.state.moving).map(|(last, _)| last + self.settings.still_after);
        [still, self.auto.next_due()].into_iter().flatten().min()
    }
}

impl Stateful for Encoder {
    type State = State;

    fn save(&self) -> State {
        State { auto: Some(self.auto.save()), ..self.state.clone() }
    }

    fn restore(&mut self, mut state: State) {
        state.auto.take().into_iter().for_each(|state| self.auto.restore(state));
        self.state = state;
    }
}
