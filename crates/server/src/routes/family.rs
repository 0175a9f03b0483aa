//! The families: a field guide, and the user's own files.

use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use serde::{Deserialize, Serialize};
use veritope_core::rule::{self, RuleLine};
use veritope_engine::views::WordBook;
use veritope_engine::{FamilyChecked, FamilyLine, FamilyPage};
use veritope_wire::RequestId;

use super::bench::RequestParam;
use super::{App, Json, Path, Query, crossing};
use crate::error::Problem;

/// The families that this bench knows.
#[utoipa::path(get, path = "/api/families", operation_id = "families", responses((status = 200, body = Vec<FamilyLine>), (status = "default", body = Problem)))]
pub(crate) async fn list(State(app): State<App>) -> Result<Json<Vec<FamilyLine>>, Problem> {
    crossing(app, |app| app.engine.library.family_lines())
        .await
        .map(Json)
}

/// The rules of the job, each with its reason.
#[utoipa::path(get, path = "/api/rules", operation_id = "rules", responses((status = 200, body = Vec<RuleLine>), (status = "default", body = Problem)))]
pub(crate) async fn rules() -> Json<Vec<RuleLine>> {
    Json(rule::lines())
}

/// Words for what answers tell by its kind alone.
#[utoipa::path(get, path = "/api/words", operation_id = "words", responses((status = 200, body = WordBook), (status = "default", body = Problem)))]
pub(crate) async fn words() -> Json<WordBook> {
    Json(veritope_engine::views::words())
}

/// One family as a page to read, with its text.
#[utoipa::path(get, path = "/api/families/{family}", operation_id = "family", params(("family" = String, Path)), responses((status = 200, body = FamilyPage), (status = "default", body = Problem)))]
pub(crate) async fn page(
    State(app): State<App>,
    Path(family): Path<String>,
) -> Result<Json<FamilyPage>, Problem> {
    crossing(app, move |app| app.engine.library.family_page(&family))
        .await
        .map(Json)
}

/// The family's text as a file to save.
#[utoipa::path(get, path = "/api/families/{family}/file", operation_id = "familyFile", params(("family" = String, Path)), responses((status = 200, body = String, content_type = "application/toml"), (status = "default", body = Problem)))]
pub(crate) async fn file(
    State(app): State<App>,
    Path(family): Path<String>,
) -> Result<Response, Problem> {
    let page = crossing(app, move |app| app.engine.library.family_page(&family)).await?;
    // A codename is letters, digits and hyphens; the loader sees to it.
    let name = format!("attachment; filename=\"{}.toml\"", page.line.codename);
    let kind = "application/toml; charset=utf-8".to_owned();
    Ok((
        [
            (header::CONTENT_TYPE, kind),
            (header::CONTENT_DISPOSITION, name),
        ],
        page.text,
    )
        .into_response())
}

/// A text that may be a family.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct FamilyText {
    /// The text.
    text: String,
}

/// Says what a text is, without keeping it.
#[utoipa::path(post, path = "/api/family-check", operation_id = "checkFamily", request_body = FamilyText, responses((status = 200, body = FamilyChecked), (status = "default", body = Problem)))]
pub(crate) async fn check(
    State(app): State<App>,
    Json(given): Json<FamilyText>,
) -> Result<Json<FamilyChecked>, Problem> {
    crossing(app, move |app| {
        Ok::<_, Problem>(app.engine.library.check_family(&given.text))
    })
    .await
    .map(Json)
}

/// A family to keep.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct FamilyToKeep {
    /// The text.
    text: String,
    /// The same request twice is done once.
    request: RequestId,
}

/// The family that was kept.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct FamilyMade {
    /// Its codename.
    codename: String,
}

/// Keeps a family of the user's, in place of one with the same codename.
#[utoipa::path(post, path = "/api/families", operation_id = "keepFamily", request_body = FamilyToKeep, responses((status = 200, body = FamilyMade), (status = "default", body = Problem)))]
pub(crate) async fn keep(
    State(app): State<App>,
    Json(given): Json<FamilyToKeep>,
) -> Result<Json<FamilyMade>, Problem> {
    let codename = crossing(app, move |app| {
        app.engine.library.put_family(&given.text, given.request)
    })
    .await?;
    Ok(Json(FamilyMade { codename }))
}

/// Lets a family of the user's go; a shipped one of the same codename counts again.
#[utoipa::path(delete, path = "/api/families/{family}", operation_id = "dropFamily", params(("family" = String, Path), RequestParam), responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn drop(
    State(app): State<App>,
    Path(family): Path<String>,
    Query(RequestParam { request }): Query<RequestParam>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine.library.drop_family(&family, request)
    })
    .await
    .map(Json)
}
