//! The columns of a sheet: their names, types and formulas, and where they stand.

use std::collections::HashMap;
use std::sync::Arc;

use mangle_core::language::{Context, Folded, condition_of};
use mangle_core::records::{Column, ColumnType, Computed, FormulaColumn, Record, Schema, Sheet, label, shown};
use mangle_core::value::{Currency, Locale, Value};
use serde::{Deserialize, Serialize};

use super::info;
use super::rows::CellInfo;
use crate::prepare::blocking;
use crate::store::rows;
use crate::store::sheets::{self, ColumnInfo, SheetInfo};
use crate::{App, Error, Outcome, clock};

/// A column as a person wants it.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewColumn {
    /// Its name.
    pub name: String,
    /// text, number, money, percent, date, time, yes/no or e-mail. Blank for text, and
    /// for a computed column that takes the type of its formula.
    #[serde(rename = "type", default)]
    pub kind: String,
    /// The currency, for money.
    pub currency: Option<String>,
    /// The formula that fills it.
    pub formula: Option<String>,
    /// The locale that its text is read by, a BCP 47 tag, where that is not the
    /// sheet's.
    pub locale: Option<String>,
    /// Where it stands among the columns, from 0; where it is, or last.
    pub at: Option<usize>,
}

impl NewColumn {
    fn info(&self) -> Outcome<ColumnInfo> {
        let currency =
            self.currency.as_deref().map(Currency::parse).transpose().map_err(|e| Error::unusable("unknown-currency", e.to_string()))?;
        let kind = match self.kind.as_str() {
            "" => ColumnType::Text,
            "money" if currency.is_none() => return Err(Error::unusable("no-currency", "choose the currency of the amounts")),
            name => ColumnType::parse(name, currency).ok_or_else(|| {
                let message = format!("“{name}” is not a column type; choose text, number, money, percent, date, time, yes/no or e-mail");
                Error::unusable("unknown-type", message)
            })?,
        };
        let name = self.name.split_whitespace().collect::<Vec<_>>().join(" ");
        if Folded::new(&name).as_str().is_empty() || name.chars().count() > 200 {
            return Err(Error::unusable("no-name", "enter a name of at most 200 characters"));
        }
        let locale = self.locale.as_deref().map(str::trim).filter(|l| !l.is_empty());
        if let Some(tag) = locale {
            Locale::parse(tag).map_err(|e| Error::unusable("locale", e.to_string()))?;
        }
        let formula = self.formula.as_deref().map(str::trim).filter(|f| !f.is_empty()).map(str::to_owned);
        let chosen = formula.is_some() && !self.kind.is_empty();
        Ok(ColumnInfo { formula, chosen, locale: locale.map(str::to_owned), ..ColumnInfo::of(&Column::new(&name, kind)) })
    }
}

/// Changes the columns of a sheet as a whole, after a look that they can stand side
/// by side; `work` says what the change is called.
async fn change_columns(
    app: &App,
    id: i64,
    work: impl FnOnce(&mut Vec<ColumnInfo>, &mut dyn FnMut() -> anyhow::Result<usize>) -> Outcome<String> + Send + 'static,
) -> Outcome<SheetInfo> {
    app.store
        .change(move |t| -> Outcome<()> {
            let before = sheets::sheet(t, id)?.ok_or_else(|| Error::missing("the sheet"))?;
            let mut columns = before.columns.clone();
            let what = work(&mut columns, &mut || sheets::next_cell(t, id))?;
            sheets::set_columns(t, id, &columns)?;
            sheets::stand_together(t, id)?;
            rows::keep_columns(t, id, &before.columns, &what, &clock::stamp())?;
            Ok(())
        })
        .await?;
    app.forget_sheets();
    info(app, id).await
}

/// Refuses a formula that can't be used in a sheet.
async fn check_formula(app: &App, id: i64, own: Option<usize>, column: &ColumnInfo) -> Outcome<()> {
    let Some(formula) = column.formula.clone() else { return Ok(()) };
    let loaded = app.sheet(id).await?;
    let info = app.store.with(move |c| sheets::sheet(c, id)).await?.ok_or_else(|| Error::missing("the sheet"))?;
    let mut columns = loaded.sheet.schema.columns().to_vec();
    let at = own.unwrap_or(columns.len());
    match own {
        Some(own) => columns[own] = column.column(),
        None => columns.push(column.column()),
    }
    // Names that count as one are told when the columns are changed.
    let Ok(schema) = Schema::new(columns) else { return Ok(()) };
    let others = info.columns.iter().enumerate().filter(|(other, _)| Some(*other) != own);
    let mut formulas: Vec<FormulaColumn<'_>> = others.filter_map(|(at, c)| c.formula_column(at)).collect();
    formulas.push(FormulaColumn { column: at, text: &formula, kind: None });
    match Computed::new(&formulas, &schema).fault(at) {
        Some(fault) => Err(Error::unusable("formula", format!("the formula can't be used: {fault}"))),
        None => Ok(()),
    }
}

/// Adds a column.
pub async fn add(app: &App, id: i64, new: NewColumn) -> Outcome<SheetInfo> {
    let column = new.info()?;
    check_formula(app, id, None, &column).await?;
    change_columns(app, id, move |columns, next_cell| {
        if columns.len() >= mangle_documents::table::MOST_COLUMNS {
            return Err(Error::unusable("too-many", format!("a sheet has at most {} columns", mangle_documents::table::MOST_COLUMNS)));
        }
        place_cells(columns);
        let what = format!("Add column “{}”", column.name);
        columns.insert(new.at.unwrap_or(columns.len()).min(columns.len()), ColumnInfo { cell: Some(next_cell()?), ..column });
        Ok(what)
    })
    .await
}

/// Writes down where each column's cells stand, before columns change places.
pub(crate) fn place_cells(columns: &mut [ColumnInfo]) {
    for (at, column) in columns.iter_mut().enumerate() {
        column.cell.get_or_insert(at);
    }
}

/// Changes a column: its name, type, formula, the locale it is read by, its place.
pub async fn change(app: &App, id: i64, index: usize, new: NewColumn) -> Outcome<SheetInfo> {
    let before = app.store.with(move |c| sheets::sheet(c, id)).await?.ok_or_else(|| Error::missing("the sheet"))?;
    let before = before.columns.get(index).cloned().ok_or_else(|| Error::missing("the column"))?;
    let at = new.at.unwrap_or(index);
    let mut column = match before.kind.as_str() {
        // What it holds is not chosen.
        "record" | "list" => ColumnInfo { name: NewColumn { kind: String::new(), ..new }.info()?.name, ..before.clone() },
        _ => new.info()?,
    };
    check_formula(app, id, Some(index), &column).await?;
    change_columns(app, id, move |columns, _| {
        place_cells(columns);
        if index >= columns.len() {
            return Err(Error::missing("the column"));
        }
        let old = columns.remove(index);
        (column.cell, column.field, column.asked) = (old.cell, old.field, old.asked);
        let what = match column.name == before.name {
            true => format!("Change column “{}”", column.name),
            false => format!("Rename column “{}” to “{}”", before.name, column.name),
        };
        columns.insert(at.min(columns.len()), column);
        Ok(what)
    })
    .await
}

/// Deletes a column with its cells; that can be undone.
pub async fn remove(app: &App, id: i64, index: usize) -> Outcome<SheetInfo> {
    let sheet = app.store.with(move |c| sheets::sheet(c, id)).await?.ok_or_else(|| Error::missing("the sheet"))?;
    let column = sheet.columns.get(index).ok_or_else(|| Error::missing("the column"))?;
    if let Some(related) = sheet.related.iter().find(|r| Folded::new(&r.key) == Folded::new(&column.name)) {
        return Err(Error::conflict(
            "in-use",
            format!("“{}” is the key of the relation to {}. Delete the relation first.", column.name, related.other_name),
        ));
    }
    if sheet.columns.len() == 1 {
        return Err(Error::conflict("last", "a sheet needs at least one column"));
    }
    change_columns(app, id, move |columns, _| {
        place_cells(columns);
        Ok(format!("Delete column “{}”", columns.remove(index).name))
    })
    .await
}

/// A formula to try.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TriedFormula {
    /// The formula.
    pub formula: String,
    /// The column that it fills, from 0; none for a new one.
    pub column: Option<usize>,
    /// The type that was chosen for the column, of money with its currency (`money EUR`);
    /// blank for that of the formula.
    #[serde(rename = "type", default)]
    pub kind: String,
}

/// What a formula gives.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FormulaSample {
    /// What is wrong with it.
    #[serde(serialize_with = "mangle_core::words::as_sentence_or_none")]
    pub problem: Option<String>,
    /// The type of the column: of money with its currency.
    #[serde(rename = "type")]
    pub kind: String,
    /// How many rows it gives an error for.
    pub errors: usize,
    /// The first rows with their value, and one with an error where there is one.
    pub samples: Vec<RowSample>,
}

/// A row with the value that a formula gives.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RowSample {
    /// The row's number.
    pub row: usize,
    /// What to call it.
    pub label: String,
    #[serde(flatten)]
    pub cell: CellInfo,
}

/// How many rows a formula is tried on.
const TRIED: usize = 2_000;

/// Tries a formula on the first rows of a sheet.
pub async fn try_formula(app: &App, id: i64, tried: TriedFormula) -> Outcome<FormulaSample> {
    let loaded = app.sheet(id).await?;
    let mut columns = loaded.sheet.schema.columns().to_vec();
    let at = tried.column.filter(|at| *at < columns.len()).unwrap_or(columns.len());
    // A name that no column has.
    let name = columns.get(at).map_or("\u{2014}1\u{2014}", |c| c.name.as_str());
    let trial = ColumnInfo { formula: Some(tried.formula.clone()), ..ColumnInfo::of(&Column::new(name, ColumnType::Text)) };
    let problem = match tried.formula.trim() {
        "" => Some("enter a formula, e.g. today - due date".to_owned()),
        _ => check_formula(app, id, tried.column, &trial).await.err().map(|r| r.to_string()),
    };
    if problem.is_some() {
        return Ok(FormulaSample { problem, kind: "text".to_owned(), errors: 0, samples: Vec::new() });
    }
    if at == columns.len() {
        columns.push(trial.column());
    }
    let now = app.now();
    let answer = blocking(move || -> anyhow::Result<FormulaSample> {
        let schema = Arc::new(Schema::new(columns)?);
        let records = loaded.sheet.records.iter().take(TRIED);
        let records = records.map(|r| Record::new(schema.clone(), r.values().to_vec(), r.number)).collect();
        let mut sheet = Sheet { name: String::new(), schema: schema.clone(), records };
        let context = Context { reading: loaded.reading, ..Context::new(Locale::english(), now) };
        let formula = FormulaColumn { column: at, text: &tried.formula, kind: ColumnType::read_name(&tried.kind) };
        Computed::new(&[formula], &schema).fill_sheet(&mut sheet, &context)?;
        let wrong = |r: &&Record| matches!(r.values()[at], Value::Misfit(_));
        let errors = sheet.records.iter().filter(wrong).count();
        let first = sheet.records.iter().take(4).chain(sheet.records.iter().skip(4).find(wrong));
        let samples = first.map(|r| RowSample { row: r.number, label: label(r, ""), cell: CellInfo::of(&r.values()[at]) }).collect();
        Ok(FormulaSample { problem: None, kind: sheet.schema.columns()[at].kind.to_string(), errors, samples })
    })
    .await??;
    Ok(answer)
}

/// The values of a column, the most frequent first.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ColumnValues {
    /// How many different ones there are.
    pub different: usize,
    /// The most frequent.
    pub values: Vec<ValueCount>,
}

/// A value of a column.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ValueCount {
    /// As it is shown; blank where nothing stands.
    pub text: String,
    /// How many rows have it.
    pub count: usize,
    /// The condition that chooses those rows.
    pub condition: String,
}

/// How many values of a column are listed.
const VALUES: usize = 40;

/// The values of a column with how many rows have each, to filter by them.
pub async fn values(app: &App, id: i64, index: usize) -> Outcome<ColumnValues> {
    let loaded = app.sheet(id).await?;
    let column = loaded.sheet.schema.columns().get(index).ok_or_else(|| Error::missing("the column"))?.name.clone();
    let counted = blocking(move || {
        let mut counts: HashMap<String, (usize, usize)> = HashMap::new();
        for (at, record) in loaded.sheet.records.iter().enumerate() {
            let Some(condition) = condition_of(&column, &record.values()[index]) else { continue };
            counts.entry(condition).or_insert((0, at)).0 += 1;
        }
        let different = counts.len();
        let mut most: Vec<(String, (usize, usize))> = counts.into_iter().collect();
        // Those as frequent stand in the order of the sheet.
        most.sort_by_key(|(_, (count, first))| (std::cmp::Reverse(*count), *first));
        most.truncate(VALUES);
        let values = most.into_iter().map(|(condition, (count, first))| ValueCount {
            text: shown(&loaded.sheet.records[first].values()[index]),
            count,
            condition,
        });
        ColumnValues { different, values: values.collect() }
    })
    .await?;
    Ok(counted)
}

/// How a sheet writes its dates.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewDateOrder {
    /// Whether the month comes first.
    pub month_first: bool,
}

/// Says in which order a sheet writes day and month.
pub async fn set_date_order(app: &App, id: i64, new: NewDateOrder) -> Outcome<SheetInfo> {
    app.store.with(move |c| sheets::set_date_order(c, id, new.month_first)).await?;
    app.forget_sheets();
    info(app, id).await
}
