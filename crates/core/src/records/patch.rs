//! A sheet that is in use takes over what was written into some of its cells,
//! without being read anew.

use super::{Cell, Computed, Record, Sheet};
use crate::language::Context;
use crate::value::Value;

impl Sheet {
    /// Takes over rows whose cells changed, given by column; what relations add to
    /// them stays. False where a computed column is of another type now: then the sheet
    /// must be read anew.
    pub fn patch(&mut self, rows: &[(usize, Vec<Cell>)], computed: &Computed, context: &Context) -> bool {
        for (number, cells) in rows {
            let Some(at) = self.place(*number) else { return false };
            let before = &self.records[at];
            let read = self.schema.columns().iter().zip(before.values()).enumerate();
            let values: Vec<Value> = read
                .map(|(at, (column, old))| cells.get(at).map_or_else(|| old.clone(), |cell| column.value(cell, context.reading)))
                .collect();
            let mut record = Record::new(self.schema.clone(), values, *number);
            computed.fill(&mut record, context);
            self.records[at] = record;
        }
        computed.types_hold(self)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::records::{RawSheet, shown};
    use crate::value::Locale;

    #[test]
    fn a_written_cell_is_taken_over_with_what_is_computed_of_it() {
        let row = |cells: [&str; 3]| cells.iter().map(|c| Cell::Text((*c).into())).collect::<Vec<_>>();
        let header = ["Boat", "Fee", "Twice"].map(str::to_owned).to_vec();
        let rows = vec![row(["Grace", "10", ""]), row(["Tern", "20", ""])];
        let mut sheet = Sheet::recognise(&RawSheet { name: "Boats".into(), header, rows, ..RawSheet::default() }).expect("a sheet");
        let context = Context::new(Locale::english(), "2026-11-23T12:00".parse().expect("a moment"));
        let computed = Computed::new(&[(2, "fee * 2")], &sheet.schema);
        computed.fill_sheet(&mut sheet, &context).expect("types");
        assert!(sheet.patch(&[(2, row(["Old Tern", "21.5", ""]))], &computed, &context));
        let told: Vec<String> = sheet.records.iter().map(|r| r.values().iter().map(shown).collect::<Vec<_>>().join(" ")).collect();
        assert_eq!(told, ["Grace 10.00 20.00", "Old Tern 21.50 43.00"]);
        // A row that is not there, and a formula that gives texts now, want a new reading.
        assert!(!sheet.patch(&[(9, Vec::new())], &computed, &context));
        let text = Computed::new(&[(2, "boat & \"!\"")], &sheet.schema);
        assert!(!sheet.patch(&[(1, row(["Grace", "10", ""]))], &text, &context));
    }
}
