//! Ties: names tie themselves where they are the same but for case, spaces, `_`
//! and `-`; for the rest the likeliest columns are offered first.

use std::collections::BTreeMap;

use serde::Serialize;

use crate::language::Folded;
use crate::language::syntax::Name;
use crate::records::Schema;
use crate::template::{NameUse, Placeholder};

/// A name that a template uses, and how often.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct UsedName {
    /// The name as first written; along a relation the whole path.
    pub name: String,
    /// The names along its relations, its own first.
    pub path: Vec<String>,
    /// How many placeholders use it.
    pub uses: usize,
    /// The lists that it is looked up in first, at each use.
    pub within: Vec<Vec<Option<Vec<String>>>>,
}

/// How one name of the template is tied.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct TieState {
    /// The template's name.
    pub name: String,
    /// How many placeholders use it.
    pub uses: usize,
    /// The column it takes; `None` while it is open.
    pub column: Option<String>,
    /// Whether a person chose the column.
    pub by_hand: bool,
    /// The list, or the record along a relation, whose field it is; none of the document's
    /// own record.
    pub of: Option<String>,
    /// For an open name, the columns by likeness, likeliest first.
    pub likeliest: Vec<String>,
}

/// The names that placeholders use, in reading order, each once; a path along a relation
/// beside the name that it begins with.
pub fn name_uses<'a>(placeholders: impl IntoIterator<Item = &'a Placeholder>) -> Vec<UsedName> {
    let mut found: Vec<(Folded, UsedName)> = Vec::new();
    let mut note = |path: Vec<String>, within: &Vec<Option<Vec<String>>>| {
        let folded = Folded::path(path.iter().map(String::as_str));
        match found.iter_mut().find(|(known, _)| *known == folded) {
            Some((_, known)) => {
                known.uses += 1;
                if !known.within.contains(within) {
                    known.within.push(within.clone());
                }
            }
            None => found.push((folded, UsedName { name: path.join("."), path, uses: 1, within: vec![within.clone()] })),
        }
    };
    for NameUse { name, rest, within, .. } in placeholders.into_iter().filter(|p| !p.again).flat_map(|p| &p.names) {
        note(vec![name.clone()], within);
        if !rest.is_empty() {
            note(std::iter::once(name).chain(rest).cloned().collect(), within);
        }
    }
    found.into_iter().map(|(_, name)| name).collect()
}

/// How each name is tied. Names that the language gives itself are left out
/// where no column hides them, those that the lists around them have, and paths that lead
/// to a field.
pub fn tie_states(names: &[UsedName], schema: &Schema, by_hand: &BTreeMap<String, String>) -> Vec<TieState> {
    let chosen: BTreeMap<Folded, &String> = by_hand.iter().map(|(name, column)| (Folded::new(name), column)).collect();
    names
        .iter()
        .filter_map(|used| {
            let hand = chosen.get(&Folded::new(&used.name)).map(|column| Folded::new(column));
            match used.path.as_slice() {
                [_] | [] => by_itself(used, schema, hand),
                [base @ .., last] => along(used, base, last, schema, hand),
            }
        })
        .collect()
}

/// A name that is looked up by itself: in the lists around it, then in the record.
fn by_itself(used: &UsedName, schema: &Schema, hand: Option<Folded>) -> Option<TieState> {
    let folded = Folded::new(&used.name);
    if used.within.iter().all(|within| is_of_a_list(&used.name, within, schema)) && hand.is_none() {
        return None;
    }
    // The levels of the use that finds least.
    let levels = |within: &Vec<Option<Vec<String>>>| schema.levels(within).unwrap_or_else(|| vec![schema]);
    let find = |name: &Folded, within| levels(within).into_iter().rev().find_map(|level| level.column(name));
    let everywhere = |name: &Folded| {
        let mut found = used.within.iter().map(|within| find(name, within).map(|c| c.name.clone()));
        found.next().filter(|_| used.within.iter().all(|within| find(name, within).is_some())).flatten()
    };
    let by_hand = hand.as_ref().and_then(everywhere);
    let own = everywhere(&folded);
    let is_by_hand = by_hand.is_some();
    let column = by_hand.or(own);
    if column.is_none() && Name::new(used.name.clone(), false).is_built_in() {
        return None;
    }
    let open = used.within.iter().find(|within| find(&folded, within).is_none()).or(used.within.first());
    let (likeliest, of) = match (&column, open) {
        (None, Some(within)) => {
            let lists = within.iter().flatten().last().map(|path| path.join("."));
            // The fields of the innermost list come before those around it.
            let near = levels(within).into_iter().rev().flat_map(|level| likeliest(&used.name, level));
            let mut known = std::collections::HashSet::new();
            (near.filter(|name| known.insert(Folded::new(name))).collect(), lists)
        }
        _ => (Vec::new(), None),
    };
    Some(TieState { name: used.name.clone(), uses: used.uses, column, by_hand: is_by_hand, of, likeliest })
}

/// A field along a relation, where the record that is reached has no such field.
fn along(used: &UsedName, base: &[String], last: &str, schema: &Schema, hand: Option<Folded>) -> Option<TieState> {
    let within = used.within.first()?;
    let mut names = base.iter().map(|name| Folded::new(name));
    let first = names.next()?;
    let column = schema.levels(within)?.into_iter().rev().find_map(|level| level.column(&first))?;
    let inner = names.try_fold(column.inner.as_deref()?, |schema, name| schema.column(&name)?.inner.as_deref())?;
    let by_hand = hand.and_then(|name| inner.column(&name)).map(|c| c.name.clone());
    if inner.column(&Folded::new(last)).is_some() && by_hand.is_none() {
        return None;
    }
    let likeliest = if by_hand.is_none() { likeliest(last, inner) } else { Vec::new() };
    let is_by_hand = by_hand.is_some();
    Some(TieState { name: used.name.clone(), uses: used.uses, column: by_hand, by_hand: is_by_hand, of: Some(base.join(".")), likeliest })
}

/// Whether a name is a field of one of the lists that it stands within. Where a
/// list itself can't be followed, its names can't be told and are left alone.
fn is_of_a_list(name: &str, within: &[Option<Vec<String>>], schema: &Schema) -> bool {
    let Some(levels) = schema.levels(within) else { return true };
    let folded = Folded::new(name);
    let of_the_turn = !within.is_empty() && ["turn", "group"].contains(&folded.as_str());
    of_the_turn || levels[1..].iter().any(|level| level.index(&folded).is_some())
}

/// The columns by likeness to a name: shared words count most, then spelling.
fn likeliest(name: &str, schema: &Schema) -> Vec<String> {
    let wanted = words(name);
    let mut scored: Vec<(f64, &str)> = schema
        .columns()
        .iter()
        .map(|column| {
            let own = words(&column.name);
            let shared = wanted
                .iter()
                .filter(|w| own.iter().any(|o| o == *w || (w.len() > 3 && (o.starts_with(*w) || w.starts_with(o.as_str())))))
                .count();
            let overlap = shared as f64 / wanted.len().max(own.len()).max(1) as f64;
            let spelling = strsim::jaro_winkler(Folded::new(name).as_str(), Folded::new(&column.name).as_str());
            (overlap + spelling * 0.7, column.name.as_str())
        })
        .collect();
    scored.sort_by(|a, b| b.0.total_cmp(&a.0));
    scored.into_iter().map(|(_, name)| name.to_owned()).collect()
}

fn words(name: &str) -> Vec<String> {
    name.to_lowercase().split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty()).map(str::to_owned).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::records::{Column, ColumnType};

    fn schema() -> Schema {
        let names = ["Ref", "Last_Name", "Yearly fee", "Due date", "E-mail", "Home phone"];
        Schema::new(names.map(|n| Column::new(n, ColumnType::Text)).to_vec()).expect("schema")
    }

    fn states(names: &[&str], by_hand: &[(&str, &str)]) -> Vec<TieState> {
        let names: Vec<UsedName> =
            names.iter().map(|n| UsedName { name: (*n).into(), path: vec![(*n).into()], uses: 1, within: vec![Vec::new()] }).collect();
        let by_hand = by_hand.iter().map(|(n, c)| ((*n).to_owned(), (*c).to_owned())).collect();
        tie_states(&names, &schema(), &by_hand)
    }

    #[test]
    fn names_alike_but_for_case_and_dashes_tie_themselves() {
        let found = states(&["ref", "last name", "EMAIL", "today"], &[]);
        let columns: Vec<_> = found.iter().map(|s| s.column.as_deref()).collect();
        assert_eq!(columns, [Some("Ref"), Some("Last_Name"), Some("E-mail")]);
    }

    #[test]
    fn names_of_the_lists_around_them_need_no_tie() {
        let lines = Schema::new(["Section", "Qty"].map(|n| Column::new(n, ColumnType::Text)).to_vec()).expect("lines");
        let mut columns = vec![Column::new("Ref", ColumnType::Text)];
        columns.push(Column { inner: Some(lines.into()), ..Column::new("Lines", ColumnType::List) });
        let schema = Schema::new(columns).expect("schema");
        let used = |name: &str, within: &[&str]| {
            let within = within.iter().map(|path| Some(path.split('.').map(str::to_owned).collect())).collect();
            UsedName { name: name.into(), path: vec![name.into()], uses: 1, within: vec![within] }
        };
        let names = [used("lines", &[]), used("qty", &["lines"]), used("ref", &["lines"]), used("price", &["lines"]), used("qty", &[])];
        let found: Vec<_> = tie_states(&names, &schema, &BTreeMap::new()).into_iter().map(|s| (s.name, s.column.is_some())).collect();
        let expected = [("lines", true), ("ref", true), ("price", false), ("qty", false)];
        assert_eq!(found, expected.map(|(name, tied)| (name.to_owned(), tied)));
        assert!(tie_states(&[used("x", &["nothing"])], &schema, &BTreeMap::new()).is_empty());
    }

    #[test]
    fn names_within_lists_and_along_relations_are_tied_to_the_fields_there() {
        let text = |names: &[&str]| Schema::new(names.iter().map(|n| Column::new(n, ColumnType::Text)).collect()).expect("names");
        let mut columns = vec![Column::new("Discount", ColumnType::Percent), Column::new("Medium", ColumnType::Text)];
        columns.push(Column { inner: Some(text(&["Instrument", "Teacher"]).into()), ..Column::new("Enrolments", ColumnType::List) });
        columns.push(Column { inner: Some(text(&["Name", "Boat type"]).into()), ..Column::new("Vessel", ColumnType::Record) });
        let schema = Schema::new(columns).expect("schema");
        let template =
            crate::template::TextTemplate::new("[:repeat for enrolments][: instrumnt][: teacher][:end] [: vessel.type] [: vessel.name]");
        let names = name_uses(template.placeholders());
        type Told = (String, Option<String>, Option<String>, Option<String>);
        let open = |by_hand: &[(&str, &str)]| -> Vec<Told> {
            let by_hand = by_hand.iter().map(|(n, c)| ((*n).to_owned(), (*c).to_owned())).collect();
            let states = tie_states(&names, &schema, &by_hand).into_iter().filter(|s| !["enrolments", "vessel"].contains(&s.name.as_str()));
            states.map(|s| (s.name, s.of, s.column, s.likeliest.into_iter().next())).collect()
        };
        let owned = |text: &str| Some(text.to_owned());
        assert_eq!(
            open(&[]),
            [
                ("instrumnt".to_owned(), owned("enrolments"), None, owned("Instrument")),
                ("vessel.type".to_owned(), owned("vessel"), None, owned("Boat type")),
            ]
        );
        let tied = open(&[("instrumnt", "Instrument"), ("vessel.type", "Boat type")]);
        assert_eq!(tied.iter().map(|t| t.2.as_deref()).collect::<Vec<_>>(), [Some("Instrument"), Some("Boat type")]);
    }

    #[test]
    fn the_likeliest_column_is_offered_first() {
        let found = states(&["fee per year", "due", "telephone at home"], &[]);
        let first: Vec<_> = found.iter().map(|s| s.likeliest[0].as_str()).collect();
        assert_eq!(first, ["Yearly fee", "Due date", "Home phone"]);
    }

    #[test]
    fn a_tie_by_hand_wins_and_one_to_a_lost_column_is_open_again() {
        assert_eq!(states(&["due"], &[("Due", "Due date")])[0].column.as_deref(), Some("Due date"));
        let lost = &states(&["due"], &[("due", "Deadline")])[0];
        assert_eq!((lost.column.as_deref(), lost.by_hand), (None, false));
    }
}
