use super::judge::Judgement;
use super::scenario::parse;
use super::truth::{Truth, TruthFile};
use super::*;
use proptest::prelude::*;
use reigen_core::time::Nanos;
use reigen_core::time::Origin;

/// All changes of a scenario, a list of times and levels for each line, and the truth.
fn simulated(source: &str, seed: u64) -> (Vec<Vec<(u64, bool)>>, TruthFile) {
    let scenario = parse(source).unwrap_or_else(|errors| panic!("{errors:?} in\n{source}"));
    let mut simulation = Simulation::new(&scenario, seed, scenario.duration);
    let level = |value: &Value| *value == Value::Level(true);
    let mut lines: Vec<Vec<(u64, bool)>> = simulation.start().iter().map(|value| vec![(0, level(value))]).collect();
    let mut last = Nanos(0);
    for change in simulation.by_ref() {
        assert!(change.time >= last, "times run backwards at {:?}", change.time);
        last = change.time;
        let line = &mut lines[change.line];
        assert_ne!(line.last().unwrap().1, level(&change.value), "no change at {:?}", change.time);
        line.push((change.time.0, level(&change.value)));
    }
    assert!(last <= simulation.end());
    (lines, simulation.truth())
}

/// When a line went to `level`.
fn edges(line: &[(u64, bool)], level: bool) -> Vec<u64> {
    line.iter().skip(1).filter(|change| change.1 == level).map(|change| change.0).collect()
}

const SHAFT: &str = "[shaft.s]\nspeed = [{ for = '1 s', to_rpm = 60 }, { for = '2 s', to_rpm = 60 }, { for = '2 s', to_rpm = -90 }, \
    { for = '1 s', to_rpm = 0 }, { for = '1 s', to_rpm = 0 }, { for = '1 s', to_rpm = 30 }]\n";

/// The revolutions of that shaft, summed up in small steps.
fn revolutions(until: f64) -> f64 {
    let speed = |time: f64| match time {
        ..1.0 => time,
        ..3.0 => 1.0,
        ..5.0 => 1.0 - (time - 3.0) * 1.25,
        ..6.0 => -1.5 + (time - 5.0) * 1.5,
        ..7.0 => 0.0,
        ..8.0 => (time - 7.0) * 0.5,
        _ => 0.5,
    };
    let steps = (until * 20_000.0) as usize;
    (0..steps).map(|step| speed((step as f64 + 0.5) / 20_000.0) / 20_000.0).sum()
}

/// A plain decoder of both edges of both channels: counts, and steps in which both changed.
fn decoded(a: &[(u64, bool)], b: &[(u64, bool)]) -> (i64, usize) {
    let mut both: Vec<(u64, bool, bool)> = a.iter().skip(1).map(|&(time, level)| (time, true, level)).collect();
    both.extend(b.iter().skip(1).map(|&(time, level)| (time, false, level)));
    both.sort();
    let (mut level_a, mut level_b, mut position) = (a[0].1, b[0].1, 0);
    for &(_, is_a, level) in &both {
        let forward = if is_a { level != level_b } else { level == level_a };
        position += if forward { 1 } else { -1 };
        if is_a { level_a = level } else { level_b = level }
    }
    (position, both.windows(2).filter(|pair| pair[0].0 == pair[1].0).count())
}

proptest! {
    #[test]
    fn a_contact_settles_after_each_press_and_its_bounce_is_what_was_asked_for(
        gaps in prop::collection::vec((60..400u64, 60..400u64), 1..8),
        bounce in prop_oneof![Just(("none", 0, 0, 0)), Just(("few", 1, 4, 3)), Just(("many", 5, 12, 6)), Just(("reed", 3, 8, 1)), Just(("worn", 8, 20, 20))],
        closed in any::<bool>(),
        seed in any::<u64>(),
    ) {
        let (word, least, most, within) = bounce;
        let mut time = 0;
        let presses: Vec<(u64, u64)> = gaps.iter().map(|(gap, hold)| { time += gap + hold; (time - hold, *hold) }).collect();
        let given: Vec<String> = presses.iter().map(|(at, hold)| format!("{{ at = '{at} ms', for = '{hold} ms' }}")).collect();
        let contact = if closed { "NC" } else { "NO" };
        let (lines, truth) = simulated(&format!(
            "duration = '20 s'\n[contact.c]\nline = 'C'\ncontact = '{contact}'\nclosing = '{word}'\nopening = '{word}'\npresses = [{}]",
            given.join(", ")
        ), seed);
        let line = &lines[0];
        prop_assert_eq!(line[0].1, closed);
        for (at, hold) in presses {
            for (edge, pressed) in [(at, true), (at + hold, false)] {
                let (from, to) = (edge * 1_000_000, (edge + within + 1) * 1_000_000);
                let changes: Vec<_> = line.iter().skip(1).filter(|change| (from..to).contains(&change.0)).collect();
                let bounces = (changes.len() - 1) / 2;
                prop_assert_eq!(changes.len() % 2, 1);
                prop_assert!((least..=most).contains(&bounces), "{} bounces of {}", bounces, word);
                prop_assert_eq!((changes[0].0, changes.last().unwrap().1), (from, pressed != closed));
            }
        }
        let Truth::Contact { actuations, .. } = &truth.sources["c"] else { panic!("no contact") };
        prop_assert_eq!(actuations.len(), gaps.len());
    }

    #[test]
    fn an_undisturbed_wheel_shows_each_mark_that_passes(marks in 1..9u32, width in 0.1..0.8f64, uneven in 0.0..0.04f64, seed in any::<u64>()) {
        let (lines, truth) = simulated(
            &format!("duration = '8 s'\n{SHAFT}[wheel.w]\nline = 'W'\nshaft = 's'\nmarks = {marks}\nwidth = {width}\nuneven = {uneven}"),
            seed,
        );
        let Truth::Wheel { passed, missed, revolutions: turned, .. } = truth.sources["w"] else { panic!("no wheel") };
        prop_assert_eq!((edges(&lines[0], true).len() as u64, missed), (passed, 0));
        prop_assert!((turned - revolutions(8.0)).abs() < 1e-3, "{} of {}", turned, revolutions(8.0));
        // Forward 3.4 turns, back 2.1 and so on: each mark passes once a turn, one more or less at each turning.
        let way = revolutions(3.8) + (revolutions(3.8) - revolutions(6.0)) + (revolutions(8.0) - revolutions(6.0));
        prop_assert!((passed as f64 - way * f64::from(marks)).abs() <= 4.0, "{} of {}", passed, way * f64::from(marks));
    }

    #[test]
    fn an_encoder_comes_back_with_its_position(
        pulses in 1..40u32,
        phase in -60.0..34.0f64,
        duty in 0.35..0.65f64,
        dither in prop::option::of(1..50u32),
        seed in any::<u64>(),
    ) {
        let dither = dither.map_or(String::new(), |ms| format!("dither_every = '{ms} ms'"));
        let (lines, truth) = simulated(
            &format!("duration = '8 s'\n{SHAFT}[encoder.e]\na = 'A'\nb = 'B'\nshaft = 's'\npulses_per_rev = {pulses}\n\
                phase_error_degrees = {phase}\nduty = {duty}\n{dither}"),
            seed,
        );
        let Truth::Encoder { position, revolutions: turned, .. } = truth.sources["e"] else { panic!("no encoder") };
        prop_assert_eq!(decoded(&lines[0], &lines[1]), (position, 0));
        prop_assert!((position as f64 / f64::from(4 * pulses) - turned).abs() <= 1.0 / f64::from(pulses), "{} and {}", position, turned);
    }

    #[test]
    fn the_same_seed_gives_the_same_and_another_another(seed in any::<u64>()) {
        let source = "duration = '30 s'\n[contact.c]\nline = 'C'\nevery = '1 s'\nhold = '100 ms'\n[floating.f]\nline = 'F'\n\
            [wire.w]\nline = 'C'\nglitches_every = '2 s'";
        prop_assert_eq!(simulated(source, seed), simulated(source, seed));
        prop_assert_ne!(simulated(source, seed).0, simulated(source, seed ^ 1).0);
    }
}

#[test]
fn a_lost_step_loses_one_cycle() {
    let source = format!(
        "duration = '3 s'\n{SHAFT}[encoder.e]\na = 'A'\nb = 'B'\nindex = 'Z'\nshaft = 's'\npulses_per_rev = 16\nlost_at = ['2 s', '2.5 s']"
    );
    let (lines, truth) = simulated(&source, 1);
    let Truth::Encoder { position, .. } = truth.sources["e"] else { panic!("no encoder") };
    assert_eq!(decoded(&lines[0], &lines[1]).0, position - 8);
    assert_eq!(edges(&lines[2], true).len(), 3, "marks of the index at the start and in 2.5 turns");
}

#[test]
fn a_weak_mark_is_missed_at_speed_alone() {
    let source = "duration = '20 s'\n[shaft.s]\nspeed = [{ for = '10 s', to_rpm = 60 }, { for = '10 s', to_rpm = 60 }]\n\
        [wheel.w]\nline = 'W'\nshaft = 's'\nmarks = 4\nweak_mark = 2\nweak_above_rpm = 30";
    let (lines, truth) = simulated(source, 1);
    let Truth::Wheel { passed, missed, ref missed_at_ns, .. } = truth.sources["w"] else { panic!("no wheel") };
    assert_eq!(edges(&lines[0], true).len() as u64, passed - missed);
    assert!(missed_at_ns[0] > Nanos(5_000_000_000), "30 rpm are reached at 5 s, and not before");
    // Five turns at 6 rpm a second, of which the first 1.25 are slower; then ten at full speed.
    assert_eq!((passed, missed), (60, 14));
}

#[test]
fn a_changeover_leaves_one_side_before_it_makes_the_other() {
    let source = "duration = '2 s'\n[changeover.d]\nno = 'NO'\nnc = 'NC'\ntransit = '6 ms'\nclosing = 'none'\nopening = 'none'\n\
        presses = [{ at = '500 ms', for = '1 s' }]";
    let (lines, _) = simulated(source, 1);
    let ms = 1_000_000;
    assert_eq!(lines[0], [(0, false), (506 * ms, true), (1500 * ms, false)]);
    assert_eq!(lines[1], [(0, true), (500 * ms, false), (1506 * ms, true)]);
}

#[test]
fn wires_stick_pick_up_and_have_short_pulses() {
    let source = |wire: &str| {
        format!(
            "duration = '10 s'\n[contact.c]\nline = 'C'\nclosing = 'none'\nopening = 'none'\npresses = [{{ at = '2 s', for = '1 s' }}, \
            {{ at = '5 s', for = '2 s' }}]\n[contact.n]\nline = 'N'\nclosing = 'none'\nopening = 'none'\npresses = [{{ at = '9 s', for = '500 ms' }}]\n\
            [wire.w]\nline = 'C'\n{wire}"
        )
    };
    let second = 1_000_000_000;
    let (stuck, _) = simulated(&source("stuck = [{ from = '2.5 s', to = '6 s' }]"), 1);
    assert_eq!(stuck[0], [(0, false), (2 * second, true), (7 * second, false)]);
    let (picked, truth) = simulated(&source("crosstalk_from = 'N'\nglitch = '1 us'"), 1);
    assert_eq!(edges(&picked[0], true), [2 * second, 5 * second, 9 * second, 9 * second + second / 2]);
    assert_eq!(truth.wires["w"].glitches, 2);
    let (pulsed, truth) = simulated(&source("glitches_every = '50 ms'\nglitch = '10 us'"), 1);
    let glitches = truth.wires["w"].glitches as usize;
    assert!((150..250).contains(&glitches), "{glitches} in ten seconds");
    assert!(edges(&pulsed[0], true).len() > glitches - 5);
}

/// The words that a plain reader of the chain takes: the data line just before each rising clock of a frame.
fn words(lines: &[Vec<(u64, bool)>], bits: usize) -> Vec<(u64, Vec<bool>)> {
    let at = |line: usize, time: u64| lines[line].iter().take_while(|change| change.0 < time).last().unwrap().1;
    let releases = edges(&lines[0], true);
    let clocks = edges(&lines[1], true);
    let frame = |(number, &release): (usize, &u64)| {
        let until = releases.get(number + 1).copied().unwrap_or(u64::MAX);
        let read: Vec<bool> =
            clocks.iter().filter(|clock| (release + 1..until).contains(*clock)).map(|clock| at(2, *clock)).collect();
        assert_eq!(read.len(), bits);
        (release, read)
    };
    releases.iter().enumerate().map(frame).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]
    #[test]
    fn a_chain_gives_back_the_words_of_its_switches(chips in 1..5usize, low in any::<bool>(), seed in any::<u64>()) {
        let names: Vec<String> = (0..8 * chips).map(|point| format!("'p{point}'")).collect();
        let registers: Vec<String> = names.chunks(8).map(|chip| format!("[{}]", chip.join(", "))).collect();
        let asserted = if low { "low" } else { "high" };
        let (lines, truth) = simulated(&format!(
            "duration = '999 ms'\n[chain.c]\nload = 'L'\nclock = 'K'\ndata = 'D'\nregisters = [{}]\nasserted = '{asserted}'\n\
                period = '10 ms'\nclock_period = '16 us'\nevery = '40 ms'\nhold = '15 ms'",
            registers.join(", ")
        ), seed);
        let Truth::Chain { frames, points, words: told, .. } = &truth.sources["c"] else { panic!("no chain") };
        let read = words(&lines, 8 * chips);
        prop_assert_eq!(read.len() as u64, *frames);
        let mut last = String::new();
        let mut changes = Vec::new();
        for (release, bits) in read {
            // D7 of the nearest chip comes first.
            let states: Vec<bool> = bits.chunks(8).flat_map(|chip| chip.iter().rev()).map(|bit| *bit != low).collect();
            for (point, on) in states.iter().enumerate() {
                let is_on = points[&format!("p{point}")].iter().any(|on| on.on.0 <= release && release < on.off.0);
                prop_assert_eq!(*on, is_on, "p{} at {}", point, release);
            }
            let nibbles = states.chunks(4).map(|four| four.iter().rev().fold(0, |sum, on| 2 * sum + u32::from(*on)));
            let word: String = nibbles.collect::<Vec<_>>().iter().rev().map(|digit| format!("{digit:x}")).collect();
            if word != last {
                changes.push((release, word.clone()));
            }
            last = word;
        }
        prop_assert_eq!(told.iter().map(|word| (word.at.0, word.word.clone())).collect::<Vec<_>>(), changes);
    }
}

#[test]
fn an_echo_is_as_wide_as_its_distance_is_long() {
    let (lines, truth) = simulated(
        "duration = '10.04 s'\n[echo.e]\ntrigger = 'T'\necho = 'E'\nevery = '50 ms'\nfrom_m = 0.5\ndistance_m = [{ for = '5 s', to = 2.0 }]\n\
            speed_of_sound = 340.0\nlost = 0.1",
        4,
    );
    let Truth::Echo { pings, lost, ref distances_m, .. } = truth.sources["e"] else { panic!("no echo") };
    assert_eq!((pings, edges(&lines[0], true).len()), (200, 200));
    assert!((5..40).contains(&lost), "{lost} lost of 200");
    let (begins, ends) = (edges(&lines[1], true), edges(&lines[1], false));
    assert_eq!(begins.len() as u64, pings - lost);
    for ((begin, end), ping) in begins.iter().zip(&ends).zip(distances_m) {
        let metres = (end - begin) as f64 / 1e9 * 340.0 / 2.0;
        let really = 0.5 + 1.5 * (ping.at.0 as f64 / 5e9).min(1.0);
        assert!((metres - really).abs() < 1e-6 && (ping.value - really).abs() < 1e-9, "{metres} m, really {really} m");
    }
}

#[test]
fn an_analog_value_has_the_noise_that_was_asked_for_and_breaks() {
    let source = "duration = '100 s'\n[analog.a]\nline = 'V'\nevery = '10 ms'\nfrom = 5.0\nnoise = 0.5\nclip = [0, 6]\n\
        broken = [{ from = '50 s', to = '60 s', reads = -1.0 }]";
    let scenario = parse(source).unwrap();
    let values: Vec<(f64, f64)> = Simulation::new(&scenario, 1, scenario.duration)
        .map(|change| match change.value {
            Value::Number(number) => (change.time.seconds(), number),
            other => panic!("{other:?} is not a number"),
        })
        .collect();
    assert!(values.iter().all(|(time, value)| (50.0..60.0).contains(time) == (*value == -1.0)));
    assert!(values.iter().all(|(_, value)| *value <= 6.0));
    let below: Vec<f64> = values.iter().map(|(_, value)| *value).filter(|value| (0.0..5.0).contains(value)).collect();
    // The lower half of a normal spread: its mean square is the square of the deviation.
    let deviation = (below.iter().map(|value| (5.0 - value) * (5.0 - value)).sum::<f64>() / below.len() as f64).sqrt();
    assert!((0.45..0.55).contains(&deviation), "deviation {deviation}");
}

#[test]
fn a_floating_line_follows_the_mains() {
    let (lines, _) = simulated("duration = '1 s'\n[floating.f]\nline = 'F'\nmains_hz = 50", 3);
    let edges = lines[0].len() - 1;
    assert!((100..700).contains(&edges), "{edges} edges");
    let quiet = lines[0].windows(2).all(|pair| pair[1].0 - pair[0].0 <= 15_000_000);
    assert!(quiet, "it rests for longer than a half wave and a half");
}

#[test]
fn a_scenario_is_refused_at_its_place() {
    let contact = |more: &str| format!("duration = '1 s'\n[contact.c]\nline = 'C'\n{more}");
    let chain = |registers: &str, period: &str, more: &str| {
        format!(
            "duration = '1 s'\n[chain.c]\nload = 'L'\nclock = 'K'\ndata = 'D'\nregisters = [{registers}]\nperiod = '{period}'\nclock_period = '8 us'\n{more}"
        )
    };
    let echo = |more: &str| format!("duration = '1 s'\n[echo.e]\ntrigger = 'T'\necho = 'E'\nfrom_m = 1.0\n{more}");
    let wheel = |more: &str| format!("duration = '1 s'\n[shaft.drum]\nspeed = []\n[wheel.w]\nline = 'W'\n{more}");
    let cases = [
        ("duration = '1 s'".to_owned(), " | the scenario has no source"),
        ("duration = '1 s'\n[contcat.c]".into(), "contcat | unknown table or key `contcat`"),
        (contact("evry = '1 s'"), "evry | unknown key `evry`"),
        (contact(""), "'C' | give either `presses`, or `every` and `hold`"),
        (contact("every = '1 s'\nhold = '-1 s'"), "'-1 s' | `-1 s` is negative"),
        (contact("every = '1 s'\nhold = '2 ms'\nclosing = 'worn'"), "'2 ms' | the bounce lasts longer than the press"),
        (contact("presses = [{ at = '1.1 s', for = '1 s' }]"), "'1.1 s' | this comes after the scenario's end: make `duration` longer"),
        (contact("presses = [{ at = '100 ms', for = '500 ms' }, { at = '500 ms', for = '1 s' }]"), "'500 ms' | this press begins before the one before it has ended and bounced"),
        (contact("every = '1 s'\nhold = '1 s'\n[floating.f]\nline = 'C'"), "'C' | two sources drive the line `C`"),
        (contact("every = '1 s'\nhold = '1 s'\n[wire.w]\nline = 'D'"), "'D' | unknown line `D`"),
        (contact("every = '1 s'\nhold = '1 s'\n[wire.w]\nline = 'C'\ncrosstalk_from = 'C'"), "'C' | a line is no neighbour of its own"),
        (contact("every = '1 s'\nhold = '1 s'\n[wire.w]\nline = 'C'\ncrosstalk_chance = 1.5"), "1.5 | it must lie between 0 and 1"),
        (contact("every = '1 s'\nhold = '1 s'\n[wire.w]\nline = 'C'\nstuck = [{ from = '2 s', to = '1 s' }]"), "'1 s' | it ends before it begins"),
        (chain("['a', 'b']", "10 ms", ""), "['a', 'b'] | a register has eight points; `-` is an unused one"),
        (chain("['a', 'a', '-', '-', '-', '-', '-', '-']", "10 ms", ""), "'a' | this point is listed twice"),
        (chain("['a', '-', '-', '-', '-', '-', '-', '-']", "80 us", ""), "'80 us' | the clocks of one poll take longer than the period"),
        (chain("['a', '-', '-', '-', '-', '-', '-', '-']", "1 ms", "presses = [{ point = 'b', at = '1 s', for = '1 s' }]"), "'b' | unknown point `b`"),
        (echo("every = '2 ms'"), "'2 ms' | the echo comes back after the next trigger"),
        (echo("every = '60 ms'\nlost = 2.0"), "2.0 | it must lie between 0 and 1"),
        ("duration = '1 s'\n[analog.a]\nline = 'A'\nevery = '0 s'\nfrom = 1.0".into(), "'0 s' | it cannot be zero"),
        ("duration = '1 s'\n[analog.a]\nline = 'A'\nevery = '1 s'\nfrom = 1.0\nclip = [2, 1]".into(), "[2, 1] | the lower limit comes first"),
        (
            "duration = '1 s'\n[analog.a]\nline = 'A'\nevery = '1 s'\nfrom = nan".into(),
            "nan | it must lie between -1000000 and 1000000",
        ),
        (wheel("shaft = 'durm'\nmarks = 6"), "'durm' | unknown shaft `durm`"),
        ("duration = '1 s'\n[shaft.s]\nspeed = []\n[encoder.e]\na = 'A'\nb = 'B'\nshaft = 's'\npulses_per_rev = 8\nduty = 0.4\nphase_error_degrees = 60".into(), "'A' | with this duty and phase error the channels no longer overlap"),
        (wheel("shaft = 'drum'\nmarks = 0"), "0 | it must lie between 1 and 10000"),
        (wheel("shaft = 'drum'\nmarks = 6\nweak_mark = 7\nweak_above_rpm = 5"), "7 | it must lie between 1 and 6"),
        (wheel("shaft = 'drum'\nmarks = 6\nweak_mark = 5"), "5 | `weak_mark` goes with `weak_above_rpm`"),
    ];
    for (source, message) in cases {
        let errors = parse(&source).unwrap_err();
        let told: Vec<String> =
            errors.iter().map(|error| format!("{} | {error}", source.get(error.span.clone()).unwrap())).collect();
        assert_eq!(told, [message], "in\n{source}");
    }
}

#[test]
fn a_judgement_says_what_a_difference_consists_of() {
    let source = "duration = '10 s'\n[contact.c]\nline = 'C'\nclosing = 'none'\nopening = 'none'\n\
        presses = [{ at = '2 s', for = '1 s' }, { at = '5 s', for = '2 s' }]";
    let (_, truth) = simulated(source, 1);
    let judged = |rises: &[u64]| {
        let rises: Vec<Nanos> = rises.iter().map(|ms| Nanos(ms * 1_000_000)).collect();
        let Judgement { really, differences, .. } = truth.judge("walk.C", &rises, Origin(0)).unwrap();
        (really.unwrap(), differences)
    };
    assert_eq!(judged(&[2008, 5008]), (2, vec![]));
    assert_eq!(judged(&[2008, 2015, 3004, 5008]).1, ["2 too many, at 2.015 s, 3.004 s: bounce of c"]);
    assert_eq!(judged(&[1000, 2008, 4000, 5008]).1, ["2 too many, at 1 s, 4 s: no actuation of c made it"]);
    assert_eq!(judged(&[2008]).1, ["1 too few, at 5 s: c was actuated and did not count"]);
    assert!(truth.judge("D", &[], Origin(0)).is_none());
}

#[test]
fn a_judgement_of_a_wheel_names_the_marks_that_were_not_seen() {
    let source = "duration = '10 s'\n[shaft.s]\nspeed = [{ for = '1 ns', to_rpm = 60 }]\n[wheel.w]\nline = 'W'\nshaft = 's'\nmarks = 2\n\
        weak_mark = 1\nweak_above_rpm = 10\n[wire.x]\nline = 'W'\nglitches_every = '2 s'\nglitch = '1 us'";
    let (lines, truth) = simulated(source, 1);
    let rises: Vec<Nanos> = edges(&lines[0], true).into_iter().map(Nanos).collect();
    let glitches = truth.wires["x"].glitches;
    let judged = truth.judge("W", &rises, Origin(0)).unwrap();
    assert_eq!(judged.really, Some(20));
    assert!(judged.differences[0].starts_with("10 too few, at 0.18"), "{:?}", judged.differences);
    assert!(judged.differences[1].contains(&format!("{glitches} short pulses were on the wire, at ")), "{judged:?}");
}

/// All samples of the first line of a scenario, its start first, and what really happened.
fn samples(source: &str) -> (Vec<(u64, f64)>, TruthFile) {
    let scenario = parse(source).unwrap();
    let mut simulation = Simulation::new(&scenario, 1, scenario.duration);
    let number = |value: &Value| match value {
        Value::Number(number) => *number,
        other => panic!("{other:?} is not a number"),
    };
    let start = (0, number(&simulation.start()[0]));
    let changes =
        simulation.by_ref().filter(|change| change.line == 0).map(|change| (change.time.0, number(&change.value)));
    let all = std::iter::once(start).chain(changes).collect();
    (all, simulation.truth())
}

#[test]
fn a_register_shows_the_marks_that_have_passed_and_wraps_and_restarts() {
    // Ten revolutions a second, six pulses each, from standstill at full speed after a second.
    let scenario = |more: &str| {
        format!(
            "duration = '10 s'\n[shaft.s]\nspeed = [{{ for = '1 s', to_rpm = 600 }}, {{ for = '9 s', to_rpm = 600 }}]\n\
             [register.m]\nline = 'M'\nshaft = 's'\npulses_per_rev = 6\nevery = '500 ms'\n{more}"
        )
    };
    let (plain, truth) = samples(&scenario("bits = 32"));
    assert_eq!(plain.len(), 21, "a sample each half second");
    assert!(plain.windows(2).all(|pair| pair[0].1 <= pair[1].1), "it counts up");
    let counts = plain.last().unwrap().1;
    assert!((565.0..=570.0).contains(&counts), "30 in the first second and 60 in each of nine: {counts}");
    let Truth::Register { counts: told, restarts: 0, .. } = &truth.sources["m"] else { panic!("{truth:?}") };
    assert_eq!(*told as f64, counts);
    let (wrapped, _) = samples(&scenario("bits = 8\nstart = 250"));
    for ((_, plain), (_, wrapped)) in plain.iter().zip(&wrapped) {
        assert_eq!((plain + 250.0) % 256.0, *wrapped);
    }
    let (restarted, truth) = samples(&scenario("bits = 32\nrestarts_at = ['3.2 s', '7 s']"));
    let Truth::Register { counts: told, restarts: 2, .. } = &truth.sources["m"] else { panic!("{truth:?}") };
    assert_eq!(*told as f64, counts, "what really was counted is the same");
    let falls: Vec<u64> = restarted.windows(2).filter(|pair| pair[1].1 < pair[0].1).map(|pair| pair[1].0).collect();
    assert_eq!(falls, [3_500_000_000, 7_000_000_000], "seen at the next sample");
}

#[test]
fn a_port_shows_its_switches_at_the_next_sample_and_a_set_value_steps() {
    let (port, truth) = samples(
        "duration = '1 s'\n[port.p]\nline = 'P'\nevery = '100 ms'\npoints = ['ready', '-', 'fault']\n\
         presses = [{ point = 'ready', at = '150 ms', for = '500 ms' }, { point = 'fault', at = '310 ms', for = '40 ms' }, \
         { point = 'fault', at = '390 ms', for = '20 ms' }]",
    );
    let at = |time: u64, value: u64| (time * 1_000_000, value as f64);
    // The first fault comes and goes between two samples, the second is seen at 400 ms.
    assert_eq!(port, [at(0, 0), at(200, 1), at(400, 5), at(500, 1), at(700, 0)]);
    let judge = |line: &str, rises: &[u64]| {
        let rises: Vec<Nanos> = rises.iter().map(|at| Nanos(at * 1_000_000)).collect();
        truth.judge(line, &rises, Origin(0)).map(|told| (told.counted, told.really, told.differences.len()))
    };
    assert_eq!(judge("P.0", &[200]), Some((Some(1), Some(1), 0)));
    assert_eq!(judge("P.2", &[400]), Some((Some(1), Some(2), 1)), "one was missed");
    assert_eq!(judge("P.7", &[]), None);
    let (set, truth) = samples(
        "duration = '1 s'\n[set_value.v]\nline = 'V'\nfrom = 2.5\nsteps = [{ at = '100 ms', to = 4 }, { at = '600 ms', to = -1 }]",
    );
    assert_eq!(set, [(0, 2.5), (100_000_000, 4.0), (600_000_000, -1.0)]);
    let Truth::Analog { values, .. } = &truth.sources["v"] else { panic!("{truth:?}") };
    assert_eq!(values.iter().map(|at| at.value).collect::<Vec<_>>(), [2.5, 2.5, 4.0, 4.0, -1.0]);
}

#[test]
fn a_register_is_judged_by_its_counts() {
    let (_, truth) = samples(
        "duration = '2 s'\n[shaft.s]\nspeed = [{ for = '2 s', to_rpm = 600 }]\n\
         [register.m]\nline = 'M'\nshaft = 's'\npulses_per_rev = 6\nevery = '100 ms'",
    );
    let Truth::Register { counts, .. } = truth.sources["m"] else { panic!("{truth:?}") };
    let really = counts as i64;
    for (counted, differences) in [(really, 0), (really - 1, 1), (really + 256, 1)] {
        let told = truth.judge_register("scenario.M", counted).unwrap();
        assert_eq!((told.counted, told.really, told.differences.len()), (Some(counted), Some(really), differences));
    }
    assert!(truth.judge_register("N", 0).is_none());
}

#[test]
fn numbers_of_a_scenario_are_refused_at_their_places() {
    let shaft = "duration = '1 s'\n[shaft.s]\nspeed = []\n";
    let register = |more: &str| format!("{shaft}[register.m]\nline = 'M'\nshaft = 's'\npulses_per_rev = 6\n{more}");
    let port = |more: &str| format!("duration = '1 s'\n[port.p]\nline = 'P'\nevery = '1 ms'\n{more}");
    let set = |more: &str| format!("duration = '1 s'\n[set_value.v]\nline = 'V'\nfrom = 0\n{more}");
    for (source, message) in [
        (register("every = '0 s'"), "it cannot be zero"),
        (register("every = '1 ms'\nbits = 33"), "between 1 and 32"),
        (register("every = '1 ms'\nrestarts_at = ['2 s']"), "after the scenario's end"),
        (register("every = '1 ms'\nrestarts_at = ['500 ms', '400 ms']"), "in the order of time"),
        (register("every = '1 ms'").replace("'s'\npulses", "'t'\npulses"), "unknown shaft `t`"),
        (port("points = []"), "from 1 to 32 points"),
        (port("points = ['a', 'a']"), "listed twice"),
        (port("points = ['a']\npresses = [{ point = 'b', at = '1 ms', for = '1 ms' }]"), "unknown point `b`"),
        (
            port(
                "points = ['a']\npresses = [{ point = 'a', at = '1 ms', for = '9 ms' }, { point = 'a', at = '5 ms', for = '1 ms' }]",
            ),
            "before the one before it has ended",
        ),
        (set("steps = [{ at = '2 s', to = 1 }]"), "after the scenario's end"),
        (set("steps = [{ at = '500 ms', to = 1 }, { at = '500 ms', to = 2 }]"), "in the order of time"),
        (set("steps = [{ at = '500 ms', to = 1e13 }]"), "must lie between"),
    ] {
        let errors = parse(&source).unwrap_err();
        assert!(errors.iter().any(|error| error.to_string().contains(message)), "{message}: {errors:?}\n{source}");
        assert!(errors.iter().all(|error| source.get(error.span.clone()).is_some()));
    }
}
