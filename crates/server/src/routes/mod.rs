//! The API. Handlers parse, ask the engine on a blocking thread, and answer; nothing else.

mod backup;
mod bench;
mod body;
mod dumps;
mod export;
mod family;
mod log;
mod notes;
mod run;
mod shelf;
mod stream;
mod unit;

use std::sync::Arc;

use axum::Router;
use axum::extract::{DefaultBodyLimit, FromRequest, FromRequestParts, Request};
use axum::response::{IntoResponse, Response};
use tokio::sync::watch;
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use veritope_engine::{Engine, MOST_PICTURE_BYTES};
use veritope_wire::Stamp;

use crate::error::Problem;
use crate::events::{Event, Events};
use crate::guard::MOST_BODY_BYTES;
use crate::jobs::Jobs;
use crate::store::Store;

/// What handlers share.
#[derive(Clone)]
pub(crate) struct App {
    pub(crate) engine: Arc<Engine>,
    pub(crate) store: Arc<Store>,
    pub(crate) jobs: Arc<Jobs>,
    pub(crate) events: Arc<Events>,
    pub(crate) stopping: watch::Receiver<bool>,
}

/// `axum::Json` whose refusals are problem documents.
#[derive(FromRequest)]
#[from_request(via(axum::Json), rejection(Problem))]
pub(crate) struct Json<T>(pub(crate) T);

impl<T: serde::Serialize> IntoResponse for Json<T> {
    fn into_response(self) -> Response {
        axum::Json(self.0).into_response()
    }
}

/// `axum::body::Bytes` whose refusals are problem documents.
pub(crate) struct Bytes(pub(crate) axum::body::Bytes);

impl<S: Send + Sync> FromRequest<S> for Bytes {
    type Rejection = Problem;

    async fn from_request(request: Request, state: &S) -> Result<Self, Problem> {
        let bytes = axum::body::Bytes::from_request(request, state).await?;
        Ok(Self(bytes))
    }
}

/// `axum::extract::Path` whose refusals are problem documents.
#[derive(FromRequestParts)]
#[from_request(via(axum::extract::Path), rejection(Problem))]
pub(crate) struct Path<T>(pub(crate) T);

/// `axum::extract::Query` whose refusals are problem documents.
#[derive(FromRequestParts)]
#[from_request(via(axum::extract::Query), rejection(Problem))]
pub(crate) struct Query<T>(pub(crate) T);

/// The one place where requests cross to the engine's blocking calls.
pub(crate) async fn crossing<T: Send + 'static, E: Into<Problem>>(
    app: App,
    ask: impl FnOnce(&App) -> Result<T, E> + Send + 'static,
) -> Result<T, Problem> {
    tokio::task::spawn_blocking(move || ask(&app).map_err(Into::into))
        .await
        .unwrap_or_else(|error| {
            tracing::error!(%error, "a request broke off");
            Err(Problem::new(
                axum::http::StatusCode::INTERNAL_SERVER_ERROR,
                "broke-off",
                "Something went wrong inside; the log of the server tells more.",
            ))
        })
}

#[derive(OpenApi)]
#[openapi(
    info(
        title = "Veritope",
        description = "The bench application's own API. Times are of two kinds: what this bench counted (`BenchTime`), which never jumps and is compared with nothing else, and what a clock on a wall told (`WallTime`). Every answer has a header `bench-clock`, a `Stamp` of now as JSON: how long ago something was is that stamp's `bench` less its time, and what a clock would have told then is its time plus `wall` less `bench`."
    ),
    components(schemas(Event, Problem, Stamp, veritope_engine::desk::record::EntryKind))
)]
struct Description;

fn described() -> OpenApiRouter<App> {
    OpenApiRouter::with_openapi(Description::openapi())
        .routes(routes!(bench::health))
        .routes(routes!(bench::bench))
        .routes(routes!(bench::add_bridge))
        .routes(routes!(bench::remove_bridge))
        .routes(routes!(bench::found))
        .routes(routes!(unit::add))
        .routes(routes!(unit::tag))
        .routes(routes!(unit::standing))
        .routes(routes!(unit::passport))
        .routes(routes!(unit::type_facts))
        .routes(routes!(unit::retract))
        .routes(routes!(unit::keep_safe))
        .routes(routes!(unit::goal))
        .routes(routes!(unit::keep_token))
        .routes(routes!(unit::rename))
        .routes(routes!(unit::put_away))
        .routes(routes!(unit::link))
        .routes(routes!(unit::look))
        .routes(routes!(notes::read_pasted))
        .routes(routes!(notes::take_pasted))
        .routes(routes!(notes::wait_calendar))
        .routes(routes!(notes::trust_clock))
        .routes(routes!(family::rules))
        .routes(routes!(family::words))
        .routes(routes!(family::list, family::keep))
        .routes(routes!(family::page, family::drop))
        .routes(routes!(family::file))
        .routes(routes!(family::check))
        .routes(routes!(run::page, run::begin))
        .routes(routes!(run::step))
        .routes(routes!(run::consent))
        .routes(routes!(run::seen))
        .routes(routes!(run::look))
        .routes(routes!(run::stop))
        .routes(routes!(run::hand_file))
        .routes(routes!(body::face, body::hands))
        .routes(routes!(body::cards))
        .routes(routes!(body::doctor))
        .routes(routes!(backup::backups))
        .routes(routes!(backup::stock, backup::take_stock))
        .routes(routes!(backup::capture))
        .routes(routes!(backup::take))
        .routes(routes!(backup::copy))
        .routes(routes!(backup::verify))
        .routes(routes!(backup::repair))
        .routes(routes!(backup::restore_plan, backup::restore))
        .routes(routes!(dumps::dumps, dumps::say, dumps::clear))
        .routes(routes!(dumps::take_path))
        .routes(routes!(dumps::take))
        .routes(routes!(export::export))
        .routes(routes!(export::look, export::import))
        .routes(routes!(shelf::shelf))
        .routes(routes!(shelf::take_path))
        .routes(routes!(shelf::note, shelf::remove))
        .routes(routes!(shelf::instructions))
        .routes(routes!(shelf::make))
        .routes(routes!(shelf::recovery, shelf::choose))
        .routes(routes!(backup::settings))
        .routes(routes!(backup::set_policy))
        .routes(routes!(backup::add_place))
        .routes(routes!(backup::remove_place))
        .routes(routes!(backup::found, backup::take_over))
        .routes(routes!(backup::cancel))
        .routes(routes!(log::lines))
        .routes(routes!(log::check))
        .routes(routes!(log::set_aside))
        .routes(routes!(stream::jobs))
        .routes(routes!(stream::events))
}

/// Routes that take a picture.
fn with_pictures() -> OpenApiRouter<App> {
    OpenApiRouter::default().routes(routes!(notes::picture, notes::put_picture))
}

/// The routes whose bodies are read as they come, of any length.
fn with_files() -> OpenApiRouter<App> {
    OpenApiRouter::default()
        .routes(routes!(shelf::put))
        .routes(routes!(dumps::put))
}

/// The API's description, pretty-printed, as `docs/openapi.json` holds it.
#[must_use]
pub fn openapi() -> String {
    let (_, description) = described()
        .merge(with_pictures())
        .merge(with_files())
        .split_for_parts();
    let mut text = description.to_pretty_json().unwrap_or_default();
    text.push('\n');
    text
}

/// The API without its guard.
pub(crate) fn router(app: App) -> Router {
    let (router, _) = described().split_for_parts();
    let (pictures, _) = with_pictures().split_for_parts();
    let (files, _) = with_files().split_for_parts();
    router
        .layer(DefaultBodyLimit::max(MOST_BODY_BYTES))
        .merge(files.layer(DefaultBodyLimit::disable()))
        .merge(pictures.layer(DefaultBodyLimit::max(MOST_PICTURE_BYTES)))
        .route("/api/openapi.json", axum::routing::get(async || openapi()))
        .with_state(app)
}
