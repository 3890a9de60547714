//! Where values and placeholders stand on the pages, measured against poppler's
//! word boxes; what two versions of a document differ in.

use std::path::{Path, PathBuf};
use std::process::Command;

use jiff::civil::DateTime;
use mangle_core::language::{Context, Scope, Ties};
use mangle_core::records::{Sheet, from_json};
use mangle_core::template::compare;
use mangle_core::value::Locale;
use mangle_documents::formats::docx::Template;
use mangle_documents::formats::{Means, TracedFill};
use mangle_documents::layout::{Made, Typesetter};

const NOON: DateTime = DateTime::constant(2026, 11, 23, 12, 0, 0, 0);

fn demo(name: &str) -> Vec<u8> {
    let path: PathBuf = Path::new("../../demo").join(name);
    std::fs::read(path).expect("the demo")
}

fn cases() -> Sheet {
    from_json("cases", &serde_json::from_slice(&demo("refit-cases.json")).expect("JSON")).expect("cases")
}

/// A word on a page, as poppler finds it: page, middle across, middle down.
fn words(made: Made) -> Vec<(usize, f64, f64, String)> {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("x.pdf");
    std::fs::write(&path, made.pdf("x", NOON).expect("a PDF")).expect("writes");
    let output = Command::new("pdftotext").args(["-bbox"]).arg(&path).arg("-").output().expect("poppler");
    let html = String::from_utf8_lossy(&output.stdout).into_owned();
    let mut page = 0;
    let mut found = Vec::new();
    for line in html.lines().map(str::trim) {
        if line.starts_with("<page") {
            page += 1;
        }
        let Some(word) = line.strip_prefix("<word ") else { continue };
        let side = |name: &str| word.split(&format!("{name}=\"")).nth(1).and_then(|r| r.split('"').next()).and_then(|n| n.parse().ok());
        let (Some(x0), Some(x1), Some(y0), Some(y1)): (Option<f64>, Option<f64>, Option<f64>, Option<f64>) =
            (side("xMin"), side("xMax"), side("yMin"), side("yMax"))
        else {
            continue;
        };
        let text = word.split('>').nth(1).and_then(|t| t.split('<').next()).unwrap_or_default();
        let text = text.replace("&gt;", ">").replace("&lt;", "<").replace("&quot;", "\"").replace("&amp;", "&");
        found.push((page - 1, (x0 + x1) / 2.0, (y0 + y1) / 2.0, text));
    }
    found
}

/// The words that lie in the marks of a number.
fn under(made: &Made, number: u32, words: &[(usize, f64, f64, String)]) -> String {
    let spots: Vec<_> = made.marks().into_iter().filter(|m| m.number == number).collect();
    let lies = |(page, x, y, _): &&(usize, f64, f64, String)| {
        spots.iter().any(|m| m.page == *page && (m.left..=m.left + m.width).contains(x) && (m.top..=m.top + m.height).contains(y))
    };
    words.iter().filter(lies).map(|(_, _, _, text)| text.as_str()).collect::<Vec<_>>().join(" ")
}

#[test]
fn each_printed_value_knows_its_place_on_the_page() {
    let template = Template::open(demo("refit-quote.docx")).expect("opens");
    assert_eq!(template.problems(), []);
    let (cases, ties, context) = (cases(), Ties::default(), Context::new(Locale::english(), NOON));
    let TracedFill { filled, errors, trace } = template.fill_traced(&Scope::new(&cases.records[0], &ties, &context), Means::default());
    assert_eq!(errors, []);
    let typeset = || template.typeset(&filled, &Typesetter::default()).expect("typesets");
    let (made, words) = (typeset(), words(typeset()));
    let mut compared = 0;
    for (number, entry) in trace.iter().enumerate() {
        let Some(printed) = entry.printed.as_deref().filter(|p| *p != "drawn") else { continue };
        // A word that runs on beyond the value is poppler's one word: only whole ones are compared.
        let own: Vec<&str> = printed.split_whitespace().collect();
        let found = under(&made, number as u32, &words);
        if found.split_whitespace().count() == own.len() {
            let bare = |text: &str| text.chars().filter(|c| c.is_alphanumeric()).collect::<String>();
            assert_eq!(bare(&found), bare(printed), "{number}");
            compared += 1;
        }
    }
    assert!(compared > 40, "only {compared} values were found on the pages");
    // Pictures and drawn symbols have a place as well.
    let drawn: Vec<u32> = trace.iter().enumerate().filter(|(_, t)| t.printed.as_deref() == Some("drawn")).map(|(n, _)| n as u32).collect();
    let sized = made.marks().into_iter().filter(|m| drawn.contains(&m.number) && m.height > 40.0).count();
    assert!(drawn.len() >= 2 && sized >= drawn.len(), "{sized} of {}", drawn.len());
}

#[test]
fn what_fails_stands_in_its_place_on_the_page() {
    let texts = [
        "Dear [: name],",
        "You owe [: balance as date] since [: ref].",
        "[:if ref > 3]",
        "Behind a condition.",
        "[:end]",
        "[:picture ref]",
    ];
    let body: String = texts.map(|text| format!("<w:p><w:r><w:t>{}</w:t></w:r></w:p>", text.replace('>', "&gt;"))).concat();
    let template = Template::open(crate::pages::docx(&body, &[])).expect("opens");
    assert_eq!(template.problems(), []);
    let json = serde_json::json!({ "name": "Ada", "balance": 12.5, "ref": "BQ-1" });
    let (sheet, ties, context) = (from_json("cases", &json).expect("a case"), Ties::default(), Context::new(Locale::english(), NOON));
    let TracedFill { filled, errors, trace } = template.fill_traced(&Scope::new(&sheet.records[0], &ties, &context), Means::default());
    assert_eq!(errors.len(), 3, "{errors:?}");
    let made = template.typeset(&filled, &Typesetter::default()).expect("typesets");
    let words = words(template.typeset(&filled, &Typesetter::default()).expect("typesets"));
    let marked: Vec<String> = (0..trace.len()).filter(|n| trace[*n].failed.is_some()).map(|n| under(&made, n as u32, &words)).collect();
    assert_eq!(marked, ["[: balance as date]", "[:if ref > 3]", "[:picture ref]"]);
    let all: Vec<&str> = words.iter().map(|(_, _, _, text)| text.as_str()).collect();
    assert!(all.join(" ").contains("Dear Ada, You owe [: balance as date] since BQ-1. [:if ref > 3] Behind a condition."), "{all:?}");
}

#[test]
fn the_templates_own_pages_show_every_placeholder_of_the_body() {
    let template = Template::open(demo("reminder.docx")).expect("opens");
    let (made, words) = (template.unfilled().expect("typesets"), words(template.unfilled().expect("typesets")));
    let mut seen = 0;
    for (number, placeholder) in template.placeholders().iter().enumerate() {
        assert!(made.marks().iter().any(|m| m.number == number as u32 && m.width > 5.0), "{} has no place", placeholder.text);
        // One that a word touches is a part of poppler's longer word.
        let found = under(&made, number as u32, &words);
        seen += usize::from(!found.is_empty());
        let bare = |text: &str| text.chars().filter(|c| c.is_alphanumeric()).collect::<String>();
        let is_there = bare(&found).contains(&bare(&placeholder.text)) || bare(&placeholder.text).contains(&bare(&found));
        assert!(is_there, "{}: {found}", placeholder.text);
    }
    assert!(seen * 10 > template.placeholders().len() * 8, "only {seen} were seen");
}

#[test]
fn two_texts_are_compared_line_by_line_as_they_read() {
    let template = Template::open(demo("refit-quote.docx")).expect("opens");
    let cases = cases();
    let lines = |context: &Context| {
        let filled = template.fill(&Scope::new(&cases.records[1], &Ties::default(), context)).expect("fills");
        template.pages(&filled).expect("reads").lines()
    };
    let english = lines(&Context::new(Locale::english(), NOON));
    insta::assert_snapshot!(english.join("\n"));
    let german = lines(&Context::new(Locale::parse("de-DE").expect("known"), NOON));
    let changes = compare(&english, &german);
    assert!(!changes.is_empty() && changes.len() < english.len(), "{} of {}", changes.len(), english.len());
    assert!(compare(&english, &english.clone()).is_empty());
}
