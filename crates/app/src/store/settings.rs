//! The office and the person at work.

use anyhow::Result;
use jiff::tz::TimeZone;
use mangle_core::channel::PrinterAddress;
use mangle_core::language::{Office, Sender};
use mangle_core::value::{Currency, Home, Locale};
use rusqlite::{Connection, OptionalExtension, Transaction, params};
use serde::{Deserialize, Serialize};

use super::Changed;

/// Who sends, and who is at work.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Settings {
    /// The office's name: the sender of messages.
    pub office_name: String,
    /// The office's address.
    pub office_email: String,
    /// The person's name: who brought in a version.
    #[serde(default)]
    pub person_name: String,
    /// The person's own address: where proofs go.
    pub person_email: String,
    /// Hosts from which pictures may be fetched, parted by commas.
    #[serde(default)]
    pub picture_hosts: String,
    /// The office's language and region, a BCP 47 tag: files are read by it, and new forms
    /// and dispatches start with it. Blank for en-GB.
    #[serde(default)]
    pub locale: String,
    /// The office's currency, an ISO 4217 code: new columns and forms start with it. Blank
    /// for EUR.
    #[serde(default)]
    pub currency: String,
    /// The office's time zone, an IANA name: dates print, forms close and schedules go by it.
    /// Blank in what a run keeps from before there was one: UTC.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub time_zone: String,
    /// Those beside the office itself whom messages may come from.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub senders: Vec<Sender>,
    /// Whether the person gets a message once a run has ended.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub run_summary: bool,
    /// Where the moments of seals are confirmed: the address of a timestamp authority (RFC 3161);
    /// blank for none.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub timestamp_authority: String,
    /// The office's printers.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub printers: Vec<PrinterAddress>,
}

impl Settings {
    /// What recognition, new forms and new dispatches start from.
    pub fn home(&self) -> Home {
        let known = Home::default();
        Home {
            locale: Locale::parse(self.locale.trim()).unwrap_or(known.locale),
            currency: Currency::parse(&self.currency).unwrap_or(known.currency),
        }
    }

    /// The office's time zone.
    pub fn zone(&self) -> TimeZone {
        match self.time_zone.trim() {
            "" => TimeZone::UTC,
            name => TimeZone::get(name).unwrap_or(TimeZone::UTC),
        }
    }

    /// The office as placeholders name it.
    pub fn office(&self) -> Office {
        Office { name: self.office_name.clone(), email: self.office_email.clone(), senders: self.senders.clone() }
    }
}

/// The settings as kept.
pub fn read(c: &Connection) -> Result<Settings> {
    // Where nobody has chosen one, the office is where its machine is.
    let machine = TimeZone::system();
    let mut settings = Settings { time_zone: machine.iana_name().unwrap_or("UTC").to_owned(), ..Settings::default() };
    let mut query = c.prepare_cached("SELECT name, value FROM setting")?;
    for row in query.query_map([], |r| Ok((r.get::<_, String>(0)?, r.get::<_, String>(1)?)))? {
        let (name, value) = row?;
        match name.as_str() {
            "office name" => settings.office_name = value,
            "office e-mail" => settings.office_email = value,
            "person name" => settings.person_name = value,
            "person e-mail" => settings.person_email = value,
            "picture hosts" => settings.picture_hosts = value,
            "locale" => settings.locale = value,
            "currency" => settings.currency = value,
            "time zone" if !value.is_empty() => settings.time_zone = value,
            "senders" => settings.senders = serde_json::from_str(&value)?,
            "run summary" => settings.run_summary = value == "yes",
            "timestamp authority" => settings.timestamp_authority = value,
            "printers" => settings.printers = serde_json::from_str(&value)?,
            _ => {}
        }
    }
    Ok(settings)
}

/// How often the settings were changed.
pub fn revision(c: &Connection) -> Result<i64> {
    Ok(get(c, "revision")?.and_then(|number| number.parse().ok()).unwrap_or(1))
}

fn get(c: &Connection, name: &str) -> Result<Option<String>> {
    Ok(c.prepare_cached("SELECT value FROM setting WHERE name = ?1")?.query_row([name], |r| r.get(0)).optional()?)
}

/// Keeps the settings, if they are still of the revision that was seen, where one was.
pub fn change(t: &Transaction<'_>, seen: Option<i64>, settings: &Settings) -> Result<Changed> {
    let now = revision(t)?;
    if seen.is_some_and(|seen| seen != now) {
        return Ok(Changed::Elsewhere);
    }
    write(t, settings)?;
    put(t, "revision", &(now + 1).to_string())?;
    Ok(Changed::Done)
}

fn put(c: &Connection, name: &str, value: &str) -> Result<()> {
    c.execute("INSERT INTO setting (name, value) VALUES (?1, ?2) ON CONFLICT (name) DO UPDATE SET value = ?2", params![name, value])?;
    Ok(())
}

/// Keeps the settings.
pub fn write(c: &Connection, settings: &Settings) -> Result<()> {
    for (name, value) in [
        ("office name", &settings.office_name),
        ("office e-mail", &settings.office_email),
        ("person name", &settings.person_name),
        ("person e-mail", &settings.person_email),
        ("picture hosts", &settings.picture_hosts),
        ("locale", &settings.locale),
        ("currency", &settings.currency),
        ("time zone", &settings.time_zone),
        ("timestamp authority", &settings.timestamp_authority),
    ] {
        put(c, name, value)?;
    }
    put(c, "run summary", if settings.run_summary { "yes" } else { "no" })?;
    put(c, "senders", &serde_json::to_string(&settings.senders)?)?;
    put(c, "printers", &serde_json::to_string(&settings.printers)?)
}

/// The file of the office's logo.
pub fn logo(c: &Connection) -> Result<Option<String>> {
    Ok(get(c, "logo")?.filter(|file| !file.is_empty()))
}

/// Changes the office's logo.
pub fn set_logo(c: &Connection, file: Option<&str>) -> Result<()> {
    put(c, "logo", file.unwrap_or_default())
}

/// What the office has set for a kind of channel, as JSON, with its secret as it is stored: closed.
pub fn of_channel(c: &Connection, kind: &str) -> Result<Option<(String, String)>> {
    let Some(settings) = get(c, &format!("channel {kind}"))? else { return Ok(None) };
    Ok(Some((settings, get(c, &format!("channel {kind} secret"))?.unwrap_or_default())))
}

/// How often the settings of a kind of channel were changed.
pub fn channel_revision(c: &Connection, kind: &str) -> Result<i64> {
    Ok(get(c, &format!("channel {kind} revision"))?.and_then(|number| number.parse().ok()).unwrap_or(1))
}

/// Keeps what the office has set for a kind of channel, or takes it away, if it is still of the
/// revision that was seen, where one was.
pub fn set_channel(t: &Transaction<'_>, kind: &str, seen: Option<i64>, set: Option<(&str, &str)>) -> Result<Changed> {
    let now = channel_revision(t, kind)?;
    if seen.is_some_and(|seen| seen != now) {
        return Ok(Changed::Elsewhere);
    }
    let (name, secret_name) = (format!("channel {kind}"), format!("channel {kind} secret"));
    match set {
        Some((settings, secret)) => {
            put(t, &name, settings)?;
            put(t, &secret_name, secret)?;
        }
        None => {
            t.execute("DELETE FROM setting WHERE name IN (?1, ?2)", params![name, secret_name])?;
        }
    }
    put(t, &format!("channel {kind} revision"), &(now + 1).to_string())?;
    Ok(Changed::Done)
}
