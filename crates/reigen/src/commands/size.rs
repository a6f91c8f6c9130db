//! `reigen size`: the sums.

use crate::cli::size::SizeArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::tables;

/// Runs the command.
pub(crate) fn run(arguments: &SizeArguments, out: &mut Out) -> Result<(), Failure> {
    let worked = arguments.sum.work()?;
    match arguments.json {
        true => out.json(&worked),
        false => tables::print_sum(&worked, out),
    }
}
