//! A saved question to a CRM.

use std::sync::Arc;

use serde::{Deserialize, Serialize};

use super::{Entity, FieldType, Shape};
use crate::diagnostic::{Diagnostic, Target};
use crate::language::{Folded, UsedAs, condition};
use crate::records::{Column, ColumnType, Schema};

/// A question: the entity whose records are wanted, and what of each.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct CrmQuery {
    /// The set of the root entity.
    pub root: String,
    /// What is wanted of each.
    pub picks: Picks,
    /// Which are wanted: a condition in the placeholder language; all where blank.
    pub filter: String,
    /// The field to sort by; a minus before it where the greatest comes first.
    pub order: String,
    /// How many at most.
    pub first: Option<usize>,
}

/// What is wanted of an entity.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct Picks {
    /// Fields, also along ways that lead to one: `Vessel/Owner/LastName`.
    pub fields: Vec<String>,
    /// Lists below it.
    pub lists: Vec<ListPick>,
}

/// A list below an entity.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(default)]
pub struct ListPick {
    /// The way that leads to many.
    pub way: String,
    /// What is wanted of each.
    #[cfg_attr(feature = "openapi", schema(no_recursion))]
    pub picks: Picks,
    /// Which are wanted.
    pub filter: String,
    /// The field to sort by; a minus before it where the greatest comes first.
    pub order: String,
    /// How many at most.
    pub first: Option<usize>,
}

impl Picks {
    /// The fields of the entity itself, and what is wanted along each way to one.
    pub fn parted(&self) -> (Vec<&str>, Vec<(&str, Picks)>) {
        let (mut own, mut along) = (Vec::new(), Vec::<(&str, Picks)>::new());
        for path in &self.fields {
            match path.split_once('/') {
                None => own.push(path.as_str()),
                Some((way, rest)) => match along.iter_mut().find(|(known, _)| *known == way) {
                    Some((_, inner)) => inner.fields.push(rest.to_owned()),
                    None => along.push((way, Picks { fields: vec![rest.to_owned()], lists: Vec::new() })),
                },
            }
        }
        (own, along)
    }
}

/// How deep lists nest.
const DEEPEST: usize = 6;

impl CrmQuery {
    /// What keeps it from being asked of a CRM of a shape.
    pub fn problems(&self, shape: &Shape) -> Vec<Diagnostic> {
        let mut found = Vec::new();
        let Some(root) = shape.entity(&self.root) else {
            let message = format!("the CRM has no entity “{}”. Choose another.", self.root);
            return vec![problem(&[], "root", message)];
        };
        if self.picks.fields.is_empty() && self.picks.lists.is_empty() {
            found.push(problem(&[], "fields", "no fields selected. Choose at least one.".to_owned()));
        }
        look(shape, root, Asked::of_query(self), &[], &mut found);
        found
    }

    /// The columns of its records, without those of the key where these were not
    /// asked for.
    pub fn columns(&self, shape: &Shape) -> Vec<Column> {
        shape.entity(&self.root).map(|root| columns(shape, root, &self.picks)).unwrap_or_default()
    }
}

/// What is asked on one level.
struct Asked<'a> {
    picks: &'a Picks,
    filter: &'a str,
    order: &'a str,
}

impl<'a> Asked<'a> {
    fn of_query(query: &'a CrmQuery) -> Asked<'a> {
        Asked { picks: &query.picks, filter: &query.filter, order: &query.order }
    }
}

/// What is wrong with a part of a query, within the lists that lead there.
pub fn problem(lists: &[&str], part: &'static str, message: String) -> Diagnostic {
    let lists = lists.iter().map(|list| (*list).to_owned()).collect();
    Diagnostic::error("query", message).about(Target::Query { lists, part: part.into() })
}

fn look(shape: &Shape, entity: &Entity, asked: Asked<'_>, way: &[&str], found: &mut Vec<Diagnostic>) {
    let mut note = |part: &'static str, message: String| {
        found.push(problem(way, part, message));
    };
    for path in &asked.picks.fields {
        if let Err(message) = field_at(shape, entity, path) {
            note("fields", message);
        }
    }
    match condition_of(shape, entity, asked.filter) {
        Ok(()) => {}
        Err(message) => note("filter", message),
    }
    let order = asked.order.trim().trim_start_matches('-');
    if !order.is_empty()
        && let Err(message) = field_at(shape, entity, order)
    {
        note("order", message);
    }
    let mut below = Vec::new();
    for list in &asked.picks.lists {
        let behind = entity.way(&list.way).filter(|w| w.many).and_then(|w| shape.behind(w));
        match behind {
            None => note("lists", format!("“{}” no longer has the list “{}”. Remove it.", entity.label, list.way)),
            Some(_) if way.len() + 1 > DEEPEST => note("lists", format!("lists can be nested at most {DEEPEST} levels deep")),
            Some(behind) => below.push((behind, list)),
        }
    }
    for (behind, list) in below {
        let inner: Vec<&str> = way.iter().copied().chain([list.way.as_str()]).collect();
        let asked = Asked { picks: &list.picks, filter: &list.filter, order: &list.order };
        look(shape, behind, asked, &inner, found);
    }
}

/// The field at the end of a path.
fn field_at(shape: &Shape, entity: &Entity, path: &str) -> Result<FieldType, String> {
    let mut entity = entity;
    let mut names = path.split('/').peekable();
    while let Some(name) = names.next() {
        if names.peek().is_none() {
            return match entity.field(name) {
                Some(field) => Ok(field.kind),
                None => Err(format!("“{}” no longer has the field “{name}”. Remove it or choose another.", entity.label)),
            };
        }
        let next = entity.way(name).filter(|w| !w.many).and_then(|w| shape.behind(w));
        entity = next.ok_or_else(|| format!("“{}” no longer has “{name}”. Remove it or choose another.", entity.label))?;
    }
    Err("a field has no name".to_owned())
}

fn condition_of(shape: &Shape, entity: &Entity, text: &str) -> Result<(), String> {
    if text.trim().is_empty() {
        return Ok(());
    }
    let expr = condition(text).map_err(|e| e.to_string())?;
    let schema = Schema::new(all_columns(shape, entity, 0)).map_err(|e| e.to_string())?;
    schema.reads(&expr, UsedAs::YesNo).map(|_| ()).map_err(|e| e.to_string())
}

/// All columns of an entity, with those along ways to one: what conditions read.
fn all_columns(shape: &Shape, entity: &Entity, deep: usize) -> Vec<Column> {
    let mut columns: Vec<Column> = entity.fields.iter().map(super::EntityField::column).collect();
    for way in entity.ways.iter().filter(|w| !w.many && deep < 3) {
        let Some(behind) = shape.behind(way) else { continue };
        if columns.iter().any(|c| Folded::new(&c.name) == Folded::new(&way.name)) {
            continue;
        }
        let inner = Schema::new(all_columns(shape, behind, deep + 1)).ok().map(Arc::new);
        columns.push(Column { inner, ..Column::new(&way.name, ColumnType::Record) });
    }
    columns
}

fn columns(shape: &Shape, entity: &Entity, picks: &Picks) -> Vec<Column> {
    let (own, along) = picks.parted();
    let mut out: Vec<Column> = own.iter().filter_map(|name| entity.field(name)).map(super::EntityField::column).collect();
    let mut nested = |name: &str, kind: ColumnType, picks: &Picks| {
        let Some(behind) = entity.way(name).and_then(|w| shape.behind(w)) else { return };
        let inner = Schema::new(columns(shape, behind, picks)).ok().map(Arc::new);
        out.push(Column { inner, ..Column::new(name, kind) });
    };
    for (way, inner) in &along {
        nested(way, ColumnType::Record, inner);
    }
    for list in &picks.lists {
        nested(&list.way, ColumnType::List, &list.picks);
    }
    out
}

#[cfg(test)]
pub(super) mod tests {
    use super::super::{EntityField, Way};
    use super::*;

    pub fn shape() -> Shape {
        let field = |name: &str, kind| EntityField { name: name.into(), label: name.to_lowercase(), kind };
        let way = |name: &str, to: &str, many| Way { name: name.into(), label: name.to_lowercase(), to: to.into(), many };
        let entity = |set: &str, fields: Vec<EntityField>, ways| Entity {
            set: set.into(),
            name: set.trim_end_matches('s').into(),
            label: set.to_lowercase(),
            key: vec![fields[0].name.clone()],
            media: fields.iter().any(|f| f.kind == FieldType::Picture).then(|| "Picture".to_owned()),
            fields,
            ways,
        };
        use FieldType::{Date, Number, Picture, Text};
        Shape {
            entities: vec![
                entity("Owners", vec![field("OwnerID", Number), field("LastName", Text)], vec![]),
                entity(
                    "Vessels",
                    vec![field("VesselID", Number), field("Name", Text), field("LOA", Number)],
                    vec![way("Owner", "Owners", false)],
                ),
                entity(
                    "Cases",
                    vec![field("CaseID", Text), field("Stage", Text), field("ValidUntil", Date)],
                    vec![way("Vessel", "Vessels", false), way("Defects", "Defects", true)],
                ),
                entity("Defects", vec![field("DefectID", Number), field("Title", Text)], vec![way("Photographs", "Photographs", true)]),
                entity("Photographs", vec![field("PhotographID", Number), field("Picture", Picture)], vec![]),
            ],
        }
    }

    pub fn survey() -> CrmQuery {
        let strings = |all: &[&str]| all.iter().map(|s| (*s).to_owned()).collect::<Vec<_>>();
        let photographs =
            ListPick { way: "Photographs".into(), picks: Picks { fields: strings(&["Picture"]), lists: vec![] }, ..ListPick::default() };
        let defects = ListPick {
            way: "Defects".into(),
            picks: Picks { fields: strings(&["Title"]), lists: vec![photographs] },
            order: "-Title".into(),
            ..ListPick::default()
        };
        CrmQuery {
            root: "Cases".into(),
            picks: Picks { fields: strings(&["CaseID", "Vessel/Name", "Vessel/Owner/LastName", "ValidUntil"]), lists: vec![defects] },
            filter: "stage = \"Quoted\" and vessel.loa > 10".into(),
            ..CrmQuery::default()
        }
    }

    fn told(columns: &[Column]) -> String {
        let one = |c: &Column| match &c.inner {
            Some(inner) => format!("{} {} ({})", c.kind.name(), c.name, told(inner.columns())),
            None => format!("{} {}", c.kind.name(), c.name),
        };
        columns.iter().map(one).collect::<Vec<_>>().join(", ")
    }

    #[test]
    fn a_question_gives_records_with_relations_and_lists() {
        assert_eq!(
            told(&survey().columns(&shape())),
            "text CaseID, date ValidUntil, record Vessel (text Name, record Owner (text LastName)), list Defects (text Title, list Photographs (text Picture))"
        );
        assert_eq!(survey().problems(&shape()), []);
    }

    #[test]
    fn what_is_not_there_any_more_is_told_with_its_place() {
        let mut query = survey();
        query.picks.fields[1] = "Vessel/Title".into();
        query.filter = "stgae = \"Quoted\"".into();
        query.picks.lists[0].picks.lists[0].way = "Pictures".into();
        query.picks.lists[0].order = "Weight".into();
        let place = |p: &Diagnostic| match &p.target {
            Target::Query { lists, part } => lists.iter().map(String::as_str).chain([part.as_ref()]).collect::<Vec<_>>().join(" › "),
            other => panic!("{other:?}"),
        };
        let said: Vec<String> = query.problems(&shape()).into_iter().map(|p| format!("{}: {p}", place(&p))).collect();
        assert_eq!(
            said,
            [
                "fields: “vessels” no longer has the field “Title”. Remove it or choose another.",
                "filter: no column “stgae”; did you mean “Stage”?",
                "Defects › order: “defects” no longer has the field “Weight”. Remove it or choose another.",
                "Defects › lists: “defects” no longer has the list “Pictures”. Remove it.",
            ]
        );
        assert_eq!(CrmQuery::default().problems(&shape())[0].target.words(), "root");
    }
}
