use super::chain::{ChainReader, PressedError};
use super::expander::{CHIP, Expander, ExpanderSummary, Settings, Sources, place};
use super::frames::{Edges, Levels};
use super::reads::Reads;
use super::word::Code;
use crate::block::{BitSource, Block, Inputs, Lines, Outputs};
use crate::column::{BitColumn, CountColumn};
use crate::time::{Nanos, Window};
use proptest::prelude::*;

/// A line: its first level and its toggles.
type Line = (bool, Vec<u64>);

/// The states of all points after each instant at which one changed, and the sums.
fn work(settings: &Settings, lines: &[Line], cuts: &[u64], end: u64) -> (Vec<(u64, Vec<bool>)>, ExpanderSummary) {
    let line = BitSource::Line;
    let sources = Sources { load: line(0), clock: line(1), data: line(2), inhibit: (lines.len() > 3).then(|| line(3)) };
    let mut block = Expander::new(settings.clone(), sources);
    let mut bits = vec![BitColumn::default(); settings.bits()];
    let mut counts = vec![CountColumn::default(); 2];
    let mut columns: Vec<BitColumn> =
        lines.iter().map(|(level, _)| BitColumn { level: Some(*level), ..BitColumn::default() }).collect();
    let (mut from, mut shown): (u64, Vec<(u64, Vec<bool>)>) = (0, Vec::new());
    for &until in cuts.iter().chain([&(end + 1)]) {
        for (column, (_, toggles)) in columns.iter_mut().zip(lines) {
            column.advance();
            column.toggles =
                toggles.iter().filter(|time| (from..until).contains(*time)).map(|&time| Nanos(time)).collect();
        }
        bits.iter_mut().for_each(BitColumn::advance);
        counts.iter_mut().for_each(CountColumn::advance);
        let lines = Lines { last: until > end, ..Lines::of_bits(&columns) };
        let inputs = Inputs { lines, bits: &[], counts: &[], readings: &[] };
        let outputs = Outputs { bits: &mut bits, counts: &mut counts, readings: &mut [] };
        block.work(Window { from: Nanos(from), until: Nanos(until) }, inputs, outputs);
        let started = bits.first().filter(|bit| bit.level.is_some() && bit.since.0 >= from).map(|bit| bit.since.0);
        let mut times: Vec<u64> = bits.iter().flat_map(|bit| &bit.toggles).map(|time| time.0).chain(started).collect();
        times.sort_unstable();
        times.dedup();
        for time in times {
            let level = |bit: &BitColumn| {
                bit.level.unwrap() ^ (bit.toggles.iter().filter(|toggle| toggle.0 <= time).count() % 2 == 1)
            };
            shown.push((time, bits.iter().map(level).collect()));
        }
        from = until;
    }
    let summary = block.summary();
    (shown, summary)
}

/// The same instant by instant.
fn plainly(settings: &Settings, lines: &[Line], end: u64) -> (Vec<(u64, Vec<bool>)>, [u64; 2]) {
    let (mut open, mut read): (bool, Vec<bool>) = (false, Vec::new());
    let (mut shown, mut sums) = (Vec::new(), [0, 0]);
    let mut last: Option<Vec<bool>> = None;
    let mut take = |time: u64, read: &[bool], shown: &mut Vec<(u64, Vec<bool>)>| {
        sums[0] += 1;
        if read.len() != settings.bits() {
            sums[1] += 1;
            return;
        }
        let state: Vec<bool> = (0..settings.bits())
            .map(|bit| read[place(bit / CHIP, bit % CHIP)] == settings.on_while_high[bit / CHIP])
            .collect();
        if last.as_ref() != Some(&state) {
            shown.push((time, state.clone()));
            last = Some(state);
        }
    };
    let level = |line: usize| lines.get(line).is_some_and(|line| line.0);
    let at = |line: usize, time: u64| {
        let toggles = lines.get(line).map_or(&[][..], |line| &line.1);
        toggles.iter().filter(|toggle| **toggle == time).map(|&time| Nanos(time)).collect::<Vec<_>>()
    };
    let levels = Levels { load: level(0), clock: level(1), data: level(2), inhibit: level(3) };
    let (mut reads, mut load) = (Reads::new(settings.rising, levels), level(0));
    for time in 1..=end {
        let [load_edges, clock, data, inhibit] = [0, 1, 2, 3].map(|line| at(line, time));
        let edges = Edges { load: &load_edges, clock: &clock, data: &data, inhibit: &inhibit };
        reads.work(edges, &mut |bit| {
            assert_eq!((bit.at, bit.place), (Nanos(time), read.len()));
            read.push(bit.high);
        });
        let was = load;
        load ^= load_edges.len() % 2 == 1;
        match (was, load) {
            (false, true) => (open, read) = (true, Vec::new()),
            (true, false) if open => {
                take(time, &read, &mut shown);
                open = false;
            }
            _ => {}
        }
    }
    if open && read.len() >= settings.bits() {
        take(end, &read, &mut shown);
    }
    (shown, sums)
}

fn line(most: u64, length: usize) -> impl Strategy<Value = Line> {
    (any::<bool>(), prop::collection::vec(0..most, 0..length)).prop_map(|(level, steps)| {
        let times = steps.iter().scan(1, |time, step| {
            *time += step;
            Some(*time)
        });
        (level, times.take_while(|time| *time <= 300).collect())
    })
}

proptest! {
    #[test]
    fn a_chain_is_what_its_lines_say_instant_by_instant(
        load in line(90, 9),
        clock in line(4, 150),
        data in line(9, 60),
        inhibit in prop::option::of(line(60, 9)),
        rising in any::<bool>(),
        high in any::<bool>(),
        cuts in prop::collection::btree_set(1..300u64, 0..8),
    ) {
        let settings = Settings { on_while_high: vec![high], rising };
        let lines: Vec<Line> = [load, clock, data].into_iter().chain(inhibit).collect();
        let (shown, summary) = work(&settings, &lines, &cuts.into_iter().collect::<Vec<_>>(), 300);
        let (plain, sums) = plainly(&settings, &lines, 300);
        prop_assert_eq!([summary.frames, summary.bad_frames], sums);
        prop_assert_eq!(shown, plain);
        prop_assert_eq!(work(&settings, &lines, &[], 300).1, summary);
    }
}

/// The wires of frames in an SPI mode: each frame a list of bits in the order in which they come out.
fn wires(frames: &[Vec<bool>], mode: u8) -> Vec<Line> {
    let (rests_high, samples_first) = (mode >= 2, mode.is_multiple_of(2));
    let (mut load, mut clock, mut data): (Vec<u64>, Vec<u64>, Line) = (Vec::new(), Vec::new(), (false, Vec::new()));
    let (mut time, mut level) = (10, false);
    let mut stand = |time: u64, bit: bool| {
        if bit != level {
            data.1.push(time);
            level = bit;
        }
    };
    for frame in frames {
        load.extend([time, time + 5]);
        // The first bit stands from the load on, the others from just after the edge that reads the one before.
        let mut stands_at = time + 2;
        time += 10;
        for &bit in frame {
            let read = if samples_first { time + 4 } else { time + 8 };
            stand(stands_at, bit);
            clock.extend([time + 4, time + 8]);
            stands_at = read + 1;
            time += 8;
        }
        time += 20;
    }
    load.push(time);
    vec![(true, load), (rests_high, clock), data]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    #[test]
    fn chains_of_any_length_come_back_in_all_four_modes(
        chips in prop_oneof![Just(1usize), Just(2), 3..20usize, Just(64)],
        mode in 0..4u8,
        seeds in prop::collection::vec(any::<u64>(), 2..5),
        odd in prop::option::of((0..4usize, prop_oneof![Just(-1i64), Just(1), Just(9)])),
    ) {
        let bits = chips * CHIP;
        let frame = |seed: u64| (0..bits).map(|bit| seed.rotate_left(bit as u32 % 64) & 1 == 1).collect::<Vec<bool>>();
        let mut frames: Vec<Vec<bool>> = seeds.iter().map(|&seed| frame(seed)).collect();
        let good = frames.clone();
        if let Some((at, by)) = odd {
            let at = at % frames.len();
            frames[at].resize((bits as i64 + by) as usize, true);
        }
        let lines = wires(&frames, mode);
        let end = lines[0].1.last().unwrap() + 5;
        let settings = Settings { on_while_high: vec![true; chips], rising: mode == 0 || mode == 3 };
        let (shown, summary) = work(&settings, &lines, &[], end);
        prop_assert_eq!((summary.frames, summary.bad_frames), (frames.len() as u64, u64::from(odd.is_some())));
        let whole: Vec<&Vec<bool>> = frames.iter().filter(|frame| frame.len() == bits).collect();
        if let Some(last) = whole.last() {
            let state = &shown.last().unwrap().1;
            prop_assert!((0..bits).all(|bit| state[bit] == last[place(bit / CHIP, bit % CHIP)]));
        }
        // Read without knowing anything, the chain tells its length, its edge and its mode.
        let times = |line: usize| lines[line].1.iter().map(|&time| Nanos(time)).collect::<Vec<_>>();
        let (load, clock, data) = (times(0), times(1), times(2));
        let mut reader = ChainReader::new(Levels { load: true, clock: mode >= 2, data: false, inhibit: false });
        reader.work(Edges { load: &load, clock: &clock, data: &data, inhibit: &[] });
        let chain = reader.finish(Nanos(u64::MAX)).unwrap();
        if odd.is_none() {
            prop_assert_eq!(chain.bits, bits as u64);
            if chain.sure {
                prop_assert_eq!(chain.spi_mode, mode);
                let differ = (0..bits).filter(|&bit| good.iter().any(|frame| frame[bit] != good[0][bit])).count();
                prop_assert_eq!(chain.changed.len(), differ);
            }
        }
    }

    #[test]
    fn the_reflected_code_and_digits_go_there_and_back(number in 0..(1i64 << 40)) {
        let bits = number as u64;
        prop_assert_eq!(Code::Reflected.number(bits ^ (bits >> 1)), Some(number));
        prop_assert_eq!(Code::Binary.number(bits), Some(number));
        let digits = number.to_string().bytes().fold(0, |bits: u64, digit| bits << 4 | u64::from(digit - b'0'));
        prop_assert_eq!(Code::Digits.number(digits), Some(number));
        prop_assert_eq!(Code::Digits.number(digits | 0xa), if digits & 15 <= 9 && (digits | 10) & 15 <= 9 { Some(number) } else { None });
    }
}

#[test]
fn switches_pressed_one_after_another_name_their_registers() {
    let frame = |on: &[usize]| (0..16).map(|bit| on.contains(&bit)).collect::<Vec<bool>>();
    let told = |frames: &[Vec<bool>], names: &[&str]| {
        let lines = wires(frames, 0);
        let times = |line: usize| lines[line].1.iter().map(|&time| Nanos(time)).collect::<Vec<_>>();
        let mut reader = ChainReader::new(Levels { load: true, ..Levels::default() });
        reader.work(Edges { load: &times(0), clock: &times(1), data: &times(2), inhibit: &[] });
        let names: Vec<String> = names.iter().map(|name| (*name).to_owned()).collect();
        reader.finish(Nanos(u64::MAX)).unwrap().registers(&names)
    };
    // The first bit is D7 of the nearest chip, the last D0 of the other.
    let frames = [frame(&[]), frame(&[15]), frame(&[]), frame(&[0]), frame(&[0, 9])];
    let registers = told(&frames, &["s0", "s1", "s2"]).unwrap();
    assert_eq!(
        (registers[0].join(" "), registers[1].join(" ")),
        ("- - - - - - - s1".into(), "s0 - - - - - s2 -".into())
    );
    assert_eq!(told(&frames, &["s0"]), Err(PressedError::Count { names: 1, changed: 3 }));
    assert_eq!(told(&[frame(&[]), frame(&[1, 2])], &["s0", "s1"]), Err(PressedError::Together(1, 2)));
    assert_eq!(told(&[frame(&[])[..13].to_vec()], &[]), Err(PressedError::NoChips(13)));
}
