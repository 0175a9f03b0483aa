//! What the device, its maker or a seller may have against an unlock: the part of `G1` that is not
//! preparation (`U1` to `U5`, `U8`, `U10`). Each line gives what would change it.

use veritope_wire::BenchTime;

use super::body::answers_not;
use super::card::room;
use crate::act::{Ground, Standpoint, When};
use crate::builds::{self, Chain, Gate, Leg, NoChain};
use crate::evidence::{Basis, Cure, Due, Finality, Line, Need, choice, cite, look_at, not_known};
use crate::facts::equipment::{Check, EquipmentId, Suspect};
use crate::facts::{FactKey, FactRow, FactValue, Facts};
use crate::family::{Again, CarrierRule, Family, HiddenUntil, Method, ToggleSpec, TokenSpec};
use crate::rule::Rule;
use crate::state::{Bit, Presence};

const HOUR_MS: i64 = 3_600_000;

/// The lines of all gates that this family has.
pub(crate) fn gates(on: Ground<'_>) -> Vec<Line> {
    let (family, facts, now) = (on.family(), on.of.facts, on.of.now);
    let mut items = Vec::new();
    items.extend(service_screen(family, facts));
    items.extend(relocked(family, facts));
    items.extend(build(on));
    items.extend(room_for_chain(on));
    items.extend(toggle(family, facts, now));
    items.extend(token(on));
    items.extend(answers(family, facts));
    items
}

fn missing(rule: Rule, text: impl Into<String>, cure: Cure, facts: &Facts, key: FactKey) -> Line {
    Line::missing(rule, text, cure.by_person()).citing(facts, [key])
}

fn absent(
    rule: Rule,
    text: impl Into<String>,
    finality: Finality,
    facts: &Facts,
    key: FactKey,
) -> Line {
    Line::missing(rule, text, Need::Absent { finality }).citing(facts, [key])
}

fn service_screen(family: &Family, facts: &Facts) -> Option<Line> {
    family.service_screen.as_ref()?;
    let key = FactKey::ServiceAllowed;
    Some(match choice(facts, key) {
        Some(("yes", basis)) => Line::met(Rule::U3, "The service screen allows it.", basis),
        Some(_) => absent(
            Rule::U3,
            "The service screen says that unlocking is not allowed on this unit.",
            Finality::Final,
            facts,
            key,
        ),
        None => not_known(
            family,
            facts,
            Rule::U3,
            key,
            "Does the service screen allow it?",
        ),
    })
}

fn relocked(family: &Family, facts: &Facts) -> Option<Line> {
    if family.relock.again != Again::Never {
        return None;
    }
    let key = FactKey::Relocked;
    Some(match choice(facts, key) {
        Some(("no", basis)) => Line::met(Rule::U10, "It was never locked again.", basis),
        Some(_) => absent(
            Rule::U10,
            "It was unlocked once and locked again; this family never unlocks a second time.",
            Finality::Final,
            facts,
            key,
        ),
        None => not_known(
            family,
            facts,
            Rule::U10,
            key,
            "Was it unlocked before and locked again?",
        ),
    })
}

/// What is still to be fetched for the way from build to build has room where it is put (`Q11`).
fn room_for_chain(on: Ground<'_>) -> Option<Line> {
    let (family, facts) = (on.family(), on.of.facts);
    let chain = builds::gate(family, facts, None).chain(on.end)?;
    let missing = chain.missing.iter().filter_map(|name| family.package(name));
    room(missing, facts)
}

fn build(on: Ground<'_>) -> Option<Line> {
    let (family, facts) = (on.family(), on.of.facts);
    let key = FactKey::Build;
    let gated = family
        .builds
        .iter()
        .any(|build| build.unlockable != crate::family::Unlockable::Yes);
    if !gated {
        return None;
    }
    let Some(runs) = facts.known(key) else {
        let question = "Which build runs on it?";
        return Some(not_known(family, facts, Rule::U5, key, question));
    };
    let gate = builds::gate(family, facts, None);
    let chain = gate.clone().chain(on.end);
    Some(match gate {
        Gate::Open => Line::met(Rule::U5, "This build can be unlocked.", runs),
        Gate::NotKnown => not_known(family, facts, Rule::U5, key, "Which build runs on it?"),
        Gate::NotKnownFuse => not_known(
            family,
            facts,
            Rule::W1,
            FactKey::RollbackIndex,
            "Which rollback index is fused? The way to a build that can be unlocked hangs on it.",
        ),
        Gate::NotListed => Line {
            text:
                "This build is none that the family lists: read it again, or add it to the family."
                    .to_owned(),
            ..not_known(family, facts, Rule::U5, key, "")
        },
        Gate::Shut(NoChain::Fused) => absent(
            Rule::W1,
            "Its rollback index is fused above every build that can be unlocked.",
            Finality::Final,
            facts,
            key,
        ),
        Gate::Shut(NoChain::NoPackage) => absent(
            Rule::U5,
            "This build can't be unlocked, and no known package leads to one that can and back.",
            Finality::Open,
            facts,
            key,
        ),
        Gate::Chains(_) => by_chain(family, facts, &chain.unwrap_or_default(), runs),
    })
}

/// What runs opens itself (`U5`): nobody is let to the unlock before the packages that lead to such a build
/// are in, and a sheet without them has no unlock.
pub(crate) fn opens(on: Ground<'_>, at: Standpoint) -> Option<Line> {
    let (family, facts) = (on.family(), on.of.facts);
    let is_asked = at.when == When::Now || on.legs.is_empty();
    let gate = is_asked.then(|| builds::gate(family, facts, None))?;
    let chain = gate.chain(on.end)?;
    if let Some(Leg::Unlock { .. }) = chain.legs.first() {
        return None;
    }
    let text =
        "The build that runs can't be unlocked; packages that lead to one that can come first.";
    let line = Line::missing(Rule::U5, text, Need::Carried { cure: None });
    let line = line.citing(facts, [FactKey::Build]).due(Due::Door);
    Some(match at.when {
        When::Now => line,
        When::Later => line.row(Bit::Legs(0)),
    })
}

/// The line of a build that can't be unlocked itself, where packages lead to one that can.
fn by_chain(family: &Family, facts: &Facts, chain: &Chain, runs: &FactRow) -> Line {
    let key = FactKey::Build;
    if chain.missing.is_empty() {
        return Line::met(
            Rule::U5,
            format!(
                "This build can't be unlocked itself; {} packages lead to one that can{}, {} minutes and {} wipes in all.{}",
                chain.legs.len().saturating_sub(1),
                and_back(chain, runs),
                chain.minutes,
                chain.wipes,
                end_of(chain, runs)
            ),
            runs,
        );
    }
    if facts.known(FactKey::CardFiles).is_none() {
        let question = "This build can't be unlocked itself; the way there takes packages. Which are on the card?";
        return not_known(family, facts, Rule::U5, FactKey::CardFiles, question);
    }
    missing(
        Rule::U5,
        format!(
            "This build can't be unlocked itself. The way there{} ({} minutes, {} wipes) lacks {}.{}",
            and_back(chain, runs),
            chain.minutes,
            chain.wipes,
            chain.missing.join(", "),
            end_of(chain, runs)
        ),
        Cure::Fetch {
            packages: chain.missing.clone(),
            key: Some(FactKey::CardFiles),
        },
        facts,
        key,
    )
}

/// Whether the packages of a chain lead back too, in words.
fn and_back(chain: &Chain, runs: &FactRow) -> &'static str {
    if chain.end == runs.value.exact() {
        " and back"
    } else {
        ""
    }
}

/// Where a chain ends, when that is not the build it begins on: a sentence of its own.
fn end_of(chain: &Chain, runs: &FactRow) -> String {
    if chain.end == runs.value.exact() {
        return String::new();
    }
    let end = &chain.end;
    format!(" It ends unlocked on {end} and stays there.")
}

fn toggle(family: &Family, facts: &Facts, now: BenchTime) -> Option<Line> {
    if family.main_stages().all(|stage| !stage.needs_toggle) {
        return None;
    }
    let spec = family.toggle.as_ref()?;
    let key = FactKey::Toggle;
    Some(match choice(facts, key) {
        Some(("on", basis)) => Line::met(Rule::U1, "The unlock switch is on.", basis),
        Some(("off", _)) => missing(
            Rule::U1,
            "The unlock switch is off.",
            Cure::DoThenType {
                key,
                instruction: spec.hand.clone(),
            },
            facts,
            key,
        )
        .minutes(spec.minutes),
        Some(("greyed", _)) => greyed(family, facts),
        Some(("absent", _)) => hidden(family, spec, facts, now),
        Some(_) => Line::unknown(
            Rule::U1,
            "The switch is on and can't be moved, as after an unlock: look at the lock again.",
            look_at(family, FactKey::Lock).by_person(),
        )
        .minutes(family.place(key).map(|place| place.minutes).or(Some(1)))
        .citing(facts, [key]),
        None => not_known(
            family,
            facts,
            Rule::U1,
            key,
            "How does the unlock switch in the settings read?",
        ),
    })
}

/// A greyed switch: carrier, unpaid, managed, or already unlocked (`U1`); told apart in this order.
fn greyed(family: &Family, facts: &Facts) -> Line {
    let choice = |key| facts.choice(key);
    if facts.lock().is_none() {
        let text = "The switch is greyed. An open lock greys it too: is it locked or unlocked?";
        return not_known(family, facts, Rule::U1, FactKey::Lock, text);
    }
    if choice(FactKey::Bought) == Some("carrier")
        && let Some(carrier) = &family.carrier
    {
        let need = match carrier.toggle {
            CarrierRule::Never => Need::Absent {
                finality: Finality::Final,
            },
            CarrierRule::OnRequest => Cure::Ask {
                who: "the carrier that sold it".to_owned(),
                key: FactKey::Toggle,
            }
            .by_person(),
        };
        let text = format!(
            "The switch is greyed, and a carrier sold it. {}",
            carrier.reason
        );
        return Line::missing(Rule::K6, text, need).citing(facts, [FactKey::Bought]);
    }
    let ask = |text: &str, who: &str, key| {
        let cure = Cure::Ask {
            who: who.to_owned(),
            key,
        };
        missing(Rule::U1, text, cure, facts, key)
    };
    let question = |key, text| not_known(family, facts, Rule::U1, key, text);
    match (
        choice(FactKey::Bought),
        choice(FactKey::Paid),
        choice(FactKey::Managed),
    ) {
        (None, ..) => question(
            FactKey::Bought,
            "The switch is greyed. Who sold it, a carrier or the open market?",
        ),
        (_, Some("no"), _) => ask(
            "The switch is greyed, and it is not paid off.",
            "the seller, about the rest of the price",
            FactKey::Paid,
        ),
        (_, _, Some("yes")) => ask(
            "The switch is greyed, and an employer or school manages it.",
            "whoever manages it",
            FactKey::Managed,
        ),
        (_, None, _) => question(FactKey::Paid, "The switch is greyed. Is it paid off?"),
        (_, _, None) => question(
            FactKey::Managed,
            "The switch is greyed. Does an employer or school manage it?",
        ),
        _ => ask(
            "The switch is greyed, though it is paid off and not managed: if the lock really is closed, only the maker knows why.",
            "the maker",
            FactKey::Toggle,
        ),
    }
}

/// A switch that is not there (`U2`): the quick cure first, then the wait, whose end is a moment.
fn hidden(family: &Family, spec: &ToggleSpec, facts: &Facts, now: BenchTime) -> Line {
    if spec.hidden_until == HiddenUntil::Nothing {
        return Line::unknown(
            Rule::U2,
            "This family never hides the switch: look for it again.",
            look_at(family, FactKey::Toggle).by_person(),
        )
        .minutes(
            family
                .place(FactKey::Toggle)
                .map(|place| place.minutes)
                .or(Some(1)),
        )
        .citing(facts, [FactKey::Toggle]);
    }
    match choice(facts, FactKey::AskedUpdates) {
        None => {
            return not_known(
                family,
                facts,
                Rule::U2,
                FactKey::AskedUpdates,
                "The switch is not there. Was it made to ask for updates?",
            );
        }
        Some(("yes", _)) => {}
        Some(_) => {
            return Line::unknown(
                Rule::U2,
                "The switch is not there, and it never asked for updates: until it has, the moment is not known.",
                Cure::DoThenType {
                    key: FactKey::AskedUpdates,
                    instruction: spec.quick_cure.clone(),
                }
                .by_person(),
            )
            .minutes(spec.quick_minutes)
            .citing(facts, [FactKey::AskedUpdates]);
        }
    }
    let Some(dated) = facts.dated(FactKey::FirstOnline) else {
        return not_known(
            family,
            facts,
            Rule::U2,
            FactKey::FirstOnline,
            "The switch is not there yet. When was it first online?",
        );
    };
    let first = dated.counted;
    if first > now {
        return Line {
            text: "The first time online lies ahead of now. Read it again, and look whether this computer's clock is right."
                .to_owned(),
            ..not_known(family, facts, Rule::U2, FactKey::FirstOnline, "")
        };
    }
    let off_hours = if spec.off_hours_count {
        0
    } else {
        match facts.count(FactKey::OffHours) {
            Some(hours) => hours,
            None => {
                return not_known(
                    family,
                    facts,
                    Rule::U2,
                    FactKey::OffHours,
                    "Hours switched off don't count on this family. How many were there since it was first online?",
                );
            }
        }
    };
    let hours = i64::from(spec.wait_hours) + i64::from(off_hours);
    let until = first.after_ms(hours.saturating_mul(HOUR_MS));
    let cited: Vec<Basis> = [FactKey::Toggle, FactKey::AskedUpdates, FactKey::FirstOnline]
        .into_iter()
        .flat_map(|key| cite(facts, key))
        .collect();
    if now < until {
        Line::missing(
            Rule::U2,
            format!(
                "The switch appears {} h after it was first online; that moment is still ahead.{}",
                spec.wait_hours,
                if dated.is_doubtful {
                    " When that was is doubtful, for this computer's clock had been set when it was typed: the later of the two is taken. Type it again once the clock is right."
                } else {
                    ""
                }
            ),
            Cure::Wait { until }.by_person(),
        )
        .seen(cited)
    } else {
        Line::unknown(
            Rule::U2,
            "The wait is over: look for the switch again.",
            look_at(family, FactKey::Toggle).by_person(),
        )
        .minutes(spec.minutes.max(1))
        .seen(cited)
    }
}

fn token(on: Ground<'_>) -> Vec<Line> {
    let (family, facts) = (on.family(), on.of.facts);
    let Some(spec) = &family.token else {
        return Vec::new();
    };
    if family
        .main_stages()
        .all(|stage| stage.method != Method::Token)
    {
        return Vec::new();
    }
    // Nobody is sent to the portal for a unit whose own screen may say no.
    if family.service_screen.is_some() && facts.choice(FactKey::ServiceAllowed) != Some("yes") {
        return Vec::new();
    }
    let ask = Cure::Ask {
        who: spec.portal.clone(),
        key: FactKey::Token,
    };
    if let Some(("in-hand", basis)) = choice(facts, FactKey::Token) {
        let id = equipment(family, facts);
        let is_wrong = facts.known(FactKey::EquipmentId).is_some() && !id.is_met();
        if is_wrong {
            let text = "The token was asked for with an equipment ID that can't be right: it opens another unit, or none. Ask again with the right one.";
            return vec![id, missing(Rule::U4, text, ask, facts, FactKey::Token)];
        }
        return vec![match on.of.by.token {
            Presence::Here => Line::met(
                Rule::U4,
                "The token has come and is kept with this unit: its length and its signs are right.",
                basis,
            ),
            Presence::Missing => Line::unknown(
                Rule::U4,
                "The token has come, as somebody says, and nobody has looked at it: type it, so that its length and signs are checked and it is kept with this unit.",
                look_at(family, FactKey::Token).by_person(),
            )
            .minutes(family.place(FactKey::Token).map(|place| place.minutes).or(Some(1)))
            .citing(facts, [FactKey::Token]),
        }];
    }
    let mut items = vec![equipment(family, facts)];
    for (key, have, lack, question) in [
        (
            FactKey::PortalAccount,
            "There is an account at the portal.",
            "An account at the portal is needed; the owner makes it and keeps its login.",
            "Is there an account at the maker's portal?",
        ),
        (
            FactKey::PortalAgreed,
            "The portal's agreement is accepted.",
            "The owner reads the portal's agreement and accepts it there.",
            "Is the portal's agreement accepted?",
        ),
    ] {
        items.push(match choice(facts, key) {
            Some(("yes", basis)) => Line::met(Rule::U4, have, basis),
            Some(_) => missing(
                Rule::U4,
                lack,
                Cure::DoThenType {
                    key,
                    instruction: lack.to_owned(),
                },
                facts,
                key,
            )
            .minutes(family.place(key).map(|place| place.minutes)),
            None => not_known(family, facts, Rule::U4, key, question),
        });
    }
    items.extend(account(on, spec));
    items.push(mail(on, spec, ask));
    items
}

/// What a scheme asks of the account itself: how long it is there, how many units it had (`U4`).
fn account(on: Ground<'_>, spec: &TokenSpec) -> Vec<Line> {
    let (family, facts, now) = (on.family(), on.of.facts, on.of.now);
    let mut lines = Vec::new();
    if let Some(hours) = spec.account_hours {
        let key = FactKey::AccountSince;
        let since = facts.dated(key).map(|dated| dated.counted);
        lines.push(match since.filter(|at| *at <= now).zip(facts.known(key)) {
            None => {
                let text = format!(
                    "An account may ask {hours} h after it was made: since when is it there?"
                );
                not_known(family, facts, Rule::U4, key, &text)
            }
            Some((since, row)) => {
                let until = since.after_ms(i64::from(hours).saturating_mul(HOUR_MS));
                if now < until {
                    let text = format!("The account may ask {hours} h after it was made.");
                    Line::missing(Rule::U4, text, Cure::Wait { until }.by_person())
                        .citing(facts, [key])
                } else {
                    let text = "The account is there for long enough to ask.";
                    Line::met(Rule::U4, text, Basis::Fact(row.into()))
                }
            }
        });
    }
    if let Some(most) = spec.units_per_account {
        let key = FactKey::AccountUnits;
        lines.push(match facts.count(key).zip(facts.known(key)) {
            None => {
                let text = format!("One account gets a token for {most} units: how many had one?");
                not_known(family, facts, Rule::U4, key, &text)
            }
            Some((had, _)) if had >= most => {
                let instruction = format!(
                    "This account had a token for {had} units, and gets one for {most}: {} says when it may ask again, or another account of the owner's asks.",
                    spec.portal
                );
                let cure = Cure::DoThenType {
                    key,
                    instruction: instruction.clone(),
                };
                missing(Rule::U4, instruction, cure, facts, key)
            }
            Some((had, row)) => {
                let text = format!("The account had a token for {had} of {most} units.");
                Line::met(Rule::U4, text, Basis::Fact(row.into()))
            }
        });
    }
    lines
}

/// The mail with the token: asked for, waited for, overdue (`U4`).
fn mail(on: Ground<'_>, spec: &TokenSpec, ask: Cure) -> Line {
    let (facts, now) = (on.of.facts, on.of.now);
    let portal = &spec.portal;
    let own = match spec.tool_erases {
        true => {
            " The maker's own tool erases by itself: what is to be kept is kept before it is started."
        }
        false => "",
    };
    let asked = facts.dated(FactKey::TokenAsked).map(|dated| dated.counted);
    let Some(asked) = asked.filter(|at| *at <= now) else {
        let text = format!(
            "The token comes by mail from {portal}, usually within {} h of asking.{own}",
            spec.mail_hours
        );
        return missing(Rule::U4, text, ask, facts, FactKey::Token);
    };
    let until = asked.after_ms(i64::from(spec.mail_hours).saturating_mul(HOUR_MS));
    if now < until {
        let text = format!(
            "The token was asked for; its mail comes from {portal} within {} h, usually.",
            spec.mail_hours
        );
        return Line::missing(Rule::U4, text, Cure::Wait { until }.by_person())
            .citing(facts, [FactKey::TokenAsked]);
    }
    let text = format!(
        "The token was asked for more than {} h ago: look into the mailbox, unwanted mail included, then ask {portal}.",
        spec.mail_hours
    );
    missing(Rule::U4, text, ask, facts, FactKey::TokenAsked)
}

/// The equipment ID as the portal wants it: it must be right, and a wrong one is told with what is
/// known about where (`K3`).
fn equipment(family: &Family, facts: &Facts) -> Line {
    let key = FactKey::EquipmentId;
    let Some(row) = facts.known(key) else {
        return not_known(
            family,
            facts,
            Rule::K3,
            key,
            "The portal asks for the equipment ID. How does it read?",
        );
    };
    let FactValue::Equipment(id) = &row.value else {
        return not_known(
            family,
            facts,
            Rule::K3,
            key,
            "How does the equipment ID read?",
        );
    };
    match wrong_with(family, id) {
        None if *id != EquipmentId::None => Line::met(Rule::K3, "The equipment ID is sound.", row),
        problem => Line {
            text: problem
                .unwrap_or_else(|| "The portal takes no unit without an equipment ID.".to_owned()),
            ..not_known(family, facts, Rule::K3, key, "")
        },
    }
}

/// What is wrong with an equipment ID of this family, in one or two sentences; never a guess at the
/// right one beyond what the family's list and the digits show.
pub(crate) fn wrong_with(family: &Family, id: &EquipmentId) -> Option<String> {
    let codes = family
        .equipment
        .as_ref()
        .map_or(&[][..], |spec| &spec.type_codes);
    let place = match id.misread_type_code(codes) {
        Some(Suspect::TypeCode {
            position,
            found,
            expected,
        }) => Some(format!(
            "digit {position} reads {found}, where this family's type code has {expected}"
        )),
        _ => None,
    };
    let swaps: Vec<String> = id
        .swaps()
        .iter()
        .filter_map(|suspect| match suspect {
            Suspect::Swap { position } => Some(format!("{position} and {}", position + 1)),
            _ => None,
        })
        .collect();
    match (id.check(), place) {
        (Check::Wrong, Some(place)) => Some(format!(
            "The equipment ID fails its check digit, and {place}. Read it again."
        )),
        (Check::Wrong, None) if swaps.is_empty() => Some(
            "The equipment ID fails its check digit: something is wrong, and nothing tells where. Read it again."
                .to_owned(),
        ),
        (Check::Wrong, None) => Some(format!(
            "The equipment ID fails its check digit. Perhaps two neighbours are swapped (digits {}), perhaps one digit anywhere is wrong. Read it again.",
            swaps.join("; ")
        )),
        (_, Some(place)) => Some(format!("{}. Read it again.", capital(&place))),
        (Check::Fits | Check::NoCheckDigit, None) => {
            let own = id.type_code().filter(|own| !codes.is_empty() && !codes.contains(own));
            own.map(|_| {
                "The first eight digits of the equipment ID are no type code of this family: it is another device's. Read it again; a code that the family's file lacks is added there.".to_owned()
            })
        }
    }
}

fn capital(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or_else(String::new, |first| {
        first.to_uppercase().chain(chars).collect()
    })
}

/// The computer side (`U8`): asked where the family says how to find out.
fn answers(family: &Family, facts: &Facts) -> Option<Line> {
    let key = FactKey::AnswersBootloader;
    let mode = family.lower_mode()?.shown();
    let Some(place) = family.place(key) else {
        return answers_not(family, facts);
    };
    Some(match choice(facts, key) {
        Some(("yes", basis)) => Line::met(
            Rule::U8,
            format!("It has answered this computer in {mode}."),
            basis,
        ),
        Some(_) => missing(
            Rule::U8,
            format!("It did not answer this computer in {mode}."),
            Cure::DoThenType {
                key,
                instruction: format!(
                    "Another cable, another port, the driver for {mode}; then again: {}",
                    place.place
                ),
            },
            facts,
            key,
        )
        .minutes(place.minutes),
        None => not_known(
            family,
            facts,
            Rule::U8,
            key,
            &format!("Does it answer this computer in {mode}? Nothing is lost by looking."),
        ),
    })
}
