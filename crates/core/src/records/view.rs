//! A look at a sheet: which rows, in which order.

use std::cmp::Ordering;
use std::collections::HashMap;

use icu_normalizer::DecomposingNormalizer;
use jiff::civil::Date;

use super::{Filter, Record, Sheet, sample};
use crate::language::{Context, total_order};
use crate::value::{Locale, Value};

/// Which cells that do not fit their column's type a look is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Misfits {
    /// Those of any column.
    Any,
    /// Those of one.
    Of(usize),
}

/// A look at a sheet.
#[derive(Debug, Default)]
pub struct View<'a> {
    /// The condition that rows must pass.
    pub filter: Option<&'a Filter>,
    /// A text that must be in one of a row's cells.
    pub find: &'a str,
    /// Whether it is looked for in this many of the first columns alone, and in the records within
    /// them too, whatever a cell shows of them.
    pub inside: Option<usize>,
    /// Only rows with such cells.
    pub misfits: Option<Misfits>,
    /// The columns to sort by, the first first, and whether its greatest comes first.
    pub sort: &'a [(usize, bool)],
}

impl View<'_> {
    /// The first rows of the sheet that it takes, so many at most, in the sheet's own order: what is
    /// after them is not looked at.
    pub fn first(&self, sheet: &Sheet, context: &Context, most: usize) -> Vec<usize> {
        let mut finder = Finder::new(self.find);
        let misfit = |value: &Value| matches!(value, Value::Misfit(_));
        let mut chosen = |record: &Record| {
            let values = record.values();
            let fits = match self.misfits {
                None => true,
                Some(Misfits::Any) => values.iter().any(misfit),
                Some(Misfits::Of(at)) => values.get(at).is_some_and(misfit),
            };
            fits && self.filter.is_none_or(|f| f.passes(record, context).unwrap_or(false)) && finder.finds(values, self.inside)
        };
        (0..sheet.records.len()).filter(|at| chosen(&sheet.records[*at])).take(most).collect()
    }

    /// The rows, as places in the sheet's records.
    pub fn rows(&self, sheet: &Sheet, context: &Context) -> Vec<usize> {
        let mut rows = self.first(sheet, context, usize::MAX);
        let sort: Vec<(usize, bool)> = self.sort.iter().copied().filter(|(at, _)| *at < sheet.schema.columns().len()).collect();
        if sort.is_empty() {
            return rows;
        }
        // Texts are laid down once in a form that is quick to compare.
        let key =
            |at: usize| -> Vec<Key<'_>> { sort.iter().map(|(by, _)| Key::of(&sheet.records[at].values()[*by], &context.locale)).collect() };
        let mut keyed: Vec<(usize, Vec<Key<'_>>)> = rows.iter().map(|at| (*at, key(*at))).collect();
        keyed.sort_by(|(_, a), (_, b)| {
            let pairs = a.iter().zip(b).zip(&sort);
            pairs.map(|((a, b), (_, down))| a.against(b, *down, &context.locale)).find(|o| o.is_ne()).unwrap_or(Ordering::Equal)
        });
        rows.clear();
        rows.extend(keyed.into_iter().map(|(at, _)| at));
        rows
    }
}

/// A value as it is sorted by.
struct Key<'v> {
    /// Values first, then what does not fit, blanks last: both ways.
    rank: u8,
    value: &'v Value,
    /// Of a text, in the order of the locale.
    text: Option<Vec<u8>>,
}

impl<'v> Key<'v> {
    fn of(value: &'v Value, locale: &Locale) -> Key<'v> {
        let rank = if value.is_blank() { 2 } else { u8::from(matches!(value, Value::Misfit(_))) };
        let text = match value {
            Value::Text(text) if rank == 0 => Some(locale.sort_key(text)),
            _ => None,
        };
        Key { rank, value, text }
    }

    fn against(&self, other: &Key<'_>, down: bool, locale: &Locale) -> Ordering {
        self.rank.cmp(&other.rank).then_with(|| {
            let order = match (&self.text, &other.text) {
                (Some(a), Some(b)) => a.cmp(b),
                _ => total_order(self.value, other.value, false, locale),
            };
            if down { order.reverse() } else { order }
        })
    }
}

/// The first value of a record that a text is found in, as it is shown.
pub fn holding(record: &Record, find: &str) -> Option<String> {
    let mut finder = Finder::new(find);
    record.values().iter().find(|value| finder.within(value)).map(shown)
}

/// Finds a text in values as they are shown.
struct Finder {
    /// In lowercase.
    find: String,
    /// Whether a number may show it.
    in_numbers: bool,
    /// Days that were asked about: they come again and again.
    days: HashMap<Date, bool>,
}

impl Finder {
    fn new(find: &str) -> Finder {
        let find = bare(find.trim());
        let in_numbers = find.chars().all(|c| c.is_ascii_digit() || "-.,".contains(c));
        Finder { find, in_numbers, days: HashMap::new() }
    }

    fn finds(&mut self, values: &[Value], inside: Option<usize>) -> bool {
        let some = match inside {
            Some(count) => values.get(..count).unwrap_or(values),
            None => values,
        };
        self.find.is_empty() || some.iter().any(|value| self.within(value) || (inside.is_some() && self.deep(value)))
    }

    /// Whether a record within a record holds it.
    fn deep(&mut self, value: &Value) -> bool {
        match value {
            Value::List(items) => items.iter().any(|item| self.deep(item) || self.within(item)),
            Value::Record(record) => record.values().iter().any(|own| self.deep(own) || self.within(own)),
            _ => false,
        }
    }

    fn within(&mut self, value: &Value) -> bool {
        let find = &self.find;
        let holds = |text: &str| match text.is_ascii() {
            true => text.as_bytes().windows(find.len()).any(|w| w.eq_ignore_ascii_case(find.as_bytes())),
            false => bare(text).contains(find.as_str()),
        };
        match value {
            Value::Blank => false,
            Value::Text(text) => holds(text),
            Value::Misfit(misfit) => holds(&misfit.text),
            Value::Number(_) | Value::Percent(_) | Value::Money(_) if !self.in_numbers => false,
            Value::Date(day) => match self.days.get(day) {
                Some(known) => *known,
                None => {
                    let found = holds(&shown(value));
                    self.days.insert(*day, found);
                    found
                }
            },
            other => holds(&shown(other)),
        }
    }
}

/// A text in lowercase without accents: who looks for “mull” finds Müller.
fn bare(text: &str) -> String {
    if text.is_ascii() {
        return text.to_ascii_lowercase();
    }
    let parted = DecomposingNormalizer::new_nfkd().normalize(&text.to_lowercase()).into_owned();
    parted.chars().filter(|c| !('\u{300}'..='\u{36f}').contains(c)).collect()
}

/// A value as a table shows it.
pub fn shown(value: &Value) -> String {
    let english = Locale::english();
    match value {
        Value::Money(money) => english.number(money.amount, money.currency.places(), money.currency.places(), true),
        other => sample(other, &english),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::records::from_json;

    fn rows(view: View<'_>) -> Vec<usize> {
        let json = serde_json::json!([
            { "Berth": "A10", "Since": "2019-04-01", "Balance": 480.5 },
            { "Berth": "a2", "Since": "2019-04-01", "Balance": 12 },
            { "Berth": "", "Since": "2020-01-01", "Balance": "?" },
            { "Berth": "Möwe", "Since": null, "Balance": 7 },
            { "Berth": "B1", "Since": "2018-01-01", "Balance": 7 }
        ]);
        let sheet = from_json("holders", &json).expect("holders");
        let context = Context::new(Locale::english(), "2026-11-23T12:00".parse().expect("a moment"));
        view.rows(&sheet, &context).into_iter().map(|at| sheet.records[at].number).collect()
    }

    #[test]
    fn a_text_is_found_in_records_within_a_record() {
        let json = serde_json::json!([
            { "Case": "RC-1", "Contact": { "Email": "ada@quay.example" }, "Work": [{ "Item": "Hoist" }, { "Item": "Gelcoat" }] },
            { "Case": "RC-2", "Contact": { "Email": "ida@quay.example" }, "Work": [] }
        ]);
        let sheet = from_json("cases", &json).expect("a sheet");
        let context = Context::new(Locale::english(), "2026-11-23T12:00".parse().expect("a moment"));
        let found = |find: &str| View { find, inside: Some(3), ..View::default() }.rows(&sheet, &context);
        assert_eq!((found("ADA@"), found("gelcoat"), found("quay.example")), (vec![0], vec![0], vec![0, 1]));
        let shown = |at: usize, find: &str| holding(&sheet.records[at], find).unwrap_or_default();
        assert!(shown(0, "ADA@").contains("ada@quay.example") && shown(1, "rc-2") == "RC-2" && shown(1, "hoist").is_empty());
        assert_eq!(View { find: "quay.example", ..View::default() }.first(&sheet, &context, 1), [0]);
        // Not in a column behind, such as what a relation adds.
        assert_eq!(View { find: "gelcoat", inside: Some(2), ..View::default() }.rows(&sheet, &context), Vec::<usize>::new());
    }

    #[test]
    fn rows_are_sorted_by_one_column_after_the_other_blanks_last() {
        assert_eq!(rows(View { sort: &[(0, false)], ..View::default() }), [2, 1, 5, 4, 3]);
        assert_eq!(rows(View { sort: &[(0, true)], ..View::default() }), [4, 5, 1, 2, 3]);
        assert_eq!(rows(View { sort: &[(1, false), (2, false)], ..View::default() }), [5, 2, 1, 3, 4]);
        assert_eq!(rows(View { sort: &[(2, true)], ..View::default() }), [1, 2, 4, 5, 3]);
    }

    #[test]
    fn rows_are_found_by_text_and_by_what_does_not_fit() {
        assert_eq!(rows(View { find: "MÖW", ..View::default() }), [4]);
        assert_eq!(rows(View { find: "480", ..View::default() }), [1]);
        assert_eq!(rows(View { misfits: Some(Misfits::Of(2)), ..View::default() }), [3]);
        assert_eq!(rows(View { misfits: Some(Misfits::Of(0)), ..View::default() }), Vec::<usize>::new());
        assert_eq!(rows(View { misfits: Some(Misfits::Any), ..View::default() }), [3]);
    }
}
