//! What can't be repeated as it is: numbers and names that must differ, lists
//! that begin anew, joined cells, tables that lose their last row.

use std::ops::Range;

use super::Filler;
use crate::language::Scope;
use crate::template::dialect::Identity;

impl Filler<'_> {
    /// Writes the relation to a header or footer, one of the turn's own where it
    /// prints what the turn holds.
    pub(super) fn beside(&mut self, range: &Range<usize>, scope: &Scope<'_>) {
        let original = String::from_utf8_lossy(&self.program.bytes[range.clone()]).into_owned();
        let relation = match self.draw.beside(&original, scope) {
            Ok(own) => own.unwrap_or(original),
            Err(errors) => {
                self.errors.extend(errors);
                original
            }
        };
        self.out.extend_from_slice(relation.as_bytes());
    }

    pub(super) fn identity(&mut self, identity: Identity, range: &Range<usize>) {
        if identity == Identity::Beside {
            let own = if self.frames.is_empty() { self.section.clone() } else { Some(self.scope.clone()) };
            return match own {
                Some(scope) => self.beside(range, &scope),
                None => self.out.extend_from_slice(&self.program.bytes[range.clone()]),
            };
        }
        let original = String::from_utf8_lossy(&self.program.bytes[range.clone()]).into_owned();
        let times = self.written.entry(range.start).or_insert(0);
        *times += 1;
        let first = *times == 1;
        let value = match identity {
            Identity::List | Identity::Beside => original,
            Identity::Anchor => match self.names.get(&original) {
                Some(times) if *times > 1 => format!("{original}_{times}"),
                _ => original,
            },
            // The end of a bookmark has the number of its start.
            Identity::Bookmark => {
                let number = match first {
                    true => original.parse().unwrap_or(0),
                    false => match self.numbers.get(&original).copied().filter(|_| !self.bookmarks.contains_key(range)) {
                        Some(current) => current,
                        None => self.next_free(),
                    },
                };
                if first && !self.numbers.contains_key(&original) || self.bookmarks.contains_key(range) {
                    // The site that comes first in a turn is the start.
                    self.bookmarks.insert(range.clone(), number);
                    self.numbers.insert(original, number);
                }
                number.to_string()
            }
            Identity::BookmarkName => {
                let times = self.names.entry(original.clone()).or_insert(0);
                *times += 1;
                if *times > 1 { format!("{original}_{times}") } else { original }
            }
            _ if first => original,
            Identity::Drawing => self.next_free().to_string(),
            Identity::Paragraph => format!("{:08X}", 0x4D00_0000 + (self.next_free() & 0xFF_FFFF)),
        };
        self.out.extend_from_slice(value.as_bytes());
    }

    fn next_free(&mut self) -> u32 {
        self.free += 1;
        self.free - 1
    }

    /// A list that begins anew in each turn of a block: in the first it is itself.
    pub(super) fn list(&mut self, range: &Range<usize>, block: usize) {
        let original = String::from_utf8_lossy(&self.program.bytes[range.clone()]).into_owned();
        let serial = self.frames.iter().find(|f| f.block == block).map_or(0, |f| f.serial);
        let known = self.lists.get(&(original.clone(), serial)).cloned();
        let number = known.unwrap_or_else(|| {
            let fresh = !self.lists.keys().any(|(list, _)| *list == original);
            let number = if fresh { original.clone() } else { self.draw.list_anew(&original) };
            self.lists.insert((original, serial), number.clone());
            number
        });
        self.out.extend_from_slice(number.as_bytes());
    }

    /// Joined cells stay joined when rows go or are repeated: where the row that
    /// began them is gone, the next begins them; where it is repeated and they go
    /// on below, they are one.
    pub(super) fn merge(&mut self, column: usize, starts: bool, goes_on: bool) {
        let again = goes_on && self.frames.last().is_some_and(|f| f.at > 0);
        let Some(table) = self.tables.last_mut() else { return };
        let row = table.rows + 1;
        let above = table.joined.insert(column, row) == Some(row - 1) && row > 1;
        let writes = &self.program.writes.merge;
        let starts = if above { starts && !again } else { true };
        self.out.extend_from_slice(writes[usize::from(!starts)].as_bytes());
    }

    pub(super) fn end_table(&mut self) {
        let Some(table) = self.tables.pop() else { return };
        if table.rows == 0 {
            self.cut(table.start);
            if let Some(trace) = &mut self.trace
                && let Some(last) = trace.last_mut()
            {
                last.note = Some("its table went with its last row");
            }
        }
    }
}
