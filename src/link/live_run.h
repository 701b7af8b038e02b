#pragma once
// A run whose clock goes with the wall clock, or step by step with a controller, and which hears what comes from
// outside.

#include <atomic>
#include <condition_variable>
#include <functional>
#include <map>
#include <mutex>
#include <thread>

#include <simulation/run_session.h>
#include <wire/modbus.h>

namespace escarp::link {

using simulation::Ticks;
using SignalValues = std::vector<std::pair<int, double>>;  ///< index of a signal, its value (on is 1)

/// What a live run heard from outside, at one instant: signals, or where an arm is that follows.
struct Heard {
    Ticks when;
    SignalValues values;
    int device = -1;
    kinematics::JointVector q = {};  ///< of that device
    double silent_after = 1;         ///< s
};

/// What was wrong about an arm that follows.
struct FollowerNote {
    Ticks when;
    int device;
    std::string words;
};

/// What a live run has done so far, for another thread to look at.
class LiveTrace final : public simulation::RunObserver {
public:
    void begun(const simulation::Kernel& kernel) override { happened(kernel); }
    void happened(const simulation::Kernel& kernel) override;
    /// As far as it has come; null before it has begun. `now`: of the run's status, read before: until then nothing
    /// else has happened.
    std::shared_ptr<const simulation::Run> so_far(Ticks now) const;

private:
    mutable std::mutex mutex_;
    simulation::TraceCopy copy_;
    bool begun_ = false;
};

struct LiveOptions {
    double rate = 1;         ///< of the wall clock, 0.1 to 20
    bool lock_step = false;  ///< its clock goes on when it is told to, by so much as it is told
    Ticks end = simulation::never;
    /// Ends when it holds, at that instant.
    std::function<bool(const simulation::Kernel&)> until = {};
    std::function<void(const Heard&)> heard = {};          ///< told at once what is taken in, on the run's thread
    std::vector<simulation::RunObserver*> observers = {};  ///< told on the run's thread; they have to outlive it
    simulation::RunLimits limits = {50'000'000, 100'000'000, std::size_t{1} << 30, 1'000'000'000};
};

struct LiveStatus {
    Ticks now = 0;
    bool paused = false, over = false;
    std::string why_over = {};            ///< in words, where it is over
    double late_s = 0, worst_late_s = 0;  ///< behind the wall clock, in seconds of the wall clock
    long heard = 0, steps = 0;            ///< sets of values; steps of lock-step
};

/// The signals of a cell that come from outside in a live run: all that are said to.
std::vector<int> outside_signals(const cell::Cell& cell);

class LiveRun {
public:
    /// Begins at once, on a thread of its own.
    LiveRun(std::shared_ptr<const cell::Cell> cell, LiveOptions options);
    ~LiveRun();
    LiveRun(const LiveRun&) = delete;

    const cell::Cell& cell() const { return *cell_; }
    // From any thread:
    /// Signals from outside: all of one call at one instant, the next one. Only those that are left to the outside, and
    /// inputs that nothing in the cell feeds, are taken.
    void hear(SignalValues values);
    /// Where an arm is that follows, from the next instant on. Values beyond its limits and jumps are shown as they
    /// come, and noted; what has no task of its own can follow, others are left alone.
    /// `silent_after`: s until it is noted that nothing more is heard.
    void follow(int device, const kinematics::JointVector& q, double silent_after = 1);
    std::vector<FollowerNote> notes() const;  ///< limits, jumps and silence of followers; the first 1000
    std::vector<double> values() const;       ///< of every signal, all at one instant
    /// Joint values of every mover by its device, and of which instant they are; followed from the first call on.
    std::vector<std::pair<int, kinematics::JointVector>> joints(Ticks& when);
    LiveStatus status() const;
    void pause(bool paused);
    void set_rate(double rate);
    void step_event();  ///< while it is paused: to the next instant at which something happens
    void stop(const std::string& why);
    /// Of lock-step: takes what comes in, goes on by so much, and tells how things stand then. Called again with the
    /// same number it goes on waiting. `not_yet`: it was not done within a fifth of a second.
    wire::lock_step::State step(Ticks by, int number, const SignalValues& in, std::vector<double>& out);
    /// Waits until it is over, or for so long. Whether it is over.
    bool wait(double seconds);

    /// Once it is over.
    std::shared_ptr<const simulation::Run> run() const { return run_; }
    const std::vector<Heard>& heard() const { return heard_; }

private:
    using Clock = std::chrono::steady_clock;
    void work();
    bool due(simulation::RunSession& session, Ticks until);
    void take_in(simulation::RunSession& session, const std::vector<Heard>& sets);
    void follow_now(simulation::RunSession& session, const Heard& heard);
    void look_for_silence(Ticks now);
    void note(Ticks when, int device, std::string words);
    void publish(const simulation::RunSession& session);
    void go_by_wall(simulation::RunSession& session, std::unique_lock<std::mutex>& hold);
    void go_by_step(simulation::RunSession& session, std::unique_lock<std::mutex>& hold);
    void set_wall_zero();

    const std::shared_ptr<const cell::Cell> cell_;
    const LiveOptions options_;
    const std::vector<int> outside_;

    mutable std::mutex mutex_;
    std::condition_variable changed_, done_;
    void wait_in_line(Heard heard);
    std::vector<Heard> queue_;  ///< `when` is not said yet
    struct Follower {
        Ticks last = -1;  ///< when it was heard of
        kinematics::JointVector q = {};
        bool silent = false, beyond = false;
        Ticks silent_after = simulation::second;
    };
    std::map<int, Follower> followers_;  ///< on the run's thread
    std::vector<FollowerNote> notes_;
    std::vector<double> values_;
    std::vector<std::pair<int, kinematics::JointVector>> joints_;
    Ticks joints_when_ = 0;
    bool joints_wanted_ = false;
    LiveStatus status_;
    bool stopping_ = false;
    int events_to_go_ = 0;
    double rate_;
    Clock::time_point wall_zero_;  ///< when the run's clock stood at `zero_`
    Ticks zero_ = 0;
    struct Step {
        int number = -1;
        Ticks by = 0;
        SignalValues in;
        bool asked = false, done = false;
    } step_;

    std::vector<Heard> heard_;
    std::shared_ptr<const simulation::Run> run_;
    std::thread thread_;
};

}  // namespace escarp::link
