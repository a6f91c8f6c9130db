//! The declarations of a VCD, up to `$enddefinitions`.

use super::layout::{Layout, LayoutBuilder, Scale};
use super::token::{skip_space, word_end};
use super::{RESUMES, STEP};
use crate::chunks::{Chunks, MOST_AT_ONCE};
use crate::error::{Failure, Fault, FaultKind, shown};
use reigen_core::time::Nanos;

/// How many words a declaration may have before it is passed over as text.
const MOST_WORDS: usize = 16;

/// Reads the declarations; gives what they say, and the line at which the value changes begin.
pub(super) fn read(chunks: &mut Chunks) -> Result<(Layout, u64), Failure> {
    let mut header =
        Header { words: Words { chunks, line: 1 }, builder: LayoutBuilder::default(), scopes: Vec::new(), scale: None };
    while header.declaration()? {}
    let line = header.words.line;
    let layout = header.builder.build(header.scale.unwrap_or(Scale::Times(1)));
    Ok((layout, line))
}

struct Header<'a> {
    words: Words<'a>,
    builder: LayoutBuilder,
    scopes: Vec<String>,
    scale: Option<Scale>,
}

impl Header<'_> {
    /// Reads one declaration; false after the last.
    fn declaration(&mut self) -> Result<bool, Failure> {
        let Some(keyword) = self.words.next()? else {
            return Err(self.words.fault(FaultKind::NoTimes));
        };
        let line = self.words.line;
        if !keyword.starts_with('$') {
            return Err(self.words.fault(FaultKind::NoChange(shown(keyword.as_bytes()))));
        }
        let text = self.words.until_end()?;
        let refuse = |kind| Failure::from(Fault { line, kind });
        match keyword.as_str() {
            "$enddefinitions" => return Ok(false),
            "$timescale" => {
                let joined = text.concat();
                let scale = Scale::parse(&joined).ok_or_else(|| refuse(FaultKind::Timescale(joined)))?;
                self.scale = Some(scale);
            }
            "$scope" => match text.as_slice() {
                [_, name, ..] => self.scopes.push(name.clone()),
                other => return Err(refuse(declaration(&keyword, other, "a scope has a type and a name"))),
            },
            "$upscope" => {
                self.scopes.pop().ok_or_else(|| refuse(FaultKind::SurplusUpscope))?;
            }
            "$var" if text.first().is_some_and(|kind| kind == "port") => {
                return Err(refuse(FaultKind::ExtendedVcd(shown(format!("$var {}", text.join(" ")).as_bytes()))));
            }
            "$var" => self.variable(&text).map_err(|why| refuse(declaration(&keyword, &text, why)))?,
            "$comment" => match text.iter().map(String::as_str).collect::<Vec<_>>()[..] {
                [STEP, code, step] => {
                    let step = step.parse().ok().filter(|step| *step > 0);
                    step.into_iter().for_each(|step| self.builder.step(code.as_bytes(), Nanos(step)));
                }
                [RESUMES, point, state] => {
                    let state = serde_json::from_str(state).ok();
                    self.builder.resumed.extend(state.map(|state| (point.to_owned(), state)));
                }
                _ => {}
            },
            "$end" => return Err(refuse(FaultKind::StrayEnd)),
            _ => {}
        }
        Ok(true)
    }

    fn variable(&mut self, text: &[String]) -> Result<(), &'static str> {
        let [kind, width, code, name @ ..] = text else {
            return Err("a variable has a type, a size, an identifier code and a name");
        };
        let width: usize = width.parse().map_err(|_| "its size is not a number")?;
        // A range may stand apart from the name: `bus [7:0]`.
        let leaf: String = name.concat();
        if leaf.is_empty() {
            return Err("it has no name");
        }
        let whole = self.scopes.iter().chain([&leaf]).cloned().collect::<Vec<_>>().join(".");
        self.builder.add(kind, width, code.as_bytes(), &whole)
    }
}

fn declaration(keyword: &str, text: &[String], why: &'static str) -> FaultKind {
    FaultKind::Declaration { found: shown(format!("{keyword} {}", text.join(" ")).as_bytes()), why }
}

/// The words of the header, one after another.
struct Words<'a> {
    chunks: &'a mut Chunks,
    line: u64,
}

impl Words<'_> {
    fn next(&mut self) -> Result<Option<String>, Failure> {
        loop {
            let (start, lines) = skip_space(self.chunks.bytes(), 0);
            self.line += lines;
            self.chunks.consume(start);
            let bytes = self.chunks.bytes();
            let at_end = self.chunks.finished();
            if let Some(end) = word_end(bytes, 0, at_end).filter(|&end| end > 0) {
                let word = String::from_utf8_lossy(bytes.get(..end).unwrap_or_default()).into_owned();
                self.chunks.consume(end);
                return Ok(Some(word));
            }
            if at_end {
                return Ok(None);
            }
            if !self.chunks.fill()? {
                return Err(self.fault(FaultKind::TooLong(MOST_AT_ONCE)));
            }
        }
    }

    /// The words up to `$end`; of a long text only the first.
    fn until_end(&mut self) -> Result<Vec<String>, Failure> {
        let mut text = Vec::new();
        loop {
            match self.next()? {
                None => return Err(self.fault(FaultKind::NoTimes)),
                Some(word) if word == "$end" => return Ok(text),
                Some(word) if text.len() < MOST_WORDS => text.push(word),
                Some(_) => {}
            }
        }
    }

    fn fault(&self, kind: FaultKind) -> Failure {
        Fault { line: self.line, kind }.into()
    }
}
