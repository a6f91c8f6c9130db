//! What a worker tells its listener.

use serde::Serialize;

/// What happened to a station, or to the worker.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[serde(tag = "event", rename_all = "snake_case")]
pub enum FleetEvent {
    /// The worker has a station, and goes on behind a message.
    Took {
        /// The station.
        station: String,
        /// The last message that is in its counts; 0 for none.
        sequence: u64,
    },
    /// The worker gave a station back, for another that has fewer, or at its end.
    Gave {
        /// The station.
        station: String,
        /// The last message that is in its counts.
        sequence: u64,
    },
    /// Another worker is further with the station: what this one counted since its last state is let go.
    Overtaken {
        /// The station.
        station: String,
        /// The other worker.
        worker: String,
        /// The last message that is in its counts.
        sequence: u64,
    },
    /// A station cannot be worked.
    Refused {
        /// The station.
        station: String,
        /// In words.
        why: String,
        /// What mends it.
        help: String,
    },
    /// Rows of a message mean nothing, and are left out.
    Malformed {
        /// The station.
        station: String,
        /// The message.
        sequence: u64,
        /// How many rows.
        rows: u64,
        /// Why the first of them means nothing.
        first: String,
    },
    /// The server has dropped messages before anybody worked them.
    Dropped {
        /// The station.
        station: String,
        /// The last message that is in its counts.
        sequence: u64,
        /// The first message that the server still has.
        first_kept: u64,
    },
    /// The server does not answer; the worker tries again.
    Waiting {
        /// In words.
        why: String,
    },
}
