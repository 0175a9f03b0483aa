//! The fact side of families whose lock has a gate: what their screens and links say, and what hands
//! can do on them.

use veritope_wire::link::{
    ActKind, ActRequest, LinkHappening, Operation, Progress, Refusal, RefusalCode,
};

use super::{Device, LockState, NextStart, Running, Setting, no};
use crate::body::{Button, CablePlace, Face, button};
use crate::gate::{Answer, Gate, Try};
use crate::scheme::{Opening, Scheme, Switch};

impl Device {
    /// Gives the device a gate and says what its screens show as equipment ID.
    ///
    /// # Errors
    /// When its state can't be saved.
    pub fn set_gate(&mut self, mut gate: Gate, equipment_id: &str) -> std::io::Result<()> {
        gate.open = self.saved.lock == LockState::Unlocked;
        self.saved.gate = Some(gate);
        equipment_id.clone_into(&mut self.saved.equipment_id);
        self.save()
    }

    /// Puts it into another mode, as found on the table.
    ///
    /// # Errors
    /// When its state can't be saved.
    pub fn met_in(&mut self, mode: Running, accounts: u32) -> std::io::Result<()> {
        self.saved.mode = mode;
        self.saved.accounts = accounts;
        self.save()
    }

    /// Fills its battery to `percent`, as found on the table.
    ///
    /// # Errors
    /// When its state can't be saved.
    pub fn charged_to(&mut self, percent: u32) -> std::io::Result<()> {
        self.saved.battery_millionths = i64::from(percent.min(100)) * super::PER_CENT;
        self.save()
    }

    /// Its gate.
    #[must_use]
    pub fn gate(&self) -> Option<&Gate> {
        self.saved.gate.as_ref()
    }

    /// Its equipment ID, as its screens show it.
    #[must_use]
    pub fn equipment_id(&self) -> &str {
        &self.saved.equipment_id
    }

    /// Device time in milliseconds.
    #[must_use]
    pub fn now_ms(&self) -> i64 {
        self.saved.at_ms
    }

    pub(super) fn scheme(&self) -> Option<&'static Scheme> {
        self.saved.gate.as_ref()?;
        Scheme::named(self.profile.codename)
    }

    /// What the link reads beyond what every device says.
    pub(super) fn gated_facts(&self, say: &mut dyn FnMut(&str, &str)) {
        let (Some(gate), Some(scheme)) = (&self.saved.gate, self.scheme()) else {
            return;
        };
        if self.saved.mode != Running::System {
            return;
        }
        say("build", &gate.build);
        if let Some(build) = scheme.build(&gate.build) {
            say("patch", build.patch);
        }
        if gate.fused > 0 {
            say("rollback-index", &gate.fused.to_string());
        }
    }

    /// The modes into which a link may restart it.
    pub(super) fn may_restart_into(&self, mode: &str) -> Option<Running> {
        let scheme = self.scheme()?;
        match (mode, scheme.opening) {
            ("system", _) => Some(Running::System),
            ("download", Opening::LongPress | Opening::NoLock) => Some(Running::Download),
            ("bootloader", Opening::Command { .. } | Opening::Token) => Some(Running::Bootloader),
            ("recovery", Opening::Command { .. }) => Some(Running::StockRecovery),
            _ => None,
        }
    }

    /// The unlock command, as far as it goes without a person: the gate is asked, nothing opens yet.
    pub(super) fn gated_unlock(
        &mut self,
        request: &ActRequest,
    ) -> Option<Result<Operation, Refusal>> {
        let scheme = self.scheme()?;
        let word = |name: &str| request.args.get(name).cloned().unwrap_or_default();
        let how = match scheme.opening {
            Opening::Token => Try::Token {
                token: word("token"),
            },
            _ => Try::Command { form: word("form") },
        };
        let now = self.saved.at_ms;
        let mut asked = self.saved.gate.clone()?;
        if let Err(words) = asked.try_open(scheme, &how, now) {
            let code = match words {
                "unknown command" => RefusalCode::UnknownCommand,
                _ => RefusalCode::NotAllowed,
            };
            return Some(Err(no(code, words)));
        }
        let operation = self.begin(ActKind::Unlock);
        if scheme.opening == Opening::Token {
            self.saved.gate = Some(asked);
            self.saved.erasing = Some(operation.id);
            return Some(
                self.change_lock(operation.id)
                    .map(|()| operation)
                    .map_err(|error| no(RefusalCode::Other, error.to_string())),
            );
        }
        let progress = Progress::Asking {
            question: "Unlock? This erases your data.".to_owned(),
            answers: vec!["no".to_owned(), "yes".to_owned()],
            default: "no".to_owned(),
        };
        self.saved.question = Some(operation.id);
        self.settle(operation.id, progress.clone());
        self.tell(LinkHappening::Asking);
        Some(Ok(Operation {
            progress,
            ..operation
        }))
    }

    pub(crate) fn gated_face(&self) -> Option<Face> {
        let (gate, scheme) = (self.saved.gate.as_ref()?, self.scheme()?);
        let saved = &self.saved;
        let shut = match saved.lock {
            LockState::Locked => "locked",
            LockState::Unlocked => "unlocked",
        };
        let mut lines: Vec<String> = Vec::new();
        let mut buttons = Vec::new();
        let mut hands = Vec::new();
        if saved.going.is_some() {
            lines.push("…".to_owned());
        } else if saved.question.is_some() {
            lines.extend(["Unlock?".to_owned(), "This erases your data.".to_owned()]);
            buttons.extend([button("no", "No").by_default(), button("yes", "Yes")]);
        } else {
            match saved.mode {
                Running::Off => hands.push(button("keys-start", "Power key, 3 s")),
                Running::Refusing => {
                    lines.push("This software is not the maker's. It does not start.".to_owned());
                    hands.push(button("keys-lower", "Keys into the lower mode"));
                }
                Running::Animation => {
                    lines.push("The maker's mark moves, and moves.".to_owned());
                    hands.push(button("keys-lower", "Keys into the lower mode"));
                }
                Running::System => {
                    lines = self.settings(gate, scheme);
                    buttons = self.settings_buttons(gate, scheme);
                    hands.push(button(
                        "keys-lower",
                        "Power off, then keys into the lower mode",
                    ));
                }
                Running::Bootloader | Running::Download => {
                    lines.extend([
                        saved.mode.id().to_uppercase(),
                        format!("Device state: {}", shut.to_uppercase()),
                        format!("Chip: {}", saved.chip_id),
                    ]);
                    if scheme.opening == Opening::LongPress {
                        hands.push(button(
                            "long-press",
                            "Volume up, held for 8 s on the warning",
                        ));
                    }
                    hands.push(button("keys-start", "Keys back to the system"));
                }
                Running::StockRecovery | Running::CustomRecovery | Running::TemporaryRecovery => {
                    lines.push("Install from card".to_owned());
                    for name in &gate.card {
                        buttons.push(Button {
                            id: format!("install-{name}").into(),
                            ..button("", format!("Install {name}"))
                        });
                    }
                    buttons.push(button("start", "Restart"));
                }
            }
        }
        hands.push(match saved.cable {
            CablePlace::In => button("lift", "Pull the cable"),
            CablePlace::Out => button("dock", "Plug the cable in"),
        });
        for package in scheme.packages {
            if !gate.card.iter().any(|name| name == package.name) {
                hands.push(Button {
                    id: format!("fetch-{}", package.name).into(),
                    ..button(
                        "",
                        format!("Put {} from the build server on the card", package.name),
                    )
                });
            }
        }
        Some(Face {
            lines,
            buttons,
            hands,
            cable: saved.cable,
        })
    }

    fn settings(&self, gate: &Gate, scheme: &Scheme) -> Vec<String> {
        let saved = &self.saved;
        let on = |value: Setting| if value == Setting::On { "on" } else { "off" };
        let mut lines = vec![
            "Settings".to_owned(),
            format!("Model: {}", saved.model_code),
            format!("Build: {}", gate.build),
        ];
        if let Some(build) = scheme.build(&gate.build) {
            lines.push(format!("Patch: {}", build.patch));
        }
        lines.push(format!("Battery: {} %", self.battery_percent()));
        lines.push(format!("Accounts: {}", saved.accounts));
        lines.push(format!("Screen lock: {}", on(saved.screen_lock)));
        if scheme.switch != Switch::None {
            lines.push(format!(
                "Allow unlocking: {}",
                gate.switch(scheme, saved.at_ms).id()
            ));
        }
        if scheme.service_screen {
            lines.push(format!(
                "Service screen, Unlock allowed: {}",
                gate.service_allows.id()
            ));
        }
        if !scheme.type_codes.is_empty() {
            let shown = if saved.equipment_id.is_empty() {
                "none"
            } else {
                &saved.equipment_id
            };
            lines.push(format!("Equipment ID: {shown}"));
        }
        lines
    }

    fn settings_buttons(&self, gate: &Gate, scheme: &Scheme) -> Vec<Button> {
        let saved = &self.saved;
        let mut buttons = Vec::new();
        match gate.switch(scheme, saved.at_ms).id() {
            "off" => buttons.push(button("switch-on", "Allow unlocking: switch on")),
            "on" => buttons.push(button("switch-off", "Allow unlocking: switch off")),
            _ => {}
        }
        if matches!(scheme.switch, Switch::Hidden { .. }) {
            if gate.first_online_ms.is_none() {
                buttons.push(button("online", "Go online"));
            }
            if gate.asked_updates == Answer::No {
                buttons.push(button("updates", "Updates: look now"));
            }
        }
        if saved.accounts > 0 {
            buttons.push(button("sign-out", "Sign all accounts out"));
        }
        if saved.screen_lock == Setting::On {
            buttons.push(button("screen-lock", "Switch the screen lock off"));
        }
        let commands = match saved.debugging {
            Setting::On => "Commands from a computer: on",
            Setting::Off => "Commands from a computer: off",
        };
        buttons.push(button("debugging", commands));
        buttons.push(button("off", "Power off"));
        buttons
    }

    /// Takes a press that only gated devices have; `None` when it is not one.
    pub(super) fn gated_press(&mut self, pressed: &str) -> Option<Result<(), Refusal>> {
        let scheme = self.scheme()?;
        let now = self.saved.at_ms;
        let lower = match scheme.opening {
            Opening::LongPress | Opening::NoLock => Running::Download,
            Opening::Command { .. } | Opening::Token => Running::Bootloader,
        };
        let mut gate = self.saved.gate.clone()?;
        let refused = |words: &str| Some(Err(no(RefusalCode::Other, words)));
        match pressed {
            "switch-on" => gate.move_switch(scheme, true, now),
            "switch-off" => gate.move_switch(scheme, false, now),
            "online" => gate.first_online_ms = Some(now),
            "updates" => gate.asked_updates = Answer::Yes,
            "keys-lower" => self.depart(lower, None),
            "keys-start" => self.depart(Running::System, None),
            "long-press" => {
                if let Err(words) = gate.try_open(scheme, &Try::LongPress, now) {
                    return refused(words);
                }
                self.saved.lock = LockState::Unlocked;
                self.forget_the_owner();
                self.depart(Running::System, None);
            }
            _ => {
                if let Some(name) = pressed.strip_prefix("fetch-") {
                    if scheme.package(name).is_none() {
                        return refused("the build server has no such package");
                    }
                    gate.card.push(name.to_owned());
                } else if let Some(name) = pressed.strip_prefix("install-") {
                    if let Err(words) = gate.install(scheme, name) {
                        return refused(words);
                    }
                    if scheme.package(name).is_some_and(|package| package.wipes) {
                        self.forget_the_owner();
                    }
                    self.depart(Running::System, None);
                } else {
                    return None;
                }
            }
        }
        self.saved.gate = Some(gate);
        Some(Ok(()))
    }

    /// What every wipe takes with it.
    pub(super) fn forget_the_owner(&mut self) {
        self.saved.debugging = Setting::Off;
        self.saved.accounts = 0;
        self.saved.screen_lock = Setting::Off;
        self.saved.next_start = NextStart::First;
    }
}
