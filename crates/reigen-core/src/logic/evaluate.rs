//! An expression worked by column: once an instant, after all changes of that instant.

use super::expression::{Expression, Reference};
use crate::column::Walk;
use crate::engine::{BitSource, Block, Inputs, Outputs};
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
        self.expression.value(&|name| self.names.binary_search(name).is_ok_and(|number| levels >> number & 1 == 1))
    }

    /// The same by the table, where there is one.
    fn value(&self, levels: u64) -> bool {
        match self.table {
            Some(table) => table >> levels & 1 == 1,
            None => self.by_tree(levels),
        }
    }
}

impl Block for Evaluate {
    fn work(&mut self, _window: Window, inputs: Inputs<'_>, outputs: Outputs<'_>) {
        let [output] = outputs.bits else { return };
        let Some(start) = inputs.start(self.sources.iter().copied()) else { return };
        let mut walks: Vec<Walk<'_>> =
            self.sources.iter().filter_map(|&source| Walk::new(inputs.bit(source))).collect();
        let mut levels = 0u64;
        for (number, walk) in walks.iter().enumerate() {
            levels |= u64::from(walk.level()) << number;
        }
        while let Some(time) = walks.iter().filter_map(Walk::next_time).min() {
            if output.level.is_none() && time > start {
                output.start(start, self.value(levels));
            }
            for (number, walk) in walks.iter_mut().enumerate() {
                let odd = walk.pass(time) % 2 == 1;
                levels ^= u64::from(odd) << number;
            }
            let value = self.value(levels);
            if time > start && output.last_level() != Some(value) {
                output.toggles.push(time);
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
    fn the_table_and_the_tree_agree() {
        for text in ["TRUE", "a", "NOT a", "a XOR b AND c", "(a OR b) AND NOT (c XOR d) OR e AND f", "a OR a"] {
            let block = Evaluate::new(parse(text).unwrap(), |_| BitSource::Line(0));
            for levels in 0..1 << block.names.len() {
                assert_eq!(block.value(levels), block.by_tree(levels), "{text} at {levels:b}");
            }
        }
    }
}
