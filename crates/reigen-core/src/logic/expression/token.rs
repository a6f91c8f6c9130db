//! Tokens of an expression.

use super::{ExpressionError, ExpressionErrorKind, Operator, Span, Value, literal};

/// Operators of programming languages that have another form here, or none.
const FOREIGN: [&str; 8] = ["==", "!=", "&&", "||", ":=", "=>", "<<", ">>"];

/// One token.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Token {
    Name,
    Dot,
    Comma,
    Literal(Value),
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
        let length = length(first, rest);
        let (word, after) = rest.split_at(length);
        rest = after;
        if first.is_whitespace() {
            continue;
        }
        let span = start..start + length;
        let token = token(first, word).map_err(|kind| ExpressionError { kind, span: span.clone() })?;
        found.push((token, span));
    }
    Ok(found)
}

/// How many bytes the token at the start of `rest` has.
fn length(first: char, rest: &str) -> usize {
    if first.is_alphanumeric() || first == '_' {
        let word = rest.find(|letter: char| !(letter.is_alphanumeric() || letter == '_')).unwrap_or(rest.len());
        return match rest.as_bytes().get(word) {
            Some(b'#') => literal::length(rest, word),
            _ if first.is_ascii_digit() => number_length(rest),
            _ => word,
        };
    }
    match rest.get(..2) {
        Some("<=" | ">=" | "<>" | "**") => 2,
        Some(pair) if FOREIGN.contains(&pair) => 2,
        _ => first.len_utf8(),
    }
}

/// `1_000`, `3.5`, `2.0E-3`: a point or an exponent only where digits follow it, so that `counter.done` stays two.
fn number_length(text: &str) -> usize {
    let bytes = text.as_bytes();
    let digits =
        |from: usize| bytes.iter().skip(from).take_while(|byte| byte.is_ascii_digit() || **byte == b'_').count();
    let is_digit = |at: usize| bytes.get(at).is_some_and(u8::is_ascii_digit);
    let mut length = digits(0);
    if bytes.get(length) == Some(&b'.') && is_digit(length + 1) {
        length += 1 + digits(length + 1);
    }
    if matches!(bytes.get(length), Some(b'e' | b'E')) {
        let signed = length + 1 + usize::from(matches!(bytes.get(length + 1), Some(b'+' | b'-')));
        if is_digit(signed) {
            length = signed + digits(signed);
        }
    }
    // Letters right behind it belong to what cannot be read as a number.
    length + bytes.iter().skip(length).take_while(|byte| byte.is_ascii_alphanumeric()).count()
}

fn token(first: char, word: &str) -> Result<Token, ExpressionErrorKind> {
    Ok(match first {
        '(' => Token::Open,
        ')' => Token::Close,
        '.' => Token::Dot,
        ',' => Token::Comma,
        _ if word.contains('#') => {
            let (before, after) = word.split_once('#').unwrap_or_default();
            Token::Literal(literal::value(before, after, number)?)
        }
        digit if digit.is_ascii_digit() => Token::Literal(number(word)?),
        letter if letter.is_alphabetic() || letter == '_' => match word.to_ascii_uppercase().as_str() {
            "NOT" => Token::Not,
            "TRUE" => Token::Literal(Value::Bit(true)),
            "FALSE" => Token::Literal(Value::Bit(false)),
            upper => Operator::of(upper).map_or(Token::Name, Token::Operator),
        },
        _ => match Operator::of(word) {
            Some(operator) => Token::Operator(operator),
            None if FOREIGN.contains(&word) => return Err(ExpressionErrorKind::Foreign(word.to_owned())),
            None => return Err(ExpressionErrorKind::StrangeCharacter(first)),
        },
    })
}

fn number(word: &str) -> Result<Value, ExpressionErrorKind> {
    let wrong = || ExpressionErrorKind::BadNumber(word.to_owned());
    if word.ends_with('_') || word.contains("__") {
        return Err(wrong());
    }
    let plain: String = word.chars().filter(|letter| *letter != '_').collect();
    match plain.contains(['.', 'e', 'E']) {
        true => plain.parse().ok().and_then(Value::real).ok_or_else(wrong),
        false => plain.parse().map(Value::Integer).map_err(|_| wrong()),
    }
}
