#include "cell.h"

#include "device_kind.h"

namespace escarp::cell {

const DeviceKind* Kinds::find(const std::string& id) const {
    for (const auto& kind : all_)
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
    if (box.empty())
        for (const Mark& m : marks)
            for (const Vector3& p : m.line) box.add(p);
    return box;
}

int Cell::device(const std::string& id) const {
    for (std::size_t i = 0; i < devices.size(); ++i)
        if (devices[i].id == id) return static_cast<int>(i);
    return -1;
}

int Cell::part_type(const std::string& id) const {
    for (std::size_t i = 0; i < part_types.size(); ++i)
        if (part_types[i].id == id) return static_cast<int>(i);
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

std::vector<const Step*> all_steps(const std::vector<Step>& task) {
    std::vector<const Step*> all;
    for (const Step& step : task) {
        all.push_back(&step);
        for (const auto* inner : {&step.then, &step.otherwise})
            for (const Step* s : all_steps(*inner)) all.push_back(s);
    }
    return all;
}

std::string describe(const Cell& cell, const Step& step) {
    const auto named = [&](int device) { return device >= 0 ? cell.devices[device].name : std::string("?"); };
    switch (step.kind) {
        case StepKind::pick: return "Pick from " + named(step.device);
        case StepKind::place: return "Place in " + named(step.device);
        case StepKind::wait: {
            const std::size_t dot = step.signal.find('.');
            const int device = cell.device(step.signal.substr(0, dot));
            return "Wait: " + named(device) + (step.is ? " " : " not ") + step.signal.substr(dot + 1);
        }
        case StepKind::set: return "Set " + step.signal.substr(step.signal.find('.') + 1) + (step.is ? " on" : " off");
        case StepKind::move: {
            std::string pose = step.pose;
            for (const Device& d : cell.devices)  // a step of a shared block names the pose of whoever does it
                if (const Pose* p = d.pose(step.pose); p && step.path.rfind("devices/" + d.id + "/", 0) == 0)
                    pose = p->name;
            return (step.straight ? "Straight to " : "Move to ") + pose;
        }
        case StepKind::delay: {
            json seconds = step.time_s;
            return "Dwell " + seconds.dump() + " s";
        }
        case StepKind::if_part: return "If part is " + step.result;
        case StepKind::repeat: return "Repeat " + std::to_string(step.times) + " times";
        case StepKind::gripper: return step.is ? "Close the tool" : "Open the tool";
        case StepKind::use: return "Use another tool";
        case StepKind::act: return step.label;
        case StepKind::block: {
            for (const StepBlock& b : cell.blocks)
                if (b.id == step.label) return b.name;
            return step.label;
        }
    }
    return {};
}

}  // namespace escarp::cell
