//! What Mangle does, without HTTP: use cases, the store, the jobs. The API, the command line and
//! tests call the same functions.

mod actor;
mod app;
pub mod clock;
pub mod crm;
pub mod dispatches;
mod error;
mod files;
pub mod jobs;
pub mod pictures;
pub mod prepare;
mod runs;
pub mod store;

pub use actor::Actor;
pub use app::{App, Inner, Options, open};
pub use error::{Error, ErrorKind, Outcome};
pub use files::Files;
pub use mangle_channels::{Config as Channels, Rate};
