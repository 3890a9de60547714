//! The rules of the placeholder language, one test each, sentence by sentence.
//! Where a rule speaks of rows, pages or drawings, its test stands beside the
//! engine (`template/fill/tests`) or in `documents/tests`.

use std::sync::Arc;

use jiff::civil::DateTime;
use mangle_core::language::{Context, Office, Scope, Ties};
use mangle_core::records::{Cell, RawSheet, Sheet, from_json};
use mangle_core::template::{Clauses, TextTemplate};
use mangle_core::value::Locale;

const NOW: DateTime = DateTime::constant(2026, 11, 23, 9, 42, 0, 0);

fn case() -> Sheet {
    let json = serde_json::json!({
        "Ref": "BQ-0031", "First name": "Jörg", "Last_Name": "Brückner", "Owner's boat": "Möwe", "Terms and conditions": "net",
        "Check in date": "2026-12-01", "After hours fee": 35, "Balance": 1234.5, "Zero": 0, "Paid": false, "Liveaboard": true,
        "Blank": "", "Spaces": "  ", "Text": "Straße", "Digits": "12", "Code": "0012", "End": "the end", "Due": "2026-09-30",
        "Left": null, "Left on": null, "Typed date": "30.09.2026", "Rate": "12.5%", "Long": "1234567890123456", "Plus": "+31 20 7946 0017",
        "Owner": { "Last name": "Quayle", "Boats": [{ "Name": "Grace" }, { "Name": "Tern" }] },
        "Tags": ["keel", "rig"], "None": [],
        "Lines": [
            { "Section": "Berth", "Item": "A10", "Qty": 1, "Price": 480.5, "Note": "" },
            { "Section": "Power", "Item": "A2", "Qty": 30, "Price": 0.35, "Note": "metered" },
            { "Section": "Berth", "Item": "a1", "Qty": 2, "Price": 12, "Ref": "own" },
        ],
    });
    from_json("cases", &json).expect("a case")
}

fn in_locale(text: &str, tag: &str) -> String {
    let template = TextTemplate::new(text);
    if let Some(problem) = template.problems().first() {
        return format!("problem {}", problem.code);
    }
    let (sheet, ties) = (case(), Ties::default());
    let mut context = Context::new(Locale::parse(tag).expect(tag), NOW);
    context.office = Office { name: "Brackwater Quay".into(), email: "office@brackwater-quay.example".into(), ..Office::default() };
    context.dispatch = "Reminders".into();
    (context.run_number, context.run_count) = (3, 214);
    let (clauses, problems) = Clauses::new([
        ("late payment", "", "Pay [: ref] within [: days] days."),
        ("late payment", "de", "Zahlen Sie [: ref] binnen [: days] Tagen."),
        ("sets", "", "[:set days = 9][: days]"),
    ]);
    assert_eq!(problems, []);
    context.clauses = clauses;
    match template.fill(&Scope::new(&sheet.records[0], &ties, &context)) {
        Ok(text) => text,
        Err(error) => format!("error {}", error.error.fault.code()),
    }
}

fn line(text: &str) -> String {
    in_locale(text, "en-GB")
}

/// Each text beside what becomes of it.
fn all(cases: &[(&str, &str)]) {
    for (text, printed) in cases {
        assert_eq!(line(text).trim_end(), *printed, "{text}");
    }
}

#[test]
fn rule_1_kind_words_count_only_where_they_touch_the_bracket() {
    all(&[
        ("[: end]", "the end"),
        ("[: left]", ""),
        ("[:if liveaboard]a[:end if]", "a"),
        ("[:if liveaboard]a[:end repeat]", "problem end-of-another"),
        ("[:repeat for tags][: turn.value] [:end repeat]", "keel rig"),
        ("[:repeat]x[:end]", "problem expected"),
        ("[:if]x[:end]", "problem expected"),
        ("[:iff balance]x", "problem expected"),
    ]);
}

#[test]
fn rule_2_a_placeholder_ends_at_the_first_bracket_outside_quotes() {
    all(&[
        ("[: ref after \"]\"]!", "BQ-0031]!"),
        ("[:-- ask [Ida] first]x", "x"),
        ("[: ref [: balance]", "problem never-closed"),
        ("[: ref\n]", "problem never-closed"),
        ("[[: ref]", "[: ref]"),
    ]);
}

#[test]
fn rule_3_signs_of_word_processors_are_read_as_plain_ones() {
    all(&[
        ("[: ref after “!”]", "BQ-0031!"),
        ("[: ref after „!”]", "BQ-0031!"),
        ("[: ref after «!»]", "BQ-0031!"),
        ("[: ‘terms and conditions’]", "net"),
        ("[: 5 – 2]", "3"),
        ("[: 5 — 2]", "3"),
        ("[: if(zero ≤ 0; \"a\"; \"b\")][: if(zero ≠ 0; \"a\"; \"b\")][: if(balance ≥ 1; \"a\"; \"b\")]", "aba"),
        ("[: 3 × 4][: 3 · 4] [: 8 ÷ 2]", "1212 4"),
        ("[:\u{a0}bal\u{ad}ance\u{a0}+\u{2009}1]", "1235.5"),
    ]);
}

#[test]
fn rule_4_names_match_less_case_spaces_dashes_and_apostrophes() {
    all(&[
        ("[: last name][: LAST-NAME][: lastname][: Last_Name]", "BrücknerBrücknerBrücknerBrückner"),
        ("[: owner's boat] [: owners boat] [: OWNER’S BOAT]", "Möwe Möwe Möwe"),
        ("[: Net-Work-Days(2026-11-23; 2026-11-27)]", "5"),
        ("[: 'end']", "the end"),
        ("[: 'today']", "error unknown-name"),
    ]);
    let twice = RawSheet {
        name: "Holders".into(),
        header: vec!["Last_Name".into(), "last name".into()],
        rows: vec![vec![Cell::Text("a".into()), Cell::Text("b".into())]],
        ..RawSheet::default()
    };
    assert!(Sheet::recognise(&twice).is_err());
}

#[test]
fn rule_5_the_innermost_level_that_has_the_field_wins_even_where_it_is_blank() {
    all(&[
        // `Ref` is a key of one line only, and so a column of all of them.
        ("[:repeat for lines][: turn.number][: ref before \":\"] [:end]", "1 2 3:own"),
        ("[:repeat for owner.boats][: name]/[: ref] [:end]", "Grace/BQ-0031 Tern/BQ-0031"),
        ("[: sum(lines.(qty * price))]", "515"),
        ("[: count(lines where section = \"Berth\")]", "2"),
        ("[: balanse]", "error unknown-name"),
    ]);
}

#[test]
fn rule_6_built_in_names_come_after_fields_and_those_of_the_turn_before() {
    all(&[
        ("[: today as date \"yyyy-MM-dd\"] [: now as time \"HH:mm\"]", "2026-11-23 09:42"),
        ("[: run.number] of [: run.count], [: dispatch.name]", "3 of 214, Reminders"),
        ("[: office.name], [: office.email]", "Brackwater Quay, office@brackwater-quay.example"),
        (
            "[:repeat for tags][: turn.number]/[: turn.count] [: turn.value][:if turn.first] first[:end][:if turn.last] last[:end]. [:end]",
            "1/2 keel first. 2/2 rig last.",
        ),
        ("[:repeat for lines first 1][: outer.ref][:end]", "BQ-0031"),
        ("[:repeat for lines group by section][: section] [: count(group)]; [:end]", "Berth 2; Power 1;"),
    ]);
}

#[test]
fn rule_7_set_holds_to_the_end_of_its_level() {
    all(&[
        ("[:set x = 1][:set x = x + 1][: x]", "2"),
        ("[:set x = 1][:repeat for tags][:set x = 5][: x][:end][: x]", "551"),
        ("[:if liveaboard][:set x = 3][:end][: x]", "3"),
        ("[:if paid][:set x = 3][:end][: x][: x is blank as yes/no]", "yes"),
    ]);
}

#[test]
fn rule_8_clauses_see_the_names_where_they_stand_and_speak_the_language_in_force() {
    let text = "[:clause \"late payment\" with days = 14]";
    assert_eq!(in_locale(text, "en-GB"), "Pay BQ-0031 within 14 days.");
    assert_eq!(in_locale(text, "de-DE"), "Zahlen Sie BQ-0031 binnen 14 Tagen.");
    assert_eq!(line("[:set days = 7][:clause \"late payment\"]"), "Pay BQ-0031 within 7 days.");
    assert_eq!(line("[:set days = 7][:clause \"sets\"][: days]"), "97");
    assert_eq!(line("[:clause \"nothing\"]"), "error clause");
    let (_, problems) = Clauses::new([("a", "", "[:clause \"b\"]"), ("b", "", "[:clause \"a\"]"), ("open", "", "[:if x]")]);
    let codes: Vec<&str> = problems.iter().map(|p| p.problem.code.as_ref()).collect();
    assert!(codes.contains(&"clause-circle") && codes.len() == 3, "{codes:?}");
}

#[test]
fn rule_9_repeat_applies_where_sort_group_and_first_in_that_order() {
    all(&[
        ("[:repeat for lines where qty > 1 sort by price desc][: item] [:end]", "a1 A2"),
        ("[:repeat for lines sort by item][: item] [:end]", "a1 A2 A10"),
        ("[:repeat for lines sort by section, price desc first 2][: item] [:end]", "A10 a1"),
        ("[:repeat for lines where qty > 1 group by section first 1][: section][: count(group)][:end]", "Power1"),
        ("[:repeat for owner][: last name][:end]", "Quayle"),
        ("[:repeat for blank]x[:else]none[:end]", "none"),
        ("[:repeat for none]x[:else]none[:end]", "none"),
        ("[:repeat for tags first (blank)][: turn.value] [:end]", "keel rig"),
        ("[:repeat for tags first 0]x[:else]none[:end]", "none"),
        ("[:repeat for tags first (1.5)]x[:end]", "error wrong-kind"),
        ("[:repeat for lines where qty > 99]x[:else][: ref][:end]", "BQ-0031"),
    ]);
}

#[test]
fn rule_11_a_passage_lies_within_one_paragraph_or_takes_whole_ones() {
    all(&[
        ("a[:if paid]b[:end]c", "ac"),
        ("[:if liveaboard]\na\n[:else]\nb\n[:end]\nc", "a\nc"),
        ("a[:if paid]\nb\n[:end]", "problem passage-misplaced"),
        ("[:end]", "problem end-without-start"),
        ("[:if paid]a", "problem never-ended"),
        ("[:else]a", "problem else-without-if"),
    ]);
}

#[test]
fn rule_13_what_prints_nothing_leaves_no_gap() {
    all(&[
        ("Dear [: blank] [: last name],", "Dear Brückner,"),
        ("Dear [: last name] [: blank], hello", "Dear Brückner, hello"),
        ("[: blank] x", "x"),
        ("x [: blank]", "x"),
        ("x ([: blank])", "x ()"),
        ("a\n[: blank]\nb", "a\nb"),
        ("a\n\nb", "a\n\nb"),
        ("one[:if paid], two[:end] three", "one three"),
    ]);
}

#[test]
fn rule_14_blank_is_an_empty_cell_or_list_or_spaces_only() {
    all(&[
        ("[: blank is blank as yes/no][: spaces is blank as yes/no][: left is blank as yes/no][: none is blank as yes/no]", "yesyesyesyes"),
        ("[: zero is blank as yes/no][: paid is blank as yes/no][: lines is not blank as yes/no]", "nonoyes"),
        ("[: zero else \"x\"] [: spaces else \"x\"]", "0 x"),
        ("[: blank after \"!\"][: zero after \"!\"]", "0!"),
        ("[: isblank(left) as yes/no][: isblank(\"\") as yes/no]", "yesno"),
    ]);
}

#[test]
fn rule_15_blank_in_expressions_is_nothing_but_not_a_date() {
    all(&[
        ("[: left + 1] [: \"a\" & left & \"b\"] [: if(left; \"x\"; \"y\")]", "1 ab y"),
        ("[: edate(left; 1) else \"none\"]", "none"),
        ("[: if(left < today; \"past\"; \"no\")][: if(left >= today; \"coming\"; \"no\")]", "nono"),
    ]);
    let noticed = |text: &str| {
        let (sheet, ties) = (case(), Ties::default());
        let mut context = Context::new(Locale::english(), NOW);
        context.noticed.ask();
        TextTemplate::new(text).fill(&Scope::new(&sheet.records[0], &ties, &context)).expect("fills");
        context.noticed.blank_date()
    };
    assert!(noticed("[: edate(left; 1)]") && noticed("[: if(due < left; 1; 2)]") && noticed("[: due - left]"));
    assert!(!noticed("[: edate(due; 1)][: left + 1][: if(due < today; 1; 2)][: left]"));
}

#[test]
fn rule_16_conditions_are_yes_no_or_what_is_there() {
    all(&[
        ("[:if liveaboard]a[:end][:if paid]b[:end][:if balance]c[:end][:if zero]d[:end][:if text]e[:end][:if blank]f[:end]", "ace"),
        ("[:if lines]a[:end][:if none]b[:end][:if owner]c[:end][:if due]d[:end]", "acd"),
        ("[:if text = \"a\" or \"b\"]x[:end]", "problem bare-text"),
        ("[:if 1 < balance < 9]x[:end]", "problem chained-comparison"),
    ]);
}

#[test]
fn rule_17_only_what_is_needed_is_worked_out() {
    all(&[
        ("[: ref else 1 / zero]", "BQ-0031"),
        (
            "[: if(true; \"a\"; 1 / zero)] [: if(paid and 1 / zero > 1; \"a\"; \"b\")] [: if(liveaboard or 1 / zero > 1; \"a\"; \"b\")]",
            "a b a",
        ),
        ("[: choose(2; 1 / zero; \"b\")][: switch(1; 1; \"a\"; 1 / zero)][: ifs(true; \"c\"; 1 / zero; \"d\")]", "bac"),
        ("[: 1 / zero else \"x\"]", "error divide-by-zero"),
        ("[: iferror(1 / zero; \"x\")]", "x"),
    ]);
}

#[test]
fn rule_18_unlike_types_are_not_equal_and_have_no_order() {
    all(&[
        ("[: if(text = 3; \"a\"; \"b\")][: if(text <> 3; \"a\"; \"b\")]", "ba"),
        ("[: if(text < 3; \"a\"; \"b\")]", "error unlike-types"),
        ("[: if(due = \"2026-09-30\"; \"a\"; \"b\")][: if(due < \"2026-10-01\"; \"a\"; \"b\")]", "aa"),
    ]);
}

#[test]
fn rule_19_text_is_equal_without_regard_to_case() {
    all(&[
        ("[: if(text = \"STRASSE\"; \"a\"; \"b\")][: if(text = \"strasze\"; \"a\"; \"b\")]", "ab"),
        (
            "[: if(text contains \"ASS\"; \"a\"; \"b\")][: if(text starts with \"STR\"; \"a\"; \"b\")][: if(text ends with \"SSE\"; \"a\"; \"b\")]",
            "aaa",
        ),
        ("[: if(last name = \"bruckner\"; \"a\"; \"b\")][: if(ref in (\"x\"; \"bq-0031\"); \"a\"; \"b\")]", "ba"),
        ("[: if(exact(\"a\"; \"A\"); \"a\"; \"b\")]", "b"),
        ("[:repeat for lines sort by note][: item] [:end]", "A2 A10 a1"),
        ("[:repeat for lines sort by note desc][: item] [:end]", "A2 A10 a1"),
    ]);
}

#[test]
fn rule_20_numbers_are_exact_and_money_keeps_its_currency() {
    all(&[
        ("[: if(0.1 + 0.2 = 0.3; \"exact\"; \"not\")]", "exact"),
        ("[: due + 1 as date \"yyyy-MM-dd\"] [: 2026-10-02 - due]", "2026-10-01 2"),
        ("[: 2^3^2] [: -2^2] [: 50%]", "64 4 0.5"),
        ("[: 1 / 3 * 3]", "1"),
        ("[: power(-2.5; 0.5)] ", "error no-result"),
        ("[: (-8)^3] [: 4^0.5]", "-512 2"),
        ("[: round(2.5; 0)] [: round(-2.5; 0)] [: round(1.005; 2)]", "3 -3 1.01"),
    ]);
}

#[test]
fn rule_21_lists_are_flat_and_their_sums_of_nothing_are_zero() {
    all(&[
        ("[: tags] [: tags as list \"and\"] [: join(tags; \"/\")]", "keel, rig keel and rig keel/rig"),
        ("[: owner.boats.name]", "Grace, Tern"),
        ("[: lines]", "error wrong-kind"),
        ("[: count(lines)] [: sum(none)] [: count(none)] [: max(none) else \"blank\"]", "3 0 0 blank"),
        ("[: average(none)]", "error no-result"),
        ("[: tags + 1]", "error wrong-kind"),
    ]);
}

#[test]
fn rule_22_text_is_read_by_the_source_and_stays_text_where_digits_matter() {
    all(&[
        ("[: code] [: long] [: plus]", "0012 1234567890123456 +31 20 7946 0017"),
        ("[: \"12\" + 1]", "13"),
        ("[: \"a\" + 1]", "error wrong-kind"),
        ("[: value(\"1,234.5\") + 1] [: datevalue(\"2026-09-30\") as date \"d/M\"]", "1235.5 30/9"),
    ]);
}

#[test]
fn rule_23_without_as_a_value_prints_in_the_locales_own_way() {
    all(&[
        ("[: balance] [: 1 / 3] [: due] [: liveaboard]", "1234.5 0.3333333333 30 Sept 2026 yes"),
        ("[: \"x\" & balance & liveaboard]", "x1234.5yes"),
    ]);
    assert_eq!(in_locale("[: balance] [: due] [: liveaboard]", "de-DE"), "1234,5 30.09.2026 ja");
}

#[test]
fn rule_24_options_bind_to_their_alternative_and_those_to_its_left() {
    all(&[
        ("[: blank else balance as money \"EUR\"]", "€1,234.50"),
        ("[: blank else ref as lower after \"!\"]", "bq-0031!"),
        ("[: blank else \"None\" as upper]", "None"),
        ("[: ref as lower else balance as money \"EUR\"]", "bq-0031"),
        ("[: tags as upper as list \"or\"]", "KEEL or RIG"),
    ]);
}

#[test]
fn rule_25_money_prints_with_the_places_of_its_currency() {
    all(&[
        ("[: 12.345 as money \"EUR\"] [: 12.5 as money \"JPY\"] [: -3 as money \"EUR\"]", "€12.35 JP¥13 -€3.00"),
        ("[: (12.345 as money \"EUR\") & \"\"]", "€12.35"),
        ("[: 12.345 + 0]", "12.345"),
    ]);
}

#[test]
fn rule_26_patterns_are_those_of_the_standard() {
    all(&[
        ("[: due as date \"d MMMM yyyy\"] [: due as date \"EEEE\"]", "30 September 2026 Wednesday"),
        ("[: balance as number \"#,##0.00\"] [: zero as number \"000\"] [: 0.125 as percent \"0.0%\"]", "1,234.50 000 12.5%"),
        ("[: due as date \"dd.mm.yyyy\"]", "problem date-pattern"),
        ("[: due as date \"YYYY\"]", "problem date-pattern"),
        ("[: due as date \"D\"]", "problem date-pattern"),
        ("[: now as time \"hh:mm\"]", "problem date-pattern"),
        ("[: balance as number \"0,00\"]", "problem number-pattern"),
        ("[: due as date long in \"de-DE\"]", "30. September 2026"),
        ("[: due as date long in \"fr-FR\"] [: balance as money \"EUR\" in \"nl-NL\"]", "30 septembre 2026 €\u{a0}1.234,50"),
    ]);
}

#[test]
fn rule_28_running_sums_over_the_turns_so_far() {
    all(&[
        ("[:repeat for lines][: running(qty)] [:end]", "1 31 33"),
        ("[:repeat for lines sort by qty desc][: running(qty * price)] [:end]", "10.5 34.5 515"),
    ]);
}

#[test]
fn rule_30_arguments_are_parted_by_either_sign_and_limits_have_their_errors() {
    all(&[
        ("[: round(1.25; 1)] [: round(1.25, 1)] [: if(true; 1, 2)]", "1.3 1.3 1"),
        ("[: match(\"b*\"; tags; 0)]", "error not-found"),
        ("[: days(2026-01-01; 1899-12-30)]", "46023"),
    ]);
    let deep = format!("[: {}1{}]", "(".repeat(70), ")".repeat(70));
    assert!(line(&deep).starts_with("problem "), "{}", line(&deep));
    let long = format!("[: \"{}\"]", "x".repeat(5_000));
    assert!(line(&long).starts_with("problem "), "{}", line(&long));
}

#[test]
fn rule_31_nothing_unreadable_is_ever_printed() {
    all(&[
        ("[: 1 / zero]", "error divide-by-zero"),
        ("[: text + 1]", "error wrong-kind"),
        ("[: unknown]", "error unknown-name"),
        ("[: join(tags; \"[: ref]\")]", "keel[: ref]rig"),
    ]);
    // Record data is never read as a placeholder.
    let sheet = from_json("notes", &serde_json::json!({ "Note": "[: ref] & <b>" })).expect("a note");
    let (ties, context) = (Ties::default(), Context::new(Arc::clone(&Locale::english()), NOW));
    let printed = TextTemplate::new("[: note]").fill(&Scope::new(&sheet.records[0], &ties, &context)).expect("fills");
    assert_eq!(printed, "[: ref] & <b>");
}
