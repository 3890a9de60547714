//! What stands beside the text: drop caps, frames, tables, the numbers of lines; and
//! letters of other widths. Lengths of the corpus are twentieths of a point.

use crate::corpus::{open, pages, pdf};
use crate::poppler::{Word, lines, run};

/// The left margin and the right edge of the text.
pub const LEFT: f64 = 70.85;
const RIGHT: f64 = 524.45;

pub fn near(a: f64, b: f64, within: f64) -> bool {
    (a - b).abs() <= within
}

pub fn find<'a>(page: &'a [Word], text: &str) -> &'a Word {
    page.iter().find(|w| w.text == text).unwrap_or_else(|| panic!("no “{text}”"))
}

/// The left edges of a page's lines, without what stands left of the margin.
pub fn lefts(page: &[Word]) -> Vec<f64> {
    let of = |line: Vec<Word>| line.iter().map(|w| w.left).filter(|l| *l > LEFT - 1.0).reduce(f64::min);
    lines(page).into_iter().filter_map(of).collect()
}

#[test]
fn a_large_first_letter_takes_the_lines_that_it_says() {
    let page = pages("paragraph-drop-caps").remove(0);
    let letter = find(&page, "T");
    assert!(near(letter.left, LEFT, 1.0), "{letter:?}");
    let beside = lefts(&page).iter().filter(|l| near(**l, LEFT + 28.44, 0.1)).count();
    // The first of them begins with the letter itself.
    assert_eq!(beside, 3, "{:?}", lefts(&page));
    // One for the margin moves no line.
    let page = pages("paragraph-drop-margin").remove(0);
    let letter = find(&page, "B");
    assert!(letter.right < LEFT && letter.left > 20.0, "{letter:?}");
    assert!(near(find(&page, "oats").left, LEFT, 0.1));
    assert!(lefts(&page).iter().all(|l| near(*l, LEFT, 0.1)), "{:?}", lefts(&page));
}

#[test]
fn frames_stand_where_they_say_and_the_text_beside_them() {
    let page = pages("paragraph-frames").remove(0);
    // Two paragraphs in one frame of 2400 at the right, 180 from the text.
    let (first, second) = (find(&page, "Hauling"), find(&page, "12"));
    assert!(near(first.left, RIGHT - 120.0, 0.2) && near(second.left, first.left, 0.2), "{first:?} {second:?}");
    let beside = page.iter().filter(|w| w.bottom < second.bottom + 1.0 && w.bottom > first.bottom - 1.0 && w.left < first.left);
    assert!(beside.map(|w| w.right).fold(0.0, f64::max) <= RIGHT - 120.0 - 9.0);
    let below = page.iter().find(|w| w.text == "Masts" && near(w.left, LEFT, 0.2)).expect("a frame at the left");
    assert!(near(lines(&page).iter().find(|l| near(l[0].bottom, below.bottom, 1.0)).expect("a line")[5].left, LEFT + 129.0, 0.2));
    // A page's number in a frame amid the foot, on the line of the empty paragraph behind it.
    let (word, number) = (find(&page, "Page"), page.iter().rfind(|w| w.text == "1").expect("a number"));
    assert!(near((word.left + number.right) / 2.0, 595.3 / 2.0, 1.0), "{word:?} {number:?}");
    assert!(near(word.bottom, 841.9 - 35.4, 2.0), "{word:?}");
}

#[test]
fn a_table_beside_the_text_leaves_it_its_lines() {
    let page = pages("table-beside").remove(0);
    let tables: Vec<&Word> = page.iter().filter(|w| w.text == "A01").collect();
    // At 6120, with cells that have no margins.
    assert!(near(tables[0].left, LEFT + 306.0, 0.3), "{:?}", tables[0]);
    let beside = page.iter().filter(|w| (tables[0].bottom - 14.0..tables[0].bottom + 14.0).contains(&w.bottom) && w.left < tables[0].left);
    assert!(beside.map(|w| w.right).fold(0.0, f64::max) <= LEFT + 306.0 - 9.0);
    // One on the left: lines begin behind it, from the first that its distance reaches.
    let moved = lefts(&page).iter().filter(|l| near(**l, LEFT + 5.4 + 141.75 + 9.0, 0.3)).count();
    let rows = lefts(&page).iter().filter(|l| near(**l, LEFT + 5.4, 0.3)).count();
    assert_eq!((moved, rows), (2, 3), "{:?}", lefts(&page));
    // One as wide as the text stands in it.
    assert!(find(&page, "Holder").bottom < page.last().expect("text").bottom);
    assert_eq!(open("table-beside").unfilled_pages().expect("reads").left_out.len(), 0);
}

#[test]
fn text_stands_beside_what_lies_on_the_paper() {
    let page = pages("drawing-on-paper").remove(0);
    let in_band = |from: f64, to: f64| page.iter().filter(move |w| w.bottom - 8.0 < to && w.bottom > from).collect::<Vec<_>>();
    // From 40 to 130 points down the page, 384 from its left edge; from 240 below the
    // margin, 140 wide at the left.
    assert!(in_band(70.0, 130.0).iter().all(|w| w.right <= 384.0 - 9.0));
    let (first, beside) = (find(&page, "below").bottom, 70.85 + 240.0);
    assert!(first < beside && in_band(first - 1.0, first + 1.0).iter().any(|w| w.right > 500.0), "lines above it are whole");
    let lines = in_band(beside + 5.0, beside + 90.0);
    assert!(lines.len() > 40 && lines.iter().all(|w| w.left >= 71.0 + 140.0 + 8.9), "{lines:?}");
}

#[test]
fn nothing_stands_beside_a_picture_as_wide_as_the_text() {
    let page = pages("drawing-broad").remove(0);
    let above = page.iter().filter(|w| w.bottom < find(&page, "Nothing").bottom - 20.0).map(|w| w.bottom).fold(0.0, f64::max);
    // A picture of 90 points between two paragraphs that are 8 apart.
    assert!(find(&page, "Nothing").bottom - above > 90.0 + 14.0);
}

#[test]
fn lines_are_numbered_as_the_section_says() {
    let numbers = |page: &Vec<Word>| -> Vec<u32> { page.iter().filter(|w| w.right < LEFT).filter_map(|w| w.text.parse().ok()).collect() };
    let every = pages("page-line-numbers");
    let first = numbers(&every[0]);
    // All but the four lines of a paragraph without numbers and the two of a table.
    let counted = lines(&every[0]).len() as u32 - 6;
    assert_eq!(first, (1..=counted).collect::<Vec<_>>());
    assert_eq!(numbers(&every[1])[..3], [1, 2, 3]);
    let silent = find(&every[0], "none.").bottom;
    assert!(!every[0].iter().any(|w| w.right < LEFT && near(w.bottom, silent, 2.0)));
    let heights: Vec<f64> = every[0].iter().filter(|w| w.right < LEFT).map(|w| w.bottom).collect();
    assert!(heights.iter().all(|h| every[0].iter().any(|w| w.left >= LEFT - 0.1 && near(w.bottom, *h, 2.0))));
    // Every fifth, on from page to page, 567 from the text.
    let fifths = pages("page-line-fifths");
    let all: Vec<u32> = fifths.iter().flat_map(numbers).collect();
    assert_eq!(all, (1..=all.len() as u32).map(|n| n * 5).collect::<Vec<_>>());
    assert!(near(fifths[0].iter().find(|w| w.text == "5").expect("a number").right, LEFT - 28.35, 0.3));
}

#[test]
fn letters_are_as_wide_as_the_run_says() {
    let page = pages("text-widened").remove(0);
    let wide = |text: &str, at: usize| page.iter().filter(|w| w.text == text).nth(at).map(|w| w.right - w.left).expect("a word");
    // 120 hundredths in the first paragraph, 90 in the second.
    assert!(near(wide("harbour", 0) / wide("harbour", 1), 120.0 / 90.0, 0.005));
    let heights: Vec<f64> = lines(&page)[..5].windows(2).map(|pair| pair[1][0].bottom - pair[0][0].bottom).collect();
    assert!(heights.iter().all(|h| near(*h, 14.49, 0.1)), "{heights:?}");
}

#[test]
fn headings_and_notes_look_as_their_styles_say() {
    // The second heading's style takes back the bold of the one that it is based on.
    let drawn = run("pdftohtml", &["-xml", "-i", "-stdout", "FILE"], &pdf("text-fonts"));
    assert!(drawn.contains("<b>A heading of its own</b>"), "{drawn}");
    assert!(drawn.contains(">One below<"), "{drawn}");
    // A note of ten points where most text has ten points: it is not made smaller.
    let page = pages("whole-handbook").remove(0);
    let note = page.iter().filter(|w| w.text == "Whoever").max_by(|a, b| a.bottom.total_cmp(&b.bottom)).expect("a note");
    assert!(near(note.right - note.left, 37.38, 0.05), "{note:?}");
}

#[test]
fn justified_lines_and_tabs_end_at_the_margin() {
    // Marks at the ends of lines don't hang beyond it, and a last segment stays on its line.
    for (number, page) in pages("whole-handbook").iter().enumerate().filter(|(at, _)| *at != 4) {
        let far = page.iter().map(|w| w.right).fold(0.0, f64::max);
        assert!(far <= RIGHT + 0.05, "page {}: {far}", number + 1);
        if number > 0 {
            let head = lines(page).remove(0);
            assert_eq!(head.iter().map(|w| w.text.as_str()).collect::<Vec<_>>(), ["Yard", "handbook"]);
            assert!(near(head[1].right, RIGHT, 0.1));
        }
    }
}

#[test]
fn lines_round_a_paragraph_take_their_room() {
    let page = pages("paragraph-borders").remove(0);
    let gap = find(&page, "First").bottom - find(&page, "Before").bottom;
    // A line, 8 between the paragraphs, a border of 1 at 4 from the text.
    assert!(near(gap, 14.49 + 8.0 + 1.0 + 4.0, 0.05), "{gap}");
}

#[test]
fn text_higher_than_its_box_ends_with_a_whole_line() {
    let page = pages("drawing-shapes").remove(0);
    // A box of 90 points with 3.6 above and below its text: six lines of 13.43, and no
    // part of a seventh.
    let inner: Vec<Word> = page.iter().filter(|w| w.left > 148.0 && w.bottom < find(&page, "ellipse").bottom - 30.0).cloned().collect();
    let lines = lines(&inner);
    assert_eq!((lines.len(), lines[5].last().expect("words").text.as_str()), (6, "keeps"), "{lines:?}");
    assert!(!page.iter().any(|w| w.text == "once" && w.bottom < find(&page, "ellipse").bottom));
}
