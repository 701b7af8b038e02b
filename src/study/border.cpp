#include "border.h"

#include <cell/text/numbers.h>
#include <inspection/timeline.h>
#include <simulation/kernel.h>

#include "way_through.h"

namespace escarp::study {
namespace {

using cell::json;
using inspection::ZoneVisit;
using simulation::seconds;
using simulation::Ticks;

constexpr double outside = 5e-3;  // m: so far before the border an arm stands at the least

/// The volume in the world, a little larger.
motion::GlideMover border_of(const cell::Device& d) {
    std::vector<geometry::Vector3> corners = simulation::kind_of(d).kept_empty(d)->space.points();
    geometry::Box3 box;
    for (const geometry::Vector3& p : corners) box.add(p);
    const geometry::Vector3 middle = 0.5 * (box.low + box.high);
    for (geometry::Vector3& p : corners) {
        const geometry::Vector3 away = p - middle;
        const double across = away.head<2>().norm();
        p.head<2>() += std::sqrt(2.0) * outside / std::max(across, 1e-9) * away.head<2>();
        p.z() += away.z() > 0 ? outside : -outside;
    }
    return {d.world, motion::part_set({{0, geometry::Convex::hull(corners), geometry::Frame::Identity(), {}, 0}})};
}

/// When an arm is inside, up to the end of what is looked at of a run.
std::vector<ZoneVisit> visits_of(
    const inspection::Timeline& timeline, int arm, const motion::Mover& space, const inspection::StopFlag* stop) {
    std::vector<ZoneVisit> all;
    for (const inspection::TimedMover& mover : timeline.movers()) {
        if (mover.device != arm) continue;
        std::map<std::uint64_t, std::vector<std::pair<double, double>>> known;
        for (const inspection::Segment& s : mover.segments) {
            motion::throw_if_stopped(stop);
            const double duration = s.motion->duration();
            const auto [times, fresh] = known.try_emplace(s.key);
            if (fresh)
                times->second = motion::contact_times(timeline.moving(mover, s), space, 0, std::max(1e-6, duration));
            for (const auto& [on, off] : times->second) {
                const Ticks enters = s.from + static_cast<Ticks>(on * 1e9);
                // After its end it stays where it is.
                const Ticks leaves = off >= duration - 1e-6 ? s.to : std::min(s.to, s.from + simulation::ticks(off));
                if (enters > s.to) continue;
                inspection::join(all, enters, leaves);
            }
        }
    }
    return all;
}

}  // namespace

cell::Edit wait_at_border(const cell::Layout& layout, const std::string& volume, const std::string& arm,
    inspection::Cache& cache, const inspection::StopFlag* stop) {
    const int v = layout.cell().device(volume), a = layout.cell().device(arm);
    const auto device = [&](int i) -> const cell::Device& { return layout.cell().devices[i]; };
    if (v < 0 || !simulation::kind_of(device(v)).kept_empty(device(v)))
        throw cell::InputError("volume", "\"" + volume + "\" is not the id of a watched volume.");
    if (a < 0 || !device(a).arm) throw cell::InputError("arm", "\"" + arm + "\" is not the id of an arm.");
    json others = json::array();
    const cell::Path at = cell::at_device(volume) / "points";
    if (const json* now = cell::find(layout.tree(), at))
        for (const json& p : *now)
            if (p.value("arm", "") != arm) others.push_back(p);
    const cell::Layout free = layout.edited({"", {cell::Operation::set(at, others)}});
    EvaluateOptions how;
    how.stop = stop;
    how.level = inspection::Level::flow;
    const auto e = evaluate(free, cache, how);
    const inspection::Timeline timeline(*e->cell, *e->run, stop);
    const std::vector<ZoneVisit> visits = visits_of(timeline, a, border_of(device(v)), stop);
    if (visits.empty())
        throw cell::InputError("arm", device(a).name + " never goes into " + device(v).name + " in this run.");
    if (visits.front().enters == 0)
        throw cell::InputError("arm",
            device(a).name + " is in " + device(v).name + " when the cell starts; another ready posture is needed.");
    json points = others;
    WayThrough(*e, a, visits, timeline.end()).add_points({{"arm", arm}}, false, points);
    return {device(a).name + " waits at the border of " + device(v).name, {cell::Operation::set(at, points)}};
}

void add_border_ways(const Evaluation& e, inspection::Inspection& inspection, inspection::Cache& cache,
    const inspection::StopFlag* stop) {
    EvaluateOptions how;
    how.stop = stop;
    for (inspection::Finding& f : inspection.findings) {
        if (!f.id.starts_with("keep-out:") || f.devices.empty()) continue;
        for (const cell::Device& d : e.cell->devices) {
            if (!d.arm) continue;
            inspection::WayOut way;
            try {
                way.edit = wait_at_border(e.layout, f.devices.front(), d.id, cache, stop);
                const cell::Layout with = e.layout.edited(way.edit);
                if (with.tree() == e.layout.tree()) continue;  // it does so already
                const auto then = evaluate(with, cache, how);
                const auto& left = then->inspection->findings;
                const auto same = std::find_if(
                    left.begin(), left.end(), [&](const inspection::Finding& other) { return other.id == f.id; });
                // Of two that have to wait the first is a way out if it happens later then.
                if (same != left.end() && *same->when_s <= *f.when_s) continue;
                way.label = "Let " + d.name + " wait at its border";
                way.effect = (same == left.end() ? "then it is empty"
                                                 : "then it is not at " + cell::fixed(*same->when_s, 2) + " s") +
                             (then->figures.cycle_s ? "; cycle " + cell::fixed(*then->figures.cycle_s, 2) + " s"
                                                    : std::string());
            } catch (const cell::InputError&) {
                continue;  // it never goes in, or cannot wait outside
            }
            f.ways_out.push_back(std::move(way));
        }
    }
}

}  // namespace escarp::study
