// Figures with their spread: a cell run again and again, and its variants compared on the same luck.

#include <algorithm>
#include <sstream>

#include <exchange/question.h>
#include <exchange/result_json.h>
#include <exchange/study_json.h>
#include <simulation/kinds.h>
#include <study/gains.h>

namespace escarp::exchange {
namespace {

using namespace cell::field;

std::vector<std::string> words_of(const std::string& list) {
    std::vector<std::string> out;
    std::stringstream in(list);
    for (std::string one; std::getline(in, one, ',');) {
        one.erase(0, one.find_first_not_of(' '));
        one.erase(one.find_last_not_of(' ') + 1);
        if (!one.empty()) out.push_back(one);
    }
    return out;
}

std::vector<const study::Measure*> wanted_of(const cell::Values& options) {
    return study::measures_of(words_of(options.text("figures")), "--figures");
}

study::ReplicateOptions how_often(const cell::Values& options) {
    study::ReplicateOptions how;
    how.repetitions = static_cast<std::size_t>(options.whole("replications"));
    if (options.has("until")) how.until = options.number("until") / 100;
    return how;
}

std::string estimates_in_words(const study::Replicated& r, const std::vector<const study::Measure*>& wanted) {
    std::ostringstream out;
    for (const study::Measure* m : wanted) {
        const study::Estimate e = r.of(m->id);
        out << "  " << m->label << std::string(m->label.size() < 24 ? 24 - m->label.size() : 1, ' ');
        if (e.count == 0) {
            out << "-\n";
            continue;
        }
        out << study::with_unit(e.mean, *m);
        if (const auto half = e.half_width(); half && *half > 0)
            out << "  (" << study::with_unit(e.mean - *half, *m) << " to " << study::with_unit(e.mean + *half, *m)
                << ", " << e.count << " repetitions)";
        out << "\n";
    }
    if (r.certain) out << "  nothing in this cell is left to chance: every repetition is the same\n";
    return out.str();
}

Answer replicate(Asked& a) {
    const auto wanted = wanted_of(a.options());
    const study::Replicated r =
        study::replicate(a.layout().shared_cell(), wanted, a.cache(), a.how(), how_often(a.options()));
    Answer answer{{{"variant", a.layout().variant()}, {"figures", replicated_json(r)}, {"repetitions", r.runs.size()},
                      {"certain", r.certain}, {"width_reached", r.reached}},
        estimates_in_words(r, wanted)};
    if (!r.reached) {
        answer.words += "  the width asked for was not reached; more repetitions are needed\n";
        answer.stops = true;
    }
    return answer;
}

}  // namespace

Answer compare_with_spread(Asked& a) {
    const auto wanted = wanted_of(a.options());
    if (wanted.empty()) throw cell::InputError("--figures", "At least one figure is expected.");
    std::vector<study::Replicated> found;
    std::vector<std::string> ids, names;
    Answer answer;
    answer.result["variants"] = json::array();
    if (a.options().has("runs")) {
        std::vector<std::shared_ptr<const cell::Cell>> cells;
        for (const cell::VariantInfo& v : a.layout().document().variants())
            cells.push_back(simulation::layout(a.layout().document(), v.id).shared_cell());
        const auto runs = static_cast<std::size_t>(a.options().whole("runs"));
        for (study::Replicated& r : study::share_runs(cells, wanted, runs, a.cache(), a.how()))
            found.push_back(std::move(r));
    }
    const std::size_t shared = found.size();
    for (const cell::VariantInfo& v : a.layout().document().variants()) {
        const cell::Layout layout = simulation::layout(a.layout().document(), v.id);
        if (shared == 0)
            found.push_back(study::replicate(layout.shared_cell(), wanted, a.cache(), a.how(), how_often(a.options())));
        ids.push_back(v.id), names.push_back(v.name);
        answer.result["variants"].push_back(
            {{"variant", v.id}, {"name", v.name}, {"figures", replicated_json(found[ids.size() - 1])},
                {"repetitions", found[ids.size() - 1].runs.size()}, {"certain", found[ids.size() - 1].certain}});
        answer.words += v.name + " (" + v.id + ")\n" + estimates_in_words(found[ids.size() - 1], wanted);
    }
    std::vector<const study::Replicated*> all;
    for (const study::Replicated& r : found) all.push_back(&r);
    const study::Measure& by = *wanted.front();
    const study::Ranking ranking = study::rank(all, by);
    const std::string words = study::in_words(ranking, by, names);
    answer.result["by"] = by.id;
    answer.result["ranking"] = ranking_json(ranking, by, ids);
    answer.result["words"] = words;
    answer.words += words + "\n";
    return answer;
}

namespace {

cell::Field figures(const char* usual) {
    return text("figures", "ids of figures, with commas between; the first one decides").usually(usual);
}
cell::Field repetitions(int usual) { return whole("replications", "repetitions at most", 1, 100000).usually(usual); }
cell::Field until() {
    return number("until", "until half the interval of the first figure is so many % of its mean", 0.001, 100)
        .lacking();
}

}  // namespace

namespace {

Answer gains(Asked& a) {
    const study::Gains g = study::gains(a.layout(), a.cache(), a.how());
    std::ostringstream out;
    out << "cycle " << formatted(g.cycle_s, "%.3f s") << "; it falls by\n   0.1 s less   10 % quicker\n";
    std::size_t shown = 0;
    for (const study::Gain& one : g.all) {
        if (!one.told()) continue;
        ++shown;
        const auto with_interval = [](double value, double out) {
            return formatted(value, "%.3f") + (out > 0 ? formatted(out, " +- %.3f") : "");
        };
        char line[100];
        std::snprintf(line, sizeof line, "  %11s   %12s   ",
            one.shorter_s ? with_interval(*one.shorter_s, one.shorter_out_s).c_str() : "-",
            with_interval(one.quicker_s, one.quicker_out_s).c_str());
        out << line << one.words << (one.takes_s > 0 ? " (" + formatted(one.takes_s, "%.2f s") + ")" : "") << "\n";
    }
    if (shown < g.all.size())
        out << "  nothing that can be told from chance by " << g.all.size() - shown << " others\n";
    out << study::in_words(g) << "\n";
    return {gains_json(g), out.str()};
}

}  // namespace

cell::Fields spread_options() {
    return {figures("cycle_s"), repetitions(1), until(),
        whole("runs", "instead: so many runs in all, most of them where the best may still be found", 2, 10000000)
            .lacking()};
}

void add_study_questions(std::vector<Question>& all) {
    all.push_back({"replicate", "figures with their spread: run again and again with other random draws",
        {figures("cycle_s,cycle_10_s,cycle_50_s,cycle_90_s,waiting_pct,inside_s,inside_90_s"), repetitions(1000),
            until(), horizon_option(), flag("strict", "exit 1 where the width is not reached", false)},
        replicate});
    all.push_back({"gains", "which second is worth it: what the cycle falls by when something is quicker",
        {horizon_option()}, gains});
}

}  // namespace escarp::exchange
