//! `reigen convert`: a recording in another format.

#[cfg_attr(not(feature = "parquet"), path = "no_archive.rs")]
mod archive;

use crate::cli::{ConvertArguments, FormatWord};
use crate::failure::Failure;
use crate::print::Out;
use crate::progress::Bar;
use crate::reading;
use crate::tables::print_findings;
use reigen_core::finding::Finding;
use reigen_core::names::{counted, nearest, some_of};
use reigen_core::time::{Nanos, seconds_short};
use reigen_io::convert::{self, ConversionSummary, ConvertError, LineSelection, convert};
use reigen_io::output_file::put_in_place;
use reigen_io::recording::Recording;
use reigen_io::source::Source;
use reigen_io::write::{Format, Heading, Line, begin_file, write_sidecar, written_lines};

/// Runs the command.
pub(crate) fn run(arguments: &ConvertArguments, out: &mut Out) -> Result<(), Failure> {
    if let Some(folder) = &arguments.archive {
        return archive::run(arguments, folder, out);
    }
    let (output, inputs) = (arguments.output(), arguments.inputs());
    if inputs.is_empty() {
        return Err(Failure::Usage {
            message: format!("there is a recording, {}, but no output", output.display()),
            help: "name the output last, or with -o".to_owned(),
        });
    }
    let format = Format::of_output(output, arguments.format.into())?;
    let sources: Vec<Source> = inputs.iter().map(Source::from).collect();
    let mut recording = reading::open_sources(&sources, &arguments.recording)?;
    let stretch = reading::stretch(&arguments.recording.span, &recording)?;
    let step = step(arguments, format.0, &recording)?;
    let chosen = chosen(arguments, &recording)?;
    let stretch_wanted = convert::Stretch { from: stretch.from, to: stretch.to, step };
    let heading = Heading {
        lines: written_lines(format.0, &chosen.lines),
        scope: None,
        origin: stretch_wanted.origin(recording.origin()),
        step: step.unwrap_or_default(),
        // A part that begins later does not begin from that.
        resumed: if stretch.from == Nanos(0) { recording.resumed().to_vec() } else { Vec::new() },
    };
    let mut bar = Bar::new(recording.progress());
    let mut copy =
        |recording: &mut Recording, changes| convert(recording, &chosen, &stretch_wanted, changes, &mut || bar.show());
    let mut file = out.outputs().create(output)?;
    let changes = begin_file(&mut file, format, &heading)?;
    let done = copy(&mut recording, changes).map_err(|error| match error {
        ConvertError::Recording(error) => Failure::from(error),
        ConvertError::Output(error) => Failure::from(file.explain(error)),
    })?;
    bar.hide();
    let end = stretch.end(recording.origin(), recording.last_time())?;
    let sidecar = if format.0 == Format::Packed { Some(write_sidecar(out.outputs(), output, &heading)?) } else { None };
    put_in_place(std::iter::once(file.finish()?).chain(sidecar))?;
    let from = seconds_short(recording.origin().file_time_ns(stretch.from));
    let to = seconds_short(recording.origin().file_time_ns(end));
    let lines = counted(chosen.lines.len() as u64, "line");
    let changes = counted(done.changes, "change");
    out.line(format!("{}: {lines}, {changes}, from {from} s to {to} s", output.display()))?;
    let findings = findings(format.0, &recording, (&chosen.lines, &heading), &done);
    if out.is_silent() {
        findings.iter().for_each(reading::warn);
    }
    print_findings(&findings, out)
}

impl From<FormatWord> for Format {
    fn from(word: FormatWord) -> Self {
        match word {
            FormatWord::Vcd => Format::Vcd,
            FormatWord::Csv => Format::Csv,
            FormatWord::Jsonl => Format::JsonLines,
        }
    }
}

/// The step that times are rounded to; packed samples need one.
fn step(arguments: &ConvertArguments, format: Format, recording: &Recording) -> Result<Option<Nanos>, Failure> {
    let usage = |message: &str, help: &str| Failure::Usage { message: message.to_owned(), help: help.to_owned() };
    match (arguments.step, format) {
        (Some(Nanos(0)), _) => Err(usage("--step 0 s is no step", "such as --step 10us")),
        (None, Format::Packed) if recording.tick() == Nanos(1) => Err(usage(
            "packed samples come at a step, and the recording's times have none",
            "add --step 10us; edges closer than that are lost",
        )),
        (None, Format::Packed) => Ok(Some(recording.tick())),
        (step, _) => Ok(step),
    }
}

/// The lines that are wanted; each must be there.
fn chosen(arguments: &ConvertArguments, recording: &Recording) -> Result<LineSelection, Failure> {
    let is = |name: &str, wanted: &str| name == wanted || name.rsplit('.').next() == Some(wanted);
    for wanted in &arguments.lines {
        if !recording.lines().iter().any(|line| is(&line.name, wanted)) {
            let names = recording.lines().iter().map(|line| line.name.as_str());
            let names = names.flat_map(|name| [name, name.rsplit('.').next().unwrap_or(name)]);
            return Err(Failure::Usage {
                message: format!("--lines {wanted}: the recording has no such line"),
                help: nearest(wanted, names)
                    .map_or("`reigen survey` lists its lines".to_owned(), |name| format!("there is `{name}`")),
            });
        }
    }
    let wanted = |name: &str| arguments.lines.is_empty() || arguments.lines.iter().any(|wanted| is(name, wanted));
    let chosen = LineSelection::new(recording, wanted);
    match chosen.lines.is_empty() {
        true => Err(Failure::Usage {
            message: "no line is left to be written".to_owned(),
            help: "`reigen survey` lists the lines of a recording".to_owned(),
        }),
        false => Ok(chosen),
    }
}

/// What is not in the other file as it was in this.
fn findings(
    format: Format,
    recording: &Recording,
    (chosen, heading): (&[Line], &Heading),
    done: &ConversionSummary,
) -> Vec<Finding> {
    let names: Vec<String> = chosen.iter().map(|line| line.name.clone()).collect();
    let mut findings = recording.findings(&names);
    let has_unknown = matches!(format, Format::Vcd | Format::JsonLines | Format::Parquet);
    findings.retain(|finding| match finding.code {
        "no-level" | "late-level" => false,
        "unknown-level" => !has_unknown,
        _ => true,
    });
    let mut note = |code, message: String, help| findings.push(Finding::note(code, "convert", message, help));
    if done.met > 0 {
        let message = format!("{} fell on the previous edge", counted(done.met, "edge"));
        note("met-in-one-step", message, "a finer --step keeps them apart");
    }
    if format == Format::Packed && done.late > 0 {
        let message = format!("{} had no level at the start, and is low there", counted(done.late as u64, "line"));
        note("low-at-first", message, "samples hold levels only: begin later with --from");
    }
    if format == Format::Vcd && heading.origin.0 < 0 {
        let message =
            format!("a VCD has no negative times, so time 0 in it is {} s here", seconds_short(heading.origin.0));
        note("shifted", message, "add that to a time read off it");
    }
    if matches!(format, Format::Csv | Format::JsonLines) && done.infinite > 0 {
        let message = format!("{} infinite or undefined, and none in it", counted(done.infinite, "value"));
        note("no-number", message, "write a VCD, which holds them");
    }
    let changed = |(before, after): (&Line, &Line)| {
        (before.name != after.name).then(|| format!("`{}` is `{}`", before.name, after.name))
    };
    let renamed: Vec<String> = chosen.iter().zip(&heading.lines).filter_map(changed).collect();
    if !renamed.is_empty() {
        let renamed: Vec<&str> = renamed.iter().map(String::as_str).collect();
        note(
            "renamed",
            format!("{} in it", some_of(&renamed)),
            "no two of its lines may share a name, and blanks and controls cannot be in one",
        );
    }
    let aliases = |lines: &[Line]| lines.iter().map(|line| line.aliases.len() as u64).sum::<u64>();
    let left_out = aliases(chosen).saturating_sub(aliases(&heading.lines));
    if left_out > 0 {
        note(
            "aliases-left-out",
            format!("{} of its lines left out", counted(left_out, "other name")),
            "a VCD holds several names of one signal",
        );
    }
    findings
}
