//! Reigen: what a controller should have seen on its discrete and pulse inputs.

#[cfg_attr(not(feature = "nats"), path = "no_archive.rs")]
mod archive;
mod cli;
mod commands;
mod done;
mod failure;
mod first_station;
mod gauge;
mod live_history;
mod live_run;
mod log;
mod overwriting;
mod panel;
mod picture;
mod print;
mod program;
mod progress;
mod prove;
mod reading;
mod serve;
mod shell_word;
mod signoff;
mod simulation;
mod stand_in;
mod stop;
mod summary;
mod table_view;
mod tables;
mod views;
mod wrap;

fn main() -> std::process::ExitCode {
    program::run()
}
