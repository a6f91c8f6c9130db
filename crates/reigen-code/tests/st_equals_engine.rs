//! Structured text does the same as the engine, at each scan: random stations over random recordings.

#![allow(
    clippy::cast_possible_truncation,
    clippy::cast_possible_wrap,
    clippy::cast_sign_loss,
    clippy::panic,
    clippy::unwrap_used
)]

mod support;

use proptest::prelude::*;
use reigen_code::c::columns_read;
use reigen_code::model::Kind;
use reigen_code::prove::Sample;
use reigen_code::st;
use support::interpreter::{Machine, Value};
use support::stations::stations;
use support::{Recording, cases, made, recordings};

fn value(sample: Sample) -> Value {
    match sample {
        Sample::Bit(bit) => Value::Bool(bit),
        Sample::Whole(whole) => Value::Int(whole),
        Sample::Real(real) => Value::Real(real),
        Sample::Levels(levels) => Value::Row(levels.chars().map(|level| Value::Bool(level == '1')).collect()),
    }
}

fn check(text: &str, recording: &Recording) {
    let made = made(text, false);
    let source = st::source(&made.code);
    let mut machine = Machine::new(&source, made.code.period.0);
    let columns: Vec<&str> = columns_read(&made.code);
    let lines: Vec<String> = columns
        .iter()
        .map(|column| made.code.lines.iter().find(|line| line.of == **column).unwrap().name.clone())
        .collect();
    for row in made.rows(recording) {
        for (name, sample) in lines.iter().zip(&row.lines) {
            let new = format!("{name}_new");
            if machine.has(&new) {
                machine.assign(&new, Value::Bool(sample.is_some()));
            }
            let is_whole = made.code.lines.iter().any(|line| line.name == *name && line.kind == Kind::Whole);
            match sample {
                Some(Sample::Real(counts)) if is_whole => machine.assign(name, Value::Int(*counts as i64)),
                Some(sample) => machine.assign(name, value(sample.clone())),
                None => {}
            }
        }
        machine.scan();
        for (part, held) in made.code.parts.iter().zip(&row.points) {
            let known = part.shown.known_name.as_ref().is_none_or(|known| *machine.get(known) == Value::Bool(true));
            let told = known.then(|| machine.get(&part.name).clone());
            let same = match (held, &told) {
                (None, None) => true,
                (Some(held), Some(Value::Bool(bit))) => held.is(if *bit { "1" } else { "0" }),
                (Some(held), Some(Value::Int(whole))) => held.is(&whole.to_string()),
                (Some(held), Some(Value::Real(real))) => held.is(&format!("{real:?}")),
                _ => false,
            };
            assert!(
                same,
                "{text}\n{source}\n{} is {held:?} for the engine and {told:?} for the code at {}, scan {}",
                part.of,
                row.at,
                row.at.0 / made.code.period.0
            );
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(), max_shrink_iters: 300, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn random_stations_do_the_same(text in stations(false), recording in recordings()) {
        check(&text, &recording);
    }
}

#[test]
fn what_is_left_out_is_little() {
    use proptest::strategy::ValueTree;
    use proptest::test_runner::TestRunner;
    use std::collections::BTreeMap;
    let mut runner = TestRunner::deterministic();
    let (mut written, mut left): (usize, BTreeMap<String, usize>) = (0, BTreeMap::new());
    for _ in 0..300 {
        let made = made(&stations(true).new_tree(&mut runner).unwrap().current(), true);
        written += made.code.parts.len();
        // What reads something that is left out is so for that reason.
        for out in made.code.left_out.iter().filter(|out| out.since.is_none()) {
            *left.entry(out.why.clone()).or_default() += 1;
        }
    }
    let all: usize = left.values().sum();
    assert!(all * 20 < written, "{written} are written, and left out are {left:#?}");
}
