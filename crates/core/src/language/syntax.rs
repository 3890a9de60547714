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
}

/// One alternative of a printed value, with the options that bind to it.
#[derive(Debug, Clone)]
pub struct Part {
    /// The value.
    pub expr: Expr,
    /// `as`; never set on a quoted text.
    pub format: Option<Format>,
    /// `in`: the locale to print by.
    pub locale: Option<Arc<Locale>>,
    /// Text after the value when it is not blank.
    pub after: Option<String>,
    /// Text before the value when it is not blank.
    pub before: Option<String>,
}

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
    /// `[:end]`, `[:end if]`
    End,
    /// `[:keep row if …]`
    Keep(Scope, Expr),
    /// `[:keep row else]`
    KeepElse(Scope),
    /// `[:keep row else if …]`
    KeepElseIf(Scope, Expr),
    /// `[:-- remark]`
    Remark,
}

/// What `keep` keeps or drops whole.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scope {
    /// The table row it stands in.
    Row,
    /// The paragraph it stands in.
    Para,
}

impl Kind {
    /// The expression, where there is one.
    pub fn expr(&self) -> Option<&Expr> {
        match self {
            Kind::Print(expr) | Kind::If(expr) | Kind::ElseIf(expr) | Kind::Keep(_, expr) | Kind::KeepElseIf(_, expr) => Some(expr),
            Kind::Else | Kind::End | Kind::KeepElse(_) | Kind::Remark => None,
        }
    }
}

impl Expr {
    /// Calls `visit` for each name that starts a path, in reading order.
    pub fn names<'a>(&'a self, visit: &mut dyn FnMut(&'a Name, Span)) {
        match &self.kind {
            ExprKind::Literal(_) => {}
            ExprKind::Name(name) => visit(name, self.span),
            ExprKind::Member(base, _) => base.names(visit),
            ExprKind::Call(_, arguments) => arguments.iter().flatten().for_each(|a| a.names(visit)),
            ExprKind::Negate(x) | ExprKind::Percent(x) | ExprKind::Not(x) | ExprKind::IsBlank(x, _) => x.names(visit),
            ExprKind::Logic(_, a, b) | ExprKind::Arithmetic(_, a, b) | ExprKind::Join(a, b) | ExprKind::Compare(_, a, b) => {
                a.names(visit);
                b.names(visit);
            }
            ExprKind::In(x, list, _) => {
                x.names(visit);
                list.iter().for_each(|a| a.names(visit));
            }
            ExprKind::Print(parts) => parts.iter().for_each(|p| p.expr.names(visit)),
        }
    }
}
