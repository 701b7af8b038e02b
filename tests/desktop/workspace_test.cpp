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
    Demo() { REQUIRE(open(ESCARP_DEMO)); }
    ~Demo() override { forget_journal(); }
};

void settle(Workspace& w) {
    REQUIRE(wait_until([&] { return w.current(); }));
}

const std::string marker_x = "/devices/marker/placement/x_mm";

cell::Edit shift(double x) { return {"Shift", {cell::Operation::set(marker_x, x)}}; }

}  // namespace

TEST_CASE("undo goes back over many edits in several variants, to the bit, and redo forward again") {
    Demo w;
    std::vector<std::string> texts{w.document().text()};
    const char* variants[] = {"A", "B", "C"};
    for (int i = 0; i < 30; ++i) {
        w.set_variant(variants[i % 3]);
        REQUIRE(w.apply(shift(2700 + i)));
        texts.push_back(w.document().text());
    }
    for (int i = 29; i >= 0; --i) {
        w.undo();
        CHECK(w.document().text() == texts[i]);
        CHECK(w.variant() == variants[i % 3]);  // back where the edit was made
    }
    CHECK(!w.can_undo());
    CHECK(!w.modified());
    for (std::size_t i = 1; i < texts.size(); ++i) {
        w.redo();
        CHECK(w.document().text() == texts[i]);
    }
    CHECK(!w.can_redo());
    w.undo();
    REQUIRE(w.apply(shift(1234)));
    CHECK(!w.can_redo());  // a new edit ends the way forward
}

TEST_CASE("an edit that changes nothing is no edit") {
    Demo w;
    const double x = cell::find(w.resolved(), marker_x)->get<double>();
    CHECK(w.apply(shift(x)));
    CHECK(!w.can_undo());
    CHECK(!w.modified());
}

TEST_CASE("a draft is shown and evaluated, but only taking it changes the document") {
    Demo w;
    settle(w);
    const double cycle = *w.evaluation()->figures.cycle_s;
    const std::string before = w.document().text();
    for (int i = 1; i <= 20; ++i) REQUIRE(w.try_out(shift(2720 + i)));
    settle(w);
    CHECK(*w.evaluation()->figures.cycle_s != cycle);
    CHECK(w.document().text() == before);
    CHECK(w.trying());
    w.drop_draft();
    settle(w);
    CHECK(*w.evaluation()->figures.cycle_s == cycle);
    REQUIRE(w.try_out(shift(2740)));
    w.take_draft();
    CHECK(!w.trying());
    CHECK(w.history().undo_name() == "Shift");
    w.undo();
    CHECK(w.document().text() == before);  // twenty drags and one taking are one edit
}

TEST_CASE("a refused edit says why and leaves everything as it was") {
    Demo w;
    QSignalSpy refused(&w, &Workspace::refused);
    const std::string before = w.document().text();
    CHECK(!w.apply({"x", {cell::Operation::set("/devices/arm1/model", "none such")}}));
    CHECK(!w.apply({"x", {cell::Operation::remove("/devices/zzz")}}));
    CHECK(!w.try_out({"x", {cell::Operation::set("/devices/tester/columns", 1000)}}));
    CHECK(!w.apply({"x", {cell::Operation::remove("/devices/tester")}}));  // tasks refer to it
    CHECK(refused.count() == 4);
    CHECK(refused.at(0).at(1).toString().contains("devices/arm1/model"));
    CHECK(w.document().text() == before);
    CHECK(!w.can_undo());
    CHECK(!w.trying());
}

TEST_CASE("the newest edit wins: many in a row end with the figures of the last one") {
    Demo w;
    QSignalSpy evaluated(&w, &Workspace::evaluated);
    for (int i = 0; i < 60; ++i) {
        REQUIRE(w.apply({"x", {cell::Operation::set("/devices/marker/process_s", 1.0 + 0.05 * i)}}));
        QCoreApplication::processEvents();
    }
    settle(w);
    CHECK(w.evaluation()->cell->devices[8].name == "Marker");
    const auto& blocks = w.evaluation()->run->trace.blocks;
    const int marker = w.evaluation()->cell->device("marker");
    for (const simulation::Block& b : blocks)
        if (b.device == marker && b.to != simulation::never)
            REQUIRE(simulation::seconds(b.to - b.from) == Approx(1.0 + 0.05 * 59).margin(1e-6));
}

TEST_CASE("every variant comes to have its figures, the one looked at first") {
    Demo w;
    settle(w);
    REQUIRE(wait_until([&] { return w.settled(true); }));
    CHECK(w.evaluation_of("B")->figures.cycle_s);
    CHECK(!w.evaluation_of("C")->figures.cycle_s);
    CHECK(w.error_of("A").isEmpty());
    CHECK(w.variant_name("B") == "Facing arms");
}

TEST_CASE("time stays within the run, and plays round and round in the steady state") {
    Demo w;
    settle(w);
    w.set_time(-5);
    CHECK(w.time() == 0);
    w.set_time(1e9);
    CHECK(w.time() == w.end_time());
    w.set_time(w.end_time() - 0.2);
    w.set_speed(5);
    w.play(true);
    CHECK(wait_until([&] { return w.time() < w.end_time() - 0.2; }));
    w.play(false);
    CHECK(w.time() < w.end_time() - 0.2);
    CHECK(w.time() >= simulation::seconds(w.evaluation()->run->steady->from));
    w.set_time(10);
    w.step_event(1);
    const double next = w.time();
    CHECK(next > 10);
    w.step_event(-1);
    w.step_event(1);
    CHECK(w.time() == next);
}

TEST_CASE("a file that cannot be written is told, and the work stays unsaved") {
    Demo w;
    REQUIRE(w.apply(shift(2500)));
    QSignalSpy refused(&w, &Workspace::refused);
    CHECK(!w.save_as("/no/such/folder/x.escarp"));
    CHECK(refused.count() == 1);
    CHECK(w.modified());
    const QTemporaryDir folder;
    CHECK(w.save_as(folder.filePath("x.escarp")));
    CHECK(!w.modified());
    Workspace again;
    REQUIRE(again.open(folder.filePath("x.escarp")));
    CHECK(again.document() == w.document());
}

TEST_CASE("the plan is to scale and the right way round, from above, the front and the side") {
    Demo w;
    const cell::Cell& c = *w.cell();
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
    for (const QPolygonF& poly : device_outlines(v, c, c.device("infeed_belt"), nullptr, 0))
        belt |= poly.boundingRect();
    CHECK(belt.width() == Approx(1500).margin(0.5));
    CHECK(belt.height() == Approx(200).margin(0.5));
}

TEST_CASE("what no figure depends on leaves the figures as they are, and what one variant has alone those of others") {
    Demo w;
    const auto settle_all = [&] { REQUIRE(wait_until([&] { return w.settled(true); })); };
    settle_all();
    const auto a = w.evaluation(), b = w.evaluation_of("B");
    REQUIRE(w.apply({"Rename", {cell::Operation::set("/name", "Another name")}}));
    settle_all();
    CHECK(w.evaluation()->run == a->run);
    CHECK(w.evaluation()->zones == a->zones);
    CHECK(w.evaluation_of("B")->run == b->run);
    CHECK(w.evaluation()->layout.tree()["name"] == "Another name");  // what is edited from here is the new document
    // Held signals are not in the document.
    w.force("infeed.release", 0);
    settle_all();
    const auto held = w.evaluation();
    CHECK(held->run != a->run);
    CHECK_FALSE(held->figures.cycle_s);
    w.let_go_forced();
    settle_all();
    CHECK(w.evaluation()->run != held->run);
    CHECK(w.evaluation()->figures.cycle_s == a->figures.cycle_s);
    // An edit of one variant.
    w.set_variant("B");
    settle_all();
    const auto compared = w.evaluation_of("A")->run, own = w.evaluation()->run;
    REQUIRE(w.apply(shift(2710)));
    settle_all();
    CHECK(w.evaluation_of("A")->run == compared);
    CHECK(w.evaluation()->run != own);
    // Looked at again it has its whole run and its zones.
    w.set_variant("A");
    settle_all();
    REQUIRE(w.evaluation());
    CHECK(w.evaluation()->run->trace.blocks.size() == a->run->trace.blocks.size());
    CHECK(w.zones());
}
