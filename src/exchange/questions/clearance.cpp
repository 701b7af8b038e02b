// How near things come: the nearest pairs, and the least distance over time.

#include <sstream>

#include <cell/edits/handling.h>
#include <cell/model/expression.h>
#include <inspection/clearance_time.h>

#include "../question.h"
#include "../result_json.h"

namespace escarp::exchange {
namespace {

using simulation::seconds;

json place(const geometry::Vector3& p) { return {tidy(1e3 * p.x()), tidy(1e3 * p.y()), tidy(1e3 * p.z())}; }

json least_json(const cell::Cell& cell, const inspection::LeastClearance& c) {
    return {{"distance_mm", tidy(1e3 * c.distance)}, {"at_s", tidy(c.when_s)},
        {"devices", {cell.devices[c.device_a].id, cell.devices[c.device_b].id}}, {"bodies", {c.body_a, c.body_b}},
        {"points_mm", {place(c.on_a), place(c.on_b)}}};
}

int device(Asked& a, const std::string& key) {
    const std::string id = a.options().text(key, "");
    if (id.empty()) return -1;
    const int index = a.cell().device(id);
    if (index < 0) throw cell::InputError("--" + key, "\"" + id + "\" is not the id of a device.");
    return index;
}

Answer clearance(Asked& a) {
    const auto e = a.evaluation();
    const auto& steady = e->run->steady;
    const double from = a.options().has("from_s") ? a.options().number("from_s") : steady ? seconds(steady->from) : 0;
    const double to = a.options().has("to_s") ? a.options().number("to_s")
                      : steady                ? seconds(steady->from + steady->period)
                                              : e->inspection->checked_s;
    if (to <= from)
        throw cell::InputError("--to-s", "It has to be later than --from-s, " + formatted(from, "%g") + " s.");
    if (from >= e->inspection->checked_s)
        throw cell::InputError("--from-s",
            "Clearance is looked at up to " + formatted(e->inspection->checked_s, "%.2f") + " s of this run.");
    const double farthest = a.options().number("within_mm");
    const int one = device(a, "device"), other = device(a, "other");
    const auto& cell = *e->cell;
    Answer answer{{{"from_s", tidy(from)}, {"to_s", tidy(to)}}, {}};
    std::ostringstream words;
    const auto pairs = inspection::nearest_pairs(cell, *e->run, a.cache(), from, to, farthest, a.how().stop);
    json ranking = json::array();
    for (const inspection::LeastClearance& c : pairs) {
        const auto is = [&](int asked) { return asked < 0 || c.device_a == asked || c.device_b == asked; };
        if (!is(one) || !is(other)) continue;
        ranking.push_back(least_json(cell, c));
        words << formatted(1e3 * c.distance, "%7.1f") << " mm  " << c.body_a << " / " << c.body_b << " at "
              << formatted(c.when_s, "%.3f") << " s\n";
    }
    if (ranking.empty())
        words << "Nothing comes nearer than " << formatted(1e3 * farthest, "%g") << " mm from "
              << formatted(from, "%.2f") << " to " << formatted(to, "%.2f") << " s.\n";
    answer.result["nearest"] = std::move(ranking);
    if (a.options().flag("over_time")) {
        const auto curve = inspection::clearance_over_time(cell, *e->run, a.cache(), from, to,
            a.options().whole("bins"), one, other, std::max(farthest, 1.0), a.how().stop);
        json bins = json::array();
        const double length = (to - from) / static_cast<double>(curve.bins.size());
        words << "\nfrom_s\tto_s\tleast_mm\tat_s\tbetween\n";
        for (std::size_t i = 0; i < curve.bins.size(); ++i) {
            const inspection::LeastClearance& c = curve.bins[i];
            const double t = from + static_cast<double>(i) * length;
            json bin = {{"from_s", tidy(t)}, {"to_s", tidy(t + length)}};
            bin["least"] = c.device_a < 0 ? json() : least_json(cell, c);
            bins.push_back(std::move(bin));
            words << formatted(t, "%.3f") << '\t' << formatted(t + length, "%.3f") << '\t'
                  << (c.device_a < 0 ? "" : formatted(1e3 * c.distance, "%.1f")) << '\t'
                  << (c.device_a < 0 ? "" : formatted(c.when_s, "%.3f")) << '\t'
                  << (c.device_a < 0 ? "" : c.body_a + " / " + c.body_b) << "\n";
        }
        answer.result["over_time"] = std::move(bins);
    }
    answer.words = words.str();
    return answer;
}

/// How pairs are judged that are not judged as the others; and the edit that adds one, or takes it back.
Answer exclude(Asked& a) {
    const auto said = [&](const char* key) { return a.options().text(key, ""); };
    const cell::Pair pair{said("device"), said("other"), said("body"), said("other_body")};
    Answer answer;
    if (pair.a.empty() && !(pair.b + pair.body_a + pair.body_b).empty())
        throw cell::InputError("--device", "A device is expected, or nothing but FILE for the list.");
    if (!pair.a.empty()) {
        answer.edit = a.options().flag("take_back") ? cell::take_back(a.layout(), pair)
                      : a.options().has("distance_mm")
                          ? cell::judge_with(a.layout(), pair, a.options().number("distance_mm"))
                          : cell::leave_out(a.layout(), pair, said("reason"), said("while"));
        answer.words = answer.edit->name + ".\n";
    }
    const cell::Layout with = answer.edit ? a.layout().edited(*answer.edit) : a.layout();
    json pairs = json::array();
    const auto& cell = with.cell();
    for (const cell::Exclusion& x : cell.exclusions) {
        const auto name = [&](int device, const std::string& body) {
            return device < 0     ? std::string("everything else")
                   : body.empty() ? cell.devices[device].name
                                  : cell.devices[device].name + " " + body;
        };
        const std::string name_a = name(x.a, x.body_a), name_b = name(x.b, x.body_b);
        const auto maybe = [](const std::string& text) { return text.empty() ? json() : json(text); };
        pairs.push_back({{"devices", {cell.devices[x.a].id, x.b < 0 ? json() : json(cell.devices[x.b].id)}},
            {"bodies", {maybe(x.body_a), maybe(x.body_b)}}, {"reason", x.reason},
            {"while", x.only_while ? json(x.only_while->text()) : json()},
            {"distance_mm", x.distance ? json(tidy(1e3 * *x.distance)) : json()}});
        answer.words += "    " + name_a + " and " + name_b + ": " +
                        (x.distance        ? "judged with " + formatted(1e3 * *x.distance, "%g") + " mm"
                            : x.only_while ? "not judged while " + x.only_while->text()
                                           : "not judged") +
                        (x.reason.empty() ? "" : "  (" + x.reason + ")") + "\n";
    }
    if (pairs.empty()) answer.words += "Every pair is judged with the safety distance of the cell or its devices.\n";
    answer.result = {{"pairs", pairs}};
    return answer;
}

}  // namespace

void add_clearance_question(std::vector<Question>& all) {
    using namespace cell::field;
    using Type = cell::Field::Type;
    all.push_back({"clearance", "which pairs come nearest, and the least distance over time",
        {flag("over_time", "the least distance within each of so many stretches, too", false),
            whole("bins", "stretches", 1, 100000).usually(200),
            of(Type::device, "device", "id of a device; all if not given").lacking(),
            of(Type::device, "other", "of another: that pair alone").lacking(),
            number("within_mm", "pairs that stay farther apart are left out", 1, 5000).usually(300),
            number("from_s", "where to begin; the steady cycle if not given", 0, 1e6).lacking(),
            number("to_s", "where to end", 0, 1e6).lacking()},
        clearance});
    all.push_back({"exclude", "pairs that are left out or judged otherwise; one more, or one taken back",
        {of(Type::device, "device", "id of a device; the list alone if not given").lacking(),
            of(Type::body, "body", "of it that body alone: a link, tool, part, or what its bodies are called")
                .lacking(),
            of(Type::device, "other", "id of the other; everything else if not given").lacking(),
            of(Type::body, "other_body", "of the other that body alone").lacking(), text("reason", "why").lacking(),
            text("while", "left out only while this condition holds").lacking(),
            number("distance_mm", "judged with this safety distance instead of being left out", 0, 1000).lacking(),
            flag("take_back", "judge the pair as the others again", false)},
        exclude, true});
}

}  // namespace escarp::exchange
