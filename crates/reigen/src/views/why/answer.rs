//! The answer, as data and in words.

use crate::failure::Failure;
use crate::print::Out;
use crate::table_view::Table;
use reigen_core::account::Rule;
use reigen_core::logic::expression::Value;
use reigen_core::names::counted;
use reigen_core::time::places;
use serde::Serialize;

/// The answer. Of an input its edges are told, of another point its changes, and with a time the causes of its state.
#[derive(Debug, Default, Serialize, schemars::JsonSchema)]
pub(crate) struct WhyReport {
    pub(super) point: String,
    /// What it is, and what it follows.
    pub(super) head: String,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) edges: Vec<EdgeReason>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) changes: Vec<Change>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) causes: Vec<Cause>,
    /// How many edges or changes there are beside those that are told.
    pub(super) more: u64,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) sums: Option<Sums>,
    /// The same in words.
    #[serde(skip)]
    pub(super) sum_words: String,
}

/// What became of a raw edge.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(super) struct EdgeReason {
    /// Its number among the raw edges, from 1.
    pub(super) edge: u64,
    /// In the recording's own times.
    pub(super) time_ns: i64,
    /// Whether the input was on after it.
    pub(super) on: bool,
    /// The rule that threw it away; none where it was accepted, or not decided yet.
    pub(super) rule: Option<Rule>,
    /// When that was decided, in the recording's own times; none where the recording ended before.
    pub(super) decided_ns: Option<i64>,
    /// The reason in words, with its numbers.
    pub(super) why: String,
}

/// What happened to a point.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(super) struct Change {
    /// In the recording's own times.
    pub(super) time_ns: i64,
    /// The word for it, such as `on` or `value`.
    pub(super) event: &'static str,
    /// The value that it became, or the number that belongs to it.
    pub(super) value: Option<Value>,
    /// The same in words.
    pub(super) what: String,
}

/// One step on the way from a state back to the lines.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(super) struct Cause {
    /// How far below the state that was asked for: what belongs to a step follows it, one deeper.
    pub(super) depth: usize,
    #[serde(flatten)]
    pub(super) of: CauseOf,
    /// The same in words.
    pub(super) text: String,
}

/// What a step is about.
#[derive(Debug, Serialize, schemars::JsonSchema)]
#[serde(tag = "kind", rename_all = "lowercase")]
pub(super) enum CauseOf {
    /// The state of a point, or of one of its values.
    State { name: String, value: Option<Value>, since_ns: Option<i64> },
    /// What a point follows: a key of its table.
    Key { key: &'static str, expression: String },
    /// The level of the line behind an input.
    Line { line: String, high: Option<bool>, on: Option<bool>, since_ns: Option<i64> },
    /// How a reading came about.
    Reading,
    /// A row of a display, counted from 1, as it is shown.
    Row { row: usize, shown: String },
}

/// What it comes to.
#[derive(Debug, Serialize, schemars::JsonSchema)]
#[serde(untagged)]
pub(super) enum Sums {
    Input {
        raw_edges: u64,
        accepted: u64,
        bounce: u64,
        glitch: u64,
        missed: u64,
        pending: u64,
    },
    Counter {
        total: i64,
        value: Option<i64>,
    },
    Expander {
        frames: u64,
        bad_frames: u64,
    },
    Word {
        value: Option<i64>,
        changes: u64,
    },
    Encoder {
        forward: u64,
        backward: u64,
        reversals: u64,
        illegal: u64,
    },
    Readings {
        readings: u64,
        min: Option<f64>,
        max: Option<f64>,
    },
    /// Of a number that is worked or given out.
    Range {
        min: Option<f64>,
        max: Option<f64>,
    },
    Bit {
        rising: u64,
        falling: u64,
    },
}

/// Prints an answer.
pub(crate) fn print(told: &WhyReport, out: &mut Out) -> Result<(), Failure> {
    out.line(&told.head)?;
    let rows = rows_of(told);
    if !told.causes.is_empty() || rows.is_some() {
        out.line("")?;
    }
    for cause in &told.causes {
        out.line(format!("{}{}", "   ".repeat(cause.depth), cause.text))?;
    }
    rows.iter().try_for_each(|rows| out.table(rows))?;
    if told.more > 0 {
        let more = counted(told.more, "more line");
        out.line(format!("and {more}: --from and --to narrow it down, --most N shows more"))?;
    }
    match told.sum_words.is_empty() {
        true => Ok(()),
        false => out.line(format!("\n{}", told.sum_words)),
    }
}

/// The table of edges, or of changes; `None` where there are none.
fn rows_of(told: &WhyReport) -> Option<Table> {
    let edges = told.edges.iter().map(|edge| {
        let went = if edge.on { "on" } else { "off" };
        (edge.edge.to_string(), edge.time_ns, went, edge.why.as_str())
    });
    let changes = told.changes.iter().map(|change| (String::new(), change.time_ns, change.what.as_str(), ""));
    let lines: Vec<(String, i64, &str, &str)> = edges.chain(changes).collect();
    let header = match told.edges.is_empty() {
        true => ["", "time", "what happened", ""],
        false => ["edge", "time", "went", "what became of it"],
    };
    let times: Vec<i64> = lines.iter().map(|(_, time, ..)| *time).collect();
    let mut rows = Table::new(&header);
    for ((number, _, what, why), time) in lines.iter().zip(places(&times)) {
        rows.add_row([number.clone(), time, (*what).to_owned(), (*why).to_owned()]);
    }
    rows.left(2);
    rows.left(3);
    (!lines.is_empty()).then_some(rows)
}
