//! The computer's side (`U8`), looked at before the first step that can't be undone: bridge, unit,
//! the modes that the sheet will use, room on this computer, its power.

use std::fs;
use std::path::Path;

use veritope_core::act::{Doing, Reversibility};
use veritope_core::evidence::{Basis, Line, Need};
use veritope_core::facts::{FactKey, Source};
use veritope_core::goal::Goal;
use veritope_core::mode::Mode;
use veritope_core::plan::Step;
use veritope_core::rule::Rule;
use veritope_wire::link::{LINK_VERSION, Listed};
use veritope_wire::{BridgeId, UnitId};

use crate::desk::record::Way;
use crate::desk::unit::UnitRecord;
use crate::links::presence::LinkPresence;
use crate::runs::Runs;
use crate::runs::RunsError;

/// Room that unpacking and a quick capture take, in bytes.
const ROOM_BYTES: u64 = 2 << 30;

impl Runs {
    /// Looks at everything between this program and the unit, one line each, for the way to `goal`.
    ///
    /// # Errors
    /// When the unit is not known.
    pub fn doctor(&self, unit: UnitId, goal: Option<Goal>) -> Result<Vec<Line>, RunsError> {
        let record = self.pen.record(unit)?;
        let mut lines = self.to_the_unit(&record);
        lines.extend(self.modes_ahead(&record, goal));
        lines.extend(self.this_computer());
        Ok(lines)
    }

    /// The lines of [`Self::doctor`] that hold `steps` back: what is known to be wrong with the way to
    /// the unit or with this computer, where one of the steps can't be undone (`U8`).
    pub(crate) fn connection_holds(&self, record: &UnitRecord, steps: &[Step]) -> Vec<Line> {
        if !any_is_final(steps) {
            return Vec::new();
        }
        let mut lines = self.to_the_unit(record);
        lines.extend(self.this_computer());
        lines.retain(Line::is_missing);
        lines
    }

    /// The first of [`Self::connection_holds`] for a page, which does not wait for a bridge that the watch
    /// has found silent.
    pub(crate) fn connection_hold_seen(&self, record: &UnitRecord, steps: &[Step]) -> Option<Line> {
        if self.links.link_view(record).presence == LinkPresence::BridgeGone {
            let text = "The bridge does not answer: start its program on this computer.";
            let silent = line(State::Missing, text.to_owned());
            return any_is_final(steps).then_some(silent);
        }
        self.connection_holds(record, steps).into_iter().next()
    }

    /// Bridge and unit.
    fn to_the_unit(&self, record: &UnitRecord) -> Vec<Line> {
        let Way::Link { bridge, handle } = &record.way else {
            return vec![line(
                State::Met,
                "No link is used: every step is done by hand, and you say what you see.".to_owned(),
            )];
        };
        let answer = self.links.transport(*bridge).map(|bridge| bridge.info());
        let mut lines = vec![match answer {
            Ok(Ok(info)) if info.link_version == LINK_VERSION => line(
                State::Met,
                format!("The bridge {} answers, version {LINK_VERSION}.", info.name),
            ),
            Ok(Ok(info)) => line(
                State::Missing,
                format!(
                    "The bridge speaks version {}, wanted is {LINK_VERSION}: bring one of the two up to date.",
                    info.link_version
                ),
            ),
            Ok(Err(error)) => line(
                State::Missing,
                format!(
                    "The bridge does not answer ({error}): start its program on this computer."
                ),
            ),
            Err(error) => line(State::Missing, error.to_string()),
        }];
        let listed = self
            .links
            .transport(*bridge)
            .ok()
            .and_then(|bridge| bridge.devices().ok())
            .and_then(|list| list.devices.into_iter().find(|one| one.handle == *handle))
            .map_or(Listed::Absent, |one| one.listed);
        lines.push(match listed {
            Listed::Ready => line(State::Met, "The unit is listed and answers.".to_owned()),
            Listed::NotAuthorised => line(
                State::Unknown,
                "The unit is listed and lets nobody in: confirm this computer on its screen.".to_owned(),
            ),
            Listed::Absent => line(
                State::Unknown,
                "The unit is not listed: another cable, another port, the driver for the mode it is in; with nothing attached the list must be empty.".to_owned(),
            ),
        });
        if let Some(other) = self.also_listed_by(record, *bridge) {
            lines.push(line(
                State::Missing,
                format!("{other} lists it too, by its chip: stop one of the two programs, or both will talk to it."),
            ));
        }
        lines
    }

    /// Another bridge at which the same chip answers.
    fn also_listed_by(&self, record: &UnitRecord, own: BridgeId) -> Option<String> {
        let family = self.library.family_of(record)?;
        let known = record.known();
        let chip = family.hardware_identity(&known)?;
        let (key, wanted) = (chip.key.id(), chip.value.exact());
        self.links.bridges().into_iter().find_map(|(id, name, ..)| {
            let bridge = self.links.transport(id).ok().filter(|_| id != own)?;
            let devices = bridge.devices().ok()?.devices;
            let is_it = devices.iter().any(|device| {
                device.listed == Listed::Ready
                    && bridge
                        .state(&device.handle)
                        .is_ok_and(|state| state.identities.get(key) == Some(&wanted))
            });
            is_it.then_some(name)
        })
    }

    /// Room and power.
    fn this_computer(&self) -> Vec<Line> {
        let room = match self.library.vault.has_room(ROOM_BYTES) {
            Ok(()) => line(
                State::Met,
                "This computer has room for captures and for unpacking.".to_owned(),
            ),
            Err(error) => line(State::Missing, error.to_string()),
        };
        let power = match on_mains(&self.supplies) {
            Some(true) => line(State::Met, "This computer is on mains.".to_owned()),
            Some(false) => line(
                State::Missing,
                "This computer runs on its battery: plug it in, and keep it from going to sleep.".to_owned(),
            ),
            None => line(
                State::Unknown,
                "Whether this computer is on mains can't be read: see to it, and keep it from going to sleep.".to_owned(),
            ),
        };
        vec![room, power]
    }

    /// Each mode in which the sheet will talk to the unit: whether it has answered there since it
    /// was last another.
    fn modes_ahead(&self, record: &UnitRecord, goal: Option<Goal>) -> Vec<Line> {
        let Some(goal) = goal.or(record.goal) else {
            return Vec::new();
        };
        let Ok(sheet) = self.plan_for(record, goal) else {
            return Vec::new();
        };
        let mut modes: Vec<Mode> = sheet
            .steps
            .iter()
            .filter(|step| self.is_by_link(record, step))
            .filter(|step| !matches!(self.doing(record, step), Doing::Look(_)))
            .filter_map(|step| step.before.mode)
            .collect();
        modes.sort_unstable();
        modes.dedup();
        let known = record.known();
        let lower = known.choice(FactKey::AnswersBootloader);
        modes
            .into_iter()
            .map(|mode| {
                let is_now = known
                    .known(FactKey::Mode)
                    .is_some_and(|row| row.source == Source::Link && known.mode() == Some(mode));
                let has_answered = match mode {
                    Mode::Bootloader | Mode::Download => lower == Some("yes"),
                    _ => false,
                };
                let shown = mode.shown();
                if is_now || has_answered {
                    line(State::Met, format!("It has answered in {shown}."))
                } else if matches!(mode, Mode::System | Mode::Bootloader | Mode::Download) {
                    line(
                        State::Unknown,
                        format!("The sheet talks to it in {shown}, where it was not seen to answer yet: go there once, nothing is lost."),
                    )
                } else {
                    line(
                        State::Unknown,
                        format!("The sheet talks to it in {shown}; that can be tried only on the way."),
                    )
                }
            })
            .collect()
    }
}

fn any_is_final(steps: &[Step]) -> bool {
    steps
        .iter()
        .any(|step| step.reversibility == Reversibility::NoReturn)
}

/// How a line of this computer's side stands.
#[derive(Clone, Copy)]
enum State {
    Met,
    Missing,
    Unknown,
}

/// What this computer and the bridge themselves say; what to do is said in the sentence.
fn line(state: State, text: String) -> Line {
    let need = Need::Carried { cure: None };
    match state {
        State::Met => Line::met(Rule::U8, text, Basis::log("this look at the connection")),
        State::Missing => Line::missing(Rule::U8, text, need),
        State::Unknown => Line::unknown(Rule::U8, text, need),
    }
}

/// Whether the computer hangs on mains, as far as `folder` tells; nothing when it has no supply that
/// says so.
fn on_mains(folder: &Path) -> Option<bool> {
    let read = |path: &Path, name: &str| fs::read_to_string(path.join(name)).ok();
    let supplies: Vec<_> = fs::read_dir(folder)
        .ok()?
        .filter_map(|entry| Some(entry.ok()?.path()))
        .collect();
    let mains: Vec<bool> = supplies
        .iter()
        .filter(|path| read(path, "type").is_some_and(|kind| kind.trim() == "Mains"))
        .filter_map(|path| Some(read(path, "online")?.trim() == "1"))
        .collect();
    (!mains.is_empty()).then(|| mains.contains(&true))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn mains_are_read_as_the_system_tells_them() {
        let folder = tempfile::tempdir().unwrap();
        assert_eq!(on_mains(folder.path()), None);
        assert_eq!(on_mains(&folder.path().join("missing")), None);
        let supply = |name: &str, kind: &str, online: &str| {
            let path = folder.path().join(name);
            fs::create_dir_all(&path).unwrap();
            fs::write(path.join("type"), kind).unwrap();
            fs::write(path.join("online"), online).unwrap();
        };
        supply("BAT0", "Battery\n", "1\n");
        assert_eq!(on_mains(folder.path()), None);
        supply("AC", "Mains\n", "0\n");
        assert_eq!(on_mains(folder.path()), Some(false));
        supply("AC", "Mains\n", "1\n");
        assert_eq!(on_mains(folder.path()), Some(true));
    }
}
