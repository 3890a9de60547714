//! How names match: by NFKC casefold less spaces, `_`, hyphens, dashes and
//! apostrophes, so that `Last_Name`, `last name` and `LAST-NAME` are one.

use std::fmt;
use std::sync::Arc;

use icu_casemap::CaseMapper;
use icu_normalizer::ComposingNormalizer;

/// A name folded for matching.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Folded(Arc<str>);

impl Folded {
    /// Folds a name.
    ///
    /// ```
    /// use mangle_core::language::Folded;
    /// assert_eq!(Folded::new("Last_Name"), Folded::new("last name"));
    /// ```
    pub fn new(name: &str) -> Folded {
        let plain = name.bytes().all(|b| b.is_ascii_alphanumeric());
        if plain {
            return Folded(name.to_ascii_lowercase().into());
        }
        let nfkc = ComposingNormalizer::new_nfkc();
        let once = nfkc.normalize(name);
        let folded = CaseMapper::new().fold_string(&once).into_owned();
        let kept: String = nfkc.normalize(&folded).chars().filter(|c| !is_passed_over(*c)).collect();
        Folded(kept.into())
    }

    /// A path along relations, folded name by name; no name is equal to it.
    pub fn path<'n>(names: impl IntoIterator<Item = &'n str>) -> Folded {
        let folded: Vec<Folded> = names.into_iter().map(Folded::new).collect();
        Folded(folded.iter().map(Folded::as_str).collect::<Vec<_>>().join("\u{1f}").into())
    }

    /// The folded text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for Folded {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

/// Signs that do not count in a name.
fn is_passed_over(c: char) -> bool {
    c.is_whitespace()
        || matches!(c, '_' | '-' | '\u{ad}' | '\u{2010}'..='\u{2015}' | '\u{2212}' | '\'' | '’' | '‘' | '‚' | '‹' | '›' | '\u{200b}'..='\u{200d}' | '\u{2060}' | '\u{feff}')
}

/// The name nearest to the wanted one, if any is near enough to offer.
pub fn nearest<'a>(wanted: &str, names: impl IntoIterator<Item = &'a str>) -> Option<String> {
    let wanted = Folded::new(wanted);
    names
        .into_iter()
        .map(|name| (strsim::jaro_winkler(wanted.as_str(), Folded::new(name).as_str()), name))
        .filter(|(near, _)| *near >= 0.8)
        .max_by(|a, b| a.0.total_cmp(&b.0))
        .map(|(_, name)| name.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn case_spaces_and_dashes_do_not_part_names() {
        for name in ["Last_Name", "last name", "LAST-NAME", "last\u{a0}name", "Last–Name", " lastname "] {
            assert_eq!(Folded::new(name).as_str(), "lastname", "{name:?}");
        }
        assert_eq!(Folded::new("Straße"), Folded::new("STRASSE"));
        assert_ne!(Folded::new("Café"), Folded::new("Cafe"));
    }

    #[test]
    fn the_nearest_name_is_offered_only_when_near() {
        assert_eq!(nearest("balanse", ["Balance", "Boat name"]).as_deref(), Some("Balance"));
        assert_eq!(nearest("xyz", ["Balance", "Boat name"]), None);
    }
}
