//! What an update package says of itself: its script, its metadata, its requirements.

use serde::Serialize;
use utoipa::ToSchema;

/// What a package's script asks for and does, as far as it is written there.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, ToSchema)]
pub struct Script {
    /// Devices that it asserts; none where it fits nothing for sure.
    pub devices: Vec<String>,
    /// Builds that it demands before it.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub bases: Vec<String>,
    /// Partitions that it writes.
    pub writes: Vec<String>,
    /// Partitions that it formats or empties.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub erased: Vec<String>,
    /// Programs that it runs.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub runs: Vec<String>,
    /// Whether it does anything that is written in it. Where not, a program does all, and what
    /// that touches is not known.
    pub does_something: bool,
}

/// What the metadata of a package says.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, ToSchema)]
pub struct Metadata {
    /// Devices that it is for.
    pub devices: Vec<String>,
    /// Fingerprint of the build that it brings.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub post_build: Option<String>,
    /// Number of the build that it brings.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub post_incremental: Option<String>,
    /// When that was built, in seconds since 1970.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub timestamp: Option<u64>,
    /// Its security patch.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub security_patch: Option<String>,
    /// Fingerprint of the build that it begins from.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pre_build: Option<String>,
    /// Number of the build that it begins from.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pre_incremental: Option<String>,
    /// It says that it leads to an older build.
    pub steps_down: bool,
    /// It says that it erases the owner's data.
    pub erases_data: bool,
}

/// Reads metadata: lines `key=value`.
pub(crate) fn metadata(text: &str) -> Metadata {
    let mut read = Metadata::default();
    for line in text.lines() {
        let Some((key, value)) = line.split_once('=') else {
            continue;
        };
        let (key, value) = (key.trim(), value.trim());
        let list = || value.split(['|', ',']).map(str::to_owned).collect();
        match key {
            "pre-device" => read.devices = list(),
            "post-build" => read.post_build = Some(value.to_owned()),
            "post-build-incremental" => read.post_incremental = Some(value.to_owned()),
            "post-timestamp" => read.timestamp = value.parse().ok(),
            "post-security-patch-level" => read.security_patch = Some(value.to_owned()),
            "pre-build" => read.pre_build = Some(value.to_owned()),
            "pre-build-incremental" => read.pre_incremental = Some(value.to_owned()),
            key if key.ends_with("-downgrade") => read.steps_down = value == "yes",
            key if key.ends_with("-wipe") => read.erases_data = value == "yes",
            _ => {}
        }
    }
    read
}

#[derive(Debug, PartialEq, Eq)]
enum Token {
    Word(String),
    Text(String),
    Sign(char),
}

/// Longest script that is read.
pub(crate) const MOST_BYTES: u64 = 1 << 20;

fn tokens(text: &str) -> Vec<Token> {
    let mut tokens = Vec::new();
    let mut rest = text.chars().peekable();
    while let Some(one) = rest.next() {
        match one {
            '#' => while rest.next_if(|one| *one != '\n').is_some() {},
            '"' => {
                let mut text = String::new();
                while let Some(one) = rest.next() {
                    match one {
                        '"' => break,
                        '\\' => text.extend(rest.next()),
                        one => text.push(one),
                    }
                }
                tokens.push(Token::Text(text));
            }
            one if one.is_alphanumeric() || matches!(one, '_' | '.' | '/' | ':') => {
                let mut word = String::from(one);
                while let Some(more) = rest
                    .next_if(|one| one.is_alphanumeric() || matches!(one, '_' | '.' | '/' | ':'))
                {
                    word.push(more);
                }
                tokens.push(Token::Word(word));
            }
            one if one.is_whitespace() => {}
            one => tokens.push(Token::Sign(one)),
        }
    }
    tokens
}

/// Words that do nothing to a device.
const TELLING: [&str; 14] = [
    "ui_print",
    "show_progress",
    "set_progress",
    "getprop",
    "assert",
    "abort",
    "ifelse",
    "if",
    "concat",
    "is_substring",
    "is_mounted",
    "mount",
    "unmount",
    "sleep",
];
/// A property that names a device.
fn names_device(key: &str) -> bool {
    matches!(
        key,
        "ro.product.device" | "ro.build.product" | "ro.product.name"
    ) || (key.starts_with("ro.product.") && key.ends_with(".device"))
}
/// A property that names a build.
fn names_build(key: &str) -> bool {
    key.contains("build") && (key.ends_with("fingerprint") || key.ends_with("incremental"))
}

/// Reads a script.
pub(crate) fn read(text: &str) -> Script {
    let tokens = tokens(text);
    let mut script = Script::default();
    let mut calls: Vec<(String, Vec<String>)> = Vec::new();
    for (index, token) in tokens.iter().enumerate() {
        match token {
            Token::Sign('(') => {
                let name = match index.checked_sub(1).and_then(|before| tokens.get(before)) {
                    Some(Token::Word(word)) => word.clone(),
                    _ => String::new(),
                };
                calls.push((name, Vec::new()));
            }
            Token::Text(text) => {
                if let Some((_, given)) = calls.last_mut() {
                    given.push(text.clone());
                }
            }
            Token::Sign(')') => {
                let Some((name, given)) = calls.pop() else {
                    continue;
                };
                if name == "getprop" {
                    script.compared(&given, &tokens, index);
                } else if !name.is_empty() {
                    script.called(&name, &given);
                }
            }
            Token::Word(_) | Token::Sign(_) => {}
        }
    }
    script
}

fn add(to: &mut Vec<String>, value: &str) {
    if !value.is_empty() && !to.iter().any(|one| one == value) {
        to.push(value.to_owned());
    }
}

impl Script {
    /// A property that ends at token `end` is compared with a text before or behind it.
    fn compared(&mut self, given: &[String], tokens: &[Token], end: usize) {
        let [key] = given else { return };
        let at = |index: Option<usize>| index.and_then(|index| tokens.get(index));
        let is_equal = |index: Option<usize>| at(index) == Some(&Token::Sign('='));
        let behind = match at(Some(end + 3)) {
            Some(Token::Text(text)) if is_equal(Some(end + 1)) && is_equal(Some(end + 2)) => {
                Some(text)
            }
            _ => None,
        };
        // `"value" == getprop("key")`: the text, two signs, the word, the bracket, the key.
        let before = match at(end.checked_sub(6)) {
            Some(Token::Text(text))
                if is_equal(end.checked_sub(5)) && is_equal(end.checked_sub(4)) =>
            {
                Some(text)
            }
            _ => None,
        };
        let Some(value) = behind.or(before) else {
            return;
        };
        if names_device(key) {
            add(&mut self.devices, value);
        } else if names_build(key) {
            add(&mut self.bases, value);
        }
    }

    fn called(&mut self, name: &str, given: &[String]) {
        if TELLING.contains(&name) {
            return;
        }
        self.does_something = true;
        let partitions = given
            .iter()
            .flat_map(|text| text.split_whitespace())
            .filter_map(|text| text.split_once("/by-name/"))
            .map(|(_, label)| label.trim_end_matches(|one: char| !one.is_alphanumeric()));
        for label in partitions {
            if name == "format" {
                add(&mut self.erased, label);
            } else {
                add(&mut self.writes, label);
            }
        }
        match name {
            "run_program" => add(&mut self.runs, &given.join(" ")),
            "write_raw_image" => {
                if let Some(label) = given.get(1).filter(|label| !label.contains('/')) {
                    add(&mut self.writes, label);
                }
            }
            "delete_recursive" => {
                for path in given.iter().filter(|path| path.starts_with("/data")) {
                    add(&mut self.erased, path);
                }
            }
            _ => {}
        }
    }
}

/// Lines `require name=value` of a set's list of requirements.
pub(crate) fn requirements(text: &str) -> Vec<String> {
    text.lines()
        .filter_map(|line| line.trim().strip_prefix("require "))
        .take(64)
        .map(|line| line.trim().to_owned())
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn asserts_are_read_from_both_sides_and_comments_are_none() {
        let script = read(
            "# getprop(\"ro.product.device\") == \"no\"\nassert(getprop(\"ro.product.device\") == \"one\" || \"two\" == getprop(\"ro.build.product\"));\nwrite_raw_image(\"a.img\", \"boot\");",
        );
        assert_eq!(script.devices, ["one", "two"]);
        assert_eq!(script.writes, ["boot"]);
        assert!(script.does_something);
    }

    #[test]
    fn what_differs_is_no_assert() {
        let script = read("getprop(\"ro.product.device\") != \"one\" || abort(\"no\");");
        assert!(script.devices.is_empty() && !script.does_something);
    }
}
