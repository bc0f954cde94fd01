/* Makes every sync of a file take SYNC_MS longer, as on a disk of that pace, for `cargo bench -p flindo --bench readings` on a machine whose disk
 * answers before anything is safe:
 *
 *     gcc -shared -fPIC -o /tmp/slow_sync.so reference/slow_sync.c -ldl
 *     SYNC_MS=5 LD_PRELOAD=/tmp/slow_sync.so cargo bench -p flindo --bench readings
 */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <stdlib.h>
#include <unistd.h>

static int slowly(const char *name, int file) {
    const char *wanted = getenv("SYNC_MS");
    int (*sync)(int) = (int (*)(int))dlsym(RTLD_NEXT, name);
    usleep(1000 * (wanted ? atoi(wanted) : 0));
    return sync(file);
}

int fsync(int file) { return slowly("fsync", file); }
int fdatasync(int file) { return slowly("fdatasync", file); }
