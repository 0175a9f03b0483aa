//! The rules of the job and the computation behind every judgement.
//!
//! No clock, files, network, async or database: moments, facts, families and policy come in as
//! values, judgements go out as values that serialise with the ids of the rules they rest on (JOB)
//! and the facts they cite. That keeps every rule testable in microseconds.
//!
//! Reading order, each room a question that a practitioner asks; each knows only those above it:
//!
//! 1. [`facts`]: what do we know of this unit, from whom, and is it still so? [`family`]: what is true of all
//!    units of its kind? [`keepsafe`]: what would its owner lose?
//! 2. [`state`]: what can an act change, and what is asked of that? [`goal`]: what is to be reached?
//! 3. [`evidence`]: what does a rule ask for, how does that stand, on what does it rest?
//! 4. [`coverage`]: is the backup enough? [`worth`]: which bytes are better? [`handed`]: what are dumps that hands took? [`matching`], [`published`]: is this the
//!    right file? [`fuse`], [`builds`]: can this build be unlocked, and which packages lead to one that can, and
//!    back? [`relock`]: is everything the maker's? [`budget`]: does the battery suffice?
//! 5. [`dossier`]: all of it, for one unit
//! 6. [`act`]: what can be done, and what does each kind of act ask for?
//! 7. [`plan`]: which steps lead to the goal, and why each? [`permission`]: may it be done now?
//! 8. [`standing`]: can it be unlocked, and what else is there to say? [`next`]: what is the step that is
//!    honest now? [`route`]: how is it read? [`triage`]: why does it not do what it should? [`chart`] draws
//!    what is kept
//! 9. [`signs`]: which mode is it in? [`steady`]: what time is it, whatever the clock was set to?
//!    [`shell`]: how is a command written down so that it arrives?

/// Describes a type in the API by the form it is shown in.
macro_rules! shown_as {
    ($of:ty, $name:literal, $form:ty) => {
        impl utoipa::PartialSchema for $of {
            fn schema() -> utoipa::openapi::RefOr<utoipa::openapi::schema::Schema> {
                <$form as utoipa::PartialSchema>::schema()
            }
        }

        impl utoipa::ToSchema for $of {
            fn name() -> std::borrow::Cow<'static, str> {
                $name.into()
            }

            fn schemas(
                all: &mut Vec<(
                    String,
                    utoipa::openapi::RefOr<utoipa::openapi::schema::Schema>,
                )>,
            ) {
                <$form as utoipa::ToSchema>::schemas(all);
            }
        }
    };
}
pub(crate) use shown_as;

pub mod act;
pub mod book;
pub mod budget;
pub mod builds;
pub mod captured;
pub mod chart;
pub mod connection;
pub mod consent;
pub mod coverage;
pub mod digest;
pub mod dossier;
pub mod evidence;
pub mod extent;
pub mod facts;
pub mod facts_file;
pub mod family;
pub mod fuse;
pub mod goal;
pub mod handed;
pub mod keepsafe;
pub mod matching;
pub mod mode;
pub mod next;
pub mod partitions;
pub mod passport;
pub mod paste;
pub mod permission;
pub mod plan;
pub mod present;
pub mod prospect;
pub mod published;
pub mod relock;
pub mod route;
pub mod rule;
pub mod schools;
pub mod shell;
pub mod signs;
pub mod standing;
pub mod started;
pub mod state;
pub mod steady;
pub mod tool;
pub mod triage;
pub mod worth;
