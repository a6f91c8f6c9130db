//! The requests of a pass: neighbouring addresses are read at once.

use reigen_core::change::Value;
use reigen_station::links::modbus::{BitAddress, ModbusAddress, NumberAddress, Table};

/// The most bits and registers of one request (Modbus Application Protocol V1.1b3, 6.1 and 6.3).
const MOST_BITS: u32 = 2000;
const MOST_REGISTERS: u32 = 125;

/// One request, and the lines that are in its answer.
#[derive(Debug, Clone, PartialEq)]
pub struct ReadRequest {
    /// The table that it reads.
    pub table: Table,
    /// The first address.
    pub from: u16,
    /// How many bits or registers.
    pub count: u16,
    /// Each line with its number.
    pub lines: Vec<(usize, ModbusAddress)>,
}

/// What a device answers: bits or registers.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Answer {
    /// Bits.
    Bits(Vec<bool>),
    /// Registers.
    Registers(Vec<u16>),
}

/// The requests that read these lines.
pub fn requests(lines: &[(usize, ModbusAddress)]) -> Vec<ReadRequest> {
    let mut sorted = lines.to_vec();
    sorted.sort_by_key(|(_, address)| (address.table(), address.span()));
    let mut requests: Vec<ReadRequest> = Vec::new();
    for (line, address) in sorted {
        let (from, until) = address.span();
        let most = if address.table().is_bits() { MOST_BITS } else { MOST_REGISTERS };
        let fits = |request: &&mut ReadRequest| {
            let (first, end) = (u32::from(request.from), u32::from(request.from) + u32::from(request.count));
            request.table == address.table() && from <= end && until - first <= most
        };
        match requests.last_mut().filter(fits) {
            Some(request) => {
                let end = until.max(u32::from(request.from) + u32::from(request.count));
                request.count = u16::try_from(end - u32::from(request.from)).unwrap_or(u16::MAX);
                request.lines.push((line, address));
            }
            None => requests.push(ReadRequest {
                table: address.table(),
                from: u16::try_from(from).unwrap_or_default(),
                count: u16::try_from(until - from).unwrap_or_default(),
                lines: vec![(line, address)],
            }),
        }
    }
    requests
}

impl ReadRequest {
    /// What the lines are by the answer; `None` where the answer is too short.
    pub fn values(&self, answer: &Answer) -> Option<Vec<(usize, Value)>> {
        self.lines.iter().map(|&(line, address)| Some((line, self.value(address, answer)?))).collect()
    }

    fn value(&self, address: ModbusAddress, answer: &Answer) -> Option<Value> {
        let place = usize::try_from(address.span().0 - u32::from(self.from)).ok()?;
        match (address, answer) {
            (ModbusAddress::Bit(BitAddress { bit: None, .. }), Answer::Bits(bits)) => {
                bits.get(place).copied().map(Value::Level)
            }
            (ModbusAddress::Bit(BitAddress { bit: Some(bit), .. }), Answer::Registers(words)) => {
                words.get(place).map(|word| Value::Level(word >> bit & 1 == 1))
            }
            (ModbusAddress::Number(number), Answer::Registers(words)) => {
                number_of(number, words.get(place..)?).map(Value::Number)
            }
            _ => None,
        }
    }
}

/// The number that begins at the first of these registers.
fn number_of(number: NumberAddress, words: &[u16]) -> Option<f64> {
    let halves = match (number.form.words(), number.low_first) {
        (1, _) => [0, *words.first()?],
        (_, false) => [*words.first()?, *words.get(1)?],
        (_, true) => [*words.get(1)?, *words.first()?],
    };
    Some(number.form.of_words(halves) * number.scale + number.offset)
}

/// The registers of a number, in their order on the wire.
pub fn words_of(number: NumberAddress, value: f64) -> Vec<u16> {
    let [high, low] = number.form.to_words((value - number.offset) / number.scale);
    match (number.form.words(), number.low_first) {
        (1, _) => vec![low],
        (_, false) => vec![high, low],
        (_, true) => vec![low, high],
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use reigen_station::links::modbus::NumberForm;

    fn address() -> impl Strategy<Value = ModbusAddress> {
        let form = prop::sample::select(vec![NumberForm::U16, NumberForm::I16, NumberForm::U32, NumberForm::I32]);
        let number = (any::<bool>(), 0..400u16, form, any::<bool>()).prop_map(|(input, at, form, low_first)| {
            let table = if input { Table::Input } else { Table::Holding };
            ModbusAddress::Number(NumberAddress { table, at, form, low_first, scale: 2.0, offset: 1.0 })
        });
        let bit = (any::<bool>(), 0..4000u16).prop_map(|(coil, at)| {
            ModbusAddress::Bit(BitAddress { table: if coil { Table::Coil } else { Table::Discrete }, at, bit: None })
        });
        let of_word = (0..400u16, 0..16u8)
            .prop_map(|(at, bit)| ModbusAddress::Bit(BitAddress { table: Table::Holding, at, bit: Some(bit) }));
        prop_oneof![number, bit, of_word]
    }

    proptest! {
        /// Each line is in one request that holds all of it, none is larger than the protocol allows, and what is read is
        /// what the device has there.
        #[test]
        fn every_line_is_read_once_within_the_bounds(addresses in prop::collection::vec(address(), 0..80)) {
            let lines: Vec<(usize, ModbusAddress)> = addresses.into_iter().enumerate().collect();
            let requests = requests(&lines);
            let mut read: Vec<usize> = requests.iter().flat_map(|request| request.lines.iter().map(|(line, _)| *line)).collect();
            read.sort_unstable();
            prop_assert_eq!(read, (0..lines.len()).collect::<Vec<_>>());
            // The device has at each address what follows from the address.
            let word = |at: u32| u16::try_from(at * 7919 % 65_536).unwrap();
            for request in &requests {
                let range = u32::from(request.from)..u32::from(request.from) + u32::from(request.count);
                let most = if request.table.is_bits() { MOST_BITS } else { MOST_REGISTERS };
                prop_assert!(u32::from(request.count) <= most);
                let answer = match request.table.is_bits() {
                    true => Answer::Bits(range.map(|at| word(at) & 1 == 1).collect()),
                    false => Answer::Registers(range.map(word).collect()),
                };
                for (line, value) in request.values(&answer).unwrap() {
                    let (at, _) = lines[line].1.span();
                    let wanted = match lines[line].1 {
                        ModbusAddress::Bit(BitAddress { bit: None, .. }) => Value::Level(word(at) & 1 == 1),
                        ModbusAddress::Bit(BitAddress { bit: Some(bit), .. }) => Value::Level(word(at) >> bit & 1 == 1),
                        ModbusAddress::Number(number) => {
                            let words = [word(at), word(at + 1)];
                            let halves = match (number.form.words(), number.low_first) {
                                (1, _) => [0, words[0]],
                                (_, low_first) => if low_first { [words[1], words[0]] } else { words },
                            };
                            let value = number.form.of_words(halves) * 2.0 + 1.0;
                            // What is written comes back.
                            prop_assert_eq!(words_of(number, value), words[..usize::from(number.form.words())].to_vec());
                            Value::Number(value)
                        }
                    };
                    prop_assert_eq!(value, wanted);
                }
                prop_assert_eq!(request.values(&Answer::Bits(Vec::new())), None);
            }
        }
    }
}
