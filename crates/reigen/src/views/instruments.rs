//! Two instruments on one quantity, compared.

use crate::failure::Failure;
use crate::print::Out;
use reigen_core::outside_words::on_one_line;
use reigen_core::time::place;
use reigen_core::units::{short_time, significant};
use reigen_run::instruments::InstrumentFit;
use reigen_run::outcome::Outcome;
use serde::Serialize;

/// The result.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct InstrumentReport {
    /// The instruments; the second is held against the first.
    instruments: [String; 2],
    /// Their units.
    units: [String; 2],
    #[serde(flatten)]
    fit: InstrumentFit,
    /// Whether there were more readings than are compared.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    cut: bool,
}

impl InstrumentReport {
    /// Of two instruments by their names.
    pub(crate) fn new(names: [&String; 2], units: [String; 2], fit: InstrumentFit, cut: bool) -> Self {
        Self { instruments: names.map(Clone::clone), units, fit, cut }
    }

    /// Whether they differ by more than a share of the reading, or were never compared.
    pub(crate) fn differs(&self, tolerance: f64) -> bool {
        self.fit.greatest_share.is_none_or(|share| share > tolerance)
    }
}

/// Prints it.
pub(crate) fn print_instruments(report: &InstrumentReport, outcome: &Outcome, out: &mut Out) -> Result<(), Failure> {
    let InstrumentReport { instruments: [one, two], units: [unit, second_unit], fit, cut } = report;
    let unit = on_one_line(unit);
    let with_unit = |value: f64| format!("{} {unit}", significant(value)).trim_end().to_owned();
    let (compared, settling) = (short_time(fit.compared), short_time(fit.settling));
    out.words(&format!(
        "{one} and {two} over {}: compared for {compared}, {settling} of settling skipped",
        outcome.recording
    ))?;
    if unit != on_one_line(second_unit) {
        out.words(&format!("→ {one} is in {unit} and {two} in {second_unit}: compare numbers of one unit"))?;
    }
    if *cut {
        out.words("→ too many readings to compare all: choose a stretch with --from and --to")?;
    }
    let (Some(offset), Some(mean), Some(greatest), Some(at)) =
        (fit.offset, fit.mean_difference, fit.greatest, fit.greatest_at)
    else {
        return out.words("→ nothing to compare: the two were never steady at the same time; use a shorter --settle");
    };
    match fit.gain {
        Some(gain) => {
            let sign = if offset < 0.0 { "-" } else { "+" };
            out.line(format!("{two} = {} × {one} {sign} {}", significant(gain), with_unit(offset.abs())))?;
        }
        None => out.words(&format!(
            "{two} reads {} {} than {one}; no gain, since {one} stayed near one value",
            with_unit(offset.abs()),
            if offset < 0.0 { "less" } else { "more" }
        ))?,
    }
    let percent = fit.greatest_share.map_or(String::new(), |share| format!(" ({} %)", significant(share * 100.0)));
    out.line(format!(
        "difference: mean {}, max {}{percent}, first at {}",
        with_unit(mean),
        with_unit(greatest),
        place(outcome.origin.file_time_ns(at))
    ))
}
