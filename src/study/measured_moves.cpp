#include "measured_moves.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace escarp::study {

using kinematics::ArmModel;
using kinematics::JointVector;
using simulation::Block;
using simulation::BlockKind;
using simulation::Ticks;

namespace {

constexpr double same_time = 1e-6;  // s
constexpr double hinge_near = 2 * geometry::pi / 180, slide_near = 0.01;

double nearness(const kinematics::Mechanism& m, const JointVector& a, const JointVector& b) {
    double most = 0;  // in shares of what counts as near
    for (int i = 0; i < m.size(); ++i) {
        const bool slide = m.joints[i].type == kinematics::JointType::slide;
        most = std::max(most, std::abs(a[i] - b[i]) / (slide ? slide_near : hinge_near));
    }
    return most;
}

class Match {
public:
    Match(const cell::Cell& cell, const simulation::Run& run, int device, const Measured& measured,
        const inspection::StopFlag* stop)
        : cell_(cell),
          run_(run),
          device_(device),
          measured_(measured),
          stop_(stop),
          model_(*this->device().arm->model) {}

    MeasuredMoves result() {
        check();
        find_ways();
        find_noise();
        find_moves();
        return std::move(found_);
    }

private:
    const cell::Device& device() const { return cell_.devices[static_cast<std::size_t>(device_)]; }
    int joints() const { return model_.mechanism.size(); }

    void check() const {
        if (measured_.t.size() < 20) throw cell::InputError("", "Fewer than 20 samples; a cycle or more is expected.");
        for (std::size_t i = 0; i < measured_.t.size(); ++i) {
            if (measured_.q[i].size() != joints() || !measured_.q[i].allFinite())
                throw cell::InputError("", "Sample " + std::to_string(i + 1) + " lacks a joint value.");
            if (i > 0 && !(measured_.t[i] > measured_.t[i - 1]))
                throw cell::InputError("", "Sample " + std::to_string(i + 1) + " is not later than the one before.");
        }
    }

    // --- what was computed ---

    void find_ways() {
        struct Made {
            int way;
            Ticks from, to;
        };
        std::vector<Made> in_order;
        std::map<std::tuple<std::uint64_t, int>, int> known;
        for (const simulation::MotionRecord& m : run_.trace.motions[static_cast<std::size_t>(device_)]) {
            motion::throw_if_stopped(stop_);
            if (m.block < 0 || m.motion->duration() <= 0) continue;
            const Block& b = run_.trace.blocks[static_cast<std::size_t>(m.block)];
            const auto [at, fresh] = known.try_emplace({m.motion->serial(), b.step}, -1);
            if (fresh) at->second = way_of(m, b);
            in_order.push_back({at->second, m.from, m.from + simulation::ticks(m.motion->duration())});
        }
        std::vector<const Block*> own;
        for (const Block& b : run_.trace.blocks)
            if (b.device == device_) own.push_back(&b);
        std::size_t next = 0;
        for (std::size_t i = 1; i < in_order.size(); ++i) {
            const Made &one = in_order[i - 1], &two = in_order[i];
            if (one.way < 0 || two.way < 0) continue;
            order_.insert({one.way, two.way});
            Between between{Between::Is::nothing, -1};
            while (next < own.size() && own[next]->to <= one.from) ++next;
            for (std::size_t k = next; k < own.size() && own[k]->from < two.from; ++k) {
                const Block& b = *own[k];
                if (b.to <= one.to || b.to == b.from || moves(b.kind)) continue;
                const bool first = between.is == Between::Is::nothing;
                between.is = !first                         ? Between::Is::else_
                             : b.kind == BlockKind::grip    ? Between::Is::grip
                             : b.kind == BlockKind::release ? Between::Is::release
                             : b.kind == BlockKind::dwell   ? Between::Is::dwell
                                                            : Between::Is::else_;
                between.step = b.step;
            }
            const auto [was, fresh] = found_.between.try_emplace({one.way, two.way}, between);
            if (!fresh && (was->second.is != between.is || was->second.step != between.step))
                was->second.is = Between::Is::else_;
        }
        if (found_.ways.empty())
            throw cell::InputError("devices/" + device().id,
                device().name + " makes no joint move and no straight move from pose to pose in the computed run.");
    }
    static bool moves(BlockKind kind) {
        return kind == BlockKind::move || kind == BlockKind::straight || kind == BlockKind::straight_in ||
               kind == BlockKind::straight_out;
    }
    int pose(const JointVector& q) {
        for (std::size_t i = 0; i < poses_.size(); ++i)
            if ((poses_[i] - q).cwiseAbs().maxCoeff() < 1e-6) return static_cast<int>(i);
        poses_.push_back(q);
        return static_cast<int>(poses_.size()) - 1;
    }
    /// -1: a motion whose way itself depends on the limits, or on what rides by.
    int way_of(const simulation::MotionRecord& m, const Block& b) {
        if (b.step < 0 || !moves(b.kind)) return -1;
        const cell::Step* step = nullptr;
        for (const cell::Step* s : cell::all_steps(device()))
            if (s->number == b.step) step = s;
        if (!step) return -1;
        Way way;
        way.from = m.motion->position(0), way.to = m.motion->position(m.motion->duration());
        way.straight = b.kind != BlockKind::move;
        way.speed = way.straight ? step->straight_speed : step->speed;
        way.acceleration = step->acceleration;
        way.tool = m.tool, way.step = b.step, way.kind = b.kind;
        way.before_s = m.motion->duration();
        if (way.straight) {
            const geometry::Frame tool = device().arm->with_tool(way.tool).tool_frame;
            way.tool_from = model_.flange_frame(way.from) * tool, way.tool_to = model_.flange_frame(way.to) * tool;
            if (geometry::gap(way.tool_from, way.tool_to).distance < 1e-3) return -1;
        }
        const motion::MotionPtr again = computed(device(), way, model_);
        if (!again || std::abs(again->duration() - way.before_s) > same_time) return -1;
        for (const double share : {0.3, 0.7}) {
            const double t = share * way.before_s;
            if ((again->position(t) - m.motion->position(t)).cwiseAbs().maxCoeff() > 1e-4) return -1;
        }
        for (std::size_t i = 0; i < found_.ways.size(); ++i) {
            const Way& w = found_.ways[i];
            if (w.step == way.step && w.kind == way.kind && w.tool == way.tool &&
                (w.from - way.from).cwiseAbs().maxCoeff() < 1e-6 && (w.to - way.to).cwiseAbs().maxCoeff() < 1e-6)
                return static_cast<int>(i);
        }
        way.begin = pose(way.from), way.end = pose(way.to);
        found_.ways.push_back(way);
        return static_cast<int>(found_.ways.size()) - 1;
    }

    // --- what was measured ---

    /// From third differences, of which smooth motion has next to none: the median of them.
    void find_noise() {
        std::vector<double> all;
        for (std::size_t i = 3; i < measured_.q.size(); ++i) {
            const JointVector third =
                measured_.q[i] - 3 * measured_.q[i - 1] + 3 * measured_.q[i - 2] - measured_.q[i - 3];
            for (int j = 0; j < joints(); ++j) all.push_back(std::abs(third[j]));
        }
        std::nth_element(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2), all.end());
        found_.noise = std::max(1e-7, all[all.size() / 2] / 0.6745 / std::sqrt(20.0));
    }

    /// When the arm stood at a pose of the task, if only for an instant.
    struct Visit {
        int pose;
        std::size_t from, to;  ///< the samples at which it rests
    };
    std::vector<Visit> visits() const {
        const std::size_t count = measured_.t.size();
        std::vector<double> steps;
        for (std::size_t i = 1; i < count; ++i) steps.push_back(measured_.t[i] - measured_.t[i - 1]);
        std::nth_element(steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2), steps.end());
        const double dt = steps[steps.size() / 2];
        std::vector<double> slow(static_cast<std::size_t>(joints()));  // over two samples, round an instant of rest
        for (int j = 0; j < joints(); ++j)
            slow[static_cast<std::size_t>(j)] =
                6 * found_.noise + 2 * model_.mechanism.joints[j].acceleration * dt * dt;
        const auto rests = [&](std::size_t i) {
            const JointVector& a = measured_.q[i > 0 ? i - 1 : i];
            const JointVector& b = measured_.q[i + 1 < count ? i + 1 : i];
            for (int j = 0; j < joints(); ++j)
                if (std::abs(b[j] - a[j]) > slow[static_cast<std::size_t>(j)]) return false;
            return true;
        };
        // As near as half of the way to the nearest other pose.
        std::vector<double> near(poses_.size(), 1);
        for (std::size_t a = 0; a < poses_.size(); ++a)
            for (std::size_t b = 0; b < poses_.size(); ++b)
                if (a != b) near[a] = std::min(near[a], 0.4 * nearness(model_.mechanism, poses_[a], poses_[b]));
        std::vector<Visit> all;
        for (std::size_t i = 0; i < count; ++i) {
            if (i % 1000 == 0) motion::throw_if_stopped(stop_);
            if (!rests(i)) continue;
            int which = -1;
            double least = 1e300;
            for (std::size_t p = 0; p < poses_.size(); ++p)
                if (const double d = nearness(model_.mechanism, poses_[p], measured_.q[i]) / near[p]; d < least)
                    least = d, which = static_cast<int>(p);
            if (least > 1) continue;
            if (!all.empty() && all.back().pose == which && all.back().to + 3 >= i) all.back().to = i;
            else all.push_back({which, i, i});
        }
        return all;
    }

    void find_moves() {
        const std::vector<Visit> all = visits();
        // Where the arm really stands when it is said to be there.
        std::vector<JointVector> sum(poses_.size(), JointVector::Zero(joints()));
        std::vector<int> count(poses_.size(), 0);
        for (const Visit& v : all) {
            const std::size_t middle = (v.from + v.to) / 2;
            sum[static_cast<std::size_t>(v.pose)] += measured_.q[middle];
            ++count[static_cast<std::size_t>(v.pose)];
        }
        found_.real = poses_;
        for (std::size_t p = 0; p < poses_.size(); ++p) {
            if (count[p] == 0) continue;
            const JointVector mean = sum[p] / count[p];
            const double off = (mean - poses_[p]).cwiseAbs().maxCoeff();
            if (off > std::max(0.002, 4 * found_.noise)) found_.real[p] = mean;  // touched up
        }
        int before = -1;
        for (std::size_t i = 1; i < all.size(); ++i) {
            motion::throw_if_stopped(stop_);
            if (all[i].pose == all[i - 1].pose) continue;
            const int way = way_between(all[i - 1].pose, all[i].pose, before);
            Sampled one;
            if (way < 0 || !sampled(way, all[i - 1].to, all[i].from, one)) {
                ++found_.left_over;
                before = -1;
                continue;
            }
            one.follows = before >= 0;
            found_.moves.push_back(std::move(one));
            before = way;
        }
        if (found_.moves.empty())
            throw cell::InputError("", "None of the moves of " + device().name +
                                           "'s task is in what was measured: it is never at two poses of the task one "
                                           "after the other. The same task, and joint values in the units said, are "
                                           "expected.");
    }
    /// The way from one pose to another; where there are several, the one that comes after `before` in the task.
    int way_between(int from, int to, int before) const {
        int found = -1;
        for (std::size_t i = 0; i < found_.ways.size(); ++i) {
            if (found_.ways[i].begin != from || found_.ways[i].end != to) continue;
            if (order_.count({before, static_cast<int>(i)})) return static_cast<int>(i);
            if (found < 0) found = static_cast<int>(i);
            else if (before < 0) return -1;  // which of them it is nobody knows
        }
        return found;
    }
    bool sampled(int nth, std::size_t from, std::size_t to, Sampled& out) const {
        const Way& way = found_.ways[static_cast<std::size_t>(nth)];
        constexpr std::size_t beyond = 3;
        const std::size_t first = from >= beyond ? from - beyond : 0;
        const std::size_t last = std::min(to + beyond, measured_.t.size() - 1);
        if (last < first + 4 || last - first > 20'000) return false;
        const JointVector a = found_.real[static_cast<std::size_t>(way.begin)];
        const JointVector d = found_.real[static_cast<std::size_t>(way.end)] - a;
        const double length = d.norm();
        const Eigen::Vector3d line = way.tool_to.translation() - way.tool_from.translation();
        out.way = nth, out.first = first;
        for (std::size_t i = first; i <= last; ++i) {
            if (way.straight) {
                const geometry::Frame tool = device().arm->with_tool(way.tool).tool_frame;
                const Eigen::Vector3d at =
                    (model_.flange_frame(measured_.q[i]) * tool).translation() - way.tool_from.translation();
                const double s = at.dot(line.normalized());
                if ((at - s * line.normalized()).norm() > 0.02) return false;
                out.s.push_back(s);
            } else {
                const double s = (measured_.q[i] - a).dot(d) / length;
                if (nearness(model_.mechanism, a + d * (s / length), measured_.q[i]) > 1.5) return false;
                out.s.push_back(s);
            }
        }
        return true;
    }

    const cell::Cell& cell_;
    const simulation::Run& run_;
    const int device_;
    const Measured& measured_;
    const inspection::StopFlag* stop_;
    const ArmModel& model_;
    MeasuredMoves found_;
    std::vector<JointVector> poses_;       ///< as computed
    std::set<std::pair<int, int>> order_;  ///< which way comes after which
};

}  // namespace

MeasuredMoves measured_moves(const cell::Cell& cell, const simulation::Run& run, int device, const Measured& measured,
    const inspection::StopFlag* stop) {
    return Match(cell, run, device, measured, stop).result();
}

motion::MotionPtr computed(const cell::Device& arm, const Way& way, const ArmModel& model) {
    if (!way.straight) return motion::joint_move(model.mechanism, way.from, way.to, way.speed, way.acceleration);
    const cell::Arm& mounted = arm.arm->with_tool(way.tool);
    auto made = motion::straight_move({model, *mounted.solver, mounted.tool_frame, way.tool_from, way.tool_to, way.from,
        way.speed, way.acceleration});
    const auto* motion = std::get_if<motion::MotionPtr>(&made);
    return motion ? *motion : nullptr;
}

std::vector<Ticks> begins_in(const simulation::Run& run, int device, int step, BlockKind kind, Ticks from, Ticks to) {
    std::vector<Ticks> all;
    for (const simulation::MotionRecord& m : run.trace.motions[static_cast<std::size_t>(device)]) {
        if (m.block < 0 || m.motion->duration() <= 0 || m.from < from || m.from >= to) continue;
        const Block& b = run.trace.blocks[static_cast<std::size_t>(m.block)];
        if (b.step == step && b.kind == kind && b.from == m.from) all.push_back(m.from);
    }
    return all;
}

}  // namespace escarp::study
