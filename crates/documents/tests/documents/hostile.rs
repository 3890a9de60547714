//! Damaged and mischievous templates: no panic, no hang. With `MANGLE_LONG=60`
//! each law runs for so many seconds.

use std::io::{Cursor, Read, Write};
use std::time::{Duration, Instant};

use jiff::civil::DateTime;
use mangle_core::language::{Context, Scope, Ties};
use mangle_core::records::from_json;
use mangle_core::value::Locale;
use mangle_documents::docx::{Means, Template};
use mangle_documents::page::Typesetter;
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::{Config, TestRunner};

const NOON: DateTime = DateTime::constant(2026, 11, 23, 12, 0, 0, 0);

fn demo(name: &str) -> Vec<u8> {
    std::fs::read(std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(name)).expect("the demo")
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
            let (filled, _) = template.fill_traced(&Scope::new(&cases.records[0], &ties, &context), Means::default());
            if let Ok(filled) = filled {
                let _ = template.docx(&filled).expect("writes what it filled");
                made += usize::from(template.typeset(&filled, &Typesetter::default()).is_ok());
            }
        }
        assert!(started.elapsed() < Duration::from_secs(20), "{:?} took {:?}", tree.current(), started.elapsed());
    }
    assert!(opened > 3 && made > 1, "{opened} opened, {made} made: the changes are too coarse to tell anything");
}
