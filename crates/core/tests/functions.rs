//! The functions against the answers of a calculator that no one here wrote: those that
//! `make compare-functions` has kept, an expression and its answer a line.

use std::collections::BTreeSet;
use std::sync::Arc;

use jiff::civil::DateTime;
use mangle_core::language::{self, Context, Scope, Ties};
use mangle_core::records::{Record, Schema};
use mangle_core::value::{Locale, Value};

/// What an expression gives, as the calculator writes it.
fn worked(text: &str, scope: &Scope<'_>) -> String {
    match language::value(text).ok().and_then(|expr| scope.value(&expr).ok()) {
        None => "error".to_owned(),
        Some(Value::Blank) => String::new(),
        Some(Value::Bool(yes)) => yes.to_string(),
        Some(Value::Number(number)) => number.to_string(),
        Some(Value::Text(text)) => text.to_string(),
        Some(other) => format!("{other:?}"),
    }
}

/// The calculator reckons in binary fractions.
fn same(ours: &str, theirs: &str) -> bool {
    let numbers = ours.parse::<f64>().ok().zip(theirs.parse::<f64>().ok());
    ours == theirs || numbers.is_some_and(|(a, b)| (a - b).abs() <= a.abs().max(b.abs()) * 1e-12)
}

#[test]
fn functions_give_what_an_independent_calculator_gives() {
    let record = Record::new(Arc::new(Schema::new(Vec::new()).expect("a schema")), Vec::new(), 1);
    let (ties, context) = (Ties::default(), Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 0, 0, 0, 0)));
    let scope = Scope::new(&record, &ties, &context);
    let (mut functions, mut differ) = (BTreeSet::new(), Vec::new());
    for line in include_str!("functions.jsonl").lines() {
        let (expression, theirs): (String, String) = serde_json::from_str(line).expect("an expression and its answer");
        functions.extend(expression.split('(').next().map(str::to_owned));
        let ours = worked(&expression, &scope);
        if !same(&ours, &theirs) {
            differ.push(format!("{expression}: {ours} here, {theirs} there"));
        }
    }
    assert!(functions.len() > 60, "{functions:?}");
    assert_eq!(differ, Vec::<String>::new());
}
