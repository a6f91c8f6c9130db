//! `reigen schema`: what the files and the results look like, for editors and programs.

use crate::cli::{SchemaArguments, SchemaWord};
use crate::failure::Failure;
use crate::print::Out;
use crate::summary::Summary;
use crate::views::captures::RateReport;
use crate::views::chain::ChainReport;
use crate::views::compare::CompareResult;
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
        SchemaWord::Check => result::<check::Summary<'static>>("check"),
        SchemaWord::Size => result::<SizingResult>("size"),
        SchemaWord::Survey => result::<survey::Json<'static>>("survey"),
        SchemaWord::Debounce => result::<debounce::JsonResult<'static>>("debounce"),
        SchemaWord::Chain => result::<ChainReport<'static>>("chain"),
        SchemaWord::Levels => result::<levels::Json<'static>>("levels"),
        SchemaWord::Captures => result::<RateReport>("captures"),
        SchemaWord::Polling => result::<PollingReport>("polling"),
        SchemaWord::Run => result::<Summary<'static>>("run"),
        SchemaWord::Verify => result::<verify::Json<'static>>("verify"),
        SchemaWord::Compare => result::<CompareResult<'static>>("compare"),
        SchemaWord::Why => result::<WhyReport>("why"),
        SchemaWord::Code => result::<crate::views::code::CodeReport>("code"),
        SchemaWord::Signoff => result::<crate::signoff::Sheet>("signoff"),
    })
}

/// The schema of what a command prints with `--json`.
fn result<T: JsonSchema>(command: &str) -> Schema {
    let mut schema = SchemaSettings::draft2020_12().for_serialize().into_generator().into_root_schema_for::<T>();
    schema.insert("title".to_owned(), format!("reigen {command} --json").into());
    schema
}
