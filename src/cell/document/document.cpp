#include "document.h"

#include <algorithm>
#include <set>

#include <cell/text/disk.h>
#include <cell/text/names.h>

#include "unfinished_model.h"

namespace escarp::cell {
namespace {

constexpr std::size_t largest_file = 64u << 20;

void check_outline(const json& tree) {
    const auto expect = [](bool good, const std::string& where, const std::string& message) {
        if (!good) throw InputError(where, message);
    };
    expect(tree.is_object() && tree.contains("escarp"), "escarp",
        "This is not a cell file: it is expected to begin with a group of keys that holds \"escarp\": 1, the format's "
        "version.");
    const json& version = tree["escarp"];
    expect(version.is_number_integer() && version.get<long long>() >= 1, "escarp",
        "The format's version is expected to be a whole number from 1.");
    expect(version.get<long long>() <= format_version, "escarp",
        "The file was written by a newer Escarp (format " + version.dump() + "); this one reads formats up to " +
            std::to_string(format_version) + ". Open it with the newer program, or save it there in the older format.");
    expect(tree.contains("devices") && tree["devices"].is_array(), "devices",
        "A list of devices is expected (it may be empty: []).");
    for (const char* list : {"part_types", "arm_models", "tool_models", "meshes", "views", "unfinished_models"})
        expect(!tree.contains(list) || tree[list].is_array(), list, "A list is expected.");
    if (tree.contains("unfinished_models"))
        for (std::size_t i = 0; i < tree["unfinished_models"].size(); ++i)
            check_unfinished_model(tree["unfinished_models"][i], "unfinished_models/" + std::to_string(i));
    if (!tree.contains("variants"))  // there is one then, "A"
        return expect(!tree.contains("baseline") || tree["baseline"] == "A", "baseline",
            "The id of one of the variants is expected, and there are none; take the key away.");
    expect(tree["variants"].is_array() && !tree["variants"].empty(), "variants",
        "A list of at least one variant is expected.");
    std::set<std::string> ids;
    for (std::size_t i = 0; i < tree["variants"].size(); ++i) {
        const json& v = tree["variants"][i];
        const std::string where = "variants/" + std::to_string(i);
        expect(v.is_object() && v.contains("id") && v["id"].is_string() && valid_id(v["id"]), where + "/id",
            "A short id of letters, digits, - and _ is expected.");
        expect(ids.insert(v["id"]).second, where + "/id",
            "Two variants have the id " + v["id"].dump() + "; give each its own.");
        expect(v.contains("name") && v["name"].is_string(), where + "/name", "The variant's name is expected.");
        if (!v.contains("differences")) continue;
        expect(v["differences"].is_array(), where + "/differences", "A list of differences is expected.");
        for (std::size_t k = 0; k < v["differences"].size(); ++k)
            Operation::from_json(v["differences"][k], where + "/differences/" + std::to_string(k));
    }
    if (tree.contains("baseline"))
        expect(tree["baseline"].is_string() && ids.count(tree["baseline"]), "baseline",
            "The id of one of the variants is expected.");
}

/// Ids of devices that are gone are kept, so that none is given again.
void retire(const json& before, json& after) {
    std::set<std::string> left;
    const auto id_of = [](const json& d) {
        return d.is_object() && d.contains("id") && d["id"].is_string() ? d["id"].get<std::string>() : std::string();
    };
    for (const json& d : after["devices"]) left.insert(id_of(d));
    for (const json& d : before["devices"]) {
        const std::string id = id_of(d);
        if (id.empty() || left.count(id)) continue;
        json& list = after["retired_ids"];
        if (!list.is_array()) list = json::array();
        if (std::find(list.begin(), list.end(), id) == list.end()) list.push_back(id);
    }
}

json& variant_in(json& tree, const std::string& id) {
    for (json& v : tree["variants"])
        if (v["id"] == id) return v;
    throw InputError("variants", "There is no variant with the id \"" + id + "\".");
}

}  // namespace

Document::Document()
    : Document(json{{"escarp", format_version}, {"name", "New cell"}, {"takt_s", 10.0}, {"part_types", json::array()},
          {"arm_models", json::array()}, {"tool_models", json::array()}, {"devices", json::array()}, {"baseline", "A"},
          {"variants", json::array({json{{"id", "A"}, {"name", "First layout"}}})}}) {}

Document Document::parse(const std::string& text) { return checked(parse_json(text)); }

Document Document::checked(json tree) {
    check_bounds(tree);
    check_outline(tree);
    if (!tree.contains("variants")) tree["variants"] = json::array({json{{"id", "A"}, {"name", "First layout"}}});
    if (!tree.contains("baseline")) tree["baseline"] = tree["variants"][0]["id"].get<std::string>();
    return Document(std::move(tree));
}

Document Document::load(const std::string& file) { return parse(read_file(file, largest_file)); }

std::string Document::text() const { return tree_->dump(2, ' ', false, json::error_handler_t::replace) + "\n"; }

void Document::save(const std::string& file) const {
    const std::string bytes = text();
    if (bytes.size() > largest_file)
        throw InputError(file, "The cell would take " + std::to_string(bytes.size() >> 20) + " MB; files of up to " +
                                   std::to_string(largest_file >> 20) +
                                   " MB are read. Link imported geometry instead of keeping it, or make it coarser.");
    write_file(file, bytes);
}

std::string Document::name() const {
    const auto name = tree_->find("name");
    return name != tree_->end() && name->is_string() ? name->get<std::string>() : "Cell";
}

std::vector<VariantInfo> Document::variants() const {
    std::vector<VariantInfo> all;
    for (const json& v : (*tree_)["variants"]) all.push_back({v["id"], v["name"]});
    return all;
}

std::string Document::baseline() const { return (*tree_)["baseline"]; }

bool Document::has_variant(const std::string& id) const {
    for (const VariantInfo& v : variants())
        if (v.id == id) return true;
    return false;
}

Operations Document::differences(const std::string& variant) const {
    Operations all;
    for (const json& v : (*tree_)["variants"]) {
        if (v["id"] != variant || variant == baseline() || !v.contains("differences")) continue;
        for (const json& d : v["differences"])
            all.push_back(Operation::from_json(d, "variants/" + variant + "/differences"));
    }
    return all;
}

json Document::cell_part(const json& tree) {
    json part = tree;
    part.erase("variants");
    part.erase("baseline");
    return part;
}

json Document::resolved(const std::string& variant, std::vector<std::string>* lost) const {
    if (!has_variant(variant)) throw InputError("variants", "There is no variant with the id \"" + variant + "\".");
    json part = cell_part(*tree_);
    for (const Operation& op : differences(variant))
        if (!try_apply(part, op) && lost) lost->push_back(op.at);
    return part;
}

Document Document::edited(const std::string& variant, const Edit& edit) const {
    json tree = *tree_;
    if (variant == baseline()) {
        for (const Operation& op : edit.operations) apply(tree, op);
        check_outline(tree);
        retire(*tree_, tree);
        return checked(std::move(tree));
    }
    json part = resolved(variant);
    for (const Operation& op : edit.operations) apply(part, op);
    json differences = json::array();
    for (const Operation& op : difference(cell_part(*tree_), part)) differences.push_back(op.to_json());
    variant_in(tree, variant)["differences"] = std::move(differences);
    return checked(std::move(tree));
}

Document Document::applied(const Operations& operations) const {
    json tree = *tree_;
    for (const Operation& op : operations) apply(tree, op);
    return checked(std::move(tree));
}

Document Document::put_back(const std::string& variant, const std::string& at) const {
    json tree = *tree_;
    json kept = json::array();
    for (const Operation& op : differences(variant)) {
        const bool same =
            op.at == at || (op.kind == Operation::Kind::add && op.at + "/" + op.value.value("id", "") == at);
        if (!same) kept.push_back(op.to_json());
    }
    json& mine = variant_in(tree, variant);
    if (kept.empty()) mine.erase("differences");
    else mine["differences"] = std::move(kept);
    return checked(std::move(tree));
}

Document Document::pushed_to_baseline(const std::string& variant, const std::string& at) const {
    Edit edit;
    for (const Operation& op : differences(variant))
        if (op.at == at || (op.kind == Operation::Kind::add && op.at + "/" + op.value.value("id", "") == at))
            edit.operations.push_back(op);
    return edited(baseline(), edit).put_back(variant, at);
}

Document Document::pushed_to_all(const std::string& variant, const std::string& at) const {
    Document out = pushed_to_baseline(variant, at);
    for (const VariantInfo& v : variants()) out = out.put_back(v.id, at);
    return out;
}

Document Document::with_variant(const std::string& id, const std::string& name, const std::string& like) const {
    if (has_variant(id)) throw InputError("variants", "There is already a variant with the id \"" + id + "\".");
    json tree = *tree_;
    json differences = json::array();
    for (const Operation& op : this->differences(like)) differences.push_back(op.to_json());
    tree["variants"].push_back({{"id", id}, {"name", name}, {"differences", std::move(differences)}});
    return checked(std::move(tree));
}

Document Document::renamed_variant(const std::string& id, const std::string& name) const {
    json tree = *tree_;
    variant_in(tree, id)["name"] = name;
    return checked(std::move(tree));
}

Document Document::without_variant(const std::string& id) const {
    if (id == baseline())
        throw InputError("variants", "The baseline cannot be dropped; make another variant the baseline first.");
    json tree = *tree_;
    variant_in(tree, id);
    json kept = json::array();
    for (const json& v : tree["variants"])
        if (v["id"] != id) kept.push_back(v);
    tree["variants"] = std::move(kept);
    return checked(std::move(tree));
}

Document Document::with_baseline(const std::string& id) const {
    const json base = resolved(id);
    json tree = base;
    tree["baseline"] = id;
    tree["variants"] = (*tree_)["variants"];
    for (json& v : tree["variants"]) {
        if (v["id"] == id) {
            v.erase("differences");
            continue;
        }
        json differences = json::array();
        for (const Operation& op : difference(base, resolved(v["id"]))) differences.push_back(op.to_json());
        v["differences"] = std::move(differences);
    }
    return checked(std::move(tree));
}

std::string Document::free_variant_id() const {
    for (char letter = 'A'; letter <= 'Z'; ++letter)
        if (!has_variant(std::string(1, letter))) return std::string(1, letter);
    for (int i = 1;; ++i)
        if (!has_variant("V" + std::to_string(i))) return "V" + std::to_string(i);
}

}  // namespace escarp::cell
