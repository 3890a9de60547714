//! Documents made and looked at with tools that no one here wrote.

mod hostile;
mod marks;
mod pages;
mod templates;
