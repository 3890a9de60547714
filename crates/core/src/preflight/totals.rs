//! What a run comes to: documents, deliveries, sums; compared with the run before.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::sync::Arc;

use rust_decimal::Decimal;
use serde::Serialize;

use super::Summary;
use crate::dispatch::Plan;
use crate::language::Folded;
use crate::records::{ColumnType, Record, Schema};
use crate::value::{Locale, Money, Value};
use crate::words::{counted, grouped};

/// What a run comes to.
#[derive(Debug, Clone, PartialEq, Serialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Totals {
    /// How many documents.
    pub documents: usize,
    /// How many pages; none where nobody counted.
    pub pages: Option<usize>,
    /// Whether the pages are an estimate by some of the documents.
    pub estimated: bool,
    /// What each channel delivers.
    pub deliveries: Vec<ChannelTotal>,
    /// The sums of the amounts.
    pub sums: Vec<Sum>,
}

/// What a channel delivers.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ChannelTotal {
    /// What it is called.
    pub name: String,
    /// How many deliveries.
    pub count: usize,
    /// To how many different recipients or places.
    pub recipients: usize,
}

/// The sum of a column's amounts in one currency.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Sum {
    /// The column.
    pub column: String,
    /// The sum as it is written.
    pub text: String,
    #[serde(skip)]
    amount: Decimal,
}

impl Totals {
    /// What the channels of a plan deliver for records.
    pub fn of(plan: &Plan, summaries: &[Summary]) -> Totals {
        let of = |index: usize, name: &str| {
            let own = summaries.iter().flat_map(|one| &one.goes_to).filter(|(channel, _)| *channel == index);
            let recipients: HashSet<String> = own.clone().map(|(_, to)| to.to_lowercase()).collect();
            ChannelTotal { name: name.to_owned(), count: own.count(), recipients: recipients.len() }
        };
        let deliveries = plan.channels.iter().map(|channel| of(channel.index, &channel.name)).collect();
        Totals { documents: summaries.len(), deliveries, ..Totals::default() }
    }

    /// With the sums of some columns of money.
    pub fn with_sums<'a>(
        mut self,
        schema: &Schema,
        wanted: &HashSet<Folded>,
        records: impl Iterator<Item = &'a Record>,
        locale: &Arc<Locale>,
    ) -> Totals {
        let columns: Vec<(usize, &str)> = schema
            .columns()
            .iter()
            .enumerate()
            .filter(|(_, column)| matches!(column.kind, ColumnType::Money(_)) && wanted.contains(&Folded::new(&column.name)))
            .map(|(at, column)| (at, column.name.as_str()))
            .collect();
        let mut sums: BTreeMap<(usize, String), Money> = BTreeMap::new();
        for record in records {
            for (at, _) in &columns {
                if let Some(Value::Money(money)) = record.values().get(*at) {
                    let sum = sums.entry((*at, money.currency.code().to_owned())).or_insert(Money { amount: Decimal::ZERO, ..*money });
                    // A sum beyond all numbers is told as far as it goes.
                    sum.amount = sum.amount.checked_add(money.amount).unwrap_or(sum.amount);
                }
            }
        }
        let name = |at: usize| columns.iter().find(|(own, _)| *own == at).map(|(_, name)| (*name).to_owned()).unwrap_or_default();
        self.sums = sums.into_iter().map(|((at, _), sum)| Sum { column: name(at), text: locale.money(sum), amount: sum.amount }).collect();
        self
    }

    /// How far these are from those of the run before, a sentence each; nothing where they are of
    /// about the same size.
    pub fn far_from(&self, last: &Totals) -> Vec<String> {
        let mut found = Vec::new();
        let far = |now: f64, before: f64| before > 0.0 && now >= 0.0 && (now > before * FAR || now * FAR < before);
        if far(self.documents as f64, last.documents as f64) {
            found.push(format!("{} (last run: {})", counted(self.documents, "document", "documents"), grouped(last.documents)));
        }
        if let (Some(now), Some(before)) = (self.pages, last.pages)
            && self.documents > 0
            && last.documents > 0
            && far(now as f64 / self.documents as f64, before as f64 / last.documents as f64)
        {
            let each = |pages: usize, documents: usize| format!("{:.1}", pages as f64 / documents as f64);
            let (now, before) = (each(now, self.documents), each(before, last.documents));
            found.push(format!("{now} pages a document (last run: {before})"));
        }
        let named: BTreeSet<&str> = self.deliveries.iter().map(|one| one.name.as_str()).collect();
        for name in named {
            let of = |totals: &Totals| totals.deliveries.iter().find(|one| one.name == name).map(|one| one.count);
            if let (Some(now), Some(before)) = (of(self), of(last))
                && far(now as f64, before as f64)
            {
                found.push(format!("{} over “{name}” (last run: {})", counted(now, "delivery", "deliveries"), grouped(before)));
            }
        }
        for sum in &self.sums {
            let before = last.sums.iter().find(|own| own.column == sum.column && own.text.chars().any(|c| c.is_ascii_digit()));
            let number = |amount: Decimal| f64::try_from(amount).unwrap_or_default();
            if let Some(before) = before.filter(|before| far(number(sum.amount), number(before.amount))) {
                found.push(format!("“{}” comes to {} (last run: {})", sum.column, sum.text, before.text));
            }
        }
        found
    }
}

/// By how many times totals may grow or shrink from one run to the next without a word.
const FAR: f64 = 1.5;

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dispatch::Setup;
    use crate::records::Column;
    use crate::value::Currency;

    fn summary(record: usize, to: &str) -> Summary {
        Summary { record, file_name: format!("{record}"), goes_to: vec![(0, to.into())] }
    }

    #[test]
    fn totals_are_counted_and_compared_with_the_last_run() {
        let json =
            serde_json::json!({ "channels": [{ "channel": { "kind": "email", "to": "x@quay.example", "subject": "s", "body": "b" } }] });
        let setup: Setup = serde_json::from_value(json).expect("a set-up");
        let plan = Plan::new(&setup);
        let schema = Schema::new(vec![Column::new("Balance", ColumnType::Money(Currency::EUR))]).expect("columns");
        let schema = Arc::new(schema);
        let record = |row: usize, cents: i64| {
            let money = Money { amount: Decimal::new(cents, 2), currency: Currency::EUR };
            Record::new(schema.clone(), vec![Value::Money(money)], row)
        };
        let records = [record(1, 48_050), record(2, 1_950), record(3, 500)];
        let wanted: HashSet<Folded> = [Folded::new("Balance")].into();
        let of = |to: &[&str]| {
            let all: Vec<Summary> = to.iter().enumerate().map(|(at, to)| summary(at + 1, to)).collect();
            Totals::of(&plan, &all).with_sums(&schema, &wanted, records.iter().take(to.len()), &Locale::english())
        };
        let now = of(&["ida@quay.example", "Ida@quay.example", "jon@quay.example"]);
        assert_eq!((now.documents, now.deliveries[0].count, now.deliveries[0].recipients), (3, 3, 2));
        assert_eq!(now.sums.iter().map(|sum| sum.text.as_str()).collect::<Vec<_>>(), ["€505.00"]);
        assert!(now.far_from(&now).is_empty());
        let far = now.far_from(&of(&["ida@quay.example"]));
        assert_eq!(far[0], "3 documents (last run: 1)");
        assert_eq!(far[1], "3 deliveries over “E-mail” (last run: 1)");
        assert_eq!(of(&["ida@quay.example"]).far_from(&now).len(), 2, "fewer are far, too: {far:?}");
        let long = Totals { pages: Some(12), ..now.clone() };
        let usual = Totals { pages: Some(3), ..now };
        assert_eq!(long.far_from(&usual), ["4.0 pages a document (last run: 1.0)"]);
    }
}
