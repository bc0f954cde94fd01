//! The `flindo` program; everything it does is in the library, so that tests start the real thing.

use std::process::ExitCode;
use std::time::Duration;

/// What hangs in the system (a disk, a name server) is left behind after this long.
const LONGEST_END: Duration = Duration::from_millis(500);

fn main() -> ExitCode {
    flindo::memory::set_up();
    let runtime = match tokio::runtime::Runtime::new() {
        Ok(runtime) => runtime,
        Err(error) => {
            eprintln!("The system gives no threads: {error}");
            return ExitCode::FAILURE;
        }
    };
    let ended = runtime.block_on(flindo::cli::start());
    runtime.shutdown_timeout(LONGEST_END);
    match ended {
        Ok(()) => ExitCode::SUCCESS,
        Err(sentence) => {
            eprintln!("{sentence}");
            ExitCode::FAILURE
        }
    }
}
