//! A family as a field guide: its data in sentences, for people who want to look something up.

use super::{
    Again, CarrierRule, Family, HiddenUntil, Leaves, Lies, Method, MoveBy, PackageKind, Stock,
    ToggleKept, Unlockable,
};

/// Titles with what is said under them.
pub type Lines = Vec<(String, String)>;

/// The guide of one family.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Guide {
    /// How it is unlocked and locked again.
    pub lock: Lines,
    /// Modes and how they look.
    pub modes: Lines,
    /// Ways between modes.
    pub ways: Lines,
    /// Where facts are read.
    pub places: Lines,
    /// Builds, newest first.
    pub builds: Lines,
    /// Packages.
    pub packages: Lines,
}

impl Family {
    /// This family in sentences.
    #[must_use]
    pub fn guide(&self) -> Guide {
        Guide {
            lock: self.lock_lines(),
            modes: self
                .modes
                .iter()
                .map(|spec| {
                    let shows = if spec.battery_shows { "shows" } else { "does not show" };
                    let charges = if spec.charges { "charges" } else { "does not charge" };
                    let text = format!(
                        "{} It {shows} the battery and {charges} here; {} thousandths of a full battery an hour.",
                        spec.looks, spec.drain_permille_per_hour
                    );
                    (capital(spec.mode.shown()), text)
                })
                .collect(),
            ways: self
                .moves
                .iter()
                .map(|way| {
                    let by = match way.by {
                        MoveBy::Link => "by link",
                        MoveBy::Keys => "by keys",
                        MoveBy::ForcedRestart => "by forced restart",
                    };
                    let title = format!("{} to {}, {by}", capital(way.from.shown()), way.to.shown());
                    let text = format!(
                        "{} Usually {} s, stuck from {} s.",
                        way.hand, way.pace.usual_seconds, way.pace.stuck_seconds
                    );
                    (title, text)
                })
                .collect(),
            places: self
                .places
                .iter()
                .map(|place| (place.key.spec().title.to_owned(), place.place.clone()))
                .collect(),
            builds: self.build_lines(),
            packages: self.package_lines(),
        }
    }

    fn lock_lines(&self) -> Lines {
        let mut lines = Lines::new();
        let mut say = |title: &str, text: String| lines.push((title.to_owned(), text));
        if self.stages.is_empty() {
            say(
                "No lock",
                "Foreign bytes start on it as they are.".to_owned(),
            );
        }
        if let Some(toggle) = &self.toggle {
            let hidden = match toggle.hidden_until {
                HiddenUntil::Nothing => String::new(),
                HiddenUntil::OnlineAskedWaited => format!(
                    " It stays hidden until the unit was online, asked for updates, and {} h have passed; hours switched off {}. First: {}",
                    toggle.wait_hours,
                    if toggle.off_hours_count {
                        "count"
                    } else {
                        "don't count"
                    },
                    toggle.quick_cure
                ),
            };
            let kept = match toggle.kept {
                ToggleKept::OwnRecord => "A wipe leaves it as it is.",
                ToggleKept::UserData => "A wipe takes it.",
            };
            say(
                "Switch in the settings",
                format!("{} {kept}{hidden}", toggle.hand),
            );
        }
        if let Some(carrier) = &self.carrier {
            let does = match carrier.toggle {
                CarrierRule::Never => "The switch stays greyed for good.",
                CarrierRule::OnRequest => "The carrier opens it when asked.",
            };
            say("Sold by a carrier", format!("{does} {}", carrier.reason));
        }
        if let Some(screen) = &self.service_screen {
            say("Service screen", screen.clone());
        }
        if let Some(token) = &self.token {
            say(
                "Token",
                format!(
                    "{} signs from {} come from {}, by mail, usually within {} h. The same token {} again.",
                    token.length,
                    token.alphabet,
                    token.portal,
                    token.mail_hours,
                    if token.again {
                        "opens it"
                    } else {
                        "does not open it"
                    }
                ),
            );
        }
        for stage in &self.stages {
            let how = match stage.method {
                Method::Command => {
                    format!("By command, in the form {}.", stage.forms.join(", then "))
                }
                Method::LongPress => "By a long press on its own screen.".to_owned(),
                Method::Token => "By command, with the token.".to_owned(),
            };
            let only = if stage.only_for.is_empty() {
                ""
            } else {
                " Only where boot chain or radio are written."
            };
            let asks = stage
                .question
                .as_ref()
                .map(|asked| format!("{} {}", asked.text, asked.answer))
                .unwrap_or_default();
            say(
                &stage.title,
                format!("{how} In {}. {asks}{only}", stage.mode.shown(),),
            );
        }
        for wipe in &self.wipes {
            say(
                &wipe.title,
                format!("In {}. {}", wipe.mode.shown(), wipe.hand),
            );
        }
        if let Some(spec) = &self.slot_switch {
            say(
                "Make the other slot active",
                format!("In {}. {}", spec.mode.shown(), spec.hand),
            );
        }
        for wanted in &self.before_foreign {
            let title = format!(
                "Before anything foreign: {}",
                wanted.key.spec().title.to_lowercase()
            );
            say(
                &title,
                format!("It must say {}. {}", wanted.value, wanted.reason),
            );
        }
        if !self.stages.is_empty() {
            let again = match self.relock.again {
                Again::Yes => "It can be unlocked again.",
                Again::WhileToggleOn => "It can be unlocked again while the switch is on.",
                Again::OldBuild => "It can be unlocked again only on a build that can be.",
                Again::Never => "It can never be unlocked again.",
            };
            say(
                "Locking again",
                format!("{} {again}", self.relock.hand).trim().to_owned(),
            );
        }
        lines
    }

    fn build_lines(&self) -> Lines {
        let mut builds: Vec<_> = self.builds.iter().collect();
        builds.sort_by_key(|build| std::cmp::Reverse(build.patch));
        builds
            .into_iter()
            .map(|build| {
                let opens = match build.unlockable {
                    Unlockable::Yes => "Can be unlocked.",
                    Unlockable::Enabler => "Can be unlocked after an enabler.",
                    Unlockable::No => "Can't be unlocked.",
                };
                let stock = match build.stock {
                    Stock::Published => "Its files are published.",
                    Stock::None => "Its files are not published.",
                };
                let text = format!(
                    "Patch {}, generation {}, fuses rollback index {}. {opens} {stock} {}",
                    build.patch, build.generation, build.rollback, build.note
                );
                (build.id.clone(), text.trim_end().to_owned())
            })
            .collect()
    }

    fn package_lines(&self) -> Lines {
        self.packages
            .iter()
            .map(|one| {
                let to = &self.builds[one.to].id;
                let what = match (one.kind, one.from) {
                    (PackageKind::Full, _) => format!("The whole of {to}."),
                    (PackageKind::Incremental, Some(from)) => {
                        format!("From exactly {} to {to}.", self.builds[from].id)
                    }
                    _ => format!("Makes {to} unlockable."),
                };
                let lies = match one.lies {
                    Lies::Card => "on the external card",
                    Lies::Storage => "on internal storage",
                    Lies::Computer => "on the computer",
                };
                let leaves = match one.leaves {
                    Leaves::Exact => "",
                    Leaves::Inexact => " It leaves partitions inexact; incrementals refuse them.",
                };
                let wipes = if one.wipes {
                    "It wipes data."
                } else {
                    "It keeps data."
                };
                let text = format!(
                    "{what} {wipes} About {} min; it lies {lies}.{leaves}",
                    one.minutes
                );
                (one.name.clone(), text)
            })
            .collect()
    }
}

fn capital(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or_else(String::new, |first| {
        first.to_uppercase().chain(chars).collect()
    })
}

#[cfg(test)]
mod tests {
    use crate::family::testing::shipped;

    #[test]
    fn each_family_reads_as_a_guide() {
        let mooring = shipped("mooring").guide();
        assert_eq!(mooring.builds[0].0, "WM1-4.0-2612", "newest first");
        assert!(mooring.builds[0].1.contains("Can't be unlocked."));
        let enabler = mooring
            .packages
            .iter()
            .find(|(name, _)| name == "mallet-enabler-3.1");
        assert!(enabler.unwrap().1.contains("leaves partitions inexact"));
        let kelpie = shipped("kelpie").guide();
        assert!(kelpie.lock.iter().any(|(_, text)| text.contains("168 h")));
        assert_eq!(shipped("thimble").guide().lock[0].0, "No lock");
        assert!(
            shipped("cinder")
                .guide()
                .lock
                .last()
                .unwrap()
                .1
                .contains("never be unlocked again")
        );
    }
}
