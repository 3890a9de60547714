//! The checks of preflight, in their order: what a record will become is put together by them,
//! its name before what depends on the name.

mod channels;
mod document;
mod language;
mod mapping;
mod names;
mod output;
mod recipients;
mod signing;
mod source;
mod template;

use super::Check;

/// All checks.
pub const ALL: &[&dyn Check] = &[
    &template::Template,
    &source::Source,
    &mapping::Mapping,
    &document::Document,
    &names::FileName,
    &output::Output,
    &signing::Signing,
    &channels::Channels,
    &recipients::Recipients,
    &language::Language,
];
