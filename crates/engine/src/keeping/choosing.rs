//! Which file is taken for a unit's recovery, and making the right form of one for this very unit.

use veritope_core::family::CompanionMade;
use veritope_core::matching::{Make, Verdict, Wanted, WrappedWith};
use veritope_formats::make::{empty_switched_off, switched_off};
use veritope_wire::{Digest, RequestId, UnitId};

use crate::desk::reason;
use crate::desk::record::{Entry, Scope};
use crate::keeping::{Keeping, KeepingError};

impl Keeping {
    /// Chooses the file that is taken for a unit's recovery; nothing chosen leaves it to the best.
    ///
    /// # Errors
    /// When a run goes on with one, the file does not fit, or it wants a reason and none is given.
    pub fn choose_file(
        &self,
        unit: UnitId,
        file: Option<Digest>,
        reason: Option<&str>,
        request: RequestId,
    ) -> Result<(), KeepingError> {
        let Some(_once) = self.pen.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let record = self.pen.record(unit)?;
        let refuse = |why: String| Err(KeepingError::Shelf(why));
        if record.active_run().is_some_and(|run| run.image.is_some()) {
            return refuse(
                "the run goes on with the file that it began with: stop it first (E5)".to_owned(),
            );
        }
        let family = self.family_of(&record)?;
        let reason = reason::read(reason).map_err(KeepingError::Shelf)?;
        let mut name = String::new();
        if let Some(file) = file {
            let facts = family.told(record.known(), self.pen.now());
            let own = record.own.as_deref().unwrap_or(&[]);
            let Some(wanted) = Wanted::of(&family, &facts, own) else {
                return refuse("this family takes no custom recovery".to_owned());
            };
            // Judged over the bytes as they lie there now.
            self.library.shelf.forget();
            let judged = self
                .library
                .shelf
                .taken(&wanted, Some(file), self.pen.today())
                .ok_or_else(|| {
                    KeepingError::Shelf("there is no such file on the shelf".to_owned())
                })?;
            match judged.judgement.verdict {
                Verdict::Fits => {}
                Verdict::WithReason if reason.is_some() => {}
                Verdict::WithReason => {
                    return refuse(format!(
                        "say why it is taken all the same: {}",
                        judged.judgement.said
                    ));
                }
                Verdict::Makes | Verdict::Unknown | Verdict::Stops => {
                    return refuse(judged.judgement.said.trim_end_matches('.').to_owned());
                }
            }
            judged.record.shown().clone_into(&mut name);
        }
        let entry = Entry::FileChosen {
            file,
            name,
            reason: file.and(reason).map(str::to_owned),
        };
        Ok(self.pen.append(unit, Some(request), vec![entry])?)
    }

    /// Makes another file of one on the shelf, for this unit: what goes with its recovery is made of its own
    /// maker's stock.
    ///
    /// # Errors
    /// When a step gives nothing, or what goes with it is not at hand.
    pub fn make_file(
        &self,
        unit: Option<UnitId>,
        of: Digest,
        steps: &[Make],
        request: RequestId,
    ) -> Result<Digest, KeepingError> {
        let companions = |with: &WrappedWith| -> Result<Vec<u8>, String> {
            let unit = unit.ok_or(
                "what goes with a recovery is made for one unit: make it at that unit's Recovery",
            )?;
            match with.made {
                CompanionMade::Empty => Ok(empty_switched_off()),
                CompanionMade::OwnSwitched => {
                    let record = self.pen.record(unit).map_err(|error| error.to_string())?;
                    let family = self.family_of(&record).map_err(|error| error.to_string())?;
                    let (stock, from) = self.stock_image(&record, &family, &with.partition)?;
                    switched_off(&stock)
                        .map_err(|why| format!("{} of {from}: {why}", with.partition))
                }
            }
        };
        Ok(self.library.make_file(of, steps, &companions, request)?)
    }
}
