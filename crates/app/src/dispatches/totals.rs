//! What a run comes to, beside what the last one came to.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::time::{Duration, Instant};

use mangle_core::language::Folded;
use mangle_core::preflight::{Note, Summary, Totals};
use mangle_core::records::{Record, read_kept};
use mangle_documents::formats::Template;
use mangle_documents::layout::Typesetter;
use rayon::prelude::*;
use tokio_util::sync::CancellationToken;

use crate::prepare::Prepared;
use crate::store::runs::{self, Counted, RunInfo};
use crate::store::{Connection, ledger};

/// The most documents whose pages are counted one by one; of more, some are taken for all.
const COUNTED: usize = 48;
/// For how long pages are counted.
const PATIENCE: Duration = Duration::from_secs(4);

/// The last run of a dispatch with what it came to, before its amounts are added up.
#[derive(Debug, Clone)]
pub struct Last {
    pub run: RunInfo,
    pub counted: Counted,
}

/// What a dispatch did before.
#[derive(Debug, Clone, Default)]
pub struct Before {
    /// Its last run that delivered or stored something.
    pub last: Option<Last>,
    /// How many documents it has made this month.
    pub this_month: usize,
}

/// What a dispatch did before, with the documents that it made since a moment.
pub fn before(c: &Connection, key: &str, month: &str) -> anyhow::Result<Before> {
    Ok(Before { last: last(c, key)?, this_month: ledger::made_since(c, key, month)? })
}

/// The last run of a dispatch that delivered or stored something.
fn last(c: &Connection, key: &str) -> anyhow::Result<Option<Last>> {
    let Some(run) = runs::list(c, Some(key))?.into_iter().find(|run| run.kind == "run" && run.delivered > 0) else { return Ok(None) };
    let counted = runs::came_to(c, run.id)?;
    Ok(Some(Last { run, counted }))
}

/// The columns that a document prints, or that decide about it.
fn used(prepared: &Prepared) -> HashSet<Folded> {
    prepared.ties().iter().filter_map(|tie| tie.column.as_deref()).map(Folded::new).collect()
}

/// What the run before came to.
pub fn of_last(prepared: &Prepared, last: &Last) -> Totals {
    let Counted { documents, pages, deliveries, schema, records } = &last.counted;
    let totals = Totals { documents: *documents, pages: *pages, estimated: false, deliveries: deliveries.clone(), sums: Vec::new() };
    let schema = schema.clone().unwrap_or_else(|| prepared.schema.clone());
    let records: Vec<Record> = records.iter().filter_map(|(row, kept)| read_kept(&schema, *row, kept).ok()).collect();
    totals.with_sums(&schema, &used(prepared), records.iter(), &prepared.locale())
}

/// What a run would come to, and the records whose documents have more pages than most.
pub fn of_now(
    prepared: &Prepared,
    template: &dyn Template,
    records: &[&Record],
    summaries: &[Summary],
    wanted: &CancellationToken,
) -> (Totals, Vec<(usize, Note)>) {
    let totals = Totals::of(&prepared.plan, summaries);
    let totals = totals.with_sums(&prepared.schema, &used(prepared), records.iter().copied(), &prepared.locale());
    let counted = pages(prepared, template, records, wanted);
    let mut often: BTreeMap<usize, usize> = BTreeMap::new();
    counted.values().for_each(|pages| *often.entry(*pages).or_default() += 1);
    // How many most have, and of as many the fewer.
    let Some(usual) = often.iter().max_by_key(|(pages, count)| (**count, std::cmp::Reverse(**pages))).map(|(pages, _)| *pages) else {
        return (totals, Vec::new());
    };
    let all: usize = counted.values().sum();
    let estimated = counted.len() < records.len();
    let pages = if estimated { usual * records.len() + counted.values().map(|own| own.saturating_sub(usual)).sum::<usize>() } else { all };
    let alike = often.get(&usual).is_some_and(|count| *count * 2 > counted.len());
    let more = counted.iter().filter(|(_, pages)| alike && **pages > usual && records.len() > 2);
    let notes = more.map(|(at, pages)| (records[*at].number, Note::MorePages { pages: *pages, usual }));
    let notes = notes.collect();
    (Totals { pages: Some(pages), estimated, ..totals }, notes)
}

/// How many pages documents have, by their places: of all, or of some: those with the longest
/// values, which are the likeliest to have more, and some that are spread over the rest.
fn pages(prepared: &Prepared, template: &dyn Template, records: &[&Record], wanted: &CancellationToken) -> HashMap<usize, usize> {
    let mut places: Vec<usize> = (0..records.len()).collect();
    if places.len() > COUNTED {
        let mut longest = places.clone();
        longest.sort_by_cached_key(|at| std::cmp::Reverse(length(records[*at])));
        longest.truncate(COUNTED / 2);
        let step = records.len() / (COUNTED / 2);
        longest.extend(places.into_iter().step_by(step.max(1)).take(COUNTED / 2));
        longest.sort_unstable();
        longest.dedup();
        places = longest;
    }
    let begun = Instant::now();
    let count = |at: usize| {
        if wanted.is_cancelled() || begun.elapsed() > PATIENCE {
            return None;
        }
        let record = records[at];
        let context = prepared.context(record, at + 1, records.len());
        let filled = template.fill_with(&prepared.scope(record, &context), prepared.means()).ok()?;
        Some((at, template.typeset(&filled, &Typesetter::default()).ok()?.page_count()))
    };
    places.into_par_iter().filter_map(count).collect()
}

/// How long a record's values are, about.
fn length(record: &Record) -> usize {
    mangle_core::records::keep(record).len()
}
