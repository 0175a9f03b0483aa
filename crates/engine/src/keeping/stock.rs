//! Sets on the shelf: a folder a build under `shelf/stock`, with a list of images and their digests.
//! Taken into the vault, every image is compared with its digest; from then on it can be put back
//! (`G4`). The list proves damage and nothing else (`E6`): what is the maker's is told by the digests of
//! a shipped family file (`R1`), and a set that contradicts them is not taken.

use std::fs;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use veritope_core::coverage::{Agreement, CaptureFacts, Origin, Rest};
use veritope_core::digest::{Claimed, FrameLayout};
use veritope_core::family::{Family, PartitionSpec};
use veritope_core::matching::{Finding, Fit, StockClaims, judge_stock};
use veritope_core::mode::Mode;
use veritope_core::partitions::OwnPartition;
use veritope_core::permission::Permission;
use veritope_core::rule::Rule;
use veritope_core::steady::Taken;
use veritope_formats::startimage::read_start_image;
use veritope_vault::{CaptureSource, Captured, MANIFEST_VERSION, Manifest, pump};
use veritope_wire::{CaptureId, Digest, JobId, Label, RequestId, UnitId};

use crate::keeping::Keeping;
use crate::keeping::backup::facts_of;

use crate::desk::record::Entry;
use crate::desk::unit::UnitRecord;
use crate::keeping::KeepingError;
use crate::library::shelf::read_seen;

/// A set's list, `stock.toml`.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct StockList {
    /// Its build string.
    build: String,
    /// Codename of the family.
    codename: String,
    /// Model codes that it is for.
    variants: Vec<String>,
    /// Images.
    image: Vec<StockFile>,
}

/// An image of a set.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct StockFile {
    /// The partition; without a slot it is for both.
    partition: Label,
    /// Name of the file beside the list.
    file: String,
    /// Digest of the file, as published.
    blake3: Digest,
}

/// A set on the shelf, judged for one unit.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct StockLine {
    /// Name of its folder.
    pub id: String,
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

impl Keeping {
    /// The sets on the shelf, judged for `unit`, in the order of their names.
    ///
    /// # Errors
    /// When the unit or its family is not known.
    pub fn stock_sets(&self, unit: UnitId) -> Result<Vec<StockLine>, KeepingError> {
        let record = self.pen.record(unit)?;
        let family = &*self
            .library
            .family_of(&record)
            .ok_or(KeepingError::NoFamily)?;
        let Ok(folders) = fs::read_dir(self.stock_folder()) else {
            return Ok(Vec::new());
        };
        let mut names: Vec<String> = folders
            .filter_map(|folder| folder.ok()?.file_name().into_string().ok())
            .collect();
        names.sort();
        let sets = names.into_iter().map(|id| {
            let line = |build: &str,
                        digest: Option<Digest>,
                        images: usize,
                        findings: Vec<Finding>| StockLine {
                take: match findings.iter().find(|one| one.fit != Fit::Fits) {
                    Some(stop) => Permission::no(stop.text.clone(), Some(stop.rule)),
                    None => self.turns.is_free(unit).into(),
                },
                fits: !findings.is_empty() && findings.iter().all(|one| one.fit == Fit::Fits),
                taken: digest
                    .and_then(|digest| taken(&record, digest))
                    .map(|stock| stock.id),
                id: id.clone(),
                build: build.to_owned(),
                images: u32::try_from(images).unwrap_or(u32::MAX),
                findings,
            };
            match self.list_of(&id) {
                Ok((_, list, digest)) => line(
                    &list.build,
                    Some(digest),
                    list.image.len(),
                    judged(&record, family, &list),
                ),
                Err(text) => line(
                    &id,
                    None,
                    0,
                    vec![Finding {
                        rule: Rule::M8,
                        fit: Fit::Stops,
                        text,
                    }],
                ),
            }
        });
        Ok(sets.collect())
    }

    fn stock_folder(&self) -> PathBuf {
        self.library.data.join("shelf").join("stock")
    }

    /// A set's folder, its list, and the list's digest, which tells sets apart.
    fn list_of(&self, id: &str) -> Result<(PathBuf, StockList, Digest), String> {
        if Path::new(id).file_name() != Some(id.as_ref()) {
            return Err(format!("`{id}` is no name of a folder"));
        }
        let folder = self.stock_folder().join(id);
        let path = folder.join("stock.toml");
        let text =
            fs::read_to_string(&path).map_err(|error| format!("{}: {error}", path.display()))?;
        let list: StockList = toml::from_str(&text)
            .map_err(|error| format!("{}: {}", path.display(), error.message()))?;
        let is_name =
            |file: &StockFile| Path::new(&file.file).file_name() == Some(file.file.as_ref());
        match list.image.iter().find(|file| !is_name(file)) {
            Some(file) => Err(format!(
                "{}: `{}` must be the name of a file beside it",
                path.display(),
                file.file
            )),
            None => Ok((folder, list, Digest::of(text.as_bytes()))),
        }
    }

    /// Takes a set into the vault for `unit`: every image is read, compared with its published
    /// digest, filled up to its partition's length and stored. Nothing is kept of a set with one
    /// wrong image. Taken before, it is given as it is.
    ///
    /// # Errors
    /// When the set is not this unit's, an image is not what was published or doesn't fit its
    /// partition, the unit's table was not read yet, or the vault is full.
    pub fn take_stock(
        &self,
        unit: UnitId,
        id: &str,
        request: RequestId,
    ) -> Result<CaptureId, KeepingError> {
        let record = self.pen.record(unit)?;
        let family = &*self
            .library
            .family_of(&record)
            .ok_or(KeepingError::NoFamily)?;
        let (folder, list, digest) = self.list_of(id).map_err(KeepingError::Shelf)?;
        if let Some(known) = taken(&record, digest) {
            return Ok(known.id);
        }
        let findings = judged(&record, family, &list);
        if let Some(stop) = findings.iter().find(|one| one.fit == Fit::Stops) {
            return Err(KeepingError::Shelf(format!(
                "{} ({})",
                stop.text, stop.rule
            )));
        }
        let own = record.own.clone().unwrap_or_default();
        if own.is_empty() {
            return Err(KeepingError::Shelf(
                "read the unit's own partition table first (take a capture): lengths differ from unit to unit (B2)".to_owned(),
            ));
        }
        let job = JobId::new(self.pen.ids.fresh());
        let mut staging = self.library.vault.stage(job)?;
        let mut partitions = Vec::new();
        for file in &list.image {
            let path = folder.join(&file.file);
            let (bytes, seen) = read_seen(&path)
                .map_err(|error| KeepingError::Shelf(format!("{}: {error}", path.display())))?;
            if !seen.agrees_with(Claimed(file.blake3)) {
                staging.discard()?;
                return Err(KeepingError::Shelf(format!(
                    "{} has digest {}…, published is {}…: fetch it again (M8)",
                    file.file,
                    seen.digest().short(),
                    file.blake3.short()
                )));
            }
            // What says of itself that it is another's, or somebody's recovery, is none of the maker's.
            if let Ok(head) = read_start_image(&bytes) {
                let is_other = head.codename != family.codename;
                if is_other || head.kind == "recovery" {
                    staging.discard()?;
                    return Err(KeepingError::Shelf(format!(
                        "{} says of itself that it is a {} for {}, so it is not the maker's {} (R1)",
                        file.file, head.kind, head.codename, file.partition
                    )));
                }
            }
            for (place, spec) in placed(family, &own, &file.partition) {
                if bytes.len() as u64 > place.length_bytes {
                    staging.discard()?;
                    return Err(KeepingError::Shelf(format!(
                        "{} is longer than {} (M5)",
                        file.file, place.label
                    )));
                }
                let layout = FrameLayout::new(place.length_bytes);
                let label = &place.label;
                pump(
                    layout,
                    0,
                    None,
                    |index, _| Ok(piece(&bytes, layout.span(index))),
                    |frame| {
                        staging
                            .append(label, frame, None)
                            .map_err(KeepingError::from)
                    },
                )?;
                let image = staging.close(label, layout)?;
                // Where the family file says what the maker publishes, it is that or nothing.
                let published = family
                    .build(&list.build)
                    .filter(|_| {
                        family.is_shipped() && place.length_bytes == u64::from(spec.mib) << 20
                    })
                    .and_then(|(_, build)| {
                        let mut images = build.images.iter();
                        images.find(|(known, _)| *known == file.partition)
                    });
                if let Some((_, published)) = published.filter(|(_, one)| *one != image.blake3) {
                    staging.discard()?;
                    return Err(KeepingError::Shelf(format!(
                        "{} makes {} {}…, and the maker's of {} is {}…: this is another image (R1)",
                        file.file,
                        label,
                        image.blake3.short(),
                        list.build,
                        published.short()
                    )));
                }
                partitions.push(Captured {
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
            build: Some(list.build),
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
            list: Some(digest),
            ..facts_of(&manifest, of_manifest, Taken::here(now))
        };
        self.pen
            .append(unit, Some(request), vec![Entry::StockTaken { capture }])?;
        staging.discard()?;
        Ok(manifest.capture)
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
            .text(veritope_core::facts::FactKey::ModelCode)
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

fn judged(record: &UnitRecord, family: &Family, list: &StockList) -> Vec<Finding> {
    let members: Vec<Label> = list
        .image
        .iter()
        .map(|file| file.partition.clone())
        .collect();
    let claims = StockClaims {
        codename: &list.codename,
        variants: &list.variants,
        build: &list.build,
        members: &members,
    };
    judge_stock(family, &record.known(), claims)
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
