//! One unit's gate: what stands between it and an open lock. Physics, not advice: accounts, battery
//! or the owner's data never stop it.

use serde::{Deserialize, Serialize};

use crate::scheme::{Brings, Off, Opening, Opens, Scheme, Switch};

const HOUR_MS: i64 = 3_600_000;

/// Who sold it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Seller {
    /// The open market.
    Open,
    /// A carrier.
    Carrier,
}

/// Yes or no, where a name of its own would say no more.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Answer {
    /// Yes.
    Yes,
    /// No.
    No,
}

impl Answer {
    /// As facts spell it.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::Yes => "yes",
            Self::No => "no",
        }
    }
}

/// The state of a gate.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Gate {
    /// Whether foreign bytes start.
    pub open: bool,
    /// Whether it was open once and locked again.
    pub locked_again: bool,
    /// What the person wants of the switch.
    pub switched_on: bool,
    /// Who sold it.
    pub seller: Seller,
    /// Paid off.
    pub paid: Answer,
    /// Managed by an employer.
    pub managed: Answer,
    /// What the maker's flag says.
    pub service_allows: Answer,
    /// The token that opens this unit and no other.
    pub token: String,
    /// When it was first online, in device time.
    pub first_online_ms: Option<i64>,
    /// Whether it asked for updates.
    pub asked_updates: Answer,
    /// Its build.
    pub build: String,
    /// Whether its partitions are exactly the build's.
    pub exact: bool,
    /// Whether the enabler is installed.
    pub enabled: bool,
    /// The rollback index that is fused.
    pub fused: u32,
    /// Packages on its card.
    pub card: Vec<String>,
}

/// What guards its download mode.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Guard {
    /// It looks at what comes, and lets it through.
    Checking,
    /// It has not heard from the maker since the wipe; foreign bytes shut it.
    Waiting,
}

impl Guard {
    /// As the download screen spells it.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::Checking => "CHECKING",
            Self::Waiting => "WAITING",
        }
    }
}

/// How the switch reads.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SwitchReads {
    /// Not there.
    Absent,
    /// Greyed.
    Greyed,
    /// Off.
    Off,
    /// On.
    On,
    /// On, and it can't be moved.
    FixedOn,
}

impl SwitchReads {
    /// As facts spell it.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::Absent => "absent",
            Self::Greyed => "greyed",
            Self::Off => "off",
            Self::On => "on",
            Self::FixedOn => "fixed-on",
        }
    }
}

/// One way in which a person could try to open it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Try {
    /// A command in some form, answered with yes.
    Command {
        /// The form.
        form: String,
    },
    /// A command with a token.
    Token {
        /// The token.
        token: String,
    },
    /// A long press on the warning screen.
    LongPress,
}

impl Gate {
    /// A unit as shipped: locked, switch off, on the newest build but one of those that can be
    /// bought, never online.
    #[must_use]
    pub fn shipped(scheme: &Scheme) -> Self {
        let build = scheme.builds.first();
        Self {
            open: false,
            locked_again: false,
            switched_on: false,
            seller: Seller::Open,
            paid: Answer::Yes,
            managed: Answer::No,
            service_allows: Answer::Yes,
            token: String::new(),
            first_online_ms: None,
            asked_updates: Answer::No,
            build: build.map_or_else(String::new, |build| build.id.to_owned()),
            exact: true,
            enabled: false,
            fused: build.map_or(0, |build| build.index),
            card: Vec::new(),
        }
    }

    /// How the switch reads at `now`, device time.
    #[must_use]
    pub fn switch(&self, scheme: &Scheme, now_ms: i64) -> SwitchReads {
        if self.open {
            // A hidden one shows itself again once its maker was asked.
            return match scheme.switch {
                Switch::Hidden { .. } if self.guard() == Guard::Waiting => SwitchReads::Absent,
                _ => SwitchReads::FixedOn,
            };
        }
        let greyed = (scheme.carrier_greys && self.seller == Seller::Carrier)
            || self.paid == Answer::No
            || self.managed == Answer::Yes;
        match scheme.switch {
            Switch::None => SwitchReads::Absent,
            _ if greyed => SwitchReads::Greyed,
            Switch::Hidden { hours } if !self.has_waited(hours, now_ms) => SwitchReads::Absent,
            Switch::Hidden { .. } | Switch::Shown if self.switched_on => SwitchReads::On,
            Switch::Hidden { .. } | Switch::Shown => SwitchReads::Off,
        }
    }

    fn has_waited(&self, hours: i64, now_ms: i64) -> bool {
        self.asked_updates == Answer::Yes
            && self
                .first_online_ms
                .is_some_and(|first| now_ms >= first + hours * HOUR_MS)
    }

    /// What a wipe of the owner's data takes with it.
    pub fn forget(&mut self, scheme: &Scheme) {
        if matches!(scheme.switch, Switch::Hidden { .. }) {
            self.switched_on = false;
            self.first_online_ms = None;
            self.asked_updates = Answer::No;
        }
    }

    /// What the guard of its download mode says.
    #[must_use]
    pub fn guard(&self) -> Guard {
        if self.first_online_ms.is_some() && self.asked_updates == Answer::Yes {
            Guard::Checking
        } else {
            Guard::Waiting
        }
    }

    /// Moves the switch, where it can be moved.
    pub fn move_switch(&mut self, scheme: &Scheme, on: bool, now_ms: i64) {
        let reads = self.switch(scheme, now_ms);
        if matches!(reads, SwitchReads::On | SwitchReads::Off) {
            self.switched_on = on;
        }
    }

    /// Tries to open it.
    ///
    /// # Errors
    /// In the device's own words, why it stays shut.
    pub fn try_open(
        &mut self,
        scheme: &Scheme,
        how: &Try,
        now_ms: i64,
    ) -> Result<(), &'static str> {
        match (scheme.opening, how) {
            (Opening::Command { form }, Try::Command { form: tried }) if form == tried => {}
            (Opening::LongPress, Try::LongPress) => {}
            (Opening::Token, Try::Token { token }) if *token == self.token && !token.is_empty() => {
            }
            (Opening::Token, Try::Token { .. }) => return Err("wrong token"),
            (Opening::NoLock, _) => return Err("nothing to open"),
            _ => return Err("unknown command"),
        }
        if self.open {
            return Err("already open");
        }
        if scheme.service_screen && self.service_allows == Answer::No {
            return Err("not allowed");
        }
        if self.locked_again && !scheme.opens_again {
            return Err("never again");
        }
        if scheme.switch != Switch::None && self.switch(scheme, now_ms) != SwitchReads::On {
            return Err("not permitted in settings");
        }
        match scheme.build(&self.build).map(|build| build.opens) {
            Some(Opens::Yes) => {}
            Some(Opens::Enabled) if self.enabled => {}
            _ => return Err("unknown command"),
        }
        self.open = true;
        Ok(())
    }

    /// Installs a package that lies on the card, or is sent.
    ///
    /// # Errors
    /// In the device's own words, why it is refused; nothing is changed then.
    pub fn install(&mut self, scheme: &Scheme, name: &str) -> Result<(), &'static str> {
        let package = scheme.package(name).ok_or("not a package")?;
        let is_there = package.off == Off::Computer || self.card.iter().any(|known| known == name);
        if !is_there {
            return Err("not on the card");
        }
        let build = scheme.build(package.build).ok_or("not a package")?;
        match package.brings {
            Brings::Whole if build.index < self.fused => return Err("older than allowed"),
            Brings::Whole => self.exact = true,
            Brings::From(base) if base != self.build => return Err("wrong base"),
            Brings::From(_) if !self.exact => return Err("partitions were changed"),
            Brings::From(_) => {}
            Brings::Enabler if package.build != self.build => return Err("wrong base"),
            Brings::Enabler => self.exact = false,
        }
        self.enabled = package.brings == Brings::Enabler;
        package.build.clone_into(&mut self.build);
        self.fused = self.fused.max(build.index);
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn scheme(codename: &str) -> &'static Scheme {
        Scheme::named(codename).unwrap()
    }

    #[test]
    fn a_hidden_switch_appears_at_its_hour_and_not_before() {
        let kelpie = scheme("kelpie");
        let mut gate = Gate::shipped(kelpie);
        gate.first_online_ms = Some(0);
        assert_eq!(
            gate.switch(kelpie, 400 * HOUR_MS),
            SwitchReads::Absent,
            "never asked"
        );
        gate.asked_updates = Answer::Yes;
        assert_eq!(gate.switch(kelpie, 168 * HOUR_MS - 1), SwitchReads::Absent);
        assert_eq!(gate.switch(kelpie, 168 * HOUR_MS), SwitchReads::Off);
        gate.move_switch(kelpie, true, 168 * HOUR_MS);
        assert_eq!(
            gate.try_open(kelpie, &Try::LongPress, 168 * HOUR_MS),
            Ok(())
        );
        assert_eq!(gate.switch(kelpie, 168 * HOUR_MS), SwitchReads::FixedOn);
    }

    #[test]
    fn a_greyed_switch_stays_where_it_is() {
        let saltern = scheme("saltern");
        let mut gate = Gate::shipped(saltern);
        gate.seller = Seller::Carrier;
        gate.move_switch(saltern, true, 0);
        assert_eq!(gate.switch(saltern, 0), SwitchReads::Greyed);
        let how = Try::Command {
            form: "newer".to_owned(),
        };
        assert_eq!(
            gate.try_open(saltern, &how, 0),
            Err("not permitted in settings")
        );
        gate.seller = Seller::Open;
        gate.move_switch(saltern, true, 0);
        assert_eq!(gate.try_open(saltern, &how, 0), Ok(()));
    }

    #[test]
    fn packages_go_on_as_their_base_and_the_fused_index_allow() {
        let mooring = scheme("mooring");
        let mut gate = Gate::shipped(mooring);
        gate.build = "WM1-3.4-2610".to_owned();
        gate.card = mooring
            .packages
            .iter()
            .map(|one| one.name.to_owned())
            .collect();
        assert_eq!(
            gate.install(mooring, "mallet-enabler-3.1"),
            Err("wrong base")
        );
        assert_eq!(gate.install(mooring, "mallet-full-3.1"), Ok(()));
        assert_eq!(gate.install(mooring, "mallet-enabler-3.1"), Ok(()));
        assert_eq!(
            gate.install(mooring, "mallet-3.1-to-3.2"),
            Err("partitions were changed")
        );
        gate.switched_on = true;
        let how = Try::Command {
            form: "older".to_owned(),
        };
        assert_eq!(gate.try_open(mooring, &how, 0), Ok(()));
        assert_eq!(gate.install(mooring, "mallet-full-4.0"), Ok(()));
        assert_eq!(
            gate.install(mooring, "mallet-full-3.1"),
            Err("older than allowed")
        );
        gate.card.clear();
        assert_eq!(
            gate.install(mooring, "mallet-full-4.0"),
            Err("not on the card")
        );
    }

    #[test]
    fn a_token_opens_its_own_unit_only() {
        let lodestar = scheme("lodestar");
        let mut gate = Gate::shipped(lodestar);
        gate.token = "00A1".to_owned();
        let token = |text: &str| Try::Token {
            token: text.to_owned(),
        };
        assert_eq!(
            gate.try_open(lodestar, &token("00A2"), 0),
            Err("wrong token")
        );
        assert_eq!(gate.try_open(lodestar, &token(""), 0), Err("wrong token"));
        gate.service_allows = Answer::No;
        assert_eq!(
            gate.try_open(lodestar, &token("00A1"), 0),
            Err("not allowed")
        );
        gate.service_allows = Answer::Yes;
        assert_eq!(gate.try_open(lodestar, &token("00A1"), 0), Ok(()));
    }
}
