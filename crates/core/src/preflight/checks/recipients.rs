//! Who gets messages: several for one address, or one for a function instead of a person.

use std::collections::HashMap;

use crate::preflight::{Check, Note, Summary};
use crate::value::recipients;

/// The check.
pub struct Recipients;

/// What addresses begin with that several people read, or nobody (RFC 2142, sections 3 to 6, and
/// what offices use besides).
const ROLES: &[&str] = &[
    "abuse",
    "accounts",
    "admin",
    "billing",
    "contact",
    "enquiries",
    "hostmaster",
    "info",
    "mail",
    "marketing",
    "no-reply",
    "noreply",
    "office",
    "postmaster",
    "sales",
    "support",
    "webmaster",
];

impl Check for Recipients {
    fn notes(&self, all: &[Summary]) -> Vec<(usize, Note)> {
        let mut notes = Vec::new();
        let mut seen: HashMap<(usize, String), Vec<usize>> = HashMap::new();
        for summary in all {
            // What goes elsewhere than to e-mail addresses has none.
            let addressed = summary.goes_to.iter().filter_map(|(channel, to)| Some((*channel, recipients(to).ok()?)));
            for (channel, address) in addressed.flat_map(|(channel, to)| to.into_iter().map(move |address| (channel, address))) {
                let address = address.as_str().to_lowercase();
                if address.split_once('@').is_some_and(|(local, _)| ROLES.contains(&local)) {
                    notes.push((summary.record, Note::RoleAddress));
                }
                let records = seen.entry((channel, address)).or_default();
                if records.last() != Some(&summary.record) {
                    records.push(summary.record);
                }
            }
        }
        let several = seen.into_values().filter(|records| records.len() > 1).flatten();
        notes.extend(several.map(|record| (record, Note::SameRecipient)));
        notes.sort();
        notes.dedup();
        notes
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_address_of_several_records_and_addresses_of_functions_are_noted() {
        let of = |record, to: &str| Summary { record, file_name: String::new(), goes_to: vec![(0, to.to_owned())] };
        let all = [
            of(1, "ada@quay.example"),
            of(2, "Ada@Quay.example, bo@quay.example"),
            of(3, "info@quay.example"),
            of(4, "Licences/2026"),
            of(5, "grace@quay.example"),
        ];
        let notes = Recipients.notes(&all);
        assert_eq!(notes, [(1, Note::SameRecipient), (2, Note::SameRecipient), (3, Note::RoleAddress)]);
        // The same address over two channels is one person told twice on purpose.
        let twice = Summary { goes_to: vec![(0, "ada@quay.example".into()), (1, "ada@quay.example".into())], ..of(1, "") };
        assert_eq!(Recipients.notes(&[twice]), []);
    }
}
