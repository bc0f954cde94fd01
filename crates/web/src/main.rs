//! The `flindo` program; everything it does is in the library, so that tests start the real thing.

use std::process::ExitCode;

#[tokio::main]
async fn main() -> ExitCode {
    match flindo::cli::start().await {
        Ok(()) => ExitCode::SUCCESS,
        Err(sentence) => {
            eprintln!("{sentence}");
            ExitCode::FAILURE
        }
    }
}
