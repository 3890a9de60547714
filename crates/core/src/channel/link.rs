//! The share link channel: the documents as a page that whoever has its address can open, until
//! it ends. What is handed over is the permission; the page itself is the application's.

use serde::{Deserialize, Serialize};

use super::{ChannelPlan, Fault, Made, Parcel, Settings, Shown, World, fill};
use crate::diagnostic::Diagnostic;
use crate::dispatch::Format;
use crate::language::Scope;
use crate::template::TextTemplate;

/// The settings of the share link channel.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct LinkChannel {
    /// What has to be entered to open it, with placeholders; blank for nothing. `[: document.passcode]`
    /// makes one of six digits.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub passcode: String,
    /// For how many days it can be opened; none for no end.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub days: Option<u32>,
    /// How often it can be opened; none for no limit.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub openings: Option<u32>,
    /// Whether the page offers the documents as files too, or only shows them.
    #[serde(default = "super::yes")]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub download: bool,
}

/// The longest that a link is open, in days: ten years.
const LONGEST: u32 = 3_653;
/// The fewest and the most characters of a passcode.
const PASSCODE: std::ops::RangeInclusive<usize> = 4..=64;

impl Settings for LinkChannel {
    fn compile(&self) -> Box<dyn ChannelPlan> {
        let passcode = Some(self.passcode.trim()).filter(|text| !text.is_empty()).map(TextTemplate::new);
        Box::new(LinkPlan { passcode, settings: self.clone() })
    }
}

#[derive(Debug)]
struct LinkPlan {
    passcode: Option<TextTemplate>,
    settings: LinkChannel,
}

/// What a share link permits.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LinkPayload {
    /// Its address.
    pub address: String,
    /// What has to be entered to open it; blank for nothing.
    pub passcode: String,
    /// For how many days it can be opened.
    pub days: Option<u32>,
    /// How often it can be opened.
    pub openings: Option<u32>,
    /// Whether the page offers the documents as files too.
    pub download: bool,
}

impl ChannelPlan for LinkPlan {
    fn texts(&self) -> Vec<(&'static str, &TextTemplate)> {
        self.passcode.iter().map(|text| ("passcode", text)).collect()
    }

    fn faults(&self) -> Vec<Fault> {
        let mut faults = Vec::new();
        if self.settings.days.is_some_and(|days| !(1..=LONGEST).contains(&days)) {
            faults.push(Fault::value("days", "days", format!("the number of days must be from 1 to {LONGEST}")));
        }
        if self.settings.openings == Some(0) {
            faults.push(Fault::value("openings", "openings", "a link that can be opened 0 times is of no use. Enter 1 or more."));
        }
        faults
    }

    fn obstacles(&self, world: &World<'_>) -> Vec<Diagnostic> {
        match world.public {
            true => Vec::new(),
            false => vec![Diagnostic::error("no-public-pages", "public pages are off on this machine. Start Mangle with --public-listen.")],
        }
    }

    fn render(&self, scope: &Scope<'_>, made: &Made<'_>) -> Result<Parcel, Fault> {
        let passcode = match &self.passcode {
            Some(text) => fill("passcode", text, scope)?.trim().to_owned(),
            None => String::new(),
        };
        if self.passcode.is_some() && !PASSCODE.contains(&passcode.chars().count()) {
            let (least, most) = (PASSCODE.start(), PASSCODE.end());
            let message = match passcode.is_empty() {
                true => "the passcode is blank. Fill the field in, or leave the record out.".to_owned(),
                false => format!("the passcode must have {least} to {most} characters"),
            };
            return Err(Fault::value("passcode", "passcode", message));
        }
        let settings = &self.settings;
        if !settings.download && !made.to_send().contains(&Format::Pdf) {
            let message = "only a PDF can be shown. Also make a PDF under Output, or allow downloads.";
            return Err(Fault::value("nothing-to-show", "download", message));
        }
        let ends = match (settings.days, settings.openings) {
            (None, None) => "never".to_owned(),
            (days, openings) => {
                let days = days.map(|days| format!("after {days} {}", if days == 1 { "day" } else { "days" }));
                let openings = openings.map(|count| format!("after being opened {count} {}", if count == 1 { "time" } else { "times" }));
                days.into_iter().chain(openings).collect::<Vec<_>>().join(" or ")
            }
        };
        let link = scope.context.link.as_ref();
        let link = link.ok_or_else(|| Fault::value("no-link", "passcode", "no share link: public pages are off on this machine"))?;
        let address = link.address.clone();
        let payload = LinkPayload {
            address: address.clone(),
            passcode: passcode.clone(),
            days: settings.days,
            openings: settings.openings,
            download: settings.download,
        };
        let mut shown = vec![Shown::new("Link", address.clone()), Shown::new("Ends", ends)];
        if !passcode.is_empty() {
            shown.insert(1, Shown::new("Passcode", passcode));
        }
        Ok(Parcel {
            to: address,
            shown,
            documents: made.to_send(),
            payload: serde_json::to_value(&payload).unwrap_or_default(),
            token: link.token.clone(),
            ..Parcel::default()
        })
    }
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use jiff::civil::DateTime;

    use super::*;
    use crate::channel::{Channel, ChannelSetup, Compiled};
    use crate::language::{Context, Link, Ties};
    use crate::records::{Column, ColumnType, Record, Schema};
    use crate::value::{Locale, Value};

    fn context() -> Context {
        let mut context = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 0, 0, 0));
        let link = Link { address: "https://quay.example/d/abc".into(), token: "abc".into(), passcode: "204816".into() };
        context.link = Some(Arc::new(link));
        context
    }

    fn rendered(settings: LinkChannel, code: &str) -> Result<Parcel, String> {
        rendered_as(settings, code, &[Format::Docx, Format::Pdf])
    }

    fn rendered_as(settings: LinkChannel, code: &str, formats: &[Format]) -> Result<Parcel, String> {
        let schema = Schema::new(vec![Column::new("Code", ColumnType::Text)]).expect("a schema");
        let record = Record::new(Arc::new(schema), vec![if code.is_empty() { Value::Blank } else { Value::text(code) }], 3);
        let (context, ties) = (context(), Ties::default());
        let compiled = Compiled::of(0, &ChannelSetup::new(Channel::Link(settings))).expect("it is on");
        assert_eq!(compiled.problems, []);
        let made = Made { file_name: "Report", formats, closed: false };
        let parcel = compiled.render(&Scope::new(&record, &ties, &context), &made);
        parcel.map(|parcel| parcel.expect("no condition")).map_err(|fault| fault.to_string())
    }

    #[test]
    fn a_link_says_when_it_ends_and_what_has_to_be_entered() {
        let settings = LinkChannel { passcode: "[: code]".into(), days: Some(1), openings: Some(3), download: false };
        let parcel = rendered(settings.clone(), "Berth 7").expect("rendered");
        let shown: Vec<_> = parcel.shown.iter().map(|line| (line.label.as_str(), line.text.as_str())).collect();
        let link = ("Link", "https://quay.example/d/abc");
        assert_eq!(shown, [link, ("Passcode", "Berth 7"), ("Ends", "after 1 day or after being opened 3 times")]);
        let payload: LinkPayload = serde_json::from_value(parcel.payload).expect("a payload");
        assert_eq!(parcel.token, "abc");
        assert_eq!((payload.passcode.as_str(), payload.days, payload.openings, payload.download), ("Berth 7", Some(1), Some(3), false));
        assert_eq!(
            rendered(settings.clone(), "").expect_err("blank"),
            "the passcode is blank. Fill the field in, or leave the record out."
        );
        assert_eq!(rendered(settings, "abc").expect_err("short"), "the passcode must have 4 to 64 characters");
        let open = rendered(LinkChannel { download: true, ..LinkChannel::default() }, "").expect("rendered");
        assert_eq!(open.shown[1].text, "never");
        let hidden = LinkChannel { download: false, ..LinkChannel::default() };
        assert!(rendered_as(hidden, "", &[Format::Docx]).expect_err("nothing to show").starts_with("only a PDF can be shown."));
        let made = LinkChannel { passcode: "[: document.passcode]".into(), ..LinkChannel::default() };
        assert_eq!(rendered(made, "").expect("rendered").shown[1].text, "204816");
    }

    #[test]
    fn other_texts_name_the_link_and_no_field_is_asked_for_it() {
        let text = TextTemplate::new("[: document.link] and [: document.passcode]");
        assert_eq!(crate::template::needs(text.placeholders()), []);
        let schema = Arc::new(Schema::new(vec![Column::new("Code", ColumnType::Text)]).expect("a schema"));
        let (record, ties) = (Record::new(schema, vec![Value::Blank], 3), Ties::default());
        let context = context();
        let filled = text.fill(&Scope::new(&record, &ties, &context)).expect("filled");
        assert_eq!(filled, "https://quay.example/d/abc and 204816");
        let without = Context { link: None, ..context };
        let refused = text.fill(&Scope::new(&record, &ties, &without)).expect_err("no link").to_string();
        assert!(refused.contains("Add the channel “Share link” to the dispatch"), "{refused}");
        // A field of that name comes first.
        let schema = Arc::new(Schema::new(vec![Column::new("document", ColumnType::Text)]).expect("a schema"));
        let record = Record::new(schema, vec![Value::text("x")], 3);
        assert!(text.fill(&Scope::new(&record, &ties, &without)).is_err_and(|error| !error.to_string().contains("Share link")));
    }

    #[test]
    fn numbers_out_of_range_are_told_by_their_field() {
        let settings = LinkChannel { days: Some(0), openings: Some(0), ..LinkChannel::default() };
        let compiled = Compiled::of(0, &ChannelSetup::new(Channel::Link(settings))).expect("it is on");
        let codes: Vec<&str> = compiled.problems.iter().map(|problem| &*problem.code).collect();
        assert_eq!(codes, ["days", "openings"]);
    }
}
