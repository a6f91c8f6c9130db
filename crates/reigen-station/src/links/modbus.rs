//! Where a value is in a Modbus device (Modbus Application Protocol V1.1b3): its table, its address from 0 as on the wire, and its form.

use super::connection::Connection;
use super::output::Outputs;
use reigen_core::time::Nanos;
use std::fmt;

/// A Modbus device.
#[derive(Debug, Clone)]
pub struct ModbusLink {
    /// Where it is reached.
    pub at: Connection,
    /// The unit behind it.
    pub unit: u8,
    /// One pass over all reads, then all writes.
    pub every: Nanos,
    /// How long an answer may take.
    pub timeout: Nanos,
    /// Its lines, by name.
    pub lines: Vec<(String, ModbusAddress)>,
    /// The points that it is given.
    pub outputs: Outputs<ModbusAddress>,
    /// Turns over in every pass, so that the device can tell that nobody drives it any more.
    pub heartbeat: Option<BitAddress>,
}

/// One of the four tables of a device.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Table {
    /// Bits that can be written.
    Coil,
    /// Bits that are read only.
    Discrete,
    /// Registers that can be written.
    Holding,
    /// Registers that are read only.
    Input,
}

impl Table {
    /// All of them.
    pub const ALL: [Table; 4] = [Table::Coil, Table::Discrete, Table::Holding, Table::Input];

    /// Its word in the station file.
    pub fn word(self) -> &'static str {
        match self {
            Self::Coil => "coil",
            Self::Discrete => "discrete",
            Self::Holding => "holding",
            Self::Input => "input",
        }
    }

    /// Whether it holds bits.
    pub fn is_bits(self) -> bool {
        matches!(self, Self::Coil | Self::Discrete)
    }

    /// Whether it can be written.
    pub fn is_writable(self) -> bool {
        matches!(self, Self::Coil | Self::Holding)
    }
}

/// The form of a number in registers.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NumberForm {
    /// 16 bits, from 0.
    U16,
    /// 16 bits in two's complement.
    I16,
    /// 32 bits, from 0.
    U32,
    /// 32 bits in two's complement.
    I32,
    /// IEEE 754, 32 bits.
    F32,
}

impl NumberForm {
    /// How many registers it takes.
    pub fn words(self) -> u16 {
        match self {
            Self::U16 | Self::I16 => 1,
            Self::U32 | Self::I32 | Self::F32 => 2,
        }
    }

    /// The number in these registers, the upper one first.
    pub fn of_words(self, [high, low]: [u16; 2]) -> f64 {
        let both = u32::from(high) << 16 | u32::from(low);
        match self {
            Self::U16 => f64::from(low),
            Self::I16 => f64::from(low.cast_signed()),
            Self::U32 => f64::from(both),
            Self::I32 => f64::from(both.cast_signed()),
            Self::F32 => f64::from(f32::from_bits(both)),
        }
    }

    /// A number as its registers, the upper one first; what does not fit becomes the nearest that does.
    pub fn to_words(self, number: f64) -> [u16; 2] {
        let rounded = libm::round(number);
        let within =
            |least: f64, most: f64| reigen_core::cast::whole_i64(rounded.clamp(least, most)).unwrap_or_default();
        let both = match self {
            Self::U16 => within(0.0, 65_535.0),
            Self::I16 => within(-32_768.0, 32_767.0) & 0xffff,
            Self::U32 => within(0.0, f64::from(u32::MAX)),
            Self::I32 => within(f64::from(i32::MIN), f64::from(i32::MAX)) & 0xffff_ffff,
            Self::F32 => i64::from(reigen_core::cast::f32_from_f64(number).to_bits()),
        };
        let word = |shift: u32| u16::try_from(both >> shift & 0xffff).unwrap_or_default();
        [word(16), word(0)]
    }
}

/// A number in registers.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct NumberAddress {
    /// Holding or input.
    pub table: Table,
    /// The first register.
    pub at: u16,
    /// Its form.
    pub form: NumberForm,
    /// Of two registers, whether the first is the lower half.
    pub low_first: bool,
    /// The number is this times what the registers hold.
    pub scale: f64,
    /// And this more.
    pub offset: f64,
}

/// A bit: of a table of bits, or of a register.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BitAddress {
    /// Any table.
    pub table: Table,
    /// Its address, or that of its register.
    pub at: u16,
    /// Which bit of the register, from 0.
    pub bit: Option<u8>,
}

/// Where a value is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum ModbusAddress {
    /// A bit.
    Bit(BitAddress),
    /// A number.
    Number(NumberAddress),
}

impl ModbusAddress {
    /// Whether it is a bit.
    pub fn is_bit(self) -> bool {
        matches!(self, Self::Bit(_))
    }

    /// Its table.
    pub fn table(self) -> Table {
        match self {
            Self::Bit(bit) => bit.table,
            Self::Number(number) => number.table,
        }
    }

    /// Its first address, and the one behind its last.
    pub fn span(self) -> (u32, u32) {
        match self {
            Self::Bit(bit) => (u32::from(bit.at), u32::from(bit.at) + 1),
            Self::Number(number) => (u32::from(number.at), u32::from(number.at) + u32::from(number.form.words())),
        }
    }

    /// Whether two values share a place: different bits of one register do not.
    pub fn overlaps(self, other: Self) -> bool {
        let ((from, until), (other_from, other_until)) = (self.span(), other.span());
        let apart = match (self, other) {
            (Self::Bit(one), Self::Bit(two)) => one.bit != two.bit,
            _ => false,
        };
        self.table() == other.table() && from < other_until && other_from < until && !apart
    }
}

impl fmt::Display for ModbusAddress {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(formatter, "{} {}", self.table().word(), self.span().0)?;
        match self {
            Self::Bit(BitAddress { bit: Some(bit), .. }) => write!(formatter, " bit {bit}"),
            _ => Ok(()),
        }
    }
}

/// Reads `coil 0`: a table and an address.
///
/// # Errors
/// In words.
pub fn parse_place(text: &str) -> Result<(Table, u16), String> {
    let (word, number) = text.trim().split_once(char::is_whitespace).unwrap_or((text, ""));
    let table = Table::ALL.into_iter().find(|table| table.word() == word);
    let table = table.ok_or_else(|| {
        format!("`{text}` is no place in a Modbus device: use `coil 0`, `discrete 0`, `holding 0` or `input 0`")
    })?;
    let number = number.trim();
    match number.parse::<u16>() {
        Ok(at) => Ok((table, at)),
        Err(_) => Err(format!("`{number}` is no address: from 0 to 65535, counted from 0 as on the wire")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_number_comes_back_from_its_registers(number in any::<i32>()) {
            let number = f64::from(number);
            prop_assert_eq!(NumberForm::I32.of_words(NumberForm::I32.to_words(number)), number);
            for (form, least, most) in [
                (NumberForm::U16, 0.0, 65_535.0),
                (NumberForm::I16, -32_768.0, 32_767.0),
                (NumberForm::U32, 0.0, 4_294_967_295.0),
            ] {
                prop_assert_eq!(form.of_words(form.to_words(number)), number.clamp(least, most));
            }
            prop_assert_eq!(NumberForm::F32.of_words(NumberForm::F32.to_words(number)) as f32, number as f32);
        }
    }
}
