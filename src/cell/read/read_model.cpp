#include "read_model.h"

#include <algorithm>
#include <cmath>
#include <set>

#include <cell/model/tables.h>
#include <cell/text/content_key.h>
#include <cell/text/names.h>

#include "arm_on_travel.h"
#include "read_task.h"

namespace escarp::cell {
namespace {

using kinematics::ArmModel;
using kinematics::Follower;
using kinematics::Joint;
using kinematics::JointType;

constexpr double endless = 1e6;  ///< a follower's limits where the file gives none

struct Connection : FileJoint {
    Reader reader;
};

/// Every link but the base hangs on exactly one connection, and following parents leads to the base.
bool check_tree(const Reader& r, const std::vector<Connection>& all, std::size_t links) {
    std::vector<int> parent(links, -1);
    bool good = true;
    for (const Connection& c : all) {
        int& known = parent[c.joint.child];
        if (known >= 0) c.reader.problem("child", "This link already hangs on another joint."), good = false;
        known = c.joint.parent;
    }
    for (std::size_t link = 1; good && link < links; ++link) {
        int at = static_cast<int>(link);
        for (std::size_t steps = 0; at > 0 && steps <= links; ++steps) at = parent[at];
        if (at != 0)
            r.problem("joints",
                "Link " + std::to_string(link) +
                    " has no path to the base; connect it, or what carries it, by a joint to a link that has one."),
                good = false;
    }
    return good;
}

/// Links on a fixed joint become part of what carries them.
void fold_fixed(ArmModel& a, std::vector<Connection>& all) {
    kinematics::Mechanism& m = a.mechanism;
    while (true) {
        const auto fixed = std::find_if(all.begin(), all.end(), [](const Connection& c) { return c.fixed; });
        if (fixed == all.end()) return;
        const Joint gone = fixed->joint;
        all.erase(fixed);
        kinematics::Link& into = m.links[gone.parent];
        for (geometry::Body body : m.links[gone.child].bodies) {
            body.at = gone.at * body.at;
            into.bodies.push_back(std::move(body));
        }
        const auto lower = [&](int& link) {
            if (link == gone.child) link = gone.parent;
            if (link > gone.child) --link;
        };
        for (Connection& c : all) {
            if (c.joint.parent == gone.child) c.joint.at = gone.at * c.joint.at;
            lower(c.joint.parent);
            lower(c.joint.child);
        }
        if (a.flange_link == gone.child) a.flange = gone.at * a.flange;
        lower(a.flange_link);
        m.links.erase(m.links.begin() + gone.child);
    }
}

void make_follower(const Connection& c, const kinematics::Mechanism& m, Follower& f) {
    f.joint = c.joint;
    f.ratios = JointVector::Zero(m.size());
    f.offset = c.offset;
    for (std::size_t i = 0; i < c.leaders.size(); ++i) {
        const auto& [name, ratio] = c.leaders[i];
        const auto leader =
            std::find_if(m.joints.begin(), m.joints.end(), [&, n = name](const Joint& j) { return j.name == n; });
        if (leader == m.joints.end())
            c.reader.problem("follows/" + std::to_string(i) + "/joint",
                "\"" + name + "\" is not the name of a joint with a drive of its own.");
        else f.ratios[leader - m.joints.begin()] += ratio * file_unit(f.joint.type) / file_unit(leader->type);
    }
}

/// Joints and followers in the order of the file, each after what carries it.
void sort_out(const Reader& r, const std::vector<Connection>& all, kinematics::Mechanism& m) {
    std::vector<const Connection*> order;
    std::set<int> moved{0};
    while (order.size() < all.size())
        for (const Connection& c : all)
            if (!moved.count(c.joint.child) && moved.count(c.joint.parent))
                moved.insert(c.joint.child), order.push_back(&c);
    for (const Connection* c : order)
        if (!c->follows) m.joints.push_back(c->joint);
    int joint = 0, follower = 0;
    for (const Connection* c : order) {
        if (c->follows) {
            Follower f;
            make_follower(*c, m, f);
            m.followers.push_back(std::move(f));
        }
        m.order.push_back(c->follows ? m.size() + follower++ : joint++);
    }
    if (m.followers.empty()) m.order.clear();
    if (m.joints.empty())
        r.problem("joints", "Nothing moves: at least one hinge or slide with a drive of its own is expected.");
    std::set<std::string> names;
    for (const Connection* c : order)
        if (!names.insert(c->joint.name).second)
            c->reader.problem("name", "Another joint is already named \"" + c->joint.name + "\".");
}

void read_links(const Reader& r, const std::vector<MeshAsset>& meshes, kinematics::Mechanism& m) {
    for (const Reader& l : r.list("links", 40)) {
        const Values v(l, link_fields());
        m.links.push_back({v.text("name"), read_bodies(l, "bodies", meshes)});
        // Kept for whoever reads the file: nothing here moves by forces.
        v.number("mass_kg");
        v.vector("centre_mm", Vector3(Vector3::Zero()));
        if (v.has("inertia_kg_m2")) v.numbers("inertia_kg_m2");
    }
    if (m.links.size() < 2) r.problem("links", "A mechanism needs a base and at least one moving link.");
    m.links.resize(std::max<std::size_t>(2, m.links.size()));
}

MountedTool read_mounted(const Reader& r, const std::string& key, const std::string& id, const Cell& cell) {
    MountedTool mounted;
    for (const ToolModel& t : cell.tool_models)
        if (t.id == id) mounted.model = &t;
    if (!mounted.model) r.problem(key, "\"" + id + "\" is not the id of a tool model of this file.");
    return mounted;
}

}  // namespace

double file_unit(JointType type) { return type == JointType::hinge ? geometry::pi / 180 : 1e-3; }

bool all_hinges(const kinematics::Mechanism& m) {
    return std::all_of(m.joints.begin(), m.joints.end(), [](const Joint& j) { return j.type == JointType::hinge; });
}

FileJoint read_file_joint(const Reader& r, int index, int links) {
    FileJoint c;
    Joint& j = c.joint;
    const Values v(r, joint_fields());
    j.name = v.text("name", "J" + std::to_string(index + 1));
    const std::string type = v.choice("type");
    c.fixed = type == "fixed";
    c.follows = r.has("follows");
    j.type = type == "slide" ? JointType::slide : JointType::hinge;
    j.parent = r.whole("parent", 0, links - 1, std::min(index, links - 1));
    j.child = r.whole("child", 1, links - 1, std::min(index + 1, links - 1));
    j.at = r.frame();
    if (c.fixed) return c;
    j.axis = v.vector("axis", Vector3::UnitZ());
    if (j.axis.norm() < 1e-6) {
        r.problem("axis", "The axis has no length; a direction such as [0, 0, 1] is expected.");
        j.axis = Vector3::UnitZ();
    }
    j.axis.normalize();
    const std::string unit = j.type == JointType::hinge ? "deg" : "mm";
    if (c.follows) {
        j.low = v.has("min_" + unit) ? v.number("min_" + unit) : -endless;
        j.high = v.has("max_" + unit) ? v.number("max_" + unit) : endless;
        c.offset = v.number("offset_" + unit, 0);
        for (const Reader& l : v.list("follows")) {
            const Values leader(l, leader_fields());
            const std::string name = leader.text("joint");  // in turn, for the problems' order
            c.leaders.emplace_back(name, leader.number("ratio"));
        }
        if (c.leaders.empty())
            r.problem("follows",
                "The joints that this one follows are expected, for example [{\"joint\": \"J1\", \"ratio\": -1}].");
    } else {
        j.low = v.number("min_" + unit);
        j.high = v.number("max_" + unit);
        j.speed = v.number("speed_" + unit + "_s");
        j.acceleration = v.number("acceleration_" + unit + "_s2");
        j.jerk = v.has("jerk_" + unit + "_s3") ? v.number("jerk_" + unit + "_s3") : 0.0;
    }
    if (j.low >= j.high)
        r.problem("max_" + unit, "The limits are reversed: the upper limit is expected to be above the lower one.");
    return c;
}

std::optional<JointVector> read_joints(const Reader& r, const std::string& key, const kinematics::Mechanism& m) {
    const bool hinges = all_hinges(m);
    const std::string degrees = key + "_deg";
    if (r.has(degrees) && !hinges) {
        r.problem(degrees, "This mechanism has slides; \"" + key +
                               "\" is expected instead, with degrees for hinges and mm for slides.");
        return std::nullopt;
    }
    const std::string& used = r.has(degrees) ? degrees : key;
    if (!r.has(used)) return std::nullopt;
    const std::vector<double> values = r.numbers(used, static_cast<std::size_t>(m.size()), {-1e5, 1e5});
    JointVector q(m.size());
    for (int i = 0; i < m.size(); ++i) q[i] = values[i] * (used == degrees ? 1.0 : file_unit(m.joints[i].type));
    return q;
}

std::pair<std::string, json> joints_json(const std::string& key, const kinematics::Mechanism& m, const JointVector& q) {
    json values = json::array();
    for (int i = 0; i < m.size(); ++i) values.push_back(std::round(q[i] / file_unit(m.joints[i].type) * 1e6) / 1e6);
    return {all_hinges(m) ? key + "_deg" : key, values};
}

ArmModel read_arm_model(const Reader& r, const std::vector<MeshAsset>& meshes) {
    ArmModel a;
    const Values v(r, arm_model_fields());
    a.id = v.id();
    a.name = v.text("name", a.id);
    kinematics::Mechanism& m = a.mechanism;
    read_links(r, meshes, m);
    const int links = static_cast<int>(m.links.size());
    std::vector<Connection> all;
    int index = 0;
    for (const Reader& j : r.list("joints", 40)) all.push_back({read_file_joint(j, index++, links), j});
    const Reader flange = r.group("flange");
    a.flange_link = flange.whole("link", 0, links - 1, links - 1);
    a.flange = flange.frame();
    if (std::count_if(all.begin(), all.end(), [](const Connection& c) { return !c.fixed && !c.follows; }) >
        kinematics::most_joints)
        r.problem(
            "joints", "At most " + std::to_string(kinematics::most_joints) + " joints with a drive are expected.");
    else if (check_tree(r, all, m.links.size())) {
        fold_fixed(a, all);
        sort_out(r, all, m);
    }
    a.ready = read_joints(r, "ready", m).value_or(JointVector::Zero(m.size()));
    for (int i = 0; i < m.size(); ++i) {
        const Joint& joint = m.joints[i];
        if (joint.low >= joint.high) continue;  // told already
        if (a.ready[i] < joint.low - 1e-9 || a.ready[i] > joint.high + 1e-9)
            r.problem(r.has("ready") ? "ready" : "ready_deg",
                "Joint " + joint.name + " of the ready posture is outside its limits.");
    }
    if (!m.followers_within(a.ready))
        r.problem(
            r.has("ready") ? "ready" : "ready_deg", "A joint that follows is outside its limits in the ready posture.");
    a.payload = v.number("payload_kg");
    a.line_speed = v.number("line_speed_mm_s");
    a.line_acceleration = v.number("line_acceleration_mm_s2");
    a.turn_speed = v.number("turn_speed_deg_s");
    a.turn_acceleration = v.number("turn_acceleration_deg_s2");
    a.settle = v.number("settle_s");
    return a;
}

ToolModel read_tool_model(const Reader& r, const std::vector<MeshAsset>& meshes) {
    ToolModel t;
    const Values v(r, tool_model_fields());
    t.id = v.id();
    t.name = v.text("name", t.id);
    t.bodies = read_bodies(r, "bodies", meshes);
    t.frame = r.group("tool_frame").frame();
    t.mass = v.number("mass_kg");
    t.close_s = v.number("close_s");
    t.open_s = v.number("open_s");
    t.force = v.number("force_N");
    t.faces = v.whole("faces");
    t.friction = v.number("friction");
    t.suction = v.flag("suction");
    return t;
}

void read_arm(const Reader& r, const Cell& cell, Device& d) {
    const Values v(r, arm_device_fields());
    const auto found = std::find_if(
        cell.arm_models.begin(), cell.arm_models.end(), [&](const ArmModel& a) { return a.id == r.text("model", ""); });
    if (found == cell.arm_models.end()) {
        r.problem("model", "\"" + r.text("model", "") + "\" is not the id of an arm model of this file.");
        return;
    }
    Arm arm;
    arm.model = &*found;
    if (r.has("travel") && found->mechanism.size() >= kinematics::most_joints) {
        r.problem("travel", "\"" + found->name + "\" has " + std::to_string(found->mechanism.size()) +
                                " joints with a drive, the most that are possible; it cannot stand on a travel axis.");
    } else if (r.has("travel")) {
        arm.made = std::make_shared<const ArmModel>(arm_on_travel(*found, read_travel(r.group("travel"))));
        arm.model = arm.made.get();
    }
    const std::string tool = v.text("tool");
    if (!tool.empty()) arm.tools.push_back(read_mounted(r, "tool", tool, cell));
    for (const Reader& more : v.list("more_tools")) {
        arm.tools.push_back(read_mounted(more, "tool", more.text("tool"), cell));
        arm.tools.back().at = more.frame();
    }
    std::erase_if(arm.tools, [](const MountedTool& t) { return !t.model; });
    std::map<std::string, int> times;
    for (MountedTool& t : arm.tools) {
        const int nth = ++times[t.model->id];
        t.id = nth == 1 ? t.model->id : t.model->id + "#" + std::to_string(nth);
    }
    for (const MountedTool& t : arm.tools)
        for (geometry::Body body : t.model->bodies) {
            body.at = t.at * body.at;
            arm.tool_bodies.push_back(std::move(body));
        }
    arm.ready = read_joints(r, "ready", arm.model->mechanism).value_or(arm.model->ready);
    if (!arm.model->mechanism.within_limits(arm.ready, 1e-6))
        r.problem(r.has("ready") ? "ready" : "ready_deg", "A joint of the ready posture is outside its limits.");
    arm.speed = v.number("speed_pct");
    arm.acceleration = v.number("acceleration_pct");
    arm.detours = v.flag("detours");
    arm.gentle = v.flag("gentle_carry");
    if (r.has("calibrated")) {
        const Reader c = r.group("calibrated");
        const Values said(c, calibrated_fields());
        arm.calibrated = Calibrated{said.whole("moves"), 0.01 * said.number("cycle_within_pct"), said.text("limits")};
    }
    arm.solver = kinematics::make_joint_solver(*arm.model);
    if (arm.tools.empty()) {
        arm.model_key = motion_key(*arm.model, arm.tool_frame);
        d.arm = arm;
    }
    for (const MountedTool& t : arm.tools) {
        arm.tool = t.model;
        arm.tool_frame = t.at * t.model->frame;
        arm.model_key = motion_key(*arm.model, arm.tool_frame);
        if (!d.arm) d.arm = arm;
        else d.arm->others.push_back(arm);
    }
    for (const Reader& p : v.list("poses")) d.poses.push_back(read_pose(p, d));
}

}  // namespace escarp::cell
