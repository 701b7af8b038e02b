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

class TaskRunner final : public Actor {
public:
    TaskRunner(const cell::Device& device, int index, ArmDriver* driver);

    void start(Kernel& kernel) override;
    void event(Kernel& kernel, int what, int part) override;
    bool poll(Kernel& kernel) override;
    std::optional<Waiting> waiting(const Kernel& kernel) const override;
    Listening listens_to() const override;
    void write_state(StateWriter& writer) const override;

    // What a kind of step does with it.
    /// Of the device; there is one wherever a step is allowed that needs it.
    ArmDriver& driver() { return *driver_; }
    Outcome take_time(Kernel& kernel, double seconds);
    /// The steps of a list come next, and again so many times.
    Outcome descend(const std::vector<cell::Step>& list, int again = 0);
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

private:
    enum class Phase { idle, waiting, busy, stopped };
    struct Level {
        const std::vector<cell::Step>* list;
        std::size_t next;
        int left;  ///< rounds still to go after this one
    };

    const cell::Step* fetch();
    Outcome begin_step(Kernel& kernel);
    void open_wait(Kernel& kernel);

    ArmDriver* const driver_;
    std::vector<Level> stack_;
    const cell::Step* step_ = nullptr;
    Phase phase_ = Phase::idle;
    Ticks until_ = never;  ///< of a step that takes time
    int block_ = -1;
    Ticks busy_tick_ = -1;
    int steps_at_tick_ = 0;
};

}  // namespace escarp::simulation
