//! Sources, their sheets, the rows and the filters kept for them.

use std::collections::HashSet;
use std::sync::Arc;

use anyhow::{Context, Result};
use jiff::civil::DateTime;
use mangle_core::language::{Context as Language, Folded};
use mangle_core::records::{
    Cell, Column, ColumnType, Computed, FormulaColumn, RawSheet, Recognised, Related, Schema, SchemaFault, Sheet, relate,
};
use mangle_core::value::read::Reading;
use mangle_core::value::{Currency, DateOrder, Locale};
use rusqlite::{Connection, OptionalExtension, Transaction, params};
use serde::{Deserialize, Serialize};

use super::relations;
use crate::Error;

/// A source in the list.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Source {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// workbook, form or query.
    pub kind: String,
    /// The file that it came from.
    pub file_name: String,
    /// When it was brought in.
    pub brought_in: String,
    /// Its sheets in order.
    pub sheets: Vec<SheetInfo>,
}

/// A sheet without its rows.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SheetInfo {
    /// Its number.
    pub id: i64,
    /// The source's number.
    pub source_id: i64,
    /// Its name.
    pub name: String,
    /// Its columns in order.
    pub columns: Vec<ColumnInfo>,
    /// What its relations add to each row, after its columns.
    pub related: Vec<RelatedInfo>,
    /// How many rows it has.
    pub row_count: usize,
    /// Columns whose dates can be read two ways, until a person says which.
    pub unsure: Vec<UnsureInfo>,
    /// What stood above the names and was passed over, until a person says that it is
    /// rightly so.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub passed_over: Vec<String>,
    /// What was read otherwise than it stands in the file, until a person dismisses it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub notes: Vec<String>,
    /// Filters kept for it.
    pub filters: Vec<KeptFilter>,
}

/// What a relation adds to the rows of a sheet.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RelatedInfo {
    /// The relation's number.
    pub relation: i64,
    /// What the field is called.
    pub name: String,
    /// The column that holds the key.
    pub key: String,
    /// Whether it is all that match, not the one.
    pub many: bool,
    /// The sheet on the other side.
    pub other: i64,
    /// Its workbook's and its own name.
    pub other_name: String,
    /// Its column that holds the key.
    pub other_key: String,
}

/// A column whose dates can be read two ways.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct UnsureInfo {
    /// Its name.
    pub column: String,
    /// A cell that reads differently.
    pub example: String,
    /// What it is with the day first, in ISO form.
    pub day_first: String,
    /// What it is with the month first.
    pub month_first: String,
}

/// A column.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ColumnInfo {
    /// Its name.
    pub name: String,
    /// text, number, money, percent, date, time, yes/no or e-mail.
    #[serde(rename = "type")]
    pub kind: String,
    /// The currency of a column of money.
    pub currency: Option<String>,
    /// The columns of the records that a record or list holds.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[cfg_attr(feature = "openapi", schema(no_recursion))]
    pub inner: Vec<ColumnInfo>,
    /// What the items of a list of plain values are.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub items: Option<String>,
    /// The formula that fills it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub formula: Option<String>,
    /// Whether a person chose the type of its formula's values; else the formula tells it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub chosen: bool,
    /// The locale that its text is read by, where that is not the sheet's.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub locale: Option<String>,
    /// Where its cells stand in a row; at its own place where nothing is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cell: Option<usize>,
    /// The field of a form that fills it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub field: Option<u32>,
    /// Whether a CRM query fills it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub asked: bool,
}

/// A filter kept under a name.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct KeptFilter {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// The condition.
    pub condition: String,
}

impl ColumnInfo {
    /// Describes a column.
    pub fn of(column: &Column) -> ColumnInfo {
        let currency = match column.kind {
            ColumnType::Money(currency) => Some(currency.to_string()),
            _ => None,
        };
        let inner = column.inner.iter().flat_map(|schema| schema.columns()).map(ColumnInfo::of).collect();
        let items = column.items.map(|kind| kind.to_string());
        let (name, kind) = (column.name.clone(), column.kind.name().to_owned());
        ColumnInfo { name, kind, currency, inner, items, formula: None, chosen: false, locale: None, cell: None, field: None, asked: false }
    }

    /// The formula of the column at a place.
    pub fn formula_column(&self, at: usize) -> Option<FormulaColumn<'_>> {
        let kind = Some(self.column().kind).filter(|_| self.chosen);
        Some(FormulaColumn { column: at, text: self.formula.as_deref()?, kind })
    }

    /// The column that this describes; text where the type is not known.
    pub fn column(&self) -> Column {
        let currency = self.currency.as_deref().and_then(|c| Currency::parse(c).ok());
        let inner: Vec<Column> = self.inner.iter().map(ColumnInfo::column).collect();
        Column {
            inner: if inner.is_empty() { None } else { Schema::new(inner).ok().map(Arc::new) },
            items: self.items.as_deref().and_then(ColumnType::read_name),
            reading: self.locale.as_deref().and_then(|tag| Locale::parse(tag).ok()).map(|locale| Reading::of(&locale)),
            ..Column::new(&self.name, ColumnType::parse(&self.kind, currency).unwrap_or(ColumnType::Text))
        }
    }
}

/// Begins a source with a file's sheets, still without their rows; nobody sees it until it has
/// [`arrived`]. Gives its number and those of its sheets.
pub fn arrive(t: &Transaction<'_>, name: &str, file_name: &str, at: &str, sheets: &[(RawSheet, Recognised)]) -> Result<(i64, Vec<i64>)> {
    t.execute("INSERT INTO source (name, file_name, brought_in, arriving) VALUES (?1, ?2, ?3, 1)", params![name, file_name, at])?;
    let source = t.last_insert_rowid();
    let mut ids = Vec::with_capacity(sheets.len());
    for (position, (raw, recognised)) in sheets.iter().enumerate() {
        let columns: Vec<ColumnInfo> = recognised.columns.iter().map(ColumnInfo::of).collect();
        let order = match recognised.reading.order {
            DateOrder::DayFirst => "day",
            DateOrder::MonthFirst => "month",
            DateOrder::YearFirst => "year",
        };
        t.execute(
            "INSERT INTO sheet (source_id, position, name, columns, decimal_mark, date_order, row_count, unsure, next_number, next_cell, passed_over, notes)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?7 + 1, ?9, ?10, ?11)",
            params![
                source,
                position,
                raw.name,
                serde_json::to_string(&columns)?,
                recognised.reading.decimal.to_string(),
                order,
                raw.rows.len(),
                serde_json::to_string(&recognised.unsure)?,
                columns.len(),
                serde_json::to_string(&raw.passed_over)?,
                serde_json::to_string(&raw.notes)?
            ],
        )?;
        let sheet = t.last_insert_rowid();
        if let Some(of) = &raw.of
            && let Some(one) = ids.get(of.sheet).copied()
        {
            let relation = relations::Relation {
                many: sheet,
                many_key: of.own_key.clone(),
                one_name: of.back.clone(),
                one,
                one_key: of.key.clone(),
                many_name: of.name.clone(),
            };
            relations::add(t, &relation)?;
        }
        ids.push(sheet);
    }
    Ok((source, ids))
}

/// Adds rows to a sheet that arrives, the first under a number; each as JSON.
pub fn add_rows(t: &Transaction<'_>, sheet: i64, first: usize, rows: &[String]) -> Result<()> {
    let mut row = t.prepare_cached("INSERT INTO sheet_row (sheet_id, number, cells, position) VALUES (?1, ?2, ?3, ?2)")?;
    for (index, cells) in rows.iter().enumerate() {
        row.execute(params![sheet, first + index, cells])?;
    }
    Ok(())
}

/// All rows of a source are there.
pub fn arrived(t: &Transaction<'_>, source: i64) -> Result<()> {
    t.execute("UPDATE source SET arriving = 0 WHERE id = ?1", [source])?;
    Ok(())
}

/// Drops a source whose rows will never be all there.
pub fn drop_arriving(t: &Transaction<'_>, source: i64) -> Result<()> {
    t.execute("DELETE FROM source WHERE id = ?1 AND arriving = 1", [source])?;
    Ok(())
}

/// All sources, the newest first.
pub fn sources(c: &Connection) -> Result<Vec<Source>> {
    let mut query = c.prepare_cached("SELECT id, name, file_name, brought_in, kind FROM source WHERE arriving = 0 ORDER BY id DESC")?;
    let found = query.query_map([], |r| {
        Ok(Source { id: r.get(0)?, name: r.get(1)?, file_name: r.get(2)?, brought_in: r.get(3)?, kind: r.get(4)?, sheets: Vec::new() })
    })?;
    let mut sources = found.collect::<Result<Vec<_>, _>>()?;
    for source in &mut sources {
        source.sheets = sheets_of(c, source.id)?;
    }
    Ok(sources)
}

/// The sheets of a source.
pub fn sheets_of(c: &Connection, source: i64) -> Result<Vec<SheetInfo>> {
    let mut query = c.prepare_cached("SELECT id FROM sheet WHERE source_id = ?1 ORDER BY position")?;
    let ids = query.query_map([source], |r| r.get::<_, i64>(0))?.collect::<Result<Vec<_>, _>>()?;
    ids.into_iter().filter_map(|id| sheet(c, id).transpose()).collect()
}

/// A sheet without its rows.
pub fn sheet(c: &Connection, id: i64) -> Result<Option<SheetInfo>> {
    let mut query = c.prepare_cached("SELECT source_id, name, columns, row_count, unsure, passed_over, notes FROM sheet WHERE id = ?1")?;
    let found = query
        .query_row([id], |r| {
            let texts: [String; 4] = [r.get(2)?, r.get(4)?, r.get(5)?, r.get(6)?];
            Ok((r.get(0)?, r.get(1)?, r.get(3)?, texts))
        })
        .optional()?;
    let Some((source_id, name, row_count, [columns, unsure, passed_over, notes])) = found else { return Ok(None) };
    let mut query = c.prepare_cached("SELECT id, name, condition FROM filter WHERE sheet_id = ?1 ORDER BY name")?;
    let filters = query
        .query_map([id], |r| Ok(KeptFilter { id: r.get(0)?, name: r.get(1)?, condition: r.get(2)? }))?
        .collect::<Result<Vec<_>, _>>()?;
    Ok(Some(SheetInfo {
        id,
        source_id,
        name,
        columns: serde_json::from_str(&columns)?,
        related: relations::of_sheet(c, id)?,
        row_count,
        unsure: serde_json::from_str(&unsure)?,
        passed_over: serde_json::from_str(&passed_over)?,
        notes: serde_json::from_str(&notes)?,
        filters,
    }))
}

/// How a sheet's text is read.
pub fn reading(c: &Connection, id: i64) -> Result<Reading> {
    let (mark, order): (String, String) =
        c.query_row("SELECT decimal_mark, date_order FROM sheet WHERE id = ?1", [id], |r| Ok((r.get(0)?, r.get(1)?)))?;
    let order = match order.as_str() {
        "month" => DateOrder::MonthFirst,
        "year" => DateOrder::YearFirst,
        _ => DateOrder::DayFirst,
    };
    Ok(Reading { decimal: mark.chars().next().unwrap_or('.'), order })
}

/// Counts the changes of all sheets, their rows and relations: it is another number after each,
/// from within its transaction on.
pub fn revision(c: &Connection) -> Result<i64> {
    Ok(c.prepare_cached("SELECT revision FROM sheet_state")?.query_row([], |r| r.get(0))?)
}

/// The revisions before and after one change.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SheetChange {
    pub before: i64,
    pub after: i64,
}

/// Makes one change; gives the revisions round it.
pub fn counted<T, E: From<anyhow::Error>>(t: &Transaction<'_>, work: impl FnOnce() -> Result<T, E>) -> Result<(T, SheetChange), E> {
    let before = revision(t)?;
    let done = work()?;
    Ok((done, SheetChange { before, after: revision(t)? }))
}

/// A sheet with all its records, relations and computed columns.
#[derive(Debug)]
pub struct Loaded {
    /// The sheet.
    pub sheet: Sheet,
    /// How its text is read.
    pub reading: Reading,
    /// The columns whose cells a person can write.
    pub written: HashSet<Folded>,
    /// The columns of money whose cells name their currency themselves.
    pub signed: HashSet<Folded>,
    /// Whether a value of it, or of a sheet that it is related to, changes with the
    /// day.
    pub moves: bool,
}

/// Loads a sheet as it is at a moment.
pub fn load(c: &Connection, id: i64, moment: DateTime) -> Result<Option<Loaded>> {
    load_along(c, id, moment, &mut vec![id])
}

/// How many sheets deep relations are followed.
const DEEPEST: usize = 6;

/// `way` are the sheets that relations led through: they are not gone back to.
fn load_along(c: &Connection, id: i64, moment: DateTime, way: &mut Vec<i64>) -> Result<Option<Loaded>> {
    let Some(info) = sheet(c, id)? else { return Ok(None) };
    let reading = reading(c, id)?;
    let taken = Taken::by(&info.columns);
    let mut query = c.prepare_cached("SELECT number, cells FROM sheet_row WHERE sheet_id = ?1 ORDER BY position, number")?;
    let mut raw: Vec<(usize, Vec<Cell>)> = Vec::with_capacity(info.row_count);
    let mut rows = query.query([id])?;
    while let Some(row) = rows.next()? {
        raw.push((row.get(0)?, taken.cells(row.get_ref(1)?.as_str()?)?));
    }
    let columns = info.columns.iter().map(ColumnInfo::column).collect();
    let read = raw.iter().map(|(number, cells)| (*number, cells.as_slice()));
    let mut sheet = Sheet::of_rows(&info.name, read, columns, reading).context("a stored sheet has two columns of the same name")?;
    let mut moves = false;
    let mut related = Vec::new();
    let open: Vec<&RelatedInfo> = info.related.iter().filter(|r| !way.contains(&r.other) && way.len() < DEEPEST).collect();
    for relation in open {
        way.push(relation.other);
        let other = load_along(c, relation.other, moment, way)?;
        way.pop();
        let Some(other) = other else { continue };
        moves |= other.moves;
        let place = |schema: &Schema, name: &str| schema.index(&Folded::new(name));
        let keys = place(&sheet.schema, &relation.key).zip(place(&other.sheet.schema, &relation.other_key));
        if let Some((key, other_key)) = keys {
            related.push(Related { name: relation.name.clone(), key, other: Arc::new(other.sheet), other_key, many: relation.many });
        }
    }
    sheet = relate(sheet, &related).context("a relation has a name of its own")?;
    let computed = computed(&info, &sheet.schema);
    let context = Language { reading, ..Language::new(Locale::english(), moment) };
    computed.fill_sheet(&mut sheet, &context)?;
    moves |= computed.moves();
    let written = info.columns.iter().filter(|c| c.formula.is_none() && !c.asked && c.inner.is_empty() && c.items.is_none());
    let written = written.map(|c| Folded::new(&c.name)).collect();
    let money = info.columns.iter().enumerate().filter(|(_, c)| c.kind == "money" && c.formula.is_none());
    let signs = |at: usize| raw.iter().any(|(_, cells)| matches!(cells.get(at), Some(Cell::Text(text)) if Currency::strip(text).is_some()));
    let signed = money.filter(|(at, _)| signs(*at)).map(|(_, c)| Folded::new(&c.name)).collect();
    Ok(Some(Loaded { sheet, reading, written, signed, moves }))
}

/// The formulas of a sheet's columns.
fn computed(info: &SheetInfo, schema: &Schema) -> Computed {
    let formulas = info.columns.iter().enumerate().filter_map(|(at, column)| column.formula_column(at));
    Computed::new(&formulas.collect::<Vec<_>>(), schema)
}

/// Where the cells of columns stand in a row as it is kept.
struct Taken {
    own: Vec<usize>,
    as_they_stand: bool,
}

impl Taken {
    fn by(columns: &[ColumnInfo]) -> Taken {
        let own: Vec<usize> = columns.iter().enumerate().map(|(at, column)| column.cell.unwrap_or(at)).collect();
        Taken { as_they_stand: own.iter().copied().eq(0..own.len()), own }
    }

    /// The cells of a row, by column.
    fn cells(&self, kept: &str) -> Result<Vec<Cell>> {
        let mut cells: Vec<Cell> = serde_json::from_str(kept)?;
        if self.as_they_stand {
            cells.resize(self.own.len(), Cell::Blank);
            return Ok(cells);
        }
        Ok(self.own.iter().map(|at| cells.get_mut(*at).map_or(Cell::Blank, |cell| std::mem::replace(cell, Cell::Blank))).collect())
    }
}

/// Takes rows that were written, added, deleted or moved into an open sheet; false
/// where it must be loaded anew.
pub fn patch(c: &Connection, id: i64, open: &mut Sheet, rows: &[usize], moment: DateTime) -> Result<bool> {
    let Some(info) = sheet(c, id)? else { return Ok(false) };
    let taken = Taken::by(&info.columns);
    let mut query = c.prepare_cached("SELECT cells FROM sheet_row WHERE sheet_id = ?1 AND number = ?2")?;
    let mut changed = Vec::with_capacity(rows.len());
    for number in rows {
        // What belongs to a new row has to be looked up in the other sheets.
        if !info.related.is_empty() && open.record(*number).is_none() {
            return Ok(false);
        }
        if let Some(kept) = query.query_row(params![id, number], |r| r.get::<_, String>(0)).optional()? {
            changed.push((*number, taken.cells(&kept)?));
        }
    }
    let mut query = c.prepare_cached("SELECT number FROM sheet_row WHERE sheet_id = ?1 ORDER BY position, number")?;
    let order = query.query_map([id], |r| r.get(0))?.collect::<Result<Vec<usize>, _>>()?;
    let context = Language { reading: reading(c, id)?, ..Language::new(Locale::english(), moment) };
    let computed = computed(&info, &open.schema);
    Ok(open.patch(&changed, &order, &computed, &context))
}

/// Changes the columns; relations keep to the columns of their keys.
pub fn set_columns(t: &Transaction<'_>, id: i64, columns: &[ColumnInfo]) -> Result<()> {
    if let Some(before) = sheet(t, id)? {
        relations::follow(t, id, &before.columns, columns)?;
    }
    t.execute("UPDATE sheet SET columns = ?2 WHERE id = ?1", params![id, serde_json::to_string(columns)?])?;
    Ok(())
}

/// Whether the columns of a sheet and the fields of its relations can stand side by
/// side.
pub fn names(c: &Connection, id: i64) -> Result<Result<(), SchemaFault>> {
    let Some(info) = sheet(c, id)? else { return Ok(Ok(())) };
    let related = info.related.iter().map(|r| Column::new(&r.name, ColumnType::Text));
    Ok(Schema::new(info.columns.iter().map(ColumnInfo::column).chain(related).collect()).map(|_| ()))
}

/// Refuses columns, or fields of relations, whose names count as one.
pub fn stand_together(c: &Connection, id: i64) -> Result<(), Error> {
    names(c, id)?.map_err(|fault| match fault {
        SchemaFault::SameName { name, .. } => {
            Error::unusable("header", format!("a column “{name}” already exists (case, spaces, _ and - are ignored)"))
        }
        fault => Error::unusable("header", fault.to_string()),
    })
}

/// The place of the cells of a new column.
pub fn next_cell(t: &Transaction<'_>, id: i64) -> Result<usize> {
    Ok(t.query_row("UPDATE sheet SET next_cell = next_cell + 1 WHERE id = ?1 RETURNING next_cell - 1", [id], |r| r.get(0))?)
}

/// Says in which order the sheet writes day and month.
pub fn set_date_order(c: &Connection, id: i64, month_first: bool) -> Result<bool> {
    let order = if month_first { "month" } else { "day" };
    Ok(c.execute("UPDATE sheet SET date_order = ?2, unsure = '[]' WHERE id = ?1", params![id, order])? > 0)
}

/// Says that the sheet was read rightly: what was told of that is told no more.
pub fn accept_header(c: &Connection, id: i64) -> Result<()> {
    c.execute("UPDATE sheet SET passed_over = '[]', notes = '[]' WHERE id = ?1", [id])?;
    Ok(())
}

/// Keeps a filter; one of the same name is replaced.
pub fn keep_filter(c: &Connection, sheet: i64, name: &str, condition: &str) -> Result<()> {
    c.execute(
        "INSERT INTO filter (sheet_id, name, condition) VALUES (?1, ?2, ?3) ON CONFLICT (sheet_id, name) DO UPDATE SET condition = ?3",
        params![sheet, name, condition],
    )?;
    Ok(())
}

/// Drops a filter.
pub fn drop_filter(c: &Connection, id: i64) -> Result<bool> {
    Ok(c.execute("DELETE FROM filter WHERE id = ?1", [id])? > 0)
}

/// How many dispatches and runs use a source's sheets.
pub fn uses(c: &Connection, source: i64) -> Result<usize> {
    let sql = "SELECT (SELECT count(*) FROM dispatch WHERE sheet_id IN (SELECT id FROM sheet WHERE source_id = ?1)) + (SELECT count(*) FROM run WHERE sheet_id IN (SELECT id FROM sheet WHERE source_id = ?1))";
    Ok(c.query_row(sql, [source], |r| r.get(0))?)
}

/// Deletes a source with its sheets.
pub fn delete(c: &Connection, source: i64) -> Result<bool> {
    Ok(c.execute("DELETE FROM source WHERE id = ?1", [source])? > 0)
}

/// Renames a source.
pub fn rename(c: &Connection, source: i64, name: &str) -> Result<bool> {
    Ok(c.execute("UPDATE source SET name = ?2 WHERE id = ?1", params![source, name])? > 0)
}
