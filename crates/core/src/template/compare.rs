//! What changed between two texts, by lines and within them by words.

use serde::Serialize;
use similar::{Algorithm, ChangeTag, DiffOp, TextDiff, capture_diff_slices};

/// A line that is not the same any more.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Change {
    /// Its line in the newer text, from 1; where one is gone, the line it stood before.
    pub line: usize,
    /// Its pieces in order.
    pub pieces: Vec<Piece>,
}

/// A stretch of a changed line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Piece {
    /// Whether it is in both, only in the older, or only in the newer text.
    pub state: State,
    /// The stretch.
    pub text: String,
}

/// Where a stretch of text is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum State {
    /// In both texts.
    Same,
    /// Only in the older.
    Gone,
    /// Only in the newer.
    New,
}

/// The lines that changed from one text to the next.
pub fn compare(old: &[String], new: &[String]) -> Vec<Change> {
    let mut changes = Vec::new();
    for op in capture_diff_slices(Algorithm::Myers, old, new) {
        let (gone, came) = (&old[op.old_range()], &new[op.new_range()]);
        if matches!(op, DiffOp::Equal { .. }) {
            continue;
        }
        for at in 0..gone.len().max(came.len()) {
            let pieces = match (gone.get(at), came.get(at)) {
                (Some(old), Some(new)) => words(old, new),
                (Some(old), None) => vec![Piece { state: State::Gone, text: old.clone() }],
                (None, Some(new)) => vec![Piece { state: State::New, text: new.clone() }],
                (None, None) => continue,
            };
            changes.push(Change { line: op.new_range().start + at.min(came.len()) + 1, pieces });
        }
    }
    changes
}

/// What changed within a line, by words. Words that changed side by side are one
/// stretch: only spaces between them stayed.
fn words(old: &str, new: &str) -> Vec<Piece> {
    let diff = TextDiff::from_unicode_words(old, new);
    let mut pieces: Vec<Piece> = Vec::new();
    let (mut gone, mut came, mut spaces) = (String::new(), String::new(), String::new());
    for change in diff.iter_all_changes() {
        let text = change.value();
        let changing = !gone.is_empty() || !came.is_empty();
        if change.tag() == ChangeTag::Equal && changing && text.chars().all(char::is_whitespace) {
            spaces.push_str(text);
            continue;
        }
        if change.tag() == ChangeTag::Equal {
            flush(&mut pieces, &mut gone, &mut came);
            same(&mut pieces, &std::mem::take(&mut spaces));
            same(&mut pieces, text);
            continue;
        }
        for side in [&mut gone, &mut came] {
            side.push_str(&spaces);
        }
        spaces.clear();
        if change.tag() == ChangeTag::Delete { &mut gone } else { &mut came }.push_str(text);
    }
    flush(&mut pieces, &mut gone, &mut came);
    same(&mut pieces, &spaces);
    pieces
}

fn flush(pieces: &mut Vec<Piece>, gone: &mut String, came: &mut String) {
    for (state, text) in [(State::Gone, gone), (State::New, came)] {
        if !text.is_empty() {
            pieces.push(Piece { state, text: std::mem::take(text) });
        }
    }
}

fn same(pieces: &mut Vec<Piece>, text: &str) {
    match pieces.last_mut() {
        Some(last) if last.state == State::Same => last.text.push_str(text),
        _ if text.is_empty() => {}
        _ => pieces.push(Piece { state: State::Same, text: text.to_owned() }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn changes(old: &str, new: &str) -> Vec<String> {
        let lines = |text: &str| text.lines().map(str::to_owned).collect::<Vec<_>>();
        let piece = |p: &Piece| match p.state {
            State::Same => p.text.clone(),
            State::Gone => format!("{{-{}-}}", p.text),
            State::New => format!("{{+{}+}}", p.text),
        };
        let told = |c: &Change| format!("{}: {}", c.line, c.pieces.iter().map(piece).collect::<String>());
        compare(&lines(old), &lines(new)).iter().map(told).collect()
    }

    #[test]
    fn a_changed_word_is_marked_within_its_line() {
        assert_eq!(
            changes("Dear Ms Quayle\nThe balance is due.", "Dear Ms Quayle\nThe deposit is due."),
            ["2: The {-balance-}{+deposit+} is due."]
        );
        assert!(changes("a\nb", "a\nb").is_empty());
    }

    #[test]
    fn words_that_changed_side_by_side_are_one_stretch() {
        assert_eq!(
            changes("thank you for asking. The price", "we were glad to be asked. The price"),
            ["1: {-thank you for asking-}{+we were glad to be asked+}. The price"]
        );
    }

    #[test]
    fn lines_that_came_and_went_stand_whole() {
        assert_eq!(changes("one\ntwo", "one\nhalf\ntwo"), ["2: {+half+}"]);
        assert_eq!(changes("one\ntwo\nthree", "one\nthree"), ["2: {-two-}"]);
    }

    proptest::proptest! {
        #[test]
        fn the_pieces_give_both_texts_again(old in "[ab ]{0,12}", new in "[ab ]{0,12}") {
            let side = |gone: State| words(&old, &new).iter().filter(|p| p.state != gone).map(|p| p.text.as_str()).collect::<String>();
            proptest::prop_assert_eq!(side(State::New), old.clone());
            proptest::prop_assert_eq!(side(State::Gone), new.clone());
        }
    }
}
