//! Signing rounds, their events and the links of their signers.

use anyhow::Result;
use jiff::SignedDuration;
use jiff::civil::DateTime;
use mangle_core::signing::{Chain, FieldFont, Link, Place, Round, RoundPlan, RoundState};
use rusqlite::{Connection, OptionalExtension, Row, params};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};

use super::kept;

/// A field that a signer fills in, in points from the top left of its page.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RoundField {
    /// Its number, from 1.
    pub number: usize,
    /// The signer role.
    pub role: String,
    /// signature, initials, name, date, text, tick or choice.
    pub kind: String,
    /// What is asked for; blank where its kind says it.
    pub label: String,
    /// What can be chosen.
    pub options: Vec<String>,
    /// Whether it may stay empty.
    pub optional: bool,
    /// The page, from 0.
    pub page: usize,
    /// From the left edge.
    pub left: f64,
    /// From the top edge.
    pub top: f64,
    /// Width.
    pub width: f64,
    /// Height.
    pub height: f64,
    /// The font of what is filled in; none for a field on the page of a PDF.
    #[serde(default)]
    pub font: Option<FieldFont>,
}

/// A state of a round's file: what it has that the one before had not.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileState {
    /// What.
    pub what: String,
    /// How many bytes it has.
    pub bytes: usize,
    /// Its digest (SHA-256), in hexadecimal digits.
    pub sha256: String,
}

/// A round that is to be written down.
#[derive(Debug, Clone)]
pub struct NewRound {
    /// What the document is called.
    pub title: String,
    /// Its seats.
    pub round: Round,
    /// What it comes to.
    pub plan: RoundPlan,
    /// Its fields.
    pub fields: Vec<RoundField>,
    /// The document: the hash of its content, and its size.
    pub file: (String, usize),
}

/// A round as it is stored.
#[derive(Debug, Clone)]
pub struct RoundRow {
    pub id: i64,
    pub item_id: i64,
    pub run_id: i64,
    pub title: String,
    pub round: Round,
    pub plan: RoundPlan,
    pub fields: Vec<RoundField>,
    pub states: Vec<FileState>,
    pub sent: String,
    pub file: String,
    pub sealed: String,
    pub seal_tries: i64,
    pub seal_error: String,
    pub begun: String,
    pub ends: Option<String>,
    pub changed: String,
    pub revision: i64,
}

const ROW: &str = "SELECT id, item_id, run_id, title, round, plan, fields, revisions, sent, file, sealed, seal_tries, seal_error, begun, ends, changed, revision FROM round";

fn row(r: &Row<'_>) -> rusqlite::Result<RoundRow> {
    let text = |at: usize| r.get::<_, String>(at);
    Ok(RoundRow {
        id: r.get(0)?,
        item_id: r.get(1)?,
        run_id: r.get(2)?,
        title: r.get(3)?,
        round: kept(4, &text(4)?)?,
        plan: kept(5, &text(5)?)?,
        fields: kept(6, &text(6)?)?,
        states: kept(7, &text(7)?)?,
        sent: r.get(8)?,
        file: r.get(9)?,
        sealed: r.get(10)?,
        seal_tries: r.get(11)?,
        seal_error: r.get(12)?,
        begun: r.get(13)?,
        ends: r.get(14)?,
        changed: r.get(15)?,
        revision: r.get(16)?,
    })
}

/// The word of a state.
pub fn word(state: RoundState) -> &'static str {
    match state {
        RoundState::Draft => "draft",
        RoundState::Open => "open",
        RoundState::Completed => "completed",
        RoundState::Declined => "declined",
        RoundState::Withdrawn => "withdrawn",
        RoundState::Expired => "expired",
    }
}

/// Writes a round down that nobody was invited to yet; its number.
pub fn add(c: &Connection, (item, run): (i64, i64), new: &NewRound, ends: Option<&str>, at: &str) -> Result<i64> {
    let first = FileState { what: "the document as it was sent".into(), bytes: new.file.1, sha256: new.file.0.clone() };
    c.prepare_cached(
        "INSERT INTO round (item_id, run_id, title, state, round, plan, fields, revisions, sent, file, begun, ends, changed)
         VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?9, ?10, ?11, ?10)",
    )?
    .execute(params![
        item,
        run,
        new.title,
        word(new.round.state),
        serde_json::to_string(&new.round)?,
        serde_json::to_string(&new.plan)?,
        serde_json::to_string(&new.fields)?,
        serde_json::to_string(&[first])?,
        new.file.0,
        at,
        ends
    ])?;
    Ok(c.last_insert_rowid())
}

/// A round.
pub fn get(c: &Connection, id: i64) -> Result<Option<RoundRow>> {
    Ok(c.prepare_cached(&format!("{ROW} WHERE id = ?1"))?.query_row([id], row).optional()?)
}

/// The rounds of a run that are not over.
pub fn open_of_run(c: &Connection, run: i64) -> Result<Vec<RoundRow>> {
    Ok(c.prepare_cached(&format!("{ROW} WHERE run_id = ?1 AND state IN ('draft', 'open')"))?
        .query_map([run], row)?
        .collect::<Result<_, _>>()?)
}

/// Rounds, those that changed last first: of a run where one is named, in a state where one is.
pub fn list(c: &Connection, run: Option<i64>, state: Option<&str>) -> Result<Vec<RoundRow>> {
    let sql = format!("{ROW} WHERE (?1 IS NULL OR run_id = ?1) AND (?2 IS NULL OR state = ?2) ORDER BY changed DESC, id DESC LIMIT 1000");
    Ok(c.prepare_cached(&sql)?.query_map(params![run, state], row)?.collect::<Result<_, _>>()?)
}

/// The open rounds at which something may be due, of runs that are not paused.
pub fn due(c: &Connection, at: &str) -> Result<Vec<i64>> {
    let sql = "SELECT id FROM round WHERE state = 'open' AND look <= ?1 AND run_id NOT IN (SELECT id FROM run WHERE state = 'paused') ORDER BY look LIMIT 500";
    Ok(c.prepare_cached(sql)?.query_map([at], |r| r.get(0))?.collect::<Result<_, _>>()?)
}

/// An open round is looked at again at a moment.
pub fn look_at(c: &Connection, id: i64, at: &str) -> Result<()> {
    c.prepare_cached("UPDATE round SET look = ?2 WHERE id = ?1")?.execute(params![id, at])?;
    Ok(())
}

/// The next round that is to be sealed.
pub fn to_seal(c: &Connection, now: i64) -> Result<Option<RoundRow>> {
    let sql = format!(
        "{ROW} WHERE state = 'completed' AND sealed = '' AND (seal_due <= ?1 OR seal_due > ?1 + 3600) ORDER BY seal_due, id LIMIT 1"
    );
    Ok(c.prepare_cached(&sql)?.query_row([now], row).optional()?)
}

/// Writes a changed round down, if nobody has changed it since it was read; whether it did.
pub fn put(c: &Connection, own: &RoundRow, at: &str) -> Result<bool> {
    let done = c
        .prepare_cached(
            "UPDATE round SET state = ?2, round = ?3, revisions = ?4, file = ?5, changed = ?6, look = '', revision = revision + 1 WHERE id = ?1 AND revision = ?7",
        )?
        .execute(params![
            own.id,
            word(own.round.state),
            serde_json::to_string(&own.round)?,
            serde_json::to_string(&own.states)?,
            own.file,
            at,
            own.revision
        ])?;
    Ok(done > 0)
}

/// It can't be sealed for now.
pub fn seal_failed(c: &Connection, id: i64, error: &str, due: i64) -> Result<()> {
    c.prepare_cached("UPDATE round SET seal_error = ?2, seal_due = ?3, seal_tries = seal_tries + 1 WHERE id = ?1 AND sealed = ''")?
        .execute(params![id, error, due])?;
    Ok(())
}

/// It is tried again at once.
pub fn seal_now(c: &Connection, id: i64) -> Result<bool> {
    Ok(c.prepare_cached("UPDATE round SET seal_due = 0 WHERE id = ?1 AND state = 'completed' AND sealed = ''")?.execute([id])? > 0)
}

/// It is sealed; whether it was not before.
pub fn sealed(c: &Connection, id: i64, file: &str, at: &str) -> Result<bool> {
    let sql = "UPDATE round SET sealed = ?2, seal_error = '', changed = ?3, revision = revision + 1 WHERE id = ?1 AND state = 'completed' AND sealed = ''";
    Ok(c.prepare_cached(sql)?.execute(params![id, file, at])? > 0)
}

/// What happened in a round.
pub fn chain(c: &Connection, id: i64) -> Result<Chain> {
    let mut query = c.prepare_cached("SELECT link FROM round_event WHERE round_id = ?1 ORDER BY number")?;
    let links = query.query_map([id], |r| kept::<Link>(0, &r.get::<_, String>(0)?))?;
    Ok(Chain(links.collect::<Result<_, _>>()?))
}

/// How far a moment may be before that of the event before it, in seconds: what comes at the same
/// time may be written down the other way round.
const APART: i64 = 60;

/// Adds what happened to a round's events, and that the clock was set back where it was.
pub fn happened(c: &Connection, id: i64, at: &str, who: &str, what: &str, with: Value) -> Result<()> {
    let last = c
        .prepare_cached("SELECT link FROM round_event WHERE round_id = ?1 ORDER BY number DESC LIMIT 1")?
        .query_row([id], |r| kept::<Link>(0, &r.get::<_, String>(0)?))
        .optional()?;
    let mut chain = Chain(last.into_iter().collect());
    let set_back = chain.0.last().filter(|last| is_before(at, &last.at)).map(|last| json!({ "before": last.at }));
    let told = set_back.map(|with| ("Mangle", "clock set back", with));
    let mut insert = c.prepare_cached("INSERT INTO round_event (round_id, number, link) VALUES (?1, ?2, ?3)")?;
    for (who, what, with) in told.into_iter().chain([(who, what, with)]) {
        let link = chain.add(at, who, what, with);
        insert.execute(params![id, link.number, serde_json::to_string(link)?])?;
    }
    Ok(())
}

fn is_before(at: &str, other: &str) -> bool {
    let (Ok(at), Ok(other)) = (at.parse::<DateTime>(), other.parse::<DateTime>()) else { return false };
    at.saturating_add(SignedDuration::from_secs(APART)) < other
}

/// A signer's link.
#[derive(Debug, Clone)]
pub struct SignerLink {
    pub nonce: String,
    pub round_id: i64,
    pub place: Place,
    pub revoked: bool,
    pub invited: String,
    pub reminded: usize,
    pub opened: Option<String>,
    pub wrong: i64,
    pub filled: Value,
}

const LINK: &str = "SELECT nonce, round_id, seat, person, revoked, invited, reminded, opened, wrong, filled FROM signer_link";

fn link(r: &Row<'_>) -> rusqlite::Result<SignerLink> {
    Ok(SignerLink {
        nonce: r.get(0)?,
        round_id: r.get(1)?,
        place: Place { seat: r.get(2)?, person: r.get(3)? },
        revoked: r.get(4)?,
        invited: r.get(5)?,
        reminded: r.get(6)?,
        opened: r.get(7)?,
        wrong: r.get(8)?,
        filled: kept(9, &r.get::<_, String>(9)?)?,
    })
}

/// Adds the link of a signer.
pub fn add_link(c: &Connection, round: i64, place: Place, (token, nonce): (&str, &str), at: &str) -> Result<()> {
    c.prepare_cached("INSERT INTO signer_link (token, nonce, round_id, seat, person, invited) VALUES (?1, ?2, ?3, ?4, ?5, ?6)")?
        .execute(params![token, nonce, round, place.seat, place.person, at])?;
    Ok(())
}

/// The link of a token's digest.
pub fn by_token(c: &Connection, token: &str) -> Result<Option<SignerLink>> {
    Ok(c.prepare_cached(&format!("{LINK} WHERE token = ?1"))?.query_row([token], link).optional()?)
}

/// The links of a round, those that open nothing any more among them.
pub fn links(c: &Connection, round: i64) -> Result<Vec<SignerLink>> {
    let sql = format!("{LINK} WHERE round_id = ?1 ORDER BY invited, seat, person");
    Ok(c.prepare_cached(&sql)?.query_map([round], link)?.collect::<Result<_, _>>()?)
}

/// The link of a signer that opens the round.
pub fn link_of(c: &Connection, round: i64, place: Place) -> Result<Option<SignerLink>> {
    let sql = format!("{LINK} WHERE round_id = ?1 AND seat = ?2 AND person = ?3 AND revoked = 0");
    Ok(c.prepare_cached(&sql)?.query_row(params![round, place.seat, place.person], link).optional()?)
}

/// The links of a signer open nothing any more.
pub fn revoke(c: &Connection, round: i64, place: Place) -> Result<()> {
    c.prepare_cached("UPDATE signer_link SET revoked = 1, filled = '{}' WHERE round_id = ?1 AND seat = ?2 AND person = ?3")?
        .execute(params![round, place.seat, place.person])?;
    Ok(())
}

/// A signer was reminded.
pub fn reminded(c: &Connection, nonce: &str, times: usize) -> Result<()> {
    c.prepare_cached("UPDATE signer_link SET reminded = max(reminded, ?2) WHERE nonce = ?1")?.execute(params![nonce, times])?;
    Ok(())
}

/// A link was opened; whether for the first time.
pub fn opened(c: &Connection, nonce: &str, at: &str) -> Result<bool> {
    Ok(c.prepare_cached("UPDATE signer_link SET opened = ?2 WHERE nonce = ?1 AND opened IS NULL")?.execute(params![nonce, at])? > 0)
}

/// A passcode was entered, right or wrong.
pub fn passcode(c: &Connection, nonce: &str, right: bool) -> Result<()> {
    let sql = if right {
        "UPDATE signer_link SET wrong = 0 WHERE nonce = ?1"
    } else {
        "UPDATE signer_link SET wrong = wrong + 1 WHERE nonce = ?1"
    };
    c.prepare_cached(sql)?.execute([nonce])?;
    Ok(())
}

/// What a signer has filled in so far.
pub fn fill(c: &Connection, nonce: &str, filled: &Value) -> Result<()> {
    c.prepare_cached("UPDATE signer_link SET filled = ?2 WHERE nonce = ?1")?.execute(params![nonce, filled.to_string()])?;
    Ok(())
}

/// The next free place among the channels of an item, for a message of its round.
pub fn next_channel(c: &Connection, item: i64) -> Result<usize> {
    let sql = "SELECT coalesce(max(channel) + 1, 1000) FROM delivery WHERE item_id = ?1 AND channel >= 1000";
    Ok(c.prepare_cached(sql)?.query_row([item], |r| r.get(0))?)
}

/// Marks a delivery as the message of a round to a signer.
pub fn of_round(c: &Connection, delivery: i64, round: i64, place: Option<Place>) -> Result<()> {
    let place = place.map(|own| format!("{}.{}", own.seat, own.person)).unwrap_or_default();
    c.prepare_cached("UPDATE delivery SET round_id = ?2, place = ?3 WHERE id = ?1")?.execute(params![delivery, round, place])?;
    Ok(())
}

/// How the last message to each signer of a round fared: place, state, error.
pub fn messages(c: &Connection, round: i64) -> Result<Vec<(String, String, String)>> {
    let mut query = c.prepare_cached("SELECT place, state, error_message FROM delivery WHERE round_id = ?1 ORDER BY id")?;
    Ok(query.query_map([round], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)))?.collect::<Result<_, _>>()?)
}

/// The organisation's key, closed, with its certificates, and whether it was brought.
pub fn seal_key(c: &Connection) -> Result<Option<(String, Vec<String>, bool)>> {
    let sql = "SELECT private, chain, own FROM seal_key WHERE id = 1";
    Ok(c.prepare_cached(sql)?.query_row([], |r| Ok((r.get(0)?, kept(1, &r.get::<_, String>(1)?)?, r.get(2)?))).optional()?)
}

/// Keeps the organisation's key; another that was there is replaced where `replaces`.
pub fn keep_seal_key(c: &Connection, private: &str, chain: &[String], own: bool, replaces: bool, at: &str) -> Result<()> {
    let kind = if replaces { "REPLACE" } else { "IGNORE" };
    c.execute(
        &format!("INSERT OR {kind} INTO seal_key (id, private, chain, own, since) VALUES (1, ?1, ?2, ?3, ?4)"),
        params![private, serde_json::to_string(chain)?, own, at],
    )?;
    Ok(())
}

/// The round of an item.
pub fn of_item(c: &Connection, item: i64) -> Result<Option<i64>> {
    Ok(c.prepare_cached("SELECT id FROM round WHERE item_id = ?1")?.query_row([item], |r| r.get(0)).optional()?)
}

/// The round of an item is forgotten with its events and links; its files.
pub fn forget(c: &Connection, item: i64) -> Result<Vec<String>> {
    let files = c
        .prepare_cached("SELECT sent, file, sealed FROM round WHERE item_id = ?1")?
        .query_map([item], |r| Ok([r.get(0)?, r.get(1)?, r.get(2)?]))?
        .collect::<Result<Vec<[String; 3]>, _>>()?;
    c.prepare_cached("DELETE FROM round WHERE item_id = ?1")?.execute([item])?;
    Ok(files.into_iter().flatten().filter(|file| !file.is_empty()).collect())
}
