//! The built program, driven on files in temporary folders. One file a feature.

#![allow(clippy::cast_possible_truncation, clippy::cast_possible_wrap, clippy::cast_sign_loss)]
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod advice;
#[cfg(feature = "parquet")]
mod archive;
#[cfg(target_os = "linux")]
mod bounded;
mod broker;
mod check;
mod code;
mod compare;
mod convert;
mod demo;
mod draw;
mod encoder;
mod examples;
mod expand;
#[cfg(feature = "nats")]
mod fleet;
mod guide;
mod history;
mod home;
mod language;
mod live;
mod live_ends;
mod logic;
mod measure;
mod numbers;
mod options;
#[cfg(unix)]
mod outputs;
mod outside_words;
mod over_time;
mod peers;
mod readings;
mod reference;
mod refused;
mod report;
mod robust;
mod run;
mod serve;
mod signoff;
mod simulate;
mod size;
mod support;
mod why;

#[test]
fn every_file_is_listed() {
    let source = include_str!("main.rs");
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/cli");
    for entry in std::fs::read_dir(folder).unwrap() {
        let name = entry.unwrap().file_name().into_string().unwrap();
        let Some(name) = name.strip_suffix(".rs").filter(|name| *name != "main") else { continue };
        assert!(source.contains(&format!("mod {name};")), "{name}.rs is not listed");
    }
}
