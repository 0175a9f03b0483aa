//! A unit with everything that a kind of act asks for; tests take single pieces out.

use std::collections::BTreeMap;
use std::sync::Arc;

use veritope_wire::{BenchTime, CaptureId, Digest, Label, PlaceId};

use super::{
    Act, Capture, Closed, Complete, Erase, EraseAll, Go, Ground, Install, InstallWithin, Look,
    PutBack, PutInside, PutMakersRecovery, PutMakersSet, PutStock, ReadTable, Relock, SetSlot,
    SetSwitch, Standpoint, StartImage, Unlock, WriteImage, WriteToRead, list,
};
use crate::act::look::Sight;
use crate::act::switch::Which;
use crate::budget::{self, Load, Policy};
use crate::consent::{Consent, told};
use crate::coverage::testing::{capture, copy, own};
use crate::coverage::{self, CaptureFacts, CopyFacts, CoverageInput, Origin, Torn, VerifiedCopy};
use crate::digest::{Claimed, Seen};
use crate::dossier::{
    By, Dossier, MadeOf, Put, ReadBack, SetSeen, Shelved, StockAtHand, Witnessed,
};
use crate::evidence::Line;
use crate::facts::testing::{at, linked, row};
use crate::facts::{Emptied, FactGroup, FactKey, FactRow, Facts, Happening, Source};
use crate::family::testing::{gimbal, shipped};
use crate::family::{
    Advice, Effort, Family, InstallWithinSpec, MakersSetSpec, Paired, RecoveryInsideSpec, Replaces,
    ToolErases,
};
use crate::keepsafe::{KeepSafe, Kept};
use crate::matching::{Check, File, Finding, Fit, Told, Wanted, judge};
use crate::mode::{Lock, Mode, Slot};
use crate::partitions::OwnPartition;
use crate::published::{Algorithm, PublishedDigest, SeenFile};
use crate::relock::{Against, Held, Holds, Proof};
use crate::rule::Rule;
use crate::state::Presence;

pub(crate) const IMAGE: &[u8] = b"a recovery for this family";
const PACKAGE: &[u8] = b"the whole of a package";

/// A recovery as it lies on the shelf.
pub(crate) struct Shelf {
    pub(crate) bytes: &'static [u8],
    pub(crate) published: &'static [u8],
    pub(crate) codename: &'static str,
    pub(crate) is_hashed: bool,
}

/// A partition that is put back.
pub(crate) struct Wish {
    pub(crate) own: OwnPartition,
    pub(crate) capture: Option<CaptureFacts>,
    pub(crate) manifest: Digest,
    pub(crate) origin: Origin,
    pub(crate) identifiers: BTreeMap<String, String>,
    /// What was read back, and when.
    pub(crate) verified: Option<(&'static str, i64)>,
    pub(crate) present: Option<Digest>,
    pub(crate) set: Vec<Finding>,
}

/// Everything that is known of a unit, owned.
pub(crate) struct Bench {
    pub(crate) act: Act,
    pub(crate) payload: Option<Digest>,
    pub(crate) family: Family,
    pub(crate) nickname: &'static str,
    pub(crate) rows: Vec<FactRow>,
    /// What the device says at this look, where it was looked at.
    pub(crate) live: Option<Vec<FactRow>>,
    pub(crate) happened: Vec<(Happening, BenchTime)>,
    pub(crate) emptied: Emptied,
    pub(crate) keep_safe: KeepSafe,
    pub(crate) consent: Option<Consent>,
    pub(crate) torn: Vec<Torn>,
    pub(crate) twin: Option<&'static str>,
    pub(crate) paired: Vec<Paired>,
    /// The unit's captures; the set of the maker's that is put back is none.
    pub(crate) captures: Vec<CaptureFacts>,
    pub(crate) copies: Vec<CopyFacts>,
    pub(crate) is_table_read: bool,
    /// When the system ran last.
    pub(crate) system_ran: BenchTime,
    /// Labels that were read back in every place, and when; nothing while it is only asked about.
    pub(crate) read_back: Option<(Vec<&'static str>, i64)>,
    /// Places whose copies did not read back, and places that don't answer.
    pub(crate) garbled: Vec<PlaceId>,
    pub(crate) away: Vec<PlaceId>,
    pub(crate) held: Vec<Held>,
    pub(crate) shelf: Option<Shelf>,
    pub(crate) stock: Vec<StockAtHand>,
    /// The maker's bytes that are about to be sent.
    pub(crate) makers: Option<&'static [u8]>,
    pub(crate) set: Option<SetSeen>,
    /// What was made with a recovery inside: for which partition, of which recovery, and what it is.
    pub(crate) made: Option<(Label, Digest, Digest)>,
    pub(crate) failed_reads: u8,
    pub(crate) packages: Vec<(&'static str, &'static [u8])>,
    pub(crate) wish: Option<Wish>,
    pub(crate) by: By,
    pub(crate) is_charged_for: bool,
    pub(crate) now: BenchTime,
}

/// Everything that an owner of this family's units could lose, waived in that minute.
pub(crate) fn waived(family: &Family, minute: i64) -> KeepSafe {
    let waived = |class: &_| (*class, Kept::Waived { at: at(minute) });
    family.keep_safe.iter().map(waived).collect()
}

impl Bench {
    fn of(family: Family, nickname: &'static str, act: impl Into<Act>) -> Self {
        Self {
            act: act.into(),
            payload: None,
            keep_safe: waived(&family, 0),
            nickname,
            rows: Vec::new(),
            emptied: Emptied::default(),
            live: None,
            happened: Vec::new(),
            consent: None,
            torn: Vec::new(),
            twin: None,
            paired: Vec::new(),
            captures: Vec::new(),
            copies: Vec::new(),
            is_table_read: false,
            system_ran: at(5),
            read_back: None,
            garbled: Vec::new(),
            away: Vec::new(),
            held: Vec::new(),
            shelf: None,
            stock: Vec::new(),
            makers: None,
            set: None,
            made: None,
            failed_reads: 0,
            packages: Vec::new(),
            wish: None,
            by: By {
                link: Presence::Here,
                token: Presence::Missing,
            },
            is_charged_for: true,
            now: at(20),
            family,
        }
    }

    /// The facts of `pairs`, read over the link; the device says the same now.
    fn knowing(self, pairs: &[(FactKey, &str)], minute: i64) -> Self {
        let rows = linked(pairs, minute);
        Self {
            live: Some(rows.clone()),
            rows,
            ..self
        }
    }

    /// Consented to what it costs.
    fn consented(self) -> Self {
        let costs = self.asked(|of| self.act.costs(of)).unwrap();
        Self {
            consent: Some(Consent {
                stage: costs.stage.unwrap(),
                typed: self.nickname.to_owned(),
                told: told(&costs.consequences),
                at: at(1),
            }),
            ..self
        }
    }

    /// Captured in two places, and read back now.
    fn kept(self) -> Self {
        let taken = capture(1, 10);
        Self {
            copies: vec![copy(&taken, 1, 11), copy(&taken, 2, 12)],
            captures: vec![taken],
            is_table_read: true,
            read_back: Some((vec!["persist", "modemst1"], 20)),
            ..self
        }
    }

    fn shelved(self) -> Self {
        Self {
            shelf: Some(Shelf {
                bytes: IMAGE,
                published: IMAGE,
                codename: "gimbal",
                is_hashed: true,
            }),
            payload: Some(Digest::of(IMAGE)),
            act: self.act.choosing(Digest::of(IMAGE)),
            ..self
        }
    }

    /// Hands all that is known on, as a list reads it.
    pub(crate) fn asked<T>(&self, ask: impl FnOnce(&Dossier<'_>) -> T) -> T {
        let facts =
            Facts::new(&self.rows, &[], self.happened.iter().copied()).emptied(self.emptied);
        let live = self.live.as_ref().map(|rows| Facts::new(rows, &[], []));
        let policy = Policy::usual();
        let battery = budget::battery(
            Load {
                permille: 10,
                until_last_change: Some(0),
            },
            &facts,
            &self.family,
            &policy,
            self.now,
        );
        let coverage_as = |system_ran| {
            coverage::judge(&CoverageInput {
                family: &self.family,
                own: &own(),
                captures: &self.captures,
                copies: &self.copies,
                written: &[],
                first_write: None,
                by_hand: false,
                policy: &policy,
                system_ran,
                now: self.now,
            })
        };
        let coverage = self
            .is_table_read
            .then(|| coverage_as(Some(self.system_ran)));
        let as_captured = self.is_table_read.then(|| coverage_as(None));
        let makers = self.makers.map(Seen::of);
        let verified = |label: &str, place: PlaceId, minute: i64| {
            let bytes = label.as_bytes();
            let claim = Claimed(Digest::of(bytes));
            let label = label.parse().unwrap();
            VerifiedCopy::read_back(label, place, Seen::of(bytes), claim, at(minute)).unwrap()
        };
        let copies: Option<Vec<VerifiedCopy>> = self.read_back.as_ref().map(|(labels, minute)| {
            let places = self.copies.iter().map(|copy| copy.place);
            places
                .filter(|place| !self.garbled.contains(place))
                .flat_map(|place| labels.iter().map(move |label| (place, *label)))
                .map(|(place, label)| verified(label, place, *minute))
                .collect()
        });
        let image = self.shelf.as_ref().map(|shelf| {
            let seen = SeenFile::of(shelf.bytes);
            let published =
                PublishedDigest::new(Algorithm::Blake3, &Digest::of(shelf.published).to_string());
            let check = published.map(|published| Check {
                compared: seen.compare(&published),
                published,
            });
            let told = Told::of_recovery(shelf.codename, "3.2.0", seen.seen.bytes());
            let findings = Wanted::of(&self.family, &facts, &[]).map(|wanted| {
                let file = File {
                    told: &told,
                    name: "r.img",
                    digest: seen.seen.digest(),
                    checks: &[check.unwrap()],
                    made_of: None,
                    origin: None,
                    days_old: None,
                };
                judge(&wanted, &file).findings
            });
            (findings.unwrap_or_default(), seen.seen)
        });
        let hashed =
            |(name, bytes): &(&str, &[u8])| ((*name).to_owned(), Arc::new(SeenFile::of(bytes)));
        let packages = self.packages.iter().map(hashed).collect();
        let wish = self.wish.as_ref();
        let place = copy(&capture(1, 10), 1, 0).place;
        let put_copy = wish
            .and_then(|wish| wish.verified)
            .map(|(label, minute)| verified(label, place, minute));
        let consents: Vec<Consent> = self.consent.iter().cloned().collect();
        let mut captures = self.captures.clone();
        captures.extend(wish.and_then(|wish| wish.capture.clone()));
        ask(&Dossier {
            nickname: self.nickname,
            live: live.as_ref(),
            by: self.by,
            twin: self.twin,
            paired: &self.paired,
            keep_safe: &self.keep_safe,
            consents: &consents,
            torn: &self.torn,
            battery: self.is_charged_for.then_some(&battery),
            captures: &captures,
            coverage: coverage.as_ref(),
            read_back: ReadBack {
                copies: copies.as_deref(),
                away: &self.away,
                needed: policy.copies,
            },
            held: &self.held,
            is_own_stock: true,
            recovery: image.as_ref().map(|(findings, seen)| Shelved {
                name: "r.img",
                version: Some("3.2.0"),
                findings,
                reason: None,
                known_by: Some(Digest::of(IMAGE)),
                seen: self
                    .shelf
                    .as_ref()
                    .and_then(|shelf| shelf.is_hashed.then_some(seen)),
            }),
            stock: &self.stock,
            makers_image: makers.as_ref(),
            makers_set: self.set.as_ref(),
            made: self.made.as_ref().map(|(label, recovery, made)| MadeOf {
                label,
                base: Digest::of(label.as_str().as_bytes()),
                recovery: *recovery,
                made: *made,
            }),
            failed_reads: self.failed_reads,
            as_captured: as_captured.as_ref(),
            packages: &packages,
            put: wish.map(|wish| Put {
                own: &wish.own,
                capture: wish.capture.as_ref(),
                witnessed: Witnessed {
                    manifest: wish.manifest,
                    identifiers: &wish.identifiers,
                    mode: Mode::TemporaryRecovery,
                    origin: wish.origin,
                },
                copy: put_copy.as_ref(),
                present: wish.present,
                set: &wish.set,
            }),
            ..Dossier::new(&self.family, &facts, self.now)
        })
    }

    pub(crate) fn lines(&self) -> Vec<Line> {
        self.asked(|of| list(&self.act, Ground::plain(of), Standpoint::now(of)).into_lines())
    }

    pub(crate) fn close(&self) -> Result<Complete, Closed> {
        self.asked(|of| list(&self.act, Ground::plain(of), Standpoint::now(of)).close(self.payload))
    }

    /// The rules of the lines that keep it shut, in their order; none when it closed.
    pub(crate) fn rules(&self) -> Vec<Rule> {
        let closed = self.close().err();
        let missing = closed.into_iter().flat_map(|closed| closed.missing);
        missing.map(|line| line.rule).collect()
    }

    /// The same, each once.
    pub(crate) fn kinds(&self) -> Vec<Rule> {
        let mut rules = self.rules();
        rules.sort();
        rules.dedup();
        rules
    }

    /// The rules after a change.
    pub(crate) fn with(mut self, change: impl FnOnce(&mut Self)) -> Vec<Rule> {
        change(&mut self);
        self.kinds()
    }

    /// Another source says this now.
    pub(crate) fn say(&mut self, key: FactKey, value: &str) {
        let n = 900 + self.rows.len() as u64;
        self.rows.retain(|row| row.key != key);
        self.rows.push(row(n, key, value, Source::Link, 10));
    }

    /// Nobody knows this any more, the device included.
    pub(crate) fn forget(&mut self, key: FactKey) {
        self.rows.retain(|row| row.key != key);
        if let Some(live) = &mut self.live {
            live.retain(|row| row.key != key);
        }
    }
}

/// Sanderling, to be unlocked by a command.
pub(crate) fn unlock() -> Bench {
    let pairs = [
        (FactKey::Ownership, "mine"),
        (FactKey::Lock, "locked"),
        (FactKey::Accounts, "0"),
        (FactKey::ScreenLock, "off"),
        (FactKey::WorksWaived, "waived"),
        (FactKey::Battery, "81"),
        (FactKey::ChipId, "9a:77:01:5c:20:e4"),
        (FactKey::Mode, "bootloader"),
    ];
    let stage = "main".to_owned();
    let bench = Bench::of(gimbal(), "Sanderling", Unlock { stage });
    bench.knowing(&pairs, 0).consented()
}

const GULL: [(FactKey, &str); 7] = [
    (FactKey::Ownership, "mine"),
    (FactKey::Lock, "unlocked"),
    (FactKey::CriticalLock, "locked"),
    (FactKey::Battery, "81"),
    (FactKey::ChipId, "9a77015c20e40001"),
    (FactKey::Mode, "bootloader"),
    (FactKey::Merging, "none"),
];

/// Gull, whose owner's data is to be erased.
pub(crate) fn erase() -> Bench {
    let family = shipped("saltern");
    let way = family.wipes[0].id.clone();
    let mut pairs = GULL.to_vec();
    pairs.extend([(FactKey::Accounts, "0"), (FactKey::ScreenLock, "off")]);
    let bench = Bench::of(family, "Gull", Erase { way });
    bench.knowing(&pairs, 0).consented()
}

fn whole_stock(family: &Family, build: &str) -> Vec<Held> {
    let checked = family
        .partitions
        .iter()
        .filter(|spec| spec.role.spec().is_checked);
    checked
        .map(|spec| Held {
            label: spec.label.clone(),
            holds: Holds::Stock {
                build: build.to_owned(),
            },
            proof: Proof::ReadTemporary,
            at: at(6),
            against: Against::Own,
        })
        .collect()
}

/// Gull with the same stock in both slots.
pub(crate) fn set_slot() -> Bench {
    let family = shipped("saltern");
    let mut pairs = GULL.to_vec();
    pairs.extend([(FactKey::RollbackIndex, "3"), (FactKey::Slot, "a")]);
    let held = whole_stock(&family, "TH5.8.3.261104");
    let bench = Bench {
        held,
        ..Bench::of(family, "Gull", SetSlot { slot: Slot::B })
    };
    bench.knowing(&pairs, 9)
}

pub(crate) const LAPWING: &str = "LN3X.7.1.2610";

/// Lapwing, which never unlocks again, all stock and tried.
pub(crate) fn relock() -> Bench {
    let family = shipped("cinder");
    let mut pairs = vec![
        (FactKey::Ownership, "asked"),
        (FactKey::Lock, "unlocked"),
        (FactKey::Accounts, "0"),
        (FactKey::Toggle, "on"),
        (FactKey::RollbackIndex, "3"),
        (FactKey::Build, LAPWING),
        (FactKey::ChipId, "91b0c4d7"),
        (FactKey::Mode, "bootloader"),
        (FactKey::Battery, "81"),
    ];
    let works = FactKey::ALL.iter();
    let works = works.filter(|key| key.spec().group == FactGroup::Works);
    pairs.extend(works.map(|key| (*key, "yes")));
    let stage = "main".to_owned();
    let bench = Bench {
        held: whole_stock(&family, LAPWING),
        happened: vec![
            (Happening::SystemWritten, at(4)),
            (Happening::SystemRan, at(7)),
        ],
        now: at(11),
        ..Bench::of(family, "Lapwing", Relock { stage })
    };
    bench.knowing(&pairs, 9).consented()
}

/// Dunlin, locked, and the package that leads down.
pub(crate) fn install() -> Bench {
    let mut family = shipped("mooring");
    for package in &mut family.packages {
        package.blake3 = Some(Digest::of(PACKAGE));
    }
    let package = "mallet-full-3.1".to_owned();
    let mode = family.package(&package).unwrap().mode;
    let pairs = [
        (FactKey::Ownership, "mine"),
        (FactKey::Lock, "locked"),
        (FactKey::Accounts, "0"),
        (FactKey::Battery, "90"),
        (FactKey::WorksWaived, "waived"),
        (FactKey::Build, "WM1-3.1-2603"),
        (
            FactKey::CardFiles,
            "mallet-full-3.1, mallet-enabler-3.1, mallet-3.1-to-3.2",
        ),
        (FactKey::Mode, mode.id()),
    ];
    let names = ["mallet-full-3.1", "mallet-enabler-3.1", "mallet-3.2-to-3.3"];
    let bench = Bench {
        packages: names.map(|name| (name, PACKAGE)).to_vec(),
        ..Bench::of(
            family,
            "Dunlin",
            Install {
                package,
                image: None,
            },
        )
    };
    let bench = bench.knowing(&pairs, 0);
    Bench {
        // A person's hands do it; nobody looks over a link.
        live: None,
        ..bench.consented()
    }
}

const OPEN_WATCH: [(FactKey, &str); 6] = [
    (FactKey::Ownership, "mine"),
    (FactKey::Lock, "unlocked"),
    (FactKey::Battery, "81"),
    (FactKey::ChipId, "9a:77:01:5c:20:e4"),
    (FactKey::Serial, "FL1-220417-0093"),
    (FactKey::Mode, "bootloader"),
];

/// Ruff, whose recovery is to be started from memory.
pub(crate) fn start() -> Bench {
    let bench = Bench::of(gimbal(), "Ruff", StartImage { image: None });
    bench.knowing(&OPEN_WATCH, 0).shelved()
}

/// The same, and nobody checks what works on it.
fn written_watch() -> Vec<(FactKey, &'static str)> {
    let waived = [(FactKey::WorksWaived, "waived")];
    OPEN_WATCH.into_iter().chain(waived).collect()
}

/// Ruff, kept as the rules want it, and a recovery to be written.
pub(crate) fn write() -> Bench {
    let label = "recovery".parse().unwrap();
    let bench = Bench::of(gimbal(), "Ruff", WriteImage { label, image: None });
    bench.knowing(&written_watch(), 0).shelved().kept()
}

/// What was made of `recovery` as it was captured, with the image inside.
const MADE: &[u8] = b"what lies there, with a recovery inside";

/// A watch whose recovery is taken for one that lies inside another image, just before its one partition is
/// written.
pub(crate) fn put_inside() -> Bench {
    let mut family = gimbal();
    let written = family.recovery_write.take().unwrap();
    let label = written.partition;
    family.recovery_inside = Some(RecoveryInsideSpec {
        mode: written.mode,
        base: label.clone(),
        partitions: vec![label.clone()],
        replaces: Replaces::Ramdisk,
        pace: written.pace,
        hand: "In the recovery.".to_owned(),
    });
    let act = PutInside {
        image: Some(Digest::of(IMAGE)),
        into: Some((label.clone(), Digest::of(MADE))),
    };
    let bench = Bench::of(family, "Ruff", act);
    let mut bench = bench.knowing(&written_watch(), 0).shelved().kept();
    bench.payload = Some(Digest::of(MADE));
    bench.made = Some((label, Digest::of(IMAGE), Digest::of(MADE)));
    bench
}

/// A watch whose recovery installs itself where it runs from memory.
pub(crate) fn install_within() -> Bench {
    let mut family = gimbal();
    family.install_within = Some(InstallWithinSpec {
        mode: Mode::Bootloader,
        partition: "recovery".parse().unwrap(),
        changes: vec!["system".parse().unwrap()],
        pace: family.recovery_write.as_ref().unwrap().pace,
        effort: Effort::default(),
        hand: "Touch Install this recovery.".to_owned(),
    });
    let image = Some(Digest::of(IMAGE));
    let bench = Bench::of(family, "Ruff", InstallWithin { image });
    bench.knowing(&written_watch(), 0).shelved().kept()
}

/// A watch that starts nothing from memory: a recovery is written only to be able to read.
pub(crate) fn write_to_read() -> Bench {
    let mut family = gimbal();
    family.temporary_start = None;
    let label = "recovery".parse().unwrap();
    let bench = Bench::of(family, "Ruff", WriteToRead { label, image: None });
    let mut bench = bench.knowing(&written_watch(), 0).shelved();
    bench.stock = vec![StockAtHand {
        name: "stock.tar".to_owned(),
        digest: Digest::of(b"stock"),
        build: "loop-4.1.7-20261011".to_owned(),
        labels: Some(vec!["recovery".parse().unwrap()]),
        strays: Vec::new(),
        is_inside: false,
    }];
    bench
}

/// What the maker's recovery of the watch's build is, in tests.
pub(crate) const MAKERS: &[u8] = b"the maker's recovery";

/// A watch on which another recovery lies, and the maker's goes back.
pub(crate) fn makers_recovery() -> Bench {
    let mut family = gimbal();
    let label: Label = "recovery".parse().unwrap();
    family.builds = shipped("mooring").builds;
    family.builds.truncate(1);
    for build in &mut family.builds {
        build.images = vec![(label.clone(), Digest::of(MAKERS))];
    }
    let build = family.builds[0].id.clone();
    let act = PutMakersRecovery {
        label: label.clone(),
        image: Some(Digest::of(MAKERS)),
    };
    let bench = Bench::of(family, "Ruff", act);
    let mut bench = bench.knowing(&written_watch(), 0).kept();
    bench.say(FactKey::Build, &build);
    bench.payload = Some(Digest::of(MAKERS));
    bench.makers = Some(MAKERS);
    bench.stock = vec![StockAtHand {
        name: "stock.tar".to_owned(),
        digest: Digest::of(b"stock"),
        build,
        labels: Some(vec![label]),
        strays: Vec::new(),
        is_inside: false,
    }];
    bench
}

/// A watch that is locked and does not start any more, and a set of its maker's. It is taken for one whose
/// bootloader takes such a set.
pub(crate) fn makers_set() -> Bench {
    let mut family = gimbal();
    let label: Label = "system".parse().unwrap();
    family.builds = shipped("mooring").builds;
    family.builds.truncate(1);
    for build in &mut family.builds {
        build.images = vec![(label.clone(), Digest::of(MAKERS))];
    }
    let written = family.recovery_write.as_ref().unwrap();
    family.makers_set = Some(MakersSetSpec {
        mode: written.mode,
        pace: written.pace,
        effort: Effort::default(),
        hand: "With the tool.".to_owned(),
    });
    let build = family.builds[0].id.clone();
    let file = Digest::of(b"a whole set");
    let act = PutMakersSet {
        build: Some(build.clone()),
        image: Some(file),
        shuts: false,
    };
    let bench = Bench::of(family, "Ruff", act);
    let mut bench = bench.knowing(&written_watch(), 0);
    bench.say(FactKey::Lock, "locked");
    bench.payload = Some(file);
    bench.set = Some(SetSeen {
        file,
        images: vec![(label.clone(), Digest::of(MAKERS))],
    });
    bench.stock = vec![StockAtHand {
        name: "stock.tar".to_owned(),
        digest: file,
        build,
        labels: Some(vec![label]),
        strays: Vec::new(),
        is_inside: false,
    }];
    bench.consented()
}

pub(crate) fn part(label: &str) -> OwnPartition {
    let mut all = own().into_iter();
    all.find(|own| own.label.as_str() == label).unwrap()
}

/// Ruff, whose `persist` is to be put back.
pub(crate) fn put_back() -> Bench {
    let taken = capture(1, 10);
    let image = Some(Digest::of(b"persist"));
    let act = PutBack {
        label: "persist".parse().unwrap(),
        capture: taken.id,
        image,
    };
    let mut pairs = OPEN_WATCH;
    pairs[5] = (FactKey::Mode, "temporary-recovery");
    let bench = Bench {
        payload: image,
        wish: Some(Wish {
            own: part("persist"),
            manifest: taken.manifest,
            capture: Some(taken),
            origin: Origin::Read,
            identifiers: [
                ("chip-id", "9a:77:01:5c:20:e4"),
                ("serial", "FL1-220417-0093"),
            ]
            .map(|(key, value)| (key.to_owned(), value.to_owned()))
            .into(),
            verified: Some(("persist", 20)),
            present: Some(Digest::of(b"what lies there")),
            set: Vec::new(),
        }),
        ..Bench::of(gimbal(), "Ruff", act)
    };
    bench.knowing(&pairs, 0)
}

/// Ruff, and the maker's bytes for its `recovery`.
pub(crate) fn put_stock() -> Bench {
    let mut bench = put_back();
    let mut set = capture(9, 10);
    set.origin = Origin::Stock;
    let image = Some(Digest::of(b"recovery"));
    bench.act = PutStock {
        label: "recovery".parse().unwrap(),
        set: set.id,
        image,
    }
    .into();
    bench.payload = image;
    if let Some(wish) = &mut bench.wish {
        wish.own = part("recovery");
        wish.manifest = set.manifest;
        wish.capture = Some(set);
        wish.origin = Origin::Stock;
        wish.identifiers.clear();
        wish.verified = Some(("recovery", 20));
        wish.set = vec![Finding {
            weight: crate::matching::Weight::Hard,
            wanted: None,
            rule: Rule::M2,
            fit: Fit::Fits,
            text: "For FL-1.".to_owned(),
        }];
    }
    bench.kept()
}

/// A watch that is kept, and a tool that has no choice but to erase everything.
pub(crate) fn erase_all() -> Bench {
    let mut family = gimbal();
    family.tool_choices = shipped("thimble").tool_choices;
    family
        .tool_choices
        .retain(|choice| choice.erases == ToolErases::Everything && choice.advice != Advice::Take);
    let choice = family.tool_choices[0].id.clone();
    let bench = Bench::of(family, "Ruff", EraseAll { choice });
    let mut pairs = OPEN_WATCH.to_vec();
    pairs.push((FactKey::ToolChoice, "erase-everything"));
    bench.knowing(&pairs, 0).kept()
}

/// One complete unit for every kind there is.
pub(crate) fn every_kind() -> Vec<Bench> {
    let free = |act: Act| Bench::of(gimbal(), "Ruff", act).knowing(&OPEN_WATCH, 0);
    let at = Sight::Lock(Lock::Locked);
    let way = gimbal().moves[0].id.clone();
    let switch = Which::DebuggingOn;
    vec![
        free(Look { at }.into()),
        free(Go { way }.into()),
        free(SetSwitch { switch }.into()),
        free(ReadTable {}.into()),
        free(Capture {}.into()),
        unlock(),
        relock(),
        erase(),
        set_slot(),
        install(),
        start(),
        write(),
        write_to_read(),
        put_inside(),
        makers_recovery(),
        makers_set(),
        put_back(),
        put_stock(),
        erase_all(),
        install_within(),
    ]
}

pub(crate) fn id(n: u64) -> CaptureId {
    capture(n, 10).id
}
