//! The office's mail server: how it is reached, and a message to try it.

use mangle_channels::mail::{MailServer, SignIn};
use mangle_channels::{Delivery, Outcome as Tried};
use mangle_core::channel::EmailPayload;
use mangle_core::value::EmailAddress;
use mangle_core::words::sentence;
use serde::{Deserialize, Serialize};

use crate::prepare::blocking;
use crate::store::{Connection, Transaction, settings};
use crate::{App, Error, Outcome};

/// The kind of channel that the server is of.
const KIND: &str = "email";

/// The mail server as the office set it. Its password is written and never read.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct MailBody {
    /// The server; none for the one that Mangle was started with.
    pub server: Option<MailServer>,
    /// Whether a password or access token is saved.
    pub has_secret: bool,
    /// How often it was changed.
    pub revision: i64,
}

/// A mail server to use from now on.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct NewMail {
    /// The server; none for the one that Mangle was started with.
    pub server: Option<MailServer>,
    /// A new password or access token; none to leave it as it is.
    #[serde(default)]
    pub secret: Option<String>,
    /// The revision that was changed: what was changed elsewhere meanwhile is not overwritten.
    #[serde(default)]
    pub revision: Option<i64>,
}

/// The mail server.
pub async fn read(app: &App) -> Outcome<MailBody> {
    let read = |c: &Connection| -> anyhow::Result<_> { Ok((settings::of_channel(c, KIND)?, settings::channel_revision(c, KIND)?)) };
    let (set, revision) = app.store.read(read).await?;
    let (server, secret) = set.unzip();
    let server = server.map(|server| serde_json::from_str(&server)).transpose().map_err(anyhow::Error::new)?;
    Ok(MailBody { server, has_secret: secret.is_some_and(|secret: String| !secret.is_empty()), revision })
}

/// Changes the mail server. Messages that wait go over the new one.
pub async fn write(app: &App, new: NewMail) -> Outcome<MailBody> {
    let before = app.store.read(|c| settings::of_channel(c, KIND)).await?;
    let set = match new.server {
        None => None,
        Some(server) => {
            if let Some((_, problem)) = server.problem() {
                return Err(Error::unusable("mail-server", problem));
            }
            let known = before.map(|(_, secret)| secret).unwrap_or_default();
            let secret = match (server.sign_in, new.secret.filter(|secret| !secret.is_empty())) {
                (SignIn::None, _) => String::new(),
                (_, Some(secret)) => app.secrets.close(&secret)?,
                (_, None) if known.is_empty() => {
                    return Err(Error::unusable("mail-server", "no password. Enter it, or choose no sign-in."));
                }
                (_, None) => known,
            };
            Some((serde_json::to_string(&server).map_err(anyhow::Error::new)?, secret))
        }
    };
    let keep = move |t: &Transaction<'_>| {
        settings::set_channel(t, KIND, new.revision, set.as_ref().map(|(server, secret)| (server.as_str(), secret.as_str())))
    };
    app.store.change(keep).await?.done("the mail server")?;
    apply(app).await?;
    crate::jobs::wake(app);
    read(app).await
}

/// Tells the channel which server it has.
pub async fn apply(app: &App) -> anyhow::Result<()> {
    let Some(channel) = app.channel(KIND) else { return Ok(()) };
    let set = app.store.read(|c| settings::of_channel(c, KIND)).await?;
    let (server, secret) = match set {
        None => (serde_json::Value::Null, String::new()),
        Some((server, closed)) if closed.is_empty() => (serde_json::from_str(&server)?, String::new()),
        Some((server, closed)) => {
            // One that can't be read is refused by the server, which says so where it is mended.
            let secret = app.secrets.read(&closed).unwrap_or_else(|error| {
                tracing::error!(error = format!("{error:#}"), "the mail server's password can't be read");
                String::new()
            });
            (serde_json::from_str(&server)?, secret)
        }
    };
    Ok(blocking(move || channel.configure(&server, &secret)).await??)
}

/// Whom a message to try the server goes to.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct TestMessage {
    /// The recipient.
    pub to: String,
}

/// What the other side said to what tried it.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TestAnswer {
    /// Whether it accepted it.
    pub accepted: bool,
    /// What it said, or what went wrong and what to do.
    pub answer: String,
}

impl TestAnswer {
    /// What came of a try.
    pub(crate) fn of(tried: Tried) -> TestAnswer {
        match tried {
            Tried::Delivered(answer) => TestAnswer { accepted: true, answer: sentence(&answer) },
            Tried::Failed(failure) | Tried::Later(failure) | Tried::Uncertain(failure) => {
                TestAnswer { accepted: false, answer: sentence(&failure.message) }
            }
            Tried::NotBegun => TestAnswer { accepted: false, answer: "Not sent.".to_owned() },
        }
    }
}

/// Sends a message that tries the server.
pub async fn test(app: &App, asked: TestMessage) -> Outcome<TestAnswer> {
    let to = EmailAddress::parse(&asked.to).map_err(|e| Error::unusable("not-an-address", e.to_string()))?;
    let channel = app.channel(KIND).ok_or_else(|| Error::missing("the e-mail channel"))?;
    let office = app.store.read(settings::read).await?;
    let payload = EmailPayload {
        to: vec![to.as_str().to_owned()],
        cc: Vec::new(),
        bcc: Vec::new(),
        subject: "Test message".to_owned(),
        body: "This is a test of the mail server. Nothing else was sent.\n".to_owned(),
        from: Some((office.office_name, office.office_email.clone())),
        reply_to: Vec::new(),
        unsubscribe: None,
    };
    let host = office.office_email.rsplit_once('@').map_or("mangle.example", |(_, host)| host).to_owned();
    let delivery = Delivery {
        key: format!("<test.{}@{host}>", crate::forms::door::secret()?),
        payload: serde_json::to_value(payload).map_err(anyhow::Error::new)?,
        office: Default::default(),
        documents: Vec::new(),
    };
    Ok(TestAnswer::of(blocking(move || channel.deliver(&delivery, &mut |_| true)).await?))
}
