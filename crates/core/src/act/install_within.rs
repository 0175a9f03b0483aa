//! A recovery that runs from memory installs itself (`M12`): it writes itself where a recovery lies, and changes
//! something of the system so that nothing puts the maker's back (`M11`).

use veritope_wire::{Digest, Label};

use super::lines::copies::way_back;
use super::lines::foreign::before_foreign;
use super::write::{image_arg, image_lines, image_read, to_be_written};
use super::{
    Args, Ask, Bit, Brings, Doing, Ground, How, Kind, Line, Price, Shows, Standpoint, Touches, Whose, Words, row,
};
use crate::consent::Costs;
use crate::dossier::{By, Dossier};
use crate::evidence::Basis;
use crate::facts::{FactKey, Happening};
use crate::family::{Family, InstallWithinSpec};
use crate::mode::{Lock, RecoveryKind};
use crate::rule::Rule;
use crate::state::{State, Switch};

/// Has the recovery that runs install itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InstallWithin {
    /// The image that runs; nothing while it is open which one.
    pub image: Option<Digest>,
}

fn spec(family: &Family) -> Option<&InstallWithinSpec> {
    family.install_within.as_ref()
}

impl Kind for InstallWithin {
    const TOUCHES: Touches = Touches::WRITES;

    fn instances(on: Ground<'_>) -> Vec<Self> {
        let spec = spec(on.family());
        spec.map(|_| Self { image: None }).into_iter().collect()
    }

    fn word(&self) -> &'static str {
        "install-within"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        image_arg(self.image)
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "install-within").then(|| Self {
            image: image_read(args),
        })
    }

    fn rule(&self, _: &Dossier<'_>) -> Rule {
        Rule::G4
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let Some(spec) = spec(on.family()) else {
            return vec![Line::absent(
                Rule::M11,
                "No recovery installs itself on this family.",
            )];
        };
        let mut lines = to_be_written(Some(spec.mode), on, at);
        lines.push(Line::met(
            Rule::M11,
            changes(spec),
            Basis::clause("[install_within]"),
        ));
        lines.extend(image_lines(on, self.image));
        lines.extend(before_foreign(on.family(), on.of.facts));
        lines.extend(row(
            Bit::BackedUp,
            at,
            "What exists once is captured as it is now.",
        ));
        lines.push(way_back(&spec.partition, on.of));
        lines
    }

    fn after(&self, at: State, _: &Family) -> State {
        State {
            recovery: Some(RecoveryKind::Custom),
            restorer: Some(Switch::Off),
            ..at
        }
    }

    fn price(&self, _: State, family: &Family) -> Price {
        let price = spec(family).map_or_else(Price::default, |spec| {
            Price::with_hands(spec.pace.usual_seconds, spec.effort)
        });
        Price { risk: 1, ..price }
    }

    fn label(&self, _: State, _: &Family, name: &str) -> String {
        format!("Install the recovery on {name} from within")
    }

    fn words(&self, _: State, family: &Family) -> Words {
        Words::titled("Install the recovery from within")
            .stuck(spec(family).map_or(0, |spec| spec.pace.stuck_seconds))
    }

    fn how(&self, family: &Family) -> How {
        let said = |spec: &InstallWithinSpec| format!("{} {}", spec.hand, changes(spec));
        How::said(spec(family).map_or_else(String::new, said))
    }

    fn costs(&self, of: &Dossier<'_>) -> Option<Costs> {
        Some(Costs {
            rule: Rule::G4,
            stage: None,
            consequences: of.family.consequences.clone(),
        })
    }

    fn asks(&self, family: &Family) -> Vec<Ask> {
        let mode = spec(family).map(|spec| Ask::Mode(vec![spec.mode]));
        mode.into_iter().chain([Ask::Lock(Lock::Unlocked)]).collect()
    }

    // In its own menu, with the link or without.
    fn doing(&self, _: &Family, _: By) -> Doing {
        Doing::Hands
    }

    fn shows(&self) -> Shows {
        Shows {
            besides: Some("It says that it is installed.".to_owned()),
            only_words: true,
            ..Shows::default()
        }
    }

    fn lands_on(&self, family: &Family) -> Vec<Label> {
        let spec = spec(family).into_iter();
        spec.flat_map(|spec| std::iter::once(&spec.partition).chain(&spec.changes).cloned())
            .collect()
    }

    fn whose(&self, _: &Dossier<'_>) -> Option<Whose> {
        Some(Whose::Others)
    }

    fn image(&self) -> Option<Option<Digest>> {
        Some(self.image)
    }

    fn choosing(self, image: Digest) -> Self {
        Self { image: Some(image) }
    }

    fn brings(&self, _: &Family) -> Brings {
        Brings {
            happened: vec![Happening::SystemWritten, Happening::RecoveryWritten],
            facts: vec![
                (FactKey::Recovery, RecoveryKind::Custom.id().to_owned()),
                (FactKey::Restorer, "off".to_owned()),
            ],
        }
    }
}

/// What it changes, and what that takes later.
fn changes(spec: &InstallWithinSpec) -> String {
    let labels: Vec<_> = spec.changes.iter().map(ToString::to_string).collect();
    let them = match &labels[..] {
        [_] => "that",
        _ => "those",
    };
    format!(
        "It goes to {}, and {} is changed so that the maker's does not come back: locking again and increments want {them} put back first.",
        spec.partition,
        labels.join(", ")
    )
}
