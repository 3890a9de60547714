//! Every channel can deliver here, and has something to hand over for the record.

use crate::channel::Fault;
use crate::diagnostic::{Diagnostic, Target};
use crate::preflight::{Check, Checking, Facts, Finding, Planned, Purpose, of_channel, of_problem};

/// The check.
pub struct Channels;

impl Check for Channels {
    fn setup(&self, facts: &Facts<'_>) -> Vec<Diagnostic> {
        let texts = facts.plan.problems.iter().filter(|p| matches!(p.target, Target::Channel { .. }));
        let texts = texts.map(|problem| of_problem(facts.plan, problem));
        let here = facts.plan.channels.iter().flat_map(|channel| channel.obstacles(&facts.world));
        texts.chain(here).collect()
    }

    fn record(&self, at: &mut Checking<'_>) {
        for channel in &at.plan.channels {
            match channel.render(at.scope, &at.plan.made(&at.outline.file_name)) {
                Ok(parcel) => at.outline.deliveries.push(Planned {
                    channel: channel.index,
                    kind: channel.kind,
                    name: channel.name.clone(),
                    moment: channel.moment,
                    per_hour: channel.per_hour,
                    parcel,
                }),
                Err(_) if at.purpose == Purpose::Proof => {}
                Err(Fault::Fill { field, error }) => at.find_error(of_channel(channel, field), &error),
                Err(Fault::Value { code, field, text, message }) => {
                    let what = Diagnostic::error(code, message).about(of_channel(channel, field));
                    at.findings.push(Finding { text, ..Finding::new(at.row(), what) });
                }
            }
        }
    }
}
