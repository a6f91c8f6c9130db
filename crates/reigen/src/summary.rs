//! The result of a run as one JSON object.

use indexmap::IndexMap;
use reigen_core::analog::meter::{AnalogSummary, NumberSummary};
use reigen_core::condition::input::InputSummary;
use reigen_core::count::counter::CounterSummary;
use reigen_core::count::encoder::summary::EncoderSummary;
use reigen_core::expand::expander::ExpanderSummary;
use reigen_core::expand::word::WordSummary;
use reigen_core::finding::Finding;
use reigen_core::logic::expect::ExpectSummary;
use reigen_core::logic::pair::PairSummary;
use reigen_core::number::analog_output::AnalogOutputSummary;
use reigen_core::number::delay::DelaySummary;
use reigen_core::number::hold::HoldSummary;
use reigen_core::number::register::RegisterSummary;
use reigen_core::number::sample_rate::SampleRateSummary;
use reigen_core::number::stats::StatsSummary;
use reigen_core::rate::meter::RateSummary;
use reigen_core::rate::width::WidthSummary;
use reigen_core::summary::PointSummary;
use reigen_core::tally::Tally;
use reigen_core::time::Nanos;
use reigen_run::gauge::GaugeTable;
use reigen_run::live::intake::LinkAccount;
use reigen_run::outcome::Outcome;
use reigen_station::simulate::judge::Judgement;
use reigen_station::station::Station;
use serde::Serialize;

/// The whole result. Keys may join; those that are here keep their names and meaning.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct Summary<'a> {
    station: Option<&'a str>,
    recording: RecordingSummary<'a>,
    inputs: IndexMap<&'a str, &'a InputSummary>,
    counters: IndexMap<&'a str, &'a CounterSummary>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    words: IndexMap<&'a str, &'a WordSummary>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    expanders: IndexMap<&'a str, &'a ExpanderSummary>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    encoders: IndexMap<&'a str, &'a EncoderSummary>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    registers: IndexMap<&'a str, &'a RegisterSummary>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    rates: IndexMap<&'a str, RateOrSampleRate<'a>>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    widths: IndexMap<&'a str, &'a WidthSummary>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    analogs: IndexMap<&'a str, &'a AnalogSummary>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    numbers: IndexMap<&'a str, &'a NumberSummary>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    holds: IndexMap<&'a str, &'a HoldSummary>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    stats: IndexMap<&'a str, &'a StatsSummary>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    delays: IndexMap<&'a str, &'a DelaySummary>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    analog_outputs: IndexMap<&'a str, &'a AnalogOutputSummary>,
    bits: IndexMap<&'a str, &'a Tally>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    pairs: IndexMap<&'a str, &'a PairSummary>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    expectations: IndexMap<&'a str, &'a ExpectSummary>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    displays: &'a IndexMap<String, Vec<String>>,
    findings: &'a [Finding],
    #[serde(skip_serializing_if = "Option::is_none")]
    every: Option<&'a GaugeTable>,
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    truth: &'a IndexMap<String, Judgement>,
    /// Of a live run what its links did.
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    links: IndexMap<String, LinkSummary>,
}

/// What a link did in a live run.
#[derive(Debug, Serialize, schemars::JsonSchema)]
struct LinkSummary {
    /// Whether it was up at the end.
    online: bool,
    passes: u64,
    /// Passes that were left out, since the one before took so long.
    passes_late: u64,
    longest_pass_ns: Nanos,
    /// How often it was lost, and how long in all.
    downs: u64,
    down_ns: Nanos,
}

/// A rate of edges, or one of a register's samples.
#[derive(Debug, Serialize, schemars::JsonSchema)]
#[serde(untagged)]
enum RateOrSampleRate<'a> {
    /// Of edges.
    Edges(&'a RateSummary),
    /// Of samples.
    Samples(&'a SampleRateSummary),
}

/// What was read. `edges` and `duration_ns` are those of the stretch from `from_ns` to `to_ns`.
#[derive(Debug, Serialize, schemars::JsonSchema)]
struct RecordingSummary<'a> {
    file: &'a str,
    origin_ns: i64,
    from_ns: i64,
    to_ns: i64,
    duration_ns: u64,
    lines: usize,
    edges: u64,
}

impl<'a> Summary<'a> {
    /// The same with the links of a live run that ended at a time.
    pub(crate) fn with_links(mut self, links: &[(String, LinkAccount)], end: Nanos) -> Self {
        let summary = |told: &LinkAccount| LinkSummary {
            online: told.lost_since.is_none(),
            passes: told.passes.passes,
            passes_late: told.passes.late,
            longest_pass_ns: told.passes.longest,
            downs: told.downs,
            down_ns: told.down_until(end),
        };
        self.links = links.iter().map(|(name, told)| (name.clone(), summary(told))).collect();
        self
    }

    /// The summary of an outcome.
    pub(crate) fn new(station: &'a Station, outcome: &'a Outcome) -> Self {
        let mut summary = Self {
            station: station.title.as_deref(),
            recording: RecordingSummary {
                file: &outcome.recording,
                origin_ns: outcome.origin.0,
                from_ns: outcome.origin.file_time_ns(outcome.from),
                to_ns: outcome.origin.file_time_ns(outcome.to),
                duration_ns: outcome.to.saturating_sub(outcome.from).0,
                lines: outcome.lines,
                edges: outcome.edges,
            },
            inputs: IndexMap::new(),
            counters: IndexMap::new(),
            words: IndexMap::new(),
            expanders: IndexMap::new(),
            encoders: IndexMap::new(),
            rates: IndexMap::new(),
            widths: IndexMap::new(),
            analogs: IndexMap::new(),
            registers: IndexMap::new(),
            numbers: IndexMap::new(),
            holds: IndexMap::new(),
            stats: IndexMap::new(),
            delays: IndexMap::new(),
            analog_outputs: IndexMap::new(),
            bits: IndexMap::new(),
            pairs: IndexMap::new(),
            expectations: IndexMap::new(),
            displays: &outcome.displays,
            findings: &outcome.findings,
            every: outcome.gauge.as_ref(),
            truth: &outcome.judgements,
            links: IndexMap::new(),
        };
        for (point, what) in station.points.iter().zip(&outcome.points) {
            let name = point.name.as_str();
            match what {
                PointSummary::Input(input) => drop(summary.inputs.insert(name, input)),
                PointSummary::Counter(counter) => drop(summary.counters.insert(name, counter)),
                PointSummary::Word(word) => drop(summary.words.insert(name, word)),
                PointSummary::Expander(expander) => drop(summary.expanders.insert(name, expander)),
                PointSummary::Encoder(encoder) => drop(summary.encoders.insert(name, encoder)),
                PointSummary::Rate(rate) => drop(summary.rates.insert(name, RateOrSampleRate::Edges(rate))),
                PointSummary::SampleRate(rate) => drop(summary.rates.insert(name, RateOrSampleRate::Samples(rate))),
                PointSummary::Register(register) => drop(summary.registers.insert(name, register)),
                PointSummary::Number(number) => drop(summary.numbers.insert(name, number)),
                PointSummary::Hold(hold) => drop(summary.holds.insert(name, hold)),
                PointSummary::Stats(stats) => drop(summary.stats.insert(name, stats)),
                PointSummary::Delay(delay) => drop(summary.delays.insert(name, delay)),
                PointSummary::AnalogOutput(output) => drop(summary.analog_outputs.insert(name, output)),
                PointSummary::Width(width) => drop(summary.widths.insert(name, width)),
                PointSummary::Analog(analog) => drop(summary.analogs.insert(name, analog)),
                PointSummary::Expectation(told) => drop(summary.expectations.insert(name, told)),
                PointSummary::Pair(pair) => {
                    summary.bits.insert(name, &pair.tally);
                    summary.pairs.insert(name, pair);
                }
                PointSummary::Bit(tally) => drop(summary.bits.insert(name, tally)),
            }
        }
        summary
    }
}
