//! What a dispatch says about signing, and what it comes to for one record.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::round::Person;
use super::usual::{USUAL, primary};
use crate::channel::{Fault, MessageText, fill};
use crate::diagnostic::{Diagnostic, Target};
use crate::dispatch::Station;
use crate::language::syntax::{Kind, SignerField};
use crate::language::{Context, Folded, Scope, kind};
use crate::template::{Condition, FilledHtml, HtmlTemplate, Placeholder, TextTemplate};
use crate::value::{EmailAddress, Locale};

/// What stands in a message for the signer's name until it is sent.
pub const NAME: &str = "\u{e000}signer name\u{e001}";
/// What stands in a message for the signer role until it is sent.
pub const ROLE: &str = "\u{e000}signer role\u{e001}";
/// What stands in a message for the signer's own link until it is sent.
pub const LINK: &str = "https://signer.invalid/link";

/// What a dispatch says about signing.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields, default)]
pub struct SigningSetup {
    /// Whether documents are signed at all.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub on: bool,
    /// The signer roles.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub roles: Vec<SignerRole>,
    /// The message that invites a signer; blank for the usual one.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub invitation: MessageText,
    /// The message that reminds a signer; blank for the usual one.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub reminder: MessageText,
    /// The message with the signed document, to everyone who signed; blank for the usual one.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub completion: MessageText,
    /// After how many days without a signature a signer is reminded; none for never.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub reminders: Vec<u32>,
    /// After how many days a round ends that not everyone has signed; none for never.
    pub ends_after: Option<u32>,
    /// What has to be entered to open the document, with placeholders; blank for nothing.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub passcode: String,
    /// Whether signers may have somebody else sign.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub hand_on: bool,
    /// Whether signers can't decline on the page.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub no_declining: bool,
    /// What signers agree to, by language (BCP 47); the usual wording for others.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub consent: BTreeMap<String, String>,
}

/// A signer role of a dispatch.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields, default)]
pub struct SignerRole {
    /// Its name, as the template's signature fields have it.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub role: String,
    /// Its step: those of a step sign in any order, those of the next after them.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub step: u32,
    /// The condition on which it signs; blank for every record.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub condition: String,
    /// Who signs: any one of these.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub people: Vec<SignerSetup>,
}

/// Somebody who signs, with placeholders.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields, default)]
pub struct SignerSetup {
    /// The name.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub name: String,
    /// The e-mail address.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub email: String,
    /// The language, a BCP 47 tag; blank for that of the document.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub language: String,
    /// The telephone number; blank where it is not known.
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub phone: String,
}

/// A message of a round, filled but for what is known when it is sent.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
pub struct RoundMessage {
    /// The subject.
    pub subject: String,
    /// The text.
    pub text: String,
    /// The same as HTML; none where it is plain.
    pub html: Option<String>,
    /// The subject and the text in other languages, by their primary subtag; none where a person
    /// wrote the message.
    #[serde(default)]
    pub others: BTreeMap<String, (String, String)>,
}

impl RoundMessage {
    /// The message in a language, where it is there in that.
    pub fn in_language(&self, tag: &str) -> RoundMessage {
        match self.others.get(&primary(tag)) {
            Some((subject, text)) => RoundMessage { subject: subject.clone(), text: text.clone(), ..RoundMessage::default() },
            None => self.clone(),
        }
    }

    /// The message to one signer.
    pub fn to(&self, name: &str, role: &str, link: &str) -> RoundMessage {
        let plain = |text: &str| text.replace(NAME, name).replace(ROLE, role).replace(LINK, link);
        let rich = |text: &str| text.replace(NAME, &escaped(name)).replace(ROLE, &escaped(role)).replace(LINK, &escaped(link));
        RoundMessage {
            // A subject is one line.
            subject: plain(&self.subject).replace(['\r', '\n'], " "),
            text: plain(&self.text),
            html: self.html.as_deref().map(rich),
            others: BTreeMap::new(),
        }
    }
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

/// The three messages of a round.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
pub struct RoundMessages {
    /// It invites a signer.
    pub invitation: RoundMessage,
    /// It reminds a signer.
    pub reminder: RoundMessage,
    /// It brings the signed document.
    pub completion: RoundMessage,
}

/// What signing comes to for one record.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
pub struct RoundPlan {
    /// Each role that signs, with its step and those of whom any one does.
    pub roles: Vec<(String, u32, Vec<Person>)>,
    /// Its messages.
    pub messages: RoundMessages,
    /// What has to be entered to open the document; blank for nothing.
    pub passcode: String,
    /// After how many days a signer is reminded.
    pub reminders: Vec<u32>,
    /// After how many days it ends.
    pub ends_after: Option<u32>,
    /// Whether signers may have somebody else sign.
    pub hand_on: bool,
    /// Whether signers can decline.
    pub decline: bool,
    /// What signers agree to, by language.
    pub consent: BTreeMap<String, String>,
}

/// A dispatch's signing, compiled.
#[derive(Debug)]
pub struct SigningPlan {
    setup: SigningSetup,
    roles: Vec<RolePlan>,
    messages: [Message; 3],
    passcode: Option<TextTemplate>,
    /// What is wrong with it.
    pub problems: Vec<Diagnostic>,
}

#[derive(Debug)]
struct RolePlan {
    role: String,
    step: u32,
    condition: Option<Condition>,
    people: Vec<[TextTemplate; 4]>,
}

#[derive(Debug)]
struct Message {
    field: &'static str,
    subject: TextTemplate,
    body: Body,
    /// The same in other languages, where it is the usual one.
    others: Vec<(&'static str, TextTemplate, TextTemplate)>,
}

#[derive(Debug)]
enum Body {
    Plain(TextTemplate),
    Rich(HtmlTemplate),
}

/// The messages' fields.
const FIELDS: [&str; 3] = ["invitation", "reminder", "completion"];

/// The most roles of a dispatch, people of a role, and steps.
const MOST: usize = 20;
/// The longest that a round is open or a reminder waits, in days.
const LONGEST: u32 = 366;

fn of(field: &'static str, problem: Diagnostic) -> Diagnostic {
    problem.about(Target::Setup { station: Station::Signing, field: field.into() })
}

impl SigningPlan {
    /// Compiles what a dispatch says about signing; none where nothing is signed.
    pub fn of(setup: &SigningSetup) -> Option<SigningPlan> {
        if !setup.on {
            return None;
        }
        let mut problems = Vec::new();
        let wrong = |field, code: &'static str, message: String| of(field, Diagnostic::error(code, message));
        if setup.roles.is_empty() {
            problems.push(wrong("roles", "no-signer", "nobody is asked to sign. Add a signer role.".into()));
        }
        if setup.roles.len() > MOST || setup.roles.iter().any(|role| role.people.len() > MOST) {
            problems.push(wrong("roles", "too-many", format!("at most {MOST} roles, and {MOST} people for each")));
        }
        let mut roles: Vec<RolePlan> = Vec::with_capacity(setup.roles.len());
        for role in &setup.roles {
            let name = role.role.trim();
            if name.is_empty() {
                problems.push(wrong("roles", "no-role", "a signer role has no name. Enter the name that the signature fields use.".into()));
            }
            if roles.iter().any(|other| Folded::new(&other.role) == Folded::new(name)) {
                problems.push(wrong("roles", "second-role", format!("the role “{name}” is there twice. Remove one.")));
            }
            if role.people.is_empty() {
                problems.push(wrong("roles", "nobody", format!("“{name}” has nobody to sign. Enter a name and an e-mail address.")));
            }
            let condition = Condition::read(&role.condition).unwrap_or_else(|problem| {
                problems.push(of("condition", *problem));
                None
            });
            let people =
                role.people.iter().map(|own| [&own.name, &own.email, &own.language, &own.phone].map(|text| TextTemplate::new(text)));
            roles.push(RolePlan { role: name.to_owned(), step: role.step.max(1), condition, people: people.collect() });
        }
        for days in setup.reminders.iter().chain(&setup.ends_after) {
            if !(1..=LONGEST).contains(days) {
                problems.push(wrong("days", "days", format!("the number of days must be from 1 to {LONGEST}")));
            }
        }
        let own = [&setup.invitation, &setup.reminder, &setup.completion];
        let messages = std::array::from_fn(|at| {
            let ((subject, body), text) = (USUAL[0].1[at], own[at]);
            let is_usual = [&text.subject, &text.html, &text.body].iter().all(|own| own.trim().is_empty());
            let others = USUAL[1..].iter().filter(|_| is_usual).map(|(language, all)| {
                let (subject, body) = all[at];
                (*language, TextTemplate::new(subject), TextTemplate::new(body))
            });
            let others = others.collect();
            let subject = if text.subject.trim().is_empty() { subject } else { &text.subject };
            let body = match (text.html.trim(), text.body.trim()) {
                ("", "") => Body::Plain(TextTemplate::new(body)),
                ("", plain) => Body::Plain(TextTemplate::new(plain)),
                (html, _) => Body::Rich(HtmlTemplate::new(html)),
            };
            Message { field: FIELDS[at], subject: TextTemplate::new(subject), body, others }
        });
        let passcode = Some(setup.passcode.trim()).filter(|text| !text.is_empty()).map(TextTemplate::new);
        let mut plan = SigningPlan { setup: setup.clone(), roles, messages, passcode, problems };
        let told: Vec<Diagnostic> =
            plan.texts().into_iter().flat_map(|(field, text)| text.problems().iter().map(move |p| of(field, p.clone()))).collect();
        plan.problems.extend(told);
        let bodies = plan.messages.iter().filter_map(|message| match &message.body {
            Body::Rich(html) => Some((message.field, html)),
            Body::Plain(_) => None,
        });
        let told: Vec<Diagnostic> = bodies.flat_map(|(field, html)| html.problems().iter().map(move |p| of(field, p.clone()))).collect();
        plan.problems.extend(told);
        Some(plan)
    }

    /// Its texts with the names of their fields.
    fn texts(&self) -> Vec<(&'static str, &TextTemplate)> {
        let mut all: Vec<(&'static str, &TextTemplate)> = self.passcode.iter().map(|text| ("passcode", text)).collect();
        for role in &self.roles {
            all.extend(role.condition.iter().map(|own| ("condition", own.text())));
            all.extend(role.people.iter().flat_map(|own| ["name", "e-mail", "language", "telephone"].into_iter().zip(own)));
        }
        for message in &self.messages {
            all.push((message.field, &message.subject));
            if let Body::Plain(text) = &message.body {
                all.push((message.field, text));
            }
        }
        all
    }

    /// The placeholders of its texts.
    pub fn placeholders(&self) -> impl Iterator<Item = &Placeholder> {
        let rich = self.messages.iter().filter_map(|message| match &message.body {
            Body::Rich(html) => Some(html),
            Body::Plain(_) => None,
        });
        self.texts().into_iter().flat_map(|(_, text)| text.placeholders()).chain(rich.flat_map(|html| html.placeholders()))
    }

    /// What does not go together with the fields of the template: a role without a field, a field
    /// without a role.
    pub fn obstacles(&self, fields: &[SignerField]) -> Vec<Diagnostic> {
        let has = |role: &str| fields.iter().any(|field| field.role.folded == Folded::new(role));
        let roles = self.roles.iter().filter(|own| !own.role.is_empty() && !has(&own.role)).map(|own| {
            let message = format!("the template has no field for “{0}”. Add [:signer {0} signature] to it, or remove the role.", own.role);
            of("roles", Diagnostic::error("role-without-field", message))
        });
        let mut told: Vec<&Folded> = Vec::new();
        let mut without = Vec::new();
        for field in fields {
            let known = self.roles.iter().any(|own| Folded::new(&own.role) == field.role.folded);
            if !known && !told.contains(&&field.role.folded) {
                told.push(&field.role.folded);
                let message = format!("the template has a field for “{0}”, and no role has that name. Add the role.", field.role.text);
                without.push(of("roles", Diagnostic::error("field-without-role", message)));
            }
        }
        roles.chain(without).collect()
    }

    /// What it comes to for a record.
    pub fn render(&self, scope: &Scope<'_>) -> Result<RoundPlan, (&'static str, Fault)> {
        let context = Context { signing: true, ..scope.context.clone() };
        let scope = &Scope::new(scope.record, scope.ties, &context);
        let mut roles: Vec<(String, u32, Vec<Person>)> = Vec::new();
        for role in &self.roles {
            let holds =
                |own: &Condition| own.holds(scope).map_err(|e| ("condition", Fault::Fill { field: "condition", error: Box::new(e) }));
            if !role.condition.as_ref().map_or(Ok(true), holds)? {
                continue;
            }
            let people = role.people.iter().map(|own| person(&role.role, own, scope)).collect::<Result<Vec<Person>, _>>()?;
            for one in &people {
                let twice = roles.iter().find(|(_, _, others)| others.iter().any(|other| other.email.eq_ignore_ascii_case(&one.email)));
                if let Some((other, ..)) = twice {
                    let message = format!(
                        "“{}” and “{other}” have the same address, {}. Enter another for one of them, or leave the record out.",
                        role.role, one.email
                    );
                    return Err(("e-mail", Fault::Value { code: "same-signer", field: "e-mail", text: Some(one.email.clone()), message }));
                }
            }
            roles.push((role.role.clone(), role.step, people));
        }
        if roles.is_empty() {
            let message = "nobody is asked to sign: every role is left out by its condition".to_owned();
            return Err(("roles", Fault::Value { code: "nobody", field: "roles", text: None, message }));
        }
        let passcode = self.passcode.as_ref().map(|text| fill("passcode", text, scope)).transpose().map_err(|e| ("passcode", e))?;
        let passcode = passcode.unwrap_or_default().trim().to_owned();
        if self.passcode.is_some() && !(4..=64).contains(&passcode.chars().count()) {
            let message = match passcode.is_empty() {
                true => "the passcode is blank. Fill the field in, or leave the record out.",
                false => "the passcode must have 4 to 64 characters",
            };
            return Err(("passcode", Fault::Value { code: "passcode", field: "passcode", text: None, message: message.into() }));
        }
        let [invitation, reminder, completion] = &self.messages;
        let [invitation, reminder, completion] =
            [invitation.fill(scope, true)?, reminder.fill(scope, true)?, completion.fill(scope, false)?];
        Ok(RoundPlan {
            roles,
            messages: RoundMessages { invitation, reminder, completion },
            passcode,
            reminders: self.setup.reminders.clone(),
            ends_after: self.setup.ends_after,
            hand_on: self.setup.hand_on,
            decline: !self.setup.no_declining,
            consent: self.setup.consent.clone(),
        })
    }
}

fn person(role: &str, own: &[TextTemplate; 4], scope: &Scope<'_>) -> Result<Person, (&'static str, Fault)> {
    let [name, email, language, phone] = own;
    let text = |field: &'static str, text: &TextTemplate| Ok(fill(field, text, scope).map_err(|e| (field, e))?.trim().to_owned());
    let (name, email, language, phone) =
        (text("name", name)?, text("e-mail", email)?, text("language", language)?, text("telephone", phone)?);
    let fault = |code, cell: &str, message: String| {
        ("e-mail", Fault::Value { code, field: "e-mail", text: Some(cell.to_owned()).filter(|cell| !cell.is_empty()), message })
    };
    if email.is_empty() {
        return Err(fault("no-address", "", format!("“{role}” has no e-mail address. Enter one, or leave the record out.")));
    }
    let address = EmailAddress::parse(&email)
        .map_err(|e| fault("not-an-address", &email, format!("{role}: {e}. Correct it in the source, or leave the record out.")))?;
    let name = if name.is_empty() { address.to_string() } else { name };
    let language = if Locale::parse(&language).is_ok() { language } else { scope.context.locale.tag() };
    Ok(Person { name, email: address.to_string(), language, phone })
}

impl Message {
    fn fill(&self, scope: &Scope<'_>, linked: bool) -> Result<RoundMessage, (&'static str, Fault)> {
        let subject = fill(self.field, &self.subject, scope).map_err(|e| (self.field, e))?;
        let failed = |error| (self.field, Fault::Fill { field: self.field, error: Box::new(error) });
        let (mut filled, rich) = match &self.body {
            Body::Plain(text) => {
                (FilledHtml { text: fill(self.field, text, scope).map_err(|e| (self.field, e))?, ..FilledHtml::default() }, false)
            }
            Body::Rich(html) => (html.fill(scope).map_err(failed)?, true),
        };
        if !filled.pictures.is_empty() {
            let message = "pictures can't be used in the messages of a signing round. Remove them.".to_owned();
            return Err((self.field, Fault::Value { code: "picture", field: self.field, text: None, message }));
        }
        // Without the link nobody could sign.
        if linked && !filled.text.contains(LINK) {
            filled.append(LINK);
        }
        let fill = |text: &TextTemplate| fill(self.field, text, scope).map_err(|e| (self.field, e));
        let mut others = BTreeMap::new();
        for (language, subject, text) in &self.others {
            others.insert((*language).to_owned(), (fill(subject)?.trim().to_owned(), fill(text)?));
        }
        Ok(RoundMessage { subject: subject.trim().to_owned(), text: filled.text, html: rich.then_some(filled.html), others })
    }
}

/// The signature fields among placeholders.
pub fn signer_fields<'a>(placeholders: impl Iterator<Item = &'a Placeholder>) -> Vec<SignerField> {
    let field = |own: &Placeholder| {
        let inner = own.text.trim().strip_prefix("[:")?.strip_suffix(']')?;
        match kind(inner) {
            Ok(Kind::Signer(field)) => Some(field),
            _ => None,
        }
    };
    placeholders.filter(|own| !own.again).filter_map(field).collect()
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use jiff::civil::DateTime;

    use super::*;
    use crate::language::Ties;
    use crate::records::{Column, ColumnType, Record, Schema};
    use crate::value::Value;

    fn role(role: &str, step: u32, people: &[(&str, &str)]) -> SignerRole {
        let people =
            people.iter().map(|(name, email)| SignerSetup { name: (*name).into(), email: (*email).into(), ..SignerSetup::default() });
        SignerRole { role: role.into(), step, condition: String::new(), people: people.collect() }
    }

    fn licence() -> SigningSetup {
        let roles = vec![role("holder", 1, &[("[: name]", "[: mail]")]), role("harbour master", 2, &[("Ida Kelling", "ida@quay.example")])];
        SigningSetup { on: true, roles, ..SigningSetup::default() }
    }

    fn rendered(setup: &SigningSetup, name: &str, mail: &str) -> Result<RoundPlan, String> {
        let columns = ["Name", "Mail"].map(|name| Column::new(name, ColumnType::Text)).to_vec();
        let cell = |text: &str| if text.is_empty() { Value::Blank } else { Value::text(text) };
        let record = Record::new(Arc::new(Schema::new(columns).expect("a schema")), vec![cell(name), cell(mail)], 3);
        let mut context = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 0, 0, 0));
        context.dispatch = "Berth licences".into();
        let (ties, plan) = (Ties::default(), SigningPlan::of(setup).expect("it is on"));
        assert_eq!(plan.problems, []);
        plan.render(&Scope::new(&record, &ties, &context)).map_err(|(field, fault)| format!("{field}: {fault}"))
    }

    #[test]
    fn a_record_names_its_signers_and_what_they_are_told() {
        let round = rendered(&licence(), "Maren Vos", "maren@quay.example").expect("rendered");
        let names: Vec<(&str, u32, &str)> =
            round.roles.iter().map(|(role, step, people)| (role.as_str(), *step, people[0].name.as_str())).collect();
        assert_eq!(names, [("holder", 1, "Maren Vos"), ("harbour master", 2, "Ida Kelling")]);
        assert_eq!((round.roles[0].2[0].language.as_str(), round.decline, round.hand_on), ("en-GB", true, false));
        let told = round.messages.invitation.to("Maren Vos", "holder", "https://quay.example/s/abc");
        assert_eq!(told.subject, "Please sign: Berth licences");
        assert!(told.text.starts_with("Dear Maren Vos,") && told.text.contains("\nhttps://quay.example/s/abc\n"), "{}", told.text);
        // A signer gets it in their language, as long as nobody wrote another.
        let german = round.messages.invitation.in_language("de-AT").to("Maren Vos", "holder", "https://q.example/s/1");
        assert_eq!(german.subject, "Bitte unterschreiben: Berth licences");
        assert!(german.text.contains("https://q.example/s/1"), "{}", german.text);
        assert_eq!(round.messages.invitation.in_language("sv").subject, "Please sign: Berth licences");
        // A message without the link gets it, and a name can't bring HTML along.
        let mut own = licence();
        own.invitation =
            MessageText { subject: String::new(), body: String::new(), html: "<p>Dear [: signer.name], please sign.</p>".into() };
        let told = rendered(&own, "Maren <b>Vos</b>", "maren@quay.example").expect("rendered").messages.invitation.to(
            "M <b>V</b>",
            "holder",
            "https://q.example/s/1",
        );
        assert!(
            told.html.as_deref().is_some_and(|html| html.contains("M &lt;b&gt;V&lt;/b&gt;") && html.contains("https://q.example/s/1")),
            "{told:?}"
        );
    }

    #[test]
    fn what_keeps_a_record_from_being_signed_is_told_with_the_role() {
        let wrong = |setup: &SigningSetup, name: &str, mail: &str| rendered(setup, name, mail).expect_err("refused");
        assert_eq!(wrong(&licence(), "Maren", ""), "e-mail: “holder” has no e-mail address. Enter one, or leave the record out.");
        assert!(wrong(&licence(), "Maren", "maren@").starts_with("e-mail: holder: “maren@” is not an e-mail address"));
        let same = wrong(&licence(), "Maren", "IDA@quay.example");
        assert!(same.starts_with("e-mail: “harbour master” and “holder” have the same address"), "{same}");
        let mut none = licence();
        none.roles.iter_mut().for_each(|role| role.condition = "name = \"nobody\"".into());
        assert!(wrong(&none, "Maren", "maren@quay.example").contains("nobody is asked to sign"));
        let mut coded = licence();
        coded.passcode = "abc".into();
        assert!(wrong(&coded, "Maren", "maren@quay.example").contains("4 to 64 characters"));
    }

    #[test]
    fn roles_and_fields_belong_together() {
        let texts = ["[:signer Holder signature]", "[:signer guarantor choice \"Monthly; Yearly\"]", "[: name]"];
        let placeholders: Vec<Placeholder> = texts.iter().flat_map(|text| TextTemplate::new(text).placeholders().to_vec()).collect();
        let fields = signer_fields(placeholders.iter());
        assert_eq!(fields.len(), 2);
        let told: Vec<String> =
            SigningPlan::of(&licence()).expect("on").obstacles(&fields).into_iter().map(|own| own.code.into_owned()).collect();
        assert_eq!(told, ["role-without-field", "field-without-role"]);
    }

    #[test]
    fn a_set_up_that_can_not_work_is_told_before_any_record() {
        let codes = |setup: SigningSetup| -> Vec<String> {
            SigningPlan::of(&setup).expect("on").problems.into_iter().map(|own| own.code.into_owned()).collect()
        };
        assert!(SigningPlan::of(&SigningSetup::default()).is_none());
        assert_eq!(codes(SigningSetup { on: true, ..SigningSetup::default() }), ["no-signer"]);
        let mut twice = licence();
        twice.roles[1].role = "HOLDER".into();
        twice.roles[0].people.clear();
        twice.reminders = vec![0];
        twice.ends_after = Some(400);
        assert_eq!(codes(twice), ["nobody", "second-role", "days", "days"]);
    }
}
