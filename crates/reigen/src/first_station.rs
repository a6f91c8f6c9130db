//! A first station file from a survey: what was found becomes points, with their evidence as comments.

use reigen_core::measure::advice::AdvisedMethod;
use reigen_core::measure::kind::Kind;
use reigen_core::measure::survey::SurveyedLine;
use reigen_core::names::is_point_name;
use reigen_core::outside_words::{on_one_line, toml_string};
use std::collections::{HashMap, HashSet};
use std::fmt::Write as _;

/// How far apart the sides of a changeover may stand, where nobody has said.
const WITHIN: &str = "50 ms";
/// How many points a register has.
const REGISTER_BITS: usize = 8;

/// The station's text, and how many points it has.
pub(crate) fn first_station(recording: &str, lines: &[SurveyedLine], nameable: &[bool]) -> (String, usize) {
    let title = format!("title = {}", toml_string(recording));
    let mut file = File { text: String::new(), points: 0, taken: HashSet::new(), inputs: HashMap::new(), lines };
    file.line(
        "# A first station file from a survey: what each line looks like, with the evidence. Check it, and complete",
    );
    file.line("# what is commented out.");
    file.line(&title);
    let unnamed: HashSet<&str> =
        lines.iter().zip(nameable).filter(|(_, nameable)| !**nameable).map(|(line, _)| line.name.as_str()).collect();
    for line in lines {
        match file.wires(line).iter().any(|wire| unnamed.contains(wire)) {
            true => file.unnamed(line),
            false => file.add(line),
        }
    }
    (file.text, file.points)
}

struct File<'a> {
    text: String,
    points: usize,
    /// The names of points that are taken.
    taken: HashSet<String>,
    /// For each line that is an input the name of its point.
    inputs: HashMap<String, String>,
    lines: &'a [SurveyedLine],
}

impl File<'_> {
    fn line(&mut self, text: &str) {
        // Writing to a text cannot fail.
        let _ = writeln!(self.text, "{text}");
    }

    /// A table of the file, which counts as a point.
    fn point(&mut self, kind: &str, name: &str, keys: &[String]) {
        self.points += 1;
        self.line(&format!("[{kind}.{name}]"));
        keys.iter().for_each(|key| self.line(key));
    }

    /// A table to complete.
    fn suggestion(&mut self, kind: &str, name: &str, keys: &[String]) {
        self.line(&format!("# [{kind}.{name}]"));
        keys.iter().for_each(|key| self.line(&format!("# {}", on_one_line(key))));
    }

    /// The lines that what is written for this one names.
    fn wires<'b>(&'b self, line: &'b SurveyedLine) -> Vec<&'b str> {
        let chain = |other: &&SurveyedLine| matches!(other.guess.kind, Kind::Chain { .. });
        let index = |of: &str, with: &str| {
            let is_it = |kind: &Kind| matches!(kind, Kind::Index { of: other, .. } if other == of || other == with);
            self.lines.iter().filter(move |other| is_it(&other.guess.kind)).map(|other| other.name.as_str()).collect()
        };
        let mut wires: Vec<&str> = match &line.guess.kind {
            Kind::Quadrature { with, .. } => index(&line.name, with),
            Kind::Chain { .. } => self.lines.iter().filter(chain).map(|other| other.name.as_str()).collect(),
            _ => Vec::new(),
        };
        match &line.guess.kind {
            Kind::Quadrature { with, .. } | Kind::Changeover { with } => wires.extend([line.name.as_str(), with]),
            _ => wires.push(&line.name),
        }
        wires
    }

    /// A line that no station can name.
    fn unnamed(&mut self, line: &SurveyedLine) {
        let name = on_one_line(&line.name).into_owned();
        self.line(&format!(
            "\n# `{name}`: it, or a line that belongs to it, has no unique name; name it in the recorder"
        ));
    }

    fn add(&mut self, line: &SurveyedLine) {
        let words = format!("{}: {}", line.guess.kind.words(), line.guess.ground);
        let words = format!("\n# {}", on_one_line(&words));
        match &line.guess.kind {
            Kind::Quadrature { with, leads } => {
                if *leads {
                    self.line(&words);
                    self.encoder(line, with);
                }
            }
            Kind::Index { .. } => {}
            Kind::Chain { wire: "load", bits } => {
                self.line(&words);
                self.expander(line, *bits);
            }
            Kind::Chain { .. } => {}
            Kind::Trigger { .. } => self.line(&format!("{words}; nothing reads it")),
            Kind::Dead | Kind::Floating | Kind::Serial { .. } | Kind::Bus { .. } | Kind::Unknown => {
                self.line(&words);
                let name = self.name(&line.name, "");
                self.suggestion("input", &name, &input_keys(line));
            }
            Kind::Contact | Kind::Changeover { .. } | Kind::Pulses | Kind::Modulated | Kind::Echo { .. } => {
                self.line(&words);
                self.input(line);
            }
        }
    }

    fn input(&mut self, line: &SurveyedLine) {
        let name = self.name(&line.name, "");
        self.inputs.insert(line.name.clone(), name.clone());
        self.point("input", &name, &input_keys(line));
        let of = format!("of = \"{name}\"");
        match &line.guess.kind {
            Kind::Changeover { with } => self.pair(line, with, &name),
            Kind::Pulses => {
                let [speed, count] = ["_speed", "_count"].map(|ending| self.name(&line.name, ending));
                let pulses = "pulses_per_rev = 1                # complete: pulses in one revolution".to_owned();
                self.line("");
                self.suggestion(
                    "rate",
                    &speed,
                    &[of, pulses, "unit = \"rpm\"".to_owned(), "zero_after = \"2 s\"".to_owned()],
                );
                self.suggestion("counter", &count, &[format!("up = \"{name}\"")]);
            }
            Kind::Modulated | Kind::Echo { .. } => {
                let width = self.name(&line.name, "_width");
                self.line("");
                self.point("width", &width, &[of]);
            }
            _ => {}
        }
    }

    /// The pair of both sides, once both are inputs.
    fn pair(&mut self, line: &SurveyedLine, with: &str, name: &str) {
        // The first side of the two waits for the other.
        let Some(other) = self.inputs.get(with).cloned() else { return };
        // The side that is closed at rest is the normally closed one: high here, as `asserted` is high.
        let (no, nc) = if idles_high(line) { (other.as_str(), name) } else { (name, other.as_str()) };
        let pair = self.name(with, "_pair");
        let keys = [format!("no = \"{no}\""), format!("nc = \"{nc}\""), format!("within = \"{WITHIN}\"")];
        self.line("");
        self.point("pair", &pair, &keys);
    }

    fn encoder(&mut self, line: &SurveyedLine, with: &str) {
        let name = self.name(&line.name, "_encoder");
        let mut keys = vec![format!("a = {}", toml_string(&line.name)), format!("b = {}", toml_string(with))];
        let index = self.lines.iter().find_map(|other| match &other.guess.kind {
            Kind::Index { of, cycles } if *of == line.name || of == with => Some((other, *cycles)),
            _ => None,
        });
        match index {
            Some((index, cycles)) => {
                keys.push(format!("index = {}", toml_string(&index.name)));
                keys.push(format!(
                    "pulses_per_rev = {cycles}        # from the index: {}",
                    on_one_line(&index.guess.ground)
                ));
            }
            None => {
                keys.push("# pulses_per_rev = 100      # complete: cycles of one channel in one revolution".to_owned())
            }
        }
        self.point("encoder", &name, &keys);
    }

    fn expander(&mut self, load: &SurveyedLine, bits: usize) {
        // With several chains it is not known which clock and data belong to this load.
        let wires = |wanted: &str| {
            let is_one = |line: &&SurveyedLine| matches!(&line.guess.kind, Kind::Chain { wire, .. } if *wire == wanted);
            self.lines.iter().filter(is_one).map(|line| line.name.clone()).collect::<Vec<_>>()
        };
        let name_of = |wanted: &str| match wires(wanted).as_slice() {
            [] => Err(format!("the {wanted} line: it never changed")),
            [only] => Ok(only.clone()),
            several => Err(format!("its {wanted} line, one of {}", several.join(", "))),
        };
        let (clock, data) = (name_of("clock"), name_of("data"));
        let name = self.name(&load.name, "_chain");
        let registers: Vec<String> = (0..bits / REGISTER_BITS)
            .map(|register| {
                let names = (1..=REGISTER_BITS).map(|bit| format!("\"{name}_{}\"", register * REGISTER_BITS + bit));
                format!("    [{}],", names.collect::<Vec<_>>().join(", "))
            })
            .collect();
        let known = clock.is_ok() && data.is_ok() && bits.is_multiple_of(REGISTER_BITS);
        let mut keys = vec![
            format!("load = {}", toml_string(&load.name)),
            format!("clock = {}", toml_string(&clock.unwrap_or_else(|unknown| unknown))),
            format!("data = {}", toml_string(&data.unwrap_or_else(|unknown| unknown))),
            "registers = [                   # the nearest first, each from D0 to D7: give them their names".to_owned(),
        ];
        keys.extend(registers);
        keys.push("]".to_owned());
        match known {
            true => self.point("expander", &name, &keys),
            false => self.suggestion("expander", &name, &keys),
        }
    }

    /// A name for a point from a line's, which no other point has.
    fn name(&mut self, line: &str, ending: &str) -> String {
        let base = format!("{}{ending}", plain_name(line));
        let mut name = base.clone();
        for number in 2.. {
            if self.taken.insert(name.clone()) {
                break;
            }
            name = format!("{base}_{number}");
        }
        name
    }
}

fn idles_high(line: &SurveyedLine) -> bool {
    line.figures.as_ref().is_some_and(|figures| figures.idle_high)
}

/// The keys of an input that is off where its line idles.
fn input_keys(line: &SurveyedLine) -> Vec<String> {
    let mut keys = vec![format!("line = {}", toml_string(&line.name))];
    match line.guess.kind {
        Kind::Changeover { .. } if idles_high(line) => {
            keys.push("contact = \"NC\"                # it is closed at rest".to_owned());
        }
        Kind::Contact | Kind::Pulses if idles_high(line) => {
            keys.push("asserted = \"low\"              # it idles high".to_owned());
        }
        _ => {}
    }
    keys.extend(line.advice.as_ref().and_then(|advice| advice.advised).and_then(AdvisedMethod::toml));
    keys
}

/// A line's name as a point's: small letters, digits and `_`.
fn plain_name(line: &str) -> String {
    let plain: String = line
        .chars()
        .map(|letter| if letter.is_ascii_alphanumeric() { letter.to_ascii_lowercase() } else { '_' })
        .collect();
    let plain = plain.trim_matches('_');
    if is_point_name(plain) { plain.to_owned() } else { format!("line_{plain}") }
}
