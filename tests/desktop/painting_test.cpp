#include <geometry/work_done.h>

#include "bench_window.h"
#include "paints.h"

using namespace escarp;
using namespace escarp::desktop;
using tests::Bench;

TEST_CASE("painting works out nothing: no view, page or panel places an arm, plans or judges while it paints") {
    Bench b;
    b.settle_all();
    Shown everything = b.w().view_options.shown();
    everything.frames = everything.base = everything.model_names = everything.nearness = everything.swept = true;
    b.w().selection.select("arm1", "s2");
    b.w().view_options.set_shown(everything);
    b.settle();
    CHECK(geometry::work_done > 0);  // of this thread: it placed arms when the instant was chosen
    tests::paints() = {};
    const auto paint = [&](const QString& what) {
        for (QWidget* w : b.window.findChildren<QWidget*>())
            if (w->isVisible()) w->repaint();
        b.settle();
        for (const auto& [name, work] : tests::paints().worked)
            FAIL_CHECK(what.toStdString() << ": " << name << " worked out " << work);
        tests::paints().worked.clear();
    };
    paint("all that is shown");
    for (const char* id : {"worksheet", "catalogue", "device_list", "cell", "findings", "arm_by_hand", "motion_plot",
             "history", "live"}) {
        b.action(id)->trigger();
        b.settle();
        paint(id);
    }
    for (const char* id : {"compare", "studies", "signals", "build"}) {
        b.action(id)->trigger();
        b.settle();
        paint(id);
        b.action(id)->trigger();
    }
    for (const Side side : {Side::front, Side::side, Side::corner, Side::top}) {
        b.window.floor()->set_side(side);
        paint("another side");
    }
    b.w().playhead.set_time(4.2);
    paint("another instant");
    // An arm that is moved by hand, with its other joint solutions shown.
    b.action("arm_by_hand")->trigger();
    const int arm = b.w().open.cell()->device("arm1");
    kinematics::JointVector q = b.w().hand.joints(arm);
    q[0] += 0.2;
    b.w().hand.pose("arm1", q);
    b.w().hand.set_ghosts("arm1", {q, q});
    paint("an arm moved by hand");
    // While figures are still being worked out.
    b.w().open.apply({"Shift", {cell::Operation::set("/devices/marker/placement/x_mm", 2790)}});
    for (QWidget* w : b.window.findChildren<QWidget*>())
        if (w->isVisible()) w->repaint();
    paint("an edit");
    for (const char* painted : {"FloorView", "ModelView", "CycleRibbon", "VerdictStrip", "Comparison", "MotionPlot"}) {
        INFO(painted);
        CHECK(tests::paints().count[std::string("escarp::desktop::") + painted] > 0);
    }
}
