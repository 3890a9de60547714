use super::*;
use crate::language::SyntaxFault;
use crate::language::syntax::{Barcode, ExprKind, Extent, Field, Level, Symbology, Unit};
use crate::value::Value;

/// Writes an expression with all its brackets.
fn shape(expr: &Expr) -> String {
    match &expr.kind {
        ExprKind::Literal(Value::Number(n)) => n.to_string(),
        ExprKind::Literal(Value::Text(t)) => format!("{t:?}"),
        ExprKind::Literal(other) => format!("{other:?}"),
        ExprKind::Name(name) => format!("<{}>", name.text),
        ExprKind::Member(base, name) => format!("{}.<{}>", shape(base), name.text),
        ExprKind::Call(f, args) => {
            let args: Vec<String> = args.iter().map(|a| a.as_ref().map(shape).unwrap_or_default()).collect();
            format!("{}({})", f.name, args.join(";"))
        }
        ExprKind::Negate(x) => format!("-{}", shape(x)),
        ExprKind::Percent(x) => format!("{}%", shape(x)),
        ExprKind::Not(x) => format!("not {}", shape(x)),
        ExprKind::Logic(l, a, b) => format!("({} {l:?} {})", shape(a), shape(b)),
        ExprKind::Arithmetic(o, a, b) => format!("({} {o:?} {})", shape(a), shape(b)),
        ExprKind::Join(a, b) => format!("({} & {})", shape(a), shape(b)),
        ExprKind::Compare(o, a, b) => format!("({} {o:?} {})", shape(a), shape(b)),
        ExprKind::In(x, list, n) => {
            format!("{}{} in {:?}", if *n { "not " } else { "" }, shape(x), list.iter().map(shape).collect::<Vec<_>>())
        }
        ExprKind::IsBlank(x, n) => format!("{} is {}blank", shape(x), if *n { "not " } else { "" }),
        ExprKind::Outer(levels, name) => format!("{}<{}>", "outer.".repeat(*levels), name.text),
        ExprKind::Each(base, inner) => format!("{}.({})", shape(base), shape(inner)),
        ExprKind::List(list) => {
            let mut text = shape(&list.source);
            if let Some(filter) = &list.filter {
                text += &format!(" where {}", shape(filter));
            }
            for key in &list.sort {
                text += &format!(" by {}{}", shape(&key.expr), if key.down { " down" } else { "" });
            }
            if let Some(group) = &list.group {
                text += &format!(" group {}", shape(group));
            }
            if let Some(first) = &list.first {
                text += &format!(" first {}", shape(first));
            }
            format!("{{{text}}}")
        }
        ExprKind::Print(parts) => {
            let parts: Vec<String> = parts
                .iter()
                .map(|p| {
                    let format = p.format.as_ref().map(|f| format!(" as {f:?}")).unwrap_or_default();
                    let after = p.after.as_ref().map(|t| format!(" after {t:?}")).unwrap_or_default();
                    let before = p.before.as_ref().map(|t| format!(" before {t:?}")).unwrap_or_default();
                    format!("{}{format}{after}{before}", shape(&p.expr))
                })
                .collect();
            parts.join(" else ")
        }
    }
}

fn read(text: &str) -> String {
    match value(text) {
        Ok(expr) => shape(&expr),
        Err(error) => format!("{}..{} {}", error.span.start, error.span.end, error),
    }
}

#[test]
fn names_of_several_words_need_no_quotes() {
    assert_eq!(read("first name"), "<first name>");
    assert_eq!(read("days past due > 30"), "(<days past due> Greater 30)");
    assert_eq!(read("check in date"), "<check in date>");
    assert_eq!(read("after hours fee"), "<after hours fee>");
    assert_eq!(read("line 2 before \", \""), "<line 2> before \", \"");
    assert_eq!(read("'terms and conditions'"), "<terms and conditions>");
    assert_eq!(read("holder.last name"), "<holder>.<last name>");
    assert_eq!(read("paid as agreed"), "<paid as agreed>");
}

#[test]
fn operators_bind_as_in_openformula() {
    assert_eq!(read("2^3^2"), "((2 Power 3) Power 2)");
    assert_eq!(read("-2^2"), "(-2 Power 2)");
    assert_eq!(read("1 + 2 * 3 & \"x\" = \"7x\""), "(((1 Add (2 Multiply 3)) & \"x\") Equal \"7x\")");
    assert_eq!(read("a or b and not c is blank"), "(<a> Or (<b> And not <c> is blank))");
    assert_eq!(read("net * 20%"), "(<net> Multiply 20%)");
    assert_eq!(read("status not in (\"a\", \"b\")"), "not <status> in [\"\\\"a\\\"\", \"\\\"b\\\"\"]");
    assert_eq!(read("boat starts with \"De\""), "(<boat> StartsWith \"De\")");
}

#[test]
fn options_bind_to_the_left() {
    assert_eq!(read("a else b after \" \""), "<a> after \" \" else <b> after \" \"");
    let both = read("due else since else \"none\" as date long");
    assert_eq!(both, "<due> as Date(Long) else <since> as Date(Long) else \"none\"");
}

#[test]
fn errors_point_and_say_what_to_write() {
    insta::assert_snapshot!(
        [
            "balance +",
            "round(balance",
            "rund(balance; 2)",
            "round(1; 2; 3)",
            "1 < 2 < 3",
            "status = \"a\" or \"b\"",
            "due as date \"DD.mm.YYYY\"",
            "due as data",
            "name after x",
            "§ 5",
            "balance as money \"euros\"",
            "due in \"nowhere!\"",
            "12345678901234567890123456789",
        ]
        .map(|text| format!("{text}\n    {}", read(text)))
        .join("\n")
    );
}

#[test]
fn kind_words_count_only_where_they_touch() {
    assert!(matches!(kind("end"), Ok(Kind::End(None))));
    assert!(matches!(kind(" end"), Ok(Kind::Print(_))));
    assert!(matches!(kind("else if x > 1"), Ok(Kind::ElseIf(_))));
    assert!(matches!(kind("keep row if note is not blank"), Ok(Kind::Keep(Extent { count: 1, unit: Unit::Row }, _))));
    assert!(matches!(kind("-- ask [Ida] first"), Ok(Kind::Remark)));
    assert!(kind("if").is_err());
    assert!(kind("last name").is_err());
}

#[test]
fn hostile_nesting_is_refused() {
    let deep = format!("{}1{}", "(".repeat(500), ")".repeat(500));
    assert!(matches!(value(&deep), Err(SyntaxError { fault: SyntaxFault::TooDeep(_), .. })));
    let long = "a ".repeat(3000);
    assert!(matches!(value(&long), Err(SyntaxError { fault: SyntaxFault::TooLong(_), .. })));
}

#[test]
fn lists_are_filtered_sorted_grouped_and_cut() {
    let read = |text: &str| match kind(&format!("repeat for {text}")) {
        Ok(Kind::Repeat(None, list)) => shape(&list),
        other => format!("{other:?}"),
    };
    assert_eq!(read("lines"), "<lines>");
    assert_eq!(
        read("lines where qty > 0 sort by section, unit price desc first 50"),
        "{<lines> where (<qty> Greater 0) by <section> by <unit price> down first 50}"
    );
    assert_eq!(read("lines group by section first (limit)"), "{<lines> group <section> first <limit>}");
    assert_eq!(read("case.findings sort by first seen asc"), "{<case>.<findings> by <first seen>}");
    assert_eq!(read("first names"), "<first names>");
}

#[test]
fn lists_stand_within_values_too() {
    assert_eq!(read("sum(lines where qty > 0)"), "SUM({<lines> where (<qty> Greater 0)})");
    assert_eq!(read("sum(lines.(qty * unit price))"), "SUM(<lines>.((<qty> Multiply <unit price>)))");
    assert_eq!(read("(lines sort by price desc first 1).name"), "{<lines> by <price> down first 1}.<name>");
    assert_eq!(read("outer.outer.name & outer.last name"), "(outer.outer.<name> & outer.<last name>)");
}

#[test]
fn blocks_over_rows_paragraphs_tables_and_sections() {
    let extent = |text: &str| match kind(text) {
        Ok(Kind::Repeat(Some(e), _) | Kind::Keep(e, _) | Kind::KeepElse(e) | Kind::KeepElseIf(e, _)) => format!("{} {:?}", e.count, e.unit),
        other => format!("{other:?}"),
    };
    assert_eq!(extent("repeat row for lines"), "1 Row");
    assert_eq!(extent("repeat 2 rows for lines"), "2 Row");
    assert_eq!(extent("keep table if a"), "1 Table");
    assert_eq!(extent("keep 3 paras else if a"), "3 Para");
    assert_eq!(extent("repeat section for cases"), "1 Section");
}

#[test]
fn pictures_barcodes_and_signers() {
    let Ok(Kind::Picture(value, sizes)) = kind("picture photo of site height 4cm max 300 dpi") else { panic!("a picture") };
    assert_eq!(shape(&value), "<photo of site>");
    assert_eq!((sizes.height.map(f64::round), sizes.width, sizes.dpi), (Some(113.0), None, Some(300.0)));
    let Ok(Kind::Picture(_, sizes)) = kind("picture photo else logo fit 6 cm by 40mm") else { panic!("a picture") };
    assert_eq!(sizes.fit.map(|(w, h)| (w.round(), h.round())), Some((170.0, 113.0)));
    let Ok(Kind::Barcode(Barcode { symbology, with, level, sizes, .. })) =
        kind("barcode payment of balance with name = office name; iban = \"x\" size 3cm level Q")
    else {
        panic!("a barcode")
    };
    assert_eq!((symbology, with.len(), level, sizes.width.is_some()), (Symbology::Payment, 2, Level::Q, true));
    let Ok(Kind::Signer(signer)) = kind("signer harbour office signature width 6cm optional") else { panic!("a signer") };
    assert_eq!((signer.role.text.as_str(), signer.field, signer.optional), ("harbour office", Field::Signature, true));
    let Ok(Kind::Signer(signer)) = kind("signer holder text \"Boat name\"") else { panic!("a signer") };
    assert_eq!(signer.field, Field::Text("Boat name".into()));
    for wrong in [
        "barcode qz of x",
        "picture photo height 4",
        "picture photo height 900in",
        "signer holder",
        "signer holder stamp",
        "page",
        "set = 3",
    ] {
        assert!(kind(wrong).is_err(), "{wrong}");
    }
}

#[test]
fn settings_and_clauses() {
    let Ok(Kind::Set(setting)) = kind("set vat rate = round(net * 20%; 2)") else { panic!("a setting") };
    assert_eq!(setting.name.text, "vat rate");
    let Ok(Kind::Clause(name, with)) = kind("clause \"late payment\" with days = 14; fee = balance * 2%") else { panic!("a clause") };
    assert_eq!((&*name, with.len()), ("late payment", 2));
}

#[test]
fn after_an_error_the_parser_goes_on() {
    let faults = |text: &str| -> Vec<(usize, String)> {
        value_with_errors(text).1.into_iter().map(|e| (e.span.start, e.fault.code().to_owned())).collect()
    };
    assert_eq!(
        faults("rund(§; 2) else sum(1 < 2 < 3) else dats(x)"),
        [(0, "unknown-function".into()), (5, "odd-sign".into()), (21, "chained-comparison".into()), (37, "unknown-function".into())]
    );
    assert_eq!(faults("name"), []);
}

proptest::proptest! {
    /// Whatever stands in a placeholder, reading it ends, and every error points into it.
    #[test]
    fn reading_any_placeholder_ends_and_its_errors_point_into_it(
        pieces in proptest::collection::vec(
            "(if |repeat for |repeat 2 rows for |keep row if |set x = |picture |barcode qr of |signer |clause |lines|where |sort by |group by |first |\\(|\\)|;|\\.|\"a\"|'|12|4cm|<|=|&| and | else | as date|§|\\PC{0,4})",
            0..24,
        ),
    ) {
        let text = pieces.concat();
        let (kind, errors) = kind_with_errors(&text);
        proptest::prop_assert_eq!(kind.is_some(), errors.is_empty());
        for error in errors {
            proptest::prop_assert!(text.get(error.span.start..error.span.end).is_some(), "{:?} in {:?}", error, text);
        }
    }
}
