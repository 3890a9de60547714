//! The office's mail server: how it is reached, and a message to try it.

use mangle_channels::bounces::BounceMailbox;
use mangle_channels::mail::{MailServer, MailSettings, SignIn};
use mangle_channels::{Delivery, Outcome as Tried, Secret};
use mangle_core::channel::EmailPayload;
use mangle_core::value::EmailAddress;
use mangle_core::words::sentence;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

use crate::prepare::blocking;
use crate::store::{Changed, Connection, Transaction, settings};
use crate::{App, Error, Outcome};

/// The kind of channel that the server is of.
const KIND: &str = "email";
/// What the bounce mailbox is stored under.
const BOUNCES: &str = "email bounces";

/// The mail server as the office set it. Its password is written and never read.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct MailBody {
    /// The server; none for the one that Mangle was started with.
    pub server: Option<MailServer>,
    /// Whether a password or access token is saved.
    pub has_secret: bool,
    /// The mailbox that messages which can't be delivered come back to; none where nobody looks.
    pub bounces: Option<BounceMailbox>,
    /// Whether its password or access token is saved.
    pub bounces_has_secret: bool,
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
    /// The mailbox that messages which can't be delivered come back to; none where nobody looks.
    #[serde(default)]
    pub bounces: Option<BounceMailbox>,
    /// Its new password or access token; none to leave it as it is.
    #[serde(default)]
    pub bounces_secret: Option<String>,
    /// The revision that was changed: what was changed elsewhere meanwhile is not overwritten.
    #[serde(default)]
    pub revision: Option<i64>,
}

/// What is set of one part, with its secret as it is stored.
type Set<T> = Option<(T, String)>;

fn parsed<T: DeserializeOwned>(set: Set<String>) -> anyhow::Result<Set<T>> {
    Ok(set.map(|(text, secret)| serde_json::from_str(&text).map(|own| (own, secret))).transpose()?)
}

/// The server and the mailbox as they are stored, and how often they were changed.
async fn stored(app: &App) -> anyhow::Result<(Set<MailServer>, Set<BounceMailbox>, i64)> {
    let read = |c: &Connection| -> anyhow::Result<_> {
        Ok((settings::of_channel(c, KIND)?, settings::of_channel(c, BOUNCES)?, settings::channel_revision(c, KIND)?))
    };
    let (server, bounces, revision) = app.store.read(read).await?;
    Ok((parsed(server)?, parsed(bounces)?, revision))
}

/// The mail server.
pub async fn read(app: &App) -> Outcome<MailBody> {
    let (server, bounces, revision) = stored(app).await?;
    let (server, secret) = server.unzip();
    let (bounces, bounces_secret) = bounces.unzip();
    let has = |secret: Option<String>| secret.is_some_and(|secret| !secret.is_empty());
    Ok(MailBody { server, has_secret: has(secret), bounces, bounces_has_secret: has(bounces_secret), revision })
}

/// The secret to store: the new one, or the one that is known.
fn secret_of(app: &App, new: Option<String>, known: Option<String>, missing: &str) -> Outcome<String> {
    match (new.filter(|secret| !secret.is_empty()), known.filter(|known| !known.is_empty())) {
        (Some(secret), _) => Ok(app.secrets.close(&secret)?),
        (None, Some(known)) => Ok(known),
        (None, None) => Err(Error::unusable("mail-server", missing)),
    }
}

/// Changes the mail server. Messages that wait go over the new one.
pub async fn write(app: &App, new: NewMail) -> Outcome<MailBody> {
    let (server, bounces, _) = stored(app).await?;
    let text = |value: serde_json::Result<String>| value.map_err(anyhow::Error::new);
    let set = match new.server {
        None => None,
        Some(own) => {
            if let Some((_, problem)) = own.problem() {
                return Err(Error::unusable("mail-server", problem));
            }
            let known = server.map(|(_, secret)| secret);
            let secret = match own.sign_in {
                SignIn::None => String::new(),
                _ => secret_of(app, new.secret, known, "no password. Enter it, or choose no sign-in.")?,
            };
            Some((text(serde_json::to_string(&own))?, secret))
        }
    };
    let back = match new.bounces {
        None => None,
        Some(own) => {
            if let Some(problem) = own.problem() {
                return Err(Error::unusable("bounces", problem));
            }
            let known = bounces.map(|(_, secret)| secret);
            let secret = secret_of(app, new.bounces_secret, known, "no password of the bounce mailbox. Enter it.")?;
            Some((text(serde_json::to_string(&own))?, secret))
        }
    };
    let keep = move |t: &Transaction<'_>| -> anyhow::Result<_> {
        let done = settings::set_channel(t, KIND, new.revision, set.as_ref().map(|(own, secret)| (own.as_str(), secret.as_str())))?;
        if matches!(done, Changed::Done) {
            settings::set_channel(t, BOUNCES, None, back.as_ref().map(|(own, secret)| (own.as_str(), secret.as_str())))?;
        }
        Ok(done)
    };
    app.store.change(keep).await?.done("the mail server")?;
    apply(app).await?;
    crate::jobs::wake(app);
    read(app).await
}

/// Tells the channel which server it has.
pub async fn apply(app: &App) -> anyhow::Result<()> {
    let Some(channel) = app.channel(KIND) else { return Ok(()) };
    let (server, bounces, _) = stored(app).await?;
    // One that can't be read is refused by the server, which says so where it is mended.
    let open = |closed: &str| match closed {
        "" => String::new(),
        closed => app.secrets.read(closed).unwrap_or_else(|error| {
            tracing::error!(error = format!("{error:#}"), "the mail server's password can't be read");
            String::new()
        }),
    };
    let (server, secret) = server.unzip();
    let secret = open(&secret.unwrap_or_default());
    let bounces = bounces.map(|(mailbox, closed)| (mailbox, Secret(open(&closed))));
    let settings = serde_json::to_value(MailSettings { server, bounces })?;
    Ok(blocking(move || channel.configure(&settings, &secret)).await??)
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
        subject: "Test message".to_owned(),
        body: "This is a test of the mail server. Nothing else was sent.\n".to_owned(),
        from: Some((office.office_name, office.office_email.clone())),
        ..EmailPayload::default()
    };
    let host = office.office_email.rsplit_once('@').map_or("mangle.example", |(_, host)| host).to_owned();
    let delivery = Delivery {
        key: format!("<test.{}@{host}>", crate::forms::door::secret()?),
        payload: serde_json::to_value(payload).map_err(anyhow::Error::new)?,
        office: Default::default(),
        documents: Vec::new(),
        extras: Vec::new(),
    };
    Ok(TestAnswer::of(blocking(move || channel.deliver(&delivery, &mut |_| true)).await?))
}

/// Writes to the person at work, from the office; why it did not arrive, where it did not.
pub(crate) async fn tell_person(
    app: &App,
    office: &settings::Settings,
    id: &str,
    subject: String,
    body: String,
) -> anyhow::Result<Option<String>> {
    let Some(channel) = app.channel(KIND) else { return Ok(None) };
    let payload = EmailPayload {
        to: vec![office.person_email.trim().to_owned()],
        subject,
        body,
        from: Some((office.office_name.clone(), office.office_email.clone())),
        ..EmailPayload::default()
    };
    let host = office.office_email.rsplit_once('@').map_or("mangle.example", |(_, host)| host);
    let delivery = Delivery {
        key: format!("<{id}@{host}>"),
        payload: serde_json::to_value(payload)?,
        office: Default::default(),
        documents: Vec::new(),
        extras: Vec::new(),
    };
    Ok(match blocking(move || channel.deliver(&delivery, &mut |_| true)).await? {
        Tried::Delivered(_) => None,
        Tried::Failed(failure) | Tried::Later(failure) | Tried::Uncertain(failure) => Some(failure.message),
        Tried::NotBegun => Some(String::new()),
    })
}
