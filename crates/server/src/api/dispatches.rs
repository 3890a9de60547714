//! Dispatches and the bench: set-up, ties, preview, preflight, starting a run.

use axum::Json;
use axum::extract::{Path, State};
use mangle_core::dispatch::{Setup, TieState};
use mangle_core::preflight::{Finding, obstacles};
use mangle_core::records::{Record, Schema};
use mangle_core::value::EmailAddress;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::drop::first_setup;
use crate::clock;
use crate::error::{Answer, Problem, Refused};
use crate::prepare::{Prepared, blocking, label};
use crate::run;
use crate::server::App;
use crate::store::dispatches::{self, Dispatch};
use crate::store::runs::{self, NewRun, RunInfo};
use crate::store::{settings, sheets, templates};

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list, add))
        .routes(routes!(show, change, remove))
        .routes(routes!(page))
        .routes(routes!(preflight))
        .routes(routes!(start))
        .routes(routes!(proofs))
}

/// A dispatch in the list.
#[derive(Debug, Serialize, ToSchema)]
struct DispatchInfo {
    /// Its key, which stays the same.
    key: String,
    /// Its name.
    name: String,
    /// The template's name.
    template: Option<String>,
    /// The source's and sheet's name.
    sheet: Option<String>,
    /// When it was last changed.
    changed: String,
    /// Its last run that was no proof.
    last_run: Option<RunInfo>,
}

/// A dispatch as it is saved.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
struct DispatchBody {
    /// Its name.
    name: String,
    /// The template's number.
    template_id: Option<i64>,
    /// The sheet's number.
    sheet_id: Option<i64>,
    /// What is set on the bench.
    setup: SetupBody,
}

/// What is set on the bench.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
struct SetupBody {
    /// Template name → column, for names that do not tie themselves.
    ties: std::collections::BTreeMap<String, String>,
    /// A condition that chooses records; empty for all.
    filter: String,
    /// Rows left out by hand.
    left_out: Vec<usize>,
    /// pdf, docx or both.
    output: String,
    /// The pattern of file names.
    name: String,
    /// The e-mail channel, when it is on.
    email: Option<EmailBody>,
    /// The locale by which values print.
    locale: String,
}

/// The e-mail channel; every field may hold placeholders.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
struct EmailBody {
    /// Recipients, parted by commas.
    to: String,
    /// Copies.
    cc: String,
    /// Blind copies.
    bcc: String,
    /// The subject.
    subject: String,
    /// The text.
    body: String,
}

/// The set-up is the same to the letter on both sides: JSON carries it over.
fn setup_of(body: &SetupBody) -> Result<Setup, Refused> {
    let value = serde_json::to_value(body).map_err(anyhow::Error::new)?;
    serde_json::from_value(value).map_err(|e| Refused::unusable("setup", format!("the set-up can't be used: {e}")))
}

fn body_of(setup: &Setup) -> Result<SetupBody, Refused> {
    let value = serde_json::to_value(setup).map_err(anyhow::Error::new)?;
    Ok(serde_json::from_value(value).map_err(anyhow::Error::new)?)
}

/// The bench: a dispatch with the state of its stations.
#[derive(Debug, Serialize, ToSchema)]
struct Bench {
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
    records: Vec<RecordInfo>,
    /// How many rows the sheet has.
    row_count: usize,
    /// What is wrong with the filter.
    filter_problem: Option<String>,
    /// What stops a run as a whole.
    obstacles: Vec<ObstacleInfo>,
    /// Its runs, the newest first.
    runs: Vec<RunInfo>,
    /// The person's own address.
    person_email: String,
}

/// The template in use.
#[derive(Debug, Serialize, ToSchema)]
struct TemplateInUse {
    /// Its name.
    name: String,
    /// The number of the version in use.
    version: i64,
}

/// The sheet in use.
#[derive(Debug, Serialize, ToSchema)]
struct SheetInUse {
    /// The source's name.
    source: String,
    /// The sheet's name.
    name: String,
}

/// How a name is tied.
#[derive(Debug, Serialize, ToSchema)]
struct TieInfo {
    /// The name in the template.
    name: String,
    /// How many placeholders use it.
    uses: usize,
    /// The column that it takes; none while it is open.
    column: Option<String>,
    /// Whether a person chose it.
    by_hand: bool,
    /// The columns by likeness, for an open name.
    likeliest: Vec<String>,
}

impl From<TieState> for TieInfo {
    fn from(tie: TieState) -> Self {
        TieInfo { name: tie.name, uses: tie.uses, column: tie.column, by_hand: tie.by_hand, likeliest: tie.likeliest }
    }
}

/// A chosen row.
#[derive(Debug, Serialize, ToSchema)]
struct RecordInfo {
    /// Its number in the sheet.
    row: usize,
    /// What to call it.
    label: String,
}

/// What stops a run.
#[derive(Debug, Serialize, ToSchema)]
struct ObstacleInfo {
    /// The station where it is mended.
    station: String,
    /// What is wrong and what to do.
    message: String,
}

/// All dispatches, the last changed first.
#[utoipa::path(get, path = "/api/dispatches", tag = "dispatches", responses((status = 200, body = Vec<DispatchInfo>)))]
async fn list(State(app): State<App>) -> Answer<Vec<DispatchInfo>> {
    let found = app
        .store
        .with(|c| -> anyhow::Result<Vec<DispatchInfo>> {
            let runs = runs::list(c, None)?;
            dispatches::list(c)?
                .into_iter()
                .map(|d| {
                    let template = d.template_id.map(|id| templates::get(c, id)).transpose()?.flatten().map(|t| t.name);
                    let last_run = runs.iter().find(|r| r.dispatch == d.key && r.kind == "run").cloned();
                    Ok(DispatchInfo {
                        template,
                        sheet: sheet_name(c, d.sheet_id)?.map(|(source, sheet)| format!("{source}, {sheet}")),
                        key: d.key,
                        name: d.name,
                        changed: d.changed,
                        last_run,
                    })
                })
                .collect()
        })
        .await?;
    Ok(Json(found))
}

fn sheet_name(c: &rusqlite::Connection, id: Option<i64>) -> anyhow::Result<Option<(String, String)>> {
    let Some(info) = id.map(|id| sheets::sheet(c, id)).transpose()?.flatten() else { return Ok(None) };
    let source = sheets::sources(c)?.into_iter().find(|s| s.id == info.source_id).map(|s| s.name).unwrap_or_default();
    Ok(Some((source, info.name)))
}

/// What a new dispatch is made of.
#[derive(Debug, Deserialize, ToSchema)]
struct NewDispatch {
    /// Its name.
    name: String,
    /// The template's number.
    template_id: Option<i64>,
    /// The sheet's number.
    sheet_id: Option<i64>,
    /// A condition that chooses records.
    #[serde(default)]
    filter: String,
}

/// The key of a new dispatch.
#[derive(Debug, Serialize, ToSchema)]
struct Key {
    /// The key.
    key: String,
}

/// Adds a dispatch.
#[utoipa::path(post, path = "/api/dispatches", tag = "dispatches", request_body = NewDispatch, responses((status = 200, body = Key), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, Json(new): Json<NewDispatch>) -> Answer<Key> {
    let name = new.name.trim().to_owned();
    if name.is_empty() {
        return Err(Refused::unusable("no-name", "the dispatch needs a name"));
    }
    let key = app
        .store
        .with(move |c| -> anyhow::Result<String> {
            let columns = new.sheet_id.map(|id| sheets::sheet(c, id)).transpose()?.flatten().map(|s| s.columns).unwrap_or_default();
            let schema = Schema::new(columns.iter().map(sheets::ColumnInfo::column).collect())?;
            let setup = Setup { filter: new.filter, ..first_setup(&name, &schema) };
            dispatches::add(c, &name, new.template_id, new.sheet_id, &setup, &clock::stamp())
        })
        .await?;
    Ok(Json(Key { key }))
}

async fn find(app: &App, key: &str) -> Result<Dispatch, Refused> {
    let key = key.to_owned();
    app.store.with(move |c| dispatches::by_key(c, &key)).await?.ok_or_else(|| Refused::missing("the dispatch"))
}

/// The version in use of a dispatch's template.
async fn version(app: &App, dispatch: &Dispatch) -> Result<Option<(String, i64, i64)>, Refused> {
    let Some(id) = dispatch.template_id else { return Ok(None) };
    let template = app.store.with(move |c| templates::get(c, id)).await?;
    Ok(template.and_then(|t| t.versions.first().map(|v| (t.name, v.number, v.id))))
}

async fn ready(app: &App, dispatch: &Dispatch) -> Result<(Prepared, Option<(String, i64, i64)>), Refused> {
    let version = version(app, dispatch).await?;
    let prepared =
        app.prepare(dispatch.setup.clone(), version.as_ref().map(|v| v.2), dispatch.sheet_id, &dispatch.name, clock::now()).await?;
    Ok((prepared, version))
}

/// A dispatch with the state of its stations.
#[utoipa::path(get, path = "/api/dispatches/{key}", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = Bench), (status = 404, body = Problem)))]
async fn show(State(app): State<App>, Path(key): Path<String>) -> Answer<Bench> {
    let dispatch = find(&app, &key).await?;
    bench(&app, dispatch).await.map(Json)
}

async fn bench(app: &App, dispatch: Dispatch) -> Result<Bench, Refused> {
    let (prepared, version) = ready(app, &dispatch).await?;
    let sheet_id = dispatch.sheet_id;
    let key = dispatch.key.clone();
    let (sheet, columns, runs, settings) = app
        .store
        .with(move |c| -> anyhow::Result<_> {
            let columns = sheet_id.map(|id| sheets::sheet(c, id)).transpose()?.flatten().map(|s| s.columns).unwrap_or_default();
            Ok((sheet_name(c, sheet_id)?, columns, runs::list(c, Some(&key))?, settings::read(c)?))
        })
        .await?;
    let body = DispatchBody { name: dispatch.name, template_id: dispatch.template_id, sheet_id, setup: body_of(&dispatch.setup)? };
    blocking(move || {
        let ties = prepared.ties();
        let (records, filter_problem) = match prepared.chosen() {
            Ok((records, unclear)) => {
                let problem = unclear.first().map(|(row, why)| {
                    format!(
                        "the filter can't judge {}, so not chosen; the first is row {row}: {why}",
                        counted(unclear.len(), "record", "records")
                    )
                });
                (records.iter().map(|r| RecordInfo { row: r.number, label: label(r) }).collect(), problem)
            }
            Err(refused) => (Vec::new(), Some(refused.problem.message)),
        };
        let used: Vec<&str> = ties.iter().filter_map(|t| t.column.as_deref()).collect();
        let problems = prepared.template.as_ref().map_or(0, |t| t.problems().len());
        let mut stops: Vec<ObstacleInfo> = obstacles(&ties, &prepared.plan)
            .into_iter()
            .map(|o| ObstacleInfo { station: o.station.to_owned(), message: o.message })
            .collect();
        let stop = |station: &str, message: &str| ObstacleInfo { station: station.to_owned(), message: message.to_owned() };
        if prepared.template.is_none() {
            stops.insert(0, stop("template", "no template is chosen; choose one or drop a DOCX here"));
        }
        if prepared.sheet.is_none() {
            stops.insert(0, stop("records", "no source is chosen; choose a sheet or drop one here"));
        }
        if problems > 0 {
            stops.insert(
                0,
                stop(
                    "template",
                    &format!("the template has {}; put right what it says and bring it in again", counted(problems, "problem", "problems")),
                ),
            );
        }
        if prepared.plan.email.is_some() && prepared.settings.office_email.trim().is_empty() {
            stops.push(stop("channels", "the office has no e-mail address to send from; put it into the settings"));
        }
        Bench {
            key: dispatch.key,
            body,
            changed: dispatch.changed,
            template: version.map(|(name, version, _)| TemplateInUse { name, version }),
            template_problems: problems,
            sheet: sheet.map(|(source, name)| SheetInUse { source, name }),
            unused: columns.iter().map(|c| c.name.clone()).filter(|name| !used.contains(&name.as_str())).collect(),
            columns,
            ties: ties.into_iter().map(Into::into).collect(),
            records,
            row_count: prepared.sheet.as_ref().map_or(0, |s| s.sheet.records.len()),
            filter_problem,
            obstacles: stops,
            runs,
            person_email: settings.person_email,
        }
    })
    .await
    .map_err(Into::into)
}

/// Saves a dispatch and gives its stations' new state.
#[utoipa::path(put, path = "/api/dispatches/{key}", tag = "dispatches", params(("key" = String, Path)), request_body = DispatchBody, responses((status = 200, body = Bench), (status = 422, body = Problem)))]
async fn change(State(app): State<App>, Path(key): Path<String>, Json(new): Json<DispatchBody>) -> Answer<Bench> {
    let mut dispatch = find(&app, &key).await?;
    if new.name.trim().is_empty() {
        return Err(Refused::unusable("no-name", "the dispatch needs a name"));
    }
    let at = clock::stamp();
    dispatch = Dispatch {
        name: new.name.trim().to_owned(),
        template_id: new.template_id,
        sheet_id: new.sheet_id,
        setup: setup_of(&new.setup)?,
        changed: at.clone(),
        ..dispatch
    };
    let kept = dispatch.clone();
    app.store.with(move |c| dispatches::change(c, &kept, &at)).await?;
    bench(&app, dispatch).await.map(Json)
}

/// Deletes a dispatch with the record of its runs.
#[utoipa::path(delete, path = "/api/dispatches/{key}", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = bool), (status = 409, body = Problem)))]
async fn remove(State(app): State<App>, Path(key): Path<String>) -> Answer<bool> {
    let dispatch = find(&app, &key).await?;
    let going = app.store.with(move |c| runs::list(c, Some(&key))).await?.iter().any(|r| r.state == "going" || r.state == "paused");
    if going {
        return Err(Refused::conflict("going", "a run of this dispatch is going; stop it first"));
    }
    Ok(Json(app.store.with(move |c| dispatches::delete(c, dispatch.id)).await?))
}

/// The pages of one record as they will be made.
#[derive(Debug, Serialize, ToSchema)]
struct PageView {
    /// The row.
    row: usize,
    /// What to call it.
    label: String,
    /// The pages as SVG.
    pages: Vec<String>,
    /// The documents' name without extension.
    file_name: String,
    /// The message, when the e-mail channel is on.
    message: Option<MessageView>,
    /// What is wrong with the record.
    findings: Vec<FindingInfo>,
    /// The record's values by template name, as they stand in the source.
    values: std::collections::BTreeMap<String, String>,
}

/// The message of one record.
#[derive(Debug, Serialize, ToSchema)]
struct MessageView {
    to: String,
    cc: String,
    bcc: String,
    subject: String,
    body: String,
}

/// What is wrong with a record.
#[derive(Debug, Serialize, ToSchema)]
struct FindingInfo {
    /// Its row.
    row: usize,
    /// What to call it.
    label: String,
    /// A short name for programs.
    code: String,
    /// Where.
    place: String,
    /// The placeholder or value at fault.
    placeholder: String,
    /// What is wrong and what to do.
    message: String,
}

fn finding(finding: Finding, label: String) -> FindingInfo {
    FindingInfo {
        row: finding.record,
        label,
        code: finding.code,
        place: finding.place,
        placeholder: finding.placeholder,
        message: finding.message,
    }
}

/// The pages of one record as they will be made, or what is wrong with it.
#[utoipa::path(get, path = "/api/dispatches/{key}/pages/{row}", tag = "dispatches", params(("key" = String, Path), ("row" = usize, Path)), responses((status = 200, body = PageView), (status = 409, body = Problem)))]
async fn page(State(app): State<App>, Path((key, row)): Path<(String, usize)>) -> Answer<PageView> {
    let dispatch = find(&app, &key).await?;
    let (prepared, _) = ready(&app, &dispatch).await?;
    blocking(move || view(&prepared, row)).await?.map(Json)
}

fn view(prepared: &Prepared, row: usize) -> Result<PageView, Refused> {
    let (Some(template), Some(sheet)) = (&prepared.template, &prepared.sheet) else {
        return Err(Refused::conflict("not-ready", "choose a template and a source; then the page is shown here"));
    };
    if !template.problems().is_empty() {
        return Err(Refused::conflict(
            "template-problems",
            format!(
                "the template has {}; the page is shown once that is put right",
                counted(template.problems().len(), "problem", "problems")
            ),
        ));
    }
    let record = row.checked_sub(1).and_then(|at| sheet.sheet.records.get(at)).ok_or_else(|| Refused::missing("the row"))?;
    let (chosen, _) = prepared.chosen()?;
    let number = chosen.iter().position(|r| r.number == row).map_or(1, |at| at + 1);
    let label = label(record);
    let (context, count) = (prepared.context(number, chosen.len().max(1)), chosen.len().max(1));
    let scope = prepared.scope(record, &context);
    let mut view = PageView {
        row,
        label: label.clone(),
        pages: Vec::new(),
        file_name: String::new(),
        message: None,
        findings: Vec::new(),
        values: values(prepared, record),
    };
    match run::check_one(prepared, template, record, number, count) {
        Ok((_, outline)) => {
            view.file_name = outline.file_name;
            view.message = outline.message.map(|m| {
                let list = |l: &[EmailAddress]| l.iter().map(|a| a.as_str()).collect::<Vec<_>>().join(", ");
                MessageView { to: list(&m.to), cc: list(&m.cc), bcc: list(&m.bcc), subject: m.subject, body: m.body }
            });
        }
        Err(findings) => view.findings = findings.into_iter().map(|f| finding(f, label.clone())).collect(),
    }
    // A wrong address must not hide the page; a wrong value in it does.
    if let Ok(filled) = template.fill(&scope) {
        let made = run::page_of(template, &filled, false)?;
        view.pages = (0..made.page_count().min(50)).filter_map(|p| made.svg(p)).collect();
    }
    Ok(view)
}

fn values(prepared: &Prepared, record: &Record) -> std::collections::BTreeMap<String, String> {
    use mangle_core::language::{Folded, plain};
    use mangle_core::value::{Locale, Value};
    let english = Locale::english();
    let ties = prepared.ties();
    let shown = ties.into_iter().filter_map(|tie| {
        let text = match record.get(&Folded::new(tie.column.as_deref()?))? {
            Value::Misfit(misfit) => misfit.text.clone(),
            value => plain(value, &english).unwrap_or_default(),
        };
        Some((tie.name, text))
    });
    shown.collect()
}

/// What the preflight found.
#[derive(Debug, Serialize, ToSchema)]
struct PreflightView {
    /// How many records were checked.
    checked: usize,
    /// What is wrong with them.
    findings: Vec<FindingInfo>,
}

/// Checks every chosen record against the dispatch.
#[utoipa::path(post, path = "/api/dispatches/{key}/preflight", tag = "dispatches", params(("key" = String, Path)), responses((status = 200, body = PreflightView), (status = 409, body = Problem)))]
async fn preflight(State(app): State<App>, Path(key): Path<String>) -> Answer<PreflightView> {
    let dispatch = find(&app, &key).await?;
    let (prepared, _) = ready(&app, &dispatch).await?;
    blocking(move || findings(&prepared)).await?.map(Json)
}

fn findings(prepared: &Prepared) -> Result<PreflightView, Refused> {
    let Some(template) = &prepared.template else {
        return Err(Refused::conflict("not-ready", "choose a template and a source first"));
    };
    let (chosen, unclear) = prepared.chosen()?;
    // Open ties are told once as such, not again with every record.
    let tied = prepared.ties().iter().all(|t| t.column.is_some());
    let of = |row: usize| prepared.sheet.as_ref().and_then(|s| s.sheet.records.get(row - 1)).map(label).unwrap_or_default();
    let mut findings: Vec<FindingInfo> = run::check_all(prepared, template, &chosen)
        .into_iter()
        .filter(|f| tied || f.code != "unknown-name")
        .map(|f| {
            let label = of(f.record);
            finding(f, label)
        })
        .collect();
    findings.extend(unclear.into_iter().map(|(row, message)| FindingInfo {
        row,
        label: of(row),
        code: "filter".into(),
        place: "filter".into(),
        placeholder: prepared.setup.filter.clone(),
        message,
    }));
    findings.sort_by_key(|f| f.row);
    Ok(PreflightView { checked: chosen.len(), findings })
}

/// What a run is started with.
#[derive(Debug, Deserialize, ToSchema)]
struct StartRun {
    /// How many documents the person was told; the run starts only if it is so.
    count: usize,
}

/// Starts a run of all chosen records. Refused while anything stops it.
#[utoipa::path(post, path = "/api/dispatches/{key}/runs", tag = "dispatches", params(("key" = String, Path)), request_body = StartRun, responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
async fn start(State(app): State<App>, Path(key): Path<String>, Json(asked): Json<StartRun>) -> Answer<RunInfo> {
    let dispatch = find(&app, &key).await?;
    let bench = bench(&app, dispatch.clone()).await?;
    if let Some(first) = bench.obstacles.first() {
        return Err(Refused::conflict("obstacle", format!("the run can't start: {}", first.message)));
    }
    if bench.records.is_empty() {
        return Err(Refused::conflict("no-records", "the run can't start: no record is chosen; change the filter"));
    }
    if bench.records.len() != asked.count {
        return Err(Refused::conflict(
            "count",
            format!(
                "{} chosen now, not {}; look again and start the run anew",
                counted(bench.records.len(), "record is", "records are"),
                asked.count
            ),
        ));
    }
    let (prepared, version) = ready(&app, &dispatch).await?;
    let found = blocking(move || findings(&prepared)).await??;
    if !found.findings.is_empty() {
        let rows: std::collections::BTreeSet<usize> = found.findings.iter().map(|f| f.row).collect();
        return Err(Refused::conflict(
            "findings",
            format!(
                "the run can't start: {} findings; mend them or leave them out at Preflight",
                counted(rows.len(), "record has", "records have")
            ),
        ));
    }
    let rows = bench.records.into_iter().map(|r| (r.row, r.label)).collect();
    begin(&app, &dispatch, version.map(|v| v.2), rows, None).await.map(Json)
}

/// What proofs are made of.
#[derive(Debug, Deserialize, ToSchema)]
struct ProofRun {
    /// The rows.
    rows: Vec<usize>,
    /// The person's own address.
    to: String,
}

/// Makes proofs of some records and sends them to the person, and to nobody else.
#[utoipa::path(post, path = "/api/dispatches/{key}/proofs", tag = "dispatches", params(("key" = String, Path)), request_body = ProofRun, responses((status = 200, body = RunInfo), (status = 422, body = Problem)))]
async fn proofs(State(app): State<App>, Path(key): Path<String>, Json(asked): Json<ProofRun>) -> Answer<RunInfo> {
    let dispatch = find(&app, &key).await?;
    let to = EmailAddress::parse(&asked.to).map_err(|e| Refused::unusable("not-an-address", e.to_string()))?;
    if asked.rows.is_empty() || asked.rows.len() > 50 {
        return Err(Refused::unusable("rows", "choose 1 to 50 records for proofs"));
    }
    let office = app.store.with(|c| settings::read(c)).await?.office_email;
    if office.trim().is_empty() {
        return Err(Refused::conflict("obstacle", "the office has no e-mail address to send from; put it into the settings"));
    }
    let (prepared, version) = ready(&app, &dispatch).await?;
    if prepared.template.as_ref().is_none_or(|t| !t.problems().is_empty()) {
        return Err(Refused::conflict("not-ready", "choose a template without problems first"));
    }
    let sheet = prepared.sheet.as_ref().ok_or_else(|| Refused::conflict("not-ready", "choose a source first"))?;
    let rows: Vec<(usize, String)> =
        asked.rows.iter().filter_map(|row| sheet.sheet.records.get(row.checked_sub(1)?).map(|r| (*row, label(r)))).collect();
    begin(&app, &dispatch, version.map(|v| v.2), rows, Some(to.as_str().to_owned())).await.map(Json)
}

async fn begin(
    app: &App,
    dispatch: &Dispatch,
    version: Option<i64>,
    rows: Vec<(usize, String)>,
    proof_to: Option<String>,
) -> Result<RunInfo, Refused> {
    let (Some(version), Some(sheet_id)) = (version, dispatch.sheet_id) else {
        return Err(Refused::conflict("not-ready", "choose a template and a source first"));
    };
    let dispatch = dispatch.clone();
    let run = app
        .store
        .with(move |c| -> anyhow::Result<Option<RunInfo>> {
            let t = c.transaction()?;
            let moment = clock::stamp();
            let new = NewRun {
                dispatch_id: dispatch.id,
                proof_to: proof_to.as_deref(),
                moment: &moment,
                template_version_id: version,
                sheet_id,
                setup: &dispatch.setup,
                rows: &rows,
            };
            let id = runs::start(&t, &new)?;
            t.commit()?;
            runs::get(c, id)
        })
        .await?
        .ok_or_else(|| Refused::missing("the run"))?;
    run::go(app, run.id);
    Ok(run)
}

/// A number with its word: `1 record`, `3 records`.
fn counted(number: usize, one: &str, many: &str) -> String {
    format!("{number} {}", if number == 1 { one } else { many })
}
