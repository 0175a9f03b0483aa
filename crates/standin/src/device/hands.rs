//! Fingers on the keys, and the cable: what they make of a device depends on what runs, on what is
//! held with what, and for how long. Presses are judged by device time, in the order in which they
//! take effect.

use std::io;

use veritope_wire::body::{AnswersTo, BodyAct, BodyKey, Button, CablePlace, Highlight, Push};
use veritope_wire::link::{ActKind, LinkHappening, OperationId, Progress, Refusal, RefusalCode};

use super::{Device, Going, LockState, Running, Setting, no};
use crate::condition::Fault;
use crate::gate::Try;
use crate::keys::{
    Chart, HIBERNATE_MS, LONG_MS, Lead, Menus, POWER_MENU_MS, SHUT_DOWN_MS, TAP_MS, TOOL_MS,
};
use crate::saved::List;
use crate::scheme::{Opening, Scheme};

/// Something that takes effect by the passing of time.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Due {
    /// It is where it was going.
    Arrive,
    /// The firmware looks at the keys.
    LookAtKeys,
    /// Held long enough to start.
    Start,
    /// The cable went in with the right keys held.
    Cable(Lead),
    /// Held long enough to restart it whatever it does.
    Forced,
    /// Held long enough for the menu of the running system.
    PowerMenu,
    /// Held long enough to switch the running system off.
    SwitchOff,
    /// A long press on the warning.
    LongPress,
    /// It restarts by itself.
    Spontaneous,
}

impl Device {
    pub(crate) fn chart(&self) -> Chart {
        Chart::named(self.profile.codename)
    }

    /// Whether it is dark and does nothing.
    fn is_at_rest(&self) -> bool {
        self.saved.mode == Running::Off && !self.is_between()
    }

    /// Whether it is on its way to something.
    pub(crate) fn is_between(&self) -> bool {
        self.saved.going.is_some() || self.saved.hands.start_ms.is_some()
    }

    /// Since when all of these are held, if they are.
    fn held_since(&self, keys: &[BodyKey]) -> Option<i64> {
        let down = &self.saved.hands.down;
        let since = keys.iter().map(|key| down.get(key).copied());
        let all: Option<Vec<i64>> = since.collect();
        all?.into_iter().max()
    }

    /// What takes effect next, and when.
    pub(super) fn next_due(&self) -> Option<(i64, Due)> {
        let (chart, hands) = (self.chart(), &self.saved.hands);
        let mut all = Vec::new();
        if let Some(going) = &self.saved.going {
            all.push((going.due_ms, Due::Arrive));
        }
        if let Some(began) = hands.start_ms {
            all.push((began + chart.logo_ms + chart.look_ms, Due::LookAtKeys));
        }
        if let Some(at) = self.restarts_by_itself_at() {
            all.push((at, Due::Spontaneous));
        }
        let from = |since: i64| since.max(hands.since_ms);
        if self.is_at_rest() {
            let (key, ms) = chart.start;
            if let Some(since) = self.held_since(&[key]) {
                let ms = if hands.hibernates { 500 } else { ms };
                all.push((from(since) + ms, Due::Start));
            }
        } else if let Some(since) = self.held_since(chart.forced.0) {
            all.push((from(since) + chart.forced.1, Due::Forced));
        }
        // What waits for the cable waits as well in the seconds before a start looks at the keys.
        let waits = self.is_at_rest() || hands.start_ms.is_some();
        if waits
            && let Some(at) = chart.cable
            && !hands.hibernates
            && self.saved.cable == CablePlace::In
            && hands.cable_ms >= hands.since_ms
            && let Some(since) = self.held_since(at.down).or(at.down.is_empty().then_some(0))
            && since <= hands.cable_ms
            && (!at.needs_tool
                || hands
                    .tool_ms
                    .is_some_and(|armed| armed <= hands.cable_ms + TOOL_MS))
        {
            all.push((hands.cable_ms + at.after_ms, Due::Cable(at.lead)));
        }
        if self.saved.mode == Running::System
            && !self.is_between()
            && chart.menus != Menus::Touch
            && let Some(since) = self.held_since(&[chart.start.0])
        {
            if hands.list == List::None {
                all.push((from(since) + POWER_MENU_MS, Due::PowerMenu));
            }
            if let Some(ms) = chart.off_ms {
                all.push((from(since) + ms, Due::SwitchOff));
            }
        }
        if self.saved.mode == Running::Warning
            && !self.is_between()
            && self.saved.question.is_none()
            && let Some(since) = self.held_since(&[BodyKey::VolumeUp])
            && since >= hands.since_ms
        {
            all.push((since + LONG_MS, Due::LongPress));
        }
        all.into_iter().min_by_key(|(at, _)| *at)
    }

    /// Lets something take effect.
    pub(super) fn happen(&mut self, due: Due) -> io::Result<()> {
        let now = self.saved.at_ms;
        match due {
            Due::Arrive => {
                if let Some(going) = self.saved.going.clone() {
                    self.arrive(&going)?;
                }
            }
            Due::Start => {
                self.saved.hands.shook_ms = Some(now);
                if self.saved.hands.hibernates {
                    self.saved.hands.hibernates = false;
                    self.depart(Running::System, None);
                } else {
                    self.go_black();
                }
            }
            Due::Forced => {
                self.abandon_question();
                self.cut_short();
                self.go_black();
                self.raise(LinkHappening::Disconnected);
            }
            Due::Spontaneous => {
                self.forget_restart();
                self.abandon_question();
                self.cut_short();
                self.depart(Running::System, None);
            }
            Due::LookAtKeys => {
                self.saved.hands.start_ms = None;
                let down = &self.saved.hands.down;
                let is_down = |key: &BodyKey| down.contains_key(key);
                let lead = self
                    .chart()
                    .boots
                    .iter()
                    .find(|held| held.down.iter().all(is_down) && !held.up.iter().any(is_down));
                let to = lead.map_or(Running::System, |held| self.led(held.lead));
                self.depart(to, None);
            }
            Due::Cable(lead) => {
                self.saved.hands.start_ms = None;
                self.saved.hands.tool_ms = None;
                let to = self.led(lead);
                self.depart(to, None);
            }
            Due::PowerMenu => {
                self.saved.hands.list = List::Power;
                self.saved.hands.line = 0;
            }
            Due::SwitchOff => self.switch_off(),
            Due::LongPress => self.long_press()?,
        }
        self.save()
    }

    fn led(&self, lead: Lead) -> Running {
        match lead {
            Lead::Bootloader => Running::Bootloader,
            Lead::Download => Running::Download,
            Lead::Warning => Running::Warning,
            Lead::Recovery => self.own_recovery(),
        }
    }

    /// Dark, and about to start.
    fn go_black(&mut self) {
        let now = self.saved.at_ms;
        self.memory = None;
        self.saved.mode = Running::Off;
        self.saved.hands.start_ms = Some(now);
        self.saved.hands.since_ms = now;
        self.saved.hands.list = List::None;
    }

    /// A way that is cut off ends what asked for it.
    fn cut_short(&mut self) {
        if let Some(Going {
            operation: Some(id),
            ..
        }) = self.saved.going.take()
        {
            let words = "cut off by a restart".to_owned();
            self.settle(id, Progress::Done { words });
        }
    }

    /// Off, or what passes for it while fast start is on.
    pub(super) fn switch_off(&mut self) {
        let now = self.saved.at_ms;
        let hands = &mut self.saved.hands;
        hands.list = List::None;
        hands.hibernates = hands.fast_start;
        hands.since_ms = now;
        let takes = if hands.hibernates {
            HIBERNATE_MS
        } else {
            SHUT_DOWN_MS
        };
        self.saved.going = Some(Going {
            to: Running::Off,
            due_ms: now + takes,
            operation: None,
        });
        self.raise(LinkHappening::Disconnected);
    }

    /// A long press on the warning: the firmware asks, or says why not and goes on.
    fn long_press(&mut self) -> io::Result<()> {
        let now = self.saved.at_ms;
        let opens = self.saved.lock == LockState::Locked;
        if opens
            && let (Some(gate), Some(scheme)) = (&self.saved.gate, self.scheme())
            && let Err(words) = gate.clone().try_open(scheme, &Try::LongPress, now)
        {
            words.clone_into(&mut self.saved.hands.words);
            self.depart(Running::Download, None);
            return Ok(());
        }
        let kind = if opens {
            ActKind::Unlock
        } else {
            ActKind::Lock
        };
        let question = if opens { "Unlock?" } else { "Lock?" };
        let id = self.begin(kind).id;
        self.ask(id, question);
        Ok(())
    }

    /// Puts a question on the screen; the highlight stands on *no*.
    pub(super) fn ask(&mut self, id: OperationId, question: &str) {
        let progress = Progress::Asking {
            question: question.to_owned(),
            answers: vec!["no".to_owned(), "yes".to_owned()],
            default: "no".to_owned(),
        };
        self.settle(id, progress);
        self.saved.question = Some(id);
        self.saved.hands.since_ms = self.saved.at_ms;
        let answers = self.chart().answers;
        self.saved.hands.line = answers.iter().position(|one| *one == "no").unwrap_or(0);
        self.tell(LinkHappening::Asking);
    }

    /// What a person does with the device itself.
    ///
    /// # Errors
    /// When what is wanted isn't there, or the storage fails.
    pub fn body(&mut self, act: &BodyAct) -> Result<(), Refusal> {
        let storage = |error: io::Error| no(RefusalCode::Other, error.to_string());
        match act {
            BodyAct::Cable { to } => self.cable(*to),
            BodyAct::Key { key, to } => {
                if !self.chart().keys.contains(key) {
                    let words = format!("it has no key `{}`", key.id());
                    return Err(no(RefusalCode::NotFound, words));
                }
                match to {
                    Push::Down => self.press(*key).map_err(storage)?,
                    Push::Up => self.let_go(*key).map_err(storage)?,
                }
            }
            BodyAct::Touch { button } => self.touch(button)?,
        }
        self.save_or_say()
    }

    fn press(&mut self, key: BodyKey) -> io::Result<()> {
        let now = self.saved.at_ms;
        if self.saved.hands.down.contains_key(&key) {
            return Ok(());
        }
        self.saved.hands.down.insert(key, now);
        if self.is_between() {
            return Ok(());
        }
        let on_warning = self.saved.mode == Running::Warning;
        match (key, self.saved.question) {
            (BodyKey::VolumeUp, Some(_)) if on_warning => self.answer("yes"),
            (BodyKey::VolumeDown, Some(_)) if on_warning => self.answer("no"),
            (BodyKey::VolumeUp | BodyKey::VolumeDown, _) => {
                let count = self.menu().len();
                let line = &mut self.saved.hands.line;
                if key == BodyKey::VolumeDown {
                    *line = (*line + 1).min(count.saturating_sub(1));
                } else {
                    *line = line.saturating_sub(1);
                }
                Ok(())
            }
            _ => Ok(()),
        }
    }

    fn let_go(&mut self, key: BodyKey) -> io::Result<()> {
        let now = self.saved.at_ms;
        let Some(since) = self.saved.hands.down.remove(&key) else {
            return Ok(());
        };
        // A key that was down already when this came up says nothing to it.
        if since < self.saved.hands.since_ms || self.is_between() {
            return Ok(());
        }
        if self.saved.mode == Running::Warning && self.saved.question.is_none() {
            match key {
                BodyKey::VolumeUp => self.depart(Running::Download, None),
                BodyKey::VolumeDown => self.depart(Running::System, None),
                _ => {}
            }
            return Ok(());
        }
        if key == BodyKey::Power && now - since < TAP_MS {
            let menu = self.menu();
            if let Some(line) = menu.get(self.saved.hands.line) {
                let id = line.id.clone();
                return self.choose(&id);
            }
        }
        Ok(())
    }

    /// The list that the screen shows and that can be chosen from, as it stands.
    pub(crate) fn menu(&self) -> Vec<Button> {
        if self.is_between() {
            return Vec::new();
        }
        let chart = self.chart();
        let by = match chart.menus {
            Menus::Touch => AnswersTo::Touch,
            Menus::Keys | Menus::Lamp => AnswersTo::Keys,
        };
        let line = |id: &str, label: &str| button(id, label, by);
        let mut all: Vec<Button> = if self.saved.question.is_some() {
            let opens = self.saved.lock == LockState::Locked;
            let erases = self.asks_to_erase();
            let answer = |id: &&str| match (*id, opens) {
                ("yes", _) if erases => line("yes", "Yes, erase"),
                (_, _) if erases => line("no", "No"),
                ("yes", true) => line("yes", "Yes, unlock and erase"),
                ("yes", false) => line("yes", "Yes, lock and erase"),
                (_, true) => line("no", "No, keep it locked"),
                (_, false) => line("no", "No, keep it unlocked"),
            };
            chart.answers.iter().map(answer).collect()
        } else {
            match (self.saved.mode, self.saved.hands.list) {
                (Running::System, List::Power) => vec![
                    button("power-off", "Power off", AnswersTo::Touch),
                    button("restart", "Restart", AnswersTo::Touch),
                ],
                (Running::Bootloader, _) if chart.menus != Menus::Lamp => chart
                    .bootloader
                    .iter()
                    .map(|(id, label)| line(id, label))
                    .collect(),
                (Running::StockRecovery, List::Card) => self
                    .card()
                    .iter()
                    .map(|name| line(&format!("install-{name}"), &format!("Install {name}")))
                    .chain([line("back", "Back")])
                    .collect(),
                (Running::StockRecovery, _) => {
                    let restart = line("start", "Restart");
                    let erase = line("erase", "Erase everything");
                    if self.has_card() {
                        vec![line("card", "Install from card"), restart, erase]
                    } else {
                        vec![restart, erase]
                    }
                }
                (Running::Refusing, _) if chart.menus == Menus::Touch => {
                    vec![line("bootloader", "Bootloader")]
                }
                _ => Vec::new(),
            }
        };
        // The highlight of a list for fingers stays where it is.
        let at = self.saved.hands.line.min(all.len().saturating_sub(1));
        if let Some(line) = all.get_mut(at) {
            line.highlight = Highlight::Default;
        }
        all
    }

    fn card(&self) -> &[String] {
        self.saved.gate.as_ref().map_or(&[], |gate| &gate.card)
    }

    fn has_card(&self) -> bool {
        self.scheme().is_some_and(Scheme::has_card)
    }

    fn touch(&mut self, id: &str) -> Result<(), Refusal> {
        let face = self.face();
        let known = face
            .buttons
            .iter()
            .chain(&face.hands)
            .find(|known| known.id == id)
            .ok_or_else(|| no(RefusalCode::NotFound, format!("the screen shows no `{id}`")))?;
        if known.by == AnswersTo::Keys {
            return Ok(());
        }
        self.choose(id)
            .map_err(|error| no(RefusalCode::Other, error.to_string()))
    }

    /// Takes what was chosen on the screen, or done beside it.
    fn choose(&mut self, id: &str) -> io::Result<()> {
        let now = self.saved.at_ms;
        match id {
            "no" | "yes" => self.answer(id)?,
            "start" | "restart" => self.depart(Running::System, None),
            "bootloader" => self.depart(Running::Bootloader, None),
            "recovery" => {
                let to = self.own_recovery();
                self.depart(to, None);
            }
            "off" | "power-off" => self.switch_off(),
            "erase" => self.ask_to_erase(),
            "card" => (self.saved.hands.list, self.saved.hands.line) = (List::Card, 0),
            "back" => (self.saved.hands.list, self.saved.hands.line) = (List::None, 0),
            "fast-start" => self.saved.hands.fast_start = !self.saved.hands.fast_start,
            "install-itself" => self.install_itself()?,
            "tool" => self.saved.hands.tool_ms = Some(now),
            "debugging" => {
                self.saved.debugging = self.saved.debugging.other();
                self.raise(LinkHappening::Connected);
            }
            "rights" => {
                self.saved.rights = self.saved.rights.other();
                self.raise(LinkHappening::Connected);
            }
            "sign-out" => self.saved.accounts = 0,
            "screen-lock" => self.saved.screen_lock = Setting::Off,
            "lift" => self.cable(CablePlace::Out),
            "dock" => self.cable(CablePlace::In),
            other => match other.strip_prefix("blank-") {
                Some(label) => self.arm(Fault::Blank {
                    label: label.to_owned(),
                })?,
                None => self.gated_press(other)?,
            },
        }
        Ok(())
    }

    fn answer(&mut self, id: &str) -> io::Result<()> {
        let Some(asked) = self.saved.question.take() else {
            return Ok(());
        };
        if id != "yes" {
            self.saved.asks_critical = false;
        }
        if id == "yes" {
            return self.begin_erase(asked);
        }
        let words = match self.saved.lock {
            _ if self.is_erase(asked) => "nothing erased",
            LockState::Locked => "kept locked",
            LockState::Unlocked => "kept unlocked",
        };
        self.settle(asked, Progress::Refused(no(RefusalCode::AnsweredNo, words)));
        self.saved.hands.line = 0;
        self.saved.hands.since_ms = self.saved.at_ms;
        if self.saved.mode == Running::Warning {
            self.depart(Running::Download, None);
        }
        Ok(())
    }

    pub(super) fn cable(&mut self, to: CablePlace) {
        if self.saved.cable == to {
            return;
        }
        self.saved.cable = to;
        if to == CablePlace::In {
            self.saved.hands.cable_ms = self.saved.at_ms;
        }
        self.raise(match to {
            CablePlace::In => LinkHappening::Connected,
            CablePlace::Out => LinkHappening::Disconnected,
        });
    }

    /// Where the lock's change leads once the erase is through.
    pub(super) fn after_erase(&self) -> Running {
        match self.scheme().map(|scheme| scheme.opening) {
            Some(Opening::LongPress) => Running::System,
            _ => Running::Bootloader,
        }
    }
}

pub(crate) fn button(id: &str, label: &str, by: AnswersTo) -> Button {
    Button {
        id: id.to_owned(),
        label: label.to_owned(),
        highlight: Highlight::Plain,
        by,
    }
}
