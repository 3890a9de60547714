//! What Mangle does, without HTTP: use cases, the store, the jobs. The API, the command line and
//! tests call the same functions.

mod app;
pub mod clock;
pub mod crm;
pub mod dispatches;
mod error;
mod files;
pub mod jobs;
pub mod pictures;
pub mod prepare;
pub mod store;

pub use app::{App, Inner, Options, Smtp, open};
pub use error::{Error, ErrorKind, Outcome};
pub use files::Files;
