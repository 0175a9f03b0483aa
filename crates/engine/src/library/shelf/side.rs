//! What stands beside a file: a publisher's list of digests, or a side file (docs/shelf-format.md) that says
//! more. Words, all of them: nothing rests on them but digests that the bytes have.

use serde::Deserialize;
use veritope_core::published::{Algorithm, PublishedDigest};

use super::record::{Claim, Declared};

/// Version of a side file. Changes: 1 = first.
pub const SIDE_FILE_VERSION: u32 = 1;

/// A side file.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SideFile {
    /// [`SIDE_FILE_VERSION`].
    pub veritope_side_file: u32,
    /// Name of the file that it is of.
    pub name: String,
    /// Codename of the device that it is for.
    pub codename: Option<String>,
    /// Model codes that it is for.
    #[serde(default)]
    pub models: Vec<String>,
    /// Its version.
    pub version: Option<String>,
    /// The build that it is of.
    pub build: Option<String>,
    /// Generation of the system that it is for.
    pub generation: Option<String>,
    /// Where it came from.
    pub origin: Option<String>,
    /// Its publisher's channel.
    pub channel: Option<String>,
    /// The day on which it was published, `2026-11-20`.
    pub dated: Option<String>,
    /// Digests that its publisher gives.
    #[serde(default)]
    pub digest: Vec<SideDigest>,
}

/// A digest in a side file.
#[derive(Debug, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SideDigest {
    /// How it was computed.
    pub algorithm: Algorithm,
    /// In hexadecimal.
    pub value: String,
}

/// What was read of a text beside a file.
#[derive(Debug, Default, PartialEq, Eq)]
pub(crate) struct Beside {
    pub(crate) published: Vec<Claim>,
    pub(crate) declared: Option<Declared>,
    pub(crate) origin: Option<String>,
    pub(crate) channel: Option<String>,
    pub(crate) dated: Option<String>,
}

/// Most bytes of such a text.
pub(crate) const MOST_BYTES: usize = 256 << 10;

/// Reads `text` for the file called `name`; `from` says where it stood.
///
/// # Errors
/// In a sentence without a full stop.
pub(crate) fn read(text: &str, name: &str, from: &str) -> Result<Beside, String> {
    if text.len() > MOST_BYTES {
        return Err(format!(
            "the text has {} bytes; at most {MOST_BYTES} are read",
            text.len()
        ));
    }
    let is_side = text
        .lines()
        .any(|line| line.trim_start().starts_with("veritope_side_file"));
    if is_side {
        return side_file(text, name, from);
    }
    let lines: Vec<&str> = text
        .lines()
        .map(str::trim)
        .filter(|one| !one.is_empty())
        .collect();
    let mut first_error = None;
    let mut published = Vec::new();
    for line in lines {
        match PublishedDigest::read(line, name) {
            Ok(digest) => published.push(claim(&digest, from)),
            Err(error) => {
                first_error.get_or_insert(error);
            }
        }
    }
    match (published.is_empty(), first_error) {
        (true, Some(error)) => Err(error.to_string()),
        (true, None) => Err("there is no digest in it".to_owned()),
        _ => Ok(Beside {
            published,
            ..Beside::default()
        }),
    }
}

fn claim(digest: &PublishedDigest, from: &str) -> Claim {
    Claim {
        digest: digest.value().to_owned(),
        algorithm: digest.algorithm(),
        from: from.to_owned(),
    }
}

fn side_file(text: &str, name: &str, from: &str) -> Result<Beside, String> {
    let side: SideFile = toml::from_str(text).map_err(|error| {
        let line = error.span().map_or(1, |span| {
            let before = text.get(..span.start).unwrap_or("");
            before.matches('\n').count() + 1
        });
        format!("line {line} of the side file: {}", error.message())
    })?;
    if side.veritope_side_file != SIDE_FILE_VERSION {
        return Err(format!(
            "a side file of version {}; this program reads {SIDE_FILE_VERSION}",
            side.veritope_side_file
        ));
    }
    if side.name != name {
        return Err(format!(
            "the side file is of `{}`, and this file is called `{name}`",
            side.name
        ));
    }
    if let Some(dated) = side
        .dated
        .as_deref()
        .filter(|one| super::day_of(one).is_none())
    {
        return Err(format!("`dated` is `{dated}`; write a day like 2026-11-20"));
    }
    let published = side
        .digest
        .iter()
        .map(|one| {
            PublishedDigest::new(one.algorithm, &one.value)
                .map(|digest| claim(&digest, from))
                .map_err(|error| error.to_string())
        })
        .collect::<Result<_, _>>()?;
    let declared = Declared {
        codename: side.codename,
        models: side.models,
        version: side.version,
        build: side.build,
        generation: side.generation,
    };
    Ok(Beside {
        published,
        declared: Some(declared).filter(|one| !one.is_empty()),
        origin: side.origin,
        channel: side.channel,
        dated: side.dated,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    const SHA256: &str = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad";

    #[test]
    fn of_a_list_the_line_of_this_file_counts() {
        let list = format!("{SHA256}  other.img\n{SHA256}  r.img\n");
        let beside = read(&list, "r.img", "SHA256SUMS").unwrap();
        assert_eq!(beside.published.len(), 1);
        assert_eq!(beside.published[0].from, "SHA256SUMS");
        let error = read(&format!("{SHA256}  other.img"), "r.img", "").unwrap_err();
        assert!(error.contains("other.img"), "{error}");
        assert!(read("", "r.img", "").is_err());
    }

    #[test]
    fn a_side_file_says_more_and_its_mistakes_are_named() {
        let side = format!(
            "veritope_side_file = 1\nname = \"r.img\"\ncodename = \"gimbal\"\ndated = \"2026-11-20\"\n[[digest]]\nalgorithm = \"sha256\"\nvalue = \"{SHA256}\"\n"
        );
        let beside = read(&side, "r.img", "").unwrap();
        assert_eq!(beside.declared.unwrap().codename.as_deref(), Some("gimbal"));
        for (wrong, wanted) in [
            (side.replace("r.img", "x.img"), "`x.img`"),
            (side.replace("2026-11-20", "20.11."), "2026-11-20"),
            (side.replace("codename", "codname"), "line 3"),
            (side.replace("file = 1", "file = 2"), "version 2"),
            (side.replace(SHA256, "ab"), "64"),
        ] {
            let error = read(&wrong, "r.img", "").unwrap_err();
            assert!(error.contains(wanted), "{error}");
        }
    }
}
