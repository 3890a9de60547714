//! Properties of text and paragraphs as one layer says them (a style, a table, a
//! run): what it does not say stays open and comes from the layer below.

use std::collections::HashMap;
use std::sync::Arc;

use roxmltree::Node;

use super::read::floats;
use super::xml::Ask;
use crate::model::{Align, Border, Float, Line, Raise, Tab, TabKind, TextStyle, Underline};

/// How far a tab stop may stand from the margin: 22 inches (ECMA-376 part 1, 17.18.81).
const WIDEST: f64 = 1584.0;

/// What a layer says of text (ECMA-376 part 1, 17.3.2).
#[derive(Debug, Clone, Default)]
pub(super) struct TextLayer {
    pub font: Option<Arc<str>>,
    pub size: Option<f64>,
    /// Bold, italic, struck through, twice, capitals, small capitals, hidden, and
    /// bold and italic of complex scripts.
    pub toggles: [Option<bool>; 9],
    pub underline: Option<Underline>,
    pub underline_color: Option<Option<Arc<str>>>,
    pub raise: Option<Raise>,
    pub color: Option<Option<Arc<str>>>,
    pub highlight: Option<Option<Arc<str>>>,
    pub boxed: Option<Option<Border>>,
    pub tracking: Option<f64>,
    pub stretch: Option<f64>,
    pub shift: Option<f64>,
    pub kerning: Option<Option<f64>>,
    pub language: Option<Arc<str>>,
    pub rtl: Option<bool>,
    pub complex_font: Option<Arc<str>>,
    pub complex_size: Option<f64>,
    pub complex_language: Option<Arc<str>>,
}

/// Fonts and colours that a theme names.
#[derive(Debug, Clone, Default)]
pub(super) struct Theme {
    pub major: Option<Arc<str>>,
    pub minor: Option<Arc<str>>,
    /// Of complex scripts.
    pub major_complex: Option<Arc<str>>,
    pub minor_complex: Option<Arc<str>>,
    pub colors: HashMap<String, Arc<str>>,
}

impl Theme {
    /// The colour of a name as documents (17.18.97) or drawings (20.1.10.54) have it.
    pub fn color(&self, name: &str) -> Option<&Arc<str>> {
        let slot = match name {
            "dark1" | "text1" | "tx1" => "dk1",
            "dark2" | "text2" | "tx2" => "dk2",
            "light1" | "background1" | "bg1" => "lt1",
            "light2" | "background2" | "bg2" => "lt2",
            "hyperlink" => "hlink",
            "followedHyperlink" => "folHlink",
            other => other,
        };
        self.colors.get(slot)
    }

    /// The colour that an element's attributes name: six digits, or one of the
    /// theme, lighter or darker.
    fn of<'a>(&self, node: Node<'a, 'a>, plain: &str, themed: &str) -> Option<Arc<str>> {
        if let Some(written) = node.attr(plain).and_then(color) {
            return Some(written);
        }
        let own = self.color(node.attr(themed)?)?;
        let share = |name: &str| node.attr(&format!("{themed}{name}")).and_then(|v| u8::from_str_radix(v, 16).ok()).map(f64::from);
        Some(match (share("Tint").or_else(|| node_share(node, "Tint")), share("Shade").or_else(|| node_share(node, "Shade"))) {
            (Some(tint), _) => mixed(own, 255.0, tint / 255.0),
            (None, Some(shade)) => mixed(own, 0.0, shade / 255.0),
            (None, None) => own.clone(),
        })
    }
}

fn node_share<'a>(node: Node<'a, 'a>, name: &str) -> Option<f64> {
    node.attr(&format!("theme{name}")).and_then(|v| u8::from_str_radix(v, 16).ok()).map(f64::from)
}

/// A colour of which a share is kept, the rest being light or dark.
pub(super) fn mixed(own: &str, with: f64, share: f64) -> Arc<str> {
    let part = |at: usize| own.get(at..at + 2).and_then(|p| u8::from_str_radix(p, 16).ok()).map_or(0.0, f64::from);
    let mix = |at: usize| (part(at) * share + with * (1.0 - share)).round().clamp(0.0, 255.0) as u8;
    Arc::from(format!("{:02X}{:02X}{:02X}", mix(0), mix(2), mix(4)))
}

fn set<T: Clone>(to: &mut T, from: &Option<T>) {
    if let Some(value) = from {
        to.clone_from(value);
    }
}

fn set_open<T: Clone>(to: &mut Option<T>, from: &Option<T>) {
    if from.is_some() {
        to.clone_from(from);
    }
}

impl TextLayer {
    pub fn read<'a>(p: Node<'a, 'a>, theme: &Theme) -> TextLayer {
        let fonts = p.child("rFonts");
        let font = |themed: &[&str], plain: &[&str], major: &Option<Arc<str>>, minor: &Option<Arc<str>>| {
            let fonts = fonts?;
            let of_theme = themed.iter().find_map(|n| fonts.attr(n));
            let of_theme = of_theme.and_then(|t| if t.starts_with("major") { major.clone() } else { minor.clone() });
            of_theme.or_else(|| plain.iter().find_map(|n| fonts.attr(n)).map(Arc::from))
        };
        let half = |name: &str| p.child(name).and_then(|s| s.number("val")).map(|half| (half / 2.0).clamp(1.0, 1638.0));
        let underline = p.child("u");
        TextLayer {
            font: font(&["asciiTheme", "hAnsiTheme"], &["ascii", "hAnsi"], &theme.major, &theme.minor),
            size: half("sz"),
            toggles: ["b", "i", "strike", "dstrike", "caps", "smallCaps", "vanish", "bCs", "iCs"].map(|name| p.toggle(name)),
            underline: underline.map(|u| match u.attr("val").unwrap_or("single") {
                "none" => Underline::None,
                "words" => Underline::Words,
                "double" | "wavyDouble" => Underline::Double,
                "thick" => Underline::Thick,
                "dotted" | "dottedHeavy" => Underline::Dotted,
                "dash" | "dashLong" | "dashedHeavy" | "dashLongHeavy" => Underline::Dashed,
                "dotDash" | "dashDotHeavy" | "dotDotDash" | "dashDotDotHeavy" => Underline::DotDash,
                "wave" | "wavyHeavy" => Underline::Wave,
                _ => Underline::Single,
            }),
            underline_color: underline.map(|u| theme.of(u, "color", "themeColor")),
            raise: p.val("vertAlign").map(|v| match v {
                "superscript" => Raise::Super,
                "subscript" => Raise::Sub,
                _ => Raise::None,
            }),
            color: p.child("color").map(|c| theme.of(c, "val", "themeColor")),
            highlight: p.val("highlight").map(|h| named_color(h).map(Arc::from)).or_else(|| p.child("shd").map(|s| shade(s, theme))),
            boxed: p.child("bdr").map(read_border),
            tracking: p.child("spacing").and_then(|s| s.twips("val")),
            // 17.3.2.43
            stretch: p.child("w").and_then(|s| percent(s.attr("val")?)).map(|w| if w > 0.0 { (w / 100.0).min(6.0) - 1.0 } else { 0.0 }),
            shift: p.child("position").and_then(|s| s.number("val")).map(|half| (half / 2.0).clamp(-1000.0, 1000.0)),
            kerning: p.child("kern").and_then(|s| s.number("val")).map(|half| (half > 0.0).then_some(half / 2.0)),
            language: p.val("lang").map(Arc::from),
            rtl: p.toggle("rtl"),
            complex_font: font(&["cstheme"], &["cs"], &theme.major_complex, &theme.minor_complex),
            complex_size: half("szCs"),
            complex_language: p.child("lang").and_then(|l| l.attr("bidi")).map(Arc::from),
        }
    }

    /// Lays this over a layer below, as a style over the one that it is based on.
    pub fn over_layer(&self, below: &mut TextLayer) {
        set_open(&mut below.font, &self.font);
        set_open(&mut below.size, &self.size);
        for (to, from) in below.toggles.iter_mut().zip(&self.toggles) {
            *to = from.or(*to);
        }
        set_open(&mut below.underline, &self.underline);
        set_open(&mut below.underline_color, &self.underline_color);
        set_open(&mut below.raise, &self.raise);
        set_open(&mut below.color, &self.color);
        set_open(&mut below.highlight, &self.highlight);
        set_open(&mut below.boxed, &self.boxed);
        set_open(&mut below.tracking, &self.tracking);
        set_open(&mut below.stretch, &self.stretch);
        set_open(&mut below.shift, &self.shift);
        set_open(&mut below.kerning, &self.kerning);
        set_open(&mut below.language, &self.language);
        set_open(&mut below.rtl, &self.rtl);
        set_open(&mut below.complex_font, &self.complex_font);
        set_open(&mut below.complex_size, &self.complex_size);
        set_open(&mut below.complex_language, &self.complex_language);
    }

    /// Lays this over a look as direct formatting.
    pub fn over(&self, below: &mut TextStyle) {
        self.apply(below, |to, from| *to = from);
    }

    /// Lays a style's layer over those of other kinds of styles: what both switch
    /// on is off again (ECMA-376 part 1, 17.7.3).
    pub fn over_style(&self, below: &mut TextStyle) {
        self.apply(below, |to, from| *to ^= from);
    }

    fn apply(&self, below: &mut TextStyle, toggle: impl Fn(&mut bool, bool)) {
        set(&mut below.font, &self.font);
        set(&mut below.size, &self.size);
        let to = [
            &mut below.bold,
            &mut below.italic,
            &mut below.strike,
            &mut below.double_strike,
            &mut below.caps,
            &mut below.small_caps,
            &mut below.hidden,
            &mut below.complex.bold,
            &mut below.complex.italic,
        ];
        for (to, from) in to.into_iter().zip(self.toggles) {
            if let Some(from) = from {
                toggle(to, from);
            }
        }
        set(&mut below.underline, &self.underline);
        set(&mut below.underline_color, &self.underline_color);
        set(&mut below.raise, &self.raise);
        set(&mut below.color, &self.color);
        set(&mut below.highlight, &self.highlight);
        set(&mut below.boxed, &self.boxed);
        set(&mut below.tracking, &self.tracking);
        set(&mut below.stretch, &self.stretch);
        set(&mut below.shift, &self.shift);
        set(&mut below.kerning, &self.kerning);
        set_open(&mut below.language, &self.language);
        set(&mut below.rtl, &self.rtl);
        set_open(&mut below.complex.font, &self.complex_font);
        set_open(&mut below.complex.size, &self.complex_size);
        set_open(&mut below.complex.language, &self.complex_language);
    }
}

/// The colour of a shading: its fill, or a mix where it is a pattern
/// (ECMA-376 part 1, 17.3.5).
pub(super) fn shade<'a>(s: Node<'a, 'a>, theme: &Theme) -> Option<Arc<str>> {
    let fill = theme.of(s, "fill", "themeFill");
    let share = match s.attr("val") {
        Some("solid") => 1.0,
        Some(pattern) => pattern.strip_prefix("pct").and_then(|p| p.parse::<f64>().ok()).map_or(0.0, |p| p / 100.0),
        None => 0.0,
    };
    if share <= 0.0 {
        return fill;
    }
    let ink = theme.of(s, "color", "themeColor").unwrap_or_else(|| Arc::from("000000"));
    let fill = fill.unwrap_or_else(|| Arc::from("FFFFFF"));
    let part = |of: &str, at: usize| of.get(at..at + 2).and_then(|p| u8::from_str_radix(p, 16).ok()).map_or(0.0, f64::from);
    let mix = |at: usize| (part(&ink, at) * share + part(&fill, at) * (1.0 - share)).round() as u8;
    Some(Arc::from(format!("{:02X}{:02X}{:02X}", mix(0), mix(2), mix(4))))
}

/// A colour of six digits; `None` for `auto`.
pub(super) fn color(text: &str) -> Option<Arc<str>> {
    (text.len() == 6 && text.bytes().all(|b| b.is_ascii_hexdigit())).then(|| Arc::from(text.to_ascii_uppercase()))
}

/// Highlight colours (ECMA-376 part 1, 17.18.40).
fn named_color(name: &str) -> Option<&'static str> {
    Some(match name {
        "black" => "000000",
        "blue" => "0000FF",
        "cyan" => "00FFFF",
        "darkBlue" => "000080",
        "darkCyan" => "008080",
        "darkGray" => "808080",
        "darkGreen" => "008000",
        "darkMagenta" => "800080",
        "darkRed" => "800000",
        "darkYellow" => "808000",
        "green" => "00FF00",
        "lightGray" => "C0C0C0",
        "magenta" => "FF00FF",
        "red" => "FF0000",
        "white" => "FFFFFF",
        "yellow" => "FFFF00",
        _ => return None,
    })
}

/// What a layer says of paragraphs (ECMA-376 part 1, 17.3.1).
#[derive(Debug, Clone, Default)]
pub(super) struct ParagraphLayer {
    pub align: Option<Align>,
    pub rtl: Option<bool>,
    pub left: Option<f64>,
    pub right: Option<f64>,
    pub first: Option<f64>,
    pub before: Option<f64>,
    pub after: Option<f64>,
    pub line: Option<Line>,
    pub contextual: Option<bool>,
    pub shading: Option<Option<Arc<str>>>,
    /// Top, right, bottom, left, between.
    pub borders: [Option<Option<Border>>; 5],
    /// Tab stops; one without a kind takes away that of a layer below.
    pub tabs: Vec<(Tab, bool)>,
    pub keep_next: Option<bool>,
    pub keep_lines: Option<bool>,
    pub widows: Option<bool>,
    pub page_break_before: Option<bool>,
    pub unhyphenated: Option<bool>,
    pub unnumbered: Option<bool>,
    pub float: Option<Option<Box<Float>>>,
    /// From 0; 9 is text.
    pub outline: Option<u8>,
    /// List, and level where it is said.
    pub list: Option<String>,
    pub level: Option<usize>,
}

impl ParagraphLayer {
    pub fn read<'a>(p: Node<'a, 'a>, theme: &Theme) -> ParagraphLayer {
        let indent = p.child("ind");
        // Distances in signs are hundredths of about half a line.
        let of = |names: &[&str]| {
            let indent = indent?;
            names.iter().find_map(|n| indent.twips(n))
        };
        let spacing = p.child("spacing");
        let line = spacing.and_then(|s| {
            let line = s.number("line")?.clamp(0.0, 31_680.0);
            Some(match s.attr("lineRule") {
                Some("exact") => Line::Exactly(line / 20.0),
                Some("atLeast") => Line::AtLeast(line / 20.0),
                _ => Line::Times(line / 240.0),
            })
        });
        // Space that is left to the program is 14 points (17.3.1.33).
        let space = |name: &str, own: &str| {
            let spacing = spacing?;
            match matches!(spacing.attr(own), Some("1" | "true" | "on")) {
                true => Some(14.0),
                false => spacing.twips(name),
            }
        };
        let borders = p.child("pBdr");
        let border = |names: &[&str]| borders.and_then(|b| names.iter().find_map(|n| b.child(n))).map(read_border);
        let tabs = p
            .child("tabs")
            .into_iter()
            .flat_map(|t| t.elements())
            .filter_map(|t| {
                let kind = match t.attr("val") {
                    Some("center") => TabKind::Center,
                    Some("right" | "end") => TabKind::Right,
                    Some("decimal") => TabKind::Decimal,
                    Some("bar") => TabKind::Bar,
                    _ => TabKind::Left,
                };
                let leader = match t.attr("leader") {
                    Some("dot") => Some('.'),
                    Some("hyphen") => Some('-'),
                    Some("underscore" | "heavy") => Some('_'),
                    Some("middleDot") => Some('·'),
                    _ => None,
                };
                Some((Tab { at: t.twips("pos")?.clamp(-WIDEST, WIDEST), kind, leader }, t.attr("val") != Some("clear")))
            })
            .collect();
        let list = p.child("numPr");
        ParagraphLayer {
            align: p.val("jc").map(alignment),
            rtl: p.toggle("bidi"),
            left: of(&["left", "start"]),
            right: of(&["right", "end"]),
            first: of(&["hanging"]).map(|h| -h).or_else(|| of(&["firstLine"])),
            before: space("before", "beforeAutospacing"),
            after: space("after", "afterAutospacing"),
            line,
            contextual: p.toggle("contextualSpacing"),
            shading: p.child("shd").map(|s| shade(s, theme)),
            borders: [border(&["top"]), border(&["right", "end"]), border(&["bottom"]), border(&["left", "start"]), border(&["between"])],
            tabs,
            keep_next: p.toggle("keepNext"),
            keep_lines: p.toggle("keepLines"),
            widows: p.toggle("widowControl"),
            page_break_before: p.toggle("pageBreakBefore"),
            unhyphenated: p.toggle("suppressAutoHyphens"),
            unnumbered: p.toggle("suppressLineNumbers"),
            float: p.child("framePr").map(floats::of_paragraph),
            outline: p.child("outlineLvl").and_then(|o| o.number("val")).map(|n| n.clamp(0.0, 9.0) as u8),
            list: list.and_then(|n| n.val("numId")).map(str::to_owned),
            level: list.and_then(|n| n.child("ilvl")).and_then(|l| l.number("val")).map(|n| n.clamp(0.0, 8.0) as usize),
        }
    }

    /// Lays this over what is below.
    pub fn over(&self, below: &mut ParagraphLayer) {
        set_open(&mut below.align, &self.align);
        set_open(&mut below.rtl, &self.rtl);
        set_open(&mut below.left, &self.left);
        set_open(&mut below.right, &self.right);
        set_open(&mut below.first, &self.first);
        set_open(&mut below.before, &self.before);
        set_open(&mut below.after, &self.after);
        set_open(&mut below.line, &self.line);
        set_open(&mut below.contextual, &self.contextual);
        set_open(&mut below.shading, &self.shading);
        for (to, from) in below.borders.iter_mut().zip(&self.borders) {
            set_open(to, from);
        }
        set_open(&mut below.keep_next, &self.keep_next);
        set_open(&mut below.keep_lines, &self.keep_lines);
        set_open(&mut below.widows, &self.widows);
        set_open(&mut below.page_break_before, &self.page_break_before);
        set_open(&mut below.unhyphenated, &self.unhyphenated);
        set_open(&mut below.unnumbered, &self.unnumbered);
        set_open(&mut below.float, &self.float);
        set_open(&mut below.outline, &self.outline);
        set_open(&mut below.list, &self.list);
        set_open(&mut below.level, &self.level);
        for (tab, stays) in &self.tabs {
            below.tabs.retain(|(own, _)| (own.at - tab.at).abs() > 0.5);
            below.tabs.push((*tab, *stays));
        }
    }
}

/// A share, with or without its sign, in hundredths.
fn percent(text: &str) -> Option<f64> {
    text.trim().trim_end_matches('%').parse().ok().filter(|n: &f64| n.is_finite())
}

/// Alignment (ECMA-376 part 1, 17.18.44).
pub(super) fn alignment(value: &str) -> Align {
    match value {
        "center" => Align::Center,
        "right" | "end" => Align::Right,
        "both" | "distribute" => Align::Justify,
        _ => Align::Left,
    }
}

/// A border; `None` when it says that there is none. Sizes are eighths of a
/// point (ECMA-376 part 1, 17.3.4).
pub(super) fn read_border<'a>(b: Node<'a, 'a>) -> Option<Border> {
    let kind = b.attr("val").unwrap_or("single");
    if matches!(kind, "nil" | "none") {
        return None;
    }
    let dash = match kind {
        "dashed" | "dashSmallGap" => Some("dashed"),
        "dotted" => Some("dotted"),
        "dotDash" | "dotDotDash" | "dashDotStroked" => Some("dash-dotted"),
        _ => None,
    };
    let double = matches!(kind, "double" | "triple") || kind.starts_with("thinThick") || kind.starts_with("thickThin");
    let width = b.number("sz").map_or(0.5, |eighths| (eighths / 8.0).clamp(0.25, 12.0));
    let space = b.number("space").unwrap_or(0.0).clamp(0.0, 31.0);
    Some(Border { width, color: b.attr("color").and_then(color).unwrap_or_else(|| Arc::from("000000")), dash, double, space })
}
