//! The placeholders of all paragraphs, read.

use std::collections::HashSet;
use std::ops::Range;

use super::reach::DEEPEST;
use super::{Compiler, Standing, shown};
use crate::language::syntax::{Kind, Name};
use crate::language::{self, Folded, Span};
use crate::template::scan::{Found, scan};
use crate::template::{NameUse, Placeholder};

impl Compiler<'_> {
    pub(super) fn read(&mut self) {
        for index in 0..self.gathered.paragraphs.len() {
            let first = self.standing.len();
            let text = &self.gathered.paragraphs[index].text;
            for found in scan(text) {
                match found {
                    Found::Escaped(range) => self.escapes.entry(index).or_default().push(range),
                    Found::Unclosed(range) => {
                        let piece = text[range.clone()].trim_end().to_owned();
                        let span = Span { start: 0, end: piece.len().saturating_sub(2) };
                        let message = format!("“{}” is not closed. Add “]”.", shown(&piece));
                        self.problem(index, piece.clone(), span, "never-closed", message);
                        let own = range.start..range.start + piece.len();
                        self.stand(index, own, None, None, piece);
                    }
                    Found::Placeholder(range) => {
                        let inner = text[range.start + 2..range.end - 1].to_owned();
                        self.read_one(index, range, None, inner);
                    }
                }
            }
            self.read_descriptions(index);
            if self.standing.len() > first {
                self.of_paragraph.insert(index, first..self.standing.len());
            }
        }
        for paragraph in 0..self.gathered.paragraphs.len() {
            if self.is_silent(paragraph) {
                self.silent.insert(paragraph);
            }
        }
        self.taken = self.taken();
        self.find_names();
    }

    /// Pictures whose description is a placeholder are replaced.
    fn read_descriptions(&mut self, paragraph: usize) {
        let own: Vec<(usize, String)> =
            self.gathered.described.iter().filter(|(p, _, _)| *p == paragraph).map(|(_, node, text)| (*node, text.clone())).collect();
        for (node, text) in own {
            let Some(Found::Placeholder(range)) = scan(&text).into_iter().next() else { continue };
            let at = self.gathered.paragraphs[paragraph].objects.iter().find(|(n, _)| *n == node).map_or(0, |(_, at)| *at);
            let before = self.standing.len();
            self.read_one(paragraph, at..at, Some(node), text[range.start + 2..range.end - 1].to_owned());
            if !matches!(self.standing[before].kind, Some(Kind::Picture(..) | Kind::Barcode(_)) | None) {
                let message = "alternative text can only contain picture or barcode placeholders. Move this into the text.";
                self.problem_at(before, "not-a-picture", message);
                self.standing[before].kind = None;
            }
        }
    }

    fn read_one(&mut self, paragraph: usize, range: Range<usize>, object: Option<usize>, text: String) {
        let (kind, errors) = language::kind_with_errors(&text);
        for error in errors {
            let message = error.fault.to_string();
            self.problem(paragraph, format!("[:{text}]"), error.span, error.fault.code(), message);
        }
        self.stand(paragraph, range, object, kind, format!("[:{text}]"));
    }

    /// Notes where a placeholder stands, though it can't be read: the page marks it.
    fn stand(&mut self, paragraph: usize, range: Range<usize>, object: Option<usize>, kind: Option<Kind>, written: String) {
        let own = &self.gathered.paragraphs[paragraph];
        let text = written.strip_prefix("[:").map_or("", |t| t.strip_suffix(']').unwrap_or(t)).to_owned();
        let opens = text.starts_with("repeat for") || text.starts_with("if ");
        self.placeholders.push(Placeholder {
            text: written,
            place: own.place,
            line: shown(&own.text),
            names: Vec::new(),
            again: own.again,
        });
        self.standing.push(Standing { paragraph, range, object, kind, text, opens });
    }

    /// Whether a paragraph holds kinds that print nothing, and nothing else.
    fn is_silent(&self, paragraph: usize) -> bool {
        let own = &self.gathered.paragraphs[paragraph];
        let mut at = 0;
        let mut any = false;
        for (_, standing) in self.standing_in(paragraph) {
            if standing.kind.as_ref().is_none_or(Kind::prints) || !own.text[at..standing.range.start].trim().is_empty() {
                return false;
            }
            at = standing.range.end;
            any = true;
        }
        any && own.text[at..].trim().is_empty() && own.objects.is_empty()
    }

    /// The names that each placeholder looks up, with the lists around it. Names
    /// that the template sets itself are not looked up.
    fn find_names(&mut self) {
        let set: HashSet<Folded> = self
            .standing
            .iter()
            .flat_map(|s| match &s.kind {
                Some(Kind::Set(setting)) => vec![setting.name.folded.clone()],
                _ => Vec::new(),
            })
            .collect();
        let mut around: Vec<Option<Option<Vec<Name>>>> = Vec::new();
        let mut too_deep = None;
        for index in 0..self.standing.len() {
            let Some(kind) = &self.standing[index].kind else {
                if self.standing[index].opens {
                    around.push(None);
                }
                continue;
            };
            if around.len() + self.taken[index].len() > DEEPEST && !matches!(kind, Kind::End(_)) {
                too_deep = too_deep.or(Some(index));
                if matches!(kind, Kind::If(_) | Kind::Repeat(None, _)) {
                    around.push(None);
                }
                continue;
            }
            let mut within: Vec<Option<Vec<Name>>> = around.iter().flatten().cloned().collect();
            within.extend(self.lists_around(index, matches!(kind, Kind::Repeat(Some(_), _))));
            let mut names: Vec<NameUse> = Vec::new();
            kind.uses(&mut within, &mut |one, within| {
                let lists = within.iter().map(|list| list.clone().map(|path| path.into_iter().map(|n| n.text).collect())).collect();
                let rest = one.rest.iter().map(|n| n.text.clone()).collect();
                let found = NameUse {
                    name: one.name.text.clone(),
                    rest,
                    used: one.used,
                    currency: one.currency.map(|c| c.to_string()),
                    within: lists,
                };
                if !set.contains(&one.name.folded) && !names.contains(&found) {
                    names.push(found);
                }
            });
            match kind {
                Kind::If(_) => around.push(None),
                Kind::Repeat(None, list) => around.push(Some(list.path())),
                Kind::End(_) => {
                    around.pop();
                }
                // What stands behind its `else` belongs to the level around.
                Kind::Else => {
                    if let Some(last) = around.last_mut() {
                        *last = None;
                    }
                }
                _ => {}
            }
            self.placeholders[index].names = names;
        }
        if let Some(index) = too_deep {
            let message = format!("nested too deeply (maximum {DEEPEST} conditions and repeats). Simplify.");
            self.problem_at(index, "too-deep", &message);
        }
    }

    /// The lists of `repeat row` and its kin that a placeholder stands within; of
    /// those in one row the earlier holds the later.
    fn lists_around(&self, index: usize, is_extent: bool) -> Vec<Option<Vec<Name>>> {
        let takers = self.taken[index].iter().filter(|taker| !is_extent || **taker < index);
        takers
            .filter_map(|taker| match &self.standing[*taker].kind {
                Some(Kind::Repeat(Some(_), list)) => Some(list.path()),
                _ => None,
            })
            .collect()
    }
}
