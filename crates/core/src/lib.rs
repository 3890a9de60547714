//! The rules of the job: values, the placeholder language, templates, records,
//! forms, CRM queries, dispatches, channels and preflight. Pure: no files, network, database, clock or chance.

pub mod channel;
pub mod crm;
pub mod diagnostic;
pub mod dispatch;
pub mod form;
pub mod language;
pub mod moves;
pub mod preflight;
pub mod records;
pub mod signing;
pub mod template;
pub mod trigger;
pub mod value;
pub mod words;
