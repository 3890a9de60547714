use std::sync::Arc;

use jiff::civil::{Date, DateTime};

use crate::language::{Context, Scope, Ties};
use crate::records::{Column, ColumnType, Record, Schema};
use crate::template::{Dialect, Identity, NoDrawing, Place, Role, TextTemplate, compile, gather};

mod lists;
mod nesting;
use crate::value::{Locale, Value};

/// A small vocabulary with the shapes of a word processor's.
const SMALL: Dialect = Dialect {
    role: |_, local| match local {
        "p" => Role::Paragraph,
        "r" => Role::Run,
        "t" => Role::Text,
        "look" => Role::Properties,
        "br" => Role::Break,
        "tbl" => Role::Table,
        "tr" => Role::Row,
        "tc" => Role::Cell,
        "sect" => Role::SectionEnd,
        "span" => Role::Columns,
        "join" => Role::Merge,
        _ => Role::Other,
    },
    identity: |element, attribute| match (element, attribute) {
        ("p", "id") => Some(Identity::Paragraph),
        ("mark", "no") | ("endmark", "no") => Some(Identity::Bookmark),
        ("mark", "name") => Some(Identity::BookmarkName),
        ("link", "to") => Some(Identity::Anchor),
        ("list", "val") => Some(Identity::List),
        _ => None,
    },
    page_break: "<{}page/>",
    merge: ("<{}join/>", "<{}join val=\"restart\"/>"),
    section: ("<{}p><{}look>", "</{}look></{}p>"),
    text: "t",
    line_break: "br",
    tab: "tab",
    paragraph: "p",
    run: "r",
};

fn record() -> Record {
    let fields = [
        ("First name", ColumnType::Text, Value::text("Jörg & Söhne <GmbH>")),
        ("Title", ColumnType::Text, Value::Blank),
        ("Note", ColumnType::Text, Value::text("one\ntwo")),
        ("Balance", ColumnType::Number, Value::Number(405.into())),
        ("Liveaboard", ColumnType::YesNo, Value::Bool(false)),
        ("Due", ColumnType::Date, Value::Date(Date::constant(2026, 9, 30))),
    ];
    let schema = Schema::new(fields.iter().map(|(n, k, _)| Column::new(n, *k)).collect()).expect("schema");
    Record::new(Arc::new(schema), fields.into_iter().map(|(_, _, v)| v).collect(), 48)
}

fn filled(xml: &str) -> String {
    let compiled = compile(gather(format!("<doc>{xml}</doc>").into_bytes().into(), &SMALL, Place::Body).expect("gathers"));
    if let Some(problem) = compiled.problems.first() {
        return format!("problem {}: {}", problem.code, problem);
    }
    let (record, ties) = (record(), Ties::default());
    let context = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 0, 0, 0));
    let mut out = Vec::new();
    let errors = compiled.program.fill(&Scope::new(&record, &ties, &context), &mut out, &mut NoDrawing).errors;
    if let Some(error) = errors.first() {
        return format!("error {error}");
    }
    let out = String::from_utf8(out).expect("UTF-8");
    out.replace("<doc>", "").replace("</doc>", "").replace(" xml:space=\"preserve\"", "")
}

/// Fills one paragraph of one run and gives its text.
fn line(text: &str) -> String {
    filled(&format!("<p><r><t>{text}</t></r></p>")).replace("<p><r><t>", "").replace("</t></r></p>", "")
}

#[test]
fn a_placeholder_split_over_runs_keeps_the_look_of_its_first_sign() {
    let xml = "<p><r><look b='1'/><t>Dear [: fir</t></r><r><look i='1'/><t>st na</t></r><r><t>me], hello</t></r></p>";
    assert_eq!(filled(xml), "<p><r><look b='1'/><t>Dear Jörg &amp; Söhne &lt;GmbH&gt;</t></r><r><t>, hello</t></r></p>");
}

#[test]
fn values_are_escaped_and_keep_their_line_breaks() {
    assert_eq!(filled("<p><r><t>[: note]</t></r></p>"), "<p><r><t>one</t><br/><t>two</t></r></p>");
}

#[test]
fn what_holds_no_placeholder_comes_out_byte_for_byte() {
    let xml = "<p  a='1'><r><t>as it &amp; was</t></r></p><!-- remark --><p/>";
    assert_eq!(filled(xml), xml);
    let mixed = format!("{xml}<p><r><t>[: balance]</t></r></p>{xml}");
    assert_eq!(filled(&mixed), mixed.replace("[: balance]", "405"));
}

#[test]
fn blanks_leave_no_stray_spaces() {
    assert_eq!(line("Dear [: title] [: balance],"), "Dear 405,");
    assert_eq!(line("[: title] Berth"), "Berth");
    assert_eq!(line("Berth [: title]"), "Berth");
    assert_eq!(line("Berth [: title], C14"), "Berth, C14");
    assert_eq!(line("(Berth [: title])"), "(Berth)");
    assert_eq!(line("Berth [: title] [: title] C14"), "Berth C14");
    assert_eq!(line("C[: title]14"), "C14");
    assert_eq!(line("quay. [: title] Next"), "quay. Next");
}

#[test]
fn a_blank_paragraph_of_placeholders_goes_but_a_cells_last_stays() {
    assert_eq!(filled("<p><r><t>[: title] [: title]</t></r></p><p><r><t>x</t></r></p>"), "<p><r><t>x</t></r></p>");
    let cell = "<tbl><tr><tc><p><look a='1'/><r><t>[: title]</t></r></p></tc></tr></tbl>";
    assert_eq!(filled(cell), "<tbl><tr><tc><p><look a='1'/></p></tc></tr></tbl>");
}

#[test]
fn a_paragraph_that_ends_a_section_stays() {
    assert_eq!(filled("<p><look><sect/></look><r><t>[: title]</t></r></p>"), "<p><look><sect/></look></p>");
}

#[test]
fn one_passage_of_several_in_running_text() {
    assert_eq!(line("You owe [:if balance &gt; 1000]much[:else if balance &gt; 0]some[:else]nothing[:end]."), "You owe some.");
    assert_eq!(line("Berth [:if liveaboard]for living[:end] C14"), "Berth C14");
    assert_eq!(line("a[:if not liveaboard] b[:if balance = 1]c[:end][:end] d"), "a b d");
}

#[test]
fn no_space_stays_at_the_edge_of_a_passage() {
    assert_eq!(line("[:if balance &gt; 0] It fell due. [:end]"), "It fell due.");
    assert_eq!(line("[:if balance &gt; 0] A. [:else] B. [:end] Tail."), "A. Tail.");
    assert_eq!(line("[:if balance &lt; 0] A. [:else] B. [:end] Tail."), "B. Tail.");
    assert_eq!(line("Pay [:if balance &gt; 0] now [:end], please."), "Pay now, please.");
    assert_eq!(line("Pay[:if balance &gt; 0] now[:end] please."), "Pay now please.");
}

#[test]
fn a_passage_within_a_paragraph_over_several_runs_keeps_their_looks() {
    let xml = "<p><r><t>a [:if liveaboard]no</t></r><r><look/><t>bold</t><br/></r><r><t>[:else]yes[:end] z</t></r></p>";
    assert_eq!(filled(xml), "<p><r><t>a </t></r><r><look/><t></t></r><r><t>yes z</t></r></p>");
}

#[test]
fn passages_over_paragraphs_leave_nothing_behind() {
    let p = |text: &str| format!("<p><r><t>{text}</t></r></p>");
    let xml = [p("[:if liveaboard]"), p("one"), p("[:else]"), p("two"), p("[:end]"), p("three")].concat();
    assert_eq!(filled(&xml), p("two") + &p("three"));
    let xml = [p("[:if liveaboard]one"), p("two[:end]"), p("three")].concat();
    assert_eq!(filled(&xml), p("three"));
    let nested = [p("[:if balance]"), p("[:if liveaboard]"), p("no"), p("[:end][:end]"), p("x")].concat();
    assert_eq!(filled(&nested), p("x"));
}

#[test]
fn rows_are_kept_by_condition_and_an_empty_table_goes() {
    let row = |text: &str| format!("<tr><tc><p><r><t>{text}</t></r></p></tc></tr>");
    let table = |rows: &[String]| format!("<tbl>{}</tbl>", rows.concat());
    assert_eq!(filled(&table(&[row("[:keep row if liveaboard]a"), row("[:keep row else]b"), row("c")])), table(&[row("b"), row("c")]));
    assert_eq!(filled(&(table(&[row("[:keep row if liveaboard]a")]) + "<p/>")), "<p/>");
}

#[test]
fn paragraphs_are_kept_by_condition_and_a_cell_keeps_one() {
    let p = |text: &str| format!("<p><r><t>{text}</t></r></p>");
    assert_eq!(filled(&(p("[:keep para if liveaboard]a") + &p("[:keep para else if balance &gt; 9]b") + &p("[:keep para else]c"))), p("b"));
    assert_eq!(
        filled("<tbl><tr><tc><p><r><t>[:keep para if liveaboard]a</t></r></p></tc></tr></tbl>"),
        "<tbl><tr><tc><p/></tc></tr></tbl>"
    );
}

#[test]
fn a_doubled_bracket_prints_one() {
    assert_eq!(line("write [[: balance]"), "write [: balance]");
}

#[test]
fn record_data_is_never_read_as_a_placeholder() {
    let template = TextTemplate::new("[: first name] [: \"[: balance]\"]");
    let (record, ties) = (record(), Ties::default());
    let context = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 0, 0, 0));
    let text = template.fill(&Scope::new(&record, &ties, &context));
    assert_eq!(text.as_deref(), Ok("Jörg & Söhne <GmbH> [: balance]"));
}

#[test]
fn problems_name_the_place_and_the_remedy() {
    assert_eq!(line("Dear [: name"), "problem never-closed: “[: name” is not closed. Add “]”.");
    assert_eq!(line("a[:end]"), "problem end-without-start: `end` without `if` or `repeat`. Remove it or add the missing start.");
    assert_eq!(line("[:if balance] x"), "problem never-ended: missing `[:end]`");
    assert!(line("x[:else]y").starts_with("problem else-without-if"));
    assert!(line("[:keep row if balance]").starts_with("problem row-outside-table"));
    let crossing = "<tbl><tr><tc><p><r><t>[:if balance]</t></r></p></tc><tc><p><r><t>[:end]</t></r></p></tc></tr></tbl>";
    assert!(filled(crossing).starts_with("problem passage-crosses"));
    let middle = "<p><r><t>a [:if balance] b</t></r></p><p><r><t>c[:end]</t></r></p>";
    assert!(filled(middle).starts_with("problem passage-misplaced"));
}

#[test]
fn an_error_names_placeholder_place_and_value() {
    assert_eq!(line("[: first name + 1]"), "error [: first name + 1] in the body: expected a number, but got text: Jörg & Söhne <GmbH>");
}

/// What is wrong with a part, whether or not a placeholder may stand in it.
#[test]
fn parts_that_cant_be_read_are_refused() {
    use crate::template::GatherError;
    let why = |xml: &str| gather(xml.as_bytes().into(), &SMALL, Place::Body).err();
    let deep = format!("{}{}{}", "<a>".repeat(400), "{}", "</a>".repeat(400));
    for inside in ["", "[", "&#91;"] {
        let broken = |xml: &str| matches!(why(&xml.replace("{}", inside)), Some(GatherError::Xml { .. }));
        assert_eq!(why(&format!("<!DOCTYPE doc SYSTEM 'x'><doc>{inside}</doc>")), Some(GatherError::Dtd), "{inside}");
        assert_eq!(why(&deep.replace("{}", inside)), Some(GatherError::TooDeep), "{inside}");
        assert!(broken("<doc><p>{}</doc>"), "{inside}");
        assert!(broken("<doc><p>{}</p>"), "{inside}");
        assert!(broken("<doc><p><r><t>&none;{}</t></r></p></doc>"), "{inside}");
        assert_eq!(why(&format!("<doc><p><r><t>a &amp; b{inside}</t></r></p></doc>")), None, "{inside}");
    }
}

mod laws {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever stands in a paragraph, filling keeps the XML well-formed.
        #[test]
        fn filling_keeps_the_nesting(pieces in proptest::collection::vec("(\\[: title\\]|\\[:if liveaboard\\]|\\[:else\\]|\\[:end\\]|\\[: note\\]|x| |<br/>)", 0..12)) {
            let body: String = pieces.iter().map(|p| if p == "<br/>" { "<r><br/></r>".to_owned() } else { format!("<r><t>{p}</t></r>") }).collect();
            let out = filled(&format!("<p>{body}</p>"));
            if !out.starts_with("problem") {
                prop_assert!(gather(format!("<doc>{out}</doc>").into_bytes().into(), &SMALL, Place::Body).is_ok(), "{}", out);
            }
        }
    }
}
