use mangle_core::dispatch::Setup;
use mangle_core::records::{Cell, RawSheet, recognise};

use super::items::{ItemError, MadeItem};
use super::runs::{NewItem, NewRun};
use super::settings::Settings;
use super::*;

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
    sheets::bring_in(&t, "Season", "season.csv", AT, &[(raw, found)]).expect("brought in");
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
        moment: AT,
        template_version_id: 1,
        sheet_id: 1,
        setup: &setup,
        columns: &[],
        rows: &rows,
    };
    let t = c.transaction().expect("begins");
    let run = runs::start(&t, &new).expect("starts");
    t.commit().expect("commits");
    run
}

fn states(c: &Connection, run: i64) -> Vec<String> {
    items::list(c, run, None, 0, 100, 0).expect("lists").into_iter().map(|i| i.state).collect()
}

fn made(message: bool) -> MadeItem {
    MadeItem {
        file_name: "Reminder".into(),
        pdf: Some("abc".into()),
        docx: None,
        size: 3,
        message: message.then(|| ("{}".into(), "<1@quay.example>".into())),
    }
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
    let ids: Vec<i64> = items::list(&c, first, None, 0, 10, 0).expect("lists").into_iter().map(|i| i.id).collect();
    items::filed(&c, ids[0], &made(false), AT).expect("filed");
    items::make_failed(&c, ids[1], &error("misfit"), AT).expect("failed");
    let now = |row: usize| Some(format!("[{{\"text\":\"BQ-{}\"}}]", if row == 1 { 7 } else { row }));
    let before = items::served(&c, 1, 1, &now).expect("told");
    let told = |row: usize| before.get(&row).map(|s| (s.run, s.failed_last, s.changed));
    assert_eq!(told(1), Some((Some(first), false, true)), "made, and another value since");
    assert_eq!(told(2), Some((None, true, false)));
    assert_eq!(told(3), Some((Some(first), false, false)), "on its way counts as served");
    // A later failure does not take back what was made before.
    let second = begin(&mut c);
    let id = items::list(&c, second, None, 0, 10, 0).expect("lists")[0].id;
    items::make_failed(&c, id, &error("misfit"), AT).expect("failed");
    let before = items::served(&c, 1, 1, &|_| None).expect("told");
    assert_eq!(before.get(&1).map(|s| (s.run, s.failed_last)), Some((Some(first), true)));
    assert!(items::served(&c, 2, 1, &|_| None).expect("told").is_empty());
}

#[test]
fn the_same_start_of_a_dispatch_is_one_run() {
    let (_folder, c, run) = furnished();
    c.execute("UPDATE run SET start_key = 'a' WHERE id = ?1", [run]).expect("keyed");
    assert_eq!(runs::started(&c, 1, "a").expect("asked"), Some(run));
    assert_eq!(runs::started(&c, 1, "b").expect("asked"), None);
    assert_eq!(runs::under_way(&c, 1).expect("asked"), Some(run));
    assert!(runs::set_state(&c, run, "going", "done").expect("set"));
    assert!(!runs::set_state(&c, run, "going", "paused").expect("asked"), "only from the state that was seen");
    assert_eq!(runs::under_way(&c, 1).expect("asked"), None);
    let twice = c.execute("INSERT INTO run SELECT 99, dispatch_id, kind, state, started, finished, moment, template_version_id, sheet_id, setup, proof_to, count, columns, start_key FROM run WHERE id = ?1", [run]);
    assert!(twice.is_err(), "the store itself refuses the second");
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
    let work = items::claim(&t, run, 1, 10).expect("asks");
    assert_eq!(work.iter().map(|w| (w.position, w.row)).collect::<Vec<_>>(), [(2, 2), (3, 3)]);
    assert!(work[0].record.contains("BQ-2"), "an item keeps its record: {}", work[0].record);
}

#[test]
fn an_item_goes_from_waiting_to_delivered_step_by_step() {
    let (_folder, c, run) = furnished();
    items::filed(&c, 1, &made(true), AT).expect("filed");
    items::filed(&c, 2, &made(false), AT).expect("filed");
    assert_eq!(states(&c, run), ["filed", "made", "waiting"], "without a channel a filed item is done");
    assert_eq!(items::to_send(&c, 0, 10).expect("asks").len(), 1);
    assert!(items::sending(&c, 1, AT).expect("claims"));
    assert!(!items::sending(&c, 1, AT).expect("asks"), "nobody else can take it up");
    items::delivered(&c, 1, AT).expect("delivered");
    items::make_failed(&c, 3, &error("misfit"), AT).expect("failed");
    assert_eq!(states(&c, run), ["delivered", "made", "failed"]);
    assert!(runs::finish(&c, run, LATER).expect("ends"));
    assert!(!runs::finish(&c, run, LATER).expect("asks"), "it ends once");
    let info = runs::get(&c, run).expect("asks").expect("is there");
    assert_eq!((info.delivered, info.failed, info.state.as_str()), (2, 1, "done"));
}

#[test]
fn failed_items_alone_go_round_again() {
    let (_folder, mut c, run) = furnished();
    items::filed(&c, 1, &made(false), AT).expect("filed");
    items::make_failed(&c, 2, &error("misfit"), AT).expect("failed");
    items::make_failed(&c, 3, &error("misfit"), AT).expect("failed");
    runs::finish(&c, run, AT).expect("ends");
    let t = c.transaction().expect("begins");
    assert_eq!(runs::retry(&t, run, Some(3), LATER).expect("retries"), 1);
    t.commit().expect("commits");
    assert_eq!(states(&c, run), ["made", "failed", "waiting"]);
    assert_eq!(runs::to_make(&c).expect("asks"), [run], "the run is going again");
}

#[test]
fn what_a_later_run_has_served_is_not_tried_again() {
    let (_folder, mut c, first) = furnished();
    for id in 1..=3 {
        items::make_failed(&c, id, &error("misfit"), AT).expect("failed");
    }
    runs::finish(&c, first, AT).expect("ends");
    let second = begin(&mut c);
    let ids: Vec<i64> = items::list(&c, second, None, 0, 10, 0).expect("lists").into_iter().map(|i| i.id).collect();
    items::filed(&c, ids[0], &made(false), LATER).expect("filed");
    items::make_failed(&c, ids[1], &error("misfit"), LATER).expect("failed");
    let retry = |c: &mut Connection, run: i64| {
        let t = c.transaction().expect("begins");
        let count = runs::retry(&t, run, None, "2026-11-23T13:00:00").expect("retries");
        t.commit().expect("commits");
        count
    };
    // The first row was served since, the third is on its way; only the second failed again.
    assert_eq!(retry(&mut c, first), 1);
    assert_eq!(states(&c, first), ["failed", "waiting", "failed"]);
    // It is on its way there, so that the other run does not serve it as well.
    assert_eq!(retry(&mut c, second), 0);
}

#[test]
fn a_message_in_flight_when_the_program_died_is_held() {
    let (_folder, mut c, run) = furnished();
    items::filed(&c, 1, &made(true), AT).expect("filed");
    items::sending(&c, 1, AT).expect("claims");
    assert!(!items::arrived(&c, 1, LATER).expect("asked"), "while it is in flight nobody can say so");
    assert_eq!(items::hold_uncertain(&c, "nobody knows", LATER).expect("holds"), 1);
    assert_eq!(states(&c, run)[0], "held");
    assert_eq!(items::to_send(&c, i64::MAX, 10).expect("asks").len(), 0, "it is never sent by itself");
    let t = c.transaction().expect("begins");
    assert!(items::send_again(&t, 1, LATER).expect("released"));
    t.commit().expect("commits");
    assert_eq!(states(&c, run)[0], "filed");
}

#[test]
fn a_broken_connection_holds_its_own_message_and_no_other() {
    let (_folder, c, run) = furnished();
    for id in [1, 2] {
        items::filed(&c, id, &made(true), AT).expect("filed");
        items::sending(&c, id, AT).expect("claims");
    }
    items::hold(&c, 1, "nobody knows", LATER).expect("holds");
    assert_eq!(states(&c, run), ["held", "sending", "waiting"]);
}

#[test]
fn an_item_that_ends_the_program_is_given_up_and_no_other_is_blamed() {
    let (_folder, mut c, run) = furnished();
    let mut claim = || {
        let t = c.transaction().expect("begins");
        let batch = items::claim(&t, run, 0, 10).expect("claims");
        t.commit().expect("commits");
        batch.iter().map(|item| item.position).collect::<Vec<_>>()
    };
    // The program ends while it makes the batch; from then on one at a time.
    assert_eq!(claim(), [1, 2, 3]);
    for _ in 0..3 {
        assert_eq!(claim(), [1]);
    }
    assert_eq!(items::give_up(&c, "it ended the program", LATER).expect("gives up"), 1);
    assert_eq!(states(&c, run), ["failed", "waiting", "waiting"]);
    // What ended without ending the program may be begun as often as need be.
    let t = c.transaction().expect("begins");
    for _ in 0..5 {
        let batch: Vec<i64> = items::claim(&t, run, 0, 10).expect("claims").iter().map(|item| item.id).collect();
        items::unclaim(&t, &batch).expect("put back");
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
    items::filed(&c, 1, &made(true), AT).expect("filed");
    runs::set_state(&c, run, "going", "paused").expect("paused");
    assert!(!changed(&c));
}

/// What can happen to a run of three records, in any order.
#[derive(Debug, Clone, Copy)]
enum Event {
    Made(i64),
    MakeFailed(i64),
    Sending(i64),
    Delivered(i64),
    SendFailed(i64),
    TryAgain(i64),
    Broke(i64),
    SendAgain(i64),
    Arrived(i64),
    Retry(Option<i64>),
    Pause,
    Resume,
    Stop,
    Finish,
    Restart,
}

fn events() -> impl proptest::strategy::Strategy<Value = Event> {
    use proptest::prelude::*;
    let item = 1..=3i64;
    prop_oneof![
        3 => item.clone().prop_map(Event::Made),
        1 => item.clone().prop_map(Event::MakeFailed),
        3 => item.clone().prop_map(Event::Sending),
        2 => item.clone().prop_map(Event::Delivered),
        1 => item.clone().prop_map(Event::SendFailed),
        1 => item.clone().prop_map(Event::TryAgain),
        1 => item.clone().prop_map(Event::Broke),
        1 => item.clone().prop_map(Event::SendAgain),
        1 => item.clone().prop_map(Event::Arrived),
        1 => proptest::option::of(item).prop_map(Event::Retry),
        1 => Just(Event::Pause),
        1 => Just(Event::Resume),
        1 => Just(Event::Stop),
        1 => Just(Event::Finish),
        1 => Just(Event::Restart),
    ]
}

fn happen(c: &mut Connection, run: i64, event: Event) {
    let (error, made) = (error("misfit"), made(true));
    let t = c.transaction().expect("begins");
    match event {
        Event::Made(id) => items::filed(&t, id, &made, AT).expect("filed"),
        Event::MakeFailed(id) => items::make_failed(&t, id, &error, AT).expect("failed"),
        Event::Sending(id) => drop(items::sending(&t, id, AT).expect("claims")),
        Event::Delivered(id) => items::delivered(&t, id, AT).expect("delivered"),
        Event::SendFailed(id) => items::send_failed(&t, id, &error, AT).expect("failed"),
        Event::TryAgain(id) => items::try_again(&t, id, 0, &error, AT, true).expect("put back"),
        Event::Broke(id) => items::hold(&t, id, "nobody knows", AT).expect("held"),
        Event::SendAgain(id) => drop(items::send_again(&t, id, AT).expect("released")),
        Event::Arrived(id) => drop(items::arrived(&t, id, AT).expect("said")),
        Event::Retry(id) => drop(runs::retry(&t, run, id, AT).expect("retried")),
        Event::Pause => drop(runs::set_state(&t, run, "going", "paused").expect("paused")),
        Event::Resume => drop(runs::set_state(&t, run, "paused", "going").expect("resumed")),
        Event::Stop => drop(runs::stop(&t, run, AT).expect("stopped")),
        Event::Finish => drop(runs::finish(&t, run, AT).expect("finished")),
        Event::Restart => drop(items::hold_uncertain(&t, "nobody knows", AT).expect("held")),
    }
    t.commit().expect("commits");
}

/// Whatever happens in whatever order, the promises hold after each step.
#[test]
fn no_order_of_events_breaks_a_promise() {
    let (_folder, c, _) = furnished();
    let store = std::cell::RefCell::new(c);
    let config = proptest::prelude::ProptestConfig { cases: 400, failure_persistence: None, ..Default::default() };
    let mut runner = proptest::test_runner::TestRunner::new(config);
    let tried = runner.run(&proptest::collection::vec(events(), 1..40), |order| {
        let mut c = store.borrow_mut();
        c.execute("DELETE FROM run", []).expect("the run before is gone");
        let run = begin(&mut c);
        let state_of = |c: &Connection| runs::get(c, run).expect("asks").expect("is there").state;
        for event in order {
            let (before, run_before) = (states(&c, run), state_of(&c));
            happen(&mut c, run, event);
            let (now, run_now) = (states(&c, run), state_of(&c));
            let told = format!("{event:?}: {run_before} {before:?} → {run_now} {now:?}");
            // A pause ends by a person's word alone; what was stopped stays so.
            match run_before.as_str() {
                "paused" => proptest::prop_assert!(run_now == "paused" || matches!(event, Event::Resume | Event::Stop), "{told}"),
                "stopped" => proptest::prop_assert!(run_now == "stopped", "{told}"),
                _ => {}
            }
            for (was, is) in before.iter().zip(&now) {
                // Nothing leaves a run that is held back, and nothing comes alive in a stopped one.
                proptest::prop_assert!(is != "sending" || was == "sending" || run_before == "going", "{told}");
                proptest::prop_assert!(run_now != "stopped" || was == is || !["waiting", "filed"].contains(&is.as_str()), "{told}");
                // What arrived is never taken back, and what is in doubt moves by a person alone.
                proptest::prop_assert!(was != "delivered" || is == "delivered", "{told}");
                let person = matches!(event, Event::SendAgain(_) | Event::Arrived(_));
                proptest::prop_assert!(was != "held" || is == "held" || person, "{told}");
                // No message goes out that was not due.
                proptest::prop_assert!(is != "sending" || was == "sending" || was == "filed", "{told}");
            }
            let open = now.iter().any(|s| ["waiting", "filed", "sending"].contains(&s.as_str()));
            proptest::prop_assert!(run_now != "done" || !open, "{told}");
        }
        Ok(())
    });
    tried.expect("every promise holds");
}

#[test]
fn a_message_that_could_not_be_handed_over_waits_its_time() {
    let (_folder, c, _) = furnished();
    items::filed(&c, 1, &made(true), AT).expect("filed");
    items::sending(&c, 1, AT).expect("claims");
    items::try_again(&c, 1, 500, &error("unreachable"), AT, true).expect("put back");
    assert_eq!(items::to_send(&c, 499, 10).expect("asks").len(), 0);
    assert_eq!(items::to_send(&c, 500, 10).expect("asks").len(), 1);
}

#[test]
fn a_stopped_run_leaves_out_what_waits_and_keeps_what_is_made() {
    let (_folder, mut c, run) = furnished();
    items::filed(&c, 1, &made(false), AT).expect("filed");
    let t = c.transaction().expect("begins");
    assert!(runs::stop(&t, run, LATER).expect("stops"));
    assert!(!runs::stop(&t, run, LATER).expect("asked"), "it is stopped once");
    t.commit().expect("commits");
    assert_eq!(states(&c, run), ["made", "left out", "left out"]);
    assert!(runs::to_make(&c).expect("asks").is_empty());
}

#[test]
fn each_row_shows_its_latest_document() {
    let (_folder, mut c, run) = furnished();
    items::filed(&c, 1, &made(false), AT).expect("filed");
    let second = begin(&mut c);
    items::make_failed(&c, 4, &error("misfit"), LATER).expect("failed");
    let last = items::last_of_rows(&c, 1, &[1, 2, 3]).expect("asks");
    let first = last.iter().find(|l| l.row == 1).expect("the row");
    assert_eq!((last.len(), first.item, first.state.as_str()), (3, 4, "failed"));
    assert_ne!(run, second);
}

#[test]
fn settings_and_filters_replace_their_earlier_selves() {
    let (_folder, c, _) = furnished();
    let settings = |name: &str| Settings { office_name: name.into(), ..Settings::default() };
    for name in ["Brackwater", "Brackwater Quay"] {
        settings::write(&c, &settings(name)).expect("kept");
        sheets::keep_filter(&c, 1, "Owes", &format!("ref = \"{name}\"")).expect("kept");
    }
    assert_eq!(settings::read(&c).expect("reads"), settings("Brackwater Quay"));
    let filters = sheets::sheet(&c, 1).expect("asks").expect("is there").filters;
    assert_eq!((filters.len(), filters[0].condition.as_str()), (1, "ref = \"Brackwater Quay\""));
}

#[test]
fn deleting_a_dispatch_takes_its_runs_and_items_along() {
    let (_folder, c, run) = furnished();
    assert!(dispatches::delete(&c, 1).expect("deletes"));
    assert!(runs::get(&c, run).expect("asks").is_none());
    assert_eq!(c.query_row("SELECT count(*) FROM item", [], |r| r.get::<_, i64>(0)).expect("counts"), 0);
}

#[test]
fn keys_are_made_of_names_and_stay_apart() {
    let (_folder, c, _) = furnished();
    let key = |name: &str| dispatches::add(&c, name, None, None, &Setup::default(), AT).expect("added");
    assert_eq!(key("Reminders"), "reminders-2");
    assert_eq!(key("Überfällige Beträge 2026!"), "überfällige-beträge-2026");
}
