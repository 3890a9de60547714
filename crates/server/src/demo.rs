//! The demo world: Brackwater Quay's files brought in as a person would, and a
//! dispatch with two things left to do.

use anyhow::{Result, anyhow};
use mangle_core::dispatch::{EmailChannel, Setup};

use crate::api::{keep_source, keep_template, upload};
use crate::clock;
use crate::server::App;
use crate::store::settings::{self, Settings};
use crate::store::{dispatches, sheets};

/// Brings files in; a sheet `Holders` and a letter become the dispatch *Balance
/// reminders*.
pub async fn demo(app: &App, files: &[(&str, &[u8])]) -> Result<()> {
    let (mut letter, mut holders) = (None, None);
    for (name, bytes) in files {
        let file = upload(name, bytes.to_vec());
        if name.ends_with(".docx") {
            letter = Some(keep_template(app, file).await.map_err(|e| anyhow!(e.problem.message))?);
        } else {
            let source = keep_source(app, file).await.map_err(|e| anyhow!(e.problem.message))?;
            holders = holders.or_else(|| source.sheets.into_iter().find(|s| s.name == "Holders").map(|s| s.id));
        }
    }
    let setup = Setup {
        ties: [("due".to_owned(), "Due date".to_owned())].into(),
        filter: "days overdue > 30".to_owned(),
        name: "Reminder [: ref]".to_owned(),
        email: Some(EmailChannel {
            to: "[: e-mail]".to_owned(),
            subject: "Your berth [: berth] at [: office.name]".to_owned(),
            body: "Dear [: salutation] [: last name],\n\nplease find our letter about the balance of [: balance] attached.\n\nWith kind regards,\n[: office.name]\n".to_owned(),
            ..EmailChannel::default()
        }),
        locale: "en-GB".to_owned(),
        ..Setup::default()
    };
    app.store
        .with(move |c| -> Result<()> {
            let office = Settings {
                office_name: "Brackwater Quay".to_owned(),
                office_email: "office@brackwater-quay.example".to_owned(),
                person_email: "ida@brackwater-quay.example".to_owned(),
            };
            settings::write(c, &office)?;
            if let Some(sheet) = holders {
                sheets::keep_filter(c, sheet, "Overdue by more than 30 days", "days overdue > 30")?;
                sheets::keep_filter(c, sheet, "Present holders", "left is blank")?;
            }
            dispatches::add(c, "Balance reminders", letter, holders, &setup, &clock::stamp())?;
            Ok(())
        })
        .await
}
