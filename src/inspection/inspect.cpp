#include "inspect.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "cache.h"
#include "check.h"

namespace escarp::inspection {

const char* word(Severity s) { return s == Severity::stop ? "stop" : s == Severity::watch ? "watch" : "note"; }

Cache::Cache() : kept_(std::make_unique<Kept>()) {}
Cache::~Cache() = default;

std::string millimetres(double metres) { return std::to_string(static_cast<long>(std::lround(metres * 1e3))); }

std::string joint_amount(const kinematics::Joint& joint, double value) {
    return joint.type == kinematics::JointType::hinge ? short_number(value * 180 / geometry::pi, 1) + "\u00b0" : short_number(value * 1e3, 1) + " mm";
}

std::string short_number(double value, int decimals) {
    char text[64];
    std::snprintf(text, sizeof text, "%.*f", decimals, value);
    return text;
}

std::shared_ptr<const Inspection> inspect(const cell::Cell& cell, const simulation::Run& run, Cache& cache, const StopFlag* stop) {
    auto result = std::make_shared<Inspection>();
    const Context context{cell, run, cache, stop};
    for (const Check check : standard_checks) {
        context.give_way();
        check(context, *result);
    }
    std::stable_sort(result->findings.begin(), result->findings.end(), [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
    return result;
}

}  // namespace escarp::inspection
