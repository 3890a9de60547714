//! Filters: a condition in the placeholder language over the records of a sheet.

use crate::language::syntax::Expr;
use crate::language::{Context, EvalError, Scope, SyntaxError, Ties, UsedAs, condition};
use crate::records::{Record, Schema};

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
    #[error("no column is called “{name}”{}", nearest.as_ref().map(|n| format!("; did you mean “{n}”?")).unwrap_or_default())]
    UnknownColumn {
        /// As written.
        name: String,
        /// The nearest column.
        nearest: Option<String>,
    },
}

impl Filter {
    /// Reads a filter for records of a schema.
    pub fn read(text: &str, schema: &Schema) -> Result<Filter, FilterFault> {
        let expr = condition(text)?;
        let mut unknown = None;
        expr.uses(UsedAs::YesNo, &mut Vec::new(), &mut |used, within| {
            let name = used.name;
            if within.is_empty() && unknown.is_none() && schema.index(&name.folded).is_none() && !name.is_built_in() {
                unknown = Some(name.text.clone());
            }
        });
        match unknown {
            None => Ok(Filter { expr }),
            Some(name) => {
                let nearest = crate::language::nearest(&name, schema.columns().iter().map(|c| c.name.as_str()));
                Err(FilterFault::UnknownColumn { name, nearest })
            }
        }
    }

    /// Whether a record passes. A record on which the condition can't be worked
    /// out gives the error, for the preflight to tell.
    pub fn passes(&self, record: &Record, context: &Context) -> Result<bool, EvalError> {
        let ties = Ties::default();
        Scope::new(record, &ties, context).holds(&self.expr)
    }
}
