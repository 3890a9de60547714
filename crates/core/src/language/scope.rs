//! Where names are looked up: the levels of a template, innermost first, each
//! with the record of its turn and the names set on it.

use std::cell::{Cell, RefCell};
use std::collections::HashMap;
use std::rc::Rc;

use rust_decimal::Decimal;

use super::context::{Context, OwnLocales};
use super::error::Fault;
use super::name::{Folded, nearest};
use super::syntax::{Expr, Name};
use super::typing::{Names, Type};
use crate::records::{Column, ColumnType, Record, Schema};
use crate::signing::{LINK, NAME, ROLE};
use crate::value::Value;

/// Which column a template's name takes: template name → column name.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Ties(HashMap<Folded, Folded>);

impl Ties {
    /// Ties by pairs of template name and column name.
    pub fn new<'a>(pairs: impl IntoIterator<Item = (&'a str, &'a str)>) -> Ties {
        let mut ties = HashMap::new();
        for (name, column) in pairs {
            let column = Folded::new(column);
            // A name may hold a point of its own, or be a path along relations.
            if name.contains('.') {
                ties.insert(Folded::path(name.split('.')), column.clone());
            }
            ties.insert(Folded::new(name), column);
        }
        Ties(ties)
    }

    /// The field that a path along relations stands for; none where it is not tied.
    fn along(&self, path: &[Name]) -> Option<&Folded> {
        if self.0.is_empty() {
            return None;
        }
        self.0.get(&Folded::path(path.iter().map(|name| name.text.as_str())))
    }

    /// The column name that a template's name stands for.
    pub fn resolve<'a>(&'a self, name: &'a Folded) -> &'a Folded {
        self.0.get(name).unwrap_or(name)
    }
}

/// Where names are looked up. Cheap to clone.
#[derive(Debug, Clone)]
pub struct Scope<'a> {
    /// The document's record.
    pub record: &'a Record,
    /// The dispatch's ties.
    pub ties: &'a Ties,
    /// The run.
    pub context: &'a Context,
    /// The locales of a joint document's records.
    own: Option<&'a OwnLocales>,
    /// The innermost level.
    level: Rc<Level>,
    /// The record fields that were read, where a trace is kept.
    reads: Option<Rc<RefCell<Vec<Read>>>>,
    /// How many values have been worked out for the record.
    steps: Rc<Cell<u64>>,
}

/// How many values may be worked out for one record.
const MOST_STEPS: u64 = 20_000_000;

/// A field that was read.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
pub struct Read {
    /// The column's name.
    pub field: String,
    /// The turn whose record it is of.
    pub turn: Option<usize>,
    /// What it holds, before any format.
    pub value: String,
}

impl std::fmt::Display for Read {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.turn {
            Some(turn) => write!(f, "{} (turn {turn})", self.field),
            None => f.write_str(&self.field),
        }
    }
}

/// How many signs of a value a trace keeps.
const SHOWN: usize = 160;

/// A document, a turn of a repeat or a clause.
#[derive(Debug, Default)]
struct Level {
    outer: Option<Rc<Level>>,
    /// The record or value of a turn; none of a document and a clause.
    turn: Option<Turn>,
    /// Names set on this level, the latest last.
    set: RefCell<Vec<(Folded, Value)>>,
    /// Names that the text of this level sets somewhere: blank until then.
    declared: RefCell<Vec<Folded>>,
}

/// One turn of a list.
#[derive(Debug, Clone)]
pub struct Turn {
    /// The record, or a plain value.
    pub value: Value,
    /// Which turn it is, from 1.
    pub number: usize,
    /// How many turns there are.
    pub count: usize,
    /// All records of the turn's group.
    pub group: Option<Value>,
    /// What `running` needs.
    running: Option<Rc<Running>>,
}

impl Turn {
    /// A turn by itself, as `where`, `sort by` and `.( )` take them.
    pub(super) fn of(value: Value, number: usize, count: usize) -> Turn {
        Turn { value, number, count, group: None, running: None }
    }
}

/// The turns of a repeat.
#[derive(Debug)]
pub struct Turns {
    items: Vec<Value>,
    groups: Option<Vec<Value>>,
    running: Rc<Running>,
}

/// Sums so far, by the place of their `running` in the template.
#[derive(Debug, Default)]
struct Running {
    items: Vec<Value>,
    sums: RefCell<HashMap<*const Expr, (usize, Value)>>,
}

impl Turns {
    pub(super) fn new(items: Vec<Value>, groups: Option<Vec<Value>>) -> Turns {
        let running = Running { items: items.clone(), sums: RefCell::default() };
        Turns { items, groups, running: Rc::new(running) }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.items.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.items.is_empty()
    }

    /// The turn of a place, from 0.
    pub fn get(&self, at: usize) -> Option<Turn> {
        let value = self.items.get(at)?.clone();
        let group = self.groups.as_ref().and_then(|g| g.get(at).cloned());
        Some(Turn { value, number: at + 1, count: self.items.len(), group, running: Some(self.running.clone()) })
    }

    pub(super) fn into_items(self) -> Vec<Value> {
        self.items
    }
}

/// Names that the language gives after all fields.
const BUILT_IN: [&str; 5] = ["today", "now", "run", "dispatch", "office"];

impl Name {
    /// Whether the language gives a value to this name when no field has it.
    pub fn is_built_in(&self) -> bool {
        !self.quoted && BUILT_IN.contains(&self.folded.as_str())
    }

    /// Whether it is what the language knows of the `document` or of the `signer`, where no field has that name.
    pub(super) fn is_of_document(&self, first: &Name) -> bool {
        let of = |name: &str, members: &[&str]| first.folded.as_str() == name && members.contains(&self.folded.as_str());
        !first.quoted && (of("document", &["link", "passcode"]) || of("signer", &["name", "role", "link"]))
    }

    /// Whether it may name the turn or group at hand, which come before fields.
    pub(super) fn is_of_the_turn(&self) -> bool {
        !self.quoted && matches!(self.folded.as_str(), "turn" | "group")
    }
}

impl<'a> Scope<'a> {
    /// The level of a document's record.
    pub fn new(record: &'a Record, ties: &'a Ties, context: &'a Context) -> Scope<'a> {
        Scope { record, ties, context, own: context.own.as_ref(), level: Rc::default(), reads: None, steps: Rc::default() }
    }

    /// Counts a step of working a value out. There is an end to them: lists within lists would
    /// take days.
    pub(super) fn step(&self) -> Result<(), Fault> {
        let steps = self.steps.get() + 1;
        self.steps.set(steps);
        if steps > MOST_STEPS { Err(Fault::TooMuch) } else { Ok(()) }
    }

    /// The level of a turn within this one, in its record's own locale in a joint document.
    pub fn turn(&self, turn: Turn) -> Scope<'a> {
        let context = self.own.and_then(|own| own.context_of(&turn.value)).unwrap_or(self.context);
        let scope = self.inner(Level { outer: Some(self.level.clone()), turn: Some(turn), ..Level::default() });
        Scope { context, ..scope }
    }

    /// The level of a clause that knows some more names.
    pub fn clause(&self, with: Vec<(Folded, Value)>) -> Scope<'a> {
        self.inner(Level { outer: Some(self.level.clone()), set: RefCell::new(with), ..Level::default() })
    }

    /// How many clauses this stands within.
    pub fn clauses_deep(&self) -> usize {
        self.levels().filter(|l| l.turn.is_none() && l.outer.is_some()).count()
    }

    fn inner(&self, level: Level) -> Scope<'a> {
        Scope { level: Rc::new(level), ..self.clone() }
    }

    /// Sets a name on this level; it replaces an earlier one of the name.
    pub fn set(&self, name: &Name, value: Value) {
        self.level.set.borrow_mut().push((name.folded.clone(), value));
    }

    /// Keeps note of the fields that are read from here on.
    pub fn traced(mut self) -> Scope<'a> {
        self.reads = Some(Rc::default());
        self
    }

    /// The fields that were read since this was asked last.
    pub fn take_reads(&self) -> Vec<Read> {
        self.reads.as_ref().map(|reads| std::mem::take(&mut *reads.borrow_mut())).unwrap_or_default()
    }

    /// The levels from this one outwards.
    fn levels(&self) -> impl Iterator<Item = &Level> {
        std::iter::successors(Some(&*self.level), |level| level.outer.as_deref())
    }

    /// The turn at hand.
    fn at_turn(&self) -> Option<&Turn> {
        self.levels().find_map(|level| level.turn.as_ref())
    }

    /// The record of the innermost turn over the list that the outermost is over: of a
    /// group's records, too.
    pub(crate) fn record_of_the_turn(&self) -> Option<&Record> {
        let turns = || {
            self.levels().filter_map(|level| match &level.turn {
                Some(Turn { value: Value::Record(record), .. }) => Some(&**record),
                _ => None,
            })
        };
        let outermost = turns().last()?;
        turns().find(|record| std::ptr::eq(record.schema(), outermost.schema()))
    }

    /// What a name holds, the search starting so many levels further out: a name
    /// that was set, or a field, whatever it holds.
    pub(super) fn find(&self, name: &Folded, outer: usize) -> Option<Value> {
        let tied = self.ties.resolve(name);
        let mut skip = outer;
        for level in self.levels() {
            let root = level.outer.is_none();
            if skip == 0 {
                if let Some((_, value)) = level.set.borrow().iter().rev().find(|(own, _)| own == name) {
                    return Some(value.clone());
                }
                let record = match &level.turn {
                    Some(Turn { value: Value::Record(record), .. }) => Some(&**record),
                    None if root => Some(self.record),
                    _ => None,
                };
                if let Some((column, value)) = record.and_then(|r| r.field(tied).or_else(|| r.field(name))) {
                    self.note(column, value, level);
                    return Some(value.clone());
                }
            } else if level.turn.is_some() {
                skip -= 1;
            }
        }
        self.levels().any(|level| level.declared.borrow().contains(name)).then_some(Value::Blank)
    }

    /// Names that a text sets: blank where none of its settings was reached.
    pub(crate) fn declare<'n>(&self, names: impl Iterator<Item = &'n Folded>) {
        self.level.declared.borrow_mut().extend(names.cloned());
    }

    fn note(&self, column: &Column, value: &Value, level: &Level) {
        if let Some(reads) = &self.reads {
            let value = match value {
                Value::List(items) => format!("{} items", items.len()),
                Value::Record(_) => "a record".to_owned(),
                Value::Misfit(misfit) => misfit.text.clone(),
                plain => super::plain(plain, &self.context.locale).unwrap_or_default(),
            };
            let value = value.chars().take(SHOWN).collect();
            let read = Read { field: column.name.clone(), turn: level.turn.as_ref().map(|t| t.number), value };
            let mut reads = reads.borrow_mut();
            if !reads.contains(&read) {
                reads.push(read);
            }
        }
    }

    /// The value of a name as it stands by itself.
    pub(super) fn name(&self, name: &Name) -> Result<Value, Fault> {
        if !name.quoted
            && name.folded.as_str() == "group"
            && let Some(group) = self.at_turn().and_then(|turn| turn.group.clone())
        {
            return Ok(group);
        }
        match self.find(&name.folded, 0) {
            Some(Value::Misfit(misfit)) => Err(Fault::from(misfit.as_ref())),
            Some(value) => Ok(value),
            None if name.quoted => Err(self.unknown(name)),
            None => match name.folded.as_str() {
                "today" => Ok(Value::Date(self.context.clock.now.date())),
                "now" => Ok(Value::DateTime(self.context.clock.now)),
                _ => Err(self.unknown(name)),
            },
        }
    }

    /// `outer.name`
    pub(super) fn outer(&self, levels: usize, name: &Name) -> Result<Value, Fault> {
        self.find(&name.folded, levels).ok_or_else(|| self.unknown(name))
    }

    /// `turn.number` and its kin, which come before fields.
    pub(super) fn of_the_turn(&self, first: &Name, name: &Name) -> Option<Value> {
        if first.quoted || first.folded.as_str() != "turn" {
            return None;
        }
        let turn = self.at_turn()?;
        Some(match name.folded.as_str() {
            "number" => Value::Number(turn.number.into()),
            "count" => Value::Number(turn.count.into()),
            "first" => Value::Bool(turn.number == 1),
            "last" => Value::Bool(turn.number == turn.count),
            "value" => turn.value.clone(),
            _ => return None,
        })
    }

    /// `run.number` and its kin, where no field has the first name.
    pub(super) fn built_in_member(&self, first: &Name, name: &Name) -> Option<Value> {
        if !(first.is_built_in() || name.is_of_document(first)) || self.find(&first.folded, 0).is_some() {
            return None;
        }
        let context = self.context;
        Some(match (first.folded.as_str(), name.folded.as_str()) {
            ("run", "number") => Value::Number(context.run_number.into()),
            ("run", "count") => Value::Number(context.run_count.into()),
            ("dispatch", "name") => Value::text(&context.dispatch),
            ("office", "name") => Value::text(&context.office.name),
            ("office", "email") => Value::text(&context.office.email),
            ("document", "link") => Value::text(&context.link.as_ref()?.address),
            ("signer", "name") if context.signing => Value::text(NAME),
            ("signer", "role") if context.signing => Value::text(ROLE),
            ("signer", "link") if context.signing => Value::text(LINK),
            ("document", "passcode") => Value::text(&context.link.as_ref()?.passcode),
            _ => return None,
        })
    }

    /// Whether a name is a column of dates, where it is looked up.
    pub(super) fn is_date_column(&self, name: &Name) -> bool {
        let of = |record: &Record| {
            let column = record.schema().column(self.ties.resolve(&name.folded)).or_else(|| record.schema().column(&name.folded));
            column.map(|c| c.kind == ColumnType::Date)
        };
        self.levels()
            .find_map(|level| match &level.turn {
                Some(Turn { value: Value::Record(record), .. }) => of(record),
                _ => None,
            })
            .or_else(|| of(self.record))
            .unwrap_or(false)
    }

    /// The field that a path along relations is tied to.
    pub(super) fn tied_along(&self, path: &[Name]) -> Option<Name> {
        let tied = self.ties.along(path)?;
        Some(Name { text: path.last()?.text.clone(), folded: tied.clone(), quoted: true })
    }

    /// The type of an expression, as the columns around it tell.
    pub(super) fn type_of(&self, expr: &Expr) -> Option<Type> {
        let turns = self.levels().filter_map(|level| match &level.turn {
            Some(Turn { value: Value::Record(record), .. }) => Some(record.schema()),
            _ => None,
        });
        let mut levels: Vec<&Schema> = turns.chain([self.record.schema()]).collect();
        levels.reverse();
        Names { levels, ties: self.ties }.of(expr)
    }

    fn unknown(&self, name: &Name) -> Fault {
        let turns = self.levels().filter_map(|level| match &level.turn {
            Some(Turn { value: Value::Record(record), .. }) => Some(&**record),
            _ => None,
        });
        let columns = turns.chain([self.record]).flat_map(|r| r.schema().columns());
        Fault::UnknownName { name: name.text.clone(), nearest: nearest(&name.text, columns.map(|c| c.name.as_str())) }
    }

    /// The sum of an expression over the turns so far of the nearest repeat; each
    /// turn adds its own to the sum of the last.
    pub(super) fn running(
        &self,
        expr: &Expr,
        add: impl Fn(Value, Value) -> Result<Value, super::EvalError>,
    ) -> Result<Value, super::EvalError> {
        let Some(level) = self.levels().find(|l| l.turn.as_ref().is_some_and(|t| t.running.is_some())) else {
            let fault = Fault::Function { function: "running", why: "use it inside a repeat".into() };
            return Err(super::EvalError { span: expr.span, fault });
        };
        let (Some(turn), Some(outer)) = (&level.turn, &level.outer) else { unreachable!("a turn has a level around it") };
        let Some(running) = &turn.running else { unreachable!("found by it") };
        let known = running.sums.borrow().get(&std::ptr::from_ref(expr)).filter(|(upto, _)| *upto <= turn.number).cloned();
        let (from, mut sum) = known.unwrap_or((0, Value::Blank));
        for (at, item) in running.items.iter().enumerate().take(turn.number).skip(from) {
            let around = Scope { level: outer.clone(), ..self.clone() };
            let one = around.turn(Turn::of(item.clone(), at + 1, turn.count)).value(expr)?;
            sum = if sum == Value::Blank { one } else { add(sum, one)? };
        }
        running.sums.borrow_mut().insert(std::ptr::from_ref(expr), (turn.number, sum.clone()));
        Ok(match sum {
            Value::Blank => Value::Number(Decimal::ZERO),
            sum => sum,
        })
    }
}
