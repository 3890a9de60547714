//! Signing rounds: begun with the documents of a run, signed on public pages, looked after by the
//! office, sealed at the end. What a round may do is told by `mangle_core::signing`; here it is
//! written down, and what must follow is begun, in one transaction.

mod links;
mod office;
mod page;
mod seal;

use anyhow::{Context as _, Result};
use mangle_core::channel::EmailPayload;
use mangle_core::signing::{Act, Effect, Place, Refusal, Round, RoundMessage, RoundPlan, RoundState};
use rusqlite::{Transaction, params};
use serde_json::{Value, json};
use sha2::{Digest, Sha256};

pub use links::SignerLinks;
pub use office::{Acted, RoundDetail, RoundInfo, RoundSigner, Selected, SignerState};
pub use page::{FilledIn, SignInput, SignatureInput, Signed, SignerField, SignerNow, SignerOther, SignerPage, SignerPageState};
pub(crate) use seal::work as seal_work;
pub use seal::{FilePart, KeyInfo, VerifiedFile, verified};

use crate::jobs::state::{DeliveryEvent, DeliveryState, RunState};
use crate::store::deliveries::{self, NewDelivery};
use crate::store::events::{self, About};
use crate::store::rounds::{self, NewRound, RoundField, RoundRow};
use crate::store::{runs, step};
use crate::{Actor, App, Error, clock};

/// What a message of a round is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Message {
    Invitation,
    Reminder,
    Completion,
    Over(RoundState),
}

impl Message {
    fn name(self) -> &'static str {
        match self {
            Message::Invitation => "Invitation",
            Message::Reminder => "Reminder",
            Message::Completion => "Signed document",
            Message::Over(_) => "Notice",
        }
    }

    /// What it says, in a signer's language where it is there in that.
    fn text(self, plan: &RoundPlan, title: &str, language: &str) -> RoundMessage {
        match self {
            Message::Invitation => plan.messages.invitation.in_language(language),
            Message::Reminder => plan.messages.reminder.in_language(language),
            Message::Completion => plan.messages.completion.in_language(language),
            Message::Over(state) => {
                let (subject, text) = mangle_core::signing::over(state, title, language, mangle_core::signing::NAME);
                RoundMessage { subject, text, ..RoundMessage::default() }
            }
        }
    }
}

/// How the messages of a round go out that has just begun: held for a person, or from a moment on.
#[derive(Debug, Clone, Default)]
pub struct Gate {
    /// Whether a person is to release them.
    pub held: bool,
    /// The moment (UTC) before which they stay here; blank for none.
    pub opens: String,
}

/// Begins a round with the documents of an item.
pub fn begin(t: &Transaction<'_>, (item, run): (i64, i64), new: &NewRound, gate: &Gate, links: &SignerLinks, at: &str) -> Result<()> {
    let ends = new.plan.ends_after.and_then(|days| {
        let from: jiff::civil::DateTime = at.parse().ok()?;
        Some(from.checked_add(jiff::SignedDuration::from_hours(24 * i64::from(days))).ok()?.to_string())
    });
    let id = rounds::add(t, (item, run), new, ends.as_deref(), at)?;
    let mut row = rounds::get(t, id)?.context("a round that was just written is missing")?;
    let sent = json!({ "document": new.file.0, "bytes": new.file.1, "title": new.title });
    let effects = row.round.act(&Act::Begin).map_err(|refused| anyhow::anyhow!("a round can't begin: {refused}"))?;
    rounds::happened(t, id, at, "Mangle", "sent", sent)?;
    anyhow::ensure!(rounds::put(t, &row, at)?, "a round that was just written was changed");
    follow(t, &row, &effects, gate, links, at)
}

/// What must follow what somebody did in a round.
fn follow(t: &Transaction<'_>, row: &RoundRow, effects: &[Effect], gate: &Gate, links: &SignerLinks, at: &str) -> Result<()> {
    for effect in effects {
        match *effect {
            Effect::Invite(place) => {
                let (nonce, token) = links.make()?;
                rounds::add_link(t, row.id, place, (&token, &nonce), at)?;
                let person = person(&row.round, place)?;
                rounds::happened(
                    t,
                    row.id,
                    at,
                    "Mangle",
                    "invited",
                    json!({ "role": row.round.seats[place.seat].role, "name": person.name, "address": person.email, "by": "e-mail" }),
                )?;
                send(t, row, Message::Invitation, place, Some(&nonce), gate, at)?;
            }
            Effect::Remind(place) => {
                let link = rounds::link_of(t, row.id, place)?.context("a signer without a link")?;
                send(t, row, Message::Reminder, place, Some(&link.nonce), &Gate::default(), at)?;
            }
            Effect::Revoke(place) => {
                rounds::revoke(t, row.id, place)?;
                withdraw_messages(t, row.id, Some(place), at)?;
            }
            // The seal comes first, and with it whatever waits.
            Effect::Complete => {}
            Effect::Over(state) => {
                withdraw_messages(t, row.id, None, at)?;
                let waits = "item_id = :item AND waits = 'signing'";
                step(t, DeliveryEvent::Withdraw, ", changed = :at", waits, &[(":item", &row.item_id), (":at", &at)])?;
                // Whoever was asked is told, but for the one who declined.
                for (seat, own) in row.round.seats.iter().enumerate() {
                    for person in (0..own.people.len()).filter(|person| !own.declined.contains(person)) {
                        let place = Place { seat, person };
                        if was_asked(t, row.id, place)? {
                            send(t, row, Message::Over(state), place, None, &Gate::default(), at)?;
                        }
                    }
                }
            }
        }
    }
    Ok(())
}

/// Whether a signer's invitation has reached them, or may have.
fn was_asked(t: &Transaction<'_>, round: i64, place: Place) -> Result<bool> {
    let sql =
        "SELECT EXISTS (SELECT 1 FROM delivery WHERE round_id = ?1 AND place = ?2 AND state IN ('sending', 'delivered', 'uncertain'))";
    Ok(t.prepare_cached(sql)?.query_row(params![round, format!("{}.{}", place.seat, place.person)], |r| r.get(0))?)
}

/// What is not sent yet of a round, or to a signer of it, is not sent any more.
fn withdraw_messages(t: &Transaction<'_>, round: i64, place: Option<Place>, at: &str) -> Result<()> {
    let place = place.map(|own| format!("{}.{}", own.seat, own.person));
    let which = "round_id = :round AND (:place IS NULL OR place = :place)";
    step(t, DeliveryEvent::Withdraw, ", changed = :at", which, &[(":round", &round), (":place", &place), (":at", &at)])?;
    Ok(())
}

fn person(round: &Round, place: Place) -> Result<&mangle_core::signing::Person> {
    round.seats.get(place.seat).and_then(|seat| seat.people.get(place.person)).context("a signer who is not of the round")
}

/// Writes a message to a signer down, as a delivery of the item.
fn send(t: &Transaction<'_>, row: &RoundRow, what: Message, place: Place, nonce: Option<&str>, gate: &Gate, at: &str) -> Result<()> {
    // Nothing is sent any more in a run that a person has stopped.
    if runs::is(t, row.run_id, RunState::Stopped)? {
        return Ok(());
    }
    let (seat, person) = (&row.round.seats[place.seat], person(&row.round, place)?);
    let own = what.text(&row.plan, &row.title, &person.language);
    // The link is put in when it is sent.
    let message = own.to(&person.name, &seat.role, mangle_core::signing::LINK);
    let payload = EmailPayload {
        to: vec![person.email.clone()],
        subject: message.subject,
        body: message.text,
        html: message.html,
        ..EmailPayload::default()
    };
    let mut payload = serde_json::to_value(&payload)?;
    if let (Some(nonce), Value::Object(fields)) = (nonce, &mut payload) {
        fields.insert("signer_link".into(), nonce.into());
    }
    let channel = rounds::next_channel(t, row.item_id)?;
    let blocked = gate.held || gate.opens.as_str() > at;
    let new = NewDelivery {
        channel,
        kind: "email",
        name: format!("{} to {}", what.name(), person.name),
        state: if blocked { DeliveryState::Blocked } else { DeliveryState::ToSend },
        held: gate.held,
        opens: if gate.opens.as_str() > at { gate.opens.clone() } else { String::new() },
        waits: false,
        key: key(t, row, channel)?,
        recipient: person.email.clone(),
        documents: if what == Message::Completion { "[\"pdf\"]".into() } else { "[]".into() },
        payload: payload.to_string(),
        token: String::new(),
    };
    let id = deliveries::add(t, (row.item_id, row.run_id), &new, at)?;
    rounds::of_round(t, id, row.id, Some(place))?;
    // A run that is done has something to send again.
    runs::reopen(t, row.run_id)?;
    Ok(())
}

/// What tells a message of a round from every other, in the form of a Message-ID (RFC 5322 3.6.4).
fn key(t: &Transaction<'_>, row: &RoundRow, channel: usize) -> Result<String> {
    let office = crate::store::settings::read(t)?.office_email;
    let host = office.rsplit_once('@').map_or("mangle.example", |(_, host)| host);
    let digest = Sha256::digest(format!("{} {} {channel} {} {}", row.run_id, row.item_id, row.begun, row.sent));
    let hex: String = digest.iter().take(8).map(|byte| format!("{byte:02x}")).collect();
    Ok(format!("<{}.{channel}.{hex}@{host}>", row.run_id))
}

/// Does something in a round and writes down what follows; what is refused changes nothing.
fn act(t: &Transaction<'_>, row: &mut RoundRow, act: &Act, links: &SignerLinks, at: &str) -> crate::Outcome<()> {
    let effects = row.round.act(act).map_err(refused)?;
    let done = rounds::put(t, row, at).and_then(|fresh| {
        anyhow::ensure!(fresh, "the round was changed meanwhile");
        follow(t, row, &effects, &Gate::default(), links, at)
    });
    Ok(done?)
}

/// Tells why something can't be done in a round.
fn refused(refusal: Refusal) -> Error {
    let code = match refusal {
        Refusal::NoSuch => "no-signer",
        Refusal::Begun | Refusal::NotBegun => "state",
        Refusal::Over => "over",
        Refusal::NotYourTurn => "not-your-turn",
        Refusal::Signed => "signed",
        Refusal::Declined => "declined",
        Refusal::NoConsent => "no-consent",
        Refusal::Nobody => "nobody",
        Refusal::NotHandedOn => "not-handed-on",
    };
    Error::conflict(code, refusal.to_string())
}

/// Adds what happened in a round to the history of its run.
fn told(t: &Transaction<'_>, row: &RoundRow, who: Actor, what: &str, detail: &str, at: &str) -> Result<()> {
    events::add(t, who, About::item(row.run_id, row.item_id), what, detail, at)
}

/// The rounds of a run end with it.
pub fn run_stopped(t: &Transaction<'_>, run: i64, links: &SignerLinks, at: &str) -> Result<()> {
    for mut row in rounds::open_of_run(t, run)? {
        let withdraw = Act::Withdraw { reason: "the run was stopped".into() };
        rounds::happened(t, row.id, at, "the office", "withdrawn", json!({ "reason": "the run was stopped" }))?;
        act(t, &mut row, &withdraw, links, at).map_err(anyhow::Error::new)?;
    }
    Ok(())
}

/// The fields of a document as its signers fill them in.
pub fn fields_of(made: &mangle_documents::bound::Bound, filled: &mangle_documents::formats::Filled) -> Vec<RoundField> {
    use mangle_core::language::syntax::Field;
    let mut spots = made.signers();
    spots.sort_by(|a, b| (a.page, a.top, a.left).partial_cmp(&(b.page, b.top, b.left)).unwrap_or(std::cmp::Ordering::Equal));
    let mut fonts = made.signer_fonts();
    let placed = spots.into_iter().filter_map(|spot| Some((filled.signer(spot.number)?, spot)));
    let field = |(at, (place, spot)): (usize, (&mangle_documents::formats::SignerPlace, mangle_documents::layout::MarkedSpot))| {
        let options = match &place.field {
            Field::Choice(options) => options.split(';').map(|own| own.trim().to_owned()).filter(|own| !own.is_empty()).collect(),
            _ => Vec::new(),
        };
        RoundField {
            number: at + 1,
            role: place.role.clone(),
            kind: place.field.word().to_owned(),
            label: place.label.clone(),
            options,
            optional: place.optional,
            page: spot.page,
            left: spot.left,
            top: spot.top,
            width: spot.width,
            height: spot.height,
            font: fonts.remove(&spot.number),
        }
    };
    placed.enumerate().map(field).collect()
}

/// How soon a round is looked at again whose invitations are still on their way, and one that could
/// not be looked after, in seconds.
const SOON: i64 = 60;
const TROUBLED: i64 = 600;
/// A moment that never comes.
const NEVER: &str = "9999";

/// Reminds signers as the plan of their round says, and ends rounds whose time is over; the runs of
/// which something was done. One round that fails keeps no other waiting.
pub(crate) async fn keep_time(app: &App) -> Result<Vec<i64>> {
    let mut touched = Vec::new();
    for id in app.store.with(|c| rounds::due(c, &clock::stamp())).await? {
        let links = app.signer_links();
        match app.store.change(move |t| look_after(t, id, &links)).await {
            Ok(run) => touched.extend(run),
            Err(error) => {
                tracing::error!(round = id, error = format!("{error:#}"), "a signing round can't be looked after for now");
                app.store.change(move |t| rounds::look_at(t, id, &after(clock::now(), TROUBLED))).await?;
            }
        }
    }
    Ok(touched)
}

fn after(moment: jiff::civil::DateTime, seconds: i64) -> String {
    moment.saturating_add(jiff::SignedDuration::from_secs(seconds)).to_string()
}

/// Looks after one round: it ends, its signers are reminded, or nothing is due and it is told when
/// something will be. Its run, where something was done.
fn look_after(t: &Transaction<'_>, id: i64, links: &SignerLinks) -> Result<Option<i64>> {
    let (at, now) = (clock::stamp(), clock::now());
    let Some(mut row) = rounds::get(t, id)?.filter(|row| row.round.state == RoundState::Open) else { return Ok(None) };
    if row.ends.as_deref().is_some_and(|ends| ends <= at.as_str()) {
        rounds::happened(t, row.id, &at, "Mangle", "expired", Value::Null)?;
        act(t, &mut row, &Act::Expire, links, &at).map_err(anyhow::Error::new)?;
        told(t, &row, Actor::Mangle, "expired", "", &at)?;
        return Ok(Some(row.run_id));
    }
    let mut next = row.ends.clone().unwrap_or_else(|| NEVER.into());
    let mut days = row.plan.reminders.clone();
    days.sort_unstable();
    let mut touched = None;
    for link in rounds::links(t, row.id)?.into_iter().filter(|link| !link.revoked && !days.is_empty()) {
        if row.round.seats[link.place.seat].is_signed() {
            continue;
        }
        if !was_asked(t, row.id, link.place)? {
            next = next.min(after(now, SOON));
            continue;
        }
        let Ok(invited) = link.invited.parse::<jiff::civil::DateTime>() else { continue };
        let moment = |days: u32| invited.saturating_add(jiff::SignedDuration::from_hours(24 * i64::from(days)));
        // A clock that was set back reminds nobody twice: what was sent is counted.
        let due = days.iter().filter(|days| moment(**days) <= now).count();
        if let Some(later) = days.get(due) {
            next = next.min(moment(*later).to_string());
        }
        if due > link.reminded {
            rounds::reminded(t, &link.nonce, due)?;
            rounds::happened(t, row.id, &at, "Mangle", "reminded", json!({ "name": person(&row.round, link.place)?.name }))?;
            let mut fresh = rounds::get(t, row.id)?.context("an open round")?;
            act(t, &mut fresh, &Act::Remind(link.place), links, &at).map_err(anyhow::Error::new)?;
            row = fresh;
            touched = Some(row.run_id);
        }
    }
    rounds::look_at(t, id, &next)?;
    Ok(touched)
}
