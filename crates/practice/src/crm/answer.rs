//! Entities as JSON (OData JSON Format 4.01).

use serde_json::{Map, Value, json};

use super::filter::{along, order};
use super::model::{Entity, of_set};
use super::options::Options;
use super::world::{Entry, World, key_text};

/// The entities that options choose, in their order, before paging.
pub fn chosen<'w>(world: &'w World, entity: &'static Entity, all: impl Iterator<Item = &'w Entry>, options: &Options) -> Vec<&'w Entry> {
    let mut found: Vec<&Entry> = all.filter(|e| options.filter.as_ref().is_none_or(|f| f.passes(e, entity, world))).collect();
    for (path, down) in options.order.iter().rev() {
        found.sort_by(|a, b| {
            let [a, b] = [a, b].map(|e| along(e, entity, world, path));
            // Null comes first (11.2.6.2).
            let ordered = order(&a, &b).unwrap_or_else(|| b.is_null().cmp(&a.is_null()));
            if *down { ordered.reverse() } else { ordered }
        });
    }
    found
}

/// An entity with what was selected and expanded.
pub fn entity(world: &World, entity: &'static Entity, entry: &Entry, options: &Options, base: &str) -> Value {
    let mut out = Map::new();
    let key = key_text(&entry[entity.key().0]);
    let place = match &entry[entity.key().0] {
        Value::String(_) => format!("{}('{}')", entity.set, key.replace('\'', "''")),
        _ => format!("{}({key})", entity.set),
    };
    out.insert("@odata.etag".to_owned(), json!(world.etag(entity, &key)));
    if entity.media {
        let kind = world.media(entity.set, &key).map_or("image/jpeg", |(kind, _)| kind);
        out.insert("@odata.mediaReadLink".to_owned(), json!(format!("{base}{place}/$value")));
        out.insert("@odata.mediaContentType".to_owned(), json!(kind));
    }
    for property in entity.properties {
        if !options.select.is_empty() && !options.select.iter().any(|s| s == property.0) {
            continue;
        }
        match property.1 {
            "Edm.Stream" => {
                out.insert(format!("{}@odata.mediaReadLink", property.0), json!(format!("{base}{place}/{}", property.0)));
            }
            _ => {
                out.insert(property.0.to_owned(), entry.get(property.0).cloned().unwrap_or_default());
            }
        }
    }
    for (name, inner) in &options.expand {
        let Some((way, to)) = entity.way(name).and_then(|way| Some((way, of_set(way.to)?))) else { continue };
        let found = chosen(world, to, world.with(way.to, way.other, &entry[way.own]), inner);
        let mut each =
            found.into_iter().skip(inner.skip).take(inner.top.unwrap_or(usize::MAX)).map(|e| self::entity(world, to, e, inner, base));
        let value = if way.many { each.collect() } else { each.next().unwrap_or_default() };
        out.insert(name.clone(), value);
    }
    Value::Object(out)
}
