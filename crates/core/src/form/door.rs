//! Whether a form is open.

use jiff::civil::DateTime;

use super::Form;

/// Whether answers are taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Door {
    /// They are.
    Open,
    /// Not yet: from then on.
    NotYet(DateTime),
    /// No more since then.
    Over(DateTime),
    /// As many as it takes have come.
    Full(usize),
}

impl Form {
    /// Whether it takes an answer at a moment when so many have come.
    pub fn door(&self, now: DateTime, answers: usize) -> Door {
        match (self.opens, self.closes, self.most_answers) {
            (Some(opens), _, _) if now < opens => Door::NotYet(opens),
            (_, Some(closes), _) if now >= closes => Door::Over(closes),
            (_, _, Some(most)) if answers >= most => Door::Full(most),
            _ => Door::Open,
        }
    }
}

#[cfg(test)]
mod tests {
    use jiff::civil::date;

    use super::*;

    #[test]
    fn a_form_opens_and_closes_by_date_and_by_number() {
        let (first, last) = (date(2026, 9, 1).at(8, 0, 0, 0), date(2026, 10, 15).at(0, 0, 0, 0));
        let form = Form { opens: Some(first), closes: Some(last), most_answers: Some(2), ..Form::default() };
        let on = |day: i8, answers| form.door(date(2026, 9, day).at(8, 0, 0, 0), answers);
        assert_eq!(form.door(date(2026, 9, 1).at(7, 59, 59, 0), 0), Door::NotYet(first));
        assert_eq!((on(1, 0), on(2, 1), on(2, 2)), (Door::Open, Door::Open, Door::Full(2)));
        assert_eq!(form.door(last, 0), Door::Over(last));
        assert_eq!(Form::default().door(last, 5_000), Door::Open);
    }
}
