//! A file of set-ups compared with what is here, and taken over.

use std::collections::{BTreeMap, HashMap};

use anyhow::Result;
use mangle_core::channel::{ChannelSetup, World};
use mangle_core::diagnostic::Diagnostic;
use mangle_core::dispatch::{Pack, Plan, Setup};
use mangle_core::language::Folded;
use mangle_core::moves::{FORM, Move, MovedDispatch, MovedTemplate, renumber, renumber_part, without_world};
use mangle_documents::archive::Archive;
use mangle_documents::formats;
use serde::{Deserialize, Serialize};

use super::{INDEX, part};
use crate::files::name_of;
use crate::forms::door::secret;
use crate::prepare::blocking;
use crate::store::dispatches::{self, Dispatch};
use crate::store::pictures::{self, PictureInfo};
use crate::store::templates::{self, NewVersion, PACK};
use crate::store::{Connection, Transaction, clauses, forms, messages, settings, sheets};
use crate::{App, Error, Files, Outcome, buckets, clock};

/// What the file should be, in words.
const WANTED: &str = "a set-up file exported by Mangle";

/// Something that a file brings, beside what is here.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct MoveItem {
    /// dispatch, template, clause, message or form.
    pub kind: String,
    /// What it is known by.
    pub key: String,
    /// Its name.
    pub name: String,
    /// new, changed or same.
    pub state: String,
    /// What becomes of what is here.
    pub note: String,
}

/// Where a dispatch's records come from, and what there is here for that.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct MoveSource {
    /// The dispatch's key.
    pub dispatch: String,
    /// The dispatch's name.
    pub name: String,
    /// The source's and sheet's name there.
    pub source: String,
    /// Whether it is a form that comes along.
    pub form: bool,
    /// The sheet here that is like it; none where a person is to choose.
    pub sheet: Option<i64>,
    /// The columns that the sheet there has and the one here has not.
    pub missing: Vec<String>,
}

/// A file of set-ups beside what is here.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct MoveView {
    /// The office that it comes from.
    pub office: String,
    /// When it was exported (UTC).
    pub made: String,
    /// What it brings.
    pub items: Vec<MoveItem>,
    /// The sources that its dispatches need.
    pub sources: Vec<MoveSource>,
    /// What its dispatches need that is not here: senders, printers, folders, connections.
    pub missing: Vec<MissingHere>,
}

/// What a dispatch needs that is not here.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct MissingHere {
    /// The dispatch's name.
    pub dispatch: String,
    /// What, and what to do.
    #[serde(flatten)]
    pub what: Diagnostic,
}

/// What a person chooses before a file is taken over.
#[derive(Debug, Default, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Choices {
    /// The sheet of each dispatch's records, by the dispatch's key: another than the one that is
    /// like it, or none.
    #[serde(default)]
    pub sources: BTreeMap<String, Option<i64>>,
}

/// What was taken over.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Imported {
    /// The dispatches' keys.
    pub dispatches: Vec<String>,
    /// The new forms, by their sources.
    pub forms: Vec<i64>,
}

/// A file that was opened, with the content of its files.
struct Opened {
    own: Move,
    files: HashMap<String, Vec<u8>>,
}

impl Opened {
    fn read(bytes: Vec<u8>) -> Outcome<Opened> {
        let wrong = |why: String| Error::unusable("set-up-file", format!("this is not {WANTED}: {why}"));
        let archive = Archive::open(bytes, WANTED)?;
        let index = archive.part(INDEX).map_err(|_| wrong(format!("it has no {INDEX}")))?;
        let form: serde_json::Value = serde_json::from_slice(&index).map_err(|e| wrong(e.to_string()))?;
        if form["form"].as_u64().is_some_and(|form| form > u64::from(FORM)) {
            return Err(Error::unusable("newer", "this file was exported by a newer Mangle. Update this one to import it."));
        }
        let own: Move = serde_json::from_value(form).map_err(|e| wrong(e.to_string()))?;
        let mut opened = Opened { own, files: HashMap::new() };
        let mut wanted: Vec<String> = opened.own.files().into_iter().map(str::to_owned).collect();
        for template in opened.own.templates.clone().into_iter().filter(|own| own.kind == PACK) {
            opened.load(&archive, &template.file)?;
            wanted.extend(opened.pack(&template)?.files().map(str::to_owned));
        }
        for file in wanted {
            opened.load(&archive, &file)?;
        }
        for template in &opened.own.templates {
            if formats::of_word(&template.kind).is_none() && template.kind != PACK {
                return Err(wrong(format!("this Mangle has no templates of the kind “{}”", template.kind)));
            }
        }
        let places = 1..=opened.own.templates.len();
        if let Some(lost) = opened.own.dispatches.iter().find(|own| own.template.is_some_and(|place| !places.contains(&place))) {
            return Err(wrong(format!("the template of “{}” is missing in it", lost.name)));
        }
        Ok(opened)
    }

    /// Takes a file of the archive, whose name says what is in it.
    fn load(&mut self, archive: &Archive, file: &str) -> Outcome<()> {
        if self.files.contains_key(file) {
            return Ok(());
        }
        let bytes = archive.part(&part(file))?;
        if name_of(&bytes) != file {
            return Err(Error::unusable("damaged", "this set-up file is damaged: a file in it is not what was exported. Export it again."));
        }
        self.files.insert(file.to_owned(), bytes);
        Ok(())
    }

    fn pack(&self, template: &MovedTemplate) -> Outcome<Pack> {
        let bytes = self.files.get(&template.file).map(Vec::as_slice).unwrap_or_default();
        Pack::read(bytes).map_err(|e| Error::unusable("set-up-file", format!("the pack “{}” can't be read: {e}", template.name)))
    }
}

/// Which sheet here is like the one that a dispatch's records come from.
fn like(c: &Connection, own: &MovedDispatch) -> Result<Option<i64>> {
    let Some(source) = &own.source else { return Ok(None) };
    if let Some(kept) = dispatches::by_key(c, &own.key)?
        && kept.sheet_id.is_some()
    {
        return Ok(kept.sheet_id);
    }
    if let Some(key) = &source.form {
        return Ok(forms::of_key(c, key)?.map(|id| forms::get(c, id)).transpose()?.flatten().map(|form| form.sheet));
    }
    for found in sheets::sources(c)?.into_iter().filter(|found| Folded::new(&found.name) == Folded::new(&source.source)) {
        if let Some(sheet) = found.sheets.iter().find(|sheet| Folded::new(&sheet.name) == Folded::new(&source.sheet)) {
            return Ok(Some(sheet.id));
        }
    }
    Ok(None)
}

fn item(kind: &str, key: &str, name: &str, here: Option<bool>, note: &str) -> MoveItem {
    let (state, note) = match here {
        None => ("new", ""),
        Some(true) => ("same", ""),
        Some(false) => ("changed", note),
    };
    MoveItem { kind: kind.into(), key: key.into(), name: name.into(), state: state.into(), note: note.into() }
}

/// The content of a template here, as a file says it: the numbers in a pack by places.
fn content(places: &HashMap<i64, usize>, kind: &str, bytes: Vec<u8>) -> Vec<u8> {
    if kind != PACK {
        return bytes;
    }
    let Ok(mut pack) = Pack::read(&bytes) else { return bytes };
    pack.parts.retain_mut(|part| renumber_part(&mut part.content, |id| places.get(&id).map(|place| *place as i64)));
    pack.write().unwrap_or(bytes)
}

/// Compares a file of set-ups with what is here.
pub async fn compare(app: &App, bytes: Vec<u8>) -> Outcome<MoveView> {
    let opened = blocking(move || Opened::read(bytes)).await??;
    let own = opened.own;
    let here = app
        .store
        .read({
            let own = own.clone();
            move |c| -> Result<_> {
                let mut templates_here = Vec::new();
                for template in &own.templates {
                    let id = templates::of_key(c, &template.key)?;
                    let version = id.map(|id| templates::get(c, id)).transpose()?.flatten().and_then(|own| own.version(None).cloned());
                    templates_here.push(id.zip(version));
                }
                let mut sheets_here = Vec::new();
                for dispatch in &own.dispatches {
                    let sheet = like(c, dispatch)?.map(|id| sheets::sheet(c, id)).transpose()?.flatten();
                    sheets_here.push((dispatches::by_key(c, &dispatch.key)?, sheet));
                }
                let mut forms_here = Vec::new();
                for form in &own.forms {
                    forms_here.push(forms::of_key(c, &form.key)?.map(|id| forms::get(c, id)).transpose()?.flatten());
                }
                Ok((
                    templates_here,
                    sheets_here,
                    forms_here,
                    clauses::list(c)?,
                    messages::list(c)?,
                    (settings::read(c)?, buckets::names(c)?),
                ))
            }
        })
        .await?;
    let (templates_here, sheets_here, forms_here, clauses_here, messages_here, (office, buckets)) = here;
    let places: HashMap<i64, usize> = templates_here.iter().enumerate().filter_map(|(at, own)| Some((own.as_ref()?.0, at + 1))).collect();
    let mut items = Vec::new();
    for (dispatch, (kept, _)) in own.dispatches.iter().zip(&sheets_here) {
        let same = kept.as_ref().map(|kept| {
            let mut setup = without_world(kept.setup.clone());
            renumber(&mut setup, |id| places.get(&id).map(|place| *place as i64));
            let template = kept.template_id.and_then(|id| places.get(&id).copied());
            setup == dispatch.setup && kept.name == dispatch.name && template == dispatch.template
        });
        items.push(item("dispatch", &dispatch.key, &dispatch.name, same, "its set-up is replaced; its runs stay"));
    }
    for (template, here) in own.templates.iter().zip(templates_here) {
        let same = match here {
            None => None,
            Some((_, version)) => Some(name_of(&content(&places, &version.kind, app.files.get(&version.file).await?)) == template.file),
        };
        items.push(item("template", &template.key, &template.name, same, "it becomes the next version, in use; earlier versions stay"));
    }
    for clause in &own.clauses {
        let here = clauses_here.iter().find(|here| here.name == clause.name && here.language == clause.language);
        let name = if clause.language.is_empty() { clause.name.clone() } else { format!("{} ({})", clause.name, clause.language) };
        items.push(item("clause", &name, &name, here.map(|here| here.text == clause.text), "its text is replaced, everywhere it is used"));
    }
    for message in &own.messages {
        let here = messages_here.iter().find(|here| here.key == message.key);
        let same = here.map(|here| here.versions.iter().any(|version| version.number == here.in_use && version.text == message.text));
        items.push(item("message", &message.key, &message.name, same, "it becomes the next version, in use"));
    }
    for (form, here) in own.forms.iter().zip(forms_here) {
        let same = here.map(|here| here.draft == form.form);
        items.push(item("form", &form.key, &form.name, same, "its draft is replaced; open it to publish the change"));
    }
    let sources = own.dispatches.iter().zip(&sheets_here).filter_map(|(dispatch, (_, sheet))| {
        let source = dispatch.source.as_ref()?;
        let has = |name: &String| sheet.iter().flat_map(|sheet| &sheet.columns).any(|own| Folded::new(&own.name) == Folded::new(name));
        let missing = if sheet.is_some() { source.columns.iter().filter(|name| !has(name)).cloned().collect() } else { Vec::new() };
        Some(MoveSource {
            dispatch: dispatch.key.clone(),
            name: dispatch.name.clone(),
            source: format!("{}, {}", source.source, source.sheet),
            form: source.form.is_some(),
            sheet: sheet.as_ref().map(|sheet| sheet.id),
            missing,
        })
    });
    let sources = sources.collect();
    let folders: Vec<String> = app.folders.iter().cloned().chain(buckets).collect();
    let printers: Vec<String> = office.printers.iter().map(|printer| printer.name.clone()).collect();
    let world = World {
        office_email: &office.office_email,
        senders: &office.senders,
        folders: &folders,
        hosts: &app.hosts,
        public: app.public_url.is_some(),
        timestamps: !office.timestamp_authority.trim().is_empty(),
        printers: &printers,
        crm: None,
    };
    let missing = own.dispatches.iter().flat_map(|dispatch| {
        // What comes from the source shows once that is chosen.
        let away = |channel: &&ChannelSetup| channel.on && !["crm", "sheet"].contains(&channel.channel.kind());
        let channels = dispatch.setup.channels.iter().filter(away).cloned().collect();
        let plan = Plan::new(&Setup { channels, ..Setup::default() });
        let all: Vec<Diagnostic> = plan.channels.iter().flat_map(|channel| channel.obstacles(&world)).collect();
        all.into_iter().map(|what| MissingHere { dispatch: dispatch.name.clone(), what }).collect::<Vec<_>>()
    });
    Ok(MoveView { office: own.office.clone(), made: own.made.clone(), missing: missing.collect(), items, sources })
}

/// Takes a file of set-ups over: all of it, or nothing.
pub async fn import(app: &App, bytes: Vec<u8>, choices: Choices) -> Outcome<Imported> {
    let opened = blocking(move || Opened::read(bytes)).await??;
    let fonts = app.fonts().await?;
    let (templates, files): (Vec<MovedTemplate>, HashMap<String, Vec<u8>>) = (opened.own.templates.clone(), opened.files);
    // A template that can't be opened here is known before anything is written.
    let files = blocking(move || -> Outcome<_> {
        for template in templates.iter().filter(|own| own.kind != PACK) {
            let format = formats::of_word(&template.kind).ok_or_else(|| Error::unusable("kind", "a template of an unknown kind"))?;
            let bytes = files.get(&template.file).cloned().unwrap_or_default();
            format.open(bytes.into(), &fonts).map_err(|e| Error::unusable(e.code(), format!("“{}”: {e}", template.name)))?;
        }
        Ok(files)
    })
    .await??;
    for bytes in files.values() {
        app.files.keep(bytes.clone()).await?;
    }
    let mut tokens = Vec::new();
    for _ in &opened.own.forms {
        tokens.push(secret()?);
    }
    let own = opened.own;
    let store = FileStore { files: app.files.clone(), handle: tokio::runtime::Handle::current(), content: files };
    let imported = app.store.change(move |t| take(t, &own, &choices, &store, tokens)).await?;
    app.forget_sheets();
    Ok(imported)
}

/// The files of what is imported, and where more are kept. A pack names its parts by numbers that are
/// known only while it is written down, so its file is kept then.
struct FileStore {
    files: Files,
    handle: tokio::runtime::Handle,
    content: HashMap<String, Vec<u8>>,
}

impl FileStore {
    fn size(&self, file: &str) -> i64 {
        self.content.get(file).map_or(0, |bytes| bytes.len() as i64)
    }

    /// For the thread that writes the store, which is none of the runtime's.
    fn keep(&self, bytes: Vec<u8>) -> Result<String> {
        self.handle.block_on(self.files.keep(bytes))
    }
}

fn take(t: &Transaction<'_>, own: &Move, choices: &Choices, store: &FileStore, tokens: Vec<String>) -> Outcome<Imported> {
    let (at, by) = (clock::stamp(), settings::read(t)?.person_name);
    let mut numbers = Vec::new();
    for template in &own.templates {
        let (mut file, mut size, mut parts) = (template.file.clone(), store.size(&template.file), Vec::new());
        if template.kind == PACK {
            let bytes = store.content.get(&template.file).map(Vec::as_slice).unwrap_or_default();
            let unreadable = |e| Error::unusable("set-up-file", format!("the pack “{}” can't be read: {e}", template.name));
            let mut pack = Pack::read(bytes).map_err(unreadable)?;
            pack.parts.retain_mut(|part| renumber_part(&mut part.content, |place| number_at(&numbers, place)));
            parts = pack.templates().collect();
            let bytes = pack.write().map_err(unreadable)?;
            size = bytes.len() as i64;
            file = store.keep(bytes)?;
        }
        let id = match templates::of_key(t, &template.key)? {
            Some(id) => id,
            None => templates::add_moved(t, &template.name, &template.key)?,
        };
        let here = templates::get(t, id)?.and_then(|here| here.version(None).cloned());
        if here.is_none_or(|here| here.file != file) {
            let new =
                NewVersion { file_name: &template.file_name, file: &file, size, at: &at, by: &by, note: "imported", kind: &template.kind };
            let number = templates::add_version(t, id, &new)?;
            templates::set_parts(t, id, number, &parts)?;
            templates::put_in_use(t, id, number)?;
        }
        numbers.push(id);
    }
    let library = clauses::list(t)?;
    for clause in &own.clauses {
        match library.iter().find(|here| here.name == clause.name && here.language == clause.language) {
            Some(here) if here.text == clause.text => {}
            Some(here) => drop(clauses::change(t, here.id, None, (&clause.name, &clause.language, &clause.text), &at)?),
            None => clauses::add(t, &clause.name, &clause.language, &clause.text, &at)?,
        }
    }
    for message in &own.messages {
        let here = messages::list(t)?.into_iter().find(|here| here.key == message.key);
        let same =
            here.is_some_and(|here| here.versions.iter().any(|version| version.number == here.in_use && version.text == message.text));
        if !same {
            messages::take_moved(t, &message.key, &message.name, &message.text, (&at, &by))?;
        }
    }
    let mut made = Vec::new();
    for (form, token) in own.forms.iter().zip(tokens) {
        match forms::of_key(t, &form.key)? {
            Some(id) => drop(forms::write(t, id, None, &form.form)?),
            None => {
                let id = forms::make(t, &form.name, &token, &form.form, &at)?;
                forms::set_key(t, id, &form.key)?;
                // Its columns are there from the start; answers are taken once a person opens it.
                if let Some(kept) = forms::get(t, id)? {
                    forms::open(t, &kept)?;
                    forms::close(t, id)?;
                }
                made.push(id);
            }
        }
    }
    let mut keys = Vec::new();
    for moved in &own.dispatches {
        let sheet = match choices.sources.get(&moved.key) {
            Some(chosen) => *chosen,
            None => like(t, moved)?,
        };
        if let Some(id) = sheet {
            sheets::sheet(t, id)?.ok_or_else(|| Error::missing("the sheet"))?;
        }
        keys.push(take_dispatch(t, moved, sheet, &numbers, (store, &at))?);
    }
    Ok(Imported { dispatches: keys, forms: made })
}

/// The number here of the template at a place of the file.
fn number_at(numbers: &[i64], place: i64) -> Option<i64> {
    numbers.get(usize::try_from(place).ok()?.checked_sub(1)?).copied()
}

fn take_dispatch(
    t: &Transaction<'_>,
    moved: &MovedDispatch,
    sheet: Option<i64>,
    numbers: &[i64],
    (store, at): (&FileStore, &str),
) -> Outcome<String> {
    let mut setup = without_world(moved.setup.clone());
    renumber(&mut setup, |place| number_at(numbers, place));
    let template_id = moved.template.and_then(|place| number_at(numbers, place as i64));
    let (key, name) = (moved.key.clone(), moved.name.clone());
    let id = match dispatches::by_key(t, &moved.key)? {
        Some(here) => {
            // What fires by itself here goes on doing so; what is new is switched on by a person.
            for trigger in &mut setup.triggers {
                trigger.on = here.setup.triggers.iter().any(|own| own.id == trigger.id && own.on && own.trigger == trigger.trigger);
            }
            let new = Dispatch { name, template_id, sheet_id: sheet, setup, ..here };
            if !dispatches::change(t, &new, at)? {
                return Err(Error::conflict("changed-elsewhere", "a dispatch was changed meanwhile. Import the file again."));
            }
            new.id
        }
        None => {
            let new = Dispatch { id: 0, key, name, template_id, sheet_id: sheet, setup, changed: String::new(), revision: 0 };
            dispatches::add_moved(t, &new, at)?
        }
    };
    for picture in &moved.pictures {
        let size = store.size(&picture.file);
        pictures::keep(t, id, &PictureInfo { name: picture.name.clone(), file: picture.file.clone(), size })?;
    }
    for message in moved.setup.channels.iter().filter_map(ChannelSetup::message) {
        messages::share_pictures(t, &message.key)?;
    }
    Ok(moved.key.clone())
}
