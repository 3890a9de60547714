//! Whether the printed lines of a repeat add up to the sum printed beside them.
//!
//! A sum is known by its value: it is exactly what the values of a line's
//! placeholder add up to. Both are read back from what was printed.

use std::collections::HashMap;

use rust_decimal::Decimal;

use crate::language::{Uneven, Weighed};

/// The numbers that a part printed for one record.
#[derive(Debug, Default)]
pub(super) struct Sums {
    printed: Vec<(usize, Vec<usize>, Weighed)>,
}

/// Values that differ only by what division leaves off are the same.
const SAME: u32 = 12;

#[derive(Clone, Copy, Default)]
struct Added {
    count: usize,
    exact: Decimal,
    printed: Decimal,
}

impl Sums {
    /// A placeholder printed a number in a turn.
    pub fn add(&mut self, site: usize, turns: Vec<usize>, weighed: Weighed) {
        self.printed.push((site, turns, weighed));
    }

    /// Amounts outside of lists that are printed once so and once so: with the same places,
    /// and apart by no more than five of the last.
    pub fn close(&self, name: impl Fn(usize) -> String) -> Vec<(String, String)> {
        let alone: Vec<(usize, Decimal)> =
            self.printed.iter().filter(|(_, turns, _)| turns.is_empty()).map(|(site, _, weighed)| (*site, weighed.printed)).collect();
        let mut found = Vec::new();
        for (at, (one, first)) in alone.iter().enumerate() {
            for (other, second) in &alone[at + 1..] {
                let apart = (first - second).abs();
                let cents = first.scale() == 2 && second.scale() == 2 && apart <= Decimal::new(5, 2) && first.abs() >= Decimal::TEN;
                let pair = (name(*one), name(*other));
                if cents && !apart.is_zero() && !found.contains(&pair) {
                    found.push(pair);
                }
            }
        }
        found
    }

    /// The sums that their lines don't add up to; `name` gives a placeholder's text.
    pub fn uneven(&self, name: impl Fn(usize) -> String) -> Vec<Uneven> {
        // What each placeholder's lines add up to under each turn around them.
        let mut added: HashMap<&[usize], Vec<(usize, Added)>> = HashMap::new();
        for (site, turns, weighed) in &self.printed {
            for depth in 0..turns.len() {
                let of = added.entry(&turns[..depth]).or_default();
                let at = of.iter().position(|(own, _)| own == site).unwrap_or_else(|| {
                    of.push((*site, Added::default()));
                    of.len() - 1
                });
                let sum = &mut of[at].1;
                sum.count += 1;
                sum.exact = sum.exact.saturating_add(weighed.exact);
                sum.printed = sum.printed.saturating_add(weighed.printed);
            }
        }
        let mut found: Vec<(usize, usize)> = Vec::new();
        let mut uneven = Vec::new();
        for (site, turns, weighed) in &self.printed {
            for (lines, sum) in added.get(&turns[..]).into_iter().flatten() {
                let is_sum =
                    sum.count > 1 && !sum.exact.is_zero() && sum.exact.round_dp(SAME) == weighed.exact.round_dp(SAME) && lines != site;
                if is_sum && sum.printed != weighed.printed && !found.contains(&(*site, *lines)) {
                    found.push((*site, *lines));
                    uneven.push(Uneven { sum: name(*site), lines: name(*lines), printed: weighed.printed, added: sum.printed });
                }
            }
        }
        uneven
    }
}
