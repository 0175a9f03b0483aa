//! One thing out of another: a member of an archive, what is packed, what a sparse image says, a partition
//! of a whole payload. What is refused by [`super::look`] is refused here, and what comes out has the
//! checksum that stands beside it, or is an error.

use std::io::{Seek, Write};

use super::bytes::{Budget, Bytes, View};
use super::finding::Findings;
use super::out::{NotTaken, Taken, copied, damaged};
use super::packed::{self, Packing};
use super::{HEAD_BYTES, Limits, Mark, archive, payload, sparse, tar, zip};

/// What is taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part<'a> {
    /// The member of this name of a zip or tar.
    Member(&'a str),
    /// What packed bytes unpack to.
    Unpacked,
    /// What a sparse image expands to.
    Expanded,
    /// This partition of a whole payload.
    Partition(&'a str),
}

/// Writes `part` of `bytes` into `into`, from its start; at most `most` bytes. Where it ends in an error,
/// what was written by then is to be thrown away.
///
/// # Errors
/// See [`NotTaken`].
pub fn take<W: Write + Seek>(
    bytes: &dyn Bytes,
    part: Part<'_>,
    most: u64,
    into: &mut W,
) -> Result<Taken, NotTaken> {
    let view = View::whole(bytes);
    let head = view.head(HEAD_BYTES);
    let budget = Budget::new(Limits {
        expanded_bytes: most,
        ..Limits::default()
    });
    let plain = |bytes| Taken {
        bytes,
        sha256: None,
        not_said: 0,
    };
    if let Part::Member(name) = part
        && !archive::stays_below(name)
    {
        return Err(NotTaken::Refused(
            name.to_owned(),
            "its name leaves the folder it would be unpacked into",
        ));
    }
    match (part, Mark::of(view, &head)) {
        (Part::Member(name), Mark::Zip) => zip::take(view, name, most, into).map(plain),
        (Part::Member(name), Mark::Tar) => {
            let member = tar::member(view, name)?;
            copied(&mut member.reader(), most, into).map(plain)
        }
        (Part::Unpacked, Mark::Packed(packing)) => {
            unpack(packing, view, &budget, most, into).map(plain)
        }
        (Part::Expanded, Mark::Sparse) => {
            let mut findings = Findings::default();
            let laid = sparse::laid(view, &mut findings);
            let Some(laid) = laid else {
                return Err(damaged(findings));
            };
            let bytes = copied(&mut View::whole(&laid).reader(), most, into)?;
            Ok(Taken {
                not_said: laid.not_said(),
                ..plain(bytes)
            })
        }
        (Part::Partition(name), Mark::Payload) => payload::take(view, name, most, into),
        _ => Err(NotTaken::Another),
    }
}

fn unpack(
    packing: Packing,
    view: View<'_>,
    budget: &Budget,
    most: u64,
    into: &mut dyn Write,
) -> Result<u64, NotTaken> {
    let begun = packed::unpack_all(packing, view, budget);
    let (mut unpacked, _) = begun.map_err(|error| NotTaken::Damaged(error.to_string()))?;
    copied(&mut unpacked, most, into)
}
