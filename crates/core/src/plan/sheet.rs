//! A found plan as a person reads it: steps, each with its *because*, and a head that adds up.

use std::collections::BTreeSet;

use serde::Serialize;
use veritope_wire::Digest;

use super::search::{Builds, Choices, Cost, Found, NoPlan, Pass, cheapest, lacks};
use crate::act::{Act, Cable, Ground, How, Reversibility};
use crate::budget::Load;
use crate::builds::{Chain, End};
use crate::dossier::Dossier;
use crate::family::{Family, Menu, Phase, Question, Wipe};
use crate::goal::Goal;
use crate::mode::{Lock, Mode};
use crate::rule::Rule;
use crate::state::{Bit, Look, State};

/// One step of a sheet.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Step {
    /// What is done.
    pub act: Act,
    /// The same in words.
    pub title: String,
    /// Why it is on the sheet.
    pub because: String,
    /// What a person does when no link does it; empty where that is told only once it is permitted.
    pub by_hand: String,
    /// The same as phases, where hands do it (`N2`).
    pub phases: Vec<Phase>,
    /// Where in a menu it is (`N3`).
    pub menu: Option<Menu>,
    /// What the device asks meanwhile and how to answer, or nothing.
    pub question: Option<Question>,
    /// State before.
    pub before: State,
    /// State that should be seen after.
    pub after: State,
    /// Usual seconds of waiting.
    pub waiting_seconds: u32,
    /// Seconds from which on it counts as stuck.
    pub stuck_seconds: u32,
    /// Seconds with hands on the device.
    pub hands_on_seconds: u32,
    /// Thousandths of a full battery that it takes.
    pub drain_permille: u32,
    /// Whether there is a way back.
    pub reversibility: Reversibility,
    /// The wipe it brings.
    pub wipe: Option<Wipe>,
    /// Cable.
    pub cable: Cable,
    /// Whether the seal must permit it.
    pub permitted: bool,
}

impl Step {
    /// Whether it reads what exists once, or leads to where that is read.
    #[must_use]
    pub fn is_to_read(&self) -> bool {
        let recoveries = [Mode::TemporaryRecovery, Mode::CustomRecovery];
        let leads = |mode: Mode| self.after.mode == Some(mode) && self.before.mode != Some(mode);
        let captures = self.after.backed_up > self.before.backed_up;
        captures || recoveries.into_iter().any(leads)
    }

    /// The step with how it is done, for whoever may be told.
    #[must_use]
    pub fn with(&self, how: How) -> Self {
        Self {
            by_hand: how.by_hand,
            phases: how.phases,
            menu: how.menu,
            ..self.clone()
        }
    }
}

/// Something the sheet takes for granted; the sheet can't begin while there is any.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct WhyNot {
    /// The rule behind it.
    pub rule: Rule,
    /// In one sentence, with what to do.
    pub text: String,
}

/// The sums at the head of a sheet.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct SheetHead {
    /// Seconds with hands on the device.
    pub hands_on_seconds: u32,
    /// Seconds of waiting.
    pub waiting_seconds: u32,
    /// Wipes of the owner's data.
    pub wipes: u32,
    /// Mode changes.
    pub mode_changes: u32,
    /// Steps without a way back.
    pub no_returns: u32,
    /// Thousandths of a full battery that all steps take.
    pub drain_permille: u32,
}

/// How far a sheet leads.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Reach {
    /// To the goal.
    Goal,
    /// To a look: what comes after it can't be undone and is planned on what will be seen.
    FirstLook,
}

/// A plan from what is known to a goal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Sheet {
    /// Where it leads.
    pub goal: Goal,
    /// Digest of the family file it was made from.
    pub family: Digest,
    /// State at the start.
    pub start: State,
    /// How far it leads for now.
    pub reach: Reach,
    /// Steps in order.
    pub steps: Vec<Step>,
    /// Sums.
    pub head: SheetHead,
    /// What somebody would have to supply first.
    pub why_not: Vec<WhyNot>,
    /// What it costs, as the search compared it.
    pub cost: Cost,
    /// States that the search opened.
    pub expanded: u32,
    /// Where its way from build to build ends, where it has one.
    pub end: Option<End>,
}

impl Sheet {
    /// What it asks of the battery.
    #[must_use]
    pub fn load(&self) -> Load {
        let drain = |steps: &[Step]| steps.iter().map(|step| step.drain_permille).sum();
        let last = self.steps.iter().rposition(|step| step.wipe.is_some());
        Load {
            permille: self.head.drain_permille,
            until_last_change: last.map(|last| drain(&self.steps[..=last])),
        }
    }
}

/// Whether whoever asks for a way wants to know what is lacking where there is none.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WhyNoWay {
    /// It is said to a person.
    Asked,
    /// Only a way counts.
    NotAsked,
}

/// Finds the cheapest safe sheet from `start` to `goal` for the unit that `of` knows of.
///
/// # Errors
/// When no way leads there even if everything that somebody could supply were there, or when the
/// search is cut off.
pub fn find(of: &Dossier<'_>, start: State, goal: Goal) -> Result<Sheet, NoPlan> {
    find_along(of, start, goal, &Chain::default(), WhyNoWay::Asked)
}

/// The same along the first of `chains` by which it can be finished; where it is not the first of all, its
/// end says why. Where it can be finished by none it is the cheapest, and names what stands in the way.
///
/// # Errors
/// See [`find`]: of the first chain.
pub fn find_to_an_end(
    of: &Dossier<'_>,
    start: State,
    goal: Goal,
    chains: &[Chain],
) -> Result<Sheet, NoPlan> {
    let Some(wanted) = chains.first() else {
        return find(of, start, goal);
    };
    let mut instead: Option<String> = None;
    let mut unfinished: Vec<Sheet> = Vec::new();
    for chain in chains {
        let why = match find_along(of, start, goal, chain, WhyNoWay::NotAsked) {
            Ok(mut sheet) => {
                let Some(why) = sheet.why_not.first() else {
                    if let Some(end) = &mut sheet.end {
                        end.instead = instead.map(|why| {
                            let why = why.trim_end_matches('.');
                            match chain.names().1 {
                                Some(_) => format!(
                                    "It ends unlocked on {} and goes no further: {why}.",
                                    end.build
                                ),
                                None => format!("It ends on {}: {why}.", end.build),
                            }
                        });
                    }
                    return Ok(sheet);
                };
                let why = why.text.clone();
                unfinished.push(sheet);
                Some(why)
            }
            Err(_) => None,
        };
        if instead.is_none() {
            instead = why.or_else(|| {
                let asked = find_along(of, start, goal, chain, WhyNoWay::Asked);
                asked.err().map(|error| error.to_string())
            });
        }
    }
    let cheapest = unfinished.into_iter().min_by_key(|sheet| sheet.cost);
    cheapest.map_or_else(|| find_along(of, start, goal, wanted, WhyNoWay::Asked), Ok)
}

/// The same, along a chain from build to build with the unlock in it.
///
/// # Errors
/// See [`find`].
pub fn find_along(
    of: &Dossier<'_>,
    start: State,
    goal: Goal,
    chain: &Chain,
    why_not: WhyNoWay,
) -> Result<Sheet, NoPlan> {
    let mut sheet = find_beyond(of, start, goal, chain, why_not)?;
    if sheet.reach == Reach::FirstLook {
        let is_hope = |step: &Step| step.before.look == Look::Assumed;
        let settled = sheet.steps.iter().position(is_hope);
        sheet.steps.truncate(settled.unwrap_or(sheet.steps.len()));
        sheet.head = head(&sheet.steps);
    }
    Ok(sheet)
}

/// The same with what comes behind a look, as the look is hoped to come out: to be asked about, never begun.
///
/// # Errors
/// See [`find`].
pub(super) fn find_beyond(
    of: &Dossier<'_>,
    mut start: State,
    goal: Goal,
    chain: &Chain,
    why_not: WhyNoWay,
) -> Result<Sheet, NoPlan> {
    let (legs, before) = chain.names();
    // Without an unlock on the way the lock stays as it is.
    let stays = match start.lock {
        Some(Lock::Unlocked) => 0,
        _ => legs.len(),
    };
    let ground = Ground {
        legs: &legs,
        before: before.unwrap_or(stays),
        ..Ground::plain(of)
    };
    start.legs_ahead = ground.ahead();
    let choices = Choices::of(ground, start, goal);
    let search =
        |pass, alone: &mut BTreeSet<Bit>| cheapest(&choices, ground, start, goal, pass, alone);
    let mut alone = BTreeSet::new();
    let (found, reach) = match search(Pass::Strict, &mut alone) {
        Ok(found) => (found, Reach::Goal),
        // There may be a way that leads on from what a look will show.
        Err(NoPlan::NoWay) => match search(Pass::Look, &mut alone) {
            Ok(found) => (found, Reach::FirstLook),
            Err(NoPlan::NoWay) if why_not == WhyNoWay::Asked => {
                let again = |pass| search(pass, &mut BTreeSet::new());
                return Err(explained(&alone, choices.follow_builds(start), again));
            }
            Err(error) => return Err(error),
        },
        Err(error) => return Err(error),
    };
    let absent = choices.absent.iter().enumerate();
    let why_not = absent
        .filter(|(number, _)| found.granted >> (*number).min(63) & 1 == 1)
        .map(|(_, line)| WhyNot {
            rule: line.rule,
            text: line.text.clone(),
        })
        .collect();
    let steps = steps(&choices, ground, start, &found, goal);
    Ok(Sheet {
        goal,
        family: of.family.digest,
        start,
        reach,
        head: head(&steps),
        steps,
        why_not,
        cost: found.cost,
        expanded: found.expanded,
        end: (!chain.legs.is_empty()).then(|| End {
            build: chain.end.clone(),
            exact: chain.exact,
            instead: None,
        }),
    })
}

/// The one row that is lacking, where passing it over leads there; of several the one by which it is
/// cheapest.
fn explained(
    alone: &BTreeSet<Bit>,
    builds: Builds,
    search: impl Fn(Pass) -> Result<Found, NoPlan>,
) -> NoPlan {
    // That there is something to do is never passed over.
    let may = |row: &Bit| !matches!(row, Bit::Open(_) | Bit::Settled);
    // What the lock bars is said first: nothing else helps as long as it is closed.
    let (locks, others): (Vec<Bit>, Vec<Bit>) = alone
        .iter()
        .copied()
        .filter(may)
        .partition(|row| matches!(row, Bit::Lock(_)));
    let passes = [Pass::Explain as fn(Bit) -> Pass, Pass::ExplainOnAnyBuild];
    // Only where builds decide there is a second round.
    let rounds = match builds {
        Builds::Decide => &passes[..],
        Builds::Pass => &passes[..1],
    };
    let rounds = rounds
        .iter()
        .copied()
        .flat_map(|pass| [(pass, &locks), (pass, &others)]);
    let mut lacking = rounds.map(|(pass, rows)| {
        let ways = rows.iter();
        ways.filter_map(|row| Some((search(pass(*row)).ok()?.cost, *row)))
            .min()
    });
    lacking
        .find_map(|found| found)
        .map_or(NoPlan::NoWay, |(_, row)| NoPlan::Lacking(row))
}

fn steps(
    choices: &Choices,
    ground: Ground<'_>,
    start: State,
    found: &Found,
    goal: Goal,
) -> Vec<Step> {
    let family = ground.family();
    let mut steps: Vec<Step> = Vec::new();
    let mut state = start;
    for (index, &place) in found.acts.iter().enumerate() {
        let Some(choice) = choices.all.get(place) else {
            continue;
        };
        let after = choice.act.after(state, family);
        let rest = found.acts.get(index + 1..).unwrap_or(&[]);
        let because = because(choices, family, state, rest, index, goal);
        steps.push(step(family, choice.act.clone(), state, after, because));
        state = after;
    }
    steps
}

/// Why a step is there: leave it out, go on, and see which row fails first.
fn because(
    choices: &Choices,
    family: &Family,
    without: State,
    rest: &[usize],
    index: usize,
    goal: Goal,
) -> String {
    let mut state = without;
    for (offset, place) in rest.iter().enumerate() {
        let Some(later) = choices.all.get(*place) else {
            continue;
        };
        if let Some(bit) = lacks(later, state) {
            return bit.because(index + offset + 2);
        }
        state = later.act.after(state, family);
    }
    let lacking = goal.rows().into_iter().find(|row: &Bit| !row.holds(state));
    lacking
        .map_or("This is the goal.", |row| goal.because(row))
        .to_owned()
}

fn step(family: &Family, act: Act, before: State, after: State, because: String) -> Step {
    let price = act.price(before, family);
    let words = act.words(before, family);
    // What the seal has not permitted is shown with why, not with how.
    let how = act.how_unpermitted(family);
    let touches = act.touches(family);
    Step {
        title: words.title,
        because,
        by_hand: how.by_hand,
        phases: how.phases,
        menu: how.menu,
        question: words.question,
        before,
        after,
        waiting_seconds: price.waiting,
        stuck_seconds: words.stuck_seconds,
        hands_on_seconds: price.hands_on,
        drain_permille: drain(
            family,
            before,
            after,
            price.waiting.saturating_add(price.hands_on),
        ),
        reversibility: if touches.can_be_undone() {
            Reversibility::CanBeUndone
        } else {
            Reversibility::NoReturn
        },
        wipe: words.wipe,
        cable: words.cable,
        permitted: touches.is_permitted(),
        act,
    }
}

fn drain(family: &Family, before: State, after: State, seconds: u32) -> u32 {
    let rate = [before.mode, after.mode]
        .into_iter()
        .flatten()
        .filter_map(|mode| family.mode(mode))
        .map(|spec| spec.drain_permille_per_hour)
        .max()
        .unwrap_or(0);
    u32::try_from((u64::from(rate) * u64::from(seconds)).div_ceil(3600)).unwrap_or(u32::MAX)
}

fn head(steps: &[Step]) -> SheetHead {
    let count = |wanted: &dyn Fn(&Step) -> bool| {
        u32::try_from(steps.iter().filter(|step| wanted(step)).count()).unwrap_or(u32::MAX)
    };
    SheetHead {
        hands_on_seconds: steps.iter().map(|step| step.hands_on_seconds).sum(),
        waiting_seconds: steps.iter().map(|step| step.waiting_seconds).sum(),
        wipes: count(&|step| step.wipe.is_some()),
        mode_changes: count(&|step| step.before.mode != step.after.mode),
        no_returns: count(&|step| step.reversibility == Reversibility::NoReturn),
        drain_permille: steps.iter().map(|step| step.drain_permille).sum(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::FactKey;
    use crate::facts::testing::facts;
    use crate::family::testing::gimbal;
    use crate::mode::{Lock, Mode};
    use crate::plan::testing::{Ways, find, known as dossier};
    use crate::state::Presence;

    fn sheet(pairs: &[(FactKey, &str)], goal: Goal, link: Presence, image: Presence) -> Sheet {
        find(
            &gimbal(),
            State::from_facts(&facts(pairs)),
            goal,
            Ways { link, image },
        )
        .unwrap()
    }

    #[test]
    fn from_locked_to_the_table_read() {
        let sheet = sheet(
            &[
                (FactKey::Mode, "system"),
                (FactKey::Lock, "locked"),
                (FactKey::Debugging, "on"),
            ],
            Goal::ReadTable,
            Presence::Here,
            Presence::Here,
        );
        insta::assert_json_snapshot!(sheet, { ".family" => "[digest]" });
    }

    #[test]
    fn without_debugging_the_switch_comes_before_force() {
        let sheet = sheet(
            &[
                (FactKey::Mode, "system"),
                (FactKey::Lock, "unlocked"),
                (FactKey::Debugging, "off"),
            ],
            Goal::TemporaryRecovery,
            Presence::Here,
            Presence::Here,
        );
        let titles: Vec<_> = sheet.steps.iter().map(|step| step.title.as_str()).collect();
        assert_eq!(
            titles,
            [
                "Let this computer command it",
                "Restart into bootloader mode",
                "Start the recovery from memory"
            ]
        );
        assert!(sheet.steps[0].because.starts_with("Step 2 is a command"));
    }

    #[test]
    fn an_unknown_mode_is_looked_at_and_the_rest_planned_on_what_is_seen() {
        let sheet = sheet(
            &[(FactKey::Lock, "locked")],
            Goal::Unlock,
            Presence::Here,
            Presence::Here,
        );
        assert_eq!(sheet.reach, Reach::FirstLook);
        assert_eq!(sheet.steps.len(), 1);
        assert_eq!(sheet.steps[0].act.word(), "look-at-mode");
        assert_eq!(sheet.head.no_returns, 0);
    }

    /// With a family whose build decides: packages over an unlocked unit want what exists once kept (`B6`).
    /// Where nothing reads it there, the way ends with the unlock, and says why; where something does, it
    /// leads back, and the copies are taken on it. A recovery that was written to read makes room for the
    /// maker's before the next package.
    #[test]
    fn the_way_ends_where_it_can_be_finished() {
        let ways = |family: &Family, ways: Ways| {
            let facts = facts(&[
                (FactKey::Mode, "system"),
                (FactKey::Lock, "locked"),
                (FactKey::Debugging, "on"),
                (FactKey::Build, "WM1-3.4-2610"),
            ]);
            let of = dossier(family, &facts, ways);
            crate::standing::plan_for(&of, State::from_facts(&facts), Goal::Unlock, None).unwrap()
        };
        let mooring = crate::family::testing::shipped("mooring");
        let words = |sheet: &Sheet| {
            let steps = sheet.steps.iter().map(|step| step.act.word());
            steps.filter(|word| *word != "move").collect::<Vec<_>>()
        };
        let by_hand = Ways {
            link: Presence::Missing,
            ..Ways::ALL
        };
        // What hands read counts too (B12).
        let back_by_hand = ways(&mooring, by_hand);
        assert_eq!(words(&back_by_hand), words(&ways(&mooring, Ways::ALL)));
        let mut unread = mooring.clone();
        unread.read_routes.clear();
        unread.recovery_write = None;
        let stays = ways(&unread, by_hand);
        let packages = ["install-package", "install-package", "unlock"];
        assert_eq!(words(&stays)[..3], packages, "{:?}", words(&stays));
        let end = stays.end.clone().unwrap();
        assert_eq!((end.build.as_str(), end.exact), ("WM1-3.1-2603", false));
        let why = end.instead.unwrap();
        assert!(why.contains("reads it there"), "{why}");
        assert_eq!(stays.head.wipes, 2);

        let back = ways(&mooring, Ways::ALL);
        let end = back.end.clone().unwrap();
        assert_eq!((end.build.as_str(), &end.instead), ("WM1-3.4-2610", &None));
        assert_eq!(
            words(&back),
            [
                "install-package",
                "install-package",
                "unlock",
                "read-route-write",
                "capture",
                "put-makers-recovery",
                "install-package",
                "install-package",
                "install-package",
                "install-package"
            ]
        );

        let back = ways(&readable(), Ways::ALL);
        let end = back.end.clone().unwrap();
        assert_eq!((end.build.as_str(), &end.instead), ("WM1-3.4-2610", &None));
        let words = words(&back);
        let at = |word: &str| words.iter().position(|one| *one == word).unwrap();
        assert!(at("unlock") < at("capture"), "{words:?}");
        let last = words.iter().rposition(|one| *one == "install-package");
        assert!(Some(at("capture")) < last, "{words:?}");
    }

    #[test]
    fn what_is_missing_is_the_explanation() {
        let sheet = sheet(
            &[(FactKey::Mode, "bootloader"), (FactKey::Lock, "unlocked")],
            Goal::ReadTable,
            Presence::Missing,
            Presence::Missing,
        );
        let missing: Vec<_> = sheet.why_not.iter().map(|why| why.rule).collect();
        // A file that a person can put there stands in no sheet's way, and what no link reads hands dump.
        assert_eq!(missing, []);
        let steps: Vec<_> = sheet.steps.iter().map(|step| step.act.word()).collect();
        assert_eq!(steps.last(), Some(&"read-table"), "{steps:?}");
    }

    /// A family whose build decides, and which starts a recovery from memory.
    fn readable() -> Family {
        let gimbal = gimbal();
        let mut family = crate::family::testing::shipped("mooring");
        let from_memory = Mode::TemporaryRecovery;
        let ways = gimbal.moves.into_iter();
        family
            .moves
            .extend(ways.filter(|way| way.from == from_memory));
        let modes = gimbal.modes.into_iter();
        family
            .modes
            .extend(modes.filter(|spec| spec.mode == from_memory));
        family.temporary_start = gimbal.temporary_start;
        family.read_routes = gimbal.read_routes;
        family
    }

    /// A family whose newest build lies `more` increments beyond the shipped ones.
    fn far(more: usize) -> (Family, State, crate::facts::Facts) {
        // Long ways lead back as well, which takes a family that can be read out.
        let mut family = readable();
        let at = |family: &Family, id: &str| family.build(id).map(|(at, _)| at);
        let mut last = at(&family, "WM1-3.4-2610").unwrap();
        let is_step =
            |one: &&crate::family::PackageSpec| one.kind == crate::family::PackageKind::Incremental;
        let step = family.packages.iter().find(is_step);
        let step = step.cloned().unwrap();
        for n in 0..more {
            let mut build = family.builds[last].clone();
            build.id = format!("WM1-3.{}-27{:02}", n + 5, n + 1);
            family.builds.push(build);
            let to = family.builds.len() - 1;
            family.packages.push(crate::family::PackageSpec {
                name: format!("mallet-step-{n}"),
                from: Some(last),
                to,
                ..step.clone()
            });
            last = to;
        }
        let names: Vec<&str> = family
            .packages
            .iter()
            .map(|one| one.name.as_str())
            .collect();
        let known = facts(&[
            (FactKey::Mode, "system"),
            (FactKey::Lock, "locked"),
            (FactKey::Debugging, "on"),
            (FactKey::Build, &family.builds[last].id),
            (FactKey::CardFiles, &names.join(", ")),
        ]);
        let state = State::from_facts(&known);
        (family, state, known)
    }

    /// A slot is changed for its own goal alone, and nothing is opened or erased for it.
    #[test]
    fn the_other_slot_takes_three_steps_and_no_wipe() {
        let family = crate::family::testing::shipped("saltern");
        let ways = Ways {
            link: Presence::Here,
            image: Presence::Missing,
        };
        let titles = |lock, goal| {
            let known = facts(&[
                (FactKey::Mode, "system"),
                (FactKey::Lock, lock),
                (FactKey::Debugging, "on"),
            ]);
            let sheet = find(&family, State::from_facts(&known), goal, ways);
            sheet.map(|sheet| {
                let titles = sheet.steps.into_iter().map(|step| step.title);
                (titles.collect::<Vec<_>>(), sheet.head.wipes)
            })
        };
        let (steps, wipes) = titles("unlocked", Goal::SlotB).unwrap();
        assert_eq!(
            steps,
            [
                "Restart into bootloader mode",
                "Make slot b the active one",
                "Start the system"
            ]
        );
        assert_eq!(wipes, 0);
        let barred = NoPlan::Lacking(Bit::Lock(Lock::Unlocked));
        assert_eq!(titles("locked", Goal::SlotB), Err(barred));
    }

    #[test]
    fn forty_steps_open_states_in_proportion() {
        let ways = Ways::ALL;
        let plan = |more| {
            let (family, state, known) = far(more);
            let of = dossier(&family, &known, ways);
            crate::standing::plan_for(&of, state, Goal::Unlock, None).unwrap()
        };
        let (short, long) = (plan(0), plan(12));
        assert!(long.steps.len() >= 40, "{} steps", long.steps.len());
        // Twice the way, not many times the states.
        let per_step = |sheet: &Sheet| sheet.expanded as usize / sheet.steps.len();
        assert!(
            per_step(&long) <= per_step(&short) + 2,
            "{} for {}, {} for {}",
            long.expanded,
            long.steps.len(),
            short.expanded,
            short.steps.len()
        );
        assert!(long.expanded <= 400, "{}", long.expanded);
    }
}
