//! A table as it is shown: words, in rows under a head. The terminal and the report draw it each in its own way.

use comfy_table::{CellAlignment, ContentArrangement, presets};
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

    /// The table in letters; one that is wider than `width` has its cells broken. What its cells say is safe to be shown.
    pub(crate) fn in_letters(&self, width: Option<u16>) -> String {
        let safe = |cells: &[String]| cells.iter().map(|cell| on_one_line(cell).into_owned()).collect::<Vec<_>>();
        let mut table = comfy_table::Table::new();
        table.load_style(presets::NOTHING).set_content_arrangement(ContentArrangement::Disabled);
        table.set_header(safe(&self.header));
        for row in &self.rows {
            table.add_row(safe(row));
        }
        for (number, column) in table.column_iter_mut().enumerate() {
            if number == 0 {
                column.set_padding((0, 1));
            } else if !self.left.contains(&number) {
                column.set_cell_alignment(CellAlignment::Right);
            }
        }
        if let Some(width) = width {
            table.set_content_arrangement(ContentArrangement::Dynamic).set_width(width);
        }
        // A table without a header begins with a line of nothing.
        table.trim_fmt().trim_start_matches('\n').to_owned()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

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
        // No line is wider than it may be, and no word is lost.
        let narrow = table.in_letters(Some(16));
        assert!(narrow.lines().all(|line| line.chars().count() <= 16), "{narrow}");
        assert!(narrow.lines().count() > 3);
    }

    #[test]
    fn a_table_without_a_head_begins_with_its_first_row() {
        let mut table = Table::new(&[]);
        table.add_row(["drum", "6 marks"]);
        assert!(table.in_letters(None).starts_with("drum"));
    }
}
