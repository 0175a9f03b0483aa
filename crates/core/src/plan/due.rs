//! What must be there before a sheet begins, read off the lists of its steps.

use super::sheet::{Sheet, Step};
use crate::act::{Ground, List, Standpoint, list};
use crate::dossier::Dossier;
use crate::evidence::{Cure, Due, Line, Need};
use crate::facts::Happening;
use crate::mode::Mode;
use crate::state::Bit;

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
            line.bit
                .is_some_and(|bit| bit.holds(before) && !bit.holds(start))
        };
        let all = list_of(sheet, step, of).into_lines();
        all.into_iter()
            .filter(move |line| line.due <= due && !is_carried(line) && !is_ours(line))
            .collect::<Vec<_>>()
    };
    if let Some(first) = changes.next() {
        lines.extend(by(first, Due::Way));
    }
    for later in changes {
        for line in by(later, Due::Begin) {
            if !lines.contains(&line) {
                lines.push(line);
            }
        }
    }
    for line in seen_only_now(sheet, of) {
        if !lines.contains(&line) {
            lines.push(line);
        }
    }
    lines
}

/// What a step asks for that only the running system shows, which this sheet leaves before: it is asked now.
/// What an erase on the way makes another thing is not.
fn seen_only_now(sheet: &Sheet, of: &Dossier<'_>) -> Vec<Line> {
    if !matches!(sheet.start.mode, None | Some(Mode::System)) {
        return Vec::new();
    }
    let mut is_wiped = false;
    let mut lines = Vec::new();
    for step in &sheet.steps {
        if step.permitted && step.before.mode != Some(Mode::System) {
            let all = list_of(sheet, step, of).into_lines().into_iter();
            lines.extend(all.filter(|line| {
                let asked = match line.cure() {
                    Some(Cure::TypeFact { key, .. } | Cure::DoThenType { key, .. }) => Some(*key),
                    _ => None,
                };
                asked.is_some_and(|key| {
                    let goes = key.spec().stale_on.contains(&Happening::Wiped);
                    key.is_of_the_system() && !(is_wiped && goes)
                }) && !line.is_met()
                    && !is_ours(line)
            }));
        }
        is_wiped |= step.wipe.is_some();
    }
    lines
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

/// The lines that stand in the way of a step that is asked for now.
#[must_use]
pub fn in_the_way(lines: &[Line]) -> Vec<&Line> {
    lines.iter().filter(|line| is_in_the_way(line)).collect()
}

/// The lines as they are shown before a step is asked for: what comes about by itself is left out.
#[must_use]
pub fn shown(mut lines: Vec<Line>) -> Vec<Line> {
    lines.retain(|line| line.is_met() || is_in_the_way(line));
    lines
}
