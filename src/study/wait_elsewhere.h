#pragma once
// Two arms that are let into shared space one at a time lock up where one of them waits within what the other needs.
// What an engineer would do then: let it wait elsewhere, or draw back farther before it waits.

#include "figures.h"

namespace escarp::study {

/// Ways out with an interlock that keeps the safety distance, each computed and gone through for lock-up before it is
/// offered, the quickest first. `zone`: id of a shared zone. Empty: none of them goes. Throws Cancelled.
std::vector<inspection::WayOut> wait_elsewhere(const cell::Layout& layout, const std::string& zone,
    inspection::Cache& cache, const inspection::StopFlag* stop = nullptr);

}  // namespace escarp::study
