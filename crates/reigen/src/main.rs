//! Reigen: what a controller should have seen on its discrete and pulse inputs.

mod cli;
mod commands;
mod failure;
mod gauge;
mod overwrite;
mod picture;
mod place;
mod print;
mod progress;
mod reading;
mod replay;
mod states;
mod summary;
mod tables;

use clap::Parser;
use std::process::ExitCode;

/// How a command ended that did its work.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Done {
    /// All is as it should be.
    Fine,
    /// Something is not as it was expected.
    Differs,
}

/// The exit code of work that was done and did not come out as expected.
const DIFFERS: u8 = 1;

fn main() -> ExitCode {
    let cli = cli::Cli::parse();
    let mut out = print::Out::standard();
    let done = match &cli.command {
        cli::Command::Check(arguments) => commands::check::run(arguments, &mut out),
        cli::Command::Size(arguments) => commands::size::run(arguments, &mut out).map(|()| Done::Fine),
        cli::Command::Survey(arguments) => commands::survey::run(arguments, &mut out).map(|()| Done::Fine),
        cli::Command::Debounce(arguments) => commands::debounce::run(arguments, &mut out),
        cli::Command::Levels(arguments) => commands::levels::run(arguments, &mut out).map(|()| Done::Fine),
        cli::Command::Chain(arguments) => commands::chain::run(arguments, &mut out).map(|()| Done::Fine),
        cli::Command::Polling(arguments) => commands::polling::run(arguments, &mut out).map(|()| Done::Fine),
        cli::Command::Rate(arguments) => commands::rate::run(arguments, &mut out).map(|()| Done::Fine),
        cli::Command::Draw(arguments) => commands::draw::run(arguments, &mut out).map(|()| Done::Fine),
        cli::Command::Verify(arguments) => commands::verify::run(arguments, &mut out),
        cli::Command::Why(arguments) => commands::why::run(arguments, &mut out).map(|()| Done::Fine),
        cli::Command::Run(arguments) => commands::run::run(arguments, &mut out),
        cli::Command::Simulate(arguments) => commands::simulate::run(arguments, &mut out).map(|()| Done::Fine),
        cli::Command::Demo(arguments) => commands::demo::run(arguments, &mut out).map(|()| Done::Fine),
    };
    match done.and_then(|done| out.finish().map(|()| done)) {
        Ok(Done::Fine) => ExitCode::SUCCESS,
        Ok(Done::Differs) => ExitCode::from(DIFFERS),
        Err(failure) => failure.report(),
    }
}
