// An arm's limits, hidden and found again: motions computed with other limits, sampled as a real arm's would be.
#include <catch2/catch.hpp>

#include <cell/text/disk.h>
#include <exchange/measured_csv.h>
#include <study/calibrate.h>

#include "support/cells.h"
#include "support/folder.h"
#include "support/random.h"

using namespace escarp;
using cell::json;

namespace {

constexpr double degree = geometry::pi / 180;

/// 100 samples a second of an arm, with noise.
study::Measured sampled(const study::Evaluation& e, int arm, double from, double to, double noise, unsigned seed) {
    tests::Draw draw(seed);
    study::Measured out;
    for (int i = 0; from + 0.01 * i < to; ++i) {
        const double t = from + 0.01 * i;
        kinematics::JointVector q = e.run->trace.joints(*e.cell, arm, simulation::ticks(t));
        for (int j = 0; j < q.size(); ++j) {
            double sum = -6;  // near enough to normal
            for (int k = 0; k < 12; ++k) sum += draw.in(0, 1);
            q[j] += noise * sum;
        }
        out.t.push_back(0.01 * i), out.q.push_back(q);
    }
    return out;
}

/// The demo with other limits of its first arm, and other times of the tool.
json hidden(json tree, double speed, double acceleration, double jerk, double line, double settle) {
    json model = tree["arm_models"][0];
    model["id"] = "real";
    for (json& j : model["joints"]) {
        if (!j.contains("speed_deg_s")) continue;
        j["speed_deg_s"] = speed * j["speed_deg_s"].get<double>();
        j["acceleration_deg_s2"] = acceleration * j["acceleration_deg_s2"].get<double>();
        if (j.contains("jerk_deg_s3")) j["jerk_deg_s3"] = jerk * j["jerk_deg_s3"].get<double>();
    }
    model["line_speed_mm_s"] = line * model["line_speed_mm_s"].get<double>();
    model["line_acceleration_mm_s2"] = line * model["line_acceleration_mm_s2"].get<double>();
    model["settle_s"] = settle;
    tree["arm_models"].push_back(model);
    tests::device(tree, "arm1")["model"] = "real";
    tree["tool_models"][0]["close_s"] = 0.41, tree["tool_models"][0]["open_s"] = 0.29;
    return tree;
}

std::shared_ptr<const study::Evaluation> run_of(const json& tree) {
    study::EvaluateOptions how;
    how.level = inspection::Level::reach;
    how.run.at_least_s = 280;
    inspection::Cache cache;
    const cell::Document d = cell::Document::parse(tree.dump());
    return study::evaluate(simulation::layout(d, d.baseline()), cache, how);
}

}  // namespace

TEST_CASE("limits that were hidden are found within a hundredth, and the cycle within two thousandths") {
    const json tree = tests::demo().resolved("A");
    struct Case {
        double speed, acceleration, jerk, line, settle;
    };
    for (const Case& c :
        {Case{0.8, 0.7, 1.2, 0.8, 0.03}, Case{1.15, 0.9, 0.6, 1.1, 0}, Case{0.55, 0.5, 0.8, 0.6, 0.08}}) {
        const auto real = run_of(hidden(tree, c.speed, c.acceleration, c.jerk, c.line, c.settle));
        const study::Measured measured = sampled(*real, real->cell->device("arm1"), 20, 260, 0.02 * degree, 3);
        inspection::Cache cache;
        const cell::Document d = cell::Document::parse(tree.dump());
        study::EvaluateOptions how;
        how.run.at_least_s = 280;
        const study::TriedCalibration tried = study::try_calibration(
            simulation::layout(d, d.baseline()), real->cell->device("arm1"), measured, cache, how);
        const study::Calibration& found = tried.found;
        CHECK(found.matched > 30);
        CHECK(found.noise == Approx(0.02 * degree).epsilon(0.15));
        int seen = 0;
        for (const study::Fitted& f : found.fitted) {
            INFO(f.words << ": " << f.before << " -> " << f.after << " by " << f.moves << " moves");
            if (!f.seen()) {
                CHECK(f.after == f.before);
                continue;
            }
            ++seen;
            if (f.words.rfind("speed of", 0) == 0) CHECK(f.after == Approx(c.speed * f.before).epsilon(0.01));
            // The joints that lead joint moves; what straight moves alone say is coarser, as their softening is.
            const bool leads = f.words.find("J1") != std::string::npos || f.words.find("J2") != std::string::npos;
            if (f.words.rfind("acceleration of", 0) == 0)
                CHECK(f.after == Approx(c.acceleration * f.before).epsilon(leads ? 0.01 : 0.1));
            if (f.words.rfind("jerk of J", 0) == 0 && leads) CHECK(f.after == Approx(c.jerk * f.before).epsilon(0.15));
            if (f.words == "settling time") CHECK(f.after == Approx(c.settle).margin(0.004));
            if (f.where.find("close_s") != std::string::npos) CHECK(f.after == Approx(0.41).margin(0.004));
            if (f.where.find("open_s") != std::string::npos) CHECK(f.after == Approx(0.29).margin(0.004));
        }
        CHECK(seen >= 6);
        REQUIRE(tried.round_error_after());
        CHECK(std::abs(*tried.round_error_after()) < 0.002);
        CHECK(std::abs(*tried.round_error_after()) <= std::abs(*tried.round_error_before()));
        // Taken, the cell says so as long as the limits are those.
        const cell::Layout taken = simulation::layout(d, d.baseline()).edited(tried.edit);
        CHECK(study::calibrated_words(taken.cell()).find("calibrated on") == 0);
        json changed = taken.tree();
        for (json& m : changed["arm_models"])
            for (json& j : m["joints"])
                if (j.contains("speed_deg_s")) j["speed_deg_s"] = 100;
        CHECK(study::calibrated_words(*tests::read(changed)).empty());
    }
}

TEST_CASE("a settling time comes after each motion that ends in a stop, and figures grow by it") {
    json tree = tests::demo().resolved("A");
    const auto before = run_of(tree);
    tree["arm_models"][0]["settle_s"] = 0.05;
    const auto after = run_of(tree);
    REQUIRE(after->figures.cycle_s);
    CHECK(*after->figures.cycle_s > *before->figures.cycle_s);
    int stops = 0;
    const int arm = after->cell->device("arm1");
    for (const auto& m : after->run->trace.motions[static_cast<std::size_t>(arm)]) {
        if (m.block < 0 || m.motion->duration() <= 0) continue;
        const simulation::Block& b = after->run->trace.blocks[static_cast<std::size_t>(m.block)];
        if (b.to == simulation::never || b.to > after->run->trace.end) continue;
        CHECK(simulation::seconds(b.to - m.from) == Approx(m.motion->duration() + 0.05).margin(2e-9));
        ++stops;
    }
    CHECK(stops > 20);
}

TEST_CASE("what was measured of something else is refused, and what is wrong is said with its line") {
    const auto e = run_of(tests::demo().resolved("A"));
    const int arm = e->cell->device("arm1");
    const cell::Device& d = e->cell->devices[static_cast<std::size_t>(arm)];
    study::Measured elsewhere;
    for (int i = 0; i < 500; ++i) {
        elsewhere.t.push_back(0.01 * i);
        elsewhere.q.push_back(kinematics::JointVector::Constant(6, 1.3 + 0.001 * i));
    }
    CHECK_THROWS_AS(study::calibrate(*e->cell, *e->run, arm, elsewhere), cell::InputError);
    CHECK_THROWS_AS(study::calibrate(*e->cell, *e->run, e->cell->device("tester"), elsewhere), cell::InputError);

    const tests::Folder folder;
    const study::Measured good = sampled(*e, arm, 10, 20, 0, 1);
    cell::write_file(folder / "m.csv", exchange::measured_csv(good, d));
    const study::Measured again = exchange::read_measured(folder / "m.csv", d);
    REQUIRE(again.t.size() == good.t.size());
    for (std::size_t i = 0; i < good.t.size(); ++i)
        CHECK((again.q[i] - good.q[i]).cwiseAbs().maxCoeff() < 1e-4 * degree);
    const auto refusal = [&](const std::string& text) -> std::string {
        cell::write_file(folder / "bad.csv", text);
        try {
            exchange::read_measured(folder / "bad.csv", d);
        } catch (const cell::InputError& error) {
            return error.what();
        }
        return "";
    };
    const std::string head = "t_s,J1_deg,J2_deg,J3_deg,J4_deg,J5_deg,J6_deg\n";
    CHECK(refusal(head + "0,1,2,3,4,5,6\n0,1,2,3,4,5,6\n").find("not later") != std::string::npos);
    CHECK(refusal(head + "0,1,2,3,4,5,6\n0.01,1,2,3,4,5\n").find(":3") != std::string::npos);
    CHECK(refusal(head + "0,1,2,3,four,5,6\n").find("J4_deg") != std::string::npos);
    CHECK(refusal(head + "0,1,2,3,nan,5,6\n").find("J4_deg") != std::string::npos);
    CHECK(refusal("t_s,J1_deg,J2_deg\n0,1,2\n").find("J3_deg") != std::string::npos);
    CHECK(refusal("").find("empty") != std::string::npos);
    // Radians, another order, semicolons, and columns of something else.
    std::vector<std::string> others;
    cell::write_file(
        folder / "rad.csv", "arm1.J6_rad;t_ms;J2_rad;J1_rad;J3_rad;J4_rad;J5_rad;grip\n1;20;0;0.5;0;0;0;x\n");
    const study::Measured rad = exchange::read_measured(folder / "rad.csv", d, &others);
    CHECK(rad.t.front() == Approx(0.02));
    CHECK(rad.q.front()[5] == 1);
    CHECK(rad.q.front()[0] == 0.5);
    CHECK(others == std::vector<std::string>{"grip"});
}
