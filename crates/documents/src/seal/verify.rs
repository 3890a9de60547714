//! Whether a sealed PDF is as it was sealed, from the file alone.

use cms::content_info::ContentInfo;
use cms::signed_data::SignedData;
use const_oid::db::rfc5911::{ID_DATA, ID_SIGNED_DATA};
use const_oid::db::rfc5912::ID_SHA_256;
use der::asn1::{Any, OctetString};
use der::{Decode, Encode};
use lopdf::{Document, Object};
use serde::Serialize;
use serde_json::Value;
use sha2::{Digest, Sha256};
use x509_cert::Certificate;

use super::hex;
use super::key::{der_of, verified};
use super::pages::PIECE;
use super::sign::{CertId, SIGNING_CERTIFICATE_V2, SigningCertificate, TIMESTAMP_TOKEN};
use super::timestamp::{Token, certificate_of, checked, holds};
use super::update::{array_of, dictionary_of};

/// What became of a file since it was sealed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Change {
    /// It can't be read any more.
    Damaged(String),
    /// Its end, with the seal, is missing.
    NoSeal,
    /// Something was added after the seal.
    Added {
        /// How many bytes.
        bytes: usize,
    },
    /// A part of it was changed.
    Part {
        /// What the part is.
        what: String,
    },
    /// The seal itself was changed, or is another's.
    Seal(String),
}

impl std::fmt::Display for Change {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Change::Damaged(why) => write!(f, "the file is damaged: {why}"),
            Change::NoSeal => f.write_str("the seal is missing: the end of the file was removed"),
            Change::Added { bytes } => write!(f, "{bytes} bytes were added after the seal"),
            Change::Part { what } => write!(f, "changed: {what}"),
            Change::Seal(why) => write!(f, "the seal was changed: {why}"),
        }
    }
}

/// What a seal says.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Sealed {
    /// Whose it is, as its certificate says.
    pub by: String,
    /// Who says so: the issuer of the certificate.
    pub issuer: String,
    /// The digest (SHA-256) of the certificate, in hexadecimal digits.
    pub fingerprint: String,
    /// When, in UTC, as the timestamp says.
    pub at: String,
    /// Who gave the timestamp.
    pub stamped_by: String,
    /// Whether it has the revocation lists of its certificates with it (PAdES B-LT); otherwise it is B-T.
    pub long_term: bool,
}

/// A state of the file on its way to the seal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Revision {
    /// What it has that the one before had not.
    pub what: String,
    /// How many bytes it has.
    pub bytes: usize,
    /// Its digest (SHA-256), in hexadecimal digits, as the record has it.
    pub digest: String,
    /// Whether the file has it still.
    pub whole: bool,
}

/// What a file is worth.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Verdict {
    /// Whether Mangle has sealed it.
    pub ours: bool,
    /// What was changed since; none where nothing was.
    pub change: Option<Change>,
    /// What the seal says, where its signature holds.
    pub sealed: Option<Sealed>,
    /// The record of the round, as far as it can be read.
    pub record: Option<Value>,
    /// The states of the file.
    pub revisions: Vec<Revision>,
}

/// What tells a file of ours, in bytes that a change may have left.
const SIGNS: [&[u8]; 2] = [b"/MangleRound", b"Sealed by Mangle"];

fn contains(bytes: &[u8], what: &[u8]) -> bool {
    memchr::memmem::find(bytes, what).is_some()
}

/// Checks a file.
pub fn verify(bytes: &[u8]) -> Verdict {
    let mut verdict = Verdict { ours: SIGNS.iter().any(|own| contains(bytes, own)), ..Verdict::default() };
    if !verdict.ours {
        return verdict;
    }
    let document = match Document::load_mem(bytes) {
        Ok(document) => document,
        Err(error) => {
            verdict.change = Some(Change::Damaged(error.to_string()));
            return verdict;
        }
    };
    verdict.record = record(&document);
    verdict.revisions = verdict.record.as_ref().map(|record| revisions(record, bytes)).unwrap_or_default();
    match sealed(bytes, &document) {
        Ok(found) => verdict.sealed = Some(found),
        Err(change) => verdict.change = Some(change),
    }
    let first = verdict.revisions.iter().find(|own| !own.whole);
    match (&verdict.change, first) {
        (Some(Change::Seal(_) | Change::Part { .. }) | None, Some(changed)) => {
            verdict.change = Some(Change::Part { what: changed.what.clone() });
        }
        (None, None) if verdict.record.is_none() => {
            verdict.change = Some(Change::Part { what: "the record of the signing round is missing".to_owned() });
        }
        _ => {}
    }
    verdict
}

/// The record of the round.
fn record(document: &Document) -> Option<Value> {
    let pieces = dictionary_of(document, document.catalog().ok()?, b"PieceInfo")?;
    let piece = dictionary_of(document, pieces, PIECE.as_bytes())?;
    let stream = piece.get_deref(b"Private", document).and_then(Object::as_stream).ok()?;
    let text = match stream.dict.has(b"Filter") {
        true => stream.decompressed_content().ok()?,
        false => stream.content.clone(),
    };
    serde_json::from_slice(&text).ok()
}

/// The states that a record names, and whether the file has them.
fn revisions(record: &Value, bytes: &[u8]) -> Vec<Revision> {
    let all = record["revisions"].as_array().into_iter().flatten();
    let one = |own: &Value| {
        let length = own["bytes"].as_u64().and_then(|length| usize::try_from(length).ok())?;
        let digest = own["sha256"].as_str()?.to_owned();
        let whole = bytes.get(..length).is_some_and(|part| hex(&Sha256::digest(part)) == digest);
        Some(Revision { what: own["what"].as_str()?.to_owned(), bytes: length, digest, whole })
    };
    all.filter_map(one).collect()
}

/// What the seal says, if it holds for the whole file.
fn sealed(bytes: &[u8], document: &Document) -> Result<Sealed, Change> {
    let broken = |why: &str| Change::Seal(why.to_owned());
    let catalog = document.catalog().map_err(|e| Change::Damaged(e.to_string()))?;
    let perms = dictionary_of(document, catalog, b"Perms").ok_or(Change::NoSeal)?;
    let signature = dictionary_of(document, perms, b"DocMDP").ok_or(Change::NoSeal)?;
    let range: Vec<usize> = signature
        .get_deref(b"ByteRange", document)
        .and_then(Object::as_array)
        .map(|items| items.iter().filter_map(|item| usize::try_from(item.as_i64().ok()?).ok()).collect())
        .unwrap_or_default();
    let [0, first, second, rest] = range.as_slice() else { return Err(broken("its ranges can't be read")) };
    let (first, second) = (*first, *second);
    let end = second.checked_add(*rest).filter(|end| first < second && *end <= bytes.len()).ok_or(Change::NoSeal)?;
    if end < bytes.len() {
        return Err(Change::Added { bytes: bytes.len() - end });
    }
    let (Some(b'<'), Some(b'>')) = (bytes.get(first), bytes.get(second - 1)) else { return Err(broken("its place is not where it says")) };
    let digits = bytes.get(first + 1..second - 1).unwrap_or_default();
    let given = from_hex(digits).ok_or_else(|| broken("it is not written as it was"))?;
    if signature.get(b"Contents").and_then(Object::as_str).ok() != Some(given.as_slice()) {
        return Err(broken("it is not the one that the file names"));
    }
    let length = der_length(&given).filter(|length| *length <= given.len()).ok_or_else(|| broken("it can't be read"))?;
    let (own, padding) = given.split_at(length);
    if padding.iter().any(|byte| *byte != 0) {
        return Err(broken("there is something behind it"));
    }
    let mut signed = Vec::with_capacity(bytes.len());
    signed.extend_from_slice(&bytes[..first]);
    signed.extend_from_slice(&bytes[second..]);
    let lists = dictionary_of(document, catalog, b"DSS").map(|store| array_of(document, store, b"CRLs"));
    Ok(Sealed { long_term: lists.is_some_and(|lists| !lists.is_empty()), ..signature_of(own, &signed)? })
}

/// Checks a signature of data (RFC 5652), strictly: as we write it, and nothing besides.
fn signature_of(own: &[u8], data: &[u8]) -> Result<Sealed, Change> {
    let broken = |why: &str| Change::Seal(why.to_owned());
    let unreadable = |_: der::Error| Change::Seal("it can't be read".to_owned());
    let content = ContentInfo::from_der(own).map_err(unreadable)?;
    let signed: SignedData = content.content.decode_as().map_err(unreadable)?;
    let again = ContentInfo { content_type: ID_SIGNED_DATA, content: Any::encode_from(&signed).map_err(unreadable)? };
    if content.content_type != ID_SIGNED_DATA || again.to_der().map_err(unreadable)? != own {
        return Err(broken("it is not written as it was"));
    }
    let [signer] = signed.signer_infos.0.as_slice() else { return Err(broken("it has not one signer")) };
    let [digests] = signed.digest_algorithms.as_slice() else { return Err(broken("its digests are others")) };
    let plain = signed.encap_content_info.econtent_type == ID_DATA && signed.encap_content_info.econtent.is_none() && signed.crls.is_none();
    if !plain || digests.oid != ID_SHA_256 || *digests != signer.digest_alg {
        return Err(broken("its kind is another"));
    }
    let certificate = certificate_of(&signed, &signer.sid).ok_or_else(|| broken("its certificate is missing"))?;
    if !names(signer.signed_attrs.as_ref(), certificate) {
        return Err(broken("its certificate is another"));
    }
    if !chained(&signed, certificate) {
        return Err(broken("its certificates do not belong together"));
    }
    if !holds(signer, certificate, data) {
        return Err(Change::Part { what: "the attestation or the seal".to_owned() });
    }
    let beside = signer.unsigned_attrs.as_ref().map(|all| all.as_slice()).unwrap_or_default();
    let [only] = beside else { return Err(broken("it has not one timestamp")) };
    let ([token], TIMESTAMP_TOKEN) = (only.values.as_slice(), only.oid) else { return Err(broken("it has not one timestamp")) };
    let (Token { at, by: stamped_by }, _) =
        checked(token, signer.signature.as_bytes()).map_err(|e| Change::Seal(format!("its timestamp: {e}")))?;
    if !token_is_strict(token) {
        return Err(broken("its timestamp is not written as it was"));
    }
    let tbs = certificate.tbs_certificate();
    let moment: Option<jiff::civil::DateTime> = at.parse().ok();
    let seconds = moment.and_then(|at| at.to_zoned(jiff::tz::TimeZone::UTC).ok()).map_or(0, |at| at.timestamp().as_second());
    let (from, until) = (tbs.validity().not_before.to_unix_duration().as_secs(), tbs.validity().not_after.to_unix_duration().as_secs());
    if seconds < from as i64 || seconds > until as i64 {
        return Err(broken("its certificate was not valid at that moment"));
    }
    let fingerprint = hex(&Sha256::digest(der_of(certificate).map_err(unreadable)?));
    Ok(Sealed { by: tbs.subject().to_string(), issuer: tbs.issuer().to_string(), fingerprint, at, stamped_by, long_term: false })
}

/// Whether the signed attributes name a certificate by its digest.
fn names(attributes: Option<&x509_cert::attr::Attributes>, certificate: &Certificate) -> bool {
    let said = attributes.into_iter().flat_map(|all| all.iter()).find(|own| own.oid == SIGNING_CERTIFICATE_V2);
    let said = said.and_then(|own| own.values.as_slice().first()?.decode_as::<SigningCertificate>().ok());
    let Ok(own) = der_of(certificate) else { return false };
    let expected = OctetString::new(Sha256::digest(&own).as_slice()).ok().map(|hash| CertId { hash });
    said.is_some_and(|said| said.certs.first() == expected.as_ref() && expected.is_some())
}

/// Whether the certificates that come along are those above one, each signed by the next.
fn chained(signed: &SignedData, leaf: &Certificate) -> bool {
    let all = signed.certificates.iter().flat_map(|set| set.0.iter());
    let mut left: Vec<&Certificate> = all
        .filter_map(|choice| match choice {
            cms::cert::CertificateChoices::Certificate(own) => Some(own),
            _ => None,
        })
        .collect();
    left.retain(|own| *own != leaf);
    let mut at = leaf;
    loop {
        let signed_by = |above: &Certificate| {
            let Ok(tbs) = at.tbs_certificate().to_der() else { return false };
            let Some(signature) = at.signature().as_bytes() else { return false };
            at.signature_algorithm() == at.tbs_certificate().signature() && verified(above, at.signature_algorithm(), None, &tbs, signature)
        };
        if at.tbs_certificate().issuer() == at.tbs_certificate().subject() {
            return signed_by(at) && left.is_empty();
        }
        let above = left.iter().position(|own| own.tbs_certificate().subject() == at.tbs_certificate().issuer());
        match above {
            // Its issuer is known to those who trust it.
            None => return left.is_empty(),
            Some(place) => {
                let above = left.swap_remove(place);
                if !signed_by(above) {
                    return false;
                }
                at = above;
            }
        }
    }
}

/// Whether a token is written the only way, with the certificates that belong to it.
fn token_is_strict(token: &Any) -> bool {
    let Ok(own) = token.to_der() else { return false };
    let Ok(content) = ContentInfo::from_der(&own) else { return false };
    let Ok(signed) = content.content.decode_as::<SignedData>() else { return false };
    let again = Any::encode_from(&signed).and_then(|content| ContentInfo { content_type: ID_SIGNED_DATA, content }.to_der());
    let [signer] = signed.signer_infos.0.as_slice() else { return false };
    let Some(certificate) = certificate_of(&signed, &signer.sid) else { return false };
    again.is_ok_and(|again| again == own) && chained(&signed, certificate)
}

/// How many bytes a DER value has, its head included.
fn der_length(bytes: &[u8]) -> Option<usize> {
    let first = usize::from(*bytes.get(1)?);
    if first < 0x80 {
        return Some(first + 2);
    }
    let count = first & 0x7f;
    let digits = bytes.get(2..2 + count).filter(|_| (1..=4).contains(&count))?;
    Some(digits.iter().fold(0, |all, digit| all << 8 | usize::from(*digit)) + 2 + count)
}

/// Bytes of hexadecimal digits, upper case alone.
fn from_hex(digits: &[u8]) -> Option<Vec<u8>> {
    let digit = |own: u8| match own {
        b'0'..=b'9' => Some(own - b'0'),
        b'A'..=b'F' => Some(own - b'A' + 10),
        _ => None,
    };
    let pairs = digits.chunks(2);
    pairs.map(|pair| Some(digit(pair[0])? << 4 | digit(*pair.get(1)?)?)).collect()
}
