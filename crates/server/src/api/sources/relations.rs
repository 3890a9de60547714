//! Relations between sheets.

use axum::Json;
use axum::extract::{Path, State};
use mangle_core::language::Folded;
use mangle_core::records::{Schema, check};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::info;
use crate::error::{Answer, Problem, Refused};
use mangle_app::App;
use mangle_app::prepare::blocking;
use mangle_app::store::relations::{self, Relation};
use mangle_app::store::sheets::{self, SheetInfo};

pub(super) fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(add)).routes(routes!(checked, remove))
}

/// A relation as a person wants it, seen from the sheet whose rows belong to a row
/// of the other.
#[derive(Debug, Deserialize, ToSchema)]
struct NewRelation {
    /// The column that says to which row each belongs.
    key: String,
    /// The other sheet.
    other: i64,
    /// Its column that says the same.
    other_key: String,
    /// What a row calls the one it belongs to: `holder`.
    one_name: String,
    /// What a row of the other calls those that belong to it: `invoices`.
    many_name: String,
}

/// Relates a sheet to another.
#[utoipa::path(post, path = "/api/sheets/{id}/relations", tag = "sources", params(("id" = i64, Path)), request_body = NewRelation, responses((status = 200, body = SheetInfo), (status = 422, body = Problem)))]
async fn add(State(app): State<App>, Path(id): Path<i64>, Json(new): Json<NewRelation>) -> Answer<SheetInfo> {
    let (one_name, many_name) = (new.one_name.trim().to_owned(), new.many_name.trim().to_owned());
    if [&one_name, &many_name].iter().any(|n| Folded::new(n).as_str().is_empty() || n.chars().count() > 200) {
        return Err(Refused::unusable("no-name", "enter a name of at most 200 characters for both sides"));
    }
    if id == new.other {
        return Err(Refused::unusable("itself", "a sheet can't be related to itself. Choose another."));
    }
    app.store
        .change(move |t| -> Result<(), Refused> {
            let side = |id: i64| -> Result<SheetInfo, Refused> { sheets::sheet(t, id)?.ok_or_else(|| Refused::missing("the sheet")) };
            let (many, one) = (side(id)?, side(new.other)?);
            let key = |sheet: &SheetInfo, name: &str| {
                let found = sheet.columns.iter().find(|c| Folded::new(&c.name) == Folded::new(name));
                found.map(|c| c.name.clone()).ok_or_else(|| {
                    Refused::unusable("no-column", format!("“{}” has no column “{name}”; choose the key column", sheet.name))
                })
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
    info(&app, id).await.map(Json)
}

/// A row that does not fit a relation.
#[derive(Debug, Serialize, ToSchema)]
struct KeyAt {
    /// The row's number.
    row: usize,
    /// What its key is.
    key: String,
}

/// How well two sheets fit together.
#[derive(Debug, Serialize, ToSchema)]
struct RelationCheck {
    /// The sheet whose rows belong to those of the other.
    many: String,
    /// Its number.
    many_id: i64,
    /// The other sheet.
    one: String,
    /// Its number.
    one_id: i64,
    /// How many rows of the many belong to none.
    orphan_count: usize,
    /// The first hundred of them.
    orphans: Vec<KeyAt>,
    /// How many rows of the one have a key that another has.
    duplicate_count: usize,
    /// The first hundred of them.
    duplicates: Vec<KeyAt>,
    /// How many rows of the many have no key.
    blank: usize,
}

/// Check a relation for rows without a match and duplicate keys.
#[utoipa::path(get, path = "/api/relations/{id}", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = RelationCheck), (status = 404, body = Problem)))]
async fn checked(State(app): State<App>, Path(id): Path<i64>) -> Answer<RelationCheck> {
    let relation = app.store.with(move |c| relations::get(c, id)).await?.ok_or_else(|| Refused::missing("the relation"))?;
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
    found.map(Json).ok_or_else(|| Refused::missing("the relation's key"))
}

/// Deletes a relation; the rows of both sheets stay.
#[utoipa::path(delete, path = "/api/relations/{id}", tag = "sources", params(("id" = i64, Path)), responses((status = 200, body = bool)))]
async fn remove(State(app): State<App>, Path(id): Path<i64>) -> Answer<bool> {
    let gone = app.store.with(move |c| relations::delete(c, id)).await?;
    app.forget_sheets();
    Ok(Json(gone))
}
