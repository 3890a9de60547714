//! The journal of deliveries: a line for each that begins, on disk before the step that can't be
//! called back. The store says the same; but a folder that is copied without the last pages of
//! the store's log, or restored from such a copy, would forget what it had sent, and send it
//! again. What the journal knows and the store does not is in doubt.

use std::collections::HashMap;
use std::fs::{File, OpenOptions};
use std::io::{BufRead, BufReader, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use anyhow::{Context, Result};
use serde::{Deserialize, Serialize};

/// A delivery that has begun.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Entry {
    /// What tells it from every other.
    pub key: String,
    /// How often it has begun in all.
    pub begun: i64,
    /// What is needed to find out what became of it.
    pub target: String,
}

/// The journal of a folder.
#[derive(Debug)]
pub struct Journal {
    path: PathBuf,
    file: Mutex<File>,
    /// What earlier programs wrote and nobody has compared with the store yet, by its key.
    before: Mutex<HashMap<String, Entry>>,
}

impl Journal {
    /// Opens the journal of a folder. A last line that was not written whole had not begun.
    pub fn open(folder: &Path) -> Result<Journal> {
        let path = folder.join("deliveries.journal");
        let file = OpenOptions::new().create(true).append(true).read(true).open(&path);
        let file = file.with_context(|| format!("can't open {}", path.display()))?;
        let mut before: HashMap<String, Entry> = HashMap::new();
        for line in BufReader::new(&file).lines() {
            let Ok(entry) = serde_json::from_str::<Entry>(&line?) else { continue };
            let last = before.entry(entry.key.clone()).or_insert_with(|| entry.clone());
            if entry.begun >= last.begun {
                *last = entry;
            }
        }
        Ok(Journal { path, file: Mutex::new(file), before: Mutex::new(before) })
    }

    /// Writes down that a delivery begins; it is on disk when this returns.
    pub fn note(&self, entry: &Entry) -> Result<()> {
        let mut line = serde_json::to_vec(entry)?;
        line.push(b'\n');
        let mut file = self.file.lock().unwrap_or_else(PoisonError::into_inner);
        file.write_all(&line).and_then(|()| file.sync_data()).with_context(|| format!("{} can't be written", self.path.display()))
    }

    /// What earlier programs wrote.
    pub fn before(&self) -> Vec<Entry> {
        self.before.lock().unwrap_or_else(PoisonError::into_inner).values().cloned().collect()
    }

    /// What an earlier program wrote of a delivery that the store does not know to have begun so
    /// often; once.
    pub fn forgotten(&self, key: &str, begun: i64) -> Option<Entry> {
        self.before.lock().unwrap_or_else(PoisonError::into_inner).remove(key).filter(|entry| entry.begun > begun)
    }

    /// Begins the journal anew with what is still to be compared: all else is in the store, and
    /// its log is written into it.
    pub fn shorten(&self) -> Result<()> {
        let file = self.file.lock().unwrap_or_else(PoisonError::into_inner);
        let new = self.path.with_extension("new");
        let mut kept = Vec::new();
        for entry in self.before() {
            serde_json::to_writer(&mut kept, &entry)?;
            kept.push(b'\n');
        }
        std::fs::write(&new, kept)
            .and_then(|()| File::open(&new)?.sync_all())
            .with_context(|| format!("{} can't be written", new.display()))?;
        drop(file);
        std::fs::rename(&new, &self.path).with_context(|| format!("{} can't be replaced", self.path.display()))?;
        let file = OpenOptions::new().append(true).open(&self.path)?;
        *self.file.lock().unwrap_or_else(PoisonError::into_inner) = file;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_noted_is_known_after_any_end_of_the_program() {
        let folder = tempfile::tempdir().expect("a folder");
        let entry = |key: &str, begun| Entry { key: key.into(), begun, target: "there".into() };
        let journal = Journal::open(folder.path()).expect("opens");
        assert!(journal.before().is_empty());
        for one in [entry("a", 1), entry("b", 1), entry("a", 2)] {
            journal.note(&one).expect("noted");
        }
        assert_eq!(journal.forgotten("a", 0), None, "what this program wrote is in its store");
        // The program ends in the middle of a line.
        let path = folder.path().join("deliveries.journal");
        let mut half = OpenOptions::new().append(true).open(&path).expect("there");
        half.write_all(b"{\"key\":\"c\",\"beg").expect("written");
        let journal = Journal::open(folder.path()).expect("opens");
        assert_eq!(journal.before().len(), 2);
        assert_eq!(journal.forgotten("a", 1), Some(entry("a", 2)));
        assert_eq!(journal.forgotten("a", 1), None, "once");
        journal.shorten().expect("shortened");
        journal.note(&entry("d", 1)).expect("noted");
        let journal = Journal::open(folder.path()).expect("opens");
        assert_eq!(journal.forgotten("b", 1), None, "the store knows of it");
        assert_eq!(journal.forgotten("d", 0), Some(entry("d", 1)));
        assert!(journal.before().is_empty());
    }
}
