//! What a broker is asked for, and what its messages say of lines.

use super::options::QOS;
use super::payload;
use reigen_core::change::Value;
use reigen_core::time::Nanos;
use reigen_run::line_table::LineTable;
use reigen_run::live::event::LineValue;
use reigen_station::links::mqtt::{MqttLink, MqttPlace};
use rumqttc::v5::mqttbytes::v5::{Filter, Publish};
use std::collections::HashMap;

/// The topics of a link.
pub(super) struct Subscriptions {
    /// The lines on each topic.
    lines: HashMap<String, Vec<(String, MqttPlace)>>,
    /// The topics that the link itself publishes.
    own: Vec<String>,
    table: LineTable,
}

/// What a message says.
#[derive(Debug, Default, PartialEq)]
pub(super) struct Told {
    pub(super) values: Vec<LineValue>,
    pub(super) malformed: Vec<String>,
    /// What tells that somebody else publishes what this link does.
    pub(super) driven_twice: Option<String>,
}

impl Subscriptions {
    /// Of a link; its own topics only where it drives them.
    pub(super) fn new(link: &MqttLink, table: LineTable, drives: bool) -> Self {
        let mut lines: HashMap<String, Vec<(String, MqttPlace)>> = HashMap::new();
        for (name, place) in &link.lines {
            lines.entry(place.topic.clone()).or_default().push((name.clone(), place.clone()));
        }
        let outputs = link.outputs.all.iter().map(|output| output.place.clone());
        let own = outputs.chain(link.status.clone()).filter(|_| drives);
        Self { lines, own: own.collect(), table }
    }

    /// What the broker is asked for.
    pub(super) fn filters(&self) -> Vec<Filter> {
        let wanted = self.lines.keys().map(|topic| Filter::new(topic, QOS));
        // What the link publishes itself does not come back.
        let others = self.own.iter().filter(|topic| !self.lines.contains_key(*topic));
        let own = others.map(|topic| Filter { nolocal: true, ..Filter::new(topic, QOS) });
        wanted.chain(own).collect()
    }

    /// The lines on a topic, as far as the station names them.
    pub(super) fn lines_of(&self, topic: &str) -> Vec<usize> {
        let names = self.lines.get(topic).into_iter().flatten();
        names.filter_map(|(name, _)| self.table.value(name, Value::Unknown).ok()?.map(|(line, _)| line)).collect()
    }

    /// What a message says that came at a time.
    pub(super) fn take(&self, message: &Publish, arrived: Nanos) -> Told {
        let mut told = Told::default();
        let Ok(topic) = std::str::from_utf8(&message.topic) else { return told };
        for (name, place) in self.lines.get(topic).into_iter().flatten() {
            match self.value(&message.payload, name, place) {
                Ok(Some((line, value, own_time_ns))) => {
                    // What the broker has kept is what the line is now, whenever that was sent.
                    let own_time_ns = own_time_ns.filter(|_| !message.retain);
                    told.values.push(LineValue { line, value, arrived, own_time_ns });
                }
                Ok(None) => {}
                Err(why) => told.malformed.push(format!("{topic}: {why}")),
            }
        }
        if !message.retain && self.own.iter().any(|own| own == topic) && !self.lines.contains_key(topic) {
            told.driven_twice = Some(format!("it publishes {topic}"));
        }
        told
    }

    fn value(
        &self,
        payload: &[u8],
        name: &str,
        place: &MqttPlace,
    ) -> Result<Option<(usize, Value, Option<i64>)>, String> {
        let (value, time) = payload::read(payload, place)?;
        Ok(self.table.value(name, value)?.map(|(line, value)| (line, value, time)))
    }
}
