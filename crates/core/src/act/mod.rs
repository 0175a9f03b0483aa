//! What can be done to a unit: one file and one struct a kind of act, and in it everything that is
//! particular to that kind. The engine, the link, the log and the screens know no kind by name; they ask
//! an [`Act`].
//!
//! * `list`: the lines that an act's touches ask for, and what closes a list ([`Complete`])
//! * `lines`: lines that several kinds share
//! * `touches`, `doing`, `words`: the words that an act is asked with
//!
//! A list is [`list()`]: frame and lines, the only table there is. What a plan reads are its rows: the lines
//! that are a condition on the unit's state ([`Line::bit`](crate::evidence::Line)), and those that nobody can
//! change.

mod doing;
mod lines;
mod list;
mod touches;
mod words;

use std::collections::BTreeMap;

use serde::Serialize;
use veritope_wire::{Digest, Label};

use crate::builds::End;
use crate::consent::Costs;
use crate::coverage::Living;
use crate::dossier::{By, Dossier};
use crate::evidence::{Basis, Cure, Due, Line, Need, choice, not_known};
use crate::facts::{FactKey, Happening};
use crate::family::{Family, Role, RouteKind, RouteLock};
use crate::goal::Goal;
use crate::mode::{Lock, Mode, RecoveryKind};
use crate::rule::Rule;
use crate::started::started;
use crate::state::{Bit, Data, Presence, State, Switch};

pub use doing::{Ask, Command, Doing, Reading, TakenBy};
pub(crate) use lines::body::comes_up;
use lines::body::{Takes, works};
pub(crate) use lines::foreign::before_foreign;
pub(crate) use lines::gates::wrong_with;
pub use list::{Closed, Complete, List, list};
pub(crate) use list::{before_the_door, planned, stops};
pub use look::Sight;
pub use makers_set::set_for;
pub use switch::Which;
pub use touches::Touches;
pub use words::{Cable, How, Price, Reversibility, Words};

/// What a search, or a judgement, moves on: what is known, and the packages that lead to a build that can
/// be unlocked and back, found before (`crate::builds`).
#[derive(Debug, Clone, Copy)]
pub struct Ground<'a> {
    /// What is known.
    pub of: &'a Dossier<'a>,
    /// Packages in order, by name.
    pub legs: &'a [&'a str],
    /// How many of them come before the unlock.
    pub before: usize,
    /// Where the way ends; nothing while no end is chosen.
    pub end: Option<&'a End>,
}

impl<'a> Ground<'a> {
    /// Without a way from build to build.
    #[must_use]
    pub fn plain(of: &'a Dossier<'a>) -> Self {
        Self {
            of,
            legs: &[],
            before: 0,
            end: None,
        }
    }

    /// The family.
    #[must_use]
    pub fn family(&self) -> &'a Family {
        self.of.family
    }

    /// Packages in all.
    #[must_use]
    pub fn ahead(&self) -> u8 {
        u8::try_from(self.legs.len()).unwrap_or(u8::MAX)
    }

    /// Packages after the unlock.
    #[must_use]
    pub fn after(&self) -> u8 {
        u8::try_from(self.legs.len() - self.before).unwrap_or(u8::MAX)
    }
}

/// From where a list is read: a state, and whether that is now. Later, what steps before it bring is so
/// because they bring it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Standpoint {
    /// The state.
    pub state: State,
    /// Whether it is now.
    pub when: When,
}

/// Now or later.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum When {
    /// As the facts have it.
    Now,
    /// As a sheet has it, at one of its steps.
    Later,
}

impl Standpoint {
    /// Now, as the facts have it.
    #[must_use]
    pub fn now(of: &Dossier<'_>) -> Self {
        Self {
            state: State::from_facts(of.told()),
            when: When::Now,
        }
    }

    /// At a step of a sheet that begins in `state`.
    #[must_use]
    pub fn later(state: State) -> Self {
        Self {
            state,
            when: When::Later,
        }
    }
}

/// A partition that an act writes, and with what.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Part<'a> {
    /// The partition.
    pub label: &'a Label,
    /// The image; nothing while it is open which one.
    pub image: Option<Digest>,
    /// Whose bytes these are: that decides which list they need, where they lie decides nothing.
    pub whose: Whose,
}

/// Which file an image comes out of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ImageOf {
    /// The file that is taken for the unit's recovery.
    TheChosen,
    /// What lies on the shelf of the maker's.
    TheMakers,
    /// The maker's whole set.
    TheMakersSet,
    /// The package, as it was published.
    ThePackage,
}

/// Whose bytes are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Whose {
    /// The unit's own (`G7`).
    Own,
    /// Its maker's, or somebody else's (`G4`).
    Others,
    /// Somebody else's, and only to be able to read (`G3`).
    ToRead,
}

/// What an act changed besides the state, once it is through (`K5`).
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Brings {
    /// What happened.
    pub happened: Vec<Happening>,
    /// What is concluded from it.
    pub facts: Vec<(FactKey, String)>,
}

/// What may be seen of an act that went as expected, beside the mode.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Shows {
    /// The lock that it is about, where that is not the main one.
    pub lock: Option<FactKey>,
    /// Facts that are seen then.
    pub facts: Vec<(FactKey, &'static str)>,
    /// What a person sees, in place of how the mode looks.
    pub instead: Option<&'static str>,
    /// What a person sees besides.
    pub besides: Option<String>,
    /// Whether nothing but its own words tells that it did it: no mode, lock or slot does.
    pub only_words: bool,
}

/// What an act is written down with: words of the family's own, by name.
pub type Args = BTreeMap<String, String>;

/// One kind of act. Everything that is particular to it stands in its file.
trait Kind: Sized {
    /// The most that it may touch.
    const TOUCHES: Touches;

    /// All that the family gives rise to, in its order.
    fn instances(on: Ground<'_>) -> Vec<Self>;

    /// The word it is written down with, kept for good.
    fn word(&self) -> &'static str;

    /// What it is written down with besides.
    fn args(&self) -> Vec<(&'static str, String)> {
        Vec::new()
    }

    /// The act that was written down so; nothing where it is none of this kind. What is missing reads as
    /// empty and names nothing.
    fn read(word: &str, args: &Args) -> Option<Self>;

    /// Whether it may serve `goal` at all.
    fn serves(&self, _goal: Goal) -> bool {
        true
    }

    /// What it touches: less than [`Self::TOUCHES`] only by a clause of the family's.
    fn touches(&self, _family: &Family) -> Touches {
        Self::TOUCHES
    }

    /// The rule whose list it needs.
    fn rule(&self, _of: &Dossier<'_>) -> Rule {
        Rule::Care
    }

    /// The lines of its own, beside those that its touches ask for.
    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line>;

    /// The state after it, where its rows held.
    fn after(&self, at: State, family: &Family) -> State;

    /// What it costs in `at`.
    fn price(&self, at: State, family: &Family) -> Price;

    /// What is said of it before it is permitted.
    fn words(&self, at: State, family: &Family) -> Words;

    /// What a person presses to have it done to the unit `name`, where it can't be undone.
    fn label(&self, at: State, family: &Family, name: &str) -> String {
        format!("{} of {name}", self.words(at, family).title)
    }

    /// How hands do it.
    fn how(&self, family: &Family) -> How;

    /// What it costs beside time, told before it is consented to.
    fn costs(&self, _of: &Dossier<'_>) -> Option<Costs> {
        None
    }

    /// What the device itself must answer at the door.
    fn asks(&self, _family: &Family) -> Vec<Ask> {
        Vec::new()
    }

    /// What is done, and by whom.
    fn doing(&self, family: &Family, by: By) -> Doing;

    /// What it writes.
    fn part(&self) -> Option<Part<'_>> {
        None
    }

    /// The partitions on which its bytes land, one after the other.
    fn lands_on(&self, _family: &Family) -> Vec<Label> {
        self.part()
            .map(|part| part.label.clone())
            .into_iter()
            .collect()
    }

    /// Whose bytes it brings, which decides what they need; where they lie decides nothing.
    fn whose(&self, _of: &Dossier<'_>) -> Option<Whose> {
        self.part().map(|part| part.whose)
    }

    /// Which file the image comes out of that goes out with it.
    fn image_of(&self) -> Option<ImageOf> {
        self.image().map(|_| ImageOf::TheChosen)
    }

    /// The image that goes out with it: nothing where none does, nothing within while it is open which.
    fn image(&self) -> Option<Option<Digest>> {
        self.part().map(|part| part.image)
    }

    /// The same with this image.
    fn choosing(self, _image: Digest) -> Self {
        self
    }

    /// The file on the shelf that it takes.
    fn file(&self) -> Option<&str> {
        None
    }

    /// What exists once and is lost by it; nothing where the family does not say.
    fn destroys(&self, _family: &Family) -> Option<Vec<Label>> {
        Some(Vec::new())
    }

    /// What it leaves behind once it is through.
    fn brings(&self, _family: &Family) -> Brings {
        Brings::default()
    }

    /// What may be seen once it went as expected, beside mode and lock.
    fn shows(&self) -> Shows {
        Shows::default()
    }

    /// What has to be taken for having happened while nobody knows how it ended (`L3`).
    fn doubt(&self) -> Option<Happening> {
        None
    }
}

macro_rules! kinds {
    ($($(#[$doc:meta])* $file:ident::$kind:ident,)*) => {
        $(mod $file;)*
        $(pub use $file::$kind;)*

        /// Something that can be done to a unit, by the family's ids.
        #[derive(Debug, Clone, PartialEq, Eq)]
        pub enum Act {
            $($(#[$doc])* $kind($kind),)*
        }

        $(impl From<$kind> for Act {
            fn from(kind: $kind) -> Self {
                Self::$kind(kind)
            }
        })*

        /// The only place that tells kinds apart.
        macro_rules! of_its_kind {
            ($act:expr, $one:ident => $do:expr) => {
                match $act { $(Act::$kind($one) => $do,)* }
            };
        }

        impl Act {
            /// Every act that the family gives rise to, in a fixed order.
            pub(crate) fn instances(on: Ground<'_>) -> Vec<Self> {
                let mut all = Vec::new();
                $(all.extend($kind::instances(on).into_iter().map(Self::from));)*
                all
            }

            /// The act that was written down so.
            #[must_use]
            pub fn read(word: &str, args: &Args) -> Option<Self> {
                $(if let Some(kind) = $kind::read(word, args) {
                    return Some(kind.into());
                })*
                None
            }
        }
    };
}

kinds! {
    /// Find out what is not known.
    look::Look,
    /// Go to another mode.
    go::Go,
    /// Change a switch in its settings.
    switch::SetSwitch,
    /// Open a stage of the lock (`G1`).
    unlock::Unlock,
    /// Close a stage of the lock again (`G8`).
    relock::Relock,
    /// Erase the owner's data (`G5`).
    wipe::Erase,
    /// Make a slot the active one (`G5`).
    set_slot::SetSlot,
    /// Install the package that is next on the way from build to build (`G2`, `G4`).
    install::Install,
    /// Start an image from memory.
    start::StartImage,
    /// Read the partition table.
    read_table::ReadTable,
    /// Capture everything that exists once, and what else a quick capture holds.
    capture::Capture,
    /// Write an image to the recovery partition (`G4`).
    write::WriteImage,
    /// Write an image only to get rights to read (`G3`).
    write_to_read::WriteToRead,
    /// Put a recovery inside an image that starts the system too (`G4`).
    put_inside::PutInside,
    /// Have a recovery that runs from memory install itself (`G4`).
    install_within::InstallWithin,
    /// Put the maker's recovery back where another one was written (`G4`).
    makers_recovery::PutMakersRecovery,
    /// Put the maker's whole set on it (`G2`, `G4`).
    makers_set::PutMakersSet,
    /// Put a partition back from a capture (`G7`).
    put_back::PutBack,
    /// Put the maker's bytes on a partition (`G4`).
    put_stock::PutStock,
    /// Erase everything, what exists once included (`G6`).
    erase_all::EraseAll,
}

/// An act as it is shown: the word it is written down with, and the family's words besides.
#[derive(Serialize, utoipa::ToSchema)]
#[schema(as = Act)]
struct Shown {
    /// The word of its kind.
    kind: &'static str,
    /// The family's words that it is said with, by name.
    #[serde(flatten)]
    args: Args,
}

impl Serialize for Act {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        let (kind, args) = (self.word(), self.args());
        Shown { kind, args }.serialize(to)
    }
}

crate::shown_as!(Act, "Act", Shown);

impl Act {
    /// The word it is written down with.
    #[must_use]
    pub fn word(&self) -> &'static str {
        of_its_kind!(self, one => one.word())
    }

    /// What it is written down with besides.
    #[must_use]
    pub fn args(&self) -> Args {
        let args = of_its_kind!(self, one => one.args());
        let named = args
            .into_iter()
            .map(|(name, value)| (name.to_owned(), value));
        named.collect()
    }

    pub(crate) fn serves(&self, goal: Goal) -> bool {
        of_its_kind!(self, one => one.serves(goal))
    }

    /// The most that it may touch, on a unit of any family.
    #[must_use]
    pub fn most(&self) -> Touches {
        fn of<K: Kind>(_: &K) -> Touches {
            K::TOUCHES
        }
        of_its_kind!(self, one => of(one))
    }

    /// What it touches on a unit of `family`.
    #[must_use]
    pub fn touches(&self, family: &Family) -> Touches {
        of_its_kind!(self, one => one.touches(family))
    }

    /// Whether it changes anything for which a permit is needed.
    #[must_use]
    pub fn is_permitted(&self, family: &Family) -> bool {
        self.touches(family).is_permitted()
    }

    /// The rule whose list it needs.
    #[must_use]
    pub fn rule(&self, of: &Dossier<'_>) -> Rule {
        of_its_kind!(self, one => one.rule(of))
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        of_its_kind!(self, one => one.lines(on, at))
    }

    pub(crate) fn after(&self, at: State, family: &Family) -> State {
        let after = of_its_kind!(self, one => one.after(at, family));
        match (at.mode, after.mode) {
            (from, Some(Mode::System)) if from != Some(Mode::System) => started(after, family),
            _ => after,
        }
    }

    pub(crate) fn price(&self, at: State, family: &Family) -> Price {
        of_its_kind!(self, one => one.price(at, family))
    }

    /// What a person presses to have it done to the unit `name`, where it can't be undone.
    #[must_use]
    pub fn label(&self, at: State, family: &Family, name: &str) -> String {
        of_its_kind!(self, one => one.label(at, family, name))
    }

    /// What is said of it before it is permitted. Where hands move the cable, that says where it is (`N4`).
    #[must_use]
    pub fn words(&self, at: State, family: &Family) -> Words {
        let words = of_its_kind!(self, one => one.words(at, family));
        let phases = self.how(family).phases;
        match phases.is_empty() {
            true => words,
            false => words.cable(Cable::of(&phases)),
        }
    }

    /// How hands do it, where nothing needs a permit for that; else a [`Complete`] tells.
    #[must_use]
    pub fn how_unpermitted(&self, family: &Family) -> How {
        if self.is_permitted(family) {
            return How::default();
        }
        self.how(family)
    }

    fn how(&self, family: &Family) -> How {
        of_its_kind!(self, one => one.how(family))
    }

    /// What it costs beside time, told before it is consented to.
    #[must_use]
    pub fn costs(&self, of: &Dossier<'_>) -> Option<Costs> {
        of_its_kind!(self, one => one.costs(of))
    }

    fn asks(&self, family: &Family) -> Vec<Ask> {
        of_its_kind!(self, one => one.asks(family))
    }

    /// What is done, and by whom.
    #[must_use]
    pub fn doing(&self, family: &Family, by: By) -> Doing {
        of_its_kind!(self, one => one.doing(family, by))
    }

    /// What it writes.
    #[must_use]
    pub fn part(&self) -> Option<Part<'_>> {
        of_its_kind!(self, one => one.part())
    }

    /// The partitions on which its bytes land, one after the other.
    #[must_use]
    pub fn lands_on(&self, family: &Family) -> Vec<Label> {
        of_its_kind!(self, one => one.lands_on(family))
    }

    /// Whose bytes it brings.
    #[must_use]
    pub fn whose(&self, of: &Dossier<'_>) -> Option<Whose> {
        of_its_kind!(self, one => one.whose(of))
    }

    /// Which file the image comes out of that goes out with it.
    #[must_use]
    pub fn image_of(&self) -> Option<ImageOf> {
        of_its_kind!(self, one => one.image_of())
    }

    /// The image that goes out with it: nothing where none does, nothing within while it is open which.
    #[must_use]
    pub fn image(&self) -> Option<Option<Digest>> {
        of_its_kind!(self, one => one.image())
    }

    /// The same with this image, where one goes out with it.
    #[must_use]
    pub fn choosing(self, image: Digest) -> Self {
        of_its_kind!(self, one => one.choosing(image).into())
    }

    /// The package on the shelf that it takes.
    #[must_use]
    pub fn file(&self) -> Option<&str> {
        of_its_kind!(self, one => one.file())
    }

    /// How what lives has to be kept for it (`B6`): a package, or a whole set, that by the family's word leaves alone what exists
    /// once needs it as it was captured on the way to it.
    #[must_use]
    pub fn asks_of_living(&self, family: &Family) -> Living {
        let leaves_alone = self.destroys(family).is_some_and(|lost| lost.is_empty());
        let is_whole = self.file().is_some() || self.image_of() == Some(ImageOf::TheMakersSet);
        match is_whole && leaves_alone {
            true => Living::AsCaptured,
            false => Living::AsNow,
        }
    }

    /// What exists once and is lost by it; nothing where the family does not say.
    #[must_use]
    pub fn destroys(&self, family: &Family) -> Option<Vec<Label>> {
        of_its_kind!(self, one => one.destroys(family))
    }

    /// What it leaves behind once it is through.
    #[must_use]
    pub fn brings(&self, family: &Family) -> Brings {
        of_its_kind!(self, one => one.brings(family))
    }

    /// What may be seen once it went as expected, beside mode and lock.
    #[must_use]
    pub fn shows(&self) -> Shows {
        of_its_kind!(self, one => one.shows())
    }

    /// What has to be taken for having happened while nobody knows how it ended.
    #[must_use]
    pub fn doubt(&self) -> Option<Happening> {
        of_its_kind!(self, one => one.doubt())
    }
}

/// Tries of reading after which it counts as failed: one may be a slip of hands.
pub(crate) const TRIES_OF_READING: u8 = 2;

/// Whether copies of what exists once can be made before something of the maker's is put on the unit (`G2`, `G4`).
fn copies_can_be_had(of: &Dossier<'_>) -> bool {
    let mut routes = of.family.read_routes.iter();
    let reads_locked =
        routes.any(|route| route.kind != RouteKind::RunningSystem && route.lock == RouteLock::Any);
    let may_read =
        reads_locked || of.facts.lock() == Some(Lock::Unlocked) && !is_shut_to_reading(of);
    may_read && of.failed_reads < TRIES_OF_READING
}

/// Whether nothing can be written any more to read it with: that asks for what its running system shows (`L5`), and
/// its system does not come up.
fn is_shut_to_reading(of: &Dossier<'_>) -> bool {
    let (family, facts) = (of.family, of.facts);
    let is_dead = matches!(facts.choice(FactKey::Starts), Some("animation" | "nothing"));
    let lies_there = facts.recovery() == Some(RecoveryKind::Custom);
    let is_shown = |line: &Line| match line.cure() {
        Some(Cure::TypeFact { key, .. } | Cure::DoThenType { key, .. }) => key.is_of_the_system(),
        _ => false,
    };
    let mut asked = before_foreign(family, facts).into_iter();
    is_dead
        && family.is_read_by_writing()
        && !lies_there
        && asked.any(|line| !line.is_met() && is_shown(&line))
}

/// Which list it is goes by the lock, and a lock that is not known is neither (`E1`); nothing where the family has
/// none.
fn lock_told(of: &Dossier<'_>) -> Option<Line> {
    let (family, facts) = (of.family, of.facts);
    if family.stages.is_empty() {
        return None;
    }
    Some(match choice(facts, FactKey::Lock) {
        Some((lock, basis)) => Line::met(Rule::L3, format!("It is {lock}."), basis),
        None => {
            let question = "Is it locked or unlocked?";
            not_known(family, facts, Rule::L3, FactKey::Lock, question)
        }
    })
}

/// The row that the unit is in the mode that takes the command.
fn in_mode(bit: Bit, wanted: &str, on: Ground<'_>, at: Standpoint) -> Line {
    let facts = on.of.told();
    let line = if bit.holds(at.state) {
        let known = facts.known(FactKey::Mode).filter(|_| at.when == When::Now);
        let basis = known.map_or(Basis::Ahead, Basis::from);
        Line::met(Rule::L3, format!("It is in {wanted}."), basis)
    } else {
        let found = facts.mode().map_or("not known", crate::mode::Mode::shown);
        let text = format!("It must be in {wanted} for this; now: {found}.");
        let need = Need::Carried {
            cure: Some(Cure::ReadByLink),
        };
        Line::missing(Rule::L3, text, need).citing(facts, [FactKey::Mode])
    };
    line.row(bit).due(Due::Door)
}

/// The row that no look is built on that was not taken: nothing that can't be undone follows one.
fn settled(at: Standpoint) -> Option<Line> {
    row(Bit::Settled, at, "Everything that it builds on was seen.")
}

/// The row that there is something to do.
fn open(axis: crate::state::Axis, at: Standpoint) -> Option<Line> {
    row(Bit::Open(axis), at, "It is not so yet.")
}

/// A row that only a plan has to mind: whoever is asked about it now is not told of it.
fn row(bit: Bit, at: Standpoint, text: &str) -> Option<Line> {
    if at.when == When::Now {
        return None;
    }
    let line = if bit.holds(at.state) {
        Line::met(Rule::L3, text, Basis::Ahead)
    } else {
        Line::missing(Rule::L3, bit.lacking(), Need::Carried { cure: None })
    };
    Some(line.row(bit).due(Due::Door))
}

/// Who reads the unit itself (`B2`): a bench link, or hands that dump it (`B12`).
fn readable(on: Ground<'_>) -> Line {
    let line = match on.of.by.link {
        Presence::Here => Line::met(
            Rule::B2,
            "A bench link reads it.",
            Basis::log("the bridge that it is linked by"),
        ),
        Presence::Missing => Line::met(
            Rule::B12,
            "Hands read it, and hand in what they dumped.",
            Basis::log("that it has no link"),
        ),
    };
    line.due(Due::Begin)
}

/// The row of the lock, with where to find out; `already` says what it means that it is the other way.
fn lock(wanted: Lock, already: &str, on: Ground<'_>, at: Standpoint) -> Line {
    let (family, facts) = (on.of.family, on.of.told());
    let bit = Bit::Lock(wanted);
    let known = facts.known(FactKey::Lock);
    let line = match (at.state.lock, known) {
        (Some(lock), Some(row)) if lock == wanted && at.when == When::Now => {
            Line::met(Rule::L3, format!("It is {}.", lock.id()), row)
        }
        (Some(lock), _) if lock == wanted && at.when == When::Later => {
            Line::met(Rule::L3, format!("It is {}.", lock.id()), Basis::Ahead)
        }
        (Some(_), Some(_)) => Line::missing(Rule::L3, already, Need::Carried { cure: None })
            .citing(facts, [FactKey::Lock]),
        _ => {
            let question = "Is it locked or unlocked?";
            let line = not_known(family, facts, Rule::L3, FactKey::Lock, question);
            let cure = line.cure().cloned();
            carried(line, cure)
        }
    };
    line.row(bit)
}

/// An open line that some act on a sheet brings.
fn carried(line: Line, cure: Option<Cure>) -> Line {
    use crate::evidence::Stands;
    let stands = match line.stands {
        Stands::Met { basis } => Stands::Met { basis },
        Stands::Missing { looked_at, .. } => Stands::Missing {
            need: Need::Carried { cure },
            looked_at,
        },
        Stands::Unknown { looked_at, .. } => Stands::Unknown {
            need: Need::Carried { cure },
            looked_at,
        },
    };
    Line { stands, ..line }
}

/// The state after the owner's data was erased: what lives in it goes along (`L4`).
fn erased(at: State) -> State {
    State {
        data: Data::Erased,
        debugging: Some(Switch::Off),
        fast_start: None,
        rights: None,
        ..at
    }
}

/// Whether erasing these roles loses the owner's data.
fn erases_data(erases: &[Role]) -> bool {
    erases.contains(&Role::UserData)
}

fn arg(args: &Args, name: &str) -> String {
    args.get(name).cloned().unwrap_or_default()
}

#[cfg(test)]
pub(crate) mod testing;
#[cfg(test)]
mod tests;
