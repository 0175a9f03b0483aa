//! Builds and packages (`U5`, `W1`): the cheapest way to a build that can be unlocked, and back.
//!
//! Nodes are builds with what a package may leave behind (partitions exact or not, the enabler in
//! effect, the lock, the fused rollback index); edges are packages and the unlock itself. So the
//! whole chain there and back is one shortest path, cheapest by what is missing, then wipes, then
//! minutes.

use std::cmp::Reverse;
use std::collections::{BTreeSet, BinaryHeap, HashMap};

use serde::Serialize;

use crate::facts::{FactKey, FactValue, Facts, Reading};
use crate::family::{Family, Leaves, Lies, PackageKind, PackageSpec, Unlockable};
use crate::fuse;
use crate::goal::Goal;
use crate::mode::Lock;

/// Minutes that the unlock within a chain takes, its first start included.
const UNLOCK_MINUTES: u32 = 5;

/// One leg of a chain.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "leg", rename_all = "kebab-case")]
pub enum Leg {
    /// A package is installed.
    Package {
        /// Index into the family's packages.
        index: usize,
        /// Its name.
        name: String,
        /// The build after it.
        build: String,
        /// What it takes.
        minutes: u32,
        /// Whether it loses the owner's data.
        wipes: bool,
        /// Whether it is at hand.
        here: bool,
        /// Builds that its first start shuts out (`W1`).
        closes: Vec<String>,
    },
    /// The lock is opened.
    Unlock {
        /// The build on which.
        build: String,
    },
}

/// A chain to an unlocked unit on the wanted build.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Chain {
    /// Its legs in order; the unlock is one of them.
    pub legs: Vec<Leg>,
    /// Wipes of the owner's data.
    pub wipes: u32,
    /// Minutes.
    pub minutes: u32,
    /// Packages that are not at hand, by name.
    pub missing: Vec<String>,
    /// Builds that can be reached when it is done.
    pub reachable: Vec<String>,
    /// The build on which it ends.
    pub end: String,
    /// Whether its partitions are then exactly that build's.
    pub exact: bool,
    /// Nodes that the search opened.
    pub expanded: u32,
}

/// Where a way from build to build ends.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct End {
    /// The build.
    pub build: String,
    /// Whether its partitions are then exactly that build's.
    pub exact: bool,
    /// Where it is not the end that was wanted: that it ends here, and what stands in that one's way; a
    /// sentence.
    pub instead: Option<String>,
}

impl Gate {
    /// The chain that ends there; the wanted one where no end is chosen, or none leads to it any more.
    #[must_use]
    pub fn chain(self, end: Option<&End>) -> Option<Chain> {
        let Self::Chains(chains) = self else {
            return None;
        };
        let is_end = |chain: &&Chain| end.is_some_and(|end| chain.ends_at(end));
        let chosen = chains.iter().find(is_end).or(chains.first());
        chosen.cloned()
    }
}

impl Chain {
    /// Whether it ends there.
    #[must_use]
    pub fn ends_at(&self, end: &End) -> bool {
        (&self.end, self.exact) == (&end.build, end.exact)
    }

    /// The same with the unlock first: what takes its packages is there only after it.
    fn behind_the_unlock(mut self, facts: &Facts) -> Self {
        let build = facts.text(FactKey::Build).unwrap_or_default().to_owned();
        self.legs.insert(0, Leg::Unlock { build });
        self.minutes += UNLOCK_MINUTES;
        self
    }

    /// Its packages in order, by name, and how many of them come before the unlock, where there is one.
    #[must_use]
    pub fn names(&self) -> (Vec<&str>, Option<usize>) {
        let is_unlock = |leg: &Leg| matches!(leg, Leg::Unlock { .. });
        let before = self.legs.iter().position(is_unlock);
        let names = self.legs.iter().filter_map(|leg| match leg {
            Leg::Package { name, .. } => Some(name.as_str()),
            Leg::Unlock { .. } => None,
        });
        (names.collect(), before)
    }
}

/// Why there is no chain.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NoChain {
    /// There would be, were it not for the fused index: nothing changes that.
    Fused,
    /// No package is known that leads there.
    NoPackage,
}

/// How the present build stands to unlocking (`U5`).
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Gate {
    /// The family's builds don't matter, or this one can be unlocked as it is.
    Open,
    /// The build is not known.
    NotKnown,
    /// The build is none that the family lists.
    NotListed,
    /// What is fused is not known, and a way to another build hangs on it (`W1`).
    NotKnownFuse,
    /// Through a chain: the cheapest to each end, the wanted end first, then by what is missing, wipes and
    /// minutes. There is at least one.
    Chains(Vec<Chain>),
    /// Not at all.
    Shut(NoChain),
}

/// Most ends to which chains are told.
const MOST_ENDS: usize = 8;

/// Judges the present build. The chain that is wanted leads back to the build `back_to`, on which a run that
/// is under way began, or to the present one; the others end elsewhere, and are for where it can't be
/// finished.
#[must_use]
pub fn gate(family: &Family, facts: &Facts, back_to: Option<&str>) -> Gate {
    if family
        .builds
        .iter()
        .all(|build| build.unlockable == Unlockable::Yes)
    {
        return Gate::Open;
    }
    let Some(build) = facts.text(FactKey::Build) else {
        return Gate::NotKnown;
    };
    let Some((at, spec)) = family.build(build) else {
        return Gate::NotListed;
    };
    if spec.unlockable == Unlockable::Yes {
        return Gate::Open;
    }
    // What starts now is not below the fuse, and starting it may have fused as much.
    let fused = match fuse::fused(family, facts).floor() {
        Some(floor) => floor.max(spec.rollback),
        None => return Gate::NotKnownFuse,
    };
    let (exact, enabled) = left_behind(family, facts, at);
    let begin = Begin {
        build: at,
        fused,
        exact,
        enabled,
        lock: Lock::Locked,
    };
    let wanted = back_to
        .and_then(|build| family.build(build))
        .map_or(at, |(wanted, _)| wanted);
    match chains(family, begin, wanted, &at_hand(family, facts)) {
        Ok(mut chains) => {
            // Where it can't come back to where it began, the present build is the next best.
            let is = |at: usize, chain: &Chain| chain.exact && chain.end == family.builds[at].id;
            chains.sort_by_key(|chain| (!is(wanted, chain), !is(at, chain)));
            Gate::Chains(chains)
        }
        Err(why) => Gate::Shut(why),
    }
}

/// The chains that lead an unlocked unit on to the build that its run began on, that one first; none where it
/// stands there, or where nothing leads there. What the unlock took on the way is put right by them.
fn onward(family: &Family, facts: &Facts, back_to: &str) -> Vec<Chain> {
    let (Some(build), Some((wanted, _))) = (facts.text(FactKey::Build), family.build(back_to))
    else {
        return Vec::new();
    };
    let Some((at, spec)) = family.build(build) else {
        return Vec::new();
    };
    let Some(floor) = fuse::fused(family, facts).floor() else {
        return Vec::new();
    };
    let (exact, enabled) = left_behind(family, facts, at);
    let begin = Begin {
        build: at,
        fused: floor.max(spec.rollback),
        exact,
        enabled,
        lock: Lock::Unlocked,
    };
    let mut chains = search(family, begin, wanted, &at_hand(family, facts));
    let is_wanted = |chain: &Chain| chain.exact && chain.end == back_to;
    let is_here = |chain: &Chain| chain.legs.is_empty();
    chains.retain(|chain| is_wanted(chain) || is_here(chain));
    chains.sort_by_key(|chain| !is_wanted(chain));
    chains
}

/// The ways from build to build by which a unit whose lock is so goes to `goal`, the wanted one first; none where it
/// goes to it as it stands. A run that is under way began on the build `back_to`.
#[must_use]
pub fn toward(
    family: &Family,
    facts: &Facts,
    goal: Goal,
    lock: Option<Lock>,
    back_to: Option<&str>,
) -> Vec<Chain> {
    match (goal, lock, back_to) {
        (Goal::Rescue, ..) | (Goal::Renew, Some(Lock::Unlocked), _) => over_anything(family, facts),
        (Goal::Renew, ..) => over_anything(family, facts)
            .into_iter()
            .map(|chain| chain.behind_the_unlock(facts))
            .collect(),
        (Goal::Unlock | Goal::KeepRecovery, Some(Lock::Unlocked), Some(back_to)) => {
            onward(family, facts, back_to)
        }
        (_, Some(Lock::Unlocked), _) => Vec::new(),
        (Goal::Unlock | Goal::KeepRecovery, ..) => match gate(family, facts, back_to) {
            Gate::Chains(chains) => chains,
            _ => Vec::new(),
        },
        _ => Vec::new(),
    }
}

/// Whole packages that go over whatever lies on it (`G2`), one chain to each, none below what is fused: at hand
/// first, then the newest.
fn over_anything(family: &Family, facts: &Facts) -> Vec<Chain> {
    let here = at_hand(family, facts);
    let floor = fuse::fused(family, facts).floor();
    let target = |package: &PackageSpec| family.builds.get(package.to);
    let mut whole: Vec<(usize, &PackageSpec)> = family
        .packages
        .iter()
        .enumerate()
        .filter(|(_, package)| package.from.is_none())
        .filter(|(_, package)| target(package).is_some_and(|build| Some(build.rollback) >= floor))
        .collect();
    let had = match facts.get(FactKey::Build) {
        Reading::Known(row) | Reading::Stale(row) => family.build(&row.value.exact()),
        Reading::Contradicted(_) | Reading::Unknown => None,
    };
    let had = had.map(|(at, _)| at);
    // What closes a door is no rescue where another one keeps it open.
    whole.sort_by_key(|(_, package)| {
        let index = target(package).map_or(0, |build| build.rollback);
        (
            Some(package.to) != had,
            !here.contains(&package.name),
            index,
            Reverse(package.to),
        )
    });
    let chain = |(index, package): (usize, &PackageSpec)| {
        let build = target(package)
            .map(|build| build.id.clone())
            .unwrap_or_default();
        let is_here = here.contains(&package.name);
        let fused = floor.unwrap_or(0);
        let after = target(package).map_or(fused, |build| build.rollback.max(fused));
        Chain {
            legs: vec![Leg::Package {
                index,
                name: package.name.clone(),
                build: build.clone(),
                minutes: package.minutes,
                wipes: package.wipes,
                here: is_here,
                closes: shut_out(family, fused, after),
            }],
            wipes: u32::from(package.wipes),
            minutes: package.minutes,
            missing: (!is_here)
                .then(|| package.name.clone())
                .into_iter()
                .collect(),
            end: build,
            exact: package.leaves == Leaves::Exact,
            ..Chain::default()
        }
    };
    whole.into_iter().map(chain).collect()
}

/// What the package that was installed last left behind: whether the partitions are exactly the
/// build's, and whether the enabler is in.
fn left_behind(family: &Family, facts: &Facts, build: usize) -> (bool, bool) {
    let last = facts
        .text(FactKey::LastPackage)
        .and_then(|name| family.packages.iter().find(|one| one.name == name))
        .filter(|package| package.to == build);
    last.map_or((true, false), |package| {
        let is_enabler = package.kind == PackageKind::Enabler;
        (package.leaves == Leaves::Exact && !is_enabler, is_enabler)
    })
}

/// Names of packages that are known to lie where they must, or are sent from this computer, whose shelf their own
/// list asks for.
fn at_hand(family: &Family, facts: &Facts) -> BTreeSet<String> {
    let card = match facts.known(FactKey::CardFiles).map(|row| &row.value) {
        Some(FactValue::Names(names)) => names.as_slice(),
        _ => &[],
    };
    let is_there = |package: &&PackageSpec| match package.lies {
        Lies::Card => card.contains(&package.name),
        Lies::Computer => true,
        Lies::Storage => false,
    };
    let there = family.packages.iter().filter(is_there);
    there.map(|package| package.name.clone()).collect()
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
struct Node {
    build: usize,
    exact: bool,
    enabled: bool,
    unlocked: bool,
    fused: u32,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord)]
struct Cost {
    missing: u32,
    wipes: u32,
    minutes: u32,
}

/// An edge: a package by its index, or the unlock.
type Edge = Option<usize>;

/// The cheapest way to each node: its cost, and where it came from by what.
type Best = HashMap<Node, (Cost, Option<(Node, Edge)>)>;

/// The cheapest chain from `start` (with `fused` burnt in) to an unlocked, untouched `wanted`;
/// packages named in `here` are at hand, the others would first have to be found.
///
/// # Errors
/// Why there is none.
pub fn cheapest(
    family: &Family,
    start: usize,
    fused: u32,
    wanted: usize,
    here: &BTreeSet<String>,
) -> Result<Chain, NoChain> {
    let begin = Begin {
        build: start,
        fused,
        exact: true,
        enabled: false,
        lock: Lock::Locked,
    };
    let is_wanted = |chain: &Chain| chain.exact && chain.end == family.builds[wanted].id;
    let chains = chains(family, begin, wanted, here)?;
    chains.into_iter().find(is_wanted).ok_or(NoChain::NoPackage)
}

/// Where a chain begins.
#[derive(Debug, Clone, Copy)]
struct Begin {
    build: usize,
    fused: u32,
    exact: bool,
    enabled: bool,
    lock: Lock,
}

/// The cheapest chain to each end, cheapest first; that to `wanted` is among them where there is one.
fn chains(
    family: &Family,
    begin: Begin,
    wanted: usize,
    here: &BTreeSet<String>,
) -> Result<Vec<Chain>, NoChain> {
    let unfused = Begin { fused: 0, ..begin };
    let found = search(family, begin, wanted, here);
    if !found.is_empty() {
        return Ok(found);
    }
    Err(match search(family, unfused, wanted, here).is_empty() {
        true => NoChain::NoPackage,
        false => NoChain::Fused,
    })
}

fn search(family: &Family, begin: Begin, wanted: usize, here: &BTreeSet<String>) -> Vec<Chain> {
    let mut by_base: Vec<Vec<usize>> = vec![Vec::new(); family.builds.len()];
    let mut full = Vec::new();
    for (index, package) in family.packages.iter().enumerate() {
        match (package.kind, package.from) {
            (PackageKind::Full, None) => full.push(index),
            (_, Some(from)) => {
                if let Some(all) = by_base.get_mut(from) {
                    all.push(index);
                }
            }
            (_, None) => {}
        }
    }
    let first = Node {
        build: begin.build,
        exact: begin.exact,
        enabled: begin.enabled,
        unlocked: begin.lock == Lock::Unlocked,
        fused: begin.fused,
    };
    // Looked up by key only; its order never shows.
    let mut best = Best::new();
    let mut open = BinaryHeap::new();
    // Whole packages install over anything: what the first node under an index reaches by them, no
    // later and dearer node reaches cheaper.
    let mut spread: Vec<(bool, u32)> = Vec::new();
    best.insert(first, (Cost::default(), None));
    open.push(Reverse((Cost::default(), first)));
    let mut expanded = 0;
    let mut ends: Vec<((usize, bool), Node)> = Vec::new();
    let mut is_found = false;
    while let Some(Reverse((paid, node))) = open.pop() {
        if best.get(&node).is_some_and(|(known, _)| *known < paid) {
            continue;
        }
        let end = (node.build, node.exact);
        if node.unlocked && !ends.iter().any(|(known, _)| *known == end) {
            // The wanted end is told whatever it costs.
            let is_wanted = end == (wanted, true);
            is_found |= is_wanted;
            if is_wanted || ends.len() < MOST_ENDS {
                ends.push((end, node));
            }
            if is_found && ends.len() >= MOST_ENDS {
                break;
            }
        }
        expanded += 1;
        let mut reach = |next: Node, edge: Edge, cost: Cost| {
            let total = Cost {
                missing: paid.missing + cost.missing,
                wipes: paid.wipes + cost.wipes,
                minutes: paid.minutes + cost.minutes,
            };
            if best.get(&next).is_none_or(|(known, _)| total < *known) {
                best.insert(next, (total, Some((node, edge))));
                open.push(Reverse((total, next)));
            }
        };
        let opens = match family.builds[node.build].unlockable {
            Unlockable::Yes => true,
            Unlockable::Enabler => node.enabled,
            Unlockable::No => false,
        };
        if opens && !node.unlocked {
            let next = Node {
                unlocked: true,
                ..node
            };
            let cost = Cost {
                missing: 0,
                wipes: 1,
                minutes: UNLOCK_MINUTES,
            };
            reach(next, None, cost);
        }
        let is_spread = spread
            .iter()
            .any(|(unlocked, under)| *unlocked == node.unlocked && *under <= node.fused);
        if !is_spread {
            spread.push((node.unlocked, node.fused));
        }
        let wide: &[usize] = if is_spread { &[] } else { &full };
        for &index in by_base[node.build].iter().chain(wide) {
            let package = &family.packages[index];
            let target = &family.builds[package.to];
            let fits = package.kind != PackageKind::Incremental || node.exact;
            if !fits || target.rollback < node.fused {
                continue;
            }
            let next = Node {
                build: package.to,
                exact: package.leaves == Leaves::Exact && package.kind != PackageKind::Enabler,
                enabled: package.kind == PackageKind::Enabler,
                unlocked: node.unlocked,
                fused: node.fused.max(target.rollback),
            };
            let cost = Cost {
                missing: u32::from(!here.contains(&package.name)),
                wipes: u32::from(package.wipes),
                minutes: package.minutes,
            };
            reach(next, Some(index), cost);
        }
    }
    let ends = ends.into_iter();
    ends.map(|(_, node)| chain(family, &best, node, here, expanded))
        .collect()
}

/// Builds that fusing `after` shuts out, where `before` was fused.
fn shut_out(family: &Family, before: u32, after: u32) -> Vec<String> {
    if before == after {
        return Vec::new();
    }
    let shut = |build: &&crate::family::BuildSpec| (before..after).contains(&build.rollback);
    let builds = family.builds.iter().filter(shut);
    builds.map(|build| build.id.clone()).collect()
}

fn chain(family: &Family, best: &Best, end: Node, here: &BTreeSet<String>, expanded: u32) -> Chain {
    let mut chain = Chain {
        expanded,
        end: family.builds[end.build].id.clone(),
        exact: end.exact,
        ..Chain::default()
    };
    let mut node = end;
    let mut told = BTreeSet::new();
    while let Some((_, Some((before, edge)))) = best.get(&node) {
        chain.legs.push(match edge {
            None => Leg::Unlock {
                build: family.builds[node.build].id.clone(),
            },
            Some(index) => {
                let package = &family.packages[*index];
                let is_here = here.contains(&package.name);
                if !is_here && told.insert(*index) {
                    chain.missing.push(package.name.clone());
                }
                Leg::Package {
                    index: *index,
                    name: package.name.clone(),
                    build: family.builds[package.to].id.clone(),
                    minutes: package.minutes,
                    wipes: package.wipes,
                    here: is_here,
                    closes: shut_out(family, before.fused, node.fused),
                }
            }
        });
        node = *before;
    }
    chain.legs.reverse();
    chain.missing.reverse();
    if let Some((cost, _)) = best.get(&end) {
        (chain.wipes, chain.minutes) = (cost.wipes, cost.minutes);
    }
    chain.reachable = family
        .builds
        .iter()
        .filter(|build| build.rollback >= end.fused)
        .map(|build| build.id.clone())
        .collect();
    chain
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::facts::Month;
    use crate::facts::testing::facts;
    use crate::family::testing::shipped;
    use crate::family::{BuildSpec, PackageSpec, Stock};
    use crate::mode::Mode;

    fn names(chain: &Chain) -> Vec<&str> {
        chain
            .legs
            .iter()
            .map(|leg| match leg {
                Leg::Package { name, .. } => name.as_str(),
                Leg::Unlock { .. } => "unlock",
            })
            .collect()
    }

    fn chains(files: &str, build: &str, back_to: Option<&str>) -> Vec<Chain> {
        let known = [(FactKey::Build, build), (FactKey::CardFiles, files)];
        match gate(&shipped("mooring"), &facts(&known), back_to) {
            Gate::Chains(chains) => chains,
            other => panic!("{other:?}"),
        }
    }

    const ALL: &str = "mallet-full-3.1,mallet-3.1-to-3.2,mallet-3.2-to-3.3,mallet-3.3-to-3.4";

    /// Written down nowhere: down, enabler, unlock, the whole package once more since the enabler
    /// leaves partitions inexact, then the incrementals one by one.
    #[test]
    fn the_whole_chain_there_and_back_is_found() {
        let chain = &chains(ALL, "WM1-3.4-2610", None)[0];
        assert_eq!(
            names(chain),
            [
                "mallet-full-3.1",
                "mallet-enabler-3.1",
                "unlock",
                "mallet-full-3.1",
                "mallet-3.1-to-3.2",
                "mallet-3.2-to-3.3",
                "mallet-3.3-to-3.4"
            ]
        );
        assert_eq!(
            chain.missing,
            ["mallet-enabler-3.1"],
            "named, to be fetched"
        );
        assert_eq!((chain.wipes, chain.minutes), (3, 9 + 2 + 5 + 9 + 6 + 5 + 5));
        assert!(chain.reachable.contains(&"WM1-4.0-2612".to_owned()));
        let (legs, before) = chain.names();
        assert_eq!((legs.len(), before), (6, Some(2)));
        assert_eq!(legs[0], legs[2], "down and back by the same package");
    }

    /// The wanted end first, the others by what is missing, wipes and minutes; one chain to each.
    #[test]
    fn chains_lead_to_each_end() {
        let all = chains(&format!("{ALL},mallet-enabler-3.1"), "WM1-3.4-2610", None);
        let ends: Vec<_> = all
            .iter()
            .map(|one| (one.end.as_str(), one.exact, one.wipes, one.minutes))
            .collect();
        assert_eq!(
            ends,
            [
                ("WM1-3.4-2610", true, 3, 41),
                ("WM1-3.1-2603", false, 2, 16),
                ("WM1-3.1-2603", true, 3, 25),
                ("WM1-3.2-2606", true, 3, 31),
                ("WM1-3.3-2608", true, 3, 36),
                ("WM1-4.0-2612", true, 2, 26),
            ]
        );
        assert_eq!(
            names(&all[1]),
            ["mallet-full-3.1", "mallet-enabler-3.1", "unlock"]
        );
        assert_eq!(all[1].names().1, Some(2));
        let chosen = End {
            build: "WM1-3.2-2606".to_owned(),
            exact: true,
            instead: None,
        };
        let gate = || Gate::Chains(all.clone());
        assert_eq!(gate().chain(Some(&chosen)).as_ref(), Some(&all[3]));
        assert_eq!(gate().chain(None).as_ref(), Some(&all[0]));
    }

    #[test]
    fn planned_anew_on_the_way_it_still_leads_back_to_where_it_began() {
        let family = shipped("mooring");
        let known = [
            (FactKey::Build, "WM1-3.1-2603"),
            (FactKey::LastPackage, "mallet-enabler-3.1"),
            (FactKey::CardFiles, ALL),
        ];
        let gate = gate(&family, &facts(&known), Some("WM1-3.3-2608"));
        assert_eq!(
            names(&gate.chain(None).unwrap()),
            [
                "unlock",
                "mallet-full-3.1",
                "mallet-3.1-to-3.2",
                "mallet-3.2-to-3.3"
            ]
        );
    }

    #[test]
    fn the_next_generation_closes_the_door_for_good() {
        let known = [(FactKey::Build, "WM1-4.0-2612")];
        assert_eq!(
            gate(&shipped("mooring"), &facts(&known), None),
            Gate::Shut(NoChain::Fused)
        );
        let known = [
            (FactKey::Build, "WM1-3.4-2610"),
            (FactKey::RollbackIndex, "1"),
        ];
        assert_eq!(
            gate(&shipped("mooring"), &facts(&known), None),
            Gate::Shut(NoChain::Fused)
        );
    }

    #[test]
    fn a_build_that_is_not_known_or_not_listed_is_told_apart() {
        let family = shipped("mooring");
        assert_eq!(gate(&family, &facts(&[]), None), Gate::NotKnown);
        let other = facts(&[(FactKey::Build, "TH5.8.3.261104")]);
        assert_eq!(gate(&family, &other, None), Gate::NotListed);
        assert_eq!(gate(&shipped("saltern"), &facts(&[]), None), Gate::Open);
    }

    fn build(id: usize, unlockable: Unlockable, rollback: u32) -> BuildSpec {
        BuildSpec {
            id: format!("b{id}"),
            patch: Month::new(2026, 1).unwrap(),
            generation: 1,
            unlockable,
            rollback,
            stock: Stock::Published,
            note: String::new(),
            variants: Vec::new(),
            learned: String::new(),
            images: Vec::new(),
        }
    }

    fn package(
        id: usize,
        kind: PackageKind,
        from: Option<usize>,
        to: usize,
        minutes: u32,
        wipes: bool,
    ) -> PackageSpec {
        PackageSpec {
            name: format!("p{id}"),
            kind,
            to,
            from,
            mode: Mode::StockRecovery,
            ends_in: Mode::System,
            minutes,
            effort: crate::family::Effort::default(),
            wipes,
            keeps_unique: true,
            blake3: None,
            leaves: Leaves::Exact,
            lies: Lies::Card,
            mib: None,
            hand: String::new(),
        }
    }

    /// The cheapest cost by trying every sequence without a repeated node.
    fn exhaustive(
        family: &Family,
        node: Node,
        wanted: usize,
        seen: &mut Vec<Node>,
    ) -> Option<Cost> {
        if node.unlocked && node.exact && node.build == wanted {
            return Some(Cost::default());
        }
        seen.push(node);
        let mut edges = Vec::new();
        let unlockable = family.builds[node.build].unlockable;
        if !node.unlocked
            && (unlockable == Unlockable::Yes || unlockable == Unlockable::Enabler && node.enabled)
        {
            edges.push((
                Node {
                    unlocked: true,
                    ..node
                },
                Cost {
                    missing: 0,
                    wipes: 1,
                    minutes: UNLOCK_MINUTES,
                },
            ));
        }
        for one in &family.packages {
            let rollback = family.builds[one.to].rollback;
            let fits = one.from.is_none_or(|from| from == node.build)
                && (one.kind != PackageKind::Incremental || node.exact)
                && rollback >= node.fused;
            if fits {
                let next = Node {
                    build: one.to,
                    exact: one.kind != PackageKind::Enabler,
                    enabled: one.kind == PackageKind::Enabler,
                    unlocked: node.unlocked,
                    fused: node.fused.max(rollback),
                };
                edges.push((
                    next,
                    Cost {
                        missing: 1,
                        wipes: u32::from(one.wipes),
                        minutes: one.minutes,
                    },
                ));
            }
        }
        let mut cheapest: Option<Cost> = None;
        for (next, cost) in edges {
            if seen.contains(&next) {
                continue;
            }
            if let Some(rest) = exhaustive(family, next, wanted, seen) {
                let total = Cost {
                    missing: cost.missing + rest.missing,
                    wipes: cost.wipes + rest.wipes,
                    minutes: cost.minutes + rest.minutes,
                };
                cheapest = Some(cheapest.map_or(total, |known| known.min(total)));
            }
        }
        seen.pop();
        cheapest
    }

    proptest! {
        #[test]
        fn as_cheap_as_trying_everything(
            kinds in prop::collection::vec(0..3usize, 3),
            rollbacks in prop::collection::vec(0..2u32, 3),
            edges in prop::collection::vec((0..3usize, 0..3usize, 0..3usize, 1..20u32, any::<bool>()), 0..6),
            start in 0..3usize, wanted in 0..3usize,
        ) {
            let mut family = shipped("mooring");
            let gates = [Unlockable::Yes, Unlockable::Enabler, Unlockable::No];
            family.builds = (0..3).map(|n| build(n, gates[kinds[n]], rollbacks[n])).collect();
            family.packages = edges.iter().enumerate().map(|(n, (kind, from, to, minutes, wipes))| match kind {
                0 => package(n, PackageKind::Full, None, *to, *minutes, *wipes),
                1 => package(n, PackageKind::Incremental, Some(*from), *to, *minutes, *wipes),
                _ => package(n, PackageKind::Enabler, Some(*from), *from, *minutes, *wipes),
            }).collect();
            let fused = rollbacks[start];
            let found = cheapest(&family, start, fused, wanted, &BTreeSet::new()).ok();
            let first = Node { build: start, exact: true, enabled: false, unlocked: false, fused };
            let tried = exhaustive(&family, first, wanted, &mut Vec::new());
            prop_assert_eq!(found.map(|chain| (chain.wipes, chain.minutes)), tried.map(|cost| (cost.wipes, cost.minutes)));
        }
    }

    /// Twenty thousand builds in a row with whole packages to each: each node is opened once, and
    /// whole packages are spread once under each index.
    #[test]
    fn many_builds_open_each_node_at_most_twice() {
        let mut family = shipped("mooring");
        let count = 2_000;
        family.builds = (0..count)
            .map(|n| {
                build(
                    n,
                    if n == 0 {
                        Unlockable::Yes
                    } else {
                        Unlockable::No
                    },
                    0,
                )
            })
            .collect();
        family.packages = (0..count)
            .map(|n| package(n, PackageKind::Full, None, n, 9, true))
            .chain((1..count).map(|n| {
                package(
                    count + n,
                    PackageKind::Incremental,
                    Some(n - 1),
                    n,
                    1,
                    false,
                )
            }))
            .collect();
        let chain = cheapest(&family, count - 1, 0, count - 1, &BTreeSet::new()).unwrap();
        assert_eq!(names(&chain).len(), 3, "{chain:?}");
        assert!(chain.expanded <= 2 * 2_000, "{}", chain.expanded);
    }
}
