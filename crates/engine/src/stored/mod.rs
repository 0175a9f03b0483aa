//! The forms in which the log's lines and the data folder's files hold what is known: types of their own, apart from those that judge
//! and those that the API shows (`docs/log-format.md`). A field that is added to either of these does not
//! reach the log, or vanish from it, before somebody says here how it is written and read.
//!
//! * `words`: things that are one word
//! * `facts`, `backup`, `sheet`: what is made of several

mod backup;
mod facts;
mod sheet;
mod words;

use serde::{Deserialize, Deserializer, Serialize, Serializer};
use veritope_wire::{BenchTime, CaptureId, Digest, FactId, Label, PlaceId, WallTime};

pub(crate) use backup::{Capture, Copied, Damage, Own, When};
pub(crate) use facts::{Fact, Keeping, Pairing, Policy};
pub(crate) use sheet::{Act, Agreed, HandsOn, Rules, Sheet};
pub(crate) use words::{Ended, Happened, RestWord, Result, Shown, Told, Word};

/// The form in which a `T` is stored.
pub(crate) trait Form<T>: Sized {
    /// Of this one.
    fn of(it: &T) -> Self;

    /// What it says.
    ///
    /// # Errors
    /// One sentence, when it is nothing that this program knows.
    fn read(self) -> std::result::Result<T, String>;
}

/// Writes and reads a field in its stored form: `#[serde(with = "As::<Form>")]`.
pub(crate) struct As<S>(std::marker::PhantomData<S>);

impl<S> As<S> {
    pub(crate) fn serialize<T, W: Serializer>(it: &T, to: W) -> std::result::Result<W::Ok, W::Error>
    where
        S: Form<T> + Serialize,
    {
        S::of(it).serialize(to)
    }

    pub(crate) fn deserialize<'de, T, R: Deserializer<'de>>(
        from: R,
    ) -> std::result::Result<T, R::Error>
    where
        S: Form<T> + Deserialize<'de>,
    {
        S::deserialize(from)?
            .read()
            .map_err(serde::de::Error::custom)
    }
}

impl<T, S: Form<T>> Form<Vec<T>> for Vec<S> {
    fn of(it: &Vec<T>) -> Self {
        it.iter().map(S::of).collect()
    }

    fn read(self) -> std::result::Result<Vec<T>, String> {
        self.into_iter().map(S::read).collect()
    }
}

impl<T, S: Form<T>> Form<Option<T>> for Option<S> {
    fn of(it: &Option<T>) -> Self {
        it.as_ref().map(S::of)
    }

    fn read(self) -> std::result::Result<Option<T>, String> {
        self.map(S::read).transpose()
    }
}

impl<T, S: Form<T>> Form<Box<T>> for Box<S> {
    fn of(it: &Box<T>) -> Self {
        Self::new(S::of(it))
    }

    fn read(self) -> std::result::Result<Box<T>, String> {
        (*self).read().map(Box::new)
    }
}

/// What has one form everywhere: text, numbers, ids, digests, times.
macro_rules! plain {
    ($($of:ty),* $(,)?) => {
        $(impl Form<$of> for $of {
            fn of(it: &$of) -> Self {
                it.clone()
            }

            fn read(self) -> std::result::Result<$of, String> {
                Ok(self)
            }
        })*
    };
}

plain!(
    bool, u8, u16, u32, u64, String, Digest, Label, BenchTime, WallTime, CaptureId, FactId, PlaceId
);

/// A stored form with the same fields as what it is the form of, each in its own form.
macro_rules! form {
    ($(#[$doc:meta])* $name:ident of $($of:ident)::+ {
        $($(#[$with:meta])* $field:ident: $form:ty,)*
    }) => {
        #[derive(serde::Serialize, serde::Deserialize)]
        $(#[$doc])*
        pub(crate) struct $name {
            $($(#[$with])* $field: $form,)*
        }

        impl $crate::stored::Form<$($of)::+> for $name {
            fn of(it: &$($of)::+) -> Self {
                let $($of)::+ { $($field),* } = it;
                Self { $($field: $crate::stored::Form::of($field),)* }
            }

            fn read(self) -> std::result::Result<$($of)::+, String> {
                Ok($($of)::+ { $($field: self.$field.read()?,)* })
            }
        }
    };
}

/// The same for one of several kinds, told apart by the word under `tag`.
macro_rules! kinds {
    ($(#[$doc:meta])* $name:ident of $of:ident, $tag:literal {
        $($kind:ident $word:literal { $($field:ident: $form:ty,)* })*
    }) => {
        #[derive(serde::Serialize, serde::Deserialize)]
        $(#[$doc])*
        #[serde(tag = $tag)]
        pub(crate) enum $name {
            $(#[serde(rename = $word)] $kind { $($field: $form,)* },)*
        }

        impl $crate::stored::Form<$of> for $name {
            fn of(it: &$of) -> Self {
                match it {
                    $($of::$kind { $($field),* } => Self::$kind {
                        $($field: $crate::stored::Form::of($field),)*
                    },)*
                }
            }

            fn read(self) -> std::result::Result<$of, String> {
                Ok(match self {
                    $(Self::$kind { $($field),* } => $of::$kind {
                        $($field: $field.read()?,)*
                    },)*
                })
            }
        }
    };
}

use {form, kinds};

#[cfg(test)]
mod tests {
    use veritope_core::act::{self, Go, Unlock};
    use veritope_core::dossier::{By, Dossier, Shelved};
    use veritope_core::facts::{FactKey, FactRow, FactValue, Facts, Source};
    use veritope_core::family::{SHIPPED, load};
    use veritope_core::goal::Goal;
    use veritope_core::plan::find;
    use veritope_core::state::{Presence, State};

    use super::*;

    /// What judges, or is shown, never stands in a line as it is.
    #[test]
    fn every_field_of_an_entry_has_a_form_of_its_own() {
        let source = include_str!("../desk/record.rs");
        let (head, rest) = source.split_once("pub enum Entry {").unwrap();
        let (body, _) = rest.split_once("\n}\n").unwrap();
        let imported = |line: &&str| line.starts_with("use veritope_core::");
        let judged: Vec<&str> = head
            .lines()
            .filter(imported)
            .flat_map(|line| line.split(|c: char| !c.is_alphanumeric()))
            .filter(|word| word.starts_with(char::is_uppercase))
            .chain(["StepResult", "RunEnd", "DamageFacts"])
            .collect();
        assert!(judged.len() > 15, "{judged:?}");
        let lines: Vec<&str> = body.lines().map(str::trim).collect();
        let (mut seen, mut bare) = (0, Vec::new());
        for (at, line) in lines.iter().enumerate() {
            let Some((_, of)) = line.split_once(": ").filter(|_| !line.starts_with('/')) else {
                continue;
            };
            let words = of.split(|c: char| !c.is_alphanumeric());
            if words.into_iter().any(|word| judged.contains(&word)) {
                seen += 1;
                let above = lines[..at].iter().rev();
                let mut attributes = above.take_while(|line| !line.starts_with("///"));
                if !attributes.any(|line| line.contains("As::<")) {
                    bare.push(*line);
                }
            }
        }
        assert!(seen > 20, "{seen}");
        assert!(bare.is_empty(), "{bare:?}");
    }

    fn row((key, value): (&str, &str)) -> FactRow {
        let key = FactKey::from_id(key).unwrap();
        FactRow {
            id: FactId::new(uuid::Uuid::from_u128(1)),
            key,
            value: FactValue::parse(key, value).unwrap(),
            source: Source::Link,
            at: BenchTime::from_ms(0),
        }
    }

    /// Sheets of all families to all goals: stored, read and the same; no number where an act takes an id.
    #[test]
    fn sheets_come_back_as_they_were() {
        let mut sheets = 0;
        for (file, text) in SHIPPED {
            let family = load(file, text).unwrap();
            let told = [
                ("mode", "system"),
                ("lock", "unlocked"),
                ("debugging", "on"),
            ];
            let rows: Vec<FactRow> = told.into_iter().map(row).collect();
            let known = Facts::new(&rows, &[], []);
            let of = Dossier::new(&family, &known, BenchTime::from_ms(0));
            let of = Dossier {
                by: By {
                    link: Presence::Here,
                    ..of.by
                },
                recovery: Some(Shelved::default()),
                ..of
            };
            for goal in Goal::ALL {
                let Ok(sheet) = find(&of, State::from_facts(&known), goal) else {
                    continue;
                };
                let stored = serde_json::to_value(Sheet::of(&sheet)).unwrap();
                for step in stored["steps"].as_array().unwrap() {
                    let act = step["act"].as_object().unwrap();
                    assert!(act.values().all(serde_json::Value::is_string), "{act:?}");
                }
                let read: Sheet = serde_json::from_value(stored).unwrap();
                assert_eq!(read.read().unwrap(), sheet);
                sheets += 1;
            }
        }
        assert!(sheets > 40, "{sheets}");
    }

    /// Numbers of before are read by what the step changes and where it leads.
    #[test]
    fn steps_of_before_get_their_ids() {
        let spine = include_str!(
            "../../../server/tests/fixtures/spine/data/log/01a2105d-af70-74a4-9515-53e286c6496e.jsonl"
        );
        let family = SHIPPED.iter().find(|(file, _)| file.contains("gimbal"));
        let family = family
            .map(|(file, text)| load(file, text).unwrap())
            .unwrap();
        let mut named = 0;
        for line in spine.lines() {
            let line: serde_json::Value = serde_json::from_str(line).unwrap();
            let Some(sheet) = line["entry"].get("sheet") else {
                continue;
            };
            let sheet: Sheet = serde_json::from_value(sheet.clone()).unwrap();
            let sheet: veritope_core::plan::Sheet = sheet.read().unwrap();
            for step in &sheet.steps {
                match &step.act {
                    act::Act::Go(Go { way }) => {
                        let is_there = family.way(way).is_some_and(|spec| {
                            (Some(spec.from), Some(spec.to)) == (step.before.mode, step.after.mode)
                        });
                        // Two ways lead from the system to bootloader mode: which one it was is not told.
                        assert_eq!(is_there, way != "system-to-bootloader", "{way}");
                    }
                    act::Act::Unlock(Unlock { stage }) => {
                        assert!(family.stage(stage).is_some(), "{stage}");
                    }
                    _ => continue,
                }
                named += 1;
            }
        }
        assert!(named > 0);
    }
}
