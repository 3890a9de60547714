//! A question as one address: what hangs on a record comes with it by `$expand`
//! (OData 4.01 Part 2: URL Conventions, 5.1).

use jiff::civil::DateTime;
use mangle_core::crm::{CrmQuery, Entity, ListPick, Picks, Shape};
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};

use super::filter::{FilterFault, filter};

/// What stands in a query as it is; all else is encoded.
const PLAIN: &AsciiSet = &NON_ALPHANUMERIC
    .remove(b'$')
    .remove(b'-')
    .remove(b'_')
    .remove(b'.')
    .remove(b'~')
    .remove(b',')
    .remove(b'(')
    .remove(b')')
    .remove(b'/')
    .remove(b'\'');

/// Which of the records.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part<'a> {
    /// All that the question asks for.
    All,
    /// The first few.
    First(usize),
    /// The one of a key: the record at hand.
    One(&'a str),
}

/// The address of a question, below the root of the service.
pub fn address(query: &CrmQuery, shape: &Shape, part: Part<'_>, now: DateTime) -> Result<String, FilterFault> {
    let unknown = || FilterFault::Unknown { entity: "the CRM".to_owned(), name: query.root.clone() };
    let root = shape.entity(&query.root).ok_or_else(unknown)?;
    let mut options = of_picks(&query.picks, root, shape, now)?;
    let mut conditions: Vec<String> = Vec::new();
    if !query.filter.trim().is_empty() {
        conditions.push(filter(&query.filter, root, shape, now)?);
    }
    if let (Part::One(key), Some(name)) = (part, root.key.first()) {
        let quoted = format!("\"{}\"", key.replace('"', "\"\""));
        conditions.push(
            filter(&format!("'{name}' = {quoted}"), root, shape, now)
                .or_else(|_| filter(&format!("'{name}' = {key}"), root, shape, now))?,
        );
    }
    if !conditions.is_empty() {
        options.push(("$filter", conditions.join(" and ")));
    }
    options.extend(order(&query.order));
    let top = match part {
        Part::All => query.first,
        Part::First(count) => Some(query.first.unwrap_or(count).min(count)),
        Part::One(_) => Some(1),
    };
    options.extend(top.map(|top| ("$top", top.to_string())));
    options.push(("$count", "true".to_owned()));
    let written: Vec<String> = options.iter().map(|(name, value)| format!("{name}={}", utf8_percent_encode(value, PLAIN))).collect();
    Ok(format!("{}?{}", query.root, written.join("&")))
}

type Options = Vec<(&'static str, String)>;

fn of_picks(picks: &Picks, entity: &Entity, shape: &Shape, now: DateTime) -> Result<Options, FilterFault> {
    let mut select: Vec<&str> = entity.key.iter().map(String::as_str).collect();
    let (own, along) = picks.parted();
    for name in own {
        // The media stream comes with the entity itself.
        if entity.media.as_deref() != Some(name) && !select.contains(&name) {
            select.push(name);
        }
    }
    let mut expand = Vec::new();
    for (way, inner) in &along {
        let behind = behind(entity, way, shape)?;
        expand.push(nested(way, &of_picks(inner, behind, shape, now)?));
    }
    for list in &picks.lists {
        expand.push(of_list(list, behind(entity, &list.way, shape)?, shape, now)?);
    }
    let mut options: Options = vec![("$select", select.join(","))];
    if !expand.is_empty() {
        options.push(("$expand", expand.join(",")));
    }
    Ok(options)
}

fn behind<'s>(entity: &Entity, way: &str, shape: &'s Shape) -> Result<&'s Entity, FilterFault> {
    let found = entity.way(way).and_then(|w| shape.behind(w));
    found.ok_or_else(|| FilterFault::Unknown { entity: entity.label.clone(), name: way.to_owned() })
}

fn of_list(list: &ListPick, entity: &Entity, shape: &Shape, now: DateTime) -> Result<String, FilterFault> {
    let mut options = of_picks(&list.picks, entity, shape, now)?;
    if !list.filter.trim().is_empty() {
        options.push(("$filter", filter(&list.filter, entity, shape, now)?));
    }
    options.extend(order(&list.order));
    options.extend(list.first.map(|first| ("$top", first.to_string())));
    Ok(nested(&list.way, &options))
}

fn nested(way: &str, options: &Options) -> String {
    let inner: Vec<String> = options.iter().map(|(name, value)| format!("{name}={value}")).collect();
    format!("{way}({})", inner.join(";"))
}

fn order(order: &str) -> Option<(&'static str, String)> {
    let order = order.trim();
    match order.strip_prefix('-') {
        _ if order.is_empty() => None,
        Some(field) => Some(("$orderby", format!("{} desc", field.trim()))),
        None => Some(("$orderby", order.to_owned())),
    }
}
