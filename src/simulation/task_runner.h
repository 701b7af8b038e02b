#pragma once
// Carries out a task: one step after the other, over and over. What a step does is its kind's; what moves an arm is
// its driver's.

#include "kernel.h"

namespace escarp::simulation {

/// What has become of a step that was begun.
enum class Outcome {
    done,       ///< the next one follows at once
    started,    ///< the task goes on when it is over
    must_wait,  ///< it is asked again
};

class TaskRunner final : public Acts<TaskRunner, Actor> {
public:
    /// `nth`: 0 for the main task, else from 1.
    TaskRunner(const cell::Cell& cell, int index, const cell::Task& task, int nth, ArmDriver* driver);

    void start(Kernel& kernel) override;
    void event(Kernel& kernel, int what, int part) override;
    bool poll(Kernel& kernel) override;
    std::optional<Waiting> waiting(const Kernel& kernel) const override;
    Listening listens_to() const override;
    void write_state(StateWriter& writer) const override;
    Pace pace() const override { return Pace::one_by_one; }
    void copied(Kernel& kernel) override;

    // What a kind of step does with it.
    /// Of the device; there is one wherever a step is allowed that needs it.
    ArmDriver& driver() { return *driver_; }
    Outcome take_time(Kernel& kernel, const cell::Spread& time);  ///< s
    /// The steps of a list come next, and again so many times.
    Outcome descend(const std::vector<cell::Step>& list, int again = 0);
    /// The steps of a list come next, and then the present step once more.
    Outcome descend_and_return(const std::vector<cell::Step>& list);
    /// Of another task of the device: it is begun, if it is not under way; it ends after its present step, or at once
    /// where it waits; whether it is under way.
    void begin(Kernel& kernel);
    void halt(Kernel& kernel);
    bool under_way() const { return phase_ == Phase::waiting || phase_ == Phase::busy; }
    /// The task ends here.
    Outcome stop(Kernel& kernel, Fault::Kind why);
    Outcome stop(Kernel& kernel, const Fault& fault);

    // What the driver does with it.
    const cell::Step& step() const { return *step_; }
    /// The step after the present one, when nothing but its place in the list decides that.
    const cell::Step* peek() const;
    void pass_over() { fetch(); }  ///< that step: the driver deals with it in one go with the present one
    void is_at(const cell::Step& step) { step_ = &step; }
    void go_on(Kernel& kernel);  ///< the present step is over
    void again(Kernel& kernel);  ///< it has come to nothing and begins anew

private:
    enum class Phase { idle, waiting, busy, stopped };
    struct Level {
        const std::vector<cell::Step>* list;
        std::size_t next;
        int left;  ///< rounds still to go after this one
    };

    static constexpr int over = 0, too_late = 1;  // events

    bool round_done(Kernel& kernel);
    const cell::Step* fetch();
    Outcome begin_step(Kernel& kernel);
    void open_wait(Kernel& kernel);
    void close_wait(Kernel& kernel);
    void tell(Kernel& kernel, Condition condition) const;

    const cell::Task& task_;
    const int nth_;
    ArmDriver* driver_;
    bool first_done_ = false;  ///< what comes once before the others
    bool halting_ = false;
    std::vector<Level> stack_;
    const cell::Step* step_ = nullptr;
    Phase phase_ = Phase::idle;
    Ticks until_ = never;                ///< of a step that takes time
    EventKey late_{never, -1, 0, 0, 0};  ///< when it has waited long enough
    int block_ = -1;
    Ticks busy_tick_ = -1;
    int steps_at_tick_ = 0;
    cell::Draws draws_;
};

}  // namespace escarp::simulation
