#include "reach_ways.h"

#include <algorithm>
#include <cmath>
#include <map>

#include <cell/model/catalogue.h>
#include <geometry/indices.h>
#include <simulation/kernel.h>
#include <simulation/kinds.h>

#include "base_field.h"

namespace escarp::inspection {
namespace {

/// Tries shifts of one device over the floor until every pose that it touches is reached, shortest first.
class ShiftSearch {
public:
    ShiftSearch(const Context& c, const std::vector<PoseNeed>& poses, int moved) : c_(c), moved_(moved) {
        for (const PoseNeed& n : poses)
            if (shifts(n.arm) != (n.other >= 0 && shifts(n.other))) touched_.push_back(&n);
    }
    bool all_reached(const Vector3& shift) const {
        return std::all_of(touched_.begin(), touched_.end(), [&](const PoseNeed* n) {
            const cell::Arm& arm = c_.device(n->arm).arm->with_tool(n->tool);
            for (const Frame& world : n->tools_world()) {
                const Frame tool = relative(*n, world, shift);
                for (const double back : {0.0, n->approach, n->retreat}) {
                    const Frame pose = tool * geometry::make_frame({0, 0, -back});
                    if (!arm.solver->reachable(pose * arm.tool_frame.inverse(), arm.ready)) return false;
                }
            }
            return true;
        });
    }
    double least_margin(const Vector3& shift) const {
        double least = 0.2;
        for (const PoseNeed* n : touched_)
            for (const Frame& world : n->tools_world())
                least = std::min(least, kept_reach(c_.device(n->arm).arm->with_tool(n->tool),
                                            relative(*n, world, shift), nullptr, 0.06, c_.cache)
                                            .margin);
        return least;
    }
    std::string effect(double margin) const {
        return (touched_.size() == 1 ? std::string("the pose is reached, ")
                                     : "all " + std::to_string(touched_.size()) + " poses reached, ") +
               millimetres(margin) + " mm in hand";
    }
    /// The shortest shift that reaches everything, lengthened a little if that leaves a better margin.
    std::optional<Vector3> find() const {
        constexpr double stride = 0.02, longest = 0.6;
        double length = 0;
        while ((length += stride) <= longest)
            for (int k = 0; k < 24; ++k) {
                const double angle = 2 * geometry::pi * k / 24;
                const Vector3 direction(std::cos(angle), std::sin(angle), 0);
                if (!all_reached(length * direction)) continue;
                Vector3 best = length * direction;
                double margin = least_margin(best);
                for (int more = 1; more <= 4 && margin < 0.04; ++more) {
                    const Vector3 longer = (length + more * stride) * direction;
                    if (!all_reached(longer)) break;
                    const double there = least_margin(longer);
                    if (there > margin) margin = there, best = longer;
                }
                return Vector3((best * 1e3).array().round() * 1e-3);
            }
        return std::nullopt;
    }

private:
    bool shifts(int device) const { return device == moved_ || c_.cell.stands_on(device, moved_); }
    Frame relative(const PoseNeed& n, Frame tool, const Vector3& shift) const {
        Frame base = c_.device(n.arm).world;
        if (shifts(n.arm)) base.translation() += shift;
        else tool.translation() += shift;
        return base.inverse() * tool;
    }
    const Context& c_;
    int moved_;
    std::vector<const PoseNeed*> touched_;
};

std::optional<WayOut> way_by_moving(const Context& c, const std::vector<PoseNeed>& poses, int device, int toward) {
    const int root = movable_root(c.cell, device);
    const ShiftSearch search(c, poses, root);
    const std::optional<Vector3> shift = search.find();
    if (!shift || !search.all_reached(*shift)) return std::nullopt;
    WayOut way = way_of_shift(c, device, *shift);
    const std::string name = c.device(device).name;
    const Vector3 to_target = c.device(toward).world.translation() - c.device(device).world.translation();
    const bool closer = to_target.head<2>().normalized().dot(shift->head<2>().normalized()) > 0.5;
    if (closer)
        way.label = way.edit.name =
            "Move " + name + " " + millimetres(shift->norm()) + " mm toward " + c.device(toward).name;
    way.effect = search.effect(search.least_margin(*shift));
    return way;
}

/// From a place that is reached toward one that is not: how far everything is, to a millimetre.
double reached_up_to(const Context& c, const PoseNeed& n, double good, double bad) {
    const cell::Device& carrier = c.device(n.other);
    const auto stands = [&](double way) { return simulation::kind_of(carrier).rides_at(carrier, way); };
    const Frame on_path = stands(n.window.front().way).inverse() * n.window.front().tool_world;
    while (std::abs(good - bad) > 5e-4) {
        const double way = 0.5 * (good + bad);
        PoseNeed one = at_place(n, {way, stands(way) * on_path});
        judge_pose(c.cell, one, c.cache);
        (one.reached ? good : bad) = way;
    }
    return good;
}

/// The step that asks for a pose, where it is its arm's own.
const cell::Step* own_step(const Context& c, const PoseNeed& n) {
    for (const cell::Step* s : cell::all_steps(c.device(n.arm)))
        if (s->id == n.step_id && !s->shared) return s;
    return nullptr;
}

/// A window that holds only what is reached.
std::optional<WayOut> narrower(const Context& c, const PoseNeed& n) {
    const auto good = stretches(n, true);
    if (good.empty()) return std::nullopt;
    const auto shorter = [](const auto& a, const auto& b) { return a.second - a.first < b.second - b.first; };
    auto longest = *std::max_element(good.begin(), good.end(), shorter);
    for (std::size_t i = 0; i + 1 < n.window.size(); ++i) {
        const WindowPlace &here = n.window[i], &next = n.window[i + 1];
        if (next.way == longest.first && !here.reached) longest.first = reached_up_to(c, n, next.way, here.way);
        if (here.way == longest.second && !next.reached) longest.second = reached_up_to(c, n, here.way, next.way);
    }
    const double from = std::ceil(longest.first * 1e3), to = std::floor(longest.second * 1e3);
    if (to - from < 10) return std::nullopt;
    if (const cell::Step* s = own_step(c, n))
        return WayOut{"Meet it from " + cell::shortest(from) + " to " + cell::shortest(to) + " mm",
            "the tracking window holds only what is reached",
            {"Narrow the tracking window", {cell::Operation::set("/" + s->path + "/window_from_mm", from),
                                               cell::Operation::set("/" + s->path + "/window_to_mm", to)}}};
    return std::nullopt;
}

/// What a device and all that stands with it rests on, and whose height can be set; -1: none.
int height_giver(const cell::Cell& cell, int device) {
    for (int d = device; d >= 0; d = cell.devices[d].host)
        if (cell::find_field(cell.devices[d].kind->fields(), "height_mm") &&
            cell.devices[d].mount_world().translation().z() - cell.devices[d].world.translation().z() > 0.01)
            return d;
    return -1;
}

/// Higher or lower: the arm, or what it reaches for.
std::optional<WayOut> way_by_height(const Context& c, const std::vector<PoseNeed>& poses, int device) {
    constexpr double stride = 0.005, most = 0.4;
    const int giver = height_giver(c.cell, device);
    // An arm on the floor itself stands on a plinth then.
    const bool lifts = giver < 0 && c.device(device).host < 0;
    if (giver < 0 && !lifts) return std::nullopt;
    const ShiftSearch search(c, poses, giver < 0 ? device : giver);
    for (double by = stride; by <= most + 1e-9; by += by < 0.05 ? stride : 4 * stride)
        for (const double way : {by, -by}) {
            if (lifts && way < 0) continue;
            const Vector3 shift(0, 0, way);
            if (!search.all_reached(shift)) continue;
            // A little more, where that leaves a better margin.
            Vector3 best = shift;
            double margin = search.least_margin(best);
            for (int more = 1; more <= 4 && margin < 0.03; ++more) {
                const Vector3 farther(0, 0, way + (way > 0 ? 1 : -1) * more * 2 * stride);
                if (!search.all_reached(farther)) break;
                if (const double there = search.least_margin(farther); there > margin) margin = there, best = farther;
            }
            const cell::Device& d = c.device(giver < 0 ? device : giver);
            const double now = giver < 0 ? d.placement.translation().z()
                                         : d.mount_world().translation().z() - d.world.translation().z();
            const double height = std::round(1e4 * (now + best.z())) / 10;
            if (giver >= 0 && height < 20) continue;
            WayOut out;
            out.label =
                (best.z() > 0 ? "Raise " : "Lower ") + d.name + " by " + millimetres(std::abs(best.z())) + " mm";
            out.effect = search.effect(margin);
            const cell::Path at =
                giver < 0 ? cell::at_device(d.id) / "placement" / "z_mm" : cell::at_device(d.id) / "height_mm";
            out.edit = {out.label, {cell::Operation::set(at, height)}};
            return out;
        }
    return std::nullopt;
}

/// Whether all of some poses are reached when each is changed.
template <typename Change>
bool reached_with(const Context& c, const std::vector<const PoseNeed*>& some, const Change& change) {
    return std::all_of(some.begin(), some.end(), [&](const PoseNeed* n) {
        PoseNeed other = *n;
        if (!change(other)) return false;
        judge_pose(c.cell, other, c.cache);
        return other.reached;
    });
}

std::optional<WayOut> way_by_approach(const Context& c, const std::vector<const PoseNeed*>& some) {
    const PoseNeed& first = *some.front();
    const cell::Step* step = own_step(c, first);
    const bool lines = std::all_of(some.begin(), some.end(), [](const PoseNeed* n) { return n->pose_reached; });
    if (!step || !lines || first.window.size() > 0) return std::nullopt;
    const double longest = std::max(first.approach, first.retreat);
    for (double back = 0.01 * std::floor(longest / 0.01 - 1e-9); back >= 0.0099; back -= 0.01) {
        const bool good = reached_with(c, some, [&](PoseNeed& n) {
            n.approach = std::min(n.approach, back), n.retreat = std::min(n.retreat, back);
            return true;
        });
        if (!good) continue;
        WayOut out{"Approach and retreat by " + millimetres(back) + " mm", "the straight moves are reached, too", {}};
        out.edit.name = out.label;
        const auto set = [&](const char* key, double now) {
            if (now > back)
                out.edit.operations.push_back(
                    cell::Operation::set("/" + step->path + "/" + key, std::round(back * 1e3)));
        };
        set("approach_mm", first.approach), set("retreat_mm", first.retreat);
        return out;
    }
    return std::nullopt;
}

/// Where a part of a need stands, world; nothing for what is no seat of a device.
std::optional<Frame> stands(const Context& c, const PoseNeed& n) {
    if (n.other < 0 || n.seat < 0 || n.part_type < 0 || !n.window.empty()) return std::nullopt;
    const cell::Device& d = c.device(n.other);
    if (static_cast<std::size_t>(n.seat) >= std::max<std::size_t>(1, d.seats.size())) return std::nullopt;
    return d.world * simulation::kind_of(d).seat_frame(d, n.seat, c.cell.part_types[n.part_type]);
}

std::optional<WayOut> way_by_turning(const Context& c, const std::vector<const PoseNeed*>& some) {
    const cell::Step* step = own_step(c, *some.front());
    if (!step || step->on_carrier || !cell::find_field(step->kind->fields(), "turn_deg")) return std::nullopt;
    for (const double degrees : {90.0, -90.0, 180.0, 45.0, -45.0, 135.0, -135.0}) {
        const Frame turn = geometry::make_frame(Vector3::Zero(), {0, 0, degrees * geometry::degree});
        const bool good = reached_with(c, some, [&](PoseNeed& n) {
            const auto at = stands(c, n);
            if (at) n.tool_world = *at * turn * at->inverse() * n.tool_world;
            return at.has_value();
        });
        if (!good) continue;
        double to = step->turn / geometry::degree + degrees;
        to = std::round((to > 180 ? to - 360 : to <= -180 ? to + 360 : to) * 10) / 10;
        WayOut out{"Turn the tool by " + cell::shortest(degrees) + "\u00b0 at the part", "the pose is reached", {}};
        out.edit = {out.label, {cell::Operation::set("/" + step->path + "/turn_deg", to)}};
        return out;
    }
    return std::nullopt;
}

std::optional<WayOut> way_by_grip(const Context& c, const std::vector<const PoseNeed*>& some) {
    const PoseNeed& first = *some.front();
    const cell::Step* step = own_step(c, first);
    if (!step || step->on_carrier || step->kind->reach() != cell::Reach::part || first.part_type < 0)
        return std::nullopt;
    const cell::PartType& part = c.cell.part_types[first.part_type];
    const Frame now = part.grip(step->grip);
    for (const auto& grip : part.grips) {
        if (geometry::gap(grip.at, now).distance < 1e-9 && geometry::gap(grip.at, now).angle < 1e-9) continue;
        const bool good = reached_with(c, some, [&](PoseNeed& n) {
            const bool same = n.part_type == first.part_type;
            n.tool_world = n.tool_world * now.inverse() * grip.at;
            return same && stands(c, n).has_value();
        });
        if (!good) continue;
        WayOut out{"Grip " + part.name + " at \"" + grip.id + "\"", "the pose is reached", {}};
        out.edit = {out.label, {cell::Operation::set("/" + step->path + "/grip", grip.id)}};
        return out;
    }
    return std::nullopt;
}

}  // namespace

std::vector<WayOut> reach_ways(
    const Context& c, const std::vector<PoseNeed>& poses, const std::vector<const PoseNeed*>& some) {
    std::vector<WayOut> ways;
    const PoseNeed& n = *some.front();
    const auto take = [&](std::optional<WayOut> way) {
        if (way) ways.push_back(std::move(*way));
    };
    if (!n.window.empty()) take(narrower(c, n));
    const bool apart = n.other < 0 || c.cell.root(n.other) != c.cell.root(n.arm);
    if (n.other >= 0) {
        take(way_by_moving(c, poses, n.arm, n.other));
        if (apart) take(way_by_moving(c, poses, n.other, n.arm));
    }
    take(way_by_height(c, poses, n.arm));
    if (n.other >= 0 && apart) take(way_by_height(c, poses, n.other));
    take(way_by_approach(c, some));
    if (ways.size() < 2) take(way_by_turning(c, some));
    if (ways.size() < 2) take(way_by_grip(c, some));
    return ways;
}

std::string longer_arm(const Context& c, const std::vector<PoseNeed>& poses, int arm) {
    struct Catalogue {
        std::shared_ptr<const cell::Cell> cell =
            cell::read_cell({{"escarp", 1}, {"arm_models", cell::catalogue_arms()}, {"devices", cell::json::array()}},
                simulation::standard_kinds());
        std::map<const kinematics::ArmModel*, std::shared_ptr<const kinematics::JointSolver>> solvers;
        Catalogue() {
            for (const kinematics::ArmModel& m : cell->arm_models) solvers[&m] = kinematics::make_joint_solver(m);
        }
    };
    static const Catalogue catalogue;
    const cell::Device& d = c.device(arm);
    const double now = kinematics::reach_bound(*d.arm->model);
    std::vector<const kinematics::ArmModel*> longer;
    for (const kinematics::ArmModel& m : catalogue.cell->arm_models)
        if (m.mechanism.size() == d.arm->model->mechanism.size() && kinematics::reach_bound(m) > now)
            longer.push_back(&m);
    std::sort(longer.begin(), longer.end(),
        [](const auto* a, const auto* b) { return kinematics::reach_bound(*a) < kinematics::reach_bound(*b); });
    for (const kinematics::ArmModel* m : longer) {
        const auto& solver = catalogue.solvers.at(m);
        const bool all = std::all_of(poses.begin(), poses.end(), [&](const PoseNeed& n) {
            if (n.arm != arm) return true;
            const Frame flange = d.arm->with_tool(n.tool).tool_frame.inverse();
            for (const Frame& world : n.tools_world())
                for (const double back : {0.0, n.approach, n.retreat})
                    if (!solver->reachable(
                            d.world.inverse() * world * geometry::make_frame({0, 0, -back}) * flange, m->ready))
                        return false;
            return true;
        });
        if (all) return m->name;
    }
    return {};
}

bool reached_after(const Context& c, const std::vector<PoseNeed>& poses, int device, const Vector3& shift) {
    return ShiftSearch(c, poses, device).all_reached(shift);
}

WayOut way_of_shift(const Context& c, int device, const Vector3& shift) {
    const cell::Device& d = c.device(movable_root(c.cell, device));
    const Frame host = d.host >= 0 ? c.device(d.host).mount_world() : Frame::Identity();
    const Vector3 placed = d.placement.translation() + host.linear().transpose() * shift;
    const auto tenths = [](double metres) { return std::round(metres * 1e4) / 10; };
    WayOut way;
    way.label = "Move " + c.device(device).name + " " + millimetres(shift.norm()) + " mm (x " + millimetres(shift.x()) +
                ", y " + millimetres(shift.y()) + ")";
    way.edit = {way.label, {cell::Operation::set(cell::at_device(d.id) / "placement" / "x_mm", tenths(placed.x())),
                               cell::Operation::set(cell::at_device(d.id) / "placement" / "y_mm", tenths(placed.y()))}};
    return way;
}

}  // namespace escarp::inspection
