//! Lines that come in parts, worked by one run after another: the totals are those of the whole recording.

#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use reigen_core::summary::PointSummary;
use reigen_io::options::ReadOptions;
use reigen_io::recording::Recording;
use reigen_run::continued_run::{BoundStation, ContinuedRun, PartAccount};
use reigen_run::replay::{RunOptions, replay};
use reigen_run::station_file::StationFile;

const STATION: &str = "
    [input.button]
    line = 'PB'
    debounce = { method = 'stable', on = '7 ms', off = '3 ms' }
    [input.hall]
    line = 'HALL'
    debounce = { method = 'lockout', time = '2 ms' }
    [input.fault]
    line = 'STATUS.3'
    [counter.turns]
    up = 'hall'
    reset = 'button'
    presets = [3, 9]
    [encoder.capstan]
    a = 'HALL'
    b = 'PB'
    pulses_per_rev = 4
    [rate.speed]
    of = 'hall'
    every = '20 ms'
    zero_after = '300 ms'
    [timer.run_on]
    of = 'button'
    kind = 'off_delay'
    time = '45 ms'
    [output.lamp]
    when = 'run_on AND NOT fault OR turns.done'
    blink = { times = 2, on = '30 ms', off = '10 ms' }
    [analog.load]
    line = 'LOAD'
    smooth = { over = '50 ms', every = '10 ms' }
    [register.meter]
    line = 'METER'
    bits = 6
    [hold.load_at_press]
    of = 'load'
    at = 'button'
    [delay.answer]
    from = 'button'
    to = 'hall'
    [expect.answers]
    that = 'lamp'
    after = 'button'
    within = '60 ms'
";
const LINES: [&str; 5] = ["PB", "HALL", "STATUS", "LOAD", "METER"];

/// The rows of a recording: steps of time, a line and a value.
fn rows() -> impl Strategy<Value = Vec<String>> {
    let row = (prop_oneof![Just(0), 1..900_000u64, 1..60_000_000u64], 0..LINES.len(), 0..64u32);
    prop::collection::vec(row, 1..150).prop_map(|rows| {
        let row = |time: u64, line: usize, value: u32| {
            let name = LINES.get(line).unwrap_or(&"PB");
            let (value, number) = if line < 2 { (value % 2, "") } else { (value, ",\"number\":true") };
            format!("{{\"time_ns\":{time},\"line\":\"{name}\",\"value\":{value}{number}}}\n")
        };
        let mut time = 5_000_000_000;
        let mut text: Vec<String> = (0..LINES.len()).map(|line| row(time, line, 0)).collect();
        for (step, line, value) in rows {
            time += step;
            text.push(row(time, line, value));
        }
        text
    })
}

fn whole(station: &StationFile, text: &str) -> Vec<PointSummary> {
    let bytes = Box::new(std::io::Cursor::new(text.to_owned()));
    let recording = Recording::from_bytes("r.jsonl".to_owned(), bytes, &ReadOptions::default()).unwrap();
    replay(station, recording, &RunOptions::default(), &mut []).unwrap().points
}

proptest! {
    #[test]
    fn parts_and_whole_agree(rows in rows(), cuts in prop::collection::vec((1..20usize, any::<bool>()), 1..20)) {
        let station = StationFile::parse("station.toml".to_owned(), STATION.to_owned()).unwrap();
        let bound = BoundStation::new(&station).unwrap();
        let mut run = ContinuedRun::new(&bound);
        let (mut rest, mut cuts) = (&rows[..], cuts.into_iter().cycle());
        while !rest.is_empty() {
            let (length, is_killed) = cuts.next().unwrap();
            let (part, after) = rest.split_at(length.min(rest.len()));
            run.take(part.concat().as_bytes(), &mut []).unwrap();
            if is_killed {
                let bytes = postcard::to_allocvec(&run.save()).unwrap();
                run = ContinuedRun::resume(&bound, postcard::from_bytes(&bytes).unwrap()).unwrap();
            }
            rest = after;
        }
        let wanted = whole(&station, &rows.concat());
        prop_assert_eq!(run.totals().unwrap(), wanted.clone());
        prop_assert_eq!(run.finish().unwrap(), wanted);
    }
}

#[test]
fn rows_that_mean_nothing_are_left_out_and_late_ones_count_at_once() {
    let station = "[input.a]\nline = 'A'\n[counter.n]\nup = 'a'\n";
    let station = StationFile::parse("s".to_owned(), station.to_owned()).unwrap();
    let bound = BoundStation::new(&station).unwrap();
    let mut run = ContinuedRun::new(&bound);
    let part = b"{\"time_ns\":9,\"line\":\"A\",\"value\":0}\n\nnothing\n{\"line\":\"A\",\"value\":1}\n\
        {\"time_ns\":4,\"line\":\"A\",\"value\":1}\n{\"time_ns\":12,\"line\":\"A\",\"value\":7}\n\
        {\"time_ns\":12,\"line\":\"B\",\"value\":1}\n{\"time_ns\":15,\"line\":\"A\",\"value\":0}\n\
        {\"time_ns\":15,\"line\":\"A\",\"value\":1}\n{\"time_ns\":20}";
    let account = run.take(part, &mut []).unwrap();
    let PartAccount { changes, late, malformed, first_malformed } = account;
    assert_eq!((changes, late, malformed, run.newest()), (4, 1, 3, Some(20)));
    assert!(first_malformed.unwrap().contains("nothing"));
    let Some(PointSummary::Counter(counter)) = run.finish().unwrap().pop() else { panic!("no counter") };
    // The late level stands at the first time, as the starting level.
    assert_eq!(counter.value, Some(1));
    let other = StationFile::parse("s".to_owned(), "[input.a]\nline = 'A'\n".to_owned()).unwrap();
    let other = BoundStation::new(&other).unwrap();
    assert!(ContinuedRun::resume(&other, ContinuedRun::new(&bound).save()).is_err());
}
