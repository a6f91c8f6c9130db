//! `reigen schema`: what the files and the results look like, for editors and programs.

use crate::cli::{SchemaArguments, SchemaWord};
use crate::failure::Failure;
use crate::print::Out;
use crate::summary::Summary;
use crate::views::captures::RateReport;
use crate::views::chain::ChainReport;
use crate::views::polling::PollingReport;
use crate::views::why::WhyReport;
use crate::views::{check, debounce, levels, survey, verify};
use reigen_station::sizing::SizingResult;
use reigen_station::{simulate::scenario, station};
use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, Schema};

/// Runs the command.
pub(crate) fn run(arguments: &SchemaArguments, out: &mut Out) -> Result<(), Failure> {
    out.json(&match arguments.of {
        SchemaWord::Station => station::schema(),
        SchemaWord::Scenario => scenario::schema(),
        SchemaWord::Check => result::<check::Summary<'static>>(),
        SchemaWord::Size => result::<SizingResult>(),
        SchemaWord::Survey => result::<survey::Json<'static>>(),
        SchemaWord::Debounce => result::<debounce::JsonResult<'static>>(),
        SchemaWord::Chain => result::<ChainReport<'static>>(),
        SchemaWord::Levels => result::<levels::Json<'static>>(),
        SchemaWord::Captures => result::<RateReport>(),
        SchemaWord::Polling => result::<PollingReport>(),
        SchemaWord::Run => result::<Summary<'static>>(),
        SchemaWord::Verify => result::<verify::Json<'static>>(),
        SchemaWord::Why => result::<WhyReport>(),
    })
}

/// The schema of a result, as `--json` prints it.
fn result<T: JsonSchema>() -> Schema {
    SchemaSettings::draft2020_12().for_serialize().into_generator().into_root_schema_for::<T>()
}
