//! Who may ask. The server listens on this machine only; a web page from elsewhere that the owner
//! happens to have open must not reach it, by whatever name (Host) or from whatever page (Origin).

use std::net::SocketAddr;
use std::sync::Arc;

use axum::extract::{Request, State};
use axum::http::header::{self, HeaderName, HeaderValue};
use axum::http::{HeaderMap, StatusCode};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

use crate::error::Problem;

/// Largest body of a request, in bytes.
pub(crate) const MOST_BODY_BYTES: usize = 64 << 10;

/// The names under which this server is itself.
#[derive(Debug, Clone)]
pub(crate) struct OwnNames(Arc<[String]>);

impl OwnNames {
    pub(crate) fn of(address: SocketAddr) -> Self {
        let port = address.port();
        Self(Arc::from([
            address.to_string(),
            format!("localhost:{port}"),
            format!("127.0.0.1:{port}"),
            format!("[::1]:{port}"),
        ]))
    }

    fn is_own(&self, host: &str) -> bool {
        self.0.iter().any(|own| own == host)
    }

    fn check(&self, headers: &HeaderMap) -> Result<(), Problem> {
        let text = |name: HeaderName| headers.get(name).map(|value| value.to_str().unwrap_or(""));
        let host = text(header::HOST).unwrap_or("");
        if !self.is_own(host) {
            return Err(Problem::new(
                StatusCode::MISDIRECTED_REQUEST,
                "foreign-host",
                "This server answers to its own address only.",
            ));
        }
        let foreign_origin = text(header::ORIGIN).is_some_and(|origin| {
            !origin
                .strip_prefix("http://")
                .is_some_and(|o| self.is_own(o))
        });
        let cross_site = text(HeaderName::from_static("sec-fetch-site")) == Some("cross-site");
        if foreign_origin || cross_site {
            return Err(Problem::new(
                StatusCode::FORBIDDEN,
                "foreign-origin",
                "Requests from other web pages are refused.",
            ));
        }
        Ok(())
    }
}

/// What a page of ours may load; `nonce` lets the style tags in that the front end makes.
pub(crate) fn content_security(nonce: Option<&str>) -> String {
    let styles = nonce.map_or_else(
        || "'self'".to_owned(),
        |nonce| format!("'self' 'nonce-{nonce}'"),
    );
    format!(
        "default-src 'none'; script-src 'self'; style-src {styles}; img-src 'self' blob:; \
         font-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'none'; \
         frame-ancestors 'none'"
    )
}

/// Checks a request and marks its answer.
pub(crate) async fn guard(State(own): State<OwnNames>, request: Request, next: Next) -> Response {
    let is_api = request.uri().path().starts_with("/api/");
    let mut answer = match own.check(request.headers()) {
        Ok(()) => next.run(request).await,
        Err(problem) => problem.into_response(),
    };
    let headers = answer.headers_mut();
    let mut set = |name: HeaderName, value: &'static str| {
        headers
            .entry(name)
            .or_insert(HeaderValue::from_static(value));
    };
    set(header::X_CONTENT_TYPE_OPTIONS, "nosniff");
    set(header::REFERRER_POLICY, "no-referrer");
    set(
        HeaderName::from_static("cross-origin-opener-policy"),
        "same-origin",
    );
    set(
        HeaderName::from_static("cross-origin-resource-policy"),
        "same-origin",
    );
    if is_api {
        set(header::CACHE_CONTROL, "no-store");
    }
    if let Ok(policy) = HeaderValue::from_str(&content_security(None)) {
        headers
            .entry(header::CONTENT_SECURITY_POLICY)
            .or_insert(policy);
    }
    answer
}
