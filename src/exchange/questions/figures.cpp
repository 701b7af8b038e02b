// Figures of one variant and of all, every block of the run, the state at an instant.

#include <inspection/why.h>
#include <sstream>

#include <exchange/question.h>
#include <study/calibrate.h>
#include <exchange/result_json.h>

namespace escarp::exchange {
namespace {

using namespace cell::field;

std::string figures_in_words(const json& r) {
    std::ostringstream out;
    out << r["cell"].get<std::string>() << ", variant " << r["variant"].get<std::string>() << "\n";
    out << "  cycle      " << formatted(r["cycle_s"], "%.3f s")
        << (r["steady"].get<bool>()     ? "  (steady)"
               : r["cycle_s"].is_null() ? ""
                                        : "  (mean, the state does not recur)")
        << "\n";
    out << "  rate       " << formatted(r["rate_per_h"], r["cycle_of"] == "round" ? "%.1f rounds/h" : "%.1f parts/h")
        << "\n";
    out << "  takt       " << formatted(r["takt"]["demanded_s"], "%.2f s")
        << (r["takt"]["met"].is_null()        ? ""
               : r["takt"]["met"].get<bool>() ? "  met"
                                              : "  missed")
        << "\n";
    out << "  reach      " << r["reach"]["reached"] << " of " << r["reach"]["poses"] << " poses, least margin "
        << formatted(r["reach"]["least_margin_mm"], "%.0f mm") << "\n";
    out << "  clearance  " << formatted(r["clearance"]["distance_mm"], "%.1f mm");
    if (r["clearance"].contains("between"))
        out << "  " << r["clearance"]["between"][0].get<std::string>() << " / "
            << r["clearance"]["between"][1].get<std::string>() << " at " << formatted(r["clearance"]["at_s"], "%.3f s");
    out << "\n  waiting    "
        << (r["waiting"].is_number() ? formatted(r["waiting"].get<double>() * 100, "%.0f %%") : "-") << "  "
        << r["waits_most"].get<std::string>() << "\n";
    out << "  floor      " << formatted(r["floor_m2"], "%.2f m2") << "\n";
    for (const json& f : r["findings"]) {
        out << "  " << f["severity"].get<std::string>() << ": " << f["title"].get<std::string>() << "\n      "
            << f["text"].get<std::string>() << "\n";
        for (const json& w : f["ways_out"])
            out << "      way out: " << w["label"].get<std::string>()
                << (w["effect"].get<std::string>().empty() ? "" : " - " + w["effect"].get<std::string>()) << "\n";
    }
    return out.str();
}

bool stops(const json& result) {
    for (const json& f : result["findings"])
        if (f["severity"] == "stop") return true;
    return false;
}

Answer run(Asked& a) {
    auto e = a.evaluation();
    if (a.options().flag("complete")) e = study::with_zones(*e, a.cache(), a.how().stop, true);
    const json result = run_json(*e);
    Answer answer{result, figures_in_words(result), stops(result)};
    if (const std::string words = study::calibrated_words(*e->cell); !words.empty())
        answer.result["calibrated"] = words, answer.words += "  " + words + "\n";
    return answer;
}

Answer compare(Asked& a) {
    if (a.options().whole("replications") > 1 || a.options().has("runs")) return compare_with_spread(a);
    Answer answer{compare_json(a.layout().document(), a.cache(), a.how(), a.options().flag("complete")), {}};
    for (const json& v : answer.result["variants"]) {
        answer.words += figures_in_words(v);
        answer.stops = answer.stops || stops(v);
    }
    return answer;
}

Answer trace(Asked& a) {
    const double from = a.options().number("from"), to = a.options().number("to", 1e6);
    const json result = trace_json(*a.evaluation(), from, to);
    const auto one_line = [](std::string text) {  // a tab or a new line in a name would shift the columns
        for (char& c : text)
            if (static_cast<unsigned char>(c) < 0x20) c = ' ';
        return text;
    };
    std::ostringstream out;
    out << "device\tkind\tstep\tfrom_s\tto_s\twhat\n";
    for (const json& b : result["blocks"])
        out << b["device"].get<std::string>() << '\t' << b["kind"].get<std::string>() << '\t'
            << (b["step"].is_string() ? b["step"].get<std::string>() : "") << '\t' << formatted(b["from_s"], "%.6f")
            << '\t' << formatted(b["to_s"], "%.6f", "") << '\t' << one_line(b["what"].get<std::string>()) << "\n";
    Answer answer{result, out.str()};
    if (result.contains("blocks_left_out"))
        answer.notes.push_back("the first " + std::to_string(result["blocks"].size()) + " blocks; " +
                               std::to_string(result["blocks_left_out"].get<std::size_t>()) +
                               " more are left out: --from and --to choose a stretch");
    return answer;
}

Answer state(Asked& a) {
    const double at = a.options().number("at");
    const auto e = a.evaluation(at);
    Answer answer{state_json(*e, at), {}};
    if (const double end = simulation::seconds(e->run->trace.end); end < at)
        answer.notes.push_back("the run ends at " + formatted(end, "%g") + " s; the state shown is the last one");
    return answer;
}

Answer why(Asked& a) {
    const double at = a.options().number("at");
    const auto e = a.evaluation(at);
    const std::string id = a.options().text("device");
    const int device = e->cell->device(id);
    if (device < 0) throw cell::InputError("--device", "\"" + id + "\" is not the id of a device.");
    const simulation::Ticks t = std::min(simulation::ticks(at), e->run->trace.end);
    const inspection::Why found = inspection::why(*e->cell, *e->run, device, t);
    json chain = json::array();
    for (const inspection::WhyLink& link : found.chain)
        chain.push_back({{"device", e->cell->devices[link.device].id}, {"waits", link.waits}, {"words", link.words}});
    Answer answer{{{"at_s", simulation::seconds(t)}, {"chain", std::move(chain)}, {"ring", found.ring}},
        inspection::in_words(*e->cell, found) + "\n"};
    if (found.ring) answer.result["back_to"] = found.back_to;
    if (found.chain.empty()) answer.words = e->cell->devices[device].name + " does nothing that it could wait with.\n";
    return answer;
}

cell::Field strict() { return flag("strict", "exit 1 when there is a stop finding", false); }
cell::Field complete() {
    return flag("complete",
        "with what shared zones, people and every order of events come to, and the price of ways out", false);
}

}  // namespace

void add_figure_questions(std::vector<Question>& all) {
    all.push_back({"run", "all figures of one variant", {horizon_option(), strict(), complete()}, run});
    cell::Fields compared{horizon_option(), strict(), complete()};
    for (cell::Field& f : spread_options()) compared.push_back(std::move(f));
    all.push_back({"compare", "all variants on one scale; with repetitions, which is better and by how much",
        std::move(compared), compare});
    all.push_back({"trace", "every block of the run",
        {horizon_option(), number("from", "from this second on", 0, 1e6).usually(0),
            number("to", "up to this second", 0, 1e6).lacking()},
        trace});
    all.push_back({"why", "why a device waits at an instant: the chain back to what really holds things up",
        {cell::field::of(cell::Field::Type::device, "device", "id of a device"),
            cell::field::number("at", "seconds", 0, 1e6), horizon_option()},
        why});
    all.push_back({"state", "joint values, tool poses, parts and signals at an instant",
        {cell::field::number("at", "seconds", 0, 1e6), horizon_option()}, state});
}

}  // namespace escarp::exchange
