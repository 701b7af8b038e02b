#include "wiring.h"

#include <algorithm>
#include <map>
#include <string_view>

#include <cell/model/step_kind.h>
#include <cell/model/tables.h>
#include <geometry/indices.h>

namespace escarp::cell {
namespace {

/// The bits of the controller's inputs or outputs that are taken.
class Image {
public:
    /// Takes what an address of the file says, if it is one of IEC 61131-3.
    void take(const std::string& address) {
        // %, the area, the size unless it is a bit, the byte, and of a bit its number.
        std::string_view rest = address;
        const auto skip = [&rest](std::string_view any) {
            const char found = !rest.empty() && any.find(rest.front()) != any.npos ? rest.front() : '\0';
            if (found) rest.remove_prefix(1);
            return found;
        };
        if (!skip("%") || !skip("IQ")) return;
        const char size = skip("XBWD");
        int byte = 0, bit = 0, digits = 0;
        while (const char digit = digits < 6 ? skip("0123456789") : '\0') byte = 10 * byte + (digit - '0'), ++digits;
        if (digits == 0) return;
        if (skip(".")) {
            const char digit = skip("01234567");
            if (!digit) return;
            bit = digit - '0';
        }
        if (!rest.empty()) return;
        const int bits = size == 'B' ? 8 : size == 'W' ? 16 : size == 'D' ? 32 : 1;
        const int first = 8 * byte + bit;
        for (int i = 0; i < bits; ++i) take(first + i);
    }
    std::string next(const Signal& s) {
        const std::string area = s.controller_sets() ? "%Q" : "%I";
        const int bits = s.type == Signal::Type::on_off ? 1 : s.type == Signal::Type::whole ? 16 : 32;
        // What is taken stays so: nothing before the last one of this size is free any more.
        for (int& first = from_[bits];; first += bits) {
            bool free = true;
            for (int i = 0; i < bits; ++i) free = free && !taken(first + i);
            if (!free) continue;
            for (int i = 0; i < bits; ++i) take(first + i);
            const std::string byte = std::to_string(first / 8);
            return bits == 1 ? area + "X" + byte + "." + std::to_string(first % 8)
                             : area + (bits == 16 ? "W" : "D") + byte;
        }
    }

private:
    bool taken(int bit) const { return static_cast<std::size_t>(bit) < taken_.size() && taken_[bit]; }
    void take(int bit) {
        if (static_cast<std::size_t>(bit) >= taken_.size()) taken_.resize(static_cast<std::size_t>(bit) + 1024);
        taken_[bit] = true;
    }
    std::vector<bool> taken_;
    std::map<int, int> from_;  ///< by size in bits: where the search for a free place begins
};

void each_named(const Step& s, const std::function<void(int signal)>& act) {
    for (const auto& expression : {s.condition, s.value})
        if (expression)
            for (const int signal : expression->signals()) act(signal);
}

}  // namespace

Wiring wiring(const Cell& cell) {
    Wiring w;
    w.heard_by.resize(cell.signals.size());
    w.set_by.resize(cell.signals.size());
    for (const int device : indices(cell.devices)) {
        for (const Step* s : all_steps(cell.devices[device])) {
            const SignalUse use{device, s->id, describe(cell, *s)};
            const Field* named = find_field(s->kind->fields(), "signal");
            const bool sets =
                named && (named->type == Field::Type::own_signal || named->type == Field::Type::own_number);
            if (s->signal >= 0) (sets ? w.set_by : w.heard_by)[s->signal].push_back(use);
            each_named(*s, [&](int signal) { w.heard_by[signal].push_back(use); });
        }
    }
    for (const Signal& s : cell.signals)
        if (s.source)
            for (const int signal : s.source->signals())
                w.heard_by[signal].push_back({s.device, "", "input " + s.name});
    return w;
}

std::vector<IoLine> io_list(const Cell& cell) {
    Image inputs, outputs;
    for (const Signal& s : cell.signals) (s.controller_sets() ? outputs : inputs).take(s.address);
    std::vector<IoLine> lines;
    for (const int i : indices(cell.signals)) {
        const Signal& s = cell.signals[i];
        const bool given = !s.address.empty();
        lines.push_back({i, given ? s.address : (s.controller_sets() ? outputs : inputs).next(s), given, s.comment});
    }
    return lines;
}

namespace {

/// The element of a device's "io" about a signal; made where there is none.
json& io_of(json& tree, const std::string& device, const std::string& signal) {
    for (json& d : tree["devices"]) {
        if (d.value("id", "") != device) continue;
        json& list = d["io"];
        if (!list.is_array()) list = json::array();
        for (json& one : list)
            if (one.value("id", "") == signal) return one;
        list.push_back({{"id", signal}});
        return list.back();
    }
    throw InputError("devices/" + device, "There is no device with this id.");
}

}  // namespace

Edit give_addresses(const Layout& layout) {
    const Cell& cell = layout.cell();
    json tree = layout.tree();
    for (const IoLine& line : io_list(cell)) {
        const Signal& s = cell.signals[line.signal];
        if (!line.given) io_of(tree, cell.devices[s.device].id, s.name)["address"] = line.address;
    }
    return {"Give addresses", difference(layout.tree(), tree)};
}

Edit describe_signal(const Layout& layout, const std::string& device, const std::string& signal,
    const std::string& what, const std::string& text) {
    const Cell& cell = layout.cell();
    const std::string where = "devices/" + device + "/io/" + signal + "/" + what;
    if (cell.signal(device + "." + signal) < 0) throw InputError(where, "There is no such signal.");
    if (what != "address" && what != "comment" && what != "outside")
        throw InputError(where, "\"address\", \"comment\" or \"outside\" is expected.");
    if (what == "outside" && !text.empty() && text != "yes" && text != "no")
        throw InputError(where, "Found \"" + text + "\"; yes or no is expected.");
    json tree = layout.tree();
    json& one = io_of(tree, device, signal);
    if (text.empty() || (what == "outside" && text == "no")) one.erase(what);
    else if (what == "outside") one[what] = true;
    else one[what] = text;
    if (one.size() == 1)
        for (json& d : tree["devices"])
            if (d.value("id", "") == device) {
                json& list = d["io"];
                list.erase(
                    std::remove_if(list.begin(), list.end(), [](const json& e) { return e.size() == 1; }), list.end());
                if (list.empty()) d.erase("io");
            }
    return {"Change " + what + " of " + signal, difference(layout.tree(), tree)};
}

}  // namespace escarp::cell
