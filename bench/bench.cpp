// Speeds as ratios to plain references in the same run: absolute times differ from machine to machine, ratios little.

#include <algorithm>
#include <benchmark/benchmark.h>
#include <chrono>
#include <cstdio>
#include <functional>
#include <tbb/global_control.h>
#include <thread>
#include <vector>

#include <cell/text/numbers.h>
#include <inspection/base_field.h>
#include <inspection/clearance_time.h>
#include <inspection/orders.h>
#include <inspection/swept.h>
#include <inspection/timeline.h>
#include <inspection/zones.h>
#include <motion/chain.h>
#include <motion/clearance.h>
#include <simulation/arm_parts.h>
#include <simulation/meeting_plan.h>
#include <simulation/run.h>
#include <study/ask.h>
#include <study/test_cycle.h>

#include "reference/dense_timing.h"
#include "reference/fixed_step.h"
#include "reference/sampled_clearance.h"
#include "reference/scenes.h"
#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using cell::json;

namespace {

/// Median seconds of one call, over `runs` timings of `calls` calls each.
double timed(int runs, int calls, const std::function<void(int)>& act) {
    std::vector<double> all;
    int n = 0;
    for (int r = 0; r < runs; ++r) {
        const auto start = std::chrono::steady_clock::now();
        for (int c = 0; c < calls; ++c) act(n++);
        all.push_back(std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count() / calls);
    }
    std::nth_element(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2), all.end());
    return all[all.size() / 2];
}

void row(const char* what, double ours, double reference, const char* against) {
    std::printf("%-52s %12.3f us  %10.0f x faster than %s\n", what, ours * 1e6, reference / ours, against);
}

/// Every arm against every other thing at evenly spaced instants of 60 s: the plain check.
double plain_clearance(const study::Evaluation& e, double step) {
    double least = 1e300;
    std::vector<geometry::Frame> frames;
    std::map<const cell::Device*, std::vector<motion::Part>> kept;
    for (double t = 0; t < 60; t += step)
        for (std::size_t i = 0; i < e.cell->devices.size(); ++i) {
            const cell::Device& arm = e.cell->devices[i];
            if (!arm.arm) continue;
            auto& parts = kept[&arm];
            if (parts.empty()) parts = simulation::arm_parts(*arm.arm);
            arm.arm->model->mechanism.link_frames(
                e.run->trace.joints(*e.cell, static_cast<int>(i), static_cast<simulation::Ticks>(t * 1e9)), arm.world,
                frames);
            for (const motion::Part& p : parts)
                for (const cell::Device& d : e.cell->devices)
                    for (const geometry::Body& b : d.bodies)
                        least = std::min(least,
                            geometry::separation(p.shape, frames[p.frame] * p.at, b.shape, d.world * b.at).distance);
        }
    return least;
}

/// Frank and Wolfe (1956) on the difference body, to 0.1 mm: the plain way to a distance.
double plain_distance(
    const geometry::Convex& a, const geometry::Frame& at_a, const geometry::Convex& b, const geometry::Frame& at_b) {
    geometry::Vector3 v = at_a * a.support(geometry::Vector3::UnitX()) - at_b * b.support(geometry::Vector3::UnitX());
    for (int i = 0; i < 5000; ++i) {
        const geometry::Vector3 w =
            at_a * a.support(at_a.linear().transpose() * -v) - at_b * b.support(at_b.linear().transpose() * v);
        const geometry::Vector3 d = w - v;
        if (-d.dot(v) < 1e-4 * v.norm()) break;
        v += std::clamp(-d.dot(v) / d.squaredNorm(), 0.0, 1.0) * d;
    }
    return std::max(0.0, v.norm() - a.radius() - b.radius());
}

void edit_to_figures() {
    cell::Document d = tests::demo();
    inspection::Cache cache;
    study::evaluate(simulation::layout(d, "A"), cache);
    double x = 2720;
    const auto edit = [&](const char* device) {
        return timed(15, 1, [&, device](int n) {
            const auto next = d.edited("A",
                {"", {cell::Operation::set(std::string("/devices/") + device + "/placement/x_mm", x + 1 + n * 0.7)}});
            benchmark::DoNotOptimize(study::evaluate(simulation::layout(next, "A"), cache));
        });
    };
    const auto first = study::evaluate(simulation::layout(d, "A"), cache);
    simulation::PlanCache plans;
    const cell::json tree = d.resolved("A");
    const double reference = timed(1, 1, [&](int) {
        tests::FixedStep plain(*first->cell, plans, tree, 1e-3);
        benchmark::DoNotOptimize(plain.run(60));
        benchmark::DoNotOptimize(plain_clearance(*first, 2e-3));
    });
    const double marker = edit("marker");
    x = 1500;
    const double arm = edit("pedestal1");
    const double cold = timed(3, 1, [&](int) {
        inspection::Cache fresh;
        benchmark::DoNotOptimize(study::evaluate(simulation::layout(d, "A"), fresh));
    });
    const char* against = "1 ms steps and a check every 2 ms, 60 s";
    row("edit: a fixture moved, all figures current", marker, reference, against);
    row("edit: an arm's pedestal moved, all figures current", arm, reference, against);
    row("the same from nothing (first opening)", cold, reference, against);
}

void part_flow() {
    const cell::json tree = tests::demo().resolved("A");
    const auto c = tests::read(tree);
    simulation::PlanCache plans;
    simulation::RunOptions o;
    o.horizon_s = 8 * 3600;
    o.at_least_s = o.horizon_s;
    o.stop_when_steady = false;
    simulation::run(*c, plans, o);
    const double ours = timed(3, 1, [&](int) { benchmark::DoNotOptimize(simulation::run(*c, plans, o)); });
    const double reference = 8 * 60 * timed(1, 1, [&](int) {
        tests::FixedStep plain(*c, plans, tree, 1e-3);
        benchmark::DoNotOptimize(plain.run(60));
    });
    row("8 h of part flow", ours, reference, "1 ms steps (60 s of them, scaled)");
}

/// What an event costs does not grow with the number of devices.
void growth() {
    const auto event = [](int lines) {
        const auto c = tests::read(tests::station_lines(lines));
        simulation::PlanCache plans;
        std::size_t events = 1;
        const double all = timed(3, 1, [&](int) {
            simulation::Kernel kernel(*c, plans);
            kernel.start();
            kernel.advance(simulation::ticks(600));
            events = kernel.steps();
        });
        return all / static_cast<double>(events);
    };
    const double ten = event(2);
    row("an event among 100 devices", event(20), ten, "among 10");
    row("an event among 1000 devices", event(200), ten, "among 10");
}

/// Four lines side by side: plugs and trays ride in, an arm fills the trays that a stop holds, a belt takes them to one
/// or two stations. 12 belts, 4 arms, 6 stations, 40 trays or so.
cell::json tray_lines() {
    cell::json tree = {{"escarp", 1}, {"horizon_s", 8 * 3600}, {"arm_models", cell::catalogue_arms()},
        {"tool_models", {{{"id", "cup"}, {"name", "cup"}, {"mass_kg", 0.2}, {"close_s", 0.1}, {"open_s", 0.1},
                            {"tool_frame", {{"at_mm", {0, 0, 80}}}},
                            {"bodies", {{{"shape", "cylinder"}, {"diameter_mm", 20}, {"height_mm", 80}}}}}}},
        {"part_types", {{{"id", "plug"}, {"name", "plug"}, {"mass_kg", 0.05},
                            {"bodies", {{{"shape", "cylinder"}, {"diameter_mm", 30}, {"height_mm", 40}}}}},
                           {{"id", "tray"}, {"name", "tray"}, {"mass_kg", 0.5},
                               {"bodies", {{{"shape", "box"}, {"size_mm", {200, 140, 20}}}}},
                               {"seats", {{"columns", 3}, {"rows", 2}, {"pitch_x_mm", 60}, {"pitch_y_mm", 60},
                                             {"height_mm", 12}}}}}},
        {"devices", cell::json::array()}};
    const auto named = [&](const std::string& id, const char* kind, double x, double y, cell::json more) {
        cell::json d = {{"id", id}, {"name", id}, {"kind", kind}, {"placement", {{"x_mm", x}, {"y_mm", y}}}};
        d.update(more);
        tree["devices"].push_back(std::move(d));
    };
    for (int i = 0; i < 4; ++i) {
        const std::string n = std::to_string(i);
        const double y = 3000 * i;
        const auto belt = [&](const std::string& id, double x, double aside, const std::string& to) {
            named(id, "conveyor", x, y + aside,
                {{"length_mm", 2400}, {"width_mm", 260}, {"height_mm", 300}, {"speed_mm_s", 200}, {"gap_mm", 20},
                    {"to", to}});
        };
        const auto infeed = [&](const std::string& id, const std::string& on, const char* part, double every) {
            named(id, "infeed", -1150, 0, {{"host", on}, {"to", on}, {"part_type", part}, {"interval_s", every}});
        };
        const auto station = [&](const std::string& id, double x, const std::string& to) {
            named(id, "fixture", x, y - 450,
                {{"process_s", 3}, {"to", to}, {"length_mm", 240}, {"width_mm", 240}, {"height_mm", 300}});
        };
        belt("p" + n, 0, 450, "op" + n);
        belt("t" + n, 0, -450, "u" + n);
        belt("u" + n, 2400, -450, "m" + n);
        infeed("ip" + n, "p" + n, "plug", 1.3 + 0.01 * i);
        infeed("it" + n, "t" + n, "tray", 5);
        named("op" + n, "outfeed", 1150, 0, {{"host", "p" + n}, {"shape", "hood"}});
        named(
            "s" + n, "stop", 1000, 0, {{"host", "t" + n}, {"inputs", {{{"id", "open"}, {"from", "s" + n + ".full"}}}}});
        station("m" + n, 3750, i < 2 ? "k" + n : "o" + n);
        if (i < 2) station("k" + n, 4050, "o" + n);
        named("o" + n, "outfeed", 4400, y - 450,
            {{"shape", "bin"}, {"length_mm", 300}, {"width_mm", 300}, {"height_mm", 200}});
        const auto deal = [&](const char* what, const char* key, const std::string& with) {
            return cell::json{
                {"id", what}, {"do", what}, {key, with}, {"approach_mm", 70}, {"retreat_mm", 70}, {"detour", false}};
        };
        cell::json pick = deal("pick", "from", "q" + n), place = deal("place", "in", "s" + n);
        place["on_carrier"] = true;
        named("q" + n, "stop", 600, 0, {{"host", "p" + n}});
        named("arm" + n, "arm", 800, y, {{"model", "six900"}, {"tool", "cup"}, {"task", {pick, place}}});
    }
    return tree;
}

void long_lines() {
    const auto c = tests::read(tray_lines());
    simulation::PlanCache plans;
    simulation::RunOptions o;
    o.stop_when_steady = false;
    o.horizon_s = 600;
    const auto some = simulation::run(*c, plans, o);
    if (some->trace.departures.size() < 500) throw std::runtime_error("the tray lines stand still");
    std::size_t trays = 0;
    for (const simulation::PartRecord& p : some->trace.parts)
        trays += p.type == 1 && p.places.back().kind != simulation::Place::Kind::gone;
    // A run of 8 h would be cut if it kept everything that was.
    o.horizon_s = 8 * 3600;
    o.history = simulation::History::none;
    const double ours = timed(3, 1, [&](int) {
        const auto r = simulation::run(*c, plans, o);
        if (r->cut) throw std::runtime_error("the run of the tray lines was cut");
    });
    const std::string what = "8 h of 12 belts, 4 arms, 6 stations, " + std::to_string(trays) + " trays, bare";
    row(what.c_str(), ours, 8 * 3600.0, "the clock on the wall");
    o.horizon_s = 3600;
    const double bare = timed(3, 1, [&](int) { benchmark::DoNotOptimize(simulation::run(*c, plans, o)); });
    o.history = simulation::History::whole;
    const double whole = timed(3, 1, [&](int) { benchmark::DoNotOptimize(simulation::run(*c, plans, o)); });
    row("1 h of them, bare", bare, whole, "with all that was kept");
    const cell::Document demo = tests::demo();
    const double checked = timed(3, 1, [&](int) {
        inspection::Cache fresh;
        benchmark::DoNotOptimize(study::evaluate(simulation::layout(demo, "A"), fresh));
    });
    inspection::Cache cache;
    study::EvaluateOptions flow;
    flow.level = inspection::Level::flow;
    study::evaluate(simulation::layout(demo, "A"), cache, flow);
    const double alone = timed(
        5, 1, [&](int) { benchmark::DoNotOptimize(study::evaluate(simulation::layout(demo, "A"), cache, flow)); });
    row("the demo's flow alone, motions known", alone, checked, "every check too, from nothing");
    study::evaluate(simulation::layout(demo, "A"), cache);
    const double current =
        timed(5, 1, [&](int) { benchmark::DoNotOptimize(study::evaluate(simulation::layout(demo, "A"), cache)); });
    const auto read = simulation::layout(demo, "A").shared_cell();
    simulation::RunOptions only;
    only.history = simulation::History::none;
    const double demo_bare =
        timed(5, 1, [&](int) { benchmark::DoNotOptimize(simulation::run(*read, cache.plans, only)); });
    row("the demo's run, bare, motions known", demo_bare, current, "run, checks, figures, all known");
}

void joint_solutions() {
    const auto cell = tests::catalogue_cell();
    const kinematics::ArmModel& arm = cell->arm_models[1];
    const auto closed = kinematics::spherical_wrist_solver(arm), numeric = kinematics::numeric_solver(arm);
    tests::Draw draw(1);
    std::vector<geometry::Frame> poses;
    for (int i = 0; i < 1000; ++i) {
        kinematics::JointVector q(6);
        for (int j = 0; j < 6; ++j) q[j] = draw.in(-1.5, 1.5);
        poses.push_back(arm.flange_frame(q));
    }
    std::vector<kinematics::JointSolution> found;
    const double ours = timed(
        15, 20000, [&](int n) { closed->solve(poses[static_cast<std::size_t>(n) % poses.size()], arm.ready, found); });
    const double reference = timed(
        1, 50, [&](int n) { numeric->solve(poses[static_cast<std::size_t>(n) % poses.size()], arm.ready, found); });
    row("joint solutions, all eight", ours, reference, "24 numeric starts");
}

void body_distance() {
    tests::Draw draw(2);
    struct Pair {
        geometry::Convex a, b;
        geometry::Frame at_a, at_b;
        geometry::Warm warm = geometry::Warm::Zero();
    };
    std::vector<Pair> pairs;
    while (pairs.size() < 500) {
        Pair p{draw.convex(), draw.convex(), draw.frame(1.5), draw.frame(1.5)};
        if (geometry::separation(p.a, p.at_a, p.b, p.at_b).distance > 0.01) pairs.push_back(p);
    }
    const double warm = timed(15, 50000, [&](int n) {
        Pair& p = pairs[static_cast<std::size_t>(n) % pairs.size()];
        benchmark::DoNotOptimize(geometry::separation(p.a, p.at_a, p.b, p.at_b, &p.warm));
    });
    const double reference = timed(1, 500, [&](int n) {
        const Pair& p = pairs[static_cast<std::size_t>(n) % pairs.size()];
        benchmark::DoNotOptimize(plain_distance(p.a, p.at_a, p.b, p.at_b));
    });
    row("distance of two convex bodies, warm", warm, reference, "Frank-Wolfe to 0.1 mm");
}

void arm_clearance() {
    const auto e = tests::evaluated(tests::demo(), "A");
    const cell::Device& arm = e->cell->devices[e->cell->device("arm1")];
    const motion::ArmMover mover(arm.arm->model->mechanism, arm.world, motion::standstill(arm.arm->ready), 0,
        motion::part_set(simulation::arm_parts(*arm.arm)));
    std::vector<motion::Part> all;
    for (const cell::Device& d : e->cell->devices)
        for (const geometry::Body& b : d.bodies)
            if (d.id != "pedestal1") all.push_back({0, b.shape, d.world * b.at, {}, 0});
    const motion::GlideMover others(geometry::Frame::Identity(), motion::part_set(all));
    const double ours = timed(15, 500, [&](int) {
        benchmark::DoNotOptimize(motion::least_clearance(mover, others, {0, 0, 0.15}));
    });
    const double reference =
        timed(3, 20, [&](int) { benchmark::DoNotOptimize(tests::sampled_clearance(mover, others, 0, 0, 0)); });
    std::printf("(%zu bodies of the arm against %zu)\n", mover.parts().size(), all.size());
    row("whole-arm clearance query, one instant", ours, reference, "every pair in full");
}

/// Reach and base position fields at 25 mm for a cell with 20 poses; the references ask for every cell and every pose
/// in full.
void fields() {
    json tree = tests::demo().tree();
    tree["devices"].push_back(
        {{"id", "rack"}, {"name", "Rack"}, {"kind", "tray"}, {"use", "collect"}, {"columns", 5}, {"rows", 4},
            {"pitch_x_mm", 90}, {"pitch_y_mm", 60}, {"placement", {{"x_mm", 1500}, {"y_mm", -200}, {"z_mm", 700}}}});
    for (json& d : tree["devices"])
        if (d["id"] == "arm1")
            d["task"] = {{{"id", "s1"}, {"do", "pick"}, {"from", "infeed_belt"}},
                {{"id", "s2"}, {"do", "place"}, {"in", "rack"}}};
    const auto c = tests::read(tree);
    inspection::Cache cache;
    const auto poses = inspection::check_reach(*c, cache);
    const int arm = c->device("arm1");
    const cell::Device& d = c->devices[arm];
    inspection::BaseField f;
    const double ours = timed(5, 1, [&](int) { f = inspection::base_field(*c, arm, poses); });
    const auto plain = [&](int) {
        int reached = 0;
        for (int row = 0; row < f.rows; ++row)
            for (int column = 0; column < f.columns; ++column)
                for (const double turn : f.turns) {
                    geometry::Frame base = d.world;
                    base.translation().x() = f.x + column * f.cell, base.translation().y() = f.y + row * f.cell;
                    base.linear() = geometry::rotation(geometry::Vector3::UnitZ(), turn);
                    bool all = true;
                    for (const auto& n : poses)
                        if (n.arm == arm)
                            for (const double back : {0.0, n.approach, n.retreat})
                                all = d.arm->solver->reachable(base.inverse() * n.tool_world *
                                                                   geometry::make_frame({0, 0, -back}) *
                                                                   d.arm->tool_frame.inverse(),
                                          d.arm->ready) &&
                                      all;
                    reached += all;
                }
        benchmark::DoNotOptimize(reached);
    };
    std::printf("(%d poses, %d x %d cells, 4 turns)\n", f.poses, f.columns, f.rows);
    row("base position field, 25 mm", ours, timed(1, 1, plain), "every cell, turn and pose");
    kinematics::ReachField r;
    const double reach = timed(
        5, 1, [&](int) { r = kinematics::reach_field(*d.arm->model, *d.arm->solver, d.arm->tool_frame, 0.4, 0.025); });
    const double slow = timed(1, 1, [&](int) {
        std::vector<kinematics::JointSolution> found;
        for (int i = 0; i < r.size * r.size; ++i)
            for (int turn = 0; turn < 4; ++turn) {
                geometry::Frame wanted =
                    geometry::make_frame({r.origin + (i % r.size) * r.cell, r.origin + (i / r.size) * r.cell, 0.4});
                wanted.linear() = kinematics::straight_down(turn * geometry::pi / 2);
                d.arm->solver->solve(wanted * d.arm->tool_frame.inverse(), d.arm->ready, found);
            }
    });
    row("reach field with margins, 25 mm", reach, slow, "all solutions at every cell and turn");
}

void straight_moves() {
    const auto c = tests::catalogue_cell();
    const cell::Arm& arm = *c->devices[1].arm;
    const geometry::Frame from =
        arm.model->flange_frame(arm.model->ready) * arm.tool_frame * geometry::make_frame({0, -0.25, 0});
    const geometry::Frame to = from * geometry::make_frame({0, 0.5, 0});
    const kinematics::JointVector q = arm.solver->nearest(from * arm.tool_frame.inverse(), arm.model->ready)->q;
    const double ours = timed(7, 20, [&](int) {
        benchmark::DoNotOptimize(motion::straight_move({*arm.model, *arm.solver, arm.tool_frame, from, to, q, 1.0}));
    });
    const auto path = [&, last = q](double s) mutable {
        geometry::Frame tool = from;
        tool.translation() += s * (to.translation() - from.translation());
        return last = arm.solver->nearest(tool * arm.tool_frame.inverse(), last)->q;
    };
    const double plain = timed(1, 1, [&](int) {
        benchmark::DoNotOptimize(tests::dense_duration(
            arm.model->mechanism, path, arm.model->line_speed / 0.5, arm.model->line_acceleration / 0.5, 1, 3000));
    });
    row("time-optimal straight move of 500 mm", ours, plain, "3000 points and bisection");
}

/// A SCARA and a plug that rides by: the soonest instant at which it can be met.
void meetings() {
    std::string file = ESCARP_DEMO;
    file.replace(file.find("leak-test"), 9, "seedling-trays");
    const cell::Document d = cell::Document::load(file);
    const auto c = simulation::layout(d, d.baseline()).shared_cell();
    const cell::Device &arm = c->devices[c->device("filler")], &belt = c->devices[c->device("plug_belt")];
    const cell::Step& step = arm.task.steps.front();
    const geometry::Frame grip = c->part_types.front().grip("");
    constexpr double speed = 0.1, work = 0.08;
    const auto ride = [](int i) { return simulation::Spot{-1, 0, 0.9 + 1e-4 * i, speed, 2.8}; };
    const auto move = [&](const kinematics::JointVector& to) {
        return motion::joint_move(arm.arm->model->mechanism, arm.arm->ready, to, 1);
    };
    const double ours = timed(5, 20, [&](int i) {
        simulation::PlanCache plans;
        simulation::MeetingSearch search{arm, *arm.arm, belt, step, grip, arm.arm->ready};
        search.work_s = work;
        search.direct = search.travel = move;
        std::optional<motion::MeetingFailure> why;
        benchmark::DoNotOptimize(simulation::meet_part(plans, search, ride(i), why));
    });
    // The plain way: every millisecond, the whole of it.
    const double plain = timed(1, 3, [&](int i) {
        simulation::PlanCache plans;
        motion::MeetingRequest r{*arm.arm->model, *arm.arm->solver, arm.arm->tool_frame, [&](double way) {
                                     return geometry::Frame(
                                         arm.world.inverse() * simulation::kind_of(belt).rides_at(belt, way) * grip);
                                 }};
        r.speed = speed, r.approach = step.approach, r.retreat = step.retreat, r.work_s = work;
        for (double t = 0;; t += 1e-3) {
            r.way = ride(i).way + speed * t;
            const auto pose = plans.pose({*arm.arm, r.place(r.way) * geometry::make_frame({0, 0, -step.approach}), 0, 0,
                1, -1, 1, std::nullopt, &arm.arm->ready});
            if (!pose->good) continue;
            r.near = pose->pose;
            const auto result = motion::meet(r);
            const auto* met = std::get_if<motion::Meeting>(&result);
            if (met && met->first_way >= step.window_from && move(met->start)->duration() <= t) break;
        }
    });
    row("meeting what rides by, the soonest instant", ours, plain, "every millisecond in full");
}

void ways_round() {
    std::vector<double> ours, quality;
    double plain = 0;
    int solved = 0, good = 0;
    const auto scenes = tests::scenes();
    for (const tests::Scene& s : scenes) {
        const motion::Room room(s.arm->model->mechanism, s.room.parts, *s.room.around, s.room.self_pairs);
        motion::DetourRequest request{*s.arm->model, s.arm->tool_frame, room, s.from, s.to, s.room.need};
        motion::Detour way;
        ours.push_back(timed(3, 1, [&](int) { way = motion::find_way(request); }));
        solved += way.motion != nullptr;
        double best = way.motion ? way.motion->duration() : 1e9;
        plain += timed(1, 1, [&](int) {
            for (unsigned seed = 1; seed <= 40; ++seed) {  // the plain way to a good path: many tries, keep the best
                request.seed = seed;
                const motion::Detour other = motion::find_way(request);
                if (other.motion) best = std::min(best, other.motion->duration());
            }
        });
        if (way.motion) quality.push_back(way.motion->duration() / best);
        good += way.motion && way.motion->duration() <= 1.2 * best;
    }
    std::sort(ours.begin(), ours.end());
    std::sort(quality.begin(), quality.end());
    std::printf("(%d of %zu scenes solved, slowest %.0f ms; %d within 1.2 of the best of 41 tries, worst %.2f)\n",
        solved, scenes.size(), ours.back() * 1e3, good, quality.back());
    row("way round obstacles, median of twenty scenes", ours[ours.size() / 2],
        plain / static_cast<double>(scenes.size()), "the best of 40 tries");
}

void numeric_solutions() {
    const auto c = tests::catalogue_cell();
    kinematics::ArmModel bent = *c->devices[1].arm->model;
    bent.mechanism.joints[5].at.translation().y() = 0.04;
    const auto numeric = kinematics::make_joint_solver(bent);
    const geometry::Frame target = bent.flange_frame(bent.ready);
    kinematics::JointVector near = bent.ready;
    near[1] += 0.02, near[3] += 0.03;
    std::vector<kinematics::JointSolution> found;
    const double all = timed(5, 2, [&](int) { numeric->solve(target, near, found); });
    row("numeric solver, the solution beside the last one",
        timed(7, 200, [&](int) { benchmark::DoNotOptimize(numeric->nearest(target, near)); }), all, "the whole search");
}

void test_cycles() {
    const auto c = tests::catalogue_cell();
    std::printf("\ntest cycle 25 / 300 / 25 mm and back, 2 kg, jaw gripper 60, corners 10 mm:\n");
    for (const cell::Device& d : c->devices) {
        if (d.arm->model->payload < 2 + d.arm->tool->mass) continue;
        const double s = study::test_cycle(*d.arm).value_or(-1);
        if (s > 0) std::printf("  %-34s %6.3f s\n", d.arm->model->name.c_str(), s);
        else std::printf("  %-34s does not fit beside its ready pose\n", d.arm->model->name.c_str());
    }
}

}  // namespace

/// Shared zones of the demo and of eight arms, and what one step sweeps, against looking at every body at every
/// millisecond in every cube.
/// Whether the demo can lock up, and how near its arms come over a cycle.
void orders_and_nearness() {
    const cell::Layout demo = simulation::layout(tests::demo(), "B");
    inspection::Cache cache;
    const auto e = study::evaluate(demo, cache);
    const double one_run = timed(5, 1, [&](int) {
        simulation::RunOptions bare;
        bare.history = simulation::History::none;
        benchmark::DoNotOptimize(simulation::run(*e->cell, cache.plans, bare));
    });
    std::size_t states = 0;
    const double proof = timed(3, 1, [&](int) { states = inspection::explore_orders(*e->cell, cache)->states; });
    row(("can the demo lock up: " + std::to_string(states) + " states").c_str(), proof,
        one_run * static_cast<double>(states), "a bare run from the start to each of them");
    const int one = e->cell->device("arm1"), other = e->cell->device("arm2");
    const double from = simulation::seconds(e->run->steady->from), to = from + *e->figures.cycle_s;
    const double curve = timed(5, 1, [&](int) {
        benchmark::DoNotOptimize(inspection::clearance_over_time(*e->cell, *e->run, cache, from, to, 300, one, other));
    });
    // Every body against every body at each millisecond: a hundredth of them, scaled.
    const double plain = 100 * timed(1, 1, [&](int) {
        double least = 1e9;
        std::vector<geometry::Frame> frames[2];
        for (double t = from; t < to; t += 0.1) {
            for (const int k : {0, 1}) {
                const cell::Device& d = e->cell->devices[static_cast<std::size_t>(k ? other : one)];
                d.arm->model->mechanism.link_frames(
                    e->run->trace.joints(*e->cell, k ? other : one, simulation::ticks(t)), d.world, frames[k]);
            }
            const auto& a = e->cell->devices[static_cast<std::size_t>(one)].arm->model->mechanism.links;
            const auto& b = e->cell->devices[static_cast<std::size_t>(other)].arm->model->mechanism.links;
            for (std::size_t m = 0; m < a.size(); ++m)
                for (const auto& x : a[m].bodies)
                    for (std::size_t n = 0; n < b.size(); ++n)
                        for (const auto& y : b[n].bodies)
                            least = std::min(
                                least, geometry::separation(x.shape, frames[0][m] * x.at, y.shape, frames[1][n] * y.at)
                                           .distance);
        }
        benchmark::DoNotOptimize(least);
    });
    row("clearance of two arms over a cycle, 300 stretches", curve, plain,
        "every two bodies, every millisecond (scaled)");
}

void zones() {
    const cell::Document demo = tests::demo();
    const auto e = study::evaluate(simulation::layout(demo, "B"), *std::make_unique<inspection::Cache>());
    const inspection::Timeline timeline(*e->cell, *e->run, nullptr);
    const inspection::TimedMover& arm = timeline.movers().front();
    const inspection::Segment& longest = *std::max_element(arm.segments.begin(), arm.segments.end(),
        [](const auto& a, const auto& b) { return a.motion->duration() < b.motion->duration(); });
    const motion::ArmMover mover = timeline.moving(arm, longest);
    const double duration = longest.motion->duration();
    const geometry::Box3 box = inspection::swept_box(mover, inspection::Pieces(*longest.parts, 1e-3), 0, duration);
    const auto sweep = [&](double resolution) {
        const inspection::Fineness how{resolution};
        const inspection::Pieces pieces(*longest.parts, how.chord());
        return timed(5, 1, [&](int) {
            geometry::Volume volume(how.edge(), box);
            inspection::add_swept(mover, pieces, 0, duration, how, volume);
            benchmark::DoNotOptimize(volume);
        });
    };
    // Every cube of 10 mm against every body at 10 instants, scaled to every millisecond.
    const double plain = 100 * duration * timed(1, 1, [&](int) {
        std::vector<geometry::Frame> frames;
        int touched = 0;
        for (int i = 0; i < 10; ++i) {
            mover.frames(duration * i / 9, frames);
            for (double x = box.low.x(); x < box.high.x(); x += 0.01)
                for (double y = box.low.y(); y < box.high.y(); y += 0.01)
                    for (double z = box.low.z(); z < box.high.z(); z += 0.01)
                        for (const motion::Part& p : longest.parts->parts()) {
                            const geometry::Frame at = frames[p.frame] * p.at;
                            if ((at * p.shape.centre() - geometry::Vector3(x, y, z)).norm() > p.shape.bound()) continue;
                            touched += geometry::separation(p.shape, at, geometry::Convex::sphere(0),
                                           geometry::Frame(Eigen::Translation3d(x, y, z)))
                                           .distance <= 0;
                        }
        }
        benchmark::DoNotOptimize(touched);
    });
    const std::string seconds = cell::fixed(duration, 1) + " s of an arm's motion swept, ";
    row((seconds + "10 mm").c_str(), sweep(0.01), plain, "every cube, body and millisecond (scaled)");
    row((seconds + "30 mm").c_str(), sweep(0.03), plain, "every cube, body and millisecond (scaled)");
    inspection::Cache cache;
    const double cold = timed(3, 1, [&](int) {
        inspection::Cache fresh;
        benchmark::DoNotOptimize(inspection::find_zones(*e->cell, *e->run, fresh));
    });
    inspection::find_zones(*e->cell, *e->run, cache);
    const double again =
        timed(5, 1, [&](int) { benchmark::DoNotOptimize(inspection::find_zones(*e->cell, *e->run, cache)); });
    row("the demo's shared zones from nothing", cold, plain, "one motion, every cube, body and millisecond");
    row("the same again, nobody moves otherwise", again, cold, "from nothing");
}

/// Studies: a repetition, a sweep with every check on one core and on all, a search against a dense scan, and how the
/// time grows with repetitions and devices.
void studies() {
    const cell::Layout random = simulation::layout(tests::demo(), "D"), even = simulation::layout(tests::demo(), "B");
    inspection::Cache cache;
    const auto cycle = study::measures_of({"cycle_s"}, "");
    study::EvaluateOptions shift;
    shift.run.horizon_s = 8 * 3600;
    study::one_run(random.shared_cell(), cycle, 1, cache, shift);
    const double bare = timed(
        3, 1, [&](int) { benchmark::DoNotOptimize(study::one_run(random.shared_cell(), cycle, 1, cache, shift)); });
    study::EvaluateOptions flow = shift;
    flow.level = inspection::Level::flow;
    const double whole =
        timed(1, 1, [&](int) { benchmark::DoNotOptimize(study::judge(random.shared_cell(), cache, flow)); });
    row("8 h of the demo with chance, one repetition", bare, whole, "with all that was");

    cell::Study sweep;
    sweep.vary = {
        {"/devices/pedestal1/placement/x_mm", 1400, 1700, 20}, {"/devices/pedestal1/placement/y_mm", 380, 460, 20}};
    sweep.look_at = {"cycle_s", "clearance_mm", "reach_margin_mm", "stops"};
    const auto of_400 = [&](int threads) {
        const tbb::global_control limit(
            tbb::global_control::max_allowed_parallelism, static_cast<std::size_t>(threads));
        return timed(1, 1, [&](int) {
            inspection::Cache fresh;
            benchmark::DoNotOptimize(study::ask(even, sweep, fresh));
        });
    };
    const int cores = static_cast<int>(std::thread::hardware_concurrency());
    const double alone = of_400(1), together = of_400(cores);
    row(("a sweep of 400 placements, every check, " + std::to_string(cores) + " cores").c_str(), together, alone,
        "one core");

    cell::Study dense = sweep;
    dense.look_at = {"cycle_s"};
    cell::Study search = dense;
    search.asks = cell::Study::Asks::search;
    search.tries = 120, search.starts = 2;
    double best_found = 0, best_there = 0;
    const double scan = timed(1, 1, [&](int) {
        inspection::Cache fresh;
        const study::Answered a = study::ask(even, dense, fresh);
        best_there = a.tried[static_cast<std::size_t>(a.best)].figure("cycle_s");
    });
    const double searched = timed(1, 1, [&](int) {
        inspection::Cache fresh;
        const study::Answered a = study::ask(even, search, fresh);
        best_found = a.tried[static_cast<std::size_t>(a.best)].figure("cycle_s");
    });
    char words[120];
    std::snprintf(words, sizeof words, "search for the best base (%.4f s; the scan %.4f s)", best_found, best_there);
    row(words, searched, scan, "a scan of 400, cycle alone");

    study::ReplicateOptions few, many;
    few.repetitions = 10, many.repetitions = 40;
    const auto repeated = [&](const std::shared_ptr<const cell::Cell>& c, const study::ReplicateOptions& how) {
        return timed(1, 1, [&](int) { benchmark::DoNotOptimize(study::replicate(c, cycle, cache, {}, how)); });
    };
    row("40 repetitions of the demo", repeated(random.shared_cell(), many), repeated(random.shared_cell(), few),
        "10 repetitions");
    const auto lines = [&](int count) {
        tests::json tree = tests::station_lines(count);
        for (tests::json& d : tree["devices"])
            if (d["kind"] == "infeed") d["interval_s"] = "normal 5, 1";
        return tests::read(tree);
    };
    row("10 repetitions of 100 devices", repeated(lines(20), few), repeated(lines(5), few), "of 25 devices");
    const double ranked = timed(
        1, 1, [&](int) { benchmark::DoNotOptimize(study::gains(simulation::layout(tests::demo(), "A"), cache)); });
    row("gains of every step and time of the demo", ranked, whole, "one run of 8 h");
}

/// Eight arms of four models in two rows, each between two trays that it shares with nobody, among posts and shelves:
/// 200 bodies and more, beside those of the arms.
cell::json eight_arms() {
    cell::json tree = {{"escarp", 1}, {"name", "Eight arms"}, {"takt_s", 10}, {"horizon_s", 120},
        {"safety_distance_mm", 20}, {"arm_models", cell::catalogue_arms()}, {"tool_models", cell::catalogue_tools()},
        {"part_types", cell::catalogue_part_types()}, {"devices", cell::json::array()}};
    const std::string part = tree["part_types"][0]["id"];
    cell::json& devices = tree["devices"];
    static const char* const models[] = {"six900", "six1400", "seven800", "offset850"};
    static const double reaches[] = {560, 760, 520, 540};
    for (int i = 0; i < 8; ++i) {
        const double x = 1500.0 * (i % 4), y = 3600.0 * (i / 4), turn = i < 4 ? 90 : -90, way = i < 4 ? 1 : -1,
                     reach = reaches[i % 4];
        const std::string n = std::to_string(i + 1);
        const auto tray = [&](const std::string& id, const char* use, double dx) {
            devices.push_back({{"id", id}, {"name", id}, {"kind", "tray"}, {"use", use}, {"part_type", part},
                {"columns", 2}, {"rows", 1}, {"pitch_x_mm", 150}, {"pitch_y_mm", 150}, {"exchange_s", 1},
                {"placement", {{"x_mm", x + dx}, {"y_mm", y + way * reach}, {"z_mm", 350}}}});
        };
        tray("from" + n, "supply", -280), tray("to" + n, "collect", 280);
        devices.push_back({{"id", "arm" + n}, {"name", "Arm " + n}, {"kind", "arm"}, {"model", models[i % 4]},
            {"tool", "jaw60"}, {"placement", {{"x_mm", x}, {"y_mm", y}, {"turn_deg", turn}}},
            {"task", {{{"id", "p" + n}, {"do", "pick"}, {"from", "from" + n}, {"approach_mm", 80}},
                         {{"id", "q" + n}, {"do", "place"}, {"in", "to" + n}, {"approach_mm", 80}}}}});
        for (int k = 0; k < 6; ++k) {  // four boxes each: a shelf of two posts and two boards
            cell::json bodies = cell::json::array();
            for (const double side : {-100.0, 100.0})
                bodies.push_back({{"shape", "box"}, {"size_mm", {40, 40, 900}}, {"at_mm", {side, 0, 0}}});
            for (const double height : {300.0, 700.0})
                bodies.push_back({{"shape", "box"}, {"size_mm", {240, 150, 20}}, {"at_mm", {0, 0, height}}});
            devices.push_back({{"id", "shelf" + n + "_" + std::to_string(k)},
                {"name", "Shelf " + n + "-" + std::to_string(k + 1)}, {"kind", "solid"}, {"bodies", bodies},
                {"placement", {{"x_mm", x - 625 + 250 * k}, {"y_mm", y + way * (reach + 420 + 10 * k)}}}});
        }
    }
    return tree;
}

void many_arms() {
    cell::json tree = eight_arms();
    tree["variants"] = {{{"id", "A"}, {"name", "A"}}};
    tree["baseline"] = "A";
    const cell::Document d = cell::Document::parse(tree.dump());
    std::size_t bodies = 0;
    for (const cell::Device& one : tests::read(tree)->devices) bodies += one.bodies.size();
    std::shared_ptr<const study::Evaluation> e;
    const double cold = timed(1, 1, [&](int) {
        inspection::Cache fresh;
        e = study::evaluate(simulation::layout(d, "A"), fresh);
    });
    inspection::Cache cache;
    study::evaluate(simulation::layout(d, "A"), cache);
    const auto moved = [&](const char* tray, double x) {
        const std::string at = std::string("/devices/") + tray + "/placement/x_mm";
        return simulation::layout(d.edited("A", {"", {cell::Operation::set(at, x)}}), "A");
    };
    const auto edit = [&](const char* tray, double x) {
        return timed(3, 3, [&](int i) { benchmark::DoNotOptimize(study::evaluate(moved(tray, x + 0.7 * i), cache)); });
    };
    char words[160];
    std::snprintf(words, sizeof words, "8 arms of 4 models, %zu bodies, cycle %.2f s: from nothing", bodies,
        e->figures.cycle_s.value_or(0));
    const double plain = 25 * plain_clearance(*e, 0.05);
    row(words, cold, plain, "the plain clearance check every 50 ms");
    row("the same after a tray of a six-axis arm has moved", edit("to1", 281), cold, "from nothing");
    row("the same after a tray of a seven-axis arm has moved", edit("to3", 3281), cold, "from nothing");
    inspection::find_zones(*e->cell, *e->run, cache, nullptr, inspection::usual_resolution(*e->cell, *e->run));
    const auto all_zones = [&](const cell::Layout& l) {
        const auto now = study::evaluate(l, cache);
        return timed(1, 1, [&](int) {
            benchmark::DoNotOptimize(inspection::find_zones(
                *now->cell, *now->run, cache, nullptr, inspection::usual_resolution(*now->cell, *now->run)));
        });
    };
    row("their zones after that", all_zones(moved("to1", 290)), cold, "all figures from nothing");
}

int main() {
    edit_to_figures();
    part_flow();
    growth();
    long_lines();
    joint_solutions();
    body_distance();
    arm_clearance();
    fields();
    numeric_solutions();
    straight_moves();
    meetings();
    ways_round();
    zones();
    orders_and_nearness();
    test_cycles();
    many_arms();
    studies();
    return 0;
}
