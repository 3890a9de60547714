//! Two hundred rounds from their release to the sealed document, by script; what a signature and a
//! seal cost; how long a signer's page takes while a hundred are open. Run alone:
//! `cargo bench -p mangle-speed --bench signing`.

use std::time::{Duration, Instant};

use mangle_app::signing::{SignInput, SignatureInput, SignerNow};
use mangle_app::transfer::Upload;
use mangle_app::{App, Channels, Options, dispatches, sources, templates};
use mangle_practice::mailbox::{self, Mailbox};
use mangle_practice::timestamp::{self, TimestampAuthority};
use serde_json::json;

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// How many rounds, and how many signers look at once.
const ROUNDS: usize = 200;
const AT_ONCE: usize = 100;

fn main() {
    // Benches are no tests.
    if std::env::args().any(|a| a == "--test" || a == "--list") {
        return;
    }
    let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().expect("a runtime");
    runtime.block_on(measured());
}

fn licence() -> Vec<u8> {
    std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/berth-licence.docx")).expect("the demo world")
}

/// What a signer fills in.
fn filled(now: &SignerNow) -> SignInput {
    let typed = |text: &str| Some(SignatureInput { typed: text.to_owned(), picture: String::new() });
    let texts = now.fields.iter().filter(|own| own.field.kind == "text");
    let values = texts.map(|own| (own.field.number, "Wil Haven, 020 7946 0077".to_owned())).collect();
    SignInput { key: now.key.clone(), consent: true, signature: typed(&now.name), initials: typed("wh"), values }
}

/// The newest link of each address.
fn links(mailbox: &Mailbox) -> Vec<String> {
    let texts = mailbox.list().into_iter().filter_map(|own| mailbox.message(own.number)).map(|own| own.text);
    texts.filter_map(|text| Some(text.split_once("/s/")?.1.split_whitespace().next()?.to_owned())).collect()
}

async fn all(app: &App, state: &str, count: usize) -> Duration {
    let begun = Instant::now();
    while app.rounds(None, Some(state.to_owned())).await.expect("rounds").len() < count && begun.elapsed() < Duration::from_secs(600) {
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    begun.elapsed()
}

async fn measured() {
    let folder = tempfile::tempdir().expect("a folder");
    let listen = async || tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let (listener, stamps) = (listen().await, listen().await);
    let (smtp, authority) = (listener.local_addr().expect("bound").port(), stamps.local_addr().expect("bound").port());
    let mailbox = Mailbox::open(folder.path().join("mailbox")).expect("a mailbox");
    tokio::spawn(mailbox::serve(listener, mailbox.clone()));
    tokio::spawn(timestamp::serve(stamps, TimestampAuthority::new().expect("a key")));
    let channels =
        Channels { smtp: Some(("127.0.0.1".into(), smtp)), public_url: Some("http://127.0.0.1:9".into()), ..Channels::default() };
    let app = mangle_app::open(Options { folder: folder.path().join("data"), channels }).await.expect("opens");
    let office = mangle_app::store::settings::Settings {
        office_name: "Brackwater Quay".into(),
        office_email: "office@quay.example".into(),
        timestamp_authority: format!("http://127.0.0.1:{authority}/"),
        ..Default::default()
    };
    app.store.with(move |c| mangle_app::store::settings::write(c, &office)).await.expect("written");
    let template = templates::keep(&app, None, Upload { name: "licence.docx".into(), bytes: licence() }).await.expect("kept");
    let mut sheet = "Ref,First name,Last name,E-mail,Language,Boat name,Type,LOA,Beam,Berth,Yearly fee,Deposit\n".to_owned();
    for at in 0..ROUNDS {
        sheet += &format!("BX-{at:04},Grace,Quayle {at},p{at}@post.example,en-GB,Tern,sail,9.5,3.1,A{at},1240.00,120.00\n");
    }
    let source = sources::keep(&app, Upload { name: "holders.csv".into(), bytes: sheet.into_bytes() }).await.expect("a source");
    let new = serde_json::from_value(json!({ "name": "Licences", "template_id": template, "sheet_id": source.sheets[0].id }));
    let key = dispatches::edit::add(&app, new.expect("a dispatch")).await.expect("added").key;
    let person = |name: &str, email: &str| json!([{ "name": name, "email": email, "language": "en-GB", "phone": "" }]);
    let roles = json!([
        { "role": "holder", "step": 1, "people": person("[: first name] [: last name]", "[: e-mail]") },
        { "role": "harbour master", "step": 2, "people": person("Ida Kelling", "office@quay.example") },
    ]);
    let setup = json!({ "name": "Licence [: ref]", "signing": { "on": true, "roles": roles } });
    let body = json!({ "name": "Licences", "template_id": template, "sheet_id": source.sheets[0].id, "setup": setup });
    let bench = app.change_dispatch(&key, serde_json::from_value(body).expect("a body")).await.expect("changed");
    assert!(bench.obstacles.is_empty(), "{:?}", bench.obstacles);

    let begun = Instant::now();
    app.start_run(&key, serde_json::from_value(json!({ "count": ROUNDS })).expect("a start")).await.expect("started");
    while links(&mailbox).len() < ROUNDS {
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    println!("{ROUNDS} licences made and sent out: {:.1} s", begun.elapsed().as_secs_f64());

    // A hundred signers open their page and load the document.
    let tokens = links(&mailbox);
    let mut looks = tokio::task::JoinSet::new();
    for token in tokens.iter().take(AT_ONCE).cloned() {
        let app = app.clone();
        looks.spawn(async move {
            let asked = Instant::now();
            app.signer_page(token.clone()).await.expect("a page");
            let now = app.open_signer(token.clone(), String::new()).await.expect("opened");
            let size = app.signer_document(token, now.key).await.expect("a document").bytes.len();
            (asked.elapsed().as_secs_f64(), size)
        });
    }
    let mut looks = looks.join_all().await;
    looks.sort_by(|a, b| a.0.total_cmp(&b.0));
    let sent = looks[0].1;
    println!("{AT_ONCE} pages at once: {:.0} ms (middle), {:.0} ms (longest)", looks[AT_ONCE / 2].0 * 1e3, looks[AT_ONCE - 1].0 * 1e3);

    let signing = Instant::now();
    let mut signed = tokio::task::JoinSet::new();
    for token in tokens {
        let app = app.clone();
        signed.spawn(async move {
            let now = app.open_signer(token.clone(), String::new()).await.expect("opened");
            app.sign(token, filled(&now)).await.expect("signed")
        });
    }
    signed.join_all().await;
    let took = signing.elapsed().as_secs_f64();
    println!("{ROUNDS} holders sign (6 fields): {took:.1} s, {:.0} a second", ROUNDS as f64 / took);
    let rounds = app.rounds(None, None).await.expect("rounds");
    let once = app.round_document(rounds[0].id).await.expect("a document").bytes.len();

    let master = Instant::now();
    let ids: Vec<i64> = rounds.iter().map(|round| round.id).collect();
    let signature = SignatureInput { typed: "Ida Kelling".into(), picture: String::new() };
    let acted = app.countersign(ids, signature, None).await.expect("countersigned");
    assert_eq!((acted.done, acted.refused.len()), (ROUNDS, 0));
    let took = master.elapsed().as_secs_f64();
    all(&app, "completed", ROUNDS).await;
    let whole = master.elapsed().as_secs_f64();
    println!("countersigned together: {took:.1} s; all sealed {:.1} s after the first, {:.0} seals a second", whole, ROUNDS as f64 / whole);
    let sealed = app.round_document(rounds[0].id).await.expect("a document").bytes.len();
    let kilobytes = |bytes: usize| bytes as f64 / 1e3;
    println!(
        "sent {:.1} kB; the holder's six fields {:.1} kB; the master's three, attestation and seal {:.1} kB",
        kilobytes(sent),
        kilobytes(once - sent),
        kilobytes(sealed - once)
    );
    println!("from the release to the last seal, by script: {:.1} s", begun.elapsed().as_secs_f64());
    app.stop().await;
}
