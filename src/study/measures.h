#pragma once
// The figures that studies look at, each under an id, with its unit and which way is better.

#include <functional>

#include "figures.h"

namespace escarp::study {

/// A run with the stretch of it that is looked at.
struct Sample {
    const Judged& judged;
    Stretch in;
    inspection::Cache& cache;
    const inspection::StopFlag* stop = nullptr;
};

struct Measure {
    std::string id, label, unit;  ///< unit: as it is shown; the value comes in it
    int decimals;
    int better;               ///< -1: less, 1: more, 0: neither
    inspection::Level needs;  ///< what has to be looked at for it
    bool whole_history;       ///< needs more than what left when
    std::function<std::optional<double>(const Sample&)> of;
    bool counts = false;  ///< no mean of a run: cannot be believed to a share of itself
    bool dear = false;    ///< takes longer than all the rest: worked out only where it is asked for
};

/// In the order in which they are listed. A new one is a line here.
const std::vector<Measure>& measures();
/// Throws InputError naming `where` with those that there are.
const Measure& measure(const std::string& id, const std::string& where);

}  // namespace escarp::study
