#include "compose.h"

#include <algorithm>
#include <cmath>

#include <cell/model/catalogue.h>
#include <cell/model/device_kind.h>
#include <cell/read/step_walk.h>
#include <cell/text/names.h>
#include <kinematics/reach.h>

#include "arrange.h"

namespace escarp::cell {
namespace {

double tenth(double mm) { return std::round(mm * 10) / 10; }

json placement(double x, double y, double z = 0, double turn = 0) {
    return {{"x_mm", tenth(x)}, {"y_mm", tenth(y)}, {"z_mm", tenth(z)}, {"turn_deg", tenth(turn)}};
}

const json* by_id(const json& list, const std::string& id) {
    for (const json& item : list)
        if (item.is_object() && item.value("id", "") == id) return &item;
    return nullptr;
}

/// Removes the steps that refer to a device, inner ones too.
void drop_steps(const Kinds& kinds, const json& task, const std::string& path, const std::string& id, Operations& out) {
    for (const json& step : task) {
        const std::string here = path + "/" + step.value("id", "");
        if (names_device(kinds, step, id)) {
            out.push_back(Operation::remove(here));
            continue;
        }
        const StepKind* kind = kinds.find_step(step.value("do", ""));
        for (const std::string& inner : kind ? kind->lists() : std::vector<std::string>())
            if (step.contains(inner)) drop_steps(kinds, step[inner], here + "/" + inner, id, out);
    }
}

/// Inputs that take something of a device take nothing.
void disconnect(const json& device, const std::string& id, Operations& out) {
    for (const json& input : device.value("inputs", json::array())) {
        const auto is = [&](const std::string& name) { return name.rfind(id + ".", 0) == 0; };
        if (expression_names(input.value("from", ""), is))
            out.push_back(
                Operation::remove(at_device(device.value("id", "")) / "inputs" / input.value("id", "") / "from"));
    }
}

/// At the right of all that stands there, in line with its middle; where that would make the row too long, the first
/// place of the rows that leaves room round it.
json beside_the_others(const Cell& cell) {
    constexpr double gap = 0.7, longest_row = 20, stride = 1, half_room = 0.8;  // m
    std::vector<geometry::Box3> boxes;
    geometry::Box3 all;
    for (const Device& d : cell.devices) {
        geometry::Box3 own;
        for (const geometry::Body& b : d.bodies) {
            const geometry::Box3 one = geometry::bounds(b.shape, d.world * b.at);
            own.add(one.low), own.add(one.high);
        }
        if (d.arm) own.add(d.world.translation(), 0.2);
        if (own.empty()) continue;
        all.add(own.low), all.add(own.high);
        boxes.push_back(own);
    }
    if (all.empty()) return placement(0, 0);
    if (all.high.x() - all.low.x() < longest_row)
        return placement(1e3 * (all.high.x() + gap), 500 * (all.low.y() + all.high.y()));
    const auto room = [&](double x, double y) {
        const double away = gap + half_room;
        return std::none_of(boxes.begin(), boxes.end(), [&](const geometry::Box3& b) {
            return x > b.low.x() - away && x < b.high.x() + away && y > b.low.y() - away && y < b.high.y() + away;
        });
    };
    for (double y = all.low.y();; y += stride)  // above all of them there is room
        for (double x = all.low.x() + half_room; x < all.low.x() + longest_row; x += stride)
            if (room(x, y)) return placement(std::round(1e3 * x), std::round(1e3 * y));
}

std::string parent_of(const std::string& path) { return path.substr(0, path.rfind('/')); }

}  // namespace

std::vector<Offering> own_offerings(const Document& document) {
    std::vector<Offering> all;
    for (const json& model : document.tree().value("arm_models", json::array()))
        if (!by_id(catalogue_arms(), model.value("id", "")))
            all.push_back({"arm", model.value("id", ""), model.value("name", model.value("id", ""))});
    return all;
}

std::vector<Offering> offerings(const Kinds& kinds) {
    std::vector<Offering> all;
    for (const auto& kind : kinds.all())
        for (Offering& one : kind->offerings()) all.push_back(std::move(one));
    return all;
}

Edit add_device(const Layout& layout, const Offering& what, const std::string& near, std::string* id) {
    const json& tree = layout.tree();
    const auto cell = layout.shared_cell();
    const DeviceKind* kind = layout.kinds().find(what.kind);
    if (!kind) throw InputError("kind", "There is no kind of device \"" + what.kind + "\".");
    Edit edit;
    json device = {{"id", free_id(layout.document().tree(), what.label)},
        {"name", free_name(tree, what.label, layout.document().tree())}, {"kind", what.kind}, {"host", "floor"}};
    device["placement"] = beside_the_others(*cell);
    const json fresh = kind->fresh();
    for (const auto& [key, value] : fresh.items()) device[key] = value;
    for (const auto& [key, value] : what.parameters.items()) device[key] = value;

    const int chosen = cell->device(near);
    if (!what.model.empty()) device["model"] = what.model;
    NewDevice new_device(*cell, tree, chosen, what.parameters);
    kind->init_new(new_device, device);
    for (const auto& [list, items] : what.brings.items()) {
        for (const json& item : items) new_device.bring(items, list, item.value("id", ""));
    }
    if (chosen >= 0 && device["host"] == "floor" && cell->devices[chosen].arm &&
        kind->placed_on() != DeviceKind::PlacedOn::on_floor) {
        // In front of the arm that is selected, in line with it.
        const Device& arm = cell->devices[chosen];
        const geometry::Frame front =
            arm.world * geometry::make_frame({0.55 * kinematics::arm_length(*arm.arm->model), 0, 0});
        device["placement"] = placement(1e3 * front.translation().x(), 1e3 * front.translation().y(), 0,
            geometry::to_triple(arm.world.linear()).z() * 180 / geometry::pi);
    }
    if (id) *id = device["id"];
    edit.name = "Add " + device["name"].get<std::string>();
    edit.operations = std::move(new_device.operations);
    edit.operations.push_back(Operation::add("/devices", device));
    // The belt that hands on to a new device is set after the device exists.
    std::stable_sort(edit.operations.begin(), edit.operations.end(), [](const Operation& a, const Operation& b) {
        return a.kind == Operation::Kind::add && b.kind != Operation::Kind::add && b.at.rfind("/devices/", 0) == 0;
    });
    return edit;
}

Edit add_device_at(const Layout& layout, const Offering& what, const geometry::Frame& world, std::string* id) {
    std::string made;
    Edit edit = add_device(layout, what, "", &made);
    for (Operation& op : set_down(layout.edited(edit), made, world)) edit.operations.push_back(std::move(op));
    if (id) *id = made;
    return edit;
}

Operations set_down(const Layout& layout, const std::string& id, const geometry::Frame& world) {
    const Cell& cell = layout.cell();
    const int device = cell.device(id);
    geometry::Frame at = world;
    const int host = carrier_at(cell, device, world.translation());
    at.translation().z() = host >= 0 ? cell.devices[host].kind->top_at(cell.devices[host], at.translation()) : 0.0;
    Operations operations = place_at(cell, device, at, host);
    const json* own = find(layout.tree(), at_device(id));
    if (host >= 0 && cell.devices[host].kind->moves_parts() && cell.devices[device].kind->feeds_belts() &&
        own->value("to", "") != cell.devices[host].id)
        operations.push_back(Operation::set(at_device(id) / "to", cell.devices[host].id));
    return operations;
}

Edit remove_device(const Layout& layout, const std::string& id) {
    const json& tree = layout.tree();
    const auto cell = layout.shared_cell();
    const int index = cell->device(id);
    if (index < 0) throw InputError(id, "There is no device with this id.");
    const Device& gone = cell->devices[index];
    Edit edit{"Remove " + gone.name, {}};
    json lists = tree;
    for (const StepList& list : step_lists(lists))
        if (list.owner->value("id", "") != id || list.path.rfind("/blocks/", 0) == 0)
            drop_steps(layout.kinds(), *list.steps, list.path, id, edit.operations);
    for (const json& device : tree["devices"]) {
        const std::string other = device.value("id", "");
        if (other == id) continue;
        const Path at = at_device(other);
        disconnect(device, id, edit.operations);
        const Device& d = cell->devices[cell->device(other)];
        if (d.host == index) {  // riders go down to what the host stood on, in their place on the plan
            const Frame below = gone.host >= 0 ? cell->devices[gone.host].mount_world() : Frame::Identity();
            const Frame local = below.inverse() * d.world;
            edit.operations.push_back(
                Operation::set(at / "host", gone.host >= 0 ? cell->devices[gone.host].id : "floor"));
            edit.operations.push_back(
                Operation::set(at / "placement", placement(1e3 * local.translation().x(), 1e3 * local.translation().y(),
                                                     0, geometry::to_triple(local.linear()).z() * 180 / geometry::pi)));
        }
        if (device.value("to", "") == id) {
            if (device.value("kind", "") == "infeed")
                edit.operations.push_back(
                    Operation::remove(at));  // an infeed without its belt has nowhere to put parts
            else edit.operations.push_back(Operation::remove(at / "to"));
        }
        if (device.contains("poses"))
            for (const json& pose : device["poses"])
                if (pose.value("relative_to", "") == id) {
                    edit.operations.push_back(Operation::remove(at / "poses" / pose.value("id", "")));
                }
    }
    if (tree.contains("excluded_pairs")) {
        json kept = json::array();
        for (const json& pair : tree["excluded_pairs"])
            if (pair.value("a", "") != id && pair.value("b", "") != id) kept.push_back(pair);
        if (kept != tree["excluded_pairs"]) edit.operations.push_back(Operation::set("/excluded_pairs", kept));
    }
    edit.operations.push_back(Operation::remove(at_device(id)));
    return edit;
}

Edit add_step(const Layout& layout, const std::string& device, const std::string& what, const std::string& place,
    std::string* id) {
    const json& tree = layout.tree();
    const auto cell = layout.shared_cell();
    const int index = cell->device(device);
    if (index < 0) throw InputError(device, "There is no such device.");
    const Device& owner = cell->devices[index];
    const StepKind* kind = layout.kinds().find_step(what);
    if (!kind) throw InputError("step", "There is no kind of step \"" + what + "\".");
    if (kind->arm_use() != StepKind::ArmUse::none && !owner.arm)
        throw InputError("step", "\"" + kind->label() + "\" is a step for arms, and \"" + owner.name + "\" is none.");
    json step = {{"id", ""}, {"do", what}};
    for (int n = 1;; ++n) {
        const std::string wish = "s" + std::to_string(n);
        const auto steps = all_steps(owner);
        if (std::none_of(steps.begin(), steps.end(), [&](const Step* s) { return s->id == wish; })) {
            step["id"] = wish;
            break;
        }
    }
    const json fresh = kind->fresh(*cell, owner);
    for (const auto& [key, value] : fresh.items()) step[key] = value;
    if (id) *id = step["id"];
    const std::string at = place.empty() ? at_device(device) / "task" : place;
    const json* there = find(tree, at);
    const bool step_there = there && there->is_object() && there->contains("do");
    Edit edit{"Add step to " + owner.name, {}};
    if (!there) edit.operations.push_back(Operation::set(at, json::array()));
    edit.operations.push_back(
        step_there ? Operation::add(parent_of(at), step, at.substr(at.rfind('/') + 1)) : Operation::add(at, step));
    return edit;
}

Edit add_side_task(const Layout& layout, const std::string& device, const std::string& name, std::string* id) {
    const json* d = find(layout.tree(), at_device(device));
    if (!d) throw InputError("devices/" + device, "There is no device with this id.");
    json tasks = d->value("side_tasks", json::array());
    std::string fresh, called;
    const auto taken = [&](const char* key, const std::string& text) {
        return std::any_of(tasks.begin(), tasks.end(), [&](const json& t) { return t.value(key, "") == text; });
    };
    for (int n = 1; fresh.empty() || taken("id", fresh); ++n) fresh = "t" + std::to_string(n);
    const std::string wish = name.empty() ? "Side task" : name;
    for (int n = 1; called.empty() || taken("name", called); ++n)
        called = n == 1 ? wish : wish + " " + std::to_string(n);
    tasks.push_back({{"id", fresh}, {"name", called}, {"steps", json::array()}});
    if (id) *id = fresh;
    return {"Add " + called, {Operation::set(at_device(device) / "side_tasks", tasks)}};
}

Edit shift_step(const Layout& layout, const std::string& step_path, int direction) {
    const json& tree = layout.tree();
    const std::string list = parent_of(step_path), id = step_path.substr(step_path.rfind('/') + 1);
    const json* steps = find(tree, list);
    if (!steps || !steps->is_array()) throw InputError(step_path, "There is no such step.");
    std::vector<std::string> ids;
    for (const json& s : *steps) ids.push_back(s.value("id", ""));
    const auto at = std::find(ids.begin(), ids.end(), id);
    if (at == ids.end()) throw InputError(step_path, "There is no such step.");
    const std::ptrdiff_t to = (at - ids.begin()) + direction;
    if (to >= 0 && to < static_cast<std::ptrdiff_t>(ids.size())) std::iter_swap(at, ids.begin() + to);
    return {direction < 0 ? "Move step up" : "Move step down", {Operation::order(list, ids)}};
}

}  // namespace escarp::cell
