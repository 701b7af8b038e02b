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
    std::optional<Waiting> waiting(const Kernel& kernel) const override;
    std::vector<int> listens_to() const override;
    std::vector<int> listens_to_signals() const override;
    void write_state(StateWriter& writer) const override;

    // What a kind of step does with it.
    enum class Outcome { done, started, must_wait };
    int index() const { return index_; }
    int held() const { return held_; }  ///< part in the active tool, -1
    const cell::Arm& arm() const { return device_.arm->with_tool(tool_); }
    Outcome take_time(Kernel& kernel, double seconds);
    /// The steps of a list come next, and again so many times.
    Outcome descend(const std::vector<cell::Step>& list, int again = 0);
    /// The task ends here.
    Outcome stop(Kernel& kernel, Fault::Kind why);
    Outcome exchange(Kernel& kernel);  ///< picks or places, as the present step says
    Outcome move(Kernel& kernel);      ///< to the pose of the present step
    /// False where it still holds a part.
    bool use_tool(int tool);

private:
    enum class Phase { idle, waiting, approach, in, grip, out, single, stopped };
    struct Level {
        const std::vector<cell::Step>* list;
        std::size_t next;
        int left;  ///< rounds still to go after this one
    };

    /// What a pick or place deals with.
    struct Exchange {
        Offer offer{-1, -1};
        int type = -1;
        Frame seat = Frame::Identity();   ///< world frame of the part once placed
        Frame grasp = Frame::Identity();  ///< tool in part
        std::shared_ptr<const PosePlan> plan;
    };
    /// A leg of a flight that is under way: what goes on when the one before ends.
    struct Ahead {
        motion::MotionPtr motion;
        BlockKind kind;
        Phase phase;
        const cell::Step* step;
        JointVector end;
        std::optional<Exchange> exchange;
    };

    void go_on(Kernel& kernel);
    const cell::Step* fetch();
    Outcome begin_step(Kernel& kernel);
    const cell::Step* peek() const;
    /// Claims the part or the seat and plans; nothing yet when it must wait.
    std::optional<Exchange> agree(
        Kernel& kernel, const cell::Step& step, const JointVector& from, std::optional<Fault>& fault);
    std::optional<Ahead> move_leg(
        Kernel& kernel, const cell::Step& step, const JointVector& from, motion::Leg& leg, std::optional<Fault>& fault);
    bool known_good(Kernel& kernel, const cell::Step& step, const JointVector& from);
    void extend(Kernel& kernel, std::vector<Ahead>& ahead, std::vector<motion::Leg>& legs);
    void fly(Kernel& kernel, std::vector<Ahead> ahead, const std::vector<motion::Leg>& legs);
    void next_leg(Kernel& kernel);
    const ArmRoom& surroundings(Kernel& kernel);
    /// The joint move of a step, round what stands in the way where that is allowed.
    motion::MotionPtr travel(Kernel& kernel, const cell::Step& step, const JointVector& from, const JointVector& to);
    bool free(Kernel& kernel, const cell::Step& step, const JointVector& from, const JointVector& to);
    Outcome stop(Kernel& kernel, const Fault& fault);
    void open_wait(Kernel& kernel);
    void open_block(Kernel& kernel, BlockKind kind, Phase phase, double length);
    void run_motion(Kernel& kernel, motion::MotionPtr motion, BlockKind kind, Phase phase, const JointVector& end);
    void run_time(Kernel& kernel, double time_s, BlockKind kind, Phase phase);
    void finish_grip(Kernel& kernel);
    /// Moves that are slowed for the grip stop exactly.
    double corner(const cell::Step& step) const { return arm().gentle && held_ >= 0 ? 0.0 : step.corner; }

    int tool_ = 0;  ///< the active one
    std::vector<Level> stack_;
    const cell::Step* step_ = nullptr;
    Phase phase_ = Phase::idle;
    Ticks phase_end_ = 0;
    int block_ = -1;
    JointVector q_;
    int held_ = -1;
    Frame part_in_tool_ = Frame::Identity();
    Exchange exchange_;
    std::vector<Ahead> ahead_;                          ///< the rest of the flight, the next leg last
    std::unordered_map<std::uint64_t, ArmRoom> rooms_;  ///< by tool and held part
    Ticks busy_tick_ = -1;
    int steps_at_tick_ = 0;
};

}  // namespace escarp::simulation
