//! Texts in lines of a width: no word is broken, and no number parted from its unit.

use textwrap::core::Word;

/// How far the lines of a sentence after its first are indented.
const INDENT: &str = "     ";
/// In fewer letters nothing is broken between words.
const LEAST_WIDTH: u32 = 40;

/// A text in lines of a width, broken between words.
pub(crate) fn within(text: &str, width: Option<u32>) -> String {
    let Some(width) = width.filter(|width| *width >= LEAST_WIDTH) else { return text.to_owned() };
    let options = at_words(width as usize).subsequent_indent(INDENT);
    textwrap::fill(text, options)
}

/// A text of a cell in lines of a width, broken between words.
pub(crate) fn in_cell(text: &str, width: usize) -> String {
    textwrap::fill(text, at_words(width))
}

/// How many letters the longest part that is not broken takes.
pub(crate) fn longest_part(text: &str) -> usize {
    parts(text).into_iter().map(|part| unicode_width::UnicodeWidthStr::width(part.trim())).max().unwrap_or(0)
}

/// Breaks between words only, and not between a number and its unit.
fn at_words<'a>(width: usize) -> textwrap::Options<'a> {
    textwrap::Options::new(width)
        .break_words(false)
        .word_separator(textwrap::WordSeparator::Custom(|text| Box::new(parts(text).into_iter().map(Word::from))))
        .word_splitter(textwrap::WordSplitter::NoHyphenation)
}

/// The parts of a text that stay whole: its words, each with the blanks after it, and a number with its unit.
fn parts(text: &str) -> Vec<&str> {
    let mut parts = Vec::new();
    let mut rest = text;
    while !rest.is_empty() {
        let words: Vec<&str> = rest.split_inclusive(' ').take(2).collect();
        let (first, unit) = (words.first().map_or("", |word| word.trim()), words.get(1).map_or("", |word| word.trim()));
        let joined =
            first.starts_with(|letter: char| letter.is_ascii_digit()) && (1..=3).contains(&unit.chars().count());
        let taken: usize = words.iter().take(if joined { 2 } else { 1 }).map(|word| word.len()).sum();
        let Some((part, after)) = rest.split_at_checked(taken.max(1)) else { break };
        parts.push(part);
        rest = after;
    }
    parts
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_sentence_keeps_its_words_and_fits(text in "(warning: )?([a-z_=-]{1,20} ){1,40}[a-z]{1,9}", width in 40..200u32) {
            let told = within(&text, Some(width));
            prop_assert_eq!(told.split_whitespace().collect::<Vec<_>>(), text.split_whitespace().collect::<Vec<_>>());
            prop_assert!(told.lines().all(|line| line.chars().count() <= width as usize), "{}", told);
            prop_assert!(told.lines().skip(1).all(|line| line.starts_with(INDENT)));
            prop_assert_eq!(within(&text, None), text);
        }
    }

    #[test]
    fn a_number_stays_with_its_unit() {
        assert_eq!(parts("for 1.15 % of 3 inputs"), ["for ", "1.15 % ", "of ", "3 ", "inputs"]);
        assert_eq!(parts("  = 30 ms"), [" ", " ", "= ", "30 ms"]);
        assert_eq!(in_cell("fell a release of 1.15 ms", 9), "fell a\nrelease\nof\n1.15 ms");
        assert_eq!(longest_part("of 1.15 ms"), 7);
        assert_eq!(
            within("it was held for one time of 20 ms in all", Some(40)),
            "it was held for one time of 20 ms in all"
        );
        assert_eq!(
            within("it was held, at most, for a time of 20 ms", Some(40)),
            "it was held, at most, for a time of\n     20 ms"
        );
    }
}
