//! Relations between sheets.

use mangle_core::language::Folded;
use mangle_core::records::{Schema, check};
use serde::{Deserialize, Serialize};

use super::info;
use crate::prepare::blocking;
use crate::store::relations::{self, Relation};
use crate::store::sheets::{self, SheetInfo};
use crate::{App, Error, Outcome};

/// A relation as a person wants it, seen from the sheet whose rows belong to a row
/// of the other.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewRelation {
    /// The column that says to which row each belongs.
    pub key: String,
    /// The other sheet.
    pub other: i64,
    /// Its column that says the same.
    pub other_key: String,
    /// What a row calls the one it belongs to: `holder`.
    pub one_name: String,
    /// What a row of the other calls those that belong to it: `invoices`.
    pub many_name: String,
}

/// Relates a sheet to another.
pub async fn add(app: &App, id: i64, new: NewRelation) -> Outcome<SheetInfo> {
    let (one_name, many_name) = (new.one_name.trim().to_owned(), new.many_name.trim().to_owned());
    if [&one_name, &many_name].iter().any(|n| Folded::new(n).as_str().is_empty() || n.chars().count() > 200) {
        return Err(Error::unusable("no-name", "enter a name of at most 200 characters for both sides"));
    }
    if id == new.other {
        return Err(Error::unusable("itself", "a sheet can't be related to itself. Choose another."));
    }
    app.store
        .change(move |t| -> Outcome<()> {
            let side = |id: i64| -> Outcome<SheetInfo> { sheets::sheet(t, id)?.ok_or_else(|| Error::missing("the sheet")) };
            let (many, one) = (side(id)?, side(new.other)?);
            let key = |sheet: &SheetInfo, name: &str| {
                let found = sheet.columns.iter().find(|c| Folded::new(&c.name) == Folded::new(name));
                found
                    .map(|c| c.name.clone())
                    .ok_or_else(|| Error::unusable("no-column", format!("“{}” has no column “{name}”; choose the key column", sheet.name)))
            };
            let relation = Relation {
                many: id,
                many_key: key(&many, &new.key)?,
                one_name,
                one: new.other,
                one_key: key(&one, &new.other_key)?,
                many_name,
            };
            relations::add(t, &relation)?;
            sheets::stand_together(t, id)?;
            sheets::stand_together(t, new.other)?;
            Ok(())
        })
        .await?;
    app.forget_sheets();
    info(app, id).await
}

/// A row that does not fit a relation.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct KeyAt {
    /// The row's number.
    pub row: usize,
    /// What its key is.
    pub key: String,
}

/// How well two sheets fit together.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RelationCheck {
    /// The sheet whose rows belong to those of the other.
    pub many: String,
    /// Its number.
    pub many_id: i64,
    /// The other sheet.
    pub one: String,
    /// Its number.
    pub one_id: i64,
    /// How many rows of the many belong to none.
    pub orphan_count: usize,
    /// The first hundred of them.
    pub orphans: Vec<KeyAt>,
    /// How many rows of the one have a key that another has.
    pub duplicate_count: usize,
    /// The first hundred of them.
    pub duplicates: Vec<KeyAt>,
    /// How many rows of the many have no key.
    pub blank: usize,
}

/// Check a relation for rows without a match and duplicate keys.
pub async fn checked(app: &App, id: i64) -> Outcome<RelationCheck> {
    let relation = app.store.with(move |c| relations::get(c, id)).await?.ok_or_else(|| Error::missing("the relation"))?;
    let (many, one) = (app.sheet(relation.many).await?, app.sheet(relation.one).await?);
    let found = blocking(move || {
        let place = |schema: &Schema, name: &str| schema.index(&Folded::new(name));
        let keys = place(&many.sheet.schema, &relation.many_key).zip(place(&one.sheet.schema, &relation.one_key));
        keys.map(|(many_key, one_key)| {
            let checked = check((&many.sheet, many_key), (&one.sheet, one_key));
            let first = |rows: &[(usize, String)]| rows.iter().take(100).map(|(row, key)| KeyAt { row: *row, key: key.clone() }).collect();
            RelationCheck {
                many: many.sheet.name.clone(),
                many_id: relation.many,
                one: one.sheet.name.clone(),
                one_id: relation.one,
                orphan_count: checked.orphans.len(),
                orphans: first(&checked.orphans),
                duplicate_count: checked.duplicates.len(),
                duplicates: first(&checked.duplicates),
                blank: checked.blank,
            }
        })
    })
    .await?;
    found.ok_or_else(|| Error::missing("the relation's key"))
}

/// Deletes a relation; the rows of both sheets stay.
pub async fn remove(app: &App, id: i64) -> Outcome<bool> {
    let gone = app.store.with(move |c| relations::delete(c, id)).await?;
    app.forget_sheets();
    Ok(gone)
}
