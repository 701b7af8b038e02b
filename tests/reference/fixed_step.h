#pragma once
// The plain simulator: a clock that ticks, everything looked at on every tick. Shares no code with the event kernel;
// takes arm motion times from the planner, which is not what it checks.

#include <cmath>
#include <deque>
#include <map>

#include <cell/edit.h>
#include <geometry/distance.h>
#include <simulation/kernel.h>
#include <simulation/plan.h>

namespace escarp::tests {

struct FixedStepResult {
    std::vector<double> departures;                    ///< seconds
    std::map<std::string, std::vector<double>> edges;  ///< instants at which a beam changed
};

class FixedStep {
public:
    FixedStep(const cell::Cell& cell, simulation::PlanCache& plans, const cell::json& tree, double dt)
        : cell_(cell), plans_(plans), dt_(dt) {
        for (std::size_t i = 0; i < cell.devices.size(); ++i) {
            const cell::Device& d = cell.devices[i];
            const cell::json& own = *cell::find(tree, "/devices/" + d.id);
            const std::string kind = d.kind->id();
            if (kind == "conveyor")
                belts_[static_cast<int>(i)] = {own["length_mm"].get<double>() / 1e3,
                    own["speed_mm_s"].get<double>() / 1e3, own.value("gap_mm", 20.0) / 1e3,
                    cell.device(own.value("to", "")), {}, -1};
            if (kind == "infeed")
                infeeds_[static_cast<int>(i)] = {own["interval_s"].get<double>(),
                    cell.device(own["to"].get<std::string>()), cell.part_type(own["part_type"].get<std::string>()),
                    0.0};
            if (kind == "fixture")
                fixtures_[static_cast<int>(i)] = {own["process_s"].get<double>(), own.value("reject_every", 0),
                    own.value("starts", "") == "all nests", std::vector<Nest>(d.seats.size()), 0};
            if (kind == "beam") beams_[static_cast<int>(i)] = false;
            if (d.arm && !d.task.empty())
                arms_[static_cast<int>(i)] = {
                    d.arm->ready, {}, nullptr, 0, 0.0, -1, {}, nullptr, -1, -1, Frame::Identity(), {}, false};
        }
    }

    FixedStepResult run(double horizon) {
        const long steps = std::lround(horizon / dt_);
        for (long n = 0; n <= steps; ++n) {
            now_ = static_cast<double>(n) * dt_;
            move_belts();
            for (auto& [i, f] : fixtures_) work(f);
            look(n);
            for (int again = 0; again < 20; ++again) {  // what one does may let another go on within the tick
                bool changed = false;
                for (auto& [i, source] : infeeds_) changed = feed(source) || changed;
                for (auto& [i, arm] : arms_) changed = step_arm(i, arm) || changed;
                if (!changed) break;
            }
        }
        return result_;
    }

private:
    using Frame = geometry::Frame;
    struct Part {
        int type;
        std::string verdict;
        Frame at;
    };
    struct Rider {
        int part;
        double x;
        Frame turn;
        bool claimed = false;
    };
    struct Belt {
        double length, speed, gap;
        int to;
        std::deque<Rider> riders;
        int reserved;
    };
    struct Infeed {
        double interval;
        int to, type;
        double due;
    };
    enum class State { empty, reserved, loaded, working, done, claimed };
    struct Nest {
        State state = State::empty;
        int part = -1;
        double until = 0, since = 0;
    };
    struct Fixture {
        double process;
        int reject_every;
        bool together;
        std::vector<Nest> nests;
        int judged;
    };
    struct Arm {
        kinematics::JointVector q;
        std::vector<std::pair<const std::vector<cell::Step>*, std::size_t>> stack;
        const cell::Step* step;
        int phase;
        double until;
        int held;
        Frame part_in_tool;
        std::shared_ptr<const simulation::PosePlan> plan;
        int seat, part;
        Frame seat_frame;
        kinematics::JointVector goal;
        bool waiting;
        std::map<std::string, bool> own = {};
        motion::MotionPtr motion = nullptr;
        double began = 0;
    };

    double length(int part) const { return cell_.part_types[parts_[part].type].length; }
    double pitch(const Belt& b, int one, int two) const { return 0.5 * (length(one) + length(two)) + b.gap; }
    void leave(int part) { result_.departures.push_back(now_), parts_[part].at.translation().z() = -100; }

    void move_belts() {
        for (auto& [index, b] : belts_) {
            double limit = 0;
            for (std::size_t i = 0; i < b.riders.size(); ++i) {
                Rider& r = b.riders[i];
                limit = i == 0 ? b.length - 0.5 * length(r.part)
                               : std::min(b.riders[i - 1].x, limit) - pitch(b, b.riders[i - 1].part, r.part);
                // The one ahead moves on in this tick too: what counts is where it can stop, not where it was.
                if (i > 0) limit = final_stop(b, i);
                r.x = std::max(r.x, std::min(r.x + b.speed * dt_, limit));
                place_rider(index, r);
            }
            if (b.to >= 0 && !b.riders.empty() &&
                b.riders.front().x >= b.length - 0.5 * length(b.riders.front().part) - 1e-9 &&
                cell_.devices[b.to].kind->id() == "outfeed") {
                leave(b.riders.front().part);
                b.riders.pop_front();
            }
        }
    }
    double final_stop(const Belt& b, std::size_t i) const {
        double stop = b.length - 0.5 * length(b.riders.front().part);
        for (std::size_t k = 1; k <= i; ++k) stop -= pitch(b, b.riders[k - 1].part, b.riders[k].part);
        return stop;
    }
    void place_rider(int belt, const Rider& r) {
        const cell::Device& d = cell_.devices[belt];
        Frame at = d.world * d.mount * geometry::make_frame({r.x - 0.5 * belts_.at(belt).length, 0, 0});
        at.linear() = r.turn.linear();
        parts_[r.part].at = at;
    }
    bool fits(const Belt& b, int part, double x) const {
        if (b.reserved >= 0 && b.reserved != part) return false;
        for (const Rider& r : b.riders)
            if (std::abs(r.x - x) < pitch(b, r.part, part) - 1e-9) return false;
        return true;
    }
    void board(int belt, int part, double x, const Frame& turn) {
        Belt& b = belts_.at(belt);
        const auto behind = std::find_if(b.riders.begin(), b.riders.end(), [&](const Rider& r) { return r.x < x; });
        place_rider(belt, *b.riders.insert(behind, {part, x, turn}));
    }
    bool feed(Infeed& f) {
        if (now_ < f.due - 1e-12) return false;
        parts_.push_back({f.type, "", Frame::Identity()});
        const int part = static_cast<int>(parts_.size()) - 1;
        const double x = 0.5 * length(part);
        if (!fits(belts_.at(f.to), part, x)) {
            parts_.pop_back();
            return false;
        }
        board(f.to, part, x, cell_.devices[f.to].world);
        f.due = std::max(f.due, now_ - dt_) + f.interval;
        return true;
    }
    void work(Fixture& f) {
        const bool all =
            std::all_of(f.nests.begin(), f.nests.end(), [](const Nest& n) { return n.state == State::loaded; });
        for (Nest& n : f.nests)
            if (n.state == State::loaded && (!f.together || all))
                n.state = State::working, n.until = n.since + f.process;
        for (Nest& n : f.nests) {
            if (n.state != State::working || now_ < n.until) continue;
            n.state = State::done;
            n.since = n.until;
            if (f.reject_every > 0) parts_[n.part].verdict = ++f.judged % f.reject_every == 0 ? "reject" : "good";
        }
    }
    void look(long n) {
        if (n % 5) return;  // a beam is looked at every fifth tick: plain, not exact
        for (auto& [index, made] : beams_) {
            const cell::Device& d = cell_.devices[index];
            const auto beam = geometry::Convex::segment(d.world * d.marks[0].line[0], d.world * d.marks[0].line[1]);
            bool now = false;
            for (std::size_t p = 0; p < parts_.size() && !now; ++p) {
                for (const auto& [i, arm] : arms_)
                    if (arm.held == static_cast<int>(p)) {
                        const cell::Device& a = cell_.devices[i];
                        parts_[p].at =
                            a.world *
                            a.arm->model->flange_frame(arm.motion ? arm.motion->position(now_ - arm.began) : arm.q) *
                            a.arm->tool_frame * arm.part_in_tool;
                    }
                if ((parts_[p].at.translation() - d.world.translation()).norm() > 1.0) continue;
                for (const geometry::Body& b : cell_.part_types[parts_[p].type].bodies)
                    now = now ||
                          geometry::separation(b.shape, parts_[p].at * b.at, beam, Frame::Identity()).distance <= 0;
            }
            if (now != made) result_.edges[d.id].push_back(now_);
            made = now;
        }
    }
    bool signal(const std::string& name) const {
        const std::string id = name.substr(0, name.find('.')), what = name.substr(name.find('.') + 1);
        const int i = cell_.device(id);
        if (beams_.count(i)) return beams_.at(i);
        if (arms_.count(i)) return arms_.at(i).own.count(what) && arms_.at(i).own.at(what);
        const auto any = [&](State s) {
            return std::any_of(fixtures_.at(i).nests.begin(), fixtures_.at(i).nests.end(),
                [&](const Nest& n) { return n.state == s; });
        };
        if (fixtures_.count(i))
            return any(what == "free" ? State::empty : what == "busy" ? State::working : State::done);
        const Belt& b = belts_.at(i);
        return !b.riders.empty() && b.riders.front().x >= b.length - 0.5 * length(b.riders.front().part) - 1e-9;
    }

    /// One phase of one step; true if something began or ended.
    bool step_arm(int index, Arm& a) {
        if (a.phase != 0) {
            if (now_ < a.until) return false;
            end_phase(index, a);
            return true;
        }
        if (!a.step && !fetch(index, a)) return false;
        const cell::Step& s = *a.step;
        const std::string kind = s.kind->id();
        if (kind == "wait") {
            if (signal(cell_.full_name(cell_.signals[s.signal])) != s.is) return false;
            a.step = nullptr;
            return true;
        }
        if (kind == "set") {
            a.own[cell_.signals[s.signal].name] = s.is, a.step = nullptr;
            return true;
        }
        if (kind == "delay") return hold_for(a, s.time.mean(), 9);
        if (kind == "if") {
            const bool reject = parts_[a.held].verdict == "reject";
            a.stack.push_back({reject == (s.result == "reject") ? &s.then : &s.otherwise, 0});
            a.step = nullptr;
            return true;
        }
        if (kind == "move") {
            const kinematics::JointVector& to = *cell_.devices[index].pose(s.pose)->joints;
            return drive(index, a, plans_.joint_move(*cell_.devices[index].arm, a.q, to, s.speed), to, 9);
        }
        return begin_exchange(index, a);
    }
    bool fetch(int index, Arm& a) {
        const auto& task = cell_.devices[index].task.steps;
        if (a.stack.empty()) a.stack.push_back({&task, 0});
        while (!a.stack.empty() && a.stack.back().second >= a.stack.back().first->size()) a.stack.pop_back();
        if (a.stack.empty()) a.stack.push_back({&task, 0});  // the next round
        a.step = &(*a.stack.back().first)[a.stack.back().second++];
        return true;
    }
    bool hold_for(Arm& a, double s, int phase) {
        a.phase = phase;
        a.until = std::max(a.until, now_ - dt_) + s;  // from the exact end of what came before, not from the tick
        return true;
    }
    bool drive(int, Arm& a, motion::MotionPtr m, const kinematics::JointVector& goal, int phase) {
        a.motion = m;
        a.began = now_;
        a.goal = goal;
        return hold_for(a, m->duration(), phase);
    }
    bool begin_exchange(int index, Arm& a) {
        const cell::Step& s = *a.step;
        const cell::Device& arm = cell_.devices[index];
        const cell::Device& other = cell_.devices[s.device];
        const bool picks = s.kind->id() == "pick";
        Frame tool;
        if (picks) {
            if (!take_offer(s.device, a)) return false;
            const Frame grip = geometry::make_frame({0, 0, 0}, {0, 0, s.turn}) *
                               cell_.part_types[parts_[a.part].type].grips.front().at;
            a.seat_frame = grip;
            tool = parts_[a.part].at * grip;
        } else {
            if (!take_room(s.device, a)) return false;
            a.seat_frame = other.world *
                           simulation::kind_of(other).seat_frame(other, a.seat, cell_.part_types[parts_[a.held].type]) *
                           geometry::make_frame({0, 0, 0}, {0, 0, s.turn});
            tool = a.seat_frame * a.part_in_tool.inverse();
        }
        a.plan =
            plans_.pose({*arm.arm, arm.world.inverse() * tool, s.approach, s.retreat, s.straight_speed, s.posture});
        return drive(index, a, plans_.joint_move(*arm.arm, a.q, a.plan->approach, s.speed), a.plan->approach, 1);
    }
    bool take_offer(int device, Arm& a) {
        if (belts_.count(device)) {
            Belt& b = belts_.at(device);
            if (b.riders.empty() || b.riders.front().claimed ||
                b.riders.front().x < b.length - 0.5 * length(b.riders.front().part) - 1e-9)
                return false;
            b.riders.front().claimed = true;
            a.part = b.riders.front().part;
            return true;
        }
        Nest* oldest = nullptr;
        for (Nest& n : fixtures_.at(device).nests)
            if (n.state == State::done && (!oldest || n.since < oldest->since)) oldest = &n;
        if (!oldest) return false;
        oldest->state = State::claimed;
        a.part = oldest->part;
        a.seat = static_cast<int>(oldest - fixtures_.at(device).nests.data());
        return true;
    }
    bool take_room(int device, Arm& a) {
        if (fixtures_.count(device)) {
            for (std::size_t i = 0; i < fixtures_.at(device).nests.size(); ++i)
                if (fixtures_.at(device).nests[i].state == State::empty) {
                    fixtures_.at(device).nests[i] = {State::reserved, a.held, 0, 0};
                    a.seat = static_cast<int>(i);
                    return true;
                }
            return false;
        }
        a.seat = belts_.count(device) ? 1 : 0;
        if (!belts_.count(device)) return true;
        if (!fits(belts_.at(device), a.held, 0.5 * length(a.held))) return false;
        belts_.at(device).reserved = a.held;
        return true;
    }
    void end_phase(int index, Arm& a) {
        const cell::Device& arm = cell_.devices[index];
        const bool picks = a.step->kind->id() == "pick";
        if (a.phase != 3) a.q = a.goal.size() ? a.goal : a.q;
        a.motion = nullptr;
        switch (a.phase) {
            case 1: drive(index, a, a.plan->in, a.plan->pose, 2); return;
            case 2: hold_for(a, picks ? arm.arm->tool->close_s : arm.arm->tool->open_s, 3); return;
            case 3:
                hand_over(a, picks);
                drive(index, a, a.plan->out, a.plan->retreat, 4);
                return;
            default:
                a.phase = 0;
                a.step = nullptr;
                // Work that follows at once begins at the exact end; `until` is kept for that.
        }
    }
    void hand_over(Arm& a, bool picks) {
        const int device = a.step->device;
        if (picks) {
            a.held = a.part;
            a.part_in_tool = a.seat_frame.inverse();
            if (belts_.count(device)) belts_.at(device).riders.pop_front();
            else fixtures_.at(device).nests[a.seat] = {};
            return;
        }
        const int part = a.held;
        a.held = -1;
        parts_[part].at = a.seat_frame;
        if (fixtures_.count(device)) fixtures_.at(device).nests[a.seat] = {State::loaded, part, 0, a.until};
        else if (belts_.count(device))
            belts_.at(device).reserved = -1, board(device, part, 0.5 * length(part), a.seat_frame);
        else leave(part);
    }

    const cell::Cell& cell_;
    simulation::PlanCache& plans_;
    const double dt_;
    double now_ = 0;
    std::vector<Part> parts_;
    std::map<int, Belt> belts_;
    std::map<int, Infeed> infeeds_;
    std::map<int, Fixture> fixtures_;
    std::map<int, bool> beams_;
    std::map<int, Arm> arms_;
    FixedStepResult result_;
};

}  // namespace escarp::tests
