#include "step_back.h"

#include <sys/resource.h>
#include <sys/syscall.h>
#include <unistd.h>

namespace escarp::desktop {

void step_back() {
    constexpr int nicer = 10;
    ::setpriority(PRIO_PROCESS, static_cast<id_t>(::syscall(SYS_gettid)), nicer);
}

}  // namespace escarp::desktop
