//! Outputs that would be written over what is read.

use crate::failure::Failure;
use std::path::Path;

/// An output file must not be one of the files that are read, nor another output.
pub(crate) fn refuse_overwriting(written: &[Option<&Path>], read: &[&Path]) -> Result<(), Failure> {
    let written: Vec<&Path> = written.iter().copied().flatten().collect();
    for (number, output) in written.iter().enumerate() {
        let others = read.iter().chain(written.iter().take(number));
        if let Some(other) = others.into_iter().find(|other| same_file(output, other)) {
            return Err(Failure::Usage {
                message: format!("{} would be written over {}", output.display(), other.display()),
                help: "give the output a name of its own".to_owned(),
            });
        }
    }
    Ok(())
}

pub(crate) fn same_file(one: &Path, other: &Path) -> bool {
    let plain = |path: &Path| path.metadata().is_ok_and(|data| data.is_file());
    match (one.canonicalize(), other.canonicalize()) {
        (Ok(first), Ok(second)) => first == second && plain(one),
        _ => one == other,
    }
}
