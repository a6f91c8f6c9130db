//! What a machine tells a fleet: the changes of its lines, as rows of JSON Lines.

use crate::error::FleetError;
use crate::runtime::runtime;
use crate::server::{Server, ServerAddress, subject_of};
use async_nats::HeaderMap;
use async_nats::header::NATS_MESSAGE_ID;
use std::time::Duration;
use tokio::time::sleep;

/// How long it waits after the server gave no answer.
const RETRY: Duration = Duration::from_millis(200);

/// What became of a message.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Published {
    /// The server has it.
    Done,
    /// It was not to be tried any longer.
    GivenUp,
}

/// Publishes the rows of one station, each message once and in order.
///
/// One message is on its way at a time: of two, the second may arrive where the first is lost, and what is sent again then
/// comes too late. A machine with much to tell puts more rows into a message.
pub struct Publisher {
    server: Server,
    subject: String,
    /// What the messages of this publisher are called.
    process: String,
    count: u64,
}

impl Publisher {
    /// Of a station.
    ///
    /// # Errors
    /// Where the server does not keep the stream.
    pub async fn new(server: Server, station: &str) -> Result<Self, FleetError> {
        server.lines().await?;
        let process = server.client.new_inbox().rsplit('.').next().unwrap_or_default().to_owned();
        Ok(Self { server, subject: subject_of(station), process, count: 0 })
    }

    /// Publishes rows as a message, and tries until the server has it, as long as `goes_on`, which is told why it is not yet
    /// there, says so.
    pub async fn publish_while(
        &mut self,
        rows: impl Into<bytes::Bytes>,
        mut goes_on: impl FnMut(&str) -> bool,
    ) -> Published {
        self.count += 1;
        let rows: bytes::Bytes = rows.into();
        let mut headers = HeaderMap::new();
        // The server leaves out what it has already.
        headers.insert(NATS_MESSAGE_ID, format!("{}-{}", self.process, self.count).as_str());
        loop {
            let (subject, headers) = (self.subject.clone(), headers.clone());
            let why = match self.server.jetstream.publish_with_headers(subject, headers, rows.clone()).await {
                Err(error) => error.to_string(),
                Ok(future) => match future.await {
                    Ok(_) => return Published::Done,
                    Err(error) => error.to_string(),
                },
            };
            if !goes_on(&why) {
                return Published::GivenUp;
            }
            sleep(RETRY).await;
        }
    }

    /// Publishes rows as a message, and tries until the server has it.
    pub async fn publish(&mut self, rows: impl Into<bytes::Bytes>) {
        self.publish_while(rows, |_| true).await;
    }
}

/// A publisher for a thread that may wait.
pub struct BlockingPublisher {
    runtime: tokio::runtime::Runtime,
    publisher: Publisher,
}

impl BlockingPublisher {
    /// Reaches the server, and publishes the rows of a station there.
    ///
    /// # Errors
    /// Where the server cannot be reached, or does not keep the stream.
    pub fn reach(address: &ServerAddress, station: &str) -> Result<Self, FleetError> {
        let runtime = runtime()?;
        let publisher = runtime.block_on(async { Publisher::new(Server::reach(address).await?, station).await })?;
        Ok(Self { runtime, publisher })
    }

    /// As [`Publisher::publish`].
    pub fn publish(&mut self, rows: impl Into<bytes::Bytes>) {
        self.runtime.block_on(self.publisher.publish(rows));
    }

    /// As [`Publisher::publish_while`].
    pub fn publish_while(&mut self, rows: impl Into<bytes::Bytes>, goes_on: impl FnMut(&str) -> bool) -> Published {
        self.runtime.block_on(self.publisher.publish_while(rows, goes_on))
    }
}
