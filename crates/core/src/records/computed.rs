//! Computed columns: formulas in the placeholder language that fill a column of
//! each record, one after the other where one reads another.

use std::sync::Arc;

use super::{Cell, Column, ColumnType, Record, Schema, SchemaFault, Sheet, UnknownColumn};
use crate::language::syntax::Expr;
use crate::language::{Context, Folded, NULL_DATE, Names, Scope, SyntaxError, Ties, UsedAs, plain, value};
use crate::value::{Money, Value};

/// A formula and the column that it fills.
#[derive(Debug, Clone, Copy)]
pub struct FormulaColumn<'a> {
    /// Which of the columns.
    pub column: usize,
    /// The formula as it is written.
    pub text: &'a str,
    /// The type that a person chose; else the formula's own.
    pub kind: Option<ColumnType>,
}

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
    kind: Option<ColumnType>,
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
    #[error("circular reference: {}. Change one of these formulas.", .0.join(" needs "))]
    Circle(Vec<String>),
}

impl Computed {
    /// Reads the formulas of columns of a schema. One that can't be used makes its
    /// column give that as its error; the others work.
    pub fn new(formulas: &[FormulaColumn<'_>], schema: &Schema) -> Computed {
        let folded = |column: usize| Folded::new(&schema.columns()[column].name);
        let mut read: Vec<(Formula, Vec<Folded>)> = Vec::new();
        let mut moves = false;
        for FormulaColumn { column, text, kind } in formulas {
            let (expr, names) = match read_formula(text, schema) {
                Ok((expr, names)) => (Ok(expr), names),
                Err(fault) => (Err(fault), Vec::new()),
            };
            moves |= expr.as_ref().is_ok_and(|expr: &Expr| expr.reads_clock(schema));
            read.push((Formula { column: *column, kind: *kind, expr }, names));
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

    /// Works the columns out for one record, whose schema has their types.
    pub fn fill(&self, record: &mut Record, context: &Context) {
        let ties = Ties::default();
        for formula in &self.formulas {
            let worked = match &formula.expr {
                Ok(expr) => Scope::new(record, &ties, context).value(expr).map_err(|e| e.to_string()),
                Err(fault) => Err(fault.to_string()),
            };
            let column = &record.schema().columns()[formula.column];
            let value = worked.and_then(|value| fitted(value, column.kind, context)).unwrap_or_else(|why| column.without_value(why));
            record.set(formula.column, value);
        }
    }

    /// The schema with the types of the computed columns: those that were chosen, or
    /// those that the formulas give; text where a formula gives now this, now that.
    pub fn typed(&self, schema: &Schema) -> Result<Schema, SchemaFault> {
        let ties = Ties::default();
        let mut columns: Vec<Column> = schema.columns().to_vec();
        for formula in &self.formulas {
            // What an earlier formula gives is known to the later ones.
            let known = Schema::new(columns.clone())?;
            let own = || formula.expr.as_ref().ok().and_then(|expr| Names { levels: vec![&known], ties: &ties }.of(expr)?.column());
            columns[formula.column].kind = formula.kind.or_else(own).unwrap_or(ColumnType::Text);
        }
        Schema::new(columns)
    }

    /// Gives the computed columns of a sheet their types, and fills them.
    pub fn fill_sheet(&self, sheet: &mut Sheet, context: &Context) -> Result<(), SchemaFault> {
        if self.formulas.is_empty() {
            return Ok(());
        }
        let schema = Arc::new(self.typed(&sheet.schema)?);
        sheet.schema = schema.clone();
        let under = |record: Record| {
            let mut record = record.under(schema.clone());
            self.fill(&mut record, context);
            record
        };
        sheet.records = std::mem::take(&mut sheet.records).into_iter().map(under).collect();
        Ok(())
    }
}

/// A worked out value as one of the column's type; else why it is none.
fn fitted(value: Value, kind: ColumnType, context: &Context) -> Result<Value, String> {
    Ok(match (kind, value) {
        (_, Value::List(_) | Value::Record(_)) => {
            return Err("a computed column needs a single value. Use one item, or SUM, COUNT or join.".to_owned());
        }
        (ColumnType::Text, value @ Value::Text(_)) => value,
        (_, value) if value.is_blank() => Value::Blank,
        (ColumnType::Text, value) => Value::text(plain(&value, &context.locale).map_err(|fault| fault.to_string())?),
        (ColumnType::Money(currency), Value::Number(amount) | Value::Percent(amount)) => Value::Money(Money { amount, currency }),
        (ColumnType::Money(currency), Value::Money(money)) if money.currency != currency => {
            return Err(format!("the formula returns an amount in {}, but the column is in {currency}", money.currency));
        }
        (ColumnType::Number, Value::Money(Money { amount: number, .. }) | Value::Percent(number)) => Value::Number(number),
        (ColumnType::Percent, Value::Number(number)) => Value::Percent(number),
        (kind, Value::Text(text)) => match kind.read(&Cell::Text(text.clone()), context.reading) {
            Some(value) => value,
            None => return Err(format!("the formula returns “{text}”, which is not {}", kind.expected())),
        },
        (kind, value) => {
            let (given, time) = (value.kind(), matches!(&value, Value::DateTime(moment) if moment.date() == NULL_DATE));
            let fits = match value {
                Value::Number(_) => kind == ColumnType::Number,
                Value::Percent(_) => kind == ColumnType::Percent,
                Value::Money(_) => matches!(kind, ColumnType::Money(_)),
                Value::Date(_) => kind == ColumnType::Date,
                Value::DateTime(_) => kind == if time { ColumnType::Time } else { ColumnType::Date },
                Value::Bool(_) => kind == ColumnType::YesNo,
                _ => false,
            };
            if !fits {
                return Err(format!("the formula returns {given}, not {}", kind.expected()));
            }
            value
        }
    })
}

/// Reads a formula and tells the fields of the record that it reads.
fn read_formula(text: &str, schema: &Schema) -> Result<(Expr, Vec<Folded>), FormulaFault> {
    let expr = value(text)?;
    let names = schema.reads(&expr, UsedAs::Value)?;
    Ok((expr, names))
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::records::from_json;
    use crate::value::Locale;

    fn computed(formulas: &[(&str, &'static str)]) -> (Sheet, Computed) {
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
        let column = |(at, (_, text)): (usize, &(&str, &'static str))| FormulaColumn { column: first + at, text, kind: None };
        let formulas: Vec<FormulaColumn<'_>> = formulas.iter().enumerate().map(column).collect();
        let computed = Computed::new(&formulas, &sheet.schema);
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
        assert!(told(&sheet, "gross")[1].contains("is not a number"), "{:?}", told(&sheet, "gross"));
        assert!(!computed.moves());
    }

    #[test]
    fn the_type_is_the_formulas_and_not_that_of_some_rows() {
        let raw = |cells: &[[&str; 3]]| {
            let rows = cells.iter().map(|row| row.map(|c| Cell::Text(c.into())).to_vec()).collect();
            crate::records::RawSheet { header: ["Ref", "Fee", "Net"].map(str::to_owned).to_vec(), rows, ..Default::default() }
        };
        let filled = |text: &'static str, kind: Option<ColumnType>| {
            let mut sheet =
                Sheet::recognise(&raw(&[["A1", "€10.00", ""], ["A2", "", ""], ["A3", "€7.50", ""], ["A4", "€2", ""]])).expect("a sheet");
            let computed = Computed::new(&[FormulaColumn { column: 2, text, kind }], &sheet.schema);
            computed
                .fill_sheet(&mut sheet, &Context::new(Locale::english(), "2026-11-23T12:00".parse().expect("a moment")))
                .expect("filled");
            (sheet.schema.columns()[2].kind.to_string(), told(&sheet, "net"))
        };
        let money = |told: [&str; 4]| ("money EUR".to_owned(), told.map(str::to_owned).to_vec());
        assert_eq!(filled("fee * 2", None), money(["€20.00", "€0.00", "€15.00", "€4.00"]));
        // An error in one row is that row's.
        let (kind, values) = filled("if(ref = \"A3\"; fee / 0; fee)", None);
        assert_eq!((kind.as_str(), values[0].as_str()), ("money EUR", "€10.00"));
        assert!(values[2].contains("divided by 0") || values[2].contains("by zero"), "{}", values[2]);
        // Blank text is a blank; a plain number is in the column's currency.
        assert_eq!(filled("if(fee > 5; fee; \"\")", None), money(["€10.00", "", "€7.50", ""]));
        assert_eq!(filled("if(fee > 5; fee; 0)", None).1, ["€10.00", "€0.00", "€7.50", "€0.00"]);
        // The type can be chosen; what does not fit it is told.
        assert_eq!(filled("fee * 2", Some(ColumnType::Number)), ("number".to_owned(), ["20", "0", "15", "4"].map(str::to_owned).to_vec()));
        assert_eq!(filled("fee * 2", Some(ColumnType::Text)).1[0], "€20.00");
        assert_eq!(filled("fee * 2", Some(ColumnType::Date)).1[0], "the formula returns an amount, not a valid date");
    }

    #[test]
    fn what_is_wrong_with_a_formula_is_told_in_its_column() {
        let (sheet, computed) = computed(&[("a", "b + 1"), ("b", "a + 1"), ("c", "nett * 2"), ("d", "net *"), ("e", "lines")]);
        assert_eq!(told(&sheet, "a")[0], "circular reference: a needs b needs a. Change one of these formulas.");
        assert_eq!(told(&sheet, "c")[0], "no column “nett”; did you mean “Net”?");
        let first = sheet.schema.columns().len() - 5;
        assert!(matches!(computed.fault(first + 3), Some(FormulaFault::Syntax(_))));
        assert!(told(&sheet, "e")[0].starts_with("a computed column needs a single value"));
    }
}
