//! The office's web hooks: the secret that they are signed with, what was answered, and a call to
//! try one.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use mangle_channels::{Delivery, web_hook::SECRET};
use mangle_core::channel::{Along, WebHookPayload};
use serde::{Deserialize, Serialize};
use serde_json::Value;

use crate::mail::TestAnswer;
use crate::prepare::blocking;
use crate::store::events::{self, AnswerInfo};
use crate::store::{Connection, Transaction, settings};
use crate::{App, Error, Outcome};

/// The kind of channel.
const KIND: &str = "web-hook";
/// How many answers are told.
const ANSWERS: usize = 20;
/// How many bytes a secret has.
const BYTES: usize = 32;

/// The office's web hooks.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct WebHookBody {
    /// What the other side checks signatures with.
    pub secret: String,
    /// The hosts that the operator allows.
    pub hosts: Vec<String>,
    /// The last answers, the newest first.
    pub answers: Vec<AnswerInfo>,
}

/// The web hooks.
pub async fn read(app: &App) -> Outcome<WebHookBody> {
    let read = |c: &Connection| -> anyhow::Result<_> { Ok((settings::of_channel(c, KIND)?, events::answers(c, KIND, ANSWERS)?)) };
    let (set, answers) = app.store.read(read).await?;
    let secret = match set {
        Some((_, closed)) => app.secrets.read(&closed)?,
        None => String::new(),
    };
    Ok(WebHookBody { secret, hosts: app.hosts.clone(), answers })
}

/// Makes a new secret; what is posted from now on is signed with it.
pub async fn renew(app: &App) -> Outcome<WebHookBody> {
    let secret = secret()?;
    let closed = app.secrets.close(&secret)?;
    app.store.change(move |t: &Transaction<'_>| settings::set_channel(t, KIND, None, Some(("null", &closed)))).await?;
    apply(app).await?;
    read(app).await
}

fn secret() -> anyhow::Result<String> {
    let mut bytes = [0u8; BYTES];
    getrandom::fill(&mut bytes).map_err(|e| anyhow::anyhow!("no random data from the system: {e}"))?;
    Ok(format!("{SECRET}{}", STANDARD.encode(bytes)))
}

/// Tells the channel which secret it has; one is made where there is none.
pub(crate) async fn apply(app: &App) -> anyhow::Result<()> {
    let Some(channel) = app.channel(KIND) else { return Ok(()) };
    let set = app.store.read(|c| settings::of_channel(c, KIND)).await?;
    let secret = match set {
        // One that can't be read is as good as none: a delivery says so.
        Some((_, closed)) => app.secrets.read(&closed).unwrap_or_else(|error| {
            tracing::error!(error = format!("{error:#}"), "the web hooks' secret can't be read");
            String::new()
        }),
        None => {
            let new = secret()?;
            let closed = app.secrets.close(&new)?;
            app.store.change(move |t: &Transaction<'_>| settings::set_channel(t, KIND, None, Some(("null", &closed)))).await?;
            new
        }
    };
    Ok(channel.configure(&Value::Null, &secret)?)
}

/// Where a call to try a web hook goes.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct TestHook {
    /// The URL.
    pub url: String,
}

/// Posts a call that tries a web hook.
pub async fn test(app: &App, asked: TestHook) -> Outcome<TestAnswer> {
    let channel = app.channel(KIND).ok_or_else(|| Error::missing("the web hook channel"))?;
    let payload = WebHookPayload {
        url: asked.url.trim().to_owned(),
        documents: Along::Names,
        dispatch: "Test".to_owned(),
        name: "Test".to_owned(),
        link: None,
        values: serde_json::Map::new(),
    };
    let delivery = Delivery {
        key: format!("<test.{}@mangle.example>", crate::forms::door::secret()?),
        payload: serde_json::to_value(payload).map_err(anyhow::Error::new)?,
        office: Default::default(),
        documents: Vec::new(),
        extras: Vec::new(),
    };
    Ok(TestAnswer::of(blocking(move || channel.deliver(&delivery, &mut |_| true)).await?))
}
