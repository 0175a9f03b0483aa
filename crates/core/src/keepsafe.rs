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

            /// The same within a sentence: a name that begins small stays as it is.
            #[must_use]
            pub fn within(self) -> String {
                let shown = self.shown();
                let mut letters = shown.chars();
                match (letters.next(), letters.clone().next()) {
                    (Some(first), Some(second)) if second.is_lowercase() => {
                        format!("{}{}", first.to_lowercase(), letters.as_str())
                    }
                    _ => shown.to_owned(),
                }
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
/// that nothing was said about since the last erase, and those whose copy lies nowhere, or on the unit itself.
#[must_use]
pub fn still_open(
    asked: &[KeepClass],
    said: &KeepSafe,
    facts: &Facts,
    nickname: &str,
) -> Vec<KeepClass> {
    match facts.empty_since() {
        Some(_) => Vec::new(),
        None => open_classes(asked, said, facts.last(Happening::Wiped), nickname),
    }
}

/// What is asked once more before all of `open` is waived, naming what nobody can give back; nothing where none
/// of that is among it (`U9`).
#[must_use]
pub fn ask_once_more(open: &[KeepClass]) -> Option<String> {
    let dearest = [KeepClass::LoginSeeds, KeepClass::Esim, KeepClass::Photos];
    let named: Vec<String> = dearest
        .iter()
        .filter(|class| open.contains(class))
        .map(|class| class.within())
        .collect();
    let (last, others) = named.split_last()?;
    let named = match others {
        [] => last.clone(),
        others => format!("{} and {last}", others.join(", ")),
    };
    Some(format!(
        "Nobody can give {named} back, and without them accounts and numbers may be lost. Is really none of it to be kept?"
    ))
}

fn open_classes(
    asked: &[KeepClass],
    said: &KeepSafe,
    erased: Option<BenchTime>,
    nickname: &str,
) -> Vec<KeepClass> {
    // Data kept before an erase says nothing about what came onto the unit after it.
    let is_before = |at: &BenchTime| erased.is_some_and(|erased| erased > *at);
    let is_open = |class: &KeepClass| match said.get(class) {
        None => true,
        Some(Kept::Safe { place, at }) => is_before(at) || !is_elsewhere(place, nickname),
        Some(Kept::Waived { at }) => is_before(at),
    };
    asked.iter().copied().filter(is_open).collect()
}

/// Words for the unit itself.
const ITSELF: &[&str] = &[
    "",
    "device",
    "here",
    "internal",
    "internal storage",
    "it",
    "itself",
    "none",
    "nowhere",
    "on it",
    "phone",
    "same",
    "same device",
    "same phone",
    "same unit",
    "there",
    "unit",
    "watch",
    "yes",
    "ok",
];

/// Whether a place names something other than the unit itself: an erase would take the copy along.
#[must_use]
pub fn is_elsewhere(place: &str, nickname: &str) -> bool {
    let kept = |c: char| c.is_alphanumeric() || c == ' ';
    let plain: String = place.to_lowercase().chars().filter(|c| kept(*c)).collect();
    let words: Vec<&str> = plain
        .split_whitespace()
        .skip_while(|word| ["on", "in", "the", "this", "its", "my", "own"].contains(word))
        .collect();
    let named = words.join(" ");
    !ITSELF.contains(&named.as_str()) && named != nickname.to_lowercase()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn waiving_all_names_what_nobody_gives_back_and_nothing_else() {
        let asked = ask_once_more(&[KeepClass::Notes, KeepClass::Esim, KeepClass::LoginSeeds]);
        let asked = asked.unwrap();
        assert!(
            asked.contains("give two-step login seeds and eSIM back"),
            "{asked}"
        );
        assert!(!asked.to_lowercase().contains("notes"));
        assert_eq!(
            ask_once_more(&[KeepClass::Notes, KeepClass::Downloads]),
            None
        );
    }
    use crate::facts::testing::at;

    #[test]
    fn what_was_said_before_an_erase_counts_no_longer() {
        let asked = [KeepClass::Photos, KeepClass::Chats];
        let said = KeepSafe::from([(KeepClass::Photos, Kept::Waived { at: at(5) })]);
        assert_eq!(
            open_classes(&asked, &said, None, "Gull"),
            [KeepClass::Chats]
        );
        assert_eq!(
            open_classes(&asked, &said, Some(at(4)), "Gull"),
            [KeepClass::Chats]
        );
        assert_eq!(open_classes(&asked, &said, Some(at(6)), "Gull"), asked);
    }

    #[test]
    fn a_copy_on_the_unit_itself_is_none() {
        for place in [
            "",
            " ",
            "-",
            "on the phone",
            "The unit",
            "internal storage",
            "Gull",
            "on it.",
        ] {
            assert!(!is_elsewhere(place, "Gull"), "{place:?}");
        }
        for place in [
            "laptop",
            "the owner's laptop",
            "a stick",
            "the card",
            "phone of her sister",
        ] {
            assert!(is_elsewhere(place, "Gull"), "{place:?}");
        }
    }
}
