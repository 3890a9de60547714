//! Locales (BCP 47) and what CLDR says of them: separators, date order, words,
//! where the currency stands. Formatters are made once per locale and kept.

use std::cmp::Ordering;
use std::collections::HashMap;
use std::fmt;
use std::sync::{Arc, LazyLock, RwLock};

use fixed_decimal::Decimal as FixedDecimal;
use icu_collator::options::CollatorOptions;
use icu_collator::preferences::CollationNumericOrdering;
use icu_collator::{Collator, CollatorBorrowed, CollatorPreferences};
use icu_datetime::fieldsets::{YMD, YMDE};
use icu_datetime::input::Date as IcuDate;
use icu_datetime::{DateTimeFormatter, pattern};
use icu_decimal::DecimalFormatter;
use icu_decimal::options::{DecimalFormatterOptions, GroupingStrategy};
use icu_locale_core::Locale as Tag;
use jiff::civil::Date;
use rust_decimal::Decimal;

use super::Money;
use super::date_style::DateStyle;
use super::money_style::MoneyStyle;

/// The order in which a locale writes a date of three numbers.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DateOrder {
    /// 31/12/2026
    DayFirst,
    /// 12/31/2026
    MonthFirst,
    /// 2026/12/31
    YearFirst,
}

/// The text is not a BCP 47 language tag.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("“{0}” is not a language tag. Use a tag such as \"de-DE\".")]
pub struct UnknownLocale(pub String);

/// How long a date is written (UTS #35 date formats).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Length {
    /// 23/11/2026
    Short,
    /// 23 Nov 2026
    Medium,
    /// 23 November 2026
    Long,
    /// Monday 23 November 2026
    Full,
}

/// A language and region, with its formatters.
pub struct Locale {
    tag: Tag,
    grouped: DecimalFormatter,
    ungrouped: DecimalFormatter,
    date_style: Option<DateStyle>,
    /// For locales whose dates have no patterns of their own.
    dates: [DateTimeFormatter<YMD>; 3],
    full: DateTimeFormatter<YMDE>,
    collator: CollatorBorrowed<'static>,
    money_style: MoneyStyle,
    /// What stands before negative numbers.
    minus: String,
}

/// At most so many locales are kept; records may name any.
const KEPT: usize = 256;

static LOCALES: LazyLock<RwLock<HashMap<String, Arc<Locale>>>> = LazyLock::new(Default::default);

impl Locale {
    /// The locale of a BCP 47 tag, such as `en-GB`.
    pub fn parse(text: &str) -> Result<Arc<Locale>, UnknownLocale> {
        if let Ok(known) = LOCALES.read()
            && let Some(locale) = known.get(text)
        {
            return Ok(locale.clone());
        }
        let tag = Tag::try_from_str(&text.trim().replace('_', "-")).map_err(|_| UnknownLocale(text.to_owned()))?;
        let locale = Arc::new(Locale::load(tag).ok_or_else(|| UnknownLocale(text.to_owned()))?);
        if let Ok(mut known) = LOCALES.write()
            && known.len() < KEPT
        {
            known.insert(text.to_owned(), locale.clone());
        }
        Ok(locale)
    }

    /// British English, the default of the house.
    pub fn english() -> Arc<Locale> {
        match Locale::parse("en-GB") {
            Ok(locale) => locale,
            Err(_) => unreachable!("en-GB is in the compiled data"),
        }
    }

    fn load(tag: Tag) -> Option<Locale> {
        let decimal = |grouping| {
            let mut options = DecimalFormatterOptions::default();
            options.grouping_strategy = Some(grouping);
            DecimalFormatter::try_new((&tag).into(), options).ok()
        };
        let date = |fields| DateTimeFormatter::try_new((&tag).into(), fields).ok();
        let ungrouped = decimal(GroupingStrategy::Never)?;
        let below_zero = ungrouped.format(&FixedDecimal::from(-1)).to_string();
        let minus = below_zero.chars().take_while(|c| !c.is_numeric()).collect();
        Some(Locale {
            money_style: MoneyStyle::of(&tag),
            minus,
            grouped: decimal(GroupingStrategy::Auto)?,
            ungrouped,
            date_style: DateStyle::of(&tag),
            dates: [date(YMD::short())?, date(YMD::medium())?, date(YMD::long())?],
            full: DateTimeFormatter::try_new((&tag).into(), YMDE::long()).ok()?,
            collator: collator(&tag)?,
            tag,
        })
    }

    /// The BCP 47 tag.
    pub fn tag(&self) -> String {
        self.tag.to_string()
    }

    /// The language subtag: `nl` of `nl-NL`.
    pub fn language(&self) -> String {
        self.tag.id.language.to_string()
    }

    /// The tag for what asks CLDR itself.
    pub(super) fn preferences(&self) -> &Tag {
        &self.tag
    }

    /// The region subtag: `NL` of `nl-NL`.
    pub fn region(&self) -> Option<String> {
        self.tag.id.region.map(|r| r.to_string())
    }

    /// The order of two texts: CLDR collation, numbers within them by their
    /// value (A2 before A10), case only where nothing else differs.
    pub fn order(&self, a: &str, b: &str) -> Ordering {
        self.collator.compare(a, b)
    }

    /// A key whose bytes order as [`Locale::order`] orders texts: for many texts the
    /// cheaper way.
    pub fn sort_key(&self, text: &str) -> Vec<u8> {
        let mut key = Vec::with_capacity(text.len() * 3 + 4);
        match self.collator.write_sort_key_to(text, &mut key) {
            Ok(()) => key,
            Err(never) => match never {},
        }
    }

    /// `.` or `,`, as CLDR has it for the locale.
    pub fn decimal_mark(&self) -> char {
        let half = self.number(Decimal::new(15, 1), 1, 1, false);
        if half.contains(',') { ',' } else { '.' }
    }

    /// The order of day, month and year in a short date.
    pub fn date_order(&self) -> DateOrder {
        let sample = self.date(Date::constant(2033, 12, 31), Length::Short);
        let (day, month) = (sample.find("31"), sample.find("12"));
        let year = sample.find("2033").or_else(|| sample.find("33"));
        match (day, month, year) {
            (Some(day), Some(month), Some(year)) if year < day && year < month => DateOrder::YearFirst,
            (Some(day), Some(month), _) if month < day => DateOrder::MonthFirst,
            _ => DateOrder::DayFirst,
        }
    }

    /// Writes a number with at least `least` and at most `most` places, rounded
    /// half away from zero for the eye only.
    pub fn number(&self, number: Decimal, least: u32, most: u32, grouped: bool) -> String {
        self.whole_number(number, 1, least, most, grouped)
    }

    /// The same with at least `digits` digits before the decimal mark.
    pub fn whole_number(&self, number: Decimal, digits: u32, least: u32, most: u32, grouped: bool) -> String {
        let mut shown = super::number::round_half_away(number, most as i32).normalize();
        if shown.scale() < least {
            shown.rescale(least);
        }
        if shown.is_zero() {
            shown.set_sign_positive(true);
        }
        let Ok(mut fixed) = shown.to_string().parse::<FixedDecimal>() else {
            return shown.to_string();
        };
        fixed.pad_start(digits.min(28) as i16);
        let formatter = if grouped { &self.grouped } else { &self.ungrouped };
        formatter.format(&fixed).to_string()
    }

    /// Writes a date.
    pub fn date(&self, date: Date, length: Length) -> String {
        if let Some(written) = self.date_style.as_ref().and_then(|style| style.write(date, length)) {
            return written;
        }
        let icu = icu_date(date);
        match length {
            Length::Short => self.dates[0].format(&icu).to_string(),
            Length::Medium => self.dates[1].format(&icu).to_string(),
            Length::Long => self.dates[2].format(&icu).to_string(),
            Length::Full => self.full.format(&icu).to_string(),
        }
    }

    /// Writes a date by a UTS #35 pattern of day, month, year and weekday.
    /// `None` when the pattern can't be used.
    pub fn date_pattern(&self, moment: jiff::civil::DateTime, pattern_text: &str) -> Option<String> {
        use icu_datetime::fieldsets::enums::CompositeDateTimeFieldSet;
        let parsed = pattern::DateTimePattern::try_from_pattern_str(pattern_text).ok()?;
        let mut names =
            pattern::FixedCalendarDateTimeNames::<icu_calendar::Gregorian, CompositeDateTimeFieldSet>::try_new((&self.tag).into()).ok()?;
        let formatter = names.include_for_pattern(&parsed).ok()?;
        let time = icu_datetime::input::Time::try_new(moment.hour() as u8, moment.minute() as u8, moment.second() as u8, 0).ok()?;
        let date = icu_calendar::Date::try_new_gregorian(i32::from(moment.year()), moment.month() as u8, moment.day() as u8).ok()?;
        let input = icu_datetime::input::DateTime { date, time };
        use writeable::TryWriteable;
        formatter.format(&input).try_write_to_string().ok().map(|text| text.into_owned())
    }

    /// Writes money with its currency's places, and its sign where CLDR's standard
    /// currency pattern puts it.
    pub fn money(&self, money: Money) -> String {
        let places = money.currency.places();
        let rounded = super::number::round_half_away(money.amount, places as i32);
        let digits = self.number(rounded.abs(), places, places, true);
        match rounded.is_sign_negative() && !rounded.is_zero() {
            true => self.money_style.write(&digits, money.currency, Some(&self.minus)),
            false => self.money_style.write(&digits, money.currency, None),
        }
    }

    /// The words for yes and no.
    pub fn yes_no(&self, yes: bool) -> &'static str {
        let (y, n) = match self.language().as_str() {
            "de" => ("ja", "nein"),
            "fr" => ("oui", "non"),
            "nl" => ("ja", "nee"),
            "es" => ("sí", "no"),
            "it" => ("sì", "no"),
            "da" | "nb" | "sv" => ("ja", "nej"),
            "pl" => ("tak", "nie"),
            _ => ("yes", "no"),
        };
        if yes { y } else { n }
    }
}

impl fmt::Debug for Locale {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Locale({})", self.tag)
    }
}

fn collator(tag: &Tag) -> Option<CollatorBorrowed<'static>> {
    let mut preferences: CollatorPreferences = tag.into();
    preferences.numeric_ordering = Some(CollationNumericOrdering::True);
    Collator::try_new(preferences, CollatorOptions::default()).ok()
}

fn icu_date(date: Date) -> IcuDate<icu_calendar::Iso> {
    match IcuDate::try_new_iso(i32::from(date.year()), date.month() as u8, date.day() as u8) {
        Ok(date) => date,
        Err(_) => unreachable!("every civil date is an ISO date"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn locale(tag: &str) -> Arc<Locale> {
        Locale::parse(tag).expect(tag)
    }

    #[test]
    fn dates_read_as_the_recipient_expects() {
        let day = Date::constant(2026, 9, 30);
        assert_eq!(locale("en-GB").date(day, Length::Long), "30 September 2026");
        assert_eq!(locale("en-GB").date(day, Length::Medium), "30 Sept 2026");
        assert_eq!(locale("de-DE").date(day, Length::Long), "30. September 2026");
        assert_eq!(locale("de-DE").date(day, Length::Medium), "30.09.2026");
        assert_eq!(locale("fr-FR").date(day, Length::Long), "30 septembre 2026");
        assert_eq!(locale("nl-NL").date(day, Length::Full), "woensdag 30 september 2026");
        let moment = day.at(16, 5, 0, 0);
        assert_eq!(locale("en-GB").date_pattern(moment, "d MMMM yyyy").as_deref(), Some("30 September 2026"));
        assert_eq!(locale("de-DE").date_pattern(moment, "EEEE, d. MMM yy HH:mm").as_deref(), Some("Mittwoch, 30. Sept. 26 16:05"));
    }

    #[test]
    fn separators_come_from_the_locale() {
        assert_eq!(locale("en-GB").decimal_mark(), '.');
        assert_eq!(locale("de-DE").decimal_mark(), ',');
        assert_eq!(locale("en-GB").date_order(), DateOrder::DayFirst);
        assert_eq!(locale("en-US").date_order(), DateOrder::MonthFirst);
        assert_eq!(locale("sv-SE").date_order(), DateOrder::YearFirst);
    }

    #[test]
    fn text_is_ordered_as_the_language_has_it_and_a2_comes_before_a10() {
        let sorted = |tag: &str, mut names: Vec<&'static str>| {
            names.sort_by(|a, b| locale(tag).order(a, b));
            names.join(" ")
        };
        assert_eq!(sorted("en-GB", vec!["A10", "b1", "A2", "B2", "a1"]), "a1 A2 A10 b1 B2");
        assert_eq!(sorted("de-DE", vec!["Zander", "Ödland", "Otter", "Öse"]), "Ödland Öse Otter Zander");
        assert_eq!(sorted("sv-SE", vec!["Zander", "Ödland", "Otter"]), "Otter Zander Ödland");
    }

    #[test]
    fn rounding_is_for_the_eye_and_half_away_from_zero() {
        let number = |text: &str, least, most| locale("en-GB").number(text.parse().expect("number"), least, most, true);
        assert_eq!(number("1.005", 2, 2), "1.01");
        assert_eq!(number("48112.5", 2, 2), "48,112.50");
        assert_eq!(number("-0.001", 2, 2), "0.00");
    }
}
