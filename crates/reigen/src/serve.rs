//! A live run in the network: the panel as a page, and outputs set by hand.

use crate::cli::live::LiveArguments;
use crate::failure::Failure;
use crate::panel::Panel;
use reigen_core::lines::RecordedLine;
use reigen_link::start::Shared;
use reigen_run::live::event::LiveEvent;
use reigen_run::live::inbox::RunClock;
use reigen_serve::{Server, SetError, SetPoints, Settings, Shown, Snapshot, Token};
use reigen_station::station::Station;
use reigen_station::station::set_by_hand::{SetByHand, set_line};
use std::collections::HashMap;
use std::sync::mpsc::SyncSender;
use std::sync::{Arc, Mutex, PoisonError};

/// Shows the panel.
struct PanelShown {
    panel: Arc<Mutex<Panel>>,
    can_set: bool,
}

impl Shown for PanelShown {
    fn snapshot(&self) -> Snapshot {
        self.panel.lock().unwrap_or_else(PoisonError::into_inner).snapshot(self.can_set)
    }
}

/// Tells a live run what somebody sets by hand.
pub(crate) struct SetOutputs {
    /// The line of each output; points that are none have none.
    points: HashMap<String, Option<usize>>,
    events: SyncSender<LiveEvent>,
    clock: RunClock,
}

impl SetOutputs {
    /// Sets the outputs of a station, whose lines are among these.
    pub(crate) fn new(station: &Station, lines: &[RecordedLine], shared: &Shared<'_>) -> Self {
        let line = |name: &str| lines.iter().position(|line| line.name == set_line(name));
        let points = station.points.iter().map(|point| {
            let line = if point.kind.is_settable() { line(&point.name) } else { None };
            (point.name.clone(), line)
        });
        Self { points: points.collect(), events: shared.events.clone(), clock: shared.clock }
    }
}

impl SetPoints for SetOutputs {
    fn set(&self, point: &str, value: Option<bool>) -> Result<(), SetError> {
        let line = self.points.get(point).ok_or_else(|| SetError::Unknown(point.to_owned()))?;
        let line = line.ok_or_else(|| SetError::NoOutput(point.to_owned()))?;
        let what = match value {
            Some(true) => SetByHand::On,
            Some(false) => SetByHand::Off,
            None => SetByHand::LetGo,
        };
        let event = LiveEvent::Set { line, what, at: self.clock.now() };
        self.events.try_send(event).map_err(|_| SetError::NotTaken)
    }
}

/// Serves a panel, where that is asked for.
pub(crate) fn serve(
    arguments: &LiveArguments,
    panel: Option<&Arc<Mutex<Panel>>>,
    set: Option<SetOutputs>,
) -> Result<Option<Server>, Failure> {
    let (Some(address), Some(panel)) = (arguments.serve, panel) else { return Ok(None) };
    let token = arguments.token_file.as_deref().map(Token::read).transpose().map_err(|error| Failure::Usage {
        message: error.to_string(),
        help: "for example: head -c 24 /dev/urandom | base64 | tr '+/' '-_' > token.txt".to_owned(),
    })?;
    let can_set = set.is_some();
    let shown = PanelShown { panel: panel.clone(), can_set };
    let set = set.map(|set| Arc::new(set) as Arc<dyn SetPoints>);
    let server = Server::start(Settings { address, token, set }, Arc::new(shown)).map_err(|error| Failure::Usage {
        help: match error {
            reigen_serve::ServeError::NeedsToken(_) => {
                "add --token-file FILE, or serve to this computer alone: 127.0.0.1"
            }
            _ => "use another port, and an address of this computer: 127.0.0.1:8088",
        }
        .to_owned(),
        message: error.to_string(),
    })?;
    tracing::info!("served at http://{}/", server.address());
    Ok(Some(server))
}
