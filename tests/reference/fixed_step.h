#pragma once
// The plain simulator: a clock that ticks, everything looked at on every tick. Shares no code with the event kernel;
// takes arm motion times from the planner, which is not what it checks. Belts, infeeds, arms, beams; trays that a stop
// holds until they are full; stations that belts hand on to, that fail, are repaired and change over.

#include <cmath>
#include <deque>
#include <map>

#include <cell/document/edit.h>
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
                    cell.device(own.value("to", "")), {}, -1, -1, 0};
            if (kind == "infeed")
                infeeds_[static_cast<int>(i)] = {own["interval_s"].get<double>(),
                    cell.device(own["to"].get<std::string>()), cell.part_type(own["part_type"].get<std::string>()),
                    0.0};
            if (kind == "fixture")
                fixtures_[static_cast<int>(i)] = {own["process_s"].get<double>(), own.value("reject_every", 0),
                    own.value("starts", "") == "all nests", std::vector<Nest>(d.seats.size()), 0,
                    cell.device(own.value("to", "")), 0.25, own.value("fails_after_s", 0.0),
                    own.value("repair_s", 60.0), own.value("fails_by", "") == "the clock",
                    own.contains("change_overs") ? own["change_overs"][0]["time_s"].get<double>() : 0.0};
            if (kind == "beam") beams_[static_cast<int>(i)] = false;
            if (d.arm && !d.task.empty())
                arms_[static_cast<int>(i)] = {
                    d.arm->ready, {}, nullptr, 0, 0.0, -1, {}, nullptr, -1, -1, Frame::Identity(), {}, false};
        }
    }

    FixedStepResult run(double horizon) {
        for (std::size_t i = 0; i < cell_.devices.size(); ++i)
            if (cell_.devices[i].kind->id() == std::string("stop")) {
                const int belt = cell_.devices[i].host;
                belts_.at(belt).stop = static_cast<int>(i);
                const Frame on_top = cell_.devices[belt].world * cell_.devices[belt].mount;
                const geometry::Vector3 there = on_top.inverse() * cell_.devices[i].world.translation();
                belts_.at(belt).stop_at = there.x() + 0.5 * belts_.at(belt).length;
            }
        const long steps = std::lround(horizon / dt_);
        for (long n = 0; n <= steps; ++n) {
            now_ = static_cast<double>(n) * dt_;
            move_belts();
            for (auto& [i, f] : fixtures_) work(i, f);
            for (std::size_t p = 0; p < leaving_.size(); ++p)
                if (leaving_[p].second <= now_) {
                    leave(leaving_[p].first);
                    leaving_.erase(leaving_.begin() + static_cast<std::ptrdiff_t>(p--));
                }
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
        std::vector<int> load = {};  ///< in the order of the seats; filled from the first on
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
        int stop;  ///< lets a tray go when it is full
        double stop_at;
    };
    struct Infeed {
        double interval;
        int to, type;
        double due;
    };
    enum class State { empty, reserved, coming, loaded, working, done, claimed };
    struct Nest {
        State state = State::empty;
        int part = -1;
        double until = 0, since = 0, left = 0;
    };
    struct Fixture {
        double process;
        int reject_every;
        bool together;
        std::vector<Nest> nests;
        int judged;
        int to;
        double speed, fails_after, repair;
        bool by_clock;
        double change_over;
        double counted = 0, down_until = -1, changed_at = -1;  ///< s towards the next failure
        int set_up_for = -1, changing_to = -1;
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
    void leave(int part) {
        for (const int on_it : parts_[part].load) leave(on_it);
        if (!type(part).carrier()) result_.departures.push_back(now_);
        parts_[part].at.translation().z() = -100;
    }
    const cell::PartType& type(int part) const { return cell_.part_types[parts_[part].type]; }
    bool full(int part) const { return type(part).carrier() && parts_[part].load.size() == type(part).seats.size(); }
    /// A stop keeps a tray until it is full and the arm has drawn back.
    bool may_go(int part) const {
        return full(part) && std::none_of(arms_.begin(), arms_.end(), [&](const auto& arm) {
            const Arm& a = arm.second;
            return a.phase != 0 && a.step && a.step->on_carrier && a.part == part;
        });
    }

    void move_belts() {
        for (auto& [index, b] : belts_) {
            // The one ahead moves on in this tick too: what counts is where it can stop, not where it was.
            double limit = 1e9;
            for (std::size_t i = 0; i < b.riders.size(); ++i) {
                Rider& r = b.riders[i];
                if (i > 0) limit -= pitch(b, b.riders[i - 1].part, r.part);
                const double at_stop = b.stop_at - 0.5 * length(r.part);
                const bool held = b.stop >= 0 && !may_go(r.part) && r.x <= at_stop + 1e-9;
                limit = std::min(limit, held ? at_stop : b.length - 0.5 * length(r.part));
                const double to = std::max(r.x, std::min(r.x + b.speed * dt_, limit));
                if (to == r.x) continue;
                r.x = to;
                place_rider(index, r);
            }
            if (b.to >= 0 && !b.riders.empty() &&
                b.riders.front().x >= b.length - 0.5 * length(b.riders.front().part) - 1e-9 &&
                cell_.devices[b.to].kind->id() == "outfeed") {
                leave(b.riders.front().part);
                b.riders.pop_front();
            } else if (b.to >= 0 && !b.riders.empty() && fixtures_.count(b.to) &&
                       b.riders.front().x >= b.length - 0.5 * length(b.riders.front().part) - 1e-9 &&
                       goes_over(b.riders.front().part, b.to, fixtures_.at(b.to).speed)) {
                b.riders.pop_front();
            }
        }
    }
    /// In a line to the first free nest, or out of the cell.
    bool goes_over(int part, int to, double speed) {
        const cell::Device& there = cell_.devices[to];
        const auto takes = [&](std::size_t seat) {
            return ((there.world * there.seats[seat].at).translation() - parts_[part].at.translation()).norm() / speed;
        };
        if (!fixtures_.count(to)) {
            leaving_.emplace_back(part, now_ + takes(0));
            return true;
        }
        std::vector<Nest>& nests = fixtures_.at(to).nests;
        for (std::size_t i = 0; i < nests.size(); ++i)
            if (nests[i].state == State::empty) {
                nests[i] = {State::coming, part, now_ + takes(i), 0};
                return true;
            }
        return false;
    }
    void place_rider(int belt, const Rider& r) {
        const cell::Device& d = cell_.devices[belt];
        Frame at = d.world * d.mount * geometry::make_frame({r.x - 0.5 * belts_.at(belt).length, 0, 0});
        at.linear() = r.turn.linear();
        parts_[r.part].at = at;
        for (std::size_t i = 0; i < parts_[r.part].load.size(); ++i)
            parts_[parts_[r.part].load[i]].at = at * type(r.part).seats[i];
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
    /// Set up for this type of part; else that begins, as soon as nothing is worked on.
    bool set_up(Fixture& f, int type) {
        if (f.set_up_for < 0 || f.set_up_for == type || f.change_over <= 0) {
            f.set_up_for = type;
            return true;
        }
        if (std::none_of(f.nests.begin(), f.nests.end(), [](const Nest& n) { return n.state == State::working; }))
            f.changing_to = type, f.changed_at = now_ + f.change_over;
        return false;
    }
    void work(int index, Fixture& f) {
        for (Nest& n : f.nests)
            if (n.state == State::coming && now_ >= n.until) {
                n = {State::loaded, n.part, 0, n.until};
                const std::size_t seat = static_cast<std::size_t>(&n - f.nests.data());
                parts_[n.part].at = cell_.devices[index].world * cell_.devices[index].seats[seat].at;
            }
        bool working =
            std::any_of(f.nests.begin(), f.nests.end(), [](const Nest& n) { return n.state == State::working; });
        if (f.down_until < 0 && f.fails_after > 0 && (working || f.by_clock) && now_ > 0) f.counted += dt_;
        for (Nest& n : f.nests) {
            if (n.state != State::working || f.down_until >= 0 || now_ < n.until) continue;
            n.state = State::done;
            n.since = n.until;
            if (f.reject_every > 0) parts_[n.part].verdict = ++f.judged % f.reject_every == 0 ? "reject" : "good";
        }
        if (f.down_until < 0 && f.fails_after > 0 && f.counted >= f.fails_after - 1e-9) {
            f.down_until = now_ + f.repair, f.counted = 0;
            for (Nest& n : f.nests) n.left = n.until - now_;
        } else if (f.down_until >= 0 && now_ >= f.down_until - 1e-9) {
            f.down_until = -1;
            for (Nest& n : f.nests)
                if (n.state == State::working) n.until = now_ + n.left;
        }
        if (f.changing_to >= 0 && now_ >= f.changed_at - 1e-9) f.set_up_for = f.changing_to, f.changing_to = -1;
        const bool all =
            std::all_of(f.nests.begin(), f.nests.end(), [](const Nest& n) { return n.state == State::loaded; });
        for (Nest& n : f.nests)
            if (n.state == State::loaded && (!f.together || all) && f.down_until < 0 && f.changing_to < 0) {
                if (!set_up(f, parts_[n.part].type)) break;
                const bool at_once = f.fails_after <= 0 && f.change_over <= 0;
                n.state = State::working, n.until = (at_once ? n.since : now_) + f.process;
            }
        if (f.to < 0) return;
        Nest* oldest = oldest_done(f);
        if (oldest && goes_over(oldest->part, f.to, f.speed)) *oldest = {};
    }
    static Nest* oldest_done(Fixture& f) {
        Nest* oldest = nullptr;
        for (Nest& n : f.nests)
            if (n.state == State::done && (!oldest || n.since < oldest->since)) oldest = &n;
        return oldest;
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
            if (s.on_carrier ? !take_seat(s.device, a) : !take_room(s.device, a)) return false;
            a.seat_frame = (s.on_carrier ? parts_[a.part].at * type(a.part).seats[a.seat]
                                         : other.world * simulation::kind_of(other).seat_frame(
                                                             other, a.seat, cell_.part_types[parts_[a.held].type])) *
                           geometry::make_frame({0, 0, 0}, {0, 0, s.turn});
            tool = a.seat_frame * a.part_in_tool.inverse();
        }
        a.plan = plans_.pose({*arm.arm, arm.world.inverse() * tool, s.approach, s.retreat, s.straight_speed, s.posture,
            s.acceleration, s.held, &a.q});
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
        Nest* oldest = oldest_done(fixtures_.at(device));
        if (!oldest) return false;
        oldest->state = State::claimed;
        a.part = oldest->part;
        a.seat = static_cast<int>(oldest - fixtures_.at(device).nests.data());
        return true;
    }
    /// The next free seat of the tray that stands at a stop.
    bool take_seat(int stop, Arm& a) {
        const Belt& b = belts_.at(cell_.devices[stop].host);
        for (const Rider& r : b.riders)
            if (std::abs(r.x - (b.stop_at - 0.5 * length(r.part))) < 1e-9 && !full(r.part)) {
                a.part = r.part;
                a.seat = static_cast<int>(parts_[r.part].load.size());
                return true;
            }
        return false;
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
        if (a.step->on_carrier) parts_[a.part].load.push_back(part);
        else if (fixtures_.count(device)) fixtures_.at(device).nests[a.seat] = {State::loaded, part, 0, a.until};
        else if (belts_.count(device))
            belts_.at(device).reserved = -1, board(device, part, 0.5 * length(part), a.seat_frame);
        else leave(part);
    }

    const cell::Cell& cell_;
    simulation::PlanCache& plans_;
    const double dt_;
    double now_ = 0;
    std::vector<Part> parts_;
    std::vector<std::pair<int, double>> leaving_;  ///< on their way out of the cell; until when
    std::map<int, Belt> belts_;
    std::map<int, Infeed> infeeds_;
    std::map<int, Fixture> fixtures_;
    std::map<int, bool> beams_;
    std::map<int, Arm> arms_;
    FixedStepResult result_;
};

}  // namespace escarp::tests
