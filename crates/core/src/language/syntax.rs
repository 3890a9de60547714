//! The syntax tree of a placeholder.

use std::sync::Arc;

use super::error::Span;
use super::format::Format;
use super::function::Function;
use super::name::Folded;
use crate::value::{Locale, Value};

/// A name as written and as it matches.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Name {
    /// As written, words parted by one space.
    pub text: String,
    /// As it matches.
    pub folded: Folded,
    /// In single quotes: always a field.
    pub quoted: bool,
}

impl Name {
    /// A name from its text.
    pub fn new(text: impl Into<String>, quoted: bool) -> Name {
        let text = text.into();
        Name { folded: Folded::new(&text), text, quoted }
    }
}

/// An expression and where it stands.
#[derive(Debug, Clone)]
pub struct Expr {
    /// What it is.
    pub kind: ExprKind,
    /// Where in the placeholder's text.
    pub span: Span,
}

/// The kinds of expression.
#[derive(Debug, Clone)]
pub enum ExprKind {
    /// A number, text, date, yes or no.
    Literal(Value),
    /// A field or built-in name.
    Name(Name),
    /// `holder.last name`
    Member(Box<Expr>, Name),
    /// A function with its arguments; an argument may be left out.
    Call(&'static Function, Vec<Option<Expr>>),
    /// `-x`, `+x`
    Negate(Box<Expr>),
    /// `20%`
    Percent(Box<Expr>),
    /// `not x`
    Not(Box<Expr>),
    /// `x and y`, `x or y`
    Logic(Logic, Box<Expr>, Box<Expr>),
    /// `x + y` and its kin
    Arithmetic(Arithmetic, Box<Expr>, Box<Expr>),
    /// `x & y`
    Join(Box<Expr>, Box<Expr>),
    /// `x = y` and its kin
    Compare(Comparison, Box<Expr>, Box<Expr>),
    /// `x in (a; b)`; true when negated
    In(Box<Expr>, Vec<Expr>, bool),
    /// `x is blank`; true when negated
    IsBlank(Box<Expr>, bool),
    /// `a else b as … after …`
    Print(Vec<Part>),
    /// `lines where … sort by … group by … first …`
    List(Box<ListExpr>),
    /// `lines.(qty * price)`: worked out for each record
    Each(Box<Expr>, Box<Expr>),
    /// `outer.name`: the search starts so many levels further out
    Outer(usize, Name),
}

/// A list with what is done to it, applied in this order.
#[derive(Debug, Clone)]
pub struct ListExpr {
    /// Where the records come from.
    pub source: Expr,
    /// `where`: the records that stay.
    pub filter: Option<Expr>,
    /// `sort by`
    pub sort: Vec<Key>,
    /// `group by`: one turn for each value.
    pub group: Option<Expr>,
    /// `first`: how many turns at most.
    pub first: Option<Expr>,
}

/// One key of `sort by`.
#[derive(Debug, Clone)]
pub struct Key {
    /// What is sorted by.
    pub expr: Expr,
    /// `desc`: the greatest first.
    pub down: bool,
}

/// One alternative of a printed value, with the options that bind to it.
#[derive(Debug, Clone)]
pub struct Part {
    /// The value.
    pub expr: Expr,
    /// `as`; never set on a quoted text.
    pub format: Option<Format>,
    /// `as list "and"`: how the items of a list are joined.
    pub list: Option<Joint>,
    /// `in`: the locale to print by.
    pub locale: Option<Arc<Locale>>,
    /// Text after the value when it is not blank.
    pub after: Option<String>,
    /// Text before the value when it is not blank.
    pub before: Option<String>,
}

impl Part {
    /// Whether its value is written as a text, with a format or something round it.
    pub fn is_dressed(&self) -> bool {
        self.format.is_some() || self.list.is_some() || self.locale.is_some() || self.after.is_some() || self.before.is_some()
    }
}

/// How the items of a list are joined: by commas, the last by a word if given.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Joint(pub Option<Arc<str>>);

/// `and`, `or`
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Logic {
    And,
    Or,
}

/// The operators of arithmetic.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Arithmetic {
    Add,
    Subtract,
    Multiply,
    Divide,
    Power,
}

/// The operators of comparison.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Comparison {
    Equal,
    Unequal,
    Less,
    LessEqual,
    Greater,
    GreaterEqual,
    Contains,
    StartsWith,
    EndsWith,
}

/// What a placeholder asks for.
#[derive(Debug, Clone)]
pub enum Kind {
    /// `[: value]`
    Print(Expr),
    /// `[:if …]`
    If(Expr),
    /// `[:else if …]`
    ElseIf(Expr),
    /// `[:else]`
    Else,
    /// `[:end]`, `[:end if]`, `[:end repeat]`
    End(Option<Passage>),
    /// `[:repeat for …]`, `[:repeat 2 rows for …]`
    Repeat(Option<Extent>, Expr),
    /// `[:keep row if …]`
    Keep(Extent, Expr),
    /// `[:keep row else]`
    KeepElse(Extent),
    /// `[:keep row else if …]`
    KeepElseIf(Extent, Expr),
    /// `[:set vat = …]`
    Set(Setting),
    /// `[:clause "late payment" with days = 14]`
    Clause(Arc<str>, Vec<Setting>),
    /// `[:picture photo height 4cm]`
    Picture(Expr, Sizes),
    /// `[:barcode qr of email size 3cm]`
    Barcode(Barcode),
    /// `[:signer holder signature]`
    Signer(SignerField),
    /// `[:page break]`
    PageBreak,
    /// `[:-- remark]`
    Remark,
}

/// What `end` ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Passage {
    If,
    Repeat,
}

/// What `keep` and `repeat` take whole: `row`, `2 rows`, `para`, `table`, `section`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Extent {
    /// How many, this one first.
    pub count: usize,
    /// Of what.
    pub unit: Unit,
}

/// A piece of a document.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Unit {
    Row,
    Para,
    Table,
    Section,
}

impl Unit {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Unit::Row => "row",
            Unit::Para => "para",
            Unit::Table => "table",
            Unit::Section => "section",
        }
    }
}

/// `vat = round(net * 20%; 2)`
#[derive(Debug, Clone)]
pub struct Setting {
    /// The name that is set.
    pub name: Name,
    /// What it is set to.
    pub value: Expr,
}

/// The sizes asked for; in points, resolution in dots per inch.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Sizes {
    /// `width`; of a square symbol also `size`.
    pub width: Option<f64>,
    /// `height`; of a square symbol also `size`.
    pub height: Option<f64>,
    /// `fit … by …`: the box that the picture fits in.
    pub fit: Option<(f64, f64)>,
    /// `max … dpi`
    pub dpi: Option<f64>,
}

/// `[:barcode … of …]`
#[derive(Debug, Clone)]
pub struct Barcode {
    /// What is drawn.
    pub symbology: Symbology,
    /// The content; of a payment the amount.
    pub value: Expr,
    /// `with name = …; iban = …`, for a payment.
    pub with: Vec<Setting>,
    /// The size asked for.
    pub sizes: Sizes,
    /// `level`: how much of a QR code may be damaged.
    pub level: Level,
}

/// The kinds of barcode.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[allow(missing_docs)]
pub enum Symbology {
    Qr,
    /// A QR code of a credit transfer (EPC069-12).
    Payment,
    DataMatrix,
    Aztec,
    Pdf417,
    Code128,
    Code39,
    Itf,
    Ean13,
    Ean8,
    UpcA,
    Isbn,
}

impl Symbology {
    /// All of them with their words.
    pub const ALL: [(Symbology, &str); 12] = [
        (Symbology::Qr, "qr"),
        (Symbology::Payment, "payment"),
        (Symbology::DataMatrix, "datamatrix"),
        (Symbology::Aztec, "aztec"),
        (Symbology::Pdf417, "pdf417"),
        (Symbology::Code128, "code128"),
        (Symbology::Code39, "code39"),
        (Symbology::Itf, "itf"),
        (Symbology::Ean13, "ean13"),
        (Symbology::Ean8, "ean8"),
        (Symbology::UpcA, "upca"),
        (Symbology::Isbn, "isbn"),
    ];

    /// The word for it.
    pub fn word(self) -> &'static str {
        Symbology::ALL.iter().find(|(s, _)| *s == self).map_or("", |(_, word)| word)
    }
}

/// How much of a QR code may be damaged (ISO/IEC 18004, 7.5).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash)]
#[allow(missing_docs)]
pub enum Level {
    L,
    #[default]
    M,
    Q,
    H,
}

/// `[:signer holder signature optional]`
#[derive(Debug, Clone, PartialEq)]
pub struct SignerField {
    /// The signer role.
    pub role: Name,
    /// What the signer fills in.
    pub field: Field,
    /// What it is called; blank where its kind says it.
    pub label: String,
    /// The size asked for.
    pub sizes: Sizes,
    /// Whether it may stay empty.
    pub optional: bool,
}

/// What a signer fills in.
#[derive(Debug, Clone, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Field {
    Signature,
    Initials,
    Name,
    Date,
    /// A text of the signer's own, under this label.
    Text(String),
    Tick,
    /// One of these, separated by semicolons.
    Choice(String),
}

impl Field {
    /// The word for it.
    pub fn word(&self) -> &'static str {
        match self {
            Field::Signature => "signature",
            Field::Initials => "initials",
            Field::Name => "name",
            Field::Date => "date",
            Field::Text(_) => "text",
            Field::Tick => "tick",
            Field::Choice(_) => "choice",
        }
    }
}

impl Kind {
    /// Its expressions, in reading order.
    pub fn exprs(&self) -> Vec<&Expr> {
        match self {
            Kind::Print(e) | Kind::If(e) | Kind::ElseIf(e) | Kind::Repeat(_, e) | Kind::Keep(_, e) | Kind::KeepElseIf(_, e) => vec![e],
            Kind::Set(setting) => vec![&setting.value],
            Kind::Clause(_, with) => with.iter().map(|s| &s.value).collect(),
            Kind::Picture(value, _) => vec![value],
            Kind::Barcode(code) => std::iter::once(&code.value).chain(code.with.iter().map(|s| &s.value)).collect(),
            Kind::Else | Kind::End(_) | Kind::KeepElse(_) | Kind::Signer(_) | Kind::PageBreak | Kind::Remark => Vec::new(),
        }
    }

    /// What it takes whole.
    pub fn extent(&self) -> Option<Extent> {
        match self {
            Kind::Repeat(extent, _) => *extent,
            Kind::Keep(extent, _) | Kind::KeepElse(extent) | Kind::KeepElseIf(extent, _) => Some(*extent),
            _ => None,
        }
    }

    /// Whether something is printed where it stands.
    pub fn prints(&self) -> bool {
        matches!(self, Kind::Print(_) | Kind::Clause(..) | Kind::Picture(..) | Kind::Barcode(_) | Kind::Signer(_) | Kind::PageBreak)
    }
}

impl Expr {
    /// The names of a plain path (`cases.lines`), also through `where`, `sort by`
    /// and the like.
    pub fn path(&self) -> Option<Vec<Name>> {
        match &self.kind {
            ExprKind::Name(name) => Some(vec![name.clone()]),
            ExprKind::Member(base, name) => {
                let mut path = base.path()?;
                path.push(name.clone());
                Some(path)
            }
            ExprKind::List(list) => list.source.path(),
            ExprKind::Print(parts) => match parts.as_slice() {
                [only] => only.expr.path(),
                _ => None,
            },
            _ => None,
        }
    }
}
