//! What lines are to one another: a quadrature pair, its index, a changeover pair, a chain, an echo.
//!
//! All of it is judged by the first edges of each line, and each guess comes with its ground.

use crate::time::Nanos;

/// A line's first edges: the level before them, and their times.
#[derive(Debug, Clone, Copy)]
pub struct Edges<'a> {
    /// Whether it starts high.
    pub starts_high: bool,
    /// The times, never falling.
    pub times: &'a [Nanos],
}

/// How many edges of a line it is judged by.
pub const JUDGED: usize = 1 << 13;

/// How many edges are looked at first.
const FEW: usize = 512;

/// How many edges a guess needs.
const ENOUGH: usize = 12;

impl<'a> Edges<'a> {
    /// The rising edges.
    fn rising(self) -> impl Iterator<Item = Nanos> + Clone + 'a {
        self.times.iter().copied().skip(usize::from(self.starts_high)).step_by(2)
    }

    /// The falling edges.
    fn falling(self) -> impl Iterator<Item = Nanos> + Clone + 'a {
        self.times.iter().copied().skip(usize::from(!self.starts_high)).step_by(2)
    }

    /// Edges up to a time that all lines' edges reach.
    fn up_to(self, end: Nanos) -> Self {
        let count = self.times.partition_point(|&time| time <= end);
        Self { times: self.times.get(..count).unwrap_or_default(), ..self }
    }

    /// The first few edges, by which most pairs can be told to be none.
    fn few(self) -> Self {
        Self { times: self.times.get(..FEW).unwrap_or(self.times), ..self }
    }

    fn count_between(self, from: Nanos, until: Nanos) -> usize {
        self.times.partition_point(|&time| time < until) - self.times.partition_point(|&time| time < from)
    }
}

/// The common stretch of two lines, where each has enough edges there.
fn common<'a>(one: Edges<'a>, other: Edges<'a>) -> Option<(Edges<'a>, Edges<'a>)> {
    let end = (*one.times.last()?).min(*other.times.last()?);
    // A line that is at rest while the other goes on still shares its time.
    let end = if one.times.len() < JUDGED && other.times.len() < JUDGED {
        (*one.times.last()?).max(*other.times.last()?)
    } else {
        end
    };
    let (one, other) = (one.up_to(end), other.up_to(end));
    (one.times.len() >= ENOUGH && other.times.len() >= ENOUGH).then_some((one, other))
}

/// How two lines take turns: the share of one's edges with just one edge of the other since the last, and the middle of
/// where that one lies between them, from 0 to 1.
fn turns(one: Edges<'_>, other: Edges<'_>) -> (f64, f64) {
    let mut places = Vec::new();
    let mut pairs = 0;
    for pair in one.times.windows(2) {
        let (Some(&from), Some(&until)) = (pair.first(), pair.get(1)) else { continue };
        if from == until {
            continue;
        }
        pairs += 1;
        let first = other.times.partition_point(|&time| time < from);
        let within = other.count_between(from, until);
        if let (1, Some(&edge)) = (within, other.times.get(first)) {
            places.push((edge - from).0 as f64 / (until - from).0 as f64);
        }
    }
    places.sort_by(f64::total_cmp);
    let middle = places.get(places.len() / 2).copied().unwrap_or(0.0);
    (places.len() as f64 / f64::from(pairs).max(1.0), middle)
}

/// Two channels a quarter of a period apart: whether the first leads, and the ground.
pub fn quadrature(one: Edges<'_>, other: Edges<'_>) -> Option<(bool, String)> {
    let (few, others) = common(one.few(), other.few())?;
    if turns(few, others).0 < 0.8 || turns(others, few).0 < 0.8 {
        return None;
    }
    let (a, b) = common(one, other)?;
    let ((share_a, place_a), (share_b, place_b)) = (turns(a, b), turns(b, a));
    let apart = (0.15..0.85).contains(&place_a) && (0.15..0.85).contains(&place_b);
    if share_a < 0.9 || share_b < 0.9 || !apart {
        return None;
    }
    // Where the first rises while the second is low, the first leads.
    let low_at = |time: Nanos| b.starts_high == (b.times.partition_point(|&edge| edge <= time) % 2 == 1);
    let rises = a.rising().count().max(1);
    let leading = a.rising().filter(|&time| low_at(time)).count();
    let ground = format!(
        "their edges take turns in {:.0} % of all, {:.0}° apart",
        share_a.min(share_b) * 100.0,
        place_a * 180.0
    );
    Some((leading * 2 > rises, ground))
}

/// Two sides of one contact: of opposite level but for the moment between.
pub fn changeover(one: Edges<'_>, other: Edges<'_>) -> Option<String> {
    let end = (*one.times.last()?).max(*other.times.last()?);
    if one.times.len() < 2 || other.times.len() < 2 || one.times.len().max(other.times.len()) > 10_000 {
        return None;
    }
    let mut all: Vec<(Nanos, bool)> = one.times.iter().map(|&time| (time, true)).collect();
    all.extend(other.times.iter().map(|&time| (time, false)));
    all.sort();
    let (mut first, mut second, mut since) = (one.starts_high, other.starts_high, Nanos(0));
    let (mut opposite, mut both) = (0, [0u64; 2]);
    for (time, is_first) in all {
        let length = (time - since).0;
        match (first == second, first) {
            (false, _) => opposite += length,
            (true, high) => both[usize::from(high)] += length,
        }
        since = time;
        if is_first { first = !first } else { second = !second }
    }
    let share = opposite as f64 / end.0.max(1) as f64;
    let moves = near(one, other, TRANSIT).min(near(other, one, TRANSIT));
    (share > 0.85 && both[0] + both[1] > 0 && moves >= 0.6)
        .then(|| format!("of opposite level in {:.1} % of the time, and alike only while it moves", share * 100.0))
}

/// The time that a contact takes to move from one side to the other, at most.
const TRANSIT: Nanos = Nanos(100_000_000);

/// The share of one line's edges that have one of the other closer than a time.
fn near(one: Edges<'_>, other: Edges<'_>, closer: Nanos) -> f64 {
    let close = |edge: &&Nanos| {
        let next = other.times.partition_point(|time| time < *edge);
        let around = [next.checked_sub(1), Some(next)].into_iter().flatten().filter_map(|at| other.times.get(at));
        around.into_iter().any(|time| time.0.abs_diff(edge.0) < closer.0)
    };
    one.times.iter().filter(close).count() as f64 / one.times.len().max(1) as f64
}

/// A pulse at the same count of another line's pulses, again and again.
pub fn index(mark: Edges<'_>, pulses: Edges<'_>) -> Option<String> {
    let marks: Vec<Nanos> = mark.rising().collect();
    let rises: Vec<Nanos> = pulses.rising().collect();
    let counts: Vec<usize> = marks
        .windows(2)
        .filter_map(|pair| {
            let until = *pair.get(1)?;
            rises.last().filter(|last| **last >= until)?;
            let before = |time: Nanos| rises.partition_point(|&rise| rise < time);
            Some(before(until) - before(*pair.first()?))
        })
        .collect();
    let mut sorted = counts.clone();
    sorted.sort_unstable();
    let usual = *sorted.get(sorted.len() / 2)?;
    let same = counts.iter().filter(|count| **count == usual).count();
    (counts.len() >= 2 && usual >= 4 && same * 20 >= counts.len() * 17)
        .then(|| format!("one pulse for every {usual} of the pair, in {same} of {}", counts.len()))
}

/// A pulse of its own width that follows each pulse of a trigger.
pub fn echo(trigger: Edges<'_>, echo: Edges<'_>) -> Option<String> {
    let falls: Vec<Nanos> = trigger.falling().collect();
    let rises: Vec<Nanos> = echo.rising().collect();
    if falls.len() < 4 || rises.len() < 4 || rises.len() > falls.len() {
        return None;
    }
    let mut delays = Vec::new();
    for pair in falls.windows(2) {
        let (Some(&from), Some(&until)) = (pair.first(), pair.get(1)) else { continue };
        let first = rises.partition_point(|&time| time < from);
        match rises.get(first).filter(|time| **time < until) {
            Some(&rise) if (rise - from).0 * 4 < (until - from).0 => delays.push((rise - from).0),
            Some(_) => return None,
            None => {}
        }
    }
    delays.sort_unstable();
    let (least, most) = (*delays.first()?, *delays.last()?);
    let tight = most - least <= most / 4 + 2_000;
    (delays.len() * 10 >= falls.len() * 7 && tight)
        .then(|| format!("it goes high {} after each of {} pulses", Nanos(most), delays.len()))
}

/// The load and clock lines of a chain: pulses of the clock come in frames of one count between pulses of load.
pub fn chain(load: Edges<'_>, clock: Edges<'_>) -> Option<String> {
    let frames: Vec<Nanos> = load.rising().collect();
    let rises: Vec<Nanos> = clock.rising().collect();
    let before = |time: Nanos| rises.partition_point(|&rise| rise < time);
    // A second frame that differs from the first is enough to tell that it is none.
    let first: Vec<usize> = frames.iter().take(5).map(|&time| before(time)).collect();
    let counts: Vec<usize> = first.windows(2).filter_map(|pair| Some(pair.get(1)? - pair.first()?)).collect();
    if counts.windows(2).any(|pair| pair.first() != pair.get(1)) {
        return None;
    }
    let counts: Vec<usize> = frames
        .windows(2)
        .filter(|pair| rises.last().is_some_and(|last| pair.get(1).is_some_and(|until| until <= last)))
        .filter_map(|pair| Some(before(*pair.get(1)?) - before(*pair.first()?)))
        .collect();
    let usual = *counts.first()?;
    let same = counts.iter().filter(|count| **count == usual).count();
    if counts.len() < 4 || usual < 8 || !usual.is_multiple_of(8) || same * 10 < counts.len() * 9 {
        return None;
    }
    // The clock rests between frames: its pulses lie close together.
    let (first, last) = (*rises.get(before(*frames.first()?))?, *rises.get(before(*frames.get(1)?) - 1)?);
    let period = *frames.get(1)? - *frames.first()?;
    ((last - first).0 * 2 < period.0)
        .then(|| format!("{usual} clocks in {same} of {} frames of {period}", counts.len()))
}

/// Whether a line changes only within the frames of a clock.
pub fn is_chain_data(data: Edges<'_>, clock: Edges<'_>) -> bool {
    let data = data.up_to(clock.times.last().copied().unwrap_or_default());
    data.times.len() >= 2 && near(data, clock, Nanos(usual_step(clock).0.saturating_mul(4))) >= 0.9
}

/// How strongly edges follow a frequency, from 0 to 1: the length of the mean of their phases as unit vectors.
pub fn follows(edges: &[Nanos], hertz: f64) -> f64 {
    let angle = |time: &Nanos| 2.0 * std::f64::consts::PI * (time.seconds() * hertz).fract();
    let (sine, cosine) = edges.iter().fold((0.0, 0.0), |(sine, cosine), time| {
        let angle = angle(time);
        (sine + libm::sin(angle), cosine + libm::cos(angle))
    });
    (sine * sine + cosine * cosine).sqrt() / edges.len().max(1) as f64
}

/// The middle of the times between neighbouring edges.
pub fn usual_step(edges: Edges<'_>) -> Nanos {
    let mut steps: Vec<u64> =
        edges.times.windows(2).filter_map(|pair| Some((*pair.get(1)? - *pair.first()?).0)).collect();
    steps.sort_unstable();
    Nanos(steps.get(steps.len() / 2).copied().unwrap_or(0))
}

/// How uneven the times between edges of one direction are: their standard deviation over their mean.
pub fn unevenness(edges: Edges<'_>) -> f64 {
    let rises: Vec<Nanos> = edges.rising().collect();
    let periods: Vec<f64> =
        rises.windows(2).filter_map(|pair| Some((*pair.get(1)? - *pair.first()?).0 as f64)).collect();
    let number = periods.len().max(1) as f64;
    let mean = periods.iter().sum::<f64>() / number;
    let square = periods.iter().map(|period| (period - mean) * (period - mean)).sum::<f64>() / number;
    if mean > 0.0 { square.sqrt() / mean } else { 0.0 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn nanos(times: impl IntoIterator<Item = u64>) -> Vec<Nanos> {
        times.into_iter().map(Nanos).collect()
    }

    fn low(times: &[Nanos]) -> Edges<'_> {
        Edges { starts_high: false, times }
    }

    /// Pulses of a width at each of some times.
    fn pulses(starts: impl IntoIterator<Item = u64>, width: u64) -> Vec<Nanos> {
        nanos(starts.into_iter().flat_map(|start| [start, start + width]))
    }

    proptest! {
        #[test]
        fn a_quadrature_pair_is_one_at_any_phase_that_can_be_decoded(period in 1_000..1_000_000u64, degrees in 40..140u64, backward in any::<bool>()) {
            let shift = period * degrees / 360;
            let a = pulses((1..60).map(|number| number * period), period / 2);
            let b = pulses((1..60).map(|number| number * period + shift), period / 2);
            let (one, other) = if backward { (&b, &a) } else { (&a, &b) };
            let (leads, ground) = quadrature(low(one), low(other)).unwrap();
            prop_assert_eq!(leads, !backward, "{}", ground);
        }

        #[test]
        fn lines_that_run_apart_are_no_pair(period in 1_000..100_000u64, other in 5..9u64) {
            let a = pulses((1..400).map(|number| number * period), period / 2);
            let b = pulses((1..400).map(|number| number * period * other / 4), period / 3);
            prop_assert_eq!(quadrature(low(&a), low(&b)), None);
        }

        #[test]
        fn an_index_comes_at_one_count(marks in 4..200u64, turns in 4..12u64) {
            let a = pulses((1..=marks * turns).map(|number| number * 1_000), 500);
            let z = pulses((0..turns).map(|turn| turn * marks * 1_000 + 1_200), 500);
            let wanted = format!("every {marks} of the pair");
            prop_assert!(index(low(&z), low(&a)).unwrap().contains(&wanted));
            let uneven = pulses((0..turns).map(|turn| (turn * marks + turn * turn) * 1_000 + 1_200), 500);
            prop_assert!(index(low(&uneven), low(&a)).is_none());
        }
    }

    #[test]
    fn a_changeover_is_opposite_but_for_its_transit() {
        let no = nanos([1_000_000_000, 9_000_000_000, 20_000_000_000, 25_000_000_000]);
        let nc = nanos([994_000_000, 9_006_000_000, 19_994_000_000, 25_006_000_000]);
        let closed = Edges { starts_high: true, times: &nc };
        assert!(changeover(low(&no), closed).unwrap().contains("of opposite level in"));
        // Opposite most of the time, but moving on their own.
        let other = nanos([2_000_000_000, 3_000_000_000, 14_000_000_000, 15_000_000_000]);
        assert_eq!(changeover(low(&no), Edges { starts_high: true, times: &other }), None);
    }

    #[test]
    fn a_chain_has_frames_of_whole_bytes_and_a_clock_that_rests() {
        let load = Edges { starts_high: true, times: &pulses((0..20).map(|frame| frame * 5_000_000), 8_000) };
        let clocks = |bits: u64| {
            (0..20).flat_map(move |frame| (0..bits).map(move |bit| frame * 5_000_000 + 20_000 + bit * 8_000))
        };
        let clock = pulses(clocks(16), 4_000);
        assert!(chain(load, low(&clock)).unwrap().starts_with("16 clocks"));
        assert_eq!(chain(load, low(&pulses(clocks(13), 4_000))), None);
        let steady = pulses((0..20 * 16).map(|number| number * 312_500), 4_000);
        assert_eq!(chain(load, low(&steady)), None);
        let data = pulses((3..9).map(|frame| frame * 5_000_000 + 24_000), 8_000);
        assert!(is_chain_data(low(&data), low(&clock)));
        assert!(!is_chain_data(low(&pulses((3..9).map(|frame| frame * 5_000_000 + 2_000_000), 8_000)), low(&clock)));
    }

    #[test]
    fn an_echo_follows_its_trigger_at_one_delay() {
        let trigger = pulses((0..20).map(|number| number * 60_000_000), 10_000);
        let answer: Vec<Nanos> = (0..20)
            .filter(|number| number % 7 != 3)
            .flat_map(|number| [number * 60_000_000 + 450_000, number * 60_000_000 + 4_000_000 + number * 9_000])
            .map(Nanos)
            .collect();
        assert!(echo(low(&trigger), low(&answer)).is_some());
        assert_eq!(echo(low(&answer), low(&trigger)), None);
    }

    #[test]
    fn chatter_keeps_the_phase_of_the_mains_and_pulses_do_not() {
        let mains: Vec<Nanos> = nanos((1..200).map(|half| half * 10_000_000 + half % 7 * 300_000));
        assert!(follows(&mains, 100.0) > 0.9);
        let other: Vec<Nanos> = nanos((1..200).map(|number| number * 7_300_000));
        assert!(follows(&other, 100.0) < 0.2);
        assert!(unevenness(low(&nanos((1..100).map(|number| number * 1_000)))) < 1e-9);
        assert_eq!(usual_step(low(&nanos([0, 5, 9, 100]))), Nanos(5));
    }
}
