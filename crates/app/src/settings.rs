//! The office and the person at work.

use jiff::tz::TimeZone;
use mangle_channels::print;
use mangle_core::language::Sender;
use mangle_core::value::{Currency, EmailAddress, Locale};
use serde::{Deserialize, Serialize};

use crate::store::settings::{self, Settings};
use crate::{App, Error, Outcome, printers};

/// The settings, with what tells whether they were changed elsewhere.
#[derive(Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SettingsBody {
    /// The settings.
    #[serde(flatten)]
    pub settings: Settings,
    /// How often they were changed. Sent back with a change, it is made only if nobody else
    /// made one since.
    #[serde(default)]
    pub revision: Option<i64>,
}

/// The settings.
pub async fn read(app: &App) -> Outcome<SettingsBody> {
    let read = app
        .store
        .read(|c| -> anyhow::Result<_> { Ok(SettingsBody { settings: settings::read(c)?, revision: Some(settings::revision(c)?) }) });
    Ok(read.await?)
}

/// Has the moments of seals confirmed by a timestamp authority: for the demo world.
pub async fn trust_timestamps(app: &App, address: &str) -> Outcome<()> {
    let mut office = app.store.read(settings::read).await?;
    address.clone_into(&mut office.timestamp_authority);
    Ok(app.store.change(move |t| settings::write(t, &office)).await?)
}

/// Changes the settings; addresses may be blank but not malformed.
pub async fn write(app: &App, SettingsBody { settings: new, revision }: SettingsBody) -> Outcome<SettingsBody> {
    let senders = new.senders.iter();
    let all = [&new.office_email, &new.person_email].into_iter().chain(senders.clone().map(|sender| &sender.reply_to));
    for address in all {
        if !address.trim().is_empty() {
            EmailAddress::parse(address).map_err(|e| Error::unusable("not-an-address", e.to_string()))?;
        }
    }
    for (at, sender) in senders.enumerate() {
        EmailAddress::parse(&sender.address).map_err(|e| Error::unusable("not-an-address", e.to_string()))?;
        let same = |other: &Sender| other.address.trim().eq_ignore_ascii_case(sender.address.trim());
        if new.senders[..at].iter().any(same) {
            return Err(Error::unusable("same-sender", format!("the sender “{}” is listed twice", sender.address.trim())));
        }
    }
    if new.run_summary && new.person_email.trim().is_empty() {
        return Err(Error::unusable("no-address", "no e-mail address for summaries of runs. Enter yours, or switch them off."));
    }
    let authority = new.timestamp_authority.trim();
    if !authority.is_empty() && !authority.starts_with("http://") && !authority.starts_with("https://") {
        return Err(Error::unusable("timestamp-authority", "the address of the timestamp authority must start with https:// or http://"));
    }
    for (at, printer) in new.printers.iter().enumerate() {
        if printer.name.trim().is_empty() {
            return Err(Error::unusable("no-name", "a printer has no name. Enter one."));
        }
        if new.printers[..at].iter().any(|other| other.name == printer.name) {
            return Err(Error::unusable("same-printer", format!("the printer “{}” is listed twice", printer.name)));
        }
        print::check_uri(&printer.uri).map_err(|message| Error::unusable("printer", message))?;
    }
    if !new.locale.trim().is_empty() {
        Locale::parse(new.locale.trim()).map_err(|e| Error::unusable("locale", e.to_string()))?;
    }
    if !new.currency.trim().is_empty() {
        Currency::parse(&new.currency).map_err(|e| Error::unusable("unknown-currency", e.to_string()))?;
    }
    if !new.time_zone.trim().is_empty() {
        TimeZone::get(new.time_zone.trim()).map_err(|_| {
            let message = format!("“{}” is not a time zone. Choose one like Europe/Amsterdam.", new.time_zone.trim());
            Error::unusable("time-zone", message)
        })?;
    }
    app.store.change(move |t| settings::change(t, revision, &new)).await?.done("the settings")?;
    app.keep_time().await?;
    printers::apply(app).await?;
    read(app).await
}

/// A currency that amounts can be in.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct CurrencyInfo {
    /// Its code (ISO 4217).
    pub code: &'static str,
    /// Its English name.
    pub name: &'static str,
}

/// All currencies of ISO 4217 that are in use, by code.
pub fn currencies() -> Vec<CurrencyInfo> {
    Currency::all().map(|(code, name)| CurrencyInfo { code, name }).collect()
}
