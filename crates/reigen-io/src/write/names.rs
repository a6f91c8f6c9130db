//! The names of lines as a format can hold them, each of them another.

use super::{Format, Line};
use crate::csv::means_time;
use std::collections::HashMap;

/// The lines under names that the format gives back as they are, and of which no two signals share one.
///
/// Other names of a line are kept where the format has such, which is VCD alone.
pub fn written_lines(format: Format, lines: &[Line]) -> Vec<Line> {
    let mut taken = HashMap::new();
    let main: Vec<String> =
        lines.iter().enumerate().map(|(signal, line)| name(format, &line.name, signal, &mut taken)).collect();
    let with_aliases = main.into_iter().zip(lines).enumerate().map(|(signal, (main, line))| {
        let mut aliases: Vec<String> = match format {
            Format::Vcd => line.aliases.iter().map(|alias| name(format, alias, signal, &mut taken)).collect(),
            _ => Vec::new(),
        };
        aliases.retain(|alias| *alias != main);
        Line { name: main, aliases, number: line.number, step: line.step }
    });
    with_aliases.collect()
}

/// A name that the format can hold, with a number behind it where another signal has it.
fn name(format: Format, name: &str, signal: usize, taken: &mut HashMap<String, usize>) -> String {
    let base = held(format, name);
    let mut name = base.clone();
    for number in 2.. {
        if *taken.entry(name.clone()).or_insert(signal) == signal {
            break;
        }
        name = format!("{base}#{number}");
    }
    name
}

/// A name without what the format would take for something else.
fn held(format: Format, name: &str) -> String {
    let or_none = |name: String| if name.is_empty() { "_".to_owned() } else { name };
    match format {
        Format::Vcd => {
            let name = name.strip_suffix("[0:0]").map_or_else(|| name.to_owned(), |base| format!("{base}[0]"));
            name.split('.').map(vcd_name).collect::<Vec<_>>().join(".")
        }
        Format::Csv => {
            let plain = name.replace(char::is_control, "_");
            let name = or_none(plain.trim().to_owned());
            if means_time(&name) { format!("line {name}") } else { name }
        }
        Format::Packed if name == crate::packed::UNUSED => "_".to_owned(),
        Format::Packed => or_none(name.to_owned()),
        Format::JsonLines | Format::Parquet => name.to_owned(),
    }
}

/// A part of a name as a VCD can hold it: white space would part it.
pub(super) fn vcd_name(name: &str) -> String {
    match name.replace(|letter: char| letter.is_whitespace() || letter.is_control(), "_").as_str() {
        "" => "_".to_owned(),
        name => name.strip_prefix('$').map_or_else(|| name.to_owned(), |rest| format!("_{rest}")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_is_what_the_format_gives_back_and_no_others() {
        let line =
            |name: &str| Line { name: name.to_owned(), aliases: vec!["other".to_owned()], number: false, step: None };
        let names = |format: Format, names: &[&str]| -> Vec<String> {
            let lines: Vec<Line> = names.iter().map(|name| line(name)).collect();
            written_lines(format, &lines).into_iter().map(|line| line.name).collect()
        };
        assert_eq!(
            names(Format::Vcd, &["a b", "a_b", "a\u{1b}b", "$end", "x..y", "c[0:0]"]),
            ["a_b", "a_b#2", "a_b#3", "_end", "x._.y", "c[0]"]
        );
        assert_eq!(names(Format::Csv, &[" a", "a", "time_s", "", "b\nc"]), ["a", "a#2", "line time_s", "_", "b_c"]);
        assert_eq!(names(Format::Packed, &["-", "", "a"]), ["_", "_#2", "a"]);
        assert_eq!(names(Format::JsonLines, &["a", "a", " \n"]), ["a", "a#2", " \n"]);
        let aliases = written_lines(Format::Vcd, &[line("a"), line("b")]);
        assert_eq!(
            (&aliases[0].aliases, &aliases[1].aliases),
            (&vec!["other".to_owned()], &vec!["other#2".to_owned()])
        );
    }
}
