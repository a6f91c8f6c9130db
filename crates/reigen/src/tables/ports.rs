//! Tables of words and expanders, and their bits as lamps.

use crate::table_view::Table;
use reigen_core::expand::expander::ExpanderSummary;
use reigen_core::expand::word::WordSummary;

/// The tables in the making.
pub(super) struct Ports {
    words: Table,
    expanders: Table,
}

impl Ports {
    pub(super) fn new() -> Self {
        let words = Table::new(&["word", "now", "changes", "invalid", "lamps"]);
        let heads = ["chain", "frames", "bad", "clocks", "set-up", "hold", "every", "bits that changed"];
        Self { words, expanders: Table::new(&heads) }
    }

    pub(super) fn word(&mut self, name: &str, word: &WordSummary) {
        self.words.add_row([
            name.to_owned(),
            word.value.map_or_else(|| "unknown".to_owned(), |value| in_all_bases(value, word.bits.len())),
            word.changes.to_string(),
            if word.invalid.0 == 0 { String::new() } else { word.invalid.to_string() },
            lamps(word.names.iter().map(String::as_str).zip(word.bits.iter().copied())),
        ]);
    }

    pub(super) fn expander(&mut self, name: &str, expander: &ExpanderSummary) {
        let time = |time: Option<reigen_core::time::Nanos>| super::cells::time(time);
        let changed: Vec<String> = expander.changed.iter().map(u32::to_string).collect();
        self.expanders.add_row([
            name.to_owned(),
            expander.frames.to_string(),
            expander.bad_frames.to_string(),
            expander.bits.to_string(),
            time(expander.set_up),
            time(expander.hold),
            time(expander.period),
            changed.join(" + "),
        ]);
    }

    pub(super) fn done(mut self) -> [Table; 2] {
        self.words.left(4);
        [self.words, self.expanders]
    }
}

/// A number in decimal, hexadecimal and binary, with as many binary digits as it has bits.
pub(crate) fn in_all_bases(value: i64, bits: usize) -> String {
    let digits = format!("{value:0bits$b}");
    // Groups of four from the right.
    let grouped: Vec<String> =
        digits.as_bytes().rchunks(4).rev().map(|group| String::from_utf8_lossy(group).into_owned()).collect();
    format!("{value} = 0x{value:X} = {}", grouped.join(" "))
}

/// Bits under their names, the highest first: `●` is on.
fn lamps<'a>(bits: impl DoubleEndedIterator<Item = (&'a str, bool)>) -> String {
    let lamp = |(name, on): (&str, bool)| format!("{} {name}", if on { '●' } else { '○' });
    bits.rev().map(lamp).collect::<Vec<_>>().join("  ")
}
