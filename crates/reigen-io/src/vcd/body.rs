//! The value changes of a VCD, word by word: the plain form.

use super::layout::{Layout, Target};
use super::token::{skip_space, word_end};
use crate::error::{Fault, FaultKind, shown};
use crate::piece::Piece;
use crate::pipeline::{ParseProgress, Place};
use reigen_core::time::{Nanos, Origin};

/// Where the reader stands among the value changes.
#[derive(Debug, Clone)]
pub(crate) struct Body {
    /// The file's own first time, once there was one.
    pub(super) origin: Option<Origin>,
    /// The line, from 1.
    pub(super) line: u64,
    /// The time in the file's units.
    pub(super) units: u64,
    /// The first time since the place began, in the file's units.
    first_units: Option<u64>,
    /// The time since the recording's start.
    pub(super) now: Nanos,
    section: Section,
}

/// What the words belong to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Section {
    /// Nothing: times and value changes.
    Changes,
    /// A dump of values between `$dumpvars` or the like and its `$end`.
    Dump,
    /// A comment or another text up to its `$end`, which may stand within a dump.
    Text { in_dump: bool },
}

/// What became of one word, or of a value with its code.
enum Word {
    Taken(usize),
    /// More bytes are wanted to know.
    Unfinished,
}

impl Body {
    /// At the start of the value changes.
    pub(super) fn new(line: u64, origin: Option<Origin>) -> Self {
        Self { origin, line, units: 0, first_units: None, now: Nanos(0), section: Section::Changes }
    }

    /// Reads all whole words of `bytes` into `piece`; `at_end` says that no bytes come after them.
    pub(super) fn read(
        &mut self,
        layout: &Layout,
        bytes: &[u8],
        at_end: bool,
        piece: &mut Piece,
    ) -> Result<ParseProgress, Fault> {
        self.read_until(layout, bytes, at_end, false, piece)
    }

    /// The same, but where `one_line` it stops before the first line that begins with nothing open.
    pub(super) fn read_until(
        &mut self,
        layout: &Layout,
        bytes: &[u8],
        at_end: bool,
        one_line: bool,
        piece: &mut Piece,
    ) -> Result<ParseProgress, Fault> {
        let mut at = 0;
        loop {
            let (start, lines) = skip_space(bytes, at);
            self.line += lines;
            if one_line && at > 0 && lines > 0 && self.section == Section::Changes {
                return Ok(ParseProgress { consumed: start, cut_off: false });
            }
            if start == bytes.len() {
                let cut_off = at_end && self.section != Section::Changes;
                return Ok(ParseProgress { consumed: start, cut_off });
            }
            let Some(end) = word_end(bytes, start, at_end) else {
                return Ok(ParseProgress { consumed: start, cut_off: false });
            };
            match self.word(layout, bytes, start..end, at_end, piece) {
                Ok(Word::Taken(next)) => at = next,
                Ok(Word::Unfinished) if at_end => return Ok(ParseProgress { consumed: bytes.len(), cut_off: true }),
                Ok(Word::Unfinished) => return Ok(ParseProgress { consumed: start, cut_off: false }),
                // The last word of a file without a line end may be half of one.
                Err(_) if at_end && end == bytes.len() => {
                    return Ok(ParseProgress { consumed: bytes.len(), cut_off: true });
                }
                Err(kind) => return Err(Fault { line: self.line, kind }),
            }
        }
    }

    fn word(
        &mut self,
        layout: &Layout,
        bytes: &[u8],
        place: std::ops::Range<usize>,
        at_end: bool,
        piece: &mut Piece,
    ) -> Result<Word, FaultKind> {
        let end = place.end;
        let word = bytes.get(place).unwrap_or_default();
        let Some((&first, rest)) = word.split_first() else { return Ok(Word::Taken(end)) };
        if let Section::Text { in_dump } = self.section {
            if word == b"$end" {
                self.section = if in_dump { Section::Dump } else { Section::Changes };
            }
            return Ok(Word::Taken(end));
        }
        match first {
            b'#' => self.time(layout, word, rest, piece)?,
            b'b' | b'B' | b'r' | b'R' => {
                let (start, lines) = skip_space(bytes, end);
                let Some(code_end) = word_end(bytes, start, at_end).filter(|&code_end| code_end > start) else {
                    return Ok(Word::Unfinished);
                };
                let code = bytes.get(start..code_end).unwrap_or_default();
                self.line += lines;
                self.long_value(layout, word, code, piece).inspect_err(|_| self.line -= lines)?;
                return Ok(Word::Taken(code_end));
            }
            b'$' => self.section(word)?,
            _ => self.scalar(layout, word, first, rest, piece)?,
        }
        Ok(Word::Taken(end))
    }

    #[inline]
    fn time(&mut self, layout: &Layout, word: &[u8], digits: &[u8], piece: &mut Piece) -> Result<(), FaultKind> {
        let all_digits = || !digits.is_empty() && digits.iter().all(u8::is_ascii_digit);
        let units = parse_units(digits).ok_or_else(|| match all_digits() {
            true => FaultKind::TimeTooLarge(shown(word)),
            false => FaultKind::NoTime(shown(word)),
        })?;
        self.set_time(layout, units, piece).ok_or_else(|| match units < self.units {
            true => FaultKind::Backwards { found: shown(word), before: format!("#{}", self.units) },
            false => FaultKind::TimeTooLarge(shown(word)),
        })
    }

    /// Whether no dump or text is open.
    pub(super) fn has_nothing_open(&self) -> bool {
        self.section == Section::Changes
    }

    /// Takes over where the fast form came to, `lines` lines further on and after the first time mark.
    pub(super) fn come_to(&mut self, units: u64, now: Nanos, lines: u64, piece: &mut Piece) {
        self.line += lines;
        if units > self.units {
            (self.units, self.now) = (units, now);
            piece.last_time = Some(now);
        }
    }

    /// Goes on to a time in the file's units; `None` where it runs backwards or is too large.
    #[inline]
    pub(super) fn set_time(&mut self, layout: &Layout, units: u64, piece: &mut Piece) -> Option<()> {
        if units < self.units {
            return None;
        }
        let file_time = layout.scale.nanos(units)?;
        let origin = *self.origin.get_or_insert(Origin(file_time));
        self.units = units;
        self.now = origin.since_start(file_time).unwrap_or_default();
        self.first_units.get_or_insert(units);
        piece.last_time = Some(self.now);
        Some(())
    }

    #[inline]
    fn scalar(
        &mut self,
        layout: &Layout,
        word: &[u8],
        letter: u8,
        code: &[u8],
        piece: &mut Piece,
    ) -> Result<(), FaultKind> {
        let level = level_of(letter).ok_or_else(|| match letter.is_ascii_alphanumeric() {
            true => FaultKind::NoLevel(shown(word)),
            false => FaultKind::NoChange(shown(word)),
        })?;
        match target_of(layout, code).ok_or_else(|| undeclared(word, code))? {
            Target::Bit(signal) => self.set(signal, level, piece),
            target @ Target::Vector { .. } => self.vector(layout, target, &[letter], piece),
            target @ Target::Real { .. } => return Err(wrong_value(layout, word, target)),
            Target::Other => {}
        }
        Ok(())
    }

    /// `b1010 code` or `r1.5 code`.
    fn long_value(&mut self, layout: &Layout, word: &[u8], code: &[u8], piece: &mut Piece) -> Result<(), FaultKind> {
        let Some((letter, value)) = word.split_first() else { return Ok(()) };
        let found = || [word, b" ", code].concat();
        let target = target_of(layout, code).ok_or_else(|| undeclared(&found(), code))?;
        let refuse = || wrong_value(layout, &found(), target);
        if matches!(letter, b'r' | b'R') {
            let Target::Real { number } = target else { return Err(refuse()) };
            let value = std::str::from_utf8(value).ok().and_then(|text| text.parse().ok()).ok_or_else(refuse)?;
            if layout.head.wants(number) {
                piece.read(number, self.now, value);
            }
            return Ok(());
        }
        if value.is_empty() || value.iter().any(|&letter| level_of(letter).is_none()) {
            return Err(FaultKind::NoLevel(shown(word)));
        }
        match target {
            Target::Real { .. } => return Err(refuse()),
            Target::Bit(_) if value.len() > 1 => return Err(refuse()),
            Target::Vector { width, .. } if value.len() > width => return Err(refuse()),
            Target::Bit(signal) => {
                let level = value.first().copied().and_then(level_of).flatten();
                self.set(signal, level, piece);
            }
            Target::Vector { .. } => self.vector(layout, target, value, piece),
            Target::Other => {}
        }
        Ok(())
    }

    #[inline]
    fn set(&self, signal: usize, level: Option<bool>, piece: &mut Piece) {
        match level {
            Some(high) => piece.set(signal, self.now, high),
            None => piece.set_unknown(signal, self.now),
        }
    }

    /// Sets the bits of a vector, and its number where all of them are known.
    ///
    /// A short value is continued to the left: with its leftmost letter where that is unknown, else with 0.
    fn vector(&self, layout: &Layout, target: Target, value: &[u8], piece: &mut Piece) {
        let Target::Vector { first, width, number, signed } = target else { return };
        let leftmost = value.first().copied().and_then(level_of).flatten();
        let missing = width.saturating_sub(value.len());
        let level = |place: usize| match place.checked_sub(missing) {
            None => leftmost.map(|_| false),
            Some(place) => value.get(place).copied().and_then(level_of).flatten(),
        };
        match &layout.parts {
            None => (0..width).for_each(|place| self.set(first + place, level(place), piece)),
            Some(parts) => {
                let wanted = parts.get(&number).into_iter().flatten();
                wanted.for_each(|&(place, column)| self.set(column, level(place), piece));
            }
        }
        if !layout.head.wants(number) {
            return;
        }
        let weight = |place: usize| if signed && place == 0 { -1.0 } else { 1.0 };
        // Zeros to the left add nothing.
        let sum = (missing..width)
            .try_fold(0.0, |sum, place| level(place).map(|high| sum * 2.0 + if high { weight(place) } else { 0.0 }));
        // A vector so wide that its number is beyond all bounds has none.
        if let Some(value) = sum.filter(|sum: &f64| sum.is_finite()) {
            piece.read(number, self.now, value);
        }
    }

    fn section(&mut self, word: &[u8]) -> Result<(), FaultKind> {
        self.section = match (word, self.section) {
            (b"$end", Section::Dump) => Section::Changes,
            (b"$end", _) => return Err(FaultKind::StrayEnd),
            (b"$dumpvars" | b"$dumpall" | b"$dumpon" | b"$dumpoff", _) => Section::Dump,
            (_, section) => Section::Text { in_dump: section == Section::Dump },
        };
        Ok(())
    }
}

impl Place for Body {
    fn origin(&self) -> Option<Origin> {
        self.origin
    }

    fn know_origin(&mut self, origin: Origin) {
        self.origin = Some(origin);
    }

    fn line(&self) -> u64 {
        self.line
    }

    fn leads_to(&self, over: &Self) -> bool {
        self.has_nothing_open() && over.first_units.is_none_or(|units| units >= self.units)
    }

    fn go_on(&mut self, over: &Self, _piece: &mut Piece) {
        if over.first_units.is_some() {
            (self.units, self.now) = (over.units, over.now);
        }
        self.line += over.line;
        self.section = over.section;
    }
}

#[inline]
fn target_of(layout: &Layout, code: &[u8]) -> Option<Target> {
    layout.codes.get(code).and_then(|number| layout.targets.get(number as usize)).copied()
}

fn undeclared(word: &[u8], code: &[u8]) -> FaultKind {
    FaultKind::Undeclared { code: shown(code), found: shown(word) }
}

fn wrong_value(layout: &Layout, found: &[u8], target: Target) -> FaultKind {
    FaultKind::WrongValue { found: shown(found), name: layout.describe(target) }
}

/// The level of a letter: known, unknown, or none that there is.
#[inline]
fn level_of(letter: u8) -> Option<Option<bool>> {
    match letter {
        b'0' | b'l' | b'L' => Some(Some(false)),
        b'1' | b'h' | b'H' => Some(Some(true)),
        b'x' | b'X' | b'z' | b'Z' | b'u' | b'U' | b'w' | b'W' | b'-' => Some(None),
        _ => None,
    }
}

/// A whole number; `None` where there is none or it does not fit.
#[inline]
fn parse_units(digits: &[u8]) -> Option<u64> {
    if digits.is_empty() || digits.len() > 19 {
        let text = std::str::from_utf8(digits).ok()?;
        return text.bytes().all(|byte| byte.is_ascii_digit()).then(|| text.parse().ok())?;
    }
    digits.iter().try_fold(0u64, |value, &digit| {
        let digit = digit.wrapping_sub(b'0');
        (digit < 10).then(|| value * 10 + u64::from(digit))
    })
}
