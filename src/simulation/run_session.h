#pragma once
// A run under way: it goes on event by event, as far as it is asked to, and those who look on are told of each.

#include <memory>
#include <vector>

#include "kernel.h"
#include "run.h"

namespace escarp::simulation {

/// Looks on while a run goes on. A new one is a class of its own: the kernel knows none of them.
class RunObserver {
public:
    virtual ~RunObserver() = default;
    virtual void begun(const Kernel&) {}
    /// After each event, and after what came from outside.
    virtual void happened(const Kernel&) = 0;
};

class RunSession {
public:
    /// The cell and the plans have to outlive it.
    RunSession(const cell::Cell& cell, PlanCache& plans, const RunOptions& options = {});
    ~RunSession();
    void watch(RunObserver& observer) { observers_.push_back(&observer); }  ///< it has to outlive the run

    const cell::Cell& cell() const;
    const Kernel& kernel() const { return kernel_; }
    Ticks now() const { return kernel_.now(); }
    /// Every device begins; before anything else.
    void start();
    /// Nothing can happen any more unless something comes from outside, or it was more than its limits allow.
    bool over() const { return kernel_.ended() || kernel_.next_event() == never; }
    void step();  ///< the next event; not where it is over
    /// Every event up to an instant, which it then is.
    void advance(Ticks until);
    /// Signals from outside, all at this instant.
    void hear(const std::vector<std::pair<int, double>>& values);
    /// An arm without work of its own is told from outside where it is, from this instant on.
    void follow(int device, const JointVector& q);
    static bool can_follow(const cell::Device& device);
    /// The run as far as it has come; nothing can follow. `end`: how long it says that it is; `horizon`: how long it
    /// was to be.
    std::shared_ptr<const Run> finish(Ticks end, Ticks horizon, std::optional<Steady> steady = {});

private:
    void told();
    std::optional<cell::Cell> drawn_;  ///< with another seed; what it refers to is the cell's own
    const RunOptions options_;
    Kernel kernel_;
    const SearchCount searched_;
    std::vector<RunObserver*> observers_;
    bool searched_enough_ = false;
};

/// A trace that follows one that grows: what was added since the last time is copied, so that another thread may look
/// back in the run while it goes on.
class TraceCopy {
public:
    /// When an instant is over: what happens within it may still be taken back.
    void follow(const Kernel& kernel);
    const Trace& trace() const { return trace_; }

private:
    Trace trace_;
    std::vector<int> open_;  ///< blocks that last
    std::vector<int> live_;  ///< parts that were in the cell the last time
};

}  // namespace escarp::simulation
