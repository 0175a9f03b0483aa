//! What the bench keeps in files, as it is known now: families, policy, places, what is damaged.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::{Arc, Mutex};

use veritope_core::budget::Policy;
use veritope_core::facts::{FactKey, FactValue, Facts};
use veritope_core::family::Family;
use veritope_vault::{Access, Vault};
use veritope_wire::{Digest, PlaceId};

use crate::desk::pen::{Pen, lock};
use crate::desk::record::{Entry, Scope};
use crate::desk::unit::UnitRecord;
use crate::library::DataError;
use crate::library::LibraryError;
use crate::library::data::{DamagedFile, DataFolder};
use crate::library::dumps::Dumps;
use crate::library::family::KnownFamily;
use crate::library::place::Place;
use crate::library::shelf::Shelf;

/// What the bench keeps in files.
pub struct Library {
    pub(crate) pen: Arc<Pen>,
    pub(crate) data: DataFolder,
    pub(crate) families: Mutex<Vec<KnownFamily>>,
    policy: Mutex<Policy>,
    /// Files of the bench's that make no sense.
    damaged: Mutex<Vec<DamagedFile>>,
    places: Mutex<Vec<Place>>,
    pub(crate) vault: Arc<Vault>,
    pub(crate) shelf: Shelf,
    /// What hands read, on its way into the vault.
    pub(crate) dumps: Dumps,
    /// Texts that sheets under way began with and that were changed since, by digest.
    pub(crate) kept_texts: Mutex<BTreeMap<Digest, Arc<Family>>>,
}

impl Library {
    /// The folder of the shelf.
    #[must_use]
    pub fn shelf_folder(&self) -> &Path {
        self.shelf.folder()
    }

    /// Opens what lies in the folder. What makes no sense is named, and counts for nothing until it is mended.
    ///
    /// # Errors
    /// When a file or the vault can't be read.
    pub(crate) fn open(pen: Arc<Pen>, data: DataFolder) -> Result<Self, LibraryError> {
        let (families, mut damaged) = data.families()?;
        let policy = match data.policy() {
            Err(error @ DataError::Unreadable { .. }) => {
                damaged.push(DamagedFile::policy(data.join("policy.toml"), &error));
                Policy::usual()
            }
            other => other?,
        };
        let places = match data.places() {
            Err(error @ DataError::Unreadable { .. }) => {
                damaged.push(DamagedFile::bench(data.join("bench.toml"), &error));
                Vec::new()
            }
            other => other?,
        };
        let folder = data.join("shelf");
        let no_shelf = |why| DataError::File {
            path: folder.clone(),
            why,
        };
        let mut shelf = Shelf::open(folder.clone()).map_err(no_shelf)?;
        let came = shelf.adopt(pen.clock.stamp().wall).map_err(no_shelf)?;
        let came = came.into_iter().map(|(file, name)| Entry::FileShelved {
            file,
            name,
            made_of: None,
        });
        let came: Vec<Entry> = came.collect();
        if !came.is_empty() {
            pen.append_to(Scope::Bench, None, came)?;
        }
        damaged.extend(
            shelf
                .damaged()
                .iter()
                .map(|what| DamagedFile::shelf(&folder, what)),
        );
        let id = PlaceId::new(pen.ids.fresh());
        let vault = Arc::new(Vault::open(&data.vault(), Access::Write, id)?);
        Ok(Self {
            pen,
            shelf,
            dumps: Dumps::new(data.join("dumps")),
            places: Mutex::new(places),
            damaged: Mutex::new(damaged),
            vault,
            data,
            families: Mutex::new(families),
            policy: Mutex::new(policy),
            kept_texts: Mutex::default(),
        })
    }

    /// The bench's policy.
    #[must_use]
    pub fn policy(&self) -> Policy {
        lock(&self.policy).clone()
    }

    /// Files of the bench's that make no sense, and what follows.
    pub(crate) fn damaged_files(&self) -> Vec<DamagedFile> {
        lock(&self.damaged).clone()
    }

    /// A file was written anew: what was wrong with it counts no longer.
    pub(crate) fn is_mended(&self, is_it: impl Fn(&DamagedFile) -> bool) {
        lock(&self.damaged).retain(|one| !is_it(one));
    }

    pub(crate) fn put_policy(&self, policy: Policy) {
        let path = self.data.join("policy.toml");
        self.is_mended(|one| one.path == path);
        *lock(&self.policy) = policy;
    }

    pub(crate) fn other_places(&self) -> Vec<Place> {
        lock(&self.places).clone()
    }

    /// Changes the list of places, on disk first.
    pub(crate) fn change_places(
        &self,
        change: impl FnOnce(&mut Vec<Place>),
    ) -> Result<(), LibraryError> {
        let mut places = lock(&self.places);
        let mut changed = places.clone();
        change(&mut changed);
        self.data.set_places(changed.clone())?;
        *places = changed;
        Ok(())
    }

    /// The family's codename, as the unit itself reports it or as it was chosen.
    pub(crate) fn codename_of(&self, record: &UnitRecord) -> Option<String> {
        Self::codename_by(record, &record.known())
    }

    fn codename_by(record: &UnitRecord, known: &Facts) -> Option<String> {
        match known.known(FactKey::Codename).map(|row| &row.value) {
            Some(FactValue::Text(text)) => Some(text.clone()),
            _ => record.family.clone(),
        }
    }

    pub(crate) fn family_of(&self, record: &UnitRecord) -> Option<Arc<Family>> {
        self.family_by(record, &record.known())
    }

    /// The same, where the facts were put together already. While a run is under way it is the text that
    /// the run began with.
    pub(crate) fn family_by(&self, record: &UnitRecord, known: &Facts) -> Option<Arc<Family>> {
        let current = self.family_named(&Self::codename_by(record, known)?);
        match record.active_run().and_then(|run| run.family) {
            Some(digest) => self.family_with(digest, current),
            None => current,
        }
    }
}
