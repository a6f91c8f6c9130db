//! `reigen code`: controller code from a station, and its proof.

use crate::cli::code::{CodeArguments, FormWord, LanguageWord};
use crate::done::Completion;
use crate::failure::Failure;
use crate::print::Out;
use crate::prove::{compiled, prove};
use crate::reading::{open_all, read_options};
use crate::views::code::{CodeReport, Proof};
use reigen_code::make::{CodeError, code_of};
use reigen_code::model::{Code, MARK};
use reigen_code::{c, st};
use reigen_core::finding::Finding;
use reigen_io::output_file::{OutputError, put_in_place};
use reigen_io::recording::Clock;
use reigen_io::source::Source;
use reigen_run::live::source::station_lines;
use reigen_run::points::number_of;
use reigen_run::station_file::StationFile;
use std::fs;
use std::io::Write;
use std::path::Path;

/// Runs the command.
pub(crate) fn run(arguments: &CodeArguments, out: &mut Out) -> Result<Completion, Failure> {
    check_language(arguments)?;
    let station = StationFile::open(&arguments.station)?;
    arguments.only.iter().try_for_each(|name| number_of(&station.station, name).map(drop))?;
    let made = code_of(
        &station.station,
        &station.source,
        &station_lines(&station.station),
        arguments.language == LanguageWord::C,
    );
    let mut code = made.map_err(|error| refused(&station, error))?;
    if !arguments.only.is_empty() {
        code.only(&arguments.only);
    }
    if code.parts.is_empty() && !arguments.list {
        let why = code.left_out.first().map(|left| format!(": `{}` is not, since {}", left.point, left.why));
        return Err(Failure::Usage {
            message: format!("none of these points can be written as code{}", why.unwrap_or_default()),
            help: "add --list, which says of each point why".to_owned(),
        });
    }
    let mut findings = Vec::new();
    let proof = match &arguments.prove {
        Some(recording) => Some(proven(&station, &code, recording, arguments, &mut findings)?),
        None => None,
    };
    let files = if proof.is_none() { files(&code, arguments) } else { Vec::new() };
    if let Some(folder) = arguments.output.as_deref().filter(|_| proof.is_none()) {
        write_into(folder, &files, out)?;
    }
    let report = CodeReport::new(&code, proof, findings);
    tell(&report, &files, arguments, out)?;
    let differs = report.proof().is_some_and(|proof| proof.difference.is_some());
    Ok(if differs { Completion::Differs } else { Completion::Fine })
}

/// Refuses options of the other language.
fn check_language(arguments: &CodeArguments) -> Result<(), Failure> {
    let (message, help) = match arguments.language {
        LanguageWord::C if arguments.form.is_some() => {
            ("--form is a form of structured text", "add --language st, or remove --form")
        }
        LanguageWord::St if arguments.example => {
            ("--example is a program in C", "add --language c, or remove --example")
        }
        LanguageWord::St if arguments.prove.is_some() => (
            "--prove compiles C; structured text is not run here",
            "remove --language: both are written from the same statements",
        ),
        LanguageWord::C | LanguageWord::St => return Ok(()),
    };
    Err(Failure::Usage { message: message.to_owned(), help: help.to_owned() })
}

/// Prints what was asked for.
fn tell(
    report: &CodeReport,
    files: &[(&str, String)],
    arguments: &CodeArguments,
    out: &mut Out,
) -> Result<(), Failure> {
    if arguments.json {
        return out.json(report);
    }
    match report.proof() {
        Some(proof) => proof.print(out)?,
        None if arguments.list => report.list(out)?,
        None => match &arguments.output {
            Some(folder) => {
                let names: Vec<&str> = files.iter().map(|(name, _)| *name).collect();
                out.line(format!("Written into {}: {}", folder.display(), names.join(", ")))?;
            }
            // Without a folder the code itself is what is printed.
            None => return files.iter().try_for_each(|(_, text)| out.line(text.trim_end())),
        },
    }
    report.print_findings(out)
}

/// The files of the code, by their names.
fn files(code: &Code, arguments: &CodeArguments) -> Vec<(&'static str, String)> {
    match arguments.language {
        LanguageWord::C => {
            let mut files = vec![("station.h", c::header(code)), ("station.c", c::source(code))];
            if arguments.example {
                files.push(("example.c", c::example(code)));
            }
            files
        }
        LanguageWord::St => match arguments.form {
            None => vec![("station.st", st::source(code))],
            Some(FormWord::Plcopen) => vec![("station.xml", st::plcopen(code))],
        },
    }
}

/// Writes all files, or none: into a folder in which no file of these names is another's.
fn write_into(folder: &Path, files: &[(&str, String)], out: &mut Out) -> Result<(), Failure> {
    for (name, _) in files {
        let path = folder.join(name);
        if path.exists() && version_in(&path).is_none() {
            return Err(Failure::Usage {
                message: format!("{} is there already, and was not written by reigen", path.display()),
                help: "name another folder, or move that file away".to_owned(),
            });
        }
    }
    let refuse = |source| OutputError::Io { path: folder.to_owned(), source };
    let folders = out.outputs().create_folders(folder).map_err(refuse)?;
    let mut finished = Vec::new();
    for (name, text) in files {
        let mut file = out.outputs().create(&folder.join(name))?;
        file.write_all(text.as_bytes()).map_err(|error| file.explain(error))?;
        finished.push(file.finish()?);
    }
    put_in_place(finished)?;
    folders.keep();
    Ok(())
}

/// The version of the station that a file of ours was written from.
fn version_in(path: &Path) -> Option<String> {
    let text = fs::read_to_string(path).ok()?;
    let (_, rest) = text.split_once(MARK)?;
    Some(rest.chars().take_while(char::is_ascii_hexdigit).collect())
}

/// Compiles the code, or what stands in the folder, and holds it against the engine.
fn proven(
    station: &StationFile,
    code: &Code,
    recording: &Path,
    arguments: &CodeArguments,
    findings: &mut Vec<Finding>,
) -> Result<Proof, Failure> {
    let existing = arguments.output.as_deref();
    if let Some(folder) = existing {
        let path = folder.join("station.c");
        let version = version_in(&path).ok_or_else(|| Failure::Usage {
            message: format!("{} is not there, or was not written by reigen", path.display()),
            help: "write it first: the same command without --prove".to_owned(),
        })?;
        if version != code.version {
            let message = format!("was written from version {version} of the station, which is {} now", code.version);
            let remedy = "write it anew: the same command without --prove";
            findings.push(Finding::warning("code-of-other-version", &path.display().to_string(), message, remedy));
        }
    }
    let program = compiled(code, existing)?;
    let options = read_options(&arguments.reading)?;
    let recording = open_all(&[Source::Path(recording.to_owned())], &options, Clock::Shared)?;
    prove(station, code, &program, recording)
}

/// Why there is no code, and what to do about it.
fn refused(station: &StationFile, error: CodeError) -> Failure {
    let message = error.to_string();
    match error {
        CodeError::NoScan => Failure::Usage {
            message,
            help: format!("add these two lines at the end of {}:\n\n[scan]\nperiod = \"10 ms\"\n", station.name),
        },
        CodeError::Period(_) => {
            Failure::Usage { message, help: "set it to whole µs, such as period = \"1 ms\"".to_owned() }
        }
        CodeError::Lines(errors) => {
            Failure::Station { file: station.name.clone(), source: station.source.clone(), errors }
        }
    }
}
