//! Timestamps (RFC 3161): from a request to an answer.

use cms::cert::{CertificateChoices, IssuerAndSerialNumber};
use cms::content_info::{CmsVersion, ContentInfo};
use cms::signed_data::{CertificateSet, EncapsulatedContentInfo, SignedData, SignerIdentifier, SignerInfo, SignerInfos};
use der::asn1::{Any, BitString, GeneralizedTime, Int, ObjectIdentifier, OctetString, SetOfVec, Utf8StringRef};
use der::{DateTime, Decode, Encode, Sequence};
use rcgen::{CertificateParams, CustomExtension, DistinguishedName, DnType, KeyPair, KeyUsagePurpose, PKCS_ECDSA_P256_SHA256};
use ring::digest;
use ring::rand::{SecureRandom, SystemRandom};
use ring::signature::{ECDSA_P256_SHA256_ASN1_SIGNING, EcdsaKeyPair};
use spki::AlgorithmIdentifierOwned;
use x509_cert::Certificate;
use x509_cert::attr::Attribute;

const ID_DATA_TST: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.9.16.1.4");
const SIGNED_DATA: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.7.2");
const CONTENT_TYPE: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.9.3");
const MESSAGE_DIGEST: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.9.4");
const SIGNING_CERTIFICATE_V2: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.9.16.2.47");
const SHA256: ObjectIdentifier = ObjectIdentifier::new_unwrap("2.16.840.1.101.3.4.2.1");
const SHA512: ObjectIdentifier = ObjectIdentifier::new_unwrap("2.16.840.1.101.3.4.2.3");
const ECDSA_SHA256: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.10045.4.3.2");
/// A policy under an arc for examples.
const POLICY: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.3.6.1.4.1.32473.1.1");

#[derive(Debug, Clone, Sequence)]
struct MessageImprint {
    hash_algorithm: AlgorithmIdentifierOwned,
    hashed_message: OctetString,
}

#[derive(Debug, Clone, Sequence)]
struct Request {
    version: u8,
    message_imprint: MessageImprint,
    #[asn1(optional = "true")]
    policy: Option<ObjectIdentifier>,
    #[asn1(optional = "true")]
    nonce: Option<Int>,
    #[asn1(default = "no")]
    cert_req: bool,
}

fn no() -> bool {
    false
}

#[derive(Debug, Clone, Sequence)]
struct Info {
    version: u8,
    policy: ObjectIdentifier,
    message_imprint: MessageImprint,
    serial: Int,
    time: GeneralizedTime,
    #[asn1(optional = "true")]
    nonce: Option<Int>,
}

#[derive(Debug, Clone, Sequence)]
struct Status {
    status: u8,
    #[asn1(optional = "true")]
    text: Option<Any>,
    #[asn1(optional = "true")]
    failure: Option<BitString>,
}

#[derive(Debug, Clone, Sequence)]
struct Answer {
    status: Status,
    #[asn1(optional = "true")]
    token: Option<Any>,
}

#[derive(Debug, Clone, Sequence)]
struct CertId {
    hash: OctetString,
}

#[derive(Debug, Clone, Sequence)]
struct SigningCertificate {
    certs: Vec<CertId>,
}

/// An authority with its key and certificate.
pub struct Authority {
    key: EcdsaKeyPair,
    certificate: Vec<u8>,
}

impl std::fmt::Debug for Authority {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Authority")
    }
}

impl Authority {
    /// One with a new key.
    pub fn new() -> Result<Authority, Box<dyn std::error::Error + Send + Sync>> {
        let pair = KeyPair::generate_for(&PKCS_ECDSA_P256_SHA256)?;
        let mut params = CertificateParams::default();
        let mut name = DistinguishedName::new();
        name.push(DnType::OrganizationName, "Practice");
        name.push(DnType::CommonName, "Practice timestamp authority");
        params.distinguished_name = name;
        params.not_before = rcgen::date_time_ymd(2020, 1, 1);
        params.not_after = rcgen::date_time_ymd(2049, 12, 31);
        params.is_ca = rcgen::IsCa::ExplicitNoCa;
        params.key_usages = vec![KeyUsagePurpose::DigitalSignature];
        // For timestamps alone, and critical (RFC 3161, 2.3).
        let usage = vec![ObjectIdentifier::new_unwrap("1.3.6.1.5.5.7.3.8")].to_der()?;
        let mut extension = CustomExtension::from_oid_content(&[2, 5, 29, 37], usage);
        extension.set_criticality(true);
        params.custom_extensions = vec![extension];
        let certificate = params.self_signed(&pair)?.der().to_vec();
        let random = SystemRandom::new();
        let key = EcdsaKeyPair::from_pkcs8(&ECDSA_P256_SHA256_ASN1_SIGNING, &pair.serialize_der(), &random).map_err(|e| e.to_string())?;
        Ok(Authority { key, certificate })
    }

    /// The answer to a request at a moment, in seconds since 1970.
    pub fn answer(&self, request: &[u8], seconds: u64) -> Vec<u8> {
        let refused = |text: &str| {
            let text = Utf8StringRef::new(text).ok().and_then(|text| Any::encode_from(&vec![text]).ok());
            Answer { status: Status { status: 2, text, failure: None }, token: None }.to_der().unwrap_or_default()
        };
        let Ok(request) = Request::from_der(request) else { return refused("the request can't be read") };
        let imprint = &request.message_imprint;
        let length = match imprint.hash_algorithm.oid {
            SHA256 => 32,
            SHA512 => 64,
            _ => return refused("this hash algorithm is not supported"),
        };
        if request.version != 1 || imprint.hashed_message.as_bytes().len() != length {
            return refused("the request is malformed");
        }
        match self
            .token(request, seconds)
            .and_then(|token| Answer { status: Status { status: 0, text: None, failure: None }, token: Some(token) }.to_der())
        {
            Ok(answer) => answer,
            Err(_) => refused("internal error"),
        }
    }

    fn token(&self, request: Request, seconds: u64) -> der::Result<Any> {
        let failed = || der::Error::from(der::ErrorKind::Failed);
        let mut serial = [0; 12];
        SystemRandom::new().fill(&mut serial).map_err(|_| failed())?;
        serial[0] = serial[0] & 0x7f | 0x40;
        let time = DateTime::from_unix_duration(std::time::Duration::from_secs(seconds))?;
        let info = Info {
            version: 1,
            policy: POLICY,
            message_imprint: request.message_imprint,
            serial: Int::new(&serial)?,
            time: GeneralizedTime::from_date_time(time),
            nonce: request.nonce,
        };
        let info = info.to_der()?;
        let own = Certificate::from_der(&self.certificate)?;
        let hash = |bytes: &[u8]| OctetString::new(digest::digest(&digest::SHA256, bytes).as_ref());
        let attribute = |oid, value: Any| Ok::<_, der::Error>(Attribute { oid, values: SetOfVec::try_from(vec![value])? });
        let id = SigningCertificate { certs: vec![CertId { hash: hash(&self.certificate)? }] };
        let attributes = SetOfVec::try_from(vec![
            attribute(CONTENT_TYPE, Any::encode_from(&ID_DATA_TST)?)?,
            attribute(MESSAGE_DIGEST, Any::encode_from(&hash(&info)?)?)?,
            attribute(SIGNING_CERTIFICATE_V2, Any::encode_from(&id)?)?,
        ])?;
        let signature = self.key.sign(&SystemRandom::new(), &attributes.to_der()?).map_err(|_| failed())?;
        let sha256 = AlgorithmIdentifierOwned { oid: SHA256, parameters: None };
        let signer = SignerInfo {
            version: CmsVersion::V1,
            sid: SignerIdentifier::IssuerAndSerialNumber(IssuerAndSerialNumber {
                issuer: own.tbs_certificate().issuer().clone(),
                serial_number: own.tbs_certificate().serial_number().clone(),
            }),
            digest_alg: sha256.clone(),
            signed_attrs: Some(attributes),
            signature_algorithm: AlgorithmIdentifierOwned { oid: ECDSA_SHA256, parameters: None },
            signature: OctetString::new(signature.as_ref())?,
            unsigned_attrs: None,
        };
        let certificates = match request.cert_req {
            true => Some(CertificateSet::try_from(vec![CertificateChoices::Certificate(own)])?),
            false => None,
        };
        let signed = SignedData {
            version: CmsVersion::V3,
            digest_algorithms: SetOfVec::try_from(vec![sha256])?,
            encap_content_info: EncapsulatedContentInfo {
                econtent_type: ID_DATA_TST,
                econtent: Some(Any::encode_from(&OctetString::new(info)?)?),
            },
            certificates,
            crls: None,
            signer_infos: SignerInfos::try_from(vec![signer])?,
        };
        Any::encode_from(&ContentInfo { content_type: SIGNED_DATA, content: Any::encode_from(&signed)? })
    }
}
