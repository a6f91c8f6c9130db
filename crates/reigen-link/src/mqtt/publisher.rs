//! A stand-in for a device that publishes its lines, and takes what is published for it.

use super::options::{QOS, in_words, options};
use super::payload::{json_of, put};
use crate::write::DeviceWrite;
use reigen_core::change::Value;
use reigen_core::time::Nanos;
use reigen_run::live::inbox::RunClock;
use reigen_station::links::mqtt::MqttLink;
use rumqttc::v5::mqttbytes::v5::{Filter, Packet};
use rumqttc::v5::{Client, Event};
use serde_json::Value as Json;
use std::collections::BTreeMap;
use std::io;
use std::sync::Mutex;
use std::sync::mpsc::{Sender, channel};
use std::thread;
use std::time::Duration;

/// So many messages wait at most to be sent.
const ROOM: usize = 65_536;
/// The longest that the start waits for the broker.
const LONGEST_START: Duration = Duration::from_secs(5);

/// Publishes changes of lines.
pub struct LinePublisher {
    settings: MqttLink,
    client: Client,
    /// What each topic with more than a value says now.
    documents: Mutex<BTreeMap<String, Json>>,
}

impl LinePublisher {
    /// Connects to the broker of a link; what is published for the device is told to `writes`.
    ///
    /// # Errors
    /// Where the broker cannot be reached.
    pub fn start(link: &MqttLink, clock: RunClock, writes: Sender<DeviceWrite>) -> io::Result<Self> {
        let options = options(link, None).map_err(io::Error::other)?;
        let (client, mut connection) = Client::new(options, ROOM);
        let points: BTreeMap<String, String> =
            link.outputs.all.iter().map(|output| (output.place.clone(), output.point.clone())).collect();
        let filters: Vec<Filter> = points.keys().map(|topic| Filter::new(topic, QOS)).collect();
        let (ready, is_ready) = channel();
        let asked = client.clone();
        thread::spawn(move || {
            let mut ready = Some(ready);
            loop {
                match connection.recv() {
                    Ok(Ok(Event::Incoming(Packet::ConnAck(_)))) => {
                        if !filters.is_empty() {
                            // A fresh connection has room.
                            let _ = asked.try_subscribe_many(filters.clone());
                        }
                        ready.take().into_iter().for_each(|ready| drop(ready.send(None)));
                    }
                    Ok(Ok(Event::Incoming(Packet::Publish(message)))) => {
                        let place = String::from_utf8_lossy(&message.topic).into_owned();
                        let point = points.get(&place).cloned().unwrap_or_default();
                        let text = String::from_utf8_lossy(&message.payload).into_owned();
                        let told: Json = serde_json::from_str(&text).unwrap_or(Json::String(text));
                        let value = told.get("value").cloned().unwrap_or(told);
                        // Whoever listened may be gone.
                        let _ = writes.send(DeviceWrite { time: clock.now(), place, point, value });
                    }
                    Ok(Ok(_)) => {}
                    Ok(Err(error)) => {
                        ready.take().into_iter().for_each(|ready| drop(ready.send(Some(in_words(&error)))));
                        thread::sleep(Duration::from_millis(200));
                    }
                    Err(_) => return,
                }
            }
        });
        match is_ready.recv_timeout(LONGEST_START) {
            Ok(None) => Ok(Self { settings: link.clone(), client, documents: Mutex::default() }),
            Ok(Some(why)) => Err(io::Error::other(why)),
            Err(_) => Err(io::ErrorKind::TimedOut.into()),
        }
    }

    /// A line takes a value at a time of the device's own clock.
    pub fn publish(&self, Nanos(time_ns): Nanos, line: &str, value: Value) {
        let found = self.settings.lines.iter().find(|(name, _)| name == line);
        let (Some((_, place)), Some(value)) = (found, json_of(value)) else { return };
        let payload = match &place.value {
            None => value.to_string(),
            Some(pointer) => {
                let mut documents = self.documents.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
                let document = documents.entry(place.topic.clone()).or_default();
                put(document, pointer, value);
                if let Some(pointer) = &place.time {
                    put(document, pointer, time_of(time_ns, place.time_unit));
                }
                document.to_string()
            }
        };
        // Where the broker is gone for so long that no message has room, the wire is cut.
        let _ = self.client.try_publish(&place.topic, QOS, true, payload);
    }
}

/// A time as a device tells it: in its unit, or by RFC 3339 from 1970 on.
fn time_of(time_ns: u64, unit: Option<reigen_station::links::mqtt::TimeUnit>) -> Json {
    let time_ns = i64::try_from(time_ns).unwrap_or(i64::MAX);
    match unit {
        Some(unit) if time_ns % unit.ns() == 0 => Json::from(time_ns / unit.ns()),
        Some(unit) => Json::from(time_ns as f64 / unit.ns() as f64),
        None => {
            let time = jiff::Timestamp::from_nanosecond(i128::from(time_ns)).unwrap_or_default();
            Json::from(time.to_string())
        }
    }
}
