//! Recordings of the program as a process: resumed after a kill, and never in the way of a stop, whatever disk or meter do.

use crate::logger::logger;
use reqwest::{Client, redirect};
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::TcpListener;

struct Program {
    child: Child,
    base: String,
    client: Client,
}

impl Program {
    fn start(bench: &Path) -> Self {
        let mut command = Command::new("bash");
        // A file over its limit is an error to the program, and not the signal that ends it.
        command.args(["-c", "trap '' XFSZ; exec \"$0\" \"$@\"", env!("CARGO_BIN_EXE_flindo")]);
        command.args(["--listen", "127.0.0.1:0", "--daily-copies", "0", "--data"]).arg(bench).env("RUST_LOG", "off");
        let mut child = command.stdin(Stdio::null()).stdout(Stdio::piped()).spawn().unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
        let base = line.trim().strip_prefix("Flindo is at ").unwrap().trim_end_matches('/').to_owned();
        let client = Client::builder().no_proxy().redirect(redirect::Policy::none()).build().unwrap();
        Program { child, base, client }
    }

    async fn page(&self, path: &str) -> String {
        self.client.get(format!("{}{path}", self.base)).send().await.unwrap().text().await.unwrap()
    }

    async fn post(&self, path: &str, form: &[(&str, &str)]) -> (u16, String) {
        let answer = self.client.post(format!("{}{path}", self.base)).form(form).send().await.unwrap();
        (answer.status().as_u16(), answer.text().await.unwrap())
    }

    async fn add_meter(&self, name: &str, speaks: &str, address: &str) {
        let form = [("gear_kind", "meter"), ("name", name), ("kind", "in_line"), ("speaks", speaks), ("address", address)];
        let (status, page) = self.post("/gear", &form).await;
        assert_eq!(status, 303, "{page}");
    }

    /// Asks a page again until it says something.
    async fn until(&self, path: &str, told: &str) -> String {
        for _ in 0..200 {
            let page = self.page(path).await;
            if page.contains(told) {
                return page;
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        panic!("{path} never said {told}: {}", self.page(path).await);
    }

    async fn samples(&self) -> i64 {
        let page = self.page("/logs/1").await;
        page.split(" samples").next().unwrap().rsplit(' ').next().unwrap().parse().unwrap()
    }

    fn memory_kb(&self) -> u64 {
        let status = std::fs::read_to_string(format!("/proc/{}/status", self.child.id())).unwrap();
        let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:")).unwrap();
        line.trim().trim_end_matches(" kB").parse().unwrap()
    }

    fn limit(&self, bytes: &str) {
        let done = Command::new("prlimit").args(["--pid", &self.child.id().to_string(), &format!("--fsize={bytes}:")]).status();
        assert!(done.unwrap().success());
    }

    /// Sends SIGTERM; answers how long the end took.
    fn end(&mut self) -> Duration {
        let told = Instant::now();
        assert!(Command::new("kill").arg(self.child.id().to_string()).status().unwrap().success());
        self.child.wait().unwrap();
        told.elapsed()
    }
}

impl Drop for Program {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_recording_goes_on_after_a_kill_and_after_a_stop_and_names_the_gap() {
    let folder = tempfile::tempdir().unwrap();
    let bench = folder.path().join("own.bench");
    let address = logger(Duration::from_millis(20)).await;
    let mut first = Program::start(&bench);
    first.add_meter("Yard logger", "lines", &address).await;
    first.until("/meters", "18.40").await;
    assert_eq!(first.post("/meters/1/record", &[]).await.0, 303);
    first.until("/logs/1", "Voltage, V").await;
    first.child.kill().unwrap();
    first.child.wait().unwrap();
    for gaps in 1..=2 {
        let mut again = Program::start(&bench);
        again.until("/meters", "Stop recording").await;
        let before = again.samples().await;
        let page = again.page("/logs/1").await;
        assert_eq!(page.matches("the program was not running").count(), gaps, "{page}");
        while again.samples().await < before + 60 {
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        assert!(again.end() < Duration::from_secs(8));
    }
    // Stopped by a person, it does not begin again.
    let last = Program::start(&bench);
    last.until("/meters", "Stop recording").await;
    assert_eq!(last.post("/meters/1/stop", &[]).await.0, 303);
    drop(last);
    let after = Program::start(&bench);
    after.until("/meters", "18.40").await;
    assert!(!after.page("/meters").await.contains("Stop recording"));
    assert!(after.page("/logs").await.contains("complete"));
}

/// A logger's file goes on growing while the program is down: what was written meanwhile is in the log, each line once. A file whose lines
/// have no time of their own cannot be placed, and is followed from its end as before.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn lines_that_a_file_got_meanwhile_are_caught_up() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::create_dir(folder.path().join("meters")).unwrap();
    let path = folder.path().join("meters/yard.csv");
    let begin_ms = jiff::Timestamp::now().as_millisecond() - 600_000;
    let write = |seconds: std::ops::Range<i64>| {
        let mut file = std::fs::OpenOptions::new().append(true).create(true).open(&path).unwrap();
        for second in seconds {
            let at = jiff::Timestamp::from_millisecond(begin_ms + 1000 * second).unwrap();
            std::io::Write::write_all(&mut file, format!("{at},18.{:02}\n", second % 60).as_bytes()).unwrap();
        }
    };
    std::fs::write(&path, "time_utc,voltage_v\n").unwrap();
    let mut first = Program::start(&folder.path().join("own.bench"));
    first.add_meter("Yard file", "file", path.to_str().unwrap()).await;
    first.until("/meters", "Yard file").await;
    assert_eq!(first.post("/meters/1/record", &[]).await.0, 303);
    tokio::time::sleep(Duration::from_millis(600)).await;
    write(0..40);
    first.until("/logs/1", "40 samples").await;
    first.child.kill().unwrap();
    first.child.wait().unwrap();
    write(40..300);
    let again = Program::start(&folder.path().join("own.bench"));
    again.until("/logs/1", "300 samples").await;
    write(300..310);
    again.until("/logs/1", "310 samples").await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_disk_that_takes_nothing_holds_up_neither_a_stop_nor_the_end_and_what_is_lost_is_said() {
    let folder = tempfile::tempdir().unwrap();
    let address = logger(Duration::from_millis(20)).await;
    let mut program = Program::start(&folder.path().join("own.bench"));
    program.add_meter("Yard logger", "lines", &address).await;
    program.until("/meters", "18.40").await;
    assert_eq!(program.post("/meters/1/record", &[]).await.0, 303);
    program.until("/logs/1", "Voltage, V").await;
    program.limit("4096");
    tokio::time::sleep(Duration::from_millis(1500)).await;
    let told = Instant::now();
    let (status, page) = program.post("/meters/1/stop", &[]).await;
    assert!(told.elapsed() < Duration::from_secs(15), "{:?}", told.elapsed());
    assert!(status >= 400 && page.contains("nothing was saved") || page.contains("are lost"), "{status}: {page}");
    // It heals, and what is recorded then is whole.
    program.limit("unlimited");
    assert_eq!(program.post("/meters/1/record", &[]).await.0, 303);
    program.until("/logs/2", "Voltage, V").await;
    program.limit("4096");
    tokio::time::sleep(Duration::from_millis(1500)).await;
    assert!(program.end() < Duration::from_secs(8));
}

/// A pipe that nobody writes into would keep whoever opens it for ever.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_pipe_in_the_place_of_a_file_is_refused_and_does_not_hold_up_the_end() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::create_dir(folder.path().join("meters")).unwrap();
    let pipe = folder.path().join("meters").join("pipe");
    assert!(Command::new("mkfifo").arg(&pipe).status().unwrap().success());
    let mut program = Program::start(&folder.path().join("own.bench"));
    program.add_meter("Pipe", "file", pipe.to_str().unwrap()).await;
    program.add_meter("Device", "file", "/dev/zero").await;
    program.until("/meters", "is no plain file").await;
    program.until("/meters", "--allow-meters").await;
    assert!(program.end() < Duration::from_secs(8));
}

/// A day at five a second as fast as it goes: no sample is lost, memory stays flat, and the page answers meanwhile.
/// The program is a process of its own, so that what other tests take is not counted.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_day_at_five_a_second_is_recorded_whole() {
    const LINES: i64 = 5 * 86_400;
    let folder = tempfile::tempdir().unwrap();
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap().to_string();
    let program = Program::start(&folder.path().join("own.bench"));
    let form = [
        ("gear_kind", "meter"),
        ("name", "Fast logger"),
        ("kind", "in_line"),
        ("speaks", "lines"),
        ("address", &address),
        ("map", "time_utc; power_w"),
    ];
    assert_eq!(program.post("/gear", &form).await.0, 303);
    let (mut stream, _) = listener.accept().await.unwrap();
    assert_eq!(program.post("/meters/1/record", &[]).await.0, 303);
    let (mut first_kb, start_ms) = (0, 1_782_000_000_000_i64);
    for block in 0..LINES / 1000 {
        let mut text = String::new();
        for nth in 0..1000 {
            let at_ms = start_ms + (block * 1000 + nth) * 200;
            text.push_str(&format!("{:.3},{}\n", at_ms as f64 / 1000.0, (block * 7 + nth) % 200));
        }
        stream.write_all(text.as_bytes()).await.unwrap();
        if block % 100 == 50 {
            assert!(program.page("/logs/1").await.contains("Power, W"));
        }
        if block == 60 {
            first_kb = program.memory_kb();
        }
    }
    let whole = async {
        while program.samples().await < LINES {
            tokio::time::sleep(Duration::from_millis(200)).await;
        }
    };
    tokio::time::timeout(Duration::from_secs(120), whole).await.expect("every sample arrives");
    let grown_kb = program.memory_kb().saturating_sub(first_kb);
    assert!(grown_kb < 40_000, "memory grew by {grown_kb} kB");
    assert_eq!(program.post("/meters/1/stop", &[]).await.0, 303);
    assert_eq!(program.samples().await, LINES);
}

/// Files that a full disk cannot keep: the browser, which is still sending, gets the sentence and no broken connection.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_file_that_does_not_fit_on_the_disk_is_answered() {
    let folder = tempfile::tempdir().unwrap();
    let program = Program::start(&folder.path().join("own.bench"));
    program.limit("200000");
    let rows = "time_utc,power_w\n".to_owned() + &"2026-06-21T11:20:00Z,151.2\n".repeat(1_000_000);
    for (path, told) in [
        ("/logs/import", "could not be kept beside the bench"),
        ("/api/v1/logs", "could not be kept"),
        ("/bench/package", "could not be kept"),
        // Larger than this door takes, and no such door.
        ("/api/v1/compute/entry", ""),
        ("/nowhere", ""),
    ] {
        // As a browser does: all of it is sent before anything is read.
        let body =
            format!("--b\r\ncontent-disposition: form-data; name=\"file\"; filename=\"roof.csv\"\r\n\r\n{rows}\r\n--b--\r\n");
        let host = program.base.trim_start_matches("http://");
        let mut stream = tokio::net::TcpStream::connect(host).await.unwrap();
        let head = format!(
            "POST {path} HTTP/1.1\r\nhost: {host}\r\nconnection: close\r\ncontent-type: multipart/form-data; boundary=b\r\n\
             content-length: {}\r\n\r\n",
            body.len()
        );
        stream.write_all(head.as_bytes()).await.unwrap();
        stream.write_all(body.as_bytes()).await.unwrap_or_else(|error| panic!("{path} broke off: {error}"));
        let mut answer = String::new();
        stream.read_to_string(&mut answer).await.unwrap();
        assert!(answer.starts_with("HTTP/1.1 4") || answer.starts_with("HTTP/1.1 5"), "{path}: {answer}");
        assert!(answer.contains(told), "{path}: {answer}");
    }
    program.limit("unlimited");
    let part = reqwest::multipart::Part::text("time_utc,power_w\n2026-06-21T11:20:00Z,151.2\n2026-06-21T11:21:00Z,151.2\n")
        .file_name("roof.csv");
    let answer = program
        .client
        .post(format!("{}/api/v1/logs", program.base))
        .multipart(reqwest::multipart::Form::new().part("file", part));
    assert_eq!(answer.send().await.unwrap().status(), 201);
}
