//! The timing diagram in letters, as wide as the terminal.

use crate::axis::axis;
use crate::bits::{NamedBit, in_letters};
use crate::diagram::{Content, Diagram, Row};
use crate::steps::Steps;
use crate::trace::Trace;
use reigen_core::account::Rule;
use reigen_core::cast;
use reigen_core::outside_words::on_one_line;
use reigen_core::time::Nanos;
use reigen_core::units::significant;

/// From so many changes in a column on, it is shown as a shade.
const DENSE: u64 = 3;
/// The least room for the picture beside the names.
const LEAST: usize = 20;

/// Draws a diagram in lines of at most `width` letters.
pub fn draw(diagram: &Diagram, width: usize) -> Vec<String> {
    let names = diagram.rows.iter().flat_map(|row| [row.label.chars().count(), row.under.chars().count()]);
    let label = names.max().unwrap_or(0).min(width / 3).max(4) + 1;
    let columns = width.saturating_sub(label).max(LEAST);
    let mut lines = vec![on_one_line(&diagram.title).into_owned()];
    for row in &diagram.rows {
        lines.push(String::new());
        draw_row(diagram, row, label, columns, &mut lines);
    }
    draw_axis(diagram, label, columns, &mut lines);
    lines
}

/// The times of a column.
fn column(diagram: &Diagram, number: usize, columns: usize) -> (Nanos, Nanos) {
    let length = u128::from((diagram.until - diagram.from).0.max(1));
    let at = |number: usize| diagram.from + Nanos(cast::u64_from_u128(length * number as u128 / columns as u128));
    let (from, until) = (at(number), at(number + 1));
    (from, until.max(from + Nanos(1)))
}

fn draw_row(diagram: &Diagram, row: &Row, label: usize, columns: usize, lines: &mut Vec<String>) {
    let named = |name: &str, drawn: String| format!("{}{drawn}", padded(&on_one_line(name), label));
    match &row.content {
        Content::Bit { raw, clean, rejected, .. } => {
            if let Some(raw) = raw {
                lines.push(named(&row.under, wave(diagram, raw, columns, ['▁', '▔'])));
                let marks = marks(diagram, rejected, columns);
                if !marks.trim().is_empty() {
                    lines.push(named("", marks));
                }
            }
            lines.push(named(&row.label, wave(diagram, clean, columns, ['▁', '█'])));
        }
        Content::Number(number) => {
            let range = number.scale();
            lines.push(named(&row.label, spark(diagram, &number.steps, range, columns)));
            let words = format!("{} to {}", significant(range.0), significant(range.1));
            lines.push(named(&row.under, words));
        }
        Content::Wire { line, bits } => {
            let letters = bit_names(diagram, bits, columns);
            if !letters.is_empty() {
                lines.push(named("", letters));
            }
            lines.push(named(&row.label, wave(diagram, line, columns, ['▁', '▔'])));
        }
    }
}

/// A name in so many letters.
fn padded(name: &str, width: usize) -> String {
    let cut: String = name.chars().take(width.saturating_sub(1)).collect();
    format!("{cut:<width$}")
}

fn wave(diagram: &Diagram, trace: &Trace, columns: usize, [low, high]: [char; 2]) -> String {
    let letter = |number: usize| {
        let (from, until) = column(diagram, number, columns);
        match trace.slice(from, until) {
            None => ' ',
            Some(slice) if slice.toggles >= DENSE => '▒',
            // A pulse narrower than a column shows all the same.
            Some(slice) if slice.toggles == 2 && slice.high < 0.5 && slice.high > 0.0 => '╷',
            Some(slice) if slice.toggles == 2 && slice.high < 1.0 => '╵',
            Some(slice) if slice.high >= 0.5 => high,
            Some(_) => low,
        }
    };
    (0..columns).map(letter).collect()
}

/// The first letter of the rule that threw away edges of a column.
fn marks(diagram: &Diagram, rejected: &[(Nanos, Rule)], columns: usize) -> String {
    let letter = |number: usize| {
        let (from, until) = column(diagram, number, columns);
        let first = rejected.partition_point(|(time, _)| *time < from);
        match rejected.get(first).filter(|(time, _)| *time < until) {
            Some((_, rule)) => rule.word().chars().next().unwrap_or(' '),
            None => ' ',
        }
    };
    (0..columns).map(letter).collect()
}

/// The names of the bits that are read, each above the column of its clock; empty where they do not fit.
fn bit_names(diagram: &Diagram, bits: &[NamedBit], columns: usize) -> String {
    let length = u128::from((diagram.until - diagram.from).0.max(1));
    let shown: Vec<NamedBit> =
        bits.iter().filter(|bit| (diagram.from..=diagram.until).contains(&bit.at)).cloned().collect();
    let column = |bit: &NamedBit| u128::from((bit.at - diagram.from).0) * columns as u128 / length;
    let places: Vec<usize> = shown.iter().map(|bit| cast::usize_from_u64(cast::u64_from_u128(column(bit)))).collect();
    in_letters(&shown, &places, columns)
}

fn spark(diagram: &Diagram, steps: &Steps, (least, most): (f64, f64), columns: usize) -> String {
    const LETTERS: [char; 8] = ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
    let letter = |number: usize| {
        let (from, until) = column(diagram, number, columns);
        let Some(span) = steps.span(from, until) else { return ' ' };
        let share = if most > least { (span.last - least) / (most - least) } else { 0.0 };
        LETTERS.get(cast::usize_from_f64((share.clamp(0.0, 1.0) * 7.0).round())).copied().unwrap_or(' ')
    };
    (0..columns).map(letter).collect()
}

fn draw_axis(diagram: &Diagram, label: usize, columns: usize, lines: &mut Vec<String>) {
    let [from, until] = [diagram.from, diagram.until].map(|time| diagram.origin.file_time_ns(time));
    let axis = axis(from, until, (cast::i64_from_usize(columns) / 14).max(2));
    let (mut ticks, mut labels) = (vec!['─'; columns], vec![' '; columns + 12]);
    for (mark, text) in &axis.marks {
        let share = (mark - from) as f64 / (until - from).max(1) as f64;
        let at = cast::usize_from_f64(share * columns as f64).min(columns.saturating_sub(1));
        if let Some(tick) = ticks.get_mut(at) {
            *tick = '┴';
        }
        // A label that would be cut off is left out.
        let fits = at + text.chars().count() <= columns;
        text.chars().enumerate().filter(|_| fits).for_each(|(number, letter)| {
            if let Some(place) = labels.get_mut(at + number) {
                *place = letter;
            }
        });
    }
    let ticks: String = ticks.into_iter().collect();
    let labels: String = labels.into_iter().take(columns).collect();
    lines.push(String::new());
    lines.push(format!("{}{ticks}", padded("", label)));
    // The unit and what the times count from must not be cut off.
    let fits = axis.title.chars().count() < label;
    lines.push(format!("{}{}", padded(if fits { &axis.title } else { "" }, label), labels.trim_end()));
    if !fits {
        lines.push(format!("times in {}", axis.title));
    }
}
