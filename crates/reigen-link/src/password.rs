//! Passwords: they stand in the environment, and in no file.

/// The password that a variable of the environment has; none where no variable is named.
///
/// # Errors
/// In words, where the variable is not set.
pub(crate) fn of(variable: Option<&str>) -> Result<String, String> {
    match variable {
        None => Ok(String::new()),
        Some(variable) => std::env::var(variable)
            .map_err(|_| format!("the environment has no {variable} with the password: set it before the start")),
    }
}
