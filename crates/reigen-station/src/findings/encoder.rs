//! What a person should know of an encoder: counts that were lost, and what it comes from.

use reigen_core::cast;
use reigen_core::count::encoder::summary::EncoderSummary;
use reigen_core::finding::Finding;
use reigen_core::names::counted;
use reigen_core::time::Nanos;
use reigen_core::units::{engineering, significant};

/// A channel without an edge while the other has so many is dead.
const DEAD: u64 = 20;
/// The phase may be off 90° by so much, and the closest edges be so near, before it is told.
const OFF: f64 = 25.0;
const CLOSE: f64 = 40.0;
/// An index nearer to the switch than this share of a revolution may be missed or taken a revolution late.
const NEAR: f64 = 0.125;
/// So many reversals after a count or two are a trembling.
const TREMBLES: u64 = 4;
/// So many counts in a row that come one by one are a slow axis, and not a jog.
const SLOW: u64 = 3;
/// So many wrong revolutions are told one by one.
const TOLD: usize = 3;

/// Findings on an encoder.
pub(super) fn of_encoder(name: &str, encoder: &EncoderSummary, findings: &mut Vec<Finding>) {
    if dead(name, encoder, findings) {
        return;
    }
    illegal(name, encoder, findings);
    missing(name, encoder, findings);
    scan(name, encoder, findings);
    index(name, encoder, findings);
    homing(name, encoder, findings);
    phase(name, encoder, findings);
    if encoder.forward == 0 && encoder.backward > DEAD {
        let message = format!("it counted {} backward and none forward", encoder.backward);
        let remedy = "if it should count forward, A and B are swapped or one of them is inverted: reverse = true";
        findings.push(Finding::note("always-backward", name, message, remedy));
    }
    if encoder.lone_counts >= SLOW {
        let message = format!(
            "{} in a row came singly, each more than {} after the previous one: the shaft turns while `.moving` is off",
            counted(encoder.lone_counts, "count"),
            encoder.still_after
        );
        let remedy = "set `still_after` to twice the longest time between counts";
        findings.push(Finding::warning("too-slow-to-see", name, message, remedy));
    }
    if encoder.dither >= TREMBLES && encoder.missing.is_empty() {
        let message = format!(
            "{} of its {} came after one or two counts: the shaft vibrates at standstill",
            encoder.dither,
            counted(encoder.reversals, "reversal")
        );
        let remedy = "nothing to do for the position; a counter on one channel alone would run away";
        findings.push(Finding::note("encoder-dither", name, message, remedy));
    }
}

fn dead(name: &str, encoder: &EncoderSummary, findings: &mut Vec<Finding>) -> bool {
    let channel = match encoder.edges {
        [0, other] if other >= DEAD => "A",
        [other, 0] if other >= DEAD => "B",
        _ => return false,
    };
    let [a, b] = encoder.edges;
    let message = format!("channel {channel} never changes while the other channel changes {} times", a.max(b));
    let remedy = "check the wire, supply and pull-up of that channel";
    findings.push(Finding::error("channel-dead", name, message, remedy));
    true
}

fn illegal(name: &str, encoder: &EncoderSummary, findings: &mut Vec<Finding>) {
    let Some(first) = encoder.first_illegal else { return };
    let message = format!(
        "both channels changed at once {}, first {} after the start: counts were lost there",
        counted(encoder.illegal, "time"),
        first.place()
    );
    let at_speed = encoder.illegal_at_speed * 2 >= encoder.illegal;
    let (sum, remedy) = match at_speed {
        true => (
            format!(
                "{} of them within four steps of {} after the previous edge",
                encoder.illegal_at_speed, encoder.tick
            ),
            "the encoder turns too fast for the reading rate: read it faster, or use an encoder with fewer pulses per revolution",
        ),
        false => (
            format!("only {} of them at speed, so reading faster does not help", encoder.illegal_at_speed),
            "glitches on both wires: use a screened cable or a line driver, and keep it away from motor cables",
        ),
    };
    findings.push(Finding::warning("illegal-steps", name, message, remedy).with_sum(sum).first_at(first));
}

/// Where the index always finds the same number of counts, and not a revolution's: the cycles that it speaks for.
fn other_revolution(encoder: &EncoderSummary) -> Option<i64> {
    let by_mark = encoder.missing.iter().map(|wrong| wrong.counts);
    let by_zero = encoder.homings.iter().filter(|homing| homing.from_switch.is_none() && encoder.has_index);
    let by_zero = by_zero.filter_map(|homing| Some((homing.before? - encoder.zero_at).abs())).filter(|way| *way > 0);
    let mut ways: Vec<i64> = if encoder.missing.is_empty() { by_zero.collect() } else { by_mark.collect() };
    ways.sort_unstable();
    let (middle, rev) = (*ways.get(ways.len() / 2)?, encoder.counts_per_rev?);
    let same = ways.iter().filter(|way| way.abs_diff(middle) <= 2).count();
    let nearly_all = ways.len() >= 3 && same * 10 >= ways.len() * 9 && same as u64 * 4 >= encoder.index_marks * 3;
    (nearly_all && middle % rev != 0)
        .then(|| cast::i64_from_f64((middle as f64 / encoder.counts_per_cycle as f64).round()))
}

fn missing(name: &str, encoder: &EncoderSummary, findings: &mut Vec<Finding>) {
    if let (Some(cycles), Some(rev)) = (other_revolution(encoder), encoder.counts_per_rev) {
        let message = format!(
            "its index comes every {cycles} cycles, but `pulses_per_rev` is {}: it is a different encoder, or it is geared",
            rev / encoder.counts_per_cycle.max(1)
        );
        let remedy = format!("pulses_per_rev = {cycles}");
        findings.push(Finding::warning("pulses-per-rev-wrong", name, message, &remedy));
        return;
    }
    if encoder.missed_marks > 0 {
        let message = format!(
            "its index was missing {}, each time after a whole number of revolutions: no count was lost",
            counted(encoder.missed_marks, "time")
        );
        let remedy = "check the wire and level of the index and the input filter: the index pulse is short at speed";
        findings.push(Finding::warning("index-missed", name, message, remedy));
    }
    let Some(first) = encoder.missing.first() else { return };
    let all = encoder.missing.len();
    let listed: Vec<String> = encoder
        .missing
        .iter()
        .take(TOLD)
        .map(|wrong| {
            format!("{} of {} between {} and {}", wrong.counts, wrong.expected, wrong.from.place(), wrong.at.place())
        })
        .collect();
    let more = if all > TOLD { format!(", and {} more", all - TOLD) } else { String::new() };
    let (what, by) = match encoder.missing_counts {
        0 => ("as many lost as gained".to_owned(), String::new()),
        lost @ 1.. => ("counts were lost".to_owned(), format!(": {lost} in all")),
        gained => ("counts were gained".to_owned(), format!(": {} in all", -gained)),
    };
    let message = format!("{what} between index marks{by}, first {} after the start", first.at.place());
    let remedy = "look there for glitches and lost edges, then check that channel's wire and connector";
    let sum = format!("{}{more}", listed.join("; "));
    findings.push(Finding::warning("counts-missing", name, message, remedy).with_sum(sum).first_at(first.at));
}

fn scan(name: &str, encoder: &EncoderSummary, findings: &mut Vec<Finding>) {
    let Some(lost) = encoder.lost_by_scan.filter(|lost| *lost != 0) else { return };
    let message = format!(
        "the scan sees {} {} than the encoder gave",
        lost.abs(),
        if lost > 0 { "fewer counts" } else { "more counts" }
    );
    let remedy = match encoder.slowest_scan {
        Some(closest) if closest > Nanos(0) => {
            format!("scan every {closest} or faster, or use a high-speed counter input")
        }
        _ => "use a high-speed counter input".to_owned(),
    };
    let sum = format!("read every {}, closest edges {} apart", encoder.tick, encoder.slowest_scan.unwrap_or_default());
    findings.push(Finding::error("scan-loses-counts", name, message, &remedy).with_sum(sum));
}

fn index(name: &str, encoder: &EncoderSummary, findings: &mut Vec<Finding>) {
    let way = encoder.forward.max(encoder.backward);
    let enough = encoder.counts_per_rev.map_or(way > DEAD, |counts| way * 2 > counts.unsigned_abs() * 3);
    if encoder.has_index && encoder.index_marks == 0 && enough {
        let message = format!("its index never came in {}", counted(way, "count"));
        let remedy = "check the wire and polarity of the index; some encoders have an active-low index";
        findings.push(Finding::warning("index-never", name, message, remedy));
    }
}

fn homing(name: &str, encoder: &EncoderSummary, findings: &mut Vec<Finding>) {
    if encoder.wants_zero && !encoder.homed {
        let message = "it was never homed, so its position is unknown".to_owned();
        let remedy = "run it to its home switch, and past the index where that sets zero";
        findings.push(Finding::warning("never-homed", name, message, remedy));
    }
    if let Some(rev) = encoder.counts_per_rev {
        let margin = |distance: i64| (distance.abs() % rev).min(rev - distance.abs() % rev);
        let nearest = encoder.homings.iter().filter_map(|homing| homing.from_switch).min_by_key(|way| margin(*way));
        if let Some(way) = nearest.filter(|way| (margin(*way) as f64) < NEAR * rev as f64) {
            let degrees = 360.0 * margin(way) as f64 / rev as f64;
            let message = format!(
                "the index came {} after the home switch, only {} from the next index: a zero may be one revolution off",
                counted(way.unsigned_abs(), "count"),
                counted(margin(way).unsigned_abs(), "count"),
            );
            let sum = format!("{} of {rev} counts are {}°", margin(way), significant(degrees));
            let remedy = format!(
                "move the home switch by half a revolution of travel, or turn the coupling by {}°",
                significant(180.0 - degrees)
            );
            findings.push(Finding::warning("zero-near-switch", name, message, &remedy).with_sum(sum));
        }
    }
    let before: Vec<i64> = encoder
        .homings
        .iter()
        .filter(|homing| homing.from_switch.is_some())
        .filter_map(|homing| homing.before)
        .collect();
    if let (Some(least), Some(most)) = (before.iter().min(), before.iter().max())
        && (least != most || *least != encoder.zero_at)
    {
        let times = counted(before.len() as u64, "time");
        let revolutions = |rev: i64| {
            let ways = before.iter().map(|before| before - encoder.zero_at);
            let whole: Option<Vec<i64>> = ways.map(|way| (way % rev == 0).then_some(way / rev)).collect();
            whole.and_then(|whole| whole.into_iter().max_by_key(|turns| turns.abs()))
        };
        let (message, remedy) = match encoder.counts_per_rev.filter(|rev| *rev > 0).and_then(revolutions) {
            Some(turns) => (
                format!("homed again {times}, exactly {} from zero", counted(turns.unsigned_abs(), "revolution")),
                "no count was lost, but it was homed at another revolution: the switch is too near the index, or the axis made a full turn",
            ),
            None => (
                format!("homed again {times}, at {least} to {most} counts instead of zero"),
                "0 is good; otherwise counts were lost since the previous homing, or the coupling has play",
            ),
        };
        findings.push(Finding::note("zeros-compared", name, message, remedy));
    }
}

fn phase(name: &str, encoder: &EncoderSummary, findings: &mut Vec<Finding>) {
    let all = encoder.phase.iter().filter(|phase| phase.from_hz.is_none());
    let off = |degrees: f64| (degrees - 90.0).abs();
    let Some(worst) = all.max_by(|one, other| off(one.phase_degrees).total_cmp(&off(other.phase_degrees))) else {
        return;
    };
    if off(worst.phase_degrees) <= OFF && worst.closest_degrees >= CLOSE {
        return;
    }
    let when = encoder.worst_phase.map_or(String::new(), |(at, _)| format!(" in the cycle at {}", at.place()));
    let closest = encoder.worst_phase.map_or(worst.closest_degrees, |(_, degrees)| degrees);
    let message = format!(
        "phase {}° between A and B instead of 90°, closest edges {}°{when}",
        significant(worst.phase_degrees),
        significant(closest)
    );
    let margin = encoder.slowest_scan.filter(|closest| *closest > Nanos(0));
    let margin = margin
        .map_or(String::new(), |closest| format!(", closest edges {} apart", engineering(closest.seconds(), "s")));
    let sum = format!(
        "over {}, A high {} % and B {} % of a cycle{margin}",
        counted(worst.cycles, "steady cycle"),
        significant(worst.duty_a * 100.0),
        significant(worst.duty_b * 100.0)
    );
    let remedy =
        "check the gap, the spacing of the sensors and the thresholds: it still counts, but with less margin at speed";
    let finding = Finding::warning("encoder-phase", name, message, remedy).with_sum(sum);
    findings.push(Finding { at: encoder.worst_phase.map(|(at, _)| at), ..finding });
}

#[cfg(test)]
mod tests {
    use super::*;
    use reigen_core::count::encoder::health::Phase;
    use reigen_core::count::encoder::homing::{Homing, Missing};

    fn encoder() -> EncoderSummary {
        EncoderSummary {
            position: Some(0),
            value: None,
            unit: String::new(),
            illegal: 0,
            reversals: 9,
            index_marks: 3,
            dither: 0,
            forward: 900,
            backward: 300,
            speed: None,
            homed: true,
            homings: Vec::new(),
            missing: Vec::new(),
            missing_counts: 0,
            missed_marks: 0,
            lone_counts: 2,
            still_after: Nanos(7),
            counts_per_cycle: 4,
            first_illegal: None,
            illegal_at_speed: 0,
            slowest_scan: Some(Nanos(10)),
            lost_by_scan: Some(0),
            edges: [600, 600],
            phase: Vec::new(),
            worst_phase: None,
            has_index: true,
            wants_zero: true,
            zero_at: 0,
            counts_per_rev: Some(80),
            tick: Nanos(1),
            last_count: None,
            last_illegal: None,
        }
    }

    fn homed(before: i64, from_switch: i64) -> Homing {
        Homing { at: Nanos(1), before: Some(before), from_switch: Some(from_switch) }
    }

    fn channels(phase_degrees: f64, closest_degrees: f64) -> Vec<Phase> {
        let (least_phase_degrees, most_phase_degrees) = (phase_degrees, phase_degrees);
        let (from_hz, to_hz, cycles, duty_a, duty_b) = (None, None, 50, 0.5, 0.5);
        vec![Phase {
            forward: true,
            from_hz,
            to_hz,
            cycles,
            phase_degrees,
            least_phase_degrees,
            most_phase_degrees,
            duty_a,
            duty_b,
            closest_degrees,
        }]
    }

    #[test]
    fn each_finding_has_a_case_that_has_it_and_one_that_just_has_not() {
        let illegal = |at_speed| EncoderSummary {
            illegal: 4,
            illegal_at_speed: at_speed,
            first_illegal: Some(Nanos(5)),
            ..encoder()
        };
        let wrong = Missing { from: Nanos(1), at: Nanos(9), counts: 76, expected: 80 };
        let other = Missing { counts: 60, ..wrong };
        let few = |missing: Vec<Missing>| EncoderSummary { index_marks: 40, missing_counts: 20, missing, ..encoder() };
        let cases = [
            (encoder(), vec![]),
            (EncoderSummary { edges: [0, 20], ..encoder() }, vec!["channel-dead"]),
            (EncoderSummary { edges: [0, 19], ..encoder() }, vec![]),
            (illegal(2), vec!["illegal-steps"]),
            (few(vec![wrong; 5]), vec!["counts-missing"]),
            (EncoderSummary { lost_by_scan: Some(-1), ..encoder() }, vec!["scan-loses-counts"]),
            (EncoderSummary { index_marks: 0, ..encoder() }, vec!["index-never"]),
            (EncoderSummary { index_marks: 0, forward: 120, backward: 100, ..encoder() }, vec![]),
            (EncoderSummary { homed: false, ..encoder() }, vec!["never-homed"]),
            (EncoderSummary { homings: vec![homed(0, 9)], ..encoder() }, vec!["zero-near-switch"]),
            (EncoderSummary { homings: vec![homed(0, 71)], ..encoder() }, vec!["zero-near-switch"]),
            (EncoderSummary { homings: vec![homed(0, 10), homed(0, 70)], ..encoder() }, vec![]),
            (EncoderSummary { homings: vec![homed(0, 40), homed(4, 40)], ..encoder() }, vec!["zeros-compared"]),
            // Homed exactly a revolution away, by a switch that is far from the index.
            (EncoderSummary { homings: vec![homed(0, 40), homed(80, 40)], ..encoder() }, vec!["zeros-compared"]),
            (EncoderSummary { missed_marks: 1, ..encoder() }, vec!["index-missed"]),
            (EncoderSummary { lone_counts: 3, ..encoder() }, vec!["too-slow-to-see"]),
            (EncoderSummary { missing: vec![other; 3], missing_counts: 60, ..encoder() }, vec!["pulses-per-rev-wrong"]),
            (EncoderSummary { missing: vec![other; 2], missing_counts: 40, ..encoder() }, vec!["counts-missing"]),
            (EncoderSummary { phase: channels(115.0, 40.0), ..encoder() }, vec![]),
            (EncoderSummary { phase: channels(116.0, 60.0), ..encoder() }, vec!["encoder-phase"]),
            (EncoderSummary { phase: channels(90.0, 39.0), ..encoder() }, vec!["encoder-phase"]),
            (EncoderSummary { forward: 0, index_marks: 3, ..encoder() }, vec!["always-backward"]),
            (EncoderSummary { dither: 4, ..encoder() }, vec!["encoder-dither"]),
            (EncoderSummary { dither: 3, ..encoder() }, vec![]),
        ];
        for (encoder, wanted) in cases {
            let mut findings = Vec::new();
            of_encoder("x", &encoder, &mut findings);
            assert_eq!(findings.iter().map(|finding| finding.code).collect::<Vec<_>>(), wanted, "{encoder:?}");
        }
        let told = |before| {
            let mut findings = Vec::new();
            of_encoder(
                "x",
                &EncoderSummary { homings: vec![homed(0, 40), homed(before, 40)], ..encoder() },
                &mut findings,
            );
            findings.remove(0).message
        };
        assert!(told(-160).ends_with("exactly 2 revolutions from zero"), "{}", told(-160));
        assert!(told(4).ends_with("0 to 4 counts instead of zero"));
        let remedy = |at_speed| {
            let mut findings = Vec::new();
            of_encoder("x", &illegal(at_speed), &mut findings);
            findings.remove(0).remedy
        };
        assert!(remedy(2).contains("too fast") && remedy(1).contains("glitches"), "by how many came at speed");
    }
}
