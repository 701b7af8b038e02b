#include "step_kind.h"

#include <geometry/indices.h>

#include "device_kind.h"

namespace escarp::cell {

std::string DeviceKind::summary(const Cell&, const Device&) const {
    std::string words = label();
    for (char& c : words) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return words;
}

const DeviceKind* Kinds::find(const std::string& id) const {
    for (const auto& kind : all_)
        if (kind->id() == id) return kind.get();
    return nullptr;
}

const StepKind* Kinds::find_step(const std::string& id) const {
    for (const auto& kind : steps_)
        if (kind->id() == id) return kind.get();
    return nullptr;
}

const Pose* Device::pose(const std::string& pose_id) const {
    for (const Pose& p : poses)
        if (p.id == pose_id) return &p;
    return nullptr;
}

geometry::Box3 Device::extent() const {
    geometry::Box3 box = geometry::bounds(arm ? arm->model->mechanism.links.front().bodies : bodies, Frame::Identity());
    if (axis)
        for (const kinematics::Joint& j : axis->model->mechanism.joints) {
            const geometry::Box3 moved = geometry::bounds(axis->model->mechanism.links[j.child].bodies, j.at);
            if (!moved.empty()) box.add(moved.low), box.add(moved.high);
        }
    if (box.empty())
        for (const Mark& m : marks)
            for (const Vector3& p : m.line) box.add(p);
    return box;
}

SafetyDistance Cell::safety_between(int a, int b) const {
    for (const Exclusion& x : exclusions)
        if (x.distance && x.b >= 0 && !x.of_bodies() && x.is_of(a, b)) return {*x.distance, "the pair's own"};
    std::optional<SafetyDistance> most;
    const auto own = [&](int device, double metres) {
        if (!most || metres > most->metres) most = {metres, devices[device].name + "'s own"};
    };
    for (const int i : {a, b})
        if (i >= 0 && devices[i].own_distance) own(i, *devices[i].own_distance);
    for (const Exclusion& x : exclusions)
        if (x.distance && x.b < 0 && !x.of_bodies() && x.is_of(a, b)) own(x.a, *x.distance);
    return most.value_or(SafetyDistance{safety_distance, "the cell's"});
}

std::vector<std::string> body_names(const Cell& cell, int device) {
    const Device& d = cell.devices[device];
    std::vector<std::string> all;
    const auto add = [&](const std::string& name) {
        if (!name.empty() && std::find(all.begin(), all.end(), name) == all.end()) all.push_back(name);
    };
    if (d.arm) {
        for (const kinematics::Link& l : d.arm->model->mechanism.links) add(l.name);
        if (!d.arm->tool_bodies.empty()) add("tool");
    }
    for (const geometry::Body& b : d.bodies) add(b.name);
    if (d.axis)
        for (const geometry::Body& b : d.axis->model->mechanism.links.back().bodies) add(b.name);
    add(held_body);
    return all;
}

double Cell::greatest_distance() const {
    double most = safety_distance;
    for (const Exclusion& x : exclusions) most = std::max(most, x.distance.value_or(0));
    for (const Device& d : devices) most = std::max(most, d.own_distance.value_or(0));
    return most;
}

int Cell::device(const std::string& id) const {
    for (const int i : indices(devices))
        if (devices[i].id == id) return i;
    return -1;
}

int Cell::signal(const std::string& full_name) const {
    const std::size_t dot = full_name.find('.');
    const int owner = dot == std::string::npos ? -1 : device(full_name.substr(0, dot));
    if (owner < 0) return -1;
    const Device& d = devices[owner];
    for (const int i : indices(d.signals))
        if (full_name.compare(dot + 1, std::string::npos, d.signals[i].name) == 0) return d.first_signal + i;
    return -1;
}

int Cell::part_type(const std::string& id) const {
    for (const int i : indices(part_types))
        if (part_types[i].id == id) return i;
    return -1;
}

int Cell::root(int device) const {
    while (devices[device].host >= 0) device = devices[device].host;
    return device;
}

bool Cell::stands_on(int device, int host) const {
    for (int d = devices[device].host; d >= 0; d = devices[d].host)
        if (d == host) return true;
    return false;
}

double Cell::floor_area() const {
    std::vector<geometry::Point2> points;
    const auto add = [&](const geometry::Bodies& bodies, const Frame& at) {
        for (const geometry::Body& body : bodies)
            for (const geometry::Point2& p : geometry::footprint(body.shape, at * body.at)) points.push_back(p);
    };
    for (const Device& d : devices) {
        add(d.bodies, d.world);
        if (d.arm)
            add(d.arm->model->mechanism.links.front().bodies,
                d.world);  // an arm stands on its base; what swings is not floor
    }
    return geometry::area(geometry::hull(std::move(points)));
}

bool Device::has_task() const {
    return !task.empty() ||
           std::any_of(side_tasks.begin(), side_tasks.end(), [](const Task& side) { return !side.empty(); });
}

std::vector<const Step*> all_steps(const std::vector<Step>& steps) {
    std::vector<const Step*> all;
    for (const Step& step : steps) {
        all.push_back(&step);
        for (const auto* inner : {&step.then, &step.otherwise})
            for (const Step* s : all_steps(*inner)) all.push_back(s);
    }
    return all;
}

std::vector<const Step*> all_steps(const Task& task) {
    std::vector<const Step*> all = all_steps(task.first);
    for (const Step* s : all_steps(task.steps)) all.push_back(s);
    return all;
}

std::vector<const Step*> all_steps(const Device& device) {
    std::vector<const Step*> all = all_steps(device.task);
    for (const Task& side : device.side_tasks)
        for (const Step* s : all_steps(side)) all.push_back(s);
    return all;
}

std::string describe(const Cell& cell, const Step& step) { return step.kind->words(cell, step); }

}  // namespace escarp::cell
