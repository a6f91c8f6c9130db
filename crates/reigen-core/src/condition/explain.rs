//! The reason for the fate of a single edge, with its numbers.

use super::debounce::Settings;
use super::input::InputSettings;
use crate::account::{Rule, Verdict};
use crate::time::{Nanos, Origin, place};
use crate::units::short_time;

/// An edge among its neighbours.
#[derive(Debug, Clone, Copy)]
pub struct Edge {
    /// When it came.
    pub time: Nanos,
    /// When the next one came, where one did.
    pub next: Option<Nanos>,
    /// Whether the input was on after it.
    pub on: bool,
}

impl Edge {
    /// How long its state held, where an edge follows.
    fn held(&self) -> Option<Nanos> {
        self.next.map(|next| next.saturating_sub(self.time))
    }

    /// Whether it held until its fate was settled: then it is the last of its burst.
    fn is_settled_by(&self, verdict: &Verdict) -> bool {
        self.next.is_none_or(|next| next > verdict.decided)
    }

    /// `fell back after 1.2 ms`; with all digits where fewer would hide that it is less than a limit.
    fn back(&self, limit: Option<Nanos>) -> String {
        let word = if self.on { "fell back" } else { "came back" };
        match self.held() {
            Some(held) if limit.is_some_and(|limit| short_time(limit) == short_time(held)) => {
                format!("{word} after {held}")
            }
            Some(held) => format!("{word} after {}", short_time(held)),
            None => "held to the end".to_owned(),
        }
    }
}

/// What became of an edge and why: `bounce, fell back after 1.2 ms, less than 8 ms`.
///
/// `verdict` is `None` where the recording ended before its fate was settled.
pub fn explain(settings: &InputSettings, edge: Edge, verdict: Option<&Verdict>, origin: Origin) -> String {
    let at = |time: Nanos| place(origin.file_time_ns(time));
    let Some(verdict) = verdict else {
        return "pending: the recording ends before it is decided".to_owned();
    };
    match (verdict.rule, settings.debounce) {
        (None, debounce) => format!("accepted, {}", accepted(debounce, edge, verdict, &at)),
        (Some(Rule::Missed), _) => {
            format!("missed: it changed again before the reading at {}", at(verdict.decided))
        }
        (Some(rule), debounce) if edge.is_settled_by(verdict) && !matches!(debounce, Settings::Lockout(_)) => {
            format!("{}, the old state came back and was confirmed at {}", rule.word(), at(verdict.decided))
        }
        (Some(rule), Settings::Stable(times)) => {
            let limit = times.of(edge.on);
            format!("{}, {}, less than {limit}", rule.word(), edge.back(Some(limit)))
        }
        (Some(rule), Settings::Lockout(_)) => {
            format!("{}, within the lockout that lasted to {}", rule.word(), at(verdict.decided))
        }
        (Some(rule), Settings::Sampled { every, count, .. }) => {
            format!(
                "{}, {}, before it was read the same {count} times in a row, every {every}",
                rule.word(),
                edge.back(None)
            )
        }
        (Some(rule), Settings::Rc(_)) => {
            format!("{}, {}, before the voltage had passed the threshold", rule.word(), edge.back(None))
        }
        (Some(rule), Settings::Pass) => rule.word().to_owned(),
    }
}

fn accepted(debounce: Settings, edge: Edge, verdict: &Verdict, at: &impl Fn(Nanos) -> String) -> String {
    let word = if edge.on { "on" } else { "off" };
    match debounce {
        Settings::Pass if verdict.decided == edge.time => format!("{word} at once: there is no debounce"),
        Settings::Pass => format!("{word} at the reading at {}", at(verdict.decided)),
        Settings::Stable(times) => format!("held for {}: {word} at {}", times.of(edge.on), at(verdict.decided)),
        Settings::Lockout(_) if verdict.decided == edge.time => format!("{word} at once"),
        Settings::Lockout(_) => format!("{word} at the end of the lockout, at {}", at(verdict.decided)),
        Settings::Sampled { count, .. } => format!("read the same {count} times: {word} at {}", at(verdict.decided)),
        Settings::Rc(_) => format!("the voltage passed the threshold: {word} at {}", at(verdict.decided)),
    }
}

/// Why the output differs from the raw state for now: the raw state is so old at `time`.
pub fn waiting(settings: &InputSettings, on: bool, since: Nanos, time: Nanos) -> String {
    let held = time.saturating_sub(since);
    match settings.debounce.times() {
        Some(times) => format!("it has held for {}, {} are needed", short_time(held), times.of(on)),
        None => format!("it has held for {}, and is read at the next scan", short_time(held)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::condition::debounce::{HoldTimes, Ledger, RcSettings, ReadingTimes};
    use crate::condition::schmitt::Levels;
    use crate::units::Volts;

    const MS: u64 = 1_000_000;

    /// The reason for each edge, given in milliseconds, of an input that starts off.
    fn reasons(debounce: Settings, scan: Option<ReadingTimes>, edges: &[u64], end: u64) -> Vec<String> {
        let edges: Vec<Nanos> = edges.iter().map(|&edge| Nanos(edge * MS)).collect();
        let settings = InputSettings { on_while_high: true, scan, debounce };
        let (mut method, mut ledger) = (settings.start(), Ledger { verdicts: Some(Vec::new()), ..Ledger::default() });
        method.start_at(Nanos(0), false);
        method.work(&edges, Nanos(end * MS + 1), &mut Vec::new(), &mut ledger);
        let verdicts = ledger.verdicts.unwrap();
        let of = |(number, time): (usize, &Nanos)| {
            let edge = Edge { time: *time, next: edges.get(number + 1).copied(), on: number.is_multiple_of(2) };
            explain(&settings, edge, verdicts.iter().find(|verdict| verdict.edge == *time), Origin(0))
        };
        edges.iter().enumerate().map(of).collect()
    }

    #[test]
    fn each_rule_has_its_reason_with_its_numbers() {
        let hold = HoldTimes { on: Nanos(8 * MS), off: Nanos(8 * MS) };
        let levels = Levels::new(Volts(5.0), Volts(3.0), Volts(1.5)).unwrap();
        let filter = RcSettings { charge_ns: 10e6, discharge_ns: 10e6, levels, on_while_high: true };
        let scan = ReadingTimes { period: Nanos(10 * MS), phase: Nanos(0), catch: false };
        // The debounce and the scan, the edges, and the reason for each.
        type Case<'a> = (Settings, Option<ReadingTimes>, &'a [u64], &'a [&'a str]);
        let cases: [Case<'_>; 6] = [
            (
                Settings::Stable(hold),
                None,
                &[10, 11, 12, 40, 41, 95],
                &[
                    "bounce, fell back after 1 ms, less than 8 ms",
                    "bounce, came back after 1 ms, less than 8 ms",
                    "accepted, held for 8 ms: on at 20 ms",
                    "glitch, came back after 1 ms, less than 8 ms",
                    "glitch, the old state came back and was confirmed at 49 ms",
                    "pending: the recording ends before it is decided",
                ],
            ),
            (
                Settings::Lockout(hold),
                None,
                &[10, 11, 30, 33],
                &[
                    "accepted, on at once",
                    "accepted, off at the end of the lockout, at 18 ms",
                    "accepted, on at once",
                    "accepted, off at the end of the lockout, at 38 ms",
                ],
            ),
            (
                Settings::Sampled { every: Nanos(5 * MS), count: 2, from: Nanos(0) },
                None,
                &[11, 12, 13, 52],
                &[
                    "missed: it changed again before the reading at 15 ms",
                    "missed: it changed again before the reading at 15 ms",
                    "accepted, read the same 2 times: on at 20 ms",
                    "accepted, read the same 2 times: off at 60 ms",
                ],
            ),
            (
                Settings::Rc(filter),
                None,
                &[10, 12, 30],
                &[
                    "glitch, fell back after 2 ms, before the voltage had passed the threshold",
                    "glitch, the old state came back and was confirmed at 12 ms",
                    "accepted, the voltage passed the threshold: on at 38.9 ms",
                ],
            ),
            (Settings::Pass, None, &[10], &["accepted, on at once: there is no debounce"]),
            (Settings::Pass, Some(scan), &[11], &["accepted, on at the reading at 20 ms"]),
        ];
        for (debounce, scan, edges, wanted) in cases {
            let told = reasons(debounce, scan, edges, 100);
            assert_eq!(told.len(), wanted.len());
            for (told, wanted) in told.iter().zip(wanted) {
                assert!(told.starts_with(wanted), "{debounce:?}: {told}, not {wanted}");
            }
        }
    }

    #[test]
    fn what_is_waited_for_is_told() {
        let hold = HoldTimes { on: Nanos(8 * MS), off: Nanos(15 * MS) };
        let settings = InputSettings { on_while_high: true, scan: None, debounce: Settings::Stable(hold) };
        let told = |on| waiting(&settings, on, Nanos(10 * MS), Nanos(13 * MS));
        assert_eq!(told(true), "it has held for 3 ms, 8 ms are needed");
        assert_eq!(told(false), "it has held for 3 ms, 15 ms are needed");
    }
}
