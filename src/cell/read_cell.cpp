#include <algorithm>
#include <cmath>
#include <set>

#include "content_key.h"
#include "device_kind.h"
#include "names.h"
#include "read_task.h"

namespace escarp::cell {
namespace {

using kinematics::ArmModel;
using kinematics::Joint;
using kinematics::JointType;

constexpr Range percent{1, 100}, millimetres{-1e5, 1e5}, angle{-3600, 3600};

MeshAsset read_mesh(const Reader& r) {
    MeshAsset m;
    m.id = r.id("id");
    m.name = r.text("name", m.id);
    m.colour = r.text("colour", "");
    const json& pieces = r.raw("pieces");
    bool fits = pieces.is_array() && !pieces.empty() && pieces.size() <= 200;
    if (fits)
        for (const json& piece : pieces) {
            std::vector<Vector3> points;
            fits = fits && piece.is_array() && piece.size() % 3 == 0 && piece.size() >= 12 && piece.size() <= 3 * 512;
            for (std::size_t i = 0; fits && i + 2 < piece.size(); i += 3) {
                fits = piece[i].is_number() && piece[i + 1].is_number() && piece[i + 2].is_number();
                if (fits) points.emplace_back(1e-3 * Vector3(piece[i].get<double>(), piece[i + 1].get<double>(), piece[i + 2].get<double>()));
                fits = fits && points.back().cwiseAbs().maxCoeff() <= 100;
            }
            if (!fits) break;
            m.pieces.push_back(geometry::Convex::hull(std::move(points)));
        }
    if (!fits) r.problem("pieces", "1 to 200 convex pieces are expected, each a list of 12 to 1536 numbers: x, y, z in mm of one corner after the other.");
    return m;
}

PartType read_part_type(const Reader& r, const std::vector<MeshAsset>& meshes) {
    PartType p;
    p.id = r.id("id");
    p.name = r.text("name", p.id);
    p.colour = r.text("colour", "");
    p.bodies = read_bodies(r, "bodies", meshes);
    if (p.bodies.empty()) r.problem("bodies", "A part type needs at least one body, for example {\"shape\": \"cylinder\", \"diameter_mm\": 80, \"height_mm\": 50}.");
    p.mass = r.number("mass_kg", {0, 5000});
    for (const Reader& g : r.list("grips", 100)) p.grips.push_back({g.id("id"), g.frame()});
    const geometry::Box3 box = geometry::bounds(p.bodies, Frame::Identity());
    if (!box.empty()) p.length = 2 * std::max(std::abs(box.low.x()), std::abs(box.high.x())), p.height = box.high.z();
    if (p.grips.empty()) p.grips.push_back({"top", geometry::make_frame({0, 0, p.height}, {geometry::pi, 0, 0})});
    return p;
}

Joint read_joint(const Reader& r, int index, int links) {
    Joint j;
    j.name = r.text("name", "J" + std::to_string(index + 1));
    j.type = r.choice("type", {"hinge", "slide"}, "hinge") == "hinge" ? JointType::hinge : JointType::slide;
    const bool hinge = j.type == JointType::hinge;
    j.parent = r.whole("parent", 0, links - 1, std::min(index, links - 1));
    j.child = r.whole("child", 1, links - 1, std::min(index + 1, links - 1));
    j.at = r.frame();
    j.axis = r.triple("axis", {-1e3, 1e3}, Vector3::UnitZ());
    if (j.axis.norm() < 1e-6) {
        r.problem("axis", "The axis has no length; a direction such as [0, 0, 1] is expected.");
        j.axis = Vector3::UnitZ();
    }
    j.axis.normalize();
    const std::string unit = hinge ? "deg" : "mm";
    const Range value = hinge ? angle : millimetres, rate{1e-3, 1e7};
    j.low = r.number("min_" + unit, value);
    j.high = r.number("max_" + unit, value);
    if (j.low >= j.high) r.problem("max_" + unit, "The upper limit is expected to be above the lower one.");
    j.speed = r.number("speed_" + unit + "_s", rate);
    j.acceleration = r.number("acceleration_" + unit + "_s2", rate);
    j.jerk = r.has("jerk_" + unit + "_s3") ? r.number("jerk_" + unit + "_s3", rate) : 0.0;
    return j;
}

void check_tree(const Reader& r, kinematics::Mechanism& m) {
    std::set<int> moved{0};
    for (std::size_t i = 0; i < m.joints.size(); ++i) {
        const std::string where = "joints/" + std::to_string(i);
        if (!moved.count(m.joints[i].parent)) r.problem(where + "/parent", "The link that carries this joint is expected to be the base (0) or the child of an earlier joint.");
        if (!moved.insert(m.joints[i].child).second) r.problem(where + "/child", "This link already hangs on another joint.");
    }
    if (moved.size() != m.links.size()) r.problem("joints", "Every link but the base is expected to be the child of exactly one joint.");
}

ArmModel read_arm_model(const Reader& r, const std::vector<MeshAsset>& meshes) {
    ArmModel a;
    a.id = r.id("id");
    a.name = r.text("name", a.id);
    for (const Reader& l : r.list("links", kinematics::most_joints + 1)) a.mechanism.links.push_back({l.text("name", ""), read_bodies(l, "bodies", meshes)});
    if (a.mechanism.links.size() < 2) r.problem("links", "An arm model needs a base and at least one moving link.");
    a.mechanism.links.resize(std::max<std::size_t>(2, a.mechanism.links.size()));
    const int links = static_cast<int>(a.mechanism.links.size());
    int index = 0;
    for (const Reader& j : r.list("joints", kinematics::most_joints)) a.mechanism.joints.push_back(read_joint(j, index++, links));
    check_tree(r, a.mechanism);
    const Reader flange = r.group("flange");
    a.flange_link = flange.whole("link", 0, links - 1, links - 1);
    a.flange = flange.frame();
    const int n = a.mechanism.size();
    a.ready = JointVector::Zero(n);
    if (r.has("ready_deg")) {
        const std::vector<double> ready = r.numbers("ready_deg", static_cast<std::size_t>(n), angle);
        for (int i = 0; i < n; ++i) a.ready[i] = ready[static_cast<std::size_t>(i)];
    }
    for (int i = 0; i < n; ++i) {
        const Joint& joint = a.mechanism.joints[static_cast<std::size_t>(i)];
        if (a.ready[i] < joint.low - 1e-9 || a.ready[i] > joint.high + 1e-9) r.problem("ready_deg", "Joint " + joint.name + " of the ready posture is outside its limits.");
    }
    a.payload = r.number("payload_kg", {0, 1e5});
    a.line_speed = r.number("line_speed_mm_s", {1, 1e5}, 1500);
    a.line_acceleration = r.number("line_acceleration_mm_s2", {1, 1e6}, 8000);
    a.turn_speed = r.number("turn_speed_deg_s", {1, 1e5}, 360);
    a.turn_acceleration = r.number("turn_acceleration_deg_s2", {1, 1e6}, 2500);
    return a;
}

ToolModel read_tool_model(const Reader& r, const std::vector<MeshAsset>& meshes) {
    ToolModel t;
    t.id = r.id("id");
    t.name = r.text("name", t.id);
    t.bodies = read_bodies(r, "bodies", meshes);
    t.frame = r.group("tool_frame").frame();
    t.mass = r.number("mass_kg", {0, 1000}, 0);
    t.close_s = r.number("close_s", {0, 60}, 0.3);
    t.open_s = r.number("open_s", {0, 60}, 0.3);
    t.force = r.number("force_N", {0, 1e6}, 0);
    t.faces = r.whole("faces", 1, 100, 2);
    t.friction = r.number("friction", {0.01, 5}, 0.3);
    return t;
}

template <typename Item>
void refuse_twins(const std::vector<Item>& items, const std::string& list, std::vector<Problem>& problems) {
    std::set<std::string> ids;
    for (const Item& item : items)
        if (!ids.insert(item.id).second) problems.push_back({list + "/" + item.id + "/id", "Two elements have the id \"" + item.id + "\"; give each its own."});
}

void read_arm(const Reader& r, const Cell& cell, Device& d) {
    const auto found = std::find_if(cell.arm_models.begin(), cell.arm_models.end(), [&](const ArmModel& a) { return a.id == r.text("model", ""); });
    if (found == cell.arm_models.end()) {
        r.problem("model", "\"" + r.text("model", "") + "\" is not the id of an arm model of this file.");
        return;
    }
    Arm arm;
    arm.model = &*found;
    const std::string tool = r.text("tool", "");
    for (const ToolModel& t : cell.tool_models)
        if (t.id == tool) arm.tool = &t;
    if (!tool.empty() && !arm.tool) r.problem("tool", "\"" + tool + "\" is not the id of a tool model of this file.");
    if (arm.tool) arm.tool_frame = arm.tool->frame;
    arm.ready = found->ready;
    arm.solver = kinematics::make_joint_solver(*found);
    arm.model_key = motion_key(*found, arm.tool_frame);
    d.arm = std::move(arm);
    const json& own = r.raw("own_signals");
    if (own.is_array() && own.size() <= 100) {
        for (const json& name : own)
            if (name.is_string() && valid_id(name.get<std::string>())) d.signals.push_back(name.get<std::string>());
            else r.problem("own_signals", "Signal names of letters, digits, - and _ are expected.");
    } else if (!own.is_null()) {
        r.problem("own_signals", "A list of at most 100 signal names is expected.");
    }
    for (const Reader& p : r.list("poses", 1000)) d.poses.push_back(read_pose(p, d));
}

/// Places every device in the world; a ring of hosts is a problem.
void place_devices(Cell& cell, const std::vector<Reader>& readers) {
    std::vector<int> state(cell.devices.size(), 0);
    const auto place = [&](auto&& self, std::size_t i) -> bool {
        if (state[i] == 2) return true;
        if (state[i] == 1) return false;
        state[i] = 1;
        Device& d = cell.devices[i];
        if (d.host >= 0 && !self(self, static_cast<std::size_t>(d.host))) {
            readers[i].problem("host", "\"" + d.name + "\" would stand on itself through its hosts; put one of them on the floor.");
            d.host = -1;
        }
        d.world = d.host >= 0 ? cell.devices[static_cast<std::size_t>(d.host)].mount_world() * d.placement : d.placement;
        state[i] = 2;
        return true;
    };
    for (std::size_t i = 0; i < cell.devices.size(); ++i) place(place, i);
}

void read_device_outline(const Reader& r, const Kinds& kinds, Device& d) {
    d.id = r.id("id");
    d.name = r.text("name", d.id);
    if (d.name.empty()) r.problem("name", "The name is empty; give the device a name.");
    d.colour = r.text("colour", "");
    d.locked = r.flag("locked", false);
    d.group = r.text("group", "");
    const std::string kind = r.text("kind");
    d.kind = kinds.find(kind);
    if (!d.kind && !kind.empty()) {
        std::string all;
        for (const auto& k : kinds.all()) all += (all.empty() ? "" : ", ") + k->id();
        r.problem("kind", "\"" + kind + "\" is not a kind of device; known are " + all + ".");
    }
    const Reader at = r.group("placement");
    const Vector3 origin(at.number("x_mm", millimetres, 0), at.number("y_mm", millimetres, 0), at.number("z_mm", millimetres, 0));
    d.placement = geometry::make_frame(origin, {at.number("rx_deg", angle, 0), at.number("ry_deg", angle, 0), at.number("turn_deg", angle, 0)});
}

}  // namespace

std::shared_ptr<const Cell> read_cell(const json& resolved, const Kinds& kinds) {
    std::vector<Problem> problems;
    auto cell = std::make_shared<Cell>();
    const Reader r(resolved, "", problems);
    cell->name = r.text("name", "Cell");
    cell->takt = r.number("takt_s", {0, 1e5}, 0);
    cell->horizon = r.number("horizon_s", {1, 1e6}, 900);
    cell->safety_distance = r.number("safety_distance_mm", {0, 1000}, 20);
    cell->seed = static_cast<std::uint64_t>(r.whole("seed", 0, 1000000000, 1));
    for (const Reader& m : r.list("meshes", 500)) cell->meshes.push_back(read_mesh(m));
    refuse_twins(cell->meshes, "meshes", problems);
    for (const Reader& p : r.list("part_types", 500)) cell->part_types.push_back(read_part_type(p, cell->meshes));
    for (const Reader& a : r.list("arm_models", 200)) cell->arm_models.push_back(read_arm_model(a, cell->meshes));
    for (const Reader& t : r.list("tool_models", 200)) cell->tool_models.push_back(read_tool_model(t, cell->meshes));
    refuse_twins(cell->part_types, "part_types", problems);
    refuse_twins(cell->arm_models, "arm_models", problems);
    refuse_twins(cell->tool_models, "tool_models", problems);
    if (!problems.empty()) throw InputError(std::move(problems));  // devices build on these

    const std::vector<Reader> readers = r.list("devices", 2000);
    cell->devices.resize(readers.size());
    for (std::size_t i = 0; i < readers.size(); ++i) read_device_outline(readers[i], kinds, cell->devices[i]);
    refuse_twins(cell->devices, "devices", problems);
    std::set<std::string> names;
    for (std::size_t i = 0; i < readers.size(); ++i) {
        Device& d = cell->devices[i];
        if (!names.insert(d.name).second) readers[i].problem("name", "Another device is already named \"" + d.name + "\"; names are unique in a cell.");
        const std::string host = readers[i].text("host", "floor");
        d.host = host == "floor" ? -1 : cell->device(host);
        if (host != "floor" && d.host < 0) readers[i].problem("host", "\"" + host + "\" is not the id of a device; \"floor\" or a device's id is expected.");
        if (!d.kind) continue;
        d.kind->read(readers[i], *cell, d);
        if (d.look == Look::arm) read_arm(readers[i], *cell, d);
    }
    if (!problems.empty()) throw InputError(std::move(problems));
    place_devices(*cell, readers);
    for (std::size_t i = 0; i < readers.size(); ++i) {
        Device& d = cell->devices[i];
        d.task = read_task(readers[i], *cell, d);
        for (const auto& [key, id] : d.needs)
            if (const int next = cell->device(id); next < 0) readers[i].problem(key, "\"" + id + "\" is not the id of a device.");
            else if (next == static_cast<int>(i) || (cell->devices[static_cast<std::size_t>(next)].look != Look::belt && cell->devices[static_cast<std::size_t>(next)].look != Look::sink))
                readers[i].problem(key, "\"" + cell->devices[static_cast<std::size_t>(next)].name + "\" takes no parts from a belt; another conveyor or an outfeed is expected.");
        if (!d.needs_part_type.empty() && cell->part_type(d.needs_part_type) < 0) readers[i].problem("part_type", "\"" + d.needs_part_type + "\" is not the id of a part type of this file.");
    }
    for (const Reader& e : r.list("excluded_pairs", 2000)) {
        const Exclusion x{cell->device(e.text("a")), cell->device(e.text("b")), e.text("reason", "")};
        if (x.a < 0) e.problem("a", "The id of a device is expected.");
        if (x.b < 0) e.problem("b", "The id of a device is expected.");
        cell->exclusions.push_back(x);
    }
    if (problems.size() > 50) problems.resize(50);
    if (!problems.empty()) throw InputError(std::move(problems));
    return cell;
}

}  // namespace escarp::cell
