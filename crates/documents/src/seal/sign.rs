//! The organisation's seal: a PAdES signature with a timestamp (ETSI EN 319 142-1, 6.3) that
//! certifies the whole file and permits no change after it (ISO 32000-1, 12.8.2.2).

use std::ops::Range;

use cms::cert::{CertificateChoices, IssuerAndSerialNumber};
use cms::content_info::{CmsVersion, ContentInfo};
use cms::signed_data::{CertificateSet, EncapsulatedContentInfo, SignedData, SignerIdentifier, SignerInfo, SignerInfos};
use const_oid::db::rfc5911::{ID_CONTENT_TYPE, ID_DATA, ID_MESSAGE_DIGEST, ID_SIGNED_DATA};
use const_oid::db::rfc5912::ID_SHA_256;
use der::asn1::{ObjectIdentifier, OctetString, SetOfVec};
use der::{Any, Decode, Encode, Sequence};
use lopdf::{Dictionary, Object, StringFormat, dictionary};
use sha2::{Digest, Sha256};
use spki::AlgorithmIdentifierOwned;
use x509_cert::Certificate;
use x509_cert::attr::Attribute;

use super::key::{SealKey, der_of};
use super::mark::add_field;
use super::timestamp::{TimestampFault, answered, checked, request};
use super::update::{Update, dictionary_of};
use super::{LongTerm, SealFault, hex, revocation};

/// Which certificate signed (RFC 5035, 3).
pub(super) const SIGNING_CERTIFICATE_V2: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.9.16.2.47");
/// The timestamp of a signature (RFC 3161, A).
pub(super) const TIMESTAMP_TOKEN: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.9.16.2.14");

/// How many bytes are set aside for the signature.
const ROOM: usize = 12_288;
/// A number as wide as any that may come in its place.
const WIDE: i64 = 9_999_999_999;

/// `ESSCertIDv2` (RFC 5035, 4); its hash is SHA-256, which is not named.
#[derive(Debug, Clone, PartialEq, Eq, Sequence)]
pub(super) struct CertId {
    pub(super) hash: OctetString,
}

/// `SigningCertificateV2` (RFC 5035, 3).
#[derive(Debug, Clone, PartialEq, Eq, Sequence)]
pub(super) struct SigningCertificate {
    pub(super) certs: Vec<CertId>,
}

/// What a seal says in words.
#[derive(Debug, Clone, Copy)]
pub struct SealText<'a> {
    /// Whose seal it is.
    pub name: &'a str,
    /// Why it is there.
    pub reason: &'a str,
    /// When, as a PDF date (ISO 32000-1, 7.9.4); the timestamp is what counts.
    pub at: &'a str,
}

/// What gives the answer of a timestamp authority to a request (RFC 3161).
pub type Stamp<'a> = &'a mut dyn FnMut(&[u8]) -> Result<Vec<u8>, TimestampFault>;

/// Seals a PDF, as an update at its end. `proof` shows that the certificates were valid; `stamp` gives
/// the answer of a timestamp authority to a request (RFC 3161).
pub fn seal(pdf: &[u8], key: &SealKey, text: SealText<'_>, proof: Option<&LongTerm>, stamp: Stamp<'_>) -> Result<Vec<u8>, SealFault> {
    let mut update = Update::of(pdf)?;
    let pages = update.pages();
    let page = *pages.last().ok_or(SealFault::NoPage(1))?;
    let signature = update.document.add_object(dictionary! {
        "Type" => "Sig",
        "Filter" => "Adobe.PPKLite",
        "SubFilter" => "ETSI.CAdES.detached",
        "ByteRange" => vec![0.into(), WIDE.into(), WIDE.into(), WIDE.into()],
        "Contents" => Object::String(vec![0; ROOM], StringFormat::Hexadecimal),
        "M" => Object::string_literal(text.at),
        "Name" => lopdf::text_string(text.name),
        "Reason" => lopdf::text_string(text.reason),
        "Reference" => vec![dictionary! {
            "Type" => "SigRef",
            "TransformMethod" => "DocMDP",
            "TransformParams" => dictionary! { "Type" => "TransformParams", "P" => 1, "V" => "1.2" },
        }.into()],
    });
    let nowhere = [0; 4].map(Object::from).to_vec();
    let field = dictionary! { "FT" => "Sig", "T" => lopdf::text_string("Seal"), "TU" => lopdf::text_string(text.reason), "V" => signature, "Rect" => nowhere };
    add_field(&mut update, page, field, text.reason)?;
    let catalog = update.catalog_id()?;
    update.document.get_dictionary_mut(catalog)?.set("Perms", dictionary! { "DocMDP" => signature });
    let form = dictionary_of(&update.document, update.document.get_dictionary(catalog)?, b"AcroForm").cloned();
    // There are signatures, and they want the file to grow at its end only (12.7.2).
    let mut form = form.unwrap_or_else(Dictionary::new);
    form.set("SigFlags", 3);
    match update.document.get_dictionary(catalog)?.get(b"AcroForm").and_then(Object::as_reference) {
        Ok(at) => drop(update.document.objects.insert(at, form.into())),
        Err(_) => update.document.get_dictionary_mut(catalog)?.set("AcroForm", form),
    }
    if let Some(proof) = proof {
        revocation::store(&mut update, proof)?;
    }
    let before = pdf.len();
    let mut out = update.finish()?;
    let hole = hole(&out, before)?;
    let range = ranges(&out, before, &hole)?;
    out.splice(range.0, range.1);
    let mut hash = Sha256::new();
    hash.update(&out[..hole.start]);
    hash.update(&out[hole.end..]);
    let signed = signed_data(key, &hash.finalize(), stamp)?;
    if signed.len() > ROOM {
        return Err(SealFault::Key(format!("the signature has {} bytes (maximum {ROOM})", signed.len())));
    }
    let digits = hex(&signed).to_uppercase();
    out[hole.start + 1..hole.start + 1 + digits.len()].copy_from_slice(digits.as_bytes());
    Ok(out)
}

fn find(bytes: &[u8], what: &[u8], from: usize) -> Option<usize> {
    bytes.get(from..)?.windows(what.len()).position(|own| own == what).map(|at| at + from)
}

/// The place set aside for the signature, its brackets included.
fn hole(out: &[u8], from: usize) -> Result<Range<usize>, SealFault> {
    let lost = || SealFault::Key("the place of the signature is lost".to_owned());
    let zeros = "0".repeat(64);
    let start = find(out, format!("<{zeros}").as_bytes(), from).ok_or_else(lost)?;
    let end = start + 2 + ROOM * 2;
    match out.get(end - 1) {
        Some(b'>') => Ok(start..end),
        _ => Err(lost()),
    }
}

/// The ranges that are signed, as wide as what was set aside for them (12.8.1).
fn ranges(out: &[u8], from: usize, hole: &Range<usize>) -> Result<(Range<usize>, Vec<u8>), SealFault> {
    let lost = || SealFault::Key("the ranges of the signature are lost".to_owned());
    let name = find(out, b"/ByteRange", from).ok_or_else(lost)?;
    let start = find(out, b"[", name).ok_or_else(lost)?;
    let end = find(out, b"]", start).ok_or_else(lost)? + 1;
    let mut text = format!("[0 {} {} {}]", hole.start, hole.end, out.len() - hole.end);
    let room = end - start;
    if text.len() > room {
        return Err(lost());
    }
    text.extend(std::iter::repeat_n(' ', room - text.len()));
    Ok((start..end, text.into_bytes()))
}

fn attribute(oid: ObjectIdentifier, value: Any) -> Result<Attribute, der::Error> {
    Ok(Attribute { oid, values: SetOfVec::try_from(vec![value])? })
}

/// The signature over a digest (RFC 5652), with its timestamp.
fn signed_data(key: &SealKey, digest: &[u8], stamp: Stamp<'_>) -> Result<Vec<u8>, SealFault> {
    let sha256 = AlgorithmIdentifierOwned { oid: ID_SHA_256, parameters: None };
    let own = key.certificate();
    // Over the certificate's own bytes.
    let id = CertId { hash: OctetString::new(Sha256::digest(&key.chain()[0]).as_slice())? };
    let attributes = SetOfVec::try_from(vec![
        attribute(ID_CONTENT_TYPE, Any::encode_from(&ID_DATA)?)?,
        attribute(ID_MESSAGE_DIGEST, Any::encode_from(&OctetString::new(digest)?)?)?,
        attribute(SIGNING_CERTIFICATE_V2, Any::encode_from(&SigningCertificate { certs: vec![id] })?)?,
    ])?;
    let value = key.sign(&attributes.to_der()?).map_err(SealFault::Key)?;
    let token = timestamp(&value, stamp)?;
    let tbs = own.tbs_certificate();
    let signer = SignerInfo {
        version: CmsVersion::V1,
        sid: SignerIdentifier::IssuerAndSerialNumber(IssuerAndSerialNumber {
            issuer: tbs.issuer().clone(),
            serial_number: tbs.serial_number().clone(),
        }),
        digest_alg: sha256.clone(),
        signed_attrs: Some(attributes),
        signature_algorithm: key.algorithm(),
        signature: OctetString::new(value)?,
        unsigned_attrs: Some(SetOfVec::try_from(vec![attribute(TIMESTAMP_TOKEN, token)?])?),
    };
    let certificates: Result<Vec<CertificateChoices>, der::Error> =
        key.chain().iter().map(|own| Ok(CertificateChoices::Certificate(Certificate::from_der(own)?))).collect();
    let signed = SignedData {
        version: CmsVersion::V1,
        digest_algorithms: SetOfVec::try_from(vec![sha256])?,
        encap_content_info: EncapsulatedContentInfo { econtent_type: ID_DATA, econtent: None },
        certificates: Some(CertificateSet::try_from(certificates?)?),
        crls: None,
        signer_infos: SignerInfos::try_from(vec![signer])?,
    };
    let whole = ContentInfo { content_type: ID_SIGNED_DATA, content: Any::encode_from(&signed)? }.to_der()?;
    // A certificate that is not written the same way again would not be its own any more.
    match der_of(own)? == key.chain()[0] {
        true => Ok(whole),
        false => Err(SealFault::Key("the certificate is not written as DER".to_owned())),
    }
}

/// A timestamp of a signature.
pub(super) fn timestamp(value: &[u8], stamp: Stamp<'_>) -> Result<Any, SealFault> {
    let mut nonce = [0; 8];
    getrandom::fill(&mut nonce).map_err(|e| SealFault::Key(e.to_string()))?;
    // A positive number that has all of its bytes.
    nonce[0] = nonce[0] & 0x7f | 0x40;
    let asked = request(&Sha256::digest(value), &nonce)?;
    let token = answered(&stamp(&asked)?)?;
    let (_, said) = checked(&token, value)?;
    // An older answer that is played again has another (RFC 3161, 2.4.2).
    match said.as_deref() == Some(nonce.as_slice()) {
        true => Ok(token),
        false => Err(TimestampFault::Other.into()),
    }
}
