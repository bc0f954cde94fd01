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
