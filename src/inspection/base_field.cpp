#include "base_field.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <algorithm>
#include <cmath>

#include <cell/model/device_kind.h>
#include <geometry/distance_map.h>
#include <geometry/work_done.h>

namespace escarp::inspection {
namespace {

using geometry::Vector3;

/// What has to be reached, as flange frames in the world.
struct Target {
    Frame pose, approach, retreat;
};

class Question {
public:
    Question(const cell::Device& arm, const std::vector<Target>& targets)
        : arm_(*arm.arm), base_(arm.world), targets_(targets), ready_(arm_.ready) {
        // No wrist is reached from farther away than this.
        longest_ = kinematics::reach_bound(*arm_.model);
    }
    /// `last`: the pose that failed last, asked first the next time.
    bool all(double x, double y, double turn, std::size_t& last) const {
        Frame base = base_;
        base.translation().x() = x;
        base.translation().y() = y;
        if (turn != 0) base.linear() = (geometry::rotation(Vector3::UnitZ(), turn) * base_.linear()).eval();
        const Frame to_base = base.inverse();
        for (std::size_t i = 0; i < targets_.size(); ++i) {
            const std::size_t k = (last + i) % targets_.size();
            if (one(to_base, base.translation(), targets_[k])) continue;
            last = k;
            return false;
        }
        return true;
    }

private:
    bool one(const Frame& to_base, const Vector3& base, const Target& t) const {
        for (const Frame* f : {&t.pose, &t.approach, &t.retreat}) {
            if ((f->translation() - base).squaredNorm() > longest_ * longest_) return false;
            if (f != &t.pose && f->translation() == t.pose.translation()) continue;
            if (!arm_.solver->reachable(to_base * *f, ready_)) return false;
        }
        return true;
    }
    const cell::Arm& arm_;
    Frame base_;
    const std::vector<Target>& targets_;
    const kinematics::JointVector& ready_;
    double longest_ = 0;
};

}  // namespace

int movable_root(const cell::Cell& cell, int device) {
    int top = device;
    for (int host = cell.devices[device].host; host >= 0; host = cell.devices[host].host) {
        const auto others = std::count_if(
            cell.devices.begin(), cell.devices.end(), [&](const cell::Device& d) { return d.host == host; });
        if (others > 1 || !cell.devices[host].kind->carries_devices()) break;
        top = host;
    }
    return top;
}

Frame BaseField::base_at(int index, const Frame& now) const {
    Frame out = now;
    const int column = index % columns, row = index / columns;
    out.translation().x() = x + cell * column;
    out.translation().y() = y + cell * row;
    const int t = turn[index];
    if (t > 0) out.linear() = (geometry::rotation(Vector3::UnitZ(), turns[t] - turns[0]) * now.linear()).eval();
    return out;
}

namespace {

/// What of an arm's poses does not go along when its base moves; `box`: around them.
std::vector<Target> targets_of(
    const cell::Cell& cell, int arm, const std::vector<PoseNeed>& poses, BaseField& field, geometry::Box3& box) {
    const cell::Device& d = cell.devices[arm];
    const int root = movable_root(cell, arm);
    std::vector<Target> targets;
    for (const PoseNeed& n : poses) {
        if (n.arm != arm || (n.other >= 0 && (n.other == root || cell.stands_on(n.other, root)))) continue;
        const Frame flange = d.arm->with_tool(n.tool).tool_frame.inverse();
        for (const Frame& tool : n.tools_world()) {
            const auto backed = [&](double by) { return Frame(tool * geometry::make_frame({0, 0, -by}) * flange); };
            targets.push_back({backed(0), backed(n.approach), backed(n.retreat)});
            box.add(targets.back().pose.translation());
        }
        ++field.poses;
    }
    return targets;
}

/// Cells for where the base can lie at all: within the arm's length of every target. False: nowhere.
bool lay_out(const geometry::Box3& box, double longest, double cell, BaseField& field) {
    const double x0 = box.high.x() - longest, x1 = box.low.x() + longest, y0 = box.high.y() - longest,
                 y1 = box.low.y() + longest;
    if (x1 <= x0 || y1 <= y0) return false;
    constexpr double most_across = 400;  // cells: an arm of 50 m gets coarser ones
    while (std::max(x1 - x0, y1 - y0) > most_across * cell) cell *= 2;
    field.cell = cell;
    // On whole cells of the floor, so that the field does not swim while something is dragged.
    const auto snapped = [&](double v) { return std::floor(v / (2 * cell)) * 2 * cell; };
    field.x = snapped(x0), field.y = snapped(y0);
    field.columns = 2 * static_cast<int>(std::ceil((x1 - field.x) / (2 * cell))) + 1;
    field.rows = 2 * static_cast<int>(std::ceil((y1 - field.y) / (2 * cell))) + 1;
    const std::size_t count = static_cast<std::size_t>(field.columns) * static_cast<std::size_t>(field.rows);
    field.turn.assign(count, -1);
    field.margin.assign(count, 0.f);
    return true;
}

/// Asks for every second cell first; between equal neighbours the answer is theirs, elsewhere it is asked for.
/// `ask(column, row, last)`: the turn there; `last`: what decided the question before, in the same row.
template <typename Ask>
void fill(BaseField& field, const Ask& ask, const StopFlag* stop) {
    const auto index = [&](int column, int row) {
        return static_cast<std::size_t>(row) * static_cast<std::size_t>(field.columns) +
               static_cast<std::size_t>(column);
    };
    const auto each_row = [&](int from, int step, auto&& work) {
        const int rows = (field.rows - from + step - 1) / step;
        tbb::parallel_for(tbb::blocked_range<int>(0, rows, 2), [&](const tbb::blocked_range<int>& range) {
            for (int i = range.begin(); i < range.end(); ++i) {
                if (stop && *stop) return;
                work(from + i * step);
            }
        });
        if (stop && *stop) throw Cancelled();
    };
    const auto between = [&](int column, int row, std::int16_t a, std::int16_t b, std::size_t& last) {
        field.turn[index(column, row)] = a == b ? a : ask(column, row, last);
    };
    each_row(0, 2, [&](int row) {
        std::size_t last = 0;
        for (int column = 0; column < field.columns; column += 2)
            field.turn[index(column, row)] = ask(column, row, last);
    });
    each_row(0, 2, [&](int row) {
        std::size_t last = 0;
        for (int column = 1; column < field.columns; column += 2)
            between(column, row, field.turn[index(column - 1, row)], field.turn[index(column + 1, row)], last);
    });
    each_row(1, 2, [&](int row) {
        std::size_t last = 0;
        for (int column = 0; column < field.columns; ++column)
            between(column, row, field.turn[index(column, row - 1)], field.turn[index(column, row + 1)], last);
    });
}

/// How far each base is from where some pose is out of reach, and the best of them.
void measure(BaseField& field) {
    const std::size_t count = field.turn.size();
    std::vector<char> inside(count);
    for (std::size_t i = 0; i < count; ++i) inside[i] = field.turn[i] >= 0;
    const std::vector<float> away = geometry::distance_inside(inside, field.columns, field.rows);
    for (std::size_t i = 0; i < count; ++i) {
        if (!inside[i]) continue;
        field.margin[i] =
            std::max(0.f, (away[i] - 1.f)) * static_cast<float>(field.cell) + static_cast<float>(0.5 * field.cell);
        if (field.best < 0 || field.margin[i] > field.margin[field.best] + 1e-6f) field.best = static_cast<int>(i);
    }
}

}  // namespace

BaseField base_field(
    const cell::Cell& cell, int arm, const std::vector<PoseNeed>& poses, const BaseFieldOptions& options) {
    ++geometry::work_done;
    BaseField field;
    field.cell = options.cell;
    const cell::Device& d = cell.devices[arm];
    if (!d.arm || !d.arm->solver->closed_form()) return field;
    geometry::Box3 box;
    const std::vector<Target> targets = targets_of(cell, arm, poses, field, box);
    if (targets.empty()) return field;
    const double present = geometry::to_triple(d.world.linear()).z();
    for (int i = 0; i <= options.other_turns; ++i)
        field.turns.push_back(present + 2 * geometry::pi * i / (options.other_turns + 1));
    if (!lay_out(box, 0.05 + kinematics::reach_bound(*d.arm->model), options.cell, field)) return field;
    const Question question(d, targets);
    fill(
        field,
        [&](int column, int row, std::size_t& last) {
            const double x = field.x + column * field.cell, y = field.y + row * field.cell;
            for (std::size_t t = 0; t < field.turns.size(); ++t)
                if (question.all(x, y, field.turns[t] - present, last)) return static_cast<std::int16_t>(t);
            return static_cast<std::int16_t>(-1);
        },
        options.stop);
    measure(field);
    return field;
}

}  // namespace escarp::inspection
