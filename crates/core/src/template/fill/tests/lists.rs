//! Repeats, names set, clauses and what must differ from turn to turn.

use proptest::prelude::*;

use super::SMALL;
use crate::language::syntax::Symbology;
use crate::language::{Context, Fault, Scope, Ties};
use crate::records::{Sheet, from_json};
use crate::template::{Clauses, Coverage, Draw, Drawing, Filling, Place, TextTemplate, compile, gather};
use crate::value::Locale;

const NOON: jiff::civil::DateTime = jiff::civil::DateTime::constant(2026, 11, 23, 12, 0, 0, 0);

/// A survey: findings with photographs, lines of a quote by section.
fn case() -> Sheet {
    let json = serde_json::json!({
        "Ref": "BQ-0031", "Boat": "Grace", "Discount": "10%",
        "Tags": ["keel", "rig", "keel"],
        "Findings": [
            { "Title": "Keel bolts", "Grade": 2, "Photos": [{ "File": "a.jpg", "Caption": "bolt" }, { "File": "b.jpg", "Caption": "nut" }] },
            { "Title": "Rigging", "Grade": 1, "Photos": [] },
            { "Title": "Sea cocks", "Grade": null, "Photos": [{ "File": "c.jpg", "Caption": "cock" }] },
        ],
        "Lines": [
            { "Section": "Berth", "Item": "A10", "Qty": 1, "Price": 480.5 },
            { "Section": "Power", "Item": "A2", "Qty": 30, "Price": 0.35 },
            { "Section": "Berth", "Item": "a1", "Qty": 2, "Price": 12 },
            { "Section": "Power", "Item": "b7", "Qty": 0, "Price": 99 },
        ],
    });
    from_json("cases", &json).expect("a case")
}

/// Draws what it is told as an element, and counts lists on from 100.
#[derive(Default)]
struct Easel {
    lists: usize,
}

impl Draw for Easel {
    fn draw(&mut self, drawing: &Drawing<'_>, instead: Option<&[u8]>) -> Result<Option<Vec<u8>>, Fault> {
        let text = match drawing {
            Drawing::Picture { value, .. } => format!("<pic of='{}'/>", crate::language::plain(value, &Locale::english())?),
            Drawing::Barcode { code, .. } if code.symbology == Symbology::Ean13 => return Err(Fault::Drawing("12 or 13 digits".into())),
            Drawing::Barcode { code, with, .. } => format!("<code kind='{}' with='{}'/>", code.symbology.word(), with.len()),
            Drawing::Signer(field) => format!("<sign role='{}' field='{}'/>", field.role.text, field.field.word()),
        };
        Ok(Some(format!("{text}{}", instead.map_or("", |_| "<!--instead-->")).into_bytes()))
    }

    fn list_anew(&mut self, _: &str) -> String {
        self.lists += 1;
        (99 + self.lists).to_string()
    }
}

fn run(xml: &str, trace: bool) -> (String, Filling) {
    let compiled = compile(gather(format!("<doc>{xml}</doc>").into_bytes().into(), &SMALL, Place::Body).expect("gathers"));
    let problems: Vec<String> = compiled.problems.iter().map(|p| format!("problem {}: {}", p.code, p)).collect();
    if !problems.is_empty() {
        return (problems.join("\n"), Filling::default());
    }
    let (sheet, ties, context) = (case(), Ties::default(), Context::new(Locale::english(), NOON));
    let scope = Scope::new(&sheet.records[0], &ties, &context);
    let (mut out, mut easel) = (Vec::new(), Easel::default());
    let filling = match trace {
        true => compiled.program.fill_traced(&scope, &mut out, &mut easel),
        false => compiled.program.fill(&scope, &mut out, &mut easel),
    };
    let text = match filling.errors.first() {
        Some(error) => format!("error {error}"),
        None => {
            let text = String::from_utf8(out).expect("UTF-8");
            text.strip_prefix("<doc>").and_then(|t| t.strip_suffix("</doc>")).expect("a doc").replace(" xml:space=\"preserve\"", "")
        }
    };
    (text, filling)
}

fn filled(xml: &str) -> String {
    run(xml, false).0
}

fn p(text: &str) -> String {
    format!("<p><r><t>{text}</t></r></p>")
}

fn row(cells: &[&str]) -> String {
    format!("<tr>{}</tr>", cells.iter().map(|c| format!("<tc>{}</tc>", p(c))).collect::<String>())
}

fn table(rows: &[String]) -> String {
    format!("<tbl>{}</tbl>", rows.concat())
}

/// A line of text as a subject or file name.
fn text(template: &str) -> String {
    let template = TextTemplate::new(template);
    if let Some(problem) = template.problems().first() {
        return format!("problem {}", problem);
    }
    let (sheet, ties, context) = (case(), Ties::default(), Context::new(Locale::english(), NOON));
    template.fill(&Scope::new(&sheet.records[0], &ties, &context)).unwrap_or_else(|e| format!("error {}", e.error))
}

#[test]
fn a_row_is_repeated_for_each_record_and_the_header_stays() {
    let head = row(&["Item", "Price"]);
    let out = filled(&table(&[head.clone(), row(&["[:repeat row for lines where qty > 0][: item]", "[: price as number \"0.00\"]"])]));
    assert_eq!(out, table(&[head, row(&["A10", "480.50"]), row(&["A2", "0.35"]), row(&["a1", "12.00"])]));
}

#[test]
fn several_rows_are_one_group() {
    let rows = [row(&["[:repeat 2 rows for findings][: title]"]), row(&["grade [: grade else \"none\"]"]), row(&["end"])];
    let expected = [
        row(&["Keel bolts"]),
        row(&["grade 2"]),
        row(&["Rigging"]),
        row(&["grade 1"]),
        row(&["Sea cocks"]),
        row(&["grade none"]),
        row(&["end"]),
    ];
    assert_eq!(filled(&table(&rows)), table(&expected));
    assert!(filled(&table(&[row(&["[:repeat 3 rows for lines]x"]), row(&["y"])])).starts_with("problem too-few-rows"));
}

#[test]
fn lists_are_sorted_with_blanks_last_and_a2_before_a10() {
    for (list, order) in [
        ("lines sort by item", "a1 A2 A10 b7"),
        ("lines sort by qty desc", "A2 a1 A10 b7"),
        ("lines sort by section, price desc", "A10 a1 b7 A2"),
        ("lines where section = \"POWER\" sort by price", "A2 b7"),
        ("lines sort by price first 2", "A2 a1"),
        ("lines first (1 + 1)", "A10 A2"),
        ("lines first 0", ""),
        ("lines first (missing else 1)", "error unknown name “missing”"),
    ] {
        assert_eq!(text(&format!("[:repeat for {list}][:if not turn.first] [:end][: item][:end]")), order, "{list}");
    }
    assert_eq!(text("[:repeat for findings sort by grade][: title],[:end]"), "Rigging,Keel bolts,Sea cocks,");
    assert_eq!(text("[:repeat for findings sort by grade desc][: title],[:end]"), "Keel bolts,Rigging,Sea cocks,");
}

#[test]
fn groups_give_a_turn_each_with_all_their_records() {
    assert_eq!(
        text("[:repeat for lines group by section][: section]: [: count(group)] for [: sum(group.(qty * price))]; [:end]"),
        "Berth: 2 for 504.5; Power: 2 for 10.5;"
    );
    assert_eq!(text("[:repeat for lines group by section][:repeat for group sort by item][: item] [:end]/ [:end]"), "a1 A10 / A2 b7 /");
}

#[test]
fn repeats_nest_and_names_are_looked_up_outwards() {
    assert_eq!(
        text(
            "[:repeat for findings][: title] ([:repeat for photos][: caption] of [: boat][:if not turn.last], [:end][:else]no photo[:end]) [:end]"
        ),
        "Keel bolts (bolt of Grace, nut of Grace) Rigging (no photo) Sea cocks (cock of Grace)"
    );
    assert_eq!(
        text("[:repeat for findings where count(photos) > 0][: outer.ref] [: turn.number]/[: turn.count] [:end]"),
        "BQ-0031 1/2 BQ-0031 2/2"
    );
    assert_eq!(text("[: findings.photos.caption as list \"and\"]"), "bolt, nut and cock");
    assert_eq!(text("[:repeat for tags][: turn.value as upper] [:end]"), "KEEL RIG KEEL");
    assert_eq!(text("[: sum(lines.(qty * price))] [: max(lines.price)] [: count(lines)]"), "515 480.5 4");
    assert_eq!(text("[: (lines sort by price desc first 1).item]"), "A10");
    assert_eq!(text("[: count(lines where price > 50)]"), "2");
    assert!(text("[: findings]").starts_with("error expected a value"));
}

#[test]
fn running_adds_up_over_the_turns_so_far() {
    assert_eq!(text("[:repeat for lines][: running(qty)] [:end]"), "1 31 33 33");
    assert_eq!(text("[:repeat for lines sort by qty][: running(qty * price)] [:end]"), "0 480.5 504.5 515");
    assert!(text("[: running(qty)]").starts_with("error running failed"));
}

#[test]
fn a_repeat_within_a_paragraph_keeps_the_looks_of_its_runs() {
    let xml =
        "<p><r><t>We found [:repeat for findings]</t></r><r><look b='1'/><t>[: title]</t></r><r><t>, [:end]and that is all</t></r></p>";
    let item = |t: &str| format!("<r><look b='1'/><t>{t}</t></r><r><t>, </t></r>");
    let expected = format!(
        "<p><r><t>We found </t></r>{}{}{}<r><t>and that is all</t></r></p>",
        item("Keel bolts"),
        item("Rigging"),
        item("Sea cocks")
    );
    assert_eq!(filled(xml), expected);
    let across = "<p><link to='x'><r><t>[:repeat for tags]a</t></r></link><r><t>b[:end]</t></r></p>";
    assert!(filled(across).starts_with("problem passage-crosses"), "{}", filled(across));
}

#[test]
fn paragraphs_tables_and_sections_are_repeated() {
    let paragraphs = [p("[:repeat for findings]"), p("[: title]"), p("[: grade]"), p("[:else]"), p("none"), p("[:end]")].concat();
    assert_eq!(filled(&paragraphs), [p("Keel bolts"), p("2"), p("Rigging"), p("1"), p("Sea cocks")].concat());
    let empty = [p("[:repeat for findings where grade > 5]"), p("x"), p("[:else]"), p("none"), p("[:end]")].concat();
    assert_eq!(filled(&empty), p("none"));
    assert_eq!(filled(&(p("[:repeat para for tags][: turn.value]") + &p("[:keep para else]nothing"))), p("keel") + &p("rig") + &p("keel"));
    let tables = table(&[row(&["[:repeat table for findings where grade > 0][: title]"])]) + "<p/>";
    assert_eq!(filled(&tables), [table(&[row(&["Keel bolts"])]), "<p/>".into(), table(&[row(&["Rigging"])]), "<p/>".into()].concat());
    let section =
        "<p><r><t>[:repeat section for tags first 2][: turn.value]</t></r></p><p><look><sect/></look></p><p>rest</p><sect last='1'/>";
    assert_eq!(
        filled(section),
        "<p><r><t>keel</t></r></p><p><look><sect/></look></p><p><r><t>rig</t></r></p><p><look><sect/></look></p><p>rest</p><sect last='1'/>"
    );
    let last =
        "<p>first</p><p><look><sect/></look></p><p><r><t>[:repeat section for tags first 2][: turn.value]</t></r></p><sect last='1'/>";
    assert_eq!(
        filled(last),
        "<p>first</p><p><look><sect/></look></p><p><r><t>keel</t></r></p><p><look><sect last='1'/></look></p><p><r><t>rig</t></r></p><sect last='1'/>"
    );
}

#[test]
fn a_table_without_turns_goes_and_the_trace_says_so() {
    let (out, filling) = run(&(p("before") + &table(&[row(&["[:repeat row for lines where qty > 99][: item]"])]) + &p("after")), true);
    assert_eq!(out, p("before") + &p("after"));
    assert_eq!(filling.trace[0].note, Some("its table went with its last row"));
    assert_eq!((filling.trace[0].branch, filling.trace[0].count), (Some(1), Some(0)));
}

#[test]
fn the_trace_tells_branches_values_and_fields() {
    let (_, filling) = run(&p("[:if discount][: boat as upper][:else]x[:end] [:repeat for tags first 2][: turn.value][:end]"), true);
    let lines: Vec<String> = filling
        .trace
        .iter()
        .map(|t| {
            format!(
                "{} {:?} {:?} {:?} {:?}",
                t.placeholder,
                t.turns,
                t.branch,
                t.printed.as_deref().unwrap_or("-"),
                t.read.iter().map(ToString::to_string).collect::<Vec<_>>()
            )
        })
        .collect();
    insta::assert_snapshot!(lines.join("\n"));
}

#[test]
fn joined_cells_stay_right() {
    let joined = |starts: bool, text: &str| {
        let join = if starts { "<join val=\"restart\"/>" } else { "<join/>" };
        format!("<tc><look>{join}</look>{}</tc>", p(text))
    };
    let of = |cells: &[String]| format!("<tr>{}</tr>", cells.concat());
    let cell = |text: &str| format!("<tc>{}</tc>", p(text));
    // The row that began the joined cells goes: the next begins them.
    let kept =
        table(&[of(&[joined(true, "a"), cell("[:keep row if missing is blank or true = false]1")]), of(&[joined(false, "b"), cell("2")])]);
    assert!(filled(&kept).starts_with("error"), "unknown names fail");
    let kept = table(&[of(&[joined(true, "a"), cell("[:keep row if 1 > 2]1")]), of(&[joined(false, "b"), cell("2")])]);
    assert_eq!(filled(&kept), table(&[of(&[joined(true, "b"), cell("2")])]));
    // Repeated beside cells that go on below, they are one.
    let repeated = table(&[of(&[joined(true, "a"), cell("[:repeat row for tags][: turn.value]")]), of(&[joined(false, "b"), cell("sum")])]);
    let expected = [(true, "a", "keel"), (false, "a", "rig"), (false, "a", "keel"), (false, "b", "sum")];
    assert_eq!(filled(&repeated), table(&expected.map(|(starts, a, b)| of(&[joined(starts, a), cell(b)]))));
    // Within the group they begin anew in each turn.
    let group = table(&[of(&[joined(true, "[:repeat 2 rows for tags first 2]a"), cell("x")]), of(&[joined(false, "b"), cell("y")])]);
    let expected = [(true, "a", "x"), (false, "b", "y"), (true, "a", "x"), (false, "b", "y")];
    assert_eq!(filled(&group), table(&expected.map(|(starts, a, b)| of(&[joined(starts, a), cell(b)]))));
}

#[test]
fn numbers_and_names_stay_unique() {
    let xml = "<p id='0000000A'><mark no='7' name='top'/><r><t>[:repeat para for tags][: turn.value]</t></r><endmark no='7'/><link to='top'/></p>";
    let out = filled(xml);
    assert!(out.starts_with("<p id='0000000A'><mark no='7' name='top'/>"), "{out}");
    for unique in
        ["<mark no='9' name='top_2'/>", "<endmark no='9'/><link to='top_2'/>", "<mark no='11' name='top_3'/>", "<endmark no='11'/>"]
    {
        assert!(out.contains(unique), "{unique} in {out}");
    }
    assert_eq!(out.matches("0000000A").count(), 1);
}

#[test]
fn a_list_within_a_repeat_begins_anew_and_a_repeated_item_goes_on_counting() {
    let item = |text: &str| format!("<p><look><list val='3'/></look><r><t>{text}</t></r></p>");
    let within = [p("[:repeat for findings][: title]"), item("first"), item("second[:end]")].concat();
    let out = filled(&within);
    let lists: Vec<&str> = out.split("list val='").skip(1).filter_map(|s| s.split('\'').next()).collect();
    assert_eq!(lists, ["3", "3", "100", "100", "101", "101"]);
    let items = item("[:repeat para for findings][: title]");
    assert_eq!(filled(&items).matches("val='3'").count(), 3);
}

#[test]
fn names_are_set_for_the_rest_of_their_level() {
    assert_eq!(text("[:set vat = 20%][: 100 * vat]"), "20");
    assert_eq!(text("[:set x = 1][:set x = x + 1][: x]"), "2");
    assert_eq!(text("[:set x = 1][:repeat for tags first 1][:set x = 5][: x][:end][: x]"), "51");
    assert_eq!(text("[:set boat = boat & \"!\"][: boat]"), "Grace!");
    assert_eq!(filled(&(p("[:set x = 3]") + &p("[: x]"))), p("3"), "a paragraph that only sets a name disappears");
}

#[test]
fn clauses_see_the_names_where_they_stand_and_speak_the_language() {
    let (clauses, problems) = Clauses::new([
        ("late payment", "", "Pay [: boat] within [: days] days[:if days < 10], please[:end]."),
        ("late payment", "de", "Zahlen Sie für [: boat] binnen [: days] Tagen."),
        ("both", "", "[:clause \"late payment\" with days = 7] [:clause \"Late  Payment\" with days = 30]"),
        ("circle", "", "[:clause \"round\"]"),
        ("round", "", "[:clause \"circle\"]"),
        ("wrong", "", "[: rund(1)]"),
    ]);
    let said: Vec<String> = problems.iter().map(|p| format!("{} {}", p.clause, p.problem.code)).collect();
    assert_eq!(said, ["wrong unknown-function", "circle clause-circle", "round clause-circle"]);
    let sheet = case();
    let fill = |template: &str, tag: &str| {
        let context = Context { clauses: clauses.clone(), ..Context::new(Locale::parse(tag).expect(tag), NOON) };
        let ties = Ties::default();
        TextTemplate::new(template).fill(&Scope::new(&sheet.records[0], &ties, &context)).unwrap_or_else(|e| format!("error {}", e.error))
    };
    assert_eq!(fill("[:clause \"both\"]", "en-GB"), "Pay Grace within 7 days, please. Pay Grace within 30 days.");
    assert_eq!(fill("[:clause \"late payment\" with days = 3]", "de-AT"), "Zahlen Sie für Grace binnen 3 Tagen.");
    assert!(fill("[:clause \"circle\"]", "en-GB").contains("is nested too deeply (maximum 16 levels)"));
    assert!(fill("[:clause \"nothing\"]", "en-GB").contains("is not in the clause library"));
}

#[test]
fn pictures_barcodes_and_signature_fields_stand_in_runs() {
    let xml = p("[:repeat for findings.photos][:picture file height 4cm][:end][:barcode qr of ref size 2cm][:signer holder signature]");
    let out = filled(&xml);
    for drawn in ["<pic of='a.jpg'/>", "<pic of='c.jpg'/>", "<code kind='qr' with='0'/>", "<sign role='holder' field='signature'/>"] {
        assert!(out.contains(drawn), "{drawn} in {out}");
    }
    assert!(gather(format!("<doc>{out}</doc>").into_bytes().into(), &SMALL, Place::Body).is_ok());
    assert_eq!(filled(&p("[:barcode ean13 of ref]")), "error [:barcode ean13 of ref] in the body: 12 or 13 digits");
    assert!(text("[:picture ref]").starts_with("error a picture can't be used in plain text"));
}

#[test]
fn passages_and_repeats_that_do_not_fit_are_problems() {
    for (xml, code) in [
        (p("[:repeat for tags]x[:end if]"), "end-of-another"),
        (p("[:if boat]x[:end repeat]"), "end-of-another"),
        (p("[:repeat for tags]x"), "never-ended"),
        (p("[:repeat for tags]x[:else if boat]y[:end]"), "else-if-of-repeat"),
        (p("[:repeat row for tags]x"), "row-outside-table"),
        (p("[:keep table if boat]x"), "table-outside-table"),
        (p("[:keep 2 paras if boat]x"), "too-few-paragraphs"),
        (p("[:keep section if boat]x"), "last-section"),
    ] {
        let out = filled(&xml);
        assert!(out.starts_with(&format!("problem {code}")), "{xml}: {out}");
    }
}

#[test]
fn the_outline_nests_conditions_and_repeats() {
    let template =
        [p("[:repeat for findings]"), p("[: title]"), p("[:if grade > 1]high[:else]low[:end]"), p("[:end]"), p("[: boat]")].concat();
    let compiled = compile(gather(format!("<doc>{template}</doc>").into_bytes().into(), &SMALL, Place::Body).expect("gathers"));
    fn lines(outline: &[crate::template::Outline], depth: usize, out: &mut Vec<String>) {
        for line in outline {
            out.push(format!("{}{}", "  ".repeat(depth), line.words));
            lines(&line.within, depth + 1, out);
        }
    }
    let mut out = Vec::new();
    lines(&compiled.outline, 0, &mut out);
    assert_eq!(out, ["repeat for each finding", "  title", "  if grade > 1", "  else", "boat"]);
}

#[test]
fn names_within_repeats_know_their_lists() {
    let template = TextTemplate::new(
        "[: ref][:repeat for findings where grade > 0][: title][:repeat for photos][: caption][:end][:else][: boat][:end]",
    );
    let names: Vec<String> = template
        .placeholders()
        .iter()
        .flat_map(|p| &p.names)
        .map(|n| {
            let within: Vec<String> = n.within.iter().map(|w| w.as_ref().map(|p| p.join(".")).unwrap_or_default()).collect();
            format!("{} in {}", n.name, within.join("/"))
        })
        .collect();
    assert_eq!(
        names,
        [
            "ref in ",
            "findings in ",
            "grade in findings",
            "title in findings",
            "photos in findings",
            "caption in findings/photos",
            "boat in "
        ]
    );
}

proptest! {
    /// Whatever blocks stand in paragraphs and rows, filling keeps the XML well-formed.
    #[test]
    fn filling_lists_keeps_the_nesting(
        pieces in proptest::collection::vec("(\\[:repeat for tags\\]|\\[:if boat\\]|\\[:else\\]|\\[:end\\]|\\[: turn\\.value\\]|\\[:set x = 1\\]|x| |\\[:page break\\]|¶)", 0..14),
    ) {
        let body: String = pieces.concat().split('¶').map(|line| {
            let runs: String = line.split_inclusive(']').map(|r| format!("<r><look/><t>{r}</t></r>")).collect();
            format!("<p>{runs}</p>")
        }).collect();
        let out = filled(&body);
        if !out.starts_with("problem") && !out.starts_with("error") {
            prop_assert!(gather(format!("<doc>{out}</doc>").into_bytes().into(), &SMALL, Place::Body).is_ok(), "{}\n{}", body, out);
        }
    }

    /// A list of any length gives as many rows, and nothing is lost on the way.
    #[test]
    fn every_record_has_its_row(count in 0usize..60) {
        let json = serde_json::json!({ "Lines": (0..count).map(|n| serde_json::json!({ "No": n })).collect::<Vec<_>>() });
        let sheet = from_json("cases", &json).expect("records");
        let template = TextTemplate::new("[:repeat for lines][: no],[:end]");
        let (ties, context) = (Ties::default(), Context::new(Locale::english(), NOON));
        let out = template.fill(&Scope::new(&sheet.records[0], &ties, &context)).expect("fills");
        prop_assert_eq!(out, (0..count).map(|n| format!("{n},")).collect::<String>());
    }
}

#[test]
fn a_row_repeated_within_repeated_rows_stands_within_their_list() {
    let xml =
        table(&[row(&["[:repeat 2 rows for lines group by section][: section]"]), row(&["[:repeat row for group sort by qty][: item]"])]);
    let compiled = compile(gather(format!("<doc>{xml}</doc>").into_bytes().into(), &SMALL, Place::Body).expect("gathers"));
    let within: Vec<usize> = compiled.placeholders.iter().map(|p| p.names.iter().map(|n| n.within.len()).max().unwrap_or(0)).collect();
    assert_eq!(within, [1, 1, 2, 2]);
    assert_eq!(filled(&xml), table(&["Berth", "A10", "a1", "Power", "b7", "A2"].map(|cell| row(&[cell]))));
}

#[test]
fn the_trace_knows_where_each_value_stands() {
    let xml = p("Dear [: boat], [: ref].")
        + &p("[:if 1 > 2][: ref][:end]")
        + &p("[: missing else \" \"]")
        + &p("[: boat] ")
        + &p("[:picture ref]");
    let compiled = compile(gather(xml.clone().into_bytes().into(), &SMALL, Place::Body).expect("gathers"));
    let (sheet, ties, context) = (case(), Ties::default(), Context::new(Locale::english(), NOON));
    let mut out = Vec::new();
    let filling = compiled.program.fill_traced(&Scope::new(&sheet.records[0], &ties, &context), &mut out, &mut Easel::default());
    let stretches: Vec<&str> = filling.trace.iter().filter_map(|t| std::str::from_utf8(&out[t.at.clone()?]).ok()).collect();
    // What fails stands as it is written, so that it is found.
    assert_eq!(stretches, ["Grace", "BQ-0031", "[: missing else \" \"]", "Grace", "<pic of='BQ-0031'/>"]);
    let failed: Vec<&str> = filling.trace.iter().filter_map(|t| t.failed.as_deref()).collect();
    assert_eq!(failed, ["unknown name “missing”"]);
    // And so do the placeholders in what it was compiled from, however they were split.
    let split = "<p><r><t>Dear [: bo</t></r><r><t>at]</t></r></p>";
    let compiled = compile(gather(split.as_bytes().into(), &SMALL, Place::Body).expect("gathers"));
    let pieces: Vec<&str> = compiled.spots[0].iter().map(|at| &split[at.clone()]).collect();
    assert_eq!(pieces, ["[: bo", "at]"]);
}

#[test]
fn a_value_whose_last_space_a_gap_takes_ends_before_it() {
    let json = serde_json::json!({ "Name": "Grace ", "Note": "" });
    let sheet = from_json("boats", &json).expect("a boat");
    let compiled = compile(gather(p("[: name][: note], moored").into_bytes().into(), &SMALL, Place::Body).expect("gathers"));
    let (ties, context, mut out) = (Ties::default(), Context::new(Locale::english(), NOON), Vec::new());
    let filling = compiled.program.fill_traced(&Scope::new(&sheet.records[0], &ties, &context), &mut out, &mut Easel::default());
    let at = filling.trace[0].at.clone().expect("printed");
    assert_eq!(&out[at], b"Grace");
    assert!(String::from_utf8_lossy(&out).contains("Grace, moored"));
}

/// The ways that records of a list take through a text, with their numbers.
fn ways(text: &str, records: &serde_json::Value) -> Vec<String> {
    let compiled = compile(gather(p(text).into_bytes().into(), &SMALL, Place::Body).expect("gathers"));
    let sheet = from_json("boats", records).expect("records");
    let (ties, context) = (Ties::default(), Context::new(Locale::english(), NOON));
    let mut coverage = Coverage::new(compiled.ways);
    for record in &sheet.records {
        let filling = compiled.program.fill_traced(&Scope::new(record, &ties, &context), &mut Vec::new(), &mut Easel::default());
        coverage.take(&filling.trace, record.number);
    }
    coverage.ways().iter().map(|t| format!("{} {:?} {} {:?}", t.way.begins, t.way.took, t.records, t.first)).collect()
}

#[test]
fn coverage_counts_the_records_that_take_each_way() {
    let records = serde_json::json!([
        { "Loa": 14, "Mobile": "1", "Tags": ["a", "b"] },
        { "Loa": 9, "Home": "2", "Tags": [] },
        { "Loa": 9, "Mobile": "", "Tags": [] },
    ]);
    assert_eq!(
        ways("[:if loa > 12]long[:else if loa > 10]middling[:else]short[:end] [: mobile else home]", &records),
        [
            "0 Branch(0) 1 Some(1)",
            "1 Branch(1) 0 None",
            "0 Branch(2) 2 Some(2)",
            "4 Alternative(0) 1 Some(1)",
            "4 Alternative(1) 1 Some(2)",
            "4 Blank 1 Some(3)",
        ]
    );
    assert_eq!(
        ways("[:repeat for tags][:if turn.first]x[:end][:end] [: mobile else \"none\"]", &records),
        [
            "0 Turns 1 Some(1)",
            "0 NoTurns 2 Some(2)",
            "1 Branch(0) 1 Some(1)",
            "1 NoBranch 1 Some(1)",
            "4 Alternative(0) 1 Some(1)",
            "4 Alternative(1) 2 Some(2)",
        ]
    );
}

#[test]
fn lines_that_do_not_add_up_to_their_sum_are_noticed_when_someone_asks() {
    let uneven = |lines: &str, sum: &str, asked: bool| {
        let xml = format!("<doc><tbl>{}</tbl>{}</doc>", row(&[&format!("[:repeat for lines][: {lines}][:end]")]), p(&format!("[: {sum}]")));
        let compiled = compile(gather(xml.into_bytes().into(), &SMALL, Place::Body).expect("gathers"));
        assert!(compiled.problems.is_empty(), "{:?}", compiled.problems);
        let (sheet, ties) = (case(), Ties::default());
        let mut context = Context::new(Locale::parse("de-DE").expect("a locale"), NOON);
        if asked {
            context.noticed.ask();
        }
        compiled.program.fill(&Scope::new(&sheet.records[0], &ties, &context), &mut Vec::new(), &mut Easel::default());
        let found = context.noticed.uneven();
        found.into_iter().map(|u| format!("{} {} {} {}", u.sum, u.printed, u.lines, u.added)).collect::<Vec<_>>()
    };
    let thirds = "sum(lines.price) / 3 as number \"#,##0.00\"";
    let found = ["[: sum(lines.price) / 3 as number \"#,##0.00\"] 197.28 [: price / 3 as number \"#,##0.00\"] 197.29"];
    assert_eq!(uneven("price / 3 as number \"#,##0.00\"", thirds, true), found);
    assert!(uneven("price / 3 as number \"#,##0.00\"", thirds, false).is_empty());
    // With the sign of a currency that no one types.
    let dollars = uneven("price / 3 as money \"CAD\"", "sum(lines.price) / 3 as money \"CAD\"", true);
    assert_eq!(dollars, ["[: sum(lines.price) / 3 as money \"CAD\"] 197.28 [: price / 3 as money \"CAD\"] 197.29"]);
    // Lines rounded in their value, and lines that no rounding changes.
    assert!(uneven("round(price / 3; 2) as number \"#,##0.00\"", thirds, true).is_empty());
    assert!(uneven("price as number \"#,##0.00\"", "sum(lines.price) as number \"#,##0.00\"", true).is_empty());
}
