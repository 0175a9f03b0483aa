//! Which unit is this? (`K4`) By the identifiers that it gives, never by its name or its place on a
//! bridge. A unit may give another serial in another mode: such a pair is made once, in one session
//! or under the hardware identity, and counts from then on.

use super::Family;
use crate::facts::{FactKey, Facts};
use crate::mode::Mode;

/// An identifier as a unit gives it in one mode.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Paired {
    /// Which identifier.
    pub key: FactKey,
    /// In which mode.
    pub mode: Mode,
    /// Its value there, in full.
    pub value: String,
}

/// A hardware identity: which identifier it is, and its value in full.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Chip {
    /// Which identifier.
    pub key: FactKey,
    /// Its value, never a placeholder (`S1`).
    pub value: String,
}

/// Whether the link showed this unit without a gap since it was last recognised: in the same socket, and
/// whatever happened since was a change of mode and no other plugging.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Session {
    /// It did.
    Running,
    /// Somebody may have put another one in its place.
    Anew,
}

/// What a look says of who is there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Recognised {
    /// The same unit; these identifiers are its own from now on.
    Same(Vec<Paired>),
    /// Another one, as this identifier tells.
    Other(FactKey),
    /// Nothing that is known of it is told in this mode: it could be anybody.
    Unsure,
}

impl Family {
    /// Whether the unit that gives `live` is the one that is known. A placeholder is *missing* and
    /// tells nothing. The hardware identity decides where both sides have it; without it an
    /// identifier counts for the mode that it was paired with.
    #[must_use]
    pub fn recognise(
        &self,
        known: &Facts,
        paired: &[Paired],
        live: &Facts,
        session: Session,
    ) -> Recognised {
        let chip = self.chip(known);
        let is_sure = match (self.hardware_identity(known), self.hardware_identity(live)) {
            (Some(known), Some(live)) if known.value != live.value => {
                return Recognised::Other(live.key);
            }
            (Some(_), Some(_)) => true,
            _ => session == Session::Running,
        };
        let Some(mode) = live.mode() else {
            return Recognised::Same(Vec::new());
        };
        let mut new = Vec::new();
        let is_known = |key: FactKey| {
            let said = known.known(key).map(|row| row.value.exact());
            said.is_some_and(|value| !self.is_placeholder(key, &value))
        };
        let mut is_told = paired.is_empty() && !self.identifiers.iter().any(|id| is_known(id.key));
        for id in self.identifiers.iter().filter(|id| !id.hardware) {
            let Some(value) = live.known(id.key).map(|row| row.value.exact()) else {
                continue;
            };
            if self.is_placeholder(id.key, &value) {
                continue;
            }
            let here = paired
                .iter()
                .find(|pair| (pair.key, pair.mode) == (id.key, mode));
            let is_same = match here {
                Some(pair) => pair.value == value,
                None => {
                    let said = known.known(id.key).map(|row| row.value.exact());
                    let mut all = paired.iter().filter(|pair| pair.key == id.key);
                    let is_first = said.is_none() && all.clone().next().is_none();
                    is_first || said.as_ref() == Some(&value) || all.any(|p| p.value == value)
                }
            };
            // A loader may give the hardware identity as its serial.
            let is_chip = chip.as_ref().is_some_and(|chip| chip.value == value);
            let is_same = is_same || is_chip;
            if !is_same && !is_sure {
                // What it gives in this mode was never seen: it may give something else here than elsewhere.
                let is_elsewhere = here.is_none() && paired.iter().any(|pair| pair.key == id.key);
                return match is_elsewhere {
                    true => Recognised::Unsure,
                    false => Recognised::Other(id.key),
                };
            }
            is_told |= is_chip || (is_same && (here.is_some() || is_known(id.key)));
            if here.is_none_or(|pair| pair.value != value) {
                new.push(Paired {
                    key: id.key,
                    mode,
                    value,
                });
            }
        }
        if is_told || is_sure {
            Recognised::Same(new)
        } else {
            Recognised::Unsure
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::testing::facts;
    use crate::family::testing::shipped;

    const CHIP: (FactKey, &str) = (FactKey::ChipId, "5f21c09e");

    fn seen(mode: &str, serial: &str, more: &[(FactKey, &str)]) -> Facts {
        let mut all = vec![(FactKey::Mode, mode), (FactKey::Serial, serial)];
        all.extend(more);
        facts(&all)
    }

    fn pair(mode: Mode, value: &str) -> Paired {
        Paired {
            key: FactKey::Serial,
            mode,
            value: value.to_owned(),
        }
    }

    #[test]
    fn a_serial_of_another_mode_is_paired_once() {
        let family = shipped("kelpie");
        let known = seen("system", "R58N30ABCDE", &[CHIP]);
        let mut paired = vec![pair(Mode::System, "R58N30ABCDE")];
        let low = seen("download", "5f21", &[]);
        // Out of the blue it could be anybody.
        assert_eq!(
            family.recognise(&known, &paired, &low, Session::Anew),
            Recognised::Unsure
        );
        let as_chip = seen("download", CHIP.1, &[]);
        assert_eq!(
            family.recognise(&known, &paired, &as_chip, Session::Anew),
            Recognised::Same(vec![pair(Mode::Download, CHIP.1)]),
            "the chip by another name"
        );
        let found = family.recognise(&known, &paired, &low, Session::Running);
        assert_eq!(found, Recognised::Same(vec![pair(Mode::Download, "5f21")]));
        paired.push(pair(Mode::Download, "5f21"));
        assert_eq!(
            family.recognise(&known, &paired, &low, Session::Anew),
            Recognised::Same(Vec::new()),
            "from now on"
        );
        let other = seen("download", "77aa", &[]);
        assert_eq!(
            family.recognise(&known, &paired, &other, Session::Anew),
            Recognised::Other(FactKey::Serial)
        );
    }

    #[test]
    fn the_hardware_identity_decides_where_both_have_it() {
        let family = shipped("kelpie");
        let known = seen("system", "R58N30ABCDE", &[CHIP]);
        let paired = [pair(Mode::System, "R58N30ABCDE")];
        // An erase took the serial along: still the same chip.
        let erased = seen("system", "R58N30FGHIJ", &[CHIP]);
        assert_eq!(
            family.recognise(&known, &paired, &erased, Session::Anew),
            Recognised::Same(vec![pair(Mode::System, "R58N30FGHIJ")])
        );
        let twin = seen("system", "R58N30ABCDE", &[(FactKey::ChipId, "77e1093c")]);
        assert_eq!(
            family.recognise(&known, &paired, &twin, Session::Running),
            Recognised::Other(FactKey::ChipId)
        );
    }

    #[test]
    fn a_placeholder_tells_nothing() {
        let family = shipped("kelpie");
        let known = seen("system", "R58N30ABCDE", &[]);
        let paired = [pair(Mode::System, "R58N30ABCDE")];
        let blank = seen("system", "00000000000", &[]);
        let recognise = |session| family.recognise(&known, &paired, &blank, session);
        assert_eq!(recognise(Session::Anew), Recognised::Unsure);
        assert_eq!(recognise(Session::Running), Recognised::Same(Vec::new()));
    }

    #[test]
    fn what_is_told_in_no_two_modes_is_paired_in_one_session_and_then_for_good() {
        let family = shipped("halyard");
        let by_mode = |mode: &str, told: &[(FactKey, &str)]| {
            let mut all = vec![(FactKey::Mode, mode)];
            all.extend(told);
            facts(&all)
        };
        let number = (FactKey::DownloadNumber, "DN0A1B2C3D4E");
        let system = by_mode("system", &[(FactKey::Serial, "SM9260200417")]);
        let low = by_mode("bootloader", &[CHIP, number]);
        let first = [pair(Mode::System, "SM9260200417")];
        let met =
            |known, paired: &[Paired], session| family.recognise(known, paired, &low, session);
        assert_eq!(met(&system, &first, Session::Anew), Recognised::Unsure);
        let Recognised::Same(new) = met(&system, &first, Session::Running) else {
            panic!("the same session");
        };
        let of_number = Paired {
            key: number.0,
            mode: Mode::Bootloader,
            value: number.1.to_owned(),
        };
        assert_eq!(new, vec![of_number]);
        let mut known = vec![
            (FactKey::Mode, "bootloader"),
            (FactKey::Serial, "SM9260200417"),
        ];
        known.extend([CHIP, number]);
        let after = met(
            &facts(&known),
            &[first.as_slice(), &new].concat(),
            Session::Anew,
        );
        assert_eq!(after, Recognised::Same(Vec::new()));
    }
}
