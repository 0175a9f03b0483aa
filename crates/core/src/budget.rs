//! Battery (`U7`): what a sheet takes, what is there, until when to charge. Integers throughout:
//! thousandths of a full battery.

use serde::{Deserialize, Serialize};
use veritope_wire::BenchTime;

use crate::facts::{FactKey, FactValue, Facts};
use crate::family::Family;

/// Under this charge nothing is erased and no boot chain written (`U7`), in thousandths.
pub const HARD_STOP_PERMILLE: u32 = 300;
/// Reserve on top of what the sheet takes (`U7`), in per cent of it.
pub const RESERVE_PERCENT: u32 = 25;

/// What the owner of the bench has decided; changes to it are logged.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Policy {
    /// Charge in per cent under which a sheet begins with a warning (`U7`).
    pub battery_floor_percent: u8,
    /// Copies of everything that exists once, in different places (`B6`).
    #[serde(default = "two")]
    pub copies: u8,
    /// Whether places must lie on different media to count apart.
    #[serde(default)]
    pub media: Media,
}

fn two() -> u8 {
    2
}

/// Which places count apart (`B6`).
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Media {
    /// Those on different media.
    #[default]
    Distinct,
    /// Any two; said on screen.
    Any,
}

impl Policy {
    /// The policy that a new bench starts with.
    #[must_use]
    pub fn usual() -> Self {
        Self {
            battery_floor_percent: 50,
            copies: two(),
            media: Media::Distinct,
        }
    }
}

/// The charge as far as it is known.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Charge {
    /// Thousandths of a full battery now.
    pub permille: u32,
    /// When it was read.
    pub read_at: BenchTime,
    /// Thousandths that were taken off since, by the drain of the mode it is in.
    pub carried_permille: u32,
}

/// What a sheet asks of the battery.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Battery {
    /// Thousandths that all steps take.
    pub sheet_permille: u32,
    /// Charge in per cent that the sheet may begin with: reserve and hard stop included.
    pub begin_from_percent: u32,
    /// The charge, when it was ever read.
    pub charge: Option<Charge>,
    /// The judgement.
    pub verdict: BatteryVerdict,
}

/// Whether the charge suffices.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum BatteryVerdict {
    /// Enough.
    Enough,
    /// Enough, but under the bench's own floor: a warning.
    UnderFloor,
    /// Charge first.
    TooLow,
    /// Never read.
    NotKnown,
}

/// The charge now: the last reading less what the present mode has drained since. That it charged meanwhile is
/// a hope until it is read again.
#[must_use]
pub fn charge_now(facts: &Facts, family: &Family, now: BenchTime) -> Option<Charge> {
    let row = facts.known(FactKey::Battery)?;
    let FactValue::Percent(percent) = row.value else {
        return None;
    };
    let rate = match facts.mode().and_then(|mode| family.mode(mode)) {
        Some(spec) => spec.drain_permille_per_hour,
        None => family
            .modes
            .iter()
            .map(|spec| spec.drain_permille_per_hour)
            .max()
            .unwrap_or(0),
    };
    let read = u32::from(percent) * 10;
    let elapsed_seconds = now.ms_since(row.at) / 1000;
    let drained = u64::from(rate)
        .saturating_mul(elapsed_seconds)
        .div_ceil(3600);
    let carried_permille = u32::try_from(drained).unwrap_or(u32::MAX).min(read);
    Some(Charge {
        permille: read - carried_permille,
        read_at: row.at,
        carried_permille,
    })
}

/// What work asks of the battery, before the reserve.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Load {
    /// Thousandths of a full battery that all of it takes.
    pub permille: u32,
    /// Thousandths until its last erase or write is through; nothing where it has none.
    pub until_last_change: Option<u32>,
}

/// Judges the battery for a piece of work (`U7`): what it takes with the reserve on top, and never under
/// the hard stop while anything is erased or written.
#[must_use]
pub fn battery(
    load: Load,
    facts: &Facts,
    family: &Family,
    policy: &Policy,
    now: BenchTime,
) -> Battery {
    let with_reserve = load
        .permille
        .saturating_mul(100 + RESERVE_PERCENT)
        .div_ceil(100);
    let for_change = load
        .until_last_change
        .map_or(0, |drain| HARD_STOP_PERMILLE.saturating_add(drain));
    let begin_from_percent = with_reserve.max(for_change).div_ceil(10);
    let charge = charge_now(facts, family, now);
    judged(load.permille, begin_from_percent, charge, policy)
}

fn judged(
    sheet_permille: u32,
    begin_from_percent: u32,
    charge: Option<Charge>,
    policy: &Policy,
) -> Battery {
    let floor = u32::from(policy.battery_floor_percent) * 10;
    let verdict = match &charge {
        None => BatteryVerdict::NotKnown,
        Some(charge) if charge.permille < begin_from_percent.saturating_mul(10) => {
            BatteryVerdict::TooLow
        }
        Some(charge) if charge.permille < floor => BatteryVerdict::UnderFloor,
        Some(_) => BatteryVerdict::Enough,
    };
    Battery {
        sheet_permille,
        begin_from_percent,
        charge,
        verdict,
    }
}

/// Bytes that a link moves in a second at least: 250 MB in two minutes (JOB 11).
const LEAST_BYTES_PER_SECOND: u64 = 2 << 20;

/// What moving so many bytes in a recovery takes: all of it writes.
#[must_use]
pub fn moving(bytes: u64, family: &Family) -> Load {
    let reading = family.reading_modes();
    let recoveries = family.modes.iter().filter(|spec| reading.has(spec.mode));
    let rate = recoveries.map(|spec| spec.drain_permille_per_hour).max();
    let seconds = bytes.div_ceil(LEAST_BYTES_PER_SECOND);
    let drain = seconds
        .saturating_mul(u64::from(rate.unwrap_or(0)))
        .div_ceil(3600);
    let permille = u32::try_from(drain).unwrap_or(u32::MAX);
    Load {
        permille,
        until_last_change: Some(permille),
    }
}

/// The battery where there is no sheet to judge it for.
#[must_use]
pub fn unplanned(facts: &Facts, family: &Family, now: BenchTime) -> Battery {
    let charge = charge_now(facts, family, now);
    let verdict = match &charge {
        None => BatteryVerdict::NotKnown,
        Some(charge) if charge.permille < HARD_STOP_PERMILLE => BatteryVerdict::TooLow,
        Some(_) => BatteryVerdict::Enough,
    };
    Battery {
        sheet_permille: 0,
        begin_from_percent: HARD_STOP_PERMILLE / 10,
        charge,
        verdict,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::Source;
    use crate::facts::testing::{at, row};
    use crate::family::testing::gimbal;
    use crate::goal::Goal;
    use crate::plan::testing::{Ways, find};
    use crate::state::State;

    fn judged(percent: &str, mode: &str, later_minutes: i64) -> Battery {
        let family = gimbal();
        let rows = [
            row(1, FactKey::Mode, mode, Source::Link, 0),
            row(2, FactKey::Lock, "locked", Source::Link, 0),
            row(3, FactKey::Debugging, "on", Source::Link, 0),
            row(4, FactKey::Battery, percent, Source::Link, 0),
        ];
        let facts = Facts::new(&rows, &[], []);
        let start = State::from_facts(&facts);
        let sheet = find(&family, start, Goal::ReadTable, Ways::ALL).unwrap();
        let load = sheet.load();
        battery(load, &facts, &family, &Policy::usual(), at(later_minutes))
    }

    #[test]
    fn an_erase_never_meets_less_than_thirty_per_cent() {
        // 20 s + 75 s at 240 permille an hour before and during the erase: 7 permille on top of 300.
        assert_eq!(judged("60", "system", 0).begin_from_percent, 31);
        assert_eq!(judged("30", "system", 0).verdict, BatteryVerdict::TooLow);
        assert_eq!(
            judged("31", "system", 0).verdict,
            BatteryVerdict::UnderFloor
        );
        assert_eq!(judged("50", "system", 0).verdict, BatteryVerdict::Enough);
    }

    #[test]
    fn a_reading_is_carried_forward_and_never_up() {
        let hour = judged("60", "bootloader", 60);
        assert_eq!(hour.charge.unwrap().permille, 360);
        let day = judged("60", "bootloader", 24 * 60);
        assert_eq!(day.charge.unwrap().permille, 0);
        // That it charges in the system is no reading.
        assert_eq!(judged("60", "system", 60).charge.unwrap().permille, 540);
    }
}
