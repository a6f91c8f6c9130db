//! From tokens to a tree, by the rank of the operators.

use super::operator::RANKS;
use super::token::{Token, tokens};
use super::{Expression, ExpressionError, ExpressionErrorKind, Function, Node, Operator, Reference, Span};

/// How many parentheses, NOTs and signs may stand within each other.
const MOST_DEPTH: usize = 64;

/// How many operators an expression may have: trees as deep as that are walked without harm.
const MOST_OPERATORS: usize = 1000;

/// Reads an expression.
///
/// # Errors
/// Says what is wrong, and where.
pub fn parse(text: &str) -> Result<Expression, ExpressionError> {
    let tokens = tokens(text)?;
    let mut operators = tokens.iter().filter(|(token, _)| matches!(token, Token::Operator(_)));
    if let Some((_, span)) = operators.nth(MOST_OPERATORS) {
        return Err(error(ExpressionErrorKind::TooLong(MOST_OPERATORS), span));
    }
    let mut parser = Parser { text, tokens: &tokens, depth: 0 };
    let whole = parser.operators(0)?;
    match parser.tokens.first() {
        None => Ok(whole),
        Some((Token::Close, span)) => Err(error(ExpressionErrorKind::NeverOpened, span)),
        Some((_, span)) => Err(error(ExpressionErrorKind::NoOperator(parser.word(span)), span)),
    }
}

struct Parser<'a> {
    text: &'a str,
    tokens: &'a [(Token, Span)],
    depth: usize,
}

impl Parser<'_> {
    /// Operands joined by operators that bind at least as tightly as `least`.
    fn operators(&mut self, least: u8) -> Result<Expression, ExpressionError> {
        if least >= RANKS {
            return self.operand();
        }
        let mut left = self.operators(least + 1)?;
        while let Some((Token::Operator(operator), _)) = self.tokens.first() {
            let operator = *operator;
            if operator.rank() != least {
                break;
            }
            self.skip();
            let right = self.operators(least + 1)?;
            let span = left.span.start..right.span.end;
            left = Expression { node: Node::Binary(operator, Box::new(left), Box::new(right)), span };
        }
        Ok(left)
    }

    fn operand(&mut self) -> Result<Expression, ExpressionError> {
        let Some((token, span)) = self.tokens.first() else {
            let end = self.text.len();
            return Err(error(ExpressionErrorKind::Unfinished, &(end..end)));
        };
        match token {
            Token::Literal(value) => {
                self.skip();
                Ok(Expression { node: Node::Literal(*value), span: span.clone() })
            }
            Token::Name => self.name(span),
            Token::Not => {
                self.deeper(span)?;
                let operand = self.operand()?;
                self.depth -= 1;
                let span = span.start..operand.span.end;
                Ok(Expression { node: Node::Not(Box::new(operand)), span })
            }
            Token::Operator(Operator::Minus) => {
                self.deeper(span)?;
                let operand = self.operand()?;
                self.depth -= 1;
                let span = span.start..operand.span.end;
                Ok(Expression { node: Node::Minus(Box::new(operand)), span })
            }
            Token::Open => {
                self.deeper(span)?;
                let inner = self.operators(0)?;
                self.depth -= 1;
                let end = self.close(span)?;
                Ok(Expression { span: span.start..end, ..inner })
            }
            Token::Dot | Token::Comma | Token::Operator(_) | Token::Close => {
                Err(error(ExpressionErrorKind::NoOperand(self.word(span)), span))
            }
        }
    }

    /// Takes a closing parenthesis, and gives its end; `open` is its partner.
    fn close(&mut self, open: &Span) -> Result<usize, ExpressionError> {
        match self.tokens.first() {
            Some((Token::Close, close)) => {
                let end = close.end;
                self.skip();
                Ok(end)
            }
            Some((_, other)) => Err(error(ExpressionErrorKind::NoOperator(self.word(other)), other)),
            None => Err(error(ExpressionErrorKind::Unclosed, open)),
        }
    }

    /// The arguments of a function, whose name has been taken; the opening parenthesis comes next.
    fn call(&mut self, name: &Span) -> Result<Expression, ExpressionError> {
        let word = self.word(name);
        let Some(function) = Function::of(&word) else {
            return Err(error(ExpressionErrorKind::UnknownFunction(word), name));
        };
        let Some((Token::Open, open)) = self.tokens.first() else {
            return Err(error(ExpressionErrorKind::Unfinished, name));
        };
        self.deeper(open)?;
        let mut arguments = Vec::new();
        if !matches!(self.tokens.first(), Some((Token::Close, _))) {
            arguments.push(self.operators(0)?);
            while matches!(self.tokens.first(), Some((Token::Comma, _))) {
                self.skip();
                arguments.push(self.operators(0)?);
            }
        }
        self.depth -= 1;
        let span = name.start..self.close(open)?;
        let (least, most) = function.arguments();
        if !(least..=most).contains(&arguments.len()) {
            let given = arguments.len();
            return Err(error(ExpressionErrorKind::Arguments { function, given }, &span));
        }
        Ok(Expression { node: Node::Call(function, arguments), span })
    }

    fn name(&mut self, span: &Span) -> Result<Expression, ExpressionError> {
        self.skip();
        if matches!(self.tokens.first(), Some((Token::Open, _))) {
            return self.call(span);
        }
        let point = self.word(span);
        let [(Token::Dot, dot), rest @ ..] = self.tokens else {
            return Ok(Expression { node: Node::Name(Reference { point, field: String::new() }), span: span.clone() });
        };
        let Some((Token::Name, field)) = rest.first() else {
            return Err(error(ExpressionErrorKind::Unfinished, &(dot.end..dot.end)));
        };
        self.skip();
        self.skip();
        let name = Reference { point, field: self.word(field) };
        Ok(Expression { node: Node::Name(name), span: span.start..field.end })
    }

    fn deeper(&mut self, span: &Span) -> Result<(), ExpressionError> {
        self.depth += 1;
        if self.depth > MOST_DEPTH {
            return Err(error(ExpressionErrorKind::TooDeep(MOST_DEPTH), span));
        }
        self.skip();
        Ok(())
    }

    fn skip(&mut self) {
        self.tokens = self.tokens.get(1..).unwrap_or_default();
    }

    fn word(&self, span: &Span) -> String {
        self.text.get(span.clone()).unwrap_or_default().to_owned()
    }
}

fn error(kind: ExpressionErrorKind, span: &Span) -> ExpressionError {
    ExpressionError { kind, span: span.clone() }
}
