#include "live_run.h"

#include <algorithm>
#include <cmath>

#include <cell/text/numbers.h>
#include <simulation/plan.h>

namespace escarp::link {

using simulation::RunSession;
using std::chrono::duration;

std::vector<int> outside_signals(const cell::Cell& cell) {
    std::vector<int> all;
    for (std::size_t i = 0; i < cell.signals.size(); ++i)
        if (cell.signals[i].outside) all.push_back(static_cast<int>(i));
    return all;
}

void LiveTrace::happened(const simulation::Kernel& kernel) {
    if (!kernel.instant_over()) return;
    const std::lock_guard<std::mutex> hold(mutex_);
    copy_.follow(kernel);
    begun_ = true;
}

std::shared_ptr<const simulation::Run> LiveTrace::so_far(Ticks now) const {
    const std::lock_guard<std::mutex> hold(mutex_);
    if (!begun_) return nullptr;
    auto run = std::make_shared<simulation::Run>();
    run->trace = copy_.trace();
    run->trace.end = std::max(run->trace.end, now);
    return run;
}

LiveRun::LiveRun(std::shared_ptr<const cell::Cell> cell, LiveOptions options)
    : cell_(std::move(cell)), options_(std::move(options)), outside_(outside_signals(*cell_)), rate_(options_.rate) {
    for (const cell::Signal& s : cell_->signals) values_.push_back(s.start);
    thread_ = std::thread([this] { work(); });
}

LiveRun::~LiveRun() {
    stop("ended");
    thread_.join();
}

/// A flood that nobody takes in costs no more than this: the oldest half is left out.
void LiveRun::wait_in_line(Heard heard) {
    constexpr std::size_t most = 100'000;
    const std::lock_guard<std::mutex> hold(mutex_);
    if (queue_.size() >= most) queue_.erase(queue_.begin(), queue_.begin() + most / 2);
    queue_.push_back(std::move(heard));
    changed_.notify_all();
}
void LiveRun::hear(SignalValues values) {
    if (!values.empty()) wait_in_line({0, std::move(values)});
}
void LiveRun::follow(int device, const kinematics::JointVector& q, double silent_after) {
    const cell::Device& d = cell_->devices.at(static_cast<std::size_t>(device));
    if (!RunSession::can_follow(d) || q.size() != static_cast<int>(d.arm->model->mechanism.joints.size()) ||
        !q.allFinite())
        return;
    wait_in_line({0, {}, device, q, silent_after});
}
std::vector<FollowerNote> LiveRun::notes() const {
    const std::lock_guard<std::mutex> hold(mutex_);
    return notes_;
}
void LiveRun::note(Ticks when, int device, std::string words) {
    constexpr std::size_t most = 1000;
    const std::lock_guard<std::mutex> hold(mutex_);
    if (notes_.size() < most) notes_.push_back({when, device, std::move(words)});
}

void LiveRun::follow_now(RunSession& session, const Heard& heard) {
    const cell::Device& d = cell_->devices[static_cast<std::size_t>(heard.device)];
    const auto& joints = d.arm->model->mechanism.joints;
    Follower& f = followers_[heard.device];
    // Messages come in bunches: a jump is what is not possible within a twentieth of a second either.
    constexpr double bunch = 0.05, spare = 0.01;  // s; rad or m
    const double since = f.last < 0 ? 0 : std::max(bunch, simulation::seconds(session.now() - f.last));
    bool beyond = false, jumped = false;
    for (int j = 0; j < heard.q.size(); ++j) {
        const kinematics::Joint& joint = joints[static_cast<std::size_t>(j)];
        if (!beyond && (heard.q[j] < joint.low - 1e-6 || heard.q[j] > joint.high + 1e-6)) {
            beyond = true;
            if (!f.beyond) note(session.now(), heard.device, joint.name + " is beyond its limits");
        }
        if (f.last >= 0 && !jumped && std::abs(heard.q[j] - f.q[j]) > joint.speed * since + spare) {
            jumped = true;
            note(session.now(), heard.device, joint.name + " jumps, faster than it can move");
        }
    }
    f.last = session.now(), f.q = heard.q, f.beyond = beyond, f.silent = false;
    f.silent_after = simulation::ticks(heard.silent_after);
    heard_.push_back({session.now(), {}, heard.device, heard.q});
    if (options_.heard) options_.heard(heard_.back());
    session.follow(heard.device, heard.q);
}

void LiveRun::look_for_silence(Ticks now) {
    for (auto& [device, f] : followers_)
        if (!f.silent && now - f.last > f.silent_after) {
            f.silent = true;
            note(f.last + f.silent_after, device,
                "nothing has been heard of it for " + cell::shortest(simulation::seconds(f.silent_after)) + " s");
        }
}

std::vector<double> LiveRun::values() const {
    const std::lock_guard<std::mutex> hold(mutex_);
    return values_;
}
std::vector<std::pair<int, kinematics::JointVector>> LiveRun::joints(Ticks& when) {
    const std::lock_guard<std::mutex> hold(mutex_);
    joints_wanted_ = true;
    when = joints_when_;
    return joints_;
}
LiveStatus LiveRun::status() const {
    const std::lock_guard<std::mutex> hold(mutex_);
    return status_;
}

void LiveRun::pause(bool paused) {
    const std::lock_guard<std::mutex> hold(mutex_);
    if (status_.paused == paused) return;
    status_.paused = paused;
    set_wall_zero();
    changed_.notify_all();
}
void LiveRun::set_rate(double rate) {
    const std::lock_guard<std::mutex> hold(mutex_);
    set_wall_zero();
    rate_ = std::clamp(rate, 0.1, 20.0);
    changed_.notify_all();
}
void LiveRun::step_event() {
    const std::lock_guard<std::mutex> hold(mutex_);
    if (status_.paused) ++events_to_go_;
    changed_.notify_all();
}
void LiveRun::stop(const std::string& why) {
    const std::lock_guard<std::mutex> hold(mutex_);
    stopping_ = true;
    if (status_.why_over.empty()) status_.why_over = why;
    changed_.notify_all();
}
bool LiveRun::wait(double seconds) {
    std::unique_lock<std::mutex> hold(mutex_);
    return done_.wait_for(hold, duration<double>(seconds), [this] { return status_.over; });
}

/// The wall clock counts from here. Held.
void LiveRun::set_wall_zero() { wall_zero_ = Clock::now(), zero_ = status_.now; }

wire::lock_step::State LiveRun::step(Ticks by, int number, const SignalValues& in, std::vector<double>& out) {
    std::unique_lock<std::mutex> hold(mutex_);
    if (step_.number != number || !step_.asked) {
        if (step_.asked && !step_.done) return wire::lock_step::not_yet;  // the one before is under way
        step_ = {number, by, in, true, false};
        changed_.notify_all();
    }
    constexpr auto patience = std::chrono::milliseconds(200);
    done_.wait_for(hold, patience, [this] { return step_.done || status_.over; });
    if (!step_.done) return status_.over ? wire::lock_step::over : wire::lock_step::not_yet;
    step_.asked = false;
    out = values_;
    return status_.over ? wire::lock_step::over : wire::lock_step::goes_on;
}

void LiveRun::publish(const RunSession& session) {
    const simulation::Kernel& k = session.kernel();
    look_for_silence(k.now());
    const std::lock_guard<std::mutex> hold(mutex_);
    for (std::size_t i = 0; i < values_.size(); ++i) values_[i] = k.value(static_cast<int>(i));
    status_.now = k.now();
    if (joints_wanted_) {
        joints_.clear();
        joints_when_ = k.now();
        for (std::size_t d = 0; d < cell_->devices.size(); ++d)
            if (cell_->devices[d].mover())
                joints_.emplace_back(static_cast<int>(d), k.trace().joints(*cell_, static_cast<int>(d), k.now()));
    }
    status_.heard = static_cast<long>(heard_.size());
}

void LiveRun::take_in(RunSession& session, const std::vector<Heard>& sets) {
    for (const Heard& set : sets) {
        if (set.device >= 0) {
            follow_now(session, set);
            continue;
        }
        SignalValues taken;
        for (const auto& [signal, value] : set.values)
            if (signal >= 0 && signal < static_cast<int>(cell_->signals.size()) && std::isfinite(value) &&
                cell_->signals[static_cast<std::size_t>(signal)].heard_live() &&
                session.kernel().value(signal) != value)
                taken.emplace_back(signal, value);
        if (taken.empty()) continue;
        heard_.push_back({session.now(), taken});
        if (options_.heard) options_.heard(heard_.back());
        session.hear(taken);
    }
}

/// Goes on as far as an instant. False: it is over.
bool LiveRun::due(RunSession& session, Ticks until) {
    until = std::min(until, options_.end);
    const auto ends = [&] { return options_.until && options_.until(session.kernel()); };
    while (!session.over() && session.kernel().next_event() <= until) {
        session.step();
        if (session.kernel().instant_over() && ends()) return false;
    }
    if (session.kernel().ended()) return false;
    session.advance(until);
    return !ends() && until < options_.end;
}

void LiveRun::go_by_step(RunSession& session, std::unique_lock<std::mutex>& hold) {
    changed_.wait(hold, [&] { return stopping_ || (step_.asked && !step_.done && !status_.paused); });
    if (stopping_) return;
    const Step step = step_;
    std::vector<Heard> sets;
    sets.swap(queue_);
    hold.unlock();
    sets.push_back({0, step.in});
    take_in(session, sets);
    const bool goes_on = due(session, session.now() + step.by);
    publish(session);
    hold.lock();
    step_.done = true;
    ++status_.steps;
    if (!goes_on) stopping_ = status_.over = true;
    done_.notify_all();
}

void LiveRun::go_by_wall(RunSession& session, std::unique_lock<std::mutex>& hold) {
    const auto elapsed = [&] { return duration<double>(Clock::now() - wall_zero_).count() * rate_; };
    if (status_.paused) {
        changed_.wait(hold, [&] { return stopping_ || !status_.paused || !queue_.empty() || events_to_go_ > 0; });
    } else {
        // Until the next event is due, or something comes in; not too long, for its clock is looked at.
        const Ticks next = std::min(session.kernel().next_event(), options_.end);
        constexpr double look = 0.005;  // s
        const double until_next =
            next == simulation::never ? look : (simulation::seconds(next - zero_) - elapsed()) / rate_;
        if (until_next > 0)
            changed_.wait_for(hold, duration<double>(std::min(look, until_next)),
                [&] { return stopping_ || status_.paused || !queue_.empty(); });
    }
    if (stopping_) return;
    std::vector<Heard> sets;
    sets.swap(queue_);
    Ticks target = session.now();
    bool one_event = false;
    if (!status_.paused) target = std::max(target, zero_ + simulation::ticks(std::max(0.0, elapsed())));
    else if (events_to_go_ > 0) --events_to_go_, one_event = true;
    hold.unlock();
    if (one_event && session.kernel().next_event() != simulation::never) target = session.kernel().next_event();
    bool goes_on = due(session, target);
    if (goes_on) take_in(session, sets);
    publish(session);
    hold.lock();
    if (status_.paused) set_wall_zero();
    status_.late_s = status_.paused ? 0 : std::max(0.0, elapsed() - simulation::seconds(session.now() - zero_)) / rate_;
    status_.worst_late_s = std::max(status_.worst_late_s, status_.late_s);
    if (!goes_on) stopping_ = true;
}

void LiveRun::work() {
    simulation::PlanCache plans;
    simulation::RunOptions how;
    how.outside = outside_;
    how.limits = options_.limits;
    RunSession session(*cell_, plans, how);
    for (simulation::RunObserver* o : options_.observers) session.watch(*o);
    session.start();
    publish(session);
    std::unique_lock<std::mutex> hold(mutex_);
    set_wall_zero();
    while (!stopping_) options_.lock_step ? go_by_step(session, hold) : go_by_wall(session, hold);
    if (status_.why_over.empty())
        status_.why_over = session.kernel().ended()        ? "more happened than a live run keeps"
                           : session.now() >= options_.end ? "its time is up"
                                                           : "what it was to go on until has come";
    run_ = session.finish(session.now(), session.now());
    status_.over = true;
    done_.notify_all();
}

}  // namespace escarp::link
