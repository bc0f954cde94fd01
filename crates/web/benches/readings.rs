//! How long until a reading is on the disk and acknowledged, at one client and at fifty, beside a bare write that is synced to the same
//! disk.
//!
//! `cargo bench -p flindo --bench readings`. docs/speed.md keeps the table.

use flindo::AppState;
use flindo_core::panel::label::{self, LabelTyped};
use flindo_core::record::setup::Setup;
use flindo_meters::Allowed;
use flindo_store::{BenchKind, KindDraft, PanelDraft, Store, TestDraft, new_uid};
use jiff::Timestamp;
use std::io::Write;
use std::path::Path;
use std::time::Instant;

type Failure = Box<dyn std::error::Error + Send + Sync>;

const TIMES: usize = 400;
const CLIENTS: [usize; 3] = [1, 10, 50];

/// What a commit of one reading writes to the log of SQLite: some pages.
const BARE_BYTES: usize = 3 * 4096;

fn main() -> Result<(), Failure> {
    tokio::runtime::Runtime::new()?.block_on(run())
}

fn median_ms(mut took_ms: Vec<f64>) -> f64 {
    took_ms.sort_by(f64::total_cmp);
    took_ms[took_ms.len() / 2]
}

fn since_ms(begun: Instant) -> f64 {
    begun.elapsed().as_secs_f64() * 1000.0
}

/// Median of appending and syncing.
fn bare_ms(folder: &Path) -> Result<f64, Failure> {
    let mut file = std::fs::File::create(folder.join("bare"))?;
    let bytes = vec![7_u8; BARE_BYTES];
    let mut took_ms = Vec::new();
    for _ in 0..TIMES {
        let begun = Instant::now();
        file.write_all(&bytes)?;
        file.sync_data()?;
        took_ms.push(since_ms(begun));
    }
    Ok(median_ms(took_ms))
}

async fn ready(folder: &Path) -> Result<(Store, i64), Failure> {
    let store = Store::open(&folder.join("readings.bench"), BenchKind::Own, "UTC").await?;
    let typed =
        LabelTyped { rated_w: "250".to_owned(), voc_v: "37.8".to_owned(), isc_a: "8.75".to_owned(), ..LabelTyped::default() };
    let nameplate = label::check(&typed).nameplate.ok_or("a label")?;
    let kind = KindDraft { name: "Umber 250".to_owned(), nameplate, doubts_kept: false, price: None };
    let panel = PanelDraft { tag: "U-1".to_owned(), kind_id: store.add_kind(&kind).await?, ..PanelDraft::default() };
    let panel_id = store.add_panel(&panel).await?;
    let test_id = store.add_test(&TestDraft::of_rating(panel_id, None, Setup::default()), Timestamp::now()).await?;
    Ok((store, test_id))
}

/// Median over all clients of one reading after the other by each.
async fn over_http_ms(url: &str, test_id: i64, clients: usize) -> Result<f64, Failure> {
    let http = reqwest::Client::new();
    let each = (TIMES / clients).max(20);
    let client = |_| {
        let (http, url) = (http.clone(), format!("{url}/api/v1/tests/{test_id}/readings"));
        tokio::spawn(async move {
            let mut took_ms = Vec::new();
            for _ in 0..each {
                let body = serde_json::json!({ "uid": new_uid(), "typed": "180 W 900 W/m2 50 C", "taken_utc": Timestamp::now() });
                let begun = Instant::now();
                http.post(&url).json(&body).send().await?.error_for_status()?;
                took_ms.push(since_ms(begun));
            }
            Ok::<_, Failure>(took_ms)
        })
    };
    let mut took_ms = Vec::new();
    for client in (0..clients).map(client).collect::<Vec<_>>() {
        took_ms.extend(client.await??);
    }
    Ok(median_ms(took_ms))
}

async fn run() -> Result<(), Failure> {
    let folder = tempfile::tempdir_in(".")?;
    println!("| clients | a bare write and sync, ms | a reading over HTTP, ms | ratio |\n|---|---|---|---|");
    for clients in CLIENTS {
        let folder = tempfile::tempdir_in(folder.path())?;
        let (store, test_id) = ready(folder.path()).await?;
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await?;
        let url = format!("http://{}", listener.local_addr()?);
        let state = AppState::start(store, Allowed::default()).await?;
        let (stop, stopped) = tokio::sync::oneshot::channel::<()>();
        let server = tokio::spawn(flindo::run(listener, state, async move {
            // Stopped either way.
            let _ = stopped.await;
        }));
        // One before and one after, because disks change their pace.
        let before = bare_ms(folder.path())?;
        let reading = over_http_ms(&url, test_id, clients).await?;
        let bare = (before + bare_ms(folder.path())?) / 2.0;
        println!("| {clients} | {bare:.2} | {reading:.2} | {:.1} |", reading / bare);
        // The server may be gone already.
        let _ = stop.send(());
        server.await??;
    }
    Ok(())
}
