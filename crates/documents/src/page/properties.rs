//! Properties of text and paragraphs as one layer says them (a style, a table, a
//! run): what it does not say stays open and comes from the layer below.

use std::sync::Arc;

use roxmltree::Node;

use super::model::{Align, Border, Line, Raise, TabKind, TextStyle};
use super::xml::Ask;

/// What a layer says of text (ECMA-376 part 1, 17.3.2).
#[derive(Debug, Clone, Default)]
pub(super) struct TextLayer {
    pub font: Option<Arc<str>>,
    pub size: Option<f64>,
    pub bold: Option<bool>,
    pub italic: Option<bool>,
    pub underline: Option<bool>,
    pub strike: Option<bool>,
    pub caps: Option<bool>,
    pub small_caps: Option<bool>,
    pub hidden: Option<bool>,
    pub raise: Option<Raise>,
    pub color: Option<Option<Arc<str>>>,
    pub highlight: Option<Option<Arc<str>>>,
    pub tracking: Option<f64>,
    pub language: Option<Arc<str>>,
}

/// Fonts that a theme names.
#[derive(Debug, Clone, Default)]
pub(super) struct Theme {
    pub major: Option<Arc<str>>,
    pub minor: Option<Arc<str>>,
}

impl TextLayer {
    pub fn read<'a>(properties: Node<'a, 'a>, theme: &Theme) -> TextLayer {
        read_text(properties, theme)
    }

    /// Lays this over what is below.
    pub fn over(&self, below: &mut TextStyle) {
        fn set<T: Clone>(to: &mut T, from: &Option<T>) {
            if let Some(value) = from {
                *to = value.clone();
            }
        }
        set(&mut below.font, &self.font);
        set(&mut below.size, &self.size);
        set(&mut below.bold, &self.bold);
        set(&mut below.italic, &self.italic);
        set(&mut below.underline, &self.underline);
        set(&mut below.strike, &self.strike);
        set(&mut below.caps, &self.caps);
        set(&mut below.small_caps, &self.small_caps);
        set(&mut below.hidden, &self.hidden);
        set(&mut below.raise, &self.raise);
        set(&mut below.color, &self.color);
        set(&mut below.highlight, &self.highlight);
        set(&mut below.tracking, &self.tracking);
        if self.language.is_some() {
            below.language = self.language.clone();
        }
    }
}

fn read_text<'a>(p: Node<'a, 'a>, theme: &Theme) -> TextLayer {
    let font = p.child("rFonts").and_then(|f| {
        let themed = f
            .attr("asciiTheme")
            .or_else(|| f.attr("hAnsiTheme"))
            .and_then(|t| if t.starts_with("major") { theme.major.clone() } else { theme.minor.clone() });
        themed.or_else(|| f.attr("ascii").or_else(|| f.attr("hAnsi")).map(Arc::from))
    });
    TextLayer {
        font,
        size: p.child("sz").and_then(|s| s.number("val")).map(|half| (half / 2.0).clamp(1.0, 1638.0)),
        bold: p.toggle("b"),
        italic: p.toggle("i"),
        underline: p.val("u").map(|u| u != "none"),
        strike: p.toggle("strike").or_else(|| p.toggle("dstrike")),
        caps: p.toggle("caps"),
        small_caps: p.toggle("smallCaps"),
        hidden: p.toggle("vanish"),
        raise: p.val("vertAlign").map(|v| match v {
            "superscript" => Raise::Super,
            "subscript" => Raise::Sub,
            _ => Raise::None,
        }),
        color: p.val("color").map(color),
        highlight: p
            .val("highlight")
            .map(|h| named_color(h).map(Arc::from))
            .or_else(|| p.child("shd").map(|s| s.attr("fill").and_then(color))),
        tracking: p.child("spacing").and_then(|s| s.twips("val")),
        language: p.val("lang").map(Arc::from),
    }
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
    pub left: Option<f64>,
    pub right: Option<f64>,
    pub first: Option<f64>,
    pub before: Option<f64>,
    pub after: Option<f64>,
    pub line: Option<Line>,
    pub contextual: Option<bool>,
    pub shading: Option<Option<Arc<str>>>,
    pub top: Option<Option<Border>>,
    pub bottom: Option<Option<Border>>,
    pub tabs: Vec<(f64, Option<TabKind>)>,
    pub keep_next: Option<bool>,
    pub page_break_before: Option<bool>,
    /// List and level.
    pub list: Option<(String, usize)>,
}

impl ParagraphLayer {
    pub fn read<'a>(p: Node<'a, 'a>) -> ParagraphLayer {
        let indent = p.child("ind");
        let of = |names: &[&str]| indent.and_then(|i| names.iter().find_map(|n| i.twips(n)));
        let spacing = p.child("spacing");
        let line = spacing.and_then(|s| {
            let line = s.number("line")?;
            Some(match s.attr("lineRule") {
                Some("exact") => Line::Exactly(line / 20.0),
                Some("atLeast") => Line::AtLeast(line / 20.0),
                _ => Line::Times(line / 240.0),
            })
        });
        let border = |side: &str| p.child("pBdr").and_then(|b| b.child(side)).map(read_border);
        let tabs = p
            .child("tabs")
            .into_iter()
            .flat_map(|t| t.elements())
            .filter_map(|t| {
                let kind = match t.attr("val") {
                    Some("center") => Some(TabKind::Center),
                    Some("right" | "end" | "decimal") => Some(TabKind::Right),
                    Some("clear") => None,
                    _ => Some(TabKind::Left),
                };
                Some((t.twips("pos")?, kind))
            })
            .collect();
        ParagraphLayer {
            align: p.val("jc").map(alignment),
            left: of(&["left", "start"]),
            right: of(&["right", "end"]),
            first: of(&["hanging"]).map(|h| -h).or_else(|| of(&["firstLine"])),
            before: spacing.and_then(|s| s.twips("before")),
            after: spacing.and_then(|s| s.twips("after")),
            line,
            contextual: p.toggle("contextualSpacing"),
            shading: p.child("shd").map(|s| s.attr("fill").and_then(color)),
            top: border("top"),
            bottom: border("bottom"),
            tabs,
            keep_next: p.toggle("keepNext"),
            page_break_before: p.toggle("pageBreakBefore"),
            list: p.child("numPr").map(|n| {
                let level = n.child("ilvl").and_then(|l| l.number("val")).unwrap_or(0.0).clamp(0.0, 8.0);
                (n.val("numId").unwrap_or("0").to_owned(), level as usize)
            }),
        }
    }

    /// Lays this over what is below.
    pub fn over(&self, below: &mut ParagraphLayer) {
        fn set<T: Clone>(to: &mut Option<T>, from: &Option<T>) {
            if from.is_some() {
                to.clone_from(from);
            }
        }
        set(&mut below.align, &self.align);
        set(&mut below.left, &self.left);
        set(&mut below.right, &self.right);
        set(&mut below.first, &self.first);
        set(&mut below.before, &self.before);
        set(&mut below.after, &self.after);
        set(&mut below.line, &self.line);
        set(&mut below.contextual, &self.contextual);
        set(&mut below.shading, &self.shading);
        set(&mut below.top, &self.top);
        set(&mut below.bottom, &self.bottom);
        set(&mut below.keep_next, &self.keep_next);
        set(&mut below.page_break_before, &self.page_break_before);
        set(&mut below.list, &self.list);
        for (at, kind) in &self.tabs {
            below.tabs.retain(|(own, _)| (own - at).abs() > 0.5);
            below.tabs.push((*at, *kind));
        }
    }
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
        "dotDash" => Some("dash-dotted"),
        _ => None,
    };
    let width = b.number("sz").map_or(0.5, |eighths| (eighths / 8.0).clamp(0.25, 12.0));
    Some(Border { width, color: b.attr("color").and_then(color).unwrap_or_else(|| Arc::from("000000")), dash })
}
