//! What a file is, by its first bytes.

use crate::archive::Packing;
use crate::error::shown;

/// As many bytes as tell a text from something else.
const LOOK: usize = 4096;

/// What some programs write before UTF-8 text.
pub(crate) const BYTE_ORDER_MARK: &[u8] = b"\xef\xbb\xbf";

/// The format of a recording, by its first bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum ContentFormat {
    Empty,
    Vcd,
    JsonLines,
    Parquet,
    Csv,
    Unknown,
}

impl ContentFormat {
    pub(crate) fn of(bytes: &[u8]) -> Self {
        let text = bytes.trim_ascii_start();
        let strange = |byte: &u8| *byte < b' ' && !byte.is_ascii_whitespace();
        let head = text.get(..LOOK.min(text.len())).unwrap_or_default();
        match text.first() {
            _ if bytes.starts_with(b"PAR1") => ContentFormat::Parquet,
            None => ContentFormat::Empty,
            Some(b'$') => ContentFormat::Vcd,
            Some(b'{') => ContentFormat::JsonLines,
            _ if head.iter().any(strange) || not_utf8(head) && !is_latin(head) => ContentFormat::Unknown,
            _ => ContentFormat::Csv,
        }
    }
}

/// Which kind of recording the first bytes of a file are surely of; a text with `=` or `[` in its first line is none.
pub(crate) fn recognised(bytes: &[u8]) -> Option<&'static str> {
    let bytes = bytes.strip_prefix(BYTE_ORDER_MARK).unwrap_or(bytes);
    if let Some(packing) = Packing::of(bytes) {
        return Some(match packing {
            Packing::Gzip => "packed by gzip",
            Packing::Zstandard => "packed by zstd",
        });
    }
    let first = bytes.trim_ascii_start().split(|byte| *byte == b'\n').next().unwrap_or_default();
    let has = |marks: &[u8]| first.iter().any(|byte| marks.contains(byte));
    match ContentFormat::of(bytes) {
        ContentFormat::Vcd => Some("VCD"),
        ContentFormat::JsonLines => Some("JSON Lines"),
        ContentFormat::Parquet => Some("Parquet"),
        ContentFormat::Unknown if bytes.contains(&0) => Some("packed samples, or no text"),
        ContentFormat::Csv if has(b",;\t") && !has(b"=[#\"'") => Some("CSV"),
        _ => None,
    }
}

/// Whether bytes are no UTF-8, a letter cut off at their end aside.
fn not_utf8(bytes: &[u8]) -> bool {
    std::str::from_utf8(bytes).is_err_and(|error| error.error_len().is_some())
}

/// Whether bytes without UTF-8 look like lines in Latin-1 (ISO 8859-1), of which only a unit or a name is no ASCII.
fn is_latin(bytes: &[u8]) -> bool {
    let others = bytes.iter().filter(|byte| !byte.is_ascii()).count();
    bytes.contains(&b'\n') && others * 8 <= bytes.len()
}

/// How the first bytes are told where they are of no recording.
pub(crate) fn begins(bytes: &[u8]) -> String {
    if bytes.starts_with(b"\xff\xfe") || bytes.starts_with(b"\xfe\xff") {
        return "the mark of UTF-16: save it as UTF-8".to_owned();
    }
    let strange = |byte: &u8| *byte < b' ' && !byte.is_ascii_whitespace();
    if let Some(at) = bytes.iter().take(LOOK).position(strange).filter(|at| *at >= 8)
        && let Some(byte) = bytes.get(at)
    {
        let start = shown(bytes.get(..8).unwrap_or_default());
        return format!("`{start}`, and then holds the byte {byte:02x} at byte {at}, which is in no text");
    }
    let head = bytes.get(..8.min(bytes.len())).unwrap_or_default();
    let hex: Vec<String> = head.iter().map(|byte| format!("{byte:02x}")).collect();
    format!("the bytes {} (`{}`)", hex.join(" "), shown(head))
}
