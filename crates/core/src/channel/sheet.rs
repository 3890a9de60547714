//! The sheet channel: what became of a record stands in columns of the record's own row, for
//! those who work from the sheet alone. It comes last: the other channels have delivered, or not.

use serde::{Deserialize, Serialize};

use super::{ChannelPlan, Fault, Made, Parcel, Settings, Shown, World, fill};
use crate::diagnostic::Diagnostic;
use crate::language::{Folded, Scope};
use crate::template::TextTemplate;

/// The settings of the sheet channel. Columns that the sheet does not have are added.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct SheetChannel {
    /// The column of the state: Delivered, Failed …; blank for none.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub state: String,
    /// The column of the date and time; blank for none.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub time: String,
    /// Other columns.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub values: Vec<ColumnValue>,
}

/// What is written into a column.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ColumnValue {
    /// The column.
    pub column: String,
    /// The text, with placeholders.
    pub value: String,
}

/// The most columns that are written.
const MOST_COLUMNS: usize = 20;

impl SheetChannel {
    /// The columns that are written.
    pub fn columns(&self) -> impl Iterator<Item = &str> {
        let own = [self.state.trim(), self.time.trim()].into_iter().filter(|column| !column.is_empty());
        own.chain(self.values.iter().map(|one| one.column.trim()))
    }
}

impl Settings for SheetChannel {
    fn compile(&self) -> Box<dyn ChannelPlan> {
        let values = self.values.iter().map(|one| (one.column.trim().to_owned(), TextTemplate::new(&one.value))).collect();
        Box::new(SheetPlan { settings: self.clone(), values })
    }
}

#[derive(Debug)]
struct SheetPlan {
    settings: SheetChannel,
    values: Vec<(String, TextTemplate)>,
}

/// What is written for a record.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SheetPayload {
    /// The column of the state; none where it is not written.
    pub state: Option<String>,
    /// The column of the date and time; none where it is not written.
    pub time: Option<String>,
    /// The other columns with their texts.
    pub values: Vec<(String, String)>,
}

impl ChannelPlan for SheetPlan {
    fn texts(&self) -> Vec<(&'static str, &TextTemplate)> {
        self.values.iter().map(|(_, text)| ("values", text)).collect()
    }

    fn faults(&self) -> Vec<Fault> {
        let mut faults = Vec::new();
        let names: Vec<Folded> = self.settings.columns().map(Folded::new).collect();
        if names.is_empty() {
            faults.push(Fault::value("no-columns", "state", "no column to write into. Name one, or remove the channel."));
        }
        if names.iter().any(|name| name.as_str().is_empty()) {
            faults.push(Fault::value("no-name", "values", "a value has no column. Enter one, or remove the value."));
        }
        if let Some(at) = (1..names.len()).find(|at| names[..*at].contains(&names[*at]) && !names[*at].as_str().is_empty()) {
            let twice = self.settings.columns().nth(at).unwrap_or_default();
            faults.push(Fault::value("same-name", "values", format!("the column “{twice}” is written twice. Choose another.")));
        }
        if names.len() > MOST_COLUMNS {
            faults.push(Fault::value("too-many", "values", format!("at most {MOST_COLUMNS} columns")));
        }
        faults
    }

    fn obstacles(&self, _world: &World<'_>) -> Vec<Diagnostic> {
        Vec::new()
    }

    fn render(&self, scope: &Scope<'_>, _made: &Made<'_>) -> Result<Parcel, Fault> {
        let named = |column: &str| Some(column.trim()).filter(|column| !column.is_empty()).map(str::to_owned);
        let mut payload = SheetPayload { state: named(&self.settings.state), time: named(&self.settings.time), values: Vec::new() };
        for (column, text) in &self.values {
            payload.values.push((column.clone(), fill("values", text, scope)?));
        }
        let mut shown = Vec::new();
        shown.extend(payload.state.iter().map(|column| Shown::new(column, "Delivered, or what else becomes of it")));
        shown.extend(payload.time.iter().map(|column| Shown::new(column, "the date and time")));
        shown.extend(payload.values.iter().map(|(column, text)| Shown::new(column, text.clone())));
        let to = self.settings.columns().collect::<Vec<_>>().join(", ");
        Ok(Parcel { to, shown, payload: serde_json::to_value(&payload).unwrap_or_default(), ..Parcel::default() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::channel::{Channel, ChannelSetup, Compiled};

    #[test]
    fn columns_are_named_and_written_once() {
        let value = |column: &str| ColumnValue { column: column.into(), value: "x".into() };
        let problems = |state: &str, columns: &[&str]| {
            let settings =
                SheetChannel { state: state.into(), time: String::new(), values: columns.iter().map(|column| value(column)).collect() };
            let compiled = Compiled::of(0, &ChannelSetup::new(Channel::Sheet(settings))).expect("it is on");
            compiled.problems.iter().map(|problem| problem.code.to_string()).collect::<Vec<_>>()
        };
        assert_eq!(problems("Sent", &["Quote number"]), [""; 0]);
        assert_eq!(problems(" ", &[]), ["no-columns"]);
        assert_eq!(problems("Sent", &[" "]), ["no-name"]);
        assert_eq!(problems("Sent on", &["sent_on"]), ["same-name"], "as sheets compare names");
    }
}
