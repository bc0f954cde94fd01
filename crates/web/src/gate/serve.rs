//! Connections: how many, how long each may take to say what it wants, and how they end.

use axum::Router;
use axum::extract::{ConnectInfo, Request};
use hyper::body::Incoming;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::server::graceful::GracefulShutdown;
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::Semaphore;
use tower::ServiceExt;

/// A request whose headers are not there by then is none. The time also ends connections that are kept open and say nothing.
const LONGEST_HEADERS: Duration = Duration::from_secs(10);

/// Connections at one time; the next ones wait.
const MOST_CONNECTIONS: usize = 4096;

/// The buffer of one connection: a head longer than this is refused.
const MOST_HEAD_BYTES: usize = 64 * 1024;

/// Serves until `stop` resolves, then finishes what was accepted.
pub async fn serve(listener: TcpListener, router: Router, stop: impl Future<Output = ()>) {
    let (open, room) = (GracefulShutdown::new(), Arc::new(Semaphore::new(MOST_CONNECTIONS)));
    tokio::pin!(stop);
    loop {
        let accepted = async {
            // Never closed, so that a permit always comes.
            let permit = room.clone().acquire_owned().await.ok();
            (listener.accept().await, permit)
        };
        let (accepted, permit) = tokio::select! {
            accepted = accepted => accepted,
            () = &mut stop => break,
        };
        let (stream, peer) = match accepted {
            Ok(accepted) => accepted,
            Err(error) => {
                // Mostly too many open files: it passes.
                tracing::warn!(%error, "a connection was not accepted");
                tokio::time::sleep(Duration::from_millis(100)).await;
                continue;
            }
        };
        let talk = open.watch(connection(stream, peer, router.clone()));
        tokio::spawn(async move {
            if let Err(error) = talk.await {
                tracing::debug!(%error, %peer, "a connection ended");
            }
            drop(permit);
        });
    }
    open.shutdown().await;
}

fn connection(
    stream: TcpStream,
    peer: SocketAddr,
    router: Router,
) -> impl hyper_util::server::graceful::GracefulConnection<Error = hyper::Error> {
    // Small answers, event streams among them, are not held back to be sent together.
    if let Err(error) = stream.set_nodelay(true) {
        tracing::debug!(%error, %peer, "answers may come late");
    }
    let service = hyper::service::service_fn(move |mut request: Request<Incoming>| {
        request.extensions_mut().insert(ConnectInfo(peer));
        router.clone().oneshot(request)
    });
    hyper::server::conn::http1::Builder::new()
        .timer(TokioTimer::new())
        .header_read_timeout(LONGEST_HEADERS)
        .max_buf_size(MOST_HEAD_BYTES)
        .serve_connection(TokioIo::new(stream), service)
}

#[cfg(test)]
mod tests {
    use super::*;
    use axum::routing::get;
    use tokio::io::{AsyncReadExt, AsyncWriteExt};

    /// Time stands still but for the waiting itself, so that ten seconds pass at once.
    #[tokio::test(start_paused = true)]
    async fn half_a_head_is_given_up_and_a_whole_one_answered() {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let address = listener.local_addr().unwrap();
        let router = Router::new().route("/", get(|| async { "here" }));
        let server = tokio::spawn(serve(listener, router, std::future::pending()));
        let begun = tokio::time::Instant::now();
        for (sent, answered) in [("GET / HTTP/1.1\r\nHost: here\r\n", false), ("", false), ("GET / HTTP/1.0\r\n\r\n", true)] {
            let mut client = TcpStream::connect(address).await.unwrap();
            client.write_all(sent.as_bytes()).await.unwrap();
            let mut answer = String::new();
            client.read_to_string(&mut answer).await.unwrap();
            assert_eq!(answer.ends_with("here"), answered, "{sent:?}: {answer:?}");
        }
        let taken = begun.elapsed();
        assert!(taken >= 2 * LONGEST_HEADERS && taken < 3 * LONGEST_HEADERS, "{taken:?}");
        server.abort();
    }
}
