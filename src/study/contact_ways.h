#pragma once
// Ways out of contacts and near passes: what an engineer would try at the step in which it happens, tried, each with
// what it costs.

#include "figures.h"

namespace escarp::study {

/// Adds to the clearance findings of an evaluation the ways out that were found to help: nothing new is hit or out of
/// reach, and the pair keeps its safety distance (or, where it touched, at least does not any more). Those with the
/// least cycle first. Throws Cancelled.
void add_contact_ways(const Evaluation& evaluation, inspection::Inspection& inspection, inspection::Cache& cache,
    const inspection::StopFlag* stop);

}  // namespace escarp::study
