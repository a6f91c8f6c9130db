//! A fleet: the lines of a machine are told to a NATS server with JetStream, or read there.

mod consumer;
mod publisher;
mod stand_in;

pub use consumer::FleetLines;
pub use publisher::{RowSender, publishing};
pub use stand_in::MachineLines;

use reigen_fleet::server::ServerAddress;
use reigen_station::links::nats::NatsLink;

/// Where the server is.
///
/// # Errors
/// In words, where the password is not there.
fn address_of(link: &NatsLink) -> Result<ServerAddress, String> {
    let user = match &link.user {
        None => None,
        Some(user) => Some((user.clone(), crate::password::of(link.password_env.as_deref())?)),
    };
    Ok(ServerAddress { address: link.address.clone(), user })
}
