//! How messages read. Each is made at its source as "what is wrong; what to do", without
//! a capital and a full stop, so that it can stand within others; where it leaves the
//! program it becomes whole sentences here.

use serde::{Serialize, Serializer};

/// A number with its noun: `1 record`, `2 records`, `4,096 records`.
pub fn counted(number: usize, one: &str, many: &str) -> String {
    format!("{} {}", grouped(number), if number == 1 { one } else { many })
}

/// A number as en-GB writes it: `4,096`.
pub fn grouped(number: usize) -> String {
    let digits = number.to_string();
    let mut out = String::with_capacity(digits.len() + digits.len() / 3);
    for (at, digit) in digits.char_indices() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            out.push(',');
        }
        out.push(digit);
    }
    out
}

/// A message as whole sentences: a capital at the start of each, a full stop at its end.
/// Semicolons within quotes, brackets and code stay.
///
/// ```
/// use mangle_core::words::sentence;
/// assert_eq!(sentence("no column “du”; choose another"), "No column “du”. Choose another.");
/// assert_eq!(sentence("write `join(list; \", \")`"), "Write `join(list; \", \")`.");
/// ```
pub fn sentence(message: &str) -> String {
    let mut out = String::with_capacity(message.len() + 1);
    let mut rest = message.trim();
    while let Some(at) = parting(rest) {
        push(&mut out, &rest[..at]);
        rest = rest[at + 1..].trim_start();
    }
    push(&mut out, rest);
    // What stands within another message may have ended with a full stop of its own.
    let mut out = out.replace(".. ", ". ");
    if out.ends_with("..") {
        out.pop();
    }
    out
}

/// The first semicolon that parts two sentences.
fn parting(text: &str) -> Option<usize> {
    let mut depth = 0_i32;
    let (mut code, mut quoted) = (false, false);
    for (at, c) in text.char_indices() {
        match c {
            '`' => code = !code,
            _ if code => {}
            '"' => quoted = !quoted,
            '(' | '[' | '“' | '{' => depth += 1,
            ')' | ']' | '”' | '}' => depth = (depth - 1).max(0),
            ';' if depth == 0 && !quoted && text[at + 1..].starts_with(' ') => return Some(at),
            _ => {}
        }
    }
    None
}

fn push(out: &mut String, part: &str) {
    if part.is_empty() {
        return;
    }
    if !out.is_empty() {
        out.push(' ');
    }
    let first = part.split(|c: char| !c.is_alphanumeric() && c != '-').next().unwrap_or_default();
    let mut signs = part.chars();
    match signs.next() {
        // A sign of a pattern, as in “m means minutes”, is no word.
        Some(c) if c.is_lowercase() && (first.chars().count() > 1 || first == "a") => {
            out.extend(c.to_uppercase());
            out.push_str(signs.as_str());
        }
        _ => out.push_str(part),
    }
    if !part.ends_with(['.', '!', '?', '…', ':']) {
        out.push('.');
    }
}

/// Serialises a message as whole sentences.
pub fn as_sentence<S: Serializer>(message: &str, to: S) -> Result<S::Ok, S::Error> {
    to.serialize_str(&sentence(message))
}

/// Serialises a message that may be missing as whole sentences.
pub fn as_sentence_or_none<S: Serializer>(message: &Option<String>, to: S) -> Result<S::Ok, S::Error> {
    message.as_deref().map(sentence).serialize(to)
}

/// Serialises messages as whole sentences.
pub fn as_sentences<S: Serializer>(messages: &[String], to: S) -> Result<S::Ok, S::Error> {
    to.collect_seq(messages.iter().map(|message| sentence(message)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_grouped_and_nouns_inflected() {
        let of = |number| counted(number, "record", "records");
        assert_eq!(
            [of(0), of(1), of(2), of(999), of(4_096), of(1_234_567)].join(" "),
            "0 records 1 record 2 records 999 records 4,096 records 1,234,567 records"
        );
    }

    #[test]
    fn messages_become_sentences() {
        for (message, wanted) in [
            ("required", "Required."),
            ("the file is empty; choose another file", "The file is empty. Choose another file."),
            ("unknown name “balnce”; did you mean “balance”?", "Unknown name “balnce”. Did you mean “balance”?"),
            ("“a; b” is not a date. Use the format 2026-11-23.", "“a; b” is not a date. Use the format 2026-11-23."),
            ("write `status in (\"a\"; \"b\")`; text is not a condition", "Write `status in (\"a\"; \"b\")`. Text is not a condition."),
            ("m means minutes. For the month, use M.", "m means minutes. For the month, use M."),
            ("a date is blank", "A date is blank."),
            ("e-mail is blank", "E-mail is blank."),
            ("SUM takes a list", "SUM takes a list."),
            ("column Net failed: use SUM or join.. Correct its formula", "Column Net failed: use SUM or join. Correct its formula."),
            ("“../a.docx” is not a name..", "“../a.docx” is not a name."),
            ("  ", ""),
        ] {
            assert_eq!(sentence(message), wanted);
            assert_eq!(sentence(wanted), wanted, "a sentence stays one");
        }
    }
}
