//! The `veritope` command. Wrong input is one line that says what, where and what to do, and exit
//! code 2; nothing is changed then.

pub mod args;
pub mod demo;
mod inspect;
mod link;
mod schema;
mod standin;
mod standing;
mod step;
mod verify;

use std::process::ExitCode;

use tokio::runtime::Runtime;
use veritope_engine::desk::journal::Journal;
use veritope_engine::library::hold::Folder;
use veritope_server::front::FrontEnd;
use veritope_server::store::Store;

use args::{Args, Command, Description};

/// Exit code: what was asked for was found wanting.
pub const EXIT_FOUND: u8 = 1;
/// Exit code: wrong input, or something that is needed is not there.
pub const EXIT_UNUSABLE: u8 = 2;

/// Why a command came to nothing; printed as one line.
#[derive(Debug, thiserror::Error)]
pub enum CommandError {
    /// The server.
    #[error(transparent)]
    Serve(#[from] veritope_server::ServeError),
    /// The stand-in.
    #[error(transparent)]
    Bridge(#[from] veritope_standin::BridgeError),
    /// The link.
    #[error(transparent)]
    Link(#[from] veritope_link::LinkError),
    /// The demo's data.
    #[error(transparent)]
    Demo(#[from] demo::DemoError),
    /// A vault.
    #[error(transparent)]
    Vault(#[from] veritope_vault::VaultError),
    /// Anything else that is wrong with the input.
    #[error("{0}")]
    Input(String),
    /// The machine.
    #[error(transparent)]
    Io(#[from] std::io::Error),
}

/// Runs a command.
#[must_use]
pub fn run(args: Args) -> ExitCode {
    match dispatch(args.command) {
        Ok(code) => code,
        Err(error) => {
            eprintln!("veritope: {}", one_line(&error));
            ExitCode::from(EXIT_UNUSABLE)
        }
    }
}

/// The error and its causes on one line.
fn one_line(error: &dyn std::error::Error) -> String {
    veritope_server::chain(error).replace('\n', " ")
}

fn dispatch(command: Command) -> Result<ExitCode, CommandError> {
    match command {
        Command::Serve(serve) => {
            let front = front_end(serve.front.as_deref());
            let data = serve.data.map_or_else(usual_data, Ok)?;
            Runtime::new()?.block_on(async {
                let config = veritope_server::Config {
                    listen: serve.listen,
                    data: Folder::Free(data),
                    vault: serve.vault,
                    front,
                };
                let running = veritope_server::start(config).await?;
                println!("http://{}", running.address);
                interrupted().await;
                running.stop().await;
                Ok(ExitCode::SUCCESS)
            })
        }
        Command::Demo(args) => {
            let config = demo::DemoConfig {
                listen: args.listen,
                standin: args.standin,
                data: args.data.map_or_else(demo::usual_folder, Ok)?,
                front: front_end(args.front.as_deref()),
                time_scale: args.time_scale,
            };
            Runtime::new()?.block_on(async {
                let running = demo::start(config).await?;
                println!("Bench     http://{}", running.bench);
                println!(
                    "Stand-in  http://{} (the devices' own screens and buttons; a bridge for another bench, token {})",
                    running.standin, running.token
                );
                println!("Ctrl-C stops it; the demo data is made anew at every start.");
                interrupted().await;
                running.stop().await;
                Ok(ExitCode::SUCCESS)
            })
        }
        Command::Standin(args) => standin::run(args),
        Command::Link(args) => link::run(&args),
        Command::Verify(args) => verify::verify(&args),
        Command::Inspect(args) => inspect::inspect(&args),
        Command::Step(args) => step::run(&args),
        Command::Standing(args) => standing::standing(&args),
        Command::Plan(args) => standing::plan(&args),
        Command::Rebuild(args) => {
            let data = veritope_engine::library::data::DataFolder::open(&args.data)
                .map_err(veritope_server::ServeError::from)?;
            let clock = veritope_server::bench_clock(&data)?;
            let store = Store::rebuild(&data, clock).map_err(veritope_server::ServeError::from)?;
            println!(
                "The index in {} was made anew from the log.",
                args.data.display()
            );
            let damage = store.desk().damage();
            for one in &damage {
                println!("{}", one.in_words());
            }
            Ok(if damage.is_empty() {
                ExitCode::SUCCESS
            } else {
                ExitCode::from(1)
            })
        }
        Command::Openapi(args) => {
            let text = match args.of {
                Description::Api => veritope_server::openapi(),
                Description::Family => schema::family(),
                Description::Facts => schema::facts(),
                Description::Inspect => schema::inspected(),
                Description::Rules => veritope_core::rule::book(),
            };
            print!("{text}");
            Ok(ExitCode::SUCCESS)
        }
    }
}

fn front_end(named: Option<&std::path::Path>) -> FrontEnd {
    match named {
        Some(path) if path.as_os_str() == "none" => FrontEnd::None,
        Some(path) => FrontEnd::Folder(path.to_owned()),
        #[cfg(feature = "embedded")]
        None => FrontEnd::Embedded,
        #[cfg(not(feature = "embedded"))]
        None => FrontEnd::Folder("web/dist".into()),
    }
}

fn usual_data() -> Result<std::path::PathBuf, CommandError> {
    data_home().map(|home| home.join("veritope"))
}

fn data_home() -> Result<std::path::PathBuf, CommandError> {
    let home = std::env::var_os("XDG_DATA_HOME")
        .map(std::path::PathBuf::from)
        .or_else(|| {
            std::env::var_os("HOME").map(|home| std::path::Path::new(&home).join(".local/share"))
        });
    home.ok_or_else(|| {
        CommandError::Input("there is no home folder; name one with --data".to_owned())
    })
}

async fn interrupted() {
    let terminated = async {
        #[cfg(unix)]
        if let Ok(mut signal) =
            tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate())
        {
            signal.recv().await;
            return;
        }
        std::future::pending::<()>().await;
    };
    tokio::select! {
        _ = tokio::signal::ctrl_c() => {}
        () = terminated => {}
    }
}
