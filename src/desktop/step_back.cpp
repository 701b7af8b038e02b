#include "step_back.h"

#include <malloc.h>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <unistd.h>

namespace escarp::desktop {

void step_back() {
    constexpr int nicer = 10;
    ::setpriority(PRIO_PROCESS, static_cast<id_t>(::syscall(SYS_gettid)), nicer);
}

void give_memory_back() { ::malloc_trim(0); }

}  // namespace escarp::desktop
