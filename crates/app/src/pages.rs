//! Pages as the screens show them: SVG, and where each mark stands on them.

use mangle_core::template::{Took, Traced};
use mangle_documents::bound::Bound;
use mangle_documents::formats::Filled;
use mangle_documents::layout::MarkedSpot;
use serde::Serialize;

/// How many pages are shown at most.
const SHOWN: usize = 50;

/// Typeset pages.
#[derive(Debug, Default, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Pages {
    /// The pages, at most fifty of them.
    pub pages: Vec<SvgPage>,
    /// How many there are.
    pub count: usize,
    /// What stands where.
    pub marks: Vec<PageMark>,
    /// The places that signers fill in.
    pub signatures: Vec<PageField>,
}

/// A place that a signer fills in.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PageField {
    /// The signer role.
    pub role: String,
    /// What is filled in, in words.
    pub field: String,
    /// Whether it may stay empty.
    pub optional: bool,
    /// Where it stands.
    #[serde(flatten)]
    pub place: PageMark,
}

/// One page.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SvgPage {
    /// Its width in points.
    pub width: f64,
    /// Its height in points.
    pub height: f64,
    /// What is on it.
    pub svg: String,
    /// Its text, to be selected.
    pub text: Vec<PageText>,
}

/// Text of one look on one line, in points from its page's top left.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PageText {
    pub text: String,
    pub left: f64,
    pub base: f64,
    pub size: f64,
    pub width: f64,
}

/// Where something stands, in points from its page's top left.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PageMark {
    /// What it is: a placeholder, an entry of a trace, or a drawing.
    pub number: u32,
    /// The page, from 0.
    pub page: usize,
    pub left: f64,
    pub top: f64,
    pub width: f64,
    pub height: f64,
}

impl Pages {
    /// The pages of a filled document, with its signature fields.
    pub fn filled(filled: &Filled, made: &Bound) -> Pages {
        let field = |spot: MarkedSpot| {
            let place = filled.signer(spot.number)?;
            let (role, field) = (place.role.clone(), place.field.word().to_owned());
            Some(PageField { role, field, optional: place.optional, place: PageMark::of(spot) })
        };
        let fields = made.signers().into_iter().filter(|s| s.page < SHOWN);
        Pages { signatures: fields.filter_map(field).collect(), ..Pages::of(made) }
    }

    /// The pages of what was made.
    pub fn of(made: &Bound) -> Pages {
        let count = made.page_count();
        let pages = (0..count.min(SHOWN))
            .filter_map(|page| {
                let (width, height) = made.size(page)?;
                let tenth = |n: f64| (n * 10.0).round() / 10.0;
                let text = made.text(page).into_iter().map(|t| PageText {
                    text: t.text,
                    left: tenth(t.left),
                    base: tenth(t.base),
                    size: tenth(t.size),
                    width: tenth(t.width),
                });
                Some(SvgPage { width, height, svg: made.svg(page)?, text: text.collect() })
            })
            .collect();
        let marks = made.marks().into_iter().filter(|m| m.page < SHOWN);
        Pages { pages, count, marks: marks.map(PageMark::of).collect(), signatures: Vec::new() }
    }
}

impl PageMark {
    fn of(spot: MarkedSpot) -> PageMark {
        let MarkedSpot { number, page, left, top, width, height } = spot;
        PageMark { number, page, left, top, width, height }
    }
}

/// What a placeholder did for a record.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TraceInfo {
    /// Which of the template's placeholders.
    pub placeholder: usize,
    /// Its text.
    pub text: String,
    /// The turn of each repeat around it, from 1, outermost first.
    pub turns: Vec<usize>,
    /// What it printed.
    pub printed: Option<String>,
    /// What was chosen, in words.
    pub chose: Option<String>,
    /// The record fields that were read, before any format.
    pub read: Vec<ReadInfo>,
    /// What else happened.
    pub note: Option<String>,
    /// Why it could not be worked out.
    pub failed: Option<String>,
}

/// A field that was read.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ReadInfo {
    /// The column's name.
    pub field: String,
    /// The turn whose record it is of.
    pub turn: Option<usize>,
    /// What it holds.
    pub value: String,
}

impl TraceInfo {
    /// What a trace tells, with the placeholders' texts.
    pub fn of(trace: Vec<Traced>, placeholders: &[mangle_core::template::Placeholder]) -> Vec<TraceInfo> {
        let one = |t: Traced| TraceInfo {
            text: placeholders.get(t.placeholder).map(|p| p.text.clone()).unwrap_or_default(),
            placeholder: t.placeholder,
            turns: t.turns,
            printed: t.printed,
            chose: t.chose.and_then(|took| chosen(took, t.count)),
            read: t.read.into_iter().map(|r| ReadInfo { field: r.field, turn: r.turn, value: r.value }).collect(),
            note: t.note.map(str::to_owned),
            failed: t.failed,
        };
        trace.into_iter().map(one).collect()
    }
}

/// What was chosen, in words.
fn chosen(took: Took, count: Option<usize>) -> Option<String> {
    Some(match took {
        Took::Branch(0) => "condition is true".to_owned(),
        Took::Branch(at) => format!("branch {}", at + 1),
        Took::NoBranch => "condition is false".to_owned(),
        Took::Turns => match count {
            Some(1) => "1 repetition".to_owned(),
            count => format!("{} repetitions", count.unwrap_or_default()),
        },
        Took::NoTurns => "empty list".to_owned(),
        Took::Alternative(0) => return None,
        Took::Alternative(at) => format!("fallback {} used; those before it are blank", at + 1),
        Took::Blank => "blank".to_owned(),
    })
}
