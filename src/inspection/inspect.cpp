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
    return joint.type == kinematics::JointType::hinge ? short_number(value * 180 / geometry::pi, 1) + "\u00b0"
                                                      : short_number(value * 1e3, 1) + " mm";
}

namespace {

constexpr std::size_t most_findings = 200;  // that are listed

/// Nobody reads more; the worst come first.
void keep_readable(std::vector<Finding>& findings) {
    if (findings.size() <= most_findings) return;
    Finding rest;
    rest.id = "more";
    rest.severity = findings[most_findings - 1].severity;
    rest.title = std::to_string(findings.size() - most_findings + 1) + " more findings";
    for (const Severity s : {Severity::stop, Severity::watch, Severity::note}) {
        const auto count = std::count_if(
            findings.begin() + most_findings - 1, findings.end(), [s](const Finding& f) { return f.severity == s; });
        if (count > 0)
            rest.text += (rest.text.empty() ? "Not listed here: " : ", ") + std::to_string(count) + " " + word(s);
    }
    rest.text += ". They are listed as those above are mended.";
    findings.resize(most_findings - 1);
    findings.push_back(std::move(rest));
}

}  // namespace

std::shared_ptr<const Inspection> inspect(
    const cell::Cell& cell, const simulation::Run& run, Cache& cache, const StopFlag* stop, Level level) {
    auto result = std::make_shared<Inspection>();
    const Context context{cell, run, cache, stop};
    for (const auto& [check, from] : standard_checks) {
        if (from > level) continue;
        context.throw_if_stopped();
        check(context, *result);
    }
    std::stable_sort(result->findings.begin(), result->findings.end(),
        [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
    keep_readable(result->findings);
    return result;
}

}  // namespace escarp::inspection
