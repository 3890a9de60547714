//! Filters kept for a sheet.

use mangle_core::language::condition;
use serde::Deserialize;

use super::info;
use crate::store::sheets::{self, SheetInfo};
use crate::{App, Error, Outcome};

/// A filter to keep.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewFilter {
    /// Its name.
    pub name: String,
    /// The condition.
    pub condition: String,
}

/// Keeps a filter under a name.
pub async fn keep_filter(app: &App, id: i64, new: NewFilter) -> Outcome<SheetInfo> {
    let name = new.name.trim().to_owned();
    if name.is_empty() {
        return Err(Error::unusable("no-name", "enter a name for the filter"));
    }
    condition(&new.condition).map_err(|e| Error::unusable("filter", format!("the filter can't be used: {e}")))?;
    app.store.with(move |c| sheets::keep_filter(c, id, &name, &new.condition)).await?;
    info(app, id).await
}

/// Delete a saved filter.
pub async fn drop_filter(app: &App, id: i64) -> Outcome<bool> {
    Ok(app.store.with(move |c| sheets::drop_filter(c, id)).await?)
}
