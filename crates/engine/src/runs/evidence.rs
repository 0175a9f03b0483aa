//! What a sheet or a step needs before it is permitted, and whether it may be taken now: one answer for page
//! and request.

use veritope_core::act::{Act, List, Standpoint, list};
use veritope_core::consent::Costs;
use veritope_core::dossier::Dossier;
use veritope_core::evidence::Line;
use veritope_core::permission::{Asked, Refusal, may};
use veritope_core::plan::due;
use veritope_core::plan::{Sheet, Step};
use veritope_core::rule::Rule;

use crate::desk::record::Way;
use crate::desk::unit::{RunRecord, UnitRecord};
use crate::keeping::known::{Depth, Known};
use crate::runs::Runs;

/// Who asks whether something may be done.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Asking {
    /// A page, which does not wait for a bridge that the watch has found silent.
    Page,
    /// A request, which has just looked.
    Request,
}

impl Runs {
    /// All that is known of a unit, with the packages and the battery that `sheet` asks for.
    pub(crate) fn known_for<'r>(&self, record: &'r UnitRecord, sheet: &Sheet) -> Option<Known<'r>> {
        let family = self.library.family_of(record)?;
        let known = self
            .keeping
            .known(record, family, record.known(), Depth::List);
        let files = due::packages(sheet, &known.uncharged());
        let files = files.iter().map(String::as_str);
        let known = self.keeping.with_packages(known, files);
        Some(known.carrying(sheet.load()))
    }

    /// What must be there before `sheet` begins.
    pub(crate) fn preparations(&self, record: &UnitRecord, sheet: &Sheet) -> Vec<Line> {
        let known = self.known_for(record, sheet);
        known.map_or_else(Vec::new, |known| due::preparations(sheet, &known.dossier()))
    }

    /// Hands the list of an act on the way of `sheet` on, by what was consented to on its run.
    fn with_list<T>(
        &self,
        record: &UnitRecord,
        sheet: &Sheet,
        run: Option<&RunRecord>,
        act: &Act,
        judge: impl FnOnce(List, &Dossier<'_>) -> T,
    ) -> Option<T> {
        let known = self.known_for(record, sheet)?;
        let of = Dossier {
            consents: run.map_or(&[], |run| &run.consents),
            ..known.dossier()
        };
        let list = list(act, due::ground(sheet, &of), Standpoint::now(&of));
        Some(judge(list, &of))
    }

    /// The list of a step, where it needs a permit.
    pub(crate) fn seal_of(
        &self,
        record: &UnitRecord,
        run: &RunRecord,
        step: &Step,
    ) -> Option<Vec<Line>> {
        let read = |list: List, _: &Dossier<'_>| list.into_lines();
        let is_asked = step.permitted;
        let list = is_asked.then(|| self.with_list(record, &run.sheet, Some(run), &step.act, read));
        let before = self.before_step(record, run);
        match list.flatten() {
            Some(lines) => Some(lines.into_iter().chain(before).collect()),
            None => (!before.is_empty()).then_some(before),
        }
    }

    /// What is asked before the next step of a run, of what a permit does not ask.
    fn before_step(&self, record: &UnitRecord, run: &RunRecord) -> Vec<Line> {
        let known = self.known_for(record, &run.sheet);
        known.map_or_else(Vec::new, |known| {
            let all = due::before_step(&run.sheet, run.at, &known.dossier());
            due::in_the_way(&all).into_iter().cloned().collect()
        })
    }

    /// The list of an act that no run has come to yet.
    pub(crate) fn list_of(&self, record: &UnitRecord, sheet: &Sheet, act: &Act) -> Vec<Line> {
        let list = |list: List, _: &Dossier<'_>| list.into_lines();
        self.with_list(record, sheet, None, act, list)
            .unwrap_or_default()
    }

    /// What a step costs, told before it is consented to.
    pub(crate) fn costs_of(
        &self,
        record: &UnitRecord,
        sheet: &Sheet,
        step: &Step,
    ) -> Option<Costs> {
        let costs = |_: List, of: &Dossier<'_>| step.act.costs(of);
        self.with_list(record, sheet, None, &step.act, costs)?
    }

    /// The rule whose list decides about `sheet`: that of its first change.
    fn rule_of(&self, record: &UnitRecord, sheet: &Sheet) -> Rule {
        let first = sheet.steps.iter().find(|step| step.permitted);
        let rule = |list: List, _: &Dossier<'_>| list.rule();
        first
            .and_then(|step| self.with_list(record, sheet, None, &step.act, rule))
            .unwrap_or(Rule::G1)
    }

    /// Whether `sheet` may begin now.
    ///
    /// # Errors
    /// Why not.
    pub(crate) fn may_begin(
        &self,
        record: &UnitRecord,
        sheet: &Sheet,
        asking: Asking,
    ) -> Result<(), Refusal> {
        let lines = self.preparations(record, sheet);
        may(Asked {
            rule: self.rule_of(record, sheet),
            lines: &lines,
            under_way: None,
            answers: record.way == Way::Hand || self.links.answers(record),
            connection: &self.connection(record, &sheet.steps, asking),
        })
    }

    /// Whether a step of a run may be taken now.
    ///
    /// # Errors
    /// Why not.
    pub(crate) fn may_step(
        &self,
        record: &UnitRecord,
        run: &RunRecord,
        step: &Step,
        under_way: Option<&str>,
        asking: Asking,
    ) -> Result<(), Refusal> {
        let read = |list: List, _: &Dossier<'_>| (list.rule(), list.into_lines());
        let is_asked = step.permitted;
        let list = is_asked.then(|| self.with_list(record, &run.sheet, Some(run), &step.act, read));
        let (rule, mut lines) = list.flatten().unwrap_or((Rule::G1, Vec::new()));
        lines.extend(self.before_step(record, run));
        let by_link = self.is_by_link(record, step);
        may(Asked {
            rule,
            lines: &lines,
            under_way,
            answers: !by_link || self.links.answers(record),
            connection: &self.connection(record, std::slice::from_ref(step), asking),
        })
    }

    fn connection(&self, record: &UnitRecord, steps: &[Step], asking: Asking) -> Vec<Line> {
        match asking {
            Asking::Page => self
                .connection_hold_seen(record, steps)
                .into_iter()
                .collect(),
            Asking::Request => self.connection_holds(record, steps),
        }
    }
}
