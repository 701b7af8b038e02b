#pragma once
// The event kernel and what a device's behaviour may do with it.

#include <array>
#include <atomic>
#include <memory_resource>
#include <optional>
#include <set>
#include <tuple>

#include <cell/model/device_kind.h>
#include <cell/model/expression.h>

#include "plan.h"
#include "port.h"
#include "run.h"
#include "zone_arbiter.h"

namespace escarp::simulation {

class Kernel;

/// A whole state relative to now, as bytes: equal bytes mean that everything from here on repeats.
class StateWriter {
public:
    explicit StateWriter(const Kernel& kernel);
    void add(std::int64_t value);
    void add_double(double value);
    void add_time(Ticks when);  ///< relative to now
    void add_part(int part);    ///< by its rank among the parts in the cell
    void add_joints(const JointVector& q);
    void add_span(Ticks span);    ///< a length of time that is left or used up
    void add_way(Ticks way);      ///< how far something has come, as time of travel
    void add_count(int counted);  ///< of what decides nothing but results
    Ticks now() const;
    std::string take() { return std::move(bytes_); }
    /// What follows is another actor's. Where durations are free, only the order of what lies behind it counts.
    void next();

private:
    const Kernel& kernel_;
    const bool free_;
    std::string bytes_;
    std::vector<std::pair<std::size_t, Ticks>> behind_;  ///< where in the bytes its rank goes
};

/// Who is waited for, for naming a deadlock.
struct Waiting {
    int other;
    WaitFor what;
};

/// Devices and signals of the cell whose change may let somebody go on.
struct Listening {
    std::vector<int> devices, signals;
};

/// Somebody who acts over time within a device: the device itself, or one of its tasks.
class Actor {
public:
    Actor(const cell::Device& device, int index) : device_(device), index_(index) {}
    virtual ~Actor() = default;
    int index() const { return index_; }    ///< of its device
    int number() const { return number_; }  ///< among all who act: events are asked for under it

    virtual void start(Kernel&) {}
    virtual void event(Kernel&, int /*what*/, int /*part*/) {}
    /// Goes on if what it waits for has come; true if anything changed. Asked when something that it listens to has
    /// changed.
    virtual bool poll(Kernel&) { return false; }
    virtual Listening listens_to() const { return {}; }  ///< the same during the whole run
    virtual std::optional<Waiting> waiting(const Kernel&) const { return std::nullopt; }
    virtual void write_state(StateWriter&) const {}

    /// What the order of its events is among them and with others', where durations are free: it does one thing after
    /// the other; what it does in parallel may end in any order; it carries what rides, whose times hold.
    enum class Pace { one_by_one, any_order, by_clock };
    virtual Pace pace() const { return Pace::any_order; }
    /// What one of its events is, where no block of the trace tells: "asks Interlock". Before it comes.
    virtual std::string words(const Kernel&, int /*what*/) const { return {}; }
    /// The same, for a kernel of its own.
    virtual std::unique_ptr<Actor> copy() const = 0;
    virtual void copied(Kernel&) {}  ///< it belongs to that one now: what it knows there is to be found again

protected:
    const cell::Device& device_;
    const int index_;

private:
    friend class Kernel;
    int number_ = -1;
};

/// One that can be copied.
template <typename Self, typename Base>
class Acts : public Base {
public:
    using Base::Base;
    std::unique_ptr<Actor> copy() const override { return std::make_unique<Self>(static_cast<const Self&>(*this)); }
};

class ArmDriver;
class TaskRunner;

/// What a device does by itself, and how parts come to it and leave it.
class Behaviour : public Actor, public Port {
public:
    using Actor::Actor;

    /// Told of every new stretch of a part's motion (only if `watches`).
    virtual bool watches() const { return false; }
    virtual void moved(Kernel&, int /*part*/) {}
    virtual void mover_begins(Kernel&, int /*device*/) {}  ///< a motion, or to stand with something else in its tool

    virtual bool random() const { return false; }
    virtual bool tells_condition() const { return false; }  ///< by itself; else its main task does
    virtual ArmDriver* driver() { return nullptr; }         ///< of its motion; null: its tasks cause none
    virtual ZoneArbiter* arbiter() { return nullptr; }      ///< of space that it lets movers into; null: of none
    virtual const ZoneArbiter* arbiter() const { return nullptr; }

protected:
    int signal(int nth) const { return device_.first_signal + nth; }  ///< of its own, among the cell's
};
template <typename Self, typename Base = Behaviour>
using Behaves = Acts<Self, Base>;

struct EventKey {
    Ticks when;
    int actor, what, part;
    std::uint64_t order;
    auto operator<=>(const EventKey&) const = default;
};

/// Free: what is under way may end at any time, before or after anything else; only what rides keeps its times. Kept:
/// as they are planned.
enum class Durations { kept, free };

class Kernel {
public:
    /// `stop`: plans end by motion::Cancelled when it is set.
    Kernel(const cell::Cell& cell, PlanCache& plans, const motion::StopFlag* stop = nullptr,
        History history = History::whole, Durations durations = Durations::kept, const RunLimits& limits = {});
    /// The same state, to go on from in another way.
    std::unique_ptr<Kernel> copy() const { return std::unique_ptr<Kernel>(new Kernel(*this)); }

    const cell::Cell& cell() const { return cell_; }
    PlanCache& plans() { return plans_; }
    const motion::StopFlag* stop() const { return stop_; }
    Ticks now() const { return now_; }
    Trace& trace() { return trace_; }
    const Trace& trace() const { return trace_; }
    const Behaviour& behaviour(int device) const {
        reach(acting_, device);
        return *behaviours_[device];
    }
    /// To do something with it: whoever listens to the device is asked again.
    Behaviour& changing(int device) {
        touch(device);
        return *behaviours_[device];
    }
    /// Something about a device has changed: who listens to it, itself and its tasks are asked again.
    void touch(int device);
    /// Devices of which something waits now, and for whom.
    std::vector<std::pair<int, Waiting>> waits() const;

    /// Events at one instant come in the order of actor, what, part, then the order in which they were asked for.
    EventKey at(Ticks when, const Actor& actor, int what, int part = -1);
    bool cancel(const EventKey& event) { return events_.erase(event) > 0; }  ///< false: it has happened already

    int begin(Block block);  ///< `from` and `cause` are filled in; without history all blocks are one
    void end(int block);     ///< from now on this block is the cause of what begins
    /// What happens next was let go by this block, which may still last.
    void set_cause(int block) { cause_ = block; }
    int cause() const { return cause_; }

    void set_signal(int signal, double value);  ///< on is 1
    double value(int signal) const {
        reach(acting_, cell_.signals[signal].device);
        return value_[signal];
    }
    bool on(int signal) const { return value(signal) != 0; }
    bool holds(const cell::Expression& condition) const { return value_of(condition) != 0; }
    double value_of(const cell::Expression& expression) const {
        return expression.value([this](int signal) { return value(signal); });
    }
    TaskRunner& side_task(int device, int nth) {
        reach(acting_, device);
        return *side_tasks_[device][nth];
    }
    void set_condition(int device, Condition condition);

    int new_part(int type);
    void put(int part, int device, int seat, const Frame& world, const motion::Glide& glide = {}, Ticks stop = 0);
    void hold(int part, int device, const Frame& in_tool);
    void remove(int part, bool counted = true);  ///< `counted`: as one that the cell has made
    // What lies on carriers: it goes where its carrier goes.
    /// By seat; -1: free. Empty where nothing ever lay on it.
    const std::vector<int>& load(int carrier) const;
    int carrier_of(int part) const;  ///< -1: none
    const Frame& lies_at(int part) const {
        return lying_.at(part).at;
    }  ///< of one that lies on a carrier: in its frame
    /// From now on it lies there; `at` in the carrier's frame.
    void lay(int part, int carrier, int seat, const Frame& at);
    void lift(int part);  ///< off its carrier; where it stands is for who lifts it
    void judge(int part, const std::string& result);
    void start_motion(int device, MotionRecord motion);  ///< from now on
    const std::vector<int>& live_parts() const { return live_; }
    const cell::PartType& type_of(int part) const;
    /// A device has done its task once and begins again.
    void round_over(int device) {
        round_at_ = now_;
        if (tells()) keep(trace_.rounds[device], now_);
    }
    void fault(const Fault& fault) { trace_.faults.push_back(fault); }
    void detour(const DetourRecord& detour) { trace_.detours.push_back(detour); }

    // The kernel goes on as far as it is asked to; what is made of it is for those who ask.
    /// Every device begins; before anything else.
    void start();
    Ticks next_event() const { return events_.empty() ? never : events_.begin()->when; }
    /// The next event, and all that follows from it at once. Not after `ended()`.
    void step();
    // Another order of events than that of their times.
    Durations durations() const { return durations_; }
    /// Those of which any may come next where durations are free.
    std::vector<EventKey> ready() const;
    /// That event comes next. Where durations are kept it waits for its time, or it was late.
    void take(const EventKey& event);
    /// Devices, two by two, of which one touched the other during the last event, or looked at it; where durations are
    /// free.
    const std::vector<std::pair<int, int>>& reached() const { return reached_; }
    /// Devices, two by two, of which one is asked again when something about the other changes.
    std::vector<std::pair<int, int>> ties() const;
    /// What chance decides: `usual`, unless it was said what comes out.
    int choose(int of, int usual);
    /// What comes out of the next choices, the first first; after them the first possibility where durations are free.
    void say_choices(std::vector<int> choices);
    const std::vector<int>& choices_had() const { return had_; }  ///< of how many each, since they were said
    Actor::Pace pace(const EventKey& event) const { return actors_[event.actor]->pace(); }
    int device_of(const EventKey& event) const { return actors_[event.actor]->index(); }
    std::string words(const EventKey& event) const { return actors_[event.actor]->words(*this, event.what); }
    /// Every event up to an instant, unless it ends before. The time is then that instant.
    void advance(Ticks until);
    /// From outside, now, all at once: as if the devices that set them had done so.
    void inject(const std::vector<std::pair<int, double>>& values);
    void inject(int signal, double value) { inject({{signal, value}}); }
    /// From now on the signal comes from outside alone, whatever its device or its source says.
    void leave_to_outside(int signal) { outside_[signal] = true; }
    bool from_outside(int signal) const { return outside_[signal] != 0; }
    /// Held at a value from here on, whatever its device or its source says; before the start, or from outside.
    void force(int signal, double value);
    /// One step's clock runs at another rate, from the start.
    void set_faster(int device, int step, double rate) { faster_ = {device, step, rate}; }
    double clock(int device, int step) const {
        return device == faster_.device && step == faster_.step ? faster_.rate : 1;
    }
    void end_early() { cut_ = true; }              ///< as far as it has come
    bool cut() const { return cut_; }              ///< ended early: more happened than a run keeps
    bool unsettled() const { return unsettled_; }  ///< ended because something went on for ever at one instant
    bool ended() const { return cut_ || unsettled_; }
    std::size_t steps() const { return steps_; }
    std::size_t bytes() const;  ///< of memory that a copy takes, by and large

    /// Nothing else happens at this instant.
    bool instant_over() const { return next_event() > now_; }
    bool part_left_now() const { return !trace_.departures.empty() && trace_.departures.back().when == now_; }
    bool round_done_now() const { return round_at_ == now_; }
    bool random() const { return random_; }
    /// Whether a task with repeats is still on its way to having been through twice: before, its state cannot have
    /// recurred. In a cell without parts, whether any task is on its way to its second round.
    bool rounds_to_come() const;
    /// Everything that decides what happens next, relative to now: equal bytes mean that all repeats from here on.
    /// Whole words of eight bytes.
    std::string state() const;

private:
    Kernel(const Kernel& other);
    void happen(const EventKey& event);
    template <typename Item>
    void keep(std::vector<Item>& list, Item item) {
        list.push_back(std::move(item));
        kept_ += sizeof(Item);
    }
    /// Whether figures are made of the run: else what happened is worth nothing, and copies would carry it along.
    bool tells() const { return durations_ == Durations::kept; }
    /// Of what was before only the latest counts for what comes.
    template <typename Item>
    void keep_latest(std::vector<Item>& list, Item item) {
        if (history_ == History::none && !list.empty()) list.back() = std::move(item);
        else keep(list, std::move(item));
    }
    void reach(int from, int device) const {
        if (durations_ == Durations::free && (reached_.empty() || reached_.back() != std::pair(from, device)))
            reached_.emplace_back(from, device);
    }
    void wake(int actor) {
        const std::size_t word = static_cast<std::size_t>(actor) / 64;
        if (word >= awake_.size()) awake_.resize(word + 1);
        awake_[word] |= std::uint64_t{1} << (actor % 64);
    }
    struct Lying {
        int carrier, seat;
        Frame at;  ///< in the carrier's frame
    };
    void place(int part, Place place, const Frame& at, const motion::Glide& glide);
    void take_along(int carrier, const Place& place);
    void settle();
    bool comes_before(const EventKey& a, const EventKey& b) const;
    void join(std::unique_ptr<Actor> actor);
    void write_place(StateWriter& writer, int part) const;

    const cell::Cell& cell_;
    PlanCache& plans_;
    /// By device: the latest. More than one, since what stands and what rides take turns.
    std::vector<std::array<std::shared_ptr<const Course>, 4>> courses_;
    const motion::StopFlag* stop_;
    struct {
        int device = -1, step = -1;
        double rate = 1;
    } faster_;
    const History history_;
    const Durations durations_;
    const RunLimits limits_;
    std::vector<std::unique_ptr<Actor>> actors_;  ///< each device, followed by its tasks
    std::vector<Behaviour*> behaviours_;          ///< by device
    std::vector<Behaviour*> watchers_;
    std::pmr::unsynchronized_pool_resource event_room_;
    std::pmr::set<EventKey> events_{&event_room_};
    std::vector<int> live_;
    std::map<int, std::vector<int>> loads_;             ///< by carrier
    std::map<int, Lying> lying_;                        ///< by part
    bool carriers_count_ = false;                       ///< there is nothing else that could leave
    std::vector<double> value_;                         ///< of every signal
    std::vector<char> forced_, outside_;                ///< by signal
    std::vector<std::vector<TaskRunner*>> side_tasks_;  ///< by device
    /// Who is asked again when something changes; copies share it.
    struct Ties {
        std::vector<std::vector<int>> fed_by;  ///< by signal: the inputs that look at it
        std::vector<std::vector<int>> device_listeners, signal_listeners;
    };
    std::shared_ptr<Ties> ties_ = std::make_shared<Ties>();
    std::vector<std::uint64_t> awake_;  ///< a bit for each actor: whether it is to be asked
    Ticks round_at_ = -1;               ///< when a task was done last
    Trace trace_;
    Ticks now_ = 0;
    int cause_ = -1;
    std::uint64_t order_ = 0;
    std::size_t steps_ = 0;
    std::size_t kept_ = 0;  ///< bytes of the trace, by and large
    bool cut_ = false, unsettled_ = false, random_ = false;
    std::vector<int> choices_, had_;
    int acting_ = -1;  ///< the device that does something now
    mutable std::vector<std::pair<int, int>> reached_;
};

/// Two hashes of a state's bytes: equal states have equal ones, different states do not meet in practice.
using StateKey = std::pair<std::uint64_t, std::uint64_t>;
StateKey key_of_state(const std::string& bytes);

/// What takes pictures of parts, seen from where it is: their origins within a pyramid down its -z.
struct CameraView {
    double near, far;        ///< m
    double half_x, half_y;   ///< tangents of half the angles
    double every;            ///< s between pictures
    bool hides;              ///< what is behind something else is not seen
    std::vector<int> types;  ///< that it knows; empty: all
};

/// A volume, in the device's frame, and its signals (indexes): that somebody is inside, and that nobody may be.
struct KeptEmpty {
    int inside, keep_out;
    geometry::Convex space;
};

/// A kind with its behaviour.
class Kind : public cell::DeviceKind {
public:
    virtual std::unique_ptr<Behaviour> behaviour(
        const cell::Device& device, int index, const cell::Cell& cell) const = 0;
    /// Where a part of this type goes on a seat, in the device's frame.
    virtual Frame seat_frame(const cell::Device& device, int seat, const cell::PartType& type) const;
    virtual std::vector<int> pick_seats(const cell::Device& device) const;
    virtual std::vector<int> place_seats(const cell::Device& device) const;
    /// How a part stands that has come so far along a device, world; see `ride_length`.
    virtual Frame rides_at(const cell::Device& device, double /*way*/) const { return device.world; }
    virtual void add_ride(cell::ContentKey&, const cell::Device&) const {}  ///< all that `rides_at` depends on
    /// Where a mover has to ask a device of this kind, and gives back.
    virtual std::vector<Checkpoint> checkpoints(const cell::Cell& /*cell*/, int /*device*/, int /*mover*/) const {
        return {};
    }
    /// What a device's tables name that is not in the cell (any more), in words: rows that do nothing.
    virtual std::vector<std::string> missing_names(const cell::Cell&, const cell::Device&) const { return {}; }
    virtual std::optional<KeptEmpty> kept_empty(const cell::Device&) const { return std::nullopt; }
    virtual std::optional<CameraView> camera_view(const cell::Cell&, const cell::Device&) const { return std::nullopt; }
    /// Where a device brings its parts in from the side, world; nullopt: it does not.
    virtual std::optional<Vector3> side_joint(const cell::Cell& /*cell*/, const cell::Device& /*device*/) const {
        return std::nullopt;
    }
};
inline const Kind& kind_of(const cell::Device& device) { return static_cast<const Kind&>(*device.kind); }

}  // namespace escarp::simulation
