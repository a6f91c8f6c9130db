//! Damaged bytes for everything that reads what others wrote: each target takes bytes, and may refuse them, but never panics.
//!
//! The seeds of a target, and whatever was found to be worth keeping, are the files of `corpus/TARGET`; a test tries them all,
//! and `cargo run --release --example fuzz -- TARGET EXECUTIONS` damages them again and again.

#![allow(clippy::expect_used)]

pub mod targets;

use fastrand::Rng;
use std::path::{Path, PathBuf};

/// Something that reads what others wrote.
#[derive(Clone, Copy)]
pub struct Target {
    /// Its name, and that of its folder.
    pub name: &'static str,
    /// Reads bytes; panics where it is wrong.
    pub read: fn(&[u8]),
}

/// The files of a target, the first of them its seeds.
pub fn corpus(target: &Target) -> Vec<(PathBuf, Vec<u8>)> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("corpus").join(target.name);
    let entries = std::fs::read_dir(folder).expect("a folder of its own");
    let mut paths: Vec<PathBuf> = entries.map(|entry| entry.expect("an entry").path()).collect();
    paths.sort();
    let read = |path: PathBuf| {
        let bytes = std::fs::read(&path).expect("a file");
        (path, bytes)
    };
    paths.into_iter().map(read).collect()
}

/// One of the seeds with some bytes taken away, put in, turned, said again, or taken from another.
pub fn damaged(seeds: &[(PathBuf, Vec<u8>)], random: &mut Rng) -> Vec<u8> {
    const LIKELY: &[&[u8]] = &[
        b"\n",
        b"\r\n",
        b"#",
        b"$",
        b"$end",
        b"\"",
        b"'",
        b",",
        b";",
        b".",
        b"-",
        b"e9",
        b"0",
        b"1",
        b"x",
        b"z",
        b"b",
        b"r",
        b" ",
        b"\0",
        b"\xff",
        b"[",
        b"]",
        b"{",
        b"}",
        b"(",
        b")",
        b"=",
        b"18446744073709551615",
        b"-9223372036854775808",
        b"1e308",
        b"null",
        b"NaN",
        b"T#",
        b" AND ",
        b" ms",
    ];
    let seed = |random: &mut Rng| seeds.get(random.usize(0..seeds.len().max(1))).map_or(&[][..], |(_, bytes)| bytes);
    let mut bytes = seed(random).to_vec();
    for _ in 0..random.usize(0..6) {
        let start = random.usize(0..=bytes.len());
        let end = (start + random.usize(0..12)).min(bytes.len());
        let put: Vec<u8> = match random.u8(0..7) {
            0 => vec![random.u8(..)],
            1 => bytes.get(start..end).unwrap_or_default().repeat(2),
            2 => Vec::new(),
            3 => bytes.get(start..end).unwrap_or_default().iter().map(|byte| byte ^ 1 << random.u8(0..8)).collect(),
            4 => {
                let other = seed(random);
                let from = random.usize(0..=other.len());
                other.get(from..(from + 40).min(other.len())).unwrap_or_default().to_vec()
            }
            5 => random.u64(..).to_string().into_bytes(),
            _ => LIKELY.get(random.usize(0..LIKELY.len())).copied().unwrap_or_default().to_vec(),
        };
        bytes.splice(start..end, put);
    }
    if random.u8(0..16) == 0 {
        bytes.truncate(random.usize(0..=bytes.len()));
    }
    bytes
}
