//! What screens show: judgements and records brought together, computed anew for every answer.
//! Nothing here decides; it only asks the core.

pub(crate) mod backups;
mod error;
pub(crate) mod files;
mod may;
mod seen;
mod types;
mod words;

use std::sync::Arc;

use veritope_core::act::Reversibility;
use veritope_core::budget::{self};
use veritope_core::coverage::{Coverage, Overdue, overdue};
use veritope_core::evidence::{Cure, Line};
use veritope_core::facts::{FactGroup, FactKey, FactKind, FactOption, Facts, Happening};
use veritope_core::family::{self, Family, Menu};
use veritope_core::goal::Goal;
use veritope_core::mode::RecoveryKind;
use veritope_core::next::{Damage, Leaves, NextInput, NextPlace, NextStep, RunNow, next_step};
use veritope_core::partitions::{describe, lacking};
use veritope_core::passport::passport;
use veritope_core::plan::asks::asks_at;
use veritope_core::plan::due::{in_the_way, shown};
use veritope_core::plan::paper::paper;
use veritope_core::plan::stuck::{stuck, stuck_in_hand_ms, stuck_in_ms};
use veritope_core::plan::{Sheet, Step, ledger};
use veritope_core::rule::Rule;
use veritope_core::standing::order::{JUST_NOW_MS, Place, Reachable, place};
use veritope_core::standing::{self, Depth, Standing, StandingInput, Verdict};
use veritope_core::state::State;
use veritope_core::triage;
use veritope_wire::{FactId, UnitId};

use crate::desk::record::{RunEnd, Scope};
use crate::desk::unit::{RunRecord, UnitRecord};
use crate::keeping::known::Depth as Deep;
use crate::progress::StepPhase;
use crate::runs::{Runs, RunsError};
use crate::views::seen::Seen;

pub use error::ViewError;
pub use files::{MatchLine, RecoveryPage, SheetFile, ShelfPage};
pub use types::{
    AllWorks, AwayUnit, BenchView, BridgeView, ChoiceOption, DamagedLine, FactEntry, FactGroupLine,
    FactInput, FamilyChoice, GoalChoice, GoalList, InsteadOfFirst, KeepLine, LinkPresence,
    LinkView, PassportView, Permission, RunPage, RunView, SealTag, SheetPreview, StandingView,
    StepState, StepView, TakenBy, UnitTag, Wait,
};
pub use words::{WordBook, words};

/// What screens show.
pub struct Views {
    seen: Seen,
}

impl Views {
    pub(crate) fn of(runs: Arc<Runs>) -> Self {
        Self {
            seen: Seen::of(runs),
        }
    }

    /// The bench.
    ///
    /// # Errors
    /// When the record can't be read.
    pub fn bench_view(&self) -> Result<BenchView, ViewError> {
        let all = self.seen.units();
        let (away, records): (Vec<_>, Vec<_>) = all.into_iter().partition(|record| record.is_away);
        let mut units = self.tags(&records);
        units.sort_by_cached_key(order);
        Ok(BenchView {
            note: self.may_note(Scope::Bench),
            clock: self.seen.clock_note(),
            damaged: self.damaged_lines(),
            bridges: self
                .seen
                .bridges()
                .into_iter()
                .map(|(id, name, url)| BridgeView { id, name, url })
                .collect(),
            units,
            away: away
                .into_iter()
                .map(|record| AwayUnit {
                    id: record.id,
                    nickname: record.nickname.clone(),
                })
                .collect(),
            families: self
                .seen
                .families()
                .iter()
                .map(|family| FamilyChoice {
                    codename: family.codename.clone(),
                    name: family.name(),
                    form: family.form.clone(),
                })
                .collect(),
            ownership: match FactKey::Ownership.spec().kind {
                FactKind::Choice(options) => options.to_vec(),
                _ => Vec::new(),
            },
        })
    }

    /// Logs that are held back, and files that make no sense.
    fn damaged_lines(&self) -> Vec<DamagedLine> {
        let logs = self.seen.damage().into_iter().map(|damage| {
            let unit = match damage.scope {
                Scope::Unit(unit) => Some(unit),
                Scope::Bench => None,
            };
            DamagedLine {
                nickname: unit
                    .and_then(|unit| self.seen.unit(unit))
                    .map(|record| record.nickname.clone()),
                unit,
                text: damage.in_words(),
                aside: if damage.is_newer {
                    Permission::no("A newer version wrote it: open this bench with that.", None)
                } else {
                    Permission::yes()
                },
            }
        });
        let files = self
            .seen
            .damaged_files()
            .into_iter()
            .map(|file| DamagedLine {
                unit: None,
                nickname: None,
                text: file.text,
                aside: Permission::no("A file is put right by hand.", None),
            });
        logs.chain(files).collect()
    }

    /// Judges units side by side: each judgement is computation alone.
    fn tags(&self, records: &[Arc<UnitRecord>]) -> Vec<UnitTag> {
        let threads = std::thread::available_parallelism().map_or(1, usize::from);
        let share = records.len().div_ceil(threads).max(1);
        std::thread::scope(|scope| {
            let parts: Vec<_> = records
                .chunks(share)
                .map(|part| {
                    scope.spawn(|| part.iter().map(|unit| self.tag(unit)).collect::<Vec<_>>())
                })
                .collect();
            parts
                .into_iter()
                .flat_map(|part| match part.join() {
                    Ok(tags) => tags,
                    Err(panic) => std::panic::resume_unwind(panic),
                })
                .collect()
        })
    }

    /// One unit's tag.
    ///
    /// # Errors
    /// When there is no such unit.
    pub fn unit_tag(&self, unit: UnitId) -> Result<UnitTag, ViewError> {
        Ok(self.tag(&*self.seen.record(unit)?))
    }

    fn standing(
        &self,
        record: &UnitRecord,
        family: Option<&Arc<Family>>,
        facts: &Facts,
        depth: Depth,
    ) -> Standing {
        let deep = match depth {
            Depth::Row => Deep::Row,
            Depth::Page => Deep::List,
        };
        let known = family.map(|family| {
            let family = Arc::clone(family);
            self.seen.known(record, family, facts.clone(), deep)
        });
        standing::judge(&StandingInput {
            nickname: &record.nickname,
            facts,
            of: known.as_ref().map(|known| known.dossier()),
            policy: &self.seen.policy(),
            depth,
        })
    }

    /// What is known of a unit now: nothing while its record is held back.
    fn facts_of(&self, record: &UnitRecord) -> Facts {
        let facts = self.seen.sighted(record, record.known());
        let facts = match self.seen.family_of(record) {
            Some(family) => family.told(facts, self.seen.now()),
            None => facts,
        };
        match self.seen.is_sound(Scope::Unit(record.id)) {
            Ok(()) => facts,
            Err(_) => facts.held_back(),
        }
    }

    /// How what exists once is kept; empty where nothing was ever captured.
    fn kept(&self, record: &UnitRecord, family: Option<&Family>) -> Coverage {
        match family {
            Some(family) if !record.captures.is_empty() => self.seen.coverage_of(record, family),
            _ => Coverage::default(),
        }
    }

    fn tag(&self, record: &UnitRecord) -> UnitTag {
        let facts = self.facts_of(record);
        let shared = self.seen.family_of(record);
        let family = shared.as_deref();
        let standing = self.standing(record, shared.as_ref(), &facts, Depth::Row);
        let worded = |key: FactKey| facts.known(key).map(|row| row.value.shown(key));
        UnitTag {
            id: record.id,
            nickname: record.nickname.clone(),
            family: family.map(Family::name),
            model_code: worded(FactKey::ModelCode),
            mode: worded(FactKey::Mode),
            lock: match standing.verdict {
                Verdict::NoLock => Some("no lock".to_owned()),
                _ if record.is_lock_in_doubt() => None,
                _ => worded(FactKey::Lock),
            },
            recovery: (facts.recovery() == Some(RecoveryKind::Custom)).then(|| {
                let version = worded(FactKey::RecoveryVersion);
                version.map_or_else(
                    || "another recovery".to_owned(),
                    |version| format!("recovery {version}"),
                )
            }),
            battery_percent: family
                .and_then(|family| budget::charge_now(&facts, family, self.seen.now()))
                .map(|charge| charge.permille / 10),
            link: self.seen.link_view(record),
            goal: record.goal,
            goal_shown: record.goal.map(|goal| goal_shown(goal, family).to_owned()),
            seal: self.seal_tag(record, &standing),
            next: if facts.are_held_back() {
                NextStep {
                    sentence:
                        "Nothing is added to it until its file is put back, or it is set aside."
                            .to_owned(),
                    label: "To the log".to_owned(),
                    place: NextPlace::Log,
                }
            } else {
                let kept = self.kept(record, family);
                let old = overdue(&kept.rows, &record.copies, self.seen.now());
                next_of(record, family, &standing, (&kept.lines, old))
            },
            verdict: standing.verdict,
            sentence: standing.sentence,
            running: record.active_run().is_some(),
            arrived: self
                .seen
                .arrived(record.id)
                .filter(|at| self.seen.now().ms_since(*at) < JUST_NOW_MS),
            body_page: self.seen.body_page(record),
            note: self.may_note(Scope::Unit(record.id)),
        }
    }

    fn seal_tag(&self, record: &UnitRecord, standing: &Standing) -> SealTag {
        if let Err(error) = self.seen.is_sound(Scope::Unit(record.id)) {
            return SealTag {
                wanted: None,
                missing: 1,
                short: None,
                sentence: format!("{error}."),
                lines: Vec::new(),
            };
        }
        let ahead = record.active_run().and_then(|run| {
            let step = run.sheet.steps[run.at.min(run.sheet.steps.len())..]
                .iter()
                .find(|step| step.permitted)?;
            Some((step.title.clone(), self.seen.seal_of(record, run, step)?))
        });
        let is_open_already = matches!(
            standing.verdict,
            Verdict::AlreadyUnlocked { .. } | Verdict::NoLock
        );
        let (wanted, lines) = match ahead {
            Some((title, lines)) => (Some(title), lines),
            None if record.active_run().is_some() => (None, Vec::new()),
            // The lock is open: what the next change would want is what there is to see to.
            None if is_open_already => match self.seen.plan_for(record, Goal::KeepRecovery) {
                Ok(sheet) => self.last_change(record, &sheet),
                Err(_) => (None, Vec::new()),
            },
            None => match &standing.sheet {
                Some(sheet) => match self.last_change(record, sheet) {
                    (Some(_), lines) => (Some("Unlock".to_owned()), lines),
                    (None, _) => (Some("Unlock".to_owned()), standing.lines.clone()),
                },
                None => (Some("Unlock".to_owned()), standing.lines.clone()),
            },
        };
        let missing = u32::try_from(in_the_way(&lines).len()).unwrap_or(u32::MAX);
        let lines = shown(lines);
        let sentence = match (&wanted, missing) {
            (None, _) => "Nothing ahead needs a permit.".to_owned(),
            (Some(act), 0) => format!("Open for: {}.", act.to_lowercase()),
            (Some(act), 1) => format!("Closed for: {}; one thing is missing.", act.to_lowercase()),
            (Some(act), n) => format!(
                "Closed for: {}; {n} things are missing.",
                act.to_lowercase()
            ),
        };
        let short = wanted.as_ref().map(|act| match missing {
            0 => format!("seal: {}, open", act.to_lowercase()),
            n => format!("seal: {}, {n} missing", act.to_lowercase()),
        });
        SealTag {
            wanted,
            missing,
            short,
            sentence,
            lines,
        }
    }

    /// The last change of a sheet that has not begun, and its whole list: what it comes down to.
    fn last_change(&self, record: &UnitRecord, sheet: &Sheet) -> (Option<String>, Vec<Line>) {
        let mut changes = sheet.steps.iter().filter(|step| step.permitted);
        let lasting = |step: &&Step| step.wipe.is_some() || step.act.part().is_some();
        match changes.rfind(lasting) {
            Some(step) => {
                let lines = self.seen.list_of(record, sheet, &step.act);
                (Some(step.title.clone()), lines)
            }
            None => (None, Vec::new()),
        }
    }

    /// The standing station.
    ///
    /// # Errors
    /// When there is no such unit.
    pub fn standing_view(&self, unit: UnitId) -> Result<StandingView, ViewError> {
        let record = self.seen.record(unit)?;
        let shared = self.seen.family_of(&record);
        let family = shared.as_deref();
        let facts = self.facts_of(&record);
        let standing = self.standing(&record, shared.as_ref(), &facts, Depth::Page);
        let asked = family.map_or(&[][..], |family| &family.keep_safe);
        let open =
            veritope_core::keepsafe::still_open(asked, &record.keep_safe, &facts, &record.nickname);
        let goal_list = self.goal_list(&record, &standing);
        // Every list that asks for the owner's data asks for it by one of these.
        let asks = |line: &Line| matches!(line.rule, Rule::U9 | Rule::R4);
        let asks_keep_safe = standing.ahead == standing::Ahead::Unlock
            || standing
                .outlook
                .iter()
                .filter(|one| one.outcome != standing::Outcome::Refused)
                .flat_map(|one| &one.lines)
                .any(asks)
            || goal_list.iter().flat_map(|list| &list.lines).any(asks);
        Ok(StandingView {
            waive_all: veritope_core::keepsafe::ask_once_more(&open),
            all_works: AllWorks {
                ask: veritope_core::facts::ALL_WORKS,
                answer: veritope_core::facts::WORKS_WELL,
            },
            asks_keep_safe,
            goal_list,
            clock: self.seen.clock_note(),
            groups: FactGroup::ALL
                .iter()
                .map(|group| FactGroupLine {
                    id: *group,
                    title: group.shown().to_owned(),
                })
                .collect(),
            facts: standing::fact_lines(&facts, family)
                .into_iter()
                .map(|line| {
                    let undo = newest_said(&record, line.key);
                    FactEntry {
                        input: input_of(line.key),
                        undo,
                        picture: undo.filter(|fact| record.pictures.contains_key(fact)),
                        line,
                    }
                })
                .collect(),
            keep_safe: asked
                .iter()
                .map(|class| KeepLine {
                    class: *class,
                    title: class.shown().to_owned(),
                    kept: record
                        .keep_safe
                        .get(class)
                        .filter(|_| !open.contains(class))
                        .cloned(),
                })
                .collect(),
            standing,
        })
    }

    /// What goes with a unit when it leaves the bench; nothing of it while its family is not known.
    ///
    /// # Errors
    /// When there is no such unit.
    pub fn passport(&self, unit: UnitId) -> Result<PassportView, ViewError> {
        let record = self.seen.record(unit)?;
        let facts = self.facts_of(&record);
        let passport = self.seen.family_of(&record).map(|family| {
            let known = self.seen.known(&record, family, facts, Deep::List);
            passport(&known.dossier())
        });
        Ok(PassportView {
            tag: self.tag(&record),
            passport,
        })
    }

    /// What the chosen goal asks for, or what the steps to come of a run still do, unless the page's other
    /// lists say it already.
    fn goal_list(&self, record: &UnitRecord, standing: &Standing) -> Option<GoalList> {
        let run = record.active_run();
        let goal = run.map(|run| run.sheet.goal).or(record.goal)?;
        let is_relock = goal == Goal::Relock
            && standing
                .outlook
                .iter()
                .any(|one| one.of == standing::OutlookOf::Relock);
        if is_relock || standing.ahead == standing::Ahead::Unlock {
            return None;
        }
        let sheet = match run {
            Some(run) => Sheet {
                steps: run.sheet.steps.get(run.at..)?.to_vec(),
                ..run.sheet.clone()
            },
            None => self.seen.plan_for(record, goal).ok()?,
        };
        let lines = self.seen.preparations(record, &sheet);
        let family = self.seen.family_of(record);
        (!lines.is_empty()).then(|| GoalList {
            title: goal_shown(goal, family.as_deref()).to_owned(),
            lines,
        })
    }

    /// What a unit waits for.
    ///
    /// # Errors
    /// When there is no such unit, or it waits for nothing.
    pub fn wait_of(&self, unit: UnitId) -> Result<Wait, ViewError> {
        let record = self.seen.record(unit)?;
        let family = self.seen.family_of(&record);
        let known = self.facts_of(&record);
        let standing = self.standing(&record, family.as_ref(), &known, Depth::Row);
        let Verdict::WaitUntil { at } = standing.verdict else {
            return Err(ViewError::WaitsForNothing(record.nickname.clone()));
        };
        let waits = standing
            .lines
            .iter()
            .filter(|line| matches!(line.cure(), Some(Cure::Wait { .. })));
        Ok(Wait {
            at: self.seen.wall_of(at),
            asked: self.seen.stamp().wall,
            title: format!("{}: the wait for the unlock is over", record.nickname),
            text: waits
                .map(|item| format!("{} ({})", item.text, item.rule.id()))
                .collect::<Vec<_>>()
                .join(" "),
        })
    }

    /// The run station.
    ///
    /// # Errors
    /// When there is no such unit.
    pub fn run_page(&self, unit: UnitId) -> Result<RunPage, ViewError> {
        let record = self.seen.record(unit)?;
        let preview = match (record.goal, record.active_run()) {
            (Some(goal), None) => Some(self.sheet_preview(&record, goal)),
            _ => None,
        };
        let judged = match record.active_run() {
            None => self.seen.goals(&record),
            Some(_) => Vec::new(),
        };
        let judged_of = |goal| {
            let of_goal = judged.iter().find(|(one, _)| *one == goal);
            of_goal.map(|(_, judged)| judged.clone())
        };
        let family = self.seen.family_of(&record);
        let fits = |goal: &Goal| family.as_ref().is_none_or(|family| goal.fits(family));
        Ok(RunPage {
            goals: Goal::ALL
                .into_iter()
                .filter(fits)
                .map(|goal| {
                    let judged = judged_of(goal);
                    GoalChoice {
                        id: goal,
                        kind: judged.as_ref().map_or(goal.kind(), |judged| judged.kind),
                        shown: goal_shown(goal, family.as_deref()).to_owned(),
                        good_for: family
                            .as_ref()
                            .map_or(goal.good_for(), |family| goal.good_for_on(family)),
                        judged,
                    }
                })
                .collect(),
            preview,
            run: record.run.as_ref().map(|run| self.run_view(&record, run)),
        })
    }

    fn sheet_preview(&self, record: &UnitRecord, goal: Goal) -> SheetPreview {
        let family = self.seen.family_of(record);
        let mut preview = SheetPreview {
            goal,
            title: goal_shown(goal, family.as_deref()).to_owned(),
            sheet: None,
            battery: None,
            ledger: ledger::Ledger::default(),
            preparations: Vec::new(),
            paper: Vec::new(),
            file: None,
            instead: None,
            begin: Permission::yes(),
        };
        let Some(family) = self.seen.family_of(record) else {
            preview.begin = Permission::no(RunsError::NoFamily.to_string(), None);
            return preview;
        };
        let family = &*family;
        let sheet = match self.seen.plan_for(record, goal) {
            Ok(sheet) => sheet,
            Err(error) => {
                let reason = match error {
                    RunsError::NoPlan(why) => format!("There is no sheet: {why}."),
                    other => other.to_string(),
                };
                preview.begin = Permission::no(reason, None);
                return preview;
            }
        };
        preview.preparations = self.seen.preparations(record, &sheet);
        let files = sheet.steps.iter();
        let mut files = files.filter_map(|step| self.step_file(record, family, &step.act));
        preview.file = files.next();
        preview.instead = self.instead(record, family, goal);
        let open = in_the_way(&preview.preparations).len();
        preview.begin = if sheet.steps.is_empty() && sheet.why_not.is_empty() {
            Permission::no("The unit is there already; nothing is to be done.", None)
        } else if let Some(why) = sheet.why_not.first() {
            Permission::no(why.text.clone(), Some(why.rule))
        } else {
            let asked = self.seen.may_begin(record, &sheet);
            let permission = Permission::from(&asked);
            let things = if open == 1 {
                "one thing is"
            } else {
                "some things are"
            };
            match asked {
                Err(_) if open > 0 => Permission {
                    reason: Some(format!("First {things} missing, see Standing.")),
                    ..permission
                },
                _ => permission,
            }
        };
        preview.battery = Some(budget::battery(
            sheet.load(),
            &record.known(),
            family,
            &self.seen.policy(),
            self.seen.now(),
        ));
        preview.ledger = ledger::ledger(family, &sheet);
        preview.paper = paper(family, &sheet, |step| self.seen.is_by_link(record, step));
        preview.sheet = Some(sheet);
        preview
    }

    fn run_view(&self, record: &UnitRecord, run: &RunRecord) -> RunView {
        let family = self.seen.family_of(record);
        let family = family.as_deref();
        let table = run.table.as_deref();
        RunView {
            id: run.id,
            revision: run.revision,
            title: goal_shown(run.sheet.goal, family).to_owned(),
            begun: run.begun,
            sheet: run.sheet.clone(),
            done: run.done.clone(),
            step: run
                .next_step()
                .map(|step| self.step_view(record, run, step)),
            diverged: run.diverged.clone(),
            causes: family.zip(run.strayed.as_ref()).map_or_else(
                Vec::new,
                |(family, (act, expected))| {
                    let (facts, kept) = (record.known(), record.captures.len());
                    triage::strayed(family, &facts, kept, act, *expected)
                },
            ),
            older_text: self.older_text(record, run),
            stop: match run.ended {
                None => self.may_work(record),
                Some(_) => Permission::no("It has ended.", None),
            },
            table: family
                .zip(table)
                .map(|(family, table)| describe(family, table)),
            lacking: family
                .zip(table)
                .map_or_else(Vec::new, |(family, table)| lacking(family, table)),
            ended: run.ended.map(|(end, _)| end),
            ended_at: run.ended.map(|(_, at)| at),
            again: family
                .filter(|_| {
                    let wiped = record.known().last(Happening::Wiped);
                    run.ended.is_some() && wiped.is_some_and(|at| at >= run.begun)
                })
                .map_or_else(Vec::new, ledger::again)
                .into_iter()
                .chain(self.to_put_back(record, run))
                .collect(),
        }
    }

    /// What was changed on this computer for the work, once a run ended (`C3`).
    fn to_put_back(&self, record: &UnitRecord, run: &RunRecord) -> Vec<String> {
        if run.ended.is_none() {
            return Vec::new();
        }
        let undo = standing::put_back_on_the_computer(&record.known());
        undo.into_iter().map(str::to_owned).collect()
    }

    /// A sheet goes on by the family's text that it began with; that another one was kept since is said.
    fn older_text(&self, record: &UnitRecord, run: &RunRecord) -> Option<String> {
        let began = run.family.filter(|_| run.ended.is_none())?;
        let current = self.seen.family_named(&self.seen.codename_of(record)?)?;
        (current.digest != began).then(|| {
            format!(
                "The text of {} was changed since this sheet began. It goes on by the one it began with ({}…); the next sheet takes the new one ({}…).",
                current.name(),
                began.short(),
                current.digest.short()
            )
        })
    }

    fn step_view(&self, record: &UnitRecord, run: &RunRecord, step: &Step) -> StepView {
        let family = self.seen.family_of(record);
        let family = family.as_deref();
        let by_link = self.seen.is_by_link(record, step);
        let lines = self.seen.seal_of(record, run, step);
        let in_the_way = in_the_way(lines.as_deref().unwrap_or(&[]));
        let consent_wanted = in_the_way
            .iter()
            .any(|line| line.cure() == Some(&Cure::Consent));
        let running = |since| {
            let elapsed_ms = self.seen.now().ms_since(since);
            StepState::Running {
                elapsed_ms,
                stuck_in_ms: stuck_in_ms(step, elapsed_ms),
            }
        };
        let state = match (self.seen.phase(run.id), &run.open) {
            (Some(StepPhase::Running { since }), _) => running(since),
            (Some(StepPhase::Asking { question, default }), _) => {
                StepState::Asking { question, default }
            }
            (None, Some(intent)) if self.seen.is_changing(record.id) => running(intent.since),
            (None, Some(_)) if by_link => StepState::Unknown,
            (None, Some(intent)) => {
                let elapsed_ms = self.seen.now().ms_since(intent.since);
                StepState::InHand {
                    elapsed_ms,
                    stuck_in_ms: stuck_in_hand_ms(step, elapsed_ms),
                }
            }
            (None, None) => StepState::Ready,
        };
        let under_way = (state != StepState::Ready).then_some("This step is under way.");
        let asked = self.seen.may_step(record, run, step, under_way);
        let permission = Permission::from(&asked);
        // How is told by a complete list, for as long as the step is in a person's hands.
        let told = run.open.as_ref().and_then(|intent| intent.told.clone());
        let step = &match told {
            Some(how) if matches!(state, StepState::InHand { .. }) => step.with(how),
            _ => step.clone(),
        };
        let is_stuck = matches!(
            state,
            StepState::Running {
                stuck_in_ms: Some(0),
                ..
            } | StepState::InHand {
                stuck_in_ms: Some(0),
                ..
            }
        );
        let label = match (by_link, family) {
            (false, _) => "Show me how".to_owned(),
            (true, Some(family)) if step.reversibility == Reversibility::NoReturn => {
                step.act.label(step.before, family, &record.nickname)
            }
            (true, _) => step.title.clone(),
        };
        let lacks_consent_only = consent_wanted
            && in_the_way
                .iter()
                .all(|line| line.cure() == Some(&Cure::Consent));
        let position = |n: usize| u32::try_from(n).unwrap_or(u32::MAX);
        StepView {
            number: position(run.at + 1),
            of: position(run.sheet.steps.len()),
            file: family.and_then(|family| self.step_file(record, family, &step.act)),
            phases: family::said(&step.phases),
            menu: step.menu.as_ref().map(Menu::said),
            asks: asks_at(step, run.sheet.steps.get(run.at + 1..).unwrap_or(&[])),
            lacks_consent_only,
            consents: match (lacks_consent_only, by_link) {
                (false, _) => "I consent".to_owned(),
                (true, false) => "I consent: show me how".to_owned(),
                (true, true) => label.clone(),
            },
            label,
            usual_seconds: step.waiting_seconds + step.hands_on_seconds,
            step: step.clone(),
            by: if by_link {
                TakenBy::Link
            } else {
                TakenBy::Hand
            },
            sightings: self.seen.sightings_of(record, step),
            gives_file: !by_link
                && matches!(state, StepState::InHand { .. })
                && step.act.image_of().is_some(),
            hands_in: self.seen.reading_in_hand(record).is_some(),
            stuck: family
                .filter(|_| is_stuck)
                .map(|family| stuck(family, step)),
            consequences: self
                .seen
                .costs_of(record, &run.sheet, step)
                .map_or_else(Vec::new, |costs| costs.consequences),
            consent: match consent_wanted {
                true => self.may_note(Scope::Unit(record.id)),
                false => Permission::no("No consent is asked for.", None),
            },
            say: match state {
                StepState::InHand { .. } => self.may_work(record),
                _ => Permission::no("Nothing is in a person's hands.", None),
            },
            look: match state {
                StepState::Unknown => self.may_work(record),
                _ => Permission::no("How it stands is known.", None),
            },
            consent_wanted,
            seal: lines.map(shown),
            state,
            permission,
        }
    }
}

fn order(unit: &UnitTag) -> Place {
    let reachable = match unit.link.presence {
        LinkPresence::Ready => Reachable::Answers,
        LinkPresence::NotAuthorised | LinkPresence::ByHand => Reachable::ByPerson,
        LinkPresence::Absent
        | LinkPresence::BridgeGone
        | LinkPresence::AnotherUnit
        | LinkPresence::NotTold
        | LinkPresence::Doubtful => Reachable::Not,
    };
    place(
        unit.arrived,
        unit.running,
        &unit.verdict,
        reachable,
        &unit.nickname,
    )
}

/// Hands what the record says to the core, which chooses.
fn next_of(
    record: &UnitRecord,
    family: Option<&Family>,
    standing: &Standing,
    (kept, overdue): (&[Line], Option<Overdue<'_>>),
) -> NextStep {
    let run = match (record.active_run(), &record.run) {
        (Some(run), _) => RunNow::UnderWay(run.next_step().map(|step| step.title.as_str())),
        (None, Some(run)) if run.ended.is_some_and(|(end, _)| end == RunEnd::Reached) => {
            let leaves = family.map(|family| Leaves::of(run.sheet.goal, family, &record.known()));
            RunNow::Reached(leaves.unwrap_or(Leaves::Nothing))
        }
        (None, _) => RunNow::None,
    };
    let damage = record.damage.first().and_then(|(capture, place, found)| {
        let stretch = found.first()?;
        let copies = &record.copies;
        let copy = copies
            .iter()
            .find(|copy| (copy.capture, copy.place) == (*capture, *place))?;
        let sound = copies.iter().find(|other| {
            other.capture == *capture && other.place != *place && other.damaged.is_empty()
        });
        Some(Damage {
            place: &copy.name,
            label: stretch.label.as_ref(),
            frame: stretch.frame,
            sound: sound.map(|other| other.name.as_str()),
        })
    });
    next_step(&NextInput {
        standing,
        torn: record.torn.first().map(|torn| &torn.label),
        kept,
        reads: family
            .and_then(|family| State::from_facts(&record.known()).reads(family.readable())),
        damage,
        overdue,
        run,
    })
}

fn input_of(key: FactKey) -> FactInput {
    let listed = |options: &[FactOption]| {
        options
            .iter()
            .map(|option| ChoiceOption {
                id: option.id.to_owned(),
                shown: option.shown.to_owned(),
            })
            .collect()
    };
    match key.spec().kind {
        FactKind::Text | FactKind::Identifier => FactInput::Text,
        FactKind::EquipmentId => FactInput::EquipmentId,
        FactKind::Version => FactInput::Version,
        FactKind::Month => FactInput::Month,
        FactKind::Moment => FactInput::Moment,
        FactKind::Names => FactInput::Names,
        FactKind::Count(most) => FactInput::Count { most },
        FactKind::Percent => FactInput::Percent,
        FactKind::Choice(options) => FactInput::Choice {
            options: listed(options),
        },
        FactKind::Many(options) => FactInput::Many {
            options: listed(options),
        },
    }
}

fn newest_said(record: &UnitRecord, key: FactKey) -> Option<FactId> {
    record
        .facts
        .iter()
        .filter(|row| row.key == key && row.source == veritope_core::facts::Source::Person)
        .filter(|row| !record.retracted.contains(&row.id))
        .max_by_key(|row| (row.at, row.id))
        .map(|row| row.id)
}

/// A goal in words, as it reads on a unit of `family`.
fn goal_shown(goal: Goal, family: Option<&Family>) -> &'static str {
    family.map_or(goal.shown(), |family| goal.shown_on(family))
}
