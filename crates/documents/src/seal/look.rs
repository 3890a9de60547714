//! What marks and the attestation look like, typeset as all pages are.

use mangle_core::signing::FieldFont;
use typst::foundations::Bytes;

use super::SealFault;
use crate::layout::markup::literal;
use crate::layout::{FontSet, PdfWish, Standard, typeset_markup};

/// What a signer filled in, as it is to appear.
#[derive(Debug, Clone, Copy)]
pub enum Look<'a> {
    /// A signature or initials: a picture (PNG).
    Drawn(&'a [u8]),
    /// A signature or initials that were typed.
    Typed(&'a str),
    /// A text, a name, a date, in the font of the text around it; in a usual one where there is none.
    Text(&'a str, Option<&'a FieldFont>),
    /// A tick.
    Tick,
}

/// A mark as it is to appear.
#[derive(Debug, Clone, Copy)]
pub struct Drawn<'a> {
    /// What was filled in.
    pub look: Look<'a>,
    /// A line below it that says whose it is and when; blank for none.
    pub line: &'a str,
    /// Width and height in points.
    pub size: (f64, f64),
}

/// Marks as a PDF with a page for each, as large as the mark.
pub fn looks(all: &[Drawn<'_>], fonts: &FontSet) -> Result<Vec<u8>, SealFault> {
    let mut out = String::from(
        "#set text(font: (\"Liberation Sans\", \"DejaVu Sans\", \"Noto Sans\"), size: 10pt, fallback: true, bottom-edge: \"descender\")\n",
    );
    let mut pictures: Vec<(String, Bytes)> = Vec::new();
    for Drawn { look, line, size: (width, height) } in all {
        let (width, height) = (*width, *height);
        // The line below takes its room where there is enough.
        let below = if line.is_empty() || height < 34.0 { 0.0 } else { 7.0 };
        let inner = height - below;
        out.push_str(&format!("#page(width: {width}pt, height: {height}pt, margin: 0pt, fill: none)["));
        out.push_str(&match look {
            Look::Drawn(bytes) => {
                let path = format!("/drawn-{}.png", pictures.len());
                pictures.push((path.clone(), Bytes::new(bytes.to_vec())));
                format!("#box(width: {width}pt, height: {inner}pt, image(\"{path}\", width: {width}pt, height: {inner}pt, fit: \"contain\"))")
            }
            Look::Typed(text) => {
                let size = (inner * 0.55).clamp(6.0, 26.0);
                let text = format!("text(font: \"Liberation Serif\", style: \"italic\", size: {size}pt, {})", literal(text));
                fitted(&text, width, inner, "bottom")
            }
            Look::Text(text, None) => {
                let size = (height * 0.6).clamp(5.0, 10.0);
                fitted(&format!("text(size: {size}pt, {})", literal(text)), width, inner, "bottom")
            }
            Look::Text(text, Some(font)) => fitted(&in_font(text, font, height), width, inner, "bottom"),
            Look::Tick => {
                let side = width.min(height);
                format!(
                    "#place(curve(stroke: (thickness: {t}pt, cap: \"round\", join: \"round\"), curve.move(({a}pt, {b}pt)), curve.line(({c}pt, {d}pt)), curve.line(({e}pt, {f}pt))))",
                    t = side * 0.12,
                    a = side * 0.15,
                    b = side * 0.55,
                    c = side * 0.4,
                    d = side * 0.8,
                    e = side * 0.85,
                    f = side * 0.2
                )
            }
        });
        if below > 0.0 {
            let text = format!("text(size: 5pt, fill: luma(35%), {})", literal(line));
            out.push_str(&format!("#place(bottom + left, box(width: {width}pt, clip: true, {text}))"));
        }
        out.push_str("]\n");
    }
    let pictures: Vec<(&str, Bytes)> = pictures.iter().map(|(path, bytes)| (path.as_str(), bytes.clone())).collect();
    let failed = |e: crate::layout::TypesetError| SealFault::Appearance(e.to_string());
    typeset_markup(out, fonts, &pictures).map_err(failed)?.drawn().map_err(failed)
}

/// A text in a font, as high as its place at most.
fn in_font(text: &str, font: &FieldFont, height: f64) -> String {
    let size = font.size.min(height * 0.8).max(4.0);
    let colour: String = font.colour.chars().filter(char::is_ascii_hexdigit).collect();
    let colour = if colour.len() == 6 { colour } else { "000000".to_owned() };
    let (weight, style) = (if font.bold { 700 } else { 400 }, if font.italic { "italic" } else { "normal" });
    format!(
        "text(font: ({}, \"Liberation Sans\", \"DejaVu Sans\", \"Noto Sans\"), size: {size}pt, fill: rgb(\"#{colour}\"), weight: {weight}, style: \"{style}\", {})",
        literal(&font.family),
        literal(text)
    )
}

/// Content as wide as its place at most.
fn fitted(content: &str, width: f64, height: f64, at: &str) -> String {
    format!(
        "#box(width: {width}pt, height: {height}pt, clip: true, align({at} + left, context {{ let own = {content}; let wide = measure(own).width; if wide > {width}pt {{ scale(x: {width}pt / wide * 100%, origin: left + bottom, reflow: true, own) }} else {{ own }} }}))"
    )
}

/// Somebody who signed.
#[derive(Debug, Clone, Default)]
pub struct Person {
    /// The name.
    pub name: String,
    /// The signer role.
    pub role: String,
    /// Lines of what is known: label and text.
    pub lines: Vec<(String, String)>,
}

/// Something that happened.
#[derive(Debug, Clone, Default)]
pub struct Step {
    /// When.
    pub at: String,
    /// Who.
    pub who: String,
    /// What.
    pub what: String,
}

/// The pages of an attestation: a heading, what is known of the document, the signers, the events.
pub fn attestation(
    title: &str,
    words: &[&str; 4],
    known: &[(String, String)],
    people: &[Person],
    steps: &[Step],
    wish: PdfWish<'_>,
    fonts: &FontSet,
) -> Result<Vec<u8>, SealFault> {
    let [heading, signers, events, end] = *words;
    let mut out = String::from(
        "#set page(paper: \"a4\", margin: (x: 20mm, y: 18mm), numbering: none)\n#set text(font: (\"Liberation Sans\", \"DejaVu Sans\", \"Noto Sans\"), size: 9pt, lang: \"en\")\n#set par(justify: false, leading: 0.5em, spacing: 0.8em)\n#show heading: set block(above: 1.2em, below: 0.6em)\n#show heading.where(level: 1): set text(size: 15pt)\n#show heading.where(level: 2): set text(size: 11pt)\n#let fact(label, value) = block(spacing: 0.45em, grid(columns: (38mm, 1fr), column-gutter: 3mm, text(fill: luma(35%), label), value))\n",
    );
    let fact = |label: &str, text: &str| format!("#fact({}, {})\n", literal(label), literal(text));
    out.push_str(&format!("#heading(level: 1, {})\n#par(strong({}))\n", literal(heading), literal(title)));
    known.iter().for_each(|(label, text)| out.push_str(&fact(label, text)));
    out.push_str(&format!("#heading(level: 2, {})\n", literal(signers)));
    for person in people {
        out.push_str(&format!(
            "#block(breakable: false, above: 1em)[#par(strong({}))\n",
            literal(&format!("{} ({})", person.name, person.role))
        ));
        person.lines.iter().for_each(|(label, text)| out.push_str(&fact(label, text)));
        out.push_str("]\n");
    }
    out.push_str(&format!("#heading(level: 2, {})\n", literal(events)));
    for step in steps {
        out.push_str(&fact(&step.at, &format!("{}: {}", step.who, step.what)));
    }
    out.push_str(&format!("#v(1em)\n#par(text(fill: luma(35%), {}))\n", literal(end)));
    let failed = |e: crate::layout::TypesetError| SealFault::Appearance(e.to_string());
    // What is added to PDF/A must be PDF/A itself.
    let wish = PdfWish { standard: Some(wish.standard.unwrap_or(Standard::A2b)), password: None, ..wish };
    typeset_markup(out, fonts, &[]).map_err(failed)?.pdf_as(wish).map_err(failed)
}
