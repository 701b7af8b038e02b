// escarp-cli: everything without a window. JSON or plain text on stdout, messages on stderr.
// Exit 0: fine; 1: a stop finding with --strict; 2: bad input.

#include <tbb/global_control.h>

#include <CLI/CLI.hpp>
#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstring>
#include <functional>
#include <iostream>
#include <optional>
#include <set>

#include <cell/catalogue.h>
#include <cell/schema.h>
#include <exchange/result_json.h>
#include <kinematics/reach.h>
#include <study/named_edits.h>

#include "command.h"
#include "progress.h"

namespace {

using namespace escarp;
using namespace escarp::cli;

study::EvaluateOptions options(const Arguments& a) {
    study::EvaluateOptions o;
    if (a.horizon > 0) {
        o.run.horizon_s = a.horizon;
        o.run.at_least_s = std::min(a.horizon, 60.0);
    }
    return o;
}

std::string number(const json& value, const char* format, const char* none = "-") {
    if (!value.is_number()) return none;
    char text[64];
    std::snprintf(text, sizeof text, format, value.get<double>());
    return text;
}

void print_figures(const json& r) {
    std::cout << r["cell"].get<std::string>() << ", variant " << r["variant"].get<std::string>() << "\n";
    std::cout << "  cycle      " << number(r["cycle_s"], "%.3f s")
              << (r["steady"].get<bool>()     ? "  (steady)"
                     : r["cycle_s"].is_null() ? ""
                                              : "  (mean, the state does not recur)")
              << "\n";
    std::cout << "  rate       " << number(r["rate_per_h"], r["cycle_of"] == "round" ? "%.1f rounds/h" : "%.1f parts/h")
              << "\n";
    std::cout << "  takt       " << number(r["takt"]["demanded_s"], "%.2f s")
              << (r["takt"]["met"].is_null()        ? ""
                     : r["takt"]["met"].get<bool>() ? "  met"
                                                    : "  missed")
              << "\n";
    std::cout << "  reach      " << r["reach"]["reached"] << " of " << r["reach"]["poses"] << " poses, least margin "
              << number(r["reach"]["least_margin_mm"], "%.0f mm") << "\n";
    std::cout << "  clearance  " << number(r["clearance"]["distance_mm"], "%.1f mm");
    if (r["clearance"].contains("between"))
        std::cout << "  " << r["clearance"]["between"][0].get<std::string>() << " / "
                  << r["clearance"]["between"][1].get<std::string>() << " at "
                  << number(r["clearance"]["at_s"], "%.3f s");
    std::cout << "\n  waiting    "
              << (r["waiting"].is_number() ? number(r["waiting"].get<double>() * 100, "%.0f %%") : "-") << "  "
              << r["waits_most"].get<std::string>() << "\n";
    std::cout << "  floor      " << number(r["floor_m2"], "%.2f m2") << "\n";
    for (const json& f : r["findings"]) {
        std::cout << "  " << f["severity"].get<std::string>() << ": " << f["title"].get<std::string>() << "\n      "
                  << f["text"].get<std::string>() << "\n";
        for (const json& w : f["ways_out"])
            std::cout << "      way out: " << w["label"].get<std::string>()
                      << (w["effect"].get<std::string>().empty() ? "" : " - " + w["effect"].get<std::string>()) << "\n";
    }
}

int worst(const json& result, bool strict) {
    if (strict)
        for (const json& f : result["findings"])
            if (f["severity"] == "stop") return 1;
    return 0;
}

double unit(const kinematics::Joint& j) { return j.type == kinematics::JointType::hinge ? geometry::pi / 180 : 1e-3; }

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
        for (const cell::Problem& p : c->slips) {
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

int run(Arguments& a) {
    const cell::Document d = opened(a);
    inspection::Cache cache;
    const json result = exchange::run_json(*study::evaluate(simulation::layout(d, a.variant), cache, options(a)));
    if (a.as_json) print(result);
    else print_figures(result);
    return worst(result, a.strict);
}

int compare(Arguments& a) {
    const cell::Document d = opened(a);
    inspection::Cache cache;
    const json result = exchange::compare_json(d, cache, options(a));
    int code = 0;
    for (const json& v : result["variants"]) {
        code = std::max(code, worst(v, a.strict));
        if (!a.as_json) print_figures(v);
    }
    if (a.as_json) print(result);
    return code;
}

int trace(Arguments& a) {
    const cell::Document d = opened(a);
    inspection::Cache cache;
    const json result = exchange::trace_json(*study::evaluate(simulation::layout(d, a.variant), cache, options(a)));
    if (a.as_json) {
        print(result);
        return 0;
    }
    const auto one_line = [](std::string text) {  // a tab or a new line in a name would shift the columns
        for (char& c : text)
            if (static_cast<unsigned char>(c) < 0x20) c = ' ';
        return text;
    };
    std::cout << "device\tkind\tstep\tfrom_s\tto_s\twhat\n";
    for (const json& b : result["blocks"])
        std::cout << b["device"].get<std::string>() << '\t' << b["kind"].get<std::string>() << '\t'
                  << (b["step"].is_string() ? b["step"].get<std::string>() : "") << '\t' << number(b["from_s"], "%.6f")
                  << '\t' << number(b["to_s"], "%.6f", "") << '\t' << one_line(b["what"].get<std::string>()) << "\n";
    return 0;
}

int state(Arguments& a) {
    const cell::Document d = opened(a);
    if (!(a.at >= 0 && a.at <= 1e6)) throw cell::InputError("--at", "A time from 0 to 1000000 s is expected.");
    inspection::Cache cache;
    study::EvaluateOptions o = options(a);
    o.run.at_least_s = std::max(60.0, a.at);
    const auto e = study::evaluate(simulation::layout(d, a.variant), cache, o);
    if (simulation::seconds(e->run->trace.end) < a.at)
        std::cerr << "the run ends at " << simulation::seconds(e->run->trace.end)
                  << " s; the state shown is the last one\n";
    print(exchange::state_json(*e, a.at));
    return 0;
}

int fk(Arguments& a) {
    const cell::Document d = opened(a);
    const auto c = simulation::layout(d, a.variant).shared_cell();
    const cell::Device& arm = find_arm(*c, a.arm);
    const auto& joints = arm.arm->model->mechanism.joints;
    if (a.joints.size() != joints.size())
        throw cell::InputError("--joints", "The arm has " + std::to_string(joints.size()) + " joints, " +
                                               std::to_string(a.joints.size()) +
                                               " values were given (degrees, or mm for slides).");
    kinematics::JointVector q(static_cast<int>(joints.size()));
    for (std::size_t i = 0; i < joints.size(); ++i) q[static_cast<int>(i)] = a.joints[i] * unit(joints[i]);
    const geometry::Frame base = arm.arm->model->flange_frame(q) * arm.arm->tool_frame;
    print({{"arm", a.arm}, {"within_limits", arm.arm->model->mechanism.within_limits(q)},
        {"tool_in_base", exchange::frame_json(base)}, {"tool_in_world", exchange::frame_json(arm.world * base)}});
    return 0;
}

int ik(Arguments& a) {
    const cell::Document d = opened(a);
    const auto c = simulation::layout(d, a.variant).shared_cell();
    const cell::Device& arm = find_arm(*c, a.arm);
    geometry::Frame frame = geometry::Frame::Identity();
    if (a.frame != "floor") {
        const int index = c->device(a.frame);
        if (index < 0)
            throw cell::InputError(
                "--frame", "\"" + a.frame + "\" is not the id of a device; \"floor\" or a device's id is expected.");
        frame = c->devices[index].world;
    }
    const geometry::Frame tool = frame * geometry::make_frame(1e-3 * geometry::Vector3(a.pose[0], a.pose[1], a.pose[2]),
                                             geometry::pi / 180 * geometry::Vector3(a.pose[3], a.pose[4], a.pose[5]));
    const geometry::Frame target = arm.world.inverse() * tool * arm.arm->tool_frame.inverse();
    std::vector<kinematics::JointSolution> found;
    arm.arm->solver->solve(target, arm.arm->ready, found);
    const auto& joints = arm.arm->model->mechanism.joints;
    json all = json::array();
    for (const kinematics::JointSolution& s : found) {
        json values = json::array();
        for (std::size_t i = 0; i < joints.size(); ++i)
            values.push_back(exchange::tidy(s.q[static_cast<int>(i)] / unit(joints[i])));
        const auto [tightest, margin, share] = kinematics::limit_margin(arm.arm->model->mechanism, s.q);
        all.push_back({{"joints", values}, {"posture", s.posture}, {"within_limits", s.within_limits},
            {"tightest_joint", joints[tightest].name},
            {"joint_margin", exchange::tidy(margin / unit(joints[tightest]))},
            {"singularity_distance", exchange::tidy(kinematics::singularity_distance(*arm.arm->model, s.q,
                                         arm.arm->tool_frame, kinematics::arm_length(*arm.arm->model)))}});
    }
    const kinematics::Reach r =
        kinematics::reach(*arm.arm->model, *arm.arm->solver, target, arm.arm->tool_frame, arm.arm->ready, nullptr);
    print({{"arm", a.arm}, {"solver", arm.arm->solver->name()}, {"solutions", all},
        {"reached", r.reason == kinematics::ReachReason::reached}, {"margin_mm", exchange::tidy(r.margin * 1e3)}});
    return 0;
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

}  // namespace

int main(int argc, char** argv) {
    std::signal(SIGPIPE, SIG_IGN);  // whoever reads the result may stop reading: that is said, too
    Arguments a;
    CLI::App app{"Escarp: lays out, simulates and checks robot workcells"};
    app.require_subcommand(1);
    std::function<int(Arguments&)> chosen;
    const auto command = [&](const char* name, const char* what, int (*act)(Arguments&), bool file = true) {
        CLI::App* sub = app.add_subcommand(name, what);
        if (file) {
            sub->add_option("FILE", a.file, "cell file (*.escarp)")->required();
            sub->add_option("--variant", a.variant, "id of the variant; the baseline if not given");
        }
        sub->add_flag("--json", a.as_json, "JSON on stdout");
        sub->add_option("--threads", a.threads, "worker threads; all cores if not given")->check(CLI::Range(1, 256));
        sub->callback([&chosen, act] { chosen = act; });
        return sub;
    };
    command("validate", "check that files make sense", validate, false)
        ->add_option("FILE", a.files, "cell files (*.escarp)")
        ->required();
    for (CLI::App* sub :
        {command("run", "all figures of one variant", run), command("compare", "all variants on one scale", compare)})
        sub->add_flag("--strict", a.strict, "exit 1 when there is a stop finding");
    command("trace", "every block of the run", trace);
    command("state", "joint values, tool poses, parts and signals at an instant", state)
        ->add_option("--at", a.at, "seconds")
        ->required();
    for (const char* name : {"run", "compare", "trace", "state"})
        app.get_subcommand(name)
            ->add_option("--horizon", a.horizon, "seconds to simulate at most")
            ->check(CLI::Range(0.001, 1e6));
    CLI::App* sub = command("fk", "tool pose from joint values", fk);
    sub->add_option("--arm", a.arm, "id of the arm")->required();
    sub->add_option("--joints", a.joints, "one value per joint: degrees, mm for slides")
        ->required()
        ->allow_extra_args();
    sub = command("ik", "all joint solutions for a tool pose", ik);
    sub->add_option("--arm", a.arm, "id of the arm")->required();
    sub->add_option("--pose", a.pose, "x y z (mm) rx ry rz (degrees)")->required()->expected(6);
    sub->add_option("--frame", a.frame, "device the pose is relative to; the floor if not given");
    command("edit", "makes edits given on stdin, one JSON value a line, and saves", edit);
    sub = command("recover", "what an interrupted session left beside the file", recover);
    sub->add_flag("--take", a.take_it, "save it into the file");
    sub->add_flag("--drop", a.drop_it, "throw it away");
    sub = command("draw", "the layout as a drawing to scale, PDF or SVG", draw);
    sub->add_option("--out", a.out, "file to write: *.pdf or *.svg")->required();
    sub->add_option("--sheet", a.sheet, "A0 to A4");
    sub->add_option("--scale", a.scale, "25 for 1:25; the largest that fits if not given")
        ->check(CLI::Range(1.0, 10000.0));
    command("placements", "where every device stands, as CSV", placements);
    sub = command("import", "geometry from STL, OBJ, PLY, glTF or STEP into a cell", import);
    sub->add_option("MESH", a.mesh, "the CAD file")->required();
    sub->add_option("--as", a.as, "what it becomes")
        ->check(CLI::IsMember({"structure", "fixture", "tool", "part-type"}));
    sub->add_option("--unit", a.unit, "of the file's numbers, where it does not say itself (glTF and STEP do)")
        ->check(CLI::IsMember({"mm", "cm", "m", "in"}));
    sub->add_option("--name", a.name, "name in the cell; the file's if not given");
    sub->add_flag("--y-up", a.y_up, "the file's y points up");
    sub->add_flag("--keep-origin", a.keep_origin, "else the origin is put at the bottom centre");
    sub->add_flag("--link", a.link, "keep the path instead of the triangles");
    sub = command("read-urdf", "an arm from a URDF robot description, with its meshes, into a cell", read_urdf);
    sub->add_option("URDF", a.mesh, "the robot description")->required();
    sub->add_flag("--place", a.place, "place a device with it, too");
    sub = command("write-urdf", "an arm model as a URDF robot description, surfaces as STL beside it", write_urdf);
    sub->add_option("--model", a.model, "id of the arm model")->required();
    sub->add_option("--out", a.out, "file to write")->required();
    command("which-arm",
        "every arm of the catalogue and the file given an arm's task: poses, margin, payload, cycle, where it stands "
        "and at its best base",
        which_arm)
        ->add_option("--arm", a.arm, "id of the arm")
        ->required();
    command("base-field", "where an arm's base may stand so that it reaches every pose of its task", base_field)
        ->add_option("--arm", a.arm, "id of the arm")
        ->required();
    app.add_subcommand("help", "every command with its options, and every edit with what it is told")->callback([&] {
        chosen = [&app](Arguments&) {
            std::cout << app.help("", CLI::AppFormatMode::All);
            print_edits();
            return 0;
        };
    });
    command("schema", "the JSON Schema of a cell file", schema, false);
    command("catalogue", "arm, tool and part models that come with Escarp", catalogue, false);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        const int code = app.exit(e, std::cout, std::cerr);
        return code == 0 ? 0 : 2;
    }
    try {
        std::unique_ptr<tbb::global_control> limit;
        if (a.threads > 0)
            limit = std::make_unique<tbb::global_control>(
                tbb::global_control::max_allowed_parallelism, static_cast<std::size_t>(a.threads));
        int code = 0;
        {
            std::optional<Progress> progress;
            if (!app.got_subcommand("edit")) progress.emplace();  // that one waits for whoever types
            code = chosen(a);
        }
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
