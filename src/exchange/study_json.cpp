#include "study_json.h"

#include "csv.h"
#include "result_json.h"

namespace escarp::exchange {
namespace {

json estimate_json(const study::Estimate& e) {
    json out = {{"mean", tidy(e.mean)}, {"count", e.count}};
    if (const auto half = e.half_width()) {
        out["low"] = tidy(e.mean - *half), out["high"] = tidy(e.mean + *half);
        out["deviation"] = tidy(e.deviation);
    }
    return out;
}

json tried_json(const study::Answered& a, const study::Tried& t) {
    json out = {{"figures", replicated_json(t.found)}};
    for (std::size_t i = 0; i < t.point.size(); ++i) out["set"][a.study.vary[i].at] = t.point[i];
    if (!t.point.empty()) out["keeps"] = t.keeps;
    if (!t.lacks.empty()) out["lacks"] = t.lacks;
    return out;
}

}  // namespace

json replicated_json(const study::Replicated& found) {
    json out = json::object();
    for (const study::Measure& m : study::measures())
        if (const study::Estimate e = found.of(m.id); e.count > 0) out[m.id] = estimate_json(e);
    return out;
}

json ranking_json(const study::Ranking& ranking, const study::Measure& by, const std::vector<std::string>& ids) {
    json places = json::array();
    for (std::size_t i = 0; i < ranking.places.size(); ++i) {
        const study::Ranking::Place& p = ranking.places[i];
        json one = {{"variant", ids[p.which]}, {by.id, estimate_json(p.estimate)}};
        if (i > 0) {
            one["behind"] = estimate_json(p.behind);
            one["told_apart"] = p.told_apart;
            if (p.needed) one["repetitions_needed"] = *p.needed;
        }
        places.push_back(std::move(one));
    }
    return places;
}

json gains_json(const study::Gains& g) {
    json out = {{"cycle_s", tidy(g.cycle_s)}, {"gains", json::array()}};
    for (const study::Gain& one : g.all)
        out["gains"].push_back({{"words", one.words}, {"at", one.at}, {"takes_s", tidy(one.takes_s)},
            {"quicker_s", tidy(one.quicker_s)}, {"quicker_out_s", tidy(one.quicker_out_s)},
            {"shorter_s", one.shorter_s ? json(tidy(*one.shorter_s)) : json()},
            {"shorter_out_s", tidy(one.shorter_out_s)}, {"told", one.told()}});
    if (g.next)
        out["next"] = {{"of", g.next->of}, {"words", g.next->words}, {"after_s", tidy(g.next->after_s)},
            {"cycle_s", tidy(g.next->cycle_s)}};
    return out;
}

json answer_json(const study::Answered& a) {
    json out = {{"study", a.study.id}, {"cell", a.cell}, {"runs", a.runs}, {"kept_runs", a.kept_runs},
        {"whole", a.whole}, {"words", study::in_words(a)}, {"now", tried_json(a, a.now)}};
    for (std::size_t i = 0; i < a.study.vary.size(); ++i)
        out["varied"].push_back({{"at", a.study.vary[i].at}, {"words", a.varied[i]}});
    for (const study::Measure* m : a.looked_at) out["looked_at"].push_back(m->id);
    out["points"] = json::array();
    for (const study::Tried& t : a.tried) out["points"].push_back(tried_json(a, t));
    if (a.gains) out["gains"] = gains_json(*a.gains);
    if (a.best >= 0) out["best"] = a.best;
    if (!a.front.empty()) out["front"] = a.front;
    for (const study::Influence& i : a.influences) {
        json one = {{"figure", i.figure}, {"at", a.study.vary[i.number].at}};
        if (a.study.shares) one["alone"] = tidy(i.alone), one["in_all"] = tidy(i.in_all);
        else one["effect"] = tidy(i.effect), one["strength"] = tidy(i.strength), one["unevenness"] = tidy(i.unevenness);
        out["influences"].push_back(std::move(one));
    }
    return out;
}

std::string answer_csv(const study::Answered& a) {
    std::vector<std::string> head{"point"};
    for (const std::string& words : a.varied) head.push_back(words);
    for (const study::Measure* m : a.looked_at) {
        const std::string unit = m->unit.empty() ? "" : " (" + m->unit + ")";
        head.push_back(m->label + unit);
        head.push_back(m->label + " low" + unit);
        head.push_back(m->label + " high" + unit);
    }
    head.push_back("repetitions");
    head.push_back("lacks");
    std::string out = csv_line(head);
    const auto line = [&](const std::string& name, const study::Tried& t) {
        std::vector<std::string> cells{name};
        for (std::size_t i = 0; i < a.varied.size(); ++i)
            cells.push_back(i >= t.point.size()      ? ""
                            : t.point[i].is_string() ? t.point[i].get<std::string>()
                                                     : t.point[i].dump());
        for (const study::Measure* m : a.looked_at) {
            const study::Estimate e = t.found.of(m->id);
            const auto number = [](double v) { return json(tidy(v)).dump(); };
            cells.push_back(e.count ? number(e.mean) : "");
            cells.push_back(e.count > 1 ? number(e.low()) : "");
            cells.push_back(e.count > 1 ? number(e.high()) : "");
        }
        cells.push_back(std::to_string(t.found.runs.size()));
        cells.push_back(t.lacks);
        out += csv_line(cells);
    };
    line("now", a.now);
    for (std::size_t i = 0; i < a.tried.size(); ++i) line(std::to_string(i + 1), a.tried[i]);
    return out;
}

}  // namespace escarp::exchange
