//! The document of a record beside the one that was made of it last.

use mangle_core::records::{Record, read_kept};
use mangle_core::template::compare;
use serde::Serialize;

use super::{find, ready};
use crate::jobs;
use crate::prepare::{Prepared, blocking};
use crate::store::items;
use crate::templates::versions::ChangeInfo;
use crate::{App, Error, Outcome};

/// How the document of a record differs from the one that was made of it last.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct LastDocument {
    /// The run that made the last one.
    pub run: i64,
    /// Its item.
    pub item: i64,
    /// When it was made.
    pub at: String,
    /// The lines that are different; none where both say the same.
    pub changes: Vec<ChangeInfo>,
}

/// The lines of a record's document.
fn lines(prepared: &Prepared, record: &Record, (number, count): (usize, usize)) -> Outcome<Vec<String>> {
    let template = prepared.template.as_ref().ok_or_else(|| Error::conflict("not-ready", "choose a template and a source first"))?;
    let context = prepared.context(record, number, count);
    let filled = template.fill_with(&prepared.scope(record, &context), prepared.means());
    let filled = filled
        .map_err(|errors| Error::conflict("findings", errors.first().map_or_else(String::new, |error| error.diagnostic().to_string())))?;
    Ok(template.lines_of(&filled)?)
}

/// How the document of a record differs from the one that was made of it last; none where none was.
pub async fn with_last(app: &App, key: &str, row: usize) -> Outcome<Option<LastDocument>> {
    let dispatch = find(app, key).await?;
    let (id, Some(sheet)) = (dispatch.id, dispatch.sheet_id) else { return Ok(None) };
    let Some(last) = app.store.with(move |c| items::last_made(c, id, sheet, row)).await? else { return Ok(None) };
    let (before, work) = jobs::prepared(app, last.run_id).await?;
    let (now, _) = ready(app, &dispatch).await?;
    blocking(move || -> Outcome<Option<LastDocument>> {
        if now.plan.joint {
            return Ok(None);
        }
        let Some(record) = now.sheet.as_ref().and_then(|sheet| sheet.sheet.record(row)) else { return Err(Error::missing("the row")) };
        let schema = work.schema.as_ref().unwrap_or(&before.schema);
        let kept = read_kept(schema, row, &last.record).map_err(|e| anyhow::anyhow!("{e}"))?;
        let (chosen, _) = now.chosen()?;
        let number = chosen.iter().position(|own| own.number == row).map_or(1, |at| at + 1);
        let older = lines(&before, &kept, (last.position, work.count))?;
        let newer = lines(&now, record, (number, chosen.len().max(1)))?;
        let changes = compare(&older, &newer).into_iter().map(Into::into).collect();
        Ok(Some(LastDocument { run: last.run_id, item: last.id, at: last.changed, changes }))
    })
    .await?
}
