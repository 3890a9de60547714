//! One document for the whole run: a list of berths, an inventory, a register.
//!
//! Its record has a single field, `records`, the list of all that are chosen; so
//! `[:repeat for records]` is a repeat like any other, a field called *records* of a
//! record hides the list within its turn, and a name outside of the repeat is unknown.

use std::sync::Arc;

use crate::records::{Column, ColumnType, Record, Schema};
use crate::value::Value;

/// What a joint document calls all records of its run.
pub const RECORDS: &str = "records";

/// The columns of a joint document's record, over records of a schema.
pub fn joint_schema(records: &Arc<Schema>) -> Arc<Schema> {
    let column = Column { inner: Some(records.clone()), ..Column::new(RECORDS, ColumnType::List) };
    // One column can't share its name with another.
    Arc::new(Schema::new(vec![column]).unwrap_or_default())
}

/// The record of a joint document. Its number is 0, which no row has.
pub fn joint_record(schema: Arc<Schema>, records: &[&Record]) -> Record {
    let list = records.iter().map(|record| Value::Record(Arc::new((*record).clone()))).collect();
    Record::new(schema, vec![Value::List(list)], 0)
}

#[cfg(test)]
mod tests {
    use jiff::civil::DateTime;

    use super::*;
    use crate::language::{Context, Scope, Ties};
    use crate::records::from_json;
    use crate::template::TextTemplate;
    use crate::value::Locale;

    fn filled(template: &str) -> Result<String, String> {
        let json = serde_json::json!([
            { "name": "Zeebries", "pontoon": "B", "fee": 1200.5, "records": "two folders" },
            { "name": "Aurélie", "pontoon": "A", "fee": 800 },
            { "name": "Old Tern", "pontoon": "B", "fee": 0 },
        ]);
        let sheet = from_json("boats", &json).expect("records");
        let all: Vec<&Record> = sheet.records.iter().collect();
        let record = joint_record(joint_schema(&sheet.schema), &all);
        let (ties, context) = (Ties::default(), Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 0, 0, 0)));
        TextTemplate::new(template).fill(&Scope::new(&record, &ties, &context)).map_err(|e| e.to_string())
    }

    #[test]
    fn one_document_serves_all_records_of_a_run() {
        assert_eq!(
            filled("[: count(records)]: [:repeat for records sort by name][: name] [:end]").as_deref(),
            Ok("3: Aurélie Old Tern Zeebries ")
        );
        assert_eq!(filled("[: sum(records.fee) as number \"0.00\"]").as_deref(), Ok("2000.50"));
        let grouped = "[:repeat for records group by pontoon][: pontoon] [: count(group)] [: records else \"-\"];[:end]";
        assert_eq!(filled(grouped).as_deref(), Ok("B 2 two folders;A 1 -;"));
        assert_eq!(filled("[:repeat for records where fee = 0][: count(outer.records)][:end]").as_deref(), Ok("3"));
        let outside = filled("[: name]").expect_err("no record");
        assert!(outside.contains("name"), "{outside}");
    }
}
