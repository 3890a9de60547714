//! A template's versions: which is in use, what changed between two, bringing an
//! earlier one back.

use mangle_core::template::{Change, State as PieceState, compare};
use mangle_core::words::counted;
use mangle_documents::formats::{self, EditError, Template};
use serde::{Deserialize, Serialize};

use super::specimens;
use super::{TemplateDetail, detail, unknown_clauses};
use crate::packs;
use crate::pages::Pages;
use crate::prepare::blocking;
use crate::store::templates::{self, NewVersion, PACK, TemplateInfo, Version};
use crate::store::{clauses, settings};
use crate::transfer::{Download, Upload, stem};
use crate::{App, Error, Outcome, clock};

/// Keeps a file as a new template, or as the next version of one. The first
/// version is in use; a newer one is put in use when it has no problems and no
/// specimen comes out differently, else it stays a draft.
pub async fn keep(app: &App, template: Option<i64>, upload: Upload) -> Outcome<i64> {
    let Upload { name, bytes } = upload;
    let size = bytes.len() as i64;
    let checked = bytes.clone();
    let fonts = app.fonts().await?;
    let format = formats::of_file(&name, &bytes).unwrap_or(formats::ALL[0]);
    let opened = blocking(move || format.open(checked.into(), &fonts))
        .await?
        .map_err(|e| Error::unusable(e.code(), format!("“{name}”: {e}", name = name.clone())))?;
    let file = app.files.keep(bytes).await?;
    let (id, number) = app
        .store
        .change(move |t| -> anyhow::Result<(i64, i64)> {
            let id = match template {
                Some(id) => id,
                None => templates::add(t, &stem(&name))?,
            };
            let by = settings::read(t)?.person_name;
            let new = NewVersion { file_name: &name, file: &file, size, at: &clock::stamp(), by: &by, note: "", kind: format.word() };
            let number = templates::add_version(t, id, &new)?;
            Ok((id, number))
        })
        .await?;
    if problems(app, &*opened).await? == 0 && specimens::all_the_same(app, id, opened).await? {
        app.store.with(move |c| templates::put_in_use(c, id, number)).await?;
    }
    Ok(id)
}

/// How many problems keep a version from being used: its own, and clauses that the
/// library has not.
pub(crate) async fn problems(app: &App, template: &dyn Template) -> Outcome<usize> {
    let clauses = app.store.with(|c| clauses::library(c)).await?;
    Ok(template.problems().len() + unknown_clauses(template.placeholders(), &clauses).len())
}

/// Brings in a newer file as the next version; the earlier ones stay.
pub async fn replace(app: &App, id: i64, uploads: Vec<Upload>) -> Outcome<TemplateDetail> {
    if find(app, id).await?.versions.first().is_some_and(|version| version.kind == PACK) {
        return Err(Error::conflict("pack", "this is a pack. Add the file as a part of it, or upload it as a new template."));
    }
    for upload in uploads {
        keep(app, Some(id), upload).await?;
    }
    detail(app, id, None).await
}

/// A placeholder's new text.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RewriteBody {
    /// The whole placeholder, from `[:` to `]`.
    pub text: String,
}

/// Writes one placeholder of a version anew and keeps the document as the next
/// version; all else in it stays as it is. A text that is a problem is refused.
pub async fn rewrite(app: &App, id: i64, number: i64, placeholder: usize, body: RewriteBody) -> Outcome<TemplateDetail> {
    let (info, version) = numbered(app, id, number).await?;
    if version.kind == PACK {
        return Err(Error::unusable("pack", "this placeholder is in a part of the pack. Open that part's template to edit it."));
    }
    let template = app.template(version.id).await?;
    let (fonts, format) = (app.fonts().await?, version.format()?);
    let bytes = blocking(move || -> Outcome<Vec<u8>> {
        let bytes = template.rewritten(placeholder, &body.text).map_err(|e| Error::unusable("placeholder", e.to_string()))?;
        let next = format.open(bytes.clone().into(), &fonts)?;
        if next.placeholders().len() != template.placeholders().len() {
            return Err(Error::unusable("placeholder", EditError::NotOne.to_string()));
        }
        let before = template.problems();
        match next.problems().iter().find(|p| !before.contains(p)) {
            Some(problem) => Err(Error::unusable("placeholder", format!("{}: {problem}", problem.source))),
            None => Ok(bytes),
        }
    })
    .await??;
    let name = info.versions.iter().find(|v| v.number == number).map_or("template.docx".to_owned(), |v| v.file_name.clone());
    keep(app, Some(id), Upload { name, bytes }).await?;
    detail(app, id, None).await
}

async fn find(app: &App, id: i64) -> Outcome<TemplateInfo> {
    app.store.with(move |c| templates::get(c, id)).await?.ok_or_else(|| Error::missing("the template"))
}

async fn numbered(app: &App, id: i64, number: i64) -> Outcome<(TemplateInfo, Version)> {
    let info = find(app, id).await?;
    let version = info.version(Some(number)).cloned().ok_or_else(|| Error::missing("the version"))?;
    Ok((info, version))
}

/// Puts a version without problems in use.
pub async fn put_in_use(app: &App, id: i64, number: i64) -> Outcome<TemplateDetail> {
    let (_, version) = numbered(app, id, number).await?;
    let problems = problems(app, &*app.template(version.id).await?).await?;
    if problems > 0 {
        let message = format!("version {number} has {}. Fix them and upload it again.", counted(problems, "problem", "problems"));
        return Err(Error::conflict("template-problems", message));
    }
    app.store.with(move |c| templates::put_in_use(c, id, number)).await?;
    detail(app, id, Some(number)).await
}

/// Brings an earlier version back: its file becomes the newest version, in use.
pub async fn restore(app: &App, id: i64, number: i64) -> Outcome<TemplateDetail> {
    let (_, version) = numbered(app, id, number).await?;
    let problems = problems(app, &*app.template(version.id).await?).await?;
    let parts: Vec<i64> = match version.kind == PACK {
        true => packs::of_version(app, &version.file).await?.templates().collect(),
        false => Vec::new(),
    };
    let newest = app
        .store
        .change(move |t| -> anyhow::Result<i64> {
            let by = settings::read(t)?.person_name;
            let note = format!("restored from version {number}");
            let new = NewVersion {
                file_name: &version.file_name,
                file: &version.file,
                size: version.size,
                at: &clock::stamp(),
                by: &by,
                note: &note,
                kind: &version.kind,
            };
            let newest = templates::add_version(t, id, &new)?;
            templates::set_parts(t, id, newest, &parts)?;
            if problems == 0 {
                templates::put_in_use(t, id, newest)?;
            }
            Ok(newest)
        })
        .await?;
    detail(app, id, Some(newest)).await
}

/// What a person notes of a version.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Note {
    /// The note; blank for none.
    pub note: String,
}

/// Changes what is noted of a version.
pub async fn note(app: &App, id: i64, new: Note) -> Outcome<bool> {
    let text: String = new.note.trim().chars().take(400).collect();
    Ok(app.store.with(move |c| templates::set_note(c, id, &text)).await?)
}

/// The file of a version, as it was brought in.
pub async fn file(app: &App, id: i64) -> Outcome<Download> {
    let version = app.store.with(move |c| templates::version(c, id)).await?.ok_or_else(|| Error::missing("the version"))?;
    let bytes = app.files.get(&version.file).await?;
    let kind = if version.kind == PACK { "application/json" } else { version.format()?.media_type() };
    Ok(Download::new(kind, &version.file_name, bytes))
}

/// The version's own pages, a short stand-in marked in the place of each placeholder.
pub async fn pages(app: &App, id: i64) -> Outcome<Pages> {
    let template = app.template(id).await?;
    let made = blocking(move || template.with_stand_ins().map(|made| Pages::of(&made))).await?;
    made.map_err(|e| Error::unusable("pages", e.to_string()))
}

#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct Between {
    /// The older version's number.
    pub older: i64,
    /// The newer version's number.
    pub newer: i64,
}

/// A line that changed.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ChangeInfo {
    /// Its line in the newer text, from 1.
    pub line: usize,
    /// Its pieces in order.
    pub pieces: Vec<PieceInfo>,
}

/// A stretch of a changed line.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PieceInfo {
    /// same, gone or new.
    pub state: String,
    /// The stretch.
    pub text: String,
}

impl From<Change> for ChangeInfo {
    fn from(change: Change) -> ChangeInfo {
        let state = |s: PieceState| match s {
            PieceState::Same => "same",
            PieceState::Gone => "gone",
            PieceState::New => "new",
        };
        let pieces = change.pieces.into_iter().map(|p| PieceInfo { state: state(p.state).to_owned(), text: p.text });
        ChangeInfo { line: change.line, pieces: pieces.collect() }
    }
}

/// What changed in the text between two versions of a template.
pub async fn changes(app: &App, id: i64, asked: Between) -> Outcome<Vec<ChangeInfo>> {
    let (info, older) = numbered(app, id, asked.older).await?;
    let newer = info.version(Some(asked.newer)).ok_or_else(|| Error::missing("the version"))?;
    let (older, newer) = (app.template(older.id).await?, app.template(newer.id).await?);
    let changes = blocking(move || -> Outcome<Vec<Change>> { Ok(compare(&older.lines()?, &newer.lines()?)) });
    Ok(changes.await??.into_iter().map(Into::into).collect())
}
