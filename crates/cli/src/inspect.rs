//! `veritope inspect`: what a file is, declares and lacks, without a server (JOB `Q6`).

mod own;

use std::fs::{self, File};
use std::io::{self, Write as _};
use std::os::unix::fs::FileExt as _;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use serde::Serialize;
use serde_json::Value;
use utoipa::ToSchema;
use veritope_formats::look::{Bytes, Finding, LOOKER, Limits, Looked, Trouble, Weight, look};
use veritope_vault::Object;

use self::own::{Areas, Own, manifest_of, object_of};
use crate::args::InspectArgs;
use crate::{CommandError, EXIT_FOUND, EXIT_UNUSABLE};

/// What `inspect --json` prints.
#[derive(Debug, Serialize, ToSchema)]
pub(crate) struct Inspected {
    /// Version of the looker.
    looker: u32,
    /// Files in the order of their names.
    files: Vec<InspectedFile>,
}

/// One file.
#[derive(Debug, Serialize, ToSchema)]
struct InspectedFile {
    /// Its path, as it was given or found.
    file: String,
    /// What it is of this program's own, if anything.
    #[serde(skip_serializing_if = "Option::is_none")]
    own: Option<Own>,
    #[serde(flatten)]
    looked: Looked,
}

/// Largest manifest that is looked at.
const MOST_MANIFEST_BYTES: u64 = 64 << 20;
/// Files of one folder that are looked into.
const MOST_FILES: usize = 100_000;

/// Tells what a file is, or each file of a folder. Exit 0: sound; 1: something that matters was
/// found; 2: something can't be read at all.
pub(crate) fn inspect(args: &InspectArgs) -> Result<ExitCode, CommandError> {
    let path = &args.path;
    let mut paths = Vec::new();
    let is_folder = path.is_dir();
    if is_folder {
        files_below(path, &mut paths).map_err(|error| unreadable(path, &error))?;
    } else {
        paths.push(path.clone());
    }
    let mut inspected = Inspected {
        looker: LOOKER,
        files: Vec::new(),
    };
    let mut areas = Areas::default();
    let mut gravest = None;
    let mut out = io::stdout().lock();
    for path in &paths {
        let file = match one(path, &mut areas) {
            Ok(file) => file,
            // One that can't be read is named among the others; alone it is all there is to say.
            Err(error) if is_folder => nothing(path, &error),
            Err(error) => return Err(unreadable(path, &error)),
        };
        gravest = gravest.max(file.looked.gravest());
        if args.json {
            inspected.files.push(file);
        } else if tell(&mut out, &file).is_err() {
            // Whoever reads has enough.
            break;
        }
    }
    if args.json {
        let text = serde_json::to_string_pretty(&inspected).unwrap_or_default();
        let _ = writeln!(out, "{text}");
    }
    Ok(match gravest {
        None | Some(Weight::Note) => ExitCode::SUCCESS,
        Some(Weight::Matters) => ExitCode::from(EXIT_FOUND),
        Some(Weight::Unreadable) => ExitCode::from(EXIT_UNUSABLE),
    })
}

fn unreadable(path: &Path, error: &io::Error) -> CommandError {
    CommandError::Input(format!("{} can't be read: {error}", path.display()))
}

/// Regular files of a folder and those in it, in the order of their names; links are not followed.
fn files_below(folder: &Path, found: &mut Vec<PathBuf>) -> io::Result<()> {
    let mut entries = fs::read_dir(folder)?.collect::<io::Result<Vec<_>>>()?;
    entries.sort_by_key(fs::DirEntry::file_name);
    for entry in entries {
        let kind = entry.file_type()?;
        if kind.is_dir() {
            files_below(&entry.path(), found)?;
        } else if kind.is_file() {
            if found.len() >= MOST_FILES {
                return Err(io::Error::other(format!("more than {MOST_FILES} files")));
            }
            found.push(entry.path());
        }
    }
    Ok(())
}

fn nothing(path: &Path, error: &io::Error) -> InspectedFile {
    let mut looked = look(&[], "", Limits::default());
    looked.findings.push(Finding {
        trouble: Trouble::Medium,
        weight: Weight::Unreadable,
        at: None,
        says: format!("it can't be read: {error}"),
    });
    InspectedFile {
        file: path.display().to_string(),
        own: None,
        looked,
    }
}

fn one(path: &Path, areas: &mut Areas) -> io::Result<InspectedFile> {
    let file = File::open(path)?;
    let about = file.metadata()?;
    if !about.is_file() {
        return Err(io::Error::other("it is no regular file"));
    }
    let length = about.len();
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    let mut mark = [0; 4];
    let has_mark = length >= 4 && file.read_exact_at(&mut mark, 0).is_ok();
    // An object is packed in frames with a table behind; any other such file is none of ours.
    if has_mark
        && mark == [0x28, 0xB5, 0x2F, 0xFD]
        && let Ok(object) = Object::open(path)
    {
        return Ok(object_of(path, object, areas));
    }
    let mut own = None;
    if mark[0] == b'{' && length <= MOST_MANIFEST_BYTES {
        own = manifest_of(&fs::read(path)?);
    }
    Ok(InspectedFile {
        file: path.display().to_string(),
        own,
        looked: look(&OpenFile { file, length }, &name, Limits::default()),
    })
}

/// A file, read where it lies.
struct OpenFile {
    file: File,
    length: u64,
}

impl Bytes for OpenFile {
    fn length(&self) -> u64 {
        self.length
    }

    fn read_exact_at(&self, at: u64, into: &mut [u8]) -> io::Result<()> {
        self.file.read_exact_at(into, at)
    }
}

/// Prints one file for a person.
fn tell(out: &mut impl io::Write, file: &InspectedFile) -> io::Result<()> {
    let own = match &file.own {
        Some(Own::Object { .. }) => "object of a vault, keeps ",
        Some(Own::Manifest { .. }) => "manifest of a capture, ",
        None => "",
    };
    writeln!(
        out,
        "{}: {own}{}, {} bytes",
        file.file,
        file.looked.what.name(),
        file.looked.bytes
    )?;
    if let Some(own) = &file.own {
        fields(out, &serde_json::to_value(own)?, 1)?;
    }
    looked(out, &file.looked, 1)
}

fn looked(out: &mut impl io::Write, seen: &Looked, depth: usize) -> io::Result<()> {
    let indent = "  ".repeat(depth);
    for one in &seen.findings {
        let mark = if one.weight == Weight::Note {
            "note"
        } else {
            "!"
        };
        let at = one
            .at
            .map_or_else(String::new, |at| format!(" (byte {at})"));
        writeln!(out, "{indent}{mark} {}{at}", one.says)?;
    }
    let tree = serde_json::to_value(&seen.what)?;
    fields(out, &tree["says"], depth)?;
    if let Some(footer) = &seen.footer {
        writeln!(out, "{indent}verification metadata in its footer")?;
        fields(out, &serde_json::to_value(footer)?, depth + 1)?;
    }
    for one in &seen.inside {
        let (name, inner) = (&one.name, &one.looked);
        writeln!(
            out,
            "{indent}{name}: {}, {} bytes",
            inner.what.name(),
            inner.bytes
        )?;
        looked(out, inner, depth + 1)?;
    }
    Ok(())
}

/// What a thing says of itself, a line each, in the words of its fields.
fn fields(out: &mut impl io::Write, tree: &Value, depth: usize) -> io::Result<()> {
    let indent = "  ".repeat(depth);
    for (key, value) in tree.as_object().into_iter().flatten() {
        let key = key.replace('_', " ");
        match value {
            Value::Null => {}
            Value::Array(items) if items.is_empty() => {}
            Value::Array(items) if items.iter().any(Value::is_object) => {
                writeln!(out, "{indent}{key}: {}", items.len())?;
                for item in items {
                    writeln!(out, "{indent}  {}", one_line(item))?;
                }
            }
            Value::Object(_) => {
                writeln!(out, "{indent}{key}")?;
                fields(out, value, depth + 1)?;
            }
            other => writeln!(out, "{indent}{key}: {}", one_line(other))?,
        }
    }
    Ok(())
}

fn one_line(value: &Value) -> String {
    match value {
        Value::String(text) => text.clone(),
        Value::Array(items) => {
            let items: Vec<String> = items.iter().map(one_line).collect();
            items.join(", ")
        }
        Value::Object(fields) => {
            let fields: Vec<String> = fields
                .iter()
                .filter(|(_, value)| !value.is_null())
                .map(|(key, value)| format!("{} {}", key.replace('_', " "), one_line(value)))
                .collect();
            fields.join(", ")
        }
        other => other.to_string(),
    }
}
