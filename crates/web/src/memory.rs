//! The C library's allocator, told to give back what is free. The only `unsafe` calls of the program.
//!
//! After a storm of requests it would keep most of what the storm took: one pool of memory for every thread, and large blocks that come
//! from the pools once some of their size have been freed. One pool for all, and large blocks that always go back to the system, keep half
//! of it. What is left are free pages between others that are in use: those go back when they are asked for.

/// Sets it up; before the first thread.
pub fn set_up() {
    #[cfg(all(target_os = "linux", target_env = "gnu"))]
    #[expect(unsafe_code, reason = "the C library's settings have no other door")]
    {
        const LARGE_BYTES: libc::c_int = 128 * 1024;
        let settings = [(libc::M_ARENA_MAX, 1), (libc::M_MMAP_THRESHOLD, LARGE_BYTES), (libc::M_TRIM_THRESHOLD, LARGE_BYTES)];
        for (setting, value) in settings {
            // SAFETY: it takes two numbers and touches no memory of ours. A setting that is refused leaves things as they were.
            unsafe { libc::mallopt(setting, value) };
        }
    }
}

/// Gives back the free pages of the pool, where they are many. Who wants memory waits meanwhile, 25 to 55 ms for 300 MB: not to be called
/// often while somebody works.
pub fn give_back() {
    #[cfg(all(target_os = "linux", target_env = "gnu"))]
    #[expect(unsafe_code, reason = "the C library's settings have no other door")]
    {
        /// Less than this is used again soon.
        const MANY_BYTES: usize = 32 << 20;
        // SAFETY: it takes nothing and answers numbers.
        if unsafe { libc::mallinfo2() }.fordblks < MANY_BYTES {
            return;
        }
        // SAFETY: it takes a number, and gives back only what nobody holds.
        unsafe { libc::malloc_trim(0) };
    }
}
