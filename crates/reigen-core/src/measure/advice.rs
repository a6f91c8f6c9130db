//! Which debounce a line needs, if any: the times that its bursts and holds allow, each tried on the line before it is told.

use super::bounce::BounceMeter;
use super::curve::Curve;
use super::edges::Edges;
use super::kind::Kind;
use super::pulse_train::Interference;
use crate::cast;
use crate::condition::debounce::{HoldTimes, Ledger, Settings};
use crate::names::counted;
use crate::time::Nanos;
use crate::units::short_time;
use std::fmt;

/// With fewer actuations than these, a recording shows little.
const FEW_ACTUATIONS: u64 = 5;
/// A recording in coarser steps than this shows no bounce.
const COARSE: Nanos = Nanos(1_000_000);
/// Two times are told apart where one is so many times the other.
const APART: u64 = 3;
/// Beside a side without bounce, a time from here on is told apart.
const LONG: Nanos = Nanos(10_000_000);

/// A contact's own levels are held for longer than this.
const SHORTEST_PRESS: Nanos = Nanos(5_000_000);

/// A debounce as it is advised.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum AdvisedMethod {
    /// None is needed.
    None,
    /// `stable`, with the times of the on and the off state.
    Stable(HoldTimes),
    /// `lockout` of a time.
    Lockout(Nanos),
}

/// What limits the advice.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Note {
    /// Fewer than five actuations.
    FewActuations,
    /// The recording's step is too coarse for the bounce.
    CoarseRecording,
    /// The time has little room on either side.
    Tight,
}

impl Note {
    /// Its code.
    pub fn code(self) -> &'static str {
        match self {
            Note::FewActuations => "few-actuations",
            Note::CoarseRecording => "coarse-recording",
            Note::Tight => "tight",
        }
    }

    /// What a person should do about it.
    pub fn words(self) -> &'static str {
        match self {
            Note::FewActuations => "fewer than 5 actuations: record more before you rely on this",
            Note::CoarseRecording => "the recording's step is too coarse to show all bounce: record in finer steps",
            Note::Tight => "little room between the longest bounce and the shortest hold: check it on the machine",
        }
    }
}

/// What is advised for a line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Advice {
    /// The debounce; `None` where none can be advised.
    pub advised: Option<AdvisedMethod>,
    /// How many actuations it counts over the recording.
    pub count: Option<u64>,
    /// Why, with the figures.
    pub reason: String,
    /// What limits it.
    pub notes: Vec<Note>,
}

/// What is known of a line, as an input that is on or off.
#[derive(Debug, Clone, Copy)]
pub struct Evidence<'a> {
    /// What it is.
    pub kind: &'a Kind,
    /// Its bursts.
    pub bounce: &'a BounceMeter,
    /// Its first edges, high for on; the bursts are those of all edges.
    pub edges: Edges<'a>,
    /// Whether these are all.
    pub all: bool,
    /// Interference in its rhythm.
    pub interference: Interference,
    /// How many edges lead on, over the whole recording.
    pub rises: u64,
    /// The step of its times.
    pub step: Nanos,
    /// The recording's last time.
    pub end: Nanos,
    /// What `stable` counts at each time.
    pub stable: Option<&'a Curve>,
    /// What `lockout` counts at each time.
    pub lockout: Option<&'a Curve>,
}

/// What is asked for.
#[derive(Debug, Clone, Copy, Default)]
pub struct Wish {
    /// A reaction to the first edge.
    pub at_once: bool,
    /// How many actuations there really were.
    pub true_count: Option<u64>,
}

impl AdvisedMethod {
    /// The settings of the debounce.
    pub fn settings(self) -> Settings {
        match self {
            AdvisedMethod::None => Settings::Pass,
            AdvisedMethod::Stable(times) => Settings::Stable(times),
            AdvisedMethod::Lockout(time) => Settings::Lockout(HoldTimes { on: time, off: time }),
        }
    }

    /// Its method in the station file.
    pub fn method(self) -> &'static str {
        match self {
            AdvisedMethod::None => "none",
            AdvisedMethod::Stable(_) => "stable",
            AdvisedMethod::Lockout(_) => "lockout",
        }
    }

    /// The times of the on and the off state.
    pub fn times(self) -> Option<HoldTimes> {
        match self {
            AdvisedMethod::None => None,
            AdvisedMethod::Stable(times) => Some(times),
            AdvisedMethod::Lockout(time) => Some(HoldTimes { on: time, off: time }),
        }
    }

    /// The line for the station file; `None` where nothing is to be written.
    pub fn toml(self) -> Option<String> {
        let HoldTimes { on, off } = self.times()?;
        let times = match on == off {
            true => format!("time = \"{}\"", Milliseconds(on)),
            false => format!("on = \"{}\", off = \"{}\"", Milliseconds(on), Milliseconds(off)),
        };
        Some(format!("debounce = {{ method = \"{}\", {times} }}", self.method()))
    }
}

/// A time as it is written into a station file: 0 has a unit of its own kind.
struct Milliseconds(Nanos);

impl fmt::Display for Milliseconds {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.0 == Nanos(0) { formatter.write_str("0 ms") } else { self.0.fmt(formatter) }
    }
}

/// The times that are easy to keep in mind: 1, 1.5, 2, 3, 5, 8 and their tens; the least that is not below a length.
pub fn nice_from(least: Nanos) -> Nanos {
    nice_times().find(|time| *time >= least).unwrap_or(Nanos(u64::MAX))
}

/// The greatest of these times that is not above a length; 0 where none is.
pub fn nice_up_to(most: Nanos) -> Nanos {
    nice_times().take_while(|time| *time <= most).last().unwrap_or_default()
}

fn nice_times() -> impl Iterator<Item = Nanos> {
    let tens = (0..18u32).map(|power| 10u64.pow(power));
    tens.flat_map(|ten| [10, 15, 20, 30, 50, 80].map(|digits| Nanos((digits * ten).div_ceil(10))))
        .skip_while(|time| time.0 < 2)
}

/// Rounded to two digits.
fn two_digits(time: f64) -> Nanos {
    let scale = 10f64.powi((cast::i32_from_f64(time.max(1.0).log10().floor()) - 1).max(0));
    Nanos(cast::u64_from_f64((time / scale).round() * scale))
}

/// What a line needs.
pub fn advise(line: Evidence<'_>, wish: Wish) -> Advice {
    let mut advice = match line.kind {
        kind if kind.is_contact() => line.of_contact(wish.at_once),
        kind if kind.is_pulses() => line.of_pulses(),
        Kind::Dead => Advice::without("it never changes: actuate it while recording".to_owned()),
        Kind::Floating => {
            Advice::without("nothing drives it: connect it or fit a pull-up or pull-down first".to_owned())
        }
        Kind::Serial { .. } => Advice::without("it carries characters: a debounce would destroy them".to_owned()),
        Kind::Bus { .. } => Advice::without("it is a wire of a bus: a debounce would destroy its data".to_owned()),
        _ => Advice::without("it is not clear what drives it".to_owned()),
    };
    if let Some(count) = wish.true_count.filter(|count| advice.count != Some(*count)) {
        advice = line.of_count(count).unwrap_or_else(|| Advice::without(format!("no method counts {count}")));
    }
    advice.notes.extend(line.notes(advice.advised));
    advice.notes.sort_unstable();
    advice.notes.dedup();
    advice
}

impl Advice {
    fn without(reason: String) -> Self {
        Self { advised: None, count: None, reason, notes: Vec::new() }
    }
}

impl Evidence<'_> {
    fn longest_burst(&self) -> Nanos {
        self.bounce.all().iter().map(|bursts| bursts.longest()).max().unwrap_or_default()
    }

    fn longest_inner(&self) -> Nanos {
        self.bounce.all().iter().map(|bursts| bursts.longest_inner).max().unwrap_or_default()
    }

    fn shortest_hold(&self) -> Nanos {
        self.bounce.shortest_hold().unwrap_or(Nanos(u64::MAX))
    }

    /// How many actuations a debounce counts; `None` where that is not known.
    pub fn counted(&self, advised: AdvisedMethod) -> Option<u64> {
        match advised {
            AdvisedMethod::None => Some(self.rises),
            AdvisedMethod::Stable(times) if times.on == times.off && self.stable.is_some() => self.stable?.at(times.on),
            _ if self.all => Some(self.tried(advised)),
            _ => None,
        }
    }

    /// How many actuations a debounce counts over the edges that are kept.
    fn tried(&self, advised: AdvisedMethod) -> u64 {
        let mut method = advised.settings().start();
        let mut output = Vec::new();
        let end = if self.all { self.end } else { self.edges.times.last().copied().unwrap_or_default() };
        method.start(self.edges.starts_high);
        method.work(self.edges.times, Nanos(end.0 + 1), &mut output, &mut Ledger::default());
        let changes = output.len() as u64;
        if self.edges.starts_high { changes / 2 } else { changes.div_ceil(2) }
    }

    /// How many real actuations the kept edges hold.
    fn real(&self) -> u64 {
        super::parting::meter(self.edges, self.bounce.quiet()).turning_on.count()
    }

    /// Whether a debounce counts what really was, or nearly so where the edges are cut off in the middle of something.
    fn holds(&self, advised: AdvisedMethod) -> bool {
        let (tried, real) = (self.tried(advised), self.real());
        if self.all { tried == real || self.ends_open(advised, tried, real) } else { tried.abs_diff(real) <= 1 }
    }

    /// Whether the last actuation is only not decided yet when the recording ends.
    fn ends_open(&self, advised: AdvisedMethod, tried: u64, real: u64) -> bool {
        let held = self.edges.times.last().map_or(Nanos(0), |last| self.end.saturating_sub(*last));
        tried + 1 == real && advised.times().is_some_and(|times| held < times.on.max(times.off))
    }

    fn of_contact(&self, at_once: bool) -> Advice {
        let multiple = self.bounce.all().iter().any(|bursts| bursts.most_edges > 1);
        let count = self.bounce.turning_on.count();
        if !multiple && self.shortest_hold() < SHORTEST_PRESS && self.bounce.shortest_hold().is_some() {
            return Advice::without(format!(
                "levels as short as {} merge with the longer ones: bounce cannot be told from presses",
                short_time(self.shortest_hold())
            ));
        }
        if !multiple {
            let harmless = nice_up_to(Nanos(self.shortest_hold().0 / 3));
            let filter = match self.bounce.shortest_hold() {
                Some(_) => format!("; a filter up to {} would do no harm", short_time(harmless)),
                None => String::new(),
            };
            let reason = format!("no bounce and no short pulse on {}: no debounce needed{filter}", self.transitions());
            return Advice { advised: Some(AdvisedMethod::None), count: Some(self.rises), reason, notes: Vec::new() };
        }
        let candidates = if at_once { self.at_once() } else { self.by_times() };
        let fits = |(advised, _): &(AdvisedMethod, Vec<Note>)| self.holds(*advised);
        match candidates.into_iter().find(fits) {
            Some((advised, notes)) => {
                let count = if self.all { self.tried(advised) } else { count };
                Advice { advised: Some(advised), count: Some(count), reason: self.reason(advised), notes }
            }
            None if at_once && self.bounce.glitches.count() > 0 => Advice::without(format!(
                "{} at rest: a reaction to the first edge would count each of them",
                counted(self.bounce.glitches.count(), "short pulse")
            )),
            None => Advice::without(format!(
                "bursts of up to {} with levels of {} in them, and a shortest hold of {}: no time keeps them apart",
                short_time(self.longest_burst()),
                short_time(self.longest_inner()),
                short_time(self.shortest_hold())
            )),
        }
    }

    fn transitions(&self) -> String {
        counted(self.bounce.changes(), "transition")
    }

    fn reason(&self, advised: AdvisedMethod) -> String {
        let extra = self.bounce.extra_edges();
        let returns = self.bounce.glitches.count() + self.bounce.dropouts.count();
        let mut facts = vec![format!(
            "{} on {}, longest burst {}",
            counted(extra, "bounce edge"),
            self.transitions(),
            short_time(self.longest_burst())
        )];
        if returns > 0 {
            facts.push(format!("{} without a change", counted(returns, "short pulse")));
        }
        if let Some(hold) = self.bounce.shortest_hold() {
            facts.push(format!("shortest hold {}", short_time(hold)));
        }
        if let Some(times) = advised.times().filter(|times| times.on == Nanos(0) && times.off > Nanos(0)) {
            facts.push(format!("reacts to the first edge, and to a release after {}", times.off));
        }
        facts.join(", ")
    }

    /// From bursts and holds: one time for both states, or one for each where they differ much.
    fn by_times(&self) -> Vec<(AdvisedMethod, Vec<Note>)> {
        let most = Nanos(self.shortest_hold().0 / 3);
        let least = |sides: [&super::bounce::Bursts; 2]| {
            let multiple = sides.iter().any(|bursts| bursts.most_edges > 1);
            let length = sides
                .iter()
                .map(|bursts| {
                    bursts.longest().0.saturating_mul(3).div_ceil(2).max(bursts.longest_inner.0.saturating_mul(2))
                })
                .max();
            length.filter(|_| multiple).map_or(Nanos(0), |length| nice_from(Nanos(length.max(1))))
        };
        let on = least([&self.bounce.turning_on, &self.bounce.glitches]);
        let off = least([&self.bounce.turning_off, &self.bounce.dropouts]);
        let (shorter, longer) = (on.min(off), on.max(off));
        let differ = if shorter == Nanos(0) { longer >= LONG } else { longer.0 >= shorter.0.saturating_mul(APART) };
        let mut candidates = Vec::new();
        if differ && longer <= most {
            candidates.push((AdvisedMethod::Stable(HoldTimes { on, off }), Vec::new()));
        }
        let both = |time: Nanos| AdvisedMethod::Stable(HoldTimes { on: time, off: time });
        if longer <= most {
            candidates.push((both(longer), Vec::new()));
        }
        let (low, high) = (self.longest_inner().0.saturating_mul(2), self.shortest_hold().0 / 2);
        if low <= high {
            let middle = two_digits((low.max(1) as f64 * high as f64).sqrt());
            candidates.push((both(Nanos(middle.0.clamp(low, high))), vec![Note::Tight]));
        }
        candidates
    }

    /// A reaction to the first edge: on at once and off after a time, or a lockout.
    fn at_once(&self) -> Vec<(AdvisedMethod, Vec<Note>)> {
        let least = self.longest_burst().0.saturating_mul(3).div_ceil(2).max(self.longest_inner().0.saturating_mul(2));
        let time = nice_from(Nanos(least.max(1)));
        let mut candidates = Vec::new();
        if time.0 <= self.shortest_hold().0 / 3 {
            candidates.push((AdvisedMethod::Stable(HoldTimes { on: Nanos(0), off: time }), Vec::new()));
        }
        candidates.extend(self.lockout_time().map(|time| (AdvisedMethod::Lockout(time), Vec::new())));
        candidates
    }

    /// The time of a lockout: longer than every burst, and at most half of the shortest hold.
    pub fn lockout_time(&self) -> Option<Nanos> {
        let time = nice_from(Nanos(self.longest_burst().0.saturating_mul(3).div_ceil(2).max(1)));
        (time.0 <= self.shortest_hold().0 / 2).then_some(time)
    }

    /// The time of `stable` that bursts and holds allow, where one time serves for both states.
    pub fn stable_time(&self) -> Option<Nanos> {
        self.by_times().into_iter().find_map(|(advised, _)| match advised {
            AdvisedMethod::Stable(times) if times.on == times.off => Some(times.on),
            _ => None,
        })
    }

    /// A sensor's pulses: each edge is real, but for interference.
    fn of_pulses(&self) -> Advice {
        let Interference { pulses, longest, shortest_own } = self.interference;
        let own = Nanos(if shortest_own == u64::MAX { 0 } else { shortest_own });
        if pulses == 0 {
            let reason = format!(
                "a clean {}: no debounce needed; a filter up to {} would do no harm",
                self.kind.word(),
                short_time(nice_up_to(Nanos(own.0 / 4)))
            );
            return Advice { advised: Some(AdvisedMethod::None), count: Some(self.rises), reason, notes: Vec::new() };
        }
        let time = nice_from(Nanos(longest.saturating_mul(3).div_ceil(2).max(1)));
        let facts = format!(
            "{} of up to {} between pulses of {} and more",
            counted(pulses, "short pulse"),
            short_time(Nanos(longest)),
            short_time(own)
        );
        if time.0 > own.0 / 4 {
            return Advice::without(format!("{facts}: no time removes them and keeps the pulses"));
        }
        let advised = AdvisedMethod::Stable(HoldTimes { on: time, off: time });
        let real = self.edges.rising().count() as u64 - pulses.min(self.edges.rising().count() as u64);
        let tried = self.tried(advised);
        let fits = tried.abs_diff(real) <= u64::from(!self.all);
        match self.counted(advised).filter(|_| fits) {
            Some(count) => Advice { advised: Some(advised), count: Some(count), reason: facts, notes: Vec::new() },
            None => Advice::without(format!("{facts}: no time removes them and keeps the pulses")),
        }
    }

    /// The method that counts what really was.
    fn of_count(&self, count: u64) -> Option<Advice> {
        let both = |time: Nanos| AdvisedMethod::Stable(HoldTimes { on: time, off: time });
        let mut candidates = vec![AdvisedMethod::None];
        candidates.extend(self.at_once().into_iter().map(|(advised, _)| advised));
        let widest = |curve: &Curve| {
            let giving =
                curve.giving(count).1.into_iter().filter(|plateau| plateau.count == count && plateau.from.0 > 1);
            giving.max_by(|one, other| one.width().total_cmp(&other.width())).map(|plateau| plateau.middle())
        };
        candidates.extend(self.stable.and_then(widest).map(both));
        candidates.extend(self.lockout.filter(|_| self.all).and_then(widest).map(AdvisedMethod::Lockout));
        let advised = candidates.into_iter().find(|advised| self.counted(*advised) == Some(count))?;
        let reason = match advised {
            AdvisedMethod::None => format!("each rising edge counted gives {count}: no debounce needed"),
            _ => format!("counts {count}, as there were"),
        };
        Some(Advice { advised: Some(advised), count: Some(count), reason, notes: Vec::new() })
    }

    fn notes(&self, advised: Option<AdvisedMethod>) -> Vec<Note> {
        let mut notes = Vec::new();
        let actuations = if self.kind.is_contact() { self.bounce.turning_on.count() } else { self.rises };
        if advised.is_some() && actuations < FEW_ACTUATIONS {
            notes.push(Note::FewActuations);
        }
        let inner = self.longest_inner();
        let coarse = if inner > Nanos(0) { self.step.0 > inner.0 / 4 } else { self.step > COARSE };
        if self.kind.is_contact() && coarse {
            notes.push(Note::CoarseRecording);
        }
        notes
    }
}
