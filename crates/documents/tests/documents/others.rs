//! Whole documents as other writers write them: what their pages showed wrong once.

use super::corpus::{open, pages};
use super::poppler::{Word, lines};

fn first_words(page: &[Word]) -> Vec<String> {
    lines(page).iter().map(|line| line[0].text.clone()).collect()
}

/// The lines of a page that begin with a word.
fn beginning<'a>(page: &'a [Word], word: &str) -> Vec<Vec<&'a Word>> {
    let mut found: Vec<Vec<&Word>> = Vec::new();
    for word in page.iter().filter(|w| w.text == word) {
        found.push(page.iter().filter(|w| (w.bottom - word.bottom).abs() < 1.0).collect());
    }
    found
}

#[test]
fn text_is_set_at_tab_stops_beyond_the_margin() {
    // The footer's stops stand at 234 and 468 points, the text ends at 432.
    for page in [&pages("others-season")[0], &pages("others-season")[8]] {
        let footer = beginning(page, "Harbour").pop().expect("a footer");
        let words: Vec<&str> = footer.iter().map(|w| w.text.as_str()).collect();
        assert_eq!(words, ["Brackwater", "Quay", "Harbour", "office", "2027"]);
        assert!((footer[4].right - (90.0 + 468.0)).abs() < 0.1, "{}", footer[4].right);
        let middle = (footer[2].left + footer[3].right) / 2.0;
        assert!((middle - (90.0 + 234.0)).abs() < 0.1, "{middle}");
    }
}

#[test]
fn a_section_without_a_size_is_letter_paper() {
    let model = open("others-guide").unfilled_pages().expect("pages");
    let page = &model.sections[0].page;
    assert_eq!((page.width, page.height, page.margin), (612.0, 792.0, [72.0; 4]));
}

#[test]
fn the_space_below_the_last_footnote_does_not_count() {
    // Notes ask for 10 points below them; the page's text ends at 720.
    let page = pages("others-guide").remove(0);
    let last = page.iter().map(|w| w.bottom).fold(0.0, f64::max);
    assert!(last > 715.0 && last < 721.0, "{last}");
}

#[test]
fn an_empty_paragraph_stands_whole_on_the_next_page() {
    let page = pages("others-contract").remove(4);
    let heading = beginning(&page, "§").remove(0);
    // A line of 15.87 from 72 on, 10 above the heading; the base of its line of 12.6.
    let bottom = heading[0].bottom;
    assert!(bottom > 72.0 + 15.87 + 10.0 + 12.6 && bottom < 72.0 + 15.87 + 10.0 + 12.6 + 5.7, "{bottom}");
}

#[test]
fn rows_stay_with_the_next() {
    let all = pages("others-prices");
    assert_eq!(all.len(), 6);
    let mut groups = 0;
    for page in &all {
        let lines = lines(page);
        let is_group = |line: &[Word]| line.len() > 3 && line[1].text == "Work" && line[2].text == "on";
        groups += lines.iter().filter(|line| is_group(line)).count();
        assert!(!is_group(lines.last().expect("lines")), "{:?}", first_words(page));
        assert!(lines.iter().any(|line| line[0].text == "No"), "the header row is repeated");
    }
    assert_eq!(groups, 7);
}

#[test]
fn each_letter_of_a_merge_begins_its_own_page() {
    let all = pages("others-letters");
    let begins = |page: &&Vec<Word>| page.iter().any(|w| w.text == "Dear");
    assert_eq!((all.len(), all.iter().filter(begins).count()), (13, 10));
    for page in &all {
        let footer = beginning(page, "Telephone").pop().expect("a footer");
        assert_eq!(footer.last().map(|w| w.text.as_str()), Some("960118"));
    }
}
