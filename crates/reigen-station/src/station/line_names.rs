//! Which signal of a recording a name means.

use super::StationErrorKind;
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::names::{nearest, without_unit};
use reigen_core::number::bit::HIGHEST;
use std::collections::HashMap;
use std::collections::hash_map::Entry;

/// The lines of a recording by all that they may be called: their whole names, and what stands behind each dot of them.
#[derive(Debug)]
pub struct LineNames<'a> {
    recorded: &'a [RecordedLine],
    whole: HashMap<&'a str, Fits>,
    endings: HashMap<&'a str, Fits>,
}

/// What a name of two levels means.
#[derive(Debug)]
pub enum LevelOrBit {
    /// A line, by its signal.
    Level(usize),
    /// A bit of a number line.
    BitOfNumber {
        /// The name of that line.
        number: String,
        /// Its signal.
        signal: usize,
        /// Which bit, from 0.
        bit: u32,
    },
}

/// The numbers of the lines that one name fits: mostly one.
#[derive(Debug)]
struct Fits {
    first: usize,
    others: Vec<usize>,
}

impl Fits {
    /// Adds a line to those of a name.
    fn add<'a>(names: &mut HashMap<&'a str, Fits>, name: &'a str, number: usize) {
        match names.entry(name) {
            Entry::Vacant(first) => drop(first.insert(Fits { first: number, others: Vec::new() })),
            Entry::Occupied(mut known) => known.get_mut().others.push(number),
        }
    }
}

/// What a name means.
struct Meant<'a> {
    line: &'a RecordedLine,
    /// The signal of one bit of the line, where that is what is named.
    bit: Option<usize>,
}

impl<'a> LineNames<'a> {
    /// The names of these lines.
    pub fn new(recorded: &'a [RecordedLine]) -> Self {
        let (mut whole, mut endings) = (HashMap::new(), HashMap::new());
        for (number, line) in recorded.iter().enumerate() {
            Fits::add(&mut whole, &line.name, number);
            for (dot, _) in line.name.match_indices('.') {
                Fits::add(&mut endings, line.name.get(dot + 1..).unwrap_or_default(), number);
            }
        }
        Self { recorded, whole, endings }
    }

    /// The signal of a line of two levels, by its name: a whole name, or the end of one after a dot.
    ///
    /// # Errors
    /// Where there is none, or several, or it has no two levels.
    pub fn level(&self, name: &str) -> Result<usize, StationErrorKind> {
        let Meant { line, bit } = self.find(name)?;
        if let Some(signal) = bit {
            return Ok(signal);
        }
        let (what, remedy) = match &line.kind {
            LineKind::Level => return Ok(line.signal),
            LineKind::Vector { width, .. } => {
                (format!("a vector of {width} bits"), format!("name one of its bits, such as `{name}.0`"))
            }
            LineKind::Number { why } => {
                let remedy = format!(
                    "name one of its bits, such as `{name}.0`, or give --high-above and --low-below to make two levels of it"
                );
                (why.clone(), remedy)
            }
            LineKind::Words { why } => {
                (why.clone(), "where it has two words, --high WORD says which one is high".to_owned())
            }
            LineKind::Real => ("a real number".to_owned(), "wire the input to a line of one bit".to_owned()),
        };
        Err(StationErrorKind::NotTwoLevels { name: name.to_owned(), what, remedy })
    }

    /// What a name of two levels means: a line, or with a dot and a number behind it a bit of a number line.
    ///
    /// # Errors
    /// As for [`level`](Self::level), and where the number has no such bit.
    pub fn level_or_bit(&self, name: &str) -> Result<LevelOrBit, StationErrorKind> {
        let level = self.level(name);
        let parted = name.rsplit_once('.').and_then(|(number, bit)| Some((number, bit.parse::<u32>().ok()?)));
        let (Err(kind), Some((number, bit))) = (&level, parted) else { return level.map(LevelOrBit::Level) };
        let Ok(Meant { line, bit: None }) = self.find(number) else { return Err(kind.clone()) };
        let most = match line.kind {
            LineKind::Vector { width, .. } => u32::try_from(width).unwrap_or(u32::MAX).saturating_sub(1),
            _ => HIGHEST,
        };
        if bit > most {
            return Err(StationErrorKind::NoSuchBit { number: number.to_owned(), bit, most });
        }
        // A vector's bits are lines of their own.
        if let Ok(signal) = self.level(&format!("{number}[{bit}]")) {
            return Ok(LevelOrBit::Level(signal));
        }
        let signal = self.number(number)?;
        Ok(LevelOrBit::BitOfNumber { number: number.to_owned(), signal, bit })
    }

    /// The number line of a name, as [`level`](Self::level) finds those of two levels.
    ///
    /// # Errors
    /// Where there is none, or several, or it has no numbers.
    pub fn number(&self, name: &str) -> Result<usize, StationErrorKind> {
        let Meant { line, bit } = self.find(name)?;
        match &line.kind {
            LineKind::Number { .. } | LineKind::Real | LineKind::Vector { .. } if bit.is_none() => Ok(line.signal),
            _ => Err(StationErrorKind::NotANumber { name: name.to_owned() }),
        }
    }

    /// The line that a name means; with a unit behind it, as it stands in a file's header, it may be the name without.
    fn find(&self, name: &str) -> Result<Meant<'a>, StationErrorKind> {
        let short = without_unit(name);
        let name = if !self.whole.contains_key(name) && self.whole.contains_key(short) { short } else { name };
        if let Some(line) = self.line(name)? {
            return Ok(Meant { line, bit: None });
        }
        if let Some(meant) = self.bit_of_vector(name)? {
            return Ok(meant);
        }
        Err(StationErrorKind::UnknownLine { name: name.to_owned(), near: None, some: Vec::new() })
    }

    /// Says which line may be meant where there is none of a name, for which all names are looked at.
    pub fn explained(&self, kind: StationErrorKind) -> StationErrorKind {
        let StationErrorKind::UnknownLine { name, .. } = kind else { return kind };
        let leaf = |line: &'a RecordedLine| line.name.rsplit_once('.').map(|(_, leaf)| leaf);
        let known = self.recorded.iter().flat_map(|line| leaf(line).into_iter().chain([line.name.as_str()]));
        StationErrorKind::UnknownLine {
            near: nearest(&name, known).map(str::to_owned),
            some: self.recorded.iter().map(|line| line.name.clone()).collect(),
            name,
        }
    }

    fn line(&self, name: &str) -> Result<Option<&'a RecordedLine>, StationErrorKind> {
        let Some(fits) = self.whole.get(name).or_else(|| self.endings.get(name)) else { return Ok(None) };
        let Some(first) = self.recorded.get(fits.first) else { return Ok(None) };
        let fits = fits.others.iter().filter_map(|&number| self.recorded.get(number));
        let mut names = vec![first.name.clone()];
        let mut differs = false;
        for other in fits {
            differs |= other.signal != first.signal;
            names.push(other.name.clone());
        }
        names.dedup();
        if differs {
            Err(StationErrorKind::AmbiguousLine { name: name.to_owned(), fits: names })
        } else {
            Ok(Some(first))
        }
    }

    /// The bit of a vector whose bits have no names of their own: `bus[70000]`.
    fn bit_of_vector(&self, name: &str) -> Result<Option<Meant<'a>>, StationErrorKind> {
        let parted = name.strip_suffix(']').and_then(|name| name.rsplit_once('['));
        let Some((base, Ok(index))) = parted.map(|(base, index)| (base, index.parse::<i64>())) else { return Ok(None) };
        let Some(line) = self.line(base)? else { return Ok(None) };
        let LineKind::Vector { unnamed: Some(bits), .. } = &line.kind else { return Ok(None) };
        Ok(bits.signal(index).map(|signal| Meant { line, bit: Some(signal) }))
    }
}

/// The signal of a line of two levels; see [`LineNames::level`].
///
/// # Errors
/// Where there is none, or several, or it has no two levels.
pub fn find_line(name: &str, recorded: &[RecordedLine]) -> Result<usize, StationErrorKind> {
    let names = LineNames::new(recorded);
    names.level(name).map_err(|kind| names.explained(kind))
}

/// The number line of a name; see [`LineNames::number`].
///
/// # Errors
/// Where there is none, or several, or it has no numbers.
pub fn find_number(name: &str, recorded: &[RecordedLine]) -> Result<usize, StationErrorKind> {
    let names = LineNames::new(recorded);
    names.number(name).map_err(|kind| names.explained(kind))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn recorded() -> Vec<RecordedLine> {
        let line = |name: &str, signal, kind| RecordedLine { name: name.to_owned(), signal, kind, step: None };
        let number = |why: &str| LineKind::Number { why: why.to_owned() };
        vec![
            line("mill.PB", 0, LineKind::Level),
            line("mill.STATUS", 1, number("a number")),
            line("mill.left.HALL", 2, LineKind::Level),
            line("mill.right.HALL", 3, LineKind::Level),
            line("TENSION", 4, LineKind::Real),
            line("MODE", 5, LineKind::Words { why: "words".to_owned() }),
            line("mill.PB2", 0, LineKind::Level),
            line("other.PB2", 0, LineKind::Level),
        ]
    }

    /// What a name means, in a word.
    fn meant(name: &str) -> String {
        let recorded = recorded();
        match LineNames::new(&recorded).level_or_bit(name) {
            Ok(LevelOrBit::Level(signal)) => format!("level {signal}"),
            Ok(LevelOrBit::BitOfNumber { number, signal, bit }) => format!("bit {bit} of {number}, {signal}"),
            Err(kind) => kind.to_string(),
        }
    }

    #[test]
    fn a_name_is_a_line_or_a_bit_of_a_number() {
        for (name, wanted) in [
            ("PB", "level 0"),
            ("mill.PB", "level 0"),
            ("left.HALL", "level 2"),
            // One signal under two names is no doubt.
            ("PB2", "level 0"),
            ("STATUS.0", "bit 0 of STATUS, 1"),
            ("mill.STATUS.63", "bit 63 of mill.STATUS, 1"),
            ("STATUS.64", "`STATUS` has no bit 64: its bits are 0 to 63"),
            ("TENSION.3", "bit 3 of TENSION, 4"),
            ("TENSION (N)", "the line `TENSION (N)` is a real number, but an input needs a line with two levels"),
            ("HALL", "`HALL` fits more than one line: `mill.left.HALL` or `mill.right.HALL`"),
            ("NIX", "the recording has no line `NIX`"),
            ("NIX.3", "the recording has no line `NIX.3`"),
            ("STATUS.x", "the recording has no line `STATUS.x`"),
        ] {
            assert_eq!(meant(name), wanted, "{name}");
        }
        // A line of levels has no bits, and a number is no level.
        assert!(meant("PB.0").contains("PB"), "{}", meant("PB.0"));
        assert!(meant("STATUS").contains("is a number") || meant("STATUS").contains("a number"), "{}", meant("STATUS"));
        assert!(meant("MODE").contains("words"), "{}", meant("MODE"));
    }

    #[test]
    fn numbers_are_found_as_levels_are() {
        let recorded = recorded();
        let names = LineNames::new(&recorded);
        for (name, signal) in
            [("STATUS", Some(1)), ("TENSION (N)", Some(4)), ("TENSION", Some(4)), ("PB", None), ("MODE", None)]
        {
            assert_eq!(names.number(name).ok(), signal, "{name}");
        }
        let explained = names.explained(names.level("PBX").unwrap_err());
        assert_eq!(explained.help().as_deref(), Some("did you mean `PB`?"));
        let explained = names.explained(names.level("hall_of_left").unwrap_err());
        let help = explained.help().unwrap();
        assert!(help.starts_with("lines of the recording: mill.left.HALL, mill.right.HALL, mill.PB"), "{help}");
    }
}
