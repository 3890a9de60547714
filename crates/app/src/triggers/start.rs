//! Starts the runs of firings: what is right begins, what has findings waits for a person.

use std::collections::{BTreeMap, HashMap, HashSet};

use anyhow::Result;
use mangle_core::records::Record;
use mangle_core::trigger::{Covers, TriggerSetup};
use mangle_core::words::counted;
use tokio_util::sync::CancellationToken;

use crate::dispatches::{Begin, Fired, bench_of, ready};
use crate::jobs::check_all;
use crate::jobs::state::FiringEvent;
use crate::prepare::blocking;
use crate::store::dispatches::{self, Dispatch};
use crate::store::firings::{self, Firing};
use crate::store::items;
use crate::{Actor, App, Error, ErrorKind, Outcome, clock};

/// The most firings that one run is started of.
const MOST: usize = 200;
/// How long what can't be started now waits, in seconds: behind another run, and behind a fault of
/// the machine.
const PAUSES: (i64, i64) = (3, 10);
/// How many records are named where several wait.
const NAMED: usize = 3;

/// Starts what is due of a dispatch, a run at a time.
pub async fn dispatch(app: App, id: i64) -> Result<()> {
    while !app.stopping.is_cancelled() {
        let found = app.store.read(move |c| -> Result<_> { Ok((dispatches::by_id(c, id)?, firings::due(c, id, clock::seconds(), MOST)?)) });
        let (Some(dispatch), due) = found.await? else { return Ok(()) };
        let Some(first) = due.first() else { return Ok(()) };
        let own = dispatch.setup.triggers.iter().find(|own| own.id == first.trigger && own.on).cloned();
        let batch = together(&due, own.as_ref());
        let ids: Vec<i64> = batch.iter().map(|firing| firing.id).collect();
        let Some(own) = own else {
            let message = "its trigger was switched off or removed before it could start anything";
            app.store.change(move |t| firings::change(t, FiringEvent::Dismiss, &ids, message, &clock::stamp())).await?;
            continue;
        };
        if let Err(error) = begin(&app, dispatch, &own, batch).await {
            let message = error.to_string();
            app.store
                .change(move |t| -> Result<()> {
                    let later = |pause| clock::seconds() + pause;
                    match (error.kind, error.code()) {
                        (_, "going") => firings::put_off(t, &ids, later(PAUSES.0), &message),
                        (ErrorKind::Internal, _) => firings::put_off(t, &ids, later(PAUSES.1), &message),
                        _ => firings::change(t, FiringEvent::Hold, &ids, &message, &clock::stamp()).map(drop),
                    }
                })
                .await?;
        }
    }
    Ok(())
}

/// The oldest firing and those that one run can be started of together with it.
fn together(due: &[Firing], own: Option<&TriggerSetup>) -> Vec<Firing> {
    let Some(first) = due.first() else { return Vec::new() };
    let alone = first.rows.is_none() || own.is_some_and(|own| own.covers() == Covers::All);
    let same = |one: &&Firing| one.trigger == first.trigger && one.rows.is_some();
    match alone {
        true => vec![first.clone()],
        false => due.iter().filter(same).cloned().collect(),
    }
}

/// What is wrong with some records: the first thing of each row.
type Wrong = BTreeMap<usize, String>;

async fn begin(app: &App, dispatch: Dispatch, own: &TriggerSetup, batch: Vec<Firing>) -> Outcome<()> {
    let only: Option<HashSet<usize>> =
        batch.iter().all(|one| one.rows.is_some()).then(|| batch.iter().flat_map(|one| one.rows.iter().flatten()).copied().collect());
    let bench = bench_of(app, dispatch.clone(), only.clone()).await?;
    if let Some(first) = bench.obstacles.first() {
        return Err(Error::conflict("obstacle", format!("the run can't start: {first}")));
    }
    if let Some(problem) = bench.filter_problem.as_ref().filter(|_| bench.records.is_empty()) {
        return Err(Error::conflict("filter", format!("the run can't start: {problem}")));
    }
    let labels: HashMap<usize, String> = bench.records.into_iter().map(|one| (one.row, one.label)).collect();
    let served = match (own.covers(), dispatch.sheet_id) {
        (Covers::Once, Some(sheet)) => {
            let id = dispatch.id;
            let found = app.store.with(move |c| items::served(c, id, sheet, &|_, _| false)).await?;
            found.into_iter().filter_map(|(row, served)| Some((row, served.run?))).collect()
        }
        _ => HashMap::new(),
    };
    let wanted: HashSet<usize> = labels.keys().filter(|row| !served.contains_key(row)).copied().collect();
    let (wanted, wrong, version) = wrong(app, &dispatch, own.condition(), wanted, batch.len() > 1).await?;
    let mut rows: Vec<usize> = wanted.iter().filter(|row| !wrong.contains_key(row)).copied().collect();
    rows.sort_unstable();
    let mut fired = Fired { words: own.words(), hold: own.hold, covers: own.covers(), ..Fired::default() };
    for firing in batch {
        let of = firing.rows.as_deref();
        let right = rows.iter().any(|row| of.is_none_or(|of| of.contains(row)));
        let mine: Wrong =
            wrong.iter().filter(|(row, _)| of.is_none_or(|of| of.contains(row))).map(|(row, why)| (*row, why.clone())).collect();
        match (right, mine.is_empty()) {
            (true, true) => fired.started.push(firing.id),
            (true, false) => {
                fired.started.push(firing.id);
                fired.left.push((firing.id, mine.keys().copied().collect(), told(&mine, &labels)));
            }
            (false, false) => fired.held.push((firing.id, told(&mine, &labels))),
            (false, true) => fired.nothing.push((firing.id, nothing(of, &served))),
        }
    }
    if rows.is_empty() {
        return app.store.change(move |t| fired.note(t).map_err(Error::from)).await;
    }
    Begin::fired(Actor::Mangle, dispatch, version, rows, fired).go(app.clone()).await.map(drop)
}

/// Those of some records that meet the trigger's condition, what is wrong with them, and the
/// version of the template that the dispatch uses.
async fn wrong(
    app: &App,
    dispatch: &Dispatch,
    condition: &str,
    mut wanted: HashSet<usize>,
    several: bool,
) -> Outcome<(HashSet<usize>, Wrong, Option<i64>)> {
    let (mut prepared, version) = ready(app, dispatch).await?;
    if !condition.trim().is_empty() {
        let met: HashMap<usize, bool> = prepared.meets(condition)?.into_iter().collect();
        wanted.retain(|row| met.get(row).copied().unwrap_or_default());
    }
    prepared.only = Some(wanted.clone());
    let version = version.map(|version| version.2);
    let found = blocking(move || -> Outcome<Wrong> {
        let Some(template) = prepared.template.clone() else {
            return Err(Error::conflict("not-ready", "choose a template and a source first"));
        };
        let (chosen, unclear) = prepared.chosen()?;
        let documents = prepared.documents(&chosen);
        let documents: Vec<&Record> = documents.iter().map(AsRef::as_ref).collect();
        let findings = check_all(&prepared, &*template, &documents, &CancellationToken::new(), &mut |_| {}).findings;
        let mut wrong: Wrong = unclear.into_iter().collect();
        // Firings that are due together share a run to be quick. Each could have had its own, beside
        // which the names of the others' documents would not matter.
        for finding in findings.into_iter().filter(|finding| !several || finding.what.code != "same-name") {
            wrong.entry(finding.record).or_insert_with(|| finding.what.to_string());
        }
        // What is wrong with the one document of all is wrong with each of its records.
        if let Some(whole) = wrong.remove(&0) {
            wrong.extend(chosen.iter().map(|record| (record.number, whole.clone())));
        }
        Ok(wrong)
    })
    .await??;
    Ok((wanted, found, version))
}

/// Why records wait.
fn told(wrong: &Wrong, labels: &HashMap<usize, String>) -> String {
    let name = |row: &usize| labels.get(row).cloned().unwrap_or_else(|| format!("row {row}"));
    let named: Vec<String> = wrong.iter().take(NAMED).map(|(row, why)| format!("{}: {}", name(row), why.trim_end_matches('.'))).collect();
    let more = match wrong.len().saturating_sub(NAMED) {
        0 => String::new(),
        more => format!("; and {more} more"),
    };
    match wrong.len() {
        1 => named.concat(),
        count => format!("{} findings. {}{more}", counted(count, "record has", "records have"), named.join("; ")),
    }
}

/// Why there is nothing to start.
fn nothing(rows: Option<&[usize]>, served: &HashMap<usize, i64>) -> String {
    let run = rows.into_iter().flatten().find_map(|row| served.get(row));
    match (run, rows) {
        (Some(run), _) => format!("already made by run {run}"),
        (None, Some([_])) => "the record is not among those that the dispatch and this trigger select".into(),
        (None, _) => "no record is selected".into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_waits_says_why_and_names_a_few() {
        let labels: HashMap<usize, String> = [(1, "Ada".to_owned()), (2, "Grace".to_owned())].into();
        let wrong = |rows: &[usize]| rows.iter().map(|row| (*row, "to: no e-mail address.".to_owned())).collect::<Wrong>();
        assert_eq!(told(&wrong(&[1]), &labels), "Ada: to: no e-mail address");
        let many = told(&wrong(&[1, 2, 3, 4, 5]), &labels);
        assert_eq!(
            many,
            "5 records have findings. Ada: to: no e-mail address; Grace: to: no e-mail address; row 3: to: no e-mail address; and 2 more"
        );
        let served = HashMap::from([(3, 7)]);
        assert_eq!(nothing(Some(&[3]), &served), "already made by run 7");
        assert_eq!(nothing(None, &served), "no record is selected");
    }
}
