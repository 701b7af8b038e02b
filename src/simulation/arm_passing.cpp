// An arm on its way into space that it shares: it asks, slows down before the border where it may not go on yet, and
// gives back where it is out again.

#include <geometry/indices.h>
#include <motion/paced.h>

#include "arm_driver.h"
#include "step.h"

namespace escarp::simulation {
using cell::Step;

namespace {
constexpr double no_way = 1e-6;  // s of a motion
}

std::vector<Checkpoint> checkpoints_of(const cell::Cell& cell, int mover) {
    std::vector<Checkpoint> all;
    for (const int i : indices(cell.devices))
        for (const Checkpoint& c : kind_of(cell.devices[i]).checkpoints(cell, i, mover)) all.push_back(c);
    // In the order of the way: what comes first is asked for first.
    std::stable_sort(all.begin(), all.end(), [](const Checkpoint& a, const Checkpoint& b) {
        return std::tuple(a.step, a.kind, a.share) < std::tuple(b.step, b.kind, b.share);
    });
    return all;
}

bool ArmDriver::granted(const Kernel& k, const Checkpoint& c) const {
    return k.behaviour(c.arbiter).arbiter()->may(index_);
}
bool ArmDriver::ask(Kernel& k, const Checkpoint& c) {
    return k.behaviour(c.arbiter).arbiter()->asked(index_) ? granted(k, c) : arbiter_of(k, c).ask(k, index_, c.visit);
}
bool ArmDriver::on_leg(const Checkpoint& c) const { return c.step == step().number && c.kind == leg_.kind; }

/// How to stop before a place of a motion. Where what comes later on the way has to be decided on sooner, since the arm
/// is quick before it, what comes first is decided on by then, too: it is asked for first, and what comes later only
/// once it may pass before.
std::optional<motion::Braking> ArmDriver::braking_before(
    Kernel& k, const Checkpoint& c, const motion::MotionPtr& motion) const {
    double by = motion->duration();
    std::optional<motion::Braking> found;
    for (auto next = checkpoints_.rbegin(); next != checkpoints_.rend(); ++next) {
        if (!next->asks || next->step != c.step || next->kind != c.kind || next->share < c.share) continue;
        found = k.plans().braking(arm(), motion, next->share * motion->duration(), by);
        if (!found) return std::nullopt;
        by = found->from;
    }
    return found;
}

/// Asks for what has to be granted before the leg can begin, or go on, one after the other: what comes later only once
/// it may pass before. True if all of that is granted.
bool ArmDriver::may_set_off(Kernel& k) {
    if (leg_.flies) return true;
    waits_at_ = -1;
    for (const Checkpoint& c : checkpoints_) {
        if (!c.asks || !on_leg(c) || granted(k, c)) continue;
        const double border = c.share * leg_.motion->duration();
        if (border < leg_.done - no_way) continue;
        const auto braking = braking_before(k, c, leg_.motion);
        if (braking && braking->from > leg_.even_from()) continue;
        if (ask(k, c)) continue;
        waits_at_ = c.arbiter;
        return false;
    }
    return flight_may_begin(k);
}

/// Legs that fly on without a stop cannot wait between them: what they need is granted before the first one begins.
/// True if it is.
bool ArmDriver::flight_may_begin(Kernel& k) {
    for (auto leg = ahead_.rbegin(); leg != ahead_.rend(); ++leg)
        for (const Checkpoint& c : checkpoints_) {
            if (!c.asks || c.step != leg->step->number || c.kind != leg->kind || granted(k, c)) continue;
            if (braking_before(k, c, leg->motion)) continue;
            if (ask(k, c)) continue;
            waits_at_ = c.arbiter;
            return false;
        }
    return true;
}

/// What rides by does not wait: leave for all of the step before it is agreed on.
bool ArmDriver::may_meet(Kernel& k, const Step& step) {
    bool all = true;
    for (const Checkpoint& c : checkpoints_)
        if (c.asks && c.step == step.number && !ask(k, c)) all = false;
    return all;
}

/// The leg begins, or goes on from where it was stopped; or the arm waits there.
void ArmDriver::set_off(Kernel& k) {
    if (!may_set_off(k)) {
        Block b;
        b.device = index_;
        b.kind = BlockKind::wait;
        b.step = step().number;
        b.part = hand().part;
        b.other = waits_at_;
        b.waits_for = WaitFor::zone;
        block_ = k.begin(b);
        k.set_condition(index_, Condition::waiting);
        k.start_motion(index_, record(k, k.plans().still(arm(), leg_.motion->position(leg_.done)), block_));
        return;
    }
    motion::MotionPtr motion = leg_.motion;
    if (leg_.done > 0) motion = k.plans().restarted(arm(), leg_.motion, leg_.done, leg_.ramp);
    const bool meets = exchange_.met && leg_.phase != Phase::single;
    const double settles = ahead_.empty() && !meets ? arm().model->settle : 0;
    open_block(k, leg_.kind, leg_.phase, motion->duration() + settles);
    k.start_motion(index_, record(k, std::move(motion), block_));
    watch_leg(k);
}

/// Events where it has to ask or to decide, and where it gives back.
void ArmDriver::watch_leg(Kernel& k) {
    watched_.clear();
    const auto later = [&](double s, int what) {
        watched_.push_back(k.at(std::min(k.now() + ticks(std::max(0.0, s)), phase_end_), *this, what));
    };
    double asked_by = leg_.motion->duration();
    for (int nth = static_cast<int>(checkpoints_.size()); nth-- > 0;) {
        const Checkpoint& c = checkpoints_[nth];
        const double at = on_leg(c) ? c.share * leg_.motion->duration() : -1;
        if (at < leg_.done - no_way) continue;
        if (!c.asks) {
            // Where it has to decide before it would be out, it stays in.
            const bool stays = std::any_of(checkpoints_.begin(), checkpoints_.end(), [&](const Checkpoint& next) {
                if (!next.asks || next.arbiter != c.arbiter || !on_leg(next) || next.share <= c.share) return false;
                const auto braking = braking_before(k, next, leg_.motion);
                return !braking || braking->from <= at;
            });
            if (!stays) later(leg_.until(at), back_event(nth));
        } else {
            const auto braking = braking_before(k, c, leg_.motion);
            if (!braking) continue;  // it has leave for it
            const double decides = leg_.until(braking->from), asks = std::min(asked_by, decides - c.early);
            if (asks < decides) later(asks, ask_event(nth));
            later(decides, decide_event(nth));
            asked_by = asks;
        }
    }
}

void ArmDriver::brake(Kernel& k, const Checkpoint& c) {
    const auto braking = braking_before(k, c, leg_.motion);
    passed_.clear();
    for (const EventKey& e : watched_) {
        if (!k.cancel(e)) continue;
        const auto nth = static_cast<std::size_t>(e.what / 4);
        const double at = checkpoints_[nth].share * leg_.motion->duration();
        if (e.what == back_event(e.what / 4) && at <= braking->stops_at()) passed_.push_back(e.what / 4);
    }
    watched_.clear();
    k.cancel(over_);
    leg_.done = braking->stops_at();
    leg_.ramp = k.plans().restart_time(arm(), leg_.motion, leg_.done);
    leg_.flies = false;
    k.start_motion(index_, record(k, k.plans().braked(arm(), leg_.motion, *braking), block_));
    phase_end_ = k.now() + ticks(braking->takes);
    k.at(phase_end_, *this, stopped_event);
}

/// True if the event was one of these.
bool ArmDriver::passing_event(Kernel& k, int what) {
    if (what == over_event) return false;
    if (what == stopped_event) {
        k.end(block_);
        for (const int nth : std::exchange(passed_, {})) {
            k.set_cause(block_);
            arbiter_of(k, checkpoints_[nth]).give_back(k, index_);
        }
        set_off(k);
        return true;
    }
    const int nth = what / 4;
    const Checkpoint& c = checkpoints_[nth];
    if (what == back_event(nth)) {
        k.set_cause(block_);
        arbiter_of(k, c).give_back(k, index_);
    } else if (!ask(k, c) && what == decide_event(nth)) {
        brake(k, c);
    }
    return true;
}

std::string ArmDriver::words(const Kernel& k, int what) const {
    if (what == over_event || what == stopped_event) return {};
    const Checkpoint& c = checkpoints_[what / 4];
    const std::string& arbiter = k.cell().devices[c.arbiter].name;
    if (what == back_event(what / 4)) return "gives " + arbiter + " back";
    return granted(k, c) ? "goes on, let in by " + arbiter : "asks " + arbiter;
}

bool ArmDriver::poll(Kernel& k) {
    if (waits_at_ < 0 || !may_set_off(k)) return false;
    k.end(block_);
    set_off(k);
    return true;
}

std::optional<Waiting> ArmDriver::waiting(const Kernel&) const {
    return waits_at_ < 0 ? std::nullopt : std::optional(Waiting{waits_at_, WaitFor::zone});
}

Listening ArmDriver::listens_to() const {
    Listening to;
    for (const Checkpoint& c : checkpoints_) to.devices.push_back(c.arbiter);
    return to;
}

}  // namespace escarp::simulation
