//! Triggers: what starts the runs of a dispatch by itself. What a trigger's settings are, what is
//! wrong with them and how they read stands here, and is pure; what watches for its moment is in
//! `mangle-app`.
//!
//! To add one: a file here with its settings ([`Settings`]), its line in `triggers!` below, its
//! watch in the application, and its component in the front end's list.

mod answer;
mod call;
mod crm;
mod schedule;

use serde::{Deserialize, Serialize};

use crate::diagnostic::Diagnostic;

pub use answer::AnswerTrigger;
pub use call::CallTrigger;
pub use crm::{CrmTrigger, Crossing, crossings};
pub use schedule::{Every, Missed, ScheduleTrigger, Weekday};

/// Names every kind of trigger: the settings that are stored, the word for its kind, and its name.
macro_rules! triggers {
    ($($(#[$doc:meta])* $kind:ident($settings:ty) = $word:literal, $name:literal);+ $(;)?) => {
        /// The settings of a trigger, by its kind.
        #[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
        #[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
        #[serde(tag = "kind", rename_all = "kebab-case")]
        pub enum Trigger {
            $($(#[$doc])* $kind($settings)),+
        }

        impl Trigger {
            /// The words of all kinds.
            pub const KINDS: &[&str] = &[$($word),+];

            /// The word of its kind.
            pub fn kind(&self) -> &'static str {
                match self { $(Trigger::$kind(_) => $word),+ }
            }

            /// What one of its kind is called where nobody named it.
            pub fn name(&self) -> &'static str {
                match self { $(Trigger::$kind(_) => $name),+ }
            }

            fn settings(&self) -> &dyn Settings {
                match self { $(Trigger::$kind(settings) => settings),+ }
            }
        }
    };
}

triggers! {
    /// Each answer of the form that the records come from.
    Answer(AnswerTrigger) = "answer", "Form answer";
    /// At times: days, weeks, months, or a cron expression.
    Schedule(ScheduleTrigger) = "schedule", "Schedule";
    /// A record of the CRM comes to meet a condition.
    Crm(CrmTrigger) = "crm", "CRM change";
    /// Another program asks for it.
    Call(CallTrigger) = "call", "API call";
}

/// What the settings of every trigger can do.
pub trait Settings {
    /// What is wrong with them, or keeps them from starting anything here.
    fn problems(&self, world: &World) -> Vec<Diagnostic>;

    /// When it starts a run, in words: “every Monday at 08:00”.
    fn words(&self) -> String;

    /// Which records it starts a run of.
    fn covers(&self) -> Covers;

    /// The condition that those records meet; blank for none.
    fn condition(&self) -> &str {
        ""
    }
}

/// Which records a trigger starts a run of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Covers {
    /// Those that it names, each of which has its document once.
    Once,
    /// Those that it names, whatever was made of them before: it happened again.
    Named,
    /// All that the dispatch selects.
    All,
}

/// What a trigger may know of where its dispatch takes records from.
#[derive(Debug, Clone, Copy, Default)]
pub struct World {
    /// Whether the records are the answers of a form.
    pub form: bool,
    /// Whether the records come from a CRM.
    pub crm: bool,
    /// Whether one document serves all records.
    pub joint: bool,
}

/// A trigger of a dispatch: its settings, and what is done once it starts a run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct TriggerSetup {
    /// What tells it from the dispatch's others; 0 for one that has no number yet.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub id: u32,
    /// Whether it starts anything.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub on: bool,
    /// Whether deliveries wait until a person releases them.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub hold: bool,
    /// Its kind and settings.
    pub trigger: Trigger,
}

impl TriggerSetup {
    /// What is wrong with it.
    pub fn problems(&self, world: &World) -> Vec<Diagnostic> {
        self.trigger.settings().problems(world)
    }

    /// When it starts a run, in words.
    pub fn words(&self) -> String {
        self.trigger.settings().words()
    }

    /// The condition that the records meet which it starts a run of; blank for none.
    pub fn condition(&self) -> &str {
        self.trigger.settings().condition()
    }

    /// Which records it starts a run of.
    pub fn covers(&self) -> Covers {
        self.trigger.settings().covers()
    }
}

/// Gives the triggers that have no number one of their own; one that has another's gets a new one.
pub fn number(triggers: &mut [TriggerSetup]) {
    let mut next = triggers.iter().map(|one| one.id).max().unwrap_or(0) + 1;
    for at in 0..triggers.len() {
        let taken = triggers[..at].iter().any(|other| other.id == triggers[at].id);
        if triggers[at].id == 0 || taken {
            triggers[at].id = next;
            next += 1;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_trigger_gets_a_number_of_its_own_and_stays_it() {
        let of = |id| TriggerSetup { id, on: true, hold: false, trigger: Trigger::Answer(AnswerTrigger { condition: String::new() }) };
        let mut all = vec![of(0), of(4), of(4), of(0), of(2)];
        number(&mut all);
        assert_eq!(all.iter().map(|one| one.id).collect::<Vec<_>>(), [5, 4, 6, 7, 2]);
        let before = all.clone();
        number(&mut all);
        assert_eq!(all, before);
    }

    #[test]
    fn they_are_stored_by_kind_and_tell_where_they_can_not_start_anything() {
        let stored = r#"{"id":1,"on":true,"hold":false,"trigger":{"kind":"answer","condition":""}}"#;
        let read: TriggerSetup = serde_json::from_str(stored).expect("a trigger");
        assert_eq!(serde_json::to_string(&read).expect("JSON"), stored);
        assert_eq!(read.problems(&World { form: true, ..World::default() }), []);
        let problem = &read.problems(&World::default())[0];
        assert_eq!(problem.to_string(), "the records are not the answers of a form. Choose the answers of a form under Records.");
        assert!(serde_json::from_str::<TriggerSetup>(r#"{"trigger":{"kind":"answer"},"when":1}"#).is_err(), "unknown fields are refused");
    }
}
