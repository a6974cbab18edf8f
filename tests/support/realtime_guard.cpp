#include "support/realtime_guard.h"

#include <dlfcn.h>
#include <pthread.h>

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
int RealtimeGuard::allocations() const {
    return t_allocations;
}
int RealtimeGuard::locks() const {
    return t_locks;
}

}  // namespace reed::test
