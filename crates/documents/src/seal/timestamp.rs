//! Timestamps of others (RFC 3161): what is asked, and what an answer must be worth.

use cms::cert::CertificateChoices;
use cms::content_info::ContentInfo;
use cms::signed_data::{SignedData, SignerIdentifier, SignerInfo};
use const_oid::db::rfc5911::{ID_MESSAGE_DIGEST, ID_SIGNED_DATA};
use const_oid::db::rfc5912::{ID_SHA_256, ID_SHA_384, ID_SHA_512};
use der::asn1::{AnyRef, BitString, Int, ObjectIdentifier, OctetString, Utf8StringRef};
use der::{Any, Decode, Encode, Reader, Sequence, SliceReader};
use sha2::{Digest, Sha256, Sha384, Sha512};
use spki::AlgorithmIdentifierOwned;
use x509_cert::Certificate;

use super::key::verified;

/// The content of a token (RFC 3161, 2.4.2).
const ID_CT_TST_INFO: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.9.16.1.4");

/// An answer that is no timestamp.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TimestampFault {
    /// It was refused.
    #[error("it refused the request (status {0}{1})")]
    Refused(i64, String),
    /// It can't be read.
    #[error("its answer is not a timestamp (RFC 3161): {0}")]
    Unreadable(String),
    /// It is of something else.
    #[error("its answer is about other data")]
    Other,
    /// Its signature does not hold.
    #[error("the signature of its answer is not valid")]
    Signature,
    /// It could not be reached.
    #[error("{0}")]
    Away(String),
}

impl From<der::Error> for TimestampFault {
    fn from(error: der::Error) -> TimestampFault {
        TimestampFault::Unreadable(error.to_string())
    }
}

/// `MessageImprint` (2.4.1).
#[derive(Debug, Clone, PartialEq, Eq, Sequence)]
struct MessageImprint {
    hash_algorithm: AlgorithmIdentifierOwned,
    hashed_message: OctetString,
}

/// `TimeStampReq` (2.4.1).
#[derive(Debug, Clone, PartialEq, Eq, Sequence)]
struct TimeStampReq {
    version: u8,
    message_imprint: MessageImprint,
    nonce: Int,
    cert_req: bool,
}

/// `PKIStatusInfo` (2.4.2).
#[derive(Debug, Clone, PartialEq, Eq, Sequence)]
struct PkiStatusInfo {
    status: i64,
    #[asn1(optional = "true")]
    status_string: Option<Any>,
    #[asn1(optional = "true")]
    fail_info: Option<BitString>,
}

/// `TimeStampResp` (2.4.2).
#[derive(Debug, Clone, PartialEq, Eq, Sequence)]
struct TimeStampResp {
    status: PkiStatusInfo,
    #[asn1(optional = "true")]
    time_stamp_token: Option<Any>,
}

/// A request for a timestamp of data with that digest (SHA-256).
pub(super) fn request(digest: &[u8], nonce: &[u8]) -> Result<Vec<u8>, der::Error> {
    let message_imprint = MessageImprint {
        hash_algorithm: AlgorithmIdentifierOwned { oid: ID_SHA_256, parameters: None },
        hashed_message: OctetString::new(digest)?,
    };
    TimeStampReq { version: 1, message_imprint, nonce: Int::new(nonce)?, cert_req: true }.to_der()
}

/// The token of an answer.
pub(super) fn answered(answer: &[u8]) -> Result<Any, TimestampFault> {
    let answer = TimeStampResp::from_der(answer)?;
    match answer.time_stamp_token {
        // Granted, with or without changes.
        Some(token) if (0..=1).contains(&answer.status.status) => Ok(token),
        _ => {
            let said = answer.status.status_string.and_then(|texts| {
                let text = Utf8StringRef::from_der(texts.value()).ok()?;
                Some(format!(": {}", text.as_str().chars().take(200).collect::<String>()))
            });
            Err(TimestampFault::Refused(answer.status.status, said.unwrap_or_default()))
        }
    }
}

/// What a timestamp says, whose signature holds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Token {
    /// The moment, in UTC: `2026-11-23T09:42:00`.
    pub at: String,
    /// Who says so.
    pub by: String,
}

/// Reads a token, and checks that it is one of that data.
pub(super) fn checked(token: &Any, data: &[u8]) -> Result<(Token, Option<Vec<u8>>), TimestampFault> {
    let content = ContentInfo::from_der(&token.to_der()?)?;
    if content.content_type != ID_SIGNED_DATA {
        return Err(TimestampFault::Unreadable("it is not signed".to_owned()));
    }
    let signed: SignedData = content.content.decode_as()?;
    let inner = signed.encap_content_info.econtent.as_ref().filter(|_| signed.encap_content_info.econtent_type == ID_CT_TST_INFO);
    let info = inner.ok_or_else(|| TimestampFault::Unreadable("it has no time".to_owned()))?.value();
    let (imprint, at, nonce) = time_info(info)?;
    if digest(&imprint.hash_algorithm.oid, data).as_deref() != Some(imprint.hashed_message.as_bytes()) {
        return Err(TimestampFault::Other);
    }
    let signer = signed.signer_infos.0.as_slice().first().ok_or(TimestampFault::Signature)?;
    let certificate = certificate_of(&signed, &signer.sid).ok_or(TimestampFault::Signature)?;
    if !holds(signer, certificate, info) {
        return Err(TimestampFault::Signature);
    }
    Ok((Token { at, by: certificate.tbs_certificate().subject().to_string() }, nonce))
}

/// What is read of `TSTInfo` (2.4.2). Its time may have fractions of a second.
fn time_info(info: &[u8]) -> Result<(MessageImprint, String, Option<Vec<u8>>), TimestampFault> {
    let mut reader = SliceReader::new(info)?;
    let whole = AnyRef::decode(&mut reader)?;
    let mut fields = SliceReader::new(whole.value())?;
    let _version = u8::decode(&mut fields)?;
    let _policy: ObjectIdentifier = ObjectIdentifier::decode(&mut fields)?;
    let imprint = MessageImprint::decode(&mut fields)?;
    let _serial = Int::decode(&mut fields)?;
    let time = AnyRef::decode(&mut fields)?;
    let text = std::str::from_utf8(time.value()).ok().filter(|_| time.value().len() >= 15);
    let text = text.ok_or_else(|| TimestampFault::Unreadable("its time can't be read".to_owned()))?;
    let part = |from: usize, to: usize| text.get(from..to).filter(|part| part.bytes().all(|b| b.is_ascii_digit()));
    let parts = [part(0, 4), part(4, 6), part(6, 8), part(8, 10), part(10, 12), part(12, 14)];
    let [Some(year), Some(month), Some(day), Some(hour), Some(minute), Some(second)] = parts else {
        return Err(TimestampFault::Unreadable("its time can't be read".to_owned()));
    };
    let mut nonce = None;
    while !fields.is_finished() {
        let field = AnyRef::decode(&mut fields)?;
        if matches!(der::Tagged::tag(&field), der::Tag::Integer) {
            nonce = Some(field.value().to_vec());
        }
    }
    Ok((imprint, format!("{year}-{month}-{day}T{hour}:{minute}:{second}"), nonce))
}

/// The digest of data.
pub(super) fn digest(algorithm: &ObjectIdentifier, data: &[u8]) -> Option<Vec<u8>> {
    Some(match *algorithm {
        ID_SHA_256 => Sha256::digest(data).to_vec(),
        ID_SHA_384 => Sha384::digest(data).to_vec(),
        ID_SHA_512 => Sha512::digest(data).to_vec(),
        _ => return None,
    })
}

/// The certificate of a signer among those that come along.
pub(super) fn certificate_of<'a>(signed: &'a SignedData, sid: &SignerIdentifier) -> Option<&'a Certificate> {
    let SignerIdentifier::IssuerAndSerialNumber(wanted) = sid else { return None };
    signed.certificates.as_ref()?.0.iter().find_map(|choice| match choice {
        CertificateChoices::Certificate(own) => {
            let tbs = own.tbs_certificate();
            (*tbs.issuer() == wanted.issuer && *tbs.serial_number() == wanted.serial_number).then_some(own)
        }
        _ => None,
    })
}

/// Whether a signer's signature of content holds (RFC 5652, 5.4 and 5.6).
pub(super) fn holds(signer: &SignerInfo, certificate: &Certificate, content: &[u8]) -> bool {
    let Some(attributes) = &signer.signed_attrs else { return false };
    let said = attributes.iter().find(|own| own.oid == ID_MESSAGE_DIGEST).and_then(|own| own.values.as_slice().first());
    let said = said.and_then(|value| value.decode_as::<OctetString>().ok());
    if said.is_none() || said.as_ref().map(|own| own.as_bytes()) != digest(&signer.digest_alg.oid, content).as_deref() {
        return false;
    }
    let Ok(message) = attributes.to_der() else { return false };
    verified(certificate, &signer.signature_algorithm, Some(&signer.digest_alg.oid), &message, signer.signature.as_bytes())
}
