//! Plain text as a template: subjects, messages, file names. Each line is a
//! paragraph.

use super::compile::{Compiled, compile};
use super::draw::NoDrawing;
use super::gathered::{Gathered, Node, Paragraph, TextNode, Writes};
use super::{FillError, Place, Placeholder, Role};
use crate::diagnostic::Diagnostic;
use crate::language::Scope;

/// Gathers plain text.
pub fn gather_text(text: &str) -> Gathered {
    let writes = Writes { line_break: "\n".into(), tab: "\t".into(), page_break: "\u{c}".into(), ..Writes::default() };
    let mut gathered = Gathered::new(text.as_bytes().into(), writes);
    let mut at = 0;
    for (index, line) in text.split_inclusive('\n').enumerate() {
        let content = line.strip_suffix('\n').unwrap_or(line);
        let content = content.strip_suffix('\r').unwrap_or(content);
        let first = gathered.nodes.len();
        gathered.nodes.push(Node::Open(Role::Paragraph, index + 1, at..at));
        gathered.nodes.push(Node::Text(TextNode::plain(at..at + content.len(), content.to_owned())));
        let end = at + line.len();
        gathered.nodes.push(Node::Close(Role::Paragraph, index + 1, at + content.len()..end));
        gathered.paragraphs.push(Paragraph {
            place: Place::Text,
            parent: 0,
            row: None,
            table: None,
            list: None,
            section: 0,
            nodes: first..gathered.nodes.len(),
            pieces: vec![(first + 1, 0)],
            text: content.to_owned(),
            objects: Vec::new(),
            section_end: false,
            again: false,
            last: false,
            above: index.checked_sub(1),
        });
        at = end;
    }
    gathered
}

/// A compiled text.
#[derive(Debug)]
pub struct TextTemplate {
    compiled: Compiled,
}

impl TextTemplate {
    /// Compiles a text; what is wrong with it is in [`TextTemplate::problems`].
    pub fn new(text: &str) -> TextTemplate {
        TextTemplate { compiled: compile(gather_text(text)) }
    }

    /// What is wrong with it.
    pub fn problems(&self) -> &[Diagnostic] {
        &self.compiled.problems
    }

    /// Its placeholders.
    pub fn placeholders(&self) -> &[Placeholder] {
        &self.compiled.placeholders
    }

    /// Fills it for one record.
    pub fn fill(&self, scope: &Scope<'_>) -> Result<String, FillError> {
        let mut out = Vec::new();
        match self.compiled.program.fill(scope, &mut out, &mut NoDrawing).errors.into_iter().next() {
            Some(error) => Err(error),
            None => Ok(String::from_utf8(out).unwrap_or_default()),
        }
    }
}
