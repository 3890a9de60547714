//! One record, step by step: found by its row or its key in the CRM, looked at with the answers to
//! what is asked, and made.

use std::collections::BTreeMap;

use mangle_core::dispatch::Question;
use mangle_core::signing::SignerSetup;
use serde::{Deserialize, Serialize};

use super::preview::{PageView, view};
use super::{bench, find, ready};
use crate::crm::queries::fetched;
use crate::dispatches::sheet_name;
use crate::prepare::blocking;
use crate::store::dispatches::Dispatch;
use crate::store::items::{self, OfRow};
use crate::store::runs::RunInfo;
use crate::store::{queries, settings};
use crate::{App, Error, Outcome};

/// One record as a dispatch would make its document.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct OneRecord {
    /// The dispatch's name.
    pub name: String,
    /// The revision of the dispatch that this is of.
    pub revision: i64,
    /// The row's number.
    pub row: usize,
    /// The sheet's number.
    pub sheet: i64,
    /// The source's and sheet's name.
    pub source: String,
    /// What the record is called.
    pub label: String,
    /// What is asked before it is made.
    pub questions: Vec<Question>,
    /// The answers that are used where nothing else is said.
    pub answers: BTreeMap<String, String>,
    /// Who is to sign it, where it is signed: another can be named for this record.
    pub signers: Vec<OneSigner>,
    /// Whom its messages can come from, where it is sent by e-mail and there is a choice.
    pub senders: Vec<String>,
    /// What keeps the dispatch from running.
    pub obstacles: Vec<String>,
    /// What was made of the record before, the newest first.
    pub before: Vec<OfRow>,
    /// How many documents this dispatch has made of it and sent or is sending: told before it makes
    /// another.
    pub repeats: usize,
    /// Whether the record is among those that the dispatch selects.
    pub selected: bool,
    /// Whether it is created with what is usual, without questions.
    pub without_questions: bool,
}

/// Who is to sign for a role.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct OneSigner {
    /// The signer role.
    pub role: String,
    /// The first of those who can sign for it.
    pub name: String,
    /// Their address.
    pub email: String,
    /// Their language, a BCP 47 tag.
    pub language: String,
    /// How many others can sign instead.
    pub others: usize,
}

/// What is said of a record beside what its source says.
#[derive(Debug, Default, Clone, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct OneChoices {
    /// The answers to what is asked; the usual ones count for others.
    pub answers: BTreeMap<String, String>,
    /// Who signs instead of those whom the dispatch says, by the role.
    #[serde(default)]
    pub signers: BTreeMap<String, SignerSetup>,
    /// Whom messages come from instead: the address or the name of one of the office's senders;
    /// blank for what the channel says.
    #[serde(default)]
    pub sender: String,
}

/// What a record's document is made with.
#[derive(Debug, Default, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct StartOne {
    /// What is said of it beside what its source says.
    #[serde(default)]
    pub choices: OneChoices,
    /// Whether its deliveries wait until a person releases them.
    pub hold: bool,
    /// How many documents of it there were before, as the person was told and confirmed.
    #[serde(default)]
    pub repeats: usize,
    /// The revision of the dispatch that the person saw.
    pub revision: Option<i64>,
    /// What tells this start from another: the same one starts once.
    #[serde(default)]
    pub start_key: Option<String>,
}

/// The dispatch for one record alone, with what is said of it.
fn alone(mut dispatch: Dispatch, row: usize, choices: OneChoices) -> Dispatch {
    dispatch.setup.picked = vec![row];
    dispatch.setup.left_out = Vec::new();
    dispatch.setup.choose = mangle_core::dispatch::Choose::All;
    dispatch.setup.answers.extend(choices.answers);
    for role in &mut dispatch.setup.signing.roles {
        if let Some(other) = choices.signers.get(role.role.trim()) {
            role.people = vec![other.clone()];
        }
    }
    if !choices.sender.trim().is_empty() {
        dispatch.setup.channels.iter_mut().for_each(|channel| channel.send_from(choices.sender.trim()));
    }
    dispatch
}

/// The row of a record: that of its key in the CRM, or its number. A CRM that has a record which is
/// not here yet is asked once.
async fn row_of(app: &App, dispatch: &Dispatch, record: &str) -> Outcome<(i64, usize)> {
    let Some(sheet) = dispatch.sheet_id else {
        return Err(Error::conflict("not-ready", "choose a template and a source first"));
    };
    let missing = || Error::missing("the record");
    let query = app.store.read(move |c| queries::of_sheet(c, sheet)).await?;
    let Some((query, _)) = query else {
        let row = record.parse().map_err(|_| missing())?;
        app.sheet(sheet).await?.sheet.record(row).ok_or_else(missing)?;
        return Ok((sheet, row));
    };
    let by_key = async || {
        let key = record.to_owned();
        app.store.read(move |c| queries::row_of_key(c, sheet, &key)).await
    };
    if let Some(row) = by_key().await? {
        return Ok((sheet, row));
    }
    fetched(app, query.id).await?;
    Ok((sheet, by_key().await?.ok_or_else(missing)?))
}

impl App {
    /// One record of a dispatch, by its row or its key in the CRM.
    pub async fn one_record(&self, key: &str, record: &str) -> Outcome<OneRecord> {
        let dispatch = find(self, key).await?;
        let (sheet, row) = row_of(self, &dispatch, record).await?;
        let (id, name, revision, answers) = (dispatch.id, dispatch.name.clone(), dispatch.revision, dispatch.setup.answers.clone());
        let without_questions = dispatch.setup.without_questions;
        let loaded = self.sheet(sheet).await?;
        let label = loaded.sheet.record(row).map(|own| mangle_core::records::label(own, &dispatch.setup.label)).unwrap_or_default();
        let alone = alone(dispatch, row, OneChoices::default());
        let signers = self.signers_of(&alone, row).await?;
        let by_mail = alone.setup.channels.iter().any(|channel| channel.on && channel.channel.kind() == "email");
        let bench = bench::bench(self, alone).await?;
        let selected = bench.records.iter().any(|own| own.row == row);
        let found = self.store.read(move |c| -> anyhow::Result<_> {
            let served = items::served(c, id, sheet, &|_, _| false)?;
            let source = sheet_name(c, Some(sheet))?.map(|(source, sheet)| format!("{source}, {sheet}")).unwrap_or_default();
            let repeats = usize::from(served.get(&row).is_some_and(|own| own.run.is_some()));
            Ok((items::history(c, sheet, row)?, repeats, source, settings::read(c)?.senders))
        });
        let (mut before, repeats, source, senders) = found.await?;
        before.retain(|own| own.kind == "run" && own.dispatch == name);
        Ok(OneRecord {
            name,
            revision,
            row,
            sheet,
            source,
            label,
            questions: bench.questions,
            answers,
            signers,
            senders: senders.into_iter().filter(|_| by_mail).map(|sender| sender.address).collect(),
            obstacles: bench.obstacles.iter().map(ToString::to_string).collect(),
            before,
            repeats,
            selected,
            without_questions,
        })
    }

    /// The pages of one record with answers to what is asked.
    pub async fn one_page(&self, key: &str, row: usize, choices: OneChoices) -> Outcome<PageView> {
        let dispatch = find(self, key).await?;
        let (prepared, _) = ready(self, &alone(dispatch, row, choices)).await?;
        blocking(move || view(&prepared, row)).await?
    }

    /// Who is to sign a record's document by the dispatch; nobody where that can't be told.
    async fn signers_of(&self, dispatch: &Dispatch, row: usize) -> Outcome<Vec<OneSigner>> {
        if !dispatch.setup.signing.on {
            return Ok(Vec::new());
        }
        let (prepared, _) = ready(self, dispatch).await?;
        let all = blocking(move || {
            let record = prepared.sheet.as_ref().and_then(|sheet| sheet.sheet.record(row))?;
            let context = prepared.context(record, 1, 1);
            let plan = prepared.plan.signing.as_ref()?.render(&prepared.scope(record, &context)).ok()?;
            let one = |(role, _, people): (String, u32, Vec<mangle_core::signing::Person>)| {
                let others = people.len().saturating_sub(1);
                let first = people.into_iter().next()?;
                Some(OneSigner { role, name: first.name, email: first.email, language: first.language, others })
            };
            Some(plan.roles.into_iter().filter_map(one).collect())
        });
        Ok(all.await?.unwrap_or_default())
    }

    /// Makes the document of one record. Refused while anything stops it, and where the record would
    /// be served again unconfirmed.
    pub async fn start_one(&self, key: &str, row: usize, asked: StartOne) -> Outcome<RunInfo> {
        let dispatch = find(self, key).await?;
        if asked.revision.is_some_and(|seen| seen != dispatch.revision) {
            return Err(bench::changed_elsewhere());
        }
        if dispatch.setup.joint {
            return Err(Error::conflict("joint", "this dispatch makes one document of all records. Start a run instead."));
        }
        self.begin_one(alone(dispatch, row, asked.choices), (asked.repeats, asked.start_key, asked.hold)).await
    }
}
