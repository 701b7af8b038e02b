#pragma once
// What a run leaves behind: blocks of work and waiting, where every part was, signals, arm motions. The full state at
// any instant is read from it in logarithmic time.

#include <cstdint>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include <cell/model/cell.h>
#include <motion/glide.h>
#include <motion/motion.h>

namespace escarp::simulation {

using geometry::Frame;
using geometry::Vector3;
using kinematics::JointVector;

/// Simulation time in whole nanoseconds: sums are exact, so a state that recurs is seen to recur.
using Ticks = std::int64_t;
inline constexpr Ticks second = 1'000'000'000;
inline constexpr Ticks never = INT64_MAX;
Ticks ticks(double seconds);  ///< rounded up, so that nothing is faster than it can be
inline double seconds(Ticks t) { return static_cast<double>(t) * 1e-9; }

enum class BlockKind {
    move,
    straight_in,
    straight_out,
    straight,
    grip,
    release,
    dwell,
    process,
    wait,
    ride,
    interval,
    exchange,
    repair,
    change_over,
    held  ///< shared space, by a mover
};
const char* word(BlockKind kind);

/// What a wait waits for.
enum class WaitFor { none, signal, part, room, zone };

struct Block {
    int device = 0;
    BlockKind kind = BlockKind::wait;
    int step = -1;  ///< number of the step among all of the device
    Ticks from = 0;
    Ticks to = never;  ///< `never` while it lasts
    int cause = -1;    ///< the block whose end let this one begin
    int part = -1;
    int other = -1;  ///< the device it deals with or waits for
    int seat = -1;
    WaitFor waits_for = WaitFor::none;
    int task = 0;  ///< 0: of the device itself or its main task; else of its side task of that number, from 1
};

/// How a part is turned, and how it goes on: mostly the same for all that rides on one belt.
struct Course {
    geometry::Matrix3 turn = geometry::Matrix3::Identity();
    motion::Glide glide = {};
    bool same_bits(const Course& other) const;
};

/// From an instant on, a part glides from where it is until `stop`, or hangs on a device's tool. A run has millions.
struct Place {
    enum class Kind { still, held, gone } kind = Kind::still;
    int device = -1;  ///< that it stands or rides on, or whose tool holds it
    Ticks from = 0, stop = 0;
    int seat = -1;
    int carrier = -1;  ///< the part that it lies on; then `seat` is that one's
    Vector3 origin = Vector3::Zero();
    std::shared_ptr<const Course> course = {};  ///< never null once it is in a trace

    Frame at() const;  ///< still: in the world at `from`; held: in the tool frame
    const motion::Glide& glide() const { return course->glide; }
    Frame after(double seconds) const {
        return glide().rests() ? at() : glide().after(at(), seconds);
    }  ///< still: how it then stands
};

struct PartRecord {
    int type = 0;
    std::vector<Place> places;
    std::vector<std::pair<Ticks, std::string>> results;  ///< judgements, latest last
    Ticks came = 0;                                      ///< when it began to be there
    const Place* place(Ticks t) const;                   ///< null before it exists
};

struct SignalRecord {
    std::string name;                               ///< "device.signal"
    std::vector<std::pair<Ticks, double>> changes;  ///< on is 1
    double at(Ticks t) const;
    /// When it took the value that it has at t.
    Ticks since(Ticks t) const;
};

struct MotionRecord {
    Ticks from;
    motion::MotionPtr motion;
    int held;      ///< part on the tool, -1
    int block;     ///< the block it belongs to, -1
    int tool = 0;  ///< the arm's active tool
    struct Also {
        int part, tool;
    };
    std::vector<Also> also = {};  ///< what else it holds: in other tools, beside it, and what lies on what it holds
};

enum class Condition { busy, waiting, starved, blocked, down };

/// A task that could not go on, and why.
struct Fault {
    int device, step;
    Ticks when;
    enum class Kind { out_of_reach, line_fails, holds_nothing, holds_already, goes_round } kind;
    int other = -1, seat = -1, part_type = -1;
    double at = 0;  ///< line_fails: share of the line
};

/// A joint move that could not be made directly.
struct DetourRecord {
    int device, step;
    Ticks when;
    bool found;           ///< false: the direct move was made all the same
    int blocker;          ///< device that stood in the way; -1: the arm itself
    double longer_s = 0;  ///< than the direct move
};

struct Departure {
    Ticks when;
    int part, block;  ///< `block`: the one whose end let it leave
};

/// What a run keeps of what was: all of it, or only how things stand, what left when, and the conditions of devices.
enum class History { whole, none };

struct Trace {
    std::vector<Block> blocks;  ///< in order of their beginning
    std::vector<PartRecord> parts;
    std::vector<SignalRecord> signals;
    std::vector<std::vector<MotionRecord>> motions;                    ///< by device; empty for what never moves
    std::vector<std::vector<std::pair<Ticks, Condition>>> conditions;  ///< by device
    std::vector<Departure> departures;
    std::vector<std::vector<Ticks>> rounds;  ///< by device: when its task was done once more
    std::vector<Fault> faults;
    std::vector<DetourRecord> detours;
    Ticks end = 0;

    /// What stands where at one instant, and nothing of what was before or comes after: no blocks, no departures.
    Trace at_instant(Ticks t) const;
    const SignalRecord* signal(const std::string& name) const;
    /// Where a part stands; false when it is not in the cell.
    bool part_frame(const cell::Cell& cell, int part, Ticks t, Frame& out) const;
    /// Joint values of an arm, or of another mover.
    JointVector joints(const cell::Cell& cell, int device, Ticks t) const;
    Frame tool_frame(const cell::Cell& cell, int device, Ticks t) const;  ///< world; of another mover: what carries
    int held_part(int device, Ticks t) const;
    std::vector<MotionRecord::Also> also_held(int device, Ticks t) const;
    std::string result(int part, Ticks t) const;  ///< latest judgement, or empty
    /// Share of [from, to] that a device spent in each condition; all 0 where it has none.
    std::map<Condition, double> shares(int device, Ticks from, Ticks to) const;
    /// What a block says, in words.
    std::string describe(const cell::Cell& cell, const Block& block) const;
};

}  // namespace escarp::simulation
