//! Property files: what a system, a recovery or a vendor part says that it was built for.

use std::collections::BTreeMap;

use serde::Serialize;
use utoipa::ToSchema;

/// Most bytes of one property file that are read.
pub(crate) const MOST_BYTES: usize = 256 << 10;

/// What a property file says. A recovery's may say anything: shown, never judged as a generation.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, ToSchema)]
pub struct Properties {
    /// The file's path, and what it was reached through where that is a link.
    pub from: String,
    /// Device that it was built for.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub device: Option<String>,
    /// Model.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub model: Option<String>,
    /// Product name.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub product: Option<String>,
    /// Build's id, as it is shown.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub build: Option<String>,
    /// Build's fingerprint.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fingerprint: Option<String>,
    /// Build's number.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub incremental: Option<String>,
    /// Version of the system.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub version: Option<String>,
    /// Security patch.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub security_patch: Option<String>,
    /// Board.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub board: Option<String>,
    /// When it was built, in seconds since 1970, as written.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub built_at: Option<String>,
    /// By which keys the build says that it was signed, such as `release-keys`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub keys: Option<String>,
    /// Names that it says more than once, with other values: the first one is shown.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub contradicted: BTreeMap<String, String>,
}

/// Whether `head` is the beginning of a property file: a line that sets a read-only property.
pub(crate) fn is_property_text(head: &[u8]) -> bool {
    head.split(|byte| *byte == b'\n')
        .take(200)
        .any(|line| line.starts_with(b"ro.") && line.contains(&b'='))
}

/// Whether a file of this name is a property file by convention.
pub(crate) fn is_usual_name(path: &str) -> bool {
    matches!(
        path.rsplit('/').next(),
        Some("default.prop" | "prop.default" | "build.prop")
    )
}

/// Reads a property file. Lines that set nothing are passed over.
pub(crate) fn read(from: &str, text: &[u8]) -> Properties {
    let text = String::from_utf8_lossy(text);
    let mut read = Properties {
        from: from.to_owned(),
        ..Properties::default()
    };
    for line in text.lines() {
        let line = line.trim();
        let Some((key, value)) = line.split_once('=') else {
            continue;
        };
        let (key, value) = (key.trim(), value.trim());
        if key.starts_with('#') || value.is_empty() {
            continue;
        }
        let Some(field) = read.field(key) else {
            continue;
        };
        match field {
            None => *field = Some(value.to_owned()),
            Some(first) if first == value => {}
            Some(_) => {
                read.contradicted.insert(key.to_owned(), value.to_owned());
            }
        }
    }
    read
}

impl Properties {
    /// Where the value of `key` belongs. A part of a system says the same things with its own
    /// name in between (`ro.product.vendor.device`, `ro.vendor.build.id`).
    fn field(&mut self, key: &str) -> Option<&mut Option<String>> {
        let words: Vec<&str> = key.strip_prefix("ro.")?.split('.').collect();
        Some(match words.as_slice() {
            ["product", "device"] | ["product", _, "device"] | ["build", "product"] => {
                &mut self.device
            }
            ["product", "model"] | ["product", _, "model"] => &mut self.model,
            ["product", "name"] | ["product", _, "name"] => &mut self.product,
            ["product", "board"] | ["board", "platform"] => &mut self.board,
            ["build", rest @ ..] | [_, "build", rest @ ..] => match rest {
                ["id"] => &mut self.build,
                ["fingerprint"] => &mut self.fingerprint,
                ["version", "incremental"] => &mut self.incremental,
                ["version", "release"] => &mut self.version,
                ["version", "security_patch"] | ["security_patch"] => &mut self.security_patch,
                ["date", "utc"] => &mut self.built_at,
                ["tags"] => &mut self.keys,
                _ => return None,
            },
            _ => return None,
        })
    }

    /// Whether it says of itself that the maker released it. Anybody can write that.
    #[must_use]
    pub fn says_released(&self) -> bool {
        let keys = self.keys.as_deref().or(self.fingerprint.as_deref());
        keys.is_some_and(|keys| keys.ends_with("release-keys"))
    }

    /// Whether it says anything of what it was built for.
    pub(crate) fn says_something(&self) -> bool {
        self.device.is_some()
            || self.model.is_some()
            || self.product.is_some()
            || self.build.is_some()
            || self.fingerprint.is_some()
            || self.incremental.is_some()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_of_a_system_say_the_same_with_their_name_in_between() {
        let text = b"# of the build\nro.product.vendor.device=gimbal\n ro.vendor.build.id = GX2 \nro.vendor.build.security_patch=2026-08-05\nro.build.id=\nno line";
        let read = read("vendor/build.prop", text);
        assert_eq!(read.device.as_deref(), Some("gimbal"));
        assert_eq!(read.build.as_deref(), Some("GX2"));
        assert_eq!(read.security_patch.as_deref(), Some("2026-08-05"));
    }

    #[test]
    fn what_is_said_twice_is_shown_as_first_said_and_the_other_is_named() {
        let read = read("a", b"ro.product.device=one\nro.product.device=two\n");
        assert_eq!(read.device.as_deref(), Some("one"));
        assert_eq!(read.contradicted["ro.product.device"], "two");
    }
}
