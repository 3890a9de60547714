//! Who makes which run: one maker a run, and a pause before the next try where the machine
//! could not go on (a full disk, a store that is busy).

use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

/// The shortest and the longest pause after a fault.
const PAUSES: (Duration, Duration) = (Duration::from_secs(5), Duration::from_secs(300));

/// The makers of all runs.
#[derive(Debug, Default)]
pub struct Makers(Mutex<HashMap<i64, Maker>>);

#[derive(Debug)]
enum Maker {
    /// At work, after so many faults in a row.
    Working(u32),
    /// Pausing after a fault.
    Pausing { faults: u32, until: Instant, why: String },
}

impl Makers {
    /// Whether a maker of a run may begin; it has begun then. Not while one is at work, or
    /// pauses.
    pub fn begin(&self, run: i64) -> bool {
        self.start(run, |until| until <= Instant::now())
    }

    /// The same without waiting for a pause's end.
    pub fn begin_now(&self, run: i64) -> bool {
        self.start(run, |_| true)
    }

    fn start(&self, run: i64, over: impl FnOnce(Instant) -> bool) -> bool {
        let mut makers = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let faults = match makers.get(&run) {
            Some(Maker::Working(_)) => return false,
            Some(Maker::Pausing { until, faults, .. }) => match over(*until) {
                true => *faults,
                false => return false,
            },
            None => 0,
        };
        makers.insert(run, Maker::Working(faults));
        true
    }

    /// A maker has ended, well or with a fault of the machine.
    pub fn end(&self, run: i64, fault: Option<anyhow::Error>) {
        let mut makers = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let before = match makers.remove(&run) {
            Some(Maker::Working(faults) | Maker::Pausing { faults, .. }) => faults,
            None => 0,
        };
        if let Some(fault) = fault {
            let pause = PAUSES.0.saturating_mul(1 << before.min(10)).min(PAUSES.1);
            let until = Instant::now() + pause;
            makers.insert(run, Maker::Pausing { faults: before + 1, until, why: format!("{fault:#}") });
        }
    }

    /// Why a run does not go on for now.
    pub fn trouble(&self, run: i64) -> Option<String> {
        match self.0.lock().unwrap_or_else(PoisonError::into_inner).get(&run) {
            Some(Maker::Pausing { why, .. }) => Some(why.clone()),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_run_has_one_maker_and_pauses_after_a_fault() {
        let makers = Makers::default();
        assert!(makers.begin(1));
        assert!(!makers.begin(1) && !makers.begin_now(1), "one is at work");
        assert!(makers.begin(2), "another run is another matter");
        makers.end(1, None);
        assert!(makers.begin(1));
        makers.end(1, Some(anyhow::anyhow!("no space left on device")));
        assert_eq!(makers.trouble(1).as_deref(), Some("no space left on device"));
        assert!(!makers.begin(1), "it pauses");
        assert!(makers.begin_now(1), "a person need not wait");
        assert_eq!(makers.trouble(1), None);
        makers.end(1, None);
        assert!(makers.begin(1));
    }

    #[test]
    fn pauses_grow_up_to_five_minutes() {
        let makers = Makers::default();
        let mut pauses = Vec::new();
        for _ in 0..9 {
            assert!(makers.begin_now(7));
            makers.end(7, Some(anyhow::anyhow!("busy")));
            let makers = makers.0.lock().expect("one at a time");
            let Some(Maker::Pausing { until, .. }) = makers.get(&7) else { panic!("it pauses") };
            pauses.push(until.saturating_duration_since(Instant::now()).as_secs_f64().round() as u64);
        }
        assert_eq!(pauses, [5, 10, 20, 40, 80, 160, 300, 300, 300]);
    }
}
