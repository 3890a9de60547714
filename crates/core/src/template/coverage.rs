//! Coverage: the ways that filling a template can go, and which of them records
//! took.

use std::collections::HashMap;

use serde::Serialize;

use super::Traced;
use super::program::Site;
use crate::language::syntax::{ExprKind, Kind};

/// A way that filling can go at one placeholder.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize)]
pub struct Way {
    /// The placeholder that the choice is made at.
    pub placeholder: usize,
    /// The placeholder that the way begins with: its `else`, say.
    pub begins: usize,
    /// What was chosen.
    pub took: Took,
    /// The alternative as it is written.
    pub written: Option<String>,
}

/// What was chosen at a placeholder.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Took {
    /// A branch of a condition, from 0.
    Branch(usize),
    /// No branch of a condition without `else`.
    NoBranch,
    /// A list with turns.
    Turns,
    /// A list without.
    NoTurns,
    /// An alternative of a value, from 0.
    Alternative(usize),
    /// None of its alternatives: it was blank.
    Blank,
}

impl Way {
    /// The same with its placeholders counted from another.
    pub fn moved(self, by: usize) -> Way {
        Way { placeholder: self.placeholder + by, begins: self.begins + by, ..self }
    }
}

/// The ways through a condition, `keep` or `repeat` with these branches.
pub(super) fn of_block(branches: &[Option<usize>], sites: &[Site]) -> Vec<Way> {
    let Some(first) = branches.first().copied().flatten() else { return Vec::new() };
    let placeholder = sites[first].index;
    if let Kind::Repeat(..) = sites[first].kind {
        return [Took::Turns, Took::NoTurns].map(|took| Way { placeholder, begins: placeholder, took, written: None }).into();
    }
    let mut ways: Vec<Way> = Vec::new();
    for (at, branch) in branches.iter().enumerate() {
        let begins = branch.map_or(placeholder, |site| sites[site].index);
        ways.push(Way { placeholder, begins, took: Took::Branch(at), written: None });
    }
    if branches.iter().all(Option::is_some) {
        ways.push(Way { placeholder, begins: placeholder, took: Took::NoBranch, written: None });
    }
    ways
}

/// The ways of a printed value with alternatives.
pub(super) fn of_site(site: &Site) -> Vec<Way> {
    let Kind::Print(expr) = &site.kind else { return Vec::new() };
    let ExprKind::Print(parts) = &expr.kind else { return Vec::new() };
    if parts.len() < 2 {
        return Vec::new();
    }
    let inner = site.placeholder.text.get(2..).unwrap_or_default();
    let way = |took, written| Way { placeholder: site.index, begins: site.index, took, written };
    let alternatives = parts.iter().enumerate();
    let mut ways: Vec<Way> = alternatives
        .map(|(at, part)| way(Took::Alternative(at), inner.get(part.expr.span.start..part.expr.span.end).map(str::to_owned)))
        .collect();
    if !matches!(parts.last().map(|p| &p.expr.kind), Some(ExprKind::Literal(_))) {
        ways.push(way(Took::Blank, None));
    }
    ways
}

/// How often each way was taken.
#[derive(Debug)]
pub struct Coverage {
    ways: Vec<Taken>,
    index: HashMap<(usize, Took), usize>,
}

/// A way and the records that took it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Taken {
    /// The way.
    pub way: Way,
    /// How many records took it.
    pub records: usize,
    /// The first of them.
    pub first: Option<usize>,
}

impl Coverage {
    /// No way taken yet.
    pub fn new(ways: impl IntoIterator<Item = Way>) -> Coverage {
        let ways: Vec<Taken> = ways.into_iter().map(|way| Taken { way, records: 0, first: None }).collect();
        let index = ways.iter().enumerate().map(|(at, t)| ((t.way.placeholder, t.way.took), at)).collect();
        Coverage { ways, index }
    }

    /// Counts the ways that a record took.
    pub fn take(&mut self, trace: &[Traced], record: usize) {
        let mut own: Vec<usize> = trace.iter().filter_map(|t| self.index.get(&(t.placeholder, t.chose?)).copied()).collect();
        own.sort_unstable();
        own.dedup();
        for at in own {
            self.ways[at].records += 1;
            self.ways[at].first.get_or_insert(record);
        }
    }

    /// All ways, in reading order.
    pub fn ways(&self) -> &[Taken] {
        &self.ways
    }
}
