// escarp-cli: everything without a window. JSON or plain text on stdout, messages on stderr.
// Exit 0: fine; 1: a stop finding with --strict; 2: bad input.

#include <tbb/global_control.h>
#include <CLI/CLI.hpp>
#include <cerrno>
#include <cmath>
#include <csignal>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <functional>
#include <iostream>
#include <optional>
#include <set>

#include <cell/model/catalogue.h>
#include <cell/read/schema.h>
#include <cell/text/disk.h>
#include <exchange/question.h>
#include <study/named_edits.h>

#include "command.h"
#include "held_cell.h"
#include "progress.h"

namespace {

using namespace escarp;
using namespace escarp::cli;

void tell(const std::string& file, const cell::InputError& e) {
    for (const cell::Problem& p : e.problems())
        std::cerr << (p.where == file || file.empty() ? "" : file + ": ") << p.where << ": " << p.message << "\n";
}

json problems_json(const cell::InputError& e) {
    json problems = json::array();
    for (const cell::Problem& p : e.problems()) problems.push_back({{"where", p.where}, {"message", p.message}});
    return {{"valid", false}, {"problems", problems}};
}

/// What is in a file: every variant is read.
json validated(const std::string& file) {
    const cell::Document d = cell::Document::load(file);
    json variants = json::array();
    std::set<std::string> told;  // once is enough: most keys are the same in every variant
    for (const cell::VariantInfo& v : d.variants()) {
        const cell::Layout layout = simulation::layout(d, v.id);
        const auto c = layout.shared_cell();
        const std::vector<std::string>& lost = layout.lost();
        json unknown = json::array();
        for (const cell::Problem& p : c->unknown_keys) {
            unknown.push_back({{"at", p.where}, {"message", p.message}});
            if (told.insert(p.where).second) std::cerr << p.where << ": " << p.message << "\n";
        }
        variants.push_back({{"variant", v.id}, {"devices", c->devices.size()}, {"differences_without_target", lost},
            {"unknown_keys", unknown}});
        for (const std::string& at : lost)
            std::cerr << "variant " << v.id << ": " << at
                      << " is not in the baseline any more; this difference does nothing\n";
    }
    return {{"valid", true}, {"variants", variants}};
}

int validate(Arguments& a) {
    json all = json::array();
    int code = 0;
    for (const std::string& file : a.files) {
        try {
            all.push_back(validated(file));
            if (!a.as_json)
                std::cout << file << ": fine, " << all.back()["variants"].size()
                          << (all.back()["variants"].size() == 1 ? " variant\n" : " variants\n");
        } catch (const cell::InputError& e) {
            tell(file, e);
            all.push_back(problems_json(e));
            code = 2;
        }
        if (a.files.size() > 1) all.back()["file"] = file;
    }
    if (a.as_json) print(a.files.size() > 1 ? all : all[0]);
    return code;
}

/// Options of the command line from a table: what is given is put into `said` under its key.
void add_options(CLI::App& sub, const cell::Fields& table, json& said) {
    for (const cell::Field& f : table) {
        std::string shown = "--" + f.key;
        for (char& c : shown)
            if (c == '_') c = '-';
        CLI::Option* option = nullptr;
        using Type = cell::Field::Type;
        if (f.type == Type::flag) {
            option = sub.add_flag_function(
                shown, [&said, key = f.key](std::int64_t) { said[key] = true; }, f.label);
        } else if (f.type == Type::number || f.type == Type::whole) {
            option = sub.add_option_function<double>(
                            shown,
                            [&said, key = f.key](double v) {
                                if (v == std::floor(v) && std::abs(v) < 1e15) said[key] = static_cast<std::int64_t>(v);
                                else said[key] = v;
                            },
                            f.label)
                         ->check(CLI::Range(f.low, f.high));
        } else if (f.type == Type::numbers) {
            option = sub.add_option_function<std::vector<double>>(
                shown, [&said, key = f.key](const std::vector<double>& v) { said[key] = v; }, f.label);
            if (f.most > 0) option->expected(f.most);
            else option->allow_extra_args();
        } else {
            option = sub.add_option_function<std::string>(
                shown, [&said, key = f.key](const std::string& v) { said[key] = v; }, f.label);
            if (f.type == Type::choice) option->check(CLI::IsMember(f.words));
        }
        if (f.needed()) option->required();
    }
}

/// What was answered, as it was asked for.
int tell(const exchange::Answer& answer, const Arguments& a, bool strict) {
    for (const std::string& note : answer.notes) std::cerr << note << "\n";
    if (a.as_json || (answer.words.empty() && !answer.result.contains("notes"))) print(answer.result);
    else std::cout << answer.words;
    return strict && answer.stops ? 1 : 0;
}

int put(const exchange::Question& question, Arguments& a, const json& said) {
    // What asks for nothing but whether all is well says so by its exit code.
    const bool strict = said.value("strict", cell::find_field(question.options, "strict") == nullptr);
    study::EvaluateOptions how;
    if (said.contains("horizon")) {
        how.run.horizon_s = said["horizon"];
        how.run.at_least_s = std::min(how.run.horizon_s, 60.0);
    }
    if (a.write) {
        HeldCell held(a);
        const cell::Layout layout = simulation::layout(held.document(), a.variant);
        exchange::Answer answer = exchange::ask(question, layout, said, how);
        if (answer.edit && !answer.edit->operations.empty()) {
            held.edit(layout.edited(*answer.edit).document(), answer.edit->name);
            held.save();
            answer.words += "Saved: " + answer.edit->name + ".\n";
        } else {
            answer.words += "Nothing to change.\n";
        }
        answer.result["written"] = answer.edit && !answer.edit->operations.empty();
        return tell(answer, a, strict);
    }
    const cell::Document d = opened(a);
    return tell(exchange::ask(question, simulation::layout(d, a.variant), said, how), a, strict);
}

/// The cell's file and the geometry that it links.
std::vector<std::string> files_read(const cell::Document& d, const std::string& file) {
    std::vector<std::string> all{file};
    const std::filesystem::path folder = std::filesystem::absolute(file).parent_path();
    for (const json& mesh : d.tree().value("meshes", json::array()))
        if (mesh.is_object() && mesh.contains("link") && mesh["link"].is_object() && mesh["link"].contains("file") &&
            mesh["link"]["file"].is_string())
            all.push_back((folder / mesh["link"]["file"].get<std::string>()).string());
    return all;
}

int hand_on(const exchange::Exporter& exporter, Arguments& a, const json& said) {
    const cell::Document d = opened(a);
    if (!a.out.empty()) cell::check_target(a.out, exporter.endings, files_read(d, a.file));
    return tell(exchange::export_to(exporter, simulation::layout(d, a.variant), said, a.out), a, false);
}

/// What `edit` understands beside plain operations, from the same tables that it reads.
void print_edits() {
    std::cout << "\nEdits by name, for escarp-cli edit: {\"do\": NAME, ...}\n";
    for (const cell::NamedEdit& e : study::named_edits()) {
        std::cout << "  " << e.name << (e.help.empty() ? "" : ": ") << e.help << "\n";
        for (const cell::Field& f : e.arguments) {
            std::cout << "      " << f.key << "  " << f.label;
            for (std::size_t i = 0; i < f.words.size(); ++i) std::cout << (i ? ", " : ": ") << f.words[i];
            if (f.needed()) std::cout << "  (needed)";
            else if (!f.usual.is_null() && f.usual != "") std::cout << "  (" << f.usual.dump() << ")";
            std::cout << "\n";
        }
    }
}

int schema(Arguments&) {
    print(cell::cell_schema(simulation::standard_kinds()));
    return 0;
}

int catalogue(Arguments&) {
    print({{"arm_models", cell::catalogue_arms()}, {"tool_models", cell::catalogue_tools()},
        {"part_types", cell::catalogue_part_types()}});
    return 0;
}

/// The commands and their options, and what was chosen.
class CommandLine {
public:
    explicit CommandLine(Arguments& a) : a_(a) {
        app_.require_subcommand(1);
        command("validate", "check that files make sense", validate, false)
            ->add_option("FILE", a.files, "cell files (*.escarp)")
            ->required();
        add_questions();
        add_exporters();
        command("edit", "makes edits given on stdin, one JSON value a line, and saves", edit);
        CLI::App* sub = command("recover", "what an interrupted session left beside the file", recover);
        CLI::Option* take = sub->add_flag("--take", a.take_it, "save it into the file");
        sub->add_flag("--drop", a.drop_it, "throw it away")->excludes(take);
        add_imports();
        add_studies();
        add_live();
        sub = app_.add_subcommand("help", "the commands; of one command its options");
        sub->add_option("COMMAND", a.command, "a command, \"edits\" for the edits by name, or \"all\"");
        sub->callback([this] { chosen_ = [this](Arguments& given) { return help(given.command); }; });
        command("schema", "the JSON Schema of a cell file", schema, false);
        command("catalogue", "arm, tool and part models that come with Escarp", catalogue, false);
    }
    /// Nothing: go on; else the exit code.
    std::optional<int> parse(int argc, char** argv) {
        try {
            app_.parse(argc, argv);
            return std::nullopt;
        } catch (const CLI::ParseError& e) {
            const int code = app_.exit(e, std::cout, std::cerr);
            return code == 0 ? 0 : 2;
        }
    }
    int act() {
        std::optional<Progress> progress;
        if (!app_.got_subcommand("edit") && !app_.got_subcommand("study") && !app_.got_subcommand("live"))
            progress.emplace();  // the one waits for whoever types, the other says more
        return chosen_(a_);
    }

private:
    int help(const std::string& about) {
        if (about.empty()) {
            std::cout
                << "escarp-cli COMMAND FILE [options]\n\nCommands (\"escarp-cli help COMMAND\" tells its options, "
                   "\"help edits\" the edits by name, \"help all\" everything):\n";
            std::size_t widest = 0;
            const std::vector<CLI::App*> all = app_.get_subcommands([](CLI::App*) { return true; });
            for (const CLI::App* one : all) widest = std::max(widest, one->get_name().size());
            for (const CLI::App* one : all)
                std::cout << "  " << one->get_name() << std::string(widest + 2 - one->get_name().size(), ' ')
                          << one->get_description() << "\n";
            return 0;
        }
        if (about == "edits" || about == "all") {
            if (about == "all") std::cout << app_.help("", CLI::AppFormatMode::All);
            print_edits();
            return 0;
        }
        const auto named = app_.get_subcommands([&](CLI::App* one) { return one->get_name() == about; });
        if (named.empty())
            throw cell::InputError("help", "There is no command \"" + about + "\"; \"escarp-cli help\" lists them.");
        std::cout << named.front()->help("escarp-cli", CLI::AppFormatMode::All);
        return 0;
    }
    void add_common(CLI::App* to) {
        to->add_flag("--json", a_.as_json, "JSON on stdout");
        to->add_option("--threads", a_.threads, "worker threads; all cores if not given")->check(CLI::Range(1, 256));
    }
    CLI::App* command(
        const std::string& name, const std::string& what, std::function<int(Arguments&)> act, bool file = true) {
        CLI::App* sub = app_.add_subcommand(name, what);
        if (file) {
            sub->add_option("FILE", a_.file, "cell file (*.escarp)")->required();
            sub->add_option("--variant", a_.variant, "id of the variant; the baseline if not given");
        }
        add_common(sub);
        sub->callback([this, act = std::move(act)] { chosen_ = act; });
        return sub;
    }
    void add_questions() {
        for (const exchange::Question& question : exchange::questions()) {
            CLI::App* sub = command(question.name, question.help,
                [&question, this](Arguments& given) { return put(question, given, said_); });
            add_options(*sub, question.options, said_);
            if (question.gives_edit) sub->add_flag("--write", a_.write, "make the edit and save");
        }
    }
    void add_exporters() {
        for (const exchange::Exporter& exporter : exchange::exporters()) {
            CLI::App* sub = command(exporter.name, exporter.help,
                [&exporter, this](Arguments& given) { return hand_on(exporter, given, said_); });
            std::string endings;
            for (const std::string& e : exporter.endings) endings += (endings.empty() ? "*." : " or *.") + e;
            CLI::Option* out = sub->add_option("--out", a_.out, "file to write: " + endings);
            if (!exporter.text) out->required();
            add_options(*sub, exporter.options, said_);
        }
    }
    void add_imports() {
        CLI::App* sub = command("import", "geometry from STL, OBJ, PLY, glTF or STEP into a cell", import);
        sub->add_option("MESH", a_.mesh, "the CAD file")->required();
        sub->add_option("--as", a_.as, "what it becomes")
            ->check(CLI::IsMember({"structure", "fixture", "tool", "part-type"}));
        sub->add_option("--unit", a_.unit, "of the file's numbers, where it does not say itself (glTF and STEP do)")
            ->check(CLI::IsMember({"mm", "cm", "m", "in"}));
        sub->add_option("--name", a_.name, "name in the cell; the file's if not given");
        sub->add_flag("--y-up", a_.y_up, "the file's y points up");
        sub->add_flag("--keep-origin", a_.keep_origin, "else the origin is put at the bottom centre");
        sub->add_flag("--link", a_.link, "keep the path instead of the triangles");
        sub = command("read-urdf", "an arm from a URDF robot description, with its meshes, into a cell", read_urdf);
        sub->add_option("URDF", a_.mesh, "the robot description")->required();
        sub->add_flag("--place", a_.place, "place a device with it, too");
        sub->add_option("--meshes", a_.meshes, "folder that holds its meshes, where that is not its own")
            ->check(CLI::ExistingDirectory);
    }
    /// One with commands below it.
    void within(CLI::App* to, std::function<int(Arguments&)> act) {
        add_common(to);
        to->callback([this, to, act = std::move(act)] {
            if (to->get_subcommands().empty()) chosen_ = act;
        });
    }
    void add_studies() {
        const auto of_a_cell = [this](CLI::App* to) {
            to->add_option("FILE", a_.file, "cell file (*.escarp)");
            to->add_option("--variant", a_.variant, "id of the variant; the baseline if not given");
            to->add_option("--ask", a_.ask, "file with the question, as the cell file keeps it (docs/command-line.md)");
            to->add_option("--name", a_.name, "id or name of a study of the cell");
            to->add_option("--out", a_.out, "file of results; FILE.results beside the cell if not given");
            to->add_option("--csv", a_.csv, "every point as a table, into this file");
        };
        CLI::App* asking = app_.add_subcommand("study", "asks a question that takes many runs, and keeps them");
        within(asking, ask_study);
        of_a_cell(asking);
        asking->add_option("--shard", a_.shard, "only this share of the runs: K/N");
        asking->add_flag("--resume", a_.resume, "only go on with what was begun");
        CLI::App* sub = asking->add_subcommand("show", "what has been found so far");
        within(sub, study_show);
        of_a_cell(sub);
        sub = asking->add_subcommand("merge", "results of several shards in one file");
        within(sub, study_merge);
        sub->add_option("FILES", a_.files, "files of results")->required();
        sub->add_option("--out", a_.out, "file that takes them over")->required();
    }

    void add_live() {
        CLI::App* sub = command("live", "runs a cell with the wall clock, or in lock-step, against a controller", live);
        const auto network = [this](CLI::App* to) {
            to->add_flag("--network", a_.network, "a link may reach, or be reached by, other machines");
        };
        sub->add_option("--link", a_.links, "id of a link of the cell; several may be given");
        sub->add_flag("--lock-step", a_.lock_step, "the clock goes on with each scan of the controller");
        sub->add_option("--for", a_.seconds, "seconds of the run; until Ctrl+C if not given")
            ->check(CLI::Range(0.001, 1e6));
        sub->add_option("--rate", a_.rate, "times as fast as the wall clock (1)")->check(CLI::Range(0.1, 20.0));
        sub->add_option("--until", a_.until, "ends when this condition of signals holds");
        sub->add_option("--expect", a_.expect, "a figure with a bound (\"cycle_s < 8.6\"), or a condition at the end");
        sub->add_option("--record", a_.record, "file to keep what was heard and done in (*.record)");
        network(sub);
        CLI::App* records = app_.add_subcommand("record", "what a live run heard and did");
        records->require_subcommand(1);
        const auto of_a_record = [&](const char* name, const char* what, int (*act)(Arguments&)) {
            CLI::App* one = records->add_subcommand(name, what);
            within(one, act);
            one->add_option("RECORD", a_.file, "the record (*.record)")->required();
            return one;
        };
        of_a_record("show", "what is in it", record_show);
        sub = of_a_record(
            "compare", "with the computed run: where signals differ first, each step, the cycle", record_compare);
        sub->add_option("CELL", a_.mesh, "cell file that it has to be of");
        sub->add_option("--variant", a_.variant, "of that file");
        sub = of_a_record("csv", "every change of a signal", record_csv);
        sub->add_option("--out", a_.out, "file to write: *.csv");
        sub->add_option(
            "--arm", a_.name, "id of an arm that followed: its joint values instead, as calibrate reads them");
        of_a_record("again", "runs it again without the outside; 1: not the same bits", record_again);
        CLI::App* links = app_.add_subcommand("link", "connections of a cell with controllers");
        links->require_subcommand(1);
        const auto of_a_link = [&](const char* name, const char* what, int (*act)(Arguments&)) {
            CLI::App* one = links->add_subcommand(name, what);
            within(one, act);
            one->add_option("FILE", a_.file, "cell file (*.escarp)")->required();
            one->add_option("--variant", a_.variant, "id of the variant; the baseline if not given");
            return one;
        };
        of_a_link("list", "that the cell has", link_list);
        of_a_link("table", "where each signal lies in the tables of Modbus", link_table)
            ->add_option("--out", a_.out, "file to write: *.csv");
        sub = of_a_link("names", "what is told at a broker, and which of it is what in the cell", link_names);
        sub->add_option("LINK", a_.name, "id of the link")->required();
        sub->add_option("--for", a_.seconds, "seconds that it listens (3)")->check(CLI::Range(0.1, 3600.0));
        sub->add_flag("--write", a_.write, "what is proposed goes into the file");
        network(sub);
        sub = of_a_link("send", "an arm outside is told where to go, once that was judged", link_send);
        sub->add_option("LINK", a_.name, "id of the link, over MQTT")->required();
        sub->add_option("--arm", a_.arm, "id of the arm")->required();
        CLI::Option* pose = sub->add_option("--pose", a_.pose, "id of one of its poses");
        sub->add_option("--joints", a_.joints, "joint values instead, deg and mm: \"0,-20,30,0,60,0\"")->excludes(pose);
        sub->add_option("--speed-pct", a_.speed_pct, "of the arm's limits (20)")->check(CLI::Range(1.0, 100.0));
        sub->add_option("--for", a_.seconds, "seconds to wait until it is said where the arm is (3)")
            ->check(CLI::Range(0.1, 3600.0));
        sub->add_flag("--try", a_.try_only, "it is judged, and nothing is sent");
        sub->add_flag("--come-near", a_.come_near, "nearer than the safety distance, as long as nothing is touched");
        network(sub);
        sub = of_a_link("test", "whether somebody answers", link_test);
        sub->add_option("LINK", a_.name, "id of the link")->required();
        sub->add_option("--for", a_.seconds, "seconds that it tries (3)")->check(CLI::Range(0.1, 3600.0));
        network(sub);
    }

    Arguments& a_;
    CLI::App app_{"Escarp: lays out, simulates and checks robot workcells"};
    json said_ = json::object();
    std::function<int(Arguments&)> chosen_;
};

}  // namespace

int main(int argc, char** argv) {
    std::signal(SIGPIPE, SIG_IGN);  // whoever reads the result may stop reading: that is said, too
    std::signal(SIGXFSZ, SIG_IGN);  // a limit on the size of files is told as any other reason not to write
    Arguments a;
    CommandLine line(a);
    if (const auto code = line.parse(argc, argv)) return *code;
    try {
        std::unique_ptr<tbb::global_control> limit;
        if (a.threads > 0)
            limit = std::make_unique<tbb::global_control>(
                tbb::global_control::max_allowed_parallelism, static_cast<std::size_t>(a.threads));
        const int code = line.act();
        std::fflush(stdout);
        std::cout.flush();
        if (!std::cout || std::ferror(stdout)) throw OutputFailed();
        return code;
    } catch (const OutputFailed&) {
        std::cerr << "The result could not be written to its end: "
                  << (errno ? std::strerror(errno) : "standard output is closed") << ".\n";
        return 2;
    } catch (const cell::InputError& e) {
        tell(a.file, e);
        if (a.as_json) print(problems_json(e));
        return 2;
    } catch (const std::bad_alloc&) {
        std::cerr << "The machine has not enough memory left for this.\n";
        return 2;
    } catch (const std::exception& e) {
        std::cerr << "unexpected: " << e.what() << "\n";
        return 2;
    }
}
