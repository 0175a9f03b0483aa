//! Starting an image from memory. Nothing is written for it, but what is started may do anything: so its
//! bytes are the ones that a publisher names, and the image is one that fits (`M1`, `M5`, `M8`).

use veritope_wire::Digest;

use super::write::{image_arg, image_read, image_lines, shelved};
use super::{
    Args, Ask, Bit, Command, Doing, Ground, How, Kind, Line, Price, Standpoint, Touches, Words,
    in_mode, lock,
};
use crate::dossier::{By, Dossier};
use crate::family::Family;
use crate::mode::{Lock, Mode};
use crate::rule::Rule;
use crate::state::{Presence, State};

/// Starts an image from memory.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StartImage {
    /// The image; nothing while it is open which one.
    pub image: Option<Digest>,
}

impl Kind for StartImage {
    const TOUCHES: Touches = Touches::MEMORY;

    fn instances(on: Ground<'_>) -> Vec<Self> {
        let spec = on.family().temporary_start.as_ref();
        spec.map(|_| Self { image: None }).into_iter().collect()
    }

    fn word(&self) -> &'static str {
        "temporary-start"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        image_arg(self.image)
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "temporary-start").then(|| Self {
            image: image_read(args),
        })
    }

    fn rule(&self, _: &Dossier<'_>) -> Rule {
        Rule::M8
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let Some(spec) = &on.family().temporary_start else {
            return vec![Line::absent(
                Rule::B1,
                "This family starts nothing from memory.",
            )];
        };
        let mut lines = vec![
            in_mode(Bit::InMode(spec.from), spec.from.shown(), on, at),
            lock(
                Lock::Unlocked,
                "It is locked: it starts only the maker's bytes.",
                on,
                at,
            ),
            shelved(on),
        ];
        lines.extend(image_lines(on, self.image));
        lines
    }

    fn after(&self, at: State, _: &Family) -> State {
        State {
            mode: Some(Mode::TemporaryRecovery),
            ..at
        }
    }

    fn price(&self, _: State, family: &Family) -> Price {
        let spec = family.temporary_start.as_ref();
        Price::seconds(spec.map_or(0, |spec| spec.pace.usual_seconds), 0)
    }

    fn words(&self, _: State, family: &Family) -> Words {
        let spec = family.temporary_start.as_ref();
        Words::titled("Start the recovery from memory")
            .stuck(spec.map_or(0, |spec| spec.pace.stuck_seconds))
    }

    fn how(&self, family: &Family) -> How {
        let spec = family.temporary_start.as_ref();
        How::said(spec.map_or("", |spec| spec.hand.as_str()))
    }

    fn asks(&self, family: &Family) -> Vec<Ask> {
        let mode = family.temporary_start.as_ref().map(|spec| spec.from);
        let mode = mode.map(|mode| Ask::Mode(vec![mode]));
        mode.into_iter().chain([Ask::Lock(Lock::Unlocked)]).collect()
    }

    fn doing(&self, _: &Family, by: By) -> Doing {
        match by.link {
            Presence::Here => Doing::Command(Command::StartImage { image: self.image }),
            Presence::Missing => Doing::Hands,
        }
    }

    fn image(&self) -> Option<Option<Digest>> {
        Some(self.image)
    }

    fn choosing(self, image: Digest) -> Self {
        Self { image: Some(image) }
    }
}
