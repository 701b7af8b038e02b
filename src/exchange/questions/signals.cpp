// What devices tell each other: every signal with who sets and hears it, and the I/O list.

#include <sstream>

#include <cell/model/expression.h>
#include <cell/read/wiring.h>

#include "../io_list.h"
#include "../question.h"

namespace escarp::exchange {
namespace {

json uses(const cell::Cell& cell, const std::vector<cell::SignalUse>& all) {
    json out = json::array();
    for (const cell::SignalUse& use : all) {
        json one{{"device", cell.devices[use.device].id}};
        if (!use.step.empty()) one["step"] = use.step;
        one["words"] = use.words;
        out.push_back(std::move(one));
    }
    return out;
}

json value(const cell::Signal& s, double v) { return s.on_off() ? json(v != 0) : json(v); }

std::string named(const cell::Cell& cell, const cell::SignalUse& use) {
    return cell.devices[use.device].name + ": " + use.words;
}

Answer signals(Asked& a) {
    const double at = a.options().number("at");
    const auto e = a.evaluation(at);
    const cell::Cell& cell = *e->cell;
    const cell::Wiring wiring = cell::wiring(cell);
    json all = json::array();
    std::ostringstream words;
    for (std::size_t i = 0; i < cell.signals.size(); ++i) {
        const cell::Signal& s = cell.signals[i];
        const simulation::SignalRecord& record = e->run->trace.signals[i];
        const double now = record.at(simulation::ticks(at));
        json changes = json::array();
        for (const auto& [t, v] : record.changes) changes.push_back({simulation::seconds(t), value(s, v)});
        all.push_back({{"signal", cell.full_name(s)}, {"device", cell.devices[s.device].id}, {"way", word(s.way)},
            {"type", word(s.type)}, {"unit", s.unit}, {"starts", value(s, s.start)},
            {"takes", s.source ? json(s.source->text()) : json()}, {"set_by", uses(cell, wiring.set_by[i])},
            {"heard_by", uses(cell, wiring.heard_by[i])}, {"value", value(s, now)}, {"changes", std::move(changes)}});
        words << cell.full_name(s) << "  " << word(s.way) << ", " << word(s.type) << ", " << cell::value_text(s, now)
              << " at " << formatted(at, "%g") << " s, " << record.changes.size() - 1 << " changes\n";
        if (s.source) words << "    takes " << s.source->text() << "\n";
        for (const cell::SignalUse& use : wiring.set_by[i]) words << "    set by " << named(cell, use) << "\n";
        for (const cell::SignalUse& use : wiring.heard_by[i]) words << "    heard by " << named(cell, use) << "\n";
    }
    return {{{"at_s", at}, {"signals", std::move(all)}}, words.str()};
}

Answer io(Asked& a) {
    const cell::Cell& cell = a.cell();
    json all = json::array();
    std::ostringstream words;
    for (const cell::IoLine& line : cell::io_list(cell)) {
        const cell::Signal& s = cell.signals[line.signal];
        const std::string way = controller_way(s);
        all.push_back({{"address", line.address}, {"given", line.given}, {"signal", cell.full_name(s)},
            {"direction", way}, {"type", word(s.type)}, {"unit", s.unit}, {"comment", line.comment}});
        char columns[256];
        std::snprintf(columns, sizeof columns, "%-10s %-32s %-7s %-13s %s", line.address.c_str(),
            cell.full_name(s).c_str(), way.c_str(), word(s.type), line.comment.c_str());
        words << columns << (line.given ? "" : line.comment.empty() ? "(not given yet)" : " (not given yet)") << "\n";
    }
    const bool as_table = a.options().flag("csv");
    return {{{"io", std::move(all)}}, as_table ? io_csv(cell) : words.str()};
}

}  // namespace

void add_signal_questions(std::vector<Question>& all) {
    all.push_back({"signals", "every signal: who sets it, who hears it, its value at an instant and its changes",
        {cell::field::number("at", "seconds", 0, 1e6).usually(0)}, signals});
    all.push_back({"io", "the I/O list: addresses under which a controller knows the signals",
        {cell::field::flag("csv", "as comma-separated values", false)}, io});
}

}  // namespace escarp::exchange
