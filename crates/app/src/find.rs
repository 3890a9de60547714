//! What is typed, looked for in everything at once: the documents made, and the rows of the sheets.

use mangle_core::language::Context;
use mangle_core::records::{View, holding, label};
use mangle_core::value::Locale;
use serde::{Deserialize, Serialize};

use crate::prepare::blocking;
use crate::store::search::{self, FoundDocument, Search};
use crate::store::sheets;
use crate::{App, ErrorKind, Outcome};

/// In how many sheets, the newest first, is looked, and how many rows of each are told.
const SHEETS: usize = 20;
const ROWS: usize = 3;
/// How many documents are told.
const DOCUMENTS: usize = 8;
/// The least characters that are looked for: one alone is nearly everywhere.
const LEAST: usize = 2;
/// The longest text that is looked for, in characters.
const LONGEST: usize = 200;

/// What is looked for.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct Sought {
    /// A text, at least two characters.
    #[serde(default)]
    pub find: String,
}

/// What was found.
#[derive(Debug, Default, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Found {
    /// Documents, the newest first, 8 at most.
    pub documents: Vec<FoundDocument>,
    /// Rows of sheets, 3 of each at most.
    pub rows: Vec<FoundRow>,
}

/// A row that was found.
#[derive(Debug, Serialize, PartialEq, Eq)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FoundRow {
    /// The sheet.
    pub sheet: i64,
    /// The sheet's name with that of its source.
    pub sheet_name: String,
    /// The row's number.
    pub number: usize,
    /// What it is called, and the value that the text was found in.
    pub name: String,
}

/// Looks for a text in documents and rows.
pub async fn everywhere(app: &App, sought: Sought) -> Outcome<Found> {
    let find: String = sought.find.trim().chars().take(LONGEST).collect();
    if find.chars().count() < LEAST {
        return Ok(Found::default());
    }
    let search = Search { text: find.clone(), ..Search::default() };
    let read = app.store.read(move |c| -> anyhow::Result<_> { Ok((search::list(c, &search, DOCUMENTS)?, sheets::sources(c)?)) });
    let (documents, sources) = read.await?;
    let now = app.now();
    let mut rows = Vec::new();
    let named = sources.into_iter().flat_map(|source| source.sheets.into_iter().map(move |sheet| (source.name.clone(), sheet)));
    for (source, sheet) in named.take(SHEETS) {
        let loaded = match app.sheet(sheet.id).await {
            Ok(loaded) => loaded,
            // Deleted a moment ago.
            Err(error) if error.kind == ErrorKind::Missing => continue,
            Err(error) => return Err(error),
        };
        let find = find.clone();
        let found = blocking(move || -> Vec<(usize, String)> {
            let context = Context { reading: loaded.reading, ..Context::new(Locale::english(), now) };
            let places = View { find: &find, ..View::default() }.first(&loaded.sheet, &context, ROWS);
            let told = |at: &usize| {
                let record = &loaded.sheet.records[*at];
                let label = label(record, "");
                let held = holding(record, &find).filter(|held| !label.contains(held.as_str()));
                (record.number, held.into_iter().fold(label, |label, held| format!("{label}, {held}")))
            };
            places.iter().map(told).collect()
        });
        let sheet_name = format!("{source}, {}", sheet.name);
        rows.extend(found.await?.into_iter().map(|(number, name)| FoundRow {
            sheet: sheet.id,
            sheet_name: sheet_name.clone(),
            number,
            name,
        }));
    }
    Ok(Found { documents, rows })
}
