//! Words as a shell takes them.

/// An argument as a shell takes it.
pub(crate) fn quoted(text: &str) -> String {
    let plain = |letter: char| letter.is_alphanumeric() || "/._-+:,@%=".contains(letter);
    match !text.is_empty() && text.chars().all(plain) {
        true => text.to_owned(),
        false => format!("'{}'", text.replace('\'', "'\\''")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_argument_is_quoted_where_a_shell_would_take_it_apart() {
        for (text, wanted) in
            [("a/b_1.vcd", "a/b_1.vcd"), ("a b", "'a b'"), ("it's", "'it'\\''s'"), ("$(x)", "'$(x)'"), ("", "''")]
        {
            assert_eq!(quoted(text), wanted);
        }
    }
}
