//! Every channel can deliver here, and has something to hand over for the record.

use crate::channel::{Fault, MendedIn};
use crate::dispatch::Station;
use crate::preflight::{Check, Checking, Facts, Finding, Obstacle, Planned, Purpose, of_problem, place_in};

/// The check.
pub struct Channels;

impl Check for Channels {
    fn setup(&self, facts: &Facts<'_>) -> Vec<Obstacle> {
        let texts = facts.plan.problems.iter().filter(|p| p.station == Station::Channels).map(of_problem);
        let here = facts.plan.channels.iter().flat_map(|channel| channel.obstacles(&facts.world));
        let here = here
            .map(|(mended, message)| Obstacle { in_settings: mended == MendedIn::Settings, ..Obstacle::new(Station::Channels, message) });
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
                    parcel,
                }),
                Err(_) if at.purpose == Purpose::Proof => {}
                Err(Fault::Fill { field, error }) => at.find_error(&place_in(at.plan, channel, field), &error),
                Err(Fault::Value { code, field, text, message }) => {
                    let finding = Finding::new(at.row(), code, &place_in(at.plan, channel, field), &message);
                    at.findings.push(Finding { text, ..finding });
                }
            }
        }
    }
}
