//! The computer's side (`U8`), looked at before the first step that can't be undone: bridge, unit,
//! the modes that the sheet will use, room on this computer, its power.

use std::fs;
use std::path::Path;

use veritope_core::facts::{FactKey, Source};
use veritope_core::mode::Mode;
use veritope_core::plan::{Action, Goal};
use veritope_core::rule::Rule;
use veritope_core::seal::{Item, ItemState};
use veritope_wire::UnitId;
use veritope_wire::link::{LINK_VERSION, Listed};

use crate::bench::Engine;
use crate::error::EngineError;
use crate::record::Way;
use crate::unit::UnitRecord;

/// Room that unpacking and a quick capture take, in bytes.
const ROOM_BYTES: u64 = 2 << 30;

impl Engine {
    /// Looks at everything between this program and the unit, one line each, for the way to `goal`.
    ///
    /// # Errors
    /// When the unit is not known.
    pub fn doctor(&self, unit: UnitId, goal: Option<Goal>) -> Result<Vec<Item>, EngineError> {
        let record = self.record(unit)?;
        let mut lines = Vec::new();
        match &record.way {
            Way::Hand => lines.push(line(
                ItemState::Met,
                "No link is used: every step is done by hand, and you say what you see.".to_owned(),
            )),
            Way::Link { bridge, handle } => {
                let transport = self.transport(*bridge)?;
                lines.push(match transport.info() {
                    Ok(info) if info.link_version == LINK_VERSION => line(
                        ItemState::Met,
                        format!("The bridge {} answers, version {LINK_VERSION}.", info.name),
                    ),
                    Ok(info) => line(
                        ItemState::Missing,
                        format!(
                            "The bridge speaks version {}, wanted is {LINK_VERSION}: bring one of the two up to date.",
                            info.link_version
                        ),
                    ),
                    Err(error) => line(
                        ItemState::Missing,
                        format!("The bridge does not answer ({error}): start its program on this computer."),
                    ),
                });
                let mut same = 0;
                let mut listed = Listed::Absent;
                for (id, ..) in self.bridges() {
                    let Ok(list) = self.transport(id).and_then(|one| Ok(one.devices()?)) else {
                        continue;
                    };
                    for device in list.devices.iter().filter(|one| one.handle == *handle) {
                        if device.listed != Listed::Absent {
                            same += 1;
                        }
                        if id == *bridge {
                            listed = device.listed;
                        }
                    }
                }
                lines.push(match listed {
                    Listed::Ready => line(ItemState::Met, "The unit is listed and answers.".to_owned()),
                    Listed::NotAuthorised => line(
                        ItemState::Missing,
                        "The unit is listed and lets nobody in: confirm this computer on its screen.".to_owned(),
                    ),
                    Listed::Absent => line(
                        ItemState::Missing,
                        "The unit is not listed: another cable, another port, the driver for the mode it is in; with nothing attached the list must be empty.".to_owned(),
                    ),
                });
                if same > 1 {
                    lines.push(line(
                        ItemState::Missing,
                        "Two bridges list it: stop one of their programs, or both will talk to it."
                            .to_owned(),
                    ));
                }
            }
        }
        lines.extend(self.modes_ahead(&record, goal));
        lines.push(match self.vault.has_room(ROOM_BYTES) {
            Ok(()) => line(
                ItemState::Met,
                "This computer has room for captures and for unpacking.".to_owned(),
            ),
            Err(error) => line(ItemState::Missing, error.to_string()),
        });
        lines.push(match on_mains(Path::new("/sys/class/power_supply")) {
            Some(true) => line(ItemState::Met, "This computer is on mains.".to_owned()),
            Some(false) => line(
                ItemState::Missing,
                "This computer runs on its battery: plug it in, and keep it from going to sleep.".to_owned(),
            ),
            None => line(
                ItemState::Unknown,
                "Whether this computer is on mains can't be read: see to it, and keep it from going to sleep.".to_owned(),
            ),
        });
        Ok(lines)
    }

    /// Each mode in which the sheet will talk to the unit: whether it has answered there since it
    /// was last another.
    fn modes_ahead(&self, record: &UnitRecord, goal: Option<Goal>) -> Vec<Item> {
        let Some(goal) = goal.or(record.goal) else {
            return Vec::new();
        };
        let (Some(family), Ok(sheet)) = (self.family_of(record), self.plan_for(record, goal))
        else {
            return Vec::new();
        };
        let mut modes: Vec<Mode> = sheet
            .steps
            .iter()
            .filter(|step| Self::is_by_link(record, &family, step))
            .filter(|step| !matches!(step.action, Action::LookAtMode { .. }))
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
                    line(ItemState::Met, format!("It has answered in {shown}."))
                } else if matches!(mode, Mode::System | Mode::Bootloader | Mode::Download) {
                    line(
                        ItemState::Unknown,
                        format!("The sheet talks to it in {shown}, where it was not seen to answer yet: go there once, nothing is lost."),
                    )
                } else {
                    line(
                        ItemState::Unknown,
                        format!("The sheet talks to it in {shown}; that can be tried only on the way."),
                    )
                }
            })
            .collect()
    }
}

fn line(state: ItemState, text: String) -> Item {
    Item {
        rule: Rule::U8,
        state,
        text,
        facts: Vec::new(),
        cure: None,
        minutes: None,
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
