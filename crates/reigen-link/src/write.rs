//! What a stand-in for a device was told.

use reigen_core::time::Nanos;

/// Something was written to a device.
#[derive(Debug, Clone, PartialEq)]
pub struct DeviceWrite {
    /// When.
    pub time: Nanos,
    /// Where in the device, in words.
    pub place: String,
    /// The point that is written there; empty where it is none, as of a heartbeat.
    pub point: String,
    /// What.
    pub value: serde_json::Value,
}
