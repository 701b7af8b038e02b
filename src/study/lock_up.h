#pragma once
// What is said of a cell that can lock up: the way there, and what would keep it from it.

#include "figures.h"

namespace escarp::study {

/// Nothing where the orders of the evaluation were not gone through, or no order locks up. Throws Cancelled.
std::vector<inspection::Finding> lock_up_findings(
    const Evaluation& evaluation, inspection::Cache& cache, const inspection::StopFlag* stop);

/// "cannot lock up: 812 states", "can lock up", "not decided whether it can lock up: more than 30000 states".
std::string orders_words(const inspection::Orders& orders);

}  // namespace escarp::study
