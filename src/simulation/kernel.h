#pragma once
// The event kernel and what a device's behaviour may do with it.

#include <atomic>
#include <optional>
#include <set>
#include <tuple>
#include <unordered_map>

#include <cell/device_kind.h>

#include "plan.h"
#include "trace.h"

namespace escarp::simulation {

class Kernel;

/// A whole state relative to now, as bytes: equal bytes mean that everything from here on repeats.
class StateWriter {
public:
    explicit StateWriter(const Kernel& kernel) : kernel_(kernel) {}
    void add(std::int64_t value);
    void add_double(double value);
    void add_time(Ticks when);  ///< relative to now
    void add_part(int part);    ///< by its rank among the parts in the cell
    void add_joints(const JointVector& q);
    std::string take() { return std::move(bytes_); }

private:
    const Kernel& kernel_;
    std::string bytes_;
};

/// A part that can be taken, and where.
struct Offer {
    int seat, part;
};

/// Who is waited for, for naming a deadlock.
struct Waiting {
    int other;
    WaitFor what;
};

class Behaviour {
public:
    Behaviour(const cell::Device& device, int index) : device_(device), index_(index) {}
    virtual ~Behaviour() = default;

    virtual void start(Kernel&) {}
    virtual void event(Kernel&, int /*what*/, int /*part*/) {}
    /// Goes on if what it waits for has come; true if anything changed. Asked after every event until all say no.
    virtual bool poll(Kernel&) { return false; }

    // Parts taken and given by arms and belts.
    virtual std::optional<Offer> offer(const Kernel&) const { return std::nullopt; }
    virtual void claim(Kernel&, const Offer&) {}
    virtual void taken(Kernel&, const Offer&) {}
    virtual std::optional<int> room(const Kernel&, int /*part_type*/) const { return std::nullopt; }  ///< a seat
    virtual void reserve(Kernel&, int /*seat*/, int /*part*/) {}
    virtual void received(Kernel&, int /*seat*/, int /*part*/) {}
    /// A part arrives from a belt or an infeed, its origin `x` before (-) or behind (+) the place where this begins.
    virtual bool accepts(const Kernel&, int /*part_type*/, double /*x*/) const { return false; }
    virtual void enter(Kernel&, int /*part*/, double /*x*/) {}

    /// Told of every new stretch of a part's motion (only if `watches`).
    virtual bool watches() const { return false; }
    virtual void moved(Kernel&, int /*part*/) {}

    virtual std::optional<Waiting> waiting() const { return std::nullopt; }
    virtual void write_state(StateWriter&) const {}
    virtual bool random() const { return false; }

protected:
    const cell::Device& device_;
    const int index_;
};

struct EventKey {
    Ticks when;
    int device, what, part;
    std::uint64_t order;
    auto operator<=>(const EventKey&) const = default;
};

class Kernel {
public:
    Kernel(const cell::Cell& cell, PlanCache& plans);

    const cell::Cell& cell() const { return cell_; }
    PlanCache& plans() { return plans_; }
    Ticks now() const { return now_; }
    Trace& trace() { return trace_; }
    const Trace& trace() const { return trace_; }
    Behaviour& behaviour(int device) { return *behaviours_[device]; }
    const Behaviour& behaviour(int device) const { return *behaviours_[device]; }

    /// Events at one instant come in the order of device, what, part, then the order in which they were asked for.
    EventKey at(Ticks when, int device, int what, int part = -1);
    void cancel(const EventKey& event) { events_.erase(event); }

    int begin(Block block);  ///< `from` and `cause` are filled in
    void end(int block);     ///< from now on this block is the cause of what begins
    /// What happens next was let go by this block, which may still last.
    void because(int block) { cause_ = block; }
    int cause() const { return cause_; }

    void set_signal(int device, const std::string& name, bool value);
    bool signal(const std::string& full_name) const;
    void set_condition(int device, Condition condition);

    int new_part(int type);
    void put(int part, int device, int seat, const Frame& world, const motion::Glide& glide = {}, Ticks stop = 0);
    void hold(int part, int device, const Frame& in_tool);
    void remove(int part);
    void judge(int part, const std::string& result);
    void start_motion(int device, MotionRecord motion);  ///< from now on
    const std::vector<int>& live_parts() const { return live_; }
    const cell::PartType& type_of(int part) const;
    /// A device has done its task once and begins again.
    void round_over(int device) { keep(trace_.rounds[device], round_at_ = now_); }
    void fault(const Fault& fault) { trace_.faults.push_back(fault); }
    void detour(const DetourRecord& detour) { trace_.detours.push_back(detour); }

    struct Options {
        Ticks horizon = 0;
        Ticks at_least = 0;  ///< goes on to here after the state has recurred
        bool stop_when_steady = true;
        const std::atomic<bool>* stop = nullptr;
    };
    struct Steady {
        Ticks from, period;
        int parts;              ///< that left within the period
        std::size_t departure;  ///< index of the departure that ends the period
    };
    /// Runs to the end; the recurrence if the state recurred.
    std::optional<Steady> run(const Options& options);
    bool stuck() const { return stuck_; }
    bool cut() const { return cut_; }              ///< ended early: more happened than a run keeps
    bool unsettled() const { return unsettled_; }  ///< ended because something went on for ever at one instant

private:
    template <typename Item>
    void keep(std::vector<Item>& list, Item item) {
        list.push_back(std::move(item));
        kept_ += sizeof(Item);
    }
    void settle();
    void write_place(StateWriter& writer, int part) const;
    bool rounds_to_come() const;
    std::pair<std::uint64_t, std::uint64_t> state();  ///< of everything that decides what happens next

    const cell::Cell& cell_;
    PlanCache& plans_;
    std::vector<std::unique_ptr<Behaviour>> behaviours_;
    std::vector<Behaviour*> watchers_;
    std::set<EventKey> events_;
    std::vector<int> live_;
    std::unordered_map<std::string, int> signal_index_;
    std::vector<bool> signal_now_;
    Ticks round_at_ = -1;  ///< when a task was done last
    Trace trace_;
    Ticks now_ = 0;
    int cause_ = -1;
    std::uint64_t order_ = 0;
    std::size_t looked_ = 0;  ///< bytes of states
    std::size_t kept_ = 0;    ///< bytes of the trace, by and large
    bool stuck_ = false, cut_ = false, unsettled_ = false, random_ = false;
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
};
inline const Kind& kind_of(const cell::Device& device) { return static_cast<const Kind&>(*device.kind); }

}  // namespace escarp::simulation
