//! The Internet Printing Protocol as a client speaks it (RFC 8010, RFC 8011): requests, answers
//! and what stands in them.

use std::io::Cursor;
use std::time::Duration;

use ipp::attribute::{IppAttribute, IppAttributeGroup, IppAttributes};
use ipp::model::{DelimiterTag, IppVersion, Operation};
use ipp::parser::IppParser;
use ipp::request::IppRequestResponse;
use ipp::value::IppValue;
use reqwest::Url;
use reqwest::blocking::Client;

use crate::Failure;

/// How long a printer may take to answer. One that reads paper and pages slowly is waited for.
const LONGEST: Duration = Duration::from_secs(120);
/// The port of `ipp` and `ipps` (RFC 3510, 3).
const PORT: u16 = 631;
/// The most bytes of an answer.
const LARGEST: u64 = 4 << 20;

/// A printer.
#[derive(Debug)]
pub struct Printer {
    uri: String,
    http: Url,
    client: Client,
}

/// Why a printer did not do what it was asked to.
#[derive(Debug)]
pub enum Fault {
    /// It did not get the request.
    Unreached(String),
    /// It may have got it: its answer is missing or can't be read.
    Lost(String),
    /// It said no; the status, and what it said.
    Refused(i16, String),
}

impl Fault {
    /// In words, for a person.
    pub fn message(&self) -> String {
        match self {
            Fault::Unreached(why) | Fault::Lost(why) => why.clone(),
            Fault::Refused(status, said) if said.is_empty() => format!("the printer refused it (status 0x{status:04x})"),
            Fault::Refused(status, said) => format!("the printer refused it: {said} (status 0x{status:04x})"),
        }
    }

    /// Whether another try may go well: it was not reached, or is busy (RFC 8011, appendix B.1.5).
    pub fn is_temporary(&self) -> bool {
        match self {
            Fault::Unreached(_) | Fault::Lost(_) => true,
            Fault::Refused(status, _) => matches!(status, 0x0500 | 0x0502 | 0x0504..=0x0507 | 0x0402 | 0x0404 | 0x0405),
        }
    }

    /// Whether what was asked for is not there.
    pub fn is_missing(&self) -> bool {
        matches!(self, Fault::Refused(0x0406 | 0x0407, _))
    }
}

/// An answer of a printer.
#[derive(Debug)]
pub struct Answer(IppAttributes);

impl Answer {
    /// The values of an attribute, wherever it stands.
    pub fn all(&self, name: &str) -> Vec<&IppValue> {
        let found = self.0.groups().iter().find_map(|group| group.get(name));
        match found.map(IppAttribute::value) {
            Some(IppValue::Array(values)) => values.iter().collect(),
            Some(value) => vec![value],
            None => Vec::new(),
        }
    }

    /// The values of an attribute as texts.
    pub fn texts(&self, name: &str) -> Vec<String> {
        self.all(name).iter().map(|value| text(value)).collect()
    }

    /// The first value of an attribute as a text.
    pub fn text(&self, name: &str) -> Option<String> {
        self.all(name).first().map(|value| text(value))
    }

    /// An attribute that is a number.
    pub fn number(&self, name: &str) -> Option<i32> {
        match self.all(name).first() {
            Some(IppValue::Integer(number) | IppValue::Enum(number)) => Some(*number),
            _ => None,
        }
    }

    /// An attribute that is yes or no.
    pub fn holds(&self, name: &str) -> Option<bool> {
        match self.all(name).first() {
            Some(IppValue::Boolean(yes)) => Some(*yes),
            _ => None,
        }
    }
}

/// A value as a person reads it. Those with a language are read without.
fn text(value: &IppValue) -> String {
    match value {
        IppValue::TextWithLanguage { text, .. } => text.to_string(),
        IppValue::NameWithLanguage { name, .. } => name.to_string(),
        other => other.to_string(),
    }
}

/// The URI of a printer as it is told to it, and the address that requests are posted to (RFC 8010,
/// 4; RFC 3510, 3).
pub fn address(uri: &str) -> Result<(String, Url), String> {
    let wrong = || format!("“{uri}” is not the URI of a printer. Use a form such as ipp://printer.office.example/ipp/print");
    let url = Url::parse(uri.trim()).map_err(|_| wrong())?;
    let (scheme, secure) = match url.scheme() {
        "ipp" | "http" => ("http", false),
        "ipps" | "https" => ("https", true),
        _ => return Err(wrong()),
    };
    let host = url.host_str().filter(|host| !host.is_empty()).ok_or_else(wrong)?;
    if !url.username().is_empty() || url.password().is_some() {
        return Err(wrong());
    }
    let port = url.port().unwrap_or(match (url.scheme().starts_with("ipp"), secure) {
        (true, _) => PORT,
        (false, true) => 443,
        (false, false) => 80,
    });
    let http = Url::parse(&format!("{scheme}://{host}:{port}{}", url.path())).map_err(|_| wrong())?;
    let told = format!("{}://{host}:{port}{}", if secure { "ipps" } else { "ipp" }, url.path());
    Ok((told, http))
}

/// A document that goes along.
pub type Document = Vec<u8>;

impl Printer {
    /// The printer at a URI, `ipp://printer.office.example/ipp/print`. Its requests block.
    pub fn new(uri: &str) -> Result<Printer, String> {
        let (uri, http) = address(uri)?;
        let _ = rustls::crypto::ring::default_provider().install_default();
        let client =
            Client::builder().timeout(LONGEST).connect_timeout(Duration::from_secs(10)).redirect(reqwest::redirect::Policy::none());
        let client = client.build().map_err(|error| error.to_string())?;
        Ok(Printer { uri, http, client })
    }

    /// Asks the printer to do something: with attributes of the operation and of the job, and a
    /// document where there is one.
    pub fn ask(
        &self,
        operation: Operation,
        own: Vec<IppAttribute>,
        job: Vec<IppAttribute>,
        document: Option<&Document>,
    ) -> Result<Answer, Fault> {
        let lost = |what: &str| Fault::Lost(format!("the printer's answer {what}"));
        let uri = self.uri.parse().ok();
        let mut request =
            IppRequestResponse::new(IppVersion::v1_1(), operation, uri).map_err(|error| Fault::Unreached(error.to_string()))?;
        let groups = request.attributes_mut();
        for attribute in [named("requesting-user-name", IppValue::new_name_without_language("Mangle"))].into_iter().flatten().chain(own) {
            groups.add(DelimiterTag::OperationAttributes, attribute);
        }
        if !job.is_empty() {
            let mut group = IppAttributeGroup::new(DelimiterTag::JobAttributes);
            group.attributes_mut().extend(job);
            groups.groups_mut().push(group);
        }
        let mut body = request.to_bytes().to_vec();
        body.extend_from_slice(document.map(Vec::as_slice).unwrap_or_default());
        let sent = self.client.post(self.http.clone()).header("content-type", "application/ipp").body(body).send();
        let answer = sent.map_err(|error| match error.is_connect() {
            true => Fault::Unreached(format!("no connection to the printer at {}. Check that it is on and reachable.", self.uri)),
            false => lost("is missing"),
        })?;
        match answer.status().as_u16() {
            200 => {}
            401 | 403 => return Err(Fault::Refused(0x0403, "it wants a sign-in, which Mangle does not have".to_owned())),
            404 => return Err(Fault::Refused(0x0406, format!("no printer found at {}", self.uri))),
            status => return Err(Fault::Lost(format!("the printer answered HTTP {status}"))),
        }
        let mut bytes = Vec::new();
        std::io::Read::read_to_end(&mut std::io::Read::take(answer, LARGEST), &mut bytes).map_err(|_| lost("broke off"))?;
        let (header, attributes, _) =
            IppParser::new(ipp::reader::IppReader::new(Cursor::new(bytes))).parse_parts().map_err(|_| lost("can't be read"))?;
        let answer = Answer(attributes);
        match header.operation_or_status {
            0x0000..=0x00ff => Ok(answer),
            status => Err(Fault::Refused(status, answer.text("status-message").unwrap_or_default())),
        }
    }

    /// What the printer is and can do.
    pub fn look(&self) -> Result<Answer, Fault> {
        self.ask(Operation::GetPrinterAttributes, Vec::new(), Vec::new(), None)
    }
}

/// An attribute, if its value can be one.
pub fn named(name: &str, value: Result<IppValue, ipp::parser::IppParseError>) -> Option<IppAttribute> {
    IppAttribute::with_name(name, value.ok()?).ok()
}

/// The failure of a fault.
pub fn failure(fault: &Fault) -> Failure {
    Failure::new(if matches!(fault, Fault::Unreached(_)) { "unreachable" } else { "printer" }, fault.message())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_uri_says_where_the_printer_is() {
        let at = |uri: &str| address(uri).map(|(told, http)| (told, http.to_string()));
        assert_eq!(
            at("ipp://desk.example/ipp/print"),
            Ok(("ipp://desk.example:631/ipp/print".into(), "http://desk.example:631/ipp/print".into()))
        );
        assert_eq!(at("ipps://desk.example/p"), Ok(("ipps://desk.example:631/p".into(), "https://desk.example:631/p".into())));
        assert_eq!(at("http://desk.example:8631/").map(|at| at.1), Ok("http://desk.example:8631/".into()));
        for wrong in ["desk", "ftp://desk.example/", "file:///dev/lp0", "ipp://a:b@desk.example/"] {
            assert!(at(wrong).is_err(), "{wrong}");
        }
    }

    #[test]
    fn only_some_refusals_are_worth_another_try() {
        let refused = |status| Fault::Refused(status, String::new()).is_temporary();
        assert!(refused(0x0507) && refused(0x0506) && !refused(0x040a) && !refused(0x0400));
        assert!(Fault::Refused(0x0406, String::new()).is_missing());
    }
}
