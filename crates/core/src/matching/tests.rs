use veritope_wire::{Digest, Label};

use super::*;
use crate::facts::testing::facts;
use crate::facts::{FactKey, Facts};
use crate::family::testing::{gimbal, shipped};
use crate::family::{Companion, CompanionMade, Container, Family};
use crate::partitions::OwnPartition;
use crate::published::{Algorithm, SeenFile};

/// A file with all that is judged of it.
struct Case {
    family: Family,
    facts: Facts,
    own: Vec<OwnPartition>,
    told: Told,
    published: Vec<String>,
    days_old: Option<i64>,
    seen_running: Vec<Digest>,
    formats: bool,
}

const BYTES: &[u8] = b"a recovery";

/// A phone whose recovery goes with its companion in a tar.
fn tarred() -> Family {
    let mut family = shipped("kelpie");
    let label = |label: &str| label.parse::<Label>().unwrap();
    let mut spec = shipped("lodestar").recovery_write.unwrap();
    spec.partition = label("recovery");
    spec.container = Container::Tar {
        member: "recovery.img".into(),
    };
    spec.companions = vec![Companion {
        partition: label("vbmeta"),
        member: "vbmeta.img".into(),
        made: CompanionMade::OwnSwitched,
        eats_data: true,
    }];
    family.recovery_write = Some(spec);
    family
}

fn said(about: About, value: &str, by: Speaker) -> Said {
    Said {
        about,
        value: value.to_owned(),
        by,
    }
}

fn own_word(about: About, value: &str) -> Said {
    said(about, value, Speaker::Properties)
}

fn member(name: &str, told: Told) -> Piece {
    Piece {
        reach: Reach::Member(name.to_owned()),
        is_whole: true,
        told,
    }
}

fn holding(form: Form, shown: &str, inside: Vec<Piece>) -> Told {
    let names = inside.iter().filter_map(|piece| match &piece.reach {
        Reach::Member(name) => Some(name.clone()),
        _ => None,
    });
    Told {
        bytes: 1 << 20,
        form,
        shown: shown.to_owned(),
        members: names.collect(),
        inside,
        ..Told::default()
    }
}

fn metadata(is_off: bool) -> Told {
    Told {
        bytes: 4096,
        form: Form::Verification { is_off },
        ..Told::default()
    }
}

impl Case {
    fn watch() -> Self {
        Self::of(
            gimbal(),
            "FL-1",
            Told::of_recovery("gimbal", "3.2.0", 5 << 20),
        )
    }

    fn phone(told: Told) -> Self {
        Self::of(tarred(), "OB-510D", told)
    }

    fn of(family: Family, model: &str, told: Told) -> Self {
        Self {
            family,
            facts: facts(&[
                (FactKey::ModelCode, model),
                (FactKey::Broken, ""),
                (FactKey::Encrypted, "no"),
            ]),
            own: Vec::new(),
            told,
            published: vec![Digest::of(BYTES).to_string()],
            days_old: Some(40),
            seen_running: Vec::new(),
            formats: false,
        }
    }

    fn with(mut self, change: impl FnOnce(&mut Self)) -> Self {
        change(&mut self);
        self
    }

    fn judged(&self) -> Judgement {
        let seen = SeenFile::of(BYTES).and(Algorithm::Md5, "0".repeat(32));
        let checks: Vec<Check> = self
            .published
            .iter()
            .map(|line| PublishedDigest::read(line, "").unwrap())
            .map(|published| Check {
                compared: seen.compare(&published),
                published,
            })
            .collect();
        let mut wanted = Wanted::of(&self.family, &self.facts, &self.own).unwrap();
        wanted.seen_running = &self.seen_running;
        wanted.formats_data = self.formats;
        judge(
            &wanted,
            &File {
                told: &self.told,
                name: "r.img",
                digest: Digest::of(BYTES),
                checks: &checks,
                made_of: None,
                origin: None,
                days_old: self.days_old,
            },
        )
    }

    /// Rules that do not hold, with how.
    fn against(&self) -> Vec<(Rule, Fit)> {
        let judged = self.judged();
        let findings = judged.findings.iter().filter(|one| one.fit != Fit::Fits);
        findings.map(|one| (one.rule, one.fit)).collect()
    }

    fn text(&self, rule: Rule) -> String {
        let judged = self.judged();
        let mut findings = judged.findings.iter();
        findings.find(|one| one.rule == rule).unwrap().text.clone()
    }
}

#[test]
fn one_that_fits_meets_each_criterion_by_something_that_was_read() {
    let judged = Case::watch().judged();
    assert_eq!(judged.verdict, Verdict::Fits);
    let rules: Vec<Rule> = judged.findings.iter().map(|one| one.rule).collect();
    assert_eq!(
        rules,
        [
            Rule::M1,
            Rule::M2,
            Rule::M3,
            Rule::M4,
            Rule::M5,
            Rule::M6,
            Rule::M7,
            Rule::M8,
            Rule::M9,
            Rule::M10
        ]
    );
    assert_eq!(judged.version.as_deref(), Some("3.2.0"));
    assert_eq!(judged.said, "It fits.");
}

/// What a file says of its device, and what comes of it.
#[test]
fn a_device_counts_by_the_files_own_word_and_by_nothing_else() {
    let device = |said: Vec<Said>| {
        let case = Case::of(
            shipped("lodestar"),
            "K2-G",
            Told::of_recovery("x", "1", 5 << 20),
        );
        case.with(|case| {
            case.told.said.retain(|one| one.about != About::Device);
            case.told.said.extend(said);
            case.told.said.push(own_word(About::Model, "K2-G"));
        })
    };
    let own = |value: &str| said(About::Device, value, Speaker::Properties);
    let beside = |value: &str, by| said(About::Device, value, by);
    let cases = [
        (vec![own("lodestar")], Fit::Fits),
        (vec![own("LODESTAR")], Fit::Fits),
        (
            vec![said(
                About::Product,
                "builder_lodestar",
                Speaker::Properties,
            )],
            Fit::Fits,
        ),
        (vec![own("lodestone")], Fit::Stops),
        (vec![own("kelpie")], Fit::Stops),
        // Nothing, or a word that stands where nothing is known.
        (vec![], Fit::Unknown),
        (vec![own("generic")], Fit::Unknown),
        (vec![own("  ")], Fit::Unknown),
        // Claims: whoever wrote the side file, a head that anybody sets.
        (vec![beside("lodestar", Speaker::Side)], Fit::Unknown),
        (vec![beside("lodestar", Speaker::Head)], Fit::Unknown),
        (vec![beside("kelpie", Speaker::Side)], Fit::Stops),
        // Contradictions.
        (vec![own("lodestar"), own("kelpie")], Fit::Doubtful),
        (
            vec![own("lodestar"), beside("kelpie", Speaker::Head)],
            Fit::Doubtful,
        ),
        (
            vec![own("lodestar"), beside("kelpie", Speaker::Side)],
            Fit::Doubtful,
        ),
        // A script lists all that it is for.
        (
            vec![
                beside("kelpie", Speaker::Script),
                beside("lodestar", Speaker::Script),
            ],
            Fit::Fits,
        ),
    ];
    for (said, wanted) in cases {
        let shown = format!("{said:?}");
        let judged = device(said).judged();
        let found = judged.findings.iter().find(|one| one.rule == Rule::M1);
        assert_eq!(found.unwrap().fit, wanted, "{shown}");
    }
    // It is not known, and never *does not*: a reason may stand for it, or the same file seen running.
    let silent = device(vec![]);
    assert_eq!(silent.judged().verdict, Verdict::WithReason);
    let seen = device(vec![]).with(|case| case.seen_running = vec![Digest::of(BYTES)]);
    assert_eq!(seen.judged().verdict, Verdict::Fits);
}

#[test]
fn twins_are_told_apart_letter_by_letter_and_sisters_by_the_files_own_word() {
    let model = |value: &str, by| {
        let told = Told::of_recovery("kelpie", "3.2.0", 5 << 20);
        let case = Case::phone(told);
        case.with(|case| case.told.said.push(said(About::Model, value, by)))
    };
    let fit = |case: &Case| {
        let judged = case.judged();
        judged
            .findings
            .iter()
            .find(|one| one.rule == Rule::M2)
            .unwrap()
            .fit
    };
    assert_eq!(fit(&model("OB-510D", Speaker::Properties)), Fit::Fits);
    let sister = model("OB-510E", Speaker::Properties);
    assert_eq!(fit(&sister), Fit::Fits);
    assert!(
        sister
            .text(Rule::M2)
            .contains("announces OB-510E, a sister")
    );
    let twin = model("OB-510N", Speaker::Properties);
    assert_eq!(fit(&twin), Fit::Stops);
    assert!(
        twin.text(Rule::M2).contains("the last letter, N and D"),
        "{}",
        twin.text(Rule::M2)
    );
    // Not all variants take the same, so a file that names none fits none for sure; nor does a side file.
    assert_eq!(fit(&model("", Speaker::Properties)), Fit::Unknown);
    assert_eq!(fit(&model("OB-510D", Speaker::Side)), Fit::Unknown);
    let unknown = model("OB-510D", Speaker::Properties).with(|case| case.facts = facts(&[]));
    assert_eq!(fit(&unknown), Fit::Unknown);
    assert_eq!(
        criteria::differing("OB-510N", "0B-510D"),
        "they differ in signs 1 (O, 0), 7 (N, D)"
    );
}

#[test]
fn each_other_criterion_stops_alone() {
    let watch = |change: fn(&mut Case)| Case::watch().with(change).against();
    let starts = |case: &mut Case| case.told.starts.unwrap();
    assert_eq!(
        watch(|case| case.told.bytes = (12 << 20) + 1),
        [(Rule::M5, Fit::Stops)]
    );
    assert_eq!(
        watch(|case| case.published = vec![Digest::of(b"other").to_string()]),
        [(Rule::M8, Fit::Stops)]
    );
    assert_eq!(
        watch(|case| case.published.clear()),
        [(Rule::M8, Fit::Unknown)]
    );
    assert_eq!(
        watch(|case| case.days_old = Some(2)),
        [(Rule::M8, Fit::Doubtful)]
    );
    assert_eq!(
        watch(|case| case.told.troubles = vec!["cut short".into()]),
        [(Rule::M4, Fit::Stops)]
    );
    let mut case = Case::watch();
    case.told.starts = Some(Starts {
        recovery: false,
        ..starts(&mut case)
    });
    assert_eq!(case.against(), [(Rule::M3, Fit::Stops)]);
    case.told.starts = Some(Starts {
        released: true,
        recovery: true,
        ..case.told.starts.unwrap()
    });
    assert_eq!(case.against(), [(Rule::M3, Fit::Stops)]);
    // By its own table it is smaller than the family says.
    let small = Case::watch().with(|case| {
        case.own = vec![OwnPartition {
            label: "recovery".parse().unwrap(),
            number: 1,
            offset_bytes: 0,
            length_bytes: 4 << 20,
        }];
    });
    assert_eq!(small.against(), [(Rule::M5, Fit::Stops)]);
    assert!(small.text(Rule::M5).contains("this unit's own table"));
    let too_old = Case::watch().with(|case| case.family.kept.at_least = version("3.10.0"));
    assert_eq!(too_old.against(), [(Rule::M7, Fit::Stops)]);
    let newer = Case::watch().with(|case| case.family.kept.at_least = version("3.1.9"));
    assert_eq!(newer.against(), []);
}

#[test]
fn a_generation_is_read_from_properties_and_a_claimed_month_is_a_finding() {
    let of = |about, value: &str, by| {
        let case = Case::watch().with(|case| {
            case.facts = facts(&[
                (FactKey::ModelCode, "FL-1"),
                (FactKey::Broken, ""),
                (FactKey::Encrypted, "yes"),
                (FactKey::Generation, "4"),
                (FactKey::Patch, "2026-10"),
            ]);
        });
        case.with(|case| case.told.said.push(said(about, value, by)))
    };
    assert_eq!(
        of(About::Generation, "4", Speaker::Properties).against(),
        []
    );
    assert_eq!(
        of(About::Generation, "5.1", Speaker::Properties).against(),
        [(Rule::M6, Fit::Stops)]
    );
    assert_eq!(
        of(About::Generation, "4", Speaker::Head).against(),
        [(Rule::M6, Fit::Unknown)]
    );
    let later = of(About::Patch, "2099-12", Speaker::Head);
    assert_eq!(
        later.against(),
        [(Rule::M6, Fit::Unknown), (Rule::M6, Fit::Doubtful)]
    );
    // None of that keeps it away: it is said.
    assert_eq!(later.judged().verdict, Verdict::Fits);
    assert_eq!(
        later.with(|case| case.formats = true).against(),
        [(Rule::M6, Fit::Doubtful)]
    );
}

#[test]
fn a_weak_digest_tells_damage_and_asks_for_a_reason() {
    let case = Case::watch().with(|case| case.published = vec!["0".repeat(32)]);
    assert_eq!(case.against(), [(Rule::M8, Fit::Doubtful)]);
    assert_eq!(case.judged().verdict, Verdict::WithReason);
    let differs = Case::watch().with(|case| case.published = vec!["1".repeat(32)]);
    assert_eq!(differs.judged().verdict, Verdict::Stops);
    // One that agrees does not outweigh one that differs.
    let both = Case::watch().with(|case| case.published.push("1".repeat(32)));
    assert_eq!(both.judged().verdict, Verdict::Stops);
}

fn recovery() -> Told {
    let mut told = Told::of_recovery("kelpie", "3.2.0", 5 << 20);
    told.said
        .push(said(About::Model, "OB-510D", Speaker::Properties));
    told
}

#[test]
fn a_tar_holds_the_recovery_and_its_companion_and_nothing_else() {
    let tar = |inside: Vec<Piece>| Case::phone(holding(Form::Tar, "tar archive", inside));
    let whole = || {
        vec![
            member("recovery.img", recovery()),
            member("vbmeta.img", metadata(true)),
        ]
    };
    let fits = tar(whole());
    assert_eq!(fits.against(), []);
    assert_eq!(fits.judged().ways, []);
    // Metadata that checks would refuse it.
    let on = tar(vec![
        member("recovery.img", recovery()),
        member("vbmeta.img", metadata(false)),
    ]);
    assert_eq!(on.judged().verdict, Verdict::Makes);
    let alone = tar(vec![member("recovery.img", recovery())]);
    assert_eq!(alone.judged().verdict, Verdict::Makes);
    let mut more = whole();
    more.push(member("efs.img", Told::default()));
    let surplus = tar(more);
    assert!(
        surplus.text(Rule::M4).contains("efs.img onto efs"),
        "{}",
        surplus.text(Rule::M4)
    );
    // The recovery can be taken out and wrapped alone.
    assert_eq!(surplus.judged().verdict, Verdict::Makes);
    let way = &surplus.judged().ways[0];
    assert_eq!(
        way.shown,
        "take recovery.img out, then wrap it as recovery.img with vbmeta.img (stock metadata of this build with its switches set)"
    );
}

#[test]
fn what_can_be_made_into_the_right_form_is_offered_up_to_two_levels_deep() {
    let raw = Case::phone(recovery()).judged();
    assert_eq!(raw.verdict, Verdict::Makes);
    assert_eq!(raw.ways[0].steps.len(), 1);
    let sparse = Told {
        inside: vec![Piece {
            reach: Reach::Expanded,
            is_whole: true,
            told: Told::of_recovery("gimbal", "3.2.0", 5 << 20),
        }],
        form: Form::Sparse,
        shown: "sparse image".into(),
        ..Told::default()
    };
    let zip = holding(
        Form::Archive,
        "zip archive",
        vec![member("recovery.img", sparse)],
    );
    let case = Case::watch().with(|case| case.told = zip);
    assert_eq!(
        case.judged().ways[0].steps,
        [
            Make::TakeOut {
                member: "recovery.img".into()
            },
            Make::Expand
        ]
    );
    assert_eq!(case.judged().verdict, Verdict::Makes);
    // Of two that serve alike nobody knows which is meant.
    let two = |name: &str| member(name, Told::of_recovery("gimbal", "3.2.0", 5 << 20));
    let zip = holding(
        Form::Archive,
        "zip archive",
        vec![two("a.img"), two("b.img")],
    );
    assert_eq!(
        Case::watch().with(|case| case.told = zip).judged().verdict,
        Verdict::Stops
    );
    let zip = holding(
        Form::Archive,
        "zip archive",
        vec![two("a.img"), two("recovery.img")],
    );
    assert_eq!(
        Case::watch().with(|case| case.told = zip).judged().verdict,
        Verdict::Makes
    );
    // Never out of what needs a base, nor of what was seen in part.
    let package = |is_incremental| {
        let mut part = two("recovery");
        part.reach = Reach::Partition("recovery".into());
        let told = holding(Form::Payload { is_incremental }, "payload", vec![part]);
        Case::watch().with(|case| case.told = told).judged().verdict
    };
    assert_eq!(package(false), Verdict::Makes);
    assert_eq!(package(true), Verdict::Stops);
    let mut part = two("recovery.img");
    part.is_whole = false;
    let zip = holding(Form::Archive, "zip archive", vec![part]);
    assert_eq!(
        Case::watch().with(|case| case.told = zip).judged().verdict,
        Verdict::Stops
    );
}

#[test]
fn the_best_stands_first_and_versions_count_part_by_part() {
    let named = |name: &str, version: &str, change: fn(&mut Case)| {
        let told = Told::of_recovery("gimbal", version, 5 << 20);
        let case = Case::watch().with(|case| case.told = told).with(change);
        (case.judged().order(name), name.to_owned())
    };
    let mut files = [
        named("scrambled", "3.11.0", |case| {
            let known = [
                (FactKey::ModelCode, "FL-1"),
                (FactKey::Broken, ""),
                (FactKey::Encrypted, "yes"),
                (FactKey::Generation, "4"),
            ];
            case.facts = facts(&known);
            let of = said(About::Generation, "5.1", Speaker::Properties);
            case.told.said.push(of);
        }),
        named("old", "3.9.0", |_| {}),
        named("new", "3.10.0", |_| {}),
        named("twin", "4.0.0", |case| {
            case.told.said[0].value = "kelpie".into()
        }),
        named("unsigned", "4.0.0", |case| case.published.clear()),
    ];
    files.sort_by(|one, other| one.0.cmp(&other.0));
    let names: Vec<&str> = files.iter().map(|(_, name)| name.as_str()).collect();
    assert_eq!(names, ["new", "old", "scrambled", "unsigned", "twin"]);
}
