//! Sheets, their steps and what a step changes: acts by the family's ids.

use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::BTreeMap;
use veritope_core::act::{self, Args, How};
use veritope_core::builds::End;
use veritope_core::consent::Consent;
use veritope_core::family::{Menu, Phase, Question, Yes};
use veritope_core::plan::sheet::{SheetHead, WhyNot};
use veritope_core::plan::{self, Cost};
use veritope_core::state::{Broken, State};
use veritope_wire::{BenchTime, Digest};

use super::words::{
    BackedUpWord, BodyPartWord, CableWord, CueWord, DataWord, KeyWord, LaidWord, LookWord,
    PhaseWord, ReachWord, ReversibilityWord, SwitchWord, TableWord, WipeWord, Word,
};
use super::{Form, form};

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
        #[serde(default)]
        end: Option<WayEnd>,
    }
}

form! {
    /// Where a way from build to build ends.
    WayEnd of End {
        build: String,
        exact: bool,
        instead: Option<String>,
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
        #[serde(default)]
        restorer: Option<SwitchWord>,
        #[serde(default = "not_yet")]
        backed_up: BackedUpWord,
        #[serde(default)]
        rights: Option<SwitchWord>,
        #[serde(default)]
        critical: Option<Word>,
        #[serde(default)]
        slot: Option<Word>,
        #[serde(default)]
        broken: BrokenKeys,
        #[serde(default)]
        legs_ahead: u8,
        #[serde(default = "as_before")]
        system: LaidWord,
        look: LookWord,
    }
}

fn as_before() -> LaidWord {
    LaidWord::AsBefore
}

fn not_yet() -> BackedUpWord {
    BackedUpWord::NotYet
}

/// Keys that don't work, by name; before version 6 a number with a bit for each in the order of
/// [`Key::ALL`](veritope_core::family::Key::ALL).
#[derive(Serialize, Deserialize)]
#[serde(untagged)]
enum BrokenKeys {
    Bits(u8),
    Names(Vec<BodyPartWord>),
}

impl Default for BrokenKeys {
    fn default() -> Self {
        Self::Names(Vec::new())
    }
}

impl Form<Broken> for BrokenKeys {
    fn of(it: &Broken) -> Self {
        Self::Names(it.parts().map(|part| BodyPartWord::of(&part)).collect())
    }

    fn read(self) -> Result<Broken, String> {
        let parts = match self {
            Self::Names(names) => names.read()?,
            Self::Bits(bits) => {
                let all = veritope_core::family::Key::ALL.into_iter().enumerate();
                all.filter(|(at, _)| bits >> at & 1 == 1)
                    .filter_map(|(_, key)| key.part())
                    .collect()
            }
        };
        Ok(Broken::of(parts))
    }
}

/// A step. Before version 6 its act named places in the family's lists; what they stood for is told by the
/// `effect` beside it and by the modes before and after. Before version 7 it told how, permitted or not.
#[derive(Serialize, Deserialize)]
struct Step {
    #[serde(alias = "action")]
    act: Act,
    #[serde(default, skip_serializing)]
    effect: Option<Act>,
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
            permitted: _,
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
            effect: None,
        }
    }

    fn read(self) -> Result<plan::Step, String> {
        let (before, after): (State, State) = (self.before.read()?, self.after.read()?);
        let mut named = self.act;
        if let Some(effect) = self.effect {
            named.complete_by(effect);
        }
        if let (Some(from), Some(to)) = (before.mode, after.mode) {
            named.way_between(from.id(), to.id());
        }
        let act = named.read()?;
        let permitted = act.most().is_permitted();
        // What the seal has not permitted is shown with why, not with how.
        let (by_hand, phases, menu) = if permitted {
            (String::new(), Vec::new(), None)
        } else {
            (self.by_hand, self.phases.read()?, self.menu.read()?)
        };
        Ok(plan::Step {
            act,
            title: self.title,
            because: self.because,
            by_hand,
            phases,
            menu,
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
            permitted,
        })
    }
}

/// An act: the word of its kind under `kind` (before version 7 also under `effect`), and the family's words
/// that it is said with.
#[derive(Serialize, Deserialize)]
#[serde(transparent)]
pub(crate) struct Act(BTreeMap<String, Value>);

const KIND: &str = "kind";

impl Act {
    /// Takes what was written without a name from what was written beside it.
    fn complete_by(&mut self, effect: Self) {
        for (name, value) in effect.0 {
            let name = match name.as_str() {
                "effect" | KIND => continue,
                // A package's name.
                "name" => "package".to_owned(),
                _ => name,
            };
            let known = self.0.get(&name);
            if known.is_none_or(|known| !known.is_string()) {
                self.0.insert(name, value);
            }
        }
    }

    /// The same for a way between two modes.
    fn way_between(&mut self, from: &str, to: &str) {
        let is_way = self.0.get(KIND).is_some_and(|kind| kind == "move");
        let named = self.0.get("way").is_some_and(Value::is_string);
        if is_way && !named {
            let way = format!("{from}-to-{to}");
            self.0.insert("way".to_owned(), way.into());
        }
    }
}

impl Form<act::Act> for Act {
    fn of(it: &act::Act) -> Self {
        let kind = (KIND.to_owned(), it.word().into());
        let args = it.args().into_iter();
        Self(
            args.map(|(name, value)| (name, value.into()))
                .chain([kind])
                .collect(),
        )
    }

    fn read(self) -> Result<act::Act, String> {
        let kind = self.0.get(KIND).or(self.0.get("effect"));
        let kind = kind
            .and_then(Value::as_str)
            .ok_or("an act without a kind")?;
        let said = |(name, value): (&String, &Value)| {
            Some((name.clone(), value.as_str()?.to_owned())).filter(|(name, _)| name != KIND)
        };
        let args: Args = self.0.iter().filter_map(said).collect();
        act::Act::read(kind, &args).ok_or_else(|| format!("`{kind}` is no act with these words"))
    }
}

form! {
    /// How hands do it.
    HandsOn of How {
        by_hand: String,
        phases: Vec<Phased>,
        menu: Option<MenuLine>,
    }
}

form! {
    /// What hands do in one phase.
    Phased of Phase {
        keys: Vec<KeyWord>,
        kind: PhaseWord,
        #[serde(default, skip_serializing_if = "String::is_empty")]
        on: String,
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
        #[serde(default)]
        yes: Option<YesBy>,
    }
}

/// How the unit is told yes: one of these.
#[derive(Default, Serialize, Deserialize)]
#[serde(default)]
struct YesBy {
    #[serde(skip_serializing_if = "Option::is_none")]
    menu: Option<MenuLine>,
    #[serde(skip_serializing_if = "Option::is_none")]
    tap: Option<KeyWord>,
    #[serde(skip_serializing_if = "Option::is_none")]
    touch: Option<String>,
}

impl Form<Yes> for YesBy {
    fn of(it: &Yes) -> Self {
        match it {
            Yes::Menu { menu } => Self {
                menu: Some(MenuLine::of(menu)),
                ..Self::default()
            },
            Yes::Tap { key } => Self {
                tap: Some(KeyWord::of(key)),
                ..Self::default()
            },
            Yes::Touch { on } => Self {
                touch: Some(on.clone()),
                ..Self::default()
            },
        }
    }

    fn read(self) -> Result<Yes, String> {
        match (self.menu, self.tap, self.touch) {
            (Some(menu), None, None) => Ok(Yes::Menu { menu: menu.read()? }),
            (None, Some(key), None) => Ok(Yes::Tap { key: key.read()? }),
            (None, None, Some(on)) => Ok(Yes::Touch { on }),
            _ => Err("an answer takes one of `menu`, `tap` and `touch`".to_owned()),
        }
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
