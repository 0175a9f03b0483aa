//! Sets of the maker's on the shelf: an archive whose members are images of partitions, read for what they
//! say of themselves. Taken into the vault, each image can be put back (`G4`). What is the maker's is told
//! by the digests of a shipped family file (`R1`), and a set that contradicts them is not taken; what is
//! declared beside it proves nothing (`E6`).

use std::sync::Arc;

use serde::Serialize;
use veritope_core::act::set_for;
use veritope_core::coverage::{Agreement, CaptureFacts, Origin, Rest};
use veritope_core::digest::{FrameLayout, Seen};
use veritope_core::dossier::{SetSeen, StockAtHand};
use veritope_core::facts::FactKey;
use veritope_core::family::{Family, PackageSpec, PartitionSpec};
use veritope_core::matching::{
    About, Finding, Form, Make, Reach, StockClaims, Told, judge_stock, lands_on,
};
use veritope_core::mode::Mode;
use veritope_core::partitions::OwnPartition;
use veritope_core::permission::Permission;
use veritope_core::steady::Taken;
use veritope_formats::startimage::read_start_image;
use veritope_vault::{CaptureSource, Captured, MANIFEST_VERSION, Manifest, Staging, pump};
use veritope_wire::{CaptureId, Digest, JobId, Label, RequestId, UnitId};

use crate::desk::record::Entry;
use crate::desk::unit::UnitRecord;
use crate::keeping::backup::facts_of;
use crate::keeping::{Keeping, KeepingError};
use crate::library::shelf::FileRecord;

/// A set on the shelf, judged for one unit.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct StockLine {
    /// The file on the shelf.
    pub id: Digest,
    /// Its name there.
    pub name: String,
    /// Its build.
    pub build: String,
    /// How many images.
    pub images: u32,
    /// What was judged; a list that can't be read is one finding.
    pub findings: Vec<Finding>,
    /// Whether it is this unit's.
    pub fits: bool,
    /// The set in the vault, once it was taken.
    pub taken: Option<CaptureId>,
    /// Whether it may be taken into the vault now.
    pub take: Permission,
}

/// A set as it lies in a file: an archive whose members are images of partitions.
struct Set {
    /// Steps from the file to the archive that holds the images; none where it is that itself.
    steps: Vec<Make>,
    /// Each image: its partition, its member, and what is done with it once it is out.
    images: Vec<(Label, String, Option<Make>)>,
    /// Its members that are none of these, whatever they are called, and those of a partition that has another.
    strays: Vec<String>,
    /// What it says of itself, or is declared to be.
    codename: String,
    variants: Vec<String>,
    build: String,
}

/// Fewest images that make a set.
const FEWEST: usize = 2;

impl Set {
    /// The set in a file; nothing where there is none for `family`.
    fn of(told: &Told, family: &Family) -> Option<Self> {
        let mut steps = Vec::new();
        let archive = archive_in(told, family, &mut steps)?;
        let images = images(archive, family);
        let strays = strays(archive, &images);
        let first = |about| {
            let pieces = archive.inside.iter().map(|piece| &piece.told);
            let own = pieces.filter_map(|told| told.own(about).next()).next();
            own.or_else(|| told.of(about).next())
                .map(|one| one.value.clone())
        };
        let build = first(About::Build).unwrap_or_default();
        let declared: Vec<String> = told.of(About::Model).map(|one| one.value.clone()).collect();
        let known = family.build(&build).map(|(_, build)| &build.variants);
        let variants = match known {
            Some(variants) if !variants.is_empty() => variants.clone(),
            _ => match first(About::Model) {
                Some(model) if declared.is_empty() => vec![model],
                _ if declared.is_empty() => {
                    family.variants.iter().map(|one| one.code.clone()).collect()
                }
                _ => declared,
            },
        };
        Some(Self {
            steps,
            images,
            strays,
            codename: first(About::Device).unwrap_or_default(),
            variants,
            build,
        })
    }

    fn claims<'a>(&'a self, members: &'a [Label]) -> StockClaims<'a> {
        StockClaims {
            codename: &self.codename,
            variants: &self.variants,
            build: &self.build,
            members,
        }
    }

    fn members(&self) -> Vec<Label> {
        self.images
            .iter()
            .map(|(label, ..)| label.clone())
            .collect()
    }
}

/// The archive whose members are images of the family's partitions, and the steps to it.
fn archive_in<'a>(told: &'a Told, family: &Family, steps: &mut Vec<Make>) -> Option<&'a Told> {
    if matches!(told.form, Form::Tar | Form::Archive) && images(told, family).len() >= FEWEST {
        return Some(told);
    }
    for piece in told.inside.iter().filter(|piece| piece.is_whole) {
        steps.push(match &piece.reach {
            Reach::Member(member) => Make::TakeOut {
                member: member.clone(),
            },
            Reach::Unpacked => Make::Unpack,
            Reach::Expanded | Reach::Partition(_) => {
                steps.pop();
                continue;
            }
        });
        if let Some(found) = archive_in(&piece.told, family, steps) {
            return Some(found);
        }
        steps.pop();
    }
    None
}

/// Members of an archive beside `images`: a tool decides by a name where bytes land, and tools differ in how they read
/// one. And every second member of a partition: of two, which one is written is the tool's choice.
fn strays(archive: &Told, images: &[(Label, String, Option<Make>)]) -> Vec<String> {
    let is_image = |name: &String| images.iter().any(|(_, member, _)| member == name);
    let others = archive.members.iter().filter(|name| !is_image(name));
    let is_second = |at: usize| {
        let (label, ..) = &images[at];
        images[..at].iter().any(|(one, ..)| one == label)
    };
    let second = (0..images.len()).filter(|at| is_second(*at));
    let second = second.map(|at| format!("{} once more", images[at].1));
    others.cloned().chain(second).collect()
}

/// Members that are images of partitions which the maker publishes.
fn images(archive: &Told, family: &Family) -> Vec<(Label, String, Option<Make>)> {
    let is_published = |label: &Label| {
        family.partitions.iter().any(|spec| {
            (spec.label == *label || spec.stem() == label) && spec.role.spec().is_published
        })
    };
    let form = |name: &str| {
        let mut pieces = archive.inside.iter();
        let reach = Reach::Member(name.to_owned());
        pieces
            .find(|piece| piece.reach == reach)
            .map(|one| one.told.form)
    };
    archive
        .members
        .iter()
        .filter_map(|name| {
            let label: Label = lands_on(name)?.parse().ok()?;
            let then = match form(name) {
                Some(Form::Sparse) => Some(Make::Expand),
                Some(Form::Packed) => Some(Make::Unpack),
                _ => None,
            };
            is_published(&label).then(|| (label, name.clone(), then))
        })
        .collect()
}

impl Keeping {
    /// The sets on the shelf, judged for `unit`, in the order of their names; what says that it is for another
    /// family here is that one's.
    ///
    /// # Errors
    /// When the unit or its family is not known.
    pub fn stock_sets(&self, unit: UnitId) -> Result<Vec<StockLine>, KeepingError> {
        let record = self.pen.record(unit)?;
        let family = &*self
            .library
            .family_of(&record)
            .ok_or(KeepingError::NoFamily)?;
        let mut sets = Vec::new();
        for (file, about) in self.library.shelf.files() {
            let Some(set) = self.set_in(file, family) else {
                continue;
            };
            let is_anothers = set.codename != family.codename
                && self.library.family_named(&set.codename).is_some();
            if is_anothers {
                continue;
            }
            let findings = self.judged(&record, family, file, &set);
            let stops = |one: &&Finding| one.bars();
            sets.push(StockLine {
                id: file,
                name: about.shown().to_owned(),
                take: match findings.iter().find(stops) {
                    Some(stop) => Permission::no(stop.text.clone(), Some(stop.rule)),
                    None => self.turns.is_free(unit).into(),
                },
                fits: !findings.iter().any(Finding::bars),
                taken: taken(&record, file).map(|stock| stock.id),
                build: set.build.clone(),
                images: u32::try_from(set.images.len()).unwrap_or(u32::MAX),
                findings,
            });
        }
        sets.sort_by(|one, other| one.name.cmp(&other.name));
        Ok(sets)
    }

    /// What of the maker's lies on the shelf for a unit: sets that are its own, and whole packages of its family
    /// as they were published.
    pub(crate) fn stock_at_hand(&self, record: &UnitRecord, family: &Family) -> Vec<StockAtHand> {
        let mut all = Vec::new();
        for (file, about) in self.library.shelf.files() {
            let at_hand = |build: &str, labels| StockAtHand {
                name: about.shown().to_owned(),
                digest: file,
                build: build.to_owned(),
                labels,
                strays: Vec::new(),
                is_inside: false,
            };
            if let Some(package) = self.package_in(file, family) {
                let build = family.builds.get(package.to);
                all.extend(build.map(|build| at_hand(&build.id, None)));
                continue;
            }
            let Some(set) = self.set_in(file, family) else {
                continue;
            };
            if !self
                .judged(record, family, file, &set)
                .iter()
                .any(Finding::bars)
            {
                all.push(StockAtHand {
                    strays: set.strays.clone(),
                    is_inside: !set.steps.is_empty(),
                    ..at_hand(&set.build, Some(set.members()))
                });
            }
        }
        all
    }

    fn set_in(&self, file: Digest, family: &Family) -> Option<Set> {
        Set::of(&*self.library.shelf.told(file).ok()?, family)
    }

    /// What is found of a set: that it is this unit's, whole, and what its publisher says it is.
    fn judged(
        &self,
        record: &UnitRecord,
        family: &Family,
        file: Digest,
        set: &Set,
    ) -> Vec<Finding> {
        let members = set.members();
        let mut findings = judge_stock(family, &record.known(), set.claims(&members));
        findings.extend(self.library.shelf.trouble(file));
        findings
    }

    /// The maker's image of a partition that the running build has, filled up to the partition's length: out of a
    /// set, or out of a whole package as it was published.
    ///
    /// # Errors
    /// In a sentence: nothing on the shelf is of that build and this unit's.
    pub(crate) fn makers_image(
        &self,
        record: &UnitRecord,
        family: &Family,
        label: &Label,
    ) -> Result<(Vec<u8>, Seen), String> {
        let (mut bytes, from) = self.stock_image(record, family, label.as_str())?;
        fill(record, family, label, &mut bytes)
            .map_err(|why| format!("{label} out of {from}: {why}"))?;
        let seen = Seen::of(&bytes);
        Ok((bytes, seen))
    }

    /// The maker's whole set that is put on a unit, and its file; nothing where none that is its own lies on the
    /// shelf.
    pub(crate) fn set_to_put(
        &self,
        record: &UnitRecord,
        family: &Family,
    ) -> Option<(StockAtHand, Arc<FileRecord>)> {
        let stock = self.stock_at_hand(record, family);
        let set = set_for(family, &record.known(), &stock)?.clone();
        let file = self.library.shelf.file(set.digest)?;
        Some((set, file))
    }

    /// The maker's whole set that is put on a unit, with each of its images hashed as it fills its partition.
    ///
    /// # Errors
    /// In a sentence: none that is this unit's lies on the shelf, or an image can't be taken out.
    pub(crate) fn makers_set(
        &self,
        record: &UnitRecord,
        family: &Family,
    ) -> Result<(Digest, SetSeen), String> {
        let (chosen, _) = self.set_to_put(record, family).ok_or(
            "no whole set of the maker's for this unit lies on the shelf: put the archive with its images there (M8)",
        )?;
        let file = chosen.digest;
        let set = self.set_in(file, family);
        let set = set.ok_or("the set on the shelf can't be read any more: put it there again")?;
        let mut images = Vec::new();
        for image in &set.images {
            let (label, member, _) = image;
            let bytes = self.image_of(file, &set, image);
            let mut bytes = bytes.map_err(|error| error.to_string())?;
            fill(record, family, label, &mut bytes)
                .map_err(|why| format!("{member} out of {}: {why}", chosen.name))?;
            images.push((label.clone(), Seen::of(&bytes).digest()));
        }
        Ok((file, SetSeen { file, images }))
    }

    /// One image of the maker's out of a set of exactly this build or its whole package, for this very unit.
    ///
    /// # Errors
    /// In a sentence: nothing on the shelf is of that build and this unit's.
    pub(crate) fn stock_image(
        &self,
        record: &UnitRecord,
        family: &Family,
        label: &str,
    ) -> Result<(Vec<u8>, String), String> {
        let known = record.known();
        let Some(build) = known.text(FactKey::Build) else {
            return Err("which build runs on this unit is not known, and the maker's images of that very one are wanted: read the build first".to_owned());
        };
        for (file, about) in self.library.shelf.files() {
            let is_its_package = self.package_in(file, family).is_some_and(|one| {
                let to = family.builds.get(one.to);
                to.is_some_and(|to| to.id == build)
            });
            let member = is_its_package
                .then(|| self.member_for(file, label))
                .flatten();
            if let Some(steps) = member {
                let out = self.library.shelf.out_of(file, &steps);
                let bytes = out.map_err(|error| format!("{}: {error}", about.shown()))?;
                return Ok((bytes, about.shown().to_owned()));
            }
            let Some(set) = self.set_in(file, family).filter(|set| set.build == build) else {
                continue;
            };
            if self
                .judged(record, family, file, &set)
                .iter()
                .any(Finding::bars)
            {
                continue;
            }
            let mut images = set.images.iter();
            let Some(image) = images.find(|(own, ..)| own.as_str() == label) else {
                continue;
            };
            let bytes = self
                .image_of(file, &set, image)
                .map_err(|error| error.to_string())?;
            return Ok((bytes, about.shown().to_owned()));
        }
        Err(format!(
            "the maker's {label} of build {build} is not on the shelf: put the maker's set or whole package of that build there first"
        ))
    }

    /// The whole package of the family that a file is, as it was published.
    fn package_in<'f>(&self, file: Digest, family: &'f Family) -> Option<&'f PackageSpec> {
        let mut packages = family.packages.iter();
        let whole = packages.find(|one| one.blake3 == Some(file) && one.from.is_none())?;
        let seen = self.library.shelf.hashed(file).ok()?;
        (seen.seen.digest() == file).then_some(whole)
    }

    /// How the image of a partition is taken out of a file, where it has one.
    fn member_for(&self, file: Digest, label: &str) -> Option<Vec<Make>> {
        let told = self.library.shelf.told(file).ok()?;
        let mut members = told.members.iter();
        let member = members.find(|name| lands_on(name).is_some_and(|one| one == label))?;
        Some(vec![Make::TakeOut {
            member: member.clone(),
        }])
    }

    /// One image of a set, in memory.
    fn image_of(
        &self,
        file: Digest,
        set: &Set,
        (_, member, then): &(Label, String, Option<Make>),
    ) -> Result<Vec<u8>, KeepingError> {
        let take = Make::TakeOut {
            member: member.clone(),
        };
        let steps: Vec<Make> = set
            .steps
            .iter()
            .cloned()
            .chain([take])
            .chain(then.clone())
            .collect();
        self.library
            .shelf
            .out_of(file, &steps)
            .map_err(|error| KeepingError::Shelf(format!("{member}: {error}")))
    }

    /// Takes a set into the vault for `unit`: its file is hashed as it lies there, every image is taken out,
    /// filled up to its partition's length and stored. Nothing is kept of a set with one wrong image. Taken
    /// before, it is given as it is.
    ///
    /// # Errors
    /// When the set is not this unit's, an image is not what was published or doesn't fit its partition, the
    /// unit's table was not read yet, or the vault is full.
    pub fn take_stock(
        &self,
        unit: UnitId,
        file: Digest,
        request: RequestId,
    ) -> Result<CaptureId, KeepingError> {
        let record = self.pen.record(unit)?;
        let family = &*self
            .library
            .family_of(&record)
            .ok_or(KeepingError::NoFamily)?;
        if let Some(known) = taken(&record, file) {
            return Ok(known.id);
        }
        self.library.shelf.forget();
        let shelf = |text: &str| KeepingError::Shelf(text.to_owned());
        let set = self
            .set_in(file, family)
            .ok_or_else(|| shelf("there is no set of the maker's for this family in that file"))?;
        let findings = self.judged(&record, family, file, &set);
        if let Some(stop) = findings.iter().find(|one| one.bars()) {
            return Err(KeepingError::Shelf(format!(
                "{} ({})",
                stop.text, stop.rule
            )));
        }
        let own = record.own.clone().unwrap_or_default();
        if own.is_empty() {
            return Err(shelf(
                "read the unit's own partition table first (take a capture): lengths differ from unit to unit (B2)",
            ));
        }
        let job = JobId::new(self.pen.ids.fresh());
        let mut staging = self.library.vault.stage(job)?;
        let mut partitions = Vec::new();
        for image in &set.images {
            let (label, member, _) = image;
            let taken_out = self.image_of(file, &set, image).and_then(|bytes| {
                self.store(
                    &mut staging,
                    family,
                    &own,
                    &set.build,
                    (label, member),
                    &bytes,
                )
            });
            match taken_out {
                Ok(stored) => partitions.extend(stored),
                Err(error) => {
                    staging.discard()?;
                    return Err(error);
                }
            }
        }
        let now = self.pen.clock.stamp();
        let manifest = Manifest {
            veritope_capture: MANIFEST_VERSION,
            capture: CaptureId::new(job.uuid()),
            unit,
            nickname: record.nickname.clone(),
            taken: now.wall,
            family: family.codename.clone(),
            identifiers: std::collections::BTreeMap::new(),
            build: Some(set.build.clone()),
            source: CaptureSource {
                origin: Origin::Stock,
                mode: Mode::Off,
                rest: Rest::AtRest,
                lock: None,
            },
            areas: Vec::new(),
            partitions,
        };
        let of_manifest = staging.finish(&manifest)?;
        let capture = CaptureFacts {
            list: Some(file),
            ..facts_of(&manifest, of_manifest, Taken::here(now))
        };
        self.pen
            .append(unit, Some(request), vec![Entry::StockTaken { capture }])?;
        staging.discard()?;
        Ok(manifest.capture)
    }

    /// Stores an image for each partition that it is of.
    fn store(
        &self,
        staging: &mut Staging,
        family: &Family,
        own: &[OwnPartition],
        build: &str,
        (of, member): (&Label, &str),
        bytes: &[u8],
    ) -> Result<Vec<Captured>, KeepingError> {
        let mut stored = Vec::new();
        // What says of itself that it is another's, or somebody's recovery, is none of the maker's.
        if let Ok(head) = read_start_image(&bytes) {
            let is_other = head.codename != family.codename;
            if is_other || head.kind == "recovery" {
                return Err(KeepingError::Shelf(format!(
                    "{member} says of itself that it is a {} for {}, so it is not the maker's {of} (R1)",
                    head.kind, head.codename
                )));
            }
        }
        for (place, spec) in placed(family, own, of) {
            if bytes.len() as u64 > place.length_bytes {
                return Err(KeepingError::Shelf(format!(
                    "{member} is longer than {} (M5)",
                    place.label
                )));
            }
            let layout = FrameLayout::new(place.length_bytes);
            let label = &place.label;
            pump(
                layout,
                0,
                None,
                |index, _| Ok(piece(bytes, layout.span(index))),
                |frame| {
                    staging
                        .append(label, frame, None)
                        .map_err(KeepingError::from)
                },
            )?;
            let image = staging.close(label, layout)?;
            // Where the family file says what the maker publishes, it is that or nothing.
            let published = family
                .build(build)
                .filter(|_| family.is_shipped() && place.length_bytes == u64::from(spec.mib) << 20)
                .and_then(|(_, build)| {
                    let mut images = build.images.iter();
                    images.find(|(known, _)| known == of)
                });
            if let Some((_, published)) = published.filter(|(_, one)| *one != image.blake3) {
                return Err(KeepingError::Shelf(format!(
                    "{member} makes {label} {}…, and the maker's of {build} is {}…: this is another image (R1)",
                    image.blake3.short(),
                    published.short()
                )));
            }
            stored.push(Captured {
                label: label.clone(),
                role: Some(spec.role),
                area: spec.area,
                number: place.number,
                offset_bytes: place.offset_bytes,
                length_bytes: place.length_bytes,
                blake3: image.blake3,
                frames: image.frames,
                stored_bytes: image.stored_bytes,
                agreement: Agreement::Once,
                blank: image.blank,
                inside: None,
            });
        }
        Ok(stored)
    }

    /// What is found of a set in the vault, for putting it back.
    pub(crate) fn set_findings(
        &self,
        record: &UnitRecord,
        family: &Family,
        stock: &CaptureFacts,
    ) -> Vec<Finding> {
        // The variant was judged when it was taken, for this very unit; the fuse may have moved on.
        let own = record.known();
        let variants: Vec<String> = own
            .text(FactKey::ModelCode)
            .map(str::to_owned)
            .into_iter()
            .collect();
        let members: Vec<Label> = stock
            .partitions
            .iter()
            .map(|part| part.label.clone())
            .collect();
        let claims = StockClaims {
            codename: &family.codename,
            variants: &variants,
            build: stock.build.as_deref().unwrap_or(""),
            members: &members,
        };
        judge_stock(family, &own, claims)
    }
}

/// Fills an image up to its partition's length.
fn fill(
    record: &UnitRecord,
    family: &Family,
    label: &Label,
    bytes: &mut Vec<u8>,
) -> Result<(), &'static str> {
    let own = record.own.iter().flatten().find(|own| own.label == *label);
    let length = own.map_or_else(
        || {
            let spec = family.partition(label);
            spec.map_or(0, |spec| u64::from(spec.mib) << 20)
        },
        |own| own.length_bytes,
    );
    let length = usize::try_from(length).unwrap_or(usize::MAX);
    if bytes.len() > length {
        return Err("it is longer than the partition (M5): this is another unit's");
    }
    bytes.resize(length, 0);
    Ok(())
}

fn taken(record: &UnitRecord, list: Digest) -> Option<&CaptureFacts> {
    let mut stocks = record.stocks.iter();
    stocks.find(|stock| stock.list == Some(list))
}

/// Where an image belongs: its partition, or both slots of it; nothing that is not the maker's.
fn placed<'o>(
    family: &'o Family,
    own: &'o [OwnPartition],
    label: &Label,
) -> Vec<(&'o OwnPartition, &'o PartitionSpec)> {
    own.iter()
        .filter_map(|one| Some((one, family.partition(&one.label)?)))
        .filter(|(_, spec)| spec.label == *label || spec.stem() == label)
        .filter(|(_, spec)| spec.role.spec().is_published)
        .collect()
}

/// Bytes of a span, zeros where the image is over.
fn piece(bytes: &[u8], (first, count): (u64, u64)) -> Vec<u8> {
    let mut piece = vec![0; usize::try_from(count).unwrap_or(0)];
    let rest = usize::try_from(first)
        .ok()
        .and_then(|first| bytes.get(first..))
        .unwrap_or(&[]);
    let have = rest.len().min(piece.len());
    piece[..have].copy_from_slice(&rest[..have]);
    piece
}
