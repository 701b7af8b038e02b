#include "step_back.h"

#include <malloc.h>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <chrono>

namespace escarp::desktop {

void step_back() {
    constexpr int nicer = 10;
    ::setpriority(PRIO_PROCESS, static_cast<id_t>(::syscall(SYS_gettid)), nicer);
}

void share_freed_memory() { ::mallopt(M_ARENA_MAX, 2); }

void give_memory_back() { ::malloc_trim(0); }

void give_much_memory_back() {
    constexpr std::size_t much = 64u << 20;
    constexpr std::chrono::seconds seldom{5};
    static std::chrono::steady_clock::time_point last{};
    const auto now = std::chrono::steady_clock::now();
    if (now - last < seldom || ::mallinfo2().fordblks < much) return;
    last = now;
    give_memory_back();
}

}  // namespace escarp::desktop
