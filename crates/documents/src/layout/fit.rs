//! How little room content needs, and the columns of tables that fit themselves to it
//! (ECMA-376 part 1, 17.18.87).

use super::fonts::FontSet;
use crate::model::{Block, Inline, Paragraph, Row, TextStyle};

/// After these a line may end, about as Unicode's line breaking has it (UAX #14).
const ENDS: [char; 6] = [' ', '-', '\u{2010}', '\u{2013}', '\u{200b}', '\u{ad}'];

/// The pieces of a text between which lines may end.
pub(super) fn pieces(text: &str) -> impl Iterator<Item = &str> {
    text.split_inclusive(ENDS)
}

/// Where a text is parted so that each piece fits into lines of this width: words that
/// are wider than a line go on in the next.
pub(super) fn parted(text: &str, style: &TextStyle, room: f64, fonts: &FontSet) -> Vec<usize> {
    let mut ends = Vec::new();
    let mut start = 0;
    for piece in pieces(text) {
        let word = piece.trim_end_matches(' ');
        // Signs that are drawn together are never parted.
        let simple = || word.chars().all(|c| c < '\u{590}' && !('\u{300}'..'\u{370}').contains(&c));
        if may_exceed(word, style, room) && simple() && fonts.text_width(word, style).is_some_and(|width| width > room) {
            ends.extend(breaks(word, style, room, fonts).into_iter().map(|at| start + at));
        }
        start += piece.len();
    }
    ends
}

/// Where the lines of a word end that is wider than these.
fn breaks(word: &str, style: &TextStyle, room: f64, fonts: &FontSet) -> Vec<usize> {
    let signs: Vec<(usize, char)> = word.char_indices().collect();
    let width = |sign: char| fonts.text_width(sign.encode_utf8(&mut [0; 4]), style).unwrap_or(0.0);
    let (mut ends, mut from, mut line) = (Vec::new(), 0, 0.0);
    for at in 0..signs.len() {
        let own = width(signs[at].1);
        if at > from && line + own > room {
            // No line begins with a sign that closes, and none ends with one that opens
            // (UAX #14, LB13 and LB14).
            let allowed = |at: &usize| !CLOSES.contains(signs[*at].1) && !OPENS.contains(signs[*at - 1].1);
            let end = (from + 1..=at).rev().find(allowed).unwrap_or(at);
            ends.push(signs[end].0);
            from = end;
            line = signs[end..at].iter().map(|(_, sign)| width(*sign)).sum();
        }
        line += own;
    }
    ends
}

const CLOSES: &str = "!%),.:;?]}/»”’…";
const OPENS: &str = "([{«“‘„¿¡";

/// Whether a word is an address on the web.
pub(super) fn is_address(word: &str) -> bool {
    word.contains("://") || word.starts_with("www.")
}

/// Whether a piece may be wider than a room, before it is measured.
fn may_exceed(piece: &str, style: &TextStyle, room: f64) -> bool {
    piece.chars().count() as f64 * (style.size * (1.0 + style.stretch.max(0.0)) + style.tracking) > room
}

/// Columns with room for the longest words and the pictures of their cells: the others
/// give of theirs, then the table grows to the width of `room`. What is longer still
/// must part its words.
pub(crate) fn fitted(columns: Vec<Option<f64>>, rows: &[Row], room: f64, fonts: &FontSet) -> Vec<Option<f64>> {
    let Some(asked) = columns.iter().copied().collect::<Option<Vec<f64>>>() else { return columns };
    let mut least = vec![0.0f64; asked.len()];
    for cell in rows.iter().flat_map(|r| &r.cells).filter(|c| c.columns == 1) {
        let Some(own) = asked.get(cell.at) else { continue };
        let sides = cell.margin[1] + cell.margin[3];
        least[cell.at] = least[cell.at].max(needed(&cell.blocks, own - sides, fonts) + sides);
    }
    if least.iter().zip(&asked).all(|(least, asked)| *least <= *asked + 0.01) {
        return columns;
    }
    shared_out(&asked, &least, room).into_iter().map(Some).collect()
}

/// The widths of columns that need at least so much of a room.
fn shared_out(asked: &[f64], least: &[f64], room: f64) -> Vec<f64> {
    let total: f64 = asked.iter().sum();
    let needed: f64 = least.iter().sum();
    if needed >= room.max(total) {
        return squeezed(least, room.max(total));
    }
    let missing: f64 = asked.iter().zip(least).map(|(asked, least)| (least - asked).max(0.0)).sum();
    let spare: f64 = asked.iter().zip(least).map(|(asked, least)| (asked - least).max(0.0)).sum();
    let kept = if spare > 0.0 { 1.0 - (missing / spare).min(1.0) } else { 0.0 };
    asked.iter().zip(least).map(|(asked, least)| least + (asked - least).max(0.0) * kept).collect()
}

/// Columns that need more than there is: those with little keep it, the others share
/// the rest.
fn squeezed(least: &[f64], room: f64) -> Vec<f64> {
    let mut order: Vec<usize> = (0..least.len()).collect();
    order.sort_by(|a, b| least[*a].total_cmp(&least[*b]));
    let mut widths = vec![0.0; least.len()];
    let mut rest = room;
    for (done, at) in order.into_iter().enumerate() {
        widths[at] = least[at].min(rest / (least.len() - done) as f64);
        rest -= widths[at];
    }
    widths
}

/// The width of the widest thing that no line can part, where it exceeds `room`.
fn needed(blocks: &[Block], room: f64, fonts: &FontSet) -> f64 {
    let of = |block: &Block| match block {
        Block::Paragraph(paragraph) => {
            let sides = paragraph.indent[0].max(0.0) + paragraph.indent[1].max(0.0);
            let own = in_line(paragraph, room - sides, fonts);
            if own > 0.0 { own + sides } else { 0.0 }
        }
        // A table within fits itself to its content, too.
        Block::Table(table) => table.rows.iter().map(|row| of_row(row, fonts)).fold(0.0, f64::max),
    };
    blocks.iter().map(of).fold(0.0, f64::max)
}

fn of_row(row: &Row, fonts: &FontSet) -> f64 {
    row.cells.iter().map(|cell| needed(&cell.blocks, 0.0, fonts) + cell.margin[1] + cell.margin[3]).sum()
}

fn in_line(paragraph: &Paragraph, room: f64, fonts: &FontSet) -> f64 {
    // Text that runs on from one look to the next is one word; only its parts are known.
    let (mut widest, mut word) = (0.0f64, 0.0);
    each(&paragraph.inlines, &mut |inline| match inline {
        Inline::Text(text, style) => {
            for piece in pieces(text) {
                let shown = piece.trim_end_matches(' ');
                if word > 0.0 || may_exceed(shown, style, room) {
                    word += fonts.text_width(shown, style).unwrap_or(0.0);
                }
                widest = widest.max(word);
                if piece.ends_with(ENDS) {
                    word = 0.0;
                }
            }
        }
        Inline::Drawing(drawing) if drawing.turned == 0.0 => {
            widest = widest.max(drawing.width);
            word = 0.0;
        }
        Inline::Signer(_, width, ..) => widest = widest.max(*width),
        Inline::Place(_) => {}
        _ => word = 0.0,
    });
    if widest > room.max(0.0) { widest } else { 0.0 }
}

fn each(inlines: &[Inline], see: &mut impl FnMut(&Inline)) {
    for inline in inlines {
        match inline {
            Inline::Link(_, inner) => each(inner, see),
            Inline::Marked(_, inner) => each(std::slice::from_ref(inner), see),
            other => see(other),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_give_of_what_they_do_not_need() {
        // One needs 20 more; the others give in proportion to what they can spare.
        assert_eq!(shared_out(&[50.0, 100.0, 150.0], &[70.0, 60.0, 90.0], 400.0), [70.0, 92.0, 138.0]);
        // They can't give enough: the table grows.
        assert_eq!(shared_out(&[50.0, 50.0], &[90.0, 40.0], 400.0), [90.0, 40.0]);
        // There is not room enough for all.
        assert_eq!(shared_out(&[50.0, 50.0, 50.0], &[20.0, 300.0, 400.0], 200.0), [20.0, 90.0, 90.0]);
    }

    #[test]
    fn no_line_of_a_word_begins_with_what_closes() {
        let fonts = FontSet::shipped();
        let style = TextStyle { font: "Liberation Mono".into(), size: 10.0, ..TextStyle::default() };
        // Each sign is 6 points wide: lines of four.
        let lines = |text: &str| {
            let mut ends = parted(text, &style, 24.5, fonts);
            ends.insert(0, 0);
            ends.push(text.len());
            ends.windows(2).map(|w| text[w[0]..w[1]].to_owned()).collect::<Vec<_>>()
        };
        assert_eq!(lines("abcdefghij"), ["abcd", "efgh", "ij"]);
        assert_eq!(lines("turn.number]"), ["tur", "n.nu", "mbe", "r]"]);
        assert_eq!(lines("sum((lines"), ["sum", "((li", "nes"]);
        assert_eq!(lines("))))))"), ["))))", "))"]);
        assert_eq!(lines("on abcd abcde"), ["on abcd abcd", "e"]);
    }

    #[test]
    fn words_end_at_spaces_and_hyphens() {
        assert_eq!(pieces("dry-dock hire").collect::<Vec<_>>(), ["dry-", "dock ", "hire"]);
    }
}
