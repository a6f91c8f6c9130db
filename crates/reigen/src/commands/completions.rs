//! `reigen completions` and `reigen man`: what shells and the manual's reader want.

use crate::cli::{self, CompletionsArguments, ManArguments};
use crate::failure::Failure;
use crate::print::Out;
use clap_mangen::Man;
use reigen_io::output_file::{OutputError, put_in_place};
use std::io::Write;

/// What the program is called.
const NAME: &str = "reigen";

/// Writes the completions of a shell to standard output.
pub(crate) fn completions(arguments: &CompletionsArguments, out: &mut Out) -> Result<(), Failure> {
    let mut text = Vec::new();
    clap_complete::generate(arguments.shell, &mut cli::command(), NAME, &mut text);
    Ok(out.writer().write_all(&text)?)
}

/// Writes a manual page for the program and for each command.
pub(crate) fn man(arguments: &ManArguments, out: &mut Out) -> Result<(), Failure> {
    let folder = &arguments.folder;
    let folders =
        out.outputs().create_folders(folder).map_err(|source| OutputError::Io { path: folder.clone(), source })?;
    let mut finished = Vec::new();
    for (name, command) in pages() {
        let mut file = out.outputs().create(&folder.join(name))?;
        let written = Man::new(command).render(&mut file);
        written.map_err(|error| file.explain(error))?;
        finished.push(file.finish()?);
    }
    let count = finished.len();
    put_in_place(finished)?;
    folders.keep();
    let shown = folder.display();
    out.line(format!("{count} pages in {shown}; read one with: man {shown}/{NAME}.1"))
}

/// The pages, each with the name of its file.
pub(crate) fn pages() -> Vec<(String, clap::Command)> {
    let mut command = cli::command();
    command.build();
    let subs = command.get_subcommands().filter(|sub| sub.get_name() != "help" && !sub.is_hide_set());
    let named = subs.map(|sub| (format!("{NAME}-{}.1", sub.get_name()), sub.clone()));
    std::iter::once((format!("{NAME}.1"), command.clone())).chain(named).collect()
}
