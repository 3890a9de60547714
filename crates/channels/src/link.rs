//! Share link: nothing leaves the machine. What is delivered is the permission to open the page,
//! which the application serves as long as the delivery is neither ended nor withdrawn.

use std::time::Duration;

use mangle_core::channel::LinkPayload;

use crate::{Channel, Delivery, Failure, Fate, Outcome, Pace, Rate};

/// The share link channel.
#[derive(Debug, Default)]
pub struct Link;

impl Channel for Link {
    fn kind(&self) -> &'static str {
        "link"
    }

    fn pace(&self) -> Pace {
        Pace {
            at_once: 4,
            rate: Rate::default(),
            first_pause: Duration::from_secs(1),
            longest_pause: Duration::from_secs(60),
            give_up_after: Duration::from_secs(3_600),
        }
    }

    fn deliver(&self, delivery: &Delivery, begin: &mut dyn FnMut(&str) -> bool) -> Outcome {
        let payload: LinkPayload = match serde_json::from_value(delivery.payload.clone()) {
            Ok(payload) => payload,
            Err(error) => return Outcome::Failed(Failure::new("payload", format!("the delivery can't be read: {error}"))),
        };
        match begin(&payload.address) {
            true => Outcome::Delivered(payload.address),
            false => Outcome::NotBegun,
        }
    }

    /// Nothing was handed to anyone: it is done again.
    fn fate(&self, _delivery: &Delivery, _target: &str) -> Fate {
        Fate::NotDelivered
    }

    fn takes_content(&self) -> bool {
        false
    }

    fn revocable(&self) -> bool {
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_link_is_open_once_it_is_written_down_that_it_is() {
        let payload =
            LinkPayload { address: "https://quay.example/d/x".into(), passcode: String::new(), days: None, openings: None, download: true };
        let payload = serde_json::to_value(payload).expect("a payload");
        let delivery =
            Delivery { key: "<1@quay.example>".into(), payload, office: Default::default(), documents: Vec::new(), extras: Vec::new() };
        assert_eq!(Link.deliver(&delivery, &mut |_| false), Outcome::NotBegun);
        assert_eq!(Link.deliver(&delivery, &mut |to| to.ends_with("/d/x")), Outcome::Delivered("https://quay.example/d/x".into()));
        let spoilt = Delivery { payload: serde_json::Value::Null, ..delivery };
        assert!(matches!(Link.deliver(&spoilt, &mut |_| panic!("nothing begins")), Outcome::Failed(_)));
    }
}
