//! All sources of a scenario, merged into one stream in the order of time.

use super::analog::AnalogSource;
use super::chain::ChainSource;
use super::contact::{ChangeoverSource, ContactSource};
use super::echo::EchoSource;
use super::encoder::EncoderSource;
use super::floating::FloatingSource;
use super::numbers::{PortSource, RegisterSource, SetValueSource};
use super::random::Random;
use super::scenario::{Kind, Scenario};
use super::shaft::Motion;
use super::truth::TruthFile;
use super::wheel::WheelSource;
use super::wire::WireFault;
use super::{Change, Source, Value};
use reigen_core::time::Nanos;
use std::cmp::Reverse;
use std::collections::BinaryHeap;

/// A scenario at work: an iterator over the changes of its lines.
pub struct Simulation {
    names: Vec<String>,
    start: Vec<Value>,
    sources: Vec<RunningSource>,
    wires: Vec<(String, usize, WireFault)>,
    heap: BinaryHeap<Reverse<(u64, u64, Step)>>,
    /// Changes that have been made and wait to be handed out.
    ready: Vec<Change>,
    order: u64,
    seed: u64,
    title: Option<String>,
    end: Nanos,
}

struct RunningSource {
    name: String,
    source: Box<dyn Source>,
    first_line: usize,
    /// Its next change, which waits in the heap.
    head: Option<Change>,
}

/// What is to happen next.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Step {
    /// A source changes a line.
    Source(usize),
    /// A short pulse begins on a wire.
    Glitch(usize),
    /// A short pulse ends.
    GlitchOver(usize),
    /// A wire comes free, or sticks.
    Stuck(usize),
}

impl Simulation {
    /// A simulation of a checked scenario, up to and including `end`.
    pub fn new(scenario: &Scenario, seed: u64, end: Nanos) -> Self {
        let mut simulation = Self {
            names: Vec::new(),
            start: Vec::new(),
            sources: Vec::new(),
            wires: Vec::new(),
            heap: BinaryHeap::new(),
            ready: Vec::new(),
            order: 0,
            seed,
            title: scenario.title.clone(),
            end,
        };
        for (name, kind) in &scenario.sources {
            let source = source(scenario, kind, (name, seed), end);
            simulation.add(name, source);
        }
        for (name, wire) in &scenario.wires {
            let Some(line) = simulation.names.iter().position(|line| *line == wire.line) else { continue };
            let level = simulation.start.get(line) == Some(&Value::Level(true));
            let mut fault = WireFault::new(wire, level, Random::new(seed, name));
            let from = wire.crosstalk.as_ref().map(|crosstalk| &crosstalk.from);
            fault.neighbour = from.and_then(|from| simulation.names.iter().position(|line| line == from));
            simulation.wires.push((name.clone(), line, fault));
        }
        (0..simulation.sources.len()).for_each(|source| simulation.draw(source));
        for number in 0..simulation.wires.len() {
            simulation.plan_wire(number);
        }
        simulation
    }

    /// The names of the lines.
    pub fn names(&self) -> &[String] {
        &self.names
    }

    /// The values that the lines begin with.
    pub fn start(&self) -> &[Value] {
        &self.start
    }

    /// The last time.
    pub fn end(&self) -> Nanos {
        self.end
    }

    /// What really happened; to be asked after the last change.
    pub fn truth(&self) -> TruthFile {
        TruthFile {
            scenario: self.title.clone(),
            seed: self.seed,
            duration_ns: self.end.0,
            sources: self.sources.iter().map(|running| (running.name.clone(), running.source.truth())).collect(),
            wires: self.wires.iter().map(|(name, _, wire)| (name.clone(), wire.truth())).collect(),
        }
    }

    fn add(&mut self, name: &str, source: Box<dyn Source>) {
        let first_line = self.names.len();
        for (line, value) in source.lines() {
            self.names.push(line);
            self.start.push(value);
        }
        self.sources.push(RunningSource { name: name.to_owned(), source, first_line, head: None });
    }

    fn push(&mut self, time: u64, step: Step) {
        self.order += 1;
        self.heap.push(Reverse((time, self.order, step)));
    }

    /// Fetches the next change of a source.
    fn draw(&mut self, number: usize) {
        let Some(running) = self.sources.get_mut(number) else { return };
        running.head = running.source.next();
        if let Some(change) = running.head {
            self.push(change.time.0, Step::Source(number));
        }
    }

    fn plan_wire(&mut self, number: usize) {
        let Some((_, _, wire)) = self.wires.get(number) else { return };
        let glitch = wire.next_glitch();
        let ends: Vec<u64> = wire.settings.stuck.iter().map(|(_, to)| *to).collect();
        if let Some(time) = glitch {
            self.push(time, Step::Glitch(number));
        }
        ends.into_iter().for_each(|time| self.push(time, Step::Stuck(number)));
    }

    /// Does one step; false after the last.
    fn step(&mut self) -> bool {
        let Some(Reverse((time, _, step))) = self.heap.pop() else { return false };
        if time > self.end.0 {
            return false;
        }
        match step {
            Step::Source(number) => {
                let running = self.sources.get(number);
                if let Some((change, first)) = running.and_then(|running| Some((running.head?, running.first_line))) {
                    self.give(Change { line: first + change.line, ..change });
                }
                self.draw(number);
            }
            Step::Glitch(number) => {
                self.glitch(number, time);
                if let Some(next) = self.wires.get(number).and_then(|(_, _, wire)| wire.next_glitch()) {
                    self.push(next, Step::Glitch(number));
                }
            }
            Step::GlitchOver(number) => {
                if let Some((_, _, wire)) = self.wires.get_mut(number) {
                    wire.glitch_over();
                }
                self.show_wire(number, time);
            }
            Step::Stuck(number) => self.show_wire(number, time),
        }
        true
    }

    /// A source gives a line a value: it goes through the line's wire, and its neighbours pick it up.
    fn give(&mut self, change: Change) {
        let level = match change.value {
            Value::Level(level) => level,
            Value::Number(_) | Value::Unknown => return self.ready.push(change),
        };
        let through = self.wires.iter().position(|(_, line, _)| *line == change.line);
        match through.and_then(|number| self.wires.get_mut(number).map(|(_, _, wire)| (number, wire))) {
            None => self.ready.push(change),
            Some((number, wire)) => {
                wire.give(level);
                self.show_wire(number, change.time.0);
            }
        }
        for number in 0..self.wires.len() {
            let Some((_, _, wire)) = self.wires.get_mut(number) else { continue };
            if wire.neighbour == Some(change.line) && wire.picks_up() {
                self.glitch(number, change.time.0);
            }
        }
    }

    fn glitch(&mut self, number: usize, time: u64) {
        let Some((_, _, wire)) = self.wires.get_mut(number) else { return };
        let over = wire.glitch(time);
        self.push(over, Step::GlitchOver(number));
        self.show_wire(number, time);
    }

    fn show_wire(&mut self, number: usize, time: u64) {
        let Some((_, line, wire)) = self.wires.get_mut(number) else { return };
        if let Some(level) = wire.change(time) {
            self.ready.push(Change { time: Nanos(time), line: *line, value: Value::Level(level) });
        }
    }
}

impl Iterator for Simulation {
    type Item = Change;

    fn next(&mut self) -> Option<Change> {
        while self.ready.is_empty() {
            if !self.step() {
                return None;
            }
            self.ready.reverse();
        }
        self.ready.pop()
    }
}

fn source(scenario: &Scenario, kind: &Kind, (name, seed): (&str, u64), end: Nanos) -> Box<dyn Source> {
    let random = Random::new(seed, name);
    let motion = |shaft: &str| Motion::new(&scenario.shaft(shaft));
    match kind {
        Kind::Contact(contact) => Box::new(ContactSource::new(contact, random, end)),
        Kind::Changeover(changeover) => Box::new(ChangeoverSource::new(changeover, random, end)),
        Kind::Wheel(wheel) => Box::new(WheelSource::new(wheel, motion(&wheel.shaft), random, end)),
        Kind::Encoder(encoder) => Box::new(EncoderSource::new(encoder, motion(&encoder.shaft), random, end)),
        Kind::Chain(chain) => Box::new(ChainSource::new(chain, name, seed, end)),
        Kind::Echo(echo) => Box::new(EchoSource::new(echo, random, end)),
        Kind::Analog(analog) => Box::new(AnalogSource::new(analog, random, end)),
        Kind::Register(register) => Box::new(RegisterSource::new(register, motion(&register.shaft), end)),
        Kind::Port(port) => Box::new(PortSource::new(port, end)),
        Kind::SetValue(value) => Box::new(SetValueSource::new(value, end)),
        Kind::Floating(floating) => Box::new(FloatingSource::new(floating, random)),
    }
}
