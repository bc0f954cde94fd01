//! The rest of a request that was answered before all of it had arrived.

use axum::body::{Body, Bytes, HttpBody};
use axum::extract::Request;
use axum::middleware::Next;
use axum::response::Response;
use futures_util::StreamExt;
use hyper::body::{Frame, SizeHint};
use std::pin::Pin;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::task::{Context, Poll};
use std::time::Duration;

/// How long what is not wanted any more may take to arrive.
const LONGEST_REST: Duration = Duration::from_secs(60);

/// A body that is there also after whoever reads it gave it up.
struct Lent(Arc<Mutex<Body>>);

impl Lent {
    fn body(&self) -> MutexGuard<'_, Body> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl HttpBody for Lent {
    type Data = Bytes;
    type Error = axum::Error;

    fn poll_frame(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<Option<Result<Frame<Bytes>, axum::Error>>> {
        Pin::new(&mut *self.body()).poll_frame(context)
    }

    fn is_end_stream(&self) -> bool {
        self.body().is_end_stream()
    }

    fn size_hint(&self) -> SizeHint {
        self.body().size_hint()
    }
}

/// Takes what still arrives of a request and keeps nothing of it, before the answer is sent: a browser that is still sending would else
/// see a broken connection in place of the sentence that says why.
pub async fn take_rest(request: Request, next: Next) -> Response {
    let (head, body) = request.into_parts();
    if body.is_end_stream() {
        return next.run(Request::from_parts(head, body)).await;
    }
    let kept = Arc::new(Mutex::new(body));
    let answer = next.run(Request::from_parts(head, Body::new(Lent(Arc::clone(&kept))))).await;
    let mut rest = Body::new(Lent(kept)).into_data_stream();
    let arrives = async { while let Some(Ok(_)) = rest.next().await {} };
    // What takes longer is cut off.
    let _ = tokio::time::timeout(LONGEST_REST, arrives).await;
    answer
}
