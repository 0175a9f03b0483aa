//! Units: who is on the bench, and what a person says of them.

use std::sync::Arc;

use veritope_core::facts::{FactKey, FactValue, NotAValue, Source};
use veritope_core::goal::Goal;
use veritope_core::keepsafe::{KeepClass, Kept};
use veritope_core::paste::{self, Hit, MOST_PASTED_BYTES};
use veritope_wire::{BridgeId, FactId, RequestId, UnitId};

use crate::desk::DeskError;
use crate::desk::pen::{Once, Pen};
use crate::desk::reason;
use crate::desk::record::{Entry, Scope, Way};
use crate::library::kept::Library;
use crate::links::{Links, LinksError};
use crate::ports::Changed;
use crate::turns::{TurnError, Turns};

/// Why something was not said of a unit.
#[derive(Debug, thiserror::Error)]
pub enum UnitsError {
    /// A run is under way already.
    #[error("a run is under way with this unit: finish or stop it first")]
    RunIsOpen,
    /// No such fact.
    #[error("there is no fact {0} to take back")]
    NoFact(FactId),
    /// The unit's family is not known.
    #[error("which family this unit belongs to is not known, so nothing is planned for it")]
    NoFamily,
    /// A value that can't be.
    #[error(transparent)]
    NotAValue(#[from] NotAValue),
    /// Other input that can't be.
    #[error("{0}")]
    BadInput(String),
    /// The link.
    #[error(transparent)]
    Links(LinksError),
    /// Who may change the unit.
    #[error(transparent)]
    Turn(TurnError),
    /// The record.
    #[error(transparent)]
    Desk(#[from] DeskError),
}

// A cause has one place, however it came up.

impl From<TurnError> for UnitsError {
    fn from(error: TurnError) -> Self {
        match error {
            TurnError::Desk(error) => Self::Desk(error),
            other => Self::Turn(other),
        }
    }
}

impl From<LinksError> for UnitsError {
    fn from(error: LinksError) -> Self {
        match error {
            LinksError::Desk(error) => Self::Desk(error),
            LinksError::Turn(error) => Self::Turn(error),
            other => Self::Links(other),
        }
    }
}

/// Who is on the bench.
pub struct Units {
    pen: Arc<Pen>,
    library: Arc<Library>,
    turns: Arc<Turns>,
    links: Arc<Links>,
}

/// A unit to put onto the bench.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewUnit {
    /// Its name here.
    pub nickname: String,
    /// How it is reached.
    pub way: Way,
    /// Codename of its family where no link tells it.
    pub family: Option<String>,
    /// Id of the ownership answer.
    pub ownership: String,
}

impl Units {
    pub(crate) fn new(links: Arc<Links>) -> Self {
        Self {
            pen: Arc::clone(&links.pen),
            library: Arc::clone(&links.library),
            turns: Arc::clone(&links.turns),
            links,
        }
    }

    /// Reaches a unit over a link from now on: the device there is this unit, as its identifiers tell.
    ///
    /// # Errors
    /// When a run is under way, the device is another unit's, or nothing tells that it is this one.
    pub fn link_unit(
        &self,
        unit: UnitId,
        bridge: BridgeId,
        handle: &str,
        request: RequestId,
    ) -> Result<(), UnitsError> {
        let Some(_once) = self.pen.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let _changing = self.turns.begin_changing(unit)?;
        let record = self.pen.record(unit)?;
        if record.active_run().is_some() {
            return Err(UnitsError::RunIsOpen);
        }
        let found = self.links.found(bridge)?;
        let device = found.iter().find(|device| device.handle == handle);
        let is_it = device.is_some_and(|device| {
            let mut units = device.recognised.iter();
            device.unit.is_none() && units.any(|known| known.unit == unit)
        });
        if !is_it {
            return Err(UnitsError::BadInput(format!(
                "nothing tells that the device there is {}: its identifiers are missing, differ, or belong to another unit (K4)",
                record.nickname
            )));
        }
        let way = Way::Link {
            bridge,
            handle: veritope_wire::link::Handle(handle.to_owned()),
        };
        self.pen
            .append(unit, Some(request), vec![Entry::WayChanged { way }])?;
        if let Err(error) = self.links.observe(unit) {
            tracing::info!(%unit, %error, "a linked unit could not be read yet");
        }
        self.pen.notify.changed(Changed::Bench);
        Ok(())
    }

    /// Gives a unit another name. Consents that were typed with the old one count no longer.
    ///
    /// # Errors
    /// When the name is empty, too long or taken, or a run is under way.
    pub fn rename_unit(
        &self,
        unit: UnitId,
        nickname: &str,
        request: RequestId,
    ) -> Result<(), UnitsError> {
        let Some(_once) = self.pen.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let record = self.pen.record(unit)?;
        if record.active_run().is_some() {
            return Err(UnitsError::RunIsOpen);
        }
        let nickname = self.checked_name(nickname, Some(unit))?;
        self.pen
            .append(unit, Some(request), vec![Entry::UnitRenamed { nickname }])?;
        self.pen.notify.changed(Changed::Bench);
        Ok(())
    }

    /// Puts a unit away, or back onto the bench; its record stays, and so does all that is kept of it.
    ///
    /// # Errors
    /// When a run is under way with it.
    pub fn put_away(&self, unit: UnitId, away: bool, request: RequestId) -> Result<(), UnitsError> {
        let Some(_once) = self.pen.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let _changing = self.turns.begin_changing(unit)?;
        let record = self.pen.record(unit)?;
        if record.is_away == away {
            return Ok(());
        }
        if record.active_run().is_some() {
            return Err(UnitsError::RunIsOpen);
        }
        self.pen
            .append(unit, Some(request), vec![Entry::UnitPutAway { away }])?;
        self.pen.notify.changed(Changed::Bench);
        Ok(())
    }

    /// A name that a unit can have.
    fn checked_name(&self, name: &str, of: Option<UnitId>) -> Result<String, UnitsError> {
        let name = name.trim().to_owned();
        if !(1..=40).contains(&name.chars().count()) || name.chars().any(char::is_control) {
            return Err(UnitsError::BadInput(
                "give the unit a name of 1 to 40 characters".to_owned(),
            ));
        }
        let units = self.pen.journal.units();
        let other = units
            .iter()
            .find(|unit| unit.nickname == name && Some(unit.id) != of);
        match other {
            Some(other) if other.is_away => Err(UnitsError::BadInput(format!(
                "a unit called {name} was put away; choose another name"
            ))),
            Some(_) => Err(UnitsError::BadInput(format!(
                "a unit called {name} is on this bench already; choose another name"
            ))),
            None => Ok(name),
        }
    }

    /// Puts a unit onto the bench; a linked one is looked at right away.
    ///
    /// # Errors
    /// When the name is taken or empty, the family is not known, the ownership answer is none, or
    /// the device is another unit of this bench.
    pub fn add_unit(&self, new: NewUnit, request: RequestId) -> Result<UnitId, UnitsError> {
        let _once = match self.pen.once_on_the_bench(request)? {
            Once::First(once) => once,
            Once::Before(Scope::Unit(unit)) => return Ok(unit),
            Once::Before(Scope::Bench) => return Err(DeskError::AnotherRequest.into()),
        };
        let units = self.pen.journal.units();
        let nickname = self.checked_name(&new.nickname, None)?;
        let ownership = FactValue::parse(FactKey::Ownership, &new.ownership)?;
        match (&new.way, &new.family) {
            (Way::Hand, None) => {
                return Err(UnitsError::BadInput("choose the unit's family".to_owned()));
            }
            (Way::Link { bridge, .. }, _) => {
                self.links.transport(*bridge)?;
                if units.iter().any(|unit| unit.way == new.way) {
                    return Err(UnitsError::BadInput(
                        "this device is on the bench already".to_owned(),
                    ));
                }
            }
            (Way::Hand, Some(_)) => {}
        }
        if let Some(codename) = &new.family
            && self.library.family_named(codename).is_none()
        {
            return Err(UnitsError::BadInput(format!(
                "family {codename} is not known here"
            )));
        }
        let unit = UnitId::new(self.pen.ids.fresh());
        let is_linked = new.way != Way::Hand;
        let added = Entry::UnitAdded {
            nickname,
            family: new.family,
            way: new.way,
        };
        let owner = Entry::Facts {
            facts: vec![self.pen.row(
                FactKey::Ownership,
                ownership,
                Source::Person,
                self.pen.now(),
            )],
        };
        self.pen.append(unit, Some(request), vec![added, owner])?;
        if is_linked {
            // The unit is here whether or not it answers at this moment.
            if let Err(error) = self.links.observe(unit) {
                tracing::info!(%unit, %error, "a new unit could not be read yet");
            }
        }
        self.pen.notify.changed(Changed::Bench);
        Ok(unit)
    }

    /// Records what a person says; all of it or nothing.
    ///
    /// # Errors
    /// When a value can't be a value of its fact.
    pub fn type_facts(
        &self,
        unit: UnitId,
        said: &[(FactKey, String)],
        request: RequestId,
    ) -> Result<(), UnitsError> {
        let Some(_once) = self.pen.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        self.pen.record(unit)?;
        let at = self.pen.now();
        let mut facts = Vec::new();
        for (key, text) in said {
            facts.push(
                self.pen
                    .row(*key, FactValue::parse(*key, text)?, Source::Person, at),
            );
        }
        if facts.is_empty() {
            return Err(UnitsError::BadInput("no fact was given".to_owned()));
        }
        Ok(self
            .pen
            .append(unit, Some(request), vec![Entry::Facts { facts }])?)
    }

    /// Takes back the newest fact of a key that a person said.
    ///
    /// # Errors
    /// When there is none.
    pub fn retract(
        &self,
        unit: UnitId,
        fact: FactId,
        request: RequestId,
    ) -> Result<(), UnitsError> {
        let Some(_once) = self.pen.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let record = self.pen.record(unit)?;
        let row = record
            .facts
            .iter()
            .find(|row| row.id == fact && row.source == Source::Person)
            .filter(|row| !record.retracted.contains(&row.id))
            .ok_or(UnitsError::NoFact(fact))?;
        let entry = Entry::FactRetracted { fact, key: row.key };
        Ok(self.pen.append(unit, Some(request), vec![entry])?)
    }

    /// Records what was said about classes of data; `None` opens them again. `place` is where the
    /// copy lies; without one they are waived.
    ///
    /// # Errors
    /// When the place is too long.
    pub fn keep_safe(
        &self,
        unit: UnitId,
        said: &[(KeepClass, KeepSaid)],
        request: RequestId,
    ) -> Result<(), UnitsError> {
        let Some(_once) = self.pen.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        self.pen.record(unit)?;
        let at = self.pen.now();
        let mut entries = Vec::new();
        for (class, said) in said {
            let kept = match said {
                KeepSaid::Safe { place } => {
                    let place = place.trim();
                    if place.is_empty() || place.chars().count() > 120 {
                        return Err(UnitsError::BadInput(format!(
                            "say in 1 to 120 characters where the copy of {} lies",
                            class.shown().to_lowercase()
                        )));
                    }
                    Some(Kept::Safe {
                        place: place.to_owned(),
                        at,
                    })
                }
                KeepSaid::Waived => Some(Kept::Waived { at }),
                KeepSaid::Open => None,
            };
            entries.push(Entry::KeptSafe {
                class: *class,
                kept,
            });
        }
        Ok(self.pen.append(unit, Some(request), entries)?)
    }

    /// Chooses what is to be reached; with a reason where one was given, which the log keeps.
    ///
    /// # Errors
    /// When a run is under way, or the reason is no line.
    pub fn choose_goal(
        &self,
        unit: UnitId,
        goal: Goal,
        reason: Option<&str>,
        request: RequestId,
    ) -> Result<(), UnitsError> {
        let Some(_once) = self.pen.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let reason = reason::read(reason).map_err(UnitsError::BadInput)?;
        let record = self.pen.record(unit)?;
        if record.goal == Some(goal) && reason.is_none() {
            return Ok(());
        }
        if record.active_run().is_some() {
            return Err(UnitsError::RunIsOpen);
        }
        let reason = reason.map(str::to_owned);
        let chosen = Entry::GoalChosen { goal, reason };
        Ok(self.pen.append(unit, Some(request), vec![chosen])?)
    }

    /// Finds the facts that a pasted text states. Nothing is recorded, and identifiers come back
    /// masked.
    ///
    /// # Errors
    /// When there is no such unit, its family is not known, or the text is empty, too long or
    /// states nothing.
    pub fn read_pasted(&self, unit: UnitId, text: &str) -> Result<Vec<Hit>, UnitsError> {
        let record = self.pen.record(unit)?;
        let family = self
            .library
            .family_of(&record)
            .ok_or(UnitsError::NoFamily)?;
        if text.trim().is_empty() {
            return Err(UnitsError::BadInput(
                "nothing was pasted: copy the text of the screen and paste it here".to_owned(),
            ));
        }
        if text.len() > MOST_PASTED_BYTES {
            return Err(UnitsError::BadInput(format!(
                "the text has {} bytes; at most {MOST_PASTED_BYTES} are read, paste one screen",
                text.len()
            )));
        }
        let hits = paste::hits(&family, text);
        if hits.is_empty() {
            return Err(UnitsError::BadInput(format!(
                "no line of this text begins as lines on screens of {} do; type the facts instead",
                family.name()
            )));
        }
        Ok(hits)
    }

    /// Records the facts on those lines of a pasted text that a person confirmed; all or none.
    ///
    /// # Errors
    /// As [`Units::read_pasted`], and when a line states nothing that can be recorded.
    pub fn take_pasted(
        &self,
        unit: UnitId,
        text: &str,
        lines: &[u32],
        request: RequestId,
    ) -> Result<(), UnitsError> {
        let hits = self.read_pasted(unit, text)?;
        let mut said = Vec::new();
        for line in lines {
            let hit = hits.iter().find(|hit| hit.line == *line);
            let value = hit.and_then(|hit| Some((hit.key, hit.value.clone()?)));
            said.push(value.ok_or_else(|| {
                UnitsError::BadInput(format!("line {line} states nothing that can be recorded"))
            })?);
        }
        self.type_facts(unit, &said, request)
    }
}

/// What is said about a class of data.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum KeepSaid {
    /// Copied and opened to check.
    Safe {
        /// Where it lies.
        place: String,
    },
    /// Nothing of it there, or not wanted.
    Waived,
    /// Nothing: open again.
    Open,
}
