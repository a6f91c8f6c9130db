//! What points did, kept to be held against what really happened.

use indexmap::IndexMap;
use reigen_core::cast;
use reigen_core::engine::Engine;
use reigen_core::rate::settings::{Method, Settings};
use reigen_core::summary::PointSummary;
use reigen_core::time::{Nanos, Origin};
use reigen_station::simulate::judge::Judgement;
use reigen_station::simulate::judge_readings::ReadingSample;
use reigen_station::simulate::truth::TruthFile;
use reigen_station::station::{Point, Station};

/// Keeps what each point did that a source of the truth belongs to.
pub struct TruthWatch<'a> {
    truth: &'a TruthFile,
    /// For each point of the station what it is judged by.
    points: Vec<Yardstick>,
}

/// What a point is judged by.
enum Yardstick {
    /// Nothing: no source belongs to it.
    No,
    /// When it went on, against a source on a line.
    Line(String, Vec<Nanos>),
    /// When it went on, against a point of a chain.
    ChainPoint(String, Vec<Nanos>),
    /// Its counts, against the encoder on a line.
    Encoder(String),
    /// Its counts, against the register on a line.
    Register(String),
    /// Its readings, in revolutions a minute, against the shaft behind a line.
    Speed { line: String, settings: Settings, readings: Vec<ReadingSample> },
    /// Its values, against those of a line.
    Value(String, Vec<ReadingSample>),
}

impl<'a> TruthWatch<'a> {
    /// Watches the points of a station that a source of the truth belongs to.
    pub fn new(station: &Station, truth: &'a TruthFile) -> Self {
        let points = station.points.iter().map(|point| Yardstick::new(station, point, truth)).collect();
        Self { truth, points }
    }

    /// Takes what the points did in the last window.
    pub fn take(&mut self, engine: &Engine) {
        for columns in engine.points() {
            let Some(judged) = self.points.get_mut(columns.point) else { continue };
            match judged {
                Yardstick::No | Yardstick::Encoder(_) | Yardstick::Register(_) => {}
                Yardstick::Line(_, rises) | Yardstick::ChainPoint(_, rises) => {
                    columns.bit().into_iter().for_each(|bit| rises.extend(bit.rising()));
                }
                Yardstick::Speed { settings, readings, .. } => {
                    let (Some(column), resolution) = (columns.reading(), columns.readings.get(1)) else { continue };
                    let Some(pulses) = settings.pulses_per_rev else { continue };
                    let rpm = 60.0 / (settings.unit.per_hertz * pulses);
                    for (&at, &value) in column.times.iter().zip(&column.values).filter(|(_, value)| **value != 0.0) {
                        let over = over(settings, value / settings.unit.per_hertz);
                        let resolution = resolution.and_then(|column| column.at(at)).map(|step| step * rpm);
                        readings.push(ReadingSample { at, value: value * rpm, resolution, over });
                    }
                }
                Yardstick::Value(_, readings) => {
                    let Some(column) = columns.reading() else { continue };
                    let steps = column.times.iter().zip(&column.values);
                    readings.extend(steps.map(|(&at, &value)| ReadingSample {
                        at,
                        value,
                        resolution: None,
                        over: Nanos(0),
                    }));
                }
            }
        }
    }

    /// Holds it compared with the truth, given what each point did over all.
    pub fn judge(self, station: &Station, summaries: &[PointSummary], origin: Origin) -> IndexMap<String, Judgement> {
        let Self { truth, points } = self;
        let judged = points.into_iter().zip(&station.points).zip(summaries).filter_map(|((judged, point), summary)| {
            let judgement = match judged {
                Yardstick::No => None,
                Yardstick::Line(line, rises) => truth.judge(&line, &rises, origin),
                Yardstick::ChainPoint(name, rises) => truth.judge_chain_point(&name, &rises, origin),
                Yardstick::Speed { line, readings, .. } => truth.judge_speed(&line, &readings, origin),
                Yardstick::Encoder(line) => match summary {
                    PointSummary::Encoder(encoder) => {
                        let counts = cast::i64_from_u64(encoder.forward) - cast::i64_from_u64(encoder.backward);
                        truth.judge_position(&line, counts, encoder.counts_per_cycle)
                    }
                    _ => None,
                },
                Yardstick::Register(line) => match summary {
                    PointSummary::Register(register) => {
                        register.count.and_then(|count| truth.judge_register(&line, count))
                    }
                    _ => None,
                },
                Yardstick::Value(line, readings) => {
                    let unit = point.kind.unit().unwrap_or_default();
                    let scale = |recorded: f64| point.kind.scaled(recorded).unwrap_or(recorded);
                    truth.judge_value(&line, unit, &readings, &scale, origin)
                }
            };
            Some((point.name.clone(), judgement?))
        });
        judged.collect()
    }
}

impl Yardstick {
    fn new(station: &Station, point: &Point, truth: &TruthFile) -> Self {
        let kind = &*point.kind;
        if let Some([Some(a), ..]) = kind.encoder() {
            let by_point =
                a.expression().and_then(|field| line_of(station, field.expression.as_name()?.point.as_str()));
            return a.line().map(|line| line.name.clone()).or(by_point).map_or(Yardstick::No, Yardstick::Encoder);
        }
        if let Some(settings) = kind.rate() {
            let of = kind.expressions().first().and_then(|(_, field)| Some(field.expression.as_name()?.point.clone()));
            return match of.and_then(|of| line_of(station, &of)) {
                Some(line) => Yardstick::Speed { line, settings: settings.clone(), readings: Vec::new() },
                None => Yardstick::No,
            };
        }
        if let Some(line) = kind.number_lines().first().filter(|_| kind.is_register()) {
            return Yardstick::Register(line.name.clone());
        }
        if kind.is_polled() {
            return Yardstick::ChainPoint(point.name.clone(), Vec::new());
        }
        if let Some(line) = kind.number_line().filter(|_| kind.scaled(0.0).is_some()) {
            return Yardstick::Value(line.name.clone(), Vec::new());
        }
        if let Some(line) = kind.line().filter(|line| truth.source_of(&line.name).is_some()) {
            return Yardstick::Line(line.name.clone(), Vec::new());
        }
        // An input that reads a point of a chain should do what that one really did.
        let of = kind.input().and_then(|_| Some(kind.expressions().first()?.1.expression.as_name()?.point.clone()));
        let is_chain = |name: &String| station.points.iter().any(|point| point.name == *name && point.kind.is_polled());
        of.filter(is_chain).map_or(Yardstick::No, |name| Yardstick::ChainPoint(name, Vec::new()))
    }
}

/// The line of an input.
fn line_of(station: &Station, name: &str) -> Option<String> {
    let point = station.points.iter().find(|point| point.name == name)?;
    point.kind.line().map(|line| line.name.clone())
}

/// The time that a reading of so many hertz speaks for.
fn over(settings: &Settings, hertz: f64) -> Nanos {
    let intervals = |count: f64| Nanos(cast::u64_from_f64(count / hertz.abs().max(1e-9) * 1e9));
    match settings.method {
        Method::Gate { window } => window,
        Method::Period { average } => intervals(f64::from(average)),
        Method::Auto { every } => Nanos(every.0.saturating_add(intervals(1.0).0)),
    }
}
