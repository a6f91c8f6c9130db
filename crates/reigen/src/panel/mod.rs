//! The panel of a live run: what is wrong first, then lamps, numbers with their last minute, the last changes, and the links.

mod causes;
mod draw;
mod keys;
mod served;
mod state;
mod watch;
mod why;

pub(crate) use keys::show;
pub(crate) use state::{Panel, PanelFeed};
pub(crate) use watch::PanelWatch;
