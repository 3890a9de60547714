//! Everything that was ever made, found by any word of its record, its name and its recipients
//! (SQLite FTS5), and by dispatch, state and time.

use anyhow::Result;
use rusqlite::{Connection, Row, named_params};
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
const WHERE: &str = "JOIN run ON run.id = item.run_id JOIN dispatch ON dispatch.id = run.dispatch_id
    WHERE item.state = 'made' AND run.kind = :kind AND (:dispatch = '' OR dispatch.key = :dispatch)
    AND (:state = '' OR item.progress = :state) AND item.made >= :from AND (:to = '' OR item.made < :to)
    AND (:before = 0 OR item.id < :before)";

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
    let words = text.split_whitespace().map(|word| format!("\"{}\"*", word.replace('"', "\"\"")));
    words.collect::<Vec<_>>().join(" ")
}

/// Where the rows come from: the index, where words are looked for, and each dispatch's runs,
/// where one is.
fn from(search: &Search, text: &str) -> (&'static str, &'static str) {
    match (text.is_empty(), search.dispatch.is_empty()) {
        (false, _) => ("item_text CROSS JOIN item ON item.id = item_text.rowid", "AND item_text MATCH :text ORDER BY item_text.rowid DESC"),
        (true, false) => ("item", "AND :text = '' AND item.run_id IN (SELECT own.id FROM run AS own JOIN dispatch AS of ON of.id = own.dispatch_id WHERE of.key = :dispatch) ORDER BY item.id DESC"),
        (true, true) => ("item", "AND :text = '' ORDER BY item.id DESC"),
    }
}

/// What is found, the newest first.
pub fn list(c: &Connection, search: &Search, count: usize) -> Result<Vec<FoundDocument>> {
    let text = question(&search.text);
    let (rows, order) = from(search, &text);
    let sql = format!("{FOUND} FROM {rows} {WHERE} {order} LIMIT :count");
    let kind = if search.proofs { "proof" } else { "run" };
    let found = c.prepare_cached(&sql)?.query_map(
        named_params! { ":text": text, ":kind": kind, ":dispatch": search.dispatch, ":state": search.state, ":from": search.from, ":to": search.to, ":before": search.before, ":count": count },
        found,
    )?.collect::<Result<_, _>>()?;
    Ok(found)
}

/// How many are found, counted up to a number.
pub fn count(c: &Connection, search: &Search, most: usize) -> Result<usize> {
    let text = question(&search.text);
    let (rows, order) = from(search, &text);
    let sql = format!("SELECT count(*) FROM (SELECT 1 FROM {rows} {WHERE} {order} LIMIT :most)");
    let kind = if search.proofs { "proof" } else { "run" };
    Ok(c.prepare_cached(&sql)?.query_row(
        named_params! { ":text": text, ":kind": kind, ":dispatch": search.dispatch, ":state": search.state, ":from": search.from, ":to": search.to, ":before": search.before, ":most": most },
        |r| r.get(0),
    )?)
}

/// A record's documents, by their item.
pub fn get(c: &Connection, item: i64) -> Result<Option<FoundDocument>> {
    let sql = format!("{FOUND} FROM item JOIN run ON run.id = item.run_id JOIN dispatch ON dispatch.id = run.dispatch_id WHERE item.id = ?1 AND item.state = 'made'");
    Ok(rusqlite::OptionalExtension::optional(c.prepare_cached(&sql)?.query_row([item], found))?)
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
    use super::question;

    #[test]
    fn nothing_that_is_typed_has_a_meaning_of_its_own() {
        assert_eq!(question("  ida vos "), r#""ida"* "vos"*"#);
        assert_eq!(question(r#"NOT "x" OR label:y*"#), r#""NOT"* """x"""* "OR"* "label:y*"*"#);
        assert_eq!(question(" \t"), "");
    }
}
