//! The list of an act: what its touches ask for, and its own lines. And what closes it: a [`Complete`], which
//! can be made nowhere else.

use veritope_wire::{BenchTime, Digest, UnitId};

use super::lines::body::{answers_not, battery_body, by_cable, in_reach};
use super::lines::copies::copies;
use super::lines::owner::{battery, keep_safe, merging, ownership, recognised, torn, twin};
use super::{Act, Ask, Doing, Ground, How, Standpoint, Touches, When, Whose};
use crate::consent::consented;
use crate::coverage::VerifiedCopy;
use crate::dossier::Dossier;
use crate::evidence::{Cure, Due, Line, Need, open, unless_doubted};
use crate::facts::Facts;
use crate::family::{Chip, Family};
use crate::rule::Rule;

/// The list of one act, from one standpoint.
#[derive(Debug)]
pub struct List {
    act: Act,
    rule: Rule,
    lines: Vec<Line>,
    when: When,
    unit: UnitId,
    chip: Option<Chip>,
    asks: Vec<Ask>,
    doing: Doing,
    seq: u64,
    until: BenchTime,
}

/// The list of `act` for the unit that `on` knows of, read from `at`: the lines that its touches ask for,
/// then its own.
#[must_use]
pub fn list(act: &Act, on: Ground<'_>, at: Standpoint) -> List {
    let of = on.of;
    let mut lines = planned(act, on, at);
    lines.extend(framed_last(act, of));
    lines.extend(consents(act, of));
    let touches = act.touches(of.family);
    let doing = act.doing(of.family, of.by);
    let is_sent = doing != Doing::Hands && touches.is_permitted();
    lines.extend(is_sent.then(|| unit(of)));
    List {
        rule: act.rule(of),
        lines,
        when: at.when,
        unit: of.unit,
        // The unit is told by what the bench knows of it; the door asks the device.
        chip: is_sent.then(|| told_as(of)).flatten(),
        asks: act.asks(of.family),
        doing,
        seq: of.seq,
        until: until(of),
        act: act.clone(),
    }
}

/// By what the door tells the unit: its hardware identity; where what runs does not tell that, what the unit was
/// seen to tell in this mode and no other unit does (`K4`).
fn told_as(of: &Dossier<'_>) -> Option<Chip> {
    let chip = of.family.chip(of.facts)?;
    let Some(live) = of.live else {
        return Some(chip);
    };
    if live.known(chip.key).is_some() {
        return Some(chip);
    }
    let mut paired = of.paired.iter();
    let here = paired.find(|one| Some(one.mode) == live.mode() && live.known(one.key).is_some());
    Some(here.map_or(chip, |one| Chip {
        key: one.key,
        value: one.value.clone(),
    }))
}

/// The lines that a plan may rest on. What is asked for last (charge, owner's data, copies, consent) is
/// settled on the way or at the door, and no plan goes around it.
pub(crate) fn planned(act: &Act, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
    let of = on.of;
    let mut lines = frame(act, of);
    lines.extend(act.lines(on, at));
    lines.extend(by_cable(act, on, at));
    lines
        .into_iter()
        .map(|line| unless_doubted(line, of.family, of.facts))
        .map(|line| in_reach(line, of.facts))
        .collect()
}

/// What stops all work on a unit, whatever is done: its battery, whose it is, and whether it is what it is
/// taken for.
pub(crate) fn stops(family: &Family, facts: &Facts) -> Vec<Line> {
    let mut lines: Vec<Line> = battery_body(family, facts).into_iter().collect();
    lines.push(ownership(family, facts));
    let known = recognised(family, facts);
    lines.extend(known.map(|line| unless_doubted(line, family, facts)));
    lines
}

/// How long a complete list holds at most, in milliseconds.
const FRESH_FOR_MS: i64 = 10 * 60_000;

/// Until when a list that is read now holds: as long as the copies that were read back for it count.
fn until(of: &Dossier<'_>) -> BenchTime {
    let read = of.read_back.copies.unwrap_or(&[]).iter();
    let copies = read.chain(of.put.and_then(|put| put.copy));
    let usual = of.now.after_ms(FRESH_FOR_MS);
    copies.map(VerifiedCopy::until).fold(usual, BenchTime::min)
}

/// The lines that an act's touches ask for, the owner's first.
fn frame(act: &Act, of: &Dossier<'_>) -> Vec<Line> {
    let (family, facts) = (of.family, of.facts);
    let touches = act.touches(family);
    // Beside such a battery nothing at all is done.
    let mut lines: Vec<Line> = battery_body(family, facts).into_iter().collect();
    if !touches.is_permitted() {
        return lines;
    }
    lines.push(ownership(family, facts));
    lines.extend(recognised(family, facts));
    lines.extend(twin(family, facts, of.twin));
    // The unlock asks for it in a line of its own.
    let lower = family.lower_mode().map(|mode| vec![mode]);
    let is_there = |ask: &Ask| matches!(ask, Ask::Mode(modes) if Some(modes) == lower.as_ref());
    if act.rule(of) != Rule::G1 && act.asks(family).iter().any(is_there) {
        lines.extend(answers_not(family, facts));
    }
    // Nothing is changed while what starts the unit may be half written.
    let stirs = Touches::ERASES.and(Touches::LOCKS).and(Touches::SLOT);
    if touches.any(stirs.and(Touches::WRITES)) {
        lines.extend(torn(of.torn, &act.lands_on(family)));
    }
    if touches.any(stirs) {
        lines.extend(merging(act.rule(of), family, facts));
    }
    lines
}

/// What is asked for last but the consent: the charge, the owner's data, the copies of what exists once.
fn framed_last(act: &Act, of: &Dossier<'_>) -> Vec<Line> {
    let (family, facts) = (of.family, of.facts);
    let touches = act.touches(family);
    let mut lines = Vec::new();
    if !touches.within(Touches::READS.and(Touches::MEMORY)) {
        lines.push(match of.battery {
            Some(charge) => battery(family, facts, charge, of.now),
            None => not_judged(),
        });
    }
    // What the owner would lose, or would not find in another slot.
    if touches.any(Touches::ERASES.and(Touches::SLOT)) {
        let line = keep_safe(family, facts, of.keep_safe, of.nickname);
        lines.push(match act.rule(of) {
            Rule::G8 => line.under(Rule::R4),
            _ => line,
        });
    }
    // Copies are asked for a write of others' bytes that is no way to read, once they can be there.
    if act.whose(of) == Some(Whose::Others) {
        let due = if act.file().is_some() {
            Due::Way
        } else {
            Due::Door
        };
        let copies = copies(of, act.asks_of_living(family)).into_iter();
        lines.extend(copies.map(|line| line.due(due)));
    }
    lines
}

/// What it costs was told, and the name typed.
fn consents(act: &Act, of: &Dossier<'_>) -> Option<Line> {
    let costs = act.costs(of)?;
    consented(of.consents, of.nickname, &costs)
}

/// What is to be settled before it comes to the door: what a verdict is read off.
pub(crate) fn before_the_door(act: &Act, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
    let mut lines = planned(act, on, at);
    lines.extend(framed_last(act, on.of));
    lines.retain(|line| line.due <= Due::Way);
    lines
}

/// Nothing is planned yet for which the charge could be judged.
fn not_judged() -> Line {
    let text = "The charge is judged for the whole sheet.";
    Line::unknown(Rule::U7, text, Need::Ours { cure: None }).due(Due::Door)
}

/// The unit is told by its hardware identity, which the device gives itself at the door (`K4`).
fn unit(of: &Dossier<'_>) -> Line {
    let line = match of.family.hardware_identity(of.facts) {
        Some(row) => Line::met(Rule::K4, "It is told by its hardware identity.", row),
        None => Line::unknown(
            Rule::K4,
            "The unit at the link does not give its hardware identity.",
            Need::Carried {
                cure: Some(Cure::ReadByLink),
            },
        ),
    };
    line.due(Due::Door)
}

impl List {
    /// The rule whose list it is.
    #[must_use]
    pub fn rule(&self) -> Rule {
        self.rule
    }

    /// All its lines, met and open.
    #[must_use]
    pub fn lines(&self) -> &[Line] {
        &self.lines
    }

    /// The same, to keep.
    #[must_use]
    pub fn into_lines(self) -> Vec<Line> {
        self.lines
    }

    /// Closes it: every line is met now, and `payload` is the image that the act names, hashed just before
    /// by whoever sends it (`E5`).
    ///
    /// # Errors
    /// What is open.
    pub fn close(self, payload: Option<Digest>) -> Result<Complete, Closed> {
        let (rule, act) = (self.rule, self.act);
        let mut missing = open(self.lines);
        if self.when != When::Now {
            missing.push(Line::absent(
                Rule::C1,
                "It was judged from a sheet, and not as it is now.",
            ));
        }
        let wanted = act.image();
        // An image that is still open closes nothing.
        let is_chosen = match wanted {
            Some(image) => image.is_some() && image == payload,
            None => payload.is_none(),
        };
        if !is_chosen {
            missing.push(Line::missing(
                Rule::E5,
                "The bytes at hand are not the image that this was judged for.",
                Need::Ours { cure: None },
            ));
        }
        if !missing.is_empty() {
            return Err(Closed { rule, missing });
        }
        Ok(Complete {
            act,
            unit: self.unit,
            chip: self.chip,
            asks: self.asks,
            doing: self.doing,
            payload,
            seq: self.seq,
            until: self.until,
        })
    }
}

/// A list that is complete: leave for one act on one unit, until a moment. It is spent by handing it over,
/// and can't be copied, stored or made elsewhere.
#[derive(Debug)]
pub struct Complete {
    act: Act,
    unit: UnitId,
    chip: Option<Chip>,
    asks: Vec<Ask>,
    doing: Doing,
    payload: Option<Digest>,
    seq: u64,
    until: BenchTime,
}

impl Complete {
    /// The one act it is for.
    #[must_use]
    pub fn act(&self) -> &Act {
        &self.act
    }

    /// The unit it is for.
    #[must_use]
    pub fn unit(&self) -> UnitId {
        self.unit
    }

    /// The hardware identity that the device must give; nothing where no link does it.
    #[must_use]
    pub fn chip(&self) -> Option<&Chip> {
        self.chip.as_ref()
    }

    /// What the device itself must answer.
    #[must_use]
    pub fn asks(&self) -> &[Ask] {
        &self.asks
    }

    /// What is done.
    #[must_use]
    pub fn doing(&self) -> &Doing {
        &self.doing
    }

    /// Digest of the bytes that go out with it.
    #[must_use]
    pub fn payload(&self) -> Option<Digest> {
        self.payload
    }

    /// Number of the last line of the unit's log that it rests on.
    #[must_use]
    pub fn seq(&self) -> u64 {
        self.seq
    }

    /// Until when it holds.
    #[must_use]
    pub fn until(&self) -> BenchTime {
        self.until
    }

    /// How hands do it: nobody is told who has not this.
    #[must_use]
    pub fn how(&self, family: &Family) -> How {
        self.act.how(family)
    }
}

/// The list stays open; carries what is missing.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the seal is closed: {} missing", .missing.len())]
pub struct Closed {
    /// The rule whose list it is.
    pub rule: Rule,
    /// What is missing, in the order of the list.
    pub missing: Vec<Line>,
}

#[cfg(test)]
mod tests {
    use super::*;

    // What a complete list permits can't be copied, stored or read back.
    static_assertions::assert_not_impl_any!(Complete: Clone, serde::Serialize, serde::de::DeserializeOwned);
    static_assertions::assert_not_impl_any!(List: Clone, serde::Serialize, serde::de::DeserializeOwned);
}
