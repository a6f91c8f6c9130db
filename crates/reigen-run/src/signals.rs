//! The signals of a recording, each once, with the shortest of its names.

use indexmap::IndexMap;
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_station::station::line_names::LineNames;
use std::collections::HashMap;

/// The signals of one kind, each once.
pub struct Signals {
    /// The number of each in the recording.
    pub numbers: Vec<usize>,
    /// The shortest name of each, of which the last part stands where no other signal has it.
    pub names: Vec<String>,
    /// All other names of each.
    pub aliases: Vec<Vec<String>>,
    /// Whether a station that names it so means it: not where another line has the same name, or it has none.
    pub nameable: Vec<bool>,
}

impl Signals {
    /// Those of some numbers in the recording.
    pub fn among(self, wanted: &[usize]) -> Self {
        let kept: Vec<bool> = self.numbers.iter().map(|number| wanted.contains(number)).collect();
        fn of<T>(all: Vec<T>, kept: &[bool]) -> Vec<T> {
            all.into_iter().zip(kept).filter_map(|(one, kept)| kept.then_some(one)).collect()
        }
        Self {
            numbers: of(self.numbers, &kept),
            names: of(self.names, &kept),
            aliases: of(self.aliases, &kept),
            nameable: of(self.nameable, &kept),
        }
    }
}

/// The signals of one kind, each once, with the shortest of its names.
pub fn signals(lines: &[RecordedLine], wanted: impl Fn(&LineKind) -> bool) -> Signals {
    signals_among(lines, &LineNames::new(lines), wanted)
}

/// The same, with the names of all lines at hand.
pub fn signals_among(lines: &[RecordedLine], known: &LineNames<'_>, wanted: impl Fn(&LineKind) -> bool) -> Signals {
    let mut found: IndexMap<usize, Vec<String>> = IndexMap::new();
    for line in lines.iter().filter(|line| wanted(&line.kind)) {
        found.entry(line.signal).or_default().push(line.name.clone());
    }
    let shortest = |names: &[String]| names.iter().min_by_key(|name| name.len()).cloned().unwrap_or_default();
    // The last part of a name will do where no other line has it.
    let whole: Vec<String> = found.values().map(|names| shortest(names)).collect();
    let mut leaves: HashMap<&str, usize> = HashMap::new();
    whole.iter().for_each(|name| *leaves.entry(leaf(name)).or_default() += 1);
    let means = |name: &str, signal: usize| {
        !name.trim().is_empty() && [known.level(name), known.number(name)].contains(&Ok(signal))
    };
    let name = |(whole, &signal): (&String, &usize)| {
        let leaf = leaf(whole);
        if leaves.get(leaf) == Some(&1) && means(leaf, signal) { leaf.to_owned() } else { whole.clone() }
    };
    let names: Vec<String> = whole.iter().zip(found.keys()).map(name).collect();
    let others = |(names, main): (&Vec<String>, &String)| names.iter().filter(|name| *name != main).cloned().collect();
    Signals {
        numbers: found.keys().copied().collect(),
        nameable: names.iter().zip(found.keys()).map(|(name, &signal)| means(name, signal)).collect(),
        names,
        aliases: found.values().zip(&whole).map(others).collect(),
    }
}

fn leaf(name: &str) -> &str {
    name.rsplit('.').next().unwrap_or(name)
}
