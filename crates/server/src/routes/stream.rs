//! Jobs and the stream of events. A disconnect ends the stream and nothing else; a shutdown ends
//! every stream first, so that the server can stop.

use std::convert::Infallible;
use std::time::Duration;

use axum::extract::State;
use axum::http::HeaderMap;
use axum::response::sse::{KeepAlive, Sse};
use futures_util::{Stream, StreamExt, stream};
use tokio::sync::broadcast::error::RecvError;

use super::{App, Json};
use crate::events::Event;
use crate::jobs::JobView;

/// Jobs since the server started, newest first.
#[utoipa::path(get, path = "/api/jobs", operation_id = "jobs", responses((status = 200, body = Vec<JobView>)))]
pub(crate) async fn jobs(State(app): State<App>) -> Json<Vec<JobView>> {
    Json(app.jobs.list())
}

fn encode(n: u64, event: &Event) -> Result<axum::response::sse::Event, Infallible> {
    let text = serde_json::to_string(event).unwrap_or_default();
    Ok(axum::response::sse::Event::default()
        .id(n.to_string())
        .data(text))
}

/// What changes, as server-sent events; `Last-Event-ID` resumes.
#[utoipa::path(get, path = "/api/events", operation_id = "events", responses((status = 200, content_type = "text/event-stream", body = Event)))]
pub(crate) async fn events(
    State(app): State<App>,
    headers: HeaderMap,
) -> Sse<impl Stream<Item = Result<axum::response::sse::Event, Infallible>>> {
    let seen = headers
        .get("last-event-id")
        .and_then(|value| value.to_str().ok())
        .and_then(|text| text.parse().ok());
    let (missed, live) = app.events.after(seen);
    let missed = stream::iter(missed.into_iter().map(|(n, event)| encode(n, &event)));
    let live = stream::unfold(live, |mut live| async move {
        match live.recv().await {
            Ok((n, event)) => Some((encode(n, &event), live)),
            Err(RecvError::Lagged(_)) => Some((encode(0, &Event::Reset), live)),
            Err(RecvError::Closed) => None,
        }
    });
    let mut stopping = app.stopping.clone();
    let stop = async move {
        // An error means that the server is gone altogether.
        let _ = stopping.wait_for(|stopping| *stopping).await;
    };
    Sse::new(missed.chain(live).take_until(Box::pin(stop)))
        .keep_alive(KeepAlive::new().interval(Duration::from_secs(15)))
}
