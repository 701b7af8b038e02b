// Belts, what stands along them, and times that vary, by mouse and key.

#include <QComboBox>

#include <cell/edits/compose.h>
#include <cell/model/device_kind.h>
#include <desktop/looks/plan_drawing.h>

#include "bench_window.h"

using namespace escarp;
using namespace escarp::tests;

namespace {

struct Flow : Bench {
    explicit Flow(bool demo = false) : Bench(demo) {}
    void press(const QString& name) {
        QTest::mouseClick(child<QAbstractButton>(name), Qt::LeftButton);
        settle();
    }
    /// By the keyboard, as a drop-down box takes it.
    void choose(const QString& name, const QString& words) {
        auto* box = child<QComboBox>(name);
        const int index = box->findText(words);
        REQUIRE(index >= 0);
        box->setCurrentIndex(index);
        Q_EMIT box->activated(index);
        settle();
    }
    /// From the catalogue, beside what is selected.
    QString place(const char* what) {
        action("catalogue")->trigger();
        type("catalogue_search", what);
        const QString id = w().selection.first().device;
        REQUIRE(w().open.cell()->device(id.toStdString()) >= 0);
        action("worksheet")->trigger();
        settle();
        return id;
    }
    void put(const QString& id, const QString& key, const QString& value) { type("field_" + id + "_" + key, value); }
    const cell::Device& device(const QString& id) {
        return w().open.cell()->devices[w().open.cell()->device(id.toStdString())];
    }
    cell::json value(const QString& id, const char* key) {
        const cell::json* found = cell::find(w().open.document().tree(), ("/devices/" + id).toStdString() + "/" + key);
        return found ? *found : cell::json();
    }
};

}  // namespace

TEST_CASE("a line with two stops and a belt from the side is built by hand, and runs") {
    Flow h;
    const QString line = h.place("conveyor");
    h.put(line, "length_mm", "3 m");
    const QString in = h.place("infeed");
    h.put(in, "interval_s", "2");
    h.w().selection.select(line);
    h.settle();
    const QString first = h.place("stop");
    h.w().selection.select(line);
    h.settle();
    const QString second = h.place("stop");
    CHECK(h.device(second).host == h.w().open.cell()->device(line.toStdString()));
    h.w().selection.select(second);
    h.settle();
    h.type("place_x", "600");
    // Open for now: they take a condition in words.
    for (const QString& stop : {first, second}) {
        h.w().selection.select(stop);
        h.settle();
        h.type("input_" + stop + "_open", "not " + line + ".count > 90");
        CHECK(h.device(stop).signals[1].source);
    }
    h.w().selection.select(line);
    h.settle();
    const QString out = h.place("outfeed");
    CHECK(h.value(line, "to") == out.toStdString());
    const QString side = h.place("conveyor");
    h.put(side, "length_mm", "1000");
    h.type("place_x", "0");
    h.type("place_y", "-600");
    h.type("place_turn", "90");
    h.choose("field_" + side + "_to", QString::fromStdString(h.device(line).name));
    h.choose("field_" + side + "_joins", "from the side");
    h.w().selection.select(line);
    h.settle();
    h.choose("field_" + line + "_goes_first", "turns");
    h.w().selection.select(side);
    h.settle();
    const QString other = h.place("infeed");
    CHECK(h.value(other, "to") == side.toStdString());
    h.put(other, "interval_s", "4");
    h.settle_all();
    const auto e = h.w().results.shown();
    REQUIRE(e);
    // One every 2 s and one every 4 s.
    CHECK(e->figures.cycle_s.value_or(0) == Approx(1 / (0.5 + 0.25)).epsilon(0.03));
    CHECK(h.told.isEmpty());
    // Closed, it holds them: nothing leaves.
    h.w().selection.select(second);
    h.settle();
    h.type("input_" + second + "_open", line + ".count > 900");
    h.settle_all();
    CHECK(h.w().results.shown()->run->trace.departures.empty());
    CHECK(h.w().results.shown()->run->trace.signal((second + ".here").toStdString())->at(simulation::ticks(100)) == 1);
}

TEST_CASE("a lift between two belts, the second one rising, and a door that it opens are built by hand, and move") {
    Flow h;
    const QString low = h.place("conveyor");
    h.put(low, "length_mm", "1 m");
    h.put(low, "height_mm", "700");
    const QString in = h.place("infeed");
    h.put(in, "interval_s", "6");
    const QString lift = h.place("lift");
    h.put(lift, "height_mm", "700");
    h.put(lift, "travel_mm", "300");
    h.put(lift, "go_s", "2");
    h.type("place_x", "720");
    h.type("place_y", QString::number(1e3 * h.device(low).world.translation().y()));
    h.w().selection.select(low);
    h.settle();
    h.type("place_x", "0");
    h.choose("field_" + low + "_to", QString::fromStdString(h.device(lift).name));
    const QString high = h.place("conveyor");
    h.put(high, "height_mm", "1000");
    h.put(high, "rise_mm", "200");
    h.type("place_x", "1700");
    h.type("place_y", QString::number(1e3 * h.device(low).world.translation().y()));
    h.w().selection.select(lift);
    h.settle();
    h.choose("field_" + lift + "_to", QString::fromStdString(h.device(high).name));
    h.w().selection.select(high);
    h.settle();
    const QString out = h.place("outfeed");
    // At the upper end, and not sunk into the slope.
    CHECK(h.device(out).world.translation().z() == Approx(1.19).margin(0.011));
    const QString door = h.place("sliding door");
    h.type("input_" + door + "_open", lift + ".moving");
    h.settle_all();
    const auto e = h.w().results.shown();
    REQUIRE(e);
    CHECK(e->figures.cycle_s.value_or(0) == Approx(6).margin(1e-3));
    CHECK(h.told.isEmpty());
    // Both move, and are drawn where they are: on their way at the middle of the lift's motion.
    const int moving = e->cell->device(lift.toStdString());
    const auto& motions = e->run->trace.motions[static_cast<std::size_t>(moving)];
    REQUIRE(motions.size() > 2);
    const double middle = simulation::seconds(motions[1].from) + 1;
    CHECK(motions[1].motion->duration() == Approx(2).margin(1e-9));
    for (const QString& id : {lift, door}) {
        PlanView view;
        view.side = Side::front;
        const int index = e->cell->device(id.toStdString());
        const simulation::Scene first(*e->cell, e->run->trace, 0),
            later(*e->cell, e->run->trace, simulation::ticks(middle));
        CHECK(device_outlines(view, first, index) != device_outlines(view, later, index));
    }
    // On the Floor, too, from above: the door's leaf is drawn where it is.
    FloorView* floor = h.window.floor();
    floor->fit();
    h.w().selection.select({});
    const auto door_at = [&](double t) {
        h.w().playhead.set_time(t);
        h.settle();
        const QRect box = floor->pixel_box(e->cell->device(door.toStdString())).toRect().adjusted(-2, -2, 2, 2);
        return floor->grab(box).toImage();
    };
    CHECK(door_at(0) == door_at(0));
    CHECK(door_at(0) != door_at(middle));
}

TEST_CASE("a time is made to vary by choice, typed in words, refused with the reason, and made one value again") {
    Flow h(true);
    h.w().selection.select("tester");
    h.settle();
    const double before = h.value("tester", "process_s").get<double>();
    h.choose("field_tester_process_s_varies", "normal");
    CHECK(h.value("tester", "process_s").get<std::string>().rfind("normal ", 0) == 0);
    h.type("field_tester_process_s", "triangular 5, 6, 9");
    CHECK(h.value("tester", "process_s") == "triangular 5, 6, 9");
    CHECK(h.child<QComboBox>("field_tester_process_s_varies")->currentText() == "triangular");
    h.settle_all();
    CHECK_FALSE(h.w().results.shown()->run->steady);
    h.type("field_tester_process_s", "triangular 5, 4, 9");
    CHECK(h.value("tester", "process_s") == "triangular 5, 6, 9");
    CHECK(h.child<QLineEdit>("field_tester_process_s")->text() == "triangular 5, 6, 9");
    h.choose("field_tester_process_s_varies", "always the same");
    CHECK(h.value("tester", "process_s").get<double>() == Approx(20 / 3.0).margin(1e-3));
    h.type("field_tester_process_s", QString::number(before));
    CHECK(h.value("tester", "process_s").get<double>() == before);
    h.settle_all();
    CHECK(h.w().results.shown()->run->steady);
}

TEST_CASE("a belt is removed from under its stops: they do nothing and say so") {
    Flow h;
    const QString line = h.place("conveyor");
    const QString stop = h.place("stop");
    REQUIRE(h.w().open.apply(cell::remove_device(h.w().open.layout(), line.toStdString())));
    h.settle_all();
    REQUIRE(h.w().open.cell()->device(line.toStdString()) < 0);
    REQUIRE(h.w().open.cell()->device(stop.toStdString()) >= 0);
    bool told = false;
    for (const auto& f : h.w().results.shown()->inspection->findings)
        told = told || f.id == ("idle:" + stop).toStdString();
    CHECK(told);
}

TEST_CASE("the seedling trays: what is missed follows the window, and a silent beam is lowered by its way out") {
    Flow h;
    REQUIRE(h.window.open_file(QString(ESCARP_DEMO).replace("leak-test", "seedling-trays")));
    h.settle();
    const auto missed = [&] {
        const auto e = h.w().results.shown();
        REQUIRE(e->inspection->passings.size() == 1);
        return e->inspection->passings.front();
    };
    const inspection::Passing before = missed();
    CHECK(before.taken > 200);
    CHECK(before.missed > 0);
    // A shorter window lets more pass.
    h.w().selection.select("filler", "p1");
    h.settle();
    h.type("step_field_window_to_mm", "1350");
    h.settle();
    CHECK(h.w().results.shown()->cell->devices[h.w().open.cell()->device("filler")].task.steps.front().window_to ==
          Approx(1.35));
    CHECK(missed().missed > before.missed);
    // Behind the belt's end it is refused where it is typed, and nothing changes.
    h.type("step_field_window_to_mm", "2900");
    REQUIRE_FALSE(h.told.isEmpty());
    CHECK(h.told.join(' ').contains("ends behind the end"));
    h.told.clear();
    CHECK(cell::find(h.w().open.document().tree(), "/devices/filler/task/p1/window_to_mm")->get<double>() == 1350);
    h.action("undo")->trigger();
    h.settle();
    // Plugs lie on the tray while it rides, at the instant shown.
    h.w().playhead.set_time(62);
    const auto e = h.w().results.shown();
    int on_trays = 0;
    for (const simulation::PartRecord& p : e->run->trace.parts) {
        const simulation::Place* place = p.place(simulation::ticks(62));
        on_trays += place && place->kind != simulation::Place::Kind::gone && place->carrier >= 0;
    }
    CHECK(on_trays >= 4);
    // D: the beam never switches; one click lowers it and plugs are taken.
    h.w().open.set_variant("D");
    h.settle();
    CHECK_FALSE(h.w().results.shown()->figures.cycle_s);
    const auto& findings = h.w().results.shown()->inspection->findings;
    const auto silent = std::find_if(findings.begin(), findings.end(),
        [](const inspection::Finding& f) { return f.title == "Tray beam never switches"; });
    REQUIRE(silent != findings.end());
    REQUIRE(silent->ways_out.size() == 1);
    QTest::mouseClick(h.child<QLabel>("way_0"), Qt::LeftButton, {}, QPoint(12, 8));
    h.settle();
    h.press("take_trial");
    CHECK(h.value("tray_here", "beam_height_mm") == 18);  // the baseline's; the variant alone is changed
    CHECK(h.w().open.cell()->signal("tray_here.made") >= 0);
    REQUIRE(h.w().results.shown()->figures.cycle_s);
    CHECK(*h.w().results.shown()->figures.cycle_s < 0.8);
}

TEST_CASE("a camera hung too high sees nothing: it says by how much, and one click lets it see again") {
    Flow h;
    REQUIRE(h.window.open_file(QString(ESCARP_DEMO).replace("leak-test", "seedling-trays")));
    h.settle();
    const auto sees = [&] {
        const auto& changes = h.w().results.shown()->run->trace.signal("camera.sees")->changes;
        return std::any_of(changes.begin(), changes.end(), [](const auto& c) { return c.second != 0; });
    };
    REQUIRE(sees());
    h.w().selection.select("camera");
    h.settle();
    h.type("place_z", "700");
    h.settle_all();
    CHECK_FALSE(sees());
    const auto& findings = h.w().results.shown()->inspection->findings;
    const auto blind = std::find_if(findings.begin(), findings.end(),
        [](const inspection::Finding& f) { return f.title == "Camera never switches"; });
    REQUIRE(blind != findings.end());
    CHECK(blind->text.find("farther off than it sees") != std::string::npos);
    const auto index = std::distance(findings.begin(), blind);
    CHECK(index >= 0);
    REQUIRE(blind->ways_out.size() == 1);
    const QString words = QString::fromStdString(blind->ways_out.front().label);
    for (auto* way : h.window.findChildren<QLabel*>())
        if (way->isVisible() && way->objectName().startsWith("way_") && way->text().contains(words)) {
            QTest::mouseClick(way, Qt::LeftButton, {}, QPoint(12, 8));
            break;
        }
    h.settle();
    h.press("take_trial");
    h.settle_all();
    CHECK(h.value("camera", "depth_mm").get<double>() > 500);
    CHECK(sees());
}

TEST_CASE("an infeed's release is wired to a beam: each part that goes by brings the next") {
    Flow h;
    const QString line = h.place("conveyor");
    h.put(line, "length_mm", "2 m");
    const QString in = h.place("infeed");
    h.put(in, "interval_s", "3");
    h.w().selection.select(line);
    h.settle();
    h.place("outfeed");
    h.settle_all();
    REQUIRE(h.w().results.shown()->figures.cycle_s.value_or(0) == Approx(3).margin(1e-6));
    h.w().selection.select(line);
    h.settle();
    const QString beam = h.place("beam");
    h.w().selection.select(in);
    h.settle();
    h.choose("field_" + in + "_releases", "when asked");
    h.settle_all();
    CHECK_FALSE(h.w().results.shown()->figures.cycle_s);  // nobody asks
    // Free: the first comes at once, and each of them calls the next when it has left the beam.
    h.type("input_" + in + "_release", "not " + beam + ".made");
    h.settle_all();
    const auto e = h.w().results.shown();
    REQUIRE(e->figures.cycle_s);
    const cell::Cell& c = *e->cell;
    const cell::Device& d = c.devices[static_cast<std::size_t>(c.device(beam.toStdString()))];
    const cell::Device& belt = c.devices[static_cast<std::size_t>(c.device(line.toStdString()))];
    const double way = (belt.world.inverse() * d.world).translation().x() + 1.0;
    // From the beginning of the belt until its end has passed the beam, at the belt's 250 mm/s.
    CHECK(*e->figures.cycle_s == Approx(way / 0.25).epsilon(0.05));
    CHECK(*e->figures.cycle_s != Approx(3).margin(0.1));
}
