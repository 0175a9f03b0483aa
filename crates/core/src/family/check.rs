//! Second stage: what has the right shape must also make sense. Every refusal names the file, the
//! line and the key.

mod acts;
mod recovery;

use std::collections::BTreeSet;
use std::ops::Range;

use toml::Spanned;
use veritope_wire::{Digest, Label};

use super::raw::{RawBuild, RawFamily, RawPackage, RawPlace, RawVariant, YesNo};
use super::{
    Blank, BuildSpec, CarrierSpec, DebuggingSpec, Effort, EquipmentSpec, FAMILY_SCHEMA, FactPlace,
    Family, ForcedRestart, Identifier, InSlot, ModeSpec, Pace, PackageKind, PackageSpec,
    PartitionSpec, Pattern, ReadRoute, RouteKind, RouteLock, Slots, TemporaryStartSpec, ToggleSpec,
    TokenSpec, ToolChoice, Variant, VolumeSpec,
};
use crate::facts::equipment::TYPE_CODE_DIGITS;
use crate::facts::{FactValue, Month};
use crate::mode::{Mode, Slot};

/// A family file that can't be used, in one sentence with file and line.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{file}, line {line}: {what}")]
pub struct FamilyError {
    /// The file's name.
    pub file: String,
    /// Line, from 1.
    pub line: usize,
    /// What is wrong there, and what to do.
    pub what: String,
}

/// Reads a family from the `text` of a file called `file`.
///
/// # Errors
/// The first thing that is wrong, with its line: not TOML, an unknown or missing key, a value
/// outside its list, a duplicate, a reference to something that is not there.
pub fn load(file: &str, text: &str) -> Result<Family, FamilyError> {
    let at = Locator { file, text };
    let raw: RawFamily = toml::from_str(text).map_err(|error| {
        let span = error.span().unwrap_or(0..0);
        let what = error.message().replace('\n', ", ");
        match at.key_at(span.start) {
            Some(key) if !what.contains(key) => at.refuse(span, format!("`{key}`: {what}")),
            _ => at.refuse(span, what),
        }
    })?;
    at.family(raw)
}

/// What a capture takes where a family doesn't say.
const USUAL_CAPTURE: Pace = Pace {
    usual_seconds: 60,
    stuck_seconds: 900,
};

struct Locator<'a> {
    file: &'a str,
    text: &'a str,
}

impl Locator<'_> {
    /// The key whose value stands at `offset`, where a line of the form `key = value` does.
    fn key_at(&self, offset: usize) -> Option<&str> {
        let before = self.text.get(..offset)?;
        let line = before.rsplit('\n').next()?;
        let key = line.split_once('=')?.0.trim();
        (!key.is_empty()).then_some(key)
    }

    fn refuse(&self, span: Range<usize>, what: impl Into<String>) -> FamilyError {
        let before = self.text.get(..span.start).unwrap_or(self.text);
        FamilyError {
            file: self.file.to_owned(),
            line: before.matches('\n').count() + 1,
            what: what.into(),
        }
    }

    /// Since schema 6 a question is answered by keys or a touch, not in words.
    fn answers_are_keys(&self, raw: &RawFamily) -> Result<(), FamilyError> {
        if *raw.schema.get_ref() < 6 {
            return Ok(());
        }
        let stages = raw.stage.iter().map(Spanned::get_ref);
        let wipes = raw.wipe.iter().map(Spanned::get_ref);
        let relock = raw.relock.as_ref().map(Spanned::get_ref);
        let worded = stages
            .flat_map(|stage| [&stage.answer, &stage.answered_by])
            .chain(wipes.map(|wipe| &wipe.answer))
            .chain(relock.map(|relock| &relock.answer))
            .flatten()
            .next();
        match worded {
            None => Ok(()),
            Some(worded) => Err(self.refuse(
                worded.span(),
                "since schema 6 a question is answered by `yes`: its `menu`, the key to `tap`, or what to `touch`",
            )),
        }
    }

    fn family(&self, raw: RawFamily) -> Result<Family, FamilyError> {
        if !(1..=FAMILY_SCHEMA).contains(raw.schema.get_ref()) {
            return Err(self.refuse(
                raw.schema.span(),
                format!(
                    "`schema` is {}; this program reads 1 to {FAMILY_SCHEMA}. Update the program or the file",
                    raw.schema.get_ref()
                ),
            ));
        }
        self.answers_are_keys(&raw)?;
        let codename = raw.identity.codename;
        if codename.get_ref().parse::<Label>().is_err() {
            return Err(self.refuse(
                codename.span(),
                "`codename` takes letters, digits, `_` and `-` only",
            ));
        }
        let modes = self.modes(raw.mode)?;
        let declared: BTreeSet<Mode> = modes.iter().map(|spec| spec.mode).collect();
        let areas: Vec<(u32, u32)> = raw
            .area
            .iter()
            .map(|area| (area.get_ref().index, *area.get_ref().sector_bytes.get_ref()))
            .collect();
        let partitions = self.partitions(raw.partition, &areas)?;
        let labels: BTreeSet<&Label> = partitions.iter().map(|spec| &spec.label).collect();
        let mut sectors = raw.area.iter().map(|area| area.get_ref());
        if let Some(area) = sectors.find(|area| !matches!(area.sector_bytes.get_ref(), 512 | 4096))
        {
            return Err(self.refuse(
                area.sector_bytes.span(),
                format!("`sector_bytes` of area {} must be 512 or 4096", area.index),
            ));
        }
        let moves = self.moves(raw.moves, &declared)?;
        self.no_trap(&raw.schema, &modes, &moves)?;
        let stages = self.stages(raw.stage, &declared, &labels)?;
        let temporary_start = match raw.temporary_start {
            None => None,
            Some(spec) => {
                let spec = spec.into_inner();
                self.mode_is_declared(&spec.from, "temporary_start.from", &declared)?;
                let partition =
                    self.known_label(&spec.partition, "temporary_start.partition", &labels)?;
                Some(TemporaryStartSpec {
                    from: *spec.from.get_ref(),
                    pace: self.pace(spec.usual, &spec.stuck)?,
                    rights: spec.rights,
                    partition,
                    hand: spec.hand,
                })
            }
        };
        let recovery_write = raw
            .recovery_write
            .map(|spec| self.recovery_write(spec.into_inner(), &declared, &partitions))
            .transpose()?;
        let recovery_inside = raw
            .recovery_inside
            .map(|spec| self.recovery_inside(spec.into_inner(), &declared, &partitions))
            .transpose()?;
        let install_within = raw
            .install_within
            .map(|spec| self.install_within(spec.into_inner(), &declared, &partitions))
            .transpose()?;
        let makers_set = raw
            .makers_set
            .map(|spec| self.makers_set(spec.into_inner(), &declared))
            .transpose()?;
        let kept = self.kept(raw.recovery.map(Spanned::into_inner))?;
        let table = raw.table.into_inner();
        let first_start = raw.first_start.into_inner();
        let places = self.places(raw.fact)?;
        let variants = self.variants(raw.variant)?;
        let builds = self.builds(raw.build, &variants)?;
        let packages = self.packages(raw.package, &builds, &declared)?;
        let equipment = match raw.equipment_id.map(Spanned::into_inner) {
            None => None,
            Some(spec) => {
                for code in &spec.type_codes {
                    let text = code.get_ref();
                    if text.len() != TYPE_CODE_DIGITS || !text.bytes().all(|b| b.is_ascii_digit()) {
                        return Err(self.refuse(
                            code.span(),
                            format!(
                                "`equipment_id.type_codes`: {text} is not {TYPE_CODE_DIGITS} digits"
                            ),
                        ));
                    }
                }
                let codes = spec.type_codes.into_iter().map(Spanned::into_inner);
                Some(EquipmentSpec {
                    count: spec.count,
                    type_codes: codes.collect(),
                })
            }
        };
        let build_string = match &raw.build_string {
            None => None,
            Some(spec) => Some(Pattern::parse(spec.pattern.get_ref()).map_err(|what| {
                self.refuse(
                    spec.pattern.span(),
                    format!("`build_string.pattern`: {what}"),
                )
            })?),
        };
        let relock = self.relock(raw.relock, &stages, &declared)?;
        let wipes = self.wipes(raw.wipe, &declared)?;
        let slot_switch = self.slot_switch(raw.slot_switch, &declared, &partitions, &places)?;
        let before_foreign = self.before_foreign(raw.before_foreign, &places)?;
        let mut read_routes = Vec::new();
        for route in raw.read_route {
            let route = route.into_inner();
            self.mode_is_declared(&route.mode, "read_route.mode", &declared)?;
            let mut writes = Vec::new();
            for label in &route.writes {
                writes.push(self.known_label(label, "read_route.writes", &labels)?);
            }
            read_routes.push(ReadRoute {
                kind: route.kind,
                lock: route.lock,
                mode: *route.mode.get_ref(),
                writes,
                hand: route.hand,
            });
        }
        let written = recovery_write.as_ref();
        let written = written.map(|spec| (vec![spec.partition.clone()], spec.hand.clone()));
        let inside = recovery_inside.as_ref();
        let inside = || inside.map(|spec| (spec.partitions.clone(), spec.hand.clone()));
        let implied = implied_routes(temporary_start.as_ref(), written.or_else(inside));
        for route in implied {
            let is_listed = read_routes.iter().any(|listed| listed.kind == route.kind);
            if !is_listed && declared.contains(&route.mode) {
                read_routes.push(route);
            }
        }
        read_routes.sort_by_key(|route| route.kind);
        let tool_choices = self.tool_choices(raw.tool_choice)?;
        let toggle = raw.toggle.map(Spanned::into_inner).map(|spec| ToggleSpec {
            kept: spec.kept,
            hidden_until: spec.hidden_until,
            wait_hours: spec.wait_hours,
            off_hours_count: spec.off_hours_count == YesNo::Yes,
            hand: spec.hand,
            minutes: spec.minutes,
            quick_cure: spec.quick_cure,
            quick_minutes: spec.quick_minutes,
        });
        if let Some(stage) = stages.iter().find(|stage| stage.needs_toggle)
            && toggle.is_none()
        {
            return Err(self.refuse(
                raw.schema.span(),
                format!(
                    "`stage.needs_toggle` of {} is yes, but there is no [toggle]",
                    stage.id
                ),
            ));
        }
        let token = raw.token.map(|spec| TokenSpec {
            length: spec.length,
            alphabet: spec.alphabet,
            portal: spec.portal,
            mail_hours: spec.mail_hours,
            again: spec.again == YesNo::Yes,
            account_hours: spec.account_hours,
            units_per_account: spec.units_per_account,
            tool_erases: spec.tool_erases == YesNo::Yes,
        });
        let wants_token = stages
            .iter()
            .any(|stage| stage.method == super::Method::Token);
        if wants_token != token.is_some() {
            return Err(self.refuse(
                raw.schema.span(),
                "a [[stage]] with `method = \"token\"` and a [token] belong together; one of them is missing",
            ));
        }
        let mut classes = BTreeSet::new();
        for class in &raw.keep_safe.classes {
            if !classes.insert(*class.get_ref()) {
                return Err(self.refuse(
                    class.span(),
                    format!("`keep_safe.classes` names {} twice", class.get_ref().id()),
                ));
            }
        }
        Ok(Family {
            digest: Digest::of(self.text.as_bytes()),
            maker: raw.identity.maker,
            model: raw.identity.model,
            codename: codename.into_inner(),
            form: raw.identity.form,
            variants,
            places,
            aliases: raw.identity.aliases,
            areas,
            equipment,
            build_string,
            toggle,
            carrier: raw.carrier.map(|spec| CarrierSpec {
                toggle: spec.toggle,
                reason: spec.reason,
            }),
            service_screen: raw.service_screen.map(|spec| spec.hand),
            token,
            relock,
            wipes,
            slot_switch,
            before_foreign,
            kept,
            read_routes,
            tool_choices,
            builds,
            packages,
            marks: raw.mark,
            after_care: raw.after_care,
            identifiers: raw
                .identifier
                .into_iter()
                .map(|id| {
                    let id = id.into_inner();
                    Identifier {
                        key: id.key,
                        hardware: id.hardware == YesNo::Yes,
                        placeholders: id.placeholders,
                        shape: id.shape.map(super::Shape),
                    }
                })
                .collect(),
            partitions,
            modes,
            moves,
            forced_restart: raw.forced_restart.map(|spec| ForcedRestart {
                keys: spec.keys,
                hand: spec.hand,
            }),
            first_start: self.pace(first_start.usual, &first_start.stuck)?,
            debugging: DebuggingSpec {
                hand: raw.debugging.hand,
                minutes: raw.debugging.minutes,
                presses: raw.debugging.presses,
            },
            stages,
            consequences: raw.consequence.into_iter().map(Into::into).collect(),
            temporary_start,
            table: self.pace(table.usual, &table.stuck)?,
            capture: match raw.capture.map(Spanned::into_inner) {
                Some(capture) => self.pace(capture.usual, &capture.stuck)?,
                None => USUAL_CAPTURE,
            },
            recovery_write,
            recovery_inside,
            install_within,
            makers_set,
            keep_safe: raw
                .keep_safe
                .classes
                .into_iter()
                .map(Spanned::into_inner)
                .collect(),
            cautions: raw.caution.into_iter().map(Into::into).collect(),
        })
    }

    fn tool_choices(
        &self,
        raw: Vec<Spanned<super::raw::RawToolChoice>>,
    ) -> Result<Vec<ToolChoice>, FamilyError> {
        let mut choices: Vec<ToolChoice> = Vec::new();
        for choice in raw {
            let choice = choice.into_inner();
            if choices.iter().any(|known| known.id == *choice.id.get_ref()) {
                return Err(self.twice(&choice.id, "tool_choice.id"));
            }
            choices.push(ToolChoice {
                id: choice.id.into_inner(),
                title: choice.title,
                advice: choice.advice,
                erases: choice.erases,
                unless: choice.unless,
                reason: choice.reason,
            });
        }
        Ok(choices)
    }

    fn known_label(
        &self,
        text: &Spanned<String>,
        key: &str,
        known: &BTreeSet<&Label>,
    ) -> Result<Label, FamilyError> {
        let label = self.label(text, key)?;
        if known.contains(&label) {
            return Ok(label);
        }
        Err(self.refuse(
            text.span(),
            format!("`{key}` names `{label}`, which no [[partition]] has"),
        ))
    }

    fn modes(&self, raw: Vec<Spanned<super::raw::RawMode>>) -> Result<Vec<ModeSpec>, FamilyError> {
        let mut modes: Vec<ModeSpec> = Vec::new();
        for spec in raw {
            let span = spec.span();
            let spec = spec.into_inner();
            if modes.iter().any(|known| known.mode == spec.id) {
                return Err(self.refuse(span, format!("`mode.id` {} stands twice", spec.id.id())));
            }
            modes.push(ModeSpec {
                mode: spec.id,
                looks: spec.looks,
                battery_shows: spec.battery_shows == YesNo::Yes,
                charges: spec.charges == YesNo::Yes,
                drain_permille_per_hour: spec.drain_permille_per_hour,
                tells: spec.tells,
                hands: spec.hands,
            });
        }
        Ok(modes)
    }

    fn partitions(
        &self,
        raw: Vec<Spanned<super::raw::RawPartition>>,
        areas: &[(u32, u32)],
    ) -> Result<Vec<PartitionSpec>, FamilyError> {
        let mut partitions: Vec<PartitionSpec> = Vec::new();
        for spec in raw {
            let span = spec.span();
            let spec = spec.into_inner();
            if *spec.mib.get_ref() == 0 {
                return Err(self.refuse(spec.mib.span(), "`partition.mib` must be at least 1"));
            }
            if !areas.is_empty() && !areas.iter().any(|(index, _)| *index == spec.area) {
                return Err(self.refuse(
                    span,
                    format!("`partition.area` is {}, which no [[area]] has", spec.area),
                ));
            }
            let mut volumes = Vec::new();
            for volume in &spec.volume {
                volumes.push(VolumeSpec {
                    label: self.label(&volume.label, "partition.volume.label")?,
                    mib: volume.mib,
                });
            }
            let slots: &[Option<Slot>] = match spec.slots {
                Slots::Single => &[None],
                Slots::Pair => &[Some(Slot::A), Some(Slot::B)],
            };
            let stem = self.label(&spec.label, "partition.label")?;
            for &slot in slots {
                let label: Label = match slot {
                    None => stem.clone(),
                    Some(slot) => format!("{stem}_{}", slot.id()).parse().map_err(|error| {
                        self.refuse(spec.label.span(), format!("`partition.label`: {error}"))
                    })?,
                };
                if partitions.iter().any(|known| known.label == label) {
                    return Err(self.twice(&spec.label, "partition.label"));
                }
                partitions.push(PartitionSpec {
                    label,
                    role: spec.role,
                    mib: *spec.mib.get_ref(),
                    changes: spec.changes,
                    slot: slot.map(|slot| InSlot {
                        slot,
                        stem: stem.clone(),
                    }),
                    blank: if slot == Some(Slot::B) {
                        Blank::Expected
                    } else {
                        spec.blank
                    },
                    area: spec.area,
                    volumes: volumes.clone(),
                });
            }
        }
        Ok(partitions)
    }

    fn places(&self, raw: Vec<Spanned<RawPlace>>) -> Result<Vec<FactPlace>, FamilyError> {
        let mut places: Vec<FactPlace> = Vec::new();
        for place in raw {
            let span = place.span();
            let place = place.into_inner();
            if places.iter().any(|known| known.key == place.key) {
                return Err(
                    self.refuse(span, format!("`fact.key` {} stands twice", place.key.id()))
                );
            }
            let mut says = Vec::new();
            for (printed, value) in place.says {
                let value = FactValue::parse(place.key, value.get_ref())
                    .map_err(|error| self.refuse(value.span(), format!("`fact.says`: {error}")))?;
                says.push((printed, value));
            }
            places.push(FactPlace {
                key: place.key,
                read: place.read,
                place: place.place,
                minutes: place.minutes,
                age_hours: place.age_hours,
                presses: place.presses,
                prints: place.prints,
                says,
            });
        }
        Ok(places)
    }

    fn variants(&self, raw: Vec<Spanned<RawVariant>>) -> Result<Vec<Variant>, FamilyError> {
        let codes: BTreeSet<String> = raw.iter().map(|v| v.get_ref().code.clone()).collect();
        let mut variants: Vec<Variant> = Vec::new();
        for variant in raw {
            let span = variant.span();
            let variant = variant.into_inner();
            if variants.iter().any(|known| known.code == variant.code) {
                return Err(self.refuse(
                    span,
                    format!("`variant.code` {} stands twice", variant.code),
                ));
            }
            if let Some(other) = variant
                .shares_images
                .iter()
                .find(|c| !codes.contains(c.get_ref()))
            {
                return Err(self.refuse(
                    other.span(),
                    format!(
                        "`variant.shares_images` names {}, which no [[variant]] has",
                        other.get_ref()
                    ),
                ));
            }
            let shared = variant.shares_images.into_iter().map(Spanned::into_inner);
            variants.push(Variant {
                code: variant.code,
                chipset: variant.chipset,
                regions: variant.regions,
                shares_images: shared.collect(),
            });
        }
        Ok(variants)
    }

    fn builds(
        &self,
        raw: Vec<Spanned<RawBuild>>,
        variants: &[Variant],
    ) -> Result<Vec<BuildSpec>, FamilyError> {
        let mut builds: Vec<BuildSpec> = Vec::new();
        for build in raw {
            let build = build.into_inner();
            if builds.iter().any(|known| known.id == *build.id.get_ref()) {
                return Err(self.twice(&build.id, "build.id"));
            }
            let patch = Month::parse(build.patch.get_ref()).ok_or_else(|| {
                self.refuse(
                    build.patch.span(),
                    format!(
                        "`build.patch`: {} is no month; write it as 2026-11",
                        build.patch.get_ref()
                    ),
                )
            })?;
            let known = |code: &&Spanned<String>| {
                let mut all = variants.iter();
                !all.any(|variant| variant.code == *code.get_ref())
            };
            if let Some(code) = build.variants.iter().find(known) {
                return Err(self.refuse(
                    code.span(),
                    format!(
                        "`build.variants` names {}, which no [[variant]] has",
                        code.get_ref()
                    ),
                ));
            }
            let mut images = Vec::new();
            for (label, digest) in build.images {
                let label = label.parse::<Label>().map_err(|error| {
                    self.refuse(build.id.span(), format!("`build.images`: {error}"))
                })?;
                images.push((label, digest));
            }
            if !images.is_empty() && build.learned.is_none() {
                return Err(self.refuse(
                    build.id.span(),
                    "`build.learned` is missing: say where and when its digests were learned",
                ));
            }
            builds.push(BuildSpec {
                id: build.id.into_inner(),
                patch,
                generation: build.generation,
                unlockable: build.unlockable,
                rollback: build.rollback,
                stock: build.stock,
                note: build.note,
                variants: build
                    .variants
                    .into_iter()
                    .map(Spanned::into_inner)
                    .collect(),
                learned: build.learned.unwrap_or_default(),
                images,
            });
        }
        Ok(builds)
    }

    fn packages(
        &self,
        raw: Vec<Spanned<RawPackage>>,
        builds: &[BuildSpec],
        modes: &BTreeSet<Mode>,
    ) -> Result<Vec<PackageSpec>, FamilyError> {
        let build = |text: &Spanned<String>, key: &str| {
            let found = builds.iter().position(|build| build.id == *text.get_ref());
            found.ok_or_else(|| {
                self.refuse(
                    text.span(),
                    format!("`{key}` names {}, which no [[build]] has", text.get_ref()),
                )
            })
        };
        let mut packages: Vec<PackageSpec> = Vec::new();
        for package in raw {
            let package = package.into_inner();
            if packages
                .iter()
                .any(|known| known.name == *package.name.get_ref())
            {
                return Err(self.twice(&package.name, "package.name"));
            }
            self.mode_is_declared(&package.mode, "package.mode", modes)?;
            self.mode_is_declared(&package.ends_in, "package.ends_in", modes)?;
            let to = build(&package.to, "package.to")?;
            let from = match &package.from {
                Some(from) => Some(build(from, "package.from")?),
                None if package.kind == PackageKind::Incremental => {
                    return Err(self.refuse(
                        package.name.span(),
                        format!(
                            "`package.from` is missing: {} is an incremental",
                            package.name.get_ref()
                        ),
                    ));
                }
                None => None,
            };
            let goes_back = package.kind == PackageKind::Incremental
                && leads_back(&packages, to, from.unwrap_or(to));
            if goes_back {
                return Err(self.refuse(
                    package.name.span(),
                    format!(
                        "`package`: with {} the incrementals lead in a circle",
                        package.name.get_ref()
                    ),
                ));
            }
            packages.push(PackageSpec {
                name: package.name.into_inner(),
                kind: package.kind,
                to,
                from,
                mode: *package.mode.get_ref(),
                ends_in: *package.ends_in.get_ref(),
                minutes: package.minutes,
                effort: Effort {
                    hands_on_seconds: package.hands_on,
                    presses: package.presses,
                },
                wipes: package.wipes == YesNo::Yes,
                leaves: package.leaves,
                keeps_unique: package.keeps_unique == YesNo::Yes,
                blake3: package.blake3,
                lies: package.lies,
                mib: package.mib,
                hand: package.hand,
            });
        }
        Ok(packages)
    }

    fn label(&self, text: &Spanned<String>, key: &str) -> Result<Label, FamilyError> {
        text.get_ref()
            .parse()
            .map_err(|error| self.refuse(text.span(), format!("`{key}`: {error}")))
    }

    fn twice(&self, text: &Spanned<String>, key: &str) -> FamilyError {
        self.refuse(
            text.span(),
            format!("`{key}` {} stands twice", text.get_ref()),
        )
    }

    fn mode_is_declared(
        &self,
        mode: &Spanned<Mode>,
        key: &str,
        declared: &BTreeSet<Mode>,
    ) -> Result<(), FamilyError> {
        if declared.contains(mode.get_ref()) {
            return Ok(());
        }
        Err(self.refuse(
            mode.span(),
            format!(
                "`{key}` names {}, which no [[mode]] has",
                mode.get_ref().id()
            ),
        ))
    }

    fn pace(&self, usual_seconds: u32, stuck: &Spanned<u32>) -> Result<Pace, FamilyError> {
        let stuck_seconds = *stuck.get_ref();
        if stuck_seconds < usual_seconds {
            return Err(self.refuse(
                stuck.span(),
                format!("`stuck` ({stuck_seconds} s) is below `usual` ({usual_seconds} s)"),
            ));
        }
        Ok(Pace {
            usual_seconds,
            stuck_seconds,
        })
    }
}

/// Whether incrementals lead from build `from` to build `to`.
fn leads_back(packages: &[PackageSpec], from: usize, to: usize) -> bool {
    let mut reached = BTreeSet::from([from]);
    loop {
        let more: Vec<usize> = packages
            .iter()
            .filter(|one| one.kind == PackageKind::Incremental)
            .filter(|one| one.from.is_some_and(|from| reached.contains(&from)))
            .map(|one| one.to)
            .filter(|to| !reached.contains(to))
            .collect();
        if more.is_empty() {
            return reached.contains(&to);
        }
        reached.extend(more);
    }
}

/// The routes that a file need not list: whatever is started from memory reads, and so does a recovery that
/// is written (`B1`).
fn implied_routes(
    start: Option<&TemporaryStartSpec>,
    stays: Option<(Vec<Label>, String)>,
) -> impl Iterator<Item = ReadRoute> {
    let started = start.map(|spec| ReadRoute {
        kind: RouteKind::TemporaryStart,
        lock: RouteLock::default(),
        mode: Mode::TemporaryRecovery,
        writes: Vec::new(),
        hand: spec.hand.clone(),
    });
    let written = stays.map(|(writes, hand)| ReadRoute {
        kind: RouteKind::AfterWrite,
        lock: RouteLock::default(),
        mode: Mode::CustomRecovery,
        writes,
        hand,
    });
    [started, written].into_iter().flatten()
}

#[cfg(test)]
mod tests;
