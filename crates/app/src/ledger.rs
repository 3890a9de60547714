//! The ledger: how many documents, pages, deliveries and failures there were, by day, week or month
//! of the office's calendar, and by dispatch, template or channel.

use std::collections::BTreeMap;

use jiff::civil::{Date, DateTime};
use jiff::{Span, ToSpan};
use serde::{Deserialize, Serialize};

use crate::store::dispatches;
use crate::store::ledger::{self, Counted, FailureCount, What};
use crate::transfer::Download;
use crate::{App, Error, Outcome, clock};

/// The longest time that is told of, in days.
const LONGEST: i32 = 3_660;
/// How many reasons of failures are told.
const REASONS: usize = 3;

/// What the ledger is asked.
#[derive(Debug, Clone, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::IntoParams))]
pub struct LedgerQuery {
    /// The first day: `2026-11-01`. The first of this month where it is blank.
    #[serde(default)]
    pub from: String,
    /// The last day; today where it is blank.
    #[serde(default)]
    pub to: String,
    /// day, week (from Monday) or month.
    #[serde(default)]
    pub by: Period,
    /// dispatch, template or channel.
    #[serde(default)]
    pub of: Dimension,
}

/// What is added up over time.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Period {
    /// A day.
    #[default]
    Day,
    /// A week, from Monday (ISO 8601).
    Week,
    /// A month.
    Month,
}

impl Period {
    /// The first day of the period of a day.
    fn of(self, day: Date) -> Date {
        match self {
            Period::Day => day,
            Period::Week => day.saturating_sub(i64::from(day.weekday().to_monday_zero_offset()).days()),
            Period::Month => day.first_of_month(),
        }
    }

    /// The first day of the next one.
    fn next(self, day: Date) -> Date {
        day.saturating_add(match self {
            Period::Day => Span::new().days(1),
            Period::Week => Span::new().weeks(1),
            Period::Month => Span::new().months(1),
        })
    }
}

/// What is added up apart.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Dimension {
    /// Each dispatch.
    #[default]
    Dispatch,
    /// Each template.
    Template,
    /// Each kind of channel: deliveries and failures.
    Channel,
}

/// Numbers of a time.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Figures {
    /// Records' documents.
    pub documents: usize,
    /// Their pages.
    pub pages: usize,
    /// Deliveries that arrived.
    pub delivered: usize,
    /// Documents and deliveries that failed.
    pub failed: usize,
    /// Proofs, which count nowhere else.
    pub proofs: usize,
    /// How long the documents took to make, in milliseconds.
    pub took: u64,
}

impl Figures {
    fn add(&mut self, one: &Counted) {
        match one.what {
            What::Documents => {
                self.documents += one.count;
                self.pages += one.pages;
                self.took += one.took;
            }
            What::Proofs => self.proofs += one.count,
            What::Delivered => self.delivered += one.count,
            What::Failed => self.failed += one.count,
        }
    }
}

/// What is added up over the whole time.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct LedgerRow {
    /// The dispatch's key, the template's name, or the word of the channel's kind.
    pub key: String,
    /// What it is called.
    pub name: String,
    /// Its numbers.
    #[serde(flatten)]
    pub figures: Figures,
    /// How many documents of this month are meant to be made at most; none for no limit.
    pub monthly_limit: Option<u32>,
    /// How many of this month there are, where there is a limit.
    pub this_month: Option<usize>,
}

/// What is added up over a day, a week or a month.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct LedgerPeriod {
    /// Its first day.
    pub begins: String,
    /// Its numbers.
    #[serde(flatten)]
    pub figures: Figures,
}

/// The ledger of a time.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Ledger {
    /// Its first day.
    pub from: String,
    /// Its last day.
    pub to: String,
    /// Today, by the office's calendar.
    pub today: String,
    /// All of it.
    pub all: Figures,
    /// Each day, week or month, those without anything among them.
    pub periods: Vec<LedgerPeriod>,
    /// Each dispatch, template or channel, the one with the most first.
    pub rows: Vec<LedgerRow>,
    /// Why most failed.
    pub failures: Vec<FailureCount>,
}

/// The moment (UTC) at which the office's month began.
pub(crate) fn month_begins(app: &App) -> String {
    begins(app, app.now().date().first_of_month())
}

fn begins(app: &App, day: Date) -> String {
    clock::utc(day.at(0, 0, 0, 0), &app.zone()).to_string()
}

fn day(text: &str, usual: Date) -> Outcome<Date> {
    let wrong = |_| Error::unusable("day", format!("“{text}” is not a date. Use the format 2026-11-01."));
    if text.trim().is_empty() { Ok(usual) } else { text.trim().parse().map_err(wrong) }
}

/// Which is added up apart: its key and its name.
fn part(of: Dimension, one: &Counted) -> Option<(String, String)> {
    match of {
        Dimension::Dispatch => Some(one.dispatch.clone()),
        Dimension::Template => Some((one.template.clone(), one.template.clone())),
        Dimension::Channel if one.channel.is_empty() => None,
        Dimension::Channel => Some((one.channel.clone(), name_of(&one.channel))),
    }
}

fn name_of(kind: &str) -> String {
    mangle_core::channel::name_of(kind).unwrap_or(kind).to_owned()
}

/// The ledger of a time.
pub async fn ledger(app: &App, query: LedgerQuery) -> Outcome<Ledger> {
    let today = app.now().date();
    let (from, to) = (day(&query.from, today.first_of_month())?, day(&query.to, today)?);
    if to < from {
        return Err(Error::unusable("days", "the last day is before the first. Change one of them."));
    }
    if (to - from).get_days() > LONGEST {
        return Err(Error::unusable("days", "choose at most ten years"));
    }
    let (first, last, month) = (begins(app, from), begins(app, Period::Day.next(to)), month_begins(app));
    let found = app.store.read(move |c| -> anyhow::Result<_> {
        let mut limits = BTreeMap::new();
        for dispatch in dispatches::list(c)? {
            if let Some(monthly_limit) = dispatch.setup.monthly_limit {
                limits.insert(dispatch.key.clone(), (monthly_limit, ledger::made_since(c, &dispatch.key, &month)?));
            }
        }
        Ok((ledger::counts(c, &first, &last)?, ledger::failures(c, &first, &last, REASONS)?, limits))
    });
    let (counts, failures, limits) = found.await?;
    let zone = app.zone();
    let (mut all, mut rows, mut periods) = (Figures::default(), BTreeMap::<String, LedgerRow>::new(), BTreeMap::new());
    let mut begins = query.by.of(from);
    while begins <= to {
        periods.insert(begins, Figures::default());
        begins = query.by.next(begins);
    }
    for one in &counts {
        let Ok(moment) = format!("{}0:00", one.at).parse::<DateTime>() else { continue };
        all.add(one);
        periods.entry(query.by.of(clock::local(moment, &zone).date())).or_default().add(one);
        if let Some((key, name)) = part(query.of, one) {
            let (monthly_limit, this_month) = limits.get(&key).filter(|_| query.of == Dimension::Dispatch).copied().unzip();
            let row = LedgerRow { key: key.clone(), name, figures: Figures::default(), monthly_limit, this_month };
            rows.entry(key).or_insert(row).figures.add(one);
        }
    }
    let mut rows: Vec<LedgerRow> = rows.into_values().collect();
    rows.sort_by_key(|row| std::cmp::Reverse((row.figures.documents, row.figures.delivered, row.figures.proofs)));
    let periods = periods.into_iter().map(|(day, figures)| LedgerPeriod { begins: day.to_string(), figures }).collect();
    Ok(Ledger { from: from.to_string(), to: to.to_string(), today: today.to_string(), all, periods, rows, failures })
}

/// What of the ledger is handed out as a table.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum LedgerTable {
    /// By time.
    #[default]
    Periods,
    /// By dispatch, template or channel.
    Rows,
}

/// The ledger as CSV (RFC 4180).
pub async fn csv(app: &App, query: LedgerQuery, table: LedgerTable) -> Outcome<Download> {
    let found = ledger(app, query.clone()).await?;
    let first = match (table, query.of) {
        (LedgerTable::Periods, _) => "Begins",
        (_, Dimension::Dispatch) => "Dispatch",
        (_, Dimension::Template) => "Template",
        (_, Dimension::Channel) => "Channel",
    };
    let head = [first, "Documents", "Pages", "Delivered", "Failed", "Proofs", "Seconds"].map(str::to_owned).to_vec();
    let line = |name: String, figures: &Figures| {
        let seconds = format!("{}.{:03}", figures.took / 1_000, figures.took % 1_000);
        let numbers = [figures.documents, figures.pages, figures.delivered, figures.failed, figures.proofs];
        std::iter::once(name).chain(numbers.map(|own| own.to_string())).chain([seconds]).collect()
    };
    let mut lines = vec![head];
    match table {
        LedgerTable::Periods => lines.extend(found.periods.into_iter().map(|own| line(own.begins, &own.figures))),
        LedgerTable::Rows => lines.extend(found.rows.into_iter().map(|own| line(own.name, &own.figures))),
    }
    let bytes = mangle_documents::table::csv(&lines).map_err(anyhow::Error::new)?;
    Ok(Download::new("text/csv; charset=utf-8", &format!("Ledger {} to {}.csv", found.from, found.to), bytes))
}
