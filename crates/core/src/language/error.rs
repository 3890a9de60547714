//! What can be wrong with an expression, as data, and the one place where each
//! becomes a sentence.

use crate::value::{Misfit, UnknownCurrency, UnknownLocale};

/// A stretch of a placeholder's text, in bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, serde::Serialize, serde::Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Span {
    /// First byte.
    pub start: usize,
    /// The byte after the last.
    pub end: usize,
}

impl Span {
    /// The span from the start of this to the end of that.
    pub fn to(self, other: Span) -> Span {
        Span { start: self.start, end: other.end.max(self.end) }
    }
}

/// A placeholder that can't be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{fault}")]
pub struct SyntaxError {
    /// Where in the placeholder's text.
    pub span: Span,
    /// What is wrong.
    pub fault: SyntaxFault,
}

/// What is wrong with the text of a placeholder.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SyntaxFault {
    /// Something else should stand here.
    #[error("expected {expected}, found {found}")]
    Expected {
        /// What should stand here, in words.
        expected: &'static str,
        /// What stands here.
        found: String,
    },
    /// A sign that the language does not know.
    #[error("unexpected character “{0}”. Put text in double quotes and unusual names in single quotes.")]
    OddSign(char),
    /// A text or quoted name without its closing quote.
    #[error("closing {0} missing")]
    OpenQuote(char),
    /// A number of more than 28 digits.
    #[error("“{0}” has too many digits (maximum 28)")]
    LongNumber(String),
    /// A date literal that does not exist.
    #[error("{0} is not a valid date")]
    NoSuchDay(String),
    /// No function has this name.
    #[error("unknown function “{name}”{}", near(.nearest))]
    UnknownFunction {
        /// As written.
        name: String,
        /// The nearest name there is.
        nearest: Option<String>,
    },
    /// Too few or too many arguments.
    #[error("{name} takes {takes}, not {given}. Syntax: {syntax}")]
    Arguments {
        /// The function.
        name: &'static str,
        /// How many it takes, in words.
        takes: String,
        /// How many stand here.
        given: usize,
        /// How it is written.
        syntax: &'static str,
    },
    /// `as` with a word that is no format.
    #[error("unknown format “{0}”. Use one of: number, money, percent, date, time, words, upper, lower, title, yes/no, phone or list")]
    UnknownFormat(String),
    /// A number pattern that can't be used.
    #[error("“{pattern}” is not a number pattern: {why}")]
    NumberPattern {
        /// As written.
        pattern: String,
        /// What is wrong and what to write.
        why: String,
    },
    /// A date pattern that can't be used.
    #[error("“{pattern}” is not a date pattern: {why}")]
    DatePattern {
        /// As written.
        pattern: String,
        /// What is wrong and what to write.
        why: String,
    },
    /// A format names a currency that isn't one.
    #[error(transparent)]
    Currency(#[from] UnknownCurrency),
    /// `in` names a language that isn't one.
    #[error(transparent)]
    Locale(#[from] UnknownLocale),
    /// `a < b < c`
    #[error("compare two values at a time: write “{0}”")]
    ChainedComparison(String),
    /// `status = "a" or "b"`
    #[error("text can't be combined with `or`, `and` or `not`. For example, write `status in (\"a\"; \"b\")`")]
    BareText,
    /// Parentheses or the like too deep.
    #[error("nested too deeply (maximum {0} levels)")]
    TooDeep(usize),
    /// A placeholder over the limit.
    #[error("placeholder too long: {0} characters (maximum 4,096)")]
    TooLong(usize),
    /// A length or resolution out of bounds.
    #[error("{0}")]
    Size(&'static str),
}

fn near(nearest: &Option<String>) -> String {
    nearest.as_ref().map(|name| format!("; did you mean “{name}”?")).unwrap_or_default()
}

impl SyntaxFault {
    /// A short name for programs.
    pub fn code(&self) -> &'static str {
        match self {
            SyntaxFault::Expected { .. } => "expected",
            SyntaxFault::OddSign(_) => "odd-sign",
            SyntaxFault::OpenQuote(_) => "open-quote",
            SyntaxFault::LongNumber(_) => "long-number",
            SyntaxFault::NoSuchDay(_) => "no-such-day",
            SyntaxFault::UnknownFunction { .. } => "unknown-function",
            SyntaxFault::Arguments { .. } => "arguments",
            SyntaxFault::UnknownFormat(_) => "unknown-format",
            SyntaxFault::NumberPattern { .. } => "number-pattern",
            SyntaxFault::DatePattern { .. } => "date-pattern",
            SyntaxFault::Currency(_) => "unknown-currency",
            SyntaxFault::Locale(_) => "unknown-locale",
            SyntaxFault::ChainedComparison(_) => "chained-comparison",
            SyntaxFault::BareText => "bare-text",
            SyntaxFault::TooDeep(_) => "too-deep",
            SyntaxFault::TooLong(_) => "too-long",
            SyntaxFault::Size(_) => "size",
        }
    }
}

/// An expression that can't be worked out for one record.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{fault}")]
pub struct EvalError {
    /// Where in the placeholder's text.
    pub span: Span,
    /// What is wrong.
    pub fault: Fault,
}

/// What went wrong with the values of one record.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Fault {
    /// A name that neither the record nor the language has.
    #[error("unknown name “{name}”{}", near(.nearest))]
    UnknownName {
        /// As written.
        name: String,
        /// The nearest name there is.
        nearest: Option<String>,
    },
    /// A cell that does not fit its column's type.
    #[error("“{text}” in column {column} is not {expected}. Correct the cell or change the column type.")]
    Misfit {
        /// The column.
        column: String,
        /// The cell's text.
        text: String,
        /// What it should be.
        expected: &'static str,
    },
    /// A computed column whose formula could not be worked out.
    #[error("computed column {column} failed: {why}. Correct its formula or the values it uses.")]
    Computed {
        /// The column.
        column: String,
        /// What went wrong in it.
        why: String,
    },
    /// A value of the wrong kind.
    #[error("expected {expected}, but got {kind}: {value}")]
    Kind {
        /// What is needed.
        expected: &'static str,
        /// What there is.
        kind: &'static str,
        /// Its text.
        value: String,
    },
    /// Values that can't be compared or calculated with each other.
    #[error("{left} and {right} can't be {verb}")]
    Unlike {
        /// The one.
        left: &'static str,
        /// The other.
        right: &'static str,
        /// "compared", "added".
        verb: &'static str,
    },
    /// The share link where the dispatch has none.
    #[error("no share link. Add the channel “Share link” to the dispatch, or remove this.")]
    NoLink,
    /// No rule says which template the record takes.
    #[error("no template rule is true for this record. Add a rule that is, or choose a template for all others under Template.")]
    NoRule,
    /// A pack has no part for the record.
    #[error("no part of the pack is for this record. Add one that is always included, or leave such records out.")]
    NoPart,
    /// None of a pack's parts of which one is wanted is for the record.
    #[error("none of the parts of “{0}” is for this record. Add one without a condition for all others.")]
    NoneOf(String),
    /// A text that becomes too long.
    #[error("the text would be longer than 1,000,000 bytes. Use fewer or shorter values.")]
    TooLong,
    /// Working it out takes too many steps.
    #[error("this takes too long to work out. Use shorter lists, or fewer lists within lists.")]
    TooMuch,
    /// Two currencies in one sum.
    #[error("{left} and {right} are different currencies and can't be {verb}")]
    Currencies {
        /// The one.
        left: String,
        /// The other.
        right: String,
        /// "added", "compared".
        verb: &'static str,
    },
    /// An amount is printed in another currency than it is in.
    #[error(
        "this amount is in {have}, and the placeholder prints {wanted}; Mangle does not convert currencies: set the column's currency to {wanted}, or print it in {have}"
    )]
    OtherCurrency {
        /// Its own.
        have: String,
        /// The one that is printed.
        wanted: String,
    },
    /// Division by zero.
    #[error("division by zero")]
    DivideByZero,
    /// A result of more than 28 digits.
    #[error("result has too many digits (maximum 28)")]
    Overflow,
    /// A date before year −9999 or after 9999, or one that does not exist.
    #[error("{0} is not a valid date")]
    NoSuchDay(String),
    /// A function that has no result for these arguments.
    #[error("{function} failed: {why}")]
    Function {
        /// The function.
        function: &'static str,
        /// Why.
        why: String,
    },
    /// Nothing fits what was looked for; IFNA takes it.
    #[error("{function}: no match ({why})")]
    NotFound {
        /// The function.
        function: &'static str,
        /// What was looked for.
        why: String,
    },
    /// Clauses within clauses, too deep or in a circle.
    #[error("the clause “{name}” {why}")]
    Clause {
        /// Its name.
        name: String,
        /// What is wrong with it.
        why: String,
    },
    /// A picture, barcode or signature field that can't be drawn.
    #[error("{0}")]
    Drawing(String),
    /// A list of more turns than a record may take.
    #[error("too many list repetitions for one record (maximum {0}). Filter the list or limit it with “first”.")]
    TooManyTurns(usize),
    /// A format that refuses the value.
    #[error("{0}")]
    Format(String),
}

impl From<&Misfit> for Fault {
    fn from(misfit: &Misfit) -> Fault {
        let column = misfit.column.clone();
        match &misfit.why {
            Some(why) => Fault::Computed { column, why: why.clone() },
            None => Fault::Misfit { column, text: misfit.text.clone(), expected: misfit.kind.expected() },
        }
    }
}

impl Fault {
    /// A short name for programs.
    pub fn code(&self) -> &'static str {
        match self {
            Fault::UnknownName { .. } => "unknown-name",
            Fault::Misfit { .. } => "misfit",
            Fault::Computed { .. } => "computed",
            Fault::Kind { .. } => "wrong-kind",
            Fault::Unlike { .. } => "unlike-types",
            Fault::Currencies { .. } => "currencies",
            Fault::OtherCurrency { .. } => "other-currency",
            Fault::DivideByZero => "divide-by-zero",
            Fault::Overflow => "overflow",
            Fault::NoLink => "no-link",
            Fault::NoRule => "no-rule",
            Fault::NoPart => "no-part",
            Fault::NoneOf(_) => "none-of",
            Fault::TooLong => "too-long",
            Fault::TooMuch => "too-much",
            Fault::NoSuchDay(_) => "no-such-day",
            Fault::Function { .. } => "no-result",
            Fault::NotFound { .. } => "not-found",
            Fault::Clause { .. } => "clause",
            Fault::Drawing(_) => "drawing",
            Fault::TooManyTurns(_) => "too-many-turns",
            Fault::Format(_) => "format",
        }
    }
}
