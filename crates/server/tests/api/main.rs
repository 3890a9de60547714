//! The API as a browser asks it, without a network.

mod crm;
mod deliveries;
mod forms;
mod laws;
mod library;
mod mail;
mod office;
mod pages;
mod promise;
mod resources;
mod runs;
mod shared;
mod sheet_columns;
mod sources;
mod templates;
mod web_hooks;
