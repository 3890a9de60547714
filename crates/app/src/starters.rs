//! Ready-made set-ups: each lays out a template, records or a form, and a dispatch that can be run at
//! once, and taken apart to learn from. To add one is one entry here.

use mangle_core::channel::{Channel, ChannelSetup, EmailChannel, Moment};
use mangle_core::dispatch::{Choose, Setup};
use mangle_core::trigger::{AnswerTrigger, Trigger, TriggerSetup};
use serde::Serialize;

use crate::dispatches::edit::Key;
use crate::forms::desk;
use crate::store::{dispatches, forms};
use crate::transfer::Upload;
use crate::{App, Error, Outcome, clock, sources, templates};

/// Where a starter's records come from.
#[derive(Debug, Clone, Copy)]
enum Data {
    /// A file, and the sheet of it; its first where that is blank.
    File(&'static str, &'static [u8], &'static str),
    /// A form, as its draft is stored.
    Form(&'static [u8]),
}

/// A ready-made set-up.
#[derive(Debug, Clone, Copy)]
struct Starter {
    key: &'static str,
    name: &'static str,
    about: &'static str,
    /// What one can learn from it.
    shows: &'static str,
    template: (&'static str, &'static [u8]),
    data: Data,
    setup: fn() -> Setup,
}

macro_rules! file {
    ($name:literal) => {
        include_bytes!(concat!("../../../demo/", $name))
    };
}

const SEASON: &[u8] = file!("season.xlsx");

/// All of them, in the order in which they are shown.
const STARTERS: [Starter; 6] = [
    Starter {
        key: "reminder",
        name: "Reminder from a sheet",
        about: "A letter to each holder who is overdue, attached to an e-mail.",
        shows: "Filter, conditions, amounts and dates, e-mail",
        template: ("Balance reminder.docx", file!("reminder.docx")),
        data: Data::File("Holders (sample).xlsx", SEASON, "Holders"),
        setup: || Setup {
            ties: [("due".to_owned(), "Due date".to_owned()), ("harbour due".to_owned(), "Yearly fee".to_owned())].into(),
            filter: "days overdue > 60".to_owned(),
            name: "Reminder [: ref]".to_owned(),
            channels: by_email("[: e-mail]", "Your balance at [: office.name]", "Dear [: salutation] [: last name],"),
            ..Setup::default()
        },
    },
    Starter {
        key: "agreement",
        name: "Agreement from a form",
        about: "Each form answer creates an agreement automatically. It appears under Documents.",
        shows: "Form with a signature, trigger, picture, condition",
        template: ("Crane lift agreement.docx", file!("starters/crane-agreement.docx")),
        data: Data::Form(file!("crane-lift.form.json")),
        setup: || Setup {
            name: "Crane lift agreement [: name]".to_owned(),
            triggers: vec![TriggerSetup {
                id: 1,
                on: true,
                hold: false,
                trigger: Trigger::Answer(AnswerTrigger { condition: String::new() }),
            }],
            ..Setup::default()
        },
    },
    Starter {
        key: "quote",
        name: "Quote from the CRM",
        about: "A quote for each refit case, with lines by section, optional work, VAT and a place to sign.",
        shows: "Nested lists, groups, sums calculated once, payment code. Choose your CRM query under Records.",
        template: ("Refit quote.docx", file!("refit-quote.docx")),
        data: Data::File("Refit cases (sample).json", file!("refit-cases.json"), ""),
        setup: || Setup {
            filter: "stage in (\"Inspected\"; \"Quoted\")".to_owned(),
            name: "Quote [: case], [: vessel.name]".to_owned(),
            channels: by_email(
                "[: owner.e-mail]",
                "Quote [: case] for “[: vessel.name]”",
                "Dear [: owner.salutation after \" \"][: owner.last name else \"owner\"],",
            ),
            ..Setup::default()
        },
    },
    Starter {
        key: "invoice",
        name: "Invoice with payment code",
        about: "An invoice with its lines, VAT and a QR code that banking apps read.",
        shows: "Lines from a nested list, totals, EPC payment code, PDF/A with the data attached",
        template: ("Mooring invoice.docx", file!("starters/mooring-invoice.docx")),
        data: Data::File("Invoices (sample).json", file!("starters/invoices.json"), ""),
        setup: || Setup {
            name: "Invoice [: number]".to_owned(),
            pdf: serde_json::from_str(r#"{"standard": "a3b", "attach": "json"}"#).unwrap_or_default(),
            choose: Choose::Unserved,
            channels: by_email("[: e-mail]", "Invoice [: number]", "Dear [: name],"),
            ..Setup::default()
        },
    },
    Starter {
        key: "survey",
        name: "Survey report with photographs",
        about: "A report with each defect and the photographs of it.",
        shows: "A list within a list, pictures, hold for release",
        template: ("Survey report.docx", file!("survey-report.docx")),
        data: Data::File("Surveys (sample).json", file!("starters/surveys.json"), ""),
        setup: || Setup {
            name: "Survey report [: case id]".to_owned(),
            channels: by_email("[: contact.email]", "Survey of “[: vessel.name]”", "Dear [: contact.first name] [: contact.last name],")
                .into_iter()
                .map(|channel| ChannelSetup { moment: Moment::AfterRelease, ..channel })
                .collect(),
            ..Setup::default()
        },
    },
    Starter {
        key: "passes",
        name: "Dock passes",
        about: "One document with a pass for each holder, eight to a page, each with a QR code.",
        shows: "One document for all records, labels, barcodes",
        template: ("Dock passes.docx", file!("starters/dock-passes.docx")),
        data: Data::File("Holders (sample).xlsx", SEASON, "Holders"),
        setup: || Setup {
            joint: true,
            filter: "left is blank".to_owned(),
            name: "Dock passes [: today as date \"yyyy-MM-dd\"]".to_owned(),
            ..Setup::default()
        },
    },
];

fn by_email(to: &str, subject: &str, greeting: &str) -> Vec<ChannelSetup> {
    vec![ChannelSetup::new(Channel::Email(EmailChannel {
        to: to.to_owned(),
        subject: subject.to_owned(),
        body: format!("{greeting}\n\nplease find the document attached.\n\nWith kind regards,\n[: office.name]\n"),
        ..EmailChannel::default()
    }))]
}

/// A ready-made set-up as it is offered.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct StarterInfo {
    /// What it is known by.
    pub key: String,
    /// Its name.
    pub name: String,
    /// What it makes.
    pub about: String,
    /// What one can learn from it.
    pub shows: String,
}

/// All ready-made set-ups.
pub fn list() -> Vec<StarterInfo> {
    let info = |own: &Starter| StarterInfo { key: own.key.into(), name: own.name.into(), about: own.about.into(), shows: own.shows.into() };
    STARTERS.iter().map(info).collect()
}

/// Lays a ready-made set-up out: its template, its records or form, and its dispatch.
pub async fn lay_out(app: &App, key: &str) -> Outcome<Key> {
    let own = STARTERS.iter().find(|own| own.key == key).copied().ok_or_else(|| Error::missing("the starter"))?;
    let upload = |name: &str, bytes: &[u8]| Upload { name: name.to_owned(), bytes: bytes.to_vec() };
    let sheet = match own.data {
        Data::File(name, bytes, sheet) => {
            let source = sources::keep(app, upload(name, bytes)).await?;
            let found = source.sheets.iter().find(|own| sheet.is_empty() || own.name == sheet);
            found.map(|own| own.id).ok_or_else(|| Error::missing("the sheet"))?
        }
        Data::Form(draft) => {
            let form = serde_json::from_slice(draft).map_err(anyhow::Error::new)?;
            let id = desk::furnish(app, form).await?;
            app.store.with(move |c| forms::get(c, id)).await?.ok_or_else(|| Error::missing("the form"))?.sheet
        }
    };
    let template = templates::keep(app, None, upload(own.template.0, own.template.1)).await?;
    let added = app.store.change(move |t| -> anyhow::Result<String> {
        let locale = crate::store::settings::read(t)?.home().locale.tag();
        let setup = Setup { locale, ..(own.setup)() };
        dispatches::add(t, own.name, Some(template), Some(sheet), &setup, &clock::stamp())
    });
    Ok(Key { key: added.await? })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::store::settings::{self, Settings};
    use crate::{Options, open};

    #[tokio::test(flavor = "multi_thread")]
    async fn every_starter_can_be_run_as_it_is_laid_out() {
        let folder = tempfile::tempdir().expect("a folder");
        let app = open(Options { folder: folder.path().into(), channels: Default::default() }).await.expect("opens");
        let office = Settings { office_name: "Brackwater Quay".into(), office_email: "office@quay.example".into(), ..Settings::default() };
        app.store.with(move |c| settings::write(c, &office)).await.expect("settings");
        for own in list() {
            let made = lay_out(&app, &own.key).await.expect("laid out");
            let bench = app.bench(&made.key).await.expect("a bench");
            assert!(bench.obstacles.is_empty(), "{}: {:?}", own.key, bench.obstacles);
            assert_eq!(bench.records.is_empty(), own.key == "agreement", "{}", own.key);
            if own.key == "agreement" {
                continue;
            }
            let found = app.preflight(&made.key).await.expect("a check");
            assert_eq!(found.wrong, 0, "{}: {:?}", own.key, found);
            let page = app.one_page(&made.key, bench.records[0].row, Default::default()).await.expect("a page");
            assert!(page.pages.count > 0 && page.findings.is_empty(), "{}", own.key);
        }
        assert!(lay_out(&app, "another").await.is_err());
        app.stop().await;
    }
}
