//! What shows that the certificates of a seal were valid when it was made: the revocation lists of
//! their issuers (RFC 5280, 5), kept in the file so that it can be checked long after they are gone
//! (PAdES B-LT: ETSI EN 319 142-1, 6.3; document security store: ISO 32000-2, 12.8.4.3).

use cms::cert::CertificateChoices;
use cms::content_info::ContentInfo;
use cms::signed_data::SignedData;
use der::{Decode, Encode};
use lopdf::{Dictionary, Object, Stream, dictionary};
use x509_cert::Certificate;
use x509_cert::crl::CertificateList;
use x509_cert::ext::pkix::CrlDistributionPoints;
use x509_cert::ext::pkix::name::{DistributionPointName, GeneralName};

use super::SealFault;
use super::key::{SealKey, verified};
use super::sign::{Stamp, timestamp};
use super::timestamp::certificate_of;
use super::update::Update;

/// The most certificates of a chain.
const LONGEST: usize = 8;
/// How far the clock of an issuer may be ahead, in seconds.
const AHEAD: i64 = 300;

/// Certificates and the revocation lists that cover them, as DER.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct LongTerm {
    /// The certificates.
    pub certificates: Vec<Vec<u8>>,
    /// The revocation lists.
    pub lists: Vec<Vec<u8>>,
}

/// What gives the revocation list at an address.
pub type Fetch<'a> = &'a mut dyn FnMut(&str) -> Result<Vec<u8>, String>;

/// The revocation lists of a key's certificates and of the timestamp authority's, at a moment in
/// seconds since 1970; none where the chain does not allow it: nothing can be revoked of a certificate
/// that issued itself, an issuer is unknown, or a list can't be had. A revoked certificate is an error.
pub fn long_term(key: &SealKey, stamp: Stamp<'_>, fetch: Fetch<'_>, at: i64) -> Result<Option<LongTerm>, SealFault> {
    let own: Vec<Certificate> = key.chain().iter().map(|own| Certificate::from_der(own)).collect::<Result<_, _>>()?;
    if is_root(key.certificate()) {
        return Ok(None);
    }
    // Whose certificate a timestamp has is known from one.
    let token = timestamp(b"whose certificate", stamp)?;
    let content = ContentInfo::from_der(&token.to_der()?)?;
    let signed: SignedData = content.content.decode_as()?;
    let signer = signed.signer_infos.0.as_slice().first().and_then(|signer| certificate_of(&signed, &signer.sid));
    let Some(authority) = signer.cloned() else { return Ok(None) };
    let beside = signed.certificates.iter().flat_map(|set| set.0.iter()).filter_map(|choice| match choice {
        CertificateChoices::Certificate(own) => Some(own.clone()),
        _ => None,
    });
    let beside: Vec<Certificate> = beside.collect();
    let mut found = LongTerm::default();
    for (leaf, others) in [(key.certificate(), &own), (&authority, &beside)] {
        if !cover(leaf, others, fetch, at, &mut found)? {
            return Ok(None);
        }
    }
    Ok(Some(found))
}

fn is_root(own: &Certificate) -> bool {
    own.tbs_certificate().issuer() == own.tbs_certificate().subject()
}

/// Adds a certificate, those above it, and their lists; whether all are covered.
fn cover(leaf: &Certificate, others: &[Certificate], fetch: Fetch<'_>, at: i64, found: &mut LongTerm) -> Result<bool, SealFault> {
    let mut own = leaf;
    for _ in 0..LONGEST {
        let bytes = own.to_der()?;
        if !found.certificates.contains(&bytes) {
            found.certificates.push(bytes);
        }
        if is_root(own) {
            return Ok(true);
        }
        let Some(issuer) = others.iter().find(|other| other.tbs_certificate().subject() == own.tbs_certificate().issuer()) else {
            return Ok(false);
        };
        let Some(list) = list_of(own, issuer, fetch, at)? else { return Ok(false) };
        if !found.lists.contains(&list) {
            found.lists.push(list);
        }
        own = issuer;
    }
    Ok(false)
}

/// The list of an issuer that covers a certificate at a moment.
fn list_of(own: &Certificate, issuer: &Certificate, fetch: Fetch<'_>, at: i64) -> Result<Option<Vec<u8>>, SealFault> {
    for address in addresses(own) {
        let Ok(bytes) = fetch(&address) else { continue };
        let Ok(list) = CertificateList::<x509_cert::certificate::Rfc5280>::from_der(&bytes) else { continue };
        let (told, seconds) = (&list.tbs_cert_list, |time: &x509_cert::time::Time| time.to_unix_duration().as_secs() as i64);
        let now = seconds(&told.this_update) <= at + AHEAD && told.next_update.as_ref().is_some_and(|next| seconds(next) >= at);
        let (Ok(message), Some(signature)) = (told.to_der(), list.signature.as_bytes()) else { continue };
        let whole = list.to_der().is_ok_and(|again| again == bytes) && list.signature_algorithm == told.signature;
        // One that is for some certificates only, or tells changes only, says so in a critical extension
        // (RFC 5280, 5.2): it shows nothing of the others.
        let partial = told.crl_extensions.iter().flatten().any(|extension| extension.critical);
        if !now || !whole || partial || told.issuer != *issuer.tbs_certificate().subject() {
            continue;
        }
        if !verified(issuer, &list.signature_algorithm, None, &message, signature) {
            continue;
        }
        let serial = own.tbs_certificate().serial_number();
        if let Some(revoked) = told.revoked_certificates.iter().flatten().find(|one| one.serial_number == *serial) {
            let name = own.tbs_certificate().subject().to_string();
            let day = jiff::Timestamp::from_second(seconds(&revoked.revocation_date)).map(|at| at.strftime("%Y-%m-%d").to_string());
            let day = day.unwrap_or_default();
            return Err(SealFault::Key(format!(
                "the certificate of {name} was revoked on {day}. Use another key or timestamp authority in Settings."
            )));
        }
        return Ok(Some(bytes));
    }
    Ok(None)
}

/// Where the revocation list of a certificate is (RFC 5280, 4.2.1.13).
fn addresses(own: &Certificate) -> Vec<String> {
    let Ok(Some((_, points))) = own.tbs_certificate().get_extension::<CrlDistributionPoints>() else { return Vec::new() };
    let names = points.0.into_iter().filter_map(|point| match point.distribution_point {
        Some(DistributionPointName::FullName(names)) if point.reasons.is_none() && point.crl_issuer.is_none() => Some(names),
        _ => None,
    });
    let address = |name: GeneralName| match name {
        GeneralName::UniformResourceIdentifier(address) => Some(address.to_string()),
        _ => None,
    };
    let web = |address: &String| ["http://", "https://"].iter().any(|scheme| address.starts_with(scheme));
    names.flatten().filter_map(address).filter(web).take(4).collect()
}

/// Puts certificates and lists into the catalog.
pub(super) fn store(update: &mut Update, own: &LongTerm) -> Result<(), SealFault> {
    let mut streams = |all: &[Vec<u8>]| -> Vec<Object> {
        all.iter().map(|bytes| update.document.add_object(Stream::new(Dictionary::new(), bytes.clone())).into()).collect()
    };
    let (certificates, lists) = (streams(&own.certificates), streams(&own.lists));
    let store = update.document.add_object(dictionary! { "Type" => "DSS", "Certs" => certificates, "CRLs" => lists });
    let catalog = update.catalog_id()?;
    update.document.get_dictionary_mut(catalog)?.set("DSS", store);
    Ok(())
}
