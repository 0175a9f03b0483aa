//! `standing` and `plan`: a judgement and a sheet from a facts file, without a bench.

use std::fs;
use std::path::Path;
use std::process::ExitCode;

use serde::Serialize;
use veritope_core::budget::{self, Battery, Policy};
use veritope_core::builds;
use veritope_core::dossier::Dossier;
use veritope_core::evidence::Line;
use veritope_core::facts_file::{self as file, FactsFile};
use veritope_core::family::{self, Family, SHIPPED};
use veritope_core::goal::Goal;
use veritope_core::mode::Lock;
use veritope_core::plan::{Sheet, due};
use veritope_core::standing::{self, Depth, Standing, StandingInput, Verdict};
use veritope_core::state::State;
use veritope_core::steady::alone;
use veritope_wire::WallTime;

use crate::args::{JudgeArgs, PlanArgs};
use crate::{CommandError, EXIT_FOUND};

/// Most bytes of a file that is read here.
const MOST_BYTES: u64 = 1 << 20;

/// Reads a text file of bounded size.
fn read(path: &Path) -> Result<String, CommandError> {
    let said = |what: String| CommandError::Input(format!("{}: {what}", path.display()));
    let length = fs::metadata(path)
        .map_err(|error| said(error.to_string()))?
        .len();
    if length > MOST_BYTES {
        return Err(said(format!(
            "{length} bytes are too many, at most {MOST_BYTES} are read"
        )));
    }
    fs::read_to_string(path).map_err(|error| said(error.to_string()))
}

/// A family by its codename, or from a file.
fn known(named: &str) -> Result<Family, CommandError> {
    let refuse = |error: family::FamilyError| CommandError::Input(error.to_string());
    if named.contains(['/', '.']) {
        return family::load(named, &read(Path::new(named))?).map_err(refuse);
    }
    let shipped = SHIPPED
        .iter()
        .find(|(file, _)| file.strip_suffix(".toml") == Some(named));
    match shipped {
        Some((file, text)) => family::load(file, text).map_err(refuse),
        None => {
            let all: Vec<&str> = SHIPPED
                .iter()
                .filter_map(|(file, _)| file.strip_suffix(".toml"))
                .collect();
            Err(CommandError::Input(format!(
                "no family `{named}` is shipped; there are {}, or give a family file",
                all.join(", ")
            )))
        }
    }
}

struct Asked {
    family: Family,
    file: FactsFile,
    now: WallTime,
}

fn asked(args: &JudgeArgs) -> Result<Asked, CommandError> {
    let now: WallTime = args
        .at
        .parse()
        .map_err(|error| CommandError::Input(format!("--at: {error}")))?;
    let family = known(&args.family)?;
    let text = read(&args.facts)?;
    let mut file = file::load(&args.facts.display().to_string(), &text, now)
        .map_err(|error| CommandError::Input(error.to_string()))?;
    file.facts = family.told(file.facts, alone(now));
    Ok(Asked { family, file, now })
}

fn print_json(value: &impl Serialize) -> Result<(), CommandError> {
    let text = serde_json::to_string_pretty(value)
        .map_err(|error| CommandError::Input(error.to_string()))?;
    println!("{text}");
    Ok(())
}

/// `standing`: exit code 0 when it is ready, unlocked or has no lock, and no line stands open; 1 otherwise.
///
/// # Errors
/// When the input makes no sense.
pub(crate) fn standing(args: &JudgeArgs) -> Result<ExitCode, CommandError> {
    let asked = asked(args)?;
    let standing = standing::judge(&StandingInput {
        nickname: &asked.file.nickname,
        facts: &asked.file.facts,
        of: Some(asked.file.dossier(&asked.family, alone(asked.now))),
        policy: &Policy::usual(),
        depth: Depth::Page,
    });
    if args.json {
        print_json(&standing)?;
    } else {
        print_standing(&standing);
    }
    let is_clear = standing.lines.iter().all(Line::is_met);
    Ok(match standing.verdict {
        Verdict::Ready | Verdict::AlreadyUnlocked { .. } | Verdict::NoLock if is_clear => {
            ExitCode::SUCCESS
        }
        _ => ExitCode::from(EXIT_FOUND),
    })
}

fn mark(line: &Line) -> &'static str {
    if line.is_met() {
        "met"
    } else if line.is_missing() {
        "missing"
    } else {
        "not known"
    }
}

fn print_standing(standing: &Standing) {
    println!("{}", standing.sentence);
    if let Some(why) = &standing.because {
        println!("{why}");
    }
    print_lines(&standing.lines);
    for finding in &standing.findings {
        println!(
            "  {:<9}  {:<3}  {}",
            "look",
            finding.rule.id(),
            finding.text
        );
    }
    for one in &standing.outlook {
        println!("{}", one.sentence);
        print_lines(&one.lines);
    }
    if let Some(check) = &standing.next_check {
        println!(
            "Find out first: {} ({} min). {}",
            check.title, check.minutes, check.place
        );
    }
}

fn print_lines(lines: &[Line]) {
    for line in lines {
        println!("  {:<9}  {:<3}  {}", mark(line), line.rule.id(), line.text);
    }
}

#[derive(Serialize)]
struct Planned {
    sheet: Sheet,
    battery: Battery,
    /// Packages that are not at hand, by name.
    missing: Vec<String>,
    /// What stands open before it can begin.
    open: Vec<Line>,
    /// What it reads, hashes or asks consent for on its way.
    on_the_way: Vec<Line>,
}

/// `plan`: exit code 0 when the sheet could begin, 1 when a line stands open before it begins, or it takes
/// something for granted.
///
/// # Errors
/// When the input makes no sense, or nothing leads there.
pub(crate) fn plan(args: &PlanArgs) -> Result<ExitCode, CommandError> {
    let asked = asked(&args.judge)?;
    let goal = Goal::ALL
        .into_iter()
        .find(|goal| goal.id() == args.goal)
        .ok_or_else(|| {
            let all: Vec<&str> = Goal::ALL.iter().map(|goal| goal.id()).collect();
            CommandError::Input(format!(
                "--goal {}: no such goal; there are {}",
                args.goal,
                all.join(", ")
            ))
        })?;
    let start = State::from_facts(&asked.file.facts);
    let of = asked.file.dossier(&asked.family, alone(asked.now));
    let sheet = standing::plan_for(&of, start, goal, None)
        .map_err(|error| CommandError::Input(error.to_string()))?;
    let battery = budget::battery(sheet.load(), of.facts, of.family, &Policy::usual(), of.now);
    let chain = sheet
        .end
        .as_ref()
        .and_then(|end| builds::gate(&asked.family, &asked.file.facts, None).chain(Some(end)));
    let missing = chain.map_or_else(Vec::new, |chain| chain.missing);
    let of = Dossier {
        battery: Some(&battery),
        ..of
    };
    let before = due::preparations(&sheet, &of);
    let open: Vec<Line> = due::in_the_way(&before).into_iter().cloned().collect();
    let on_the_way = due::on_the_way(&sheet, &of);
    let is_clear = sheet.why_not.is_empty() && missing.is_empty() && open.is_empty();
    if args.judge.json {
        print_json(&Planned {
            sheet,
            battery,
            missing,
            open,
            on_the_way,
        })?;
    } else {
        print_sheet(&sheet, start.lock);
        for package in &missing {
            println!("Not yet: {package} is to be fetched (U5).");
        }
        for line in &open {
            println!(
                "Not yet: {} ({}).",
                line.text.trim_end_matches('.'),
                line.rule.id()
            );
        }
        for line in &on_the_way {
            println!(
                "On the way: {} ({}).",
                line.text.trim_end_matches('.'),
                line.rule.id()
            );
        }
        println!(
            "About {} min hands on, {} min waiting, {} wipes; begin from {} % battery.",
            sheet.head.hands_on_seconds.div_ceil(60),
            sheet.head.waiting_seconds.div_ceil(60),
            sheet.head.wipes,
            battery.begin_from_percent
        );
    }
    Ok(if is_clear {
        ExitCode::SUCCESS
    } else {
        ExitCode::from(EXIT_FOUND)
    })
}

fn print_sheet(sheet: &Sheet, lock: Option<Lock>) {
    if sheet.steps.is_empty() {
        println!(
            "Nothing is to be done: {}{}.",
            sheet.goal.shown().to_lowercase(),
            lock.map_or_else(String::new, |lock| format!(", the lock is {}", lock.id()))
        );
    }
    for (number, step) in sheet.steps.iter().enumerate() {
        println!("{:>3}. {}. {}", number + 1, step.title, step.because);
    }
    if let Some(instead) = sheet.end.as_ref().and_then(|end| end.instead.as_ref()) {
        println!("{instead}");
    }
    for why in &sheet.why_not {
        println!("Not yet: {} ({}).", why.text, why.rule.id());
    }
}
