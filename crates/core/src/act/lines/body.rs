//! What a unit's body has to do: keys, a finger, a screen that is looked at, a port (`N2`); and a battery
//! that nobody works beside.

use std::collections::BTreeSet;

use crate::act::{Act, Doing, Ground, Standpoint};
use crate::evidence::{Cure, Line, choice, cite, look_at};
use crate::evidence::{Due, Need};
use crate::facts::{FactKey, Facts};
use crate::family::{BodyPart, Cue, Family, Key, Menu, Phase, PhaseKind, Question, Yes};
use crate::mode::Mode;
use crate::rule::Rule;

/// What is done with a unit's body.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Takes<'a> {
    /// In these phases.
    pub(crate) phases: &'a [Phase],
    /// On a menu of its own.
    pub(crate) menu: Option<&'a Menu>,
    /// As an answer on its screen.
    pub(crate) asks: Option<&'a Question>,
    /// With these keys, on a list that is looked at.
    pub(crate) list: &'a [Key],
}

impl Takes<'_> {
    /// The parts that have to work for it.
    fn parts(&self) -> BTreeSet<BodyPart> {
        let mut parts = BTreeSet::new();
        for phase in self.phases {
            parts.extend(phase.keys.iter().filter_map(|key| key.part()));
            parts.extend(match phase.cue {
                Cue::Black | Cue::Logo | Cue::Steady | Cue::Question => Some(BodyPart::Screen),
                Cue::CableIn => Some(BodyPart::Port),
                Cue::Vibration | Cue::Lamp | Cue::Seconds => None,
            });
            let moves_cable = matches!(phase.kind, PhaseKind::CableIn | PhaseKind::CableOut);
            parts.extend(moves_cable.then_some(BodyPart::Port));
        }
        if let Some(menu) = self.menu {
            parts.extend([menu.by, menu.choose].into_iter().filter_map(Key::part));
            parts.insert(BodyPart::Screen);
        }
        if let Some(question) = self.asks {
            let yes = question.yes.as_ref().into_iter().flat_map(Yes::keys);
            parts.extend(yes.filter_map(Key::part));
            parts.insert(BodyPart::Screen);
        }
        if !self.list.is_empty() {
            parts.extend(self.list.iter().filter_map(|key| key.part()));
            parts.insert(BodyPart::Screen);
        }
        parts
    }
}

/// The lines of what does not work and is taken: nobody plans it, unless a person names what stands in for it
/// (`N2`).
pub(crate) fn works(takes: Takes<'_>, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
    parts(takes.parts(), on, at)
}

/// The same of these parts.
pub(crate) fn parts(
    taken: impl IntoIterator<Item = BodyPart>,
    on: Ground<'_>,
    at: Standpoint,
) -> Vec<Line> {
    let facts = on.of.facts;
    let taken: BTreeSet<BodyPart> = taken.into_iter().collect();
    if let Some(part) = at.state.broken.first_of(taken.iter().copied()) {
        let text = format!(
            "It takes {}, which does not work here, and nobody has said what stands in for it.",
            part.shown()
        );
        return vec![Line::absent(Rule::N2, text).due(Due::Begin)];
    }
    let replaced = taken.into_iter().find(|part| is_replaced(facts, *part));
    let Some(part) = replaced else {
        return Vec::new();
    };
    let by = facts
        .text(FactKey::StandInBy)
        .unwrap_or("what a person named");
    let text = format!(
        "It takes {}, through what stands in for it: {by}.",
        part.shown()
    );
    let grounds = facts.known(FactKey::StandIn);
    grounds
        .map(|row| Line::met(Rule::N2, text, row))
        .into_iter()
        .collect()
}

/// Whether a part does not work, and something stands in for it.
fn is_replaced(facts: &Facts, part: BodyPart) -> bool {
    part.is_among(facts, FactKey::Broken) && part.is_among(facts, FactKey::StandIn)
}

/// A swollen battery ends all work, a hot one interrupts it (JOB 14). Nothing is asked where nobody has said
/// anything of it.
pub(crate) fn battery_body(family: &Family, facts: &Facts) -> Option<Line> {
    let key = FactKey::BatteryBody;
    match choice(facts, key)? {
        ("swollen", _) => Some(
            Line::absent(
                Rule::Care,
                "Its battery is swollen: stop, don't charge it, and hand it to somebody licensed.",
            )
            .citing(facts, [key]),
        ),
        ("hot", _) => {
            let cure = look_at(family, key).by_person();
            let text =
                "Its battery is hot: off the charger, let it cool in the open, and look again.";
            Some(
                Line::missing(Rule::Care, text, cure)
                    .minutes(30)
                    .citing(facts, [key]),
            )
        }
        _ => None,
    }
}

/// Its settings are in reach: the system came up (`T5`), and its screen shows and takes fingers.
pub(crate) fn in_settings(on: Ground<'_>, at: Standpoint) -> Vec<Line> {
    let facts = on.of.facts;
    let starts = facts.choice(FactKey::Starts);
    let dead = matches!(starts, Some("animation" | "nothing")).then(|| {
        let text = "Its system does not come up, so nothing is changed in its settings.";
        Line::absent(Rule::T5, text).seen(cite(facts, FactKey::Starts))
    });
    let shown = parts([BodyPart::Screen, BodyPart::Touch], on, at);
    dead.into_iter().chain(shown).collect()
}

/// What is looked up or changed on its screens takes the screen and a finger: nobody is sent there where they
/// don't work and nothing stands in for them (`N2`).
pub(crate) fn in_reach(line: Line, facts: &Facts) -> Line {
    let (Some(Cure::TypeFact { key, .. }) | Some(Cure::DoThenType { key, .. })) = line.cure()
    else {
        return line;
    };
    if line.is_met() || !key.is_of_the_system() {
        return line;
    }
    let mut taken = [BodyPart::Screen, BodyPart::Touch].into_iter();
    let is_out = |part: &BodyPart| {
        part.is_among(facts, FactKey::Broken) && !part.is_among(facts, FactKey::StandIn)
    };
    let Some(part) = taken.find(is_out) else {
        return line;
    };
    let text = format!(
        "{} That is done on its screen: it takes {}, which does not work here, and nobody has said what stands in for it.",
        line.text,
        part.shown()
    );
    Line {
        rule: Rule::N2,
        text,
        ..line.left_to_nobody()
    }
}

/// What goes over the cable takes the port.
pub(crate) fn by_cable(act: &Act, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
    let of = on.of;
    if !BodyPart::Port.is_among(of.facts, FactKey::Broken) {
        return Vec::new();
    }
    match act.doing(of.family, of.by) {
        Doing::Hands | Doing::Look(_) => Vec::new(),
        Doing::Command(_) | Doing::Read(_) | Doing::Send { .. } | Doing::PutInside { .. } => {
            parts([BodyPart::Port], on, at)
        }
    }
}

/// A system that does not come up leads nowhere: the mode in which it answers is found first (`T5`, `T21`).
/// Nothing where it answers below.
pub(crate) fn comes_up(family: &Family, facts: &Facts) -> Option<Line> {
    let rule = match facts.choice(FactKey::Starts)? {
        "animation" => Rule::T5,
        "nothing" => Rule::T21,
        _ => return None,
    };
    let answers_below = facts
        .mode()
        .is_some_and(|mode| mode != Mode::System && mode != Mode::Off);
    if answers_below {
        return None;
    }
    let takes_set = || family.makers_set.as_ref().map(|spec| spec.mode);
    let lower = family.lower_mode().or_else(takes_set)?;
    let forced = family
        .forced_restart
        .as_ref()
        .map(|forced| forced.hand.as_str());
    let ways = family.moves.iter();
    let mut by_keys = ways.filter(|way| way.from == Mode::Off && way.to == lower);
    let keys = by_keys.next().map(|way| way.hand.as_str());
    let charge = (rule == Rule::T21).then_some("Charge it for 30 minutes first.");
    let hands: Vec<&str> = charge.into_iter().chain(forced).chain(keys).collect();
    let cure = Cure::DoThenType {
        key: FactKey::Mode,
        instruction: format!("{} Then say in which mode it is.", hands.join(" ")),
    };
    let text = format!(
        "Its system does not come up. Does it answer in {}? If it answers nowhere, nothing here reaches it.",
        lower.shown()
    );
    let minutes = if rule == Rule::T21 { 35 } else { 5 };
    let line = Line::unknown(rule, text, Need::Person { cure });
    Some(line.minutes(minutes).citing(facts, [FactKey::Starts]))
}

/// What is known not to answer this computer is not planned with over the link (`U8`).
pub(crate) fn answers_not(family: &Family, facts: &Facts) -> Option<Line> {
    let key = FactKey::AnswersBootloader;
    let mode = family.lower_mode()?.shown();
    (facts.choice(key) == Some("no")).then(|| {
        let text = format!("It did not answer this computer in {mode}.");
        let cure = Cure::DoThenType {
            key,
            instruction: format!(
                "Another cable, another port, the driver for {mode}; then enter it again and see whether the computer lists it."
            ),
        };
        Line::missing(Rule::U8, text, Need::Person { cure }).minutes(3).citing(facts, [key])
    })
}
