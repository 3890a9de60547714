//! The office's mail server: how it is reached, and how one signs in there.

use std::time::Duration;

use lettre::transport::smtp::authentication::{Credentials, Mechanism};
use lettre::transport::smtp::client::{Certificate, SmtpConnection, TlsParameters};
use lettre::transport::smtp::extension::ClientId;
use rustls::pki_types::CertificateDer;
use rustls::pki_types::pem::PemObject;
use serde::{Deserialize, Serialize};

use crate::bounces::BounceMailbox;
use crate::{Failure, Rate, Secret};

/// How long a server may take to be reached and to greet.
const PATIENCE: Duration = Duration::from_secs(20);

/// Whether the connection is encrypted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Security {
    /// It is not.
    None,
    /// It is, once both have agreed to it (RFC 3207); never without.
    #[default]
    Starttls,
    /// It is from the begin (RFC 8314).
    Tls,
}

/// How one signs in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum SignIn {
    /// Not at all.
    #[default]
    None,
    /// With a user name and a password (PLAIN, RFC 4616, or LOGIN).
    Password,
    /// With a user name and an access token (XOAUTH2).
    Token,
}

/// A mail server as the office set it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct MailServer {
    /// Its name or address.
    pub host: String,
    /// Its port: mostly 587, or 465 with TLS.
    pub port: u16,
    /// Whether the connection is encrypted.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub security: Security,
    /// How one signs in.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub sign_in: SignIn,
    /// The user name.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub user: String,
    /// The name that this machine greets with (EHLO); blank for `mangle`.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub hello: String,
    /// A certificate (PEM) that is trusted besides those that the machine trusts: of an authority
    /// of the office's own.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub trust: String,
    /// How many messages may leave in a minute; none for as many as can be.
    #[serde(default)]
    pub per_minute: Option<u32>,
    /// How many may leave in an hour.
    #[serde(default)]
    pub per_hour: Option<u32>,
}

/// What the channel is told of the office's settings, whenever they change.
#[derive(Debug, Clone, Serialize, Deserialize, Default)]
#[serde(default, deny_unknown_fields)]
pub struct MailSettings {
    /// The office's own server, if it has set one.
    pub server: Option<MailServer>,
    /// The mailbox that messages come back to, with its password.
    pub bounces: Option<(BounceMailbox, Secret)>,
}

/// A server with the secret to sign in with, which no log shows.
#[derive(Clone)]
pub(crate) struct Account {
    pub(crate) server: MailServer,
    pub(crate) secret: String,
}

impl std::fmt::Debug for Account {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{:?}", self.server)
    }
}

/// The code of a sign-in that was refused.
pub(crate) const SIGN_IN: &str = "sign-in";

impl MailServer {
    /// A server without encryption or sign-in, as one of the same machine.
    pub fn plain(host: &str, port: u16, rate: Rate) -> MailServer {
        let (per_minute, per_hour) = (rate.per_minute, rate.per_hour);
        MailServer { host: host.to_owned(), port, security: Security::None, per_minute, per_hour, ..MailServer::default() }
    }

    /// What is wrong with it as it stands: the field, and what to do.
    pub fn problem(&self) -> Option<(&'static str, String)> {
        let user = self.sign_in != SignIn::None && self.user.trim().is_empty();
        let open = self.sign_in != SignIn::None && self.security == Security::None;
        let trust = !self.trust.trim().is_empty() && !is_certificate(&self.trust);
        Some(match () {
            () if self.host.trim().is_empty() => ("host", "no mail server. Enter its name.".to_owned()),
            () if self.port == 0 => ("port", "0 is not a port number. Enter 587, or 465 with TLS.".to_owned()),
            () if user => ("user", "no user name. Enter it, or choose no sign-in.".to_owned()),
            () if open => ("security", "the password would be sent unencrypted. Choose STARTTLS or TLS, or no sign-in.".to_owned()),
            () if trust => ("trust", "not a certificate in PEM format.".to_owned()),
            () => return None,
        })
    }

    pub(crate) fn rate(&self) -> Rate {
        Rate { per_minute: self.per_minute, per_hour: self.per_hour }
    }

    /// Reaches the server and signs in.
    pub(crate) fn connect(&self, secret: &str) -> Result<SmtpConnection, Failure> {
        let at = format!("{}:{}", self.host, self.port);
        let unreachable = |error: lettre::transport::smtp::Error| {
            Failure::new("unreachable", format!("can't reach the mail server {at} ({})", causes(&error)))
        };
        let hello = ClientId::Domain(Some(self.hello.trim()).filter(|name| !name.is_empty()).unwrap_or("mangle").to_owned());
        let tls = match self.security {
            Security::None => None,
            Security::Starttls | Security::Tls => Some(self.tls().map_err(|error| Failure::new("certificate", causes(&error)))?),
        };
        let at_once = tls.as_ref().filter(|_| self.security == Security::Tls);
        let mut connection =
            SmtpConnection::connect((self.host.trim(), self.port), Some(PATIENCE), &hello, at_once, None).map_err(unreachable)?;
        if self.security == Security::Starttls
            && let Some(tls) = &tls
        {
            if !connection.can_starttls() {
                connection.abort();
                let message = format!("the mail server {at} offers no encryption (STARTTLS). Choose TLS, or ask whoever runs it.");
                return Err(Failure::new("no-starttls", message));
            }
            connection.starttls(tls, &hello).map_err(|error| {
                Failure::new("encryption", format!("can't encrypt the connection to the mail server {at} ({})", causes(&error)))
            })?;
        }
        let mechanisms: &[Mechanism] = match self.sign_in {
            SignIn::None => return Ok(connection),
            SignIn::Password => &[Mechanism::Plain, Mechanism::Login],
            SignIn::Token => &[Mechanism::Xoauth2],
        };
        let credentials = Credentials::new(self.user.trim().to_owned(), secret.to_owned());
        if let Err(error) = connection.auth(mechanisms, &credentials) {
            connection.abort();
            let message =
                format!("the mail server {at} refused the sign-in ({}). Check the user name and the password in Settings.", causes(&error));
            return Err(Failure::new(SIGN_IN, message));
        }
        Ok(connection)
    }

    fn tls(&self) -> Result<TlsParameters, lettre::transport::smtp::Error> {
        let mut tls = TlsParameters::builder(self.host.trim().to_owned());
        if !self.trust.trim().is_empty() {
            tls = tls.add_root_certificate(Certificate::from_pem(self.trust.as_bytes())?);
        }
        tls.build_rustls()
    }
}

/// Whether a text holds certificates in PEM format (RFC 7468), and all of them can be read.
fn is_certificate(text: &str) -> bool {
    let read: Result<Vec<CertificateDer<'_>>, _> = CertificateDer::pem_slice_iter(text.as_bytes()).collect();
    read.is_ok_and(|all| !all.is_empty())
}

/// An error with what caused it: the transport's own text alone says too little.
fn causes(error: &dyn std::error::Error) -> String {
    let mut text = error.to_string();
    let mut next = error.source();
    while let Some(cause) = next {
        let cause_text = cause.to_string();
        if !text.contains(&cause_text) {
            text.push_str(": ");
            text.push_str(&cause_text);
        }
        next = cause.source();
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_wrong_with_a_server_names_its_field() {
        let good = MailServer { host: "mail.quay.example".into(), port: 587, ..MailServer::default() };
        assert_eq!(good.problem(), None);
        let field = |server: MailServer| server.problem().map(|(field, _)| field);
        assert_eq!(field(MailServer { host: " ".into(), ..good.clone() }), Some("host"));
        assert_eq!(field(MailServer { port: 0, ..good.clone() }), Some("port"));
        assert_eq!(field(MailServer { sign_in: SignIn::Password, ..good.clone() }), Some("user"));
        let signed = MailServer { sign_in: SignIn::Password, user: "office".into(), ..good.clone() };
        assert_eq!(field(signed.clone()), None);
        assert_eq!(field(MailServer { security: Security::None, ..signed }), Some("security"), "no password in the open");
        for wrong in ["-----BEGIN", "a certificate", "-----BEGIN CERTIFICATE-----\n???\n-----END CERTIFICATE-----\n"] {
            assert_eq!(field(MailServer { trust: wrong.into(), ..good.clone() }), Some("trust"), "{wrong}");
        }
    }
}
