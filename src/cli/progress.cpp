#include "progress.h"

#include <unistd.h>

#include <chrono>
#include <cstdio>

namespace escarp::cli {

Progress::Progress() {
    if (!::isatty(2)) return;
    teller_ = std::thread([this] {
        std::unique_lock guard(lock_);
        int seconds = 0;
        while (!ended_.wait_for(guard, std::chrono::seconds(1), [this] { return end_; }))
            std::fprintf(stderr, "\r\033[Kat work, %d s (Ctrl+C stops it)", ++seconds), std::fflush(stderr);
        if (seconds > 0) std::fprintf(stderr, "\r\033[K");
    });
}

Progress::~Progress() {
    {
        const std::lock_guard guard(lock_);
        end_ = true;
    }
    ended_.notify_all();
    if (teller_.joinable()) teller_.join();
}

}  // namespace escarp::cli
