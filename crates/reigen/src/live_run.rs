//! A live run, from its links to its last word.

use crate::cli::live::LiveArguments;
use crate::done::Completion;
use crate::failure::Failure;
use crate::live_history::{begin, kept, open};
use crate::panel::{Panel, PanelFeed, PanelWatch, show};
use crate::print::Out;
use crate::serve::{SetOutputs, serve};
use crate::stop::Stop;
use crate::summary::Summary;
use crate::views::live::{ChangeLines, LinkNews};
use crate::views::run::{Detail, print};
use reigen_core::engine::Retained;
use reigen_core::lines::RecordedLine;
use reigen_core::summary::PointSummary;
use reigen_history::{HistoryRecorder, HistoryWriter};
use reigen_io::output_file::{OutputFile, put_in_place};
use reigen_io::write::{Format, begin_file};
use reigen_link::nats::RowSender;
use reigen_link::start::{self, ReadyLink, ReadyLinks, RunningLinks, Shared, lateness_of};
use reigen_run::live::board::Board;
use reigen_run::live::changes::{PointChanges, TakeChanges};
use reigen_run::live::event::LiveEvent;
use reigen_run::live::inbox::ChannelInbox;
use reigen_run::live::intake::LinkAccount;
use reigen_run::live::on_disk::Held;
use reigen_run::live::recorder::{LineRecorder, heading};
use reigen_run::live::source::{LiveLink, LiveSettings, LiveSource, set_lines, station_lines};
use reigen_run::live::stale::StaleMap;
use reigen_run::observer::Observer;
use reigen_run::outcome::Outcome;
use reigen_run::points::numbers_of;
use reigen_run::replay::{RunOptions, replay};
use reigen_run::session::Binding;
use reigen_run::source::LineSource as _;
use reigen_run::station_file::StationFile;
use reigen_station::links::Link;
use reigen_station::station::Station;
use std::io::IsTerminal as _;
use std::sync::mpsc::{SyncSender, channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread;
use std::time::Duration;

/// So long the panel has to end. Who waits for keys of a terminal that is gone waits for ever.
const SCREEN_ENDS: Duration = Duration::from_secs(1);

/// So long outputs have to come to rest where the program has a fault.
const REST_AFTER_PANIC: Duration = Duration::from_secs(2);

/// Who looks on at a live run, shows it in a way of its own and takes part in it.
pub(crate) trait Guest: Observer {
    /// The run begins.
    fn begin(&mut self, place: GuestPlace);
}

/// What a guest takes part by.
pub(crate) struct GuestPlace {
    /// Where the run is told of events.
    pub(crate) events: SyncSender<LiveEvent>,
    /// By what outputs are set, where they are driven.
    pub(crate) set: Option<SetOutputs>,
    /// The names of the lines: those of two levels, then those of numbers.
    pub(crate) lines: [Vec<String>; 2],
    /// What keeps the history.
    pub(crate) history: Option<HistoryWriter>,
}

/// Works a station on its links until the time is over, or somebody ends it.
pub(crate) fn run_live(
    station: &StationFile,
    arguments: &LiveArguments,
    stop: &Stop,
    out: &mut Out,
    mut guest: Option<&mut dyn Guest>,
) -> Result<Completion, Failure> {
    let mut points = numbers_of(&station.station, &arguments.points)?;
    if arguments.points.is_empty() {
        // An expectation is judged at the end.
        points.retain(|point| station.station.points.get(*point).is_some_and(|point| !point.kind.fields().is_empty()));
    }
    let opened = open(arguments.history.as_deref(), station)?;
    let (store, goes_on) = opened.map_or_else(Default::default, |(store, kept)| (Some(store), kept));
    let lines = station_lines(&station.station);
    let (inbox, events, clock) = ChannelInbox::new();
    let mut board = Board::new(&station.station);
    let shared = Shared { lines: &lines, clock, events: events.clone(), board: board.clone(), drives: arguments.drive };
    let (links, ready) = links(&station.station, arguments, &shared)?;
    let by_hand = if arguments.allow_set { set_lines(&station.station, &lines) } else { Vec::new() };
    let all_lines = [&lines[..], &by_hand[..]].concat();
    let set_from = arguments.allow_set.then_some(lines.len());
    let set = arguments.allow_set.then(|| SetOutputs::new(&station.station, &all_lines, &shared));
    drop(shared);
    let names: Vec<String> = links.iter().map(|link| link.name.clone()).collect();
    if links.is_empty() {
        return Err(Failure::Usage {
            message: "the station has no link: its lines have no source".to_owned(),
            help: "add a [link.NAME] to the station file; or `-` reads changes from standard input".to_owned(),
        });
    }
    let settings = LiveSettings { name: "live".to_owned(), links, length: arguments.length, kept: goes_on, set_from };
    let (mut source, mut next_due) = LiveSource::new(settings, all_lines, inbox);
    let binding = Binding::new(station, &source)?;
    let mut file = arguments.record.as_deref().map(|path| out.outputs().create(path)).transpose()?;
    let mut recorder =
        file.as_mut().map(|file| recorder(file, &binding, &source.lines_of(&binding), source.resumed())).transpose()?;
    let woken = events.clone();
    // A full channel wakes the run by itself.
    let wake = move || drop(woken.try_send(LiveEvent::Wake));
    let history =
        store.map(|store| begin(store, station, &source.lines_of(&binding), source.resumed(), Box::new(wake)));
    let history = history.transpose()?;
    let on_disk = history.as_ref().map(HistoryWriter::on_disk);
    on_disk.iter().for_each(|on_disk| board.keep_back(&station.station.retained(), on_disk.clone()));
    let is_shown = guest.is_none();
    let on_screen = is_shown && wants_panel(arguments);
    let panel = (on_screen || arguments.serve.is_some())
        .then(|| Arc::new(Mutex::new(Panel::new(&station.station, &points, arguments.drive))));
    let (set, by_guest) = if is_shown { (set, None) } else { (None, set) };
    let server = serve(arguments, panel.as_ref(), set)?;
    // Before anything is driven: a guest may want outputs at rest.
    if let Some(guest) = guest.as_deref_mut() {
        let names = |lines: &[RecordedLine]| lines.iter().map(|line| line.name.clone()).collect();
        let [levels, numbers] = source.lines_of(&binding);
        let lines = [names(&levels), names(&numbers)];
        guest.begin(GuestPlace { events: events.clone(), set: by_guest, lines, history: history.clone() });
    }
    let asked = events.clone();
    stop.listen(move || drop(asked.send(LiveEvent::Stop)));
    let running = RunningLinks::start(ready.links);
    let (driven, at_work) = (board.clone(), running.at_work());
    stop.before_panic(move || {
        // The thread with the fault may hold the board: another one asks, and this one waits for so long only.
        thread::spawn(move || driven.end());
        at_work.wait(REST_AFTER_PANIC);
    });
    let watch = source.link_watch();
    let lines = source.lines_of(&binding);
    let stale = StaleMap::new(&station.station, names.len(), source.lines());
    let feed = panel.clone().map(|panel| PanelFeed::new(panel, source.link_watch(), names.clone(), stale.clone()));
    let printed = (is_shown && !on_screen).then(|| {
        let links = LinkNews::new(source.link_watch(), names.clone(), stale);
        ChangeLines::new(&station.station, &points, arguments.json, out, events.clone(), links)
    });
    let taker: Box<dyn TakeChanges + '_> = Box::new((feed, printed));
    let screen = panel.clone().filter(|_| on_screen).map(|panel| {
        let (tell, told) = channel();
        thread::spawn(move || {
            let quit = || drop(events.send(LiveEvent::Stop));
            let shown = show(&panel, quit);
            // Nobody drives a machine without seeing it.
            shown.is_err().then(quit);
            drop(tell.send(shown));
        });
        told
    });
    let all = station.station.points.len();
    let taker = match on_disk {
        Some(on_disk) => Box::new(Held::new(on_disk, taker)),
        None => taker,
    };
    let mut changes = PointChanges::new(all, &points, taker);
    let mut looking = panel.clone().map(|panel| PanelWatch::new(panel, &station.station, &lines));
    let mut observers: Vec<&mut dyn Observer> = vec![&mut next_due];
    let mut recording =
        history.map(|writer| HistoryRecorder::new(writer, kept(&station.station, binding.signals.len())));
    // The history first: what is shown at the end is on the disk by then.
    observers.extend(recording.as_mut().map(|recording| recording as &mut dyn Observer));
    observers.extend([&mut changes as &mut dyn Observer, &mut board]);
    observers.extend(guest.map(|guest| guest as &mut dyn Observer));
    observers.extend(looking.as_mut().map(|looking| looking as &mut dyn Observer));
    observers.extend(recorder.as_mut().map(|recorder| recorder as &mut dyn Observer));
    let names_of = |lines: &[RecordedLine]| lines.iter().map(|line| line.name.clone()).collect::<Vec<_>>();
    let of_run = |sender: RowSender| sender.of_lines([names_of(&lines[0]), names_of(&lines[1])]);
    let mut publishers: Vec<RowSender> = ready.publishers.into_iter().map(of_run).collect();
    observers.extend(publishers.iter_mut().map(|publisher| publisher as &mut dyn Observer));
    let outcome = replay(station, source, &RunOptions::default(), &mut observers);
    drop(changes);
    // Their links end once they have told all.
    drop(publishers);
    // Whatever became of the run, outputs come to rest, and the terminal is as it was.
    board.end();
    running.end();
    drop(server);
    panel.iter().for_each(|panel| panel.lock().unwrap_or_else(PoisonError::into_inner).end());
    let drawn = screen.and_then(|told| told.recv_timeout(SCREEN_ENDS).ok());
    let outcome = outcome?;
    drop(recorder);
    if let Some(file) = file {
        put_in_place([file.finish()?])?;
    }
    drawn.unwrap_or(Ok(())).map_err(Failure::Print)?;
    let links: Vec<(String, LinkAccount)> = names.into_iter().zip(watch.take_news().unwrap_or_default()).collect();
    if is_shown { tell(station, &outcome, &links, arguments, out) } else { Ok(Completion::Fine) }
}

/// Whether somebody sits before a terminal, and wants no lines to read on.
fn wants_panel(arguments: &LiveArguments) -> bool {
    !arguments.json && !arguments.lines && std::io::stdout().is_terminal()
}

/// The links of a station, and standard input where that is one.
fn links(
    station: &Station,
    arguments: &LiveArguments,
    shared: &Shared<'_>,
) -> Result<(Vec<LiveLink>, ReadyLinks), Failure> {
    let lateness = arguments.lateness;
    let live = |link: &Link| LiveLink { name: link.name.clone(), lateness: lateness_of(link, lateness) };
    let mut links: Vec<LiveLink> = station.links.iter().map(live).collect();
    let mut ready = start::ready(&station.links, shared).map_err(|error| Failure::Usage {
        message: error.to_string(),
        help: "mend that first: trying again would not help".to_owned(),
    })?;
    if arguments.input.is_some() {
        ready.links.push(ReadyLink::standard_input(links.len(), shared));
        links.push(LiveLink { name: "standard input".to_owned(), lateness });
    }
    Ok((links, ready))
}

/// Tells what came of the run.
fn tell(
    station: &StationFile,
    outcome: &Outcome,
    links: &[(String, LinkAccount)],
    arguments: &LiveArguments,
    out: &mut Out,
) -> Result<Completion, Failure> {
    let summary = || Summary::new(&station.station, outcome).with_links(links, outcome.to);
    match arguments.json {
        true => out.json_line(&EndLine { summary: summary() })?,
        false => {
            let detail = Detail { all: false, findings: false, points: arguments.points.clone() };
            print(&station.station, outcome, &detail, None, out)?;
        }
    }
    let failed = outcome.points.iter().any(|point| matches!(point, PointSummary::Expectation(told) if !told.pass));
    Ok(if failed { Completion::Differs } else { Completion::Fine })
}

/// The last line of the JSON.
#[derive(serde::Serialize)]
struct EndLine<'a> {
    summary: Summary<'a>,
}

/// What writes the lines that the station reads into a file.
fn recorder<'a>(
    file: &'a mut OutputFile,
    binding: &Binding,
    [levels, numbers]: &[Vec<RecordedLine>; 2],
    resumed: &[(String, Retained)],
) -> Result<LineRecorder<'a>, Failure> {
    let path = file.path().to_owned();
    let format = Format::of_output(&path, Format::JsonLines)?;
    let lines = [binding.signals.len(), binding.numbers.len()];
    let out = begin_file(file, format, &heading(levels, numbers, resumed.to_vec()))?;
    Ok(LineRecorder::new(out, lines, path)?)
}
