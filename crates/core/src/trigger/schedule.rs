//! Starts runs at times: each day, on days of the week or the month, or by a cron expression.
//! What is set in words is a cron expression, too: one calendar works them all out.

use std::str::FromStr;

use croner::Cron;
use jiff::Zoned;
use jiff::civil::Time;
use serde::{Deserialize, Serialize};

use super::{Covers, Settings, World};
use crate::diagnostic::Diagnostic;

/// The settings of the trigger of times.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct ScheduleTrigger {
    /// On which days.
    pub every: Every,
    /// At what time of the day, by the office's time zone: `08:00`. A cron expression has its own.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub time: String,
    /// What becomes of a time at which the program did not run.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub missed: Missed,
}

/// On which days.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(tag = "unit", rename_all = "kebab-case", deny_unknown_fields)]
pub enum Every {
    /// Each day.
    Day {},
    /// Days of the week.
    Week {
        /// Which; at least one.
        days: Vec<Weekday>,
    },
    /// A day of the month.
    Month {
        /// Which, from 1 to 28; none for the last.
        day: Option<u8>,
    },
    /// The times of a cron expression: minute, hour, day of the month, month, day of the week.
    Cron {
        /// The expression: `0 8 1 */3 *`.
        expression: String,
    },
}

/// A day of the week.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum Weekday {
    Monday = 1,
    Tuesday,
    Wednesday,
    Thursday,
    Friday,
    Saturday,
    Sunday,
}

/// What becomes of times at which the program did not run.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Missed {
    /// The run is started as soon as the program runs again, once for all that were missed.
    #[default]
    CatchUp,
    /// They are skipped.
    Skip,
}

/// The last day of a month that every month has.
const LAST_SURE: u8 = 28;

impl ScheduleTrigger {
    /// Its cron expression; what is wrong with the settings otherwise.
    fn cron(&self) -> Result<Cron, Box<Diagnostic>> {
        let wrong = |code: &'static str, message: &str| Err(Box::new(Diagnostic::error(code, message)));
        let days = match &self.every {
            Every::Cron { expression } => {
                let text = expression.trim();
                let fields = text.split_whitespace().count();
                if fields != 5 && !text.starts_with('@') {
                    let message =
                        "a cron expression has five parts: minute, hour, day of the month, month, day of the week. Example: 0 8 1 * *";
                    return Err(Box::new(Diagnostic::error("cron", message).within(text)));
                }
                return Cron::from_str(text).map_err(|error| {
                    let what = error.to_string();
                    Box::new(
                        Diagnostic::error("cron", format!("the cron expression can't be used: {}", what.trim_end_matches('.')))
                            .within(text),
                    )
                });
            }
            Every::Day {} => "* * *".to_owned(),
            Every::Week { days } if days.is_empty() => return wrong("no-day", "no day of the week. Choose at least one."),
            Every::Week { days } => format!("* * {}", days.iter().map(|day| (*day as u8).to_string()).collect::<Vec<_>>().join(",")),
            Every::Month { day: None } => "L * *".to_owned(),
            Every::Month { day: Some(day @ 1..=LAST_SURE) } => format!("{day} * *"),
            Every::Month { .. } => return wrong("no-day", "choose a day of the month from 1 to 28, or the last day"),
        };
        let Ok(time) = Time::strptime("%H:%M", self.time.trim()) else {
            return wrong("time", "no time of the day. Enter one like 08:00.");
        };
        let expression = format!("{} {} {days}", time.minute(), time.hour());
        Cron::from_str(&expression).map_err(|error| Box::new(Diagnostic::error("cron", error.to_string())))
    }

    /// The next time after a moment, by the clock of the moment's time zone. A time that the
    /// clocks skip comes as soon as they have; one that they show twice comes once.
    pub fn next(&self, after: &Zoned) -> Option<Zoned> {
        self.cron().ok()?.find_next_occurrence(after, false).ok()
    }

    /// The next times after a moment.
    pub fn next_times(&self, after: &Zoned, count: usize) -> Vec<Zoned> {
        std::iter::successors(self.next(after), |last| self.next(last)).take(count).collect()
    }
}

impl Settings for ScheduleTrigger {
    fn problems(&self, _world: &World) -> Vec<Diagnostic> {
        self.cron().err().map(|problem| *problem).into_iter().collect()
    }

    fn words(&self) -> String {
        let time = self.time.trim();
        match &self.every {
            Every::Day {} => format!("every day at {time}"),
            Every::Week { days } => {
                let mut days = days.clone();
                days.sort();
                days.dedup();
                let names: Vec<String> = days.iter().map(|day| format!("{day:?}")).collect();
                match names.split_last() {
                    Some((last, [])) => format!("every {last} at {time}"),
                    Some((last, rest)) => format!("every {} and {last} at {time}", rest.join(", ")),
                    None => format!("every week at {time}"),
                }
            }
            Every::Month { day: Some(day) } => format!("on day {day} of every month at {time}"),
            Every::Month { day: None } => format!("on the last day of every month at {time}"),
            Every::Cron { expression } => format!("at the times of {}", expression.trim()),
        }
    }

    fn covers(&self) -> Covers {
        Covers::All
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(text: &str, zone: &str) -> Zoned {
        text.parse::<jiff::civil::DateTime>().expect("a moment").in_tz(zone).expect("a zone")
    }

    fn times(every: Every, time: &str, after: &str, zone: &str) -> Vec<String> {
        let own = ScheduleTrigger { every, time: time.into(), missed: Missed::CatchUp };
        assert_eq!(own.problems(&World::default()), []);
        own.next_times(&at(after, zone), 3).iter().map(|one| one.strftime("%Y-%m-%d %H:%M %:z").to_string()).collect()
    }

    #[test]
    fn days_weeks_months_and_cron_expressions_give_their_next_times() {
        let zone = "Europe/Amsterdam";
        let day = times(Every::Day {}, "08:00", "2026-11-23T09:42", zone);
        assert_eq!(day, ["2026-11-24 08:00 +01:00", "2026-11-25 08:00 +01:00", "2026-11-26 08:00 +01:00"]);
        let week = times(Every::Week { days: vec![Weekday::Thursday, Weekday::Monday] }, "16:30", "2026-11-23T09:42", zone);
        assert_eq!(week, ["2026-11-23 16:30 +01:00", "2026-11-26 16:30 +01:00", "2026-11-30 16:30 +01:00"]);
        let last = times(Every::Month { day: None }, "07:05", "2026-11-30T08:00", zone);
        assert_eq!(last, ["2026-12-31 07:05 +01:00", "2027-01-31 07:05 +01:00", "2027-02-28 07:05 +01:00"]);
        let quarter = times(Every::Cron { expression: "0 8 1 */3 *".into() }, "", "2026-11-23T09:42", zone);
        assert_eq!(quarter, ["2027-01-01 08:00 +01:00", "2027-04-01 08:00 +02:00", "2027-07-01 08:00 +02:00"]);
    }

    #[test]
    fn a_time_that_the_clocks_skip_or_repeat_comes_once() {
        let zone = "Europe/Amsterdam";
        // On 29 March 2026 the clocks go from 02:00 to 03:00, on 25 October from 03:00 to 02:00.
        let spring = times(Every::Day {}, "02:30", "2026-03-28T12:00", zone);
        assert_eq!(spring, ["2026-03-29 03:00 +02:00", "2026-03-30 02:30 +02:00", "2026-03-31 02:30 +02:00"]);
        let autumn = times(Every::Day {}, "02:30", "2026-10-24T12:00", zone);
        assert_eq!(autumn, ["2026-10-25 02:30 +02:00", "2026-10-26 02:30 +01:00", "2026-10-27 02:30 +01:00"]);
    }

    #[test]
    fn it_reads_in_words_and_says_what_is_wrong() {
        let own = |every, time: &str| ScheduleTrigger { every, time: time.into(), missed: Missed::Skip };
        let week = own(Every::Week { days: vec![Weekday::Friday, Weekday::Monday, Weekday::Friday] }, "08:00");
        assert_eq!(week.words(), "every Monday and Friday at 08:00");
        assert_eq!(own(Every::Month { day: Some(1) }, "08:00").words(), "on day 1 of every month at 08:00");
        let wrong = |every, time: &str| own(every, time).problems(&World::default()).first().expect("a problem").to_string();
        assert_eq!(wrong(Every::Day {}, "8 o'clock"), "no time of the day. Enter one like 08:00.");
        assert_eq!(wrong(Every::Week { days: vec![] }, "08:00"), "no day of the week. Choose at least one.");
        assert!(wrong(Every::Month { day: Some(31) }, "08:00").starts_with("choose a day of the month from 1 to 28"));
        assert!(wrong(Every::Cron { expression: "8 o'clock".into() }, "").contains("has five parts"));
        assert!(wrong(Every::Cron { expression: "61 8 * * *".into() }, "").contains("can't be used"));
        assert_eq!(own(Every::Cron { expression: "61 8 * * *".into() }, "").next(&at("2026-11-23T09:42", "UTC")), None);
    }
}
