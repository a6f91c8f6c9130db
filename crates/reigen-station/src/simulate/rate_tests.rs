//! Rates of simulated shafts: what a reading says is true within what it says of its resolution.

use super::truth::Truth;
use super::{Simulation, Value, scenario};
use proptest::prelude::*;
use reigen_core::rate::auto::Auto;
use reigen_core::rate::gate::Gate;
use reigen_core::rate::period::Period;
use reigen_core::rate::readings::{Reading, Sink};
use reigen_core::time::Nanos;

/// When the marks of an even wheel rise under a profile of speeds, and its speed where that bends.
fn simulated(pieces: &[(u64, f64)], marks: u32, seed: u64) -> (Vec<Nanos>, Vec<(f64, f64)>) {
    let pieces: Vec<String> = pieces.iter().map(|(ms, rpm)| format!("{{ for = '{ms} ms', to_rpm = {rpm} }}")).collect();
    let source = format!(
        "duration = '9 s'\n[shaft.s]\nspeed = [{}]\n[wheel.w]\nline = 'W'\nshaft = 's'\nmarks = {marks}",
        pieces.join(", ")
    );
    let scenario = scenario::parse(&source).unwrap_or_else(|errors| panic!("{errors:?}"));
    let mut simulation = Simulation::new(&scenario, seed, scenario.duration);
    let rises = simulation.by_ref().filter(|change| change.value == Value::Level(true)).map(|change| change.time);
    let rises = rises.collect();
    let truth = simulation.truth();
    let Truth::Wheel { speed_rpm, .. } = &truth.sources["w"] else { panic!("no wheel") };
    (rises, speed_rpm.iter().map(|at| (at.at.seconds(), at.value)).collect())
}

/// Revolutions up to a time, from speeds that are straight between bends.
fn turned(bends: &[(f64, f64)], until: f64) -> f64 {
    let piece = |pair: &[(f64, f64)]| {
        let [(from, slow), (to, fast)] = *pair else { return 0.0 };
        let end = until.clamp(from, to);
        let speed = if to > from { slow + (fast - slow) * (end - from) / (to - from) } else { slow };
        (slow + speed) / 2.0 * (end - from) / 60.0
    };
    let (last, speed) = bends[bends.len() - 1];
    bends.windows(2).map(piece).sum::<f64>() + (until - last).max(0.0) * speed / 60.0
}

/// All readings whole.
#[derive(Default)]
struct All(Vec<Reading>);

impl Sink for All {
    fn reading(&mut self, reading: Reading) {
        self.0.push(reading);
    }

    fn repeat(&mut self, _times: u64) {}
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    #[test]
    fn a_simulated_speed_comes_back_within_the_resolution_that_each_reading_states(
        pieces in prop::collection::vec((200..2000u64, 30.0..3000.0f64), 2..6),
        marks in 1..12u32,
        average in 1..8usize,
        seed in any::<u64>(),
    ) {
        let (edges, bends) = simulated(&pieces, marks, seed);
        let (mut counted, mut timed) = (All::default(), All::default());
        let mut gate = Gate::new(Nanos(50_000_000));
        gate.start(Nanos(0));
        let (mut period, mut auto) = (Period::new(average, None, Nanos(1)), Auto::new(Nanos(70_000_000), None, Nanos(1)));
        for &edge in &edges {
            gate.edge(edge, 1, &mut counted);
            period.edge(edge, 1, &mut timed);
            auto.edge(edge, 1, &mut timed);
        }
        let hertz = |reading: &Reading| {
            let (from, until) = (reading.made.from.seconds(), reading.made.until.seconds());
            // Marks pass between two nanoseconds: so far is the truth itself uncertain.
            let way = |time: f64| turned(&bends, time + 0.5e-9) - turned(&bends, time - 0.5e-9);
            let scale = f64::from(marks) / (until - from);
            ((turned(&bends, until) - turned(&bends, from)) * scale, (way(from) + way(until)) * scale)
        };
        for told in [counted, timed] {
            // What a reading fell to is only what it cannot exceed.
            let measured: Vec<&Reading> = told.0.iter().filter(|reading| reading.made.edges > 0).collect();
            let is_within = |reading: &&&Reading| {
                let (truth, uncertain) = hertz(reading);
                (truth - reading.hertz).abs() <= reading.resolution_hertz.max(uncertain)
            };
            let within = measured.iter().filter(is_within).count();
            prop_assert!(within * 1000 >= measured.len() * 999, "{} of {}", within, measured.len());
        }
    }
}

#[test]
fn the_mean_is_counts_over_time_and_a_standstill_counts() {
    let station = "[input.hall]\nline = 'H'\n[rate.drum]\nof = 'hall'\nmethod = 'period'\nzero_after = '1 s'\n";
    let station = crate::station::parse(station).unwrap();
    let line = reigen_core::lines::RecordedLine {
        name: "H".into(),
        signal: 0,
        kind: reigen_core::lines::LineKind::Level,
        step: None,
    };
    let mut engine = crate::station::plan::compile(&station, &[line], Nanos(1)).unwrap().program.start();
    // Ten pulses a second for a second, three seconds of nothing, ten again.
    let pulse = |start: u64| [start, start + 20_000_000];
    let starts = (0..=10u64).chain(40..=50).map(|tenth| tenth * 100_000_000 + 500_000_000);
    let toggles = starts.flat_map(pulse).map(Nanos).collect();
    let bit = reigen_core::column::BitColumn { level: Some(false), since: Nanos(0), toggles };
    let lines = reigen_core::block::Lines { bits: &[bit], readings: &[], last: true };
    engine.work(reigen_core::time::Window { from: Nanos(0), until: Nanos(6_000_000_001) }, lines);
    let summaries = engine.summaries(Nanos(6_000_000_000));
    let reigen_core::summary::PointSummary::Rate(rate) = &summaries[1] else { panic!("no rate") };
    assert!((rate.mean.unwrap() - 21.0 / 5.0).abs() < 1e-9, "{:?}", rate.mean);
    assert_eq!((rate.min, rate.readings), (Some(0.0), 21));
}
