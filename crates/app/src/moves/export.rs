//! Dispatches with all that they use, as one file.

use std::collections::{BTreeMap, BTreeSet};

use anyhow::Result;
use mangle_core::language::Folded;
use mangle_core::moves::{
    FORM, Move, MovedClause, MovedDispatch, MovedForm, MovedMessage, MovedPicture, MovedSource, MovedTemplate, renumber, renumber_part,
    without_world,
};
use mangle_documents::archive;
use serde::Deserialize;

use super::{INDEX, part};
use crate::dispatches::{find, sheet_name};
use crate::packs;
use crate::prepare::blocking;
use crate::store::dispatches::Dispatch;
use crate::store::templates::{self, PACK};
use crate::store::{clauses, forms, messages, pictures, settings, sheets};
use crate::transfer::Download;
use crate::{App, Error, Outcome, clock};

/// What is exported.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Exported {
    /// The dispatches' keys.
    pub dispatches: Vec<String>,
}

/// The templates that move, with their files.
#[derive(Debug, Default)]
struct Templates {
    /// The numbers of those that are in, and their places from 1.
    places: BTreeMap<i64, usize>,
    moved: Vec<MovedTemplate>,
    files: Vec<(String, Vec<u8>)>,
    /// Their placeholders, to see which clauses they use.
    texts: Vec<String>,
}

impl Templates {
    /// Takes a template in, after the parts that it is put together from; its place.
    async fn take(&mut self, app: &App, id: i64) -> Outcome<Option<usize>> {
        if let Some(place) = self.places.get(&id) {
            return Ok(Some(*place));
        }
        let found = app.store.read(move |c| -> Result<_> { Ok((templates::get(c, id)?, templates::key(c, id)?)) }).await?;
        let (Some(template), Some(key)) = found else { return Ok(None) };
        let Some(version) = template.version(None).cloned() else { return Ok(None) };
        let mut bytes = app.files.get(&version.file).await?;
        if version.kind == PACK {
            let mut pack = packs::of_version(app, &version.file).await?;
            let ids: Vec<i64> = pack.templates().collect();
            for id in ids {
                Box::pin(self.take(app, id)).await?;
            }
            let places = &self.places;
            pack.parts.retain_mut(|part| renumber_part(&mut part.content, |id| places.get(&id).map(|place| *place as i64)));
            for file in pack.files() {
                self.files.push((file.to_owned(), app.files.get(file).await?));
            }
            bytes = pack.write().map_err(|e| anyhow::anyhow!(e))?;
        }
        let opened = app.template(version.id).await?;
        self.texts.extend(opened.placeholders().iter().map(|own| own.text.clone()));
        let file = crate::files::name_of(&bytes);
        self.files.push((file.clone(), bytes));
        self.moved.push(MovedTemplate { key, name: template.name, kind: version.kind, file_name: version.file_name, file });
        self.places.insert(id, self.moved.len());
        Ok(Some(self.moved.len()))
    }
}

/// Dispatches with the templates, clauses, messages, pictures and forms that they use, as one file.
pub async fn export(app: &App, what: Exported) -> Outcome<Download> {
    if what.dispatches.is_empty() {
        return Err(Error::unusable("nothing", "select the dispatches to export"));
    }
    let mut found = Vec::new();
    for key in &what.dispatches {
        found.push(find(app, key).await?);
    }
    let (mut own, mut moved) = (Templates::default(), Vec::new());
    let (mut used, mut asked) = (BTreeSet::new(), BTreeSet::new());
    for dispatch in found {
        moved.push(taken(app, &mut own, dispatch, (&mut used, &mut asked)).await?);
    }
    let (clauses, messages, forms, office) = rest(app, &mut own.texts, used, asked).await?;
    let name = match moved.as_slice() {
        [one] => one.name.clone(),
        several => format!("{} dispatches", several.len()),
    };
    let all = Move { form: FORM, made: clock::stamp(), office, dispatches: moved, templates: own.moved, clauses, messages, forms };
    let mut files: BTreeMap<String, Vec<u8>> = own.files.into_iter().collect();
    for file in all.files() {
        if !files.contains_key(file) {
            files.insert(file.to_owned(), app.files.get(file).await?);
        }
    }
    let index = serde_json::to_vec_pretty(&all).map_err(anyhow::Error::new)?;
    let bytes = blocking(move || {
        let mut parts = vec![(INDEX.to_owned(), index)];
        parts.extend(files.into_iter().map(|(name, bytes)| (part(&name), bytes)));
        archive::write(&parts)
    });
    Ok(Download::new("application/zip", &format!("{name} set-up.zip"), bytes.await?.map_err(anyhow::Error::new)?))
}

/// A dispatch as it moves; the keys of the messages that it uses and of the form that it is of go to
/// those of all.
async fn taken(
    app: &App,
    own: &mut Templates,
    dispatch: Dispatch,
    (used, asked): (&mut BTreeSet<String>, &mut BTreeSet<i64>),
) -> Outcome<MovedDispatch> {
    let template = match dispatch.template_id {
        Some(id) => own.take(app, id).await?,
        None => None,
    };
    let mut setup = without_world(dispatch.setup);
    for id in setup.rules.iter().filter_map(|rule| rule.template.map(|used| used.id)).collect::<Vec<_>>() {
        own.take(app, id).await?;
    }
    renumber(&mut setup, |id| own.places.get(&id).map(|place| *place as i64));
    used.extend(setup.channels.iter().filter_map(|channel| channel.message()).map(|message| message.key.clone()));
    own.texts.push(serde_json::to_string(&setup).map_err(anyhow::Error::new)?);
    let (id, sheet) = (dispatch.id, dispatch.sheet_id);
    let (pictures, source) = app
        .store
        .read(move |c| -> Result<_> {
            let pictures = pictures::list(c, id)?.into_iter().map(|own| MovedPicture { name: own.name, file: own.file }).collect();
            let info = sheet.map(|sheet| sheets::sheet(c, sheet)).transpose()?.flatten();
            let Some((info, (source, name))) = info.zip(sheet_name(c, sheet)?) else { return Ok((pictures, None)) };
            let form = forms::key_of_source(c, info.source_id)?;
            let columns = info.columns.iter().map(|column| column.name.clone()).collect();
            Ok((pictures, Some((info.source_id, MovedSource { source, sheet: name, form, columns }))))
        })
        .await?;
    let source = source.map(|(id, source)| {
        if source.form.is_some() {
            asked.insert(id);
        }
        source
    });
    Ok(MovedDispatch { key: dispatch.key, name: dispatch.name, template, source, setup, pictures })
}

/// The clauses that texts name, and those that these name; messages, forms, and the office's name.
async fn rest(
    app: &App,
    texts: &mut Vec<String>,
    used: BTreeSet<String>,
    asked: BTreeSet<i64>,
) -> Outcome<(Vec<MovedClause>, Vec<MovedMessage>, Vec<MovedForm>, String)> {
    let found = app.store.read(move |c| -> Result<_> {
        let mut all_messages = Vec::new();
        for message in messages::list(c)?.into_iter().filter(|message| used.contains(&message.key)) {
            let Some(version) = message.versions.iter().find(|version| version.number == message.in_use) else { continue };
            all_messages.push(MovedMessage { key: message.key, name: message.name, text: version.text.clone() });
        }
        let mut all_forms = Vec::new();
        for id in asked {
            let (Some(kept), Some(key)) = (forms::get(c, id)?, forms::key_of_source(c, id)?) else { continue };
            all_forms.push(MovedForm { key, name: kept.name, form: kept.live.unwrap_or(kept.draft) });
        }
        Ok((clauses::list(c)?, all_messages, all_forms, settings::read(c)?.office_name))
    });
    let (mut library, messages, forms, office) = found.await?;
    texts.extend(messages.iter().map(|own| format!("{} {} {}", own.text.subject, own.text.body, own.text.html)));
    let mut clauses = Vec::new();
    // A clause may name others.
    loop {
        let folded: Vec<String> = texts.iter().map(|text| Folded::new(text).to_string()).collect();
        let names = |own: &clauses::ClauseInfo| {
            let name = Folded::new(&own.name).to_string();
            folded.iter().any(|text| text.contains(&name))
        };
        let (more, left): (Vec<_>, Vec<_>) = library.into_iter().partition(names);
        library = left;
        if more.is_empty() {
            break;
        }
        texts.extend(more.iter().map(|own| own.text.clone()));
        clauses.extend(more.into_iter().map(|own| MovedClause { name: own.name, language: own.language, text: own.text }));
    }
    Ok((clauses, messages, forms, office))
}
