//! An expression worked by column: once an instant, after all changes of that instant.

use super::expression::{Expression, Reference, Value};
use crate::column::BitColumn;
use crate::engine::{BitSource, Block, Inputs, Outputs};
use crate::time::{Nanos, Window};

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
    pub fn new(expression: Expression, source_of: impl Fn(&Reference) -> BitSource) -> Self {
        let mut names: Vec<Reference> = expression.names().into_iter().map(|(name, _)| name.clone()).collect();
        names.sort();
        names.dedup();
        let sources = names.iter().map(source_of).collect();
        let mut block = Self { sources, names, expression, table: None };
        block.table = (block.names.len() <= TABLE_NAMES).then(|| {
            (0..1u64 << block.names.len()).fold(0, |table, levels| table | u64::from(block.by_tree(levels)) << levels)
        });
        block
    }

    /// The value, where name `n` has bit `n` of `levels`: the readable form.
    fn by_tree(&self, levels: u64) -> bool {
        let of = |name: &Reference| {
            let number = self.names.binary_search(name).ok()?;
            Some(Value::Bit(levels >> number & 1 == 1))
        };
        self.expression.value(&of) == Some(Value::Bit(true))
    }

    /// The same by the table, where there is one.
    fn value(&self, levels: u64) -> bool {
        match self.table {
            Some(table) => table >> levels & 1 == 1,
            None => self.by_tree(levels),
        }
    }
}

/// Later than all times.
const NEVER: u64 = u64::MAX;

/// The next toggle of a column, and those after it.
struct Head<'a> {
    next: u64,
    rest: &'a [Nanos],
}

impl<'a> Head<'a> {
    fn new(column: &'a BitColumn) -> Self {
        let mut head = Self { next: NEVER, rest: &column.toggles };
        head.step();
        head
    }

    #[inline]
    fn step(&mut self) {
        (self.next, self.rest) = match self.rest {
            [next, rest @ ..] => (next.0, rest),
            [] => (NEVER, self.rest),
        };
    }

    /// Passes all toggles at exactly `time`; gives 1 where the level is another after them.
    #[inline]
    fn pass(&mut self, time: u64) -> u64 {
        let mut odd = 0;
        while self.next == time {
            odd ^= 1;
            self.step();
        }
        odd
    }
}

impl Block for Evaluate {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let [output] = outputs.bits else { return };
        let Some(start) = inputs.start(self.sources.iter().copied()) else { return };
        let columns = self.sources.iter().map(|&source| inputs.bit(source));
        let mut heads: Vec<Head<'_>> = columns.clone().map(Head::new).collect();
        let mut levels =
            columns.enumerate().fold(0, |all, (number, column)| all | u64::from(column.level == Some(true)) << number);
        loop {
            let time = heads.iter().map(|head| head.next).min().unwrap_or(NEVER);
            if time == NEVER {
                break;
            }
            if output.level.is_none() && time > start.0 {
                output.start(start, self.value(levels));
            }
            for (number, head) in heads.iter_mut().enumerate() {
                levels ^= head.pass(time) << number;
            }
            if time > start.0 && output.last_level() != Some(self.value(levels)) {
                output.toggles.push(Nanos(time));
            }
        }
        if output.level.is_none() {
            output.start(start, self.value(levels));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::logic::expression::parse;

    #[test]
    fn more_names_than_a_table_holds_are_worked_by_the_tree() {
        let block = Evaluate::new(parse("a AND b AND c AND d AND e AND f AND g").unwrap(), |_| BitSource::Line(0));
        assert_eq!(block.table, None);
        assert!(block.value(0b111_1111) && !block.value(0b111_1110));
    }

    #[test]
    fn the_table_and_the_tree_agree() {
        for text in ["TRUE", "a", "NOT a", "a XOR b AND c", "(a OR b) AND NOT (c XOR d) OR e AND f", "a OR a"] {
            let block = Evaluate::new(parse(text).unwrap(), |_| BitSource::Line(0));
            for levels in 0..1 << block.names.len() {
                assert_eq!(block.value(levels), block.by_tree(levels), "{text} at {levels:b}");
            }
        }
    }
}
