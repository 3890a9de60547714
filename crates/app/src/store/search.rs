//! Everything that was ever made, found by any word of its record, its name and its recipients
//! (SQLite FTS5), and by dispatch, state and time.

use anyhow::Result;
use rusqlite::{Connection, OptionalExtension, Row, ToSql};
use serde::Serialize;

/// What is looked for.
#[derive(Debug, Clone, Default)]
pub struct Search {
    /// Words, each the beginning of one that is there; none for all.
    pub text: String,
    /// The dispatch's key; blank for all.
    pub dispatch: String,
    /// A state, as `FoundDocument` has it; blank for all.
    pub state: String,
    /// Made at this moment (UTC) or later; blank for no limit.
    pub from: String,
    /// Made before this moment (UTC); blank for no limit.
    pub to: String,
    /// Whether proofs are looked for, instead of documents.
    pub proofs: bool,
    /// Only items before this one; 0 for the newest.
    pub before: i64,
}

/// A record's documents among those found.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FoundDocument {
    /// The item's number, which is that of its page.
    pub item: i64,
    /// The run that made it.
    pub run: i64,
    /// The dispatch's key.
    pub dispatch: String,
    /// The dispatch's name.
    pub dispatch_name: String,
    /// What the record is called.
    pub label: String,
    /// The documents' name without extension.
    pub file_name: String,
    /// How far it is, as an item of a run.
    pub state: String,
    /// To whom and where it goes.
    pub recipients: String,
    /// How many pages its PDF has.
    pub pages: Option<usize>,
    /// Which version is the newest, from 1.
    pub version: i64,
    /// When it was made (UTC).
    pub made: String,
    /// When and why its documents were removed; blank where they are there.
    pub removed: String,
}

const FOUND: &str = "SELECT item.id, item.run_id, dispatch.key, dispatch.name, item.label, item.file_name, item.progress,
    coalesce((SELECT group_concat(recipient, ', ') FROM (SELECT DISTINCT recipient FROM delivery WHERE item_id = item.id AND recipient <> '')), ''),
    (SELECT max(pages) FROM document WHERE item_id = item.id),
    coalesce((SELECT max(version) FROM document WHERE item_id = item.id), 1), item.made, item.removed";
fn found(r: &Row<'_>) -> rusqlite::Result<FoundDocument> {
    Ok(FoundDocument {
        item: r.get(0)?,
        run: r.get(1)?,
        dispatch: r.get(2)?,
        dispatch_name: r.get(3)?,
        label: r.get(4)?,
        file_name: r.get(5)?,
        state: r.get(6)?,
        recipients: r.get(7)?,
        pages: r.get(8)?,
        version: r.get(9)?,
        made: r.get(10)?,
        removed: r.get(11)?,
    })
}

/// What a text becomes as a question to the index: each word the beginning of one, all of them.
/// Nothing in it has a meaning of its own there.
fn question(text: &str) -> String {
    let words = text.split(|sign: char| sign.is_whitespace() || sign.is_control()).filter(|word| !word.is_empty());
    words.map(|word| format!("\"{}\"*", word.replace('"', "\"\""))).collect::<Vec<_>>().join(" ")
}

/// Items of a dispatch: by their run, or by their numbers gathered before. The plus keeps the index of words
/// from being asked for one number after the other.
const RUN_OF: &str =
    "item.run_id IN (SELECT own.id FROM run AS own JOIN dispatch AS of ON of.id = own.dispatch_id WHERE of.key = :dispatch)";
const MADE_BY: &str = "+item_text.rowid IN (SELECT made.id FROM dispatch AS of JOIN run AS own ON own.dispatch_id = of.id \
    JOIN item AS made ON made.run_id = own.id WHERE of.key = :dispatch)";
/// Up to how many documents of a dispatch are few.
const FEW: usize = 20_000;

/// Whether a dispatch has made few documents.
fn is_small(c: &Connection, dispatch: &str) -> Result<bool> {
    let sql = "SELECT count(*) FROM (SELECT 1 FROM dispatch AS of JOIN run AS own ON own.dispatch_id = of.id \
        JOIN item AS made ON made.run_id = own.id WHERE of.key = ?1 LIMIT ?2)";
    let counted: usize = c.prepare_cached(sql)?.query_row((dispatch, FEW + 1), |r| r.get(0))?;
    Ok(counted <= FEW)
}

/// A question in SQL: only what is asked for, so that its indices serve it, and what it is asked with.
struct Asked<'a> {
    sql: String,
    with: Vec<(&'static str, &'a dyn ToSql)>,
}

impl<'a> Asked<'a> {
    /// The items that a search finds, the newest first, at most so many; `small` where it is by
    /// words in a dispatch with few documents.
    fn new(search: &'a Search, text: &'a &str, kind: &'a &str, most: &'a usize, small: bool) -> Asked<'a> {
        let mut wheres = vec!["item.state = 'made' AND run.kind = :kind"];
        let mut with: Vec<(&'static str, &dyn ToSql)> = vec![(":kind", kind), (":most", most)];
        let mut add = |condition, name, value: &'a dyn ToSql| {
            wheres.push(condition);
            with.push((name, value));
        };
        // Between two days along the index of moments: among many, a day long ago is far from the newest.
        let dated = text.is_empty() && !(search.from.is_empty() && search.to.is_empty());
        let (rows, order) = match (text.is_empty(), dated) {
            (false, _) => ("item_text CROSS JOIN item ON item.id = item_text.rowid", "item_text.rowid DESC"),
            (true, false) => ("item", "item.id DESC"),
            (true, true) => ("item", "item.made DESC, item.id DESC"),
        };
        if !text.is_empty() {
            add("item_text MATCH :text", ":text", text);
        }
        if !search.dispatch.is_empty() {
            // What a dispatch with few documents has made is gathered first: a word that is in every document is
            // then compared with numbers alone, and no item is read that is of another dispatch.
            add(if small { MADE_BY } else { RUN_OF }, ":dispatch", &search.dispatch);
        }
        if !search.state.is_empty() {
            add("item.progress = :state", ":state", &search.state);
        }
        if !search.from.is_empty() {
            add("item.made >= :from", ":from", &search.from);
        }
        if !search.to.is_empty() {
            add("item.made < :to", ":to", &search.to);
        }
        if search.before > 0 {
            let earlier = "(item.made, item.id) < (SELECT made, id FROM item WHERE id = :before)";
            add(if dated { earlier } else { "item.id < :before" }, ":before", &search.before);
        }
        let wheres = wheres.join(" AND ");
        let sql = format!("SELECT item.id FROM {rows} CROSS JOIN run ON run.id = item.run_id WHERE {wheres} ORDER BY {order} LIMIT :most");
        Asked { sql, with }
    }
}

/// What is found, the newest first.
pub fn list(c: &Connection, search: &Search, most: usize) -> Result<Vec<FoundDocument>> {
    told(c, &items(c, search, most)?)
}

/// What is found, the newest first, and how many there are, before a page or not, counted up to a
/// number. What is counted is looked for once.
pub fn page(c: &Connection, search: &Search, most: usize, counted: usize) -> Result<(Vec<FoundDocument>, usize)> {
    let all = items(c, &Search { before: 0, ..search.clone() }, counted.max(most))?;
    let documents = match search.before {
        0 => told(c, all.get(..most).unwrap_or(&all))?,
        _ => list(c, search, most)?,
    };
    Ok((documents, all.len().min(counted)))
}

fn items(c: &Connection, search: &Search, most: usize) -> Result<Vec<i64>> {
    let small = !search.dispatch.is_empty() && !search.text.trim().is_empty() && is_small(c, &search.dispatch)?;
    items_by(c, search, most, small)
}

fn items_by(c: &Connection, search: &Search, most: usize, small: bool) -> Result<Vec<i64>> {
    let (text, kind) = (question(&search.text), kind(search));
    let text = text.as_str();
    let asked = Asked::new(search, &text, &kind, &most, small && !text.is_empty());
    Ok(c.prepare_cached(&asked.sql)?.query_map(asked.with.as_slice(), |r| r.get(0))?.collect::<Result<_, _>>()?)
}

/// What is told of items, in their order.
fn told(c: &Connection, items: &[i64]) -> Result<Vec<FoundDocument>> {
    let sql = format!(
        "{FOUND} FROM item JOIN run ON run.id = item.run_id JOIN dispatch ON dispatch.id = run.dispatch_id WHERE item.id IN (SELECT value FROM json_each(?1))"
    );
    let place: std::collections::HashMap<i64, usize> = items.iter().enumerate().map(|(at, item)| (*item, at)).collect();
    let mut all = c.prepare_cached(&sql)?.query_map([serde_json::to_string(items)?], found)?.collect::<Result<Vec<_>, _>>()?;
    all.sort_by_key(|own| place.get(&own.item).copied());
    Ok(all)
}

fn kind(search: &Search) -> &'static str {
    if search.proofs { "proof" } else { "run" }
}

/// A record's documents, by their item.
pub fn get(c: &Connection, item: i64) -> Result<Option<FoundDocument>> {
    let sql = format!(
        "{FOUND} FROM item JOIN run ON run.id = item.run_id JOIN dispatch ON dispatch.id = run.dispatch_id WHERE item.id = ?1 AND item.state = 'made'"
    );
    Ok(c.prepare_cached(&sql)?.query_row([item], found).optional()?)
}

/// Takes the words of an item's documents in, or in anew.
pub fn index(c: &Connection, item: i64) -> Result<()> {
    forget(c, item)?;
    c.prepare_cached("INSERT INTO item_text (rowid, label, file_name, people, field_values) SELECT * FROM item_words WHERE id = ?1")?
        .execute([item])?;
    Ok(())
}

/// An item is found by no word any more.
pub fn forget(c: &Connection, item: i64) -> Result<()> {
    c.prepare_cached("DELETE FROM item_text WHERE rowid = ?1")?.execute([item])?;
    Ok(())
}

/// What the index still holds of items that are forgotten is written over.
pub fn compact(c: &Connection) -> Result<()> {
    c.execute("INSERT INTO item_text (item_text) VALUES ('optimize')", [])?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::{Search, is_small, items_by, question};
    use crate::store::Store;

    /// Two dispatches of which one has made every tenth of 60 documents.
    #[test]
    fn a_dispatch_of_few_documents_is_searched_by_their_numbers_with_the_same_result() {
        let folder = tempfile::tempdir().expect("a folder");
        let store = Store::open(&folder.path().join("mangle.sqlite")).expect("opens");
        let c = store.connection().expect("a connection");
        c.execute_batch(
            r#"
            INSERT INTO source (id, name, file_name, brought_in) VALUES (1, 'season', '', '2026-11-01');
            INSERT INTO sheet (id, source_id, position, name, columns, decimal_mark, date_order, row_count) VALUES (1, 1, 0, 'Holders', '[]', '.', 'day', 0);
            INSERT INTO template (id, name, key) VALUES (1, 'letter', 'k');
            INSERT INTO template_version (id, template_id, number, file_name, file, size, brought_in) VALUES (1, 1, 1, '', '', 0, '');
            INSERT INTO dispatch (id, key, name, setup, changed) VALUES (1, 'often', 'Often', '{}', ''), (2, 'seldom', 'Seldom', '{}', '');
            INSERT INTO run (id, dispatch_id, kind, state, started, moment, template_version_id, sheet_id, setup, count)
              VALUES (1, 1, 'run', 'done', '', '', 1, 1, '{}', 1), (2, 2, 'run', 'done', '', '', 1, 1, '{}', 1);
            WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 60)
              INSERT INTO item (id, run_id, position, sheet_id, row, label, record, state, changed, made, file_name, progress)
              SELECT i, iif(i % 10 = 0, 2, 1), i, 1, i, 'Holder ' || i, json_object('Berth', iif(i % 20 = 0, 'A', 'B') || i),
                'made', '', '2026-11-' || printf('%02d', 1 + i % 28), 'Letter ' || i, 'delivered' FROM n;
            INSERT INTO item_text (rowid, label, file_name, people, field_values) SELECT * FROM item_words;
            "#,
        )
        .expect("filled");
        let asked = |dispatch: &str, text: &str| Search { dispatch: dispatch.into(), text: text.into(), ..Search::default() };
        let searches = [
            asked("seldom", "holder"),
            asked("seldom", "letter a"),
            asked("often", "b1"),
            asked("nothing", "holder"),
            Search { before: 40, ..asked("seldom", "holder") },
            Search { from: "2026-11-20".into(), ..asked("seldom", "holder") },
            asked("seldom", ""),
        ];
        for search in searches {
            let (gathered, each) = (items_by(&c, &search, 4, true), items_by(&c, &search, 4, false));
            assert_eq!(gathered.expect("found"), each.expect("found"), "{search:?}");
        }
        assert_eq!(items_by(&c, &asked("seldom", "holder"), 9, true).expect("found"), [60, 50, 40, 30, 20, 10]);
        assert!(is_small(&c, "often").expect("counted"));
    }

    #[test]
    fn nothing_that_is_typed_has_a_meaning_of_its_own() {
        assert_eq!(question("  ida vos "), r#""ida"* "vos"*"#);
        assert_eq!(question(r#"NOT "x" OR label:y*"#), r#""NOT"* """x"""* "OR"* "label:y*"*"#);
        assert_eq!(question(" \t"), "");
    }
}
