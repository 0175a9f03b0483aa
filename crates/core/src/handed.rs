//! Dumps that hands took of a unit without a link: which partition each is, by the unit's own table, whether it is
//! one (`B5`), and what is still wanted (`B3`, `B12`). A name proposes, a length decides, and what neither tells is
//! asked; nothing is guessed.

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Serialize};
use veritope_wire::{Digest, Label, WallTime};

use crate::captured::{Agreement, BlankBytes, Rest};
use crate::extent::Extent;
use crate::family::{Family, Role, Wanted};
use crate::partitions::{Described, OwnPartition, describe, lacking, role_of};
use crate::rule::Rule;

/// Which end of a storage area a file has, by the copy of its table that lies in it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum End {
    /// Its beginning.
    Head,
    /// Its end.
    Tail,
    /// All of it.
    Whole,
}

/// A file as it was handed in: what was seen of its bytes, and what is said of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Dump<'a> {
    /// Its number among those that were handed in.
    pub id: u32,
    /// Its name, with the folders or archives that it lay in.
    pub name: &'a str,
    /// Length in bytes.
    pub bytes: u64,
    /// Digest of its bytes, as hashed when it came.
    pub digest: Digest,
    /// When it was written, by the file's own date; nothing where it bears none.
    pub written: Option<WallTime>,
    /// Whether it holds anything.
    pub blank: BlankBytes,
    /// Bytes that a file system at its head declares.
    pub declares: Option<u64>,
    /// The storage area whose end it is, and which end.
    pub end: Option<(&'a str, End)>,
    /// What a list of digests that was handed in with it says against it.
    pub against: Option<&'a str>,
    /// The partition that a person said it is.
    pub said: Option<&'a Label>,
}

/// A storage area by the tables that were handed in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Area {
    /// Its own identifier, by which its two ends find each other.
    pub guid: String,
    /// Its number.
    pub area: u32,
    /// Bytes of a sector.
    pub sector_bytes: u32,
    /// Length in bytes.
    pub length_bytes: u64,
    /// Bytes before the first partition, and from the end of the last one to the area's own end.
    pub ends: (u64, u64),
    /// Its partitions in disk order; none while only one end of it is here.
    pub own: Vec<OwnPartition>,
    /// Why its two ends are no table, where both are here.
    pub trouble: Option<String>,
}

/// What is judged.
#[derive(Debug, Clone, Copy)]
pub struct Input<'a> {
    /// The family.
    pub family: &'a Family,
    /// Files, in the order in which they came.
    pub dumps: &'a [Dump<'a>],
    /// Areas.
    pub areas: &'a [Area],
    /// Whether the unit's system ran while they were taken.
    pub rest: Rest,
    /// Since when the unit has been in the mode in which it is read; nothing where that is not known.
    pub since: Option<WallTime>,
    /// What a person said: whether all of them were taken since then.
    pub taken_now: Option<bool>,
    /// Whether only the tables are wanted.
    pub only_tables: bool,
}

/// What a file is taken for.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "is", rename_all = "kebab-case")]
pub enum Taken {
    /// A dump of this partition, or an end of an area with its table.
    Of {
        /// Its label.
        label: Label,
    },
    /// Something speaks for one of these, and a person has to say.
    Doubtful {
        /// Partitions that it may be.
        may_be: Vec<Label>,
    },
    /// Nothing tells what it is.
    NotKnown,
    /// It is no backup of anything here.
    NoBackup,
    /// It is of a partition that is never kept.
    NotWanted,
    /// The same file came before.
    Again,
}

/// A file with what it is taken for.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct JudgedDump {
    /// Its number.
    pub id: u32,
    /// Its name.
    pub name: String,
    /// Length in bytes.
    pub bytes: u64,
    /// What it is taken for.
    pub taken: Taken,
    /// In one sentence.
    pub text: String,
    /// The rule behind it.
    pub rule: Rule,
}

/// How far something that is wanted is here.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Have {
    /// As it is wanted.
    Enough,
    /// One dump of two.
    OneOfTwo,
    /// Dumps that don't agree.
    Differ,
    /// None.
    None,
}

/// Something that is wanted.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Want {
    /// The partition, or the end of an area.
    pub label: Label,
    /// Role; nothing for an end of an area.
    pub role: Option<Role>,
    /// Area that it lies in.
    pub area: u32,
    /// First byte in the area.
    pub offset_bytes: u64,
    /// Length in bytes; nothing while no table tells.
    pub length_bytes: Option<u64>,
    /// How many dumps are wanted.
    pub times: u32,
    /// How far it is here.
    pub have: Have,
    /// Whether the capture can't do without.
    pub must: bool,
    /// In one sentence.
    pub text: String,
    /// The dumps of it that agree, by number; none where none counts.
    #[serde(skip)]
    pub from: Vec<u32>,
    /// How often it was read, by those.
    #[serde(skip)]
    pub agreement: Agreement,
}

/// All that was handed in, judged.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Handed {
    /// Files, in the order in which they came.
    pub dumps: Vec<JudgedDump>,
    /// What is wanted: tables first, then what exists once, then the rest, each in disk order.
    pub wants: Vec<Want>,
    /// Labels that the family lists and no table here has.
    pub lacking: Vec<Label>,
    /// What is asked once for all of them: whether they were taken since the unit is in its mode.
    pub asks_when: Option<String>,
    /// What stands in the way of taking them in, in one sentence; nothing where they may be.
    pub open: Option<String>,
}

/// Endings that say how bytes are kept, not what they are.
const ENDINGS: &[&str] = &[
    "img", "bin", "raw", "dump", "dd", "zst", "gz", "xz", "lz4", "bz2", "sparse", "simg", "mbn",
    "elf", "part", "ext4", "bak",
];

/// Judges what was handed in.
#[must_use]
pub fn judge(input: &Input<'_>) -> Handed {
    let own: Vec<(u32, &OwnPartition)> = input
        .areas
        .iter()
        .flat_map(|area| area.own.iter().map(|own| (area.area, own)))
        .collect();
    let mut dumps: Vec<JudgedDump> = Vec::new();
    let mut of: BTreeMap<Label, Vec<usize>> = BTreeMap::new();
    for (at, dump) in input.dumps.iter().enumerate() {
        let before = &input.dumps[..at];
        let judged = one(input, dump, before, &own);
        if let Taken::Of { label } = &judged.taken {
            of.entry(label.clone()).or_default().push(at);
        }
        dumps.push(judged);
    }
    two_names(input, &mut dumps, &mut of);
    let wants = wants(input, &of);
    let asks_when = asks_when(input, &of);
    Handed {
        open: open(input, &dumps, &wants, asks_when.is_some()),
        lacking: match own.is_empty() {
            true => Vec::new(),
            false => {
                let all: Vec<OwnPartition> = own.iter().map(|(_, own)| (*own).clone()).collect();
                lacking(input.family, &all)
            }
        },
        dumps,
        wants,
        asks_when,
    }
}

/// What one file is, by name, length and bytes.
fn one(
    input: &Input<'_>,
    dump: &Dump<'_>,
    before: &[Dump<'_>],
    own: &[(u32, &OwnPartition)],
) -> JudgedDump {
    let judged = |taken, rule, text: String| JudgedDump {
        id: dump.id,
        name: dump.name.to_owned(),
        bytes: dump.bytes,
        taken,
        text,
        rule,
    };
    if let Some(against) = dump.against {
        return judged(
            Taken::NoBackup,
            Rule::E6,
            format!("Damaged on its way: {against}."),
        );
    }
    if before.iter().any(|other| is_same_file(dump, other)) {
        let text =
            "The very same file came before: a second dump is one that is read a second time.";
        return judged(Taken::Again, Rule::B12, text.to_owned());
    }
    let named = dump
        .said
        .and_then(|label| own.iter().find(|(_, own)| own.label == *label))
        .or_else(|| named(dump.name, own));
    // What a table lies in is an end of an area, unless it fills the partition that it is named after.
    if let Some((guid, end)) = dump.end
        && named.is_none_or(|(_, own)| own.length_bytes != dump.bytes)
    {
        return end_of(input, dump, guid, end, judged);
    }
    let Some((_, own_named)) = named else {
        return unnamed(input, dump, own, judged);
    };
    let (label, length) = (&own_named.label, own_named.length_bytes);
    if dump.bytes != length {
        let (by, than) = if dump.bytes < length {
            (length - dump.bytes, "shorter")
        } else {
            (dump.bytes - length, "longer")
        };
        let text = format!(
            "It is {by} bytes {than} than {label}, which has {length} by the unit's own table: this is not a dump of it."
        );
        return judged(Taken::NoBackup, Rule::B5, text);
    }
    if let Some(declared) = dump.declares.filter(|declared| *declared > dump.bytes) {
        let text = format!(
            "The file system in it declares {declared} bytes, and there are {}: this is not a backup of {label}.",
            dump.bytes
        );
        return judged(Taken::NoBackup, Rule::B5, text);
    }
    let (role, _) = role_of(input.family, label);
    if role.spec().wanted == Wanted::Never {
        let text =
            format!("{label} is not kept: nothing of it could be put back, or nothing is lost.");
        return judged(Taken::NotWanted, Rule::B3, text);
    }
    let holds = match dump.blank {
        BlankBytes::No => "",
        BlankBytes::Zeros => " It holds nothing: all zero.",
        BlankBytes::Ones => " It holds nothing: all 0xFF.",
    };
    let by = if dump.said.is_some() {
        "by your word"
    } else {
        "by its name"
    };
    let text = format!("{label}, {by} and its length.{holds}");
    let label = label.clone();
    judged(Taken::Of { label }, Rule::B12, text)
}

/// An end of an area: the table that lies in it, whatever the file is called.
fn end_of(
    input: &Input<'_>,
    dump: &Dump<'_>,
    guid: &str,
    end: End,
    judged: impl Fn(Taken, Rule, String) -> JudgedDump,
) -> JudgedDump {
    let Some(area) = input.areas.iter().find(|area| area.guid == guid) else {
        let text = "A table of partitions lies in it, and it can't be read.".to_owned();
        return judged(Taken::NoBackup, Rule::B2, text);
    };
    if let Some(trouble) = &area.trouble {
        let text = format!("Of area {}: {trouble}.", area.area);
        return judged(Taken::NoBackup, Rule::B2, text);
    }
    let (head, tail) = area.ends;
    let (needs, name) = match end {
        End::Head | End::Whole => (head, "primary"),
        End::Tail => (tail, "backup"),
    };
    if dump.bytes < needs {
        let text = format!(
            "It holds the {name} table of area {} and ends {} bytes too soon: {needs} bytes belong to it.",
            area.area,
            needs - dump.bytes
        );
        return judged(Taken::NoBackup, Rule::B5, text);
    }
    match end_label(area.area, name) {
        Some(label) => {
            let text = match end {
                End::Whole => format!("All of area {}, with both tables.", area.area),
                End::Head => format!("The beginning of area {} with its table.", area.area),
                End::Tail => format!("The end of area {} with the copy of its table.", area.area),
            };
            judged(Taken::Of { label }, Rule::B2, text)
        }
        None => judged(
            Taken::NotKnown,
            Rule::B2,
            "Its area has no usable number.".to_owned(),
        ),
    }
}

/// The label of an end of an area, as captures have it.
#[must_use]
pub fn end_label(area: u32, end: &str) -> Option<Label> {
    format!("table-{area}.{end}").parse().ok()
}

/// A file whose name tells no partition: its length may, and then a person says.
fn unnamed(
    input: &Input<'_>,
    dump: &Dump<'_>,
    own: &[(u32, &OwnPartition)],
    judged: impl Fn(Taken, Rule, String) -> JudgedDump,
) -> JudgedDump {
    if own.is_empty() {
        let text = if input.areas.is_empty() {
            "What it is can be told once the unit's own table is here: hand that in first."
        } else {
            "What it is can be told once both copies of the unit's own table are here."
        };
        return judged(Taken::NotKnown, Rule::B2, text.to_owned());
    }
    let by_number = by_number(dump.name, own).filter(|own| own.length_bytes == dump.bytes);
    let same = own.iter().filter(|(_, own)| own.length_bytes == dump.bytes);
    let may_be: Vec<Label> = match by_number {
        Some(own) => vec![own.label.clone()],
        None => same.map(|(_, own)| own.label.clone()).collect(),
    };
    if may_be.is_empty() {
        let text =
            "Neither its name nor its length is that of a partition of this unit.".to_owned();
        return judged(Taken::NotKnown, Rule::B2, text);
    }
    let text = if by_number.is_some() {
        "Its name bears a number, and numbers differ from unit to unit: say which it is.".to_owned()
    } else {
        let many = if may_be.len() == 1 {
            "one partition"
        } else {
            "some"
        };
        format!("Its name is no label of this unit; its length is that of {many}: say which it is.")
    };
    judged(Taken::Doubtful { may_be }, Rule::B2, text)
}

/// Two labels with the very same bytes: one thing was dumped under two names, unless a person knows better.
fn two_names(input: &Input<'_>, dumps: &mut [JudgedDump], of: &mut BTreeMap<Label, Vec<usize>>) {
    let is_unique = |label: &Label| role_of(input.family, label).0 == Role::DeviceUnique;
    let holding: Vec<(Label, usize)> = of
        .iter()
        .filter(|(label, _)| is_unique(label))
        .flat_map(|(label, all)| all.iter().map(|at| (label.clone(), *at)))
        .filter(|(_, at)| input.dumps[*at].blank == BlankBytes::No)
        .collect();
    let mut odd: BTreeSet<usize> = BTreeSet::new();
    for (label, at) in &holding {
        let dump = &input.dumps[*at];
        let is_twin = |(other, there): &&(Label, usize)| {
            other != label && input.dumps[*there].digest == dump.digest
        };
        let Some((other, _)) = holding.iter().find(is_twin) else {
            continue;
        };
        if dump.said.is_some() {
            continue;
        }
        dumps[*at].taken = Taken::Doubtful {
            may_be: vec![label.clone(), other.clone()],
        };
        dumps[*at].text = format!(
            "It is called {label} and holds the very bytes of {other}: one of them was dumped under two names, or both are alike. Say which it is."
        );
        odd.insert(*at);
    }
    for all in of.values_mut() {
        all.retain(|at| !odd.contains(at));
    }
    of.retain(|_, all| !all.is_empty());
}

/// What is wanted, and how far it is here.
fn wants(input: &Input<'_>, of: &BTreeMap<Label, Vec<usize>>) -> Vec<Want> {
    let mut wants = Vec::new();
    let first = [Area {
        guid: String::new(),
        area: 0,
        sector_bytes: 0,
        length_bytes: 0,
        ends: (0, 0),
        own: Vec::new(),
        trouble: None,
    }];
    let areas = if input.areas.is_empty() {
        &first[..]
    } else {
        input.areas
    };
    for area in areas {
        let is_known = area.length_bytes > 0;
        let (head, tail) = area.ends;
        let whole = end_label(area.area, "primary")
            .and_then(|label| of.get(&label))
            .into_iter()
            .flatten()
            .find(|at| matches!(input.dumps[**at].end, Some((_, End::Whole))));
        for (name, offset, length) in [
            ("primary", 0, head),
            ("backup", area.length_bytes.saturating_sub(tail), tail),
        ] {
            let Some(label) = end_label(area.area, name) else {
                continue;
            };
            let here = of.get(&label).and_then(|all| all.first()).or(whole);
            let text = match (here, is_known) {
                (Some(_), _) => format!("The {name} table of area {} is here.", area.area),
                (None, false) if name == "primary" => {
                    "The beginning of the storage with its table: dump its first 2 MiB.".to_owned()
                }
                (None, false) => "The end of the storage with the copy of its table; where it begins is told once the first one is here.".to_owned(),
                (None, true) => format!(
                    "The {name} table of area {}: dump {length} bytes from byte {offset} on.",
                    area.area
                ),
            };
            wants.push(Want {
                label,
                role: None,
                area: area.area,
                offset_bytes: offset,
                length_bytes: is_known.then_some(length),
                times: 1,
                have: if here.is_some() {
                    Have::Enough
                } else {
                    Have::None
                },
                must: true,
                text,
                from: here.iter().map(|at| input.dumps[**at].id).collect(),
                agreement: Agreement::Once,
            });
        }
    }
    if input.only_tables {
        return wants;
    }
    let mut rest: Vec<Want> = Vec::new();
    for area in input.areas {
        let described = describe(input.family, &area.own);
        let taken = described.iter().filter(|one| Extent::Quick.takes(one.role));
        rest.extend(taken.map(|one| want(input, area.area, one, of)));
        // Handed in without being asked for: kept all the same.
        let is_more = |role: Role| Extent::Full.takes(role) && !Extent::Quick.takes(role);
        let others = described.iter().filter(|one| is_more(one.role));
        rest.extend(
            others
                .filter(|one| of.contains_key(&one.own.label))
                .map(|one| want(input, area.area, one, of)),
        );
    }
    rest.sort_by_key(|want| want.role != Some(Role::DeviceUnique));
    wants.extend(rest);
    wants
}

fn want(input: &Input<'_>, area: u32, one: &Described, of: &BTreeMap<Label, Vec<usize>>) -> Want {
    let label = &one.own.label;
    let times = if one.is_read_twice(input.rest) { 2 } else { 1 };
    let dumps = of.get(label).map(Vec::as_slice).unwrap_or_default();
    let mut groups: BTreeMap<Digest, Vec<u32>> = BTreeMap::new();
    for at in dumps {
        let dump = &input.dumps[*at];
        groups.entry(dump.digest).or_default().push(dump.id);
    }
    let largest = groups.values().max_by_key(|ids| ids.len());
    let agree = largest.map_or(0, Vec::len);
    let is_alone = groups.values().filter(|ids| ids.len() == agree).count() == 1;
    let (have, text) = match (dumps.len(), agree) {
        (0, _) => {
            let twice = if times == 2 { ", twice" } else { "" };
            (
                Have::None,
                format!("{label}{twice}: {} bytes.", one.own.length_bytes),
            )
        }
        (_, 2..) if is_alone => (Have::Enough, format!("{label}: two dumps agree.")),
        (1, _) if times == 1 => (Have::Enough, format!("{label} is here.")),
        (1, _) => (
            Have::OneOfTwo,
            format!("{label}: one dump is here. It exists once: read it a second time."),
        ),
        _ => (
            Have::Differ,
            format!(
                "{label}: no two of {} dumps agree; read it once more (a bad cable, or flash that is worn).",
                dumps.len()
            ),
        ),
    };
    Want {
        label: label.clone(),
        role: Some(one.role),
        area,
        offset_bytes: one.own.offset_bytes,
        length_bytes: Some(one.own.length_bytes),
        times,
        // What starts it too: without that no write has a way back (B3, Q1).
        must: Extent::Quick.takes(one.role),
        text,
        from: match have {
            Have::Enough => largest.cloned().unwrap_or_default(),
            Have::OneOfTwo | Have::Differ | Have::None => Vec::new(),
        },
        agreement: match (agree, dumps.len()) {
            (0 | 1, _) => Agreement::Once,
            (2.., 2) => Agreement::Twice,
            (2.., _) if groups.len() == 1 => Agreement::Twice,
            (2.., _) => Agreement::TwoOfThree,
        },
        have,
    }
}

/// What is asked once for all: dumps that were written before the unit went into its mode, or bear no date, may be
/// of another day.
fn asks_when(input: &Input<'_>, of: &BTreeMap<Label, Vec<usize>>) -> Option<String> {
    if input.taken_now.is_some() || of.is_empty() {
        return None;
    }
    let all = of.values().flatten().map(|at| &input.dumps[*at]);
    let Some(since) = input.since else {
        return Some("Since when the unit is in its mode is not known: were all of these read from it as it is now?".to_owned());
    };
    let older = all
        .filter(|dump| dump.written.is_none_or(|at| at < since))
        .count();
    (older > 0).then(|| {
        format!(
            "{older} of these files were written before the unit was in its mode, or bear no date: were they read from it since then?"
        )
    })
}

/// What stands in the way, the first thing first.
fn open(input: &Input<'_>, dumps: &[JudgedDump], wants: &[Want], asks: bool) -> Option<String> {
    if dumps.is_empty() {
        return Some("Nothing was handed in yet.".to_owned());
    }
    if let Some(area) = input.areas.iter().find(|area| area.trouble.is_some()) {
        let trouble = area.trouble.as_deref().unwrap_or_default();
        return Some(format!(
            "The table of area {} can't be relied on: {trouble}.",
            area.area
        ));
    }
    if let Some(want) = wants
        .iter()
        .find(|want| want.must && want.have != Have::Enough)
    {
        return Some(want.text.clone());
    }
    let is_doubtful = |dump: &&JudgedDump| matches!(dump.taken, Taken::Doubtful { .. });
    if !input.only_tables
        && let Some(dump) = dumps.iter().find(is_doubtful)
    {
        return Some(format!("Say what {} is, or take it out.", dump.name));
    }
    if let Some(want) = wants.iter().find(|want| want.have == Have::Differ) {
        return Some(want.text.clone());
    }
    asks.then(|| "Say when they were taken.".to_owned())
}

/// Whether two files are one that came twice: the same bytes, written at the same moment. Where the moment was kept
/// in whole seconds or not at all, under the same name only, since two short partitions are read in one.
fn is_same_file(one: &Dump<'_>, other: &Dump<'_>) -> bool {
    let is_fine = one.written.is_some_and(|at| at.ms() % 1000 != 0);
    (one.digest, one.bytes, one.written) == (other.digest, other.bytes, other.written)
        && (is_fine || one.name == other.name)
}

fn last_of(name: &str) -> &str {
    name.rsplit(['/', '\\']).next().unwrap_or(name)
}

/// The partition that a name says: its stem, or what is left of it without a number before it and a mark of a second
/// dump behind it. A label itself always comes first.
fn named<'o>(
    name: &str,
    own: &'o [(u32, &'o OwnPartition)],
) -> Option<&'o (u32, &'o OwnPartition)> {
    let stem = stem(name);
    let find = |wanted: &str| {
        own.iter()
            .find(|(_, own)| own.label.as_str().eq_ignore_ascii_case(wanted))
    };
    if let Some(found) = find(stem) {
        return Some(found);
    }
    let without_number = stem
        .split_once(['-', '_'])
        .filter(|(number, _)| {
            !number.is_empty() && number.bytes().all(|sign| sign.is_ascii_digit())
        })
        .map(|(_, rest)| rest);
    let candidates = [Some(stem), without_number];
    candidates.into_iter().flatten().find_map(|text| {
        find(text).or_else(|| {
            let places: Vec<usize> = text
                .char_indices()
                .filter(|(_, sign)| matches!(sign, '-' | '_' | '.' | ' ' | '('))
                .map(|(at, _)| at)
                .collect();
            places
                .into_iter()
                .rev()
                .find_map(|at| is_repeat(&text[at..]).then(|| find(&text[..at])).flatten())
        })
    })
}

/// Whether the end of a name only says that it is another dump: `-2`, ` (1)`, `.second`.
fn is_repeat(end: &str) -> bool {
    let words = end.split(|sign: char| !sign.is_ascii_alphanumeric());
    let mut words = words.filter(|word| !word.is_empty()).peekable();
    words.peek().is_some()
        && words.all(|word| {
            let is_number = word.len() <= 2 && word.bytes().all(|sign| sign.is_ascii_digit());
            is_number
                || ["first", "second", "third", "copy", "again", "dump", "read"]
                    .iter()
                    .any(|known| word.eq_ignore_ascii_case(known))
        })
}

/// A name without folders and without endings that say how bytes are kept.
fn stem(name: &str) -> &str {
    let mut stem = last_of(name);
    while let Some((before, ending)) = stem.rsplit_once('.') {
        let is_known = ENDINGS
            .iter()
            .any(|known| ending.eq_ignore_ascii_case(known));
        if !is_known || before.is_empty() {
            break;
        }
        stem = before;
    }
    stem
}

/// The partition whose number a name ends with, where it has no label in it: `sdb7`, `block-0p12`. A letter before the
/// number tells the area.
fn by_number<'o>(name: &str, own: &'o [(u32, &'o OwnPartition)]) -> Option<&'o OwnPartition> {
    let stem = stem(name);
    let before = stem.trim_end_matches(|sign: char| sign.is_ascii_digit());
    let number: u32 = stem[before.len()..].parse().ok()?;
    let letter = before.bytes().last().filter(u8::is_ascii_alphabetic)?;
    let area = if letter.eq_ignore_ascii_case(&b'p') {
        0
    } else {
        u32::from(letter.to_ascii_lowercase() - b'a')
    };
    let mut all = own.iter();
    all.find(|(of, own)| (*of, own.number) == (area, number))
        .map(|(_, own)| *own)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::coverage::testing::own;
    use crate::family::testing::gimbal;

    const GUID: &str = "8a2e6d5e-0000-4000-8000-000000000001";
    /// When the unit went into its mode.
    const SINCE: i64 = 1_700_000_000_000;

    fn areas() -> Vec<Area> {
        let own = own();
        let end = own
            .last()
            .map(|one| one.offset_bytes + one.length_bytes)
            .unwrap();
        vec![Area {
            guid: GUID.to_owned(),
            area: 0,
            sector_bytes: 512,
            length_bytes: end + (1 << 20),
            ends: (1 << 20, 1 << 20),
            own,
            trouble: None,
        }]
    }

    fn dump<'a>(id: u32, name: &'a str, bytes: u64, holds: &str) -> Dump<'a> {
        Dump {
            id,
            name,
            bytes,
            digest: Digest::of(holds.as_bytes()),
            written: Some(WallTime::nearest_ms(SINCE + 60_000 + i64::from(id) * 7 + 1)),
            blank: BlankBytes::No,
            declares: None,
            end: None,
            against: None,
            said: None,
        }
    }

    fn table<'a>(id: u32, name: &'a str, end: End) -> Dump<'a> {
        Dump {
            end: Some((GUID, end)),
            ..dump(id, name, 1 << 20, name)
        }
    }

    fn length(label: &str) -> u64 {
        let all = own();
        let mut all = all.iter();
        all.find(|own| own.label.as_str() == label)
            .unwrap()
            .length_bytes
    }

    fn judged(dumps: &[Dump<'_>]) -> Handed {
        with(dumps, &areas(), |_| {})
    }

    fn with(dumps: &[Dump<'_>], areas: &[Area], change: impl FnOnce(&mut Input<'_>)) -> Handed {
        let family = gimbal();
        let mut input = Input {
            family: &family,
            dumps,
            areas,
            rest: Rest::AtRest,
            since: Some(WallTime::nearest_ms(SINCE)),
            taken_now: None,
            only_tables: false,
        };
        change(&mut input);
        judge(&input)
    }

    fn is(label: &str) -> Taken {
        Taken::Of {
            label: label.parse().unwrap(),
        }
    }

    #[test]
    fn a_name_says_a_partition_however_a_second_dump_is_marked() {
        let bytes = length("persist");
        for name in [
            "persist.img",
            "PERSIST.IMG",
            "second/persist.bin",
            "persist",
            "persist-2.img",
            "persist (1).img",
            "persist.second.img.raw",
            "07-persist.img",
            "07-persist-2.img",
            "persist_copy.dd",
        ] {
            let one = judged(&[dump(1, name, bytes, "a")]);
            assert_eq!(one.dumps[0].taken, is("persist"), "{name}");
        }
        for name in [
            "persistent.img",
            "my persist.img",
            "persist.txt",
            "persist-of-a-friend.img",
        ] {
            let one = judged(&[dump(1, name, bytes, "a")]);
            assert!(
                matches!(one.dumps[0].taken, Taken::Doubtful { .. }),
                "{name}: {:?}",
                one.dumps[0]
            );
        }
    }

    #[test]
    fn a_length_decides_and_says_by_how_much_it_is_another() {
        let bytes = length("persist");
        for (bytes, words) in [
            (bytes - 512, "512 bytes shorter"),
            (bytes + 1, "1 bytes longer"),
        ] {
            let one = &judged(&[dump(1, "persist.img", bytes, "a")]).dumps[0];
            assert_eq!((&one.taken, one.rule), (&Taken::NoBackup, Rule::B5));
            assert!(one.text.contains(words), "{}", one.text);
        }
        let cut = Dump {
            declares: Some(bytes * 2),
            ..dump(1, "persist.img", bytes, "a")
        };
        let one = &judged(&[cut]).dumps[0];
        assert!(one.text.contains("declares"), "{}", one.text);
        assert_eq!(one.taken, Taken::NoBackup);
    }

    #[test]
    fn what_could_not_be_put_back_is_not_kept() {
        let one = &judged(&[dump(1, "userdata.img", length("userdata"), "a")]).dumps[0];
        assert_eq!((&one.taken, one.rule), (&Taken::NotWanted, Rule::B3));
        // The system is kept where it is handed in, and asked of nobody.
        let with = judged(&[dump(1, "system.img", length("system"), "a")]);
        assert_eq!(with.dumps[0].taken, is("system"));
        assert!(!want(&with, "system").must);
        assert!(
            judged(&[])
                .wants
                .iter()
                .all(|want| want.label.as_str() != "system")
        );
    }

    #[test]
    fn what_neither_tells_is_asked_and_an_answer_counts_only_with_the_length() {
        let bytes = length("persist");
        let strange = dump(1, "block 9.img", bytes, "a");
        let Taken::Doubtful { may_be } = &judged(std::slice::from_ref(&strange)).dumps[0].taken
        else {
            panic!("it is asked");
        };
        assert!(may_be.iter().any(|label| label.as_str() == "persist"));
        let said: Label = "persist".parse().unwrap();
        let answered = Dump {
            said: Some(&said),
            ..strange.clone()
        };
        assert_eq!(judged(&[answered]).dumps[0].taken, is("persist"));
        let wrong = Dump {
            said: Some(&said),
            ..dump(1, "block 9.img", bytes + 512, "a")
        };
        assert_eq!(judged(&[wrong]).dumps[0].taken, Taken::NoBackup);
        let none = judged(&[dump(1, "holiday.img", 12_345, "a")]);
        assert_eq!(none.dumps[0].taken, Taken::NotKnown);
        // A number is proposed and asked, since numbers differ from unit to unit.
        let number = own().iter().find(|own| own.label == said).unwrap().number;
        let name = format!("sda{number}.img");
        let by_number = judged(&[dump(1, &name, bytes, "a")]);
        assert_eq!(
            by_number.dumps[0].taken,
            Taken::Doubtful { may_be: vec![said] }
        );
    }

    #[test]
    fn a_second_dump_is_one_that_was_read_a_second_time() {
        let bytes = length("persist");
        let first = dump(1, "persist.img", bytes, "a");
        let again = Dump {
            id: 2,
            ..first.clone()
        };
        let copied = Dump {
            id: 3,
            name: "persist-2.img",
            ..first.clone()
        };
        let second = dump(4, "persist.img", bytes, "a");
        let all = judged(&[first.clone(), again, copied, second]);
        let taken: Vec<_> = all.dumps.iter().map(|dump| &dump.taken).collect();
        assert_eq!(
            taken,
            [&is("persist"), &Taken::Again, &Taken::Again, &is("persist")]
        );
        // Whole seconds, as an archive keeps them: two names are two dumps, one name is one.
        let coarse = Some(WallTime::nearest_ms(SINCE + 90_000));
        let of = |id, name| Dump {
            id,
            name,
            written: coarse,
            ..first.clone()
        };
        let all = judged(&[
            of(1, "a/persist.img"),
            of(2, "b/persist.img"),
            of(3, "a/persist.img"),
        ]);
        let taken: Vec<_> = all.dumps.iter().map(|dump| &dump.taken).collect();
        assert_eq!(taken, [&is("persist"), &is("persist"), &Taken::Again]);
    }

    fn want(handed: &Handed, label: &str) -> Want {
        let mut wants = handed.wants.iter();
        wants
            .find(|want| want.label.as_str() == label)
            .unwrap()
            .clone()
    }

    #[test]
    fn what_exists_once_is_wanted_twice_and_two_of_three_decide() {
        let bytes = length("persist");
        let of = |id, holds| dump(id, "persist.img", bytes, holds);
        let have = |dumps: &[Dump<'_>]| {
            let one = want(&judged(dumps), "persist");
            (one.have, one.agreement, one.from)
        };
        assert_eq!(have(&[]).0, Have::None);
        assert_eq!(
            have(&[of(1, "a")]),
            (Have::OneOfTwo, Agreement::Once, vec![])
        );
        assert_eq!(have(&[of(1, "a"), of(2, "b")]).0, Have::Differ);
        assert_eq!(
            have(&[of(1, "a"), of(2, "a")]),
            (Have::Enough, Agreement::Twice, vec![1, 2])
        );
        assert_eq!(
            have(&[of(1, "a"), of(2, "b"), of(3, "b")]),
            (Have::Enough, Agreement::TwoOfThree, vec![2, 3])
        );
        // Two against two is nothing.
        assert_eq!(
            have(&[of(1, "a"), of(2, "b"), of(3, "b"), of(4, "a")]).0,
            Have::Differ
        );
        // While the system runs what lives is read once, and does not count.
        let described = describe(&gimbal(), &own());
        let mut living = described.iter().filter(|one| {
            one.role == Role::DeviceUnique && one.changes == crate::family::Changes::Living
        });
        let living = living.next().unwrap().own.label.to_string();
        let live = with(&[], &areas(), |input| input.rest = Rest::Live);
        assert_eq!(want(&live, &living).times, 1);
        assert_eq!(want(&judged(&[]), &living).times, 2);
    }

    #[test]
    fn one_thing_under_two_names_is_asked() {
        let unique: Vec<OwnPartition> = describe(&gimbal(), &own())
            .into_iter()
            .filter(|one| one.role == Role::DeviceUnique)
            .map(|one| one.own)
            .collect();
        let (one, other) = unique
            .iter()
            .flat_map(|one| unique.iter().map(move |other| (one, other)))
            .find(|(one, other)| one.label < other.label)
            .unwrap();
        let names = [format!("{}.img", one.label), format!("{}.img", other.label)];
        let pair = [
            dump(1, &names[0], one.length_bytes, "same"),
            dump(2, &names[1], other.length_bytes, "same"),
        ];
        let all = judged(&pair);
        assert!(
            all.dumps
                .iter()
                .all(|dump| matches!(dump.taken, Taken::Doubtful { .. }))
        );
        let blank = pair.map(|dump| Dump {
            blank: BlankBytes::Zeros,
            ..dump
        });
        let all = judged(&blank);
        assert!(
            all.dumps
                .iter()
                .all(|dump| matches!(dump.taken, Taken::Of { .. }))
        );
    }

    /// Everything that a quick capture can't do without, twice where it exists once.
    fn whole() -> Vec<(String, u64)> {
        let mut files = Vec::new();
        for one in describe(&gimbal(), &own()) {
            let times = match one.role {
                Role::DeviceUnique => 2,
                role if Extent::Quick.takes(role) => 1,
                _ => 0,
            };
            for n in 1..=times {
                files.push((format!("{}-{n}.img", one.own.label), one.own.length_bytes));
            }
        }
        files
    }

    #[test]
    fn nothing_is_taken_before_tables_and_what_exists_once_are_here() {
        let files = whole();
        let mut dumps = vec![
            table(1, "head.bin", End::Head),
            table(2, "tail.bin", End::Tail),
        ];
        for ((name, bytes), id) in files.iter().zip(3..) {
            let label = name.split('-').next().unwrap();
            dumps.push(dump(id, name, *bytes, label));
        }
        assert_eq!(judged(&dumps).open, None);
        for left_out in 0..dumps.len() {
            let mut fewer = dumps.clone();
            let gone = fewer.remove(left_out);
            assert!(judged(&fewer).open.is_some(), "without {}", gone.name);
        }
        let mut stranger = dumps.clone();
        stranger.push(dump(90, "block 9.img", files[0].1, "x"));
        assert!(judged(&stranger).open.unwrap().contains("block 9.img"));
        // Only the tables, where only those are wanted.
        let only = with(&dumps[..2], &areas(), |input| input.only_tables = true);
        assert_eq!(only.open, None);
        // A list of digests that says otherwise.
        let mut damaged = dumps.clone();
        damaged[4].against = Some("it has another digest than B3SUMS says");
        let all = judged(&damaged);
        assert_eq!(
            (&all.dumps[4].taken, all.dumps[4].rule),
            (&Taken::NoBackup, Rule::E6)
        );
        assert!(all.open.is_some());
        // Before any table nothing is known but that one is wanted.
        let none = with(&[], &[], |_| {});
        assert!(
            none.wants
                .iter()
                .all(|want| want.role.is_none() && want.must)
        );
        assert!(none.open.is_some());
    }

    #[test]
    fn dumps_of_another_day_are_asked_once_for_all() {
        let mut dumps = vec![
            table(1, "head.bin", End::Head),
            table(2, "tail.bin", End::Tail),
        ];
        let files = whole();
        for ((name, bytes), id) in files.iter().zip(3..) {
            dumps.push(dump(id, name, *bytes, name.split('-').next().unwrap()));
        }
        assert_eq!(judged(&dumps).asks_when, None);
        for written in [None, Some(WallTime::nearest_ms(SINCE - 1))] {
            let mut old = dumps.clone();
            old[3].written = written;
            let all = judged(&old);
            assert!(all.asks_when.unwrap().starts_with("1 of these files"));
            assert!(all.open.is_some());
            for answer in [true, false] {
                let said = with(&old, &areas(), |input| input.taken_now = Some(answer));
                assert_eq!((said.asks_when, said.open), (None, None));
            }
        }
        let unknown = with(&dumps, &areas(), |input| input.since = None);
        assert!(unknown.asks_when.is_some());
    }
}
