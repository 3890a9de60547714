//! Exact numbers: rounding as OpenFormula says, and numbers out of binary cells.

use rust_decimal::{Decimal, RoundingStrategy};

/// Rounds half away from zero (OpenDocument 1.3 part 4, ROUND). Negative
/// places round before the decimal mark: `round_half_away(1234, -2)` is 1200.
pub fn round_half_away(number: Decimal, places: i32) -> Decimal {
    round_with(number, places, RoundingStrategy::MidpointAwayFromZero)
}

/// Rounds by any strategy, also to negative places.
pub fn round_with(number: Decimal, places: i32, strategy: RoundingStrategy) -> Decimal {
    if places >= 0 {
        return number.round_dp_with_strategy(places.min(28) as u32, strategy);
    }
    let Some(unit) = 10i64.checked_pow(places.unsigned_abs()).map(Decimal::from) else {
        return Decimal::ZERO;
    };
    // Next to the largest number there may be no room upwards.
    let whole = number / unit;
    let rounded = whole.round_dp_with_strategy(0, strategy).checked_mul(unit);
    rounded.or_else(|| whole.trunc().checked_mul(unit)).unwrap_or(number)
}

/// A number under calculation; nothing once a step went beyond 28 digits or
/// divided by zero. Formulas written with it read as they do on paper.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Careful(pub Option<Decimal>);

impl From<Decimal> for Careful {
    fn from(number: Decimal) -> Careful {
        Careful(Some(number))
    }
}

macro_rules! careful {
    ($($operator:ident $method:ident $checked:ident),*) => {$(
        impl<T: Into<Careful>> std::ops::$operator<T> for Careful {
            type Output = Careful;
            fn $method(self, other: T) -> Careful {
                Careful(self.0.zip(other.into().0).and_then(|(a, b)| a.$checked(b)))
            }
        }
    )*};
}

careful!(Add add checked_add, Sub sub checked_sub, Mul mul checked_mul, Div div checked_div);

/// The decimal that a spreadsheet shows for a binary cell: 15 significant
/// digits, so that a stored 0.30000000000000004 is 0.3.
/// `None` when it is not finite or beyond 28 digits.
pub fn from_binary(number: f64) -> Option<Decimal> {
    if !number.is_finite() {
        return None;
    }
    if number == number.trunc() && number.abs() < 1e15 {
        return Some(Decimal::from(number as i64));
    }
    Decimal::from_scientific(&format!("{number:.14e}")).ok().map(|d| d.normalize())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn halves_go_away_from_zero() {
        let round = |text: &str, places| round_half_away(text.parse().expect("a number"), places).to_string();
        assert_eq!(round("2.5", 0), "3");
        assert_eq!(round("-2.5", 0), "-3");
        assert_eq!(round("1.005", 2), "1.01");
        assert_eq!(round("1250", -2), "1300");
    }

    #[test]
    fn binary_cells_read_as_a_spreadsheet_shows_them() {
        assert_eq!(from_binary(0.1 + 0.2).map(|d| d.to_string()), Some("0.3".into()));
        assert_eq!(from_binary(48112.5).map(|d| d.to_string()), Some("48112.5".into()));
        assert_eq!(from_binary(f64::NAN), None);
    }

    proptest! {
        #[test]
        fn cents_survive_a_binary_cell(cents in -99_999_999_999i64..99_999_999_999) {
            let exact = Decimal::new(cents, 2);
            prop_assert_eq!(from_binary(cents as f64 / 100.0), Some(exact.normalize()));
        }
    }
}
