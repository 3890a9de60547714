//! The logic of a template as a nested list: conditions and repeats with what is
//! printed in them, each in words.

use serde::Serialize;

use super::Placeholder;
use crate::language::syntax::Kind;

/// One line of the outline.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Outline {
    /// Which placeholder it is, in the part's reading order.
    pub placeholder: usize,
    /// `print`, `if`, `else`, `repeat`, `set`, `clause`, `picture`, `barcode`,
    /// `signer` or `page break`.
    pub kind: &'static str,
    /// What it does, in words.
    pub words: String,
    /// What stands within.
    pub within: Vec<Outline>,
}

impl Outline {
    /// The same with its placeholders counted from another.
    pub fn moved(self, by: usize) -> Outline {
        let within = self.within.into_iter().map(|line| line.moved(by)).collect();
        Outline { placeholder: self.placeholder + by, within, ..self }
    }
}

/// The kind and the words of a placeholder.
fn words(kind: &Kind, text: &str) -> Option<(&'static str, String)> {
    let inner = text.trim_start_matches("[:").trim_end_matches(']').trim();
    let behind = |word: &str| inner.split_once(word).map_or(inner, |(_, rest)| rest).trim().to_owned();
    Some(match kind {
        Kind::Print(_) => ("print", inner.to_owned()),
        Kind::If(_) => ("if", format!("if {}", behind("if"))),
        Kind::ElseIf(_) => ("else", format!("else, if {}", behind("if"))),
        Kind::Else | Kind::KeepElse(_) => ("else", "else".to_owned()),
        Kind::Repeat(None, _) => ("repeat", format!("for each of {}", behind("for"))),
        Kind::Repeat(Some(extent), _) => {
            let what = match extent.count {
                1 => extent.unit.word().to_owned(),
                many => format!("{many} {}s", extent.unit.word()),
            };
            ("repeat", format!("{what} for each of {}", behind("for")))
        }
        Kind::Keep(extent, _) => ("if", format!("{} only if {}", extent.unit.word(), behind("if"))),
        Kind::KeepElseIf(extent, _) => ("else", format!("else {} if {}", extent.unit.word(), behind("if"))),
        Kind::Set(setting) => ("set", format!("{} is {}", setting.name.text, behind("="))),
        Kind::Clause(name, _) => ("clause", format!("clause “{name}”")),
        Kind::Picture(..) => ("picture", format!("picture {}", behind("picture"))),
        Kind::Barcode(code) => ("barcode", format!("{} barcode of {}", code.symbology.word(), behind(" of "))),
        Kind::Signer(field) => {
            let optional = if field.optional { ", may stay empty" } else { "" };
            ("signer", format!("{} of {}{optional}", field.field.word(), field.role.text))
        }
        Kind::PageBreak => ("page break", "a new page".to_owned()),
        Kind::End(_) | Kind::Remark => return None,
    })
}

/// The outline of a part's placeholders.
pub(super) fn outline(kinds: &[Option<&Kind>], placeholders: &[Placeholder]) -> Vec<Outline> {
    // Branches that are open, outermost first: the top holds the part itself.
    let mut open: Vec<Vec<Outline>> = vec![Vec::new()];
    let close = |open: &mut Vec<Vec<Outline>>| {
        if open.len() > 1
            && let Some(within) = open.pop()
            && let Some(line) = open.last_mut().and_then(|o| o.last_mut())
        {
            line.within = within;
        }
    };
    for (index, kind) in kinds.iter().enumerate() {
        let Some(kind) = kind else { continue };
        if matches!(kind, Kind::Else | Kind::ElseIf(_) | Kind::End(_)) {
            close(&mut open);
        }
        let Some((name, words)) = words(kind, &placeholders[index].text) else { continue };
        if let Some(lines) = open.last_mut() {
            lines.push(Outline { placeholder: index, kind: name, words, within: Vec::new() });
        }
        if matches!(kind, Kind::If(_) | Kind::ElseIf(_) | Kind::Else | Kind::Repeat(None, _)) {
            open.push(Vec::new());
        }
    }
    while open.len() > 1 {
        close(&mut open);
    }
    open.pop().unwrap_or_default()
}
