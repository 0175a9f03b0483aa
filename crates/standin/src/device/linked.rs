//! What a bridge sees of it, and the commands that it takes over the cable; everything else the link does
//! moves bytes (`transfer`).

use std::collections::BTreeMap;

use veritope_formats::startimage::read_start_image;
use veritope_wire::Digest;
use veritope_wire::body::CablePlace;
use veritope_wire::link::{
    ActKind, ActRequest, DeviceLine, DeviceState, Epoch, Limits, LinkEvent, LinkHappening, Listed,
    MAX_READ_BYTES, Operation, OperationId, Progress, Refusal, RefusalCode,
};

use super::streams::STREAM_BYTES;
use super::{Device, Fault, LockState, MEMORY_BYTES, Running, Setting, no};
use crate::scheme::Rights;

/// Most operations and events that are remembered.
const REMEMBERED: usize = 200;

impl Device {
    /// `GET /v2/devices`, this device's line.
    #[must_use]
    pub fn line(&self) -> DeviceLine {
        DeviceLine {
            handle: self.handle.clone(),
            listed: self.listed(),
            epoch: self.epoch(),
        }
    }

    pub(super) fn epoch(&self) -> Epoch {
        Epoch(self.saved.epoch)
    }

    pub(super) fn listed(&self) -> Listed {
        let away = self.saved.cable == CablePlace::Out
            || self.is_between()
            || matches!(
                self.saved.mode,
                Running::Off | Running::Animation | Running::Refusing | Running::Warning
            );
        if away {
            Listed::Absent
        } else if self.saved.mode == Running::System && self.saved.debugging == Setting::Off {
            Listed::NotAuthorised
        } else {
            Listed::Ready
        }
    }

    /// `GET /v2/devices/H`
    #[must_use]
    pub fn state(&self) -> DeviceState {
        let listed = self.listed();
        if listed != Listed::Ready {
            return DeviceState {
                listed,
                epoch: self.epoch(),
                port: self.port(),
                ..DeviceState::absent(self.handle.clone())
            };
        }
        let mut facts = BTreeMap::new();
        let mut acts = Vec::new();
        let mut say = |key: &str, value: &str| {
            facts.insert(key.to_owned(), value.to_owned());
        };
        let taken_for = self.saved.faults.iter().find_map(|fault| match fault {
            Fault::SaysMode { mode } => Some(mode.as_str()),
            _ => None,
        });
        say("mode", taken_for.unwrap_or(self.saved.mode.id()));
        say("codename", self.profile.codename);
        say("model-code", self.profile.model_code);
        if self.saved.mode != Running::Download {
            say("battery", &self.battery_percent().to_string());
        }
        say(
            "lock",
            if self.saved.lock == LockState::Locked {
                "locked"
            } else {
                "unlocked"
            },
        );
        acts.push(ActKind::Restart);
        match self.saved.mode {
            Running::System => {
                if self.saved.gate.is_none() {
                    say("build", self.profile.build);
                }
                say("debugging", "on");
                if self
                    .scheme()
                    .is_some_and(|scheme| scheme.rights != Rights::Never)
                {
                    say("root", if self.has_rights() { "yes" } else { "no" });
                }
            }
            Running::Bootloader => {
                acts.extend([
                    ActKind::Unlock,
                    ActKind::Lock,
                    ActKind::StartFromMemory,
                    ActKind::Erase,
                ]);
                if let Some(slot) = self.active_slot() {
                    say("slot", slot.id());
                    acts.push(ActKind::SetSlot);
                }
            }
            Running::StockRecovery => {
                say("recovery", "stock");
            }
            Running::CustomRecovery => {
                say("recovery", "custom");
            }
            Running::TemporaryRecovery
            | Running::Download
            | Running::Off
            | Running::Warning
            | Running::Animation
            | Running::Refusing => {}
        }
        self.gated_facts(&mut say);
        DeviceState {
            handle: self.handle.clone(),
            listed,
            epoch: self.epoch(),
            port: self.port(),
            identities: self.identities(),
            facts,
            acts,
            restarts: self.restarts(),
            reads: Some(self.reads()),
            streams: self.stream_kinds(),
            limits: Limits {
                download_bytes: Some(match self.stream_kinds().is_empty() {
                    true => MEMORY_BYTES as u64,
                    false => STREAM_BYTES,
                }),
                body_bytes: Some(MAX_READ_BYTES),
            },
            scratch: self.scratch(),
        }
    }

    /// The socket in which its cable is: the dock that it lies on.
    fn port(&self) -> Option<String> {
        Some(format!("socket of {}", self.handle.0))
    }

    /// Who it is, as what runs tells it.
    fn identities(&self) -> BTreeMap<String, String> {
        let saved = &self.saved;
        let by_mode = self.scheme().is_some_and(|scheme| scheme.tells_by_mode);
        let told: &[(&str, &str)] = match (saved.mode, by_mode) {
            (Running::Download, _) if self.has_read_out() => &[("chip-id", &saved.chip_id)],
            // Another loader only gives the chip as its serial.
            (Running::Download, _) => &[("serial", &saved.chip_id)],
            (Running::System, true) if self.has_rights() => {
                &[("serial", &saved.serial), ("chip-id", &saved.chip_id)]
            }
            (Running::System | Running::StockRecovery, true) => &[("serial", &saved.serial)],
            (Running::Bootloader, true) => &[
                ("chip-id", &saved.chip_id),
                ("download-number", &self.download_number()),
            ],
            (Running::System | Running::Bootloader, false) => {
                &[("serial", &saved.serial), ("chip-id", &saved.chip_id)]
            }
            _ => &[("chip-id", &saved.chip_id)],
        };
        let told = told.iter();
        told.map(|(kind, value)| ((*kind).to_owned(), (*value).to_owned()))
            .collect()
    }

    /// The number by which its loader is listed: its own, and neither serial nor chip id.
    pub(crate) fn download_number(&self) -> String {
        let digest = Digest::of(format!("{} {}", self.saved.chip_id, self.saved.serial).as_bytes());
        format!("DN{}", digest.to_string()[..10].to_uppercase())
    }

    /// The modes that a command leads to from here.
    fn restarts(&self) -> Vec<String> {
        ["system", "bootloader", "download", "recovery"]
            .into_iter()
            .filter(|mode| self.has_restart(mode))
            .map(str::to_owned)
            .collect()
    }

    /// Whether there is a command that restarts into `mode`.
    fn has_restart(&self, mode: &str) -> bool {
        match mode {
            _ if self.scheme().is_some() => self.may_be_restarted_into(mode),
            "system" | "bootloader" => true,
            "recovery" => self.saved.mode == Running::Bootloader,
            _ => false,
        }
    }

    /// What a restart by command into `mode` starts; nothing where there is no such command.
    fn restarts_into(&self, mode: &str) -> Option<Running> {
        match mode {
            _ if !self.has_restart(mode) => None,
            "system" => Some(Running::System),
            "bootloader" => Some(Running::Bootloader),
            "download" => Some(Running::Download),
            _ => Some(self.own_recovery()),
        }
    }

    /// `GET /v2/devices/H/operations/N`
    ///
    /// # Errors
    /// When it is not known (any more).
    pub fn operation(&self, id: OperationId) -> Result<Operation, Refusal> {
        self.saved
            .operations
            .iter()
            .find(|operation| operation.id == id)
            .cloned()
            .ok_or_else(|| {
                no(
                    RefusalCode::NotFound,
                    format!("operation {} is not known", id.0),
                )
            })
    }

    /// Events with numbers above `after`.
    #[must_use]
    pub fn events(&self, after: u64) -> Vec<LinkEvent> {
        self.saved
            .events
            .iter()
            .filter(|event| event.n > after)
            .cloned()
            .collect()
    }

    /// `POST /v2/devices/H/act`
    ///
    /// # Errors
    /// The device's refusal.
    pub fn act(&mut self, request: &ActRequest) -> Result<Operation, Refusal> {
        self.is_ready()?;
        if request.epoch != self.epoch() {
            return Err(no(
                RefusalCode::StaleEpoch,
                format!(
                    "decided under epoch {}, now it is {}",
                    request.epoch.0, self.saved.epoch
                ),
            ));
        }
        if self.saved.question.is_some() {
            return Err(no(
                RefusalCode::Busy,
                "a question waits for an answer on the device",
            ));
        }
        if self
            .disarm(|fault| *fault == Fault::RefuseOnce { act: request.kind })
            .is_some()
        {
            self.save_or_say()?;
            return Err(no(RefusalCode::Other, "FAILED (try again)"));
        }
        let operation = match request.kind {
            ActKind::Restart => self.restart(request)?,
            ActKind::Unlock => self.ask_lock(request, LockState::Unlocked)?,
            ActKind::Lock => self.ask_lock(request, LockState::Locked)?,
            ActKind::StartFromMemory => self.start_from_memory()?,
            ActKind::Erase => self.erase_by_command(request)?,
            ActKind::SetSlot => self.set_slot(request)?,
            ActKind::ResizeVolume | ActKind::RemoveVolume => self.change_volumes(request)?,
            ActKind::TakeStream => self.take_stream(request)?,
            ActKind::Other => {
                return Err(no(RefusalCode::UnknownCommand, "unknown command"));
            }
        };
        if self
            .disarm(|fault| *fault == Fault::CableOutOnAct { act: request.kind })
            .is_some()
        {
            self.cable(CablePlace::Out);
        }
        self.save_or_say()?;
        Ok(operation)
    }

    pub(super) fn is_ready(&self) -> Result<(), Refusal> {
        match self.listed() {
            Listed::Ready => Ok(()),
            Listed::NotAuthorised => Err(no(
                RefusalCode::NotAllowed,
                "commands from a computer are off on the device",
            )),
            Listed::Absent => Err(no(RefusalCode::NotConnected, "the device is not there")),
        }
    }

    fn restart(&mut self, request: &ActRequest) -> Result<Operation, Refusal> {
        let wanted = request.args.get("mode").map_or("nothing", String::as_str);
        let to = self.restarts_into(wanted).ok_or_else(|| {
            no(
                RefusalCode::BadRequest,
                format!("can't restart into {wanted}"),
            )
        })?;
        let astray = self.disarm(|fault| matches!(fault, Fault::LeadsElsewhere { .. }));
        let to = match astray {
            Some(Fault::LeadsElsewhere { to }) => to,
            _ => to,
        };
        let operation = self.begin(ActKind::Restart);
        self.depart(to, Some(operation.id));
        Ok(operation)
    }

    fn start_from_memory(&mut self) -> Result<Operation, Refusal> {
        if self.saved.mode != Running::Bootloader {
            return Err(no(
                RefusalCode::WrongMode,
                "only the bootloader starts images",
            ));
        }
        if self.saved.lock == LockState::Locked {
            return Err(no(
                RefusalCode::Locked,
                "foreign images don't start while locked",
            ));
        }
        let Some(bytes) = self.memory.take() else {
            return Err(no(RefusalCode::BadRequest, "nothing lies in memory"));
        };
        let operation = self.begin(ActKind::StartFromMemory);
        match read_start_image(&bytes) {
            Ok(image) if image.codename == self.profile.codename && image.kind == "recovery" => {
                self.depart(Running::TemporaryRecovery, Some(operation.id));
                self.saved.hands.words.clear();
                self.runs(bytes)
                    .map_err(|error| no(RefusalCode::Other, error.to_string()))?;
                Ok(operation)
            }
            // The wrong image: a flash of the screen, and the bootloader is back.
            Ok(_) | Err(_) => {
                let refusal = no(RefusalCode::Other, "the image did not start");
                self.settle(operation.id, Progress::Refused(refusal.clone()));
                Err(refusal)
            }
        }
    }

    pub(super) fn begin(&mut self, kind: ActKind) -> Operation {
        let id = OperationId(self.saved.next_operation);
        self.saved.next_operation += 1;
        let operation = Operation {
            id,
            kind,
            progress: Progress::Running,
        };
        self.saved.operations.push(operation.clone());
        keep_last(&mut self.saved.operations);
        operation
    }

    pub(super) fn settle(&mut self, id: OperationId, progress: Progress) {
        if let Some(operation) = self
            .saved
            .operations
            .iter_mut()
            .find(|known| known.id == id)
        {
            operation.progress = progress;
        }
    }

    pub(super) fn raise(&mut self, what: LinkHappening) {
        self.saved.epoch += 1;
        self.tell(what);
    }

    pub(super) fn tell(&mut self, what: LinkHappening) {
        let n = self.saved.events.last().map_or(0, |event| event.n) + 1;
        self.saved.events.push(LinkEvent {
            n,
            epoch: self.epoch(),
            what,
        });
        keep_last(&mut self.saved.events);
    }
}

fn keep_last<T>(list: &mut Vec<T>) {
    if list.len() > REMEMBERED {
        list.drain(..list.len() - REMEMBERED);
    }
}
