#include "clearance_time.h"

#include <geometry/work_done.h>

#include <algorithm>
#include <map>

#include <tbb/parallel_for.h>

#include "clearance_jobs.h"

namespace escarp::inspection {
namespace {

using simulation::seconds;
using simulation::Ticks;

constexpr double touch = 1e-4;  // m

bool nearer(const LeastClearance& a, const LeastClearance& b) {
    return a.distance < b.distance || (a.distance == b.distance && a.when_s < b.when_s);
}

/// A question within the stretch that is looked at, and its own least distance there.
struct Asked {
    ClearanceJob job;
    motion::Clearance least;
};

class Stretch {
public:
    Stretch(const cell::Cell& cell, const simulation::Run& run, Cache& cache, double from, double to, int one,
        int other, double farthest, const StopFlag* stop)
        : context_{cell, run, cache, stop}, jobs_(context_), stop_(stop), farthest_(farthest) {
        const Ticks begin = simulation::ticks(from), end = simulation::ticks(to);
        jobs_.each([&](const ClearanceJob& job) { all_.push_back({job, {}}); }, {one, other, begin, end});
        tbb::parallel_for(std::size_t{0}, all_.size(), [&](std::size_t i) {
            if (stop_ && stop_->load(std::memory_order_relaxed)) return;
            all_[i].least = between(all_[i].job, from, to, farthest_);
        });
        motion::throw_if_stopped(stop_);
        std::erase_if(all_, [](const Asked& a) { return a.least.part_a < 0; });
        std::sort(all_.begin(), all_.end(),
            [](const Asked& a, const Asked& b) { return a.least.distance < b.least.distance; });
    }
    const std::vector<Asked>& all() const { return all_; }
    LeastClearance named(const ClearanceJob& job, const motion::Clearance& c) const { return jobs_.named(job, c); }

    /// The least of all between two instants of the run.
    LeastClearance least(double from, double to) const {
        const Asked* best = nullptr;
        motion::Clearance found;
        for (const Asked& a : all_) {
            if (best && a.least.distance >= found.distance) break;  // the others come no nearer at any time
            const motion::Clearance here = between(a.job, from, to, best ? found.distance : farthest_);
            if (here.part_a >= 0 && (!best || here.distance < found.distance)) best = &a, found = here;
        }
        return best ? jobs_.named(best->job, found) : LeastClearance{};
    }

private:
    /// No part where the question does not come up then, or nothing is nearer than `cap`.
    motion::Clearance between(const ClearanceJob& job, double from, double to, double cap) const {
        const double origin = seconds(job.origin());
        double a = from - origin, b = to - origin;
        if (b < job.from || to < seconds(job.since) || a > seconds(job.until) - origin) return {};
        a = std::clamp(a, job.from, std::max(job.from, job.to)), b = std::clamp(b, a, std::max(job.from, job.to));
        // Of what is made to touch, only that it does where it may not.
        if (!distance_counts(job.rule)) cap = std::min(cap, touch);
        motion::Clearance found = jobs_.answer(job, a, b, cap);
        if (found.distance > (distance_counts(job.rule) ? cap : 0.0)) found.part_a = -1;
        // What stands on at its end is so near from there on, too.
        if (found.part_a >= 0) found.when = std::max({found.when, from - origin, seconds(job.since) - origin});
        return found;
    }

    const Context context_;
    ClearanceJobs jobs_;
    const StopFlag* stop_;
    const double farthest_;
    std::vector<Asked> all_;
};

}  // namespace

ClearanceCurve clearance_over_time(const cell::Cell& cell, const simulation::Run& run, Cache& cache, double from,
    double to, int bins, int one, int other, double farthest, const StopFlag* stop) {
    ++geometry::work_done;
    const Stretch stretch(cell, run, cache, from, to, one, other, farthest, stop);
    ClearanceCurve curve{from, to, farthest, std::vector<LeastClearance>(static_cast<std::size_t>(bins))};
    const double length = (to - from) / bins;
    tbb::parallel_for(0, bins, [&](int i) {
        if (stop && stop->load(std::memory_order_relaxed)) return;
        curve.bins[i] = stretch.least(from + i * length, from + (i + 1) * length);
    });
    motion::throw_if_stopped(stop);
    return curve;
}

std::vector<LeastClearance> nearest_pairs(const cell::Cell& cell, const simulation::Run& run, Cache& cache, double from,
    double to, double farthest, const StopFlag* stop) {
    ++geometry::work_done;
    const Stretch stretch(cell, run, cache, from, to, -1, -1, farthest, stop);
    std::map<std::pair<int, int>, LeastClearance> closest;
    for (const Asked& a : stretch.all()) {
        const LeastClearance here = stretch.named(a.job, a.least);
        const std::pair key(here.device_a, here.part_b >= 0 ? -2 - here.device_b : here.device_b);
        const auto [place, fresh] = closest.try_emplace(key, here);
        if (!fresh && nearer(here, place->second)) place->second = here;
    }
    std::vector<LeastClearance> all;
    all.reserve(closest.size());
    for (const auto& [pair, least] : closest) all.push_back(least);
    std::sort(all.begin(), all.end(), nearer);
    return all;
}

}  // namespace escarp::inspection
