#include "signal_edits.h"

#include <algorithm>

#include <cell/model/read_signals.h>
#include <cell/read/step_walk.h>
#include <cell/text/names.h>

namespace escarp::cell {
namespace {

/// Where an own signal stands: the key of the device, and whether the list holds ids or groups.
struct Home {
    const char* key;
    bool groups;
};
constexpr Home homes[] = {
    {"own_signals", false}, {"own_numbers", true}, {"inputs", true}, {"starts_on", false}, {"io", true}};

json& device_in(json& tree, const std::string& id) {
    for (json& d : tree["devices"])
        if (d.value("id", "") == id) return d;
    throw InputError("devices/" + id, "There is no device with this id.");
}

std::string name_of(const json& element) { return element.value("name", element.value("id", "")); }
std::string called(const json& item) { return item.is_object() ? item.value("id", "") : item.get<std::string>(); }

json::iterator find_in(json& list, const std::string& name) {
    return std::find_if(list.begin(), list.end(), [&](const json& item) { return called(item) == name; });
}

Edit edit_of(const Layout& layout, std::string name, const std::function<void(json& tree)>& change) {
    json tree = layout.tree();
    change(tree);
    return {std::move(name), difference(layout.tree(), tree)};
}

void check_free(const Layout& layout, const std::string& device, const std::string& name, const char* key) {
    const int index = layout.cell().device(device);
    if (index < 0) throw InputError("devices/" + device, "There is no device with this id.");
    const Device& d = layout.cell().devices[index];
    const std::string where = "devices/" + device + "/" + key;
    if (!valid_id(name))
        throw InputError(
            where, "\"" + name + "\" is no name for a signal; at most 64 letters, digits, - and _ are expected.");
    if (std::any_of(d.signals.begin(), d.signals.end(), [&](const Signal& s) { return s.name == name; }))
        throw InputError(where, "\"" + d.name + "\" already has a signal \"" + name + "\".");
}

Edit add_to(const Layout& layout, const std::string& device, const char* key, json item, const std::string& what,
    const std::string& step) {
    const std::string name = called(item);
    check_free(layout, device, name, key);
    json list = find(layout.tree(), at_device(device))->value(key, json::array());
    list.push_back(std::move(item));
    Edit edit{"Add " + what + " " + name, {Operation::set(at_device(device) / key, std::move(list))}};
    if (!step.empty()) edit.operations.push_back(Operation::set(step + "/signal", device + "." + name));
    return edit;
}

/// Whether a name in an expression of a device means this signal.
bool means(const json& owner, const std::string& word, const std::string& device, const std::string& name) {
    return word == device + "." + name || (owner.value("id", "") == device && word == name);
}

}  // namespace

Edit add_signal(const Layout& l, const std::string& device, const std::string& name, const std::string& step) {
    return add_to(l, device, "own_signals", name, "signal", step);
}

Edit add_number(const Layout& l, const std::string& device, const std::string& name, const std::string& step) {
    return add_to(l, device, "own_numbers", {{"id", name}}, "number", step);
}

Edit add_input(const Layout& l, const std::string& device, const std::string& name) {
    return add_to(l, device, "inputs", {{"id", name}}, "input", {});
}

Edit rename_signal(const Layout& layout, const std::string& device, const std::string& name, const std::string& to) {
    check_free(layout, device, to, "own_signals");
    return edit_of(layout, "Rename signal " + name, [&](json& tree) {
        json& d = device_in(tree, device);
        bool found = false;
        for (const Home& home : homes) {
            if (!d.contains(home.key)) continue;
            const auto item = find_in(d[home.key], name);
            if (item == d[home.key].end()) continue;
            found = found || std::string(home.key) != "io";
            if (home.groups) (*item)["id"] = to;
            else *item = to;
        }
        if (!found)
            throw InputError("devices/" + device, "\"" + name_of(d) + "\" has no signal of its own \"" + name + "\".");
        each_step(layout.kinds(), tree, [&](json&, json& step) {
            if (step.value("signal", "") == device + "." + name) step["signal"] = device + "." + to;
        });
        each_expression(layout.kinds(), tree, [&](json& owner, json& holder, const std::string& key) {
            holder[key] = Expression::renamed(holder[key], [&](const std::string& word) {
                if (!means(owner, word, device, name)) return word;
                return word.find('.') == std::string::npos ? to : device + "." + to;
            });
        });
    });
}

Edit remove_signal(const Layout& layout, const std::string& device, const std::string& name) {
    return edit_of(layout, "Remove signal " + name, [&](json& tree) {
        const auto refuse = [&](const json& owner, const char* what) {
            throw InputError("devices/" + device, std::string(what) + " of \"" + name_of(owner) + "\" still names \"" +
                                                      name + "\": change or remove that first.");
        };
        json& d = device_in(tree, device);
        each_step(layout.kinds(), tree, [&](json& owner, json& step) {
            if (step.value("signal", "") == device + "." + name) refuse(owner, "A step");
        });
        each_expression(layout.kinds(), tree, [&](json& owner, json& holder, const std::string& key) {
            if (expression_names(holder[key], [&](const std::string& w) { return means(owner, w, device, name); }))
                refuse(owner, key == "from" ? "An input" : "A step");
        });
        for (const Home& home : homes) {
            if (!d.contains(home.key)) continue;
            json& list = d[home.key];
            if (const auto item = find_in(list, name); item != list.end()) list.erase(item);
            if (list.empty()) d.erase(home.key);
        }
    });
}

Edit connect_input(const Layout& layout, const std::string& device, const std::string& input, const std::string& from) {
    const Cell& cell = layout.cell();
    const int index = cell.device(device);
    if (index < 0) throw InputError("devices/" + device, "There is no device with this id.");
    const Device& d = cell.devices[index];
    const auto signal =
        std::find_if(d.signals.begin(), d.signals.end(), [&](const Signal& s) { return s.name == input && s.input(); });
    const std::string where = "devices/" + device + "/inputs/" + input;
    if (signal == d.signals.end()) {
        std::string known;
        for (const Signal& s : d.signals)
            if (s.input()) known += (known.empty() ? "" : ", ") + s.name;
        throw InputError(where,
            "\"" + d.name + "\" has no input \"" + input + "\"; it has " + (known.empty() ? "none" : known) + ".");
    }
    if (!from.empty()) try {
            const auto meaning = [&](const std::string& n) { return named_signal(cell, index, false, n); };
            if (signal->on_off()) Expression::condition(from, meaning);
            else Expression::number(from, meaning);
        } catch (const ExpressionError& e) {
            throw InputError(where, e.message(from));
        }
    return edit_of(layout, from.empty() ? "Disconnect " + input : "Connect " + input, [&](json& tree) {
        json& d_now = device_in(tree, device);
        json& list = d_now["inputs"];
        if (!list.is_array()) list = json::array();
        auto item = find_in(list, input);
        if (item == list.end()) {
            list.push_back({{"id", input}});
            item = list.end() - 1;
        }
        if (!from.empty()) (*item)["from"] = from;
        else item->erase("from");
        if (from.empty() && item->size() == 1 && !signal->own) list.erase(item);  // the kind has it all the same
        if (list.empty()) d_now.erase("inputs");
    });
}

}  // namespace escarp::cell
