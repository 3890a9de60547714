//! Documents made and looked at with tools that no one here wrote.

mod corpus;
mod hostile;
mod marks;
mod pages;
mod poppler;
mod templates;
