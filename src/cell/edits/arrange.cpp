#include "arrange.h"

#include <algorithm>
#include <cmath>
#include <map>

#include <cell/model/device_kind.h>
#include <cell/model/expression.h>
#include <cell/text/names.h>
#include <geometry/indices.h>

#include "compose.h"

namespace escarp::cell {
namespace {

/// An input of a copy takes the signals of the copies.
void follow(json& input, const std::map<std::string, std::string>& renamed) {
    if (!input.is_object() || !input.contains("from") || !input["from"].is_string()) return;
    input["from"] = Expression::renamed(input["from"], [&](const std::string& name) {
        const std::size_t dot = name.find('.');
        const auto copy = renamed.find(name.substr(0, dot));
        return copy == renamed.end() || dot == std::string::npos ? name : copy->second + name.substr(dot);
    });
}

using geometry::Box3;

/// Rounded to a millionth, shortest way of writing.
double millionth(double v) {
    const double r = std::round(v * 1e6) / 1e6;
    return r == 0 ? 0.0 : r;
}

const Device& at(const Cell& c, int i) { return c.devices[i]; }

std::string title(const std::string& verb, const Cell& c, const std::vector<int>& devices) {
    return devices.size() == 1 ? verb + " " + at(c, devices.front()).name
                               : verb + " " + std::to_string(devices.size()) + " devices";
}

void append(Operations& to, Operations more) {
    to.insert(to.end(), std::make_move_iterator(more.begin()), std::make_move_iterator(more.end()));
}

Frame moved(Frame f, const Vector3& by) {
    f.pretranslate(by);
    return f;
}

std::vector<int> indexes(const Cell& c, const std::vector<std::string>& ids) {
    std::vector<int> out;
    for (const std::string& id : ids) {
        const int i = c.device(id);
        if (i < 0) throw InputError(id, "There is no device with this id.");
        out.push_back(i);
    }
    return out;
}

}  // namespace

Placement placement_of(const Frame& f) {
    const Vector3 o = 1e3 * f.translation(), r = geometry::to_triple(f.linear()) * 180 / geometry::pi;
    return {millionth(o.x()), millionth(o.y()), millionth(o.z()), millionth(r.x()), millionth(r.y()), millionth(r.z())};
}

Frame frame_of(const Placement& p) {
    return geometry::make_frame(1e-3 * Vector3(p.x, p.y, p.z), Vector3(p.rx, p.ry, p.turn) * geometry::pi / 180);
}

Frame host_frame(const Cell& c, int device) {
    const int host = at(c, device).host;
    return host >= 0 ? at(c, host).mount_world() : Frame::Identity();
}

Frame reading_frame(const Cell& c, int device) { return device >= 0 ? at(c, device).world : Frame::Identity(); }

Operations place_at(const Cell& c, int device, const Frame& world, std::optional<int> host) {
    const Device& d = at(c, device);
    Operations out;
    const Path path = at_device(d.id);
    const int on = host.value_or(d.host);
    if (on != d.host) out.push_back(Operation::set(path / "host", on >= 0 ? at(c, on).id : "floor"));
    const Placement was = placement_of(d.placement),
                    is = placement_of((on >= 0 ? at(c, on).mount_world() : Frame::Identity()).inverse() * world);
    const std::pair<const char*, double Placement::*> keys[] = {{"x_mm", &Placement::x}, {"y_mm", &Placement::y},
        {"z_mm", &Placement::z}, {"rx_deg", &Placement::rx}, {"ry_deg", &Placement::ry},
        {"turn_deg", &Placement::turn}};
    for (const auto& [key, member] : keys)
        if (is.*member != was.*member) out.push_back(Operation::set(path / "placement" / key, is.*member));
    return out;
}

std::vector<int> tops(const Cell& c, const std::vector<int>& devices) {
    std::vector<int> out;
    for (const int d : devices)
        if (std::none_of(
                devices.begin(), devices.end(), [&](int other) { return other != d && c.stands_on(d, other); }))
            out.push_back(d);
    return out;
}

Edit move_by(const Cell& c, const std::vector<int>& devices, const Vector3& shift) {
    Edit edit{title("Move", c, devices), {}};
    for (const int d : tops(c, devices)) append(edit.operations, place_at(c, d, moved(at(c, d).world, shift)));
    return edit;
}

Edit turn_by(const Cell& c, const std::vector<int>& devices, double angle) {
    Edit edit{title("Turn", c, devices), {}};
    const std::vector<int> top = tops(c, devices);
    Vector3 middle = at(c, top.front()).world.translation();
    if (top.size() > 1) {
        Box3 all;
        for (const int d : top) all.add(at(c, d).world.translation());
        middle = 0.5 * (all.low + all.high);
    }
    const geometry::Matrix3 turn = geometry::rotation(Vector3::UnitZ(), angle);
    for (const int d : top) {
        Frame f = at(c, d).world;
        f.translation() = middle + turn * (f.translation() - middle);
        f.linear() = (turn * f.linear()).eval();
        append(edit.operations, place_at(c, d, f));
    }
    return edit;
}

Box3 world_extent(const Cell& c, int device) {
    const Device& d = at(c, device);
    Box3 box = geometry::bounds(d.arm ? d.arm->model->mechanism.links.front().bodies : d.bodies, d.world);
    if (box.empty())
        for (const Mark& m : d.marks)
            for (const Vector3& p : m.line) box.add(d.world * p);
    if (box.empty()) box.add(d.world.translation());
    return box;
}

Edit align(const Cell& c, const std::vector<int>& devices, AlignAt how) {
    Edit edit{"Align " + std::to_string(devices.size()) + " devices", {}};
    if (devices.size() < 2)
        throw InputError("selection", "Select at least two devices: the others are aligned to the first.");
    const Box3 first = world_extent(c, devices.front());
    for (std::size_t i = 1; i < devices.size(); ++i) {
        if (c.stands_on(devices[i], devices.front()) && at(c, devices[i]).arm && how != AlignAt::middle_x &&
            how != AlignAt::middle_y)
            continue;
        const Box3 b = world_extent(c, devices[i]);
        Vector3 by = Vector3::Zero();
        switch (how) {
            case AlignAt::left: by.x() = first.low.x() - b.low.x(); break;
            case AlignAt::right: by.x() = first.high.x() - b.high.x(); break;
            case AlignAt::front: by.y() = first.low.y() - b.low.y(); break;
            case AlignAt::back: by.y() = first.high.y() - b.high.y(); break;
            case AlignAt::middle_x: by.x() = 0.5 * (first.low.x() + first.high.x() - b.low.x() - b.high.x()); break;
            case AlignAt::middle_y: by.y() = 0.5 * (first.low.y() + first.high.y() - b.low.y() - b.high.y()); break;
        }
        append(edit.operations, place_at(c, devices[i], moved(at(c, devices[i]).world, by)));
    }
    return edit;
}

Edit distribute(const Cell& c, const std::vector<int>& devices, int axis) {
    std::vector<int> order = tops(c, devices);
    if (order.size() < 3)
        throw InputError(
            "selection", "Select at least three devices: the outermost stay, the others are spread between them.");
    std::sort(order.begin(), order.end(),
        [&](int a, int b) { return world_extent(c, a).low[axis] < world_extent(c, b).low[axis]; });
    double sizes = 0;
    for (const int d : order) sizes += world_extent(c, d).high[axis] - world_extent(c, d).low[axis];
    const double from = world_extent(c, order.front()).low[axis], to = world_extent(c, order.back()).high[axis];
    const double gap = (to - from - sizes) / static_cast<double>(order.size() - 1);
    Edit edit{"Distribute " + std::to_string(order.size()) + " devices", {}};
    double place = from;
    for (std::size_t i = 0; i < order.size(); ++i) {
        const Box3 b = world_extent(c, order[i]);
        Vector3 by = Vector3::Zero();
        by[axis] = place - b.low[axis];
        if (i > 0 && i + 1 < order.size())
            append(edit.operations, place_at(c, order[i], moved(at(c, order[i]).world, by)));
        place += b.high[axis] - b.low[axis] + gap;
    }
    return edit;
}

Edit mirror(const Layout& layout, const std::vector<std::string>& ids, int axis, double plane) {
    const json& tree = layout.tree();
    const auto c = layout.shared_cell();
    const std::vector<int> devices = indexes(*c, ids);
    Edit edit{title("Mirror", *c, devices), {}};
    // Mirrored in the plane outside and in the device's own xz plane inside: what is left is a turn.
    const auto mirrored = [&](const Frame& f) {
        Frame out = f;
        out.translation()[axis] = 2 * plane - f.translation()[axis];
        geometry::Matrix3 outside = geometry::Matrix3::Identity(), inside = geometry::Matrix3::Identity();
        outside(axis, axis) = -1;
        inside(1, 1) = -1;
        out.linear() = outside * f.linear() * inside;
        return out;
    };
    std::vector<int> all = devices;  // riders keep their place on what is mirrored
    for (const int i : indices(c->devices))
        if (std::any_of(devices.begin(), devices.end(), [&](int d) { return c->stands_on(i, d); })) all.push_back(i);
    std::sort(all.begin(), all.end());
    all.erase(std::unique(all.begin(), all.end()), all.end());
    for (const int d : all) {
        const Device& one = at(*c, d);
        const bool host_too = one.host >= 0 && std::find(all.begin(), all.end(), one.host) != all.end();
        const Frame host = host_frame(*c, d), host_after = host_too ? mirrored(host) : host;
        const Placement was = placement_of(one.placement),
                        is = placement_of(host_after.inverse() * mirrored(one.world));
        const Path path = at_device(one.id);
        const std::pair<const char*, double Placement::*> keys[] = {{"x_mm", &Placement::x}, {"y_mm", &Placement::y},
            {"z_mm", &Placement::z}, {"rx_deg", &Placement::rx}, {"ry_deg", &Placement::ry},
            {"turn_deg", &Placement::turn}};
        for (const auto& [key, member] : keys)
            if (is.*member != was.*member)
                edit.operations.push_back(Operation::set(path / "placement" / key, is.*member));
        const json* own = find(tree, path);
        json after = *own;
        one.kind->mirror(after);
        for (const Operation& op : difference(*own, after)) {
            Operation here = op;
            here.at = path.text() + op.at;
            edit.operations.push_back(std::move(here));
        }
    }
    return edit;
}

Edit copy(const Layout& layout, const std::vector<std::string>& ids, const std::vector<Frame>& by,
    std::vector<std::string>* made) {
    const json& tree = layout.tree();
    const auto c = layout.shared_cell();
    const std::vector<int> chosen = indexes(*c, ids);
    std::vector<int> all = chosen;
    for (const int d : indices(c->devices)) {
        const bool rides = std::any_of(chosen.begin(), chosen.end(), [&](int host) { return c->stands_on(d, host); });
        if (rides && std::find(all.begin(), all.end(), d) == all.end()) all.push_back(d);
    }
    if (c->devices.size() + all.size() * by.size() > 2000)
        throw InputError("copies", "A cell holds at most 2000 devices; these copies would make it " +
                                       std::to_string(c->devices.size() + all.size() * by.size()) + ".");
    std::sort(
        all.begin(), all.end(), [&](int a, int b) { return c->stands_on(b, a) || (!c->stands_on(a, b) && a < b); });
    Edit edit{title("Copy", *c, chosen), {}};
    json whole = layout.document().tree(), names = tree;
    for (const Frame& f : by) {
        std::map<std::string, std::string> renamed;
        for (const int d : all) {
            const std::string id = free_id(whole, at(*c, d).name);
            renamed[at(*c, d).id] = id;
            whole["devices"].push_back({{"id", id}});
        }
        for (const int d : all) {
            const Device& one = at(*c, d);
            json device = *find(tree, at_device(one.id));
            device["id"] = renamed[one.id];
            device["name"] = free_name(names, one.name, layout.document().tree());
            names["devices"].push_back({{"name", device["name"]}});
            for (const char* key : {"first", "task", "side_tasks"}) device.erase(key);
            if (device.contains("inputs"))
                for (json& input : device["inputs"]) follow(input, renamed);
            for (const char* key : {"host", "to"})
                if (device.contains(key) && device[key].is_string() && renamed.count(device[key].get<std::string>()))
                    device[key] = renamed[device[key].get<std::string>()];
            const bool host_too = one.host >= 0 && std::find(all.begin(), all.end(), one.host) != all.end();
            if (!host_too) {
                const Placement p = placement_of(host_frame(*c, d).inverse() * f * one.world);
                device["placement"] = {{"x_mm", p.x}, {"y_mm", p.y}, {"z_mm", p.z}, {"turn_deg", p.turn}};
                if (p.rx != 0) device["placement"]["rx_deg"] = p.rx;
                if (p.ry != 0) device["placement"]["ry_deg"] = p.ry;
            }
            if (made && std::find(chosen.begin(), chosen.end(), d) != chosen.end()) made->push_back(device["id"]);
            edit.operations.push_back(Operation::add("/devices", std::move(device)));
        }
    }
    // Belts hand on to copies that come later in the list: names first, then what refers to them.
    Operations late;
    for (Operation& op : edit.operations)
        if (op.value.contains("to"))
            late.push_back(Operation::set(at_device(op.value["id"].get<std::string>()) / "to", op.value["to"]));
    append(edit.operations, std::move(late));
    return edit;
}

std::vector<Frame> grid_of(int columns, int rows, double dx, double dy) {
    std::vector<Frame> out;
    for (int row = 0; row < rows; ++row)
        for (int column = 0; column < columns; ++column)
            if (row || column) out.push_back(geometry::make_frame({column * dx, row * dy, 0}));
    return out;
}

std::vector<Frame> ring_of(int count, const Vector3& centre, double angle) {
    std::vector<Frame> out;
    const bool full = std::abs(std::abs(angle) - 2 * geometry::pi) < 1e-9;
    for (int i = 1; i < count; ++i) {
        const double turn = angle * i / (full ? count : count - 1);
        out.push_back(geometry::make_frame(centre) * geometry::make_frame(Vector3::Zero(), {0, 0, turn}) *
                      geometry::make_frame(-centre));
    }
    return out;
}

int carrier_at(const Cell& c, int device, const Vector3& point) {
    const Device& d = at(c, device);
    if (d.kind->placed_on() == DeviceKind::PlacedOn::on_floor) return -1;
    const bool on_belts = d.kind->placed_on() == DeviceKind::PlacedOn::on_belts;
    int best = -1;
    for (const int other : indices(c.devices)) {
        const Device& o = c.devices[other];
        if (other == device || c.stands_on(other, device) || o.arm) continue;
        const bool carries = o.kind->carries_devices() || (on_belts && o.kind->moves_parts());
        if (!carries || o.mount.translation().z() < 0.01) continue;
        const Box3 box = o.extent();
        const Vector3 local = o.world.inverse() * point;
        if (local.x() < box.low.x() || local.x() > box.high.x() || local.y() < box.low.y() || local.y() > box.high.y())
            continue;
        const Box3 own = d.extent();  // the larger does not stand on the smaller, but for an arm on its pedestal
        const auto area = [](const Box3& b) { return (b.high.x() - b.low.x()) * (b.high.y() - b.low.y()); };
        if (!d.arm && !on_belts && area(own) > area(box)) continue;
        if (best < 0 || o.mount_world().translation().z() > at(c, best).mount_world().translation().z()) best = other;
    }
    return best;
}

Edit remove_devices(const Layout& layout, const std::vector<std::string>& ids, Riders riders) {
    Layout now = layout;
    const auto c = layout.shared_cell();
    std::vector<int> devices = indexes(*c, ids);
    const std::string name = title("Remove", *c, devices);
    if (riders == Riders::remove)
        for (std::size_t i = 0; i < c->devices.size(); ++i)
            if (std::find(devices.begin(), devices.end(), static_cast<int>(i)) == devices.end() &&
                std::any_of(ids.begin(), ids.end(),
                    [&](const std::string& id) { return c->stands_on(static_cast<int>(i), c->device(id)); }))
                devices.push_back(static_cast<int>(i));
    // Those on top first, so that nobody is set down on what goes next.
    std::sort(devices.begin(), devices.end(),
        [&](int a, int b) { return c->stands_on(a, b) || (!c->stands_on(b, a) && a < b); });
    Edit edit{name, {}};
    std::map<std::string, Frame> stood;
    for (const Device& d : c->devices) stood[d.id] = d.world;
    for (const int d : devices) {
        const Edit one = remove_device(now, at(*c, d).id);
        now = now.edited(one);
        append(edit.operations, one.operations);
    }
    if (riders == Riders::keep_height) {
        const auto after = now.shared_cell();
        for (const int i : indices(after->devices)) {
            const Device& d = after->devices[i];
            const Device& was = at(*c, c->device(d.id));
            if (was.host >= 0 && std::find(devices.begin(), devices.end(), was.host) != devices.end())
                append(edit.operations, place_at(*after, i, stood[d.id]));
        }
    }
    return edit;
}

}  // namespace escarp::cell
