//! The system query options of an address (OData 4.01 Part 2: URL Conventions, 5.1).

use super::filter::{self, Filter};
use super::model::{Entity, of_set};

/// What is asked of a set, or along a way.
#[derive(Debug, Default)]
pub struct Options {
    /// `$select`; all where it is empty.
    pub select: Vec<String>,
    /// `$expand`
    pub expand: Vec<(String, Options)>,
    /// `$filter`
    pub filter: Option<Filter>,
    /// `$orderby`: paths, each with whether the greatest comes first.
    pub order: Vec<(Vec<String>, bool)>,
    /// `$top`
    pub top: Option<usize>,
    /// `$skip`
    pub skip: usize,
    /// `$count=true`
    pub count: bool,
    /// `$skiptoken`, as the service itself gave it: how many were given before.
    pub given: usize,
}

impl Options {
    /// Reads the options of an address: names and values, decoded.
    pub fn read<'a>(pairs: impl IntoIterator<Item = (&'a str, &'a str)>, entity: &'static Entity, deep: usize) -> Result<Options, String> {
        let mut options = Options::default();
        if deep > 8 {
            return Err("$expand nests more than 8 deep".to_owned());
        }
        for (name, value) in pairs {
            let number = || value.trim().parse::<usize>().map_err(|_| format!("{name} takes a whole number, not “{value}”"));
            match name {
                "$select" => options.select = value.split(',').map(|p| property(p.trim(), entity)).collect::<Result<_, _>>()?,
                "$expand" => {
                    for part in parted(value, ',') {
                        options.expand.push(expanded(part.trim(), entity, deep)?);
                    }
                }
                "$filter" => options.filter = Some(filter::read(value, entity).map_err(|e| format!("$filter: {e}"))?),
                "$orderby" => {
                    for part in value.split(',') {
                        let (path, down) = part.trim().strip_suffix(" desc").map_or((part.trim(), false), |p| (p, true));
                        let path = path.strip_suffix(" asc").unwrap_or(path).trim();
                        options.order.push((path.split('/').map(str::to_owned).collect(), down));
                    }
                }
                "$top" => options.top = Some(number()?),
                "$skip" => options.skip = number()?,
                "$skiptoken" => options.given = number()?,
                "$count" => options.count = value == "true",
                "$format" if value == "json" || value == "application/json" => {}
                other if other.starts_with('$') => return Err(format!("{other} is not known here")),
                _ => {}
            }
        }
        Ok(options)
    }
}

fn property(name: &str, entity: &'static Entity) -> Result<String, String> {
    match entity.property(name) {
        Some(_) => Ok(name.to_owned()),
        None => Err(format!("$select: “{}” has no property “{name}”", entity.name)),
    }
}

/// One part of `$expand`: `Lines($select=Item;$top=3)`.
fn expanded(part: &str, entity: &'static Entity, deep: usize) -> Result<(String, Options), String> {
    let (name, inner) = match part.split_once('(') {
        Some((name, rest)) => (name, rest.strip_suffix(')').ok_or("$expand: a bracket is not closed")?),
        None => (part, ""),
    };
    let way = entity.way(name).ok_or_else(|| format!("$expand: “{}” has no way “{name}”", entity.name))?;
    let to = of_set(way.to).ok_or("$expand: no such set")?;
    let pairs: Vec<(&str, &str)> = parted(inner, ';').into_iter().filter_map(|p| p.trim().split_once('=')).collect();
    Ok((name.to_owned(), Options::read(pairs, to, deep + 1)?))
}

/// Parts a text at a sign that stands outside of brackets and quotes.
fn parted(text: &str, at: char) -> Vec<&str> {
    let (mut parts, mut start, mut deep, mut quoted) = (Vec::new(), 0, 0, false);
    for (index, sign) in text.char_indices() {
        match sign {
            '\'' => quoted = !quoted,
            '(' if !quoted => deep += 1,
            ')' if !quoted => deep -= 1,
            sign if sign == at && deep == 0 && !quoted => {
                parts.push(&text[start..index]);
                start = index + sign.len_utf8();
            }
            _ => {}
        }
    }
    parts.push(&text[start..]);
    parts.retain(|p| !p.trim().is_empty());
    parts
}
