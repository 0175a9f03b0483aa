//! A server in front of the bench's own, which takes every permission away from what it passes on, or breaks
//! an answer, and counts what a page sends and asks all the same.

use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use axum::Router;
use axum::body::{Body, to_bytes};
use axum::extract::{Request, State};
use axum::http::header::{ACCEPT_ENCODING, CONTENT_LENGTH, CONTENT_TYPE, HOST, ORIGIN, REFERER};
use axum::http::{Method, Response, StatusCode};
use serde_json::{Value, json};
use tokio::net::TcpListener;
use tokio::task::JoinHandle;

use crate::Outcome;

/// Requests that are made as changes are, and change nothing: they read what they bring along.
const READS: [&str; 2] = ["/family-check", "/pasted/read"];

/// Bytes of a page's request at most.
const MOST: usize = 1 << 20;

struct Passing {
    to: String,
    client: reqwest::Client,
    denies: AtomicBool,
    breaks: Mutex<Option<String>>,
    sent: Mutex<Vec<String>>,
    asked: Mutex<Vec<String>>,
}

/// The server in front; it ends with this value.
pub struct Proxy {
    /// Its address, as an origin.
    pub url: String,
    passing: Arc<Passing>,
    serving: JoinHandle<()>,
}

impl Drop for Proxy {
    fn drop(&mut self) {
        self.serving.abort();
    }
}

impl Proxy {
    /// Stands in front of the server at `to`, an origin, and denies from the start.
    ///
    /// # Errors
    /// When no port is free.
    pub async fn before(to: String) -> Outcome<Self> {
        let listener = TcpListener::bind("127.0.0.1:0").await?;
        let url = format!("http://{}", listener.local_addr()?);
        let passing = Arc::new(Passing {
            to,
            client: reqwest::Client::builder().no_proxy().build()?,
            denies: AtomicBool::new(true),
            breaks: Mutex::default(),
            sent: Mutex::default(),
            asked: Mutex::default(),
        });
        let router = Router::new()
            .fallback(pass)
            .with_state(Arc::clone(&passing));
        let serving = tokio::spawn(async move {
            // It ends by being aborted.
            let _ = axum::serve(listener, router).await;
        });
        Ok(Self {
            url,
            passing,
            serving,
        })
    }

    /// Passes permissions on as they are, from now on.
    pub fn allow(&self) {
        self.passing.denies.store(false, Ordering::SeqCst);
    }

    /// Answers to paths that hold `part` make no sense from now on.
    pub fn break_off(&self, part: &str) {
        *locked(&self.passing.breaks) = Some(part.to_owned());
    }

    /// How often pages asked for paths that end in `end`.
    #[must_use]
    pub fn asked(&self, end: &str) -> usize {
        let asked = locked(&self.passing.asked);
        asked.iter().filter(|path| path.ends_with(end)).count()
    }

    /// What pages sent that changes something, in order: method and path.
    #[must_use]
    pub fn sent(&self) -> Vec<String> {
        locked(&self.passing.sent).clone()
    }
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

async fn pass(State(passing): State<Arc<Passing>>, request: Request) -> Response<Body> {
    match passed(&passing, request).await {
        Ok(answer) => answer,
        Err(error) => told(StatusCode::BAD_GATEWAY, &error.to_string()),
    }
}

fn told(status: StatusCode, detail: &str) -> Response<Body> {
    let problem = json!({ "code": "in-front", "detail": detail });
    let mut answer = Response::new(Body::from(problem.to_string()));
    *answer.status_mut() = status;
    answer
}

async fn passed(passing: &Passing, request: Request) -> Outcome<Response<Body>> {
    let denies = passing.denies.load(Ordering::SeqCst);
    let (parts, body) = request.into_parts();
    let path = parts.uri.path();
    if parts.method != Method::GET && !READS.iter().any(|read| path.ends_with(read)) {
        let sent = format!("{} {path}", parts.method);
        locked(&passing.sent).push(sent);
        if denies {
            return Ok(told(
                StatusCode::CONFLICT,
                "The page was told that it may not.",
            ));
        }
    }
    if parts.method == Method::GET {
        locked(&passing.asked).push(path.to_owned());
    }
    let breaks = locked(&passing.breaks).clone();
    let is_broken = breaks.is_some_and(|part| path.contains(&part));
    let mut headers = parts.headers;
    for own in [HOST, ORIGIN, REFERER, CONTENT_LENGTH, ACCEPT_ENCODING] {
        headers.remove(own);
    }
    let answer = passing
        .client
        .request(parts.method, format!("{}{}", passing.to, parts.uri))
        .headers(headers)
        .body(to_bytes(body, MOST).await?)
        .send()
        .await?;
    let mut response = Response::new(Body::empty());
    *response.status_mut() = answer.status();
    *response.headers_mut() = answer.headers().clone();
    let kind = answer.headers().get(CONTENT_TYPE);
    let is_json = kind.is_some_and(|kind| kind.as_bytes().starts_with(b"application/json"));
    *response.body_mut() = if is_broken && is_json {
        response.headers_mut().remove(CONTENT_LENGTH);
        Body::from("{}")
    } else if denies && is_json {
        response.headers_mut().remove(CONTENT_LENGTH);
        let mut value: Value = serde_json::from_slice(&answer.bytes().await?)?;
        deny(&mut value);
        Body::from(value.to_string())
    } else {
        // Events come for as long as the page lives: they are passed on one by one.
        Body::from_stream(futures_util::stream::unfold(answer, |mut answer| async {
            let chunk = answer.chunk().await.transpose()?;
            Some((chunk, answer))
        }))
    };
    Ok(response)
}

/// Takes every permission away, however deep it lies.
fn deny(value: &mut Value) {
    match value {
        Value::Array(list) => list.iter_mut().for_each(deny),
        Value::Object(object) => {
            if let Some(allowed) = object.get_mut("allowed") {
                *allowed = json!(false);
            }
            object.values_mut().for_each(deny);
        }
        _ => {}
    }
}
