//! The examples of docs/SCRIPTS.md run as they stand there, one after the other on an empty bench.

use crate::server::Server;
use std::process::Command;

const PAGE: &str = include_str!("../../../../docs/SCRIPTS.md");

/// The fenced blocks of one language.
fn blocks(language: &str) -> Vec<&'static str> {
    let fence = format!("```{language}\n");
    PAGE.split(&fence[..]).skip(1).map(|part| part.split("```").next().unwrap()).collect()
}

async fn run(program: &str, arguments: &[&str], script: &str, base: &str) -> String {
    let script = script.replace("http://127.0.0.1:8765", base);
    let mut command = Command::new(program);
    command.args(arguments).arg(&script).env("NO_PROXY", "127.0.0.1");
    // The server answers on this runtime meanwhile.
    let done = tokio::task::spawn_blocking(move || command.output()).await.unwrap().unwrap();
    let (told, failed) = (String::from_utf8_lossy(&done.stdout).into_owned(), String::from_utf8_lossy(&done.stderr));
    assert!(done.status.success(), "{program}: {told} {failed}");
    told
}

#[tokio::test]
async fn the_examples_run_as_they_stand_on_the_page() {
    let server = Server::own().await;
    let told = run("bash", &["-euo", "pipefail", "-c"], &blocks("sh").concat(), &server.base).await;
    // 17.8 V x 6.95 A of 27.1 V x 7.02 A.
    assert!(told.contains("\"percent\":65.") && told.contains("\"verdict\":\"less\""), "{told}");
    let told = run("python3", &["-c"], &blocks("python").concat(), &server.base).await;
    let lines: Vec<&str> = told.lines().collect();
    assert_eq!(lines.len(), 4, "{told}");
    assert!(lines[0].starts_with("U-1: ") && lines[2].starts_with("U-3: ") && lines[3].starts_with("U-1 Umber 250 "), "{told}");
}
