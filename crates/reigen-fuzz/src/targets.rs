//! The targets, one for each thing that is read.

use crate::Target;
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::logic::expression;
use reigen_core::quantity::{parse_file_time, parse_sample_rate, parse_time};
use reigen_core::time::Nanos;
use reigen_io::options::ReadOptions;
use reigen_io::recording::Recording;
use reigen_link::modbus::requests::{Answer, requests};
use reigen_link::mqtt::payload;
use reigen_run::continued_run::{BoundStation, ContinuedRun};
use reigen_run::station_file::StationFile;
use reigen_station::links::Protocol;
use reigen_station::links::mqtt::MqttPlace;
use reigen_station::simulate::scenario;
use reigen_station::station::plan::compile;
use reigen_station::station::{self, Station};
use reigen_station::table::StationError;
use std::io::{Cursor, Read as _};

/// All of them.
pub const TARGETS: &[Target] = &[
    Target { name: "recording", read: recording },
    Target { name: "station", read: station_file },
    Target { name: "scenario", read: scenario_file },
    Target { name: "expression", read: expression_text },
    Target { name: "quantity", read: quantity },
    Target { name: "json-line", read: json_line },
    Target { name: "parts", read: parts },
    Target { name: "mqtt", read: mqtt },
    Target { name: "modbus", read: modbus },
    Target { name: "history", read: history },
    #[cfg(feature = "nats")]
    Target { name: "kept", read: kept },
];

/// A recording in any format, by its content: the fast form and the plain one tell the same.
fn recording(bytes: &[u8]) {
    let told = |options: &ReadOptions| {
        let opened = Recording::from_bytes("rec".to_owned(), Box::new(Cursor::new(bytes.to_vec())), options);
        let mut recording = opened.map_err(|error| error.to_string())?;
        let signals = |level: bool| {
            let lines = recording.lines().iter().filter(|line| level == (line.kind == LineKind::Level));
            (0..lines.map(|line| line.signal + 1).max().unwrap_or(0)).collect::<Vec<_>>()
        };
        let (bits, numbers) = (signals(true), signals(false));
        let mut lines = recording.select(&bits, &numbers);
        let mut edges: Vec<Vec<Nanos>> = vec![Vec::new(); bits.len()];
        let mut values: Vec<Vec<(Nanos, u64)>> = vec![Vec::new(); numbers.len()];
        recording
            .read(&mut lines, &mut |lines, until| {
                let window = lines.cut(until);
                for (edges, column) in edges.iter_mut().zip(lines.bits()) {
                    edges.extend(&column.toggles);
                }
                for (values, column) in values.iter_mut().zip(lines.readings()) {
                    values.extend(column.times.iter().copied().zip(column.values.iter().map(|value| value.to_bits())));
                }
                lines.advance(window);
                true
            })
            .map_err(|error| error.to_string())?;
        Ok::<_, String>((recording.origin(), recording.last_time(), edges, values))
    };
    let plain = told(&ReadOptions { plain: true, piece_bytes: Some(200), ..ReadOptions::default() });
    let fast = told(&ReadOptions { piece_bytes: Some(2 + bytes.len() % 198), ..ReadOptions::default() });
    assert!(plain == fast, "plain: {plain:?}\n fast: {fast:?}");
}

/// What an error points at is there.
fn check_places(text: &str, errors: &[StationError]) {
    for error in errors {
        assert!(text.get(error.span.clone()).is_some(), "{error} at {:?}", error.span);
        let _ = (error.to_string(), error.kind.help());
    }
}

/// The lines of two levels that a compiled station is given.
fn lines() -> Vec<RecordedLine> {
    let line = |(signal, name): (usize, &&str)| RecordedLine {
        name: (*name).to_owned(),
        signal,
        kind: LineKind::Level,
        step: None,
    };
    ["PB_START", "PB_STOP", "HALL", "A", "B"].iter().enumerate().map(line).collect()
}

fn station_file(bytes: &[u8]) {
    let text = String::from_utf8_lossy(bytes);
    match station::parse(&text) {
        Err(errors) => check_places(&text, &errors),
        Ok(found) => match compile(&found, &lines(), Nanos(1)) {
            Err(errors) => check_places(&text, &errors),
            Ok(plan) => drop(plan.program.start().summaries(Nanos(5))),
        },
    }
}

fn scenario_file(bytes: &[u8]) {
    let text = String::from_utf8_lossy(bytes);
    if let Err(errors) = scenario::parse(&text) {
        check_places(&text, &errors);
    }
}

fn expression_text(bytes: &[u8]) {
    let text = String::from_utf8_lossy(bytes);
    if let Ok(found) = expression::parse(&text) {
        let _ = found.names().len();
    }
}

fn quantity(bytes: &[u8]) {
    let text = String::from_utf8_lossy(bytes);
    if let Ok(time) = parse_time(&text) {
        let _ = time.place();
    }
    let _ = (parse_file_time(&text), parse_sample_rate(&text), reigen_io::date_ns(&text));
}

fn json_line(bytes: &[u8]) {
    let _ = reigen_io::live_row(bytes);
}

/// Rows for a run that somebody goes on with, cut in two anywhere.
fn parts(bytes: &[u8]) {
    const STATION: &str = "[input.a]\nline = 'A'\ndebounce = { method = 'stable', time = '8 ms' }\n[counter.c]\nup = 'a'\n\
        [rate.r]\nof = 'a'\nevery = '20 ms'\n[analog.v]\nline = 'V'\n[timer.t]\nof = 'a'\nkind = 'off_delay'\ntime = '5 s'\n";
    thread_local! {
        static BOUND: BoundStation = {
            let file = StationFile::parse("s".to_owned(), STATION.to_owned()).expect("a station");
            BoundStation::new(&file).expect("its lines")
        };
    }
    BOUND.with(|bound| {
        let cut = bytes.iter().take(bytes.len() / 2).rposition(|byte| *byte == b'\n').map_or(0, |place| place + 1);
        let (first, second) = bytes.split_at_checked(cut).unwrap_or((&[], bytes));
        let mut whole = ContinuedRun::new(bound);
        whole.take(bytes, &mut []).expect("no observer");
        let mut before = ContinuedRun::new(bound);
        before.take(first, &mut []).expect("no observer");
        let mut after = ContinuedRun::resume(bound, before.save()).expect("the same station");
        after.take(second, &mut []).expect("no observer");
        let totals = |run: ContinuedRun<'_>| format!("{:?}", run.finish().expect("no observer"));
        let (whole, parted) = (totals(whole), totals(after));
        assert!(whole == parted, "whole: {whole}\nparted: {parted}");
    });
}

fn mqtt(bytes: &[u8]) {
    let place = |value: Option<&str>, time: Option<&str>| MqttPlace {
        topic: "t".to_owned(),
        value: value.map(str::to_owned),
        time: time.map(str::to_owned),
        time_unit: Some(reigen_station::links::mqtt::TimeUnit::S),
    };
    let _ = payload::read(bytes, &place(None, None));
    let _ = payload::read(bytes, &place(Some("/value"), Some("/t")));
}

/// The first line are places, as a station has them; the rest is what a device answers.
fn modbus(bytes: &[u8]) {
    let mut halves = bytes.splitn(2, |byte| *byte == b'\n');
    let places = String::from_utf8_lossy(halves.next().unwrap_or_default()).into_owned();
    let answer = halves.next().unwrap_or_default();
    let entries: String =
        places.split(';').enumerate().map(|(number, place)| format!("L{number} = {place}\n")).collect();
    let text = format!("[link.io]\nprotocol = \"modbus-tcp\"\naddress = \"h:502\"\n[link.io.lines]\n{entries}");
    let Ok(Station { links, .. }) = station::parse(&text) else { return };
    let Some(Protocol::Modbus(link)) = links.first().map(|link| &link.protocol) else { return };
    let lines: Vec<_> = link.lines.iter().enumerate().map(|(number, (_, address))| (number, *address)).collect();
    let words = answer.chunks(2).map(|pair| pair.iter().fold(0, |word, byte| word << 8 | u16::from(*byte)));
    let words = Answer::Registers(words.collect());
    let bits = Answer::Bits(answer.iter().map(|byte| byte & 1 == 1).collect());
    for request in requests(&lines) {
        let told = [&words, &bits].map(|answer| request.values(answer));
        assert!(told.iter().flatten().all(|values| values.len() == request.lines.len()));
    }
}

fn history(bytes: &[u8]) {
    use std::io::Write as _;
    let mut file = tempfile::NamedTempFile::new().expect("a temporary file");
    file.write_all(bytes).expect("room");
    if let Ok(mut session) = reigen_history::SessionText::open(file.path(), None) {
        let _ = session.by_ref().take(1 << 20).read_to_end(&mut Vec::new());
    }
    let _ = reigen_history::sessions(file.path());
}

#[cfg(feature = "nats")]
fn kept(bytes: &[u8]) {
    const STATION: &str = "[input.a]\nline = 'A'\n[counter.c]\nup = 'a'\n";
    let Ok(kept) = reigen_fleet::kept::Kept::from_bytes(bytes) else { return };
    let Ok(Some(state)) = kept.run() else { return };
    let file = StationFile::parse("s".to_owned(), STATION.to_owned()).expect("a station");
    let bound = BoundStation::new(&file).expect("its lines");
    if let Ok(mut run) = ContinuedRun::resume(&bound, state) {
        let _ = run.take(b"{\"time_ns\":90,\"line\":\"A\",\"value\":1}\n", &mut []);
        let _ = run.finish();
    }
}
