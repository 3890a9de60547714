//! `$filter` (OData 4.01 Part 2: URL Conventions, 5.1.1): comparisons, `and`, `or`,
//! `not`, `in`, and the functions of text.

use std::cmp::Ordering;

use serde_json::Value;

use super::model::{Entity, of_set};
use super::world::{Entry, World};

/// A condition over entities.
#[derive(Debug)]
pub enum Filter {
    Or(Box<Filter>, Box<Filter>),
    And(Box<Filter>, Box<Filter>),
    Not(Box<Filter>),
    Compare(Term, &'static str, Term),
    In(Term, Vec<Value>),
    Function(&'static str, Term, Term),
    /// A property that is a yes or no itself.
    Holds(Term),
}

/// What is compared.
#[derive(Debug)]
pub enum Term {
    Literal(Value),
    /// Property after ways that lead to one.
    Path(Vec<String>),
    Lower(Box<Term>),
}

const OPERATORS: [&str; 6] = ["eq", "ne", "gt", "ge", "lt", "le"];
const FUNCTIONS: [&str; 3] = ["contains", "startswith", "endswith"];
/// How deep brackets nest.
const DEEPEST: usize = 40;

/// Reads a condition for entities of a type.
pub fn read(text: &str, entity: &'static Entity) -> Result<Filter, String> {
    let tokens = tokens(text)?;
    let mut reader = Reader { tokens: &tokens, at: 0, entity };
    let filter = reader.or(0)?;
    match reader.tokens.get(reader.at) {
        None => Ok(filter),
        Some(token) => Err(format!("“{token}” is not expected there")),
    }
}

fn tokens(text: &str) -> Result<Vec<String>, String> {
    let mut out = Vec::new();
    let mut rest = text.trim_start();
    while let Some(first) = rest.chars().next() {
        let length = match first {
            '(' | ')' | ',' => 1,
            '\'' => {
                let mut end = None;
                let mut signs = rest.char_indices().skip(1).peekable();
                while let Some((at, sign)) = signs.next() {
                    if sign == '\'' && signs.next_if(|(_, next)| *next == '\'').is_none() {
                        end = Some(at + 1);
                        break;
                    }
                }
                end.ok_or("a text is not closed by '")?
            }
            _ => rest.find(|c: char| c.is_whitespace() || "(),'".contains(c)).unwrap_or(rest.len()),
        };
        out.push(rest[..length].to_owned());
        rest = rest[length..].trim_start();
    }
    Ok(out)
}

struct Reader<'t> {
    tokens: &'t [String],
    at: usize,
    entity: &'static Entity,
}

impl Reader<'_> {
    fn next_is(&mut self, wanted: &str) -> bool {
        let is = self.tokens.get(self.at).is_some_and(|t| t == wanted);
        self.at += usize::from(is);
        is
    }

    fn expect(&mut self, wanted: &str) -> Result<(), String> {
        if self.next_is(wanted) { Ok(()) } else { Err(format!("“{wanted}” is missing")) }
    }

    fn or(&mut self, deep: usize) -> Result<Filter, String> {
        let mut left = self.and(deep)?;
        while self.next_is("or") {
            left = Filter::Or(Box::new(left), Box::new(self.and(deep)?));
        }
        Ok(left)
    }

    fn and(&mut self, deep: usize) -> Result<Filter, String> {
        let mut left = self.not(deep)?;
        while self.next_is("and") {
            left = Filter::And(Box::new(left), Box::new(self.not(deep)?));
        }
        Ok(left)
    }

    fn not(&mut self, deep: usize) -> Result<Filter, String> {
        if deep > DEEPEST {
            return Err("it nests too deeply".to_owned());
        }
        if self.next_is("not") {
            return Ok(Filter::Not(Box::new(self.not(deep + 1)?)));
        }
        if self.next_is("(") {
            let inner = self.or(deep + 1)?;
            self.expect(")")?;
            return Ok(inner);
        }
        if let Some(function) = FUNCTIONS.iter().find(|f| self.tokens.get(self.at).is_some_and(|t| t == **f)) {
            self.at += 1;
            self.expect("(")?;
            let left = self.term()?;
            self.expect(",")?;
            let right = self.term()?;
            self.expect(")")?;
            return Ok(Filter::Function(function, left, right));
        }
        let left = self.term()?;
        if self.next_is("in") {
            self.expect("(")?;
            let mut values = Vec::new();
            while !self.next_is(")") {
                match self.term()? {
                    Term::Literal(value) => values.push(value),
                    _ => return Err("a list can only contain literals".to_owned()),
                }
                let _ = self.next_is(",");
            }
            return Ok(Filter::In(left, values));
        }
        for operator in OPERATORS {
            if self.next_is(operator) {
                return Ok(Filter::Compare(left, operator, self.term()?));
            }
        }
        Ok(Filter::Holds(left))
    }

    fn term(&mut self) -> Result<Term, String> {
        let token = self.tokens.get(self.at).ok_or("it ends too early")?.clone();
        self.at += 1;
        if token == "tolower" {
            self.expect("(")?;
            let inner = self.term()?;
            self.expect(")")?;
            return Ok(Term::Lower(Box::new(inner)));
        }
        if let Some(text) = token.strip_prefix('\'') {
            let text = text.strip_suffix('\'').unwrap_or(text);
            return Ok(Term::Literal(Value::from(text.replace("''", "'"))));
        }
        if let Ok(value) = serde_json::from_str::<Value>(&token) {
            return Ok(Term::Literal(value));
        }
        // A date or a moment, as the properties of these types write it.
        if token.starts_with(|c: char| c.is_ascii_digit()) {
            return Ok(Term::Literal(Value::from(token)));
        }
        let path: Vec<String> = token.split('/').map(str::to_owned).collect();
        let mut entity = self.entity;
        for way in &path[..path.len() - 1] {
            let way = entity.way(way).filter(|w| !w.many).ok_or_else(|| format!("“{}” has no way “{way}” to one", entity.name))?;
            entity = of_set(way.to).ok_or("no such set")?;
        }
        let last = path.last().map_or("", String::as_str);
        match entity.property(last) {
            Some(_) => Ok(Term::Path(path)),
            None => Err(format!("“{}” has no property “{last}”", entity.name)),
        }
    }
}

impl Filter {
    /// Whether an entity passes.
    pub fn passes(&self, entry: &Entry, entity: &'static Entity, world: &World) -> bool {
        let value = |term: &Term| term.value(entry, entity, world);
        match self {
            Filter::Or(a, b) => a.passes(entry, entity, world) || b.passes(entry, entity, world),
            Filter::And(a, b) => a.passes(entry, entity, world) && b.passes(entry, entity, world),
            Filter::Not(inner) => !inner.passes(entry, entity, world),
            Filter::Holds(term) => value(term) == Value::Bool(true),
            Filter::In(term, values) => values.contains(&value(term)),
            Filter::Function(function, a, b) => match (value(a).as_str(), value(b).as_str()) {
                (Some(text), Some(part)) => match *function {
                    "contains" => text.contains(part),
                    "startswith" => text.starts_with(part),
                    _ => text.ends_with(part),
                },
                _ => false,
            },
            Filter::Compare(a, operator, b) => {
                let (a, b) = (value(a), value(b));
                match *operator {
                    "eq" => same(&a, &b),
                    "ne" => !same(&a, &b),
                    // Against null every order is no (5.1.1.1.3 to 6).
                    "gt" => order(&a, &b) == Some(Ordering::Greater),
                    "lt" => order(&a, &b) == Some(Ordering::Less),
                    "ge" => matches!(order(&a, &b), Some(Ordering::Greater | Ordering::Equal)),
                    _ => matches!(order(&a, &b), Some(Ordering::Less | Ordering::Equal)),
                }
            }
        }
    }
}

impl Term {
    fn value(&self, entry: &Entry, entity: &'static Entity, world: &World) -> Value {
        match self {
            Term::Literal(value) => value.clone(),
            Term::Lower(inner) => match inner.value(entry, entity, world) {
                Value::String(text) => Value::from(text.to_lowercase()),
                other => other,
            },
            Term::Path(path) => along(entry, entity, world, path),
        }
    }
}

/// The value at the end of a path.
pub fn along(entry: &Entry, entity: &'static Entity, world: &World, path: &[String]) -> Value {
    match path {
        [] => Value::Null,
        [last] => entry.get(last).cloned().unwrap_or_default(),
        [first, rest @ ..] => {
            let Some(way) = entity.way(first) else { return Value::Null };
            let (Some(next), Some(to)) = (world.with(way.to, way.other, &entry[way.own]).next(), of_set(way.to)) else {
                return Value::Null;
            };
            along(next, to, world, rest)
        }
    }
}

fn same(a: &Value, b: &Value) -> bool {
    a == b || order(a, b) == Some(Ordering::Equal)
}

/// Numbers by size, all else that is alike as text; nothing against null.
pub fn order(a: &Value, b: &Value) -> Option<Ordering> {
    match (a, b) {
        (Value::Number(a), Value::Number(b)) => a.as_f64()?.partial_cmp(&b.as_f64()?),
        (Value::String(a), Value::String(b)) => Some(a.cmp(b)),
        (Value::Bool(a), Value::Bool(b)) => Some(a.cmp(b)),
        _ => None,
    }
}
