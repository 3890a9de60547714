//! Tokens → syntax tree, by recursive descent; one method a rule of the grammar,
//! in the grammar's order. After an error the parser goes on at the next
//! argument or alternative, so that an editor is told of all of them.

mod kind;
mod value;

use super::error::{Span, SyntaxError, SyntaxFault};
use super::syntax::{Expr, Kind};
use super::token::{Sign, Token, TokenKind, tokens};

/// How deep parentheses and the like may nest.
const DEEPEST: usize = 64;
/// How many signs a placeholder may hold.
const LONGEST: usize = 4096;

type Parsed<T> = Result<T, SyntaxError>;

/// Reads what stands between `[:` and `]`.
pub fn kind(text: &str) -> Parsed<Kind> {
    first(kind_with_errors(text))
}

/// The same with all that is wrong with it, in the order of the text.
pub fn kind_with_errors(text: &str) -> (Option<Kind>, Vec<SyntaxError>) {
    if text.starts_with(|c: char| c.is_whitespace()) {
        let (value, errors) = value_with_errors(text);
        return (value.map(Kind::Print), errors);
    }
    if text.starts_with("--") || text.starts_with("—") || text.starts_with("–-") {
        return (Some(Kind::Remark), Vec::new());
    }
    read(text, |p| p.kind())
}

/// Reads a value with its alternatives and options: what `[: …]` holds.
pub fn value(text: &str) -> Parsed<Expr> {
    first(value_with_errors(text))
}

/// The same with all that is wrong with it.
pub fn value_with_errors(text: &str) -> (Option<Expr>, Vec<SyntaxError>) {
    read(text, Parser::value)
}

/// Reads a condition: what `[:if …]` and filters hold.
pub fn condition(text: &str) -> Parsed<Expr> {
    first(condition_with_errors(text))
}

/// The same with all that is wrong with it.
pub fn condition_with_errors(text: &str) -> (Option<Expr>, Vec<SyntaxError>) {
    read(text, Parser::condition)
}

fn read<T>(text: &str, rule: impl FnOnce(&mut Parser) -> Parsed<T>) -> (Option<T>, Vec<SyntaxError>) {
    let signs = text.chars().count();
    if signs > LONGEST {
        return (None, vec![SyntaxError { span: Span { start: 0, end: text.len() }, fault: SyntaxFault::TooLong(signs) }]);
    }
    let (tokens, errors) = tokens(text);
    let mut parser = Parser { tokens, errors, at: 0, depth: 0, end: text.len(), text: text.to_owned(), enders: Enders::default() };
    let result = rule(&mut parser).and_then(|found| parser.finish().map(|()| found));
    let mut errors = parser.errors;
    let found = result.map_err(|error| errors.push(error)).ok();
    // A sign that can't be read makes the parser miss something in the same place.
    errors.sort_by_key(|e| (e.span.start, e.span.end));
    (found.filter(|_| errors.is_empty()), errors)
}

fn first<T>((found, errors): (Option<T>, Vec<SyntaxError>)) -> Parsed<T> {
    match (found, errors.into_iter().next()) {
        (Some(found), None) => Ok(found),
        (_, Some(error)) => Err(error),
        (None, None) => unreachable!("what was not found has an error"),
    }
}

/// Words that end a name only where they can be meant.
#[derive(Debug, Clone, Copy, Default)]
struct Enders {
    /// In a list: `first` before a number or bracket.
    list: bool,
    /// In a key: `asc`, `desc` at its end.
    key: bool,
    /// Before a number: `height`, `width`, `size`, `fit`, `max`.
    sizes: bool,
    /// `with`
    with: bool,
    /// `level` before a word.
    level: bool,
}

struct Parser {
    tokens: Vec<Token>,
    /// What is wrong so far.
    errors: Vec<SyntaxError>,
    at: usize,
    /// How deep the expression at hand nests.
    depth: usize,
    /// The end of the text, for what is missing there.
    end: usize,
    text: String,
    enders: Enders,
}

impl Parser {
    // Looking and taking.

    fn peek(&self, ahead: usize) -> Option<&Token> {
        self.tokens.get(self.at + ahead)
    }

    fn word_at(&self, ahead: usize, word: &str) -> bool {
        self.peek(ahead).is_some_and(|t| t.is_word(word))
    }

    fn sign_at(&self, ahead: usize, sign: Sign) -> bool {
        self.peek(ahead).is_some_and(|t| t.is_sign(sign))
    }

    fn number_at(&self, ahead: usize) -> bool {
        matches!(self.peek(ahead), Some(Token { kind: TokenKind::Number { .. }, .. }))
    }

    fn text_at(&self, ahead: usize) -> bool {
        matches!(self.peek(ahead), Some(Token { kind: TokenKind::Text(_), .. }))
    }

    /// The word at hand in lowercase.
    fn word(&self) -> Option<String> {
        self.peek(0).and_then(Token::word).map(str::to_ascii_lowercase)
    }

    fn take_word(&mut self, word: &str) -> bool {
        let found = self.word_at(0, word);
        self.at += usize::from(found);
        found
    }

    fn take_sign(&mut self, sign: Sign) -> bool {
        let found = self.sign_at(0, sign);
        self.at += usize::from(found);
        found
    }

    fn take_text(&mut self, expected: &'static str) -> Parsed<String> {
        match self.peek(0) {
            Some(Token { kind: TokenKind::Text(text), .. }) => {
                let text = text.clone();
                self.at += 1;
                Ok(text)
            }
            _ => Err(self.expected(expected)),
        }
    }

    fn here(&self) -> Span {
        self.peek(0).map_or(Span { start: self.end, end: self.end }, |t| t.span)
    }

    fn behind(&self) -> Span {
        self.at.checked_sub(1).and_then(|at| self.tokens.get(at)).map_or(Span::default(), |t| t.span)
    }

    fn expected(&self, expected: &'static str) -> SyntaxError {
        let span = self.here();
        let found = match self.peek(0) {
            Some(_) => format!("“{}”", &self.text[span.start..span.end]),
            None => "the end of the placeholder".to_owned(),
        };
        SyntaxError { span, fault: SyntaxFault::Expected { expected, found } }
    }

    fn finish(&self) -> Parsed<()> {
        match self.peek(0) {
            None => Ok(()),
            Some(_) => Err(self.expected("an operator or the end of the placeholder")),
        }
    }

    fn deeper<T>(&mut self, rule: impl FnOnce(&mut Parser) -> Parsed<T>) -> Parsed<T> {
        self.depth += 1;
        if self.depth > DEEPEST {
            self.depth -= 1;
            return Err(SyntaxError { span: self.here(), fault: SyntaxFault::TooDeep(DEEPEST) });
        }
        let result = rule(self);
        self.depth -= 1;
        result
    }

    /// Reads by a rule with other words ending a name.
    fn with_enders<T>(&mut self, enders: Enders, rule: impl FnOnce(&mut Parser) -> Parsed<T>) -> Parsed<T> {
        let before = std::mem::replace(&mut self.enders, enders);
        let result = rule(self);
        self.enders = before;
        result
    }

    /// Notes an error and goes on where `ends` says, outside brackets opened
    /// since; a nesting that is too deep is not gone into again.
    fn recover(&mut self, error: SyntaxError, ends: impl Fn(&Token) -> bool) -> Parsed<()> {
        if matches!(error.fault, SyntaxFault::TooDeep(_)) {
            return Err(error);
        }
        self.errors.push(error);
        let mut depth = 0;
        while let Some(token) = self.peek(0) {
            match &token.kind {
                _ if depth == 0 && ends(token) => return Ok(()),
                TokenKind::Sign(Sign::Open) => depth += 1,
                TokenKind::Sign(Sign::Close) if depth > 0 => depth -= 1,
                _ => {}
            }
            self.at += 1;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests;
