//! Whole runs: from a sheet to the practice mailbox, beside making the same PDFs alone on as many
//! threads; what a person waits for in between. Run alone: `cargo bench -p mangle-speed --bench runs`.

use std::fmt::Write as _;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

use jiff::civil::DateTime;
use mangle_app::sources::{self, rows};
use mangle_app::transfer::Upload;
use mangle_app::{App, Channels, Options, dispatches, templates};
use mangle_core::channel::{Channel, ChannelSetup, EmailChannel};
use mangle_core::dispatch::Setup;
use mangle_core::language::{Context, Scope, Ties};
use mangle_core::records::Sheet;
use mangle_core::value::Locale;
use mangle_documents::formats::{self, Means};
use mangle_documents::layout::{FontSet, PdfWish, Typesetter};
use mangle_practice::mailbox::{self, Mailbox};
use serde_json::{Value, json};
use tokio::net::TcpListener;

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// How many letters a run has.
const LETTERS: usize = 5_000;
/// How many letters are made alone, for comparison.
const ALONE: usize = 2_000;
/// How many rows the large sheet has.
const LARGE: usize = 50_000;
const NOON: DateTime = DateTime::constant(2026, 11, 23, 12, 0, 0, 0);

/// Holders as the demo has them, as many as are wanted; every fifth without an address where some
/// are to be wrong.
fn holders(count: usize, wrong: bool) -> Vec<u8> {
    let mut text = "Ref,Salutation,First name,Last name,E-mail,Mobile,Home phone,Street,Suite,Postcode,Town,Boat name,Berth,Balance,Paid,Deposit,Due date,Yearly fee,Days overdue,Liveaboard,Pontoon\n".to_owned();
    for at in 0..count {
        let address = if wrong && at % 5 == 0 { String::new() } else { format!("p{at}@post.example") };
        let _ = writeln!(
            text,
            "BX-{at:06},Ms,Grace,Quayle {at},{address},,,2 Rope Walk,,BQ1 2AB,Brackwater,Tern {at},N {},{}.50,100.00,50.00,2026-{:02}-{:02},1240.00,83,no,North",
            at % 60,
            at % 900,
            at % 9 + 1,
            at % 27 + 1
        );
    }
    text.into_bytes()
}

fn setup() -> Setup {
    let email = EmailChannel {
        to: "[: e-mail]".into(),
        subject: "Your berth [: berth]".into(),
        body: "Dear [: salutation] [: last name],\n\nplease find our letter attached.\n".into(),
        ..EmailChannel::default()
    };
    Setup {
        ties: [("due".to_owned(), "Due date".to_owned()), ("harbour due".to_owned(), "Yearly fee".to_owned())].into(),
        name: "Reminder [: ref]".into(),
        channels: vec![ChannelSetup::new(Channel::Email(email))],
        locale: "en-GB".into(),
        ..Setup::default()
    }
}

/// The memory that this process holds now, in megabytes.
fn memory() -> usize {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:")?.split_whitespace().next()?.parse::<usize>().ok());
    line.unwrap_or_default() >> 10
}

/// Letters a second where nothing but their PDFs is made.
fn alone(template: &[u8], sheet: &Sheet) -> f64 {
    let template = formats::open("reminder.docx", template.to_vec(), FontSet::shipped()).expect("opens");
    let ties = Ties::new([("due", "Due date"), ("harbour due", "Yearly fee")]);
    let (next, begun) = (AtomicUsize::new(0), Instant::now());
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    std::thread::scope(|scope| {
        for _ in 0..threads {
            scope.spawn(|| {
                while let Some(record) = sheet.records.get(next.fetch_add(1, Ordering::Relaxed)).filter(|r| r.number <= ALONE) {
                    let context = Context::new(Locale::english(), NOON);
                    let filled = template.fill_with(&Scope::new(record, &ties, &context), Means::default()).expect("fills");
                    let made = template.typeset(&filled, &Typesetter::default()).expect("pages");
                    let wish = PdfWish { title: "Reminder", moment: NOON, standard: None, password: None };
                    assert!(made.pdf_as(wish).expect("a PDF").len() > 1_000);
                }
            });
        }
    });
    ALONE as f64 / begun.elapsed().as_secs_f64()
}

/// A dispatch of the letter to the records of a file: its key, its sheet.
async fn dispatch(app: &App, name: &str, template: i64, file: Vec<u8>) -> (String, i64) {
    let source = sources::keep(app, Upload { name: format!("{name}.csv"), bytes: file }).await.expect("imported");
    let sheet = source.sheets[0].id;
    let new = serde_json::from_value(json!({ "name": name, "template_id": template, "sheet_id": sheet })).expect("a dispatch");
    let key = dispatches::edit::add(app, new).await.expect("added").key;
    let body = json!({ "name": name, "template_id": template, "sheet_id": sheet, "setup": setup() });
    app.change_dispatch(&key, serde_json::from_value(body).expect("a body")).await.expect("changed");
    (key, sheet)
}

fn body(name: &str, template: i64, sheet: i64, subject: &str) -> dispatches::DispatchBody {
    let mut setup = serde_json::to_value(setup()).expect("JSON");
    setup["channels"][0]["channel"]["subject"] = json!(subject);
    serde_json::from_value(json!({ "name": name, "template_id": template, "sheet_id": sheet, "setup": setup })).expect("a body")
}

async fn start(app: &App, key: &str, count: usize) -> i64 {
    let asked = serde_json::from_value(json!({ "count": count })).expect("a start");
    app.start_run(key, asked).await.expect("starts").id
}

fn main() {
    // Benches are no tests.
    if std::env::args().any(|a| a == "--test" || a == "--list") {
        return;
    }
    let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().expect("a runtime");
    runtime.block_on(measured());
}

async fn measured() {
    let folder = tempfile::tempdir().expect("a folder");
    let letter = std::fs::read("../../demo/reminder.docx").expect("the demo");
    let listener = TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let port = listener.local_addr().expect("bound").port();
    let mailbox = Mailbox::open(folder.path().join("mailbox")).expect("a mailbox");
    tokio::spawn(mailbox::serve(listener, mailbox.clone()));
    let channels = Channels { smtp: Some(("127.0.0.1".into(), port)), ..Channels::default() };
    let app = mangle_app::open(Options { folder: folder.path().join("data"), channels }).await.expect("opens");
    let office = mangle_app::store::settings::Settings { office_email: "office@quay.example".into(), ..Default::default() };
    app.store.with(move |c| mangle_app::store::settings::write(c, &office)).await.expect("written");
    let template = templates::keep(&app, None, Upload { name: "reminder.docx".into(), bytes: letter.clone() }).await.expect("kept");

    let (key, sheet) = dispatch(&app, "Letters", template, holders(LETTERS, false)).await;
    let loaded = app.sheet(sheet).await.expect("loads");
    let alone_before = alone(&letter, &loaded.sheet);
    let begun = Instant::now();
    let run = start(&app, &key, LETTERS).await;
    let mut memories = Vec::new();
    loop {
        tokio::time::sleep(Duration::from_millis(400)).await;
        let now = app.run(run).await.expect("goes");
        if now.delivered >= 1_000 * (memories.len() + 1) {
            memories.push(memory());
        }
        if now.state == "done" {
            assert_eq!((now.delivered, mailbox.list().len()), (LETTERS, LETTERS));
            break;
        }
    }
    let whole = LETTERS as f64 / begun.elapsed().as_secs_f64();
    let alone_after = alone(&letter, &loaded.sheet);
    let both = (alone_before + alone_after) / 2.0;
    println!(
        "whole run of {LETTERS} letters: {whole:.0} a second; PDFs alone: {alone_before:.0} before, {alone_after:.0} after; ratio {:.2}",
        whole / both
    );
    println!("memory after each thousand: {memories:?} MB");

    let (key, sheet) = dispatch(&app, "Wrong", template, holders(LETTERS, true)).await;
    let begun = Instant::now();
    let view = serde_json::to_value(app.preflight(&key).await.expect("checks")).expect("JSON");
    println!("preflight of {LETTERS} records, {} wrong: {:.2} s", view["wrong"], begun.elapsed().as_secs_f64());
    let mut edits = Vec::new();
    for at in 0..40 {
        let begun = Instant::now();
        app.change_dispatch(&key, body("Wrong", template, sheet, &format!("Berth [: berth] {at}"))).await.expect("changed");
        edits.push(begun.elapsed());
    }
    edits.sort();
    println!("bench edit of {LETTERS} records: {:.1} ms in the middle, {:.1} ms at most", ms(edits[20]), ms(edits[39]));

    let before = memory();
    let begun = Instant::now();
    let (key, sheet) = dispatch(&app, "Large", template, holders(LARGE, false)).await;
    println!("sheet of {LARGE} rows imported: {:.2} s", begun.elapsed().as_secs_f64());
    app.forget_sheets();
    let begun = Instant::now();
    let page = rows::page(&app, sheet, of(json!({})), of(json!({ "from": 0, "count": 100 }))).await.expect("rows");
    let page: Value = serde_json::to_value(page).expect("JSON");
    println!(
        "its first view: {:.0} ms for {} of {} rows; memory {} MB more ({} MB by its own count)",
        ms(begun.elapsed()),
        page["rows"].as_array().map_or(0, Vec::len),
        page["total"],
        memory().saturating_sub(before),
        app.ready_bytes().1 >> 20
    );
    let begun = Instant::now();
    let run = start(&app, &key, LARGE).await;
    println!("start of a run of {LARGE} records: {:.2} s", begun.elapsed().as_secs_f64());
    app.stop_run(run).await.expect("stops");
    app.stop().await;
}

fn of<T: serde::de::DeserializeOwned>(value: Value) -> T {
    serde_json::from_value(value).expect("a look")
}

fn ms(time: Duration) -> f64 {
    time.as_secs_f64() * 1_000.0
}
