/* A disk that forgets. Loaded before the C library, it notes what every write to a bench or its journal replaces, until that file is synced. On
 * SIGUSR1 the power goes, before the next sync: of the writes that no sync covered a part (all for CUT_SEED=0) is undone, as if it had never reached the disk, and the
 * process ends at once. What is left in the files is what a machine finds after a power cut.
 *
 * Compiled and used by power.rs. Left out: names of new files, which a cut before the sync of their folder may lose (SQLite syncs it).
 */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <fcntl.h>
#include <pthread.h>
#include <signal.h>
#include <stdatomic.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

typedef struct {
    int file;            /* our own descriptor of it */
    dev_t device;
    ino_t inode;
    off_t at, size;      /* where, and how large the file was */
    size_t count, had;   /* bytes written, and how many of them were there before */
    char *before, *after; /* after: NULL for a cut to size `at` */
} Write;

static Write *writes;
static size_t used, room;
static pthread_mutex_t lock = PTHREAD_MUTEX_INITIALIZER;
static ssize_t (*real_pwrite)(int, const void *, size_t, off_t);
static ssize_t (*real_write)(int, const void *, size_t);
static int (*real_ftruncate)(int, off_t);

static void *real(const char *name) { return dlsym(RTLD_NEXT, name); }

static int is_watched(int file, struct stat *about) {
    char link[64], path[4096];
    snprintf(link, sizeof link, "/proc/self/fd/%d", file);
    ssize_t length = readlink(link, path, sizeof path - 1);
    if (length <= 0 || fstat(file, about) != 0 || !S_ISREG(about->st_mode)) return 0;
    path[length] = 0;
    return strstr(path, ".bench") != NULL && strstr(path, "-shm") == NULL && strstr(path, "-lock") == NULL;
}

static void note(int file, const struct stat *about, const void *bytes, size_t count, off_t at) {
    if (used == room) writes = realloc(writes, (room = room ? 2 * room : 256) * sizeof *writes);
    Write *one = &writes[used++];
    *one = (Write){.file = dup(file), .device = about->st_dev, .inode = about->st_ino, .at = at, .size = about->st_size, .count = count};
    size_t old = bytes ? count : (size_t)(about->st_size > at ? about->st_size - at : 0);
    one->before = malloc(old ? old : 1);
    ssize_t had = pread(file, one->before, old, at);
    one->had = had > 0 ? (size_t)had : 0;
    if (bytes) one->after = memcpy(malloc(count ? count : 1), bytes, count);
}

ssize_t pwrite64(int file, const void *bytes, size_t count, off_t at) {
    struct stat about;
    pthread_mutex_lock(&lock);
    if (is_watched(file, &about)) note(file, &about, bytes, count, at);
    ssize_t done = real_pwrite(file, bytes, count, at);
    pthread_mutex_unlock(&lock);
    return done;
}

/* SQLite moves to the place first, and writes then. */
ssize_t write(int file, const void *bytes, size_t count) {
    struct stat about;
    /* A socket or pipe may wait, and nothing is to wait for it. */
    if (!is_watched(file, &about)) return real_write(file, bytes, count);
    pthread_mutex_lock(&lock);
    fstat(file, &about);
    note(file, &about, bytes, count, lseek(file, 0, SEEK_CUR));
    ssize_t done = real_write(file, bytes, count);
    pthread_mutex_unlock(&lock);
    return done;
}

ssize_t pwrite(int file, const void *bytes, size_t count, off_t at) { return pwrite64(file, bytes, count, at); }

int ftruncate64(int file, off_t size) {
    struct stat about;
    pthread_mutex_lock(&lock);
    if (is_watched(file, &about)) note(file, &about, NULL, 0, size);
    int done = real_ftruncate(file, size);
    pthread_mutex_unlock(&lock);
    return done;
}

int ftruncate(int file, off_t size) { return ftruncate64(file, size); }

/* xorshift64 (Marsaglia 2003). */
static uint64_t next(uint64_t *state) {
    *state ^= *state << 13;
    *state ^= *state >> 7;
    return *state ^= *state << 17;
}

/* With the lock, which is never given back: nobody writes any more. */
static void cut(void) {
    const char *seed = getenv("CUT_SEED");
    uint64_t state = seed ? strtoull(seed, NULL, 10) : 0;
    for (size_t nth = used; nth-- > 0;) {
        Write *one = &writes[nth];
        real_pwrite(one->file, one->before, one->had, one->at);
        real_ftruncate(one->file, one->size);
    }
    size_t kept = 0;
    for (size_t nth = 0; nth < used && state != 0; nth++) {
        Write *one = &writes[nth];
        if (next(&state) % 2) continue;
        kept++;
        if (one->after) real_pwrite(one->file, one->after, one->count, one->at);
        else real_ftruncate(one->file, one->at);
    }
    fprintf(stderr, "power cut: %zu writes were not synced, %zu of them reached the disk\n", used, kept);
    _exit(9);
}

/* The power goes before the next sync, where the most is at stake; where none comes, after a fifth of a second. */
static atomic_int is_going;

static void *wait_for_the_cut(void *signals) {
    int which;
    sigwait(signals, &which);
    is_going = 1;
    usleep(200000);
    pthread_mutex_lock(&lock);
    cut();
    return NULL;
}

static int synced(const char *name, int file) {
    struct stat about;
    int (*sync)(int) = (int (*)(int))real(name);
    pthread_mutex_lock(&lock);
    if (is_going && is_watched(file, &about)) cut();
    int done = sync(file);
    if (done == 0 && fstat(file, &about) == 0) {
        size_t left = 0;
        for (size_t nth = 0; nth < used; nth++) {
            if (writes[nth].device == about.st_dev && writes[nth].inode == about.st_ino) {
                close(writes[nth].file);
                free(writes[nth].before);
                free(writes[nth].after);
            } else {
                writes[left++] = writes[nth];
            }
        }
        used = left;
    }
    pthread_mutex_unlock(&lock);
    return done;
}

int fsync(int file) { return synced("fsync", file); }
int fdatasync(int file) { return synced("fdatasync", file); }

__attribute__((constructor)) static void begin(void) {
    static sigset_t signals;
    real_pwrite = (ssize_t (*)(int, const void *, size_t, off_t))real("pwrite64");
    real_write = (ssize_t (*)(int, const void *, size_t))real("write");
    real_ftruncate = (int (*)(int, off_t))real("ftruncate64");
    sigemptyset(&signals);
    sigaddset(&signals, SIGUSR1);
    /* Every later thread has it blocked too. */
    pthread_sigmask(SIG_BLOCK, &signals, NULL);
    pthread_t thread;
    pthread_create(&thread, NULL, wait_for_the_cut, &signals);
}
