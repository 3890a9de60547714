use mangle_core::dispatch::Format;
use mangle_core::records::{Cell, RawSheet, recognise};
use rusqlite::params;

use super::deliveries::{DeliveryError, NewDelivery};
use super::documents::NewDocument;
use super::items::{Claimed, ItemError, MadeItem};
use super::runs::{NewItem, NewRun};
use super::settings::Settings;
use super::*;
use crate::Actor;
use crate::jobs::state::{DeliveryEvent, DeliveryState, ItemEvent, RunEvent};

const AT: &str = "2026-11-23T09:42:00";
const LATER: &str = "2026-11-23T09:43:00";

/// A store with a sheet of three rows, a template and a dispatch.
fn furnished() -> (tempfile::TempDir, Pooled, i64) {
    let folder = tempfile::tempdir().expect("a folder");
    let mut c = Store::open(&folder.path().join("mangle.sqlite")).expect("opens").connection().expect("connects");
    // No test needs its store after a power cut.
    c.pragma_update(None, "synchronous", "OFF").expect("set");
    let raw = RawSheet {
        name: "Holders".into(),
        header: vec!["Ref".into(), "Balance".into()],
        rows: [("BQ-1", "12.50"), ("BQ-2", "405.00"), ("BQ-3", "")]
            .map(|(r, b)| vec![Cell::Text(r.into()), if b.is_empty() { Cell::Blank } else { Cell::Text(b.into()) }])
            .to_vec(),
        ..RawSheet::default()
    };
    let found = recognise(&raw);
    let t = c.transaction().expect("begins");
    let rows: Vec<String> = raw.rows.iter().map(|cells| serde_json::to_string(cells).expect("JSON")).collect();
    let (source, ids) = sheets::arrive(&t, "Season", "season.csv", AT, &[(raw, found)]).expect("begun");
    assert!(sheets::sources(&t).expect("asks").is_empty(), "it is not there yet");
    sheets::add_rows(&t, ids[0], 1, &rows).expect("added");
    sheets::arrived(&t, source).expect("whole");
    t.execute("INSERT INTO template (id, name) VALUES (1, 'Reminder')", []).expect("inserts");
    t.execute(
        "INSERT INTO template_version (id, template_id, number, file_name, file, size, brought_in) VALUES (1, 1, 1, 'a.docx', 'f', 9, ?1)",
        [AT],
    )
    .expect("inserts");
    t.commit().expect("commits");
    dispatches::add(&c, "Reminders", Some(1), Some(1), &Setup::default(), AT).expect("added");
    let run = begin(&mut c);
    (folder, c, run)
}

fn begin(c: &mut Connection) -> i64 {
    let rows: Vec<NewItem> = (1..=3)
        .map(|number| NewItem {
            number,
            label: format!("BQ-{number}"),
            record: format!("[{{\"text\":\"BQ-{number}\"}}]"),
            joint: Vec::new(),
        })
        .collect();
    let setup = Setup::default();
    let new = NewRun {
        dispatch_id: 1,
        proof_to: None,
        start_key: None,
        snapshot: None,
        hold: false,
        hold_after: None,
        opens: "",
        by: Actor::User,
        moment: AT,
        template_version_id: 1,
        sheet_id: 1,
        setup: &setup,
        columns: &[],
        rows: &rows,
        sole: false,
    };
    let t = c.transaction().expect("begins");
    let run = runs::start(&t, &new).expect("starts");
    t.commit().expect("commits");
    run
}

fn list(c: &Connection, run: i64) -> Vec<items::ItemInfo> {
    items::list(c, run, None, 0, 100, 0).expect("lists")
}

fn states(c: &Connection, run: i64) -> Vec<String> {
    list(c, run).into_iter().map(|i| i.state).collect()
}

/// What was made of an item, with a delivery for each kind of channel that is named.
fn made(channels: &[&'static str]) -> MadeItem {
    let document = NewDocument { format: Format::Pdf, file: "abc".into(), name: "Reminder.pdf".into(), pages: Some(1), size: 3 };
    let delivery = |(channel, kind): (usize, &&'static str)| NewDelivery {
        waits: false,
        channel,
        kind,
        name: (*kind).into(),
        state: DeliveryState::ToSend,
        held: false,
        opens: String::new(),
        key: "<1@quay.example>".into(),
        recipient: "ada@quayle.example".into(),
        documents: "[\"pdf\"]".into(),
        payload: "{}".into(),
        token: String::new(),
    };
    MadeItem {
        round: None,
        took: 12,
        file_name: "Reminder".into(),
        documents: vec![document],
        deliveries: channels.iter().enumerate().map(delivery).collect(),
        running: None,
    }
}

/// Claims an item and makes it.
fn make(c: &mut Connection, item: i64, channels: &[&'static str]) {
    let t = c.transaction().expect("begins");
    let run = items::get(&t, item).expect("asks").expect("is there").run_id;
    step(&t, ItemEvent::Claim, "", "id = :id", &[(":id", &item)]).expect("claims");
    items::made(&t, item, run, &made(channels), AT).expect("made");
    t.commit().expect("commits");
}

fn fail(c: &Connection, item: i64) {
    assert!(items::failed(c, item, &error("misfit"), AT).expect("failed"));
}

fn retry(c: &mut Connection, run: i64, item: Option<i64>, at: &str) -> usize {
    let t = c.transaction().expect("begins");
    let count = runs::retry(&t, run, item, at).expect("retries");
    t.commit().expect("commits");
    count
}

fn due(c: &Connection, now: i64) -> Vec<i64> {
    deliveries::due(c, ("email", false), now, &[], 10).expect("asks").iter().map(|d| d.id).collect()
}

fn later(code: &str) -> DeliveryError {
    DeliveryError { code: code.into(), message: "it went wrong".into() }
}

fn error(code: &str) -> ItemError {
    ItemError { code: code.into(), place: "body".into(), message: "it went wrong".into() }
}

#[test]
fn an_empty_store_is_brought_up_to_date_and_a_full_one_stays_as_it_is() {
    let (folder, c, run) = furnished();
    drop(c);
    let again = Store::open(&folder.path().join("mangle.sqlite")).expect("opens again").connection().expect("connects");
    assert_eq!(states(&again, run).len(), 3);
    let version: i64 = again.query_row("PRAGMA user_version", [], |r| r.get(0)).expect("a version");
    assert_eq!(version as usize, MIGRATIONS.len());
}

#[test]
fn what_is_committed_is_on_disk_and_two_that_read_and_write_wait_for_each_other() {
    let folder = tempfile::tempdir().expect("a folder");
    let store = Store::open(&folder.path().join("mangle.sqlite")).expect("opens");
    let (mut one, mut other) = (store.connection().expect("connects"), store.connection().expect("connects"));
    // 2 is FULL: each commit is synced.
    let level: i64 = one.query_row("PRAGMA synchronous", [], |r| r.get(0)).expect("a level");
    assert_eq!(level, 2);
    one.execute("INSERT INTO template (id, name) VALUES (1, 'a')", []).expect("inserts");
    let both = |c: &mut Connection, name: &str| {
        let t = c.transaction().expect("waits for its turn");
        let before: String = t.query_row("SELECT name FROM template", [], |r| r.get(0)).expect("read");
        // Another that read before would have to give up here.
        std::thread::sleep(std::time::Duration::from_millis(50));
        t.execute("UPDATE template SET name = ?1", [format!("{before}{name}")]).expect("written");
        t.commit().expect("commits");
    };
    std::thread::scope(|scope| {
        scope.spawn(|| both(&mut one, "b"));
        scope.spawn(|| both(&mut other, "c"));
    });
    let name: String = one.query_row("SELECT name FROM template", [], |r| r.get(0)).expect("read");
    assert!(name == "abc" || name == "acb", "{name}");
}

#[test]
fn a_store_of_a_newer_program_is_refused() {
    let folder = tempfile::tempdir().expect("a folder");
    let file = folder.path().join("mangle.sqlite");
    Store::open(&file).expect("opens").connection().expect("connects").pragma_update(None, "user_version", 999).expect("set");
    assert!(Store::open(&file).is_err());
}

#[test]
fn what_a_dispatch_made_of_each_row_is_known() {
    let (_folder, mut c, first) = furnished();
    make(&mut c, 1, &[]);
    fail(&c, 2);
    let differs = |row: usize, kept: &str| kept != format!("[{{\"text\":\"BQ-{}\"}}]", if row == 1 { 7 } else { row });
    let before = items::served(&c, 1, 1, &differs).expect("told");
    let told = |row: usize| before.get(&row).map(|s| (s.run, s.failed_last, s.changed));
    assert_eq!(told(1), Some((Some(first), false, true)), "made, and another value since");
    assert_eq!(told(2), Some((None, true, false)));
    assert_eq!(told(3), Some((Some(first), false, false)), "on its way counts as served");
    // A later failure does not take back what was made before.
    let second = begin(&mut c);
    let id = list(&c, second)[0].id;
    fail(&c, id);
    let before = items::served(&c, 1, 1, &|_, _| false).expect("told");
    assert_eq!(before.get(&1).map(|s| (s.run, s.failed_last)), Some((Some(first), true)));
    assert!(items::served(&c, 2, 1, &|_, _| false).expect("told").is_empty());
}

#[test]
fn what_failed_over_one_channel_and_arrived_over_another_counts_as_served() {
    let (_folder, mut c, run) = furnished();
    make(&mut c, 1, &["email", "folder"]);
    assert!(deliveries::begin(&c, 1, "", 5, AT).expect("begins").is_some() && deliveries::delivered(&c, 1, "250 ok", AT).expect("taken"));
    assert!(deliveries::went_wrong(&c, DeliveryEvent::Fail, 2, &later("full"), AT).expect("fails"));
    assert_eq!(states(&c, run)[0], "failed");
    let served = items::served(&c, 1, 1, &|_, _| false).expect("told");
    assert_eq!(served.get(&1).map(|s| (s.run, s.failed_last)), Some((Some(run), true)));
    // Tried again, only what failed is.
    assert_eq!(retry(&mut c, run, Some(1), LATER), 1);
    let now: Vec<String> = list(&c, run)[0].deliveries.iter().map(|d| d.state.clone()).collect();
    assert_eq!(now, ["delivered", "to send"]);
}

#[test]
fn a_row_is_written_anew_where_its_record_was_opened_again_meanwhile() {
    let (_folder, mut c, run) = furnished();
    make(&mut c, 1, &["email", "sheet"]);
    let last = |c: &Connection| deliveries::due(c, ("sheet", false), 0, &[], 9).expect("asks").len();
    assert_eq!(last(&c), 0, "the message comes first");
    assert!(deliveries::begin(&c, 1, "", 5, AT).expect("begins").is_some());
    assert!(deliveries::went_wrong(&c, DeliveryEvent::Fail, 1, &later("refused"), AT).expect("fails"));
    assert_eq!(last(&c), 1);
    assert!(deliveries::begin(&c, 2, "", 5, AT).expect("begins").is_some());
    // While the row is written, a person has the message sent again.
    assert_eq!(retry(&mut c, run, Some(1), LATER), 1);
    assert!(deliveries::delivered(&c, 2, "Failed", LATER).expect("written"));
    deliveries::repeat(&c, &deliveries::ITSELF_IF_OPEN, 2, LATER).expect("looks");
    let now = |c: &Connection| list(c, run)[0].deliveries.iter().map(|d| d.state.clone()).collect::<Vec<_>>();
    assert_eq!((now(&c), last(&c)), (vec!["to send".to_owned(), "to send".to_owned()], 0));
    assert!(deliveries::begin(&c, 1, "", 5, LATER).expect("begins").is_some() && deliveries::delivered(&c, 1, "", LATER).expect("taken"));
    assert_eq!(last(&c), 1, "now it is written anew");
    assert!(deliveries::begin(&c, 2, "", 5, LATER).expect("begins").is_some() && deliveries::delivered(&c, 2, "", LATER).expect("written"));
    deliveries::repeat(&c, &deliveries::ITSELF_IF_OPEN, 2, LATER).expect("looks");
    assert_eq!(now(&c), ["delivered", "delivered"], "once");
}

#[test]
fn what_was_withdrawn_over_one_channel_and_arrived_over_another_counts_as_served() {
    let (_folder, mut c, first) = furnished();
    for item in [1, 2] {
        make(&mut c, item, &["email", "folder"]);
    }
    // Of the first the message arrived; of the second nothing did.
    assert!(deliveries::begin(&c, 1, "", 5, AT).expect("begins").is_some() && deliveries::delivered(&c, 1, "", AT).expect("taken"));
    for delivery in [2, 3, 4] {
        assert!(deliveries::withdraw(&c, delivery, false, AT).expect("withdrawn"));
    }
    assert_eq!(states(&c, first), ["withdrawn", "withdrawn", "waiting"]);
    let served = items::served(&c, 1, 1, &|_, _| false).expect("told");
    let told = |row: usize| served.get(&row).and_then(|s| s.run);
    assert_eq!((told(1), told(2), told(3)), (Some(first), None, Some(first)));
    // An earlier run does not serve it a second time.
    let second = begin(&mut c);
    let id = list(&c, second)[0].id;
    items::failed(&c, id, &error("misfit"), AT).expect("failed");
    c.execute("UPDATE item SET changed = ?1 WHERE id = 1", [LATER]).expect("set");
    assert_eq!(retry(&mut c, second, Some(id), LATER), 0);
}

#[test]
fn the_same_start_of_a_dispatch_is_one_run() {
    let (_folder, c, run) = furnished();
    c.execute("UPDATE run SET start_key = 'a' WHERE id = ?1", [run]).expect("keyed");
    assert_eq!(runs::started(&c, 1, "a").expect("asked"), Some(run));
    assert_eq!(runs::started(&c, 1, "b").expect("asked"), None);
    assert_eq!(runs::under_way(&c, 1, false).expect("asked"), Some(run));
    assert!(runs::change(&c, RunEvent::Pause, run).expect("paused"));
    assert!(!runs::change(&c, RunEvent::Pause, run).expect("asked"), "only from the states that the table names");
    assert_eq!(runs::under_way(&c, 1, false).expect("asked"), Some(run));
    c.execute("UPDATE run SET state = 'done'", []).expect("set");
    assert_eq!(runs::under_way(&c, 1, false).expect("asked"), None);
    let twice = c.execute(
        "INSERT INTO run (dispatch_id, kind, state, started, moment, template_version_id, sheet_id, setup, count, start_key)
         SELECT dispatch_id, kind, state, started, moment, template_version_id, sheet_id, setup, count, start_key FROM run WHERE id = ?1",
        [run],
    );
    assert!(twice.expect_err("the store itself refuses the second").to_string().contains("UNIQUE constraint failed: run.dispatch_id"));
}

#[test]
fn a_dispatch_is_changed_only_by_who_saw_it_last() {
    let (_folder, c, _) = furnished();
    let seen = dispatches::by_id(&c, 1).expect("asked").expect("there");
    let renamed = |name: &str| dispatches::Dispatch { name: name.into(), ..seen.clone() };
    assert!(dispatches::change(&c, &renamed("First"), AT).expect("changed"));
    assert!(!dispatches::change(&c, &renamed("Second"), AT).expect("refused"));
    assert_eq!(dispatches::by_id(&c, 1).expect("asked").expect("there").name, "First");
}

#[test]
fn a_sheet_comes_back_with_its_cells_types_and_reading() {
    let (_folder, c, _) = furnished();
    let now = jiff::civil::date(2026, 11, 23).at(12, 0, 0, 0);
    let sheets::Loaded { sheet, reading, .. } = sheets::load(&c, 1, now).expect("loads").expect("is there");
    assert_eq!((sheet.records.len(), reading.decimal), (3, '.'));
    assert_eq!(sheet.records[0].values()[0], mangle_core::value::Value::text("BQ-1"));
    assert!(sheet.records[2].values()[1].is_blank());
    assert_eq!(sheets::uses(&c, 1).expect("counts"), 2, "a dispatch and a run use it");
    assert!(sheets::load(&c, 9, now).expect("asks").is_none());
}

#[test]
fn a_run_is_written_whole_before_any_work_starts() {
    let (_folder, mut c, run) = furnished();
    assert_eq!(states(&c, run), ["waiting"; 3]);
    assert_eq!(runs::to_make(&c).expect("asks"), [run]);
    let t = c.transaction().expect("begins");
    let claim = |busy: bool| match items::claim(&t, run, 1, 10, busy, 5).expect("asks") {
        Claimed::Some(batch) => batch,
        _ => Vec::new(),
    };
    let work = claim(false);
    assert_eq!(work.iter().map(|w| (w.position, w.row)).collect::<Vec<_>>(), [(2, 2), (3, 3)]);
    assert!(work[0].record.contains("BQ-2"), "an item keeps its record: {}", work[0].record);
    assert_eq!(states(&t, run), ["waiting", "making", "making"]);
    assert!(claim(true).is_empty(), "nobody else takes them");
    // A maker that begins finds what one before it could not give back.
    assert_eq!(runs::to_make(&t).expect("asks"), [run]);
    assert_eq!(items::let_go(&t, run).expect("given back"), 2);
    assert_eq!(claim(false).len(), 2);
    // Nobody renewed the lease: others may take them.
    assert_eq!(items::expire(&t, 5 + items::LEASE).expect("asks"), 0);
    assert_eq!(items::expire(&t, 6 + items::LEASE).expect("expires"), 2);
    assert_eq!(states(&t, run), ["waiting"; 3]);
}

#[test]
fn an_item_goes_from_waiting_to_delivered_step_by_step() {
    let (_folder, mut c, run) = furnished();
    make(&mut c, 1, &["email"]);
    make(&mut c, 2, &[]);
    assert_eq!(states(&c, run), ["to send", "made", "waiting"], "without a channel a made item is done");
    assert_eq!(due(&c, 0), [1]);
    assert!(deliveries::begin(&c, 1, "<1@quay.example>", 5, AT).expect("begins").is_some());
    assert!(deliveries::begin(&c, 1, "", 5, AT).expect("asks").is_none(), "nobody else can take it up");
    assert!(!runs::finish(&c, run, LATER).expect("asks"), "something is on its way");
    assert!(deliveries::delivered(&c, 1, "250 ok", AT).expect("delivered"));
    fail(&c, 3);
    assert_eq!(states(&c, run), ["delivered", "made", "failed"]);
    assert!(runs::finish(&c, run, LATER).expect("ends"));
    assert!(!runs::finish(&c, run, LATER).expect("asks"), "it ends once");
    let info = runs::get(&c, run).expect("asks").expect("is there");
    assert_eq!((info.delivered, info.failed, info.state.as_str()), (2, 1, "done"));
    let first = &list(&c, run)[0];
    assert_eq!((first.documents[0].name.as_str(), first.documents[0].pages), ("Reminder.pdf", Some(1)));
    assert_eq!((first.deliveries[0].receipt.as_str(), first.deliveries[0].attempts), ("250 ok", 1));
}

#[test]
fn what_waits_for_a_release_stays_until_a_person_gives_it() {
    let (_folder, mut c, run) = furnished();
    for item in [1, 2, 3] {
        make(&mut c, item, &["email"]);
    }
    c.execute("UPDATE delivery SET state = 'blocked', held = 1", []).expect("set");
    assert_eq!(states(&c, run), ["blocked"; 3]);
    assert!(due(&c, i64::MAX).is_empty() && !runs::finish(&c, run, AT).expect("asks"));
    assert!(deliveries::begin(&c, 1, "", 5, AT).expect("asks").is_none(), "not past its gate");
    assert!(deliveries::release(&c, 2, AT).expect("released"));
    assert!(deliveries::withdraw(&c, 3, false, AT).expect("withdrawn"));
    assert_eq!(states(&c, run), ["blocked", "to send", "withdrawn"]);
    assert_eq!(deliveries::release_all(&c, run, AT).expect("released"), 1);
    assert_eq!(due(&c, 0), [1, 2]);
    assert!(!deliveries::release(&c, 3, AT).expect("asked"), "what was withdrawn stays so");
}

#[test]
fn what_is_scheduled_goes_at_its_moment_once_nobody_holds_it() {
    let (_folder, mut c, run) = furnished();
    for item in [1, 2, 3] {
        make(&mut c, item, &["email"]);
    }
    c.execute("UPDATE delivery SET state = 'blocked', opens = ?1, held = (id = 2)", [LATER]).expect("set");
    assert_eq!(states(&c, run), ["scheduled", "blocked", "scheduled"]);
    assert_eq!(deliveries::open(&c, AT).expect("asked"), Vec::<i64>::new(), "its moment is to come");
    assert!(!runs::finish(&c, run, AT).expect("asks"), "the run waits for it");
    assert!(!deliveries::release(&c, 3, AT).expect("asked"), "nobody holds it");
    assert!(!deliveries::send_now(&c, 2, AT).expect("asked"), "somebody holds it");
    assert!(deliveries::send_now(&c, 3, AT).expect("a person sends it now"));
    assert!(runs::change(&c, RunEvent::Pause, run).expect("paused"));
    assert_eq!(deliveries::open(&c, LATER).expect("asked"), Vec::<i64>::new(), "a paused run moves nothing");
    assert!(runs::change(&c, RunEvent::Resume, run).expect("resumed"));
    assert_eq!(deliveries::open(&c, LATER).expect("opened"), [run]);
    assert_eq!(states(&c, run), ["to send", "blocked", "to send"], "one is still held");
    // Released before its moment, it waits for that; after it, it goes at once.
    assert!(deliveries::release(&c, 2, AT).expect("released"));
    // Clicked twice, it still waits.
    assert!(!deliveries::release(&c, 2, AT).expect("asked"));
    assert_eq!(
        (deliveries::release_all(&c, run, AT).expect("asked"), states(&c, run)),
        (0, ["to send", "scheduled", "to send"].map(str::to_owned).to_vec())
    );
    assert_eq!(deliveries::open(&c, LATER).expect("opened"), [run]);
    assert_eq!(due(&c, 0), [1, 2, 3]);
}

#[test]
fn failed_items_alone_go_round_again() {
    let (_folder, mut c, run) = furnished();
    make(&mut c, 1, &[]);
    fail(&c, 2);
    fail(&c, 3);
    runs::finish(&c, run, AT).expect("ends");
    assert_eq!(retry(&mut c, run, Some(3), LATER), 1);
    assert_eq!(states(&c, run), ["made", "failed", "waiting"]);
    assert_eq!(runs::to_make(&c).expect("asks"), [run], "the run is running again");
}

#[test]
fn no_item_of_a_run_that_is_held_back_moves_because_another_is_tried_again() {
    let (_folder, mut c, run) = furnished();
    make(&mut c, 1, &["email"]);
    fail(&c, 2);
    assert!(runs::change(&c, RunEvent::Pause, run).expect("paused"));
    assert_eq!(retry(&mut c, run, None, LATER), 1);
    assert_eq!(states(&c, run), ["to send", "waiting", "waiting"]);
    assert_eq!(runs::get(&c, run).expect("asks").expect("is there").state, "paused");
    assert!(due(&c, i64::MAX).is_empty() && runs::to_make(&c).expect("asks").is_empty());
    assert!(deliveries::begin(&c, 1, "", 5, AT).expect("asks").is_none());
}

#[test]
fn what_a_later_run_has_served_is_not_tried_again() {
    let (_folder, mut c, first) = furnished();
    (1..=3).for_each(|id| fail(&c, id));
    runs::finish(&c, first, AT).expect("ends");
    let second = begin(&mut c);
    let ids: Vec<i64> = list(&c, second).into_iter().map(|i| i.id).collect();
    make(&mut c, ids[0], &[]);
    items::failed(&c, ids[1], &error("misfit"), LATER).expect("failed");
    // The first row was served since, the third is on its way; only the second failed again.
    assert_eq!(retry(&mut c, first, None, "2026-11-23T13:00:00"), 1);
    assert_eq!(states(&c, first), ["failed", "waiting", "failed"]);
    // It is on its way there, so that the other run does not serve it as well.
    assert_eq!(retry(&mut c, second, None, "2026-11-23T13:00:00"), 0);
}

#[test]
fn a_delivery_whose_fate_is_unknown_moves_by_a_person_alone() {
    let (_folder, mut c, run) = furnished();
    make(&mut c, 1, &["email"]);
    make(&mut c, 2, &["email"]);
    assert!(
        deliveries::begin(&c, 1, "<1@quay.example>", 5, AT).expect("begins").is_some()
            && deliveries::begin(&c, 2, "", 5, AT).expect("begins").is_some()
    );
    assert!(!deliveries::confirm(&c, 1, LATER).expect("asked"), "while it is in flight nobody can say so");
    let begun = deliveries::begun(&c).expect("asks");
    assert_eq!((begun.len(), begun[0].target.as_str()), (2, "<1@quay.example>"));
    assert!(deliveries::went_wrong(&c, DeliveryEvent::Lose, 1, &later("uncertain"), LATER).expect("lost"));
    assert_eq!(states(&c, run), ["uncertain", "sending", "waiting"], "its own delivery and no other");
    assert!(due(&c, i64::MAX).is_empty(), "it is never sent by itself");
    assert!(
        !deliveries::again(&c, DeliveryEvent::Retry, 1, LATER).expect("asked")
            && !deliveries::withdraw(&c, 1, false, LATER).expect("asked")
    );
    assert!(deliveries::again(&c, DeliveryEvent::SendAgain, 1, LATER).expect("sent again"));
    assert_eq!(states(&c, run)[0], "to send");
}

#[test]
fn an_item_that_ends_the_program_is_given_up_and_no_other_is_blamed() {
    let (_folder, mut c, run) = furnished();
    // Claims the next; `ends` tells whether making it ends the program, which then starts again.
    let mut claim = |ends: bool| {
        let t = c.transaction().expect("begins");
        // Beside others, one that is suspected is not taken.
        let batch = match items::claim(&t, run, 0, 2, true, 5).expect("claims") {
            Claimed::Some(batch) => batch,
            Claimed::NotNow => match items::claim(&t, run, 0, 2, false, 5).expect("claims") {
                Claimed::Alone(item) => vec![item],
                other => panic!("{other:?}"),
            },
            other => panic!("{other:?}"),
        };
        if ends {
            items::expire(&t, i64::MAX).expect("given back");
        } else {
            batch.iter().for_each(|item| assert!(items::made(&t, item.id, run, &made(&[]), AT).expect("made")));
        }
        t.commit().expect("commits");
        batch.iter().map(|item| item.position).collect::<Vec<_>>()
    };
    // It ends while it makes two; the other comes before them, and then each of them alone.
    assert_eq!(claim(true), [1, 2]);
    assert_eq!(claim(false), [3]);
    assert_eq!(claim(true), [1]);
    // One that is begun again does not keep the other waiting.
    assert_eq!(claim(false), [2]);
    for _ in 0..4 {
        assert_eq!(claim(true), [1]);
    }
    assert_eq!(items::give_up(&c, "it ended the program", LATER).expect("gives up"), 1);
    assert_eq!(states(&c, run), ["failed", "made", "made"]);
    let (_folder, mut c, run) = furnished();
    // What ended without ending the program may be begun as often as need be.
    let t = c.transaction().expect("begins");
    for _ in 0..5 {
        assert!(!matches!(items::claim(&t, run, 0, 10, false, 5).expect("claims"), Claimed::Nothing | Claimed::NotNow));
        assert!(items::let_go(&t, run).expect("put back") > 0);
    }
    t.commit().expect("commits");
    assert_eq!(items::give_up(&c, "it ended the program", LATER).expect("asks"), 0);
}

#[test]
fn a_set_up_that_can_not_be_read_is_an_error_and_no_empty_set_up() {
    let (_folder, c, run) = furnished();
    c.execute("UPDATE run SET setup = '{\"email\": 7}'", []).expect("broken");
    c.execute("UPDATE dispatch SET setup = '{\"filter\": {}}'", []).expect("broken");
    assert!(runs::work(&c, run).is_err() && dispatches::by_id(&c, 1).is_err());
}

#[test]
fn each_change_of_a_sheet_has_a_revision_of_its_own() {
    let (_folder, mut c, run) = furnished();
    let mut last = sheets::revision(&c).expect("asked");
    let mut changed = |c: &rusqlite::Connection| {
        let now = sheets::revision(c).expect("asked");
        std::mem::replace(&mut last, now) != now
    };
    let t = c.transaction().expect("begins");
    let edits = rows::Edits { cells: vec![(1, 1, Cell::Text("7".into()))], ..rows::Edits::default() };
    rows::edit(&t, 1, &edits, None, "Edit", AT).expect("edited");
    assert!(changed(&t), "within its transaction already");
    rows::undo(&t, 1, false, AT).expect("undone");
    assert!(changed(&t));
    let columns = sheets::sheet(&t, 1).expect("asked").expect("there").columns;
    sheets::set_columns(&t, 1, &columns).expect("set");
    assert!(changed(&t));
    t.commit().expect("commits");
    // What a run does is no change of a sheet.
    make(&mut c, 1, &["email"]);
    runs::change(&c, RunEvent::Pause, run).expect("paused");
    assert!(!changed(&c));
}

/// What can happen to a run of three records, in any order; deliveries are named by their item
/// and channel.
#[derive(Debug, Clone, Copy)]
enum Event {
    Claim,
    Make(i64),
    MakeFailed(i64),
    Begin(i64),
    Deliver(i64),
    Wrong(DeliveryEvent, i64),
    PutOff(i64),
    Release(i64),
    Open,
    SendAgain(i64),
    Confirm(i64),
    Withdraw(i64),
    Retry(Option<i64>),
    Run(RunEvent),
    Finish,
    Restart,
}

fn any_event() -> impl proptest::strategy::Strategy<Value = Event> {
    use proptest::prelude::*;
    let (item, delivery) = (1..=3i64, 1..=6i64);
    prop_oneof![
        3 => Just(Event::Claim),
        3 => item.clone().prop_map(Event::Make),
        1 => item.clone().prop_map(Event::MakeFailed),
        4 => delivery.clone().prop_map(Event::Begin),
        3 => delivery.clone().prop_map(Event::Deliver),
        1 => delivery.clone().prop_map(|id| Event::Wrong(DeliveryEvent::Fail, id)),
        1 => delivery.clone().prop_map(|id| Event::Wrong(DeliveryEvent::Lose, id)),
        1 => delivery.clone().prop_map(Event::PutOff),
        1 => delivery.clone().prop_map(Event::Release),
        1 => Just(Event::Open),
        1 => delivery.clone().prop_map(Event::SendAgain),
        1 => delivery.clone().prop_map(Event::Confirm),
        1 => delivery.prop_map(Event::Withdraw),
        1 => proptest::option::of(item).prop_map(Event::Retry),
        1 => prop::sample::select(vec![RunEvent::Pause, RunEvent::Resume, RunEvent::Stop]).prop_map(Event::Run),
        1 => Just(Event::Finish),
        1 => Just(Event::Restart),
    ]
}

fn happen(c: &mut Connection, run: i64, event: Event) {
    let t = c.transaction().expect("begins");
    // Of each item, one delivery goes at once and one waits for its release.
    let mut both = made(&["email", "folder"]);
    both.deliveries[1].state = DeliveryState::Blocked;
    both.deliveries[1].held = true;
    let moved = match event {
        Event::Claim => items::claim(&t, run, 0, 2, false, 5).map(|_| ()),
        Event::Make(id) => items::made(&t, id, run, &both, AT).map(|_| ()),
        Event::MakeFailed(id) => items::failed(&t, id, &error("misfit"), AT).map(|_| ()),
        Event::Begin(id) => deliveries::begin(&t, id, "", 5, AT).map(|_| ()),
        Event::Deliver(id) => deliveries::delivered(&t, id, "", AT).map(|_| ()),
        Event::Wrong(event, id) => deliveries::went_wrong(&t, event, id, &later("wrong"), AT).map(|_| ()),
        Event::PutOff(id) => deliveries::put_off(&t, id, 0, &later("later"), true, 5, AT).map(|_| ()),
        Event::Release(id) => deliveries::release(&t, id, AT).map(|_| ()),
        Event::Open => deliveries::open(&t, LATER).map(|_| ()),
        Event::SendAgain(id) => deliveries::again(&t, DeliveryEvent::SendAgain, id, AT).map(|_| ()),
        Event::Confirm(id) => deliveries::confirm(&t, id, AT).map(|_| ()),
        Event::Withdraw(id) => deliveries::withdraw(&t, id, false, AT).map(|_| ()),
        Event::Retry(id) => runs::retry(&t, run, id, AT).map(|_| ()),
        Event::Run(RunEvent::Stop) => runs::stop(&t, run, AT).map(|_| ()),
        Event::Run(event) => runs::change(&t, event, run).map(|_| ()),
        Event::Finish => runs::finish(&t, run, AT).map(|_| ()),
        Event::Restart => items::expire(&t, i64::MAX).map(|_| ()).and_then(|()| {
            for work in deliveries::begun(&t)? {
                deliveries::went_wrong(&t, DeliveryEvent::Lose, work.id, &later("uncertain"), AT)?;
            }
            Ok(())
        }),
    };
    moved.expect("it happens or not");
    t.commit().expect("commits");
}

/// The state of each item, and of each delivery by its number.
fn all_states(c: &Connection, run: i64) -> (Vec<String>, std::collections::BTreeMap<i64, String>) {
    let mut query = c.prepare("SELECT state FROM item WHERE run_id = ?1 ORDER BY id").expect("asks");
    let items = query.query_map([run], |r| r.get(0)).expect("asks").collect::<Result<_, _>>().expect("reads");
    let deliveries = list(c, run).into_iter().flat_map(|item| item.deliveries).map(|d| (d.id, d.state)).collect();
    (items, deliveries)
}

/// Whatever happens in whatever order, the promises hold after each step.
#[test]
fn no_order_of_events_breaks_a_promise() {
    let (_folder, c, _) = furnished();
    let store = std::cell::RefCell::new(c);
    let config = proptest::prelude::ProptestConfig { cases: 400, failure_persistence: None, ..Default::default() };
    let mut runner = proptest::test_runner::TestRunner::new(config);
    let tried = runner.run(&proptest::collection::vec(any_event(), 1..60), |order| {
        let mut c = store.borrow_mut();
        c.execute("DELETE FROM run", []).expect("the run before is gone");
        let run = begin(&mut c);
        let state_of = |c: &Connection| runs::get(c, run).expect("asks").expect("is there").state;
        for event in order {
            let ((items_before, before), run_before) = (all_states(&c, run), state_of(&c));
            happen(&mut c, run, event);
            let ((items_now, now), run_now) = (all_states(&c, run), state_of(&c));
            let told = format!("{event:?}: {run_before} {items_before:?} {before:?} → {run_now} {items_now:?} {now:?}");
            // A pause ends by a person's word alone; what was stopped stays so.
            match run_before.as_str() {
                "paused" => proptest::prop_assert!(run_now == "paused" || matches!(event, Event::Run(_)), "{told}"),
                "stopped" => proptest::prop_assert!(run_now == "stopped", "{told}"),
                _ => {}
            }
            proptest::prop_assert!(before.keys().all(|id| now.contains_key(id)), "nothing is lost: {told}");
            for (id, is) in &now {
                let was = before.get(id).map_or("", String::as_str);
                // Nothing leaves a run that is held back, and nothing comes alive in a stopped one.
                proptest::prop_assert!(is != "sending" || was == "sending" || run_before == "running", "{told}");
                proptest::prop_assert!(run_now != "stopped" || was == is || !["to send", "blocked"].contains(&is.as_str()), "{told}");
                // What arrived is never taken back, and what is in doubt moves by a person alone.
                proptest::prop_assert!(was != "delivered" || is == "delivered", "{told}");
                let person = matches!(event, Event::SendAgain(_) | Event::Confirm(_));
                proptest::prop_assert!(was != "uncertain" || is == "uncertain" || person, "{told}");
                // Nothing goes out that was not due, and nothing passes its gate without a release.
                proptest::prop_assert!(is != "sending" || was == "sending" || was == "to send", "{told}");
                let released = matches!(event, Event::Release(_) | Event::Withdraw(_) | Event::Run(RunEvent::Stop));
                proptest::prop_assert!(was != "blocked" || is == "blocked" || released, "{told}");
            }
            for (was, is) in items_before.iter().zip(&items_now) {
                proptest::prop_assert!(was != "made" || is == "made", "{told}");
                proptest::prop_assert!(is != "made" || was == "made" || was == "making", "{told}");
            }
            let open = items_now.iter().any(|s| ["waiting", "making"].contains(&s.as_str()));
            let on_its_way = now.values().any(|s| ["blocked", "to send", "sending"].contains(&s.as_str()));
            proptest::prop_assert!(run_now != "done" || event_reopens(event) || !(open || on_its_way), "{told}");
        }
        Ok(())
    });
    tried.expect("every promise holds");
}

/// What a person gives a run to do again: the application reopens it in the same change.
fn event_reopens(event: Event) -> bool {
    matches!(event, Event::SendAgain(_))
}

#[test]
fn a_delivery_that_could_not_be_handed_over_waits_its_time() {
    let (_folder, mut c, _) = furnished();
    make(&mut c, 1, &["email"]);
    assert!(deliveries::put_off(&c, 1, 500, &later("unreachable"), true, 7, AT).expect("put off"));
    assert!(deliveries::begin(&c, 1, "", 9, AT).expect("begins").is_some());
    assert!(deliveries::put_off(&c, 1, 600, &later("not-taken"), false, 9, AT).expect("put off"));
    let work = deliveries::get(&c, 1).expect("asks").expect("is there");
    assert_eq!((work.attempts, work.first_tried), (2, Some(7)), "each try counts once, and giving up counts from the first");
    assert!(due(&c, 599).is_empty());
    assert_eq!(due(&c, 600), [1]);
}

#[test]
fn a_clock_that_is_set_back_delays_nothing() {
    let (_folder, mut c, run) = furnished();
    make(&mut c, 1, &["email"]);
    let (june, may) = (1_780_000_000, 1_777_000_000);
    assert!(deliveries::put_off(&c, 1, june + 900, &later("unreachable"), true, june, AT).expect("put off"));
    assert!(due(&c, june).is_empty());
    assert_eq!(due(&c, may), [1], "it waits no month");
    let t = c.transaction().expect("begins");
    items::claim(&t, run, 0, 1, false, june).expect("claims");
    assert_eq!(items::expire(&t, june + 5).expect("asks"), 0);
    assert_eq!(items::expire(&t, may).expect("expires"), 1);
}

#[test]
fn a_stopped_run_leaves_out_what_waits_and_keeps_what_is_made() {
    let (_folder, mut c, run) = furnished();
    make(&mut c, 1, &[]);
    make(&mut c, 2, &["email"]);
    let t = c.transaction().expect("begins");
    assert!(runs::stop(&t, run, LATER).expect("stops"));
    assert!(!runs::stop(&t, run, LATER).expect("asked"), "it is stopped once");
    t.commit().expect("commits");
    assert_eq!(states(&c, run), ["made", "withdrawn", "left out"]);
    assert!(runs::to_make(&c).expect("asks").is_empty());
}

#[test]
fn what_is_made_when_its_run_is_stopped_is_not_delivered() {
    let (_folder, mut c, run) = furnished();
    let t = c.transaction().expect("begins");
    items::claim(&t, run, 0, 1, false, 5).expect("claims");
    runs::stop(&t, run, LATER).expect("stops");
    items::made(&t, 1, run, &made(&["email"]), LATER).expect("made");
    t.commit().expect("commits");
    assert_eq!(states(&c, run), ["withdrawn", "left out", "left out"]);
}

#[test]
fn a_run_counts_its_deliveries_by_channel_and_what_was_sent_again_with_its_own() {
    let (_folder, mut c, run) = furnished();
    let t = c.transaction().expect("begins");
    items::claim(&t, run, 0, 2, false, 5).expect("claims");
    for item in [1, 2] {
        items::made(&t, item, run, &made(&["email", "folder"]), LATER).expect("made");
    }
    let id: i64 = t.query_row("SELECT id FROM delivery WHERE item_id = 1 AND kind = 'email'", [], |r| r.get(0)).expect("an e-mail");
    assert!(deliveries::begin(&t, id, "ada@quayle.example", 0, LATER).expect("begins").is_some());
    deliveries::delivered(&t, id, "OK", LATER).expect("delivered");
    deliveries::copy(&t, id, "<2@quay.example>", LATER).expect("once more");
    t.commit().expect("commits");
    let told: Vec<String> = deliveries::by_channel(&c, run)
        .expect("counts")
        .iter()
        .map(|one| {
            format!("{}: {}", one.name, one.states.iter().map(|s| format!("{} {}", s.count, s.state)).collect::<Vec<_>>().join(", "))
        })
        .collect();
    assert_eq!(told, ["email: 1 delivered, 2 to send", "folder: 2 to send"]);
    assert_eq!(deliveries::by_channel(&c, run + 1).expect("none"), []);
}

#[test]
fn events_stand_in_their_order_and_are_never_changed() {
    let (_folder, c, run) = furnished();
    events::add(&c, Actor::User, events::About::item(run, 1), "retried", "1 record", LATER).expect("added");
    let of_item = events::of_item(&c, 1).expect("reads");
    assert_eq!((of_item.len(), of_item[0].who.as_str(), of_item[0].what.as_str()), (1, "user", "retried"));
    let of_run = events::of_run(&c, run).expect("reads");
    assert_eq!((of_run[0].what.as_str(), of_run[0].detail.as_str()), ("started", "3 records"));
    assert!(c.execute("UPDATE event SET what = 'x'", []).is_err());
}

#[test]
fn a_link_that_is_opened_often_does_not_hide_when_it_was_sent() {
    let (_folder, c, run) = furnished();
    let add = |who: Actor, what: &str| events::add(&c, who, events::About::item(run, 1), what, "", LATER).expect("added");
    add(Actor::Mangle, "delivered");
    for _ in 0..600 {
        add(Actor::Recipient, "opened");
    }
    add(Actor::User, "withdrawn");
    let told = events::of_item(&c, 1).expect("reads");
    let what: Vec<&str> = told.iter().map(|event| event.what.as_str()).collect();
    assert_eq!((what.len(), what[0], what[1], what[499]), (500, "delivered", "opened", "withdrawn"));
    // Of the openings, the last are told.
    assert_eq!(told[498].id - told[1].id, 497);
}

#[tokio::test]
async fn changes_are_whole_or_not_there_whatever_becomes_of_their_neighbours() {
    let folder = tempfile::tempdir().expect("a folder");
    let store = Store::open(&folder.path().join("mangle.sqlite")).expect("opens");
    let add = |id: i64| {
        let store = store.clone();
        async move {
            store
                .change(move |t| -> Result<i64> {
                    t.execute("INSERT INTO template (id, name, key) VALUES (?1, 'a', ?1)", [id])?;
                    anyhow::ensure!(id % 3 != 0, "refused");
                    assert!(id % 5 != 0, "it panics");
                    Ok(id)
                })
                .await
        }
    };
    let done = futures::future::join_all((1..=60).map(add)).await;
    let good: Vec<i64> = done.iter().filter_map(|d| d.as_ref().ok().copied()).collect();
    assert_eq!(good, (1..=60).filter(|id| id % 3 != 0 && id % 5 != 0).collect::<Vec<_>>());
    let c = store.connection().expect("connects");
    let mut query = c.prepare("SELECT id FROM template ORDER BY id").expect("asks");
    let kept: Vec<i64> = query.query_map([], |r| r.get(0)).expect("asks").collect::<Result<_, _>>().expect("reads");
    assert_eq!(kept, good);
}

/// A folder of an older program: what was in it is there, with a copy beside.
#[test]
fn a_folder_of_an_older_program_is_brought_up_to_date() {
    let folder = tempfile::tempdir().expect("a folder");
    let file = folder.path().join("mangle.sqlite");
    let mut old = Connection::open(&file).expect("opens");
    let eleven = Migrations::new(MIGRATIONS[..11].iter().map(|sql| M::up(sql)).collect());
    eleven.to_latest(&mut old).expect("as it was");
    old.execute_batch(
        "INSERT INTO source (id, name, file_name, brought_in) VALUES (1, 'Season', 'season.csv', '2026-01-01');
         INSERT INTO template (id, name) VALUES (1, 'Reminder');
         INSERT INTO template_version (id, template_id, number, file_name, file, size, brought_in) VALUES (1, 1, 1, 'a.docx', 'f', 9, '2026-01-01');
         INSERT INTO sheet (id, source_id, position, name, columns, decimal_mark, date_order, row_count) VALUES (1, 1, 0, 'Holders', '[]', '.', 'day', 0);
         INSERT INTO dispatch (id, key, name, template_id, sheet_id, setup, changed)
           VALUES (1, 'reminders', 'Reminders', 1, 1, '{\"output\":\"both\",\"email\":{\"to\":\"[: e-mail]\",\"subject\":\"S\",\"body\":\"B\"}}', '2026-01-01');
         INSERT INTO run (id, dispatch_id, kind, state, started, moment, template_version_id, sheet_id, setup, count)
           VALUES (1, 1, 'run', 'going', '2026-01-01', '2026-01-01', 1, 1, (SELECT setup FROM dispatch), 6);",
    )
    .expect("filled");
    let message = r#"{"to":["ada@quayle.example"],"cc":[],"bcc":[],"subject":"S","body":"B","docx":false}"#;
    for (position, (state, made)) in
        [("waiting", false), ("filed", true), ("held", true), ("delivered", true), ("failed", false), ("left out", true)].iter().enumerate()
    {
        let (pdf, message) = (made.then_some("abc"), made.then_some(message));
        old.execute(
            "INSERT INTO item (run_id, position, sheet_id, row, label, record, state, file_name, pdf, docx, size, message, message_id, error_message, changed)
             VALUES (1, ?1, 1, ?1, 'r', '[]', ?2, 'Reminder', ?3, ?3, 7, ?4, '<1@x>', '', '2026-01-01')",
            params![position + 1, state, pdf, message],
        )
        .expect("filled");
    }
    old.execute("INSERT INTO joint_row VALUES (1, 9, 2)", []).expect("filled");
    drop(old);
    let c = Store::open(&file).expect("is brought up to date").connection().expect("connects");
    assert_eq!(states(&c, 1), ["waiting", "to send", "uncertain", "delivered", "failed", "withdrawn"]);
    let items = list(&c, 1);
    assert_eq!(items[1].documents.iter().map(|d| d.name.as_str()).collect::<Vec<_>>(), ["Reminder.pdf", "Reminder.docx"]);
    let work = &deliveries::due(&c, ("email", false), 0, &[], 9).expect("asks")[0];
    assert_eq!((work.documents.as_slice(), work.key.as_str()), (&["pdf".to_owned()][..], "<1@x>"));
    assert_eq!(items[1].deliveries[0].recipient, "ada@quayle.example");
    let run = runs::get(&c, 1).expect("asks").expect("is there");
    assert_eq!((run.state.as_str(), run.sends, run.count), ("running", true, 6));
    let dispatch = dispatches::by_id(&c, 1).expect("asks").expect("is there");
    assert_eq!((dispatch.setup.formats.len(), dispatch.setup.channels.len()), (2, 1));
    assert_eq!(c.query_row("SELECT count(*) FROM joint_row", [], |r| r.get::<_, i64>(0)).expect("counts"), 1);
    // What it was before lies beside it.
    let copy = Connection::open(folder.path().join(format!("mangle.before-{}.sqlite", MIGRATIONS.len()))).expect("there");
    assert_eq!(copy.query_row("SELECT count(*) FROM item WHERE state = 'held'", [], |r| r.get::<_, i64>(0)).expect("counts"), 1);
}

#[test]
fn each_row_shows_its_latest_document() {
    let (_folder, mut c, run) = furnished();
    make(&mut c, 1, &[]);
    let second = begin(&mut c);
    items::failed(&c, 4, &error("misfit"), LATER).expect("failed");
    let last = items::last_of_rows(&c, 1, &[1, 2, 3]).expect("asks");
    let first = last.iter().find(|l| l.row == 1).expect("the row");
    assert_eq!((last.len(), first.item, first.state.as_str()), (3, 4, "failed"));
    assert_ne!(run, second);
}

#[test]
fn settings_and_filters_replace_their_earlier_selves() {
    let (_folder, c, _) = furnished();
    let settings = |name: &str| Settings { office_name: name.into(), time_zone: "Europe/Amsterdam".into(), ..Settings::default() };
    for name in ["Brackwater", "Brackwater Quay"] {
        settings::write(&c, &settings(name)).expect("kept");
        sheets::keep_filter(&c, 1, "Owes", &format!("ref = \"{name}\"")).expect("kept");
    }
    assert_eq!(settings::read(&c).expect("reads"), settings("Brackwater Quay"));
    let filters = sheets::sheet(&c, 1).expect("asks").expect("is there").filters;
    assert_eq!((filters.len(), filters[0].condition.as_str()), (1, "ref = \"Brackwater Quay\""));
}

#[test]
fn deleting_a_dispatch_keeps_the_history_of_its_runs_and_frees_its_key() {
    let (_folder, mut c, run) = furnished();
    let delete = |c: &mut Connection, id: i64| {
        let t = c.transaction().expect("begins");
        let deleted = dispatches::delete(&t, id, LATER).expect("deletes");
        t.commit().expect("commits");
        deleted
    };
    assert!(delete(&mut c, 1) && !delete(&mut c, 1), "once");
    let info = runs::get(&c, run).expect("asks").expect("is there");
    assert_eq!((info.dispatch_name.as_str(), info.dispatch_deleted, list(&c, run).len()), ("Reminders", true, 3));
    assert!(dispatches::by_key(&c, "reminders").expect("asks").is_none() && dispatches::list(&c).expect("asks").is_empty());
    assert_eq!(dispatches::add(&c, "Reminders", None, None, &Setup::default(), AT).expect("added"), "reminders");
    // One that never ran leaves nothing behind.
    assert!(delete(&mut c, 2));
    assert_eq!(c.query_row("SELECT count(*) FROM dispatch", [], |r| r.get::<_, i64>(0)).expect("counts"), 1);
}

#[test]
fn what_was_changed_elsewhere_is_not_overwritten() {
    let (_folder, mut c, _) = furnished();
    clauses::add(&c, "Terms", "", "Pay soon.", AT).expect("added");
    let change =
        |c: &Connection, id: i64, seen: Option<i64>| clauses::change(c, id, seen, ("Terms", "", "Pay now."), LATER).expect("asked");
    assert_eq!(change(&c, 1, Some(1)), Changed::Done);
    assert_eq!(change(&c, 1, Some(1)), Changed::Elsewhere);
    assert_eq!(change(&c, 1, None), Changed::Done);
    assert_eq!(change(&c, 9, Some(1)), Changed::Missing);
    assert_eq!(clauses::list(&c).expect("reads")[0].revision, 3);
    let t = c.transaction().expect("begins");
    let now = settings::revision(&t).expect("asks");
    let settings = |name: &str| Settings { office_name: name.into(), time_zone: "Europe/Amsterdam".into(), ..Settings::default() };
    assert_eq!(settings::change(&t, Some(now), &settings("First")).expect("asked"), Changed::Done);
    assert_eq!(settings::change(&t, Some(now), &settings("Second")).expect("asked"), Changed::Elsewhere);
    assert_eq!(settings::read(&t).expect("reads"), settings("First"));
    let form = forms::make(&t, "Lay-up", "secret", &Default::default(), AT).expect("made");
    assert_eq!(forms::write(&t, form, Some(1), &Default::default()).expect("asked"), Changed::Done);
    assert_eq!(forms::write(&t, form, Some(1), &Default::default()).expect("asked"), Changed::Elsewhere);
    assert_eq!(forms::get(&t, form).expect("asks").expect("is there").revision, 2);
}

#[test]
fn keys_are_made_of_names_and_stay_apart() {
    let (_folder, c, _) = furnished();
    let key = |name: &str| dispatches::add(&c, name, None, None, &Setup::default(), AT).expect("added");
    assert_eq!(key("Reminders"), "reminders-2");
    assert_eq!(key("Überfällige Beträge 2026!"), "überfällige-beträge-2026");
}
