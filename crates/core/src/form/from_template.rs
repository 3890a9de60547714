//! A form that asks for what a template needs.

use super::{Form, FormField, FormFieldKind};
use crate::language::{Folded, UsedAs};
use crate::template::Need;
use crate::value::Home;

/// A form with a field for each name of a template, and the names that no form can
/// ask for: lists, and fields along relations. It is in the office's language, and asks
/// for money in the currency that the template prints, else in the office's.
pub fn form_for(title: &str, needs: &[Need], home: &Home) -> (Form, Vec<String>) {
    let (mut fields, mut left) = (Vec::new(), Vec::new());
    for need in needs {
        if matches!(need.used, UsedAs::Record | UsedAs::List) || !need.within.is_empty() {
            left.push(need.name.clone());
            continue;
        }
        let kind = kind(need);
        fields.push(FormField {
            id: fields.len() as u32 + 1,
            kind,
            name: need.name.clone(),
            label: label(&need.name),
            required: matches!(kind, FormFieldKind::Email),
            currency: match kind {
                FormFieldKind::Money => need.currency.clone().unwrap_or_else(|| home.currency.to_string()),
                _ => String::new(),
            },
            ..FormField::default()
        });
    }
    let form = Form {
        title: title.to_owned(),
        locale: home.locale.tag().to_owned(),
        send: "Send".to_owned(),
        thanks: "Thank you. Your answer has arrived.".to_owned(),
        fields,
        ..Form::default()
    };
    (form, left)
}

fn kind(need: &Need) -> FormFieldKind {
    let folded = Folded::new(&need.name);
    let holds = |words: &[&str]| words.iter().any(|w| folded.as_str().contains(w));
    match need.used {
        UsedAs::YesNo => FormFieldKind::YesNo,
        UsedAs::Number => FormFieldKind::Number,
        UsedAs::Money => FormFieldKind::Money,
        UsedAs::Date => FormFieldKind::Date,
        UsedAs::Picture => FormFieldKind::Picture,
        _ if holds(&["email"]) => FormFieldKind::Email,
        _ if holds(&["phone", "mobile"]) => FormFieldKind::Telephone,
        _ => FormFieldKind::Text,
    }
}

/// A name as people write it: `first_name` is “First name”.
fn label(name: &str) -> String {
    let words = name.replace('_', " ");
    let mut signs = words.trim().chars();
    signs.next().map(|first| first.to_uppercase().chain(signs).collect()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::template::{TextTemplate, needs};
    use crate::value::{Currency, Locale};

    #[test]
    fn a_form_asks_for_what_a_template_prints() {
        let text = "[: first_name] [: arrival as date] [:if liveaboard]on board[:end] [: fee as money \"CHF\"] [: deposit as money] [: e-mail] [: mobile] [:repeat for lines][: qty][:end]";
        let template = TextTemplate::new(text);
        let home = Home { locale: Locale::parse("de-DE").expect("a locale"), currency: Currency::GBP };
        let (form, left) = form_for("Visitor berth", &needs(template.placeholders()), &home);
        let asked: Vec<_> = form.fields.iter().map(|f| (f.label.as_str(), f.kind)).collect();
        assert_eq!(
            asked,
            [
                ("First name", FormFieldKind::Text),
                ("Arrival", FormFieldKind::Date),
                ("Liveaboard", FormFieldKind::YesNo),
                ("Fee", FormFieldKind::Money),
                ("Deposit", FormFieldKind::Money),
                ("E-mail", FormFieldKind::Email),
                ("Mobile", FormFieldKind::Telephone),
            ]
        );
        assert_eq!(left, ["lines"]);
        let currencies: Vec<&str> = form.fields.iter().map(|f| f.currency.as_str()).filter(|c| !c.is_empty()).collect();
        assert_eq!((form.locale.as_str(), currencies), ("de-DE", vec!["CHF", "GBP"]));
    }
}
