//! Drawings: pictures, shapes, text boxes, in the line or apart from it
//! (ECMA-376 part 1, 20.1, 20.2, 20.4; shapes of word processors as their own
//! schema has them). English metric units are 12 700 to the point.

use std::sync::Arc;

use roxmltree::Node;

use super::{DEEPEST, Reader};
use crate::formats::docx::properties::{TextLayer, color, mixed};
use crate::formats::docx::styles::PartLayer;
use crate::formats::docx::xml::Ask;
use crate::model::{Anchored, Border, Drawing, Form, From, Inline, LeftOut, Position, Shows, TextBox, TextStyle, Vertical, Wrap};

/// Points of a length in English metric units.
fn emu<'x>(node: Node<'x, 'x>, name: &str) -> Option<f64> {
    node.number(name).map(|n| n / 12_700.0)
}

const LARGEST: f64 = 5000.0;
/// How deep text boxes may lie in one another: word processors have none in others, and
/// the typesetter gives up on eight.
const DEEPEST_BOX: usize = 4;

impl Reader<'_, '_, '_> {
    /// Whether a choice of a file holds only what can be drawn.
    pub(super) fn can_show<'x>(&self, choice: Node<'x, 'x>) -> bool {
        let known = |uri: &str| {
            ["/picture", "/wordprocessingShape", "/wordprocessingGroup", "/wordprocessingCanvas"].iter().any(|k| uri.ends_with(k))
        };
        let mut data = choice.descendants().filter(|n| n.is_element() && n.name() == "graphicData").peekable();
        data.peek().is_none() || data.all(|d| d.attr("uri").is_some_and(known))
    }

    /// A drawing, in the line or anchored, within text of that look.
    pub(super) fn drawing<'x>(&mut self, drawing: Node<'x, 'x>, style: &Arc<TextStyle>) -> Option<Inline> {
        let holder = drawing.child("inline").or_else(|| drawing.child("anchor"))?;
        let extent = holder.child("extent")?;
        let (width, height) = (emu(extent, "cx")?, emu(extent, "cy")?);
        if !(0.0..=LARGEST).contains(&width) || !(0.0..=LARGEST).contains(&height) {
            return None;
        }
        let properties = holder.child("docPr");
        if matches!(properties.and_then(|d| d.attr("hidden")), Some("1" | "true")) {
            return None;
        }
        let id = properties.and_then(|d| d.attr("id")).and_then(|id| id.parse::<u32>().ok());
        if let Some(id) = id.filter(|id| self.added.signers.contains_key(id)) {
            return Some(Inline::Signer(id, width, height, style.clone()));
        }
        let text = properties.and_then(|d| d.attr("descr")).unwrap_or_default();
        let data = holder.find("graphicData")?;
        let shown = data.elements().find_map(|node| self.drawn(node, (width, height), text));
        let drawing = shown.unwrap_or_else(|| {
            let kind = data.attr("uri").and_then(|u| u.rsplit('/').next()).unwrap_or("drawing");
            let kind = match kind {
                "chart" | "chartex" => "A chart",
                "diagram" => "A diagram",
                _ => "A drawing",
            };
            self.frame(kind, text, width, height)
        });
        Some(match holder.name() {
            "inline" => Inline::Drawing(Arc::new(drawing)),
            _ => Inline::Anchored(Arc::new(anchored(holder, drawing))),
        })
    }

    /// A labelled frame in place of what can't be drawn.
    pub(super) fn frame(&mut self, kind: &str, text: &str, width: f64, height: f64) -> Drawing {
        let named = if text.is_empty() { kind.to_owned() } else { format!("{kind} ({text})") };
        self.left_out.insert(LeftOut::Drawing(named));
        Drawing { width, height, turned: 0.0, shows: Shows::Frame(if text.is_empty() { kind } else { text }.to_owned()) }
    }

    /// What an element of a drawing shows; a group's parts are drawn one by one.
    fn drawn<'x>(&mut self, node: Node<'x, 'x>, (width, height): (f64, f64), text: &str) -> Option<Drawing> {
        match node.name() {
            "pic" => self.picture(node, width, height, text),
            "wsp" => Some(self.shape(node, width, height)),
            "wgp" | "grpSp" | "wpc" => self.group(node, width, height, text),
            _ => None,
        }
    }

    fn picture<'x>(&mut self, pic: Node<'x, 'x>, width: f64, height: f64, text: &str) -> Option<Drawing> {
        let fill = pic.child("blipFill")?;
        let blip = fill.child("blip")?;
        let target = |node: Node<'x, 'x>| self.look.target(self.added, &self.current, node.attr("embed")?);
        // Lines are drawn as lines where the drawing has them beside its dots.
        let own = blip.find("svgBlip").and_then(target).and_then(|t| self.look.picture(self.added, t));
        let part = own.or_else(|| self.look.picture(self.added, target(blip)?)).cloned();
        let turned = pic.child("spPr").and_then(|p| p.child("xfrm")).and_then(turned).unwrap_or(0.0);
        let Some(part) = part else {
            let kind = target(blip).and_then(|t| t.rsplit_once('.')).map(|(_, e)| e.to_ascii_uppercase());
            let kind = kind.map_or("A picture that the document only links to".to_owned(), |k| format!("A {k} picture"));
            return Some(self.frame(&kind, text, width, height));
        };
        let share = |name: &str| fill.child("srcRect").and_then(|r| r.number(name)).map_or(0.0, |n| (n / 100_000.0).clamp(-1.0, 0.99));
        let crop = [share("t"), share("r"), share("b"), share("l")];
        Some(Drawing { width, height, turned, shows: Shows::Picture { part, crop, text: text.to_owned() } })
    }

    fn group<'x>(&mut self, group: Node<'x, 'x>, width: f64, height: f64, text: &str) -> Option<Drawing> {
        if self.depth >= DEEPEST {
            return None;
        }
        let frame = group.child("grpSpPr").and_then(|p| p.child("xfrm"));
        let corner = |name: &str, x: &str| frame.and_then(|f| f.child(name)).and_then(|c| emu(c, x));
        let (left, top) = (corner("chOff", "x").unwrap_or(0.0), corner("chOff", "y").unwrap_or(0.0));
        let scale = |child: Option<f64>, own: f64| child.filter(|c| *c > 0.01).map_or(1.0, |c| own / c);
        let (across, down) = (scale(corner("chExt", "cx"), width), scale(corner("chExt", "cy"), height));
        self.depth += 1;
        let mut parts = Vec::new();
        for node in group.elements() {
            let own = node.child("spPr").or_else(|| node.child("grpSpPr")).and_then(|p| p.child("xfrm"));
            let (Some(at), Some(size)) = (own.and_then(|f| f.child("off")), own.and_then(|f| f.child("ext"))) else { continue };
            let (Some(x), Some(y), Some(w), Some(h)) = (emu(at, "x"), emu(at, "y"), emu(size, "cx"), emu(size, "cy")) else { continue };
            let alt = node.child("cNvPr").and_then(|p| p.attr("descr")).unwrap_or(text);
            let bounded = |n: f64| n.clamp(-LARGEST, LARGEST);
            if let Some(drawn) = self.drawn(node, (bounded(w * across), bounded(h * down)), alt) {
                parts.push((bounded((x - left) * across), bounded((y - top) * down), drawn));
            }
        }
        self.depth -= 1;
        Some(Drawing { width, height, turned: frame.and_then(turned).unwrap_or(0.0), shows: Shows::Group(parts) })
    }

    fn shape<'x>(&mut self, shape: Node<'x, 'x>, width: f64, height: f64) -> Drawing {
        let properties = shape.child("spPr");
        let style = shape.child("style");
        let frame = properties.and_then(|p| p.child("xfrm"));
        let flag = |name: &str| frame.is_some_and(|f| matches!(f.attr(name), Some("1" | "true")));
        let named = properties.and_then(|p| p.child("prstGeom")).and_then(|g| g.attr("prst"));
        let form = match named {
            Some("ellipse") => Form::Ellipse,
            Some("roundRect") => Form::Rounded,
            Some("line" | "straightConnector1") if flag("flipH") != flag("flipV") => Form::RisingLine,
            Some("line" | "straightConnector1") => Form::Line,
            Some("rect") | None => Form::Rectangle,
            Some(_) => {
                self.left_out.insert(LeftOut::Passed("the outline of a shape other than rectangle, ellipse or line"));
                Form::Rectangle
            }
        };
        let of_style = |name: &str| {
            let own = style?.child(name)?;
            (own.attr("idx") != Some("0")).then(|| self.drawing_color(own))?
        };
        let plain = |p: Node<'x, 'x>| match p.child("noFill") {
            Some(_) => Some(None),
            None => p.child("solidFill").map(|f| self.drawing_color(f)),
        };
        let fill = match properties.and_then(plain) {
            Some(fill) => fill,
            // A blend is shown by its first colour.
            None => match properties.and_then(|p| p.child("gradFill")).and_then(|g| g.find("gs")) {
                Some(first) => self.drawing_color(first),
                None => of_style("fillRef"),
            },
        };
        let outline = properties.and_then(|p| p.child("ln"));
        let ink = match outline.and_then(plain) {
            Some(ink) => ink,
            None => of_style("lnRef"),
        };
        let line = ink.map(|color| Border {
            width: outline.and_then(|l| emu(l, "w")).unwrap_or(0.75).clamp(0.1, 72.0),
            color,
            dash: match outline.and_then(|l| l.val("prstDash")) {
                Some("dash" | "lgDash" | "sysDash") => Some("dashed"),
                Some("dot" | "sysDot") => Some("dotted"),
                Some("dashDot" | "lgDashDot" | "sysDashDot" | "lgDashDotDot" | "sysDashDotDot") => Some("dash-dotted"),
                _ => None,
            },
            double: false,
            space: 0.0,
        });
        let ink = style.and_then(|s| s.child("fontRef")).and_then(|f| self.drawing_color(f));
        let body = shape.child("bodyPr");
        let text = shape.child("txbx").and_then(|t| t.child("txbxContent")).map(|content| {
            let inset = |name: &str, own: f64| body.and_then(|b| emu(b, name)).unwrap_or(own).clamp(0.0, 500.0);
            TextBox {
                blocks: self.text_box(content, ink),
                margin: [inset("tIns", 3.6), inset("rIns", 7.2), inset("bIns", 3.6), inset("lIns", 7.2)],
                vertical: match body.and_then(|b| b.attr("anchor")) {
                    Some("ctr") => Vertical::Middle,
                    Some("b") => Vertical::Bottom,
                    _ => Vertical::Top,
                },
                grows: body.is_some_and(|b| b.child("spAutoFit").is_some()),
            }
        });
        Drawing { width, height, turned: frame.and_then(turned).unwrap_or(0.0), shows: Shows::Shape { form, fill, line, text } }
    }

    /// The text of a text box, in the shape's own colour where no style says one.
    pub(super) fn text_box<'x>(&mut self, content: Node<'x, 'x>, ink: Option<Arc<str>>) -> Vec<crate::model::Block> {
        if self.apart >= DEEPEST_BOX {
            self.left_out.insert(LeftOut::Passed("text in a text box nested more than four deep"));
            return Vec::new();
        }
        let outer = (std::mem::take(&mut self.table), std::mem::take(&mut self.fields));
        self.table.push(PartLayer { text: TextLayer { color: ink.map(Some), ..TextLayer::default() }, ..PartLayer::default() });
        self.apart += 1;
        let blocks = self.blocks(content);
        self.apart -= 1;
        (self.table, self.fields) = outer;
        blocks
    }

    /// The colour in an element of a drawing (ECMA-376 part 1, 20.1.2.3).
    fn drawing_color<'x>(&self, holder: Node<'x, 'x>) -> Option<Arc<str>> {
        let node = holder.elements().find(|n| matches!(n.name(), "srgbClr" | "schemeClr" | "sysClr" | "prstClr"))?;
        let own = match node.name() {
            "srgbClr" => color(node.attr("val")?)?,
            "sysClr" => color(node.attr("lastClr")?)?,
            "prstClr" => Arc::from(preset(node.attr("val")?)?),
            _ => self.look.styles.theme.color(node.attr("val")?)?.clone(),
        };
        let share = |name: &str| node.child(name).and_then(|n| n.number("val")).map(|n| n / 100_000.0);
        let mut shown = own;
        if let Some(shade) = share("shade") {
            shown = mixed(&shown, 0.0, shade);
        }
        if let Some(tint) = share("tint") {
            shown = mixed(&shown, 255.0, tint);
        }
        // Less light with more of white: the pale colours of themes.
        match (share("lumMod"), share("lumOff")) {
            (Some(keep), Some(_)) => shown = mixed(&shown, 255.0, keep),
            (Some(keep), None) => shown = mixed(&shown, 0.0, keep),
            _ => {}
        }
        Some(shown)
    }
}

/// How far something is turned, in degrees.
fn turned<'x>(frame: Node<'x, 'x>) -> Option<f64> {
    frame.number("rot").map(|r| (r / 60_000.0) % 360.0)
}

fn preset(name: &str) -> Option<&'static str> {
    Some(match name {
        "black" => "000000",
        "white" => "FFFFFF",
        "red" => "FF0000",
        "green" => "008000",
        "blue" => "0000FF",
        "yellow" => "FFFF00",
        "gray" | "grey" => "808080",
        _ => return None,
    })
}

fn anchored<'x>(anchor: Node<'x, 'x>, drawing: Drawing) -> Anchored {
    let position = |name: &str| {
        let node = anchor.child(name);
        let from = match node.and_then(|n| n.attr("relativeFrom")) {
            Some("page") => From::Page,
            Some("margin" | "leftMargin" | "rightMargin" | "topMargin" | "bottomMargin" | "insideMargin" | "outsideMargin") => From::Margin,
            _ => From::Text,
        };
        let inner = |name: &str| node.and_then(|n| n.child(name)).and_then(|n| n.text()).map(str::trim);
        let at = match inner("align") {
            Some("center") => Err(0.5),
            Some("right" | "bottom" | "outside") => Err(1.0),
            Some(_) => Err(0.0),
            None => Ok(inner("posOffset").and_then(|o| o.parse::<f64>().ok()).map_or(0.0, |o| (o / 12_700.0).clamp(-LARGEST, LARGEST))),
        };
        Position { from, at }
    };
    let distance = |name: &str| emu(anchor, name).unwrap_or(0.0).clamp(0.0, 200.0);
    let wrap = match () {
        () if anchor.child("wrapTopAndBottom").is_some() => Wrap::TopAndBottom,
        () if ["wrapSquare", "wrapTight", "wrapThrough"].iter().any(|w| anchor.child(w).is_some()) => Wrap::Beside,
        () => Wrap::None,
    };
    Anchored {
        drawing,
        x: position("positionH"),
        y: position("positionV"),
        wrap,
        behind: matches!(anchor.attr("behindDoc"), Some("1" | "true")),
        distance: [distance("distT"), distance("distR"), distance("distB"), distance("distL")],
    }
}
