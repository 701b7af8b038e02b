#include "mechanism.h"

#include <geometry/indices.h>
#include <geometry/work_done.h>
#include <algorithm>
#include <cassert>
#include <cmath>

namespace escarp::kinematics {
namespace {

/// a * b without the general product's calls: this is most of what a clearance query costs.
void compose(const Frame& a, const Frame& b, Frame& out) {
    const auto& p = a.matrix();
    const auto& q = b.matrix();
    auto& m = out.matrix();
    for (int c = 0; c < 4; ++c)
        for (int r = 0; r < 3; ++r)
            m(r, c) = p(r, 0) * q(0, c) + p(r, 1) * q(1, c) + p(r, 2) * q(2, c) + (c == 3 ? p(r, 3) : 0.0);
    m.row(3) << 0, 0, 0, 1;
}

Frame moved(const Joint& joint, double value) {
    Frame f = joint.at;
    auto& m = f.matrix();
    if (joint.type == JointType::slide) {
        for (int r = 0; r < 3; ++r)
            m(r, 3) += value * (m(r, 0) * joint.axis.x() + m(r, 1) * joint.axis.y() + m(r, 2) * joint.axis.z());
        return f;
    }
    int k = 0;
    joint.axis.cwiseAbs().maxCoeff(&k);
    if (std::abs(joint.axis[k]) < 1 - 1e-15) {
        f.linear() = (f.linear() * geometry::rotation(joint.axis, value)).eval();
        return f;
    }
    // About one of its own axes: only the other two columns turn.
    const int i = (k + 1) % 3, j = (k + 2) % 3;
    const double c = std::cos(value), s = joint.axis[k] > 0 ? std::sin(value) : -std::sin(value);
    for (int r = 0; r < 3; ++r) {
        const double x = m(r, i), y = m(r, j);
        m(r, i) = c * x + s * y, m(r, j) = c * y - s * x;
    }
    return f;
}

}  // namespace

bool Mechanism::limits_jerk() const {
    return std::any_of(joints.begin(), joints.end(), [](const Joint& j) { return j.jerk > 0; });
}

double Mechanism::value(int code, const JointVector& q) const {
    if (code < size()) return q[code];
    const Follower& f = followers[code - size()];
    return f.ratios.dot(q) + f.offset;
}

int Mechanism::carrier(int link) const {
    if (link > 0 && link <= size() && joints[link - 1].child == link) return link - 1;  // as most are numbered
    for (int code = 0; code < size() + static_cast<int>(followers.size()); ++code)
        if (connection(code).child == link) return code;
    return -1;
}

std::vector<int> Mechanism::chain(int link) const {
    std::vector<int> path;
    for (int code = carrier(link); code >= 0; code = carrier(connection(code).parent)) path.push_back(code);
    std::reverse(path.begin(), path.end());
    return path;
}

void Mechanism::link_frames(const JointVector& q, const Frame& base, std::vector<Frame>& out) const {
    ++geometry::work_done;
    assert(q.size() == size());
    assert(followers.empty() || order.size() == joints.size() + followers.size());
    out.resize(links.size(), Frame::Identity());
    out[0] = base;
    if (order.empty()) {
        for (int j = 0; j < size(); ++j) compose(out[joints[j].parent], moved(joints[j], q[j]), out[joints[j].child]);
        return;
    }
    for (const int code : order) {
        const Joint& joint = connection(code);
        compose(out[joint.parent], moved(joint, value(code, q)), out[joint.child]);
    }
}

bool Mechanism::within_limits(const JointVector& q, double tolerance) const {
    for (int j = 0; j < size(); ++j)
        if (q[j] < joints[j].low - tolerance || q[j] > joints[j].high + tolerance) return false;
    return followers_within(q, tolerance);
}

bool Mechanism::followers_within(const JointVector& q, double tolerance) const {
    for (const int f : indices(followers)) {
        const double at = value(size() + f, q);
        if (at < followers[f].joint.low - tolerance || at > followers[f].joint.high + tolerance) return false;
    }
    return true;
}

Jacobian jacobian(const Mechanism& m, const std::vector<Frame>& links, int link, const Vector3& point) {
    Jacobian columns = Jacobian::Zero(6, m.size());
    for (int code = m.carrier(link); code >= 0; code = m.carrier(m.connection(code).parent)) {
        const Joint& joint = m.connection(code);
        const Frame& child = links[joint.child];
        const Vector3 axis = child.linear() * joint.axis;
        Eigen::Matrix<double, 6, 1> column = Eigen::Matrix<double, 6, 1>::Zero();
        if (joint.type == JointType::slide) {
            column.head<3>() = axis;
        } else {
            column.head<3>() = axis.cross(point - child.translation());
            column.tail<3>() = axis;
        }
        if (code < m.size()) columns.col(code) += column;
        else columns += column * m.followers[code - m.size()].ratios.transpose();
    }
    return columns;
}

JointVector lever_bounds(const Mechanism& m, int link, const Vector3& centre, double radius) {
    JointVector levers = JointVector::Zero(m.size());
    // Walk inwards; `far` bounds the distance from the present link's origin to the ball's farthest point.
    double far = centre.norm() + radius;
    const Vector3& seen = centre;  // the ball's centre in the present link, while that is still fixed there
    bool fixed = true;
    for (int code = m.carrier(link); code >= 0; code = m.carrier(m.connection(code).parent)) {
        const Joint& joint = m.connection(code);
        double lever = 1.0;
        if (joint.type == JointType::slide) far += std::max(std::abs(joint.low), std::abs(joint.high));
        else lever = fixed ? joint.axis.cross(seen).norm() + radius : far;
        if (code < m.size()) levers[code] += lever;
        else levers += lever * m.followers[code - m.size()].ratios.cwiseAbs();
        far += joint.at.translation().norm();
        fixed = false;
    }
    return levers;
}

double travel_bound(const Mechanism& m, const std::vector<Frame>& links, int link, const Vector3& centre, double radius,
    const JointVector& by, int seen_from) {
    double way = 0;  // of the ball, by the joints from the tip to the present one
    for (int at = link; at != seen_from;) {
        const int code = m.carrier(at);
        if (code < 0) break;
        const Joint& joint = m.connection(code);
        at = joint.parent;
        const double turn = code < m.size() ? by[code] : m.followers[code - m.size()].ratios.cwiseAbs().dot(by);
        if (turn == 0) continue;
        if (joint.type == JointType::slide) {
            way += turn;
            continue;
        }
        const Frame& child = links[joint.child];
        const Vector3 arm = centre - child.translation(), axis = child.linear() * joint.axis;
        const double along = axis.dot(arm);
        way += turn * (std::sqrt(std::max(0.0, arm.squaredNorm() - along * along)) + radius + way);
    }
    return way;
}

namespace {
/// What one joint, or a follower, does in a time.
struct Turned {
    double turn, speed, off;  ///< at most; the rate it has now; how far it gets from where that would bring it
    Turned(const Mechanism& m, int code, const JointVector& rate, const JointVector& by, const JointVector& bend) {
        if (code < m.size()) {
            turn = by[code], speed = rate[code], off = bend[code];
        } else {
            const JointVector& ratios = m.followers[code - m.size()].ratios;
            turn = ratios.cwiseAbs().dot(by), speed = ratios.dot(rate), off = ratios.cwiseAbs().dot(bend);
        }
    }
};
}  // namespace

Course course(const Mechanism& m, const std::vector<Frame>& links, int link, const Vector3& centre, double radius,
    const JointVector& rate, const JointVector& by, const JointVector& bend) {
    Course c;
    double way = 0;  // of the ball, by the joints from the tip to the present one
    for (int at = link;;) {
        const int code = m.carrier(at);
        if (code < 0) break;
        const Joint& joint = m.connection(code);
        at = joint.parent;
        const auto [turn, speed, off] = Turned(m, code, rate, by, bend);
        if (turn == 0) continue;
        const Frame& child = links[joint.child];
        const Vector3 axis = child.linear() * joint.axis;
        if (joint.type == JointType::slide) {
            c.velocity += speed * axis, c.rest += off;
            way += turn;
            continue;
        }
        const Vector3 across = axis.cross(centre - child.translation());
        const double out = across.norm() + radius, lever = out + way;
        c.velocity += speed * across, c.turning += speed * axis;
        c.rest += off * out + turn * (way + 0.5 * lever * turn);
        way += turn * lever;
    }
    return c;
}

Drift drift_bound(const Mechanism& m, const std::vector<Frame>& links, int link, const Vector3& centre, double radius,
    const Vector3& point, const Vector3& along, const JointVector& rate, const JointVector& by,
    const JointVector& bend) {
    Drift out;
    double way = 0, straight = 0;
    Vector3 turning = Vector3::Zero();
    const double far = (point - centre).norm() + radius;  // of the body's points from that one
    for (int at = link;;) {
        const int code = m.carrier(at);
        if (code < 0) break;
        const Joint& joint = m.connection(code);
        at = joint.parent;
        const auto [turn, speed, off] = Turned(m, code, rate, by, bend);
        if (turn == 0) continue;
        const Frame& child = links[joint.child];
        const Vector3 axis = child.linear() * joint.axis;
        if (joint.type == JointType::slide) {
            const double share = along.dot(axis);
            straight += speed * share, out.rest += off * std::abs(share);
            way += turn;
            continue;
        }
        const Vector3 arm = centre - child.translation(), cross = along.cross(axis);
        const double lift = cross.dot(point - child.translation()), height = axis.dot(arm);
        straight += speed * lift, turning += speed * cross;
        const double lever = std::sqrt(std::max(0.0, arm.squaredNorm() - height * height)) + radius + way;
        out.rest += off * (std::abs(lift) + far * cross.norm()) + turn * (way + 0.5 * lever * turn);
        way += turn * lever;
    }
    out.straight = std::abs(straight), out.turning = turning;
    return out;
}

bool carried_by(const Mechanism& m, int link, int carrier) {
    while (link != carrier) {
        const int code = m.carrier(link);
        if (code < 0) return false;
        link = m.connection(code).parent;
    }
    return true;
}

double reach_bound(const ArmModel& model) {
    double far = model.flange.translation().norm();
    for (const int code : model.mechanism.chain(model.flange_link)) {
        const Joint& joint = model.mechanism.connection(code);
        far += joint.at.translation().norm();
        if (joint.type == JointType::slide) far += std::max(std::abs(joint.low), std::abs(joint.high));
    }
    return far;
}

Frame ArmModel::flange_frame(const JointVector& q) const {
    thread_local std::vector<Frame> frames;  // asked for with every step of a run
    mechanism.link_frames(q, Frame::Identity(), frames);
    return frames[flange_link] * flange;
}

}  // namespace escarp::kinematics
