//! Text → tokens. Undoes what word processors do to signs: curly quotes, dashes
//! for minus, non-breaking spaces, soft hyphens.

use jiff::civil::{Date, DateTime};
use rust_decimal::Decimal;

use super::error::{Span, SyntaxError, SyntaxFault};

/// A token's kind and content.
#[derive(Debug, Clone, PartialEq)]
pub enum TokenKind {
    /// A word of a name, a word operator or a kind word.
    Word(String),
    /// A name in single quotes.
    Quoted(String),
    /// A text in double quotes.
    Text(String),
    /// A number; `plain` when it is digits only and so may be part of a name.
    Number { value: Decimal, plain: bool },
    /// A date literal.
    Date(Date),
    /// A date literal with a time.
    DateTime(DateTime),
    /// An operator or bracket.
    Sign(Sign),
}

/// Operators and brackets.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sign {
    Open,
    Close,
    Sep,
    Dot,
    Plus,
    Minus,
    Times,
    Divide,
    Power,
    Percent,
    Join,
    Equal,
    Unequal,
    Less,
    LessEqual,
    Greater,
    GreaterEqual,
}

/// One token with its place.
#[derive(Debug, Clone, PartialEq)]
pub struct Token {
    pub kind: TokenKind,
    pub span: Span,
    /// Whether space stands before it.
    pub spaced: bool,
}

impl Token {
    /// The token as a lower-case word, if it is one.
    pub fn word(&self) -> Option<&str> {
        match &self.kind {
            TokenKind::Word(word) => Some(word),
            _ => None,
        }
    }

    /// Whether this is the given word, whatever its case.
    pub fn is_word(&self, word: &str) -> bool {
        self.word().is_some_and(|own| own.eq_ignore_ascii_case(word))
    }

    pub fn is_sign(&self, sign: Sign) -> bool {
        self.kind == TokenKind::Sign(sign)
    }
}

/// A sign as the language reads it: typographic quotes, dashes, operators and
/// Unicode spaces become their plain forms; `None` for signs that are dropped.
pub fn plain(c: char) -> Option<char> {
    Some(match c {
        '“' | '”' | '„' | '‟' | '«' | '»' => '"',
        '‘' | '’' | '‚' | '‛' | '‹' | '›' => '\'',
        '–' | '—' | '−' | '‐' | '‑' => '-',
        '×' | '·' => '*',
        '÷' => '/',
        '≤' => '≤',
        '≥' => '≥',
        '≠' => '≠',
        '\u{ad}' | '\u{200b}'..='\u{200f}' | '\u{2060}' | '\u{feff}' | '\u{202a}'..='\u{202e}' => return None,
        c if c.is_whitespace() => ' ',
        c => c,
    })
}

/// Parts a placeholder's text into tokens. What is wrong is passed over, so that
/// an editor is told of more than the first error.
pub fn tokens(text: &str) -> (Vec<Token>, Vec<SyntaxError>) {
    Lexer { chars: text.char_indices().filter_map(|(at, c)| plain(c).map(|p| (at, p, c))).collect(), at: 0, len: text.len() }.run()
}

struct Lexer {
    /// Byte offset, plain sign, original sign.
    chars: Vec<(usize, char, char)>,
    at: usize,
    len: usize,
}

impl Lexer {
    fn run(mut self) -> (Vec<Token>, Vec<SyntaxError>) {
        let (mut found, mut wrong) = (Vec::new(), Vec::new());
        loop {
            let before = self.at;
            while self.peek(0) == Some(' ') {
                self.at += 1;
            }
            let spaced = self.at > before;
            let Some(c) = self.peek(0) else { return (found, wrong) };
            let start = self.at;
            match self.token(c) {
                Ok(kind) => found.push(Token { kind, span: self.span(start, self.at), spaced }),
                Err(error) => {
                    wrong.push(error);
                    self.at = self.at.max(start + 1);
                }
            }
        }
    }

    fn token(&mut self, c: char) -> Result<TokenKind, SyntaxError> {
        Ok(match c {
            '"' => TokenKind::Text(self.quoted('"')?),
            '\'' => TokenKind::Quoted(self.quoted('\'')?),
            '0'..='9' => self.digits()?,
            c if c.is_alphabetic() || c == '_' => TokenKind::Word(self.word()),
            c => TokenKind::Sign(self.sign(c)?),
        })
    }

    fn peek(&self, ahead: usize) -> Option<char> {
        self.chars.get(self.at + ahead).map(|(_, c, _)| *c)
    }

    fn offset(&self, at: usize) -> usize {
        self.chars.get(at).map_or(self.len, |(offset, _, _)| *offset)
    }

    fn span(&self, start: usize, end: usize) -> Span {
        Span { start: self.offset(start), end: self.offset(end) }
    }

    fn slice(&self, start: usize, end: usize) -> String {
        self.chars[start..end].iter().map(|(_, c, _)| *c).collect()
    }

    /// A text or quoted name; a doubled quote stands for one. The content keeps
    /// its signs as they were typed.
    fn quoted(&mut self, quote: char) -> Result<String, SyntaxError> {
        let start = self.at;
        self.at += 1;
        let mut content = String::new();
        loop {
            match self.chars.get(self.at) {
                Some((_, c, _)) if *c == quote => {
                    if self.peek(1) != Some(quote) {
                        self.at += 1;
                        return Ok(content);
                    }
                    content.push(quote);
                    self.at += 2;
                }
                Some((_, _, original)) => {
                    content.push(*original);
                    self.at += 1;
                }
                None => {
                    return Err(SyntaxError { span: self.span(start, self.at), fault: SyntaxFault::OpenQuote(quote) });
                }
            }
        }
    }

    fn word(&mut self) -> String {
        let start = self.at;
        while let Some(c) = self.peek(0) {
            let hyphen =
                c == '-' && self.at > start && self.chars[self.at - 1].1.is_alphabetic() && self.peek(1).is_some_and(char::is_alphabetic);
            let apostrophe = c == '\'' && self.peek(1).is_some_and(char::is_alphanumeric);
            if c.is_alphanumeric() || c == '_' || hyphen || apostrophe || is_mark(c) {
                self.at += 1;
            } else {
                break;
            }
        }
        self.slice(start, self.at)
    }

    /// A number, or a date, which is tried first.
    fn digits(&mut self) -> Result<TokenKind, SyntaxError> {
        if let Some(kind) = self.date()? {
            return Ok(kind);
        }
        let start = self.at;
        self.skip_digits();
        let mut plain = true;
        if self.peek(0) == Some('.') && self.peek(1).is_some_and(|c| c.is_ascii_digit()) {
            self.at += 1;
            self.skip_digits();
            plain = false;
        }
        let exponent = match (self.peek(0), self.peek(1), self.peek(2)) {
            (Some('e' | 'E'), Some('+' | '-'), Some(digit)) => digit.is_ascii_digit(),
            (Some('e' | 'E'), Some(digit), _) => digit.is_ascii_digit(),
            _ => false,
        };
        if exponent {
            self.at += 2;
            self.skip_digits();
            plain = false;
        }
        let text = self.slice(start, self.at);
        let value = if exponent { Decimal::from_scientific(&text) } else { text.parse() };
        // More digits than fit would be rounded in silence: literals are exact or refused.
        let significant = text.split(['e', 'E']).next().unwrap_or("").bytes().filter(u8::is_ascii_digit).count();
        match value {
            Ok(value) if significant <= 28 => Ok(TokenKind::Number { value, plain }),
            _ => Err(SyntaxError { span: self.span(start, self.at), fault: SyntaxFault::LongNumber(text) }),
        }
    }

    fn skip_digits(&mut self) {
        while self.peek(0).is_some_and(|c| c.is_ascii_digit()) {
            self.at += 1;
        }
    }

    /// `2026-12-31` or `2026-12-31T09:30`.
    fn date(&mut self) -> Result<Option<TokenKind>, SyntaxError> {
        const DAY: &str = "dddd-dd-dd";
        const TIME: &str = "Tdd:dd";
        let fits = |shape: &str, from: usize| {
            shape.chars().enumerate().all(|(i, s)| match (s, self.peek(from + i)) {
                ('d', Some(c)) => c.is_ascii_digit(),
                (s, Some(c)) => s == c,
                (_, None) => false,
            })
        };
        if !fits(DAY, 0) || self.peek(DAY.len()).is_some_and(|c| c.is_ascii_digit()) {
            return Ok(None);
        }
        let start = self.at;
        let with_time = fits(TIME, DAY.len());
        self.at += DAY.len() + if with_time { TIME.len() } else { 0 };
        let text = self.slice(start, self.at);
        let kind = match with_time {
            true => text.parse().ok().map(TokenKind::DateTime),
            false => text.parse().ok().map(TokenKind::Date),
        };
        match kind {
            Some(kind) => Ok(Some(kind)),
            None => Err(SyntaxError { span: self.span(start, self.at), fault: SyntaxFault::NoSuchDay(text) }),
        }
    }

    fn sign(&mut self, c: char) -> Result<Sign, SyntaxError> {
        let next = self.peek(1);
        let (sign, width) = match (c, next) {
            ('<', Some('>')) => (Sign::Unequal, 2),
            ('<', Some('=')) => (Sign::LessEqual, 2),
            ('>', Some('=')) => (Sign::GreaterEqual, 2),
            ('≤', _) => (Sign::LessEqual, 1),
            ('≥', _) => (Sign::GreaterEqual, 1),
            ('≠', _) => (Sign::Unequal, 1),
            ('<', _) => (Sign::Less, 1),
            ('>', _) => (Sign::Greater, 1),
            ('=', _) => (Sign::Equal, 1),
            ('(', _) => (Sign::Open, 1),
            (')', _) => (Sign::Close, 1),
            (';' | ',', _) => (Sign::Sep, 1),
            ('.', _) => (Sign::Dot, 1),
            ('+', _) => (Sign::Plus, 1),
            ('-', _) => (Sign::Minus, 1),
            ('*', _) => (Sign::Times, 1),
            ('/', _) => (Sign::Divide, 1),
            ('^', _) => (Sign::Power, 1),
            ('%', _) => (Sign::Percent, 1),
            ('&', _) => (Sign::Join, 1),
            _ => {
                let original = self.chars[self.at].2;
                return Err(SyntaxError { span: self.span(self.at, self.at + 1), fault: SyntaxFault::OddSign(original) });
            }
        };
        self.at += width;
        Ok(sign)
    }
}

/// Combining marks (general categories Mn, Mc in the scripts in use).
fn is_mark(c: char) -> bool {
    matches!(c, '\u{300}'..='\u{36f}' | '\u{591}'..='\u{5c7}' | '\u{610}'..='\u{61a}' | '\u{64b}'..='\u{65f}' | '\u{900}'..='\u{903}' | '\u{93a}'..='\u{94f}')
}

#[cfg(test)]
mod tests {
    use super::*;

    fn kinds(text: &str) -> Vec<TokenKind> {
        tokens(text).0.into_iter().map(|t| t.kind).collect()
    }

    #[test]
    fn words_keep_hyphens_between_letters_and_apostrophes() {
        assert_eq!(kinds("e-mail"), [TokenKind::Word("e-mail".into())]);
        assert_eq!(kinds("owner's boat"), [TokenKind::Word("owner's".into()), TokenKind::Word("boat".into())]);
        assert_eq!(kinds("a - b").len(), 3);
        assert_eq!(kinds("a1-2").len(), 3);
    }

    #[test]
    fn typographic_signs_read_as_plain_ones() {
        assert_eq!(kinds("“no number”"), [TokenKind::Text("no number".into())]);
        assert_eq!(kinds("„Möwe“"), [TokenKind::Text("Möwe".into())]);
        assert_eq!(kinds("x ≥ 3"), kinds("x >= 3"));
        assert_eq!(kinds("x − 3"), kinds("x - 3"));
        assert_eq!(kinds("last\u{a0}na\u{ad}me"), kinds("last name"));
    }

    #[test]
    fn dates_come_before_numbers() {
        assert_eq!(kinds("2026-12-31"), [TokenKind::Date(Date::constant(2026, 12, 31))]);
        assert_eq!(kinds("2026-12").len(), 3);
        let error = tokens("due > 2026-02-30").1.remove(0);
        assert_eq!(error.span, Span { start: 6, end: 16 });
    }

    #[test]
    fn an_open_quote_is_pointed_at() {
        let error = tokens("name after \"x").1.remove(0);
        assert_eq!((error.span.start, error.fault), (11, SyntaxFault::OpenQuote('"')));
    }
}
