//! Making the other slot the active one (`G5`): it holds a whole system that may start, nothing is being
//! merged, and what the owner would miss there is kept safe. It erases nothing and can be taken back, so
//! no name is typed.

use super::lines::index::index;
use super::{
    Args, Ask, Bit, Command, Doing, Ground, How, Kind, Line, Price, Shows, Standpoint, Touches,
    Words, arg, in_mode, lock, open, settled,
};
use crate::dossier::{By, Dossier};
use crate::evidence::{Basis, Cure, Finality, Need};
use crate::facts::FactKey;
use crate::family::Family;
use crate::goal::Goal;
use crate::mode::{Lock, Slot};
use crate::relock::purity;
use crate::rule::Rule;
use crate::state::{Axis, Presence, State};

/// Makes a slot the active one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SetSlot {
    /// Which.
    pub slot: Slot,
}

impl Kind for SetSlot {
    const TOUCHES: Touches = Touches::SLOT;

    fn instances(on: Ground<'_>) -> Vec<Self> {
        let spec = on.family().slot_switch.as_ref();
        let slots = spec.into_iter().flat_map(|_| Slot::ALL);
        slots.map(|slot| Self { slot }).collect()
    }

    fn word(&self) -> &'static str {
        "set-slot"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        vec![("slot", self.slot.id().to_owned())]
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "set-slot").then_some(())?;
        Some(Self {
            slot: Slot::from_id(&arg(args, "slot"))?,
        })
    }

    fn serves(&self, goal: Goal) -> bool {
        goal.slot() == Some(self.slot)
    }

    fn rule(&self, _: &Dossier<'_>) -> Rule {
        Rule::G5
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let family = on.family();
        let Some(spec) = &family.slot_switch else {
            return vec![Line::absent(
                Rule::G5,
                format!("{} has one slot.", family.name()),
            )];
        };
        let locked = "It is locked: another slot is made active only when it is not.";
        let mut lines = vec![
            in_mode(Bit::InMode(spec.mode), spec.mode.shown(), on, at),
            lock(Lock::Unlocked, locked, on, at).due(super::Due::Door),
        ];
        lines.extend(open(Axis::of(self.slot), at));
        lines.extend(settled(at));
        let whole = whole(on.of, self.slot);
        // What may start is asked once it is known.
        let may_start = whole.is_met().then(|| fused(on.of, self.slot));
        lines.push(whole);
        lines.extend(may_start.flatten());
        lines
    }

    fn after(&self, at: State, _: &Family) -> State {
        // Another slot may hold another recovery, or none.
        State {
            slot: Some(self.slot),
            recovery: None,
            ..at
        }
    }

    fn price(&self, _: State, family: &Family) -> Price {
        let spec = family.slot_switch.as_ref();
        Price {
            risk: 1,
            ..Price::seconds(spec.map_or(0, |spec| spec.pace.usual_seconds), 0)
        }
    }

    fn words(&self, _: State, family: &Family) -> Words {
        let spec = family.slot_switch.as_ref();
        Words::titled(format!("Make slot {} the active one", self.slot.id()))
            .stuck(spec.map_or(0, |spec| spec.pace.stuck_seconds))
    }

    fn how(&self, family: &Family) -> How {
        let spec = family.slot_switch.as_ref();
        How::said(spec.map_or("", |spec| spec.hand.as_str()))
    }

    fn asks(&self, family: &Family) -> Vec<Ask> {
        let mode = family.slot_switch.as_ref().map(|spec| spec.mode);
        let mode = mode.map(|mode| Ask::Mode(vec![mode]));
        mode.into_iter().chain([Ask::Lock(Lock::Unlocked)]).collect()
    }

    fn doing(&self, _: &Family, by: By) -> Doing {
        match by.link {
            Presence::Here => Doing::Command(Command::SetSlot(self.slot)),
            Presence::Missing => Doing::Hands,
        }
    }

    fn shows(&self) -> Shows {
        Shows {
            facts: vec![(FactKey::Slot, self.slot.id())],
            besides: Some(format!("It says slot {}.", self.slot.id())),
            ..Shows::default()
        }
    }
}

/// Nothing is left behind before what takes its place is proven whole where it lies (`Q11`, `Q5`), and
/// may start (`W1`).
fn whole(of: &Dossier<'_>, slot: Slot) -> Line {
    let family = of.family;
    let id = slot.id();
    let pure = purity(family, of.facts, of.held, of.torn);
    if pure.empty.contains(&id) {
        return Line::absent(
            Rule::Q11,
            format!(
                "Slot {id} holds nothing, so nothing starts from it: fill it with the same stock first."
            ),
        );
    }
    if pure.mixed.contains(&id) {
        return Line::absent(
            Rule::Q11,
            format!("Slot {id} holds parts of more than one build: it is not whole."),
        );
    }
    let within = |label: &&veritope_wire::Label| {
        family
            .partition(label)
            .is_some_and(|spec| spec.slot_id() == id)
    };
    let foreign = pure.foreign.iter().map(|(label, _)| label);
    if let Some(label) = foreign.into_iter().find(within) {
        return Line::absent(
            Rule::Q11,
            format!(
                "What {label} holds is no stock build's, so nothing tells whether slot {id} is whole."
            ),
        );
    }
    let build = pure.builds.iter().find(|(slot, _)| *slot == id);
    let Some((_, build)) = build.filter(|_| !pure.unproven.iter().any(|label| within(&label)))
    else {
        // What hands read proves nothing (B12).
        let (how, need) = match of.by.link {
            Presence::Here => (
                "read it with the system, from a recovery started from memory",
                Cure::Capture.by_person(),
            ),
            Presence::Missing => (
                "it is read over a bench link, and this unit has none: connect one",
                Need::Absent {
                    finality: Finality::Open,
                },
            ),
        };
        return Line::unknown(
            Rule::Q11,
            format!("Nothing proves what slot {id} holds: {how}."),
            need,
        );
    };
    Line::met(
        Rule::Q11,
        format!("Slot {id} holds {build}, proven whole."),
        Basis::log(format!("what was read of slot {id}")),
    )
}

/// What the slot holds may start (`W1`).
fn fused(of: &Dossier<'_>, slot: Slot) -> Option<Line> {
    let pure = purity(of.family, of.facts, of.held, of.torn);
    let (_, build) = pure.builds.iter().find(|(known, _)| *known == slot.id())?;
    let known = of.family.build(build).map(|(_, spec)| spec.rollback);
    index(Rule::W1, of.family, of.facts, build, known)
}
