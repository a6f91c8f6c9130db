//! Clocked wires: a shift-register chain, and other buses.

use super::changeover::near;
use super::edges::Edges;
use super::steady::{median_length, periods, unsteadiness};
use crate::time::Nanos;
use crate::units::short_time;

/// The load and clock lines of a chain: clock pulses come in frames of whole bytes between pulses of load, while load is
/// high. How many clocks a frame has, and the evidence.
pub(super) fn chain(load: Edges<'_>, clock: Edges<'_>) -> Option<(usize, String)> {
    let frames: Vec<Nanos> = load.rising().collect();
    let rises: Vec<Nanos> = clock.rising().collect();
    let before = |time: Nanos| rises.partition_point(|&rise| rise < time);
    let count = |pair: &[Nanos]| Some(before(*pair.get(1)?) - before(*pair.first()?));
    // A second frame that differs from the first is enough to tell that it is none.
    let first: Vec<usize> = frames.windows(2).take(4).filter_map(count).collect();
    if first.windows(2).any(|pair| pair.first() != pair.get(1)) {
        return None;
    }
    let known = |pair: &&[Nanos]| rises.last().is_some_and(|last| pair.get(1).is_some_and(|until| until <= last));
    let counts: Vec<usize> = frames.windows(2).filter(known).filter_map(count).collect();
    let usual = *counts.first()?;
    let same = counts.iter().filter(|count| **count == usual).count();
    if counts.len() < 4 || usual < 8 || !usual.is_multiple_of(8) || same * 10 < counts.len() * 9 {
        return None;
    }
    // A line that is low while the clock runs selects a chip of another bus.
    let judged = rises.iter().take(256);
    if judged.clone().filter(|&&rise| load.level_at(rise)).count() * 10 < judged.count() * 9 {
        return None;
    }
    // The clock rests between frames: its pulses lie close together.
    let (first, last) = (*rises.get(before(*frames.first()?))?, *rises.get(before(*frames.get(1)?) - 1)?);
    let period = *frames.get(1)? - *frames.first()?;
    ((last - first).0 * 2 < period.0).then(|| {
        (usual, format!("{usual} clocks in {same} of {} frames, one every {}", counts.len(), short_time(period)))
    })
}

/// Whether a line changes only within the frames of a clock.
pub(super) fn is_chain_data(data: Edges<'_>, clock: Edges<'_>) -> bool {
    let data = data.up_to(clock.times.last().copied().unwrap_or_default());
    data.times.len() >= 2 && near(data, clock, Nanos(step(clock).saturating_mul(4))) >= 0.9
}

fn step(clock: Edges<'_>) -> u64 {
    median_length(&clock.holds().map(|hold| hold.length).collect::<Vec<u64>>()).unwrap_or(0)
}

/// How many edges of a clock are needed to tell a bus.
const CLOCK_EDGES: usize = 32;
/// How many edges of data.
const DATA_EDGES: usize = 10;

/// Whether a line may be a clock: one period, but for rests between frames.
pub(super) fn is_clock(clock: Edges<'_>) -> bool {
    let rises: Vec<Nanos> = clock.rising().collect();
    let periods = periods(&rises);
    clock.times.len() >= CLOCK_EDGES && unsteadiness(&periods, 1).is_some_and(|uneven| uneven <= 0.05)
}

/// Whether `data` is a wire that `clock` clocks: it changes only at one level of the clock, or right at one of its edges, after counts
/// of clocks that vary as data do. The evidence.
pub(super) fn bus(clock: Edges<'_>, data: Edges<'_>) -> Option<String> {
    let end = (*clock.times.last()?).min(*data.times.last()?);
    let (clock, data) = (clock.up_to(end), data.up_to(end));
    if clock.times.len() < CLOCK_EDGES || data.times.len() < DATA_EDGES || data.times.len() > clock.times.len() {
        return None;
    }
    let half = step(clock);
    // Where the clock stands in its period, in eighths of it, at each edge within a frame; and how many clocks since the last.
    let (mut levels, mut last, mut runs, mut delays) = ([0usize; 2], None, [0usize; 17], Vec::new());
    for &edge in data.times {
        let at = clock.times.partition_point(|&time| time <= edge);
        let Some((&before, &after)) =
            at.checked_sub(1).and_then(|before| clock.times.get(before)).zip(clock.times.get(at))
        else {
            continue;
        };
        // In a rest of the clock anything may change: that is how frames begin and end.
        if (after - before).0 > half.saturating_mul(3) {
            last = None;
            continue;
        }
        let level = clock.starts_high == at.is_multiple_of(2);
        levels[usize::from(level)] += 1;
        delays.push((edge - before).0.saturating_mul(8) / half.max(1));
        if let Some(run) = last.and_then(|last: usize| runs.get_mut(((at - last) / 2).min(16))) {
            *run += 1;
        }
        last = Some(at);
    }
    let within = levels[0] + levels[1];
    let varied = runs.iter().skip(1).filter(|&&run| run * 20 >= within).count();
    let one_level = levels[0].max(levels[1]) * 50 >= within * 49;
    (within >= DATA_EDGES && one_level && varied >= 3).then(|| {
        let level = if levels[1] > levels[0] { "high" } else { "low" };
        format!("changes only while the clock is {level}, {within} times within its frames")
    })
}

/// Whether `select` frames the bursts of a clock: the clock runs only while it is at one level.
pub(super) fn selects(select: Edges<'_>, clock: Edges<'_>) -> bool {
    let rises: Vec<Nanos> = clock.rising().take(2048).collect();
    let high = rises.iter().filter(|&&rise| select.level_at(rise)).count();
    let one_level = high == 0 || high == rises.len();
    one_level && select.times.len() >= 4 && select.times.len() * 4 <= clock.times.len()
}
