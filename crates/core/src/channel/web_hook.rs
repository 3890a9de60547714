//! The web hook channel: signed JSON posted to another program, which then knows that a document
//! is there. The signature follows Standard Webhooks 1.0.

use serde::{Deserialize, Serialize};
use url::Url;

use super::{ChannelPlan, Fault, Made, Parcel, Settings, Shown, World, fill};
use crate::diagnostic::Diagnostic;
use crate::language::Scope;
use crate::template::TextTemplate;

/// The settings of the web hook channel.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct WebHookChannel {
    /// The address that it is posted to; its host is one that the operator allows.
    pub url: String,
    /// What goes along of the documents.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub documents: Along,
    /// What goes along of the record.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub values: Vec<HookValue>,
}

/// What goes along of the documents.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Along {
    /// Their names and sizes.
    #[default]
    Names,
    /// Their content as well, in base64 (RFC 4648, 4).
    Content,
}

/// A value that goes along.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct HookValue {
    /// Its name in the JSON.
    pub name: String,
    /// The text, with placeholders.
    pub value: String,
}

/// The most values that go along.
const MOST_VALUES: usize = 100;

impl Settings for WebHookChannel {
    fn compile(&self) -> Box<dyn ChannelPlan> {
        let values = self.values.iter().map(|one| (one.name.trim().to_owned(), TextTemplate::new(&one.value))).collect();
        Box::new(WebHookPlan { url: self.url.trim().to_owned(), documents: self.documents, values })
    }
}

#[derive(Debug)]
struct WebHookPlan {
    url: String,
    documents: Along,
    values: Vec<(String, TextTemplate)>,
}

/// What is posted for a record, but for its time and the documents themselves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct WebHookPayload {
    /// Where it is posted.
    pub url: String,
    /// What goes along of the documents.
    pub documents: Along,
    /// The name of the dispatch.
    pub dispatch: String,
    /// The documents' name without extension.
    pub name: String,
    /// The documents' share link, where there is one.
    pub link: Option<String>,
    /// The values, in their order.
    pub values: serde_json::Map<String, serde_json::Value>,
}

/// The address, if it is one that can be posted to.
fn address(text: &str) -> Option<Url> {
    let url = Url::parse(text).ok()?;
    let plain = url.username().is_empty() && url.password().is_none();
    (matches!(url.scheme(), "http" | "https") && url.host_str().is_some() && plain).then_some(url)
}

/// Whether an address is at one of the hosts that the operator allows: `name` for any port of the
/// host, `name:port` for that alone.
pub fn is_allowed(url: &Url, hosts: &[String]) -> bool {
    let Some(host) = url.host_str() else { return false };
    let port = url.port_or_known_default().unwrap_or(0);
    hosts.iter().any(|allowed| allowed.eq_ignore_ascii_case(host) || allowed.eq_ignore_ascii_case(&format!("{host}:{port}")))
}

impl ChannelPlan for WebHookPlan {
    fn texts(&self) -> Vec<(&'static str, &TextTemplate)> {
        self.values.iter().map(|(_, text)| ("values", text)).collect()
    }

    fn faults(&self) -> Vec<Fault> {
        let mut faults = Vec::new();
        match (self.url.is_empty(), address(&self.url)) {
            (true, _) => faults.push(Fault::value("no-url", "URL", "no URL. Enter the one that the other program gave you.")),
            (_, None) => {
                let message = format!("“{}” is not a URL. Use a form such as https://office.example/hook", self.url);
                faults.push(Fault::value("url", "URL", message));
            }
            _ => {}
        }
        let mut names: Vec<&str> = self.values.iter().map(|(name, _)| name.as_str()).collect();
        if names.contains(&"") {
            faults.push(Fault::value("no-name", "values", "a value has no name. Enter one, or remove the value."));
        }
        names.sort_unstable();
        if let Some(twice) = names.windows(2).find(|pair| pair[0] == pair[1] && !pair[0].is_empty()) {
            faults.push(Fault::value("same-name", "values", format!("two values are called “{}”. Rename one.", twice[0])));
        }
        if self.values.len() > MOST_VALUES {
            faults.push(Fault::value("too-many", "values", format!("at most {MOST_VALUES} values")));
        }
        faults
    }

    fn obstacles(&self, world: &World<'_>) -> Vec<Diagnostic> {
        match address(&self.url) {
            Some(url) if !is_allowed(&url, world.hosts) => {
                let host = url.host_str().unwrap_or_default();
                let message =
                    format!("“{host}” is not allowed on this machine. Start Mangle with --allow-host {host}, or use another URL.");
                vec![Diagnostic::error("host", message)]
            }
            _ => Vec::new(),
        }
    }

    fn render(&self, scope: &Scope<'_>, made: &Made<'_>) -> Result<Parcel, Fault> {
        let mut values = serde_json::Map::new();
        for (name, text) in &self.values {
            values.insert(name.clone(), fill("values", text, scope)?.into());
        }
        let mut shown = vec![Shown::new("URL", self.url.clone())];
        shown.extend(values.iter().map(|(name, value)| Shown::new(name, value.as_str().unwrap_or_default())));
        let payload = WebHookPayload {
            url: self.url.clone(),
            documents: self.documents,
            dispatch: scope.context.dispatch.clone(),
            name: made.file_name.to_owned(),
            link: scope.context.link.as_ref().map(|link| link.address.clone()),
            values,
        };
        let payload = serde_json::to_value(&payload).unwrap_or_default();
        Ok(Parcel { to: self.url.clone(), shown, documents: made.to_send(), payload, ..Parcel::default() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::channel::{Channel, ChannelSetup, Compiled};

    fn problems(settings: WebHookChannel) -> Vec<String> {
        let compiled = Compiled::of(0, &ChannelSetup::new(Channel::WebHook(settings))).expect("it is on");
        compiled.problems.iter().map(|problem| problem.code.to_string()).collect()
    }

    fn value(name: &str) -> HookValue {
        HookValue { name: name.into(), value: "x".into() }
    }

    #[test]
    fn what_can_not_be_posted_is_told_before_a_run() {
        let hook = |url: &str, names: &[&str]| WebHookChannel {
            url: url.into(),
            values: names.iter().map(|name| value(name)).collect(),
            ..WebHookChannel::default()
        };
        assert_eq!(problems(hook("https://office.example/hook", &["number", "total"])), [""; 0]);
        assert_eq!(problems(hook(" ", &[])), ["no-url"]);
        for wrong in ["office.example", "ftp://office.example/", "file:///etc/passwd", "https://a:b@office.example/"] {
            assert_eq!(problems(hook(wrong, &[])), ["url"], "{wrong}");
        }
        assert_eq!(problems(hook("https://office.example/", &["total", "", "total"])), ["no-name", "same-name"]);
    }

    #[test]
    fn only_hosts_that_the_operator_allows_are_posted_to() {
        let hosts = ["Office.example".to_owned(), "localhost:9000".to_owned()];
        let allowed = |url: &str| is_allowed(&Url::parse(url).expect("a URL"), &hosts);
        assert!(allowed("https://office.example/hook") && allowed("http://office.example:8080/") && allowed("http://localhost:9000/x"));
        assert!(!allowed("http://localhost:9001/x") && !allowed("https://office.example.quay.example/"));
        assert!(!allowed("https://quay.example/?office.example") && !allowed("http://127.0.0.1:9000/x"));
    }
}
