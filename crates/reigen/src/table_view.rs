//! A table as it is shown: words, in rows under a head. The terminal and the report draw it each in its own way.

use crate::wrap::{in_cell, longest_part};
use comfy_table::{CellAlignment, ColumnConstraint, ContentArrangement, Width, presets};
use reigen_core::outside_words::on_one_line;

/// A table, with nothing of how it is drawn but which columns stand to the left.
#[derive(Debug, Clone, Default)]
pub(crate) struct Table {
    /// The names of the columns.
    pub(crate) header: Vec<String>,
    /// The cells, row by row.
    pub(crate) rows: Vec<Vec<String>>,
    /// Columns of words, beside the first.
    left: Vec<usize>,
}

impl Table {
    /// A table without rows. The first column stands to the left, the others to the right.
    pub(crate) fn new(header: &[&str]) -> Self {
        Self { header: header.iter().map(|name| (*name).to_owned()).collect(), ..Self::default() }
    }

    /// Adds a row.
    pub(crate) fn add_row<T: ToString>(&mut self, cells: impl IntoIterator<Item = T>) -> &mut Self {
        self.rows.push(cells.into_iter().map(|cell| cell.to_string()).collect());
        self
    }

    /// Sets a column to the left, as words stand.
    pub(crate) fn left(&mut self, column: usize) {
        self.left.push(column);
    }

    /// Whether it has no rows.
    pub(crate) fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    /// How many columns it has.
    pub(crate) fn columns(&self) -> usize {
        self.rows.iter().map(Vec::len).chain([self.header.len()]).max().unwrap_or_default()
    }

    /// The table in letters. One that is wider than `width` loses the columns that say nothing, then has its columns of
    /// words broken between words, and is parted in several with the first column in each where that is not enough. What
    /// its cells say is safe to be shown.
    pub(crate) fn in_letters(&self, width: Option<u16>) -> String {
        let safe = self.safe();
        let Some(width) = width.map(usize::from).filter(|width| safe.width() > *width) else {
            return safe.drawn(None);
        };
        let told = safe.without_silent_columns();
        let parts: Vec<String> = told.parts(width).iter().map(|part| part.drawn(Some(width))).collect();
        parts.join("\n\n")
    }

    /// The table with cells that are safe to be shown.
    fn safe(&self) -> Self {
        let safe = |cells: &Vec<String>| cells.iter().map(|cell| on_one_line(cell).into_owned()).collect();
        Self { header: safe(&self.header), rows: self.rows.iter().map(safe).collect(), left: self.left.clone() }
    }

    /// The cells of a column, its head before them.
    fn column(&self, number: usize) -> impl Iterator<Item = &str> {
        let head = self.header.get(number).map(String::as_str);
        head.into_iter().chain(self.rows.iter().filter_map(move |row| row.get(number)).map(String::as_str))
    }

    /// How wide a column is: its widest cell, and the least that it can be made without breaking a word or a number.
    fn widths(&self, number: usize) -> (usize, usize) {
        let most = self.column(number).map(letters).max().unwrap_or(0);
        match number > 0 && self.left.contains(&number) {
            true => (most, self.column(number).map(longest_part).max().unwrap_or(0)),
            false => (most, most),
        }
    }

    /// How wide it is without breaking a cell.
    fn width(&self) -> usize {
        (0..self.columns()).map(|column| self.widths(column).0).sum::<usize>() + self.gaps(self.columns())
    }

    /// The room between so many columns.
    fn gaps(&self, columns: usize) -> usize {
        columns.saturating_sub(1) * GAP
    }

    /// The table without the columns that are empty, or zero, in each row.
    pub(crate) fn without_silent_columns(&self) -> Self {
        let says = |column: usize| self.column(column).skip(1).any(|cell| !matches!(cell, "" | "0" | "0 s"));
        let kept: Vec<usize> = (0..self.columns()).filter(|column| *column == 0 || says(*column)).collect();
        self.of_columns(&kept)
    }

    /// The table with the columns whose heads are wanted.
    pub(crate) fn of_heads(&self, wanted: impl Fn(&&str) -> bool) -> Self {
        let heads = self.header.iter().map(String::as_str).enumerate();
        self.of_columns(&heads.filter(|(_, head)| wanted(head)).map(|(number, _)| number).collect::<Vec<_>>())
    }

    /// Some of its columns.
    fn of_columns(&self, columns: &[usize]) -> Self {
        let of = |cells: &Vec<String>| {
            columns.iter().map(|column| cells.get(*column).cloned().unwrap_or_default()).collect()
        };
        let left = columns.iter().enumerate().filter(|(_, column)| self.left.contains(column));
        Self {
            header: of(&self.header),
            rows: self.rows.iter().map(of).collect(),
            left: left.map(|(number, _)| number).collect(),
        }
    }

    /// The table in as few parts as fit a width, each with the first column.
    fn parts(&self, width: usize) -> Vec<Self> {
        let first = self.widths(0).0;
        let mut parts: Vec<Vec<usize>> = vec![vec![0]];
        let mut taken = first;
        for column in 1..self.columns() {
            let needed = self.widths(column).1 + GAP;
            if let Some(part) = parts.last_mut().filter(|part| part.len() == 1 || taken + needed <= width) {
                part.push(column);
                taken += needed;
            } else {
                parts.push(vec![0, column]);
                taken = first + needed;
            }
        }
        parts.iter().map(|columns| self.of_columns(columns)).collect()
    }

    /// The table as it is, with its columns of words no wider than what the others leave of a width.
    fn drawn(&self, width: Option<usize>) -> String {
        let mut table = comfy_table::Table::new();
        table.load_style(presets::NOTHING).set_content_arrangement(ContentArrangement::Disabled);
        if self.header.iter().any(|name| !name.is_empty()) {
            table.set_header(&self.header);
        }
        let room = width.map(|width| self.room(width));
        let letters_of = |number: usize| room.as_ref().and_then(|room| room.get(number)).copied();
        for row in &self.rows {
            table.add_row(row.iter().enumerate().map(|(number, cell)| match letters_of(number) {
                Some(letters) if number > 0 && self.left.contains(&number) => in_cell(cell, letters),
                _ => cell.clone(),
            }));
        }
        for (number, column) in table.column_iter_mut().enumerate() {
            let padding = if number == 0 { (0, 1) } else { (1, 1) };
            column.set_padding(padding);
            if number > 0 && !self.left.contains(&number) {
                column.set_cell_alignment(CellAlignment::Right);
            }
            if let Some(letters) = letters_of(number) {
                let whole = letters + usize::from(padding.0) + usize::from(padding.1);
                column
                    .set_constraint(ColumnConstraint::Absolute(Width::Fixed(u16::try_from(whole).unwrap_or(u16::MAX))));
            }
        }
        if room.is_some() {
            table.set_content_arrangement(ContentArrangement::Dynamic).set_width(u16::MAX);
        }
        table.trim_fmt()
    }

    /// How many letters each column gets within a width: what it needs, and of what is left over the columns of words what they
    /// can use, from the left.
    fn room(&self, width: usize) -> Vec<usize> {
        let widths: Vec<(usize, usize)> = (0..self.columns()).map(|column| self.widths(column)).collect();
        let least: usize = widths.iter().map(|(_, least)| least).sum::<usize>() + self.gaps(widths.len());
        let mut over = width.saturating_sub(least);
        let of = |(most, least): &(usize, usize)| {
            let more = (most - least).min(over);
            over -= more;
            least + more
        };
        widths.iter().map(of).collect()
    }
}

/// The room between two columns.
const GAP: usize = 2;

/// How many columns of a terminal a text takes.
fn letters(text: &str) -> usize {
    unicode_width::UnicodeWidthStr::width(text)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn numbers_stand_to_the_right_and_words_to_the_left() {
        let mut table = Table::new(&["point", "count", "why"]);
        table.add_row(["start_button", "7", "a"]).add_row(["x", "12", "b\u{1b}[2J\nc"]);
        table.left(2);
        assert_eq!((table.columns(), table.is_empty()), (3, false));
        let lines: Vec<String> = table.in_letters(None).lines().map(str::to_owned).collect();
        assert_eq!(lines[0], "point         count  why");
        assert_eq!(lines[1], "start_button      7  a");
        assert!(lines[2].starts_with("x                12  b"), "{}", lines[2]);
        assert!(lines.len() == 3 && !lines[2].contains('\u{1b}'), "nothing acts on a terminal: {lines:?}");
    }

    /// Cells of numbers with their units, of names, and of a few words.
    fn cells() -> impl Strategy<Value = Table> {
        let cell =
            prop_oneof![Just("0".to_owned()), Just(String::new()), "[0-9]{1,9}", "[0-9]{1,3}\\.[0-9]{2} [a-z]{1,4}"];
        let words = "[a-z]{1,12}( [a-z0-9]{1,9}){0,12}";
        (1..12usize, 0..4usize, 1..6usize).prop_flat_map(move |(numbers, sentences, rows)| {
            let row = (
                "[a-z_0-9]{1,18}",
                prop::collection::vec(cell.clone(), numbers),
                prop::collection::vec(words, sentences),
            );
            prop::collection::vec(row, rows).prop_map(move |rows| {
                let heads: Vec<String> = (0..=numbers + sentences).map(|number| format!("head {number}")).collect();
                let mut table = Table::new(&heads.iter().map(String::as_str).collect::<Vec<_>>());
                for (name, numbers, sentences) in rows {
                    table.add_row([vec![name], numbers, sentences].concat());
                }
                (numbers + 1..=numbers + sentences).for_each(|column| table.left(column));
                table
            })
        })
    }

    proptest! {
        #[test]
        fn at_any_width_nothing_is_broken_within_a_word_or_a_number_and_nothing_is_lost(table in cells(), width in 60..200u16) {
            let text = table.in_letters(Some(width));
            prop_assert!(text.lines().all(|line| letters(line) <= usize::from(width)), "{text}");
            for cell in table.rows.iter().flatten().filter(|cell| !matches!(cell.as_str(), "" | "0")) {
                let of_words = table.rows.iter().any(|row| row.iter().enumerate().any(|(number, other)| table.left.contains(&number) && other == cell));
                match of_words {
                    true => prop_assert!(cell.split(' ').all(|word| text.contains(word)), "{cell} is broken in\n{text}"),
                    false => prop_assert!(text.contains(cell.as_str()), "{cell} is broken in\n{text}"),
                }
            }
            // Each part names its rows.
            let parts = text.split("\n\n").count();
            let first = &table.rows[0][0];
            prop_assert!(text.lines().filter(|line| line.starts_with(first.as_str())).count() >= parts);
        }
    }

    #[test]
    fn a_wide_table_loses_what_says_nothing_before_it_is_parted() {
        let mut table = Table::new(&["input", "went on", "missed", "raw edges"]);
        table.add_row(["start_button", "3", "0", "42"]).add_row(["stop", "7", "0", "70"]);
        let told = |width| table.in_letters(Some(width));
        assert_eq!(told(80).lines().next(), Some("input         went on  missed  raw edges"));
        assert_eq!(told(36).lines().next(), Some("input         went on  raw edges"));
        let parted = told(24);
        assert_eq!(parted.lines().count(), 7, "{parted}");
        assert_eq!(parted.lines().nth(4), Some("input         raw edges"));
    }

    #[test]
    fn a_table_without_a_head_begins_with_its_first_row() {
        let mut table = Table::new(&[]);
        table.add_row(["drum", "6 marks"]);
        assert!(table.in_letters(None).starts_with("drum"));
    }
}
