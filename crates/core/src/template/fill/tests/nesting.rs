//! What stands within what: the outline of a template's logic, and how deep it may nest.

use super::SMALL;
use crate::template::{Compiled, Outline, Place, compile, gather};

fn compiled(xml: &str) -> Compiled {
    compile(gather(format!("<doc>{xml}</doc>").into_bytes().into(), &SMALL, Place::Body).expect("gathers"))
}

fn p(text: &str) -> String {
    format!("<p><r><t>{text}</t></r></p>")
}

fn row(cells: &[&str]) -> String {
    format!("<tr>{}</tr>", cells.iter().map(|text| format!("<tc>{}</tc>", p(text))).collect::<String>())
}

/// The outline in one line: what stands within stands in parentheses.
fn told(lines: &[Outline]) -> String {
    let one = |line: &Outline| match line.within.is_empty() {
        true => line.words.clone(),
        false => format!("{} ({})", line.words, told(&line.within)),
    };
    lines.iter().map(one).collect::<Vec<_>>().join(", ")
}

fn outline(xml: &str) -> String {
    let compiled = compiled(xml);
    assert_eq!(compiled.problems.iter().map(|p| p.message.as_str()).collect::<Vec<_>>(), Vec::<&str>::new(), "{xml}");
    told(&compiled.outline)
}

#[test]
fn cells_left_of_their_rows_repeat_stand_within_it() {
    let lines = row(&["[: turn.number]", "[:repeat row for lines][: item]", "[: price]"]);
    assert_eq!(
        outline(&format!("{}<tbl>{lines}</tbl>{}", p("[: a]"), p("[: b]"))),
        "a, repeat row for each line (turn.number, item, price), b"
    );
}

#[test]
fn rows_nest_in_reading_order_and_by_what_they_reach() {
    // Two rows of a group, the second of them repeated in each; the row below is apart.
    let table = format!(
        "<tbl>{}{}{}</tbl>",
        row(&["[:repeat 2 rows for lines group by section][: section]", "[: sum(group.price)]"]),
        row(&["[: turn.number]", "[:repeat row for group][: item]"]),
        row(&["[:keep row if discount][: discount]"]),
    );
    assert_eq!(
        outline(&table),
        "repeat 2 rows for each section of lines (section, sum(group.price), repeat row for each item in group (turn.number, item)), row if discount (discount)"
    );
    // In one row the earlier holds the later, and both the cell.
    let one = format!("<tbl>{}</tbl>", row(&["[:keep row if due][: a]", "[:repeat row for lines][: b]"]));
    assert_eq!(outline(&one), "row if due (repeat row for each line (a, b))");
}

#[test]
fn passages_and_what_is_taken_whole_hold_one_another() {
    let table =
        format!("<tbl>{}</tbl>", row(&["[:repeat row for lines][:if optional]optional [: item][:else][: item][:end]", "[: price]"]));
    assert_eq!(
        outline(&format!("{}{table}{}{}", p("[:if lines]"), p("[:end]"), p("[: end of it]"))),
        "if lines (repeat row for each line (if optional (item), else (item), price)), end of it"
    );
    // A table within a cell of a repeated row, a paragraph, a table, a section.
    let inner = format!("<tbl>{}</tbl>", row(&["[:repeat row for parts][: name]"]));
    let nested = format!("<tbl><tr><tc>{}{inner}{}</tc></tr></tbl>", p("[:repeat row for lines][: item]"), p("[: price]"));
    assert_eq!(outline(&nested), "repeat row for each line (item, repeat row for each part (name), price)");
    assert_eq!(outline(&p("[: note][:keep para if note]")), "paragraph if note (note)");
    assert_eq!(outline(&format!("<tbl>{}{}</tbl>", row(&["[: a]"]), row(&["[:keep table if b][: c]"]))), "table if b (a, c)");
    let section = format!("{}{}<p><look><sect/></look></p>{}", p("[: a]"), p("[:repeat section for cases][: ref]"), p("[: b]"));
    assert_eq!(outline(&section), "repeat section for each case (a, ref), b");
}

#[test]
fn an_else_of_a_row_stands_beside_it() {
    let table = format!("<tbl>{}{}</tbl>", row(&["[:keep row if paid][: a]"]), row(&["[:keep row else][: b]"]));
    assert_eq!(outline(&table), "row if paid (a), else (b)");
}

#[test]
fn what_nests_too_deep_is_told_once() {
    let problems = |xml: &str| compiled(xml).problems.into_iter().map(|p| (p.code, p.source)).collect::<Vec<_>>();
    let passages = |depth: usize| "[:if a]".repeat(depth) + "[: b]" + &"[:end]".repeat(depth);
    assert_eq!(problems(&p(&passages(64))), []);
    assert_eq!(problems(&p(&passages(65))), [("too-deep".into(), "[: b]".to_owned())]);
    let rows = |count: usize| format!("<tbl>{}</tbl>", row(&[&("[:repeat row for lines]".repeat(count) + "[: item]")]));
    assert_eq!(problems(&rows(64)), []);
    assert_eq!(problems(&rows(65)).iter().map(|(code, _)| code.clone()).collect::<Vec<_>>(), ["too-deep"]);
    // However deep, it is read in no time, and its outline is no deeper.
    let deep = compiled(&p(&passages(5_000)));
    assert!(deep.problems.iter().any(|p| p.code == "too-deep"));
    fn depth(lines: &[Outline]) -> usize {
        lines.iter().map(|line| 1 + depth(&line.within)).max().unwrap_or(0)
    }
    assert_eq!(depth(&deep.outline), 65);
    assert!(compiled(&rows(5_000)).problems.iter().any(|p| p.code == "too-deep"));
    let over = "[:if a]".repeat(5_000) + "b";
    assert!(!compiled(&(p(&over) + &p(&("c".to_owned() + &"[:end]".repeat(5_000))))).problems.is_empty());
}

#[test]
fn many_repeats_beside_one_another_are_read_in_no_time() {
    let table: String = (0..4_000).map(|n| row(&[&format!("[:repeat row for lines{n}][: item]")])).collect();
    let compiled = compiled(&format!("<tbl>{table}</tbl>"));
    assert_eq!((compiled.problems.len(), compiled.placeholders.len()), (0, 8_000));
    assert_eq!(compiled.outline.len(), 4_000);
    assert_eq!(compiled.placeholders[7_999].names[0].within, [Some(vec!["lines3999".to_owned()])]);
}
