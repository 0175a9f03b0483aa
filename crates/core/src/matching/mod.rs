//! Is this the right file? What a file says of itself is held against what a family wants of a recovery,
//! criterion by criterion (`M1`-`M10`): *fits*, *does not*, *doubtful*, *unknown*, each with why. What is
//! only claimed, contradicted or not said is never *fits*.
//!
//! * `told` what a file says of itself, as values · `want` what a family wants, and where
//! * `criteria` one function a rule · `making` the right form out of what there is
//! * `stock` is this set of the maker's this unit's?

mod criteria;
mod making;
mod stock;
#[cfg(test)]
mod tests;
mod told;
mod want;

use serde::Serialize;
use veritope_wire::Digest;

pub use self::making::{Make, Way, WrappedWith, lands_on};
pub use self::stock::{StockClaims, judge_stock};
pub use self::told::{About, Form, Piece, Reach, Said, Speaker, Starts, Told};
pub use self::want::{Place, RecoveryPlace, Wanted};

use crate::evidence::{Basis, Cure, Line};
use crate::facts::Version;
use crate::published::{Compared, PublishedDigest};
use crate::rule::Rule;

/// Whether a criterion holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Fit {
    /// It holds, and something shows it.
    Fits,
    /// Nothing says so or otherwise.
    Unknown,
    /// Something speaks against it, or contradicts itself.
    Doubtful,
    /// It does not.
    Stops,
}

/// What follows where a criterion does not hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Weight {
    /// The file is not taken.
    Hard,
    /// It is not taken without a reason that a person types.
    Reason,
    /// It is to be known.
    Soft,
}

/// One criterion, judged.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Finding {
    /// The rule.
    pub rule: Rule,
    /// Whether it holds.
    pub fit: Fit,
    /// What follows where it does not.
    pub weight: Weight,
    /// Why, in one sentence.
    pub text: String,
    /// What would have to be true for it to hold; nothing where it does.
    pub wanted: Option<String>,
}

impl Finding {
    fn fits(rule: Rule, text: impl Into<String>) -> Self {
        Self {
            rule,
            fit: Fit::Fits,
            weight: Weight::Hard,
            text: text.into(),
            wanted: None,
        }
    }

    fn not(rule: Rule, fit: Fit, text: impl Into<String>, wanted: impl Into<String>) -> Self {
        Self {
            rule,
            fit,
            weight: Weight::Hard,
            text: text.into(),
            wanted: Some(wanted.into()),
        }
    }

    /// The file can't be relied on (`M8`). `why` has no full stop.
    #[must_use]
    pub fn damaged(why: String) -> Self {
        Self::not(
            Rule::M8,
            Fit::Stops,
            format!("It can't be relied on: {why}: fetch it again."),
            "It is whole, and has the digest that its publisher gives.",
        )
    }

    fn weighing(self, weight: Weight) -> Self {
        Self { weight, ..self }
    }

    /// Whether it keeps the file from being taken, a reason or not.
    #[must_use]
    pub fn bars(&self) -> bool {
        self.fit != Fit::Fits && self.weight == Weight::Hard
    }

    /// Whether it asks for a reason.
    #[must_use]
    pub fn asks_reason(&self) -> bool {
        self.fit != Fit::Fits && self.weight == Weight::Reason
    }

    /// As a line of a list, resting on what was read and hashed of the file; nothing for what is only to be
    /// known. `reason` is what a person typed for this file.
    #[must_use]
    pub fn line(&self, basis: Basis, reason: Option<&str>) -> Option<Line> {
        let text = self.text.clone();
        Some(match (self.fit, self.weight, reason) {
            (Fit::Fits, ..) => Line::met(self.rule, text, basis),
            (_, Weight::Soft, _) => return None,
            (_, Weight::Reason, Some(reason)) => Line::met(
                self.rule,
                format!("{text} Taken all the same: {reason}."),
                basis,
            ),
            (_, Weight::Reason, None) => {
                Line::missing(self.rule, text, Cure::Choose.by_person()).seen([basis])
            }
            (Fit::Unknown, Weight::Hard, _) => {
                Line::unknown(self.rule, text, Cure::Shelve.by_person()).seen([basis])
            }
            (_, Weight::Hard, _) => Line::absent(self.rule, text).seen([basis]),
        })
    }
}

/// What a publisher says of a file, held against its bytes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Check {
    /// The digest that is given.
    pub published: PublishedDigest,
    /// How it compares.
    pub compared: Compared,
}

/// A file that is judged.
#[derive(Debug, Clone, Copy)]
pub struct File<'a> {
    /// What it says of itself.
    pub told: &'a Told,
    /// Its name; nothing rests on it.
    pub name: &'a str,
    /// Its digest, as seen.
    pub digest: Digest,
    /// Digests that its publisher gives, of it or of what it was made of here.
    pub checks: &'a [Check],
    /// What it was made of here, where the digests are of that.
    pub made_of: Option<&'a str>,
    /// Where it came from, where somebody said.
    pub origin: Option<&'a str>,
    /// Days since it was published, where somebody said.
    pub days_old: Option<i64>,
}

/// What comes of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
#[schema(as = MatchVerdict)]
pub enum Verdict {
    /// It is taken as it is.
    Fits,
    /// It is taken with a reason.
    WithReason,
    /// The right form can be made of it.
    Makes,
    /// Something about it is not known.
    Unknown,
    /// It is not taken.
    Stops,
}

/// A file, judged for one unit.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Judgement {
    /// What comes of it.
    pub verdict: Verdict,
    /// In one sentence.
    pub said: String,
    /// One for each criterion, in the order of the rules.
    pub findings: Vec<Finding>,
    /// How the right form is made of it, where it can be.
    pub ways: Vec<Way>,
    /// Version that it gives itself.
    pub version: Option<String>,
    /// Build that it gives itself.
    pub build: Option<String>,
}

/// Judges a file for the place that a recovery of this family has.
#[must_use]
pub fn judge(wanted: &Wanted<'_>, file: &File<'_>) -> Judgement {
    let ways = making::ways(wanted, file.told);
    // What is judged is the image: the file itself, or the one that is taken out of it.
    let image = making::image(wanted, file.told);
    let subject = image.unwrap_or(file.told);
    let findings = criteria::all(wanted, file, subject, &ways);
    let but_form = |finding: &&Finding| finding.rule != Rule::M4 && finding.rule != Rule::M9;
    let bars = |finding: &&Finding| finding.bars();
    let verdict = if !findings.iter().any(|one| one.bars() || one.asks_reason()) {
        Verdict::Fits
    } else if !findings.iter().any(|one| one.bars()) {
        Verdict::WithReason
    } else if !ways.is_empty() && !findings.iter().filter(but_form).any(|one| one.bars()) {
        Verdict::Makes
    } else if findings
        .iter()
        .filter(bars)
        .all(|one| one.fit == Fit::Unknown)
    {
        Verdict::Unknown
    } else {
        Verdict::Stops
    };
    let version = version_of(subject).map(str::to_owned);
    Judgement {
        said: said(verdict, &findings, &ways),
        verdict,
        findings,
        ways,
        version,
        build: subject.first(About::Build).map(str::to_owned),
    }
}

/// Why an image that lies on a unit is another device's, by its own word (`M1`, `M2`); nothing where its own word
/// does not speak against it. What heads and trees say of a board does not count.
#[must_use]
pub fn is_anothers(wanted: &Wanted<'_>, told: &Told) -> Option<String> {
    let file = File {
        told,
        name: "",
        digest: Digest::of(&[]),
        checks: &[],
        made_of: None,
        origin: None,
        days_old: None,
    };
    let names_one = [About::Device, About::Product].map(|about| told.own(about).next());
    let device = names_one.iter().flatten().next().is_some();
    let device = device.then(|| criteria::device(wanted, &file, told));
    let all = device.into_iter().chain([criteria::variant(wanted, told)]);
    let mut stops = all.filter(|finding| finding.fit == Fit::Stops);
    stops.next().map(|finding| finding.text)
}

/// Version that a file gives itself: its own, or the build that its properties name.
#[must_use]
pub fn version_of(told: &Told) -> Option<&str> {
    told.first(About::Version).or(told.first(About::Build))
}

/// The verdict in one sentence, with what weighs most.
fn said(verdict: Verdict, findings: &[Finding], ways: &[Way]) -> String {
    let worst = |is: fn(&&Finding) -> bool| {
        let mut those: Vec<&Finding> = findings.iter().filter(is).collect();
        // The first rule that it breaks, what it is before what it is not known to be.
        those.sort_by_key(|one| (std::cmp::Reverse(one.fit), one.rule));
        those.first().map_or("", |one| one.text.as_str()).to_owned()
    };
    match verdict {
        Verdict::Fits => match worst(|one| one.fit != Fit::Fits) {
            note if note.is_empty() => "It fits.".to_owned(),
            note => format!("It fits. {note}"),
        },
        Verdict::WithReason => format!(
            "It fits but for one thing, for which you give a reason. {}",
            worst(|one| one.asks_reason())
        ),
        Verdict::Makes => ways.first().map_or_else(String::new, |way| {
            format!("It is the right one in another form: {}.", way.shown)
        }),
        Verdict::Unknown | Verdict::Stops => worst(|one| one.bars()),
    }
}

impl Judgement {
    /// Of a file that can't be read, or is damaged: nothing else is judged. `why` has no full stop.
    #[must_use]
    pub fn damaged(why: String) -> Self {
        let finding = Finding::damaged(why);
        Self {
            verdict: Verdict::Stops,
            said: finding.text.clone(),
            findings: vec![finding],
            ways: Vec::new(),
            version: None,
            build: None,
        }
    }

    /// Best first: what is taken, of that what no criterion speaks for certain against (a newer one that can't read
    /// the owner's files comes after one that can, `M6`), then the newer version, then what has fewer marks against
    /// it, then by name.
    #[must_use]
    pub fn order(&self, name: &str) -> impl Ord + use<> {
        let against = self.findings.iter().filter(|one| one.fit != Fit::Fits);
        (
            self.verdict,
            self.findings.iter().any(|one| one.fit == Fit::Stops),
            std::cmp::Reverse(self.version.as_deref().and_then(version)),
            against.count(),
            name.to_owned(),
        )
    }
}

/// The numbers that a version begins with, `3.7.0` of `3.7.0_9-test` (`K2`).
pub(crate) fn version(text: &str) -> Option<Version> {
    let text = text.strip_prefix(['v', 'V']).unwrap_or(text);
    let end = text.find(|sign: char| !(sign.is_ascii_digit() || sign == '.'));
    Version::parse(text[..end.unwrap_or(text.len())].trim_end_matches('.'))
}
