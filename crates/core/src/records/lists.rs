//! Lists within JSON as sheets of their own: each list of objects becomes a sheet
//! whose rows name, by its key, the row that they hang on.

use std::collections::HashSet;

use serde_json::{Map, Value as Json};

use super::json::{JsonFault, cell, check_keys, keys, objects_at_the_top};
use super::{Cell, RawSheet};
use crate::language::{Folded, caseless};

/// Which rows of another sheet a sheet's rows hang on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ListOf {
    /// The other sheet's place among those of the file.
    pub sheet: usize,
    /// The other's column that holds the key.
    pub key: String,
    /// The own column that holds it.
    pub own_key: String,
    /// What the other calls its rows here.
    pub name: String,
    /// What a row here calls its one row there.
    pub back: String,
}

/// How deep lists become sheets; those further in stay in their cells. Relations are
/// followed no deeper.
const DEEPEST: usize = 5;

/// What a key is called that the file does not hold.
const KEY: &str = "row key";
/// What parts such a key from the place in the list: no number and no date is written
/// with it, so that keys stay texts on both sides.
const PLACE: &str = "·";

type Object = Map<String, Json>;

/// The sheets of a JSON text, the one of its records first.
pub fn sheets_from_json(name: &str, json: &Json) -> Result<Vec<RawSheet>, JsonFault> {
    let objects = objects_at_the_top(json)?;
    check_keys(name, &objects, 0)?;
    let mut sheets = Vec::new();
    take(&mut sheets, name, &objects, None, 0);
    Ok(sheets)
}

/// Where the objects of a list hang: the sheet, what the list is called there, and
/// for each object the key of its row and its place in the list.
struct Hung<'a> {
    sheet: usize,
    list: &'a str,
    key: &'a str,
    rows: Vec<(String, usize)>,
}

fn take(sheets: &mut Vec<RawSheet>, name: &str, objects: &[&Object], hung: Option<Hung<'_>>, depth: usize) {
    let fields = keys(objects);
    let (lists, own): (Vec<&str>, Vec<&str>) = fields.iter().partition(|field| depth < DEEPEST && is_list(objects, field));
    let mut header: Vec<String> = own.iter().map(|field| (*field).to_owned()).collect();
    let mut rows: Vec<Vec<Cell>> =
        objects.iter().map(|object| own.iter().map(|field| object.get(*field).map_or(Cell::Blank, cell)).collect()).collect();
    // A name for the sheet that no other has.
    let taken = |name: &str| sheets.iter().any(|s| Folded::new(&s.name) == Folded::new(name));
    let name = (1..).map(|n| if n == 1 { name.to_owned() } else { format!("{name} {n}") }).find(|name| !taken(name)).unwrap_or_default();
    let natural = own.iter().copied().find(|field| tells_apart(objects, field));
    let mut known: HashSet<Folded> = fields.iter().map(|field| Folded::new(field)).collect();
    let mut free = |wanted: &str| {
        let mut names = (1..).map(|n| if n == 1 { wanted.to_owned() } else { format!("{wanted} {n}") });
        names.find(|name| known.insert(Folded::new(name))).unwrap_or_default()
    };
    let mut of = None;
    let mut made_keys: Vec<String> = (1..=objects.len()).map(|n| n.to_string()).collect();
    if let Some(hung) = &hung {
        let own_key = free(hung.key);
        made_keys = hung.rows.iter().map(|(key, place)| format!("{key}{PLACE}{place}")).collect();
        of = Some(ListOf {
            sheet: hung.sheet,
            key: hung.key.to_owned(),
            own_key: own_key.clone(),
            name: hung.list.to_owned(),
            back: free(&sheets[hung.sheet].name),
        });
        header.insert(0, own_key);
        rows.iter_mut().zip(&hung.rows).for_each(|(row, (key, _))| row.insert(0, Cell::Text(key.as_str().into())));
    }
    let (key, row_keys) = match natural {
        Some(field) => (field.to_owned(), objects.iter().map(|o| o.get(field).map(|j| cell(j).as_text()).unwrap_or_default()).collect()),
        None if lists.is_empty() && hung.is_none() => (String::new(), Vec::new()),
        None => {
            let key = free(KEY);
            header.insert(0, key.clone());
            rows.iter_mut().zip(&made_keys).for_each(|(row, key)| row.insert(0, Cell::Text(key.as_str().into())));
            (key, made_keys)
        }
    };
    let at = sheets.len();
    sheets.push(RawSheet { name, header, rows, typed: true, of, ..RawSheet::default() });
    for list in lists {
        let (mut below, mut hung_rows) = (Vec::new(), Vec::new());
        for (object, key) in objects.iter().zip(&row_keys) {
            let items = object.get(list).and_then(Json::as_array).into_iter().flatten().filter_map(Json::as_object);
            for (place, item) in items.enumerate() {
                below.push(item);
                hung_rows.push((key.clone(), place + 1));
            }
        }
        take(sheets, list, &below, Some(Hung { sheet: at, list, key: &key, rows: hung_rows }), depth + 1);
    }
}

/// Whether a field holds a list of objects wherever it holds anything.
fn is_list(objects: &[&Object], field: &str) -> bool {
    let mut any = false;
    let lists = objects.iter().filter_map(|o| o.get(field)).all(|json| match json {
        Json::Null => true,
        Json::Array(items) => {
            any |= items.iter().any(|item| item.as_object().is_some_and(|o| !o.is_empty()));
            items.iter().all(Json::is_object)
        }
        _ => false,
    });
    lists && any
}

/// Whether a field reads like a key and has another in each object: a text with a digit
/// in it, or a whole number or any text under a name that says so. A text that may be a
/// number or a date otherwise written (`1.50`) is none: the two sides could read it
/// differently.
fn tells_apart(objects: &[&Object], field: &str) -> bool {
    const NAMES: [&str; 8] = ["id", "ref", "key", "no", "nr", "number", "code", "reference"];
    let words: Vec<String> = field.to_lowercase().split(|c: char| !c.is_alphanumeric()).map(str::to_owned).collect();
    let named = NAMES.iter().any(|name| words.iter().any(|w| w == name));
    let mut known = HashSet::new();
    objects.iter().all(|object| {
        let text = match object.get(field) {
            Some(Json::String(text)) if (named || text.contains(|c: char| c.is_ascii_digit())) && stays(text.trim()) => {
                caseless(text.trim())
            }
            Some(Json::Number(number)) if named && number.is_u64() => number.to_string(),
            _ => return false,
        };
        !text.is_empty() && known.insert(text)
    })
}

/// Whether a text is the same whatever type its column gets.
fn stays(text: &str) -> bool {
    text.contains(char::is_alphabetic) || text.parse::<u64>().is_ok_and(|number| number.to_string() == text)
}

#[cfg(test)]
mod tests {
    use serde_json::json;

    use super::*;

    fn told(json: &Json) -> Vec<String> {
        let sheets = sheets_from_json("cases", json).expect("sheets");
        let line = |s: &RawSheet| {
            let of = s.of.as_ref().map_or(String::new(), |of| format!(" <- {}.{} ({})", of.sheet, of.key, of.name));
            let rows: Vec<String> = s.rows.iter().map(|r| r.iter().map(Cell::as_text).collect::<Vec<_>>().join(",")).collect();
            format!("{}{of}: {} | {}", s.name, s.header.join(","), rows.join(" | "))
        };
        sheets.iter().map(line).collect()
    }

    #[test]
    fn lists_become_sheets_whose_rows_name_the_row_they_hang_on() {
        let cases = json!([
            { "case": "RC-1", "owner": { "name": "Ada" }, "lines": [{ "item": "Mast", "qty": 1 }, { "item": "Rope", "qty": 3 }], "tags": ["a"] },
            { "case": "RC-2", "lines": [] },
            { "case": "RC-3", "lines": [{ "item": "Sail", "qty": 2 }] },
        ]);
        assert_eq!(
            told(&cases),
            [
                r#"cases: case,owner,tags | RC-1,{"name":"Ada"},["a"] | RC-2,, | RC-3,,"#,
                "lines <- 0.case (lines): row key,case,item,qty | RC-1·1,RC-1,Mast,1 | RC-1·2,RC-1,Rope,3 | RC-3·1,RC-3,Sail,2",
            ]
        );
    }

    #[test]
    fn lists_within_lists_hang_on_keys_that_are_made_where_the_file_has_none() {
        let cases = json!([
            { "boat": "Grace", "findings": [{ "title": "Rot", "photos": [{ "file": "a.jpg" }, { "file": "b.jpg" }] }] },
            { "boat": "Grace", "findings": [{ "title": "Rust", "photos": [{ "file": "c.jpg", "row key": "own" }] }] },
        ]);
        assert_eq!(
            told(&cases),
            [
                "cases: row key,boat | 1,Grace | 2,Grace",
                "findings <- 0.row key (findings): row key 2,row key,title | 1·1,1,Rot | 2·1,2,Rust",
                "photos <- 1.row key 2 (photos): row key 3,row key 2,file,row key | 1·1·1,1·1,a.jpg, | 1·1·2,1·1,b.jpg, | 2·1·1,2·1,c.jpg,own",
            ]
        );
        // Prices differ by chance; they are no key.
        assert_eq!(
            told(&json!([{ "price": 1.5, "l": [{ "x": 1 }] }, { "price": 2.5, "l": [] }]))[0],
            "cases: row key,price | 1,1.5 | 2,2.5"
        );
        assert_eq!(told(&json!([{ "no": "1.50", "l": [{ "x": 1 }] }]))[0], "cases: row key,no | 1,1.50");
        // Plain values, and lists that are not such everywhere, stay in their cells.
        assert_eq!(told(&json!([{ "a": [1, 2] }, { "a": "x", "b": [{}] }])), ["cases: a,b | [1,2], | x,[{}]"]);
    }
}
