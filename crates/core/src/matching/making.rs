//! The right form out of what there is (`M4`): taken out of an archive or a package, two levels deep,
//! expanded, unpacked, wrapped. Never out of a package that needs a base.

use serde::{Deserialize, Serialize};

use super::told::{Form, Piece, Reach, Told};
use super::want::Wanted;
use crate::family::{CompanionMade, Container};

/// One thing that is done to make a form of another; each makes a new file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "make", rename_all = "kebab-case", deny_unknown_fields)]
pub enum Make {
    /// Takes a member out of an archive.
    TakeOut {
        /// Its name there.
        member: String,
    },
    /// Takes a partition out of a whole payload.
    TakePartition {
        /// Its name there.
        partition: String,
    },
    /// Unpacks.
    Unpack,
    /// Expands a sparse image.
    Expand,
    /// Wraps it into a tar.
    Wrap {
        /// The name that it gets there.
        member: String,
        /// What goes with it: partition, name there, what it is made of.
        companions: Vec<WrappedWith>,
    },
}

/// What is wrapped with a recovery.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct WrappedWith {
    /// The partition that it goes to.
    pub partition: String,
    /// Its name in the tar.
    pub member: String,
    /// What it is made of.
    pub made: CompanionMade,
}

/// A way from a file to the right form.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Way {
    /// What is done, in order; each step makes a file of the one before.
    pub steps: Vec<Make>,
    /// In words, without a full stop.
    pub shown: String,
}

/// Levels that are gone into.
const MOST_LEVELS: usize = 3;

/// An image somewhere in a file, and how it is reached.
struct Reached<'a> {
    path: Vec<&'a Reach>,
    told: &'a Told,
    /// Whether it lies in a package that needs a base, or only its beginning was seen.
    is_usable: bool,
}

/// All images that a bootloader starts in `told`, itself first.
fn images<'a>(told: &'a Told, path: &mut Vec<&'a Reach>, usable: bool, all: &mut Vec<Reached<'a>>) {
    if told.form == Form::Start && told.starts.is_some() {
        all.push(Reached {
            path: path.clone(),
            told,
            is_usable: usable,
        });
        return;
    }
    if path.len() >= MOST_LEVELS {
        return;
    }
    let needs_base = matches!(
        told.form,
        Form::Payload {
            is_incremental: true
        }
    );
    for Piece {
        reach,
        is_whole,
        told,
    } in &told.inside
    {
        path.push(reach);
        images(told, path, usable && *is_whole && !needs_base, all);
        path.pop();
    }
}

/// How well an image inside serves: a recovery before anything else, one named like its partition before
/// others.
fn rank(wanted: &Wanted<'_>, one: &Reached<'_>) -> (bool, bool, usize) {
    let starts_recovery = one.told.starts.is_some_and(|starts| starts.recovery);
    let is_named = match one.path.last() {
        Some(Reach::Member(name) | Reach::Partition(name)) => {
            lands_on(name).is_some_and(|label| label == wanted.place.label.as_str())
        }
        _ => false,
    };
    (!starts_recovery, !is_named, one.path.len())
}

fn best<'a>(wanted: &Wanted<'_>, told: &'a Told) -> Option<Reached<'a>> {
    let mut all = Vec::new();
    images(told, &mut Vec::new(), true, &mut all);
    let best = all.iter().map(|one| rank(wanted, one)).min()?;
    let mut those = all.into_iter().filter(|one| rank(wanted, one) == best);
    let first = those.next()?;
    // Two that serve alike: which one is meant, nobody knows.
    those.next().is_none().then_some(first)
}

/// The image that is judged: `told` itself, or what lies in it.
pub(super) fn image<'a>(wanted: &Wanted<'_>, told: &'a Told) -> Option<&'a Told> {
    let best = best(wanted, told)?;
    let is_recovery = best.told.starts.is_some_and(|starts| starts.recovery);
    // Of a set without a recovery nothing is meant.
    (best.path.is_empty() || is_recovery).then_some(best.told)
}

/// The partition on which a tar's member lands: its name without what says how it is packed.
#[must_use]
pub fn lands_on(member: &str) -> Option<&str> {
    let name = member.rsplit('/').next()?;
    let name = [".lz4", ".gz", ".xz"]
        .iter()
        .find_map(|end| name.strip_suffix(end))
        .unwrap_or(name);
    [".img", ".bin", ".mbn", ".elf"]
        .iter()
        .find_map(|end| name.strip_suffix(end))
        .filter(|stem| !stem.is_empty())
}

/// How the right form is made of `told`; none where it has it already, or nothing in it serves.
pub(super) fn ways(wanted: &Wanted<'_>, told: &Told) -> Vec<Way> {
    let Some(best) = best(wanted, told) else {
        return Vec::new();
    };
    let is_recovery = best.told.starts.is_some_and(|starts| starts.recovery);
    let is_in_place = best.path.is_empty();
    if !best.is_usable || !is_recovery {
        return Vec::new();
    }
    if is_whole_already(wanted, told) {
        return Vec::new();
    }
    let mut steps: Vec<Make> = best
        .path
        .iter()
        .map(|reach| match reach {
            Reach::Member(member) => Make::TakeOut {
                member: member.clone(),
            },
            Reach::Partition(partition) => Make::TakePartition {
                partition: partition.clone(),
            },
            Reach::Unpacked => Make::Unpack,
            Reach::Expanded => Make::Expand,
        })
        .collect();
    match wanted.place.container {
        Container::Image if is_in_place => return Vec::new(),
        Container::Image => {}
        Container::Tar { member } => steps.push(Make::Wrap {
            member: member.clone(),
            companions: wanted
                .place
                .companions
                .iter()
                .map(|one| WrappedWith {
                    partition: one.partition.to_string(),
                    member: one.member.clone(),
                    made: one.made,
                })
                .collect(),
        }),
    }
    let shown: Vec<String> = steps.iter().map(Make::shown).collect();
    vec![Way {
        shown: shown.join(", then "),
        steps,
    }]
}

/// Whether `told` is a tar as the route wants it: the recovery under its name, each companion with its
/// switches set, and nothing else.
fn is_whole_already(wanted: &Wanted<'_>, told: &Told) -> bool {
    match wanted.place.container {
        Container::Image => told.form == Form::Start,
        Container::Tar { .. } => {
            told.form == Form::Tar
                && missing(wanted, told).is_empty()
                && surplus(wanted, told).is_empty()
        }
    }
}

fn members(told: &Told) -> impl Iterator<Item = (&str, &Told)> {
    told.inside.iter().filter_map(|piece| match &piece.reach {
        Reach::Member(name) => Some((name.as_str(), &piece.told)),
        _ => None,
    })
}

/// What a tar lacks that the route wants in it, in words.
pub(super) fn missing(wanted: &Wanted<'_>, told: &Told) -> Vec<String> {
    let mut lacking = Vec::new();
    if let Container::Tar { member } = wanted.place.container
        && !members(told).any(|(name, inside)| name == member && inside.form == Form::Start)
    {
        lacking.push(format!("{member}, the recovery"));
    }
    for companion in wanted.place.companions {
        let mut found = members(told).filter(|(name, _)| *name == companion.member);
        match found.next().map(|(_, told)| told.form) {
            Some(Form::Verification { is_off: true }) => {}
            Some(Form::Verification { is_off: false }) => lacking.push(format!(
                "{} with its switches set: the one in it would refuse this recovery",
                companion.member
            )),
            _ => lacking.push(format!("{}, which goes with it", companion.member)),
        }
    }
    lacking
}

/// Partitions on which a tar's members would land and that are none of the route's.
pub(super) fn surplus(wanted: &Wanted<'_>, told: &Told) -> Vec<String> {
    if told.form != Form::Tar {
        return Vec::new();
    }
    let Container::Tar { member } = wanted.place.container else {
        return Vec::new();
    };
    let companions = wanted.place.companions.iter().map(|one| &one.member);
    let meant: Vec<&String> = companions.chain([member]).collect();
    let members = told.members.iter();
    members
        .filter(|name| !meant.contains(name) && !name.ends_with('/'))
        .cloned()
        .collect()
}

impl Make {
    /// In words.
    #[must_use]
    pub fn shown(&self) -> String {
        match self {
            Self::TakeOut { member } => format!("take {member} out"),
            Self::TakePartition { partition } => format!("take the partition {partition} out"),
            Self::Unpack => "unpack it".to_owned(),
            Self::Expand => "expand it".to_owned(),
            Self::Wrap { member, companions } => {
                let with: Vec<String> = companions
                    .iter()
                    .map(|one| match one.made {
                        CompanionMade::OwnSwitched => format!(
                            "{} (stock metadata of this build with its switches set)",
                            one.member
                        ),
                        CompanionMade::Empty => format!("{} (empty metadata)", one.member),
                    })
                    .collect();
                if with.is_empty() {
                    format!("wrap it as {member}")
                } else {
                    format!("wrap it as {member} with {}", with.join(", "))
                }
            }
        }
    }
}
