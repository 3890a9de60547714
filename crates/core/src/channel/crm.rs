//! The CRM channel: the documents are attached to the record that they were made of, a note is
//! left, and fields of it are set. It comes after the other channels, whose outcome it can tell.

use jiff::civil::Time;
use serde::{Deserialize, Serialize};

use super::{ChannelPlan, Fault, Made, Parcel, Settings, Shown, World, fill};
use crate::crm::{Entity, FieldType, Shape};
use crate::diagnostic::Diagnostic;
use crate::language::syntax::Expr;
use crate::language::{Scope, value};
use crate::template::TextTemplate;
use crate::value::Value;

/// The settings of the CRM channel.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct CrmChannel {
    /// Where the documents are attached; none where they are not.
    #[serde(default)]
    pub attach: Option<AttachTo>,
    /// The note that is left; none where there is none.
    #[serde(default)]
    pub note: Option<CrmNote>,
    /// The fields of the record that are set.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub fields: Vec<SetField>,
}

/// The entity that documents are attached as: one with a stream of bytes, which names its record.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct AttachTo {
    /// Its set.
    pub set: String,
    /// The stream of the document: the entity's own, or a property of it.
    pub content: String,
    /// The field that holds the record's key.
    pub record: String,
    /// The field of the document's name; blank for none.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub name: String,
    /// The field by which Mangle finds what it has written, so that nothing is attached twice.
    pub reference: String,
}

/// A note on the record.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct CrmNote {
    /// Where it is left.
    pub to: NoteTo,
    /// Its text, with placeholders.
    pub text: String,
    /// Whether a line follows for each other delivery of the record.
    #[serde(default = "super::yes")]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub deliveries: bool,
}

/// The entity that notes are left as.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct NoteTo {
    /// Its set.
    pub set: String,
    /// The field that holds the record's key.
    pub record: String,
    /// The field of the text.
    pub text: String,
    /// The field by which Mangle finds what it has written, so that no note is left twice.
    pub reference: String,
}

/// A field of the record that is set.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct SetField {
    /// The field.
    pub field: String,
    /// What it holds.
    #[serde(rename = "type")]
    pub kind: FieldType,
    /// What it is set to: a text with placeholders where it holds text, an expression such as
    /// `today` or `total * 2` otherwise; blank to empty it.
    pub value: String,
}

/// The CRM that the records of a dispatch come from.
#[derive(Debug, Clone, Copy)]
pub struct CrmSource<'a> {
    /// What the connection is called.
    pub name: &'a str,
    /// What the CRM holds.
    pub shape: &'a Shape,
    /// The set of the records.
    pub root: &'a str,
}

/// The most fields that are set.
const MOST_FIELDS: usize = 50;

/// Where documents can be attached to the records of a set, and where notes can be left: what
/// names the record by its key and has a field to find it by. The likeliest comes first.
pub fn places(shape: &Shape, root: &str) -> (Vec<AttachTo>, Vec<NoteTo>) {
    let Some(key) = shape.entity(root).and_then(only_key) else { return Default::default() };
    let (mut attach, mut notes) = (Vec::new(), Vec::new());
    for entity in shape.entities.iter().filter(|entity| entity.set != root) {
        let text = |words: &[&str], but: &[&str]| {
            let fits = |name: &str| {
                let lower = name.to_lowercase();
                !but.contains(&name) && words.iter().any(|word| lower.contains(word))
            };
            entity.fields.iter().find(|field| field.kind == FieldType::Text && fits(&field.name)).map(|field| field.name.clone())
        };
        let Some(record) = entity.fields.iter().find(|field| field.name == key && !entity.key.contains(&field.name)) else { continue };
        let record = record.name.clone();
        let Some(reference) = text(&["reference", "external", "correlation"], &[&record]) else { continue };
        let stream = entity.media.clone();
        let stream = stream.or_else(|| Some(entity.fields.iter().find(|field| field.kind == FieldType::Picture)?.name.clone()));
        match stream {
            Some(content) => {
                let name = text(&["name", "title", "subject"], &[&record, &reference]).unwrap_or_default();
                attach.push(AttachTo { set: entity.set.clone(), content, record, name, reference });
            }
            None => {
                if let Some(text) = text(&["text", "note", "body", "description", "content"], &[&record, &reference]) {
                    notes.push(NoteTo { set: entity.set.clone(), record, text, reference });
                }
            }
        }
    }
    (attach, notes)
}

/// The key of an entity that has one field for it.
fn only_key(entity: &Entity) -> Option<&str> {
    match &entity.key[..] {
        [key] => Some(key),
        _ => None,
    }
}

impl Settings for CrmChannel {
    fn compile(&self) -> Box<dyn ChannelPlan> {
        let fields = self.fields.iter().map(|own| (own.clone(), Source::of(own))).collect();
        let note = self.note.as_ref().map(|note| (note.to.clone(), TextTemplate::new(&note.text), note.deliveries));
        Box::new(CrmPlan { attach: self.attach.clone(), note, fields })
    }
}

#[derive(Debug)]
struct CrmPlan {
    attach: Option<AttachTo>,
    note: Option<(NoteTo, TextTemplate, bool)>,
    fields: Vec<(SetField, Source)>,
}

/// Where a field's value comes from.
#[derive(Debug)]
enum Source {
    Text(TextTemplate),
    /// The expression, and the text that prints it: what it names is checked as in every text.
    Value(Box<Expr>, TextTemplate),
    Blank,
    Wrong(String),
}

impl Source {
    fn of(own: &SetField) -> Source {
        let text = own.value.trim();
        match own.kind {
            FieldType::Text => Source::Text(TextTemplate::new(&own.value)),
            _ if text.is_empty() => Source::Blank,
            // One who writes a placeholder means what stands in it.
            _ => match value(text.strip_prefix("[:").and_then(|inner| inner.strip_suffix(']')).unwrap_or(text)) {
                Ok(expr) => {
                    let inner = text.strip_prefix("[:").and_then(|inner| inner.strip_suffix(']')).unwrap_or(text);
                    Source::Value(Box::new(expr), TextTemplate::new(&format!("[: ({})]", inner.replace(['\r', '\n'], " "))))
                }
                Err(error) => Source::Wrong(error.to_string()),
            },
        }
    }
}

/// What is written for a record.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CrmPayload {
    /// Where the documents are attached; none where they are not.
    pub attach: Option<AttachTo>,
    /// Where a note is left, its text, and whether lines for the other deliveries follow.
    pub note: Option<(NoteTo, String, bool)>,
    /// The fields that are set.
    pub fields: Vec<CrmValue>,
}

/// A field with its value.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CrmValue {
    /// The field.
    pub field: String,
    /// Its value as JSON (OData JSON Format 4.01, 7.1). A moment is by the clock of the machine.
    pub value: serde_json::Value,
    /// Whether it is such a moment.
    pub moment: bool,
}

/// A value as a field of a type takes it.
fn json(kind: FieldType, value: &Value) -> Result<serde_json::Value, String> {
    use serde_json::Value as Json;
    let not = |what: &str| Err(format!("the value is not {what}"));
    Ok(match (kind, value) {
        (_, Value::Blank) => Json::Null,
        (_, Value::Misfit(misfit)) => return Err(format!("“{}” does not fit its column's type", misfit.text)),
        (FieldType::Number, Value::Number(number) | Value::Percent(number)) => number_json(&number.normalize().to_string()),
        (FieldType::Number, Value::Money(money)) => number_json(&money.amount.normalize().to_string()),
        (FieldType::Number, _) => return not("a number"),
        (FieldType::YesNo, Value::Bool(yes)) => Json::from(*yes),
        (FieldType::YesNo, _) => return not("yes or no"),
        (FieldType::Date, Value::Date(date)) => Json::from(date.to_string()),
        (FieldType::Date, Value::DateTime(moment)) => Json::from(moment.date().to_string()),
        (FieldType::Date, _) => return not("a date"),
        (FieldType::Moment, Value::Date(date)) => Json::from(date.to_datetime(Time::midnight()).to_string()),
        (FieldType::Moment, Value::DateTime(moment)) => Json::from(moment.to_string()),
        (FieldType::Moment, _) => return not("a date and time"),
        (FieldType::Text | FieldType::Picture, _) => return not("a text"),
    })
}

/// A number as it is written; whole ones stay whole.
fn number_json(text: &str) -> serde_json::Value {
    serde_json::from_str(text).unwrap_or_default()
}

impl ChannelPlan for CrmPlan {
    fn texts(&self) -> Vec<(&'static str, &TextTemplate)> {
        let note = self.note.iter().map(|(_, text, _)| ("note", text));
        let fields = self.fields.iter().filter_map(|(_, source)| match source {
            Source::Text(text) | Source::Value(_, text) => Some(("fields", text)),
            Source::Blank | Source::Wrong(_) => None,
        });
        note.chain(fields).collect()
    }

    fn faults(&self) -> Vec<Fault> {
        let mut faults = Vec::new();
        if self.attach.is_none() && self.note.is_none() && self.fields.is_empty() {
            faults.push(Fault::value("nothing", "", "nothing is written. Attach the documents, leave a note, or set a field."));
        }
        let mut seen = Vec::new();
        for (own, source) in &self.fields {
            let name = own.field.trim();
            match () {
                () if name.is_empty() => faults.push(Fault::value("no-name", "fields", "a value has no field. Choose one, or remove it.")),
                () if seen.contains(&name) => {
                    faults.push(Fault::value("same-name", "fields", format!("the field “{name}” is set twice. Remove one.")));
                }
                () => seen.push(name),
            }
            if let Source::Wrong(message) = source {
                faults.push(Fault::value("value", "fields", format!("{name}: {message}")));
            }
        }
        if self.fields.len() > MOST_FIELDS {
            faults.push(Fault::value("too-many", "fields", format!("at most {MOST_FIELDS} fields")));
        }
        faults
    }

    fn obstacles(&self, world: &World<'_>) -> Vec<Diagnostic> {
        let Some(CrmSource { name, shape, root }) = world.crm else {
            let message = "the records don't come from a CRM. Choose a CRM query as the source, or remove this channel.";
            return vec![Diagnostic::error("no-crm", message)];
        };
        let mut missing = Vec::new();
        let mut want = |set: &str, fields: &[&str]| match shape.entity(set) {
            None => missing.push(format!("{name} has no set “{set}”. Choose another.")),
            Some(entity) => {
                let unknown = fields.iter().filter(|field| !field.is_empty() && entity.field(field).is_none());
                missing.extend(unknown.map(|field| format!("“{set}” in {name} has no field “{field}”. Choose another.")));
            }
        };
        if let Some(to) = &self.attach {
            want(&to.set, &[&to.content, &to.record, &to.name, &to.reference]);
        }
        if let Some((to, ..)) = &self.note {
            want(&to.set, &[&to.record, &to.text, &to.reference]);
        }
        want(root, &self.fields.iter().map(|(own, _)| own.field.trim()).collect::<Vec<_>>());
        let keys = shape.entity(root).map(|entity| entity.key.as_slice()).unwrap_or_default();
        for (own, _) in &self.fields {
            let there = shape.entity(root).and_then(|entity| entity.field(own.field.trim()));
            match there {
                Some(_) if keys.contains(&own.field) => missing.push(format!("“{}” is the record's key, which can't be set", own.field)),
                Some(field) if field.kind == FieldType::Picture => {
                    missing.push(format!("“{}” holds a picture, which can't be set", own.field))
                }
                Some(field) if field.kind != own.kind => {
                    missing.push(format!("“{}” holds another type by now. Choose it again.", own.field))
                }
                _ => {}
            }
        }
        missing.into_iter().map(|message| Diagnostic::error("crm-field", message)).collect()
    }

    fn render(&self, scope: &Scope<'_>, made: &Made<'_>) -> Result<Parcel, Fault> {
        let mut shown = Vec::new();
        let documents = if self.attach.is_some() { made.to_send() } else { Vec::new() };
        if let Some(to) = &self.attach {
            shown.push(Shown::new("Attached as", format!("{} ({})", made.file_name, to.set)));
        }
        let note = match &self.note {
            Some((to, text, deliveries)) => {
                let text = fill("note", text, scope)?;
                shown.push(Shown::new("Note", text.clone()));
                Some((to.clone(), text, *deliveries))
            }
            None => None,
        };
        let mut fields = Vec::with_capacity(self.fields.len());
        for (own, source) in &self.fields {
            let unfit = |message: String| Fault::value("value", "fields", format!("{}: {message}", own.field));
            let set = match source {
                Source::Text(text) => match fill("fields", text, scope)? {
                    blank if blank.trim().is_empty() => serde_json::Value::Null,
                    text => text.into(),
                },
                Source::Value(expr, _) => {
                    let worked = scope.value(expr).map_err(|error| unfit(error.to_string()))?;
                    json(own.kind, &worked).map_err(unfit)?
                }
                Source::Blank => serde_json::Value::Null,
                Source::Wrong(message) => return Err(unfit(message.clone())),
            };
            let text = match &set {
                serde_json::Value::Null => "blank".to_owned(),
                serde_json::Value::String(text) => text.clone(),
                other => other.to_string(),
            };
            shown.push(Shown::new(&own.field, text));
            let moment = own.kind == FieldType::Moment && !set.is_null();
            fields.push(CrmValue { field: own.field.trim().to_owned(), value: set, moment });
        }
        let payload = CrmPayload { attach: self.attach.clone(), note, fields };
        let payload = serde_json::to_value(&payload).unwrap_or_default();
        Ok(Parcel { to: "the record in the CRM".to_owned(), shown, documents, payload, ..Parcel::default() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::channel::{Channel, ChannelSetup, Compiled};
    use crate::crm::EntityField;
    use crate::language::{Context, Ties};
    use crate::records::Record;
    use crate::value::Locale;

    fn entity(set: &str, key: &str, fields: &[(&str, FieldType)], media: Option<&str>) -> Entity {
        let field = |(name, kind): &(&str, FieldType)| EntityField { name: (*name).into(), label: (*name).into(), kind: *kind };
        let (name, label) = (set.into(), set.into());
        let fields = fields.iter().map(field).collect();
        Entity { set: set.into(), name, label, key: vec![key.into()], media: media.map(str::to_owned), fields, ways: Vec::new() }
    }

    fn shape() -> Shape {
        use FieldType::{Date, Moment, Number, Picture, Text};
        let case = [("CaseID", Text), ("Stage", Text), ("Total", Number), ("SentOn", Date), ("At", Moment), ("Sketch", Picture)];
        Shape {
            entities: vec![
                entity("Cases", "CaseID", &case, None),
                entity(
                    "Files",
                    "FileID",
                    &[("FileID", Number), ("CaseID", Text), ("Name", Text), ("Reference", Text), ("Picture", Picture)],
                    Some("Picture"),
                ),
                entity("Notes", "NoteID", &[("NoteID", Number), ("CaseID", Text), ("Text", Text), ("ExternalID", Text)], None),
                entity("Owners", "OwnerID", &[("OwnerID", Number), ("Reference", Text)], None),
            ],
        }
    }

    fn set(field: &str, kind: FieldType, value: &str) -> SetField {
        SetField { field: field.into(), kind, value: value.into() }
    }

    fn compiled(settings: CrmChannel) -> Compiled {
        Compiled::of(0, &ChannelSetup::new(Channel::Crm(settings))).expect("it is on")
    }

    fn written(fields: Vec<SetField>) -> Result<Vec<CrmValue>, String> {
        let (record, ties) = (Record::new(std::sync::Arc::default(), Vec::new(), 1), Ties::default());
        let now = "2026-11-30T09:30:00".parse().expect("a moment");
        let context = Context::new(Locale::parse("de-DE").expect("a locale"), now);
        let made = Made { file_name: "Quote", formats: &[crate::dispatch::Format::Pdf], closed: false };
        let own = compiled(CrmChannel { fields, ..CrmChannel::default() });
        let parcel = own.render(&Scope::new(&record, &ties, &context), &made).map_err(|fault| fault.to_string())?;
        let payload: CrmPayload = serde_json::from_value(parcel.expect("a parcel").payload).expect("a payload");
        Ok(payload.fields)
    }

    #[test]
    fn values_go_as_their_types_whatever_the_language_of_the_documents() {
        use FieldType::{Date, Moment, Number, Text, YesNo};
        let fields = vec![
            set("Stage", Text, "Quoted[: if 1 = 2]!"),
            set("Stage", Text, "Quoted"),
            set("Total", Number, "1234.50 * 2"),
            set("Whole", Number, "[: 3 + 4]"),
            set("SentOn", Date, "today"),
            set("At", Moment, "now"),
            set("Done", YesNo, "2 > 1"),
            set("Note", Text, " "),
            set("Count", Number, ""),
        ];
        let values: Vec<serde_json::Value> = written(fields[1..].to_vec()).expect("worked out").into_iter().map(|one| one.value).collect();
        let wanted = serde_json::json!(["Quoted", 2469, 7, "2026-11-30", "2026-11-30T09:30:00", true, null, null]);
        assert_eq!(serde_json::Value::from(values), wanted);
        assert_eq!(written(vec![set("Total", Number, "today")]), Err("Total: the value is not a number".to_owned()));
        assert_eq!(written(vec![set("SentOn", Date, "4")]), Err("SentOn: the value is not a date".to_owned()));
    }

    #[test]
    fn places_are_found_by_the_key_of_the_record() {
        let (attach, notes) = places(&shape(), "Cases");
        let file = AttachTo {
            set: "Files".into(),
            content: "Picture".into(),
            record: "CaseID".into(),
            name: "Name".into(),
            reference: "Reference".into(),
        };
        assert_eq!(attach, [file]);
        let note = NoteTo { set: "Notes".into(), record: "CaseID".into(), text: "Text".into(), reference: "ExternalID".into() };
        assert_eq!(notes, [note]);
        assert_eq!(places(&shape(), "Files"), (Vec::new(), Vec::new()), "nothing names a file");
    }

    #[test]
    fn what_the_crm_does_not_have_is_told_before_a_run() {
        let shape = shape();
        let world = World { crm: Some(CrmSource { name: "Yard", shape: &shape, root: "Cases" }), ..World::default() };
        let told = |settings: CrmChannel, world: &World<'_>| {
            compiled(settings).obstacles(world).iter().map(|problem| problem.to_string()).collect::<Vec<_>>()
        };
        let fields = |fields: Vec<SetField>| CrmChannel { fields, ..CrmChannel::default() };
        assert_eq!(told(fields(vec![set("Stage", FieldType::Text, "Quoted")]), &world), [""; 0]);
        assert_eq!(told(fields(vec![set("Stge", FieldType::Text, "x")]), &world), ["“Cases” in Yard has no field “Stge”. Choose another."]);
        assert_eq!(
            told(fields(vec![set("Stage", FieldType::Date, "today")]), &world),
            ["“Stage” holds another type by now. Choose it again."]
        );
        assert_eq!(told(fields(vec![set("CaseID", FieldType::Text, "x")]), &world), ["“CaseID” is the record's key, which can't be set"]);
        assert!(told(fields(Vec::new()), &World::default())[0].starts_with("the records don't come from a CRM"));
        let attach = Some(AttachTo { set: "Papers".into(), ..AttachTo::default() });
        assert_eq!(told(CrmChannel { attach, ..CrmChannel::default() }, &world), ["Yard has no set “Papers”. Choose another."]);
    }

    #[test]
    fn a_channel_that_writes_nothing_is_told() {
        let codes = |settings: CrmChannel| compiled(settings).problems.iter().map(|p| p.code.to_string()).collect::<Vec<_>>();
        assert_eq!(codes(CrmChannel::default()), ["nothing"]);
        let twice = vec![set("Stage", FieldType::Text, "a"), set("Stage", FieldType::Text, "b"), set(" ", FieldType::Number, "1 +")];
        assert_eq!(codes(CrmChannel { fields: twice, ..CrmChannel::default() }), ["same-name", "no-name", "value"]);
    }
}
