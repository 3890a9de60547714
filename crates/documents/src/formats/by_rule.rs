//! Several templates as one: each record takes that of the first rule whose condition is true.

use std::sync::Arc;

use mangle_core::diagnostic::Diagnostic;
use mangle_core::dispatch::{Otherwise, Question};
use mangle_core::language::{EvalError, Fault, Scope, Span};
use mangle_core::template::{Condition, FillError, Outline, Place, Placeholder, Traced, Way};

use super::{EditError, Filled, MakeError, Means, PageNotes, Template, TracedFill, page_notes_of, questions_of};
use crate::OpenError;
use crate::bound::Bound;
use crate::layout::Typesetter;

/// A rule: a condition, none where it can't be read and is never true; and the template of the
/// records for which it is true, none where they have no document.
pub type Rule = (Option<Condition>, Option<Arc<dyn Template>>);

/// Templates by rule.
#[derive(Debug)]
pub struct ByRule {
    rules: Vec<Rule>,
    last: Arc<dyn Template>,
    otherwise: Otherwise,
    /// The placeholders of the conditions, then those of each template.
    placeholders: Vec<Placeholder>,
    problems: Vec<Diagnostic>,
}

/// A document of one of the templates.
#[derive(Debug)]
struct Picked {
    /// Which: the rule's place, or behind the last.
    at: usize,
    filled: Filled,
}

impl ByRule {
    /// Templates by rules, tried in their order; what becomes of records that none takes, and the
    /// template for them.
    pub fn new(rules: Vec<Rule>, last: Arc<dyn Template>, otherwise: Otherwise) -> ByRule {
        let texts = || rules.iter().filter_map(|(condition, _)| condition.as_ref()).map(Condition::text);
        let mut placeholders: Vec<Placeholder> = texts().flat_map(|text| text.placeholders().iter().cloned()).collect();
        let mut problems: Vec<Diagnostic> = texts().flat_map(|text| text.problems().to_vec()).collect();
        let own = ByRule { rules, last, otherwise, placeholders: Vec::new(), problems: Vec::new() };
        for template in own.templates() {
            placeholders.extend(template.placeholders().iter().cloned());
            problems.extend(template.problems().iter().cloned());
        }
        ByRule { placeholders, problems, ..own }
    }

    /// The same with what is wrong with its rules besides.
    pub fn with_problems(mut self, problems: Vec<Diagnostic>) -> ByRule {
        self.problems.extend(problems);
        self
    }

    /// Its templates in the order of the rules, that for all others last.
    fn templates(&self) -> impl Iterator<Item = &Arc<dyn Template>> {
        let last = (self.otherwise == Otherwise::Template).then_some(&self.last);
        self.rules.iter().filter_map(|(_, template)| template.as_ref()).chain(last)
    }

    fn template(&self, at: usize) -> Option<&Arc<dyn Template>> {
        match self.rules.get(at) {
            Some((_, template)) => template.as_ref(),
            None => (self.otherwise == Otherwise::Template).then_some(&self.last),
        }
    }

    /// The template that a record takes, and its place.
    fn picked(&self, scope: &Scope<'_>) -> Result<(usize, &Arc<dyn Template>), FillError> {
        let at = self.pick(scope)?;
        let error = EvalError { span: Span::default(), fault: Fault::NoRule };
        let none = || FillError { placeholder: "".into(), place: Place::Body, turn_of: None, error };
        self.template(at).map(|template| (at, template)).ok_or_else(none)
    }

    /// Where the placeholders of a rule's template begin among all.
    fn first_of(&self, at: usize) -> usize {
        let conditions = self.rules.iter().filter_map(|(condition, _)| condition.as_ref());
        let conditions: usize = conditions.map(|condition| condition.text().placeholders().len()).sum();
        let before = self.rules.iter().take(at).filter_map(|(_, template)| template.as_ref());
        conditions + before.map(|template| template.placeholders().len()).sum::<usize>()
    }

    fn of<'a>(&'a self, filled: &'a Filled) -> Result<(&'a Arc<dyn Template>, &'a Filled), OpenError> {
        let picked: Option<&Picked> = filled.of();
        let found = picked.and_then(|picked| Some((self.template(picked.at)?, &picked.filled)));
        found.ok_or(OpenError::WrongKind {
            found: "another template's document",
            wanted: "one of these templates'",
            remedy: "fill it again",
        })
    }
}

fn wrapped(at: usize, mut filled: Filled) -> Filled {
    let signers = std::mem::take(&mut filled.signers);
    Filled::new(Picked { at, filled }, signers)
}

impl Template for ByRule {
    fn placeholders(&self) -> &[Placeholder] {
        &self.placeholders
    }

    fn problems(&self) -> &[Diagnostic] {
        &self.problems
    }

    /// Each template has an outline of its own, on its own screen.
    fn outline(&self) -> &[Outline] {
        &[]
    }

    fn ways(&self) -> &[Way] {
        &[]
    }

    fn notes(&self) -> Vec<String> {
        self.templates().flat_map(|template| template.notes()).collect()
    }

    fn pick(&self, scope: &Scope<'_>) -> Result<usize, FillError> {
        for (at, (condition, _)) in self.rules.iter().enumerate() {
            if let Some(condition) = condition
                && condition.holds(scope)?
            {
                return Ok(at);
            }
        }
        Ok(self.rules.len())
    }

    fn makes(&self, picked: usize) -> bool {
        match self.rules.get(picked) {
            Some((_, template)) => template.is_some(),
            // What should have a rule is told of, not passed over.
            None => self.otherwise != Otherwise::Nothing,
        }
    }

    fn questions(&self) -> Vec<Question> {
        questions_of(self.templates(), Vec::new())
    }

    fn writes(&self) -> bool {
        self.templates().all(|template| template.writes())
    }

    fn fill_with(&self, scope: &Scope<'_>, means: Means<'_>) -> Result<Filled, Vec<FillError>> {
        let (at, template) = self.picked(scope).map_err(|error| vec![error])?;
        Ok(wrapped(at, template.fill_with(scope, means)?))
    }

    fn fill_traced(&self, scope: &Scope<'_>, means: Means<'_>) -> TracedFill {
        match self.picked(scope) {
            Ok((at, template)) => {
                let TracedFill { filled, errors, trace } = template.fill_traced(scope, means);
                let first = self.first_of(at);
                let trace = trace.into_iter().map(|one| Traced { placeholder: first + one.placeholder, ..one }).collect();
                TracedFill { filled: wrapped(at, filled), errors, trace }
            }
            // Something is shown in any case: the template for all others.
            Err(error) => {
                let TracedFill { filled, .. } = self.last.fill_traced(scope, means);
                TracedFill { filled: wrapped(self.rules.len(), filled), errors: vec![error], trace: Vec::new() }
            }
        }
    }

    fn write(&self, filled: &Filled) -> Result<Vec<u8>, OpenError> {
        let (template, filled) = self.of(filled)?;
        template.write(filled)
    }

    fn typeset(&self, filled: &Filled, typesetter: &Typesetter<'_>) -> Result<Bound, MakeError> {
        let shown = || filled.of::<Picked>().map(|picked| (&self.last, &picked.filled));
        match self.of(filled) {
            Ok((template, filled)) => template.typeset(filled, typesetter),
            Err(error) => {
                let (template, filled) = shown().ok_or(error)?;
                template.typeset(filled, typesetter)
            }
        }
    }

    fn lines(&self) -> Result<Vec<String>, OpenError> {
        let all: Result<Vec<Vec<String>>, OpenError> = self.templates().map(|template| template.lines()).collect();
        Ok(all?.concat())
    }

    fn lines_of(&self, filled: &Filled) -> Result<Vec<String>, OpenError> {
        let (template, filled) = self.of(filled)?;
        template.lines_of(filled)
    }

    fn with_stand_ins(&self) -> Result<Bound, MakeError> {
        self.last.with_stand_ins()
    }

    fn page_notes(&self) -> Result<PageNotes, OpenError> {
        page_notes_of(self.templates())
    }

    fn rewritten(&self, placeholder: usize, _text: &str) -> Result<Vec<u8>, EditError> {
        Err(EditError::NoSuch(placeholder))
    }
}

#[cfg(test)]
mod tests {
    use mangle_core::language::{Context, Ties};
    use mangle_core::records::{Column, ColumnType, Record, Schema};
    use mangle_core::value::{Locale, Value};

    use super::*;
    use crate::formats;
    use crate::layout::FontSet;

    fn template(name: &str) -> Arc<dyn Template> {
        let bytes = std::fs::read(format!("../../demo/{name}")).expect("the demo world");
        formats::open(name, bytes, FontSet::shipped()).expect("opens")
    }

    fn condition(text: &str) -> Option<Condition> {
        Condition::read(text).expect("a condition")
    }

    #[test]
    fn the_first_rule_that_is_true_takes_the_record() {
        let (pass, reminder) = (template("dock-pass.docx"), template("reminder.docx"));

        let schema = Schema::new(vec![Column::new("kind", ColumnType::Text)]).expect("columns");
        let schema = Arc::new(schema);
        let context = Context::new(Locale::english(), "2026-11-23T09:42".parse().expect("a moment"));
        let ties = Ties::default();
        let rules = || vec![(condition("kind = \"guest\""), Some(pass.clone())), (condition("kind = \"left\""), None)];
        let picks = |own: &ByRule, kind: &str| {
            let record = Record::new(schema.clone(), vec![Value::Text(kind.into())], 1);
            let scope = Scope::new(&record, &ties, &context);
            let at = own.pick(&scope).expect("picks");
            (at, own.makes(at), own.picked(&scope).is_ok())
        };
        let own = ByRule::new(rules(), reminder.clone(), Otherwise::Template);
        assert_eq!([picks(&own, "guest"), picks(&own, "left"), picks(&own, "?")], [(0, true, true), (1, false, false), (2, true, true)]);
        let nothing = ByRule::new(rules(), reminder.clone(), Otherwise::Nothing);
        assert_eq!(picks(&nothing, "?"), (2, false, false));
        let finding = ByRule::new(rules(), reminder.clone(), Otherwise::Finding);
        assert_eq!(picks(&finding, "?"), (2, true, false), "it is found, not passed over");
        let record = Record::new(schema.clone(), vec![Value::Text("?".into())], 1);
        let error = finding.fill_with(&Scope::new(&record, &ties, &context), Means::default()).expect_err("no rule");
        assert!(error[0].to_string().contains("no template rule is true"), "{}", error[0]);

        // The names of all count, and a trace tells of the right ones.
        let (first, count) = (own.first_of(0), pass.placeholders().len());
        assert_eq!(own.placeholders().len(), first + count + reminder.placeholders().len());
        let guest = Record::new(schema.clone(), vec![Value::Text("guest".into())], 1);
        let traced = own.fill_traced(&Scope::new(&guest, &ties, &context), Means::default());
        assert!(traced.trace.iter().all(|one| (first..first + count).contains(&one.placeholder)), "{:?}", traced.trace);
        assert!(own.typeset(&traced.filled, &Typesetter::default()).is_ok());
    }
}
