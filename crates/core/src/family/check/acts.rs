//! What can be done to a unit: ways between modes, stages of the lock, phases, wipes.

use std::collections::BTreeSet;

use toml::Spanned;
use veritope_wire::Label;

use super::{FamilyError, Locator};
use crate::facts::{FactKey, FactKind, FactValue};
use crate::family::raw::{
    RawBeforeForeign, RawMove, RawPhase, RawRelock, RawSlotSwitch, RawStage, RawWipe, RawYes, YesNo,
};
use crate::family::{
    BeforeForeign, Effort, FactPlace, Key, Method, ModeSpec, MoveSpec, PartitionSpec, Phase,
    PhaseKind, Question, RelockAct, RelockSpec, Role, SlotSwitchSpec, StageSpec, WipeSpec, Yes,
};
use crate::mode::Mode;

impl Locator<'_> {
    /// Words that name the unit.
    fn naming(
        &self,
        label: Option<Spanned<String>>,
        key: &str,
    ) -> Result<Option<String>, FamilyError> {
        match label {
            Some(label) if !label.get_ref().contains("{unit}") => {
                let text = "`{unit}`, which stands for the unit's name, is missing";
                Err(self.refuse(label.span(), format!("`{key}`: {text}")))
            }
            label => Ok(label.map(Spanned::into_inner)),
        }
    }

    pub(super) fn moves(
        &self,
        raw: Vec<Spanned<RawMove>>,
        declared: &BTreeSet<Mode>,
    ) -> Result<Vec<MoveSpec>, FamilyError> {
        let mut moves: Vec<MoveSpec> = Vec::new();
        for spec in raw {
            let spec = spec.into_inner();
            self.mode_is_declared(&spec.from, "move.from", declared)?;
            self.mode_is_declared(&spec.to, "move.to", declared)?;
            if spec.from.get_ref() == spec.to.get_ref() {
                return Err(self.refuse(spec.to.span(), "`move.to` is the mode it starts from"));
            }
            let (from, to) = (*spec.from.get_ref(), *spec.to.get_ref());
            let given = spec.id.as_ref().map(|id| id.get_ref().trim().to_owned());
            if let (Some(id), Some("")) = (&spec.id, given.as_deref()) {
                return Err(self.refuse(id.span(), "`move.id` is empty"));
            }
            let id = given.unwrap_or_else(|| MoveSpec::usual_id(from, to, spec.by));
            if moves.iter().any(|known| known.id == id) {
                let span = spec.id.as_ref().map_or(spec.to.span(), Spanned::span);
                return Err(self.refuse(
                    span,
                    format!("two ways are named {id}, and a sheet could not tell them apart: give each a `move.id` of its own"),
                ));
            }
            moves.push(MoveSpec {
                id,
                from,
                to,
                by: spec.by,
                needs_debugging: spec.needs_debugging == YesNo::Yes,
                pace: self.pace(spec.usual, &spec.stuck)?,
                effort: Effort {
                    hands_on_seconds: spec.hands_on,
                    presses: spec.presses,
                },
                hand: spec.hand,
                phases: self.phases(spec.phase, "move.phase")?,
                menu: spec.menu,
            });
        }
        Ok(moves)
    }

    /// Refuses modes that lead only to one another: whoever gets there never comes back.
    pub(super) fn no_trap(
        &self,
        at: &Spanned<u32>,
        modes: &[ModeSpec],
        moves: &[MoveSpec],
    ) -> Result<(), FamilyError> {
        let has_system = modes.iter().any(|spec| spec.mode == Mode::System);
        if !has_system {
            return Ok(());
        }
        let mut leads_home = BTreeSet::from([Mode::System]);
        loop {
            let more: Vec<Mode> = moves
                .iter()
                .filter(|way| leads_home.contains(&way.to) && !leads_home.contains(&way.from))
                .map(|way| way.from)
                .collect();
            if more.is_empty() {
                break;
            }
            leads_home.extend(more);
        }
        let trapped: Vec<&str> = modes
            .iter()
            .map(|spec| spec.mode)
            .filter(|mode| !leads_home.contains(mode))
            .map(Mode::id)
            .collect();
        if trapped.is_empty() {
            return Ok(());
        }
        Err(self.refuse(
            at.span(),
            format!(
                "`move`: from {} no way leads to the running system; add a [[move]] that does",
                trapped.join(", ")
            ),
        ))
    }

    pub(super) fn stages(
        &self,
        raw: Vec<Spanned<RawStage>>,
        declared: &BTreeSet<Mode>,
        labels: &BTreeSet<&Label>,
    ) -> Result<Vec<StageSpec>, FamilyError> {
        let mut stages: Vec<StageSpec> = Vec::new();
        for stage in raw {
            let stage = stage.into_inner();
            self.mode_is_declared(&stage.mode, "stage.mode", declared)?;
            self.mode_is_declared(&stage.ends_in, "stage.ends_in", declared)?;
            if stage.forms.get_ref().is_empty() && stage.method != Method::LongPress {
                return Err(self.refuse(stage.forms.span(), "`stage.forms` names no command form"));
            }
            if stages.iter().any(|known| known.id == *stage.id.get_ref()) {
                return Err(self.twice(&stage.id, "stage.id"));
            }
            let mut destroys = Vec::new();
            for label in &stage.destroys {
                destroys.push(self.known_label(label, "stage.destroys", labels)?);
            }
            stages.push(StageSpec {
                destroys,
                pace: self.pace(stage.usual, &stage.stuck)?,
                effort: Effort {
                    hands_on_seconds: stage.hands_on,
                    presses: stage.presses,
                },
                id: stage.id.into_inner(),
                label: self.naming(stage.label, "stage.label")?,
                title: stage.title,
                mode: *stage.mode.get_ref(),
                method: stage.method,
                only_for: stage.only_for,
                needs_toggle: stage.needs_toggle == YesNo::Yes,
                forms: stage.forms.into_inner(),
                question: self.question(stage.question, stage.default, stage.answer, stage.yes)?,
                hand: stage.hand,
                erases: stage.erases,
                ends_in: *stage.ends_in.get_ref(),
                phases: self.phases(stage.phase, "stage.phase")?,
            });
        }
        Ok(stages)
    }

    /// What a unit asks and how it is told yes: by keys or a touch, in older files in words.
    fn question(
        &self,
        text: String,
        default: String,
        answer: Option<Spanned<String>>,
        yes: Option<Spanned<RawYes>>,
    ) -> Result<Option<Question>, FamilyError> {
        let Some(yes) = yes else {
            return Ok((!text.is_empty()).then(|| Question {
                text,
                default,
                answer: answer.map_or_else(String::new, Spanned::into_inner),
                yes: None,
            }));
        };
        let span = yes.span();
        if text.is_empty() {
            return Err(self.refuse(span, "`yes` answers a question, and none is worded"));
        }
        let RawYes { menu, tap, touch } = yes.into_inner();
        let ways = [
            menu.map(|menu| Yes::Menu { menu }),
            tap.map(|key| Yes::Tap { key }),
            touch.map(|on| Yes::Touch { on }),
        ];
        let mut ways = ways.into_iter().flatten();
        let (Some(yes), None) = (ways.next(), ways.next()) else {
            let what = "`yes` takes one of `menu`, `tap` and `touch`";
            return Err(self.refuse(span, what));
        };
        Ok(Some(Question {
            answer: yes.said(&default),
            text,
            default,
            yes: Some(yes),
        }))
    }

    pub(super) fn relock(
        &self,
        raw: Option<Spanned<RawRelock>>,
        stages: &[StageSpec],
        declared: &BTreeSet<Mode>,
    ) -> Result<RelockSpec, FamilyError> {
        let Some(raw) = raw else {
            return Ok(RelockSpec::default());
        };
        let span = raw.span();
        let raw = raw.into_inner();
        let mut order = Vec::new();
        for stage in raw.order {
            if !stages.iter().any(|known| known.id == *stage.get_ref()) {
                return Err(self.refuse(
                    stage.span(),
                    format!(
                        "`relock.order` names {}, which no [[stage]] has",
                        stage.get_ref()
                    ),
                ));
            }
            order.push(stage.into_inner());
        }
        let act = match &raw.mode {
            None => None,
            Some(mode) => {
                self.mode_is_declared(mode, "relock.mode", declared)?;
                if raw.method == Method::Command && raw.forms.is_empty() {
                    return Err(self.refuse(span, "`relock.forms` names no command form"));
                }
                let ends_in = raw.ends_in.as_ref().unwrap_or(mode);
                self.mode_is_declared(ends_in, "relock.ends_in", declared)?;
                let stuck = raw
                    .stuck
                    .as_ref()
                    .ok_or_else(|| self.refuse(mode.span(), "`relock.stuck` is missing"))?;
                Some(RelockAct {
                    mode: *mode.get_ref(),
                    method: raw.method,
                    forms: raw.forms,
                    question: self.question(raw.question, raw.default, raw.answer, raw.yes)?,
                    ends_in: *ends_in.get_ref(),
                    pace: self.pace(raw.usual, stuck)?,
                    effort: Effort {
                        hands_on_seconds: raw.hands_on,
                        presses: raw.presses,
                    },
                    phases: self.phases(raw.phase, "relock.phase")?,
                })
            }
        };
        Ok(RelockSpec {
            again: raw.again,
            order,
            hand: raw.hand,
            act,
        })
    }

    /// Phases whose keys go down before they are let go, and none of which stays down at the end.
    pub(super) fn phases(
        &self,
        raw: Vec<Spanned<RawPhase>>,
        key: &str,
    ) -> Result<Vec<Phase>, FamilyError> {
        let mut phases = Vec::new();
        let last = raw.len().saturating_sub(1);
        for (index, phase) in raw.into_iter().enumerate() {
            let span = phase.span();
            let phase = phase.into_inner();
            let moves_cable = matches!(
                phase.kind,
                PhaseKind::CableIn | PhaseKind::CableOut | PhaseKind::Tool | PhaseKind::Wait
            );
            let touches = matches!(phase.kind, PhaseKind::Touch | PhaseKind::Tool);
            if touches == phase.on.trim().is_empty() {
                let what = "the words that are touched, and stands with `touch` and `tool` alone";
                return Err(self.refuse(span, format!("`{key}.on` names {what}")));
            }
            if phase.kind == PhaseKind::Touch && phase.keys != [Key::Screen] {
                let what = "must be `screen` alone where it is touched";
                return Err(self.refuse(span, format!("`{key}.keys` {what}")));
            }
            if phase.keys.is_empty() && !moves_cable {
                return Err(self.refuse(span, format!("`{key}.keys` names no key to press")));
            }
            if *phase.seconds.get_ref() == 0 {
                return Err(self.refuse(
                    phase.seconds.span(),
                    format!("`{key}.seconds` must be at least 1"),
                ));
            }
            let stranger = phase
                .lets_go
                .iter()
                .find(|one| !phase.keys.contains(one))
                .copied();
            if let Some(stranger) = stranger {
                return Err(self.refuse(
                    span,
                    format!(
                        "`{key}.lets_go` names {}, which is not down in this phase",
                        stranger.shown()
                    ),
                ));
            }
            let holds = matches!(phase.kind, PhaseKind::Hold | PhaseKind::Swap);
            let stays = phase.keys.len() > phase.lets_go.len();
            if index == last && holds && stays {
                return Err(self.refuse(
                    span,
                    format!("`{key}.lets_go` of the last phase must name every key"),
                ));
            }
            phases.push(Phase {
                keys: phase.keys,
                kind: phase.kind,
                on: phase.on,
                cue: phase.cue,
                seconds: phase.seconds.into_inner(),
                lets_go: phase.lets_go,
                missed: phase.missed,
                retry: phase.retry,
            });
        }
        Ok(phases)
    }

    /// Wipes that take the owner's data and nothing that exists once or starts the unit.
    pub(super) fn wipes(
        &self,
        raw: Vec<Spanned<RawWipe>>,
        declared: &BTreeSet<Mode>,
    ) -> Result<Vec<WipeSpec>, FamilyError> {
        let mut wipes: Vec<WipeSpec> = Vec::new();
        for spec in raw {
            let spec = spec.into_inner();
            self.mode_is_declared(&spec.mode, "wipe.mode", declared)?;
            self.mode_is_declared(&spec.ends_in, "wipe.ends_in", declared)?;
            if wipes.iter().any(|known| known.id == *spec.id.get_ref()) {
                return Err(self.twice(&spec.id, "wipe.id"));
            }
            let erases = spec.erases.get_ref();
            let stranger = erases.iter().find(|role| !role.spec().is_owners);
            if stranger.is_some() || !erases.contains(&Role::UserData) {
                return Err(self.refuse(
                    spec.erases.span(),
                    "`wipe.erases` takes user-data, with or without cache; whole erases are another act",
                ));
            }
            wipes.push(WipeSpec {
                pace: self.pace(spec.usual, &spec.stuck)?,
                effort: Effort {
                    hands_on_seconds: spec.hands_on,
                    presses: spec.presses,
                },
                id: spec.id.into_inner(),
                label: self.naming(spec.label, "wipe.label")?,
                title: spec.title,
                wipe: spec.wipe,
                mode: *spec.mode.get_ref(),
                lock: spec.lock,
                by: spec.by,
                question: self.question(spec.question, spec.default, spec.answer, spec.yes)?,
                erases: spec.erases.into_inner(),
                ends_in: *spec.ends_in.get_ref(),
                hand: spec.hand,
                menu: spec.menu,
            });
        }
        Ok(wipes)
    }

    /// Only where there are two slots, and it is said where the active one is read.
    pub(super) fn slot_switch(
        &self,
        raw: Option<RawSlotSwitch>,
        declared: &BTreeSet<Mode>,
        partitions: &[PartitionSpec],
        places: &[FactPlace],
    ) -> Result<Option<SlotSwitchSpec>, FamilyError> {
        let Some(spec) = raw else { return Ok(None) };
        self.mode_is_declared(&spec.mode, "slot_switch.mode", declared)?;
        let has_slots = partitions.iter().any(|part| part.slot.is_some());
        let is_read = places.iter().any(|place| place.key == FactKey::Slot);
        if !has_slots || !is_read {
            return Err(self.refuse(
                spec.mode.span(),
                "`slot_switch` wants a [[partition]] with slots = \"pair\" and a [[fact]] with key = \"slot\"",
            ));
        }
        Ok(Some(SlotSwitchSpec {
            mode: *spec.mode.get_ref(),
            pace: self.pace(spec.usual, &spec.stuck)?,
            hand: spec.hand,
        }))
    }

    /// Each is a choice that its key knows, and the family says where it is read.
    pub(super) fn before_foreign(
        &self,
        raw: Vec<Spanned<RawBeforeForeign>>,
        places: &[FactPlace],
    ) -> Result<Vec<BeforeForeign>, FamilyError> {
        let mut all = Vec::new();
        for spec in raw {
            let span = spec.span();
            let spec = spec.into_inner();
            let (key, value) = (spec.key, spec.value.get_ref());
            let is_choice = matches!(key.spec().kind, FactKind::Choice(_));
            if !is_choice || FactValue::parse(key, value).is_err() {
                return Err(self.refuse(
                    spec.value.span(),
                    format!("`before_foreign.value`: {} is never `{value}`", key.id()),
                ));
            }
            if !places.iter().any(|place| place.key == key) {
                return Err(self.refuse(
                    span,
                    format!(
                        "`before_foreign.key` names {}, and no [[fact]] says where it is read",
                        key.id()
                    ),
                ));
            }
            all.push(BeforeForeign {
                key,
                value: value.clone(),
                reason: spec.reason,
            });
        }
        Ok(all)
    }
}
