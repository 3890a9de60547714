//! Ties: names tie themselves where they are the same but for case, spaces, `_`
//! and `-`; for the rest the likeliest columns are offered first.

use std::collections::BTreeMap;

use serde::Serialize;

use crate::language::Folded;
use crate::language::syntax::Name;
use crate::records::Schema;
use crate::template::Placeholder;

/// A name that a template uses, and how often.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct NameUse {
    /// The name as first written.
    pub name: String,
    /// How many placeholders use it.
    pub uses: usize,
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
pub fn name_uses<'a>(placeholders: impl IntoIterator<Item = &'a Placeholder>) -> Vec<NameUse> {
    let mut found: Vec<(Folded, NameUse)> = Vec::new();
    for name in placeholders.into_iter().flat_map(|p| &p.names) {
        let folded = Folded::new(name);
        match found.iter_mut().find(|(known, _)| *known == folded) {
            Some((_, known)) => known.uses += 1,
            None => found.push((folded, NameUse { name: name.clone(), uses: 1 })),
        }
    }
    found.into_iter().map(|(_, name)| name).collect()
}

/// How each name is tied. Names that the language gives itself are left out
/// where no column hides them.
pub fn tie_states(names: &[NameUse], schema: &Schema, by_hand: &BTreeMap<String, String>) -> Vec<TieState> {
    let chosen: BTreeMap<Folded, &String> = by_hand.iter().map(|(name, column)| (Folded::new(name), column)).collect();
    names
        .iter()
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
        let names: Vec<NameUse> = names.iter().map(|n| NameUse { name: (*n).into(), uses: 1 }).collect();
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
