//! One unit: tag, standing, facts, keep-safe list, goal.

use axum::extract::State;
use serde::{Deserialize, Serialize};
use veritope_core::facts::FactKey;
use veritope_core::goal::Goal;
use veritope_core::keepsafe::KeepClass;
use veritope_engine::desk::record::Way;
use veritope_engine::views::{PassportView, StandingView, UnitTag};
use veritope_engine::{KeepSaid, NewUnit};
use veritope_wire::link::Handle;
use veritope_wire::{BridgeId, FactId, RequestId, UnitId};

use super::bench::RequestParam;
use super::{App, Json, Path, Query, crossing};
use crate::error::Problem;

/// How a new unit is reached.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(tag = "by", rename_all = "kebab-case")]
pub(crate) enum ReachedBy {
    /// Over a bridge.
    Link {
        /// The bridge.
        bridge: BridgeId,
        /// The bridge's name for the device.
        handle: String,
    },
    /// By hand; the family is chosen.
    Hand {
        /// Codename of the family.
        family: String,
    },
}

/// A unit to put onto the bench.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct UnitToAdd {
    /// Its name here.
    nickname: String,
    /// How it is reached.
    reach: ReachedBy,
    /// Id of the ownership answer.
    ownership: String,
    /// The same request twice is done once.
    request: RequestId,
}

/// The id of what was made.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct UnitMade {
    /// The unit.
    id: UnitId,
}

/// Puts a unit onto the bench.
#[utoipa::path(post, path = "/api/units", operation_id = "addUnit", request_body = UnitToAdd, responses((status = 200, body = UnitMade), (status = "default", body = Problem)))]
pub(crate) async fn add(
    State(app): State<App>,
    Json(unit): Json<UnitToAdd>,
) -> Result<Json<UnitMade>, Problem> {
    let (way, family) = match unit.reach {
        ReachedBy::Link { bridge, handle } => (
            Way::Link {
                bridge,
                handle: Handle(handle),
            },
            None,
        ),
        ReachedBy::Hand { family } => (Way::Hand, Some(family)),
    };
    let new = NewUnit {
        nickname: unit.nickname,
        way,
        family,
        ownership: unit.ownership,
    };
    let id = crossing(app, move |app| app.engine.units.add_unit(new, unit.request)).await?;
    Ok(Json(UnitMade { id }))
}

/// A unit's tag.
#[utoipa::path(get, path = "/api/units/{unit}", operation_id = "unit", params(("unit" = String, Path)), responses((status = 200, body = UnitTag), (status = "default", body = Problem)))]
pub(crate) async fn tag(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
) -> Result<Json<UnitTag>, Problem> {
    crossing(app, move |app| app.engine.views.unit_tag(unit))
        .await
        .map(Json)
}

/// The standing station.
#[utoipa::path(get, path = "/api/units/{unit}/standing", operation_id = "standing", params(("unit" = String, Path)), responses((status = 200, body = StandingView), (status = "default", body = Problem)))]
pub(crate) async fn standing(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
) -> Result<Json<StandingView>, Problem> {
    crossing(app, move |app| app.engine.views.standing_view(unit))
        .await
        .map(Json)
}

/// What goes with a unit when it leaves the bench.
#[utoipa::path(get, path = "/api/units/{unit}/passport", operation_id = "passport", params(("unit" = String, Path)), responses((status = 200, body = PassportView), (status = "default", body = Problem)))]
pub(crate) async fn passport(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
) -> Result<Json<PassportView>, Problem> {
    crossing(app, move |app| app.engine.views.passport(unit))
        .await
        .map(Json)
}

/// One fact that a person says.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SaidFact {
    /// What it is about.
    key: FactKey,
    /// The value as typed.
    value: String,
}

/// Facts that a person says.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SaidFacts {
    /// All are recorded or none.
    facts: Vec<SaidFact>,
    /// The same request twice is done once.
    request: RequestId,
}

/// Records facts.
#[utoipa::path(post, path = "/api/units/{unit}/facts", operation_id = "typeFacts", params(("unit" = String, Path)), request_body = SaidFacts, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn type_facts(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(said): Json<SaidFacts>,
) -> Result<Json<()>, Problem> {
    let facts: Vec<_> = said
        .facts
        .into_iter()
        .map(|fact| (fact.key, fact.value))
        .collect();
    crossing(app, move |app| {
        let units = &app.engine.units;
        units
            .type_facts(unit, &facts, said.request)
            .map_err(Problem::from)?;
        app.engine.runs.reconsider(unit).map_err(Problem::from)
    })
    .await
    .map(Json)
}

/// Takes a fact back that a person said.
#[utoipa::path(delete, path = "/api/units/{unit}/facts/{fact}", operation_id = "retractFact", params(("unit" = String, Path), ("fact" = String, Path), RequestParam), responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn retract(
    State(app): State<App>,
    Path((unit, fact)): Path<(UnitId, FactId)>,
    Query(RequestParam { request }): Query<RequestParam>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        let units = &app.engine.units;
        units.retract(unit, fact, request).map_err(Problem::from)?;
        app.engine.runs.reconsider(unit).map_err(Problem::from)
    })
    .await
    .map(Json)
}

/// What is said about a class of data.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(tag = "is", rename_all = "kebab-case")]
pub(crate) enum Said {
    /// Copied and opened to check.
    Safe {
        /// Where the copy lies.
        place: String,
    },
    /// Nothing of it there, or not wanted.
    Waived,
    /// Open again.
    Open,
}

/// One class and what is said about it.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SaidClass {
    /// The class.
    class: KeepClass,
    /// What is said.
    said: Said,
}

/// What is said about the owner's data.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SaidClasses {
    /// Class by class.
    classes: Vec<SaidClass>,
    /// The same request twice is done once.
    request: RequestId,
}

/// Records what is kept safe, waived, or open again.
#[utoipa::path(post, path = "/api/units/{unit}/keep-safe", operation_id = "keepSafe", params(("unit" = String, Path)), request_body = SaidClasses, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn keep_safe(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(said): Json<SaidClasses>,
) -> Result<Json<()>, Problem> {
    let classes: Vec<_> = said
        .classes
        .into_iter()
        .map(|one| {
            let said = match one.said {
                Said::Safe { place } => KeepSaid::Safe { place },
                Said::Waived => KeepSaid::Waived,
                Said::Open => KeepSaid::Open,
            };
            (one.class, said)
        })
        .collect();
    crossing(app, move |app| {
        app.engine.units.keep_safe(unit, &classes, said.request)
    })
    .await
    .map(Json)
}

/// A goal.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ChosenGoal {
    /// The goal.
    pub(super) goal: Goal,
    /// Why, where the family's default is another way to the same end.
    #[serde(default)]
    pub(super) reason: Option<String>,
    /// The same request twice is done once.
    pub(super) request: RequestId,
}

/// Chooses what is to be reached.
#[utoipa::path(post, path = "/api/units/{unit}/goal", operation_id = "chooseGoal", params(("unit" = String, Path)), request_body = ChosenGoal, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn goal(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(chosen): Json<ChosenGoal>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine
            .units
            .choose_goal(unit, chosen.goal, chosen.reason.as_deref(), chosen.request)
    })
    .await
    .map(Json)
}

/// A name for a unit.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct NewName {
    /// It.
    nickname: String,
    /// The same request twice is done once.
    request: RequestId,
}

/// Gives a unit another name.
#[utoipa::path(post, path = "/api/units/{unit}/name", operation_id = "renameUnit", params(("unit" = String, Path)), request_body = NewName, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn rename(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(new): Json<NewName>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine
            .units
            .rename_unit(unit, &new.nickname, new.request)
    })
    .await
    .map(Json)
}

/// Whether a unit is off the bench.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct PutAway {
    /// Whether it is.
    away: bool,
    /// The same request twice is done once.
    request: RequestId,
}

/// Puts a unit away, or back onto the bench.
#[utoipa::path(post, path = "/api/units/{unit}/away", operation_id = "putAway", params(("unit" = String, Path)), request_body = PutAway, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn put_away(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(wanted): Json<PutAway>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine.units.put_away(unit, wanted.away, wanted.request)
    })
    .await
    .map(Json)
}

/// A device that a unit is.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct DeviceOf {
    /// The bridge.
    bridge: BridgeId,
    /// The bridge's name for the device.
    handle: String,
    /// The same request twice is done once.
    request: RequestId,
}

/// Reaches a unit over a link from now on.
#[utoipa::path(post, path = "/api/units/{unit}/link", operation_id = "linkUnit", params(("unit" = String, Path)), request_body = DeviceOf, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn link(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(device): Json<DeviceOf>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine
            .units
            .link_unit(unit, device.bridge, &device.handle, device.request)
    })
    .await
    .map(Json)
}

/// Reads over the link now.
#[utoipa::path(post, path = "/api/units/{unit}/look", operation_id = "look", params(("unit" = String, Path)), responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn look(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| app.engine.links.look(unit))
        .await
        .map(Json)
}

/// A token as it came by mail.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct TokenCame {
    /// It.
    token: String,
    /// The same request twice is done once.
    request: RequestId,
}

/// Keeps the unit's token, encrypted.
#[utoipa::path(post, path = "/api/units/{unit}/token", operation_id = "keepToken", params(("unit" = String, Path)), request_body = TokenCame, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn keep_token(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(came): Json<TokenCame>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine
            .library
            .keep_token(unit, &came.token, came.request)
    })
    .await
    .map(Json)
}
