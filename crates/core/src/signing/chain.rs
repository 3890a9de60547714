//! The events of a round as a chain: each holds the digest of the one before, so that nothing can
//! be changed, left out or put between without being noticed.

use serde::{Deserialize, Serialize};
use serde_json::Value;
use sha2::{Digest, Sha256};

/// An event of a chain.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Link {
    /// Its place, from 1.
    pub number: u64,
    /// When, in UTC: `2026-11-23T09:42:00`.
    pub at: String,
    /// Who or what did it.
    pub who: String,
    /// What happened.
    pub what: String,
    /// What belongs to it.
    #[cfg_attr(feature = "openapi", schema(value_type = Object))]
    pub with: Value,
    /// The digest of the event before, in hexadecimal digits; of the first that of nothing.
    pub before: String,
    /// The digest of this one.
    pub digest: String,
}

impl Link {
    /// The digest of all else that it holds: SHA-256 over the JSON of its fields in this order, each
    /// on a line.
    fn digested(&self) -> String {
        let fields: [Value; 6] = [
            self.number.into(),
            self.at.clone().into(),
            self.who.clone().into(),
            self.what.clone().into(),
            sorted(&self.with),
            self.before.clone().into(),
        ];
        let text: Vec<String> = fields.iter().map(Value::to_string).collect();
        hex(&Sha256::digest(text.join("\n")))
    }
}

/// A value whose objects have their names in order: the same value has the same text.
fn sorted(value: &Value) -> Value {
    match value {
        Value::Object(fields) => {
            let mut all: Vec<(&String, &Value)> = fields.iter().collect();
            all.sort_by_key(|(name, _)| *name);
            Value::Object(all.into_iter().map(|(name, value)| (name.clone(), sorted(value))).collect())
        }
        Value::Array(items) => Value::Array(items.iter().map(sorted).collect()),
        other => other.clone(),
    }
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

/// Where a chain is broken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ChainFault {
    /// An event was changed.
    #[error("event {0} was changed")]
    Changed(u64),
    /// Events were left out, or put between.
    #[error("event {0} does not follow the one before")]
    Broken(u64),
}

/// The events of a round in their order.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Chain(pub Vec<Link>);

impl Chain {
    /// Adds an event at its end.
    pub fn add(&mut self, at: &str, who: &str, what: &str, with: Value) -> &Link {
        self.0.push(self.follow(at, who, what, with));
        &self.0[self.0.len() - 1]
    }

    /// The event that would follow; the last one before is all that is needed for that.
    pub fn follow(&self, at: &str, who: &str, what: &str, with: Value) -> Link {
        let number = self.0.last().map_or(0, |last| last.number) + 1;
        let mut link = Link { number, at: at.into(), who: who.into(), what: what.into(), with, before: self.end(), digest: String::new() };
        link.digest = link.digested();
        link
    }

    /// The digest of its last event; of an empty one that of nothing.
    pub fn end(&self) -> String {
        self.0.last().map_or_else(|| hex(&Sha256::digest("")), |last| last.digest.clone())
    }

    /// Whether it is as it was written.
    pub fn check(&self) -> Result<(), ChainFault> {
        let mut before = hex(&Sha256::digest(""));
        for (at, link) in self.0.iter().enumerate() {
            if link.digested() != link.digest {
                return Err(ChainFault::Changed(link.number));
            }
            if link.before != before || link.number != at as u64 + 1 {
                return Err(ChainFault::Broken(link.number));
            }
            before.clone_from(&link.digest);
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use serde_json::json;

    use super::*;

    fn chain() -> Chain {
        let mut own = Chain::default();
        own.add("2026-11-23T09:42:00", "Ida Kelling", "sent", json!({ "to": "maren@quay.example", "step": 1 }));
        own.add("2026-11-23T10:00:00", "Maren Vos", "consented", json!({ "wording": "en-1" }));
        own.add("2026-11-23T10:02:00", "Maren Vos", "signed", json!({ "digest": "ab12", "fields": [1, 2] }));
        own
    }

    #[test]
    fn it_is_the_same_after_a_journey_as_json() {
        let own = chain();
        assert_eq!(own.check(), Ok(()));
        // The order of an object's names does not count.
        let text = serde_json::to_string(&own)
            .expect("JSON")
            .replace("\"to\":\"maren@quay.example\",\"step\":1", "\"step\":1,\"to\":\"maren@quay.example\"");
        let again: Chain = serde_json::from_str(&text).expect("JSON");
        assert_eq!((again.check(), again.end()), (Ok(()), own.end()));
        assert_eq!(Chain::default().end(), "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855");
    }

    proptest! {
        #[test]
        fn any_change_is_noticed(at in 0usize..3, how in 0usize..6, text in "[a-z]{1,8}") {
            let own = chain();
            let mut other = own.clone();
            match how {
                0 => other.0[at].who = text,
                1 => other.0[at].what = text,
                2 => other.0[at].at = text,
                3 => other.0[at].with = json!({ "to": text }),
                4 => drop(other.0.remove(at)),
                _ => {
                    let copy = other.0[at].clone();
                    other.0.insert(at, copy);
                }
            }
            // What is cut off at the end shows in the digest that others hold of it.
            prop_assert!(other.check().is_err() || other.end() != own.end());
        }
    }
}
