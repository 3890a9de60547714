//! What a CRM holds: entities with their fields, and the ways between them.

use serde::{Deserialize, Serialize};

use crate::records::{Column, ColumnType};

/// What a CRM holds.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Shape {
    /// The entities, in the order in which the service tells them.
    pub entities: Vec<Entity>,
}

/// One kind of thing.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Entity {
    /// Under what all of them are asked for.
    pub set: String,
    /// The name of the kind.
    pub name: String,
    /// What people call it.
    pub label: String,
    /// The fields that tell one from another.
    pub key: Vec<String>,
    /// The field that stands for the media stream of each, where they have one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub media: Option<String>,
    /// Its fields.
    pub fields: Vec<EntityField>,
    /// The ways to others.
    pub ways: Vec<Way>,
}

/// A field of an entity.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct EntityField {
    /// Its name.
    pub name: String,
    /// What people call it.
    pub label: String,
    /// What it holds.
    #[serde(rename = "type")]
    pub kind: FieldType,
}

/// What a field holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum FieldType {
    /// Text.
    Text,
    /// A number.
    Number,
    /// Yes or no.
    YesNo,
    /// A day.
    Date,
    /// A day with a time.
    Moment,
    /// A picture or file of its own.
    Picture,
}

/// A way from an entity to another, or to many.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Way {
    /// Its name.
    pub name: String,
    /// What people call it.
    pub label: String,
    /// The set that it leads to.
    pub to: String,
    /// Whether it leads to many.
    pub many: bool,
}

impl Shape {
    /// The entity of a set.
    pub fn entity(&self, set: &str) -> Option<&Entity> {
        self.entities.iter().find(|e| e.set == set)
    }

    /// The entity that a way leads to.
    pub fn behind(&self, way: &Way) -> Option<&Entity> {
        self.entity(&way.to)
    }
}

impl Entity {
    /// A field by its name.
    pub fn field(&self, name: &str) -> Option<&EntityField> {
        self.fields.iter().find(|f| f.name == name)
    }

    /// A way by its name.
    pub fn way(&self, name: &str) -> Option<&Way> {
        self.ways.iter().find(|w| w.name == name)
    }
}

impl EntityField {
    /// The column that its values stand in.
    pub fn column(&self) -> Column {
        let kind = match self.kind {
            FieldType::Text | FieldType::Picture => ColumnType::Text,
            FieldType::Number => ColumnType::Number,
            FieldType::YesNo => ColumnType::YesNo,
            FieldType::Date | FieldType::Moment => ColumnType::Date,
        };
        Column::new(&self.name, kind)
    }
}
