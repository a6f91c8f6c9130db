//! Modbus over TCP: all reads of a device in as few requests as can be, then the writes, in passes.

mod client;
mod device;
mod exception;
mod pass_read;
mod requests;

pub use client::ModbusClient;
pub use device::{DeviceWrite, ModbusDevice};
