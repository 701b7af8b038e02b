// Whether people are kept far enough from what moves.

#include <sstream>

#include <inspection/people.h>

#include "../question.h"
#include "../result_json.h"

namespace escarp::exchange {
namespace {

using inspection::GuardJudged;

Answer person(Asked& a) {
    const auto e = a.evaluation();
    const auto& cell = *e->cell;
    json guards = json::array();
    std::ostringstream words;
    bool lacks = false;
    for (const GuardJudged& j :
        inspection::judge_guards(cell, *e->run, a.cache(), a.how().stop, a.options().number("resolution_mm"))) {
        const cell::Device& d = cell.devices[j.device];
        const bool near = j.has < 1e8, judged = j.why_not.empty();
        json one = {{"device", d.id}, {"run", j.guard}, {"by", inspection::way_past(j.by)},
            {"arm", cell.devices[j.arm].id}, {"words", inspection::in_words(cell, j)}};
        one["needed_mm"] = judged ? json(tidy(1e3 * j.needed)) : json();
        one["has_mm"] = judged && near ? json(tidy(1e3 * j.has)) : json();
        one["enough"] = judged ? json(j.missing() <= 0) : json(false);
        if (j.stops_s > 0) one["arm_stops_s"] = tidy(j.stops_s);
        const bool enough = judged && j.missing() <= 0;
        lacks = lacks || !enough;
        words << (enough ? "  ok      " : "  lacking ") << d.name << ", " << inspection::way_past(j.by) << ": "
              << (judged && near ? formatted(1e3 * j.has, "%.0f") + " mm to " + cell.devices[j.arm].name + ", "
                                 : std::string())
              << inspection::in_words(cell, j) << "\n";
        guards.push_back(std::move(one));
    }
    for (const cell::Device& d : cell.devices)
        for (const inspection::Finding& f : inspection::beam_findings(d)) {
            lacks = true;
            const std::string said = f.text.substr(0, f.text.find(". "));
            words << "  lacking " << d.name << ", height: " << said << "\n";
            guards.push_back({{"device", d.id}, {"by", "height"}, {"enough", false}, {"words", said}});
        }
    if (guards.empty()) words << "Nothing in this cell keeps people away: no light curtain, no fence, or no arm.\n";
    words << inspection::no_assessment << "\n";
    return {{{"guards", guards}, {"note", inspection::no_assessment}}, words.str(), lacks};
}

}  // namespace

void add_people_question(std::vector<Question>& all) {
    all.push_back({"person",
        "whether light curtains, fences and their doors keep people far enough from the arms (ISO 13855, ISO 13857)",
        {cell::field::number("resolution_mm", "how far what an arm sweeps may exceed the truth", 2, 200).usually(20)},
        person});
}

}  // namespace escarp::exchange
