#pragma once
// Points of a study, run or found: what every way of asking goes through.

#include <atomic>
#include <mutex>

#include "ask.h"

namespace escarp::study {

class Trials {
public:
    /// Throws InputError for a study that cannot be asked of this cell.
    Trials(const cell::Layout& layout, const cell::Study& study, inspection::Cache& cache, const AskOptions& options);

    const cell::Study& study() const { return study_; }
    const cell::Layout& layout() const { return layout_; }
    const AskOptions& options() const { return options_; }
    const std::vector<const Measure*>& wanted() const { return wanted_; }
    const std::vector<const Measure*>& asked() const { return asked_; }
    bool owned(std::size_t index) const { return index % options_.shards == options_.shard; }

    /// Run or found, and judged. With `quickly`, a point that is not reached is not run at all. Throws Cancelled.
    Tried look(const Point& point, bool quickly = false);
    /// All of a plan, on all cores; those of other shards stay without runs.
    std::vector<Tried> look_at(const std::vector<Point>& plan, std::size_t before, std::size_t in_all);
    void told(double share, const Tried& tried);  ///< to whoever wants to know how far it is

    std::size_t runs() const { return runs_; }
    std::size_t kept_runs() const { return kept_; }
    const std::string& cell_key() const { return cell_key_; }
    void demand(const cell::Demand& more) { study_.keep.push_back(more); }

private:
    struct NotThere {};
    /// The cell of a point, made when it is first needed, and when it has warmed up.
    struct At {
        const Point& point;
        std::shared_ptr<const cell::Cell> cell = nullptr;
        std::optional<simulation::Ticks> from = {};
        std::mutex making = {};
    };
    OneRun run_of(const ResultKey& key, At& at);
    /// Of a study that has nothing but repetitions, those are shared among the shards.
    bool own_repetition(std::size_t i) const { return study_.asks != cell::Study::Asks::repetitions || owned(i); }
    Replicated what_there_is(const std::function<OneRun(std::size_t)>& run, std::size_t repetitions);
    std::shared_ptr<const cell::Cell> cell_of(const Point& point) const;
    std::optional<Outcome> found(const ResultKey& key);
    std::string key_text(const Point& point) const;
    void judge_demands(Tried& tried) const;
    void not_reached(const ResultKey& key, At& at, Tried& tried);

    cell::Layout layout_;
    cell::Study study_;
    inspection::Cache& cache_;
    AskOptions options_;
    std::vector<const Measure*> asked_, wanted_;  ///< `wanted` with those that are to be kept
    std::string cell_key_;
    std::atomic<std::size_t> runs_ = 0, kept_ = 0;
    std::mutex telling_;
};

}  // namespace escarp::study
