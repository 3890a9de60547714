//! What to call a record: what people call it.

use super::{Record, Schema, shown};
use crate::language::Folded;
use crate::value::Value;

const FIRST: [&str; 7] = ["first name", "forename", "given name", "vorname", "prénom", "voornaam", "nombre"];
const LAST: [&str; 8] = ["last name", "surname", "family name", "nachname", "nom", "achternaam", "apellido", "apellidos"];
const WHOLE: [&str; 12] = [
    "name",
    "full name",
    "company",
    "company name",
    "organisation",
    "organization",
    "customer",
    "client",
    "firm",
    "firma",
    "société",
    "bedrijf",
];
const REFERENCE: [&str; 11] = ["ref", "reference", "no", "nr", "number", "id", "case", "caseid", "code", "account", "key"];

/// Which columns say what the records of a schema are called: told once for all of them.
#[derive(Debug)]
pub struct Labels {
    chosen: Option<usize>,
    first: Vec<usize>,
    last: Vec<usize>,
    whole: Vec<usize>,
    reference: Option<usize>,
}

impl Labels {
    /// Of a schema; `chosen` is the column that a person wants, blank for none.
    pub fn new(schema: &Schema, chosen: &str) -> Labels {
        let known = |names: &[&str]| names.iter().filter_map(|name| schema.index(&Folded::new(name))).collect();
        let is_reference = |name: &str| {
            let words: Vec<String> = name.to_lowercase().split(|c: char| !c.is_alphanumeric()).map(str::to_owned).collect();
            words.iter().any(|word| REFERENCE.contains(&word.as_str()))
        };
        Labels {
            chosen: Some(chosen.trim()).filter(|c| !c.is_empty()).and_then(|name| schema.index(&Folded::new(name))),
            first: known(&FIRST),
            last: known(&LAST),
            whole: known(&WHOLE),
            reference: schema.columns().iter().position(|column| is_reference(&column.name)),
        }
    }

    /// What to call a record of the schema: what stands in the chosen column, where one is;
    /// else first and last name, or a name or company; else its number beside what else it
    /// says first.
    pub fn of(&self, record: &Record) -> String {
        let of = |at: usize| record.values().get(at).and_then(text);
        let one_of = |columns: &[usize]| columns.iter().find_map(|at| of(*at));
        if let Some(own) = self.chosen.and_then(of) {
            return own;
        }
        let (first, last) = (one_of(&self.first), one_of(&self.last));
        match (&first, &last) {
            (Some(first), Some(last)) => return format!("{first} {last}"),
            (None, Some(last)) => return last.clone(),
            _ => {}
        }
        if let Some(whole) = one_of(&self.whole) {
            return whole;
        }
        let reference = self.reference.and_then(of);
        let says = |value: &Value| matches!(value, Value::Text(_)).then(|| text(value)).flatten();
        let other = || record.values().iter().filter_map(says).find(|own| !own.contains('@') && Some(own) != reference.as_ref());
        match (&reference, first.or_else(other)) {
            (Some(reference), Some(other)) => format!("{reference} {other}"),
            (Some(only), None) => only.clone(),
            (None, Some(only)) => only,
            (None, None) => format!("row {}", record.number),
        }
    }
}

/// What to call one record; [`Labels`] for many.
pub fn label(record: &Record, chosen: &str) -> String {
    Labels::new(record.schema(), chosen).of(record)
}

/// What a value says on one line; none where it says nothing.
fn text(value: &Value) -> Option<String> {
    let text = match value {
        Value::Record(_) | Value::List(_) => return None,
        value => shown(value),
    };
    let line = text.split_whitespace().collect::<Vec<_>>().join(" ");
    (!line.is_empty()).then_some(line)
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use super::*;
    use crate::records::{Column, ColumnType, Schema};

    fn called(fields: &[(&str, &str)], chosen: &str) -> String {
        let schema = Schema::new(fields.iter().map(|(n, _)| Column::new(n, ColumnType::Text)).collect()).expect("schema");
        let value = |text: &str| if text.is_empty() { Value::Blank } else { Value::text(text) };
        label(&Record::new(Arc::new(schema), fields.iter().map(|(_, v)| value(v)).collect(), 31), chosen)
    }

    #[test]
    fn a_record_is_called_what_people_call_it() {
        assert_eq!(called(&[("Ref", "BQ-1"), ("First name", "Femke"), ("Last_Name", "Achterberg")], ""), "Femke Achterberg");
        assert_eq!(called(&[("Vorname", ""), ("NACHNAME", "Quayle")], ""), "Quayle");
        assert_eq!(called(&[("Company", "Kade & Zonen"), ("City", "Brackwater")], ""), "Kade & Zonen");
        assert_eq!(called(&[("Family No", "0016"), ("First name", "Joe")], ""), "0016 Joe");
        assert_eq!(called(&[("E-mail", "a@b.example"), ("Ref", "BQ-0031"), ("Boat", "Möwe")], ""), "BQ-0031 Möwe");
        assert_eq!(called(&[("Ref", "BQ-0031")], ""), "BQ-0031");
        assert_eq!(called(&[("Ref", "")], ""), "row 31");
    }

    #[test]
    fn a_person_can_choose_the_column() {
        let fields = [("First name", "Femke"), ("Last name", "Achterberg"), ("Boat", "De Grauwe Gans")];
        assert_eq!(called(&fields, "boat"), "De Grauwe Gans");
        assert_eq!(called(&fields, "berth"), "Femke Achterberg", "a column that is gone is passed over");
    }
}
