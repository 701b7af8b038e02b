// escarp-cli study: asks a question that takes many evaluations, keeps what is found, goes on where it was left.

#include <chrono>
#include <csignal>
#include <cstdio>
#include <filesystem>
#include <iostream>
#include <sstream>
#include <unistd.h>

#include <cell/text/disk.h>
#include <exchange/study_json.h>
#include <simulation/kinds.h>

#include "command.h"

namespace escarp::cli {
namespace {

motion::StopFlag interrupted{false};

/// Told on a terminal, about twice a second: how far it is and how long it will take.
class Telling {
public:
    void operator()(double share) {
        const auto now = std::chrono::steady_clock::now();
        if (!::isatty(2) || now - last_ < std::chrono::milliseconds(500)) return;
        last_ = now;
        const double gone = std::chrono::duration<double>(now - began_).count();
        std::fprintf(stderr, "\r\033[K%.0f %%", 100 * share);
        if (share > 0.01)
            std::fprintf(stderr, ", %.0f s to go (Ctrl+C stops it; it goes on from there)", gone / share - gone);
        std::fflush(stderr);
        shown_ = true;
    }
    ~Telling() {
        if (shown_) std::fprintf(stderr, "\r\033[K");
    }

private:
    std::chrono::steady_clock::time_point began_ = std::chrono::steady_clock::now(), last_ = began_;
    bool shown_ = false;
};

cell::Study read_question(const json& value) {
    std::vector<cell::Problem> problems;
    cell::KeyLedger ledger(true);
    json asked = value;
    if (asked.is_object() && !asked.contains("id")) asked["id"] = "asked";
    const cell::Reader reader(asked, "", problems, &ledger);
    const cell::Study study = cell::read_study(reader);
    for (const cell::Problem& p : ledger.unknown_keys()) problems.push_back(p);
    if (!problems.empty()) throw cell::InputError(std::move(problems));
    return study;
}

cell::Study question_of(const Arguments& a, const cell::Cell& cell) {
    if (!a.ask.empty()) {
        try {
            return read_question(cell::parse_json(cell::read_file(a.ask, 8u << 20)));
        } catch (const cell::InputError& e) {
            std::vector<cell::Problem> all = e.problems();
            for (cell::Problem& p : all)
                if (p.where != a.ask) p.where = a.ask + ": " + p.where;
            throw cell::InputError(std::move(all));
        }
    }
    std::string known;
    for (const cell::Study& s : cell.studies) {
        if (s.id == a.name || s.name == a.name) return s;
        known += (known.empty() ? "" : ", ") + s.id;
    }
    if (a.name.empty())
        throw cell::InputError("--ask", "A question is expected: --ask FILE, or --name of one that the cell has (" +
                                            (known.empty() ? "none" : known) + ").");
    throw cell::InputError(
        "--name", "\"" + a.name + "\" is not a study of this cell; it has " + (known.empty() ? "none" : known) + ".");
}

/// "2/8": the second of eight.
void read_shard(const std::string& words, study::AskOptions& options) {
    if (words.empty()) return;
    std::size_t of = 0, all = 0;
    char slash = 0;
    std::istringstream in(words);
    if (!(in >> of >> slash >> all) || slash != '/' || !in.eof() || of < 1 || of > all || all > 100000)
        throw cell::InputError("--shard", "\"" + words + "\" is no shard; K/N such as 2/8 is expected, K from 1 to N.");
    options.shard = of - 1, options.shards = all;
}

std::string results_file(const Arguments& a) { return a.out.empty() ? study::Results::beside(a.file) : a.out; }

int answer(Arguments& a, bool only_found) {
    if (a.file.empty()) throw cell::InputError("FILE", "A cell file is expected.");
    const cell::Document d = opened(a);
    const cell::Layout layout = simulation::layout(d, a.variant);
    const cell::Study study = question_of(a, layout.cell());
    study::AskOptions options;
    read_shard(a.shard, options);
    const std::string file = results_file(a);
    if (!a.csv.empty()) cell::check_target(a.csv, {"csv"}, {a.file, a.ask, file});
    if (only_found && !std::filesystem::exists(file)) throw cell::InputError(file, "There are no results yet.");
    study::Results results(file);
    if (a.resume && results.count(layout.content()) == 0)
        throw cell::InputError(file, "Nothing of this cell has been run yet, so that there is nothing to go on with.");
    options.results = &results;
    options.only_found = only_found;
    options.how.stop = &interrupted;
    std::signal(SIGINT, [](int) { interrupted = true; });
    inspection::Cache cache;
    study::Answered found;
    try {
        Telling telling;
        options.progress = [&](double share, const study::Tried&) { telling(share); };
        found = study::ask(layout, study, cache, options);
    } catch (const inspection::Cancelled&) {
        results.write();
        std::cerr << "Stopped; what was run is kept in " << file << ", and the same command goes on from there.\n";
        return 2;
    }
    if (!a.csv.empty()) cell::write_file(a.csv, exchange::answer_csv(found));
    if (options.shards > 1) {
        std::cerr << "shard " << a.shard << ": " << found.runs << " runs, " << found.kept_runs << " found, kept in "
                  << file << "\n";
        return 0;
    }
    if (a.as_json) {
        print(exchange::answer_json(found));
    } else {
        std::cout << study::in_words(found) << "\n";
        for (const int i : found.front) {
            std::cout << "  " << study::in_words(found, found.tried[i].point);
            for (const study::Measure* m : found.looked_at)
                std::cout << ", " << m->label << " " << study::with_unit(found.tried[i].figure(m->id), *m);
            std::cout << "\n";
        }
        for (const study::Influence& i : found.influences)
            std::cout << "  " << study::measure(i.figure, "").label << ": " << found.varied[i.number]
                      << (found.study.shares
                                 ? " alone " + std::to_string(i.alone) + ", in all " + std::to_string(i.in_all)
                                 : " strength " + std::to_string(i.strength) + ", effect " + std::to_string(i.effect) +
                                       ", unevenness " + std::to_string(i.unevenness))
                      << "\n";
        std::cerr << found.runs << " runs, " << found.kept_runs << " found in " << file << "\n";
    }
    return found.whole ? 0 : 1;
}

}  // namespace

int ask_study(Arguments& a) { return answer(a, false); }
int study_show(Arguments& a) { return answer(a, true); }

int study_merge(Arguments& a) {
    for (const std::string& from : a.files) {
        std::error_code none;
        if (std::filesystem::equivalent(from, a.out, none))
            throw cell::InputError(a.out, "It is among the files that are merged; choose another name.");
    }
    study::Results into(a.out);
    json all = json::array();
    for (const std::string& from : a.files) {
        const std::size_t made = into.merge(from);
        all.push_back({{"file", from}, {"new_runs", made}});
        if (!a.as_json) std::cout << from << ": " << made << " new runs\n";
    }
    if (a.as_json) print({{"merged", all}, {"runs", into.count()}});
    else std::cout << a.out << ": " << into.count() << " runs\n";
    return 0;
}

}  // namespace escarp::cli
