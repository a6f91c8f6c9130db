//! The reason for the fate of a single edge, with its numbers.

use super::debounce::Settings;
use super::input::InputSettings;
use crate::account::{Rule, Verdict};
use crate::time::{Nanos, Origin, seconds_short};

/// An edge among its neighbours.
#[derive(Debug, Clone, Copy)]
pub struct Edge<'a> {
    /// All raw edges, in order.
    pub edges: &'a [Nanos],
    /// Which one it is.
    pub number: usize,
    /// Whether the input was on after it.
    pub on: bool,
}

impl Edge<'_> {
    fn time(&self) -> Nanos {
        self.edges.get(self.number).copied().unwrap_or_default()
    }

    /// How long its state held, where an edge follows.
    fn held(&self) -> Option<Nanos> {
        self.edges.get(self.number + 1).map(|next| next.saturating_sub(self.time()))
    }

    /// Whether it held until its fate was settled: then it is the last of its burst.
    fn is_settled_by(&self, verdict: &Verdict) -> bool {
        self.edges.get(self.number + 1).is_none_or(|next| *next > verdict.decided)
    }

    /// `fell back after 1.2 ms`.
    fn back(&self) -> String {
        let word = if self.on { "fell back" } else { "came back" };
        match self.held() {
            Some(held) => format!("{word} after {held}"),
            None => "held to the end".to_owned(),
        }
    }
}

/// What became of an edge and why: `bounce, fell back after 1.2 ms, less than 8 ms`.
///
/// `verdict` is `None` where the recording ended before its fate was settled.
pub fn explain(settings: &InputSettings, edge: Edge<'_>, verdict: Option<&Verdict>, origin: Origin) -> String {
    let at = |time: Nanos| format!("{} s", seconds_short(origin.file_time_ns(time)));
    let Some(verdict) = verdict else {
        return "pending: the recording ends before its fate is settled".to_owned();
    };
    match (verdict.rule, settings.debounce) {
        (None, debounce) => format!("accepted, {}", accepted(debounce, edge, verdict, &at)),
        (Some(Rule::Missed), _) => {
            format!("missed, changed again before the reading at {}", at(verdict.decided))
        }
        (Some(rule @ Rule::Glitch), _) if edge.is_settled_by(verdict) => {
            format!("{}, back at the old state, and settled there at {}", rule.word(), at(verdict.decided))
        }
        (Some(rule), Settings::Stable(times)) => {
            format!("{}, {}, less than {}", rule.word(), edge.back(), times.of(edge.on))
        }
        (Some(rule), Settings::Lockout(_)) => {
            format!("{}, within the lockout that lasted to {}", rule.word(), at(verdict.decided))
        }
        (Some(rule), Settings::Sampled { every, count }) => {
            format!("{}, {}, before it was read alike {count} times in a row, every {every}", rule.word(), edge.back())
        }
        (Some(rule), Settings::Rc(_)) => {
            format!("{}, {}, before the voltage had passed the threshold", rule.word(), edge.back())
        }
        (Some(rule), Settings::Pass) => rule.word().to_owned(),
    }
}

fn accepted(debounce: Settings, edge: Edge<'_>, verdict: &Verdict, at: &impl Fn(Nanos) -> String) -> String {
    let word = if edge.on { "on" } else { "off" };
    match debounce {
        Settings::Pass if verdict.decided == edge.time() => format!("{word} at once: there is no debounce"),
        Settings::Pass => format!("{word} at the reading at {}", at(verdict.decided)),
        Settings::Stable(times) => format!("held for {}: {word} at {}", times.of(edge.on), at(verdict.decided)),
        Settings::Lockout(_) if verdict.decided == edge.time() => format!("{word} at once"),
        Settings::Lockout(_) => format!("{word} at the end of the lockout, at {}", at(verdict.decided)),
        Settings::Sampled { count, .. } => format!("read alike {count} times: {word} at {}", at(verdict.decided)),
        Settings::Rc(_) => format!("the voltage passed the threshold: {word} at {}", at(verdict.decided)),
    }
}

/// Why the output differs from the raw state for now: the raw state is so old at `time`.
pub fn waiting(settings: &InputSettings, on: bool, since: Nanos, time: Nanos) -> String {
    let held = time.saturating_sub(since);
    match settings.debounce.times() {
        Some(times) => format!("it has held for {held}, and {} are wanted", times.of(on)),
        None => format!("it has held for {held}, and is read at the next scan"),
    }
}
