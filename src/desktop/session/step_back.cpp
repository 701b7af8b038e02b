#include "step_back.h"

#include <chrono>
#include <cstdio>
#include <malloc.h>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <unistd.h>

namespace escarp::desktop {

namespace {

/// Bytes of memory that the process holds: what is freed may still be among them, in any of the heaps.
long resident() {
    long pages = 0;
    if (std::FILE* file = std::fopen("/proc/self/statm", "r")) {
        if (std::fscanf(file, "%*s %ld", &pages) != 1) pages = 0;
        std::fclose(file);
    }
    return pages * ::sysconf(_SC_PAGESIZE);
}

}  // namespace

void step_back() {
    constexpr int nicer = 10;
    ::setpriority(PRIO_PROCESS, static_cast<id_t>(::syscall(SYS_gettid)), nicer);
}

void share_freed_memory() {
    constexpr int heaps = 2;
    // Pictures and buffers from this size on have pages of their own, which go back at once. Left alone, the limit
    // grows with the largest that was freed, and pictures then break up the heap.
    constexpr int own_pages = 1 << 18;
    ::mallopt(M_ARENA_MAX, heaps);
    ::mallopt(M_MMAP_THRESHOLD, own_pages);
}

void give_memory_back() { ::malloc_trim(0); }

void give_much_memory_back() {
    constexpr long much = 32l << 20, plenty = 192l << 20;
    constexpr std::chrono::seconds seldom{5}, now_and_then{10};
    static std::chrono::steady_clock::time_point last{};
    static long held = 0;
    const auto now = std::chrono::steady_clock::now();
    if (now - last < seldom) return;
    const long holds = resident();
    if (holds < held + much && (holds < plenty || now - last < now_and_then)) return;
    last = now;
    give_memory_back();
    held = resident();
}

}  // namespace escarp::desktop
