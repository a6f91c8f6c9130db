//! Pictures into files.

use crate::failure::Failure;
use reigen_draw::picture::{Drawing, Format, render};
use reigen_draw::theme::Theme;
use reigen_io::output_file::{FinishedFile, Outputs, is_stream, put_in_place};
use std::io::Write;
use std::path::Path;

/// The format that a file's ending names.
pub(crate) fn format_of(path: &Path) -> Result<Format, Failure> {
    let ending = path.extension().and_then(|ending| ending.to_str()).unwrap_or_default();
    Format::of_ending(ending).or_else(|| is_stream(path).then_some(Format::Svg)).ok_or_else(|| Failure::Usage {
        message: format!("{} must end in .svg or .png", path.display()),
        help: "name it .svg or .png".to_owned(),
    })
}

/// Draws into a file, which appears whole or not at all.
pub(crate) fn write(
    drawing: &dyn Drawing,
    path: &Path,
    size: (u32, u32),
    theme: &Theme,
    outputs: &Outputs,
) -> Result<(), Failure> {
    Ok(put_in_place([finish(drawing, path, size, theme, outputs)?])?)
}

/// Draws into a file that is put in place with others.
pub(crate) fn finish(
    drawing: &dyn Drawing,
    path: &Path,
    size: (u32, u32),
    theme: &Theme,
    outputs: &Outputs,
) -> Result<FinishedFile, Failure> {
    let bytes = render(drawing, format_of(path)?, size, theme)?;
    let mut file = outputs.create(path)?;
    file.write_all(&bytes).map_err(|error| file.explain(error))?;
    Ok(file.finish()?)
}
