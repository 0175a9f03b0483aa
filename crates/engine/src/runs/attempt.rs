//! One act of a step: the permit where the step changes something, the intent written down, the request
//! sent, its end waited for.

use std::time::Duration;

use veritope_core::act::{Act, Command, Doing, ImageOf, Reading};
use veritope_core::digest::Seen;
use veritope_core::dossier::SetSeen;
use veritope_core::family::Family;
use veritope_core::mode::Mode;
use veritope_core::plan::Step;
use veritope_link::{DeviceLink, LinkError};
use veritope_wire::link::{Epoch, Operation, OperationId, Progress};
use veritope_wire::{RequestId, RunId, UnitId};

use crate::desk::DeskError;
use crate::desk::record::Entry;
use crate::desk::unit::{RunRecord, UnitRecord};
use crate::keeping::KeepingError;
use crate::keeping::change::Change;
use crate::keeping::inside::Inside;
use crate::keeping::reading::{CaptureKind, read_tables};
use crate::library::LibraryError;
use crate::links::LinksError;
use crate::links::watch::Observation;
use crate::progress::{StepPhase, Watcher};
use crate::runs::Runs;
use crate::runs::RunsError;

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

/// The act of a step with the image that was judged for it, read whole just now where it takes one.
pub(crate) struct Chosen {
    act: Act,
    bytes: Vec<u8>,
    seen: Option<Seen>,
    set: Option<SetSeen>,
}

/// Most bytes of a recovery's own log that are kept.
const MOST_LOG_BYTES: u64 = 64 << 10;

/// The own log of a recovery that `step` leaves, as text; nothing where it has none, or does not give it (`M14`).
fn left_log(family: &Family, step: &Step, device: &DeviceLink) -> Option<Entry> {
    let path = family.kept.log.as_deref()?;
    let is_recovery = matches!(
        step.before.mode?,
        Mode::TemporaryRecovery | Mode::CustomRecovery
    );
    let tail = is_recovery.then(|| device.tail(path, MOST_LOG_BYTES))?;
    let bytes = tail
        .inspect_err(|error| tracing::debug!(%error, "the recovery's log is not to be had"))
        .ok()?;
    let text = String::from_utf8_lossy(&bytes);
    let text: String = text
        .chars()
        .filter(|sign| *sign == '\n' || !sign.is_control())
        .collect();
    (!text.trim().is_empty()).then_some(Entry::RecoveryLog { text })
}

impl Chosen {
    /// What goes out.
    pub(crate) fn into_bytes(self) -> Vec<u8> {
        self.bytes
    }

    /// The change that it comes to.
    pub(crate) fn change<'a>(
        &'a self,
        unit: UnitId,
        run: &'a RunRecord,
        step: &'a Step,
    ) -> Change<'a> {
        Change {
            unit,
            act: self.act.clone(),
            title: &step.title,
            payload: self.seen.as_ref().map(Seen::digest),
            seen: self.seen.as_ref(),
            set: self.set.as_ref(),
            made: None,
            load: run.sheet.load(),
            consents: &run.consents,
            put: None,
            kept: None,
            request: None,
        }
    }
}

impl Runs {
    /// Reads the image that a step takes, the very one that its sheet was judged with (`E5`).
    pub(crate) fn chosen(
        &self,
        record: &UnitRecord,
        family: &Family,
        run: &RunRecord,
        act: &Act,
    ) -> Result<Chosen, RunsError> {
        match (act.image_of(), act.part()) {
            (None, _) => {
                return Ok(Chosen {
                    act: act.clone(),
                    bytes: Vec::new(),
                    seen: None,
                    set: None,
                });
            }
            (Some(ImageOf::TheMakers), Some(part)) => {
                let image = self.keeping.makers_image(record, family, part.label);
                let (bytes, seen) = image.map_err(LibraryError::Shelf)?;
                return Ok(Chosen {
                    act: act.clone().choosing(seen.digest()),
                    bytes,
                    seen: Some(seen),
                    set: None,
                });
            }
            (Some(ImageOf::TheMakersSet), _) => {
                let set = self.keeping.makers_set(record, family);
                let (file, set) = set.map_err(LibraryError::Shelf)?;
                let whole = self.library.shelf.whole(file);
                let (bytes, seen) = whole.map_err(LibraryError::Shelf)?;
                if seen.digest() != file {
                    let text = "the set is not what it was when it came onto the shelf: fetch it again (Q11)";
                    return Err(LibraryError::Shelf(text.to_owned()).into());
                }
                return Ok(Chosen {
                    act: act.clone().choosing(seen.digest()),
                    bytes,
                    seen: Some(seen),
                    set: Some(set),
                });
            }
            (Some(ImageOf::ThePackage), _) => {
                let file = act.image().flatten().ok_or(RunsError::NotThisWay(
                    "nobody publishes which file this package is",
                ))?;
                let whole = self.library.shelf.whole(file);
                let (bytes, seen) = whole.map_err(LibraryError::Shelf)?;
                return Ok(Chosen {
                    act: act.clone(),
                    bytes,
                    seen: Some(seen),
                    set: None,
                });
            }
            (Some(ImageOf::TheChosen | ImageOf::TheMakers), _) => {}
        }
        // A sheet that was planned anew may take one that the first did not.
        let best = || self.keeping.recovery_of(record, family, &record.known());
        let file = run.image.or_else(|| Some(best()?.judged.digest));
        let file = file.ok_or_else(|| {
            LibraryError::Shelf(
                "no recovery on the shelf matches this unit: put one there (M1)".to_owned(),
            )
        })?;
        let whole = self.library.shelf.whole(file);
        let (bytes, seen) = whole.map_err(LibraryError::Shelf)?;
        Ok(Chosen {
            act: act.clone().choosing(seen.digest()),
            bytes,
            seen: Some(seen),
            set: None,
        })
    }

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
        let write_down = |intent: Entry| -> Result<(), DeskError> {
            self.pen.append(unit, Some(request), vec![intent])
        };
        let begun = match self.doing(&record, step) {
            Doing::Look(_) => {
                write_down(intent)?;
                return Ok(Attempt::Through);
            }
            Doing::Read(Reading::Table) => {
                write_down(intent)?;
                return self.take_table(unit, run.id, &device, epoch);
            }
            Doing::Read(Reading::Capture) => {
                write_down(intent)?;
                return attempted(
                    self.keeping
                        .capture_held(unit, &CaptureKind::Quick, watcher)
                        .map(drop),
                );
            }
            Doing::Command(Command::Restart(mode)) => {
                let log = left_log(family, step, &device);
                let entries = log.into_iter().chain([intent]).collect();
                self.pen.append(unit, Some(request), entries)?;
                device.restart(mode, epoch)
            }
            Doing::Send { .. } => {
                let chosen = self.chosen(&record, family, run, &step.act)?;
                let change = Change {
                    request: Some(request),
                    ..chosen.change(unit, run, step)
                };
                let written =
                    self.keeping
                        .write_image(run, &change, &intent, &chosen.bytes, watcher);
                return self.sent(unit, written);
            }
            Doing::PutInside {
                labels, replaces, ..
            } => {
                let chosen = self.chosen(&record, family, run, &step.act)?;
                let change = Change {
                    request: Some(request),
                    ..chosen.change(unit, run, step)
                };
                let seen = chosen
                    .seen
                    .as_ref()
                    .ok_or(RunsError::NotThisWay("no recovery is chosen for this step"))?;
                let inside = Inside {
                    labels: &labels,
                    replaces,
                    bytes: &chosen.bytes,
                    seen,
                };
                let put = self.keeping.put_inside(&change, &inside, &intent, watcher);
                return self.sent(unit, put);
            }
            Doing::Command(command) => {
                let chosen = self.chosen(&record, family, run, &step.act)?;
                let change = Change {
                    request: Some(request),
                    ..chosen.change(unit, run, step)
                };
                let secret = self.secret_for(unit, &command)?;
                return self.keeping.change(
                    &change,
                    || vec![intent.clone()],
                    |device, permit| {
                        let begun = match &command {
                            Command::StartImage { .. } => device.start(permit, &chosen.bytes),
                            Command::TakeIn { .. } => device.take_in(permit, &chosen.bytes),
                            _ => device.perform(permit, secret.as_deref()),
                        };
                        Ok(self.end_of(unit, run.id, step, device, begun, watcher))
                    },
                );
            }
            Doing::Hands => {
                return Err(RunsError::NotThisWay("this step is for a person's hands"));
            }
        };
        Ok(self.end_of(unit, run.id, step, &device, begun, watcher))
    }

    /// How sending ended: before the intent was written down, nothing was sent.
    fn sent(&self, unit: UnitId, written: Result<(), KeepingError>) -> Result<Attempt, RunsError> {
        let record = self.pen.record(unit)?;
        if record.active_run().is_none_or(|run| run.open.is_none()) {
            written?;
            return Ok(Attempt::Through);
        }
        attempted(written)
    }

    /// The unit's own token, where the command takes it (`U4`).
    fn secret_for(&self, unit: UnitId, command: &Command) -> Result<Option<String>, RunsError> {
        if !matches!(command, Command::Unlock { token: true, .. }) {
            return Ok(None);
        }
        let token = self.library.token_of(unit)?;
        token.map(Some).ok_or(RunsError::NotThisWay(
            "the token that is kept for this unit does not open: type it again",
        ))
    }

    /// Waits for what was begun, and says how it ended.
    fn end_of(
        &self,
        unit: UnitId,
        run: RunId,
        step: &Step,
        device: &DeviceLink,
        begun: Result<Operation, LinkError>,
        watcher: &dyn Watcher,
    ) -> Attempt {
        match begun {
            Ok(operation) => self.wait(unit, run, step, device, operation.id, watcher),
            Err(LinkError::Refused(refusal)) => Attempt::Declined(refusal.words),
            // The request may or may not have arrived.
            Err(error @ (LinkError::Unreachable { .. } | LinkError::Odd { .. })) => {
                Attempt::Lost(error.to_string())
            }
            Err(error) => Attempt::Declined(error.to_string()),
        }
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
                    Ok(_) => "the unit has not come back".to_owned(),
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
