//! One act of a step: the permit where the step changes something, the intent written down, the request
//! sent, its end waited for.

use std::time::Duration;

use veritope_core::digest::Claimed;
use veritope_core::family::Method;
use veritope_core::mode::Slot;
use veritope_core::plan::{Act, Planned, Step};
use veritope_core::rule::Rule;
use veritope_core::seal::{self, LinkWitness, Permit};
use veritope_link::{DeviceLink, LinkError};
use veritope_wire::link::{Epoch, Operation, OperationId, Progress};
use veritope_wire::{RequestId, RunId, UnitId};

use crate::desk::DeskError;
use crate::desk::record::Entry;
use crate::desk::unit::{RunRecord, UnitRecord};
use crate::keeping::KeepingError;
use crate::keeping::reading::{CaptureKind, read_tables};
use crate::links::LinksError;
use crate::links::watch::Observation;
use crate::progress::{StepPhase, Watcher};
use crate::runs::Runs;
use crate::runs::RunsError;
use crate::runs::evidence::list_of;

/// How often a running operation is looked at.
const LOOK_EVERY: Duration = Duration::from_millis(150);
/// How often it is looked at whether the unit is still there, in milliseconds.
const GLANCE_EVERY_MS: u64 = 1_000;
/// Longest wait for an operation beyond the family's own bound.
const PATIENCE_BEYOND_STUCK_MS: u64 = 60_000;

/// How an attempt at a step ended, before the device is looked at again.
pub(crate) enum Attempt {
    Through,
    Declined(String),
    Lost(String),
}

impl Runs {
    #[expect(
        clippy::too_many_arguments,
        reason = "the parts of one step, used nowhere else"
    )]
    pub(crate) fn attempt(
        &self,
        unit: UnitId,
        run: &RunRecord,
        step: &Step,
        seen: &Observation,
        intent: Entry,
        request: RequestId,
        watcher: &dyn Watcher,
    ) -> Result<Attempt, RunsError> {
        let record = self.pen.record(unit)?;
        let family = &*self.library.family_of(&record).ok_or(RunsError::NoFamily)?;
        let device = self.links.device(&record)?;
        let epoch = seen.state.epoch;
        let write_down =
            || -> Result<(), DeskError> { self.pen.append(unit, Some(request), vec![intent]) };
        let begun = match &step.act {
            Act::LookAtMode { .. } => {
                write_down()?;
                return Ok(Attempt::Through);
            }
            Act::ReadTable => {
                write_down()?;
                return self.take_table(unit, run.id, &device, epoch);
            }
            Act::Capture => {
                write_down()?;
                return attempted(
                    self.keeping
                        .capture_held(unit, &CaptureKind::Quick, watcher)
                        .map(drop),
                );
            }
            Act::WriteRecovery => {
                let written =
                    self.keeping
                        .write_recovery(unit, run, seen, &step.title, write_down, watcher);
                // Before the intent was written down, nothing was sent.
                if self
                    .pen
                    .record(unit)?
                    .active_run()
                    .is_none_or(|run| run.open.is_none())
                {
                    written?;
                    return Ok(Attempt::Through);
                }
                return attempted(written);
            }
            Act::Move { way } => {
                let to = family
                    .way(way)
                    .map(|spec| spec.to)
                    .ok_or(RunsError::NoStep)?;
                write_down()?;
                device.restart(to, epoch)
            }
            Act::TemporaryStart => {
                let (bytes, seen) = self.library.judged_image(family, run.image)?;
                write_down()?;
                match device.put_memory(&bytes, Claimed(seen.digest()), epoch) {
                    Ok(_) => device.start_from_memory(epoch),
                    Err(error) => Err(error),
                }
            }
            Act::Unlock { stage } => {
                let spec = family.stage(stage).ok_or(RunsError::NoStep)?;
                let token = match spec.method {
                    Method::Token => {
                        Some(self.library.token_of(unit)?.ok_or(RunsError::NotThisWay(
                            "the token that is kept for this unit does not open: type it again",
                        ))?)
                    }
                    Method::Command | Method::LongPress => None,
                };
                let permit = self.permit_for(&record, run, step, &spec.id, seen)?;
                write_down()?;
                device.unlock(permit, &spec.forms, token.as_deref())
            }
            Act::Relock { stage } => {
                let act = family.relock.act.as_ref().ok_or(RunsError::NoStep)?;
                let permit = self.permit_for(&record, run, step, stage, seen)?;
                write_down()?;
                device.lock(permit, &act.forms)
            }
            Act::Wipe { way } => {
                let spec = family.wipe(way).ok_or(RunsError::NoStep)?;
                let stage = seal::wipe_stage(&spec.id);
                let permit = self.permit_for(&record, run, step, &stage, seen)?;
                write_down()?;
                device.erase(permit, spec)
            }
            Act::SetSlot { slot } => {
                let permit = self.slot_permit(&record, run, step, *slot, seen)?;
                write_down()?;
                device.set_slot(permit)
            }
            Act::SwitchDebuggingOn
            | Act::SwitchFastStartOff
            | Act::LookAtLock { .. }
            | Act::LookAtCriticalLock { .. }
            | Act::InstallPackage { .. } => {
                return Err(RunsError::NotThisWay("this step is for a person's hands"));
            }
        };
        Ok(match begun {
            Ok(operation) => self.wait(unit, run.id, step, &device, operation.id, watcher),
            Err(LinkError::Refused(refusal)) => Attempt::Declined(refusal.words),
            // The request may or may not have arrived.
            Err(error @ (LinkError::Unreachable { .. } | LinkError::Odd { .. })) => {
                Attempt::Lost(error.to_string())
            }
            Err(error) => Attempt::Declined(error.to_string()),
        })
    }

    /// The permit for a stage of the lock or a wipe; without it the refusal is written down.
    fn permit_for(
        &self,
        record: &UnitRecord,
        run: &RunRecord,
        step: &Step,
        stage: &str,
        seen: &Observation,
    ) -> Result<Permit, RunsError> {
        let family = &*self.library.family_of(record).ok_or(RunsError::NoFamily)?;
        let consent = run.consents.iter().find(|consent| consent.stage == stage);
        let witness = LinkWitness {
            unit: record.id,
            live: &seen.facts,
            epoch: seen.state.epoch,
        };
        let permit = match &step.effect {
            Some(Planned::Relock { .. }) => {
                self.with_relock(record, family, &run.sheet, consent, |evidence| {
                    seal::mint_relock(stage, evidence, &witness)
                })
            }
            Some(Planned::Wipe { way }) => self
                .with_wipe(record, family, &run.sheet, way, consent, |evidence| {
                    seal::mint_wipe(evidence, &witness)
                })
                .ok_or(RunsError::NoStep)?,
            _ => self.with_evidence(record, family, &run.sheet, consent, |evidence| {
                seal::mint_unlock(stage, evidence, &witness)
            }),
        };
        permit.map_err(|closed| {
            let (title, rule) = (step.title.clone(), list_of(step, &record.known()));
            self.turns
                .refuse(record.id, title, rule, closed.missing)
                .into()
        })
    }

    /// Opens the seal for a slot, or refuses with what is missing.
    fn slot_permit(
        &self,
        record: &UnitRecord,
        run: &RunRecord,
        step: &Step,
        slot: Slot,
        seen: &Observation,
    ) -> Result<Permit, RunsError> {
        let family = &*self.library.family_of(record).ok_or(RunsError::NoFamily)?;
        let witness = LinkWitness {
            unit: record.id,
            live: &seen.facts,
            epoch: seen.state.epoch,
        };
        self.with_slot(record, family, &run.sheet, slot, |evidence| {
            seal::mint_slot(evidence, &witness)
        })
        .map_err(|closed| {
            self.turns
                .refuse(record.id, step.title.clone(), Rule::G5, closed.missing)
                .into()
        })
    }

    fn wait(
        &self,
        unit: UnitId,
        run: RunId,
        step: &Step,
        device: &DeviceLink,
        operation: OperationId,
        watcher: &dyn Watcher,
    ) -> Attempt {
        let bound = u64::from(step.stuck_seconds) * 1000 + PATIENCE_BEYOND_STUCK_MS;
        let mut waiting_since = self.pen.now();
        let mut glanced = waiting_since;
        loop {
            if self.pen.now().ms_since(glanced) >= GLANCE_EVERY_MS {
                glanced = self.pen.now();
                self.links.glance(unit, device);
            }
            let answer = device.operation(operation);
            let phase = match &answer {
                Ok(Operation {
                    progress: Progress::Done { .. },
                    ..
                }) => return Attempt::Through,
                Ok(Operation {
                    progress: Progress::Refused(refusal),
                    ..
                }) => {
                    return Attempt::Declined(refusal.words.clone());
                }
                Ok(Operation {
                    progress:
                        Progress::Asking {
                            question, default, ..
                        },
                    ..
                }) => {
                    // A person may take as long as they need.
                    waiting_since = self.pen.now();
                    StepPhase::Asking {
                        question: question.clone(),
                        default: default.clone(),
                    }
                }
                Ok(Operation {
                    progress: Progress::Running,
                    ..
                })
                | Err(_) => StepPhase::Running {
                    since: waiting_since,
                },
            };
            self.turns.set_phase(unit, run, Some(phase.clone()));
            watcher.phase(&phase);
            if watcher.should_stop() {
                return Attempt::Lost("the waiting was stopped".to_owned());
            }
            if self.pen.now().ms_since(waiting_since) > bound {
                return Attempt::Lost(match answer {
                    Ok(_) => "the device has not come back".to_owned(),
                    Err(error) => error.to_string(),
                });
            }
            self.pen.clock.pause(LOOK_EVERY);
        }
    }

    /// Reads the unit's own table (`B2`).
    fn take_table(
        &self,
        unit: UnitId,
        run: RunId,
        device: &DeviceLink,
        epoch: Epoch,
    ) -> Result<Attempt, RunsError> {
        let tables = match read_tables(device, epoch) {
            Ok(tables) => tables,
            Err(error) => return attempted(Err(error)),
        };
        self.pen.append(
            unit,
            None,
            vec![Entry::TableRead {
                run,
                guid: tables.guid(),
                partitions: tables.own,
            }],
        )?;
        Ok(Attempt::Through)
    }
}

/// What came of bytes that were moved: a refusal of the device is its answer, a broken link leaves
/// the end unknown, anything else is ours to tell.
fn attempted(done: Result<(), KeepingError>) -> Result<Attempt, RunsError> {
    match done {
        Ok(()) => Ok(Attempt::Through),
        Err(KeepingError::Links(LinksError::Link(LinkError::Refused(refusal))))
            if refusal.code != veritope_wire::link::RefusalCode::NotConnected =>
        {
            Ok(Attempt::Declined(refusal.words))
        }
        Err(KeepingError::Links(LinksError::Link(error))) => Ok(Attempt::Lost(error.to_string())),
        Err(KeepingError::Stopped) => Ok(Attempt::Lost("it was stopped".to_owned())),
        Err(KeepingError::NoBackup { rule, text }) => {
            Ok(Attempt::Declined(format!("{text} ({rule})")))
        }
        Err(KeepingError::Vault(error)) => Ok(Attempt::Declined(error.to_string())),
        Err(error) => Err(error.into()),
    }
}
