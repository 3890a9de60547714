//! HTML as a template: the rich bodies of messages. What a person wrote is cleaned once, filled
//! for each record by the same engine as a document, and written as HTML that mail programs show:
//! styles stand in the elements, no script, nothing fetched from elsewhere.

use std::borrow::Cow;
use std::sync::LazyLock;

use quick_xml::events::Event;
use quick_xml::reader::Reader;

use super::compile::{Compiled, compile};
use super::dialect::{Dialect, Role};
use super::draw::{Draw, Drawing};
use super::gather::gather;
use super::{FillError, Place, Placeholder};
use crate::diagnostic::Diagnostic;
use crate::language::{Fault, Scope};
use crate::value::Value;

/// The largest body of a message, in bytes.
pub const LARGEST_BODY: usize = 2 << 20;
/// Where the pictures that a person chose are named: `picture:quay.png`.
const PICTURE: &str = "picture";
/// What elements look like that say nothing themselves.
const STYLES: &[(&str, &str)] = &[
    ("p", "margin:0 0 1em 0"),
    ("h1", "font-size:1.5em;margin:0 0 0.6em 0"),
    ("h2", "font-size:1.25em;margin:0 0 0.6em 0"),
    ("h3", "font-size:1.1em;margin:0 0 0.6em 0"),
    ("ul", "margin:0 0 1em 0;padding-left:1.6em"),
    ("ol", "margin:0 0 1em 0;padding-left:1.6em"),
    ("table", "border-collapse:collapse;margin:0 0 1em 0"),
    ("td", "border:1px solid #c8c8c8;padding:4px 8px;text-align:left;vertical-align:top"),
    ("th", "border:1px solid #c8c8c8;padding:4px 8px;text-align:left;vertical-align:top"),
    ("blockquote", "margin:0 0 1em 0;padding-left:1em;border-left:3px solid #c8c8c8"),
    ("img", "max-width:100%"),
];
/// What the whole looks like.
const WHOLE: &str = "font-family:Arial,Helvetica,sans-serif;font-size:14px;line-height:1.45;color:#222222";

const TAGS: &[&str] = &[
    "a",
    "b",
    "blockquote",
    "br",
    "code",
    "div",
    "em",
    "h1",
    "h2",
    "h3",
    "hr",
    "i",
    "img",
    "li",
    "ol",
    "p",
    "pre",
    "s",
    "span",
    "strong",
    "sub",
    "sup",
    "table",
    "tbody",
    "td",
    "tfoot",
    "th",
    "thead",
    "tr",
    "u",
    "ul",
];
const BLOCKS: &[&str] = &["p", "h1", "h2", "h3", "pre"];
const INLINE: &[&str] = &["a", "b", "code", "em", "i", "s", "span", "strong", "sub", "sup", "u"];
/// The properties that a `style` may set.
const PROPERTIES: &[&str] = &[
    "background-color",
    "border",
    "border-collapse",
    "color",
    "font-family",
    "font-size",
    "font-style",
    "font-weight",
    "height",
    "line-height",
    "margin",
    "padding",
    "padding-left",
    "text-align",
    "text-decoration",
    "vertical-align",
    "width",
];
/// Where a link may lead.
const SCHEMES: &[&str] = &["http", "https", "mailto", "tel"];

const HTML: Dialect = Dialect {
    role: |_, local| match local {
        "p" | "h1" | "h2" | "h3" | "pre" | "li" | "bare" => Role::Paragraph,
        "r" => Role::Run,
        "t" => Role::Text,
        "br" => Role::Break,
        "tab" => Role::Tab,
        "table" => Role::Table,
        "tr" => Role::Row,
        "td" | "th" => Role::Cell,
        _ => Role::Other,
    },
    identity: |_, _| None,
    text: "t",
    line_break: "br",
    tab: "tab",
    paragraph: "p",
    run: "r",
    page_break: "<br/>",
    merge: ("", ""),
    section: ("", ""),
};

/// A compiled body.
#[derive(Debug)]
pub struct HtmlTemplate {
    compiled: Compiled,
    problems: Vec<Diagnostic>,
}

/// A body for one record.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct FilledHtml {
    /// The HTML; its pictures are `cid:picture1`, `cid:picture2` …
    pub html: String,
    /// The same as plain text.
    pub text: String,
    /// The names of the pictures, in the order of their numbers.
    pub pictures: Vec<String>,
}

impl HtmlTemplate {
    /// Compiles a body; what is wrong with it is in [`HtmlTemplate::problems`].
    pub fn new(html: &str) -> HtmlTemplate {
        let mut problems = Vec::new();
        let mut read = Cow::Borrowed(html);
        if html.len() > LARGEST_BODY {
            problems.push(Diagnostic::error("too-large", "the message exceeds 2 MB. Shorten it, and attach its pictures as files."));
            read = Cow::Borrowed("");
        }
        if read.contains("<style") {
            // Mail programs read styles in the elements alone.
            let inliner = css_inline::CSSInliner::options().load_remote_stylesheets(false).keep_style_tags(false).build();
            match inliner.inline(&read) {
                Ok(inlined) => read = Cow::Owned(inlined),
                Err(error) => problems.push(Diagnostic::error("style", format!("the message's styles can't be read: {error}"))),
            }
        }
        let xml = to_xml(&cleaner().clean(&read).to_string());
        let gathered = match gather(xml.into_bytes().into(), &HTML, Place::Text) {
            Ok(gathered) => gathered,
            Err(error) => {
                problems.push(Diagnostic::error("message", format!("the message can't be read: {error}")));
                super::gather_text("")
            }
        };
        let compiled = compile(gathered);
        problems.extend(compiled.problems.iter().cloned());
        HtmlTemplate { compiled, problems }
    }

    /// What is wrong with it.
    pub fn problems(&self) -> &[Diagnostic] {
        &self.problems
    }

    /// Its placeholders.
    pub fn placeholders(&self) -> &[Placeholder] {
        &self.compiled.placeholders
    }

    /// Fills it for one record; what is added at its end is HTML of ours.
    pub fn fill(&self, scope: &Scope<'_>) -> Result<FilledHtml, FillError> {
        let (mut out, mut pictures) = (Vec::new(), Pictures::default());
        match self.compiled.program.fill(scope, &mut out, &mut pictures).errors.into_iter().next() {
            Some(error) => Err(error),
            None => Ok(written(&String::from_utf8(out).unwrap_or_default(), pictures.0)),
        }
    }
}

impl FilledHtml {
    /// Adds a paragraph of plain text at its end; addresses in it are links.
    pub fn append(&mut self, text: &str) {
        let lines: Vec<String> = text.lines().map(linked).collect();
        let paragraph = format!("<p style=\"{}\">{}</p>", style_of("p"), lines.join("<br>"));
        match self.html.strip_suffix("</div>") {
            Some(inner) => self.html = format!("{inner}{paragraph}</div>"),
            None => self.html.push_str(&paragraph),
        }
        self.text = format!("{}\n\n{}\n", self.text.trim_end(), text.trim_end());
    }
}

impl FilledHtml {
    /// Puts a paragraph of plain text before it.
    pub fn prepend(&mut self, text: &str) {
        let paragraph = format!("<p style=\"{}\">{}</p>", style_of("p"), escape(text));
        let whole = format!("<div style=\"{WHOLE}\">");
        let inner = self.html.strip_prefix(&whole).unwrap_or(&self.html).to_owned();
        self.html = format!("{whole}{paragraph}{inner}");
        self.text = format!("{text}\n\n{}", self.text);
    }
}

/// A line with its web addresses as links.
fn linked(line: &str) -> String {
    let words = line.split(' ').map(|word| {
        let escaped = escape(word);
        match word.starts_with("https://") || word.starts_with("http://") {
            true => format!("<a href=\"{escaped}\">{escaped}</a>"),
            false => escaped.into_owned(),
        }
    });
    words.collect::<Vec<_>>().join(" ")
}

fn escape(text: &str) -> Cow<'_, str> {
    quick_xml::escape::escape(text)
}

fn style_of(name: &str) -> &'static str {
    STYLES.iter().find(|(own, _)| *own == name).map(|(_, style)| *style).unwrap_or_default()
}

fn cleaner() -> &'static ammonia::Builder<'static> {
    static CLEANER: LazyLock<ammonia::Builder<'static>> = LazyLock::new(|| {
        let mut cleaner = ammonia::Builder::empty();
        cleaner
            .tags(TAGS.iter().copied().collect())
            .clean_content_tags(["script", "style", "template", "noscript", "iframe", "object"].into())
            .generic_attributes(["style"].into())
            .tag_attributes(
                [
                    ("a", ["href", "title"].into()),
                    ("img", ["src", "alt", "width", "height"].into()),
                    ("td", ["colspan", "rowspan"].into()),
                    ("th", ["colspan", "rowspan"].into()),
                    ("ol", ["start"].into()),
                ]
                .into(),
            )
            .filter_style_properties(PROPERTIES.iter().copied().collect())
            .url_schemes(SCHEMES.iter().copied().chain([PICTURE]).collect())
            // An address may begin with a placeholder; what it comes to is looked at again.
            .url_relative(ammonia::UrlRelative::PassThrough)
            .link_rel(None);
        cleaner
    });
    &CLEANER
}

/// What stands in clean HTML: a start tag with its attributes, an end tag, or text.
enum Token<'a> {
    Start(&'a str, Vec<(&'a str, String)>),
    End(&'a str),
    Text(String),
}

/// The tokens of HTML as the cleaner writes it: every attribute quoted, nothing left open.
fn tokens(html: &str) -> Vec<Token<'_>> {
    let mut all = Vec::new();
    let mut rest = html;
    while !rest.is_empty() {
        let Some(tag) = rest.strip_prefix('<') else {
            let end = rest.find('<').unwrap_or(rest.len());
            all.push(Token::Text(unescape(&rest[..end])));
            rest = &rest[end..];
            continue;
        };
        let mut quoted = false;
        let end = tag.find(|c: char| {
            quoted ^= c == '"';
            c == '>' && !quoted
        });
        let Some(end) = end else { break };
        let inner = &tag[..end];
        rest = &tag[end + 1..];
        if let Some(name) = inner.strip_prefix('/') {
            all.push(Token::End(name.trim()));
            continue;
        }
        let (name, mut attributes) = inner.split_once(' ').unwrap_or((inner, ""));
        let mut own = Vec::new();
        while let Some((key, after)) = attributes.split_once("=\"") {
            let Some((value, after)) = after.split_once('"') else { break };
            own.push((key.trim(), unescape(value)));
            attributes = after;
        }
        all.push(Token::Start(name.trim_end_matches('/'), own));
    }
    all
}

/// The entities that the cleaner writes (HTML, 13.3).
fn unescape(text: &str) -> String {
    text.replace("&lt;", "<").replace("&gt;", ">").replace("&quot;", "\"").replace("&nbsp;", "\u{a0}").replace("&amp;", "&")
}

/// Clean HTML as XML that is gathered like a document: each text in a run, text that stands in no
/// paragraph in one of its own, and attributes with placeholders as texts before the element's own.
fn to_xml(html: &str) -> String {
    let mut xml = String::from("<body>");
    // The elements that are open, and whether a paragraph of ours is.
    let mut open: Vec<&str> = Vec::new();
    let mut bare = false;
    let in_paragraph = |open: &[&str]| {
        open.iter()
            .rev()
            .take_while(|name| !["td", "th", "div", "blockquote"].contains(*name))
            .any(|name| BLOCKS.contains(name) || *name == "li")
    };
    let mut first_of_item = false;
    for token in tokens(html) {
        match token {
            Token::Text(text) => {
                if !in_paragraph(&open) {
                    if text.trim().is_empty() && !bare {
                        continue;
                    }
                    if !bare {
                        xml.push_str("<bare>");
                        bare = true;
                    }
                }
                first_of_item = false;
                let inner = text.replace(['\r', '\n', '\t'], " ");
                xml.push_str(&format!("<r><t xml:space=\"preserve\">{}</t></r>", escape(&inner)));
            }
            Token::Start(name, attributes) => {
                if ["thead", "tbody", "tfoot"].contains(&name) {
                    continue;
                }
                let inline = INLINE.contains(&name) || ["br", "img"].contains(&name);
                if inline && !in_paragraph(&open) && !bare {
                    xml.push_str("<bare>");
                    bare = true;
                }
                if !inline && bare {
                    xml.push_str("</bare>");
                    bare = false;
                }
                let (fixed, filled): (Vec<_>, Vec<_>) = attributes.into_iter().partition(|(_, value)| !value.contains("[:"));
                let own: String = fixed.iter().map(|(key, value)| format!(" {key}=\"{}\"", escape(value))).collect();
                let filled: String = filled
                    .iter()
                    .map(|(key, value)| {
                        format!("<attribute name=\"{key}\"><r><t xml:space=\"preserve\">{}</t></r></attribute>", escape(value))
                    })
                    .collect();
                // The first paragraph of an item is the item's own text.
                let written = if name == "p" && first_of_item { "own" } else { name };
                first_of_item = name == "li";
                match name {
                    "br" => xml.push_str("<r><br/></r>"),
                    "img" => xml.push_str(&format!("<r><img{own}>{filled}</img></r>")),
                    "hr" => xml.push_str(&format!("<hr{own}/>")),
                    _ => {
                        xml.push_str(&format!("<{written}{own}>{filled}"));
                        open.push(written);
                    }
                }
            }
            Token::End(name) => {
                if ["thead", "tbody", "tfoot", "br", "img", "hr"].contains(&name) {
                    continue;
                }
                if bare && !INLINE.contains(&name) {
                    xml.push_str("</bare>");
                    bare = false;
                }
                if let Some(closed) = open.pop() {
                    xml.push_str(&format!("</{closed}>"));
                }
            }
        }
    }
    if bare {
        xml.push_str("</bare>");
    }
    for name in open.iter().rev() {
        xml.push_str(&format!("</{name}>"));
    }
    xml.push_str("</body>");
    xml
}

/// Pictures by their names, each once.
#[derive(Default)]
struct Pictures(Vec<String>);

impl Pictures {
    /// The number of a picture, from 1.
    fn number(&mut self, name: &str) -> usize {
        let known = self.0.iter().position(|own| own == name);
        known.unwrap_or_else(|| {
            self.0.push(name.to_owned());
            self.0.len() - 1
        }) + 1
    }
}

impl Draw for Pictures {
    fn draw(&mut self, drawing: &Drawing<'_>, _: Option<&[u8]>) -> Result<Option<Vec<u8>>, Fault> {
        let (value, sizes) = match drawing {
            Drawing::Picture { value, sizes } => (*value, *sizes),
            Drawing::Barcode { .. } => return Err(Fault::Drawing("a barcode can't be used in a message. Remove it.".to_owned())),
            Drawing::Signer(_) => return Err(Fault::Drawing("a signature field can't be used in a message. Remove it.".to_owned())),
        };
        let name = match value {
            Value::Blank => return Ok(None),
            Value::Text(name) if name.trim().is_empty() => return Ok(None),
            Value::Text(name) => name.trim(),
            _ => return Err(Fault::Drawing("a picture in a message is named by a text field. Choose that.".to_owned())),
        };
        let number = self.number(name);
        // 96 dots to the inch, 72 points (CSS Values 4, 6.2).
        let dots = |points: Option<f64>, what: &str| points.map(|p| format!(" {what}=\"{:.0}\"", p * 96.0 / 72.0)).unwrap_or_default();
        let width = dots(sizes.width.or(sizes.fit.map(|fit| fit.0)), "width");
        let height = dots(sizes.height.filter(|_| sizes.width.is_none()), "height");
        Ok(Some(format!("<img src=\"cid:picture{number}\" alt=\"\"{width}{height}/>").into_bytes()))
    }
}

/// An element whose start tag is not written yet: attributes may follow.
struct Pending {
    name: String,
    attributes: Vec<(String, String)>,
    /// Whether it is a paragraph of a table's cell, which has no room below it.
    in_cell: bool,
}

/// Filled XML as HTML and as text.
fn written(xml: &str, pictures: Vec<String>) -> FilledHtml {
    let mut pictures = Pictures(pictures);
    let mut html = format!("<div style=\"{WHOLE}\">");
    let mut reader = Reader::from_str(xml);
    let mut pending: Option<Pending> = None;
    let mut attribute: Option<(String, String)> = None;
    let mut cells = 0usize;
    let flush = |pending: &mut Option<Pending>, html: &mut String, pictures: &mut Pictures| {
        if let Some(own) = pending.take() {
            write_start(&own, html, pictures);
        }
    };
    // It is what the engine wrote over what was read before.
    while let Ok(event) = reader.read_event() {
        match event {
            Event::Eof => break,
            Event::Start(tag) | Event::Empty(tag) if tag.name().as_ref() == "attribute" => {
                let name = tag.attributes().flatten().next().map(|own| own.value.into_owned()).unwrap_or_default();
                attribute = Some((name, String::new()));
            }
            Event::End(tag) if tag.name().as_ref() == "attribute" => {
                if let (Some(pending), Some(own)) = (pending.as_mut(), attribute.take()) {
                    pending.attributes.push(own);
                }
            }
            Event::Start(tag) => match tag.name().as_ref() {
                "r" | "t" | "body" | "bare" | "own" => {}
                name => {
                    flush(&mut pending, &mut html, &mut pictures);
                    pending = Some(Pending { name: name.to_owned(), attributes: attributes(&tag), in_cell: cells > 0 });
                    cells += usize::from(["td", "th"].contains(&name));
                }
            },
            Event::Empty(tag) => match tag.name().as_ref() {
                "r" | "t" | "body" | "bare" | "own" => {}
                "br" if attribute.is_some() => {}
                "tab" if attribute.is_none() => {
                    flush(&mut pending, &mut html, &mut pictures);
                    html.push_str("&emsp;");
                }
                name => {
                    flush(&mut pending, &mut html, &mut pictures);
                    let own = Pending { name: name.to_owned(), attributes: attributes(&tag), in_cell: cells > 0 };
                    write_start(&own, &mut html, &mut pictures);
                    if !["br", "hr", "img"].contains(&name) {
                        html.push_str(&format!("</{name}>"));
                    }
                }
            },
            Event::End(tag) => {
                let (name, nothing) = (tag.name(), ["r", "t", "body"]);
                match name.as_ref() {
                    // Text outside of a paragraph ends with its line.
                    "bare" => html.push_str("<br>"),
                    "own" => {}
                    name if nothing.contains(&name) => {}
                    name => {
                        flush(&mut pending, &mut html, &mut pictures);
                        cells -= usize::from(["td", "th"].contains(&name)).min(cells);
                        if name != "img" {
                            html.push_str(&format!("</{name}>"));
                        }
                    }
                }
            }
            Event::Text(text) => {
                let text = text.xml10_content();
                push_text(&text, &mut attribute, &mut pending, &mut html, &mut pictures);
            }
            Event::GeneralRef(name) => {
                let text = match name.resolve_char_ref() {
                    Ok(Some(sign)) => sign.to_string(),
                    _ => quick_xml::escape::resolve_xml_entity(&name).unwrap_or_default().to_owned(),
                };
                push_text(&text, &mut attribute, &mut pending, &mut html, &mut pictures);
            }
            _ => {}
        }
    }
    html.push_str("</div>");
    let text = html2text::config::plain().no_table_borders().no_link_wrapping().string_from_read(html.as_bytes(), 78).unwrap_or_default();
    FilledHtml { html, text, pictures: pictures.0 }
}

fn push_text(
    text: &str,
    attribute: &mut Option<(String, String)>,
    pending: &mut Option<Pending>,
    html: &mut String,
    pictures: &mut Pictures,
) {
    if let Some((_, value)) = attribute {
        value.push_str(text);
        return;
    }
    if text.is_empty() {
        return;
    }
    if let Some(own) = pending.take() {
        write_start(&own, html, pictures);
    }
    html.push_str(&escape(text).replace('\u{a0}', "&nbsp;"));
}

fn attributes(tag: &quick_xml::events::BytesStart<'_>) -> Vec<(String, String)> {
    let own = tag.attributes().flatten().filter(|one| one.key.as_ref() != "xml:space");
    own.map(|one| {
        let value = one.normalized_value(quick_xml::XmlVersion::Implicit1_0).map(Cow::into_owned).unwrap_or_default();
        (one.key.as_ref().to_owned(), value)
    })
    .collect()
}

/// Writes a start tag: its addresses are looked at, whatever a record made of them.
fn write_start(own: &Pending, html: &mut String, pictures: &mut Pictures) {
    let mut style = if own.in_cell && own.name == "p" { "margin:0".to_owned() } else { style_of(&own.name).to_owned() };
    let mut rest = String::new();
    for (name, value) in &own.attributes {
        match name.as_str() {
            "style" if style.is_empty() => style.clone_from(value),
            "style" => style = format!("{style};{value}"),
            "href" => {
                let allowed = value.trim().split_once(':').is_some_and(|(scheme, _)| SCHEMES.contains(&scheme.to_lowercase().as_str()));
                if allowed {
                    rest.push_str(&format!(" href=\"{}\"", escape(value.trim())));
                }
            }
            "src" => {
                let named = value.trim().strip_prefix("cid:").map(str::to_owned);
                let chosen = value.trim().strip_prefix(PICTURE).and_then(|rest| rest.strip_prefix(':'));
                let source = named.or_else(|| chosen.map(|name| format!("picture{}", pictures.number(&decoded(name)))));
                if let Some(source) = source {
                    rest.push_str(&format!(" src=\"cid:{}\"", escape(&source)));
                }
            }
            _ => rest.push_str(&format!(" {name}=\"{}\"", escape(value))),
        }
    }
    if !style.is_empty() {
        rest.push_str(&format!(" style=\"{}\"", escape(&style)));
    }
    html.push_str(&format!("<{}{rest}>", own.name));
}

/// The names of the pictures that a body shows always, not from the record.
pub fn pictures_named(html: &str) -> Vec<String> {
    let before = format!("\"{PICTURE}:");
    let places = html.split(&before).skip(1);
    places.filter_map(|rest| rest.split_once('"')).map(|(name, _)| decoded(name)).collect()
}

/// A picture's name as it stands in an address: spaces and letters may be written in percent.
fn decoded(name: &str) -> String {
    url::form_urlencoded::parse(format!("n={}", name.replace('+', "%2B")).as_bytes())
        .next()
        .map(|(_, name)| name.into_owned())
        .unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use super::*;
    use crate::language::{Context, Ties};
    use crate::records::{Column, ColumnType, Record, Schema};
    use crate::value::Locale;

    fn filled(html: &str, name: &str) -> FilledHtml {
        let template = HtmlTemplate::new(html);
        assert_eq!(template.problems(), [], "{html}");
        let lines = [("Rope", "2"), ("Anchor", "1")];
        let inner =
            Arc::new(Schema::new(vec![Column::new("Item", ColumnType::Text), Column::new("Count", ColumnType::Text)]).expect("names"));
        let list =
            lines.map(|(item, count)| Value::Record(Arc::new(Record::new(inner.clone(), vec![Value::text(item), Value::text(count)], 1))));
        let columns = ["Name", "Link", "Photo"].map(|name| Column::new(name, ColumnType::Text)).into_iter();
        let schema = Schema::new(columns.chain([Column::new("Lines", ColumnType::Text)]).collect()).expect("names");
        let values = vec![
            if name.is_empty() { Value::Blank } else { Value::text(name) },
            Value::text("javascript:alert(1)"),
            Value::text("hull 1.jpg"),
            Value::List(list.into()),
        ];
        let (record, ties) = (Record::new(Arc::new(schema), values, 1), Ties::default());
        let context = Context::new(Locale::english(), "2026-11-30T09:30:00".parse().expect("a moment"));
        template.fill(&Scope::new(&record, &ties, &context)).expect("filled")
    }

    /// The HTML without its styles and the element round the whole.
    fn plain(html: &str, name: &str) -> String {
        let html = filled(html, name).html;
        let mut out = String::new();
        let mut rest = html.strip_prefix(&format!("<div style=\"{WHOLE}\">")).and_then(|r| r.strip_suffix("</div>")).expect("the whole");
        while let Some(at) = rest.find(" style=\"") {
            out.push_str(&rest[..at]);
            rest = rest[at + 8..].split_once('"').map_or("", |(_, rest)| rest);
        }
        out + rest
    }

    #[test]
    fn values_are_escaped_and_placeholders_may_be_split_over_looks() {
        assert_eq!(plain("<p>Dear [: name],</p>", "<Möwe> & Co"), "<p>Dear &lt;Möwe&gt; &amp; Co,</p>");
        assert_eq!(plain("<p>Dear <strong>[: na</strong>me]!</p>", "Ada"), "<p>Dear <strong>Ada</strong>!</p>");
        assert_eq!(plain("<p>Two<br>lines &amp; <em>more</em></p>", ""), "<p>Two<br>lines &amp; <em>more</em></p>");
    }

    #[test]
    fn passages_rows_and_items_come_and_go_by_condition_and_repeat() {
        let choice = "<p>[:if name is blank]</p><p>Hello</p><p>[:else]</p><p>Dear [: name]</p><p>[:end]</p>";
        assert_eq!((plain(choice, ""), plain(choice, "Ada")), ("<p>Hello</p>".into(), "<p>Dear Ada</p>".into()));
        let table = "<table><tbody><tr><td><p>[:repeat row for lines][: item]</p></td><td><p>[: count]</p></td></tr></tbody></table>";
        assert_eq!(
            plain(table, ""),
            "<table><tr><td><p>Rope</p></td><td><p>2</p></td></tr><tr><td><p>Anchor</p></td><td><p>1</p></td></tr></table>"
        );
        let list = "<ul><li><p>[:repeat for lines]</p></li><li><p>[: item]</p></li><li><p>[:end]</p></li></ul>";
        assert_eq!(plain(list, ""), "<ul><li>Rope</li><li>Anchor</li></ul>");
    }

    #[test]
    fn scripts_and_remote_pictures_go_and_links_are_looked_at() {
        assert_eq!(plain("<p onclick=\"x()\">Hi<script>alert(1)</script></p>", ""), "<p>Hi</p>");
        assert_eq!(plain("<p><img src=\"https://spy.example/a.png\" alt=\"x\"></p>", ""), "<p><img alt=\"x\"></p>");
        assert_eq!(plain("<p><a href=\"javascript:alert(1)\">a</a></p>", ""), "<p><a>a</a></p>");
        assert_eq!(plain("<p><a href=\"[: link]\">a</a></p>", ""), "<p><a>a</a></p>", "what a record says is looked at, too");
        let name = "https://quay.example/?a=1&b=\"2\"";
        assert_eq!(plain("<p><a href=\"[: name]\">[: name]</a></p>", name), format!("<p><a href=\"{0}\">{0}</a></p>", escape(name)));
        assert_eq!(plain("<form><input><p>x</p></form><iframe src=\"/\">y</iframe>", ""), "<p>x</p>");
    }

    #[test]
    fn pictures_are_named_once_each() {
        let body = "<p><img src=\"picture:quay%20side.png\">[:picture photo width 2.54 cm][:picture photo]</p>";
        let found = filled(body, "");
        assert_eq!(found.pictures, ["hull 1.jpg", "quay side.png"]);
        assert!(found.html.contains("src=\"cid:picture1\" alt=\"\" width=\"96\"") && found.html.contains("cid:picture2"), "{}", found.html);
    }

    #[test]
    fn styles_stand_in_the_elements() {
        let html = filled("<style>p{color:#aa0000}</style><p>Hi</p>", "").html;
        assert!(html.contains("color:#aa0000") || html.contains("color: #aa0000"), "{html}");
        assert!(!html.contains("<style"));
        assert!(filled("<p style=\"position:fixed;color:red\">Hi</p>", "").html.contains("color:red"));
        assert!(!filled("<p style=\"position:fixed;color:red\">Hi</p>", "").html.contains("position"));
    }

    #[test]
    fn the_text_reads_without_html() {
        let body = "<h1>Your berth</h1><p>Dear [: name],</p><ul><li><p>one</p></li><li><p>two</p></li></ul><p><a href=\"https://quay.example/\">here</a></p>";
        let text = filled(body, "Ada").text;
        for wanted in ["Your berth", "Dear Ada,", "* one", "https://quay.example/"] {
            assert!(text.contains(wanted), "{text}");
        }
        let mut more = filled("<p>Hi</p>", "");
        more.append("Ida\nhttps://quay.example/a&b");
        assert!(
            more.html.ends_with("Ida<br><a href=\"https://quay.example/a&amp;b\">https://quay.example/a&amp;b</a></p></div>"),
            "{}",
            more.html
        );
        assert!(more.text.ends_with("\n\nIda\nhttps://quay.example/a&b\n"));
    }

    #[test]
    fn text_outside_of_paragraphs_is_filled_as_well() {
        assert_eq!(plain("Hello [: name]<div>More <b>[: name]</b></div>", "Ada"), "Hello Ada<br><div>More <b>Ada</b><br></div>");
        assert_eq!(plain("<table><tr><td>[: name]</td></tr></table>", "Ada"), "<table><tr><td>Ada<br></td></tr></table>");
    }

    #[test]
    fn what_is_wrong_is_told_and_nothing_panics() {
        assert_eq!(HtmlTemplate::new("<p>[: nam</p>").problems().len(), 1);
        assert_eq!(HtmlTemplate::new(&"x".repeat(LARGEST_BODY + 1)).problems()[0].code, "too-large");
        for odd in ["<", "</p>", "<p", "<p a=\"", "&", "&#0;", "<p>\u{0}</p>", "<table><td>x", "<li>a<p>b<ul><li>c", "<a href='[: x'>y</a>"]
        {
            let _ = HtmlTemplate::new(odd);
        }
        assert!(!HtmlTemplate::new(&"<div>".repeat(5_000)).problems().is_empty(), "it nests too deeply");
    }
}
