//! Which sites may show a form, or a CRM's records one by one, within their own pages.

use serde::{Deserialize, Serialize};
use url::Url;

use crate::store::frames::{self, Framed};
use crate::{App, Error, Outcome};

/// How many sites something may be shown by.
const MOST: usize = 20;

/// The sites that may show something.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Frames {
    /// Their origins (RFC 6454): `https://crm.quay.example`. None for no site.
    pub origins: Vec<String>,
}

/// The sites that may show something.
pub async fn get(app: &App, what: Framed, id: i64) -> Outcome<Frames> {
    let found = app.store.with(move |c| frames::get(c, what, id)).await?.ok_or_else(|| Error::missing("this"))?;
    Ok(Frames { origins: found.split_whitespace().map(str::to_owned).collect() })
}

/// Changes the sites that may show something.
pub async fn set(app: &App, what: Framed, id: i64, new: Frames) -> Outcome<Frames> {
    if new.origins.len() > MOST {
        return Err(Error::unusable("origins", format!("at most {MOST} sites")));
    }
    let origins = new.origins.iter().map(|own| own.trim()).filter(|own| !own.is_empty()).map(origin).collect::<Outcome<Vec<_>>>()?;
    let text = origins.join(" ");
    if !app.store.change(move |t| frames::set(t, what, id, &text)).await? {
        return Err(Error::missing("this"));
    }
    Ok(Frames { origins })
}

/// A site as browsers name it: scheme, host and port, and nothing that a header would take for more.
fn origin(text: &str) -> Outcome<String> {
    let wrong = || Error::unusable("origin", format!("“{text}” is not the address of a site. Enter it like https://crm.quay.example"));
    let url: Url = text.parse().map_err(|_| wrong())?;
    let local = ["localhost", "127.0.0.1"].contains(&url.host_str().unwrap_or_default());
    if !(url.scheme() == "https" || (url.scheme() == "http" && local))
        || url.path() != "/"
        || url.query().is_some()
        || !url.username().is_empty()
    {
        return Err(wrong());
    }
    Ok(url.origin().ascii_serialization())
}

/// What a page's policy says of those who may show it: the form of a token.
pub async fn of_form(app: &App, token: String) -> Outcome<Option<String>> {
    Ok(app.store.with(move |c| frames::of_form(c, &token)).await?.filter(|own| !own.is_empty()))
}

/// The same of a dispatch's records, which come from a CRM.
pub async fn of_dispatch(app: &App, key: String) -> Outcome<Option<String>> {
    Ok(app.store.with(move |c| frames::of_dispatch(c, &key)).await?.filter(|own| !own.is_empty()))
}

#[cfg(test)]
mod tests {
    use super::origin;

    #[test]
    fn only_sites_are_named_and_nothing_else_gets_into_the_header() {
        assert_eq!(origin("https://CRM.quay.example/").expect("a site"), "https://crm.quay.example");
        assert_eq!(origin("http://localhost:7620").expect("a site"), "http://localhost:7620");
        for wrong in [
            "crm.quay.example",
            "http://crm.quay.example",
            "https://a.example/x",
            "https://a.example; script-src *",
            "*",
            "https://u@a.example",
            "javascript:1",
        ] {
            assert!(origin(wrong).is_err(), "{wrong}");
        }
    }
}
