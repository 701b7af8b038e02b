#pragma once
// Seeded draws for property tests.

#include <random>

#include <geometry/convex.h>
#include <kinematics/mechanism.h>

namespace escarp::tests {

class Draw {
public:
    explicit Draw(unsigned seed) : engine_(seed) {}
    double in(double low, double high) { return low + (high - low) * (static_cast<double>(engine_()) / 4294967296.0); }
    int whole(int low, int high) { return low + static_cast<int>(engine_() % static_cast<unsigned>(high - low + 1)); }
    geometry::Vector3 vector(double size) { return {in(-size, size), in(-size, size), in(-size, size)}; }
    geometry::Vector3 direction() {
        while (true) {
            const geometry::Vector3 v = vector(1);
            if (v.norm() > 0.1 && v.norm() < 1) return v.normalized();
        }
    }
    geometry::Frame frame(double size) {
        geometry::Frame f = geometry::Frame::Identity();
        f.translation() = vector(size);
        f.linear() = geometry::rotation(direction(), in(-geometry::pi, geometry::pi));
        return f;
    }
    geometry::Convex convex() {
        switch (whole(0, 4)) {
            case 0: return geometry::Convex::box({in(0.02, 1), in(0.02, 1), in(0.02, 1)});
            case 1: return geometry::Convex::cylinder(in(0.02, 0.8), in(0.02, 1));
            case 2: return geometry::Convex::sphere(in(0.02, 0.8));
            case 3: return geometry::Convex::capsule(vector(0.5), vector(0.5), in(0.02, 0.3));
            default: {
                std::vector<geometry::Vector3> points;
                for (int i = 0; i < 12; ++i) points.push_back(vector(0.4));
                return geometry::Convex::hull(points);
            }
        }
    }

private:
    std::mt19937 engine_;
};

/// Joint values within the limits, of followers too.
inline kinematics::JointVector random_joints(const kinematics::ArmModel& m, Draw& draw) {
    kinematics::JointVector q(m.mechanism.size());
    do
        for (int j = 0; j < q.size(); ++j) q[j] = draw.in(m.mechanism.joints[j].low, m.mechanism.joints[j].high);
    while (!m.mechanism.followers_within(q));
    return q;
}

}  // namespace escarp::tests
