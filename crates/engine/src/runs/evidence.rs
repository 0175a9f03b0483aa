//! What a step needs before it is permitted: the evidence brought together from the record, the shelf
//! and the vault, and handed to the lists of the seal.

use veritope_core::budget;
use veritope_core::facts::Facts;
use veritope_core::family::{Consequence, Family};
use veritope_core::plan::{Planned, Sheet, Step};
use veritope_core::rule::Rule;
use veritope_core::seal::{self, Consent, Item, PackageEvidence, UnlockEvidence, WipeEvidence};

use crate::desk::unit::{RunRecord, UnitRecord};
use crate::runs::Runs;

impl Runs {
    /// What must be there before `sheet` begins, when it needs a permit anywhere.
    pub(crate) fn preparations(&self, record: &UnitRecord, sheet: &Sheet) -> Vec<Item> {
        let Some(family) = self.library.family_of(record) else {
            return Vec::new();
        };
        let family = &*family;
        let effects = || sheet.steps.iter().filter_map(|step| step.effect.as_ref());
        // Packages before the unlock go by a list of their own, and so does the unlock then.
        if let Some(Planned::InstallPackage { name }) = effects().next()
            && let Some(mut items) = self.with_package(
                record,
                family,
                sheet,
                name,
                None,
                seal::package_preparations,
            )
        {
            let mut later: Vec<&str> = effects()
                .filter_map(|effect| match effect {
                    Planned::InstallPackage { name: next } if next != name => Some(next.as_str()),
                    _ => None,
                })
                .collect();
            later.sort_unstable();
            later.dedup();
            let ahead =
                |name| self.with_package(record, family, sheet, name, None, seal::package_ahead);
            items.extend(later.into_iter().filter_map(ahead).flatten());
            return items;
        }
        if effects().any(|effect| matches!(effect, Planned::Unlock { .. })) {
            return self.with_evidence(record, family, sheet, None, seal::unlock_preparations);
        }
        if effects().any(|effect| matches!(effect, Planned::Relock { .. })) {
            return self.with_relock(record, family, sheet, None, seal::relock_preparations);
        }
        let slots = effects().find_map(|effect| match effect {
            Planned::SetSlot { slot } => Some(*slot),
            _ => None,
        });
        if let Some(slot) = slots {
            return self.with_slot(record, family, sheet, slot, seal::slot_preparations);
        }
        let wipes = effects().find_map(|effect| match effect {
            Planned::Wipe { way } => Some(way),
            _ => None,
        });
        if let Some(way) = wipes
            && let Some(items) =
                self.with_wipe(record, family, sheet, way, None, seal::wipe_preparations)
        {
            return items;
        }
        Vec::new()
    }

    /// Brings the evidence for an unlock together and hands it on.
    pub(crate) fn with_evidence<T>(
        &self,
        record: &UnitRecord,
        family: &Family,
        sheet: &Sheet,
        consent: Option<&Consent>,
        judge: impl FnOnce(&UnlockEvidence<'_>) -> T,
    ) -> T {
        let facts = record.known();
        let battery = budget::battery(
            sheet,
            &facts,
            family,
            &self.library.policy(),
            self.pen.now(),
        );
        judge(&UnlockEvidence {
            family,
            nickname: &record.nickname,
            facts: &facts,
            keep_safe: &record.keep_safe,
            battery: &battery,
            coverage: record
                .own
                .is_some()
                .then(|| self.keeping.coverage_of(record, family))
                .as_ref(),
            torn: &record.torn,
            now: self.pen.now(),
            consent,
            twin: self.links.twin_of(record, family, &facts).as_deref(),
        })
    }

    /// Brings the evidence for a package together and hands it on; nothing when the family doesn't
    /// know it.
    fn with_package<T>(
        &self,
        record: &UnitRecord,
        family: &Family,
        sheet: &Sheet,
        name: &str,
        consent: Option<&Consent>,
        judge: impl FnOnce(&PackageEvidence<'_>) -> T,
    ) -> Option<T> {
        let package = family.packages.iter().find(|one| one.name == name)?;
        let facts = record.known();
        let battery = budget::battery(
            sheet,
            &facts,
            family,
            &self.library.policy(),
            self.pen.now(),
        );
        let coverage = self.keeping.coverage_of(record, family);
        // What is not there or can't be read was not hashed; the list says so.
        let seen = self.library.shelf.package(name).ok();
        Some(judge(&PackageEvidence {
            family,
            nickname: &record.nickname,
            facts: &facts,
            package,
            seen: seen.as_deref(),
            keep_safe: &record.keep_safe,
            coverage: &coverage,
            battery: &battery,
            torn: &record.torn,
            consent,
        }))
    }

    /// Brings the evidence for a wipe together and hands it on; nothing when the family doesn't know
    /// it.
    pub(crate) fn with_wipe<T>(
        &self,
        record: &UnitRecord,
        family: &Family,
        sheet: &Sheet,
        way: &str,
        consent: Option<&Consent>,
        judge: impl FnOnce(&WipeEvidence<'_>) -> T,
    ) -> Option<T> {
        let wipe = family.wipes.iter().find(|one| one.id == way)?;
        let facts = record.known();
        let battery = budget::battery(
            sheet,
            &facts,
            family,
            &self.library.policy(),
            self.pen.now(),
        );
        Some(judge(&WipeEvidence {
            family,
            nickname: &record.nickname,
            facts: &facts,
            wipe,
            keep_safe: &record.keep_safe,
            torn: &record.torn,
            battery: &battery,
            consent,
            twin: self.links.twin_of(record, family, &facts).as_deref(),
        }))
    }

    /// The whole evidence list of a step's effect, where it has one.
    pub(crate) fn seal_of(
        &self,
        record: &UnitRecord,
        run: &RunRecord,
        step: &Step,
    ) -> Option<Vec<Item>> {
        let family = &*self.library.family_of(record)?;
        let consent_to = |stage: &String| run.consents.iter().find(|one| one.stage == *stage);
        Some(match step.effect.as_ref()? {
            Planned::Unlock { stage } => self.with_evidence(
                record,
                family,
                &run.sheet,
                consent_to(stage),
                seal::unlock_items,
            ),
            Planned::Relock { stage } => self.with_relock(
                record,
                family,
                &run.sheet,
                consent_to(stage),
                seal::relock_items,
            ),
            Planned::WriteImage { .. } => self.keeping.write_list(record, &run.sheet),
            Planned::Wipe { way } => {
                let stage = seal::wipe_stage(way);
                let consent = run.consents.iter().find(|one| one.stage == stage);
                self.with_wipe(record, family, &run.sheet, way, consent, seal::wipe_items)?
            }
            Planned::SetSlot { slot } => {
                self.with_slot(record, family, &run.sheet, *slot, seal::slot_items)
            }
            Planned::InstallPackage { name } => {
                let stage = format!("package {name}");
                let consent = run.consents.iter().find(|one| one.stage == stage);
                self.with_package(
                    record,
                    family,
                    &run.sheet,
                    name,
                    consent,
                    seal::package_items,
                )?
            }
        })
    }
}

/// The stage that a step's consent is for, and what the step costs; nothing where it wants none.
pub(crate) fn costs_of(
    step: &Step,
    family: &Family,
    facts: &Facts,
) -> (Option<String>, Vec<Consequence>) {
    match &step.effect {
        Some(Planned::Unlock { stage }) => (Some(stage.clone()), seal::unlock_consequences(family)),
        Some(Planned::Relock { stage }) => (Some(stage.clone()), seal::relock_consequences(family)),
        Some(Planned::Wipe { way }) => {
            let wipe = family.wipes.iter().find(|one| one.id == *way);
            (
                wipe.map(|one| seal::wipe_stage(&one.id)),
                wipe.map_or_else(Vec::new, seal::wipe_consequences),
            )
        }
        Some(Planned::InstallPackage { name }) => {
            let package = family.packages.iter().find(|one| one.name == *name);
            (
                package.map(seal::package_stage),
                package.map_or_else(Vec::new, |one| seal::package_consequences(one, facts)),
            )
        }
        Some(Planned::WriteImage { .. }) => (None, family.consequences.clone()),
        Some(Planned::SetSlot { .. }) | None => (None, Vec::new()),
    }
}

/// The list that a step's effect needs.
pub(crate) fn list_of(step: &Step, facts: &Facts) -> Rule {
    match step.effect {
        Some(Planned::WriteImage { .. }) => Rule::G4,
        Some(Planned::InstallPackage { .. }) => seal::package_rule(facts),
        Some(Planned::Relock { .. }) => Rule::G8,
        Some(Planned::Wipe { .. } | Planned::SetSlot { .. }) => Rule::G5,
        Some(Planned::Unlock { .. }) | None => Rule::G1,
    }
}
