use mangle_core::dispatch::Setup;
use mangle_core::records::{Cell, RawSheet, recognise};

use super::items::{ItemError, MadeItem};
use super::runs::{NewItem, NewRun};
use super::settings::Settings;
use super::*;

const AT: &str = "2026-11-23T09:42:00";
const LATER: &str = "2026-11-23T09:43:00";

/// A store with a sheet of three rows, a template and a dispatch.
fn furnished() -> (tempfile::TempDir, Connection, i64) {
    let folder = tempfile::tempdir().expect("a folder");
    let mut c = Store::open(&folder.path().join("mangle.sqlite")).expect("opens").connection().expect("connects");
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
    items::failed(&c, ids[1], &error("misfit"), AT).expect("failed");
    let now = |row: usize| Some(format!("[{{\"text\":\"BQ-{}\"}}]", if row == 1 { 7 } else { row }));
    let before = items::served(&c, 1, 1, &now).expect("told");
    let told = |row: usize| before.get(&row).map(|s| (s.run, s.failed_last, s.changed));
    assert_eq!(told(1), Some((Some(first), false, true)), "made, and another value since");
    assert_eq!(told(2), Some((None, true, false)));
    assert_eq!(told(3), Some((Some(first), false, false)), "on its way counts as served");
    // A later failure does not take back what was made before.
    let second = begin(&mut c);
    let id = items::list(&c, second, None, 0, 10, 0).expect("lists")[0].id;
    items::failed(&c, id, &error("misfit"), AT).expect("failed");
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
    runs::set_state(&c, run, "done").expect("set");
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
    let (_folder, c, run) = furnished();
    assert_eq!(states(&c, run), ["waiting"; 3]);
    assert_eq!(runs::going(&c).expect("asks"), [run]);
    let work = items::to_make(&c, run, 1, 10).expect("asks");
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
    items::failed(&c, 3, &error("misfit"), AT).expect("failed");
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
    items::failed(&c, 2, &error("misfit"), AT).expect("failed");
    items::failed(&c, 3, &error("misfit"), AT).expect("failed");
    runs::finish(&c, run, AT).expect("ends");
    let t = c.transaction().expect("begins");
    assert_eq!(runs::retry(&t, run, Some(3), LATER).expect("retries"), 1);
    t.commit().expect("commits");
    assert_eq!(states(&c, run), ["made", "failed", "waiting"]);
    assert_eq!(runs::going(&c).expect("asks"), [run], "the run is going again");
}

#[test]
fn what_a_later_run_has_served_is_not_tried_again() {
    let (_folder, mut c, first) = furnished();
    for id in 1..=3 {
        items::failed(&c, id, &error("misfit"), AT).expect("failed");
    }
    runs::finish(&c, first, AT).expect("ends");
    let second = begin(&mut c);
    let ids: Vec<i64> = items::list(&c, second, None, 0, 10, 0).expect("lists").into_iter().map(|i| i.id).collect();
    items::filed(&c, ids[0], &made(false), LATER).expect("filed");
    items::failed(&c, ids[1], &error("misfit"), LATER).expect("failed");
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
    let (_folder, c, run) = furnished();
    items::filed(&c, 1, &made(true), AT).expect("filed");
    items::sending(&c, 1, AT).expect("claims");
    assert_eq!(items::hold_uncertain(&c, "nobody knows", LATER).expect("holds"), 1);
    assert_eq!(states(&c, run)[0], "held");
    assert_eq!(items::to_send(&c, i64::MAX, 10).expect("asks").len(), 0, "it is never sent by itself");
    assert!(items::send_again(&c, 1, LATER).expect("released"));
    assert_eq!(states(&c, run)[0], "filed");
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
    runs::stop(&t, run, LATER).expect("stops");
    t.commit().expect("commits");
    assert_eq!(states(&c, run), ["made", "left out", "left out"]);
    assert!(runs::going(&c).expect("asks").is_empty());
}

#[test]
fn each_row_shows_its_latest_document() {
    let (_folder, mut c, run) = furnished();
    items::filed(&c, 1, &made(false), AT).expect("filed");
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
