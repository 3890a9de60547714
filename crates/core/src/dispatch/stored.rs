//! Set-ups as they are stored: JSON with the number of its form. Older forms are brought up to
//! date when they are read; a newer one is refused rather than read in part.

use serde_json::{Map, Value, json};

use super::Setup;

/// The form that set-ups are written in.
const FORM: u64 = 2;

/// Why a stored set-up can't be used.
#[derive(Debug, thiserror::Error)]
pub enum NotASetup {
    /// It is no set-up.
    #[error("the stored set-up can't be read: {0}")]
    Malformed(#[from] serde_json::Error),
    /// A newer program wrote it.
    #[error("the set-up was saved by a newer Mangle (form {0}). Update Mangle to open it.")]
    Newer(u64),
}

/// Writes a set-up down.
pub fn write_setup(setup: &Setup) -> Result<String, NotASetup> {
    let mut value = serde_json::to_value(setup)?;
    value["form"] = json!(FORM);
    Ok(value.to_string())
}

/// Reads a stored set-up of any form that there ever was.
///
/// ```
/// use mangle_core::dispatch::{Format, read_setup};
/// let old = read_setup(r#"{"output": "both", "email": {"to": "[: e-mail]", "subject": "Your berth", "body": "Hello"}}"#);
/// let old = old.expect("the first form is still read");
/// assert_eq!(old.formats, [Format::Pdf, Format::Docx]);
/// assert_eq!(old.channels[0].channel.kind(), "email");
/// ```
pub fn read_setup(text: &str) -> Result<Setup, NotASetup> {
    let mut value: Map<String, Value> = serde_json::from_str(text)?;
    match value.remove("form").map_or(Some(1), |form| form.as_u64()) {
        Some(1) => first_to_second(&mut value),
        Some(FORM) => {}
        form => return Err(NotASetup::Newer(form.unwrap_or_default())),
    }
    Ok(serde_json::from_value(Value::Object(value))?)
}

/// The first form had one output word and at most one channel, which was e-mail.
fn first_to_second(setup: &mut Map<String, Value>) {
    let formats = match setup.remove("output").as_ref().and_then(Value::as_str) {
        Some("docx") => json!(["docx"]),
        Some("both") => json!(["pdf", "docx"]),
        _ => json!(["pdf"]),
    };
    setup.insert("formats".to_owned(), formats);
    let channels = match setup.remove("email") {
        None | Some(Value::Null) => json!([]),
        Some(mut email) => {
            if let Some(email) = email.as_object_mut() {
                email.insert("kind".to_owned(), json!("email"));
            }
            json!([{ "channel": email }])
        }
    };
    setup.insert("channels".to_owned(), channels);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::channel::{Channel, ChannelSetup, FolderChannel};

    #[test]
    fn what_is_written_is_read_back_and_nothing_else() {
        let folder = FolderChannel { folder: "Office".into(), path: "[: year]".into(), ..FolderChannel::default() };
        let setup = Setup { channels: vec![ChannelSetup::new(Channel::Folder(folder))], ..Setup::default() };
        let text = write_setup(&setup).expect("written");
        assert_eq!(read_setup(&text).expect("read"), setup);
        let more = text.replacen('{', "{\"colour\":\"red\",", 1);
        assert!(read_setup(&more).expect_err("refused").to_string().contains("unknown field `colour`"));
        let newer = text.replace("\"form\":2", "\"form\":3");
        assert!(matches!(read_setup(&newer), Err(NotASetup::Newer(3))));
        assert!(read_setup("{\"email\": 7}").is_err() && read_setup("[]").is_err() && read_setup("").is_err());
    }
}
