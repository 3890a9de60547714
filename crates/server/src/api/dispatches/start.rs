//! Starting a run and making proofs.

use axum::Json;
use axum::extract::{Path, State};
use mangle_core::dispatch::{joint_record, joint_schema};
use mangle_core::records::{Record, Schema, Sheet};
use mangle_core::value::EmailAddress;
use serde::Deserialize;
use tokio_util::sync::CancellationToken;
use utoipa::ToSchema;

use super::preflight::{findings, of_all};
use super::{bench, counted, find, ready};
use crate::clock;
use crate::error::{Answer, Problem, Refused};
use crate::prepare::{blocking, label};
use crate::run;
use crate::server::App;
use crate::store::dispatches::Dispatch;
use crate::store::runs::{self, NewItem, NewRun, RunInfo};
use crate::store::settings;
use crate::store::sheets::ColumnInfo;

/// What a run is started with.
#[derive(Debug, Deserialize, ToSchema)]
pub(super) struct StartRun {
    /// How many documents the person was told; the run starts only if it is so.
    count: usize,
}

/// Starts a run of all chosen records. Refused while anything stops it.
#[utoipa::path(post, path = "/api/dispatches/{key}/runs", tag = "dispatches", params(("key" = String, Path)), request_body = StartRun, responses((status = 200, body = RunInfo), (status = 409, body = Problem)))]
pub(super) async fn start(State(app): State<App>, Path(key): Path<String>, Json(asked): Json<StartRun>) -> Answer<RunInfo> {
    let dispatch = find(&app, &key).await?;
    let bench = bench::bench(&app, dispatch.clone()).await?;
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
    let wanted = CancellationToken::new();
    let _guard = wanted.clone().drop_guard();
    let found = blocking(move || findings(&prepared, &wanted)).await??;
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
    let rows = bench.records.into_iter().map(|r| r.row).collect();
    begin(&app, &dispatch, version.map(|v| v.2), rows, None).await.map(Json)
}

/// What proofs are made of.
#[derive(Debug, Deserialize, ToSchema)]
pub(super) struct ProofRun {
    /// The rows.
    rows: Vec<usize>,
    /// The person's own address.
    to: String,
}

/// Makes proofs of some records and sends them to the person, and to nobody else.
#[utoipa::path(post, path = "/api/dispatches/{key}/proofs", tag = "dispatches", params(("key" = String, Path)), request_body = ProofRun, responses((status = 200, body = RunInfo), (status = 422, body = Problem)))]
pub(super) async fn proofs(State(app): State<App>, Path(key): Path<String>, Json(asked): Json<ProofRun>) -> Answer<RunInfo> {
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
    begin(&app, &dispatch, version.map(|v| v.2), asked.rows, Some(to.as_str().to_owned())).await.map(Json)
}

/// The items of a run and the columns that their cells are read by.
fn items(sheet: &Sheet, records: &[&Record], joint: bool) -> (Vec<ColumnInfo>, Vec<NewItem>) {
    let columns = |schema: &Schema| schema.columns().iter().map(ColumnInfo::of).collect();
    if !joint {
        return (columns(&sheet.schema), records.iter().map(|r| NewItem::of(r, label(r))).collect());
    }
    let schema = joint_schema(&sheet.schema);
    let rows = records.iter().map(|r| r.number).collect();
    let item = NewItem { joint: rows, ..NewItem::of(&joint_record(schema.clone(), records), of_all(records.len())) };
    (columns(&schema), vec![item])
}

async fn begin(
    app: &App,
    dispatch: &Dispatch,
    version: Option<i64>,
    rows: Vec<usize>,
    proof_to: Option<String>,
) -> Result<RunInfo, Refused> {
    let (Some(version), Some(sheet_id)) = (version, dispatch.sheet_id) else {
        return Err(Refused::conflict("not-ready", "choose a template and a source first"));
    };
    let dispatch = dispatch.clone();
    let loaded = app.sheet(sheet_id).await?;
    let run = app
        .store
        .with(move |c| -> anyhow::Result<Option<RunInfo>> {
            let records: Vec<&Record> = rows.iter().filter_map(|row| loaded.sheet.record(*row)).collect();
            let (columns, items) = items(&loaded.sheet, &records, dispatch.setup.joint);
            let t = c.transaction()?;
            let moment = clock::stamp();
            let new = NewRun {
                dispatch_id: dispatch.id,
                proof_to: proof_to.as_deref(),
                moment: &moment,
                template_version_id: version,
                sheet_id,
                setup: &dispatch.setup,
                columns: &columns,
                rows: &items,
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
