//! Importing a file as a source, as a job: its rows are written in parts, so that nothing else
//! waits for them, and show once they are all there.

use mangle_core::records::{RawSheet, Recognised};
use serde::{Deserialize, Serialize};
use serde_json::json;

use super::read;
use crate::jobs::Work;
use crate::prepare::blocking;
use crate::store::jobs::{self, Ended, JobWork};
use crate::store::sheets::{self, Source};
use crate::transfer::{Upload, stem};
use crate::{App, Error, Outcome, clock};

/// The job's kind and its work.
pub const JOB: (&str, fn(App, JobWork) -> Work) = (WORD, |app, job| Box::pin(async move { work(&app, &job).await }));

const WORD: &str = "import";

/// How many rows are written at a time.
const PART: usize = 4_000;

/// What an import needs.
#[derive(Debug, Serialize, Deserialize)]
struct Payload {
    /// The file among those that are being imported.
    file: String,
    /// Its name.
    name: String,
}

/// Asks for a file to be imported; the job's number.
pub async fn ask(app: &App, upload: Upload) -> Outcome<i64> {
    let file = app.incoming.keep(upload.bytes).await?;
    let payload = json!(Payload { file, name: upload.name.clone() });
    app.ask_job(WORD, 0, &upload.name, payload).await
}

/// The source that a job makes, once it is there.
pub async fn done(app: &App, job: i64) -> Outcome<Source> {
    let id = app.job_done(job).await?["source"].as_i64();
    let sources = app.store.with(|c| sheets::sources(c)).await?;
    sources.into_iter().find(|source| Some(source.id) == id).ok_or_else(|| Error::missing("the source"))
}

async fn work(app: &App, job: &JobWork) -> Outcome<serde_json::Value> {
    let Payload { file, name } = serde_json::from_value(job.payload.clone()).map_err(anyhow::Error::new)?;
    app.background.tell(job.id, "reading", 0, None);
    let bytes = app.incoming.get(&file).await?;
    let found = read(app, &name, bytes).await?;
    let begun = {
        let name = name.clone();
        app.store.change(move |t| -> Outcome<_> {
            let begun = sheets::arrive(t, &stem(&name), &name, &clock::stamp(), &found)?;
            Ok((begun, found))
        })
    };
    let ((source, ids), found) = begun.await?;
    let arriving = Arriving { app: app.clone(), source, whole: false };
    rows(app, job.id, &ids, found).await?;
    let (id, result) = (job.id, json!({ "source": source }));
    let own = result.clone();
    // The job ends with the change that makes the source visible: whatever ends the program, or
    // stops the job, the file is not imported a second time.
    let whole = app.store.change(move |t| -> anyhow::Result<()> {
        sheets::arrived(t, source)?;
        jobs::end(t, id, &Ended::Done(own), &clock::stamp())?;
        Ok(())
    });
    whole.await?;
    arriving.arrived();
    Ok(result)
}

/// Writes the rows of all sheets, part by part.
async fn rows(app: &App, job: i64, ids: &[i64], found: Vec<(RawSheet, Recognised)>) -> Outcome<()> {
    let total = found.iter().map(|(raw, _)| raw.rows.len()).sum();
    let mut written = 0;
    for (sheet, (raw, _)) in ids.iter().copied().zip(found) {
        let (mut rest, mut first) = (raw.rows.into_iter(), 1);
        loop {
            app.background.tell(job, "rows", written, Some(total));
            let part: Vec<_> = rest.by_ref().take(PART).collect();
            if part.is_empty() {
                break;
            }
            let count = part.len();
            let cells = blocking(move || part.iter().map(serde_json::to_string).collect::<Result<Vec<_>, _>>()).await?;
            let cells = cells.map_err(anyhow::Error::new)?;
            app.store.change(move |t| sheets::add_rows(t, sheet, first, &cells)).await?;
            (first, written) = (first + count, written + count);
        }
    }
    Ok(())
}

/// A source whose rows are being written; dropped before they are all there, it goes with them.
struct Arriving {
    app: App,
    source: i64,
    whole: bool,
}

impl Arriving {
    fn arrived(mut self) {
        self.whole = true;
    }
}

impl Drop for Arriving {
    fn drop(&mut self) {
        if self.whole {
            return;
        }
        let (app, source) = (self.app.clone(), self.source);
        self.app.tasks.spawn(async move {
            if let Err(error) = app.store.change(move |t| sheets::drop_arriving(t, source)).await {
                tracing::warn!(source, error = format!("{error:#}"), "what an import has left goes at the next start");
            }
        });
    }
}

/// Deletes the file of an import that has ended, unless another needs it.
pub async fn tidy(app: &App, job: &JobWork) {
    let Ok(Payload { file, .. }) = serde_json::from_value(job.payload.clone()) else { return };
    let (id, wanted) = (job.id, file.clone());
    let gone = async {
        if app.store.with(move |c| jobs::needed(c, id, &wanted)).await? {
            return Ok(());
        }
        app.incoming.delete(&file).await
    };
    if let Err(error) = gone.await {
        tracing::warn!(id, error = format!("{error:#}"), "the file of an import can't be deleted");
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Options, open};

    async fn app(folder: &std::path::Path) -> App {
        open(Options { folder: folder.into(), channels: Default::default() }).await.expect("opens")
    }

    fn upload(rows: usize) -> Upload {
        let mut text = "Ref,Balance\n".to_owned();
        (0..rows).for_each(|at| text.push_str(&format!("BQ-{at},{at}.50\n")));
        Upload { name: "Season.csv".into(), bytes: text.into_bytes() }
    }

    async fn count(app: &App) -> (usize, i64) {
        app.store
            .with(|c| -> anyhow::Result<_> {
                let rows = "SELECT count(*) FROM sheet_row";
                Ok((sheets::sources(c)?.len(), c.query_row(rows, [], |r| r.get(0))?))
            })
            .await
            .expect("counts")
    }

    #[tokio::test]
    async fn a_file_comes_in_in_parts_and_shows_once_it_is_whole() {
        let folder = tempfile::tempdir().expect("a folder");
        let app = app(folder.path()).await;
        let source = super::super::keep(&app, upload(2 * PART + 5)).await.expect("imported");
        assert_eq!((source.name.as_str(), source.sheets[0].row_count), ("Season", 2 * PART + 5));
        let loaded = app.sheet(source.sheets[0].id).await.expect("loads");
        let last = loaded.sheet.records.last().expect("rows");
        assert_eq!((last.number, last.values()[0].clone()), (2 * PART + 5, mangle_core::value::Value::text("BQ-8004")));
        assert_eq!(app.jobs().await.expect("asks"), [], "nothing is going any more");
        // A file that can't be used leaves nothing.
        let refused = super::super::keep(&app, Upload { name: "a.xlsx".into(), bytes: b"PK no".to_vec() }).await.expect_err("refused");
        assert!(refused.to_string().contains("“a.xlsx”"), "{refused}");
        assert_eq!(count(&app).await, (1, 2 * PART as i64 + 5));
        let left = walk(&folder.path().join("incoming"));
        assert_eq!(left, 0, "no file is left over");
        app.stop().await;
    }

    fn walk(at: &std::path::Path) -> usize {
        let entries = std::fs::read_dir(at).expect("reads").map(|e| e.expect("an entry").path());
        entries.map(|path| if path.is_dir() { walk(&path) } else { 1 }).sum()
    }

    #[tokio::test]
    async fn what_the_end_of_the_program_interrupts_is_done_at_its_next_start() {
        let folder = tempfile::tempdir().expect("a folder");
        let first = app(folder.path()).await;
        let file = first.incoming.keep(upload(9).bytes).await.expect("kept");
        let payload = json!(Payload { file, name: "Season.csv".into() });
        let job = first
            .store
            .change(move |t| -> anyhow::Result<i64> {
                // As it stands when the power goes: begun, with a part of the rows.
                let id = jobs::add(t, WORD, 0, "Season.csv", &payload, &clock::stamp())?;
                jobs::claim(t, &clock::stamp())?;
                t.execute("INSERT INTO source (id, name, file_name, brought_in, arriving) VALUES (77, 'Season', 'Season.csv', '', 1)", [])?;
                Ok(id)
            })
            .await
            .expect("written");
        assert_eq!(count(&first).await.0, 0, "nobody sees a part");
        // A file came in, and the power went before its job was written down.
        first.incoming.keep(b"Ref\n7\n".to_vec()).await.expect("kept");
        first.stop().await;
        drop(first);
        let next = app(folder.path()).await;
        let source = done(&next, job).await.expect("done by itself");
        assert_eq!((source.sheets[0].row_count, count(&next).await), (9, (1, 9)));
        for _ in 0..100 {
            if walk(&folder.path().join("incoming")) == 0 {
                break;
            }
            tokio::time::sleep(std::time::Duration::from_millis(20)).await;
        }
        assert_eq!(walk(&folder.path().join("incoming")), 0, "what nobody needs is gone");
        next.stop().await;
    }

    #[tokio::test]
    async fn a_source_that_shows_is_never_imported_again() {
        let folder = tempfile::tempdir().expect("a folder");
        let first = app(folder.path()).await;
        let taken = first.background.all_places().await;
        let job = ask(&first, upload(9)).await.expect("asked");
        let claimed = first.store.change(|t| jobs::claim(t, &clock::stamp())).await.expect("claims").expect("the job");
        work(&first, &claimed).await.expect("imports");
        // The power goes before anyone hears of it; a person who stops it now comes too late.
        assert_eq!(first.stop_job(job).await.expect("asks").state, "done");
        drop(taken);
        first.stop().await;
        drop(first);
        let next = app(folder.path()).await;
        assert_eq!((done(&next, job).await.expect("done").sheets[0].row_count, count(&next).await), (9, (1, 9)));
        next.stop().await;
    }

    #[tokio::test]
    async fn a_job_that_waits_is_stopped_and_one_that_ends_the_program_each_time_is_given_up() {
        let folder = tempfile::tempdir().expect("a folder");
        let app = app(folder.path()).await;
        // Nobody does these: all places are taken.
        let taken = app.background.all_places().await;
        let file = app.incoming.keep(b"Ref\n1\n".to_vec()).await.expect("kept");
        let mut jobs = Vec::new();
        for _ in 0..2 {
            jobs.push(app.ask_job(WORD, 0, "a.csv", json!(Payload { file: file.clone(), name: "a.csv".into() })).await.expect("asked"));
        }
        assert_eq!(app.jobs().await.expect("asks").iter().map(|j| j.state.as_str()).collect::<Vec<_>>(), ["waiting"; 2]);
        assert_eq!(app.stop_job(jobs[0]).await.expect("stops").state, "stopped");
        assert_eq!(app.job_done(jobs[0]).await.expect_err("stopped").code(), "stopped");
        for _ in 0..3 {
            app.store.change(|t| jobs::claim(t, &clock::stamp()).map(|_| ())).await.expect("claims");
            app.store.change(|t| jobs::take_up(t, &clock::stamp())).await.expect("the next start");
        }
        let given_up = app.job(jobs[1]).await.expect("asks");
        assert_eq!((given_up.state.as_str(), given_up.error_code.as_str()), ("failed", "crash"));
        drop(taken);
        app.stop().await;
    }
}
