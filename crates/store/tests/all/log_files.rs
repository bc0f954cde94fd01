//! Files of other loggers on real SQLite: read in their units and devices, kept on through a stop, and never twice.

use crate::bench::TempBench;
use flindo_core::measure::logger::guess::guess;
use flindo_core::measure::logger::{Encoding, Format};
use flindo_core::measure::quantity::Quantity;
use flindo_store::{LogFile, LogProgress, Store};
use jiff::Timestamp;
use std::sync::atomic::Ordering;

async fn arrived(store: &Store, name: &str, bytes: &[u8]) -> LogFile {
    arrived_in(store, name, bytes, None).await
}

async fn arrived_in(store: &Store, name: &str, bytes: &[u8], encoding: Option<Encoding>) -> LogFile {
    let mut arriving = store.log_file_arrives(encoding).unwrap();
    // In pieces, as a network brings them.
    bytes.chunks(7919).for_each(|piece| arriving.take(piece).unwrap());
    store.log_file_arrived(arriving, name, Timestamp::UNIX_EPOCH).await.unwrap()
}

async fn confirmed(store: &Store, file: &LogFile) -> Format {
    let (head, _) = store.log_text_ends(file).unwrap();
    let format = guess(&head, "Europe/Lisbon").unwrap().format;
    store.confirm_format(file.id, &format).await.unwrap();
    format
}

const EVERYTHING: (i64, i64) = (i64::MIN, i64::MAX);

#[tokio::test]
async fn a_file_of_two_devices_in_an_old_encoding_becomes_two_logs() {
    let bench = TempBench::new().await;
    let text = "Logger 7\nZeit;Dach power (kW);Stall power (W);Module temp (°C)\n\
                12.09.2026 14:34:05;0,125;130;45,5\n12.09.2026 14:34:10;0,126;;45,6\n12.09.2026 14:34:15;x;131;45,7\n";
    let (bytes, _, _) = encoding_rs::WINDOWS_1252.encode(text);
    let file = arrived(&bench.store, "dach.csv", &bytes).await;
    confirmed(&bench.store, &file).await;
    let file = bench.store.bring_in_log(file.id, &LogProgress::default()).await.unwrap();
    assert!(file.ended_utc.is_some() && file.rows_done == 2 && file.rows_aside == 1 && file.bytes_done == file.bytes);
    let faults = bench.store.log_faults(file.id, 10).await.unwrap();
    assert_eq!((faults[0].line, faults[0].fault.column, faults[0].fault.cell.as_str()), (5, 2, "x"));
    let logs = bench.store.logs_of_file(file.id).await.unwrap();
    let names: Vec<&str> = logs.iter().map(|log| log.name.as_str()).collect();
    assert_eq!(names, ["dach.csv: Dach", "dach.csv: Stall", "dach.csv"]);
    let watts = bench.store.log_samples(logs[0].id, Quantity::Power, EVERYTHING).await.unwrap();
    assert_eq!(watts, [(1_789_220_045_000, 125.0), (1_789_220_050_000, 126.0)]);
    assert_eq!(bench.store.log_samples(logs[1].id, Quantity::Power, EVERYTHING).await.unwrap(), [(1_789_220_045_000, 130.0)]);
    let minutes = bench.store.log_minutes(logs[0].id, Quantity::Power).await.unwrap();
    assert_eq!(
        (minutes.len(), minutes[0].low, minutes[0].high, minutes[0].total, minutes[0].samples),
        (1, 125.0, 126.0, 251.0, 2)
    );
    assert_eq!(bench.store.log_quantities(logs[2].id).await.unwrap(), [Quantity::Back]);
}

/// 90,000 rows: a stop after each part, until all of it is in; every sample once, in a file whose clock goes back an hour.
#[tokio::test]
async fn a_stop_loses_and_doubles_nothing() {
    let bench = TempBench::new().await;
    let mut text = String::from("time,voltage_v,current_a\n");
    let begin: Timestamp = "2026-10-24T20:00:00Z".parse().unwrap();
    for second in 0..90_000_i64 {
        let at = begin.checked_add(jiff::SignedDuration::from_secs(second)).unwrap();
        let local = at.to_zoned_datetime(jiff::tz::TimeZone::get("Europe/Lisbon").unwrap());
        let volts = if second % 30_000 == 7 { "broken".to_owned() } else { format!("{}", 18.0 + (second % 100) as f64 / 100.0) };
        text.push_str(&format!("{},{volts},5.5\n", local.strftime("%Y-%m-%d %H:%M:%S")));
    }
    let file = arrived(&bench.store, "day.csv", text.as_bytes()).await;
    confirmed(&bench.store, &file).await;
    let stopping = LogProgress::default();
    stopping.is_stopped.store(true, Ordering::Relaxed);
    let mut parts = 0;
    let file = loop {
        let file = bench.store.bring_in_log(file.id, &stopping).await.unwrap();
        parts += 1;
        if file.ended_utc.is_some() {
            break file;
        }
        assert_eq!(bench.store.open_log_files().await.unwrap().len(), 1);
    };
    assert!(parts >= 4 && file.rows_done == 89_997 && file.rows_aside == 3, "{parts} {file:?}");
    let log = &bench.store.logs_of_file(file.id).await.unwrap()[0];
    let samples = bench.store.samples_as_they_came(log.id, Quantity::Voltage, EVERYTHING).await.unwrap();
    assert_eq!(samples.len(), 89_997);
    assert!(samples.windows(2).all(|pair| pair[1].0 > pair[0].0), "the hour that came twice is two hours");
    assert_eq!((samples[0].0, log.started_utc), (begin.as_millisecond(), begin));
    let lines: Vec<u64> = bench.store.log_faults(file.id, 10).await.unwrap().iter().map(|fault| fault.line).collect();
    assert_eq!(lines, [9, 30_009, 60_009]);
    // By pages, as the table goes out.
    let (mut after_ms, mut count) = (i64::MIN, 0);
    loop {
        let page = bench.store.log_page(log.id, Quantity::Current, after_ms, 5000).await.unwrap();
        count += page.samples.len();
        let Some(until_ms) = page.until_ms else { break };
        after_ms = until_ms;
    }
    assert_eq!(count, 89_997);
}

#[tokio::test]
async fn the_same_file_twice_adds_nothing_and_its_look_is_remembered() {
    let bench = TempBench::new().await;
    let text = "Datum;Zeit;P\n05.06.2026;12:00;100\n05.06.2026;12:01;101\n";
    let file = arrived(&bench.store, "a.csv", text.as_bytes()).await;
    let mut format = confirmed(&bench.store, &file).await;
    format.zone = "+02:00".to_owned();
    bench.store.confirm_format(file.id, &format).await.unwrap();
    let done = bench.store.bring_in_log(file.id, &LogProgress::default()).await.unwrap();
    let again = arrived(&bench.store, "renamed.csv", text.as_bytes()).await;
    assert_eq!((again.id, again.rows_done), (done.id, 2));
    assert_eq!(bench.store.bring_in_log(again.id, &LogProgress::default()).await.unwrap(), done);
    assert_eq!(bench.store.logs(0, 10).await.unwrap().len(), 1);
    let next = arrived(&bench.store, "b.csv", text.replace("05.06", "06.06").as_bytes()).await;
    let (head, _) = bench.store.log_text_ends(&next).unwrap();
    let look = guess(&head, "UTC").unwrap().format.look();
    assert_eq!(bench.store.remembered_format(&look).await.unwrap().unwrap().zone, "+02:00");
    bench.store.remove_log_file(done.id).await.unwrap();
    assert!(bench.store.logs(0, 10).await.unwrap().is_empty() && bench.store.log_file(done.id).await.is_err());
}

/// A file that is read the wrong way has no row that can be read: it says which cell, keeps nothing, and is read again as somebody
/// corrects it.
#[tokio::test]
async fn a_file_read_the_wrong_way_can_be_read_again() {
    let bench = TempBench::new().await;
    let file = arrived(&bench.store, "a.csv", b"Date;Time;P\n25.06.2026;12:00;100\n25.06.2026;12:01;101\n").await;
    let mut format = confirmed(&bench.store, &file).await;
    format.time = flindo_core::measure::logger::time::TimePattern::MonthFirst;
    bench.store.confirm_format(file.id, &format).await.unwrap();
    let wrong = bench.store.bring_in_log(file.id, &LogProgress::default()).await.unwrap_err().to_string();
    assert!(wrong.contains("line 2, column 1") && wrong.contains("25.06.2026"), "{wrong}");
    let again = bench.store.log_file(file.id).await.unwrap();
    assert!(again.ended_utc.is_none() && (again.rows_done, again.rows_aside, again.bytes_done) == (0, 0, 0));
    assert!(bench.store.logs(0, 10).await.unwrap().is_empty());
    confirmed(&bench.store, &file).await;
    assert_eq!(bench.store.bring_in_log(file.id, &LogProgress::default()).await.unwrap().rows_done, 2);
}

/// The encoding is recognised, and somebody may know better: the same file is then read anew, as long as none of its rows is in.
#[tokio::test]
async fn a_file_is_read_in_the_encoding_that_somebody_says() {
    let bench = TempBench::new().await;
    let bytes = "Date;Time;T (\u{b0}C)\n25.06.2026;12:00;20\n25.06.2026;12:01;21\n".as_bytes();
    let file = arrived(&bench.store, "a.csv", bytes).await;
    assert_eq!(file.encoding, Encoding::Utf8);
    let other = arrived_in(&bench.store, "a.csv", bytes, Some(Encoding::Windows1252)).await;
    assert_eq!((other.id, other.encoding, other.bytes), (file.id, Encoding::Windows1252, file.bytes + 2));
    assert!(bench.store.log_text_ends(&other).unwrap().0.contains("\u{c2}\u{b0}C"));
    let again = arrived(&bench.store, "a.csv", bytes).await;
    assert_eq!((again.encoding, bench.store.log_text_ends(&again).unwrap().0.as_bytes()), (Encoding::Utf8, bytes));
}
