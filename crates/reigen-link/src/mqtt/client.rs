//! A link to a broker: a thread takes what comes, another publishes outputs as they change.

use super::options::{QOS, in_words, options, status};
use super::subscriptions::Subscriptions;
use crate::drive::{Driven, LOOK};
use reigen_core::logic::expression::Value;
use reigen_run::line_table::LineTable;
use reigen_run::live::board::Board;
use reigen_run::live::passes::Retry;
use reigen_run::live::teller::{LinkTeller, RunOver};
use reigen_station::links::mqtt::MqttLink;
use rumqttc::v5::mqttbytes::v5::{Packet, SubscribeReasonCode};
use rumqttc::v5::{Client, Connection, Event, MqttOptions};
use serde_json::json;
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::thread;
use std::time::Duration;

/// So many requests wait at most to be sent.
const ROOM: usize = 256;
/// The longest that the end waits until what is published has arrived.
const LONGEST_REST: Duration = Duration::from_secs(1);

/// The longest sleep at once, where there is nothing to publish.
const LONGEST_SLEEP: Duration = Duration::from_secs(3600);

/// A link to a broker.
pub struct MqttClient {
    settings: MqttLink,
    options: MqttOptions,
    /// The lines of the run.
    table: LineTable,
    /// Whether outputs are published.
    drives: bool,
    teller: LinkTeller,
    /// What points are.
    board: Board,
}

/// How the connection is, for the thread that publishes.
#[derive(Debug, Default)]
struct Line {
    state: Mutex<State>,
    changed: Condvar,
}

#[derive(Debug, Default, Clone, Copy)]
struct State {
    /// Which connection it is, counted from 1; `None` where there is none.
    connected: Option<u64>,
    connections: u64,
    /// How many messages have been handed over, and how many the broker has taken.
    sent: u64,
    taken: u64,
}

impl Line {
    fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn change(&self, change: impl FnOnce(&mut State)) {
        change(&mut self.state());
        self.changed.notify_all();
    }

    /// Waits while something holds, for so long at most.
    fn wait_while(&self, at_most: Duration, holds: impl FnMut(&mut State) -> bool) -> State {
        let waited = self.changed.wait_timeout_while(self.state(), at_most, holds);
        *waited.unwrap_or_else(PoisonError::into_inner).0
    }
}

impl MqttClient {
    /// A link as the station says; `drives` tells whether outputs are published.
    ///
    /// # Errors
    /// In words, where the password is not there or the connection cannot be encrypted.
    pub fn new(
        settings: MqttLink,
        table: LineTable,
        drives: bool,
        (teller, board): (LinkTeller, Board),
    ) -> Result<Self, String> {
        let will = settings.status.as_deref().filter(|_| drives);
        let options = options(&settings, will)?;
        Ok(Self { settings, options, table, drives, teller, board })
    }

    /// Works until the run is over.
    pub fn run(self) {
        let (client, connection) = Client::new(self.options.clone(), ROOM);
        let line = Arc::new(Line::default());
        let taker = Taker {
            subscriptions: Subscriptions::new(&self.settings, self.table.clone(), self.drives),
            address: self.settings.address.clone(),
            teller: self.teller.clone(),
            board: self.board.clone(),
            line: line.clone(),
            client: client.clone(),
        };
        // Nobody waits for the thread that takes: an address may be tried for long.
        thread::spawn(move || taker.run(connection));
        if self.drives {
            self.publish(&client, &line);
        } else {
            while self.board.sleep(LONGEST_SLEEP) {}
        }
        // The channel may be full where the broker is gone: then there is nothing to end.
        let _ = client.try_disconnect();
    }

    /// Publishes outputs as they change, over one connection after another.
    fn publish(&self, client: &Client, line: &Line) {
        let mut driven = Driven::new(&self.settings.outputs);
        while self.board.goes_on() {
            let Some(connection) = line.wait_while(LOOK, |state| state.connected.is_none()).connected else { continue };
            driven.reconnected();
            let is_gone = || line.state().connected != Some(connection);
            let sent = self.send_status(client, line, true).and_then(|()| {
                driven.keep_written(&self.board, is_gone, |topic, value| self.send_value(client, line, topic, value))
            });
            // What could not be sent, since too much waits to be, is due again.
            if sent.is_err() {
                self.board.sleep(LOOK);
            }
        }
        // Each topic says that its value is driven no more, and those that go off say so last.
        for (topic, value) in driven.last().into_iter().chain(driven.at_rest()) {
            let _ = self.send_value(client, line, &topic, value);
        }
        let _ = self.send_status(client, line, false);
        line.wait_while(LONGEST_REST, |state| state.connected.is_some() && state.taken < state.sent);
    }

    fn send_status(&self, client: &Client, line: &Line, online: bool) -> Result<(), String> {
        match &self.settings.status {
            Some(topic) => self.send(client, line, topic, status(online)),
            None => Ok(()),
        }
    }

    fn send_value(&self, client: &Client, line: &Line, topic: &str, value: Value) -> Result<(), String> {
        let value = match value {
            Value::Bit(on) => json!(on),
            Value::Integer(count) => json!(count),
            Value::Real(number) => json!(number),
        };
        let online = self.board.goes_on();
        let payload = json!({ "value": value, "time": jiff::Timestamp::now().to_string(), "online": online });
        self.send(client, line, topic, payload.to_string())
    }

    fn send(&self, client: &Client, line: &Line, topic: &str, payload: String) -> Result<(), String> {
        client.try_publish(topic, QOS, true, payload).map_err(|error| error.to_string())?;
        line.change(|state| state.sent += 1);
        Ok(())
    }
}

/// Takes what comes from the broker.
struct Taker {
    subscriptions: Subscriptions,
    address: String,
    teller: LinkTeller,
    board: Board,
    line: Arc<Line>,
    client: Client,
}

impl Taker {
    /// Drives the connection until the run is over and it is closed. Where nobody listens any more it still carries what
    /// is published last.
    fn run(self, mut connection: Connection) {
        let mut retry = Retry::default();
        while let Ok(event) = connection.recv() {
            match event {
                Ok(Event::Incoming(packet)) => {
                    if matches!(packet, Packet::ConnAck(_)) {
                        retry = Retry::default();
                    }
                    let _ = self.take(packet);
                }
                Ok(Event::Outgoing(_)) => {}
                Err(error) => {
                    self.line.change(|state| (state.connected, state.taken) = (None, state.sent));
                    let told = self.teller.lost(format!("{}: {}", self.address, in_words(&error)));
                    if told.is_err() || !self.board.sleep(Duration::from_nanos(retry.wait().0)) {
                        return;
                    }
                }
            }
        }
    }

    fn take(&self, packet: Packet) -> Result<(), RunOver> {
        match packet {
            Packet::ConnAck(_) => {
                self.line.change(|state| {
                    state.connections += 1;
                    state.connected = Some(state.connections);
                });
                let filters = self.subscriptions.filters();
                if !filters.is_empty() {
                    // A fresh connection has room.
                    let _ = self.client.try_subscribe_many(filters);
                }
                self.teller.reached()
            }
            Packet::SubAck(answer) => {
                let filters = self.subscriptions.filters();
                for (filter, code) in filters.iter().zip(&answer.return_codes) {
                    if !matches!(code, SubscribeReasonCode::Success(_)) {
                        let what = format!("{}: {code:?}", filter.path);
                        let lines = self.subscriptions.lines_of(&filter.path);
                        self.teller.refused(what, "check what the broker allows this user", lines)?;
                    }
                }
                Ok(())
            }
            Packet::PubAck(_) => {
                self.line.change(|state| state.taken += 1);
                Ok(())
            }
            Packet::Publish(message) => {
                let told = self.subscriptions.take(&message, self.teller.now());
                for why in told.malformed {
                    self.teller.malformed(1, why)?;
                }
                told.driven_twice.map_or(Ok(()), |what| self.teller.driven_twice(what))?;
                self.teller.values(told.values)
            }
            _ => Ok(()),
        }
    }
}
