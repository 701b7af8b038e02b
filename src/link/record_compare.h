#pragma once
// A record of a live run beside the computed run: where signals differ first, what steps take, the cycle.

#include <inspection/cache.h>

#include "record.h"

namespace escarp::link {

struct SignalDifference {
    std::string signal;             ///< full name
    Ticks from = 0;                 ///< the first instant at which they differ
    std::optional<Ticks> later_by;  ///< live, where both change to the same value there; below 0: sooner
    std::size_t changes_live = 0, changes_computed = 0;
};

struct StepTimes {
    std::string device, step;           ///< ids
    double live_s = 0, computed_s = 0;  ///< each time, waiting left out
};

struct RecordComparison {
    std::optional<double> cycle_live_s, cycle_computed_s;
    std::size_t parts_live = 0, parts_computed = 0;
    std::vector<SignalDifference> signals;  ///< those that differ, by the instant at which they do first
    std::vector<StepTimes> steps;           ///< that were done in both
};

/// `lived`: the record run again (see run_again) with that cell. Throws motion::Cancelled.
RecordComparison compare_with_computed(const Record& record, const std::shared_ptr<const cell::Cell>& cell,
    const std::shared_ptr<const simulation::Run>& lived, inspection::Cache& cache,
    const motion::StopFlag* stop = nullptr);
/// "interlock.first_may from 2.310 s, live 0.010 s later; 44 changes, computed 44"
std::string in_words(const SignalDifference& difference);
cell::json as_json(const RecordComparison& comparison);

}  // namespace escarp::link
