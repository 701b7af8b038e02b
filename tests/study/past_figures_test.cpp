// Figures that were wrong once, each with the cell in which it was seen.

#include <catch2/catch.hpp>

#include <geometry/indices.h>
#include <inspection/orders.h>
#include <inspection/why.h>
#include <study/gains.h>
#include <study/interlock.h>
#include <study/test_cycle.h>

#include "support/arms_only.h"
#include "support/cells.h"
#include "support/random.h"
#include "support/rounds.h"

using namespace escarp;
using cell::json;
using inspection::Zone;
using simulation::BlockKind;
using simulation::seconds;

namespace {

std::shared_ptr<const study::Evaluation> past(const char* name) {
    return tests::evaluated(tests::past_case(name), "A");
}

const inspection::Finding* finding(const study::Evaluation& e, const std::string& id) {
    for (const auto& f : e.inspection->findings)
        if (f.id == id) return &f;
    return nullptr;
}

std::string refusal(const char* name) {
    try {
        past(name);
        return {};
    } catch (const cell::InputError& e) {
        return e.problems().front().where + ": " + e.problems().front().message;
    }
}

/// The mean round of the slowest task, counted in the trace of a long run.
double counted_cycle(const cell::Cell& cell, const simulation::FasterStep& hurried = {}) {
    simulation::PlanCache plans;
    simulation::RunOptions far;
    far.horizon_s = 3000, far.stop_when_steady = false, far.faster_step = hurried;
    const auto run = simulation::run(cell, plans, far);
    double longest = 0;
    for (const auto& ends : run->trace.rounds)
        if (ends.size() >= 2)
            longest = std::max(longest, seconds(ends.back() - ends[1]) / static_cast<double>(ends.size() - 2));
    return longest;
}

}  // namespace

TEST_CASE("a cell without parts has the cycle of the task that takes longest, be it one round of it in a period") {
    const auto e = past("cycle-of-the-faster-task-delays");
    CHECK(*e->figures.cycle_s == Approx(5));
    CHECK(*e->figures.rate_per_h == Approx(720));
    // Against counting the rounds in the trace of a long run.
    tests::Draw draw(4);
    for (int round = 0; round < tests::rounds(40, 6); ++round) {
        const json tree = tests::arms_only(draw, draw.whole(1, 3));
        const cell::Document d = cell::Document::parse(tree.dump());
        const auto found = tests::evaluated(d, d.baseline());
        INFO("round " << round);
        REQUIRE(found->figures.cycle_s);
        CHECK(*found->figures.cycle_s == Approx(counted_cycle(*found->cell)).epsilon(0.02));
    }
}

TEST_CASE("random arms without parts, kept apart: every rule's cycle is what counting its rounds gives") {
    tests::Draw draw(9);
    int tried = 0, waited = 0;
    for (int round = 0; round < tests::rounds(30, 6); ++round) {
        inspection::Cache cache;
        const cell::Layout bare = tests::layout_of(tests::arms_that_meet(draw));
        const auto before = tests::looked_at(bare, cache);
        INFO("round " << round);
        if (before->zones->all.empty()) continue;
        study::KeptApart price;
        try {
            price = study::price_of_keeping_apart(bare, before->zones->all[0].id, cache);
        } catch (const cell::InputError&) {
            continue;  // both begin within
        }
        REQUIRE(price.without_s);
        const double without = counted_cycle(*before->cell);
        CHECK(*price.without_s == Approx(without).epsilon(0.02));
        ++tried;
        const study::RulePrice* cheapest = nullptr;
        for (std::size_t i = 0; i < price.rules.size(); ++i) {
            const study::RulePrice& rule = price.rules[i];
            INFO(rule.rule);
            if (rule.stuck || !rule.cycle_s) continue;
            const auto with = tests::looked_at(bare.edited(price.edits[i]), cache);
            const double counted = counted_cycle(*with->cell);
            CHECK(*rule.cycle_s == Approx(counted).epsilon(0.02));
            waited += counted > without * 1.01;
            for (const Zone& z : with->zones->all) CHECK_FALSE(z.together);
            if (!cheapest || *rule.cycle_s < *cheapest->cycle_s) cheapest = &rule;
        }
        REQUIRE(cheapest);
        const auto best = std::find_if(
            price.rules.begin(), price.rules.end(), [&](const study::RulePrice& r) { return r.rule == price.best; });
        REQUIRE(best != price.rules.end());
        CHECK(*best->cycle_s == Approx(*cheapest->cycle_s).epsilon(0.005));
    }
    CHECK(tried >= 5);
    CHECK(waited >= 5);
}

TEST_CASE("random cells without parts: what a step is worth is what counting rounds with it done quicker gives") {
    tests::Draw draw(11);
    int worth = 0, nothing = 0;
    for (int round = 0; round < tests::rounds(20, 4); ++round) {
        inspection::Cache cache;
        const json tree = tests::arms_only(draw, draw.whole(1, 3));
        const cell::Layout layout = tests::layout_of(tree);
        const study::Gains g = study::gains(layout, cache);
        const double base = counted_cycle(layout.cell());
        INFO("round " << round);
        CHECK(g.cycle_s == Approx(base).epsilon(0.002));
        for (const study::Gain& one : g.all) {
            INFO(one.at);
            if (one.step < 0) continue;
            const auto falls = [&](double rate) {
                return base - counted_cycle(layout.cell(), {one.device, one.step, rate});
            };
            CHECK(one.quicker_s == Approx(falls(1.1)).margin(0.004));
            if (one.shorter_s) CHECK(*one.shorter_s == Approx(falls(one.takes_s / (one.takes_s - 0.1))).margin(0.004));
            one.quicker_s > 0.01 ? ++worth : ++nothing;
        }
    }
    CHECK(worth >= 4);
    CHECK(nothing >= 4);
}

TEST_CASE("of a cell whose parts never come no cycle is told, but that nothing moves") {
    for (const char* name : {"number-nan", "belt-speed-residue"}) {
        const auto e = past(name);
        INFO(name);
        CHECK_FALSE(e->figures.cycle_s);
        REQUIRE_FALSE(e->inspection->findings.empty());
        CHECK(e->inspection->findings.front().severity == inspection::Severity::stop);
        CHECK(e->inspection->findings.front().title.find("Nothing moves") == 0);
    }
}

TEST_CASE("whoever waits for ever beside those that go on is a stop finding, and an interlock that does it is stuck") {
    const auto e = past("arm-waits-for-ever-cycle-falls");
    REQUIRE(e->run->steady);
    const auto* f = finding(*e, "stands:b");
    REQUIRE(f);
    CHECK(f->severity == inspection::Severity::stop);
    CHECK(*f->when_s == Approx(1.2).margin(0.05));
    CHECK(f->text.find("waits for Interlock") != std::string::npos);
    CHECK(study::stands_for_ever(*e->run, {e->cell->device("b")}));
    CHECK_FALSE(study::stands_for_ever(*e->run, {e->cell->device("a")}));
    // Nobody does in the demo.
    for (const char* variant : {"A", "B"})
        CHECK(inspection::waits_for_ever(*tests::evaluated(tests::demo(), variant)->run).empty());
}

TEST_CASE("what rules cost in a cell without parts is told by its slowest task") {
    inspection::Cache cache;
    const cell::Document d = tests::past_case("cycle-of-the-faster-task-without-interlock");
    const auto k = study::price_of_keeping_apart(simulation::layout(d, "A"), "a:b:1", cache);
    for (const study::RulePrice& p : k.rules) {
        if (p.rule == simulation::let_in::turns) CHECK(*p.cycle_s == Approx(3.21).margin(0.02));
        else CHECK(*p.cycle_s == Approx(4.19).margin(0.02));
    }
    CHECK(k.best == simulation::let_in::turns);
    // What the cycle grows by is waiting, slowing down and starting again; at times both arms do at once.
    const study::RulePrice& first = k.rules.front();
    CHECK(first.waits_s > 0.1);
    CHECK(first.slowed_s > 0.3);
    const double grows = *first.cycle_s - *k.without_s;
    CHECK(first.waits_s + first.slowed_s >= grows - 0.01);
    CHECK(first.waits_s + first.slowed_s <= 2 * grows);
}

TEST_CASE("an arm asks in the order of the places on its way, and for the later one only with leave for the first") {
    const auto e = past("asks-in-another-order-than-the-points");
    CHECK_FALSE(e->run->stuck);
    // Whenever it has asked for the later one, it has leave for the first.
    const auto& trace = e->run->trace;
    const auto* later = trace.signal("i0.second_asks");
    const auto* first = trace.signal("i1.second_may");
    REQUIRE(later);
    int asked = 0;
    for (const auto& [when, on] : later->changes)
        if (on != 0) {
            ++asked;
            CHECK(first->at(when) != 0);
        }
    CHECK(asked > 3);
    inspection::Cache cache;
    CHECK(inspection::explore_orders(*e->cell, cache)->verdict == inspection::Orders::Verdict::goes_on);
}

TEST_CASE("gains take what a step takes in the steady cycle, not in the warm-up") {
    inspection::Cache cache;
    const cell::Document d = tests::past_case("gain-step-mean-with-warm-up");
    const study::Gains g = study::gains(simulation::layout(d, "A"), cache);
    const bool told = std::any_of(
        g.all.begin(), g.all.end(), [](const study::Gain& one) { return std::abs(one.takes_s - 1.465) < 0.002; });
    CHECK(told);
}

TEST_CASE("the finding of parts that pass says how often one comes") {
    const auto e = past("finding-says-one-comes-every-2.73-s");
    const auto& all = e->inspection->findings;
    const auto f = std::find_if(all.begin(), all.end(), [](const auto& one) { return one.id.starts_with("passing:"); });
    REQUIRE(f != all.end());
    CHECK(f->text.find("One comes every 2.60 s") != std::string::npos);
}

TEST_CASE("a distance sensor measures from the middle of its head") {
    const auto e = past("distance-sensor-25mm");
    CHECK(e->run->trace.signal("d.distance")->at(0) == Approx(250).margin(0.05));
}

TEST_CASE("on straight moves no joint exceeds its jerk, taken over 4 ms") {
    const auto e = past("joint-jerk-over-limit-on-straight-move");
    double worst = 0;
    int straight = 0;
    for (const int device : indices(e->cell->devices)) {
        if (!e->cell->devices[device].arm) continue;
        const auto& joints = e->cell->devices[device].arm->model->mechanism.joints;
        for (const auto& m : e->run->trace.motions[static_cast<std::size_t>(device)]) {
            if (m.block < 0 || e->run->trace.blocks[static_cast<std::size_t>(m.block)].kind != BlockKind::straight)
                continue;
            ++straight;
            constexpr double span = 4e-3;
            for (double t = -span; t < m.motion->duration(); t += 5e-4)
                for (std::size_t j = 0; j < joints.size(); ++j) {
                    const auto at = [&](double s) {
                        return s < 0 || s > m.motion->duration() ? 0.0
                                                                 : m.motion->at(s).acceleration[static_cast<int>(j)];
                    };
                    worst = std::max(worst, std::abs(at(t + span) - at(t)) / span / joints[j].jerk_limit());
                }
        }
    }
    CHECK(straight > 0);
    CHECK(worst <= 1.01);
    CHECK(worst > 0.7);
}

TEST_CASE("the catalogue's arms do the trade's test cycle as arms of their class do") {
    const auto c = tests::catalogue_cell();
    for (const auto& [model, least, most] :
        {std::tuple("six600", 0.35, 0.6), {"six900", 0.35, 0.6}, {"six1400", 0.35, 0.65}, {"scara400", 0.3, 0.45},
            {"scara650", 0.3, 0.45}, {"offset850", 0.6, 0.9}, {"seven800", 0.6, 0.9}}) {
        INFO(model);
        cell::Arm bare = *c->devices[static_cast<std::size_t>(c->device(model))].arm;
        bare.tool_frame = geometry::Frame::Identity();
        const auto takes = study::test_cycle(bare);
        REQUIRE(takes);
        CHECK(*takes >= least);
        CHECK(*takes <= most);
    }
}

TEST_CASE("what makes no sense is refused where it is said, or told") {
    CHECK(refusal("carrier-place-1e308").find("places_mm") != std::string::npos);
    CHECK(refusal("log-normal-infinite").find("devices/in/interval_s") != std::string::npos);
    CHECK(refusal("whole-number-half").find("a whole number is expected") != std::string::npos);
    CHECK(refusal("eigen-assert-in-validate").find("travel") != std::string::npos);
    const auto e = past("interlock-points-of-no-step");
    const auto* f = finding(*e, "names:interlock");
    REQUIRE(f);
    CHECK(f->text.find("\"zz\" of Left arm") != std::string::npos);
}

TEST_CASE("a run whose plans need too much search ends early and says why, the same each time") {
    const auto e = past("joint4-run-hangs");
    CHECK(e->run->cut);
    CHECK(e->run->searched_enough);
    const auto* f = finding(*e, "cut");
    REQUIRE(f);
    CHECK(f->text.find("searched for") != std::string::npos);
    // Also where much is known already.
    inspection::Cache cache;
    const cell::Document d = tests::past_case("joint4-run-hangs");
    study::EvaluateOptions flow;
    flow.level = inspection::Level::flow;
    const cell::Layout layout = simulation::layout(d, "A");
    const auto first = study::evaluate(layout, cache, flow), again = study::evaluate(layout, cache, flow);
    CHECK(first->run->trace.end == e->run->trace.end);
    CHECK(again->run->trace.end == first->run->trace.end);
    CHECK(again->run->trace.blocks.size() == first->run->trace.blocks.size());
}
