//! Packs: documents put together from parts. A pack is stored as a template whose versions are
//! lists of parts; it is opened with the templates, PDFs and pictures that it names.

use std::collections::BTreeMap;
use std::sync::Arc;

use futures::future::BoxFuture;
use mangle_core::diagnostic::Diagnostic;
use mangle_core::dispatch::{FixedField, Pack, PartContent, of_part};
use mangle_documents::bound::{self, Bound, Piece};
use mangle_documents::formats::{self, Content, Picture, SignerPlace, Template, fixed_fields};
use mangle_documents::pdf::FixedPdf;
use mangle_documents::picture;
use serde::{Deserialize, Serialize};

use crate::cache::Weigh;
use crate::pages::Pages;
use crate::prepare::blocking;
use crate::store::settings;
use crate::store::templates::{self, NewVersion, PACK};
use crate::templates::{TemplateDetail, detail, problems};
use crate::transfer::{Upload, stem};
use crate::{App, Error, Outcome, clock};

/// How deep packs may lie within packs.
const DEEPEST: usize = 8;

/// A PDF or picture that is a part, opened.
#[derive(Debug, Clone)]
pub struct FixedPart {
    content: Content,
    size: usize,
}

impl Weigh for FixedPart {
    /// It is unpacked, and its pages may be drawn.
    fn bytes(&self) -> usize {
        self.size.saturating_mul(3)
    }
}

/// Which versions of templates and which fonts a pack is opened with.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Opening<'a> {
    /// The version of each template, by its number among the template's; those in use where none
    /// are given.
    pub versions: Option<&'a BTreeMap<i64, i64>>,
    /// The files of fonts besides those that ship; those at hand where none are given.
    pub fonts: Option<&'a [String]>,
}

impl App {
    /// A pack with its parts; `above` are the packs that it is within, and itself.
    pub(crate) fn open_pack<'a>(
        &'a self,
        bytes: Vec<u8>,
        opening: Opening<'a>,
        above: Vec<i64>,
    ) -> BoxFuture<'a, Result<Arc<dyn Template>, Error>> {
        Box::pin(async move {
            let pack = Pack::read(&bytes).map_err(|e| anyhow::anyhow!(e))?;
            let (mut contents, mut wrong) = (Vec::with_capacity(pack.parts.len()), Vec::new());
            for part in &pack.parts {
                contents.push(match self.part(&part.content, opening, &above).await? {
                    Ok(content) => content,
                    Err(problem) => {
                        wrong.push(of_part(&part.name, problem));
                        Content::Gone
                    }
                });
            }
            let opened: Arc<dyn Template> = blocking(move || Arc::new(formats::Pack::new(pack, contents, wrong))).await?;
            Ok(opened)
        })
    }

    /// What a part is, or why it can't be used.
    async fn part(&self, content: &PartContent, opening: Opening<'_>, above: &[i64]) -> Result<Result<Content, Diagnostic>, Error> {
        let (file, name, is_pdf) = match content {
            PartContent::Pdf { file, file_name, .. } => (file, file_name, true),
            PartContent::Picture { file, file_name } => (file, file_name, false),
            PartContent::Template { id, version } => {
                let (id, version) = (*id, *version);
                if above.contains(&id) || above.len() >= DEEPEST {
                    let message = "the pack contains itself. Remove the part, or choose another pack.";
                    return Ok(Err(Diagnostic::error("pack-circle", message)));
                }
                let found = self.store.with(move |c| templates::get(c, id)).await?;
                let number = version.or_else(|| opening.versions.and_then(|own| own.get(&id).copied()));
                return match found.as_ref().and_then(|own| own.version(number)) {
                    Some(version) => Ok(Ok(Content::Template(self.open_version(version.id, opening, above).await?))),
                    None => Ok(Err(Diagnostic::error("part-gone", "the template no longer exists. Choose another."))),
                };
            }
        };
        if let Some(ready) = self.parts.get(file) {
            return Ok(Ok(ready.content));
        }
        let (bytes, name) = match self.files.get(file).await {
            Ok(bytes) => (bytes, name.clone()),
            Err(error) => {
                tracing::warn!(error = format!("{error:#}"), "a part of a pack can't be read");
                return Ok(Err(Diagnostic::error("part-gone", format!("“{name}” can't be read. Upload it again."))));
            }
        };
        let size = bytes.len();
        let opened = blocking(move || opened(&name, bytes, is_pdf)).await?;
        if let Ok(content) = &opened {
            self.parts.insert(file.clone(), FixedPart { content: content.clone(), size });
        }
        Ok(opened.map_err(|problem| *problem))
    }
}

/// Opens a PDF or a picture.
fn opened(name: &str, bytes: Vec<u8>, is_pdf: bool) -> Result<Content, Box<Diagnostic>> {
    let wrong = |code: &'static str, said: String| Err(Box::new(Diagnostic::error(code, said)));
    match is_pdf {
        true => match FixedPdf::open(bytes) {
            Ok(pdf) => Ok(Content::Pdf(Arc::new(pdf))),
            Err(fault) => wrong("part-pdf", format!("“{name}”: {fault}")),
        },
        false => match Picture::open(name, &bytes.into()) {
            Ok(picture) => Ok(Content::Picture(Arc::new(picture))),
            Err(fault) => wrong("part-picture", fault.to_string()),
        },
    }
}

/// A file that can be a part of a pack.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PartFile {
    /// What it is as a part.
    pub content: PartContent,
    /// A name for the part.
    pub name: String,
    /// How many pages it has.
    pub pages: usize,
    /// Whether it has tags for reading aloud.
    pub tagged: bool,
}

/// Keeps a PDF or picture that is to be a part; one that can't be is refused.
pub async fn keep_file(app: &App, upload: Upload) -> Outcome<PartFile> {
    let Upload { name, bytes } = upload;
    let (checked, own) = (bytes.clone(), name.clone());
    let open = move || {
        let is_pdf = !picture::is_photograph(&checked);
        opened(&own, checked, is_pdf).map(|content| (content, is_pdf))
    };
    let (content, is_pdf) = blocking(open).await?.map_err(|problem| Error::unusable(&problem.code, said(&problem)))?;
    let size = bytes.len();
    let file = app.files.keep(bytes).await?;
    let (pages, tagged) = match &content {
        Content::Pdf(pdf) => (pdf.page_count(), pdf.is_tagged()),
        _ => (1, false),
    };
    app.parts.insert(file.clone(), FixedPart { content, size });
    let part = stem(&name);
    let content = match is_pdf {
        true => PartContent::Pdf { file, file_name: name, fields: Vec::new() },
        false => PartContent::Picture { file, file_name: name },
    };
    Ok(PartFile { content, name: part, pages, tagged })
}

/// What is wrong, and what helps.
fn said(problem: &Diagnostic) -> String {
    if problem.help.is_empty() { problem.message.clone() } else { format!("{}. {}", problem.message, problem.help) }
}

/// A signature field on the pages of a PDF, as it will be.
#[derive(Debug, Default, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PlacedField {
    /// The signer role; blank where its placeholder is not a signature field.
    pub role: String,
    /// What is filled in, in words.
    pub field: String,
    /// Its width in points.
    pub width: f64,
    /// Its height in points.
    pub height: f64,
    /// Where it begins by its marker text alone, at each place of that; empty without a marker text.
    pub markers: Vec<MarkerPlace>,
    /// What is wrong with it; blank for nothing.
    #[serde(serialize_with = "mangle_core::words::as_sentence")]
    pub problem: String,
}

/// Where a field begins by a marker text, in points from the top left of a page.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct MarkerPlace {
    /// The page, from 1.
    pub page: usize,
    /// From the left edge.
    pub left: f64,
    /// From the top edge.
    pub top: f64,
}

/// What signature fields on the pages of a PDF are, how large, and where.
pub async fn placed(app: &App, file: String, fields: Vec<FixedField>) -> Outcome<Vec<PlacedField>> {
    let pdf = fixed(app, file).await?;
    let one = move |field: &FixedField| {
        let own = match field.read() {
            Ok(own) => SignerPlace::of(&own),
            Err(problem) => return PlacedField { problem: said(&problem), ..PlacedField::default() },
        };
        let problem = fixed_fields::spots(field, own.size, &pdf).err().map(|problem| said(&problem)).unwrap_or_default();
        let found = match field.marker.trim() {
            "" => Vec::new(),
            marker => fixed_fields::markers(marker, own.size, &pdf).unwrap_or_default(),
        };
        let markers = found.into_iter().map(|spot| MarkerPlace { page: spot.page + 1, left: spot.left, top: spot.top }).collect();
        PlacedField { role: own.role, field: own.field.word().to_owned(), width: own.size.0, height: own.size.1, markers, problem }
    };
    Ok(blocking(move || fields.iter().map(one).collect()).await?)
}

/// The pages of a PDF that is a part, or is to be.
pub async fn file_pages(app: &App, file: String) -> Outcome<Pages> {
    let piece = Piece { title: String::new(), pages: bound::Pages::Fixed(fixed(app, file).await?, Vec::new()), first: [0, 0] };
    Ok(blocking(move || Pages::of(&Bound::new(vec![piece], false, false))).await?)
}

/// A PDF that is a part, or is to be.
async fn fixed(app: &App, file: String) -> Outcome<Arc<FixedPdf>> {
    let content = PartContent::Pdf { file_name: file.clone(), file, fields: Vec::new() };
    match app.part(&content, Opening::default(), &[]).await? {
        Ok(Content::Pdf(pdf)) => Ok(pdf),
        _ => Err(Error::missing("the PDF")),
    }
}

/// A new pack.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct NewPack {
    /// Its name.
    pub name: String,
    /// Its parts.
    #[serde(default)]
    pub pack: Pack,
}

/// Adds a pack.
pub async fn add(app: &App, new: NewPack) -> Outcome<TemplateDetail> {
    let name = new.name.trim().to_owned();
    if name.is_empty() {
        return Err(Error::unusable("no-name", "enter a name for the pack"));
    }
    let id = write(app, None, name, new.pack).await?;
    detail(app, id, None).await
}

/// The version that was changed.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct Seen {
    /// The number of the newest version when the pack was loaded: what was changed elsewhere meanwhile
    /// is not overwritten. Left out, whatever is there is.
    pub newest: Option<i64>,
}

/// Changes a pack: its parts are its next version, which is in use where nothing is wrong with it.
pub async fn change(app: &App, id: i64, pack: Pack, seen: Seen) -> Outcome<TemplateDetail> {
    let found = app.store.with(move |c| templates::get(c, id)).await?.ok_or_else(|| Error::missing("the pack"))?;
    let newest = found.versions.first().filter(|version| version.kind == PACK).cloned();
    let newest = newest.ok_or_else(|| Error::conflict("no-pack", "this template is not a pack. Upload a newer file instead."))?;
    if Pack::read(&app.files.get(&newest.file).await?).is_ok_and(|own| own == pack) {
        return detail(app, id, None).await;
    }
    write(app, Some((id, seen.newest)), found.name, pack).await?;
    detail(app, id, None).await
}

/// The parts of a version of a pack.
pub(crate) async fn of_version(app: &App, file: &str) -> Outcome<Pack> {
    Ok(Pack::read(&app.files.get(file).await?).map_err(|e| anyhow::anyhow!(e))?)
}

/// Writes a version of a new pack, or of one whose newest version is still the one that was seen.
async fn write(app: &App, of: Option<(i64, Option<i64>)>, name: String, pack: Pack) -> Outcome<i64> {
    let (id, seen) = (of.map(|(id, _)| id), of.and_then(|(_, seen)| seen));
    let bytes = pack.write().map_err(|e| anyhow::anyhow!(e))?;
    let file = app.files.keep(bytes.clone()).await?;
    let size = bytes.len() as i64;
    let parts: Vec<i64> = pack.templates().collect();
    let (id, number) = app
        .store
        .change(move |t| -> Outcome<(i64, i64)> {
            if let (Some(id), Some(seen)) = (id, seen)
                && templates::get(t, id)?.and_then(|own| own.versions.first().map(|version| version.number)) != Some(seen)
            {
                let message = "this pack was changed in another window since this page was loaded. Load it again to see that; what you changed here last has not been saved.";
                return Err(Error::conflict("changed-elsewhere", message));
            }
            for part in &parts {
                if templates::get(t, *part)?.is_none() {
                    return Err(Error::unusable("part-gone", "a part's template no longer exists. Choose another."));
                }
                if let Some(own) = id
                    && templates::contains(t, *part, own)?
                {
                    return Err(Error::unusable("pack-circle", format!("“{name}” would contain itself. Remove that part.")));
                }
            }
            let id = match id {
                Some(id) => id,
                None => templates::add(t, &name)?,
            };
            let by = settings::read(t)?.person_name;
            let file_name = format!("{name}.json");
            let new = NewVersion { file_name: &file_name, file: &file, size, at: &clock::stamp(), by: &by, note: "", kind: PACK };
            let number = templates::add_version(t, id, &new)?;
            templates::set_parts(t, id, number, &parts)?;
            Ok((id, number))
        })
        .await?;
    let opened = app.open_pack(bytes, Opening::default(), vec![id]).await?;
    if problems(app, &*opened).await? == 0 {
        app.store.with(move |c| templates::put_in_use(c, id, number)).await?;
    }
    Ok(id)
}
