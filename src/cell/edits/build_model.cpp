#include "build_model.h"

#include <algorithm>
#include <cmath>
#include <set>

#include <cell/read/joint_lists.h>
#include <cell/text/names.h>
#include <geometry/indices.h>

namespace escarp::cell {
namespace {

using kinematics::Joint;
using kinematics::JointType;

using geometry::degree;

void put_frame(json& group, const Frame& at) {
    const Vector3 turn = geometry::to_triple(at.linear()) / degree, place = 1e3 * at.translation();
    group["at_mm"] = {tidy(place.x()), tidy(place.y()), tidy(place.z())};
    group["turn_deg"] = {tidy(turn.x()), tidy(turn.y()), tidy(turn.z())};
}

/// A frame where the file has one; mistakes in it are told elsewhere.
Frame frame_of(const json& group) {
    std::vector<Problem> ignored;
    return Reader(group, "", ignored).frame();
}

Frame motion(const Joint& j, double value) {
    Frame f = Frame::Identity();
    if (j.type == JointType::hinge) f.linear() = geometry::rotation(j.axis, value);
    else f.translation() = value * j.axis;
    return f;
}

template <typename Taken>
std::string free_word(const std::string& stem, int from, const Taken& taken) {
    for (int i = from;; ++i)
        if (std::string word = stem + std::to_string(i); !taken(word)) return word;
}

bool named(const json& list, const std::string& name) {
    return std::any_of(list.begin(), list.end(), [&](const json& one) { return one.value("name", "") == name; });
}

void replace_in(const json& tree, const std::string& list, const json& model, Operations& out) {
    const std::string id = model.value("id", "");
    if (!tree.contains(list)) out.push_back(Operation::set("/" + list, json::array()));
    if (tree.contains(list) && find(tree, "/" + list + "/" + id))
        out.push_back(Operation::set("/" + list + "/" + id, model));
    else out.push_back(Operation::add("/" + list, model));
}

std::vector<MeshAsset> meshes_of(const json& tree) {
    // Their pieces do not matter for mistakes; that they are there does.
    std::vector<MeshAsset> out;
    for (const json& m : tree.value("meshes", json::array()))
        out.push_back({m.value("id", ""), m.value("name", ""), "", {}});
    return out;
}

}  // namespace

json begun_model(const std::string& id, const std::string& name) {
    return {{"id", id}, {"name", name}, {"payload_kg", 10},
        {"links", {{{"name", "base"}, {"bodies", {{{"name", "foot"}, {"shape", "box"}, {"size_mm", {300, 300, 60}},
                                                     {"at_mm", {0, 0, 0}}}}}}}},
        {"joints", json::array()}, {"flange", {{"link", 0}, {"at_mm", {0, 0, 60}}}}};
}

int add_link(json& model, int parent, const std::string& type) {
    // A key that is new moves all the others of its group: nothing may be held on to before the last is there.
    for (const char* key : {"links", "joints"})
        if (!model.contains(key)) model[key] = json::array();
    const bool hinge = type == "hinge";
    if (type != "fixed") {
        for (const char* key : {"ready", "ready_deg"})
            if (model.contains(key)) model[key].push_back(0);
        if (!hinge && model.contains("ready_deg")) {
            json ready = std::move(model["ready_deg"]);
            model.erase("ready_deg");
            model["ready"] = std::move(ready);
        }
    }
    json &links = model["links"], &joints = model["joints"];
    if (links.empty()) links.push_back({{"name", "base"}});
    std::vector<Problem> ignored;
    const geometry::Box3 box = geometry::bounds(
        read_bodies(Reader(links.at(static_cast<std::size_t>(parent)), "", ignored), "bodies"), Frame::Identity());
    const double top = box.empty() ? 0 : tidy(1e3 * box.high.z());
    const int link = static_cast<int>(links.size());
    links.push_back({{"name", free_word("link ", link, [&](const std::string& w) { return named(links, w); })},
        {"bodies", {{{"shape", "box"}, {"size_mm", {80, 80, 200}}, {"at_mm", {0, 0, 0}}}}}});
    json joint = {
        {"name", free_word(type == "fixed" ? "F" : "J", 1, [&](const std::string& w) { return named(joints, w); })},
        {"type", type}, {"parent", parent}, {"child", link}, {"at_mm", {0, 0, top}}};
    if (type != "fixed") {
        const std::string unit = hinge ? "deg" : "mm";
        joint["axis"] = {0, hinge ? 1 : 0, hinge ? 0 : 1};
        joint["min_" + unit] = hinge ? -90 : 0;
        joint["max_" + unit] = hinge ? 90 : 300;
        joint["speed_" + unit + "_s"] = hinge ? 90 : 500;
        joint["acceleration_" + unit + "_s2"] = hinge ? 360 : 1500;
    }
    joints.push_back(std::move(joint));
    // The flange goes along to the end of the chain that is being built.
    if (model.contains("flange") && model["flange"].value("link", 0) == parent)
        model["flange"] = {{"link", link}, {"at_mm", {0, 0, 200}}};
    return link;
}

int joint_of_link(const json& model, int link) {
    if (!model.contains("joints")) return -1;
    const json& joints = model["joints"];
    for (const int i : indices(joints))
        if (joints[i].value("child", -1) == link) return i;
    return -1;
}

void remove_link(json& model, int link) {
    if (link <= 0) return;
    if (!model.contains("joints")) model["joints"] = json::array();
    json &links = model["links"], &joints = model["joints"];
    const int carrier = joint_of_link(model, link);
    const int parent = carrier < 0 ? 0 : joints[carrier].value("parent", 0);
    const Frame at = carrier < 0 ? Frame::Identity() : frame_of(joints[carrier]);
    const std::string gone = carrier < 0 ? "" : joints[carrier].value("name", "");
    // Its value in the ready posture goes with it.
    const ModelDraft before = read_draft(model, {});
    const auto& driven = before.model.mechanism.joints;
    const auto place = std::find_if(driven.begin(), driven.end(), [&](const Joint& j) { return j.name == gone; });
    for (const char* key : {"ready", "ready_deg"})
        if (place != driven.end() && model.contains(key) && model[key].size() == driven.size())
            model[key].erase(static_cast<std::size_t>(place - driven.begin()));
    if (carrier >= 0) joints.erase(static_cast<std::size_t>(carrier));
    for (json& j : joints) {
        if (j.value("parent", 0) == link) {
            put_frame(j, at * frame_of(j));
            j["parent"] = parent;
        }
        for (const char* end : {"parent", "child"})
            if (j.value(end, 0) > link) j[end] = j.value(end, 0) - 1;
        if (!j.contains("follows")) continue;
        json kept = json::array();
        for (const json& leader : j["follows"])
            if (leader.value("joint", "") != gone) kept.push_back(leader);
        j["follows"] = kept;
    }
    if (model.contains("flange")) {
        json& flange = model["flange"];
        const int on = flange.value("link", 0);
        if (on == link) put_frame(flange, at * frame_of(flange)), flange["link"] = parent > link ? parent - 1 : parent;
        else if (on > link) flange["link"] = on - 1;
    }
    links.erase(static_cast<std::size_t>(link));
}

void make_zero(json& model, int joint, double value, std::map<std::string, double>& shifts) {
    const ModelDraft before = read_draft(model, {});
    json& j = model["joints"][joint];
    const FileJoint& now = before.joints[joint];
    const std::string unit = now.joint.type == JointType::hinge ? "deg" : "mm", name = now.joint.name;
    const double shift = value / file_unit(now.joint.type);
    put_frame(j, now.joint.at * motion(now.joint, value));
    for (const std::string& key : {"min_" + unit, "max_" + unit})
        if (j.contains(key)) j[key] = tidy(j[key].get<double>() - shift);
    if (now.follows) {
        j["offset_" + unit] = tidy(j.value("offset_" + unit, 0.0) - shift);
        return;
    }
    shifts[name] += value;
    const auto& driven = before.model.mechanism.joints;
    const auto place = std::find_if(driven.begin(), driven.end(), [&](const Joint& d) { return d.name == name; });
    for (const char* key : {"ready", "ready_deg"})
        if (place != driven.end() && model.contains(key) && model[key].size() == driven.size()) {
            json& ready = model[key][place - driven.begin()];
            ready = tidy(ready.get<double>() - shift);
        }
    for (std::size_t i = 0; i < before.joints.size(); ++i)
        for (const auto& [leader, ratio] : before.joints[i].leaders)
            if (leader == name) {
                const std::string offset = before.joints[i].joint.type == JointType::hinge ? "offset_deg" : "offset_mm";
                json& follower = model["joints"][i];
                follower[offset] = tidy(follower.value(offset, 0.0) + ratio * shift);
            }
}

double ModelDraft::value(int joint, const std::map<std::string, double>& values) const {
    const FileJoint& j = joints[joint];
    const auto given = [&](const std::string& name) {
        const auto found = values.find(name);
        return found == values.end() ? 0.0 : found->second;
    };
    if (j.fixed) return 0;
    if (!j.follows) return given(j.joint.name);
    double sum = j.offset;
    for (const auto& [name, ratio] : j.leaders)
        for (const FileJoint& leader : joints)
            if (leader.joint.name == name && !leader.follows && !leader.fixed)
                sum += ratio * file_unit(j.joint.type) / file_unit(leader.joint.type) * given(name);
    return sum;
}

std::vector<Frame> ModelDraft::frames(const std::map<std::string, double>& values) const {
    std::vector<Frame> out(links.size(), Frame::Identity());
    std::vector<bool> done(links.size(), false);
    if (!done.empty()) done[0] = true;
    for (bool more = true; more;) {
        more = false;
        for (std::size_t l = 1; l < links.size(); ++l) {
            if (done[l] || links[l].joint < 0) continue;
            const FileJoint& j = joints[links[l].joint];
            if (!done[j.joint.parent]) continue;
            out[l] = out[j.joint.parent] * j.joint.at *
                     (j.fixed ? Frame::Identity() : motion(j.joint, value(links[l].joint, values)));
            done[l] = more = true;
        }
    }
    return out;
}

ModelDraft read_draft(const json& model, const std::vector<MeshAsset>& meshes) {
    ModelDraft d;
    d.model = read_arm_model(Reader(model, "", d.problems), meshes);
    for (Problem& p : d.problems)
        if (!p.where.empty() && p.where.front() == '/') p.where.erase(0, 1);
    std::vector<Problem> told;
    const Reader r(model, "", told);
    for (const Reader& l : r.list("links", 40))
        d.links.push_back({l.text("name", ""), read_bodies(l, "bodies", meshes)});
    const int links = static_cast<int>(d.links.size());
    if (links == 0) return d;
    int index = 0;
    for (const Reader& j : r.list("joints", 40)) d.joints.push_back(read_file_joint(j, index++, std::max(2, links)));
    for (const int i : indices(d.joints)) {
        Joint& j = d.joints[i].joint;
        j.parent = std::min(j.parent, links - 1), j.child = std::min(j.child, links - 1);
        if (int& carrier = d.links[j.child].joint; carrier < 0) carrier = i;
    }
    for (int l = 1; l < links; ++l) {
        int at = l;
        for (int steps = 0; at > 0 && steps <= links; ++steps) {
            const int joint = d.links[at].joint;
            at = joint < 0 ? -1 : d.joints[joint].joint.parent;
        }
        d.links[l].hangs = at == 0;
    }
    const Reader flange = r.group("flange");
    d.flange_link = flange.whole("link", 0, links - 1, links - 1);
    d.flange = flange.frame();
    return d;
}

const json* find_model(const json& tree, const std::string& id) {
    if (id.empty()) return nullptr;  // a path that ends in a list names the list
    if (tree.contains("unfinished_models"))
        if (const json* found = find(tree, Path("unfinished_models") / id)) return found;
    return tree.contains("arm_models") ? find(tree, Path("arm_models") / id) : nullptr;
}

std::vector<std::string> users_of_model(const json& tree, const std::string& id) {
    std::vector<std::string> out;
    for (const json& d : tree.value("devices", json::array()))
        if (d.value("kind", "") == "arm" && d.value("model", "") == id) out.push_back(d.value("id", ""));
    return out;
}

Edit keep_model(const Layout& layout, const json& model, const std::string& name,
    const std::map<std::string, double>& shifts, std::vector<Problem>* mistakes) {
    const json& tree = layout.tree();
    const std::string id = model.value("id", "");
    Edit edit{name, {}};
    ModelDraft draft = read_draft(model, meshes_of(tree));
    if (draft.problems.empty()) {
        replace_in(tree, "arm_models", model, edit.operations);
        const json* before = find(tree, Path("arm_models") / id);
        const ModelDraft old = before ? read_draft(*before, meshes_of(tree)) : ModelDraft();
        for (const std::string& user : before ? users_of_model(tree, id) : std::vector<std::string>()) {
            const json& device = *find(tree, at_device(user));
            const Path path = at_device(user);
            const Carried carried{old.model, draft.model,
                device.contains("travel") ? Carried::Travel::keeps : Carried::Travel::none, 0, shifts};
            carry_joint_lists(device, path, carried, edit.operations);
        }
        if (tree.contains("unfinished_models") && find(tree, Path("unfinished_models") / id))
            edit.operations.push_back(Operation::remove(Path("unfinished_models") / id));
        try {
            layout.edited(edit).cell();
            return edit;
        } catch (const InputError& e) {
            draft.problems = e.problems();
        }
    }
    if (mistakes) *mistakes = draft.problems;
    edit.operations.clear();
    replace_in(tree, "unfinished_models", model, edit.operations);
    return edit;
}

Edit remove_model(const Layout& layout, const std::string& id) {
    const json& tree = layout.tree();
    const std::vector<std::string> users = users_of_model(tree, id);
    if (!users.empty())
        throw InputError("arm_models/" + id, "\"" + find(tree, at_device(users.front()))->value("name", users.front()) +
                                                 "\" is one of these: remove it first, or give it another model.");
    Edit edit{"Remove mechanism", {}};
    for (const char* list : {"arm_models", "unfinished_models"})
        if (tree.contains(list) && find(tree, std::string("/") + list + "/" + id))
            edit.operations.push_back(Operation::remove(std::string("/") + list + "/" + id));
    return edit;
}

}  // namespace escarp::cell
