use super::*;
use std::sync::Arc;

use jiff::civil::{Date, DateTime};

use crate::language::{Context, Ties};
use crate::records::{Column, ColumnType, Record, Schema};
use crate::value::{Currency, Locale};
use proptest::prelude::*;

fn number(text: &str) -> Value {
    Value::Number(text.parse().expect("a number"))
}

/// A berth holder of the demo world.
fn holder() -> Record {
    let euro = |text: &str| Value::Money(Money { amount: text.parse().expect("amount"), currency: Currency::EUR });
    let fields: Vec<(&str, ColumnType, Value)> = vec![
        ("Last_Name", ColumnType::Text, Value::text("van der Zwaluw")),
        ("First name", ColumnType::Text, Value::text("Marijke")),
        ("Mobile", ColumnType::Text, Value::Blank),
        ("Home phone", ColumnType::Text, Value::text("020 7946 0614")),
        ("BALANCE", ColumnType::Money(Currency::EUR), euro("1234.50")),
        ("Deposit", ColumnType::Money(Currency::GBP), Value::Money(Money { amount: 100.into(), currency: Currency::GBP })),
        ("Due date", ColumnType::Date, Value::Date(Date::constant(2026, 9, 30))),
        ("Insurance until", ColumnType::Date, Value::Blank),
        ("LOA", ColumnType::Number, number("11.4")),
        ("Liveaboard", ColumnType::YesNo, Value::Bool(false)),
        (
            "Since",
            ColumnType::Date,
            Value::Misfit(Arc::new(crate::value::Misfit {
                column: "Since".into(),
                text: "31.02.2019".into(),
                kind: crate::records::ColumnType::Date,
                why: None,
            })),
        ),
    ];
    let schema = Schema::new(fields.iter().map(|(name, kind, _)| Column::new(name, *kind)).collect()).expect("schema");
    Record::new(Arc::new(schema), fields.into_iter().map(|(_, _, v)| v).collect(), 1)
}

pub fn print(text: &str) -> String {
    let context = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 42, 0, 0));
    let (record, ties) = (holder(), Ties::new([("due", "Due date")]));
    let scope = Scope::new(&record, &ties, &context);
    match super::super::value(text) {
        Err(error) => format!("problem: {error}"),
        Ok(expr) => match scope.print(&expr) {
            Ok(text) => text.unwrap_or_default(),
            Err(error) => format!("error: {error}"),
        },
    }
}

#[test]
fn a_blank_mobile_falls_back_to_the_home_phone() {
    assert_eq!(print("mobile else home phone else \"no number on file\""), "020 7946 0614");
    assert_eq!(print("mobile else \"no number on file\""), "no number on file");
}

#[test]
fn text_beside_a_blank_stays_away() {
    assert_eq!(print("mobile after \" \""), "");
    assert_eq!(print("first name after \" \" before \"Dear \""), "Dear Marijke ");
}

#[test]
fn money_and_dates_read_as_the_recipient_expects() {
    assert_eq!(print("balance"), "€1,234.50");
    assert_eq!(print("balance in \"nl-NL\""), "€\u{a0}1.234,50");
    assert_eq!(print("due as date long"), "30 September 2026");
    assert_eq!(print("due as date \"d.M.yy\""), "30.9.26");
    assert_eq!(print("liveaboard"), "no");
}

#[test]
fn ties_lead_to_the_column() {
    assert_eq!(print("due"), "30 Sept 2026");
    assert_eq!(print("dew"), "error: unknown name “dew”");
    assert_eq!(print("balanse"), "error: unknown name “balanse”; did you mean “BALANCE”?");
}

#[test]
fn days_overdue() {
    assert_eq!(print("today - due"), "54");
    assert_eq!(print("due + 14"), "14 Oct 2026");
    assert_eq!(print("days(today; insurance until)"), "");
    assert_eq!(print("insurance until + 14"), "");
    assert_eq!(print("if(insurance until < today; \"over\"; \"fine\")"), "fine");
}

#[test]
fn decimals_are_exact_and_money_keeps_its_currency() {
    assert_eq!(print("0.1 + 0.2 = 0.3"), "yes");
    assert_eq!(print("balance * 10%"), "€123.45");
    assert_eq!(print("balance - 1000"), "€234.50");
    assert_eq!(print("balance + deposit"), "error: EUR and GBP are different currencies and can't be added");
    assert_eq!(print("balance / balance"), "1");
    assert_eq!(print("1 / 0"), "error: division by zero");
    assert_eq!(print("2^0.5 * 0 + 2^3^2"), "64");
}

#[test]
fn comparisons_of_like_and_unlike_types() {
    assert_eq!(print("last name = \"VAN DER ZWALUW\""), "yes");
    assert_eq!(print("\"Straße\" = \"STRASSE\""), "yes");
    assert_eq!(print("\"Café\" = \"Cafe\""), "no");
    assert_eq!(print("balance > 1000 and loa < 12"), "yes");
    assert_eq!(print("liveaboard = \"no\""), "no");
    assert_eq!(print("last name < 3"), "error: text and a number can't be compared");
    assert_eq!(print("due > \"2026-09-01\""), "yes");
    assert_eq!(print("last name contains \"der\" and last name ends with \"uw\""), "yes");
    assert_eq!(print("loa in (11.4; 12)"), "yes");
}

#[test]
fn a_cell_that_does_not_fit_is_an_error_where_it_is_used() {
    assert_eq!(print("since"), "error: “31.02.2019” in column Since is not a valid date. Correct the cell or change the column type.");
    assert_eq!(print("since is blank"), "no");
    assert_eq!(print("iferror(since; \"unknown\")"), "unknown");
    assert_eq!(print("mobile else since"), print("since"));
}

#[test]
fn texts_that_write_numbers_count_as_numbers() {
    assert_eq!(print("\"12\" + 1"), "13");
    assert!(print("\"a\" + 1").starts_with("error: expected a number"));
}

#[test]
fn what_the_language_gives_itself() {
    assert_eq!(print("today as date long"), "23 November 2026");
    assert_eq!(print("run.number & \" of \" & run.count"), "1 of 1");
    assert!(print("'today'").starts_with("error: unknown name"));
}

proptest! {
    #[test]
    fn reading_any_text_ends_in_a_value_or_an_error(text in "\\PC{0,60}") {
        let _ = print(&text);
    }

    #[test]
    fn sums_of_cents_are_exact(a in -9_999_999i64..9_999_999, b in -9_999_999i64..9_999_999) {
        let expression = format!("{}.{:02} + {}.{:02}", a.abs() / 100, a.abs() % 100, b.abs() / 100, b.abs() % 100);
        let sum = Decimal::new(a.abs() + b.abs(), 2).normalize();
        prop_assert_eq!(print(&expression), sum.to_string());
    }
}

#[test]
fn what_would_use_up_the_machine_is_an_error() {
    let long = "the text would be longer than 1,000,000 bytes. Use fewer or shorter values.";
    for text in [
        "REPT(\"x\"; 1000001)",
        "SUBSTITUTE(REPT(\"a\"; 1000000); \"a\"; REPT(\"b\"; 1000000))",
        "REPT(\"x\"; 900000) & REPT(\"x\"; 900000)",
        "TEXTJOIN(REPT(\"-\"; 900000); true; \"a\"; \"b\"; \"c\")",
        "CONCATENATE(REPT(\"x\"; 900000); REPT(\"x\"; 900000))",
        "REPLACE(REPT(\"x\"; 900000); 1; 0; REPT(\"x\"; 900000))",
    ] {
        assert!(print(text).contains(long), "{text}: {:.120}", print(text));
    }
    // Up to there all is well.
    assert_eq!(print("LEN(REPT(\"x\"; 500000) & REPT(\"x\"; 500000))"), "1000000");
    assert_eq!(print("LEN(SUBSTITUTE(REPT(\"ab\"; 250000); \"a\"; \"aaa\"))"), "1000000");
}
