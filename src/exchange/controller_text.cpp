#include "controller_text.h"

#include <algorithm>
#include <map>
#include <set>

#include <cell/model/device_kind.h>
#include <cell/model/expression.h>
#include <cell/read/wiring.h>

#include "arbiter_text.h"

namespace escarp::exchange {
namespace {

/// Names of IEC 61131-3 for a cell's signals, each once.
std::vector<std::string> names_of(const cell::Cell& cell) {
    std::set<std::string> taken;
    std::vector<std::string> all;
    for (const cell::Signal& s : cell.signals) {
        const std::string wish = identifier(cell.full_name(s));
        std::string name = wish;
        const auto capital = [](std::string text) {
            for (char& c : text) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
            return text;
        };
        for (int n = 2; !taken.insert(capital(name)).second; ++n) name = wish + "_" + std::to_string(n);
        all.push_back(name);
    }
    return all;
}

const char* type_of(const cell::Signal& s) {
    return s.on_off() ? "BOOL" : s.type == cell::Signal::Type::whole ? "INT" : "REAL";
}

/// Of an interlock that is decided outside: its index among devices.
std::vector<int> interlocks_outside(const cell::Cell& cell) {
    std::vector<int> all;
    for (std::size_t d = 0; d < cell.devices.size(); ++d) {
        const cell::Device& device = cell.devices[d];
        if (device.kind->id() != "interlock") continue;
        if (std::any_of(device.signals.begin(), device.signals.end(), [](const cell::Signal& s) { return s.outside; }))
            all.push_back(static_cast<int>(d));
    }
    return all;
}

/// "first_asks := interlock_first_asks, ...", and the assignments of what it decides.
std::string arbiter_call(const cell::Cell& cell, int device, const std::vector<std::string>& names) {
    const cell::Device& d = cell.devices[static_cast<std::size_t>(device)];
    std::string inputs, outputs;
    const std::string instance = "the_" + identifier(d.name);
    for (std::size_t i = 0; i < d.signals.size(); ++i) {
        const cell::Signal& s = d.signals[i];
        const std::string& name = names[static_cast<std::size_t>(d.first_signal) + i];
        if (s.own) continue;
        if (s.name == "first_may" || s.name == "second_may") outputs += name + " := " + instance + "." + s.name + ";\n";
        else inputs += (inputs.empty() ? "" : ", ") + s.name + " := " + name;
    }
    return instance + "(" + inputs + ");\n" + outputs;
}

}  // namespace

std::string controller_text(const cell::Layout& layout) {
    const cell::Cell& cell = layout.cell();
    const std::vector<std::string> names = names_of(cell);
    const std::vector<int> interlocks = interlocks_outside(cell);
    std::string t = "(* " + remark(cell.name) +
                    ": a program to begin with.\n   Signals of the cell at their addresses; what comes from "
                    "outside in a live run is set below. *)\n";
    for (const int d : interlocks)
        t += arbiter_text(layout.tree(), cell.devices[static_cast<std::size_t>(d)].id) + "\n";
    std::size_t widest = 0;
    for (const std::string& n : names) widest = std::max(widest, n.size());
    t += "PROGRAM " + identifier(cell.name + " program") + "\nVAR\n";
    for (const bool sets : {false, true}) {
        t += sets ? "    (* what the controller sets *)\n" : "    (* what the controller reads *)\n";
        for (const cell::IoLine& line : cell::io_list(cell)) {
            const cell::Signal& s = cell.signals[static_cast<std::size_t>(line.signal)];
            // An input that its device's wiring feeds stays in the cell.
            if (s.controller_sets() != sets || (sets && !s.heard_live())) continue;
            const std::string& name = names[static_cast<std::size_t>(line.signal)];
            t += "    " + name + std::string(widest - name.size(), ' ') + " AT " + line.address + " : " + type_of(s);
            if (sets && s.start != 0) t += std::string(" := ") + (s.on_off() ? "TRUE" : cell::value_text(s, s.start));
            t += ";" + (line.comment.empty() ? "" : "  (* " + remark(line.comment) + " *)") + "\n";
        }
    }
    for (const int d : interlocks) {
        const std::string own = identifier(cell.devices[static_cast<std::size_t>(d)].name);
        t += "    the_" + own + " : " + own + ";\n";
    }
    t += "END_VAR\n";
    for (const int d : interlocks) t += "\n" + arbiter_call(cell, d, names);
    const cell::Wiring wiring = cell::wiring(cell);
    for (std::size_t i = 0; i < cell.signals.size(); ++i) {
        const cell::Signal& s = cell.signals[i];
        if (!s.outside || std::find(interlocks.begin(), interlocks.end(), s.device) != interlocks.end()) continue;
        t += "\n";
        for (const cell::SignalUse& use : wiring.heard_by[i])
            t += "(* " + remark(cell.devices[static_cast<std::size_t>(use.device)].name + ": " + use.words) + " *)\n";
        const auto on_off = [&](int other) { return cell.signals[static_cast<std::size_t>(other)].on_off(); };
        const auto name = [&](int other) { return names[static_cast<std::size_t>(other)]; };
        const std::string value = s.source     ? s.source->structured_text(name, on_off)
                                  : s.on_off() ? (s.start != 0 ? "TRUE" : "FALSE")
                                               : cell::value_text(s, s.start);
        t += names[i] + " := " + value + ";\n";
    }
    return t + "END_PROGRAM\n";
}

}  // namespace escarp::exchange
