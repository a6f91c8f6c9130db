//! C code does the same as the engine, at each scan: random stations over random recordings.

#![allow(
    clippy::cast_possible_truncation,
    clippy::cast_possible_wrap,
    clippy::cast_sign_loss,
    clippy::panic,
    clippy::unwrap_used
)]

mod support;

use proptest::prelude::*;
use reigen_code::c::{self, lines_told};
use reigen_core::time::Nanos;
use std::io::Write;
use std::path::Path;
use std::process::{Command, Stdio};
use support::stations::stations;
use support::{Made, Recording, cases, made, recordings};

/// The compiler of controllers' makers, with all that it can say, and with a check of all that C leaves undefined.
const STRICT: &[&str] = &[
    "cc",
    "-std=c99",
    "-Wall",
    "-Wextra",
    "-Wpedantic",
    "-Wconversion",
    "-Werror",
    "-O0",
    "-fsanitize=undefined",
    "-fno-sanitize-recover=all",
];

/// A compiler that is done at once, where there is one.
fn quick() -> &'static [&'static str] {
    let is_there = Command::new("tcc").arg("-v").output().is_ok_and(|done| done.status.success());
    if is_there { &["tcc"] } else { &["cc", "-std=c99", "-O0"] }
}

/// Writes and compiles the code in a folder; gives the program.
fn compiled(made: &Made, folder: &Path, compiler: &[&str]) -> std::path::PathBuf {
    let files = [
        ("station.h", c::header(&made.code)),
        ("station.c", c::source(&made.code)),
        ("example.c", c::example(&made.code)),
    ];
    for (name, text) in files {
        std::fs::write(folder.join(name), text).unwrap();
    }
    let program = folder.join("example");
    let output = Command::new(compiler[0])
        .args(&compiler[1..])
        .args(["-o", "example", "example.c", "station.c", "-lm"])
        .current_dir(folder)
        .output()
        .unwrap();
    assert!(output.status.success(), "{}\n{}", c::source(&made.code), String::from_utf8_lossy(&output.stderr));
    program
}

/// What the code prints for some rows.
fn printed(program: &Path, rows: String) -> String {
    let mut child = Command::new(program).stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
    let mut stdin = child.stdin.take().unwrap();
    let writer = std::thread::spawn(move || stdin.write_all(rows.as_bytes()));
    let output = child.wait_with_output().unwrap();
    let _ = writer.join().unwrap();
    String::from_utf8(output.stdout).unwrap()
}

fn check(text: &str, recording: &Recording, offset_us: u64, compiler: &[&str]) {
    let made = made(text, true);
    let rows = made.rows(recording);
    let folder = tempfile::tempdir().unwrap();
    let program = compiled(&made, folder.path(), compiler);
    let told = lines_told(&made.code);
    let first = rows.first().map_or(Nanos(0), |row| row.at);
    let mut inputs = String::new();
    rows.iter().for_each(|row| row.write(first, offset_us, &told, &mut inputs));
    let answers = printed(&program, format!("names\n{inputs}"));
    let mut lines = answers.lines().skip(1);
    let mut earlier = String::new();
    for row in &rows {
        let line = lines.next().unwrap_or_default();
        let field =
            |point: &Option<reigen_code::prove::Sample>| point.as_ref().map(|value| value.text()).unwrap_or_default();
        let held: Vec<String> = row.points.iter().map(field).collect();
        earlier += &format!("{} engine {}\n{} code   {line}\n", row.at, held.join(","), row.at);
        if let Some((point, told)) = row.difference(line) {
            let part = &made.code.parts[point];
            panic!(
                "{text}\n{}\n{}\n{} is {:?} for the engine and {told} for the code at {}, scan {}",
                c::source(&made.code),
                last_lines(&earlier),
                part.of,
                row.points[point],
                row.at,
                row.at.0 / made.code.period.0
            );
        }
    }
}

fn last_lines(text: &str) -> String {
    let lines: Vec<&str> = text.lines().collect();
    lines[lines.len().saturating_sub(8)..].join("\n")
}

/// Where the time of the controller starts: so that it wraps in the middle, or not.
fn offset_us() -> impl Strategy<Value = u64> {
    prop_oneof![Just(0), Just((1 << 32) - 70_000)]
}

fn config(cases: u32) -> ProptestConfig {
    ProptestConfig { cases, max_shrink_iters: 100, failure_persistence: None, ..ProptestConfig::default() }
}

proptest! {
    #![proptest_config(config(cases()))]

    #[test]
    fn random_stations_do_the_same(text in stations(true), recording in recordings(), offset_us in offset_us()) {
        check(&text, &recording, offset_us, quick());
    }
}

proptest! {
    #![proptest_config(config(cases().div_ceil(20)))]

    #[test]
    fn no_compiler_has_anything_to_say(text in stations(true), recording in recordings(), offset_us in offset_us()) {
        check(&text, &recording, offset_us, STRICT);
    }
}
