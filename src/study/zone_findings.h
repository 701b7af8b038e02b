#pragma once
// What is wrong with the zones that movers share, and the ways out with their price.

#include "figures.h"

namespace escarp::study {

/// Of an evaluation with its zones. Throws Cancelled.
std::vector<inspection::Finding> zone_findings(
    const Evaluation& evaluation, inspection::Cache& cache, const inspection::StopFlag* stop = nullptr);

}  // namespace escarp::study
