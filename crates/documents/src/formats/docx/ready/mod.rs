//! A part made ready for the engine: revisions taken as accepted, comments left
//! out, the file format's own fields and content controls rewritten as
//! placeholders. A part without any of these is left byte for byte.

mod controls;
mod fields;
mod revisions;

use mangle_core::words::counted;
use std::ops::Range;
use std::sync::Arc;

use roxmltree::{Document, Node, ParsingOptions};

use crate::OpenError;

/// What was changed on the way, for the person.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Found {
    /// Revisions that were taken as accepted.
    pub revisions: usize,
    /// Comments that were left out.
    pub comments: usize,
    /// Fields and content controls that were read as placeholders.
    pub fields: usize,
}

impl Found {
    /// All of it in words, a sentence each.
    pub fn said(&self) -> Vec<String> {
        let mut said = Vec::new();
        if self.revisions > 0 {
            let changes = counted(self.revisions, "open tracked change", "open tracked changes");
            said.push(format!("The file has {changes}, treated as accepted."));
        }
        if self.comments > 0 {
            said.push(format!("{} not printed.", counted(self.comments, "comment is", "comments are")));
        }
        if self.fields > 0 {
            let fields = counted(self.fields, "field or content control is", "fields and content controls are");
            said.push(format!("{fields} read as placeholders."));
        }
        said
    }
}

/// Changes of a text: what stands in the place of each stretch.
#[derive(Debug, Default)]
struct Edits(Vec<(Range<usize>, String)>);

impl Edits {
    fn replace(&mut self, range: Range<usize>, with: impl Into<String>) {
        self.0.push((range, with.into()));
    }

    fn drop(&mut self, range: Range<usize>) {
        self.replace(range, "");
    }

    /// Takes an element's tags away and leaves what is in it.
    fn unwrap(&mut self, node: Node<'_, '_>) {
        let whole = node.range();
        match (node.first_child(), node.last_child()) {
            (Some(first), Some(last)) => {
                self.drop(whole.start..first.range().start);
                self.drop(last.range().end..whole.end);
            }
            _ => self.drop(whole),
        }
    }

    /// The text with the changes; those inside another are part of it.
    fn apply(mut self, text: &str) -> String {
        self.0.sort_by(|(a, _), (b, _)| a.start.cmp(&b.start).then(b.end.cmp(&a.end)));
        let mut out = String::with_capacity(text.len());
        let mut at = 0;
        for (range, with) in self.0 {
            if range.start < at {
                continue;
            }
            out.push_str(&text[at..range.start]);
            out.push_str(&with);
            at = range.end;
        }
        out.push_str(&text[at..]);
        out
    }
}

/// Makes a part ready; `None` when there is nothing to change.
pub(super) fn ready(part: &str, bytes: &Arc<[u8]>, found: &mut Found) -> Result<Option<Arc<[u8]>>, OpenError> {
    let broken = |why: String| OpenError::Part { part: part.to_owned(), why };
    let text = std::str::from_utf8(bytes).map_err(|e| broken(e.to_string()))?;
    let mut text = std::borrow::Cow::Borrowed(text.trim_start_matches('\u{feff}'));
    // Revisions first: a field may have been written as one.
    let mut steps = [revisions::accept as fn(&Document<'_>, &mut Edits, &mut Found), fields::rewrite, controls::rewrite].into_iter();
    // Read again only after a change.
    while steps.len() > 0 {
        let options = ParsingOptions { allow_dtd: false, nodes_limit: 8_000_000, ..ParsingOptions::default() };
        let document = Document::parse_with_options(&text, options).map_err(|e| broken(format!("its XML is broken: {e}")))?;
        let changed = steps.by_ref().find_map(|step| {
            let mut edits = Edits::default();
            step(&document, &mut edits, found);
            (!edits.0.is_empty()).then(|| edits.apply(&text))
        });
        if let Some(changed) = changed {
            text = std::borrow::Cow::Owned(changed);
        }
    }
    Ok(match text {
        std::borrow::Cow::Borrowed(_) => None,
        std::borrow::Cow::Owned(text) => Some(text.into_bytes().into()),
    })
}

/// The local name of an element.
fn name<'a>(node: Node<'a, '_>) -> &'a str {
    node.tag_name().name()
}

fn child<'a, 'i>(node: Node<'a, 'i>, wanted: &str) -> Option<Node<'a, 'i>> {
    node.children().find(|c| c.is_element() && c.tag_name().name() == wanted)
}

fn attribute<'a>(node: Node<'a, '_>, wanted: &str) -> Option<&'a str> {
    node.attributes().find(|a| a.name() == wanted).map(|a| a.value())
}

/// The prefix that a part gives the vocabulary, with its colon.
fn prefix<'t>(document: &Document<'t>) -> &'t str {
    let root = document.root_element();
    let tag = &document.input_text()[root.range().start + 1..];
    let end = tag.find([' ', '>', '/', '\n', '\r', '\t']).unwrap_or(0);
    tag[..end].find(':').map_or("", |colon| &tag[..=colon])
}

/// A run of the given look that holds a text.
fn run(document: &Document<'_>, look: Option<Node<'_, '_>>, text: &str) -> String {
    let p = prefix(document);
    // The look of a control that waits to be filled is not that of its content.
    let waits = |n: &Node<'_, '_>| child(*n, "rStyle").and_then(|s| attribute(s, "val")).is_some_and(|s| s == "PlaceholderText");
    let look = look.filter(|n| !waits(n)).map_or("", |n| &document.input_text()[n.range()]);
    let text = quick_xml::escape::escape(text);
    format!("<{p}r>{look}<{p}t xml:space=\"preserve\">{text}</{p}t></{p}r>")
}

#[cfg(test)]
mod tests;
