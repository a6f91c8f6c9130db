//! Errors in a person's words: the one place where they are put together.

use crate::cli::ColorWord;
use crate::stop::Stop;
use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use reigen_core::names::counted;
use reigen_core::outside_words::on_lines;
use reigen_draw::picture::{PictureError, SIZES};
use reigen_history::HistoryError;
use reigen_io::error::RecordingError;
use reigen_io::output_file::{OutputError, Outputs, system_help, system_words};
use reigen_run::error::RunError;
use reigen_station::sizing::SizingError;
use reigen_station::station::StationError;
use reigen_station::table::error::MOST_TOLD;
use std::io::{self, Write};
use std::process::ExitCode;

/// Why a command could not do its work.
#[derive(Debug)]
pub(crate) enum Failure {
    /// The station file is wrong.
    Station { file: String, source: String, errors: Vec<StationError> },
    /// A file that a person named cannot be read.
    Unreadable { file: String, why: String, help: String },
    /// The recording is wrong.
    Recording(Box<RecordingError>),
    /// An output file cannot be written.
    Output(OutputError),
    /// Options that contradict each other or the recording.
    Usage { message: String, help: String },
    /// A picture that cannot be drawn.
    Picture(PictureError),
    /// A sum that cannot be worked.
    Sum(SizingError),
    /// Standard output took no more.
    Print(io::Error),
}

impl From<RunError> for Failure {
    fn from(error: RunError) -> Self {
        match error {
            RunError::Station { file, source_text, errors } => Self::Station { file, source: source_text, errors },
            RunError::Unreadable { file, why, help } => Self::Unreadable { file, why, help },
            RunError::Recording(error) => Self::Recording(error),
            RunError::Output(error) => Self::Output(error),
            RunError::Request { message, help } => Self::Usage { message, help },
        }
    }
}

impl From<HistoryError> for Failure {
    fn from(error: HistoryError) -> Self {
        Self::Usage { message: error.to_string(), help: error.help().to_owned() }
    }
}

impl From<RecordingError> for Failure {
    fn from(error: RecordingError) -> Self {
        Self::Recording(Box::new(error))
    }
}

impl From<OutputError> for Failure {
    fn from(error: OutputError) -> Self {
        Self::Output(error)
    }
}

impl From<PictureError> for Failure {
    fn from(error: PictureError) -> Self {
        Self::Picture(error)
    }
}

impl From<SizingError> for Failure {
    fn from(error: SizingError) -> Self {
        Self::Sum(error)
    }
}

impl From<io::Error> for Failure {
    fn from(error: io::Error) -> Self {
        Self::Print(error)
    }
}

/// The target of what only the log file needs: standard error has it in another form.
pub(crate) const FILE_ONLY: &str = "file";

/// Bad usage or bad input.
const REFUSED: u8 = 2;
/// The exit code of a fault in the program itself, as shells know it from programs in this language.
const PANICKED: i32 = 101;

/// Should the program have a fault all the same: brings a machine that it drives to rest, says so in a sentence, and
/// leaves nothing half-written.
pub(crate) fn tell_of_panics(outputs: Outputs, stop: Stop) {
    std::panic::set_hook(Box::new(move |fault| {
        stop.panicked();
        let place = fault.location().map_or(String::new(), |place| format!(" ({}:{})", place.file(), place.line()));
        let payload = fault.payload();
        let words = payload.downcast_ref::<&str>().copied().or(payload.downcast_ref::<String>().map(String::as_str));
        let version = env!("CARGO_PKG_VERSION");
        let words = words.unwrap_or("no words");
        // Where even this cannot be written, the exit code still tells.
        let _ = writeln!(
            io::stderr(),
            "error: this is a fault in reigen {version} itself: please report the command, the files and this: {words}{place}"
        );
        outputs.remove_and_exit_from_panic(PANICKED)
    }));
}

impl Failure {
    /// Tells the person, and gives the exit code.
    pub(crate) fn report(&self, color: ColorWord) -> ExitCode {
        let closed = match self {
            Self::Print(error) => error.kind() == io::ErrorKind::BrokenPipe,
            Self::Output(error) => error.is_closed_pipe(),
            _ => false,
        };
        if closed {
            return ExitCode::SUCCESS;
        }
        let stderr = io::stderr();
        let renderer = if color.on(&stderr) { Renderer::styled() } else { Renderer::plain() };
        tracing::info!(target: FILE_ONLY, "{}", on_lines(&self.text(&Renderer::plain())));
        // Where even this cannot be written, the exit code still tells.
        let _ = writeln!(stderr.lock(), "{}", self.text(&renderer));
        ExitCode::from(REFUSED)
    }

    fn text(&self, renderer: &Renderer) -> String {
        match self {
            Self::Station { file, source, errors } => {
                let drawn = errors.iter().take(MOST_TOLD).map(|error| renderer.render(&drawing(file, source, error)));
                let mut drawn: Vec<String> = drawn.collect();
                if let Some(more @ 1..) = errors.len().checked_sub(MOST_TOLD) {
                    drawn.push(format!("and {} in {file}: correct these first", counted(more as u64, "more error")));
                }
                drawn.join("\n\n")
            }
            Self::Unreadable { file, why, help } => titled(renderer, &format!("cannot read {file}: {why}"), Some(help)),
            Self::Recording(error) => titled(renderer, &error.to_string(), error.help().as_deref()),
            Self::Output(error) => titled(renderer, &error.to_string(), error.help().as_deref()),
            Self::Usage { message, help } => titled(renderer, message, Some(help)),
            Self::Picture(error) => titled(renderer, &error.to_string(), picture_help(error).as_deref()),
            Self::Sum(error) => titled(renderer, &error.to_string(), None),
            Self::Print(error) => {
                titled(renderer, &format!("cannot write the result: {}", system_words(error)), system_help(error))
            }
        }
    }
}

/// What to do about a picture that cannot be drawn.
fn picture_help(error: &PictureError) -> Option<String> {
    match error {
        PictureError::Size(..) => {
            Some(format!("--width and --height must be from {} to {}", SIZES.start(), SIZES.end()))
        }
        PictureError::Room { needed, .. } => Some(format!("choose fewer with --points, or give --height {needed}")),
        PictureError::Backend(_) => None,
    }
}

fn titled(renderer: &Renderer, message: &str, help: Option<&str>) -> String {
    let message = on_lines(message).into_owned();
    let error = renderer.render(&[Group::with_title(Level::ERROR.primary_title(message))]);
    match help {
        None => error,
        Some(help) => {
            let help = renderer.render(&[Group::with_title(Level::HELP.secondary_title(on_lines(help).into_owned()))]);
            format!("{error}\n{help}")
        }
    }
}

/// The place in the station file, drawn under its line.
fn drawing<'a>(file: &'a str, source: &'a str, error: &StationError) -> Vec<Group<'a>> {
    let place = within(source, &error.span);
    let mut snippet = Snippet::source(source).path(file).annotation(AnnotationKind::Primary.span(place));
    if let Some((other, label)) = error.kind.other_place() {
        snippet = snippet.annotation(AnnotationKind::Context.span(within(source, &other)).label(label));
    }
    let title = Level::ERROR.primary_title(on_lines(&error.kind.to_string()).into_owned());
    let mut group = Group::with_title(title).element(snippet);
    if let Some(help) = error.kind.help() {
        group = group.element(Level::HELP.message(on_lines(&help).into_owned()));
    }
    vec![group]
}

/// A span that lies within the text, and on whole letters.
fn within(source: &str, span: &std::ops::Range<usize>) -> std::ops::Range<usize> {
    let start = source.floor_char_boundary(span.start.min(source.len()));
    let end = source.ceil_char_boundary(span.end.clamp(start, source.len()));
    start..end
}
