#include "document.h"

#include "build_model.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fstream>
#include <set>
#include <sstream>

#include "names.h"

namespace escarp::cell {
namespace {

constexpr std::size_t largest_file = 64u << 20;
constexpr int deepest = 64;

std::string place_in(const std::string& text, std::size_t byte) {
    std::size_t line = 1, column = 1;
    for (std::size_t i = 0; i < byte && i < text.size(); ++i) {
        if (text[i] == '\n') ++line, column = 1;
        else ++column;
    }
    return "line " + std::to_string(line) + ", column " + std::to_string(column);
}

/// nlohmann's message without its own prefix.
std::string plain(const std::string& what) {
    const std::size_t at = what.find("syntax error");
    return at == std::string::npos ? what : what.substr(at);
}

void check_outline(const json& tree) {
    const auto expect = [](bool good, const std::string& where, const std::string& message) {
        if (!good) throw InputError(where, message);
    };
    expect(tree.is_object() && tree.contains("escarp"), "escarp",
           "This is not a cell file: it is expected to begin with a group of keys that holds \"escarp\": 1, the format's version.");
    const json& version = tree["escarp"];
    expect(version.is_number_integer() && version.get<long long>() >= 1, "escarp", "The format's version is expected to be a whole number from 1.");
    expect(version.get<long long>() <= format_version, "escarp",
           "The file was written by a newer Escarp (format " + version.dump() + "); this one reads formats up to " +
               std::to_string(format_version) + ". Open it with the newer program, or save it there in the older format.");
    expect(tree.contains("devices") && tree["devices"].is_array(), "devices", "A list of devices is expected (it may be empty: []).");
    for (const char* list : {"part_types", "arm_models", "tool_models", "meshes", "views", "unfinished_models"})
        expect(!tree.contains(list) || tree[list].is_array(), list, "A list is expected.");
    if (tree.contains("unfinished_models"))
        for (std::size_t i = 0; i < tree["unfinished_models"].size(); ++i) check_form(tree["unfinished_models"][i], "unfinished_models/" + std::to_string(i));
    if (!tree.contains("variants")) return;
    expect(tree["variants"].is_array() && !tree["variants"].empty(), "variants", "A list of at least one variant is expected.");
    std::set<std::string> ids;
    for (std::size_t i = 0; i < tree["variants"].size(); ++i) {
        const json& v = tree["variants"][i];
        const std::string where = "variants/" + std::to_string(i);
        expect(v.is_object() && v.contains("id") && v["id"].is_string() && valid_id(v["id"]), where + "/id", "A short id of letters, digits, - and _ is expected.");
        expect(ids.insert(v["id"]).second, where + "/id", "Two variants have the id " + v["id"].dump() + "; give each its own.");
        expect(v.contains("name") && v["name"].is_string(), where + "/name", "The variant's name is expected.");
        if (!v.contains("differences")) continue;
        expect(v["differences"].is_array(), where + "/differences", "A list of differences is expected.");
        for (std::size_t k = 0; k < v["differences"].size(); ++k)
            Operation::from_json(v["differences"][k], where + "/differences/" + std::to_string(k));
    }
    if (tree.contains("baseline"))
        expect(tree["baseline"].is_string() && ids.count(tree["baseline"]), "baseline", "The id of one of the variants is expected.");
}

[[noreturn]] void fail(const std::string& file, const std::string& what) {
    throw InputError(file, what + ": " + std::strerror(errno) + ".");
}

/// Ids of devices that are gone are kept, so that none is given again.
void retire(const json& before, json& after) {
    std::set<std::string> left;
    const auto id_of = [](const json& d) { return d.is_object() && d.contains("id") && d["id"].is_string() ? d["id"].get<std::string>() : std::string(); };
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

InputError::InputError(std::vector<Problem> problems)
    : std::runtime_error(problems.empty() ? "input error" : problems.front().where + ": " + problems.front().message), problems_(std::move(problems)) {}

Document::Document()
    : Document(json{{"escarp", format_version},
                    {"name", "New cell"},
                    {"takt_s", 10.0},
                    {"part_types", json::array()},
                    {"arm_models", json::array()},
                    {"tool_models", json::array()},
                    {"devices", json::array()},
                    {"baseline", "A"},
                    {"variants", json::array({json{{"id", "A"}, {"name", "First layout"}}})}}) {}

Document Document::parse(const std::string& text) {
    json tree;
    try {
        tree = json::parse(text, [&](int d, json::parse_event_t, json&) {
            if (d > deepest) throw InputError("file", "Groups are nested more than " + std::to_string(deepest) + " deep; no cell file is.");
            return true;
        });
    } catch (const json::parse_error& e) {
        throw InputError(place_in(text, e.byte > 0 ? e.byte - 1 : 0), "The file is not valid JSON: " + plain(e.what()) + ".");
    } catch (const json::exception& e) {
        throw InputError("file", std::string("The file is not valid JSON: ") + e.what() + ".");
    }
    check_outline(tree);
    if (!tree.contains("variants")) tree["variants"] = json::array({json{{"id", "A"}, {"name", "First layout"}}});
    if (!tree.contains("baseline")) tree["baseline"] = tree["variants"][0]["id"];
    return Document(std::move(tree));
}

Document Document::load(const std::string& file) {
    struct stat info {};
    if (::stat(file.c_str(), &info) != 0) fail(file, "The file cannot be opened");
    if (!S_ISREG(info.st_mode)) throw InputError(file, "This is not a file.");
    if (static_cast<std::size_t>(info.st_size) > largest_file) throw InputError(file, "The file is larger than 64 MB; no cell file is.");
    std::ifstream in(file, std::ios::binary);
    if (!in) fail(file, "The file cannot be read");
    std::ostringstream text;
    text << in.rdbuf();
    return parse(text.str());
}

std::string Document::text() const { return tree_->dump(2, ' ', false, json::error_handler_t::replace) + "\n"; }

void Document::save(const std::string& file) const {
    char resolved_path[PATH_MAX];  // through a link the real file is replaced, not the link
    const std::string target = ::realpath(file.c_str(), resolved_path) ? std::string(resolved_path) : file;
    const std::string fresh = target + ".new-" + std::to_string(::getpid());
    struct stat old {};
    const mode_t mode = ::stat(target.c_str(), &old) == 0 ? (old.st_mode & 07777) : 0644;
    const int out = ::open(fresh.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, mode);
    if (out < 0) fail(file, "The file cannot be written");
    const std::string bytes = text();
    std::size_t done = 0;
    bool good = true;
    while (good && done < bytes.size()) {
        const ssize_t n = ::write(out, bytes.data() + done, bytes.size() - done);
        if (n < 0 && errno == EINTR) continue;
        good = n > 0;
        if (good) done += static_cast<std::size_t>(n);
    }
    good = good && ::fsync(out) == 0;
    good = ::close(out) == 0 && good;
    if (!good || ::rename(fresh.c_str(), target.c_str()) != 0) {
        const int why = errno;
        ::unlink(fresh.c_str());
        errno = why;
        fail(file, "The file could not be written; the old one is untouched");
    }
    const std::size_t slash = target.rfind('/');
    const int folder = ::open(slash == std::string::npos ? "." : target.substr(0, slash + 1).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (folder >= 0) {
        ::fsync(folder);
        ::close(folder);
    }
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
        for (const json& d : v["differences"]) all.push_back(Operation::from_json(d, "variants/" + variant + "/differences"));
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
        retire(*tree_, tree);
        return Document(std::move(tree));
    }
    json part = resolved(variant);
    for (const Operation& op : edit.operations) apply(part, op);
    json differences = json::array();
    for (const Operation& op : difference(cell_part(*tree_), part)) differences.push_back(op.to_json());
    variant_in(tree, variant)["differences"] = std::move(differences);
    return Document(std::move(tree));
}

Document Document::put_back(const std::string& variant, const std::string& at) const {
    json tree = *tree_;
    json kept = json::array();
    for (const Operation& op : differences(variant)) {
        const bool same = op.at == at || (op.kind == Operation::Kind::add && op.at + "/" + op.value.value("id", "") == at);
        if (!same) kept.push_back(op.to_json());
    }
    json& mine = variant_in(tree, variant);
    if (kept.empty()) mine.erase("differences");
    else mine["differences"] = std::move(kept);
    return Document(std::move(tree));
}

Document Document::pushed_to_baseline(const std::string& variant, const std::string& at) const {
    Edit edit;
    for (const Operation& op : differences(variant))
        if (op.at == at || (op.kind == Operation::Kind::add && op.at + "/" + op.value.value("id", "") == at)) edit.operations.push_back(op);
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
    return Document(std::move(tree));
}

Document Document::renamed_variant(const std::string& id, const std::string& name) const {
    json tree = *tree_;
    variant_in(tree, id)["name"] = name;
    return Document(std::move(tree));
}

Document Document::without_variant(const std::string& id) const {
    if (id == baseline()) throw InputError("variants", "The baseline cannot be dropped; make another variant the baseline first.");
    json tree = *tree_;
    variant_in(tree, id);
    json kept = json::array();
    for (const json& v : tree["variants"])
        if (v["id"] != id) kept.push_back(v);
    tree["variants"] = std::move(kept);
    return Document(std::move(tree));
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
    return Document(std::move(tree));
}

std::string Document::free_variant_id() const {
    for (char letter = 'A'; letter <= 'Z'; ++letter)
        if (!has_variant(std::string(1, letter))) return std::string(1, letter);
    for (int i = 1;; ++i)
        if (!has_variant("V" + std::to_string(i))) return "V" + std::to_string(i);
}

}  // namespace escarp::cell
