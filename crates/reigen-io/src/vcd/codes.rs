//! From a variable's identifier code to its number.

use std::collections::HashMap;

/// Codes of up to this many letters are looked up in a table.
const TABLE_LETTERS: usize = 3;
const ABSENT: u32 = u32::MAX;

/// Identifier codes and their numbers.
#[derive(Debug, Default)]
pub(super) struct Codes {
    /// Numbers of short codes, by the code read as a number to the base 94 with digits from 1.
    short: Vec<u32>,
    long: HashMap<Box<[u8]>, u32>,
}

impl Codes {
    /// The number of a code, if it is declared.
    #[inline]
    pub(super) fn get(&self, code: &[u8]) -> Option<u32> {
        let number = match place(code) {
            Some(place) => self.short.get(place).copied().unwrap_or(ABSENT),
            None => self.long.get(code).copied().unwrap_or(ABSENT),
        };
        (number != ABSENT).then_some(number)
    }

    /// Gives a code its number.
    pub(super) fn insert(&mut self, code: &[u8], number: u32) {
        let Some(place) = place(code) else {
            self.long.insert(code.into(), number);
            return;
        };
        if self.short.len() <= place {
            self.short.resize(place + 1, ABSENT);
        }
        if let Some(slot) = self.short.get_mut(place) {
            *slot = number;
        }
    }
}

/// The place of a short code of printable letters in the table.
#[inline]
fn place(code: &[u8]) -> Option<usize> {
    if code.is_empty() || code.len() > TABLE_LETTERS {
        return None;
    }
    code.iter().try_fold(0, |place, &letter| match letter {
        b'!'..=b'~' => Some(place * 94 + usize::from(letter - b' ')),
        _ => None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn each_code_gives_its_own_number(codes in prop::collection::hash_set("[!-~]{1,5}|\\PC{1,2}", 1..60)) {
            let mut table = Codes::default();
            for (number, code) in codes.iter().enumerate() {
                table.insert(code.as_bytes(), number as u32);
            }
            for (number, code) in codes.iter().enumerate() {
                prop_assert_eq!(table.get(code.as_bytes()), Some(number as u32), "{}", code);
            }
            for other in ["", "!!!!!!", "~~~~~~", "a b"] {
                prop_assert_eq!(table.get(other.as_bytes()), None, "{}", other);
            }
        }
    }
}
