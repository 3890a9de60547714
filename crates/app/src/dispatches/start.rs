//! Starting a run and making proofs.

use std::collections::HashSet;

use jiff::SignedDuration;
use jiff::civil::DateTime;
use mangle_core::dispatch::{Setup, joint_record, joint_schema};
use mangle_core::records::{Labels, Record, Schema, Sheet};
use mangle_core::trigger::Covers;
use mangle_core::value::EmailAddress;
use mangle_core::words::{counted, sentence};
use serde::Deserialize;
use tokio_util::sync::CancellationToken;

use super::preflight::{findings, of_all};
use super::{bench, find, ready};
use crate::jobs::state::FiringEvent;
use crate::prepare::blocking;
use crate::store::dispatches::Dispatch;
use crate::store::events::{self, About};
use crate::store::runs::{self, NewItem, NewRun, RunInfo};
use crate::store::sheets::ColumnInfo;
use crate::store::snapshots::Snapshot;
use crate::store::{Connection, Transaction, firings, items, messages, settings, templates};
use crate::{Actor, App, Error, clock, jobs};

/// How far ahead a run can be asked to deliver.
const LATEST: SignedDuration = SignedDuration::from_hours(366 * 24);

/// What a run is started with.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct StartRun {
    /// How many documents the person was told; the run starts only if it is so.
    count: usize,
    /// How many of the records this dispatch has served before, as the person was told
    /// and confirmed.
    #[serde(default)]
    repeats: usize,
    /// The revision of the dispatch that the person saw.
    revision: Option<i64>,
    /// What tells this start from another. The same one starts once, however often it is
    /// sent: the answer is the run that it began.
    #[serde(default)]
    start_key: Option<String>,
    /// Whether deliveries wait until a person releases them.
    #[serde(default)]
    hold: bool,
    /// How many documents are delivered before the rest waits until a person releases it; none for
    /// all of them.
    #[serde(default)]
    hold_after: Option<usize>,
    /// The date and time from which it delivers, by the office's clock: `2026-12-01T08:00`. None for
    /// at once.
    #[serde(default)]
    at: Option<String>,
}

/// What a run is started with unattended: which of the records that the dispatch selects, and what
/// was confirmed.
#[derive(Debug, Clone, Default)]
pub struct Unattended {
    /// A condition that they meet besides; blank for none.
    pub filter: String,
    /// Their rows; none for all.
    pub rows: Option<HashSet<usize>>,
    /// Whether records may be served again.
    pub again: bool,
    /// Whether deliveries wait until a person releases them.
    pub hold: bool,
    /// What tells this start from another.
    pub start_key: Option<String>,
}

impl Unattended {
    /// The dispatch with the narrower selection.
    async fn narrow(&self, app: &App, mut dispatch: Dispatch) -> Result<Dispatch, Error> {
        let also = self.filter.trim();
        if !also.is_empty() {
            let own = dispatch.setup.filter.trim();
            dispatch.setup.filter = if own.is_empty() { also.to_owned() } else { format!("({own}) and ({also})") };
        }
        if let Some(rows) = &self.rows {
            let bench = bench::bench(app, dispatch.clone()).await?;
            let selected: HashSet<usize> = bench.records.iter().map(|record| record.row).collect();
            if let Some(missing) = rows.iter().filter(|row| !selected.contains(row)).min() {
                return Err(Error::unusable("rows", format!("row {missing} is not among the records that the dispatch selects")));
            }
            dispatch.setup.left_out.extend(selected.into_iter().filter(|row| !rows.contains(row)));
        }
        Ok(dispatch)
    }
}

impl App {
    /// Starts a run unattended: from a terminal or a scheduler.
    pub async fn start_unattended(&self, key: &str, asked: Unattended) -> Result<RunInfo, Error> {
        let dispatch = find(self, key).await?;
        let (id, start_key) = (dispatch.id, asked.start_key.clone());
        if let Some(run) = self.store.with(move |c| begun(c, id, start_key.as_deref())).await? {
            return Ok(run);
        }
        let dispatch = asked.narrow(self, dispatch).await?;
        let repeats = if asked.again { None } else { Some(0) };
        let pace = Pace { hold: asked.hold, ..Pace::default() };
        self.begin(dispatch, None, Of::Run { repeats, start_key: asked.start_key, pace, sole: false }).await
    }

    /// Makes proofs of the records that such a run would be of, for the person.
    pub async fn proofs_unattended(&self, key: &str, asked: Unattended) -> Result<RunInfo, Error> {
        let to = self.store.with(|c| settings::read(c)).await?.person_email;
        if to.trim().is_empty() {
            return Err(Error::conflict("no-person", "no address for proofs. Enter your e-mail address in Settings."));
        }
        let dispatch = asked.narrow(self, find(self, key).await?).await?;
        let rows = bench::bench(self, dispatch).await?.records.into_iter().map(|record| record.row).collect();
        self.start_proofs(key, ProofRun { rows, to }).await
    }

    /// Starts a run of all chosen records. Refused while anything stops it, while another run
    /// of the dispatch is under way, and where records would be served again unconfirmed.
    pub async fn start_run(&self, key: &str, asked: StartRun) -> Result<RunInfo, Error> {
        let dispatch = find(self, key).await?;
        let (id, start_key) = (dispatch.id, asked.start_key.clone());
        if let Some(run) = self.store.with(move |c| begun(c, id, start_key.as_deref())).await? {
            return Ok(run);
        }
        if asked.revision.is_some_and(|seen| seen != dispatch.revision) {
            return Err(bench::changed_elsewhere());
        }
        let opens = match asked.at.as_deref().map(str::trim).filter(|at| !at.is_empty()) {
            Some(at) => self.opens_at(at)?,
            None => String::new(),
        };
        let pace = Pace { hold: asked.hold, hold_after: asked.hold_after, opens };
        let of = Of::Run { repeats: Some(asked.repeats), start_key: asked.start_key, pace, sole: false };
        self.begin(dispatch, Some(asked.count), of).await
    }

    /// Begins a run of the one record that a dispatch was narrowed to.
    pub(super) async fn begin_one(
        &self,
        dispatch: Dispatch,
        (repeats, start_key, hold): (usize, Option<String>, bool),
    ) -> Result<RunInfo, Error> {
        let (id, key) = (dispatch.id, start_key.clone());
        if let Some(run) = self.store.with(move |c| begun(c, id, key.as_deref())).await? {
            return Ok(run);
        }
        let pace = Pace { hold, ..Pace::default() };
        self.begin(dispatch, None, Of::Run { repeats: Some(repeats), start_key, pace, sole: true }).await
    }

    /// The moment of a date and time by the office's clock, which must be to come.
    fn opens_at(&self, at: &str) -> Result<String, Error> {
        let unusable = |message: &str| Error::unusable("at", format!("“{at}” {message}"));
        let local: DateTime = at.parse().map_err(|_| unusable("is not a date and time. Use the format 2026-12-01T08:00."))?;
        let opens = clock::utc(local, &self.zone());
        let now = clock::now();
        if opens <= now {
            return Err(unusable("has passed. Choose a later time, or deliver now."));
        }
        if opens > now.saturating_add(LATEST) {
            return Err(unusable("is more than a year from now. Choose an earlier time."));
        }
        Ok(opens.to_string())
    }

    /// Begins a run where nothing stops it; of so many documents, where a person was told how many.
    async fn begin(&self, dispatch: Dispatch, told: Option<usize>, of: Of) -> Result<RunInfo, Error> {
        let bench = bench::bench(self, dispatch.clone()).await?;
        if let Some(first) = bench.obstacles.first() {
            return Err(Error::conflict("obstacle", format!("the run can't start: {first}")));
        }
        if let Some(problem) = bench.filter_problem.as_ref().filter(|_| bench.records.is_empty()) {
            return Err(Error::conflict("filter", format!("the run can't start: {problem}")));
        }
        if bench.records.is_empty() {
            return Err(Error::conflict("no-records", "the run can't start: no records selected. Change the filter."));
        }
        if let Some(told) = told.filter(|told| *told != bench.records.len()) {
            return Err(Error::conflict(
                "count",
                format!(
                    "the selection changed to {} (was {}). Check it and start again.",
                    counted(bench.records.len(), "record", "records"),
                    told
                ),
            ));
        }
        let (prepared, version) = ready(self, &dispatch).await?;
        let wanted = CancellationToken::new();
        let _guard = wanted.clone().drop_guard();
        let (found, _) = blocking(move || findings(&prepared, &wanted, &mut |_| {})).await??;
        if found.wrong > 0 {
            return Err(Error::conflict(
                "findings",
                format!(
                    "the run can't start: {} findings. Fix them or leave the records out under Preflight.",
                    counted(found.wrong, "record has", "records have")
                ),
            ));
        }
        let rows = bench.records.into_iter().map(|r| r.row).collect();
        let begin = Begin { by: self.actor(), dispatch, version: version.map(|v| v.2), rows, of };
        begin.go(self.clone()).await
    }
}

/// The run that a start key has begun already.
fn begun(c: &Connection, dispatch: i64, start_key: Option<&str>) -> anyhow::Result<Option<RunInfo>> {
    let Some(key) = start_key else { return Ok(None) };
    let Some(run) = runs::started(c, dispatch, key)? else { return Ok(None) };
    runs::get(c, run)
}

/// What proofs are made of.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ProofRun {
    /// The rows.
    rows: Vec<usize>,
    /// The person's own address.
    to: String,
}

impl App {
    /// Makes proofs of some records and sends them to the person, and to nobody else.
    pub async fn start_proofs(&self, key: &str, asked: ProofRun) -> Result<RunInfo, Error> {
        let dispatch = find(self, key).await?;
        let to = EmailAddress::parse(&asked.to).map_err(|e| Error::unusable("not-an-address", e.to_string()))?;
        if asked.rows.is_empty() || asked.rows.len() > 50 {
            return Err(Error::unusable("rows", "choose 1 to 50 records for proofs"));
        }
        let office = self.store.with(|c| settings::read(c)).await?.office_email;
        if office.trim().is_empty() {
            return Err(Error::conflict("obstacle", "no sender address. Enter the office e-mail address in Settings."));
        }
        let (prepared, version) = ready(self, &dispatch).await?;
        if prepared.template.as_ref().is_none_or(|t| !t.problems().is_empty()) {
            return Err(Error::conflict("not-ready", "choose a template without problems first"));
        }
        let begin = Begin {
            by: self.actor(),
            dispatch,
            version: version.map(|v| v.2),
            rows: asked.rows,
            of: Of::Proofs { to: to.as_str().to_owned() },
        };
        begin.go(self.clone()).await
    }
}

/// The items of a run and the columns that their values are of.
fn items(sheet: &Sheet, records: &[&Record], setup: &Setup) -> (Vec<ColumnInfo>, Vec<NewItem>) {
    let columns = |schema: &Schema| schema.columns().iter().map(ColumnInfo::of).collect();
    if !setup.joint {
        let labels = Labels::new(&sheet.schema, &setup.label);
        return (columns(&sheet.schema), records.iter().map(|r| NewItem::of(r, labels.of(r))).collect());
    }
    let schema = joint_schema(&sheet.schema);
    let rows = records.iter().map(|r| r.number).collect();
    let item = NewItem { joint: rows, ..NewItem::of(&joint_record(schema.clone(), records), of_all(records.len())) };
    (columns(&schema), vec![item])
}

/// A run or proofs that are to begin.
pub(crate) struct Begin {
    by: Actor,
    dispatch: Dispatch,
    version: Option<i64>,
    rows: Vec<usize>,
    of: Of,
}

/// When a run delivers.
#[derive(Debug, Clone, Default)]
struct Pace {
    /// Nothing until a person releases it.
    hold: bool,
    /// So many documents; the rest when a person releases it.
    hold_after: Option<usize>,
    /// From this moment on; blank for at once.
    opens: String,
}

enum Of {
    /// How many records may be served again; none for all of them.
    Run {
        repeats: Option<usize>,
        start_key: Option<String>,
        pace: Pace,
        /// Whether it is of one record that a person looks at, which stands in no other run's way.
        sole: bool,
    },
    Proofs {
        to: String,
    },
    Fired(Fired),
}

/// What becomes of firings when a run is started of them.
#[derive(Debug, Clone)]
pub(crate) struct Fired {
    /// When their trigger starts a run, in words.
    pub words: String,
    /// Whether deliveries wait until a person releases them.
    pub hold: bool,
    pub covers: Covers,
    /// Those that the run is of.
    pub started: Vec<i64>,
    /// Those of them some of whose rows wait for a person, and why.
    pub left: Vec<(i64, Vec<usize>, String)>,
    /// Those that wait for a person, and why.
    pub held: Vec<(i64, String)>,
    /// Those that have nothing to start, and why.
    pub nothing: Vec<(i64, String)>,
}

impl Default for Fired {
    fn default() -> Fired {
        let none = Vec::new();
        Fired {
            words: String::new(),
            hold: false,
            covers: Covers::All,
            started: none,
            left: Vec::new(),
            held: Vec::new(),
            nothing: Vec::new(),
        }
    }
}

impl Fired {
    /// Writes down what becomes of those that start nothing.
    pub fn note(&self, t: &Transaction<'_>) -> anyhow::Result<()> {
        let at = clock::stamp();
        for (event, all) in [(FiringEvent::Hold, &self.held), (FiringEvent::FindNothing, &self.nothing)] {
            for (id, why) in all {
                firings::change(t, event, &[*id], why, &at)?;
            }
        }
        Ok(())
    }

    /// Refuses to make a document that was made meanwhile.
    fn refuse_twice(&self, c: &Connection, dispatch: i64, sheet: i64, rows: &[usize]) -> Result<(), Error> {
        match self.covers {
            Covers::Named => Ok(()),
            Covers::All => match runs::under_way(c, dispatch, false)? {
                Some(run) => Err(Error::conflict("going", format!("waits for the end of run {run} of this dispatch"))),
                None => Ok(()),
            },
            Covers::Once => {
                let served = items::served(c, dispatch, sheet, &|_, _| false)?;
                match rows.iter().any(|row| served.get(row).is_some_and(|served| served.run.is_some())) {
                    true => Err(Error::conflict("going", "another run of the same records has begun")),
                    false => Ok(()),
                }
            }
        }
    }

    /// Writes down which run was started.
    fn started(&self, t: &Transaction<'_>, run: i64) -> anyhow::Result<()> {
        let at = clock::stamp();
        firings::started(t, &self.started, run, &at)?;
        for (id, rows, why) in &self.left {
            firings::left(t, *id, rows, why)?;
        }
        events::add(t, Actor::Mangle, About::run(run), "triggered", &sentence(&self.words), &at)?;
        self.note(t)
    }
}

impl Begin {
    /// A run that firings start.
    pub(crate) fn fired(by: Actor, dispatch: Dispatch, version: Option<i64>, rows: Vec<usize>, fired: Fired) -> Begin {
        Begin { by, dispatch, version, rows, of: Of::Fired(fired) }
    }

    /// Begins it, also where whoever asked is gone by then: what is written down is made.
    pub(crate) async fn go(self, app: App) -> Result<RunInfo, Error> {
        let begun = tokio::spawn(async move {
            let loaded = match self.dispatch.sheet_id {
                Some(id) => app.sheet(id).await?,
                None => return Err(not_ready()),
            };
            let (run, fresh) = app.store.change(move |t| self.write(t, &loaded.sheet)).await?;
            if fresh {
                jobs::go(&app, run.id);
            }
            Ok(run)
        });
        begun.await.map_err(anyhow::Error::new)?
    }

    /// Writes the run and its items down, all at once; whether it is a new one.
    fn write(&self, t: &Transaction<'_>, sheet: &Sheet) -> Result<(RunInfo, bool), Error> {
        let (Some(version), Some(sheet_id)) = (self.version, self.dispatch.sheet_id) else { return Err(not_ready()) };
        let records: Vec<&Record> = self.rows.iter().filter_map(|row| sheet.record(*row)).collect();
        let (columns, items) = items(sheet, &records, &self.dispatch.setup);
        let (mut start_key, mut proof_to, mut pace, mut sole) = (None, None, Pace::default(), false);
        match &self.of {
            Of::Proofs { to } => proof_to = Some(to.as_str()),
            Of::Run { repeats, start_key: key, pace: asked, sole: alone } => {
                sole = *alone;
                start_key = key.as_deref();
                pace = asked.clone();
                if let Some(run) = begun(t, self.dispatch.id, start_key)? {
                    return Ok((run, false));
                }
                self.refuse_twice(t, sheet_id, *repeats, sole)?;
            }
            Of::Fired(fired) => {
                pace.hold = fired.hold;
                fired.refuse_twice(t, self.dispatch.id, sheet_id, &self.rows)?;
            }
        }
        let moment = clock::stamp();
        let mut setup = messages::resolve(t, &self.dispatch.setup)?;
        templates::fix(t, &mut setup)?;
        let snapshot = Snapshot::take(t, (self.dispatch.id, &self.dispatch.name), Some(sheet_id))?.keep(t)?;
        let new = NewRun {
            dispatch_id: self.dispatch.id,
            proof_to,
            start_key,
            snapshot: Some(&snapshot),
            hold: pace.hold,
            hold_after: pace.hold_after,
            opens: &pace.opens,
            by: self.by,
            moment: &moment,
            template_version_id: version,
            sheet_id,
            setup: &setup,
            columns: &columns,
            rows: &items,
            sole,
        };
        let id = runs::start(t, &new)?;
        if let Of::Fired(fired) = &self.of {
            fired.started(t, id)?;
        }
        Ok((runs::get(t, id)?.ok_or_else(|| Error::missing("the run"))?, true))
    }

    /// Refuses a second run beside one that is not over, and repeats that nobody confirmed.
    fn refuse_twice(&self, c: &Connection, sheet: i64, repeats: Option<usize>, sole: bool) -> Result<(), Error> {
        if let Some(run) = runs::under_way(c, self.dispatch.id, false)?.filter(|_| !sole) {
            return Err(Error::conflict(
                "going",
                format!("run {run} of this dispatch is not over yet; wait for its end, or stop it first"),
            ));
        }
        let served = items::served(c, self.dispatch.id, sheet, &|_, _| false)?;
        let served: Vec<_> = self.rows.iter().filter_map(|row| served.get(row).filter(|s| s.run.is_some())).collect();
        let Some(last) = served.iter().max_by_key(|s| &s.at).filter(|_| repeats.is_some_and(|told| told != served.len())) else {
            return Ok(());
        };
        Err(Error::conflict(
            "repeats",
            format!(
                "{} already sent by this dispatch, last by run {} on {}. Confirm sending {} again, or select only those not sent yet.",
                counted(served.len(), "of the records was", "of the records were"),
                last.run.unwrap_or_default(),
                last.at.replace('T', " at ").get(..19).unwrap_or(&last.at),
                if served.len() == 1 { "it" } else { "them" },
            ),
        ))
    }
}

fn not_ready() -> Error {
    Error::conflict("not-ready", "choose a template and a source first")
}
