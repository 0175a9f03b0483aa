//! `veritope step`: what command cards show. The running server takes the step, through the same
//! seal as the button; this only asks.

use std::process::ExitCode;

use serde_json::{Value, json};

use crate::args::StepArgs;
use crate::{CommandError, EXIT_FOUND};

/// Asks the server. Exit 0: taken or under way; 1: refused, with the missing evidence.
pub(crate) fn run(args: &StepArgs) -> Result<ExitCode, CommandError> {
    let server = args.server.trim_end_matches('/');
    let client = reqwest::blocking::Client::builder()
        .no_proxy()
        .build()
        .map_err(|error| CommandError::Input(error.to_string()))?;
    let ask = |request: reqwest::blocking::RequestBuilder| -> Result<(u16, Value), CommandError> {
        let answer = request.send().map_err(|error| {
            let text = if error.is_connect() {
                format!("nobody answers at {server}; start the server or name it with --server")
            } else {
                format!("{server}: {error}")
            };
            CommandError::Input(text)
        })?;
        let status = answer.status().as_u16();
        Ok((status, answer.json().unwrap_or(Value::Null)))
    };
    let (_, bench) = ask(client.get(format!("{server}/api/bench")))?;
    for unit in bench["units"].as_array().into_iter().flatten() {
        let Some(id) = unit["id"].as_str() else {
            continue;
        };
        let (_, page) = ask(client.get(format!("{server}/api/units/{id}/run")))?;
        let run = &page["run"];
        if run["id"].as_str() != Some(args.run.as_str()) {
            continue;
        }
        let number = run["step"]["number"].as_u64();
        if number != Some(u64::from(args.step)) {
            return Err(CommandError::Input(match number {
                Some(number) => format!("the run is at step {number}, not at {}", args.step),
                None => "the run has ended".to_owned(),
            }));
        }
        let body = json!({
            "revision": run["revision"],
            "request": uuid::Uuid::now_v7().to_string(),
        });
        let path = format!("{server}/api/units/{id}/run/{}/step", args.run);
        let (status, answer) = ask(client.post(path).json(&body))?;
        if status == 200 {
            println!("{}", answer["began"].as_str().unwrap_or("taken"));
            return Ok(ExitCode::SUCCESS);
        }
        let detail = answer["detail"].as_str().unwrap_or("refused");
        eprintln!("veritope: {detail}");
        for item in answer["missing"].as_array().into_iter().flatten() {
            let (rule, text) = (item["rule"].as_str(), item["text"].as_str());
            eprintln!("  {} {}", rule.unwrap_or(""), text.unwrap_or(""));
        }
        return Ok(ExitCode::from(EXIT_FOUND));
    }
    Err(CommandError::Input(format!(
        "there is no run {} at {server}",
        args.run
    )))
}
