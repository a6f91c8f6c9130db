//! Quadrature encoders: position, speed, direction, homing, and the encoder's health.

pub mod block;
pub mod decode;
mod edges;
pub mod health;
pub mod homing;
pub mod settings;
mod speed;
pub mod summary;
#[cfg(test)]
mod tests;
