//! Damages the files of a target again and again: `fuzz TARGET|all EXECUTIONS [SEED]`, on all cores. Bytes that make it panic
//! are kept as `corpus/TARGET/found-…`.

#![allow(clippy::expect_used, clippy::print_stdout)]

use reigen_fuzz::targets::TARGETS;
use reigen_fuzz::{Target, corpus, damaged};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Instant;

fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let number = |place: usize, usual: u64| arguments.get(place).map_or(usual, |text| text.parse().expect("a number"));
    let (executions, seed) = (number(1, 100_000), number(2, 1));
    let name = arguments.first().map_or("all", String::as_str);
    let chosen: Vec<&Target> = TARGETS.iter().filter(|target| name == "all" || name == target.name).collect();
    if chosen.is_empty() {
        let names: Vec<&str> = TARGETS.iter().map(|target| target.name).collect();
        println!("there is no target `{name}`: {}", names.join(", "));
        std::process::exit(2);
    }
    let sound: Vec<bool> = chosen.into_iter().map(|target| try_out(target, executions, seed)).collect();
    std::process::exit(i32::from(sound.contains(&false)));
}

/// Tries a target so often; false where it panicked.
fn try_out(target: &Target, executions: u64, seed: u64) -> bool {
    let seeds = corpus(target);
    let threads = std::thread::available_parallelism().map_or(1, |threads| threads.get() as u64);
    let (is_sound, began) = (AtomicBool::new(true), Instant::now());
    std::thread::scope(|scope| {
        for thread in 0..threads {
            let (seeds, is_sound) = (&seeds, &is_sound);
            // Each works alone: pieces of so few bytes are not worth another core.
            let alone = rayon::ThreadPoolBuilder::new().num_threads(1).build().expect("a pool");
            let work = move || {
                let mut random = fastrand::Rng::with_seed(seed * threads + thread);
                for _ in 0..executions.div_ceil(threads) {
                    let bytes = damaged(seeds, &mut random);
                    if catch_unwind(AssertUnwindSafe(|| (target.read)(&bytes))).is_err() {
                        is_sound.store(false, Ordering::Relaxed);
                        keep(target, &bytes);
                        return;
                    }
                }
            };
            // To be handed over to the pool takes longer than most targets do: all of them are, at once.
            scope.spawn(move || alone.install(work));
        }
    });
    let (sound, took) = (is_sound.into_inner(), began.elapsed().as_secs_f64());
    let told = if sound { "no panic" } else { "a panic: see its corpus" };
    println!("{}: {executions} executions in {took:.0} s: {told}", target.name);
    sound
}

/// Keeps bytes that made a target panic.
fn keep(target: &Target, bytes: &[u8]) {
    let sum = bytes
        .iter()
        .fold(0xcbf2_9ce4_8422_2325_u64, |sum, byte| (sum ^ u64::from(*byte)).wrapping_mul(0x0100_0000_01b3));
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("corpus").join(target.name);
    std::fs::write(folder.join(format!("found-{sum:016x}")), bytes).expect("room for what was found");
}
