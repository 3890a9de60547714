//! Numbers in words, by the rules of CLDR (UTS #35 part 3, rule-based number
//! formatting). The rules are CLDR 48's `spellout-numbering` with what it needs.

use std::collections::HashMap;
use std::sync::LazyLock;

use icu_plurals::{PluralCategory, PluralRules};
use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;

use super::Locale;

/// Language → rule set → rules as they stand in CLDR.
type Written = HashMap<String, HashMap<String, Vec<(String, String)>>>;

/// Rule sets by language and name.
static SETS: LazyLock<HashMap<String, HashMap<String, Set>>> = LazyLock::new(|| {
    let written: Written = serde_json::from_str(include_str!("../../data/spellout.json")).unwrap_or_default();
    let language = |sets: HashMap<String, Vec<(String, String)>>| sets.into_iter().map(|(name, rules)| (name, Set::read(rules))).collect();
    written.into_iter().map(|(tag, sets)| (tag, language(sets))).collect()
});

const START: &str = "%spellout-numbering";
/// How deep rules may refer to one another.
const DEEPEST: usize = 64;

struct Set {
    /// By their least number, the least first.
    rules: Vec<Rule>,
    negative: Option<String>,
    fraction: Option<String>,
}

struct Rule {
    base: u64,
    /// The power of the radix that the number is divided by.
    divisor: u64,
    text: String,
}

impl Set {
    fn read(written: Vec<(String, String)>) -> Set {
        let mut set = Set { rules: Vec::new(), negative: None, fraction: None };
        for (base, text) in written {
            match base.as_str() {
                "-x" => set.negative = Some(text),
                "x.x" => set.fraction = Some(text),
                base => {
                    let (base, radix) = base.split_once('/').unwrap_or((base, "10"));
                    if let (Ok(base), Ok(radix)) = (base.parse::<u64>(), radix.parse::<u64>()) {
                        let mut divisor = 1u64;
                        while radix > 1 && divisor.checked_mul(radix).is_some_and(|next| next <= base) {
                            divisor *= radix;
                        }
                        set.rules.push(Rule { base, divisor, text: text.strip_prefix('\'').map(str::to_owned).unwrap_or(text) });
                    }
                }
            }
        }
        set.rules.sort_by_key(|r| r.base);
        set
    }

    /// The rule of a number. Of a rule with two substitutions a round number
    /// takes the one before, unless the rule's own base is as round.
    fn rule(&self, number: u64) -> Option<&Rule> {
        let at = self.rules.partition_point(|r| r.base <= number).checked_sub(1)?;
        let rule = &self.rules[at];
        let two = rule.text.contains('←') && rule.text.contains('→') && !rule.text.contains('[');
        let rolls_back = two && number.is_multiple_of(rule.divisor) && !rule.base.is_multiple_of(rule.divisor);
        Some(if rolls_back { &self.rules[at.saturating_sub(1)] } else { rule })
    }
}

/// A number in words; `None` in a language whose rules do not ship.
pub fn spell(number: Decimal, locale: &Locale) -> Option<String> {
    let language = match locale.language().as_str() {
        "no" | "nn" => "nb".to_owned(),
        own => own.to_owned(),
    };
    let speller = Speller { sets: SETS.get(&language)?, locale, plurals: PluralRules::try_new_cardinal(locale.preferences().into()).ok()? };
    speller.decimal(number.normalize(), START, 0)
}

struct Speller<'a> {
    sets: &'a HashMap<String, Set>,
    locale: &'a Locale,
    plurals: PluralRules,
}

impl Speller<'_> {
    /// Sets without a rule for signs and fractions borrow those of what they
    /// refer to.
    fn special(&self, name: &str, of: impl Fn(&Set) -> Option<&String>) -> Option<(String, String)> {
        let mut name = name.to_owned();
        for _ in 0..8 {
            let set = self.sets.get(&name)?;
            if let Some(text) = of(set) {
                return Some((name, text.clone()));
            }
            name = set.rules.first()?.text.strip_prefix('=')?.strip_suffix('=')?.to_owned();
        }
        None
    }

    fn decimal(&self, number: Decimal, name: &str, depth: usize) -> Option<String> {
        if number.is_sign_negative() && !number.is_zero() {
            let (name, text) = self.special(name, |s| s.negative.as_ref())?;
            return Some(text.replace("→→", &self.decimal(-number, &name, depth + 1)?));
        }
        let whole = number.trunc().to_u64()?;
        if number.fract().is_zero() {
            return self.whole(whole, name, depth);
        }
        let (name, text) = self.special(name, |s| s.fraction.as_ref())?;
        let digits = number.fract().to_string();
        let digits: Option<Vec<String>> =
            digits.split_once('.')?.1.bytes().map(|digit| self.whole(u64::from(digit - b'0'), &name, depth + 1)).collect();
        Some(text.replace("←←", &self.whole(whole, &name, depth + 1)?).replace("→→", &digits?.join(" ")))
    }

    fn whole(&self, number: u64, name: &str, depth: usize) -> Option<String> {
        if depth > DEEPEST {
            return None;
        }
        let rule = self.sets.get(name)?.rule(number)?;
        let mut out = String::new();
        let mut rest = rule.text.as_str();
        while let Some(c) = rest.chars().next() {
            match c {
                // Left out of round numbers.
                '[' => {
                    let (inside, after) = rest[1..].split_once(']')?;
                    if !number.is_multiple_of(rule.divisor) {
                        let inner = Rule { base: rule.base, divisor: rule.divisor, text: inside.to_owned() };
                        out += &self.text(number, name, &inner, depth)?;
                    }
                    rest = after;
                }
                _ => {
                    let end = rest.find('[').unwrap_or(rest.len());
                    let inner = Rule { base: rule.base, divisor: rule.divisor, text: rest[..end].to_owned() };
                    out += &self.text(number, name, &inner, depth)?;
                    rest = &rest[end..];
                }
            }
        }
        Some(out)
    }

    /// A rule's text without optional parts.
    fn text(&self, number: u64, name: &str, rule: &Rule, depth: usize) -> Option<String> {
        let mut out = String::new();
        let mut rest = rule.text.as_str();
        while let Some(at) = rest.find(['←', '→', '=', '$']) {
            out += &rest[..at];
            let mark = rest[at..].chars().next()?;
            let inner = &rest[at + mark.len_utf8()..];
            if mark == '$' {
                let (forms, after) = inner.strip_prefix('(')?.split_once(")$")?;
                out += self.plural(number / rule.divisor, forms.split_once(',')?.1);
                rest = after;
                continue;
            }
            let (target, after) = inner.split_once(mark)?;
            let part = match mark {
                '←' => number / rule.divisor,
                '→' => number % rule.divisor,
                _ => number,
            };
            out += &match target {
                "" => self.whole(part, name, depth + 1)?,
                target if target.starts_with('%') => self.whole(part, target, depth + 1)?,
                _ => self.locale.number(part.into(), 0, 0, true),
            };
            rest = after;
        }
        Some(out + rest)
    }

    /// The form for a count: `few{tysiące}other{tysięcy}`.
    fn plural<'f>(&self, count: u64, forms: &'f str) -> &'f str {
        let wanted = match self.plurals.category_for(count) {
            PluralCategory::Zero => "zero",
            PluralCategory::One => "one",
            PluralCategory::Two => "two",
            PluralCategory::Few => "few",
            PluralCategory::Many => "many",
            PluralCategory::Other => "other",
        };
        let form = |name: &str| forms.split_once(&format!("{name}{{")).and_then(|(_, rest)| rest.split_once('}')).map(|(form, _)| form);
        form(wanted).or_else(|| form("other")).unwrap_or_default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn words(number: &str, tag: &str) -> String {
        spell(number.parse().expect("a number"), &Locale::parse(tag).expect(tag)).unwrap_or_else(|| "nothing".into())
    }

    #[test]
    fn numbers_are_spelled_as_the_language_has_it() {
        for (number, tag, spelled) in [
            ("0", "en-GB", "zero"),
            ("14", "en-GB", "fourteen"),
            ("1234", "en-GB", "one thousand two hundred thirty-four"),
            ("-7", "en-GB", "minus seven"),
            ("12.05", "en-GB", "twelve point zero five"),
            ("1", "de-DE", "eins"),
            ("21", "de-DE", "einundzwanzig"),
            ("1234", "de-DE", "eintausendzweihundertvierunddreißig"),
            ("2000000", "de-DE", "zwei Millionen"),
            ("3.5", "de-DE", "drei Komma fünf"),
            ("71", "fr-FR", "soixante-et-onze"),
            ("80", "fr-FR", "quatre-vingts"),
            ("281", "fr-FR", "deux cent quatre-vingt-un"),
            ("1980", "nl-NL", "duizendnegenhonderdtachtig"),
            ("28", "nl-NL", "achtentwintig"),
            ("2000", "pl-PL", "dwa tysiące"),
            ("5000", "pl-PL", "pięć tysięcy"),
            ("7", "ja-JP", "nothing"),
        ] {
            assert_eq!(words(number, tag), spelled, "{number} {tag}");
        }
    }

    #[test]
    fn every_number_up_to_ten_thousand_has_words_in_every_language() {
        for tag in SETS.keys() {
            for number in (0..10_000).step_by(37) {
                let spelled = words(&number.to_string(), tag);
                assert!(!spelled.is_empty() && !spelled.contains(['%', '[', '→', '←', '=', '$']), "{number} {tag}: {spelled}");
            }
        }
    }

    #[test]
    fn beyond_the_rules_digits_are_written() {
        assert_eq!(words("1000000000000000000", "en-GB"), "1,000,000,000,000,000,000");
        assert_eq!(words("99999999999999999999999", "en-GB"), "nothing");
    }
}
