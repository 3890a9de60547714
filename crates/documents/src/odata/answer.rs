//! A page of an answer (OData JSON Format 4.01) as rows of cells.

use std::sync::Arc;

use mangle_core::crm::{CrmQuery, Entity, FieldType, Picks, Shape};
use mangle_core::records::Cell;
use mangle_core::words::grouped;
use serde_json::{Map, Value as Json};
use sha2::{Digest, Sha256};

/// The most records that a page may hold.
const MOST: usize = 100_000;

/// A page of an answer.
#[derive(Debug, Default)]
pub struct Page {
    /// The records: their key as text, and their cells in the order of the question's
    /// columns.
    pub records: Vec<(String, Vec<Cell>)>,
    /// Where the next page is.
    pub next: Option<String>,
    /// How many records there are in all, where the service says so.
    pub total: Option<usize>,
    /// The pictures that the cells name.
    pub pictures: Vec<PictureLink>,
}

/// A picture that a cell names.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PictureLink {
    /// As the cell names it.
    pub name: String,
    /// Where it is, as the service says it, whole or below its root.
    pub address: String,
}

/// Why an answer can't be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum AnswerFault {
    /// It is something else.
    #[error("the service did not return a list of records")]
    NoRecords,
    /// A page of a size that nobody reads.
    #[error("the service returned more than {} records per page", grouped(MOST))]
    TooMany,
}

/// Reads a page.
pub fn page(answer: &Json, query: &CrmQuery, shape: &Shape) -> Result<Page, AnswerFault> {
    let root = shape.entity(&query.root).ok_or(AnswerFault::NoRecords)?;
    let values = answer.get("value").and_then(Json::as_array).ok_or(AnswerFault::NoRecords)?;
    if values.len() > MOST {
        return Err(AnswerFault::TooMany);
    }
    let said = |name: &str| answer.get(format!("@odata.{name}")).or_else(|| answer.get(format!("@{name}")));
    let mut page = Page {
        next: said("nextLink").and_then(Json::as_str).map(str::to_owned),
        total: said("count").and_then(Json::as_u64).map(|n| n as usize),
        ..Page::default()
    };
    for value in values {
        let object = value.as_object().ok_or(AnswerFault::NoRecords)?;
        let cells = picked(object, &query.picks, root, shape, &mut page.pictures).into_iter().map(|(_, value)| cell(value)).collect();
        page.records.push((key(object, root), cells));
    }
    Ok(page)
}

/// The key of an entity as text.
fn key(object: &Map<String, Json>, entity: &Entity) -> String {
    let part = |name: &String| object.get(name).map(|k| k.as_str().map_or_else(|| k.to_string(), str::to_owned)).unwrap_or_default();
    entity.key.iter().map(part).collect::<Vec<_>>().join("-")
}

/// What was picked of an entity, in the order of the columns. Dates with a time lose
/// their zone: they are told in UTC.
fn picked(
    object: &Map<String, Json>,
    picks: &Picks,
    entity: &Entity,
    shape: &Shape,
    pictures: &mut Vec<PictureLink>,
) -> Vec<(String, Json)> {
    let (own, along) = picks.parted();
    let mut out = Vec::new();
    for name in own {
        if let Some(field) = entity.field(name) {
            out.push((name.to_owned(), plain(object, field.kind, name, entity, pictures)));
        }
    }
    let behind = |way: &str| entity.way(way).and_then(|w| shape.behind(w));
    for (way, inner) in along {
        let Some(to) = behind(way) else { continue };
        let one = match object.get(way) {
            Some(Json::Object(one)) => Json::Object(picked(one, &inner, to, shape, pictures).into_iter().collect()),
            _ => Json::Null,
        };
        out.push((way.to_owned(), one));
    }
    for list in &picks.lists {
        let Some(to) = behind(&list.way) else { continue };
        let items = object.get(&list.way).and_then(Json::as_array).into_iter().flatten().filter_map(Json::as_object);
        let items: Vec<Json> = items.map(|one| Json::Object(picked(one, &list.picks, to, shape, pictures).into_iter().collect())).collect();
        out.push((list.way.clone(), Json::Array(items)));
    }
    out
}

fn plain(object: &Map<String, Json>, kind: FieldType, name: &str, entity: &Entity, pictures: &mut Vec<PictureLink>) -> Json {
    let value = object.get(name);
    match kind {
        FieldType::Picture => picture(object, name, entity, pictures),
        FieldType::Moment => match value.and_then(Json::as_str).and_then(|text| text.parse::<jiff::Timestamp>().ok()) {
            Some(moment) => Json::from(jiff::tz::TimeZone::UTC.to_datetime(moment).to_string()),
            None => value.cloned().unwrap_or_default(),
        },
        // Large numbers may come as text (JSON Format 4.01, 3.2: IEEE754Compatible).
        FieldType::Number => match value {
            Some(Json::String(text)) => text.parse::<serde_json::Number>().map_or(Json::Null, Json::Number),
            other => other.cloned().unwrap_or_default(),
        },
        _ => match value {
            Some(Json::Object(_) | Json::Array(_)) | None => Json::Null,
            Some(other) => other.clone(),
        },
    }
}

/// The name of an entity's picture; a new one where the service says that it changed.
fn picture(object: &Map<String, Json>, name: &str, entity: &Entity, pictures: &mut Vec<PictureLink>) -> Json {
    let own = entity.media.as_deref() == Some(name);
    let said = |what: &str| {
        let names =
            if own { [format!("@odata.{what}"), format!("@{what}")] } else { [format!("{name}@odata.{what}"), format!("{name}@{what}")] };
        names.iter().find_map(|n| object.get(n)).and_then(Json::as_str)
    };
    let key = key(object, entity);
    let address = match said("mediaReadLink") {
        Some(link) => link.to_owned(),
        None => {
            let quoted = match entity.key.first().and_then(|k| object.get(k)) {
                Some(Json::String(text)) => format!("'{}'", text.replace('\'', "''")),
                _ => key.clone(),
            };
            format!("{}({quoted})/{}", entity.set, if own { "$value" } else { name })
        }
    };
    let mark = said("mediaEtag")
        .map(|etag| format!("-{:02x}{:02x}{:02x}", Sha256::digest(etag)[0], Sha256::digest(etag)[1], Sha256::digest(etag)[2]));
    let safe = |text: &str| text.chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect::<String>().to_lowercase();
    let file = format!("{}-{}-{}{}", safe(&entity.set), safe(&key), safe(name), mark.unwrap_or_default());
    pictures.push(PictureLink { name: file.clone(), address });
    Json::from(file)
}

fn cell(value: Json) -> Cell {
    match value {
        Json::Null => Cell::Blank,
        Json::Bool(yes) => Cell::Bool(yes),
        Json::Number(number) => match number.to_string().parse().or_else(|_| rust_decimal::Decimal::from_scientific(&number.to_string())) {
            Ok(exact) => Cell::Number(exact),
            Err(_) => Cell::Text(number.to_string().into()),
        },
        Json::String(text) => Cell::Text(text.into()),
        nested => Cell::Nested(Arc::new(nested)),
    }
}
