//! How fast the demo's reminder letter goes for 214 holders, and a quote of many
//! lines. Ratios are of one run on one machine.

use std::io::Cursor;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use jiff::civil::DateTime;
use mangle_core::language::{Context, Scope, Ties};
use mangle_core::records::{Sheet, from_json};
use mangle_core::value::Locale;
use mangle_documents::formats::docx::Template;
use mangle_documents::layout::Typesetter;
use mangle_practice::mailbox::{Mailbox, serve};
use mangle_server::{Channels, Options};

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

const NOON: DateTime = DateTime::constant(2026, 11, 23, 12, 0, 0, 0);
const THREADS: usize = 2;

fn demo(name: &str) -> PathBuf {
    Path::new("../../demo").join(name)
}

struct Letters {
    template: Template,
    holders: Sheet,
    ties: Ties,
    context: Context,
}

impl Letters {
    fn open() -> Letters {
        let template = Template::open(std::fs::read(demo("reminder.docx")).expect("the demo")).expect("opens");
        let raw = mangle_documents::table::read("season.xlsx", std::fs::read(demo("season.xlsx")).expect("the demo").into())
            .expect("reads")
            .remove(0);
        let holders = Sheet::recognise(&raw).expect("recognised");
        let ties = Ties::new([("due", "Due date"), ("harbour due", "Yearly fee")]);
        Letters { template, holders, ties, context: Context::new(Locale::english(), NOON) }
    }

    /// Does a piece of work for every holder, on two threads.
    fn each(&self, work: impl Fn(&Letters, usize) + Sync) {
        std::thread::scope(|scope| {
            for first in 0..THREADS {
                let work = &work;
                scope.spawn(move || (first..self.holders.records.len()).step_by(THREADS).for_each(|at| work(self, at)));
            }
        });
    }

    fn fill(&self, at: usize) -> mangle_documents::formats::docx::Filled {
        let scope = Scope::new(&self.holders.records[at], &self.ties, &self.context);
        self.template.fill(&scope).expect("fills")
    }
}

fn letters(c: &mut Criterion) {
    let letters = Letters::open();
    let count = letters.holders.records.len() as u64;
    let mut group = c.benchmark_group("reminder letter, 214 holders, two threads");
    group.sample_size(10).measurement_time(Duration::from_secs(8)).throughput(Throughput::Elements(count));
    group.bench_function("merge alone (DOCX out)", |b| {
        b.iter(|| letters.each(|l, at| drop(l.template.docx(&l.fill(at)).expect("writes"))));
    });
    let filled: Vec<_> = (0..letters.holders.records.len()).map(|at| letters.fill(at)).collect();
    let models: Vec<_> = filled.iter().map(|f| letters.template.pages(f).expect("reads")).collect();
    group.bench_function("bare typesetter (pages read beforehand)", |b| {
        b.iter(|| {
            letters.each(|l, at| {
                drop(
                    l.template
                        .typeset_pages(&models[at], &filled[at], &Typesetter::default())
                        .expect("typesets")
                        .pdf("x", NOON)
                        .expect("a PDF"),
                )
            })
        });
    });
    group.bench_function("DOCX to PDF", |b| {
        b.iter(|| {
            letters.each(|l, at| {
                drop(l.template.typeset(&l.fill(at), &Typesetter::default()).expect("typesets").pdf("x", NOON).expect("a PDF"))
            })
        });
    });
    group.bench_function("whole run with filing and mail", |b| {
        b.iter_custom(|times| (0..times).map(|_| whole_run()).sum());
    });
    group.finish();
    c.bench_function("preview of one letter (fill, typeset, SVG)", |b| {
        let mut at = 0;
        b.iter(|| {
            at = (at + 1) % letters.holders.records.len();
            letters.template.typeset(&letters.fill(at), &Typesetter::default()).expect("typesets").svg(0).map(|s| s.len())
        });
    });
}

/// A run of all letters through the real application, from the start to the
/// last message in the practice mailbox.
fn whole_run() -> Duration {
    let runtime = tokio::runtime::Runtime::new().expect("a runtime");
    let folder = tempfile::tempdir().expect("a folder");
    let took = runtime.block_on(async {
        let mailbox = Mailbox::open(folder.path().join("mail")).expect("opens");
        let smtp = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
        let port = smtp.local_addr().expect("an address").port();
        tokio::spawn(serve(smtp, mailbox.clone()));
        let app = mangle_server::app(Options { folder: folder.path().join("app"), channels: Channels { smtp: Some(("127.0.0.1".into(), port)), ..Channels::default() } }).await.expect("opens");
        let files: Vec<(&str, Vec<u8>)> = ["season.xlsx", "reminder.docx"].map(|n| (n, std::fs::read(demo(n)).expect("the demo"))).into();
        let files: Vec<(&str, &[u8])> = files.iter().map(|(n, b)| (*n, b.as_slice())).collect();
        mangle_server::demo(&app, &files).await.expect("the demo");
        let http = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
        let address = format!("http://{}", http.local_addr().expect("an address"));
        tokio::spawn(mangle_server::serve(http, mangle_server::router(app, axum::Router::new())));
        tokio::task::spawn_blocking(move || {
            let url = format!("{address}/api/dispatches/balance-reminders");
            let bench = ask("GET", &url, None);
            let mut setup = bench["setup"].clone();
            setup["ties"]["harbour due"] = "Yearly fee".into();
            setup["filter"] = "".into();
            // The one malformed address goes to the office here: all 214 are sent.
            setup["channels"][0]["channel"]["to"] = "office@brackwater-quay.example".into();
            let body = serde_json::json!({ "name": bench["name"], "template_id": bench["template_id"], "sheet_id": bench["sheet_id"], "setup": setup });
            let count = ask("PUT", &url, Some(&body))["records"].as_array().map_or(0, Vec::len);
            let start = Instant::now();
            let run = ask("POST", &format!("{url}/runs"), Some(&serde_json::json!({ "count": count })));
            assert!(run["id"].is_i64(), "{run}");
            while mailbox.list().len() < count {
                std::thread::sleep(Duration::from_millis(5));
            }
            start.elapsed()
        })
        .await
        .expect("runs")
    });
    runtime.shutdown_background();
    took
}

fn ask(method: &str, url: &str, body: Option<&serde_json::Value>) -> serde_json::Value {
    let body = body.map(ToString::to_string).unwrap_or_default();
    let output = std::process::Command::new("curl")
        .args(["-sS", "-X", method, url, "-H", "Content-Type: application/json", "-d", &body])
        .output()
        .expect("curl");
    serde_json::from_slice(&output.stdout).expect("JSON")
}

/// A DOCX of a body alone.
fn docx(body: &str) -> Vec<u8> {
    let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let main = "application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml";
    let word = "http://schemas.openxmlformats.org/wordprocessingml/2006/main";
    for (name, content) in [
        (
            "[Content_Types].xml",
            format!(
                "<Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\"><Override PartName=\"/word/document.xml\" ContentType=\"{main}\"/></Types>"
            ),
        ),
        ("word/document.xml", format!("<w:document xmlns:w=\"{word}\"><w:body>{body}</w:body></w:document>")),
    ] {
        writer.start_file(name, zip::write::SimpleFileOptions::default()).expect("starts");
        std::io::Write::write_all(&mut writer, content.as_bytes()).expect("writes");
    }
    writer.finish().expect("finishes").into_inner()
}

fn p(text: &str) -> String {
    format!("<w:p><w:r><w:t xml:space=\"preserve\">{text}</w:t></w:r></w:p>")
}

/// A quote: twelve conditions and a table of lines.
fn quote() -> Template {
    let cell = |text: &str| format!("<w:tc>{}</w:tc>", p(text));
    let conditions: String =
        (1..=12).map(|n| p(&format!("[:if net > {n}]Clause {n} holds for [: ref].[:else]Clause {n} does not.[:end]"))).collect();
    let row = [
        cell("[:repeat row for lines where qty > 0][: turn.number]"),
        cell("[: item]"),
        cell("[: qty]"),
        cell("[: qty * price as money \"EUR\"]"),
    ]
    .concat();
    let table = format!("<w:tbl><w:tr>{}</w:tr><w:tr>{row}</w:tr></w:tbl>", ["No", "Item", "Qty", "Sum"].map(cell).concat());
    let total = p("Total [: sum(lines.(qty * price)) as money \"EUR\"]");
    Template::open(docx(&format!("{conditions}{table}{total}"))).expect("opens")
}

fn lines(count: usize) -> Sheet {
    let lines: Vec<_> = (0..count).map(|n| serde_json::json!({ "Item": format!("Item {n}"), "Qty": n % 9 + 1, "Price": 12.5 })).collect();
    from_json("quotes", &serde_json::json!({ "Ref": "BQ-0031", "Net": 7, "Lines": lines })).expect("a quote")
}

fn quotes(c: &mut Criterion) {
    let template = quote();
    let (ties, context) = (Ties::default(), Context::new(Locale::english(), NOON));
    let mut group = c.benchmark_group("a quote with 12 conditions, merge alone, one thread");
    group.sample_size(20).measurement_time(Duration::from_secs(4));
    for count in [10, 60, 100, 1_000, 10_000] {
        let sheet = lines(count);
        group.throughput(Throughput::Elements(1));
        group.bench_function(format!("{count} lines"), |b| {
            b.iter(|| {
                let filled = template.fill(&Scope::new(&sheet.records[0], &ties, &context)).expect("fills");
                template.docx(&filled).expect("writes").len()
            });
        });
    }
    group.finish();
    // About a hundred pages of twelve paragraphs, five placeholders a page.
    let words = "The holder keeps the berth clean and leaves the quay as it was found, in summer and in winter. ".repeat(4);
    let body: String =
        (0..1200).map(|n| p(&if n % 12 < 5 { format!("{words}[: ref else \"none\"] {words}") } else { words.clone() })).collect();
    let contract = docx(&body);
    c.bench_function("a contract of 100 pages with 500 placeholders, opened and compiled", |b| {
        b.iter(|| Template::open(contract.clone()).expect("opens").placeholders().len());
    });
}

criterion_group!(speed, letters, quotes);
criterion_main!(speed);
