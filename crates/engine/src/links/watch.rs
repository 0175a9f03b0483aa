//! Watching: what a link shows of a unit, when it is read again, and what that says about what
//! happened meanwhile.

use std::collections::BTreeSet;
use std::sync::Arc;
use std::time::Duration;

use veritope_core::facts::{FactKey, FactRow, FactValue, Facts, Happening, Source};
use veritope_core::family::{Family, ModeSpec, Recognised, Session};
use veritope_core::mode::{Lock, Mode};
use veritope_core::plan::sighting::concluded;
use veritope_core::signs::{self, Signs};
use veritope_core::started::{self, Between};
use veritope_link::{DeviceLink, LinkError, Transport, readings};
use veritope_wire::link::{DeviceState, Epoch, Handle, LinkHappening, Listed};
use veritope_wire::{BenchTime, BridgeId, UnitId};

use crate::desk::pen::lock;
use crate::desk::record::{Entry, Way};
use crate::desk::unit::UnitRecord;
use crate::links::Links;
use crate::links::LinksError;
use crate::links::presence::{LinkPresence, LinkView, Live, Plugged};
use crate::ports::Changed;

/// How old a reading may be before the watch reads again, in milliseconds.
const READ_AGAIN_MS: u64 = 60_000;

/// Most epochs that can have passed in one session.
const MOST_EPOCHS: u64 = 100;

/// What was seen in one look over the link.
pub(crate) struct Observation {
    pub(crate) state: DeviceState,
    /// The facts of this look alone.
    pub(crate) facts: Facts,
}

impl Observation {
    pub(crate) fn mode(&self) -> Option<Mode> {
        self.facts.mode()
    }

    pub(crate) fn lock(&self) -> Option<Lock> {
        self.facts.lock()
    }
}

impl Links {
    /// Looks at a unit over its link and records what changed.
    ///
    /// # Errors
    /// When the bridge doesn't answer or another unit does.
    pub fn look(&self, unit: UnitId) -> Result<(), LinksError> {
        self.observe(unit).map(|_| ())
    }

    pub(crate) fn observe(&self, unit: UnitId) -> Result<Observation, LinksError> {
        let record = self.pen.record(unit)?;
        let device = self.device(&record)?;
        let state = match device.look() {
            Ok(state) => state,
            Err(error) => {
                self.gone(&record, LinkPresence::of_error(&error))?;
                return Err(error.into());
            }
        };
        let known = record.known();
        let before = lock(&self.live).get(&unit).cloned();
        let has_moved = before
            .as_ref()
            .is_some_and(|live| live.epoch != Some(state.epoch))
            || record.epoch.is_some_and(|epoch| epoch != state.epoch);
        if state.listed == Listed::Absent {
            self.gone(&record, LinkPresence::Absent)?;
            return Ok(Observation {
                state,
                facts: Facts::default(),
            });
        }
        let at = self.pen.now();
        // What it is now is held against what still counts of it: little, where it was away for long (`K5`).
        let mut sight = known.sight();
        if has_moved {
            sight.is_seen(at, false);
        }
        let known = known.in_sight(sight);
        let rows: Vec<FactRow> = readings(&state)
            .into_iter()
            .map(|(key, value)| self.pen.row(key, value, Source::Link, at))
            .collect();
        let facts = Facts::new(&rows, &[], []);
        let family = self
            .library
            .family_of(&record)
            .or_else(|| self.library.family_named(facts.text(FactKey::Codename)?));
        let family = family.as_deref();
        if let Some(text) = family.and_then(|family| doubt(family, &state, &facts)) {
            self.gone(&record, LinkPresence::Doubtful)?;
            return Err(LinksError::Doubtful { text });
        }
        // That this program was started anew makes no new session: the epoch is in the record.
        let plugged = before.as_ref().and_then(|live| live.recognised.clone());
        let plugged = plugged.or_else(|| {
            Some(Plugged {
                port: None,
                epoch: record.epoch?,
            })
        });
        let session = session(&device, plugged.as_ref(), &state);
        let recognised = family.map_or(Recognised::Same(Vec::new()), |family| {
            family.recognise(&known, &record.paired, &facts, session)
        });
        let paired = match recognised {
            Recognised::Same(paired) => paired,
            Recognised::Other(_) => {
                self.set_live(unit, LinkPresence::AnotherUnit, Some(state.epoch));
                return Err(LinksError::AnotherUnit {
                    nickname: record.nickname.clone(),
                });
            }
            Recognised::Unsure => {
                self.gone(&record, LinkPresence::NotTold)?;
                let text = nobody(family, &known, &record.nickname);
                return Err(LinksError::NotTold { text });
            }
        };
        let paired = paired.into_iter().map(|paired| Entry::Paired { paired });
        let mut entries: Vec<Entry> = Vec::new();
        let mode_differs = known.mode().is_some() && known.mode() != facts.mode();
        let epoch = Some(state.epoch);
        if has_moved || mode_differs {
            entries.push(Entry::Happened {
                happening: Happening::ModeChanged,
                at,
                epoch,
            });
            let between = between(&record, known.mode(), facts.mode(), state.epoch);
            if between.may_have_run(family) {
                let all = started::happened(family, &known).into_iter();
                entries.extend(all.map(|happening| Entry::Happened {
                    happening,
                    at,
                    epoch,
                }));
            }
        }
        let mut voided = vec![Happening::ModeChanged];
        if let Some(family) = family {
            for happening in concluded(family, known.lock(), facts.lock()) {
                entries.push(Entry::Happened {
                    happening,
                    at,
                    epoch,
                });
                voided.push(happening);
            }
        }
        let moved = !entries.is_empty();
        // What was read in another mode stays the fact; this mode's stands among the pairs.
        let is_pair = |row: &FactRow| {
            let said = known.known(row.key).map(|row| row.value.exact());
            record.paired.iter().any(|pair| {
                pair.key == row.key
                    && Some(pair.mode) != facts.mode()
                    && Some(&pair.value) == said.as_ref()
            })
        };
        let news: Vec<FactRow> = rows
            .into_iter()
            .filter(|row| !is_pair(row))
            .filter(|row| row.key != FactKey::Recovery || moved || !known.runs_from_before())
            .filter(|row| {
                let same = record.facts.iter().any(|old| {
                    old.source == Source::Link
                        && (old.key, &old.value) == (row.key, &row.value)
                        && known.still_counts(old)
                });
                let is_voided = moved && row.key.spec().stale_on.iter().any(|w| voided.contains(w));
                let is_known = known.known(row.key).is_some();
                !same || is_voided || !is_known
            })
            .collect();
        let mut news = news;
        // It answers this computer in the mode that takes the unlock: U8 is seen, not asked.
        let lower = family.and_then(|family| family.lower_mode());
        let answers = lower.is_some() && facts.mode() == lower;
        if answers && known.choice(FactKey::AnswersBootloader) != Some("yes") {
            let yes = FactValue::parse(FactKey::AnswersBootloader, "yes")?;
            news.push(
                self.pen
                    .row(FactKey::AnswersBootloader, yes, Source::Concluded, at),
            );
        }
        let was_closed = (known.lock(), facts.lock()) == (Some(Lock::Unlocked), Some(Lock::Locked));
        if was_closed && known.choice(FactKey::Relocked) != Some("yes") {
            let yes = FactValue::parse(FactKey::Relocked, "yes")?;
            news.push(self.pen.row(FactKey::Relocked, yes, Source::Concluded, at));
        }
        if !news.is_empty() {
            entries.push(Entry::Facts { facts: news });
        }
        entries.extend(paired);
        self.pen.append(unit, None, entries)?;
        self.set_live(unit, state.listed.into(), Some(state.epoch));
        if let Some(live) = lock(&self.live).get_mut(&unit) {
            live.recognised = Some(Plugged {
                port: state.port.clone(),
                epoch: state.epoch,
            });
        }
        Ok(Observation { state, facts })
    }

    /// Looks whether the unit is there while a step is at it, for the tag; what it says of itself counts
    /// when the step is over.
    pub(crate) fn glance(&self, unit: UnitId, device: &DeviceLink) {
        let presence = match device.look() {
            Ok(state) => state.listed.into(),
            Err(error) => LinkPresence::of_error(&error),
        };
        let now = self.pen.now();
        let mut all = lock(&self.live);
        let Some(live) = all.get_mut(&unit) else {
            return;
        };
        if live.shown().0 == presence {
            return;
        }
        live.glimpse = Some((presence, now));
        drop(all);
        self.pen.notify.changed(Changed::Unit(unit));
    }

    /// The unit doesn't answer: what it was doing is no longer known.
    fn gone(&self, record: &UnitRecord, presence: LinkPresence) -> Result<(), LinksError> {
        let was_here = lock(&self.live).get(&record.id).is_some_and(|live| {
            matches!(
                live.presence,
                LinkPresence::Ready | LinkPresence::NotAuthorised
            )
        });
        self.set_live(record.id, presence, None);
        let at = self.pen.now();
        // Being away is how *off* looks from here: it puts every other mode in doubt.
        let mode = record.known().mode();
        let is_as_known = presence == LinkPresence::Absent && mode == Some(Mode::Off);
        if was_here && mode.is_some() && !is_as_known {
            let entry = Entry::happened(Happening::ModeChanged, at);
            self.pen.append(record.id, None, vec![entry])?;
        }
        Ok(())
    }

    fn set_live(&self, unit: UnitId, presence: LinkPresence, epoch: Option<Epoch>) {
        let now = self.pen.now();
        let mut live = lock(&self.live);
        let before = live.get(&unit).cloned();
        let since = match &before {
            Some(before) if before.presence == presence => before.since,
            _ => now,
        };
        let is_away = |presence| {
            matches!(
                presence,
                LinkPresence::Absent | LinkPresence::BridgeGone | LinkPresence::AnotherUnit
            )
        };
        let arrived = match &before {
            _ if is_away(presence) => None,
            Some(before) if is_away(before.presence) => Some(now),
            Some(before) => before.arrived,
            // What was here when the bench opened did not arrive.
            None => None,
        };
        live.insert(
            unit,
            Live {
                presence,
                epoch,
                since,
                read_at: now,
                arrived,
                recognised: before.as_ref().and_then(|live| live.recognised.clone()),
                glimpse: None,
            },
        );
        drop(live);
        if before.is_none_or(|before| before.shown().0 != presence) {
            self.pen.notify.changed(Changed::Unit(unit));
        }
    }

    pub(crate) fn link_view(&self, record: &UnitRecord) -> LinkView {
        match &record.way {
            Way::Hand => LinkView {
                presence: LinkPresence::ByHand,
                since: None,
            },
            Way::Link { .. } => match lock(&self.live).get(&record.id) {
                Some(live) => {
                    let (presence, since) = live.shown();
                    LinkView {
                        presence,
                        since: Some(since),
                    }
                }
                None => LinkView {
                    presence: LinkPresence::Absent,
                    since: None,
                },
            },
        }
    }

    /// When a unit came back that had been away.
    pub(crate) fn arrived(&self, unit: UnitId) -> Option<BenchTime> {
        lock(&self.live).get(&unit).and_then(|live| live.arrived)
    }

    /// Looks once at every bridge and reads each unit whose epoch moved or whose readings are old; gives the
    /// units that were seen. Meant to be called every second or so.
    pub(crate) fn watch(&self) -> Vec<UnitId> {
        let mut seen = Vec::new();
        let bridges: Vec<(BridgeId, Arc<dyn Transport>)> = lock(&self.bridges)
            .iter()
            .map(|(bridge, transport)| (bridge.id, Arc::clone(transport)))
            .collect();
        let units = self.pen.journal.units();
        for (bridge, transport) in bridges {
            let listed = transport.devices();
            for record in &units {
                let Way::Link { bridge: of, handle } = &record.way else {
                    continue;
                };
                if *of == bridge && !record.is_away && !self.turns.is_changing(record.id) {
                    match self.watch_unit(record, handle, &listed) {
                        Ok(true) => seen.push(record.id),
                        Ok(false) => {}
                        Err(error) => tracing::debug!(unit = %record.id, %error, "watching"),
                    }
                }
            }
        }
        seen
    }

    /// Whether it was read anew.
    fn watch_unit(
        &self,
        record: &UnitRecord,
        handle: &Handle,
        listed: &Result<veritope_wire::link::DeviceList, LinkError>,
    ) -> Result<bool, LinksError> {
        let list = match listed {
            Ok(list) => list,
            Err(error) => {
                self.gone(record, LinkPresence::of_error(error))?;
                return Ok(false);
            }
        };
        let line = list.devices.iter().find(|line| line.handle == *handle);
        let Some(line) = line.filter(|line| line.listed != Listed::Absent) else {
            self.gone(record, LinkPresence::Absent)?;
            return Ok(false);
        };
        let live = lock(&self.live).get(&record.id).cloned();
        let is_due = live.is_none_or(|live| {
            live.epoch != Some(line.epoch) || self.pen.now().ms_since(live.read_at) > READ_AGAIN_MS
        });
        if is_due {
            self.observe(record.id)?;
        }
        Ok(is_due)
    }
}

/// Whether the unit that answers now was there without a gap since it was recognised: in the same socket, and
/// each epoch since came about by a change of mode. Another plugging may have brought another unit, and so
/// may what the bridge no longer tells (`K4`).
fn session(device: &DeviceLink, then: Option<&Plugged>, now: &DeviceState) -> Session {
    let Some(then) = then else {
        return Session::Anew;
    };
    let is_moved = matches!((&then.port, &now.port), (Some(then), Some(now)) if then != now);
    let passed = now.epoch.0.checked_sub(then.epoch.0);
    match passed {
        _ if is_moved => Session::Anew,
        Some(0) => Session::Running,
        Some(1..=MOST_EPOCHS) => {
            let events = device.events(0, Duration::ZERO).map(|told| told.events);
            let events = events.unwrap_or_default();
            let is_told = |epoch: u64| events.iter().any(|event| event.epoch.0 == epoch);
            let is_plugged = events.iter().any(|event| {
                let is_since = event.epoch > then.epoch && event.epoch <= now.epoch;
                is_since && matches!(event.what, LinkHappening::Connected | LinkHappening::Other)
            });
            let mut since = then.epoch.0 + 1..=now.epoch.0;
            match !is_plugged && since.all(is_told) {
                true => Session::Running,
                false => Session::Anew,
            }
        }
        _ => Session::Anew,
    }
}

/// That nobody can tell who answers, and where it tells more.
fn nobody(family: Option<&Family>, known: &Facts, nickname: &str) -> String {
    let modes = family
        .map(|family| family.modes.as_slice())
        .unwrap_or_default();
    let tells = |mode: &&ModeSpec| {
        let mut told = mode.tells.iter();
        told.any(|key| key.spec().kind.identifies() && known.known(*key).is_some())
    };
    let modes: Vec<&str> = modes
        .iter()
        .filter(tells)
        .map(|mode| mode.mode.shown())
        .collect();
    let lead = if modes.is_empty() {
        String::new()
    } else {
        format!(", or start {}", modes.join(" or "))
    };
    format!(
        "It was plugged in anew, and nothing that it tells now says that it is {nickname}: type what identifies it here{lead}"
    )
}

/// What this look and the one before it tell of the time between them.
fn between(record: &UnitRecord, before: Option<Mode>, now: Option<Mode>, epoch: Epoch) -> Between {
    let rows = record.facts.iter().filter(|row| row.key == FactKey::Mode);
    let last = rows.max_by_key(|row| (row.at, row.id));
    let under_way = record.active_run().filter(|run| run.open.is_some());
    let step = under_way.and_then(crate::desk::unit::RunRecord::next_step);
    let raised = |then: Epoch| epoch.0.saturating_sub(then.0);
    Between {
        before,
        last: last.and_then(|row| Mode::from_id(&row.value.exact())),
        now,
        led_to: step.and_then(|step| step.after.mode),
        raised: record.epoch.map_or(u64::MAX, raised),
    }
}

/// What is wrong with the signs of a unit's mode (`K5`). A unit that is listed and lets no computer
/// in shows both at once: something answers, and it asks a person first, which the running system
/// alone does.
fn doubt(family: &Family, state: &DeviceState, facts: &Facts) -> Option<String> {
    if state.listed == Listed::NotAuthorised {
        return None;
    }
    let reads: BTreeSet<FactKey> = FactKey::ALL
        .iter()
        .copied()
        .filter(|key| facts.known(*key).is_some())
        .collect();
    let signs: Signs = signs::of_link(family, facts.mode(), &reads);
    signs.doubt()
}
