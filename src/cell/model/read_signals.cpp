#include "read_signals.h"

#include <algorithm>
#include <cmath>
#include <map>

#include <cell/text/names.h>
#include <cell/text/numbers.h>
#include <geometry/indices.h>

#include "tables.h"

namespace escarp::cell {
namespace {

Signal::Type type_of(const std::string& said) {
    for (const Signal::Type type : {Signal::Type::whole, Signal::Type::number})
        if (said == word(type)) return type;
    return Signal::Type::on_off;
}

void add(const Reader& r, const std::string& key, Device& d, Signal signal) {
    if (!valid_id(signal.name)) {
        r.problem(key, "Signal names of letters, digits, - and _ are expected.");
    } else if (std::any_of(
                   d.signals.begin(), d.signals.end(), [&](const Signal& s) { return s.name == signal.name; })) {
        r.problem(key, "Two signals have the name \"" + signal.name + "\".");
    } else {
        d.signals.push_back(std::move(signal));
        d.signals.back().own = true;
    }
}

void read_inputs(const Values& v, Device& d) {
    std::vector<std::string> told;
    for (const Reader& one : v.list("inputs")) {
        const Values input(one, input_fields());
        const std::string name = input.id();
        if (std::find(told.begin(), told.end(), name) != told.end())
            one.problem("id", "Two inputs have the name \"" + name + "\".");
        told.push_back(name);
        input.text("from");
        const bool typed = one.has("type");
        const Signal::Type type = typed ? type_of(input.choice("type")) : Signal::Type::on_off;
        const std::string unit = input.text("unit");
        const auto known =
            std::find_if(d.signals.begin(), d.signals.end(), [&](const Signal& s) { return s.name == name; });
        if (known == d.signals.end()) add(one, "id", d, {name, type, Signal::Way::input, 0, unit});
        else if (!known->input())
            one.problem("id", "\"" + name + "\" is an output of this device; an input is expected.");
        else if (typed && type != known->type)
            one.problem("type", "The input \"" + name + "\" of this kind of device is " + word(known->type) + ".");
    }
}

}  // namespace

void read_signals(const Reader& r, Device& d) {
    const Values v(r, device_fields());
    if (r.has("own_signals"))
        for (const std::string& name : v.ids("own_signals")) add(r, "own_signals", d, {name});
    for (const Reader& one : v.list("own_numbers")) {
        const Values number(one, own_number_fields());
        const Signal::Type type = type_of(number.choice("type"));
        const double start = number.number("start");
        if (type == Signal::Type::whole && start != std::floor(start))
            one.problem("start", "Found " + shortest(start) + "; a whole number is expected.");
        add(one, "id", d, {number.id(), type, Signal::Way::output, start, number.text("unit")});
    }
    if (r.has("starts_on"))
        for (const std::string& name : v.ids("starts_on")) {
            const auto own = std::find_if(d.signals.begin(), d.signals.end(),
                [&](const Signal& s) { return s.name == name && s.on_off() && !s.input(); });
            if (own != d.signals.end()) own->start = 1;
            else r.problem("starts_on", "\"" + name + "\" is not one of the \"own_signals\" of this device.");
        }
    read_inputs(v, d);
    for (const Reader& one : v.list("io")) {
        const Values io(one, io_fields());
        const std::string name = io.id(), address = io.text("address"), comment = io.text("comment");
        const bool outside = io.flag("outside");
        const auto known =
            std::find_if(d.signals.begin(), d.signals.end(), [&](const Signal& s) { return s.name == name; });
        if (known == d.signals.end())
            one.problem("id", "\"" + d.name + "\" has no signal \"" + name + "\" that could have an address.");
        else known->address = address, known->comment = comment, known->outside = outside;
    }
}

void number_signals(Cell& cell) {
    for (const int i : indices(cell.devices)) {
        Device& d = cell.devices[i];
        d.first_signal = static_cast<int>(cell.signals.size());
        for (Signal& signal : d.signals) {
            signal.device = i;
            cell.signals.push_back(signal);
        }
    }
}

void check_addresses(const Reader& r, const Cell& cell) {
    std::map<std::string, int> taken;
    for (const int i : indices(cell.signals)) {
        const Signal& s = cell.signals[i];
        if (s.address.empty()) continue;
        const auto [at, fresh] = taken.try_emplace(s.address, i);
        if (!fresh)
            r.problem("devices/" + cell.devices[s.device].id + "/io/" + s.name + "/address",
                "The address \"" + s.address + "\" is that of " + cell.full_name(cell.signals[at->second]) +
                    " already.");
    }
}

NamedSignal named_signal(const Cell& cell, int owner, bool in_task, const std::string& name) {
    const std::size_t dot = name.find('.');
    const int device = dot == std::string::npos ? owner : cell.device(name.substr(0, dot));
    NamedSignal found;
    if (device < 0) {
        found.why_not = "A device's id, a dot and one of its signals (such as \"beam1.made\")";
        return found;
    }
    const Device& d = cell.devices[device];
    const std::string own = dot == std::string::npos ? name : name.substr(dot + 1);
    std::string known;
    for (const int i : indices(d.signals)) {
        const Signal& s = d.signals[i];
        if (s.input() && !(in_task && device == owner)) continue;
        if (s.name == own) {
            found.index = d.first_signal + i;
            found.type = s.type;
            return found;
        }
        known += (known.empty() ? "" : ", ") + s.name;
    }
    found.why_not = known.empty() ? "A signal of another device (\"" + d.name + "\" has none)"
                                  : "A signal of \"" + d.name + "\" (" + known + ")";
    return found;
}

void read_sources(const Reader& r, Cell& cell, int index) {
    Device& d = cell.devices[index];
    const Values v(r, device_fields());
    for (const Reader& one : v.list("inputs")) {
        const Values input(one, input_fields());
        const std::string text = input.text("from"), name = input.text("id");
        if (text.empty()) continue;
        for (std::size_t i = 0; i < d.signals.size(); ++i) {
            Signal& s = d.signals[i];
            if (s.name != name || !s.input()) continue;
            const auto meaning = [&](const std::string& n) { return named_signal(cell, index, false, n); };
            try {
                s.source = std::make_shared<const Expression>(
                    s.on_off() ? Expression::condition(text, meaning) : Expression::number(text, meaning));
            } catch (const ExpressionError& e) {
                one.problem("from", e.message(text));
            }
            cell.signals[d.first_signal + i].source = s.source;
        }
    }
}

}  // namespace escarp::cell
