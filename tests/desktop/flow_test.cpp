// Belts, what stands along them, and times that vary, by mouse and key.

#include <QComboBox>

#include <cell/compose.h>
#include <cell/device_kind.h>

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
        action("add_device_menu")->trigger();
        type("catalogue_search", what);
        const QString id = w().selection().device;
        REQUIRE(w().cell()->device(id.toStdString()) >= 0);
        action("worksheet")->trigger();
        settle();
        return id;
    }
    void put(const QString& id, const QString& key, const QString& value) { type("field_" + id + "_" + key, value); }
    const cell::Device& device(const QString& id) { return w().cell()->devices[w().cell()->device(id.toStdString())]; }
    cell::json value(const QString& id, const char* key) {
        const cell::json* found = cell::find(w().document().tree(), ("/devices/" + id).toStdString() + "/" + key);
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
    h.w().select(line);
    h.settle();
    const QString first = h.place("stop");
    h.w().select(line);
    h.settle();
    const QString second = h.place("stop");
    CHECK(h.device(second).host == h.w().cell()->device(line.toStdString()));
    h.w().select(second);
    h.settle();
    h.type("place_x", "600");
    // Open for now: they take a condition in words.
    for (const QString& stop : {first, second}) {
        h.w().select(stop);
        h.settle();
        h.type("input_" + stop + "_open", "not " + line + ".count > 90");
        CHECK(h.device(stop).signals[1].source);
    }
    h.w().select(line);
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
    h.w().select(line);
    h.settle();
    h.choose("field_" + line + "_goes_first", "turns");
    h.w().select(side);
    h.settle();
    const QString other = h.place("infeed");
    CHECK(h.value(other, "to") == side.toStdString());
    h.put(other, "interval_s", "4");
    h.settle_all();
    const auto e = h.w().evaluation();
    REQUIRE(e);
    // One every 2 s and one every 4 s.
    CHECK(e->figures.cycle_s.value_or(0) == Approx(1 / (0.5 + 0.25)).epsilon(0.03));
    CHECK(h.told.isEmpty());
    // Closed, it holds them: nothing leaves.
    h.w().select(second);
    h.settle();
    h.type("input_" + second + "_open", line + ".count > 900");
    h.settle_all();
    CHECK(h.w().evaluation()->run->trace.departures.empty());
    CHECK(h.w().evaluation()->run->trace.signal((second + ".here").toStdString())->at(simulation::ticks(100)) == 1);
}

TEST_CASE("a time is made to vary by choice, typed in words, refused with the reason, and made one value again") {
    Flow h(true);
    h.w().select("tester");
    h.settle();
    const double before = h.value("tester", "process_s").get<double>();
    h.choose("field_tester_process_s_varies", "normal");
    CHECK(h.value("tester", "process_s").get<std::string>().rfind("normal ", 0) == 0);
    h.type("field_tester_process_s", "triangular 5, 6, 9");
    CHECK(h.value("tester", "process_s") == "triangular 5, 6, 9");
    CHECK(h.child<QComboBox>("field_tester_process_s_varies")->currentText() == "triangular");
    h.settle_all();
    CHECK_FALSE(h.w().evaluation()->run->steady);
    h.type("field_tester_process_s", "triangular 5, 4, 9");
    CHECK(h.value("tester", "process_s") == "triangular 5, 6, 9");
    CHECK(h.child<QLineEdit>("field_tester_process_s")->text() == "triangular 5, 6, 9");
    h.choose("field_tester_process_s_varies", "always the same");
    CHECK(h.value("tester", "process_s").get<double>() == Approx(20 / 3.0).margin(1e-3));
    h.type("field_tester_process_s", QString::number(before));
    CHECK(h.value("tester", "process_s").get<double>() == before);
    h.settle_all();
    CHECK(h.w().evaluation()->run->steady);
}

TEST_CASE("a belt is removed from under its stops: they do nothing and say so") {
    Flow h;
    const QString line = h.place("conveyor");
    const QString stop = h.place("stop");
    REQUIRE(h.w().apply(cell::remove_device(h.w().layout(), line.toStdString())));
    h.settle_all();
    REQUIRE(h.w().cell()->device(line.toStdString()) < 0);
    REQUIRE(h.w().cell()->device(stop.toStdString()) >= 0);
    bool told = false;
    for (const auto& f : h.w().evaluation()->inspection->findings)
        told = told || f.id == ("idle:" + stop).toStdString();
    CHECK(told);
}
