//! The lines of one machine as they come, for a thread that may wait.

use crate::error::FleetError;
use crate::runtime::runtime;
use crate::server::{Server, ServerAddress, subject_of};
use async_nats::jetstream::consumer::DeliverPolicy;
use async_nats::jetstream::consumer::pull::{Ordered, OrderedConfig};
use futures_util::StreamExt as _;
use std::time::Duration;
use tokio::runtime::Runtime;
use tokio::time::timeout;

/// What one machine told at once.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LineMessage {
    /// Its number.
    pub sequence: u64,
    /// Rows of JSON Lines.
    pub rows: bytes::Bytes,
}

/// The messages of one machine, from some message on.
pub struct LineMessages {
    runtime: Runtime,
    server: Server,
    messages: Ordered,
    before: u64,
}

impl LineMessages {
    /// The messages behind one, or those from now on.
    ///
    /// # Errors
    /// Where the server cannot be reached, or does not keep the stream.
    pub fn open(address: &ServerAddress, station: &str, behind: Option<u64>) -> Result<Self, FleetError> {
        let runtime = runtime()?;
        let (server, messages, before) = runtime.block_on(async {
            let server = Server::reach(address).await?;
            let lines = server.lines().await?;
            let refused = |why: String| FleetError::refused(format!("give the lines of {station}"), why);
            let newest = lines.get_info().await.map_err(|error| refused(error.to_string()))?.state.last_sequence;
            let before = behind.unwrap_or(newest);
            let config = OrderedConfig {
                filter_subject: subject_of(station),
                deliver_policy: DeliverPolicy::ByStartSequence { start_sequence: before + 1 },
                ..OrderedConfig::default()
            };
            let consumer = lines.create_consumer(config).await.map_err(|error| refused(error.to_string()))?;
            let messages = consumer.messages().await.map_err(|error| refused(error.to_string()))?;
            Ok::<_, FleetError>((server, messages, before))
        })?;
        Ok(Self { runtime, server, messages, before })
    }

    /// The message behind which they begin.
    pub fn before(&self) -> u64 {
        self.before
    }

    /// The next message; `None` where none comes in so long.
    ///
    /// # Errors
    /// Where the connection is lost: open again, behind the last message.
    pub fn next(&mut self, longest: Duration) -> Result<Option<LineMessage>, FleetError> {
        let Self { runtime, server, messages, .. } = self;
        let lost = |why: String| FleetError::refused("be heard", why);
        runtime.block_on(async {
            let Ok(next) = timeout(longest, messages.next()).await else {
                let state = server.client.connection_state();
                return match state {
                    async_nats::connection::State::Connected => Ok(None),
                    _ => Err(lost("the connection is lost".to_owned())),
                };
            };
            let message =
                next.ok_or_else(|| lost("no more comes".to_owned()))?.map_err(|error| lost(error.to_string()))?;
            let sequence = message.info().map_err(|error| lost(error.to_string()))?.stream_sequence;
            Ok(Some(LineMessage { sequence, rows: message.payload.clone() }))
        })
    }
}
