//! The placeholder language over a berth holder's record, sentence by sentence.

use std::sync::Arc;

use jiff::civil::{Date, DateTime};
use mangle_core::language::{Context, Office, Scope, Ties};
use mangle_core::records::{Cell, Column, ColumnType, Filter, RawSheet, Record, Schema, Sheet};
use mangle_core::template::TextTemplate;
use mangle_core::value::{Currency, Locale, Money, Value};

fn holder() -> Record {
    let euro = |text: &str| Value::Money(Money { amount: text.parse().expect("amount"), currency: Currency::EUR });
    let fields = [
        ("Ref", ColumnType::Text, Value::text("BQ-0031")),
        ("First name", ColumnType::Text, Value::Blank),
        ("Last name", ColumnType::Text, Value::text("Quayle")),
        ("Boat name", ColumnType::Text, Value::text("Second Thoughts")),
        ("after hours fee", ColumnType::Number, Value::Number(12.into())),
        ("check in date", ColumnType::Date, Value::Date(Date::constant(2026, 12, 1))),
        ("terms and conditions", ColumnType::Text, Value::text("read")),
        ("e-mail", ColumnType::Email, Value::text("office@quayle-marine.example")),
        ("end", ColumnType::Text, Value::text("the end")),
        ("today", ColumnType::Text, Value::text("a field")),
        ("net", ColumnType::Money(Currency::EUR), euro("48112.50")),
        ("rate", ColumnType::Number, Value::Number("0.19".parse().expect("rate"))),
        ("zero", ColumnType::Number, Value::Number(0.into())),
        ("liveaboard", ColumnType::YesNo, Value::Bool(true)),
        ("due", ColumnType::Date, Value::Blank),
    ];
    let schema = Schema::new(fields.iter().map(|(n, k, _)| Column::new(n, *k)).collect()).expect("schema");
    Record::new(Arc::new(schema), fields.into_iter().map(|(_, _, v)| v).collect(), 31)
}

fn context() -> Context {
    let mut context = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 42, 0, 0));
    context.office = Office { name: "Brackwater Quay".into(), email: "office@brackwater-quay.example".into(), ..Office::default() };
    context.dispatch = "Balance reminders".into();
    (context.run_number, context.run_count) = (3, 44);
    context
}

/// Fills a text; a problem or error is told instead.
fn fill(text: &str) -> String {
    let template = TextTemplate::new(text);
    if let Some(problem) = template.problems().first() {
        return format!("problem: {}", problem);
    }
    let (record, ties, context) = (holder(), Ties::default(), context());
    template.fill(&Scope::new(&record, &ties, &context)).unwrap_or_else(|e| format!("error: {}", e.error))
}

#[test]
fn values_print_and_names_need_no_quotes() {
    for (text, printed) in [
        ("[: last name]", "Quayle"),
        ("[: LAST_NAME] and [: last-name]", "Quayle and Quayle"),
        ("[: after hours fee]", "12"),
        ("[: check in date as date long]", "1 December 2026"),
        ("[: 'terms and conditions']", "read"),
        ("[: e-mail]", "office@quayle-marine.example"),
        ("[: end]", "the end"),
        ("[[: last name]", "[: last name]"),
        ("[:-- never [printed] at all]x", "x"),
    ] {
        assert_eq!(fill(text), printed, "{text}");
    }
}

#[test]
fn fallbacks_and_what_stands_round_a_value() {
    for (text, printed) in [
        ("[: first name else last name]", "Quayle"),
        ("[: first name else due else \"nobody\"]", "nobody"),
        ("Dear [: first name after \" \"][: last name],", "Dear Quayle,"),
        ("[: boat name before \"on \" after \"!\"]", "on Second Thoughts!"),
        ("[: due else zero]", "0"),
        ("[: first name as upper else last name as upper]", "QUAYLE"),
    ] {
        assert_eq!(fill(text), printed, "{text}");
    }
}

#[test]
fn formats_follow_the_locale_of_the_placeholder() {
    for (text, printed) in [
        ("[: net]", "€48,112.50"),
        ("[: net as money in \"de-DE\"]", "48.112,50\u{a0}€"),
        ("[: net as number \"0.0\"]", "48112.5"),
        ("[: rate as percent]", "19%"),
        ("[: rate as percent in \"fr-FR\"]", "19\u{a0}%"),
        ("[: check in date in \"nl-NL\"]", "1 dec 2026"),
        ("[: check in date as date \"EEEE d.M.yy\" in \"de-DE\"]", "Dienstag 1.12.26"),
        ("[: liveaboard in \"de-DE\"]", "ja"),
        ("[: liveaboard as yes/no \"aboard;ashore\"]", "aboard"),
        ("[: boat name as lower]", "second thoughts"),
    ] {
        assert_eq!(fill(text), printed, "{text}");
    }
}

#[test]
fn passages_choose_one_text() {
    for (text, printed) in [
        ("[:if net > 1000]large[:else if net > 0]small[:else]none[:end]", "large"),
        ("[:if zero]yes[:else]no[:end]", "no"),
        ("[:if first name]named[:else]unnamed[:end if]", "unnamed"),
        ("[:if last name is not blank and not (net < 1)]both[:end]", "both"),
        ("a[:if due > today] b[:end] c", "a c"),
        ("one\n[:if liveaboard]\ntwo\n[:end]\nthree", "one\ntwo\nthree"),
        ("one\n[: first name]\ntwo", "one\ntwo"),
    ] {
        assert_eq!(fill(text), printed, "{text}");
    }
}

#[test]
fn fields_come_before_what_the_language_gives_itself() {
    assert_eq!(fill("[: today]"), "a field");
    assert_eq!(fill("[: now as date \"yyyy\"]"), "2026");
    assert_eq!(
        fill("[: run.number] of [: run.count] for [: office.name], [: dispatch.name]"),
        "3 of 44 for Brackwater Quay, Balance reminders"
    );
}

#[test]
fn typographic_signs_do_not_break_a_placeholder() {
    assert_eq!(fill("[: first name else “nobody”]"), "nobody");
    assert_eq!(fill("[: net − 112.5]"), "€48,000.00");
    assert_eq!(fill("[: ‘terms and conditions’]"), "read");
    assert_eq!(fill("[: last\u{a0}name]"), "Quayle");
}

#[test]
fn calculations_are_exact_and_keep_their_currency() {
    for (text, printed) in [
        ("[: round(net * rate; 2)]", "€9,141.38"),
        ("[: net * (1 + rate)]", "€57,253.88"),
        ("[: 0.1 + 0.2]", "0.3"),
        ("[: 1 / 3]", "0.3333333333"),
        ("[: net / net]", "1"),
        ("[: \"12\" + 1]", "13"),
        ("[: -2^2] [: 2^3^2]", "4 64"),
        ("[: max(net; 1) - min(net; 1)]", "€48,111.50"),
        ("[: 20% * 50]", "10"),
    ] {
        assert_eq!(fill(text), printed, "{text}");
    }
}

#[test]
fn what_can_not_be_worked_out_is_said() {
    for (text, said) in [
        ("[: last name + 1]", "error: expected a number, but got text: Quayle"),
        ("[: net * net]", "error: an amount and an amount can't be multiplied"),
        ("[: 1 / zero]", "error: division by zero"),
        ("[: lastname2]", "error: unknown name “lastname2”; did you mean “Last name”?"),
        ("[: find(\"z\"; last name)]", "error: FIND failed: “z” not found in “Quayle”"),
        (
            "[: net as money \"GBP\"]",
            "error: this amount is in EUR, and the placeholder prints GBP; Mangle does not convert currencies: set the column's currency to GBP, or print it in EUR",
        ),
        ("[: last name as date]", "error: expected a date, but got text: Quayle"),
    ] {
        assert_eq!(fill(text), said, "{text}");
    }
}

#[test]
fn problems_are_found_before_any_record() {
    for (text, said) in [
        ("[: roud(net; 2)]", "problem: unknown function “roud”; did you mean “ROUND”?"),
        ("[: net", "problem: “[: net” is not closed. Add “]”."),
        ("x[:end]", "problem: `end` without `if` or `repeat`. Remove it or add the missing start."),
        ("[: 2026-02-30]", "problem: 2026-02-30 is not a valid date"),
        ("[: net as monney]", "error: unknown name “net as monney”; did you mean “net”?"),
        ("[:if]x[:end]", "problem: expected a name, a number or a text in double quotes, found the end of the placeholder"),
    ] {
        assert_eq!(fill(text), said, "{text}");
    }
}

#[test]
fn filters_choose_records_and_refuse_unknown_columns() {
    let raw = RawSheet {
        name: "Holders".into(),
        header: vec!["Ref".into(), "Days overdue".into()],
        rows: [("BQ-1", "12"), ("BQ-2", "45"), ("BQ-3", "")]
            .map(|(r, d)| vec![Cell::Text(r.into()), if d.is_empty() { Cell::Blank } else { Cell::Text(d.into()) }])
            .to_vec(),
        ..RawSheet::default()
    };
    let sheet = Sheet::recognise(&raw).expect("recognised");
    let chosen = |text: &str| -> Vec<usize> {
        let filter = Filter::read(text, &sheet.schema).expect("a filter");
        sheet.records.iter().filter(|r| filter.passes(r, &context()).unwrap_or(false)).map(|r| r.number).collect()
    };
    assert_eq!(chosen("days overdue > 30"), [2]);
    assert_eq!(chosen("days overdue is blank or days overdue < 30"), [1, 3]);
    assert_eq!(chosen("ref ends with \"3\""), [3]);
    let refused = Filter::read("days overdu > 30", &sheet.schema).expect_err("unknown");
    assert_eq!(refused.to_string(), "no column “days overdu”; did you mean “Days overdue”?");
}
