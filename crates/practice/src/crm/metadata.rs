//! `$metadata`: the model as CSDL XML (OData CSDL XML 4.01), with what people call
//! things as `Core.Description`.

use std::fmt::Write as _;

use super::model::MODEL;

/// The document.
pub fn document() -> String {
    let mut out = String::from(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<edmx:Edmx Version=\"4.0\" xmlns:edmx=\"http://docs.oasis-open.org/odata/ns/edmx\">\n<edmx:Reference Uri=\"https://oasis-tcs.github.io/odata-vocabularies/vocabularies/Org.OData.Core.V1.xml\"><edmx:Include Namespace=\"Org.OData.Core.V1\" Alias=\"Core\"/></edmx:Reference>\n<edmx:DataServices>\n<Schema Namespace=\"Yard\" xmlns=\"http://docs.oasis-open.org/odata/ns/edm\">\n",
    );
    let label = |text: &str| format!("<Annotation Term=\"Core.Description\" String=\"{text}\"/>");
    for entity in &MODEL {
        let stream = if entity.media { " HasStream=\"true\"" } else { "" };
        let _ = writeln!(out, "<EntityType Name=\"{}\"{stream}>{}", entity.name, label(entity.label));
        let _ = writeln!(out, "<Key><PropertyRef Name=\"{}\"/></Key>", entity.key().0);
        for (at, property) in entity.properties.iter().enumerate() {
            let more = match (at, property.1) {
                (0, _) => " Nullable=\"false\"",
                (_, "Edm.Decimal") => " Scale=\"variable\"",
                _ => "",
            };
            let _ = writeln!(out, "<Property Name=\"{}\" Type=\"{}\"{more}>{}</Property>", property.0, property.1, label(property.2));
        }
        for way in entity.ways {
            let target = super::model::of_set(way.to).map_or("", |e| e.name);
            let kind = if way.many { format!("Collection(Yard.{target})") } else { format!("Yard.{target}") };
            let _ = writeln!(out, "<NavigationProperty Name=\"{}\" Type=\"{kind}\">{}</NavigationProperty>", way.name, label(way.label));
        }
        out.push_str("</EntityType>\n");
    }
    out.push_str("<EntityContainer Name=\"Container\">\n");
    for entity in &MODEL {
        let _ = writeln!(out, "<EntitySet Name=\"{}\" EntityType=\"Yard.{}\">", entity.set, entity.name);
        for way in entity.ways {
            let _ = writeln!(out, "<NavigationPropertyBinding Path=\"{}\" Target=\"{}\"/>", way.name, way.to);
        }
        out.push_str("</EntitySet>\n");
    }
    out.push_str("</EntityContainer>\n</Schema>\n</edmx:DataServices>\n</edmx:Edmx>\n");
    out
}
