// What the window is about, without its widgets.

#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTest>
#include <catch2/catch.hpp>

#include <desktop/app/settle.h>
#include <desktop/looks/plan_drawing.h>
#include <desktop/session/workspace.h>

using namespace escarp;
using namespace escarp::desktop;

namespace {

/// The demo; what is done to it leaves nothing beside its file.
struct Demo : Workspace {
    Demo() { REQUIRE(open.open(ESCARP_DEMO)); }
    ~Demo() { open.forget_journal(); }
};

void settle(Workspace& w) {
    REQUIRE(wait_until([&] { return w.results.current(); }));
}

const std::string marker_x = "/devices/marker/placement/x_mm";

cell::Edit shift(double x) { return {"Shift", {cell::Operation::set(marker_x, x)}}; }

}  // namespace

TEST_CASE("undo goes back over many edits in several variants, to the bit, and redo forward again") {
    Demo w;
    std::vector<std::string> texts{w.open.document().text()};
    const char* variants[] = {"A", "B", "C"};
    for (int i = 0; i < 30; ++i) {
        w.open.set_variant(variants[i % 3]);
        REQUIRE(w.open.apply(shift(2700 + i)));
        texts.push_back(w.open.document().text());
    }
    for (int i = 29; i >= 0; --i) {
        w.open.undo();
        CHECK(w.open.document().text() == texts[i]);
        CHECK(w.open.variant() == variants[i % 3]);  // back where the edit was made
    }
    CHECK(!w.open.can_undo());
    CHECK(!w.open.modified());
    for (std::size_t i = 1; i < texts.size(); ++i) {
        w.open.redo();
        CHECK(w.open.document().text() == texts[i]);
    }
    CHECK(!w.open.can_redo());
    w.open.undo();
    REQUIRE(w.open.apply(shift(1234)));
    CHECK(!w.open.can_redo());  // a new edit ends the way forward
}

TEST_CASE("an edit that changes nothing is no edit") {
    Demo w;
    const double x = cell::find(w.open.resolved(), marker_x)->get<double>();
    CHECK(w.open.apply(shift(x)));
    CHECK(!w.open.can_undo());
    CHECK(!w.open.modified());
}

TEST_CASE("a draft is shown and evaluated, but only taking it changes the document") {
    Demo w;
    settle(w);
    const double cycle = *w.results.shown()->figures.cycle_s;
    const std::string before = w.open.document().text();
    for (int i = 1; i <= 20; ++i) REQUIRE(w.open.try_out(shift(2720 + i)));
    settle(w);
    CHECK(*w.results.shown()->figures.cycle_s != cycle);
    CHECK(w.open.document().text() == before);
    CHECK(w.open.trying());
    w.open.drop_draft();
    settle(w);
    CHECK(*w.results.shown()->figures.cycle_s == cycle);
    REQUIRE(w.open.try_out(shift(2740)));
    w.open.take_draft();
    CHECK(!w.open.trying());
    CHECK(w.open.history().undo_name() == "Shift");
    w.open.undo();
    CHECK(w.open.document().text() == before);  // twenty drags and one taking are one edit
}

TEST_CASE("a refused edit says why and leaves everything as it was") {
    Demo w;
    QSignalSpy refused(&w.open, &OpenCell::refused);
    const std::string before = w.open.document().text();
    CHECK(!w.open.apply({"x", {cell::Operation::set("/devices/arm1/model", "none such")}}));
    CHECK(!w.open.apply({"x", {cell::Operation::remove("/devices/zzz")}}));
    CHECK(!w.open.try_out({"x", {cell::Operation::set("/devices/tester/columns", 1000)}}));
    CHECK(!w.open.apply({"x", {cell::Operation::remove("/devices/tester")}}));  // tasks refer to it
    CHECK(refused.count() == 4);
    CHECK(refused.at(0).at(1).toString().contains("devices/arm1/model"));
    CHECK(w.open.document().text() == before);
    CHECK(!w.open.can_undo());
    CHECK(!w.open.trying());
}

TEST_CASE("the newest edit wins: many in a row end with the figures of the last one") {
    Demo w;
    QSignalSpy evaluated(&w.results, &Results::evaluated);
    for (int i = 0; i < 60; ++i) {
        REQUIRE(w.open.apply({"x", {cell::Operation::set("/devices/marker/process_s", 1.0 + 0.05 * i)}}));
        QCoreApplication::processEvents();
    }
    settle(w);
    CHECK(w.results.shown()->cell->devices[8].name == "Marker");
    const auto& blocks = w.results.shown()->run->trace.blocks;
    const int marker = w.results.shown()->cell->device("marker");
    for (const simulation::Block& b : blocks)
        if (b.device == marker && b.to != simulation::never)
            REQUIRE(simulation::seconds(b.to - b.from) == Approx(1.0 + 0.05 * 59).margin(1e-6));
}

TEST_CASE("every variant comes to have its figures, the one looked at first") {
    Demo w;
    settle(w);
    REQUIRE(wait_until([&] { return w.settled(true); }));
    CHECK(w.results.of("B")->figures.cycle_s);
    CHECK(!w.results.of("C")->figures.cycle_s);
    CHECK(w.results.error_of("A").isEmpty());
    CHECK(w.open.variant_name("B") == "Facing arms");
}

TEST_CASE("time stays within the run, and plays round and round in the steady state") {
    Demo w;
    settle(w);
    w.playhead.set_time(-5);
    CHECK(w.playhead.time() == 0);
    w.playhead.set_time(1e9);
    CHECK(w.playhead.time() == w.results.end_time());
    w.playhead.set_time(w.results.end_time() - 0.2);
    w.playhead.set_speed(5);
    w.playhead.play(true);
    CHECK(wait_until([&] { return w.playhead.time() < w.results.end_time() - 0.2; }));
    w.playhead.play(false);
    CHECK(w.playhead.time() < w.results.end_time() - 0.2);
    CHECK(w.playhead.time() >= simulation::seconds(w.results.shown()->run->steady->from));
    w.playhead.set_time(10);
    w.playhead.step_event(1);
    const double next = w.playhead.time();
    CHECK(next > 10);
    w.playhead.step_event(-1);
    w.playhead.step_event(1);
    CHECK(w.playhead.time() == next);
}

TEST_CASE("a file that cannot be written is told, and the work stays unsaved") {
    Demo w;
    REQUIRE(w.open.apply(shift(2500)));
    QSignalSpy refused(&w.open, &OpenCell::refused);
    CHECK(!w.open.save_as("/no/such/folder/x.escarp"));
    CHECK(refused.count() == 1);
    CHECK(w.open.modified());
    const QTemporaryDir folder;
    CHECK(w.open.save_as(folder.filePath("x.escarp")));
    CHECK(!w.open.modified());
    Workspace again;
    REQUIRE(again.open.open(folder.filePath("x.escarp")));
    CHECK(again.open.document() == w.open.document());
}

TEST_CASE("the plan is to scale and the right way round, from above, the front and the side") {
    Demo w;
    const cell::Cell& c = *w.open.cell();
    for (const Side side : {Side::top, Side::front, Side::side}) {
        const PlanView v{side, 300, {50, 700}, 0, 0};
        const geometry::Vector3 p(1.2, -0.4, 0.9);
        const QPointF pixel = v.to_pixels(p);
        const QPointF flat = v.to_flat(pixel);
        CHECK(flat.x() == Approx(side == Side::side ? p.y() : p.x()));
        CHECK(flat.y() == Approx(side == Side::top ? p.y() : p.z()));
        const QRectF box = plan_bounds(c, v);
        CHECK(box.width() > 0.5);
        if (side != Side::top) CHECK(box.top() == Approx(0).margin(1e-9));  // everything stands on the floor
    }
    const PlanView v{Side::top, 1000, {0, 0}, 0, 0};  // one pixel per mm
    QRectF belt;
    for (const QPolygonF& poly : device_outlines(v, simulation::Scene(c), c.device("infeed_belt")))
        belt |= poly.boundingRect();
    CHECK(belt.width() == Approx(1500).margin(0.5));
    CHECK(belt.height() == Approx(200).margin(0.5));
}

TEST_CASE("what no figure depends on leaves the figures as they are, and what one variant has alone those of others") {
    Demo w;
    const auto settle_all = [&] { REQUIRE(wait_until([&] { return w.settled(true); })); };
    settle_all();
    const auto a = w.results.shown(), b = w.results.of("B");
    REQUIRE(w.open.apply({"Rename", {cell::Operation::set("/name", "Another name")}}));
    settle_all();
    CHECK(w.results.shown()->run == a->run);
    CHECK(w.results.shown()->zones == a->zones);
    CHECK(w.results.of("B")->run == b->run);
    CHECK(w.results.shown()->layout.tree()["name"] == "Another name");  // what is edited from here is the new document
    // Held signals are not in the document.
    w.results.force("infeed.release", 0);
    settle_all();
    const auto held = w.results.shown();
    CHECK(held->run != a->run);
    CHECK_FALSE(held->figures.cycle_s);
    w.results.let_go_forced();
    settle_all();
    CHECK(w.results.shown()->run != held->run);
    CHECK(w.results.shown()->figures.cycle_s == a->figures.cycle_s);
    // An edit of one variant.
    w.open.set_variant("B");
    settle_all();
    const auto compared = w.results.of("A")->run, own = w.results.shown()->run;
    REQUIRE(w.open.apply(shift(2710)));
    settle_all();
    CHECK(w.results.of("A")->run == compared);
    CHECK(w.results.shown()->run != own);
    // Looked at again it has its whole run and its zones.
    w.open.set_variant("A");
    settle_all();
    REQUIRE(w.results.shown());
    CHECK(w.results.shown()->run->trace.blocks.size() == a->run->trace.blocks.size());
    CHECK(w.results.zones());
}
