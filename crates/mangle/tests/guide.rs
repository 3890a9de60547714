//! The examples of the guide do what it says.

use mangle_core::language::{Context, Scope, Ties};
use mangle_core::records::from_json;
use mangle_core::template::TextTemplate;
use mangle_core::value::Locale;

#[test]
fn every_example_of_a_placeholder_prints_what_the_guide_says() {
    let page = include_str!("../../../docs/guide/2-placeholders.md");
    let json = page.split("```json").nth(1).and_then(|rest| rest.split("```").next()).expect("a record");
    let sheet = from_json("guide", &serde_json::from_str(json).expect("JSON")).expect("a record");
    let context = Context::new(Locale::english(), "2026-11-23T09:00".parse().expect("a moment"));
    let ties = Ties::default();
    let mut tried = 0;
    for row in page.lines().filter(|line| line.starts_with("| `")) {
        let (written, wanted) = row.trim_start_matches("| `").trim_end_matches('|').split_once("` |").expect("two cells");
        let template = TextTemplate::new(written);
        assert!(template.problems().is_empty(), "{written}: {:?}", template.problems());
        let printed = template.fill(&Scope::new(&sheet.records[0], &ties, &context));
        assert_eq!(printed.as_deref().map(str::trim), Ok(wanted.trim()), "{written}");
        tried += 1;
    }
    assert!(tried > 20, "only {tried} examples were found");
}
