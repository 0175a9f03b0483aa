//! What folders of before held: images with side files, packages by name, sets as folders. Taken in once,
//! each file as it lies; what can't be taken in stays where it lies, and is named.

use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};

use serde::Deserialize;
use veritope_formats::look::{Bytes, HEAD_BYTES, superblock};
use veritope_formats::make::{NewMember, sparse_of, tar_of};
use veritope_vault::durable;
use veritope_wire::{Digest, Label, WallTime};

use super::{Claim, Declared, OpenFile, Shelf};

/// A side file as it was.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct SideFile {
    image: String,
    codename: String,
    blake3: Digest,
}

/// A set's list as it was.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct StockList {
    build: String,
    codename: String,
    variants: Vec<String>,
    image: Vec<StockFile>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct StockFile {
    partition: Label,
    file: String,
    blake3: Digest,
}

/// Sets of before had images without their empty ends. Where a file system says that it is longer, the end is
/// named again, in a sparse image.
fn whole(file: OpenFile) -> io::Result<Box<dyn Bytes>> {
    let length = file.length();
    let mut head = vec![
        0;
        usize::try_from(length)
            .unwrap_or(usize::MAX)
            .min(HEAD_BYTES)
    ];
    file.read_exact_at(0, &mut head)?;
    let declared = superblock(&head).map_or(0, |system| system.declared_bytes);
    if declared <= length {
        return Ok(Box::new(file));
    }
    let mut sparse = Vec::new();
    sparse_of(&file, declared, &mut sparse)?;
    Ok(Box::new(sparse))
}

fn is_name(name: &str) -> bool {
    Path::new(name).file_name() == Some(name.as_ref())
}

fn listed(folder: &Path) -> io::Result<Vec<PathBuf>> {
    let mut all: Vec<PathBuf> = match fs::read_dir(folder) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
        listed => listed?
            .map(|one| one.map(|one| one.path()))
            .collect::<Result<_, _>>()?,
    };
    all.sort();
    Ok(all)
}

impl Shelf {
    /// Takes in what a folder of before holds. Gives what came in, by digest and name.
    ///
    /// # Errors
    /// When the folder can't be read or written.
    pub(crate) fn adopt(&mut self, at: WallTime) -> io::Result<Vec<(Digest, String)>> {
        let mut came = Vec::new();
        for side in listed(&self.folder)? {
            if side.extension().is_some_and(|end| end == "toml") {
                match self.adopt_image(&side, at) {
                    Ok(one) => came.push(one),
                    Err(why) => self.damaged.push(format!("{}: {why}", side.display())),
                }
            }
        }
        for package in listed(&self.folder.join("packages"))? {
            if !package.is_file() {
                continue;
            }
            match self.take_file(&package, at) {
                Ok(one) => {
                    durable::clear(&package)?;
                    came.push(one);
                }
                Err(why) => self.damaged.push(format!("{}: {why}", package.display())),
            }
        }
        for set in listed(&self.folder.join("stock"))? {
            match self.adopt_set(&set, at) {
                Ok(one) => came.push(one),
                Err(why) => self.damaged.push(format!("{}: {why}", set.display())),
            }
        }
        for empty in ["packages", "stock"] {
            // Gone once it is empty; what was not taken in keeps it.
            let _ = fs::remove_dir(self.folder.join(empty));
        }
        Ok(came)
    }

    fn take_file(&self, path: &Path, at: WallTime) -> io::Result<(Digest, String)> {
        let mut intake = self.begin()?;
        intake.all_of(&mut File::open(path)?, &mut |_| true)?;
        let name = path.file_name().unwrap_or_default().to_string_lossy();
        let (digest, _) = self.place(intake.end()?, &name, at)?;
        Ok((digest, name.into_owned()))
    }

    fn adopt_image(&self, side: &Path, at: WallTime) -> Result<(Digest, String), String> {
        let text = |error: io::Error| error.to_string();
        let said = fs::read_to_string(side).map_err(text)?;
        let said: SideFile = toml::from_str(&said).map_err(|error| error.message().to_owned())?;
        if !is_name(&said.image) {
            return Err("`image` must be the name of a file beside it".to_owned());
        }
        let image = self.folder.join(&said.image);
        let (digest, name) = self
            .take_file(&image, at)
            .map_err(|error| format!("{}: {error}", said.image))?;
        let record = self.file(digest).ok_or("it came and is not there")?;
        let mut record = (*record).clone();
        let claim = Claim {
            digest: said.blake3.to_string(),
            algorithm: Some(veritope_core::published::Algorithm::Blake3),
            from: "its side file".to_owned(),
        };
        if !record.published.contains(&claim) {
            record.published.push(claim);
        }
        record.declared = Some(Declared {
            codename: Some(said.codename),
            ..Declared::default()
        });
        self.write(digest, record).map_err(text)?;
        durable::clear(&image).map_err(text)?;
        durable::clear(side).map_err(text)?;
        Ok((digest, name))
    }

    /// A folder of images becomes one file, whose members have their partitions' names.
    fn adopt_set(&self, folder: &Path, at: WallTime) -> Result<(Digest, String), String> {
        let text = |error: io::Error| error.to_string();
        let list = fs::read_to_string(folder.join("stock.toml")).map_err(text)?;
        let list: StockList = toml::from_str(&list).map_err(|error| error.message().to_owned())?;
        let mut opened: Vec<(String, Box<dyn Bytes>)> = Vec::new();
        for image in &list.image {
            if !is_name(&image.file) {
                return Err(format!(
                    "`{}` must be the name of a file beside it",
                    image.file
                ));
            }
            let path = folder.join(&image.file);
            let seen = super::hash(&path, |_| false)
                .map_err(|error| format!("{}: {error}", image.file))?;
            if seen.seen.digest() != image.blake3 {
                return Err(format!(
                    "{} has digest {}…, published is {}…: fetch it again (M8)",
                    image.file,
                    seen.seen.digest().short(),
                    image.blake3.short()
                ));
            }
            let file = OpenFile::at(&path).map_err(text)?;
            opened.push((
                format!("{}.img", image.partition),
                whole(file).map_err(text)?,
            ));
        }
        let members: Vec<NewMember<'_>> = opened
            .iter()
            .map(|(name, bytes)| NewMember {
                name,
                bytes: &**bytes,
            })
            .collect();
        let mut intake = self.begin().map_err(text)?;
        tar_of(&members, &mut intake).map_err(text)?;
        let arrived = intake.end().map_err(text)?;
        let name = format!("{}.tar", list.build);
        let (digest, _) = self.place(arrived, &name, at).map_err(text)?;
        let record = self.file(digest).ok_or("it came and is not there")?;
        let mut record = (*record).clone();
        record.declared = Some(Declared {
            codename: Some(list.codename),
            models: list.variants,
            build: Some(list.build),
            ..Declared::default()
        });
        self.write(digest, record).map_err(text)?;
        fs::remove_dir_all(folder).map_err(text)?;
        Ok((digest, name))
    }
}
