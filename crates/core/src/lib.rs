//! The rules of the job and the computation behind every judgement.
//!
//! No clock, files, network, async or database: moments, facts, families and policy come in as
//! values, judgements go out as values that serialise with the ids of the rules they rest on (JOB)
//! and the facts they cite. That keeps every rule testable in microseconds.
//!
//! Reading order, each room a question that a practitioner asks:
//!
//! 1. [`facts`]: what do we know of this unit, from whom, and is it still so?
//! 2. [`family`]: what is true of all units of its kind?
//! 3. [`keepsafe`]: what would its owner lose?
//! 4. [`fuse`]: which index is burnt in? [`builds`]: can this build be unlocked, and which packages lead to one that can, and back?
//! 5. [`plan`]: which steps lead to the goal, and why each?
//! 6. [`budget`]: do time and battery suffice?
//! 7. [`coverage`]: is the backup enough? [`chart`] draws it, [`worth`] says which bytes are better
//! 8. [`matching`]: is this the right file?
//! 9. [`seal`]: may I?
//! 10. [`standing`]: can it be unlocked, and what else is there to say? [`next`]: what is the step
//!     that is honest now?
//! 11. [`relock`]: is everything the maker's? [`route`]: how is it read? [`triage`]: why does it not
//!     do what it should?
//! 12. [`signs`]: which mode is it in?
//! 13. [`steady`]: what time is it, whatever the clock was set to?
//! 14. [`shell`]: how is a command written down so that it arrives?

pub mod budget;
pub mod builds;
pub mod captured;
pub mod chart;
pub mod coverage;
pub mod digest;
pub mod facts;
pub mod facts_file;
pub mod family;
pub mod fuse;
pub mod keepsafe;
pub mod matching;
pub mod mode;
pub mod next;
pub mod partitions;
pub mod paste;
pub mod plan;
pub mod relock;
pub mod route;
pub mod rule;
pub mod seal;
pub mod shell;
pub mod signs;
pub mod standing;
pub mod steady;
pub mod triage;
pub mod worth;
