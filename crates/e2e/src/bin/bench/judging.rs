//! What a judgement takes: one unit, a bench of five hundred, a maker with twenty thousand builds.

use std::collections::BTreeSet;
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

use petgraph::graph::{DiGraph, NodeIndex};
use veritope_core::budget::Policy;
use veritope_core::builds;
use veritope_core::facts::FactKey;
use veritope_core::facts_file as file;
use veritope_core::family::{
    BuildSpec, Family, Leaves, PackageKind, PackageSpec, SHIPPED, Unlockable, load,
};
use veritope_core::goal::Goal;
use veritope_core::standing::{Depth, StandingInput, judge, plan_for};
use veritope_core::state::State;
use veritope_core::steady::alone;
use veritope_e2e::{Outcome, root};
use veritope_engine::desk::record::Way;
use veritope_engine::library::hold::Folder;
use veritope_engine::ports::Silent;
use veritope_engine::{Engine, NewUnit};
use veritope_server::open_engine;
use veritope_wire::{RequestId, WallTime};

use super::{RUNS, median, report};

/// Judgements timed together, so that one reading of the clock is nothing.
const TOGETHER: u32 = 100;
const UNITS: usize = 500;
const BUILDS: usize = 20_000;
/// Packages from each build.
const JUMPS: [usize; 5] = [1, 2, 3, 5, 8];

fn timed<T>(mut work: impl FnMut() -> T) -> Duration {
    let began = Instant::now();
    std::hint::black_box(work());
    began.elapsed()
}

fn family(codename: &str) -> Outcome<Family> {
    let shipped = SHIPPED
        .iter()
        .find(|(file, _)| file.strip_suffix(".toml") == Some(codename));
    let (file, text) = shipped.ok_or("no such family")?;
    Ok(load(file, text)?)
}

/// Dunlin, whose chain has seven legs: the dearest judgement of the demo bench.
pub(super) fn one() -> Outcome {
    let family = family("mooring")?;
    let now: WallTime = "2026-11-26T10:00:00Z".parse()?;
    let path = root().join("docs/examples/dunlin.toml");
    let unit = file::load("dunlin.toml", &std::fs::read_to_string(path)?, now)?;
    let policy = Policy::usual();
    let input = StandingInput {
        nickname: &unit.nickname,
        facts: &unit.facts,
        of: Some(unit.dossier(&family, alone(now))),
        policy: &policy,
        depth: Depth::Page,
    };
    let times: Vec<Duration> = (0..RUNS)
        .map(|_| {
            timed(|| {
                (0..TOGETHER)
                    .map(|_| judge(&input).lines.len())
                    .sum::<usize>()
            }) / TOGETHER
        })
        .collect();
    report(
        "one judgement, with a chain of seven legs (goal 1 ms)",
        &times,
    );
    Ok(())
}

/// The sheet of a unit whose one build that can be unlocked lies twenty increments up: more than forty
/// steps.
pub(super) fn forty_steps() -> Outcome {
    const FROM: &str = "WM1-3.4-2610";
    let mut family = family("mooring")?;
    let step = family
        .packages
        .iter()
        .find(|one| one.kind == PackageKind::Incremental)
        .ok_or("no increment")?
        .clone();
    let (mut last, _) = family.build(FROM).ok_or("no such build")?;
    let mut names = Vec::new();
    for build in &mut family.builds {
        build.unlockable = Unlockable::No;
    }
    for n in 0..20 {
        let build = BuildSpec {
            id: format!("WM1-3.{}-27{:02}", n + 5, n + 1),
            ..family.builds[last].clone()
        };
        family.builds.push(build);
        let name = format!("mallet-step-{n}");
        names.push(format!("\"{name}\""));
        family.packages.push(PackageSpec {
            name,
            from: Some(last),
            to: family.builds.len() - 1,
            ..step.clone()
        });
        last = family.builds.len() - 1;
    }
    family.builds[last].unlockable = Unlockable::Yes;
    let text = std::fs::read_to_string(root().join("docs/examples/dunlin.toml"))?
        .replace("\"mallet-full-3.1\"", &names.join(", "));
    let now: WallTime = "2026-11-26T10:00:00Z".parse()?;
    let unit = file::load("dunlin.toml", &text, now)?;
    let start = State::from_facts(&unit.facts);
    let of = unit.dossier(&family, alone(now));
    let plan = || plan_for(&of, start, Goal::Unlock, None);
    let sheet = plan()?;
    let times: Vec<Duration> = (0..RUNS).map(|_| timed(plan)).collect();
    report(
        &format!(
            "a sheet of {} steps, {} states opened (goal 50 ms)",
            sheet.steps.len(),
            sheet.expanded
        ),
        &times,
    );
    Ok(())
}

/// Down to the one build that can be unlocked, and up again by increments; a public graph library
/// goes through the same packages.
pub(super) fn many_builds() -> Outcome {
    let mut family = family("mooring")?;
    let build = family.builds.first().ok_or("no build")?.clone();
    let package = family.packages.first().ok_or("no package")?.clone();
    family.builds = (0..BUILDS)
        .map(|n| BuildSpec {
            id: format!("WM1-{n}"),
            unlockable: if n == 0 {
                Unlockable::Yes
            } else {
                Unlockable::No
            },
            rollback: 0,
            ..build.clone()
        })
        .collect();
    let step = |from: Option<usize>, to: usize| PackageSpec {
        name: format!("{from:?}-{to}"),
        kind: from.map_or(PackageKind::Full, |_| PackageKind::Incremental),
        from,
        to,
        wipes: from.is_none(),
        leaves: Leaves::Exact,
        ..package.clone()
    };
    family.packages = (0..BUILDS - 1)
        .flat_map(|n| JUMPS.map(|jump| step(Some(n), (n + jump).min(BUILDS - 1))))
        .collect();
    family.packages.push(step(None, 0));
    let last = BUILDS - 1;
    let here = BTreeSet::new();
    let mut expanded = 0;
    let times: Vec<Duration> = (0..RUNS)
        .map(|_| {
            timed(|| {
                if let Ok(chain) = builds::cheapest(&family, last, 0, last, &here) {
                    expanded = chain.expanded;
                }
            })
        })
        .collect();
    let mut graph: DiGraph<(), u32> = DiGraph::with_capacity(BUILDS, family.packages.len());
    let nodes: Vec<NodeIndex> = (0..BUILDS).map(|_| graph.add_node(())).collect();
    for package in &family.packages {
        if let Some(from) = package.from {
            graph.add_edge(nodes[from], nodes[package.to], package.minutes);
        }
    }
    let public: Vec<Duration> = (0..RUNS)
        .map(|_| {
            timed(|| {
                petgraph::algo::dijkstra(&graph, nodes[0], Some(nodes[last]), |edge| *edge.weight())
            })
        })
        .collect();
    let what = format!(
        "{BUILDS} builds with {} packages, {expanded} states opened (goal 100 ms)",
        family.packages.len()
    );
    report(&what, &times);
    report("  the way up alone, by petgraph", &public);
    let ratio = median(&times).as_secs_f64() / median(&public).as_secs_f64();
    println!("  ratio {ratio:.2}");
    Ok(())
}

/// The bench's first screen with five hundred units.
pub(super) fn bench_of_units(folder: &Path) -> Outcome {
    let (engine, _store) = open_engine(
        Folder::Free(folder.join("five-hundred")),
        None,
        Arc::new(Silent),
    )?;
    let request = || RequestId::new(uuid::Uuid::now_v7());
    let codenames = [
        "saltern", "kelpie", "lodestar", "mooring", "thimble", "gimbal", "cinder",
    ];
    for n in 0..UNITS {
        let new = NewUnit {
            nickname: format!("unit {n}"),
            way: Way::Hand,
            family: Some(codenames[n % codenames.len()].to_owned()),
            ownership: "mine".to_owned(),
        };
        let unit = engine.units.add_unit(new, request())?;
        let said = [
            (FactKey::Lock, "locked".to_owned()),
            (FactKey::Mode, "system".to_owned()),
            (FactKey::Serial, format!("U{n:08}")),
            (FactKey::Accounts, "1".to_owned()),
            (FactKey::Battery, "70".to_owned()),
        ];
        engine.units.type_facts(unit, &said, request())?;
    }
    let times: Vec<Duration> = (0..RUNS).map(|_| timed(|| rows(&engine))).collect();
    report("the bench's screen with 500 units (goal 50 ms)", &times);
    Ok(())
}

fn rows(engine: &Engine) -> usize {
    engine
        .views
        .bench_view()
        .map_or(0, |bench| bench.units.len())
}
