//! Tokens of an expression.

use super::{ExpressionError, ExpressionErrorKind, Operator, Span};

/// One token.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Token {
    Name,
    Dot,
    Literal(bool),
    Not,
    Operator(Operator),
    Open,
    Close,
}

/// Splits `text` into tokens with their places.
pub(super) fn tokens(text: &str) -> Result<Vec<(Token, Span)>, ExpressionError> {
    let mut found = Vec::new();
    let mut rest = text;
    while let Some(first) = rest.chars().next() {
        let start = text.len() - rest.len();
        let length = match first {
            letter if letter.is_alphabetic() || letter == '_' => {
                rest.find(|letter: char| !(letter.is_alphanumeric() || letter == '_')).unwrap_or(rest.len())
            }
            other => other.len_utf8(),
        };
        let (word, after) = rest.split_at(length);
        rest = after;
        if first.is_whitespace() {
            continue;
        }
        let span = start..start + length;
        let token = token(first, word)
            .ok_or(ExpressionError { kind: ExpressionErrorKind::StrangeCharacter(first), span: span.clone() })?;
        found.push((token, span));
    }
    Ok(found)
}

fn token(first: char, word: &str) -> Option<Token> {
    Some(match first {
        '(' => Token::Open,
        ')' => Token::Close,
        '.' => Token::Dot,
        '&' => Token::Operator(Operator::And),
        letter if letter.is_alphabetic() || letter == '_' => match word.to_ascii_uppercase().as_str() {
            "AND" => Token::Operator(Operator::And),
            "OR" => Token::Operator(Operator::Or),
            "XOR" => Token::Operator(Operator::Xor),
            "NOT" => Token::Not,
            "TRUE" => Token::Literal(true),
            "FALSE" => Token::Literal(false),
            _ => Token::Name,
        },
        _ => return None,
    })
}
