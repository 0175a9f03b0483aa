//! What carries the bench link, and what can go wrong on it.

use std::time::Duration;

use veritope_wire::body::{BodyAct, Face};
use veritope_wire::link::{
    ActRequest, BridgeInfo, DeviceList, DeviceState, Epoch, FileDigest, FolderList, Handle,
    InMemory, LinkEvents, Operation, OperationId, PartitionList, Refusal, RefusalCode, Spot,
    StreamId, StreamRequest, StreamState, Written,
};
use veritope_wire::{Digest, UnitId};

/// A changing request that came through this crate's checks, with the device that it is for. It can only be
/// read, and only this crate makes one: what a transport is handed it can't send a second time to another
/// device, nor can anybody hand it something else.
#[derive(Debug)]
pub struct Passed<'l, R> {
    device: &'l Handle,
    request: R,
}

impl<'l, R> Passed<'l, R> {
    pub(crate) fn new(device: &'l Handle, request: R) -> Self {
        Self { device, request }
    }

    /// The device.
    #[must_use]
    pub fn device(&self) -> &Handle {
        self.device
    }

    /// What is asked of it.
    #[must_use]
    pub fn request(&self) -> &R {
        &self.request
    }
}

/// Why something over the link did not come about.
#[derive(Debug, thiserror::Error)]
pub enum LinkError {
    /// The device or the bridge declined.
    #[error("the device side refused ({})", .0.code)]
    Refused(#[source] Refusal),
    /// Nobody answers at that address.
    #[error("the bridge at {url} does not answer")]
    Unreachable {
        /// Its address.
        url: String,
        /// Why.
        #[source]
        source: Box<dyn std::error::Error + Send + Sync>,
    },
    /// The address is none.
    #[error("`{url}` is not a bridge's address; write it like http://127.0.0.1:7311")]
    NotAnAddress {
        /// What was given.
        url: String,
    },
    /// An answer that makes no sense.
    #[error("the bridge at {url} answered something that is not the bench link: {what}")]
    Odd {
        /// Its address.
        url: String,
        /// What was odd.
        what: String,
    },
    /// The permit was minted under an epoch that has passed; refused on this side of the cable.
    #[error("the permit was given under epoch {}, the device is at {}: look again", .permit.0, .now.0)]
    StalePermit {
        /// Epoch of the permit.
        permit: Epoch,
        /// Epoch now.
        now: Epoch,
    },
    /// The device changed while it was being read.
    #[error("the device changed while it was read: epoch {} became {}", .began.0, .now.0)]
    Moved {
        /// Epoch when the reading began.
        began: Epoch,
        /// Epoch now.
        now: Epoch,
    },
    /// More or fewer bytes than were asked for.
    #[error("{found} bytes of {spot} came instead of {wanted}")]
    Length {
        /// Where from.
        spot: Spot,
        /// Bytes that came.
        found: u64,
        /// Bytes that were asked for.
        wanted: u64,
    },
    /// More than the device says that it takes.
    #[error("{what} has {found} bytes, and this device takes {most} at most")]
    TooMuch {
        /// What would go there.
        what: &'static str,
        /// Its bytes.
        found: u64,
        /// Bytes that it takes.
        most: u64,
    },
    /// The permit is for another effect or another unit.
    #[error("the permit is not for this: {0}")]
    WrongPermit(&'static str),
    /// The list was closed too long ago.
    #[error("what was judged is no longer fresh: ask again")]
    TooLate,
    /// The device itself answers otherwise than the list has it.
    #[error("{0}")]
    NotAsJudged(String),
    /// Another device answers under this handle.
    #[error("the unit at the link is not {expected}: its hardware identity differs or is missing")]
    AnotherUnit {
        /// The unit that was expected.
        expected: UnitId,
    },
}

impl LinkError {
    /// The device side's code, when it refused.
    #[must_use]
    pub fn refusal(&self) -> Option<RefusalCode> {
        match self {
            Self::Refused(refusal) => Some(refusal.code),
            _ => None,
        }
    }

    /// Whether this says that the device is away at the moment, rather than that it declined.
    #[must_use]
    pub fn is_absence(&self) -> bool {
        matches!(self, Self::Unreachable { .. } | Self::Moved { .. })
            || matches!(
                self.refusal(),
                Some(RefusalCode::NotConnected | RefusalCode::NotFound)
            )
    }
}

/// Bytes of a partition, and the epoch under which they were read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ReadBytes {
    /// The bytes.
    pub bytes: Vec<u8>,
    /// The device's epoch then.
    pub epoch: Epoch,
}

/// Bytes of an image, and where in a partition they go.
#[derive(Debug, Clone, Copy)]
pub struct WriteBytes<'a> {
    /// The partition, or the logical volume.
    pub spot: &'a Spot,
    /// First byte.
    pub first: u64,
    /// Length of the whole image.
    pub length: u64,
    /// Digest of the bytes.
    pub digest: Digest,
    /// The epoch under which it was permitted.
    pub epoch: Epoch,
    /// The bytes.
    pub bytes: &'a [u8],
}

/// An image for a device's memory.
#[derive(Debug, Clone, Copy)]
pub struct ToMemory<'a> {
    /// Digest of the bytes.
    pub digest: Digest,
    /// The epoch under which it was decided.
    pub epoch: Epoch,
    /// The bytes.
    pub bytes: &'a [u8],
}

/// A piece of a file that is laid into a device's folder; the last one makes the file.
#[derive(Debug, Clone, Copy)]
pub struct FilePiece<'a> {
    /// Path of the file.
    pub path: &'a str,
    /// First byte.
    pub first: u64,
    /// Length of the whole file.
    pub length: u64,
    /// Digest of the bytes.
    pub digest: Digest,
    /// The epoch under which it was decided.
    pub epoch: Epoch,
    /// The bytes.
    pub bytes: &'a [u8],
}

/// A piece of a stream.
#[derive(Debug, Clone, Copy)]
pub struct StreamPiece<'a> {
    /// The stream.
    pub id: StreamId,
    /// First byte.
    pub first: u64,
    /// Length of the whole.
    pub length: u64,
    /// Digest of the bytes.
    pub digest: Digest,
    /// The epoch under which it was opened.
    pub epoch: Epoch,
    /// The bytes.
    pub bytes: &'a [u8],
}

/// Carries the link's messages. Reading methods may be repeated at will; changing methods are
/// carried out at most once a call, and take what has [`Passed`].
///
/// Contract: an answer belongs to the request; a refusal comes back as [`LinkError::Refused`] with
/// the device's own words; nothing is retried.
pub trait Transport: Send + Sync {
    /// Who is there.
    ///
    /// # Errors
    /// See [`LinkError`]; the same for all methods.
    fn info(&self) -> Result<BridgeInfo, LinkError>;

    /// All devices of the bridge.
    ///
    /// # Errors
    /// See [`LinkError`].
    fn devices(&self) -> Result<DeviceList, LinkError>;

    /// What can be read of one device now.
    ///
    /// # Errors
    /// See [`LinkError`].
    fn state(&self, device: &Handle) -> Result<DeviceState, LinkError>;

    /// How far an operation is.
    ///
    /// # Errors
    /// See [`LinkError`].
    fn operation(&self, device: &Handle, id: OperationId) -> Result<Operation, LinkError>;

    /// Events after number `after`, waiting up to `wait` for one.
    ///
    /// # Errors
    /// See [`LinkError`].
    fn events(&self, device: &Handle, after: u64, wait: Duration) -> Result<LinkEvents, LinkError>;

    /// The partitions as the unit's own table has them.
    ///
    /// # Errors
    /// See [`LinkError`].
    fn partitions(&self, device: &Handle) -> Result<PartitionList, LinkError>;

    /// `count` bytes of what lies at `spot`, from byte `first`.
    ///
    /// # Errors
    /// See [`LinkError`]; an answer with another number of bytes is [`LinkError::Odd`].
    fn read(
        &self,
        device: &Handle,
        spot: &Spot,
        first: u64,
        count: u64,
    ) -> Result<ReadBytes, LinkError>;

    /// What lies in a folder of a device.
    ///
    /// # Errors
    /// See [`LinkError`]; a bridge of version 1 knows no files.
    fn files(&self, _: &Handle, _: &str) -> Result<FolderList, LinkError> {
        Err(of_version_2("files"))
    }

    /// `count` bytes of a file, from byte `first`.
    ///
    /// # Errors
    /// See [`LinkError`]; a bridge of version 1 knows no files.
    fn pull(&self, _: &Handle, _: &str, _: u64, _: u64) -> Result<ReadBytes, LinkError> {
        Err(of_version_2("files"))
    }

    /// Digest of a file where it lies.
    ///
    /// # Errors
    /// See [`LinkError`]; a bridge of version 1 knows no files.
    fn file_digest(&self, _: &Handle, _: &str) -> Result<FileDigest, LinkError> {
        Err(of_version_2("files"))
    }

    /// How far a stream is.
    ///
    /// # Errors
    /// See [`LinkError`]; a bridge of version 1 knows no streams.
    fn stream(&self, _: &Handle, _: StreamId) -> Result<StreamState, LinkError> {
        Err(of_version_2("streams"))
    }

    /// What eyes see of a device; a stand-in's only.
    ///
    /// # Errors
    /// See [`LinkError`]; a bridge to real devices has none.
    fn face(&self, _: &Handle) -> Result<Face, LinkError> {
        Err(LinkError::Refused(no_body()))
    }

    /// What a person's hands do to a device; a stand-in's only. Hands ask no permit: with a real
    /// device nobody stands between them and it.
    ///
    /// # Errors
    /// See [`LinkError`]; a bridge to real devices takes none.
    fn hands(&self, _: &Handle, _: &BodyAct) -> Result<(), LinkError> {
        Err(LinkError::Refused(no_body()))
    }

    /// Tells the device to do something.
    ///
    /// # Errors
    /// See [`LinkError`].
    fn act(&self, passed: Passed<'_, ActRequest>) -> Result<Operation, LinkError>;

    /// Writes bytes of a partition.
    ///
    /// # Errors
    /// See [`LinkError`].
    fn write(&self, passed: Passed<'_, WriteBytes<'_>>) -> Result<Written, LinkError>;

    /// Puts an image into the device's memory.
    ///
    /// # Errors
    /// See [`LinkError`].
    fn put_memory(&self, passed: Passed<'_, ToMemory<'_>>) -> Result<InMemory, LinkError>;

    /// Lays a piece of a file into a device's folder.
    ///
    /// # Errors
    /// See [`LinkError`]; a bridge of version 1 knows no files.
    fn push(&self, _: Passed<'_, FilePiece<'_>>) -> Result<Written, LinkError> {
        Err(of_version_2("files"))
    }

    /// Opens a stream.
    ///
    /// # Errors
    /// See [`LinkError`]; a bridge of version 1 knows no streams.
    fn open_stream(&self, _: Passed<'_, StreamRequest>) -> Result<StreamState, LinkError> {
        Err(of_version_2("streams"))
    }

    /// Sends a piece of a stream.
    ///
    /// # Errors
    /// See [`LinkError`]; a bridge of version 1 knows no streams.
    fn put_stream(&self, _: Passed<'_, StreamPiece<'_>>) -> Result<StreamState, LinkError> {
        Err(of_version_2("streams"))
    }
}

/// What a bridge says that speaks the first version only.
pub(crate) fn of_version_2(what: &str) -> LinkError {
    LinkError::Refused(Refusal {
        code: RefusalCode::UnknownCommand,
        words: format!("this bridge speaks version 1 of the bench link, which knows no {what}"),
    })
}

fn no_body() -> Refusal {
    Refusal {
        code: RefusalCode::NotFound,
        words: "this bridge shows no body".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    // What has passed can't be sent a second time, or kept for later.
    static_assertions::assert_not_impl_any!(Passed<'static, ActRequest>: Clone, serde::Serialize);
}
