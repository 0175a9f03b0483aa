//! Where captures are kept: the bench's own vault, and other places that come and go.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use serde::Serialize;
use veritope_vault::{Access, Medium, Vault};
use veritope_wire::PlaceId;

use crate::desk::DeskError;
use crate::desk::pen::Once;
use crate::desk::record::{Entry, Scope};
use crate::library::LibraryError;
use crate::library::kept::Library;
use crate::library::place::Place;
use veritope_core::budget::Policy;
use veritope_wire::RequestId;

/// A place for the screens.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct PlaceView {
    /// Its id.
    pub id: PlaceId,
    /// Its name.
    pub name: String,
    /// Its folder.
    pub path: String,
    /// The medium beneath, in words; nothing while it is away.
    pub medium: Option<String>,
    /// Why it can't be used now, if so.
    pub problem: Option<String>,
    /// Whether it is the bench's own vault.
    pub own: bool,
}

/// Name of the bench's own vault.
pub(crate) const OWN_NAME: &str = "this bench";

/// A place opened for use: our own, which stays open, or another.
pub(crate) enum Opened {
    Own(Arc<Vault>),
    Other(Vault),
}

impl std::ops::Deref for Opened {
    type Target = Vault;

    fn deref(&self) -> &Vault {
        match self {
            Self::Own(vault) => vault,
            Self::Other(vault) => vault,
        }
    }
}

impl Library {
    /// All places, our own first.
    pub(crate) fn all_places(&self) -> Vec<Place> {
        let mut all = vec![Place {
            id: self.vault.id(),
            name: OWN_NAME.to_owned(),
            path: self.vault.root().to_owned(),
            medium: None,
        }];
        all.extend(self.other_places());
        all
    }

    /// Opens a place.
    pub(crate) fn open_place(
        &self,
        id: PlaceId,
        access: Access,
    ) -> Result<(Place, Opened), LibraryError> {
        let place = self
            .all_places()
            .into_iter()
            .find(|place| place.id == id)
            .ok_or(LibraryError::NoPlace(id))?;
        if id == self.vault.id() {
            return Ok((place, Opened::Own(Arc::clone(&self.vault))));
        }
        if !Vault::lies_in(&place.path) {
            return Err(LibraryError::PlaceAway(place.name));
        }
        let vault = Vault::open(&place.path, access, id)?;
        if vault.id() == id {
            Ok((place, Opened::Other(vault)))
        } else {
            // Another stick lies where this one did.
            Err(LibraryError::PlaceAway(place.name))
        }
    }

    /// Places of which nothing can be reached now. One that is there and can't be made sense of is not
    /// away: what lies there counts as nothing.
    pub(crate) fn places_away(&self) -> Vec<PlaceId> {
        let away = |place: &Place| {
            matches!(
                self.open_place(place.id, Access::Read),
                Err(LibraryError::PlaceAway(_))
            )
        };
        let places = self.all_places().into_iter();
        places.filter(away).map(|place| place.id).collect()
    }

    /// The medium beneath a place, as the log keeps it: nothing for memory.
    pub(crate) fn medium_of(
        &self,
        id: PlaceId,
        vault: &Vault,
    ) -> Result<Option<String>, LibraryError> {
        let declared = self.all_places().into_iter().find(|place| place.id == id);
        if let Some(medium) = declared.and_then(|place| place.medium) {
            return Ok(Some(medium));
        }
        let medium = vault.medium()?;
        Ok((medium != Medium::Memory).then(|| medium.shown()))
    }

    /// All places for the screens.
    #[must_use]
    pub fn places(&self) -> Vec<PlaceView> {
        self.all_places()
            .into_iter()
            .map(|place| {
                let own = place.id == self.vault.id();
                let opened = self.open_place(place.id, Access::Read);
                let medium = opened.as_ref().ok().map(|(_, vault)| {
                    let known = self.medium_of(place.id, vault).ok().flatten();
                    known.unwrap_or_else(|| Medium::Memory.shown())
                });
                PlaceView {
                    id: place.id,
                    name: place.name,
                    path: place.path.display().to_string(),
                    medium,
                    problem: opened.err().map(|error| error.to_string()),
                    own,
                }
            })
            .collect()
    }

    /// Adds a folder as a place; one that is a place already keeps its id.
    ///
    /// # Errors
    /// When the name is taken, the folder is not there, or it can't be written.
    pub fn add_place(
        &self,
        name: &str,
        path: &str,
        request: RequestId,
    ) -> Result<PlaceId, LibraryError> {
        let name = name.trim();
        let path = PathBuf::from(path.trim());
        if !(1..=40).contains(&name.chars().count()) || name.chars().any(char::is_control) {
            return Err(LibraryError::BadInput(
                "give the place a name of 1 to 40 characters".to_owned(),
            ));
        }
        if !path.is_absolute() || !path.is_dir() {
            return Err(LibraryError::BadInput(format!(
                "{} is not a folder that is there; give its whole path",
                path.display()
            )));
        }
        let once = self.pen.once_on_the_bench(request)?;
        let known = self.all_places();
        if let Some(same) = known.iter().find(|place| place.path == path) {
            return Ok(same.id);
        }
        let Once::First(_once) = once else {
            return Err(DeskError::AnotherRequest.into());
        };
        if known.iter().any(|place| place.name == name) {
            return Err(LibraryError::BadInput(format!(
                "a place called {name} is there already; choose another name"
            )));
        }
        let is_new = !Vault::lies_in(&path);
        let vault = Vault::open(&path, Access::Write, PlaceId::new(self.pen.ids.fresh()))?;
        let taken = self.take_place(name, &path, vault.id(), request);
        if taken.is_err()
            && is_new
            && let Err(error) = vault.withdraw()
        {
            tracing::error!(%error, "what was made in a folder could not be taken away again");
        }
        taken
    }

    fn take_place(
        &self,
        name: &str,
        path: &Path,
        id: PlaceId,
        request: RequestId,
    ) -> Result<PlaceId, LibraryError> {
        let place = Place {
            id,
            name: name.to_owned(),
            path: path.to_owned(),
            medium: None,
        };
        if self.all_places().iter().any(|known| known.id == id) {
            return Err(LibraryError::BadInput(format!(
                "{} is a place of this bench already, under another path",
                path.display()
            )));
        }
        self.change_places(|places| places.push(place))?;
        let entry = Entry::PlaceAdded {
            place: id,
            name: name.to_owned(),
            path: path.display().to_string(),
        };
        self.pen
            .note_or_take_back(Scope::Bench, request, vec![entry], || {
                self.change_places(|places| places.retain(|known| known.id != id))
            })?;
        Ok(id)
    }

    /// Takes a place for a medium of its own, as a stand-in's stick is. Only the demo's set-up asks for
    /// this: no request does.
    ///
    /// # Errors
    /// When there is none, or it can't be written.
    pub fn take_for_a_medium(&self, id: PlaceId, medium: &str) -> Result<(), LibraryError> {
        self.change_places(|places| {
            let known = places.iter_mut().filter(|place| place.id == id);
            known.for_each(|place| place.medium = Some(medium.to_owned()));
        })
    }

    /// Forgets a place; what lies there stays.
    ///
    /// # Errors
    /// When there is none, or it is our own.
    pub fn remove_place(&self, id: PlaceId, request: RequestId) -> Result<(), LibraryError> {
        let Some(_once) = self.pen.once(Scope::Bench, request)? else {
            return Ok(());
        };
        let place = self
            .other_places()
            .into_iter()
            .find(|place| place.id == id)
            .ok_or(LibraryError::NoPlace(id))?;
        self.change_places(|places| places.retain(|known| known.id != id))?;
        let entry = Entry::PlaceRemoved {
            place: id,
            name: place.name.clone(),
        };
        Ok(self
            .pen
            .note_or_take_back(Scope::Bench, request, vec![entry], || {
                self.change_places(|places| places.push(place))
            })?)
    }

    /// Changes the bench's policy; logged.
    ///
    /// # Errors
    /// When a number makes no sense or it can't be written.
    pub fn set_policy(&self, policy: Policy, request: RequestId) -> Result<(), LibraryError> {
        if !(1..=9).contains(&policy.copies) || policy.battery_floor_percent > 100 {
            return Err(LibraryError::BadInput(
                "1 to 9 copies and a floor of 0 to 100 % make sense".to_owned(),
            ));
        }
        let Some(_once) = self.pen.once(Scope::Bench, request)? else {
            return Ok(());
        };
        let before = self.data.secret("policy.toml")?;
        self.data.set_policy(&policy)?;
        let entry = Entry::PolicyChanged {
            policy: policy.clone(),
        };
        self.pen
            .note_or_take_back(Scope::Bench, request, vec![entry], || {
                self.data.put_back("policy.toml", before)
            })?;
        self.put_policy(policy);
        Ok(())
    }
}
