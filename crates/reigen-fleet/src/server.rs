//! The server of a fleet: what it keeps, and under which names.

use crate::error::FleetError;
use async_nats::jetstream::context::{Context, GetStreamErrorKind};
use async_nats::jetstream::stream::{self, DiscardPolicy};
use async_nats::jetstream::{self, ErrorCode, kv};
use async_nats::{Client, ConnectOptions, Event};
use std::time::Duration;
use tokio::sync::watch;

/// The stream with what all lines did.
pub const LINES_STREAM: &str = "REIGEN_LINES";
/// The bucket with what each station's run must know of the past.
pub const STATES_BUCKET: &str = "reigen_states";
/// The bucket with who works which station.
pub const LEASES_BUCKET: &str = "reigen_leases";

/// The longest that an answer of the server may take.
const LONGEST_ANSWER: Duration = Duration::from_secs(5);
/// A message that comes twice within this time is taken once.
const DUPLICATES: Duration = Duration::from_secs(120);

/// The subject of a station's lines.
pub fn subject_of(station: &str) -> String {
    format!("reigen.lines.{station}")
}

/// A server, before anybody has reached it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ServerAddress {
    /// Host and port.
    pub address: String,
    /// User and password.
    pub user: Option<(String, String)>,
}

/// A server that has been reached.
#[derive(Debug, Clone)]
pub struct Server {
    /// What messages go over.
    pub client: Client,
    /// What keeps them.
    pub jetstream: Context,
    /// How many connections there have been: whatever waits on the server begins again with each.
    pub connections: watch::Receiver<u64>,
    address: String,
}

impl Server {
    /// Reaches a server that keeps messages.
    ///
    /// # Errors
    /// Where nobody answers, or messages are not kept.
    pub async fn reach(address: &ServerAddress) -> Result<Self, FleetError> {
        let (count, connections) = watch::channel(0);
        let options =
            ConnectOptions::new().name("reigen").connection_timeout(LONGEST_ANSWER).event_callback(move |event| {
                if matches!(event, Event::Connected) {
                    count.send_modify(|count| *count += 1);
                }
                std::future::ready(())
            });
        let options = match &address.user {
            Some((user, password)) => options.user_and_password(user.clone(), password.clone()),
            None => options,
        };
        let unreachable = |why: String| FleetError::Unreachable { address: address.address.clone(), why };
        let client = options.connect(&address.address).await.map_err(|error| unreachable(error.to_string()))?;
        let mut jetstream = jetstream::new(client.clone());
        jetstream.set_timeout(LONGEST_ANSWER);
        let server = Self { client, jetstream, connections, address: address.address.clone() };
        // Any answer will do, that there is no such stream too.
        if let Err(error) = server.jetstream.get_stream(LINES_STREAM).await
            && !matches!(error.kind(), GetStreamErrorKind::JetStream(answer) if answer.error_code() == ErrorCode::STREAM_NOT_FOUND)
        {
            return Err(FleetError::KeepsNothing { address: server.address.clone(), why: error.to_string() });
        }
        Ok(server)
    }

    /// The stream with what all lines did; made where there is none.
    ///
    /// # Errors
    /// Where the server refuses it.
    pub async fn lines(&self) -> Result<stream::Stream, FleetError> {
        let config = stream::Config {
            name: LINES_STREAM.to_owned(),
            subjects: vec![subject_of("*")],
            duplicate_window: DUPLICATES,
            allow_direct: true,
            ..Default::default()
        };
        let made = self.jetstream.get_or_create_stream(config).await;
        made.map_err(|error| FleetError::refused(format!("keep the stream {LINES_STREAM}"), error))
    }

    /// The bucket with the states; made where there is none.
    ///
    /// # Errors
    /// Where the server refuses it.
    pub async fn states(&self) -> Result<kv::Store, FleetError> {
        self.bucket(STATES_BUCKET, Duration::ZERO).await
    }

    /// The bucket with who works which station. What nobody renews is gone after a time, which the first worker sets.
    ///
    /// # Errors
    /// Where the server refuses it.
    pub async fn leases(&self, length: Duration) -> Result<kv::Store, FleetError> {
        self.bucket(LEASES_BUCKET, length).await
    }

    async fn bucket(&self, name: &str, max_age: Duration) -> Result<kv::Store, FleetError> {
        let refused = |error: &dyn std::fmt::Display| FleetError::refused(format!("keep the bucket {name}"), error);
        if let Ok(found) = self.jetstream.get_key_value(name).await {
            return Ok(found);
        }
        // A bucket is a stream of this form (NATS ADR-8); older servers do not answer what making one otherwise asks first.
        let config = stream::Config {
            name: format!("KV_{name}"),
            subjects: vec![format!("$KV.{name}.>")],
            max_messages_per_subject: 1,
            max_age,
            discard: DiscardPolicy::New,
            allow_rollup: true,
            deny_delete: true,
            allow_direct: true,
            num_replicas: 1,
            ..Default::default()
        };
        // Another worker may have made it at the same time.
        let made = self.jetstream.get_or_create_stream(config).await;
        made.map_err(|error| refused(&error))?;
        self.jetstream.get_key_value(name).await.map_err(|error| refused(&error))
    }
}
