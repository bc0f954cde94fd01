//! A logger that is none: it sends a line of volts and amps again and again to everybody who comes.

use std::time::Duration;
use tokio::io::AsyncWriteExt;
use tokio::net::TcpListener;

/// Starts it; answers its address.
pub async fn logger(between: Duration) -> String {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap().to_string();
    tokio::spawn(async move {
        while let Ok((mut stream, _)) = listener.accept().await {
            tokio::spawn(async move {
                let _ = stream.write_all(b"voltage_v,current_a\n").await;
                while stream.write_all(b"18.4,5.60\n").await.is_ok() {
                    tokio::time::sleep(between).await;
                }
            });
        }
    });
    address
}

/// A meter that misbehaves: it greets, changes its header to words that mean nothing, stops in the middle of a line, sends figures that are
/// none and a line without an end, and hangs up; then from the start.
pub async fn babbler(between: Duration) -> String {
    const LINES: [&[u8]; 8] = [
        b"ready\n",
        b"voltage_v,current_a\n",
        b"18.4,5.60\n18.4",
        b",5.61\nfoo,bar\n",
        b"1,2\n\xff\xfe\n",
        b"voltage_v,current_a\nNaN,inf\n",
        &[b'7'; 40_000],
        b"\n,,,,\n18.4\n",
    ];
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap().to_string();
    tokio::spawn(async move {
        while let Ok((mut stream, _)) = listener.accept().await {
            for line in LINES {
                if stream.write_all(line).await.is_err() {
                    break;
                }
                tokio::time::sleep(between).await;
            }
        }
    });
    address
}
