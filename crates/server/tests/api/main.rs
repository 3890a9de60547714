//! The API as a browser asks it, without a network.

mod office;
mod resources;
mod templates;
