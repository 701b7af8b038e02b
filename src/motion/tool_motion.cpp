#include "tool_motion.h"

#include <algorithm>
#include <cmath>

#include <kinematics/point_motion.h>

namespace escarp::motion {
namespace {

/// How far the joints go between two instants, in steps so small that the acceleration is nearly even over one of them.
int steps(const kinematics::Mechanism& mechanism, const JointVector& from, const JointVector& to) {
    constexpr double turn = 0.03, shift = 0.015;  // rad, m
    constexpr double most = 400;
    double far = 0;
    for (int j = 0; j < mechanism.size(); ++j)
        far = std::max(
            far, std::abs(to[j] - from[j]) / (mechanism.joints[j].type == kinematics::JointType::hinge ? turn : shift));
    return static_cast<int>(std::ceil(std::min(far, most)));
}

/// Greatest value between two instants around a third that is greater than both, by golden section.
template <typename Of>
double peak(const Of& of, double low, double high) {
    constexpr double golden = 0.6180339887498949;
    double a = high - golden * (high - low), b = low + golden * (high - low), at_a = of(a), at_b = of(b);
    for (int i = 0; i < 20; ++i) {
        if (at_a > at_b) high = b, b = a, at_b = at_a, a = high - golden * (high - low), at_a = of(a);
        else low = a, a = b, at_a = at_b, b = low + golden * (high - low), at_b = of(b);
    }
    return std::max(at_a, at_b);
}

}  // namespace

double greatest_tool_acceleration(const kinematics::ArmModel& model, const Frame& tool, const Motion& motion) {
    constexpr double beside = 1e-6, worth = 0.97;
    const Vector3 point = (model.flange * tool).translation();
    const auto of = [&](double t) {
        const JointState s = motion.at(t);
        return kinematics::point_motion(model.mechanism, model.flange_link, point, s.q, s.rate, s.acceleration)
            .acceleration.norm();
    };
    struct Candidate {
        double from, to, value;
    };
    std::vector<Candidate> candidates;
    double most = 0;
    const std::vector<double> breaks = motion.breaks();
    for (std::size_t i = 0; i + 1 < breaks.size(); ++i) {
        const double length = breaks[i + 1] - breaks[i];
        if (length < 1e-9) continue;
        const double from = breaks[i] + beside * length, to = breaks[i + 1] - beside * length;
        // Even where the joints hardly move a profile's jerk bends it: some looks more where there are few pieces.
        const int count =
            std::max(breaks.size() < 40 ? 8 : 2, steps(model.mechanism, motion.position(from), motion.position(to)));
        double before = -1, last = of(from);
        most = std::max(most, last);
        for (int k = 1; k <= count; ++k) {
            const double here = of(from + (to - from) * k / count);
            most = std::max(most, here);
            if (k > 1 && last >= before && last >= here)
                candidates.push_back({from + (to - from) * (k - 2) / count, from + (to - from) * k / count, last});
            before = last, last = here;
        }
    }
    for (const Candidate& c : candidates)
        if (c.value > worth * most) most = std::max(most, peak(of, c.from, c.to));
    return most;
}

}  // namespace escarp::motion
