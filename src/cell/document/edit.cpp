#include "edit.h"

#include <algorithm>
#include <set>

namespace escarp::cell {
namespace {

std::vector<std::string> segments(const std::string& path) {
    std::vector<std::string> parts;
    std::string part;
    for (const char c : path) {
        if (c != '/') {
            part += c;
            continue;
        }
        if (!part.empty()) parts.push_back(std::move(part));
        part.clear();
    }
    if (!part.empty()) parts.push_back(std::move(part));
    return parts;
}

std::string id_of(const json& element) {
    if (!element.is_object()) return {};
    const auto id = element.find("id");
    return id != element.end() && id->is_string() ? id->get<std::string>() : std::string();
}

std::ptrdiff_t index_of(const json& list, const std::string& id) {
    for (std::size_t i = 0; i < list.size(); ++i)
        if (id_of(list[i]) == id) return static_cast<std::ptrdiff_t>(i);
    if (!id.empty() && id.size() < 9 &&
        std::all_of(id.begin(), id.end(), [](unsigned char c) { return std::isdigit(c); })) {
        const std::size_t index = std::stoul(id);
        if (index < list.size()) return static_cast<std::ptrdiff_t>(index);
    }
    return -1;
}

template <typename Tree>
Tree* child(Tree& parent, const std::string& segment) {
    if (parent.is_object()) {
        const auto found = parent.find(segment);
        return found == parent.end() ? nullptr : &*found;
    }
    if (parent.is_array()) {
        const std::ptrdiff_t index = index_of(parent, segment);
        return index < 0 ? nullptr : &parent[index];
    }
    return nullptr;
}

template <typename Tree>
Tree* walk(Tree& tree, const std::vector<std::string>& path, std::size_t length) {
    Tree* at = &tree;
    for (std::size_t i = 0; at && i < length; ++i) at = child(*at, path[i]);
    return at;
}

bool listed_by_id(const json& list) {
    std::set<std::string> seen;
    for (const json& element : list)
        if (id_of(element).empty() || !seen.insert(id_of(element)).second) return false;
    return true;
}

void compare(const std::string& at, const json& from, const json& to, Operations& out);

void compare_lists(const std::string& at, const json& from, const json& to, Operations& out) {
    std::vector<std::string> now;  // ids as they will stand after the operations so far
    for (const json& element : from) {
        const std::string id = id_of(element);
        if (index_of(to, id) < 0) out.push_back(Operation::remove(at + "/" + id));
        else now.push_back(id);
    }
    std::string before;
    for (const json& element : to) {
        const std::string id = id_of(element);
        const auto old = std::find_if(from.begin(), from.end(), [&](const json& e) { return id_of(e) == id; });
        if (old == from.end()) {
            out.push_back(Operation::add(at, element, before));
            now.insert(before.empty() ? now.begin() : std::find(now.begin(), now.end(), before) + 1, id);
        } else {
            compare(at + "/" + id, *old, element, out);
        }
        before = id;
    }
    std::vector<std::string> wanted;
    for (const json& element : to) wanted.push_back(id_of(element));
    if (now != wanted) out.push_back(Operation::order(at, wanted));
}

void compare(const std::string& at, const json& from, const json& to, Operations& out) {
    if (from == to) return;
    if (from.is_object() && to.is_object() && id_of(from) == id_of(to)) {
        for (const auto& [key, value] : from.items())
            if (!to.contains(key)) out.push_back(Operation::remove(at + "/" + key));
        for (const auto& [key, value] : to.items()) {
            const auto old = from.find(key);
            if (old == from.end()) out.push_back(Operation::set(at + "/" + key, value));
            else compare(at + "/" + key, *old, value, out);
        }
    } else if (from.is_array() && to.is_array() && listed_by_id(from) && listed_by_id(to)) {
        compare_lists(at, from, to, out);
    } else {
        out.push_back(Operation::set(at, to));
    }
}

std::string attempt(json& tree, const Operation& op) {
    const std::vector<std::string> path = segments(op.at);
    if (op.kind == Operation::Kind::set || op.kind == Operation::Kind::remove) {
        if (path.empty()) return "an edit needs a path to a value";
        json* parent = walk(tree, path, path.size() - 1);
        if (!parent && op.kind == Operation::Kind::set &&
            path.size() > 2) {  // a group that is not there yet, such as a placement
            json* above = walk(tree, path, path.size() - 2);
            if (above && above->is_object()) parent = &((*above)[path[path.size() - 2]] = json::object());
        }
        if (!parent) return "there is no such place in the cell";
        if (parent->is_object()) {
            if (op.kind == Operation::Kind::set) (*parent)[path.back()] = op.value;
            else if (!parent->contains(path.back())) return "there is nothing to take away here";
            else parent->erase(path.back());
            return {};
        }
        if (!parent->is_array()) return "the place holds a single value, not a list or a group of keys";
        const std::ptrdiff_t index = index_of(*parent, path.back());
        if (index < 0) return "the list has no element with this id";
        if (op.kind == Operation::Kind::set) (*parent)[index] = op.value;
        else parent->erase(static_cast<std::size_t>(index));
        return {};
    }
    json* list = walk(tree, path, path.size());
    if (!list || !list->is_array()) return "there is no such list in the cell";
    if (op.kind == Operation::Kind::add) {
        if (!id_of(op.value).empty() && listed_by_id(*list) && index_of(*list, id_of(op.value)) >= 0)
            return "the list already has an element with the id \"" + id_of(op.value) + "\"";
        std::ptrdiff_t position = static_cast<std::ptrdiff_t>(list->size());
        if (op.after.empty()) position = 0;
        else if (op.after != "*" && index_of(*list, op.after) >= 0) position = index_of(*list, op.after) + 1;
        list->insert(list->begin() + position, op.value);
        return {};
    }
    if (!op.value.is_array()) return "an order is a list of ids";
    json sorted = json::array();
    for (const json& id : op.value)
        for (const json& element : *list)
            if (id.is_string() && id_of(element) == id.get<std::string>()) sorted.push_back(element);
    for (const json& element : *list)  // what the order does not name keeps its place at the end
        if (std::find(sorted.begin(), sorted.end(), element) == sorted.end()) sorted.push_back(element);
    *list = std::move(sorted);
    return {};
}

}  // namespace

json Operation::to_json() const {
    json j = {{"at", at}};
    switch (kind) {
        case Kind::set: j["value"] = value; break;
        case Kind::remove: j["remove"] = true; break;
        case Kind::add: j["add"] = value, j["after"] = after; break;
        case Kind::order: j["order"] = value; break;
    }
    return j;
}

Operation Operation::from_json(const json& j, const std::string& where) {
    if (!j.is_object() || !j.contains("at") || !j["at"].is_string())
        throw InputError(where,
            "A difference is expected to be a group with the key \"at\", a path such as "
            "\"/devices/arm1/placement/x_mm\".");
    const std::string at = j["at"];
    if (at.empty() || at.front() != '/' || segments(at).empty())
        throw InputError(
            where + "/at", "\"" + at + "\" is not a path; it begins with /, such as \"/devices/arm1/placement/x_mm\".");
    if (j.contains("value")) return set(at, j["value"]);
    if (j.contains("remove")) return remove(at);
    if (j.contains("add"))
        return add(at, j["add"], j.contains("after") && j["after"].is_string() ? j["after"].get<std::string>() : "*");
    if (j.contains("order")) return order(at, j["order"]);
    throw InputError(where, "A difference needs one of the keys \"value\", \"remove\", \"add\" or \"order\".");
}

void apply(json& tree, const Operation& operation) {
    const std::string wrong = attempt(tree, operation);
    if (!wrong.empty()) throw InputError(operation.at, "This change cannot be made: " + wrong + ".");
}

bool try_apply(json& tree, const Operation& operation) { return attempt(tree, operation).empty(); }

Operations difference(const json& from, const json& to) {
    Operations out;
    compare("", from, to, out);
    return out;
}

const json* find(const json& tree, const std::string& path) {
    const std::vector<std::string> parts = segments(path);
    return walk(tree, parts, parts.size());
}

}  // namespace escarp::cell
