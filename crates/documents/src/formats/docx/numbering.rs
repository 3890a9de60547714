//! Lists (ECMA-376 part 1, 17.9): definitions, and the counting while a document
//! is read.

use std::collections::{HashMap, HashSet};

use roxmltree::Node;

use super::properties::{ParagraphLayer, TextLayer, Theme, alignment};
use super::xml::Ask;
use crate::model::{Align, Follow, NumberFormat};

/// One level of a list.
#[derive(Debug, Clone, Default)]
pub(super) struct Level {
    format: String,
    /// `%1.%2`
    text: String,
    start: u32,
    /// A picture stands for the sign.
    picture: bool,
    /// All numbers in it are shown in figures.
    legal: bool,
    /// It starts again after this level, from 1; 0 for never.
    restart: Option<usize>,
    pub follow: Follow,
    pub align: Align,
    /// The paragraph style that stands on this level.
    style: Option<String>,
    pub paragraph: ParagraphLayer,
    pub look: TextLayer,
}

impl Level {
    fn read<'a>(level: Node<'a, 'a>, theme: &Theme) -> Level {
        Level {
            format: level.val("numFmt").unwrap_or("decimal").to_owned(),
            text: level.val("lvlText").unwrap_or("").to_owned(),
            start: level.child("start").and_then(|s| s.number("val")).map_or(1, |n| n.max(0.0) as u32),
            picture: level.child("lvlPicBulletId").is_some(),
            legal: level.toggle("isLgl") == Some(true),
            restart: level.child("lvlRestart").and_then(|r| r.number("val")).map(|n| n.clamp(0.0, 9.0) as usize),
            follow: match level.val("suff") {
                Some("space") => Follow::Space,
                Some("nothing") => Follow::Nothing,
                _ => Follow::Tab,
            },
            align: level.val("lvlJc").map(alignment).unwrap_or_default(),
            style: level.val("pStyle").map(str::to_owned),
            paragraph: level.child("pPr").map(|p| ParagraphLayer::read(p, theme)).unwrap_or_default(),
            look: level.child("rPr").map(|p| TextLayer::read(p, theme)).unwrap_or_default(),
        }
    }
}

/// A list: its definition, and what it says of levels itself.
#[derive(Debug, Default)]
struct List {
    definition: String,
    starts: HashMap<usize, u32>,
    levels: HashMap<usize, Level>,
}

/// The lists of a document.
#[derive(Debug, Default)]
pub(super) struct Numbering {
    definitions: HashMap<String, Vec<Level>>,
    lists: HashMap<String, List>,
}

/// The counters of lists while a document is read.
#[derive(Debug, Default)]
pub(super) struct Counters {
    counts: HashMap<String, [Option<u32>; 9]>,
    started: HashSet<String>,
}

impl Numbering {
    pub fn read<'a>(root: Node<'a, 'a>, theme: &Theme) -> Numbering {
        let mut numbering = Numbering::default();
        // A definition may be that of a list style: style → definition.
        let mut of_style: HashMap<&str, &str> = HashMap::new();
        let mut links: Vec<(&str, &str)> = Vec::new();
        for node in root.elements() {
            match (node.name(), node.attr("abstractNumId"), node.attr("numId")) {
                ("abstractNum", Some(id), _) => {
                    let mut levels = vec![Level::default(); 9];
                    for level in node.elements().filter(|l| l.name() == "lvl") {
                        let at = level.number("ilvl").unwrap_or(0.0).clamp(0.0, 8.0) as usize;
                        levels[at] = Level::read(level, theme);
                    }
                    of_style.extend(node.val("styleLink").map(|style| (style, id)));
                    links.extend(node.val("numStyleLink").map(|style| (id, style)));
                    numbering.definitions.insert(id.to_owned(), levels);
                }
                ("num", _, Some(id)) => {
                    let mut list = List { definition: node.val("abstractNumId").unwrap_or("").to_owned(), ..List::default() };
                    for own in node.elements().filter(|o| o.name() == "lvlOverride") {
                        let Some(at) = own.number("ilvl").map(|n| n.clamp(0.0, 8.0) as usize) else { continue };
                        if let Some(start) = own.child("startOverride").and_then(|s| s.number("val")) {
                            list.starts.insert(at, start.max(0.0) as u32);
                        }
                        if let Some(level) = own.child("lvl") {
                            list.levels.insert(at, Level::read(level, theme));
                        }
                    }
                    numbering.lists.insert(id.to_owned(), list);
                }
                _ => {}
            }
        }
        for (id, style) in links {
            if let Some(levels) = of_style.get(style).and_then(|of| numbering.definitions.get(*of)).cloned() {
                numbering.definitions.insert(id.to_owned(), levels);
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
        let list = self.lists.get(list)?;
        list.levels.get(&level).or_else(|| self.definitions.get(&list.definition)?.get(level))
    }

    /// The level of a list on which paragraphs of a style stand.
    pub fn level_of(&self, list: &str, style: &str) -> Option<usize> {
        let list = self.lists.get(list)?;
        self.definitions.get(&list.definition)?.iter().position(|l| l.style.as_deref() == Some(style))
    }

    /// Counts a paragraph and gives its number or sign. `anew` is the name of a
    /// list that counts like this one from its beginning.
    pub fn next(&self, counters: &mut Counters, list: &str, anew: Option<&str>, level: usize) -> Option<String> {
        let own = self.lists.get(list)?;
        let of = |at: usize| self.level(list, at);
        let this = of(level)?;
        let counts = counters.counts.entry(own.definition.clone()).or_default();
        if let Some(anew) = anew
            && counters.started.insert(anew.to_owned())
        {
            *counts = [None; 9];
        }
        // A list that overrides its starts counts anew where it first stands.
        if !own.starts.is_empty() && counters.started.insert(list.to_owned()) {
            for at in own.starts.keys() {
                counts[*at] = None;
            }
        }
        let start = |at: usize| own.starts.get(&at).copied().or_else(|| of(at).map(|l| l.start)).unwrap_or(1);
        counts[level] = Some(counts[level].map_or(start(level), |n| n.saturating_add(1)));
        for (deeper, count) in counts.iter_mut().enumerate().skip(level + 1) {
            let stays = of(deeper).and_then(|l| l.restart).is_some_and(|after| after == 0 || level + 1 > after);
            if !stays {
                *count = None;
            }
        }
        match this.format.as_str() {
            "bullet" => return Some(this.bullet()),
            "none" => return Some(this.text.chars().filter(|c| *c != '%' && !c.is_ascii_digit()).collect()),
            _ => {}
        }
        let mut out = String::new();
        let mut signs = this.text.chars();
        while let Some(c) = signs.next() {
            match (c, signs.clone().next().and_then(|d| d.to_digit(10))) {
                ('%', Some(digit @ 1..=9)) => {
                    signs.next();
                    let at = digit as usize - 1;
                    let number = counts[at].unwrap_or_else(|| start(at));
                    let format = of(at).map_or("decimal", |l| l.format.as_str());
                    out.push_str(&count(number, if this.legal && format != "decimalZero" { "decimal" } else { format }));
                }
                _ => out.push(c),
            }
        }
        Some(out)
    }
}

impl Level {
    /// Its bullet as the sign that it shows; one instead of a picture.
    fn bullet(&self) -> String {
        let font = self.look.font.as_deref();
        let shown: String = self.text.chars().map(|c| super::symbols::shown(c, font)).collect();
        if self.picture && shown.trim().is_empty() { "•".to_owned() } else { shown }
    }
}

impl NumberFormat {
    /// The format of a name as lists, pages and notes have it.
    pub(super) fn of(name: &str) -> NumberFormat {
        match name {
            "lowerLetter" | "alphabetic" => NumberFormat::LowerLetter,
            "upperLetter" | "ALPHABETIC" => NumberFormat::UpperLetter,
            "lowerRoman" | "roman" => NumberFormat::LowerRoman,
            "upperRoman" | "ROMAN" => NumberFormat::UpperRoman,
            _ => NumberFormat::Decimal,
        }
    }

    /// A number in this format.
    pub(super) fn write(self, number: u32) -> String {
        match self {
            NumberFormat::Decimal => number.to_string(),
            NumberFormat::LowerLetter => letter(number).to_lowercase(),
            NumberFormat::UpperLetter => letter(number),
            NumberFormat::LowerRoman => roman(number).to_lowercase(),
            NumberFormat::UpperRoman => roman(number),
        }
    }
}

/// A number in a list's format (ECMA-376 part 1, 17.18.59).
fn count(number: u32, format: &str) -> String {
    match format {
        "decimalZero" => format!("{number:02}"),
        "ordinal" => ordinal(number),
        "cardinalText" => words(number, false),
        "ordinalText" => words(number, true),
        "decimalEnclosedParen" => format!("({number})"),
        "decimalEnclosedFullstop" => format!("{number}."),
        "decimalEnclosedCircle" | "decimalEnclosedCircleChinese" => match number {
            1..=20 => char::from_u32(0x2460 + number - 1).map_or_else(|| number.to_string(), String::from),
            _ => number.to_string(),
        },
        "numberInDash" => format!("- {number} -"),
        "hex" => format!("{number:X}"),
        "chicago" => {
            let sign = ["*", "†", "‡", "§"][(number.max(1) as usize - 1) % 4];
            sign.repeat(((number.max(1) as usize - 1) / 4 + 1).min(20))
        }
        "russianLower" => cyrillic(number),
        "russianUpper" => cyrillic(number).to_uppercase(),
        "hebrew1" | "hebrew2" => alphabet(number, "אבגדהוזחטיכלמנסעפצקרשת"),
        "arabicAlpha" => alphabet(number, "أبتثجحخدذرزسشصضطظعغفقكلمنهوي"),
        format => NumberFormat::of(format).write(number),
    }
}

fn cyrillic(number: u32) -> String {
    alphabet(number, "абвгдежзиклмнопрстуфхцчшщэюя")
}

/// A sign of an alphabet, doubled after its end.
fn alphabet(number: u32, signs: &str) -> String {
    let Some(at) = number.checked_sub(1).map(|n| n as usize) else { return String::new() };
    let count = signs.chars().count();
    signs.chars().nth(at % count).map(|c| String::from(c).repeat((at / count + 1).min(20))).unwrap_or_default()
}

/// 1st, 2nd, 3rd: English, as the format is defined.
fn ordinal(number: u32) -> String {
    let ending = match (number % 10, number % 100) {
        (1, n) if n != 11 => "st",
        (2, n) if n != 12 => "nd",
        (3, n) if n != 13 => "rd",
        _ => "th",
    };
    format!("{number}{ending}")
}

/// A number in English words, as the format is defined.
fn words(number: u32, order: bool) -> String {
    use mangle_core::value::{Locale, spell};
    let mut text = spell(number.into(), &Locale::english()).unwrap_or_else(|| number.to_string());
    if order {
        let at = text.rfind([' ', '-']).map_or(0, |at| at + 1);
        let last = text.split_off(at);
        text.push_str(&match last.as_str() {
            "one" => "first".to_owned(),
            "two" => "second".to_owned(),
            "three" => "third".to_owned(),
            "five" => "fifth".to_owned(),
            "eight" => "eighth".to_owned(),
            "nine" => "ninth".to_owned(),
            "twelve" => "twelfth".to_owned(),
            other => match other.strip_suffix('y') {
                Some(tens) => format!("{tens}ieth"),
                None => format!("{other}th"),
            },
        });
    }
    let mut signs = text.chars();
    signs.next().map(|first| first.to_uppercase().chain(signs).collect()).unwrap_or_default()
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
        assert_eq!([1, 2, 3, 11, 22].map(|n| count(n, "ordinal")), ["1st", "2nd", "3rd", "11th", "22nd"]);
        assert_eq!(["cardinalText", "ordinalText"].map(|f| count(21, f)), ["Twenty-one", "Twenty-first"]);
        assert_eq!([count(20, "ordinalText"), count(12, "ordinalText")], ["Twentieth", "Twelfth"]);
        assert_eq!([count(6, "chicago"), count(3, "decimalEnclosedCircle"), count(2, "russianLower")], ["††", "③", "б"]);
    }

    fn counted(levels: &str, list: &str, at: &[usize]) -> Vec<String> {
        let xml = format!(
            "<numbering><abstractNum abstractNumId=\"0\">{levels}</abstractNum><num numId=\"5\"><abstractNumId val=\"0\"/>{list}</num></numbering>"
        );
        let document = roxmltree::Document::parse(&xml).expect("parses");
        let numbering = Numbering::read(document.root_element(), &Theme::default());
        let mut counters = Counters::default();
        at.iter().map(|level| numbering.next(&mut counters, "5", None, *level).unwrap_or_default()).collect()
    }

    const TWO: &str = r#"<lvl ilvl="0"><start val="1"/><numFmt val="upperRoman"/><lvlText val="%1."/></lvl>
        <lvl ilvl="1"><start val="1"/><numFmt val="lowerLetter"/>MORE<lvlText val="%1.%2)"/></lvl>"#;

    #[test]
    fn levels_count_under_one_another() {
        assert_eq!(counted(TWO, "", &[0, 1, 1, 0, 1]), ["I.", "I.a)", "I.b)", "II.", "II.a)"]);
    }

    #[test]
    fn legal_levels_show_figures_and_levels_may_count_on() {
        let legal = TWO.replace("MORE", "<isLgl/>");
        assert_eq!(counted(&legal, "", &[0, 1, 0, 1]), ["I.", "1.1)", "II.", "2.1)"]);
        let never = TWO.replace("MORE", "<lvlRestart val=\"0\"/>");
        assert_eq!(counted(&never, "", &[0, 1, 0, 1]), ["I.", "I.a)", "II.", "II.b)"]);
    }

    #[test]
    fn lists_override_starts_and_levels() {
        let start = "<lvlOverride ilvl=\"0\"><startOverride val=\"4\"/></lvlOverride>";
        assert_eq!(counted(TWO, start, &[0, 0]), ["IV.", "V."]);
        let level = "<lvlOverride ilvl=\"0\"><lvl ilvl=\"0\"><start val=\"2\"/><numFmt val=\"bullet\"/><lvlText val=\"\u{f0b7}\"/></lvl></lvlOverride>";
        assert_eq!(counted(TWO, level, &[0]), ["•"]);
    }

    #[test]
    fn a_bullet_may_be_blank_but_for_a_picture() {
        let level = |more: &str| format!("<lvl ilvl=\"0\"><numFmt val=\"bullet\"/><lvlText val=\" \"/>{more}</lvl>");
        assert_eq!(counted(&level(""), "", &[0]), [" "]);
        assert_eq!(counted(&level("<lvlPicBulletId val=\"0\"/>"), "", &[0]), ["•"]);
    }
}
