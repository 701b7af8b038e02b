#include <algorithm>

#include <geometry/work_done.h>
#include <cassert>
#include <cmath>

#include "motion.h"

namespace escarp::motion {
namespace {

class JointMove final : public Motion {
public:
    JointMove(JointVector from, JointVector travel, Profile profile)
        : from_(std::move(from)), travel_(std::move(travel)), profile_(profile) {}

    std::size_t bytes() const override { return sizeof *this; }
    double duration() const override { return profile_.duration(); }
    JointState at(double t) const override {
        const PathState p = profile_.at(t);
        return {from_ + p.s * travel_, p.rate * travel_, p.acceleration * travel_};
    }
    JointVector position(double t) const override { return from_ + profile_.at(t).s * travel_; }
    JointVector rate_bound(double from, double to) const override {
        return profile_.greatest_rate(from, to) * travel_.cwiseAbs();
    }
    std::optional<JointVector> acceleration_bound(double from, double to) const override {
        return profile_.greatest_acceleration(from, to) * travel_.cwiseAbs();
    }
    std::vector<double> breaks() const override {
        std::vector<double> all;
        for (const Profile::Piece& p : profile_.pieces()) all.push_back(p.t);
        all.push_back(duration());
        return all;
    }

private:
    JointVector from_, travel_;
    Profile profile_;
};

class Standstill final : public Motion {
public:
    explicit Standstill(JointVector q) : q_(std::move(q)) {}
    std::size_t bytes() const override { return sizeof *this; }
    double duration() const override { return 0; }
    JointState at(double) const override { return {q_, JointVector::Zero(q_.size()), JointVector::Zero(q_.size())}; }
    JointVector rate_bound(double, double) const override { return JointVector::Zero(q_.size()); }
    std::optional<JointVector> acceleration_bound(double, double) const override {
        return JointVector::Zero(q_.size());
    }
    std::vector<double> breaks() const override { return {0.0}; }

private:
    JointVector q_;
};

}  // namespace

MotionPtr joint_move(const kinematics::Mechanism& mechanism, const JointVector& from, const JointVector& to,
    double speed, double acceleration) {
    ++geometry::work_done;
    assert(speed > 0 && speed <= 1 && acceleration > 0 && acceleration <= 1);
    const JointVector travel = to - from;
    double v = 1e300, a = 1e300, j = 1e300;
    for (int i = 0; i < mechanism.size(); ++i) {
        const double d = std::abs(travel[i]);
        if (d < 1e-12) continue;
        const kinematics::Joint& joint = mechanism.joints[i];
        v = std::min(v, speed * joint.speed / d);
        a = std::min(a, acceleration * joint.acceleration / d);
        if (joint.jerk > 0) j = std::min(j, joint.jerk / d);
    }
    if (v == 1e300) return standstill(to);
    return std::make_shared<JointMove>(from, travel, Profile(v, a, j < 1e300 ? j : 0.0));
}

MotionPtr standstill(const JointVector& q) { return std::make_shared<Standstill>(q); }

}  // namespace escarp::motion
