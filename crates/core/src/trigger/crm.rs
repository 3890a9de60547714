//! Starts a run of each record of the CRM that comes to meet a condition.

use std::collections::HashMap;

use serde::{Deserialize, Serialize};

use super::{Covers, Settings, World};
use crate::diagnostic::Diagnostic;
use crate::language::condition;

/// The settings of the trigger of changes in the CRM.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct CrmTrigger {
    /// The condition that a record comes to meet: `stage = "Won"`.
    pub condition: String,
    /// How often the CRM is asked, in minutes; none where it tells by web hook alone.
    pub minutes: Option<u32>,
}

/// The longest time between two looks, in minutes: a week.
const LONGEST: u32 = 7 * 24 * 60;

impl Settings for CrmTrigger {
    fn problems(&self, world: &World) -> Vec<Diagnostic> {
        let mut problems = Vec::new();
        if !world.crm {
            problems.push(Diagnostic::error("no-crm", "the records do not come from a CRM. Choose a CRM query under Records."));
        }
        if world.joint {
            let message = "one document serves all records, so a record alone has none. Make a document for each record under Output.";
            problems.push(Diagnostic::error("joint", message));
        }
        match self.condition.trim() {
            "" => problems.push(Diagnostic::error("no-condition", "no condition. Enter what a record comes to meet: stage = \"Won\"")),
            text => problems.extend(condition(text).err().map(|error| Diagnostic::error("condition", error.to_string()).within(text))),
        }
        if self.minutes.is_some_and(|minutes| minutes == 0 || minutes > LONGEST) {
            problems.push(Diagnostic::error("minutes", "the CRM can be asked every 1 to 10080 minutes"));
        }
        problems
    }

    fn words(&self) -> String {
        let asked = match self.minutes {
            Some(1) => "asked every minute".into(),
            Some(minutes) => format!("asked every {minutes} minutes"),
            None => "told by web hook".into(),
        };
        format!("when a record comes to meet {} ({asked})", self.condition.trim())
    }

    fn covers(&self) -> Covers {
        Covers::Named
    }

    /// What has met it and does not any more when the run starts has no document.
    fn condition(&self) -> &str {
        &self.condition
    }
}

/// What is remembered of a record of a CRM: whether it met the condition when it was seen last,
/// and how often it has come to meet it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Crossing {
    /// Whether it met the condition.
    pub met: bool,
    /// How often it has come to meet it.
    pub times: u32,
}

/// Looks at records by their keys, each with whether it meets the condition now. Gives those that
/// have come to meet it since, and what is remembered from now on. A first look remembers and
/// finds nothing: what met the condition before anyone watched has not come to meet it. A record
/// that is new meets it by coming.
pub fn crossings<'a>(
    before: Option<&HashMap<String, Crossing>>,
    now: &[(&'a str, bool)],
) -> (Vec<(&'a str, u32)>, HashMap<String, Crossing>) {
    let (mut crossed, mut remembered) = (Vec::new(), HashMap::with_capacity(now.len()));
    for (key, met) in now {
        let last = before.and_then(|before| before.get(*key)).copied().unwrap_or_default();
        let mut own = Crossing { met: *met, ..last };
        if before.is_some() && *met && !last.met {
            own.times += 1;
            crossed.push((*key, own.times));
        }
        remembered.insert((*key).to_owned(), own);
    }
    // Nothing is known of one that is not among the records just now: a query may ask for the
    // first hundred alone. It is remembered as it was, and has not crossed when it is back.
    for (key, last) in before.into_iter().flatten() {
        remembered.entry(key.clone()).or_insert(*last);
    }
    (crossed, remembered)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn a_record_that_flips_crosses_once_for_each_flip() {
        let (first, seen) = crossings(None, &[("A", true), ("B", false)]);
        assert_eq!(first, [], "a first look finds nothing");
        let (came, seen) = crossings(Some(&seen), &[("A", true), ("B", true), ("C", true)]);
        assert_eq!(came, [("B", 1), ("C", 1)], "a new record that meets it counts");
        let (none, seen) = crossings(Some(&seen), &[("A", true), ("B", true), ("C", true)]);
        assert_eq!(none, [], "once per crossing");
        let (none, seen) = crossings(Some(&seen), &[("B", false)]);
        assert_eq!(none, []);
        let (again, _) = crossings(Some(&seen), &[("A", true), ("B", true)]);
        assert_eq!(again, [("B", 2)], "what was out of sight did not cross");
    }

    proptest! {
        #[test]
        fn each_rise_is_told_once(looks in prop::collection::vec(prop::collection::vec(any::<bool>(), 4), 1..20)) {
            let keys = ["a", "b", "c", "d"];
            let (mut seen, mut told) = (None, [0u32; 4]);
            for look in &looks {
                let now: Vec<(&str, bool)> = keys.iter().copied().zip(look.iter().copied()).collect();
                let (came, remembered) = crossings(seen.as_ref(), &now);
                for (key, times) in came {
                    let at = keys.iter().position(|own| *own == key).expect("one of them");
                    told[at] += 1;
                    prop_assert_eq!(times, told[at]);
                }
                seen = Some(remembered);
            }
            for at in 0..4 {
                let rises = looks.windows(2).filter(|pair| !pair[0][at] && pair[1][at]).count();
                prop_assert_eq!(told[at] as usize, rises);
            }
        }
    }
}
