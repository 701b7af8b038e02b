#pragma once
// Arms that wait at the border of a watched volume while it has to be empty.

#include "figures.h"

namespace escarp::study {

/// The volume's table with the points at which an arm (ids) asks and gives back, found from how it goes where it waits
/// for nothing there; the points of others stay. Throws InputError for what is no watched volume or no arm, and where
/// the arm never goes in or begins inside.
cell::Edit wait_at_border(const cell::Layout& layout, const std::string& volume, const std::string& arm,
    inspection::Cache& cache, const inspection::StopFlag* stop = nullptr);

/// To findings of volumes that are not empty when they have to be: that the arms in them wait outside, tried.
void add_border_ways(const Evaluation& evaluation, inspection::Inspection& inspection, inspection::Cache& cache,
    const inspection::StopFlag* stop = nullptr);

}  // namespace escarp::study
