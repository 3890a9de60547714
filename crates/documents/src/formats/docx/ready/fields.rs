//! MERGEFIELD, IF and DATE (ECMA-376 part 1, 17.16.5.35, 17.16.5.26, 17.16.5.14)
//! as placeholders. Other fields are left for the pages to work out.

use roxmltree::{Document, Node};

use super::{Edits, Found, attribute, child, name, run};

pub(super) fn rewrite(document: &Document<'_>, edits: &mut Edits, found: &mut Found) {
    for simple in document.descendants().filter(|n| n.is_element() && name(*n) == "fldSimple") {
        if let Some(text) = attribute(simple, "instr").and_then(|instruction| placeholder(instruction, &[])) {
            let look = simple.descendants().find(|n| name(*n) == "r").and_then(|r| child(r, "rPr"));
            edits.replace(simple.range(), run(document, look, &text));
            found.fields += 1;
        }
    }
    for paragraph in document.descendants().filter(|n| n.is_element() && name(*n) == "p") {
        for field in fields(paragraph) {
            if let Some(text) = field.placeholder() {
                edits.replace(field.first.range().start..field.last.range().end, run(document, field.look(), &text));
                found.fields += 1;
            }
        }
    }
}

/// A field written as runs: begin, instruction, separator, result, end.
struct Field<'a, 'i> {
    first: Node<'a, 'i>,
    last: Node<'a, 'i>,
    /// The instruction; `MARK` and a number stand for fields within it.
    instruction: String,
    inner: Vec<Field<'a, 'i>>,
    /// A run of the result, or else of the instruction, for its look.
    model: Option<Node<'a, 'i>>,
    in_result: bool,
}

/// Stands for a field within a field's instruction, before its number.
const MARK: char = '\u{f8fe}';

impl<'a, 'i> Field<'a, 'i> {
    fn placeholder(&self) -> Option<String> {
        // Both ends stand side by side, or else taking the field out would break the nesting.
        if self.first.parent() != self.last.parent() {
            return None;
        }
        let inner: Option<Vec<String>> = self.inner.iter().map(Field::placeholder).collect();
        placeholder(&self.instruction, &inner?)
    }

    fn look(&self) -> Option<Node<'a, 'i>> {
        child(self.model.unwrap_or(self.first), "rPr")
    }
}

/// The outermost fields of a paragraph that end in it.
fn fields<'a, 'i>(paragraph: Node<'a, 'i>) -> Vec<Field<'a, 'i>> {
    let (mut done, mut open): (Vec<Field<'a, 'i>>, Vec<Field<'a, 'i>>) = (Vec::new(), Vec::new());
    for node in paragraph.descendants().filter(Node::is_element) {
        let Some(run) = node.parent().filter(|p| name(*p) == "r") else { continue };
        // Runs of paragraphs in boxes within this one are read with those.
        if run.ancestors().find(|a| name(*a) == "p") != Some(paragraph) {
            continue;
        }
        match (name(node), attribute(node, "fldCharType")) {
            ("fldChar", Some("begin")) => {
                open.push(Field { first: run, last: run, instruction: String::new(), inner: Vec::new(), model: None, in_result: false });
            }
            ("fldChar", Some("separate")) => {
                if let Some(field) = open.last_mut() {
                    field.in_result = true;
                }
            }
            ("fldChar", Some("end")) => {
                let Some(mut field) = open.pop() else { continue };
                field.last = run;
                match open.last_mut() {
                    // A field within a result is part of what is replaced.
                    Some(outer) if outer.in_result => {}
                    Some(outer) => {
                        outer.instruction.push_str(&format!("{MARK}{};", outer.inner.len()));
                        outer.inner.push(field);
                    }
                    None => done.push(field),
                }
            }
            ("instrText", _) => {
                if let Some(field) = open.last_mut().filter(|f| !f.in_result) {
                    field.instruction.push_str(node.text().unwrap_or_default());
                    field.model = field.model.or(Some(run));
                }
            }
            ("t", _) => {
                if let Some(field) = open.last_mut().filter(|f| f.in_result) {
                    let first = field.model.is_none_or(|m| m.descendants().any(|n| name(n) == "instrText"));
                    field.model = if first { Some(run) } else { field.model };
                }
            }
            _ => {}
        }
    }
    done
}

/// An instruction's words: quoted texts are one, a backslash takes the next sign
/// as it is within quotes (17.16.1).
fn words(instruction: &str) -> Vec<(String, bool)> {
    let mut found: Vec<(String, bool)> = Vec::new();
    let mut signs = instruction.chars().peekable();
    while let Some(c) = signs.next() {
        if c.is_whitespace() {
            continue;
        }
        let mut word = String::new();
        if matches!(c, '"' | '“' | '”') {
            while let Some(c) = signs.next() {
                match c {
                    '\\' => word.extend(signs.next()),
                    '"' | '“' | '”' => break,
                    c => word.push(c),
                }
            }
            found.push((word, true));
            continue;
        }
        word.push(c);
        while let Some(c) = signs.next_if(|c| !c.is_whitespace() && !matches!(c, '"' | '“')) {
            word.push(c);
        }
        found.push((word, false));
    }
    found
}

/// The placeholder for an instruction; `None` for fields that are left alone.
fn placeholder(instruction: &str, inner: &[String]) -> Option<String> {
    let words = words(instruction);
    let mut rest = words.iter();
    match rest.next()?.0.to_ascii_uppercase().as_str() {
        "MERGEFIELD" => {
            let name = &rest.next()?.0;
            let options = options(rest.as_slice(), Kind::Field(name))?;
            Some(format!("[: {}]", options.trim()))
        }
        "DATE" => {
            let options = options(rest.as_slice(), Kind::Today)?;
            Some(format!("[: {}]", options.trim()))
        }
        "IF" => {
            let [left, operator, right, then, tail @ ..] = rest.as_slice() else { return None };
            if !matches!(operator.0.as_str(), "=" | "<>" | "<" | "<=" | ">" | ">=") || right.0.contains(['*', '?']) {
                return None;
            }
            let otherwise = tail.first().filter(|(word, quoted)| *quoted || !word.starts_with('\\')).map(|(word, _)| text(word, inner));
            let condition = format!("{} {} {}", operand(left, inner)?, operator.0, operand(right, inner)?);
            let otherwise = otherwise.filter(|t| !t.is_empty()).map(|t| format!("[:else]{t}")).unwrap_or_default();
            Some(format!("[:if {condition}]{}{otherwise}[:end]", text(&then.0, inner)))
        }
        _ => None,
    }
}

enum Kind<'n> {
    Field(&'n str),
    Today,
}

/// A value with its switches (17.16.4).
fn options(switches: &[(String, bool)], kind: Kind<'_>) -> Option<String> {
    let (mut value, field) = match kind {
        Kind::Field(name) => (format!("'{}'", name.replace('\'', "''")), true),
        Kind::Today => ("today".to_owned(), false),
    };
    let name = value.clone();
    let (mut format, mut around) = (String::new(), String::new());
    let mut rest = switches.iter();
    while let Some((switch, _)) = rest.next() {
        let (letter, glued) = switch.strip_prefix('\\').map(|s| s.split_at(s.chars().next().map_or(0, char::len_utf8)))?;
        let mut argument = || if glued.is_empty() { rest.next().map(|(word, _)| word.clone()) } else { Some(glued.to_owned()) };
        match letter {
            "b" | "f" if field => {
                let word = if letter == "b" { "before" } else { "after" };
                around += &format!(" {word} \"{}\"", argument()?.replace('"', "\"\""));
            }
            "*" => match argument()?.to_ascii_lowercase().as_str() {
                "upper" => format = " as upper".to_owned(),
                "lower" => format = " as lower".to_owned(),
                "caps" => format = " as title".to_owned(),
                "firstcap" => value = format!("upper(left({name}; 1)) & mid({name}; 2; 4096)"),
                _ => {}
            },
            "#" => {
                let picture = argument()?;
                let positive = picture.split(';').next().unwrap_or_default().replace('x', "#");
                format = format!(" as number \"{}\"", positive.replace('"', "\"\""));
            }
            "@" => format = format!(" as date \"{}\"", date_pattern(&argument()?).replace('"', "\"\"")),
            "m" | "v" | "l" | "h" | "s" => {}
            _ => return None,
        }
    }
    if !field && format.is_empty() {
        format = " as date short".to_owned();
    }
    Some(value + &format + &around)
}

/// A date picture (17.16.4.1) as a pattern of UTS #35.
fn date_pattern(picture: &str) -> String {
    let mut out = String::new();
    let signs: Vec<char> = picture.chars().collect();
    let twelve = picture.to_ascii_lowercase().contains("am/pm");
    let mut at = 0;
    while at < signs.len() {
        let c = signs[at];
        if signs[at..].iter().take(5).collect::<String>().eq_ignore_ascii_case("am/pm") {
            out.push('a');
            at += 5;
            continue;
        }
        if c == '\'' {
            let end = signs[at + 1..].iter().position(|s| *s == '\'').map_or(signs.len(), |n| at + n + 2);
            out.extend(&signs[at..end]);
            at = end;
            continue;
        }
        let count = signs[at..].iter().take_while(|s| **s == c).count();
        match (c, count) {
            ('d' | 'D', 1 | 2) => out.push_str(&"d".repeat(count)),
            ('d' | 'D', 3) => out.push_str("EEE"),
            ('d' | 'D', _) => out.push_str("EEEE"),
            ('y' | 'Y', n) => out.push_str(if n > 2 { "yyyy" } else { "yy" }),
            ('h' | 'H', n) => out.push_str(&if c == 'h' && twelve { "h" } else { "H" }.repeat(n)),
            ('M' | 'm' | 's' | 'S', n) => out.push_str(&(if c == 'S' { 's' } else { c }).to_string().repeat(n)),
            (c, n) if c.is_alphabetic() => out.push_str(&format!("'{}'", c.to_string().repeat(n))),
            (c, n) => out.push_str(&c.to_string().repeat(n)),
        }
        at += count;
    }
    out
}

/// One side of a comparison: a field within, a number or a text.
fn operand((word, _): &(String, bool), inner: &[String]) -> Option<String> {
    if let Some(number) = word.trim().strip_prefix(MARK) {
        let field = inner.get(number.strip_suffix(';')?.parse::<usize>().ok()?)?;
        return Some(field.strip_prefix("[: ")?.strip_suffix(']')?.to_owned());
    }
    if word.contains(MARK) {
        return None;
    }
    match word.parse::<rust_decimal::Decimal>() {
        Ok(_) => Some(word.clone()),
        Err(_) => Some(format!("\"{}\"", word.replace('"', "\"\""))),
    }
}

/// A text of a field's result with the placeholders of the fields within.
fn text(word: &str, inner: &[String]) -> String {
    let mut out = String::new();
    let mut pieces = word.split(MARK);
    out.push_str(&pieces.next().unwrap_or_default().replace("[:", "[[:"));
    for piece in pieces {
        let (number, rest) = piece.split_once(';').unwrap_or((piece, ""));
        out.push_str(number.parse::<usize>().ok().and_then(|n| inner.get(n)).map_or("", String::as_str));
        out.push_str(&rest.replace("[:", "[[:"));
    }
    out
}
