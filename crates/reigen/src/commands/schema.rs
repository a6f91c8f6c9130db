//! `reigen schema`: what the files and the results look like, for editors and programs.

use crate::cli::{SchemaArguments, SchemaWord};
use crate::failure::Failure;
use crate::print::Out;
use crate::summary::Summary;
use reigen_station::{simulate::scenario, station};
use schemars::generate::SchemaSettings;

/// Runs the command.
pub(crate) fn run(arguments: &SchemaArguments, out: &mut Out) -> Result<(), Failure> {
    out.json(&match arguments.of {
        SchemaWord::Station => station::schema(),
        SchemaWord::Scenario => scenario::schema(),
        SchemaWord::Run => {
            SchemaSettings::draft2020_12().for_serialize().into_generator().into_root_schema_for::<Summary<'static>>()
        }
    })
}
