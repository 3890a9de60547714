//! Lists (ECMA-376 part 1, 17.9): definitions, and the counting while a document
//! is read.

use std::collections::HashMap;

use roxmltree::Node;

use super::properties::{ParagraphLayer, TextLayer, Theme};
use super::xml::Ask;

/// One level of a list.
#[derive(Debug, Clone, Default)]
pub(super) struct Level {
    format: String,
    /// `%1.%2`
    text: String,
    start: u32,
    pub paragraph: ParagraphLayer,
    pub look: TextLayer,
}

/// The lists of a document.
#[derive(Debug, Default)]
pub(super) struct Numbering {
    levels: HashMap<String, Vec<Level>>,
    /// List → its definition, and starts that it overrides by level.
    lists: HashMap<String, (String, HashMap<usize, u32>)>,
}

/// The counters of lists while a document is read.
#[derive(Debug, Default)]
pub(super) struct Counters {
    counts: HashMap<String, [Option<u32>; 9]>,
    started: std::collections::HashSet<String>,
}

impl Numbering {
    pub fn read<'a>(root: Node<'a, 'a>, theme: &Theme) -> Numbering {
        let mut numbering = Numbering::default();
        for node in root.elements() {
            match (node.name(), node.attr("abstractNumId"), node.attr("numId")) {
                ("abstractNum", Some(id), _) => {
                    let mut levels = vec![Level::default(); 9];
                    for level in node.elements().filter(|l| l.name() == "lvl") {
                        let at = level.number("ilvl").unwrap_or(0.0).clamp(0.0, 8.0) as usize;
                        levels[at] = Level {
                            format: level.val("numFmt").unwrap_or("decimal").to_owned(),
                            text: level.val("lvlText").unwrap_or("").to_owned(),
                            start: level.child("start").and_then(|s| s.number("val")).map_or(1, |n| n.max(0.0) as u32),
                            paragraph: level.child("pPr").map(ParagraphLayer::read).unwrap_or_default(),
                            look: level.child("rPr").map(|p| TextLayer::read(p, theme)).unwrap_or_default(),
                        };
                    }
                    numbering.levels.insert(id.to_owned(), levels);
                }
                ("num", _, Some(id)) => {
                    let starts = node
                        .elements()
                        .filter(|o| o.name() == "lvlOverride")
                        .filter_map(|o| {
                            Some((o.number("ilvl")?.clamp(0.0, 8.0) as usize, o.child("startOverride")?.number("val")?.max(0.0) as u32))
                        })
                        .collect();
                    numbering.lists.insert(id.to_owned(), (node.val("abstractNumId").unwrap_or("").to_owned(), starts));
                }
                _ => {}
            }
        }
        numbering
    }

    /// A number above those of all lists.
    pub fn next_number(&self) -> u32 {
        self.lists.keys().filter_map(|id| id.parse::<u32>().ok()).max().unwrap_or(0).saturating_add(1)
    }

    /// The level of a list.
    pub fn level(&self, list: &str, level: usize) -> Option<&Level> {
        let (definition, _) = self.lists.get(list)?;
        self.levels.get(definition)?.get(level)
    }

    /// Counts a paragraph and gives its number or sign. `anew` is the name of a
    /// list that counts like this one from its beginning.
    pub fn next(&self, counters: &mut Counters, list: &str, anew: Option<&str>, level: usize) -> Option<String> {
        let (definition, starts) = self.lists.get(list)?;
        let levels = self.levels.get(definition)?;
        let counts = counters.counts.entry(definition.clone()).or_default();
        if let Some(anew) = anew
            && counters.started.insert(anew.to_owned())
        {
            *counts = [None; 9];
        }
        // A list that overrides its starts counts anew where it first stands.
        if !starts.is_empty() && counters.started.insert(list.to_owned()) {
            for at in starts.keys() {
                counts[*at] = None;
            }
        }
        let start = starts.get(&level).copied().unwrap_or(levels[level].start);
        counts[level] = Some(counts[level].map_or(start, |n| n.saturating_add(1)));
        for deeper in counts.iter_mut().skip(level + 1) {
            *deeper = None;
        }
        let own = &levels[level];
        if own.format == "bullet" {
            return Some(bullet(&own.text));
        }
        if own.format == "none" {
            return Some(String::new());
        }
        let mut out = String::new();
        let mut signs = own.text.chars();
        while let Some(c) = signs.next() {
            match (c, signs.clone().next().and_then(|d| d.to_digit(10))) {
                ('%', Some(digit @ 1..=9)) => {
                    signs.next();
                    let at = digit as usize - 1;
                    let number = counts[at].unwrap_or(levels[at].start);
                    out.push_str(&count(number, &levels[at].format));
                }
                _ => out.push(c),
            }
        }
        Some(out)
    }
}

/// A bullet from a symbol font as the sign that it shows.
fn bullet(text: &str) -> String {
    text.chars()
        .map(|c| match c {
            '\u{f0b7}' | '\u{b7}' => '•',
            '\u{f0a7}' => '▪',
            '\u{f0d8}' => '➢',
            '\u{f0fc}' => '✓',
            '\u{f02d}' => '-',
            '\u{f06f}' | 'o' => '◦',
            '\u{e000}'..='\u{f8ff}' => '•',
            c => c,
        })
        .collect()
}

/// A number in a list's format (ECMA-376 part 1, 17.18.59).
fn count(number: u32, format: &str) -> String {
    match format {
        "lowerLetter" => letter(number).to_lowercase(),
        "upperLetter" => letter(number),
        "lowerRoman" => roman(number).to_lowercase(),
        "upperRoman" => roman(number),
        "decimalZero" => format!("{number:02}"),
        _ => number.to_string(),
    }
}

/// a … z, aa, bb: the letter is doubled, not counted on.
fn letter(number: u32) -> String {
    let Some(at) = number.checked_sub(1) else { return String::new() };
    let sign = char::from(b'A' + (at % 26) as u8);
    std::iter::repeat_n(sign, (at / 26 + 1).min(20) as usize).collect()
}

fn roman(mut number: u32) -> String {
    if number == 0 || number > 3999 {
        return number.to_string();
    }
    const SIGNS: [(u32, &str); 13] = [
        (1000, "M"),
        (900, "CM"),
        (500, "D"),
        (400, "CD"),
        (100, "C"),
        (90, "XC"),
        (50, "L"),
        (40, "XL"),
        (10, "X"),
        (9, "IX"),
        (5, "V"),
        (4, "IV"),
        (1, "I"),
    ];
    let mut out = String::new();
    for (value, sign) in SIGNS {
        while number >= value {
            out.push_str(sign);
            number -= value;
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_in_the_formats_of_lists() {
        assert_eq!([1, 26, 27, 53].map(|n| count(n, "lowerLetter")), ["a", "z", "aa", "aaa"]);
        assert_eq!([4, 1994].map(|n| count(n, "upperRoman")), ["IV", "MCMXCIV"]);
        assert_eq!(count(7, "decimalZero"), "07");
    }

    #[test]
    fn levels_count_under_one_another() {
        let xml = r#"<numbering><abstractNum abstractNumId="0">
            <lvl ilvl="0"><start val="1"/><numFmt val="decimal"/><lvlText val="%1."/></lvl>
            <lvl ilvl="1"><start val="1"/><numFmt val="lowerLetter"/><lvlText val="%1.%2)"/></lvl></abstractNum>
            <num numId="5"><abstractNumId val="0"/></num></numbering>"#;
        let document = roxmltree::Document::parse(xml).expect("parses");
        let numbering = Numbering::read(document.root_element(), &Theme::default());
        let mut counters = Counters::default();
        let found: Vec<_> = [0, 1, 1, 0, 1].map(|level| numbering.next(&mut counters, "5", None, level).unwrap_or_default()).into();
        assert_eq!(found, ["1.", "1.a)", "1.b)", "2.", "2.a)"]);
    }
}
