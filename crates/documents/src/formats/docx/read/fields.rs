//! Fields: what shows page numbers, references and counts anew, and what keeps
//! what it showed when the document was saved (ECMA-376 part 1, 17.16).

use std::sync::Arc;

use roxmltree::Node;

use super::run::{push_link, web_address};
use super::{Reader, push_text};
use crate::formats::docx::xml::{Ask, parse};
use crate::model::{Inline, NumberFormat, Target, TextStyle};

/// A field while it is read.
#[derive(Debug, Default)]
pub(super) struct Field {
    instruction: String,
    in_result: bool,
    /// What it shows now stands already; its saved result is passed over.
    replaced: bool,
    /// Whether it is a table of contents.
    pub contents: bool,
    /// Where its result begins: the list of inlines it is in, and how many came
    /// before.
    from: (usize, usize),
}

/// A field's instruction: its name, what it is about, its switches.
struct Instruction {
    name: String,
    arguments: Vec<String>,
    /// A switch and what follows it.
    switches: Vec<(String, String)>,
}

impl Instruction {
    fn read(text: &str) -> Instruction {
        let mut words: Vec<String> = Vec::new();
        let mut signs = text.chars().peekable();
        while let Some(c) = signs.next() {
            match c {
                c if c.is_whitespace() => {}
                '"' | '“' | '”' => words.push(signs.by_ref().take_while(|c| !matches!(c, '"' | '“' | '”')).collect()),
                c => {
                    let mut word = String::from(c);
                    while let Some(next) = signs.next_if(|n| !n.is_whitespace()) {
                        word.push(next);
                    }
                    words.push(word);
                }
            }
        }
        let mut words = words.into_iter().peekable();
        let name = words.next().unwrap_or_default().to_ascii_uppercase();
        let (mut arguments, mut switches) = (Vec::new(), Vec::new());
        while let Some(word) = words.next() {
            match word.strip_prefix('\\') {
                Some(switch) => {
                    let value = words.next_if(|w| !w.starts_with('\\')).unwrap_or_default();
                    switches.push((switch.to_lowercase(), value));
                }
                None => arguments.push(word),
            }
        }
        Instruction { name, arguments, switches }
    }

    fn switch(&self, name: &str) -> Option<&str> {
        self.switches.iter().find(|(own, _)| own == name).map(|(_, value)| value.as_str())
    }

    /// The number format that it asks for.
    fn format(&self) -> Option<NumberFormat> {
        let name = self.switches.iter().filter(|(own, _)| own == "*").map(|(_, value)| value.as_str());
        name.filter(|n| !n.eq_ignore_ascii_case("mergeformat") && !n.eq_ignore_ascii_case("charformat")).map(NumberFormat::of).next()
    }
}

impl<'p> Reader<'_, '_, 'p> {
    /// Whether what is read is a saved result that is passed over.
    pub(super) fn in_replaced_field(&self) -> bool {
        self.fields.iter().any(|f| !f.in_result || f.replaced)
    }

    /// Whether what is read is of a table of contents.
    pub(super) fn inside_contents(&self) -> bool {
        self.fields.iter().any(|f| f.contents)
    }

    /// Reads a part of a field: its begin, its instruction, its end.
    pub(super) fn field_part<'x>(&mut self, child: Node<'x, 'x>, style: &Arc<TextStyle>, run: Node<'x, 'x>, out: &mut Vec<Inline>) {
        if child.name() == "instrText" {
            if let Some(field) = self.fields.last_mut().filter(|f| !f.in_result) {
                field.instruction.push_str(child.text().unwrap_or_default());
            }
            return;
        }
        match child.attr("fldCharType") {
            Some("begin") => self.fields.push(Field { from: (self.depth, out.len()), ..Field::default() }),
            Some("separate") => {
                let Some(field) = self.fields.last_mut() else { return };
                field.in_result = true;
                field.from = (self.depth, out.len());
                let instruction = std::mem::take(&mut field.instruction);
                let contents = self.begins_contents(&instruction);
                let replaced = !contents && self.field_instead(&instruction, style, run, out);
                if let Some(field) = self.fields.last_mut() {
                    (field.instruction, field.replaced, field.contents) = (instruction, replaced, contents);
                    if !replaced {
                        field.from.1 = out.len();
                    }
                }
            }
            Some("end") => {
                let Some(field) = self.fields.pop() else { return };
                match field.in_result {
                    false if !self.in_replaced_field() => {
                        self.field_instead(&field.instruction, style, run, out);
                    }
                    true if !field.replaced && field.from.0 == self.depth && field.from.1 <= out.len() => {
                        self.finish_field(&field.instruction, field.from.1, out);
                    }
                    _ => {}
                }
            }
            _ => {}
        }
    }

    /// Shows what a field shows now; false where its saved result is kept.
    pub(super) fn field_instead<'x>(
        &mut self,
        instruction: &str,
        style: &Arc<TextStyle>,
        near: Node<'x, 'x>,
        out: &mut Vec<Inline>,
    ) -> bool {
        let field = Instruction::read(instruction);
        match field.name.as_str() {
            "PAGE" => out.push(Inline::Page(style.clone(), field.format())),
            "NUMPAGES" => out.push(Inline::Pages(style.clone())),
            "SECTIONPAGES" => out.push(Inline::SectionPages(style.clone())),
            "PAGEREF" => {
                let Some(name) = field.arguments.first() else { return false };
                let number = self.place(name);
                let shown = Inline::PageOf(number, style.clone());
                match field.switch("h") {
                    Some(_) => out.push(Inline::Link(Target::Place(number), vec![shown])),
                    None => out.push(shown),
                }
            }
            "SEQ" => {
                let Some(name) = field.arguments.first() else { return false };
                let count = self.sequences.entry(name.to_lowercase()).or_default();
                match (field.switch("r").and_then(|r| r.parse().ok()), field.switch("c")) {
                    (Some(reset), _) => *count = reset,
                    (None, Some(_)) => {}
                    (None, None) => *count += 1,
                }
                let number = *count;
                if field.switch("h").is_none() {
                    push_text(&field.format().unwrap_or_default().write(number), style, out);
                }
            }
            "REF" => {
                // A plain reference shows the text of its bookmark, as it is filled now.
                let plain = field.switches.iter().all(|(s, _)| matches!(s.as_str(), "h" | "*"));
                let Some(text) = field.arguments.first().filter(|_| plain).and_then(|name| self.bookmark_text(name, near)) else {
                    return false;
                };
                let mut inner = Vec::new();
                push_text(&text, style, &mut inner);
                let target = field.switch("h").map(|_| Target::Place(self.place(&field.arguments[0])));
                push_link(target, inner, out);
            }
            _ => return false,
        }
        true
    }

    /// What is done with a saved result once it is read: links lead on.
    pub(super) fn finish_field(&mut self, instruction: &str, from: usize, out: &mut Vec<Inline>) {
        let field = Instruction::read(instruction);
        if field.name != "HYPERLINK" {
            return;
        }
        let target = match (field.arguments.first().and_then(|a| web_address(a)), field.switch("l")) {
            (Some(address), _) => Some(address),
            (None, Some(name)) if !name.is_empty() => Some(Target::Place(self.place(name))),
            _ => None,
        };
        let inner = out.split_off(from);
        push_link(target, inner, out);
    }

    /// The text of a bookmark that begins and ends in one paragraph of the body.
    fn bookmark_text<'x>(&self, name: &str, near: Node<'x, 'x>) -> Option<String> {
        let own;
        let root = match self.body {
            Some(body) if self.apart == 0 => near.document().get_node(body)?,
            _ => {
                own = parse((self.part)(&self.look.document)?.bytes).ok()?;
                own.root_element()
            }
        };
        let start = root.descendants().find(|n| n.is_element() && n.name() == "bookmarkStart" && n.attr("name") == Some(name))?;
        let id = start.attr("id")?;
        let mut text = String::new();
        for node in start.next_siblings().skip(1) {
            if node.is_element() && node.name() == "bookmarkEnd" && node.attr("id") == Some(id) {
                return Some(text);
            }
            for inner in node.descendants().filter(|n| n.is_element()) {
                match inner.name() {
                    "t" => text.push_str(inner.text().unwrap_or_default()),
                    "tab" => text.push(' '),
                    // Fields in it are not worked out twice.
                    "fldChar" | "fldSimple" => return None,
                    _ => {}
                }
            }
        }
        None
    }
}

/// What a table of contents gathers: the levels of headings, from and to.
pub(super) fn contents_range(instruction: &str) -> Option<(u8, u8)> {
    let field = Instruction::read(instruction);
    if field.name != "TOC" || field.switch("c").is_some() || field.switch("a").is_some() || field.switch("t").is_some_and(|t| !t.is_empty())
    {
        return None;
    }
    match field.switch("o") {
        Some(range) => {
            let (from, to) = range.split_once('-').unwrap_or(("1", "9"));
            Some((from.trim().parse().ok()?, to.trim().parse().ok()?))
        }
        None if field.switch("u").is_some() => Some((1, 9)),
        None => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn instructions_are_read_with_their_switches() {
        let field = Instruction::read(r#" HYPERLINK "https://brackwater-quay.example/a b" \l "Later on" \h "#);
        assert_eq!((field.name.as_str(), field.arguments[0].as_str()), ("HYPERLINK", "https://brackwater-quay.example/a b"));
        assert_eq!((field.switch("l"), field.switch("h"), field.switch("x")), (Some("Later on"), Some(""), None));
        assert_eq!(Instruction::read(r"PAGE \* roman \* MERGEFORMAT").format(), Some(NumberFormat::LowerRoman));
        assert_eq!(Instruction::read(r"PAGE \* MERGEFORMAT").format(), None);
    }

    #[test]
    fn tables_of_contents_tell_their_levels() {
        assert_eq!(contents_range(r#"TOC \o "1-3" \h \z \u"#), Some((1, 3)));
        assert_eq!(contents_range(r"TOC \u"), Some((1, 9)));
        assert_eq!(contents_range(r#"TOC \h \c "Figure""#), None);
    }
}
