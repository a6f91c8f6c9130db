//! The scenario file: which sources there are, what they do, and what is wrong with their wires.

use super::profile::{Piece, Profile};
use crate::logic::expression::Span;
use crate::names::{is_point_name, nearest};
use crate::station::builder::TimeText;
use crate::station::{StationError, StationErrorKind, translate};
use crate::time::Nanos;
use indexmap::IndexMap;
use serde::Deserialize;
use toml::Spanned;

/// A checked scenario.
#[derive(Debug)]
pub struct Scenario {
    /// What people call it.
    pub title: Option<String>,
    /// How long a recording of it is, if nobody says otherwise.
    pub duration: Nanos,
    pub(super) sources: Vec<(String, Kind)>,
    pub(super) wires: Vec<(String, Wire)>,
    shafts: IndexMap<String, Profile>,
}

/// What a source is.
#[derive(Debug)]
pub(super) enum Kind {
    Contact(Contact),
    Changeover(Changeover),
    Wheel(Wheel),
    Encoder(Encoder),
    Floating(Floating),
}

/// When something is actuated, in nanoseconds.
#[derive(Debug, Clone)]
pub(super) enum PressTimes {
    Given(Vec<(u64, u64)>),
    Random { every: u64, hold: u64 },
}

/// How a contact bounces when it is made, or broken.
#[derive(Debug, Clone, Copy)]
pub(super) struct Bounce {
    pub(super) least: u64,
    pub(super) most: u64,
    pub(super) within: u64,
    pub(super) rings: bool,
}

#[derive(Debug, Clone, Copy)]
pub(super) struct Bounces {
    pub(super) closing: Bounce,
    pub(super) opening: Bounce,
}

#[derive(Debug, Clone)]
pub(super) struct Contact {
    pub(super) line: String,
    pub(super) rest_level: bool,
    pub(super) presses: PressTimes,
    pub(super) bounces: Bounces,
}

#[derive(Debug, Clone)]
pub(super) struct Changeover {
    pub(super) no: String,
    pub(super) nc: String,
    pub(super) closed_level: bool,
    pub(super) presses: PressTimes,
    pub(super) bounces: Bounces,
    pub(super) transit: u64,
}

#[derive(Debug, Clone)]
pub(super) struct Wheel {
    pub(super) line: String,
    pub(super) shaft: String,
    pub(super) marks: usize,
    pub(super) width: f64,
    pub(super) seen_level: bool,
    pub(super) uneven: f64,
    pub(super) runout: f64,
    pub(super) weak: Option<Weak>,
}

/// A mark that is not seen above a speed.
#[derive(Debug, Clone, Copy)]
pub(super) struct Weak {
    pub(super) mark: usize,
    pub(super) above_rpm: f64,
}

#[derive(Debug, Clone)]
pub(super) struct Encoder {
    pub(super) a: String,
    pub(super) b: String,
    pub(super) index: Option<String>,
    pub(super) shaft: String,
    pub(super) pulses_per_rev: usize,
    pub(super) phase_error_degrees: f64,
    pub(super) duty: f64,
    pub(super) lost: Vec<u64>,
    /// The mean time between two trembles at standstill.
    pub(super) dither: Option<u64>,
}

#[derive(Debug, Clone)]
pub(super) struct Floating {
    pub(super) line: String,
    pub(super) half_wave: u64,
}

#[derive(Debug, Clone)]
pub(super) struct Wire {
    pub(super) line: String,
    pub(super) glitches_every: Option<u64>,
    pub(super) glitch: u64,
    pub(super) stuck: Vec<(u64, u64)>,
    pub(super) crosstalk: Option<Crosstalk>,
}

#[derive(Debug, Clone)]
pub(super) struct Crosstalk {
    pub(super) from: String,
    pub(super) chance: f64,
}

type Tables<T> = IndexMap<Spanned<String>, Spanned<T>>;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    title: Option<String>,
    duration: TimeText,
    #[serde(default)]
    shaft: Tables<ShaftTable>,
    #[serde(default)]
    contact: Tables<ContactTable>,
    #[serde(default)]
    changeover: Tables<ChangeoverTable>,
    #[serde(default)]
    wheel: Tables<WheelTable>,
    #[serde(default)]
    encoder: Tables<EncoderTable>,
    #[serde(default)]
    floating: Tables<FloatingTable>,
    #[serde(default)]
    wire: Tables<WireTable>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ShaftTable {
    speed: Vec<SpeedPiece>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct SpeedPiece {
    #[serde(rename = "for")]
    length: Spanned<TimeText>,
    to_rpm: f64,
}

#[derive(Debug, Clone, Copy, Default, Deserialize)]
#[serde(rename_all = "lowercase")]
enum LevelWord {
    #[default]
    High,
    Low,
}

#[derive(Debug, Clone, Copy, Default, Deserialize)]
#[serde(rename_all = "UPPERCASE")]
enum ContactWord {
    #[default]
    No,
    Nc,
}

#[derive(Debug, Clone, Copy, Default, Deserialize)]
#[serde(rename_all = "lowercase")]
enum BounceWord {
    None,
    #[default]
    Few,
    Many,
    Reed,
    Worn,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Press {
    at: Spanned<TimeText>,
    #[serde(rename = "for")]
    hold: Spanned<TimeText>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ContactTable {
    line: Spanned<String>,
    #[serde(default)]
    asserted: LevelWord,
    #[serde(default)]
    contact: ContactWord,
    presses: Option<Vec<Press>>,
    every: Option<Spanned<TimeText>>,
    hold: Option<Spanned<TimeText>>,
    #[serde(default)]
    closing: BounceWord,
    #[serde(default)]
    opening: BounceWord,
    bounce_within: Option<Spanned<TimeText>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ChangeoverTable {
    no: Spanned<String>,
    nc: Spanned<String>,
    #[serde(default)]
    asserted: LevelWord,
    transit: TimeText,
    presses: Option<Vec<Press>>,
    every: Option<Spanned<TimeText>>,
    hold: Option<Spanned<TimeText>>,
    #[serde(default)]
    closing: BounceWord,
    #[serde(default)]
    opening: BounceWord,
    bounce_within: Option<Spanned<TimeText>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct WheelTable {
    line: Spanned<String>,
    shaft: Spanned<String>,
    marks: Spanned<u32>,
    width: Option<Spanned<f64>>,
    #[serde(default)]
    asserted: LevelWord,
    uneven: Option<Spanned<f64>>,
    runout: Option<Spanned<f64>>,
    weak_mark: Option<Spanned<u32>>,
    weak_above_rpm: Option<Spanned<f64>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct EncoderTable {
    a: Spanned<String>,
    b: Spanned<String>,
    index: Option<Spanned<String>>,
    shaft: Spanned<String>,
    pulses_per_rev: Spanned<u32>,
    phase_error_degrees: Option<Spanned<f64>>,
    duty: Option<Spanned<f64>>,
    #[serde(default)]
    lost_at: Vec<Spanned<TimeText>>,
    dither_every: Option<Spanned<TimeText>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct FloatingTable {
    line: Spanned<String>,
    mains_hz: Option<Spanned<f64>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Stuck {
    from: Spanned<TimeText>,
    to: Spanned<TimeText>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct WireTable {
    line: Spanned<String>,
    glitches_every: Option<Spanned<TimeText>>,
    glitch: Option<Spanned<TimeText>>,
    #[serde(default)]
    stuck: Vec<Stuck>,
    crosstalk_from: Option<Spanned<String>>,
    crosstalk_chance: Option<Spanned<f64>>,
}

/// Reads a scenario file.
///
/// # Errors
/// Everything that is wrong with it, in the order of the file; one error alone where the text is no TOML or
/// a table is not of its kind.
pub fn parse(source: &str) -> Result<Scenario, Vec<StationError>> {
    let file: File = toml::from_str(source).map_err(|error| vec![translate(&error, source)])?;
    let mut check = Check::default();
    let scenario = check.scenario(file);
    check.errors.sort_by_key(|error| error.span.start);
    if check.errors.is_empty() { Ok(scenario) } else { Err(check.errors) }
}

impl Scenario {
    /// The speed of a shaft over time; standing still where there is none of that name.
    pub(super) fn shaft(&self, name: &str) -> Profile {
        self.shafts.get(name).cloned().unwrap_or(Profile { from: 0.0, pieces: Vec::new() })
    }
}

/// Collects what is wrong while the tables are checked.
#[derive(Default)]
struct Check {
    errors: Vec<StationError>,
    names: Vec<(String, Span)>,
    lines: Vec<(String, Span)>,
}

impl Check {
    fn refuse(&mut self, span: Span, message: &str) {
        self.errors.push(StationError { kind: StationErrorKind::Scenario(message.to_owned()), span });
    }

    fn scenario(&mut self, file: File) -> Scenario {
        let mut shafts = IndexMap::new();
        for (name, table) in file.shaft {
            self.name(&name);
            let profile = self.profile(&table.get_ref().speed);
            shafts.insert(name.into_inner(), profile);
        }
        let mut sources = Vec::new();
        let mut add = |check: &mut Self, name: Spanned<String>, kind: Kind| {
            check.name(&name);
            sources.push((name.span().start, name.into_inner(), kind));
        };
        for (name, table) in file.contact {
            let kind = self.contact(table.get_ref());
            add(self, name, Kind::Contact(kind));
        }
        for (name, table) in file.changeover {
            let kind = self.changeover(table.get_ref());
            add(self, name, Kind::Changeover(kind));
        }
        for (name, table) in file.wheel {
            let kind = self.wheel(table.get_ref(), &shafts);
            add(self, name, Kind::Wheel(kind));
        }
        for (name, table) in file.encoder {
            let kind = self.encoder(table.get_ref(), &shafts);
            add(self, name, Kind::Encoder(kind));
        }
        for (name, table) in file.floating {
            let kind = self.floating(table.get_ref());
            add(self, name, Kind::Floating(kind));
        }
        sources.sort_by_key(|(place, _, _)| *place);
        let mut wires = Vec::new();
        let mut faulty: Vec<(String, Span)> = Vec::new();
        for (name, table) in file.wire {
            self.name(&name);
            let line = table.get_ref().line.clone();
            if let Some((_, first)) = faulty.iter().find(|(known, _)| known == line.get_ref()) {
                let kind = StationErrorKind::TwiceNamed { name: line.get_ref().clone(), first: first.clone() };
                self.errors.push(StationError { kind, span: line.span() });
            }
            faulty.push((line.get_ref().clone(), line.span()));
            let wire = self.wire(table.get_ref());
            wires.push((name.into_inner(), wire));
        }
        if sources.is_empty() && self.errors.is_empty() {
            self.refuse(0..0, "the scenario has no source");
        }
        let sources = sources.into_iter().map(|(_, name, kind)| (name, kind)).collect();
        Scenario { title: file.title, duration: file.duration.0, sources, wires, shafts }
    }

    fn name(&mut self, name: &Spanned<String>) {
        if !is_point_name(name.get_ref()) {
            let kind = StationErrorKind::BadName(name.get_ref().clone());
            self.errors.push(StationError { kind, span: name.span() });
        }
        if let Some((_, first)) = self.names.iter().find(|(known, _)| known == name.get_ref()) {
            let kind = StationErrorKind::TwiceNamed { name: name.get_ref().clone(), first: first.clone() };
            self.errors.push(StationError { kind, span: name.span() });
        }
        self.names.push((name.get_ref().clone(), name.span()));
    }

    /// A line that a source drives: no other may.
    fn line(&mut self, line: &Spanned<String>) -> String {
        let name = line.get_ref();
        if name.trim().is_empty() || name.contains(char::is_whitespace) || name.contains(['"', ',']) {
            self.refuse(line.span(), "a line's name has no spaces, commas or quotes");
        }
        if let Some((_, first)) = self.lines.iter().find(|(known, _)| known == name) {
            let kind = StationErrorKind::TwiceDriven { line: name.clone(), first: first.clone() };
            self.errors.push(StationError { kind, span: line.span() });
        }
        self.lines.push((name.clone(), line.span()));
        name.clone()
    }

    fn profile(&mut self, pieces: &[SpeedPiece]) -> Profile {
        const MOST_RPM: f64 = 1e6;
        let mut until = 0u64;
        let mut profile = Profile { from: 0.0, pieces: Vec::new() };
        for piece in pieces {
            let length = piece.length.get_ref().0.0;
            if length == 0 {
                self.refuse(piece.length.span(), "a piece of the speed lasts no time");
            }
            if piece.to_rpm.abs() > MOST_RPM || piece.to_rpm.is_nan() {
                self.refuse(piece.length.span(), "a speed of more than a million revolutions a minute");
            }
            until = until.saturating_add(length);
            profile.pieces.push(Piece { until, to: piece.to_rpm });
        }
        profile
    }

    /// The times of actuation, given or random, none shorter than `bounce`.
    fn presses(
        &mut self,
        presses: Option<&Vec<Press>>,
        every: Option<&Spanned<TimeText>>,
        hold: Option<&Spanned<TimeText>>,
        line: &Spanned<String>,
        bounce: u64,
    ) -> PressTimes {
        match (presses, every, hold) {
            (Some(presses), None, None) => {
                let mut given: Vec<(u64, u64)> = Vec::new();
                for press in presses {
                    let (at, hold) = (press.at.get_ref().0.0, press.hold.get_ref().0.0);
                    if hold <= bounce {
                        self.refuse(press.hold.span(), "the bounce lasts longer than the press");
                    }
                    if given.last().is_some_and(|(_, until)| at <= until + bounce) {
                        self.refuse(
                            press.at.span(),
                            "this press begins before the one before it has ended and bounced",
                        );
                    }
                    given.push((at, at.saturating_add(hold)));
                }
                PressTimes::Given(given)
            }
            (None, Some(every), Some(hold)) => {
                if hold.get_ref().0.0 <= bounce {
                    self.refuse(hold.span(), "the bounce lasts longer than the press");
                }
                if every.get_ref().0.0 == 0 {
                    self.refuse(every.span(), "presses cannot follow one another without a time between them");
                }
                PressTimes::Random { every: every.get_ref().0.0, hold: hold.get_ref().0.0 }
            }
            _ => {
                self.refuse(line.span(), "give either `presses`, or `every` and `hold`");
                PressTimes::Given(Vec::new())
            }
        }
    }

    fn contact(&mut self, table: &ContactTable) -> Contact {
        let bounces = bounces(table.closing, table.opening, table.bounce_within.as_ref());
        let (every, hold) = (table.every.as_ref(), table.hold.as_ref());
        let presses = self.presses(table.presses.as_ref(), every, hold, &table.line, bounces.longest());
        let closed_level = matches!(table.asserted, LevelWord::High);
        // At rest a normally closed contact is closed.
        let rest_level = closed_level == matches!(table.contact, ContactWord::Nc);
        Contact { line: self.line(&table.line), rest_level, presses, bounces }
    }

    fn changeover(&mut self, table: &ChangeoverTable) -> Changeover {
        let bounces = bounces(table.closing, table.opening, table.bounce_within.as_ref());
        let (every, hold) = (table.every.as_ref(), table.hold.as_ref());
        let longest = bounces.longest() + table.transit.0.0;
        let presses = self.presses(table.presses.as_ref(), every, hold, &table.no, longest);
        Changeover {
            no: self.line(&table.no),
            nc: self.line(&table.nc),
            closed_level: matches!(table.asserted, LevelWord::High),
            presses,
            bounces,
            transit: table.transit.0.0,
        }
    }

    fn on_shaft(&mut self, name: &Spanned<String>, shafts: &IndexMap<String, Profile>) -> String {
        if !shafts.contains_key(name.get_ref()) {
            let near = nearest(name.get_ref(), shafts.keys().map(String::as_str)).map(str::to_owned);
            let known = shafts.keys().cloned().collect();
            let kind = StationErrorKind::Unknown { what: "shaft", found: name.get_ref().clone(), near, known };
            self.errors.push(StationError { kind, span: name.span() });
        }
        name.get_ref().clone()
    }

    /// A number within bounds, both included; `default` where there is none.
    fn within(&mut self, number: Option<&Spanned<f64>>, default: f64, least: f64, most: f64) -> f64 {
        let Some(number) = number else { return default };
        if !(least..=most).contains(number.get_ref()) {
            self.refuse(number.span(), &format!("it must lie between {least} and {most}"));
        }
        *number.get_ref()
    }

    fn whole(&mut self, number: &Spanned<u32>, least: u32, most: u32) -> usize {
        if !(least..=most).contains(number.get_ref()) {
            self.refuse(number.span(), &format!("it must lie between {least} and {most}"));
        }
        *number.get_ref() as usize
    }

    fn wheel(&mut self, table: &WheelTable, shafts: &IndexMap<String, Profile>) -> Wheel {
        let marks = self.whole(&table.marks, 1, 10_000);
        let weak = match (&table.weak_mark, &table.weak_above_rpm) {
            (Some(mark), Some(rpm)) => {
                let mark = self.whole(mark, 1, marks as u32) - usize::from(*mark.get_ref() > 0);
                Some(Weak { mark, above_rpm: self.within(Some(rpm), 0.0, 0.0, 1e6) })
            }
            (None, None) => None,
            (Some(one), None) => {
                self.refuse(one.span(), "`weak_mark` goes with `weak_above_rpm`");
                None
            }
            (None, Some(one)) => {
                self.refuse(one.span(), "`weak_above_rpm` goes with `weak_mark`");
                None
            }
        };
        Wheel {
            line: self.line(&table.line),
            shaft: self.on_shaft(&table.shaft, shafts),
            marks,
            width: self.within(table.width.as_ref(), 0.25, 0.01, 0.9),
            seen_level: matches!(table.asserted, LevelWord::High),
            uneven: self.within(table.uneven.as_ref(), 0.0, 0.0, 0.04),
            runout: self.within(table.runout.as_ref(), 0.0, 0.0, 0.01),
            weak,
        }
    }

    fn encoder(&mut self, table: &EncoderTable, shafts: &IndexMap<String, Profile>) -> Encoder {
        let phase_error_degrees = self.within(table.phase_error_degrees.as_ref(), 0.0, -80.0, 80.0);
        let duty = self.within(table.duty.as_ref(), 0.5, 0.3, 0.7);
        let quarter = 0.25 + phase_error_degrees / 360.0;
        if quarter >= duty || quarter + duty >= 1.0 {
            self.refuse(table.a.span(), "with this duty and phase error the channels no longer overlap");
        }
        Encoder {
            a: self.line(&table.a),
            b: self.line(&table.b),
            index: table.index.as_ref().map(|index| self.line(index)),
            shaft: self.on_shaft(&table.shaft, shafts),
            pulses_per_rev: self.whole(&table.pulses_per_rev, 1, 100_000),
            phase_error_degrees,
            duty,
            lost: table.lost_at.iter().map(|time| time.get_ref().0.0).collect(),
            dither: table.dither_every.as_ref().map(|mean| mean.get_ref().0.0.max(8)),
        }
    }

    fn floating(&mut self, table: &FloatingTable) -> Floating {
        let mains = self.within(table.mains_hz.as_ref(), 50.0, 1.0, 1000.0);
        Floating { line: self.line(&table.line), half_wave: (0.5e9 / mains) as u64 }
    }

    fn wire(&mut self, table: &WireTable) -> Wire {
        self.known_line(&table.line);
        if let Some(from) = &table.crosstalk_from {
            self.known_line(from);
            if from.get_ref() == table.line.get_ref() {
                self.refuse(from.span(), "a line is no neighbour of its own");
            }
        }
        let mut stuck: Vec<(u64, u64)> = Vec::new();
        for stretch in &table.stuck {
            let (from, to) = (stretch.from.get_ref().0.0, stretch.to.get_ref().0.0);
            if to <= from {
                self.refuse(stretch.to.span(), "it ends before it begins");
            }
            stuck.push((from, to));
        }
        if let Some(every) = table.glitches_every.as_ref().filter(|every| every.get_ref().0.0 == 0) {
            self.refuse(every.span(), "pulses cannot follow one another without a time between them");
        }
        let glitch = table.glitch.as_ref().map_or(100_000, |time| time.get_ref().0.0);
        let chance = self.within(table.crosstalk_chance.as_ref(), 1.0, 0.0, 1.0);
        Wire {
            line: table.line.get_ref().clone(),
            glitches_every: table.glitches_every.as_ref().map(|time| time.get_ref().0.0),
            glitch,
            stuck,
            crosstalk: table.crosstalk_from.as_ref().map(|from| Crosstalk { from: from.get_ref().clone(), chance }),
        }
    }

    fn known_line(&mut self, line: &Spanned<String>) {
        let known: Vec<String> = self.lines.iter().map(|(name, _)| name.clone()).collect();
        if !known.contains(line.get_ref()) {
            let near = nearest(line.get_ref(), known.iter().map(String::as_str)).map(str::to_owned);
            let kind = StationErrorKind::Unknown { what: "line", found: line.get_ref().clone(), near, known };
            self.errors.push(StationError { kind, span: line.span() });
        }
    }
}

impl Bounces {
    fn longest(&self) -> u64 {
        self.closing.within.max(self.opening.within)
    }
}

fn bounces(closing: BounceWord, opening: BounceWord, within: Option<&Spanned<TimeText>>) -> Bounces {
    let within = within.map(|time| time.get_ref().0.0);
    Bounces { closing: bounce(closing, within), opening: bounce(opening, within) }
}

/// What the words for bounce mean: how many times it parts again, and within which time.
fn bounce(word: BounceWord, within: Option<u64>) -> Bounce {
    const MICROSECOND: u64 = 1_000;
    let (least, most, usual, rings) = match word {
        BounceWord::None => return Bounce { least: 0, most: 0, within: 0, rings: false },
        BounceWord::Few => (1, 4, 3_000 * MICROSECOND, false),
        BounceWord::Many => (5, 12, 6_000 * MICROSECOND, false),
        BounceWord::Reed => (3, 8, 900 * MICROSECOND, true),
        BounceWord::Worn => (8, 20, 20_000 * MICROSECOND, false),
    };
    Bounce { least, most, within: within.unwrap_or(usual), rings }
}
