//! MQTT 5: lines and outputs are topics of a broker.

mod client;
mod options;
pub mod payload;
mod publisher;
mod subscriptions;

pub use client::MqttClient;
pub use publisher::LinePublisher;
