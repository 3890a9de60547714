//! The fields that a template needs, as a tree: those of its record, of the
//! records along relations, and of the records of its lists.

use serde::Serialize;
use serde_json::{Map, Value as Json};

use super::{NameUse, Placeholder};
use crate::language::syntax::Name;
use crate::language::{Folded, UsedAs};
use crate::records::export::iso;
use crate::value::Value;

/// A field that a template needs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Need {
    /// As first written.
    pub name: String,
    /// What it is used as.
    pub used: UsedAs,
    /// The currency that its amount is first printed in.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub currency: Option<String>,
    /// How many placeholders use it.
    pub uses: usize,
    /// The fields of its record or its records.
    pub within: Vec<Need>,
}

/// The fields that placeholders need, in reading order. What the language itself
/// gives is left out. A field within a list belongs to the list's records, unless
/// the template uses it outside of lists as well.
pub fn needs<'a>(placeholders: impl IntoIterator<Item = &'a Placeholder>) -> Vec<Need> {
    let uses: Vec<&NameUse> = placeholders.into_iter().filter(|p| !p.again).flat_map(|p| &p.names).collect();
    let of_document: Vec<Folded> = uses.iter().filter(|u| u.within.is_empty()).map(|u| Folded::new(&u.name)).collect();
    let mut root = Vec::new();
    for used in uses {
        if Name::new(used.name.clone(), false).is_built_in() {
            continue;
        }
        let mut level: Vec<&str> = Vec::new();
        let outermost = |name: &str| of_document.contains(&Folded::new(name));
        // A turn's group holds records of the list that it was made from.
        let is_of_turn = |name: &str| matches!(Folded::new(name).as_str(), "group" | "turn");
        if !used.within.is_empty() && is_of_turn(&used.name) {
            continue;
        }
        for list in used.within.iter().flatten().filter(|list| !list.first().is_some_and(|first| is_of_turn(first))) {
            if list.first().is_some_and(|first| outermost(first)) {
                level.clear();
            }
            level.extend(list.iter().map(String::as_str));
        }
        if outermost(&used.name) {
            level.clear();
        }
        level.push(&used.name);
        level.extend(used.rest.iter().map(String::as_str));
        note(&mut root, &level, used);
    }
    root
}

fn note(level: &mut Vec<Need>, path: &[&str], found: &NameUse) {
    let Some((first, rest)) = path.split_first() else { return };
    let folded = Folded::new(first);
    let at = level.iter().position(|n| Folded::new(&n.name) == folded).unwrap_or_else(|| {
        level.push(Need { name: (*first).to_owned(), used: UsedAs::YesNo, currency: None, uses: 0, within: Vec::new() });
        level.len() - 1
    });
    let own = &mut level[at];
    if !rest.is_empty() {
        own.used = own.used.max(UsedAs::Record);
        note(&mut own.within, rest, found);
        return;
    }
    // A text that a condition asks for is not blank; only what nothing else is
    // done with is a yes/no value.
    own.currency = own.currency.take().or_else(|| found.currency.clone());
    own.used = match (own.uses, own.used, found.used) {
        (0, UsedAs::YesNo, used) => used,
        (_, UsedAs::YesNo, UsedAs::Value) | (_, UsedAs::Value, UsedAs::YesNo) => UsedAs::Value,
        (_, known, used) => known.max(used),
    };
    own.uses += 1;
}

/// Adds the needed fields that values leave out, as blanks: also those of each turn
/// of a list, so that one that was just added has all its fields.
pub fn complete(needs: &[Need], values: &mut Map<String, Json>) {
    for need in needs {
        let folded = Folded::new(&need.name);
        let known = values.keys().find(|key| Folded::new(key) == folded).cloned();
        let own = values.entry(known.unwrap_or_else(|| need.name.clone())).or_insert(Json::Null);
        match own {
            Json::Object(record) => complete(&need.within, record),
            Json::Array(turns) => turns.iter_mut().filter_map(Json::as_object_mut).for_each(|turn| complete(&need.within, turn)),
            _ => {}
        }
    }
}

/// What a record holds of the needed fields, as JSON: numbers, money and dates as
/// texts in forms that read the same everywhere.
pub fn values(needs: &[Need], find: &dyn Fn(&Folded) -> Option<Value>) -> Map<String, Json> {
    needs.iter().map(|need| (need.name.clone(), find(&Folded::new(&need.name)).map_or(Json::Null, |v| json(need, &v)))).collect()
}

fn json(need: &Need, value: &Value) -> Json {
    match value {
        _ if value.is_blank() => Json::Null,
        Value::Bool(yes) => Json::Bool(*yes),
        Value::Record(record) => Json::Object(values(&need.within, &|name| record.get(name).cloned())),
        Value::List(items) => Json::Array(items.iter().map(|item| json(need, item)).collect()),
        Value::Number(number) | Value::Percent(number) => Json::String(number.to_string()),
        Value::Money(money) => Json::String(format!("{} {}", money.currency.code(), money.amount)),
        Value::Date(date) => Json::String(date.to_string()),
        Value::DateTime(moment) => Json::String(iso(*moment)),
        Value::Text(text) => Json::String(text.to_string()),
        Value::Misfit(misfit) => Json::String(misfit.text.clone()),
        _ => Json::Null,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::template::TextTemplate;

    fn tree(needs: &[Need]) -> String {
        let one = |n: &Need| {
            let within = if n.within.is_empty() { String::new() } else { format!(" ({})", tree(&n.within)) };
            format!("{} {:?} {}{within}", n.name, n.used, n.uses)
        };
        needs.iter().map(one).collect::<Vec<_>>().join(", ")
    }

    fn of(text: &str) -> String {
        tree(&needs(TextTemplate::new(text).placeholders()))
    }

    #[test]
    fn fields_are_needed_once_with_what_they_are_used_as() {
        assert_eq!(of("[: name], [: Name as upper] [: balance as money \"EUR\"] [:if balance > 0]x[:end]"), "name Text 2, balance Money 2");
        assert_eq!(of("[:if liveaboard]x[:end]"), "liveaboard YesNo 1");
        assert_eq!(of("[:if note][: note][:end]"), "note Value 2");
        assert_eq!(of("[: holder.last name] [: holder.since as date]"), "holder Record 0 (last name Value 1, since Date 1)");
        assert_eq!(of("[: today as date] [: run.number] [:set x = 1][: x]"), "");
    }

    #[test]
    fn a_field_within_a_list_is_one_of_its_records_unless_used_outside_too() {
        let text = "[: ref] [:repeat for lines where qty > 0][: item] [: ref] [:repeat for photos][:if big]x[:end][:end][:end] [: sum(lines.(qty * price))]";
        assert_eq!(of(text), "ref Value 2, lines List 2 (qty Number 2, item Value 1, photos List 1 (big YesNo 1), price Number 1)");
    }

    #[test]
    fn the_records_of_a_group_are_those_of_its_list() {
        let text = "[:repeat for lines group by section][: section] [:repeat for group sort by price][: item][:end] [: sum(group.(qty * price))][:end]";
        assert_eq!(of(text), "lines List 1 (section Value 2, price Number 2, item Value 1, qty Number 1)");
    }

    #[test]
    fn a_turn_that_was_just_added_has_all_its_fields() {
        let needs = needs(TextTemplate::new("[: ref] [:repeat for lines][: item] [: qty][:end] [: owner.name]").placeholders());
        let Json::Object(mut values) = serde_json::json!({ "Ref": "BQ-1", "LINES": [{}, { "Qty": 2 }], "owner": {} }) else { return };
        complete(&needs, &mut values);
        let expected = serde_json::json!({
            "Ref": "BQ-1", "LINES": [{ "item": null, "qty": null }, { "Qty": 2, "item": null }], "owner": { "name": null }
        });
        assert_eq!(Json::Object(values), expected);
    }

    #[test]
    fn a_records_values_are_taken_by_the_needed_names() {
        let json: Json =
            serde_json::json!({ "Ref": "BQ-1", "Net": 48112.5, "Due": "2026-12-01", "Lines": [{ "Qty": 2, "Item": "Zinc" }], "Other": 3 });
        let sheet = crate::records::from_json("cases", &json).expect("records");
        let needs = needs(TextTemplate::new("[: ref] [: net] [: due] [: boat] [:repeat for lines][: item][:end]").placeholders());
        let found = values(&needs, &|name| sheet.records[0].get(name).cloned());
        let expected =
            serde_json::json!({ "ref": "BQ-1", "net": "48112.5", "due": "2026-12-01", "boat": null, "lines": [{ "item": "Zinc" }] });
        assert_eq!(Json::Object(found), expected);
    }
}
