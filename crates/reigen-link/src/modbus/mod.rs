//! Modbus over TCP or a serial bus: all reads of a device in as few requests as can be, then the writes, in passes.

mod beat;
mod bus;
mod bus_device;
mod client;
mod device;
mod exception;
mod pass_read;
pub mod requests;
mod wire;

pub use bus::SerialBus;
pub use bus_device::BusDevices;
pub use client::ModbusClient;
pub use device::ModbusDevice;
pub use wire::Route;
