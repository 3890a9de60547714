//! Computed columns: formulas in the placeholder language that fill a column of
//! each record, one after the other where one reads another.

use std::sync::Arc;

use super::{Column, ColumnType, Record, Schema, SchemaFault, Sheet, UnknownColumn};
use crate::language::syntax::Expr;
use crate::language::{Context, Folded, Scope, SyntaxError, Ties, UsedAs, value};
use crate::value::Value;

/// The formulas of a sheet, in the order in which they need each other.
#[derive(Debug, Default)]
pub struct Computed {
    formulas: Vec<Formula>,
    moves: bool,
}

#[derive(Debug)]
struct Formula {
    /// Which of the columns it fills.
    column: usize,
    expr: Result<Expr, FormulaFault>,
}

/// Why a formula can't be used.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum FormulaFault {
    /// It can't be read.
    #[error(transparent)]
    Syntax(#[from] SyntaxError),
    /// It names a column that the sheet has not.
    #[error(transparent)]
    UnknownColumn(#[from] UnknownColumn),
    /// It needs its own value.
    #[error("it needs its own value: {}; change one of these formulas", .0.join(" needs "))]
    Circle(Vec<String>),
}

impl Computed {
    /// Reads the formulas of columns of a schema. One that can't be used makes its
    /// column give that as its error; the others work.
    pub fn new(formulas: &[(usize, &str)], schema: &Schema) -> Computed {
        let folded = |column: usize| Folded::new(&schema.columns()[column].name);
        let mut read: Vec<(Formula, Vec<Folded>)> = Vec::new();
        let mut moves = false;
        for (column, text) in formulas {
            let (expr, names) = match read_formula(text, schema) {
                Ok((expr, names)) => (Ok(expr), names),
                Err(fault) => (Err(fault), Vec::new()),
            };
            moves |= mentions_clock(text);
            read.push((Formula { column: *column, expr }, names));
        }
        // Those that need nothing that is still to come, first.
        let mut ordered: Vec<Formula> = Vec::with_capacity(read.len());
        while !read.is_empty() {
            let open: Vec<Folded> = read.iter().map(|(f, _)| folded(f.column)).collect();
            match read.iter().position(|(_, names)| !names.iter().any(|n| open.contains(n))) {
                Some(at) => ordered.push(read.remove(at).0),
                None => {
                    // All that are left wait for one another, or for one that does.
                    let circle = circle(&read, schema, &open);
                    ordered.extend(read.drain(..).map(|(f, _)| Formula { expr: Err(FormulaFault::Circle(circle.clone())), ..f }));
                }
            }
        }
        Computed { formulas: ordered, moves }
    }

    /// Whether a value changes with the day.
    pub fn moves(&self) -> bool {
        self.moves
    }

    /// What is wrong with the formula of a column.
    pub fn fault(&self, column: usize) -> Option<&FormulaFault> {
        self.formulas.iter().find(|f| f.column == column)?.expr.as_ref().err()
    }

    /// Works the columns out for one record.
    pub fn fill(&self, record: &mut Record, context: &Context) {
        let ties = Ties::default();
        for formula in &self.formulas {
            let worked = match &formula.expr {
                Ok(expr) => Scope::new(record, &ties, context).value(expr).map_err(|e| e.to_string()),
                Err(fault) => Err(fault.to_string()),
            };
            let value = match worked {
                Ok(Value::List(_) | Value::Record(_)) => {
                    Err("a computed column holds one value; take one of the list, or sum, count or join it".to_owned())
                }
                other => other,
            };
            let value = value.unwrap_or_else(|why| record.schema().columns()[formula.column].without_value(why));
            record.set(formula.column, value);
        }
    }

    /// Whether the computed columns have the type of the values in them.
    pub fn types_hold(&self, sheet: &Sheet) -> bool {
        let own = |at: usize| kind(sheet.records.iter().map(|r| &r.values()[at]));
        self.formulas.iter().all(|f| sheet.schema.columns()[f.column].kind == own(f.column))
    }

    /// Fills a sheet, and gives its computed columns the type of their values.
    pub fn fill_sheet(&self, sheet: &mut Sheet, context: &Context) -> Result<(), SchemaFault> {
        if self.formulas.is_empty() {
            return Ok(());
        }
        sheet.records.iter_mut().for_each(|record| self.fill(record, context));
        let mut columns: Vec<Column> = sheet.schema.columns().to_vec();
        for formula in &self.formulas {
            columns[formula.column].kind = kind(sheet.records.iter().map(|r| &r.values()[formula.column]));
        }
        sheet.schema = Arc::new(Schema::new(columns)?);
        let records = std::mem::take(&mut sheet.records);
        sheet.records = records.into_iter().map(|r| r.under(sheet.schema.clone())).collect();
        Ok(())
    }
}

/// Reads a formula and tells the fields of the record that it reads.
fn read_formula(text: &str, schema: &Schema) -> Result<(Expr, Vec<Folded>), FormulaFault> {
    let expr = value(text)?;
    let names = schema.reads(&expr, UsedAs::Value)?;
    Ok((expr, names))
}

/// Whether it reads the clock, by name or by function.
fn mentions_clock(text: &str) -> bool {
    let text = text.to_lowercase();
    text.contains("today") || text.contains("now")
}

fn circle(read: &[(Formula, Vec<Folded>)], schema: &Schema, open: &[Folded]) -> Vec<String> {
    let name = |at: usize| schema.columns()[read[at].0.column].name.clone();
    let mut way = vec![0];
    loop {
        let last = way[way.len() - 1];
        let next = read[last].1.iter().find_map(|n| open.iter().position(|o| o == n)).unwrap_or(0);
        match way.iter().position(|at| *at == next) {
            Some(start) => return way[start..].iter().chain([&next]).map(|at| name(*at)).collect(),
            None => way.push(next),
        }
    }
}

/// The type of worked out values: theirs where they share one, else text.
fn kind<'v>(values: impl Iterator<Item = &'v Value>) -> ColumnType {
    let mut found = None;
    for value in values {
        let own = match value {
            Value::Blank | Value::Misfit(_) => continue,
            Value::Number(_) => ColumnType::Number,
            Value::Money(money) => ColumnType::Money(money.currency),
            Value::Date(_) | Value::DateTime(_) => ColumnType::Date,
            Value::Bool(_) => ColumnType::YesNo,
            _ => return ColumnType::Text,
        };
        match found {
            None => found = Some(own),
            Some(known) if known == own => {}
            Some(_) => return ColumnType::Text,
        }
    }
    found.unwrap_or(ColumnType::Text)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::records::from_json;
    use crate::value::Locale;

    fn computed(formulas: &[(&str, &str)]) -> (Sheet, Computed) {
        let json = serde_json::json!([
            { "Name": "Jörg Brückner", "Net": 400, "Due": "2026-10-01", "Lines": [{ "Price": 12.5, "Qty": 2 }, { "Price": 1, "Qty": 3 }] },
            { "Name": "Femke", "Net": "none", "Due": null, "Lines": [] },
            { "Name": "Ada", "Net": 5, "Due": "2026-11-22", "Lines": [] },
            { "Name": "Tom", "Net": 6, "Due": "2026-11-23", "Lines": [] }
        ]);
        let mut sheet = from_json("holders", &json).expect("holders");
        let mut columns = sheet.schema.columns().to_vec();
        let first = columns.len();
        columns.extend(formulas.iter().map(|(name, _)| Column::new(name, ColumnType::Text)));
        let schema = Arc::new(Schema::new(columns).expect("names"));
        sheet.records = sheet.records.into_iter().map(|r| r.under(schema.clone())).collect();
        sheet.schema = schema;
        let texts: Vec<(usize, &str)> = formulas.iter().enumerate().map(|(at, (_, text))| (first + at, *text)).collect();
        let computed = Computed::new(&texts, &sheet.schema);
        let now = "2026-11-23T12:00".parse().expect("a moment");
        computed.fill_sheet(&mut sheet, &Context::new(Locale::english(), now)).expect("filled");
        (sheet, computed)
    }

    fn told(sheet: &Sheet, name: &str) -> Vec<String> {
        let text = |value: &Value| match value {
            Value::Misfit(misfit) => misfit.why.clone().unwrap_or_default(),
            other => crate::language::plain(other, &Locale::english()).expect("prints"),
        };
        sheet.records.iter().map(|r| text(r.get(&Folded::new(name)).expect("the column"))).collect()
    }

    #[test]
    fn a_formula_fills_its_column_and_says_its_type() {
        let (sheet, computed) =
            computed(&[("days overdue", "today - due"), ("first name", "first word(name)"), ("lines total", "sum(lines.(price * qty))")]);
        assert_eq!(told(&sheet, "days overdue"), ["53", "", "1", "0"]);
        assert_eq!(told(&sheet, "first name"), ["Jörg", "Femke", "Ada", "Tom"]);
        assert_eq!(told(&sheet, "lines total"), ["28", "0", "0", "0"]);
        assert_eq!(sheet.schema.column(&Folded::new("days overdue")).expect("a column").kind, ColumnType::Number);
        assert!(computed.moves());
    }

    #[test]
    fn formulas_may_need_each_other_in_any_order() {
        let (sheet, computed) = computed(&[("gross", "net + vat"), ("vat", "round(net * 20%; 2)")]);
        assert_eq!(told(&sheet, "gross")[0], "480");
        assert!(told(&sheet, "gross")[1].contains("which is not a number"), "{:?}", told(&sheet, "gross"));
        assert!(!computed.moves());
    }

    #[test]
    fn what_is_wrong_with_a_formula_is_told_in_its_column() {
        let (sheet, computed) = computed(&[("a", "b + 1"), ("b", "a + 1"), ("c", "nett * 2"), ("d", "net *"), ("e", "lines")]);
        assert_eq!(told(&sheet, "a")[0], "it needs its own value: a needs b needs a; change one of these formulas");
        assert_eq!(told(&sheet, "c")[0], "no column is called “nett”; did you mean “Net”?");
        let first = sheet.schema.columns().len() - 5;
        assert!(matches!(computed.fault(first + 3), Some(FormulaFault::Syntax(_))));
        assert!(told(&sheet, "e")[0].starts_with("a computed column holds one value"));
    }
}
