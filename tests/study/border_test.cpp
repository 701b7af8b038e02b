// Arms that wait at the border of a watched volume.

#include <catch2/catch.hpp>

#include <inspection/timeline.h>
#include <simulation/kernel.h>
#include <study/border.h>
#include <study/named_edits.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using cell::json;
using simulation::seconds;
using simulation::Ticks;

namespace {

/// An arm goes by turns to two places; round the first a volume has to be empty while a press is closed, which a clock
/// decides.
json arm_at_a_press() {
    json tree = {{"escarp", 1}, {"horizon_s", 60}, {"arm_models", cell::catalogue_arms()},
        {"tool_models", cell::catalogue_tools()}, {"baseline", "A"}, {"variants", {{{"id", "A"}, {"name", "A"}}}}};
    json poses = {{{"id", "home"}, {"name", "Home"}, {"joints_deg", {0, -45, 60, 0, 75, 0}}}}, task = json::array();
    for (const std::string where : {"press", "shelf"}) {
        poses.push_back({{"id", where}, {"name", where}, {"relative_to", "table"},
            {"at_mm", {0, where == "press" ? 300 : -300, 400}}, {"turn_deg", {180, 0, 0}}});
        task.push_back({{"id", "to_" + where}, {"do", "move"}, {"pose", where}});
        task.push_back({{"id", "at_" + where}, {"do", "delay"}, {"time_s", 0.4}});
        task.push_back({{"id", "from_" + where}, {"do", "move"}, {"pose", "home"}});
    }
    tree["devices"] = {{{"id", "table"}, {"name", "Table"}, {"kind", "structure"}, {"shape", "box"}, {"length_mm", 200},
                           {"width_mm", 900}, {"height_mm", 100}},
        {{"id", "arm"}, {"name", "Arm"}, {"kind", "arm"}, {"model", "six900"}, {"tool", "jaw120"}, {"poses", poses},
            {"task", task}, {"placement", {{"x_mm", -600}}}},
        {{"id", "clock"}, {"name", "Clock"}, {"kind", "arm"}, {"model", "six600"}, {"own_signals", {"closed"}},
            {"placement", {{"x_mm", 4000}}},
            {"task", {{{"id", "c1"}, {"do", "wait"}, {"signal", "space.inside"}, {"is", true}},
                         {{"id", "c2"}, {"do", "wait"}, {"signal", "space.inside"}, {"is", false}},
                         {{"id", "c3"}, {"do", "set"}, {"signal", "clock.closed"}, {"to", true}},
                         {{"id", "c4"}, {"do", "delay"}, {"time_s", 4.0}},
                         {{"id", "c5"}, {"do", "set"}, {"signal", "clock.closed"}, {"to", false}}}}},
        {{"id", "space"}, {"name", "Press space"}, {"kind", "watched_volume"}, {"length_mm", 500}, {"width_mm", 400},
            {"height_mm", 800}, {"above_mm", 150}, {"placement", {{"y_mm", 300}}},
            {"inputs", {{{"id", "keep_out"}, {"from", "clock.closed"}}}}}};
    return tree;
}
cell::Layout press_layout(const json& tree) { return simulation::layout(cell::Document::parse(tree.dump()), "A"); }
const inspection::Finding* told(const study::Evaluation& e) {
    for (const auto& f : e.inspection->findings)
        if (f.id == "keep-out:space") return &f;
    return nullptr;
}

}  // namespace

TEST_CASE(
    "an arm waits at the border of a volume while it has to be empty, and slows down before it within its limits") {
    inspection::Cache cache;
    const cell::Layout bare = press_layout(arm_at_a_press());
    const auto before = study::with_zones(*study::evaluate(bare, cache), cache, nullptr, true);
    REQUIRE(told(*before));
    // Who it is is said though no mover of the volume has a signal of its own.
    CHECK(told(*before)->title == "Arm is in Press space while it has to be empty");
    CHECK(told(*before)->devices == std::vector<std::string>{"space", "arm"});
    const auto& ways = told(*before)->ways_out;
    REQUIRE(ways.size() == 1);
    CHECK(ways[0].label == "Let Arm wait at its border");
    CHECK(ways[0].effect.find("then it is empty") == 0);
    const cell::Layout waits = bare.edited(ways[0].edit);
    const auto e = study::with_zones(*study::evaluate(waits, cache), cache, nullptr, true);
    CHECK_FALSE(told(*e));
    // By brute force: whenever some point of it is inside, the volume need not be empty.
    const inspection::Timeline timeline(*e->cell, *e->run, nullptr);
    const int arm = e->cell->device("arm"), space = e->cell->device("space");
    const auto* closed = e->run->trace.signal("clock.closed");
    const cell::Device& d = e->cell->devices[static_cast<std::size_t>(space)];
    const auto kept = simulation::kind_of(d).kept_empty(d);
    geometry::Box3 box;
    for (const auto& p : kept->space.points()) box.add(p);
    tests::Draw draw(5);
    int inside = 0, waiting = 0;
    for (const auto& mover : timeline.movers()) {
        if (mover.device != arm) continue;
        for (Ticks t = 0; t < timeline.end(); t += simulation::ticks(0.007)) {
            const inspection::Segment* at = &mover.segments.front();
            for (const auto& s : mover.segments)
                if (s.from <= t) at = &s;
            std::vector<geometry::Frame> frames;
            timeline.moving(mover, *at).frames(std::min(seconds(t - at->from), at->motion->duration()), frames);
            bool there = false;
            for (const motion::Part& p : at->parts->parts())
                for (int i = 0; i < 4; ++i) {
                    const geometry::Vector3 way = draw.direction();
                    const geometry::Vector3 point =
                        d.world.inverse() * (frames[p.frame] * p.at * (p.shape.support(way) + p.shape.radius() * way));
                    there = there || ((point - box.low).minCoeff() > 0 && (box.high - point).minCoeff() > 0);
                }
            if (!there) continue;
            ++inside;
            INFO("at " << seconds(t));
            CHECK(closed->at(t) == 0);
        }
    }
    CHECK(inside > 100);
    // It waits for the volume, and why is the clock's signal.
    for (const simulation::Block& b : e->run->trace.blocks)
        if (b.device == arm && b.kind == simulation::BlockKind::wait) {
            CHECK(b.other == space);
            ++waiting;
        }
    CHECK(waiting > 1);
    // The limits of every joint hold in every motion, the braked ones and those that go on too.
    const auto& joints = e->cell->devices[static_cast<std::size_t>(arm)].arm->model->mechanism.joints;
    int braked = 0;
    for (const simulation::MotionRecord& m : e->run->trace.motions[static_cast<std::size_t>(arm)]) {
        const double duration = m.motion->duration();
        braked += duration > 0 && m.motion->position(0) != m.motion->position(duration);
        for (double t = 0; t <= duration; t += 0.004) {
            const auto velocity = m.motion->at(t).rate;
            for (int j = 0; j < velocity.size(); ++j)
                CHECK(std::abs(velocity[j]) <= joints[static_cast<std::size_t>(j)].speed * (1 + 1e-6));
        }
    }
    CHECK(braked > 6);
    // Taken once it changes nothing more; by its name on the command line it is the same.
    CHECK(waits.edited(study::wait_at_border(waits, "space", "arm", cache)).tree() == waits.tree());
    CHECK(cell::carry_out(bare, {{"do", "wait at border"}, {"volume", "space"}, {"arm", "arm"}}, study::named_edits())
              .document.resolved("A") == waits.tree());
    // What cannot wait is refused with the reason.
    const auto refusal = [&](const char* volume, const char* who) {
        try {
            study::wait_at_border(bare, volume, who, cache);
        } catch (const cell::InputError& error) {
            return error.problems().front().message;
        }
        return std::string();
    };
    CHECK(refusal("table", "arm").find("no watched volume") == std::string::npos);
    CHECK(refusal("table", "arm").find("not the id of a watched volume") != std::string::npos);
    CHECK(refusal("space", "table").find("not the id of an arm") != std::string::npos);
    CHECK(refusal("space", "clock").find("never goes into") != std::string::npos);
}

TEST_CASE("an arm that waits for nothing at a border goes as if there were none, to the nanosecond") {
    json tree = arm_at_a_press();
    for (json& d : tree["devices"])
        if (d["id"] == "space") d.erase("inputs");
    inspection::Cache cache;
    const cell::Layout bare = press_layout(tree);
    const auto free = study::evaluate(bare, cache),
               waits = study::evaluate(bare.edited(study::wait_at_border(bare, "space", "arm", cache)), cache);
    const auto arm = static_cast<std::size_t>(free->cell->device("arm"));
    const auto &one = free->run->trace.motions[arm], &other = waits->run->trace.motions[arm];
    REQUIRE(one.size() == other.size());
    REQUIRE(one.size() > 10);
    for (std::size_t i = 0; i < one.size(); ++i) CHECK(one[i].from == other[i].from);
}
