//! Everyone who is to sign can be asked to, and has somewhere to sign.

use crate::channel::Fault;
use crate::diagnostic::{Diagnostic, Target};
use crate::dispatch::Station;
use crate::preflight::{Check, Checking, Facts, Finding, Purpose, of_problem};

/// The check.
pub struct Signing;

impl Check for Signing {
    fn setup(&self, facts: &Facts<'_>) -> Vec<Diagnostic> {
        let own = |problem: &&Diagnostic| matches!(problem.target, Target::Setup { station: Station::Signing, .. });
        let texts = facts.plan.problems.iter().filter(own).map(|problem| of_problem(facts.plan, problem));
        let Some(signing) = &facts.plan.signing else { return texts.collect() };
        let fields = match facts.template_problems {
            Some(_) => signing.obstacles(facts.signer_fields),
            None => Vec::new(),
        };
        let public = match facts.world.public {
            true => None,
            false => {
                let message = "public pages are off on this machine, so nobody can sign. Start Mangle with --public-listen.";
                let target = Target::Setup { station: Station::Signing, field: "roles".into() };
                Some(Diagnostic::error("no-public-pages", message).about(target))
            }
        };
        let stamps = (!facts.world.timestamps).then(|| {
            let message = "no timestamp authority, so signed documents can't be sealed. Add one under Settings.";
            Diagnostic::error("no-timestamps", message).about(Target::Setup { station: Station::Signing, field: "timestamps".into() })
        });
        texts.chain(fields).chain(public).chain(stamps).collect()
    }

    fn record(&self, at: &mut Checking<'_>) {
        let Some(signing) = at.plan.signing.as_ref().filter(|_| at.purpose == Purpose::Run) else { return };
        let about = |field: &'static str| Target::Setup { station: Station::Signing, field: field.into() };
        match signing.render(at.scope) {
            Ok(round) => at.outline.round = Some(round),
            Err((field, Fault::Fill { error, .. })) => at.find_error(about(field), &error),
            Err((field, Fault::Value { code, text, message, .. })) => {
                at.findings.push(Finding { text, ..Finding::new(at.row(), Diagnostic::error(code, message).about(about(field))) });
            }
        }
    }
}
