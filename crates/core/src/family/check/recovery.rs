//! A recovery's place: how it is written, what goes with it, what becomes of it.

use std::collections::BTreeSet;

use toml::Spanned;

use super::Locator;
use crate::facts::Version;
use crate::family::raw::{
    RawCompanion, RawInstallWithin, RawKept, RawMakersSet, RawRecoveryInside, RawRecoveryWrite,
};
use crate::family::{
    Companion, Container, Effort, FamilyError, InstallWithinSpec, KeptSpec, MakersSetSpec,
    PartitionSpec, RecoveryInsideSpec, RecoveryWriteSpec, Role,
};
use crate::mode::Mode;

impl Locator<'_> {
    /// What becomes of a recovery in its partition (`M11`, `M7`).
    pub(super) fn kept(&self, raw: Option<RawKept>) -> Result<KeptSpec, FamilyError> {
        let Some(kept) = raw else {
            return Ok(KeptSpec::default());
        };
        let version = |text: Spanned<String>| {
            Version::parse(text.get_ref()).ok_or_else(|| {
                self.refuse(
                    text.span(),
                    format!("`recovery.at_least` is `{}`; a version is numbers with points between, such as 3.2.0", text.get_ref()),
                )
            })
        };
        let path = |text: Spanned<String>| match text.get_ref().starts_with('/') {
            true => Ok(text.into_inner()),
            false => Err(self.refuse(
                text.span(),
                format!(
                    "`recovery.log` is `{}`; a path on the unit begins with /",
                    text.get_ref()
                ),
            )),
        };
        Ok(KeptSpec {
            restored_by: kept.restored_by,
            stopped_by: kept.stopped_by,
            log: kept.log.map(path).transpose()?,
            all_variants: kept.all_variants,
            at_least: kept.at_least.map(version).transpose()?,
        })
    }

    /// How a recovery is written to stay.
    pub(super) fn recovery_write(
        &self,
        raw: RawRecoveryWrite,
        declared: &BTreeSet<Mode>,
        partitions: &[PartitionSpec],
    ) -> Result<RecoveryWriteSpec, FamilyError> {
        self.mode_is_declared(&raw.mode, "recovery_write.mode", declared)?;
        let partition = self.label(&raw.partition, "recovery_write.partition")?;
        let is_recovery = partitions
            .iter()
            .any(|known| known.label == partition && known.role == Role::Recovery);
        if !is_recovery {
            return Err(self.refuse(
                raw.partition.span(),
                format!("`recovery_write.partition` names `{partition}`, which is no [[partition]] of role recovery"),
            ));
        }
        Ok(RecoveryWriteSpec {
            mode: *raw.mode.get_ref(),
            partition,
            container: raw
                .tar_member
                .map_or(Container::Image, |member| Container::Tar { member }),
            companions: self.companions(raw.companion, partitions)?,
            pace: self.pace(raw.usual, &raw.stuck)?,
            hand: raw.hand,
        })
    }

    /// How a recovery is put inside an image that starts the system too.
    pub(super) fn recovery_inside(
        &self,
        raw: RawRecoveryInside,
        declared: &BTreeSet<Mode>,
        partitions: &[PartitionSpec],
    ) -> Result<RecoveryInsideSpec, FamilyError> {
        self.mode_is_declared(&raw.mode, "recovery_inside.mode", declared)?;
        let base = self.label(&raw.partition, "recovery_inside.partition")?;
        let of_slot = |spec: &&PartitionSpec| {
            let stem = spec.slot.as_ref().map_or(&spec.label, |slot| &slot.stem);
            spec.role == Role::Boot && *stem == base
        };
        let labels: Vec<_> = partitions
            .iter()
            .filter(of_slot)
            .map(|spec| spec.label.clone())
            .collect();
        if labels.is_empty() {
            return Err(self.refuse(
                raw.partition.span(),
                format!("`recovery_inside.partition` names `{base}`, which is no [[partition]] of role boot"),
            ));
        }
        Ok(RecoveryInsideSpec {
            mode: *raw.mode.get_ref(),
            base,
            partitions: labels,
            replaces: raw.replaces,
            pace: self.pace(raw.usual, &raw.stuck)?,
            hand: raw.hand,
        })
    }

    /// How a recovery that runs from memory installs itself.
    pub(super) fn install_within(
        &self,
        raw: RawInstallWithin,
        declared: &BTreeSet<Mode>,
        partitions: &[PartitionSpec],
    ) -> Result<InstallWithinSpec, FamilyError> {
        self.mode_is_declared(&raw.mode, "install_within.mode", declared)?;
        let of_role = |raw: &Spanned<String>, key: &str, (role, said): (Role, &str)| {
            let label = self.label(raw, key)?;
            let mut known = partitions.iter();
            if known.any(|known| known.label == label && known.role == role) {
                return Ok(label);
            }
            Err(self.refuse(
                raw.span(),
                format!("`{key}` names `{label}`, which is no [[partition]] of role {said}"),
            ))
        };
        if raw.changes.is_empty() {
            return Err(self.refuse(
                raw.mode.span(),
                "`install_within.changes` is empty: what puts the maker's recovery back is a part of the system, name it",
            ));
        }
        let changes = raw.changes.iter();
        let changes =
            changes.map(|label| of_role(label, "install_within.changes", (Role::Os, "os")));
        Ok(InstallWithinSpec {
            mode: *raw.mode.get_ref(),
            partition: of_role(
                &raw.partition,
                "install_within.partition",
                (Role::Recovery, "recovery"),
            )?,
            changes: changes.collect::<Result<_, _>>()?,
            pace: self.pace(raw.usual, &raw.stuck)?,
            effort: Effort {
                hands_on_seconds: raw.hands_on,
                presses: raw.presses,
            },
            hand: raw.hand,
        })
    }

    /// How the maker's whole set is taken in.
    pub(super) fn makers_set(
        &self,
        raw: RawMakersSet,
        declared: &BTreeSet<Mode>,
    ) -> Result<MakersSetSpec, FamilyError> {
        self.mode_is_declared(&raw.mode, "makers_set.mode", declared)?;
        Ok(MakersSetSpec {
            mode: *raw.mode.get_ref(),
            pace: self.pace(raw.usual, &raw.stuck)?,
            effort: Effort {
                hands_on_seconds: raw.hands_on,
                presses: raw.presses,
            },
            hand: raw.hand,
        })
    }

    /// What is written in the same go as a recovery: verification metadata, and nothing else.
    fn companions(
        &self,
        raw: Vec<Spanned<RawCompanion>>,
        partitions: &[PartitionSpec],
    ) -> Result<Vec<Companion>, FamilyError> {
        let one = |raw: Spanned<RawCompanion>| {
            let span = raw.span();
            let raw = raw.into_inner();
            let partition = self.label(&raw.partition, "recovery_write.companion.partition")?;
            let is_verification = partitions
                .iter()
                .any(|known| known.label == partition && known.role == Role::Verification);
            if !is_verification {
                return Err(self.refuse(
                    span,
                    format!("`recovery_write.companion.partition` names `{partition}`, which is no [[partition]] of role verification"),
                ));
            }
            Ok(Companion {
                member: raw.member.unwrap_or_else(|| format!("{partition}.img")),
                partition,
                made: raw.made,
                eats_data: raw.eats_data,
            })
        };
        raw.into_iter().map(one).collect()
    }
}
