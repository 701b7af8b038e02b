#include <catch2/catch.hpp>

#include <inspection/orders.h>
#include <simulation/kernel.h>
#include <study/interlock.h>

#include "reference/all_orders.h"
#include "support/cells.h"
#include "support/random.h"
#include "support/random_cells.h"
#include "support/rounds.h"

using namespace escarp;
using cell::json;
using inspection::Orders;
using tests::OrderProgram;
using tests::OrderWord;

namespace {

constexpr double first_share = 20,
                 share_step = 12;  // of a motion, %: where it passes; apart by more than it takes to stop

/// Two or three arms, or two and a door that follows a signal of one of them, with up to three zones and a signal each.
OrderProgram random_program(tests::Draw& draw) {
    OrderProgram p;
    p.arms.resize(static_cast<std::size_t>(draw.whole(2, 3)));
    const int arms = static_cast<int>(p.arms.size());
    p.doors = arms == 3 && draw.whole(0, 1) == 1 ? 1 : 0;
    p.signals = arms - p.doors;
    for (int z = draw.whole(1, 3); z > 0; --z) {
        const int one = draw.whole(0, arms - 1);
        p.zones.push_back({one, (one + draw.whole(1, arms - 1)) % arms, draw.whole(0, 3)});
    }
    for (int a = 0; a < arms; ++a) {
        auto& words = p.arms[static_cast<std::size_t>(a)];
        const bool door = a >= arms - p.doors;
        if (door) {
            const int follows = draw.whole(0, p.signals - 1);
            words = {{OrderWord::goes, {}, follows, true}, {OrderWord::goes, {}, follows, false}};
        }
        const int motions = door ? 2 : draw.whole(2, 3);
        for (int m = 0; m < motions && !door; ++m) {
            words.push_back({});
            if (draw.whole(0, 3) == 0) words.push_back({OrderWord::sets, {}, a, draw.whole(0, 1) == 1});
            if (draw.whole(0, 3) == 0)
                words.push_back(
                    {OrderWord::waits, {}, (a + draw.whole(1, p.signals - 1)) % p.signals, draw.whole(0, 1) == 1});
        }
        // Each zone once a round, from somewhere to somewhere later.
        std::vector<std::tuple<double, bool, int>> passes;
        for (std::size_t z = 0; z < p.zones.size(); ++z) {
            if ((p.zones[z].one != a && p.zones[z].other != a) || draw.whole(0, 4) == 0) continue;
            double from = draw.in(0, motions), to = draw.in(0, motions);
            if (from > to) std::swap(from, to);
            passes.emplace_back(from, true, static_cast<int>(z)), passes.emplace_back(to, false, static_cast<int>(z));
        }
        std::sort(passes.begin(), passes.end());
        int motion = 0;
        for (OrderWord& w : words) {
            if (w.kind != OrderWord::goes) continue;
            for (const auto& [at, asks, zone] : passes)
                if (static_cast<int>(at) == motion) w.passes.emplace_back(asks, zone);
            // What it needs it asks for before it sets off.
            if (door)
                std::stable_partition(w.passes.begin(), w.passes.end(), [](const auto& one) { return one.first; });
            const auto given_back =
                std::find_if(w.passes.begin(), w.passes.end(), [](auto& one) { return !one.first; });
            if (door) std::sort(w.passes.begin(), given_back);  // the first zone first
            ++motion;
        }
    }
    return p;
}

/// The same as a cell: arms far from each other that move from pose to pose.
json cell_of(const OrderProgram& p) {
    json tree = {{"escarp", 1}, {"name", "Orders"}, {"arm_models", cell::catalogue_arms()}, {"horizon_s", 60},
        {"devices", json::array()}};
    const std::string model = tree["arm_models"][0]["id"];
    std::vector<json> points(p.zones.size(), json::array());
    const auto add_point = [&](int mover, std::pair<bool, int> pass, std::size_t nth, json row) {
        const auto [asks, zone] = pass;
        const bool second = p.zones[static_cast<std::size_t>(zone)].other == mover;
        row["of"] = second ? "second" : "first", row["does"] = asks ? "asks" : "gives back";
        row["at_pct"] = first_share + share_step * static_cast<double>(nth);
        points[static_cast<std::size_t>(zone)].push_back(std::move(row));
    };
    const std::size_t arms = p.arms.size() - static_cast<std::size_t>(p.doors);
    const auto id_of = [&](int mover) {
        return (mover < static_cast<int>(arms) ? "arm" : "door") + std::to_string(mover);
    };
    for (std::size_t a = 0; a < arms; ++a) {
        const std::string id = "arm" + std::to_string(a);
        json arm = {{"id", id}, {"name", "Arm " + std::to_string(a + 1)}, {"kind", "arm"}, {"model", model},
            {"detours", false}, {"speed_pct", 5}, {"own_signals", {"s"}}, {"poses", json::array()},
            {"task", json::array()}, {"placement", {{"x_mm", 6000.0 * static_cast<double>(a)}, {"y_mm", 0}}}};
        int motion = 0;
        for (std::size_t i = 0; i < p.arms[a].size(); ++i) {
            const OrderWord& w = p.arms[a][i];
            const std::string step = "w" + std::to_string(i);
            if (w.kind != OrderWord::goes) {
                const std::string signal = "arm" + std::to_string(w.signal) + ".s";
                arm["task"].push_back(w.kind == OrderWord::sets
                                          ? json{{"id", step}, {"do", "set"}, {"signal", signal}, {"to", w.value}}
                                          : json{{"id", step}, {"do", "wait"}, {"signal", signal}, {"is", w.value}});
                continue;
            }
            const std::string pose = "p" + std::to_string(motion);
            arm["poses"].push_back({{"id", pose}, {"name", pose}, {"joints_deg", {-60 + 60 * motion, 0, 0, 0, 60, 0}}});
            arm["task"].push_back({{"id", step}, {"do", "move"}, {"pose", pose}, {"by", "joint"}});
            ++motion;
            for (std::size_t k = 0; k < w.passes.size(); ++k)
                add_point(static_cast<int>(a), w.passes[k], k, {{"step", step}});
        }
        tree["devices"].push_back(std::move(arm));
    }
    for (std::size_t a = arms; a < p.arms.size(); ++a) {
        const std::string id = "door" + std::to_string(a), follows = std::to_string(p.arms[a][0].signal);
        tree["devices"].push_back({{"id", id}, {"name", "Door"}, {"kind", "door"}, {"open_s", 2.0}, {"close_s", 2.0},
            {"width_mm", 100}, {"height_mm", 2000}, {"length_mm", 1000},
            {"inputs", {{{"id", "open"}, {"from", "arm" + follows + ".s"}}}},
            {"placement", {{"x_mm", 0}, {"y_mm", -5000}}}});
        for (const std::size_t way : {0, 1})
            for (std::size_t k = 0; k < p.arms[a][way].passes.size(); ++k)
                add_point(static_cast<int>(a), p.arms[a][way].passes[k], k, {{"place", way == 0 ? 2 : 1}});
    }
    const char* rules[] = {"first come", "first before second", "second before first", "in turn"};
    for (std::size_t z = 0; z < p.zones.size(); ++z)
        tree["devices"].push_back({{"id", "k" + std::to_string(z)}, {"name", "Zone " + std::to_string(z + 1)},
            {"kind", "interlock"}, {"one_arm", id_of(p.zones[z].one)}, {"other_arm", id_of(p.zones[z].other)},
            {"rule", rules[p.zones[z].rule]}, {"points", points[z]},
            {"placement", {{"x_mm", 500.0 * static_cast<double>(z)}, {"y_mm", 3000}}}});
    return tree;
}

}  // namespace

TEST_CASE("lock-ups found are those that a plain search through every order finds, on 1000 random small cells") {
    tests::Draw draw(41);
    inspection::Cache cache;
    int lock_up = 0, meet = 0;
    for (int i = 0; i < tests::rounds(1000); ++i) {
        const OrderProgram p = random_program(draw);
        const json tree = cell_of(p);
        INFO("cell " << i << "\n" << tree["devices"].dump());
        const auto cell = tests::read(tree);
        const tests::AllOrders wanted = tests::OrderSearch(p, true).all();
        const auto found = inspection::explore_orders(*cell, cache);
        REQUIRE(found->verdict != Orders::Verdict::undecided);
        std::string way;
        for (const auto& s : found->way)
            way += cell->devices[static_cast<std::size_t>(s.device)].name + " " + s.words + "\n";
        for (const auto& w : found->waits)
            way +=
                cell->devices[static_cast<std::size_t>(w.device)].name + " waits for " + std::to_string(w.other) + "\n";
        INFO(way);
        REQUIRE((found->verdict == Orders::Verdict::locks_up) == wanted.locks_up);
        CHECK_FALSE(wanted.meet);
        meet += tests::OrderSearch(p, false).all().meet;
        if (!wanted.locks_up) continue;
        ++lock_up;
        // The way there is a run that really ends so, at a border.
        REQUIRE(found->run);
        CHECK(std::any_of(found->waits.begin(), found->waits.end(),
            [](const auto& w) { return w.what == simulation::WaitFor::zone; }));
        CHECK(std::is_sorted(
            found->way.begin(), found->way.end(), [](const auto& a, const auto& b) { return a.when < b.when; }));
        CHECK((found->always || found->no_way_out < found->way.size()));
    }
    CHECK(lock_up > tests::rounds(100));
    CHECK(lock_up < tests::rounds(900));
    CHECK(meet > tests::rounds(100));
}

namespace {
/// Two arms that take the same two zones in opposite orders.
OrderProgram crossed() {
    OrderProgram p;
    p.zones = {{0, 1, 0}, {0, 1, 0}};
    for (const int first : {0, 1})
        p.arms.push_back({{OrderWord::goes, {{true, first}, {true, 1 - first}}},
            {OrderWord::goes, {{false, 1 - first}, {false, first}}}});
    return p;
}
}  // namespace

TEST_CASE("the shortest way into a lock-up is a run that ends in it; asking for both zones at once takes it away") {
    inspection::Cache cache;
    const cell::Layout layout =
        simulation::layout(cell::Document::parse(cell_of(crossed()).dump()), cell::Document().baseline());
    const auto e = study::with_zones(*study::evaluate(layout, cache), cache, nullptr, true);
    REQUIRE(e->orders);
    REQUIRE(e->orders->verdict == Orders::Verdict::locks_up);
    const auto& all = e->inspection->findings;
    const auto found =
        std::find_if(all.begin(), all.end(), [](const inspection::Finding& f) { return f.id == "lock-up:arm0:arm1"; });
    REQUIRE(found != all.end());
    CHECK(found->severity == inspection::Severity::stop);
    CHECK(found->steps.size() == e->orders->way.size());
    REQUIRE(found->run);
    // At its end nothing moves, and each holds what the other waits for.
    const simulation::Trace& trace = found->run->trace;
    for (const int arm : {0, 1}) {
        const auto open = std::count_if(trace.blocks.begin(), trace.blocks.end(), [&](const simulation::Block& b) {
            return b.device == arm && b.to == simulation::never && b.kind == simulation::BlockKind::wait;
        });
        CHECK(open == 1);
        const auto holds = std::count_if(trace.blocks.begin(), trace.blocks.end(), [&](const simulation::Block& b) {
            return b.kind == simulation::BlockKind::held && b.other == arm && b.to == simulation::never;
        });
        CHECK(holds == 1);
    }
    // Every way out that is offered is one.
    REQUIRE_FALSE(found->ways_out.empty());
    bool at_once = false;
    for (const inspection::WayOut& way : found->ways_out) {
        const auto orders = inspection::explore_orders(layout.edited(way.edit).cell(), cache);
        CHECK(orders->verdict == Orders::Verdict::goes_on);
        CHECK(way.effect.find("cannot lock up: " + std::to_string(orders->states) + " states") == 0);
        at_once = at_once || way.label.starts_with("Ask for all at once");
    }
    CHECK(at_once);
}

TEST_CASE("a belt that never comes to rest beside the arms does not keep their orders from being gone through") {
    inspection::Cache cache;
    for (const bool locks : {true, false}) {
        OrderProgram p = crossed();
        if (!locks) p.arms[1] = p.arms[0];
        json tree = cell_of(p), line = tests::belt_cell(4, 200, 1500, 50);
        const auto alone = inspection::explore_orders(*tests::read(tree), cache);
        tree["part_types"] = line["part_types"];
        line["devices"][0]["placement"] = {{"x_mm", 3000}, {"y_mm", -4000}};
        for (const json& d : line["devices"]) tree["devices"].push_back(d);
        const auto beside = inspection::explore_orders(*tests::read(tree), cache);
        REQUIRE(beside->verdict == (locks ? Orders::Verdict::locks_up : Orders::Verdict::goes_on));
        CHECK(alone->verdict == beside->verdict);
        CHECK(beside->states >= alone->states);
    }
}

TEST_CASE("the demo's arms cannot lock up with an interlock that lets in who comes first, in turn they do") {
    inspection::Cache cache;
    const cell::Layout demo = simulation::layout(tests::demo(), "B");
    const auto without = study::without_interlocks(demo, cache, false);
    for (const std::string rule : {"first come", "in turn"}) {
        const cell::Layout with = demo.edited(study::keep_apart(demo, *without, "arm1:arm2:1", rule));
        const auto orders = inspection::explore_orders(with.cell(), cache);
        CHECK((orders->verdict == Orders::Verdict::locks_up) == (rule == "in turn"));
        if (rule != "in turn") continue;
        REQUIRE(orders->run);
        CHECK(orders->run->trace.end > simulation::ticks(10));
        CHECK(orders->way[orders->no_way_out].device == with.cell().device("arm1"));
    }
    // A proof that grows too large says what it has seen, never that all is well.
    const auto cut = inspection::explore_orders(demo.cell(), cache, nullptr, 500);
    CHECK(cut->verdict == Orders::Verdict::undecided);
    CHECK(cut->why_undecided == "more than 500 states");
    CHECK(cut->states > 500);
    inspection::StopFlag stop{true};
    CHECK_THROWS_AS(inspection::explore_orders(demo.cell(), cache, &stop), inspection::Cancelled);
}

TEST_CASE("a run that comes to a lock-up by itself is among the orders that are gone through: random durations") {
    // Delays drawn at random between the motions: whatever locks up so must have been foreseen.
    tests::Draw draw(7);
    inspection::Cache cache;
    int stuck = 0;
    for (int i = 0; i < 60; ++i) {
        const OrderProgram p = random_program(draw);
        const json tree = cell_of(p);
        const auto orders = inspection::explore_orders(*tests::read(tree), cache);
        for (int k = 0; k < 4; ++k) {
            json slowed = tree;
            for (json& d : slowed["devices"]) {
                if (d["kind"] != "arm") continue;
                json task = json::array();
                for (const json& s : d["task"]) {
                    task.push_back(s);
                    if (s["do"] == "move")
                        task.push_back({{"id", s["id"].get<std::string>() + "d"}, {"do", "delay"},
                            {"time_s", "uniform 0 to " + std::to_string(draw.whole(1, 20))}});
                }
                d["task"] = task;
            }
            slowed["seed"] = k + 1, slowed["horizon_s"] = 600;
            const auto run = simulation::run(*tests::read(slowed), cache.plans);
            const bool at_border = std::any_of(run->waits.begin(), run->waits.end(),
                [](const auto& w) { return w.what == simulation::WaitFor::zone; });
            if (!run->stuck || !at_border) continue;
            ++stuck;
            CHECK(orders->verdict == Orders::Verdict::locks_up);
        }
    }
    CHECK(stuck > 10);
}

TEST_CASE(
    "orders that come to the same may be left out: the same verdict, with belts, fixtures and trays between arms") {
    inspection::Cache cache;
    int decided = 0, lock_up = 0;
    std::size_t all_states = 0, states = 0;
    for (unsigned seed = 1; seed <= 60; ++seed) {
        json tree = tests::RandomCell(seed).tree();
        json arms = json::array();
        for (const json& d : tree["devices"])
            if (d["kind"] == "arm" && d["task"].size() > 1) arms.push_back(d);
        if (arms.size() < 2) continue;
        // Two zones, each from somewhere in one step of each of two arms to somewhere in another one.
        // Or both from the same step of an arm on, in opposite orders.
        tests::Draw draw(seed);
        const bool crossed = draw.whole(0, 1) == 1;
        for (const int zone : {1, 2}) {
            if (crossed) draw = tests::Draw(seed);
            json points = json::array();
            for (const int side : {0, 1}) {
                const json& task = arms[side]["task"];
                const int steps = static_cast<int>(task.size());
                const int from = draw.whole(0, steps - 1), to = draw.whole(from, steps - 1);
                for (const bool asks : {true, false})
                    points.push_back({{"of", side == 0 ? "first" : "second"}, {"does", asks ? "asks" : "gives back"},
                        {"step", task[asks ? from : to]["id"]},
                        {"at_pct", (asks ? 20.0 : 70.0) + 7 * (side == 0 ? zone : 3 - zone)}});
            }
            const std::string id = "k" + std::to_string(zone);
            tree["devices"].push_back({{"id", id}, {"name", id}, {"kind", "interlock"}, {"one_arm", arms[0]["id"]},
                {"other_arm", arms[1]["id"]}, {"points", points}});
        }
        INFO("seed " << seed);
        const auto cell = tests::read(tree);
        const auto some = inspection::explore_orders(*cell, cache, nullptr, 4000);
        if (some->verdict == Orders::Verdict::undecided) continue;
        const auto all =
            inspection::explore_orders(*cell, cache, nullptr, tests::rounds(30000), inspection::Which::all);
        if (all->verdict == Orders::Verdict::undecided) continue;
        CHECK(some->verdict == all->verdict);
        ++decided;
        lock_up += all->verdict == Orders::Verdict::locks_up;
        all_states += all->states, states += some->states;
    }
    CHECK(decided > 5);
    CHECK(lock_up > 0);
    CHECK(lock_up < decided);
    CHECK(2 * states < all_states);
}
