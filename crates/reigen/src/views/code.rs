//! What `reigen code` tells: each point, what it takes, and what is not written.

use crate::failure::Failure;
use crate::print::Out;
use crate::table_view::Table;
use crate::tables::print_findings;
use indexmap::IndexMap;
use reigen_code::model::Code;
use reigen_code::table::{OWN_CODE, PointCost, costs, totals};
use reigen_core::finding::Finding;
use reigen_core::names::counted;
use serde::Serialize;

/// The result as JSON.
#[derive(Debug, Serialize, schemars::JsonSchema)]
pub(crate) struct CodeReport {
    /// Which station it is: the same number stands in the code.
    version: String,
    /// Each point: what it is written as, and what it takes.
    points: IndexMap<String, PointCost>,
    /// RAM of all points on a controller of 8 bits.
    ram_bytes: u64,
    /// The most operations of one scan.
    operations: u64,
    /// Names that could not stay: of the station, and of the code.
    renamed: IndexMap<String, String>,
    /// What was proven, where that was asked for.
    #[serde(skip_serializing_if = "Option::is_none")]
    proof: Option<Proof>,
    /// What a person should know.
    findings: Vec<Finding>,
}

/// What a proof came to.
#[derive(Debug, Clone, Serialize, schemars::JsonSchema)]
pub(crate) struct Proof {
    /// How many scans were compared.
    pub(crate) scans: u64,
    /// How many points, at each of them.
    pub(crate) points: usize,
    /// The first difference.
    pub(crate) difference: Option<Difference>,
}

/// Where code and engine part.
#[derive(Debug, Clone, Serialize, schemars::JsonSchema)]
pub(crate) struct Difference {
    /// The point.
    pub(crate) point: String,
    /// When, in the recording's own time.
    pub(crate) time_ns: i64,
    /// What the engine holds; `null` for no value.
    pub(crate) engine: Option<String>,
    /// What the code printed; `null` for no value.
    pub(crate) code: Option<String>,
    /// What the point reads, and what that is at that scan.
    pub(crate) reads: IndexMap<String, Option<String>>,
}

impl CodeReport {
    /// Of some code, with what was found.
    pub(crate) fn new(code: &Code, proof: Option<Proof>, mut findings: Vec<Finding>) -> Self {
        let points = costs(code);
        let (ram_bytes, operations) = totals(&points);
        findings.extend(of_code(code));
        Self {
            version: code.version.clone(),
            points,
            ram_bytes,
            operations,
            renamed: code.renamed.iter().cloned().collect(),
            proof,
            findings,
        }
    }

    /// Prints the table.
    pub(crate) fn list(&self, out: &mut Out) -> Result<(), Failure> {
        let mut table = Table::new(&["point", "standard block", "RAM, bytes", "operations"]);
        for (name, cost) in &self.points {
            match &cost.written {
                Some(written) => {
                    let written = if written == OWN_CODE { "-" } else { written };
                    table.add_row([name, written, &cost.ram_bytes.to_string(), &cost.operations.to_string()])
                }
                None => table.add_row([name, "not written", "", ""]),
            };
        }
        table.add_row(["all", "", &self.ram_bytes.to_string(), &self.operations.to_string()]);
        table.left(1);
        out.table(&table)?;
        out.line(format!("\nStation version {}. RAM is that of a controller of 8 bits.", self.version))
    }

    /// Prints what was found.
    pub(crate) fn print_findings(&self, out: &mut Out) -> Result<(), Failure> {
        print_findings(&self.findings, out)
    }

    /// What the proof came to.
    pub(crate) fn proof(&self) -> Option<&Proof> {
        self.proof.as_ref()
    }
}

/// What is left out, each cause once, and what has another name.
fn of_code(code: &Code) -> Vec<Finding> {
    let causes = code.left_out.iter().filter(|left| left.since.is_none() && !left.why.starts_with("an expectation"));
    let left = causes.map(|cause| {
        let of_it = code.left_out.iter().filter(|left| left.since.as_ref() == Some(&cause.point));
        let names: Vec<&str> = of_it.map(|left| left.point.as_str()).collect();
        let with = match names.as_slice() {
            [] => String::new(),
            [only] => format!("; nor is `{only}`, which reads it"),
            [first, .., last] => {
                format!("; nor are the {} that read it, `{first}` to `{last}`", counted(names.len() as u64, "point"))
            }
        };
        let message = format!("not written: {}{with}", cause.why);
        Finding::note(
            "point-not-written",
            &cause.point,
            message,
            "write it by hand, or leave it to what reads the controller",
        )
    });
    let renamed = code.renamed.first().map(|(name, given)| {
        let more = match code.renamed.len() - 1 {
            0 => String::new(),
            more => format!("; {} more changed likewise", counted(more as u64, "name")),
        };
        let message = format!("is `{given}` in the code, since a language has no such name, keeps it for itself, or does not tell it from another{more}");
        Finding::note("renamed-in-code", name, message, "use the names of the code in what you write around it")
    });
    let anew = code.not_retained.iter().map(|name| {
        let message =
            "goes on from its last value in a live run (`retain`); the code begins anew after a restart".to_owned();
        Finding::warning(
            "not-retained",
            name,
            message,
            "keep its value in memory that lasts, and set it after the start",
        )
    });
    left.chain(renamed).chain(anew).collect()
}

impl Proof {
    /// Says what came of it.
    pub(crate) fn print(&self, out: &mut Out) -> Result<(), Failure> {
        let Some(difference) = &self.difference else {
            let compared = counted(self.points as u64, "point");
            return out.line(format!(
                "proven: {compared} at {} are the same in code and engine",
                counted(self.scans, "scan")
            ));
        };
        let shown = |value: &Option<String>| value.clone().unwrap_or_else(|| "no value".to_owned());
        let at = reigen_core::time::place(difference.time_ns);
        out.line(format!(
            "{} differs at {at}: the engine has {}, the code {}",
            difference.point,
            shown(&difference.engine),
            shown(&difference.code)
        ))?;
        for (name, value) in &difference.reads {
            out.line(format!("  it reads {name}: {}", shown(value)))?;
        }
        Ok(())
    }
}
