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
    use crate::dispatch::{Plan, Setup};
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
            Ok("3: Aurélie Old Tern Zeebries")
        );
        assert_eq!(filled("[: sum(records.fee) as number \"0.00\"]").as_deref(), Ok("2000.50"));
        let grouped = "[:repeat for records group by pontoon][: pontoon] [: count(group)] [: records else \"-\"];[:end]";
        assert_eq!(filled(grouped).as_deref(), Ok("B 2 two folders;A 1 -;"));
        assert_eq!(filled("[:repeat for records where fee = 0][: count(outer.records)][:end]").as_deref(), Ok("3"));
        let outside = filled("[: name]").expect_err("no record");
        assert!(outside.contains("name"), "{outside}");
    }

    #[test]
    fn each_record_of_a_joint_document_prints_in_its_own_locale() {
        let json = serde_json::json!([
            { "name": "Zeebries", "language": "nl-NL", "fee": 1200.5, "paid": "2026-10-01", "dues": [{ "language": "de-DE", "due": 1000.5 }] },
            { "name": "Old Tern", "language": " ", "fee": 1800, "paid": null, "dues": [] },
            { "name": "Grete", "language": "de-DE", "fee": 2000.25, "paid": "2026-03-02", "dues": [] },
            { "name": "Petrel", "language": "no tag!", "fee": 2500, "paid": null, "dues": [] },
        ]);
        let sheet = from_json("boats", &json).expect("records");
        let all: Vec<&Record> = sheet.records.iter().collect();
        let setup = Setup { joint: true, locale_column: "Language".into(), ..Setup::default() };
        let plan = Plan::new(&setup);
        let filled = |template: &str, asked: bool| {
            let record = joint_record(joint_schema(&sheet.schema), &all);
            let mut run = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 0, 0, 0));
            if asked {
                run.noticed.ask();
            }
            let context = plan.context(&run, &record, 1, 1);
            let text = TextTemplate::new(template).fill(&Scope::new(&record, &plan.ties, &context)).map_err(|e| e.to_string());
            (text, context.noticed.blank_date())
        };
        let each = "[: sum(records.fee) as number \"#,##0.00\"]:[:repeat for records] [: fee as number \"#,##0.00\"][:end]";
        assert_eq!(filled(each, false).0.as_deref(), Ok("7,500.75: 1.200,50 1,800.00 2.000,25 2,500.00"));
        // A list within a record prints in its record's, whatever its own columns are called.
        let nested = "[:repeat for records first 1][:repeat for dues][: language] [: text(due; \"#,##0.00\")] [: paid as date \"d MMMM\"][:end][:end]";
        assert_eq!(filled(nested, false).0.as_deref(), Ok("de-DE 1.000,50 1 oktober"));
        // What is behind the repeat is the dispatch's again, and so is a list that is printed as one.
        let behind = "[:repeat for records where name = \"Grete\"][: paid as date \"MMMM\"][:end] [: max(records.paid) as date \"MMMM\"]";
        assert_eq!(filled(behind, false).0.as_deref(), Ok("März October"));
        // What a turn notices is noticed of the document.
        let blank = "[:repeat for records][: year(paid) else \"-\"][:end]";
        assert_eq!((filled(blank, true).1, filled(each, true).1), (true, false));
    }
}
