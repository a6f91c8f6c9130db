//! `reigen completions` and `reigen man`: what shells and the manual's reader want.

use crate::cli::{Cli, CompletionsArguments, ManArguments};
use crate::failure::Failure;
use crate::print::Out;
use clap::CommandFactory;
use clap_mangen::Man;
use reigen_io::output_file::{OutputError, OutputFile};
use std::io::Write;

/// Writes the completions of a shell to standard output.
pub(crate) fn completions(arguments: &CompletionsArguments, out: &mut Out) -> Result<(), Failure> {
    let mut text = Vec::new();
    clap_complete::generate(arguments.shell, &mut Cli::command(), "reigen", &mut text);
    Ok(out.writer().write_all(&text)?)
}

/// Writes a manual page for the program and for each command.
pub(crate) fn man(arguments: &ManArguments, out: &mut Out) -> Result<(), Failure> {
    let folder = &arguments.folder;
    std::fs::create_dir_all(folder).map_err(|source| OutputError::Io { path: folder.clone(), source })?;
    let mut command = Cli::command();
    command.build();
    let name = command.get_name().to_owned();
    let mut pages = vec![(format!("{name}.1"), command.clone())];
    for sub in command.get_subcommands().filter(|sub| sub.get_name() != "help") {
        pages.push((format!("{name}-{}.1", sub.get_name()), sub.clone()));
    }
    let count = pages.len();
    for (file, command) in pages {
        let mut file = OutputFile::create(&folder.join(file))?;
        let written = Man::new(command).render(&mut file);
        written.map_err(|error| file.explain(error))?;
        file.finish()?;
    }
    out.line(format!("{count} pages in {}; read one with: man {}/{name}.1", folder.display(), folder.display()))
}
