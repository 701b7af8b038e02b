#include <catch2/catch.hpp>

#include <inspection/people.h>
#include <study/figures.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using cell::json;
using inspection::GuardJudged;

TEST_CASE("distances of ISO 13855 and ISO 13857 against values worked by hand") {
    // ISO 13855, 6.2.3: K = 2000 mm/s up to 500 mm, then 1600, but 500 at the least; C = 8 (d - 14).
    CHECK(*inspection::curtain_distance(0.1, 0.030) == Approx(0.328));   // 200 + 128
    CHECK(*inspection::curtain_distance(0.02, 0.014) == Approx(0.100));  // 40, but 100 at the least
    CHECK(*inspection::curtain_distance(0.3, 0.014) == Approx(0.500));   // 600; 480 at 1600 mm/s
    CHECK(*inspection::curtain_distance(0.4, 0.030) == Approx(0.768));   // 928; 640 + 128
    CHECK(*inspection::curtain_distance(0.2, 0.010) == Approx(0.400));   // C is never below 0
    CHECK(*inspection::curtain_distance(0.4, 0.050) == Approx(1.490));   // 6.2.4: 640 + 850
    CHECK_FALSE(inspection::curtain_distance(0.4, 0.071));
    // ISO 13857, table 2.
    CHECK(inspection::reach_over_distance(1.4, 1.8) == Approx(0.8));
    CHECK(
        inspection::reach_over_distance(1.5, 1.5) == Approx(1.1));  // between: the column 1400, the rows 1400 and 1600
    CHECK(inspection::reach_over_distance(0.5, 1.4) == Approx(0.8));  // the row 600 asks for more than 400
    CHECK(inspection::reach_over_distance(1.7, 2.0) == Approx(0.6));
    CHECK(inspection::reach_over_distance(2.7, 1.0) == Approx(0.0));
    CHECK(inspection::reach_over_distance(2.0, 2.7) == Approx(0.0));
    // ISO 13855, table 1: C for reaching over, with the same K.
    CHECK(inspection::over_curtain_distance(0.1, 1.0, 0.9) == Approx(1.360));   // 160 + 1200
    CHECK(inspection::over_curtain_distance(0.1, 1.4, 1.6) == Approx(0.810));   // 160 + 650
    CHECK(inspection::over_curtain_distance(0.01, 2.4, 2.4) == Approx(0.120));  // 20 + 100
    CHECK(inspection::over_curtain_distance(0.1, 1.2, 1.6) == 0);
    CHECK(inspection::over_curtain_distance(0.1, 1.3, 1.7) == Approx(0.810));  // the row 1400, the column 1600
    CHECK(inspection::over_curtain_distance(0.1, 2.6, 0.9) == 0);
    CHECK(inspection::over_curtain_distance(0.1, 1.0, 2.6) == 0);
    CHECK(inspection::door_distance(0.5) == Approx(0.8));  // clause 9: 1600 mm/s
    // Table 4, square openings.
    CHECK(*inspection::reach_through_distance(0.008) == Approx(0.015));
    CHECK(*inspection::reach_through_distance(0.030) == Approx(0.120));
    CHECK(*inspection::reach_through_distance(0.031) == Approx(0.200));
    CHECK(*inspection::reach_through_distance(0.120) == Approx(0.850));
    CHECK_FALSE(inspection::reach_through_distance(0.121));
    // Never less where a fence is lower, a hazard slower to stop, an opening wider.
    for (int i = 0; i < 60; ++i)
        for (int j = 1; j < 40; ++j)
            CHECK(inspection::reach_over_distance(0.05 * i, 1 + 0.05 * (j - 1)) >=
                  inspection::reach_over_distance(0.05 * i, 1 + 0.05 * j));
    for (int i = 0; i < 60; ++i)
        for (int j = 1; j < 40; ++j)
            CHECK(inspection::over_curtain_distance(0.3, 0.05 * i, 0.9 + 0.05 * (j - 1)) >=
                  inspection::over_curtain_distance(0.3, 0.05 * i, 0.9 + 0.05 * j));
}

TEST_CASE("an arm's stopping time is what its fastest joint takes from the rates of its run") {
    inspection::Cache cache;
    const auto e = study::evaluate(simulation::layout(tests::demo(), "A"), cache);
    for (const cell::Device& d : e->cell->devices) {
        if (!d.arm) continue;
        const int index = e->cell->device(d.id);
        const double takes = inspection::stopping_time(*d.arm, *e->run, index);
        // By brute force: at many instants, the joints slowed down with their limits.
        double longest = 0;
        for (const auto& m : e->run->trace.motions[index])
            for (double t = 0; t < m.motion->duration(); t += 0.01) {
                const auto state = m.motion->at(t);
                for (int j = 0; j < state.rate.size(); ++j) {
                    const auto& joint = d.arm->model->mechanism.joints[static_cast<std::size_t>(j)];
                    double v = std::abs(state.rate[j]), a = 0, s = 0;
                    // Jerk up to the acceleration that still lets it come back to nothing with the speed.
                    for (const double h = 1e-4; v > 0; s += h) {
                        const bool back = a * a / (2 * joint.jerk) >= v;
                        a = back ? std::max(1e-6, a - joint.jerk * h)
                                 : std::min(joint.acceleration, a + joint.jerk * h);
                        v -= a * h;
                    }
                    longest = std::max(longest, s);
                }
            }
        CHECK(takes >= longest - 0.01);
        CHECK(takes <= longest + 0.03);
    }
}

TEST_CASE("a light curtain too near is a finding, and its way out puts it where nothing is missing") {
    inspection::Cache cache;
    json tree = json::parse(tests::demo().text());
    tree["devices"].push_back({{"id", "curtain"}, {"name", "Curtain"}, {"kind", "light_curtain"}, {"length_mm", 1500},
        {"height_mm", 1500}, {"detection_mm", 30}, {"response_s", 0.08},
        {"placement", {{"x_mm", 1250}, {"y_mm", -100}, {"turn_deg", 0}}}});
    const auto layout = simulation::layout(cell::Document::parse(tree.dump()), "A");
    const auto e = study::with_zones(*study::evaluate(layout, cache), cache, nullptr, true);
    const auto found = [](const study::Evaluation& of) {
        const auto& all = of.inspection->findings;
        const auto at = std::find_if(
            all.begin(), all.end(), [](const inspection::Finding& f) { return f.id == "people:curtain:approach"; });
        return at == all.end() ? nullptr : &*at;
    };
    REQUIRE(found(*e));
    REQUIRE(found(*e)->ways_out.size() == 1);
    const auto judged = inspection::judge_guards(*e->cell, *e->run, cache);
    const int curtain = e->cell->device("curtain");
    const auto own =
        std::find_if(judged.begin(), judged.end(), [&](const GuardJudged& j) { return j.device == curtain; });
    REQUIRE(own != judged.end());
    CHECK(own->needed == Approx(*inspection::curtain_distance(own->stops_s + 0.08, 0.03)));
    // What it has, against the arm's bodies at many instants.
    double nearest = 1e300;
    const cell::Device& d = e->cell->devices[curtain];
    const geometry::Vector3 a = d.world * d.guards[0].from, b = d.world * d.guards[0].to;
    const cell::Device& arm = e->cell->devices[own->arm];
    for (double t = 0; t < 60; t += 0.02) {
        std::vector<geometry::Frame> frames;
        arm.arm->model->mechanism.link_frames(
            e->run->trace.joints(*e->cell, own->arm, simulation::ticks(t)), arm.world, frames);
        for (std::size_t l = 0; l < frames.size(); ++l)
            for (const auto& body : arm.arm->model->mechanism.links[l].bodies) {
                const geometry::Convex wall = geometry::Convex::hull({{a.x(), a.y(), -9}, {b.x(), b.y(), -9},
                    {a.x(), a.y(), 9}, {b.x(), b.y(), 9}, {a.x(), a.y() - 1e-3, -9}, {b.x(), b.y() - 1e-3, 9}});
                nearest = std::min(nearest,
                    geometry::separation(body.shape, frames[l] * body.at, wall, geometry::Frame::Identity()).distance);
            }
    }
    CHECK(own->has <= nearest + 1e-6);  // tool and part come nearer than the links
    CHECK(own->has >= nearest - 0.45);
    const auto moved = layout.edited(found(*e)->ways_out[0].edit);
    const auto after = study::with_zones(*study::evaluate(moved, cache), cache, nullptr, true);
    CHECK(found(*after) == nullptr);
    // Without the last 20 mm of that it is still too near.
    cell::Edit less = found(*e)->ways_out[0].edit;
    const double y = less.operations[1].value.get<double>();
    less.operations[1].value = y + (y < -100 ? 30 : -30);
    CHECK(found(*study::with_zones(*study::evaluate(layout.edited(less), cache), cache, nullptr, true)));
}

TEST_CASE("a fence that is too low, or whose openings are too wide, is told with what is missing") {
    inspection::Cache cache;
    json tree = json::parse(tests::demo().text());
    tree["devices"].push_back(
        {{"id", "fence"}, {"name", "Fence"}, {"kind", "fence"}, {"points_mm", {{0, 0}, {2000, 0}, {2000, 1500}}},
            {"height_mm", 1400}, {"opening_mm", 100}, {"placement", {{"x_mm", 200}, {"y_mm", -900}}}});
    const auto layout = simulation::layout(cell::Document::parse(tree.dump()), "A");
    const auto e = study::evaluate(layout, cache);
    bool over = false, through = false;
    for (const GuardJudged& j : inspection::judge_guards(*e->cell, *e->run, cache)) {
        CHECK(j.why_not.empty());
        over = over || (j.by == GuardJudged::By::over && j.needed <= 1.5);
        through = through || (j.by == GuardJudged::By::through && j.needed == Approx(0.85));
    }
    CHECK(over);
    CHECK(through);
    for (json& d : tree["devices"])
        if (d["kind"] == "fence") d["height_mm"] = 900.0;
    const auto low = study::evaluate(simulation::layout(cell::Document::parse(tree.dump()), "A"), cache);
    const auto findings = inspection::people_findings(*low->cell, *low->run, cache);
    REQUIRE_FALSE(findings.empty());
    CHECK(findings.front().text.find("no fence") != std::string::npos);
    CHECK(findings.front().text.find("replaces no risk assessment") != std::string::npos);
}

TEST_CASE("a structure that is a fence or a wall keeps people away as a fence run does") {
    inspection::Cache cache;
    const auto judged = [&](const json& guard) {
        json tree = json::parse(tests::demo().text());
        for (json& d : tree["devices"])
            if (d["id"] == "guard") d = guard;
        const auto e = study::evaluate(simulation::layout(cell::Document::parse(tree.dump()), "A"), cache);
        std::vector<GuardJudged> all;
        for (const GuardJudged& j : inspection::judge_guards(*e->cell, *e->run, cache))
            if (e->cell->devices[j.device].id == "guard") all.push_back(j);
        return all;
    };
    for (const double height : {1800.0, 2600.0}) {
        const json at = {{"x_mm", 2400}, {"y_mm", -300}};
        const auto run = judged({{"id", "guard"}, {"name", "Guard"}, {"kind", "fence"}, {"height_mm", height},
            {"points_mm", {{-1800, 0}, {1800, 0}}}, {"placement", at}});
        REQUIRE(run.size() == 1);
        for (const char* shape : {"fence", "wall"}) {
            INFO(shape << " " << height);
            const auto same = judged({{"id", "guard"}, {"name", "Guard"}, {"kind", "structure"}, {"shape", shape},
                {"length_mm", 3600}, {"width_mm", 50}, {"height_mm", height}, {"placement", at}});
            REQUIRE(same.size() == 1);
            CHECK(same[0].needed == run[0].needed);
            CHECK(same[0].has == run[0].has);
            CHECK(same[0].missing() == run[0].missing());
            CHECK((same[0].missing() > 0) == (height < 2000));
        }
    }
    CHECK(judged({{"id", "guard"}, {"name", "Guard"}, {"kind", "structure"}, {"shape", "box"}, {"length_mm", 3600},
                     {"width_mm", 50}, {"height_mm", 1800}, {"placement", {{"x_mm", 2400}, {"y_mm", -300}}}})
              .empty());
}

TEST_CASE("beams that somebody gets in below, or steps over, are told with the height that would do") {
    inspection::Cache cache;
    json tree = json::parse(tests::demo().text());
    tree["devices"].push_back({{"id", "curtain"}, {"name", "Curtain"}, {"kind", "light_curtain"}, {"length_mm", 1500},
        {"bottom_mm", 300}, {"height_mm", 900}, {"detection_mm", 30}, {"response_s", 0.02},
        {"placement", {{"x_mm", 1250}, {"y_mm", -3000}}}});
    json& curtain = tree["devices"].back();
    const auto told = [&] {
        const auto layout = simulation::layout(cell::Document::parse(tree.dump()), "A");
        const auto e = study::evaluate(layout, cache);
        std::map<std::string, std::string> out;
        for (const inspection::Finding& f : inspection::people_findings(*e->cell, *e->run, cache)) {
            if (f.devices.front() != "curtain") continue;
            out[f.id] = f.title;
            // Its way out takes it away.
            REQUIRE(f.ways_out.size() == 1);
            const cell::Layout mended = layout.edited(f.ways_out.front().edit);
            const auto then = study::evaluate(mended, cache);
            for (const inspection::Finding& left : inspection::people_findings(*then->cell, *then->run, cache))
                CHECK(left.id != f.id);
        }
        return out;
    };
    CHECK(told().empty());
    curtain["bottom_mm"] = 310;
    curtain["height_mm"] = 1500;
    CHECK(told() == std::map<std::string, std::string>{{"people:curtain:below", "Curtain can be passed below"}});
    // Above the floor, not above what it stands on.
    curtain["bottom_mm"] = 250;
    curtain["placement"]["z_mm"] = 100;
    CHECK(told().count("people:curtain:below") == 1);
    curtain["placement"]["z_mm"] = 0;
    curtain["height_mm"] = 890;
    CHECK(told() == std::map<std::string, std::string>{{"people:curtain:above", "Curtain can be stepped over"}});
}

TEST_CASE("who reaches over the beams of a curtain is kept from it by distance, or by higher beams") {
    inspection::Cache cache;
    json tree = json::parse(tests::demo().text());
    tree["devices"].push_back(
        {{"id", "curtain"}, {"name", "Curtain"}, {"kind", "light_curtain"}, {"length_mm", 1500}, {"height_mm", 1000},
            {"detection_mm", 14}, {"response_s", 0.02}, {"placement", {{"x_mm", 1250}, {"y_mm", -650}}}});
    const auto told = [&](const cell::Layout& layout) {
        const auto e = study::evaluate(layout, cache);
        for (inspection::Finding& f : inspection::people_findings(*e->cell, *e->run, cache))
            if (f.id == "people:curtain:over") return std::optional(std::move(f));
        return std::optional<inspection::Finding>();
    };
    const auto layout = simulation::layout(cell::Document::parse(tree.dump()), "A");
    const auto f = told(layout);
    REQUIRE(f);
    CHECK(f->text.find("ISO 13855, table 1") != std::string::npos);
    REQUIRE(f->ways_out.size() == 2);
    CHECK(f->ways_out[0].label.starts_with("Highest beam at "));
    CHECK(f->ways_out[1].label.starts_with("Move Curtain "));
    for (const auto& way : f->ways_out) CHECK_FALSE(told(layout.edited(way.edit)));
    // A column of the table lower, somebody still does.
    cell::Edit lower = f->ways_out[0].edit;
    lower.operations[0].value = lower.operations[0].value.get<double>() - 200;
    CHECK(told(layout.edited(lower)));
}

TEST_CASE("a fence's doors that stop the cell have to be far enough; locked ones are fence") {
    inspection::Cache cache;
    json tree = json::parse(tests::demo().text());
    tree["devices"].push_back({{"id", "fence"}, {"name", "Fence"}, {"kind", "fence"},
        {"points_mm", {{0, 0}, {3000, 0}}}, {"height_mm", 2400}, {"doors_at_mm", {400, 1800}}, {"door_width_mm", 800},
        {"response_s", 0.1}, {"placement", {{"x_mm", 200}, {"y_mm", -150}}}});
    json& fence = tree["devices"].back();
    const auto doors = [&] {
        const auto e = study::evaluate(simulation::layout(cell::Document::parse(tree.dump()), "A"), cache);
        std::vector<GuardJudged> own;
        for (const GuardJudged& j : inspection::judge_guards(*e->cell, *e->run, cache))
            if (j.by == GuardJudged::By::door) own.push_back(j);
        bool told = false;
        for (const auto& f : inspection::people_findings(*e->cell, *e->run, cache))
            told = told || f.id == "people:fence:door";
        const bool lacks = std::any_of(own.begin(), own.end(), [](const GuardJudged& j) { return j.missing() > 0; });
        CHECK(told == lacks);
        return own;
    };
    CHECK(doors().empty());
    fence["doors"] = "stop it when opened";
    const auto near = doors();
    REQUIRE(near.size() == 2);
    for (const GuardJudged& j : near) CHECK(j.needed == Approx(1.6 * (j.stops_s + 0.1)));
    CHECK(std::any_of(near.begin(), near.end(), [](const GuardJudged& j) { return j.missing() > 0; }));
    fence["placement"]["y_mm"] = -4000;
    for (const GuardJudged& j : doors()) CHECK(j.missing() <= 0);
}
