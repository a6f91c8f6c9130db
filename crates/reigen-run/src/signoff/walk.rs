//! From point to point: what to ask, what to wait for, and what comes of it.

use super::analog::{self, Pair};
use super::encoder;
use super::input::{self, InputSeen, LineEdge};
use super::steps::{Plan, Step, Trial};
use super::{Judged, StepResult, Verdict};
use reigen_core::count::encoder::summary::EncoderSummary;
use reigen_core::time::Nanos;
use reigen_core::units::resolved;
use std::collections::BTreeMap;

/// So long nothing may change until what was done is judged.
const QUIET: Nanos = Nanos(700_000_000);
/// The same of a shaft, which is turned by hand.
const STILL: Nanos = Nanos(1_500_000_000);
/// A line that moved so shortly before a step began moves by itself.
const MOVED: Nanos = Nanos(2_000_000_000);
/// What stays away from its rest for so long is judged as it is: a switch that stays.
const STAYS: Nanos = Nanos(10_000_000_000);

/// How lines and points stand after a window.
#[derive(Debug, Clone, Default)]
pub struct Seen {
    /// The time.
    pub now: Nanos,
    /// What each line of two levels was when the window began, or when it was first known.
    pub levels: BTreeMap<usize, bool>,
    /// Their edges in the window.
    pub edges: Vec<LineEdge>,
    /// How often the point of the step went on in the window.
    pub went_on: u64,
    /// What it reads, where it is an analog value.
    pub reading: Option<f64>,
    /// What it has counted, where it is an encoder.
    pub encoder: Option<EncoderSummary>,
}

/// What a walk says.
#[derive(Debug, Clone, PartialEq)]
pub enum Told {
    /// Something to do or to answer.
    Ask(String),
    /// Something to know.
    Note(String),
    /// Set an output, or let it go.
    Set(String, Option<bool>),
    /// What came of a point.
    Result(StepResult),
    /// All points have been tried, or somebody has ended it.
    Done,
}

/// How far a step is.
#[derive(Debug, Clone)]
enum State {
    /// It begins with the next window.
    New,
    /// Something is to be actuated.
    Input(InputSeen),
    /// A shaft is to be turned.
    Encoder { before: Box<EncoderSummary>, last: Option<(Nanos, u64)> },
    /// A value is to be set and typed; one is there already.
    Analog { first: Option<Pair>, reading: Option<f64> },
    /// An output is to be switched: how many questions have been answered.
    Output { answered: usize },
    /// There is nothing left.
    Over,
}

/// A walk over points.
#[derive(Debug)]
pub struct Walk {
    steps: Vec<Step>,
    at: usize,
    state: State,
    /// The names of the lines, and what reads each.
    lines: Vec<(String, String)>,
    /// Which line answered for which, where one did alone.
    answered: BTreeMap<usize, usize>,
    /// When each line changed last.
    moved: BTreeMap<usize, Nanos>,
    /// The outputs, and what each is while it is not tried.
    rest: Vec<(String, bool)>,
    drives: bool,
    began: Nanos,
    /// Without anybody who skips, what does not come fails after so long.
    wait: Option<Nanos>,
}

impl Walk {
    /// A walk as planned. Without `drives` outputs are skipped; `wait` is how long something may take where nobody sits by
    /// who could skip it.
    pub fn new(plan: Plan, drives: bool, wait: Option<Nanos>) -> Self {
        let Plan { steps, signals, rest } = plan;
        let user = |line: usize| {
            let reads = |step: &&Step| matches!(&step.what, Trial::Input(input) if input.line == line);
            steps.iter().find(reads).map_or(String::new(), |step| format!(", the line of `{}`", step.point))
        };
        let lines = signals.iter().enumerate().map(|(number, (_, name))| (name.clone(), user(number))).collect();
        let state = if steps.is_empty() { State::Over } else { State::New };
        Self {
            steps,
            at: 0,
            state,
            lines,
            answered: BTreeMap::new(),
            moved: BTreeMap::new(),
            rest,
            drives,
            began: Nanos(0),
            wait,
        }
    }

    /// The point that is tried now, and how many there are with its place among them.
    pub fn step(&self) -> Option<(&Step, usize, usize)> {
        self.steps.get(self.at).map(|step| (step, self.at + 1, self.steps.len()))
    }

    /// Brings all outputs to rest, before anything is driven: nothing moves on its own while somebody has a hand in the machine.
    pub fn rest(&self) -> Vec<Told> {
        let rest = self.rest.iter().filter(|_| self.drives);
        rest.map(|(point, on)| Told::Set(point.clone(), Some(*on))).collect()
    }

    /// Takes what a window showed.
    pub fn see(&mut self, seen: &Seen) -> Vec<Told> {
        let step = self.steps.get(self.at).cloned();
        let told = step.map_or_else(Vec::new, |step| self.see_step(&step, seen));
        self.moved.extend(seen.edges.iter().map(|edge| (edge.line, edge.time)));
        told
    }

    fn see_step(&mut self, step: &Step, seen: &Seen) -> Vec<Told> {
        let late = self.wait.filter(|wait| seen.now.saturating_sub(self.began) > *wait);
        let Self { state, lines, .. } = self;
        match (&step.what, state) {
            (_, State::Over) => return Vec::new(),
            (_, State::New) => return self.begin(step, seen),
            (Trial::Input(what), State::Input(input)) => {
                // A line that was not known when the step began is known by now.
                for (line, high) in &seen.levels {
                    input.rest.entry(*line).or_insert(*high);
                }
                input.edges.extend(&seen.edges);
                input.went_on += seen.went_on;
                let last = input.last(what.line);
                let quiet = last.map(|last| seen.now.saturating_sub(last));
                if quiet.is_some_and(|quiet| quiet > QUIET && (input.is_at_rest(what.line) || quiet > STAYS)) {
                    let name = |line: usize| lines.get(line).map(|(name, _)| name.clone()).unwrap_or_default();
                    let users = |line: usize| lines.get(line).map(|(_, users)| users.clone()).unwrap_or_default();
                    let mut judged = input::judge(what, input, &name, &users);
                    let answered: Vec<usize> = input.answered(what.line).into_iter().collect();
                    if let [other] = answered[..]
                        && let Some(swapped) = self.swapped(what.line, other)
                    {
                        judged = Judged { figures: judged.figures, ..swapped };
                    }
                    return self.end(step, judged);
                }
                if last.is_some() {
                    return Vec::new();
                }
            }
            (Trial::Encoder, State::Encoder { before, last }) => {
                let Some(now) = &seen.encoder else { return Vec::new() };
                let edges = now.edges[0] + now.edges[1];
                let begun = edges > before.edges[0] + before.edges[1];
                if begun && last.is_none_or(|(_, known)| known != edges) {
                    *last = Some((seen.now, edges));
                }
                if last.is_some_and(|(at, _)| seen.now.saturating_sub(at) > STILL) {
                    let judged = encoder::judge(before, now);
                    return self.end(step, judged);
                }
                if begun {
                    return Vec::new();
                }
            }
            (_, State::Analog { reading, .. }) => *reading = seen.reading.or(*reading),
            _ => {}
        }
        match late {
            Some(_) => {
                let judged = Judged::failed(
                    "nothing came".to_owned(),
                    "follow its wire, and see that its device has its supply",
                );
                self.end(step, judged)
            }
            None => Vec::new(),
        }
    }

    /// Two points of which each answered for the other.
    fn swapped(&mut self, own: usize, other: usize) -> Option<Judged> {
        self.answered.insert(own, other);
        if own == other || self.answered.get(&other) != Some(&own) {
            return None;
        }
        let of = |line: usize| {
            let reads = |step: &&Step| matches!(&step.what, Trial::Input(input) if input.line == line);
            self.steps.iter().find(reads).map(|step| step.point.clone())
        };
        let (own, other) = (of(own)?, of(other)?);
        let message = format!("the wires of {own} and {other} are swapped: each answers for the other");
        Some(Judged::failed(message, "swap the two wires at their terminals, and try both points again"))
    }

    /// Begins a step: says what to do.
    fn begin(&mut self, step: &Step, seen: &Seen) -> Vec<Told> {
        self.began = seen.now;
        let ask = |text: String| vec![Told::Ask(text)];
        let Step { point, place, .. } = step;
        let place = if place.is_empty() { String::new() } else { format!(" ({place})") };
        match &step.what {
            Trial::Input(_) => {
                let lately = |(line, at): (&usize, &Nanos)| (seen.now.saturating_sub(*at) < MOVED).then_some(*line);
                let moving = self.moved.iter().filter_map(lately).collect();
                self.state = State::Input(InputSeen { rest: seen.levels.clone(), moving, ..InputSeen::default() });
                ask(format!("actuate {point}{place} once, and let it go"))
            }
            Trial::Encoder => {
                // It is not known before its lines are.
                let Some(before) = seen.encoder.clone() else { return Vec::new() };
                self.state = State::Encoder { before: Box::new(before), last: None };
                ask(format!("turn {point}{place} forward, once around, and stop"))
            }
            Trial::Analog { unit, .. } => {
                self.state = State::Analog { first: None, reading: seen.reading };
                ask(format!("set a low value at {point}{place}, and type what it should be{}", in_unit(unit)))
            }
            Trial::Output if self.drives => {
                self.state = State::Output { answered: 0 };
                ask(format!("{point}{place} will be switched ON. Type y when nobody can be hurt"))
            }
            Trial::Output => {
                let message = "outputs are tried with --drive only".to_owned();
                self.end(step, Judged { verdict: Verdict::Skipped, ..Judged::passed(message) })
            }
        }
    }

    /// Takes what somebody typed.
    pub fn typed(&mut self, text: &str) -> Vec<Told> {
        let Some(step) = self.steps.get(self.at).cloned() else { return Vec::new() };
        let text = text.trim();
        let (word, rest) = text.split_once(' ').map_or((text, ""), |(word, rest)| (word, rest.trim()));
        match word {
            "q" => {
                let mut told = self.let_go(&step);
                self.state = State::Over;
                told.push(Told::Done);
                told
            }
            "r" => self.again(&step),
            "b" => {
                let told = self.again(&step);
                self.at = self.at.saturating_sub(1);
                told
            }
            "s" if rest.is_empty() => vec![Told::Note("say why it is skipped: s not mounted yet".to_owned())],
            "s" => self.end(&step, Judged { verdict: Verdict::Skipped, ..Judged::passed(rest.to_owned()) }),
            _ => self.answer(&step, text),
        }
    }

    fn answer(&mut self, step: &Step, text: &str) -> Vec<Told> {
        let note = |text: String| vec![Told::Note(text)];
        match (&step.what, &mut self.state) {
            (Trial::Analog { unit, range }, State::Analog { first, reading }) => {
                let Ok(set) = text.parse::<f64>() else { return note(format!("type a number, such as 12.5{}", in_unit(unit))) };
                let Some(read) = *reading else { return note("nothing is read yet: is its device there?".to_owned()) };
                let pair = Pair { set, read };
                match *first {
                    None => {
                        *first = Some(pair);
                        let read = resolved(read, None);
                        vec![
                            Told::Note(format!("it reads {read} {unit}").trim_end().to_owned()),
                            Told::Ask(format!("set a high value at {}, and type what it should be{}", step.point, in_unit(unit))),
                        ]
                    }
                    Some(first) if !analog::are_apart(first.set, set, *range) => {
                        note("that is too near to the first: a tenth of the range must lie between".to_owned())
                    }
                    Some(first) => {
                        let judged = analog::judge(first, pair, *range, unit);
                        self.end(step, judged)
                    }
                }
            }
            (Trial::Output, State::Output { answered }) => {
                let yes = match text.to_lowercase().as_str() {
                    "y" | "yes" => true,
                    "n" | "no" => false,
                    _ => return note("type y or n".to_owned()),
                };
                let point = &step.point;
                match (*answered, yes) {
                    (0, false) => note("nothing was switched: type y to switch it on, or s and a reason to skip it".to_owned()),
                    (0, true) => {
                        *answered = 1;
                        vec![Told::Set(point.clone(), Some(true)), Told::Ask(format!("did {point} come on? y or n"))]
                    }
                    (1, true) => {
                        *answered = 2;
                        vec![Told::Set(point.clone(), Some(false)), Told::Ask(format!("did {point} go off? y or n"))]
                    }
                    (1, false) => {
                        let remedy = "if the card shows it on, check its wire, its fuse and its supply; if not, the address in the station";
                        self.end(step, Judged::failed("it did not come on".to_owned(), remedy))
                    }
                    (_, true) => self.end(step, Judged::passed("it came on and went off".to_owned())),
                    (_, false) => {
                        let remedy = "something else drives it too, or its contact is stuck: take its supply away before you touch it";
                        self.end(step, Judged::failed("it did not go off".to_owned(), remedy))
                    }
                }
            }
            (_, State::New | State::Over) => Vec::new(),
            _ => note("nothing is to be typed here: s and a reason skips it, r begins it again, b goes back, q ends for today".to_owned()),
        }
    }

    fn again(&mut self, step: &Step) -> Vec<Told> {
        self.state = State::New;
        self.let_go(step)
    }

    /// An output is never left as it was tried: it rests until the run ends.
    fn let_go(&self, step: &Step) -> Vec<Told> {
        match step.what {
            Trial::Output if self.drives => {
                let rest = self.rest.iter().find(|(point, _)| *point == step.point).is_some_and(|(_, on)| *on);
                vec![Told::Set(step.point.clone(), Some(rest))]
            }
            _ => Vec::new(),
        }
    }

    fn end(&mut self, step: &Step, judged: Judged) -> Vec<Told> {
        let mut told = self.let_go(step);
        let Judged { verdict, message, remedy, figures } = judged;
        told.push(Told::Result(StepResult {
            point: step.point.clone(),
            place: step.place.clone(),
            kind: step.what.word().to_owned(),
            verdict,
            message,
            remedy,
            figures: figures.into_iter().map(|(name, value)| (name.to_owned(), value)).collect(),
        }));
        self.at += 1;
        self.state = State::New;
        if self.at >= self.steps.len() {
            self.state = State::Over;
            told.push(Told::Done);
        }
        told
    }
}

fn in_unit(unit: &str) -> String {
    if unit.is_empty() { String::new() } else { format!(", in {unit}") }
}

#[cfg(test)]
mod tests {
    use super::super::input::InputStep;
    use super::super::steps::Signal;
    use super::*;

    fn plan(steps: Vec<Step>) -> Plan {
        let signals = [(Signal::Line(0), "A".to_owned()), (Signal::Line(1), "B".to_owned())];
        Plan { steps, signals: signals.to_vec(), rest: vec![("lamp".to_owned(), false), ("brake".to_owned(), true)] }
    }

    fn step(point: &str, what: Trial) -> Step {
        Step { number: 0, point: point.to_owned(), place: String::new(), what }
    }

    fn input(point: &str, line: usize) -> Step {
        step(point, Trial::Input(InputStep { line, on_while_high: true, debounce: Nanos(0), with: Vec::new() }))
    }

    /// What a window up to a time shows, with these edges `(ms, line, high)`, of lines that were low.
    fn seen(ms: u64, edges: &[(u64, usize, bool)], went_on: u64) -> Seen {
        Seen {
            now: Nanos(ms * 1_000_000),
            levels: [(0, false), (1, false)].into(),
            edges: edges.iter().map(|&(ms, line, high)| LineEdge { time: Nanos(ms * 1_000_000), line, high }).collect(),
            went_on,
            ..Seen::default()
        }
    }

    /// What came of each point, as `point: verdict: message`, and what was set.
    fn short(told: &[Told]) -> Vec<String> {
        let text = |told: &Told| match told {
            Told::Ask(_) => "ask".to_owned(),
            Told::Note(_) => "note".to_owned(),
            Told::Set(point, value) => format!("set {point} {value:?}"),
            Told::Result(result) => format!("{}: {}: {}", result.point, result.verdict.word(), result.message),
            Told::Done => "done".to_owned(),
        };
        told.iter().map(text).collect()
    }

    #[test]
    fn an_input_is_judged_once_all_is_at_rest_and_two_that_answer_for_each_other_are_swapped() {
        let mut walk = Walk::new(plan(vec![input("a", 0), input("b", 1)]), false, None);
        assert_eq!(short(&walk.see(&seen(3000, &[], 0))), ["ask"]);
        // Held for three seconds: nothing is judged before it is let go.
        assert!(walk.see(&seen(3100, &[(3050, 1, true)], 0)).is_empty());
        assert!(walk.see(&seen(6000, &[], 0)).is_empty());
        assert!(walk.see(&seen(6100, &[(6050, 1, false)], 0)).is_empty());
        assert_eq!(short(&walk.see(&seen(7000, &[], 0))), ["a: failed: another line changed: B, the line of `b`"]);
        assert_eq!(short(&walk.see(&seen(10_000, &[], 0))), ["ask"]);
        walk.see(&seen(10_500, &[(10_100, 0, true), (10_300, 0, false)], 0));
        let told = short(&walk.see(&seen(12_000, &[], 0)));
        assert_eq!(told, ["b: failed: the wires of b and a are swapped: each answers for the other", "done"]);
    }

    #[test]
    fn an_output_is_let_go_whatever_becomes_of_its_step() {
        let ends: [(&[&str], &[&str]); 4] = [
            (
                &["y", "y", "y"],
                &[
                    "set lamp Some(true)",
                    "ask",
                    "set lamp Some(false)",
                    "ask",
                    "set lamp Some(false)",
                    "lamp: passed: it came on and went off",
                    "done",
                ],
            ),
            (
                &["y", "n"],
                &["set lamp Some(true)", "ask", "set lamp Some(false)", "lamp: failed: it did not come on", "done"],
            ),
            (&["y", "q"], &["set lamp Some(true)", "ask", "set lamp Some(false)", "done"]),
            (
                &["n", "s", "s no fuse yet"],
                &["note", "note", "set lamp Some(false)", "lamp: skipped: no fuse yet", "done"],
            ),
        ];
        for (typed, wanted) in ends {
            let mut walk = Walk::new(plan(vec![step("lamp", Trial::Output)]), true, None);
            assert_eq!(short(&walk.rest()), ["set lamp Some(false)", "set brake Some(true)"]);
            assert_eq!(short(&walk.see(&seen(1, &[], 0))), ["ask"]);
            let told: Vec<String> = typed.iter().flat_map(|text| short(&walk.typed(text))).collect();
            assert_eq!(told, wanted, "{typed:?}");
            assert!(walk.see(&seen(2, &[], 0)).is_empty() && walk.typed("y").is_empty());
        }
        let mut walk = Walk::new(plan(vec![step("lamp", Trial::Output)]), false, None);
        assert_eq!(short(&walk.see(&seen(1, &[], 0))), ["lamp: skipped: outputs are tried with --drive only", "done"]);
    }

    #[test]
    fn one_goes_back_begins_again_and_without_anybody_what_does_not_come_fails() {
        let mut walk = Walk::new(plan(vec![input("a", 0), input("b", 1)]), false, None);
        walk.see(&seen(1, &[], 0));
        assert_eq!(short(&walk.typed("s not there")), ["a: skipped: not there"]);
        assert_eq!(short(&walk.see(&seen(2, &[], 0))), ["ask"]);
        assert!(walk.typed("b").is_empty());
        assert_eq!(walk.step().unwrap().0.point, "a");
        assert_eq!(short(&walk.see(&seen(3, &[], 0))), ["ask"]);
        assert!(walk.typed("r").is_empty() && walk.step().unwrap().0.point == "a");
        let mut alone = Walk::new(plan(vec![input("a", 0)]), false, Some(Nanos(5_000_000_000)));
        alone.see(&seen(1, &[], 0));
        assert!(alone.see(&seen(4000, &[], 0)).is_empty());
        assert_eq!(short(&alone.see(&seen(6000, &[], 0))), ["a: failed: nothing came", "done"]);
        assert_eq!(short(&Walk::new(plan(Vec::new()), false, None).see(&seen(1, &[], 0))), Vec::<String>::new());
    }

    #[test]
    fn two_values_must_be_apart_and_a_word_is_no_number() {
        let trial = Trial::Analog { unit: "N".to_owned(), range: Some([0.0, 100.0]) };
        let mut walk = Walk::new(plan(vec![step("load", trial)]), false, None);
        assert_eq!(short(&walk.see(&seen(1, &[], 0))), ["ask"]);
        assert_eq!(short(&walk.typed("20")), ["note"], "nothing is read yet");
        let read = |ms, reading| Seen { reading: Some(reading), ..seen(ms, &[], 0) };
        walk.see(&read(2, 20.4));
        assert_eq!(short(&walk.typed("twenty")), ["note"]);
        assert_eq!(short(&walk.typed("20")), ["note", "ask"]);
        assert_eq!(short(&walk.typed("25")), ["note"], "too near");
        walk.see(&read(3, 83.0));
        assert_eq!(short(&walk.typed("80")), ["load: failed: off by 3 N: it reads 83 N for 80 N", "done"]);
    }
}
