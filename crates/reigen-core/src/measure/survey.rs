//! The survey of a recording: each line, what looks wrong with it, and what it may be.

use super::analog::{AnalogFigures, AnalogMeter};
use super::line::{LineFigures, LineMeter};
use super::relation::{self, Edges, JUDGED};
use crate::finding::Finding;
use crate::time::Nanos;
use rayon::prelude::*;

/// Up to so many lines are held against one another.
const MOST_COMPARED: usize = 48;

/// What a line may be, and why it is thought so.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Guess {
    /// The word for it.
    pub kind: Kind,
    /// The ground for the guess.
    pub ground: String,
}

/// What a line may be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Kind {
    /// It never changes.
    Dead,
    /// Nothing drives it.
    Floating,
    /// A mechanical contact.
    Contact,
    /// Pulses of a sensor.
    Pulses,
    /// The first or second channel of an encoder, with the other one's name.
    Quadrature {
        /// The other channel.
        with: String,
        /// Whether this one leads.
        leads: bool,
    },
    /// The index of an encoder, with one of its channels.
    Index {
        /// A channel.
        of: String,
    },
    /// One side of a changeover contact, with the other one's name.
    Changeover {
        /// The other side.
        with: String,
    },
    /// A wire of a shift-register chain.
    Chain {
        /// Which one: `load`, `clock` or `data`.
        wire: &'static str,
    },
    /// The trigger of an echo sensor, with its echo.
    Trigger {
        /// The echo.
        of: String,
    },
    /// The echo of an echo sensor, with its trigger.
    Echo {
        /// The trigger.
        of: String,
    },
    /// Something else.
    Unknown,
}

impl Kind {
    /// The words for it.
    pub fn words(&self) -> String {
        match self {
            Kind::Dead => "dead".to_owned(),
            Kind::Floating => "floating".to_owned(),
            Kind::Contact => "contact".to_owned(),
            Kind::Pulses => "pulse train".to_owned(),
            Kind::Quadrature { with, leads: true } => format!("quadrature, leads {with}"),
            Kind::Quadrature { with, leads: false } => format!("quadrature, follows {with}"),
            Kind::Index { of } => format!("index of {of}"),
            Kind::Changeover { with } => format!("changeover with {with}"),
            Kind::Chain { wire } => format!("chain {wire}"),
            Kind::Trigger { of } => format!("trigger of {of}"),
            Kind::Echo { of } => format!("echo of {of}"),
            Kind::Unknown => "not told".to_owned(),
        }
    }
}

/// A line of two levels, surveyed.
#[derive(Debug, Clone)]
pub struct SurveyedLine {
    /// Its name.
    pub name: String,
    /// Its figures; `None` if it never had a level.
    pub figures: Option<LineFigures>,
    /// What it may be.
    pub guess: Guess,
}

/// A whole survey.
#[derive(Debug, Clone)]
pub struct Survey {
    /// The lines of two levels.
    pub lines: Vec<SurveyedLine>,
    /// The lines of numbers, with their figures.
    pub analogs: Vec<(String, Option<AnalogFigures>)>,
    /// What looks wrong.
    pub findings: Vec<Finding>,
}

/// Surveys lines, window by window.
#[derive(Debug, Default)]
pub struct Surveyor {
    lines: Vec<Option<LineMeter>>,
    analogs: Vec<AnalogMeter>,
}

impl Surveyor {
    /// For so many lines of two levels and of numbers.
    pub fn new(lines: usize, analogs: usize) -> Self {
        Self { lines: vec![None; lines], analogs: vec![AnalogMeter::default(); analogs] }
    }

    /// Takes what the lines did within a window.
    pub fn take(&mut self, bits: &[crate::column::BitColumn], readings: &[crate::column::ReadingColumn]) {
        let edges: usize = bits.iter().map(|bit| bit.toggles.len()).sum();
        let work = |(meter, bit): (&mut Option<LineMeter>, &crate::column::BitColumn)| {
            if let Some(level) = bit.level {
                meter.get_or_insert_with(|| LineMeter::new(bit.since, level)).take(&bit.toggles);
            }
        };
        match edges > 20_000 {
            true => self.lines.par_iter_mut().zip(bits).for_each(work),
            false => self.lines.iter_mut().zip(bits).for_each(work),
        }
        for (meter, column) in self.analogs.iter_mut().zip(readings) {
            column.times.iter().zip(&column.values).for_each(|(&time, &value)| meter.take(time, value));
        }
    }

    /// What comes of it at the recording's last time; with the names of the lines.
    pub fn finish(mut self, end: Nanos, names: &[String], analogs: &[String]) -> Survey {
        let figures: Vec<Option<LineFigures>> =
            self.lines.par_iter_mut().map(|meter| meter.as_mut().map(|meter| meter.figures(end))).collect();
        let mut guesses: Vec<Option<Guess>> = vec![None; self.lines.len()];
        self.guess_dull(&figures, &mut guesses);
        self.guess_groups(names, &mut guesses);
        self.guess_single(&figures, &mut guesses);
        let mut findings = Vec::new();
        let lines: Vec<SurveyedLine> = names
            .iter()
            .zip(figures)
            .zip(guesses)
            .map(|((name, figures), guess)| {
                let guess = guess.unwrap_or(Guess { kind: Kind::Unknown, ground: "nothing fits it".to_owned() });
                SurveyedLine { name: name.clone(), figures, guess }
            })
            .collect();
        lines.iter().for_each(|line| of_line(line, &mut findings));
        self.of_pairs(names, &mut findings);
        let analogs: Vec<(String, Option<AnalogFigures>)> =
            analogs.iter().cloned().zip(self.analogs.iter().map(|meter| meter.figures(end))).collect();
        analogs.iter().for_each(|(name, figures)| of_analog(name, figures.as_ref(), &mut findings));
        Survey { lines, analogs, findings }
    }

    /// The edges that a line is judged by.
    fn edges(&self, line: usize) -> Option<Edges<'_>> {
        let all = self.all_edges(line)?;
        Some(Edges { times: all.times.get(..JUDGED).unwrap_or(all.times), ..all })
    }

    /// All edges that are kept: a chain's data may change long after its clock has begun.
    fn all_edges(&self, line: usize) -> Option<Edges<'_>> {
        let meter = self.lines.get(line)?.as_ref()?;
        Some(Edges { starts_high: meter.starts_high, times: &meter.first })
    }

    /// Lines that are dead, and lines that float.
    fn guess_dull(&self, figures: &[Option<LineFigures>], guesses: &mut [Option<Guess>]) {
        for (line, guess) in guesses.iter_mut().enumerate() {
            let Some(Some(figures)) = figures.get(line) else {
                *guess = Some(Guess { kind: Kind::Dead, ground: "it never has a level".to_owned() });
                continue;
            };
            if figures.edges == 0 {
                let level = if figures.idle_high { "high" } else { "low" };
                *guess = Some(Guess { kind: Kind::Dead, ground: format!("it stays {level} all the time") });
            } else if let Some(ground) = self.edges(line).and_then(|edges| floats(edges, figures)) {
                *guess = Some(Guess { kind: Kind::Floating, ground });
            }
        }
    }

    /// Lines that belong to one another.
    fn guess_groups(&self, names: &[String], guesses: &mut [Option<Guess>]) {
        let free = |guesses: &[Option<Guess>]| -> Vec<usize> {
            let open = guesses.iter().enumerate().filter(|(_, guess)| guess.is_none()).map(|(line, _)| line);
            open.take(MOST_COMPARED).collect()
        };
        let name = |line: usize| names.get(line).cloned().unwrap_or_default();
        let pairs = |lines: &[usize]| -> Vec<(usize, usize)> {
            lines
                .iter()
                .flat_map(|&one| lines.iter().map(move |&other| (one, other)))
                .filter(|(one, other)| one != other)
                .collect()
        };
        let set = |line: usize, kind: Kind, ground: &str, guesses: &mut [Option<Guess>]| {
            if let Some(guess) = guesses.get_mut(line) {
                *guess = Some(Guess { kind, ground: ground.to_owned() });
            }
        };
        let both = |(one, other): (usize, usize)| Some((self.edges(one)?, self.edges(other)?));
        let taken = |guesses: &[Option<Guess>], (one, other): (usize, usize)| {
            [one, other].iter().any(|&line| guesses.get(line).is_none_or(Option::is_some))
        };
        // A chain: load and clock, then what changes with the clock.
        for (load, clock) in pairs(&free(guesses)) {
            if taken(guesses, (load, clock)) {
                continue;
            }
            let Some(ground) = both((load, clock)).and_then(|(load, clock)| relation::chain(load, clock)) else {
                continue;
            };
            set(load, Kind::Chain { wire: "load" }, &ground, guesses);
            set(clock, Kind::Chain { wire: "clock" }, &ground, guesses);
            for data in free(guesses) {
                let edges = self.all_edges(data).zip(self.all_edges(clock));
                if edges.is_some_and(|(data, clock)| relation::is_chain_data(data, clock)) {
                    set(data, Kind::Chain { wire: "data" }, "it changes only with the clock", guesses);
                }
            }
        }
        for (one, other) in pairs(&free(guesses)) {
            if one > other || taken(guesses, (one, other)) {
                continue;
            }
            let Some((leads, ground)) = both((one, other)).and_then(|(a, b)| relation::quadrature(a, b)) else {
                continue;
            };
            set(one, Kind::Quadrature { with: name(other), leads }, &ground, guesses);
            set(other, Kind::Quadrature { with: name(one), leads: !leads }, &ground, guesses);
            for mark in free(guesses) {
                if let Some(ground) = both((mark, one)).and_then(|(mark, pulses)| relation::index(mark, pulses)) {
                    set(mark, Kind::Index { of: name(one) }, &ground, guesses);
                }
            }
        }
        for (trigger, echo) in pairs(&free(guesses)) {
            if taken(guesses, (trigger, echo)) {
                continue;
            }
            let Some(ground) = both((trigger, echo)).and_then(|(trigger, echo)| relation::echo(trigger, echo)) else {
                continue;
            };
            set(trigger, Kind::Trigger { of: name(echo) }, &ground, guesses);
            set(echo, Kind::Echo { of: name(trigger) }, &ground, guesses);
        }
        for (one, other) in pairs(&free(guesses)) {
            if one > other || taken(guesses, (one, other)) {
                continue;
            }
            let Some(ground) = both((one, other)).and_then(|(one, other)| relation::changeover(one, other)) else {
                continue;
            };
            set(one, Kind::Changeover { with: name(other) }, &ground, guesses);
            set(other, Kind::Changeover { with: name(one) }, &ground, guesses);
        }
    }

    /// Contacts and pulse trains.
    fn guess_single(&self, figures: &[Option<LineFigures>], guesses: &mut [Option<Guess>]) {
        for (line, guess) in guesses.iter_mut().enumerate().filter(|(_, guess)| guess.is_none()) {
            let (Some(Some(figures)), Some(edges)) = (figures.get(line), self.edges(line)) else { continue };
            *guess = single(edges, figures);
        }
    }

    /// Lines that are the same or the opposite.
    fn of_pairs(&self, names: &[String], findings: &mut Vec<Finding>) {
        for (one, first) in self.lines.iter().enumerate() {
            for (other, second) in self.lines.iter().enumerate().skip(one + 1) {
                let same = first.as_ref().zip(second.as_ref()).and_then(|(one, other)| one.same_as(other));
                let (Some(same), Some(one), Some(other)) = (same, names.get(one), names.get(other)) else { continue };
                let (code, word) =
                    if same { ("lines-equal", "the same as") } else { ("lines-opposite", "always the opposite of") };
                let message = format!("it is {word} `{other}`, edge for edge");
                findings.push(Finding::note(
                    code,
                    one,
                    message,
                    "if they should be two signals, look for a short or a copied wire",
                ));
            }
        }
    }
}

/// Whether nothing drives a line: it chatters unevenly, without rest, or with the mains.
fn floats(edges: Edges<'_>, figures: &LineFigures) -> Option<String> {
    const ENOUGH: usize = 40;
    let uneven = relation::unevenness(edges);
    if edges.times.len() < ENOUGH || uneven < 0.3 {
        return None;
    }
    let mains = [50.0, 60.0].into_iter().map(|hertz| (hertz, relation::follows(edges.times, hertz * 2.0)));
    let (hertz, strength) = mains.max_by(|one, other| one.1.total_cmp(&other.1))?;
    // A driven line rests at some time for very much longer than it takes from edge to edge.
    let usual = relation::usual_step(edges).0.max(1);
    let rests = figures.longest_rest.0 > usual.saturating_mul(100);
    match (strength > 0.4 && !rests, !rests && uneven > 0.6 && (0.2..0.8).contains(&figures.share_high)) {
        (true, _) => Some(format!(
            "it chatters with the mains of {hertz} Hz: {:.0} % of its edges keep its phase",
            strength * 100.0
        )),
        (false, true) => {
            Some(format!("it chatters without rest: it never holds a level for longer than {}", figures.longest_rest))
        }
        (false, false) => None,
    }
}

fn single(edges: Edges<'_>, figures: &LineFigures) -> Option<Guess> {
    let bounce = &figures.bounce;
    let changes = bounce.turning_on.count() + bounce.turning_off.count();
    let extra = (bounce.turning_on.edges + bounce.turning_off.edges).saturating_sub(changes);
    let longest = bounce.turning_on.lengths.most().max(bounce.turning_off.lengths.most()).unwrap_or_default();
    let bounces = changes > 0 && extra * 2 >= changes && longest > Nanos(10_000) && longest < Nanos(100_000_000);
    if bounces {
        let ground = format!("{extra} extra edges around {changes} changes, over up to {longest}");
        return Some(Guess { kind: Kind::Contact, ground });
    }
    let rises = edges.times.len() / 2;
    if rises >= 20 {
        let ground = format!("{} edges, with next to none extra", figures.edges);
        return Some(Guess { kind: Kind::Pulses, ground });
    }
    (changes > 0).then(|| Guess {
        kind: Kind::Contact,
        ground: format!("{changes} slow changes, without bounce: a contact or a switching output"),
    })
}

fn of_line(line: &SurveyedLine, findings: &mut Vec<Finding>) {
    let Some(figures) = &line.figures else {
        let message = "it never has a level".to_owned();
        return findings.push(Finding::warning("no-level", &line.name, message, "look whether it was recorded at all"));
    };
    match line.guess.kind {
        Kind::Dead => {
            let level = if figures.idle_high { "high" } else { "low" };
            let message = format!("it is {level} from the first time to the last");
            let remedy = "actuate it while recording; if it still stays so, look for a broken wire, a short, or a sensor without supply";
            findings.push(Finding::warning("dead", &line.name, message, remedy));
        }
        Kind::Floating => {
            let remedy = "give it a pull-up or pull-down, or tie it if nothing is wired to it";
            findings.push(Finding::warning("floating", &line.name, line.guess.ground.clone(), remedy));
        }
        _ => {}
    }
    let glitches = figures.bounce.glitches.count();
    if glitches > 0 && matches!(line.guess.kind, Kind::Contact | Kind::Pulses | Kind::Changeover { .. }) {
        let longest = figures.bounce.glitches.lengths.most().unwrap_or_default();
        let message =
            format!("{} with no change after it, up to {longest} long", crate::names::counted(glitches, "short burst"));
        let remedy = "look for a wire beside a coil or a motor; `reigen debounce` finds a time that swallows them";
        findings.push(Finding::note("glitches", &line.name, message, remedy));
    }
}

fn of_analog(name: &str, figures: Option<&AnalogFigures>, findings: &mut Vec<Finding>) {
    let Some(figures) = figures else { return };
    let ends = [("least", figures.least), ("greatest", figures.most)];
    for ((word, value), _) in ends.into_iter().zip(figures.clips).filter(|(_, clips)| *clips) {
        let message = format!("it stands at its {word} value, {value}, again and again: it seems cut off there");
        findings.push(Finding::note("clipping", name, message, "look at the range of sensor and converter"));
    }
    if figures.most == figures.least && figures.values > 1 {
        let message = format!("it is {} all the time", figures.least);
        findings.push(Finding::warning("dead", name, message, "look for a broken wire or a sensor without supply"));
    }
}
