//! Rounds as the office looks after them: whose turn it is and for how long, reminders, corrected
//! addresses, withdrawals, countersigning in bulk.

use mangle_core::signing::{Act, Chain, Place, RoundState, SeatState};
use mangle_core::value::EmailAddress;
use serde::{Deserialize, Serialize};
use serde_json::json;

use super::page::{SignInput, SignatureInput};
use super::{SignerLinks, act, told};
use crate::store::rounds::{self, RoundRow};
use crate::store::{Connection, Transaction, runs};
use crate::transfer::Download;
use crate::{Actor, App, Error, Outcome, clock, jobs};

/// A round in a list.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RoundInfo {
    /// Its number.
    pub id: i64,
    /// What the document is called.
    pub title: String,
    /// The dispatch's name.
    pub dispatch: String,
    /// The run.
    pub run: i64,
    /// The item.
    pub item: i64,
    /// open, completed, declined, withdrawn or expired; completed rounds that are not sealed yet
    /// are sealing.
    pub state: String,
    /// Why it is not sealed yet; blank where it is, or need not be.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub seal_error: String,
    /// Its signers, in their order.
    pub signers: Vec<RoundSigner>,
    /// When it began, in UTC.
    pub begun: String,
    /// When it ends by itself, in UTC; none for never.
    pub ends: Option<String>,
    /// When it last changed, in UTC.
    pub changed: String,
    /// For how many days those whose turn it is have had it.
    pub waiting_days: i64,
}

/// A signer of a round.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RoundSigner {
    /// The place: the role's and the person's numbers.
    pub place: Place,
    /// The signer role.
    pub role: String,
    /// The step.
    pub step: u32,
    /// The name.
    pub name: String,
    /// The e-mail address.
    pub email: String,
    /// How far.
    pub state: SignerState,
    /// When the signer was invited, in UTC; blank before that.
    pub invited: String,
    /// How often the signer was reminded.
    pub reminded: usize,
    /// What went wrong with the last message to the signer; blank for nothing.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub trouble: String,
    /// Whether the office can sign in this place: the address is one of its own.
    pub ours: bool,
}

/// How far a signer is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum SignerState {
    /// Others come first.
    Waiting,
    /// It is the signer's turn.
    Invited,
    /// The signer has opened the document.
    Opened,
    /// The signer has signed.
    Signed,
    /// Another of the role has signed, or the round is over.
    NotNeeded,
    /// The signer has declined.
    Declined,
}

/// A round with what happened in it.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RoundDetail {
    /// The round.
    #[serde(flatten)]
    pub info: RoundInfo,
    /// What happened, each event with the digest of the one before.
    #[cfg_attr(feature = "openapi", schema(value_type = Vec<mangle_core::signing::Link>))]
    pub events: Chain,
}

/// Rounds that are chosen together.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Selected {
    /// Their numbers.
    pub rounds: Vec<i64>,
}

/// What became of something that was done with several rounds.
#[derive(Debug, Serialize, Deserialize, PartialEq, Eq, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Acted {
    /// With how many it was done.
    pub done: usize,
    /// With which not, and why.
    pub refused: Vec<(i64, String)>,
}

/// What a round is told with beside itself.
struct Beside {
    links: Vec<rounds::SignerLink>,
    messages: Vec<(String, String, String)>,
    dispatch: String,
    ours: Vec<String>,
}

fn beside(c: &Connection, row: &RoundRow) -> anyhow::Result<Beside> {
    let dispatch = runs::get(c, row.run_id)?.map_or_else(String::new, |run| run.dispatch_name);
    let office = crate::store::settings::read(c)?;
    let senders = office.senders.iter().map(|own| own.address.to_lowercase());
    let ours = [office.office_email.to_lowercase(), office.person_email.to_lowercase()].into_iter().chain(senders).collect();
    Ok(Beside { links: rounds::links(c, row.id)?, messages: rounds::messages(c, row.id)?, dispatch, ours })
}

fn info(row: &RoundRow, beside: &Beside) -> RoundInfo {
    let now = clock::now();
    let mut signers = Vec::new();
    let mut waiting_days = 0;
    for (at, seat) in row.round.seats.iter().enumerate() {
        for (person, own) in seat.people.iter().enumerate() {
            let place = Place { seat: at, person };
            let link = beside.links.iter().rfind(|link| link.place == place);
            let state = match &seat.state {
                SeatState::Signed { by, .. } if *by == person => SignerState::Signed,
                SeatState::Signed { .. } => SignerState::NotNeeded,
                _ if seat.declined.contains(&person) => SignerState::Declined,
                _ if row.round.state.is_over() => SignerState::NotNeeded,
                SeatState::Waiting => SignerState::Waiting,
                SeatState::Invited if link.is_some_and(|link| link.opened.is_some()) => SignerState::Opened,
                SeatState::Invited => SignerState::Invited,
            };
            let invited = link.map_or_else(String::new, |link| link.invited.clone());
            if row.round.state == RoundState::Open
                && matches!(state, SignerState::Invited | SignerState::Opened)
                && let Ok(since) = invited.parse::<jiff::civil::DateTime>()
            {
                let hours = now.duration_since(since).as_hours();
                waiting_days = waiting_days.max(hours / 24);
            }
            let last = beside.messages.iter().rfind(|(own, ..)| *own == format!("{at}.{person}"));
            let trouble =
                last.filter(|(_, state, _)| state == "failed" || state == "uncertain").map_or_else(String::new, |(.., e)| e.clone());
            signers.push(RoundSigner {
                place,
                role: seat.role.clone(),
                step: seat.step,
                name: own.name.clone(),
                email: own.email.clone(),
                state,
                invited,
                reminded: link.map_or(0, |link| link.reminded),
                trouble,
                ours: beside.ours.contains(&own.email.to_lowercase()),
            });
        }
    }
    signers.sort_by_key(|signer| signer.step);
    let state = match row.round.state {
        RoundState::Completed if row.sealed.is_empty() => "sealing",
        state => rounds::word(state),
    };
    RoundInfo {
        id: row.id,
        title: row.title.clone(),
        dispatch: beside.dispatch.clone(),
        run: row.run_id,
        item: row.item_id,
        state: state.to_owned(),
        seal_error: row.seal_error.clone(),
        signers,
        begun: row.begun.clone(),
        ends: row.ends.clone(),
        changed: row.changed.clone(),
        waiting_days,
    }
}

fn missing() -> Error {
    Error::missing("the signing round")
}

impl App {
    /// Rounds, those that changed last first: of a run where one is named, in a state where one is.
    pub async fn rounds(&self, run: Option<i64>, state: Option<String>) -> Outcome<Vec<RoundInfo>> {
        let found = self.store.read(move |c| -> anyhow::Result<Vec<RoundInfo>> {
            // Sealing is told apart from completed below.
            let asked = state.as_deref().map(|state| if state == "sealing" { "completed" } else { state });
            let all = rounds::list(c, run, asked)?;
            let all: anyhow::Result<Vec<RoundInfo>> = all.iter().map(|row| Ok(info(row, &beside(c, row)?))).collect();
            Ok(all?.into_iter().filter(|own| state.as_ref().is_none_or(|state| *state == own.state)).collect())
        });
        Ok(found.await?)
    }

    /// A round with what happened in it.
    pub async fn round(&self, id: i64) -> Outcome<RoundDetail> {
        let found = self.store.read(move |c| -> anyhow::Result<Option<RoundDetail>> {
            let Some(row) = rounds::get(c, id)? else { return Ok(None) };
            Ok(Some(RoundDetail { info: info(&row, &beside(c, &row)?), events: rounds::chain(c, id)? }))
        });
        found.await?.ok_or_else(missing)
    }

    /// The round of an item.
    pub async fn round_of_item(&self, item: i64) -> Outcome<Option<i64>> {
        Ok(self.store.read(move |c| -> anyhow::Result<Option<i64>> { rounds::of_item(c, item) }).await?)
    }

    /// The document of a round: sealed, or with the marks so far.
    pub async fn round_document(&self, id: i64) -> Outcome<Download> {
        let row = self.store.read(move |c| rounds::get(c, id)).await?.ok_or_else(missing)?;
        let file = if row.sealed.is_empty() { &row.file } else { &row.sealed };
        Ok(Download::new("application/pdf", &format!("{}.pdf", row.title), self.files.get(file).await?))
    }

    /// Does something with a round as the office.
    async fn act_in_round(
        &self,
        id: i64,
        word: &'static str,
        what: impl FnOnce(&RoundRow) -> Outcome<(Vec<Act>, serde_json::Value, String)> + Send + 'static,
    ) -> Outcome<RoundDetail> {
        let (links, who) = (self.signer_links(), self.actor());
        let run = self.store.change(move |t: &Transaction<'_>| -> Outcome<i64> {
            let mut row = rounds::get(t, id)?.ok_or_else(missing)?;
            let (acts, with, detail) = what(&row)?;
            let at = clock::stamp();
            rounds::happened(t, id, &at, "the office", word, with)?;
            for own in acts {
                act(t, &mut row, &own, &links, &at)?;
                row = rounds::get(t, id)?.ok_or_else(missing)?;
            }
            told(t, &row, who, word, &detail, &at)?;
            Ok(row.run_id)
        });
        let run = run.await?;
        jobs::wake(self);
        jobs::changed(self, run);
        self.round(id).await
    }

    /// Withdraws a round: nobody can sign any more.
    pub async fn withdraw_round(&self, id: i64, reason: String) -> Outcome<RoundDetail> {
        let reason: String = reason.trim().chars().take(500).collect();
        self.act_in_round(id, "withdrawn", move |_| {
            Ok((vec![Act::Withdraw { reason: reason.clone() }], json!({ "reason": reason }), reason))
        })
        .await
    }

    /// Reminds everyone whose turn it is.
    pub async fn remind_round(&self, id: i64) -> Outcome<RoundDetail> {
        self.act_in_round(id, "reminded", |row| {
            let turns = row.round.turns();
            if turns.is_empty() {
                return Err(Error::conflict("over", "nobody is asked to sign this document now"));
            }
            let names: Vec<String> = turns.iter().map(|own| row.round.seats[own.seat].people[own.person].name.clone()).collect();
            let names = names.join(", ");
            Ok((turns.into_iter().map(Act::Remind).collect(), json!({ "name": names }), names))
        })
        .await
    }

    /// Reminds the signers of several rounds.
    pub async fn remind_rounds(&self, selected: Selected) -> Outcome<Acted> {
        let mut acted = Acted::default();
        for id in selected.rounds {
            match self.remind_round(id).await {
                Ok(_) => acted.done += 1,
                Err(error) => acted.refused.push((id, error.to_string())),
            }
        }
        Ok(acted)
    }

    /// Corrects a signer's address: the old link opens nothing any more, and a new one is sent. The
    /// same address sends a new link.
    pub async fn correct_signer(&self, id: i64, place: Place, email: String) -> Outcome<RoundDetail> {
        let email = EmailAddress::parse(&email).map_err(|e| Error::unusable("e-mail", e.to_string()))?.to_string();
        self.act_in_round(id, "corrected", move |row| {
            let seat = row.round.seats.get(place.seat).filter(|seat| place.person < seat.people.len());
            let own = &seat.ok_or_else(|| Error::missing("the signer"))?.people[place.person];
            let twice =
                row.round.seats.iter().flat_map(|seat| &seat.people).any(|other| other != own && other.email.eq_ignore_ascii_case(&email));
            if twice {
                return Err(Error::unusable("same-signer", "another signer of this document has this address. Enter another."));
            }
            let with = json!({ "name": own.name, "before": own.email, "address": email });
            let detail = format!("{}: {email}", own.name);
            Ok((vec![Act::Correct { who: place, email }], with, detail))
        })
        .await
    }

    /// Tries to seal a round again at once.
    pub async fn seal_round(&self, id: i64) -> Outcome<RoundDetail> {
        if !self.store.change(move |t| rounds::seal_now(t, id)).await? {
            return Err(Error::conflict("state", "this document is not waiting for its seal"));
        }
        self.sealing.notify_one();
        self.round(id).await
    }

    /// Signs several rounds in the office's place, with one signature.
    pub async fn countersign(&self, selected: Vec<i64>, signature: SignatureInput, initials: Option<SignatureInput>) -> Outcome<Acted> {
        let mut acted = Acted::default();
        for id in selected {
            match self.countersign_one(id, &signature, initials.as_ref()).await {
                Ok(()) => acted.done += 1,
                Err(error) => acted.refused.push((id, error.to_string())),
            }
        }
        Ok(acted)
    }

    async fn countersign_one(&self, id: i64, signature: &SignatureInput, initials: Option<&SignatureInput>) -> Outcome<()> {
        for _ in 0..20 {
            let found = self.store.read(move |c| -> Outcome<_> {
                let row = rounds::get(c, id)?.ok_or_else(missing)?;
                let own = info(&row, &beside(c, &row)?);
                let signer =
                    own.signers.into_iter().find(|own| own.ours && matches!(own.state, SignerState::Invited | SignerState::Opened));
                let signer = signer.filter(|_| row.round.state == RoundState::Open);
                let place =
                    signer.ok_or_else(|| Error::conflict("not-your-turn", "it is not the office's turn to sign this document"))?.place;
                let link = rounds::link_of(c, id, place)?.ok_or_else(missing)?;
                Ok((link, row))
            });
            let (link, row) = found.await?;
            let input = SignInput {
                key: String::new(),
                consent: true,
                signature: Some(signature.clone()),
                initials: initials.cloned().or_else(|| Some(signature.clone())),
                values: Default::default(),
            };
            if self.sign_as(link, row, input, Actor::User).await?.is_some() {
                return Ok(());
            }
        }
        Err(Error::conflict("busy", "others are signing at this moment. Try again."))
    }

    /// The address of a signer's link, for the office to hand over itself.
    pub async fn signer_address(&self, id: i64, place: Place) -> Outcome<String> {
        let links: SignerLinks = self.signer_links();
        let found = self.store.read(move |c| rounds::link_of(c, id, place)).await?;
        let link = found.ok_or_else(|| Error::conflict("no-link", "this signer has no link now"))?;
        Ok(links.address(&link.nonce))
    }
}
