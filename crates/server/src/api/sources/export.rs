//! A sheet as a file.

use axum::extract::{Path, Query, State};
use axum::response::Response;
use mangle_documents::table::{Format, write};
use serde::Deserialize;
use utoipa::IntoParams;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::rows::Look;
use crate::api::templates::download;
use crate::error::{Problem, Refused};
use mangle_app::App;
use mangle_app::prepare::blocking;

pub(super) fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(export))
}

/// What kind of file.
#[derive(Debug, Deserialize, IntoParams)]
struct Kind {
    /// csv, xlsx, ods or json.
    format: String,
}

/// The rows of a sheet as a file: those looked at, in their order.
#[utoipa::path(get, path = "/api/sheets/{id}/export", tag = "sources", params(("id" = i64, Path), Look, Kind), responses((status = 200, content_type = "application/octet-stream"), (status = 422, body = Problem)))]
async fn export(
    State(app): State<App>,
    Path(id): Path<i64>,
    Query(look): Query<Look>,
    Query(kind): Query<Kind>,
) -> Result<Response, Refused> {
    let format = Format::parse(&kind.format).ok_or_else(|| {
        Refused::unusable("format", format!("“{}” is not a supported format. Choose csv, xlsx, ods or json.", kind.format))
    })?;
    let loaded = app.sheet(id).await?;
    let name = format!("{}.{}", loaded.sheet.name, format.extension());
    let bytes = blocking(move || -> Result<Vec<u8>, Refused> {
        let records: Vec<_> = look.rows(&loaded)?.iter().map(|at| &loaded.sheet.records[*at]).collect();
        write(format, &loaded.sheet.name, loaded.sheet.schema.columns(), &records).map_err(|e| Refused::unusable(e.code(), e.to_string()))
    })
    .await??;
    Ok(download(format.media_type(), &name, bytes))
}
