//! How a locale writes dates: CLDR's own four patterns (`dateFormats`, UTS #35 part 4).
//! ICU's skeletons, of which dates are made where there are none here, put fields
//! together that no one in the locale writes so.

use std::collections::HashMap;
use std::sync::LazyLock;

use icu_calendar::{Date as IcuDate, Gregorian};
use icu_datetime::fieldsets::enums::DateFieldSet;
use icu_datetime::pattern::{DateTimePattern, FixedCalendarDateTimeNames};
use icu_locale_core::Locale as Tag;
use jiff::civil::Date;
use writeable::TryWriteable;

use super::Length;

/// Locale → its patterns, short to full; `checks/date-table.py` writes them.
static TABLE: LazyLock<HashMap<&str, [&str; 4]>> = LazyLock::new(|| {
    let row = |line: &'static str| {
        let (tag, patterns) = line.split_once('\t')?;
        Some((tag, patterns.split('\t').collect::<Vec<_>>().try_into().ok()?))
    };
    include_str!("dates.tsv").lines().filter(|line| !line.starts_with('#')).filter_map(row).collect()
});

/// A pattern with the names that it takes.
struct Form {
    pattern: DateTimePattern,
    names: FixedCalendarDateTimeNames<Gregorian, DateFieldSet>,
}

/// How a locale writes dates.
pub(super) struct DateStyle([Form; 4]);

impl DateStyle {
    /// That of a locale; `None` where CLDR's table has none for its language.
    pub fn of(tag: &Tag) -> Option<DateStyle> {
        let language = tag.id.language.as_str();
        let own = tag.id.region.and_then(|region| TABLE.get(format!("{language}-{}", region.as_str()).as_str()));
        let patterns = own.or_else(|| TABLE.get(language))?;
        let form = |pattern: &str| {
            let pattern = DateTimePattern::try_from_pattern_str(pattern).ok()?;
            let mut names = FixedCalendarDateTimeNames::try_new(tag.into()).ok()?;
            names.include_for_pattern(&pattern).ok()?;
            Some(Form { pattern, names })
        };
        let [short, medium, long, full] = *patterns;
        Some(DateStyle([form(short)?, form(medium)?, form(long)?, form(full)?]))
    }

    /// Writes a date.
    pub fn write(&self, date: Date, length: Length) -> Option<String> {
        let form = &self.0[match length {
            Length::Short => 0,
            Length::Medium => 1,
            Length::Long => 2,
            Length::Full => 3,
        }];
        let date = IcuDate::try_new_gregorian(i32::from(date.year()), date.month() as u8, date.day() as u8).ok()?;
        let formatter = form.names.with_pattern_unchecked(&form.pattern);
        let written = formatter.format(&date);
        written.try_write_to_string().ok().map(|text| text.into_owned())
    }
}

#[cfg(test)]
mod tests {
    use super::super::Locale;
    use super::*;

    #[test]
    fn dates_are_written_as_their_locale_has_them() {
        let day = Date::constant(2026, 9, 3);
        for (tag, length, expected) in [
            ("en-CA", Length::Short, "2026-09-03"),
            ("en-IE", Length::Full, "Thursday 3 September 2026"),
            ("pt-PT", Length::Full, "quinta-feira, 3 de setembro de 2026"),
            ("pl-PL", Length::Short, "3.09.2026"),
            ("lv-LV", Length::Short, "03.09.26"),
            ("de-AT", Length::Long, "3. September 2026"),
            ("ja-JP", Length::Full, "2026年9月3日木曜日"),
            // What a region does not tell is as in its language.
            ("fr-SN", Length::Medium, "3 sept. 2026"),
        ] {
            assert_eq!(Locale::parse(tag).expect(tag).date(day, length), expected, "{tag}");
        }
    }

    #[test]
    fn languages_that_reckon_otherwise_are_left_to_icu() {
        let tag = |text: &str| Tag::try_from_str(text).expect(text);
        assert!(DateStyle::of(&tag("th-TH")).is_none() && DateStyle::of(&tag("fa-IR")).is_none());
        let year = Locale::parse("th-TH").expect("Thai").date(Date::constant(2026, 9, 3), Length::Long);
        assert!(year.contains("2569"), "{year}");
    }

    #[test]
    fn every_pattern_of_the_table_can_be_written() {
        for tag in TABLE.keys() {
            let style = DateStyle::of(&Tag::try_from_str(tag).expect(tag)).unwrap_or_else(|| panic!("{tag}"));
            for length in [Length::Short, Length::Medium, Length::Long, Length::Full] {
                let text = style.write(Date::constant(2026, 12, 31), length).unwrap_or_else(|| panic!("{tag} {length:?}"));
                assert!(text.contains("31") && text.contains("26"), "{tag}: {text}");
            }
        }
    }
}
