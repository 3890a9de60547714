use jiff::civil::{DateTime, date};
use mangle_core::crm::{CrmQuery, ListPick, Picks, Shape};
use mangle_core::records::Cell;
use serde_json::json;

use super::*;

const METADATA: &str = r#"<?xml version="1.0"?>
<edmx:Edmx Version="4.0" xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx"><edmx:DataServices>
<Schema Namespace="Yard" Alias="Y" xmlns="http://docs.oasis-open.org/odata/ns/edm">
 <EntityType Name="Thing" Abstract="true"><Key><PropertyRef Name="ID"/></Key><Property Name="ID" Type="Edm.Int32" Nullable="false"/></EntityType>
 <EntityType Name="Case" BaseType="Yard.Thing">
  <Property Name="Stage" Type="Edm.String"><Annotation Term="Core.Description" String="Stage of the work"/></Property>
  <Property Name="ValidUntil" Type="Edm.Date"/><Property Name="Opened" Type="Edm.DateTimeOffset"/>
  <Property Name="Discount" Type="Edm.Decimal"/><Property Name="HaulOut" Type="Edm.Boolean"/>
  <Property Name="Address" Type="Yard.Address"/><Property Name="Tags" Type="Collection(Edm.String)"/>
  <NavigationProperty Name="Vessel" Type="Y.Vessel"/><NavigationProperty Name="Defects" Type="Collection(Yard.Defect)"/>
 </EntityType>
 <EntityType Name="Vessel" BaseType="Y.Thing"><Property Name="Name" Type="Edm.String"/><Property Name="LOA" Type="Edm.Decimal"/></EntityType>
 <EntityType Name="Defect" BaseType="Y.Thing"><Property Name="Title" Type="Edm.String"/><NavigationProperty Name="Photographs" Type="Collection(Y.Photograph)"/></EntityType>
 <EntityType Name="Photograph" BaseType="Y.Thing" HasStream="true"><Property Name="Caption" Type="Edm.String"/><Property Name="Medium" Type="Edm.Stream"/></EntityType>
 <EntityContainer Name="C">
  <EntitySet Name="Cases" EntityType="Yard.Case"><NavigationPropertyBinding Path="Vessel" Target="Vessels"/></EntitySet>
  <EntitySet Name="Vessels" EntityType="Yard.Vessel"/><EntitySet Name="Defects" EntityType="Yard.Defect"/><EntitySet Name="Photographs" EntityType="Yard.Photograph"/>
 </EntityContainer>
</Schema></edmx:DataServices></edmx:Edmx>"#;

fn shape() -> Shape {
    read_metadata(METADATA).expect("a shape")
}

fn now() -> DateTime {
    date(2026, 11, 23).at(9, 42, 0, 0)
}

fn survey() -> CrmQuery {
    let strings = |all: &[&str]| all.iter().map(|s| (*s).to_owned()).collect::<Vec<_>>();
    let photographs = ListPick {
        way: "Photographs".into(),
        picks: Picks { fields: strings(&["Picture", "Medium", "Caption"]), lists: vec![] },
        first: Some(2),
        ..ListPick::default()
    };
    let defects = ListPick {
        way: "Defects".into(),
        picks: Picks { fields: strings(&["Title"]), lists: vec![photographs] },
        filter: "title contains \"keel\"".into(),
        order: "-ID".into(),
        ..ListPick::default()
    };
    CrmQuery {
        root: "Cases".into(),
        picks: Picks { fields: strings(&["Stage", "Vessel/Name", "Opened", "Vessel/LOA"]), lists: vec![defects] },
        ..CrmQuery::default()
    }
}

#[test]
fn a_description_becomes_a_shape() {
    let shape = shape();
    let told: Vec<String> = shape
        .entities
        .iter()
        .map(|e| {
            let fields: Vec<String> = e.fields.iter().map(|f| format!("{} “{}” {:?}", f.name, f.label, f.kind)).collect();
            let ways: Vec<String> = e.ways.iter().map(|w| format!("{}→{}{}", w.name, w.to, if w.many { "*" } else { "" })).collect();
            format!("{} by {}: {} | {}", e.set, e.key.join("+"), fields.join(", "), ways.join(", "))
        })
        .collect();
    insta::assert_snapshot!(told.join("\n"));
}

#[test]
fn what_is_no_description_is_refused() {
    let said = |xml: &str| read_metadata(xml).expect_err("refused").to_string();
    assert!(said("<html/>").contains("no OData metadata at this URL"));
    assert!(said("not xml").contains("can't be read"));
    assert!(said(&METADATA.replace("Edmx Version=\"4.0\"", "Edmx Version=\"1.0\"")).contains("OData 1.0. Version 4 is required."));
    assert!(said("<!DOCTYPE x [<!ENTITY a \"b\">]><x>&a;</x>").contains("can't be read"));
}

#[test]
fn a_question_is_one_address() {
    let written = address(&survey(), &shape(), Part::All, now()).expect("an address");
    let decoded = percent_encoding::percent_decode_str(&written).decode_utf8_lossy().into_owned();
    assert_eq!(
        decoded,
        "Cases?$select=ID,Stage,Opened&$expand=Vessel($select=ID,Name,LOA),Defects($select=ID,Title;$expand=Photographs($select=ID,Medium,Caption;$top=2);$filter=contains(tolower(Title),'keel');$orderby=ID desc)&$count=true"
    );
    assert!(!written.contains([' ', '"', '&']) || written.matches('&').count() == 2, "{written}");
    let one = address(&survey(), &shape(), Part::One("7"), now()).expect("an address");
    assert!(one.contains("$filter=ID%20eq%207") && one.contains("$top=1"), "{one}");
}

#[test]
fn conditions_are_asked_of_the_service() {
    let ask = |text: &str| {
        let shape = shape();
        super::filter::filter(text, &shape.entities[0], &shape, now()).unwrap_or_else(|e| e.to_string())
    };
    for (text, asked) in [
        ("stage = \"Quoted\" and not haul out", "(tolower(Stage) eq 'quoted' and not (HaulOut eq true))"),
        ("stage in (\"Quoted\"; \"O'Brien\")", "(tolower(Stage) eq 'quoted' or tolower(Stage) eq 'o''brien')"),
        ("valid until < today + 14", "ValidUntil lt 2026-12-07"),
        ("10 <= vessel.loa", "Vessel/LOA ge 10"),
        ("stage is not blank", "not (Stage eq null or Stage eq '')"),
        ("opened = today", "(Opened ge 2026-11-23T00:00:00Z and Opened lt 2026-11-24T00:00:00Z)"),
        ("opened > 2026-11-01", "Opened ge 2026-11-02T00:00:00Z"),
        ("discount", "(Discount ne null and Discount ne 0)"),
        ("vessel.title = 1", "“Vessel” has no field “title”"),
        (
            "discount > \"five\"",
            "the CRM can't filter by “five” in a non-text field. Compare fields with values here and filter the rest in the sheet.",
        ),
        (
            "discount = vessel.loa",
            "the CRM can't filter by a comparison of two fields, or of two values. Compare fields with values here and filter the rest in the sheet.",
        ),
        (
            "len(stage) > 3",
            "the CRM can't filter by a value calculated from a field. Compare fields with values here and filter the rest in the sheet.",
        ),
    ] {
        assert_eq!(ask(text), asked, "{text}");
    }
}

#[test]
fn an_answer_becomes_rows_with_their_pictures() {
    let answer = json!({
        "@odata.count": 214, "@odata.nextLink": "https://crm.example/odata/Cases?$skiptoken=50",
        "value": [{
            "ID": 7, "Stage": "Quoted", "Opened": "2026-08-02T09:30:00+02:00", "Vessel": { "ID": 1, "Name": "Grace", "LOA": 12.40, "Secret": 1 },
            "Defects": [{ "ID": 3, "Title": "Weeping keel bolt", "Photographs": [
                { "ID": 41, "Caption": null, "@odata.mediaReadLink": "Photographs(41)/$value", "Medium@odata.mediaReadLink": "Photographs(41)/Medium", "@odata.mediaEtag": "W/1" },
            ] }],
        }, { "ID": 8, "Stage": null, "Vessel": null }],
    });
    let page = page(&answer, &survey(), &shape()).expect("a page");
    assert_eq!((page.total, page.next.as_deref()), (Some(214), Some("https://crm.example/odata/Cases?$skiptoken=50")));
    let told = |cell: &Cell| if let Cell::Nested(json) = cell { json.to_string() } else { cell.as_text() };
    let rows: Vec<String> =
        page.records.iter().map(|(key, cells)| format!("{key}: {}", cells.iter().map(told).collect::<Vec<_>>().join(" | "))).collect();
    let name = &page.pictures[0].name;
    assert!(name.starts_with("photographs-41-picture-"), "{name}");
    assert_eq!(
        rows,
        [
            format!(
                r#"7: Quoted | 2026-08-02T07:30:00 | {{"Name":"Grace","LOA":12.4}} | [{{"Title":"Weeping keel bolt","Photographs":[{{"Picture":"{name}","Medium":"photographs-41-medium","Caption":null}}]}}]"#
            ),
            "8:  |  |  | []".to_owned(),
        ]
    );
    assert_eq!(page.pictures[1], PictureLink { name: "photographs-41-medium".into(), address: "Photographs(41)/Medium".into() });
    assert_eq!(super::page(&json!({ "error": {} }), &survey(), &shape()).expect_err("refused"), AnswerFault::NoRecords);
}
