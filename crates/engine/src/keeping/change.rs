//! The one way by which anything is changed: look, record, read back, dossier, list, close, intent, permit,
//! perform, look.

use std::sync::Arc;

use veritope_core::act::{Act, Complete, Ground, ImageOf, Standpoint, Whose, list};
use veritope_core::budget::Load;
use veritope_core::consent::Consent;
use veritope_core::coverage::VerifiedCopy;
use veritope_core::digest::Seen;
use veritope_core::dossier::{Dossier, MadeOf, Put, ReadBack, SetSeen, Shelved};
use veritope_core::family::Family;
use veritope_link::{DeviceLink, NotNow, Permit};
use veritope_wire::{Digest, PlaceId, RequestId, UnitId};

use crate::desk::DeskError;
use crate::desk::record::Entry;
use crate::keeping::known::{Depth, Known};
use crate::keeping::{Keeping, KeepingError};

/// How often a list is read again where the record moves on while it is judged.
const TRIES: usize = 3;

/// Copies of what exists once that were read back just now, and places that are away.
pub(crate) type Kept = (Vec<VerifiedCopy>, Vec<PlaceId>);

/// A change that is asked for.
pub(crate) struct Change<'a> {
    pub(crate) unit: UnitId,
    pub(crate) act: Act,
    /// In words, for the record of a refusal.
    pub(crate) title: &'a str,
    /// The image that goes out with it, hashed just now.
    pub(crate) payload: Option<Digest>,
    /// The bytes behind it, where they come off the shelf.
    pub(crate) seen: Option<&'a Seen>,
    /// Its images, where it is a whole set.
    pub(crate) set: Option<&'a SetSeen>,
    /// What it was made of, where a recovery was put inside.
    pub(crate) made: Option<MadeOf<'a>>,
    /// What it is part of asks of the battery.
    pub(crate) load: Load,
    pub(crate) consents: &'a [Consent],
    /// What is put back, where that is the change.
    pub(crate) put: Option<Put<'a>>,
    /// Copies that were read back for it; else they are read back here where its list asks for them.
    pub(crate) kept: Option<&'a Kept>,
    pub(crate) request: Option<RequestId>,
}

impl Keeping {
    /// Makes a change over the link. `intent` is written down after the list closed and before anything goes
    /// out; `send` gets the permit; the device is looked at once more whatever came of it.
    ///
    /// # Errors
    /// When the list does not close (that is written down), the device is not as judged, or what `send`
    /// answers.
    pub(crate) fn change<T, E: From<KeepingError>>(
        &self,
        change: &Change<'_>,
        intent: impl Fn() -> Vec<Entry>,
        send: impl FnOnce(&DeviceLink, Permit) -> Result<T, E>,
    ) -> Result<T, E> {
        let device = self.device_of(change.unit)?;
        let permit = self.permitted(change, &device, intent)?;
        let sent = send(&device, permit);
        // Whatever came of it, what the device is now is looked at; that it is away says so itself.
        if let Err(error) = self.links.observe(change.unit) {
            tracing::debug!(%error, "not there after a change");
        }
        sent
    }

    fn device_of(&self, unit: UnitId) -> Result<DeviceLink, KeepingError> {
        Ok(self.links.device(&*self.pen.record(unit)?)?)
    }

    fn permitted(
        &self,
        change: &Change<'_>,
        device: &DeviceLink,
        intent: impl Fn() -> Vec<Entry>,
    ) -> Result<Permit, KeepingError> {
        let seen = self.links.observe(change.unit)?;
        let kept = self.kept_for(change)?;
        for _ in 0..TRIES {
            let complete = self.complete(change, Some(&seen.facts), &kept)?;
            let intend = |complete: &Complete| {
                let entries = intent();
                let (unit, seq) = (complete.unit(), complete.seq());
                self.pen.intend(unit, change.request, entries, seq)
            };
            match device.permit(complete, self.pen.now(), intend) {
                Ok(permit) => return Ok(permit),
                // Somebody saw something meanwhile: judged again with it.
                Err(NotNow::Intent(DeskError::MovedOn)) => {}
                Err(NotNow::Intent(error)) => return Err(error.into()),
                Err(NotNow::Link(error)) => return Err(error.into()),
            }
        }
        Err(DeskError::MovedOn.into())
    }

    /// Closes the list of a change that a person's hands make, and writes the intent down.
    ///
    /// # Errors
    /// When it does not close; that is written down.
    pub(crate) fn by_hand(
        &self,
        change: &Change<'_>,
        intent: impl Fn(&Complete) -> Entry,
    ) -> Result<(), KeepingError> {
        let kept = self.kept_for(change)?;
        for _ in 0..TRIES {
            let complete = self.complete(change, None, &kept)?;
            let entries = vec![intent(&complete)];
            let (unit, seq) = (change.unit, complete.seq());
            match self.pen.intend(unit, change.request, entries, seq) {
                Err(DeskError::MovedOn) => {}
                ended => return Ok(ended?),
            }
        }
        Err(DeskError::MovedOn.into())
    }

    /// Copies of what exists once, read back where this change's list asks for them.
    fn kept_for(&self, change: &Change<'_>) -> Result<Option<Kept>, KeepingError> {
        let record = self.pen.record(change.unit)?;
        let family = self.family_of(&record)?;
        let known = self.known(&record, Arc::clone(&family), record.known(), Depth::Row);
        let is_asked = change.act.whose(&known.dossier()) == Some(Whose::Others);
        if change.kept.is_some() || !is_asked {
            return Ok(None);
        }
        let living = change.act.asks_of_living(&family);
        Ok(Some(self.read_copies_back(change.unit, &family, living)?))
    }

    fn complete(
        &self,
        change: &Change<'_>,
        live: Option<&veritope_core::facts::Facts>,
        kept: &Option<Kept>,
    ) -> Result<Complete, KeepingError> {
        let record = self.pen.record(change.unit)?;
        let family = self.family_of(&record)?;
        let known = self.known(&record, family, record.known(), Depth::List);
        let known = self
            .with_packages(known, change.act.file())
            .carrying(change.load);
        let of = dossier(&known, change, live, change.kept.or(kept.as_ref()));
        let list = list(&change.act, Ground::plain(&of), Standpoint::now(&of));
        list.close(change.payload).map_err(|closed| {
            let title = change.title.to_owned();
            self.turns
                .refuse(change.unit, title, closed.rule, closed.missing)
                .into()
        })
    }

    pub(crate) fn family_of(
        &self,
        record: &crate::desk::unit::UnitRecord,
    ) -> Result<Arc<Family>, KeepingError> {
        self.library.family_of(record).ok_or(KeepingError::NoFamily)
    }
}

/// What the list of this change reads.
fn dossier<'a>(
    known: &'a Known<'_>,
    change: &'a Change<'_>,
    live: Option<&'a veritope_core::facts::Facts>,
    kept: Option<&'a Kept>,
) -> Dossier<'a> {
    let of = known.dossier();
    let (chosen, makers) = match change.act.image_of() {
        Some(ImageOf::TheMakers) => (None, change.seen),
        Some(ImageOf::TheMakersSet | ImageOf::ThePackage) => (None, None),
        Some(ImageOf::TheChosen) | None => (change.seen, None),
    };
    Dossier {
        live,
        makers_image: makers,
        makers_set: change.set,
        made: change.made,
        consents: change.consents,
        put: change.put,
        read_back: ReadBack {
            copies: kept.map(|kept| kept.0.as_slice()),
            away: kept.map_or(of.read_back.away, |kept| kept.1.as_slice()),
            ..of.read_back
        },
        recovery: of.recovery.map(|shelved| Shelved {
            seen: chosen.or(shelved.seen),
            ..shelved
        }),
        ..of
    }
}
