//! Why the work of a fleet cannot go on, in words.

/// Why a server cannot be worked with.
#[derive(Debug, thiserror::Error)]
pub enum FleetError {
    /// Nobody answers.
    #[error("no NATS server answers at {address}: {why}")]
    Unreachable {
        /// Host and port.
        address: String,
        /// In words.
        why: String,
    },
    /// The server has no JetStream.
    #[error("the NATS server at {address} keeps no messages: {why}")]
    KeepsNothing {
        /// Host and port.
        address: String,
        /// In words.
        why: String,
    },
    /// The server refuses something that is needed.
    #[error("the NATS server cannot {what}: {why}")]
    Refused {
        /// What was asked of it.
        what: String,
        /// Its answer.
        why: String,
    },
    /// Something that this computer lacks.
    #[error("{0}")]
    Local(String),
}

impl FleetError {
    /// What mends it.
    pub fn help(&self) -> &'static str {
        match self {
            Self::Unreachable { .. } => "check the address, and that the server runs: nats-server -js",
            Self::KeepsNothing { .. } => "start the server with JetStream: nats-server -js -sd FOLDER",
            Self::Refused { .. } => "check the disk of the server, and what it allows this user",
            Self::Local(_) => "check what it names, then start again",
        }
    }

    /// A refusal.
    pub(crate) fn refused(what: impl Into<String>, why: impl ToString) -> Self {
        Self::Refused { what: what.into(), why: why.to_string() }
    }
}
