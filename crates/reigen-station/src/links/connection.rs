//! Where a device is reached: over TCP, or at a serial port.

/// A serial port. A byte has eight bits.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SerialPort {
    /// The file of its device, such as `/dev/ttyUSB0`.
    pub path: String,
    /// Bits per second.
    pub baud: u32,
    /// The bit that is added to each byte.
    pub parity: Parity,
    /// Whether two stop bits follow each byte; else one.
    pub two_stop_bits: bool,
}

/// The parity of a byte.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Parity {
    /// No bit is added.
    None,
    /// The ones are even in number.
    Even,
    /// The ones are odd in number.
    Odd,
}

impl std::fmt::Display for SerialPort {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let parity = match self.parity {
            Parity::None => 'N',
            Parity::Even => 'E',
            Parity::Odd => 'O',
        };
        let stop_bits = if self.two_stop_bits { 2 } else { 1 };
        write!(formatter, "{} {} 8{parity}{stop_bits}", self.path, self.baud)
    }
}

/// Where a device is reached.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Connection {
    /// Over TCP: host and port.
    Tcp(String),
    /// At a serial port.
    Serial(SerialPort),
}

impl std::fmt::Display for Connection {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Tcp(address) => formatter.write_str(address),
            Self::Serial(port) => port.fmt(formatter),
        }
    }
}
