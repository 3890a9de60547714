//! The shortest way: a sheet and a letter together become a dispatch.

use mangle_core::channel::{Channel, ChannelSetup, EmailChannel};
use mangle_core::dispatch::Setup;
use mangle_core::records::{ColumnType, Schema};
use mangle_core::value::Home;
use mangle_documents::formats;
use serde::Serialize;

use crate::store::{dispatches, settings};
use crate::transfer::{Upload, stem};
use crate::{App, Error, Outcome, Problem, clock, sources, templates};

/// What became of dropped files.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Dropped {
    /// The sources brought in.
    pub sources: Vec<i64>,
    /// The first sheet of the first of them.
    pub sheet: Option<i64>,
    /// The templates brought in.
    pub templates: Vec<i64>,
    /// The key of the dispatch made of a sheet and a letter.
    pub dispatch: Option<String>,
    /// Files that could not be used, each with the reason.
    pub refused: Vec<Problem>,
}

/// Takes files dropped anywhere; a sheet and a letter together make a dispatch.
pub async fn take(app: &App, uploads: Vec<Upload>) -> Outcome<Dropped> {
    let mut done = Dropped { sources: Vec::new(), sheet: None, templates: Vec::new(), dispatch: None, refused: Vec::new() };
    let (mut first_sheet, mut letter) = (None, None);
    for upload in uploads {
        let name = upload.name.clone();
        match take_one(app, upload).await {
            Ok(Taken::Source(source)) => {
                first_sheet = first_sheet.or_else(|| source.sheets.first().cloned());
                done.sources.push(source.id);
            }
            Ok(Taken::Template(id)) => {
                letter = letter.or(Some((id, stem(&name))));
                done.templates.push(id);
            }
            Err(refused) => done.refused.push(refused.into()),
        }
    }
    done.sheet = first_sheet.as_ref().map(|s| s.id);
    if let (Some(sheet), Some((template, name))) = (first_sheet, letter) {
        let columns = sheet.columns.iter().map(|c| c.column()).collect();
        let schema = Schema::new(columns).map_err(|e| Error::unusable("header", e.to_string()))?;
        let home = app.store.with(|c| settings::read(c)).await?.home();
        let setup = first_setup(&name, &schema, &home);
        let key = app.store.with(move |c| dispatches::add(c, &name, Some(template), Some(sheet.id), &setup, &clock::stamp())).await?;
        done.dispatch = Some(key);
    } else if done.sources.is_empty()
        && done.templates.is_empty()
        && let Some(problem) = done.refused.first()
    {
        return Err(Error::unusable(&problem.code, problem.message.clone()));
    }
    Ok(done)
}

enum Taken {
    Source(crate::store::sheets::Source),
    Template(i64),
}

async fn take_one(app: &App, upload: Upload) -> Outcome<Taken> {
    if formats::of_file(&upload.name, &upload.bytes).is_some() {
        templates::keep(app, None, upload).await.map(Taken::Template)
    } else {
        sources::keep(app, upload).await.map(Taken::Source)
    }
}

/// What a new dispatch starts with: a name pattern by the first column, and an
/// e-mail channel when a column holds addresses.
pub fn first_setup(name: &str, schema: &Schema, home: &Home) -> Setup {
    let quoted =
        |name: &str| if mangle_core::language::value(name).is_ok() { name.to_owned() } else { format!("'{}'", name.replace('\'', "''")) };
    let first = schema.columns().first().map(|c| quoted(&c.name));
    let address = schema.columns().iter().find(|c| c.kind == ColumnType::Email);
    Setup {
        name: match first {
            Some(first) => format!("{name} [: {first}]"),
            None => format!("{name} [: run.number]"),
        },
        channels: address
            .map(|c| EmailChannel {
                to: format!("[: {}]", quoted(&c.name)),
                subject: name.to_owned(),
                body: "Please find the document attached.\n".to_owned(),
                ..EmailChannel::default()
            })
            .map(|email| ChannelSetup::new(Channel::Email(email)))
            .into_iter()
            .collect(),
        locale: home.locale.tag(),
        ..Setup::default()
    }
}
