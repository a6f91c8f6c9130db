//! An expression worked by column: once an instant, after all changes of that instant.

use super::expression::{Expression, Reference, Value};
use crate::block::{BitSource, Block, Inputs, Instants, Outputs, without_state};
use crate::column::BitColumn;
use crate::time::Window;

/// Up to this many names, all values of an expression fit one word of 64 bits.
const TABLE_NAMES: usize = 6;

/// The running form of an expression over bits.
pub struct Evaluate {
    sources: Vec<BitSource>,
    names: Vec<Reference>,
    expression: Expression,
    /// Bit `i` is the value where name `n` has bit `n` of `i`; `None` for more names than fit.
    table: Option<u64>,
}

impl Evaluate {
    /// An expression, and where to read each of its names.
    pub fn new(expression: Expression, named: &[(Reference, BitSource)]) -> Self {
        let mut named = named.to_vec();
        named.sort_by(|(one, _), (other, _)| one.cmp(other));
        named.dedup_by(|(one, _), (other, _)| one == other);
        let (names, sources) = named.into_iter().unzip();
        let mut block = Self { sources, names, expression, table: None };
        block.table = (block.names.len() <= TABLE_NAMES).then(|| {
            let value = |levels: u64| block.by_tree(|number| levels >> number & 1 == 1);
            (0..1u64 << block.names.len()).fold(0, |table, levels| table | u64::from(value(levels)) << levels)
        });
        block
    }

    /// The value, where `level` is that of each name by its number: the readable form.
    fn by_tree(&self, level: impl Fn(usize) -> bool) -> bool {
        let of = |name: &Reference| Some(Value::Bit(level(self.names.binary_search(name).ok()?)));
        self.expression.value(&of) == Some(Value::Bit(true))
    }

    /// Works through a window; `value` makes a value of the names' levels after an instant.
    fn work_by(&self, inputs: Inputs<'_>, output: &mut BitColumn, mut value: impl FnMut(&Instants<'_>) -> bool) {
        let sources = self.sources.iter().copied();
        let Some(mut instants) = Instants::new(&inputs, sources, output.level.is_some()) else { return };
        while let Some(time) = instants.advance() {
            let now = value(&instants);
            match output.last_level() {
                None => output.start(time, now),
                Some(before) if before != now => output.toggles.push(time),
                Some(_) => {}
            }
        }
    }
}

impl Block for Evaluate {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let [output] = outputs.bits else { return };
        match self.table {
            Some(table) => self.work_by(inputs, output, |instants| table >> instants.word() & 1 == 1),
            None => self.work_by(inputs, output, |instants| self.by_tree(|bit| instants.level(bit))),
        }
    }
}

without_state!(Evaluate);

#[cfg(test)]
mod tests {
    use super::*;
    use crate::block::Lines;
    use crate::logic::expression::parse;
    use crate::time::Nanos;

    /// An expression whose names are lines by their numbers.
    fn block(text: &str, line: impl Fn(&Reference) -> usize) -> Evaluate {
        let expression = parse(text).unwrap();
        let names = expression.names().into_iter().map(|(name, _)| (name.clone(), BitSource::Line(line(name))));
        let sources: Vec<(Reference, BitSource)> = names.collect();
        Evaluate::new(expression, &sources)
    }

    /// The output's toggles, and what it begins with, where each name toggles once, at the time of its number.
    fn worked(text: &str) -> (Option<bool>, Vec<u64>) {
        let mut block = block(text, |name| name.point.trim_start_matches('p').parse().unwrap());
        let column = |time: u64| BitColumn { level: Some(false), since: Nanos(0), toggles: vec![Nanos(time)] };
        let lines: Vec<BitColumn> = (0..200).map(column).collect();
        let mut output = [BitColumn::default()];
        let inputs = Inputs { lines: Lines::of_bits(&lines), bits: &[], counts: &[], readings: &[] };
        let window = Window { from: Nanos(0), until: Nanos(300) };
        block.work(window, inputs, Outputs { bits: &mut output, counts: &mut [], readings: &mut [] });
        let [output] = output;
        (output.level, output.toggles.iter().map(|time| time.0).collect())
    }

    #[test]
    fn many_names_are_all_looked_at() {
        for count in [2, 6, 7, 64, 65, 130] {
            let joined = |word: &str| (1..=count).map(|name| format!("p{name}")).collect::<Vec<_>>().join(word);
            assert_eq!(worked(&joined(" AND ")), (Some(false), vec![count]), "{count}");
            assert_eq!(worked(&joined(" OR ")), (Some(false), vec![1]), "{count}");
            assert_eq!(worked(&joined(" XOR ")), (Some(false), (1..=count).collect()), "{count}");
        }
    }

    #[test]
    fn the_table_and_the_tree_agree() {
        for text in ["TRUE", "a", "NOT a", "a XOR b AND c", "(a OR b) AND NOT (c XOR d) OR e AND f", "a OR a"] {
            let block = block(text, |_| 0);
            let table = block.table.unwrap();
            for levels in 0..1u64 << block.names.len() {
                let value = block.by_tree(|number| levels >> number & 1 == 1);
                assert_eq!(table >> levels & 1 == 1, value, "{text} at {levels:b}");
            }
        }
    }
}
