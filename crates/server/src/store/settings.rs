//! The office and the person at work.

use anyhow::Result;
use rusqlite::{Connection, params};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Who sends, and who is at work.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Settings {
    /// The office's name: the sender of messages.
    pub office_name: String,
    /// The office's address.
    pub office_email: String,
    /// The person's own address: where proofs go.
    pub person_email: String,
}

/// The settings as kept.
pub fn read(c: &Connection) -> Result<Settings> {
    let mut settings = Settings::default();
    let mut query = c.prepare_cached("SELECT name, value FROM setting")?;
    for row in query.query_map([], |r| Ok((r.get::<_, String>(0)?, r.get::<_, String>(1)?)))? {
        let (name, value) = row?;
        match name.as_str() {
            "office name" => settings.office_name = value,
            "office e-mail" => settings.office_email = value,
            "person e-mail" => settings.person_email = value,
            _ => {}
        }
    }
    Ok(settings)
}

/// Keeps the settings.
pub fn write(c: &Connection, settings: &Settings) -> Result<()> {
    for (name, value) in
        [("office name", &settings.office_name), ("office e-mail", &settings.office_email), ("person e-mail", &settings.person_email)]
    {
        c.execute("INSERT INTO setting (name, value) VALUES (?1, ?2) ON CONFLICT (name) DO UPDATE SET value = ?2", params![name, value])?;
    }
    Ok(())
}
