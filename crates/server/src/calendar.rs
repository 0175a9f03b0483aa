//! A wait as a calendar entry (RFC 5545), written by the `icalendar` library.

use chrono::{DateTime, Duration, Utc};
use icalendar::{Alarm, Calendar, Component, Event, EventLike, Trigger};
use veritope_engine::views::Wait;
use veritope_wire::{UnitId, WallTime};

/// How long the entry lasts.
const MINUTES: i64 = 15;

/// Rounded up to a whole second: a second too early would ring while the answer is still no.
fn stamp(moment: WallTime) -> DateTime<Utc> {
    let seconds = moment.ms().div_euclid(1000) + i64::from(moment.ms().rem_euclid(1000) > 0);
    DateTime::from_timestamp(seconds, 0).unwrap_or(DateTime::<Utc>::MAX_UTC)
}

/// A calendar with one entry: it begins when the wait ends, and rings then. The same unit's newer
/// entry replaces the older one (same UID).
pub(crate) fn entry(unit: UnitId, wait: &Wait) -> String {
    let at = stamp(wait.at);
    // What the library would make up, a moment and an id, is given: the same wait, the same bytes.
    let alarm = Alarm::display(&wait.title, Trigger::after_start(Duration::zero()))
        .uid(&format!("{unit}-alarm@veritope"))
        .timestamp(stamp(wait.asked))
        .done();
    let event = Event::new()
        .uid(&format!("{unit}-wait@veritope"))
        .timestamp(stamp(wait.asked))
        .summary(&wait.title)
        .description(&wait.text)
        .starts(at)
        .ends(at + Duration::minutes(MINUTES))
        .alarm(alarm)
        .done();
    Calendar::empty()
        .append_property(("VERSION", "2.0"))
        .append_property(("PRODID", "-//Veritope//Bench//EN"))
        .push(event)
        .done()
        .to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_entry_begins_and_rings_when_the_wait_ends() {
        let wait = Wait {
            at: "2026-11-30T21:00:00.250Z".parse().unwrap(),
            asked: "2026-11-26T10:00:00Z".parse().unwrap(),
            title: "Bittern: look for the toggle, it may be unlocked now".to_owned(),
            text: "Online, asked for updates; 168 h pass first.".to_owned(),
        };
        let unit = "0192f0c1-2345-7abc-8def-0123456789ab".parse().unwrap();
        insta::assert_snapshot!(entry(unit, &wait).replace("\r\n", "\n"));
    }
}
