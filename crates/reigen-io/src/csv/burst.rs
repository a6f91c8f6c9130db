//! Rows that hold several samples of the same lines, one after another.

use crate::error::FaultKind;
use crate::options::ReadOptions;
use reigen_core::quantity::SampleRate;
use reigen_core::time::Nanos;
use std::collections::HashMap;

/// Several samples in a row.
#[derive(Debug)]
pub(super) struct Burst {
    /// How many samples a row has.
    pub(super) count: usize,
    /// For each cell the number of its sample, from 0.
    pub(super) of_cell: Vec<usize>,
    /// How far they lie apart; none where rows are samples, and they are counted on.
    pub(super) rate: Option<SampleRate>,
}

impl Burst {
    /// The same of the sample that a cell belongs to.
    pub(super) fn sample_of(&self, cell: usize) -> Nanos {
        self.after(self.of_cell.get(cell).copied().unwrap_or_default())
    }

    /// The time of a sample after the first of its row, or its number.
    pub(super) fn after(&self, sample: usize) -> Nanos {
        match self.rate {
            Some(rate) => rate.time_of(sample as u64).unwrap_or_default(),
            None => Nanos(sample as u64),
        }
    }
}

/// The names of all cells of a row, and which sample each belongs to where a row has several.
///
/// Several samples show as names that come again, or as rows so many times as long as the header.
pub(super) fn burst(
    header: &[String],
    time: Option<usize>,
    cells: usize,
    options: &ReadOptions,
) -> Result<(Vec<String>, Option<Burst>), FaultKind> {
    let lines: Vec<&String> =
        header.iter().enumerate().filter(|(at, _)| Some(*at) != time).map(|(_, name)| name).collect();
    let fixed = header.len() - lines.len();
    let mut names = header.to_vec();
    let longer = time.is_none_or(|time| time == 0) && options.sample_rate.is_some() && cells > header.len();
    if longer && !lines.is_empty() && (cells - fixed).is_multiple_of(lines.len()) {
        let again = (cells - fixed) / lines.len();
        names =
            header.iter().take(fixed).chain(lines.iter().copied().cycle().take(again * lines.len())).cloned().collect();
    }
    let mut seen: HashMap<&str, usize> = HashMap::new();
    let mut of_cell = Vec::new();
    for (at, name) in names.iter().enumerate() {
        let before = seen.entry(name).or_insert(0);
        of_cell.push(if Some(at) == time { 0 } else { *before });
        *before += usize::from(Some(at) != time);
    }
    let counts = || seen.iter().filter(|(_, count)| **count > 0).map(|(_, count)| *count);
    let (count, all_the_same) = (counts().max().unwrap_or(0), counts().min() == counts().max());
    if count <= 1 || !all_the_same {
        return Ok((names, None));
    }
    let rate = match (time, options.sample_rate) {
        (Some(_), Some(rate)) => Some(rate),
        (Some(_), None) => {
            let column = lines.first().copied().cloned().unwrap_or_default();
            return Err(FaultKind::BurstWithoutRate { column, count });
        }
        (None, _) => None,
    };
    Ok((names, Some(Burst { count, of_cell, rate })))
}
