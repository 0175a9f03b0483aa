//! Streams: a package that a recovery takes, an image that download mode writes. Piece by piece, and nothing
//! of it counts before the whole is there and is what was announced.

use veritope_formats::look::{Limits, Part, What, look, take};
use veritope_formats::startimage::read_start_image;
use veritope_wire::link::{
    ActKind, ActRequest, Epoch, Operation, Progress, Refusal, RefusalCode, StreamId, StreamKind,
    StreamRequest, StreamState,
};
use veritope_wire::{Digest, Label};

use super::{Device, LockState, Running, no};
use crate::bridge::package_bytes;
use crate::content;
use crate::gate::{Gate, Guard};
use crate::profile::Profile;
use crate::signed::is_switched_off;

/// Most bytes of a stream.
pub(super) const STREAM_BYTES: u64 = 512 << 20;

/// A stream that is on its way. It ends with what runs, as what lies in memory does.
#[derive(Debug, Clone)]
pub(crate) struct Stream {
    id: StreamId,
    kind: StreamKind,
    to: Option<Label>,
    length: u64,
    announced: Digest,
    bytes: Vec<u8>,
}

impl Stream {
    fn state(&self) -> StreamState {
        StreamState {
            id: self.id,
            next_byte: self.bytes.len() as u64,
            length_bytes: self.length,
        }
    }
}

impl Device {
    /// The kinds that what runs takes.
    pub(super) fn stream_kinds(&self) -> Vec<StreamKind> {
        match self.saved.mode {
            Running::StockRecovery => vec![StreamKind::Sideload],
            Running::TemporaryRecovery | Running::CustomRecovery => {
                vec![StreamKind::Package, StreamKind::Sideload]
            }
            Running::Download => vec![StreamKind::Download],
            _ => Vec::new(),
        }
    }

    /// Opens a stream; one that was open is gone.
    ///
    /// # Errors
    /// Not in this mode, too large, stale epoch.
    pub fn open_stream(&mut self, request: &StreamRequest) -> Result<StreamState, Refusal> {
        self.is_ready()?;
        if request.epoch != self.epoch() {
            return Err(no(RefusalCode::StaleEpoch, "the device changed since"));
        }
        if !self.stream_kinds().contains(&request.kind) {
            return Err(no(RefusalCode::WrongMode, "what runs takes no such stream"));
        }
        if request.length_bytes > STREAM_BYTES {
            let words = format!("at most {STREAM_BYTES} bytes");
            return Err(no(RefusalCode::TooLarge, words));
        }
        if request.length_bytes == 0 {
            return Err(no(RefusalCode::BadRequest, "nothing would come"));
        }
        let id = StreamId(self.saved.next_operation);
        self.saved.next_operation += 1;
        let stream = Stream {
            id,
            kind: request.kind,
            to: request.to.clone(),
            length: request.length_bytes,
            announced: request.blake3,
            bytes: Vec::new(),
        };
        let state = stream.state();
        self.stream = Some(stream);
        self.save_or_say()?;
        Ok(state)
    }

    /// How far a stream is.
    ///
    /// # Errors
    /// When it is not known (any more).
    pub fn stream_state(&self, id: StreamId) -> Result<StreamState, Refusal> {
        let known = self.stream.as_ref().filter(|stream| stream.id == id);
        known
            .map(Stream::state)
            .ok_or_else(|| no(RefusalCode::NotFound, "there is no such stream"))
    }

    /// Takes the next piece.
    ///
    /// # Errors
    /// No such stream, out of turn, other bytes than announced, stale epoch.
    pub fn put_stream(
        &mut self,
        id: StreamId,
        first: u64,
        bytes: &[u8],
        epoch: Epoch,
        announced: Digest,
    ) -> Result<StreamState, Refusal> {
        self.is_ready()?;
        let state = self.stream_state(id)?;
        if epoch != self.epoch() {
            return Err(no(RefusalCode::StaleEpoch, "the device changed since"));
        }
        if Digest::of(bytes) != announced {
            let words = "the bytes are not the ones announced";
            return Err(no(RefusalCode::DigestDiffers, words));
        }
        let count = bytes.len() as u64;
        let end = first
            .checked_add(count)
            .filter(|end| *end <= state.length_bytes);
        if first != state.next_byte || end.is_none() {
            let words = format!("byte {} is the next one", state.next_byte);
            return Err(no(RefusalCode::BadRequest, words));
        }
        self.moved(count)?;
        if let Some(stream) = &mut self.stream {
            stream.bytes.extend_from_slice(bytes);
        }
        self.stream_state(id)
    }

    /// `take-stream`: what came whole is installed or written.
    pub(super) fn take_stream(&mut self, request: &ActRequest) -> Result<Operation, Refusal> {
        let id = request.args.get("stream").and_then(|id| id.parse().ok());
        let state = self.stream_state(StreamId(id.unwrap_or(u64::MAX)))?;
        if state.next_byte != state.length_bytes {
            let words = format!("byte {} has not come", state.next_byte);
            return Err(no(RefusalCode::BadRequest, words));
        }
        let Some(stream) = self.stream.take() else {
            return Err(no(RefusalCode::NotFound, "there is no such stream"));
        };
        if Digest::of(&stream.bytes) != stream.announced {
            let words = "the whole is not what was announced";
            return Err(no(RefusalCode::DigestDiffers, words));
        }
        let operation = self.begin(ActKind::TakeStream);
        let taken = match stream.kind {
            StreamKind::Download => self.write_download(&stream),
            _ => self.install_stream(&stream),
        };
        if let Err(refusal) = taken {
            self.settle(operation.id, Progress::Refused(refusal.clone()));
            self.save_or_say()?;
            return Err(refusal);
        }
        let words = "OKAY".to_owned();
        self.settle(operation.id, Progress::Done { words });
        self.operation(operation.id)
    }

    fn write_download(&mut self, stream: &Stream) -> Result<(), Refusal> {
        match &stream.to {
            Some(_) if self.saved.lock == LockState::Locked && !self.has_read_out() => {
                Err(no(RefusalCode::Locked, "nothing is written while locked"))
            }
            Some(label) => self.lay_out(label.as_str(), &stream.bytes),
            None => self.lay_out_members(&stream.bytes),
        }
    }

    /// A tar: each member lands on the partition that it is called like, expanded where it is sparse. One that is
    /// called like none is refused, and nothing is written then; the tool lays out what it is given, whatever it
    /// is. While locked it takes what its maker signed and nothing else.
    fn lay_out_members(&mut self, tar: &[u8]) -> Result<(), Refusal> {
        let looked = look(&tar, "", Limits::default());
        let What::Archive(archive) = &looked.what else {
            return Err(no(RefusalCode::Other, "not a tar"));
        };
        let mut members = Vec::new();
        for member in &archive.members {
            let label = member.name.split('.').next().unwrap_or("");
            let length = self.length_of(label)?;
            let out = |bytes: &[u8], part: Part<'_>| {
                let mut into = std::io::Cursor::new(Vec::new());
                take(&bytes, part, length, &mut into)
                    .map(|_| into.into_inner())
                    .map_err(|error| no(RefusalCode::Other, error.to_string()))
            };
            let mut bytes = out(tar, Part::Member(&member.name))?;
            let is_sparse = matches!(
                look(&bytes.as_slice(), "", Limits::default()).what,
                What::Sparse(_)
            );
            if is_sparse {
                bytes = out(&bytes, Part::Expanded)?;
            }
            members.push((label.to_owned(), bytes));
        }
        let of = self.build_of(&members);
        if of.is_none() && self.saved.lock == LockState::Locked && !self.has_read_out() {
            return Err(no(RefusalCode::Locked, "only released binaries"));
        }
        let is_foreign = members.iter().any(|(label, bytes)| {
            label == "recovery" && read_start_image(bytes).is_ok_and(|one| one.kind == "recovery")
        });
        let guard = self.saved.gate.as_ref().map(Gate::guard);
        if is_foreign && guard == Some(Guard::Waiting) {
            return Err(no(RefusalCode::Other, "only released binaries"));
        }
        for (label, mut bytes) in members {
            if label == "vbmeta" {
                // Data that was written under other metadata is not read again.
                let lies = self.part("vbmeta").map(|part| is_switched_off(&part));
                let lies = lies.map_err(|error| no(RefusalCode::Other, error.to_string()))?;
                self.saved.data_shut |= lies != is_switched_off(&bytes);
            }
            if of.is_some() {
                // What its maker sends fills the partition.
                let length = usize::try_from(self.length_of(&label)?).unwrap_or(bytes.len());
                bytes.resize(length, 0);
            }
            self.lay_out(&label, &bytes)?;
        }
        if let Some(next) = of {
            next.build.clone_into(&mut self.saved.build);
            self.profile = next;
        }
        self.save_or_say()
    }

    /// The build of the maker's whose whole these images are.
    fn build_of(&self, members: &[(String, Vec<u8>)]) -> Option<Profile> {
        let builds = self.scheme()?.builds.iter();
        let mut profiles = builds.filter_map(|one| self.profile.clone().on_build(one.id));
        let boot = members.iter().find(|(label, _)| label == "boot")?;
        profiles.find(|profile| {
            // One image tells builds apart; the others are looked at for that one.
            let head = content::image_of(profile, "boot").unwrap_or_default();
            let count = head.len().min(boot.1.len());
            if head[..count] != boot.1[..count] {
                return false;
            }
            let signed = content::stock_images(profile);
            let is_same = |(label, whole): &(&str, Vec<u8>)| {
                let mut own = members.iter().filter(|(name, _)| name == label);
                own.any(|(_, bytes)| {
                    let (head, rest) = whole.split_at(bytes.len().min(whole.len()));
                    head == bytes.as_slice() && rest.iter().all(|byte| *byte == 0)
                })
            };
            members.len() == signed.len() && signed.iter().all(is_same)
        })
    }

    fn lay_out(&mut self, to: &str, bytes: &[u8]) -> Result<(), Refusal> {
        let places = content::places(&self.profile, self.saved.seed);
        let place = places.iter().find(|place| place.label == to);
        let place = place.ok_or_else(|| no(RefusalCode::NotFound, "there is no such partition"))?;
        if bytes.len() as u64 > place.length {
            return Err(no(RefusalCode::TooLarge, "it does not fit"));
        }
        self.sign(place.label)
            .and_then(|()| self.storage.write_at(place.offset, bytes))
            .map_err(|error| no(RefusalCode::Other, error.to_string()))
    }

    /// A recovery takes its maker's packages only, whatever they are called.
    fn install_stream(&mut self, stream: &Stream) -> Result<(), Refusal> {
        let foreign = || no(RefusalCode::Other, "signature verification failed");
        let scheme = self.scheme().ok_or_else(foreign)?;
        let mut packages = scheme.packages.iter();
        let package = packages.find(|package| package_bytes(package.name) == stream.bytes);
        let package = package.ok_or_else(foreign)?;
        let mut gate = self.saved.gate.clone().ok_or_else(foreign)?;
        let card = std::mem::replace(&mut gate.card, vec![package.name.to_owned()]);
        self.installs(&mut gate, scheme, package.name)
            .map_err(|error| no(RefusalCode::Other, error.to_string()))?
            .map_err(|words| no(RefusalCode::Other, words))?;
        gate.card = card;
        if package.wipes {
            self.forget_the_owner();
        }
        self.saved.gate = Some(gate);
        Ok(())
    }
}
