//! Trying a template out: values by hand, or those of a record, and the pages at
//! once.

use std::sync::Arc;

use jiff::civil::DateTime;
use mangle_core::diagnostic::Diagnostic;
use mangle_core::dispatch::{name_uses, tie_states};
use mangle_core::language::{Clock, Context, Scope, Ties};
use mangle_core::records::{Record, Sheet, from_json, label};
use mangle_core::template::{Clauses, FillError, complete, values};
use mangle_core::value::Locale;
use mangle_documents::formats::{Means, Template, TracedFill};
use mangle_documents::layout::Typesetter;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value as JsonValue};

use crate::pages::{Pages, TraceInfo};
use crate::pictures::OfficePictures;
use crate::prepare::blocking;
use crate::store::settings::Settings;
use crate::store::{clauses, dispatches, settings};
use crate::{App, Error, Outcome, clock};

/// The largest set of values, as JSON.
const LARGEST: usize = 4 << 20;

/// Values to try.
#[derive(Debug, Clone, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Tried {
    /// The values by the template's names; objects and arrays nest.
    #[cfg_attr(feature = "openapi", schema(value_type = HashMap<String, JsonValue>))]
    pub values: Map<String, JsonValue>,
    /// The locale by which they print.
    #[serde(default = "english")]
    pub locale: String,
    /// The moment that `today` and `now` stand at; this one where it is left out.
    pub moment: Option<String>,
}

fn english() -> String {
    "en-GB".to_owned()
}

/// What a template makes of values.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Tryout {
    /// The pages; their marks are entries of the trace.
    #[serde(flatten)]
    pub pages: Pages,
    /// What each placeholder did.
    pub trace: Vec<TraceInfo>,
    /// What can't be used.
    pub faults: Vec<Diagnostic>,
}

/// What templates are tried out with besides values: the office, the clause
/// library, and the pictures of the template's last changed dispatch.
#[derive(Debug)]
pub struct Desk {
    pub office: Settings,
    pub clauses: Arc<Clauses>,
    pub pictures: OfficePictures,
}

impl Desk {
    /// The desk for a version of a template.
    pub async fn of(app: &App, version: i64) -> Outcome<Desk> {
        let template = app.store.with(move |c| crate::store::templates::of_version(c, version)).await?;
        Desk::of_template(app, template).await
    }

    /// The desk for a template.
    pub async fn of_template(app: &App, template: Option<i64>) -> Outcome<Desk> {
        let (office, clauses, dispatch) = app
            .store
            .with(move |c| -> anyhow::Result<_> {
                let last = dispatches::list(c)?.into_iter().find(|d| template.is_some() && d.template_id == template);
                Ok((settings::read(c)?, clauses::library(c)?, last.map(|d| (d.id, d.sheet_id))))
            })
            .await?;
        let (dispatch, sheet) = dispatch.unzip();
        let pictures = app.pictures(dispatch, sheet.flatten(), &office).await?;
        Ok(Desk { office, clauses, pictures })
    }

    /// What filling is done with.
    pub fn means(&self) -> Means<'_> {
        Means { pictures: &self.pictures, ..Means::default() }
    }

    /// Now, by the office's clock.
    fn now(&self) -> DateTime {
        clock::local(clock::now(), &self.office.zone())
    }

    /// The office and the clauses, for filling with records of a sheet.
    pub fn context(&self, locale: Arc<Locale>) -> Context {
        let mut context = Context::new(locale, self.now());
        context.office = self.office.office();
        context.clauses = self.clauses.clone();
        context
    }
}

/// Values ready to fill a template with.
#[derive(Debug)]
pub struct Bundle {
    pub sheet: Sheet,
    pub context: Context,
    pub ties: Ties,
}

impl Bundle {
    /// Reads values; a field of the template that they leave out is blank.
    pub fn new(template: &dyn Template, tried: &Tried, desk: &Desk) -> Outcome<Bundle> {
        let unusable = |message: String| Error::unusable("values", format!("the values can't be used: {message}"));
        if serde_json::to_string(&tried.values).map_or(0, |t| t.len()) > LARGEST {
            return Err(unusable("they exceed 4 MB. Use fewer list rows.".to_owned()));
        }
        let mut values = tried.values.clone();
        complete(&template.needs(), &mut values);
        let sheet = from_json("values", &JsonValue::Object(values)).map_err(|e| unusable(e.to_string()))?;
        let locale = Locale::parse(&tried.locale).map_err(|e| Error::unusable("locale", e.to_string()))?;
        let moment = match tried.moment.as_deref().filter(|m| !m.is_empty()) {
            None => desk.now(),
            Some(text) => {
                read_moment(text).ok_or_else(|| Error::unusable("moment", format!("“{text}” is not a date. Use the format 2026-11-23.")))?
            }
        };
        let mut context = Context::new(locale, moment);
        context.clock = Clock { now: moment };
        context.dispatch = "Try out".to_owned();
        context.office = desk.office.office();
        context.clauses = desk.clauses.clone();
        Ok(Bundle { sheet, context, ties: Ties::default() })
    }

    /// What names are looked up in.
    pub fn scope(&self) -> Option<Scope<'_>> {
        Some(Scope::new(self.sheet.records.first()?, &self.ties, &self.context))
    }

    /// The moment that `today` and `now` stand at.
    pub fn moment(&self) -> DateTime {
        self.context.clock.now
    }
}

fn read_moment(text: &str) -> Option<DateTime> {
    let date = || text.parse::<jiff::civil::Date>().ok().map(|d| d.at(12, 0, 0, 0));
    text.parse().ok().or_else(date)
}

/// Fills a version with values and shows the pages.
pub async fn try_out(app: &App, id: i64, tried: Tried) -> Outcome<Tryout> {
    let template = app.template(id).await?;
    let desk = Desk::of(app, id).await?;
    blocking(move || run(&template, &tried, &desk)).await?
}

fn run(template: &Arc<dyn Template>, tried: &Tried, desk: &Desk) -> Outcome<Tryout> {
    let bundle = Bundle::new(&**template, tried, desk)?;
    let scope = bundle.scope().ok_or_else(|| Error::missing("the record"))?;
    let TracedFill { filled, errors, trace } = template.fill_traced(&scope, desk.means());
    let made = template.typeset(&filled, &Typesetter::default()).map_err(|e| Error::unusable("pages", e.to_string()))?;
    let (pages, faults) = (Pages::filled(&filled, &made), errors.iter().map(FillError::diagnostic).collect());
    Ok(Tryout { pages, trace: TraceInfo::of(trace, template.placeholders()), faults })
}

#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct OfRecord {
    /// The sheet's number.
    pub sheet: i64,
    /// The row's number; the first row where it is left out.
    pub row: Option<usize>,
}

/// A record's values by the template's names.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RecordValues {
    /// What to call the record.
    pub label: String,
    /// Its row's number.
    pub row: usize,
    /// Which of the sheet's rows it is, from 1: rows keep their numbers when others go.
    pub place: usize,
    /// How many rows the sheet has.
    pub rows: usize,
    /// The number of the row before it; of the last for the first.
    pub before: usize,
    /// The number of the row after it; of the first for the last.
    pub next: usize,
    /// The values.
    #[cfg_attr(feature = "openapi", schema(value_type = HashMap<String, JsonValue>))]
    pub values: Map<String, JsonValue>,
    /// Names of the template that the sheet has no column for.
    pub open: Vec<String>,
}

/// Takes the values that a version needs from a record of a sheet. Names are tied
/// as the last changed dispatch of the two ties them, else by likeness.
pub async fn values_of(app: &App, id: i64, asked: OfRecord) -> Outcome<RecordValues> {
    let template = app.template(id).await?;
    let sheet = app.sheet(asked.sheet).await?;
    let ties = ties_of(app, id, asked.sheet, &*template, &sheet.sheet).await?;
    let records = &sheet.sheet.records;
    let at = match asked.row {
        Some(number) => records.iter().position(|r| r.number == number),
        None => (!records.is_empty()).then_some(0),
    };
    let at = at.ok_or_else(|| Error::missing("the row"))?;
    let (record, rows) = (&records[at], records.len());
    Ok(RecordValues {
        label: label(record, ""),
        row: record.number,
        place: at + 1,
        rows,
        before: records[(at + rows - 1) % rows].number,
        next: records[(at + 1) % rows].number,
        values: taken(&*template, record, &ties.ties),
        open: ties.open,
    })
}

fn taken(template: &dyn Template, record: &Record, ties: &Ties) -> Map<String, JsonValue> {
    values(&template.needs(), &|name| record.get(ties.resolve(name)).cloned())
}

/// How a template's names are tied to a sheet.
#[derive(Debug)]
pub struct Tied {
    pub ties: Ties,
    /// Names that no column is tied to.
    pub open: Vec<String>,
}

/// The ties of the last changed dispatch of a template and a sheet, else those
/// that names make by themselves.
pub(super) async fn ties_of(app: &App, version: i64, sheet: i64, template: &dyn Template, of: &Sheet) -> Outcome<Tied> {
    let by_hand = app
        .store
        .with(move |c| -> anyhow::Result<_> {
            let template = crate::store::templates::of_version(c, version)?;
            Ok(dispatches::list(c)?.into_iter().find(|d| d.template_id == template && d.sheet_id == Some(sheet)).map(|d| d.setup.ties))
        })
        .await?
        .unwrap_or_default();
    let states = tie_states(&name_uses(template.placeholders()), &of.schema, &by_hand);
    let ties = Ties::new(states.iter().filter_map(|t| Some((t.name.as_str(), t.column.as_deref()?))));
    Ok(Tied { ties, open: states.into_iter().filter(|t| t.column.is_none()).map(|t| t.name).collect() })
}
