//! Identifiers. Each is a UUID behind a type of its own, so that a run can't be passed where a unit
//! is wanted. They are made outside the core (version 7, by whoever holds the clock) and come in as
//! values.

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};
use uuid::Uuid;

/// The text is not a UUID; carries what the id was wanted for.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{found}` is not a {wanted} id")]
pub struct NotAnId {
    /// What kind of id was expected.
    pub wanted: &'static str,
    /// The text that was found, cut to 60 characters.
    pub found: String,
}

macro_rules! id {
    ($(#[$doc:meta])* $name:ident, $wanted:literal) => {
        $(#[$doc])*
        #[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, utoipa::ToSchema)]
        #[serde(transparent)]
        #[schema(value_type = String, format = "uuid")]
        pub struct $name(Uuid);

        impl $name {
            /// Wraps a UUID that the caller has made or read from a store.
            #[must_use]
            pub fn new(uuid: Uuid) -> Self {
                Self(uuid)
            }

            /// The id of what was only supposed, never recorded.
            #[must_use]
            pub const fn nil() -> Self {
                Self(Uuid::nil())
            }

            /// The UUID itself, for stores.
            #[must_use]
            pub fn uuid(self) -> Uuid {
                self.0
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                self.0.hyphenated().fmt(f)
            }
        }

        impl fmt::Debug for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                write!(f, concat!($wanted, " {}"), self.0)
            }
        }

        impl FromStr for $name {
            type Err = NotAnId;

            fn from_str(text: &str) -> Result<Self, NotAnId> {
                Uuid::try_parse(text).map(Self).map_err(|_| NotAnId {
                    wanted: $wanted,
                    found: text.chars().take(60).collect(),
                })
            }
        }
    };
}

id!(
    /// A backup of partitions of one unit, taken at one time.
    CaptureId, "capture"
);
id!(
    /// A place that keeps captures: the bench's own vault, a stick, another disk.
    PlaceId, "place"
);
id!(
    /// A piece of work that reads or writes partitions.
    JobId, "job"
);
id!(
    /// One physical device on this bench.
    UnitId, "unit"
);
id!(
    /// One attempt to reach a goal with a unit.
    RunId, "run"
);
id!(
    /// One recorded fact about a unit.
    FactId, "fact"
);
id!(
    /// One bridge: the program at the other end of a bench link.
    BridgeId, "bridge"
);
id!(
    /// One request that changes something; the same id twice is done once.
    RequestId, "request"
);

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_path_is_not_an_id() {
        let error = "../../log".parse::<UnitId>().unwrap_err();
        assert_eq!(error.to_string(), "`../../log` is not a unit id");
    }

    #[test]
    fn ids_round_trip_as_text() {
        let text = "0192f0c1-2345-7abc-8def-0123456789ab";
        let id: RunId = text.parse().unwrap();
        assert_eq!(id.to_string(), text);
        assert_eq!(serde_json::to_string(&id).unwrap(), format!("\"{text}\""));
    }
}
