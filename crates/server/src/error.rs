//! Errors as they leave the server: RFC 9457 problem documents, with the rules and the missing
//! evidence as data. What a person may read goes out; what an engineer needs goes to the log.

use axum::extract::rejection::{BytesRejection, JsonRejection, PathRejection, QueryRejection};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Serialize;
use veritope_core::rule::Rule;
use veritope_core::seal::Item;
use veritope_engine::EngineError;
use veritope_engine::desk::journal::JournalError;

/// A problem document.
#[derive(Debug, Clone, Serialize, utoipa::ToSchema)]
pub(crate) struct Problem {
    /// Always `about:blank`; `code` tells problems apart.
    #[serde(rename = "type")]
    pub(crate) kind: &'static str,
    /// Short title.
    pub(crate) title: &'static str,
    /// HTTP status.
    pub(crate) status: u16,
    /// Machine-readable code.
    pub(crate) code: &'static str,
    /// One sentence: what, where, what to do.
    pub(crate) detail: String,
    /// The rule that stood against it.
    pub(crate) rule: Option<Rule>,
    /// The evidence that is missing.
    pub(crate) missing: Vec<Item>,
    /// Tells this answer from others, here and in the log of the server.
    #[schema(value_type = String, format = "uuid")]
    pub(crate) id: uuid::Uuid,
}

impl Problem {
    pub(crate) fn new(status: StatusCode, code: &'static str, detail: impl Into<String>) -> Self {
        Self {
            kind: "about:blank",
            title: status.canonical_reason().unwrap_or("Problem"),
            status: status.as_u16(),
            code,
            detail: detail.into(),
            rule: None,
            missing: Vec::new(),
            id: uuid::Uuid::now_v7(),
        }
    }
}

impl Problem {
    fn of_body(status: StatusCode, text: &str) -> Self {
        let code = if status == StatusCode::PAYLOAD_TOO_LARGE {
            "too-large"
        } else {
            "bad-body"
        };
        Self::new(status, code, sentence(text))
    }
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let status = StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
        let body = serde_json::to_vec(&self).unwrap_or_default();
        (
            status,
            [(header::CONTENT_TYPE, "application/problem+json")],
            body,
        )
            .into_response()
    }
}

/// The whole chain of an error on one line, for the log and for link problems.
pub(crate) fn chain(error: &dyn std::error::Error) -> String {
    let mut text = error.to_string();
    let mut next = error.source();
    while let Some(source) = next {
        let more = source.to_string();
        if !text.contains(&more) {
            text = format!("{text}: {more}");
        }
        next = source.source();
    }
    text
}

impl From<EngineError> for Problem {
    fn from(error: EngineError) -> Self {
        use EngineError as E;
        let (status, code) = match &error {
            E::NoUnit(_)
            | E::NoBridge(_)
            | E::NoFamilyNamed(_)
            | E::NoFact(_)
            | E::NoRun(_)
            | E::NoPlace(_)
            | E::NoCapture(_) => (StatusCode::NOT_FOUND, "not-found"),
            E::PlaceAway(_) => (StatusCode::CONFLICT, "place-away"),
            E::NoBackup { .. } => (StatusCode::CONFLICT, "no-backup"),
            E::Stopped => (StatusCode::CONFLICT, "stopped"),
            E::Vault(_) => (StatusCode::CONFLICT, "vault"),
            E::StaleRevision { .. } => (StatusCode::PRECONDITION_FAILED, "stale-revision"),
            E::Closed { .. } => (StatusCode::CONFLICT, "seal-closed"),
            E::WhyNot(_) | E::NoPlan(_) | E::NoFamily => (StatusCode::CONFLICT, "no-sheet"),
            E::FamilyGone => (StatusCode::CONFLICT, "family-gone"),
            E::RunIsOpen | E::Busy | E::LookFirst | E::NoStep | E::NotThisWay(_) => {
                (StatusCode::CONFLICT, "not-now")
            }
            E::AnotherUnit { .. } => (StatusCode::CONFLICT, "another-unit"),
            E::Doubtful { .. } => (StatusCode::CONFLICT, "doubtful-mode"),
            E::WrongName { .. } | E::NotAValue(_) | E::BadInput(_) => {
                (StatusCode::UNPROCESSABLE_ENTITY, "bad-input")
            }
            E::Link(_) => (StatusCode::BAD_GATEWAY, "link"),
            E::Shelf(_) => (StatusCode::CONFLICT, "shelf"),
            E::Journal(JournalError::Held(_)) => (StatusCode::CONFLICT, "held-back"),
            E::Journal(_) | E::Data(_) | E::Pump(_) => {
                (StatusCode::INTERNAL_SERVER_ERROR, "record")
            }
        };
        let mut problem = Self::new(status, code, sentence(&chain(&error)));
        if status.is_server_error() {
            tracing::error!(id = %problem.id, error = chain(&error), "a request failed");
        }
        match error {
            E::Closed { rule, missing } => {
                problem.rule = Some(rule);
                problem.missing = missing;
            }
            E::AnotherUnit { .. } => problem.rule = Some(Rule::K4),
            E::Doubtful { .. } => problem.rule = Some(Rule::K5),
            E::NoBackup { rule, .. } => problem.rule = Some(rule),
            E::WhyNot(why) => problem.rule = why.first().map(|why| why.rule),
            _ => {}
        }
        problem
    }
}

impl From<JournalError> for Problem {
    fn from(error: JournalError) -> Self {
        EngineError::from(error).into()
    }
}

/// First letter large, full stop at the end: error texts inside are lower-case fragments.
pub(crate) fn sentence(text: &str) -> String {
    let mut chars = text.chars();
    let start: String = chars
        .next()
        .map(|c| c.to_uppercase().collect())
        .unwrap_or_default();
    let end = if text.ends_with(['.', '!', '?']) {
        ""
    } else {
        "."
    };
    format!("{start}{}{end}", chars.as_str())
}

impl From<JsonRejection> for Problem {
    fn from(rejection: JsonRejection) -> Self {
        Self::of_body(rejection.status(), &rejection.body_text())
    }
}

impl From<BytesRejection> for Problem {
    fn from(rejection: BytesRejection) -> Self {
        Self::of_body(rejection.status(), &rejection.body_text())
    }
}

impl From<PathRejection> for Problem {
    fn from(rejection: PathRejection) -> Self {
        Self::new(
            StatusCode::NOT_FOUND,
            "not-found",
            sentence(&rejection.body_text()),
        )
    }
}

impl From<QueryRejection> for Problem {
    fn from(rejection: QueryRejection) -> Self {
        Self::new(
            StatusCode::BAD_REQUEST,
            "bad-query",
            sentence(&rejection.body_text()),
        )
    }
}
