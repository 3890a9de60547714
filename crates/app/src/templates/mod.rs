//! Templates: bringing them in, their placeholders and problems; in files of their
//! own, their versions, trying out, specimens and coverage.

pub mod coverage;
pub mod specimens;
pub mod tryout;
pub mod versions;

use mangle_core::diagnostic::{Diagnostic, Target};
use mangle_core::dispatch::Pack;
use mangle_core::language::syntax::Kind;
use mangle_core::language::{Span, UsedAs, kind, nearest};
use mangle_core::template::{Clauses, Need, Outline, Placeholder};
use mangle_core::words::counted;
use serde::{Deserialize, Serialize};

use crate::packs;
use crate::prepare::blocking;
use crate::store::templates::{self, NewVersion, PACK, TemplateInfo};
use crate::store::{clauses, settings};
use crate::transfer::Upload;
use crate::{App, Error, Outcome, clock};

pub use versions::keep;
pub(crate) use versions::problems;

/// A template with what stands in one of its versions.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TemplateDetail {
    /// The template and its versions.
    #[serde(flatten)]
    pub info: TemplateInfo,
    /// The version that is described here.
    pub shown: i64,
    /// The placeholders, in reading order.
    pub placeholders: Vec<PlaceholderInfo>,
    /// What must be put right before the template can be used.
    pub problems: Vec<Diagnostic>,
    /// The conditions and repeats as they nest, with what is printed in them.
    pub outline: Vec<OutlineInfo>,
    /// The fields that it needs, as a tree.
    pub needs: Vec<NeedInfo>,
    /// The parts, where it is a pack.
    pub pack: Option<Pack>,
    /// What was read differently than it stands in the file.
    #[serde(serialize_with = "mangle_core::words::as_sentences")]
    pub told: Vec<String>,
}

/// A field that a template needs.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NeedInfo {
    /// As first written.
    pub name: String,
    /// value, yes/no, text, number, money, date, picture, record or list.
    pub used: String,
    /// How many placeholders use it.
    pub uses: usize,
    /// The fields of its record or its records.
    #[cfg_attr(feature = "openapi", schema(no_recursion))]
    pub within: Vec<NeedInfo>,
}

impl From<&Need> for NeedInfo {
    fn from(need: &Need) -> NeedInfo {
        let used = match need.used {
            UsedAs::Value => "value",
            UsedAs::YesNo => "yes/no",
            UsedAs::Text => "text",
            UsedAs::Number => "number",
            UsedAs::Money => "money",
            UsedAs::Date => "date",
            UsedAs::Picture => "picture",
            UsedAs::Record => "record",
            UsedAs::List => "list",
        };
        let within = need.within.iter().map(Into::into).collect();
        NeedInfo { name: need.name.clone(), used: used.to_owned(), uses: need.uses, within }
    }
}

/// One line of the outline of a template's logic.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct OutlineInfo {
    /// Which placeholder it is.
    pub placeholder: usize,
    /// print, if, else, repeat, set, clause, picture, barcode, signer or page break.
    pub kind: String,
    /// What it does, in words.
    pub words: String,
    /// What stands within.
    #[cfg_attr(feature = "openapi", schema(no_recursion))]
    pub within: Vec<OutlineInfo>,
}

impl From<&Outline> for OutlineInfo {
    fn from(line: &Outline) -> Self {
        let within = line.within.iter().map(Into::into).collect();
        OutlineInfo { placeholder: line.placeholder, kind: line.kind.to_owned(), words: line.words.clone(), within }
    }
}

/// A placeholder.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PlaceholderInfo {
    /// Its text with its brackets.
    pub text: String,
    /// body, table, header, footer, text box or note.
    pub place: String,
    /// The line of text that it stands in.
    pub line: String,
    /// The names that it looks up.
    pub names: Vec<String>,
    /// It is another form of one before it, for older programs.
    pub again: bool,
}

impl From<&Placeholder> for PlaceholderInfo {
    fn from(p: &Placeholder) -> Self {
        PlaceholderInfo {
            text: p.text.clone(),
            place: p.place.words().to_owned(),
            line: p.line.clone(),
            names: p.names.iter().map(|n| n.name.clone()).collect(),
            again: p.again,
        }
    }
}

/// All templates, the newest first.
pub async fn list(app: &App) -> Outcome<Vec<TemplateInfo>> {
    Ok(app.store.with(|c| templates::list(c)).await?)
}

/// Brings in a DOCX file as a template.
pub async fn bring_in(app: &App, uploads: Vec<Upload>) -> Outcome<TemplateDetail> {
    let mut last = None;
    for upload in uploads {
        last = Some(keep(app, None, upload).await?);
    }
    let id = last.ok_or_else(|| Error::missing("the file"))?;
    detail(app, id, None).await
}

pub(crate) async fn detail(app: &App, id: i64, number: Option<i64>) -> Outcome<TemplateDetail> {
    let info = app.store.with(move |c| templates::get(c, id)).await?.ok_or_else(|| Error::missing("the template"))?;
    let newest = info.versions.first().map(|v| v.number);
    let version = info.version(number.or(newest)).cloned().ok_or_else(|| Error::missing("the version"))?;
    let template = app.template(version.id).await?;
    let clauses = app.store.with(|c| clauses::library(c)).await?;
    let pages = template.clone();
    // Pages that can't be read are told by the problems, or when they are asked for.
    let notes = blocking(move || pages.page_notes().map(|n| n.said()).unwrap_or_default()).await?;
    let mut problems: Vec<Diagnostic> = template.problems().to_vec();
    problems.extend(unknown_clauses(template.placeholders(), &clauses));
    let pack = match version.kind == PACK {
        true => Some(packs::of_version(app, &version.file).await?),
        false => None,
    };
    Ok(TemplateDetail {
        info,
        pack,
        shown: version.number,
        placeholders: template.placeholders().iter().map(Into::into).collect(),
        problems,
        outline: template.outline().iter().map(Into::into).collect(),
        needs: template.needs().iter().map(Into::into).collect(),
        told: template.notes().into_iter().chain(notes).collect(),
    })
}

/// Clauses that the library has not.
fn unknown_clauses(placeholders: &[Placeholder], library: &Clauses) -> Vec<Diagnostic> {
    let of = |p: &Placeholder| {
        let Ok(Kind::Clause(name, _)) = kind(p.text.get(2..p.text.len() - 1)?) else { return None };
        let offer = nearest(&name, library.names()).map(|n| format!("; did you mean “{n}”?")).unwrap_or_default();
        (!library.has(&name)).then(|| {
            Diagnostic::error("unknown-clause", format!("the clause library has no “{name}”{offer}"))
                .about(Target::Template { place: p.place, line: p.line.clone() })
                .within(&*p.text)
                .at(Span { start: 0, end: p.text.len().saturating_sub(3) })
        })
    };
    placeholders.iter().filter_map(of).collect()
}

#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct Shown {
    /// The version's number; the newest where it is left out.
    pub version: Option<i64>,
}

/// A template with its placeholders and problems.
pub async fn show(app: &App, id: i64, shown: Shown) -> Outcome<TemplateDetail> {
    detail(app, id, shown.version).await
}

/// Another name for a template.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct TemplateName {
    /// The name.
    pub name: String,
}

/// Renames a template; its key and its versions stay.
pub async fn rename(app: &App, id: i64, new: TemplateName) -> Outcome<TemplateDetail> {
    let name: String = new.name.split_whitespace().collect::<Vec<_>>().join(" ").chars().take(200).collect();
    if name.is_empty() {
        return Err(Error::unusable("no-name", "enter a name for the template"));
    }
    if !app.store.with(move |c| templates::rename(c, id, &name)).await? {
        return Err(Error::missing("the template"));
    }
    detail(app, id, None).await
}

/// Adds a copy of a template: the version in use, without the others and without test cases.
pub async fn copy(app: &App, id: i64) -> Outcome<TemplateDetail> {
    let copied = app.store.change(move |t| -> Outcome<i64> {
        let own = templates::get(t, id)?.ok_or_else(|| Error::missing("the template"))?;
        let version = own.version(None).ok_or_else(|| Error::missing("the version"))?;
        let made = templates::add(t, &format!("{} (copy)", own.name))?;
        let (at, by) = (clock::stamp(), settings::read(t)?.person_name);
        let note = format!("copied from {}, version {}", own.name, version.number);
        let new = NewVersion {
            file_name: &version.file_name,
            file: &version.file,
            size: version.size,
            at: &at,
            by: &by,
            note: &note,
            kind: &version.kind,
        };
        let number = templates::add_version(t, made, &new)?;
        templates::copy_parts(t, version.id, made, number)?;
        Ok(made)
    });
    detail(app, copied.await?, None).await
}

/// Deletes a template that no dispatch and no run uses.
pub async fn remove(app: &App, id: i64) -> Outcome<bool> {
    let uses = app.store.with(move |c| templates::uses(c, id)).await?;
    if uses > 0 {
        return Err(Error::conflict(
            "in-use",
            format!(
                "this template is used {}. Delete those first.",
                counted(uses as usize, "time by a dispatch, run or pack", "times by dispatches, runs and packs")
            ),
        ));
    }
    Ok(app.store.with(move |c| templates::delete(c, id)).await?)
}
