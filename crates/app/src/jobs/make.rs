//! One record → its documents and what becomes of them: check, fill, typeset, write down.

use std::sync::{Arc, mpsc};
use std::time::{Duration, Instant};

use anyhow::Result;
use jiff::SignedDuration;
use jiff::civil::DateTime;
use mangle_core::channel::{EmailPayload, Inline, Moment, Parcel, proof};
use mangle_core::dispatch::Format;
use mangle_core::language::Context;
use mangle_core::language::syntax::Sizes;
use mangle_core::preflight::{Finding, Note, Planned, Purpose, Summary, batch_notes, check_batch};
use mangle_core::records::{Record, read_kept};
use mangle_core::signing::{Round, RoundPlan};
use mangle_core::words::sentence;
use mangle_documents::formats::Template;
use mangle_documents::picture::{self, PictureFault};
use sha2::{Digest, Sha256};
use tokio_util::sync::CancellationToken;

use super::pool::Priority;
use super::state::DeliveryState;
use crate::making::{Checked, Made, documents, filled};
use crate::prepare::Prepared;
use crate::signing::Gate;
use crate::store::deliveries::NewDelivery;
use crate::store::documents::NewDocument;
use crate::store::events::{self, About};
use crate::store::items::{self, ItemError, ItemWork, MadeItem};
use crate::store::rounds::NewRound;
use crate::store::runs::RunWork;
use crate::{Actor, App, clock};

/// Fills the template for a record and checks its name and deliveries.
pub fn check_one(
    prepared: &Prepared,
    template: &dyn Template,
    record: &Record,
    (number, count): (usize, usize),
    purpose: Purpose,
) -> Checked {
    check_in(prepared, template, record, &prepared.context(record, number, count), purpose)
}

/// The same, noticing what may surprise the recipient.
fn check_noticing(prepared: &Prepared, template: &dyn Template, record: &Record, number: usize, count: usize) -> Checked {
    check_in(prepared, template, record, &prepared.noticing_context(record, number, count), Purpose::Run)
}

fn check_in(prepared: &Prepared, template: &dyn Template, record: &Record, context: &Context, purpose: Purpose) -> Checked {
    filled(&prepared.plan, template, &prepared.scope(record, context), prepared.means(), purpose)
}

/// The fewest records for which a thread is begun, and how many are told of at a time.
const AT_LEAST: usize = 64;
/// How often it is told how far a check is.
const TELL: Duration = Duration::from_millis(300);

/// What a check has found so far.
#[derive(Debug, Default)]
pub struct FoundSoFar {
    /// How many records are checked.
    pub checked: usize,
    /// What is wrong with them.
    pub findings: Vec<Finding>,
    notes: Vec<(usize, Note)>,
    summaries: Vec<Summary>,
}

impl FoundSoFar {
    fn add(&mut self, part: FoundSoFar) {
        self.checked += part.checked;
        self.findings.extend(part.findings);
        self.notes.extend(part.notes);
        self.summaries.extend(part.summaries);
    }
}

/// What a check has found in all.
#[derive(Debug)]
pub struct FoundInAll {
    /// What is wrong with the records.
    pub findings: Vec<Finding>,
    /// What is noticed besides, with the records that it is of.
    pub notes: Vec<(usize, Note)>,
    /// What those become with which nothing is wrong.
    pub summaries: Vec<Summary>,
}

/// Checks records one by one and against one another, on all cores, until it is cancelled; what it
/// notices besides does not stop a run. `tell` hears what is found while it goes on.
pub fn check_all(
    prepared: &Prepared,
    template: &dyn Template,
    records: &[&Record],
    wanted: &CancellationToken,
    tell: &mut dyn FnMut(&FoundSoFar),
) -> FoundInAll {
    let check_part = |first: usize, part: &[&Record], tell: mpsc::Sender<FoundSoFar>| {
        for (at, few) in part.chunks(AT_LEAST).enumerate().take_while(|_| !wanted.is_cancelled()) {
            let mut own = FoundSoFar { checked: few.len(), ..FoundSoFar::default() };
            for (index, record) in few.iter().enumerate() {
                match check_noticing(prepared, template, record, first + at * AT_LEAST + index + 1, records.len()) {
                    Ok((_, outline)) => {
                        own.summaries.push(Summary::of(record.number, &outline));
                        own.notes.extend(outline.notes.into_iter().map(|note| (record.number, note)));
                    }
                    Err(found) => own.findings.extend(found),
                }
            }
            // Whoever gathers is there as long as anyone checks.
            let _ = tell.send(own);
        }
    };
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    let size = records.len().div_ceil(cores).max(AT_LEAST);
    let mut found = FoundSoFar::default();
    std::thread::scope(|scope| {
        let (to, gathered) = mpsc::channel();
        let check_part = &check_part;
        let begin = |(at, part)| {
            let to = to.clone();
            scope.spawn(move || check_part(at * size, part, to))
        };
        let parts: Vec<_> = records.chunks(size).enumerate().map(begin).collect();
        drop(to);
        let mut told = Instant::now();
        // It ends when every part has, well or not.
        for part in gathered {
            found.add(part);
            if told.elapsed() >= TELL {
                tell(&found);
                told = Instant::now();
            }
        }
        // What panics in a part panics here, as it would without threads.
        for part in parts {
            if let Err(panic) = part.join() {
                std::panic::resume_unwind(panic);
            }
        }
    });
    let FoundSoFar { mut findings, mut notes, mut summaries, .. } = found;
    summaries.sort_by_key(|summary| summary.record);
    notes.extend(batch_notes(&summaries));
    findings.extend(check_batch(&summaries));
    findings.sort_by_key(|f| f.record);
    FoundInAll { findings, notes, summaries }
}

/// Makes an item and writes down what was made. The making pool computes it when its turn comes.
pub async fn item(app: App, prepared: Arc<Prepared>, run: RunWork, item: ItemWork) -> Result<()> {
    let (id, run_id, position) = (item.id, item.run_id, item.position);
    let host = prepared.settings.office_email.rsplit_once('@').map_or("mangle.example", |(_, host)| host).to_owned();
    let hold = run.hold || run.hold_after.is_some_and(|first| position > first);
    let (moment, run_opens, zone) = (run.moment.clone(), run.opens.clone(), prepared.settings.zone());
    let (own, priority) = (app.clone(), if run.proof { Priority::Person } else { Priority::Run });
    let make = move || match own.stopping.is_cancelled() {
        true => None,
        false => {
            let begun = Instant::now();
            Some(make(&prepared, &run, &item).map(|made| (made, begun.elapsed())))
        }
    };
    // Whatever a record does to the program, it costs that record alone.
    let made = app.pool.make(priority, make).await.unwrap_or_else(|error| {
        tracing::error!(id, error = format!("{error:#}"), "creating the document was interrupted");
        let message = "internal error while creating this document. The log has the details.";
        Some(Err(ItemError { code: "internal".into(), place: "document".into(), message: message.into() }))
    });
    let about = About::item(run_id, id);
    let (made, took) = match made {
        // The program is to end: the record waits for the next start.
        None => return Ok(()),
        Some(Ok((made, took))) => (made, u64::try_from(took.as_millis()).unwrap_or(u64::MAX)),
        Some(Err(error)) => {
            let failed = app.store.change(move |t| -> Result<()> {
                let at = clock::stamp();
                if items::failed(t, id, &error, &at)? {
                    events::add(t, Actor::Mangle, about, "failed", &sentence(&error.message), &at)?;
                }
                Ok(())
            });
            return failed.await;
        }
    };
    let mut documents = Vec::with_capacity(made.documents.len());
    let mut round = None;
    for Made { format, bytes, pages, fields } in made.documents {
        let (size, name) = (bytes.len(), format!("{}.{}", made.file_name, format.extension()));
        let file = app.files.keep(bytes).await?;
        if let (Format::Pdf, Some(plan)) = (format, &made.round) {
            let seats = Round::new(plan.roles.clone(), plan.hand_on);
            round = Some(NewRound { title: made.file_name.clone(), round: seats, plan: plan.clone(), fields, file: (file.clone(), size) });
        }
        documents.push(NewDocument { format, file, name, pages, size });
    }
    let at = clock::stamp();
    let mut deliveries = Vec::with_capacity(made.deliveries.len());
    let mut shown = Vec::with_capacity(made.pictures.len());
    for (channel, id, picture) in made.pictures {
        let kind = format!("image/{}", picture.kind);
        let file = app.files.keep(picture.bytes.to_vec()).await?;
        shown.push((channel, Inline { id, file, kind }));
    }
    for planned in made.deliveries {
        let skipped = planned.parcel.is_none();
        let mut parcel = planned.parcel.unwrap_or_default();
        if planned.kind == "email" {
            complete(&mut parcel, planned.channel, &documents, &shown)?;
        }
        let held = hold || planned.moment == Moment::AfterRelease;
        let waits = round.is_some() && planned.moment == Moment::AfterSigning;
        let own = parcel.opens.map(|opens| clock::utc(opens, &zone).to_string());
        let turn = planned.per_hour.and_then(|limit| turn(run_opens.as_str().max(&moment), position, limit));
        // Moments compare as they are written: year first.
        let opens = [own, turn, Some(run_opens.clone())].into_iter().flatten().max().filter(|opens| *opens > at);
        deliveries.push(NewDelivery {
            channel: planned.channel,
            kind: planned.kind,
            name: planned.name,
            state: match (skipped, held || waits || opens.is_some()) {
                (true, _) => DeliveryState::Skipped,
                (false, true) => DeliveryState::Blocked,
                (false, false) => DeliveryState::ToSend,
            },
            held: held && !skipped,
            opens: opens.unwrap_or_default(),
            waits: waits && !skipped,
            key: key(run_id, position, id, planned.channel, &moment, &host),
            recipient: parcel.to,
            documents: serde_json::to_string(&parcel.documents)?,
            payload: serde_json::to_string(&parcel.payload)?,
            token: parcel.token,
        });
    }
    // The invitations of a run that is on hold, or delivers later, wait as its deliveries do.
    let gate = Gate { held: hold, opens: if run_opens > at { run_opens } else { String::new() } };
    let round = round.map(|round| (round, gate, app.signer_links()));
    let made = MadeItem { file_name: made.file_name, documents, deliveries, running: made.running, round, took };
    let written = app.store.change(move |t| -> Result<()> {
        if items::made(t, id, run_id, &made, &at)? {
            events::add(t, Actor::Mangle, about, "made", &made.file_name, &at)?;
        }
        Ok(())
    });
    written.await
}

/// What tells a delivery from every other, in the form of a Message-ID (RFC 5322 3.6.4). One that
/// is made again after the store has forgotten it has the same.
fn key(run: i64, position: usize, item: i64, channel: usize, moment: &str, host: &str) -> String {
    let digest = Sha256::digest(format!("{run} {position} {item} {channel} {moment}"));
    let hex: String = digest.iter().take(8).map(|b| format!("{b:02x}")).collect();
    format!("<{run}.{position}.{hex}@{host}>")
}

/// The moment from which a channel with a limit delivers the document of a place in its run.
fn turn(from: &str, position: usize, per_hour: u32) -> Option<String> {
    let hours = position.saturating_sub(1) / per_hour.max(1) as usize;
    let from: DateTime = from.parse().ok()?;
    Some(from.saturating_add(SignedDuration::from_hours(hours as i64)).to_string())
}

/// What is made of an item, before it is written down.
struct MadeBytes {
    file_name: String,
    /// The running document that the PDF is added to.
    running: Option<String>,
    documents: Vec<Made>,
    /// Who signs it.
    round: Option<RoundPlan>,
    deliveries: Vec<Planned>,
    /// The pictures that messages show: of which channel, and what their HTML calls them.
    pictures: Vec<(usize, String, picture::Prepared)>,
}

/// The width that a message's pictures are made for, in points, and their dots to the inch.
const MESSAGE: (f64, f64) = (480.0, 192.0);

/// The pictures that messages show.
fn pictures_of(prepared: &Prepared, deliveries: &[Planned]) -> Result<Vec<(usize, String, picture::Prepared)>, ItemError> {
    let mut all = Vec::new();
    for planned in deliveries {
        let names = planned.parcel.iter().flat_map(|parcel| &parcel.pictures);
        for (at, name) in names.enumerate() {
            let sizes = Sizes { dpi: Some(MESSAGE.1), ..Sizes::default() };
            let found = prepared.means().pictures.load(name).and_then(|bytes| picture::prepare(name, &bytes, &sizes, None, MESSAGE.0));
            let fault = |error: PictureFault| ItemError { code: "picture".into(), place: planned.name.clone(), message: error.to_string() };
            all.push((planned.channel, format!("picture{}", at + 1), found.map_err(fault)?));
        }
    }
    Ok(all)
}

/// A message gets the pictures that it shows; one whose documents are too large names their share
/// link instead of them.
fn complete(parcel: &mut Parcel, channel: usize, documents: &[NewDocument], shown: &[(usize, Inline)]) -> Result<()> {
    if parcel.payload.is_null() {
        return Ok(());
    }
    let mut payload: EmailPayload = serde_json::from_value(parcel.payload.take())?;
    payload.pictures = shown.iter().filter(|(of, _)| *of == channel).map(|(_, picture)| picture.clone()).collect();
    let goes = documents.iter().filter(|document| parcel.documents.contains(&document.format));
    if payload.of_size(goes.map(|document| document.size as u64).sum()) {
        parcel.documents.clear();
    }
    parcel.payload = serde_json::to_value(payload)?;
    Ok(())
}

fn make(prepared: &Prepared, run: &RunWork, item: &ItemWork) -> Result<MadeBytes, ItemError> {
    let fault = |place: &str, message: String| ItemError { code: "internal".into(), place: place.into(), message };
    let (Some(template), Some(sheet)) = (&prepared.template, &prepared.sheet) else {
        return Err(fault("dispatch", "the template or sheet no longer exists".into()));
    };
    let schema = run.schema.as_ref().unwrap_or(&sheet.sheet.schema);
    // The very values that the preview showed, whatever the sheet says by now.
    let record = read_kept(schema, item.row, &item.record).map_err(|e| fault("record", e.to_string()))?;
    // A proof goes to the person, whatever the record's own address is worth.
    let purpose = if run.proof { Purpose::Proof } else { Purpose::Run };
    let (filled, outline) = check_one(prepared, &**template, &record, (item.position, run.count), purpose).map_err(first)?;
    let moment = run.moment.parse().unwrap_or_else(|_| clock::now());
    let made = documents(&prepared.plan, &**template, &record, (&filled, &outline), (moment, run.proof));
    let documents = made.map_err(|e| ItemError { code: e.code.into(), place: e.place.into(), message: e.message })?;
    let deliveries = match run.proof {
        false => outline.deliveries,
        true => {
            let parcels: Vec<(&str, &Parcel)> = outline.deliveries.iter().filter_map(|d| Some((d.kind, d.parcel.as_ref()?))).collect();
            let office = (prepared.settings.office_name.as_str(), prepared.settings.office_email.as_str());
            let parcel = proof(&run.proof_to, office, &prepared.plan.made(&outline.file_name), &parcels);
            vec![Planned { channel: 0, kind: "email", name: "Proof".into(), moment: Moment::AtOnce, per_hour: None, parcel: Some(parcel) }]
        }
    };
    let pictures = pictures_of(prepared, &deliveries)?;
    // A proof is added to nothing.
    let running = outline.running.filter(|_| !run.proof);
    let round = outline.round.filter(|_| !run.proof);
    Ok(MadeBytes { file_name: outline.file_name, running, documents, round, deliveries, pictures })
}

fn first(findings: Vec<Finding>) -> ItemError {
    let more = findings.len().saturating_sub(1);
    match findings.into_iter().next() {
        Some(finding) => {
            let what = match finding.what.source.as_str() {
                "" => finding.what.to_string(),
                source => format!("{source}: {}", finding.what),
            };
            let message = if more > 0 { format!("{what} (and {more} more)") } else { what };
            ItemError { code: finding.what.code.into_owned(), place: finding.what.target.words().to_owned(), message }
        }
        None => ItemError { code: "internal".into(), place: "document".into(), message: "no document was created".into() },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Options, demo, open};

    #[tokio::test(flavor = "multi_thread")]
    async fn proofs_never_wait_behind_a_run() {
        let folder = tempfile::tempdir().expect("a folder");
        let app = open(Options { folder: folder.path().into(), channels: Default::default() }).await.expect("opens");
        let file = |name: &str| std::fs::read(format!("../../demo/{name}")).expect("the demo");
        let (quote, cases) = (file("refit-quote.docx"), file("refit-cases.json"));
        demo::demo(&app, &[("refit-quote.docx", &quote), ("refit-cases.json", &cases)]).await.expect("the demo world");
        // As while a run keeps every core busy.
        let (release, held) = mpsc::channel::<()>();
        let held = Arc::new(std::sync::Mutex::new(held));
        for _ in 0..64 {
            let (app, held) = (app.clone(), held.clone());
            tokio::spawn(async move { app.pool.make(Priority::Run, move || drop(held.lock().map(|held| held.recv()))).await });
        }
        let asked = serde_json::from_value(serde_json::json!({ "rows": [1], "to": "ida@quay.example" })).expect("proofs");
        let run = app.start_proofs("refit-quotes", asked).await.expect("starts");
        let state = async || app.items(run.id, None, 0, 1).await.expect("asks")[0].state.clone();
        for _ in 0..1_200 {
            if !["waiting", "making"].contains(&state().await.as_str()) {
                break;
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        // Nothing takes mail here: the proof is made and waits to be sent.
        assert_eq!(state().await, "to send");
        drop(release);
        app.stop().await;
    }
}
