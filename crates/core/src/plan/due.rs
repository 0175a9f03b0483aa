//! What must be there before a sheet begins, read off the lists of its steps.

use super::sheet::{Reach, Sheet, Step, WhyNoWay, find_beyond};
use crate::act::{Act, Doing, Ground, List, Standpoint, Touches, comes_up, list};
use crate::builds::{self, Chain};
use crate::dossier::Dossier;
use crate::evidence::{Cure, Due, Line, Need};
use crate::facts::FactKey;
use crate::mode::{Lock, Mode};
use crate::state::{Bit, Look, State};

/// What the lists on the way of `sheet` are read from, as things are now.
#[must_use]
pub fn ground<'a>(sheet: &'a Sheet, of: &'a Dossier<'a>) -> Ground<'a> {
    Ground {
        end: sheet.end.as_ref(),
        ..Ground::plain(of)
    }
}

/// The list of a step of `sheet`, as things are now.
#[must_use]
pub fn list_of(sheet: &Sheet, step: &Step, of: &Dossier<'_>) -> List {
    list(&step.act, ground(sheet, of), Standpoint::now(of))
}

/// What must be there before `sheet` begins: of its first change all that is due by then, of the others what
/// must be there from the start. What a step before brings is left to it.
#[must_use]
pub fn preparations(sheet: &Sheet, of: &Dossier<'_>) -> Vec<Line> {
    let mut lines: Vec<Line> = Vec::new();
    let mut changes = sheet.steps.iter().filter(|step| step.permitted);
    let by = |step: &Step, due: Due| {
        let start = sheet.start;
        let before = step.before;
        let is_carried = move |line: &Line| {
            let brings = |bit: Bit| bit.holds(before) && !bit.holds(start);
            line.bit.is_some_and(brings) || is_captured_before(line, start, before)
        };
        let all = list_of(sheet, step, of).into_lines();
        all.into_iter()
            .filter(move |line| line.due <= due && !is_carried(line) && !is_ours(line))
            .collect::<Vec<_>>()
    };
    if let Some(first) = changes.next() {
        lines.extend(by(first, Due::Way));
    }
    let mut add = |line: Line| {
        if !lines.contains(&line) {
            lines.push(line);
        }
    };
    for later in changes {
        by(later, Due::Begin).into_iter().for_each(&mut add);
    }
    // What nobody can bring stands in the way whenever it is asked for.
    for step in sheet.steps.iter().filter(|step| step.permitted) {
        let barred = by(step, Due::Door).into_iter();
        barred
            .filter(|line| line.absence().is_some())
            .for_each(&mut add);
    }
    // What its goal comes to behind a look is asked for before the look: nobody is led there in vain.
    let ends_there = sheet.reach == Reach::FirstLook;
    let acts = ends_there.then(|| behind_a_look(sheet, of));
    for (is_first, step) in acts.into_iter().flatten() {
        let list = list(&step.act, ground(sheet, of), Standpoint::now(of));
        let asked = list.into_lines().into_iter();
        // As on a sheet that is seen whole: of its first change all, of the others what must be there.
        let by = if is_first { Due::Way } else { Due::Begin };
        asked
            .filter(|line| line.bit.is_none() && !is_ours(line))
            .filter(|line| !is_captured_before(line, sheet.start, step.before))
            .filter(|line| line.due <= by || line.absence().is_some())
            .for_each(&mut add);
    }
    if sheet.start.mode == Some(Mode::System) {
        seen_only_now(sheet, 0, of).into_iter().for_each(&mut add);
    }
    not_up(sheet, 0, of).into_iter().for_each(&mut add);
    lines
}

/// Where step `at` looks which mode it is in, and its system does not come up: looking alone shows the same once
/// more, so it is brought where it answers first.
fn not_up(sheet: &Sheet, at: usize, of: &Dossier<'_>) -> Option<Line> {
    let step = sheet.steps.get(at)?;
    let looks = step.act.doing(of.family, of.by) == Doing::Look(FactKey::Mode);
    looks.then(|| comes_up(of.family, of.facts)).flatten()
}

/// What stands before step `at` of `sheet`: where it leaves the running system, what later steps ask for that
/// only the system shows; where it looks at a unit that does not come up, that this is brought where it answers.
/// Nothing for any other step.
#[must_use]
pub fn before_step(sheet: &Sheet, at: usize, of: &Dossier<'_>) -> Vec<Line> {
    let leaves = |step: &&Step| {
        step.before.mode == Some(Mode::System) && step.after.mode != Some(Mode::System)
    };
    match sheet.steps.get(at).filter(leaves) {
        Some(_) => seen_only_now(sheet, at, of),
        None => not_up(sheet, at, of).into_iter().collect(),
    }
}

/// What the steps of `sheet` from `at` on, and what its goal comes to behind a look, ask for that only the
/// running system shows. What an erase on the way makes another thing is not asked before it.
fn seen_only_now(sheet: &Sheet, at: usize, of: &Dossier<'_>) -> Vec<Line> {
    let ahead = sheet.steps.get(at..).unwrap_or(&[]);
    let mut is_wiped = false;
    let mut asked: Vec<(Vec<Line>, bool)> = Vec::new();
    for step in ahead {
        if step.permitted && step.before.mode != Some(Mode::System) {
            asked.push((list_of(sheet, step, of).into_lines(), is_wiped));
        }
        is_wiped |= step.wipe.is_some();
    }
    for (_, step) in behind_a_look(sheet, of) {
        let list = list(&step.act, ground(sheet, of), Standpoint::now(of));
        asked.push((list.into_lines(), is_wiped));
    }
    let mut lines: Vec<Line> = Vec::new();
    for (list, is_wiped) in asked {
        for line in list {
            let is_asked =
                is_of_the_system(&line, is_wiped, of) && !line.is_met() && !is_ours(&line);
            if is_asked && !lines.contains(&line) {
                lines.push(line);
            }
        }
    }
    lines
}

/// Whether a line asks for a fact that the running system alone shows, and that no erase made another.
fn is_of_the_system(line: &Line, is_wiped: bool, of: &Dossier<'_>) -> bool {
    let asked = match line.cure() {
        Some(Cure::TypeFact { key, .. } | Cure::DoThenType { key, .. }) => Some(*key),
        // Hours go by for a switch of the system, and what works is tried in it.
        Some(Cure::Wait { .. } | Cure::Check { .. }) => return true,
        _ => None,
    };
    asked.is_some_and(|key| {
        // Which build runs, its own screens say, and a link in the modes that tell it.
        let mut told = of
            .family
            .modes
            .iter()
            .filter(|spec| spec.tells.contains(&key));
        let is_told_below = told.any(|spec| spec.mode != Mode::System);
        let is_there = key.is_of_the_system() || (key == FactKey::Build && !is_told_below);
        is_there && !(is_wiped && of.family.goes_on_wipe(key))
    })
}

/// The packages that `sheet` takes, what it comes to behind a look included: they are hashed where they lie before
/// anything is asked of them.
#[must_use]
pub fn packages(sheet: &Sheet, of: &Dossier<'_>) -> Vec<String> {
    let beyond = behind_a_look(sheet, of);
    let beyond = beyond.iter().map(|(_, step)| &step.act);
    let acts = sheet.steps.iter().map(|step| &step.act).chain(beyond);
    let mut names: Vec<String> = Vec::new();
    for name in acts.filter_map(Act::file) {
        if names.iter().all(|known| known != name) {
            names.push(name.to_owned());
        }
    }
    names
}

/// Whether a line asks for a capture that a step of the sheet takes first.
fn is_captured_before(line: &Line, start: State, before: State) -> bool {
    !line.is_met() && line.cure() == Some(&Cure::Capture) && before.backed_up > start.backed_up
}

/// The steps that `sheet` comes to behind a look, if that shows what leaves most to do, each with whether it is the
/// first change there; none where it hopes for nothing.
fn behind_a_look(sheet: &Sheet, of: &Dossier<'_>) -> Vec<(bool, Step)> {
    let hopes = |step: &Step| step.after.look == Look::Assumed;
    if sheet.reach == Reach::Goal && !sheet.steps.iter().any(hopes) {
        return Vec::new();
    }
    let worst = match sheet.goal.lock() {
        Some(Lock::Locked) => Lock::Unlocked,
        Some(Lock::Unlocked) | None => Lock::Locked,
    };
    let start = State {
        lock: sheet.start.lock.or(Some(worst)),
        ..sheet.start
    };
    // As such a unit has to go, from build to build where its family asks for that.
    let chains = builds::toward(of.family, of.facts, sheet.goal, start.lock, None);
    let is_end = |chain: &Chain| sheet.end.as_ref().is_some_and(|end| chain.ends_at(end));
    let chain = chains.into_iter().find(is_end).unwrap_or_default();
    let whole = find_beyond(of, start, sheet.goal, &chain, WhyNoWay::NotAsked);
    let steps = whole.map(|sheet| sheet.steps).unwrap_or_default();
    let changes = steps.into_iter().filter(|step| step.permitted).enumerate();
    changes
        .map(|(at, step)| (at == 0, step))
        .filter(|(_, step)| {
            let touches = step.act.touches(of.family);
            touches.any(Touches::LOCKS) || touches.any(Touches::ERASES)
        })
        .collect()
}

/// What is settled on the way of `sheet` and counts for nothing before: what its steps read, hash or are
/// consented to.
#[must_use]
pub fn on_the_way(sheet: &Sheet, of: &Dossier<'_>) -> Vec<Line> {
    let before = preparations(sheet, of);
    let mut lines: Vec<Line> = Vec::new();
    let changes = sheet.steps.iter().filter(|step| step.permitted);
    for line in changes.flat_map(|step| list_of(sheet, step, of).into_lines()) {
        let is_carried = line.bit.is_some();
        let is_new = !before.contains(&line) && !lines.contains(&line);
        if !line.is_met() && !is_carried && is_new {
            lines.push(line);
        }
    }
    lines
}

/// Whether the step itself brings it, as it hashes or reads back.
fn is_ours(line: &Line) -> bool {
    matches!(line.need(), Some(Need::Ours { .. }))
}

/// Whether it stands in the way of a step that is asked for now. Where the unit is, is looked at first, and
/// what the step itself hashes or reads back comes with it.
fn is_in_the_way(line: &Line) -> bool {
    let is_first = line.bit.is_some_and(Bit::is_looked_at_first);
    !line.is_met() && !is_first && !is_ours(line)
}

/// The lines that stand in the way of a step that is asked for now; of those that ask one and the same of a person
/// the first.
#[must_use]
pub fn in_the_way(lines: &[Line]) -> Vec<&Line> {
    let mut asked = Vec::new();
    let open = lines.iter().filter(|line| is_in_the_way(line));
    open.filter(|line| is_new(line, &mut asked)).collect()
}

/// The lines as they are shown before a step is asked for: what comes about by itself is left out, and what is asked
/// stands there once.
#[must_use]
pub fn shown(mut lines: Vec<Line>) -> Vec<Line> {
    let mut asked = Vec::new();
    lines.retain(|line| line.is_met() || is_in_the_way(line) && is_new(line, &mut asked));
    lines
}

/// Whether no line before asked for the same fact; once it is told, each line says what it makes of it.
fn is_new(line: &Line, asked: &mut Vec<FactKey>) -> bool {
    let (Some(Cure::TypeFact { key, .. }), true) = (line.cure(), line.is_unknown()) else {
        return true;
    };
    let is_new = !asked.contains(key);
    asked.push(*key);
    is_new
}
