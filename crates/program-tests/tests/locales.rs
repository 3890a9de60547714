//! What is printed in many locales, beside what Babel makes of the same CLDR data.

use std::process::Command;

use mangle_program_tests::{binary, tool};
use serde_json::Value;

/// Writes for each locale what each expression is to print: a line each.
const BABEL: &str = r##"
import datetime, json, sys
from babel.dates import format_date
from babel.numbers import format_currency, format_decimal
day = datetime.date(2026, 9, 3)
for tag in sys.argv[1].split():
    l = tag.replace("-", "_")
    wanted = [["12345.5 as number \"#,##0.00\"", format_decimal(12345.5, "#,##0.00", locale=l)]]
    for code in "EUR USD GBP CHF JPY CAD".split():
        for amount in (12345.5, -12345.5):
            wanted.append([f'{amount} as money "{code}"', format_currency(amount, code, locale=l)])
    for length in ("short", "medium", "long", "full"):
        wanted.append([f"date(2026; 9; 3) as date {length}", format_date(day, length, locale=l)])
    for pattern in ("d MMMM y", "EEEE d MMM", "dd.MM.yyyy"):
        wanted.append([f'date(2026; 9; 3) as date "{pattern}"', format_date(day, pattern, locale=l)])
    for expression, text in wanted:
        print(json.dumps([tag, expression, text]))
"##;

const LOCALES: &str = "en-GB en-US en-IE en-AU en-CA en-NL de-DE de-AT de-CH fr-FR fr-BE fr-CH fr-CA nl-NL nl-BE it-IT es-ES es-MX pt-BR pt-PT pl-PL cs-CZ sk-SK hu-HU ro-RO sv-SE da-DK nb-NO fi-FI is-IS et-EE lv-LV lt-LT el-GR tr-TR uk-UA ja-JP";

/// Spaces and minus signs of any kind, and signs that say how letters run, count alike.
fn plain(text: &str) -> String {
    text.chars()
        .filter(|c| !matches!(c, '\u{200e}' | '\u{200f}'))
        .map(|c| {
            if c.is_whitespace() {
                ' '
            } else if c == '−' {
                '-'
            } else {
                c
            }
        })
        .collect()
}

#[test]
fn values_print_in_many_locales_as_cldr_says() {
    let python = std::env::var("MANGLE_PYTHON").expect("run this through `make test`, which sets MANGLE_PYTHON");
    let wanted: Vec<[String; 3]> =
        tool(&python, &["-c", BABEL, LOCALES]).lines().map(|line| serde_json::from_str(line).expect("what Babel says")).collect();
    let folder = tempfile::tempdir().expect("a folder");
    let file = folder.path().join("expressions");
    let (mut same, mut differ) = (0, Vec::new());
    for tag in LOCALES.split(' ') {
        let own: Vec<&[String; 3]> = wanted.iter().filter(|w| w[0] == tag).collect();
        std::fs::write(&file, own.iter().map(|w| format!("{}\n", w[1])).collect::<String>()).expect("written");
        let output = Command::new(binary()).args(["eval", "--locale", tag, "--batch"]).arg(&file).output().expect("the program runs");
        let text = String::from_utf8(output.stdout).expect("UTF-8");
        assert_eq!(text.lines().count(), own.len(), "{tag}: {}", String::from_utf8_lossy(&output.stderr));
        for (line, [_, expression, expected]) in text.lines().zip(own) {
            let found: Value = serde_json::from_str(line).expect("a line of JSON");
            let found = plain(found["text"].as_str().unwrap_or(line));
            let expected = if expression.contains("as money") { spaced(&plain(expected)) } else { plain(expected) };
            match found == expected {
                true => same += 1,
                false => differ.push(format!("{tag}: {expression} gives {found}, not {expected}")),
            }
        }
    }
    differ.retain(|one| !KNOWN.iter().any(|(start, _)| one.starts_with(start)));
    assert!(differ.is_empty(), "{}", differ.join("\n"));
    assert!(same > 700, "{same} alike");
}

/// Letters of a currency don't touch digits (UTS #35 part 3, `currencySpacing`), which
/// Babel leaves out.
fn spaced(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        let before = out.chars().last();
        if before.is_some_and(|b| b.is_alphabetic() && c.is_ascii_digit() || b.is_ascii_digit() && c.is_alphabetic()) {
            out.push(' ');
        }
        out.push(c);
    }
    out
}

/// Where the two have other editions of CLDR.
const KNOWN: [(&str, &str); 1] = [("de-AT: 12345.5 as number", "the sign between thousands is another in another edition")];
