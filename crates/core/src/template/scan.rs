//! Joined text of a paragraph → its placeholders.

use std::ops::Range;

use crate::language::token::plain;

/// What was found in a paragraph's text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Found {
    /// A placeholder from `[:` to `]`.
    Placeholder(Range<usize>),
    /// `[[:`, which prints `[:`.
    Escaped(Range<usize>),
    /// A `[:` that is never closed, up to where it should have been.
    Unclosed(Range<usize>),
}

/// Finds placeholders, leftmost first.
pub(super) fn scan(text: &str) -> Vec<Found> {
    let mut found = Vec::new();
    let mut at = 0;
    while let Some(offset) = text[at..].find("[:") {
        let start = at + offset;
        if start > at && text[..start].ends_with('[') {
            found.push(Found::Escaped(start - 1..start + 2));
            at = start + 2;
            continue;
        }
        let item = close(text, start);
        at = match &item {
            Found::Placeholder(range) | Found::Escaped(range) | Found::Unclosed(range) => range.end,
        };
        found.push(item);
    }
    found
}

/// The end of the placeholder that begins at `start`: the first `]` outside
/// quotes; of a remark, the one where its brackets balance.
fn close(text: &str, start: usize) -> Found {
    let inner = start + 2;
    let remark = text[inner..].starts_with("--") || text[inner..].starts_with('—');
    let mut quote: Option<char> = None;
    let mut depth = 0;
    let mut before = ' ';
    for (offset, original) in text[inner..].char_indices() {
        let at = inner + offset;
        if original == '\n' {
            return Found::Unclosed(start..at);
        }
        let Some(c) = plain(original) else { continue };
        if remark {
            match c {
                '[' => depth += 1,
                ']' if depth == 0 => return Found::Placeholder(start..at + 1),
                ']' => depth -= 1,
                _ => {}
            }
            continue;
        }
        match (c, quote) {
            ('"' | '\'', Some(open)) if c == open => quote = None,
            ('"', None) => quote = Some('"'),
            // Within a word ' is an apostrophe.
            ('\'', None) if !before.is_alphanumeric() => quote = Some('\''),
            (']', None) => return Found::Placeholder(start..at + 1),
            ('[', None) if text[at..].starts_with("[:") => return Found::Unclosed(start..at),
            _ => {}
        }
        before = c;
    }
    Found::Unclosed(start..text.len())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn pieces(text: &str) -> Vec<String> {
        scan(text)
            .into_iter()
            .map(|f| match f {
                Found::Placeholder(r) => text[r].to_owned(),
                Found::Escaped(r) => format!("escaped {}", &text[r]),
                Found::Unclosed(r) => format!("unclosed {}", &text[r]),
            })
            .collect()
    }

    #[test]
    fn placeholders_end_at_the_first_bracket_outside_quotes() {
        assert_eq!(pieces("Dear [: name after \"]\"], berth [: berth]"), ["[: name after \"]\"]", "[: berth]"]);
        assert_eq!(pieces("[: owner's boat]!"), ["[: owner's boat]"]);
        assert_eq!(pieces("[: 'a]b']"), ["[: 'a]b']"]);
        assert_eq!(pieces("[:-- ask [Ida] first] x"), ["[:-- ask [Ida] first]"]);
    }

    #[test]
    fn one_that_is_never_closed_ends_where_the_next_begins() {
        assert_eq!(pieces("Dear [: name, [: boat]"), ["unclosed [: name, ", "[: boat]"]);
        assert_eq!(pieces("Dear [: name\nnext"), ["unclosed [: name"]);
        assert_eq!(pieces("[: name after \"x]"), ["unclosed [: name after \"x]"]);
    }

    #[test]
    fn a_doubled_bracket_prints_one() {
        assert_eq!(pieces("write [[: name] here"), ["escaped [[:"]);
    }
}
