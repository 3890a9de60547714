//! Hostile and senseless input: no panic, no hang, no memory without bound. Each
//! law runs for a moment here; with `MANGLE_LONG=60` each runs for so many seconds.

use std::time::{Duration, Instant};

use jiff::civil::DateTime;
use mangle_core::language::{Context, Scope, Ties, check, check_text, complete, function, kind_with_errors, value_with_errors};
use mangle_core::records::{Sheet, from_json};
use mangle_core::template::TextTemplate;
use mangle_core::value::Locale;
use proptest::prelude::*;
use proptest::test_runner::{Config, RngAlgorithm, TestRng, TestRunner};

const NOW: DateTime = DateTime::constant(2026, 11, 23, 9, 42, 0, 0);
/// The most memory that a run of these tests may take.
const MOST_MEMORY: u64 = 1 << 30;

fn case() -> Sheet {
    let json = serde_json::json!({
        "Ref": "BQ-0031", "Balance": 1234.5, "Due": "2026-09-30", "Liveaboard": true, "Blank": null, "Huge": 7.9e27, "Tiny": 1e-28,
        "Owner": { "Last name": "Quayle" }, "Tags": ["keel", "rig"], "Lines": [{ "Qty": 2, "Price": 0.35 }, { "Qty": -1, "Price": 1e20 }],
    });
    from_json("cases", &json).expect("a case")
}

/// How many values a law is tried with.
const CASES: u32 = 400;

/// Runs a law over values of a strategy; with `MANGLE_LONG`, for so many seconds.
fn for_a_while<S: Strategy>(strategy: S, law: impl Fn(S::Value)) {
    let seconds = std::env::var("MANGLE_LONG").ok().and_then(|s| s.parse().ok());
    let until = seconds.map(|s| Instant::now() + Duration::from_secs(s));
    let config = Config { cases: CASES, failure_persistence: None, ..Config::default() };
    let mut runner = match seconds {
        Some(_) => TestRunner::new(config),
        None => TestRunner::new_with_rng(config, TestRng::deterministic_rng(RngAlgorithm::ChaCha)),
    };
    // As many cases as there are on any machine; what fails is made as small as it goes.
    loop {
        let done = runner.run(&strategy, |value| {
            let started = Instant::now();
            law(value);
            prop_assert!(started.elapsed() < Duration::from_secs(5), "one input took {:?}", started.elapsed());
            Ok(())
        });
        if let Err(error) = done {
            panic!("{error}");
        }
        if until.is_none_or(|until| Instant::now() >= until) {
            break;
        }
    }
    assert!(memory() < MOST_MEMORY, "{} bytes of memory", memory());
}

/// The most memory that this process held so far, in bytes.
fn memory() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find(|l| l.starts_with("VmHWM")).and_then(|l| l.split_whitespace().nth(1)?.parse::<u64>().ok());
    line.unwrap_or(0) * 1024
}

/// Pieces that placeholders are made of, and some that they are not.
const PIECES: [&str; 76] = [
    "[:",
    "[: ",
    "]",
    "[[:",
    "[:if ",
    "[:else]",
    "[:else if ",
    "[:end]",
    "[:end if]",
    "[:repeat for ",
    "[:repeat 2 rows for ",
    "[:keep row if ",
    "[:keep para else]",
    "[:set x = ",
    "[:clause \"a\" with ",
    "[:picture ",
    "[:barcode qr of ",
    "[:signer holder signature]",
    "[:page break]",
    "[:-- ",
    "balance",
    "due",
    "lines",
    "tags",
    "owner",
    "last name",
    "blank",
    "huge",
    "tiny",
    "turn.number",
    "outer.",
    "group",
    "today",
    "(",
    ")",
    ".(",
    ";",
    ",",
    "+",
    "-",
    "*",
    "/",
    "^",
    "%",
    "&",
    "=",
    "<>",
    "<=",
    " and ",
    " or ",
    " not ",
    " else ",
    " where ",
    " sort by ",
    " group by ",
    " first ",
    " is blank",
    " as date \"",
    " as money \"EUR\"",
    " as number \"#,##0.00\"",
    " in \"de-DE\"",
    " after \"",
    " before \"",
    "\"",
    "'",
    "1",
    "0.1",
    "99999999999999999999999999999",
    "2026-02-30",
    "2026-11-23T09:42",
    " ",
    "\n",
    "\u{ad}",
    "“",
    "é",
    "\u{202e}",
];

fn senseless(most: usize) -> impl Strategy<Value = String> {
    let piece = prop_oneof![6 => proptest::sample::select(&PIECES[..]).prop_map(str::to_owned), 1 => any::<char>().prop_map(String::from)];
    proptest::collection::vec(piece, 0..most).prop_map(|pieces| pieces.concat())
}

#[test]
fn any_text_is_read_checked_and_completed() {
    let sheet = case();
    for_a_while(senseless(40), |text| {
        let _ = (kind_with_errors(&text), value_with_errors(&text));
        for mark in check(&text, Some(&sheet.schema)).into_iter().chain(check_text(&text, Some(&sheet.schema))) {
            let span = mark.span.expect("a mark is somewhere");
            assert!(text.is_char_boundary(span.start.min(text.len())) && span.start <= span.end, "{text:?} {mark:?}");
        }
        let at = text.char_indices().nth(text.chars().count() / 2).map_or(0, |(at, _)| at);
        let (span, _) = complete(&text, at, &sheet.schema);
        assert!(text.get(span.start..span.end).is_some(), "{text:?} {span:?}");
    });
}

#[test]
fn any_text_is_filled_or_refused() {
    let (sheet, ties, context) = (case(), Ties::default(), Context::new(Locale::english(), NOW));
    for_a_while(senseless(30), |text| {
        let template = TextTemplate::new(&text);
        if template.problems().is_empty()
            && let Ok(out) = template.fill(&Scope::new(&sheet.records[0], &ties, &context))
        {
            assert!(out.len() < 64 << 20, "{text:?}");
        }
    });
}

/// Arguments that functions are given: of all types, of all sizes.
const ARGUMENTS: [&str; 30] = [
    "0",
    "1",
    "-1",
    "2.5",
    "-0.0000000000000000000000000001",
    "79228162514264337593543950335",
    "-79228162514264337593543950335",
    "1e15",
    "12",
    "400",
    "true",
    "false",
    "\"\"",
    "\"a\"",
    "\"Grace\"",
    "\"ä b  c\"",
    "\"1234567890123\"",
    "\"d\"",
    "\"m\"",
    "\"0.00\"",
    "2026-02-28",
    "0001-01-01",
    "9999-12-31",
    "2026-11-23T23:59",
    "blank",
    "tags",
    "lines.qty",
    "none",
    "huge",
    "tiny",
];

#[test]
fn any_function_takes_any_arguments() {
    let (sheet, ties, context) = (case(), Ties::default(), Context::new(Locale::english(), NOW));
    let names: Vec<&'static str> = function::all().map(|f| f.name).collect();
    let call = (proptest::sample::select(names), proptest::collection::vec(proptest::sample::select(&ARGUMENTS[..]), 0..6));
    for_a_while(call, |(name, arguments)| {
        let text = format!("{name}({})", arguments.join("; "));
        if let (Some(expr), _) = value_with_errors(&text) {
            let scope = Scope::new(&sheet.records[0], &ties, &context);
            let _ = scope.value(&expr);
            let _ = scope.print(&expr);
        }
    });
}

#[test]
fn any_arithmetic_ends_in_a_value_or_an_error() {
    let (sheet, ties, context) = (case(), Ties::default(), Context::new(Locale::english(), NOW));
    let operand = proptest::sample::select(&ARGUMENTS[..]);
    let operator = proptest::sample::select(&["+", "-", "*", "/", "^", "&", "=", "<", ">="][..]);
    for_a_while((operand.clone(), proptest::collection::vec((operator, operand), 0..6)), |(first, rest)| {
        let text = rest.iter().fold(first.to_owned(), |text, (operator, operand)| format!("{text} {operator} {operand}"));
        if let (Some(expr), _) = value_with_errors(&text) {
            let _ = Scope::new(&sheet.records[0], &ties, &context).print(&expr);
        }
    });
}

#[test]
fn lists_within_lists_come_to_an_end() {
    let all: Vec<String> = (0..2_000).map(|n| format!("{{\"n\":{n}}}")).collect();
    let json = serde_json::from_str(&format!("[{{\"ref\":\"B1\",\"all\":[{}]}}]", all.join(","))).expect("JSON");
    let sheet = mangle_core::records::from_json("boats", &json).expect("a sheet");
    let context = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 42, 0, 0));
    let ties = Ties::default();
    let filled = |text: &str| {
        let filled = TextTemplate::new(text).fill(&Scope::new(&sheet.records[0], &ties, &context));
        filled.map_err(|error| error.error.fault.code().to_owned())
    };
    assert_eq!(filled("[: sum(all.n)]"), Ok("1999000".to_owned()));
    // Two thousand times two thousand may be worked out; once more it would take hours.
    assert_eq!(filled("[: sum(all.(sum(all.(1))))]"), Ok("4000000".to_owned()));
    assert_eq!(filled("[: sum(all.(sum(all.(sum(all.(1))))))]"), Err("too-much".to_owned()));
    assert_eq!(filled("[: count(all.(all.(all.(1))))]"), Err("too-much".to_owned()));
    // The next record has its own.
    assert_eq!(filled("[: ref]"), Ok("B1".to_owned()));
}
