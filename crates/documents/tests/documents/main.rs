//! Documents made and looked at with tools that no one here wrote.

mod marks;
mod pages;
mod templates;
