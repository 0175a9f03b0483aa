//! The families that this bench knows: the shipped ones, and the user's own in `DATA/families`,
//! which replace them. A text is checked as a whole before any file is written.

use std::sync::Arc;

use serde::Serialize;
use veritope_core::family::{
    self, AfterCare, Caution, Consequence, Family, Mark, SHIPPED, Variant,
};
use veritope_wire::{Digest, RequestId};

use crate::desk::pen::lock;
use crate::desk::record::{Entry, Scope};
use crate::desk::unit::UnitRecord;
use crate::library::family::KnownFamily;
use crate::library::kept::Library;
use crate::library::{DataError, LibraryError};

/// Most bytes of a family file.
pub const MOST_FAMILY_BYTES: usize = 48 << 10;

/// Where a family comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum FamilyOrigin {
    /// It ships with the program.
    Shipped,
    /// It is the user's, and replaces a shipped one.
    Replaced,
    /// It is the user's.
    Own,
}

fn origin_of(known: &KnownFamily) -> FamilyOrigin {
    match (known.own, shipped(&known.family.codename)) {
        (false, _) => FamilyOrigin::Shipped,
        (true, Some(_)) => FamilyOrigin::Replaced,
        (true, None) => FamilyOrigin::Own,
    }
}

/// Where the text that a sheet began with is kept.
fn running_file(digest: Digest) -> String {
    format!("running/{digest}.toml")
}

fn shipped(codename: &str) -> Option<(&'static str, &'static str)> {
    SHIPPED
        .iter()
        .copied()
        .find(|(file, _)| file.strip_suffix(".toml") == Some(codename))
}

/// A family on the list.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct FamilyLine {
    /// Codename.
    pub codename: String,
    /// Name.
    pub name: String,
    /// What kind of thing.
    pub form: String,
    /// Where it comes from.
    pub origin: FamilyOrigin,
    /// Units of it on this bench.
    pub units: u32,
    /// Units whose sheet is under way and goes on by the text that it began with; the next sheet takes
    /// this one.
    pub on_older_text: Vec<String>,
}

/// Something that the guide says, with its title.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct GuideLine {
    /// What it is about.
    pub title: String,
    /// What is said.
    pub text: String,
}

/// A partition in the guide.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct GuidePartition {
    /// Label.
    pub label: String,
    /// Its role's id.
    pub role: veritope_core::family::Role,
    /// Size in MiB.
    pub mib: u32,
    /// Area.
    pub area: u32,
    /// Whether it exists once.
    pub unique: bool,
    /// Whether the system rewrites it at every start.
    pub living: bool,
    /// Whether it may be blank.
    pub may_be_blank: bool,
}

/// A family as a page to read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct FamilyPage {
    /// The line.
    #[serde(flatten)]
    pub line: FamilyLine,
    /// Digest of the text; judgements cite it.
    pub digest: Digest,
    /// The text, for editing and export.
    pub text: String,
    /// Model codes.
    pub variants: Vec<Variant>,
    /// How it is unlocked and locked, in sentences.
    pub lock: Vec<GuideLine>,
    /// Modes and how they look.
    pub modes: Vec<GuideLine>,
    /// Ways between modes.
    pub ways: Vec<GuideLine>,
    /// Where facts are read.
    pub places: Vec<GuideLine>,
    /// Builds, newest first.
    pub builds: Vec<GuideLine>,
    /// Packages.
    pub packages: Vec<GuideLine>,
    /// Partitions.
    pub partitions: Vec<GuidePartition>,
    /// What unlocking costs.
    pub consequences: Vec<Consequence>,
    /// Marks that no relock removes.
    pub marks: Vec<Mark>,
    /// Cautions, each with date and reason.
    pub cautions: Vec<Caution>,
    /// What may come after.
    pub after_care: Vec<AfterCare>,
}

/// What a text is, without keeping it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct FamilyChecked {
    /// The family's codename, where it can be read.
    pub codename: Option<String>,
    /// The line of the first mistake, from 1.
    pub line: Option<u64>,
    /// The first mistake.
    pub problem: Option<String>,
}

impl Library {
    /// The family with this codename.
    #[must_use]
    pub fn family_named(&self, codename: &str) -> Option<Arc<Family>> {
        self.known_family(codename).map(|known| known.family)
    }

    /// The text with this digest, which a sheet under way began with: `current`, if it still is that, else
    /// the one that was kept when the sheet began. Nothing where that is gone.
    pub(crate) fn family_with(
        &self,
        digest: Digest,
        current: Option<Arc<Family>>,
    ) -> Option<Arc<Family>> {
        if let Some(current) = current.filter(|family| family.digest == digest) {
            return Some(current);
        }
        let mut kept = lock(&self.kept_texts);
        if let Some(known) = kept.get(&digest) {
            return Some(Arc::clone(known));
        }
        let bytes = self.data.secret(&running_file(digest)).ok()??;
        let text = String::from_utf8(bytes).ok()?;
        let known = KnownFamily::read("the text of a sheet under way", &text, true).ok()?;
        // A file that was changed is not the text that the sheet began with.
        (known.family.digest == digest).then(|| {
            kept.insert(digest, Arc::clone(&known.family));
            known.family
        })
    }

    /// Keeps the text of a family for a sheet that begins with it.
    pub(crate) fn keep_text(&self, family: &Family) -> Result<(), LibraryError> {
        let file = running_file(family.digest);
        let known = self.known_family(&family.codename);
        if let Some(known) = known.filter(|known| known.family.digest == family.digest) {
            self.data.put_secret(&file, known.text.as_bytes())?;
        }
        Ok(())
    }

    /// Units whose sheet goes by another text of this family than the one in force.
    fn on_older_text(&self, known: &KnownFamily, units: &[Arc<UnitRecord>]) -> Vec<String> {
        let is_older = |unit: &&Arc<UnitRecord>| {
            let began = unit.active_run().and_then(|run| run.family);
            began.is_some_and(|digest| digest != known.family.digest)
                && self.codename_of(unit).as_deref() == Some(&known.family.codename)
        };
        let older = units.iter().filter(is_older);
        older.map(|unit| unit.nickname.clone()).collect()
    }

    fn known_family(&self, codename: &str) -> Option<KnownFamily> {
        let all = lock(&self.families);
        all.iter()
            .find(|known| known.family.codename == codename)
            .cloned()
    }

    /// The families that this bench knows.
    #[must_use]
    pub fn families(&self) -> Vec<Arc<Family>> {
        lock(&self.families)
            .iter()
            .map(|known| Arc::clone(&known.family))
            .collect()
    }

    /// The list.
    ///
    /// # Errors
    /// When the record can't be read.
    pub fn family_lines(&self) -> Result<Vec<FamilyLine>, LibraryError> {
        let units = self.pen.journal.units();
        let known = lock(&self.families).clone();
        Ok(known
            .iter()
            .map(|known| {
                let codename = &known.family.codename;
                let here = units
                    .iter()
                    .filter(|unit| self.codename_of(unit).as_ref() == Some(codename));
                FamilyLine {
                    codename: codename.clone(),
                    name: known.family.name(),
                    form: known.family.form.clone(),
                    origin: origin_of(known),
                    units: u32::try_from(here.count()).unwrap_or(u32::MAX),
                    on_older_text: self.on_older_text(known, &units),
                }
            })
            .collect())
    }

    /// One family as a page.
    ///
    /// # Errors
    /// When there is none of this codename.
    pub fn family_page(&self, codename: &str) -> Result<FamilyPage, LibraryError> {
        let line = self
            .family_lines()?
            .into_iter()
            .find(|line| line.codename == codename);
        let (Some(known), Some(line)) = (self.known_family(codename), line) else {
            return Err(LibraryError::NoFamilyNamed(codename.to_owned()));
        };
        let guide = known.family.guide();
        let lines = |list: Vec<(String, String)>| {
            list.into_iter()
                .map(|(title, text)| GuideLine { title, text })
                .collect()
        };
        let family = &known.family;
        Ok(FamilyPage {
            line,
            digest: family.digest,
            text: known.text.to_string(),
            variants: family.variants.clone(),
            lock: lines(guide.lock),
            modes: lines(guide.modes),
            ways: lines(guide.ways),
            places: lines(guide.places),
            builds: lines(guide.builds),
            packages: lines(guide.packages),
            partitions: family
                .partitions
                .iter()
                .map(|part| GuidePartition {
                    label: part.label.to_string(),
                    role: part.role,
                    mib: part.mib,
                    area: part.area,
                    unique: part.role == family::Role::DeviceUnique,
                    living: part.changes == family::Changes::Living,
                    may_be_blank: part.blank == family::Blank::Expected,
                })
                .collect(),
            consequences: family.consequences.clone(),
            marks: family.marks.clone(),
            cautions: family.cautions.clone(),
            after_care: family.after_care.clone(),
        })
    }

    /// Looks whether a text is a family, without keeping it.
    #[must_use]
    pub fn check_family(&self, text: &str) -> FamilyChecked {
        match KnownFamily::read("the text", text, true) {
            Ok(known) => FamilyChecked {
                codename: Some(known.family.codename.clone()),
                line: None,
                problem: None,
            },
            Err(error) => FamilyChecked {
                codename: None,
                line: Some(error.line as u64),
                problem: Some(error.what),
            },
        }
    }

    /// Keeps a family of the user's, in place of one with the same codename. Runs under way go on by the
    /// text that they began with; judgements and new sheets use the new one from now on.
    ///
    /// # Errors
    /// The first mistake with its line; nothing is written then.
    pub fn put_family(&self, text: &str, request: RequestId) -> Result<String, LibraryError> {
        if text.len() > MOST_FAMILY_BYTES {
            return Err(LibraryError::BadInput(format!(
                "the text has {} bytes; a family file has at most {MOST_FAMILY_BYTES}",
                text.len()
            )));
        }
        let known = KnownFamily::read("the text", text, true)
            .map_err(|error| LibraryError::BadInput(error.to_string()))?;
        let codename = known.family.codename.clone();
        let Some(_once) = self.pen.once(Scope::Bench, request)? else {
            return Ok(codename);
        };
        let before = self.own_text(&codename);
        self.data.write_family(&codename, text)?;
        let entry = Entry::FamilyKept {
            codename: codename.clone(),
            digest: known.family.digest,
        };
        self.pen.note_or_take_back(
            Scope::Bench,
            request,
            vec![entry],
            || -> Result<(), DataError> {
                match before {
                    Some(text) => self.data.write_family(&codename, &text)?,
                    None => self.data.remove_family(&codename)?,
                }
                Ok(())
            },
        )?;
        self.is_mended(|one| one.codename.as_ref() == Some(&codename));
        let mut all = lock(&self.families);
        match all.iter_mut().find(|one| one.family.codename == codename) {
            Some(place) => *place = known,
            None => all.push(known),
        }
        Ok(codename)
    }

    /// The text of a family of the user's.
    fn own_text(&self, codename: &str) -> Option<Arc<str>> {
        self.known_family(codename)
            .filter(|known| known.own)
            .map(|known| known.text)
    }

    /// Lets a family of the user's go; a shipped one of the same codename counts again.
    ///
    /// # Errors
    /// When it is not the user's, or units of it are here and no shipped one takes its place.
    pub fn drop_family(&self, codename: &str, request: RequestId) -> Result<(), LibraryError> {
        let Some(_once) = self.pen.once(Scope::Bench, request)? else {
            return Ok(());
        };
        let own = self
            .known_family(codename)
            .filter(|known| known.own)
            .ok_or_else(|| {
                LibraryError::BadInput(format!("`{codename}` is no family of your own"))
            })?;
        let line = self
            .family_lines()?
            .into_iter()
            .find(|line| line.codename == codename);
        let back = shipped(codename);
        if back.is_none() && line.is_some_and(|line| line.units > 0) {
            return Err(LibraryError::BadInput(format!(
                "units of {} are on this bench; it stays",
                own.family.name()
            )));
        }
        self.data.remove_family(codename)?;
        let entry = Entry::FamilyLeft {
            codename: codename.to_owned(),
        };
        self.pen
            .note_or_take_back(Scope::Bench, request, vec![entry], || {
                self.data.write_family(codename, &own.text)
            })?;
        let mut all = lock(&self.families);
        all.retain(|known| known.family.codename != codename);
        if let Some((file, text)) = back {
            let known = KnownFamily::read(file, text, false)
                .map_err(|error| LibraryError::BadInput(error.to_string()))?;
            all.push(known);
        }
        Ok(())
    }
}
