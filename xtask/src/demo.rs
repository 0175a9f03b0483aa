//! `cargo xtask demo`

use crate::tell::program;
use crate::{Outcome, Trouble, root, setup};

/// Sets everything up and becomes the demo; what follows the command is handed on.
pub(crate) fn run(rest: &[String]) -> Outcome {
    setup::front_end()?;
    setup::binary()?;
    let mut demo = program(root().join("target/debug/veritope"));
    demo.arg("demo").arg("--front").arg(root().join("web/dist"));
    demo.args(rest);
    #[cfg(unix)]
    {
        // One process fewer to stop, and Ctrl-C goes where it belongs.
        use std::os::unix::process::CommandExt;
        let error = demo.exec();
        Err(Trouble(format!("the demo can't be started: {error}")))
    }
    #[cfg(not(unix))]
    match demo.status() {
        Ok(status) if status.success() => Ok(()),
        Ok(status) => Err(Trouble(format!("the demo ended ({status})"))),
        Err(error) => Err(Trouble(format!("the demo can't be started: {error}"))),
    }
}
