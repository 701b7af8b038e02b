#include <algorithm>
#include <cmath>

#include <cell/model/device_kind.h>

#include "../check.h"

namespace escarp::inspection {
namespace {

/// The share of picks that fall outside a tolerance to all sides where each of two directions has a normal noise: the
/// tail of the Rayleigh distribution.
double share_outside(double tolerance, double noise) {
    return std::exp(-0.5 * tolerance * tolerance / (noise * noise));
}

std::optional<Finding> misses(
    const Context& c, const cell::Device& arm, const cell::Step& s, const cell::PartType& part) {
    constexpr double worth_telling = 1e-5;
    const cell::Device& camera = c.device(s.seen_by);
    const double noise = camera.kind->tells_places(camera).value_or(0);
    const auto grip =
        std::find_if(part.grips.begin(), part.grips.end(), [&](const cell::Grip& g) { return g.id == s.grip; });
    const cell::Grip& used = grip == part.grips.end() ? part.grips.front() : *grip;
    if (noise <= 0 || used.tolerance <= 0) return std::nullopt;
    const double share = share_outside(used.tolerance, noise);
    if (share < worth_telling) return std::nullopt;
    Finding f;
    f.id = "sight:" + arm.id + ":" + camera.id + ":" + part.id;
    f.severity = share > 0.01 ? Severity::stop : Severity::watch;
    f.title = arm.name + " misses " + short_number(100 * share, share < 0.01 ? 3 : 1) + " % of " + part.name;
    const double enough = used.tolerance / std::sqrt(-2 * std::log(1e-4));
    f.text = camera.name + " tells their places within " + short_number(1e3 * noise) +
             " mm (standard deviation), and the grip bears " + short_number(1e3 * used.tolerance) +
             " mm. One in 10,000 would be missed with " + short_number(1e3 * enough) + " mm.";
    f.devices = {arm.id, camera.id};
    f.device = arm.id;
    f.step = s.id;
    return f;
}

}  // namespace

/// What a camera's noise does to the picks that take their places from it.
void sight_check(const Context& c, Inspection& result) {
    for (const cell::Device& d : c.cell.devices)
        for (const cell::Step* s : cell::all_steps(d)) {
            if (!s->enabled || s->seen_by < 0) continue;
            for (const cell::PartType& part : c.cell.part_types) {
                if (part.carrier() && !s->on_carrier) continue;
                auto f = misses(c, d, *s, part);
                // Several steps of one arm are told once.
                const bool told = f && std::any_of(result.findings.begin(), result.findings.end(),
                                           [&](const Finding& o) { return o.id == f->id; });
                if (f && !told) result.findings.push_back(std::move(*f));
            }
        }
}

}  // namespace escarp::inspection
