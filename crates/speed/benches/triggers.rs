//! Answers of a form at a hundred a second for a minute, each with its document by e-mail: how long
//! one takes, whether any is lost. Run alone: `cargo bench -p mangle-speed --bench triggers`.

use std::time::{Duration, Instant};

use mangle_app::forms::{desk, door};
use mangle_app::transfer::Upload;
use mangle_app::{App, Channels, Options, dispatches, templates};
use mangle_practice::mailbox::{self, Mailbox};
use serde_json::{Value, json};

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// How many answers a second, for how many seconds.
const RATE: usize = 100;
const SECONDS: usize = 60;
/// How many answers come alone, one after the other.
const ALONE: usize = 20;

fn main() {
    // Benches are no tests.
    if std::env::args().any(|a| a == "--test" || a == "--list") {
        return;
    }
    let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().expect("a runtime");
    runtime.block_on(measured());
}

/// A letter of one page (ECMA-376).
fn letter() -> Vec<u8> {
    std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/dock-pass.docx")).expect("the demo world")
}

async fn send(app: &App, token: &str, number: usize) {
    let given = json!({ "given": { "1": format!("Guest {number}"), "2": format!("guest{number}@quay.example") } });
    let sent = serde_json::from_value(given).expect("an answer");
    assert!(door::send(app, token.to_owned(), sent).await.expect("taken").is_ok(), "answer {number} was refused");
}

async fn measured() {
    let folder = tempfile::tempdir().expect("a folder");
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let smtp = listener.local_addr().expect("bound").port();
    let mailbox = Mailbox::open(folder.path().join("mailbox")).expect("a mailbox");
    tokio::spawn(mailbox::serve(listener, mailbox.clone()));
    let channels =
        Channels { smtp: Some(("127.0.0.1".into(), smtp)), public_url: Some("http://127.0.0.1:9".into()), ..Channels::default() };
    let app = mangle_app::open(Options { folder: folder.path().join("data"), channels }).await.expect("opens");
    let office = mangle_app::store::settings::Settings { office_email: "office@quay.example".into(), ..Default::default() };
    app.store.with(move |c| mangle_app::store::settings::write(c, &office)).await.expect("written");
    let template = templates::keep(&app, None, Upload { name: "pass.docx".into(), bytes: letter() }).await.expect("kept");
    let fields = json!([
        { "id": 1, "kind": "text", "name": "last name", "label": "Name", "required": true },
        { "id": 2, "kind": "text", "name": "address", "label": "E-mail" },
    ]);
    let draft = json!({ "title": "Pass", "locale": "en-GB", "send": "Send", "thanks": "Thank you.", "fields": fields });
    let form = desk::furnish(&app, serde_json::from_value(draft).expect("a form")).await.expect("a form");
    let shown = desk::show(&app, form).await.expect("there");
    let token = shown.address.rsplit_once("/f/").expect("an address").1.to_owned();

    let new = serde_json::from_value(json!({ "name": "Pass", "template_id": template, "sheet_id": shown.sheet_id })).expect("a dispatch");
    let key = dispatches::edit::add(&app, new).await.expect("added").key;
    let email = json!({ "kind": "email", "to": "[: address]", "subject": "Your pass", "body": "Please find your pass attached.\n" });
    let ties: Value = ["first name", "boat name", "berth", "ref"]
        .iter()
        .map(|name| ((*name).to_owned(), json!("last name")))
        .collect::<serde_json::Map<_, _>>()
        .into();
    let setup = json!({
        "name": "Pass [: last name]", "ties": ties, "channels": [{ "channel": email }],
        "triggers": [{ "id": 1, "on": true, "hold": false, "trigger": { "kind": "answer", "condition": "" } }],
    });
    let body = json!({ "name": "Pass", "template_id": template, "sheet_id": shown.sheet_id, "setup": setup });
    let bench = app.change_dispatch(&key, serde_json::from_value(body).expect("a body")).await.expect("changed");
    assert!(bench.obstacles.is_empty(), "{:?}", bench.obstacles);

    let arrived = async |count: usize| {
        let begun = Instant::now();
        while mailbox.count() < count && begun.elapsed() < Duration::from_secs(600) {
            tokio::time::sleep(Duration::from_millis(5)).await;
        }
        begun.elapsed()
    };
    let mut alone = Vec::with_capacity(ALONE);
    for number in 0..ALONE {
        let begun = Instant::now();
        send(&app, &token, number).await;
        arrived(number + 1).await;
        alone.push(begun.elapsed().as_secs_f64());
    }
    alone.sort_by(f64::total_cmp);
    println!("an answer alone has its message after {:.2} s (middle), {:.2} s (longest)", alone[ALONE / 2], alone[ALONE - 1]);

    let (begun, mut taken) = (Instant::now(), tokio::task::JoinSet::new());
    for number in 0..RATE * SECONDS {
        let due = begun + Duration::from_secs_f64(number as f64 / RATE as f64);
        tokio::time::sleep_until(due.into()).await;
        let (app, token) = (app.clone(), token.clone());
        taken.spawn(async move {
            let asked = Instant::now();
            send(&app, &token, ALONE + number).await;
            asked.elapsed().as_secs_f64()
        });
    }
    let mut waits: Vec<f64> = taken.join_all().await;
    waits.sort_by(f64::total_cmp);
    let sent = begun.elapsed().as_secs_f64();
    let after = arrived(ALONE + RATE * SECONDS).await;
    let count = mailbox.count() - ALONE;
    println!(
        "{} answers in {sent:.0} s ({:.0} a second), each taken within {:.0} ms (middle), {:.0} ms (1 of 100); {count} messages, the last {:.1} s after the last answer",
        RATE * SECONDS,
        (RATE * SECONDS) as f64 / sent,
        waits[waits.len() / 2] * 1_000.0,
        waits[waits.len() * 99 / 100] * 1_000.0,
        after.as_secs_f64(),
    );
    assert_eq!(count, RATE * SECONDS, "none is lost, none comes twice");
    app.stop().await;
}
