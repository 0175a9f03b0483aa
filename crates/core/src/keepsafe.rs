//! The keep-safe list (`U9`): what the owner would lose at the moment of confirming an unlock, by
//! class. Each class is ticked (where, when, opened to check) or waived.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use veritope_wire::BenchTime;

use crate::facts::{Facts, Happening};

macro_rules! classes {
    ($($name:ident $id:literal $shown:literal,)*) => {
        /// A class of things that live on a unit and nowhere else unless somebody kept them.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, utoipa::ToSchema)]
        #[serde(rename_all = "kebab-case")]
        pub enum KeepClass {
            $(#[doc = $shown] $name,)*
        }

        impl KeepClass {
            /// All classes, in the order asked.
            pub const ALL: &[Self] = &[$(Self::$name,)*];

            /// The id used in files and in the API.
            #[must_use]
            pub fn id(self) -> &'static str {
                match self { $(Self::$name => $id,)* }
            }

            /// Words for a person.
            #[must_use]
            pub fn shown(self) -> &'static str {
                match self { $(Self::$name => $shown,)* }
            }

            /// The class with this id.
            #[must_use]
            pub fn from_id(id: &str) -> Option<Self> {
                Self::ALL.iter().copied().find(|class| class.id() == id)
            }
        }
    };
}

classes! {
    Photos "photos" "Photos and films",
    Messages "messages" "Messages",
    CallHistory "call-history" "Call history",
    Contacts "contacts" "Contacts",
    AppData "app-data" "What apps keep",
    GameProgress "game-progress" "Game progress",
    Notes "notes" "Notes",
    HealthRecords "health-records" "Health records",
    LoginSeeds "login-seeds" "Two-step login seeds",
    Chats "chats" "Chats",
    Esim "esim" "eSIM",
    Downloads "downloads" "Downloads",
    CardFiles "card-files" "Files on the card",
}

/// What was said about one class.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "is", rename_all = "kebab-case")]
pub enum Kept {
    /// Copied, and the copy was opened to check.
    Safe {
        /// Where the copy lies, in the owner's words.
        place: String,
        /// When this was said.
        at: BenchTime,
    },
    /// Nothing of it there, or not wanted.
    Waived {
        /// When this was said.
        at: BenchTime,
    },
}

/// What was said about all classes of one unit.
pub type KeepSafe = BTreeMap<KeepClass, Kept>;

/// The classes of `asked` about which is still to be said something: none while nothing is there, else those
/// that nothing was said about since the last erase.
#[must_use]
pub fn still_open(asked: &[KeepClass], said: &KeepSafe, facts: &Facts) -> Vec<KeepClass> {
    match facts.empty_since() {
        Some(_) => Vec::new(),
        None => open_classes(asked, said, facts.last(Happening::Wiped)),
    }
}

/// The classes of `asked` that nothing was said about since `erased` (data kept before an erase
/// says nothing about what came onto the unit after it).
#[must_use]
fn open_classes(asked: &[KeepClass], said: &KeepSafe, erased: Option<BenchTime>) -> Vec<KeepClass> {
    asked
        .iter()
        .copied()
        .filter(|class| match said.get(class) {
            None => true,
            Some(Kept::Safe { at, .. } | Kept::Waived { at }) => {
                erased.is_some_and(|erased| erased > *at)
            }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::testing::at;

    #[test]
    fn what_was_said_before_an_erase_counts_no_longer() {
        let asked = [KeepClass::Photos, KeepClass::Chats];
        let said = KeepSafe::from([(KeepClass::Photos, Kept::Waived { at: at(5) })]);
        assert_eq!(open_classes(&asked, &said, None), [KeepClass::Chats]);
        assert_eq!(open_classes(&asked, &said, Some(at(4))), [KeepClass::Chats]);
        assert_eq!(open_classes(&asked, &said, Some(at(6))), asked);
    }
}
