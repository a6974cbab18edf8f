// Preloaded into a program, it makes one call fail, or kills the program at it:
//   REED_FAULT_ROOT  only calls on files below this folder count
//   REED_FAULT       CALL:N:HOW, where CALL is open, write, fsync, close, rename, any or malloc, N counts
//   from 1, and
//                    HOW is fail, before or after (killed before or after the call); or disk:BYTES, the free
//                    space
//   REED_FAULT_HIT   a file that is made when it happened
// Memory is counted from main() on.
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <signal.h>
#include <stdarg.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/syscall.h>
#include <unistd.h>

enum call {
    call_open,
    call_write,
    call_fsync,
    call_close,
    call_rename,
    call_any,
    call_malloc,
    call_disk,
    call_none
};
enum how { how_fail, how_before, how_after };

static enum call wanted = call_none;
static enum how wanted_how;
static long wanted_n;
static char root[PATH_MAX];
static char hit[PATH_MAX];
static atomic_long counted;
static atomic_long space;
static atomic_int in_main;

static void set_up(void) {
    static const char* const names[] = {"open", "write", "fsync", "close", "rename", "any", "malloc", "disk"};
    const char* what = getenv("REED_FAULT");
    const char* where = getenv("REED_FAULT_ROOT");
    const char* told = getenv("REED_FAULT_HIT");
    if (what == NULL || where == NULL || told == NULL) return;
    snprintf(root, sizeof root, "%s", where);
    snprintf(hit, sizeof hit, "%s", told);
    for (int i = 0; i < call_none; ++i) {
        const size_t length = strlen(names[i]);
        if (strncmp(what, names[i], length) != 0 || what[length] != ':') continue;
        char* rest = NULL;
        wanted_n = strtol(what + length + 1, &rest, 10);
        wanted_how = how_fail;
        if (strcmp(rest, ":before") == 0) wanted_how = how_before;
        if (strcmp(rest, ":after") == 0) wanted_how = how_after;
        space = wanted_n;
        wanted = (enum call)i;
    }
}

static void tell(void) {
    const long fd = syscall(SYS_openat, AT_FDCWD, hit, O_WRONLY | O_CREAT | O_CLOEXEC, 0600);
    if (fd >= 0) syscall(SYS_close, fd);
}

static int is_below(const char* path) {
    return path != NULL && strncmp(path, root, strlen(root)) == 0;
}

static int is_ours(int fd) {
    if (wanted == call_none || wanted == call_malloc) return 0;
    char link[64];
    char path[PATH_MAX];
    snprintf(link, sizeof link, "/proc/self/fd/%d", fd);
    const ssize_t n = readlink(link, path, sizeof path - 1);
    if (n <= 0) return 0;
    path[n] = '\0';
    return is_below(path);
}

/// True when this is the call; it is told, and a program that is to be killed before it is.
static int is_the_one(enum call call) {
    if (wanted != call && !(wanted == call_any && call != call_malloc)) return 0;
    if (atomic_fetch_add(&counted, 1) + 1 != wanted_n) return 0;
    tell();
    if (wanted_how == how_before) kill(getpid(), SIGKILL);
    return 1;
}

/// After a call: what came of it, unless it is the one that fails.
static int end_of(int the_one, int result) {
    if (the_one && wanted_how == how_after) kill(getpid(), SIGKILL);
    return result;
}

#define REAL(name, type)     \
    static type real = NULL; \
    if (real == NULL) real = (type)dlsym(RTLD_NEXT, name)

static int fail_with(int code) {
    errno = code;
    return -1;
}

static int open_as(const char* path, int flags, mode_t mode, int at) {
    const int one = is_below(path) && is_the_one(call_open);
    if (one && wanted_how == how_fail) return fail_with((flags & O_CREAT) != 0 ? ENOSPC : EIO);
    return end_of(one, (int)syscall(SYS_openat, at, path, flags, mode));
}

#define MODE_OF(flags)                            \
    mode_t mode = 0;                              \
    if (((flags) & (O_CREAT | O_TMPFILE)) != 0) { \
        va_list rest;                             \
        va_start(rest, flags);                    \
        mode = va_arg(rest, mode_t);              \
        va_end(rest);                             \
    }

int open(const char* path, int flags, ...) {
    MODE_OF(flags)
    return open_as(path, flags, mode, AT_FDCWD);
}
int open64(const char* path, int flags, ...) {
    MODE_OF(flags)
    return open_as(path, flags, mode, AT_FDCWD);
}
int openat(int at, const char* path, int flags, ...) {
    MODE_OF(flags)
    return open_as(path, flags, mode, at);
}
int openat64(int at, const char* path, int flags, ...) {
    MODE_OF(flags)
    return open_as(path, flags, mode, at);
}

ssize_t write(int fd, const void* bytes, size_t count) {
    if (!is_ours(fd)) return syscall(SYS_write, fd, bytes, count);
    if (wanted == call_disk) {
        const long left = atomic_load(&space);
        if ((long)count > left) tell();
        if (left <= 0 && count > 0) return fail_with(ENOSPC);
        if ((long)count > left) count = (size_t)left;
        atomic_fetch_sub(&space, (long)count);
        return syscall(SYS_write, fd, bytes, count);
    }
    const int one = is_the_one(call_write);
    if (one && wanted_how == how_fail) return fail_with(ENOSPC);
    // Killed in the middle of it: half of it is there.
    if (one) count = (count + 1) / 2;
    const ssize_t done = syscall(SYS_write, fd, bytes, count);
    end_of(one, 0);
    return done;
}

int fsync(int fd) {
    const int one = is_ours(fd) && is_the_one(call_fsync);
    if (one && wanted_how == how_fail) return fail_with(EIO);
    return end_of(one, (int)syscall(SYS_fsync, fd));
}

int close(int fd) {
    const int one = is_ours(fd) && is_the_one(call_close);
    const int result = (int)syscall(SYS_close, fd);
    if (one && wanted_how == how_fail) return fail_with(EIO);
    return end_of(one, result);
}

int rename(const char* from, const char* to) {
    const int one = is_below(from) && is_the_one(call_rename);
    if (one && wanted_how == how_fail) return fail_with(EIO);
    return end_of(one, (int)syscall(SYS_rename, from, to));
}

void* __libc_malloc(size_t size);
void* __libc_calloc(size_t count, size_t size);
void* __libc_realloc(void* old, size_t size);

static int no_memory(void) {
    if (wanted != call_malloc || !atomic_load(&in_main) || !is_the_one(call_malloc)) return 0;
    errno = ENOMEM;
    return 1;
}
void* malloc(size_t size) {
    return no_memory() ? NULL : __libc_malloc(size);
}
void* calloc(size_t count, size_t size) {
    return no_memory() ? NULL : __libc_calloc(count, size);
}
void* realloc(void* old, size_t size) {
    return no_memory() ? NULL : __libc_realloc(old, size);
}

typedef int (*main_function)(int, char**, char**);
static main_function real_main;

static int counted_main(int argc, char** argv, char** environment) {
    atomic_store(&in_main, 1);
    const int status = real_main(argc, argv, environment);
    atomic_store(&in_main, 0);
    return status;
}

int __libc_start_main(main_function start, int argc, char** argv, main_function init, void (*fini)(void),
                      void (*rtld_fini)(void), void* stack_end) {
    typedef int (*start_function)(main_function, int, char**, main_function, void (*)(void), void (*)(void),
                                  void*);
    REAL("__libc_start_main", start_function);
    set_up();
    real_main = start;
    return real(counted_main, argc, argv, init, fini, rtld_fini, stack_end);
}
