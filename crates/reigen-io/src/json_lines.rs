//! JSON Lines: an object for each change, with its time, its line and its value.
//!
//! ```text
//! {"time_ns": 0, "line": "PB_START", "value": 1}
//! {"time_ns": 2500000, "line": "PB_START", "value": 0}
//! {"time_ns": 9000000}
//! ```
//!
//! The last object gives the end of the recording. A line with only the whole numbers 0 and 1 (or `true` and
//! `false`) has levels, unless an object of it has `"number": true`; `null` is an unknown level. `"step_ns"` in an object
//! of it says how often it was read, where somebody asked for it again and again. `{"time_ns": 0, "point": …, "resumes": …}`
//! says what a point kept when the recording began.

use crate::chunks::{Chunks, MOST_AT_ONCE};
use crate::date;
use crate::error::{Failure, Fault, FaultKind, shown};
use crate::piece::Piece;
use crate::pipeline::{Form, Format, Head, ParseProgress, Pipeline};
use crate::ranges::FileReader;
use crate::rows::Rows;
use indexmap::IndexMap;
use reigen_core::change;
use reigen_core::engine::Retained;
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::names::counted;
use reigen_core::quantity::Decimal;
use reigen_core::time::{Nanos, Origin, is_file_time};
use serde::Deserialize;
use serde_json::value::RawValue;
use std::borrow::Cow;
use std::io::{self, BufRead, BufReader, Read};

/// One line as it stands in the file.
#[derive(Deserialize)]
struct Row<'a> {
    #[serde(borrow)]
    time_s: Option<&'a RawValue>,
    #[serde(borrow)]
    time_ms: Option<&'a RawValue>,
    #[serde(borrow)]
    time_us: Option<&'a RawValue>,
    #[serde(borrow)]
    time_ns: Option<&'a RawValue>,
    #[serde(borrow)]
    time: Option<Cow<'a, str>>,
    #[serde(borrow)]
    line: Option<Cow<'a, str>>,
    #[serde(borrow, default, deserialize_with = "given")]
    value: Option<&'a RawValue>,
    /// Says that the line has numbers, though this is none.
    #[serde(default)]
    number: bool,
    /// Says how often the line was read.
    step_ns: Option<u64>,
    /// A point, and what it kept when the recording began.
    #[serde(borrow)]
    point: Option<Cow<'a, str>>,
    #[serde(borrow)]
    resumes: Option<&'a RawValue>,
}

/// A value that is there, though it may be `null`.
fn given<'de, D: serde::Deserializer<'de>>(reader: D) -> Result<Option<&'de RawValue>, D::Error> {
    <&RawValue>::deserialize(reader).map(Some)
}

/// What a line takes.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Value {
    Unknown,
    Level(bool),
    Number(f64),
}

impl Value {
    fn of(raw: &RawValue) -> Option<Self> {
        Some(match raw.get() {
            "null" => Self::Unknown,
            "0" | "false" => Self::Level(false),
            "1" | "true" => Self::Level(true),
            text => Self::Number(text.parse().ok().filter(|value: &f64| value.is_finite())?),
        })
    }

    fn as_number(self) -> Option<f64> {
        match self {
            Self::Unknown => None,
            Self::Level(high) => Some(f64::from(u8::from(high))),
            Self::Number(value) => Some(value),
        }
    }
}

impl Row<'_> {
    fn parse(text: &[u8]) -> Result<Row<'_>, FaultKind> {
        let refuse = |why: String| FaultKind::NoChangeObject(format!("{why}, in `{}`", shown(text)));
        let row: Row<'_> = serde_json::from_slice(text).map_err(|error| refuse(error.to_string()))?;
        if row.line.is_some() != row.value.is_some() {
            return Err(refuse("a line and a value go together".to_owned()));
        }
        Ok(row)
    }

    /// The time; dates tell their zone where the first of them does.
    fn file_time(&self, zoned: Option<bool>) -> Result<i64, FaultKind> {
        let times = [(self.time_s, 9), (self.time_ms, 6), (self.time_us, 3), (self.time_ns, 0)];
        let mut given = times.iter().filter_map(|(raw, power)| Some((raw.as_ref()?.get(), *power)));
        match (given.next(), given.next(), &self.time) {
            (Some((text, power)), None, None) => {
                let number =
                    Decimal::parse(text.as_bytes()).ok_or_else(|| FaultKind::NoTime(shown(text.as_bytes())))?;
                let nanos = number.scaled(power).and_then(|(nanos, _)| i64::try_from(nanos).ok());
                let within = nanos.filter(|nanos| is_file_time(*nanos));
                within.ok_or_else(|| FaultKind::TimeTooLarge(shown(text.as_bytes())))
            }
            (None, None, Some(text)) => {
                let moment = date::moment(text.as_bytes());
                let zoned = zoned.or(moment.map(|moment| moment.zoned)).unwrap_or_default();
                date::dated(moment, zoned, text.as_bytes())
            }
            (None, _, _) => Err(FaultKind::NoChangeObject("it has no time".to_owned())),
            _ => Err(FaultKind::NoChangeObject("it has two times".to_owned())),
        }
    }
}

/// One change of a live stream.
#[derive(Debug, Clone, PartialEq)]
pub struct LiveRow {
    /// Its own time in nanoseconds, where it has one.
    pub time_ns: Option<i64>,
    /// The line, and what it takes; `None` where the row only tells a time.
    pub change: Option<(String, change::Value)>,
}

/// Reads one change of a live stream; unlike in a file it need not have a time.
///
/// # Errors
/// In words, where it is none.
pub fn live_row(text: &[u8]) -> Result<LiveRow, String> {
    let row = Row::parse(text).map_err(|kind| kind.to_string())?;
    let has_time =
        row.time.is_some() || [row.time_s, row.time_ms, row.time_us, row.time_ns].iter().any(Option::is_some);
    let zoned = row.time.as_ref().and_then(|text| date::moment(text.as_bytes())).map(|moment| moment.zoned);
    let time_ns = if has_time { Some(row.file_time(zoned).map_err(|kind| kind.to_string())?) } else { None };
    let Some((name, raw)) = row.line.zip(row.value) else { return Ok(LiveRow { time_ns, change: None }) };
    let value = match Value::of(raw) {
        Some(Value::Unknown) => change::Value::Unknown,
        Some(Value::Level(high)) => change::Value::Level(high),
        Some(Value::Number(number)) => change::Value::Number(number),
        None => return Err(format!("`{}` is no value of a line", shown(raw.get().as_bytes()))),
    };
    Ok(LiveRow { time_ns, change: Some((name.into_owned(), value)) })
}

/// JSON Lines, by the lines that they name.
pub(crate) struct JsonLines {
    head: Head,
    targets: IndexMap<String, Target>,
    /// Whether dates tell their zone, where there are any.
    zoned: Option<bool>,
}

/// What a name stands for.
#[derive(Debug, Clone, Copy)]
enum Target {
    Bit(usize),
    Number(usize),
}

/// What is seen of a recording before it is read.
#[derive(Default)]
struct Seen {
    lines: IndexMap<String, SeenLine>,
    /// Whether the first date tells its zone.
    zoned: Option<bool>,
    resumed: Vec<(String, Retained)>,
}

/// What is seen of a line before it is read.
struct SeenLine {
    /// What shows that it has numbers.
    number: Option<String>,
    /// How often it was read.
    step: Option<Nanos>,
}

/// Opens JSON Lines: reads on for the names of all lines, in a file to its end.
pub(crate) fn open(mut chunks: Chunks, form: Form) -> Result<Pipeline<JsonLines>, Failure> {
    let mut seen = Seen::default();
    let mut line = 0;
    if let (false, Some((file, at))) = (chunks.finished(), chunks.place()) {
        let mut reader = BufReader::with_capacity(1 << 16, FileReader::new(file, at));
        let mut text = Vec::new();
        loop {
            line += pass_blank(&mut reader)?;
            text.clear();
            let length = (&mut reader).take(MOST_AT_ONCE as u64).read_until(b'\n', &mut text)?;
            // What is too long is told when its turn comes.
            if length == 0 || length == MOST_AT_ONCE {
                break;
            }
            line += 1;
            seen.note(&text, line);
        }
    } else {
        chunks.fill()?;
        let whole = memchr::memrchr(b'\n', chunks.bytes()).map_or(0, |at| at + 1);
        let length = if chunks.finished() { chunks.bytes().len() } else { whole };
        for text in chunks.bytes().get(..length).unwrap_or_default().split(|byte| *byte == b'\n') {
            line += 1;
            seen.note(text, line);
        }
    }
    let Seen { lines, zoned, resumed } = seen;
    let mut head = Head { resumed, ..Head::default() };
    let mut targets = IndexMap::new();
    for (name, SeenLine { number, step }) in lines {
        let (signal, kind) = match number {
            None => (&mut head.bits, LineKind::Level),
            Some(why) => (&mut head.numbers, LineKind::Number { why }),
        };
        let target = if kind == LineKind::Level { Target::Bit(*signal) } else { Target::Number(*signal) };
        targets.insert(name.clone(), target);
        head.lines.push(RecordedLine { name, signal: *signal, kind, step });
        *signal += 1;
    }
    head.taken_for =
        format!("JSON Lines; {} with levels, {} with numbers", counted(head.bits as u64, "line"), head.numbers);
    Pipeline::open(JsonLines { head, targets, zoned }, Rows::new(1, None, false), chunks, form)
}

/// Passes over blank lines at once; gives how many there were.
fn pass_blank(reader: &mut impl BufRead) -> io::Result<u64> {
    let mut lines = 0;
    loop {
        let bytes = reader.fill_buf()?;
        let blank = bytes.iter().take_while(|byte| byte.is_ascii_whitespace()).count();
        let ended = blank < bytes.len() || bytes.is_empty();
        lines += memchr::memchr_iter(b'\n', bytes.get(..blank).unwrap_or_default()).count() as u64;
        reader.consume(blank);
        if ended {
            return Ok(lines);
        }
    }
}

impl Seen {
    /// Notes which line a row is of, the first number of one that has such, whether the first date tells its zone, and
    /// what a point kept; faults are told when their turn comes.
    fn note(&mut self, text: &[u8], line: u64) {
        let Ok(row) = Row::parse(text) else { return };
        self.zoned = self.zoned.or_else(|| Some(date::moment(row.time.as_ref()?.as_bytes())?.zoned));
        if let (Some(point), Some(kept)) = (&row.point, row.resumes) {
            let state = serde_json::from_str(kept.get()).ok();
            self.resumed.extend(state.map(|state| (point.clone().into_owned(), state)));
        }
        let (is_number, step) = (row.number, row.step_ns.filter(|step| *step > 0).map(Nanos));
        let Row { line: Some(name), value: Some(value), .. } = row else { return };
        let number = match Value::of(value) {
            Some(Value::Number(_)) => Some(format!("a number (`{}` in line {line})", value.get())),
            _ if is_number => Some(format!("a number, as line {line} says")),
            _ => None,
        };
        match self.lines.get_mut(name.as_ref()) {
            Some(known) => {
                known.number = known.number.take().or(number);
                known.step = known.step.or(step);
            }
            None => {
                self.lines.insert(name.into_owned(), SeenLine { number, step });
            }
        }
    }
}

impl JsonLines {
    fn row(&self, place: &mut Rows, text: &[u8], piece: &mut Piece) -> Result<(), FaultKind> {
        let row = Row::parse(text)?;
        let file_time = row.file_time(self.zoned)?;
        let Some((name, raw)) = row.line.zip(row.value) else {
            let now = place.since_start(file_time, text)?;
            place.next_row(now, piece);
            return Ok(());
        };
        let target = *self.targets.get(name.as_ref()).ok_or_else(|| FaultKind::LateLine(name.clone().into_owned()))?;
        let value = Value::of(raw);
        let found = || shown(raw.get().as_bytes());
        let column = || name.clone().into_owned();
        let level = match (target, value) {
            (Target::Number(_), Some(_)) | (Target::Bit(_), Some(Value::Unknown)) => None,
            (Target::Bit(_), Some(Value::Level(high))) => Some(high),
            (Target::Bit(_), _) => {
                return Err(FaultKind::CellLevel { found: found(), column: column(), words: "0 and 1".to_owned() });
            }
            (Target::Number(_), None) => return Err(FaultKind::CellNumber { found: found(), column: column() }),
        };
        let now = place.since_start(file_time, text)?;
        place.next_row(now, piece);
        self.take(target, level, value.and_then(Value::as_number), now, piece);
        Ok(())
    }

    fn take(&self, target: Target, level: Option<bool>, number: Option<f64>, now: Nanos, piece: &mut Piece) {
        match (target, level, number) {
            (Target::Bit(signal), Some(high), _) => piece.set(signal, now, high),
            (Target::Bit(signal), None, _) => piece.set_unknown(signal, now),
            (Target::Number(signal), _, Some(value)) if self.head.wants(signal) => piece.read(signal, now, value),
            _ => {}
        }
    }
}

impl Format for JsonLines {
    type Place = Rows;

    fn head(&self) -> &Head {
        &self.head
    }

    fn head_mut(&mut self) -> &mut Head {
        &mut self.head
    }

    /// After a line; a JSON text holds no line end but between its parts, and here it stands on one line.
    fn boundary(&self, bytes: &[u8], _before: usize) -> Option<usize> {
        memchr::memrchr(b'\n', bytes).map(|at| at + 1)
    }

    fn begin(&self, origin: Origin) -> Rows {
        Rows::new(0, Some(origin), false)
    }

    fn parse(
        &self,
        _form: Form,
        place: &mut Rows,
        bytes: &[u8],
        at_end: bool,
        piece: &mut Piece,
    ) -> Result<ParseProgress, Fault> {
        let mut at = 0;
        while let Some(rest) = bytes.get(at..).filter(|rest| !rest.is_empty()) {
            // Blank lines are passed over at once.
            let blank = rest.iter().position(|byte| !byte.is_ascii_whitespace()).unwrap_or(rest.len());
            let blank = rest.get(..blank).unwrap_or_default();
            if let Some(last) = memchr::memrchr(b'\n', blank) {
                place.line += memchr::memchr_iter(b'\n', blank).count() as u64;
                at += last + 1;
                continue;
            }
            let end = memchr::memchr(b'\n', rest);
            if end.is_none() && !at_end {
                break;
            }
            let text = rest.get(..end.unwrap_or(rest.len())).unwrap_or_default();
            let length = end.map_or(rest.len(), |end| end + 1);
            if !text.trim_ascii().is_empty()
                && let Err(kind) = self.row(place, text, piece)
            {
                // The last line of a file without a line end may be half of one.
                if end.is_none() {
                    return Ok(ParseProgress { consumed: bytes.len(), cut_off: true });
                }
                return Err(Fault { line: place.line, kind });
            }
            place.line += u64::from(end.is_some());
            at += length;
        }
        if at == 0 && bytes.len() >= MOST_AT_ONCE {
            return Err(Fault { line: place.line, kind: FaultKind::TooLong(MOST_AT_ONCE) });
        }
        Ok(ParseProgress { consumed: at, cut_off: false })
    }
}

#[cfg(test)]
mod tests {
    use crate::options::ReadOptions;
    use crate::tests::{both_forms_agree, damage, damaged, told};
    use proptest::prelude::*;

    #[test]
    fn each_meaning_by_hand() {
        type Line<'a> = (Option<bool>, u64, &'a [u64]);
        let cases: &[(&str, Line<'_>, i64, u64)] = &[
            (
                "{\"time_ns\":5,\"line\":\"A\",\"value\":0}\n{\"time_ns\":7,\"line\":\"A\",\"value\":1}\n{\"time_ns\":9}\n",
                (Some(false), 0, &[2]),
                5,
                4,
            ),
            // Keys in any order, words for levels, units beside one another, blank lines.
            (
                "{ \"value\": true, \"line\": \"A\", \"time_ms\": 1 }\n\n{\"line\":\"A\",\"time_us\":1500.25,\"value\":false}",
                (Some(true), 0, &[500_250]),
                1_000_000,
                500_250,
            ),
            // A date, and a line that is unknown at first.
            (
                "{\"time\":\"1970-01-01T00:00:01Z\",\"line\":\"A\",\"value\":null}\n{\"time_s\":2,\"line\":\"A\",\"value\":1}\n",
                (Some(true), 1_000_000_000, &[]),
                1_000_000_000,
                1_000_000_000,
            ),
        ];
        for (text, (level, since, edges), origin, end) in cases {
            let told = told(text.as_bytes(), &ReadOptions::default()).unwrap();
            assert_eq!(told.line(0), (*level, *since, edges.to_vec()), "{text}");
            assert_eq!((told.origin, told.end), (*origin, *end), "{text}");
        }
        let text = "{\"time_s\":0,\"line\":\"V\",\"value\":1.0}\n{\"time_s\":1,\"line\":\"V\",\"value\":-2e1}\n";
        assert_eq!(
            told(text.as_bytes(), &ReadOptions::default()).unwrap().numbers,
            [[(0, 1.0), (1_000_000_000, -20.0)]]
        );
    }

    #[test]
    fn what_is_no_change_is_refused_at_its_line() {
        let first = "{\"time_s\":0,\"line\":\"A\",\"value\":0}\n";
        for (line, message) in [
            ("{\"time_s\":1,\"line\":\"A\"}", "line 2: this is not a change of a line: a line and a value go together"),
            ("{\"line\":\"A\",\"value\":1}", "line 2: this is not a change of a line: it has no time"),
            ("{\"time_s\":1,\"time_ms\":1}", "line 2: this is not a change of a line: it has two times"),
            (
                "{\"time_s\":1,\"time\":\"1970-01-01T00:00:01Z\"}",
                "line 2: this is not a change of a line: it has two times",
            ),
            ("{\"time\":\"noon\"}", "line 2: `noon` is not a date and time"),
            (
                "{\"time\":\"1970-01-01T00:00:01Z\"}\n{\"time\":\"1970-01-01T00:00:02\"}",
                "line 3: the time `1970-01-01T00:00:02` has no zone, unlike those before it",
            ),
            ("{\"time_s\":true}", "line 2: `true` is no time"),
            ("{\"time_s\":1e99}", "line 2: the time `1e99` is too large"),
            ("{\"time_s\":-1}", "line 2: the time `{\"time_s\":-1}` comes after `0 s`: times run backwards"),
            ("{\"time_s\":1,\"line\":\"A\",\"value\":\"on\"}", "line 2: `\"on\"` is not a level, in the column `A`"),
            ("[1, 2]", "line 2: this is not a change of a line: "),
            ("{\"time_s\":1", "line 2: this is not a change of a line: "),
        ] {
            let error = told(format!("{first}{line}\n{first}").as_bytes(), &ReadOptions::default()).unwrap_err();
            assert!(error.starts_with(&format!("rec, {message}")), "{error} of {line}");
        }
        // The last line may be half of one.
        let cut = told(format!("{first}{{\"time_s\":1,\"li").as_bytes(), &ReadOptions::default()).unwrap();
        assert_eq!((cut.end, cut.findings.len()), (0, 1));
    }

    proptest! {
        #[test]
        fn a_file_and_a_stream_tell_the_same_cut_anyhow(
            changes in prop::collection::vec((0..3000u64, 0..4usize, 0..3u8), 1..40),
            damage in damage(),
            piece in 2..200usize,
        ) {
            let (mut text, mut time) = (String::new(), 0);
            for (step, line, value) in changes {
                time += step;
                let value = ["0", "1", "2.5"][usize::from(if line == 3 { value } else { value % 2 })];
                text += &format!("{{\"time_us\":{time},\"line\":\"L{line}\",\"value\":{value}}}\n");
            }
            both_forms_agree(&damaged(&text, &damage), &ReadOptions::default(), piece)?;
        }
    }
}
