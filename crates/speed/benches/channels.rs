//! Channels at work: letters over e-mail, folder and CRM at once; whether a slow channel slows the
//! making; openings of a shared document beside the office at work. Run alone:
//! `cargo bench -p mangle-speed --bench channels`.

use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

use mangle_app::crm::{connections, queries};
use mangle_app::transfer::Upload;
use mangle_app::{App, Channels, Options, dispatches, templates};
use mangle_core::crm::{CrmQuery, Picks};
use mangle_practice::crm::{self, Crm, TOKEN};
use mangle_practice::mailbox::{self, Mailbox};
use mangle_server::public::{self, Limits, Trusted};
use serde_json::{Value, json};
use tokio::net::TcpListener;

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// How many letters go over three channels at once.
const LETTERS: usize = 5_000;
/// How many go beside a slow channel.
const BESIDE: usize = 1_000;
/// How long the slow channel takes for each.
const SLOW: Duration = Duration::from_secs(2);
/// How long a shared document is opened.
const OPENED_FOR: Duration = Duration::from_secs(10);

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
    let mut out = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let types = "<Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\"><Default Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/><Override PartName=\"/word/document.xml\" ContentType=\"application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml\"/></Types>";
    let relations = "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\"><Relationship Id=\"r1\" Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument\" Target=\"word/document.xml\"/></Relationships>";
    let line = "<w:p><w:r><w:t>Case [: CaseID] is at the stage [: Stage]. We write to you about your boat, and about the work that it needs.</w:t></w:r></w:p>";
    let body = format!(
        "<w:document xmlns:w=\"http://schemas.openxmlformats.org/wordprocessingml/2006/main\"><w:body>{}</w:body></w:document>",
        line.repeat(12)
    );
    for (name, content) in [("[Content_Types].xml", types), ("_rels/.rels", relations), ("word/document.xml", &body)] {
        out.start_file(name, zip::write::SimpleFileOptions::default()).expect("begins");
        std::io::Write::write_all(&mut out, content.as_bytes()).expect("written");
    }
    out.finish().expect("a zip").into_inner()
}

async fn bind() -> (TcpListener, u16) {
    let listener = TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let port = listener.local_addr().expect("bound").port();
    (listener, port)
}

/// A dispatch of the letter with channels of its own; its key.
async fn dispatch(app: &App, name: &str, template: i64, sheet: i64, channels: Value, filter: &str) -> String {
    let new = serde_json::from_value(json!({ "name": name, "template_id": template, "sheet_id": sheet })).expect("a dispatch");
    let key = dispatches::edit::add(app, new).await.expect("added").key;
    let channels: Vec<Value> = channels.as_array().expect("channels").iter().map(|one| json!({ "channel": one })).collect();
    let setup = json!({ "name": "Letter [: CaseID]", "channels": channels, "filter": filter });
    let body = json!({ "name": name, "template_id": template, "sheet_id": sheet, "setup": setup });
    app.change_dispatch(&key, serde_json::from_value(body).expect("a body")).await.expect("changed");
    key
}

async fn start(app: &App, key: &str, count: usize) -> i64 {
    app.start_run(key, serde_json::from_value(json!({ "count": count })).expect("a start")).await.expect("starts").id
}

/// How many deliveries of a run have ended over each kind of channel.
async fn ended(app: &App, run: i64) -> Vec<(String, usize)> {
    let counted = app.store.with(move |c| -> anyhow::Result<Vec<(String, usize)>> {
        let mut query = c.prepare("SELECT kind, sum(state = 'delivered') FROM delivery WHERE run_id = ?1 GROUP BY kind ORDER BY kind")?;
        let rows = query.query_map([run], |r| Ok((r.get(0)?, r.get(1)?)))?;
        Ok(rows.collect::<Result<_, _>>()?)
    });
    counted.await.expect("counts")
}

/// Runs until all is made, and until all has ended over the kinds named: letters a second of each.
async fn rates(app: &App, run: i64, count: usize, kinds: &[&str]) -> Vec<(String, f64)> {
    let begun = Instant::now();
    let mut found: Vec<(String, f64)> = Vec::new();
    let wanted: Vec<&str> = std::iter::once("made").chain(kinds.iter().copied()).collect();
    while found.len() < wanted.len() {
        tokio::time::sleep(Duration::from_millis(100)).await;
        let now = app.run(run).await.expect("goes");
        let mut all = vec![("made".to_owned(), count - now.waiting)];
        all.extend(ended(app, run).await);
        for (kind, done) in all {
            if done == count && wanted.contains(&kind.as_str()) && !found.iter().any(|(own, _)| *own == kind) {
                found.push((kind, count as f64 / begun.elapsed().as_secs_f64()));
            }
        }
    }
    found
}

fn told(rates: &[(String, f64)]) -> String {
    rates.iter().map(|(kind, rate)| format!("{kind} {rate:.0}")).collect::<Vec<_>>().join(", ")
}

async fn measured() {
    let folder = tempfile::tempdir().expect("a folder");
    let (listener, smtp) = bind().await;
    let mailbox = Mailbox::open(folder.path().join("mailbox")).expect("a mailbox");
    tokio::spawn(mailbox::serve(listener, mailbox.clone()));
    let (listener, crm_port) = bind().await;
    tokio::spawn(crm::serve(listener, Crm::new(LETTERS)));
    let (outside, public_port) = bind().await;
    let office_folder = folder.path().join("office");
    std::fs::create_dir(&office_folder).expect("a folder");
    let channels = Channels {
        smtp: Some(("127.0.0.1".into(), smtp)),
        folders: vec![("Office".into(), office_folder)],
        hosts: vec!["localhost".into()],
        public_url: Some(format!("http://127.0.0.1:{public_port}")),
        ..Channels::default()
    };
    let app = mangle_app::open(Options { folder: folder.path().join("data"), channels }).await.expect("opens");
    let office = mangle_app::store::settings::Settings { office_email: "office@quay.example".into(), ..Default::default() };
    app.store.with(move |c| mangle_app::store::settings::write(c, &office)).await.expect("written");
    let template = templates::keep(&app, None, Upload { name: "letter.docx".into(), bytes: letter() }).await.expect("kept");

    let connection = connections::furnish(&app, &format!("http://127.0.0.1:{crm_port}/odata/"), TOKEN).await.expect("connected");
    let fields = ["CaseID", "Stage", "Contact/LastName"].map(str::to_owned).to_vec();
    let asks = CrmQuery { root: "Cases".into(), picks: Picks { fields, lists: Vec::new() }, order: "CaseID".into(), ..CrmQuery::default() };
    let query = queries::furnish(&app, "Cases", connection, asks).await.expect("asked");
    let sheet = loop {
        let now = queries::show(&app, query).await.expect("there");
        if now.records == LETTERS {
            break now.sheet_id;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    };
    let email =
        json!({ "kind": "email", "to": "p@post.example", "subject": "Case [: CaseID]", "body": "Please find our letter attached.\n" });
    let files = json!({ "kind": "folder", "folder": "Office", "path": "", "clash": "number" });
    let places = serde_json::to_value(app.bench(&dispatch(&app, "Look", template, sheet, json!([]), "").await).await.expect("there"));
    let places = places.expect("JSON")["crm"].clone();
    let fields = json!([{ "field": "Stage", "type": "text", "value": "Quoted" }]);
    let record = json!({ "kind": "crm", "attach": places["attach"][0], "note": null, "fields": fields });

    let key = dispatch(&app, "Mail alone", template, sheet, json!([email]), "").await;
    let run = start(&app, &key, LETTERS).await;
    println!("{LETTERS} letters by e-mail alone, letters a second: {}", told(&rates(&app, run, LETTERS, &["email"]).await));
    let key = dispatch(&app, "Three", template, sheet, json!([email, files, record]), "").await;
    let run = start(&app, &key, LETTERS).await;
    println!("{LETTERS} letters over three channels at once: {}", told(&rates(&app, run, LETTERS, &["email", "folder", "crm"]).await));

    beside_a_slow_one(&app, template, sheet, &email).await;
    openings(&app, template, sheet, (outside, public_port)).await;
    app.stop().await;
}

/// Whether a channel that takes seconds for each delivery slows the making or the other channel.
async fn beside_a_slow_one(app: &App, template: i64, sheet: i64, email: &Value) {
    let (listener, port) = bind().await;
    let slow = axum::Router::new().route("/", axum::routing::post(|| tokio::time::sleep(SLOW)));
    tokio::spawn(async move { axum::serve(listener, slow).await });
    let hook = json!({ "kind": "web-hook", "url": format!("http://localhost:{port}/"), "documents": "names", "values": [] });
    let filter = format!("CaseID <= \"RC-{BESIDE:04}\"");
    let mut both = Vec::new();
    for (name, channels) in [("Fast", json!([email])), ("Beside slow", json!([email, hook]))] {
        let key = dispatch(app, name, template, sheet, channels, &filter).await;
        let run = start(app, &key, BESIDE).await;
        let found = rates(app, run, BESIDE, &["email"]).await;
        println!("{BESIDE} letters, {name}: {}", told(&found));
        both.push(found.iter().map(|(_, rate)| *rate).fold(f64::MAX, f64::min));
        // The slow one has many left.
        app.stop_run(run).await.ok();
    }
    println!("beside a channel at {} s a delivery: {:.2} of the rate without", SLOW.as_secs(), both[1] / both[0]);
}

/// Openings of a shared document a second, and how long the office waits meanwhile.
async fn openings(app: &App, template: i64, sheet: i64, (listener, port): (TcpListener, u16)) {
    let link = json!({ "kind": "link", "passcode": "", "days": null, "openings": null, "download": true });
    let key = dispatch(app, "Shared", template, sheet, json!([link]), "CaseID = \"RC-0001\"").await;
    let run = start(app, &key, 1).await;
    rates(app, run, 1, &["link"]).await;
    let address = app.items(run, None, 0, 1).await.expect("items")[0].deliveries[0].recipient.clone();
    let token = address.rsplit('/').next().expect("a token").to_owned();
    // Each opening is of another sender, as behind a proxy: no limit holds one back.
    let limits = Limits { trusted: Trusted::read(&["127.0.0.0/8".to_owned()]).expect("a network"), ..Limits::default() };
    let router = public::router(app.clone(), &limits);
    tokio::spawn(public::serve(listener, router, limits));
    let quiet = office_waits(app, Duration::from_secs(2)).await;
    let (opened, until) = (Arc::new(AtomicUsize::new(0)), Instant::now() + OPENED_FOR);
    let _ = rustls_ready();
    let client = reqwest::Client::new();
    let at = format!("http://127.0.0.1:{port}/api/shared/{token}");
    let senders = Arc::new(AtomicUsize::new(0));
    let visitors: Vec<_> = (0..32)
        .map(|_| {
            let senders = senders.clone();
            let (client, at, opened) = (client.clone(), at.clone(), opened.clone());
            tokio::spawn(async move {
                while Instant::now() < until {
                    let number = senders.fetch_add(1, Ordering::Relaxed);
                    let sender = format!("10.{}.{}.{}", number >> 16 & 255, number >> 8 & 255, number & 255);
                    let answer = client
                        .post(format!("{at}/open"))
                        .header("x-forwarded-for", &sender)
                        .json(&json!({ "passcode": "" }))
                        .send()
                        .await
                        .expect("answers");
                    assert!(answer.status().is_success(), "{}", answer.status());
                    let key: Value = answer.json().await.expect("JSON");
                    let document = client
                        .get(format!("{at}/pdf?key={}", key["key"].as_str().expect("a key")))
                        .header("x-forwarded-for", &sender)
                        .send()
                        .await;
                    assert!(document.expect("answers").bytes().await.expect("bytes").starts_with(b"%PDF"));
                    opened.fetch_add(1, Ordering::Relaxed);
                }
            })
        })
        .collect();
    let busy = office_waits(app, OPENED_FOR - Duration::from_secs(1)).await;
    for visitor in visitors {
        visitor.await.expect("ends well");
    }
    println!(
        "shared document opened and read {:.0} times a second; the office waits {quiet:.1} ms for a list of runs, {busy:.1} ms meanwhile",
        opened.load(Ordering::Relaxed) as f64 / OPENED_FOR.as_secs_f64()
    );
}

/// One provider of cryptography for the whole program; a second call changes nothing.
fn rustls_ready() -> Result<(), Arc<rustls::crypto::CryptoProvider>> {
    rustls::crypto::ring::default_provider().install_default()
}

/// The middle of how long the office waits for a list of runs, in milliseconds.
async fn office_waits(app: &App, so_long: Duration) -> f64 {
    let (mut all, until) = (Vec::new(), Instant::now() + so_long);
    while Instant::now() < until {
        let begun = Instant::now();
        app.runs().await.expect("runs");
        all.push(begun.elapsed().as_secs_f64() * 1_000.0);
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    all.sort_by(f64::total_cmp);
    all[all.len() / 2]
}
