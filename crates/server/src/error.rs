//! Errors as they leave the server: RFC 9457 problem documents, with the rules and the missing
//! evidence as data. What a person may read goes out; what an engineer needs goes to the log.

use axum::extract::rejection::{BytesRejection, JsonRejection, PathRejection, QueryRejection};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Serialize;
use veritope_core::evidence::Line;
use veritope_core::permission::sentence;
use veritope_core::rule::Rule;
use veritope_engine::desk::journal::JournalError;
use veritope_engine::keeping::KeepingError;
use veritope_engine::links::LinksError;
use veritope_engine::runs::RunsError;
use veritope_engine::turns::TurnError;
use veritope_engine::units::UnitsError;
use veritope_engine::views::ViewError;
use veritope_engine::{DeskError, LibraryError};

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
    pub(crate) missing: Vec<Line>,
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

/// An error and its causes on one line. Whoever names a cause in its own words doesn't give it as a source,
/// so that each is said once.
pub fn chain(error: &dyn std::error::Error) -> String {
    let causes = std::iter::successors(Some(error), |error| error.source());
    let told: Vec<String> = causes.map(ToString::to_string).collect();
    told.join(": ")
}

/// What a room's error is to whoever asked: a status, and a code that tells it from others.
type Answer = (StatusCode, &'static str);

const NOT_FOUND: Answer = (StatusCode::NOT_FOUND, "not-found");
const BAD_INPUT: Answer = (StatusCode::UNPROCESSABLE_ENTITY, "bad-input");
const NOT_NOW: Answer = (StatusCode::CONFLICT, "not-now");
const NO_SHEET: Answer = (StatusCode::CONFLICT, "no-sheet");
const RECORD: Answer = (StatusCode::INTERNAL_SERVER_ERROR, "record");

impl Problem {
    /// An error of the engine's, its causes once each. What the server could not do goes to its log too.
    fn of((status, code): Answer, error: &dyn std::error::Error) -> Self {
        let problem = Self::new(status, code, sentence(&chain(error)));
        if status.is_server_error() {
            tracing::error!(id = %problem.id, error = chain(error), "a request failed");
        }
        problem
    }

    fn by(self, rule: Rule) -> Self {
        Self {
            rule: Some(rule),
            ..self
        }
    }
}

impl From<JournalError> for Problem {
    fn from(error: JournalError) -> Self {
        DeskError::from(error).into()
    }
}

impl From<DeskError> for Problem {
    fn from(error: DeskError) -> Self {
        let answer = match &error {
            DeskError::NoUnit(_) => NOT_FOUND,
            DeskError::AnotherRequest => BAD_INPUT,
            DeskError::MovedOn => NOT_NOW,
            DeskError::Journal(JournalError::Held(_)) => (StatusCode::CONFLICT, "held-back"),
            DeskError::Journal(_) => RECORD,
        };
        Self::of(answer, &error)
    }
}

impl From<LibraryError> for Problem {
    fn from(error: LibraryError) -> Self {
        use LibraryError as E;
        let answer = match &error {
            E::NoFamilyNamed(_) | E::NoFact(_) | E::NoPlace(_) | E::NoFile => NOT_FOUND,
            E::ShelfFile(_) => RECORD,
            E::Stopped => (StatusCode::CONFLICT, "stopped"),
            E::NoFamily => NO_SHEET,
            E::PlaceAway(_) => (StatusCode::CONFLICT, "place-away"),
            E::Shelf(_) => (StatusCode::CONFLICT, "shelf"),
            E::Vault(_) => (StatusCode::CONFLICT, "vault"),
            E::NotThisWay(_) => NOT_NOW,
            E::NotAValue(_) | E::BadInput(_) => BAD_INPUT,
            E::Data(_) | E::Desk(_) => RECORD,
        };
        match error {
            E::Desk(error) => error.into(),
            error => Self::of(answer, &error),
        }
    }
}

impl From<TurnError> for Problem {
    fn from(error: TurnError) -> Self {
        match error {
            TurnError::Closed { rule, missing } => {
                let error = TurnError::Closed {
                    rule,
                    missing: missing.clone(),
                };
                Self {
                    missing,
                    ..Self::of((StatusCode::CONFLICT, "seal-closed"), &error).by(rule)
                }
            }
            TurnError::Desk(error) => error.into(),
            TurnError::Busy => Self::of(NOT_NOW, &error),
        }
    }
}

impl From<LinksError> for Problem {
    fn from(error: LinksError) -> Self {
        use LinksError as E;
        match error {
            E::NoBridge(_) => Self::of(NOT_FOUND, &error),
            E::NotThisWay(_) => Self::of(NOT_NOW, &error),
            E::NotAValue(_) | E::BadInput(_) => Self::of(BAD_INPUT, &error),
            E::Link(_) => Self::of((StatusCode::BAD_GATEWAY, "link"), &error),
            E::AnotherUnit { .. } => {
                Self::of((StatusCode::CONFLICT, "another-unit"), &error).by(Rule::K4)
            }
            E::NotTold { .. } => Self::of((StatusCode::CONFLICT, "not-told"), &error).by(Rule::K4),
            E::Doubtful { .. } => {
                Self::of((StatusCode::CONFLICT, "doubtful-mode"), &error).by(Rule::K5)
            }
            E::Turn(error) => error.into(),
            E::Desk(error) => error.into(),
            E::Library(error) => error.into(),
        }
    }
}

impl From<UnitsError> for Problem {
    fn from(error: UnitsError) -> Self {
        use UnitsError as E;
        match error {
            E::RunIsOpen => Self::of(NOT_NOW, &error),
            E::NoFact(_) => Self::of(NOT_FOUND, &error),
            E::NoFamily => Self::of(NO_SHEET, &error),
            E::NotAValue(_) | E::BadInput(_) => Self::of(BAD_INPUT, &error),
            E::Links(error) => error.into(),
            E::Turn(error) => error.into(),
            E::Desk(error) => error.into(),
        }
    }
}

impl From<KeepingError> for Problem {
    fn from(error: KeepingError) -> Self {
        use KeepingError as E;
        match error {
            E::NoFamily => Self::of(NO_SHEET, &error),
            E::NoCapture(_) => Self::of(NOT_FOUND, &error),
            E::NoBackup { rule, .. } => {
                Self::of((StatusCode::CONFLICT, "no-backup"), &error).by(rule)
            }
            E::Stopped => Self::of((StatusCode::CONFLICT, "stopped"), &error),
            E::Shelf(_) => Self::of((StatusCode::CONFLICT, "shelf"), &error),
            E::NotThisWay(_) | E::LookFirst | E::NoStep => Self::of(NOT_NOW, &error),
            E::NotAValue(_) | E::BadInput(_) => Self::of(BAD_INPUT, &error),
            E::Vault(_) => Self::of((StatusCode::CONFLICT, "vault"), &error),
            E::Pump(_) => Self::of(RECORD, &error),
            E::Links(error) => error.into(),
            E::Turn(error) => error.into(),
            E::Desk(error) => error.into(),
            E::Library(error) => error.into(),
        }
    }
}

impl From<RunsError> for Problem {
    fn from(error: RunsError) -> Self {
        use RunsError as E;
        match error {
            E::NoRun(_) => Self::of(NOT_FOUND, &error),
            E::StaleRevision { .. } => {
                Self::of((StatusCode::PRECONDITION_FAILED, "stale-revision"), &error)
            }
            E::RunIsOpen | E::LookFirst | E::NoStep | E::NotThisWay(_) => Self::of(NOT_NOW, &error),
            E::FamilyGone => Self::of((StatusCode::CONFLICT, "family-gone"), &error),
            E::WhyNot(ref why) => {
                let rule = why.first().map(|why| why.rule);
                Self {
                    rule,
                    ..Self::of(NO_SHEET, &error)
                }
            }
            E::NoFamily | E::NoPlan(_) => Self::of(NO_SHEET, &error),
            E::WrongName { .. } | E::NotAValue(_) | E::BadInput(_) => Self::of(BAD_INPUT, &error),
            E::Keeping(error) => error.into(),
            E::Links(error) => error.into(),
            E::Turn(error) => error.into(),
            E::Desk(error) => error.into(),
            E::Library(error) => error.into(),
        }
    }
}

impl From<ViewError> for Problem {
    fn from(error: ViewError) -> Self {
        match error {
            ViewError::WaitsForNothing(_) => Self::of(BAD_INPUT, &error),
            ViewError::Desk(error) => error.into(),
            ViewError::Keeping(error) => error.into(),
        }
    }
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
