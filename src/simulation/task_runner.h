#pragma once
// Carries out an arm's task: one step after the other, over and over, each split into its blocks.

#include "kernel.h"

namespace escarp::simulation {

class TaskRunner final : public Behaviour {
public:
    TaskRunner(const cell::Device& device, int index);

    void start(Kernel& kernel) override;
    void event(Kernel& kernel, int what, int part) override;
    bool poll(Kernel& kernel) override;
    std::optional<Waiting> waiting() const override;
    void write_state(StateWriter& writer) const override;

private:
    enum class Phase { idle, waiting, approach, in, grip, out, single, stopped };
    enum class Outcome { done, started, must_wait };
    struct Level {
        const std::vector<cell::Step>* list;
        std::size_t next;
        int left;  ///< rounds still to go after this one
    };

    void go_on(Kernel& kernel);
    const cell::Step* fetch();
    Outcome begin_step(Kernel& kernel);
    Outcome begin_exchange(Kernel& kernel);
    Outcome begin_move(Kernel& kernel);
    Outcome stop(Kernel& kernel, Fault fault);
    void open_wait(Kernel& kernel);
    void open_block(Kernel& kernel, BlockKind kind, Phase phase, double length);
    void run_motion(Kernel& kernel, motion::MotionPtr motion, BlockKind kind, Phase phase, const JointVector& end);
    void run_time(Kernel& kernel, double time_s, BlockKind kind, Phase phase);
    void finish_grip(Kernel& kernel);
    const cell::Arm& arm() const { return device_.arm->with_tool(tool_); }
    bool picking() const { return step_->kind == cell::StepKind::pick; }

    int tool_ = 0;  ///< the active one
    std::vector<Level> stack_;
    const cell::Step* step_ = nullptr;
    Phase phase_ = Phase::idle;
    Ticks phase_end_ = 0;
    int block_ = -1;
    JointVector q_;
    int held_ = -1;
    Frame part_in_tool_ = Frame::Identity();
    Offer offer_{-1, -1};
    Frame seat_ = Frame::Identity();   ///< world frame of the part once placed
    Frame grasp_ = Frame::Identity();  ///< tool in part for the pick in hand
    std::shared_ptr<const PosePlan> plan_;
    Ticks busy_tick_ = -1;
    int steps_at_tick_ = 0;
    int signal_device_ = -1;
};

}  // namespace escarp::simulation
