#include "joint_lists.h"

#include <algorithm>
#include <cmath>

#include <geometry/indices.h>

namespace escarp::cell {
namespace {

using kinematics::Joint;

/// The index of each new joint's forerunner: the one of the same name; else, where just as many are left on both sides,
/// the next of them.
std::vector<int> forerunners(const kinematics::Mechanism& before, const kinematics::Mechanism& after) {
    std::vector<int> from(after.joints.size(), -1), left;
    for (const int i : indices(before.joints)) {
        const auto same = std::find_if(
            after.joints.begin(), after.joints.end(), [&](const Joint& j) { return j.name == before.joints[i].name; });
        if (same == after.joints.end()) left.push_back(i);
        else from[same - after.joints.begin()] = i;
    }
    if (std::count(from.begin(), from.end(), -1) == static_cast<long>(left.size()))
        for (int& f : from)
            if (f < 0) f = left.front(), left.erase(left.begin());
    for (std::size_t i = 0; i < from.size(); ++i)
        if (from[i] >= 0 && before.joints[from[i]].type != after.joints[i].type) from[i] = -1;
    return from;
}

void carry(const json& group, const std::string& path, const std::string& key, const Carried& c, Operations& out) {
    const std::string old_key = group.contains(key + "_deg") ? key + "_deg" : key;
    if (!group.contains(old_key) || !group[old_key].is_array()) return;
    const json& old = group[old_key];
    const std::size_t first = c.travel == Carried::Travel::keeps || c.travel == Carried::Travel::loses ? 1 : 0;
    if (old.size() != c.before.mechanism.joints.size() + first) return;
    const bool travels = c.travel == Carried::Travel::keeps || c.travel == Carried::Travel::gets;
    const std::string new_key = all_hinges(c.after.mechanism) && !travels ? key + "_deg" : key;
    const std::vector<int> from = forerunners(c.before.mechanism, c.after.mechanism);
    json values = json::array();
    if (travels) values.push_back(c.travel == Carried::Travel::keeps ? old[0] : json(c.travel_mm));
    for (std::size_t i = 0; i < from.size(); ++i) {
        const Joint& j = c.after.mechanism.joints[i];
        const auto shift = c.shifts.find(j.name);
        if (from[i] >= 0 && shift == c.shifts.end()) values.push_back(old[static_cast<std::size_t>(from[i]) + first]);
        else if (from[i] >= 0)
            values.push_back(
                tidy(old[static_cast<std::size_t>(from[i]) + first].get<double>() - shift->second / file_unit(j.type)));
        else values.push_back(tidy(c.after.ready[static_cast<Eigen::Index>(i)] / file_unit(j.type)));
    }
    if (old_key == new_key && values == old) return;
    if (old_key != new_key) out.push_back(Operation::remove(path + "/" + old_key));
    out.push_back(Operation::set(path + "/" + new_key, values));
}

}  // namespace

double tidy(double v) { return std::abs(v) < 5e-7 ? 0.0 : std::round(v * 1e6) / 1e6; }

void carry_joint_lists(const json& device, const std::string& path, const Carried& carried, Operations& out) {
    carry(device, path, "ready", carried, out);
    for (const json& pose : device.value("poses", json::array()))
        carry(pose, path + "/poses/" + pose.value("id", ""), "joints", carried, out);
}

}  // namespace escarp::cell
