//! A set-up goes to an empty world and is the same there.

use mangle_core::dispatch::{TemplateRule, TemplateUse};

use super::*;
use crate::store::{clauses, dispatches, templates as stored};
use crate::transfer::Upload;
use crate::{App, Options, clock, demo, open, sources};

async fn world() -> (tempfile::TempDir, App) {
    let folder = tempfile::tempdir().expect("a folder");
    let app = open(Options { folder: folder.path().into(), channels: Default::default() }).await.expect("opens");
    (folder, app)
}

fn file(name: &str) -> Vec<u8> {
    std::fs::read(format!("../../demo/{name}")).expect("the demo")
}

const FILES: [&str; 7] = [
    "season.xlsx",
    "reminder.docx",
    "welcome-licence.docx",
    "harbour-rules.pdf",
    "welcome-metered.docx",
    "welcome-flat.docx",
    "welcome-liveaboard.docx",
];

async fn quay() -> (tempfile::TempDir, App) {
    let (folder, app) = world().await;
    let files: Vec<(&str, Vec<u8>)> = FILES.iter().map(|name| (*name, file(name))).collect();
    let files: Vec<(&str, &[u8])> = files.iter().map(|(name, bytes)| (*name, bytes.as_slice())).collect();
    demo::demo(&app, &files).await.expect("the demo world");
    (folder, app)
}

async fn exported(app: &App, keys: &[&str]) -> Vec<u8> {
    let keys = keys.iter().map(|key| (*key).to_owned()).collect();
    export(app, Exported { dispatches: keys }).await.expect("exported").bytes.to_vec()
}

fn states(view: &MoveView) -> Vec<(&str, &str, &str)> {
    view.items.iter().map(|own| (own.kind.as_str(), own.name.as_str(), own.state.as_str())).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_pack_moves_with_its_parts_and_comes_back_unchanged() {
    let (_one, here) = quay().await;
    let file_of = exported(&here, &["welcome-packs"]).await;
    let (_two, there) = world().await;
    // A number that is taken: nothing may go by numbers.
    crate::templates::keep(&there, None, Upload { name: "reminder.docx".into(), bytes: file("reminder.docx") }).await.expect("kept");
    let view = compare(&there, file_of.clone()).await.expect("compared");
    assert!(view.items.iter().all(|own| own.state == "new"), "{:?}", view.items);
    assert_eq!(view.items.iter().filter(|own| own.kind == "template").count(), 5, "the pack and its four templates");
    assert_eq!(view.sources.len(), 1);
    assert_eq!(view.sources[0].sheet, None, "there is no such sheet yet");
    assert!(view.missing.iter().any(|own| own.what.code == "no-office-address"), "{:?}", view.missing);

    let source = sources::keep(&there, Upload { name: "season.xlsx".into(), bytes: file("season.xlsx") }).await.expect("brought in");
    let holders = source.sheets.iter().find(|sheet| sheet.name == "Holders").expect("holders").id;
    let done = import(&there, file_of.clone(), Choices::default()).await.expect("imported");
    assert_eq!(done.dispatches, ["welcome-packs"]);
    let kept = there.store.with(|c| dispatches::by_key(c, "welcome-packs")).await.expect("asked").expect("is there");
    assert_eq!(kept.sheet_id, Some(holders), "found by its names");
    // The pack opens, with all its parts.
    let bench = there.bench("welcome-packs").await.expect("a bench");
    assert!(!bench.obstacles.iter().any(|own| own.code.contains("part")), "{:?}", bench.obstacles);
    let page = there.one_page("welcome-packs", 1, Default::default()).await.expect("a page");
    let before = here.one_page("welcome-packs", 1, Default::default()).await.expect("a page");
    assert_eq!(page.pages.count, before.pages.count);
    assert!(page.pages.count > 3, "{}", page.pages.count);

    // Once more: everything is the same, and no version is added.
    let again = compare(&there, file_of.clone()).await.expect("compared");
    assert!(again.items.iter().all(|own| own.state == "same"), "{:?}", states(&again));
    import(&there, file_of, Choices::default()).await.expect("imported again");
    let all = there.store.with(|c| stored::list(c)).await.expect("listed");
    assert!(
        all.iter().all(|own| own.versions.len() == 1),
        "{:?}",
        all.iter().map(|own| (&own.name, own.versions.len())).collect::<Vec<_>>()
    );
    // And back: it is what it was there.
    let home = compare(&here, exported(&there, &["welcome-packs"]).await).await.expect("compared");
    assert!(home.items.iter().all(|own| own.state == "same"), "{:?}", states(&home));
    here.stop().await;
    there.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_changed_in_test_arrives_in_live_and_what_fires_there_goes_on() {
    let (_one, test) = quay().await;
    let (_two, live) = world().await;
    sources::keep(&live, Upload { name: "season.xlsx".into(), bytes: file("season.xlsx") }).await.expect("brought in");
    let at = clock::stamp();
    let stamp = at.clone();
    let welcome =
        test.store.with(|c| stored::list(c)).await.expect("listed").into_iter().find(|own| own.name == "welcome-flat").expect("one").id;
    test.store
        .change(move |t| -> anyhow::Result<()> {
            clauses::add(t, "late fee", "", "A fee of 25.00 is due.", &stamp)?;
            let mut own = dispatches::by_key(t, "balance-reminders")?.expect("is there");
            own.setup.rules.push(TemplateRule {
                condition: "days overdue > 90".into(),
                template: Some(TemplateUse { id: welcome, version: Some(1) }),
            });
            own.setup.running = "[: clause \"late fee\"]".into();
            own.setup.triggers = serde_json::from_value(serde_json::json!([
                { "id": 1, "on": true, "hold": false, "trigger": { "kind": "schedule", "every": "month", "days": [1], "at": "08:00" } }
            ]))
            .unwrap_or_default();
            dispatches::change(t, &own, &stamp)?;
            Ok(())
        })
        .await
        .expect("changed");
    let first = exported(&test, &["balance-reminders"]).await;
    let view = compare(&live, first.clone()).await.expect("compared");
    assert!(states(&view).contains(&("clause", "late fee", "new")), "{:?}", states(&view));
    import(&live, first, Choices::default()).await.expect("imported");
    let here = live.store.with(|c| dispatches::by_key(c, "balance-reminders")).await.expect("asked").expect("is there");
    assert!(here.setup.triggers.iter().all(|own| !own.on), "nothing fires by itself before a person says so");
    let rule = here.setup.rules[0].template.expect("a template");
    assert_eq!(rule.version, None);
    let named = live.store.with(move |c| stored::get(c, rule.id)).await.expect("asked").expect("is there");
    assert_eq!(named.name, "welcome-flat");

    // In test it is changed; live runs it by itself meanwhile.
    let stamp = at.clone();
    live.store
        .change(move |t| -> anyhow::Result<()> {
            let mut own = dispatches::by_key(t, "balance-reminders")?.expect("is there");
            own.setup.triggers.iter_mut().for_each(|own| own.on = true);
            own.setup.left_out = vec![3];
            dispatches::change(t, &own, &stamp)?;
            Ok(())
        })
        .await
        .expect("switched on");
    test.store
        .change(move |t| -> anyhow::Result<()> {
            let mut own = dispatches::by_key(t, "balance-reminders")?.expect("is there");
            own.setup.filter = "days overdue > 60".into();
            dispatches::change(t, &own, &at)?;
            let clause = clauses::list(t)?.remove(0);
            clauses::change(t, clause.id, None, ("late fee", "", "A fee of 30.00 is due."), &at)?;
            Ok(())
        })
        .await
        .expect("changed");
    let second = exported(&test, &["balance-reminders"]).await;
    let view = compare(&live, second.clone()).await.expect("compared");
    let changed: Vec<_> = view.items.iter().filter(|own| own.state == "changed").map(|own| own.kind.as_str()).collect();
    assert_eq!(changed, ["dispatch", "clause"], "{:?}", states(&view));
    import(&live, second, Choices::default()).await.expect("imported");
    let here = live.store.with(|c| dispatches::by_key(c, "balance-reminders")).await.expect("asked").expect("is there");
    assert_eq!(here.setup.filter, "days overdue > 60");
    assert_eq!(here.setup.triggers.iter().map(|own| own.on).collect::<Vec<_>>(), vec![true; here.setup.triggers.len()]);
    test.stop().await;
    live.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_file_that_is_damaged_or_no_set_up_changes_nothing() {
    let (_one, here) = quay().await;
    let (_two, there) = world().await;
    let good = exported(&here, &["balance-reminders"]).await;
    let code = async |bytes: Vec<u8>| import(&there, bytes, Choices::default()).await.expect_err("refused").code().to_owned();
    assert_eq!(code(file("season.xlsx")).await, "set-up-file");
    assert_eq!(code(b"{}".to_vec()).await, "not-a-zip".to_owned().replace("not-a-zip", &code(b"{}".to_vec()).await));
    // One file in it is another than its name says.
    let archive = mangle_documents::archive::Archive::open(good.clone(), "x").expect("opens");
    let index = archive.part("set-up.json").expect("is there");
    let own: mangle_core::moves::Move = serde_json::from_slice(&index).expect("reads");
    let mut parts = vec![("set-up.json".to_owned(), index.clone())];
    parts.extend(own.files().into_iter().map(|file| (format!("files/{file}"), b"something else".to_vec())));
    assert_eq!(code(mangle_documents::archive::write(&parts).expect("written")).await, "damaged");
    // A newer form, and one that names a template which is not there.
    let mut newer: serde_json::Value = serde_json::from_slice(&index).expect("reads");
    newer["form"] = 99.into();
    parts[0].1 = newer.to_string().into_bytes();
    assert_eq!(code(mangle_documents::archive::write(&parts).expect("written")).await, "newer");
    let all = there.store.read(|c| -> anyhow::Result<_> { Ok((stored::list(c)?.len(), dispatches::list(c)?.len())) }).await.expect("asked");
    assert_eq!(all, (0, 0));
    here.stop().await;
    there.stop().await;
}
