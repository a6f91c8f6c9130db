//! What a line is, and why it is thought so.

use crate::time::Nanos;

/// What a line is, and why it is thought so.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Guess {
    /// The word for it.
    pub kind: Kind,
    /// The evidence, with its figures.
    pub ground: String,
}

impl Guess {
    /// A guess with its evidence.
    pub fn new(kind: Kind, ground: impl Into<String>) -> Self {
        Self { kind, ground: ground.into() }
    }
}

/// What a line is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Kind {
    /// It never changes.
    Dead,
    /// Nothing drives it.
    Floating,
    /// A mechanical contact.
    Contact,
    /// Pulses of a sensor on something that moves.
    Pulses,
    /// A fixed period or fixed gaps: the width carries the value.
    Modulated,
    /// Asynchronous characters.
    Serial {
        /// The time of one bit.
        bit: Nanos,
    },
    /// A wire of a clocked bus that is no shift-register chain.
    Bus {
        /// The clock line's name.
        clock: String,
    },
    /// The first or second channel of an encoder, with the other one's name.
    Quadrature {
        /// The other channel.
        with: String,
        /// Whether this one leads.
        leads: bool,
    },
    /// The index of an encoder.
    Index {
        /// A channel of the encoder.
        of: String,
        /// How many cycles of a channel lie between two marks.
        cycles: u64,
    },
    /// One side of a changeover contact, with the other one's name.
    Changeover {
        /// The other side.
        with: String,
    },
    /// A wire of a shift-register chain.
    Chain {
        /// Which one: `load`, `clock` or `data`.
        wire: &'static str,
        /// How many clocks a frame has.
        bits: usize,
    },
    /// The trigger of an echo sensor, with its echo.
    Trigger {
        /// The echo.
        of: String,
    },
    /// The echo of an echo sensor, with its trigger.
    Echo {
        /// The trigger.
        of: String,
    },
    /// Something else, or in doubt.
    Unknown,
}

impl Kind {
    /// Its first word, which is one of a fixed list.
    pub fn word(&self) -> &'static str {
        match self {
            Kind::Dead => "dead",
            Kind::Floating => "floating",
            Kind::Contact => "contact",
            Kind::Pulses => "pulse train",
            Kind::Modulated => "modulated",
            Kind::Serial { .. } => "serial",
            Kind::Bus { .. } => "bus",
            Kind::Quadrature { .. } => "quadrature",
            Kind::Index { .. } => "index",
            Kind::Changeover { .. } => "changeover",
            Kind::Chain { .. } => "chain",
            Kind::Trigger { .. } => "trigger",
            Kind::Echo { .. } => "echo",
            Kind::Unknown => "unknown",
        }
    }

    /// The word for it, and what it belongs to.
    pub fn words(&self) -> String {
        let word = self.word();
        match self {
            Kind::Quadrature { with, leads: true } => format!("{word}, leads {with}"),
            Kind::Quadrature { with, leads: false } => format!("{word}, follows {with}"),
            Kind::Index { of, .. } | Kind::Trigger { of } | Kind::Echo { of } => format!("{word} of {of}"),
            Kind::Changeover { with } => format!("{word} with {with}"),
            Kind::Chain { wire, .. } => format!("{word} {wire}"),
            Kind::Serial { bit } => format!("{word}, {bit} a bit"),
            Kind::Bus { clock } => format!("{word}, clock {clock}"),
            _ => word.to_owned(),
        }
    }

    /// Whether it is a mechanical contact, which may bounce.
    pub fn is_contact(&self) -> bool {
        matches!(self, Kind::Contact | Kind::Changeover { .. })
    }

    /// Whether each of its edges is made by electronics, so that none is bounce.
    pub fn is_pulses(&self) -> bool {
        matches!(
            self,
            Kind::Pulses
                | Kind::Modulated
                | Kind::Quadrature { .. }
                | Kind::Index { .. }
                | Kind::Chain { .. }
                | Kind::Trigger { .. }
                | Kind::Echo { .. }
        )
    }
}
