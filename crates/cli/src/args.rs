//! What the command line takes.

use std::net::SocketAddr;
use std::path::PathBuf;

use clap::{Parser, Subcommand};

/// The bench application for people who modify their own devices.
#[derive(Debug, Parser)]
#[command(version, arg_required_else_help = true)]
pub struct Args {
    /// What to do.
    #[command(subcommand)]
    pub command: Command,
}

/// The commands.
#[derive(Debug, Subcommand)]
pub enum Command {
    /// Serve a bench
    Serve(ServeArgs),
    /// Serve a bench with demo data and simulated devices, made anew
    Demo(DemoArgs),
    /// Serve one simulated device behind a bench link
    Standin(StandinArgs),
    /// Ask a bridge; reads only
    Link(LinkArgs),
    /// Read a vault's captures back and name what is damaged; no server needed
    Verify(VerifyArgs),
    /// Tell what a file is, declares and lacks, or each file of a folder; exit 0 sound, 1 findings that
    /// matter, 2 can't be read
    Inspect(InspectArgs),
    /// Ask the running server to take the next step of a run, through the seal
    Step(StepArgs),
    /// Make the index of a data folder anew from its log
    Rebuild(RebuildArgs),
    /// Judge a unit from a family and a facts file; no server needed
    Standing(JudgeArgs),
    /// Plan the way to a goal from a family and a facts file; no server needed
    Plan(PlanArgs),
    /// Print the description of the server's API, or a file's schema
    Openapi(OpenapiArgs),
}

/// `serve`
#[derive(Debug, clap::Args)]
pub struct ServeArgs {
    /// Address on this machine; port 0 takes a free one
    #[arg(long, value_name = "A:P", default_value = "127.0.0.1:7310")]
    pub listen: SocketAddr,
    /// Data folder
    #[arg(long, value_name = "DIR")]
    pub data: Option<PathBuf>,
    /// Folder for captures; usually `vault` in the data folder
    #[arg(long, value_name = "DIR")]
    pub vault: Option<PathBuf>,
    /// Folder of the built front end; `none` serves the API only
    #[arg(long, value_name = "DIR")]
    pub front: Option<PathBuf>,
}

/// `demo`
#[derive(Debug, clap::Args)]
pub struct DemoArgs {
    /// Address of the bench
    #[arg(long, value_name = "A:P", default_value = "127.0.0.1:7310")]
    pub listen: SocketAddr,
    /// Address of the simulated devices
    #[arg(long, value_name = "A:P", default_value = "127.0.0.1:7311")]
    pub standin: SocketAddr,
    /// Folder for the demo data; it is emptied at every start
    #[arg(long, value_name = "DIR")]
    pub data: Option<PathBuf>,
    /// Folder of the built front end
    #[arg(long, value_name = "DIR")]
    pub front: Option<PathBuf>,
    /// How much faster than real time passes on the devices
    #[arg(long, value_name = "N", default_value_t = 6, value_parser = clap::value_parser!(u32).range(1..=10_000))]
    pub time_scale: u32,
}

/// `standin`
#[derive(Debug, clap::Args)]
pub struct StandinArgs {
    /// Codename of the family
    #[arg(long, value_name = "F")]
    pub family: String,
    /// Model code
    #[arg(long, value_name = "V")]
    pub variant: Option<String>,
    /// Address on this machine; port 0 takes a free one
    #[arg(long, value_name = "A:P", default_value = "127.0.0.1:7311")]
    pub listen: SocketAddr,
    /// How many times larger system and user data are
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=64))]
    pub size_scale: u32,
    /// How much faster than real time passes on the device
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=10_000))]
    pub time_scale: u32,
    /// Folder that keeps the device; without it the device is new and gone after
    #[arg(long, value_name = "DIR")]
    pub data: Option<PathBuf>,
    /// Token that callers must have; without it one is made and printed
    #[arg(long, value_name = "TOKEN")]
    pub token: Option<String>,
}

/// `link`
#[derive(Debug, clap::Args)]
pub struct LinkArgs {
    /// Address of the bridge, http://HOST:PORT
    pub url: String,
    /// Token of the bridge
    #[arg(
        long,
        value_name = "TOKEN",
        env = "VERITOPE_LINK_TOKEN",
        hide_env_values = true
    )]
    pub token: String,
    /// What to ask
    #[command(subcommand)]
    pub ask: LinkAsk,
}

/// What `link` asks.
#[derive(Debug, Subcommand)]
pub enum LinkAsk {
    /// List the devices
    Devices,
    /// Show what can be read of a device now, identifiers masked
    State {
        /// The bridge's name for the device
        device: String,
    },
    /// List the partitions and logical volumes of a device: area, number, label, bytes
    Partitions {
        /// The bridge's name for the device
        device: String,
    },
    /// Read a partition into a file and print its digest
    Read {
        /// The bridge's name for the device
        device: String,
        /// The partition or logical volume, or table-0.primary and table-0.backup
        label: String,
        /// The file to make; it must not exist
        file: PathBuf,
    },
    /// Test the bridge against docs/bench-link.md; reads only
    Conform,
}

/// `verify`
#[derive(Debug, clap::Args)]
pub struct VerifyArgs {
    /// A vault's folder
    pub path: PathBuf,
    /// Machine-readable
    #[arg(long)]
    pub json: bool,
}

/// `inspect`
#[derive(Debug, clap::Args)]
pub struct InspectArgs {
    /// The file or folder
    #[arg(value_name = "FILE|FOLDER")]
    pub path: PathBuf,
    /// Machine-readable; docs/inspect.schema.json describes it
    #[arg(long)]
    pub json: bool,
}

/// `step`
#[derive(Debug, clap::Args)]
pub struct StepArgs {
    /// The run's id, as the command card shows it
    pub run: String,
    /// The step's number, as the card shows it; refused when the run is elsewhere
    pub step: u32,
    /// Address of the server
    #[arg(long, value_name = "URL", default_value = "http://127.0.0.1:7310")]
    pub server: String,
}

/// `standing`
#[derive(Debug, clap::Args)]
pub struct JudgeArgs {
    /// Codename of a shipped family, or a family file
    #[arg(long, value_name = "F")]
    pub family: String,
    /// What is known of the unit, see docs/facts-format.md
    #[arg(long, value_name = "FILE.toml")]
    pub facts: PathBuf,
    /// The moment to judge at, such as 2026-11-26T10:00:00Z
    #[arg(long, value_name = "TIME")]
    pub at: String,
    /// Machine-readable
    #[arg(long)]
    pub json: bool,
}

/// `plan`
#[derive(Debug, clap::Args)]
pub struct PlanArgs {
    /// What to plan from
    #[command(flatten)]
    pub judge: JudgeArgs,
    /// What is to be reached, such as unlock
    #[arg(long, value_name = "GOAL")]
    pub goal: String,
}

/// `openapi`
#[derive(Debug, clap::Args)]
pub struct OpenapiArgs {
    /// Which description
    #[arg(long, value_enum, default_value = "api")]
    pub of: Description,
}

/// A description of ours.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub enum Description {
    /// The server's API
    Api,
    /// A family file, as JSON Schema
    Family,
    /// A facts file, as JSON Schema
    Facts,
    /// What `inspect --json` prints, as JSON Schema
    Inspect,
    /// The rules of the job, as a text to read
    Rules,
}

/// `rebuild`
#[derive(Debug, clap::Args)]
pub struct RebuildArgs {
    /// Data folder
    #[arg(long, value_name = "DIR")]
    pub data: PathBuf,
}
