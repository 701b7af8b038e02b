// A run under way: who looks on is told of each event, may look back, and gets what the finished run is.
#include <catch2/catch.hpp>

#include <simulation/run_session.h>

#include "support/cells.h"

using namespace escarp;
using namespace simulation;

namespace {

bool same(const Trace& a, const Trace& b) {
    const auto block = [](const Block& x, const Block& y) {
        return x.device == y.device && x.kind == y.kind && x.step == y.step && x.from == y.from && x.to == y.to &&
               x.cause == y.cause && x.part == y.part && x.other == y.other && x.seat == y.seat;
    };
    if (!std::equal(a.blocks.begin(), a.blocks.end(), b.blocks.begin(), b.blocks.end(), block)) return false;
    if (a.parts.size() != b.parts.size() || a.signals.size() != b.signals.size()) return false;
    for (std::size_t i = 0; i < a.signals.size(); ++i)
        if (a.signals[i].name != b.signals[i].name || a.signals[i].changes != b.signals[i].changes) return false;
    for (std::size_t i = 0; i < a.parts.size(); ++i) {
        if (a.parts[i].places.size() != b.parts[i].places.size() || a.parts[i].results != b.parts[i].results)
            return false;
        for (std::size_t p = 0; p < a.parts[i].places.size(); ++p)
            if (a.parts[i].places[p].from != b.parts[i].places[p].from ||
                !(a.parts[i].places[p].at().matrix() == b.parts[i].places[p].at().matrix()))
                return false;
    }
    for (std::size_t d = 0; d < a.motions.size(); ++d) {
        if (a.motions[d].size() != b.motions[d].size() || a.conditions[d] != b.conditions[d] ||
            a.rounds[d] != b.rounds[d])
            return false;
        for (std::size_t m = 0; m < a.motions[d].size(); ++m)
            if (a.motions[d][m].from != b.motions[d][m].from || a.motions[d][m].motion != b.motions[d][m].motion)
                return false;
    }
    return a.departures.size() == b.departures.size() && a.faults.size() == b.faults.size();
}

/// Looks on: copies what is new when an instant is over, and looks back at instants that it remembers.
class LooksOn final : public RunObserver {
public:
    void happened(const Kernel& k) override {
        ++events;
        if (!k.instant_over()) return;
        copy.follow(k);
        if (events % 50 != 0) return;
        // What was seen at an instant is seen again, however long ago.
        seen.emplace_back(k.now(), k.live_parts().size());
        for (const auto& [when, parts] : seen) {
            std::size_t there = 0;
            for (const PartRecord& p : copy.trace().parts)
                if (const Place* place = p.place(when)) there += place->kind != Place::Kind::gone;
            CHECK(there == parts);
        }
    }
    std::size_t events = 0;
    TraceCopy copy;
    std::vector<std::pair<Ticks, std::size_t>> seen;
};

}  // namespace

TEST_CASE("who follows a run event by event looks back in it while it goes on, and has the finished run at its end") {
    for (const char* file : {"leak-test", "lens-kitting", "seedling-trays", "twin-testers"}) {
        const cell::Document d = cell::Document::load(std::string(ESCARP_SOURCE) + "/demo/" + file + ".escarp");
        const auto cell = simulation::layout(d, d.baseline()).shared_cell();
        PlanCache plans;
        RunSession session(*cell, plans);
        LooksOn looks;
        session.watch(looks);
        session.start();
        session.advance(ticks(100));
        looks.copy.follow(session.kernel());
        CHECK(looks.events > 100);
        const auto run = session.finish(session.now(), session.now());
        CHECK(same(looks.copy.trace(), run->trace));
        // In one go.
        Kernel whole(*cell, plans);
        whole.start();
        whole.advance(ticks(100));
        CHECK(same(whole.trace(), run->trace));
    }
}

TEST_CASE("what comes from outside at an instant that was copied already is copied, too") {
    json tree = tests::belt_cell(3, 150, 1500, 50);
    tests::device(tree, "belt")["own_signals"] = {"lamp"};
    tests::device(tree, "belt")["io"] = {{{"id", "lamp"}, {"outside", true}}};
    const auto cell = tests::read(tree);
    const int lamp = cell->signal("belt.lamp");
    REQUIRE(cell->signals[lamp].outside);
    PlanCache plans;
    RunOptions how;
    how.outside = {lamp};
    RunSession session(*cell, plans, how);
    TraceCopy copy;
    session.start();
    copy.follow(session.kernel());
    for (int i = 1; i <= 40; ++i) {
        session.advance(ticks(0.25 * i));
        copy.follow(session.kernel());
        session.hear({{lamp, i % 2}});
        if (i % 3 == 0)
            copy.follow(session.kernel()), session.hear({{lamp, 1 - i % 2}});  // taken back at the same instant
        copy.follow(session.kernel());
    }
    const auto run = session.finish(session.now(), session.now());
    CHECK(same(copy.trace(), run->trace));
    CHECK(run->trace.signals[lamp].changes.size() > 10);
}

TEST_CASE("a run ends at the limits that it is given, and says so") {
    const auto cell = tests::read(tests::demo().resolved("A"));
    PlanCache plans;
    RunOptions how;
    how.stop_when_steady = false;
    how.limits.events = 200;
    const auto few = run(*cell, plans, how);
    CHECK(few->cut);
    how.limits = {};
    how.limits.bytes = 100'000;
    CHECK(run(*cell, plans, how)->cut);
    how.limits = {};
    how.limits.search = 1;
    PlanCache fresh;
    const auto searched = run(*cell, fresh, how);
    CHECK(searched->searched_enough);
}
