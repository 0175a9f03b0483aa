//! What eyes see of a device and fingers can reach: lines, lists, keys, lamp. No bench link has this;
//! it is what a person has in front of them.

use veritope_wire::body::{AnswersTo, Button, CablePlace, Face, KeyShown, Push};

use crate::condition::{LockState, Running, Setting};
use crate::device::{Device, button};
use crate::gate::{Answer, Gate};
use crate::keys::{Menus, SHAKE_MS};
use crate::scheme::{Off, Opening, Scheme, Switch};

fn touch(id: &str, label: impl AsRef<str>) -> Button {
    button(id, label.as_ref(), AnswersTo::Touch)
}

fn on_off(value: bool) -> &'static str {
    if value { "on" } else { "off" }
}

impl Device {
    /// What eyes see now.
    #[must_use]
    pub fn face(&self) -> Face {
        let (saved, chart) = (&self.saved, self.chart());
        let lines = self.lines();
        let mut buttons = self.menu();
        if saved.mode == Running::System && buttons.is_empty() && !self.is_between() {
            buttons = self.settings_buttons();
        }
        if matches!(
            saved.mode,
            Running::TemporaryRecovery | Running::CustomRecovery
        ) && !self.is_between()
        {
            buttons = vec![
                touch("start", "Restart, System"),
                touch("bootloader", "Restart, Bootloader"),
            ];
            if self.installs_itself() {
                buttons.push(touch("install-itself", "Install this recovery"));
            }
        }
        let keys = chart.keys.iter().map(|key| KeyShown {
            key: *key,
            label: key.label().to_owned(),
            held: if saved.hands.down.contains_key(key) {
                Push::Down
            } else {
                Push::Up
            },
        });
        let is_lit =
            matches!(saved.mode, Running::Bootloader | Running::Download) && !self.is_between();
        Face {
            lines,
            buttons,
            hands: self.hands(),
            keys: keys.collect(),
            lamp: chart.lamp.filter(|_| is_lit).map(str::to_owned),
            shakes: saved
                .hands
                .shook_ms
                .is_some_and(|at| saved.at_ms - at < SHAKE_MS),
            cable: saved.cable,
        }
    }

    fn lines(&self) -> Vec<String> {
        let saved = &self.saved;
        let shut = match saved.lock {
            LockState::Locked => "locked",
            LockState::Unlocked => "unlocked",
        };
        let is_watch = self.chart().menus == Menus::Touch;
        let text = |lines: &[&str]| lines.iter().map(|line| (*line).to_owned()).collect();
        if let Some(began) = saved.hands.start_ms {
            let shows = saved.at_ms - began >= self.chart().logo_ms;
            return if shows { self.logo() } else { Vec::new() };
        }
        if let Some(going) = &saved.going {
            return if going.to == Running::Off {
                Vec::new()
            } else {
                self.logo()
            };
        }
        if self.asks_to_erase() {
            return text(&[
                "Erase everything?",
                "Apps, settings and files will be gone.",
            ]);
        }
        if saved.question.is_some() {
            let ask = match (saved.lock, is_watch) {
                (LockState::Locked, true) => "Unlock this watch?",
                (LockState::Unlocked, true) => "Lock this watch?",
                (LockState::Locked, false) => "Unlock?",
                (LockState::Unlocked, false) => "Lock?",
            };
            let mut all: Vec<String> = text(&[ask, "Everything on it will be erased."]);
            if saved.mode == Running::Warning {
                all.push("Volume up: yes. Volume down: no.".to_owned());
            }
            return all;
        }
        match saved.mode {
            Running::Off if saved.cable == CablePlace::In && !saved.hands.hibernates => {
                vec![format!("Charging {} %", self.battery_percent())]
            }
            Running::Off => Vec::new(),
            Running::Animation => text(&["The maker's mark moves, and moves."]),
            Running::Refusing => text(&["This software is not the maker's. It does not start."]),
            Running::Warning => text(&[
                "WARNING",
                "A foreign system can harm the phone.",
                "Volume up: go on. Held: the lock.",
                "Volume down: restart.",
            ]),
            Running::System => self.settings(),
            Running::Bootloader | Running::Download => self.lower_mode(shut),
            Running::StockRecovery => text(&[
                &self.profile().codename.to_uppercase(),
                "Recovery of the maker",
                self.build_now(),
            ]),
            Running::TemporaryRecovery | Running::CustomRecovery => {
                let top = match saved.mode {
                    Running::TemporaryRecovery => "Recovery, temporary",
                    _ => "Recovery",
                };
                let labels = self.profile().partitions.iter().map(|part| part.label);
                let said = (self.installs_itself() && !saved.hands.words.is_empty())
                    .then(|| format!("Said: {}", saved.hands.words));
                let lines = std::iter::once(top).chain(labels);
                lines.map(str::to_owned).chain(said).collect()
            }
        }
    }

    fn logo(&self) -> Vec<String> {
        let mut lines = vec!["LOGO".to_owned()];
        if self.saved.lock == LockState::Unlocked
            && Scheme::named(self.profile().codename)
                .is_some_and(|scheme| scheme.opening != Opening::NoLock)
        {
            lines.push("This device is unlocked. Its software is not checked.".to_owned());
        }
        lines
    }

    pub(crate) fn build_now(&self) -> &str {
        match &self.saved.gate {
            Some(gate) => &gate.build,
            None => self.profile().build,
        }
    }

    fn lower_mode(&self, shut: &str) -> Vec<String> {
        let saved = &self.saved;
        let mut lines = vec![
            saved.mode.id().to_uppercase(),
            format!("Device state: {}", shut.to_uppercase()),
        ];
        if let Some(scheme) = self.scheme() {
            if scheme.has_critical {
                let critical = match saved.critical {
                    LockState::Locked => "LOCKED",
                    LockState::Unlocked => "UNLOCKED",
                };
                lines.push(format!("Critical state: {critical}"));
            }
            if let Some(slot) = self.active_slot() {
                lines.push(format!("Slot: {}", slot.id()));
                lines.push(format!("Update state: {}", saved.merge.id()));
            }
            if let (Opening::LongPress, Some(gate)) = (scheme.opening, &saved.gate) {
                let on = |shut: bool| if shut { "ON" } else { "OFF" };
                lines.push(format!("GUARD: {}", gate.guard().id()));
                lines.push(format!("RESET LOCK: {}", on(saved.accounts > 0)));
                lines.push(format!("UNLOCK LOCK: {}", on(!gate.open)));
            }
            if !saved.hands.words.is_empty() {
                lines.push(format!("Said: {}", saved.hands.words));
            }
        }
        lines.push(format!("Chip: {}", saved.chip_id));
        if self.scheme().is_some_and(|scheme| scheme.tells_by_mode) {
            lines.push(format!("Download number: {}", self.download_number()));
        }
        if saved.mode == Running::Bootloader {
            lines.push(format!("Battery: {} %", self.battery_percent()));
        }
        lines
    }

    fn settings(&self) -> Vec<String> {
        let saved = &self.saved;
        let mut lines = vec![
            "Settings".to_owned(),
            format!("Model: {}", saved.model_code),
            format!("Build: {}", self.build_now()),
        ];
        if let (Some(gate), Some(scheme)) = (&saved.gate, self.scheme()) {
            if let Some(build) = scheme.build(&gate.build) {
                lines.push(format!("Patch: {}", build.patch));
            }
            if scheme.switch != Switch::None {
                let reads = gate.switch(scheme, saved.at_ms).id();
                lines.push(format!("Allow unlocking: {reads}"));
            }
            if scheme.service_screen {
                let allows = gate.service_allows.id();
                lines.push(format!("Service screen, Unlock allowed: {allows}"));
            }
            if !scheme.type_codes.is_empty() {
                let shown = match saved.equipment_id.as_str() {
                    "" => "none",
                    id => id,
                };
                lines.push(format!("Equipment ID: {shown}"));
            }
        }
        lines.push(format!("Battery: {} %", self.battery_percent()));
        lines.push(format!("Accounts: {}", saved.accounts));
        let lock = on_off(saved.screen_lock == Setting::On);
        lines.push(format!("Screen lock: {lock}"));
        lines
    }

    fn settings_buttons(&self) -> Vec<Button> {
        let saved = &self.saved;
        let mut buttons = Vec::new();
        if let (Some(gate), Some(scheme)) = (&saved.gate, self.scheme()) {
            buttons.extend(self.gate_buttons(gate, scheme));
        }
        if saved.accounts > 0 {
            buttons.push(touch("sign-out", "Sign all accounts out"));
        }
        if saved.screen_lock == Setting::On {
            buttons.push(touch("screen-lock", "Switch the screen lock off"));
        }
        let commands = on_off(saved.debugging == Setting::On);
        buttons.push(touch(
            "debugging",
            format!("Commands from a computer: {commands}"),
        ));
        if self.may_have_rights() {
            let rights = on_off(saved.rights == Setting::On);
            buttons.push(touch("rights", format!("Administrator rights: {rights}")));
        }
        if self.scheme().is_some_and(|scheme| scheme.has_fast_start) {
            let fast = on_off(saved.hands.fast_start);
            buttons.push(touch("fast-start", format!("Fast start: {fast}")));
        }
        buttons.push(touch("off", "Power off"));
        buttons
    }

    fn gate_buttons(&self, gate: &Gate, scheme: &Scheme) -> Vec<Button> {
        let mut buttons = Vec::new();
        match gate.switch(scheme, self.saved.at_ms).id() {
            "off" => buttons.push(touch("switch-on", "Allow unlocking: switch on")),
            "on" => buttons.push(touch("switch-off", "Allow unlocking: switch off")),
            _ => {}
        }
        if matches!(scheme.switch, Switch::Hidden { .. }) {
            if gate.first_online_ms.is_none() {
                buttons.push(touch("online", "Go online"));
            }
            if gate.asked_updates == Answer::No {
                buttons.push(touch("updates", "Updates: look now"));
            }
        }
        buttons
    }

    /// What hands can do beside screen and keys.
    fn hands(&self) -> Vec<Button> {
        let saved = &self.saved;
        let chart = self.chart();
        let (out, put) = match chart.menus {
            Menus::Touch => ("Lift it off the dock", "Put it on the dock"),
            Menus::Keys | Menus::Lamp => ("Pull the cable", "Plug the cable in"),
        };
        let mut hands = vec![match saved.cable {
            CablePlace::In => touch("lift", out),
            CablePlace::Out => touch("dock", put),
        }];
        if chart.cable.is_some_and(|at| at.needs_tool) {
            let label = match saved.hands.tool_ms {
                Some(_) => "The tool on the computer waits for it",
                None => "Press Start in the tool on the computer",
            };
            hands.push(touch("tool", label));
        }
        if let (Some(gate), Some(scheme)) = (&saved.gate, self.scheme()) {
            let takes = matches!(
                saved.mode,
                Running::TemporaryRecovery | Running::CustomRecovery
            ) && !self.is_between();
            for package in scheme.packages {
                if package.off == Off::Computer {
                    if takes {
                        let said =
                            format!("Send {} to its recovery from the computer", package.name);
                        hands.push(touch(&format!("send-{}", package.name), said));
                    }
                } else if !gate.card.iter().any(|name| name == package.name) {
                    hands.push(touch(
                        &format!("fetch-{}", package.name),
                        format!("Put {} from the build server on the card", package.name),
                    ));
                }
            }
        }
        for label in ["persist", "boot", "boot_a"] {
            let mut parts = self.profile().partitions.iter();
            if parts.any(|part| part.label == label) && !self.profile().is_facts_only() {
                let said = format!("Mishap: {label} goes blank");
                hands.push(touch(&format!("blank-{label}"), said));
            }
        }
        hands
    }
}
