//! A line of a list: what a rule asks for, how it stands, on what that rests, and who can change it.
//!
//! Nothing here knows an act. A line that is met names what it rests on ([`Grounds`] is never empty); an
//! open one says what it needs and what was looked at.

use serde::Serialize;
use veritope_wire::{BenchTime, CaptureId, Digest, Label};

use crate::facts::{CitedFact, FactKey, FactRow, Facts, Reading};
use crate::family::Family;
use crate::rule::Rule;
use crate::state::Bit;

/// What a line rests on.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "of", rename_all = "kebab-case")]
pub enum Basis {
    /// A fact that is known now.
    Fact(CitedFact),
    /// What the device itself answers at this look.
    Device(CitedFact),
    /// Bytes that were hashed in this process.
    Hashed {
        /// What they are.
        what: String,
        /// Their digest.
        digest: Digest,
    },
    /// Copies that were read back.
    Copies {
        /// The partition.
        label: Label,
        /// Places that stand apart.
        places: u32,
    },
    /// What this bench wrote down.
    Log {
        /// What it is.
        what: String,
    },
    /// What the family's file says.
    Clause {
        /// Which part of it.
        what: String,
    },
    /// A person's consent, or what they waived.
    Consent {
        /// When.
        at: BenchTime,
    },
    /// An erase that was seen to end here, and no set-up since.
    Emptied {
        /// When it ended.
        at: BenchTime,
    },
    /// A step before it on this sheet brings it.
    Ahead,
}

impl Basis {
    /// What the family's file says of `what`.
    #[must_use]
    pub fn clause(what: impl Into<String>) -> Self {
        Self::Clause { what: what.into() }
    }

    /// What this bench wrote down of `what`.
    #[must_use]
    pub fn log(what: impl Into<String>) -> Self {
        Self::Log { what: what.into() }
    }
}

impl From<&FactRow> for Basis {
    fn from(row: &FactRow) -> Self {
        Self::Fact(row.into())
    }
}

/// What a met line rests on: one thing at least.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Grounds(Vec<Basis>);

impl Grounds {
    /// All of them.
    #[must_use]
    pub fn all(&self) -> &[Basis] {
        &self.0
    }

    /// These and more.
    #[must_use]
    pub fn and(mut self, more: impl IntoIterator<Item = Basis>) -> Self {
        self.0.extend(more);
        self
    }
}

impl<B: Into<Basis>> From<B> for Grounds {
    fn from(one: B) -> Self {
        Self(vec![one.into()])
    }
}

/// Whether an absence can change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Finality {
    /// Nothing changes it.
    Final,
    /// It can change; the line says how.
    Open,
}

/// Who can change an open line. Written at each line, never derived from its cure.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "need", rename_all = "kebab-case")]
pub enum Need {
    /// Some act on a sheet brings it; a person may say that it is so already.
    Carried {
        /// How a person finds out.
        cure: Option<Cure>,
    },
    /// A person: once met, this very act can be done.
    Person {
        /// How.
        cure: Cure,
    },
    /// The step itself, which hashes or reads back before anything is sent.
    Ours {
        /// What a person could do meanwhile.
        cure: Option<Cure>,
    },
    /// Nobody, as things are. It reads the same from every standpoint.
    Absent {
        /// Whether that can change.
        finality: Finality,
    },
}

/// By when a line must be met.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Due {
    /// Before the sheet begins, whichever of its steps asks for it.
    Begin,
    /// Before the unit is changed by this step; before the sheet begins, where this is its first change.
    Way,
    /// As this step is permitted: what steps before it bring, or what is read then.
    Door,
}

/// How a line stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Stands {
    /// It is so.
    Met {
        /// What that rests on.
        basis: Grounds,
    },
    /// It is known to be otherwise.
    Missing {
        /// Who can change it.
        need: Need,
        /// What was looked at.
        looked_at: Vec<Basis>,
    },
    /// It is not known.
    Unknown {
        /// Who can change it.
        need: Need,
        /// What was looked at.
        looked_at: Vec<Basis>,
    },
}

/// What closes a gap; the screen turns it into a button.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "cure", rename_all = "kebab-case")]
pub enum Cure {
    /// Find out and type a fact.
    TypeFact {
        /// Which.
        key: FactKey,
        /// Where it stands on this family.
        place: String,
    },
    /// Do something on the device, then type the fact again.
    DoThenType {
        /// Which.
        key: FactKey,
        /// What to do.
        instruction: String,
    },
    /// Check on the unit what works, one function after the other, and note each.
    Check {
        /// Which functions.
        keys: Vec<FactKey>,
        /// What to mind.
        instruction: String,
        /// What is said instead, where it may be left out.
        waive: Option<FactKey>,
    },
    /// Tick or waive the open classes.
    KeepSafe {
        /// How many are open.
        open: u32,
    },
    /// Charge.
    Charge {
        /// Until this charge in per cent.
        until_percent: u32,
    },
    /// Read over the link.
    ReadByLink,
    /// Start its system, and see it come up.
    StartSystem,
    /// Capture the unit's partitions.
    Capture,
    /// Bring a capture to more places, or read its copies back.
    KeepCopies {
        /// Which capture.
        capture: CaptureId,
    },
    /// Put bytes back from a capture.
    PutBack,
    /// Read what it costs and type the name.
    Consent,
    /// Wait.
    Wait {
        /// Until then.
        until: BenchTime,
    },
    /// Somebody else decides.
    Ask {
        /// Who.
        who: String,
        /// What to type once they did.
        key: FactKey,
    },
    /// Find these packages and put them where they must lie.
    Fetch {
        /// Their names.
        packages: Vec<String>,
        /// What to type once they lie there; nothing where this bench's shelf is where they must lie.
        key: Option<FactKey>,
    },
    /// Put the maker's bytes back.
    PutStock {
        /// Onto these partitions.
        labels: Vec<Label>,
    },
    /// Put a matching file onto the shelf.
    Shelve,
    /// Put the maker's images of these partitions onto the shelf.
    ShelveStock {
        /// Which.
        labels: Vec<Label>,
    },
    /// Choose the file that is taken, with a reason where something speaks against it.
    Choose,
}

impl Cure {
    /// The need of a person who can do this.
    #[must_use]
    pub fn by_person(self) -> Need {
        Need::Person { cure: self }
    }
}

/// One line of a list.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(into = "Shown")]
pub struct Line {
    /// The rule that asks for it.
    pub rule: Rule,
    /// In one sentence.
    pub text: String,
    /// How it stands.
    pub stands: Stands,
    /// By when it must be met.
    pub due: Due,
    /// The condition on the unit's state, where it is one: what a plan reads.
    pub bit: Option<Bit>,
    /// Minutes that it takes, where that is known.
    pub minutes: Option<u32>,
}

/// A line as it is shown.
#[derive(Serialize, utoipa::ToSchema)]
#[schema(as = Line)]
struct Shown {
    /// The rule that asks for it.
    rule: Rule,
    /// How it stands.
    state: LineState,
    /// In one sentence.
    text: String,
    /// Who can change it, while it is open.
    need: Option<Need>,
    /// What a person can do about it, while it is open.
    cure: Option<Cure>,
    /// By when it must be met.
    due: Due,
    /// Minutes that it takes, where that is known.
    minutes: Option<u32>,
    /// The facts it rests on, or that were looked at.
    facts: Vec<CitedFact>,
    /// What else it rests on, or was looked at.
    grounds: Vec<Basis>,
}

/// How a line stands, in a word.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum LineState {
    /// It is so.
    Met,
    /// It is known to be otherwise.
    Missing,
    /// It is not known.
    Unknown,
}

impl From<Line> for Shown {
    fn from(line: Line) -> Self {
        let fact = |basis: &Basis| match basis {
            Basis::Fact(fact) | Basis::Device(fact) => Some(fact.clone()),
            _ => None,
        };
        Self {
            rule: line.rule,
            state: match line.stands {
                Stands::Met { .. } => LineState::Met,
                Stands::Missing { .. } => LineState::Missing,
                Stands::Unknown { .. } => LineState::Unknown,
            },
            need: line.need().cloned(),
            cure: line.cure().cloned(),
            due: line.due,
            minutes: line.minutes,
            facts: line.basis().iter().filter_map(fact).collect(),
            grounds: line
                .basis()
                .iter()
                .filter(|basis| fact(basis).is_none())
                .cloned()
                .collect(),
            text: line.text,
        }
    }
}

crate::shown_as!(Line, "Line", Shown);

impl Line {
    /// Whether whoever answers this line has answered the other one too: it is the same, or it asks for the
    /// same fact, or for the same files and more.
    #[must_use]
    pub fn asks_as_much(&self, other: &Self) -> bool {
        let is_same = (self.rule, &self.text) == (other.rule, &other.text);
        is_same
            || match (self.cure(), other.cure()) {
                (Some(Cure::TypeFact { key, .. }), Some(Cure::TypeFact { key: asked, .. })) => {
                    key == asked
                }
                (
                    Some(Cure::Fetch { packages, .. }),
                    Some(Cure::Fetch {
                        packages: asked, ..
                    }),
                ) => asked.iter().all(|name| packages.contains(name)),
                _ => false,
            }
    }

    /// A line that is met, resting on `basis`.
    #[must_use]
    pub fn met(rule: Rule, text: impl Into<String>, basis: impl Into<Grounds>) -> Self {
        let basis = basis.into();
        Self::of(rule, text.into(), Stands::Met { basis })
    }

    /// A line that is known not to hold.
    #[must_use]
    pub fn missing(rule: Rule, text: impl Into<String>, need: Need) -> Self {
        let looked_at = Vec::new();
        Self::of(rule, text.into(), Stands::Missing { need, looked_at })
    }

    /// A line that is not known to hold.
    #[must_use]
    pub fn unknown(rule: Rule, text: impl Into<String>, need: Need) -> Self {
        let looked_at = Vec::new();
        Self::of(rule, text.into(), Stands::Unknown { need, looked_at })
    }

    /// A line that nobody can change as things are.
    #[must_use]
    pub fn absent(rule: Rule, text: impl Into<String>) -> Self {
        let finality = Finality::Open;
        Self::missing(rule, text, Need::Absent { finality })
    }

    fn of(rule: Rule, text: String, stands: Stands) -> Self {
        Self {
            rule,
            text,
            stands,
            due: Due::Way,
            bit: None,
            minutes: None,
        }
    }

    /// The same, where nobody can change it as things are.
    #[must_use]
    pub fn left_to_nobody(self) -> Self {
        let need = Need::Absent {
            finality: Finality::Open,
        };
        let stands = match self.stands {
            Stands::Met { basis } => Stands::Met { basis },
            Stands::Missing { looked_at, .. } => Stands::Missing { need, looked_at },
            Stands::Unknown { looked_at, .. } => Stands::Unknown { need, looked_at },
        };
        Self { stands, ..self }
    }

    /// The same, due then.
    #[must_use]
    pub fn due(self, due: Due) -> Self {
        Self { due, ..self }
    }

    /// The same, being this condition on the unit's state.
    #[must_use]
    pub fn row(self, bit: Bit) -> Self {
        Self {
            bit: Some(bit),
            ..self
        }
    }

    /// The same, taking so many minutes.
    #[must_use]
    pub fn minutes(self, minutes: impl Into<Option<u32>>) -> Self {
        Self {
            minutes: minutes.into(),
            ..self
        }
    }

    /// The same for another rule.
    #[must_use]
    pub fn under(self, rule: Rule) -> Self {
        Self { rule, ..self }
    }

    /// The same, having looked at this: what an open line saw, or more that a met one rests on.
    #[must_use]
    pub fn seen(mut self, seen: impl IntoIterator<Item = Basis>) -> Self {
        match &mut self.stands {
            Stands::Met { basis } => basis.0.extend(seen),
            Stands::Missing { looked_at, .. } | Stands::Unknown { looked_at, .. } => {
                looked_at.extend(seen);
            }
        }
        self
    }

    /// The same, having looked at how these facts read.
    #[must_use]
    pub fn citing(self, facts: &Facts, keys: impl IntoIterator<Item = FactKey>) -> Self {
        let seen: Vec<Basis> = keys.into_iter().flat_map(|key| cite(facts, key)).collect();
        self.seen(seen)
    }

    /// Whether it is so.
    #[must_use]
    pub fn is_met(&self) -> bool {
        matches!(self.stands, Stands::Met { .. })
    }

    /// Whether it is known to be otherwise.
    #[must_use]
    pub fn is_missing(&self) -> bool {
        matches!(self.stands, Stands::Missing { .. })
    }

    /// Whether it is not known.
    #[must_use]
    pub fn is_unknown(&self) -> bool {
        matches!(self.stands, Stands::Unknown { .. })
    }

    /// Who can change it, while it is open.
    #[must_use]
    pub fn need(&self) -> Option<&Need> {
        match &self.stands {
            Stands::Met { .. } => None,
            Stands::Missing { need, .. } | Stands::Unknown { need, .. } => Some(need),
        }
    }

    /// What a person can do about it, while it is open.
    #[must_use]
    pub fn cure(&self) -> Option<&Cure> {
        match self.need()? {
            Need::Person { cure } => Some(cure),
            Need::Carried { cure } | Need::Ours { cure } => cure.as_ref(),
            Need::Absent { .. } => None,
        }
    }

    /// Whether nobody can change it as things are, and whether ever.
    #[must_use]
    pub fn absence(&self) -> Option<Finality> {
        match self.need()? {
            Need::Absent { finality } => Some(*finality),
            _ => None,
        }
    }

    /// What it rests on, or what was looked at.
    #[must_use]
    pub fn basis(&self) -> &[Basis] {
        match &self.stands {
            Stands::Met { basis } => &basis.0,
            Stands::Missing { looked_at, .. } | Stands::Unknown { looked_at, .. } => looked_at,
        }
    }
}

/// The lines that are not met.
#[must_use]
pub fn open(lines: Vec<Line>) -> Vec<Line> {
    lines.into_iter().filter(|line| !line.is_met()).collect()
}

/// How a fact reads: what of it there is.
#[must_use]
pub fn cite(facts: &Facts, key: FactKey) -> Vec<Basis> {
    match facts.get(key) {
        Reading::Known(row) | Reading::Stale(row) => vec![row.into()],
        Reading::Contradicted(rows) => rows.into_iter().map(Basis::from).collect(),
        Reading::Unknown => Vec::new(),
    }
}

/// The id of a choice that is known now, with what that rests on.
#[must_use]
pub fn choice(facts: &Facts, key: FactKey) -> Option<(&str, Grounds)> {
    let row = facts.known(key)?;
    Some((facts.choice(key)?, Grounds::from(row)))
}

/// The line for a fact that is not known now, with where to find it.
#[must_use]
pub fn not_known(family: &Family, facts: &Facts, rule: Rule, key: FactKey, question: &str) -> Line {
    let place = family.place(key);
    let text = match facts.get(key) {
        Reading::Contradicted(_) => {
            format!("{question} Two sources say different things: look again.")
        }
        Reading::Stale(row) if facts.sight().left().is_some_and(|left| row.at <= left) => format!(
            "{question} It was known, but the unit was out of sight for more than a day since."
        ),
        Reading::Stale(_) => format!("{question} It was known, but something happened since."),
        Reading::Known(_) | Reading::Unknown => question.to_owned(),
    };
    Line::unknown(rule, text, look_at(family, key).by_person())
        .minutes(place.map(|place| place.minutes).or(Some(1)))
        .citing(facts, [key])
}

/// `line`, unless it rests on a fact that is doubtful: then it is not known, and says what to read again.
/// A line that asks for that very fact already is left as it is.
#[must_use]
pub(crate) fn unless_doubted(line: Line, family: &Family, facts: &Facts) -> Line {
    let doubts = facts.doubts();
    if doubts.is_empty() || line.is_unknown() {
        return line;
    }
    let cited = |key: &FactKey| {
        let mut basis = line.basis().iter();
        basis.any(|one| matches!(one, Basis::Fact(fact) if fact.key == *key))
    };
    let found = doubts.iter().find_map(|doubt| {
        let key = doubt.keys.iter().find(|key| cited(key))?;
        Some((doubt, *key))
    });
    let Some((doubt, key)) = found else {
        return line;
    };
    let minutes = family.place(key).map(|place| place.minutes);
    let looked_at = line.basis().to_vec();
    let open = Line::unknown(
        line.rule,
        doubt.text.clone(),
        look_at(family, key).by_person(),
    );
    Line {
        due: line.due,
        bit: line.bit,
        ..open.minutes(minutes.or(Some(1))).seen(looked_at)
    }
}

/// Where a fact is read on this family.
#[must_use]
pub fn look_at(family: &Family, key: FactKey) -> Cure {
    let place = family.place(key);
    Cure::TypeFact {
        key,
        place: place.map_or_else(String::new, |place| place.place.clone()),
    }
}
