//! A link to a broker (MQTT 5.0, OASIS Standard): lines and outputs are topics.

use super::output::Outputs;
use std::fmt;

/// A connection to a broker.
#[derive(Debug, Clone)]
pub struct MqttLink {
    /// Host and port.
    pub address: String,
    /// Its lines, by name.
    pub lines: Vec<(String, MqttPlace)>,
    /// The points that are published, each under a topic.
    pub outputs: Outputs<String>,
    /// The topic that tells whether the outputs are driven.
    pub status: Option<String>,
    /// The user.
    pub user: Option<String>,
    /// The environment variable that has the password.
    pub password_env: Option<String>,
    /// Whether the connection is encrypted.
    pub tls: bool,
    /// The file with the certificate of whoever signed that of the broker; `None` for those that the system knows.
    pub ca: Option<String>,
}

/// Where a line is among what is published.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MqttPlace {
    /// The topic.
    pub topic: String,
    /// Where in a JSON payload the value stands (RFC 6901); `None` where the payload is the value.
    pub value: Option<String>,
    /// Where its time stands, if the device tells one.
    pub time: Option<String>,
    /// What a time that is a number counts.
    pub time_unit: Option<TimeUnit>,
}

/// What a number of time counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum TimeUnit {
    /// Seconds.
    S,
    /// Milliseconds.
    Ms,
    /// Microseconds.
    Us,
    /// Nanoseconds.
    Ns,
}

impl TimeUnit {
    /// How many nanoseconds it is.
    pub fn ns(self) -> i64 {
        match self {
            Self::S => 1_000_000_000,
            Self::Ms => 1_000_000,
            Self::Us => 1000,
            Self::Ns => 1,
        }
    }
}

impl fmt::Display for MqttPlace {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(&self.topic)?;
        self.value.as_ref().map_or(Ok(()), |value| write!(formatter, " {value}"))
    }
}

/// Checks a topic that is published or asked for by its name (MQTT 5.0, 4.7).
///
/// # Errors
/// In words.
pub(super) fn check_topic(topic: &str) -> Result<(), String> {
    match topic {
        "" => Err("a topic has at least one letter".to_owned()),
        topic if topic.contains(['+', '#']) => {
            Err(format!("`{topic}` stands for many topics, and a line or an output is on one: leave out + and #"))
        }
        topic if topic.contains('\0') || topic.len() > 65_535 => Err("this is no topic of MQTT".to_owned()),
        _ => Ok(()),
    }
}

/// Checks a place within a JSON payload (RFC 6901).
///
/// # Errors
/// In words.
pub(super) fn check_pointer(pointer: &str) -> Result<(), String> {
    if pointer.is_empty() || pointer.starts_with('/') {
        return Ok(());
    }
    Err(format!("`{pointer}` is no place in a payload: it begins with /, such as \"/{pointer}\""))
}
