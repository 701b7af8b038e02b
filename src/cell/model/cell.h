#pragma once
// The typed cell: one variant of a document, in SI units, checked. Made by `read_cell`; never edited in place.

#include <algorithm>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include <cell/text/json.h>
#include <cell/text/problem.h>
#include <cell/text/spread.h>
#include <geometry/convex.h>
#include <geometry/outline.h>
#include <kinematics/joint_solver.h>

#include "link.h"
#include "signal.h"
#include "study.h"

namespace escarp::cell {

using geometry::Frame;
using geometry::Vector3;
using kinematics::JointVector;

class DeviceKind;

struct Grip {
    std::string id;
    Frame at;              ///< the tool frame in the part when it is gripped
    double tolerance = 0;  ///< how far aside of it the tool still grips, m; 0: not stated
};

/// A surface from a CAD file: drawn as triangles, checked as convex pieces.
struct MeshAsset {
    std::string id, name, colour;
    std::vector<geometry::Convex> pieces;  ///< in the surface's frame: origin at the bottom centre, or as it was drawn
};

struct PartType {
    std::string id, name, colour;
    geometry::Bodies bodies;  ///< in the part's frame: origin at the bottom centre
    double mass = 0;
    std::vector<Grip> grips;
    double length = 0, height = 0;  ///< extent along the part's x and z, m
    std::vector<Frame> seats;  ///< of a carrier (a tray, a pallet): for parts that lie on it, in the order of filling
    std::vector<std::string> fits;  ///< part types that may; empty: any
    std::uint64_t shape_key = 0;    ///< content key of its bodies and seats
    bool carrier() const { return !seats.empty(); }
    bool takes(const PartType& part) const {
        return fits.empty() ? !part.carrier() : std::find(fits.begin(), fits.end(), part.id) != fits.end();
    }
    /// The tool frame at a grip; at the first where there is none of that id.
    const Frame& grip(const std::string& grip_id) const {
        for (const Grip& g : grips)
            if (g.id == grip_id) return g.at;
        return grips.front().at;
    }
};

struct ToolModel {
    std::string id, name;
    geometry::Bodies bodies;          ///< in the flange
    Frame frame = Frame::Identity();  ///< the tool frame in the flange
    double mass = 0, close_s = 0, open_s = 0;
    double force = 0;  ///< N, of each jaw
    int faces = 2;     ///< contact faces
    double friction = 0.3;
    bool suction = false;  ///< holds by suction: the whole force, no friction between
};

/// A taught pose: joint values, or a tool frame relative to a device (or the floor).
struct Pose {
    std::string id, name;
    std::optional<JointVector> joints;
    std::string relative_to;  ///< device id; empty: the floor
    Frame at = Frame::Identity();
};

class Expression;
class StepKind;

/// What a kind of device or step reads out of the file for itself.
struct Parameters {
    virtual ~Parameters() = default;
};

/// Where a step takes the tool.
enum class Reach { nowhere, pose, part, seat };

struct Step {
    std::string id;
    std::string path;  ///< where it stands in the file, for messages and edits
    int number = 0;    ///< position in the task counted through all groups, from 0
    bool enabled = true;
    bool shared = false;  ///< stands in a block that other steps may use too
    int depth = 0;
    bool in_else = false;  ///< belongs to the second branch of an if
    const StepKind* kind = nullptr;
    // What its kind reads out of the file; see the kinds of step.
    int signal = -1;                              ///< index into the cell's signals
    bool is = true;                               ///< the value waited for, or set
    std::shared_ptr<const Expression> condition;  ///< waited for, or decided by
    std::shared_ptr<const Expression> value;      ///< set, or added
    double patience = 0;               ///< s: how long it waits before it does its `otherwise` instead; 0: for ever
    std::vector<int> tasks;            ///< indexes of the owner's side tasks that it deals with
    int device = -1;                   ///< index of the device that a part is taken from or given to
    std::string pose;                  ///< id
    bool straight = false;             ///< a straight move instead of a joint move
    double speed = 1.0;                ///< share of the joint moves' limits, the arm's own share included
    double straight_speed = 1.0;       ///< share of the straight moves' limits
    double acceleration = 1.0;         ///< share of all acceleration limits
    double corner = 0;                 ///< fly-by: the tool passes the pose within this distance, m; 0: an exact stop
    std::optional<double> held;        ///< value of the arm's first free joint, rad or m; none: chosen by the planner
    bool detour = true;                ///< joint moves may go round what stands in the way
    double approach = 0, retreat = 0;  ///< m
    double turn = 0;                   ///< of the tool about the part's upright, or of the part in its seat; rad
    double window_from = 0, window_to = 0;  ///< tracking window along what a part rides on, m; 0, 0: none
    int posture = -1;                       ///< joint solution to use; -1: chosen by the planner
    int seen_by = -1;         ///< index of the device that tells where the part is; -1: it is where it should be
    bool on_carrier = false;  ///< what a carrier there carries, or is to carry
    bool together = false;    ///< the arm's other tools take or put down what lies right for them, too
    std::string grip;         ///< of the part; empty: its first
    Spread time;              ///< that it takes, s
    std::string label;        ///< what the tool does; id of a block
    int tool = -1;            ///< index into the arm's tools of the one that is active from here on; -1: it stays
    std::string result;       ///< "reject" or "good"
    int times = 1;            ///< how often its inner steps are done
    std::vector<Step> then, otherwise;
    std::shared_ptr<const Parameters> parameters;           ///< of a kind that needs more than these
    bool meets() const { return window_to > window_from; }  ///< what rides by, within its window
};

/// Steps that are done one after the other, over and over.
struct Task {
    std::string id, name;     ///< of a side task
    std::vector<Step> first;  ///< once, before the others
    std::vector<Step> steps;
    bool when_asked =
        false;  ///< done once each time that another task starts it, else over and over from the beginning
    bool empty() const { return steps.empty() && first.empty(); }
};

/// A place for one part on a device.
struct Seat {
    std::string name;
    Frame at;  ///< where the part's origin goes, in the device's frame
};

/// A tool on a flange.
struct MountedTool {
    const ToolModel* model = nullptr;
    std::string id;                ///< of the model; of a further one of the same model with "#2", "#3" ... behind it
    Frame at = Frame::Identity();  ///< in the flange
};

/// What an arm's limits were fitted to. It holds as long as they are the same.
struct Calibrated {
    int moves;
    double cycle_within;  ///< share of the measured one
    std::string limits;   ///< see key_of_limits
};

struct Arm {
    const kinematics::ArmModel* model = nullptr;
    std::shared_ptr<const kinematics::ArmModel>
        made;  ///< owns `model` where it is not one of the cell's: on a travel axis
    std::vector<MountedTool> tools;
    geometry::Bodies tool_bodies;     ///< of all of them, in the flange
    const ToolModel* tool = nullptr;  ///< the active one; null: none mounted
    std::shared_ptr<const kinematics::JointSolver> solver;
    std::uint64_t model_key = 0;  ///< of everything in the model and the active tool that motion depends on
    JointVector ready;
    Frame tool_frame = Frame::Identity();  ///< of the active tool, in the flange; the flange itself without a tool
    double speed = 1, acceleration = 1;    ///< shares of the limits
    bool detours = true;                   ///< joint moves may go round what stands in the way
    bool gentle = false;                   ///< no faster with a part than the grip can hold
    std::optional<Calibrated> calibrated;  ///< as the file says
    std::vector<Arm> others;               ///< the same arm with its second, third... tool active

    const Arm& with_tool(int index) const { return index <= 0 ? *this : others[static_cast<std::size_t>(index) - 1]; }
};

/// The colour in which a device is drawn that has none of its own.
enum class Look { structure, arm, belt, fixture, sensor, source, sink, marking };

/// A line that helps to read a device in a drawing (an arrow, a beam), in the device's frame.
struct Mark {
    enum class Style { ink, accent, muted, pale } style = Style::ink;
    std::vector<Vector3> line;
    bool filled = false;      ///< a patch of the device's own colour instead of a line
    std::string lit_by = {};  ///< a signal of the device: the line is drawn thick while that is on
};

/// An upright plane that keeps people away: beams that stop the cell, or a fence. In the device's frame.
struct Guard {
    Vector3 from = Vector3::Zero(), to = Vector3::Zero();  ///< along the floor
    double bottom = 0, height = 0;                         ///< m
    double detection = 0, response_s = 0;  ///< of beams: the least that they see, m; how long until the arms slow down
    double opening = 0;                    ///< of a fence: width of its square openings, m; 0: closed panels
    bool opens = false;                    ///< a door of a fence: opened, it stops the cell
};

struct Device {
    std::string id, name, colour;
    const DeviceKind* kind = nullptr;
    int host = -1;    ///< index; -1: the floor
    Frame placement;  ///< in the host's mount frame
    Frame world;
    Frame mount = Frame::Identity();  ///< where riders stand, in the device's frame
    Look look = Look::structure;
    geometry::Bodies bodies;  ///< in the device's frame; an arm's links are in its model
    std::vector<Mark> marks;
    std::vector<Guard> guards;
    std::vector<Seat> seats;
    std::vector<Frame> ends;      ///< where another conveyor joins: beginning and end, x along the travel
    bool locked = false;          ///< not to be moved by hand
    double price = 0, power = 0;  ///< in the cell's money; W
    std::optional<double> own_distance = std::nullopt;  ///< to everything, instead of the cell's safety distance, m
    std::string group;                                  ///< devices of one group are selected together; empty: none
    std::vector<Signal> signals;                        ///< that it sets or takes
    int first_signal = -1;  ///< index of the first of them among the cell's; they follow one another
    std::shared_ptr<const Parameters> parameters;
    std::optional<Arm> arm;
    std::optional<Arm> axis;  ///< of what is no arm and moves all the same (a door, a lift): one joint, no tool
    std::vector<Pose> poses;
    Task task;                     ///< the one that moves it, if it moves
    std::vector<Task> side_tasks;  ///< beside it, on their own
    std::vector<std::pair<std::string, std::string>>
        needs;  ///< device ids it hands parts to, with the key that says so
    std::string needs_part_type;

    Frame mount_world() const { return world * mount; }
    /// What of it moves; null: nothing does.
    const Arm* mover() const { return arm ? &*arm : axis ? &*axis : nullptr; }
    /// What the device takes up in its own axes: its bodies (an arm: its base link; another mover: as it is at value
    /// 0), or its marks if it has no bodies.
    geometry::Box3 extent() const;
    const Pose* pose(const std::string& pose_id) const;
    bool has_task() const;  ///< any steps at all
};

/// Steps under a name, used by any number of `block` steps.
struct StepBlock {
    std::string id, name;
};

/// Devices, or single bodies of them, that are not judged as others are: not at all, not while a condition holds, or
/// with a distance of their own.
struct Exclusion {
    int a;
    int b;  ///< -1: everything else
    std::string reason = {};
    std::shared_ptr<const Expression> only_while = nullptr;
    std::optional<double> distance = std::nullopt;  ///< m
    std::string body_a = {}, body_b = {};           ///< that alone, by name (see body_names); empty: all of the device

    bool of_bodies() const { return !body_a.empty() || !body_b.empty(); }
    bool is_of(int one, int other) const {
        return one != other && ((a == one && (b == other || b < 0)) || (a == other && (b == one || b < 0)));
    }
    /// The greater, the more particular: where several say something, that holds.
    int rank() const { return (b >= 0 ? 4 : 0) + !body_a.empty() + !body_b.empty(); }
};

/// What two devices have to keep, and where that is said: "the cell's", "Arm 1's own", "the pair's own".
struct SafetyDistance {
    double metres;
    std::string from;
};

struct Cell;
/// What the part that a mover holds, or that lies on a device, is called among that device's bodies.
inline constexpr const char* held_body = "part";
/// All names of bodies of a device: of an arm its links and "tool", of others what they are made of and what of them
/// moves; "part" for what it holds or what lies on it. Each once.
std::vector<std::string> body_names(const Cell& cell, int device);

struct Cell {
    std::string name;
    double takt = 0;                ///< s; 0: none demanded
    double horizon = 600;           ///< s
    double safety_distance = 0.02;  ///< m
    std::uint64_t seed = 1;
    std::vector<MeshAsset> meshes;
    std::vector<PartType> part_types;
    std::vector<kinematics::ArmModel> arm_models;
    std::vector<ToolModel> tool_models;
    std::vector<Device> devices;  ///< in the file's order
    std::vector<Signal> signals;  ///< of all devices, in their order
    std::vector<Exclusion> exclusions;
    struct Costs {
        double parts_per_year = 0, years = 5, per_kwh = 0;
    } costs;
    std::vector<Study> studies;
    std::vector<Link> links;
    std::vector<StepBlock> blocks;
    std::vector<Problem> unknown_keys;  ///< keys that are not known where they stand

    /// Of two devices as wholes: the most particular counts, of two devices' own the greater one. What single bodies
    /// have to keep is up to `exclusions`.
    SafetyDistance safety_between(int a, int b) const;
    double greatest_distance() const;         ///< of all that are said, m
    int device(const std::string& id) const;  ///< index or -1
    int part_type(const std::string& id) const;
    /// Index of "device.signal", or -1.
    int signal(const std::string& full_name) const;
    std::string full_name(const Signal& signal) const { return devices[signal.device].id + "." + signal.name; }
    /// The device at the bottom of the stack that `device` stands on.
    int root(int device) const;
    bool stands_on(int device, int host) const;  ///< directly or not
    double floor_area() const;                   ///< convex hull of all footprints, m^2
};

class Kinds;
/// Reads and checks one resolved variant. Throws InputError with every problem found (up to 50).
std::shared_ptr<const Cell> read_cell(const json& resolved, const Kinds& kinds);

/// Every step of a list, of a task, of a device: inner ones too, in order.
std::vector<const Step*> all_steps(const std::vector<Step>& steps);
std::vector<const Step*> all_steps(const Task& task);
std::vector<const Step*> all_steps(const Device& device);

/// What a step says, in words: "Pick from Infeed belt".
std::string describe(const Cell& cell, const Step& step);

}  // namespace escarp::cell
