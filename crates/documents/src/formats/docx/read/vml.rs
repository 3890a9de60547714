//! Drawings of older documents (ECMA-376 part 4, 19): pictures, text boxes,
//! simple shapes and the large words of watermarks.

use std::collections::HashMap;
use std::sync::Arc;

use roxmltree::Node;

use super::Reader;
use crate::formats::docx::properties::color;
use crate::formats::docx::xml::Ask;
use crate::model::{Anchored, Border, Drawing, Form, From, Inline, LeftOut, Position, Shows, TextBox, Vertical, Wrap};

/// The declarations of a shape's style.
struct Style<'x>(HashMap<&'x str, &'x str>);

impl<'x> Style<'x> {
    fn of(node: Node<'x, 'x>) -> Style<'x> {
        let pairs = node.attr("style").unwrap_or_default().split(';').filter_map(|d| d.split_once(':'));
        Style(pairs.map(|(name, value)| (name.trim(), value.trim())).collect())
    }

    /// A length in points; one without a unit is in pixels.
    fn length(&self, name: &str) -> Option<f64> {
        length(self.0.get(name)?)
    }

    fn position(&self, axis: &str, side: &str) -> Position {
        let word = |suffix: &str| self.0.get(format!("mso-position-{axis}{suffix}").as_str()).copied().unwrap_or_default();
        let from = match word("-relative") {
            "page" => From::Page,
            relative if relative.ends_with("margin") || relative.contains("margin-area") => From::Margin,
            _ => From::Text,
        };
        let at = match word("") {
            "center" => Err(0.5),
            "right" | "bottom" | "outside" => Err(1.0),
            "left" | "top" | "inside" => Err(0.0),
            _ => Ok(self.length(&format!("margin-{side}")).or_else(|| self.length(side)).unwrap_or(0.0).clamp(-5000.0, 5000.0)),
        };
        Position { from, at }
    }
}

fn length(text: &str) -> Option<f64> {
    let units = [("pt", 1.0), ("in", 72.0), ("cm", 72.0 / 2.54), ("mm", 7.2 / 2.54), ("px", 0.75), ("pc", 12.0), ("", 0.75)];
    let (number, factor) = units.iter().find_map(|(unit, factor)| Some((text.strip_suffix(unit)?.trim(), factor)))?;
    number.parse::<f64>().ok().filter(|n| n.is_finite()).map(|n| n * factor)
}

/// A colour as an attribute has it: six or three digits, or a common name.
fn ink(text: &str) -> Option<Arc<str>> {
    let text = text.split_whitespace().next()?;
    match text.strip_prefix('#') {
        Some(digits) if digits.len() == 3 => color(&digits.chars().flat_map(|c| [c, c]).collect::<String>()),
        Some(digits) => color(digits),
        None => Some(Arc::from(match text {
            "white" | "window" => "FFFFFF",
            "red" => "FF0000",
            "silver" => "C0C0C0",
            "gray" => "808080",
            "blue" => "0000FF",
            "yellow" => "FFFF00",
            "green" => "008000",
            _ => "000000",
        })),
    }
}

impl Reader<'_, '_, '_> {
    /// What a `pict` or `object` shows.
    pub(super) fn vml<'x>(&mut self, holder: Node<'x, 'x>) -> Option<Inline> {
        let kinds = ["shape", "rect", "roundrect", "oval", "line", "group"];
        let shape = holder.elements().find(|n| kinds.contains(&n.name()))?;
        let style = Style::of(shape);
        let size = |name: &str| style.length(name).filter(|s| (0.0..=5000.0).contains(s));
        let (mut width, mut height) = (size("width").unwrap_or(0.0), size("height").unwrap_or(0.0));
        let off = |name: &str| matches!(shape.attr(name), Some("f" | "false" | "0"));
        if shape.attr("hr") == Some("t") {
            // A rule across the text.
            width = if width > 0.0 { width } else { 451.0 };
            height = height.max(0.75);
        }
        let form = match shape.name() {
            "oval" => Form::Ellipse,
            "roundrect" => Form::Rounded,
            "line" => {
                let corner = |name: &str| {
                    let (x, y) = shape.attr(name)?.split_once(',')?;
                    Some((length(x.trim())?, length(y.trim())?))
                };
                let (from, to) = (corner("from")?, corner("to")?);
                (width, height) = ((to.0 - from.0).abs(), (to.1 - from.1).abs());
                if (to.0 > from.0) == (to.1 > from.1) { Form::Line } else { Form::RisingLine }
            }
            _ => Form::Rectangle,
        };
        let shows = if let Some(image) = shape.child("imagedata") {
            let part = image.attr("id").and_then(|id| self.look.target(self.added, &self.current, id));
            let text = shape.attr("alt").or_else(|| image.attr("title")).unwrap_or_default().to_owned();
            match part.and_then(|p| self.look.picture(self.added, p)).cloned() {
                Some(part) => Shows::Picture { part, crop: [0.0; 4], text },
                None => {
                    let kind =
                        part.and_then(|t| t.rsplit_once('.')).map_or("picture".to_owned(), |(_, e)| e.to_ascii_uppercase() + " picture");
                    self.frame(&format!("A {kind}"), &text, width, height).shows
                }
            }
        } else if let Some(words) = shape.child("textpath").and_then(|t| t.attr("string")) {
            let font = shape.child("textpath").and_then(|t| t.attr("style")).and_then(|s| s.split("font-family:").nth(1));
            let font = font.map_or("Calibri", |f| f.split(';').next().unwrap_or_default().trim_matches(['"', '\'', ' ']));
            let paint = shape.attr("fillcolor").and_then(ink).unwrap_or_else(|| Arc::from("C0C0C0"));
            let faint = shape.child("fill").and_then(|f| f.attr("opacity")).is_some();
            Shows::Words(words.to_owned(), Arc::from(font), paint, faint)
        } else if shape.name() == "group" {
            self.left_out.insert(LeftOut::Passed("a legacy (VML) drawing group"));
            return None;
        } else {
            let is_line = matches!(form, Form::Line | Form::RisingLine);
            let line = (!off("stroked")).then(|| Border {
                width: shape.attr("strokeweight").and_then(length).unwrap_or(0.75).clamp(0.1, 72.0),
                color: shape.attr("strokecolor").and_then(ink).unwrap_or_else(|| Arc::from("000000")),
                dash: shape.child("stroke").and_then(|s| s.attr("dashstyle")).map(|d| if d.contains("dot") { "dotted" } else { "dashed" }),
                double: false,
                space: 0.0,
            });
            let plain = || if shape.attr("fillcolor").is_some() || shape.name() != "shape" { Some(Arc::from("FFFFFF")) } else { None };
            let fill = if off("filled") || is_line { None } else { shape.attr("fillcolor").and_then(ink).or_else(plain) };
            let text = shape.child("textbox").map(|textbox| {
                let mut margin = [3.6, 7.2, 3.6, 7.2];
                // Left, top, right, bottom; what is left open stays.
                for (text, to) in textbox.attr("inset").unwrap_or_default().split(',').zip([3, 0, 1, 2]) {
                    margin[to] = length(text.trim()).filter(|_| !text.trim().is_empty()).unwrap_or(margin[to]).clamp(0.0, 500.0);
                }
                TextBox {
                    blocks: textbox.child("txbxContent").map(|c| self.text_box(c, None)).unwrap_or_default(),
                    margin,
                    vertical: Vertical::Top,
                    grows: textbox.attr("style").is_some_and(|s| s.contains("mso-fit-shape-to-text:t")),
                }
            });
            Shows::Shape { form, fill, line, text }
        };
        let turned = style.0.get("rotation").and_then(|r| r.parse::<f64>().ok()).unwrap_or(0.0) % 360.0;
        let drawing = Drawing { width, height, turned, shows };
        if style.0.get("position") != Some(&"absolute") {
            return Some(Inline::Drawing(Arc::new(drawing)));
        }
        let behind = style.0.get("z-index").and_then(|z| z.parse::<f64>().ok()).is_some_and(|z| z < 0.0);
        let wrap = match shape.child("wrap").and_then(|w| w.attr("type")) {
            Some("square" | "tight" | "through") => Wrap::Beside,
            Some("topAndBottom") => Wrap::TopAndBottom,
            _ => Wrap::None,
        };
        let (x, y) = (style.position("horizontal", "left"), style.position("vertical", "top"));
        Some(Inline::Anchored(Arc::new(Anchored { drawing, x, y, wrap, behind, distance: [0.0, 9.0, 0.0, 9.0] })))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lengths_and_colours_of_styles() {
        assert_eq!([length("1in"), length("36pt"), length("96"), length("x")], [Some(72.0), Some(36.0), Some(72.0), None]);
        assert_eq!(ink("#abc [3204]").as_deref(), Some("AABBCC"));
        assert_eq!(ink("silver").as_deref(), Some("C0C0C0"));
    }
}
