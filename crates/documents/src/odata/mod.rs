//! OData 4 (OASIS): a service's shape from its `$metadata`, a question as an
//! address, and what is answered as records. What goes over the line is the
//! caller's.

mod answer;
mod filter;
mod metadata;
mod request;

pub use answer::{AnswerFault, Page, PictureLink, page};
pub use filter::FilterFault;
pub use metadata::{MetadataFault, read_metadata};
pub use request::{Part, address};

#[cfg(test)]
mod tests;
