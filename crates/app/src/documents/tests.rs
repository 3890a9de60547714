//! Documents are kept as long as their dispatch says.

use super::removal::round;
use crate::dispatches::one::StartOne;
use crate::store::settings::{self, Settings};
use crate::store::{dispatches, documents, ledger, search};
use crate::{App, Options, open, starters};

/// An office with the invoices of the starter, one of which is made and delivered nowhere.
async fn invoiced() -> (tempfile::TempDir, App, i64) {
    let folder = tempfile::tempdir().expect("a folder");
    let app = open(Options { folder: folder.path().into(), channels: Default::default() }).await.expect("opens");
    let office = Settings { office_name: "Quay".into(), office_email: "office@quay.example".into(), ..Settings::default() };
    app.store.with(move |c| settings::write(c, &office)).await.expect("settings");
    let key = starters::lay_out(&app, "invoice").await.expect("laid out").key;
    assert_eq!(key, "invoice-with-payment-code");
    change(&app, |setup| setup.channels.clear()).await;
    let row = app.bench(&key).await.expect("a bench").records[0].row;
    let run = app.start_one(&key, row, StartOne::default()).await.expect("starts").id;
    for _ in 0..400 {
        if app.run(run).await.expect("asked").state == "done" {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(25)).await;
    }
    let item = app.items(run, None, 0, 1).await.expect("asked")[0].id;
    (folder, app, item)
}

async fn change(app: &App, work: impl FnOnce(&mut mangle_core::dispatch::Setup) + Send + 'static) {
    let changed = app.store.change(move |t| -> anyhow::Result<bool> {
        let mut own = dispatches::by_key(t, "invoice-with-payment-code")?.expect("is there");
        work(&mut own.setup);
        dispatches::change(t, &own, "2026-11-23T09:42:00")
    });
    assert!(changed.await.expect("changed"));
}

#[tokio::test(flavor = "multi_thread")]
async fn documents_go_when_their_time_is_over_and_that_they_were_there_stays() {
    let (_folder, app, item) = invoiced().await;
    let file = app.store.with(move |c| documents::of_item(c, item)).await.expect("asked")[0].file.clone();
    let there = async || app.store.with(move |c| search::get(c, item)).await.expect("asked").expect("is there");
    // Without a rule, and as long as it is not over, they stay.
    assert_eq!(round(&app).await.expect("a round"), 0);
    change(&app, |setup| setup.retention = Some(24)).await;
    assert_eq!(round(&app).await.expect("a round"), 0);
    assert!(there().await.removed.is_empty());
    app.store
        .change(move |t| -> anyhow::Result<()> {
            t.execute("UPDATE item SET made = '2020-01-01T00:00:00' WHERE id = ?1", [item])?;
            Ok(())
        })
        .await
        .expect("made earlier");
    assert_eq!(round(&app).await.expect("a round"), 1);
    let gone = there().await;
    assert!(gone.removed.ends_with("retention of 24 months"), "{gone:?}");
    assert_eq!((gone.label.as_str(), gone.file_name.as_str(), gone.recipients.as_str()), ("", "", ""));
    assert!(app.files.get(&file).await.is_err(), "the file is gone");
    let find = search::Search { text: "INV-2026".into(), ..Default::default() };
    assert!(app.store.with(move |c| search::list(c, &find, 9)).await.expect("asked").is_empty(), "found by no word any more");
    // The ledger still counts it, and nothing is removed twice.
    let counted = app.store.with(|c| ledger::counts(c, "2019-12-31", "2020-01-02")).await.expect("counted");
    assert_eq!(counted.iter().map(|own| own.count).sum::<usize>(), 1);
    assert_eq!(round(&app).await.expect("a round"), 0);
    let events = app.item_events(item).await.expect("events");
    assert!(events.iter().any(|event| event.what == "removed") && events.iter().all(|event| !event.detail.contains("INV-")), "{events:?}");
    app.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_file_that_another_document_uses_stays() {
    let (_folder, app, item) = invoiced().await;
    let file = app.store.with(move |c| documents::of_item(c, item)).await.expect("asked")[0].file.clone();
    let kept = file.clone();
    app.store
        .change(move |t| -> anyhow::Result<()> {
            t.execute(
                "INSERT INTO document (item_id, format, version, file, name, size, made) VALUES (?1, 'docx', 1, ?2, 'a', 1, '')",
                rusqlite::params![item, kept],
            )?;
            Ok(())
        })
        .await
        .expect("added");
    super::removal::delete(&app, vec![file.clone(), String::new()]).await.expect("looked at");
    assert!(app.files.get(&file).await.is_ok());
    app.stop().await;
}
