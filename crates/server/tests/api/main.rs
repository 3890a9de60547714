//! The API as a browser asks it, without a network.

mod bounces;
mod buckets;
mod crm;
mod crm_channel;
mod cups;
mod deliveries;
mod forms;
mod laws;
mod library;
mod mail;
mod messages;
mod office;
mod pace;
mod packs;
mod pages;
mod printing;
mod promise;
mod resources;
mod runs;
mod shared;
mod sheet_columns;
mod signing;
mod sources;
mod templates;
mod triggers;
mod web_hooks;
