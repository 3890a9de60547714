//! The corpus: facts of each file's page model, some models as a whole, and facts of the pages as
//! poppler measures them.

use std::fmt::Write;
use std::path::PathBuf;

use jiff::civil::DateTime;
use mangle_documents::formats::docx::Template;
use mangle_documents::model::{Anchored, Block, Document, Drawing, Inline, Shows, TextStyle};

use super::poppler::{Word, lines, upright, words};

const NOON: DateTime = DateTime::constant(2026, 11, 23, 12, 0, 0, 0);

pub fn folder() -> PathBuf {
    PathBuf::from("tests/corpus")
}

pub fn open(name: &str) -> Template {
    let bytes = std::fs::read(folder().join(format!("{name}.docx"))).expect(name);
    Template::open(bytes).unwrap_or_else(|e| panic!("{name}: {e}"))
}

pub fn pdf(name: &str) -> Vec<u8> {
    open(name).unfilled().unwrap_or_else(|e| panic!("{name}: {e}")).pdf(name, NOON).expect("a PDF")
}

pub fn pages(name: &str) -> Vec<Vec<Word>> {
    words(&pdf(name))
}

/// The files whose model is kept as a whole: small ones, each for one matter.
const WHOLE: [&str; 9] = [
    "drawing-anchored",
    "lists-legal",
    "page-columns",
    "page-endnotes",
    "paragraph-breaks",
    "paragraph-frames",
    "table-merged",
    "text-looks",
    "text-tabs",
];

/// How much of what a page model holds, in a line.
fn counted(document: &Document) -> String {
    let mut all = Count::default();
    let columns: Vec<String> = document.sections.iter().map(|s| s.columns.0.to_string()).collect();
    for section in &document.sections {
        all.blocks(&section.blocks);
        for edge in [&section.header, &section.footer] {
            let kinds = [Some(&edge.usual), edge.first.as_ref(), edge.even.as_ref()];
            kinds.into_iter().flatten().for_each(|blocks| all.edges += usize::from(!blocks.is_empty()));
        }
    }
    format!(
        "columns {}; paragraphs {}, numbered {}, headings {}; tables {}, rows {}, cells {}; drawings {}, links {}; headers and footers {}; endnotes {}; characters {}; sizes {:?}; left out {}",
        columns.join(" "),
        all.paragraphs,
        all.markers,
        all.headings,
        all.tables,
        all.rows,
        all.cells,
        all.drawings,
        all.links,
        all.edges,
        document.endnotes.len(),
        all.characters,
        all.sizes,
        document.left_out.len()
    )
}

#[derive(Default)]
struct Count {
    paragraphs: usize,
    markers: usize,
    headings: usize,
    tables: usize,
    rows: usize,
    cells: usize,
    drawings: usize,
    links: usize,
    edges: usize,
    characters: usize,
    sizes: std::collections::BTreeSet<String>,
}

impl Count {
    fn blocks(&mut self, blocks: &[Block]) {
        for block in blocks {
            match block {
                Block::Paragraph(p) => {
                    self.paragraphs += 1;
                    self.markers += usize::from(p.marker.is_some());
                    self.headings += usize::from(p.outline.is_some());
                    p.inlines.iter().for_each(|i| self.inline(i));
                }
                Block::Table(t) => {
                    self.tables += 1;
                    self.rows += t.rows.len();
                    for cell in t.rows.iter().flat_map(|row| &row.cells) {
                        self.cells += 1;
                        self.blocks(&cell.blocks);
                    }
                }
            }
        }
    }

    fn inline(&mut self, inline: &Inline) {
        match inline {
            Inline::Text(text, style) => {
                self.characters += text.chars().count();
                self.sizes.insert(style.size.to_string());
            }
            Inline::Link(_, inner) => {
                self.links += 1;
                inner.iter().for_each(|i| self.inline(i));
            }
            Inline::Drawing(drawing) => self.drawing(drawing),
            Inline::Anchored(anchored) => self.drawing(&anchored.drawing),
            Inline::Footnote(blocks) => self.blocks(blocks),
            Inline::Marked(_, inner) => self.inline(inner),
            _ => {}
        }
    }

    fn drawing(&mut self, drawing: &Drawing) {
        self.drawings += 1;
        if let Shows::Shape { text: Some(text), .. } = &drawing.shows {
            self.blocks(&text.blocks);
        }
    }
}

/// The page model in few words a block.
fn described(document: &Document) -> String {
    let mut out = String::new();
    for section in &document.sections {
        let page = &section.page;
        let _ = writeln!(
            out,
            "section {:?} {:.0}×{:.0} margins {:.0?} columns {} numbers {:?} {:?}",
            section.start, page.width, page.height, page.margin, section.columns.0, section.number_from, section.number_format
        );
        if !section.column_widths.is_empty() {
            let _ = writeln!(out, " widths {:.1?}", section.column_widths);
        }
        if let Some(numbers) = section.line_numbers {
            let _ = writeln!(out, " line {numbers:?}");
        }
        for (name, edge) in [("header", &section.header), ("footer", &section.footer)] {
            let kinds = [("", Some(&edge.usual)), (" first", edge.first.as_ref()), (" even", edge.even.as_ref())];
            for (kind, blocks) in kinds.into_iter().filter_map(|(kind, b)| Some((kind, b?))).filter(|(_, b)| !b.is_empty()) {
                let _ = writeln!(out, " {name}{kind}");
                said(blocks, 2, &mut out);
            }
        }
        said(&section.blocks, 1, &mut out);
    }
    if !document.endnotes.is_empty() {
        out.push_str("endnotes\n");
        said(&document.endnotes, 1, &mut out);
    }
    for what in &document.left_out {
        let _ = writeln!(out, "left out: {what}");
    }
    out
}

fn said(blocks: &[Block], depth: usize, out: &mut String) {
    let at = " ".repeat(depth);
    for block in blocks {
        match block {
            Block::Paragraph(p) => {
                let _ = write!(out, "{at}p {:?} in {:.0?} gap {:.1?} {:?}", p.align, p.indent, p.space, p.line);
                let flags = [
                    ("keep", p.keep_next),
                    ("whole", p.keep_lines),
                    ("contextual", p.contextual),
                    ("page", p.page_break_before),
                    ("rtl", p.rtl),
                    ("loose", !p.widows),
                    ("unnumbered", !p.numbered),
                    ("shaded", p.shading.is_some()),
                    ("lined", p.borders.iter().any(Option::is_some)),
                ];
                flags.iter().filter(|f| f.1).for_each(|f| write!(out, " {}", f.0).expect("written"));
                if let Some(level) = p.outline {
                    let _ = write!(out, " level {level}");
                }
                if let Some(marker) = &p.marker {
                    let _ = write!(out, " “{}” {:?}", marker.text, marker.follow);
                }
                p.tabs.iter().for_each(|t| {
                    write!(out, " tab {:.0} {:?}{}", t.at, t.kind, t.leader.map(String::from).unwrap_or_default()).expect("written")
                });
                out.push_str(": ");
                p.inlines.iter().for_each(|i| inline(i, out));
                out.push('\n');
                p.inlines.iter().for_each(|i| apart(i, depth, out));
            }
            Block::Table(t) => {
                let _ = writeln!(
                    out,
                    "{at}table {:?} columns {:.0?}",
                    t.align,
                    t.columns.iter().map(|c| c.unwrap_or(-1.0)).collect::<Vec<_>>()
                );
                for row in &t.rows {
                    let kinds = [("header", row.header), ("exact", row.exact), ("whole", !row.breaks)];
                    let _ = write!(out, "{at} row {:.0}", row.least);
                    kinds.iter().filter(|k| k.1).for_each(|k| write!(out, " {}", k.0).expect("written"));
                    out.push('\n');
                    for cell in &row.cells {
                        let sides: String = cell
                            .borders
                            .iter()
                            .map(|b| b.as_ref().map_or("-".into(), |b| format!("{:.1}", b.width)))
                            .collect::<Vec<_>>()
                            .join(" ");
                        let _ = writeln!(
                            out,
                            "{at}  cell {}+{} rows {} lines {sides} {:?} {:?} {}",
                            cell.at,
                            cell.columns,
                            cell.rows,
                            cell.vertical,
                            cell.direction,
                            cell.shading.as_deref().unwrap_or("")
                        );
                        said(&cell.blocks, depth + 3, out);
                    }
                }
            }
        }
    }
}

fn look(s: &TextStyle) -> String {
    let mut said = format!("{} {}", s.font, s.size);
    let flags = [
        ("bold", s.bold),
        ("italic", s.italic),
        ("strike", s.strike),
        ("twice", s.double_strike),
        ("caps", s.caps),
        ("small", s.small_caps),
        ("boxed", s.boxed.is_some()),
        ("rtl", s.rtl),
        ("kerned", s.kerning.is_some()),
    ];
    flags.iter().filter(|f| f.1).for_each(|f| write!(said, " {}", f.0).expect("written"));
    if s.underline != Default::default() {
        let _ = write!(said, " under {:?}", s.underline);
    }
    if s.raise != Default::default() {
        let _ = write!(said, " {:?}", s.raise);
    }
    for (name, value) in [("shift", s.shift), ("apart", s.tracking), ("stretched", s.stretch)] {
        if value != 0.0 {
            let _ = write!(said, " {name} {value}");
        }
    }
    for color in [&s.color, &s.highlight].into_iter().flatten() {
        let _ = write!(said, " #{color}");
    }
    said
}

fn inline(inline: &Inline, out: &mut String) {
    match inline {
        Inline::Text(text, style) => {
            let short: String = text.chars().take(24).collect();
            let _ = write!(out, "[{}] {short}{} ", look(style), if short.len() < text.len() { "…" } else { "" });
        }
        Inline::Link(target, inner) => {
            let _ = write!(out, "link {target:?} ( ");
            inner.iter().for_each(|i| self::inline(i, out));
            out.push_str(") ");
        }
        Inline::Drawing(d) => write!(out, "{} ", drawn(d)).expect("written"),
        Inline::Anchored(a) => {
            let Anchored { x, y, wrap, behind, .. } = &**a;
            let _ = write!(out, "anchored {wrap:?} behind {behind} x {x:?} y {y:?} {} ", drawn(&a.drawing));
        }
        Inline::Footnote(_) => out.push_str("<footnote> "),
        Inline::Page(_, format) => write!(out, "<page {format:?}> ").expect("written"),
        Inline::Pages(_) => out.push_str("<pages> "),
        Inline::SectionPages(_) => out.push_str("<section pages> "),
        Inline::PageOf(place, _) => write!(out, "<page of {place}> ").expect("written"),
        Inline::Place(place) => write!(out, "<place {place}> ").expect("written"),
        Inline::Tab(_) => out.push_str("<tab> "),
        Inline::Break => out.push_str("<line> "),
        Inline::PageBreak => out.push_str("<page break> "),
        Inline::ColumnBreak => out.push_str("<column break> "),
        Inline::Signer(..) => out.push_str("<signer> "),
        Inline::Marked(_, inner) => self::inline(inner, out),
    }
}

fn drawn(d: &Drawing) -> String {
    let size = format!("{:.0}×{:.0} turned {:.0}", d.width, d.height, d.turned);
    match &d.shows {
        Shows::Picture { part, crop, text } => format!("picture {part} {size} crop {crop:.2?} “{text}”"),
        Shows::Shape { form, fill, line, .. } => {
            format!("{form:?} {size} {} {}", fill.as_deref().unwrap_or("-"), line.as_ref().map_or("-", |l| &l.color))
        }
        Shows::Group(parts) => format!("group {size} of {}", parts.len()),
        Shows::Words(words, font, ..) => format!("words {words} {font} {size}"),
        Shows::Frame(label) => format!("frame {label} {size}"),
    }
}

fn apart(inline: &Inline, depth: usize, out: &mut String) {
    let text = |d: &Drawing, out: &mut String| {
        if let Shows::Shape { text: Some(text), .. } = &d.shows {
            said(&text.blocks, depth + 2, out);
        }
    };
    match inline {
        Inline::Footnote(note) => said(note, depth + 2, out),
        Inline::Drawing(d) => text(d, out),
        Inline::Anchored(a) => text(&a.drawing, out),
        _ => {}
    }
}

#[test]
fn lines_run_down_at_bar_tabs_and_between_columns() {
    let bars = pdf("text-bars");
    let words = words(&bars).remove(0);
    let bottom = |text: &str| words.iter().find(|w| w.text == text).expect("a berth").bottom;
    let near = |found: Vec<f64>, wanted: &[f64]| {
        let near = found.len() == wanted.len() && found.iter().zip(wanted).all(|(a, b)| (a - b).abs() < 0.6);
        assert!(near, "{found:?}, not {wanted:?}");
    };
    // 2835 and 6804 twentieths of a point from the left margin, down the three lines alone.
    near(upright(&bars, 1, bottom("A02") - 9.0, bottom("A15") - 1.0), &[212.6, 411.05]);
    near(upright(&bars, 1, bottom("A15") + 2.0, bottom("A15") + 30.0), &[]);
    // Amid the gaps of 708 and of 567 twentieths.
    let columns = pdf("page-column-lines");
    let room = 595.3 - 2.0 * 70.85;
    near(upright(&columns, 1, 250.0, 700.0), &[70.85 + room / 2.0]);
    let third = (room + 28.35) / 3.0;
    near(upright(&columns, 2, 100.0, 700.0), &[70.85 + third - 14.175, 70.85 + third * 2.0 - 14.175]);
}

#[test]
fn every_file_of_the_corpus_reads_as_it_did() {
    let mut names: Vec<String> = std::fs::read_dir(folder())
        .expect("the corpus")
        .filter_map(|f| Some(f.ok()?.file_name().to_str()?.strip_suffix(".docx")?.to_owned()))
        .collect();
    names.sort();
    assert!(names.len() >= 67 && WHOLE.iter().all(|name| names.iter().any(|n| n == name)), "{names:?}");
    let mut facts = Vec::new();
    for name in names {
        let document = open(&name).unfilled_pages().unwrap_or_else(|e| panic!("{name}: {e}"));
        facts.push(format!("{name}: {}", counted(&document)));
        if WHOLE.contains(&name.as_str()) {
            insta::assert_snapshot!(format!("corpus_{name}"), described(&document));
        }
    }
    insta::assert_snapshot!("corpus_facts", facts.join("\n"));
}

#[test]
fn documents_have_as_many_pages_as_an_office_program_gives_them() {
    let counts = [
        ("lists", 1),
        ("lists-legal", 1),
        ("page-borders", 2),
        ("page-columns", 1),
        ("page-columns-flow", 3),
        ("page-columns-whole", 3),
        ("page-contents", 4),
        ("page-endnotes", 1),
        ("page-footnotes", 2),
        ("page-headers", 3),
        ("page-sections", 3),
        ("page-tall-header", 1),
        ("paragraph-breaks", 4),
        ("paragraph-keep", 4),
        ("paragraph-widows", 2),
        ("table-kept", 6),
        ("table-pages", 8),
        ("page-columns-uneven", 1),
        ("page-line-numbers", 2),
        ("whole-contract", 9),
        ("whole-handbook", 7),
        ("whole-letter", 1),
        ("whole-quote", 2),
    ];
    for (name, count) in counts {
        assert_eq!(open(name).unfilled().expect(name).page_count(), count, "{name}");
    }
}

#[test]
fn lines_end_where_a_word_processor_ends_them() {
    let ends = |name: &str| -> Vec<String> {
        let pages = pages(name);
        lines(&pages[0]).iter().filter_map(|line| Some(line.last()?.text.clone())).collect()
    };
    let indents = ends("paragraph-indents");
    assert_eq!(indents[..7], ["all", "answers", "is", "of", "the", "at", "on."]);
    let justified = pages("paragraph-indents");
    let first = &lines(&justified[0])[0];
    // The text is 70.85 to 524.45 wide: a justified line fills it.
    let last = first.last().expect("a word");
    assert!((last.right - 524.45).abs() < 0.3, "{}", last.right);
}

#[test]
fn spaces_between_paragraphs_are_the_larger_of_two() {
    let pages = pages("paragraph-keep");
    let lines = lines(&pages[0]);
    let heading = lines.iter().position(|l| l[0].text == "Section" && l[1].text == "2").expect("the second heading");
    let gap = lines[heading][0].bottom - lines[heading - 1][0].bottom;
    // 12 points before the heading, not 8 more after the text; its line is 16 × 1.2207,
    // and the text's own is 1.0791 times its distance.
    assert!((gap - (12.0 + 16.0 * 1.2207 + 11.0 * 1.2207 * 0.0791 + 1.1)).abs() < 1.5, "{gap}");
}

#[test]
fn headers_differ_on_first_and_even_pages_and_count() {
    let said: Vec<String> = pages("page-headers")
        .iter()
        .map(|page| {
            let all = lines(page);
            let words = |line: &[Word]| line.iter().map(|w| w.text.as_str()).collect::<Vec<_>>().join(" ");
            format!("{} | {}", words(&all[0]), all.last().map(|l| words(l)).unwrap_or_default())
        })
        .collect();
    // The even pages have no footer of their own, so none.
    assert!(said[0].starts_with("The first page | "), "{said:?}");
    assert!(said[1].starts_with("Even page 2 | "), "{said:?}");
    assert!(said[2].starts_with("Odd page 3 | ") && said[2].ends_with("3 of 3"), "{said:?}");
}

#[test]
fn sections_have_paper_and_numbers_of_their_own() {
    let pdf = pdf("page-sections");
    let sizes = super::poppler::sizes(&pdf);
    assert_eq!(sizes, [(595.3, 841.9), (841.9, 595.3), (595.3, 841.9)]);
    let feet: Vec<String> = words(&pdf)
        .iter()
        .map(|page| lines(page).last().map(|l| l.iter().map(|w| w.text.as_str()).collect::<Vec<_>>().join(" ")).unwrap_or_default())
        .collect();
    assert_eq!(feet, ["Page i, 1 in this part", "Page 5, 1 in this part", "Page 6, 1 in this part"]);
}

#[test]
fn columns_are_balanced_between_text_that_goes_across() {
    let pages = pages("page-columns");
    let page = &pages[0];
    let (left, right): (Vec<_>, Vec<_>) = page.iter().filter(|w| w.bottom > 290.0 && w.bottom < 500.0).partition(|w| w.left < 297.0);
    assert!(left.len() > 60 && right.len() > 60, "{} {}", left.len(), right.len());
    assert!(right.iter().all(|w| w.left > 315.0));
    let across = page.iter().find(|w| w.text == "again.").expect("text below the columns");
    assert!(across.bottom > left.iter().map(|w| w.bottom).fold(0.0, f64::max));
}

#[test]
fn a_table_of_contents_is_made_anew_with_the_pages_of_its_headings() {
    let pages = pages("page-contents");
    let entries: Vec<(String, String)> = lines(&pages[0])
        .iter()
        .take(5)
        .map(|l| {
            let entry = l.iter().map(|w| w.text.as_str()).collect::<Vec<_>>().join(" ");
            let number = entry.rsplit('.').next().unwrap_or_default().trim().to_owned();
            (l[0].text.trim_end_matches(|c: char| c == '.' || c.is_ascii_digit()).to_owned(), number)
        })
        .collect();
    for (name, number) in &entries {
        let number: usize = number.parse().unwrap_or_else(|_| panic!("{entries:?}"));
        let own = &pages[number - 1];
        let heads = lines(own).iter().filter(|l| l[0].text == *name && !l.iter().any(|w| w.text.contains("...."))).count();
        assert_eq!(heads, 1, "{name} is not on page {number}");
    }
    let last: String = lines(&pages[3]).last().map(|l| l.iter().map(|w| w.text.as_str()).collect::<Vec<_>>().join(" ")).unwrap_or_default();
    assert_eq!(last, format!("See Fees on page {}.", entries[2].1));
}

#[test]
fn notes_stand_at_the_bottom_of_the_page_that_names_them() {
    let pages = pages("page-footnotes");
    let notes: Vec<usize> = pages.iter().map(|page| page.iter().filter(|w| w.text == "Note").count()).collect();
    assert_eq!(notes, [4, 4]);
    let foot = pages[0].iter().filter(|w| w.text == "Note").map(|w| w.bottom).fold(f64::MAX, f64::min);
    assert!(pages[0].iter().filter(|w| w.text == "metered").all(|w| w.bottom < foot));
}

#[test]
fn text_stands_beside_a_picture_while_it_lasts() {
    let pages = pages("drawing-beside-left");
    let all = lines(&pages[0]);
    let lefts: Vec<f64> = all.iter().map(|l| l[0].left).collect();
    let beside = lefts.iter().filter(|l| (**l - 229.85).abs() < 1.0).count();
    // A picture of 100 points beside lines of 14.5.
    assert_eq!(beside, 7, "{lefts:?}");
    assert!(lefts.iter().rev().take(6).all(|l| (*l - 70.85).abs() < 1.0), "{lefts:?}");
}

#[test]
fn header_rows_are_repeated_and_whole_rows_stay_whole() {
    let pages = pages("table-pages");
    assert!(pages.iter().skip(1).all(|page| lines(page)[0][0].text == "Berth" && lines(page)[0][1].text == "Holder"));
}

#[test]
fn what_can_not_be_drawn_is_told_once_and_framed() {
    let document = open("drawing-chart").unfilled_pages().expect("reads");
    let said: Vec<String> = document.left_out.iter().map(ToString::to_string).collect();
    assert_eq!(said, ["A chart (Berths by year) can't be shown: a labelled frame is used instead. Replace it with a picture."]);
    assert!(pages("drawing-chart")[0].iter().any(|w| w.text == "Berths"));
}

#[test]
fn soft_hyphens_do_not_copy_out_with_other_signs() {
    let page = pages("text-signs").remove(0);
    assert!(page.iter().filter(|w| !w.text.contains('\u{ad}')).count() > 10 && page.iter().any(|w| w.text.contains("soft")), "{page:?}");
    assert!(!page.iter().any(|w| w.text != "soft\u{ad}hyphen," && w.text.contains('\u{ad}')), "{page:?}");
}

#[test]
fn a_double_border_is_two_lines() {
    let drawn = |name: &str| open(name).unfilled().expect(name).svg(0).expect("a page");
    // The cell's box has a white line along the middle of each of its four sides.
    let svg = drawn("table-doubles");
    assert!(svg.matches("stroke=\"#ffffff\"").count() >= 4 + 3, "{}", svg.matches("stroke=\"#ffffff\"").count());
    assert_eq!(drawn("table-cells").matches("stroke=\"#ffffff\"").count(), 0);
}
