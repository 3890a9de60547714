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
    #[error(transparent)]
    Syntax(#[from] SyntaxError),
    /// It names a column that the sheet has not.
    #[error(transparent)]
    UnknownColumn(#[from] UnknownColumn),
}

impl Filter {
    /// Reads a filter for records of a schema.
    pub fn read(text: &str, schema: &Schema) -> Result<Filter, FilterFault> {
        let expr = condition(text)?;
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
