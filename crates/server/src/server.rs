//! The routes put together and served.

use std::net::SocketAddr;

use anyhow::Result;
use axum::Router;
use axum::extract::{DefaultBodyLimit, Request, State};
use axum::http::{HeaderMap, StatusCode, Uri, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Redirect, Response};
use axum::routing::get;
use mangle_app::App;
use tokio::net::TcpListener;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{DefaultPredicate, NotForContentType, Predicate};

use crate::error::Refused;
use crate::{api, health, web};

/// The routes of the office application; `more` are those of practice services. Addresses of public
/// pages lead to where those are.
pub fn router(app: App, more: Router) -> Router {
    let away = app.public_url.clone();
    let lead = move |uri: Uri| {
        let away = away.clone();
        async move {
            let path = uri.path_and_query().map_or("", |path| path.as_str());
            match away {
                Some(away) => Redirect::temporary(&format!("{away}{path}")).into_response(),
                None => Refused::missing("this page").into_response(),
            }
        }
    };
    let pages = app.clone();
    api::router(app.clone())
        .route("/f/{token}", get(lead.clone()))
        .route("/d/{token}", get(lead.clone()))
        .route("/s/{token}", get(lead))
        .merge(health::router(app))
        .layer(axum::middleware::map_response(told))
        .merge(more)
        .fallback(move |uri| web::serve(pages.clone(), uri))
        .layer(DefaultBodyLimit::max(96 << 20))
        // What comes line by line must not wait for more to compress.
        .layer(CompressionLayer::new().compress_when(DefaultPredicate::new().and(NotForContentType::new("application/x-ndjson"))))
}

/// What was asked in a way that can't be read at all is refused as data, too.
pub(crate) async fn told(response: Response) -> Response {
    let kind = response.headers().get(header::CONTENT_TYPE).and_then(|kind| kind.to_str().ok()).unwrap_or_default();
    if !response.status().is_client_error() || !(kind.is_empty() || kind.starts_with("text/plain")) {
        return response;
    }
    let (parts, body) = response.into_parts();
    let (status, allowed) = (parts.status, parts.headers.get(header::ALLOW).cloned());
    let why = axum::body::to_bytes(body, 4 << 10).await.unwrap_or_default();
    let why = match String::from_utf8_lossy(&why).trim() {
        "" => status.canonical_reason().unwrap_or("refused").to_owned(),
        why => why.to_owned(),
    };
    let mut refused = Refused::new(status, "request", format!("the request was refused: {why}")).into_response();
    // Which methods there are (RFC 9110, 15.5.6).
    refused.headers_mut().extend(allowed.map(|allowed| (header::ALLOW, allowed)));
    refused
}

/// Serves on a loopback listener until the process ends. Until there is sign-in,
/// nothing but this machine may ask, and no foreign page may ask through it.
pub async fn serve(listener: TcpListener, router: Router) -> Result<()> {
    let address = listener.local_addr()?;
    anyhow::ensure!(address.ip().is_loopback(), "Mangle accepts local connections only, not {address}");
    let guarded = router.layer(axum::middleware::from_fn_with_state(address, guard));
    axum::serve(listener, guarded.into_make_service_with_connect_info::<SocketAddr>()).await?;
    Ok(())
}

/// Refuses foreign `Host` and `Origin` headers.
async fn guard(State(address): State<SocketAddr>, request: Request, next: Next) -> Response {
    let host = request.headers().get(header::HOST).and_then(|h| h.to_str().ok()).unwrap_or_default().to_owned();
    if !own_hosts(address).contains(&host) {
        return Refused::new(StatusCode::FORBIDDEN, "foreign-host", "This host name is not allowed").into_response();
    }
    if foreign_origin(request.headers(), address) {
        return Refused::new(StatusCode::FORBIDDEN, "foreign-origin", "Requests from other websites are not allowed").into_response();
    }
    let mut response = next.run(request).await;
    for (name, value) in [
        (header::CONTENT_SECURITY_POLICY, web::OFFICE_POLICY),
        (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
        (header::REFERRER_POLICY, "no-referrer"),
    ] {
        response.headers_mut().entry(name).or_insert(header::HeaderValue::from_static(value));
    }
    response
}

fn own_hosts(address: SocketAddr) -> [String; 3] {
    let port = address.port();
    [format!("localhost:{port}"), format!("127.0.0.1:{port}"), format!("[::1]:{port}")]
}

fn foreign_origin(headers: &HeaderMap, address: SocketAddr) -> bool {
    match headers.get(header::ORIGIN) {
        None => false,
        Some(origin) => !own_hosts(address).iter().any(|host| origin.as_bytes() == format!("http://{host}").as_bytes()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn origin(text: &str) -> bool {
        let mut headers = HeaderMap::new();
        headers.insert(header::ORIGIN, text.parse().expect("a header"));
        foreign_origin(&headers, SocketAddr::from(([127, 0, 0, 1], 7600)))
    }

    #[test]
    fn only_the_own_page_may_ask() {
        assert!(!origin("http://localhost:7600"));
        assert!(!origin("http://127.0.0.1:7600"));
        for foreign in
            ["http://localhost:7601", "https://localhost:7600", "http://quay.example", "null", "http://localhost:7600.quay.example"]
        {
            assert!(origin(foreign), "{foreign}");
        }
        assert!(!foreign_origin(&HeaderMap::new(), SocketAddr::from(([127, 0, 0, 1], 7600))));
    }

    #[tokio::test]
    async fn nothing_but_loopback_is_served() {
        let listener = TcpListener::bind("0.0.0.0:0").await.expect("binds");
        let refused = serve(listener, Router::new()).await.expect_err("refused");
        assert!(refused.to_string().starts_with("Mangle accepts local connections only"));
    }
}
