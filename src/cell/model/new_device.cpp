#include "new_device.h"

#include <algorithm>
#include <cmath>

#include "catalogue.h"
#include "device_kind.h"

namespace escarp::cell {

const Device* NewDevice::belt() const {
    if (near() && near()->kind->moves_parts()) return near();
    for (const Device& d : cell_.devices)
        if (d.kind->moves_parts()) return &d;
    return nullptr;
}

double NewDevice::value(const Device& device, const char* key) const {
    const json* own = find(tree_, at_device(device.id));
    return own ? own->value(key, 0.0) : 0.0;
}

std::string NewDevice::some_part_type() {
    if (!cell_.part_types.empty()) return cell_.part_types.front().id;
    std::string id = catalogue_part_types().front()["id"];
    bring(catalogue_part_types(), "part_types", id);
    return id;
}

void NewDevice::bring(const json& catalogue, const std::string& list, const std::string& id) {
    const bool there = tree_.contains(list) && find(tree_, "/" + list + "/" + id);
    const bool coming = std::any_of(operations.begin(), operations.end(), [&](const Operation& op) {
        return op.kind == Operation::Kind::add && op.at == "/" + list && op.value.value("id", "") == id;
    });
    if (there || coming) return;
    if (!tree_.contains(list)) operations.push_back(Operation::set("/" + list, json::array()));
    for (const json& one : catalogue)
        if (one.value("id", "") == id) operations.push_back(Operation::add("/" + list, one));
}

void NewDevice::stand_on(json& device, const Device& host, double x_mm) {
    device["host"] = host.id;
    const Frame mount = host.mount_world();
    const Vector3 there = mount * Vector3(1e-3 * x_mm, 0, 0);
    const double above = 1e3 * (host.kind->top_at(host, there) - mount.translation().z());
    const auto tenth = [](double mm) { return std::round(mm * 10) / 10; };
    device["placement"] = {{"x_mm", tenth(x_mm)}, {"y_mm", 0.0}, {"z_mm", tenth(above)}, {"turn_deg", 0.0}};
}

}  // namespace escarp::cell
