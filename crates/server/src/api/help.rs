//! The guide, embedded in the program: written in `docs/guide`, one file a page, in the
//! order of their names.

use std::sync::OnceLock;

use axum::Json;
use axum::extract::Path;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use pulldown_cmark::{Event, HeadingLevel, Options, Parser, Tag, TagEnd, html};
use rust_embed::Embed;
use serde::Serialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::error::Refused;
use mangle_app::App;

#[derive(Embed)]
#[folder = "../../docs/guide"]
struct Guide;

#[derive(Embed)]
#[folder = "../../docs/screenshots"]
struct Pictures;

pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(pages)).routes(routes!(picture))
}

/// A page of the guide.
#[derive(Debug, Clone, Serialize, ToSchema)]
struct HelpPage {
    /// What its address ends with.
    key: String,
    /// Its title.
    title: String,
    /// Its content as HTML.
    html: String,
    /// Its text, to be searched.
    text: String,
}

/// The pages of the guide.
#[utoipa::path(get, path = "/api/help", tag = "help", responses((status = 200, body = Vec<HelpPage>)))]
async fn pages() -> Json<Vec<HelpPage>> {
    static PAGES: OnceLock<Vec<HelpPage>> = OnceLock::new();
    let read = || {
        let mut names: Vec<_> = Guide::iter().collect();
        names.sort_by_key(|name| name.split('-').next().and_then(|number| number.parse::<u32>().ok()));
        names.iter().filter_map(|name| Some(page(name, &String::from_utf8(Guide::get(name)?.data.into_owned()).ok()?))).collect()
    };
    Json(PAGES.get_or_init(read).clone())
}

/// A page of its Markdown (CommonMark with tables); the first heading is its title.
fn page(name: &str, markdown: &str) -> HelpPage {
    let key = name.trim_end_matches(".md").trim_start_matches(|c: char| c.is_ascii_digit() || c == '-').to_owned();
    let (mut title, mut text, mut in_title) = (String::new(), String::new(), false);
    let mut body = Vec::new();
    for event in Parser::new_ext(markdown, Options::ENABLE_TABLES) {
        match &event {
            Event::Start(Tag::Heading { level: HeadingLevel::H1, .. }) => in_title = true,
            Event::End(TagEnd::Heading(HeadingLevel::H1)) => {
                in_title = false;
                continue;
            }
            Event::Text(words) | Event::Code(words) if in_title => title.push_str(words),
            Event::Text(words) | Event::Code(words) => {
                text.push_str(words);
                text.push(' ');
            }
            _ => {}
        }
        if in_title {
            continue;
        }
        body.push(match event {
            Event::Start(Tag::Image { link_type, dest_url, title, id }) => {
                let dest_url = dest_url.replace("../screenshots/", "/api/help/pictures/").into();
                Event::Start(Tag::Image { link_type, dest_url, title, id })
            }
            other => other,
        });
    }
    let mut html = String::new();
    html::push_html(&mut html, body.into_iter());
    HelpPage { key, title, html, text }
}

/// A picture of the guide.
#[utoipa::path(get, path = "/api/help/pictures/{name}", tag = "help", params(("name" = String, Path)), responses((status = 200, content_type = "image/png", body = Vec<u8>)))]
async fn picture(Path(name): Path<String>) -> Result<Response, Refused> {
    let found = Pictures::get(&name).ok_or_else(|| Refused::missing("the picture"))?;
    Ok(([(header::CONTENT_TYPE, "image/png")], found.data.into_owned()).into_response())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn every_page_has_a_title_and_pictures_that_are_there() {
        let all = pages().await.0;
        assert_eq!(
            all.iter().map(|p| p.key.as_str()).collect::<Vec<_>>(),
            [
                "first-letter",
                "placeholders",
                "sheets",
                "forms",
                "crm",
                "runs",
                "channels",
                "triggers",
                "packs",
                "signing",
                "documents",
                "moves"
            ]
        );
        let mut pictures = 0;
        for page in &all {
            assert!(!page.title.is_empty() && page.text.len() > 500, "{}", page.key);
            for part in page.html.split("src=\"/api/help/pictures/").skip(1) {
                let name = part.split('"').next().unwrap_or_default();
                assert!(Pictures::get(name).is_some(), "{name} of {}", page.key);
                pictures += 1;
            }
            assert!(!page.html.contains("../"), "{}", page.key);
        }
        assert!(pictures >= 6, "{pictures} pictures");
        assert!(picture(Path("../guide/1-first-letter.md".to_owned())).await.is_err());
    }
}
