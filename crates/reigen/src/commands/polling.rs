//! `reigen polling`: which pulses a slower scan or a chain would miss.

use crate::cli::{PollingArguments, SpanArguments};
use crate::failure::Failure;
use crate::picture;
use crate::print::Out;
use crate::reading;
use crate::reading::replay;
use crate::views::polling::{PolledInput, PollingReport, Swept, print};
use rayon::prelude::*;
use reigen_core::cast;
use reigen_core::measure::polling::{Pulses, round_steps, sweep};
use reigen_core::quantity::parse_time;
use reigen_core::time::Nanos;
use reigen_draw::polling::{MissedCurve, PollingPicture};
use reigen_draw::theme::Theme;
use reigen_io::recording::Recording;
use reigen_run::observer::WindowView;
use reigen_run::points::number_of;
use reigen_run::replay::RunOptions;
use reigen_run::station_file::StationFile;
use reigen_station::station::Station;

/// How far around a single period a picture reaches, as a factor.
const AROUND: u64 = 30;
/// How many periods a curve has.
const CURVE: usize = 200;

/// Runs the command.
pub(crate) fn run(arguments: &PollingArguments, out: &mut Out) -> Result<(), Failure> {
    let station = StationFile::open(&arguments.station)?;
    let inputs = chosen(arguments, &station.station)?;
    let period = period(arguments)?;
    let swept = arguments.sweep.as_deref().map(range).transpose()?;
    arguments.output.as_deref().map(picture::format_of).transpose()?;
    let recording = reading::open(&arguments.recording)?;
    let pulses = pulses(&station, recording, &arguments.recording.span, &inputs)?;
    let name = |number: &usize| station.station.points.get(*number).map(|point| point.name.clone()).unwrap_or_default();
    let named: Vec<(String, &Pulses)> = inputs.iter().map(name).zip(&pulses).collect();
    if let Some(path) = &arguments.output {
        let picture = picture(&named, period, swept, arguments.readings);
        picture::write(&picture, path, (1280, 800), &Theme::LIGHT, out.outputs())?;
    }
    let periods = swept.map_or_else(Vec::new, |(from, to)| match arguments.steps {
        Some(steps) => sweep(from, to, steps as usize),
        None => round_steps(from, to),
    });
    let told = PollingReport {
        period_ns: period,
        readings: arguments.readings,
        inputs: named
            .par_iter()
            .map(|(name, pulses)| {
                let input = PolledInput {
                    pulses: pulses.count(),
                    slowest_period_ns: pulses.slowest(arguments.readings),
                    missed: period.map(|period| pulses.missed(period, arguments.readings)),
                    sweep: periods.iter().map(|&period| at(pulses, period, arguments.readings)).collect(),
                };
                (name.clone(), input)
            })
            .collect::<Vec<_>>()
            .into_iter()
            .collect(),
    };
    match arguments.json {
        true => out.json(&told),
        false => print(&told, &periods, out),
    }
}

fn at(pulses: &Pulses, period_ns: Nanos, readings: u32) -> Swept {
    let mean_missed = pulses.mean_missed(period_ns, readings);
    Swept { period_ns, mean_missed, share: mean_missed / pulses.count().max(1) as f64 }
}

/// The inputs that are asked for; all where none is named.
fn chosen(arguments: &PollingArguments, station: &Station) -> Result<Vec<usize>, Failure> {
    let is_input = |number: &usize| station.points.get(*number).is_some_and(|point| polled(&*point.kind));
    if arguments.points.is_empty() {
        return Ok((0..station.points.len()).filter(is_input).collect());
    }
    let numbers: Vec<usize> = arguments.points.iter().map(|name| number_of(station, name)).collect::<Result<_, _>>()?;
    match numbers.iter().zip(&arguments.points).find(|(number, _)| !is_input(number)) {
        None => Ok(numbers),
        Some((_, name)) => Err(Failure::Usage {
            message: format!("`{name}` is not an input, and only inputs are polled"),
            help: "omit --points for all inputs and points of expanders".to_owned(),
        }),
    }
}

/// What a controller polls: inputs, and the points of a chain.
fn polled(kind: &dyn reigen_station::station::PointKind) -> bool {
    kind.input().is_some() || kind.is_polled()
}

/// The period that is asked for.
fn period(arguments: &PollingArguments) -> Result<Option<Nanos>, Failure> {
    let zero = |what: &str| Failure::Usage {
        message: format!("{what} must be above zero"),
        help: "such as --period 5ms".to_owned(),
    };
    match (arguments.period, arguments.chain_bits.zip(arguments.clock)) {
        (Some(Nanos(0)), _) => Err(zero("the period must be above zero")),
        (Some(period), _) => Ok(Some(period)),
        (None, Some((bits, clock))) => {
            let nanos = (f64::from(bits) / clock.0 * 1e9).round();
            match nanos {
                ..1.0 => Err(zero("such a chain")),
                // More than that is not told exactly by the division either.
                1.0..MOST_PERIOD_NS => Ok(Some(Nanos(cast::u64_from_f64(nanos)))),
                _ => Err(Failure::Usage {
                    message: format!("{bits} bits at {clock} take longer than 100 days to read"),
                    help: "look at --chain-bits and --clock: a clock is mostly 100 kHz or faster".to_owned(),
                }),
            }
        }
        (None, None) => Ok(None),
    }
}

/// 2^53 nanoseconds: up to there a number of them is exact.
const MOST_PERIOD_NS: f64 = 9_007_199_254_740_992.0;

/// `FROM..TO`.
fn range(text: &str) -> Result<(Nanos, Nanos), Failure> {
    let wrong = |message: String| Failure::Usage { message, help: "such as --sweep 1ms..1s".to_owned() };
    let Some((from, to)) = text.split_once("..") else {
        return Err(wrong(format!("--sweep: `{text}` is not a range of periods")));
    };
    let time = |text: &str| parse_time(text).map_err(|error| wrong(format!("--sweep: {error}")));
    let (from, to) = (time(from)?, time(to)?);
    match from {
        Nanos(0) => Err(wrong("--sweep: the period must be above zero".to_owned())),
        _ if from >= to => Err(wrong(format!("--sweep: {from} to {to} is in the wrong order"))),
        _ => Ok((from, to)),
    }
}

/// The pulses of each input, as it is after its debounce.
fn pulses(
    station: &StationFile,
    recording: Recording,
    span: &SpanArguments,
    inputs: &[usize],
) -> Result<Vec<Pulses>, Failure> {
    let mut edges: Vec<(Option<bool>, Vec<Nanos>)> = vec![(None, Vec::new()); inputs.len()];
    replay(
        station,
        recording,
        &RunOptions { values_enough: Some(1), from: span.from, to: span.to, ..RunOptions::default() },
        &mut [&mut |seen: &mut WindowView<'_>| {
            for columns in seen.engine.points() {
                for (_, (first, edges)) in inputs.iter().zip(&mut edges).filter(|(input, _)| **input == columns.point) {
                    if let Some((bit, level)) = columns.bit().and_then(|bit| Some((bit, bit.level?))) {
                        first.get_or_insert(level);
                        edges.extend_from_slice(&bit.toggles);
                    }
                }
            }
        }],
    )?;
    Ok(edges.into_iter().map(|(first, edges)| Pulses::new(edges, first == Some(true))).collect())
}

/// Curves of all inputs that have pulses.
fn picture(
    named: &[(String, &Pulses)],
    period: Option<Nanos>,
    swept: Option<(Nanos, Nanos)>,
    readings: u32,
) -> PollingPicture {
    let slowest = named.iter().filter_map(|(_, pulses)| pulses.slowest(readings)).min().unwrap_or(Nanos(1_000_000));
    let around = period.unwrap_or(slowest);
    let (from, to) = swept.unwrap_or((Nanos((around.0 / AROUND).max(1)), Nanos(around.0.saturating_mul(AROUND))));
    let curves = named.iter().filter(|(_, pulses)| pulses.count() > 0).map(|(name, pulses)| {
        let share = |period: Nanos| (period, at(pulses, period, readings).share);
        MissedCurve { name: name.clone(), points: sweep(from, to, CURVE).into_iter().map(share).collect() }
    });
    PollingPicture {
        title: "Pulses missed over the polling period, mean of all phases".to_owned(),
        period,
        curves: curves.collect(),
    }
}
