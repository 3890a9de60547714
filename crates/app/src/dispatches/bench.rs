//! The bench: a dispatch with the state of its stations.

use std::collections::HashSet;

use mangle_core::channel::{AttachTo, CrmSource, NoteTo, PrinterAddress, World, places};
use mangle_core::crm::{EntityField, FieldType};
use mangle_core::diagnostic::{Diagnostic, Target};
use mangle_core::dispatch::{Question, Setup, TieState};
use mangle_core::language::template_marks;
use mangle_core::preflight::{Facts, UnsureDate, obstacles};
use mangle_core::records::{Labels, Record};
use mangle_core::signing::signer_fields;
use mangle_core::trigger::number;
use mangle_core::words::counted;
use serde::{Deserialize, Serialize};

use super::{find, ready, sheet_name};
use crate::prepare::blocking;
use crate::store::dispatches::{self, Dispatch};
use crate::store::queries::{self, Connected, KeptQuery};
use crate::store::runs::{self, RunInfo};
use crate::store::{messages, settings, sheets};
use crate::{App, Error, buckets, clock};

/// A dispatch as it is saved.
#[derive(Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct DispatchBody {
    /// Its name.
    name: String,
    /// The template's number.
    template_id: Option<i64>,
    /// The sheet's number.
    sheet_id: Option<i64>,
    /// What is set on the bench.
    setup: Setup,
    /// The revision that was changed: what was changed elsewhere meanwhile is not
    /// overwritten. Left out, whatever is there is.
    #[serde(default)]
    revision: Option<i64>,
    /// Another key; the old address leads nowhere then.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    new_key: Option<String>,
}

/// The bench: a dispatch with the state of its stations.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Bench {
    /// Its key.
    key: String,
    /// What is saved.
    #[serde(flatten)]
    body: DispatchBody,
    /// When it was last changed.
    changed: String,
    /// The template in use.
    template: Option<TemplateInUse>,
    /// How many problems the template has.
    template_problems: usize,
    /// The sheet in use.
    sheet: Option<SheetInUse>,
    /// The columns of the sheet.
    columns: Vec<sheets::ColumnInfo>,
    /// Columns that the template and the texts do not use.
    unused: Vec<String>,
    /// How the names are tied.
    ties: Vec<TieInfo>,
    /// The rows that are chosen: number and what to call it.
    pub records: Vec<RecordInfo>,
    /// How many rows the sheet has.
    row_count: usize,
    /// What is wrong with the filter.
    #[serde(serialize_with = "mangle_core::words::as_sentence_or_none")]
    pub(crate) filter_problem: Option<String>,
    /// What stops a run as a whole.
    pub obstacles: Vec<Diagnostic>,
    /// What the columns tell of the template's placeholders; it stops nothing.
    hints: Vec<Diagnostic>,
    /// Its runs, the newest first.
    runs: Vec<RunInfo>,
    /// How many of the records that the filter takes each template rule takes, and last how many
    /// none does.
    taken_by_rules: Vec<usize>,
    /// What its pack asks before it is made.
    pub(super) questions: Vec<Question>,
    /// The person's own address.
    person_email: String,
    /// The folders of this machine that documents may be put into.
    folders: Vec<String>,
    /// The hosts that web hooks may be posted to.
    hosts: Vec<String>,
    /// The office's printers.
    printers: Vec<PrinterAddress>,
    /// The CRM that the records come from; none where they come from elsewhere.
    crm: Option<CrmInUse>,
}

/// The CRM that the records come from.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct CrmInUse {
    /// What the connection is called.
    name: String,
    /// The set of the records.
    root: String,
    /// The fields of a record that can be set.
    fields: Vec<EntityField>,
    /// Where documents can be attached, the likeliest first.
    attach: Vec<AttachTo>,
    /// Where notes can be left, the likeliest first.
    notes: Vec<NoteTo>,
}

impl CrmInUse {
    fn of(source: &(KeptQuery, Connected)) -> CrmInUse {
        let (query, connected) = source;
        let root = query.asks.root.clone();
        let entity = connected.shape.entity(&root);
        let settable = |field: &&EntityField| field.kind != FieldType::Picture && entity.is_some_and(|own| !own.key.contains(&field.name));
        let fields = entity.map(|own| own.fields.iter().filter(settable).cloned().collect()).unwrap_or_default();
        let (attach, notes) = places(&connected.shape, &root);
        CrmInUse { name: connected.name.clone(), root, fields, attach, notes }
    }
}

/// The template in use.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TemplateInUse {
    /// Its name.
    name: String,
    /// The number of the version in use.
    version: i64,
}

/// The sheet in use.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SheetInUse {
    /// The source's name.
    source: String,
    /// The sheet's name.
    name: String,
}

/// How a name is tied.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TieInfo {
    /// The name in the template.
    name: String,
    /// How many placeholders use it.
    uses: usize,
    /// The column that it takes; none while it is open.
    column: Option<String>,
    /// Whether a person chose it.
    by_hand: bool,
    /// The list, or the record along a relation, whose field it is.
    of: Option<String>,
    /// The columns by likeness, for an open name.
    likeliest: Vec<String>,
}

impl From<TieState> for TieInfo {
    fn from(tie: TieState) -> Self {
        TieInfo { name: tie.name, uses: tie.uses, column: tie.column, by_hand: tie.by_hand, of: tie.of, likeliest: tie.likeliest }
    }
}

/// A chosen row.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RecordInfo {
    /// Its number in the sheet.
    pub row: usize,
    /// What to call it.
    pub label: String,
    /// What this dispatch made of it before.
    pub served: Option<ServedInfo>,
}

/// A run that has served a record.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ServedInfo {
    /// The run's number.
    run: i64,
    /// When.
    at: String,
}

impl App {
    /// A dispatch with the state of its steps.
    pub async fn bench(&self, key: &str) -> Result<Bench, Error> {
        bench(self, find(self, key).await?).await
    }

    /// Saves a dispatch and gives its stations' new state.
    pub async fn change_dispatch(&self, key: &str, new: DispatchBody) -> Result<Bench, Error> {
        let mut dispatch = find(self, key).await?;
        if new.name.trim().is_empty() {
            return Err(Error::unusable("no-name", "enter a name"));
        }
        if new.revision.is_some_and(|seen| seen != dispatch.revision) {
            return Err(changed_elsewhere());
        }
        let at = clock::stamp();
        let (old, name) = (dispatch.name.clone(), new.name.trim().to_owned());
        let renamed = old != name;
        let mut setup = new.setup;
        if renamed {
            setup.renamed(&old, &name);
        }
        number(&mut setup.triggers);
        dispatch = Dispatch { name, template_id: new.template_id, sheet_id: new.sheet_id, setup, changed: at.clone(), ..dispatch };
        let (wanted, mut kept) = (new.new_key, dispatch);
        let kept = self
            .store
            .change(move |t| -> Result<Option<Dispatch>, Error> {
                match wanted.as_deref().map(str::trim) {
                    Some(key) if key != kept.key => {
                        let free = dispatches::free_key(t, key, kept.id)?;
                        if free != key {
                            return Err(Error::unusable("key", format!("“{key}” can't be the key of this dispatch; “{free}” can")));
                        }
                        kept.key = free;
                    }
                    // One that has not run yet is found under its new name.
                    None if renamed && runs::list(t, Some(&kept.key))?.is_empty() => {
                        kept.key = dispatches::free_key(t, &kept.name, kept.id)?
                    }
                    _ => {}
                }
                messages::resolve(t, &kept.setup)?;
                if !dispatches::change(t, &kept, &at)? {
                    return Ok(None);
                }
                for used in kept.setup.channels.iter().filter_map(|channel| channel.message()) {
                    messages::share_pictures(t, &used.key)?;
                }
                kept.revision += 1;
                Ok(Some(kept))
            })
            .await?;
        bench(self, kept.ok_or_else(changed_elsewhere)?).await
    }
}

pub(super) async fn bench(app: &App, dispatch: Dispatch) -> Result<Bench, Error> {
    bench_of(app, dispatch, None).await
}

/// The same as if some rows were all that the sheet has.
pub(crate) async fn bench_of(app: &App, dispatch: Dispatch, only: Option<HashSet<usize>>) -> Result<Bench, Error> {
    let (mut prepared, version) = ready(app, &dispatch).await?;
    prepared.only = only;
    let sheet_id = dispatch.sheet_id;
    let key = dispatch.key.clone();
    let (sheet, info, runs, settings, source, buckets) = app
        .store
        .with(move |c| -> anyhow::Result<_> {
            let info = sheet_id.map(|id| sheets::sheet(c, id)).transpose()?.flatten();
            let source = sheet_id.map(|id| queries::of_sheet(c, id)).transpose()?.flatten();
            Ok((sheet_name(c, sheet_id)?, info, runs::list(c, Some(&key))?, settings::read(c)?, source, buckets::names(c)?))
        })
        .await?;
    let setup = dispatch.setup;
    let (name, template_id, revision) = (dispatch.name, dispatch.template_id, Some(dispatch.revision));
    let body = DispatchBody { name, template_id, sheet_id, setup, revision, new_key: None };
    let unsure = info.map(|i| i.unsure).unwrap_or_default().into_iter();
    let unsure: Vec<UnsureDate> =
        unsure.map(|u| UnsureDate { column: u.column, example: u.example, day_first: u.day_first, month_first: u.month_first }).collect();
    let columns = prepared.sheet.as_ref().map(|s| s.columns()).unwrap_or_default();
    let folders: Vec<String> = app.folders.iter().cloned().chain(buckets).collect();
    let (hosts, public) = (app.hosts.clone(), app.public_url.is_some());
    blocking(move || {
        let ties = prepared.ties();
        let (records, filter_problem) = match prepared.chosen() {
            Ok((records, unclear)) => {
                let problem = unclear.first().map(|(row, why)| {
                    format!(
                        "the filter fails for {}, which are therefore not selected. First: row {row}: {why}",
                        counted(unclear.len(), "record", "records")
                    )
                });
                let served = |row: &usize| {
                    let served = prepared.served.get(row)?;
                    Some(ServedInfo { run: served.run?, at: served.at.clone() })
                };
                let labels = records.first().map(|r| Labels::new(r.schema(), &prepared.setup.label));
                let label = |r: &Record| labels.as_ref().map(|l| l.of(r)).unwrap_or_default();
                let info = |r: &&Record| RecordInfo { row: r.number, label: label(r), served: served(&r.number) };
                (records.iter().map(info).collect(), problem)
            }
            Err(refused) => (Vec::new(), Some(refused.to_string())),
        };
        let used: Vec<&str> = ties.iter().filter_map(|t| t.column.as_deref()).collect();
        let problems = prepared.template.as_ref().map_or(0, |t| t.problems().len());
        let printers: Vec<String> = prepared.settings.printers.iter().map(|printer| printer.name.clone()).collect();
        let signer_fields = signer_fields(prepared.template.iter().flat_map(|t| t.placeholders()));
        let facts = Facts {
            signer_fields: &signer_fields,
            template_problems: prepared.template.as_ref().map(|t| t.problems().len()),
            writes: prepared.template.as_ref().is_none_or(|t| t.writes()),
            source: prepared.sheet.is_some(),
            unsure: &unsure,
            ties: &ties,
            plan: &prepared.plan,
            world: World {
                office_email: &prepared.settings.office_email,
                senders: &prepared.settings.senders,
                folders: &folders,
                hosts: &hosts,
                public,
                timestamps: !prepared.settings.timestamp_authority.trim().is_empty(),
                printers: &printers,
                crm: source.as_ref().map(|(query, own)| CrmSource { name: &own.name, shape: &own.shape, root: &query.asks.root }),
            },
        };
        let stops = obstacles(&facts);
        let hints = match (&prepared.template, &prepared.sheet) {
            (Some(template), Some(_)) => template_marks(template.placeholders(), &prepared.schema, &prepared.plan.ties)
                .into_iter()
                .map(|(at, mark)| {
                    let placeholder = &template.placeholders()[at];
                    let target = Target::Template { place: placeholder.place, line: placeholder.line.clone() };
                    mark.about(target).within(&*placeholder.text)
                })
                .collect(),
            _ => Vec::new(),
        };
        Bench {
            key: dispatch.key,
            hints,
            body,
            changed: dispatch.changed,
            template: version.map(|(name, version, _)| TemplateInUse { name, version }),
            template_problems: problems,
            sheet: sheet.map(|(source, name)| SheetInUse { source, name }),
            unused: match prepared.plan.joint {
                // Its names are looked up in the turns of `records`.
                true => Vec::new(),
                false => columns.iter().map(|c| c.name.clone()).filter(|name| !used.contains(&name.as_str())).collect(),
            },
            columns,
            ties: ties.into_iter().map(Into::into).collect(),
            records,
            row_count: prepared.sheet.as_ref().map_or(0, |s| s.sheet.records.len()),
            filter_problem,
            obstacles: stops,
            folders,
            hosts,
            printers: prepared.settings.printers.clone(),
            crm: source.as_ref().map(CrmInUse::of),
            runs,
            taken_by_rules: if prepared.setup.rules.is_empty() { Vec::new() } else { prepared.taken_by_rules() },
            questions: prepared.template.as_ref().map(|t| t.questions()).unwrap_or_default(),
            person_email: settings.person_email,
        }
    })
    .await
    .map_err(Into::into)
}

/// What is said where another page was faster.
pub(super) fn changed_elsewhere() -> Error {
    Error::conflict(
        "changed-elsewhere",
        "This dispatch was changed in another window since this page was loaded. Load it again to see that; what you changed here last has not been saved.",
    )
}
