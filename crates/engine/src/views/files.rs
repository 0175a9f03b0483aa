//! The shelf, and its files held against a unit: the matrix.

use serde::Serialize;
use veritope_core::act::{Act, ImageOf};
use veritope_core::family::Family;
use veritope_core::goal::Goal;
use veritope_core::matching::{
    About, Fit, Form, Make, Reach, RecoveryPlace, Said, Told, Verdict, Wanted, Weight,
};
use veritope_core::permission::{Permission, sentence};
use veritope_core::prospect::Judged;
use veritope_core::published::Compared;
use veritope_core::rule::Rule;
use veritope_core::schools::{School, asks_why, schools};
use veritope_wire::{Digest, UnitId, WallTime};

use super::{InsteadOfFirst, ViewError, Views};
use crate::desk::record::Scope;
use crate::desk::unit::UnitRecord;
use crate::keeping::Keeping;
use crate::library::shelf::{Declared, FileRecord, Instructions, Made};
use crate::library::shelving::NeededBy;
use crate::views::seen::Seen;

/// The shelf.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct ShelfPage {
    /// Files, the newest first.
    pub files: Vec<ShelfLine>,
    /// Bytes that are free on its disk.
    pub free_bytes: u64,
    /// Whether a file may be put there now.
    pub put: Permission,
}

/// One file on the shelf.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct ShelfLine {
    /// Its digest.
    pub id: Digest,
    /// Its name as it came.
    pub name: String,
    /// A short name that a person gave it.
    pub alias: Option<String>,
    /// Length in bytes.
    pub bytes: u64,
    /// SHA-256, for whoever compares by hand.
    pub sha256: String,
    /// When it came.
    pub taken: WallTime,
    /// Where it came from.
    pub origin: Option<String>,
    /// Its publisher's channel.
    pub channel: Option<String>,
    /// The day on which it was published.
    pub dated: Option<String>,
    /// What is to be known of its age.
    pub age: Option<String>,
    /// What it really is, in the words of the trade.
    pub what: String,
    /// What is wrong with it.
    pub troubles: Vec<String>,
    /// What it is for, each with who says so.
    pub says: Vec<FileSaying>,
    /// Digests that its publisher gives.
    pub published: Vec<PublishedLine>,
    /// What is declared beside it.
    pub declared: Option<Declared>,
    /// What it was made from.
    pub made: Option<Made>,
    /// Its publisher's instructions.
    pub instructions: Vec<Instructions>,
    /// What lies inside and can be taken out.
    pub parts: Vec<FilePart>,
    /// Members that were not looked into, or too many to list.
    pub more_parts: u32,
    /// What still needs it.
    pub needed_by: Vec<NeededBy>,
    /// Whether it may be removed now.
    pub remove: Permission,
}

/// Something that a file says of what it is for.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct FileSaying {
    /// Of what, in words.
    pub about: &'static str,
    /// The value.
    pub value: String,
    /// Who says so, in words.
    pub by: &'static str,
    /// Whether that is only declared.
    pub is_declared: bool,
}

/// A publisher's digest, held against the bytes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct PublishedLine {
    /// In hexadecimal.
    pub digest: String,
    /// By which algorithm, where that is known.
    pub algorithm: Option<&'static str>,
    /// Where it stood.
    pub from: String,
    /// How it compares, in words.
    pub said: String,
    /// The same as a fit.
    pub fit: Fit,
}

/// Something inside a file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct FilePart {
    /// Its name there.
    pub name: String,
    /// What it is.
    pub what: String,
    /// How it is taken out.
    pub make: Make,
}

/// A school with what it comes to on this unit.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct SchoolLine {
    /// The school.
    #[serde(flatten)]
    pub school: School,
    /// How its goal stands, and what it costs.
    pub judged: Judged,
    /// Whether a reason is asked for it: the family's default is another one.
    pub asks_reason: bool,
}

/// The recovery station.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct RecoveryPage {
    /// Where a recovery goes on this family; nothing where it takes none.
    pub place: Option<RecoveryPlace>,
    /// Why there is nothing here.
    pub none: Option<String>,
    /// The schools of this family, its default first (`M12`).
    pub schools: Vec<SchoolLine>,
    /// The criteria, in the order of the columns.
    pub criteria: Vec<Criterion>,
    /// Files, the best first.
    pub files: Vec<MatchLine>,
    /// Files of other devices, by their own word.
    pub others: Vec<MatchLine>,
    /// The file that is taken, in one sentence.
    pub taken: String,
    /// Whether the best may be taken again in place of a chosen one.
    pub leave: Permission,
    /// Reason that was given for the chosen one.
    pub reason: Option<String>,
}

/// The file that a sheet takes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct SheetFile {
    /// Its digest.
    pub id: Digest,
    /// Its name.
    pub name: String,
    /// Version that it gives itself.
    pub version: Option<String>,
    /// Length in bytes.
    pub bytes: u64,
    /// Why it is this one, and what is to be known of it, in a sentence.
    pub said: String,
    /// Reason that was given for it.
    pub reason: Option<String>,
    /// How many others fit as well.
    pub others: u32,
}

/// A criterion.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Criterion {
    /// The rule.
    pub rule: Rule,
    /// In a word or two.
    pub title: &'static str,
}

/// A file held against a unit.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct MatchLine {
    /// Its digest.
    pub id: Digest,
    /// Its short name, or the one that it came with.
    pub name: String,
    /// What it really is.
    pub what: String,
    /// Version that it gives itself.
    pub version: Option<String>,
    /// Length in bytes.
    pub bytes: u64,
    /// What comes of it.
    pub verdict: Verdict,
    /// In one sentence.
    pub said: String,
    /// One a criterion, in the order of the columns.
    pub cells: Vec<MatchCell>,
    /// How the right form is made of it.
    pub ways: Vec<MatchWay>,
    /// Whether it is the one that is taken.
    pub is_taken: bool,
    /// Whether a reason has to be given for it.
    pub asks_reason: bool,
    /// Whether it may be chosen.
    pub choose: Permission,
}

/// One cell of the matrix.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct MatchCell {
    /// The rule.
    pub rule: Rule,
    /// How it stands: the gravest of what was found.
    pub fit: Fit,
    /// Whether it keeps the file away.
    pub bars: bool,
    /// Why, in a sentence each.
    pub why: Vec<String>,
    /// What would have to be true.
    pub wanted: Vec<String>,
}

/// A way to the right form.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct MatchWay {
    /// In words.
    pub shown: String,
    /// Step by step.
    pub steps: Vec<Make>,
    /// Whether it may be made now.
    pub make: Permission,
}

/// Columns: each rule with its title.
const CRITERIA: [(Rule, &str); 10] = [
    (Rule::M1, "Device"),
    (Rule::M2, "Variant"),
    (Rule::M3, "Place"),
    (Rule::M4, "Form"),
    (Rule::M5, "Room"),
    (Rule::M6, "Decrypts"),
    (Rule::M7, "Version"),
    (Rule::M8, "Digest"),
    (Rule::M9, "Goes with"),
    (Rule::M10, "Worked by"),
];

/// Parts of a file that are listed.
const MOST_PARTS: usize = 40;

impl Views {
    /// The shelf.
    ///
    /// # Errors
    /// When the disk can't be asked.
    pub fn shelf_page(&self) -> Result<ShelfPage, ViewError> {
        let mut files = self.seen.files();
        files.sort_by(|(_, one), (_, other)| {
            (other.taken, &one.name).cmp(&(one.taken, &other.name))
        });
        let put = self.may_note(Scope::Bench);
        Ok(ShelfPage {
            files: files
                .into_iter()
                .map(|(id, record)| shelf_line(&self.seen, id, &record, &put))
                .collect(),
            free_bytes: self.seen.free_bytes().unwrap_or(0),
            put,
        })
    }

    /// The schools of the unit's family, each with what it comes to on this unit now.
    fn schools(&self, record: &UnitRecord, family: &Family) -> Vec<SchoolLine> {
        let schools = schools(family);
        let goals: Vec<_> = schools.iter().map(|one| one.goal).collect();
        let judged = self.seen.goals_of(record, goals);
        let default = judged.first().map(|(_, judged)| judged.prospect.clone());
        let both = schools.into_iter().zip(judged).enumerate();
        both.map(|(at, (school, (_, judged)))| SchoolLine {
            school,
            judged,
            asks_reason: default.as_ref().is_some_and(|first| asks_why(at, first)),
        })
        .collect()
    }

    /// What `goal` is taken in place of, where a reason for that is asked.
    pub(super) fn instead(
        &self,
        record: &UnitRecord,
        family: &Family,
        goal: Goal,
    ) -> Option<InsteadOfFirst> {
        let first = schools(family).first()?.title;
        let schools = self.schools(record, family);
        let own = schools.iter().find(|line| line.school.goal == goal)?;
        own.asks_reason.then(|| InsteadOfFirst {
            first,
            reason: record.goal_reason.clone(),
        })
    }

    /// The shelf's files held against a unit.
    ///
    /// # Errors
    /// When the unit is not known.
    pub fn recovery_page(&self, unit: UnitId) -> Result<RecoveryPage, ViewError> {
        let record = self.seen.record(unit)?;
        let empty = |none: String| RecoveryPage {
            place: None,
            none: Some(none),
            schools: Vec::new(),
            criteria: Vec::new(),
            files: Vec::new(),
            others: Vec::new(),
            taken: String::new(),
            leave: Permission::yes(),
            reason: None,
        };
        let Some(family) = self.seen.family_of(&record) else {
            return Ok(empty(
                "Which family this unit belongs to is not known, so nothing can be held against it."
                    .to_owned(),
            ));
        };
        let facts = self.seen.sighted(&record, record.known());
        let facts = family.told(facts, self.seen.now());
        let own = record.own.as_deref().unwrap_or(&[]);
        let Some(wanted) = Wanted::of(&family, &facts, own) else {
            return Ok(empty(format!(
                "No custom recovery is known for {}: nothing is written or started there.",
                family.name()
            )));
        };
        let judged = self.seen.judged(&wanted, self.seen.today());
        let taken = Keeping::recovery_among(&record, &wanted, &judged);
        let is_taken = |id: Digest| taken.as_ref().is_some_and(|one| one.judged.digest == id);
        let may = self.may_choose(&record);
        let concerns = judged.into_iter().filter(|one| {
            // A package of the maker's or a text is no candidate; whatever an image could come out of is.
            let judgement = &one.judgement;
            let form = one.told.as_ref().map(|told| told.form);
            is_taken(one.digest)
                || judgement.verdict < Verdict::Unknown
                || !matches!(form, Some(Form::Other | Form::Verification { .. }))
        });
        let is_of_other = |line: &MatchLine| {
            let device = line.cells.first();
            !line.is_taken && device.is_some_and(|cell| cell.fit == Fit::Stops)
        };
        let (others, files): (Vec<_>, Vec<_>) = concerns
            .map(|one| {
                let told = one.told.as_ref();
                let asks_reason = one.judgement.verdict == Verdict::WithReason;
                MatchLine {
                    id: one.digest,
                    name: one.record.shown().to_owned(),
                    what: told.map_or_else(String::new, |told| capital(&told.shown)),
                    version: one.judgement.version.clone(),
                    bytes: one.record.bytes,
                    verdict: one.judgement.verdict,
                    said: one.judgement.said.clone(),
                    cells: cells(&one.judgement.findings),
                    ways: one
                        .judgement
                        .ways
                        .iter()
                        .map(|way| MatchWay {
                            shown: way.shown.clone(),
                            steps: way.steps.clone(),
                            make: self.may_note(Scope::Bench),
                        })
                        .collect(),
                    is_taken: is_taken(one.digest),
                    asks_reason,
                    choose: match one.judgement.verdict {
                        Verdict::Fits | Verdict::WithReason => may.clone(),
                        Verdict::Makes => Permission::no(
                            "Make the right form of it first.".to_owned(),
                            Some(Rule::M4),
                        ),
                        Verdict::Unknown | Verdict::Stops => {
                            let mut findings = one.judgement.findings.iter();
                            let rule = findings.find(|one| one.bars()).map(|one| one.rule);
                            Permission::no(one.judgement.said.clone(), rule)
                        }
                    },
                }
            })
            .partition(is_of_other);
        Ok(RecoveryPage {
            others,
            place: Some(wanted.place.said(&family, wanted.facts)),
            none: None,
            schools: self.schools(&record, &family),
            criteria: CRITERIA
                .into_iter()
                .map(|(rule, title)| Criterion { rule, title })
                .collect(),
            files,
            taken: taken.as_ref().map_or_else(
                || "No file on the shelf fits this unit yet.".to_owned(),
                |one| {
                    let name = one.judged.record.shown();
                    let why = if record.chosen.is_some() {
                        "is chosen"
                    } else {
                        "fits best"
                    };
                    format!("{name} {why}.")
                },
            ),
            leave: if record.chosen.is_some() {
                may
            } else {
                Permission::no("Nothing is chosen: the best is taken.".to_owned(), None)
            },
            reason: taken.and_then(|one| one.reason),
        })
    }

    /// The file that the sheet of a unit takes.
    pub(super) fn step_file(
        &self,
        record: &UnitRecord,
        family: &Family,
        act: &Act,
    ) -> Option<SheetFile> {
        match act.image_of()? {
            ImageOf::TheChosen => self.sheet_file(record, family),
            ImageOf::TheMakersSet => {
                let (set, file) = self.seen.set_to_put(record, family)?;
                Some(SheetFile {
                    id: set.digest,
                    bytes: file.bytes,
                    said: format!("The maker's set of {}.", set.build),
                    name: set.name,
                    version: None,
                    others: 0,
                    reason: None,
                })
            }
            ImageOf::ThePackage => {
                let file = act.image().flatten()?;
                let about = self.seen.file(file)?;
                Some(SheetFile {
                    id: file,
                    bytes: about.bytes,
                    said: "The maker's package, as it was published.".to_owned(),
                    name: about.shown().to_owned(),
                    version: None,
                    others: 0,
                    reason: None,
                })
            }
            ImageOf::TheMakers => None,
        }
    }

    /// The recovery that a sheet takes.
    fn sheet_file(&self, record: &UnitRecord, family: &Family) -> Option<SheetFile> {
        let facts = family.told(self.seen.sighted(record, record.known()), self.seen.now());
        let taken = self.seen.recovery_of(record, family, &facts)?;
        let own = record.own.as_deref().unwrap_or(&[]);
        let wanted = Wanted::of(family, &facts, own)?;
        let fits = |verdict| matches!(verdict, Verdict::Fits | Verdict::WithReason);
        let all = self.seen.judged(&wanted, self.seen.today()).into_iter();
        let others =
            all.filter(|one| fits(one.judgement.verdict) && one.digest != taken.judged.digest);
        Some(SheetFile {
            id: taken.judged.digest,
            name: taken.judged.record.shown().to_owned(),
            version: taken.judged.judgement.version.clone(),
            bytes: taken.judged.record.bytes,
            said: taken.judged.judgement.said.clone(),
            others: u32::try_from(others.count()).unwrap_or(u32::MAX),
            reason: taken.reason,
        })
    }

    /// Whether a file may be chosen for the unit now.
    fn may_choose(&self, record: &UnitRecord) -> Permission {
        if record.active_run().is_some_and(|run| run.image.is_some()) {
            return Permission::no(
                "Its run goes on with the file that it began with: stop it first.".to_owned(),
                Some(Rule::E5),
            );
        }
        self.may_note(Scope::Unit(record.id))
    }
}

fn cells(findings: &[veritope_core::matching::Finding]) -> Vec<MatchCell> {
    CRITERIA
        .into_iter()
        .map(|(rule, _)| {
            let those = || findings.iter().filter(move |one| one.rule == rule);
            MatchCell {
                rule,
                fit: those().map(|one| one.fit).max().unwrap_or(Fit::Unknown),
                bars: those()
                    .any(|one| one.bars() || one.weight == Weight::Reason && one.fit != Fit::Fits),
                why: those().map(|one| one.text.clone()).collect(),
                wanted: those().filter_map(|one| one.wanted.clone()).collect(),
            }
        })
        .collect()
}

fn shelf_line(seen: &Seen, id: Digest, record: &FileRecord, put: &Permission) -> ShelfLine {
    let told = seen.told(id);
    let unreadable = told.as_ref().err().map(ToString::to_string);
    let told = told.ok();
    let needed_by = seen.needed_by(id);
    let bar = needed_by.iter().find(|one| one.bars);
    let days = record.days_old(seen.today());
    let (parts, more_parts) = told.as_deref().map_or((Vec::new(), 0), parts);
    ShelfLine {
        id,
        name: record.name.clone(),
        alias: record.alias.clone(),
        bytes: record.bytes,
        sha256: record.sha256.clone(),
        taken: record.taken,
        origin: record.origin.clone(),
        channel: record.channel.clone(),
        dated: record.dated.clone(),
        age: days
            .filter(|days| (0..7).contains(days))
            .map(|days| match days {
                0 => "published today: few have tried it".to_owned(),
                1 => "published yesterday: few have tried it".to_owned(),
                days => format!("published {days} days ago: few have tried it"),
            }),
        what: told
            .as_ref()
            .map_or_else(String::new, |told| capital(&told.shown)),
        troubles: told
            .as_ref()
            .map(|told| told.troubles.iter().map(|one| sentence(one)).collect())
            .unwrap_or_default(),
        says: told.as_deref().map(says).unwrap_or_default(),
        published: published(seen, id, record),
        declared: record.declared.clone(),
        made: record.made.clone(),
        instructions: record.instructions.clone(),
        parts,
        more_parts,
        remove: match bar {
            Some(bar) => Permission::no(bar.text.clone(), None),
            None => put.clone(),
        },
        needed_by,
    }
    .with_trouble(unreadable)
}

impl ShelfLine {
    fn with_trouble(mut self, why: Option<String>) -> Self {
        self.troubles.extend(why.map(|why| sentence(&why)));
        self
    }
}

/// First letter large.
fn capital(text: &str) -> String {
    sentence(text).trim_end_matches('.').to_owned()
}

fn published(seen: &Seen, id: Digest, record: &FileRecord) -> Vec<PublishedLine> {
    let hashed = seen.hashed(id).ok();
    let families = seen.families();
    let known = families.iter().flat_map(|family| {
        let packages = family.packages.iter().filter(|one| one.blake3 == Some(id));
        packages.map(|package| PublishedLine {
            digest: id.to_string(),
            algorithm: Some("BLAKE3"),
            from: format!("the family file of {}", family.name()),
            said: format!("it is the maker's package {}", package.name),
            fit: Fit::Fits,
        })
    });
    let claimed = record
        .published
        .iter()
        .map(|claim| {
            let read = claim.read().ok();
            let compared = match (&hashed, &read) {
                (Some(hashed), Some(read)) => hashed.compare(read),
                _ => Compared::NotComputed,
            };
            let (fit, said) = match compared {
                Compared::Equal { weak: false } => (Fit::Fits, "the bytes have it"),
                Compared::Equal { weak: true } => (
                    Fit::Doubtful,
                    "the bytes have it, but it is weak: it tells damage, and another file can be made with the same",
                ),
                Compared::Differs => (Fit::Stops, "the bytes have another one: fetch the file again"),
                Compared::NotComputed => (Fit::Unknown, "it could not be compared"),
            };
            PublishedLine {
                digest: claim.digest.clone(),
                algorithm: read.and_then(|one| one.algorithm()).map(|one| one.name()),
                from: claim.from.clone(),
                said: said.to_owned(),
                fit,
            }
        });
    known.chain(claimed).collect()
}

/// What a file says of itself, or what the first thing in it says, each once.
fn says(told: &Told) -> Vec<FileSaying> {
    let speaks = |told: &Told| told.said.iter().any(|one| one.by.is_own());
    let mut of = told;
    for _ in 0..3 {
        if speaks(of) {
            break;
        }
        match of
            .inside
            .iter()
            .find(|piece| !piece.told.said.is_empty() || !piece.told.inside.is_empty())
        {
            Some(piece) => of = &piece.told,
            None => break,
        }
    }
    let own = of.said.iter();
    let beside = told.said.iter().filter(|one| !one.by.is_own());
    let mut all: Vec<FileSaying> = Vec::new();
    for one in own.chain(beside) {
        let saying = saying(one);
        if !all.contains(&saying) {
            all.push(saying);
        }
    }
    all
}

fn saying(said: &Said) -> FileSaying {
    FileSaying {
        about: match said.about {
            About::Device => "device",
            About::Product => "product",
            About::Model => "model",
            About::Build => "build",
            About::Version => "version",
            About::Generation => "generation",
            About::Patch => "patch month",
            About::Partition => "partition",
        },
        value: said.value.clone(),
        by: said.by.shown(),
        is_declared: said.by == veritope_core::matching::Speaker::Side,
    }
}

/// What can be taken out, and how many more members there are.
fn parts(told: &Told) -> (Vec<FilePart>, u32) {
    let pieces = told.inside.iter().filter(|piece| piece.is_whole);
    let mut all: Vec<FilePart> = pieces
        .map(|piece| {
            let (name, make) = match &piece.reach {
                Reach::Member(member) => (
                    member.clone(),
                    Make::TakeOut {
                        member: member.clone(),
                    },
                ),
                Reach::Partition(partition) => (
                    partition.clone(),
                    Make::TakePartition {
                        partition: partition.clone(),
                    },
                ),
                Reach::Unpacked => ("unpacked".to_owned(), Make::Unpack),
                Reach::Expanded => ("expanded".to_owned(), Make::Expand),
            };
            FilePart {
                name,
                what: capital(&piece.told.shown),
                make,
            }
        })
        .collect();
    // A payload's partitions are known by name alone.
    if matches!(
        told.form,
        Form::Payload {
            is_incremental: false
        }
    ) {
        all.extend(told.members.iter().map(|partition| FilePart {
            name: partition.clone(),
            what: "Partition".to_owned(),
            make: Make::TakePartition {
                partition: partition.clone(),
            },
        }));
    }
    let shown = all.len().min(MOST_PARTS);
    let count = told
        .members
        .iter()
        .filter(|name| !name.ends_with('/'))
        .count();
    all.truncate(shown);
    let more = count.saturating_sub(all.len());
    (all, u32::try_from(more).unwrap_or(u32::MAX))
}
