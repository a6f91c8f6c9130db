//! What a person should know of a chain of shift registers.

use reigen_core::cast;
use reigen_core::expand::expander::ExpanderSummary;
use reigen_core::finding::Finding;
use reigen_core::names::counted;
use reigen_core::time::Nanos;

/// So many bad frames are told one by one.
const TOLD: usize = 3;
/// Data that changes nearer before the clock edge that reads it than this part of the clock's step is told.
const TIGHT: u64 = 4;
/// So many times as often data must follow the other edge.
const MOSTLY: u64 = 4;
/// A load shorter than this is too short for common registers.
const SHORT_LOAD: Nanos = Nanos(20);

/// Findings on an expander.
pub(super) fn of_expander(name: &str, expander: &ExpanderSummary, findings: &mut Vec<Finding>) {
    if expander.frames == 0 {
        let message = "no complete frame in this recording, so its points have no level".to_owned();
        let remedy = "check that load, clock and data are the right lines: `reigen chain` finds them";
        findings.push(Finding::warning("no-frames", name, message, remedy));
        return;
    }
    bad_frames(name, expander, findings);
    margins(name, expander, findings);
    if let Some(load) = expander.shortest_load.filter(|load| *load < SHORT_LOAD) {
        let message = format!("load is low for only {load}: registers may not load their inputs");
        findings.push(Finding::warning("load-too-short", name, message, "hold load low for 50 ns or more"));
    }
    let moves = expander.changed.iter().any(|changed| *changed > 0);
    for (chip, stuck) in expander.stuck.iter().enumerate() {
        let Some(high) = stuck.filter(|_| moves && expander.stuck.len() > 1) else { continue };
        let level = if high { "high" } else { "low" };
        let message = format!("all eight bits of register {} stay {level} while other registers change", chip + 1);
        let remedy = "check the supply, load and serial input of that chip; ignore this if nothing was actuated there";
        findings.push(Finding::note("register-stuck", name, message, remedy));
    }
}

fn bad_frames(name: &str, expander: &ExpanderSummary, findings: &mut Vec<Finding>) {
    let Some(first) = expander.bad.first() else { return };
    let listed: Vec<String> =
        expander.bad.iter().take(TOLD).map(|bad| format!("{} at {}", bad.clocks, bad.at.place())).collect();
    let more = match cast::usize_from_u64(expander.bad_frames) {
        all if all > TOLD => format!(", and {} more", all - TOLD),
        _ => String::new(),
    };
    let message = format!(
        "{} of {} did not have {} clocks, first {} after the start; their points kept their state",
        expander.bad_frames,
        counted(expander.frames, "frame"),
        expander.bits,
        first.at.place()
    );
    let remedy = match expander.bad_frames == expander.frames {
        true => "the length of the chain differs from `registers`: `reigen chain` counts its bits",
        false if first.clocks > expander.bits as u64 => {
            "too many clocks: another device is on the bus, or the clock cable picks up glitches; wire `inhibit`"
        }
        false => "too few clocks: the controller was interrupted, or the cable loses edges; use a slower clock",
    };
    let sum = format!("clocks: {}{more}", listed.join("; "));
    findings.push(Finding::warning("bad-frames", name, message, remedy).with_sum(sum).first_at(first.at));
}

/// Data that changes just before it is read, or that is read after the registers have shifted.
fn margins(name: &str, expander: &ExpanderSummary, findings: &mut Vec<Finding>) {
    let (edge, other) = if expander.rising { ("rising", "falling") } else { ("falling", "rising") };
    let Some(step) = expander.clock_step else { return };
    let shown = |time: Option<Nanos>| time.map_or("unknown".to_owned(), |time| time.to_string());
    let sum = format!("set-up {}, hold {}, a clock edge every {step}", shown(expander.set_up), shown(expander.hold));
    let remedy = format!("sample = \"{other}\"; `reigen chain` tells the margins of both");
    // The first edge of a frame shifts where it is the one that data follows: the first bit is gone before it is read.
    let shifts_first = expander.rests_high == expander.rising;
    if expander.follows.other > MOSTLY * expander.follows.reading.max(1) && shifts_first {
        let message = format!(
            "data changes right after the {other} clock edge and is read at the {edge} edge: all bits are shifted by one"
        );
        findings.push(Finding::warning("wrong-clock-edge", name, message, &remedy).with_sum(sum));
        return;
    }
    if let Some(set_up) = expander.set_up.filter(|set_up| set_up.0 * TIGHT < step.0) {
        let message = format!(
            "data changes only {set_up} before the {edge} clock edge that reads it: some bits may be read too early"
        );
        findings.push(Finding::warning("data-near-clock", name, message, &remedy).with_sum(sum));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use reigen_core::expand::expander::BadFrame;
    use reigen_core::expand::frames::Follows;

    fn expander() -> ExpanderSummary {
        ExpanderSummary {
            frames: 100,
            bad_frames: 0,
            bits: 16,
            bad: Vec::new(),
            set_up: Some(Nanos(7000)),
            hold: Some(Nanos(20)),
            clock_step: Some(Nanos(4000)),
            shortest_load: Some(Nanos(500)),
            period: None,
            changed: vec![3, 1],
            stuck: vec![None, None],
            rising: true,
            follows: Follows { reading: 50, other: 0 },
            rests_high: false,
        }
    }

    #[test]
    fn each_finding_has_a_case_that_has_it_and_one_that_just_has_not() {
        let bad = |bad_frames, clocks| {
            let bad = vec![BadFrame { at: Nanos(9), clocks }];
            ExpanderSummary { bad_frames, bad, ..expander() }
        };
        let falls = Follows { reading: 10, other: 41 };
        let cases = [
            (expander(), vec![]),
            (ExpanderSummary { frames: 0, ..expander() }, vec!["no-frames"]),
            (bad(2, 17), vec!["bad-frames"]),
            (ExpanderSummary { shortest_load: Some(Nanos(19)), ..expander() }, vec!["load-too-short"]),
            (ExpanderSummary { set_up: Some(Nanos(999)), ..expander() }, vec!["data-near-clock"]),
            (ExpanderSummary { set_up: Some(Nanos(1000)), ..expander() }, vec![]),
            // Where the clock rests low, a rising one comes first, and reads the first bit before a falling one shifts.
            (ExpanderSummary { follows: falls, ..expander() }, vec![]),
            (ExpanderSummary { follows: falls, rests_high: true, ..expander() }, vec!["wrong-clock-edge"]),
            (ExpanderSummary { follows: falls, rising: false, ..expander() }, vec!["wrong-clock-edge"]),
            (
                ExpanderSummary { stuck: vec![None, Some(true)], changed: vec![1, 0], ..expander() },
                vec!["register-stuck"],
            ),
            (ExpanderSummary { stuck: vec![Some(true), Some(false)], changed: vec![0, 0], ..expander() }, vec![]),
        ];
        for (expander, wanted) in cases {
            let mut findings = Vec::new();
            of_expander("x", &expander, &mut findings);
            assert_eq!(findings.iter().map(|finding| finding.code).collect::<Vec<_>>(), wanted, "{expander:?}");
        }
        let remedy = |expander: &ExpanderSummary| {
            let mut findings = Vec::new();
            of_expander("x", expander, &mut findings);
            findings.remove(0).remedy
        };
        assert!(remedy(&bad(100, 8)).contains("differs from `registers`"));
        assert!(remedy(&bad(2, 17)).contains("too many") && remedy(&bad(2, 15)).contains("too few"));
    }
}
