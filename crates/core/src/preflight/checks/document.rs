//! Every placeholder of the document can be filled.

use crate::preflight::{Check, Checking, of_fill};

/// The check.
pub struct Document;

impl Check for Document {
    fn record(&self, at: &mut Checking<'_>) {
        for error in std::mem::take(&mut at.document) {
            // In a joint document the record at fault is that of the turn.
            let row = error.turn_of.filter(|_| at.plan.joint).map_or(at.row(), |row| row as usize);
            at.findings.push(of_fill(row, &error));
        }
    }
}
