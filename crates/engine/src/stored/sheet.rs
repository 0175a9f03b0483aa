//! Sheets, their steps and what a step changes: acts by the family's ids.

use serde::{Deserialize, Serialize};
use veritope_core::family::{Menu, Phase, Question};
use veritope_core::mode::Mode;
use veritope_core::plan::sheet::{SheetHead, WhyNot};
use veritope_core::plan::{self, Act as PlanAct, Cost, Planned, State};
use veritope_core::seal::{Consent, Effect};
use veritope_wire::{BenchTime, CaptureId, Digest, Label};

use super::words::{
    AssumptionWord, BackedUpWord, CableWord, CueWord, DataWord, KeyWord, LookWord, PhaseWord,
    ReachWord, ReversibilityWord, SwitchWord, TableWord, WipeWord, Word,
};
use super::{Form, form, kinds};

/// Rules by their ids.
pub(crate) type Rules = Vec<Word>;

form! {
    /// A plan from what was known to a goal.
    Sheet of plan::Sheet {
        goal: Word,
        family: Digest,
        start: Situation,
        reach: ReachWord,
        steps: Vec<Step>,
        head: Sums,
        why_not: Vec<Missing>,
        cost: Price,
        expanded: u32,
    }
}

form! {
    /// What it adds up to.
    Sums of SheetHead {
        hands_on_seconds: u32,
        waiting_seconds: u32,
        wipes: u32,
        mode_changes: u32,
        no_returns: u32,
        drain_permille: u32,
    }
}

form! {
    /// What somebody would have to supply.
    Missing of WhyNot {
        what: AssumptionWord,
        rule: Word,
        text: String,
    }
}

form! {
    /// What it costs, as the search compared it.
    Price of Cost {
        assumed: u16,
        risk: u16,
        wipes: u16,
        seconds: u32,
        presses: u16,
    }
}

form! {
    /// What is the case before or after a step.
    Situation of State {
        mode: Option<Word>,
        lock: Option<Word>,
        debugging: Option<SwitchWord>,
        #[serde(default)]
        fast_start: Option<SwitchWord>,
        data: DataWord,
        table: TableWord,
        #[serde(default)]
        recovery: Option<Word>,
        #[serde(default = "not_yet")]
        backed_up: BackedUpWord,
        #[serde(default)]
        critical: Option<Word>,
        #[serde(default)]
        slot: Option<Word>,
        #[serde(default)]
        broken: BrokenKeys,
        #[serde(default)]
        legs_ahead: u8,
        look: LookWord,
    }
}

fn not_yet() -> BackedUpWord {
    BackedUpWord::NotYet
}

/// Keys that don't work, by name; before version 6 a number with a bit for each in the order of
/// [`plan::Key::ALL`](veritope_core::family::Key::ALL).
#[derive(Serialize, Deserialize)]
#[serde(untagged)]
enum BrokenKeys {
    Bits(u8),
    Names(Vec<KeyWord>),
}

impl Default for BrokenKeys {
    fn default() -> Self {
        Self::Names(Vec::new())
    }
}

impl Form<plan::Broken> for BrokenKeys {
    fn of(it: &plan::Broken) -> Self {
        Self::Names(it.keys().map(|key| KeyWord::of(&key)).collect())
    }

    fn read(self) -> Result<plan::Broken, String> {
        let keys = match self {
            Self::Names(names) => names.read()?,
            Self::Bits(bits) => {
                let all = veritope_core::family::Key::ALL.into_iter().enumerate();
                all.filter(|(at, _)| bits >> at & 1 == 1)
                    .map(|(_, key)| key)
                    .collect()
            }
        };
        Ok(plan::Broken::of(keys))
    }
}

/// A step. Before version 6 it named places in the family's lists; what they stood for is told by the
/// change that it makes and by the modes before and after.
#[derive(Serialize, Deserialize)]
struct Step {
    #[serde(alias = "action")]
    act: Act,
    title: String,
    because: String,
    by_hand: String,
    #[serde(default)]
    phases: Vec<Phased>,
    #[serde(default)]
    menu: Option<MenuLine>,
    question: Option<Asked>,
    before: Situation,
    after: Situation,
    waiting_seconds: u32,
    stuck_seconds: u32,
    hands_on_seconds: u32,
    drain_permille: u32,
    reversibility: ReversibilityWord,
    wipe: Option<WipeWord>,
    cable: CableWord,
    effect: Option<PlannedChange>,
}

impl Form<plan::Step> for Step {
    fn of(it: &plan::Step) -> Self {
        let plan::Step {
            act,
            title,
            because,
            by_hand,
            phases,
            menu,
            question,
            before,
            after,
            waiting_seconds,
            stuck_seconds,
            hands_on_seconds,
            drain_permille,
            reversibility,
            wipe,
            cable,
            effect,
        } = it;
        Self {
            act: Form::of(act),
            title: title.clone(),
            because: because.clone(),
            by_hand: by_hand.clone(),
            phases: Form::of(phases),
            menu: Form::of(menu),
            question: Form::of(question),
            before: Form::of(before),
            after: Form::of(after),
            waiting_seconds: *waiting_seconds,
            stuck_seconds: *stuck_seconds,
            hands_on_seconds: *hands_on_seconds,
            drain_permille: *drain_permille,
            reversibility: Form::of(reversibility),
            wipe: Form::of(wipe),
            cable: Form::of(cable),
            effect: Form::of(effect),
        }
    }

    fn read(self) -> Result<plan::Step, String> {
        let (before, after): (State, State) = (self.before.read()?, self.after.read()?);
        let effect: Option<Planned> = self.effect.read()?;
        let mut act: plan::Act = self.act.read()?;
        name(&mut act, effect.as_ref(), before.mode, after.mode);
        Ok(plan::Step {
            act,
            title: self.title,
            because: self.because,
            by_hand: self.by_hand,
            phases: self.phases.read()?,
            menu: self.menu.read()?,
            question: self.question.read()?,
            before,
            after,
            waiting_seconds: self.waiting_seconds,
            stuck_seconds: self.stuck_seconds,
            hands_on_seconds: self.hands_on_seconds,
            drain_permille: self.drain_permille,
            reversibility: self.reversibility.read()?,
            wipe: self.wipe.read()?,
            cable: self.cable.read()?,
            effect,
        })
    }
}

/// Gives an act the id that it was written without.
fn name(act: &mut plan::Act, effect: Option<&Planned>, before: Option<Mode>, after: Option<Mode>) {
    use plan::Act;
    let id = match (&mut *act, effect) {
        (Act::Move { way }, _) => way,
        (Act::Unlock { stage }, Some(Planned::Unlock { .. })) => stage,
        (Act::Relock { stage }, Some(Planned::Relock { .. })) => stage,
        (Act::Wipe { way }, Some(Planned::Wipe { .. })) => way,
        (Act::InstallPackage { package }, Some(Planned::InstallPackage { .. })) => package,
        _ => return,
    };
    if !id.is_empty() {
        return;
    }
    *id = match (effect, before, after) {
        (Some(Planned::Unlock { stage } | Planned::Relock { stage }), ..) => stage.clone(),
        (Some(Planned::Wipe { way }), ..) => way.clone(),
        (Some(Planned::InstallPackage { name }), ..) => name.clone(),
        (_, Some(before), Some(after)) => format!("{}-to-{}", before.id(), after.id()),
        _ => return,
    };
}

kinds! {
    /// What a step does.
    Act of PlanAct, "kind" {
        LookAtMode "look-at-mode" { hoped: Word, }
        LookAtLock "look-at-lock" { hoped: Word, }
        LookAtCriticalLock "look-at-critical-lock" { hoped: Word, }
        Move "move" { way: Id, }
        SwitchDebuggingOn "switch-debugging-on" {}
        SwitchFastStartOff "switch-fast-start-off" {}
        Unlock "unlock" { stage: Id, }
        Relock "relock" { stage: Id, }
        Wipe "wipe" { way: Id, }
        SetSlot "set-slot" { slot: Word, }
        TemporaryStart "temporary-start" {}
        ReadTable "read-table" {}
        Capture "capture" {}
        WriteRecovery "write-recovery" {}
        InstallPackage "install-package" { package: Id, }
    }
}

/// An id of the family's; before version 6 a place in one of its lists, which reads as no id.
#[derive(Serialize, Deserialize)]
#[serde(untagged)]
pub(crate) enum Id {
    Name(String),
    Place(u64),
}

impl Form<String> for Id {
    fn of(it: &String) -> Self {
        Self::Name(it.clone())
    }

    fn read(self) -> Result<String, String> {
        Ok(match self {
            Self::Name(name) => name,
            Self::Place(_) => String::new(),
        })
    }
}

form! {
    /// What hands do in one phase.
    Phased of Phase {
        keys: Vec<KeyWord>,
        kind: PhaseWord,
        cue: CueWord,
        seconds: u32,
        lets_go: Vec<KeyWord>,
        missed: String,
        retry: String,
    }
}

form! {
    /// Where in a menu it is.
    MenuLine of Menu {
        from: String,
        to: String,
        by: KeyWord,
        presses: u32,
        choose: KeyWord,
    }
}

form! {
    /// What the device asks.
    Asked of Question {
        text: String,
        default: String,
        answer: String,
    }
}

kinds! {
    /// What a step of a sheet changes.
    PlannedChange of Planned, "effect" {
        Unlock "unlock" { stage: String, }
        Relock "relock" { stage: String, }
        Wipe "wipe" { way: String, }
        SetSlot "set-slot" { slot: Word, }
        InstallPackage "install-package" { name: String, }
        WriteImage "write-image" { label: Label, }
    }
}

kinds! {
    /// A change with what it changes to.
    Change of Effect, "effect" {
        Unlock "unlock" { stage: String, }
        WriteImage "write-image" { label: Label, image: Digest, }
        ReadRouteWrite "read-route-write" { label: Label, image: Digest, }
        Relock "relock" { stage: String, }
        Wipe "wipe" { way: String, }
        SetSlot "set-slot" { slot: Word, }
        Restore "restore" { label: Label, capture: CaptureId, image: Digest, }
    }
}

form! {
    /// A person's consent.
    Agreed of Consent {
        stage: String,
        typed: String,
        told: Digest,
        at: BenchTime,
    }
}
