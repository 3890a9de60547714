//! The demo world: Brackwater Quay's files brought in as a person would, and a
//! dispatch with two things left to do.

use std::collections::HashMap;

use anyhow::{Context, Result};
use mangle_core::channel::{Channel, ChannelSetup, EmailChannel, FolderChannel, Moment};
use mangle_core::crm::{CrmQuery, ListPick, Picks};
use mangle_core::dispatch::{Inclusion, Numbering, Pack, Part, PartContent, Setup};

use mangle_core::signing::{SignerRole, SignerSetup, SigningSetup};

use crate::crm::{connections, queries};
use crate::forms::desk;
use crate::packs::{self, NewPack};
use crate::store::settings::{self, Settings};
use crate::store::{dispatches, sheets};
use crate::transfer::Upload;
use crate::{App, clock, sources, templates};

/// Connects the practice CRM at an address, and asks it for the cases that were
/// inspected, with their defects and photographs.
pub async fn demo_crm(app: &App, address: &str, token: &str) -> Result<()> {
    let strings = |all: &[&str]| all.iter().map(|s| (*s).to_owned()).collect::<Vec<_>>();
    let photographs = ListPick {
        way: "Photographs".to_owned(),
        picks: Picks { fields: strings(&["Medium", "Caption"]), lists: Vec::new() },
        order: "PhotographID".to_owned(),
        ..ListPick::default()
    };
    let defects = ListPick {
        way: "Defects".to_owned(),
        picks: Picks { fields: strings(&["Position", "Title", "Place", "Severity"]), lists: vec![photographs] },
        order: "Position".to_owned(),
        ..ListPick::default()
    };
    let fields =
        ["CaseID", "Stage", "ValidUntil", "Note", "Vessel/Name", "Vessel/Type", "Vessel/LOA", "Contact/Salutation", "Contact/FirstName"];
    let more = ["Contact/LastName", "Contact/Email", "Responsible/Name", "Responsible/Email"];
    let asks = CrmQuery {
        root: "Cases".to_owned(),
        picks: Picks { fields: [strings(&fields), strings(&more)].concat(), lists: vec![defects] },
        filter: "stage = \"Inspected\"".to_owned(),
        order: "CaseID".to_owned(),
        first: None,
    };
    let connection = connections::furnish(app, address, token).await?;
    queries::furnish(app, "Inspected cases", connection, asks).await?;
    Ok(())
}

fn by_email(email: EmailChannel) -> Vec<ChannelSetup> {
    vec![ChannelSetup::new(Channel::Email(email))]
}

/// The welcome pack, where all its parts are there: the licence in short, the harbour's rules, one of
/// two agreements on electricity, and what holds for those who live aboard.
fn welcome(parts: &HashMap<&str, PartContent>) -> Option<Pack> {
    let part = |name: &str, file: &str, include: Inclusion| {
        Some(Part { name: name.to_owned(), title: String::new(), content: parts.get(file)?.clone(), include, repeat: String::new() })
    };
    let one_of = |condition: &str| Inclusion::OneOf { group: "Electricity".to_owned(), condition: condition.to_owned() };
    let parts = vec![
        part("Your berth licence in short", "welcome-licence.docx", Inclusion::Always)?,
        part("Harbour rules", "harbour-rules.pdf", Inclusion::Always)?,
        part("Electricity by the meter", "welcome-metered.docx", one_of("electricity = \"metered\""))?,
        part("Electricity at a flat rate", "welcome-flat.docx", one_of(""))?,
        part("Living aboard", "welcome-liveaboard.docx", Inclusion::If { condition: "liveaboard".to_owned() })?,
    ];
    Some(Pack {
        parts,
        numbering: Numbering::PerPart,
        cover: "Welcome to [: office.name]\n[: first name] [: last name]".to_owned(),
        contents: true,
    })
}

/// The file of the berth licence.
const LICENCE: &str = "berth-licence.docx";

/// How berth licences are signed and sent: the holder first, then the harbour master; the signed
/// licence then goes to the office's folder.
fn licences() -> Setup {
    let person = |name: &str, email: &str, language: &str| SignerSetup {
        name: name.to_owned(),
        email: email.to_owned(),
        language: language.to_owned(),
        phone: String::new(),
    };
    let role =
        |role: &str, step: u32, people: Vec<SignerSetup>| SignerRole { role: role.to_owned(), step, condition: String::new(), people };
    let signing = SigningSetup {
        on: true,
        roles: vec![
            role("holder", 1, vec![person("[: first name] [: last name]", "[: e-mail]", "[: language]")]),
            role("harbour master", 2, vec![person("Ida Kelling", "ida@brackwater-quay.example", "en-GB")]),
        ],
        reminders: vec![3, 7],
        ends_after: Some(30),
        hand_on: true,
        ..SigningSetup::default()
    };
    let folder = FolderChannel { folder: "Harbour office".to_owned(), path: "Licences".to_owned(), ..FolderChannel::default() };
    Setup {
        filter: "pontoon = \"A\" and left is blank and e-mail is not blank".to_owned(),
        name: "Berth licence [: ref]".to_owned(),
        signing,
        channels: vec![ChannelSetup { moment: Moment::AfterSigning, ..ChannelSetup::new(Channel::Folder(folder)) }],
        ..Setup::default()
    }
}

/// Brings files in; the sheet `Holders` and the letter become the dispatch *Balance
/// reminders*, with the berth list *Berth list*; the refit cases and the quote become
/// *Refit quotes*, the parts of the welcome pack become the pack and the dispatch *Welcome packs*.
pub async fn demo(app: &App, files: &[(&str, &[u8])]) -> Result<()> {
    let office = Settings {
        office_name: "Brackwater Quay".to_owned(),
        office_email: "office@brackwater-quay.example".to_owned(),
        person_name: "Ida Kelling".to_owned(),
        person_email: "ida@brackwater-quay.example".to_owned(),
        ..Settings::default()
    };
    app.store.with(move |c| settings::write(c, &office)).await?;
    let (mut letter, mut holders, mut quote, mut cases, mut list) = (None, None, None, None, None);
    let mut parts: HashMap<&str, PartContent> = HashMap::new();
    let mut licence_file = None;
    for (name, bytes) in files {
        if name.ends_with(".form.json") {
            let form = serde_json::from_slice(bytes).with_context(|| format!("{name} is not a form"))?;
            desk::furnish(app, form).await?;
            continue;
        }
        let file = Upload { name: (*name).to_owned(), bytes: bytes.to_vec() };
        if name.ends_with(".pdf") {
            parts.insert(name, packs::keep_file(app, file).await?.content);
            continue;
        }
        if *name == LICENCE {
            licence_file = Some(file);
            continue;
        }
        if name.ends_with(".docx") {
            let id = templates::keep(app, None, file).await?;
            match *name {
                name if name.contains("quote") => quote = Some(id),
                name if name.contains("survey") => {}
                name if name.contains("list") => list = Some(id),
                name if name.starts_with("welcome") => drop(parts.insert(name, PartContent::Template { id, version: None })),
                _ => letter = Some(id),
            }
        } else {
            let source = sources::keep(app, file).await?;
            let first = source.sheets.first().map(|s| s.id);
            holders = holders.or_else(|| source.sheets.into_iter().find(|s| s.name == "Holders").map(|s| s.id));
            cases = cases.or(first.filter(|_| name.contains("cases")));
        }
    }
    let pack = match welcome(&parts) {
        Some(pack) => Some(packs::add(app, NewPack { name: "Welcome pack".to_owned(), pack }).await?.info.id),
        None => None,
    };
    let licence = match licence_file {
        Some(file) => Some(templates::keep(app, None, file).await?),
        None => None,
    };
    let setup = Setup {
        ties: [("due".to_owned(), "Due date".to_owned())].into(),
        filter: "days overdue > 30".to_owned(),
        name: "Reminder [: ref]".to_owned(),
        channels: by_email(EmailChannel {
            to: "[: e-mail]".to_owned(),
            subject: "Your berth [: berth] at [: office.name]".to_owned(),
            body: "Dear [: salutation] [: last name],\n\nplease find our letter about the balance of [: balance] attached.\n\nWith kind regards,\n[: office.name]\n".to_owned(),
            ..EmailChannel::default()
        }),
        locale: "en-GB".to_owned(),
        ..Setup::default()
    };
    let quotes = Setup {
        filter: "stage in (\"Inspected\"; \"Quoted\")".to_owned(),
        name: "Quote [: case], [: vessel.name]".to_owned(),
        channels: by_email(EmailChannel {
            to: "[: owner.e-mail]".to_owned(),
            subject: "Quote [: case] for “[: vessel.name]”".to_owned(),
            body: "Dear [: owner.salutation after \" \"][: owner.last name else \"owner\"],\n\nplease find our quote attached.\n\n[: responsible]\n[: office.name]\n".to_owned(),
            ..EmailChannel::default()
        }),
        locale: "en-GB".to_owned(),
        ..Setup::default()
    };
    let berths = Setup {
        joint: true,
        filter: "left is blank".to_owned(),
        name: "Berth list [: today as date \"yyyy-MM-dd\"]".to_owned(),
        locale: "en-GB".to_owned(),
        ..Setup::default()
    };
    let welcomes = Setup {
        filter: "since >= 2025-01-01 and left is blank".to_owned(),
        name: "Welcome [: ref]".to_owned(),
        channels: by_email(EmailChannel {
            to: "[: e-mail]".to_owned(),
            subject: "Welcome to [: office.name], berth [: berth]".to_owned(),
            body: "Dear [: salutation] [: last name],\n\nplease find all that you need for your berth attached.\n\n[: office.name]\n"
                .to_owned(),
            ..EmailChannel::default()
        }),
        ..Setup::default()
    };
    app.store
        .with(move |c| -> Result<()> {
            if let Some(sheet) = holders {
                sheets::keep_filter(c, sheet, "Overdue by more than 30 days", "days overdue > 30")?;
                sheets::keep_filter(c, sheet, "Present holders", "left is blank")?;
            }
            if let (Some(quote), Some(cases)) = (quote, cases) {
                dispatches::add(c, "Refit quotes", Some(quote), Some(cases), &quotes, &clock::stamp())?;
            }
            if pack.is_some() {
                dispatches::add(c, "Welcome packs", pack, holders, &welcomes, &clock::stamp())?;
            }
            if licence.is_some() {
                dispatches::add(c, "Berth licences", licence, holders, &licences(), &clock::stamp())?;
            }
            if list.is_some() {
                dispatches::add(c, "Berth list", list, holders, &berths, &clock::stamp())?;
            }
            dispatches::add(c, "Balance reminders", letter, holders, &setup, &clock::stamp())?;
            Ok(())
        })
        .await
}
