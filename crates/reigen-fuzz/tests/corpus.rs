//! All that was ever found to be worth keeping is read without a panic, and so is what becomes of it with a little damage.

#![allow(clippy::print_stdout)]

use reigen_fuzz::targets::TARGETS;
use reigen_fuzz::{corpus, damaged};

#[test]
fn every_file_of_every_target_is_read_or_refused() {
    for target in TARGETS {
        let files = corpus(target);
        assert!(!files.is_empty(), "{} has no seeds", target.name);
        for (path, bytes) in &files {
            // A panic of the next line is told with this name before it.
            println!("{}", path.display());
            (target.read)(bytes);
        }
        let mut random = fastrand::Rng::with_seed(7);
        for _ in 0..300 {
            (target.read)(&damaged(&files, &mut random));
        }
    }
}
