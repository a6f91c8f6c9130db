//! Checks of a scenario's tables: contradictions, bounds, names and lines.

use super::tables::*;
use super::*;
use crate::simulate::profile::Piece;
use crate::spanned::Spanned;
use crate::table::StationErrorKind;
use crate::table::builder::TimeText;
use reigen_core::cast;
use reigen_core::logic::expression::Span;
use reigen_core::names::is_point_name;

/// Collects what is wrong while the tables are checked.
#[derive(Default)]
pub(super) struct Check {
    pub(super) errors: Vec<StationError>,
    names: Vec<(String, Span)>,
    lines: Vec<(String, Span)>,
    /// The scenario's end.
    end: u64,
}

/// No shaft trembles more often, in nanoseconds.
const LEAST_DITHER: u64 = 1000;

impl Check {
    fn refuse(&mut self, span: Span, message: &str) {
        self.errors.push(StationError { kind: StationErrorKind::Scenario(message.to_owned()), span });
    }

    /// Checks the whole file.
    pub(super) fn scenario(&mut self, file: File) -> Scenario {
        self.end = file.duration.0.0;
        let mut shafts = IndexMap::new();
        for (name, table) in file.shaft {
            self.name(&name);
            let profile = self.profile(0.0, table.get_ref().speed.iter().map(|piece| (&piece.length, piece.to_rpm)));
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
        for (name, table) in file.chain {
            let kind = self.chain(table.get_ref());
            add(self, name, Kind::Chain(kind));
        }
        for (name, table) in file.echo {
            let kind = self.echo(table.get_ref());
            add(self, name, Kind::Echo(kind));
        }
        for (name, table) in file.analog {
            let kind = self.analog(table.get_ref());
            add(self, name, Kind::Analog(kind));
        }
        for (name, table) in file.register {
            let kind = self.register(table.get_ref(), &shafts);
            add(self, name, Kind::Register(kind));
        }
        for (name, table) in file.port {
            let kind = self.port(table.get_ref());
            add(self, name, Kind::Port(kind));
        }
        for (name, table) in file.set_value {
            let kind = self.set_value(table.get_ref());
            add(self, name, Kind::SetValue(kind));
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

    /// A quantity over time, from pieces of a length and a value at their end.
    fn profile<'t>(&mut self, from: f64, pieces: impl Iterator<Item = (&'t Spanned<TimeText>, f64)>) -> Profile {
        const MOST: f64 = 1e6;
        let mut profile = Profile { from, pieces: Vec::new() };
        let mut until = 0u64;
        for (length, to) in pieces {
            if length.get_ref().0.0 == 0 {
                self.refuse(length.span(), "a piece lasts no time");
            }
            if to.abs() > MOST || to.is_nan() {
                self.refuse(length.span(), "a value beyond a million");
            }
            until = until.saturating_add(length.get_ref().0.0);
            profile.pieces.push(Piece { until, to });
        }
        profile
    }

    /// A time that must not be zero.
    fn step(&mut self, time: &Spanned<TimeText>) -> u64 {
        if time.get_ref().0.0 == 0 {
            self.refuse(time.span(), "it cannot be zero");
        }
        time.get_ref().0.0.max(1)
    }

    /// What a scenario places after its end would never come.
    fn before_end(&mut self, at: &Spanned<TimeText>) {
        if at.get_ref().0.0 > self.end {
            self.refuse(at.span(), "this comes after the scenario's end: make `duration` longer");
        }
    }

    fn chain(&mut self, table: &ChainTable) -> Chain {
        const UNUSED: &str = "-";
        let mut points: Vec<String> = Vec::new();
        for register in &table.registers {
            if register.get_ref().len() != 8 {
                self.refuse(register.span(), "a register has eight points; `-` is an unused one");
            }
            for point in register.get_ref() {
                let name = point.get_ref();
                if name != UNUSED && !is_point_name(name) {
                    let kind = StationErrorKind::BadName(name.clone());
                    self.errors.push(StationError { kind, span: point.span() });
                }
                if name != UNUSED && points.contains(name) {
                    self.refuse(point.span(), "this point is listed twice");
                }
                points.push(if name == UNUSED { String::new() } else { name.clone() });
            }
        }
        let (period, clock_period) = (self.step(&table.period), self.step(&table.clock_period).max(8));
        if (points.len() as u64 + 3).saturating_mul(clock_period) >= period {
            self.refuse(table.period.span(), "the clocks of one poll take longer than the period");
        }
        Chain {
            load: self.line(&table.load),
            clock: self.line(&table.clock),
            data: self.line(&table.data),
            on_level: matches!(table.asserted, LevelWord::High),
            period,
            clock_period,
            presses: self.point_presses(table, &points),
            points,
        }
    }

    /// For each point of a chain when it is on.
    fn point_presses(&mut self, table: &ChainTable, points: &[String]) -> Vec<PressTimes> {
        if let (Some(every), Some(hold)) = (&table.every, &table.hold) {
            let (every, hold) = (self.step(every), self.step(hold));
            return points.iter().map(|_| PressTimes::Random { every, hold }).collect();
        }
        self.given_presses(&table.presses, points).into_iter().map(PressTimes::Given).collect()
    }

    /// For each point when it is on, as given.
    fn given_presses(&mut self, presses: &[PointPress], points: &[String]) -> Vec<Vec<(u64, u64)>> {
        let mut given: Vec<Vec<(u64, u64)>> = vec![Vec::new(); points.len()];
        for press in presses {
            let (at, hold) = (press.at.get_ref().0.0, press.hold.get_ref().0.0);
            self.before_end(&press.at);
            let place = points.iter().position(|point| point == press.point.get_ref());
            let Some(times) = place.and_then(|place| given.get_mut(place)) else {
                let known = points.to_vec();
                let kind = StationErrorKind::unknown("point", press.point.get_ref(), known);
                self.errors.push(StationError { kind, span: press.point.span() });
                continue;
            };
            let overlaps = times.last().is_some_and(|(_, until)| at <= *until);
            times.push((at, at.saturating_add(hold)));
            if overlaps {
                self.refuse(press.at.span(), "this press begins before the one before it has ended");
            }
        }
        given
    }

    fn echo(&mut self, table: &EchoTable) -> Echo {
        let metres_per_second = self.within(table.speed_of_sound.as_ref(), 343.0, 1.0, 10_000.0);
        let from = self.within(Some(&table.from_m), 0.0, 0.0, 1000.0);
        let distance = self.profile(from, table.distance_m.iter().map(|piece| (&piece.length, piece.to)));
        let furthest = distance.pieces.iter().fold(from, |furthest, piece| furthest.max(piece.to));
        let nearest = distance.pieces.iter().fold(from, |nearest, piece| nearest.min(piece.to));
        let every = self.step(&table.every);
        if nearest < 0.0 {
            self.refuse(table.from_m.span(), "a distance below zero");
        }
        if 2.0 * furthest / metres_per_second * 1e9 + 1e6 > every as f64 {
            self.refuse(table.every.span(), "the echo comes back after the next trigger");
        }
        Echo {
            trigger: self.line(&table.trigger),
            echo: self.line(&table.echo),
            every,
            distance,
            metres_per_second,
            lost: self.within(table.lost.as_ref(), 0.0, 0.0, 1.0),
        }
    }

    fn analog(&mut self, table: &AnalogTable) -> Analog {
        let mut broken = Vec::new();
        for stretch in &table.broken {
            let (from, to) = (stretch.from.get_ref().0.0, stretch.to.get_ref().0.0);
            if to <= from {
                self.refuse(stretch.to.span(), "it ends before it begins");
            }
            broken.push((from, to, self.within(stretch.reads.as_ref(), 0.0, -1e6, 1e6)));
        }
        let clip = table.clip.as_ref().map(|clip| {
            let [low, high] = *clip.get_ref();
            if low.is_nan() || high.is_nan() || low >= high {
                self.refuse(clip.span(), "the lower limit comes first");
            }
            (low, high)
        });
        let from = self.within(Some(&table.from), 0.0, -1e6, 1e6);
        Analog {
            line: self.line(&table.line),
            every: self.step(&table.every),
            value: self.profile(from, table.value.iter().map(|piece| (&piece.length, piece.to))),
            noise: self.within(table.noise.as_ref(), 0.0, 0.0, 1e6),
            hum: self.within(table.hum.as_ref(), 0.0, 0.0, 1e6),
            hum_hz: self.within(table.hum_hz.as_ref(), 50.0, 1.0, 1000.0),
            clip,
            broken,
        }
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
                    self.before_end(&press.at);
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
            let known = shafts.keys().cloned().collect();
            let kind = StationErrorKind::unknown("shaft", name.get_ref(), known);
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
                let mark = self.whole(mark, 1, cast::u32_from_usize(marks)) - usize::from(*mark.get_ref() > 0);
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
        if let Some(mean) = table.dither_every.as_ref().filter(|mean| mean.get_ref().0.0 < LEAST_DITHER) {
            let found = Nanos(mean.get_ref().0.0);
            self.refuse(mean.span(), &format!("every {found} is no trembling of a shaft: 1 µs is the least"));
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
            dither: table.dither_every.as_ref().map(|mean| mean.get_ref().0.0.max(LEAST_DITHER)),
        }
    }

    fn register(&mut self, table: &RegisterTable, shafts: &IndexMap<String, Profile>) -> Register {
        let bits = table.bits.as_ref().map_or(16, |bits| cast::u32_from_usize(self.whole(bits, 1, 32)));
        let mut restarts: Vec<u64> = Vec::new();
        for at in &table.restarts_at {
            self.before_end(at);
            if restarts.last().is_some_and(|last| at.get_ref().0.0 <= *last) {
                self.refuse(at.span(), "restarts come in the order of time");
            }
            restarts.push(at.get_ref().0.0);
        }
        Register {
            line: self.line(&table.line),
            shaft: self.on_shaft(&table.shaft, shafts),
            pulses_per_rev: self.whole(&table.pulses_per_rev, 1, 100_000),
            every: self.step(&table.every),
            bits,
            start: u64::from(table.start),
            restarts,
        }
    }

    fn port(&mut self, table: &PortTable) -> Port {
        let points: Vec<String> = table.points.get_ref().iter().map(|point| point.get_ref().clone()).collect();
        if !(1..=32).contains(&points.len()) {
            self.refuse(table.points.span(), "a port has from 1 to 32 points; `-` is an unused one");
        }
        for (number, point) in table.points.get_ref().iter().enumerate() {
            let name = point.get_ref();
            if name != "-" && points.iter().take(number).any(|earlier| earlier == name) {
                self.refuse(point.span(), "this point is listed twice");
            }
        }
        // Unused bits get names that nobody can press.
        let points = points.into_iter().enumerate();
        let points: Vec<String> =
            points.map(|(bit, name)| if name == "-" { format!("unused_{bit}") } else { name }).collect();
        Port {
            line: self.line(&table.line),
            every: self.step(&table.every),
            presses: self.given_presses(&table.presses, &points),
            points,
        }
    }

    fn set_value(&mut self, table: &SetValueTable) -> SetValue {
        let mut steps: Vec<(u64, f64)> = Vec::new();
        for step in &table.steps {
            self.before_end(&step.at);
            let at = step.at.get_ref().0.0;
            if steps.last().is_some_and(|(last, _)| at <= *last) {
                self.refuse(step.at.span(), "steps come in the order of time");
            }
            steps.push((at, self.within(Some(&step.to), 0.0, -1e12, 1e12)));
        }
        SetValue { line: self.line(&table.line), from: self.within(Some(&table.from), 0.0, -1e12, 1e12), steps }
    }

    fn floating(&mut self, table: &FloatingTable) -> Floating {
        let mains = self.within(table.mains_hz.as_ref(), 50.0, 1.0, 1000.0);
        Floating { line: self.line(&table.line), half_wave: cast::u64_from_f64(0.5e9 / mains) }
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
            let kind = StationErrorKind::unknown("line", line.get_ref(), known);
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
