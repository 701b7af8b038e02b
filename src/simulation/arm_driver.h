#pragma once
// Moves an arm as the steps of its task ask: picks, places and moves, each split into its blocks, flown without exact
// stops where corners are allowed.

#include <climits>

#include <cell/text/kept.h>

#include "meeting_plan.h"
#include "task_runner.h"

namespace escarp::simulation {

class ArmDriver final : public Behaves<ArmDriver> {
public:
    ArmDriver(const cell::Device& device, int index, const cell::Cell& cell);

    void start(Kernel& kernel) override;
    void event(Kernel& kernel, int what, int part) override;
    void write_state(StateWriter& writer) const override;
    bool poll(Kernel& kernel) override;
    std::optional<Waiting> waiting(const Kernel& kernel) const override;
    Listening listens_to() const override;
    ArmDriver* driver() override { return this; }
    Pace pace() const override { return Pace::one_by_one; }
    std::string words(const Kernel& kernel, int what) const override;
    void moved_by(TaskRunner& task) { task_ = &task; }  ///< from now on

    int held() const { return hand().part; }  ///< part in the active tool, -1
    const cell::Arm& arm() const { return device_.arm->with_tool(tool_); }
    Outcome exchange(TaskRunner& task, Kernel& kernel);  ///< picks or places, as the present step says
    Outcome move(TaskRunner& task, Kernel& kernel);      ///< to the pose of the present step
    void stand(Kernel& kernel, int block);               ///< where it is, while a block of its task lasts
    void use_tool(int tool) { tool_ = tool; }            ///< others keep what they hold

private:
    enum class Phase { resting, approach, hover, in, grip, out, single };

    /// What a tool holds.
    struct Hand {
        int part = -1;
        Frame part_in_tool = Frame::Identity();
    };
    /// What another tool takes or puts down at the same time.
    struct Beside {
        int tool;
        Spot offer;
        Frame part;  ///< world
    };
    /// A part that can be taken, or a seat that one can be put on, and where the part stands then.
    struct Choice {
        Spot offer;
        Frame part;  ///< world
    };
    /// What a pick or place deals with.
    struct Exchange {
        Spot offer;
        int type = -1;
        Frame seat = Frame::Identity();   ///< world frame of the part once placed
        Frame grasp = Frame::Identity();  ///< tool in part
        std::shared_ptr<const PosePlan> plan;
        int carrier = -1;  ///< that it lies, or is put, on
        std::vector<Beside> beside = {};
        std::optional<Encounter> met;       ///< instead of a plan: with what rides by
        Ticks begins = 0;                   ///< then: when
        Frame on_path = Frame::Identity();  ///< then: where the part lies on the way there
        Spot ride = {};                     ///< then: how it went when that was agreed
        Ticks agreed = 0;
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

    /// The motion that is under way, or waits to be. It may be stopped before a border, and goes on from there.
    struct Leg {
        motion::MotionPtr motion;
        BlockKind kind = BlockKind::move;
        Phase phase = Phase::resting;
        double done = 0;     ///< s of the motion that lie behind it since it set off last
        double ramp = 0;     ///< then: seconds until it is as fast again as the motion says
        bool flies = false;  ///< it comes from another leg without a stop
        /// From where in the motion on its clock runs evenly, and how long after setting off it is at a place of it.
        double even_from() const { return done + 0.5 * ramp; }
        double until(double place) const { return place < even_from() ? ramp : ramp + place - even_from(); }
    };
    /// Else four for each checkpoint, from 1: at one instant those come before the leg is over.
    static constexpr int over_event = INT_MAX, stopped_event = INT_MAX - 1;
    static constexpr int ask_event(int nth) { return 4 * nth + 1; }
    static constexpr int decide_event(int nth) { return 4 * nth + 2; }
    static constexpr int back_event(int nth) { return 4 * nth + 3; }
    static ZoneArbiter& arbiter_of(Kernel& kernel, const Checkpoint& c) { return *kernel.changing(c.arbiter).arbiter(); }
    bool granted(const Kernel& kernel, const Checkpoint& c) const;
    std::optional<motion::Braking> braking_before(
        Kernel& kernel, const Checkpoint& c, const motion::MotionPtr& motion) const;
    bool ask(Kernel& kernel, const Checkpoint& c);
    bool on_leg(const Checkpoint& c) const;
    bool may_set_off(Kernel& kernel);
    bool flight_may_begin(Kernel& kernel);
    bool may_meet(Kernel& kernel, const cell::Step& step);
    void set_off(Kernel& kernel);
    void watch_leg(Kernel& kernel);
    void brake(Kernel& kernel, const Checkpoint& c);
    bool passing_event(Kernel& kernel, int what);

    const cell::Step& step() const { return task_->step(); }
    Hand& hand() { return hands_[tool_]; }
    const Hand& hand() const { return hands_[tool_]; }
    bool holds_any() const;
    MotionRecord record(const Kernel& kernel, motion::MotionPtr motion, int block) const;
    std::vector<Beside> beside(const Kernel& kernel, const cell::Step& step, const Choice& own,
        const std::vector<Choice>& choices, const Frame& tool) const;
    void exchange_with(Kernel& kernel, Behaviour& other, const Beside& one, const Frame& part_in_tool);
    PoseRequest request(const cell::Step& step, const JointVector& from) const;
    /// What could be picked or placed now, and where the tool would go for it; nothing where it must wait.
    std::optional<Exchange> possible(const Kernel& kernel, const cell::Step& step, PoseRequest& request) const;
    /// All that could be taken or used now, first what comes first; for a part of this type (-1: picks). `carrier`: the
    /// one meant, if any stands there.
    std::vector<Choice> choices(const Kernel& kernel, const cell::Step& step, int type, int& carrier) const;
    std::vector<Choice> on_carrier(
        const Kernel& kernel, const cell::Step& step, int type, int carrier, const Frame& at) const;
    Exchange at_choice(const Kernel& kernel, const cell::Step& step, const Choice& choice, PoseRequest& request) const;
    int met() const { return exchange_.carrier >= 0 ? exchange_.carrier : exchange_.offer.part; }
    void leave_carrier(Kernel& kernel);
    void let_all_go(Kernel& kernel);
    /// Claims the part or the seat and plans; nothing yet when it must wait.
    std::optional<Exchange> agree(
        Kernel& kernel, const cell::Step& step, const JointVector& from, std::optional<Fault>& fault);
    /// The same for what rides by within the step's window.
    std::optional<Exchange> agree_riding(Kernel& kernel, const cell::Step& step, const JointVector& from);
    std::optional<Exchange> ridden(Kernel& kernel, const cell::Step& step, const JointVector& from, const Spot& ride);
    std::optional<Exchange> put_among(Kernel& kernel, const cell::Step& step, const JointVector& from);
    MeetingSearch meeting_search(Kernel& kernel, const cell::Step& step, const JointVector& from, const Exchange& x);
    std::vector<Spot> worth_meeting(const Kernel& kernel, const cell::Step& step) const;
    std::vector<Beside> riding_beside(const Kernel& kernel, const cell::Step& step, const Exchange& x) const;
    bool as_agreed(const Kernel& kernel) const;  ///< what is met still rides as it did
    void hover(Kernel& kernel);
    void give_up(Kernel& kernel);
    std::optional<Ahead> move_leg(
        Kernel& kernel, const cell::Step& step, const JointVector& from, motion::Leg& leg, std::optional<Fault>& fault);
    bool known_good(Kernel& kernel, const cell::Step& step, const JointVector& from);
    void extend(Kernel& kernel, std::vector<Ahead>& ahead, std::vector<motion::Leg>& legs);
    bool extend_by_move(
        Kernel& kernel, const cell::Step& next, std::vector<Ahead>& ahead, std::vector<motion::Leg>& legs);
    void extend_by_exchange(
        Kernel& kernel, const cell::Step& next, std::vector<Ahead>& ahead, std::vector<motion::Leg>& legs);
    void fly(Kernel& kernel, std::vector<Ahead> ahead, const std::vector<motion::Leg>& legs);
    void next_leg(Kernel& kernel, bool flies);
    void leave(Kernel& kernel);  ///< the part is taken or put down: away from there
    ArmRoom surroundings(Kernel& kernel);
    /// The joint move of a step, round what stands in the way where that is allowed; and what is said of that.
    Travel way_to(Kernel& kernel, const cell::Step& step, const JointVector& from, const JointVector& to);
    motion::MotionPtr travel(Kernel& kernel, const cell::Step& step, const JointVector& from, const JointVector& to);
    bool free(Kernel& kernel, const cell::Step& step, const JointVector& from, const JointVector& to);
    void open_block(Kernel& kernel, BlockKind kind, Phase phase, double length);
    void run_motion(Kernel& kernel, motion::MotionPtr motion, BlockKind kind, Phase phase, const JointVector& end,
        bool flies = false);
    std::optional<double> bearable_with(int tool, const cell::PartType& part) const;
    motion::MotionPtr gently(Kernel& kernel, motion::MotionPtr motion) const;
    void finish_grip(Kernel& kernel);
    /// Moves that are slowed for the grip stop exactly.
    double corner(const cell::Step& step) const { return arm().gentle && holds_any() ? 0.0 : step.corner; }

    TaskRunner* task_ = nullptr;  ///< the one that moves it
    int tool_ = 0;                ///< the active one
    Phase phase_ = Phase::resting;
    Ticks phase_end_ = 0;
    int block_ = -1;
    JointVector q_;
    std::vector<Hand> hands_;  ///< by tool
    Exchange exchange_;
    Leg leg_;
    const std::vector<Checkpoint> checkpoints_;  ///< of shared space
    std::vector<EventKey> watched_;
    std::vector<int> passed_;  ///< checkpoints that it passes while it slows down, where it gives back
    EventKey over_{};
    int waits_at_ = -1;                                   ///< the arbiter's device, while it waits to go on
    bool missed_ = false;                                 ///< what was to be met did not ride on as foreseen
    std::vector<Ahead> ahead_;                            ///< the rest of the flight, the next leg last
    static constexpr std::size_t most_rooms = 8'000'000;  // bytes
    /// By tool and held part; copies share it, whichever thread they are asked in.
    std::shared_ptr<cell::Kept<ArmRoom>> rooms_ = std::make_shared<cell::Kept<ArmRoom>>(most_rooms);
};

}  // namespace escarp::simulation
