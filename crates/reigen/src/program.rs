//! From the arguments to the exit code.

use crate::done::Completion;
use crate::stop::Stop;
use crate::{cli, commands, failure, log, print};
use clap::FromArgMatches;
use reigen_io::output_file::Outputs;
use std::process::ExitCode;
use std::time::Instant;

/// The exit code of work that someone stopped, as shells have it.
const STOPPED: i32 = 130;
/// The exit code of work that was done and did not come out as expected.
const DIFFERS: u8 = 1;

/// Does what the arguments ask for, and gives the exit code.
pub(crate) fn run() -> ExitCode {
    let matches = cli::command().get_matches();
    let cli = cli::Cli::from_arg_matches(&matches).unwrap_or_else(|error| error.exit());
    let outputs = Outputs::default();
    let known = outputs.clone();
    // Without this a file in the making stays behind; where it cannot be set, that is all that is lost.
    let stop = Stop::default();
    let asked = stop.clone();
    let _ = ctrlc::set_handler(move || {
        if !asked.ask() {
            known.remove_and_exit(STOPPED);
        }
    });
    failure::tell_of_panics(outputs.clone(), stop.clone());
    let color = cli.manner.color;
    let began = Instant::now();
    let done = begin(&cli, outputs).and_then(|mut out| {
        let done = work(&cli.command, &stop, &mut out)?;
        out.finish()?;
        Ok(done)
    });
    tracing::info!("it took {} ms", began.elapsed().as_millis());
    match done {
        Ok(Completion::Fine) => ExitCode::SUCCESS,
        Ok(Completion::Differs) => ExitCode::from(DIFFERS),
        Err(failure) => failure.report(color),
    }
}

/// Checks what is read and written before either is done; gives where results go.
fn begin(cli: &cli::Cli, outputs: Outputs) -> Result<print::Out, failure::Failure> {
    let files = cli.files();
    files.check()?;
    log::begin(&cli.manner)?;
    Ok(match files.take_standard_output() {
        true => print::Out::silent(outputs),
        false => print::Out::standard(cli.manner.color, outputs),
    })
}

/// Does what was asked for.
fn work(command: &cli::Command, stop: &Stop, out: &mut print::Out) -> Result<Completion, failure::Failure> {
    match command {
        cli::Command::Check(arguments) => commands::check::run(arguments, out),
        cli::Command::Size(arguments) => commands::size::run(arguments, out).map(|()| Completion::Fine),
        cli::Command::Survey(arguments) => commands::survey::run(arguments, out).map(|()| Completion::Fine),
        cli::Command::Debounce(arguments) => commands::debounce::run(arguments, out),
        cli::Command::Levels(arguments) => commands::levels::run(arguments, out).map(|()| Completion::Fine),
        cli::Command::Chain(arguments) => commands::chain::run(arguments, out).map(|()| Completion::Fine),
        cli::Command::Polling(arguments) => commands::polling::run(arguments, out).map(|()| Completion::Fine),
        cli::Command::Captures(arguments) => {
            commands::captures::run(&arguments.file, &arguments.options, out).map(|()| Completion::Fine)
        }
        cli::Command::Rate(arguments) => {
            commands::captures::run(&arguments.captures, &arguments.options, out).map(|()| Completion::Fine)
        }
        cli::Command::Draw(arguments) => commands::draw::run(arguments, out).map(|()| Completion::Fine),
        cli::Command::Report(arguments) => commands::report::run(arguments, out).map(|()| Completion::Fine),
        cli::Command::Code(arguments) => commands::code::run(arguments, out),
        cli::Command::Verify(arguments) => commands::verify::run(arguments, out),
        cli::Command::Compare(arguments) => commands::compare::run(arguments, out),
        cli::Command::Why(arguments) => commands::why::run(arguments, out).map(|()| Completion::Fine),
        cli::Command::Run(arguments) => commands::run::run(arguments, out),
        cli::Command::Live(arguments) => commands::live::run(arguments, stop, out),
        cli::Command::Work(arguments) => commands::work::run(arguments, stop, out).map(|()| Completion::Fine),
        cli::Command::Signoff(arguments) => commands::signoff::run(arguments, stop, out),
        cli::Command::Play(arguments) => commands::play::run(arguments, stop, out).map(|()| Completion::Fine),
        cli::Command::Convert(arguments) => commands::convert::run(arguments, out).map(|()| Completion::Fine),
        cli::Command::Simulate(arguments) => commands::simulate::run(arguments, out).map(|()| Completion::Fine),
        cli::Command::Completions(arguments) => {
            commands::completions::completions(arguments, out).map(|()| Completion::Fine)
        }
        cli::Command::Man(arguments) => commands::completions::man(arguments, out).map(|()| Completion::Fine),
        cli::Command::Schema(arguments) => commands::schema::run(arguments, out).map(|()| Completion::Fine),
        cli::Command::Demo(arguments) => commands::demo::run(arguments, stop, out),
    }
}
