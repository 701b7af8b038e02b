#include <catch2/catch.hpp>

#include <inspection/orders.h>
#include <simulation/kernel.h>

#include "reference/all_orders.h"
#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using cell::json;
using inspection::Orders;
using tests::OrderProgram;
using tests::OrderWord;

namespace {

constexpr double first_share = 20,
                 share_step = 12;  // of a motion, %: where it passes; apart by more than it takes to stop

/// Two or three arms with up to three zones and a signal each.
OrderProgram random_program(tests::Draw& draw) {
    OrderProgram p;
    p.arms.resize(static_cast<std::size_t>(draw.whole(2, 3)));
    const int arms = static_cast<int>(p.arms.size());
    p.signals = arms;
    for (int z = draw.whole(1, 3); z > 0; --z) {
        const int one = draw.whole(0, arms - 1);
        p.zones.push_back({one, (one + draw.whole(1, arms - 1)) % arms, draw.whole(0, 3)});
    }
    for (int a = 0; a < arms; ++a) {
        auto& words = p.arms[static_cast<std::size_t>(a)];
        const int motions = draw.whole(2, 3);
        for (int m = 0; m < motions; ++m) {
            words.push_back({});
            if (draw.whole(0, 3) == 0) words.push_back({OrderWord::sets, {}, a, draw.whole(0, 1) == 1});
            if (draw.whole(0, 3) == 0)
                words.push_back({OrderWord::waits, {}, (a + draw.whole(1, arms - 1)) % arms, draw.whole(0, 1) == 1});
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
    for (std::size_t a = 0; a < p.arms.size(); ++a) {
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
            for (std::size_t k = 0; k < w.passes.size(); ++k) {
                const auto [asks, zone] = w.passes[k];
                const bool second = p.zones[static_cast<std::size_t>(zone)].other == static_cast<int>(a);
                points[static_cast<std::size_t>(zone)].push_back(
                    {{"of", second ? "second" : "first"}, {"does", asks ? "asks" : "gives back"}, {"step", step},
                        {"at_pct", first_share + share_step * static_cast<double>(k)}});
            }
        }
        tree["devices"].push_back(std::move(arm));
    }
    const char* rules[] = {"first come", "first before second", "second before first", "in turn"};
    for (std::size_t z = 0; z < p.zones.size(); ++z)
        tree["devices"].push_back({{"id", "k" + std::to_string(z)}, {"name", "Zone " + std::to_string(z + 1)},
            {"kind", "interlock"}, {"one_arm", "arm" + std::to_string(p.zones[z].one)},
            {"other_arm", "arm" + std::to_string(p.zones[z].other)}, {"rule", rules[p.zones[z].rule]},
            {"points", points[z]}, {"placement", {{"x_mm", 500.0 * static_cast<double>(z)}, {"y_mm", 3000}}}});
    return tree;
}

}  // namespace

TEST_CASE("lock-ups found are those that a plain search through every order finds, on 1000 random small cells") {
    tests::Draw draw(41);
    inspection::Cache cache;
    int lock_up = 0, meet = 0;
    for (int i = 0; i < 1000; ++i) {
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
    CHECK(lock_up > 100);
    CHECK(lock_up < 900);
    CHECK(meet > 100);
}
