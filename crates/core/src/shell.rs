//! A command as three kinds of shell want it: what has blanks, quotes or signs in it must reach the
//! program as it stands.

use serde::Serialize;

/// A kind of shell.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Shell {
    /// Those of POSIX.
    Posix,
    /// The one that knows commands as objects, and runs a quoted program by `&`.
    Object,
    /// The older prompt of computers with drive letters.
    Prompt,
}

impl Shell {
    /// All of them, the most used on benches first.
    pub const ALL: [Self; 3] = [Self::Posix, Self::Object, Self::Prompt];

    /// Words for a person.
    #[must_use]
    pub fn shown(self) -> &'static str {
        match self {
            Self::Posix => "POSIX shell",
            Self::Object => "shell with & and '…'",
            Self::Prompt => "prompt with drive letters",
        }
    }

    /// One line that runs `program` with `arguments` in this shell, each reaching it unchanged.
    ///
    /// Written rules: POSIX 2.2.2 (everything is literal within single quotes; a single quote ends
    /// them). In the object shell everything is literal within single quotes but the single quote,
    /// which is doubled, and a quoted program is called by `&`. At the prompt blanks and
    /// `& | < > ^ ( )` are literal within double quotes, and a percent sign is kept from naming a
    /// variable by a `^` outside them; names of files hold no double quotes there.
    #[must_use]
    pub fn line(self, program: &str, arguments: &[&str]) -> String {
        let mut words = vec![self.program(program)];
        words.extend(arguments.iter().map(|word| self.word(word)));
        words.join(" ")
    }

    fn program(self, path: &str) -> String {
        // A name without a folder is looked for among programs; in this folder it wants its prefix.
        let quoted = self.word(path);
        match self {
            Self::Object if quoted != path => format!("& {quoted}"),
            _ => quoted,
        }
    }

    fn word(self, word: &str) -> String {
        let plain = |sign: char| {
            let extra = match self {
                Self::Posix => "-_./:=+,",
                Self::Object => "-_./:\\=",
                Self::Prompt => "-_./:\\+",
            };
            sign.is_ascii_alphanumeric() || extra.contains(sign)
        };
        if !word.is_empty() && word.chars().all(plain) {
            return word.to_owned();
        }
        match self {
            Self::Posix => format!("'{}'", word.replace('\'', r"'\''")),
            Self::Object => format!("'{}'", word.replace('\'', "''")),
            Self::Prompt => format!("\"{}\"", word.replace('%', "\"^%\"")),
        }
    }
}

/// A step's command in one kind of shell.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Card {
    /// The kind.
    pub shell: Shell,
    /// Words for it.
    pub shown: String,
    /// The line to paste.
    pub line: String,
}

/// The command `veritope step RUN STEP` for each kind of shell: `program` is the path of the running
/// program, `server` where it listens.
#[must_use]
pub fn step_cards(program: &str, run: &str, step: u32, server: &str) -> Vec<Card> {
    let step = step.to_string();
    Shell::ALL
        .into_iter()
        .map(|shell| Card {
            shell,
            shown: shell.shown().to_owned(),
            line: shell.line(program, &["step", run, &step, "--server", server]),
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Each line beside what the written rules ask for.
    #[test]
    fn each_shell_is_quoted_by_its_own_rules() {
        for (shell, program, wanted) in [
            (Shell::Posix, "/opt/veritope", "/opt/veritope step"),
            (
                Shell::Posix,
                "/opt/a b/veritope",
                "'/opt/a b/veritope' step",
            ),
            (Shell::Posix, "/it's/$HOME", r"'/it'\''s/$HOME' step"),
            (
                Shell::Object,
                r"C:\v\veritope.exe",
                r"C:\v\veritope.exe step",
            ),
            (Shell::Object, r"C:\a b\v.exe", r"& 'C:\a b\v.exe' step"),
            (
                Shell::Object,
                r"C:\it's $x\v.exe",
                r"& 'C:\it''s $x\v.exe' step",
            ),
            (
                Shell::Prompt,
                r"C:\v\veritope.exe",
                r"C:\v\veritope.exe step",
            ),
            (
                Shell::Prompt,
                r"C:\a & b\v.exe",
                "\"C:\\a & b\\v.exe\" step",
            ),
            (
                Shell::Prompt,
                r"C:\100%OS%\v.exe",
                "\"C:\\100\"^%\"OS\"^%\"\\v.exe\" step",
            ),
        ] {
            assert_eq!(shell.line(program, &["step"]), wanted);
        }
    }

    #[test]
    fn an_empty_word_stays_a_word() {
        assert_eq!(Shell::Posix.line("v", &[""]), "v ''");
        assert_eq!(Shell::Object.line("v", &[""]), "v ''");
        assert_eq!(Shell::Prompt.line("v", &[""]), "v \"\"");
    }
}
