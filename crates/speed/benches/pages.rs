//! Pages: from the bytes of a filled DOCX to those of its PDF, beside the bare
//! typesetter given a source written for it by hand, and within a run, whose template
//! is opened once. No two documents have the same paragraphs. All of one run, on one
//! thread and on two; only ratios mean something on a machine that others share.

use std::io::{Cursor, Read, Write};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

use jiff::civil::DateTime;
use mangle_core::language::{Context, Scope, Ties};
use mangle_core::records::{Column, ColumnType, Record, Schema};
use mangle_core::value::{Locale, Value};
use mangle_documents::formats::docx::Template;
use mangle_documents::layout::Typesetter;
use mangle_documents::model::{Block, Document, Inline};
use typst::diag::{FileError, FileResult};
use typst::foundations::{Bytes, Datetime, Duration as Span};
use typst::syntax::{FileId, RootedPath, Source, VirtualPath, VirtualRoot};
use typst::text::{Font, FontBook};
use typst::utils::LazyHash;
use typst::{Library, LibraryExt, World};
use typst_layout::PagedDocument;

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

const NOON: DateTime = DateTime::constant(2026, 11, 23, 12, 0, 0, 0);
/// For how long each measurement of a round goes on.
const LONG: Duration = Duration::from_millis(400);
/// How many rounds there are.
const ROUNDS: usize = 11;
/// How many documents of a kind there are: more than the typesetter remembers.
const RECORDS: usize = 24;
/// After how many pages the bare typesetter forgets, and what it did not need for how
/// many such rounds: as ours does.
const FORGETS: (usize, usize) = (8, 2);

fn main() {
    // Cargo asks benches for their tests, too.
    if std::env::args().any(|a| a == "--test") {
        return;
    }
    let only = std::env::args().skip(1).find(|a| !a.starts_with('-')).unwrap_or_default();
    println!(
        "| document | pages | threads | bare/s | DOCX to PDF/s | times bare | in a run/s | times bare | read | model | typeset | write |"
    );
    println!("|---|---|---|---|---|---|---|---|---|---|---|---|");
    for (name, bytes) in [
        ("letter", corpus("whole-letter")),
        ("quote of 30 lines", corpus("whole-quote")),
        ("contract", corpus("whole-contract")),
        ("manual", repeated(&corpus("whole-contract"), 11)),
    ] {
        if !name.contains(&only) {
            continue;
        }
        let run = Run::new(&bytes);
        for threads in [1, 2] {
            let works: [Work<'_>; 3] = [&|n| run.bare(n), &|n| run.apart(n), &|n| run.within(n)];
            let rounds = measured(threads, &works);
            let whole: f64 = rounds.apart_took.iter().map(Duration::as_secs_f64).sum();
            let share: Vec<String> = rounds.apart_took.iter().map(|t| format!("{:.0} %", t.as_secs_f64() / whole * 100.0)).collect();
            println!(
                "| {name} | {} | {threads} | {:.1} | {:.1} | {:.2} | {:.1} | {:.2} | {} |",
                run.pages,
                median(rounds.speeds.iter().map(|s| s[0])),
                median(rounds.speeds.iter().map(|s| s[1])),
                median(rounds.speeds.iter().map(|s| s[0] / s[1])),
                median(rounds.speeds.iter().map(|s| s[2])),
                median(rounds.speeds.iter().map(|s| s[0] / s[2])),
                share.join(" | ")
            );
        }
    }
    if !"memory".contains(&only) {
        return;
    }
    println!("\nmemory after these: {} MB at most", status("VmHWM"));
    let letter = Run::new(&corpus("whole-letter"));
    for thousands in 0..=10 {
        if thousands > 0 {
            for n in 0..1000 {
                letter.within(thousands * 1000 + n);
            }
        }
        println!("memory after {} more letters: {} MB", thousands * 1000, status("VmRSS"));
    }
}

fn status(name: &str) -> u64 {
    let text = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = text.lines().find_map(|l| l.strip_prefix(name)).unwrap_or_default();
    line.split_whitespace().find_map(|w| w.parse::<u64>().ok()).unwrap_or(0) / 1024
}

fn corpus(name: &str) -> Vec<u8> {
    std::fs::read(format!("../documents/tests/corpus/{name}.docx")).expect("the corpus")
}

/// A document with its main text changed.
fn rewritten(bytes: &[u8], change: impl Fn(&str) -> String) -> Vec<u8> {
    let mut archive = zip::ZipArchive::new(Cursor::new(bytes)).expect("a package");
    let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for at in 0..archive.len() {
        let mut part = archive.by_index(at).expect("a part");
        let mut content = Vec::new();
        part.read_to_end(&mut content).expect("reads");
        let name = part.name().expect("a name").into_owned();
        if name == "word/document.xml" {
            content = change(&String::from_utf8(content).expect("UTF-8")).into_bytes();
        }
        writer.start_file(&name, zip::write::SimpleFileOptions::default()).expect("starts");
        writer.write_all(&content).expect("writes");
    }
    writer.finish().expect("finishes").into_inner()
}

/// A document whose body stands in it several times.
fn repeated(bytes: &[u8], times: usize) -> Vec<u8> {
    rewritten(bytes, |text| {
        let (from, to) = (text.find("<w:body>").expect("a body") + 8, text.rfind("<w:sectPr>").expect("a section"));
        format!("{}{}{}", &text[..from], text[from..to].repeat(times), &text[to..])
    })
}

/// A document whose every paragraph of text begins with a placeholder.
fn with_placeholders(bytes: &[u8]) -> Vec<u8> {
    rewritten(bytes, |text| {
        let mut out = String::with_capacity(text.len() * 2);
        for (at, paragraph) in text.split("</w:p>").enumerate() {
            if at > 0 {
                out.push_str("</w:p>");
            }
            let text = paragraph.rfind("<w:p>").max(paragraph.rfind("<w:p ")).and_then(|from| {
                let text = from + paragraph[from..].find("<w:t>").into_iter().chain(paragraph[from..].find("<w:t ")).min()?;
                Some(text + paragraph[text..].find('>')? + 1)
            });
            match text {
                Some(text) => out.extend([&paragraph[..text], "[: n] ", &paragraph[text..]]),
                None => out.push_str(paragraph),
            }
        }
        out
    })
}

/// A template and what is made of it for each record.
struct Run {
    template: Template,
    filled: Vec<Vec<u8>>,
    bare: Vec<Bare>,
    pages: usize,
}

impl Run {
    fn new(bytes: &[u8]) -> Run {
        let template = Template::open(with_placeholders(bytes)).expect("opens");
        let context = Context::new(Locale::english(), NOON);
        let ties = Ties::default();
        let of = |n: usize| {
            let record = record(n);
            let filled = template.fill(&Scope::new(&record, &ties, &context)).expect("fills");
            let model = template.pages(&filled).expect("pages");
            (template.docx(&filled).expect("a document"), Bare::new(&by_hand(&model), picture(bytes)))
        };
        let (filled, bare) = (0..RECORDS).map(of).unzip();
        let mut run = Run { template, filled, bare, pages: 0 };
        run.pages = Template::open(run.filled[0].clone()).expect("opens").unfilled().expect("pages").page_count();
        run
    }

    fn bare(&self, n: usize) -> [Duration; 4] {
        self.bare[n % RECORDS].pdf();
        [Duration::ZERO; 4]
    }

    /// From the bytes of a filled document to those of its PDF.
    fn apart(&self, n: usize) -> [Duration; 4] {
        let start = Instant::now();
        let document = Template::open(self.filled[n % RECORDS].clone()).expect("opens");
        made(&document, n, start)
    }

    /// The same as a run does it.
    fn within(&self, n: usize) -> [Duration; 4] {
        made(&self.template, n, Instant::now())
    }
}

fn record(n: usize) -> Record {
    let schema = Schema::new(vec![Column::new("n", ColumnType::Number)]).expect("a schema");
    Record::new(Arc::new(schema), vec![Value::Number((1000 + n as i64).into())], 1)
}

/// What reading, the model, typesetting and writing took.
fn made(template: &Template, n: usize, start: Instant) -> [Duration; 4] {
    let (record, ties, context) = (record(n), Ties::default(), Context::new(Locale::english(), NOON));
    let filled = template.fill(&Scope::new(&record, &ties, &context)).expect("fills");
    let read = start.elapsed();
    let model = template.pages(&filled).expect("reads");
    let modelled = start.elapsed();
    let made = template.typeset_pages(&model, &filled, &Typesetter::default()).expect("typesets");
    let typeset = start.elapsed();
    drop(made.pdf("x", NOON).expect("a PDF"));
    [read, modelled - read, typeset - modelled, start.elapsed() - typeset]
}

/// What is measured, by the number of the document; tells what each step took.
type Work<'a> = &'a (dyn Fn(usize) -> [Duration; 4] + Sync);

/// What rounds of measuring gave.
struct Rounds {
    /// How many documents a second, by round and work.
    speeds: Vec<[f64; 3]>,
    /// What the steps of the second work took on the whole.
    apart_took: [Duration; 4],
}

/// All works in turn, round after round: what the machine is slowed by falls on all
/// of them alike.
fn measured(threads: usize, works: &[Work<'_>; 3]) -> Rounds {
    let next = AtomicUsize::new(1);
    let mut rounds = Rounds { speeds: Vec::new(), apart_took: [Duration::ZERO; 4] };
    for _ in 0..ROUNDS {
        let mut speeds = [0.0; 3];
        for (at, work) in works.iter().enumerate() {
            // What it remembers of the work before it is gone.
            comemo::evict(0);
            work(0);
            let (speed, took) = at_work(threads, *work, &next);
            speeds[at] = speed;
            if at == 1 {
                rounds.apart_took.iter_mut().zip(took).for_each(|(s, t)| *s += t);
            }
        }
        rounds.speeds.push(speeds);
    }
    rounds
}

/// How many a second, and what each step took on the whole.
fn at_work(threads: usize, work: Work<'_>, next: &AtomicUsize) -> (f64, [Duration; 4]) {
    let start = Instant::now();
    let results: Vec<(f64, [Duration; 4])> = std::thread::scope(|scope| {
        let all: Vec<_> = (0..threads)
            .map(|_| {
                scope.spawn(|| {
                    // The typesetter's own threads are this one.
                    let own = rayon::ThreadPoolBuilder::new().num_threads(1).use_current_thread().build();
                    let (mut count, mut sum) = (0, [Duration::ZERO; 4]);
                    while start.elapsed() < LONG || count < 1 {
                        let took = work(next.fetch_add(1, Ordering::Relaxed));
                        sum.iter_mut().zip(took).for_each(|(s, t)| *s += t);
                        count += 1;
                    }
                    let speed = count as f64 / start.elapsed().as_secs_f64();
                    drop(own.expect("a pool of one thread"));
                    (speed, sum)
                })
            })
            .collect();
        all.into_iter().map(|t| t.join().expect("works")).collect()
    });
    let mut sum = [Duration::ZERO; 4];
    results.iter().for_each(|(_, own)| sum.iter_mut().zip(own).for_each(|(s, t)| *s += *t));
    (results.iter().map(|r| r.0).sum(), sum)
}

/// The middle one of numbers.
fn median(numbers: impl Iterator<Item = f64>) -> f64 {
    let mut numbers: Vec<f64> = numbers.collect();
    numbers.sort_by(f64::total_cmp);
    numbers[numbers.len() / 2]
}

/// The same content as someone who writes for the typesetter would put it.
fn by_hand(document: &Document) -> String {
    let mut out = String::from(
        "#set page(paper: \"a4\", margin: 2.5cm, numbering: \"1\")\n#set text(font: \"Carlito\", size: 11pt, hyphenate: false)\n#set par(justify: true, linebreaks: \"simple\")\n",
    );
    for section in &document.sections {
        let line = |blocks: &[Block]| -> String {
            let lines = blocks.iter().map(|b| match b {
                Block::Paragraph(p) => p.inlines.iter().map(put).collect(),
                Block::Table(_) => String::new(),
            });
            lines.collect::<Vec<_>>().join("\n\n")
        };
        let (header, footer) = (line(&section.header.usual), line(&section.footer.usual));
        out.push_str(&format!("#set page(header: [{header}], footer: context [{footer}])\n"));
        for block in &section.blocks {
            match block {
                Block::Paragraph(paragraph) => {
                    let text = text(&paragraph.inlines);
                    match (paragraph.outline, text.is_empty()) {
                        (_, true) => {}
                        (Some(level), _) => out.push_str(&format!("{} {text}\n\n", "=".repeat(usize::from(level)))),
                        (None, _) => out.push_str(&format!("{text}\n\n")),
                    }
                }
                Block::Table(table) => {
                    let columns: Vec<String> = table.columns.iter().map(|w| format!("{:.1}pt", w.unwrap_or(100.0))).collect();
                    out.push_str(&format!("#table(columns: ({},),\n", columns.join(", ")));
                    for cell in table.rows.iter().flat_map(|r| &r.cells) {
                        let inner: Vec<String> = cell
                            .blocks
                            .iter()
                            .map(|b| match b {
                                Block::Paragraph(p) => text(&p.inlines),
                                Block::Table(_) => String::new(),
                            })
                            .collect();
                        out.push_str(&format!("[{}], ", inner.join("\n\n")));
                    }
                    out.push_str(")\n\n");
                }
            }
        }
    }
    out
}

/// What stands in a header's or footer's line.
fn put(inline: &Inline) -> String {
    match inline {
        Inline::Text(text, _) => escaped(text),
        Inline::Tab(_) => "#h(1fr)".to_owned(),
        Inline::Page(..) => "#counter(page).display()".to_owned(),
        Inline::Pages(_) => "#counter(page).final().first()".to_owned(),
        Inline::Drawing(drawing) => format!("#box(image(\"/picture.png\", width: {}pt))", drawing.width),
        _ => String::new(),
    }
}

/// The picture of a document that has one.
fn picture(bytes: &[u8]) -> Option<Bytes> {
    let mut archive = zip::ZipArchive::new(Cursor::new(bytes)).ok()?;
    let mut content = Vec::new();
    archive.by_name("word/media/mark.png").ok()?.read_to_end(&mut content).ok()?;
    Some(Bytes::new(content))
}

/// The text of a paragraph, bold and italic where it is.
fn text(inlines: &[Inline]) -> String {
    let mut out = String::new();
    for inline in inlines {
        let Inline::Text(text, style) = inline else { continue };
        let text = escaped(text);
        let text = if style.italic { format!("#emph[{text}]") } else { text };
        out.push_str(&if style.bold { format!("#strong[{text}]") } else { text });
    }
    out
}

fn escaped(text: &str) -> String {
    text.chars().flat_map(|c| if "\\#$*_`<>@[]=-+/~".contains(c) { vec!['\\', c] } else { vec![c] }).collect()
}

struct Bare {
    library: LazyHash<Library>,
    book: LazyHash<FontBook>,
    fonts: Vec<Font>,
    main: FileId,
    source: String,
    picture: Option<Bytes>,
}

impl Bare {
    fn new(source: &str, picture: Option<Bytes>) -> Bare {
        let fonts: Vec<Font> = ["Carlito-Regular", "Carlito-Bold", "Carlito-Italic", "Carlito-BoldItalic", "LiberationSans-Regular"]
            .iter()
            .flat_map(|name| {
                let file = format!("../documents/fonts/{name}.ttf");
                Font::new(Bytes::new(std::fs::read(file).expect("a font")), 0)
            })
            .collect();
        let id = RootedPath::new(VirtualRoot::Project, VirtualPath::new("/bare.typ").expect("a path")).intern();
        Bare {
            library: LazyHash::new(Library::default()),
            book: LazyHash::new(FontBook::from_fonts(&fonts)),
            fonts,
            main: id,
            source: source.to_owned(),
            picture,
        }
    }

    /// From the text of the source to the bytes of the PDF.
    fn pdf(&self) -> Vec<u8> {
        let world = Each { bare: self, main: Source::new(self.main, self.source.clone()) };
        let document = typst::compile::<PagedDocument>(&world).output.expect("typesets");
        let pdf = typst_pdf::pdf(&document, &typst_pdf::PdfOptions::default()).expect("a PDF");
        static PAGES: AtomicUsize = AtomicUsize::new(0);
        let pages = document.pages().len();
        if PAGES.fetch_add(pages, Ordering::Relaxed) + pages >= FORGETS.0 {
            PAGES.store(0, Ordering::Relaxed);
            comemo::evict(FORGETS.1);
        }
        pdf
    }
}

struct Each<'a> {
    bare: &'a Bare,
    main: Source,
}

impl World for Each<'_> {
    fn library(&self) -> &LazyHash<Library> {
        &self.bare.library
    }
    fn book(&self) -> &LazyHash<FontBook> {
        &self.bare.book
    }
    fn main(&self) -> FileId {
        self.main.id()
    }
    fn source(&self, id: FileId) -> FileResult<Source> {
        if id == self.main.id() { Ok(self.main.clone()) } else { Err(FileError::AccessDenied) }
    }
    fn file(&self, _: FileId) -> FileResult<Bytes> {
        self.bare.picture.clone().ok_or(FileError::AccessDenied)
    }
    fn font(&self, index: usize) -> Option<Font> {
        self.fonts().get(index).cloned()
    }
    fn today(&self, _: Option<Span>) -> Option<Datetime> {
        None
    }
}

impl Each<'_> {
    fn fonts(&self) -> &[Font] {
        &self.bare.fonts
    }
}
