//! The `flindo` program; everything it does is in the library, so that tests start the real thing.

use std::process::ExitCode;
use std::time::Duration;

/// What hangs in the system (a disk, a name server) is left behind after this long.
const LONGEST_END: Duration = Duration::from_millis(500);

/// After a storm of requests the C library's allocator would keep most of what the storm took: one pool of memory for every thread, and
/// large blocks that come from the pools once some of their size have been freed. One pool for all, and large blocks that always go back
/// to the system, keep half of it.
#[cfg(all(target_os = "linux", target_env = "gnu"))]
#[expect(unsafe_code, reason = "the C library's settings have no other door")]
fn give_memory_back() {
    const LARGE_BYTES: libc::c_int = 128 * 1024;
    for (setting, value) in [(libc::M_ARENA_MAX, 1), (libc::M_MMAP_THRESHOLD, LARGE_BYTES), (libc::M_TRIM_THRESHOLD, LARGE_BYTES)]
    {
        // SAFETY: it takes two numbers and touches no memory of ours. A setting that is refused leaves things as they were.
        unsafe { libc::mallopt(setting, value) };
    }
}

#[cfg(not(all(target_os = "linux", target_env = "gnu")))]
fn give_memory_back() {}

fn main() -> ExitCode {
    give_memory_back();
    let runtime = match tokio::runtime::Runtime::new() {
        Ok(runtime) => runtime,
        Err(error) => {
            eprintln!("The system gives no threads: {error}");
            return ExitCode::FAILURE;
        }
    };
    let ended = runtime.block_on(flindo::cli::start());
    runtime.shutdown_timeout(LONGEST_END);
    match ended {
        Ok(()) => ExitCode::SUCCESS,
        Err(sentence) => {
            eprintln!("{sentence}");
            ExitCode::FAILURE
        }
    }
}
