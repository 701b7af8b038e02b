#pragma once
// What is done while nobody is at the other end of a link.

#include <utility>

#include "live_run.h"

namespace escarp::link {

class WhenLost {
public:
    /// `heard`: signals that come over the link.
    WhenLost(const cell::Link& link, std::vector<int> heard, LiveRun& run)
        : does_(link.lost), heard_(std::move(heard)), run_(run) {}
    void lost() {
        if (std::exchange(is_lost_, true)) return;
        if (does_ == cell::Link::Lost::pause) run_.pause(true);
        if (does_ != cell::Link::Lost::all_off) return;
        SignalValues off;
        for (const int signal : heard_) off.emplace_back(signal, 0);
        run_.hear(std::move(off));
    }
    void there() {
        if (std::exchange(is_lost_, false) && does_ == cell::Link::Lost::pause) run_.pause(false);
    }

private:
    const cell::Link::Lost does_;
    const std::vector<int> heard_;
    LiveRun& run_;
    bool is_lost_ = false;
};

}  // namespace escarp::link
