//! What working out a record noticed without failing. Preflight asks for it; a
//! run does not, and then nothing is kept.

use std::collections::BTreeSet;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

use rust_decimal::Decimal;

/// What was noticed in one record. A clone notices for itself.
#[derive(Debug, Default)]
pub struct Noticed {
    asked: bool,
    notes: Arc<Notes>,
}

#[derive(Debug, Default)]
struct Notes {
    blank_date: AtomicBool,
    blank_numbers: Mutex<BTreeSet<String>>,
    uneven: Mutex<Vec<Uneven>>,
    close: Mutex<Vec<(String, String)>>,
}

impl Clone for Noticed {
    fn clone(&self) -> Self {
        Noticed { asked: self.asked, ..Noticed::default() }
    }
}

/// Printed lines that don't add up to the sum printed beside them: the sum is
/// that of the values, the lines were rounded one by one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Uneven {
    /// The placeholder of the sum.
    pub sum: String,
    /// The placeholder of the lines.
    pub lines: String,
    /// What the sum printed.
    pub printed: Decimal,
    /// What the printed lines add up to.
    pub added: Decimal,
}

impl Noticed {
    /// Notices from now on.
    pub fn ask(&mut self) {
        self.asked = true;
    }

    /// What notices for the same record.
    pub(super) fn shared(&self) -> Noticed {
        Noticed { asked: self.asked, notes: self.notes.clone() }
    }

    /// Whether anyone asks.
    pub fn asked(&self) -> bool {
        self.asked
    }

    /// Whether a blank stood where a date was needed.
    pub fn blank_date(&self) -> bool {
        self.notes.blank_date.load(Ordering::Relaxed)
    }

    /// The blank fields that were calculated with.
    pub fn blank_numbers(&self) -> BTreeSet<String> {
        self.notes.blank_numbers.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// The placeholders of amounts that differ by a few cents.
    pub fn close(&self) -> Vec<(String, String)> {
        self.notes.close.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// The sums that their printed lines don't add up to.
    pub fn uneven(&self) -> Vec<Uneven> {
        self.notes.uneven.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    pub(crate) fn note_blank_date(&self) {
        if self.asked {
            self.notes.blank_date.store(true, Ordering::Relaxed);
        }
    }

    pub(crate) fn note_blank_number(&self, field: &str) {
        if self.asked {
            self.notes.blank_numbers.lock().unwrap_or_else(PoisonError::into_inner).insert(field.to_owned());
        }
    }

    pub(crate) fn note_close(&self, found: Vec<(String, String)>) {
        self.notes.close.lock().unwrap_or_else(PoisonError::into_inner).extend(found);
    }

    pub(crate) fn note_uneven(&self, found: Vec<Uneven>) {
        self.notes.uneven.lock().unwrap_or_else(PoisonError::into_inner).extend(found);
    }
}
