#include "support/realtime_guard.h"

#include <dlfcn.h>
#include <pthread.h>

#include <cerrno>
#include <cstddef>

// The sanitizers put their own malloc in this place, and start before ours could find theirs: under them
// nothing is counted.
#if defined(__has_feature)
#if __has_feature(address_sanitizer) || __has_feature(thread_sanitizer)
#define REED_NOT_COUNTED
#endif
#endif
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
#define REED_NOT_COUNTED
#endif

#ifdef REED_NOT_COUNTED
namespace {
thread_local bool t_watched = false;
thread_local int t_allocations = 0;
thread_local int t_locks = 0;
}  // namespace
#else
// The C library's own entry points; ours below take their usual names.
extern "C" {
void* __libc_malloc(size_t size);
void* __libc_calloc(size_t count, size_t size);
void* __libc_realloc(void* old, size_t size);
void __libc_free(void* p);
void* __libc_memalign(size_t alignment, size_t size);
}

namespace {
thread_local bool t_watched = false;
thread_local int t_allocations = 0;
thread_local int t_locks = 0;
using LockFunction = int (*)(pthread_mutex_t*);
LockFunction g_lock = nullptr;
}  // namespace

extern "C" {
void* malloc(size_t size) {
    if (t_watched) ++t_allocations;
    return __libc_malloc(size);
}
void* calloc(size_t count, size_t size) {
    if (t_watched) ++t_allocations;
    return __libc_calloc(count, size);
}
void* realloc(void* old, size_t size) {
    if (t_watched) ++t_allocations;
    return __libc_realloc(old, size);
}
void* memalign(size_t alignment, size_t size) {
    if (t_watched) ++t_allocations;
    return __libc_memalign(alignment, size);
}
void* aligned_alloc(size_t alignment, size_t size) {
    return memalign(alignment, size);
}
int posix_memalign(void** out, size_t alignment, size_t size) {
    if (alignment % sizeof(void*) != 0 || (alignment & (alignment - 1)) != 0 || alignment == 0) return EINVAL;
    *out = memalign(alignment, size);
    return *out != nullptr ? 0 : ENOMEM;
}
void free(void* p) {
    if (t_watched && p != nullptr) ++t_allocations;
    __libc_free(p);
}
int pthread_mutex_lock(pthread_mutex_t* mutex) {
    if (t_watched) ++t_locks;
    if (g_lock == nullptr) g_lock = reinterpret_cast<LockFunction>(dlsym(RTLD_NEXT, "pthread_mutex_lock"));
    return g_lock(mutex);
}
}
#endif

namespace reed::test {

RealtimeGuard::RealtimeGuard() {
    t_allocations = t_locks = 0;
    t_watched = true;
}
RealtimeGuard::~RealtimeGuard() {
    t_watched = false;
}
bool RealtimeGuard::counts() {
#ifdef REED_NOT_COUNTED
    return false;
#else
    return true;
#endif
}
int RealtimeGuard::allocations() const {
    return t_allocations;
}
int RealtimeGuard::locks() const {
    return t_locks;
}

}  // namespace reed::test
