//! Which points are tried, in which order: as the list of wires goes, and what is in no list as the station file goes.

use super::input::InputStep;
use reigen_core::time::Nanos;
use reigen_station::electrical::check;
use reigen_station::links::output::OnStop;
use reigen_station::station::{Kind, Point, Station};
use std::collections::HashMap;

/// A point to try.
#[derive(Debug, Clone, PartialEq)]
pub struct Step {
    /// Its number in the station, and its name.
    pub number: usize,
    /// Its name.
    pub point: String,
    /// Where it is wired, for people.
    pub place: String,
    /// What is tried.
    pub what: Trial,
}

/// What is tried at a point.
#[derive(Debug, Clone, PartialEq)]
pub enum Trial {
    /// It is actuated once.
    Input(InputStep),
    /// It is turned forward, once around.
    Encoder,
    /// It is given two values.
    Analog {
        /// The unit of its readings.
        unit: String,
        /// The least and the most that is valid.
        range: Option<[f64; 2]>,
    },
    /// It is switched on and off.
    Output,
}

impl Trial {
    /// Its word.
    pub fn word(&self) -> &'static str {
        match self {
            Self::Input(_) => "input",
            Self::Encoder => "encoder",
            Self::Analog { .. } => "analog",
            Self::Output => "output",
        }
    }
}

/// What may answer when something is actuated.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Signal {
    /// A line of two levels, by its number.
    Line(usize),
    /// A bit that comes in a chain of registers or in a number, by the number of its point.
    Point(usize),
}

/// What is tried, and what is watched meanwhile.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Plan {
    /// The points to try, in order.
    pub steps: Vec<Step>,
    /// What may answer, and what it is called.
    pub signals: Vec<(Signal, String)>,
    /// The outputs of the devices, and what each is while it is not tried.
    pub rest: Vec<(String, bool)>,
}

/// Plans the walk over a station; `lines` are the names of the lines of two levels.
pub fn plan(station: &Station, lines: &[String]) -> Plan {
    let signals = signals(station, lines);
    let mut order: HashMap<&str, usize> = HashMap::new();
    let wires = check(station).wires;
    for (place, point) in wires.iter().flat_map(|wire| &wire.points).enumerate() {
        if let Some(point) = station.points.iter().find(|known| known.name == *point) {
            order.entry(&point.name).or_insert(place);
        }
    }
    let step = |(number, point): (usize, &Point)| {
        let what = trial(station, (number, point), &signals)?;
        Some(Step { number, point: point.name.clone(), place: place(point), what })
    };
    let mut steps: Vec<Step> = station.points.iter().enumerate().filter_map(step).collect();
    steps.sort_by_key(|step| order.get(step.point.as_str()).copied().unwrap_or(usize::MAX));
    let outputs = station
        .links
        .iter()
        .flat_map(|link| link.protocol.outputs())
        .filter(|output| station.points.iter().any(|point| point.name == output.point && point.kind.is_settable()));
    let rest = outputs.map(|output| {
        let is_on = matches!(output.on_stop, OnStop::Becomes(value) if value != 0.0);
        (output.point.to_owned(), is_on)
    });
    let rest = rest.collect();
    Plan { steps, signals, rest }
}

/// All lines, and the bits that come in no line of their own.
fn signals(station: &Station, lines: &[String]) -> Vec<(Signal, String)> {
    let own = lines.iter().enumerate().map(|(number, name)| (Signal::Line(number), name.clone()));
    let is_bit = |point: &Point| {
        let has_line = point.kind.line().is_some_and(|line| lines.contains(&line.name));
        point.kind.is_polled() || (point.kind.line().is_some() && point.kind.input().is_some() && !has_line)
    };
    let bits = station.points.iter().enumerate().filter(|(_, point)| is_bit(point));
    own.chain(bits.map(|(number, point)| (Signal::Point(number), point.name.clone()))).collect()
}

fn trial(station: &Station, (number, point): (usize, &Point), signals: &[(Signal, String)]) -> Option<Trial> {
    let kind = &point.kind;
    if kind.is_settable() {
        return Some(Trial::Output);
    }
    if kind.encoder().is_some() {
        return Some(Trial::Encoder);
    }
    let at = |name: &str| signals.iter().position(|(_, known)| known == name);
    let at_point = |number: usize| signals.iter().position(|(signal, _)| *signal == Signal::Point(number));
    // Of a bit that an input conditions, the input is tried.
    let is_conditioned = || station.points.iter().any(|other| conditions(other).as_deref() == Some(&*point.name));
    let input = match (kind.input(), kind.line()) {
        (Some(input), line) => {
            let read = line.map(|line| line.name.clone()).or_else(|| conditions(point));
            let level = read.as_deref().and_then(at);
            let times = input.debounce.times();
            let debounce = times.map_or(Nanos(0), |times| times.on.max(times.off));
            match level {
                Some(line) => Some(InputStep { line, on_while_high: input.on_while_high, debounce, with: Vec::new() }),
                None => {
                    at_point(number).map(|line| InputStep { line, on_while_high: true, debounce, with: Vec::new() })
                }
            }
        }
        (None, _) if kind.is_polled() && !is_conditioned() => {
            at_point(number).map(|line| InputStep { line, on_while_high: true, debounce: Nanos(0), with: Vec::new() })
        }
        _ => None,
    };
    if let Some(input) = input {
        let with = partners(station, &point.name).iter().filter_map(|line| at(line)).collect();
        return Some(Trial::Input(InputStep { with, ..input }));
    }
    // What comes as a number and is scaled; a running count is tried by what moves it.
    kind.number_line()?;
    let unit = kind.unit()?.to_owned();
    (!kind.is_register()).then(|| Trial::Analog { unit, range: kind.valid() })
}

/// The bit that an input conditions, where that is no line.
fn conditions(point: &Point) -> Option<String> {
    point.kind.input()?;
    let expressions = point.kind.expressions();
    let (_, of) = expressions.iter().find(|(key, _)| *key == "of")?;
    Some(of.expression.as_name()?.point.clone())
}

/// The lines of the other side, where a point is one side of a changeover contact: both change when it is actuated.
fn partners(station: &Station, name: &str) -> Vec<String> {
    let pairs = station.points.iter().filter(|point| matches!(point.kind, Kind::Pair(_)));
    let sides = pairs.map(|pair| {
        let expressions = pair.kind.expressions();
        expressions.iter().filter_map(|(_, side)| Some(side.expression.as_name()?.point.clone())).collect::<Vec<_>>()
    });
    let others = sides.filter(|sides| sides.iter().any(|side| side == name)).flatten().filter(|side| side != name);
    let line = |other: String| {
        let point = station.points.iter().find(|point| point.name == other)?;
        Some(point.kind.line()?.name.clone())
    };
    others.filter_map(line).collect()
}

/// Its lines, its terminal and its address.
fn place(point: &Point) -> String {
    let lines = point.kind.lines().into_iter().chain(point.kind.number_lines()).map(|line| line.name.clone());
    let terminal =
        point.kind.wired().and_then(|wired| wired.terminal.as_ref()).map(|terminal| terminal.get_ref().clone());
    let parts: Vec<String> = lines.chain(terminal).chain(point.described.address.clone()).collect();
    parts.join(", ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use reigen_station::station::parse;

    #[test]
    fn every_wired_point_is_tried_once_wherever_its_bit_comes_from() {
        let station = parse(
            "[input.no]\nline = 'NO'\n[input.nc]\nline = 'NC'\ncontact = 'NC'\ndebounce = '4 ms'\n[pair.door]\nno = 'no'\nnc = 'nc'\nwithin = '50 ms'\n\
             [expander.panel]\nload = 'LD'\nclock = 'CK'\ndata = 'DT'\nregisters = [['p', 'q', '-', '-', '-', '-', '-', '-']]\n\
             [input.key]\nof = 'p'\n[input.ready]\nline = 'STATUS.3'\n[analog.load]\nline = 'MA'\nunit = 'N'\nvalid = [0, 9]\n\
             [register.count]\nline = 'N'\n[counter.turns]\nup = 'no'\n[output.lamp]\nwhen = 'no'\naddress = '%QX0.1'\n[output.brake]\nwhen = 'no'\n\
             [link.io]\nprotocol = 'lines'\naddress = 'h:1'\noutputs = { lamp = 'LAMP', brake = { at = 'BRAKE', on_stop = 1 } }",
        );
        let station = station.unwrap();
        let lines = ["NO", "NC", "LD", "CK", "DT"].map(str::to_owned);
        let Plan { steps, signals, rest } = plan(&station, &lines);
        let names: Vec<(&str, &str)> = steps.iter().map(|step| (step.point.as_str(), step.what.word())).collect();
        let inputs = ["no", "nc", "q", "key", "ready"].map(|name| (name, "input"));
        let others = [("load", "analog"), ("lamp", "output"), ("brake", "output")];
        for wanted in inputs.iter().chain(&others) {
            assert_eq!(names.iter().filter(|name| *name == wanted).count(), 1, "{wanted:?} of {names:?}");
        }
        assert_eq!(names.len(), 8, "{names:?}");
        let input = |name: &str| match &steps.iter().find(|step| step.point == name).unwrap().what {
            Trial::Input(input) => input.clone(),
            other => panic!("{other:?}"),
        };
        assert_eq!((input("no").with, input("nc").with), (vec![1], vec![0]));
        assert_eq!(input("nc").debounce, Nanos(4_000_000));
        let of = |name: &str| signals[input(name).line].1.clone();
        assert_eq!((of("key"), of("ready"), of("q")), ("p".to_owned(), "ready".to_owned(), "q".to_owned()));
        assert_eq!(rest, [("brake".to_owned(), true), ("lamp".to_owned(), false)]);
        assert_eq!(steps.iter().find(|step| step.point == "lamp").unwrap().place, "%QX0.1");
    }
}
