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
    /// The name as first written.
    pub name: String,
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
    /// For an open name, the columns by likeness, likeliest first.
    pub likeliest: Vec<String>,
}

/// The names that placeholders use, in reading order, each once.
pub fn name_uses<'a>(placeholders: impl IntoIterator<Item = &'a Placeholder>) -> Vec<UsedName> {
    let mut found: Vec<(Folded, UsedName)> = Vec::new();
    for NameUse { name, within, .. } in placeholders.into_iter().filter(|p| !p.again).flat_map(|p| &p.names) {
        let folded = Folded::new(name);
        match found.iter_mut().find(|(known, _)| *known == folded) {
            Some((_, known)) => {
                known.uses += 1;
                if !known.within.contains(within) {
                    known.within.push(within.clone());
                }
            }
            None => found.push((folded, UsedName { name: name.clone(), uses: 1, within: vec![within.clone()] })),
        }
    }
    found.into_iter().map(|(_, name)| name).collect()
}

/// How each name is tied. Names that the language gives itself are left out
/// where no column hides them, and those that the lists around them have.
pub fn tie_states(names: &[UsedName], schema: &Schema, by_hand: &BTreeMap<String, String>) -> Vec<TieState> {
    let chosen: BTreeMap<Folded, &String> = by_hand.iter().map(|(name, column)| (Folded::new(name), column)).collect();
    names
        .iter()
        .filter(|name| !name.within.iter().all(|within| is_of_a_list(&name.name, within, schema)))
        .filter_map(|name| {
            let folded = Folded::new(&name.name);
            let hand = chosen.get(&folded).and_then(|column| schema.column(&Folded::new(column)));
            let column = hand.or_else(|| schema.column(&folded)).map(|c| c.name.clone());
            if column.is_none() && Name::new(name.name.clone(), false).is_built_in() {
                return None;
            }
            let likeliest = if column.is_none() { likeliest(&name.name, schema) } else { Vec::new() };
            Some(TieState { name: name.name.clone(), uses: name.uses, column, by_hand: hand.is_some(), likeliest })
        })
        .collect()
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
        let names: Vec<UsedName> = names.iter().map(|n| UsedName { name: (*n).into(), uses: 1, within: vec![Vec::new()] }).collect();
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
            UsedName { name: name.into(), uses: 1, within: vec![within] }
        };
        let names = [used("lines", &[]), used("qty", &["lines"]), used("ref", &["lines"]), used("price", &["lines"]), used("qty", &[])];
        let found: Vec<_> = tie_states(&names, &schema, &BTreeMap::new()).into_iter().map(|s| (s.name, s.column.is_some())).collect();
        let expected = [("lines", true), ("ref", true), ("price", false), ("qty", false)];
        assert_eq!(found, expected.map(|(name, tied)| (name.to_owned(), tied)));
        assert!(tie_states(&[used("x", &["nothing"])], &schema, &BTreeMap::new()).is_empty());
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
