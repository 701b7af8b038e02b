#include "step_kind.h"

#include <algorithm>

#include <cell/text/numbers.h>
#include <geometry/indices.h>

#include "read_signals.h"

namespace escarp::cell {

StepReader::StepReader(const Reader& reader, const StepKind& kind, const Cell& cell, const Device& owner,
    std::function<std::vector<Step>(const std::string&)> inner,
    std::function<std::vector<Step>(const std::string&)> block)
    : values_(reader, kind.fields()), cell_(cell), owner_(owner), inner_(std::move(inner)), block_(std::move(block)) {}

int StepReader::seated_device(const std::string& key) const {
    const std::string id = values_.text(key);
    const int device = cell_.device(id);
    if (device < 0) problem(key, "\"" + id + "\" is not the id of a device.");
    else if (cell_.devices[device].seats.empty())
        problem(key, "\"" + cell_.devices[device].name +
                         "\" has no place for a part; a conveyor, a fixture or an outfeed is expected.");
    return device;
}

int StepReader::signal() const {
    const std::string signal = values_.text("signal");
    const std::size_t dot = signal.find('.');
    const int device = cell_.device(signal.substr(0, dot));
    if (dot == std::string::npos || device < 0) {
        problem("signal", "\"" + signal +
                              "\" is not a signal; a device's id, a dot and the signal's name are expected, such as "
                              "\"beam1.made\".");
        return -1;
    }
    if (const int found = cell_.signal(signal); found >= 0) return found;
    const Device& d = cell_.devices[device];
    std::string known;
    for (const Signal& one : d.signals) known += (known.empty() ? "" : ", ") + one.name;
    problem("signal", "\"" + d.name + "\" has no signal \"" + signal.substr(dot + 1) + "\"; it has " +
                          (known.empty() ? "none" : known) + ".");
    return -1;
}

int StepReader::own_signal(bool number) const {
    const int found = signal();
    if (found < 0) return found;
    const Signal& s = cell_.signals[found];
    const std::string expected =
        "\"" + owner_.id + ".\" and one of its \"" + (number ? "own_numbers" : "own_signals") + "\" is expected.";
    if (&cell_.devices[s.device] != &owner_ || s.input())
        problem("signal", "A device sets only its own signals; " + expected);
    else if (s.on_off() == number) problem("signal", "\"" + s.name + "\" is " + word(s.type) + "; " + expected);
    else return found;
    return -1;
}

std::shared_ptr<const Expression> StepReader::expression(const std::string& key, bool condition) const {
    const std::string text = values_.text(key);
    if (text.empty()) return nullptr;
    const int owner = static_cast<int>(&owner_ - cell_.devices.data());
    const auto meaning = [&](const std::string& name) { return named_signal(cell_, owner, true, name); };
    try {
        return std::make_shared<const Expression>(
            condition ? Expression::condition(text, meaning) : Expression::number(text, meaning));
    } catch (const ExpressionError& e) {
        problem(key, e.message(text));
        return nullptr;
    }
}

std::shared_ptr<const Expression> StepReader::condition(const std::string& key) const { return expression(key, true); }
std::shared_ptr<const Expression> StepReader::number(const std::string& key) const { return expression(key, false); }

int StepReader::side_task(const std::string& key) const {
    const std::string id = values_.text(key);
    for (const int i : indices(owner_.side_tasks))
        if (owner_.side_tasks[i].id == id) return i;
    problem(key, "\"" + owner_.name + "\" has no side task \"" + id + "\".");
    return -1;
}

void StepReader::needs_tool() const {
    if (owner_.arm && !owner_.arm->tool)
        problem("do", "\"" + owner_.name + "\" carries no tool; set its \"tool\" first.");
}

void StepReader::motion(Step& s, bool one_speed) const {
    s.speed = values_.number("speed_pct");
    if (one_speed) {  // whichever way it goes; files of old call it "straight_speed_pct" on straight moves
        const bool old = s.straight && values_.has("straight_speed_pct");
        if (old && values_.has("speed_pct"))
            problem("straight_speed_pct", "A move has one speed; keep \"speed_pct\" and take this away.");
        s.straight_speed = old ? values_.number("straight_speed_pct") : s.speed;
    } else {
        s.straight_speed = values_.number("straight_speed_pct");
    }
    s.acceleration = values_.number("acceleration_pct");
    s.corner = values_.number("corner_mm");
    s.detour = values_.flag("detour");
    if (owner_.arm) {
        s.speed *= owner_.arm->speed, s.straight_speed *= owner_.arm->speed;
        s.acceleration *= owner_.arm->acceleration;
        held(s);
    }
    s.posture = values_.whole("posture");
}

void StepReader::held(Step& s) const {
    const std::vector<int> free = owner_.arm->solver->free_joints();
    for (const char* key : {"held_deg", "held_mm"}) {
        if (!values_.has(key)) continue;
        if (free.empty()) {
            problem(key, "\"" + owner_.name + "\" has no free joint that could be held.");
            continue;
        }
        const kinematics::Joint& joint = owner_.arm->model->mechanism.joints[free.front()];
        const bool hinge = joint.type == kinematics::JointType::hinge;
        if (hinge != (std::string(key) == "held_deg")) {
            problem(key, "The free joint " + joint.name + " is a " +
                             (hinge ? "hinge; \"held_deg\"" : "slide; \"held_mm\"") + " is expected.");
            continue;
        }
        s.held = values_.number(key);
        if (*s.held < joint.low - 1e-9 || *s.held > joint.high + 1e-9)
            problem(key, "Joint " + joint.name + " cannot be held outside its limits.");
    }
}

void StepReader::work(Step& s) const {
    s.approach = values_.number("approach_mm");
    s.retreat = values_.number("retreat_mm");
    s.turn = values_.number("turn_deg");
    s.together = values_.flag("together");
    s.times = values_.whole("at_least");
    s.on_carrier = values_.flag("on_carrier");
    if (s.on_carrier &&
        std::none_of(cell_.part_types.begin(), cell_.part_types.end(), [](const PartType& p) { return p.carrier(); }))
        problem("on_carrier", "No part type of this file has seats; give a tray or pallet its \"seats\" first.");
    if (owner_.arm) needs_tool();
    window(s);
    if (s.together && s.meets() && s.kind->reach() == Reach::seat)
        problem("together", "On what rides by one tool puts down at a time; take \"together\" or the window away.");
}

void StepReader::window(Step& s) const {
    s.window_from = values_.number("window_from_mm"), s.window_to = values_.number("window_to_mm");
    if (s.window_from == 0 && s.window_to == 0) return;
    const double length = s.device >= 0 ? cell_.devices[s.device].kind->ride_length(cell_.devices[s.device]) : 0;
    if (s.device >= 0 && length == 0)
        problem("window_to_mm", "Nothing rides by on \"" + cell_.devices[s.device].name +
                                    "\": a tracking window is a stretch of a conveyor. Take both its ends away.");
    else if (s.window_to <= s.window_from)
        problem("window_to_mm",
            "The window ends before it begins; more than " + shortest(1e3 * s.window_from) + " mm is expected.");
    else if (s.device >= 0 && s.window_to > length + 1e-9)
        problem("window_to_mm", "The window ends behind the end of \"" + cell_.devices[s.device].name +
                                    "\", which is " + shortest(std::round(1e4 * length) / 10) + " mm long.");
    else return;
    s.window_from = s.window_to = 0;
}

namespace {

Fields together(std::initializer_list<Fields> parts) {
    Fields all;
    for (const Fields& part : parts) all.insert(all.end(), part.begin(), part.end());
    return all;
}

Field straight_speed() { return field::number("straight_speed_pct", "straight speed", 1, 100).usually(100); }

Fields manner_fields() {
    using namespace field;
    return {number("acceleration_pct", "acceleration", 1, 100).usually(100),
        number("corner_mm", "fly-by corner", 0, 2000).usually(0),
        Field{"posture", "joint solution", Field::Type::posture, -1, 7}.usually(-1),
        Field{"held_deg", "hold", Field::Type::held, -1e5, 1e5}.lacking(),
        Field{"held_mm", "hold", Field::Type::held, -1e5, 1e5}.lacking(), flag("detour", "detour", true)};
}

}  // namespace

Fields move_fields() {
    return together(
        {{field::number("speed_pct", "speed", 1, 100).usually(100), straight_speed().of_old()}, manner_fields()});
}

Fields work_fields() {
    using namespace field;
    return together(
        {{number("speed_pct", "speed", 1, 100).usually(100), straight_speed(),
             number("approach_mm", "approach", 0, 2000).usually(80),
             number("retreat_mm", "retreat", 0, 2000).usually(80), number("turn_deg", "turn", -360, 360).usually(0),
             number("window_from_mm", "meets it from", 0, 100000)
                 .usually(0)
                 .explained("The tracking window on a conveyor, from its beginning: the arm goes along with what rides "
                            "by between these two places. Both 0: it takes what stands at the end, or puts down at the "
                            "beginning."),
             number("window_to_mm", "meets it up to", 0, 100000).usually(0),
             flag("on_carrier", "on the carrier", false)
                 .explained("Takes from, or puts on, the tray or pallet that stands there or rides by."),
             flag("together", "all tools", false)
                 .explained("The arm's other tools take, or put down, at the same time whatever lies right for them "
                            "while the active one is at work."),
             whole("at_least", "tools at least", 1, 9)
                 .usually(1)
                 .explained("With all tools: it waits until so many find something.")},
            manner_fields()});
}

std::string any_seated(const Cell& cell, const std::function<bool(const DeviceKind&)>& rather) {
    for (const bool only_those : {true, false})
        for (const Device& d : cell.devices)
            if (!d.seats.empty() && (!only_those || rather(*d.kind))) return d.id;
    throw InputError(
        "step", "There is nothing to pick from or place in yet: place a conveyor, a fixture or an outfeed first.");
}

}  // namespace escarp::cell
