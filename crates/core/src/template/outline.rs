//! The logic of a template as a nested list: conditions and repeats with what is
//! printed in them, each in words.

use serde::Serialize;

use super::Placeholder;
use super::compile::DEEPEST;
use crate::language::syntax::{Expr, ExprKind, Extent, Key, Kind, Unit};

/// One line of the outline.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Outline {
    /// Which placeholder it is, in the part's reading order.
    pub placeholder: usize,
    /// `print`, `if`, `else`, `repeat`, `set`, `clause`, `picture`, `barcode`,
    /// `signer` or `page break`.
    pub kind: &'static str,
    /// What it does, in words.
    pub words: String,
    /// What stands within.
    pub within: Vec<Outline>,
}

impl Outline {
    /// The same with its placeholders counted from another.
    pub fn moved(self, by: usize) -> Outline {
        let within = self.within.into_iter().map(|line| line.moved(by)).collect();
        Outline { placeholder: self.placeholder + by, within, ..self }
    }
}

/// The kind and the words of a placeholder.
fn words(kind: &Kind, text: &str) -> Option<(&'static str, String)> {
    let inner = text.trim_start_matches("[:").trim_end_matches(']').trim();
    let behind = |word: &str| inner.split_once(word).map_or(inner, |(_, rest)| rest).trim().to_owned();
    Some(match kind {
        Kind::Print(_) => ("print", inner.to_owned()),
        Kind::If(_) => ("if", format!("if {}", behind("if"))),
        Kind::ElseIf(_) => ("else", format!("else, if {}", behind("if"))),
        Kind::Else | Kind::KeepElse(_) => ("else", "else".to_owned()),
        Kind::Repeat(None, list) => ("repeat", format!("repeat {}", each(list, text))),
        Kind::Repeat(Some(extent), list) => ("repeat", format!("repeat {} {}", taken_whole(*extent), each(list, text))),
        Kind::Keep(extent, _) => ("if", format!("{} if {}", taken_whole(*extent), behind("if"))),
        Kind::KeepElseIf(extent, _) => ("else", format!("else {} if {}", taken_whole(*extent), behind("if"))),
        Kind::Set(setting) => ("set", format!("{} = {}", setting.name.text, behind("="))),
        Kind::Clause(name, _) => ("clause", format!("clause “{name}”")),
        Kind::Picture(..) => ("picture", format!("picture {}", behind("picture"))),
        Kind::Barcode(code) => ("barcode", format!("{} barcode of {}", code.symbology.word(), behind(" of "))),
        Kind::Signer(field) => {
            let optional = if field.optional { " (optional)" } else { "" };
            ("signer", format!("{} for {}{optional}", field.field.word(), field.role.text))
        }
        Kind::PageBreak => ("page break", "page break".to_owned()),
        Kind::End(_) | Kind::Remark => return None,
    })
}

/// What a placeholder takes whole: `row`, `3 paragraphs`.
fn taken_whole(extent: Extent) -> String {
    let unit = match extent.unit {
        Unit::Para => "paragraph",
        unit => unit.word(),
    };
    match extent.count {
        1 => unit.to_owned(),
        many => format!("{many} {unit}s"),
    }
}

/// What a list repeats for, as a person would say it: `for each line where qty > 0,
/// sorted by price, descending`.
fn each(list: &Expr, text: &str) -> String {
    let written = |expr: &Expr| text.get(expr.span.start + 2..expr.span.end + 2).unwrap_or_default().trim().to_owned();
    let ExprKind::List(own) = &list.kind else { return format!("for each {}", one_of(&written(list))) };
    let mut out = format!("for each {}", one_of(&written(&own.source)));
    if let Some(group) = &own.group {
        out = format!("for each {} of {}", written(group), written(&own.source));
    }
    if let Some(filter) = &own.filter {
        out.push_str(&format!(" where {}", written(filter)));
    }
    if !own.sort.is_empty() {
        let key = |key: &Key| format!("{}{}", written(&key.expr), if key.down { ", descending" } else { "" });
        out.push_str(&format!(", sorted by {}", own.sort.iter().map(key).collect::<Vec<_>>().join(", then ")));
    }
    if let Some(first) = &own.first {
        out.push_str(&format!(", first {}", written(first)));
    }
    out
}

/// One of a list: `line` of `lines`, `line of cases` of `cases.lines`; `item in history`
/// where the name is no plural.
fn one_of(list: &str) -> String {
    let path = |c: char| c.is_alphanumeric() || matches!(c, ' ' | '_' | '.');
    if let Some((from, last)) = list.rsplit_once('.').filter(|_| list.chars().all(path)) {
        return format!("{} of {from}", one_of(last));
    }
    let plain = list.chars().all(|c| c.is_alphanumeric() || matches!(c, ' ' | '_'));
    match list.strip_suffix('s').filter(|one| plain && one.len() > 2 && !one.ends_with(['s', 'u', 'i'])) {
        Some(one) => match one.strip_suffix("ie") {
            Some(stem) => format!("{stem}y"),
            None => one.to_owned(),
        },
        None => format!("item in {list}"),
    }
}

/// The outline of a part's placeholders; `taken` are those that take each of them whole.
pub(super) fn outline(kinds: &[Option<&Kind>], placeholders: &[Placeholder], taken: &[Vec<usize>]) -> Vec<Outline> {
    let parents = shallow(parents(kinds, taken));
    // What stands left of its row's repeat stands within it all the same: a line comes
    // where the first of what it holds is read.
    let mut first: Vec<usize> = (0..kinds.len()).collect();
    for index in 0..kinds.len() {
        let mut at = index;
        while let Some(parent) = parents[at].filter(|parent| first[*parent] > index) {
            first[parent] = index;
            at = parent;
        }
    }
    let mut within: Vec<Vec<usize>> = vec![Vec::new(); kinds.len()];
    let mut roots = Vec::new();
    let mut order: Vec<usize> = (0..kinds.len()).collect();
    order.sort_by_key(|index| (first[*index], *index));
    for index in order {
        match parents[index] {
            Some(parent) => within[parent].push(index),
            None => roots.push(index),
        }
    }
    lines(&roots, &within, kinds, placeholders)
}

fn lines(indices: &[usize], within: &[Vec<usize>], kinds: &[Option<&Kind>], placeholders: &[Placeholder]) -> Vec<Outline> {
    let line = |index: &usize| {
        let (kind, words) = words(kinds[*index]?, &placeholders[*index].text)?;
        Some(Outline { placeholder: *index, kind, words, within: lines(&within[*index], within, kinds, placeholders) })
    };
    indices.iter().filter_map(line).collect()
}

/// In which other each placeholder stands: in the innermost passage that is open, or what
/// is taken whole, whichever of the two is the inner one.
fn parents(kinds: &[Option<&Kind>], taken: &[Vec<usize>]) -> Vec<Option<usize>> {
    let holds = |outer: usize, inner: usize| taken[inner].binary_search(&outer).is_ok();
    // Of those that take one another the earlier is the outer one.
    let is_within = |inner: usize, outer: usize| holds(outer, inner) && !(holds(inner, outer) && inner < outer);
    let mut open: Vec<usize> = Vec::new();
    let mut parents = vec![None; kinds.len()];
    for (index, kind) in kinds.iter().enumerate() {
        let Some(kind) = kind else { continue };
        if matches!(kind, Kind::Else | Kind::ElseIf(_) | Kind::End(_)) {
            open.pop();
        }
        let takers = taken[index].iter().copied().filter(|taker| kinds[*taker].is_some() && is_within(index, *taker));
        let taker = takers.reduce(|one, other| if is_within(other, one) { other } else { one });
        let passage = open.iter().rev().copied().find(|passage| !holds(index, *passage));
        parents[index] = match (taker, passage) {
            (Some(taker), Some(passage)) if holds(taker, passage) => Some(passage),
            (Some(taker), _) => Some(taker),
            (None, passage) => passage,
        };
        if matches!(kind, Kind::If(_) | Kind::ElseIf(_) | Kind::Else | Kind::Repeat(None, _)) {
            open.push(index);
        }
    }
    parents
}

/// The same with no more levels than are allowed, and none in a circle.
fn shallow(parents: Vec<Option<usize>>) -> Vec<Option<usize>> {
    let above = |index: usize| std::iter::successors(parents[index], |at| parents[*at]).take(DEEPEST + 1);
    (0..parents.len()).map(|index| if above(index).count() > DEEPEST { None } else { parents[index] }).collect()
}
