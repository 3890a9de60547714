//! CRMs over the line: a client that waits when it is told to, and fetching a
//! query's records into its sheet.

mod client;
pub mod connections;
mod fetch;
pub mod queries;
mod secret;

pub use client::{Answer, Ask, Client, Refusal};
pub use fetch::{FETCH, Fetching, Job};
pub use secret::Secrets;
