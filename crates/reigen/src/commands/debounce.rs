//! `reigen debounce`: the bounce of a recording's lines, and the debounce that each needs.

use crate::cli::DebounceArguments;
use crate::done::Completion;
use crate::failure::Failure;
use crate::picture;
use crate::print::Out;
use crate::reading;
use crate::views::debounce::{
    DebounceReport, Json, JsonAdvice, JsonLines, JsonResult, Question, measure, print, print_all,
};
use reigen_core::measure::advice::{AdvisedMethod, Wish};
use reigen_core::measure::debounce::Method;
use reigen_draw::curve::CurvePicture;
use reigen_draw::theme::Theme;
use reigen_io::output_file::Outputs;
use std::path::Path;

/// Runs the command.
pub(crate) fn run(arguments: &DebounceArguments, out: &mut Out) -> Result<Completion, Failure> {
    arguments.output.as_deref().map(picture::format_of).transpose()?;
    let recording = reading::open(&arguments.recording)?;
    let question = Question {
        lines: &arguments.lines,
        asserted: arguments.asserted.map(Into::into),
        contact: arguments.contact.into(),
        wish: Wish { at_once: arguments.at_once, true_count: arguments.true_count },
    };
    let stretch = reading::stretch(&arguments.recording.span, &recording)?;
    let measured = measure(recording, stretch, &question)?;
    let ([_], [one]) = (question.lines, measured.as_slice()) else {
        let of_one = [("--output", arguments.output.is_some()), ("--true-count", arguments.true_count.is_some())];
        if let Some((option, _)) = of_one.into_iter().find(|(_, given)| *given) {
            return Err(Failure::Usage {
                message: format!("{option} is for one line, and --lines names {}", question.lines.len()),
                help: "name one line with --lines".to_owned(),
            });
        }
        match arguments.json {
            true => out.json(&JsonResult::All(JsonLines { lines: measured.iter().map(JsonAdvice::new).collect() }))?,
            false => print_all(&measured, out)?,
        }
        return Ok(Completion::Fine);
    };
    if arguments.json {
        out.json(&JsonResult::One(Box::new(Json::new(one, arguments.true_count))))?;
    } else {
        print(one, arguments.true_count, out)?;
    }
    if let Some(path) = &arguments.output {
        draw(one, arguments.true_count, path, out.outputs())?;
    }
    let gives = |count| one.debounced.advice.count == Some(count);
    Ok(if arguments.true_count.is_none_or(gives) { Completion::Fine } else { Completion::Differs })
}

/// Draws the curves, the advised method's first.
fn draw(measured: &DebounceReport, true_count: Option<u64>, path: &Path, outputs: &Outputs) -> Result<(), Failure> {
    let advised = measured.debounced.advice.advised.map_or("stable", AdvisedMethod::method);
    let mut methods: Vec<&Method> = measured.debounced.methods.iter().collect();
    methods.sort_by_key(|method| method.name != advised);
    let title = format!("{}: actuations counted at each debounce time", measured.line);
    picture::write(&CurvePicture { title, methods, true_count }, path, (1280, 800), &Theme::LIGHT, outputs)
}
