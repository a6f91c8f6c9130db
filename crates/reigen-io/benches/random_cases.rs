//! Random texts for every parser, seeded: `random_cases CASES [SEED]`, on all cores.
//!
//! None may panic; for recordings the fast form and the plain one must tell the same, in pieces of any size. Stations are
//! compiled and worked over gaps of any length, cut anywhere; recordings are converted, under names of all letters, and
//! must be read back with the same edges.

#![allow(clippy::cast_possible_truncation, clippy::cast_possible_wrap, clippy::cast_sign_loss)]
#![allow(clippy::expect_used, clippy::panic, clippy::print_stdout)]

use reigen_core::lines::{LineColumns, LineKind, RecordedLine, join};
use reigen_core::logic::expression;
use reigen_core::quantity::{parse_file_time, parse_sample_rate, parse_time};
use reigen_core::time::Nanos;
use reigen_io::convert::{LineSelection, Stretch, convert};
use reigen_io::options::{ReadOptions, Thresholds};
use reigen_io::recording::Recording;
use reigen_io::write::{Format, Heading, begin, written_lines};
use reigen_station::station::plan::{Plan, compile};
use reigen_station::station::{self, Station};
use std::io::{Cursor, Write};

const VCD: &str = "$timescale 1 us $end\n$var wire 1 ! A $end\n$var wire 1 %% B $end\n$var wire 3 v V [2:0] $end\n\
    $var real 64 r R $end\n$enddefinitions $end\n#1230\n$dumpvars\n0!\n1%%\n$end\n#1234\n1!\n#1235\n0!\n#1236\n1!\n#1239\n0%%\n\
    #1240\nx!\n#1250\nb101 v\n#1251\n1!\n#1260\nr1.5 r\n$comment hm $end\n#1270\n0!\n#1271\n1!\n#1300\n";
const CSV: &str =
    "time_us,A,B\n1.000,0,1\n1.001,0,1\n1.002,1,1\n1.003,1,1\n1.004,1,0\n1.005,1,0\n1.006,0,0\n1.007,0,0\n";
const VOLTS: &str = "time_ns,A,B\n-4,0.5,1\n-3,3.5,1\n0,0.1,0\n10,2e0,0\n11,\"3\",1\n";
const AS_IT_COMES: &str =
    "Logger 7;\"3 lines\"\nStart;noon\nTime (ms);A;B;V\n0,5;ON;H;1,25\n1,5;OFF;L;2\n1,5;ON;;2,5\n2;ON;H;-3e2\n";
const DATES: &str =
    "t\tA\tB\n2026-11-25T10:00:59.9Z\tFALSE\t0\n2026-11-25T10:00:59.95Z\tTRUE\t1\n2026-11-25T11:01:00+01:00\tTRUE\t0\n";
const SPACES: &str = "  time_us   A  V\n   1  0  1.5\n  20  1  2.5\n 300  0  3.25\n";
const JSON_LINES: &str = "{\"time_us\":1,\"line\":\"A\",\"value\":0}\n{\"time_us\":1.5,\"line\":\"B\",\"value\":null}\n\
    {\"time_us\":2,\"line\":\"A\",\"value\":1}\n{\"line\":\"V\",\"value\":2.5,\"time_us\":2}\n{\"time_us\":9,\"line\":\"B\",\"value\":true}\n{\"time_us\":12}\n";
const ALIVE: &str = "[scan]\nperiod = '3 us'\n[input.a]\nline = 'A'\n[input.b]\nline = 'B'\ndebounce = { method = 'stable', time = '8 ms' }\n\
    [rate.r]\nof = 'a'\nevery = '1 us'\nunit = 'Hz'\n[rate.g]\nof = 'b'\nmethod = 'gate'\nwindow = '2 us'\nunit = 'Hz'\n\
    [counter.s]\nup = 'b'\ncount = 'scans'\n[counter.w]\nup = 'a'\ndown = 'b'\ncount = 'scans'\nlimits = [-3, 9]\nat_limit = 'wrap'\n\
    [analog.v]\nline = 'V'\nsmooth = { over = '50 us', every = '1 us' }\n[timer.t]\nof = 'a'\nkind = 'off_delay'\ntime = '5 s'\n\
    [output.o]\nwhen = 'a OR t'\nblink = { times = 9, on = '2 ms', off = '1 us' }\n[logic.l]\nwhen = 'r > 5 AND t.elapsed < 1.0'\n";
const STATION: &str = include_str!("../../../demo/station.toml");

/// What a recording tells, or why it is refused.
fn told(bytes: &[u8], options: &ReadOptions) -> String {
    let mut recording = match Recording::from_bytes("rec".to_owned(), Box::new(Cursor::new(bytes.to_vec())), options) {
        Ok(recording) => recording,
        Err(error) => return error.to_string(),
    };
    let signals = |level: bool| {
        let lines = recording.lines().iter().filter(|line| level == (line.kind == LineKind::Level));
        (0..lines.map(|line| line.signal + 1).max().unwrap_or(0)).collect::<Vec<_>>()
    };
    let (bits, numbers) = (signals(true), signals(false));
    let mut lines = recording.select(&bits, &numbers);
    let mut told = String::new();
    let mut all: Vec<String> = vec![String::new(); bits.len() + numbers.len()];
    let done = recording.read(&mut lines, &mut |lines, until| {
        let window = lines.cut(until);
        for (text, column) in all.iter_mut().zip(lines.bits()) {
            if text.is_empty() && column.level.is_some() {
                *text += &format!("{:?} {:?}", column.level, column.since);
            }
            column.toggles.iter().for_each(|time| *text += &format!(" {}", time.0));
        }
        for (text, column) in all.iter_mut().skip(bits.len()).zip(lines.readings()) {
            column.times.iter().zip(&column.values).for_each(|(time, value)| *text += &format!(" {}={value}", time.0));
        }
        lines.advance(window);
        true
    });
    if let Err(error) = done {
        return error.to_string();
    }
    let names: Vec<String> = bits.iter().map(|bit| bit.to_string()).collect();
    told += &format!("{:?} {:?} {} {:?}", recording.origin(), recording.last_time(), recording.edges(), all);
    recording.findings(&names).iter().for_each(|finding| told += &finding.message);
    told
}

/// A text with some bytes taken away, put in, or said again.
fn damaged(text: &str, random: &mut fastrand::Rng) -> Vec<u8> {
    const LIKELY: &[u8] = b"\n\n#$\"',.01xzbr- \r&()=[]";
    let mut bytes = text.as_bytes().to_vec();
    for _ in 0..random.usize(0..4) {
        let start = random.usize(0..=bytes.len());
        let end = (start + random.usize(0..6)).min(bytes.len());
        let put: Vec<u8> = match random.u8(0..4) {
            0 => vec![random.u8(..)],
            1 => bytes[start..end].repeat(2),
            2 => Vec::new(),
            _ => vec![LIKELY[random.usize(..LIKELY.len())]],
        };
        bytes.splice(start..end, put);
    }
    bytes
}

fn case(random: &mut fastrand::Rng) {
    let rate = parse_sample_rate("48 kHz").ok();
    let plain = ReadOptions { plain: true, piece_bytes: Some(200), ..ReadOptions::default() };
    let burst = ReadOptions { sample_rate: rate, ..plain.clone() };
    let (text, options) = match random.u8(0..18) {
        8 => (AS_IT_COMES, plain),
        9 => (DATES, plain),
        10 => (SPACES, plain),
        11 | 12 => (JSON_LINES, plain),
        13 => (CSV, burst),
        14 => return of_archive(random),
        15 if random.u8(0..8) == 0 => return of_work(random),
        15 => return of_conversion(random),
        0..3 => (VCD, plain),
        3 | 4 => (CSV, plain),
        5 => (CSV, ReadOptions { sample_rate: rate, lines: Some(vec!["A".into(), "-".into(), "B".into()]), ..plain }),
        6 => (VOLTS, ReadOptions { thresholds: Some(Thresholds { high_above: 2.0, low_below: 1.0 }), ..plain }),
        // A station takes as long as forty recordings.
        _ if random.u8(0..16) == 0 => return of_station(random),
        _ => return of_words(random),
    };
    let bytes = damaged(text, random);
    let fast = ReadOptions { plain: false, piece_bytes: Some(random.usize(2..200)), ..options.clone() };
    let (plain, fast) = (told(&bytes, &options), told(&bytes, &fast));
    assert!(plain == fast, "of {:?}\nplain: {plain}\n fast: {fast}", String::from_utf8_lossy(&bytes));
}

/// A packed text, damaged where it is packed: it must be refused, or read as it was.
fn of_archive(random: &mut fastrand::Rng) {
    let packed = match random.bool() {
        true => {
            let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
            encoder.write_all(CSV.as_bytes()).and_then(|()| encoder.finish()).expect("a gzip")
        }
        false => zstd::encode_all(CSV.as_bytes(), 1).expect("a zstd"),
    };
    let mut bytes = packed.clone();
    match random.bool() {
        true => bytes.truncate(random.usize(0..packed.len())),
        false => bytes[random.usize(0..packed.len())] ^= 1 << random.u8(0..8),
    }
    // What is wrong in it may pass a reader by; but nothing may panic.
    let _ = told(&bytes, &ReadOptions::default());
}

/// A time of up to so many bits: short ones are as frequent as long ones.
fn far(random: &mut fastrand::Rng, bits: u32) -> u64 {
    let most = 1 << random.u32(0..bits);
    random.u64(1..=most)
}

/// A small station of all that does something by itself as time passes, over lines with gaps of any length.
fn of_work(random: &mut fastrand::Rng) {
    let sound = random.bool();
    let text = match sound {
        true => ALIVE.to_owned(),
        false => String::from_utf8_lossy(&damaged(ALIVE, random)).into_owned(),
    };
    let Ok(station) = station::parse(&text) else { return };
    let recorded: Vec<RecordedLine> = [("A", 0, LineKind::Level), ("B", 1, LineKind::Level), ("V", 0, LineKind::Real)]
        .map(|(name, signal, kind)| RecordedLine { name: name.to_owned(), signal, kind, step: None })
        .into();
    if compile(&station, &recorded, Nanos(1)).is_err() {
        return;
    }
    let mut time = 0u64;
    let mut times = || {
        let steps = (0..random.usize(0..12)).map(|_| far(random, 58));
        let times: Vec<Nanos> = steps
            .map(|step| {
                time += step;
                Nanos(time)
            })
            .collect();
        time = 0;
        times
    };
    let lines = [times(), times(), times()];
    let end = lines.iter().flatten().max().map_or(Nanos(1), |last| *last + Nanos(random.u64(0..1 << 58)));
    let mut cuts: Vec<Nanos> = (0..random.usize(0..4)).map(|_| Nanos(random.u64(1..=end.0))).collect();
    cuts.sort_unstable();
    let [whole, cut] = [&[][..], &cuts].map(|cuts| worked(&station, &recorded, &lines, end, cuts, sound));
    assert!(whole == cut, "of {text}\nover {lines:?} to {end:?} cut at {cuts:?}\nwhole: {whole}\n  cut: {cut}");
}

/// What came of it, in windows that are cut where they would hold too much.
fn worked(
    station: &Station,
    recorded: &[RecordedLine],
    [a, b, v]: &[Vec<Nanos>; 3],
    end: Nanos,
    cuts: &[Nanos],
    sound: bool,
) -> String {
    let Ok(Plan { program, signals, numbers, .. }) = compile(station, recorded, Nanos(1)) else {
        return String::new();
    };
    let mut engine = program.start();
    engine.skim(1, &[]);
    let mut columns = LineColumns::new(signals.len(), numbers.len());
    for (column, &signal) in signals.iter().enumerate() {
        let toggles = if signal == 0 { a } else { b };
        let changes: Vec<Nanos> = std::iter::once(Nanos(0)).chain(toggles.iter().copied()).collect();
        columns.append(column, join(None, &changes, toggles.len() % 2 == 1));
    }
    for (&time, value) in v.iter().zip(0..) {
        (0..numbers.len()).for_each(|column| columns.append_reading(column, time, f64::from(value % 5)));
    }
    let last = end + Nanos(1);
    columns.end_at(last);
    let (mut from, mut windows) = (Nanos(0), 0);
    while from < last {
        let until = cuts.iter().find(|cut| **cut > from).map_or(last, |cut| (*cut).min(last));
        let window = columns.cut(engine.window_end(from, until, columns.all()));
        engine.work(window, columns.all());
        columns.advance(window);
        from = window.until;
        windows += 1;
        assert!(!sound || windows < 20_000, "more windows than changes of {a:?} {b:?} {v:?} to {end:?}");
        // Damage may make something read each count of a scan, and then there is one for each.
        if !sound && windows > 300 {
            return String::new();
        }
    }
    format!("{:?}", engine.summaries(end))
}

/// A recording whose lines have any names, in another format and back.
fn of_conversion(random: &mut fastrand::Rng) {
    let names: Vec<String> =
        (0..random.usize(1..5)).map(|_| (0..random.usize(1..6)).map(|_| random.char(..)).collect()).collect();
    let mut text = String::new();
    let mut time = random.i64(-1000..1000);
    for _ in 0..random.usize(1..20) {
        let (name, value) = (&names[random.usize(0..names.len())], ["0", "1", "null"][random.usize(0..3)]);
        let name = serde_json::to_string(name).expect("a text");
        text += &format!("{{\"time_ns\":{time},\"line\":{name},\"value\":{value}}}\n");
        time += far(random, 58) as i64;
    }
    let formats = [Format::Vcd, Format::Csv, Format::JsonLines];
    let format = formats[random.usize(0..formats.len())];
    let open = |bytes: &[u8]| {
        Recording::from_bytes("rec".to_owned(), Box::new(Cursor::new(bytes.to_vec())), &ReadOptions::default())
    };
    let Ok(mut recording) = open(text.as_bytes()) else { return };
    let chosen = LineSelection::new(&recording, |_| true);
    let lines = written_lines(format, &chosen.lines);
    let heading = Heading { lines, scope: None, origin: recording.origin(), step: Nanos(1), resumed: Vec::new() };
    let mut bytes = Vec::new();
    let changes = begin((format, None), &heading, &mut bytes).expect("a heading");
    if convert(&mut recording, &chosen, &Stretch::default(), changes, &mut || {}).is_err() {
        return;
    }
    let again =
        open(&bytes).unwrap_or_else(|error| panic!("{error} of {text}\nas {}", String::from_utf8_lossy(&bytes)));
    let found: Vec<&str> = again.lines().iter().map(|line| line.name.as_str()).collect();
    let wanted: Vec<&str> = heading.lines.iter().map(|line| line.name.as_str()).collect();
    assert!(found == wanted, "{found:?} for {wanted:?} of {text}");
    let edges = |bytes: &[u8]| {
        let told = told(bytes, &ReadOptions::default());
        told.split_once('[')
            .and_then(|(_, lines)| lines.rsplit_once(']'))
            .map_or(told.clone(), |(lines, _)| lines.to_owned())
    };
    let [before, after] = [text.as_bytes(), &bytes].map(edges);
    assert!(before == after, "as {format:?}: {before}\n{after}\nof {text}\nas {}", String::from_utf8_lossy(&bytes));
}

fn of_station(random: &mut fastrand::Rng) {
    let bytes = damaged(STATION, random);
    let text = String::from_utf8_lossy(&bytes);
    for error in station::parse(&text).err().unwrap_or_default() {
        assert!(text.get(error.span.clone()).is_some(), "{error} at {:?} of\n{text}", error.span);
        let _ = (error.to_string(), error.kind.help());
    }
}

/// Values and expressions as people type them.
fn of_words(random: &mut fastrand::Rng) {
    let word = String::from_utf8_lossy(&damaged("8.5 ms", random)).into_owned();
    let _ = (parse_time(&word), parse_file_time(&word), parse_sample_rate(&word));
    let _ = expression::parse(&String::from_utf8_lossy(&damaged("a AND NOT (b.done OR TRUE) & c", random)));
}

fn main() {
    let mut arguments = std::env::args().skip(1).map(|word| word.parse::<u64>().expect("a number"));
    let (cases, seed) = (arguments.next().unwrap_or(10_000), arguments.next().unwrap_or(1));
    let threads = std::thread::available_parallelism().map_or(1, |threads| threads.get() as u64);
    std::thread::scope(|scope| {
        for thread in 0..threads {
            scope.spawn(move || {
                // Each works alone: pieces of so few bytes are not worth another core.
                let alone = rayon::ThreadPoolBuilder::new().num_threads(1).build().expect("a pool");
                alone.install(|| {
                    let mut random = fastrand::Rng::with_seed(seed * threads + thread);
                    (0..cases.div_ceil(threads)).for_each(|_| case(&mut random));
                });
            });
        }
    });
    println!("{cases} random cases: no panic, and fast and plain agree");
}
