#include "handling.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include <cell/model/catalogue.h>
#include <cell/model/device_kind.h>
#include <cell/model/tables.h>
#include <cell/read/step_walk.h>
#include <cell/text/names.h>

#include "arrange.h"
#include "compose.h"
#include "mount.h"

namespace escarp::cell {
namespace {

/// The edit that makes of the layout's tree what `change` makes of it.
Edit edit_of(const Layout& layout, std::string name, const std::function<void(json& tree)>& change) {
    json tree = layout.tree();
    change(tree);
    return {std::move(name), difference(layout.tree(), tree)};
}

json& list_in(json& tree, const char* key) {
    if (!tree.contains(key)) tree[key] = json::array();
    return tree[key];
}

json* element(json& tree, const std::string& list, const std::string& id) {
    if (tree.contains(list) && tree[list].is_array())
        for (json& one : tree[list])
            if (one.is_object() && one.value("id", "") == id) return &one;
    return nullptr;
}

const json& existing(const Layout& layout, const std::string& list, const std::string& id) {
    const json* found = id.empty() ? nullptr : find(layout.tree(), "/" + list + "/" + id);
    if (!found) throw InputError(list + "/" + id, "There is nothing with this id.");
    return *found;
}

/// The first of "Box", "Box 2" ... that no element of the list has.
std::string free_label(const json& tree, const std::string& list, const std::string& wish) {
    const auto taken = [&](const std::string& name) {
        const json all = tree.value(list, json::array());
        return std::any_of(all.begin(), all.end(), [&](const json& e) { return e.value("name", "") == name; });
    };
    std::string name = wish;
    for (int n = 2; taken(name); ++n) name = wish + " " + std::to_string(n);
    return name;
}

std::string capital(std::string words) {
    if (!words.empty()) words.front() = static_cast<char>(std::toupper(static_cast<unsigned char>(words.front())));
    return words;
}

/// Keys of a group, by its table, that name something of a type.
void each_naming(const Fields& fields, json& group, Field::Type type, const std::string& id,
    const std::function<void(const Field&)>& act) {
    for (const Field& f : fields)
        if (f.type == type && group.contains(f.key) && group[f.key] == id) act(f);
}

bool suction_only(const json& tree) {
    const json tools = tree.value("tool_models", json::array());
    return !tools.empty() &&
           std::all_of(tools.begin(), tools.end(), [](const json& t) { return t.value("suction", false); });
}

json new_part_type(const Layout& layout, const std::string& shape, std::string& id) {
    const BodyShape* found = find_shape(shape);
    if (!found || shape == "hull" || shape == "mesh")
        throw InputError(
            "shape", "\"" + shape + "\" is no shape for a new part; box, cylinder, sphere or capsule is expected.");
    const std::string name = free_label(layout.tree(), "part_types", capital(found->label));
    id = free_id(layout.document().tree(), name);
    json body{{"shape", shape}};
    body.update(fresh_of(found->fields));
    std::vector<Problem> problems;
    const geometry::Body made = read_body(Reader(body, "", problems));
    const geometry::Box3 box = geometry::bounds(made.shape, made.at);
    // Jaws reach down beside the part, a cup stands on it.
    const double high = std::round(1e3 * box.high.z()),
                 down = suction_only(layout.tree()) ? 0 : std::min(15.0, high / 2);
    json grip{{"id", "top"}, {"at_mm", {std::round(500 * (box.low.x() + box.high.x())), 0, high - down}},
        {"turn_deg", {180, 0, 0}}};
    return {{"id", id}, {"name", name}, {"mass_kg", 0.5}, {"bodies", {body}}, {"grips", {grip}}};
}

json cup(double x) {
    return json::array(
        {{{"name", "stem"}, {"shape", "cylinder"}, {"diameter_mm", 20}, {"height_mm", 45}, {"at_mm", {x, 0, 0}}},
            {{"name", "cup"}, {"shape", "cylinder"}, {"diameter_mm", 40}, {"height_mm", 15}, {"at_mm", {x, 0, 45}}}});
}

/// A jaw gripper that comes along, leaning by `lean` about the flange's y, on a bracket of its own if it leans.
json jaws(double lean_deg) {
    json tool = catalogue_tools()[1];
    if (lean_deg == 0) return tool;
    const geometry::Frame leaning =
        geometry::make_frame({0, 0, 0.04}, {0, lean_deg * geometry::degree, 0}) * geometry::make_frame({0, 0, 0.04});
    const auto lean = [&](json& group) {
        const json at = group.value("at_mm", json::array({0, 0, 0}));
        const Placement p =
            placement_of(leaning * geometry::make_frame(
                                       1e-3 * Vector3(at[0].get<double>(), at[1].get<double>(), at[2].get<double>())));
        group["at_mm"] = {p.x, p.y, p.z};
        group["turn_deg"] = {p.rx, p.ry, p.turn};
    };
    for (json& body : tool["bodies"]) lean(body);
    lean(tool["tool_frame"]);
    return tool;
}

std::vector<json> new_tools(const std::string& what) {
    if (what == "jaws") return {jaws(0)};
    if (what == "double") {
        json first = jaws(-45), second = jaws(45);
        const json bracket{{"name", "bracket"}, {"shape", "box"}, {"size_mm", {120, 60, 50}}};
        first["bodies"].insert(first["bodies"].begin(), bracket);
        first["name"] = "Double gripper, left", second["name"] = "Double gripper, right";
        first["mass_kg"] = 1.1;
        return {first, second};
    }
    if (what != "cup" && what != "cups")
        throw InputError("what", "\"" + what + "\" is no tool; jaws, cup, double or cups is expected.");
    json tool{{"name", what == "cup" ? "Suction cup" : "Cups in a row"}, {"mass_kg", what == "cup" ? 0.3 : 1.2},
        {"close_s", 0.15}, {"open_s", 0.1}, {"force_N", what == "cup" ? 60 : 180}, {"suction", true},
        {"tool_frame", {{"at_mm", {0, 0, what == "cup" ? 60 : 100}}, {"turn_deg", {0, 0, 0}}}}};
    if (what == "cup") {
        tool["bodies"] = cup(0);
        return {tool};
    }
    tool["bodies"] = {{{"name", "bar"}, {"shape", "box"}, {"size_mm", {300, 40, 40}}}};
    for (const double x : {-120.0, 0.0, 120.0})
        for (json& body : cup(x)) {
            body["at_mm"][2] = body["at_mm"][2].get<double>() + 40;
            tool["bodies"].push_back(std::move(body));
        }
    return {tool};
}

/// Another tool on the flange, or none: then the next one stands first. Throws InputError where a task would have none.
void exchange_tool(json& d, const std::string& id, const std::string& instead) {
    json tools = json::array({{{"tool", d.value("tool", "")}}});
    for (const json& more : d.value("more_tools", json::array())) tools.push_back(more);
    json left = json::array();
    for (json tool : tools) {
        if (tool["tool"] == id) tool["tool"] = instead;
        if (!tool["tool"].get<std::string>().empty()) left.push_back(tool);
    }
    if (left.empty() && !d.value("task", json::array()).empty())
        throw InputError("devices/" + d.value("id", "") + "/tool",
            "\"" + d.value("name", "") + "\" works with this tool and would have none: say which one takes its place.");
    d["tool"] = left.empty() ? json("") : left.front()["tool"];
    if (!left.empty()) left.erase(left.begin());
    if (left.empty()) d.erase("more_tools");
    else d["more_tools"] = left;
}

/// What names a part type among the devices: key and device.
void each_user_of_part(
    const Layout& layout, json& tree, const std::string& id, const std::function<void(json&, const Field&)>& act) {
    for (json& d : list_in(tree, "devices"))
        if (const DeviceKind* kind = layout.kinds().find(d.value("kind", "")))
            each_naming(kind->fields(), d, Field::Type::part_type, id, [&](const Field& f) { act(d, f); });
}

std::string name_of(const json& element) { return element.value("name", element.value("id", "")); }

bool is_pair(const json& e, const Pair& pair) {
    const auto one = [&](const char* key) { return e.value(key, ""); };
    return (one("a") == pair.a && one("b") == pair.b && one("a_body") == pair.body_a && one("b_body") == pair.body_b) ||
           (one("b") == pair.a && one("a") == pair.b && one("b_body") == pair.body_a && one("a_body") == pair.body_b);
}
/// "Arm 1 tool and Guard", of what is there.
std::string checked_names(const Layout& layout, const Pair& pair) {
    if (pair.a == pair.b) throw InputError("excluded_pairs", "Two different devices are expected.");
    const auto one = [&](const std::string& device, const std::string& body) {
        std::string name = name_of(existing(layout, "devices", device));
        if (body.empty()) return name;
        const std::vector<std::string> known = body_names(layout.cell(), layout.cell().device(device));
        if (std::find(known.begin(), known.end(), body) != known.end()) return name + " " + body;
        std::string all;
        for (const std::string& k : known) all += (all.empty() ? "" : ", ") + k;
        throw InputError("excluded_pairs", name + " has no body \"" + body + "\"; it has " + all + ".");
    };
    if (pair.b.empty() && !pair.body_b.empty())
        throw InputError("excluded_pairs", "Of which device \"" + pair.body_b + "\" is a body is not said.");
    return one(pair.a, pair.body_a) + " and " + (pair.b.empty() ? "everything else" : one(pair.b, pair.body_b));
}
json row_of(const Pair& pair, const std::string& reason) {
    json row = {{"a", pair.a}};
    if (!pair.body_a.empty()) row["a_body"] = pair.body_a;
    if (!pair.b.empty()) row["b"] = pair.b;
    if (!pair.body_b.empty()) row["b_body"] = pair.body_b;
    row["reason"] = reason;
    return row;
}

}  // namespace

Edit add_part_type(const Layout& layout, const std::string& shape, std::string* id) {
    std::string made;
    const json part = new_part_type(layout, shape, made);
    if (id) *id = made;
    return edit_of(layout, "Add " + name_of(part), [&](json& tree) { list_in(tree, "part_types").push_back(part); });
}

Edit add_part_type_for(const Layout& layout, const std::string& shape, const std::string& device,
    const std::string& key, std::string* id) {
    existing(layout, "devices", device);
    std::string made;
    const json part = new_part_type(layout, shape, made);
    if (id) *id = made;
    return edit_of(layout, "Add " + name_of(part), [&](json& tree) {
        list_in(tree, "part_types").push_back(part);
        (*element(tree, "devices", device))[key] = made;
    });
}

const std::vector<ToolOffer>& tool_offers() {
    static const std::vector<ToolOffer> all{
        {"jaws", "Jaw gripper"}, {"cup", "Suction cup"}, {"double", "Double gripper"}, {"cups", "Cups in a row"}};
    return all;
}

Edit add_tool(const Layout& layout, const std::string& what, const std::string& arm, std::string* id) {
    if (!arm.empty() && existing(layout, "devices", arm).value("kind", "") != "arm")
        throw InputError("devices/" + arm, "Only an arm carries a tool.");
    std::vector<std::string> ids;
    const Edit edit = edit_of(layout, "", [&](json& tree) {
        for (json tool : new_tools(what)) {
            tool["name"] = free_label(tree, "tool_models", tool["name"].get<std::string>());
            tool["id"] = free_id(layout.document().tree(), tool["name"].get<std::string>());
            ids.push_back(tool["id"]);
            list_in(tree, "tool_models").push_back(tool);
        }
        if (arm.empty()) return;
        json& d = *element(tree, "devices", arm);
        d["tool"] = ids.front();
        if (ids.size() > 1) d["more_tools"] = json::array({{{"tool", ids[1]}}});
    });
    if (id) *id = ids.front();
    return {"Add " + capital(what == "jaws"     ? "jaw gripper"
                             : what == "double" ? "double gripper"
                                                : "suction " + what),
        edit.operations};
}

std::vector<Use> uses_of_part_type(const Layout& layout, const std::string& id) {
    std::vector<Use> out;
    json tree = layout.tree();
    each_user_of_part(layout, tree, id, [&](json& d, const Field& f) {
        out.push_back({d.value("id", ""), name_of(d) + " (" + f.label + ")"});
    });
    return out;
}

std::vector<Use> uses_of_tool(const Layout& layout, const std::string& id) {
    std::vector<Use> out;
    const json& tree = layout.tree();
    for (const json& d : tree.value("devices", json::array())) {
        bool names = d.value("tool", "") == id;
        for (const json& more : d.value("more_tools", json::array())) names = names || more.value("tool", "") == id;
        if (names) out.push_back({d.value("id", ""), name_of(d)});
    }
    return out;
}

Edit copy_of(const Layout& layout, const std::string& list, const std::string& id, std::string* made) {
    json copy = existing(layout, list, id);
    copy["name"] = free_label(layout.tree(), list, name_of(copy));
    copy["id"] = free_id(layout.document().tree(), copy["name"].get<std::string>());
    if (made) *made = copy["id"];
    return {"Copy " + name_of(existing(layout, list, id)), {Operation::add("/" + list, copy, id)}};
}

Edit remove_part_type(const Layout& layout, const std::string& id, const std::string& instead) {
    const std::string name = name_of(existing(layout, "part_types", id));
    if (!instead.empty()) existing(layout, "part_types", instead);
    if (id == instead) throw InputError("part_types/" + id, "Another part type is expected in its place.");
    std::vector<std::string> gone;
    const Edit named = edit_of(layout, "", [&](json& tree) {
        each_user_of_part(layout, tree, id, [&](json& d, const Field& f) {
            // A tray's part type may only be left out where it is not supplied full.
            const bool needs = f.usual.is_null() || d.value("use", "") == "supply";
            if (!instead.empty()) d[f.key] = instead;
            else if (needs) gone.push_back(d.value("id", ""));
            else d.erase(f.key);
        });
    });
    Layout without = layout.edited(named);
    Operations all = named.operations;
    const auto append = [&](const Edit& edit) {
        all.insert(all.end(), edit.operations.begin(), edit.operations.end());
        without = without.edited(edit);
    };
    for (const std::string& device : gone) append(remove_device(without, device));
    all.push_back(Operation::remove(Path("part_types") / id));
    return {"Remove " + name, all};
}

Edit remove_tool(const Layout& layout, const std::string& id, const std::string& instead) {
    const std::string name = name_of(existing(layout, "tool_models", id));
    if (!instead.empty()) existing(layout, "tool_models", instead);
    if (id == instead) throw InputError("tool_models/" + id, "Another tool is expected in its place.");
    const std::vector<Use> users = uses_of_tool(layout, id);
    return edit_of(layout, "Remove " + name, [&](json& tree) {
        for (const Use& user : users) exchange_tool(*element(tree, "devices", user.device), id, instead);
        each_step(layout.kinds(), tree, [&](json&, json& step) {
            if (step.value("do", "") != "use") return;
            const std::string used = step.value("tool", "");
            if (used.substr(0, used.find('#')) != id) return;
            if (!instead.empty()) step["tool"] = instead + used.substr(std::min(used.size(), id.size()));
            else
                throw InputError("tool_models/" + id,
                    "A step makes \"" + name +
                        "\" the active tool: take that step out, or say which tool takes its place.");
        });
        json& list = tree["tool_models"];
        list.erase(std::remove_if(list.begin(), list.end(), [&](const json& t) { return t["id"] == id; }), list.end());
    });
}

Edit rename_grip(const Layout& layout, const std::string& part_type, const std::string& grip, const std::string& to) {
    const json& part = existing(layout, "part_types", part_type);
    if (!valid_id(to)) throw InputError("part_types/" + part_type, "A name of letters, digits, - and _ is expected.");
    int others = 0;
    for (const json& p : layout.tree()["part_types"])
        for (const json& g : p.value("grips", json::array())) {
            if (p["id"] == part["id"] && g["id"] == to)
                throw InputError("part_types/" + part_type, "Another grip is already named \"" + to + "\".");
            if (p["id"] != part["id"] && g["id"] == grip) ++others;
        }
    return edit_of(layout, "Rename grip " + grip, [&](json& tree) {
        for (json& g : (*element(tree, "part_types", part_type))["grips"])
            if (g["id"] == grip) g["id"] = to;
        if (others == 0)
            each_step(layout.kinds(), tree, [&](json&, json& step) {
                if (step.value("grip", "") == grip) step["grip"] = to;
            });
    });
}

Edit leave_out(const Layout& layout, const Pair& pair, const std::string& reason, const std::string& only_while) {
    const std::string names = checked_names(layout, pair);
    return edit_of(layout, "Leave out " + names, [&](json& tree) {
        json& pairs = list_in(tree, "excluded_pairs");
        for (const json& e : pairs)
            if (is_pair(e, pair)) throw InputError("excluded_pairs", "The pair " + names + " is left out already.");
        pairs.push_back(row_of(pair, reason));
        if (!only_while.empty()) pairs.back()["while"] = only_while;
    });
}

Edit judge_with(const Layout& layout, const Pair& pair, double distance) {
    return edit_of(layout, "Judge " + checked_names(layout, pair) + " with a distance of their own", [&](json& tree) {
        json& pairs = list_in(tree, "excluded_pairs");
        json* own = nullptr;
        for (json& e : pairs)
            if (is_pair(e, pair)) own = &e;
        if (!own) {
            pairs.push_back(row_of(pair, ""));
            own = &pairs.back();
        }
        own->erase("while");
        (*own)["distance_mm"] = std::round(1e4 * distance) / 10;
    });
}

Edit take_back(const Layout& layout, const Pair& pair) {
    return edit_of(layout, "Judge " + pair.a + " and " + (pair.b.empty() ? "everything else" : pair.b) + " again",
        [&](json& tree) {
            json& pairs = list_in(tree, "excluded_pairs");
            const auto gone =
                std::remove_if(pairs.begin(), pairs.end(), [&](const json& e) { return is_pair(e, pair); });
            if (gone == pairs.end()) throw InputError("excluded_pairs", "This pair is not left out.");
            pairs.erase(gone, pairs.end());
        });
}

}  // namespace escarp::cell
