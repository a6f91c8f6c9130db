//! The panel of a live run: what is wrong first, then lamps, numbers with their last minute, the last changes, and the links.

mod draw;
mod keys;
mod state;

pub(crate) use keys::show;
pub(crate) use state::{Panel, PanelFeed};
