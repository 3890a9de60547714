//! Columns of different widths, and rows that stay together.

use crate::beside::{LEFT, find, lefts, near};
use crate::corpus::{open, pages, pdf};
use crate::pages::{A4, model, p};
use crate::poppler::{Word, lines, run, words};

/// The narrow column of the corpus's files ends, and the wide one begins.
const NARROW: f64 = LEFT + 141.75;
const WIDE: f64 = LEFT + 170.1;

#[test]
fn columns_have_their_own_widths() {
    let page = pages("page-columns-uneven").remove(0);
    let column = lefts(&page).into_iter().filter(|l| *l > 100.0).collect::<Vec<_>>();
    // 2835 and 567 before the second.
    assert!(column.len() > 5 && column.iter().all(|l| near(*l, LEFT + 170.1, 0.2)), "{column:?}");
    let first = page.iter().filter(|w| {
        w.left < LEFT + 141.75 && w.bottom > find(&page, "Slipway").bottom - 20.0 && w.bottom < find(&page, "Saturdays").bottom
    });
    assert!(first.map(|w| w.right).fold(0.0, f64::max) < LEFT + 142.0);
    let again = page.iter().rfind(|w| w.text == "Across").expect("text across");
    assert!(near(again.left, LEFT, 0.1) && again.bottom > find(&page, "metered").bottom);
}

/// The lines of a page's narrow and of its wide column, from one word on.
fn columns(page: &[Word], from: Option<&str>) -> [Vec<Vec<Word>>; 2] {
    let top = from.map_or(0.0, |text| find(page, text).bottom - 1.0);
    let within = |narrow: bool| page.iter().filter(|w| w.bottom > top && (w.left < NARROW + 1.0) == narrow).cloned().collect::<Vec<_>>();
    [lines(&within(true)), lines(&within(false))]
}

fn said(lines: &[Vec<Word>]) -> String {
    lines.iter().flatten().map(|w| w.text.as_str()).collect::<Vec<_>>().join(" ")
}

#[test]
fn text_flows_from_one_width_into_the_other_over_pages() {
    let all = pages("page-columns-flow");
    assert_eq!(all.len(), 3);
    let mut text = String::new();
    for (at, page) in all.iter().enumerate() {
        let across = page.iter().position(|w| w.text == "Across").filter(|_| at == 2).unwrap_or(page.len());
        let [narrow, wide] = columns(&page[..across], (at == 0).then_some("Berths"));
        assert!(narrow.iter().flatten().all(|w| w.right <= NARROW + 0.1), "page {at}");
        assert!(wide.iter().all(|line| line[0].left >= WIDE - 0.1), "page {at}");
        text += &format!("{} {} ", said(&narrow), said(&wide));
        // Full to the bottom, but for a paragraph that stays whole, and balanced before what goes across.
        let ends = [&narrow, &wide].map(|column| column.last().expect("lines")[0].bottom);
        assert!(if at < 2 { ends.iter().all(|end| *end > 700.0) } else { near(ends[0], ends[1], 24.0) }, "page {at}: {ends:?}");
    }
    // Nothing is lost or said twice where a column ends.
    assert_eq!(text.matches("The harbour office keeps a list of every berth").count(), 20);
    assert_eq!(text.matches("is metered from then on.").count(), 12);
    for number in 1..=8 {
        assert_eq!(text.matches(&format!(" {number}. The harbour")).count(), 1, "{number}");
    }
    let page = &all[2];
    let again = page.iter().rfind(|w| w.text == "Across").expect("text across");
    assert!(near(again.left, LEFT, 0.1) && again.bottom > find(page, "Last").bottom);
}

#[test]
fn headings_in_columns_are_bookmarks() {
    for (name, count) in [("page-columns-flow", 4), ("page-columns-uneven", 0)] {
        let outlines = run("qpdf", &["--json", "--json-key=outlines", "FILE"], &pdf(name));
        assert_eq!(outlines.matches("\"title\"").count(), count, "{outlines}");
    }
}

/// A section in columns of 2835 and 5670 with 567 between them.
fn uneven() -> String {
    A4.replace(
        "</w:sectPr>",
        "<w:cols w:num=\"2\" w:equalWidth=\"0\"><w:col w:w=\"2835\" w:space=\"567\"/><w:col w:w=\"5670\"/></w:cols></w:sectPr>",
    )
}

fn numbered(pdf: &[u8], word: &str) -> Vec<usize> {
    let mut found: Vec<usize> = words(pdf).iter().flatten().filter_map(|w| w.text.strip_prefix(word)?.parse().ok()).collect();
    found.sort_unstable();
    found
}

#[test]
fn what_is_higher_than_a_column_is_parted_all_the_same() {
    // A table in columns of different widths is set whole, unless it is too high.
    let row = |n: usize| format!("<w:tr><w:tc>{}</w:tc></w:tr>", p("", &format!("row{n}")));
    let table = |count: usize| {
        format!("<w:tbl><w:tblGrid><w:gridCol w:w=\"1500\"/></w:tblGrid>{}</w:tbl>", (0..count).map(row).collect::<String>())
    };
    for count in [20, 150] {
        let (_, pdf) = model(&(table(count) + &p("", "after") + &uneven()), &[]);
        assert_eq!(numbered(&pdf, "row"), (0..count).collect::<Vec<_>>());
    }
    // So is a paragraph that is to stay whole.
    let long: String = (0..3000).map(|n| format!("w{n} ")).collect();
    let (_, pdf) = model(&(p("<w:keepLines/>", &long) + &uneven()), &[]);
    assert_eq!(numbered(&pdf, "w"), (0..3000).collect::<Vec<_>>());
}

#[test]
fn columns_and_pages_end_where_the_text_says() {
    let end = |kind: &str| format!("<w:p><w:r><w:t>before</w:t><w:br w:type=\"{kind}\"/><w:t>after{kind}</w:t></w:r></w:p>");
    let (_, pdf) = model(&(end("column") + &end("page") + &p("<w:pageBreakBefore/>", "third") + &uneven()), &[]);
    let all = words(&pdf);
    assert_eq!(all.len(), 3);
    assert!(near(find(&all[0], "before").left, LEFT, 1.5) && find(&all[0], "aftercolumn").left > NARROW);
    let tops = ["before", "aftercolumn"].map(|w| find(&all[0], w).bottom);
    assert!(near(tops[0], tops[1], 0.1), "{tops:?}");
    assert!(near(find(&all[1], "afterpage").left, LEFT, 1.5) && near(find(&all[2], "third").left, LEFT, 1.5));
}

#[test]
fn rows_stay_together_as_far_as_a_page_holds_them() {
    let all = pages("table-kept");
    assert_eq!(all.len(), 6);
    for (at, page) in all.iter().enumerate() {
        let lines = lines(page);
        let first = if at == 0 { &lines[2] } else { &lines[1] };
        // Four groups, then one that is higher than a page: it begins a page and breaks
        // between rows.
        let wanted = if at < 5 { ["Group".to_owned(), (at + 1).to_string()] } else { ["5.3".to_owned(), "Part".to_owned()] };
        assert_eq!([first[0].text.clone(), first[1].text.clone()], wanted, "page {}", at + 1);
        assert_eq!(page.iter().filter(|w| w.text == "No.").count(), 1);
    }
    assert!(open("table-kept").unfilled_pages().expect("reads").left_out.is_empty());
}
