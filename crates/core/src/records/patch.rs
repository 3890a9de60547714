//! A sheet that is in use takes over rows that were written, added, deleted or moved,
//! without being read anew.

use std::collections::HashMap;

use super::{Cell, Computed, Record, Sheet};
use crate::language::Context;
use crate::value::Value;

impl Sheet {
    /// Takes over rows whose cells changed, given by column, and the order in which all
    /// rows stand now; what relations add to a row stays. False where a row is not known
    /// and the sheet must be read anew.
    pub fn patch(&mut self, changed: &[(usize, Vec<Cell>)], order: &[usize], computed: &Computed, context: &Context) -> bool {
        let changed: HashMap<usize, &[Cell]> = changed.iter().map(|(number, cells)| (*number, cells.as_slice())).collect();
        let mut kept: HashMap<usize, Record> = std::mem::take(&mut self.records).into_iter().map(|r| (r.number, r)).collect();
        self.records.reserve(order.len());
        for number in order {
            let before = kept.remove(number);
            let record = match (changed.get(number), before) {
                (Some(cells), before) => {
                    let old = |at: usize| before.as_ref().and_then(|b| b.values().get(at).cloned()).unwrap_or(Value::Blank);
                    let columns = self.schema.columns().iter().enumerate();
                    let values = columns.map(|(at, column)| cells.get(at).map_or_else(|| old(at), |c| column.value(c, context.reading)));
                    let mut record = Record::new(self.schema.clone(), values.collect(), *number);
                    computed.fill(&mut record, context);
                    record
                }
                (None, Some(before)) => before,
                (None, None) => return false,
            };
            self.records.push(record);
        }
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::records::{FormulaColumn, RawSheet, shown};
    use crate::value::Locale;

    #[test]
    fn a_written_cell_is_taken_over_with_what_is_computed_of_it() {
        let row = |cells: [&str; 3]| cells.iter().map(|c| Cell::Text((*c).into())).collect::<Vec<_>>();
        let header = ["Boat", "Fee", "Twice"].map(str::to_owned).to_vec();
        let rows = vec![row(["Grace", "10", ""]), row(["Tern", "20", ""])];
        let mut sheet = Sheet::recognise(&RawSheet { name: "Boats".into(), header, rows, ..RawSheet::default() }).expect("a sheet");
        let context = Context::new(Locale::english(), "2026-11-23T12:00".parse().expect("a moment"));
        let computed = Computed::new(&[FormulaColumn { column: 2, text: "fee * 2", kind: None }], &sheet.schema);
        computed.fill_sheet(&mut sheet, &context).expect("types");
        let told = |sheet: &Sheet| -> Vec<String> {
            sheet.records.iter().map(|r| r.values().iter().map(shown).collect::<Vec<_>>().join(" ")).collect()
        };
        assert!(sheet.patch(&[(2, row(["Old Tern", "21.5", ""]))], &[1, 2], &computed, &context));
        assert_eq!(told(&sheet), ["Grace 10 20", "Old Tern 21.5 43"]);
        // One is added and moved to the top, one is gone.
        assert!(sheet.patch(&[(3, row(["Petrel", "1", ""]))], &[3, 1], &computed, &context));
        assert_eq!(told(&sheet), ["Petrel 1 2", "Grace 10 20"]);
        assert_eq!(sheet.record(3).map(|r| r.number), Some(3));
        // A row that is not known wants a new reading.
        assert!(!sheet.patch(&[], &[3, 1, 9], &computed, &context));
    }
}
