//! `$metadata`: CSDL XML (OData CSDL XML Representation 4.01) as a shape.

use mangle_core::crm::{Entity, EntityField, FieldType, Shape, Way};
use mangle_core::language::Folded;
use roxmltree::{Document, Node, ParsingOptions};

/// The largest description that is read.
const LARGEST: usize = 32 << 20;
/// The most entities, and the most members of one.
const MOST: [usize; 2] = [5_000, 3_000];
/// How deep types build on types.
const DEEPEST: usize = 20;

/// Why a description can't be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum MetadataFault {
    /// It is no XML, or too much of it.
    #[error("the service metadata can't be read: {0}")]
    Xml(String),
    /// It is another document.
    #[error("no OData metadata at this URL. Enter the root URL of an OData 4 service.")]
    NoService,
    /// It is an older protocol.
    #[error("the service uses OData {0}. Version 4 is required.")]
    Version(String),
}

/// Reads a description. Entities without a key, and members of types that are not
/// known here (complex ones, collections of values), are left out.
pub fn read_metadata(xml: &str) -> Result<Shape, MetadataFault> {
    if xml.len() > LARGEST {
        return Err(MetadataFault::Xml("it exceeds 32 MB".to_owned()));
    }
    let options = ParsingOptions { allow_dtd: false, nodes_limit: 2_000_000, ..ParsingOptions::default() };
    let document =
        Document::parse_with_options(xml.trim_start_matches('\u{feff}'), options).map_err(|e| MetadataFault::Xml(e.to_string()))?;
    let root = document.root_element();
    if root.tag_name().name() != "Edmx" {
        return Err(MetadataFault::NoService);
    }
    match root.attribute("Version") {
        Some(version) if version.starts_with("4.") => {}
        other => return Err(MetadataFault::Version(other.unwrap_or("of an unknown version").to_owned())),
    }
    let types = Types::of(&document);
    let mut shape = Shape::default();
    for set in all(&document, "EntitySet").take(MOST[0]) {
        let (Some(name), Some(kind)) = (set.attribute("Name"), set.attribute("EntityType").and_then(|t| types.get(t))) else { continue };
        let entity = types.entity(name, kind, set);
        if !entity.key.is_empty() {
            shape.entities.push(entity);
        }
    }
    // A way leads to a set that is there.
    let sets: Vec<String> = shape.entities.iter().map(|e| e.set.clone()).collect();
    for entity in &mut shape.entities {
        entity.ways.retain(|w| sets.contains(&w.to));
    }
    if shape.entities.is_empty() { Err(MetadataFault::NoService) } else { Ok(shape) }
}

fn all<'a>(document: &'a Document<'a>, name: &'static str) -> impl Iterator<Item = Node<'a, 'a>> {
    document.descendants().filter(move |n| n.is_element() && n.tag_name().name() == name)
}

fn children<'a>(node: Node<'a, 'a>, name: &'static str) -> impl Iterator<Item = Node<'a, 'a>> {
    node.children().filter(move |n| n.is_element() && n.tag_name().name() == name)
}

/// The entity types by their qualified names.
struct Types<'a> {
    found: Vec<(String, Node<'a, 'a>)>,
    /// The sets by their types, whichever of its names a set calls its type by.
    sets: Vec<(Node<'a, 'a>, &'a str)>,
}

impl<'a> Types<'a> {
    fn of(document: &'a Document<'a>) -> Types<'a> {
        let mut found = Vec::new();
        for schema in all(document, "Schema") {
            for kind in children(schema, "EntityType") {
                let name = kind.attribute("Name").unwrap_or_default();
                for space in [schema.attribute("Namespace"), schema.attribute("Alias")].into_iter().flatten() {
                    found.push((format!("{space}.{name}"), kind));
                }
            }
        }
        let mut types = Types { found, sets: Vec::new() };
        let sets = all(document, "EntitySet").filter_map(|s| Some((types.get(s.attribute("EntityType")?)?, s.attribute("Name")?)));
        types.sets = sets.collect();
        types
    }

    fn get(&self, name: &str) -> Option<Node<'a, 'a>> {
        self.found.iter().find(|(own, _)| own == name).map(|(_, node)| *node)
    }

    /// A type with those that it builds on, the lowest first.
    fn line(&self, kind: Node<'a, 'a>) -> Vec<Node<'a, 'a>> {
        let mut line = vec![kind];
        while let Some(base) = line[0].attribute("BaseType").and_then(|b| self.get(b)).filter(|_| line.len() < DEEPEST) {
            line.insert(0, base);
        }
        line
    }

    fn entity(&self, set: &str, kind: Node<'a, 'a>, node: Node<'a, 'a>) -> Entity {
        let line = self.line(kind);
        let name = kind.attribute("Name").unwrap_or_default();
        let mut entity = Entity { set: set.to_owned(), name: name.to_owned(), label: label(kind, name), ..Entity::default() };
        for part in &line {
            entity.key.extend(
                children(*part, "Key").flat_map(|k| children(k, "PropertyRef")).filter_map(|r| r.attribute("Name")).map(str::to_owned),
            );
            for property in children(*part, "Property").take(MOST[1]) {
                let (Some(name), Some(kind)) = (property.attribute("Name"), property.attribute("Type").and_then(field_type)) else {
                    continue;
                };
                // Names that count as one here would hide each other.
                if entity.fields.iter().any(|f| Folded::new(&f.name) == Folded::new(name)) {
                    continue;
                }
                entity.fields.push(EntityField { name: name.to_owned(), label: label(property, name), kind });
            }
            for way in children(*part, "NavigationProperty").take(MOST[1]) {
                entity.ways.extend(self.way(way, node));
            }
        }
        if line.iter().any(|part| part.attribute("HasStream") == Some("true")) {
            let taken = |name: &str| entity.fields.iter().any(|f| Folded::new(&f.name) == Folded::new(name));
            let name = if taken("Picture") { "Media stream" } else { "Picture" };
            entity.fields.push(EntityField {
                name: name.to_owned(),
                label: format!("{}, as stored", entity.label),
                kind: FieldType::Picture,
            });
            entity.media = Some(name.to_owned());
        }
        entity
    }

    /// A way; the set that it leads to is the one that is bound, else the first of its
    /// type.
    fn way(&self, way: Node<'a, 'a>, set: Node<'a, 'a>) -> Option<Way> {
        let (name, kind) = (way.attribute("Name")?, way.attribute("Type")?);
        let many = kind.strip_prefix("Collection(").and_then(|k| k.strip_suffix(')'));
        let bound = children(set, "NavigationPropertyBinding").find(|b| b.attribute("Path") == Some(name));
        let bound = bound.and_then(|b| b.attribute("Target")).map(|t| t.rsplit('/').next().unwrap_or(t));
        let first = || {
            let kind = self.get(many.unwrap_or(kind))?;
            self.sets.iter().find(|(own, _)| *own == kind).map(|(_, set)| *set)
        };
        let to = bound.or_else(first)?;
        Some(Way { name: name.to_owned(), label: label(way, name), to: to.to_owned(), many: many.is_some() })
    }
}

/// What people call something: its label or description, whichever vocabulary says
/// it; else its name as words.
fn label(node: Node<'_, '_>, name: &str) -> String {
    let said = |ending: &'static str| {
        let own = children(node, "Annotation").find(|a| a.attribute("Term").is_some_and(|t| t.ends_with(ending)))?;
        own.attribute("String").map(str::trim).filter(|t| !t.is_empty()).map(|t| t.chars().take(120).collect::<String>())
    };
    said(".Label").or_else(|| said(".Description")).unwrap_or_else(|| words(name))
}

/// `ValidUntil` is “Valid until”.
fn words(name: &str) -> String {
    let mut out = String::new();
    let signs: Vec<char> = name.chars().collect();
    for (at, sign) in signs.iter().enumerate() {
        let starts = sign.is_uppercase() && at > 0 && signs[at - 1].is_lowercase();
        match (*sign, starts) {
            ('_', _) => out.push(' '),
            (sign, true) => {
                out.push(' ');
                out.extend(sign.to_lowercase());
            }
            (sign, false) => out.push(sign),
        }
    }
    out
}

/// The primitive types of the Entity Data Model (CSDL 4.4).
fn field_type(name: &str) -> Option<FieldType> {
    Some(match name {
        "Edm.String" | "Edm.Guid" | "Edm.TimeOfDay" | "Edm.Duration" => FieldType::Text,
        "Edm.Byte" | "Edm.SByte" | "Edm.Int16" | "Edm.Int32" | "Edm.Int64" | "Edm.Decimal" | "Edm.Double" | "Edm.Single" => {
            FieldType::Number
        }
        "Edm.Boolean" => FieldType::YesNo,
        "Edm.Date" => FieldType::Date,
        "Edm.DateTimeOffset" => FieldType::Moment,
        "Edm.Stream" => FieldType::Picture,
        _ => return None,
    })
}
