// escarp-fuzz KIND SECONDS SEED FILE...: mangles files and reads them, for a sanitizer build (./run fuzz). KIND: cell
// (the document and every variant, then a short run), tree (the same, but what is JSON stays JSON: values are changed,
// moved, taken away), edits (random operations on a cell: what is taken has to be a cell file), journal (mangled, and
// with right checksums over wrong records: what comes back has to be a cell file), surface (text of a kept surface),
// urdf (a robot description), expression (one a line: what can be worked out is, and its names are replaced), study
// (studies of a cell are changed and planned), results (a file of kept runs: read whole, taken over, written to),
// record (of a live run: read, and its first seconds run again), program (structured text: gone through a few times),
// or mesh (the loader, a process of its own, which has to end by itself with an answer). SECONDS may be a number of
// files instead: 500x. Says how many were read and refused; stops at the first that does worse.

#include <sys/wait.h>
#include <unistd.h>
#include <chrono>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <random>
#include <sstream>

#include <cell/document/safe_file.h>
#include <cell/model/expression.h>
#include <cell/text/content_key.h>
#include <cell/text/json.h>
#include <controller/machine.h>
#include <exchange/mesh_import.h>
#include <exchange/urdf.h>
#include <link/record.h>
#include <simulation/kinds.h>
#include <simulation/run.h>
#include <study/ask.h>
#include <study/results.h>

using namespace escarp;

namespace {

std::mt19937_64 engine;
std::size_t below(std::size_t n) { return n ? engine() % n : 0; }

std::string mangled(const std::string& good) {
    static const char* words[] = {"-1", "0", "1e308", "1e-320", "99999999999999999999", "null", "true", "[]", "{}",
        "\"\"", "nan", "#", ",,", "\x00\x00\x00\x80", "\xff\xff\xff\xff", "65536", "4294967295"};
    std::string s = good;
    for (std::size_t n = 1 + below(8); n > 0 && !s.empty(); --n) {
        const std::size_t at = below(s.size());
        switch (below(7)) {
            case 0: s[at] = static_cast<char>(engine()); break;
            case 1: s[at] = static_cast<char>(s[at] ^ (1 << below(8))); break;
            case 2: s.erase(at, 1 + below(40)); break;
            case 3: s.insert(at, s.substr(below(s.size()), 1 + below(60))); break;
            case 4: s.insert(at, words[below(std::size(words))]); break;
            case 5: {  // a number is replaced
                const std::size_t digit = s.find_first_of("0123456789", at);
                if (digit == std::string::npos) break;
                std::size_t end = digit;
                while (end < s.size() && (std::isdigit(static_cast<unsigned char>(s[end])) || s[end] == '.')) ++end;
                s.replace(digit, end - digit, words[below(5)]);
                break;
            }
            default:
                if (below(4) == 0) s.resize(at);
        }
    }
    return s;
}

/// A few bytes are others; none is taken away or put in.
std::string overwritten(const std::string& good) {
    std::string s = good;
    for (std::size_t n = 1 + below(4); n > 0 && !s.empty(); --n) s[below(s.size())] = static_cast<char>(engine());
    return s;
}

using cell::json;

/// A random place of a tree: its value, and the path to it as edits name it.
json* some_place(json& tree, std::string& path) {
    json* at = &tree;
    while (at->is_structured() && !at->empty() && below(6) != 0) {
        auto child = at->begin();
        std::advance(child, static_cast<std::ptrdiff_t>(below(at->size())));
        const bool named = child->is_object() && child->contains("id") && (*child)["id"].is_string();
        path += "/" + (at->is_object() ? child.key()
                          : named      ? (*child)["id"].get<std::string>()
                                       : std::to_string(child - at->begin()));
        at = &*child;
    }
    return at;
}

json some_value(json& tree) {
    std::string path;
    switch (below(12)) {
        case 0: return nullptr;
        case 1: return below(2) == 0;
        case 2: return static_cast<double>(static_cast<int>(below(2001)) - 1000);
        case 3: return -1e308;
        case 4: return static_cast<std::int64_t>(engine());
        case 5: return "";
        case 6: return "<b>&\u0001\u202e";
        case 7: return json::array();
        case 8: return json::object();
        case 9: return std::string(1 + below(300), 'x');
        default: return *some_place(tree, path);
    }
}

std::string changed(const json& good) {
    json tree = good;
    for (std::size_t n = 1 + below(3); n > 0; --n) {
        std::string path;
        json value = some_value(tree);
        json* at = some_place(tree, path);
        if (at->is_object() && !at->empty() && below(3) == 0) {
            auto key = at->begin();
            std::advance(key, static_cast<std::ptrdiff_t>(below(at->size())));
            at->erase(key.key());
        } else {
            *at = std::move(value);
        }
    }
    return tree.dump();
}

/// The records of a journal: every second line.
json records_of(const std::string& journal) {
    json records = json::array();
    std::istringstream lines(journal);
    for (std::string head, body; std::getline(lines, head) && std::getline(lines, body);)
        records.push_back(cell::parse_json(body));
    return records;
}

/// A journal whose checksums are right and whose records are not: changed, left out, taken twice, in another order.
std::string changed_journal(const json& good) {
    json records = good;
    for (std::size_t n = 1 + below(3); n > 0; --n) {
        const std::size_t a = below(records.size()), b = below(records.size());
        switch (below(5)) {
            case 0: std::swap(records[a], records[b]); break;
            case 1: records.insert(records.begin() + static_cast<std::ptrdiff_t>(a), json(records[b])); break;
            case 2:
                if (records.size() > 1) records.erase(a);
                break;
            default: records[a] = json::parse(changed(records[a]));
        }
    }
    std::string text;
    for (const json& record : records) {
        const std::string body = record.dump(-1, ' ', false, json::error_handler_t::replace);
        char head[64];
        std::snprintf(head, sizeof head, "%zu %016llx\n", body.size(),
            static_cast<unsigned long long>(cell::ContentKey().add(body).value()));
        text += head + body + "\n";
    }
    return text;
}

/// Operations of every sort on whatever place; what is taken is opened again as a file would be.
bool edit_at_random(const cell::Document& d, json& tree) {
    cell::Edit edit{"random", {}};
    for (std::size_t n = 1 + below(3); n > 0; --n) {
        std::string path;
        some_place(tree, path);
        switch (below(5)) {
            case 0: edit.operations.push_back(cell::Operation::remove(path)); break;
            case 1: edit.operations.push_back(cell::Operation::add(path, some_value(tree))); break;
            case 2: edit.operations.push_back(cell::Operation::order(path, some_value(tree))); break;
            default: edit.operations.push_back(cell::Operation::set(path, some_value(tree)));
        }
    }
    const auto variants = d.variants();
    const cell::Document next = d.edited(variants[below(variants.size())].id, edit);
    if (!(cell::Document::parse(next.text()) == next)) std::abort();
    return true;
}

bool read_cell_file(const std::string& text) {
    const cell::Document d = cell::Document::parse(text);
    for (const cell::VariantInfo& v : d.variants()) {
        const auto c = simulation::layout(d, v.id).shared_cell();
        if (c->devices.size() > 60) continue;
        simulation::PlanCache plans;
        simulation::RunOptions o;
        o.horizon_s = 3;
        simulation::run(*c, plans, o);
    }
    return true;
}

bool read_journal_file(const std::string& file) {
    const std::optional<cell::Recovered> found = cell::SafeFile::read_journal(file);
    if (found && !(cell::Document::parse(found->document.text()) == found->document)) std::abort();
    return found.has_value();
}

/// Lines of words that expressions have, in any order.
std::string changed_expressions(const std::string& good) {
    static const char* words[] = {" and ", " or ", " not ", "(", ")", " < ", " >= ", " == ", " - ", " + ", "-", " on ",
        " off ", "a.b", "1e308", ".", "0.5", " "};
    std::string s = good;
    for (std::size_t n = 1 + below(6); n > 0; --n) {
        const std::size_t at = below(s.size() + 1);
        if (below(3) == 0) s.erase(at, 1 + below(12));
        else if (below(40) == 0)  // long and deep ones
            for (std::size_t i = below(3000); i > 0; --i) s.insert(std::min(at, s.size()), words[n % std::size(words)]);
        else s.insert(at, words[below(std::size(words))]);
    }
    return s;
}

bool read_expressions(const std::string& text) {
    const auto lookup = [](const std::string& name) {
        cell::NamedSignal found;
        if (name.find('.') == std::string::npos) return found.why_not = "Unknown.", found;
        found.index = name.ends_with("count") ? 2 : static_cast<int>(name.size() % 2);
        found.type = found.index == 2 ? cell::Signal::Type::number : cell::Signal::Type::on_off;
        return found;
    };
    bool good = false;
    std::istringstream lines(text);
    for (std::string line; std::getline(lines, line);)
        for (const bool condition : {true, false}) try {
                const cell::Expression e =
                    condition ? cell::Expression::condition(line, lookup) : cell::Expression::number(line, lookup);
                const double value = e.value([](int signal) { return signal == 2 ? 3.5 : signal; });
                if (condition && value != 0 && value != 1) std::abort();
                // With its own names it means the same.
                const std::string same = cell::Expression::renamed(line, [](const std::string& name) { return name; });
                if (condition && cell::Expression::condition(same, lookup).value([](int signal) {
                        return signal == 2 ? 3.5 : signal;
                    }) != value)
                    std::abort();
                good = true;
            } catch (const cell::ExpressionError& e) {
                if (e.at > line.size() || e.message(line).empty()) std::abort();
            }
    return good;
}

/// The studies of a cell, changed; those that can still be read are planned, and the ends of the plan made cells.
bool plan_studies(const json& good) {
    json tree = good;
    tree["studies"] = json::parse(changed(tree["studies"]));
    const cell::Document d = cell::Document::parse(tree.dump());
    const cell::Layout layout = simulation::layout(d, d.baseline());
    bool planned = false;
    for (const cell::Study& s : layout.cell().studies) try {
            constexpr std::size_t many = 3000;
            if (study::points_of(layout, s) > many) continue;
            const std::vector<study::Point> plan = study::plan_of(layout, s);
            for (const std::size_t i : {std::size_t{0}, plan.size() - 1})
                if (i < plan.size())
                    simulation::layout(d.edited(d.baseline(), study::edit_of(layout, s, plan[i])), d.baseline());
            planned = true;
        } catch (const cell::InputError&) {
        }
    return planned;
}

bool read_record(const std::string& file) {
    link::Record record = link::read_record(file);
    const auto cell = link::cell_of(record);
    record.about.end = std::min<link::Ticks>(record.about.end, 5 * simulation::second);
    const auto later = [&](const link::Heard& h) { return h.when > record.about.end; };
    record.heard.erase(std::find_if(record.heard.begin(), record.heard.end(), later), record.heard.end());
    if (record.signals.size() != cell->signals.size()) return false;
    link::first_difference(record, *link::run_again(record, *cell));
    link::record_csv(record);
    return true;
}

bool run_program(const std::string& text) {
    try {
        controller::Machine machine(controller::compile(text));
        for (int i = 0; i < 4; ++i) {
            machine.inputs().set_word(0, static_cast<std::uint16_t>(engine()));
            machine.scan(i * 10'000);
        }
        for (std::size_t v = 0; v < machine.variables().size(); ++v) machine.value_text(v);
        return true;
    } catch (const controller::Mistake&) {
        return false;
    }
}

bool read_results(const std::string& file) {
    study::Results results(file), other("");
    const std::size_t taken = other.merge(file);
    results.count();
    results.keep({"a", "b", 1}, {});
    results.write();
    results.find({"a", "b", 1});
    return taken > 0;
}

}  // namespace

int main(int argc, char** argv) {
    if (argc < 5) {
        std::fprintf(stderr,
            "usage: escarp-fuzz cell|tree|edits|journal|surface|urdf|expression|study|results|record|program|mesh "
            "SECONDS SEED FILE...\n");
        return 2;
    }
    const std::string kind = argv[1];
    engine.seed(std::strtoull(argv[3], nullptr, 10));
    std::vector<std::string> seeds, endings;
    for (int i = 4; i < argc; ++i) {
        std::ifstream in(argv[i], std::ios::binary);
        seeds.emplace_back((std::istreambuf_iterator<char>(in)), std::istreambuf_iterator<char>());
        endings.push_back(std::filesystem::path(argv[i]).extension().string());
    }
    const std::string much = argv[2];
    const bool counted = much.back() == 'x';
    const std::string scratch =
        (std::filesystem::temp_directory_path() / ("escarp-fuzz-" + std::to_string(::getpid()))).string();
    const auto start = std::chrono::steady_clock::now();
    const auto passed = [&] { return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count(); };
    long read = 0, refused = 0;
    double slowest = 0;
    std::vector<json> trees;
    if (kind == "tree" || kind == "edits" || kind == "study")
        for (const std::string& s : seeds) trees.push_back(cell::parse_json(s));
    if (kind == "journal")
        for (const std::string& s : seeds) trees.push_back(records_of(s));
    while (counted ? read + refused < std::atol(much.c_str()) : passed() < std::atof(much.c_str())) {
        const std::size_t k = below(seeds.size());
        std::string text;
        if (kind == "tree") text = changed(trees[k]);
        else if (kind == "journal" && below(8) != 0) text = changed_journal(trees[k]);
        else if (kind == "expression" && below(4) != 0) text = changed_expressions(seeds[k]);
        else if ((kind == "results" || kind == "record") && below(8) != 0) text = overwritten(seeds[k]);
        else text = mangled(seeds[k]);
        const std::string file = scratch + endings[k];
        std::ofstream(file, std::ios::binary | std::ios::trunc)
            << text;  // what is read last is there when it goes wrong
        const double before = passed();
        try {
            bool good = true;
            if (kind == "cell" || kind == "tree") good = read_cell_file(text);
            else if (kind == "edits") good = edit_at_random(cell::Document::parse(seeds[k]), trees[k]);
            else if (kind == "expression") good = read_expressions(text);
            else if (kind == "study") good = plan_studies(trees[k]);
            else if (kind == "results") good = read_results(file);
            else if (kind == "record") good = read_record(file);
            else if (kind == "program") good = run_program(text);
            else if (kind == "urdf") exchange::read_urdf(file, cell::Document());
            else if (kind == "journal") good = read_journal_file(file);
            else if (kind == "surface") good = exchange::surface_from_text(text).has_value();
            else {
                exchange::LoadWatch watch;
                watch.most_s = 60;
                const exchange::LoadedSurface s = exchange::load_surface(file, watch);
                exchange::ImportOptions o;
                o.pieces = 4;
                exchange::mesh_entry(s, o, "m");
            }
            (good ? read : refused)++;
        } catch (const cell::InputError&) {
            ++refused;
        }
        slowest = std::max(slowest, passed() - before);
    }
    std::filesystem::remove(scratch + endings.front());
    std::printf("%s: %ld read, %ld refused in %.0f s, the slowest took %.1f s\n", kind.c_str(), read, refused, passed(),
        slowest);
    return 0;
}
