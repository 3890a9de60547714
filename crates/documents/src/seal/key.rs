//! The key of a seal with its certificates.

use der::asn1::ObjectIdentifier;
use der::{Decode, Encode};
use rcgen::{CertificateParams, DistinguishedName, DnType, IsCa, KeyPair, KeyUsagePurpose, PKCS_ECDSA_P256_SHA256, SerialNumber};
use ring::rand::SystemRandom;
use ring::signature::{self, EcdsaKeyPair, RsaKeyPair};
use spki::AlgorithmIdentifierOwned;
use x509_cert::Certificate;

/// Signature with ECDSA and SHA-256 (RFC 5758, 3.2).
pub(super) const ECDSA_SHA256: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.10045.4.3.2");
/// Signature with ECDSA and SHA-384 (RFC 5758, 3.2).
pub(super) const ECDSA_SHA384: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.10045.4.3.3");
/// Signature with RSA and SHA-256 (RFC 4055, 5).
pub(super) const RSA_SHA256: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.1.11");
/// Signature with RSA, whose hash is told apart from it (RFC 3370, 3.2).
pub(super) const RSA: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.1.1");
const RSA_SHA384: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.1.12");
const RSA_SHA512: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.2.840.113549.1.1.13");
const P384: ObjectIdentifier = ObjectIdentifier::new_unwrap("1.3.132.0.34");

/// A key that can't be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum KeyFault {
    /// The file or its password.
    #[error("the PKCS#12 file can't be opened. Check the file and its password.")]
    File,
    /// It holds no key, or no certificate of it.
    #[error("the file has no private key with a certificate")]
    NoKey,
    /// A kind of key that is not known.
    #[error("the key is neither RSA (2,048 to 8,192 bits) nor P-256")]
    Kind,
    /// The certificate is of another key.
    #[error("the certificate does not belong to the key")]
    Other,
    /// The certificate is for other things.
    #[error("the certificate is not for signatures")]
    Usage,
    /// Nothing random is at hand.
    #[error("a key can't be created: {0}")]
    Create(String),
}

enum Pair {
    P256(EcdsaKeyPair),
    Rsa(RsaKeyPair),
}

/// A private key with its certificate and those above it.
pub struct SealKey {
    pair: Pair,
    /// The key as PKCS#8 (RFC 5958).
    private: Vec<u8>,
    /// The certificates, its own first.
    chain: Vec<Vec<u8>>,
    own: Certificate,
}

impl std::fmt::Debug for SealKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        // Never the key itself.
        write!(f, "SealKey({})", self.subject())
    }
}

impl SealKey {
    /// A new key (P-256) with a certificate that it gives itself, from a moment on (seconds since
    /// 1970), for ten years.
    pub fn create(organisation: &str, from: i64) -> Result<SealKey, KeyFault> {
        let failed = |e: rcgen::Error| KeyFault::Create(e.to_string());
        let pair = KeyPair::generate_for(&PKCS_ECDSA_P256_SHA256).map_err(failed)?;
        let mut params = CertificateParams::default();
        let mut name = DistinguishedName::new();
        let organisation = if organisation.trim().is_empty() { "Mangle" } else { organisation.trim() };
        // At most 64 characters (RFC 5280, A.1).
        let short: String = organisation.chars().take(64).collect();
        name.push(DnType::OrganizationName, short.clone());
        name.push(DnType::CommonName, short);
        params.distinguished_name = name;
        let day = |seconds: i64| {
            let date = jiff::Timestamp::from_second(seconds).unwrap_or(jiff::Timestamp::UNIX_EPOCH).to_zoned(jiff::tz::TimeZone::UTC);
            rcgen::date_time_ymd(i32::from(date.year()), date.month() as u8, date.day() as u8)
        };
        // A day of room for clocks that differ.
        params.not_before = day(from - 86_400);
        params.not_after = day(from + 3_653 * 86_400);
        let mut serial = [0; 16];
        getrandom::fill(&mut serial).map_err(|e| KeyFault::Create(e.to_string()))?;
        serial[0] &= 0x7f;
        params.serial_number = Some(SerialNumber::from_slice(&serial));
        params.is_ca = IsCa::ExplicitNoCa;
        params.key_usages = vec![KeyUsagePurpose::DigitalSignature, KeyUsagePurpose::ContentCommitment];
        let certificate = params.self_signed(&pair).map_err(failed)?;
        SealKey::of(pair.serialize_der(), vec![certificate.der().to_vec()])
    }

    /// A key (PKCS#8) with its certificates, its own first.
    pub fn of(private: Vec<u8>, chain: Vec<Vec<u8>>) -> Result<SealKey, KeyFault> {
        let own = chain.first().and_then(|first| Certificate::from_der(first).ok()).ok_or(KeyFault::NoKey)?;
        let random = SystemRandom::new();
        let pair = match EcdsaKeyPair::from_pkcs8(&signature::ECDSA_P256_SHA256_ASN1_SIGNING, &private, &random) {
            Ok(pair) => Pair::P256(pair),
            Err(_) => Pair::Rsa(RsaKeyPair::from_pkcs8(&private).map_err(|_| KeyFault::Kind)?),
        };
        let key = SealKey { pair, private, chain, own };
        // What it signs must be verified by its own certificate.
        let trial = key.sign(b"trial").map_err(KeyFault::Create)?;
        if !verified(&key.own, &key.algorithm(), None, b"trial", &trial) {
            return Err(KeyFault::Other);
        }
        if !signs(&key.own) {
            return Err(KeyFault::Usage);
        }
        Ok(key)
    }

    /// The key of a PKCS#12 file (RFC 7292).
    pub fn from_pkcs12(file: &[u8], password: &str) -> Result<SealKey, KeyFault> {
        let store =
            p12_keystore::KeyStore::from_pkcs12(file, password, p12_keystore::Pkcs12ImportPolicy::Relaxed).map_err(|_| KeyFault::File)?;
        let (_, chain) = store.private_key_chain().ok_or(KeyFault::NoKey)?;
        let certificates = chain.certs().iter().map(|own| own.as_der().to_vec()).collect();
        SealKey::of(chain.key().as_der().to_vec(), certificates)
    }

    /// The key as PKCS#8, to be closed away.
    pub fn private(&self) -> &[u8] {
        &self.private
    }

    /// The certificates (DER), its own first.
    pub fn chain(&self) -> &[Vec<u8>] {
        &self.chain
    }

    /// Whose it is.
    pub fn subject(&self) -> String {
        self.own.tbs_certificate().subject().to_string()
    }

    /// Until when its certificate is valid, in seconds since 1970.
    pub fn until(&self) -> i64 {
        self.own.tbs_certificate().validity().not_after.to_unix_duration().as_secs() as i64
    }

    pub(super) fn certificate(&self) -> &Certificate {
        &self.own
    }

    pub(super) fn algorithm(&self) -> AlgorithmIdentifierOwned {
        match self.pair {
            Pair::P256(_) => AlgorithmIdentifierOwned { oid: ECDSA_SHA256, parameters: None },
            Pair::Rsa(_) => AlgorithmIdentifierOwned { oid: RSA_SHA256, parameters: Some(der::Any::null()) },
        }
    }

    pub(super) fn sign(&self, message: &[u8]) -> Result<Vec<u8>, String> {
        let random = SystemRandom::new();
        let failed = |_| "the key can't be used".to_owned();
        match &self.pair {
            Pair::P256(pair) => Ok(pair.sign(&random, message).map_err(failed)?.as_ref().to_vec()),
            Pair::Rsa(pair) => {
                let mut out = vec![0; pair.public().modulus_len()];
                pair.sign(&signature::RSA_PKCS1_SHA256, &random, message, &mut out).map_err(failed)?;
                Ok(out)
            }
        }
    }
}

/// Whether a certificate is for signatures (RFC 5280, 4.2.1.3).
fn signs(own: &Certificate) -> bool {
    use x509_cert::ext::pkix::KeyUsage;
    match own.tbs_certificate().get_extension::<KeyUsage>() {
        Ok(Some((_, usage))) => usage.digital_signature() || usage.non_repudiation(),
        Ok(None) => true,
        Err(_) => false,
    }
}

/// Whether a signature is that of a certificate's key.
pub(super) fn verified(
    certificate: &Certificate,
    algorithm: &AlgorithmIdentifierOwned,
    digest: Option<&ObjectIdentifier>,
    message: &[u8],
    given: &[u8],
) -> bool {
    let key = certificate.tbs_certificate().subject_public_key_info();
    let Some(bits) = key.subject_public_key.as_bytes() else { return false };
    let curve = key.algorithm.parameters.as_ref().and_then(|curve| curve.decode_as::<ObjectIdentifier>().ok());
    let rsa = |digest: Option<&ObjectIdentifier>| match digest {
        Some(&const_oid::db::rfc5912::ID_SHA_512) => &signature::RSA_PKCS1_2048_8192_SHA512,
        Some(&const_oid::db::rfc5912::ID_SHA_384) => &signature::RSA_PKCS1_2048_8192_SHA384,
        _ => &signature::RSA_PKCS1_2048_8192_SHA256,
    };
    let by: &dyn signature::VerificationAlgorithm = match (algorithm.oid, curve) {
        (ECDSA_SHA256, Some(P384)) => &signature::ECDSA_P384_SHA256_ASN1,
        (ECDSA_SHA256, _) => &signature::ECDSA_P256_SHA256_ASN1,
        (ECDSA_SHA384, Some(P384)) => &signature::ECDSA_P384_SHA384_ASN1,
        (ECDSA_SHA384, _) => &signature::ECDSA_P256_SHA384_ASN1,
        (RSA_SHA256, _) => &signature::RSA_PKCS1_2048_8192_SHA256,
        (RSA_SHA384, _) => &signature::RSA_PKCS1_2048_8192_SHA384,
        (RSA_SHA512, _) => &signature::RSA_PKCS1_2048_8192_SHA512,
        (RSA, _) => rsa(digest),
        _ => return false,
    };
    signature::UnparsedPublicKey::new(by, bits).verify(message, given).is_ok()
}

/// A certificate as it was written.
pub(super) fn der_of(certificate: &Certificate) -> Result<Vec<u8>, der::Error> {
    certificate.to_der()
}
