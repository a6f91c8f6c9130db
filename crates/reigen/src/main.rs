//! Reigen: what a controller should have seen on its discrete and pulse inputs.

mod cli;
mod commands;
mod failure;
mod print;
mod progress;
mod replay;
mod summary;
mod tables;

use clap::Parser;
use std::process::ExitCode;

fn main() -> ExitCode {
    let cli = cli::Cli::parse();
    let mut out = print::Out::standard();
    let done = match &cli.command {
        cli::Command::Run(arguments) => commands::run::run(arguments, &mut out),
        cli::Command::Demo(arguments) => commands::demo::run(arguments, &mut out),
    };
    match done.and_then(|()| out.finish()) {
        Ok(()) => ExitCode::SUCCESS,
        Err(failure) => failure.report(),
    }
}
