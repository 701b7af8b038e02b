#include "nearest_gap.h"

#include <algorithm>
#include <cmath>
#include <queue>

#include "point_motion.h"

namespace escarp::kinematics {
namespace {

constexpr double tolerance = 7e-4;    ///< m: a gap that is nearer than the best known by less does not matter
constexpr double finest = 8e-4;       ///< m: half a cell beside a joint's limit
constexpr double coarsest = 0.051;    ///< m: half a cell that may be judged as a whole
constexpr double safety = 1.5;        ///< for what the second order leaves out
constexpr double finest_bare = 3e-3;  ///< m: half a cell beside a singular position, where the gap is no thin sheet
constexpr int most_looks = 20000,
              most_looks_free = 3000;  ///< the latter where a joint is free: a look takes fifty times as long

using Ways = Eigen::Matrix<double, 3, Eigen::Dynamic, 0, 3, 3>;
using Slopes = Eigen::Matrix<double, Eigen::Dynamic, 3, 0, most_joints, 3>;  ///< of each joint per metre of shift

using JointSquare = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, 0, most_joints, most_joints>;

class GapSearch {
public:
    GapSearch(const ArmModel& model, const JointSolver& solver, const Frame& target, const JointVector& reference,
        const Ways& ways, double cap)
        : model_(model),
          solver_(solver),
          target_(target),
          reference_(reference),
          ways_(ways),
          length_(arm_length(model)),
          best_{cap, Vector3::Zero()},
          free_(solver.free_joints()) {
        for (int j = 0; j < model.mechanism.size(); ++j)
            if (std::find(free_.begin(), free_.end(), j) == free_.end()) driven_.push_back(j);
    }

    std::optional<Gap> run(const std::optional<Gap>& known) {
        const double cap = best_.distance;
        if (known && known->distance < cap) came_to_a_gap((known->distance + tolerance) * known->direction);
        open_.push({0, Vector3::Zero(), cap});
        const int most = free_.empty() ? most_looks : most_looks_free;
        while (!open_.empty() && looks_ < most) {
            const Cell cell = open_.top();
            open_.pop();
            if (cell.nearest >= best_.distance - tolerance) break;
            look(cell);
        }
        if (best_.distance >= cap) return std::nullopt;
        return best_;
    }

private:
    struct Cell {
        double nearest;  ///< of its points to the pose, m
        Vector3 middle;  ///< a shift
        double half;
        bool operator<(const Cell& other) const { return nearest > other.nearest; }
    };

    bool reached(const Vector3& shift) const { return solver_.reachable(moved(shift), reference_); }
    Frame moved(const Vector3& shift) const {
        Frame f = target_;
        f.translation() += shift;
        return f;
    }

    void look(const Cell& cell) {
        ++looks_;
        const double radius = cell.half * std::sqrt(static_cast<double>(ways_.cols()));
        bool any = false, keeps = false;
        const auto judge = [&] {
            const auto last =
                std::find_if(all_.begin(), all_.end(), [this](const JointSolution& s) { return s.posture == kept_; });
            if (last != all_.end()) std::iter_swap(all_.begin(), last);
            for (const JointSolution& s : all_) {
                if (!s.within_limits) continue;
                any = true;
                keeps = cell.half <= coarsest && keeps_limits(s.q, cell.middle, radius);
                if (!keeps) continue;
                kept_ = s.posture, held_ = s.q;
                break;
            }
        };
        // Where a joint is free there are hundreds of solutions: those at its value that kept the limits last may do.
        if (!free_.empty() && held_) {
            JointVector there = reference_;
            for (const int j : free_) there[j] = (*held_)[j];
            solver_.held(moved(cell.middle), there, all_);
            judge();
        }
        if (!keeps && !(any && cell.half > coarsest)) {
            solver_.solve(moved(cell.middle), reference_, all_);
            judge();
        }
        if (keeps && corners_reached(cell)) return;
        if (!any) came_to_a_gap(cell.middle);
        if (cell.half > (keeps ? finest_bare : finest)) divide(cell);
    }

    /// The gap begins somewhere on the way to a place that is not reached; its nearest place around there is looked
    /// for.
    void came_to_a_gap(const Vector3& place) {
        if (!nearer_along(place)) return;
        constexpr double widest = 0.3, narrowest = 1e-3;
        for (double angle = widest; angle > narrowest;) {
            const Vector3 d = best_.direction, side = d.unitOrthogonal(), other = d.cross(side);
            bool better = false;
            for (int k = 0; k < 6 && !better; ++k) {
                const double turn = geometry::pi * k / 3;
                Vector3 tried =
                    std::cos(angle) * d + std::sin(angle) * (std::cos(turn) * side + std::sin(turn) * other);
                if (ways_.cols() < 3) tried = (ways_ * (ways_.transpose() * tried)).normalized();
                better = nearer_along((best_.distance - 0.1 * tolerance) * tried);
            }
            if (!better) angle *= 0.5;
        }
    }
    /// Where the gap begins on the way to a place, if that place is in it and it begins nearer than the best.
    bool nearer_along(const Vector3& place) {
        const double far = place.norm();
        double low = 0, high = std::min(far, best_.distance);
        if (far < 1e-9 || reached(high / far * place)) return false;
        while (high - low > 0.1 * tolerance) {
            const double middle = 0.5 * (low + high);
            (reached(middle / far * place) ? low : high) = middle;
        }
        if (low >= best_.distance) return false;
        best_ = {low, place / far};
        return true;
    }

    void divide(const Cell& cell) {
        const double half = 0.5 * cell.half;
        for (int corner = 0; corner < 1 << ways_.cols(); ++corner) {
            Vector3 middle = cell.middle;
            for (int k = 0; k < ways_.cols(); ++k) middle += (corner >> k & 1 ? half : -half) * ways_.col(k);
            double nearest2 = 0;
            for (int k = 0; k < ways_.cols(); ++k) {
                const double out = std::max(0.0, std::abs(ways_.col(k).dot(middle)) - half);
                nearest2 += out * out;
            }
            const double nearest = std::sqrt(nearest2);
            if (nearest < best_.distance - tolerance) open_.push({nearest, middle, half});
        }
    }

    /// Whether a branch keeps its limits at all shifts up to `radius` from `middle` that are nearer to the pose than
    /// the best gap: to second order.
    bool keeps_limits(const JointVector& q, const Vector3& middle, double radius) {
        const Mechanism& m = model_.mechanism;
        slopes_at(q);
        const auto keeps = [&](const Slopes* bends) {
            for (int code = 0; code < static_cast<int>(m.joints.size() + m.followers.size()); ++code) {
                const Joint& joint = m.connection(code);
                if (!limited(joint)) continue;
                const Vector3 slope = per_metre(m, code, slopes_);
                const double value = m.value(code, q), steep = slope.norm(),
                             more = bends ? safety * 0.5 * radius * radius * per_metre(m, code, *bends).norm() : 0;
                const double far = steep * (best_.distance - tolerance), along = slope.dot(middle);
                if (joint.high - value < std::min(steep * radius, far - along) + more) return false;
                if (value - joint.low < std::min(steep * radius, far + along) + more) return false;
            }
            return true;
        };
        if (!keeps(nullptr)) return false;
        const Slopes bends = bends_at(q);
        return keeps(&bends);
    }
    /// Whether all corners of a cell are reached: what lies beyond an outstretched or folded arm shows there.
    bool corners_reached(const Cell& cell) const {
        for (int corner = 0; corner < 1 << ways_.cols(); ++corner) {
            Vector3 place = cell.middle;
            for (int k = 0; k < ways_.cols(); ++k) place += (corner >> k & 1 ? cell.half : -cell.half) * ways_.col(k);
            const double out = place.norm();
            if (out > best_.distance) place *= best_.distance / out;
            if (!reached(place)) return false;
        }
        return true;
    }
    /// A hinge that can make a whole turn always finds a value within its limits.
    static bool limited(const Joint& joint) {
        return joint.type == JointType::slide || joint.high - joint.low < 2 * geometry::pi - 1e-9;
    }
    static Vector3 per_metre(const Mechanism& m, int code, const Slopes& slopes) {
        if (code < m.size()) return slopes.row(code);
        return slopes.transpose() * m.followers[code - m.size()].ratios;
    }

    /// How the joints change with a shift, orientation kept, free joints standing still: their slopes along the three
    /// axes.
    void slopes_at(const JointVector& q) {
        const Mechanism& m = model_.mechanism;
        m.link_frames(q, Frame::Identity(), frames_);
        const Jacobian j =
            jacobian(m, frames_, model_.flange_link, frames_[model_.flange_link] * model_.flange.translation());
        const auto n = static_cast<Eigen::Index>(driven_.size());
        own_.resize(6, n);
        for (Eigen::Index k = 0; k < n; ++k) own_.col(k) = j.col(driven_[k]);
        JointSquare normal = own_.transpose() * own_;
        normal.diagonal().array() += 1e-12;
        normal_.compute(normal);
        Eigen::Matrix<double, 6, 3> shifts = Eigen::Matrix<double, 6, 3>::Zero();
        shifts.topRows<3>() = ways_ * ways_.transpose();
        slopes_ = spread(q, shifts);
    }
    /// How those slopes change: driven evenly along a line the joints must make up for the acceleration that even rates
    /// would give.
    Slopes bends_at(const JointVector& q) const {
        Eigen::Matrix<double, 6, 3> pulls;
        const JointVector even = JointVector::Zero(q.size());
        for (int axis = 0; axis < 3; ++axis) {
            const PointMotion moves = point_motion(
                model_.mechanism, frames_, model_.flange_link, model_.flange.translation(), slopes_.col(axis), even);
            pulls.col(axis) << moves.acceleration, moves.turning_change;
        }
        return spread(q, -pulls);
    }
    /// Joint rates that give the flange three twists.
    Slopes spread(const JointVector& q, const Eigen::Matrix<double, 6, 3>& twists) const {
        const Eigen::Matrix<double, Eigen::Dynamic, 3, 0, most_joints, 3> solved =
            normal_.solve(own_.transpose() * twists);
        Slopes all = Slopes::Zero(q.size(), 3);
        for (std::size_t k = 0; k < driven_.size(); ++k) all.row(driven_[k]) = solved.row(static_cast<Eigen::Index>(k));
        return all;
    }

    const ArmModel& model_;
    const JointSolver& solver_;
    const Frame& target_;
    const JointVector& reference_;
    const Ways& ways_;
    const double length_;
    Gap best_;
    const std::vector<int> free_;
    std::vector<int> driven_;
    std::priority_queue<Cell> open_;
    std::vector<JointSolution> all_;
    std::vector<Frame> frames_;
    Eigen::Matrix<double, 6, Eigen::Dynamic, 0, 6, most_joints> own_;  ///< Jacobian of the driven joints
    Eigen::LDLT<JointSquare> normal_;
    Slopes slopes_;
    int looks_ = 0;
    int kept_ = -1;                    ///< the posture that kept its limits last, asked first
    std::optional<JointVector> held_;  ///< and its joint values
};

}  // namespace

std::optional<Gap> nearest_gap(const ArmModel& model, const JointSolver& solver, const Frame& target,
    const JointVector& reference, const Ways& ways, double cap, const std::optional<Gap>& known) {
    return GapSearch(model, solver, target, reference, ways, cap).run(known);
}

}  // namespace escarp::kinematics
