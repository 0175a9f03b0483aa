//! Another file out of one that lies on the shelf, step by step, each checked as it comes out.

use std::io::Write as _;

use veritope_core::matching::{Make, WrappedWith};
use veritope_core::published::Algorithm;
use veritope_formats::look::{Bytes, NotTaken, Part, take};
use veritope_formats::make::{NewMember, tar_of};
use veritope_vault::durable::Staged;
use veritope_wire::Digest;

use super::intake::{Arrived, arrived};
use super::{OpenFile, Shelf};

/// Longest file that is made.
const MOST_BYTES: u64 = 64 << 30;

/// Why nothing was made; in one sentence each.
#[derive(Debug, thiserror::Error)]
pub enum NotMade {
    /// It is no longer there.
    #[error("the file is no longer on the shelf")]
    Gone,
    /// A step gives nothing.
    #[error("{what}: {why}")]
    Step {
        /// What was to be done.
        what: String,
        /// Why not.
        why: NotTaken,
    },
    /// What should go with it is not at hand.
    #[error("{0}")]
    Companion(String),
    /// What came out has not the digest that stands beside it.
    #[error("{what}: what came out has not the digest that its package states")]
    Differs {
        /// What was to be done.
        what: String,
    },
    /// It can't be written.
    #[error("it can't be written: {0}")]
    Write(#[from] std::io::Error),
}

/// Gives the bytes of what goes with a recovery.
pub type Companions<'a> = &'a dyn Fn(&WrappedWith) -> Result<Vec<u8>, String>;

impl Shelf {
    /// Makes a file of `of` by `steps`.
    ///
    /// # Errors
    /// See [`NotMade`]; nothing is left of it.
    pub(crate) fn make(
        &self,
        of: Digest,
        steps: &[Make],
        companions: Companions<'_>,
    ) -> Result<Arrived, NotMade> {
        let folder = self.folder().join("files");
        let mut now: Option<Arrived> = None;
        for step in steps {
            let bytes = match &now {
                None => self.bytes(of).map_err(|_| NotMade::Gone)?,
                Some(made) => OpenFile::at(made.staged.path())?,
            };
            let mut staged = Staged::within(&folder)?;
            let sha256 = one(step, &bytes, &mut staged, companions)?;
            staged.file().flush()?;
            let made = arrived(staged, &[Algorithm::Sha256])?;
            if sha256.is_some_and(|said| made.seen.by(Algorithm::Sha256) != Some(said)) {
                return Err(NotMade::Differs { what: step.shown() });
            }
            now = Some(made);
        }
        now.ok_or(NotMade::Gone)
    }
}

/// Does one step; gives the SHA-256 that what comes out should have, where that is said.
fn one(
    step: &Make,
    bytes: &OpenFile,
    staged: &mut Staged,
    companions: Companions<'_>,
) -> Result<Option<String>, NotMade> {
    let part = match step {
        Make::TakeOut { member } => Part::Member(member),
        Make::TakePartition { partition } => Part::Partition(partition),
        Make::Unpack => Part::Unpacked,
        Make::Expand => Part::Expanded,
        Make::Wrap {
            member,
            companions: with,
        } => {
            let made: Vec<(String, Vec<u8>)> = with
                .iter()
                .map(|one| Ok((one.member.clone(), companions(one)?)))
                .collect::<Result<_, String>>()
                .map_err(NotMade::Companion)?;
            let recovery: &dyn Bytes = bytes;
            let first = NewMember {
                name: member,
                bytes: recovery,
            };
            let others = made.iter().map(|(name, bytes)| NewMember { name, bytes });
            let members: Vec<NewMember<'_>> = [first].into_iter().chain(others).collect();
            tar_of(&members, staged.file())?;
            return Ok(None);
        }
    };
    take(bytes, part, MOST_BYTES, staged.file())
        .map(|taken| taken.sha256)
        .map_err(|why| NotMade::Step {
            what: step.shown(),
            why,
        })
}
