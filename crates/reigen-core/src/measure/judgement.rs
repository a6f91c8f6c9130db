//! The one judgement of lines: what each is, by itself and beside the others.
//!
//! Everything that speaks of a line asks here, so that no command denies what another one says. Lines are judged by their first
//! edges; each judgement comes with its evidence.

use super::edges::Edges;
use super::floating::Floats;
use super::kind::{Guess, Kind};
use super::modulated::modulated;
use super::parting;
use super::pulse_train::pulse_train;
use super::serial::serial;
use super::{changeover, clocked, echo, floating, quadrature};
use crate::names::counted;
use crate::time::Nanos;
use crate::units::short_time;

/// By how many edges a line is judged.
pub const JUDGED: usize = 1 << 13;
/// By how many a pair is first looked at.
const FEW: usize = 512;
/// Up to so many lines are held against one another.
const MOST_COMPARED: usize = 48;
/// A level that no hand and no cam is too quick for.
const SLOW: u64 = 5_000_000;

/// Bounce that speaks for itself lasts no longer than this.
const HARD_BOUNCE: u64 = 50_000_000;

/// A line to judge.
#[derive(Debug, Clone, Copy)]
pub struct Candidate<'a> {
    /// Its name.
    pub name: &'a str,
    /// Its first edges, and what it is by itself; `None` where it never has a level.
    pub edges: Option<(Edges<'a>, &'a SingleLine)>,
    /// When it has its first level.
    pub since: Nanos,
    /// The last time up to which these are all of its edges.
    pub until: Nanos,
}

/// Judges lines, by themselves and beside one another. The result has one entry for each line.
pub fn judge(lines: &[Candidate<'_>]) -> Vec<Guess> {
    let mut judge = Judge { lines, guesses: vec![None; lines.len()] };
    judge.dull();
    judge.chains();
    judge.encoders();
    judge.changeovers();
    judge.echoes();
    judge.buses();
    judge.singles();
    let unknown = || Guess::new(Kind::Unknown, "fits no kind");
    judge.guesses.into_iter().map(|guess| guess.unwrap_or_else(unknown)).collect()
}

struct Judge<'a> {
    lines: &'a [Candidate<'a>],
    guesses: Vec<Option<Guess>>,
}

impl Judge<'_> {
    fn edges(&self, line: usize) -> Option<Edges<'_>> {
        Some(self.all_edges(line)?.first(JUDGED))
    }

    /// All that are kept: a chain's data may change long after its clock has begun.
    fn all_edges(&self, line: usize) -> Option<Edges<'_>> {
        Some(self.lines.get(line)?.edges?.0)
    }

    fn alone(&self, line: usize) -> Option<&SingleLine> {
        Some(self.lines.get(line)?.edges?.1)
    }

    fn name(&self, line: usize) -> String {
        self.lines.get(line).map_or(String::new(), |line| line.name.to_owned())
    }

    /// The time over which a line is judged.
    fn time(&self, line: usize) -> Nanos {
        let Some(line) = self.lines.get(line) else { return Nanos(0) };
        let beyond = line.edges.and_then(|(edges, _)| edges.times.get(JUDGED).copied());
        beyond.unwrap_or(line.until).saturating_sub(line.since)
    }

    /// What a line is by itself; that it floats where nothing else fits.
    fn by_itself(&self, line: usize) -> Option<Guess> {
        let alone = self.alone(line)?;
        let floats = |floats: &Floats| Guess::new(Kind::Floating, floats.words(self.time(line)));
        alone.guess.clone().or_else(|| alone.chatter.as_ref().map(floats))
    }

    fn set(&mut self, line: usize, kind: Kind, ground: &str) {
        if let Some(guess) = self.guesses.get_mut(line) {
            *guess = Some(Guess::new(kind, ground));
        }
    }

    /// Lines that are still open.
    fn open(&self) -> Vec<usize> {
        let open = self.guesses.iter().enumerate().filter(|(_, guess)| guess.is_none()).map(|(line, _)| line);
        open.take(MOST_COMPARED).collect()
    }

    fn is_open(&self, line: usize) -> bool {
        self.guesses.get(line).is_some_and(Option::is_none)
    }

    /// Ordered pairs of open lines.
    fn pairs(&self) -> Vec<(usize, usize)> {
        let open = self.open();
        let all = open.iter().flat_map(|&one| open.iter().map(move |&other| (one, other)));
        all.filter(|(one, other)| one != other).collect()
    }

    /// Lines that never change, and lines that the mains move.
    fn dull(&mut self) {
        for line in 0..self.lines.len() {
            let Some(edges) = self.edges(line) else {
                self.set(line, Kind::Dead, "never has a level");
                continue;
            };
            if edges.times.is_empty() {
                let level = if edges.starts_high { "high" } else { "low" };
                self.set(line, Kind::Dead, &format!("{level} all the time"));
            } else if let Some(floats) = self.alone(line).and_then(|alone| alone.mains.as_ref()) {
                let words = floats.words(self.time(line));
                self.set(line, Kind::Floating, &words);
            }
        }
    }

    /// A chain: load and clock, then what changes with the clock.
    fn chains(&mut self) {
        for (load, clock) in self.pairs() {
            if !(self.is_open(load) && self.is_open(clock)) {
                continue;
            }
            let found = self.edges(load).zip(self.edges(clock)).and_then(|(load, clock)| clocked::chain(load, clock));
            let Some((bits, ground)) = found else { continue };
            self.set(load, Kind::Chain { wire: "load", bits }, &ground);
            self.set(clock, Kind::Chain { wire: "clock", bits }, &ground);
            for data in self.open() {
                let edges = self.all_edges(data).zip(self.all_edges(clock));
                if edges.is_some_and(|(data, clock)| clocked::is_chain_data(data, clock)) {
                    self.set(data, Kind::Chain { wire: "data", bits }, "changes only with the clock");
                }
            }
        }
    }

    fn encoders(&mut self) {
        for (one, other) in self.pairs() {
            if one > other || !(self.is_open(one) && self.is_open(other)) {
                continue;
            }
            let found = self.edges(one).zip(self.edges(other)).and_then(|(a, b)| {
                quadrature::quadrature(a, b, FEW)?;
                quadrature::quadrature(a, b, JUDGED)
            });
            let Some((leads, ground)) = found else { continue };
            self.set(one, Kind::Quadrature { with: self.name(other), leads }, &ground);
            self.set(other, Kind::Quadrature { with: self.name(one), leads: !leads }, &ground);
            for mark in self.open() {
                let wires = (self.edges(mark), self.all_edges(one), self.all_edges(other));
                let (Some(edges), Some(a), Some(b)) = wires else { continue };
                if let Some((cycles, ground)) = quadrature::index(edges, a, b) {
                    self.set(mark, Kind::Index { of: self.name(one), cycles }, &ground);
                }
            }
        }
    }

    fn echoes(&mut self) {
        for (trigger, reply) in self.pairs() {
            if !(self.is_open(trigger) && self.is_open(reply)) {
                continue;
            }
            let found =
                self.edges(trigger).zip(self.edges(reply)).and_then(|(trigger, reply)| echo::echo(trigger, reply));
            let Some(ground) = found else { continue };
            self.set(trigger, Kind::Trigger { of: self.name(reply) }, &ground);
            self.set(reply, Kind::Echo { of: self.name(trigger) }, &ground);
        }
    }

    fn changeovers(&mut self) {
        for (one, other) in self.pairs() {
            if one > other || !(self.is_open(one) && self.is_open(other)) {
                continue;
            }
            let found = self.edges(one).zip(self.edges(other)).and_then(|(a, b)| changeover::changeover(a, b));
            let Some(ground) = found else { continue };
            self.set(one, Kind::Changeover { with: self.name(other) }, &ground);
            self.set(other, Kind::Changeover { with: self.name(one) }, &ground);
        }
    }

    /// A clock and what it clocks, and what selects. Data may look like a line that the mains move, until it is seen beside its clock.
    fn buses(&mut self) {
        let floats = |guess: &Option<Guess>| guess.as_ref().is_some_and(|guess| guess.kind == Kind::Floating);
        let is_clock = |line: &usize| self.edges(*line).is_some_and(clocked::is_clock);
        let clocks: Vec<usize> = self.open().into_iter().filter(is_clock).collect();
        let open = self.open();
        let wires: Vec<usize> = (0..self.lines.len())
            .filter(|line| open.contains(line) || self.guesses.get(*line).is_some_and(floats))
            .take(MOST_COMPARED)
            .collect();
        for clock in clocks {
            for &data in wires.iter().filter(|data| **data != clock) {
                let is_clock = self.is_open(clock) || self.is_clock_of_bus(clock);
                if is_clock && !self.is_clock_of_bus(data) {
                    self.bus(clock, data);
                }
            }
        }
    }

    fn bus(&mut self, clock: usize, data: usize) {
        let found = self.edges(clock).zip(self.edges(data)).and_then(|(clock, data)| clocked::bus(clock, data));
        let Some(ground) = found else { return };
        let name = self.name(clock);
        self.set(clock, Kind::Bus { clock: name.clone() }, "clocks other lines");
        self.set(data, Kind::Bus { clock: name.clone() }, &ground);
        for select in self.open() {
            let wires = self.edges(select).zip(self.edges(clock));
            if wires.is_some_and(|(select, clock)| clocked::selects(select, clock)) {
                self.set(select, Kind::Bus { clock: name.clone() }, "the clock runs only at one level of it");
            }
        }
    }

    fn is_clock_of_bus(&self, line: usize) -> bool {
        let name = self.name(line);
        matches!(self.guesses.get(line), Some(Some(Guess { kind: Kind::Bus { clock }, .. })) if *clock == name)
    }

    fn singles(&mut self) {
        for line in 0..self.lines.len() {
            if self.is_open(line)
                && let Some(guess) = self.by_itself(line)
            {
                self.set(line, guess.kind, &guess.ground);
            }
        }
    }
}

/// What a line is by itself.
fn single(edges: Edges<'_>) -> Option<Guess> {
    if let Some((bit, data, characters)) = serial(edges) {
        let ground = format!("{characters} characters of {data} bits, {} a bit", short_time(bit));
        return Some(Guess::new(Kind::Serial { bit }, ground));
    }
    if let Some(guess) = contact(edges).filter(|_| bounces_hard(edges)) {
        return Some(guess);
    }
    if let Some(ground) = modulated(edges) {
        return Some(Guess::new(Kind::Modulated, ground));
    }
    if let Some(ground) = pulse_train(edges) {
        return Some(Guess::new(Kind::Pulses, ground));
    }
    contact(edges)
}

/// Whether bursts lead to a changed level, again and again, and are far shorter than the levels between: no shaft that starts and
/// stops does that, however regular the bounce.
fn bounces_hard(edges: Edges<'_>) -> bool {
    let Some(parting) = parting::part(edges).filter(|parting| parting.changes) else { return false };
    let bounce = parting::meter(edges, parting.quiet);
    let (changes, longest) = (bounce.changes(), bounce.turning_on.longest().max(bounce.turning_off.longest()));
    let returns = bounce.glitches.count() + bounce.dropouts.count();
    let hold = bounce.shortest_hold().unwrap_or_default();
    changes >= 4
        && returns * 4 <= changes
        && bounce.extra_edges() >= changes
        && longest.0 <= HARD_BOUNCE
        && hold.0 >= longest.0.saturating_mul(4)
}

/// A contact, with bounce or without; or a line at rest but for short pulses.
fn contact(edges: Edges<'_>) -> Option<Guess> {
    let parting = parting::part(edges);
    let bounce = parting::meter(edges, parting.map_or(Nanos(1), |parting| parting.quiet));
    let (changes, extra) = (bounce.changes(), bounce.extra_edges());
    match parting {
        Some(parting) if !parting.changes => {
            let pulses = bounce.glitches.count() + bounce.dropouts.count();
            let ground = format!("at rest but for {}", counted(pulses, "short pulse"));
            Some(Guess::new(Kind::Unknown, ground))
        }
        Some(_) if extra > 0 => {
            let longest = bounce.turning_on.longest().max(bounce.turning_off.longest());
            let ground =
                format!("{extra} bounce edges on {changes} transitions, longest burst {}", short_time(longest));
            Some(Guess::new(Kind::Contact, ground))
        }
        _ => (changes > 0 && bounce.shortest_hold().is_none_or(|hold| hold.0 >= SLOW)).then(|| {
            let changes = counted(changes, "transition");
            Guess::new(Kind::Contact, format!("{changes} without bounce: a contact or a switching output"))
        }),
    }
}

/// What a line is by itself, which is worked once.
#[derive(Debug, Clone)]
pub struct SingleLine {
    mains: Option<Floats>,
    guess: Option<Guess>,
    chatter: Option<Floats>,
    /// The level that ends a burst; where it is no contact, each edge stands alone.
    pub quiet: Nanos,
}

impl SingleLine {
    /// By a line's first edges.
    pub fn new(edges: Edges<'_>) -> Self {
        let edges = edges.first(JUDGED);
        let mains = floating::with_mains(edges);
        let guess = if mains.is_some() || edges.times.is_empty() { None } else { single(edges) };
        let chatter = if mains.is_some() || guess.is_some() { None } else { floating::by_chatter(edges) };
        let parted = matches!(&guess, Some(Guess { kind: Kind::Contact | Kind::Unknown, .. }));
        let parting = if parted { parting::part(edges) } else { None };
        Self { mains, guess, chatter, quiet: parting.map_or(Nanos(1), |parting| parting.quiet) }
    }
}
