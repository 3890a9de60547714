use std::sync::Arc;

use super::*;

const W: &str = "xmlns:w=\"http://schemas.openxmlformats.org/wordprocessingml/2006/main\"";

/// What a body becomes; "same" when nothing is changed.
fn made(body: &str) -> (String, Found) {
    let part = format!("<w:document {W}><w:body>{body}</w:body></w:document>");
    let bytes: Arc<[u8]> = part.clone().into_bytes().into();
    let mut found = Found::default();
    match ready("word/document.xml", &bytes, &mut found).expect("reads") {
        None => ("same".to_owned(), found),
        Some(bytes) => {
            let text = String::from_utf8(bytes.to_vec()).expect("UTF-8");
            assert!(Document::parse(&text).is_ok(), "{text}");
            let body = text.split_once("<w:body>").and_then(|(_, t)| t.rsplit_once("</w:body>")).expect("a body").0;
            (body.to_owned(), found)
        }
    }
}

/// The texts of the runs alone.
fn text(body: &str) -> String {
    let (made, _) = made(body);
    let part = format!("<w:document {W}>{made}</w:document>");
    let document = Document::parse(&part).expect("XML");
    document.descendants().filter(|n| name(*n) == "t").filter_map(|n| n.text()).collect()
}

fn t(text: &str) -> String {
    format!("<w:r><w:t>{text}</w:t></w:r>")
}

fn p(content: &str) -> String {
    format!("<w:p>{content}</w:p>")
}

/// A field as word processors write it.
fn field(instruction: &str, result: &str) -> String {
    let mark = |kind: &str| format!("<w:r><w:fldChar w:fldCharType=\"{kind}\"/></w:r>");
    format!("{}{instruction}{}{}{}", mark("begin"), mark("separate"), t(result), mark("end"))
}

fn instruction(text: &str) -> String {
    format!("<w:r><w:instrText xml:space=\"preserve\"> {} </w:instrText></w:r>", quick_xml::escape::escape(text))
}

#[test]
fn a_part_without_any_of_these_stays_as_it_is() {
    assert_eq!(made(&p(&t("Dear [: name]"))).0, "same");
}

#[test]
fn merge_fields_become_placeholders_with_their_switches() {
    for (written, placeholder) in [
        ("MERGEFIELD Last_Name", "[: 'Last_Name']"),
        ("MERGEFIELD \"Boat name\" \\* MERGEFORMAT", "[: 'Boat name']"),
        ("MERGEFIELD Title \\f \" \"", "[: 'Title' after \" \"]"),
        ("MERGEFIELD Suite \\b \", \" \\* Upper", "[: 'Suite' as upper before \", \"]"),
        ("MERGEFIELD Name \\* Caps", "[: 'Name' as title]"),
        ("MERGEFIELD Name \\* FirstCap", "[: upper(left('Name'; 1)) & mid('Name'; 2; 4096)]"),
        ("MERGEFIELD Balance \\# \"#,##0.00\"", "[: 'Balance' as number \"#,##0.00\"]"),
        ("MERGEFIELD Balance \\# 0.00", "[: 'Balance' as number \"0.00\"]"),
        ("MERGEFIELD Due \\@ \"dddd, d MMMM yyyy\"", "[: 'Due' as date \"EEEE, d MMMM yyyy\"]"),
        ("MERGEFIELD Due \\@ \"h:mm am/pm\"", "[: 'Due' as date \"h:mm a\"]"),
        ("MERGEFIELD Due \\@ \"dd.MM.YY\"", "[: 'Due' as date \"dd.MM.yy\"]"),
        ("MERGEFIELD O'Hara", "[: 'O''Hara']"),
        ("DATE \\@ \"d MMMM yyyy\"", "[: today as date \"d MMMM yyyy\"]"),
        ("DATE", "[: today as date short]"),
        ("mergefield balance", "[: 'balance']"),
    ] {
        assert_eq!(text(&p(&field(&instruction(written), "«x»"))), placeholder, "{written}");
        let simple = format!("<w:fldSimple w:instr=\"{}\">{}</w:fldSimple>", quick_xml::escape::escape(written), t("«x»"));
        assert_eq!(text(&p(&simple)), placeholder, "{written} written simply");
    }
}

#[test]
fn conditions_of_the_file_format_become_passages() {
    let inner = field(&instruction("MERGEFIELD Liveaboard"), "«Liveaboard»");
    let part = |text: &str| instruction(text);
    let field_of = |parts: &[String]| p(&field(&parts.concat(), "old"));
    assert_eq!(
        text(&field_of(&[part("IF"), inner.clone(), part("= \"yes\" \"lives aboard\" \"lives ashore\"")])),
        "[:if 'Liveaboard' = \"yes\"]lives aboard[:else]lives ashore[:end]"
    );
    assert_eq!(
        text(&field_of(&[part("IF"), inner.clone(), part("> 12 \"long: "), inner.clone(), part("\"")])),
        "[:if 'Liveaboard' > 12]long:  'Liveaboard'  [:end]".replace(" 'Liveaboard'  ", " [: 'Liveaboard'] ")
    );
    assert_eq!(text(&field_of(&[part("IF 1 = 1 \"[: a]\" \\* MERGEFORMAT")])), "[:if 1 = 1][[: a][:end]");
}

#[test]
fn other_fields_are_left_to_the_pages() {
    for left in ["PAGE", "NUMPAGES \\* MERGEFORMAT", "REF top \\h", "IF x LIKE \"y\" \"a\"", "TOC \\o"] {
        assert_eq!(made(&p(&field(&instruction(left), "1"))).0, "same", "{left}");
    }
    let open = p(&format!("<w:r><w:fldChar w:fldCharType=\"begin\"/></w:r>{}", instruction("MERGEFIELD x")));
    assert_eq!(made(&open).0, "same", "a field that never ends");
}

#[test]
fn a_field_keeps_the_look_of_its_result() {
    let bold = "<w:r><w:rPr><w:b/></w:rPr><w:t>«x»</w:t></w:r>";
    let written = field(&instruction("MERGEFIELD Name"), "").replace(&t(""), bold);
    let (made, _) = made(&p(&written));
    assert!(made.contains("<w:rPr><w:b/></w:rPr><w:t xml:space=\"preserve\">[: &apos;Name&apos;]</w:t>"), "{made}");
}

#[test]
fn revisions_are_read_as_accepted() {
    let (made, found) = made(
        &[
            p(&format!("{}<w:ins w:id=\"1\">{}</w:ins><w:del w:id=\"2\"><w:r><w:delText>old</w:delText></w:r></w:del>", t("kept "), t("new"))),
            p("<w:pPr><w:rPr><w:b/><w:rPrChange w:id=\"3\"><w:rPr/></w:rPrChange></w:rPr></w:pPr>"),
            "<w:tbl><w:tr><w:trPr><w:del w:id=\"4\"/></w:trPr><w:tc><w:p/></w:tc></w:tr><w:tr><w:trPr><w:ins w:id=\"5\"/></w:trPr><w:tc><w:p/></w:tc></w:tr></w:tbl>"
                .to_owned(),
        ]
        .concat(),
    );
    assert_eq!(
        made,
        "<w:p><w:r><w:t>kept </w:t></w:r><w:r><w:t>new</w:t></w:r></w:p><w:p><w:pPr><w:rPr><w:b/></w:rPr></w:pPr></w:p><w:tbl><w:tr><w:trPr></w:trPr><w:tc><w:p/></w:tc></w:tr></w:tbl>"
    );
    assert_eq!(found.revisions, 5);
}

#[test]
fn a_deleted_paragraph_mark_joins_two_paragraphs() {
    let first = p(&format!("<w:pPr><w:jc w:val=\"left\"/><w:rPr><w:del w:id=\"1\"/></w:rPr></w:pPr>{}", t("one ")));
    let second = p(&format!("<w:pPr><w:jc w:val=\"right\"/></w:pPr>{}", t("two")));
    assert_eq!(made(&(first + &second)).0, p(&format!("<w:pPr><w:jc w:val=\"right\"/></w:pPr>{}{}", t("one "), t("two"))));
}

#[test]
fn a_placeholder_written_as_a_revision_is_found() {
    let body = p(&format!("<w:ins w:id=\"1\">{}</w:ins>{}", t("[: la"), t("st name]")));
    assert_eq!(text(&body), "[: last name]");
}

#[test]
fn comments_leave_nothing_behind() {
    let body = p(&format!(
        "<w:commentRangeStart w:id=\"0\"/>{}<w:commentRangeEnd w:id=\"0\"/><w:r><w:commentReference w:id=\"0\"/></w:r>",
        t("text")
    ));
    let (made, found) = made(&body);
    assert_eq!((made, found.comments), (p(&t("text")), 1));
}

#[test]
fn content_controls_with_a_placeholder_for_a_tag_are_filled() {
    let control = |tag: &str, content: &str| {
        format!(
            "<w:sdt><w:sdtPr><w:alias w:val=\"x\"/><w:tag w:val=\"{tag}\"/><w:showingPlcHdr/></w:sdtPr><w:sdtContent>{content}</w:sdtContent></w:sdt>"
        )
    };
    let waiting = "<w:r><w:rPr><w:rStyle w:val=\"PlaceholderText\"/></w:rPr><w:t>Click here</w:t></w:r>";
    let (inline, _) = made(&p(&control("[: boat name]", waiting)));
    assert_eq!(
        inline,
        p(
            "<w:sdt><w:sdtPr><w:alias w:val=\"x\"/></w:sdtPr><w:sdtContent><w:r><w:t xml:space=\"preserve\">[: boat name]</w:t></w:r></w:sdtContent></w:sdt>"
        )
    );
    let block = control("[: note]", &(p(&t("one")) + &p(&t("two"))));
    assert_eq!(text(&block), "[: note]");
    assert_eq!(made(&control("owner", &p(&t("x")))).0, "same", "other tags are left alone");
}
