//! What has changed between two shapes of a CRM.

use serde::Serialize;

use super::{Entity, FieldType, Shape};

/// A change of a CRM's shape.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ShapeChange {
    /// The set.
    pub set: String,
    /// The field or way; blank where it is the entity itself.
    pub name: String,
    /// added, removed, renamed or retyped.
    pub what: &'static str,
    /// Its new name or type, where it was renamed or retyped.
    pub now: String,
}

/// How alike two names must be to be one that was renamed.
const ALIKE: f64 = 0.7;

/// What has changed from one shape to the next. A field that has gone beside one of
/// its type that has come with a name alike was renamed.
pub fn changes(before: &Shape, now: &Shape) -> Vec<ShapeChange> {
    let mut found = Vec::new();
    let change = |set: &str, name: &str, what, now: &str| ShapeChange { set: set.into(), name: name.into(), what, now: now.into() };
    for old in &before.entities {
        match now.entity(&old.set) {
            None => found.push(change(&old.set, "", "removed", "")),
            Some(new) => of_entity(old, new, &mut found),
        }
    }
    for new in now.entities.iter().filter(|e| before.entity(&e.set).is_none()) {
        found.push(change(&new.set, "", "added", ""));
    }
    found
}

fn of_entity(old: &Entity, new: &Entity, found: &mut Vec<ShapeChange>) {
    let mut note = |name: &str, what, now: &str| found.push(ShapeChange { set: old.set.clone(), name: name.into(), what, now: now.into() });
    // What a member is, so that only like is taken for like.
    let members = |entity: &Entity| -> Vec<(String, String)> {
        let fields = entity.fields.iter().map(|f| (f.name.clone(), kind(f.kind).to_owned()));
        let ways = entity.ways.iter().map(|w| (w.name.clone(), format!("{} {}", if w.many { "list of" } else { "one of" }, w.to)));
        fields.chain(ways).collect()
    };
    let (before, now) = (members(old), members(new));
    let mut come: Vec<&(String, String)> = now.iter().filter(|(n, _)| !before.iter().any(|(o, _)| o == n)).collect();
    for (name, kind) in &before {
        match now.iter().find(|(n, _)| n == name) {
            Some((_, same)) if same == kind => {}
            Some((_, other)) => note(name, "retyped", other),
            None => {
                let alike = |(_, (n, k)): &(usize, &&(String, String))| {
                    k == kind && strsim::jaro_winkler(&n.to_lowercase(), &name.to_lowercase()) > ALIKE
                };
                match come.iter().enumerate().find(alike).map(|(at, _)| at) {
                    Some(at) => note(name, "renamed", &come.remove(at).0),
                    None => note(name, "removed", ""),
                }
            }
        }
    }
    for (name, kind) in come {
        note(name, "added", kind);
    }
}

fn kind(kind: FieldType) -> &'static str {
    match kind {
        FieldType::Text => "text",
        FieldType::Number => "number",
        FieldType::YesNo => "yes/no",
        FieldType::Date => "date",
        FieldType::Moment => "date with a time",
        FieldType::Picture => "picture",
    }
}

#[cfg(test)]
mod tests {
    use super::super::query::tests::shape;
    use super::*;

    #[test]
    fn what_was_added_removed_renamed_and_retyped_is_told() {
        let before = shape();
        let mut now = shape();
        now.entities[2].fields[2].name = "ValidTo".into();
        now.entities[1].fields[2].kind = FieldType::Text;
        now.entities[3].fields.remove(1);
        now.entities[2].ways.remove(1);
        now.entities[0].fields.push(super::super::EntityField { name: "Town".into(), label: "town".into(), kind: FieldType::Text });
        now.entities.remove(4);
        let told: Vec<String> =
            changes(&before, &now).iter().map(|c| format!("{} {} {} {}", c.set, c.name, c.what, c.now).trim().to_owned()).collect();
        assert_eq!(
            told,
            [
                "Owners Town added text",
                "Vessels LOA retyped text",
                "Cases ValidUntil renamed ValidTo",
                "Cases Defects removed",
                "Defects Title removed",
                "Photographs  removed",
            ]
        );
        assert!(changes(&before, &before).is_empty());
    }
}
