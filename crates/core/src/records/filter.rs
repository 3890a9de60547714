//! Filters: a condition in the placeholder language over the records of a sheet.

use crate::language::syntax::Expr;
use crate::language::{Context, EvalError, Scope, SyntaxError, Ties, UsedAs, condition};
use crate::records::{Record, Schema, UnknownColumn};

/// A condition that chooses records.
#[derive(Debug, Clone)]
pub struct Filter {
    expr: Expr,
}

/// Why a filter can't be used.
#[derive(Debug, thiserror::Error)]
pub enum FilterFault {
    /// It can't be read.
    #[error("{error}{}", meant.as_ref().map(|m| format!("; did you mean the column {m}?")).unwrap_or_default())]
    Syntax {
        /// What is wrong.
        error: SyntaxError,
        /// The column that may be meant, as it is written.
        meant: Option<String>,
    },
    /// It names a column that the sheet has not.
    #[error(transparent)]
    UnknownColumn(#[from] UnknownColumn),
}

impl Filter {
    /// Reads a filter for records of a schema.
    pub fn read(text: &str, schema: &Schema) -> Result<Filter, FilterFault> {
        let expr = condition(text).map_err(|error| FilterFault::Syntax { meant: schema.meant(text, &error), error })?;
        schema.reads(&expr, UsedAs::YesNo)?;
        Ok(Filter { expr })
    }

    /// Whether a record passes. A record on which the condition can't be worked
    /// out gives the error, for the preflight to tell.
    pub fn passes(&self, record: &Record, context: &Context) -> Result<bool, EvalError> {
        let ties = Ties::default();
        Scope::new(record, &ties, context).holds(&self.expr)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::records::{Column, ColumnType};

    #[test]
    fn columns_with_odd_names_are_offered_as_they_are_typed() {
        let schema =
            Schema::new(["Balance (£)", "Newsletter?", "Ref"].map(|n| Column::new(n, ColumnType::Number)).to_vec()).expect("names");
        let said = |text: &str| Filter::read(text, &schema).map(|_| String::new()).unwrap_or_else(|fault| fault.to_string());
        assert_eq!(said("balance > 0"), "no column “balance”; did you mean 'Balance (£)'?");
        assert!(said("Balance (£) > 0").ends_with("did you mean the column 'Balance (£)'?"), "{}", said("Balance (£) > 0"));
        assert!(said("newsletter? and ref > 1").ends_with("did you mean the column 'Newsletter?'?"), "{}", said("newsletter? and ref > 1"));
        assert_eq!(said("'Balance (£)' > 0 and 'newsletter?' > 0"), "");
    }
}
