//! What a file says of itself, as values: read out of its bytes by whoever looks into them, never asked of
//! a person.

use crate::family::placeholder;

/// What a file is and says of itself.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Told {
    /// Length in bytes, whatever lies behind the image included.
    pub bytes: u64,
    /// Length of the image proper: without the metadata that a footer points at.
    pub image_bytes: u64,
    /// Whether a footer in its last bytes points at metadata of its own.
    pub has_footer: bool,
    /// What it is.
    pub form: Form,
    /// In the words of the trade.
    pub shown: String,
    /// What it starts, where it is an image that a bootloader starts.
    pub starts: Option<Starts>,
    /// What it says of what it was built for, and where it says so.
    pub said: Vec<Said>,
    /// Partitions that a package says it writes or empties; nothing where it does not say.
    pub touches: Option<Vec<String>>,
    /// Names of an archive's members, or of a payload's partitions, as they stand there.
    pub members: Vec<String>,
    /// What is wrong with it, each in one sentence.
    pub troubles: Vec<String>,
    /// What lies inside.
    pub inside: Vec<Piece>,
}

/// What a file is, as far as it matters for where it may go.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Form {
    /// An image that a bootloader starts.
    Start,
    /// The vendor part of one.
    VendorStart,
    /// Verification metadata.
    Verification {
        /// Whether both of its switches are set: nothing is checked by it.
        is_off: bool,
    },
    /// A sparse image.
    Sparse,
    /// Packed bytes.
    Packed,
    /// A package of partitions for two slots.
    Payload {
        /// Whether it needs exactly one build as its base.
        is_incremental: bool,
    },
    /// A package that a recovery installs.
    Package,
    /// An archive without a script.
    Archive,
    /// A tar.
    Tar,
    /// Something else that is known.
    #[default]
    Other,
}

/// What an image starts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Starts {
    /// Whether there is a kernel.
    pub kernel: bool,
    /// Whether there is a ramdisk that could be read.
    pub ramdisk: bool,
    /// Whether that is a recovery's.
    pub recovery: bool,
    /// Whether it says that its maker released it. Anybody can write that.
    pub released: bool,
}

/// Something inside something.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Piece {
    /// How it is reached.
    pub reach: Reach,
    /// Whether all of it was looked at, or only its beginning.
    pub is_whole: bool,
    /// What it is.
    pub told: Told,
}

/// How something inside something is reached.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Reach {
    /// It is this member of an archive.
    Member(String),
    /// It is what the packed bytes unpack to.
    Unpacked,
    /// It is what the sparse image expands to.
    Expanded,
    /// It is this partition of a payload.
    Partition(String),
}

/// One thing that a file says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Said {
    /// Of what.
    pub about: About,
    /// The value, as written.
    pub value: String,
    /// Where.
    pub by: Speaker,
}

/// What something is said of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum About {
    /// The device, by its codename.
    Device,
    /// The product: a codename that may have its builder's name in front.
    Product,
    /// The model code.
    Model,
    /// The build.
    Build,
    /// Version of the recovery itself, or of what it is.
    Version,
    /// Generation of the system.
    Generation,
    /// Month of the security patch, `2026-09`.
    Patch,
    /// The partition that it is for, by its own metadata.
    Partition,
}

/// Where a file says something.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Speaker {
    /// In a property file.
    Properties,
    /// In the verification metadata behind it.
    Footer,
    /// In the script of a package.
    Script,
    /// In the metadata of a package.
    Metadata,
    /// In the image's head, which anybody sets as he likes.
    Head,
    /// In its device tree.
    Tree,
    /// In a side file: its publisher's word, or whoever wrote it.
    Side,
}

impl Speaker {
    /// Whether that is the file's own word for what it was built for. A head and a tree name boards, and a
    /// side file lies beside.
    #[must_use]
    pub fn is_own(self) -> bool {
        matches!(
            self,
            Self::Properties | Self::Footer | Self::Script | Self::Metadata
        )
    }

    /// In words.
    #[must_use]
    pub fn shown(self) -> &'static str {
        match self {
            Self::Properties => "its property file",
            Self::Footer => "the metadata behind it",
            Self::Script => "its script",
            Self::Metadata => "its metadata",
            Self::Head => "its head",
            Self::Tree => "its device tree",
            Self::Side => "its side file",
        }
    }
}

impl Told {
    /// What is said of `about`, each value once, without what says nothing.
    pub fn of(&self, about: About) -> impl Iterator<Item = &Said> {
        let said = self.said.iter();
        said.filter(move |one| one.about == about && !is_nothing(&one.value))
    }

    /// What the file itself says of `about`.
    pub fn own(&self, about: About) -> impl Iterator<Item = &Said> {
        self.of(about).filter(|one| one.by.is_own())
    }

    /// The first value that it says of `about`, its own word before others'.
    #[must_use]
    pub fn first(&self, about: About) -> Option<&str> {
        let first = self.own(about).next().or_else(|| self.of(about).next());
        first.map(|one| one.value.as_str())
    }
}

/// Whether a value stands where a name should and is none.
fn is_nothing(value: &str) -> bool {
    let value = value.trim();
    value.is_empty() || placeholder::is_words(&value.to_lowercase())
}

#[cfg(test)]
impl Told {
    /// An image of a recovery for `codename`, as a property file in it says.
    pub(crate) fn of_recovery(codename: &str, version: &str, bytes: u64) -> Self {
        let said = |about, value: &str| Said {
            about,
            value: value.to_owned(),
            by: Speaker::Properties,
        };
        Self {
            bytes,
            image_bytes: bytes,
            form: Form::Start,
            shown: "start image of a recovery".to_owned(),
            starts: Some(Starts {
                kernel: true,
                ramdisk: true,
                recovery: true,
                released: false,
            }),
            said: vec![said(About::Device, codename), said(About::Build, version)],
            ..Self::default()
        }
    }
}
