// escarp-cli live, record, link: a cell run against a controller, what is kept of it, and the table of addresses.

#include <unistd.h>
#include <cmath>
#include <csignal>
#include <cstdio>
#include <ctime>
#include <filesystem>

#include <cell/model/read_signals.h>
#include <cell/text/disk.h>
#include <cell/text/numbers.h>
#include <link/record_compare.h>
#include <simulation/kinds.h>
#include <study/measures.h>

#include "live.h"

namespace escarp::cli {
namespace {

std::atomic<bool> ended_by_hand{false};

/// "cycle_s < 8.6" of a figure; or a condition of signals, as it is when the run ends.
class Expectation {
public:
    Expectation(const std::string& words, const cell::Cell& cell) : words_(words) {
        const std::size_t sign = words.find_first_of("<>=");
        const std::string name = bare(words.substr(0, sign));
        for (const study::Measure& m : study::measures())
            if (sign != std::string::npos && m.id == name) measure_ = &m;
        if (!measure_) {
            condition_ = condition(words, cell, "--expect");
            return;
        }
        const std::size_t number = words.find_first_not_of("<>= ", sign);
        sign_ = bare(words.substr(sign, (number == std::string::npos ? words.size() : number) - sign));
        char* end = nullptr;
        const std::string rest = number == std::string::npos ? "" : bare(words.substr(number));
        bound_ = std::strtod(rest.c_str(), &end);
        if (rest.empty() || *end || (sign_ != "<" && sign_ != "<=" && sign_ != ">" && sign_ != ">=" && sign_ != "="))
            throw cell::InputError(
                "--expect", "Found \"" + words + "\"; a figure, <, <=, >, >= or =, and a number are expected.");
    }
    const std::string& words() const { return words_; }
    json answer(const study::Sample& sample, const std::vector<double>& signals) const {
        json out{{"expected", words_}};
        if (!measure_) {
            out["met"] = condition_->value([&](int s) { return signals[static_cast<std::size_t>(s)]; }) != 0;
            return out;
        }
        const auto found = measure_->of(sample);
        out["found"] = found ? json(*found) : json();
        out["met"] = found && (sign_ == "<"       ? *found < bound_
                                  : sign_ == "<=" ? *found <= bound_
                                  : sign_ == ">"  ? *found > bound_
                                  : sign_ == ">=" ? *found >= bound_
                                                  : *found == bound_);
        return out;
    }
    static std::shared_ptr<const cell::Expression> condition(
        const std::string& words, const cell::Cell& cell, const char* where) {
        const auto meaning = [&](const std::string& name) { return cell::named_signal(cell, -1, false, name); };
        try {
            return std::make_shared<const cell::Expression>(cell::Expression::condition(words, meaning));
        } catch (const cell::ExpressionError& error) {
            throw cell::InputError(where, error.message(words));
        }
    }

private:
    static std::string bare(std::string text) {
        while (!text.empty() && text.back() == ' ') text.pop_back();
        while (!text.empty() && text.front() == ' ') text.erase(0, 1);
        return text;
    }
    std::string words_, sign_;
    const study::Measure* measure_ = nullptr;
    double bound_ = 0;
    std::shared_ptr<const cell::Expression> condition_;
};

std::string date_and_time() {
    const std::time_t now = std::time(nullptr);
    char text[40];
    std::strftime(text, sizeof text, "%Y-%m-%d %H:%M:%S", std::localtime(&now));
    return text;
}

void tell_state(const link::LiveStatus& s, const std::vector<std::unique_ptr<link::Connection>>& links) {
    std::fprintf(stderr, "\r\033[K%.1f s", simulation::seconds(s.now));
    if (s.worst_late_s > 0) std::fprintf(stderr, ", %.1f ms late at the most", 1000 * s.worst_late_s);
    for (const auto& l : links) std::fprintf(stderr, "; %s", l->status().words.c_str());
    std::fprintf(stderr, "  (Ctrl+C ends it)");
    std::fflush(stderr);
}

json findings_json(const inspection::Inspection& inspection, std::string& words, bool& stops) {
    json all = json::array();
    for (const inspection::Finding& f : inspection.findings) {
        if (f.severity == inspection::Severity::note) continue;
        stops = stops || f.severity == inspection::Severity::stop;
        all.push_back({{"id", f.id}, {"severity", word(f.severity)}, {"title", f.title}, {"text", f.text},
            {"when_s", f.when_s ? json(*f.when_s) : json()}});
        words += std::string(word(f.severity)) + ": " + f.title + "\n";
    }
    return all;
}

}  // namespace

int live(Arguments& a) {
    const cell::Document d = opened(a);
    const cell::Layout layout = simulation::layout(d, a.variant);
    const auto c = layout.shared_cell();
    std::vector<const cell::Link*> links;
    for (const std::string& id : a.links) {
        links.push_back(&link_of(*c, id));
        check_reach(*links.back(), a);
    }
    if (a.lock_step && links.size() != 1)
        throw cell::InputError("--lock-step", "The clock goes with one controller; one --link is expected.");
    std::vector<Expectation> expected;
    for (const std::string& words : a.expect) expected.emplace_back(words, *c);
    link::LiveOptions how;
    how.rate = a.rate, how.lock_step = a.lock_step;
    if (a.seconds > 0) how.end = simulation::ticks(a.seconds);
    std::atomic<bool> came = false;
    if (!a.until.empty()) {
        const auto condition = Expectation::condition(a.until, *c, "--until");
        how.until = [condition, &came](const simulation::Kernel& k) {
            if (!k.holds(*condition)) return false;
            came = true;
            return true;
        };
    }
    std::unique_ptr<link::RecordWriter> record;
    if (!a.record.empty()) {
        cell::check_target(a.record, {"record"}, {a.file});
        record = std::make_unique<link::RecordWriter>(a.record,
            link::RecordAbout{
                c->name, a.variant, layout.content(), layout.tree(), date_and_time(), a.rate, a.lock_step},
            *c);
        record->attach(how);
    }
    std::signal(SIGINT, [](int) { ended_by_hand = true; });
    std::signal(SIGTERM, [](int) { ended_by_hand = true; });
    link::LiveRun run(c, how);
    json states = json::array();
    {
        std::vector<std::unique_ptr<link::Connection>> connections;
        try {
            for (const cell::Link* l : links) {
                connections.push_back(link::connect(*l, run, a.lock_step));
                if (!l->loopback())
                    std::cerr << "link " << l->id << " is open to other machines at " << l->host << ":" << l->port
                              << "\n";
            }
        } catch (const wire::WireError& problem) {
            throw cell::InputError("links/" + links[connections.size()]->id, problem.what());
        }
        int told = 0;
        while (!run.wait(0.1)) {
            if (ended_by_hand) run.stop("it was ended by hand");
            if (::isatty(2) && ++told % 5 == 0) tell_state(run.status(), connections);
        }
        if (::isatty(2)) std::fprintf(stderr, "\r\033[K");
        for (std::size_t i = 0; i < links.size(); ++i)
            states.push_back(status_json(*links[i], connections[i]->status()));
    }
    if (record) record->finish(run);
    const link::LiveStatus status = run.status();
    inspection::Cache cache;
    const study::Judged judged = study::judge_run(c, run.run(), cache);
    const study::Sample sample{judged, study::stretch_of(*judged.run), cache};
    bool fine = a.until.empty() || came, stops = false;
    std::string words;
    json met = json::array();
    for (const Expectation& e : expected) {
        met.push_back(e.answer(sample, run.values()));
        const bool holds = met.back()["met"];
        fine = fine && holds;
        words += std::string(holds ? "as expected: " : "NOT as expected: ") + e.words();
        if (met.back().contains("found"))
            words += met.back()["found"].is_null() ? " (it has no such figure)"
                                                   : " (found " + met.back()["found"].dump() + ")";
        words += "\n";
    }
    const json findings = findings_json(*judged.inspection, words, stops);
    json notes = json::array();
    for (const link::FollowerNote& n : run.notes()) {
        const std::string& arm = c->devices[static_cast<std::size_t>(n.device)].name;
        notes.push_back({{"device", c->devices[static_cast<std::size_t>(n.device)].id},
            {"when_s", simulation::seconds(n.when)}, {"words", n.words}});
        words += "watch: " + arm + ": " + n.words + ", at " + std::to_string(simulation::seconds(n.when)) + " s\n";
    }
    const auto& cycle = judged.figures.cycle_s;
    json result{{"followers", notes}, {"ran_s", simulation::seconds(status.now)}, {"ended", status.why_over},
        {"late_ms", 1000 * status.worst_late_s}, {"heard", status.heard}, {"steps", status.steps}, {"links", states},
        {"cycle_s", cycle ? json(*cycle) : json()}, {"parts", run.run()->trace.departures.size()},
        {"expectations", met}, {"findings", findings}};
    if (!a.until.empty()) result["until"] = {{"condition", a.until}, {"came", came.load()}};
    if (a.as_json) {
        print(result);
    } else {
        std::printf("%s, variant %s, live: %.3f s, %zu parts, %s\n", c->name.c_str(), a.variant.c_str(),
            simulation::seconds(status.now), run.run()->trace.departures.size(), status.why_over.c_str());
        if (cycle) std::printf("  cycle      %.3f s\n", *cycle);
        if (!a.lock_step) std::printf("  clock      %.1f ms late at the most\n", 1000 * status.worst_late_s);
        for (const json& s : states)
            std::printf("  link       %s: %s, %ld exchanges, %ld refused, %ld times lost\n",
                s["link"].get<std::string>().c_str(), s["state"].get<std::string>().c_str(), s["exchanges"].get<long>(),
                s["refused"].get<long>(), s["lost"].get<long>());
        if (!a.until.empty() && !came) std::printf("%s did not come\n", a.until.c_str());
        std::fputs(words.c_str(), stdout);
        std::fflush(stdout);
    }
    return fine && !stops ? 0 : 1;
}

int record_show(Arguments& a) {
    const link::Record r = link::read_record(a.file);
    const json result{{"cell", r.about.cell_name}, {"variant", r.about.variant}, {"content", r.about.content},
        {"began", r.about.began}, {"clock", r.about.lock_step ? "lock-step" : "wall"}, {"rate", r.about.rate},
        {"ran_s", simulation::seconds(r.about.end)}, {"finished", r.about.finished}, {"signals", r.signals.size()},
        {"changes", r.changes.size()}, {"heard", r.heard.size()}};
    if (a.as_json) {
        print(result);
        return 0;
    }
    std::cout << r.about.cell_name << ", variant " << r.about.variant << ", live run of " << r.about.began << ": "
              << simulation::seconds(r.about.end) << " s"
              << (r.about.finished ? "" : " (the program ended before the run did)") << "\n"
              << "  clock      " << (r.about.lock_step ? "in lock-step with a controller" : "wall clock") << "\n"
              << "  signals    " << r.signals.size() << ", " << r.changes.size() << " changes\n"
              << "  heard      " << r.heard.size() << " times from outside\n";
    return 0;
}

int record_again(Arguments& a) {
    const link::Record r = link::read_record(a.file);
    const auto c = link::cell_of(r);
    const auto run = link::run_again(r, *c);
    const auto differs = link::first_difference(r, *run);
    if (a.as_json)
        print({{"same", !differs}, {"first_difference", differs ? json(*differs) : json()},
            {"changes", r.changes.size()}});
    else
        std::cout << (differs ? "not the same: first " + *differs
                              : "the same, bit by bit: " + std::to_string(r.changes.size()) + " changes of signals")
                  << "\n";
    return differs ? 1 : 0;
}

int record_csv(Arguments& a) {
    const link::Record r = link::read_record(a.file);
    std::string text;
    if (a.name.empty()) {
        text = link::record_csv(r);
    } else {
        const auto c = link::cell_of(r);
        const int arm = c->device(a.name);
        if (arm < 0 || !c->devices[static_cast<std::size_t>(arm)].arm)
            throw cell::InputError("--arm", "\"" + a.name + "\" is not the id of an arm of that cell.");
        text = exchange::measured_csv(link::heard_of(r, arm), c->devices[static_cast<std::size_t>(arm)]);
    }
    if (a.out.empty()) {
        std::cout << text;
        return 0;
    }
    cell::check_target(a.out, {"csv"}, {a.file});
    cell::write_file(a.out, text);
    return 0;
}

int record_compare(Arguments& a) {
    const link::Record r = link::read_record(a.file);
    auto c = link::cell_of(r);
    if (!a.mesh.empty()) {  // a cell file, to be sure that it is that one
        Arguments of = a;
        of.file = a.mesh;
        of.variant = a.variant.empty() ? r.about.variant : a.variant;
        const cell::Document d = opened(of);
        const cell::Layout layout = simulation::layout(d, of.variant);
        if (layout.content() != r.about.content)
            throw cell::InputError(a.mesh,
                "It is not the cell that was run live (\"" + r.about.cell_name + "\", variant " + r.about.variant +
                    "), or it was changed since; without a cell the record is compared with the one that it holds.");
    }
    inspection::Cache cache;
    const link::RecordComparison found = link::compare_with_computed(r, c, link::run_again(r, *c), cache);
    if (a.as_json) {
        print(link::as_json(found));
        return 0;
    }
    const auto shown = [](const std::optional<double>& v) { return v ? cell::fixed(*v, 3) + " s" : std::string("-"); };
    std::cout << "in its " << cell::fixed(simulation::seconds(r.about.end), 1) << " s: cycle live "
              << shown(found.cycle_live_s) << ", computed " << shown(found.cycle_computed_s) << "; parts live "
              << found.parts_live << ", computed " << found.parts_computed << "\n";
    if (found.signals.empty()) std::cout << "every signal is the same, bit by bit\n";
    else std::cout << found.signals.size() << " signals differ, earliest first:\n";
    for (const link::SignalDifference& d : found.signals) std::cout << "  " << link::in_words(d) << "\n";
    return 0;
}

}  // namespace escarp::cli
