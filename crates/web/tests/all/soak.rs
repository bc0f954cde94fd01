//! Everything at once, with the program killed again and again: readings of three phones, pages, streams, files, exports that are read
//! slowly or left, copies, packages, a recording, and a meter that misbehaves. `./check` runs two minutes of it;
//! `FLINDO_SOAK_S=1800 cargo test --release -p flindo --test all -- --ignored --nocapture soak` half an hour.

use crate::logger::{babbler, logger};
use flindo_store::{BenchKind, Store};
use reqwest::{Client, StatusCode, redirect};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

/// The program is killed this often.
const A_LIFE: Duration = Duration::from_secs(13);

/// Left at the end for the program to come to rest.
const A_REST: Duration = Duration::from_secs(55);

/// The memory of the program a minute after everybody left, MB: the wanted 120, and some for what an allocator keeps on another machine.
const MOST_RESTING_MB: u64 = 150;

struct Soak {
    base: String,
    bench: PathBuf,
    client: Client,
    /// Readings that the program said it has, with the test they are of.
    acknowledged: Mutex<HashMap<String, i64>>,
    pages: AtomicUsize,
    files: AtomicUsize,
    events: AtomicUsize,
    exports: AtomicUsize,
    copies: AtomicUsize,
    packages: AtomicUsize,
    faults: Mutex<Vec<String>>,
    ends: Instant,
}

impl Soak {
    fn goes_on(&self) -> bool {
        Instant::now() < self.ends
    }

    /// An answer of any kind; `None` while the program is away.
    async fn ask(&self, request: reqwest::RequestBuilder) -> Option<(StatusCode, String)> {
        let answer = request.timeout(Duration::from_secs(30)).send().await.ok()?;
        let status = answer.status();
        let text = answer.text().await.ok()?;
        // Another file, or another writer, may be in the way for a moment: it says so, and is asked again.
        if status.is_server_error() && status != StatusCode::SERVICE_UNAVAILABLE {
            self.fault(format!("{status}: {text}"));
        }
        Some((status, text))
    }

    async fn send_readings(self: Arc<Self>, sender: usize) {
        let mut nth = 0;
        while self.goes_on() {
            let test = 1 + (nth % 3) as i64;
            let uid = format!("soak-{sender}-{nth:07}");
            let form = [("uid", uid.as_str()), ("typed", "18.4 V 8.5 A 880 W/m2 49 C"), ("taken_utc", "2026-09-12T12:50:00Z")];
            let request = self.client.post(format!("{}/api/v1/tests/{test}/readings", self.base)).form(&form);
            match self.ask(request).await {
                Some((StatusCode::CREATED | StatusCode::OK, _)) => {
                    self.acknowledged.lock().unwrap().insert(uid, test);
                    nth += 1;
                    // What is kept grows with what was sent: the memory at rest is to be that of the same load on a quick machine and a
                    // slow one.
                    tokio::time::sleep(Duration::from_millis(30)).await;
                }
                // Sent again, as a phone does.
                Some(_) | None => tokio::time::sleep(Duration::from_millis(100)).await,
            }
        }
    }

    async fn open_pages(self: Arc<Self>) {
        const PAGES: [&str; 10] = [
            "/",
            "/tests/1",
            "/tests/1/result",
            "/tests/2/report",
            "/panels",
            "/panels/1",
            "/meters",
            "/gear",
            "/bench",
            "/today",
        ];
        for page in PAGES.iter().cycle() {
            if !self.goes_on() {
                return;
            }
            match self.ask(self.client.get(format!("{}{page}", self.base))).await {
                Some((StatusCode::OK, _)) => _ = self.pages.fetch_add(1, Ordering::Relaxed),
                Some((status, text)) => self.fault(format!("{page} {status}: {text}")),
                None => tokio::time::sleep(Duration::from_millis(200)).await,
            }
        }
    }

    async fn watch_events(self: Arc<Self>) {
        while self.goes_on() {
            if let Ok(mut answer) = self.client.get(format!("{}/tests/1/events", self.base)).send().await {
                while self.goes_on() && matches!(answer.chunk().await, Ok(Some(_))) {
                    self.events.fetch_add(1, Ordering::Relaxed);
                }
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    }

    async fn bring_files(self: Arc<Self>) {
        let mut nth = 0;
        while self.goes_on() {
            let rows = (0..400).map(|row| {
                format!("2026-09-{:02}T{:02}:{:02}:00Z,18.{:02},8.5\n", 1 + nth % 28, 8 + row / 60, row % 60, row % 100)
            });
            let table: String = std::iter::once("taken_utc,voltage_v,current_a\n".to_owned()).chain(rows).collect();
            let part = reqwest::multipart::Part::text(table).file_name("a.csv");
            let form = reqwest::multipart::Form::new().part("file", part);
            match self.ask(self.client.post(format!("{}/tests/3/import", self.base)).multipart(form)).await {
                Some((StatusCode::OK | StatusCode::SEE_OTHER, _)) => {
                    self.files.fetch_add(1, Ordering::Relaxed);
                    nth += 1;
                }
                Some((status, text)) => self.fault(format!("a file: {status}: {text}")),
                None => {}
            }
            tokio::time::sleep(Duration::from_millis(400)).await;
        }
    }

    fn fault(&self, what: String) {
        self.faults.lock().unwrap().push(what);
    }

    fn readings_of(&self, test: i64) -> usize {
        self.acknowledged.lock().unwrap().values().filter(|of| **of == test).count()
    }

    /// A client that takes its time over a table, and goes away in the middle of every third. One that ends whole has a row for every
    /// reading that was acknowledged before it was asked for.
    async fn export_slowly(self: Arc<Self>) {
        let mut nth = 0;
        while self.goes_on() {
            nth += 1;
            let before = self.readings_of(1);
            let Ok(mut answer) = self.client.get(format!("{}/tests/1/readings.csv", self.base)).send().await else {
                tokio::time::sleep(Duration::from_millis(200)).await;
                continue;
            };
            let (mut rows, mut chunks, mut whole) = (0, 0, false);
            while self.goes_on() && !(nth % 3 == 0 && chunks == 2) {
                match answer.chunk().await {
                    Ok(Some(chunk)) => rows += chunk.iter().filter(|byte| **byte == b'\n').count(),
                    Ok(None) => {
                        whole = true;
                        break;
                    }
                    Err(_) => break,
                }
                chunks += 1;
                tokio::time::sleep(Duration::from_millis(50)).await;
            }
            if whole && rows <= before {
                self.fault(format!("an export of {rows} lines where {before} readings were there"));
            }
            self.exports.fetch_add(usize::from(whole), Ordering::Relaxed);
        }
    }

    /// Copies made by the command beside the running program, which looks each through.
    async fn copy_beside(self: Arc<Self>, folder: PathBuf) {
        let mut nth = 0;
        while self.goes_on() {
            nth += 1;
            let copy = folder.join(format!("copy-{nth}.bench"));
            let mut command = Command::new(env!("CARGO_BIN_EXE_flindo"));
            command.arg("backup").arg(&copy).arg("--data").arg(&self.bench).stdin(Stdio::null());
            let answer = tokio::task::spawn_blocking(move || command.output()).await.unwrap().unwrap();
            if answer.status.success() {
                self.copies.fetch_add(1, Ordering::Relaxed);
            } else {
                self.fault(format!("a copy: {}", String::from_utf8_lossy(&answer.stderr)));
            }
            // There is none where the copy failed.
            let _ = std::fs::remove_file(copy);
            tokio::time::sleep(Duration::from_secs(5)).await;
        }
    }

    /// A package of the bench as it was at the start, taken into it again: nothing in it is new, and each time all of it is compared.
    async fn take_packages(self: Arc<Self>, package: Vec<u8>) {
        while self.goes_on() {
            let request = self.client.post(format!("{}/api/v1/bench.zip?prefer=here", self.base)).body(package.clone());
            match self.ask(request).await {
                Some((StatusCode::OK, _)) => _ = self.packages.fetch_add(1, Ordering::Relaxed),
                // Asked again: another writer may be in the way for a moment, or much is worked on.
                Some((StatusCode::SERVICE_UNAVAILABLE | StatusCode::TOO_MANY_REQUESTS, _)) | None => {}
                Some((status, text)) => self.fault(format!("a package: {status}: {text}")),
            }
            tokio::time::sleep(Duration::from_secs(3)).await;
        }
    }

    /// Adds a meter at this address and has it recorded.
    async fn record(&self, name: &str, address: &str) {
        let meter = [("gear_kind", "meter"), ("name", name), ("kind", "in_line"), ("speaks", "lines"), ("address", address)];
        assert_eq!(
            self.ask(self.client.post(format!("{}/gear", self.base)).form(&meter)).await.unwrap().0,
            StatusCode::SEE_OTHER
        );
        let gear = self.ask(self.client.get(format!("{}/api/v1/gear", self.base))).await.unwrap().1;
        let gear: serde_json::Value = serde_json::from_str(&gear).unwrap();
        let id = gear["items"].as_array().unwrap().iter().find(|one| one["name"] == name).unwrap()["id"].clone();
        self.ask(self.client.post(format!("{}/meters/{id}/record", self.base))).await.unwrap();
    }

    /// Starts the program until it is there.
    async fn start(&self) -> Child {
        loop {
            let address = self.base.strip_prefix("http://").unwrap();
            let mut command = Command::new(env!("CARGO_BIN_EXE_flindo"));
            command.args(["demo", "--listen", address, "--data"]).arg(&self.bench).env("RUST_LOG", "off");
            let mut child = command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::inherit()).spawn().unwrap();
            for _ in 0..200 {
                if self.client.get(format!("{}/healthz", self.base)).send().await.is_ok() {
                    return child;
                }
                if child.try_wait().unwrap().is_some() {
                    break;
                }
                tokio::time::sleep(Duration::from_millis(50)).await;
            }
        }
    }
}

fn resting_mb(child: &Child) -> u64 {
    let status = std::fs::read_to_string(format!("/proc/{}/status", child.id())).unwrap();
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:")).unwrap();
    line.trim().trim_end_matches(" kB").parse::<u64>().unwrap() / 1024
}

/// Every acknowledged reading is there once, and the file is whole.
async fn examine(bench: &Path, acknowledged: &HashMap<String, i64>) -> usize {
    let store = Store::open(bench, BenchKind::Demo, "UTC").await.unwrap();
    let mut kept: HashMap<String, usize> = HashMap::new();
    for test in 1..=3 {
        for reading in store.readings(test).await.unwrap() {
            *kept.entry(reading.what.uid).or_default() += 1;
        }
    }
    let lost: Vec<&String> = acknowledged.keys().filter(|uid| kept.get(*uid) != Some(&1)).collect();
    assert!(lost.is_empty(), "lost or doubled: {lost:?}");
    kept.len()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
#[ignore = "takes two minutes; ./check runs it"]
async fn everything_at_once_with_the_program_killed_again_and_again() {
    let seconds = std::env::var("FLINDO_SOAK_S").ok().and_then(|text| text.parse().ok()).unwrap_or(120);
    let folder = tempfile::tempdir().unwrap();
    let free = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
    let soak = Arc::new(Soak {
        base: format!("http://{free}"),
        bench: folder.path().join("soak.bench"),
        client: Client::builder().no_proxy().redirect(redirect::Policy::none()).build().unwrap(),
        acknowledged: Mutex::default(),
        pages: AtomicUsize::new(0),
        files: AtomicUsize::new(0),
        events: AtomicUsize::new(0),
        exports: AtomicUsize::new(0),
        copies: AtomicUsize::new(0),
        packages: AtomicUsize::new(0),
        faults: Mutex::default(),
        ends: Instant::now() + Duration::from_secs(seconds).saturating_sub(A_REST),
    });
    let mut child = soak.start().await;
    soak.record("Soak logger", &logger(Duration::from_millis(50)).await).await;
    soak.record("Soak babbler", &babbler(Duration::from_millis(200)).await).await;
    let package = soak.client.get(format!("{}/api/v1/bench.zip", soak.base)).send().await.unwrap().bytes().await.unwrap();
    let mut working = tokio::task::JoinSet::new();
    for sender in 0..3 {
        working.spawn(Arc::clone(&soak).send_readings(sender));
    }
    working.spawn(Arc::clone(&soak).open_pages());
    working.spawn(Arc::clone(&soak).watch_events());
    working.spawn(Arc::clone(&soak).bring_files());
    working.spawn(Arc::clone(&soak).export_slowly());
    working.spawn(Arc::clone(&soak).copy_beside(folder.path().to_owned()));
    working.spawn(Arc::clone(&soak).take_packages(package.to_vec()));
    let mut kills = 0;
    while soak.goes_on() {
        tokio::time::sleep(A_LIFE.min(soak.ends.saturating_duration_since(Instant::now()))).await;
        if soak.goes_on() {
            child.kill().unwrap();
            child.wait().unwrap();
            kills += 1;
            child = soak.start().await;
        }
    }
    working.join_all().await;
    tokio::time::sleep(A_REST).await;
    let resting_mb = resting_mb(&child);
    child.kill().unwrap();
    child.wait().unwrap();
    let acknowledged = soak.acknowledged.lock().unwrap().clone();
    let kept = examine(&soak.bench, &acknowledged).await;
    let count = |of: &AtomicUsize| of.load(Ordering::Relaxed);
    println!(
        "{seconds} s, {kills} kills: {} readings acknowledged, {kept} kept in all; {} pages, {} events, {} files, {} exports, \
         {} copies, {} packages; {resting_mb} MB at rest",
        acknowledged.len(),
        count(&soak.pages),
        count(&soak.events),
        count(&soak.files),
        count(&soak.exports),
        count(&soak.copies),
        count(&soak.packages)
    );
    let faults = soak.faults.lock().unwrap();
    assert!(faults.is_empty(), "{} faults, such as {:?}", faults.len(), &faults[..faults.len().min(3)]);
    // Each took part, also where the machine is slow.
    assert!(acknowledged.len() > 100 && count(&soak.pages) > 10 && count(&soak.files) > 3 && kills > 3);
    assert!(count(&soak.exports) > 3 && count(&soak.copies) > 1 && count(&soak.packages) > 1);
    assert!(resting_mb < MOST_RESTING_MB, "{resting_mb} MB");
}
