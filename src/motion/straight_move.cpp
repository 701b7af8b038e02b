#include <algorithm>

#include <geometry/work_done.h>

#include "chain.h"
#include "follower.h"

namespace escarp::motion {
namespace {

/// The straight line of the tool frame, on s in [0, 1].
struct StraightWay final : ToolWay {
    Frame from;
    Vector3 shift, turn;

    StraightWay(const Frame& a, const Frame& b)
        : from(a), shift(b.translation() - a.translation()), turn(geometry::rotation_between(a.linear(), b.linear())) {}
    Frame at(double s) const override {
        Frame f = from;
        f.translation() += s * shift;
        const double angle = turn.norm();
        if (angle > 1e-12) f.linear() = geometry::rotation(turn / angle, s * angle) * from.linear();
        return f;
    }
    Eigen::Matrix<double, 6, 1> rate(double) const override {
        Eigen::Matrix<double, 6, 1> twist;
        twist << shift, turn;
        return twist;
    }
};

}  // namespace

std::variant<Leg, StraightFailure> straight_leg(const StraightRequest& request) {
    Leg leg;
    leg.straight = true;
    auto nodes = follow({request.model, request.solver, request.tool, request.start, request.free_to},
        StraightWay(request.from, request.to));
    if (const auto* failure = std::get_if<StraightFailure>(&nodes)) return *failure;
    leg.nodes = std::move(std::get<std::vector<PathNode>>(nodes));
    const geometry::FrameGap whole = geometry::gap(request.from, request.to);
    const kinematics::ArmModel& model = request.model;
    const auto limit = [&](double along, double turning) {
        return std::min(
            whole.distance > 1e-9 ? along / whole.distance : 1e300, whole.angle > 1e-9 ? turning / whole.angle : 1e300);
    };
    for (PathNode& n : leg.nodes) {
        n.rate = limit(request.speed * model.line_speed, request.speed * model.turn_speed);
        n.acceleration =
            limit(request.acceleration * model.line_acceleration, request.acceleration * model.turn_acceleration);
        n.speed_share = request.speed, n.effort_share = request.acceleration;
    }
    return leg;
}

std::variant<MotionPtr, StraightFailure> straight_move(const StraightRequest& request) {
    ++geometry::work_done;
    const geometry::FrameGap whole = geometry::gap(request.from, request.to);
    if (whole.distance < 1e-9 && whole.angle < 1e-9) return standstill(request.start);
    auto leg = straight_leg(request);
    if (const auto* failure = std::get_if<StraightFailure>(&leg)) return *failure;
    return MotionPtr(std::make_shared<PathMotion>(request.model.mechanism, std::move(std::get<Leg>(leg).nodes)));
}

}  // namespace escarp::motion
