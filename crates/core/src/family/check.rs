//! Second stage: what has the right shape must also make sense. Every refusal names the file, the
//! line and the key.

use std::collections::BTreeSet;
use std::ops::Range;

use toml::Spanned;
use veritope_wire::{Digest, Label};

use super::raw::{RawFamily, YesNo};
use super::{
    DebuggingSpec, FAMILY_SCHEMA, FactPlace, Family, Identifier, ModeSpec, MoveSpec, Pace,
    PartitionSpec, RecoveryWriteSpec, Role, StageSpec, TemporaryStartSpec,
};
use crate::mode::Mode;

/// A family file that can't be used, in one sentence with file and line.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{file}, line {line}: {what}")]
pub struct FamilyError {
    /// The file's name.
    pub file: String,
    /// Line, from 1.
    pub line: usize,
    /// What is wrong there, and what to do.
    pub what: String,
}

/// Reads a family from the `text` of a file called `file`.
///
/// # Errors
/// The first thing that is wrong, with its line: not TOML, an unknown or missing key, a value
/// outside its list, a duplicate, a reference to something that is not there.
pub fn load(file: &str, text: &str) -> Result<Family, FamilyError> {
    let at = Locator { file, text };
    let raw: RawFamily = toml::from_str(text).map_err(|error| {
        let span = error.span().unwrap_or(0..0);
        let what = error.message().replace('\n', ", ");
        match at.key_at(span.start) {
            Some(key) if !what.contains(key) => at.refuse(span, format!("`{key}`: {what}")),
            _ => at.refuse(span, what),
        }
    })?;
    at.family(raw)
}

/// What a capture takes where a family doesn't say.
const USUAL_CAPTURE: Pace = Pace {
    usual_seconds: 60,
    stuck_seconds: 900,
};

struct Locator<'a> {
    file: &'a str,
    text: &'a str,
}

impl Locator<'_> {
    /// The key whose value stands at `offset`, where a line of the form `key = value` does.
    fn key_at(&self, offset: usize) -> Option<&str> {
        let before = self.text.get(..offset)?;
        let line = before.rsplit('\n').next()?;
        let key = line.split_once('=')?.0.trim();
        (!key.is_empty()).then_some(key)
    }

    fn refuse(&self, span: Range<usize>, what: impl Into<String>) -> FamilyError {
        let before = self.text.get(..span.start).unwrap_or(self.text);
        FamilyError {
            file: self.file.to_owned(),
            line: before.matches('\n').count() + 1,
            what: what.into(),
        }
    }

    fn family(&self, raw: RawFamily) -> Result<Family, FamilyError> {
        if *raw.schema.get_ref() != FAMILY_SCHEMA {
            return Err(self.refuse(
                raw.schema.span(),
                format!(
                    "`schema` is {}; this program reads {FAMILY_SCHEMA}. Update the program or the file",
                    raw.schema.get_ref()
                ),
            ));
        }
        let codename = raw.identity.codename;
        if codename.get_ref().parse::<Label>().is_err() {
            return Err(self.refuse(
                codename.span(),
                "`codename` takes letters, digits, `_` and `-` only",
            ));
        }
        let modes = self.modes(raw.mode)?;
        let declared: BTreeSet<Mode> = modes.iter().map(|spec| spec.mode).collect();
        let partitions = self.partitions(raw.partition)?;
        let labels: BTreeSet<&Label> = partitions.iter().map(|spec| &spec.label).collect();
        let mut sectors = raw.area.iter().map(|area| area.get_ref());
        if let Some(area) = sectors.find(|area| !matches!(area.sector_bytes.get_ref(), 512 | 4096))
        {
            return Err(self.refuse(
                area.sector_bytes.span(),
                format!("`sector_bytes` of area {} must be 512 or 4096", area.index),
            ));
        }
        let mut moves = Vec::new();
        for spec in raw.moves {
            let spec = spec.into_inner();
            self.mode_is_declared(&spec.from, "move.from", &declared)?;
            self.mode_is_declared(&spec.to, "move.to", &declared)?;
            if spec.from.get_ref() == spec.to.get_ref() {
                return Err(self.refuse(spec.to.span(), "`move.to` is the mode it starts from"));
            }
            moves.push(MoveSpec {
                from: *spec.from.get_ref(),
                to: *spec.to.get_ref(),
                by: spec.by,
                needs_debugging: spec.needs_debugging == YesNo::Yes,
                pace: self.pace(spec.usual, &spec.stuck)?,
                hands_on_seconds: spec.hands_on,
                presses: spec.presses,
                hand: spec.hand,
            });
        }
        let mut stages: Vec<StageSpec> = Vec::new();
        for stage in raw.stage {
            let stage = stage.into_inner();
            self.mode_is_declared(&stage.mode, "stage.mode", &declared)?;
            self.mode_is_declared(&stage.ends_in, "stage.ends_in", &declared)?;
            if stage.forms.get_ref().is_empty() {
                return Err(self.refuse(stage.forms.span(), "`stage.forms` names no command form"));
            }
            if stages.iter().any(|known| known.id == *stage.id.get_ref()) {
                return Err(self.twice(&stage.id, "stage.id"));
            }
            stages.push(StageSpec {
                pace: self.pace(stage.usual, &stage.stuck)?,
                id: stage.id.into_inner(),
                title: stage.title,
                mode: *stage.mode.get_ref(),
                forms: stage.forms.into_inner(),
                question: stage.question,
                default: stage.default,
                answered_by: stage.answered_by,
                hand: stage.hand,
                answer: stage.answer,
                erases: stage.erases,
                ends_in: *stage.ends_in.get_ref(),
            });
        }
        let temporary_start = match raw.temporary_start {
            None => None,
            Some(spec) => {
                let spec = spec.into_inner();
                self.mode_is_declared(&spec.from, "temporary_start.from", &declared)?;
                let partition = self.label(&spec.partition, "temporary_start.partition")?;
                if !labels.contains(&partition) {
                    return Err(self.refuse(
                        spec.partition.span(),
                        format!("`temporary_start.partition` names `{partition}`, which no [[partition]] has"),
                    ));
                }
                Some(TemporaryStartSpec {
                    from: *spec.from.get_ref(),
                    pace: self.pace(spec.usual, &spec.stuck)?,
                    rights: spec.rights,
                    partition,
                    hand: spec.hand,
                })
            }
        };
        let recovery_write = match raw.recovery_write {
            None => None,
            Some(spec) => {
                let spec = spec.into_inner();
                self.mode_is_declared(&spec.mode, "recovery_write.mode", &declared)?;
                let partition = self.label(&spec.partition, "recovery_write.partition")?;
                let is_recovery = partitions
                    .iter()
                    .any(|known| known.label == partition && known.role == Role::Recovery);
                if !is_recovery {
                    return Err(self.refuse(
                        spec.partition.span(),
                        format!("`recovery_write.partition` names `{partition}`, which is no [[partition]] of role recovery"),
                    ));
                }
                Some(RecoveryWriteSpec {
                    mode: *spec.mode.get_ref(),
                    partition,
                    pace: self.pace(spec.usual, &spec.stuck)?,
                    hand: spec.hand,
                })
            }
        };
        let table = raw.table.into_inner();
        let first_start = raw.first_start.into_inner();
        let mut places: Vec<FactPlace> = Vec::new();
        for place in raw.fact {
            let span = place.span();
            let place = place.into_inner();
            if places.iter().any(|known| known.key == place.key) {
                return Err(
                    self.refuse(span, format!("`fact.key` {} stands twice", place.key.id()))
                );
            }
            places.push(FactPlace {
                key: place.key,
                read: place.read,
                place: place.place,
                minutes: place.minutes,
            });
        }
        let mut classes = BTreeSet::new();
        for class in &raw.keep_safe.classes {
            if !classes.insert(*class.get_ref()) {
                return Err(self.refuse(
                    class.span(),
                    format!("`keep_safe.classes` names {} twice", class.get_ref().id()),
                ));
            }
        }
        Ok(Family {
            digest: Digest::of(self.text.as_bytes()),
            maker: raw.identity.maker,
            model: raw.identity.model,
            codename: codename.into_inner(),
            form: raw.identity.form,
            variants: raw
                .variant
                .into_iter()
                .map(|v| v.into_inner().into())
                .collect(),
            places,
            identifiers: raw
                .identifier
                .into_iter()
                .map(|id| {
                    let id = id.into_inner();
                    Identifier {
                        key: id.key,
                        hardware: id.hardware == YesNo::Yes,
                        placeholders: id.placeholders,
                    }
                })
                .collect(),
            partitions,
            modes,
            moves,
            first_start: self.pace(first_start.usual, &first_start.stuck)?,
            debugging: DebuggingSpec {
                hand: raw.debugging.hand,
                minutes: raw.debugging.minutes,
            },
            stages,
            consequences: raw.consequence.into_iter().map(Into::into).collect(),
            temporary_start,
            table: self.pace(table.usual, &table.stuck)?,
            capture: match raw.capture.map(Spanned::into_inner) {
                Some(capture) => self.pace(capture.usual, &capture.stuck)?,
                None => USUAL_CAPTURE,
            },
            recovery_write,
            keep_safe: raw
                .keep_safe
                .classes
                .into_iter()
                .map(Spanned::into_inner)
                .collect(),
            cautions: raw.caution.into_iter().map(Into::into).collect(),
        })
    }

    fn modes(&self, raw: Vec<Spanned<super::raw::RawMode>>) -> Result<Vec<ModeSpec>, FamilyError> {
        let mut modes: Vec<ModeSpec> = Vec::new();
        for spec in raw {
            let span = spec.span();
            let spec = spec.into_inner();
            if modes.iter().any(|known| known.mode == spec.id) {
                return Err(self.refuse(span, format!("`mode.id` {} stands twice", spec.id.id())));
            }
            modes.push(ModeSpec {
                mode: spec.id,
                looks: spec.looks,
                battery_shows: spec.battery_shows == YesNo::Yes,
                charges: spec.charges == YesNo::Yes,
                drain_permille_per_hour: spec.drain_permille_per_hour,
            });
        }
        Ok(modes)
    }

    fn partitions(
        &self,
        raw: Vec<Spanned<super::raw::RawPartition>>,
    ) -> Result<Vec<PartitionSpec>, FamilyError> {
        let mut partitions: Vec<PartitionSpec> = Vec::new();
        for spec in raw {
            let spec = spec.into_inner();
            let label = self.label(&spec.label, "partition.label")?;
            if partitions.iter().any(|known| known.label == label) {
                return Err(self.twice(&spec.label, "partition.label"));
            }
            if *spec.mib.get_ref() == 0 {
                return Err(self.refuse(spec.mib.span(), "`partition.mib` must be at least 1"));
            }
            partitions.push(PartitionSpec {
                label,
                role: spec.role,
                mib: *spec.mib.get_ref(),
                changes: spec.changes,
                blank: spec.blank,
            });
        }
        Ok(partitions)
    }

    fn label(&self, text: &Spanned<String>, key: &str) -> Result<Label, FamilyError> {
        text.get_ref()
            .parse()
            .map_err(|error| self.refuse(text.span(), format!("`{key}`: {error}")))
    }

    fn twice(&self, text: &Spanned<String>, key: &str) -> FamilyError {
        self.refuse(
            text.span(),
            format!("`{key}` {} stands twice", text.get_ref()),
        )
    }

    fn mode_is_declared(
        &self,
        mode: &Spanned<Mode>,
        key: &str,
        declared: &BTreeSet<Mode>,
    ) -> Result<(), FamilyError> {
        if declared.contains(mode.get_ref()) {
            return Ok(());
        }
        Err(self.refuse(
            mode.span(),
            format!(
                "`{key}` names {}, which no [[mode]] has",
                mode.get_ref().id()
            ),
        ))
    }

    fn pace(&self, usual_seconds: u32, stuck: &Spanned<u32>) -> Result<Pace, FamilyError> {
        let stuck_seconds = *stuck.get_ref();
        if stuck_seconds < usual_seconds {
            return Err(self.refuse(
                stuck.span(),
                format!("`stuck` ({stuck_seconds} s) is below `usual` ({usual_seconds} s)"),
            ));
        }
        Ok(Pace {
            usual_seconds,
            stuck_seconds,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::family::testing::GIMBAL;

    #[test]
    fn the_shipped_file_loads_and_its_digest_is_its_texts() {
        let family = load("gimbal.toml", GIMBAL).unwrap();
        assert_eq!(family.name(), "Finch Loop");
        assert_eq!(family.partitions.len(), 9);
        assert_eq!(family.digest, Digest::of(GIMBAL.as_bytes()));
    }

    #[test]
    fn each_mistake_is_named_with_its_line() {
        let cases = [
            (
                "schema = 1",
                "schema = 2",
                "`schema` is 2; this program reads 1",
            ),
            ("mib = 60", "mib = 0", "`partition.mib` must be at least 1"),
            (
                "label = \"boot\"",
                "label = \"aboot\"",
                "`partition.label` aboot stands twice",
            ),
            (
                "label = \"misc\"",
                "label = \"../misc\"",
                "is not a partition label",
            ),
            (
                "partition = \"recovery\"",
                "partition = \"rescue\"",
                "which no [[partition]] has",
            ),
            (
                "sector_bytes = 512",
                "sector_bytes = 520",
                "must be 512 or 4096",
            ),
            (
                "from = \"off\"",
                "from = \"download\"",
                "unknown variant `download`",
            ),
            (
                "stuck = 120\nrights",
                "stuck = 12\nrights",
                "`stuck` (12 s) is below `usual` (25 s)",
            ),
            ("hands_on = 5", "hand_on = 5", "unknown field `hand_on`"),
            (
                "\"photos\", ",
                "\"photos\", \"photos\", ",
                "names photos twice",
            ),
            (
                "forms = [\"newer\", \"older\"]",
                "forms = []",
                "names no command form",
            ),
            (
                "key = \"battery\"",
                "key = \"accounts\"",
                "`fact.key` accounts stands twice",
            ),
            ("role = \"os\"", "role = \"os", "invalid basic string"),
        ];
        let mut seen = Vec::new();
        for (right, wrong, expected) in cases {
            assert!(GIMBAL.contains(right), "{right}");
            let text = GIMBAL.replacen(right, wrong, 1);
            let line = GIMBAL[..GIMBAL.find(right).unwrap()].matches('\n').count() + 1;
            let error = load("gimbal.toml", &text).unwrap_err();
            assert!(error.what.contains(expected), "{error}");
            assert!(
                error.line.abs_diff(line) <= 2,
                "{error}, made in line {line}"
            );
            seen.push(error.to_string());
        }
        insta::assert_snapshot!(seen.join("\n"));
    }
}
