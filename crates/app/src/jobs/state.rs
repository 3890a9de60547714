//! The states of runs, items, deliveries and other jobs, and what changes them. These tables are the only way
//! from one state to another: the store writes a guarded `UPDATE` from them (`store::step`), so
//! that a change which the table does not name can't happen.

/// Names the states of one table and the events that change them.
macro_rules! machine {
    (
        $(#[$doc:meta])* $table:literal $state:ident { $($(#[$state_doc:meta])* $s:ident = $word:literal),+ $(,)? }
        $(#[$event_doc:meta])* $event:ident { $($(#[$one_doc:meta])* $e:ident: $($from:ident)|+ => $to:ident),+ $(,)? }
    ) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
        pub enum $state { $($(#[$state_doc])* $s),+ }

        $(#[$event_doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
        pub enum $event { $($(#[$one_doc])* $e),+ }

        impl $state {
            /// All states.
            pub const ALL: &[$state] = &[$($state::$s),+];

            /// The state as it is stored and shown to programs.
            pub fn word(self) -> &'static str {
                match self { $($state::$s => $word),+ }
            }

            /// The state of a word.
            pub fn of(word: &str) -> Option<$state> {
                $state::ALL.iter().copied().find(|state| state.word() == word)
            }

            /// The state after an event; none where the event can't happen in this state.
            pub fn next(self, event: $event) -> Option<$state> {
                event.from().contains(&self).then(|| event.to())
            }
        }

        impl $event {
            /// All events.
            pub const ALL: &[$event] = &[$($event::$e),+];

            /// The states in which it can happen.
            pub fn from(self) -> &'static [$state] {
                match self { $($event::$e => &[$($state::$from),+]),+ }
            }

            /// The state that it leads to.
            pub fn to(self) -> $state {
                match self { $($event::$e => $state::$to),+ }
            }
        }

        impl Step for $event {
            const TABLE: &'static str = $table;

            fn leads_to(self) -> &'static str {
                self.to().word()
            }

            fn leads_from(self) -> Vec<&'static str> {
                self.from().iter().map(|state| state.word()).collect()
            }
        }
    };
}

/// An event, as the store makes an `UPDATE` of it.
pub trait Step: Copy {
    /// The table whose state it changes.
    const TABLE: &'static str;
    /// The state that it leads to.
    fn leads_to(self) -> &'static str;
    /// The states in which it can happen.
    fn leads_from(self) -> Vec<&'static str>;
}

machine! {
    /// The state of a run. That its deliveries are on hold is told by these themselves.
    "run" RunState {
        /// Its items are made and delivered.
        Running = "running",
        /// A person paused it: nothing new is begun.
        Paused = "paused",
        /// A person ended it: what was not made or delivered by then never is.
        Stopped = "stopped",
        /// Nothing is left to do.
        Done = "done",
    }
    /// What changes a run.
    RunEvent {
        /// A person pauses it.
        Pause: Running => Paused,
        /// A person lets it go on.
        Resume: Paused => Running,
        /// A person ends it.
        Stop: Running | Paused => Stopped,
        /// Nothing is left to do.
        Finish: Running => Done,
        /// A person gives it something to do again. One that is paused or stopped stays so.
        Reopen: Done => Running,
    }
}

machine! {
    /// The state of an item: of one record's documents.
    "item" ItemState {
        /// It waits to be made.
        Waiting = "waiting",
        /// It is being made, under a lease.
        Making = "making",
        /// Its documents are made.
        Made = "made",
        /// It can't be made.
        Failed = "failed",
        /// Its run was stopped before it was made.
        LeftOut = "left out",
    }
    /// What changes an item.
    ItemEvent {
        /// A maker takes it.
        Claim: Waiting => Making,
        /// The maker, or the supervisor after it, gives it back.
        LetGo: Making => Waiting,
        /// Its documents are made.
        Make: Making => Made,
        /// It can't be made.
        Fail: Waiting | Making => Failed,
        /// Its run is stopped.
        LeaveOut: Waiting => LeftOut,
        /// A person has it made again.
        Retry: Failed => Waiting,
    }
}

machine! {
    /// The state of a delivery: of one record's documents over one channel.
    "delivery" DeliveryState {
        /// It waits until its gate opens: until it is released.
        Blocked = "blocked",
        /// It waits for its turn.
        ToSend = "to send",
        /// It is being handed over; if the program ends now, nobody knows whether it arrived.
        Sending = "sending",
        /// It was taken.
        Delivered = "delivered",
        /// It was refused for good, or given up.
        Failed = "failed",
        /// Nobody knows whether it arrived: a person decides.
        Uncertain = "uncertain",
        /// It is not to be delivered any more.
        Withdrawn = "withdrawn",
        /// The channel's condition is false for the record.
        Skipped = "skipped",
    }
    /// What changes a delivery.
    DeliveryEvent {
        /// Its gate opens.
        Release: Blocked => ToSend,
        /// The step that can't be called back begins.
        Begin: ToSend => Sending,
        /// It was taken.
        Deliver: Sending => Delivered,
        /// It could not be handed over now, and certainly was not.
        PutOff: ToSend | Sending => ToSend,
        /// It was refused for good, or given up.
        Fail: ToSend | Sending => Failed,
        /// The answer is missing: it may have arrived.
        Lose: Sending => Uncertain,
        /// A person says that it arrived.
        Confirm: Uncertain => Delivered,
        /// A person has it sent again, though it may have arrived.
        SendAgain: Uncertain => ToSend,
        /// A person has a failed one sent again.
        Retry: Failed => ToSend,
        /// A person withdraws it, or stops its run.
        Withdraw: Blocked | ToSend => Withdrawn,
        /// What it wrote of a record is written anew: another delivery of it is tried again.
        Repeat: Delivered => ToSend,
        /// A person takes back what can be taken back: a share link.
        Revoke: Delivered => Withdrawn,
        /// The other side says later that it did not arrive after all.
        Return: Delivered | Uncertain => Failed,
    }
}

machine! {
    /// The state of a job beside runs: of an import or a fetch.
    "job" JobState {
        /// It waits for its turn.
        Waiting = "waiting",
        /// It is being done.
        Working = "working",
        /// It is done.
        Done = "done",
        /// A person stopped it.
        Stopped = "stopped",
        /// It can't be done.
        Failed = "failed",
    }
    /// What changes a job.
    JobEvent {
        /// It is begun.
        Claim: Waiting => Working,
        /// The end of the program interrupted it.
        LetGo: Working => Waiting,
        /// It is done.
        Finish: Working => Done,
        /// A person stops it.
        Stop: Waiting | Working => Stopped,
        /// It can't be done.
        Fail: Waiting | Working => Failed,
    }
}

machine! {
    /// The state of a firing: of one time that a trigger has something to start.
    "firing" FiringState {
        /// It is to be started.
        Due = "due",
        /// It has started a run.
        Started = "started",
        /// There was nothing to start: no record is selected, or all have their documents.
        Nothing = "nothing",
        /// Something is wrong with the set-up or with records: it waits for a person.
        Waiting = "waiting",
        /// The program did not run when it was to happen, and skipped it.
        Missed = "missed",
        /// A person, or the end of its trigger, has put it aside.
        Dismissed = "dismissed",
    }
    /// What changes a firing.
    FiringEvent {
        /// Its run begins.
        Start: Due => Started,
        /// Its run has begun without some of its records.
        Leave: Started => Waiting,
        /// There is nothing to start.
        FindNothing: Due => Nothing,
        /// Something is wrong.
        Hold: Due => Waiting,
        /// A person has it tried again.
        Retry: Waiting | Dismissed | Missed => Due,
        /// A person puts it aside.
        Dismiss: Waiting | Due => Dismissed,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn words_are_told_apart_and_read_back() {
        for state in DeliveryState::ALL {
            assert_eq!(DeliveryState::of(state.word()), Some(*state));
        }
        assert_eq!(RunState::of("going"), None);
        assert_eq!(ItemState::of("left out"), Some(ItemState::LeftOut));
    }

    #[test]
    fn every_state_but_the_first_is_reached_and_every_open_one_is_left() {
        for state in ItemState::ALL.iter().filter(|s| **s != ItemState::Waiting) {
            assert!(ItemEvent::ALL.iter().any(|e| e.to() == *state), "{state:?}");
        }
        for open in [DeliveryState::Blocked, DeliveryState::ToSend, DeliveryState::Sending, DeliveryState::Uncertain] {
            assert!(DeliveryEvent::ALL.iter().any(|e| e.from().contains(&open) && e.to() != open), "{open:?}");
        }
        for ended in [DeliveryState::Withdrawn, DeliveryState::Skipped] {
            assert!(DeliveryEvent::ALL.iter().all(|e| ended.next(*e).is_none()), "{ended:?} is left");
        }
        assert!(DeliveryEvent::ALL.iter().all(|e| [DeliveryEvent::Revoke, DeliveryEvent::Repeat, DeliveryEvent::Return].contains(e)
            || DeliveryState::Delivered.next(*e).is_none()));
        assert!(RunEvent::ALL.iter().all(|e| RunState::Stopped.next(*e).is_none()));
    }

    #[test]
    fn a_job_ends_once() {
        for ended in [JobState::Done, JobState::Stopped, JobState::Failed] {
            assert!(JobEvent::ALL.iter().all(|e| ended.next(*e).is_none()), "{ended:?} is left");
            assert!(JobEvent::ALL.iter().any(|e| JobState::Working.next(*e) == Some(ended)));
        }
        assert_eq!(JobState::Waiting.next(JobEvent::Finish), None, "nobody did it");
    }

    #[test]
    fn a_firing_starts_while_it_is_due_and_what_started_or_found_nothing_is_over() {
        for state in FiringState::ALL {
            assert_eq!(state.next(FiringEvent::Start).is_some(), *state == FiringState::Due, "{state:?}");
        }
        assert!(FiringEvent::ALL.iter().all(|e| FiringState::Nothing.next(*e).is_none()));
        // A person tries again what waits, was missed or put aside, and nothing else.
        for state in FiringState::ALL {
            let again = [FiringState::Waiting, FiringState::Missed, FiringState::Dismissed].contains(state);
            assert_eq!(state.next(FiringEvent::Retry).is_some(), again, "{state:?}");
        }
    }

    proptest! {
        #[test]
        fn nothing_is_sent_that_was_not_due_and_doubt_ends_by_a_person_or_by_what_comes_back(
            from in prop::sample::select(DeliveryState::ALL),
            order in prop::collection::vec(prop::sample::select(DeliveryEvent::ALL), 0..30),
        ) {
            let mut state = from;
            for event in order {
                let Some(next) = state.next(event) else { continue };
                prop_assert!(next != DeliveryState::Sending || state == DeliveryState::ToSend);
                prop_assert!(next != DeliveryState::Delivered || state == DeliveryState::Sending || event == DeliveryEvent::Confirm);
                prop_assert!(state != DeliveryState::Uncertain || matches!(event, DeliveryEvent::Confirm | DeliveryEvent::SendAgain | DeliveryEvent::Return));
                prop_assert!(state != DeliveryState::Delivered || matches!(event, DeliveryEvent::Revoke | DeliveryEvent::Repeat | DeliveryEvent::Return));
                state = next;
            }
        }

        #[test]
        fn an_item_is_made_once_and_only_while_it_is_claimed(order in prop::collection::vec(prop::sample::select(ItemEvent::ALL), 0..30)) {
            let mut state = ItemState::Waiting;
            let mut made = 0;
            for event in order {
                let Some(next) = state.next(event) else { continue };
                if next == ItemState::Made {
                    prop_assert_eq!(state, ItemState::Making);
                    made += 1;
                }
                state = next;
            }
            prop_assert!(made <= 1);
        }
    }
}
