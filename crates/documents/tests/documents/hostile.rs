//! Damaged and mischievous templates: no panic, no hang. With `MANGLE_LONG=60`
//! each law runs for so many seconds.

use std::io::{Cursor, Read, Write};
use std::time::{Duration, Instant};

use jiff::civil::DateTime;
use mangle_core::language::{Context, Scope, Ties};
use mangle_core::records::from_json;
use mangle_core::value::Locale;
use mangle_documents::formats::Means;
use mangle_documents::formats::docx::Template;
use mangle_documents::layout::Typesetter;
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::{Config, TestRunner};

const NOON: DateTime = DateTime::constant(2026, 11, 23, 12, 0, 0, 0);

fn demo(name: &str) -> Vec<u8> {
    std::fs::read(std::path::Path::new("../../demo").join(name)).expect("the demo")
}

/// The parts of a package.
fn parts(bytes: &[u8]) -> Vec<(String, Vec<u8>)> {
    let mut archive = zip::ZipArchive::new(Cursor::new(bytes)).expect("a zip");
    (0..archive.len())
        .map(|at| {
            let mut part = archive.by_index(at).expect("a part");
            let mut content = Vec::new();
            part.read_to_end(&mut content).expect("reads");
            (part.name().expect("a name").into_owned(), content)
        })
        .collect()
}

fn package(parts: &[(String, Vec<u8>)]) -> Vec<u8> {
    let mut out = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let stored = zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    for (name, content) in parts {
        out.start_file(name, stored).expect("starts");
        out.write_all(content).expect("writes");
    }
    out.finish().expect("finishes").into_inner()
}

/// One change to a part's bytes.
#[derive(Debug, Clone)]
enum Change {
    /// Takes a stretch out.
    Cut(usize, usize),
    /// Writes a stretch a second time, elsewhere.
    Copy(usize, usize, usize),
    /// Writes something in.
    Insert(usize, &'static str),
    /// Turns a byte.
    Turn(usize, u8),
}

const TEXTS: [&str; 14] = [
    "[:end]",
    "[:if balance > 0]",
    "[:repeat row for lines]",
    "[:keep 9 rows if ref]",
    "<w:p>",
    "</w:p>",
    "<w:tbl><w:tr/></w:tbl>",
    "<w:r><w:t>[: ref]</w:t></w:r>",
    "&#x0;",
    "<!DOCTYPE x>",
    "<w:gridSpan w:val=\"99999999\"/>",
    "<w:vMerge/>",
    "<w:sectPr/>",
    "<w:pgSz w:w=\"-1\" w:h=\"1e99\"/>",
];

impl Change {
    fn apply(&self, bytes: &mut Vec<u8>) {
        let length = bytes.len().max(1);
        match *self {
            Change::Cut(at, count) => drop(bytes.drain(at % length..(at % length + count % 400).min(bytes.len()))),
            Change::Copy(at, count, to) => {
                let own = bytes[at % length..(at % length + count % 900).min(bytes.len())].to_vec();
                let to = to % length;
                bytes.splice(to..to, own);
            }
            Change::Insert(at, text) => {
                // Between two tags, where it does most.
                let from = at % length;
                let at = bytes[from..].iter().position(|b| *b == b'>').map_or(from, |n| from + n + 1);
                bytes.splice(at..at, text.bytes());
            }
            Change::Turn(at, byte) => {
                if let Some(own) = bytes.get_mut(at % length) {
                    *own = byte;
                }
            }
        }
    }
}

fn changes() -> impl Strategy<Value = Vec<(usize, Change)>> {
    let anywhere = any::<usize>;
    let change = prop_oneof![
        2 => (anywhere(), anywhere()).prop_map(|(at, count)| Change::Cut(at, count)),
        3 => (anywhere(), anywhere(), anywhere()).prop_map(|(at, count, to)| Change::Copy(at, count, to)),
        6 => (anywhere(), proptest::sample::select(&TEXTS[..])).prop_map(|(at, text)| Change::Insert(at, text)),
        1 => (anywhere(), any::<u8>()).prop_map(|(at, byte)| Change::Turn(at, byte)),
    ];
    proptest::collection::vec((anywhere(), change), 1..4)
}

#[test]
fn any_change_to_a_template_gives_pages_or_a_reason() {
    let seconds: Option<u64> = std::env::var("MANGLE_LONG").ok().and_then(|s| s.parse().ok());
    let until = Instant::now() + seconds.map_or(Duration::from_secs(3), Duration::from_secs);
    let mut runner = if seconds.is_some() { TestRunner::new(Config::default()) } else { TestRunner::deterministic() };
    let cases = from_json("cases", &serde_json::from_slice(&demo("refit-cases.json")).expect("JSON")).expect("cases");
    let (ties, context) = (Ties::default(), Context::new(Locale::english(), NOON));
    let whole = parts(&demo("refit-quote.docx"));
    let texts: Vec<usize> = (0..whole.len()).filter(|at| whole[*at].0.ends_with(".xml")).collect();
    let (mut opened, mut made) = (0, 0);
    while Instant::now() < until {
        let tree = changes().new_tree(&mut runner).expect("changes");
        let mut parts = whole.clone();
        for (at, change) in tree.current() {
            // The document itself more often than the rest.
            let at =
                if at % 3 == 0 { texts[at % texts.len()] } else { parts.iter().position(|p| p.0 == "word/document.xml").expect("there") };
            change.apply(&mut parts[at].1);
        }
        let started = Instant::now();
        if let Ok(template) = Template::open(package(&parts)) {
            opened += 1;
            let _ = template.unfilled_pages().map(|pages| pages.lines());
            let tried = template.fill_traced(&Scope::new(&cases.records[0], &ties, &context), Means::default());
            // What failed is looked at as well; it must be made without a panic.
            let _ = template.typeset(&tried.filled, &Typesetter::default());
            if let Ok(filled) = tried.whole() {
                let _ = template.docx(&filled).expect("writes what it filled");
                made += usize::from(template.typeset(&filled, &Typesetter::default()).is_ok());
            }
        }
        assert!(started.elapsed() < Duration::from_secs(20), "{:?} took {:?}", tree.current(), started.elapsed());
    }
    assert!(opened > 3 && made > 1, "{opened} opened, {made} made: the changes are too coarse to tell anything");
}

const NUMBERS: [&str; 11] = ["0", "1", "-1", "-99999", "31680", "99999999", "4294967296", "-2147483648", "0.5", "pages", ""];

/// Where numbers stand in attributes.
fn numbers(xml: &str) -> Vec<std::ops::Range<usize>> {
    let mut found = Vec::new();
    let mut at = 0;
    while let Some(start) = xml[at..].find("=\"").map(|n| at + n + 2) {
        let end = xml[start..].find('"').map_or(xml.len(), |n| start + n);
        let inner = &xml[start..end];
        if !inner.is_empty() && inner.bytes().all(|b| b.is_ascii_digit() || b == b'-') {
            found.push(start..end);
        }
        at = end;
    }
    found
}

#[test]
fn any_number_in_a_document_still_gives_pages() {
    let seconds: Option<u64> = std::env::var("MANGLE_LONG").ok().and_then(|s| s.parse().ok());
    let until = Instant::now() + seconds.map_or(Duration::from_secs(5), Duration::from_secs);
    let mut runner = if seconds.is_some() { TestRunner::new(Config::default()) } else { TestRunner::deterministic() };
    let mut names: Vec<_> = std::fs::read_dir(super::corpus::folder()).expect("the corpus").filter_map(|f| Some(f.ok()?.path())).collect();
    names.retain(|n| n.extension().is_some_and(|e| e == "docx"));
    names.sort();
    let whole: Vec<_> = names.iter().map(|n| (n, parts(&std::fs::read(n).expect("a file")))).collect();
    let choice = (any::<usize>(), proptest::collection::vec((any::<usize>(), any::<usize>(), any::<usize>()), 1..6));
    let mut tried = 0;
    // A slow machine takes its time.
    while Instant::now() < until || tried < 40 {
        tried += 1;
        let (file, changes) = choice.new_tree(&mut runner).expect("changes").current();
        let (name, own) = &whole[file % whole.len()];
        let mut own = own.clone();
        let mut said = Vec::new();
        for (part, at, number) in changes {
            let texts: Vec<usize> = (0..own.len())
                .filter(|n| own[*n].0.starts_with("word/") && own[*n].0.ends_with(".xml") && !own[*n].0.contains("_rels"))
                .collect();
            let part = texts[part % texts.len()];
            let mut xml = String::from_utf8(own[part].1.clone()).expect("UTF-8");
            let spots = numbers(&xml);
            if spots.is_empty() {
                continue;
            }
            let spot = spots[at % spots.len()].clone();
            let number = NUMBERS[number % NUMBERS.len()];
            said.push(format!("{} {} → {number:?}", own[part].0, &xml[xml[..spot.end].rfind('<').unwrap_or(0)..spot.end]));
            xml.replace_range(spot, number);
            own[part].1 = xml.into_bytes();
        }
        let started = Instant::now();
        let template = Template::open(package(&own)).unwrap_or_else(|e| panic!("{} {said:?}: {e}", name.display()));
        let made = template.unfilled().unwrap_or_else(|e| panic!("{} {said:?}: {e}", name.display()));
        assert!(made.page_count() > 0);
        assert!(started.elapsed() < Duration::from_secs(20), "{} {said:?} took {:?}", name.display(), started.elapsed());
    }
}
