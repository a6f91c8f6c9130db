//! Words that come from outside (names in recordings, titles, units, paths), made safe to show.
//!
//! A name may hold anything: letters that move a terminal's cursor or colour it, that turn the direction of writing, or
//! that end the line. What people see of such a name has a letter in place of each; what programs read (JSON, CSV) keeps it
//! whole, in the form of that format.

use std::borrow::Cow;

/// Whether a letter does something else than to show itself.
fn acts(letter: char) -> bool {
    // Controls of both sets, separators of lines, marks of direction, the byte order mark.
    letter.is_control()
        || matches!(letter, '\u{2028}' | '\u{2029}' | '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{feff}')
}

/// What stands for such a letter: the picture of a control, or a point.
fn stand_in(letter: char) -> char {
    match letter {
        '\u{0}'..='\u{1f}' => char::from_u32(0x2400 + u32::from(letter)).unwrap_or('·'),
        '\u{7f}' => '␡',
        _ => '·',
    }
}

/// A text on one line, without letters that act.
pub fn on_one_line(text: &str) -> Cow<'_, str> {
    replaced(text, acts)
}

/// A text of several lines, without letters that act but for its line ends.
pub fn on_lines(text: &str) -> Cow<'_, str> {
    replaced(text, |letter| letter != '\n' && acts(letter))
}

fn replaced(text: &str, acts: impl Fn(char) -> bool) -> Cow<'_, str> {
    match text.contains(&acts) {
        true => text.chars().map(|letter| if acts(letter) { stand_in(letter) } else { letter }).collect(),
        false => Cow::Borrowed(text),
    }
}

/// JSON without letters that act: they are written as `\\u001b`, which is read back as it was.
pub fn in_json(json: &str) -> Cow<'_, str> {
    let acts = |letter: char| letter != '\n' && acts(letter);
    if !json.contains(acts) {
        return Cow::Borrowed(json);
    }
    let mut safe = String::with_capacity(json.len() + 16);
    for letter in json.chars() {
        match acts(letter) {
            true => safe.push_str(&format!("\\u{:04x}", u32::from(letter))),
            false => safe.push(letter),
        }
    }
    Cow::Owned(safe)
}

/// A text as a string of TOML, on one line, that is read back as it was.
pub fn toml_string(text: &str) -> String {
    let mut quoted = String::from("\"");
    for letter in text.chars() {
        match letter {
            '"' | '\\' => quoted.extend(['\\', letter]),
            letter if acts(letter) => quoted.push_str(&format!("\\u{:04X}", u32::from(letter))),
            letter => quoted.push(letter),
        }
    }
    quoted.push('"');
    quoted
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn no_text_acts_and_each_is_read_back_from_toml(text in "\\PC*|[\u{0}-\u{a0}\u{2028}\u{202e}\u{feff}a\"\\\\']*") {
            let shown = on_one_line(&text);
            prop_assert!(!shown.contains(acts));
            prop_assert_eq!(shown.chars().count(), text.chars().count());
            let lines = on_lines(&text);
            prop_assert_eq!(lines.matches('\n').count(), text.matches('\n').count());
            prop_assert!(!lines.replace('\n', "").contains(acts));
            let toml = format!("line = {} # {}", toml_string(&text), on_one_line(&text));
            let read: toml::Table = toml.parse().unwrap();
            prop_assert_eq!(read["line"].as_str(), Some(text.as_str()));
            let json = serde_json::to_string(&text).unwrap();
            let safe = in_json(&json);
            prop_assert!(!safe.contains(acts));
            prop_assert_eq!(serde_json::from_str::<String>(&safe).unwrap(), text.clone());
        }
    }

    #[test]
    fn a_control_has_its_picture() {
        assert_eq!(on_one_line("a\u{1b}[31m\nb\u{9b}"), "a␛[31m␊b·");
        assert_eq!(on_lines("a\u{1b}\nb"), "a␛\nb");
    }
}
